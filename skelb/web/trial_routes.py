"""The REST API of trials: ordered, watched, read; studies and baskets."""

from math import isfinite
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query, Response

from skelb.core.errors import SettingsError
from skelb.core.trials import READY_CONDITIONS
from skelb.service.application import Application
from skelb.service.baskets import Basket, basket_run
from skelb.service.report import Report
from skelb.service.studies import Studies
from skelb.service.tables import Form, Of, written
from skelb.service.trials.desk import BestWeighed, View
from skelb.service.trials.estimate import estimated
from skelb.service.trials.orders import TrialOrder, markets_of
from skelb.service.trials.ranking import Against, Curve, Front, Surface, Table, TrialRun
from skelb.service.trials.store import StoredTrial, TrialLine
from skelb.service.trials.varying import Varying, varying_of
from skelb.service.trials.whole import Choice, Walk
from skelb.service.trials.workers import THREADS
from skelb.web.served import TABLE_FILE, App, Number, table_file
from skelb.web.trial_schemas import (
    BasketIn,
    CalendarOut,
    EstimateOut,
    LookIn,
    LookOut,
    ScriptTextOut,
    StudiedOut,
    StudyIn,
    TrialOut,
    VaryingIn,
    WorkersIn,
    WorkersOut,
)

router = APIRouter(prefix="/api", tags=["trials"])


def _view(objective: str | None = None, min_trades: Annotated[int | None, Query(ge=0)] = None) -> View:
    return View(objective, min_trades)


Seen = Annotated[View, Depends(_view)]
Limits = Annotated[list[str] | None, Query(max_length=12, description="a figure and its limit, as net_profit:0")]


@router.post("/varying")
def varying(body: VaryingIn, app: App) -> list[Varying]:
    """What of a script can vary."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    return varying_of(prepared.checked)


@router.get("/search/conditions")
def search_conditions() -> list[str]:
    """The ready-made conditions of a signal search."""
    return list(READY_CONDITIONS)


@router.post("/trials/plan")
def plan_trial(body: TrialOrder, app: App) -> EstimateOut:
    """How many runs a trial would make, how long they would take, and what they would hold."""
    layout = app.trials.layout(body)
    found, held = estimated(layout), layout.held_back
    looks = 0 if held is None else app.trials.store.looks(layout.title, markets_of(body, layout.axes), held)
    return EstimateOut(
        total=layout.total, seconds=found.seconds, memory_bytes=found.memory_bytes,
        axes=list(layout.axes), parts=[part.span for part in layout.parts], held_back=held, looks=looks,
    )  # fmt: skip


@router.post("/trials")
def start_trial(body: TrialOrder, app: App) -> TrialOut:
    """Begin a trial."""
    return _trial(app, app.trials.start(body))


@router.get("/trials")
def trials(app: App) -> list[TrialLine]:
    """The newest trials, newest first."""
    return app.trials.store.newest()


@router.get("/trials/{number}")
def trial(number: Number, app: App) -> TrialOut:
    """How far a trial is."""
    return _trial(app, number)


@router.post("/trials/{number}/stop")
def stop_trial(number: Number, app: App) -> TrialOut:
    """Stop a trial; what is finished stays."""
    app.trials.stop(number)
    return _trial(app, number)


@router.post("/trials/{number}/go_on")
def go_on(number: Number, app: App) -> TrialOut:
    """Run what is missing of a trial."""
    app.trials.go_on(number)
    return _trial(app, number)


@router.get("/trials/{number}/surface")
def surface(
    number: Number, app: App, view: Seen, x: str | None = None, y: str | None = None,
    held: Annotated[list[str] | None, Query(description="an axis and the place of its value, as kind:0")] = None,
    fold: Literal["middle", "best"] = "middle", part: Annotated[int, Query(ge=0, le=1)] = 0,
) -> Surface:  # fmt: skip
    """Two axes of a trial, the others held at a value or folded."""
    kept = {name: int(value) for name, value in _pairs(held).items()}
    return app.desk.surface(number, view, x, y, kept, fold, part)


@router.get("/trials/{number}/table")
def table(
    number: Number, app: App, view: Seen, sort: str = "net_profit", descending: bool = True, least: Limits = None,
    most: Limits = None, offset: Annotated[int, Query(ge=0)] = 0, limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> Table:  # fmt: skip
    """A page of a trial's runs, filtered and sorted."""
    return app.desk.table(number, view, sort, descending, _pairs(least), _pairs(most), offset, limit)


@router.get("/trials/{number}/runs/{point}")
def trial_run(number: Number, point: Number, app: App, view: Seen) -> TrialRun:
    """One run of a trial."""
    return app.desk.run(number, point, view)


