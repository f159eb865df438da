# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Quiet stretches: bars on which nothing can happen, gone through in tight loops.

A stretch ends at a flag, a touched level or order, a time limit, an exit rule on the position that is yes; that bar, on
which something may happen, is gone through in full.
"""

from enum import IntEnum

import numpy as np

from skelb.core.engine.kernel.asking import asked_exits
from skelb.core.engine.kernel.judge import NEARLY
from skelb.core.engine.kernel.levels import move_levels
from skelb.core.engine.kernel.orders import direction_of, is_stop
from skelb.core.engine.kernel.places import (
    account_of,
    column_at,
    entry_at,
    exit_at,
    lot_at,
    market_at,
    order_at,
    rules_of,
    side_of,
)
from skelb.core.plan.columns import RATE_COLUMN, Flag, OppositeMode, OrderForm
from skelb.core.spanning import called, inlined

FLAT = Flag.FLAT_OPEN | Flag.FLAT_CLOSE
ENTERS = Flag.ENTER_LONG | Flag.ENTER_SHORT
NEVER = np.iinfo(np.int64).max


class Watch(IntEnum):
    """What the bars of a position need: nothing but fixed levels, a look at what moves, rests or asks, or all."""

    LEVELS = 0
    MOVES = 1
    ALL = 2


@called
def watch_of(market, run):
    """How the bars of a position are gone through."""
    rules = rules_of(run)
    all_of_it = rules.made != 0 or rules.most_loss < np.inf or column_at(RATE_COLUMN, market, run).row >= 0
    for k in range(2):
        side = side_of(1 - 2 * k, run)
        all_of_it = all_of_it or side.after_days > 0 or side.close_after_days > 0
    for e in range(rules.entries):
        all_of_it = all_of_it or entry_at(e, run).program >= 0
    for x in range(rules.exits):
        all_of_it = all_of_it or exit_at(x, run).form >= OrderForm.LIMIT
    if all_of_it:
        return np.int64(Watch.ALL)
    moves = rules.is_moving != 0 or rules.programs > 0 or rules.orders > 0
    return np.int64(Watch.MOVES if moves else Watch.LEVELS)


@inlined
def ruin_line(account, margin):
    """Equity at or below which the account is closed."""
    line = account.stop_out * margin
    return line + NEARLY * abs(line)


@inlined
def pass_quiet_bars(i, last, watch, market, run, series):
    """The first bar from i on where something may happen in the one market there is; writes the equity before it."""
    if market.waiting > 0 or market.exit_due >= 0 or market.due > 0:
        return i
    if market.side == 0:
        return pass_flat(i, last, market, run, series)
    if watch == Watch.ALL or market.lots > 1:
        return i
    if watch == Watch.MOVES:
        return pass_moving(i, last, market, run, series)
    return pass_held(i, last, market, run, series)


# --- without a position ---------------------------------------------------------------------------------------------


@inlined
def pass_flat(i, last, market, run, series):
    """Bars without a position, up to one that may enter."""
    rules, cash = rules_of(run), account_of(run).cash
    if not cash > 0.0 or rules.asks_flat != 0:
        return i
    if rules.orders > 0:
        return pass_resting(i, last, market, run, series)
    equity, flags = series.equity, series.flags
    while i < last and (flags[i] & ENTERS) == 0:
        equity[i] = cash
        i += 1
    return i


@called
def lines_of(market, run):
    """The prices that meet a resting order from above and from below, and the first bar on which one expires."""
    below, above, until = -np.inf, np.inf, NEVER
    for order in range(rules_of(run).orders):
        mine = order_at(order, market, run)
        if mine.is_on == 0:
            continue
        until = min(until, mine.until)
        # Limits that buy and stops that sell are met from above, the others from below.
        if (direction_of(order, run) > 0) != is_stop(order, run):
            below = max(below, mine.price)
        else:
            above = min(above, mine.price)
    return below, above, until


@called
def pass_resting(i, last, market, run, series):
    """Bars without a position and with orders that rest, if there are any, up to one that may do something to them."""
    equity, flags, highs, lows = series.equity, series.flags, series.highs, series.lows
    below, above, until = lines_of(market, run)
    if until < NEVER and rules_of(run).most_loss < np.inf:  # what a position that ended at the close before has lost
        return i  # is seen at this close, and drops what rests
    cash, bound = account_of(run).cash, min(last, until)
    mask = ENTERS | (FLAT if until < NEVER else 0)
    while i < bound and (flags[i] & mask) == 0 and lows[i] > below and highs[i] < above:
        equity[i] = cash
        i += 1
    return i


# --- with a position ------------------------------------------------------------------------------------------------


@inlined
def events_of(side, run):
    """The flags that end a stretch of a position."""
    rules = rules_of(run)
    own, other = (Flag.ENTER_LONG, Flag.ENTER_SHORT) if side > 0 else (Flag.ENTER_SHORT, Flag.ENTER_LONG)
    mask = FLAT | Flag.NIGHT | (Flag.EXIT_LONG if side > 0 else Flag.EXIT_SHORT)
    if rules.opposite != OppositeMode.IGNORE:
        mask |= other
    return mask | own if rules.room > 1 else mask


@inlined
def time_bound(lot, last, market, run):
    """The bar at whose close a time exit is due, or the last."""
    side = side_of(market.side, run)
    if side.after_bars > 0:
        last = min(last, lot.bar + side.after_bars - 1)
    if side.close_after_bars > 0:
        last = min(last, lot.bar + side.close_after_bars - 1)
    return last


@inlined
def pass_held(i, last, market, run, series):
    """Bars of one lot with fixed levels, up to one that may end it, turn it or add to it."""
    equity, flags, highs, lows, closes = series.equity, series.flags, series.highs, series.lows, series.closes
    lot, side, cash = lot_at(0, market, run), market.side, account_of(run).cash
    bound = time_bound(lot, last, market, run)
    stop, target, price = lot.stop, lot.target, lot.price
    scale = lot.units * market.value * side
    line = ruin_line(account_of(run), lot.margin)
    top, bottom = lot.high, lot.low
    mask = events_of(side, run)
    if side > 0:  # a loop for each side: the comparisons are most of what a bar costs
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


@called
def pass_moving(i, last, market, run, series):
    """Bars of one lot whose levels move, beside which orders rest or exit rules ask for the position."""
    equity, flags, highs, lows, closes = series.equity, series.flags, series.highs, series.lows, series.closes
    rules, lot, side, cash = rules_of(run), lot_at(0, market, run), market.side, account_of(run).cash
    below, above, until = lines_of(market, run)
    bound, mask = min(time_bound(lot, last, market, run), until), events_of(side, run)
    price, scale, line = lot.price, lot.units * market.value * side, ruin_line(account_of(run), lot.margin)
    stop, target = lot.stop, lot.target
    begun = i
    while i < bound and (flags[i] & mask) == 0:
        low, high = lows[i], highs[i]
        if low <= below or high >= above:
            break
        if (low <= stop or high >= target) if side > 0 else (high >= stop or low <= target):
            break
        now = cash + (closes[i] - price) * scale
        if now <= line:
            break
        lot.high = max(lot.high, high)
        lot.low = min(lot.low, low)
        kind = lot.kind
        if rules.is_moving:
            move_levels(i, market, run, series)
        if rules.programs > 0 and asked_exits(i, market, run, series):
            lot.stop = stop  # that bar begins with the level it was reached with
            lot.kind = kind
            break
        stop = lot.stop
        equity[i] = now
        i += 1
    if i > begun:
        lot.open = (closes[i - 1] - price) * scale
    return i


# --- several markets ------------------------------------------------------------------------------------------------


@inlined
def busy_bars(begin, stop, alone, watch, run, series):
    """The bars of a moment on which something may happen, into `series.busy`; how many there are."""
    if alone:
        series.busy[0] = begin
        return 1
    may_be_quiet = watch == Watch.LEVELS and rules_of(run).asks_flat == 0
    count = 0
    for place in range(begin, stop):
        i = series.order[place]
        market = market_at(series.market_of[i], run)
        market.bar = i
        if not (may_be_quiet and is_quiet(i, market, run, series)):
            series.busy[count] = i
            count += 1
    return count


@inlined
def is_quiet(i, market, run, series):
    """Whether nothing can happen on a bar of a market that is flat or has one lot with fixed levels."""
    if market.waiting > 0 or market.exit_due >= 0 or market.due > 0 or market.lots > 1 or i == market.last:
        return False
    flag, side = series.flags[i], market.side
    if side == 0:
        return (flag & ENTERS) == 0
    lot = lot_at(0, market, run)
    if (flag & events_of(side, run)) != 0 or i >= time_bound(lot, market.last, market, run):
        return False
    low, high = series.lows[i], series.highs[i]
    return (low > lot.stop and high < lot.target) if side > 0 else (high < lot.stop and low > lot.target)
