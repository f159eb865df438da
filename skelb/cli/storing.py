"""Commands on what is stored: bars brought in, the demo world, compiled code."""

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn

from skelb.cli.declared import runner
from skelb.cli.files import UsageError
from skelb.cli.options import JsonOption, print_json
from skelb.core.bars import guess_market
from skelb.service.application import Application
from skelb.service.bars_csv import read_bars_csv
from skelb.service.folder import data_folder
from skelb.service.settings import read_settings_file
from skelb.service.warm import warm_kernels

app = typer.Typer()
run = runner(app)
_err = Console(stderr=True)


@app.command("import")
def import_command(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="CSV, also in gz or zip; Parquet, Arrow, Feather.")],
    symbol: Annotated[str, typer.Option("--symbol", help="The market to store them under.")],
    market: Annotated[Path | None, typer.Option("--market", metavar="JSON", help="The market's description.")] = None,
    zone: Annotated[str, typer.Option("--zone", help="Zone of times without an offset.")] = "UTC",
    columns: Annotated[
        str,
        typer.Option("--columns", metavar="time=Date,close=Last", help="Columns by what they are."),
    ] = "",
    guess: Annotated[
        bool,
        typer.Option("--guess", help="Describe the market by what its bars tell; --market goes before."),
    ] = False,
    json: JsonOption = False,
) -> None:
    """Store bars from a file, in one transaction; rows that cannot be bars are refused and listed."""
    with _err.status("reading and storing"):
        read = read_bars_csv(file, zone, _given_columns(columns))
        settings = read_settings_file(market) if market else None
        guesses = guess_market(read.bars, zone)
        if guess:
            settings = {"zone": zone} | {item.key: item.value for item in guesses} | (settings or {})
        application = Application(data_folder())
        stored = application.library.save_market(symbol, "", settings, [read.bars])
        application.close()
    if json:
        refused = [{"line": row.line, "reason": row.reason} for row in read.refused]
        print_json({"symbol": stored.symbol, "rows": len(read.bars), "timeframe": str(read.bars.timeframe),
                     "refused_count": read.refused_count, "refused": refused, "notes": read.notes,
                     "guesses": [asdict(item) for item in guesses]})  # fmt: skip
        return
    print(f"{len(read.bars):,} bars of {read.bars.timeframe} stored as {stored.symbol}")
    for item in guesses:
        print(f"{item.key} {item.value}: {item.reason}{'' if guess else ' (not taken without --guess)'}")
    for row in read.refused:
        print(f"line {row.line}: {row.reason}")
    if read.refused_count > len(read.refused):
        print(f"and {read.refused_count - len(read.refused):,} more refused rows")


def _given_columns(text: str) -> dict[str, str]:
    """Columns by role, written as time=Date,close=Last."""
    found = {}
    for part in text.split(",") if text else []:
        role, sign, name = part.partition("=")
        if not sign or not name.strip():
            raise UsageError(f"--columns takes ROLE=COLUMN with commas between, not `{part}`")
        found[role.strip().lower()] = name.strip()
    return found


@app.command()
def demo() -> None:
    """Store the made-up demo world in the data folder, as far as it is not there."""
    application = Application(data_folder())
    added = install_demo(application)
    application.close()
    print(f"{'stored' if added else 'already there'}: {application.database.path}")


def install_demo(application: Application) -> bool:
    """Store what is missing of the demo world, with a progress bar in a terminal."""
    columns = (TextColumn("demo world {task.fields[what]}"), BarColumn(), TaskProgressColumn())
    with Progress(*columns, console=_err, transient=True, disable=not sys.stderr.isatty()) as progress:
        task = progress.add_task("demo", total=None, what="")
        return application.install_demo(
            lambda what, done, total: progress.update(task, completed=done, total=max(total, 1), what=what)
        )


@app.command()
def warm() -> None:
    """Compile what is compiled once, so that the first run does not wait for it."""
    with _err.status("compiling"):
        warm_kernels()
    print("warm")
