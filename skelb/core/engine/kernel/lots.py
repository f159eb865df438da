# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Lots: opened by the fill of an entry or refused, closed whole or in parts, each part a row of the ledger."""

import math

import numpy as np

from skelb.core.engine.kernel.levels import initial_stop, lay_moving, lay_parts, next_target, rounded, whole_target
from skelb.core.engine.kernel.money import (
    fee_of,
    held_now,
    in_steps,
    net_of,
    paid_spread,
    settle,
    tell,
    value_at,
)
from skelb.core.engine.kernel.orders import drop_entries, drop_side, end_exits, others_follow
from skelb.core.engine.kernel.places import account_of, entry_at, exit_at, lot_at, rules_of
from skelb.core.engine.kernel.records import GOAL, LOT
from skelb.core.engine.words import Moment, Reason, Skip
from skelb.core.plan.columns import RuleColumn, SizeForm
from skelb.core.spanning import called, inlined

_LOT, _GOAL = LOT.itemsize, GOAL.itemsize

# --- what limits a day ----------------------------------------------------------------------------------------------


@inlined
def begin_day(i, market, run, series):
    """Counts of the day start anew with its first event."""
    begins = series.days[1, i * rules_of(run).day_stride]
    if market.day != begins:
        market.day = begins
        market.day_entries = 0
        market.day_losses = 0


@called
def is_limit_reached(i, market, run, series):
    """Whether a limit lets no entry happen on bar i's trading day any more."""
    rules = rules_of(run)
    begin_day(i, market, run, series)
    return (
        market.day_entries >= rules.most_entries
        or market.day_losses >= rules.most_losses
        or market.lost_day == market.day
    )


@called
def count_exit(i, net, reason, moment, market, run, series):
    """What limits a day and pauses count of a trade; a limit that it reaches drops what rests to enter."""
    rules = rules_of(run)
    begin_day(i, market, run, series)
    pause = rules.pause_after_exit
    if net < 0.0:
        market.day_losses += 1
        pause = max(pause, rules.pause_after_loss)
    if reason == Reason.STOP or reason == Reason.TRAIL or reason == Reason.BREAKEVEN:
        pause = max(pause, rules.pause_after_stop)
    market.paused_until = max(market.paused_until, i + pause)
    if market.day_losses >= rules.most_losses:
        drop_entries(i, Skip.LIMIT, moment, market, run, series)


# --- out ------------------------------------------------------------------------------------------------------------


@called
def move_up(n, market, run):
    """Lots after n take the place of the one before them, with their targets of parts."""
    first = market.lots_at + _LOT * n
    for byte in range(first, market.lots_at + _LOT * market.lots):
        run[byte] = run[byte + _LOT]
    size = _GOAL * rules_of(run).parts
    for byte in range(market.goals_at + size * n, market.goals_at + size * market.lots):
        run[byte] = run[byte + size]


@inlined
def end_lot(n, market, run):
    """Take a lot off the list; the order of the others stays."""
    rules = rules_of(run)
    market.lots -= 1
    if n < market.lots:
        move_up(n, market, run)
    if market.lots == 0:
        market.side = 0
        market.exit_due = -1
        account_of(run).positions -= 1
        if rules.orders > 0 or market.due > 0:
            end_exits(market, run)


@inlined
def units_to_close(lot, percent, market):
    """The units that `percent` of a lot's first units come to; what makes it whole takes all that is left."""
    lot.taken += percent
    if lot.taken >= 100.0 - 1e-9:
        return lot.units
    return min(lot.units, in_steps(lot.first_units * percent / 100.0, market.lot_step))


