"""Ranking the finished runs of a trial: views of axes, tables, fronts, in against out of sample, what the best is
worth."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa

from skelb.core.bars import Floats, Ints
from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.export import Column
from skelb.core.figures import FIGURE_KEYS, FIGURES, Figures, daily_of
from skelb.core.plan import InputValue
from skelb.core.trials import (
    Axis,
    Fold,
    Landmarks,
    Point,
    Results,
    Span,
    around,
    check_objective,
    deflated,
    front,
    landmarks,
    neighbourhood,
    overfitting,
    places_of,
    point_at,
    rank_correlation,
    view_of,
)
from skelb.service.tables import Form, written
from skelb.service.tallies import Tallies, odds
from skelb.service.trials.orders import Layout

_MOST_DOTS = 3_000


@dataclass(frozen=True, slots=True)
class Surface:
    """Two axes, x slowest: at every place the objective and the neighbourhood score of the run that stands for it."""

    values: Column
    neighbourhood: Column
    numbers: list[int | None]
    plateau: int | None
    rocks: list[int]
    best: int | None


@dataclass(frozen=True, slots=True)
class CurvePoint:
    """A run along an axis."""

    number: int
    value: float | None
    score: float | None


@dataclass(frozen=True, slots=True)
class Curve:
    """One axis through a point, the other axes as there; `at` is the point's own place on it."""

    name: str
    values: tuple[InputValue, ...]
    points: list[CurvePoint | None]
    at: int


@dataclass(frozen=True, slots=True)
class TrialRun:
    """A run of a trial; `label` is what its words stand for, `outside` its figures on the days outside."""

    number: int
    inputs: Point
    label: str | None
    figures: Figures | None
    outside: Figures | None
    error: str | None
    ranked: bool
    neighbourhood: float | None


@dataclass(frozen=True, slots=True)
class Table:
    """A page of runs; `matching` pass the filters."""

    total: int
    matching: int
    rows: list[TrialRun]


@dataclass(frozen=True, slots=True)
class Dots:
    """Runs over two objectives, and the numbers of those that no other beats."""

    x: list[float]
    y: list[float]
    numbers: list[int]
    front: list[int]


@dataclass(frozen=True, slots=True)
class Front:
    """The runs that no other beats, among all."""

    dots: Dots
    rows: list[TrialRun]


@dataclass(frozen=True, slots=True)
class Against:
    """In sample (x) against out of sample (y)."""

    x: list[float]
    y: list[float]
    numbers: list[int]
    rank_correlation: float | None
    pairs: int
    parts: list[Span]


@dataclass(frozen=True, slots=True)
class BestTry:
    """One of the best tries of a script: its mean day in deviations, and how often luck alone shows one so good."""

    label: str
    statistic: float
    by_luck: float
    odds: str


@dataclass(frozen=True, slots=True)
class Luck:
    """What so many tries of a script make of the best run."""

    settings: int
    by_luck: float | None
    odds: str
    sentence: str
    is_kept: bool
    best: list[BestTry]


@dataclass(frozen=True, slots=True)
class Deflation:
    """The best run's Sharpe ratio a day beside what the best of so many worthless tries would show."""

    sharpe: float
    tries: int
    expected_best: float
    probability: float
    probability_alone: float
    sentence: str


@dataclass(frozen=True, slots=True)
class Overfitted:
    """How often the best on one half of the days is below the middle on the other."""

    probability: float
    ways: int
    settings: int
    sentence: str


@dataclass(frozen=True, slots=True)
class Best:
    """What the best run of a trial is worth; None where none counts, or nothing varies."""

    luck: Luck | None
    deflation: Deflation | None


