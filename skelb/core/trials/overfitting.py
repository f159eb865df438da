"""How often the setting that was best on some days is below the middle on the others."""

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from skelb.core.bars import Floats, Ints

BLOCKS = 12
_MOST_CELLS = 4_000_000


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
        """Of a run's daily changes in every stretch: how many, their sum, that of their squares; shape (3 * BLOCKS,)."""
        if self.lasts is not None:
            mine = np.searchsorted(self.lasts, days) == part
            days, changes = days[mine], changes[mine]
        at = np.maximum(np.searchsorted(self.begins, days, side="right") - 1, 0)
        return np.concatenate([np.bincount(at, weights, BLOCKS) for weights in (None, changes, changes * changes)])


@dataclass(frozen=True)
class Overfitting:
    """In what share of `ways` to halve the days the best of `settings` on one half was below the middle on the other."""

    probability: float
    ways: int
    settings: int

    @property
    def sentence(self) -> str:
        """The verdict in plain words."""
        return (
            f"Of {self.ways:,} ways to choose the best Sharpe of {self.settings:,} settings on one half of the days, {self.probability:.0%} chose"
            " one that was below the middle on the other half: by chance half of them do."
        )  # fmt: skip


def overfitting(sums: Floats) -> Overfitting | None:
    """The probability of overfitting, by combinatorially symmetric splits.

    sums : float64, shape (settings, 3 * BLOCKS), as `Blocks.sums`; settings with an unknown value do not count. None
    with fewer than two settings.

    Bailey, Borwein, López de Prado and Zhu (2017), "The Probability of Backtest Overfitting", Journal of Computational
    Finance 20(4): of all ways to choose six of twelve stretches, the share in which the setting of the best Sharpe on
    the six ranks at or below the middle of all on the other six. Equals share their rank.
    """
    known = sums[~np.isnan(sums).any(axis=1)].reshape(-1, 3, BLOCKS)
    settings = len(known)
    if settings < 2:
        return None
    chosen = np.array([[place in half for place in range(BLOCKS)] for half in combinations(range(BLOCKS), BLOCKS // 2)], np.float64)  # fmt: skip
    below = 0
    rows = max(1, _MOST_CELLS // settings)
    for begin in range(0, len(chosen), rows):
        halves = chosen[begin : begin + rows]
        inside, outside = _sharpes(known, halves), _sharpes(known, 1.0 - halves)
        best = inside.argmax(axis=1)
        mine = outside[np.arange(len(halves)), best][:, None]
        rank = (outside < mine).sum(axis=1) + ((outside == mine).sum(axis=1) + 1) / 2.0
        below += int((rank <= (settings + 1) / 2.0).sum())
    return Overfitting(below / len(chosen), len(chosen), settings)


def _sharpes(known: Floats, halves: Floats) -> Floats:
    """Mean over deviation of every setting on the days of each half, shape (halves, settings); 0 without spread."""
    count, total, squares = (halves @ known[:, place].T for place in range(3))
    mean = total / np.maximum(count, 1.0)
    variance = squares / np.maximum(count, 1.0) - mean * mean
    is_known = variance > 1e-12 * np.maximum(squares, 1e-300) / np.maximum(count, 1.0)
    return np.asarray(np.where(is_known, mean / np.sqrt(np.where(is_known, variance, 1.0)), 0.0))