@inlined
def close_lot(n, percent, i, mid, slips, reason, rule, moment, ambiguous, market, run, series):
    """Close a lot, or `percent` of its first units: write the trade and settle the cash."""
    account, lot, side, value = account_of(run), lot_at(n, market, run), market.side, market.value
    units = units_to_close(lot, percent, market)
    if units <= 0.0:
        return
    share = 1.0 if units == lot.units else units / lot.units
    spread = paid_spread(-side, i, mid, market, run, series)
    slippage = market.slippage if slips else 0.0
    price = mid - side * (spread + slippage)
    trade = series.trades[account.trades]
    trade.side = side
    trade.entry_bar = lot.bar
    trade.exit_bar = i
    trade.entry_rule = lot.rule
    trade.reason = reason
    trade.exit_rule = rule
    trade.moment = moment
    trade.ambiguous = ambiguous
    trade.entry_moment = lot.moment
    trade.market = market.number
    trade.ends_lot = share == 1.0
    trade.units = units
    trade.entry_mid = lot.mid
    trade.exit_mid = mid
    trade.entry_price = lot.price
    trade.exit_price = price
    trade.gross = (mid - lot.mid) * side * units * value
    trade.commission = lot.fee * share + fee_of(units, price, market)
    trade.spread = lot.spread * share + spread * units * value
    trade.slippage = lot.slippage * share + slippage * units * value
    trade.financing = lot.financing * share
    net = net_of(trade.gross, trade.commission, trade.spread, trade.slippage, trade.financing)
    account.earned += net
    write_result(trade, lot, mid, net, share, side, units * value, account)
    account.trades += 1
    if share == 1.0:
        end_lot(n, market, run)
    else:
        lot.units -= units
        lot.fee -= lot.fee * share
        lot.spread -= lot.spread * share
        lot.slippage -= lot.slippage * share
        lot.financing -= lot.financing * share
        lot.margin -= lot.margin * share
        lot.open -= lot.open * share
    settle(run)
    if rules_of(run).is_limited:
        count_exit(i, net, reason, moment, market, run, series)


@inlined
def write_result(trade, lot, mid, net, share, side, scale, account):
    """What a trade came to: net, R, excursions in money, its levels at first; `scale` is money per unit of price."""
    # A level or the open ends the life of the trade, so the rest of that bar is not part of its excursions.
    high, low = max(lot.high, mid), min(lot.low, mid)
    best, worst = (high, low) if side > 0 else (low, high)
    risk = lot.risk * scale
    trade.net = net
    trade.risk = lot.risk
    trade.entry_fee = lot.fee * share
    trade.r = net / risk if risk > 0.0 else np.nan
    trade.best = (best - lot.mid) * side * scale
    trade.worst = (worst - lot.mid) * side * scale
    trade.stop = lot.first_stop if math.isfinite(lot.first_stop) else np.nan
    trade.target = lot.first_target if math.isfinite(lot.first_target) else np.nan
    trade.equity = account.earned


@inlined
def close_side(i, mid, slips, reason, rule, moment, market, run, series):
    """Close every lot, the oldest first."""
    while market.lots > 0:
        close_lot(0, 100.0, i, mid, slips, reason, rule, moment, 0, market, run, series)


# The same, compiled once and called: for events that are rare.


@called
def close_lot_apart(n, percent, i, mid, slips, reason, moment, ambiguous, market, run, series):
    """As `close_lot`, by no rule."""
    close_lot(n, percent, i, mid, slips, reason, -1, moment, ambiguous, market, run, series)


@called
def close_side_apart(i, mid, slips, reason, rule, moment, market, run, series):
    """As `close_side`."""
    close_side(i, mid, slips, reason, rule, moment, market, run, series)


@inlined
def is_for(x, e, run):
    """Whether exit rule x is for the lots of entry rule e."""
    return (exit_at(x, run).lots >> e) & 1 != 0


@called
def take_by_rule(x, i, mid, slips, moment, market, run, series):
    """What an exit rule takes: its share of every lot that it is for, the oldest first."""
    n = 0
    while n < market.lots:
        lots = market.lots
        if is_for(x, lot_at(n, market, run).rule, run):
            close_lot(n, exit_at(x, run).share, i, mid, slips, Reason.RULE, x, moment, 0, market, run, series)
        n += 1 if market.lots == lots else 0


# --- in -------------------------------------------------------------------------------------------------------------


@inlined
def units_of(entry, j, price, risk, equity, market, run, series):
    """The units an entry asks for, not rounded; NaN when they are unknown or endless."""
    amount = value_at(entry.column + RuleColumn.SIZE, j, market, run, series)
    most = value_at(entry.column + RuleColumn.MOST, j, market, run, series)
    value = market.value
    if entry.sizing == SizeForm.UNITS:
        units = amount
    elif entry.sizing == SizeForm.CASH:
        units = amount / (price * value)
    elif entry.sizing == SizeForm.PERCENT:
        units = equity * amount / 100.0 / (price * value)
    elif entry.sizing == SizeForm.RISK_PERCENT:
        units = equity * amount / 100.0 / (risk * value)
    else:
        units = amount / (risk * value)
    return min(units, most) if amount == amount and most == most and units < np.inf else np.nan


