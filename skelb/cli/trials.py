"""Commands that make many runs or look at many conditions: sweep, walk, search, study, calendar."""

import sys
from collections.abc import Mapping
from dataclasses import fields, replace
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn

from skelb.cli.declared import runner, spelled_out
from skelb.cli.files import UsageError, write_file
from skelb.cli.inputs import prepare, prepare_all, prepare_to_look, tallies_for
from skelb.cli.options import JsonOption, OnBasket, OnBasketSides, OnDays, print_json
from skelb.core.trials import DESIGNS, MOVE_UNITS, Results
from skelb.service.mistakes import mistake_text
from skelb.service.prepared import Prepared
from skelb.service.studies import Followed, Studies
from skelb.service.tallies import Tallies
from skelb.service.trials.orders import Layout, TrialSettings, layout_of
from skelb.service.trials.ranking import Deflation, Luck, Overfitted, Ranking, exported, higher_is_better
from skelb.service.trials.whole import Choice, SweepFound, run_layout, sweep_of, walk_of
from skelb.service.trials.workers import THREADS

app = typer.Typer()
run = runner(app)
_err = Console(stderr=True)

VaryOption = Annotated[
    list[str],
    typer.Option("--vary", metavar="NAME=5..50:5", help="An input, timeframe, market or sides, and the values."),
]
ObjectiveOption = Annotated[
    str, typer.Option("--objective", help="The figure to look for; several with commas make a front.")
]
MinTradesOption = Annotated[int, typer.Option("--min-trades", min=0, help="Runs with fewer are not ranked.")]
JobsOption = Annotated[int, typer.Option("--jobs", min=1, max=64, help="Threads.")]
DaskOption = Annotated[
    str | None, typer.Option("--dask", metavar="ADDRESS", help="Run on the cluster whose scheduler is there.")
]
DrawOption = Annotated[str, typer.Option("--draw", help=f"Which points to run: {', '.join(DESIGNS)}.")]
RunsOption = Annotated[int, typer.Option("--runs", min=0, help="How many points to draw.")]
SeedOption = Annotated[int, typer.Option("--seed", min=0, help="Of the drawing.")]
SplitOption = Annotated[
    str, typer.Option("--split", metavar="60,25,15", help="In sample, out of sample, held back: shares or dates.")
]
CsvOption = Annotated[Path | None, typer.Option("--csv", metavar="FILE", help="Write all runs there too.")]
ParquetOption = Annotated[Path | None, typer.Option("--parquet", metavar="FILE", help="Write all runs there too.")]


@app.command()
@spelled_out
def sweep(
    asked: OnBasketSides,
    vary: VaryOption,
    objective: ObjectiveOption = "return_over_drawdown",
    min_trades: MinTradesOption = 30,
    draw: DrawOption = "grid",
    runs: RunsOption = 0,
    seed: SeedOption = 1,
    split: SplitOption = "",
    jobs: JobsOption = THREADS,
    dask: DaskOption = None,
    csv: CsvOption = None,
    parquet: ParquetOption = None,
    json: JsonOption = False,
) -> None:
    """Run every combination of some inputs' values, or some of them."""
    prepared, varied = _varied(asked, vary)
    settings = _settings(
        vary=varied,
        objective=_first(objective),
        min_trades=min_trades,
        design=draw,
        runs=runs,
        seed=seed,
        split=split,
    )
    layout = layout_of(settings, prepared)
    tallies = tallies_for(asked)
    results = _run(layout, jobs, dask, tallies, "sweeping")
    _write(layout, results, csv, parquet)
    found = sweep_of(settings, layout, results, objective.split(","), tallies)
    if json:
        _print_sweep(found)
        return
    _print_runs(found)
    if found.split and found.split.rank_correlation is not None:
        print(f"in sample against out of sample: rank correlation {found.split.rank_correlation:.2f}")
    for inputs in found.front or ():
        print(f"front: {_inputs_text(inputs)}")


