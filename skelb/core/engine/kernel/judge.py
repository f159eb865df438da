# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""The rules at a close, on closed values: levels for the next bar, exits, then entries."""

import numpy as np

from skelb.core.engine.kernel.asking import asked_entries, is_yes, keep_known, know_position_apart, make_columns
from skelb.core.engine.kernel.levels import move_levels
from skelb.core.engine.kernel.lots import close_side_apart, enter, is_for, is_limit_reached, take_by_rule
from skelb.core.engine.kernel.money import tell, value_at
from skelb.core.engine.kernel.orders import drop_entries, due_at, end_orders, follow_opposite, has_expired, rest
from skelb.core.engine.kernel.places import account_of, entry_at, exit_at, lot_at, order_at, rules_of, side_of
from skelb.core.engine.words import Moment, Reason, Skip
from skelb.core.plan.columns import Flag, Made, OppositeMode, OrderForm, RuleColumn
from skelb.core.spanning import called, inlined

LONG, SHORT = 1, 2
NEARLY = 1e-12
"""As in comparisons of scripts: equity this near to a limit is at it."""


@inlined
def judge(i, equity, market, run, series):
    """All rules of a market at the close of bar i."""
    rules, flag = rules_of(run), series.flags[i]
    asks = rules.programs > 0 and (market.side != 0 or rules.asks_flat != 0)
    if asks and rules.made & (1 << Made.BEFORE_LEVELS):
        make_columns(Made.BEFORE_LEVELS, i, market, run, series)
    if market.side != 0 and rules.is_moving:
        move_levels(i, market, run, series)
    if asks:
        if rules.made & (1 << Made.BEFORE_EXITS):
            make_columns(Made.BEFORE_EXITS, i, market, run, series)
        know_position_apart(i, market, run, series)
        keep_known(series)
    if rules.is_limited and rules.most_loss < np.inf:
        look_for_lost_day(i, equity, market, run, series)
    left = 0
    if market.side != 0:
        left = judge_exits(i, market, run, series)
    wants = flag & (Flag.ENTER_LONG | Flag.ENTER_SHORT)
    if asks and rules.asks_flat:
        if rules.made & (1 << Made.BEFORE_ENTRIES):
            make_columns(Made.BEFORE_ENTRIES, i, market, run, series)
        know_position_apart(i, market, run, series)
        wants |= asked_entries(i, run, series)
    if rules.orders > 0:
        if has_expired(i, market, run):
            end_orders(i, Skip.EXPIRED, Moment.CLOSE, True, market, run, series)
        if market.side != 0:
            rest_exits(i, market, run, series)
    wants_long, wants_short = (wants & LONG) != 0 and left <= 0, (wants & SHORT) != 0 and left >= 0
    if wants_long or wants_short:
        judge_entries(i, wants_long, wants_short, market, run, series)


@called
def look_for_lost_day(i, equity, market, run, series):
    """Whether this close loses the day: entries that rest are dropped then."""
    rules = rules_of(run)
    begins = series.days[1, i * rules.day_stride]
    before = series.equity[begins - 1] if begins > market.first else account_of(run).capital
    least = before * (1.0 - rules.most_loss / 100.0)
    if equity <= least + NEARLY * max(abs(equity), abs(least)):
        market.lost_day = begins
        drop_entries(i, Skip.LIMIT, Moment.CLOSE, market, run, series)


# --- exits ----------------------------------------------------------------------------------------------------------


@inlined
def time_is_up(i, market, run, series):
    """Whether a time exit is due, counted for the oldest lot: 0 no, 1 at the next open, 2 at this close."""
    mine, entered = side_of(market.side, run), lot_at(0, market, run).bar
    held = i - entered + 1
    if 0 < mine.close_after_bars <= held:
        return 2
    due = 1 if 0 < mine.after_bars <= held else 0
    if mine.after_days > 0 or mine.close_after_days > 0:
        stride = rules_of(run).day_stride
        first = series.days[0, entered * stride]
        if 0 < mine.close_after_days <= series.days[0, i * stride] - first + 1 and series.days[2, i * stride] != 0:
            return 2
        passed = series.days[0, (i + 1) * stride] - first
        if 0 < mine.close_after_days <= passed or 0 < mine.after_days <= passed:
            return 1
    return due


