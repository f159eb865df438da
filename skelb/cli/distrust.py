"""Commands that doubt a run: stress, resample, histories, challenge."""

from typing import Annotated

import typer

from skelb.cli.declared import runner, spelled_out
from skelb.cli.files import UsageError
from skelb.cli.inputs import prepare, prepare_all
from skelb.cli.options import JsonOption, OnBasketSides, print_json
from skelb.core.trials import KINDS, ChallengeRules, HistoryRules
from skelb.service.distrust import INSIDE_BARS, Distribution, Stress, challenged, redrawn
from skelb.service.histories import MadeHistories

app = typer.Typer()
run = runner(app)


@app.command("stress")
@spelled_out
def stress_command(
    asked: OnBasketSides,
    json: JsonOption = False,
    seed: Annotated[int, typer.Option("--seed", help="Of the histories drawn.")] = 1,
) -> None:
    """Make a test worse on purpose: costs, later fills, exchanged sides, the same positions at other times, the other
    bars given; or a basket of them together."""
    prepared, datasets = prepare_all(asked)
    stress = Stress(prepared, () if prepared.basket else datasets[1:], seed)
    steps = list(stress.steps())
    rows, last = [step.row for step in steps if step.row], steps[-1]
    if json:
        print_json({"rows": rows, "timing": last.timing, "verdict": last.verdict})
        return
    for row in rows:
        cells = [f"{'-' if value is None else f'{value:,.2f}':>16}" for value in (row.figures or {}).values()]
        print(f"{row.name:28}{''.join(cells) or row.error}")
    for sentence in last.verdict or ():
        print(sentence)


def _print_spreads(measures: dict[str, Distribution]) -> None:
    print(f"{'':16}{''.join(f'{name:>16}' for name in ('real', 'mean', 'p5', 'p25', 'p50', 'p75', 'p95'))}")
    for name, spread in measures.items():
        values = (spread.real, spread.mean, spread.p5, spread.p25, spread.p50, spread.p75, spread.p95)
        print(f"{name:16}{''.join('-'.rjust(16) if value is None else f'{value:>16,.2f}' for value in values)}")


@app.command("resample")
@spelled_out
def resample_command(
    asked: OnBasketSides,
    json: JsonOption = False,
    kind: Annotated[str, typer.Option("--kind", help=f"One of {', '.join(KINDS)}.")] = "bootstrap",
    samples: Annotated[int, typer.Option("--samples", help="How many.")] = 1_000,
    seed: Annotated[int, typer.Option("--seed", help="The same seed draws the same.")] = 1,
    share: Annotated[float, typer.Option("--share", help="Of trades to skip, or of a trade to lose, 0 to 1.")] = 0.1,
    block: Annotated[int, typer.Option("--block", help="Trades that stay together in blocks, on average.")] = 10,
) -> None:
    """Draw a test's trades anew: what of the result was luck of the draw."""
    chosen = next((item for item in KINDS if item == kind), None)
    if chosen is None:
        raise UsageError(f"--kind is one of {', '.join(KINDS)}, not `{kind}`")
    drawn = redrawn(prepare(asked).outcomes(), chosen, samples, seed, share, block)
    if json:
        print_json(drawn)
        return
    _print_spreads(drawn.measures)
    for name, place in drawn.places.items():
        print(f"{place:.0%} of the samples were worse than the run in {name}")


@app.command("histories")
@spelled_out
def histories_command(
    asked: OnBasketSides,
    json: JsonOption = False,
    histories: Annotated[int, typer.Option("--histories", help="How many.")] = 200,
    days: Annotated[int, typer.Option("--days", help="Trading days that stay together, on average.")] = 10,
    loose: Annotated[
        bool, typer.Option("--loose", help="Wild and calm days come anywhere, not when they did.")
    ] = False,
    noise: Annotated[float, typer.Option("--noise", help="Ticks that every price may be off.")] = 1.0,
    seed: Annotated[int, typer.Option("--seed", help="The same seed makes the same.")] = 1,
) -> None:
    """Test on histories made from the market's own bars: what of the result was the order in which its days came."""
    rules = HistoryRules(histories, days, not loose, noise, seed)
    *_, last = MadeHistories(prepare(asked), rules).steps()
    assert last.found is not None
    if json:
        print_json(last.found)
        return
    _print_spreads(last.found.measures)
    print(last.found.verdict)


@app.command("challenge")
@spelled_out
def challenge_command(
    asked: OnBasketSides,
    target: Annotated[float, typer.Option("--target", help="Profit to reach, percent of the capital.")],
    daily_loss: Annotated[float, typer.Option("--daily-loss", help="Most to lose in a day, percent.")],
    total_loss: Annotated[float, typer.Option("--total-loss", help="Most to lose in all, percent.")],
    least_days: Annotated[int, typer.Option("--least-days", help="Trading days before it can be passed.")] = 0,
    most_days: Annotated[int, typer.Option("--most-days", help="Trading days there are.")] = 60,
    json: JsonOption = False,
) -> None:
    """Begin a funded account's test on every day of a backtest: how many starts pass."""
    rules = ChallengeRules(target, daily_loss, total_loss, least_days, most_days)
    found = challenged(prepare(asked).outcomes(), rules)
    if json:
        print_json(found)
        return
    print(f"{found.starts:,} starts, {found.decided:,} decided")
    for name, part in found.shares.items():
        band = found.bands and f"   [{found.bands[name][0]:.1%}, {found.bands[name][1]:.1%}]"
        print(f"{name:12}{'-' if part is None else f'{part:.1%}':>8}{band or ''}")
    print(INSIDE_BARS)
    if took := found.days_to_pass:
        print(f"days to pass: {took['median']:g} in the middle, at most {took['most']:g}")