@app.command()
@spelled_out
def search(
    asked: OnBasket,
    condition: Annotated[
        list[str] | None, typer.Option("--condition", help="A condition to combine; without any, the ready-made ones.")
    ] = None,
    parts: Annotated[int, typer.Option("--parts", min=1, max=3, help="Most conditions joined with `and`.")] = 2,
    hold: Annotated[int, typer.Option("--hold", min=1, help="Bars to hold when the script has no exits.")] = 20,
    markets: Annotated[
        str, typer.Option("--markets", help="Further symbols of --bars to search on, with commas.")
    ] = "",
    objective: ObjectiveOption = "sharpe",
    min_trades: MinTradesOption = 30,
    split: SplitOption = "",
    jobs: JobsOption = THREADS,
    dask: DaskOption = None,
    csv: CsvOption = None,
    parquet: ParquetOption = None,
    json: JsonOption = False,
) -> None:
    """Try every small combination of conditions as the entry of a script, both ways."""
    prepared = prepare(asked)
    symbols = [dataset.market.symbol for dataset in prepared.basket]
    prepared = replace(prepared, basket=())  # searched on one after the other
    symbols += [prepared.dataset.market.symbol, *markets.split(",")] if markets else []
    wanted = [f"market={','.join(symbols)}"] if symbols else []
    order = {"conditions": condition or [], "most_parts": parts, "hold": hold}
    settings = _settings(
        kind="search", vary=wanted, objective=_first(objective), min_trades=min_trades, split=split, search=order
    )
    layout = layout_of(settings, prepared)
    tallies = tallies_for(asked)
    results = _run(layout, jobs, dask, tallies, "searching")
    _write(layout, results, csv, parquet)
    found = sweep_of(settings, layout, results, objective.split(","), tallies)
    _print_sweep(found) if json else _print_runs(found)


@app.command()
@spelled_out
def walk(
    asked: OnBasketSides,
    vary: VaryOption,
    objective: ObjectiveOption = "return_over_drawdown",
    min_trades: MinTradesOption = 10,
    windows: Annotated[int, typer.Option("--windows", min=1, help="How many windows.")] = 6,
    ratio: Annotated[float, typer.Option("--ratio", help="Days inside for each day outside.")] = 4.0,
    inside: Annotated[
        int, typer.Option("--inside", min=0, help="Trading days inside, instead of a number of windows.")
    ] = 0,
    outside: Annotated[int, typer.Option("--outside", min=0, help="Trading days outside.")] = 0,
    anchored: Annotated[bool, typer.Option("--anchored", help="All windows begin on the first day.")] = False,
    choose: Annotated[str, typer.Option("--choose", help="By the best value or by the best neighbours.")] = "value",
    jobs: JobsOption = THREADS,
    dask: DaskOption = None,
    json: JsonOption = False,
) -> None:
    """Choose inputs anew on every window and trade the days after it with them."""
    if choose not in ("value", "neighbours"):
        raise UsageError(f"--choose is value or neighbours, not `{choose}`")
    prepared, varied = _varied(asked, vary)
    order = {"count": windows, "ratio": ratio, "inside": inside, "outside": outside, "anchored": anchored}
    settings = _settings(kind="walk", vary=varied, objective=_first(objective), min_trades=min_trades, windows=order)
    layout = layout_of(settings, prepared)
    results = _run(layout, jobs, dask, tallies_for(asked), "walking")
    rankings = [
        Ranking.of(layout.axes, False, results.part(part), settings.objective, min_trades)
        for part in range(len(layout.parts))
    ]
    by: Choice = "value" if choose == "value" else "neighbours"
    found = walk_of(layout, layout.parts, rankings, settings.objective, by, results)
    if json:
        print_json(found)
        return
    for window in found.windows:
        figures = window.outside_figures
        net = "nothing" if figures is None else f"{figures['net_profit']:,.2f}"
        chosen = _inputs_text(window.chosen) if window.chosen else "no run counts"
        print(f"{window.outside.first} to {window.outside.last}  net {net:>14}  {chosen}")
    print(found.sentence)
    _print_sentence(found.overfitting)


UnitOption = Annotated[str, typer.Option("--unit", help=f"What moves are told in: {', '.join(MOVE_UNITS)}.")]


@app.command()
@spelled_out
def study(
    asked: OnDays,
    condition: Annotated[
        str, typer.Option("--condition", help="One more condition, besides those of the script.")
    ] = "",
    unit: UnitOption = "points",
    json: JsonOption = False,
) -> None:
    """How often each condition of a script came, and what price did over the next 20 bars."""
    rows = _studies(asked, unit).conditions(condition)
    if json:
        print_json({"conditions": rows})
        return
    for row in rows:
        years = "  ".join(f"{year} {count:,}" for year, count in row.yearly.items())
        print(f"{row.text:40} {row.per_year:>8.1f} a year ({years})  {_moved(row)}")


@app.command()
@spelled_out
def calendar(
    asked: OnDays,
    condition: Annotated[
        str, typer.Option("--condition", help="Count where this turned yes, instead of every day, month and hour.")
    ] = "",
    unit: UnitOption = "points",
    json: JsonOption = False,
) -> None:
    """What price did on every weekday, in every month and every hour."""
    rows = _studies(asked, unit).calendar(condition)
    if json:
        print_json({"condition": condition, "rows": rows})
        return
    for row in rows:
        within = _band(row.within, row.within_low, row.within_high)
        print(f"{'*' if row.stands_out else ' '} {row.group:8}{row.name:12} within {within:32}  {_moved(row)}")


