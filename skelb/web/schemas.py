"""What goes over the REST API; the front end's types are generated from these."""

from dataclasses import dataclass
from datetime import date, datetime
from typing import Annotated, Any

from pydantic import Base64Bytes, BaseModel, Field

from skelb.core.bars import Guess, Joining
from skelb.core.export import Conversion, ConversionChart
from skelb.core.figures import FigureGroup, Figures
from skelb.core.language.bringing import BroughtLine, Question
from skelb.core.language.tools import NearerKind
from skelb.core.trials import ChallengeRules, HistoryRules
from skelb.core.trials import Kind as ResampleKind
from skelb.service.importing.imports import How
from skelb.service.keeping import Kind
from skelb.service.planning import RuleExample
from skelb.service.practice import FeedChoice
from skelb.service.quality import OddKind
from skelb.service.settings import AccountSettings, MarketSettings
from skelb.service.setup import Setup
from skelb.service.workbench import Closes

Value = float | bool | str


class StartOut(BaseModel):
    engine_version: str
    script: str
    market: str
    timeframe: str
    account: str


class EntryOut(BaseModel):
    name: str
    kind: str
    form: str
    summary: str
    fields: list[str]
    formula: str = ""
    source: str = ""
    first_known: str = ""


class FigureOut(BaseModel):
    key: str
    unit: str
    name: str
    meaning: str
    higher_is_better: bool | None
    group: FigureGroup


class CatalogueOut(BaseModel):
    entries: list[EntryOut]
    figures: list[FigureOut]


class ScriptVersionOut(BaseModel):
    number: int
    text: str
    created: datetime


class HomeOut(BaseModel):
    market: str
    timeframe: str


class ScriptOut(BaseModel):
    title: str
    status: str
    lesson: str
    versions: list[ScriptVersionOut]
    home: HomeOut | None
    uses: list[str]


class ScriptIn(BaseModel):
    text: str = Field(max_length=1_100_000)
    after: int | None = Field(default=None, ge=0, description="the newest version that is known of, 0 for none")


class SentFile(BaseModel):
    name: str = Field(max_length=1_000)
    data: Base64Bytes = Field(max_length=60_000_000)


class ShelfIn(BaseModel):
    files: list[SentFile] = Field(max_length=5_000)
    take: bool = False


class RenameIn(BaseModel):
    title: str
    to: str = Field(max_length=1_000)


class DuplicateIn(BaseModel):
    title: str
    version: int | None = None


class RemovalIn(BaseModel):
    kind: Kind
    name: str = Field(max_length=200)


class DependsOut(BaseModel):
    sentences: list[str]


class StatusIn(BaseModel):
    title: str
    status: str


class MarketBarsOut(BaseModel):
    timeframe: str
    rows: int
    version: int
    first: datetime
    last: datetime
    left_out: int


class MarketOut(BaseModel):
    symbol: str
    title: str
    settings: MarketSettings
    described: int
    earlier: list[dict[str, Any]]
    bars: list[MarketBarsOut]


class MarketIn(BaseModel):
    symbol: str
    title: str = Field(default="", max_length=200)
    settings: dict[str, Any]


class RefusedOut(BaseModel):
    line: int
    reason: str
    text: str


class ImportOut(BaseModel):
    token: str
    name: str
    symbol: str
    rows: int
    timeframe: str
    first: datetime
    last: datetime
    notes: list[str]
    roles: dict[str, str]
    extra_columns: list[str]
    refused: list[RefusedOut]
    refused_count: int
    reasons: dict[str, int]
    sample: list[dict[str, Any]]
    preview: Closes
    guesses: list[Guess]


class ImportIn(BaseModel):
    token: str
    symbol: str
    title: str = Field(default="", max_length=200)
    settings: dict[str, Any] = Field(default_factory=dict)
    how: How = "instead"


class CompareIn(BaseModel):
    token: str
    symbol: str


class ComparedOut(BaseModel):
    joining: Joining | None


class DescribedIn(BaseModel):
    symbol: str
    described: dict[str, Any] = Field(default_factory=dict, max_length=40)


class BringBackIn(BaseModel):
    symbol: str
    begins: int | None = None
    ends: int | None = None


class LeaveOutIn(DescribedIn):
    kind: OddKind | None = None
    begins: int | None = None
    ends: int | None = None


class AccountOut(BaseModel):
    name: str
    settings: AccountSettings


