"""The REST API of markets: described, looked at, their bars brought in, left out and taken along."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from starlette.concurrency import run_in_threadpool

from skelb.core.bars import Timeframe, guess_market
from skelb.service.application import Application
from skelb.service.importing.bars_csv import FileColumns, columns_by_role
from skelb.service.library import StoredMarket
from skelb.service.looks import MarketLook, look_at
from skelb.service.quality import OddBars
from skelb.service.tables import Form, bars_table, written
from skelb.service.workbench import Closes
from skelb.web.schemas import (
    BringBackIn,
    ComparedOut,
    CompareIn,
    DescribedIn,
    ImportIn,
    ImportOut,
    LeaveOutIn,
    MarketBarsOut,
    MarketIn,
    MarketOut,
    RefusedOut,
    RunIn,
)
from skelb.web.served import TABLE_FILE, App, file_sent, sent, table_file

router = APIRouter(prefix="/api", tags=["library"])
Roles = Annotated[Sequence[str], Query(max_length=8, description="columns by what they are, as time=Date")]
_FILE = file_sent("the file as it is: CSV in any encoding, zipped or not, a table or a spreadsheet")


@router.get("/markets")
def markets(app: App) -> list[MarketOut]:
    """All markets with what is stored of them."""
    return [_market(item) for item in app.library.markets()]


@router.get("/markets/preview")
def preview(app: App, symbol: str) -> Closes:
    """A few closes over all stored time."""
    return Closes.of(app.datasets.get(symbol, None).bars)


@router.post("/markets/look")
def look_at_market(body: RunIn, app: App) -> MarketLook:
    """A market as it is described in a setup, before it is saved: a run there, and what a round trip costs."""
    return look_at(body.setup, app.library, app.datasets)


@router.post("/markets/oddities")
def look_at_bars(body: DescribedIn, app: App) -> OddBars:
    """What of a market's shortest stored bars deserves a look, by kind, and what of them is left out; the market as it
    is described here."""
    return app.quality.look(body.symbol, body.described)


@router.post("/markets/leave-out")
def leave_bars_out(body: LeaveOutIn, app: App) -> MarketOut:
    """Leave bars of a market out of every run; they stay stored."""
    return _market(app.quality.leave_out(body.symbol, body.kind, body.begins, body.ends, body.described))


@router.post("/markets/bring-back")
def bring_bars_back(body: BringBackIn, app: App) -> MarketOut:
    """Use bars again that were left out."""
    return _market(app.quality.bring_back(body.symbol, body.begins, body.ends))


@router.get("/markets/export", response_class=Response, responses=TABLE_FILE)
def export_bars(symbol: str, app: App, form: Form = "csv") -> Response:
    """The shortest stored bars of a market, but for those that are left out, as a file that can be imported again."""
    return table_file(written(bars_table(app.datasets.bars(symbol)), form), symbol, form)


@router.put("/markets")
def save_market(body: MarketIn, app: App) -> MarketOut:
    """Change a market's description; its bars stay."""
    stored = app.library.market(body.symbol)
    return _market(app.library.save_market(stored.symbol, body.title, body.settings, []))


@router.post("/imports", openapi_extra=_FILE)
async def read_import(request: Request, app: App, name: str, zone: str = "UTC", role: Roles = ()) -> ImportOut:
    """Read a file of bars without storing anything."""
    columns = columns_by_role(role, "role")
    return await run_in_threadpool(_read_import, app, name, await sent(request), zone, columns)


@router.post("/imports/columns", openapi_extra=_FILE)
async def columns_of_import(request: Request, app: App, name: str) -> FileColumns:
    """The columns of a file, to say what they are where that is not recognised."""
    return await run_in_threadpool(app.imports.columns, name, await sent(request))


def _read_import(
    app: Application, name: str, data: bytes | bytearray, zone: str, columns: Mapping[str, str]
) -> ImportOut:
    found = app.imports.read(name, data, zone, columns)
    file = found.file
    bars = file.bars
    rows = min(5, len(bars))
    sample = [
        {"time": _iso(int(bars.time[i])), "open": bars.open[i], "high": bars.high[i], "low": bars.low[i],
         "close": bars.close[i], "volume": bars.volume[i]}
        for i in range(rows)
    ]  # fmt: skip
    return ImportOut(
        token=found.token,
        name=found.name,
        symbol=found.symbol,
        rows=len(bars),
        timeframe=str(bars.timeframe),
        first=_iso(int(bars.time[0])),
        last=_iso(int(bars.time[-1])),
        notes=file.notes,
        roles=file.columns,
        extra_columns=list(bars.columns),
        refused=[RefusedOut(line=row.line, reason=row.reason, text=row.text) for row in file.refused],
        refused_count=file.refused_count,
        reasons=file.reasons,
        sample=sample,
        preview=Closes.of(bars),
        guesses=guess_market(bars, zone),
    )


@router.post("/imports/store")
def store_import(body: ImportIn, app: App) -> MarketOut:
    """Store a file that was read, in one transaction."""
    settings = body.settings if "settings" in body.model_fields_set else None
    return _market(app.imports.store(body.token, body.symbol, body.title, settings, body.how))


@router.post("/imports/compare")
def compare_import(body: CompareIn, app: App) -> ComparedOut:
    """A file that was read beside the bars that are stored under a symbol."""
    return ComparedOut(joining=app.imports.compare(body.token, body.symbol))


def _market(item: StoredMarket) -> MarketOut:
    bars = [
        MarketBarsOut(timeframe=str(Timeframe(part.timeframe_minutes)), rows=part.row_count, version=part.version,
                      first=_iso(part.first_time), last=_iso(part.last_time), left_out=part.left_out)
        for part in item.bars
    ]  # fmt: skip
    return MarketOut(
        symbol=item.symbol, title=item.title, settings=item.settings, bars=bars,
        described=item.described, earlier=list(item.earlier),
    )  # fmt: skip


def _iso(moment: int) -> datetime:
    return datetime.fromtimestamp(moment, UTC)