@router.get("/trials/{number}/curves/{point}")
def curves(number: Number, point: Number, app: App, view: Seen) -> list[Curve]:
    """Every axis through one run of a trial."""
    return app.desk.curves(number, point, view)


@router.get("/trials/{number}/front")
def front(number: Number, app: App, view: Seen, by: Annotated[list[str], Query(min_length=2, max_length=4)]) -> Front:
    """The runs that no other beats in every one of several objectives."""
    return app.desk.front(number, view, by)


@router.get("/trials/{number}/against")
def in_against_out(number: Number, app: App, view: Seen) -> Against:
    """In sample against out of sample."""
    return app.desk.in_against_out(number, view)


@router.get("/trials/{number}/deflation")
def deflation(number: Number, app: App, view: Seen) -> BestWeighed:
    """What the best run is worth after all that was tried."""
    return app.desk.deflation(number, view)


@router.get("/trials/{number}/walk")
def walk(number: Number, app: App, view: Seen, choose: Choice = "value") -> Walk:
    """A walk-forward as far as it is."""
    return app.desk.walk(number, view, choose)


@router.get("/trials/{number}/walk/report")
def walk_report(number: Number, app: App, view: Seen, choose: Choice = "value") -> Report:
    """The days outside of a walk-forward judged whole, as one run."""
    return app.desk.walk_report(number, view, choose)


@router.get("/trials/{number}/walk/table", response_class=Response, responses=TABLE_FILE)
def walk_table(
    number: Number, app: App, view: Seen, choose: Choice = "value", of: Of = "trades", form: Form = "csv"
) -> Response:
    """The trades of the days outside of a walk-forward, or their equity at every close, as a file."""
    made = app.desk.walk_table(number, view, choose, of)
    return table_file(written(made, form), f"Walk-forward {number} {of}", form)


@router.post("/trials/{number}/looks")
def look(number: Number, body: LookIn, app: App) -> LookOut:
    """Look at a run on the held-back part; the look is counted."""
    figures, looks = app.desk.look(number, body.point)
    return LookOut(figures=figures, looks=looks)


@router.get("/trials/{number}/scripts/{point}")
def script_of(number: Number, point: Number, app: App) -> ScriptTextOut:
    """A run of a signal search as a script of its own."""
    return ScriptTextOut(text=app.desk.script_of(number, point))


@router.get("/trials/{number}/export", response_class=Response, responses=TABLE_FILE)
def export(number: Number, app: App, form: Form = "csv") -> Response:
    """All runs of a trial as a file."""
    return table_file(app.desk.export(number, form), f"trial-{number}", form)


@router.post("/study")
def study(body: StudyIn, app: App) -> StudiedOut:
    """Every condition of a script with what followed it, and one more that is asked for."""
    studies = Studies(body.setup.prepared(app.library, app.datasets).sound().alone(), body.unit)
    return StudiedOut(conditions=studies.conditions(body.condition))


@router.post("/calendar")
def calendar(body: StudyIn, app: App) -> CalendarOut:
    """A condition on every weekday, month and hour at once."""
    studies = Studies(body.setup.prepared(app.library, app.datasets).sound().alone(), body.unit)
    return CalendarOut(rows=studies.calendar(body.condition))


@router.post("/basket")
def basket(body: BasketIn, app: App) -> Basket:
    """The same rules over several markets on one account."""
    return basket_run(body.setup, body.dropped, body.against, app.library, app.datasets)


@router.get("/workers")
def workers(app: App) -> WorkersOut:
    """Who computes trials: threads here, or a cluster."""
    return WorkersOut(cluster=app.trials.cluster, threads=THREADS)


@router.put("/workers")
def set_workers(body: WorkersIn, app: App) -> WorkersOut:
    """Choose a cluster by its scheduler's address, or threads with none."""
    app.trials.cluster = body.cluster
    return workers(app)


def _pairs(items: list[str] | None) -> dict[str, float]:
    found = {}
    for item in items or []:
        name, _, value = item.rpartition(":")
        try:
            found[name] = float(value)
        except ValueError:
            found[name] = float("nan")
        if not isfinite(found[name]):
            raise SettingsError(f"`{item}` is no name with a number, such as net_profit:0")
    return found


def _trial(app: Application, number: int) -> TrialOut:
    return _trial_out(app, app.trials.store.trial(number))


def _trial_out(app: Application, item: StoredTrial) -> TrialOut:
    state, message = app.trials.standing(item)
    return TrialOut(
        id=item.id,
        title=item.title,
        state=state,
        done=item.done,
        total=item.total,
        rate=app.trials.rate(item.id),
        message=message,
        created=item.created,
        order=item.order,
        axes=list(item.axes),
        parts=[part.span for part in item.parts],
        held_back=item.held_back,
        looks=app.desk.looks(item),
        looks_ever=app.desk.looks_ever(item),
    )
