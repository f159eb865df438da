"""Commands on what is stored: bars brought in, the demo world, compiled code."""

import sys
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn

from skelb.cli.declared import runner
from skelb.cli.files import UsageError
from skelb.cli.options import JsonOption, print_json
from skelb.cli.stored import stored_here
from skelb.core.bars import Guess, Timeframe, guess_market
from skelb.core.errors import SkelbError
from skelb.service.application import Application
from skelb.service.folder import data_folder
from skelb.service.importing.bars_csv import RefusedRow, columns_by_role
from skelb.service.importing.files import ENDINGS
from skelb.service.importing.imports import HOWS, How, Imports
from skelb.service.settings import read_settings_file
from skelb.service.warm import warm_all

app = typer.Typer()
run = runner(app)
_err = Console(stderr=True)


@app.command("import")
def import_command(
    paths: Annotated[
        list[Path],
        typer.Argument(
            metavar="FILE...", help="CSV, also in gz or zip; Parquet, Arrow, Feather, xlsx, ods; or folders."
        ),
    ],
    symbol: Annotated[
        str, typer.Option("--symbol", help="The market to store them under; by default what a file's name says.")
    ] = "",
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
    how: Annotated[
        str,
        typer.Option(
            "--how",
            metavar="|".join(HOWS),
            help="Take the place of the bars on that timeframe, add to them, or add and correct them.",
        ),
    ] = "instead",
    look: Annotated[bool, typer.Option("--look", help="Say what would be stored, and store nothing.")] = False,
    json: JsonOption = False,
) -> None:
    """Store bars from files, each in one transaction; rows that cannot be bars are refused and listed."""
    chosen = next((item for item in HOWS if item == how), None)
    if chosen is None:
        raise UsageError(f"--how is one of {', '.join(HOWS)}, not `{how}`")
    settings = read_settings_file(market) if market else None
    roles, files = columns_by_role(columns.split(",") if columns else (), "--columns"), _files_in(paths)
    found, problems = [], {}
    with stored_here() as application:
        for file in files:
            try:
                with _err.status(f"reading {file.name}"):
                    found.append(_read(application.imports, file, symbol, zone, roles))
            except SkelbError as exc:
                if len(files) == 1:
                    raise
                problems[file.name] = str(exc)
        if nameless := [item.file for item in found if not item.symbol]:
            raise UsageError(f"{nameless[0]} names no market: give it a --symbol; nothing was stored")
        if not look:
            with _err.status("storing"):
                _store(application.imports, found, chosen, settings, zone if guess else None)
    if json:
        documents = [_document(item) for item in found]
        documents += [{"file": name, "problem": problem} for name, problem in problems.items()]
        print_json(documents[0] if len(files) == 1 else documents)
    elif len(files) == 1:
        _print_one(found[0], guess, look)
    else:
        for item in found:
            print(f"{item.file}: {_in_short(item, look)}")
        for name, problem in problems.items():
            print(f"{name}: {problem}")
    if problems:
        raise typer.Exit(1)


@dataclass(frozen=True)
class Brought:
    """A file, and what was read of it."""

    file: str
    symbol: str
    token: str
    rows: int
    timeframe: Timeframe
    refused: list[RefusedRow]
    refused_count: int
    notes: list[str]
    guesses: list[Guess]


def _read(imports: Imports, file: Path, symbol: str, zone: str, roles: dict[str, str]) -> Brought:
    found = imports.read_file(file, zone, roles)
    read = found.file
    return Brought(
        file.name, symbol or found.symbol, found.token, len(read.bars), read.bars.timeframe, read.refused,
        read.refused_count, read.notes, guess_market(read.bars, zone),
    )  # fmt: skip


def _store(imports: Imports, found: list[Brought], how: How, settings: dict[str, Any] | None, zone: str | None) -> None:
    """Store what was read, the shortest bars of a market first: they describe it, as they are guessed in a zone. Files
    of one market and timeframe make one set of bars."""
    begun: set[str] = set()
    laid: set[tuple[str, Timeframe]] = set()
    for item in sorted(found, key=lambda item: item.timeframe.minutes):
        described = settings
        if zone is not None:
            described = {"zone": zone} | {guess.key: guess.value for guess in item.guesses} | (settings or {})
        place = item.symbol, item.timeframe
        imports.store(
            item.token, item.symbol, "", None if item.symbol in begun else described,
            "add" if place in laid and how == "instead" else how,
        )  # fmt: skip
        begun.add(item.symbol)
        laid.add(place)


def _files_in(paths: list[Path]) -> list[Path]:
    """The files given, and those in the folders given; bars of one market in the order of their names."""
    found: list[Path] = []
    for path in paths:
        inside = (
            sorted(item for item in path.rglob("*") if item.name.lower().endswith(ENDINGS)) if path.is_dir() else []
        )
        if path.is_dir() and not inside:
            raise UsageError(f"{path} holds no file of bars ({', '.join(ENDINGS)})")
        found += inside or [path]
    return list(dict.fromkeys(found))


def _document(item: Brought) -> dict[str, object]:
    refused = [{"line": row.line, "reason": row.reason} for row in item.refused]
    return {"file": item.file, "symbol": item.symbol, "rows": item.rows, "timeframe": str(item.timeframe),
            "refused_count": item.refused_count, "refused": refused, "notes": item.notes,
            "guesses": [asdict(guess) for guess in item.guesses]}  # fmt: skip


def _in_short(item: Brought, look: bool) -> str:
    told = f"{item.rows:,} bars of {item.timeframe} {'for' if look else 'stored as'} {item.symbol}"
    return told + (f", {item.refused_count:,} rows refused" if item.refused_count else "")


def _print_one(item: Brought, guess: bool, look: bool) -> None:
    print(_in_short(item, look))
    for told in item.guesses:
        print(f"{told.key} {told.value}: {told.reason}{'' if guess else ' (not taken without --guess)'}")
    for row in item.refused:
        print(f"line {row.line}: {row.reason}")
    if item.refused_count > len(item.refused):
        print(f"and {item.refused_count - len(item.refused):,} more refused rows")


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
        warm_all()
    print("warm")
