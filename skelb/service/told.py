"""A run told in a few lines of text, for whoever is asked to make it better."""

from collections import defaultdict

import numpy as np

from skelb.core.engine import Outcome
from skelb.core.errors import SkelbError
from skelb.core.figures import FIGURES
from skelb.service.backtest import Result
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup

_TOLD = (
    "net_profit", "return", "max_drawdown_percent", "profit_factor", "trades", "win_rate", "average_trade", "sharpe",
    "total_costs", "exposure", "average_bars_held", "holding_return",
)  # fmt: skip
_MOST_MONTHS = 24
_MONTH = 7  # characters of a date, 2024-05


def told_run(setup: Setup, library: Library, datasets: Datasets) -> str:
    """Where a strategy is run and what comes of it: figures, findings, nets by month; or why it cannot be run. Empty
    for an indicator script, one with mistakes, and a basket."""
    try:
        prepared = setup.prepared(library, datasets)
        if not prepared.checked.is_sound or not prepared.checked.has_entries or prepared.basket:
            return ""
        result = prepared.backtest()
    except SkelbError as exc:
        return f"It cannot be run: {exc}"
    dataset, outcome = prepared.dataset, result.outcome
    first, last = (_date(int(dataset.bars.time[at]))[:10] for at in (outcome.first, outcome.last))
    given = ", ".join(f"{name} = {value}" for name, value in prepared.inputs.items())
    place = f"Market {dataset.market.symbol} on {dataset.bars.timeframe}, {outcome.equity.size:,} bars"
    lines = [
        f"{place} from {first} to {last}, capital {prepared.account.capital:,.0f}",
        *([f"Inputs: {given}"] if given else []),
        f"Figures: {_figures(result)}",
        *(f"Finding ({found.severity}): {found.message}" for found in result.findings),
        f"Net by month of exit, with how many trades: {_months(outcome)}",
    ]
    return "\n".join(f"  {line}" for line in lines)


def _figures(result: Result) -> str:
    values = result.figures["all"]
    return "; ".join(
        f"{item.name} {values[item.key]:.4g} {item.unit}"
        for item in FIGURES
        if item.key in _TOLD and values[item.key] is not None
    )


def _months(outcome: Outcome) -> str:
    months: dict[str, list[float]] = defaultdict(list)
    for time, net in zip(outcome.exit_times().tolist(), outcome.trades.net.tolist(), strict=True):
        months[_date(time)[:_MONTH]].append(net)
    newest = sorted(months)[-_MOST_MONTHS:]
    return ", ".join(f"{month} {sum(months[month]):+.0f} ({len(months[month])})" for month in newest) or "no trades"


def _date(time: int) -> str:
    return str(np.datetime64(time, "s"))
