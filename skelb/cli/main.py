"""`skelb`: one command per thing to do; `--json` prints one document and nothing else."""

import sys
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn

from skelb.cli.distrust import app as distrust_commands
from skelb.cli.inputs import CliRun, UsageError, read_dataset, read_script, scripts_beside, settings_of
from skelb.cli.options import (
    AccountOption,
    BarsOption,
    FileArgument,
    FromOption,
    JsonOption,
    MarketOption,
    SetOption,
    SidesOption,
    TimeframeOption,
    ToOption,
    print_json,
)
from skelb.cli.trials import app as trial_commands
from skelb.core.errors import SkelbError
from skelb.core.explain import Explainer, Part
from skelb.core.export import (
    Document,
    backtest_document,
    basket_document,
    conversion_document,
    diagnostics_document,
    explanation_document,
    series_document,
    signals_document,
)
from skelb.core.figures import FIGURES, Figures, Finding, market_costs, market_figures
from skelb.core.language import LineMap, Setting, check
from skelb.core.plan import Expressions, input_values
from skelb.service import backtest as backtests
from skelb.service.application import Application, data_folder
from skelb.service.bars_csv import read_bars_csv
from skelb.service.settings import read_settings_file
from skelb.service.warm import warm_kernels

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, help=__doc__)
app.add_typer(distrust_commands)
app.add_typer(trial_commands)
_err = Console(stderr=True)


def run_commands() -> None:
    """Run the command line; every known error is one line on standard error and exit code 2."""
    try:
        raise SystemExit(app(standalone_mode=False) or 0)
    except SkelbError as exc:
        sys.stderr.write(f"skelb: {' '.join(str(exc).split())}\n")
        raise SystemExit(2) from None
    except BrokenPipeError:
        raise SystemExit(0) from None
    except typer.Abort:
        raise SystemExit(130) from None
    except Exception as exc:  # noqa: BLE001 - a mistake of ours; a user still gets one line, not a traceback
        told = getattr(exc, "format_message", None)  # wrong usage, as the command parser tells it
        if told:
            sys.stderr.write(f"skelb: {' '.join(told().split())} (see skelb --help)\n")
            raise SystemExit(2) from None
        sys.stderr.write(
            f"skelb: this should not have happened, and nothing was changed: {type(exc).__name__}: {exc}\n"
        )
        raise SystemExit(2) from None


@app.command("check")
def check_command(file: FileArgument, json: JsonOption = False) -> None:
    """Say what is wrong with a script; exit code 1 when it has errors."""
    text = read_script(file)
    checked = check(text, Setting(scripts=scripts_beside(file)))
    if json:
        print_json(diagnostics_document(checked))
    else:
        places, lines = LineMap(text), text.split("\n")
        for item in checked.diagnostics:
            place = places.place(item.span[0])
            line = lines[place.line - 1]
            width = max(1, min(item.span[1] - item.span[0], len(line) - place.column + 1))
            print(f"{item.severity}[{item.code}]: {item.message}")
            print(f"  --> {file.name}:{place.line}:{place.column}")
            print(f"{place.line:4} | {line}\n     | {' ' * (place.column - 1)}{'^' * width}")
            print(f"why: {item.why}")
            if item.mend:
                print(f"mend: write `{item.mend.text}`" if item.mend.text else "mend: leave this out")
        print("checks clean" if not checked.diagnostics else f"{len(checked.diagnostics)} found")
    raise typer.Exit(0 if checked.is_sound else 1)


@app.command()
def series(
    file: FileArgument, bars: BarsOption, market: MarketOption = None, set_: SetOption = None,
    timeframe: TimeframeOption = None, json: JsonOption = False,
    against: Annotated[str | None, typer.Option("--against", metavar="COLUMN", help="Compare with this column of the bars.")] = None,
    name: Annotated[str | None, typer.Option("--name", help="The name to compare; by default the column's, or the only one.")] = None,
    tolerance: Annotated[float | None, typer.Option("--tolerance", min=0.0, help="The largest difference that counts as equal.")] = None,
) -> None:  # fmt: skip
    """Print the values of every name in a script, bar by bar; or prove that one equals a column of the bars."""
    dataset = read_dataset(bars, market, timeframe)
    checked = backtests.checked_or_error(
        read_script(file), backtests.setting_for(dataset.bars, dataset.market, scripts_beside(file))
    )
    expressions = Expressions(checked, input_values(checked, settings_of(set_)), dataset)
    if against is not None:
        _print_conversion(conversion_document(checked, expressions, dataset, against, name, tolerance), json)
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


def _print_conversion(document: Document, json: bool) -> None:
    """Print how a name compares with a column; exit code 1 when they are not equal."""
    if json:
        print_json(document)
    else:
        print(f"{document['name']} against {document['column']}: {document['verdict']}")
        for what in ("first", "largest"):
            found = document[what]
            if isinstance(found, dict):
                print(f"{what} difference: {found['time']} {found['found']:.10g} instead of {found['original']:.10g}")
    raise typer.Exit(0 if document["equal"] else 1)


