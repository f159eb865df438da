"""Which points of a grid a sweep runs: all of them, some at random, or a Latin hypercube."""

from typing import Literal, get_args

import numpy as np

from skelb.core.bars import Ints
from skelb.core.errors import SettingsError
from skelb.core.trials.grid import MOST_RUNS, Axis, grid_size

DesignKind = Literal["grid", "random", "latin"]
DESIGNS: tuple[DesignKind, ...] = get_args(DesignKind)


def design(axes: tuple[Axis, ...], kind: DesignKind, runs: int = 0, seed: int = 1) -> Ints:
    """The numbers of the points to run, int64, shape (n,), all different; a grid's in order, others as drawn.

    random : `runs` points of the grid, each as likely as any other.
    latin : each axis is cut into `runs` equal parts and the middle of every part is met once (so every value of an axis
    equally often, give or take one), the parts of different axes joined at random; points met twice count once, so
    there may be fewer. McKay, Beckman and Conover (1979), Technometrics 21(2), 239-245.

    Raises SettingsError when that makes none or too many runs, or more than the grid has.
    """
    size = grid_size(axes)
    if kind == "grid":
        if size > MOST_RUNS:
            raise SettingsError(
                f"a sweep makes up to {MOST_RUNS:,} runs; this grid has {size:,}: use coarser steps, or draw some at random"  # noqa: E501
            )
        return np.arange(size)
    if not 1 <= runs <= MOST_RUNS:
        raise SettingsError(f"a drawn sweep makes from 1 to {MOST_RUNS:,} runs, not {runs:,}")
    if runs > size:
        raise SettingsError(f"the whole grid has {size:,} points: fewer than the {runs:,} to draw")
    rng = np.random.default_rng(seed)
    return _random(size, runs, rng) if kind == "random" else _latin(axes, runs, rng)


def _random(size: int, runs: int, rng: np.random.Generator) -> Ints:
    if size <= 4 * runs:
        return rng.permutation(size)[:runs]
    found = np.zeros(0, np.int64)
    while found.size < runs:  # few are met twice in a grid this large
        found = np.concatenate((found, rng.integers(0, size, runs - found.size)))
        found = found[np.sort(np.unique(found, return_index=True)[1])]
    return found


def _latin(axes: tuple[Axis, ...], runs: int, rng: np.random.Generator) -> Ints:
    numbers = np.zeros(runs, np.int64)
    for axis in axes:
        places = (2 * rng.permutation(runs) + 1) * len(axis.values) // (2 * runs)
        numbers = numbers * len(axis.values) + places
    return numbers[np.sort(np.unique(numbers, return_index=True)[1])]