@inlined
def judge_exits(i, market, run, series):
    """Exit rules at the close; the side that a rule exits, whose entries then do not happen, or 0.

    Of exits due at this close and at the next open the earlier happens; of several at one fill the first rule counts,
    then time.
    """
    rules, side = rules_of(run), market.side
    flagged = (series.flags[i] & (Flag.EXIT_LONG if side > 0 else Flag.EXIT_SHORT)) != 0
    mask = LONG if side > 0 else SHORT
    at_open, at_close, parts_here, left = -1, -1, False, 0
    for x in range(rules.exits):
        rule = exit_at(x, run)
        if (rule.sides & mask) == 0 or rule.form >= OrderForm.LIMIT or not is_yes(rule, i, flagged, run, series):
            continue
        left = side
        here = rule.form == OrderForm.CLOSE
        if rule.is_whole and here:
            at_close = x if at_close < 0 else at_close
        elif rule.is_whole:
            at_open = x if at_open < 0 else at_open
        else:
            due_at(x, market, run).waits = 2 if here else 1
            market.due += 1
            parts_here = parts_here or here
    time = time_is_up(i, market, run, series)
    if at_close >= 0:
        close_side_apart(i, series.closes[i], True, Reason.RULE, at_close, Moment.CLOSE, market, run, series)
    elif time == 2:
        close_side_apart(i, series.closes[i], True, Reason.TIME, -1, Moment.CLOSE, market, run, series)
    elif at_open >= 0 or time == 1:
        market.exit_due = Reason.RULE if at_open >= 0 else Reason.TIME
        market.exit_rule = at_open
    if parts_here:
        take_parts_here(i, market, run, series)
    return side if time > 0 else left


@called
def take_parts_here(i, market, run, series):
    """Exits of parts, or of some lots, at this close."""
    rules = rules_of(run)
    for x in range(rules.exits):
        due = due_at(x, market, run)
        if due.waits == 2:
            due.waits = 0
            market.due -= 1
            take_by_rule(x, i, series.closes[i], True, Moment.CLOSE, market, run, series)


@called
def rest_exits(i, market, run, series):
    """Exits at a limit or a stop, judged yes, rest from the next bar on; a new one replaces its elder."""
    rules, side = rules_of(run), market.side
    middle = 0.0
    for n in range(market.lots):
        middle += lot_at(n, market, run).mid / market.lots
    for x in range(rules.exits):
        rule = exit_at(x, run)
        if rule.form < OrderForm.LIMIT or (rule.sides & (LONG if side > 0 else SHORT)) == 0:
            continue
        if not is_yes(rule, i, False, run, series):
            continue
        concerned = False
        for n in range(market.lots):
            concerned = concerned or is_for(x, lot_at(n, market, run).rule, run)
        price = value_at(rule.column, i, market, run, series)
        if not concerned or price != price:
            continue
        if rules.is_inverted:
            price = 2.0 * middle - price
        order = rules.entries + 2 * x + (0 if side > 0 else 1)
        rest(order, i, rule.life, price, market, run)


# --- entries --------------------------------------------------------------------------------------------------------


@inlined
def blocked_by(i, market, run, series):
    """Why no entry is decided at the close of bar i, a `Skip`; 0 when nothing stops it."""
    if (series.flags[i] & Flag.BLOCKED) != 0:
        return np.int64(series.blocks[i])
    if not rules_of(run).is_limited:
        return 0
    if is_limit_reached(i, market, run, series):
        return np.int64(Skip.LIMIT)
    return np.int64(Skip.PAUSE) if i < market.paused_until else 0


@called
def has_market_rules(i, run, series):
    """Whether an entry rule of each side is yes and does not rest."""
    return has_market_rule(i, 1, run, series) and has_market_rule(i, -1, run, series)


@inlined
def has_market_rule(i, side, run, series):
    """Whether an entry rule of a side is yes and does not rest."""
    flagged = (series.flags[i] & (Flag.ENTER_LONG if side > 0 else Flag.ENTER_SHORT)) != 0
    for e in range(rules_of(run).entries):
        entry = entry_at(e, run)
        if entry.side == side and entry.form < OrderForm.LIMIT and is_yes(entry, i, flagged, run, series):
            return True
    return False


