"""Ranking the finished runs of a trial: views of axes, tables, fronts, in against out of sample, what the best is worth."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from io import BytesIO
from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet

from skelb.core.bars import Floats, Ints
from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.figures import FIGURE_KEYS, FIGURES, daily_of
from skelb.core.trials import (
    Axis,
    Fold,
    Landmarks,
    Point,
    Results,
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
from skelb.service.tallies import Tallies, odds
from skelb.service.trials.orders import Layout

Document = dict[str, Any]
_MOST_DOTS = 3_000


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

    def surface(self, x: str, y: str | None, held: Mapping[str, int], fold: Fold = "middle") -> Document:
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
        return {
            "values": _plain(values),
            "neighbourhood": _plain(scores),
            "numbers": [None if number < 0 else number for number in numbers.tolist()],
            "plateau": self.number(self.landmarks.plateau),
            "rocks": [int(self.results.numbers[row]) for row in self.landmarks.rocks],
            "best": self.number(self.best),
        }

    def _axis(self, name: str) -> int:
        for place, axis in enumerate(self.axes):
            if axis.name == name:
                return place
        raise SettingsError(f"`{name}` is not an axis of this trial")

    def curves(self, number: int) -> list[Document]:
        """Every axis through a point, the others as there: the objective along it, and which point each is."""
        places = places_of(self.axes, self.results.numbers)
        here = places[:, self.row(number)]
        found = []
        for index, axis in enumerate(self.axes):
            others = np.delete(places, index, axis=0) == np.delete(here, index)[:, None]
            rows = np.flatnonzero(others.all(axis=0))
            line: list[Document | None] = [None] * len(axis.values)
            for row in rows.tolist():
                line[int(places[index, row])] = {"number": int(self.results.numbers[row]), "value": _one(self.values[row]), "score": _one(self.scores[row])}  # fmt: skip
            found.append({"name": axis.name, "values": list(axis.values), "points": line, "at": int(here[index])})
        return found

    def table(self, sort: str, descending: bool, least: Mapping[str, float], most: Mapping[str, float]) -> Ints:
        """The rows whose figures lie between the limits, sorted by a figure, an axis or `neighbourhood`.

        Runs without a value, or too few trades where the objective sorts, come last either way. Raises SettingsError on what is neither.
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

    def dots(self, objectives: Sequence[str]) -> Document:
        """The first two of some objectives of every run for a scatter, thinned to a few thousand, and the front of all."""
        x, y = (self.results.objective(check_objective(name), self.min_trades) for name in objectives[:2])
        known = np.flatnonzero(~(np.isnan(x) | np.isnan(y)))
        rows = np.union1d(known[:: max(1, -(-known.size // _MOST_DOTS))], on_front := self.front(objectives))
        return {
            "x": x[rows].tolist(), "y": y[rows].tolist(), "numbers": self.results.numbers[rows].tolist(),
            "front": self.results.numbers[on_front].tolist(),
        }  # fmt: skip


def best_document(ranking: Ranking, layout: Layout, tallies: Tallies) -> Document:
    """What the best run of a trial is worth after all tries of its script, None where none counts or nothing varies.

    The spread of the tries' Sharpe ratios is that of all of them or of these runs, the larger: trying more must never
    flatter the best.
    """
    found: Document = {"luck": None, "deflation": None}
    if ranking.best is None:
        return found
    point = ranking.point(ranking.best)
    record = layout.sweep.record(point, span=layout.first_span)
    daily = daily_of(record)
    if daily is None:
        return found
    worth = tallies.worth(layout.title, layout.sweep.dataset_of(point), daily)
    days = daily.changes.size / ((int(record.days[-1]) - int(record.days[0]) + 1) / 365.25)
    yearly = _spread(ranking.results.column("sharpe"))
    spreads = [worth.spread, None if yearly is None else yearly / float(np.sqrt(days))]
    spread = max((item for item in spreads if item is not None), default=None)
    found["luck"] = {
        "settings": worth.settings, "by_luck": worth.by_luck, "odds": odds(worth.by_luck), "sentence": worth.sentence,
        "is_kept": tallies.is_kept,
        "best": [
            {"label": item.label, "statistic": item.statistic, "by_luck": share, "odds": odds(share)}
            for item, share in worth.listed
        ],
    }  # fmt: skip
    weighed = deflated(daily.changes, worth.settings, spread) if worth.is_counted else None
    found["deflation"] = None if weighed is None else {**asdict(weighed), "sentence": weighed.sentence}
    return found


def overfitting_document(results: Results, is_walk: bool) -> Document | None:
    """How often the best on half of a trial's days is below the middle on the others; None where that cannot be said."""
    found = overfitting(results.halved(is_walk))
    return None if found is None else {**asdict(found), "sentence": found.sentence}


def against(inside: Ranking, outside: Ranking) -> Document:
    """In sample against out of sample: every point's objective in both, and how alike the two rankings are."""
    numbers, mine, theirs = np.intersect1d(inside.results.numbers, outside.results.numbers, return_indices=True)
    x, y = inside.values[mine], outside.results.column(inside.objective)[theirs]
    known = np.flatnonzero(~(np.isnan(x) | np.isnan(y)))
    shown = known[:: max(1, -(-known.size // _MOST_DOTS))]
    return {
        "x": x[shown].tolist(), "y": y[shown].tolist(), "numbers": numbers[shown].tolist(),
        "rank_correlation": rank_correlation(x, y), "pairs": int(known.size),
    }  # fmt: skip


def run_document(ranking: Ranking, row: int, outside: Ranking | None, labels: Mapping[str, str]) -> Document:
    """One run: inputs, figures of every part, why it could not run, neighbourhood."""
    point, number = ranking.point(row), ranking.number(row)
    assert number is not None
    found = None
    if outside is not None:
        at = int(np.searchsorted(outside.results.numbers, number))
        is_there = at < len(outside.results) and outside.results.numbers[at] == number
        found = outside.results.figures_at(at) if is_there else None
    return {
        "number": number,
        "inputs": point,
        "label": next((labels[value] for value in map(str, point.values()) if value in labels), None),
        "figures": ranking.results.figures_at(row),
        "outside": found,
        "error": ranking.results.errors.get(row),
        "ranked": not bool(np.isnan(ranking.values[row])),
        "neighbourhood": _one(ranking.scores[row]),
    }


def exported(axes: tuple[Axis, ...], parts: Sequence[tuple[str, Results]], labels: Mapping[str, str], form: Literal["csv", "parquet"]) -> bytes:  # fmt: skip
    """All runs as a table: a column for each axis, the part, every figure and the error."""
    tables = [_arrow(axes, name, results, labels) for name, results in parts]
    table = pa.concat_tables(tables)
    sink = BytesIO()
    if form == "csv":
        pyarrow.csv.write_csv(table, sink)
    else:
        pyarrow.parquet.write_table(table, sink)
    return sink.getvalue()


def _arrow(axes: tuple[Axis, ...], part: str, results: Results, labels: Mapping[str, str]) -> pa.Table:
    places = places_of(axes, results.numbers)
    columns: dict[str, Any] = {}
    for axis, at in zip(axes, places, strict=True):
        values = [labels.get(str(value), value) for value in axis.values]
        columns[axis.name] = pa.array([_safe(value) for value in values]).take(pa.array(at))
    if part:
        columns["part"] = [part] * len(results)
    for key in FIGURE_KEYS:
        columns[key] = pa.array(results.column(key), from_pandas=True)
    columns["error"] = [_safe(results.errors.get(row, "")) for row in range(len(results))]
    return pa.table(columns)


def _safe(value: Any) -> Any:
    """A text that no spreadsheet takes for a formula."""
    return f"'{value}" if isinstance(value, str) and value[:1] in "=+-@\t\r" and value else value


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
