# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""What a bar's inside does to levels and resting orders, by the account's policy."""

import numpy as np

from skelb.core.engine.kernel.levels import next_target
from skelb.core.engine.kernel.lots import close_lot, close_lot_apart, close_side_apart, enter, is_for, take_by_rule
from skelb.core.engine.kernel.orders import direction_of, exit_of, is_exit, is_passed, is_stop, may_fill
from skelb.core.engine.kernel.places import account_of, entry_at, goal_at, lot_at, order_at, rules_of
from skelb.core.engine.words import Moment, Reason
from skelb.core.spanning import called, inlined

ENTRIES, EXITS = 0, 1
"""Which orders are looked for: those that may open a lot, or those that can only close."""


@called
def fill_order(order, i, mid, moment, market, run, series):
    """Fill a resting order at `mid`; whether it opened a lot. An entry takes an opposite position out first."""
    slips, closes_only = is_stop(order, run), is_exit(order, market, run)
    judged = order_at(order, market, run).bar
    order_at(order, market, run).is_on = 0
    if order >= rules_of(run).entries:
        take_by_rule(exit_of(order, run), i, mid, slips, moment, market, run, series)
        return False
    if market.side == -entry_at(order, run).side:
        close_side_apart(i, mid, slips, Reason.REVERSE, -1, moment, market, run, series)
    return not closes_only and enter(order, judged, i, mid, moment, slips, market, run, series)


@called
def take_target(n, i, mid, moment, ambiguous, market, run, series):
    """The nearest target of lot n fills at `mid`: the whole lot's, or a part's."""
    lot, lots, side = lot_at(n, market, run), market.lots, market.side
    if lot.whole == lot.target:
        close_lot_apart(n, 100.0, i, mid, False, Reason.TARGET, moment, ambiguous, market, run, series)
        return
    for p in range(rules_of(run).parts):
        goal = goal_at(n, p, market, run)
        if goal.level == lot.target:
            goal.level = side * np.inf
            close_lot_apart(n, goal.share, i, mid, False, Reason.TARGET, moment, ambiguous, market, run, series)
            break
    if market.lots == lots:
        next_target(n, market, run)


# --- what the open has passed ---------------------------------------------------------------------------------------


@called
def fill_passed(i, o, c, moment, market, run, series):
    """Levels and orders that the price `o` has passed fill there: stops, targets, exits, then entries."""
    n = 0
    while n < market.lots:
        side, lots, lot = market.side, market.lots, lot_at(n, market, run)
        if (o - lot.stop) * side <= 0.0:
            close_lot_apart(n, 100.0, i, o, True, lot.kind, moment, 0, market, run, series)
        else:
            while market.lots == lots and (o - lot.target) * side >= 0.0:
                take_target(n, i, o, moment, 0, market, run, series)
        n += 1 if market.lots == lots else 0
    for order in range(rules_of(run).orders):
        if order_at(order, market, run).is_on and is_exit(order, market, run) and is_passed(order, o, market, run):
            fill_order(order, i, o, moment, market, run, series)
    chosen = worse_side_passed(o, c, market, run)
    for e in range(rules_of(run).entries if chosen != 0 else 0):
        if entry_at(e, run).side == chosen and may_fill(e, market, run) and is_passed(e, o, market, run):
            fill_order(e, i, o, moment, market, run, series)


@called
def worse_side_passed(o, c, market, run):
    """The side of the entries that the open has passed; of both sides only the one for which the close is worse."""
    chosen = 0
    for e in range(rules_of(run).entries if rules_of(run).orders > 0 else 0):
        side = entry_at(e, run).side
        worse = chosen == 0 or (c - o) * side < (c - o) * chosen
        if worse and may_fill(e, market, run) and is_passed(e, o, market, run):
            chosen = side
    return chosen


# --- worst ----------------------------------------------------------------------------------------------------------


