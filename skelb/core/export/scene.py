"""What a script shows on the chart, and windows of it at the resolution of a screen."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.catalogue import YES
from skelb.core.engine import Outcome
from skelb.core.export.charted import Charted
from skelb.core.figures import drawdown_of
from skelb.core.language import Checked, label_parts
from skelb.core.language.tools import written
from skelb.core.language.tree import Alert, Draw, Enter, Exit, Expression, Level, Logic, Mark, Name, Not, Shade, Tint
from skelb.core.plan import Dataset, Expressions, Flag

MOST_MARKS = 400
Column = list[float | None]
LaneKind = Literal["condition", "rule", "part", "alert"]


@dataclass(frozen=True, slots=True)
class LegendLine:
    """A drawn line without its values; `panel` None is over price; the second colour is where its tone is not yes."""

    key: str
    name: str
    panel: str | None
    form: str
    colors: tuple[str, str]


@dataclass(frozen=True, slots=True)
class LegendLevel:
    """A level line."""

    panel: str | None
    value: float


@dataclass(frozen=True, slots=True)
class LegendShade:
    """An area between two lines."""

    key: str
    color: str | None
    strength: float | None


@dataclass(frozen=True, slots=True)
class LegendLane:
    """A strip of one condition."""

    name: str
    kind: LaneKind


@dataclass(frozen=True, slots=True)
class Legend:
    """Which lines, levels, shadings, lanes and tints a script shows, without their values."""

    lines: list[LegendLine]
    levels: list[LegendLevel]
    shades: list[LegendShade]
    lanes: list[LegendLane]
    tints: list[str]


@dataclass(frozen=True, slots=True)
class Overview:
    """A whole run in few points: the chart's bars, times (seconds since 1970 UTC), closes, and equity in money."""

    x: list[int]
    time: list[int]
    close: list[float]
    equity: list[float]


@dataclass(frozen=True, slots=True)
class Extremes:
    """A series in columns: the value at each one's end, and the lowest and highest in it where it has several bars.

    `tone` says where a line has its first colour; None where it has but one.
    """

    value: Column
    low: Column | None = None
    high: Column | None = None
    tone: list[bool] | None = None


@dataclass(frozen=True, slots=True)
class ShadeColumns:
    """Both edges of a shaded area; the first is unknown where nothing is shaded."""

    a: Column
    b: Column


@dataclass(frozen=True, slots=True)
class ShownMark:
    """A mark at a bar of the chart."""

    bar: int
    place: Literal["above", "below"]
    form: str
    color: str
    label: str


@dataclass(frozen=True, slots=True)
class ChartWindow:
    """Part of a run's chart in columns of `step` bars, the first of them at bar `first`; unknown values are None.

    Prices as on the market, equity and floating profit in money, drawdown as shares of the highest equity; lanes, tints
    and `blocked` are shares of the column's bars, `position` 1, -1 or 0. By name or key, as the legend has them.
    """

    first: int
    step: int
    x: list[int]
    time: list[int]
    close_time: list[int]
    open: list[float]
    high: list[float]
    low: list[float]
    close: list[float]
    lines: dict[str, Extremes]
    shades: dict[str, ShadeColumns]
    lanes: dict[str, list[float]]
    progress: dict[str, Column]
    tints: list[list[float]]
    blocked: list[float]
    marks: list[ShownMark]
    equity: Extremes
    drawdown: Column
    holding: Column
    position: Column
    floating: Column


@dataclass(frozen=True)
class Line:
    """A drawn line; `panel` None is over price. `tone` chooses the second colour where it is not yes."""

    key: str
    name: str
    value: int
    panel: str | None
    form: str
    colors: tuple[str, str]
    tone: int | None


@dataclass(frozen=True)
class ShadedArea:
    """An area between two values, shown where `when` is yes."""

    key: str
    a: int
    b: int
    color: str | None
    strength: float | None
    when: int | None


@dataclass(frozen=True)
class MarkRow:
    """A mark; label pieces are texts or memo numbers of values."""

    condition: int
    place: Literal["above", "below"]
    form: str
    color: str
    label: tuple[str | int, ...]


@dataclass(frozen=True)
class Lane:
    """A condition's strip; `progress` are the waiting steps of a sequence, or the share seen of an `all of`.

    `kind` says what it is of: a named condition, a rule that is none, a part that `and` or `or` joins, or an alert.
    """

    name: str
    value: int
    kind: LaneKind
    progress: tuple[int, ...] = ()


