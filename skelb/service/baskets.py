"""The same rules over several markets on one account, as a document for the page."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from skelb.core.bars import Timeframe
from skelb.core.export import finding_rows
from skelb.core.figures import basket_record, market_costs, market_figures
from skelb.service.backtest import backtest_basket
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup

Document = dict[str, Any]
_MOST_POINTS = 600


def basket_run(setup: Setup, markets: Sequence[str], dropped: Sequence[str], library: Library, datasets: Datasets) -> Document:  # fmt: skip
    """A basket's figures, its equity beside holding all of it, and a row for each market.

    `dropped` markets are left out, and a finding says so. Raises SkelbError as a backtest does.
    """
    timeframe = Timeframe.parse(setup.timeframe)
    chosen = [datasets.get(symbol, timeframe) for symbol in dict.fromkeys(markets)]
    checked = setup.checked(library, setup.dataset(datasets))
    choices = replace(setup.choices(checked), dropped=tuple(dropped))
    result = backtest_basket(checked, chosen, setup.conditions(library), choices)
    record = basket_record(result.outcomes)
    shown = np.unique(np.linspace(0, record.equity.size - 1, min(_MOST_POINTS, record.equity.size)).astype(np.int64))
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
        "holding": (record.capital * record.holding[shown] / record.held_from).tolist(),
        "capital": record.capital,
    }
