"""Where the signals of a run went."""

from dataclasses import dataclass

import numpy as np

from skelb.core.catalogue import YES
from skelb.core.engine import Moment, Outcome, Skip
from skelb.core.language.tree import Side
from skelb.core.plan.columns import Flag, OppositeMode

IN_POSITION, AGAINST, EXITING, REPLACED = (
    "already in a position",
    "against the position",
    "an exit of the side was yes too",
    "replaced or dropped while resting",
)


@dataclass(frozen=True, slots=True)
class NotTraded:
    """Why signals were not traded, and how many of them."""

    reason: str
    count: int


@dataclass(frozen=True, slots=True)
class Funnel:
    """What became of a side's signals: bars on which an entry rule was yes, lots filled, and why the others were not.

    Of the reasons the most frequent comes first. Signals of rules that ask for the position are known only where they
    led somewhere, so they count when filled or stopped.
    """

    side: Side
    signals: int
    traded: int
    reasons: tuple[NotTraded, ...]

    @property
    def sentence(self) -> str:
        """The funnel in words: `212 signals: 148 already in a position, 40 window, 24 traded`."""
        if self.signals == 0:
            return "no signals"
        listed = [f"{item.count:,} {item.reason}" for item in self.reasons] + [f"{self.traded:,} traded"]
        return f"{self.signals:,} signals: {', '.join(listed)}"


def funnel_of(outcome: Outcome, side: Side) -> Funnel:
    """The funnel of the `long` or `short` signals from the run's first bar to the one before its last."""
    plan, sign = outcome.plan, 1 if side == "long" else -1
    span = slice(outcome.first, outcome.last)
    rules = [(e, rule) for e, rule in enumerate(plan.entries) if rule.side == side]
    signals = np.zeros(len(plan.dataset), np.bool_)
    for e, rule in rules:
        if not plan.rules.signals.asks_position(e):
            signals |= plan.expressions.whole(rule.when) == YES
    lots = _lots_filled(outcome, sign)
    counts: dict[str, int] = {}
    stopped = np.zeros(len(plan.dataset), np.bool_)
    skips = outcome.skips[outcome.skips["side"] == sign]
    # What told of an order's end at a close says nothing of a signal there.
    of_signals = (skips["moment"] == Moment.CLOSE) & ~np.isin(skips["reason"], (Skip.EXPIRED, Skip.END_OF_DATA))
    stopped[skips["bar"][of_signals]] = True
    for reason, count in zip(*np.unique(skips["reason"], return_counts=True), strict=True):
        counts[Skip(int(reason)).word] = int(count)
    exits = (plan.flags & np.uint8(Flag.EXIT_LONG if sign > 0 else Flag.EXIT_SHORT)) != 0
    inside = _side_at_closes(outcome)
    left = signals & ~stopped
    both = left & exits
    left &= ~exits
    held = left & (inside == sign) if plan.rules.room == 1 else np.zeros_like(left)
    against = left & (inside == -sign) if plan.rules.opposite != OppositeMode.REVERSE else np.zeros_like(left)
    for name, where in ((EXITING, both), (IN_POSITION, held), (AGAINST, against)):
        if where[span].any():
            counts[name] = int(np.count_nonzero(where[span]))
    total = int(np.count_nonzero(signals[span])) if rules else 0
    known = lots + sum(counts.values())
    if total > known:  # orders that a newer signal replaced, or that another fill dropped; lots that had no room
        counts[REPLACED if plan.rules.room == 1 else "no room, replaced or dropped"] = total - known
    reasons = (NotTraded(reason, count) for reason, count in sorted(counts.items(), key=lambda item: -item[1]))
    return Funnel(side, max(total, known), lots, tuple(reasons))


def _lots_filled(outcome: Outcome, sign: int) -> int:
    trades = outcome.trades
    return int(np.count_nonzero((trades.ends_lot == 1) & (trades.side == sign)))


def _side_at_closes(outcome: Outcome) -> np.ndarray:
    """1, -1 or 0: the side open when the rules were judged at each bar's close, shape (n,)."""
    change = np.zeros(len(outcome.plan.dataset) + 1, np.int64)
    trades = outcome.trades
    judged = trades.exit_bar + (trades.moment == Moment.CLOSE)
    np.add.at(change, trades.entry_bar, trades.side)
    np.subtract.at(change, np.minimum(judged, change.size - 1), trades.side)
    return np.sign(np.cumsum(change)[:-1])
