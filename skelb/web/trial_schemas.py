"""What goes over the REST API of trials; the front end's types are generated from these."""

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel, Field

from skelb.core.trials import MoveUnit
from skelb.service.setup import Setup
from skelb.service.trials.orders import TrialOrder
from skelb.web.schemas import ConditionOut, Figures, MovesOut, Value


class AxisOut(BaseModel):
    name: str
    values: list[Value]
    ordered: bool
    is_place: bool


class SpanOut(BaseModel):
    name: str
    first: date
    last: date
    days: int


class VaryingOut(BaseModel):
    name: str
    label: str
    default: str
    low: float
    high: float
    step: float
    words: list[str]
    switches: list[str]


class VaryingIn(BaseModel):
    setup: Setup


class EstimateOut(BaseModel):
    total: int
    seconds: float
    memory_bytes: int
    axes: list[AxisOut]
    parts: list[SpanOut]
    held_back: SpanOut | None
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
    axes: list[AxisOut]
    parts: list[SpanOut]
    held_back: SpanOut | None
    looks: int
    looks_ever: int


class TrialLineOut(BaseModel):
    id: int
    kind: Literal["sweep", "walk", "search"]
    title: str
    market: str
    axes: list[str]
    done: int
    total: int


class SurfaceOut(BaseModel):
    values: list[float | None]
    neighbourhood: list[float | None]
    numbers: list[int | None]
    plateau: int | None
    rocks: list[int]
    best: int | None


class TrialRunOut(BaseModel):
    number: int
    inputs: dict[str, Value]
    label: str | None
    figures: Figures | None
    outside: Figures | None
    error: str | None
    ranked: bool
    neighbourhood: float | None


class TableOut(BaseModel):
    total: int
    matching: int
    rows: list[TrialRunOut]


class CurvePointOut(BaseModel):
    number: int
    value: float | None
    score: float | None


class CurveOut(BaseModel):
    name: str
    values: list[Value]
    points: list[CurvePointOut | None]
    at: int


class DotsOut(BaseModel):
    x: list[float]
    y: list[float]
    numbers: list[int]
    front: list[int]


class FrontOut(BaseModel):
    dots: DotsOut
    rows: list[TrialRunOut]


class AgainstOut(BaseModel):
    x: list[float]
    y: list[float]
    numbers: list[int]
    rank_correlation: float | None
    pairs: int
    parts: list[SpanOut]


class DeflatedOut(BaseModel):
    sharpe: float
    tries: int
    expected_best: float
    probability: float
    probability_alone: float
    sentence: str


class BestTryOut(BaseModel):
    label: str
    statistic: float
    by_luck: float
    odds: str


class LuckOut(BaseModel):
    settings: int
    by_luck: float | None
    odds: str
    sentence: str
    is_kept: bool
    best: list[BestTryOut]


class OverfittingOut(BaseModel):
    probability: float
    ways: int
    settings: int
    sentence: str


class DeflationOut(BaseModel):
    title: str
    luck: LuckOut | None
    deflation: DeflatedOut | None
    overfitting: OverfittingOut | None


class LookIn(BaseModel):
    point: int = Field(ge=0)


class LookOut(BaseModel):
    figures: Figures
    looks: int


class ScriptTextOut(BaseModel):
    text: str


class WalkWindowOut(BaseModel):
    inside: SpanOut
    outside: SpanOut
    chosen: dict[str, Value] | None
    inside_figures: Figures | None = None
    outside_figures: Figures | None = None


class StitchedOut(BaseModel):
    net: float
    drawdown: float
    capital: float
    times: list[int]
    equity: list[float]


class WalkOut(BaseModel):
    objective: str
    choose: str
    windows: list[WalkWindowOut]
    windows_in_all: int
    efficiency: float | None
    daily: float | None
    daily_range: list[float] | None
    earned: int
    stitched: StitchedOut
    fixed: StitchedOut | None
    overfitting: OverfittingOut | None
    sentence: str


class StudyIn(BaseModel):
    setup: Setup
    condition: str = Field(default="", max_length=2_000)
    unit: MoveUnit = "points"


class StudiedOut(BaseModel):
    conditions: list[ConditionOut]


class CalendarRowOut(MovesOut):
    group: Literal["weekday", "month", "hour"]
    name: str
    stretches: int
    within: float | None
    within_low: float | None
    within_high: float | None
    usual: float | None
    stands_out: bool


class CalendarOut(BaseModel):
    rows: list[CalendarRowOut]


class BasketIn(BaseModel):
    setup: Setup
    markets: list[str] = Field(min_length=1, max_length=40)
    dropped: list[str] = Field(default_factory=list, max_length=40)
    against: str | None = Field(default=None, max_length=64)


class BasketRowOut(BaseModel):
    market: str
    figures: Figures
    trade_cost: float | None
    day_range: float | None
    cost_share_of_range: float | None


class BasketFindingOut(BaseModel):
    code: str
    severity: str
    message: str


class BasketOut(BaseModel):
    figures: dict[str, Figures]
    findings: list[BasketFindingOut]
    rows: list[BasketRowOut]
    times: list[int]
    equity: list[float]
    holding: list[float | None]
    capital: float


class WorkersOut(BaseModel):
    cluster: str = Field(max_length=200)
    threads: int


class WorkersIn(BaseModel):
    cluster: str = Field(max_length=200)
