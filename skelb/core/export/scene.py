"""What a script shows on the chart, and windows of it at the resolution of a screen."""

from dataclasses import dataclass
from typing import Any

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
from skelb.core.plan.watching import asks_position

Document = dict[str, Any]
MOST_MARKS = 400


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
    when: int | None


@dataclass(frozen=True)
class MarkRow:
    """A mark; label pieces are texts or memo numbers of values."""

    condition: int
    place: str
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
    kind: str
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
            shades.append(ShadedArea(f"shade{len(shades)}", a, b, statement.color, when))
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
    """A lane for every rule's condition and every joined part that has no name; none of those that ask for the position."""
    found: dict[str, Lane] = {}
    rules = [p.statement.when for p in checked.statements if isinstance(p.statement, (Enter, Exit))]
    named = [checked.definitions[name].value for name in checked.shown_names if name in checked.definitions]
    for kind, node in [("rule", rule) for rule in rules] + [
        ("part", part) for whole in (*named, *rules) if isinstance(whole, Logic) for part in whole.parts
    ]:
        bare = node.x if isinstance(node, Not) else node
        if not isinstance(bare, Name) and not asks_position(node, checked):
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


def scene_document(scene: Scene) -> Document:
    """The legend: which lines, levels, shadings and lanes there are, without their values."""
    lines = [
        {"key": line.key, "name": line.name, "panel": line.panel, "form": line.form, "colors": list(line.colors)}
        for line in scene.lines
    ]
    return {
        "lines": lines,
        "levels": [{"panel": panel, "value": value} for panel, value in scene.levels],
        "shades": [{"key": shade.key, "color": shade.color} for shade in scene.shades],
        "lanes": [{"name": lane.name, "kind": lane.kind} for lane in scene.lanes],
        "tints": [tint.color for tint in scene.tints],
    }


def overview_document(outcome: Outcome, points: int = 600, on: Charted | None = None) -> Document:
    """The whole run in few points: time, close and equity at the end of equal stretches of bars; places are the chart's."""
    size = outcome.last - outcome.first + 1
    ends = evenly(size, points)
    bars = outcome.plan.dataset.bars
    at = ends + outcome.first
    return {
        "x": (on.bars_of(at) if on else at).tolist(),
        "time": bars.time[at].tolist(),
        "close": bars.close[at].tolist(),
        "equity": outcome.equity[ends].tolist(),
    }


def window_document(
    scene: Scene, outcome: Outcome, first: int, last: int, columns: int, on: Charted | None = None
) -> Document:
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
    lines: Document = {}
    for line in scene.lines:
        lines[line.key] = cut.extremes(on.values(value(line.value)))
        if line.tone is not None and step == 1:
            lines[line.key]["tone"] = (on.values(value(line.tone))[cut.rows] == YES).tolist()
    shades: Document = {}
    for shade in scene.shades:
        a, b = cut.ends(on.values(value(shade.a))), cut.ends(on.values(value(shade.b)))
        if shade.when is not None:
            shown = on.values(value(shade.when))[cut.last_rows] == YES
            a = np.where(shown, a, np.nan)
        shades[shade.key] = {"a": plain_values(a), "b": plain_values(b)}

    def share_of(number: int) -> list[float]:
        return cut.share(on.share(spread(value(number), len(scene.dataset)) == YES, cut.rows))

    progress = {
        lane.name: plain_values(cut.ends(on.values(_progress(scene, lane)))) for lane in scene.lanes if lane.progress
    }
    blocked = (outcome.plan.flags & Flag.BLOCKED) != 0
    document: Document = {
        "first": int(cut.first),
        "step": step,
        "x": cut.first_rows.tolist(),
        "time": bars.time[cut.first_rows].tolist(),
        "close_time": on.chart.calendar.close_time[cut.last_rows].tolist(),
        "open": bars.open[cut.first_rows].tolist(),
        "high": np.maximum.reduceat(bars.high[cut.rows], cut.starts).tolist(),
        "low": np.minimum.reduceat(bars.low[cut.rows], cut.starts).tolist(),
        "close": bars.close[cut.last_rows].tolist(),
        "lines": lines,
        "shades": shades,
        "lanes": {lane.name: share_of(lane.value) for lane in scene.lanes},
        "progress": progress,
        "tints": [share_of(tint.condition) for tint in scene.tints],
        "blocked": cut.share(on.share(blocked, cut.rows)),
        "marks": _marks(scene, cut, on),
    }
    document |= _account_rows(outcome, cut, on)
    return document


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


