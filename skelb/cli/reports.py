"""The command that judges a run whole."""

from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner, spelled_out
from skelb.cli.files import UsageError, write_file
from skelb.cli.inputs import prepare, tallies_for
from skelb.cli.options import JsonOption, OnBasketSides, print_json
from skelb.cli.runs import count_run, print_figures
from skelb.cli.stored import stored_here
from skelb.service.report import Report, descriptions, report_of
from skelb.service.saved_page import saved_page
from skelb.service.tallies import Tallies

app = typer.Typer()
run = runner(app)


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
    found = _kept(asked, against) if _is_number(asked) else _made(asked, against)
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


def _is_number(asked: OnBasketSides) -> bool:
    return str(asked.file).isdigit() and not asked.file.exists()


def _made(asked: OnBasketSides, against: str | None) -> Report:
    prepared = prepare(asked)
    prepared = replace(prepared, choices=replace(prepared.choices, against=against))
    tallies: Tallies | None = None
    if asked.stored and not prepared.basket:
        tallies = tallies_for(asked)
        count_run(prepared, prepared.backtest().outcome, tallies)
    return report_of(prepared, tallies)


def _kept(asked: OnBasketSides, against: str | None) -> Report:
    if asked.bars or asked.stored or asked.basket is not None:
        raise UsageError("a kept run has its bars, account and inputs itself: give its number alone")
    with stored_here() as application:
        setup = application.runs.run(int(str(asked.file))).setup
        prepared = setup.prepared(application.library, application.datasets).sound()
        prepared = replace(prepared, choices=replace(prepared.choices, against=against))
        return report_of(prepared, application.tallies, None, descriptions(setup, application.library))
