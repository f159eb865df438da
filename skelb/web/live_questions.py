"""What a page can ask on its live socket, and what it is answered: one table, which the API's description is made of
too."""

from collections.abc import Callable
from dataclasses import dataclass, fields
from typing import Any, Generic, Literal, TypeVar

from pydantic import BaseModel, Field, TypeAdapter
from pydantic.json_schema import JsonSchemaMode

from skelb.core.export import ChartWindow, Lens
from skelb.core.figures import Figures
from skelb.service.setup import Setup
from skelb.service.shown import BarExplained, FunnelShown, LevelsInForce, Ran, RunShown
from skelb.service.workbench import Workbench

Q = TypeVar("Q", bound=BaseModel)


class _Question(BaseModel):
    id: int


class RunQuestion(_Question):
    """Check and run a setup."""

    setup: Setup


class _OfRun(_Question):
    run: str = Field(max_length=64)


class WindowQuestion(_OfRun):
    """Part of the chart of a run."""

    first: int
    last: int
    columns: int


class BarQuestion(_OfRun):
    """About one bar of a run: what it did there, its figures up to there, or what the bar is made of."""

    bar: int


class TryQuestion(_Question):
    """The figures of a setup with one of its inputs at another value."""

    setup: Setup
    input: str = Field(max_length=100)
    value: float | bool | str


class NextQuestion(_OfRun):
    """The next bar on which a lane's condition turns yes, or (`way` -1) the one before."""

    lane: str = Field(max_length=1000)
    bar: int
    way: Literal[1, -1]


class FunnelQuestion(_OfRun):
    """How many bars and signals each part of a run's entry rules let through."""


class TimesQuestion(_OfRun):
    """The bars of a run at some moments, seconds since 1970 UTC."""

    times: list[int] = Field(max_length=16)
    closed: bool = False


class ChartQuestion(_OfRun):
    """A run on bars of another timeframe."""

    timeframe: str = Field(max_length=8)


class LevelsQuestion(_OfRun):
    """The stops and targets in force on each of some bars."""

    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Tried:
    """Figures with an input at another value, None where it cannot run with that."""

    figures: Figures | None


@dataclass(frozen=True, slots=True)
class NextYes:
    """The bar that was looked for, None where there is none."""

    bar: int | None


@dataclass(frozen=True, slots=True)
class Until:
    """Figures as if the data ended with a bar, which closes at `closed`, seconds since 1970 UTC."""

    closed: int
    figures: Figures


@dataclass(frozen=True, slots=True)
class Levels:
    """The stops and targets in force, bar after bar."""

    levels: list[LevelsInForce]


@dataclass(frozen=True, slots=True)
class BarsAt:
    """A bar for each moment."""

    bars: list[int]


@dataclass(frozen=True, slots=True)
class Chart:
    """A run as it is on the bars of a chart, with a key of its own to ask by."""

    chart: RunShown


@dataclass(frozen=True)
class Kind(Generic[Q]):
    """One kind of question: what it must say, what it is answered, and how."""

    question: type[Q]
    answers: type
    answer: Callable[[Workbench, Q], object]

    def told(self, workbench: Workbench, document: dict[str, Any]) -> dict[str, object]:
        """The answer to a question, and of which run and bar it is. Raises ValidationError on what is no such
        question."""
        asked = self.question.model_validate(document)
        answer = self.answer(workbench, asked)
        echo = {name: getattr(asked, name) for name in self.echoed}
        return echo | {field.name: getattr(answer, field.name) for field in fields(answer)}  # type: ignore[arg-type]

    @property
    def echoed(self) -> tuple[str, ...]:
        """What of a question its answer repeats."""
        if self.question is BarQuestion:
            return "run", "bar"
        return ("run",) if issubclass(self.question, _OfRun) else ()


# What the eye waits for first goes first: of several questions that wait, the earliest here is answered.
LIVE: dict[str, Kind[Any]] = {
    "run": Kind(RunQuestion, Ran, lambda bench, q: bench.run(q.setup)),
    "chart": Kind(ChartQuestion, Chart, lambda bench, q: Chart(bench.chart(q.run, q.timeframe))),
    "bars_at": Kind(TimesQuestion, BarsAt, lambda bench, q: BarsAt(bench.bars_at(q.run, q.times, q.closed))),
    "window": Kind(WindowQuestion, ChartWindow, lambda bench, q: bench.window(q.run, q.first, q.last, q.columns)),
    "explain": Kind(BarQuestion, BarExplained, lambda bench, q: bench.explain(q.run, q.bar)),
    "next": Kind(NextQuestion, NextYes, lambda bench, q: NextYes(bench.next_yes(q.run, q.lane, q.bar, q.way))),
    "until": Kind(BarQuestion, Until, lambda bench, q: Until(*bench.figures_until(q.run, q.bar))),
    "lens": Kind(BarQuestion, Lens, lambda bench, q: bench.lens(q.run, q.bar)),
    "funnel": Kind(FunnelQuestion, FunnelShown, lambda bench, q: bench.funnel(q.run)),
    "levels": Kind(LevelsQuestion, Levels, lambda bench, q: Levels(bench.levels(q.run, q.first, q.last))),
    "try": Kind(TryQuestion, Tried, lambda bench, q: Tried(bench.figures_with(q.setup, q.input, q.value))),
}


class LiveWord(BaseModel):
    """What the live socket says besides answers: no answer and why, how far a run is, what was changed elsewhere."""

    id: int | None = None
    answer: str
    error: str | None = None
    superseded: bool = False
    stopped: bool = False
    done: float | None = None
    what: str | None = None


class LiveHead(BaseModel):
    """The beginning of every answer: the number and kind of its question."""

    id: int
    answer: str


def live_schemas() -> dict[str, Any]:
    """JSON schemas for the description of the API: `LiveQuestions` and `LiveAnswers` have a property for each kind."""
    wanted: list[tuple[str, JsonSchemaMode, TypeAdapter[Any]]] = []
    for kind, item in LIVE.items():
        wanted.append((f"{kind} question", "validation", TypeAdapter(item.question)))
        wanted.append((f"{kind} answer", "serialization", TypeAdapter(item.answers)))
    wanted += [("word", "serialization", TypeAdapter(LiveWord)), ("head", "serialization", TypeAdapter(LiveHead))]
    refs, found = TypeAdapter.json_schemas(wanted, ref_template="#/components/schemas/{model}")
    schemas: dict[str, Any] = found["$defs"]
    head = refs["head", "serialization"]
    answers = {}
    for kind, item in LIVE.items():
        repeated = {name: item.question.model_json_schema()["properties"][name] for name in item.echoed}
        echo = {"type": "object", "properties": repeated, "required": list(repeated)}
        answers[kind] = {"allOf": [head, *([echo] if repeated else []), refs[f"{kind} answer", "serialization"]]}
    questions = {kind: refs[f"{kind} question", "validation"] for kind in LIVE}
    for name, properties, said in (
        ("LiveQuestions", questions, "What can be asked on the live socket, by `ask`."),
        ("LiveAnswers", answers, "What the live socket answers, by `answer`."),
    ):
        schemas[name] = {
            "type": "object",
            "description": said,
            "properties": properties,
            "required": list(properties),
        }
    return schemas
