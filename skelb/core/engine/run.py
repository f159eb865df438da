"""Running a plan on an account."""

from threading import local

import numpy as np

from skelb.core.engine import kernel
from skelb.core.engine.account import Account
from skelb.core.engine.ledger import Outcome, Trades
from skelb.core.plan import Plan, holds_back

_FIRST_ROWS = 1024
_buffers = local()


def run(plan: Plan, account: Account) -> Outcome:
    """The outcome of a plan on an account: the same for the same arguments, to the last bit."""
    dataset = plan.dataset
    bars = dataset.bars
    levels = _levels(plan, len(bars))
    rules = (*plan.entry_rules, *plan.exit_rules)
    rule_strides = np.array([int(rule.size > 1) for rule in rules], np.int64)
    settings_i, settings_f = _settings(plan, account)
    state_i, state_f = np.zeros(kernel.STATE_INTS, np.int64), np.zeros(kernel.STATE_FLOATS)
    state_i[kernel.S_BAR] = plan.first
    state_i[kernel.S_EXIT_DUE] = state_i[kernel.S_LOST_DAY] = -1
    days = _days(plan)
    registers = np.zeros(int(plan.watched.steps[:, 1:].max(initial=0)) + 2 * kernel.POSITION_NAMES + 1)
    orders, order_prices = np.zeros((len(plan.resting.rules), 3), np.int64), np.zeros(len(plan.resting.rules))
    state_f[kernel.X_CASH] = account.capital
    equity = np.empty(len(bars))
    whole, numbers, skips = _ledger_buffers()
    while True:
        reached = kernel.simulate(
            bars.open, bars.high, bars.low, bars.close, plan.flags, plan.blocks, *levels,
            *rules, rule_strides, plan.size_forms, plan.entry_orders, plan.exit_orders, plan.moving_units,
            plan.resting.rules, plan.resting.signals, plan.resting.rows, orders, order_prices,
            plan.watched.rules, plan.watched.steps, plan.watched.columns, registers,
            *days, plan.limits, settings_i, settings_f, state_i, state_f, equity,
            whole, numbers, skips,
        )  # fmt: skip
        if reached > plan.last:
            break
        if state_i[kernel.S_TRADES] + 3 + 2 * len(orders) > whole.shape[0]:
            whole, numbers = _doubled(whole), _doubled(numbers)
        if state_i[kernel.S_SKIPS] + 4 + 3 * len(orders) > skips.shape[0]:
            skips = _doubled(skips)
    _buffers.ledger = (whole, numbers, skips)
    trades, skipped = int(state_i[kernel.S_TRADES]), int(state_i[kernel.S_SKIPS])
    return Outcome(
        plan,
        account.capital,
        Trades(whole[:trades].copy(), numbers[:trades].copy()),
        skips[:skipped].copy(),
        equity[plan.first : plan.last + 1],
        int(state_i[kernel.S_CUTS]),
        bool(state_i[kernel.S_RUINED]),
    )


