"""The same rules over several markets on one account, as the page shows them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Ints, Timeframe
from skelb.core.engine import Outcome
from skelb.core.export import Column, TimedFinding, evenly, plain_number, plain_values, timed_findings
from skelb.core.figures import Figures, basket_order, basket_record, earned_by_market, market_costs, market_figures
from skelb.core.language.tree import Side
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup

_MOST_POINTS = 600
_MOST_TRADES = 5_000


@dataclass(frozen=True, slots=True)
class BasketRow:
    """One market of a basket: its figures, what a trade costs there, per unit, of a day's range; what it earned up to
    each of the basket's times, and its price then, None before its first bar."""

    market: str
    figures: Figures
    trade_cost: float | None
    day_range: float | None
    cost_share_of_range: float | None
    earned: list[float]
    closes: Column


@dataclass(frozen=True, slots=True)
class BasketTrade:
    """One trade of a basket; times are seconds since 1970 UTC, `net` money, `r` None without a stop."""

    number: int
    market: str
    side: Side
    entry_time: int
    entry_price: float
    exit_time: int
    exit_price: float
    units: float
    exit_reason: str
    net: float
    r: float | None


@dataclass(frozen=True, slots=True)
class Basket:
    """A basket's figures, its equity beside holding in money at `times` (seconds since 1970 UTC), a row for each
    market, the newest 5,000 trades of all in order of exit; what a trade costs of a day's range, percent, in those that
    were too dear to be run."""

    figures: dict[str, Figures]
    findings: list[TimedFinding]
    rows: list[BasketRow]
    trades: list[BasketTrade]
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
        closes = _closes_at(outcome, record.closes[shown])
        rows.append(BasketRow(symbol, market_figures(outcome), *told, earned[shown].tolist(), closes))
    return Basket(
        figures=result.figures,
        findings=timed_findings(result.outcomes[0], result.findings),
        rows=rows,
        trades=_trades(result.outcomes),
        too_dear=result.too_dear,
        times=record.closes[shown].tolist(),
        equity=record.equity[shown].tolist(),
        holding=plain_values(record.capital * record.holding[shown] / record.held_from),
        capital=record.capital,
    )


def _closes_at(outcome: Outcome, moments: Ints) -> Column:
    """The last close that was known at each moment."""
    dataset = outcome.plan.dataset
    seen = np.searchsorted(dataset.calendar.close_time, moments, side="right") - 1
    return plain_values(np.where(seen >= 0, dataset.bars.close[np.maximum(seen, 0)], np.nan))


def _trades(outcomes: Sequence[Outcome]) -> list[BasketTrade]:
    order = basket_order(outcomes)
    times = [(outcome.entry_times(), outcome.exit_times()) for outcome in outcomes]
    begin = max(0, len(order) - _MOST_TRADES)
    found = []
    for number, (market, row) in enumerate(order[begin:], begin + 1):
        outcome, (entered, left) = outcomes[market], times[market]
        of = outcome.trades.rows[row]
        found.append(
            BasketTrade(
                number=number,
                market=outcome.plan.dataset.market.symbol,
                side="long" if outcome.trades.side[row] > 0 else "short",
                entry_time=int(entered[row]),
                entry_price=float(of["entry_price"]),
                exit_time=int(left[row]),
                exit_price=float(of["exit_price"]),
                units=float(of["units"]),
                exit_reason=outcome.exit_reason(row),
                net=float(of["net"]),
                r=plain_number(of["r"]),
            )
        )
    return found