@dataclass(frozen=True)
class TintRow:
    """Bars coloured where a condition is yes."""

    condition: int
    color: str


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything a script shows, as memo numbers of one dataset."""

    dataset: Dataset
    expressions: Expressions
    lines: tuple[Line, ...]
    levels: tuple[tuple[str | None, float], ...]
    shades: tuple[ShadedArea, ...]
    marks: tuple[MarkRow, ...]
    lanes: tuple[Lane, ...]
    tints: tuple[TintRow, ...]


def scene_of(checked: Checked, expressions: Expressions, dataset: Dataset) -> Scene:
    """The scene of a sound script on a dataset."""
    lines: list[Line] = []
    levels: list[tuple[str | None, float]] = []
    shades: list[ShadedArea] = []
    marks: list[MarkRow] = []
    tinted: list[TintRow] = []
    alerts: list[Lane] = []
    tints = ("deep", "brass", "soft", "long", "short")
    for placed in checked.statements:
        statement = placed.statement
        if isinstance(statement, Draw):
            tone = statement.color.when if statement.color else None
            for index, value in enumerate(statement.values):
                name = statement.named if statement.named and index == 0 else _written(value, placed.text)
                first = statement.color.word if statement.color else tints[len(lines) % len(tints)]
                second = (statement.color.otherwise if statement.color else None) or first
                lines.append(
                    Line(f"line{len(lines)}", name, expressions.number(value), statement.panel, statement.form,
                         (first, second), None if tone is None else expressions.number(tone))
                )  # fmt: skip
        elif isinstance(statement, Level):
            levels.extend((statement.panel, expressions.constant(value)) for value in statement.values)
        elif isinstance(statement, Shade):
            when = None if statement.when is None else expressions.number(statement.when)
            a, b = expressions.number(statement.a), expressions.number(statement.b)
            shades.append(ShadedArea(f"shade{len(shades)}", a, b, statement.color, statement.strength, when))
        elif isinstance(statement, Mark):
            color = statement.color or ("long" if statement.place == "below" else "short")
            label = _label(statement, checked, expressions)
            marks.append(MarkRow(expressions.number(statement.when), statement.place, statement.form, color, label))
        elif isinstance(statement, Tint):
            tinted.append(TintRow(expressions.number(statement.when), statement.color or "brass"))
        elif isinstance(statement, Alert):
            text = f"alert {_written(statement.when, placed.text)}"
            alerts.append(Lane(text, expressions.number(statement.when), "alert"))
    lanes = (*_lanes(checked, expressions), *alerts, *_rule_lanes(checked, expressions))
    return Scene(dataset, expressions, tuple(lines), tuple(levels), tuple(shades), tuple(marks), lanes, tuple(tinted))


def _lanes(checked: Checked, expressions: Expressions) -> list[Lane]:
    """A lane for every named condition."""
    found = []
    for name in checked.shown_names:
        if checked.meanings[name].kind == "condition":
            meant = checked.definitions.get(name)
            progress = expressions.progress(meant.value) if meant else ()
            found.append(Lane(name, expressions.number(Name(name, (0, 0))), "condition", progress))
    return found


def _rule_lanes(checked: Checked, expressions: Expressions) -> list[Lane]:
    """A lane for every rule's condition and every joined part that has no name; none of those that ask for the
    position."""
    found: dict[str, Lane] = {}
    rules = [p.statement.when for p in checked.statements if isinstance(p.statement, (Enter, Exit))]
    named = [checked.definitions[name].value for name in checked.shown_names if name in checked.definitions]
    parts = [part for whole in (*named, *rules) if isinstance(whole, Logic) for part in whole.parts]
    for place, node in enumerate((*rules, *parts)):
        kind: LaneKind = "rule" if place < len(rules) else "part"
        bare = node.x if isinstance(node, Not) else node
        if not isinstance(bare, Name) and not checked.is_of_position(node):
            text = written(node)
            found.setdefault(text, Lane(text, expressions.number(node), kind))
    return list(found.values())


def _written(node: Expression, text: str) -> str:
    return " ".join(text[node.span[0] : node.span[1]].split())


def _label(statement: Mark, checked: Checked, expressions: Expressions) -> tuple[str | int, ...]:
    pieces: list[str | int] = []
    for part in label_parts(statement.label or ""):
        pieces.append(expressions.number(checked.label_value(part.text)) if part.is_value else part.text)
    return tuple(pieces)


def legend_of(scene: Scene) -> Legend:
    """What a scene shows, without its values."""
    return Legend(
        [LegendLine(line.key, line.name, line.panel, line.form, line.colors) for line in scene.lines],
        [LegendLevel(panel, value) for panel, value in scene.levels],
        [LegendShade(shade.key, shade.color, shade.strength) for shade in scene.shades],
        [LegendLane(lane.name, lane.kind) for lane in scene.lanes],
        [tint.color for tint in scene.tints],
    )


def overview_of(outcome: Outcome, points: int = 600, on: Charted | None = None) -> Overview:
    """The whole run in few points: time, close and equity at the end of equal stretches of bars; places are the
    chart's."""
    size = outcome.last - outcome.first + 1
    ends = evenly(size, points)
    bars = outcome.plan.dataset.bars
    at = ends + outcome.first
    return Overview(
        x=(on.bars_of(at) if on else at).tolist(),
        time=bars.time[at].tolist(),
        close=bars.close[at].tolist(),
        equity=outcome.equity[ends].tolist(),
    )


