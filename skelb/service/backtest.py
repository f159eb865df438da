"""One backtest from a script and settings to a judged result; the command line and the page share it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime

import numpy as np

from skelb.core.engine import Account, Outcome, run, run_basket
from skelb.core.errors import SettingsError
from skelb.core.figures import (
    Figures,
    Finding,
    basket_figures,
    basket_findings,
    charges_of,
    figures_by_side,
    findings_of,
)
from skelb.core.language import Checked
from skelb.core.plan import Dataset, input_values, make_plan
from skelb.core.stopping import part_of_work

SIDES = ("both", "long", "short")


@dataclass(frozen=True, eq=False)
class Result:
    """A judged run: the outcome, its figures for all, long and short, and the findings."""

    outcome: Outcome
    figures: dict[str, Figures]
    findings: list[Finding]


@dataclass(frozen=True)
class Choices:
    """What a run leaves to choose besides script, bars and account.

    Alpha and beta are `against` holding, or against the market of that symbol. `dropped` markets of a basket are left
    out, and said to have been; those where a round trip costs more than `dearest` percent of the middle day's range are
    not even run.
    """

    inputs: Mapping[str, object]
    sides: str = "both"
    from_date: date | None = None
    to_date: date | None = None
    inverted: bool = False
    against: str | None = None
    dropped: tuple[str, ...] = ()
    dearest: float | None = None


def backtest(checked: Checked, dataset: Dataset, account: Account, choices: Choices) -> Result:
    """The judged result of a sound script. Raises SettingsError on inputs, sides or dates that cannot be."""
    _check_sides(choices)
    inputs = input_values(checked, choices.inputs)
    with part_of_work(0.0, 0.7):
        plan = make_plan(checked, dataset, inputs, choices.sides, choices.from_date, choices.to_date, choices.inverted)
    against = _against(dataset, choices)
    with part_of_work(0.7, 1.0):
        outcome = run(plan, account)
    figures = figures_by_side(outcome, against)
    return Result(outcome, figures, findings_of(outcome, checked, figures, choices.sides))


@dataclass(frozen=True, eq=False)
class BasketResult:
    """A judged run of several markets on one account: an outcome for each, the figures of all of them together.

    too_dear : what a round trip costs of the middle day's range, percent, in the markets that were not run for it
    """

    outcomes: list[Outcome]
    figures: dict[str, Figures]
    findings: list[Finding]
    too_dear: dict[str, float]


def backtest_basket(checked: Checked, datasets: Sequence[Dataset], account: Account, choices: Choices) -> BasketResult:
    """The judged result of a sound script on every market. Raises SettingsError as `backtest` does."""
    _check_sides(choices)
    inputs = input_values(checked, choices.inputs)
    ordered, too_dear = basket_of(datasets, account, choices)
    against = _against(ordered[0], choices)
    plans = [
        make_plan(checked, dataset, inputs, choices.sides, choices.from_date, choices.to_date, choices.inverted)
        for dataset in ordered
    ]
    outcomes = run_basket(plans, account)
    figures = basket_figures(outcomes, against)
    findings = basket_findings(outcomes, checked, figures, choices.sides, choices.dropped, tuple(too_dear))
    return BasketResult(outcomes, figures, findings, too_dear)


def basket_of(
    datasets: Sequence[Dataset], account: Account, choices: Choices
) -> tuple[list[Dataset], dict[str, float]]:
    """The markets of a basket that are run, by symbol, and what a round trip costs in those that are too dear for it.

    Raises SettingsError when none is left, or one is dropped that is not there.
    """
    symbols = [dataset.market.symbol for dataset in datasets]
    if unknown := [symbol for symbol in choices.dropped if symbol not in symbols]:
        raise SettingsError(f"{unknown[0]} is not in the basket of {', '.join(symbols)}")
    if set(symbols) == set(choices.dropped):
        raise SettingsError("no market is left in the basket")
    kept = [dataset for dataset in datasets if dataset.market.symbol not in choices.dropped]
    too_dear = _too_dear(kept, account, choices.dearest)
    kept = [dataset for dataset in kept if dataset.market.symbol not in too_dear]
    if not kept:
        cheapest = min(too_dear.values())
        raise SettingsError(
            f"a round trip costs {cheapest:.1f} % of a day's range and more in every market: none is left"
        )
    return sorted(kept, key=lambda dataset: dataset.market.symbol), too_dear  # of one moment, by symbol


def _too_dear(datasets: Sequence[Dataset], account: Account, dearest: float | None) -> dict[str, float]:
    if dearest is None:
        return {}
    shares = {
        dataset.market.symbol: charges_of(dataset, account.commission, account.slippage_ticks).share
        for dataset in datasets
    }
    return {symbol: share for symbol, share in shares.items() if share is not None and share > dearest}


def _against(dataset: Dataset, choices: Choices) -> Dataset | None:
    """The market that alpha and beta are against. Raises SettingsError when there is none of that symbol."""
    if choices.against is None:
        return None
    return dataset.other(choices.against, dataset.bars.timeframe).dataset


def _check_sides(choices: Choices) -> None:
    if choices.sides not in SIDES:
        raise SettingsError(f"sides are one of {', '.join(SIDES)}, not `{choices.sides}`")


def read_date(text: str | None, what: str) -> date | None:
    """The date written as 2024-01-31, None when not given. Raises SettingsError on anything else."""
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise SettingsError(f"{what} is a date such as 2024-01-31, not `{text}`") from None


def read_moment(text: str, what: str) -> int:
    """Seconds since 1970 UTC of a time written in ISO 8601, UTC without an offset. Raises SettingsError on anything
    else."""
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise SettingsError(f"{what} is a time such as 2024-01-31T10:15, not `{text}`") from None
    return int((moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp())


def bar_at(outcome: Outcome, text: str) -> int:
    """The number of the bar that opens at a time written in ISO 8601 (UTC without offset).

    Raises SettingsError when it is no time, or no bar of the run opens then.
    """
    seconds = read_moment(text, "--at")
    times = outcome.plan.dataset.bars.time
    bar = int(np.searchsorted(times, seconds))
    if bar >= times.size or times[bar] != seconds or not outcome.first <= bar <= outcome.last:
        raise SettingsError(f"no bar of the run opens at {text}")
    return bar
