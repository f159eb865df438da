"""Commands that run a script on bars: its values, a test, one bar of it taken apart."""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict, replace
from typing import Annotated

import typer

from skelb.cli.declared import runner, spelled_out
from skelb.cli.files import UsageError, read_script, scripts_beside
from skelb.cli.inputs import prepare, read_dataset, settings_of, tallies_for
from skelb.cli.options import JsonOption, OnBars, OnBasketSides, OnSides, print_json
from skelb.core.engine import Outcome
from skelb.core.explain import ConditionPart, Explainer
from skelb.core.export import (
    Conversion,
    TimedFinding,
    alert_rows,
    backtest_document,
    basket_document,
    conversion_of,
    explanation_document,
    series_document,
    signal_sentences,
)
from skelb.core.figures import FIGURES, Figures, Finding, market_costs, market_figures, record_of
from skelb.core.plan import Expressions, input_values
from skelb.service.backtest import bar_at
from skelb.service.checking import checked_or_error, setting_for
from skelb.service.prepared import Judged, Prepared
from skelb.service.tallies import Tallies, try_of
from skelb.store import StoreError

app = typer.Typer()
run = runner(app)


@app.command()
@spelled_out
def series(
    asked: OnBars,
    json: JsonOption = False,
    against: Annotated[
        str | None, typer.Option("--against", metavar="COLUMN", help="Compare with this column of the bars.")
    ] = None,
    name: Annotated[
        str | None, typer.Option("--name", help="The name to compare; by default the column's, or the only one.")
    ] = None,
    tolerance: Annotated[
        float | None, typer.Option("--tolerance", min=0.0, help="The largest difference that counts as equal.")
    ] = None,
) -> None:
    """Print the values of every name in a script, bar by bar; or prove that one equals a column of the bars."""
    dataset = read_dataset(asked)
    setting = setting_for(dataset.bars, dataset.market, scripts_beside(asked.file))
    checked = checked_or_error(read_script(asked.file), setting)
    expressions = Expressions(checked, input_values(checked, settings_of(asked.set_)), dataset)
    if against is not None:
        _print_conversion(conversion_of(checked, expressions, dataset, against, name, tolerance), json)
        return
    document = series_document(checked, expressions, dataset)
    if json:
        print_json(document)
        return
    times, named = document["time"], document["series"]
    assert isinstance(times, list) and isinstance(named, dict)
    print(",".join(["time", *named]))
    for row, time in enumerate(times):
        cells = (values[row] for values in named.values())
        print(",".join([time, *("" if cell is None else str(cell) for cell in cells)]))


def _print_conversion(found: Conversion, json: bool) -> None:
    """Print how a name compares with a column; exit code 1 when they are not equal."""
    if json:
        print_json(found)
    else:
        print(f"{found.name} against {found.column}: {found.verdict}")
        for what, at in (("first", found.first), ("largest", found.largest)):
            if at is not None:
                print(f"{what} difference: {at.time} {at.found:.10g} instead of {at.original:.10g}")
    raise typer.Exit(0 if found.equal else 1)


@app.command()
@spelled_out
def backtest(
    asked: OnBasketSides,
    json: JsonOption = False,
    equity: Annotated[bool, typer.Option("--equity", help="Include the equity on every bar.")] = False,
    invert: Annotated[
        bool, typer.Option("--invert", help="Exchange the sides, levels mirrored about the fill.")
    ] = False,
    without: Annotated[
        list[str] | None,
        typer.Option("--without", metavar="SYMBOL", help="Leave this market of the basket out, and say so."),
    ] = None,
    dearest: Annotated[
        float | None,
        typer.Option(
            "--dearest", min=0, metavar="PERCENT", help="Run no market of the basket where a trade costs more of a day."
        ),
    ] = None,
    against: Annotated[
        str | None,
        typer.Option(
            "--against", metavar="SYMBOL", help="Holding return, alpha and beta of this market of --bars instead."
        ),
    ] = None,
) -> None:
    """Test a strategy bar by bar."""
    if (without or dearest is not None) and asked.basket is None:
        raise UsageError("--without and --dearest leave markets out of a basket: give --basket too")
    prepared = prepare(asked)
    choices = replace(prepared.choices, inverted=invert, against=against, dearest=dearest, dropped=tuple(without or ()))
    prepared = replace(prepared, choices=choices)
    judged = prepared.judged()
    if json:
        print_json(run_document(prepared, judged, equity))
    else:
        print_figures(judged.figures, judged.findings)
        for outcome in judged.outcomes if prepared.basket else ():
            _print_market(outcome)
    if asked.stored and not prepared.basket:
        _count(prepared, judged.outcomes[0], tallies_for(asked))