@called
def nearest_order(which, direction, below, reached, o, high, low, market, run):
    """The touched order below or above the open that lies nearest to it, `reached` away or further; -1 for none.

    `direction` 0 takes orders of both. One that the open had passed already does not fill in this bar.
    """
    found, nearest = -1, np.inf
    for order in range(rules_of(run).orders):
        if not may_fill(order, market, run) or is_exit(order, market, run) != (which == EXITS):
            continue
        if is_passed(order, o, market, run) or (direction != 0 and direction_of(order, run) != direction):
            continue
        price = order_at(order, market, run).price
        touched = low <= price < o if below else o < price <= high
        if touched and abs(price - o) >= reached and abs(price - o) < nearest:
            found, nearest = order, abs(price - o)
    return found


@called
def nearest_entry(side, o, high, low, market, run):
    """The touched entry of a side nearest to the open; of two as near, the one below."""
    under = nearest_order(ENTRIES, side, True, 0.0, o, high, low, market, run)
    over = nearest_order(ENTRIES, side, False, 0.0, o, high, low, market, run)
    if under >= 0 and over >= 0:
        nearer = abs(order_at(under, market, run).price - o) <= abs(order_at(over, market, run).price - o)
        return under if nearer else over
    return under if under >= 0 else over


@called
def enter_inside(e, i, high, low, c, market, run, series):
    """An entry filled inside the bar: its stop counts for this bar too, its targets only if the close is beyond."""
    if not fill_order(e, i, order_at(e, market, run).price, Moment.INSIDE, market, run, series):
        return
    side, n = market.side, market.lots - 1
    lot = lot_at(n, market, run)
    if low <= lot.stop if side > 0 else high >= lot.stop:
        close_lot_apart(n, 100.0, i, lot.stop, True, lot.kind, Moment.INSIDE, 1, market, run, series)
        return
    while market.lots == n + 1 and (c - lot.target) * side >= 0.0:
        take_target(n, i, lot.target, Moment.INSIDE, 0, market, run, series)


@called
def is_new(lot, i, market):
    """Whether a lot was filled inside this bar, or this piece of it: its levels were looked at then."""
    return lot.bar == i and lot.moment == Moment.INSIDE and lot.piece == market.piece


@called
def is_profit_touched(lot, high, low, market, run):
    """1 when a lot's target, or an exit at a limit that is for it, lies inside the bar too."""
    if high >= lot.target if market.side > 0 else low <= lot.target:
        return 1
    for order in range(rules_of(run).orders):
        mine = order_at(order, market, run)
        if mine.is_on == 0 or not is_exit(order, market, run) or is_stop(order, run) or not low <= mine.price <= high:
            continue
        if order < rules_of(run).entries or is_for(exit_of(order, run), lot.rule, run):
            return 1
    return 0


@called
def nearest_lot(against, below, i, o, high, low, market, run):
    """The lot whose stop (`against`) or target is touched nearest to the open; -1 for none."""
    found, nearest = -1, np.inf
    for n in range(market.lots):
        lot = lot_at(n, market, run)
        level = lot.stop if against else lot.target
        hit = low <= level if below else high >= level
        if hit and abs(level - o) < nearest and not is_new(lot, i, market):
            found, nearest = n, abs(level - o)
    return found


@called
def enter_by_worst(i, o, high, low, c, market, run, series):
    """While flat: of both sides' touched entries those of the side for which the close is worse, the nearest first."""
    buy = nearest_entry(1, o, high, low, market, run)
    sell = nearest_entry(-1, o, high, low, market, run)
    chosen = buy if buy >= 0 else sell
    if buy >= 0 and sell >= 0 and order_at(sell, market, run).price - c < c - order_at(buy, market, run).price:
        chosen = sell
    while chosen >= 0:  # further entries of that side while there is room
        side = entry_at(chosen, run).side
        enter_inside(chosen, i, high, low, c, market, run, series)
        chosen = nearest_entry(side, o, high, low, market, run)


