"""The REST API under /api. Handlers translate; what is done stands in the service."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.concurrency import run_in_threadpool

from skelb.core.bars import Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS
from skelb.core.errors import BarsError
from skelb.core.figures import FIGURES
from skelb.service.application import Application, first_setup, home_of
from skelb.service.bars_csv import MOST_BYTES
from skelb.service.library import StoredMarket, StoredScript
from skelb.service.trials import Surface, TrialState
from skelb.service.workbench import keep_run, kept_trace, market_preview
from skelb.web.schemas import (
    AccountOut,
    AxisOut,
    CatalogueOut,
    CellOut,
    EntryOut,
    FigureOut,
    HomeOut,
    ImportIn,
    ImportOut,
    KeptRunOut,
    MarketBarsOut,
    MarketIn,
    MarketOut,
    RefusedOut,
    RunIn,
    ScriptIn,
    ScriptOut,
    ScriptVersionOut,
    StartOut,
    StatusIn,
    SurfaceOut,
    SweepIn,
    SweepPlanOut,
    TraceOut,
    TrialOut,
)
from skelb.web.served import App

router = APIRouter(prefix="/api")


@router.get("/start")
def start() -> StartOut:
    """What the Workbench opens with."""
    return StartOut(**first_setup())


@router.get("/catalogue")
def catalogue() -> CatalogueOut:
    """Built-in names, functions and figures with their documentation."""
    functions = [
        EntryOut(name=item.name, kind="function", form=item.signature, summary=item.summary, fields=list(item.fields),
                 formula=item.formula, source=item.source, first_known=item.first_known)
        for item in FUNCTIONS.values()
    ]  # fmt: skip
    names = [
        EntryOut(name=item.name, kind="name", form=item.name, summary=item.summary, fields=list(item.fields))
        for item in BUILT_INS.values()
    ]
    figures = [
        FigureOut(
            key=item.key, unit=item.unit, name=item.name, meaning=item.meaning, higher_is_better=item.higher_is_better
        )
        for item in FIGURES
    ]
    return CatalogueOut(entries=functions + names, figures=figures)


# --- scripts ---------------------------------------------------------------------------------------------------


@router.get("/scripts")
def scripts(app: App) -> list[ScriptOut]:
    """All scripts with their versions."""
    return [_script(item) for item in app.library.scripts()]


@router.post("/scripts")
def save_script(body: ScriptIn, app: App) -> ScriptOut:
    """Save a text as the newest version of the script it is titled."""
    return _script(app.library.save_script(body.text))


@router.post("/scripts/status")
def set_status(body: StatusIn, app: App) -> ScriptOut:
    """Say how far a script is trusted."""
    return _script(app.library.set_status(body.title, body.status))


def _script(item: StoredScript) -> ScriptOut:
    versions = [
        ScriptVersionOut(
            number=version.number,
            text=version.text,
            created=version.created.replace(tzinfo=version.created.tzinfo or UTC),
        )
        for version in item.versions
    ]
    home = home_of(item.title)
    return ScriptOut(
        title=item.title, status=item.status, lesson=item.lesson, versions=versions,
        home=HomeOut(market=home[0], timeframe=home[1]) if home else None,
    )  # fmt: skip


# --- markets and accounts --------------------------------------------------------------------------------------


@router.get("/markets")
def markets(app: App) -> list[MarketOut]:
    """All markets with what is stored of them."""
    return [_market(item) for item in app.library.markets()]


@router.get("/markets/preview")
def preview(app: App, symbol: str) -> dict[str, list[float]]:
    """A few closes over all stored time."""
    return market_preview(app.datasets.get(symbol, None).bars)


@router.put("/markets")
def save_market(body: MarketIn, app: App) -> MarketOut:
    """Change a market's description; its bars stay."""
    stored = app.library.market(body.symbol)
    return _market(app.library.save_market(stored.symbol, body.title, body.settings, []))


@router.post("/imports")
async def read_import(request: Request, app: App, name: str, zone: str = "UTC") -> ImportOut:
    """Read a file of bars without storing anything."""
    data = await request.body()
    if len(data) > MOST_BYTES:
        raise BarsError("the file is too large")
    return await run_in_threadpool(_read_import, app, name, data, zone)


def _read_import(app: Application, name: str, data: bytes, zone: str) -> ImportOut:
    found = app.imports.read(name, data, zone)
    file = found.file
    bars = file.bars
    rows = min(5, len(bars))
    sample = [
        {"time": _iso(int(bars.time[i])), "open": bars.open[i], "high": bars.high[i], "low": bars.low[i],
         "close": bars.close[i], "volume": bars.volume[i]}
        for i in range(rows)
    ]  # fmt: skip
    return ImportOut(
        token=found.token, name=found.name, rows=len(bars), timeframe=str(bars.timeframe), first=_iso(int(bars.time[0])),
        last=_iso(int(bars.time[-1])), notes=file.notes, roles=file.columns, extra_columns=list(bars.columns),
        refused=[RefusedOut(line=row.line, reason=row.reason, text=row.text) for row in file.refused],
        refused_count=file.refused_count, reasons=file.reasons, sample=sample, preview=market_preview(bars),
    )  # fmt: skip


