"""The same rules over several markets on one account, as the page shows them."""

from collections.abc import Sequence
from dataclasses import dataclass

from skelb.core.bars import Timeframe
from skelb.core.export import Column, TimedFinding, evenly, plain_values, timed_findings
from skelb.core.figures import Figures, basket_record, earned_by_market, market_costs, market_figures
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup

_MOST_POINTS = 600


@dataclass(frozen=True, slots=True)
class BasketRow:
    """One market of a basket: its figures, what a trade costs there, per unit, of a day's range, and what it earned up
    to each of the basket's times."""

    market: str
    figures: Figures
    trade_cost: float | None
    day_range: float | None
    cost_share_of_range: float | None
    earned: list[float]


@dataclass(frozen=True, slots=True)
class Basket:
    """A basket's figures, its equity beside holding in money at `times` (seconds since 1970 UTC), a row for each
    market; what a trade costs of a day's range, percent, in those that were too dear to be run."""

    figures: dict[str, Figures]
    findings: list[TimedFinding]
    rows: list[BasketRow]
    too_dear: dict[str, float]
    times: list[int]
    equity: list[float]
    holding: Column
    capital: float


def basket_run(
    setup: Setup,
    dropped: Sequence[str],
    against: str | None,
    library: Library,
    datasets: Datasets,
) -> Basket:
    """A basket's figures, its equity beside holding, and a row for each market.

    `dropped` markets are left out, and a finding says so; so are those that are too dear for the
    setup. Holding is an equal share of each, or the market `against`,
    such as an index; alpha and beta are against the same. Raises SkelbError as a backtest does.
    """
    prepared = setup.prepared(library, datasets).sound()
    result = prepared.backtest_basket(dropped=tuple(dropped), against=against)
    record = basket_record(result.outcomes)
    if against is not None:
        record = record.against(datasets.get(against, Timeframe.parse(setup.timeframe)))
    shown = evenly(record.equity.size, _MOST_POINTS)
    rows = []
    for outcome, earned in zip(result.outcomes, earned_by_market(result.outcomes), strict=True):
        costs = market_costs(outcome)
        symbol = outcome.plan.dataset.market.symbol
        told = costs.trade_cost, costs.day_range, costs.share
        rows.append(BasketRow(symbol, market_figures(outcome), *told, earned[shown].tolist()))
    return Basket(
        figures=result.figures,
        findings=timed_findings(result.outcomes[0], result.findings),
        rows=rows,
        too_dear=result.too_dear,
        times=record.closes[shown].tolist(),
        equity=record.equity[shown].tolist(),
        holding=plain_values(record.capital * record.holding[shown] / record.held_from),
        capital=record.capital,
    )
