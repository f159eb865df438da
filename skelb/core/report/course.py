"""A run's equity over time, in as many points as a drawing shows."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.export import Column, evenly, plain_values
from skelb.core.figures import Record, drawdown_of

_MOST_POINTS = 500  # evenly apart, and between each two the deepest


@dataclass(frozen=True, slots=True)
class Fall:
    """A fall of equity below its highest so far: when that was reached, when it was deepest, when it was made good
    (None: not yet), seconds since 1970 UTC; how deep, money and percent of the peak."""

    peak: int
    bottom: int
    recovered: int | None
    money: float
    percent: float


@dataclass(frozen=True, slots=True)
class Course:
    """Equity, what holding instead would be worth, and how far equity is below its peak in percent, at `times`,
    seconds since 1970 UTC; the deepest falls, deepest first."""

    times: list[int]
    equity: list[float]
    holding: Column
    drawdown: list[float]
    falls: list[Fall]


def course_of(record: Record, most_falls: int = 5) -> Course:
    """The course of a run. Points are chosen evenly, and between each two of them the one that lies deepest."""
    under = drawdown_of(record.equity, record.capital)
    shown = _points(under)
    peaks = record.equity + under
    percent = 100.0 * under / peaks if (peaks > 0).all() else 0.0 * under
    holding = plain_values(record.capital * record.holding[shown] / record.held_from) if record.held_from > 0 else None
    return Course(
        record.closes[shown].tolist(),
        record.equity[shown].tolist(),
        holding or [None] * shown.size,
        percent[shown].tolist(),
        _falls(record, under, most_falls),
    )


def _points(under: Floats) -> Ints:
    shown = evenly(under.size, _MOST_POINTS)
    if shown.size == under.size:
        return shown
    deepest = [begin + int(np.argmax(under[begin:end])) for begin, end in pairwise(shown.tolist())]
    return np.unique(np.concatenate((shown, deepest)))


def _falls(record: Record, under: Floats, most: int) -> list[Fall]:
    found, peak, peak_at, bottom = [], record.capital, record.begins, -1
    equity, below, closes = record.equity.tolist(), under.tolist(), record.closes.tolist()

    def ended(recovered: int | None) -> Fall:
        money = below[bottom]
        return Fall(peak_at, closes[bottom], recovered, money, 100.0 * money / peak if peak > 0 else 0.0)

    for at, money in enumerate(below):
        if money == 0.0:
            if bottom >= 0:
                found.append(ended(closes[at]))
                bottom = -1
            peak, peak_at = max(peak, equity[at]), closes[at]
        elif bottom < 0 or money > below[bottom]:
            bottom = at
    if bottom >= 0:
        found.append(ended(None))
    return sorted(found, key=lambda fall: -fall.money)[:most]
