"""Bars that come to others of the same market and timeframe."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars.bars import PRICES, Bars, Bools, Floats, Ints
from skelb.core.errors import BarsError


@dataclass(frozen=True, slots=True)
class Joining:
    """What newer bars are to those there are: how many open at other times, how many are the same, how many open at
    the same time and differ in price or volume."""

    added: int
    same: int
    differing: int


def compare_bars(there: Bars, newer: Bars) -> Joining:
    """Newer bars beside those there are. Raises BarsError when they are not of one timeframe."""
    old, new = _shared(there, newer)
    differs = _differs(there, newer, old, new)
    differing = int(np.count_nonzero(differs))
    return Joining(len(newer) - new.size, new.size - differing, differing)


def join_bars(there: Bars, newer: Bars, corrects: bool) -> Bars:
    """All bars of both by time; of two that open at one time the newer where it `corrects`, else the one there was.

    Further columns are those of both, unknown where the other has them. Raises BarsError as `compare_bars` does.
    """
    _shared(there, newer)
    first, second = (newer, there) if corrects else (there, newer)
    times = np.concatenate((first.time, second.time))
    _, chosen = np.unique(times, return_index=True)  # of two the first: it goes before

    def joined(one: Floats, other: Floats) -> Floats:
        return np.concatenate((one, other))[chosen]

    opens, highs, lows, closes, volumes = (joined(getattr(first, name), getattr(second, name)) for name in PRICES)
    names = dict.fromkeys((*first.columns, *second.columns))
    columns = {name: joined(_column(first, name), _column(second, name)) for name in names}
    return Bars(there.timeframe, times[chosen], opens, highs, lows, closes, volumes, columns=columns, dated=there.dated)


def _column(bars: Bars, name: str) -> Floats:
    return bars.columns.get(name, np.full(len(bars), np.nan))


def _shared(there: Bars, newer: Bars) -> tuple[Ints, Ints]:
    """The rows of both that open at one time."""
    if there.timeframe != newer.timeframe or there.dated != newer.dated:
        raise BarsError(f"bars of {newer.timeframe} cannot join bars of {there.timeframe}")
    _, old, new = np.intersect1d(there.time, newer.time, assume_unique=True, return_indices=True)
    return old, new


def _differs(there: Bars, newer: Bars, old: Ints, new: Ints) -> Bools:
    pairs = [getattr(there, name)[old] != getattr(newer, name)[new] for name in PRICES]
    differs: Bools = np.any(pairs, axis=0)
    return differs