@router.post("/imports/store")
def store_import(body: ImportIn, app: App) -> MarketOut:
    """Store a file that was read, in one transaction."""
    return _market(app.imports.store(body.token, body.symbol, body.title, body.settings))


@router.get("/accounts")
def accounts(app: App) -> list[AccountOut]:
    """All accounts."""
    return [AccountOut(name=name, settings=settings.model_dump()) for name, settings in app.library.accounts().items()]


def _market(item: StoredMarket) -> MarketOut:
    bars = [
        MarketBarsOut(timeframe=str(Timeframe(part.timeframe_minutes)), rows=part.row_count, version=part.version,
                      first=_iso(part.first_time), last=_iso(part.last_time))
        for part in item.bars
    ]  # fmt: skip
    return MarketOut(symbol=item.symbol, title=item.title, settings=item.settings.model_dump(), bars=bars)


def _iso(moment: int) -> datetime:
    return datetime.fromtimestamp(moment, UTC)


# --- runs and trials -------------------------------------------------------------------------------------------


@router.post("/runs")
def keep(body: RunIn, app: App) -> KeptRunOut:
    """Keep a run: its setup and figures."""
    number, result = keep_run(app.library, app.datasets, body.setup)
    return KeptRunOut(number=number, setup=body.setup, figures=result.figures)


@router.get("/runs/{number}")
def kept(number: int, app: App) -> KeptRunOut:
    """One kept run."""
    record = app.library.run(number)
    return KeptRunOut(number=record.id, setup=record.setup, figures=record.figures)  # type: ignore[arg-type]


@router.get("/runs/{number}/trace")
def trace(number: int, app: App) -> TraceOut:
    """The equity and the trades of a kept run, to see another against."""
    return TraceOut.model_validate(kept_trace(app.library, app.datasets, number))


@router.post("/trials/plan")
def plan_trial(body: SweepIn, app: App) -> SweepPlanOut:
    """How many runs a sweep would make, and how long they would take."""
    axes, total = app.trials.plan(body.setup, body.vary)
    seconds = app.trials.measure(body.setup, body.vary)
    return SweepPlanOut(
        total=total, seconds=seconds, axes=[AxisOut(name=axis.name, values=list(axis.values)) for axis in axes]
    )


@router.post("/trials")
def start_trial(body: SweepIn, app: App) -> TrialOut:
    """Begin a sweep."""
    return _trial(app.trials.state(app.trials.start(body.setup, body.vary, body.objective, body.min_trades)))


@router.get("/trials")
def trials(app: App) -> list[TrialOut]:
    """All trials, newest first."""
    return [_trial(item) for item in app.trials.states()]


@router.get("/trials/{number}")
def trial(number: int, app: App) -> TrialOut:
    """How far a trial is."""
    return _trial(app.trials.state(number))


@router.get("/trials/{number}/surface")
def surface(
    number: int, app: App, objective: str | None = None, min_trades: Annotated[int | None, Query(ge=0)] = None
) -> SurfaceOut:
    """A trial's cells as a surface."""
    found: Surface = app.trials.surface(app.trials.state(number), objective, min_trades)
    return SurfaceOut(
        values=found.values,
        neighbourhood=found.neighbourhood,
        trades=found.trades,
        plateau=found.plateau,
        rocks=found.rocks,
    )


@router.get("/trials/{number}/cells/{cell}")
def trial_cell(number: int, cell: int, app: App) -> CellOut:
    """One run of a trial."""
    return CellOut(**app.trials.cell(number, cell))


@router.post("/trials/{number}/stop")
def stop_trial(number: int, app: App) -> TrialOut:
    """Stop a trial; what is finished stays."""
    app.trials.stop(number)
    return _trial(app.trials.state(number))


@router.post("/trials/{number}/go_on")
def go_on(number: int, app: App) -> TrialOut:
    """Run what is missing of a trial."""
    app.trials.go_on(number)
    return _trial(app.trials.state(number))


def _trial(item: TrialState) -> TrialOut:
    return TrialOut(
        id=item.id, state=item.state, done=item.done, total=item.total, rate=item.rate, message=item.message,
        created=item.created, setup=item.setup, objective=item.objective, min_trades=item.min_trades,
        axes=[AxisOut(name=axis.name, values=list(axis.values)) for axis in item.axes],
    )  # fmt: skip
