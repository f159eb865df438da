"""What the simulation works on: records, which compiled code reads as `lot.stop` or `market.tick`.

Whole numbers are int64, numbers float64. Money is in the account's currency, prices and distances in the market's price
units, bars are indexes over all markets laid end to end. A level that is not in force is infinite.
"""

from collections import namedtuple
from enum import IntEnum

import numpy as np


def _record(whole: str, numbers: str = "") -> np.dtype:
    """A record of whole numbers, then numbers."""
    return np.dtype([(name, "i8") for name in whole.split()] + [(name, "f8") for name in numbers.split()], align=True)


ACCOUNT = _record(
    "is_path in_detail skips_short most_positions moment trades skips cuts is_ruined positions",
    "capital leverage stop_out cash earned",
)
"""Settings; then the next moment to run, rows of the ledger written, entries cut to the margin, markets that hold a
position, cash, and the capital with all nets."""

RULES = _record(
    "markets entries exits parts programs orders room opposite is_inverted is_moving is_limited asks_flat made"
    " day_stride pause_after_stop pause_after_loss pause_after_exit"
    " markets_at entries_at exits_at parts_at programs_at",
    "most_entries most_losses most_loss",
)
"""How many there are of each kind and what goes for all: `orders` is 0 where none ever rests, `made` has a bit for each
`Made` that a program is of, `day_stride` is 0 where nothing counts days; pauses in bars, losses a day in percent; then
where the tables begin."""

SIDE = _record(
    "columns after_bars close_after_bars after_days close_after_days"
    " trail_unit trail_once_unit trail_at_once_unit even_once_unit even_plus_unit"
)
"""A side's rules: the first of its level columns, time exits (0 for none), `DistanceUnit` of levels that move."""

MARKET = _record(
    "number lots_at goals_at orders_at columns_at first last is_bid is_spread_percent ticks_in_one"
    " side lots waiting exit_due exit_rule due day day_entries day_losses lost_day paused_until piece bar",
    "tick point_value lot_step min_lot slippage fee_percent fee_unit fee_order fee_minimum"
    " financing_long financing_short value",
)
"""Settings and state. First where its tables begin; `ticks_in_one` is 0 where a price unit is not a whole
number of ticks; `waiting` and `due` count entries and partial exits that wait for the next open, `exit_due` is the
`Reason` of what closes everything there (-1 for nothing), `day` and `lost_day` the first bar of a trading day; `piece`
is the finer bar at hand. `value` is what one unit earns when price moves by 1, at this moment's rate."""

ENTRY = _record("side form life sizing row program column")
"""Side 1 or -1, `OrderForm`, life in bars, `SizeForm`, the row of signals that says when it is yes (-1: its side's
flag), its program on the position (-1: none), the first of its columns."""

EXIT = _record("sides form life is_whole row program column lots", "share")
"""Sides 1 long, 2 short, 3 both; whether it closes all lots; the column of its price; a bit for each entry rule whose
lots it is for; percent of a lot's first units that it takes."""

PART = _record("sides unit column", "share")
"""A target of a part: sides, `DistanceUnit`, the column of its amount, percent of a lot's first units."""

PROGRAM = _record("first end input input_end made row")
"""A program on the position: its instructions, the rows of its inputs, `Made`, the row that it writes."""

COLUMN = _record("row", "constant")
"""Where a market's column stands: a row of `series.rows`, or -1 and its one value."""

ORDER = _record("is_on until bar closes_only waits", "price")
"""A resting order: the last bar it lives for, the bar it was judged on, whether it may only close a position. One for
each entry rule, then two for each exit rule (of long, of short positions). `waits` is of what is not at a price: the
bar that judged an entry waiting for the next open, or -1; of an exit of parts 1 when it is due there, 2 at this
close, else 0."""

LOT = _record(
    "bar moment rule kind piece",
    "units first_units taken mid price stop target whole risk high low fee spread slippage financing margin"
    " first_stop first_target trail trail_once trail_at_once even_once even_plus open",
)
"""An open lot: entry bar and `Moment`, entry rule, what its stop is (a `Reason`), units left and first, percent taken,
mid and price of the fill, levels in force, `whole` the target of all of it, `risk` the first stop's distance, best and
worst price since entry, costs so far, margin, levels at first, distances of what moves, open profit at the last
close. Money is of the units left."""

GOAL = _record("", "level share")
"""A lot's target of a part."""

TRADE = _record(
    "side entry_bar exit_bar entry_rule reason exit_rule moment ambiguous entry_moment market ends_lot",
    "units entry_mid exit_mid entry_price exit_price gross commission spread slippage financing net r best worst"
    " stop target equity risk entry_fee",
)
"""A row of the ledger; `moment` is the exit's, `ends_lot` 0 for a part of a lot that went on, `risk` a distance,
`equity` the capital with all nets so far, `entry_fee` the entry's share of `commission`."""

SKIP = _record("bar side reason moment rule")
"""An order that did not become a trade: a `Skip`, the `Moment` it was dropped, the entry rule or -1 for a side's."""


class Known(IntEnum):
    """The registers of the position's values, in the order of `catalogue.POSITION_NAMES`."""

    ENTRY_PRICE = 0
    LAST_ENTRY_PRICE = 1
    OPEN_LOTS = 2
    BARS_HELD = 3
    DAYS_HELD = 4
    OPEN_PROFIT = 5
    BEST_PROFIT = 6
    WORST_PROFIT = 7
    POSITION = 8
    STOP_PRICE = 9
    TARGET_PRICE = 10


POSITION_NAMES = len(Known)

TABLES = {
    "account": "ACCOUNT", "rules": "RULES", "sides": "SIDE", "markets": "MARKET", "lots": "LOT", "goals": "GOAL",
    "orders": "ORDER", "columns": "COLUMN", "entries": "ENTRY", "exits": "EXIT", "parts": "PART", "programs": "PROGRAM",
}  # fmt: skip
"""The tables of a run and their records, in the order in which they stand in its block; the sides are long, short, and
the tables of several markets one after the other."""

# What runs along the bars, n over all markets, and the ledger:
#   opens, highs, lows, closes float64 (n,); flags, blocks uint8 (n,); signals uint8 (s, n)
#   rows float64 (r, n): the columns that vary, and the inputs of programs
#   days int64 (3, n) or (3, 1) with day_stride: a bar's trading day, its first bar, whether the close ends it
#   pieces float64 (4, p), piece_starts int64 (n + 1,): finer bars, and the first of each bar
#   order int64: bar numbers moment by moment; ends int64: the end of each moment's in `order`; market_of int64 (n,):
#     the market of each bar. All three (0,) for one market, whose moments are its bars. busy int64 (m,): scratch
#   equity float64 (n,), trades, skips: written
#   instructions: the steps of programs; registers, known float64: the position's values as rules saw them, written
Series = namedtuple(
    "Series",
    "opens highs lows closes flags blocks signals rows days pieces piece_starts order ends market_of busy "
    "equity trades skips instructions registers known",
)
