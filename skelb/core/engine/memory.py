"""The memory of a run: all small state and tables in two arrays, and what runs along the bars."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.engine import kernel
from skelb.core.engine.account import Account
from skelb.core.errors import SettingsError
from skelb.core.plan import Plan, holds_back

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

    def take(self, name: str, *shape: int, dtype: type = np.float64) -> Table:
        """An array of this shape, with anything in it."""
        size = math.prod(shape)
        kept = self._kept.get(name)
        if kept is None or kept.size < size:
            kept = self._kept[name] = np.empty(size, dtype)
        return kept[:size].reshape(shape)

    def ledger(self) -> tuple[Table, Table, Table]:
        """Rows for trades, their numbers, and skipped orders: as many as the longest run so far needed."""
        rows = max(_FIRST_ROWS, self._kept["trades"].size // kernel.TRADE_INTS if "trades" in self._kept else 0)
        return (
            self.take("trades", rows, kernel.TRADE_INTS, dtype=np.int64),
            self.take("numbers", rows, kernel.TRADE_FLOATS),
            self.take("skips", rows, kernel.SKIP_INTS, dtype=np.int64),
        )

    def keep_ledger(self, series: kernel.Series) -> None:
        """Leave a ledger that has grown to the next run."""
        self._kept |= {"trades": series.ti.ravel(), "numbers": series.tf.ravel(), "skips": series.skips.ravel()}


@dataclass(frozen=True, eq=False)
class _Begun:
    """How a run of one market began, for the next one with the same rules: only when conditions hold differs."""

    plan: Plan
    account: Account
    q: Table
    f: Table
    series: kernel.Series

    def again(self, plan: Plan, account: Account, pool: Pool) -> tuple[Table, Table, kernel.Series] | None:
        """The memory of a run of `plan`, None when it differs in more."""
        mine = self.plan
        if (
            plan.rules is not mine.rules
            or (plan.first, plan.last) != (mine.first, mine.last)
            or account != self.account
        ):
            return None
        q, f = pool.take("q", self.q.size, dtype=np.int64), pool.take("f", self.f.size)
        q[:], f[:] = self.q, self.f
        trades, numbers, skips = pool.ledger()
        series = self.series._replace(flags=plan.flags, signals=plan.rows, ti=trades, tf=numbers, skips=skips)
        return q, f, series


def lay_out(
    plans: Sequence[Plan], account: Account, offsets: NDArray[np.int64], pool: Pool
) -> tuple[Table, Table, kernel.Series]:
    """`q`, `f` and the series of a run that has not begun, as the kernel describes them.

    The plans are of one script with one set of inputs, one a market; `offsets` say where each one's bars begin.
    Raises SettingsError when an exit is for the lots of one of too many entry rules.
    """
    if len(plans) == 1 and pool.begun is not None:
        found = pool.begun.again(plans[0], account, pool)
        if found is not None:
            return found
    script = plans[0]
    entries, exits, parts = len(script.entries), len(script.exits), len(script.rules.levels.parts)
    orders = entries + 2 * exits if _rests(script) else 0
    columns, programs = _columns(plans, pool), script.rules.programs.table.copy()
    programs[:, kernel.W_ROW], rows, slots = columns.made, columns.rows, columns.slots
    programs[:, [kernel.W_COLUMN, kernel.W_COLUMN_END]] += columns.inputs
    registers = int(script.rules.programs.steps[:, 1:].max(initial=0)) + 2 * kernel.POSITION_NAMES + 1
    made_when = sum(1 << int(made) for made in {*programs[:, kernel.W_MADE]} if made != kernel.ASKED)
    days, stride = _days(plans, offsets)
    lot_size = kernel.LOT_FLOATS + 2 * parts

    waiting, due, order, lot, block_ints = accumulate(
        (kernel.MARKET_INTS, entries, exits, 3 * orders, kernel.LOT_INTS * script.rules.room)
    )
    constants, price, lot_numbers, block_floats = accumulate(
        (kernel.MARKET_FLOATS, len(slots), orders, lot_size * script.rules.room)
    )
    block = max(block_ints, block_floats)
    end = kernel.HEAD + block * len(plans)
    tables = [script.rules.signals.entries, _exits(script), script.rules.levels.parts, programs, script.rules.programs.steps,
              script.rules.levels.moving_units, slots]  # fmt: skip
    places = list(accumulate((table.size for table in tables), initial=end))
    numbers = [script.rules.signals.exit_shares, script.rules.levels.part_shares, script.rules.limits, np.zeros(registers),
               np.zeros(kernel.POSITION_NAMES)]  # fmt: skip
    spots = list(accumulate((table.size for table in numbers), initial=end))

    q, f = pool.take("q", places[-1], dtype=np.int64), pool.take("f", spots[-1])
    q[:], f[:] = 0, 0.0
    for place, table in zip(places, tables, strict=False):
        q[place : place + table.size] = table.ravel()
    for spot, table in zip(spots, numbers, strict=False):
        f[spot : spot + table.size] = table
    q[kernel.A_MOMENT : kernel.HEAD] = (
        0, 0, 0, 0, 0, 0, len(plans), block, entries, exits, parts, len(programs), orders, stride,
        waiting, due, order, lot, constants, price, lot_numbers, lot_size, *places[:7], spots[0], spots[2], spots[3], spots[4], _asks_while_flat(script), made_when,
    )  # fmt: skip
    f[kernel.A_CASH] = f[kernel.A_REALISED] = account.capital
    for k, plan in enumerate(plans):
        base = kernel.HEAD + k * block
        _settings(plan, account, int(offsets[k]), q[base:], f[base:])
        q[base + kernel.I_NUMBER] = k
        q[base + waiting : base + due] = -1
        for place in (kernel.S_EXIT_DUE, kernel.S_EXIT_RULE, kernel.S_LOST_DAY, kernel.S_DAY):
            q[base + place] = -1
        f[base + constants : base + price] = columns.constants[k]
    bars = [plan.dataset.bars for plan in plans]
    order_of, ends, markets = _moments(plans, offsets)
    pieces, piece_starts = _pieces(plans, account)
    trades, numbers_of_trades, skips = pool.ledger()
    series = kernel.Series(
        opens=_joined([part.open for part in bars]),
        highs=_joined([part.high for part in bars]),
        lows=_joined([part.low for part in bars]),
        closes=_joined([part.close for part in bars]),
        flags=_joined([plan.flags for plan in plans]),
        blocks=_joined([plan.rules.hours.blocks for plan in plans]),
        signals=_joined([plan.rows for plan in plans]),
        rows=rows,
        days=days,
        pieces=pieces,
        piece_starts=piece_starts,
        order=order_of,
        ends=ends,
        bases=kernel.HEAD + markets * block,
        equity=pool.take("equity", int(offsets[-1])),
        ti=trades,
        tf=numbers_of_trades,
        skips=skips,
    )
    pool.begun = _Begun(script, account, q.copy(), f.copy(), series) if len(plans) == 1 else None
    return q, f, series


def most_events(plans: Sequence[Plan]) -> int:
    """The most trades, and the most skipped orders, that one moment can bring."""
    plan = plans[0]
    lots = plan.rules.room + len(plan.entries)
    return len(plans) * (lots * (len(plan.rules.levels.parts) + len(plan.exits) + 2) + 3 * len(plan.entries) + 4)


def with_larger_ledger(series: kernel.Series) -> kernel.Series:
    """The series with twice the room for trades and skipped orders."""
    return series._replace(ti=_doubled(series.ti), tf=_doubled(series.tf), skips=_doubled(series.skips))


def _doubled(table: Table) -> Table:
    larger = np.empty((table.shape[0] * 2, table.shape[1]), table.dtype)
    larger[: table.shape[0]] = table
    return larger


# --- tables of rules ------------------------------------------------------------------------------------------------


def _rests(plan: Plan) -> bool:
    forms = (plan.rules.signals.entries[:, kernel.E_FORM], plan.rules.signals.exits[:, kernel.X_FORM])
    return any((form >= kernel.AT_LIMIT).any() for form in forms)


def _asks_while_flat(plan: Plan) -> bool:
    """Whether an entry, or the price of one, asks for the position, so that every bar without one is judged too."""
    made = plan.rules.programs.table[:, kernel.W_MADE] == kernel.MADE_BEFORE_ENTRIES
    return bool(made.any() or (plan.rules.signals.entries[:, kernel.E_PROGRAM] >= 0).any())


def _exits(plan: Plan) -> Table:
    """The exit rules with the bits of the entry rules whose lots they are for."""
    lots = plan.rules.signals.exit_lots
    if not lots.all() and lots.shape[1] > _MOST_NAMED_RULES:
        raise SettingsError(
            f"exits with `lots` need at most {_MOST_NAMED_RULES} entry rules, this script has {lots.shape[1]}"
        )
    bits = [sum(1 << e for e in np.flatnonzero(row)) if not row.all() else -1 for row in lots]
    return np.column_stack((plan.rules.signals.exits, np.array(bits, np.int64).reshape(-1)))


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
    columns = [plan.rules.levels.columns for plan in plans]
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
    for number, column in enumerate(plans[0].rules.programs.table[:, kernel.W_ROW]):
        if column >= 0:
            slots[column] = made[number] = inputs
            inputs += 1
    last = inputs + len(plans[0].rules.programs.inputs)
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
        rows[inputs:, here] = plan.rules.programs.inputs
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


def _settings(plan: Plan, account: Account, offset: int, whole: Table, numbers: Table) -> None:
    """A market's settings into its block; bar numbers are those of all markets' bars."""
    market = plan.dataset.market
    fees = market.commission or account.commission
    in_one = round(1.0 / market.tick)
    exact = in_one >= 1 and abs(1.0 / market.tick - in_one) < 1e-9 * in_one
    whole[kernel.I_FIRST], whole[kernel.I_LAST] = plan.first + offset, plan.last + offset
    whole[kernel.I_PATH], whole[kernel.I_IN_DETAIL] = account.same_bar == "path", account.same_bar == "detail"
    whole[kernel.I_SKIP_SHORT] = account.short_of_margin == "skip"
    whole[kernel.I_OPPOSITE] = plan.rules.opposite
    for row, exits in enumerate(plan.rules.time_exits):
        whole[kernel.I_AFTER_LONG + row], whole[kernel.I_CLOSE_AFTER_LONG + row] = exits.bars, exits.close_bars
        whole[kernel.I_DAYS_LONG + row], whole[kernel.I_CLOSE_DAYS_LONG + row] = exits.days, exits.close_days
    whole[kernel.I_MOVING], whole[kernel.I_LIMITED] = plan.rules.levels.is_moving, holds_back(plan.rules.limits)
    whole[kernel.I_ROOM] = plan.rules.room
    whole[kernel.I_MOST_POSITIONS] = account.max_open_total or np.iinfo(np.int64).max
    whole[kernel.I_BID] = market.quotes == "bid"
    whole[kernel.I_SPREAD_PERCENT] = market.spread_unit == "percent"
    whole[kernel.I_TICKS_IN_ONE] = in_one if exact else 0
    whole[kernel.I_INVERTED] = plan.rules.inverted
    numbers[kernel.F_TICK] = market.tick
    numbers[kernel.F_VALUE] = market.point_value
    numbers[kernel.F_STEP], numbers[kernel.F_MIN_LOT] = market.lot_step, market.min_lot
    numbers[kernel.F_SLIPPAGE] = account.slippage_ticks * market.tick
    numbers[kernel.F_FEE_PERCENT], numbers[kernel.F_FEE_UNIT] = fees.percent, fees.per_unit
    numbers[kernel.F_FEE_ORDER], numbers[kernel.F_FEE_MINIMUM] = fees.per_order, fees.minimum
    numbers[kernel.F_LEVERAGE], numbers[kernel.F_STOP_OUT] = account.leverage, account.stop_out
    numbers[kernel.F_FINANCING_LONG] = market.financing_long
    numbers[kernel.F_FINANCING_SHORT] = market.financing_short
    numbers[kernel.F_CAPITAL] = account.capital
