"""How results are spread, and in which order they came."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Bools, Floats

_MOST_COLUMNS = 30


@dataclass(frozen=True, slots=True)
class Column:
    """Results from `low` to below `high` (the last: to and with), and how many."""

    low: float
    high: float
    count: int


@dataclass(frozen=True, slots=True)
class Streak:
    """How often so many trades in a row won, or did not."""

    length: int
    won: int
    lost: int


@dataclass(frozen=True, slots=True)
class Spread:
    """How the results of trades are spread, in one unit: columns of one width, 0 on an edge, their mean, the middle
    one, and streaks by their length."""

    columns: list[Column]
    mean: float | None
    median: float | None
    streaks: list[Streak]


def spread_of(results: Floats, net: Floats) -> Spread:
    """The spread of results; unknown ones are in no column. A trade with a net above 0 has won."""
    known = results[~np.isnan(results)]
    has_any = known.size > 0
    return Spread(
        _columns(known) if has_any else [],
        float(known.mean()) if has_any else None,
        float(np.median(known)) if has_any else None,
        _streaks(net > 0),
    )


def _columns(results: Floats) -> list[Column]:
    least = max(1e-12 * float(np.abs(results).max()), 1e-300)  # less is nothing, beside the others or at all
    results = np.where(np.abs(results) < least, 0.0, results)
    low, high = float(min(results.min(), 0.0)), float(max(results.max(), 0.0))
    width = _round((high - low) / min(_MOST_COLUMNS, max(5, 2 * round(results.size**0.5)))) if high > low else 1.0
    edges = np.arange(np.floor(low / width), max(np.ceil(high / width), np.floor(low / width) + 1) + 1) * width
    counts, _ = np.histogram(np.clip(results, edges[0], edges[-1]), edges)
    return [
        Column(float(begin), float(end), int(count))
        for begin, end, count in zip(edges[:-1], edges[1:], counts, strict=True)
    ]


def _round(width: float) -> float:
    """The next of 1, 2, 2.5, 5 times a power of ten."""
    power = 10.0 ** np.floor(np.log10(width))
    return float(next(step * power for step in (1.0, 2.0, 2.5, 5.0, 10.0) if step * power >= width * (1 - 1e-12)))


def _streaks(won: Bools) -> list[Streak]:
    if won.size == 0:
        return []
    begins = np.flatnonzero(np.append(True, won[1:] != won[:-1]))
    lengths = np.diff(np.append(begins, won.size))
    longest = int(lengths.max())
    of_wins, of_losses = (
        np.bincount(lengths[won[begins] == is_win], minlength=longest + 1) for is_win in (True, False)
    )
    return [Streak(length, int(of_wins[length]), int(of_losses[length])) for length in range(1, longest + 1)]