@app.command()
def backtest(
    file: FileArgument, bars: BarsOption, market: MarketOption = None, account: AccountOption = None,
    set_: SetOption = None, sides: SidesOption = "both", timeframe: TimeframeOption = None,
    from_: FromOption = None, to: ToOption = None, json: JsonOption = False,
    equity: Annotated[bool, typer.Option("--equity", help="Include the equity on every bar.")] = False,
    invert: Annotated[bool, typer.Option("--invert", help="Exchange the sides, levels mirrored about the fill.")] = False,
    basket: Annotated[bool, typer.Option("--basket", help="Trade all the markets given, on one account.")] = False,
    without: Annotated[list[str] | None, typer.Option("--without", metavar="SYMBOL", help="Leave this market of the basket out, and say so.")] = None,
    against: Annotated[str | None, typer.Option("--against", metavar="SYMBOL", help="Alpha and beta against this market of --bars, not against holding.")] = None,
) -> None:  # fmt: skip
    """Test a strategy bar by bar."""
    if without and not basket:
        raise UsageError("--without leaves markets out of a basket: give --basket too")
    setup = CliRun.read(file, bars, market, account, set_, sides, timeframe, from_, to, invert)
    choices = replace(setup.choices, against=against, dropped=tuple(without or ()))
    if basket:
        together = backtests.backtest_basket(setup.checked, setup.datasets, setup.account, choices)
        if json:
            print_json(basket_document(together.outcomes, together.figures, together.findings, equity))
            return
        _print_figures(together.figures, together.findings)
        for outcome in together.outcomes:
            found, costs = market_figures(outcome), market_costs(outcome)
            share = "-" if costs.share is None else f"{costs.share:.1%}"
            net = found["net_profit"]
            print(
                f"{outcome.plan.dataset.market.symbol:12} net {net:>14,.2f}  trades {found['trades']:>6}  cost of a day's range {share:>7}"
            )
        return
    result = backtests.backtest(setup.checked, setup.dataset, setup.account, choices)
    if json:
        print_json(backtest_document(result.outcome, result.figures, result.findings, equity))
    else:
        _print_figures(result.figures, result.findings)


def _print_figures(figures: dict[str, Figures], findings: list[Finding]) -> None:
    for figure in FIGURES:
        values = [figures[side][figure.key] for side in ("all", "long", "short")]
        cells = "".join(f"{'-' if value is None else f'{value:,.4f}':>18}" for value in values)
        print(f"{figure.name + ' (' + figure.unit + ')':32}{cells}")
    for finding in findings:
        print(f"{finding.severity}: {finding.message}")


@app.command()
def explain(
    file: FileArgument, bars: BarsOption,
    at: Annotated[str, typer.Option("--at", metavar="TIME", help="The bar that opens at this time, ISO 8601, UTC.")],
    market: MarketOption = None, account: AccountOption = None, set_: SetOption = None, sides: SidesOption = "both",
    timeframe: TimeframeOption = None, from_: FromOption = None, to: ToOption = None, json: JsonOption = False,
) -> None:  # fmt: skip
    """Take one bar of a test apart: every rule, what filled, what was held back and why."""
    setup = CliRun.read(file, bars, market, account, set_, sides, timeframe, from_, to)
    result = backtests.backtest(setup.checked, setup.dataset, setup.account, setup.choices)
    explainer = Explainer(setup.checked, result.outcome.plan, setup.account)
    found = explainer.explain(backtests.bar_at(result.outcome, at))
    document, signals = explanation_document(found, result.outcome), signals_document(result.outcome)
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


def _print_part(part: Part, depth: int) -> None:
    value = part.value
    worth = "unknown" if value is None else ("yes" if value else "no") if part.is_condition else f"{value:.10g}"
    print(f"{'  ' * depth}{worth:>8}  {part.text}")
    for inner in part.parts:
        _print_part(inner, depth + 1)


@app.command("import")
def import_command(
    file: Annotated[Path, typer.Argument(metavar="CSV", help="Bars: time,open,high,low,close,volume.")],
    symbol: Annotated[str, typer.Option("--symbol", help="The market to store them under.")],
    market: Annotated[Path | None, typer.Option("--market", metavar="JSON", help="The market's description.")] = None,
    zone: Annotated[str, typer.Option("--zone", help="Zone of times without an offset.")] = "UTC",
    json: JsonOption = False,
) -> None:
    """Store bars from a file, in one transaction; rows that cannot be bars are refused and listed."""
    with _err.status("reading and storing"):
        read = read_bars_csv(file, zone)
        application = Application(data_folder())
        stored = application.library.save_market(symbol, "", read_settings_file(market) if market else {}, [read.bars])
        application.close()
    if json:
        refused = [{"line": row.line, "reason": row.reason} for row in read.refused]
        print_json({"symbol": stored.symbol, "rows": len(read.bars), "timeframe": str(read.bars.timeframe),
                     "refused_count": read.refused_count, "refused": refused, "notes": read.notes})  # fmt: skip
        return
    print(f"{len(read.bars):,} bars of {read.bars.timeframe} stored as {stored.symbol}")
    for row in read.refused:
        print(f"line {row.line}: {row.reason}")
    if read.refused_count > len(read.refused):
        print(f"and {read.refused_count - len(read.refused):,} more refused rows")


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