class AccountIn(BaseModel):
    name: str = Field(max_length=200)
    settings: AccountSettings


class BasketBody(BaseModel):
    name: str = Field(max_length=200)
    markets: list[Annotated[str, Field(max_length=64)]] = Field(max_length=1_000)


class RenameNamedIn(BaseModel):
    name: str = Field(max_length=200)
    to: str = Field(max_length=1_000)


class RunIn(BaseModel):
    setup: Setup


class KeepIn(BaseModel):
    setup: Setup
    parent: int | None = Field(default=None, ge=0)


class CompareRunsIn(BaseModel):
    runs: list[Annotated[int, Field(ge=0)]] = Field(max_length=10)
    alike: bool = False


class NoteIn(BaseModel):
    star: bool | None = None
    tags: list[Annotated[str, Field(max_length=100)]] | None = Field(default=None, max_length=50)
    note: str | None = Field(default=None, max_length=2_000)


class SwingsIn(BaseModel):
    percent: float = Field(default=10.0, gt=0, le=1_000)
    ranges: float = Field(default=4.0, ge=0, le=1_000)
    sideways: float = Field(default=1 / 3, ge=0, le=1)


class ReportIn(BaseModel):
    setup: Setup
    against: str | None = Field(default=None, max_length=64)
    swings: SwingsIn = Field(default_factory=SwingsIn)


class NearerIn(BaseModel):
    setup: Setup
    kind: NearerKind
    level: float = Field(gt=0, le=1_000)


class KeptRunOut(BaseModel):
    number: int
    title: str
    created: datetime
    setup: Setup
    figures: dict[str, Figures]


class GuideRowOut(BaseModel):
    id: str
    group: str
    title: str
    summary: str
    also: str


class GuideEntryOut(GuideRowOut):
    text: str
    example: str


class TextOut(BaseModel):
    text: str = Field(max_length=1_100_000)


class BriefIn(BaseModel):
    text: str = Field(max_length=1_100_000)
    wish: str = Field(default="", max_length=20_000)
    setup: Setup | None = None


class BringIn(BaseModel):
    text: str = Field(max_length=200_000)
    answers: dict[str, int] = Field(default_factory=dict, max_length=1_000)


class BringRunIn(BringIn):
    setup: Setup


@dataclass(frozen=True, slots=True)
class BroughtOut:
    """A script in another notation brought over, line by line, and what is asked."""

    text: str
    lines: tuple[BroughtLine, ...]
    questions: tuple[Question, ...]
    sure: int
    asked: int
    left: int


class PracticeIn(BaseModel):
    setup: Setup
    feed: FeedChoice
    since: date | None = None
    run: int | None = Field(default=None, ge=0)


class PracticeOut(BaseModel):
    number: int


class WebhookIn(BaseModel):
    url: str = Field(max_length=500)
    secret: str = Field(default="", max_length=200)


class WebhookTried(BaseModel):
    is_taken: bool
    answer: str


class PaceIn(BaseModel):
    pace: float = Field(ge=0, le=1e6)


class WrongOut(BaseModel):
    errors: int
    text: str


class ConversionNamesOut(BaseModel):
    names: list[str]
    columns: list[str]


@dataclass(frozen=True, slots=True)
class ConversionOut(Conversion):
    """A comparison with both lines around the first difference."""

    chart: ConversionChart


class ConversionIn(BaseModel):
    setup: Setup
    name: str = Field(max_length=200)
    column: str = Field(max_length=200)


class SheetRowOut(BaseModel):
    section: str
    side: str | None
    text: str
    start: int
    end: int
    is_on: bool
    off: str
    mirror: str | None


class SheetOut(BaseModel):
    rows: list[SheetRowOut]
    examples: list[RuleExample]


class OtherBars(BaseModel):
    market: str
    timeframe: str


class StressIn(BaseModel):
    setup: Setup
    others: list[OtherBars] = Field(default_factory=list, max_length=12)


class ResampleIn(BaseModel):
    setup: Setup
    kind: ResampleKind = "bootstrap"
    samples: int = Field(default=1_000, ge=1, le=20_000)
    seed: int = 1
    share: float = Field(default=0.1, ge=0, le=1)
    block: int = Field(default=10, ge=1)


class HistoriesIn(BaseModel):
    setup: Setup
    rules: HistoryRules = HistoryRules()


class ChallengeIn(BaseModel):
    setup: Setup
    rules: ChallengeRules
