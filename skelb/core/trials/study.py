"""What happened after a condition turned yes: how often, and where the price went."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Literal, get_args

import numpy as np

from skelb.core.bars import Bars, Bools, Floats, Ints
from skelb.core.catalogue.averages import wilder
from skelb.core.catalogue.volatility import true_range
from skelb.core.stopping import stop_point

MoveUnit = Literal["points", "percent", "atr"]
MOVE_UNITS: tuple[MoveUnit, ...] = get_args(MoveUnit)
_YEAR_S = 365.25 * 86_400
_LEVEL = 0.05
_ATR_BARS = 14
_DRAWS = 9_999
_LAGS = 2  # horizons: the kernel's weights fall with the lag, and moves overlap over one


@dataclass(frozen=True, eq=False)
class Study:
    """A condition's times and what followed them.

    count : bars on which it turned yes; share : of all bars, those on which it was yes; per_year : count over years
    yearly : of every year of the bars, how often it turned yes in it
    moves, every : float64, shape (horizons,), mean move from the close of those bars, and of every bar, to the close
    `horizons` bars later
    low, high : `moves` and its band: where it leaves out `every` for any horizon, the two differ; unknown (nan) with
    fewer than 2 times
    p : the chance of such a difference for any of the horizons where there is none; nan when unknown
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
    p: float


@dataclass(frozen=True, eq=False)
class Moves:
    """Moves from the close of every bar to the closes of the next ones, which any number of conditions are studied on.

    closes, close_times (seconds since 1970), years (of the trading days) : shape (n,); per : what a move is divided by,
    shape (n,), above 0 or nan where unknown, 1 for price units
    """

    closes: Floats
    close_times: Ints
    years: Ints
    per: Floats
    most: int = 20

    @cached_property
    def every(self) -> tuple[Floats, list[Floats], list[Floats]]:
        """Of every bar: mean moves by horizon; the moves less their mean, 0 where unknown; the sums of their products
        at each lag."""
        means, apart, products = np.full(self.most, np.nan), [], []
        for horizon in range(1, self.most + 1):
            size = max(0, self.closes.size - horizon)
            moves = (self.closes[horizon:] - self.closes[:size]) / self.per[:size]
            if not np.isnan(moves).all():
                means[horizon - 1] = np.nanmean(moves)
            rest = np.nan_to_num(moves - means[horizon - 1])
            apart.append(rest)
            products.append(
                np.array([_lagged(rest, lag) for lag in range(min(_LAGS * horizon, max(rest.size - 1, 0)) + 1)])
            )
        return means, apart, products


def _lagged(values: Floats, lag: int) -> float:
    return float(values[lag:] @ values[: values.size - lag])


def divisors(unit: MoveUnit, bars: Bars) -> Floats:
    """What moves from each bar's close are divided by, shape (n,): 1 for points, a hundredth of the close for percent,
    the ATR of 14 bars for multiples of it. Unknown where that is not above 0.
    """
    found = np.ones(len(bars))
    if unit == "percent":
        found = bars.close / 100.0
    elif unit == "atr":
        found = wilder(true_range(bars.high, bars.low, bars.close), _ATR_BARS)
    with np.errstate(invalid="ignore"):
        return np.where(found > 0, found, np.nan)


def study_of(condition: Bools, moves: Moves) -> Study:
    """The study of a condition, shape (n,), true where it is yes. An event is a bar on which it is and was not before.

    What is tested is one difference: the mean move of events less that of every bar, for all horizons at once. Its
    deviation is that of a mean of what every bar adds to it, with those that come within two horizons of one another
    taken together (Newey and West 1987, Econometrica 55(3)), as moves of bars near to one another overlap. The band
    holds over all horizons together (sup-t: Montiel Olea and Plagborg-Moller 2019, J. Applied Econometrics 34), with
    as many degrees of freedom as there are events less one.
    """
    return _study_at(_begins(condition), float(condition.mean()), moves)


def _study_at(events: Ints, share: float, on: Moves) -> Study:
    times, most = on.close_times, on.most
    stop_point()
    span = max(float(times[-1] - times[0]) / _YEAR_S, 1e-9) if times.size > 1 else 1.0
    means, apart, products = on.every
    differences, deviations = np.full(most, np.nan), np.full(most, np.nan)
    for place in range(most):
        rest = apart[place]
        known = events[events < rest.size]
        known = known[np.isfinite(on.per[known])]
        if known.size < 2:
            continue
        differences[place] = float(rest[known].mean())
        own = (rest[known] - differences[place]) * (rest.size / np.sqrt(known.size * (known.size - 1.0)))
        deviations[place] = _deviation(known, own, rest, products[place])
    reach, p = _reach(differences, deviations, events.size - 1)
    moves = means + differences
    yearly = {year: int((on.years[events] == year).sum()) for year in np.unique(on.years).tolist()}
    band = reach * deviations
    return Study(
        events.size,
        share,
        events.size / span,
        yearly,
        np.arange(1, most + 1),
        moves,
        moves - band,
        moves + band,
        means,
        p,
    )


def _deviation(events: Ints, own: Floats, rest: Floats, products: Floats) -> float:
    """The deviation of the mean of `own` at the events less `rest` at every bar; `products` are those of `rest` at each
    lag.

    Bars that are no event add nothing but to the second, so pairs are looked for from the events alone.
    """
    size = rest.size
    spread = np.zeros(size)
    spread[events] = own
    total = 0.0
    for lag, common in enumerate(products.tolist()):
        after, before = events + lag, events - lag
        later, earlier = after < size, before >= 0
        own_pairs = float(own[later] @ spread[after[later]])
        mixed = float(own[later] @ rest[after[later]]) + float(own[earlier] @ rest[before[earlier]])
        pair = own_pairs - mixed + common
        total += pair if lag == 0 else 2.0 * (1.0 - lag / products.size) * pair
    return float(np.sqrt(max(total, 0.0))) / size


