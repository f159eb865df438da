"""What happened after a condition turned yes: how often, and where the price went."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Bools, Floats, Ints

_BAND = 1.959963984540054  # of a normal distribution, 2.5 % lie beyond it on either side
_YEAR_S = 365.25 * 86_400


@dataclass(frozen=True, eq=False)
class Study:
    """A condition's times and what followed them.

    count : bars on which it turned yes; share : of all bars, those on which it was yes; per_year : count over years
    moves, low, high : float64, shape (horizons,), price units: mean move from the close of those bars to the close
    `horizons` bars later, and its 95 % band; unknown (nan) with fewer than 2 of them
    every : float64, shape (horizons,), the mean move from every bar
    """

    count: int
    share: float
    per_year: float
    horizons: Ints
    moves: Floats
    low: Floats
    high: Floats
    every: Floats


def study_of(condition: Bools, closes: Floats, close_times: Ints, most: int = 20) -> Study:
    """The study of a condition on bars, over the next 1 to `most` bars.

    `condition`, `closes` and `close_times` (seconds since 1970) are of shape (n,). An event is a bar on which the
    condition is yes and was not on the bar before; moves beyond the last bar do not count. The band is that of a mean
    of independent events: mean ± 1.96 sample deviations over the root of their number.
    """
    begins = condition & ~np.concatenate(([False], condition[:-1]))
    events = np.flatnonzero(begins)
    years = max(float(close_times[-1] - close_times[0]) / _YEAR_S, 1e-9) if closes.size > 1 else 1.0
    horizons = np.arange(1, most + 1)
    moves, low, high, every = (np.full(most, np.nan) for _ in range(4))
    for place, ahead in enumerate(horizons):
        if closes.size > ahead:
            every[place] = closes[ahead:].mean() - closes[:-ahead].mean()
        starts = events[events + ahead < closes.size]
        if starts.size < 2:
            continue
        found = closes[starts + ahead] - closes[starts]
        reach = _BAND * float(found.std(ddof=1)) / np.sqrt(starts.size)
        moves[place] = found.mean()
        low[place], high[place] = moves[place] - reach, moves[place] + reach
    return Study(events.size, float(condition.mean()), events.size / years, horizons, moves, low, high, every)