def _account_rows(outcome: Outcome, cut: "_Cut", on: Charted) -> Document:
    """Equity, drawdown, holding and floating profit, unknown outside the dates of the run."""
    bars = outcome.plan.dataset.bars

    def placed(values: Floats) -> Floats:
        whole = np.full(len(on.of), np.nan)
        whole[outcome.first : outcome.last + 1] = values
        return on.values(whole)

    held = bars.close[outcome.first : outcome.last + 1] / bars.open[outcome.first] * outcome.capital
    return {
        "equity": cut.extremes(placed(outcome.equity)),
        "drawdown": plain_values(cut.reduce(np.fmax, placed(drawdown_of(outcome.equity, outcome.capital)))),
        "holding": plain_values(cut.ends(placed(held))),
        "position": plain_values(cut.ends(placed(_position(outcome).astype(np.float64)))),
        "floating": plain_values(cut.ends(placed(_floating(outcome)))),
    }


def _position(outcome: Outcome) -> np.ndarray:
    """1, -1 or 0 at each bar's close, shape of the equity."""
    lots = np.zeros(outcome.equity.size + 1, np.int64)
    trades = outcome.trades
    np.add.at(lots, trades.entry_bar - outcome.first, trades.side)
    np.subtract.at(lots, trades.exit_bar - outcome.first, trades.side)
    return np.sign(np.cumsum(lots)[:-1])


def _floating(outcome: Outcome) -> Floats:
    """Profit of the open position at each bar's close after its entry costs, money; 0 when flat."""
    earned = np.zeros(outcome.equity.size + 1)
    np.add.at(earned, outcome.trades.exit_bar - outcome.first, outcome.trades.net)
    closed = outcome.capital + np.cumsum(earned)[:-1]
    return np.where(_position(outcome) != 0, outcome.equity - closed, 0.0)


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

    def extremes(self, values: Floats) -> Document:
        """The values, or lowest and highest of each column."""
        if self.step == 1:
            return {"value": plain_values(values[self.rows])}
        low, high = self.reduce(np.fmin, values), self.reduce(np.fmax, values)
        return {"value": plain_values(self.ends(values)), "low": plain_values(low), "high": plain_values(high)}

    def share(self, shares: Floats) -> list[float]:
        """The mean share of each column's bars, from those of all rows."""
        counts = np.add.reduceat(shares, self.starts)
        widths = self.last_rows - self.first_rows + 1
        return np.round(counts / widths, 4).tolist()


def _marks(scene: Scene, cut: _Cut, on: Charted) -> list[Document]:
    """Marks in the window, none when there are too many to tell apart."""
    found: list[Document] = []
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
            found.append(
                {"bar": int(place), "place": mark.place, "form": mark.form, "color": mark.color, "label": label}
            )
    return found


def evenly(size: int, most: int) -> Ints:
    """Up to `most` places of `size`, evenly apart, the first and the last among them: int64, ascending."""
    return np.unique(np.linspace(0, size - 1, min(most, size)).astype(np.int64))


def spread(value: np.ndarray, size: int) -> np.ndarray:
    """A value on every bar, shape (n,)."""
    return np.broadcast_to(value, size) if value.size == 1 else value


def plain_values(values: Floats) -> list[float | None]:
    """Numbers with None for unknown, as JSON needs them."""
    if np.isfinite(values).all():
        return values.tolist()
    return [item if item == item else None for item in values.tolist()]
