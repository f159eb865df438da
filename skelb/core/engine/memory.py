"""The memory of a run: its records and tables, and what runs along the bars."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.engine.account import Account
from skelb.core.engine.kernel import records
from skelb.core.engine.kernel.records import TABLES, Series
from skelb.core.errors import SettingsError
from skelb.core.plan import Plan, holds_back
from skelb.core.plan.columns import (
    COLUMNS_PER_SIDE,
    MOVING,
    RULE_COLUMNS,
    Made,
    OrderForm,
    RuleColumn,
)
from skelb.core.plan.steps import registers_of
from skelb.core.spanning import as_records

_FIRST_ROWS = 1024
_MOST_NAMED_RULES = 62  # lots that an exit is for are bits of one whole number
Table = NDArray[Any]


class Pool:
    """Arrays that one run leaves to the next, so that a sweep does not allocate them anew.

    The outcome of a run with a pool holds until the pool's next run: take from it what is to last. One thread at a
    time.
    """

    def __init__(self) -> None:
        self._kept: dict[str, Table] = {}
        self.begun: _Begun | None = None

    def take(self, name: str, *shape: int, dtype: Any = np.float64) -> Table:
        """An array of this shape, with anything in it."""
        size = math.prod(shape)
        kept = self._kept.get(name)
        if kept is None or kept.size < size:
            kept = self._kept[name] = np.empty(size, dtype)
        return kept[:size].reshape(shape)

    def ledger(self) -> tuple[Table, Table]:
        """Rows for trades and for skipped orders: as many as the longest run so far needed."""
        rows = max(_FIRST_ROWS, self._kept["trades"].size if "trades" in self._kept else 0)
        trades, skips = self.take("trades", rows, dtype=records.TRADE), self.take("skips", rows, dtype=records.SKIP)
        return as_records(trades), as_records(skips)

    def keep_ledger(self, series: Series) -> None:
        """Leave a ledger that has grown to the next run."""
        self._kept |= {"trades": series.trades, "skips": series.skips}


@dataclass(frozen=True, eq=False)
class _Begun:
    """How a run of one market began, for the next one with the same rules: only when conditions hold differs."""

    plan: Plan
    account: Account
    run: "Run"
    state: Table
    series: Series

    def again(self, plan: Plan, account: Account, pool: Pool) -> "tuple[Run, Series] | None":
        """The memory of a run of `plan`, None when it differs in more."""
        mine = self.plan
        if (
            plan.rules is not mine.rules
            or any(a is not b for a, b in zip(plan.columns + plan.inputs, mine.columns + mine.inputs, strict=True))
            or (plan.first, plan.last) != (mine.first, mine.last)
            or account != self.account
        ):
            return None
        self.run.block[:] = self.state
        trades, skips = pool.ledger()
        return self.run, self.series._replace(flags=plan.flags, signals=plan.rows, trades=trades, skips=skips)


class Run:
    """The records of a run, one table after the other in one block of memory: a copy of it is a copy of the run.

    `tables` are views of the block, by the names of `records.TABLES`. Ledger and equity stand apart.
    """

    def __init__(self, tables: dict[str, Table]) -> None:
        ends = np.cumsum([table.nbytes for table in tables.values()])
        self.block = np.zeros(int(ends[-1]), np.uint8)
        self.tables: dict[str, Table] = {}
        self.places: dict[str, int] = {}
        for (name, table), end in zip(tables.items(), ends, strict=True):
            self.places[name] = int(end) - table.nbytes
            self.tables[name] = self.block[self.places[name] : end].view(table.dtype)
            self.tables[name][:] = table

    def of(self, block: Table, name: str) -> Table:
        """A table in a copy of the block."""
        found = self.tables[name]
        return block[self.places[name] : self.places[name] + found.nbytes].view(found.dtype)


def lay_out(plans: Sequence[Plan], account: Account, offsets: NDArray[np.int64], pool: Pool) -> tuple[Run, Series]:
    """The records and the series of a run that has not begun, as the kernel describes them.

    The plans are of one script with one set of inputs, one a market; `offsets` say where each one's bars begin.
    Raises SettingsError when an exit is for the lots of one of too many entry rules.
    """
    if len(plans) == 1 and pool.begun is not None:
        found = pool.begun.again(plans[0], account, pool)
        if found is not None:
            return found
    script = plans[0]
    columns = _columns(plans, pool)
    days, stride = _days(plans, offsets)
    run = _run_of(plans, account, offsets, columns, stride)
    bars = [plan.dataset.bars for plan in plans]
    order_of, ends, market_of = _moments(plans, offsets)
    pieces, piece_starts = _pieces(plans, account)
    trades, skips = pool.ledger()
    instructions = as_records(script.rules.programs.steps)
    series = Series(
        opens=_joined([part.open for part in bars]),
        highs=_joined([part.high for part in bars]),
        lows=_joined([part.low for part in bars]),
        closes=_joined([part.close for part in bars]),
        flags=_joined([plan.flags for plan in plans]),
        blocks=_joined([plan.rules.hours.blocks for plan in plans]),
        signals=_joined([plan.rows for plan in plans]),
        rows=columns.rows,
        days=days,
        pieces=pieces,
        piece_starts=piece_starts,
        order=order_of,
        ends=ends,
        market_of=market_of,
        busy=np.zeros(len(plans), np.int64),
        equity=pool.take("equity", int(offsets[-1])),
        trades=trades,
        skips=skips,
        instructions=instructions,
        registers=np.zeros(max(registers_of(instructions), 2 * records.POSITION_NAMES + len(script.inputs))),
        known=np.zeros(records.POSITION_NAMES),
    )
    pool.begun = _Begun(script, account, run, run.block.copy(), series) if len(plans) == 1 else None
    return run, series


def most_events(plans: Sequence[Plan]) -> int:
    """The most trades, and the most skipped orders, that one moment can bring."""
    plan = plans[0]
    lots = plan.rules.room + len(plan.entries)
    return len(plans) * (lots * (len(plan.rules.levels.parts) + len(plan.exits) + 2) + 4 * len(plan.entries) + 4)


def with_larger_ledger(series: Series) -> Series:
    """The series with twice the room for trades and skipped orders."""
    return series._replace(trades=_doubled(series.trades), skips=_doubled(series.skips))


def _doubled(table: Table) -> Table:
    larger = np.empty(table.size * 2, table.dtype)
    larger[: table.size] = table
    return as_records(larger)


# --- records --------------------------------------------------------------------------------------------------------


def _run_of(
    plans: Sequence[Plan], account: Account, offsets: NDArray[np.int64], columns: "_Columns", stride: int
) -> Run:
    script, markets = plans[0], len(plans)
    entries, exits, parts, programs = _entries(script), _exits(script), _parts(script), _programs(script, columns)
    room, orders, slots = script.rules.room, entries.size + 2 * exits.size, columns.slots.size
    places = np.zeros(columns.constants.size, records.COLUMN)
    places["row"], places["constant"] = np.tile(columns.slots, markets), columns.constants.ravel()
    resting = np.zeros(orders, records.ORDER)
    resting["waits"][: entries.size] = -1
    tables = {
        "account": _account(account, int(script.first) if markets == 1 else 0),
        "rules": _rules(script, stride),
        "sides": _sides(script),
        "markets": _markets(plans, account, offsets),
        "lots": np.zeros(markets * room, records.LOT),
        "goals": np.zeros(markets * room * parts.size, records.GOAL),
        "orders": np.tile(resting, markets),
        "columns": places,
        "entries": entries,
        "exits": exits,
        "parts": parts,
        "programs": programs,
    }
    run = Run({name: tables[name] for name in TABLES})
    found = run.tables["rules"]
    found["markets"] = markets
    for name in ("markets", "entries", "exits", "parts", "programs"):
        found[f"{name}_at"] = run.places[name]
    number = np.arange(markets)
    for name, count in (("lots", room), ("goals", room * parts.size), ("orders", orders), ("columns", slots)):
        run.tables["markets"][f"{name}_at"] = run.places[name] + number * count * tables[name].itemsize
    return run


def _account(account: Account, first: int) -> Table:
    found = np.zeros(1, records.ACCOUNT)
    found["is_path"], found["in_detail"] = account.same_bar == "path", account.same_bar == "detail"
    found["skips_short"] = account.short_of_margin == "skip"
    found["most_positions"] = account.max_open_total or np.iinfo(np.int64).max
    found["capital"] = found["cash"] = found["earned"] = account.capital
    found["leverage"], found["stop_out"] = account.leverage, account.stop_out
    found["moment"] = first
    return found


def _rules(script: Plan, stride: int) -> Table:
    rules, found = script.rules, np.zeros(1, records.RULES)
    found["entries"], found["exits"], found["parts"] = len(script.entries), len(script.exits), len(rules.levels.parts)
    found["programs"], found["room"] = len(rules.programs.table), rules.room
    found["orders"] = len(script.entries) + 2 * len(script.exits) if _rests(script) else 0
    found["opposite"], found["is_inverted"] = rules.opposite, rules.inverted
    found["is_moving"], found["is_limited"] = rules.levels.is_moving, holds_back(rules.limits)
    made = {int(made) for made in rules.programs.table[:, 4]}
    found["made"] = sum(1 << one for one in made if one != Made.ASKED)
    found["asks_flat"] = Made.BEFORE_ENTRIES in made or bool((rules.signals.entries[:, 5] >= 0).any())
    found["day_stride"] = stride
    for place, name in enumerate(_LIMITS):
        found[name] = rules.limits[place]
    return found


# In the order of `plan.columns.Held`.
_LIMITS = ("most_entries", "most_losses", "most_loss", "pause_after_stop", "pause_after_loss", "pause_after_exit")


def _sides(script: Plan) -> Table:
    found = np.zeros(2, records.SIDE)
    found["columns"] = 0, COLUMNS_PER_SIDE
    for row, exits in enumerate(script.rules.time_exits):
        found[["after_bars", "close_after_bars", "after_days", "close_after_days"]][row] = (
            exits.bars, exits.close_bars, exits.days, exits.close_days,
        )  # fmt: skip
    for place, column in enumerate(MOVING):
        found[f"{column.name.lower()}_unit"] = script.rules.levels.moving_units[:, place]
    return found


def _entries(script: Plan) -> Table:
    table = script.rules.signals.entries
    found = np.zeros(len(table), records.ENTRY)
    for place, name in enumerate(("side", "form", "life", "sizing", "row", "program")):
        found[name] = table[:, place]
    found["column"] = RULE_COLUMNS + len(RuleColumn) * np.arange(len(table))
    return found


def _exits(script: Plan) -> Table:
    """The exit rules with the bits of the entry rules whose lots they are for."""
    signals = script.rules.signals
    lots = signals.exit_lots
    if not lots.all() and lots.shape[1] > _MOST_NAMED_RULES:
        raise SettingsError(
            f"exits with `lots` need at most {_MOST_NAMED_RULES} entry rules, this script has {lots.shape[1]}"
        )
    found = np.zeros(len(signals.exits), records.EXIT)
    for place, name in enumerate(("sides", "form", "life", "is_whole", "row", "program")):
        found[name] = signals.exits[:, place]
    found["lots"] = [sum(1 << e for e in np.flatnonzero(row)) if not row.all() else -1 for row in lots]
    found["column"] = script.rules.levels.price_of_exit(0, len(signals.entries)) + np.arange(len(found))
    found["share"] = signals.exit_shares
    return found


def _parts(script: Plan) -> Table:
    levels = script.rules.levels
    found = np.zeros(len(levels.parts), records.PART)
    found["sides"], found["unit"], found["share"] = levels.parts[:, 0], levels.parts[:, 1], levels.part_shares
    found["column"] = len(levels.columns) - len(found) + np.arange(len(found))
    return found


def _programs(script: Plan, columns: "_Columns") -> Table:
    table = script.rules.programs.table
    found = np.zeros(len(table), records.PROGRAM)
    for place, name in enumerate(("first", "end", "input", "input_end", "made")):
        found[name] = table[:, place]
    found["input"] += columns.inputs
    found["input_end"] += columns.inputs
    found["row"] = columns.made
    return found


def _rests(plan: Plan) -> bool:
    signals = plan.rules.signals
    return any((table[:, 1] >= OrderForm.LIMIT).any() for table in (signals.entries, signals.exits))


def _markets(plans: Sequence[Plan], account: Account, offsets: NDArray[np.int64]) -> Table:
    """Every market's settings; bar numbers are those of all markets' bars."""
    found = np.zeros(len(plans), records.MARKET)
    for number, plan in enumerate(plans):
        market, mine, offset = plan.dataset.market, found[number], int(offsets[number])
        fees = market.commission or account.commission
        in_one = round(1.0 / market.tick)
        exact = in_one >= 1 and abs(1.0 / market.tick - in_one) < 1e-9 * in_one
        mine["number"] = number
        mine["first"], mine["last"] = plan.first + offset, plan.last + offset
        mine["is_bid"], mine["is_spread_percent"] = market.quotes == "bid", market.spread_unit == "percent"
        mine["ticks_in_one"] = in_one if exact else 0
        for name in ("tick", "point_value", "lot_step", "min_lot", "financing_long", "financing_short"):
            mine[name] = getattr(market, name)
        mine["slippage"] = account.slippage_ticks * market.tick
        mine["fee_percent"], mine["fee_unit"] = fees.percent, fees.per_unit
        mine["fee_order"], mine["fee_minimum"] = fees.per_order, fees.minimum
    for name in ("exit_due", "exit_rule", "lost_day", "day"):
        found[name] = -1
    return found


# --- what runs along the bars ---------------------------------------------------------------------------------------


def _joined(parts: Sequence[Table]) -> Table:
    """Markets laid end to end along the bars; one market's arrays as they are."""
    return np.ascontiguousarray(parts[0]) if len(parts) == 1 else np.concatenate(parts, axis=-1)


