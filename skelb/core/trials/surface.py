"""Reading the results of a sweep: neighbours, plateau, rocks, views of two axes, fronts."""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import product
from typing import Literal

import numpy as np

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.trials.grid import Axis

_ROCK_FALL = 0.5  # of what a peak is above the median of all: it stands alone where its neighbours lose more
_MOST_DIAGONAL_AXES = 3
_NEAREST = 8

Fold = Literal["middle", "best"]


@dataclass(frozen=True)
class Landmarks:
    """Runs by row: the one with the best neighbourhood, and peaks that stand alone, highest first."""

    plateau: int | None
    rocks: tuple[int, ...]


def places_of(axes: tuple[Axis, ...], numbers: Ints) -> Ints:
    """Where points lie on every axis: int64, shape (axes, n), of numbers of shape (n,)."""
    return np.stack(np.unravel_index(numbers, tuple(len(axis.values) for axis in axes)))


def around(axes: tuple[Axis, ...], numbers: Ints, drawn: bool = False) -> Ints:
    """The rows of each run's neighbours, itself left out: int64, shape (n, m), -1 where there is none.

    On a grid they are the points one step away on any ordered axes, diagonals too; with more than three ordered axes
    one step on one axis only. Of drawn points they are the 8 nearest with the same words, axes scaled to one length.
    """
    steps = [index for index, axis in enumerate(axes) if axis.ordered and len(axis.values) > 1]
    places = places_of(axes, numbers)
    if not steps or numbers.size < 2:
        return np.full((numbers.size, 1), -1)
    return _nearest(axes, places, steps) if drawn else _one_step_away(axes, places, steps, numbers)


def _one_step_away(axes: tuple[Axis, ...], places: Ints, steps: list[int], numbers: Ints) -> Ints:
    moves = np.array(list(product((-1, 0, 1), repeat=len(steps))))
    far = np.abs(moves).sum(axis=1)
    moves = moves[(far > 0) if len(steps) <= _MOST_DIAGONAL_AXES else (far == 1)]
    sizes = np.array([len(axes[index].values) for index in steps])
    strides = np.array([int(np.prod([len(axis.values) for axis in axes[index + 1 :]])) for index in steps])
    order = np.argsort(numbers)
    ordered = numbers[order]
    found = np.full((numbers.size, len(moves)), -1)
    for column, move in enumerate(moves):
        moved = places[steps] + move[:, None]
        wanted = numbers + int(move @ strides)
        rows = np.minimum(np.searchsorted(ordered, wanted), ordered.size - 1)
        is_there = ((moved >= 0) & (moved < sizes[:, None])).all(axis=0) & (ordered[rows] == wanted)
        found[is_there, column] = order[rows[is_there]]
    return found


def _nearest(axes: tuple[Axis, ...], places: Ints, steps: list[int]) -> Ints:
    from scipy.spatial import KDTree  # slow to load, and only drawn sweeps need it

    words = [index for index in range(len(axes)) if index not in steps]
    scaled = places[steps].T / np.array([len(axes[index].values) - 1 for index in steps])
    found = np.full((places.shape[1], _NEAREST), -1)
    alike = np.unique(places[words], axis=1, return_inverse=True)[1].ravel() if words else np.zeros(places.shape[1])
    for group in np.unique(alike):
        rows = np.flatnonzero(alike == group)
        count = min(_NEAREST, rows.size - 1)
        if count:
            near = KDTree(scaled[rows]).query(scaled[rows], count + 1)[1]
            found[rows, :count] = rows[near[near != np.arange(rows.size)[:, None]].reshape(rows.size, count)]
    return found


def neighbourhood(values: Floats, near: Ints) -> Floats:
    """Median of each run's value and those of its neighbours, shape (n,); NaN values count for nothing.

    The value of a setting is what its neighbours earn too: a lonely peak gets a low score here.
    """
    scores = _middle(np.column_stack((values, _values_near(values, near))))
    return np.where(np.isnan(values), np.nan, scores)


def _values_near(values: Floats, near: Ints) -> Floats:
    return np.append(values, np.nan)[near]  # -1 takes the last


