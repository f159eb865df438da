"""What happened after a condition turned yes: how often, and where the price went."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.bars import Bools, Floats, Ints

_NORMAL = 1.959963984540054  # of a normal distribution, 2.5 % lie beyond it on either side
# The same of Student's distribution with 1, 2, … degrees of freedom, where few events make the normal one too narrow.
_STUDENT = (12.7062, 4.3027, 3.1824, 2.7764, 2.5706, 2.4469, 2.3646, 2.3060, 2.2622, 2.2281)
_YEAR_S = 365.25 * 86_400


@dataclass(frozen=True, eq=False)
class Study:
    """A condition's times and what followed them.

    count : bars on which it turned yes; share : of all bars, those on which it was yes; per_year : count over years
    yearly : of every year of the bars, how often it turned yes in it
    moves, low, high : float64, shape (horizons,), price units: mean move from the close of those bars to the close
    `horizons` bars later, and its 95 % band; unknown (nan) with fewer than 2 of them
    every : float64, shape (horizons,), the mean move from every bar
    """

    count: int
    share: float
    per_year: float
    yearly: dict[int, int]
    horizons: Ints
    moves: Floats
    low: Floats
    high: Floats
    every: Floats


def study_of(condition: Bools, closes: Floats, close_times: Ints, years: Ints, most: int = 20) -> Study:
    """The study of a condition on bars, over the next 1 to `most` bars.

    `condition`, `closes`, `close_times` (seconds since 1970) and `years` (of the trading days) are of shape (n,). An event is a bar on which the
    condition is yes and was not on the bar before; moves beyond the last bar do not count. The band is that of a mean
    of independent events: mean ± t sample deviations over the root of their number, t of Student's distribution
    (Student 1908, Biometrika 6(1)), which is 1.96 for many.
    """
    return _study_at(_begins(condition), float(condition.mean()), closes, close_times, years, most)


def _study_at(events: Ints, share: float, closes: Floats, close_times: Ints, years: Ints, most: int) -> Study:
    span = max(float(close_times[-1] - close_times[0]) / _YEAR_S, 1e-9) if closes.size > 1 else 1.0
    every = np.full(most, np.nan)
    for ahead in range(1, min(most + 1, closes.size)):
        every[ahead - 1] = closes[ahead:].mean() - closes[:-ahead].mean()
    moves, low, high = np.array([_band(_moves_after(events, closes, ahead)) for ahead in range(1, most + 1)]).T
    yearly = {year: int((years[events] == year).sum()) for year in np.unique(years).tolist()}
    return Study(events.size, share, events.size / span, yearly, np.arange(1, most + 1), moves, low, high, every)


def _begins(condition: Bools) -> Ints:
    return np.flatnonzero(condition & ~np.concatenate(([False], condition[:-1])))


def _moves_after(events: Ints, closes: Floats, ahead: int) -> Floats:
    starts = events[events + ahead < closes.size]
    return closes[starts + ahead] - closes[starts]


def _band(moves: Floats) -> tuple[float, float, float]:
    """The mean of moves and its 95 % band; unknown with fewer than 2."""
    if moves.size < 2:
        return float("nan"), float("nan"), float("nan")
    middle = float(moves.mean())
    reach = _quantile(moves.size - 1) * float(moves.std(ddof=1)) / float(np.sqrt(moves.size))
    return middle, middle - reach, middle + reach


def _quantile(degrees: int) -> float:
    """What 2.5 % of Student's distribution lie beyond on either side, to 1e-3.

    Beyond the table by the first terms of Fisher's expansion about the normal one (Abramowitz and Stegun, 26.7.5).
    """
    if degrees <= len(_STUDENT):
        return _STUDENT[degrees - 1]
    z = _NORMAL
    first, second = (z**3 + z) / 4, (5 * z**5 + 16 * z**3 + 3 * z) / 96
    third = (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / 384
    return z + first / degrees + second / degrees**2 + third / degrees**3


Group = Literal["weekday", "month", "hour"]


@dataclass(frozen=True, eq=False)
class CalendarRow:
    """One weekday (0 is Monday), month (1 to 12) or hour (0 to 23) of a calendar study.

    stretches : how often it came; within, within_low, within_high : mean move from the open of its first bar to the
    close of its last, price units, and its 95 % band; study : of the condition's events inside it
    """

    group: Group
    number: int
    stretches: int
    within: float
    within_low: float
    within_high: float
    study: Study


def calendar_of(
    groups: Mapping[Group, Ints], condition: Bools | None, opens: Floats, closes: Floats, close_times: Ints, years: Ints,
    most: int = 20,
) -> list[CalendarRow]:  # fmt: skip
    """The study of a condition on every weekday, month and hour at once; groups that never come are left out.

    `groups` number every bar, shape (n,). A stretch is a run of bars of the same number. Events are the bars inside a
    group on which the condition turned yes; without a condition they are the first bars of the group's stretches.
    """
    turned = None if condition is None else _begins(condition)
    rows = []
    for group, numbers in groups.items():
        edges = np.flatnonzero(np.append(True, numbers[1:] != numbers[:-1]))
        ends = np.append(edges[1:], numbers.size) - 1
        for number in np.unique(numbers):
            own = numbers[edges] == number
            moves = closes[ends[own]] - opens[edges[own]]
            events = edges[own] if turned is None else turned[numbers[turned] == number]
            study = _study_at(events, float((numbers == number).mean()), closes, close_times, years, most)
            rows.append(CalendarRow(group, int(number), int(own.sum()), *_band(moves), study))
    return rows