def run_document(prepared: Prepared, judged: Judged, equity: bool) -> dict[str, object]:
    """A run of one market or of a basket as the document of `backtest --json`."""
    checked = prepared.checked
    if not prepared.basket:
        [outcome] = judged.outcomes
        document = backtest_document(outcome, judged.figures, judged.findings, equity)
        return document | {"alerts": alert_rows(outcome, checked)}
    alerts = [
        asdict(row) | {"market": outcome.plan.dataset.market.symbol}
        for outcome in judged.outcomes
        for row in alert_rows(outcome, checked)
    ]
    document = basket_document(judged.outcomes, judged.figures, judged.findings, equity)
    return document | {"alerts": sorted(alerts, key=lambda row: str(row["time"]))}


def _print_market(outcome: Outcome) -> None:
    """A market of a basket in a line."""
    found, charged = market_figures(outcome), market_costs(outcome)
    symbol, net, trades = outcome.plan.dataset.market.symbol, found["net_profit"], found["trades"]
    share = "-" if charged.share is None else f"{charged.share:.1%}"
    print(f"{symbol:12} net {net:>14,.2f}  trades {trades:>6}  cost of a day's range {share:>7}")


def _count(prepared: Prepared, outcome: Outcome, tallies: Tallies) -> None:
    """A strategy's run was looked at."""
    seen, title = try_of(prepared, record_of(outcome), "command line"), prepared.checked.title
    if seen is not None:
        tallies.begin(title)
        with suppress(StoreError):  # the figures are out
            tallies.count(title, [(prepared.dataset, [seen])])


def print_figures(figures: dict[str, Figures], findings: Sequence[Finding | TimedFinding]) -> None:
    """Figures by side as a table, and what there is to say against them."""
    print(f"{'':32}{'all':>18}{'long':>18}{'short':>18}")
    for figure in FIGURES:
        values = [figures[side][figure.key] for side in ("all", "long", "short")]
        cells = "".join(f"{'-' if value is None else f'{value:,.4f}':>18}" for value in values)
        print(f"{figure.name + ' (' + figure.unit + ')':32}{cells}")
    for finding in findings:
        print(f"{finding.severity}: {finding.message}")


@app.command()
@spelled_out
def explain(
    asked: OnSides,
    at: Annotated[str, typer.Option("--at", metavar="TIME", help="The bar that opens at this time, ISO 8601, UTC.")],
    json: JsonOption = False,
) -> None:
    """Take one bar of a test apart: every rule, what filled, what was held back and why."""
    prepared = prepare(asked)
    result = prepared.backtest()
    explainer = Explainer(prepared.checked, result.outcome.plan, prepared.account)
    found = explainer.explain(bar_at(result.outcome, at))
    document, signals = explanation_document(found, result.outcome), signal_sentences(result.outcome)
    if json:
        print_json(document | {"signals": signals})
        return
    print(f"{document['time']}  {document['position'] or 'flat'}")
    for line in (*found.happened, *found.waiting):
        print(f"  {line}")
    for rule in found.rules:
        print(f"{rule.kind} {rule.side or 'either'} “{rule.name}”{': ' + rule.did if rule.did else ''}")
        _print_part(rule.condition, 1)
    for side, sentence in signals.items():
        print(f"{side}: {sentence}")


def _print_part(part: ConditionPart, depth: int) -> None:
    value = part.value
    worth = "unknown" if value is None else ("yes" if value else "no") if part.is_condition else f"{value:.10g}"
    print(f"{'  ' * depth}{worth:>8}  {part.text}")
    for inner in part.parts:
        _print_part(inner, depth + 1)