@inlined
def lay_levels(lot, n, j, side, mid, market, run, series):
    """The levels of a lot about to be opened; 0, or why it is not: what is unknown first, then what is beyond."""
    stop = initial_stop(side, j, mid, market, run, series)
    if stop != stop:
        return Skip.UNKNOWN_LEVEL
    lot.kind = Reason.STOP
    lot.risk = abs(mid - stop) if math.isfinite(stop) else 0.0
    lot.trail = np.inf
    lot.even_once = np.inf
    lot.trail_at_once = 0.0
    first_risk = lot.risk
    lot.first_stop = stop
    if rules_of(run).is_moving:
        if not lay_moving(lot, side, j, mid, first_risk, market, run, series):
            return Skip.UNKNOWN_LEVEL
        if lot.trail < np.inf and lot.trail_once == 0.0:
            level = rounded(mid - side * lot.trail, market)
            if not math.isfinite(stop):  # the trail is the first stop where there is none
                lot.first_stop = level
                lot.risk = abs(mid - level)
            if (level - stop) * side > 0.0:
                stop = level
                lot.kind = Reason.TRAIL
    lot.stop = stop
    target = whole_target(side, j, mid, lot.risk, market, run, series)
    if target != target:
        return Skip.UNKNOWN_LEVEL
    lot.whole = target
    refused = 0
    if rules_of(run).parts > 0:
        refused = lay_parts(n, j, side, mid, lot.risk, market, run, series)
        if refused == Skip.UNKNOWN_LEVEL:
            return refused
    if (stop - mid) * side >= 0.0:
        return Skip.BEYOND_STOP
    if (target - mid) * side <= 0.0:
        return Skip.BEYOND_TARGET
    return refused


@inlined
def open_lot(e, j, i, mid, moment, slips, market, run, series):
    """Fill entry rule e's order, judged at bar j, at `mid`; 0 when it filled, else why it did not."""
    account, rules, entry, n = account_of(run), rules_of(run), entry_at(e, run), market.lots
    side, lot = entry.side, lot_at(n, market, run)
    refused = lay_levels(lot, n, j, side, mid, market, run, series)
    if refused != 0:
        return refused
    spread = paid_spread(side, i, mid, market, run, series)
    slippage = market.slippage if slips else 0.0
    price = mid + side * (spread + slippage)
    profit, margin = held_now(run)
    equity = account.cash + profit
    units = units_of(entry, j, price, lot.risk, equity, market, run, series)
    if units != units:
        return Skip.UNKNOWN_LEVEL
    per_unit = abs(price) * market.value / account.leverage
    free = equity - margin
    is_cut = units * per_unit > free * (1.0 + 1e-9)  # all of the equity fits, however it was rounded
    if is_cut and (account.skips_short or free <= 0.0):
        return Skip.MARGIN
    units = in_steps(free / per_unit if is_cut else units, market.lot_step)
    if not units >= market.min_lot:
        return Skip.LOT_TOO_SMALL
    if n == 0 and account.positions >= account.most_positions:
        return Skip.LIMIT
    if rules.is_limited and is_limit_reached(i, market, run, series):
        return Skip.LIMIT
    account.cuts += is_cut
    account.positions += n == 0
    market.side = side
    market.lots = n + 1
    lot.bar = i if moment != Moment.CLOSE else i + 1  # filled at a close, its entry bar is the next
    lot.moment = moment
    lot.rule = e
    lot.piece = market.piece
    lot.units = units
    lot.first_units = units
    lot.taken = 0.0
    lot.mid = mid
    lot.price = price
    lot.target = lot.whole
    if rules.parts > 0:
        next_target(n, market, run)
    lot.first_target = lot.target
    lot.high = mid
    lot.low = mid
    lot.fee = fee_of(units, price, market)
    lot.spread = spread * units * market.value
    lot.slippage = slippage * units * market.value
    lot.financing = 0.0
    lot.margin = units * per_unit
    lot.open = 0.0
    settle(run)
    if rules.orders > 0 or rules.is_limited:
        after_entry(side, i, moment, market, run, series)
    return 0


@called
def after_entry(side, i, moment, market, run, series):
    """What a fill does to the orders that rest: the other side's follow `opposite`, a limit that is reached drops what
    would enter, a side without room drops the rest of its own."""
    rules = rules_of(run)
    if rules.orders > 0:
        others_follow(side, i, moment, market, run, series)
    if rules.is_limited:
        begin_day(i, market, run, series)
        market.day_entries += 1
        if is_limit_reached(i, market, run, series):
            drop_entries(i, Skip.LIMIT, moment, market, run, series)
    if rules.orders > 0 and market.lots >= rules.room:
        drop_side(side, market, run)


@called
def enter(e, j, i, mid, moment, slips, market, run, series):
    """Open a lot, or write down why not; whether it was opened."""
    refused = open_lot(e, j, i, mid, moment, slips, market, run, series)
    if refused != 0:
        tell(i, entry_at(e, run).side, e, refused, moment, run, series)
    return refused == 0
