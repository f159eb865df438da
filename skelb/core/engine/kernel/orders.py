# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Resting orders: which there are, what they would do, and how they end without a fill.

An order's direction is that of its fill: 1 buys, -1 sells. The exits of long positions sell. An entry that may only
close a position is an exit in everything.
"""

from skelb.core.engine.kernel.levels import rounded
from skelb.core.engine.kernel.money import tell
from skelb.core.engine.kernel.places import entry_at, exit_at, order_at, rules_of
from skelb.core.engine.words import Skip
from skelb.core.plan.columns import OppositeMode, OrderForm
from skelb.core.spanning import called, inlined


@inlined
def due_at(x, market, run):
    """What says whether exit rule x, of parts, is due: the first of its orders."""
    return order_at(rules_of(run).entries + 2 * x, market, run)


@inlined
def exit_of(order, run):
    """The number of the exit rule of an order that is not an entry rule's."""
    return (order - rules_of(run).entries) // 2


@called
def direction_of(order, run):
    """1 for an order that buys, -1 for one that sells."""
    entries = rules_of(run).entries
    if order < entries:
        return entry_at(order, run).side
    return -1 if (order - entries) % 2 == 0 else 1


@called
def is_stop(order, run):
    """Whether an order is at a stop, else at a limit."""
    form = entry_at(order, run).form if order < rules_of(run).entries else exit_at(exit_of(order, run), run).form
    return form == OrderForm.STOP


@inlined
def is_exit(order, market, run):
    """Whether an order can only close."""
    return order >= rules_of(run).entries or order_at(order, market, run).closes_only != 0


@called
def is_passed(order, at, market, run):
    """Whether a price `at` fills a resting order: a limit at or better, a stop at or worse."""
    gap = (order_at(order, market, run).price - at) * direction_of(order, run)
    return gap <= 0.0 if is_stop(order, run) else gap >= 0.0


@called
def may_fill(order, market, run):
    """Whether an order rests that may fill in the position as it is now."""
    if order_at(order, market, run).is_on == 0:
        return False
    if is_exit(order, market, run):
        return True  # exits rest only while there is something to close
    return entry_at(order, run).side != market.side or market.lots < rules_of(run).room


@inlined
def rest(order, i, life, price, market, run):
    """Let an order rest from the next bar on; it takes the place of its rule's elder."""
    mine = order_at(order, market, run)
    mine.is_on = 1
    mine.until = i + life
    mine.bar = i
    mine.closes_only = 0
    mine.price = rounded(price, market)


@inlined
def has_expired(i, market, run):
    """Whether this was the last bar of any order."""
    found = False
    for order in range(rules_of(run).orders):
        mine = order_at(order, market, run)
        found = found or (mine.is_on != 0 and mine.until <= i)
    return found


@called
def end_orders(i, reason, moment, only_old, market, run, series):
    """Orders die: all of them, or those whose last bar this was; entries are told with the reason."""
    for order in range(rules_of(run).orders):
        mine = order_at(order, market, run)
        if mine.is_on and (not only_old or mine.until <= i):
            mine.is_on = 0
            if not is_exit(order, market, run):
                tell(i, entry_at(order, run).side, order, reason, moment, run, series)


@called
def drop_entries(i, reason, moment, market, run, series):
    """All entries that rest are dropped and told, because a limit is reached; exits go on."""
    if rules_of(run).orders == 0:
        return
    for order in range(rules_of(run).entries):
        mine = order_at(order, market, run)
        if mine.is_on and mine.closes_only == 0:
            mine.is_on = 0
            tell(i, entry_at(order, run).side, order, reason, moment, run, series)


@called
def drop_side(side, market, run):
    """A side without room drops its resting entries untold."""
    for order in range(rules_of(run).entries):
        if entry_at(order, run).side == side:
            order_at(order, market, run).is_on = 0


@called
def end_exits(market, run):
    """Orders that can only close end with the position, at a price or not."""
    for order in range(rules_of(run).orders):
        if is_exit(order, market, run):
            order_at(order, market, run).is_on = 0
    for x in range(rules_of(run).exits):
        due_at(x, market, run).waits = 0
    market.due = 0


@called
def forget_orders(market, run):
    """All orders end untold."""
    for order in range(rules_of(run).orders):
        order_at(order, market, run).is_on = 0


@called
def follow_opposite(order, i, moment, market, run, series):
    """What becomes of a resting entry when the other side is filled: it may turn the position, close it, or goes."""
    mine = order_at(order, market, run)
    mode = rules_of(run).opposite
    if mine.is_on == 0 or mode == OppositeMode.REVERSE:
        return
    if mode == OppositeMode.EXIT:
        mine.closes_only = 1
    else:
        mine.is_on = 0
        tell(i, entry_at(order, run).side, order, Skip.OPPOSITE, moment, run, series)


@called
def others_follow(side, i, moment, market, run, series):
    """After a fill: the other side's orders follow `opposite`."""
    for order in range(rules_of(run).entries):
        if entry_at(order, run).side == -side:
            follow_opposite(order, i, moment, market, run, series)
