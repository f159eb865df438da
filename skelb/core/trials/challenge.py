"""A funded account's test, begun on every possible day of a run."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.errors import SettingsError

End = Literal["passed", "daily loss", "total loss", "timed out", "unfinished"]


@dataclass(frozen=True)
class Rules:
    """What a challenge asks. Target and losses in percent of the capital at its start, days are trading days.

    A day's loss is counted from the equity at the day before's close, at every bar's close. It is passed at the close of
    the first bar on which the target is reached, at least `least_days` after the start.
    """

    target: float
    daily_loss: float
    total_loss: float
    least_days: int = 0
    most_days: int = 60

    def __post_init__(self) -> None:
        if min(self.target, self.daily_loss, self.total_loss) <= 0:
            raise SettingsError("a challenge's target and losses are above 0 percent")
        if self.least_days < 0 or self.most_days < max(1, self.least_days):
            raise SettingsError("a challenge's days are 0 or more, and at most as many as the most")


@dataclass(frozen=True, eq=False)
class Challenged:
    """Each start day's end and how many trading days it took.

    `unfinished` starts ran into the end of the data before anything was decided; they count in no share.
    """

    starts: Ints
    ends: tuple[End, ...]
    days: Ints

    def share(self, end: End) -> float | None:
        """The share of decided starts that ended so; None when none was decided."""
        decided = sum(item != "unfinished" for item in self.ends)
        return sum(item == end for item in self.ends) / decided if decided else None


def challenge(equity: Floats, day: Ints, capital: float, rules: Rules) -> Challenged:
    """A challenge begun at the first bar of every trading day.

    equity : float64, shape (bars,), at each bar's close; day : int64, shape (bars,), trading days. Profit and loss are
    counted in money from the close before the start, in percent of `capital`: the run's size is that of its capital.
    """
    starts = np.flatnonzero(np.append(True, day[1:] != day[:-1]))
    before = np.concatenate(([capital], equity[:-1]))
    number = np.cumsum(np.append(True, day[1:] != day[:-1])) - 1
    at_open = before[starts][number]  # equity at the close of the day before, for each bar
    fallen = (at_open - equity) / capital * 100.0 >= rules.daily_loss
    ends: list[End] = []
    days: list[int] = []
    for place, start in enumerate(starts):
        until = starts[place + rules.most_days] if place + rules.most_days < starts.size else equity.size
        change = (equity[start:until] - before[start]) / capital * 100.0
        passed = _first((change >= rules.target) & (number[start:until] - place + 1 >= rules.least_days))
        lost, total = _first(fallen[start:until]), _first(change <= -rules.total_loss)
        where = min(passed, lost, total)
        if where < until - start:
            ends.append("total loss" if total == where else "daily loss" if lost == where else "passed")
            days.append(int(number[start + where] - place) + 1)
        else:
            is_whole = place + rules.most_days <= starts.size
            ends.append("timed out" if is_whole else "unfinished")
            days.append(int(number[until - 1] - place) + 1)
    return Challenged(day[starts], tuple(ends), np.array(days, np.int64))


def _first(flags: np.ndarray) -> int:
    """The first true place, or the size when there is none."""
    found = int(np.argmax(flags)) if flags.size else 0
    return found if flags.size and flags[found] else flags.size
