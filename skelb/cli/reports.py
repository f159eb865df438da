"""Commands that judge a run whole, and take it along."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner, spelled_out
from skelb.cli.files import UsageError, read_file, write_file
from skelb.cli.inputs import prepare, tallies_for
from skelb.cli.options import JsonOption, OnBasketSides, json_bytes, print_json
from skelb.cli.runs import print_figures, run_document
from skelb.cli.stored import stored_here
from skelb.core.errors import PackError
from skelb.service.packs import pack, verify
from skelb.service.prepared import Prepared
from skelb.service.report import descriptions, report_of
from skelb.service.saved_page import saved_page
from skelb.service.tables import Form, Of, run_table, written
from skelb.service.taken_away import python_for
from skelb.service.tallies import Tallies

app = typer.Typer()
run = runner(app)

_TABLES, _WHOLE = (".csv", ".parquet"), (".json", ".skelb", ".py")  # what a run is exported as


@app.command()
@spelled_out
def report(
    asked: OnBasketSides,
    json: JsonOption = False,
    html: Annotated[Path | None, typer.Option("--html", metavar="PAGE.html", help="Save it as one page.")] = None,
    against: Annotated[
        str | None, typer.Option("--against", metavar="SYMBOL", help="Held against this market instead of its own.")
    ] = None,
) -> None:
    """Judge a run whole: a script's on bars, or one that is kept, by its number instead of FILE."""
    with _asked(asked) as (prepared, described, tallies):
        prepared = replace(prepared, choices=replace(prepared.choices, against=against))
        found = report_of(prepared, tallies, None, described)
    if html is not None:
        write_file(html, saved_page(found))
    if json:
        print_json(found)
        return
    print(f"{found.title or 'Without a title'}, {found.first[:10]} to {found.last[:10]}")
    print_figures(found.figures, found.findings)
    if found.weighed:
        print(found.weighed)
    print(f"\n{'':8}{'net':>14}{'return':>10}{'drawdown':>14}{'trades':>8}")
    for year in found.years:
        change = "-" if year["return"] is None else f"{year['return']:.1%}"
        amounts = f"{year['net_profit']:>14,.2f}{change:>10}{year['max_drawdown']:>14,.2f}"
        print(f"{year['year']:<8}{amounts}{year['trades']:>8}")
    if html is not None:
        print(f"saved as {html}")


@app.command("pack")
@spelled_out
def pack_command(
    asked: OnBasketSides,
    out: Annotated[Path, typer.Option("--out", metavar="P.zip", help="The file to write.")],
) -> None:
    """Write a run with all that it was made of into one file: a script's on bars, or one that is kept, by its number
    instead of FILE."""
    with _asked(asked) as (prepared, described, _):
        write_file(out, pack(prepared, described))
    print(f"packed as {out}")


@app.command("export")
def export_command(
    number: Annotated[int, typer.Argument(metavar="RUN", help="The number of a kept run.")],
    file: Annotated[
        Path | None,
        typer.Argument(
            metavar="[FILE]",
            help="Ending in .csv or .parquet for a table, .json for all that `backtest --json --equity` prints, .skelb for the script or .py for it as Python. Without one the table is printed.",  # noqa: E501
        ),
    ] = None,
    of: Annotated[Of, typer.Option("--of", metavar="trades|equity", help="Which table.")] = "trades",
    decimal_commas: Annotated[
        bool, typer.Option("--decimal-commas", help="Numbers in CSV with commas, columns apart by semicolons.")
    ] = False,
) -> None:
    """Take a kept run along: its trades, its equity, all of it, or what made it. `report --html` saves it as a page,
    `pack` with the bars."""
    ending = ".csv" if file is None else file.suffix
    if ending not in (*_TABLES, *_WHOLE):
        raise UsageError(f"{file} ends in none of {', '.join((*_TABLES, *_WHOLE))}")
    if ending in _WHOLE and (of != "trades" or decimal_commas):
        raise UsageError(f"--of and --decimal-commas are for tables, which {file} is not")
    with stored_here() as application:
        setup = application.runs.run(number).setup
        prepared = setup.prepared(application.library, application.datasets).sound()
        match ending:
            case ".json":
                data = json_bytes(run_document(prepared, prepared.judged(), equity=True))
            case ".skelb":
                data = prepared.checked.source.encode()
            case ".py":
                data = python_for(prepared, application.library).encode()
            case _:
                csv: Form = "csv-comma" if decimal_commas else "csv"
                data = written(run_table(prepared.outcomes(), of), "parquet" if ending == ".parquet" else csv)
    if file is None:
        sys.stdout.buffer.write(data)
        return
    write_file(file, data)
    print(f"run {number} written to {file}")


@app.command("verify")
def verify_command(
    file: Annotated[Path, typer.Argument(metavar="P.zip", help="A pack.")], json: JsonOption = False
) -> None:
    """Make a packed run again with its own bars; exit code 1 when it comes to something else, 2 when it cannot be
    read."""
    try:
        found = verify(read_file(file))
    except PackError as exc:
        raise PackError(f"{file}: {exc}") from exc
    if json:
        print_json(found)
    else:
        print(found.sentence)
    raise typer.Exit(0 if found.equal else 1)


Asked = tuple[Prepared, dict[str, int], Tallies | None]


@contextmanager
def _asked(asked: OnBasketSides) -> Iterator[Asked]:
    """The run that a command is about, the numbers of its markets' descriptions, and where its tries are counted."""
    if not str(asked.file).isdigit() or asked.file.exists():
        prepared = prepare(asked)
        yield prepared, {}, tallies_for(asked) if asked.stored and not prepared.basket else None
        return
    if asked.bars or asked.stored or asked.basket is not None:
        raise UsageError("a kept run has its bars, account and inputs itself: give its number alone")
    with stored_here() as application:
        setup = application.runs.run(int(str(asked.file))).setup
        prepared = setup.prepared(application.library, application.datasets).sound()
        yield prepared, descriptions(setup, application.library), application.tallies
