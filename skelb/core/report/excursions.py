"""How far trades went wrong and right on the way, and what a nearer stop or target would have kept."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats, Ints

_LEVELS = 40
_MOST_POINTS = 3_000


@dataclass(frozen=True, slots=True)
class Nearer:
    """What a stop or a target at a level would have made of the trades, by their excursions alone.

    level : in the unit of the results, above 0; kept : trades that it would not have ended; total : of all results
    """

    level: float
    kept: int
    total: float


@dataclass(frozen=True, slots=True)
class Excursions:
    """The newest 3,000 trades by their worst and best points and what they came to, in one unit, and when they began,
    seconds since 1970 UTC; a curve of nearer stops and one of nearer targets, levels ascending to the farthest that any
    trade reached."""

    time: list[int]
    worst: list[float]
    best: list[float]
    result: list[float]
    stops: list[Nearer]
    targets: list[Nearer]


def excursions_of(times: Ints, worst: Floats, best: Floats, results: Floats) -> Excursions:
    """The excursions of trades; those whose numbers are unknown are not among them.

    A trade whose worst point lies at a stop's level or beyond would have ended there, another as it did; at what price
    such a stop fills, what it costs, and what would have been traded instead is left aside. So it is with targets.
    """
    known = ~(np.isnan(worst) | np.isnan(best) | np.isnan(results))
    times, worst, best, results = times[known], worst[known], best[known], results[known]
    newest = slice(max(0, results.size - _MOST_POINTS), None)
    return Excursions(
        times[newest].tolist(), worst[newest].tolist(), best[newest].tolist(), results[newest].tolist(),
        _nearer(-worst, results, -1.0), _nearer(best, results, 1.0),
    )  # fmt: skip


def _nearer(reached: Floats, results: Floats, sign: float) -> list[Nearer]:
    farthest = float(reached.max(initial=0.0))
    if farthest <= 0:
        return []
    found = []
    for level in (np.arange(1, _LEVELS + 1) / _LEVELS * farthest).tolist():
        ended = reached >= level
        total = float(np.where(ended, sign * level, results).sum())
        found.append(Nearer(level, int(np.count_nonzero(~ended)), total))
    return found
