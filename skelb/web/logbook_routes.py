"""The REST API of the logbook: runs kept, listed, noted, seen; how the tries of a script went."""

from typing import Annotated

from fastapi import APIRouter, Query

from skelb.core.language import parsed_title
from skelb.service.compare import Compared, compared
from skelb.service.logbook import LogPage, SeenPage
from skelb.service.runs import KeptRun, Trace
from skelb.service.tallies import TallyTold
from skelb.web.schemas import CompareRunsIn, KeepIn, KeptRunOut, NoteIn
from skelb.web.served import MOST_NUMBER, App, Number

router = APIRouter(prefix="/api", tags=["logbook"])
Asked = Annotated[str, Query(max_length=200)]
Most = Annotated[int, Query(ge=1, le=1_000)]


@router.post("/runs")
def keep(body: KeepIn, app: App) -> KeptRunOut:
    """Keep a run: its setup and figures, and what it was changed from."""
    return _kept(app.runs.keep(body.setup, body.parent))


@router.get("/runs")
def runs(
    app: App,
    title: Asked = "",
    place: Annotated[str, Query(max_length=200, description="only those on this market, or on so many")] = "",
    words: Annotated[str, Query(max_length=200, description="only those that have all of these anywhere")] = "",
    starred: bool = False,
    before: Annotated[int | None, Query(ge=0, le=MOST_NUMBER)] = None,
    most: Most = 100,
) -> LogPage:
    """Kept runs, newest first, those that match all that is asked."""
    return app.logbook.page(title, place, words, starred, before, most)


@router.get("/runs/seen")
def runs_seen(app: App, title: Asked = "", most: Most = 100) -> SeenPage:
    """Runs that were looked at for more than a few seconds, newest first."""
    return app.logbook.seen(title, most)


@router.get("/runs/{number}")
def kept(number: Number, app: App) -> KeptRunOut:
    """One kept run."""
    return _kept(app.runs.run(number))


@router.put("/runs/{number}/note")
def note_run(number: Number, body: NoteIn, app: App) -> None:
    """Set star, tags or note of a kept run."""
    app.logbook.note(number, body.star, body.tags, body.note)


@router.get("/runs/{number}/trace")
def trace(number: Number, app: App) -> Trace:
    """The equity and the trades of a kept run, to see another against."""
    return app.runs.trace(number)


@router.post("/compare")
def compare(body: CompareRunsIn, app: App) -> Compared:
    """Two to four kept runs beside each other."""
    return compared(body.runs, body.alike, app.runs, app.library, app.datasets)


@router.get("/tally")
def tally(title: Asked, app: App) -> TallyTold:
    """How the tries of a script went, beside what luck alone would show."""
    return app.tallies.told(title)


def _kept(run: KeptRun) -> KeptRunOut:
    return KeptRunOut(
        number=run.number, title=parsed_title(run.setup.text), created=run.created, setup=run.setup, figures=run.figures
    )