def _levels(plan: Plan, size: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The plan's columns as rows of those that vary, the row of each column (-1 for none), and the constants.

    A column that serves several places (a stop of both sides) is one row.
    """
    slots = np.full(len(plan.columns), -1, np.int64)
    constants = np.array([column[0] for column in plan.columns], np.float64)
    varying: dict[int, int] = {}
    for place, column in enumerate(plan.columns):
        if column.size > 1:
            slots[place] = varying.setdefault(id(column), len(varying))
    held = {id(column): column for column in plan.columns}
    if len(varying) == 1:  # as it is, without a copy
        [only] = varying
        return np.ascontiguousarray(held[only], np.float64).reshape(1, size), slots, constants
    rows = np.empty((len(varying), size))
    for place, row in varying.items():
        rows[row] = held[place]
    return rows, slots, constants


def _days(plan: Plan) -> tuple[np.ndarray, np.ndarray, np.ndarray, int]:
    """Number and first bar of every bar's trading day, whether its close ends it, and the stride of the three."""
    counts_days = any(exits.days or exits.close_days for exits in plan.time_exits)
    if not (counts_days or holds_back(plan.limits) or len(plan.watched.rules)):
        return np.zeros(1, np.int64), np.zeros(1, np.int64), np.zeros(1, np.uint8), 0
    calendar = plan.dataset.calendar
    number = np.cumsum(calendar.starts_day) - 1
    return number, np.flatnonzero(calendar.starts_day)[number], calendar.ends_day.astype(np.uint8), 1


def _ledger_buffers() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Each thread's ledger columns, kept between runs so that a sweep does not allocate them anew."""
    found: tuple[np.ndarray, np.ndarray, np.ndarray] | None = getattr(_buffers, "ledger", None)
    if found is None:
        found = (
            np.empty((_FIRST_ROWS, kernel.TRADE_INTS), np.int64),
            np.empty((_FIRST_ROWS, kernel.TRADE_FLOATS)),
            np.empty((_FIRST_ROWS, kernel.SKIP_INTS), np.int64),
        )
    return found


def _doubled(table: np.ndarray) -> np.ndarray:
    larger = np.empty((table.shape[0] * 2, table.shape[1]), table.dtype)
    larger[: table.shape[0]] = table
    return larger


def _settings(plan: Plan, account: Account) -> tuple[np.ndarray, np.ndarray]:
    market = plan.dataset.market
    fees = market.commission or account.commission
    in_one = round(1.0 / market.tick)
    exact = in_one >= 1 and abs(1.0 / market.tick - in_one) < 1e-9 * in_one
    whole = np.zeros(kernel.SETTING_INTS, np.int64)
    whole[kernel.I_FIRST], whole[kernel.I_LAST] = plan.first, plan.last
    whole[kernel.I_PATH] = account.same_bar == "path"
    whole[kernel.I_SKIP_SHORT] = account.short_of_margin == "skip"
    whole[kernel.I_OPPOSITE] = plan.opposite
    for row, exits in enumerate(plan.time_exits):
        whole[kernel.I_AFTER_LONG + row], whole[kernel.I_CLOSE_AFTER_LONG + row] = exits.bars, exits.close_bars
        whole[kernel.I_DAYS_LONG + row], whole[kernel.I_CLOSE_DAYS_LONG + row] = exits.days, exits.close_days
    whole[kernel.I_MOVING], whole[kernel.I_LIMITED] = plan.is_moving, holds_back(plan.limits)
    whole[kernel.I_BID] = market.quotes == "bid"
    whole[kernel.I_SPREAD_PERCENT] = market.spread_unit == "percent"
    whole[kernel.I_TICKS_IN_ONE] = in_one if exact else 0
    whole[kernel.I_INVERTED] = plan.inverted
    numbers = np.zeros(kernel.SETTING_FLOATS)
    numbers[kernel.F_TICK] = market.tick
    numbers[kernel.F_VALUE] = market.point_value * market.currency_rate
    numbers[kernel.F_STEP], numbers[kernel.F_MIN_LOT] = market.lot_step, market.min_lot
    numbers[kernel.F_SLIPPAGE] = account.slippage_ticks * market.tick
    numbers[kernel.F_FEE_PERCENT], numbers[kernel.F_FEE_UNIT] = fees.percent, fees.per_unit
    numbers[kernel.F_FEE_ORDER], numbers[kernel.F_FEE_MINIMUM] = fees.per_order, fees.minimum
    numbers[kernel.F_LEVERAGE], numbers[kernel.F_STOP_OUT] = account.leverage, account.stop_out
    numbers[kernel.F_FINANCING_LONG] = market.financing_long
    numbers[kernel.F_FINANCING_SHORT] = market.financing_short
    numbers[kernel.F_CAPITAL] = account.capital
    return whole, numbers