def _reach(differences: Floats, deviations: Floats, degrees: int) -> tuple[float, float]:
    """How many deviations the band of all horizons together reaches, and the chance of the largest difference."""
    known = np.flatnonzero(deviations > 0)
    if known.size == 0 or degrees < 1:
        return float("nan"), float("nan")
    largest = _largest(tuple(known.tolist()), degrees)
    found = float(np.max(np.abs(differences[known]) / deviations[known]))
    at_least = largest.size - int(np.searchsorted(largest, found))
    return float(np.quantile(largest, 1.0 - _LEVEL)), (1 + at_least) / (largest.size + 1)


@lru_cache(maxsize=64)
def _largest(places: tuple[int, ...], degrees: int) -> Floats:
    """The largest of some horizons' differences, in deviations, where there is none: drawn, and in order.

    Moves over two horizons hang together as those of prices that wander do, by the root of the shorter over the longer.
    """
    horizons = np.array(places) + 1.0
    alike = np.sqrt(np.minimum.outer(horizons, horizons) / np.maximum.outer(horizons, horizons))
    rng = np.random.default_rng(1)
    drawn = rng.standard_normal((_DRAWS, horizons.size)) @ np.linalg.cholesky(alike).T
    return np.sort(np.abs(drawn).max(axis=1) / np.sqrt(rng.chisquare(degrees, _DRAWS) / degrees))


def _begins(condition: Bools) -> Ints:
    return np.flatnonzero(condition & ~np.concatenate(([False], condition[:-1])))


Group = Literal["weekday", "month", "hour"]


@dataclass(frozen=True, eq=False)
class CalendarRow:
    """One weekday (0 is Monday), month (1 to 12) or hour (0 to 23) of a calendar study.

    stretches : how often it came; within, within_low, within_high : mean move from the open of its first bar to the
    close of its last, and its 95 % band; usual : of all stretches of its group; study : of the condition's events
    inside it; p : of the study where there is a condition, else of within against usual; stands_out : see `calendar_of`
    """

    group: Group
    number: int
    stretches: int
    within: float
    within_low: float
    within_high: float
    usual: float
    study: Study
    p: float
    stands_out: bool = False


def calendar_of(
    groups: Mapping[Group, Ints], condition: Bools | None, opens: Floats, moves: Moves
) -> list[CalendarRow]:
    """The study of a condition on every weekday, month and hour at once; groups that never come are left out.

    `groups` number every bar, shape (n,). A stretch is a run of bars of the same number. Events are the bars inside a
    group on which the condition turned yes; without a condition they are the first bars of the group's stretches.

    Rows that stand out are those whose p is so low that of all that stand out at most 5 % do by luck, however the rows
    hang together (Benjamini and Yekutieli 2001, Annals of Statistics 29(4)).
    """
    turned = None if condition is None else _begins(condition)
    rows = []
    for group, numbers in groups.items():
        edges = np.flatnonzero(np.append(True, numbers[1:] != numbers[:-1]))
        ends = np.append(edges[1:], numbers.size) - 1
        every = (moves.closes[ends] - opens[edges]) / moves.per[edges]
        for number in np.unique(numbers):
            own = numbers[edges] == number
            events = edges[own] if turned is None else turned[numbers[turned] == number]
            study = _study_at(events, float((numbers == number).mean()), moves)
            within, low, high, usual, p = _within(every, own)
            p = p if turned is None else study.p
            rows.append(CalendarRow(group, int(number), int(own.sum()), within, low, high, usual, study, p))
    found = _at_most_one_in_twenty(np.array([row.p for row in rows]))
    return [replace(row, stands_out=bool(is_found)) for row, is_found in zip(rows, found, strict=True)]


def _within(moves: Floats, own: Bools) -> tuple[float, float, float, float, float]:
    """The mean of some stretches' moves, its band, the mean of all, and the chance of their difference."""
    from scipy.special import stdtr, stdtrit  # slow to load, and only calendars need it

    known = ~np.isnan(moves)
    usual = float(moves[known].mean()) if known.any() else float("nan")
    events = np.flatnonzero(own[known])
    if events.size < 2:
        return float("nan"), float("nan"), float("nan"), usual, float("nan")
    rest = moves[known] - usual
    difference = float(rest[events].mean())
    weighed = (rest[events] - difference) * (rest.size / np.sqrt(events.size * (events.size - 1.0)))
    deviation = _deviation(events, weighed, rest, np.array([_lagged(rest, 0), _lagged(rest, 1)]))
    reach = float(stdtrit(events.size - 1, 1.0 - _LEVEL / 2)) * deviation
    p = 2.0 * float(stdtr(events.size - 1, -abs(difference) / deviation)) if deviation > 0 else float("nan")
    return usual + difference, usual + difference - reach, usual + difference + reach, usual, p


def _at_most_one_in_twenty(p: Floats) -> Bools:
    """Which of some p-values are low enough that of those found at most 5 % are by luck; unknown ones are not."""
    found = np.zeros(p.size, np.bool_)
    order = np.argsort(p, kind="stable")[: int((~np.isnan(p)).sum())]
    ranks = np.arange(1, order.size + 1)
    passing = np.flatnonzero(p[order] <= ranks / max(order.size, 1) * _LEVEL / np.sum(1.0 / ranks))
    found[order[: passing[-1] + 1 if passing.size else 0]] = True
    return found
