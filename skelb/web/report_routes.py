"""The REST API of reports: a run judged whole, its tables to take along, what each of its lines is worth."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Depends, Request, Response
from starlette.concurrency import run_in_threadpool

from skelb.core.report import Swings
from skelb.service.application import Application
from skelb.service.packs import Verified, pack, verify
from skelb.service.prepared import Prepared
from skelb.service.report import Report, descriptions, report_of
from skelb.service.saved_page import saved_page
from skelb.service.tables import Form, Of, run_table, written
from skelb.service.worth import NearerTried, Worths, WorthStep, try_nearer
from skelb.web.schemas import NearerIn, ReportIn, RunIn
from skelb.web.served import TABLE_FILE, ZIP, App, file_sent, json_lines, named_file, sent, table_file, zip_file

router = APIRouter(prefix="/api/report", tags=["report"])


@router.post("")
def report(body: ReportIn, app: App) -> Report:
    """A run judged whole."""
    return _report(body, app)


@router.post(
    "/page",
    response_class=Response,
    responses={200: {"description": "the page", "content": {"text/html": {"schema": {"type": "string"}}}}},
)
def report_page(body: ReportIn, app: App) -> Response:
    """The report as one file that opens anywhere."""
    found = _report(body, app)
    return named_file(saved_page(found), f"{found.title or 'Report'}.html", "text/html")


@router.post("/table", response_class=Response, responses=TABLE_FILE)
def report_table(body: RunIn, app: App, of: Of = "trades", form: Form = "csv") -> Response:
    """The trades of a run, or its equity at every close, as a file."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    return table_file(
        written(run_table(prepared.outcomes(), of), form), f"{prepared.checked.title or 'Run'} {of}", form
    )


@router.post("/nearer")
def report_nearer(body: NearerIn, app: App) -> NearerTried:
    """A run with a nearer stop, or another target, run for true."""
    return try_nearer(body.setup.prepared(app.library, app.datasets).sound(), body.kind, body.level)


@router.post(
    "/pack",
    response_class=Response,
    responses=zip_file("the pack"),
)
def report_pack(body: RunIn, app: App) -> Response:
    """A run in one file: all that it was made of, and what came out."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    data = pack(prepared, descriptions(body.setup, app.library))
    return named_file(data, f"{prepared.checked.title or 'Run'}.zip", ZIP)


@router.post("/verify", openapi_extra=file_sent("a pack as it was saved"))
async def report_verify(request: Request) -> Verified:
    """A pack made again with its own bars, and compared with what it says of itself; nothing is stored."""
    return await run_in_threadpool(verify, bytes(await sent(request)))


def _worths(body: RunIn, app: App) -> Worths:
    """Planned before the answer begins, so that what cannot be run is told as an error."""
    return Worths(body.setup.prepared(app.library, app.datasets).sound())


@router.post("/worth", responses=json_lines("WorthStep"))
def report_worth(planned: Annotated[Worths, Depends(_worths)]) -> Iterable[WorthStep]:
    """A run without each of its lines: a line a run; whoever stops reading stops it."""
    yield from planned.steps()


def _report(body: ReportIn, app: Application) -> Report:
    prepared: Prepared = body.setup.prepared(app.library, app.datasets).sound()
    prepared = replace(prepared, choices=replace(prepared.choices, against=body.against))
    return report_of(prepared, app.tallies, Swings(**body.swings.model_dump()), descriptions(body.setup, app.library))
