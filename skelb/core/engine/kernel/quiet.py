# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Quiet stretches of one market: bars on which nothing can happen, gone through in tight loops.

A stretch ends at a flag, a touched level or a time limit; that bar, on which something may happen, is gone through in
full.
"""

from skelb.core.engine.kernel.judge import NEARLY
from skelb.core.engine.kernel.orders import is_resting
from skelb.core.engine.kernel.places import account_of, column_at, lot_at, rules_of, side_of
from skelb.core.plan.columns import RATE_COLUMN, Flag, OppositeMode
from skelb.core.spanning import inlined

ALWAYS = Flag.FLAT_OPEN | Flag.FLAT_CLOSE | Flag.NIGHT
ENTERS = Flag.ENTER_LONG | Flag.ENTER_SHORT


@inlined
def is_watchful(market, run):
    """Whether every bar of a position is looked at: levels move, limits count, days or closes end it, rates change."""
    rules = rules_of(run)
    watchful = rules.is_moving != 0 or rules.is_limited != 0 or rules.programs > 0 or rules.orders > 0
    watchful = watchful or column_at(RATE_COLUMN, market, run).row >= 0
    for k in range(2):
        side = side_of(1 - 2 * k, run)
        watchful = watchful or side.close_after_bars > 0 or side.after_days > 0 or side.close_after_days > 0
    return watchful


@inlined
def ruin_line(account, margin):
    """Equity at or below which the account is closed."""
    line = account.stop_out * margin
    return line + NEARLY * abs(line)


@inlined
def pass_quiet_bars(i, last, watchful, market, run, series):
    """The first bar from i on where something may happen in the one market there is; writes the equity before it."""
    if market.waiting > 0 or market.exit_due >= 0 or market.due > 0:
        return i
    if market.side == 0:
        return pass_flat(i, last, market, run, series)
    if watchful or market.lots > 1:
        return i
    return pass_held(i, last, market, run, series)


@inlined
def pass_flat(i, last, market, run, series):
    """Bars without a position, up to one that may enter."""
    rules, cash = rules_of(run), account_of(run).cash
    if cash > 0.0 and rules.asks_flat == 0 and not (rules.orders > 0 and is_resting(market, run)):
        equity, flags = series.equity, series.flags
        while i < last and (flags[i] & ENTERS) == 0:
            equity[i] = cash
            i += 1
    return i


@inlined
def pass_held(i, last, market, run, series):
    """Bars of one lot with fixed levels, up to one that may end it, turn it or add to it."""
    equity, flags, highs, lows, closes = series.equity, series.flags, series.highs, series.lows, series.closes
    account, rules, lot, side = account_of(run), rules_of(run), lot_at(0, market, run), market.side
    cash = account.cash
    after = side_of(side, run).after_bars
    bound = last
    if after > 0:
        bound = min(bound, lot.bar + after - 1)
    stop, target, price = lot.stop, lot.target, lot.price
    scale = lot.units * market.value * side
    line = ruin_line(account, lot.margin)
    top, bottom = lot.high, lot.low
    adds = rules.room > 1
    turns = rules.opposite != OppositeMode.IGNORE
    if side > 0:
        mask = Flag.EXIT_LONG | ALWAYS | (Flag.ENTER_SHORT if turns else 0) | (Flag.ENTER_LONG if adds else 0)
        while i < bound:
            low = lows[i]
            high = highs[i]
            if (flags[i] & mask) != 0 or low <= stop or high >= target:
                break
            now = cash + (closes[i] - price) * scale
            if now <= line:
                break
            equity[i] = now
            top = max(top, high)
            bottom = min(bottom, low)
            i += 1
    else:
        mask = Flag.EXIT_SHORT | ALWAYS | (Flag.ENTER_LONG if turns else 0) | (Flag.ENTER_SHORT if adds else 0)
        while i < bound:
            low = lows[i]
            high = highs[i]
            if (flags[i] & mask) != 0 or high >= stop or low <= target:
                break
            now = cash + (closes[i] - price) * scale
            if now <= line:
                break
            equity[i] = now
            top = max(top, high)
            bottom = min(bottom, low)
            i += 1
    lot.high = top
    lot.low = bottom
    if i > 0:
        lot.open = (closes[i - 1] - price) * scale
    return i