@dataclass(frozen=True, eq=False)
class _Columns:
    """Columns that vary as rows, then those that programs make, then the programs' inputs; the others as constants.

    rows : float64, shape (r, n); slots : int64, shape (columns,), each column's row or -1
    constants : float64, shape (markets, columns); made : int64, shape (programs,), the row that each writes or -1
    inputs : the row of the first input
    """

    rows: Floats
    slots: NDArray[np.int64]
    constants: Floats
    made: NDArray[np.int64]
    inputs: int


def _columns(plans: Sequence[Plan], pool: Pool) -> _Columns:
    """The columns of all plans. One that serves several places (a stop of both sides) is one row."""
    size = sum(len(plan.dataset) for plan in plans)
    columns = [plan.columns for plan in plans]
    slots = np.full(len(columns[0]), -1, np.int64)
    constants = np.array([[column[0] for column in own] for own in columns], np.float64)
    row_of: dict[tuple[int, ...], int] = {}
    varying: list[list[Table]] = []
    for place in range(len(columns[0])):
        found = [own[place] for own in columns]
        if max(column.size for column in found) > 1:
            key = tuple(id(column) for column in found)
            if key not in row_of:
                row_of[key] = len(varying)
                varying.append(found)
            slots[place] = row_of[key]
    made = np.full(len(plans[0].rules.programs.table), -1, np.int64)
    inputs = len(varying)
    for number, column in enumerate(plans[0].rules.programs.table[:, 5]):
        if column >= 0:
            slots[column] = made[number] = inputs
            inputs += 1
    last = inputs + len(plans[0].inputs)
    if last == 1 and len(plans) == 1 and varying:  # as it is, without a copy
        return _Columns(
            np.ascontiguousarray(varying[0][0], np.float64).reshape(1, size), slots, constants, made, inputs
        )
    rows = pool.take("rows", last, size)
    begin = 0
    for k, plan in enumerate(plans):
        here = slice(begin, begin + len(plan.dataset))
        for row, found in enumerate(varying):
            rows[row, here] = found[k]
        for row, value in enumerate(plan.inputs, inputs):
            rows[row, here] = value
        begin = here.stop
    return _Columns(rows, slots, constants, made, inputs)


