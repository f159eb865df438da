"""A funded account's test, begun on every possible day of a run."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.engine import Moment, Outcome
from skelb.core.errors import SettingsError
from skelb.core.figures import side_equity

End = Literal["passed", "daily loss", "total loss", "timed out", "unfinished"]
_ENDS: tuple[End, ...] = ("passed", "daily loss", "total loss", "timed out")
_NORMAL = 1.96


@dataclass(frozen=True)
class Share:
    """How often, 0 to 1, and its 95 % band."""

    share: float
    low: float
    high: float


@dataclass(frozen=True)
class ChallengeRules:
    """What a challenge asks. Target and losses in percent of the capital at its start, days are trading days.

    A day's loss is counted from the equity at the day before's close, at the worst of every bar. It is passed at the
    close of the first bar on which the target is reached, at least `least_days` after the start.
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
    """Each start day's end and how many trading days it took, or was seen to go on where it is `unfinished`."""

    starts: Ints
    ends: tuple[End, ...]
    days: Ints

    def shares(self) -> dict[End, Share] | None:
        """How often a start ends each way; None when none was decided.

        Starts that the data ended count for as long as they were seen (Aalen and Johansen 1978, Scandinavian Journal of
        Statistics 5): left out, the quick ends would weigh too much. The band is that of a mean of what each start adds
        (pseudo-values: Andersen, Klein and Rosthoj 2003, Biometrika 90(1)), with starts that overlap taken together
        (Newey and West 1987).
        """
        causes = np.array([_ENDS.index(end) if end in _ENDS else -1 for end in self.ends])
        if (causes < 0).all():
            return None
        kinds, places = np.unique(np.stack((self.days, causes)), axis=1, return_inverse=True)
        counts = np.bincount(places.ravel(), minlength=kinds.shape[1])
        whole = _incidence(kinds, counts)
        without = np.array([_incidence(kinds, counts - (np.arange(counts.size) == k)) for k in range(counts.size)])
        adds = (counts.sum() * whole - (counts.sum() - 1) * without)[places.ravel()]
        lags = min(int(np.ceil(2 * self.days.mean())), adds.shape[0] - 1)
        return {
            end: _banded(float(whole[k]), adds[:, k], lags, adds.shape[0] / float(self.days.mean()))
            for k, end in enumerate(_ENDS)
        }


def _incidence(kinds: Ints, counts: Ints) -> Floats:
    """How often each end comes, shape (ends,), of starts counted by day and end (-1 for none yet): shape (2, k) and
    (k,)."""
    found, going_on = np.zeros(len(_ENDS)), 1.0
    for day in np.unique(kinds[0]):
        at_risk = int(counts[kinds[0] >= day].sum())
        if at_risk == 0:
            break
        here = kinds[0] == day
        ended = np.array([counts[here & (kinds[1] == k)].sum() for k in range(len(_ENDS))]) / at_risk
        found += going_on * ended
        going_on *= 1.0 - ended.sum()
    return found


def _banded(share: float, adds: Floats, lags: int, apart: float) -> Share:
    """A share with its band: Wilson's (1927, JASA 22) for as many independent starts as these are worth.

    They are worth at most those that fit one after the other, `apart`: a share of 0 has no spread to tell it by.
    """
    rest = adds - adds.mean()
    total = float(rest @ rest)
    for lag in range(1, lags + 1):
        total += 2.0 * (1.0 - lag / (lags + 1)) * float(rest[lag:] @ rest[:-lag])
    spread = share * (1.0 - share)
    worth = min(spread * adds.size**2 / total if total > 0 and spread > 0 else np.inf, apart)
    square = _NORMAL**2 / worth
    middle = (share + square / 2.0) / (1.0 + square)
    reach = np.sqrt(spread * square + square**2 / 4.0) / (1.0 + square)
    return Share(share, max(float(middle - reach), 0.0), min(float(middle + reach), 1.0))


def worst_equity(outcome: Outcome) -> Floats:
    """Equity at the worst price inside each bar, shape (bars,), never above that at its close.

    Of lots that are held through the whole bar, or from its open; those that come or go inside it count at its close.
    """
    trades, first, bars = outcome.trades, outcome.first, outcome.plan.dataset.bars
    span, size = slice(first, outcome.last + 1), outcome.equity.size
    begins, ends = trades.entry_bar - first, trades.exit_bar - first
    units = trades.side * trades.units
    through, price, cost = np.zeros(size + 1), np.zeros(size), np.zeros(size)
    last = ends - (trades.moment != Moment.CLOSE)  # the last bar it is held through
    on_entry = (trades.entry_moment != Moment.INSIDE) & (last >= begins)
    np.add.at(price, begins[on_entry], (units * trades.entry_price)[on_entry])
    np.add.at(cost, begins[on_entry], trades.entry_fee[on_entry])
    later = last > begins
    np.add.at(through, begins[later] + 1, units[later])
    np.add.at(through, last[later] + 1, -units[later])
    held = np.cumsum(through[:-1])
    entered = np.bincount(begins[on_entry], units[on_entry], size)
    before = np.concatenate(([outcome.capital], outcome.equity[:-1]))
    closes = np.concatenate((bars.open[first : first + 1], bars.close[span][:-1]))
    both = held + entered
    moved = both * np.where(both > 0, bars.low[span], bars.high[span]) - held * closes - price
    places = np.arange(first, outcome.last + 1)
    value = outcome.values(places, np.full(size, Moment.CLOSE))
    return np.minimum(before + moved * value - cost, outcome.equity)


def worst_together(outcomes: Sequence[Outcome], equity: Floats) -> Floats:
    """Of a basket: equity at the worst prices of all its bars of a moment at once, shape of `equity`, its record's."""
    spans = [outcome.plan.dataset.bars.time[outcome.first : outcome.last + 1] for outcome in outcomes]
    moments = np.unique(np.concatenate(spans))
    worst = equity.copy()
    for outcome, times in zip(outcomes, spans, strict=True):
        own = side_equity(outcome, np.ones(len(outcome.trades), np.bool_))
        worst[np.searchsorted(moments, times)] -= own - worst_equity(replace(outcome, equity=own))
    return worst


def challenge(
    equity: Floats, day: Ints, capital: float, rules: ChallengeRules, worst: Floats | None = None
) -> Challenged:
    """A challenge begun at the first bar of every trading day.

    equity : float64, shape (bars,), at each bar's close; worst : at its worst inside (as at the close, when None); day
    : int64, shape (bars,), trading days. What is lost comes before what is reached in one bar. Profit and loss are
    counted in money from the close before the start, in percent of `capital`: the run's size is that of its capital.
    """
    starts = np.flatnonzero(np.append(True, day[1:] != day[:-1]))
    before = np.concatenate(([capital], equity[:-1]))
    number = np.cumsum(np.append(True, day[1:] != day[:-1])) - 1
    at_open = before[starts][number]  # equity at the close of the day before, for each bar
    worst = equity if worst is None else worst
    fallen = (at_open - worst) / capital * 100.0 >= rules.daily_loss
    ends: list[End] = []
    days: list[int] = []
    for place, start in enumerate(starts):
        until = starts[place + rules.most_days] if place + rules.most_days < starts.size else equity.size
        change = (equity[start:until] - before[start]) / capital * 100.0
        least = (worst[start:until] - before[start]) / capital * 100.0
        passed = _first((change >= rules.target) & (number[start:until] - place + 1 >= rules.least_days))
        lost, total = _first(fallen[start:until]), _first(least <= -rules.total_loss)
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
