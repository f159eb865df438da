# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""The moments of a bar: its open with the night before it, its inside, its close, and the end of an account."""

from skelb.core.engine.kernel.inside import inside_in_full, is_met, simple_inside
from skelb.core.engine.kernel.lots import close_side, close_side_apart, open_lot, take_by_rule
from skelb.core.engine.kernel.money import settle, tell, value_at
from skelb.core.engine.kernel.orders import due_at, end_orders, forget_orders
from skelb.core.engine.kernel.places import account_of, entry_at, lot_at, market_at, order_at, rules_of
from skelb.core.engine.words import Moment, Reason, Skip
from skelb.core.plan.columns import NIGHTS_COLUMN, RATE_COLUMN, Flag
from skelb.core.spanning import called, inlined


@inlined
def set_rate(i, market, run, series):
    """What one unit earns when price moves by 1, at the rate known at the close of bar i."""
    market.value = market.point_value * value_at(RATE_COLUMN, i, market, run, series)


@inlined
def open_bar(i, market, run, series):
    """The open: financing, forced exits, exits and entries that waited for it."""
    market.bar = i
    set_rate(max(i - 1, market.first), market, run, series)
    flag = series.flags[i]
    if (flag & Flag.NIGHT) != 0 and market.side != 0 and i > market.first:
        pay_night(i, market, run, series)
    if (flag & Flag.FLAT_OPEN) != 0:
        be_flat_at_open(i, market, run, series)
    if market.exit_due >= 0:
        close_side(i, series.opens[i], True, market.exit_due, market.exit_rule, Moment.OPEN, market, run, series)
        market.exit_due = -1
    if market.due > 0:
        take_parts_due(i, market, run, series)
    if market.waiting > 0:
        market.waiting = 0
        rules = rules_of(run)
        for e in range(rules.entries):
            judged = order_at(e, market, run).waits
            if judged >= 0:
                order_at(e, market, run).waits = -1
                if market.lots < rules.room:  # one that was refused has left room for the next
                    refused = open_lot(e, judged, i, series.opens[i], Moment.OPEN, True, market, run, series)
                    if refused != 0:
                        tell(i, entry_at(e, run).side, e, refused, Moment.OPEN, run, series)


@called
def pay_night(i, market, run, series):
    """Financing of the open lots, on their worth at the close before."""
    rate = market.financing_long if market.side > 0 else market.financing_short
    nights = value_at(NIGHTS_COLUMN, i, market, run, series)
    for n in range(market.lots):
        lot = lot_at(n, market, run)
        lot.financing += lot.units * series.closes[i - 1] * market.value * rate / 100.0 / 365.0 * nights
    settle(run)


@called
def be_flat_at_open(i, market, run, series):
    """A flat time: everything is to be closed at this open, entries that wait for it or rest are dropped."""
    market.exit_due = Reason.FLAT
    market.exit_rule = -1
    if market.waiting > 0:
        for e in range(rules_of(run).entries):
            if order_at(e, market, run).waits >= 0:
                tell(i, entry_at(e, run).side, e, Skip.FLAT, Moment.OPEN, run, series)
                order_at(e, market, run).waits = -1
        market.waiting = 0
    end_orders(i, Skip.FLAT, Moment.OPEN, False, market, run, series)


@called
def take_parts_due(i, market, run, series):
    """Exits of parts, or of some lots, that waited for this open."""
    for x in range(rules_of(run).exits):
        due = due_at(x, market, run)
        if due.waits:
            market.due -= 1
            due.waits = 0
            take_by_rule(x, i, series.opens[i], True, Moment.OPEN, market, run, series)


@inlined
def inside_bar(i, in_full, market, run, series):
    """The inside of a bar: levels and resting orders."""
    if in_full:
        if is_met(i, market, run, series):
            inside_in_full(i, market, run, series)
    elif market.side != 0:
        simple_inside(i, market, run, series)


@inlined
def mark(i, market, run, series):
    """At the close: best and worst price since the entry, open profit."""
    set_rate(i, market, run, series)
    side = market.side
    c, high, low = series.closes[i], series.highs[i], series.lows[i]
    for n in range(market.lots):
        lot = lot_at(n, market, run)
        inside = lot.bar == i and lot.moment == Moment.INSIDE
        # Filled inside this bar, its good extreme may have come before the fill: only the close is sure.
        lot.high = max(lot.high, c if inside and side > 0 else high)
        lot.low = min(lot.low, c if inside and side < 0 else low)
        lot.open = (c - lot.price) * (lot.units * market.value * side)


@inlined
def close_bar(i, market, run, series):
    """At the close: what a flat time closes there, and the end of the run."""
    is_last = i == market.last
    if (series.flags[i] & Flag.FLAT_CLOSE) == 0 and not is_last:
        return
    is_flat = (series.flags[i] & Flag.FLAT_CLOSE) != 0
    if is_flat:
        end_orders(i, Skip.FLAT, Moment.CLOSE, False, market, run, series)
    elif is_last:
        end_orders(i, Skip.END_OF_DATA, Moment.CLOSE, False, market, run, series)
    reason = Reason.FLAT if is_flat else Reason.END
    close_side_apart(i, series.closes[i], True, reason, -1, Moment.CLOSE, market, run, series)


@called
def ruin(run, series):
    """Everything is closed at the close that each market came to; the run trades no more."""
    account_of(run).is_ruined = 1
    for k in range(rules_of(run).markets):
        market = market_at(k, run)
        forget_orders(market, run)
        close_side_apart(
            market.bar, series.closes[market.bar], True, Reason.RUIN, -1, Moment.CLOSE, market, run, series
        )