@called
def worst_inside(i, o, high, low, c, market, run, series):
    """The inside of a bar, or of a finer one of it, by the policy `worst`."""
    if market.side == 0:
        if rules_of(run).orders > 0:
            enter_by_worst(i, o, high, low, c, market, run, series)
        return
    # The side against the position comes first, on each side of the open what is nearest to it.
    position = market.side
    for against in (True, False):
        below = (position > 0) == against
        reached = 0.0
        while reached >= 0.0:
            reached = worst_next(against, below, reached, i, o, high, low, c, market, run, series)
            if reached == np.inf:  # an entry of another side than the position, or after it, ends the bar
                return
        if market.side != position:
            return


@called
def worst_next(against, below, reached, i, o, high, low, c, market, run, series):
    """What comes next on one side of the open: a level, an exit, or an entry nearer than both; how far it was, -1 for
    nothing, infinite for an entry that turns the position, or comes after it."""
    lot = nearest_lot(against, below, i, o, high, low, market, run)
    nearest = np.inf
    if lot >= 0:
        held = lot_at(lot, market, run)
        nearest = abs((held.stop if against else held.target) - o)
    order = nearest_order(EXITS, 0, below, reached, o, high, low, market, run)
    if order >= 0 and not abs(order_at(order, market, run).price - o) < nearest:
        order = -1
    if order >= 0:
        nearest = abs(order_at(order, market, run).price - o)
    entry = nearest_order(ENTRIES, 0, below, reached, o, high, low, market, run)
    if entry >= 0 and abs(order_at(entry, market, run).price - o) < nearest:
        nearest = abs(order_at(entry, market, run).price - o)
        if entry_at(entry, run).side != market.side:
            nearest = np.inf
        enter_inside(entry, i, high, low, c, market, run, series)
    elif order >= 0:
        fill_order(order, i, order_at(order, market, run).price, Moment.INSIDE, market, run, series)
    elif lot >= 0 and against:
        held = lot_at(lot, market, run)
        both = is_profit_touched(held, high, low, market, run)
        close_lot_apart(lot, 100.0, i, held.stop, True, held.kind, Moment.INSIDE, both, market, run, series)
    elif lot >= 0:
        take_target(lot, i, lot_at(lot, market, run).target, Moment.INSIDE, 0, market, run, series)
    else:
        return -1.0
    return nearest


# --- path -----------------------------------------------------------------------------------------------------------


@inlined
def is_high_first(o, high, low, market):
    """Whether the path goes to the high first: the nearer extreme, by a thousandth of a tick at least."""
    return abs(o - high) < abs(o - low) - market.tick / 1000.0


@inlined
def comes_along(price, at, end, up):
    """Whether a price lies on the way from `at` to `end`, up or down."""
    return at <= price <= end if up else end <= price <= at


@called
def path_order(o, at, end, up, market, run):
    """The order that price meets first on its way, exits before entries; -1 for none."""
    found, nearest = -1, np.inf
    for which in (EXITS, ENTRIES):
        for order in range(rules_of(run).orders):
            if not may_fill(order, market, run) or is_exit(order, market, run) != (which == EXITS):
                continue
            if is_passed(order, o, market, run):
                continue
            # Going up fills stops that buy and limits that sell, going down the others.
            meets_upwards = (direction_of(order, run) > 0) == is_stop(order, run)
            price = order_at(order, market, run).price
            if meets_upwards == up and comes_along(price, at, end, up) and abs(price - at) < nearest:
                found, nearest = order, abs(price - at)
    return found


@called
def path_lot(at, end, up, market, run):
    """The lot whose level price meets first on its way: stops against the position, else targets; -1 for none."""
    found, nearest = -1, np.inf
    stop_ahead = (market.side < 0) == up
    for n in range(market.lots):
        lot = lot_at(n, market, run)
        level = lot.stop if stop_ahead else lot.target
        if comes_along(level, at, end, up) and abs(level - at) < nearest:
            found, nearest = n, abs(level - at)
    return found


