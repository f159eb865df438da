# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Levels: stops and targets as they are laid at a fill, and how trails and break-even move them."""

import math

import numpy as np

from skelb.core.engine.kernel.money import value_at
from skelb.core.engine.kernel.places import goal_at, lot_at, part_at, rules_of, side_of
from skelb.core.engine.words import Reason, Skip
from skelb.core.plan.columns import Column, DistanceUnit
from skelb.core.spanning import called, inlined

REACHED = 1e-6
"""The share of a tick by which a move may fall short of a threshold that it reaches with a pencil."""


@inlined
def rounded(x, market):
    """A level on the tick grid; infinite and unknown levels pass through."""
    if not math.isfinite(x):
        return x
    k = np.floor(abs(x) / market.tick + 0.5 + 1e-9)
    level = k / market.ticks_in_one if market.ticks_in_one > 0 else k * market.tick
    return level if x >= 0.0 else -level


@inlined
def percent_of(mid, percent):
    """A percentage of a price as a distance, which is positive for negative prices too; infinite without the rule."""
    return abs(mid) * percent / 100.0 if percent < np.inf or percent != percent else np.inf


@inlined
def in_price(amount, unit, mid, risk):
    """A distance in price units; infinite without the rule."""
    if unit == DistanceUnit.PRICE:
        return amount
    return percent_of(mid, amount) if unit == DistanceUnit.PERCENT else amount * risk


@inlined
def initial_stop(side, j, mid, market, run, series):
    """The stop laid at a fill of an entry judged at bar j: infinite without a rule, NaN when it is unknown."""
    first = side_of(side, run).columns
    price = value_at(first + Column.STOP_PRICE, j, market, run, series)
    percent = value_at(first + Column.STOP_PERCENT, j, market, run, series)
    at = value_at(first + Column.STOP_AT, j, market, run, series)
    if price != price or percent != percent or at != at:
        return np.nan
    if rules_of(run).is_inverted:  # prices are those of the other side: mirrored about the fill
        at = 2.0 * mid - at
    by_distance = mid - side * min(price, percent_of(mid, percent))
    return rounded(max(by_distance, at) if side > 0 else min(by_distance, at), market)


@inlined
def whole_target(side, j, mid, risk, market, run, series):
    """The target of a whole lot laid at a fill: infinite without a rule, NaN when it is unknown."""
    first = side_of(side, run).columns
    price = value_at(first + Column.TARGET_PRICE, j, market, run, series)
    percent = value_at(first + Column.TARGET_PERCENT, j, market, run, series)
    in_r = value_at(first + Column.TARGET_R, j, market, run, series)
    at = value_at(first + Column.TARGET_AT, j, market, run, series)
    if price != price or percent != percent or in_r != in_r or at != at:
        return np.nan
    if rules_of(run).is_inverted:
        at = 2.0 * mid - at
    nearest = min(price, percent_of(mid, percent))
    if math.isfinite(in_r):
        nearest = min(nearest, in_r * risk)
    by_distance = mid + side * nearest
    return rounded(min(by_distance, at) if side > 0 else max(by_distance, at), market)


@called
def lay_parts(n, j, side, mid, risk, market, run, series):
    """The targets of a lot's parts; 0 when all are ahead, else why the entry does not happen, what is unknown first."""
    beyond = False
    for p in range(rules_of(run).parts):
        part, goal = part_at(p, run), goal_at(n, p, market, run)
        goal.level = side * np.inf
        goal.share = part.share
        if (part.sides & (1 if side > 0 else 2)) == 0:
            continue
        amount = value_at(part.column, j, market, run, series)
        if amount != amount:
            return Skip.UNKNOWN_LEVEL
        if part.unit == DistanceUnit.AT:
            level = 2.0 * mid - amount if rules_of(run).is_inverted else amount
        else:
            level = mid + side * in_price(amount, part.unit, mid, risk)
        goal.level = rounded(level, market)
        beyond = beyond or (goal.level - mid) * side <= 0.0
    return Skip.BEYOND_TARGET if beyond else 0


@called
def next_target(n, market, run):
    """Find the nearest target that a lot still has, its whole or a part's."""
    lot = lot_at(n, market, run)
    found = lot.whole
    for p in range(rules_of(run).parts):
        level = goal_at(n, p, market, run).level
        found = min(found, level) if market.side > 0 else max(found, level)
    lot.target = found


@called
def lay_moving(lot, side, j, mid, risk, market, run, series):
    """A lot's distances of levels that move, as they are at the entry's judgement; whether all are known."""
    mine = side_of(side, run)
    first = mine.columns
    trail = value_at(first + Column.TRAIL, j, market, run, series)
    trail_once = value_at(first + Column.TRAIL_ONCE, j, market, run, series)
    at_once = value_at(first + Column.TRAIL_AT_ONCE, j, market, run, series)
    even_once = value_at(first + Column.EVEN_ONCE, j, market, run, series)
    even_plus = value_at(first + Column.EVEN_PLUS, j, market, run, series)
    lot.trail = in_price(trail, mine.trail_unit, mid, risk)
    lot.trail_once = in_price(trail_once, mine.trail_once_unit, mid, risk)
    lot.trail_at_once = in_price(at_once, mine.trail_at_once_unit, mid, risk)
    lot.even_once = in_price(even_once, mine.even_once_unit, mid, risk)
    lot.even_plus = in_price(even_plus, mine.even_plus_unit, mid, risk)
    known = trail == trail and trail_once == trail_once and at_once == at_once
    return known and even_once == even_once and even_plus == even_plus


@inlined
def tighten(lot, level, kind, market):
    """Move a lot's stop to a level if that is nearer to price."""
    if (level - lot.stop) * market.side > 0.0:
        lot.stop = level
        lot.kind = kind


@inlined
def move_levels(i, market, run, series):
    """After a bar's extremes are known: the trailing and break-even levels for the next bar; they only tighten."""
    side = market.side
    at = value_at(side_of(side, run).columns + Column.TRAIL_AT, i, market, run, series)
    for n in range(market.lots):
        lot = lot_at(n, market, run)
        best = lot.high if side > 0 else lot.low
        moved = (best - lot.mid) * side + market.tick * REACHED
        if lot.trail < np.inf and moved >= lot.trail_once:
            tighten(lot, rounded(best - side * lot.trail, market), Reason.TRAIL, market)
        if math.isfinite(at) and moved >= lot.trail_at_once:
            price = 2.0 * lot.mid - at if rules_of(run).is_inverted else at
            tighten(lot, rounded(price, market), Reason.TRAIL, market)
        if moved >= lot.even_once:
            tighten(lot, rounded(lot.mid + side * lot.even_plus, market), Reason.BREAKEVEN, market)
