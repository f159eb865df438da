"""What goes over the REST API of trials; the front end's types are generated from these."""

from datetime import datetime

from pydantic import BaseModel, Field

from skelb.core.figures import Figures
from skelb.core.trials import Axis, MoveUnit, Span
from skelb.service.setup import Setup
from skelb.service.studies import CalendarRow, StudiedCondition
from skelb.service.trials.orders import TrialOrder


class VaryingIn(BaseModel):
    setup: Setup


class EstimateOut(BaseModel):
    total: int
    seconds: float
    memory_bytes: int
    axes: list[Axis]
    parts: list[Span]
    held_back: Span | None
    looks: int


class TrialOut(BaseModel):
    id: int
    title: str
    state: str
    done: int
    total: int
    rate: float | None
    message: str
    created: datetime
    order: TrialOrder
    axes: list[Axis]
    parts: list[Span]
    held_back: Span | None
    looks: int
    looks_ever: int


class LookIn(BaseModel):
    point: int = Field(ge=0)


class LookOut(BaseModel):
    figures: Figures
    looks: int


class ScriptTextOut(BaseModel):
    text: str


class StudyIn(BaseModel):
    setup: Setup
    condition: str = Field(default="", max_length=2_000)
    unit: MoveUnit = "points"


class StudiedOut(BaseModel):
    conditions: list[StudiedCondition]


class CalendarOut(BaseModel):
    rows: list[CalendarRow]


class BasketIn(BaseModel):
    setup: Setup
    dropped: list[str] = Field(default_factory=list, max_length=40)
    against: str | None = Field(default=None, max_length=64)


class WorkersOut(BaseModel):
    cluster: str = Field(max_length=200)
    threads: int


class WorkersIn(BaseModel):
    cluster: str = Field(max_length=200)