@called
def is_decided(side, market, run):
    """Whether an entry of a side would be decided in the position as it is."""
    if market.side == -side:
        return rules_of(run).opposite == OppositeMode.REVERSE
    return market.lots < rules_of(run).room


@inlined
def judge_entries(i, wants_long, wants_short, market, run, series):
    """Entries of the sides that are wanted at the close of bar i."""
    blocked = blocked_by(i, market, run, series)
    if blocked != 0:
        if wants_long and is_decided(1, market, run):
            tell(i, 1, -1, blocked, Moment.CLOSE, run, series)
        if wants_short and is_decided(-1, market, run):
            tell(i, -1, -1, blocked, Moment.CLOSE, run, series)
        return
    held = market.side
    only_resting = False
    if held == 0 and wants_long and wants_short and has_market_rules(i, run, series):
        only_resting = True
        tell(i, 1, -1, Skip.BOTH_SIDES, Moment.CLOSE, run, series)
        tell(i, -1, -1, Skip.BOTH_SIDES, Moment.CLOSE, run, series)
    first = -held if held != 0 else 1  # what is against a position comes first, and before adding at a market price
    for turn in range(2):
        side = first if turn == 0 else -first
        if not (wants_long if side > 0 else wants_short):
            continue
        if side == -held and rules_of(run).opposite == OppositeMode.IGNORE:
            continue
        order_entries(i, side, held, only_resting, market, run, series)
        only_resting = only_resting or (side == -held and has_market_rule(i, side, run, series))


@inlined
def order_entries(i, side, held, only_resting, market, run, series):
    """Give the orders of a side's entry rules that are yes, in a position `held` at this close: at this close, at the
    next open, or resting. What waits for the open holds its room against what would fill at this close."""
    rules = rules_of(run)
    flagged = (series.flags[i] & (Flag.ENTER_LONG if side > 0 else Flag.ENTER_SHORT)) != 0
    for e in range(rules.entries):
        entry = entry_at(e, run)
        if entry.side != side or (only_resting and entry.form < OrderForm.LIMIT):
            continue
        if not is_yes(entry, i, flagged, run, series):
            continue
        room = rules.room - (market.lots if market.side == side else 0)
        if entry.form >= OrderForm.LIMIT:
            if room > 0:
                rest_entry(e, i, held, market, run, series)
        elif held == -side and rules.opposite == OppositeMode.EXIT:
            leave_by_opposite(i, side, entry.form, market, run, series)
        elif entry.form == OrderForm.MARKET:
            if room > 0:
                order_at(e, market, run).waits = i
                market.waiting += 1
                leave_by_opposite(i, side, entry.form, market, run, series)
        elif room > market.waiting:
            leave_by_opposite(i, side, entry.form, market, run, series)
            enter(e, i, i, series.closes[i], Moment.CLOSE, True, market, run, series)


@inlined
def leave_by_opposite(i, side, form, market, run, series):
    """An entry of `side` takes a position of the other out: at this close, or at the next open if nothing else does."""
    if market.side != -side:
        return
    if form == OrderForm.CLOSE:
        close_side_apart(i, series.closes[i], True, Reason.REVERSE, -1, Moment.CLOSE, market, run, series)
    elif market.exit_due < 0:
        market.exit_due = Reason.REVERSE
        market.exit_rule = -1


@inlined
def rest_entry(e, i, held, market, run, series):
    """An entry at a limit or a stop rests, as `opposite` lets it beside a position of the other side."""
    entry = entry_at(e, run)
    price = value_at(entry.column + RuleColumn.PRICE, i, market, run, series)
    if price != price:
        tell(i, entry.side, e, Skip.UNKNOWN_LEVEL, Moment.CLOSE, run, series)
        return
    if held == -entry.side and market.side != held and rules_of(run).opposite == OppositeMode.EXIT:
        return  # it was to close a position that is closed
    rest(e, i, entry.life, price, market, run)
    if market.side == -entry.side:
        follow_opposite(e, i, Moment.CLOSE, market, run, series)