def _days(plans: Sequence[Plan], offsets: NDArray[np.int64]) -> tuple[Table, int]:
    """Number and first bar of every bar's trading day and whether its close ends it, shape (3, n); the bars' stride."""
    plan = plans[0]
    counts_days = any(exits.days or exits.close_days for exits in plan.rules.time_exits)
    if not (counts_days or holds_back(plan.rules.limits) or len(plan.rules.programs.table)):
        return np.zeros((3, 1), np.int64), 0
    found = []
    for own, offset in zip(plans, offsets, strict=False):
        calendar = own.dataset.calendar
        number = np.cumsum(calendar.starts_day) - 1
        found.append(np.stack((number, np.flatnonzero(calendar.starts_day)[number] + offset, calendar.ends_day)))
    return _joined(found), 1


def _pieces(plans: Sequence[Plan], account: Account) -> tuple[Table, Table]:
    """Prices of the finer bars, shape (4, p), and the first of each bar, where the account looks into them."""
    if account.same_bar != "detail":
        return np.zeros((4, 0)), np.zeros(1, np.int64)
    prices, starts = [], [np.zeros(1, np.int64)]
    for plan in plans:
        own, ends = plan.dataset.pieces
        prices.append(own)
        starts.append(ends + starts[-1][-1])
    return _joined(prices), np.concatenate(starts)


def _moments(plans: Sequence[Plan], offsets: NDArray[np.int64]) -> tuple[Table, Table, Table]:
    """Bars of several markets moment by moment, the end of each moment's, and each bar's market; empty for one."""
    none = np.zeros(0, np.int64)
    if len(plans) == 1:
        return none, none, none
    spans = [np.arange(plan.first, plan.last + 1) for plan in plans]
    times = np.concatenate([plan.dataset.bars.time[span] for plan, span in zip(plans, spans, strict=True)])
    numbers = np.concatenate([span + offset for span, offset in zip(spans, offsets, strict=False)])
    by_time = np.argsort(times, kind="stable")  # of one moment, markets as they are given
    times = times[by_time]
    ends = np.append(np.flatnonzero(times[1:] != times[:-1]) + 1, times.size)
    return numbers[by_time], ends, np.repeat(np.arange(len(plans)), np.diff(offsets))
