"""Every figure of a run: its key, unit, name and definition. The guide and the screens show these."""

from dataclasses import dataclass
from typing import Literal

FigureGroup = Literal["result", "risk", "trades", "costs", "market"]
Unit = Literal["money", "fraction", "percent", "ratio", "count", "bars", "days", "R"]


@dataclass(frozen=True)
class Figure:
    """One figure: `key` as in JSON, what its number counts, a short name, what it means, whether more is better,
    and what it is read together with."""

    key: str
    unit: Unit
    name: str
    meaning: str
    higher_is_better: bool | None = None
    group: FigureGroup = "result"


FIGURES: tuple[Figure, ...] = (
    Figure("net_profit", "money", "Net", "Profit of all trades after all costs.", True),
    Figure("return", "fraction", "Return", "Net profit over the initial capital.", True),
    Figure("yearly_growth", "fraction", "Yearly growth", "The constant yearly rate that would have given the same final equity.", True),
    Figure("max_drawdown", "money", "Max drawdown", "Largest fall of closing equity from an earlier peak; the initial capital is the first peak.", False, "risk"),
    Figure("max_drawdown_percent", "percent", "Max drawdown", "Largest fall of closing equity as a share of the peak before it.", False, "risk"),
    Figure("max_drawdown_days", "days", "Drawdown length", "Calendar days from the peak before the largest fall to its recovery, or to the end.", False, "risk"),
    Figure("return_over_drawdown", "ratio", "Return / drawdown", "Net profit over max drawdown, both in money.", True),
    Figure("profit_factor", "ratio", "Profit factor", "Net of the winning trades over net of the losing ones.", True),
    Figure("trades", "count", "Trades", "Closed trades, each part of a position counted.", None, "trades"),
    Figure("win_rate", "fraction", "Win rate", "Share of trades with a net above 0.", True, "trades"),
    Figure("average_trade", "money", "Average trade", "Net profit over the number of trades.", True, "trades"),
    Figure("average_win", "money", "Average win", "Mean net of the winning trades.", True, "trades"),
    Figure("average_loss", "money", "Average loss", "Mean net of the trades at or below 0.", True, "trades"),
    Figure("payoff", "ratio", "Payoff", "Average win over average loss, without its sign.", True, "trades"),
    Figure("expectancy_r", "R", "Expectancy", "Mean net in multiples of the initial risk, over trades with a stop.", True, "trades"),
    Figure("largest_win", "money", "Largest win", "Net of the best trade, when above 0.", None, "trades"),
    Figure("largest_loss", "money", "Largest loss", "Net of the worst trade, when below 0.", None, "risk"),
    Figure("longest_winning_run", "count", "Longest winning run", "Most winning trades in a row.", None, "trades"),
    Figure("longest_losing_run", "count", "Longest losing run", "Most trades in a row that did not win.", False, "risk"),
    Figure("average_bars_held", "bars", "Average bars held", "Mean number of bars from entry to exit, the entry's bar counted.", None, "trades"),
    Figure("exposure", "fraction", "Exposure", "Share of bars on which a position was open at some moment; two at once count once.", None, "risk"),
    Figure("sharpe", "ratio", "Sharpe", "Mean over sample deviation of equity's daily relative changes beyond what cash earns (the account's cash rate), times the root of trading days a year: those of the run, by the years from its first to its last.", True, "risk"),
    Figure("sharpe_error", "ratio", "Sharpe ±", "Standard error of Sharpe (Lo 2002), days near to one another taken together: the true one lies within twice that in 19 of 20 cases.", None, "risk"),
    Figure("sortino", "ratio", "Sortino", "As Sharpe, with the root mean square of the falls (rises counted as 0) as the deviation.", True, "risk"),
    Figure("total_commission", "money", "Commission", "Commission of all trades.", False, "costs"),
    Figure("total_spread", "money", "Spread", "What crossing the spread cost.", False, "costs"),
    Figure("total_slippage", "money", "Slippage", "What slippage cost.", False, "costs"),
    Figure("total_financing", "money", "Financing", "Overnight financing of all trades; below 0 when it was earned.", False, "costs"),
    Figure("total_costs", "money", "Costs", "Commission, spread, slippage and financing.", False, "costs"),
    Figure("costs_share", "fraction", "Costs' share", "Costs over gross profit; none when there was no gross profit.", False, "costs"),
    Figure("holding_return", "fraction", "Holding", "Last close over first open, less one: what holding would have returned.", None, "market"),
    Figure("alpha", "fraction", "Alpha", "Yearly return not explained by holding (or by a chosen market): intercept of daily returns on its, times trading days a year.", True, "market"),
    Figure("alpha_error", "fraction", "Alpha ±", "Standard error of alpha, days near to one another taken together (Newey and West 1987).", None, "market"),
    Figure("beta", "ratio", "Beta", "Slope of equity's daily returns on those of holding, or of a chosen market.", None, "market"),
    Figure("ambiguous_trades", "count", "Ambiguous trades", "Trades whose stop and target lay in one bar, so that the same-bar rule decided.", False, "trades"),
)  # fmt: skip

FIGURE_KEYS: tuple[str, ...] = tuple(figure.key for figure in FIGURES)