def _middle(rows: Floats) -> Floats:
    """The median of every row without its NaN values; NaN for a row of nothing else."""
    ordered = np.sort(rows, axis=1)
    known = (~np.isnan(rows)).sum(axis=1)
    at = np.arange(rows.shape[0])
    low, high = np.maximum((known - 1) // 2, 0), np.minimum(known // 2, rows.shape[1] - 1)
    middle: Floats = (ordered[at, low] + ordered[at, high]) / 2.0
    return np.where(known > 0, middle, np.nan)


def landmarks(values: Floats, near: Ints, higher_is_better: bool = True, most_rocks: int = 3) -> Landmarks:
    """The plateau (best neighbourhood score) and the rocks among runs; NaN values count for nothing.

    A run stands alone when it beats every neighbour, and the median of theirs is nearer to the median of all runs than
    to it. What stands alone is no plateau; it is a rock when it is better than the plateau's score.
    """
    signed = values if higher_is_better else -values
    scores = neighbourhood(signed, near)
    beside = _values_near(signed, near)
    middle = _middle(beside)
    usual = float(np.nanmedian(signed)) if not np.isnan(signed).all() else 0.0
    with np.errstate(invalid="ignore"):
        falls = signed - middle > (signed - usual) * _ROCK_FALL
        alone = (signed > np.fmax.reduce(beside, axis=1)) & (signed > usual) & falls
    broad = np.where(alone, np.nan, scores)
    plateau = None if np.isnan(broad).all() else int(np.nanargmax(broad))
    floor = usual if plateau is None else float(scores[plateau])
    rows = np.flatnonzero(alone & (signed > floor))
    ordered = rows[np.argsort(-signed[rows], kind="stable")]
    return Landmarks(plateau, tuple(int(row) for row in ordered[:most_rocks]))


def view_of(
    axes: tuple[Axis, ...], numbers: Ints, values: Floats, x: int, y: int | None,
    held: Mapping[int, int], fold: Fold = "middle", higher_is_better: bool = True,
) -> Ints:  # fmt: skip
    """The row of the run that stands for every place on the axes x and y, int64, shape (values of x, values of y or 1).

    `held` axes are kept at one place each, the others folded; -1 where none has run yet. A place with several runs
    shows the one in the middle of their values (the worse of two) or the best; runs without a value stand for a place
    only where no other does.
    """
    places = places_of(axes, numbers)
    kept = np.ones(numbers.size, np.bool_)
    for axis, place in held.items():
        kept &= places[axis] == place
    rows = np.flatnonzero(kept)
    wide = 1 if y is None else len(axes[y].values)
    spot = places[x][rows] * wide + (0 if y is None else places[y][rows])
    signed = values[rows] if higher_is_better else -values[rows]
    worth = np.where(np.isnan(signed), -np.inf, signed)
    order = np.lexsort((worth, spot))
    spots, starts, counts = np.unique(spot[order], return_index=True, return_counts=True)
    known = np.bincount(spot, ~np.isnan(signed), minlength=len(axes[x].values) * wide)[spots].astype(np.int64)
    ends = starts + counts
    middle = np.where(known > 0, ends - known + np.maximum(known - 1, 0) // 2, starts)
    found = np.full(len(axes[x].values) * wide, -1)
    found[spots] = rows[order[ends - 1 if fold == "best" else middle]]
    return found.reshape(-1, wide)


def front(values: Floats, higher_is_better: Bools) -> Bools:
    """Which runs no other beats in every objective: bool, shape (n,); a run with an unknown value is none of them.

    values : float64, shape (n, objectives). Of equal runs all are kept.
    """
    signed = np.where(higher_is_better, values, -values)
    remaining = np.flatnonzero(~np.isnan(signed).any(axis=1))
    remaining = remaining[np.argsort(-signed[remaining].sum(axis=1), kind="stable")]
    at = 0
    while at < remaining.size:  # every turn drops all that one run beats, so there are about as many as on the front
        this = signed[remaining[at]]
        others = signed[remaining]
        beaten = (others <= this).all(axis=1) & (others < this).any(axis=1)
        at = int((~beaten[: at + 1]).sum())
        remaining = remaining[~beaten]
    found = np.zeros(values.shape[0], np.bool_)
    found[remaining] = True
    return found


def rank_correlation(x: Floats, y: Floats) -> float | None:
    """How alike two rankings are, -1 to 1; pairs with an unknown value are left out, equal values share their rank.

    Spearman (1904), American Journal of Psychology 15(1): the correlation of the ranks. None with fewer than 3 pairs
    or when one side is all the same.
    """
    known = ~(np.isnan(x) | np.isnan(y))
    if known.sum() < 3:
        return None
    ranks = [_ranks(side[known]) for side in (x, y)]
    spreads = [float(rank.std()) for rank in ranks]
    if min(spreads) == 0:
        return None
    return float(np.mean((ranks[0] - ranks[0].mean()) * (ranks[1] - ranks[1].mean())) / (spreads[0] * spreads[1]))


def _ranks(values: Floats) -> Floats:
    _, inverse, counts = np.unique(values, return_inverse=True, return_counts=True)
    return (np.cumsum(counts) - (counts - 1) / 2.0)[inverse]
