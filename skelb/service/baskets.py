"""The same rules over several markets on one account, as a document for the page."""

from collections.abc import Sequence
from typing import Any

from skelb.core.bars import Timeframe
from skelb.core.export import evenly, finding_rows, plain_values
from skelb.core.figures import basket_record, market_costs, market_figures
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup

Document = dict[str, Any]
_MOST_POINTS = 600


def basket_run(
    setup: Setup, markets: Sequence[str], dropped: Sequence[str], against: str | None, library: Library, datasets: Datasets
) -> Document:  # fmt: skip
    """A basket's figures, its equity beside holding, and a row for each market.

    `dropped` markets are left out, and a finding says so. Holding is an equal share of each, or the market `against`,
    such as an index; alpha and beta are against the same. Raises SkelbError as a backtest does.
    """
    timeframe = Timeframe.parse(setup.timeframe)
    chosen = [datasets.get(symbol, timeframe) for symbol in dict.fromkeys(markets)]
    prepared = setup.prepared(library, datasets).sound()
    result = prepared.backtest_basket(chosen, dropped=tuple(dropped), against=against)
    record = basket_record(result.outcomes)
    if against is not None:
        record = record.against(datasets.get(against, timeframe))
    shown = evenly(record.equity.size, _MOST_POINTS)
    rows = []
    for outcome in result.outcomes:
        costs = market_costs(outcome)
        rows.append(
            {
                "market": outcome.plan.dataset.market.symbol,
                "figures": market_figures(outcome),
                "trade_cost": costs.trade_cost,
                "day_range": costs.day_range,
                "cost_share_of_range": costs.share,
            }
        )
    return {
        "figures": result.figures,
        "findings": finding_rows(result.outcomes[0], result.findings),
        "rows": rows,
        "times": record.closes[shown].tolist(),
        "equity": record.equity[shown].tolist(),
        "holding": plain_values(record.capital * record.holding[shown] / record.held_from),
        "capital": record.capital,
    }
