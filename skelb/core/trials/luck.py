"""How good the best of many tries looks by luck alone: one memory of them all, of the same size however many there
were."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bars, Floats, Ints
from skelb.core.figures import Daily
from skelb.core.trials.bootstrap import block_length, stationary_rows

HISTORIES = 999
LISTED = 10
_DAY_S = 86_400
_AT_ONCE = 100
_ALIKE = 0.8  # correlation from history to history of what looks around the leader
_MARGIN = 7  # a trading day may bear the date of the next morning, a week that of its end
Singles = NDArray[np.float32]


class Histories:
    """Other histories of some bars: how often each civil day comes in each of them.

    Days are drawn in stretches (the stationary bootstrap, Politis and Romano 1994, JASA 89), as long on average as the
    days' own correlations ask for. All tries on the same stored bars, on whatever timeframe, are told by the same
    draws, which keeps what they have in common.
    """

    def __init__(self, bars: Bars, seed: int) -> None:
        """`bars` as they are stored, ascending, at least one; the same seed draws the same."""
        day = bars.time // _DAY_S
        ends = np.flatnonzero(np.append(day[1:] != day[:-1], True))
        self._first = int(day[0]) - _MARGIN
        size = int(day[-1]) + _MARGIN - self._first + 1
        closes = bars.close[ends]
        block = block_length(np.diff(closes)) * size / ends.size  # in civil days
        rng = np.random.default_rng(seed)
        self._counts = np.empty((HISTORIES, size), np.float32)
        for begin in range(0, HISTORIES, _AT_ONCE):
            rows = stationary_rows(size, min(_AT_ONCE, HISTORIES - begin), max(block, 1.0), rng)
            at = rows + size * np.arange(len(rows))[:, None]
            self._counts[begin : begin + len(rows)] = np.bincount(at.ravel(), minlength=at.size).reshape(rows.shape)

    def statistics(self, runs: Sequence[Daily]) -> tuple[Floats, Singles]:
        """How far each run's mean is above 0, and how far luck alone moves it: in its own deviations from history to
        history.

        Shapes (runs,) and (runs, HISTORIES): the mean of the daily changes, and in each history the mean less that of
        all days, both over the deviation of those means (White 2000, Econometrica 68; studentised as by Hansen 2005,
        JBES 23). -inf where the means do not differ.
        """
        found, moved = np.full(len(runs), -np.inf), np.full((len(runs), HISTORIES), -np.inf, np.float32)
        for rows, days in _of_same_days(runs):
            places = days - self._first
            weights = self._counts[:, places[(places >= 0) & (places < self._counts.shape[1])]]
            drawn = weights.sum(axis=1)
            changes = np.array([runs[row].changes for row in rows])
            means = changes.mean(axis=1)
            rest = (changes - means[:, None]).astype(np.float32)
            if weights.shape[1] != days.size:
                continue  # days of other bars
            apart = rest @ weights.T / np.maximum(drawn, 1.0)  # a history without any of these days tells nothing
            deviations = apart.std(axis=1, dtype=np.float64)
            known = deviations > 1e-7 * np.abs(changes).max(axis=1, initial=1e-300)
            at = np.array(rows)[known]
            found[at] = means[known] / deviations[known]
            moved[at] = apart[known] / deviations[known, None].astype(np.float32)
        return found, moved


def _of_same_days(runs: Sequence[Daily]) -> Iterable[tuple[list[int], Ints]]:
    groups: dict[bytes, list[int]] = {}
    for row, run in enumerate(runs):
        if run.days.size > 1:
            groups.setdefault(run.days.tobytes(), []).append(row)
    return ((rows, runs[rows[0]].days) for rows in groups.values())


@dataclass(frozen=True, eq=False)
class Try:
    """A run that somebody could have chosen: what was tried, in words, and what it earned.

    `setting` is the same for the same script with the same inputs, whatever the days.
    """

    label: str
    setting: int
    daily: Daily


@dataclass(frozen=True, eq=False)
class Listed:
    """One of the best tries: its statistic, and what luck alone makes of it in each history, shape (HISTORIES,)."""

    digest: int
    label: str
    statistic: float
    draws: Singles


class Tally:
    """What is kept of all tries on the same bars.

    The largest that luck alone shows, in each history, of everything tried: it can only grow. Who looks around the best
    so far (the leader) would, in another history, have looked around another one, of which nothing is known. So what
    looking around adds there is drawn from the histories in which the leader is high as well (a tenth of them), for
    each stage: what is asked for at once, a trial or the edits of a while.
    """

    def __init__(self) -> None:
        self.rest = _nothing()  # of what is not listed
        self.listed: list[Listed] = []  # best first
        self.settled = _nothing()  # of all up to the stage that found the leader
        self.since = _nothing()  # of what was tried since
        self.near = _nothing()  # of that, what is like the leader
        self.leader: Listed | None = None

    def begin(self) -> None:
        """A new stage: what is best now is known to whoever asks for it."""
        if self.listed and (self.leader is None or self.listed[0].digest != self.leader.digest):
            self.settled = self.largest()
            self.leader, self.since, self.near = self.listed[0], _nothing(), _nothing()

    def add(self, tries: Sequence[Try], histories: Histories) -> None:
        """Take tries in, of which none earned the same as another one or as any before."""
        statistics, moved = histories.statistics([item.daily for item in tries])
        if moved.size:
            self.since = np.maximum(self.since, moved.max(axis=0))
        if self.leader is not None:
            likeness = moved[np.isfinite(statistics)] @ self.leader.draws / HISTORIES  # all have mean 0 and deviation 1
            near = moved[np.isfinite(statistics)][likeness >= _ALIKE]
            self.near = np.maximum.reduce([self.near, *near])
        order = np.argsort(-statistics, kind="stable").tolist()
        best = [row for row in order[:LISTED] if np.isfinite(statistics[row])]
        found = [
            Listed(tries[row].daily.digest, tries[row].label, float(statistics[row]), moved[row].copy()) for row in best
        ]
        ranked = sorted(self.listed + found, key=lambda item: -item.statistic)
        self.listed = ranked[:LISTED]
        left = [item.draws for item in ranked[LISTED:]] + [moved[row] for row in order[len(best) :]]
        self.rest = np.maximum.reduce([self.rest, *left])

    def largest(self, without: Collection[int] = ()) -> Singles:
        """The largest that luck alone shows of all tries, in each history, shape (HISTORIES,); some listed ones left
        out."""
        whole = self.since
        if self.leader is not None:
            alike = np.argsort(self.leader.draws, kind="stable")[-HISTORIES // 10 :]
            gains = np.maximum(self.near[alike] - self.leader.draws[alike], 0.0)
            drawn = np.random.default_rng(HISTORIES).choice(gains, HISTORIES)
            whole = np.maximum(self.settled + drawn, self.since)
        if not without:
            return whole
        plain = np.maximum.reduce([self.rest, *(item.draws for item in self.listed)])
        kept = np.maximum.reduce([self.rest, *(item.draws for item in self.listed if item.digest not in without)])
        gained = np.subtract(whole, plain, out=np.zeros_like(whole), where=np.isfinite(kept))
        return (kept + gained).astype(np.float32)


def by_luck(statistic: float, tallies: Sequence[Sequence[Tally]], without: Collection[int] = ()) -> float:
    """In what share of histories luck alone shows as much as `statistic` in the best of all tries.

    `tallies` market by market, each with those of its bars as they were and are. Markets are taken as independent,
    which is strict; of one market's tallies, which tell mostly of the same days, what is large in one is large in the
    others. (1 + how many reach it) / (1 + HISTORIES).
    """
    largest = _nothing()
    for market in tallies:
        several = [tally.largest(without) for tally in market]
        found = several[-1]
        if len(several) > 1:
            found = np.maximum.reduce([np.sort(item) for item in several])[np.argsort(np.argsort(found))]
        largest = np.maximum(largest, found)
    return float(1 + (largest >= np.float32(statistic)).sum()) / (1 + HISTORIES)


def best_of(tallies: Sequence[Sequence[Tally]]) -> list[tuple[Listed, float]]:
    """The best of all tries, best first, each with how often luck alone shows as much among those not better.

    Stepwise, so that of all that are believed up to some share, one by luck is as rare as that (Romano and Wolf 2005,
    Econometrica 73(4)).
    """
    every = sorted(
        (item for market in tallies for tally in market for item in tally.listed), key=lambda item: -item.statistic
    )
    found: list[tuple[Listed, float]] = []
    better: set[int] = set()
    for item in every[:LISTED]:
        chance = by_luck(item.statistic, tallies, better)
        found.append((item, max(chance, found[-1][1] if found else 0.0)))
        better.add(item.digest)
    return found


def _nothing() -> Singles:
    return np.full(HISTORIES, -np.inf, np.float32)
