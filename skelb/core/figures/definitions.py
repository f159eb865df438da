"""Every figure of a run: its key, unit, name and definition. The guide and the screens show these."""

from dataclasses import dataclass
from typing import Literal

Unit = Literal["money", "fraction", "percent", "ratio", "count", "bars", "days", "R"]


@dataclass(frozen=True)
class Figure:
    """One figure: `key` as in JSON, what its number counts, a short name, what it means, and whether more is better."""

    key: str
    unit: Unit
    name: str
    meaning: str
    higher_is_better: bool | None = None


FIGURES: tuple[Figure, ...] = (
    Figure("net_profit", "money", "Net", "Profit of all trades after all costs.", True),
    Figure("return", "fraction", "Return", "Net profit over the initial capital.", True),
    Figure("yearly_growth", "fraction", "Yearly growth", "The constant yearly rate that would have given the same final equity.", True),
    Figure("max_drawdown", "money", "Max drawdown", "Largest fall of closing equity from an earlier peak; the initial capital is the first peak.", False),
    Figure("max_drawdown_percent", "percent", "Max drawdown", "Largest fall of closing equity as a share of the peak before it.", False),
    Figure("max_drawdown_days", "days", "Drawdown length", "Calendar days from the peak before the largest fall to its recovery, or to the end.", False),
    Figure("return_over_drawdown", "ratio", "Return / drawdown", "Net profit over max drawdown, both in money.", True),
    Figure("profit_factor", "ratio", "Profit factor", "Net of the winning trades over net of the losing ones.", True),
    Figure("trades", "count", "Trades", "Closed trades, each part of a position counted.", None),
    Figure("win_rate", "fraction", "Win rate", "Share of trades with a net above 0.", True),
    Figure("average_trade", "money", "Average trade", "Net profit over the number of trades.", True),
    Figure("average_win", "money", "Average win", "Mean net of the winning trades.", True),
    Figure("average_loss", "money", "Average loss", "Mean net of the trades at or below 0.", True),
    Figure("payoff", "ratio", "Payoff", "Average win over average loss, without its sign.", True),
    Figure("expectancy_r", "R", "Expectancy", "Mean net in multiples of the initial risk, over trades with a stop.", True),
    Figure("largest_win", "money", "Largest win", "Net of the best trade, when above 0.", None),
    Figure("largest_loss", "money", "Largest loss", "Net of the worst trade, when below 0.", None),
    Figure("longest_winning_run", "count", "Longest winning run", "Most winning trades in a row.", None),
    Figure("longest_losing_run", "count", "Longest losing run", "Most trades in a row that did not win.", False),
    Figure("average_bars_held", "bars", "Average bars held", "Mean number of bars from entry to exit, the entry's bar counted.", None),
    Figure("exposure", "fraction", "Exposure", "Share of bars spent in a position.", None),
    Figure("sharpe", "ratio", "Sharpe", "Mean over sample deviation of equity's daily relative changes beyond what cash earns (the account's `cash_rate`), times the root of trading days a year: those of the run, by the years from its first to its last.", True),
    Figure("sharpe_error", "ratio", "Sharpe ±", "Standard error of Sharpe (Lo 2002), days near to one another taken together: the true one lies within twice that in 19 of 20 cases.", None),
    Figure("sortino", "ratio", "Sortino", "As Sharpe, with the root mean square of the falls (rises counted as 0) as the deviation.", True),
    Figure("total_commission", "money", "Commission", "Commission of all trades.", False),
    Figure("total_spread", "money", "Spread", "What crossing the spread cost.", False),
    Figure("total_slippage", "money", "Slippage", "What slippage cost.", False),
    Figure("total_financing", "money", "Financing", "Overnight financing of all trades; below 0 when it was earned.", False),
    Figure("total_costs", "money", "Costs", "Commission, spread, slippage and financing.", False),
    Figure("costs_share", "fraction", "Costs' share", "Costs over gross profit; none when there was no gross profit.", False),
    Figure("holding_return", "fraction", "Holding", "Last close over first open, less one: what holding would have returned.", None),
    Figure("alpha", "fraction", "Alpha", "Yearly return not explained by holding (or by a chosen market): intercept of daily returns on its, times trading days a year.", True),
    Figure("alpha_error", "fraction", "Alpha ±", "Standard error of alpha, days near to one another taken together (Newey and West 1987).", None),
    Figure("beta", "ratio", "Beta", "Slope of equity's daily returns on those of holding, or of a chosen market.", None),
    Figure("ambiguous_trades", "count", "Ambiguous trades", "Trades whose stop and target lay in one bar, so that the same-bar rule decided.", False),
)  # fmt: skip

FIGURE_KEYS: tuple[str, ...] = tuple(figure.key for figure in FIGURES)