def _studies(asked: OnDays, unit: str) -> Studies:
    chosen = next((item for item in MOVE_UNITS if item == unit), None)
    if chosen is None:
        raise UsageError(f"--unit is one of {', '.join(MOVE_UNITS)}, not `{unit}`")
    return Studies(prepare_to_look(asked), chosen)


def _moved(row: Followed) -> str:
    band = _band(row.moves[-1], row.low[-1], row.high[-1])
    luck = "" if row.p is None else f", by luck in {row.p:.1%}"
    return f"{row.count:>7,} times  after 20 bars {band}, any bar {row.every[-1] or 0:+.4g}{luck}"


def _band(middle: float | None, low: float | None, high: float | None) -> str:
    return "too few" if middle is None else f"{middle:+.4g} [{low:+.4g}, {high:+.4g}]"


def _varied(asked: OnBasketSides, vary: list[str]) -> tuple[Prepared, list[str]]:
    """The run and what varies. Where the market does, markets are run one after the other instead of together;
    without values it takes all that are given."""
    prepared, datasets = prepare_all(asked)
    if "market" in prepared.checked.inputs or all(item.partition("=")[0].strip() != "market" for item in vary):
        return prepared, vary
    every = f"market={','.join(dataset.market.symbol for dataset in datasets)}"
    return replace(prepared, basket=()), [every if item.strip() == "market" else item for item in vary]


_OPTIONS = {"design": "draw", "count": "windows", "most_parts": "parts", "conditions": "condition"}


def _settings(**given: Any) -> TrialSettings:
    try:
        return TrialSettings(**given)
    except ValidationError as exc:
        first: dict[str, Any] = dict(exc.errors()[0])
        name = str(first["loc"][-1])
        raise UsageError(f"--{_OPTIONS.get(name, name.replace('_', '-'))}: {mistake_text(first)}") from None


def _first(objective: str) -> str:
    return objective.split(",")[0].strip()


def _run(layout: Layout, jobs: int, dask: str | None, tallies: Tallies, what: str) -> Results:
    columns = (TextColumn(what), BarColumn(), TaskProgressColumn(), TimeRemainingColumn())
    with Progress(*columns, console=_err, transient=True, disable=not sys.stderr.isatty()) as progress:
        task = progress.add_task(what, total=None)
        return run_layout(
            layout, jobs, dask, tallies, lambda done, total: progress.update(task, completed=done, total=total)
        )


def _write(layout: Layout, results: Results, csv: Path | None, parquet: Path | None) -> None:
    names = [part.span.name for part in layout.parts] or [""]
    parts = [(name, results.part(number)) for number, name in enumerate(names)]
    for path, form in ((csv, "csv"), (parquet, "parquet")):
        if path is not None:
            data = exported(layout.axes, parts, layout.labels, "csv" if form == "csv" else "parquet")
            write_file(path, data)


def _print_sweep(found: SweepFound) -> None:
    """The JSON of a sweep or search; what only a split or several objectives have stands there only with them."""
    document = {field.name: getattr(found, field.name) for field in fields(found)}
    del document["worth"], document["split"], document["front"]
    document |= {"luck": found.worth.luck, "deflation": found.worth.deflation}
    document["axes"] = [{"name": axis.name, "values": axis.values} for axis in found.axes]
    if split := found.split:
        document |= {"parts": split.parts, "held_back": split.held_back, "rank_correlation": split.rank_correlation}
    if found.front is not None:
        document["front"] = found.front
    print_json(document)


def _print_runs(found: SweepFound) -> None:
    objective = found.objective
    sign = -1 if higher_is_better(objective) else 1
    ranked = [(item, item.figures) for item in found.runs if item.ranked and item.figures]
    ranked.sort(key=lambda pair: sign * (pair[1][objective] or 0.0))
    print(f"{len(found.runs):,} runs, {len(ranked):,} with at least {found.min_trades} trades")
    _print_sentence(found.worth.luck)
    if found.worth.luck and not found.worth.luck.is_kept:
        print("(this command's tries only)")
    _print_sentence(found.worth.deflation)
    _print_sentence(found.overfitting)
    for item, figures in ranked[:20]:
        around = "-" if item.neighbourhood is None else f"{item.neighbourhood:.4f}"
        beside = f"  out of sample {item.outside[objective] or 0:>10.4f}" if item.outside else ""
        label = f"  {item.label}" if item.label else ""
        print(f"{figures[objective]:>12.4f}  neighbours {around:>10}{beside}  {_inputs_text(item.inputs)}{label}")


def _print_sentence(found: Luck | Deflation | Overfitted | None) -> None:
    if found:
        print(found.sentence)


def _inputs_text(inputs: Mapping[str, object]) -> str:
    return "  ".join(f"{name}={value}" for name, value in inputs.items())
