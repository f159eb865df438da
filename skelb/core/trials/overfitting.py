"""How often the setting that was best on some days is below the middle on the others."""

import math
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.compiled import njit

BLOCKS = 12
_MOST_SETTINGS = 20_000  # more of them tell no better, and would take seconds


@dataclass(frozen=True, eq=False)
class Blocks:
    """The days of a trial in twelve stretches of one length: `begins`, the first day of each, shape (BLOCKS,).

    `lasts` are the last days of a walk-forward's windows: each day is taken from the first window that has it.
    """

    begins: Ints
    lasts: Ints | None = None

    @classmethod
    def of(cls, days: Ints, lasts: Ints | None = None) -> "Blocks | None":
        """The stretches of trading days, ascending; None where there are too few."""
        if days.size < 2 * BLOCKS:
            return None
        return cls(np.array([part[0] for part in np.array_split(days, BLOCKS)], np.int64), lasts)

    def sums(self, part: int, days: Ints, changes: Floats) -> Floats:
        """Of a run's daily changes in every stretch: how many, their sum, that of their squares; shape (3 *
        BLOCKS,)."""
        if self.lasts is not None:
            mine = np.searchsorted(self.lasts, days) == part
            days, changes = days[mine], changes[mine]
        at = np.maximum(np.searchsorted(self.begins, days, side="right") - 1, 0)
        return np.concatenate([np.bincount(at, weights, BLOCKS) for weights in (None, changes, changes * changes)])


@dataclass(frozen=True)
class Overfitting:
    """In what share of `ways` to halve the days the best of `settings` on one half was below the middle on the
    other."""

    probability: float
    ways: int
    settings: int

    @property
    def sentence(self) -> str:
        """The verdict in plain words."""
        return (
            f"Of {self.ways:,} ways to choose the best Sharpe of {self.settings:,} settings on one half of the days, {self.probability:.0%} chose"  # noqa: E501
            " one that was below the middle on the other half: by chance half of them do."
        )


def overfitting(sums: Floats) -> Overfitting | None:
    """The probability of overfitting, by combinatorially symmetric splits.

    sums : float64, shape (settings, 3 * BLOCKS), as `Blocks.sums`; settings with an unknown value do not count. None
    with fewer than two settings; of more than 20,000 every second, third and so on.

    Bailey, Borwein, López de Prado and Zhu (2017), "The Probability of Backtest Overfitting", Journal of Computational
    Finance 20(4): of all ways to choose six of twelve stretches, the share in which the setting of the best Sharpe on
    the six ranks at or below the middle of all on the other six. Equals share their rank.
    """
    known = sums[~np.isnan(sums).any(axis=1)].reshape(-1, 3, BLOCKS)
    known = known[:: max(1, -(-len(known) // _MOST_SETTINGS))]
    settings = len(known)
    if settings < 2:
        return None
    halves = np.array([[place in half for place in range(BLOCKS)] for half in combinations(range(BLOCKS), BLOCKS // 2)])
    by_stretch = np.ascontiguousarray(known.transpose(1, 2, 0))  # settings side by side: one after the other in memory
    return Overfitting(_below_the_middle(by_stretch, halves) / len(halves), len(halves), settings)


@njit(cache=True, nogil=True, error_model="numpy")
def _below_the_middle(sums: Floats, halves: Bools) -> int:
    """In how many halves the best setting inside is at or below the middle outside; sums : (3, BLOCKS, settings)."""
    settings = sums.shape[2]
    whole, part = np.zeros((3, settings)), np.empty((3, settings))
    inside, outside = np.empty(settings), np.empty(settings)
    for kind in range(3):
        for place in range(halves.shape[1]):
            whole[kind] += sums[kind, place]
    below = 0
    for half in halves:
        part[:] = 0.0
        for kind in range(3):
            for place in range(half.size):
                if half[place]:
                    part[kind] += sums[kind, place]
        for row in range(settings):
            inside[row] = _sharpe(part[0, row], part[1, row], part[2, row])
            outside[row] = _sharpe(
                whole[0, row] - part[0, row], whole[1, row] - part[1, row], whole[2, row] - part[2, row]
            )
        mine = outside[np.argmax(inside)]
        lower, equal = 0, 0
        for row in range(settings):
            lower += outside[row] < mine
            equal += outside[row] == mine
        below += lower + (equal + 1) / 2.0 <= (settings + 1) / 2.0
    return below


@njit(cache=True, nogil=True, error_model="numpy")
def _sharpe(count: float, total: float, squares: float) -> float:
    """Mean over deviation of so many changes by their sums; 0 without spread."""
    if count <= 0.0:
        return 0.0
    mean = total / count
    variance = squares / count - mean * mean
    return mean / math.sqrt(variance) if variance > 1e-12 * squares / count else 0.0
