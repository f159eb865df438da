"""Commands on the markets of the data folder: what is stored, what is odd about it, what is used of it."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner
from skelb.cli.files import UsageError, write_file
from skelb.cli.options import JsonOption, print_json
from skelb.cli.stored import stored_here
from skelb.core.bars import Timeframe
from skelb.service.backtest import read_moment
from skelb.service.library import StoredMarket
from skelb.service.quality import ODD_KINDS
from skelb.service.tables import bars_table, written

app = typer.Typer()
markets = typer.Typer(help="The markets of the data folder: their bars, what is odd about them, what runs use of them.")
app.add_typer(markets, name="market")
run = runner(app)

SymbolArgument = Annotated[str, typer.Argument(metavar="SYMBOL", help="The market's symbol.")]
FirstOption = Annotated[
    str | None, typer.Option("--from", metavar="TIME", help="Bars that open then or later, ISO 8601, UTC.")
]
LastOption = Annotated[
    str | None, typer.Option("--to", metavar="TIME", help="Bars that open then or earlier, ISO 8601, UTC.")
]


@markets.command("list")
def list_command(json: JsonOption = False) -> None:
    """List all markets with what is stored of them."""
    with stored_here() as application:
        found = application.library.markets()
    if json:
        print_json([_document(market) for market in found])
        return
    for market in found:
        print(_in_short(market))


@markets.command("show")
def show_command(symbol: SymbolArgument) -> None:
    """Print a market's description as JSON, as `--market` takes it."""
    with stored_here() as application:
        settings = application.library.market(symbol).settings
    print_json({"symbol": symbol} | settings.model_dump(exclude_defaults=True))


@markets.command("odd")
def odd_command(symbol: SymbolArgument, json: JsonOption = False) -> None:
    """Say what of a market's shortest bars deserves a look before a result is believed; what is left out."""
    with stored_here() as application:
        found = application.quality.look(symbol)
    if json:
        print_json(found)
        return
    for oddity in found.oddities:
        print(f"{oddity.kind:8}{oddity.count:>8,}  the greatest at {_iso(oddity.places[0].begins)}")
    print(f"left out{found.left_out:>8,}")


@markets.command("leave-out")
def leave_out_command(
    symbol: SymbolArgument,
    kind: Annotated[str | None, typer.Option("--kind", help=f"One of {', '.join(ODD_KINDS)}.")] = None,
    first: FirstOption = None,
    last: LastOption = None,
) -> None:
    """Leave bars out of every run: those of a kind, those of a time, or those of a kind in that time."""
    chosen = next((item for item in ODD_KINDS if item == kind), None)
    if kind is not None and chosen is None:
        raise UsageError(f"--kind is one of {', '.join(ODD_KINDS)}, not `{kind}`")
    with stored_here() as application:
        begins, ends = _moment(first, "--from"), _moment(last, "--to")
        found = application.quality.leave_out(symbol, chosen, begins, ends)
    print(_in_short(found))


@markets.command("bring-back")
def bring_back_command(symbol: SymbolArgument, first: FirstOption = None, last: LastOption = None) -> None:
    """Use bars again that were left out: all, or those of a time."""
    with stored_here() as application:
        found = application.quality.bring_back(symbol, _moment(first, "--from"), _moment(last, "--to"))
    print(_in_short(found))


@markets.command("export")
def export_command(
    symbol: SymbolArgument,
    file: Annotated[Path, typer.Argument(metavar="FILE", help="Ending in .csv or .parquet.")],
    timeframe: Annotated[
        str | None, typer.Option("--timeframe", help="Gathered in the session; without it, the shortest as stored.")
    ] = None,
) -> None:
    """Write the bars that runs use to a file."""
    if file.suffix not in (".csv", ".parquet"):
        raise UsageError(f"{file.name} ends in neither .csv nor .parquet")
    with stored_here() as application:
        bars = application.datasets.bars(symbol, Timeframe.parse(timeframe) if timeframe else None)
    write_file(file, written(bars_table(bars), "csv" if file.suffix == ".csv" else "parquet"))
    print(f"{len(bars):,} bars of {bars.timeframe} written to {file}")


@markets.command("delete")
def delete_command(symbol: SymbolArgument) -> None:
    """Take a market away with all its bars."""
    with stored_here() as application:
        depends = application.keeping.depends("market", symbol)
        application.keeping.remove("market", symbol)
    for sentence in depends:
        print(sentence)
    print(f"{symbol} is deleted")


def _document(market: StoredMarket) -> dict[str, object]:
    bars = [
        {"timeframe": str(Timeframe(item.timeframe_minutes)), "rows": item.row_count, "version": item.version,
         "first": _iso(item.first_time), "last": _iso(item.last_time), "left_out": item.left_out}
        for item in market.bars
    ]  # fmt: skip
    return {"symbol": market.symbol, "title": market.title, "bars": bars}


def _in_short(market: StoredMarket) -> str:
    told = [
        f"{item.row_count:,} bars of {Timeframe(item.timeframe_minutes)} from {_iso(item.first_time)[:10]} to {_iso(item.last_time)[:10]}"  # noqa: E501
        + (f", {item.left_out:,} left out" if item.left_out else "")
        for item in market.bars
    ]
    return f"{market.symbol:12}{'; '.join(told) or 'no bars yet'}"


def _iso(moment: int) -> str:
    return datetime.fromtimestamp(moment, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _moment(text: str | None, option: str) -> int | None:
    return None if text is None else read_moment(text, option)