def window_of(
    scene: Scene, outcome: Outcome, first: int, last: int, columns: int, on: Charted | None = None
) -> ChartWindow:
    """Bars `first` to `last` in at most `columns` columns, extremes kept: nothing is skipped, only gathered.

    With one bar a column (`step` 1) values are exact; else lines and equity come as lowest and highest of each
    column, conditions as the share of bars on which they were yes. Bars are those of the chart, where it has others
    than the run.
    """
    on = on or Charted.own(scene.dataset)
    bars, size = on.chart.bars, on.size
    first, last = max(0, min(first, size - 1)), max(0, min(last, size - 1))
    step = max(1, -(-(last - first + 1) // max(1, columns)))
    first = first // step * step  # aligned, so that columns do not flicker while the chart is dragged
    cut = _Cut(first, min(size, (last // step + 1) * step), step)
    value = scene.expressions.value

    def line_of(line: Line) -> Extremes:
        values = cut.extremes(on.values(value(line.value)))
        if line.tone is None or step > 1:
            return values
        return replace(values, tone=(on.values(value(line.tone))[cut.rows] == YES).tolist())

    shades: dict[str, ShadeColumns] = {}
    for shade in scene.shades:
        a, b = cut.ends(on.values(value(shade.a))), cut.ends(on.values(value(shade.b)))
        if shade.when is not None:
            shown = on.values(value(shade.when))[cut.last_rows] == YES
            a = np.where(shown, a, np.nan)
        shades[shade.key] = ShadeColumns(plain_values(a), plain_values(b))

    def share_of(number: int) -> list[float]:
        return cut.share(on.share(spread(value(number), len(scene.dataset)) == YES, cut.rows))

    progress = {
        lane.name: plain_values(cut.ends(on.values(_progress(scene, lane)))) for lane in scene.lanes if lane.progress
    }
    blocked = (outcome.plan.flags & Flag.BLOCKED) != 0
    account = _Account(outcome, on)
    return ChartWindow(
        first=int(cut.first),
        step=step,
        x=cut.first_rows.tolist(),
        time=bars.time[cut.first_rows].tolist(),
        close_time=on.chart.calendar.close_time[cut.last_rows].tolist(),
        open=bars.open[cut.first_rows].tolist(),
        high=np.maximum.reduceat(bars.high[cut.rows], cut.starts).tolist(),
        low=np.minimum.reduceat(bars.low[cut.rows], cut.starts).tolist(),
        close=bars.close[cut.last_rows].tolist(),
        lines={line.key: line_of(line) for line in scene.lines},
        shades=shades,
        lanes={lane.name: share_of(lane.value) for lane in scene.lanes},
        progress=progress,
        tints=[share_of(tint.condition) for tint in scene.tints],
        blocked=cut.share(on.share(blocked, cut.rows)),
        marks=_marks(scene, cut, on),
        equity=cut.extremes(account.equity),
        drawdown=plain_values(cut.reduce(np.fmax, account.drawdown)),
        holding=plain_values(cut.ends(account.holding)),
        position=plain_values(cut.ends(account.position)),
        floating=plain_values(cut.ends(account.floating)),
    )


def _progress(scene: Scene, lane: Lane) -> Floats:
    """How far the lane's sequence has come at each close, 0 to 1, shape (n,)."""
    size = len(scene.dataset)
    done = np.zeros(size)
    for index, number in enumerate(lane.progress):
        value = spread(scene.expressions.value(number), size)
        if value.dtype == np.float64:
            np.maximum(done, value, out=done)
        else:
            done[value == YES] = (index + 1) / (len(lane.progress) + 1)
    return done


class _Account:
    """What an account was at each bar of the chart, unknown outside the dates of the run; money, shapes (n,)."""

    def __init__(self, outcome: Outcome, on: Charted) -> None:
        self._outcome, self._on = outcome, on

    @property
    def equity(self) -> Floats:
        """Equity at each close."""
        return self._placed(self._outcome.equity)

    @property
    def drawdown(self) -> Floats:
        """How far equity is below its highest, as a share of that."""
        return self._placed(drawdown_of(self._outcome.equity, self._outcome.capital))

    @property
    def holding(self) -> Floats:
        """The capital had it held the market instead."""
        bars, of = self._outcome.plan.dataset.bars, self._outcome
        return self._placed(bars.close[of.first : of.last + 1] / bars.open[of.first] * of.capital)

    @property
    def position(self) -> Floats:
        """1, -1 or 0 at each close."""
        return self._placed(self._sides.astype(np.float64))

    @property
    def floating(self) -> Floats:
        """Profit of the open position at each close after its entry costs; 0 when flat."""
        outcome = self._outcome
        earned = np.zeros(outcome.equity.size + 1)
        np.add.at(earned, outcome.trades.exit_bar - outcome.first, outcome.trades.net)
        closed = outcome.capital + np.cumsum(earned)[:-1]
        return self._placed(np.where(self._sides != 0, outcome.equity - closed, 0.0))

    @cached_property
    def _sides(self) -> Ints:
        outcome = self._outcome
        lots, trades = np.zeros(outcome.equity.size + 1, np.int64), outcome.trades
        np.add.at(lots, trades.entry_bar - outcome.first, trades.side)
        np.subtract.at(lots, trades.exit_bar - outcome.first, trades.side)
        return np.sign(np.cumsum(lots)[:-1])

    def _placed(self, values: Floats) -> Floats:
        whole = np.full(len(self._on.of), np.nan)
        whole[self._outcome.first : self._outcome.last + 1] = values
        return self._on.values(whole)


class _Cut:
    """Bars first to end (left out) gathered into columns of `step` bars."""

    def __init__(self, first: int, end: int, step: int) -> None:
        self.first, self.step = first, step
        self.rows = slice(first, end)
        self.starts = np.arange(0, end - first, step)
        self.first_rows = self.starts + first
        self.last_rows = np.append(self.first_rows[1:], end) - 1

    def ends(self, values: Floats) -> Floats:
        """The value at the end of each column."""
        return values[self.last_rows]

    def reduce(self, join: np.ufunc, values: Floats) -> Floats:
        """Each column joined to one value."""
        return np.asarray(join.reduceat(values[self.rows], self.starts))

    def extremes(self, values: Floats) -> Extremes:
        """The values, or lowest and highest of each column."""
        if self.step == 1:
            return Extremes(plain_values(values[self.rows]))
        low, high = self.reduce(np.fmin, values), self.reduce(np.fmax, values)
        return Extremes(plain_values(self.ends(values)), plain_values(low), plain_values(high))

    def share(self, shares: Floats) -> list[float]:
        """The mean share of each column's bars, from those of all rows."""
        counts = np.add.reduceat(shares, self.starts)
        widths = self.last_rows - self.first_rows + 1
        return np.round(counts / widths, 4).tolist()


def _marks(scene: Scene, cut: _Cut, on: Charted) -> list[ShownMark]:
    """Marks in the window, none when there are too many to tell apart."""
    found: list[ShownMark] = []
    size = len(scene.dataset)
    for mark in scene.marks:
        made = np.flatnonzero(spread(scene.expressions.value(mark.condition), size) == YES)
        places = on.bars_of(made)
        inside = (places >= cut.rows.start) & (places < cut.rows.stop)
        where = made[inside]
        if len(found) + where.size > MOST_MARKS:
            return []
        for bar, place in zip(where, places[inside], strict=True):
            label = "".join(
                piece if isinstance(piece, str) else f"{spread(scene.expressions.value(piece), size)[bar]:g}"
                for piece in mark.label
            )
            found.append(ShownMark(int(place), mark.place, mark.form, mark.color, label))
    return found


def evenly(size: int, most: int) -> Ints:
    """Up to `most` places of `size`, evenly apart, the first and the last among them: int64, ascending."""
    return np.unique(np.linspace(0, size - 1, min(most, size)).astype(np.int64))


def spread(value: np.ndarray, size: int) -> np.ndarray:
    """A value on every bar, shape (n,)."""
    return np.broadcast_to(value, size) if value.size == 1 else value


def plain_values(values: Floats) -> Column:
    """Numbers with None for unknown, as JSON needs them."""
    if np.isfinite(values).all():
        return values.tolist()
    return [item if item == item else None for item in values.tolist()]
