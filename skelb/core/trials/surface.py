"""Reading the result of a grid as a surface: neighbours, plateau, rocks."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats

_ROCK_FALL = 0.5  # a peak whose neighbours reach less than half of it stands alone


@dataclass(frozen=True)
class Landmarks:
    """Cells of a surface by flat index: the best neighbourhood, and peaks that stand alone, highest first."""

    plateau: int | None
    rocks: tuple[int, ...]


def neighbourhood(values: Floats) -> Floats:
    """Median of each cell and the cells one step away on any axes, shape of `values`; NaN cells are left out.

    The value of a setting is what its neighbours earn too: a lonely peak gets a low score here.
    """
    padded = np.pad(values, 1, constant_values=np.nan)
    shifts = np.stack(
        [
            padded[tuple(slice(step, step + size) for step, size in zip(steps, values.shape, strict=True))]
            for steps in np.ndindex(*([3] * values.ndim))
        ]
    )
    scores = np.full(values.shape, np.nan)
    present = ~np.isnan(values)
    scores[present] = np.nanmedian(shifts[:, present], axis=0)
    return scores


def landmarks(values: Floats, higher_is_better: bool = True, most_rocks: int = 3) -> Landmarks:
    """The plateau (best neighbourhood score) and the rocks of a surface; NaN cells count for nothing.

    A rock beats every neighbour, is better than the plateau's score, and its surroundings (itself left out)
    earn less than half of it.
    """
    sign = 1.0 if higher_is_better else -1.0
    signed = values * sign
    scores = neighbourhood(signed)
    if np.isnan(scores).all():
        return Landmarks(None, ())
    plateau = int(np.nanargmax(scores))
    best = scores.flat[plateau]
    found: list[int] = []
    for index in np.argsort(-np.nan_to_num(signed.ravel(), nan=-np.inf)):
        value = signed.flat[index]
        if np.isnan(value) or value <= max(best, 0.0) or len(found) == most_rocks:
            break
        around = _around(signed, int(index))
        if around.size and value > around.max() and np.median(around) < value * _ROCK_FALL:
            found.append(int(index))
    return Landmarks(plateau, tuple(found))


def _around(values: Floats, index: int) -> Floats:
    """The known values one step from a cell on any axes, itself left out."""
    center = np.unravel_index(index, values.shape)
    box = tuple(slice(max(0, int(at) - 1), int(at) + 2) for at in center)
    block = values[box].copy()
    block[tuple(min(1, int(at)) for at in center)] = np.nan
    return np.asarray(block[~np.isnan(block)])