@dataclass(frozen=True, eq=False)
class Ranking:
    """The runs of one part of a trial, ordered by point, seen by an objective and a least number of trades."""

    axes: tuple[Axis, ...]
    results: Results
    near: Ints
    objective: str
    min_trades: int

    @classmethod
    def of(cls, axes: tuple[Axis, ...], is_drawn: bool, results: Results, objective: str, min_trades: int) -> "Ranking":
        """The ranking of one part's results. Raises SettingsError when the objective is no figure."""
        return cls(axes, results, around(axes, results.numbers, is_drawn), check_objective(objective), min_trades)

    @cached_property
    def values(self) -> Floats:
        """The objective of every run, NaN where it does not count."""
        return self.results.objective(self.objective, self.min_trades)

    @cached_property
    def scores(self) -> Floats:
        """The neighbourhood score of every run."""
        return neighbourhood(self.values, self.near)

    @cached_property
    def landmarks(self) -> Landmarks:
        """Plateau and rocks, by row."""
        return landmarks(self.values, self.near, higher_is_better(self.objective))

    @property
    def best(self) -> int | None:
        """The row of the best run, None when none counts."""
        if np.isnan(self.values).all():
            return None
        return int(np.nanargmax(self.values if higher_is_better(self.objective) else -self.values))

    def number(self, row: int | None) -> int | None:
        """The point of a row."""
        return None if row is None else int(self.results.numbers[row])

    def row(self, number: int) -> int:
        """The row of a point. Raises NotFoundError when it has not run."""
        row = int(np.searchsorted(self.results.numbers, number))
        if row >= len(self.results) or self.results.numbers[row] != number:
            raise NotFoundError(f"point {number:,} has not run yet")
        return row

    def point(self, row: int) -> Point:
        """The inputs of a row."""
        return point_at(self.axes, int(self.results.numbers[row]))

    def surface(self, x: str, y: str | None, held: Mapping[str, int], fold: Fold = "middle") -> Surface:
        """Two axes (or one): for every place, x slowest, the run that stands for it and what it earned.

        `held` keeps axes at one of their values, by place; the others are folded. Raises SettingsError on an axis that
        is not there.
        """
        across, upwards = self._axis(x), None if y is None else self._axis(y)
        keep = {self._axis(name): place for name, place in held.items()}
        rows = view_of(
            self.axes, self.results.numbers, self.values, across, upwards, keep, fold, higher_is_better(self.objective)
        ).ravel()
        places = np.append(self.values, np.nan), np.append(self.scores, np.nan), np.append(self.results.numbers, -1)
        values, scores, numbers = (column[rows] for column in places)  # row -1, of what has not run, takes the last
        return Surface(
            values=_plain(values),
            neighbourhood=_plain(scores),
            numbers=[None if number < 0 else number for number in numbers.tolist()],
            plateau=self.number(self.landmarks.plateau),
            rocks=[int(self.results.numbers[row]) for row in self.landmarks.rocks],
            best=self.number(self.best),
        )

    def _axis(self, name: str) -> int:
        for place, axis in enumerate(self.axes):
            if axis.name == name:
                return place
        raise SettingsError(f"`{name}` is not an axis of this trial")

    def curves(self, number: int) -> list[Curve]:
        """Every axis through a point, the others as there: the objective along it, and which point each is."""
        places = places_of(self.axes, self.results.numbers)
        here = places[:, self.row(number)]
        found = []
        for index, axis in enumerate(self.axes):
            others = np.delete(places, index, axis=0) == np.delete(here, index)[:, None]
            rows = np.flatnonzero(others.all(axis=0))
            line: list[CurvePoint | None] = [None] * len(axis.values)
            for row in rows.tolist():
                number = int(self.results.numbers[row])
                line[int(places[index, row])] = CurvePoint(number, _one(self.values[row]), _one(self.scores[row]))
            found.append(Curve(axis.name, axis.values, line, int(here[index])))
        return found

    def table(self, sort: str, descending: bool, least: Mapping[str, float], most: Mapping[str, float]) -> Ints:
        """The rows whose figures lie between the limits, sorted by a figure, an axis or `neighbourhood`.

        Runs without a value, or too few trades where the objective sorts, come last either way. Raises SettingsError on
        what is neither.
        """
        kept = np.ones(len(self.results), np.bool_)
        for limits, keeps in ((least, np.greater_equal), (most, np.less_equal)):
            for name, limit in limits.items():
                with np.errstate(invalid="ignore"):
                    kept &= keeps(self._sortable(name), limit)
        rows = np.flatnonzero(kept)
        by = (self.values if sort == self.objective else self._sortable(sort))[rows]
        order = np.argsort(-by if descending else by, kind="stable")
        return rows[order]

    def _sortable(self, name: str) -> Floats:
        if name == "neighbourhood":
            return self.scores
        if name in FIGURE_KEYS:
            return self.results.column(name)
        places: Floats = places_of(self.axes, self.results.numbers)[self._axis(name)].astype(np.float64)
        return places

    def front(self, objectives: Sequence[str]) -> Ints:
        """The rows that no other beats in every one of the objectives, best in the first one first."""
        columns = [self.results.objective(check_objective(name), self.min_trades) for name in objectives]
        more = np.array([higher_is_better(name) for name in objectives])
        rows = np.flatnonzero(front(np.column_stack(columns), more))
        first = columns[0][rows]
        return rows[np.argsort(-first if more[0] else first, kind="stable")]

    def dots(self, objectives: Sequence[str]) -> Dots:
        """The first two of some objectives of every run for a scatter, thinned to a few thousand, and the front of
        all."""
        x, y = (self.results.objective(check_objective(name), self.min_trades) for name in objectives[:2])
        known = np.flatnonzero(~(np.isnan(x) | np.isnan(y)))
        rows = np.union1d(known[:: max(1, -(-known.size // _MOST_DOTS))], on_front := self.front(objectives))
        numbers = self.results.numbers
        return Dots(x[rows].tolist(), y[rows].tolist(), numbers[rows].tolist(), numbers[on_front].tolist())


def best_of(ranking: Ranking, layout: Layout, tallies: Tallies) -> Best:
    """What the best run of a trial is worth after all tries of its script, None where none counts or nothing varies.

    The spread of the tries' Sharpe ratios is that of all of them or of these runs, the larger: trying more must never
    flatter the best.
    """
    if ranking.best is None or layout.sweep.basket:  # a basket's runs are not counted
        return Best(None, None)
    point = ranking.point(ranking.best)
    record = layout.sweep.record(point, span=layout.first_span)
    daily = daily_of(record)
    if daily is None:
        return Best(None, None)
    worth = tallies.worth(layout.title, layout.sweep.dataset_of(point), daily)
    days = daily.changes.size / ((int(record.days[-1]) - int(record.days[0]) + 1) / 365.25)
    yearly = _spread(ranking.results.column("sharpe"))
    spreads = [worth.spread, None if yearly is None else yearly / float(np.sqrt(days))]
    spread = max((item for item in spreads if item is not None), default=None)
    listed = [BestTry(item.label, item.statistic, share, odds(share)) for item, share in worth.listed]
    luck = Luck(worth.settings, worth.by_luck, odds(worth.by_luck), worth.sentence, tallies.is_kept, listed)
    weighed = deflated(daily.changes, worth.settings, spread) if worth.is_counted else None
    return Best(luck, None if weighed is None else Deflation(**asdict(weighed), sentence=weighed.sentence))


def overfitted(results: Results, is_walk: bool) -> Overfitted | None:
    """How often the best on half of a trial's days is below the middle on the others; None where that cannot be
    said."""
    found = overfitting(results.halved(is_walk))
    return None if found is None else Overfitted(**asdict(found), sentence=found.sentence)


def against(inside: Ranking, outside: Ranking, parts: Sequence[Span]) -> Against:
    """In sample against out of sample: every point's objective in both, and how alike the two rankings are."""
    numbers, mine, theirs = np.intersect1d(inside.results.numbers, outside.results.numbers, return_indices=True)
    x, y = inside.values[mine], outside.results.column(inside.objective)[theirs]
    known = np.flatnonzero(~(np.isnan(x) | np.isnan(y)))
    shown = known[:: max(1, -(-known.size // _MOST_DOTS))]
    return Against(
        x[shown].tolist(),
        y[shown].tolist(),
        numbers[shown].tolist(),
        rank_correlation(x, y),
        int(known.size),
        list(parts),
    )


def run_of(ranking: Ranking, row: int, outside: Ranking | None, labels: Mapping[str, str]) -> TrialRun:
    """One run: inputs, figures of every part, why it could not run, neighbourhood."""
    point, number = ranking.point(row), ranking.number(row)
    assert number is not None
    found = None
    if outside is not None:
        at = int(np.searchsorted(outside.results.numbers, number))
        is_there = at < len(outside.results) and outside.results.numbers[at] == number
        found = outside.results.figures_at(at) if is_there else None
    return TrialRun(
        number=number,
        inputs=point,
        label=next((labels[value] for value in map(str, point.values()) if value in labels), None),
        figures=ranking.results.figures_at(row),
        outside=found,
        error=ranking.results.errors.get(row),
        ranked=not bool(np.isnan(ranking.values[row])),
        neighbourhood=_one(ranking.scores[row]),
    )


def exported(
    axes: tuple[Axis, ...],
    parts: Sequence[tuple[str, Results]],
    labels: Mapping[str, str],
    form: Form,
) -> bytes:
    """All runs as a table: a column for each axis, the part, every figure and the error."""
    tables = [_arrow(axes, name, results, labels) for name, results in parts]
    return written(pa.concat_tables(tables), form)


def _arrow(axes: tuple[Axis, ...], part: str, results: Results, labels: Mapping[str, str]) -> pa.Table:
    places = places_of(axes, results.numbers)
    columns: dict[str, Any] = {}
    for axis, at in zip(axes, places, strict=True):
        values = [labels.get(str(value), value) for value in axis.values]
        columns[axis.name] = pa.array(values).take(pa.array(at))
    if part:
        columns["part"] = [part] * len(results)
    for figure in FIGURES:
        kind = pa.int64() if figure.unit == "count" else pa.float64()
        columns[figure.key] = pa.array(results.column(figure.key), from_pandas=True).cast(kind)
    columns["error"] = pa.array([results.errors.get(row, "") for row in range(len(results))], pa.string())
    return pa.table(columns)


def _spread(values: Floats) -> float | None:
    """The sample deviation of the known values; None with fewer than 3."""
    known = values[~np.isnan(values)]
    return float(np.std(known, ddof=1)) if known.size > 2 else None


def higher_is_better(objective: str) -> bool:
    """Whether more of a figure is better."""
    return next(figure for figure in FIGURES if figure.key == objective).higher_is_better is not False


def _plain(values: Floats) -> list[float | None]:
    return [None if value != value else value for value in values.tolist()]


def _one(value: float) -> float | None:
    return None if value != value else float(value)