@called
def path_inside(i, o, high, low, c, market, run, series):
    """The bar's inside by the policy `path`: everything fills where price comes along, nearer extreme first."""
    high_first = is_high_first(o, high, low, market)
    at = o
    for leg in range(3):
        end = c if leg == 2 else (high if high_first == (leg == 0) else low)
        up = end >= at
        while True:
            stop_ahead = (market.side < 0) == up
            order, n = path_order(o, at, end, up, market, run), path_lot(at, end, up, market, run)
            level = np.nan
            if n >= 0:
                level = lot_at(n, market, run).stop if stop_ahead else lot_at(n, market, run).target
            if order >= 0 and (n < 0 or abs(order_at(order, market, run).price - at) < abs(level - at)):
                at = order_at(order, market, run).price
                fill_order(order, i, at, Moment.INSIDE, market, run, series)
            elif n >= 0:
                lot = lot_at(n, market, run)
                both = 1 if low <= lot.stop <= high and low <= lot.target <= high else 0
                at = level
                if stop_ahead:
                    close_lot_apart(n, 100.0, i, at, True, lot.kind, Moment.INSIDE, both, market, run, series)
                else:
                    take_target(n, i, at, Moment.INSIDE, both, market, run, series)
            else:
                break
        at = end


# --- which of them --------------------------------------------------------------------------------------------------


@inlined
def is_met(i, market, run, series):
    """Whether bar i reaches any level or order at all."""
    high, low, side = series.highs[i], series.lows[i], market.side
    for n in range(market.lots):
        lot = lot_at(n, market, run)
        nearest, furthest = (lot.stop, lot.target) if side > 0 else (lot.target, lot.stop)
        if low <= nearest or high >= furthest:
            return True
    for order in range(rules_of(run).orders):
        mine = order_at(order, market, run)
        if mine.is_on:
            # Limits that buy and stops that sell are met from above, the others from below.
            above = (direction_of(order, run) > 0) != is_stop(order, run)
            if low <= mine.price if above else high >= mine.price:
                return True
    return False


@called
def inside_in_full(i, market, run, series):
    """Levels and orders inside bar i, with its finer bars where the account asks for them and there are any."""
    market.piece = 0
    first = end = 0
    if account_of(run).in_detail:
        first, end = series.piece_starts[i], series.piece_starts[i + 1]
    if end - first > 1:
        for piece in range(first, end):
            market.piece = piece - first
            o, c = series.pieces[0, piece], series.pieces[3, piece]
            moment = Moment.OPEN if piece == first else Moment.INSIDE
            fill_passed(i, o, c, moment, market, run, series)
            worst_inside(i, o, series.pieces[1, piece], series.pieces[2, piece], c, market, run, series)
        return
    o, high, low, c = series.opens[i], series.highs[i], series.lows[i], series.closes[i]
    fill_passed(i, o, c, Moment.OPEN, market, run, series)
    if account_of(run).is_path:
        path_inside(i, o, high, low, c, market, run, series)
    else:
        worst_inside(i, o, high, low, c, market, run, series)


@inlined
def simple_inside(i, market, run, series):
    """The inside of a bar for one lot with one target and no orders: at the open when it has passed a level."""
    side, lot = market.side, lot_at(0, market, run)
    o, high, low = series.opens[i], series.highs[i], series.lows[i]
    stop, target = lot.stop, lot.target
    if side > 0:
        stop_gap, target_gap = o <= stop, o >= target
        stop_hit, target_hit = low <= stop, high >= target
    else:
        stop_gap, target_gap = o >= stop, o <= target
        stop_hit, target_hit = high >= stop, low <= target
    if not (stop_hit or target_hit):
        return
    mid, slips, reason, moment, both = o, True, lot.kind, np.int64(Moment.OPEN), 0
    if not stop_gap and target_gap:
        slips, reason = False, np.int64(Reason.TARGET)
    elif not stop_gap:
        moment = np.int64(Moment.INSIDE)
        both = 1 if stop_hit and target_hit else 0
        if both and account_of(run).is_path:
            high_first = is_high_first(o, high, low, market)
            stop_hit = high_first if side < 0 else not high_first
        mid = stop if stop_hit else target
        if not stop_hit:
            slips, reason = False, np.int64(Reason.TARGET)
    close_lot(0, 100.0, i, mid, slips, reason, -1, moment, both, market, run, series)
