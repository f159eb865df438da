"""Every figure of a finished run by its definition, in plain loops: None where it has no meaning."""

import itertools
import math

import numpy as np


def plain_figures(trades, equity, capital, days, closes, opened, held, held_from):
    """The figures of trades (rows with money, `r`, `held`, `bars`, `ambiguous`) and of equity at the bars' closes.

    days, closes, held : of each bar its trading day, the time of its close, and what holding is worth then; opened,
    held_from : the first bar's opening time, and what holding was worth then
    """
    found = plain_trade_figures(trades, capital, len(equity))
    found |= plain_equity_figures(equity, capital, days, closes, opened, held, held_from)
    money = found["max_drawdown"]
    found["return_over_drawdown"] = found["net_profit"] / money if money else None
    return found


def plain_trade_figures(trades, capital, bars):
    """What the trade figures mean, by counting the rows of a ledger."""
    net = [trade["net"] for trade in trades]
    wins, losses = [x for x in net if x > 0], [x for x in net if x <= 0]
    costs = {name: sum(trade[name] for trade in trades) for name in ("commission", "spread", "slippage", "financing")}
    gross = sum(trade["gross"] for trade in trades)
    runs = [(won, len(list(group))) for won, group in itertools.groupby(net, lambda x: x > 0)]
    in_r = [trade["r"] for trade in trades if trade["r"] is not None and not math.isnan(trade["r"])]
    lost = -sum(losses)
    return {
        "net_profit": sum(net), "return": over(sum(net), capital), "trades": len(net), "win_rate": over(len(wins), len(net)),
        "average_trade": over(sum(net), len(net)), "average_win": over(sum(wins), len(wins)),
        "average_loss": over(sum(losses), len(losses)), "profit_factor": over(sum(wins), lost) if net else None,
        "largest_win": max(wins, default=None), "largest_loss": min((x for x in losses if x < 0), default=None),
        "payoff": over(sum(wins) / len(wins), lost / len(losses)) if wins and lost > 0 else None,
        "expectancy_r": over(sum(in_r), len(in_r)),
        "longest_winning_run": max((size for won, size in runs if won), default=0) if net else None,
        "longest_losing_run": max((size for won, size in runs if not won), default=0) if net else None,
        "average_bars_held": over(sum(trade["held"] for trade in trades), len(net)),
        "exposure": len({bar for trade in trades for bar in trade["bars"]}) / bars,
        "ambiguous_trades": sum(trade["ambiguous"] for trade in trades),
        "total_commission": costs["commission"], "total_spread": costs["spread"], "total_slippage": costs["slippage"],
        "total_financing": costs["financing"], "total_costs": sum(costs.values()),
        "costs_share": over(sum(costs.values()), gross) if gross > 1e-9 * sum(costs.values()) else None,
    }  # fmt: skip


def over(a, b):
    """a / b; None where b is not above 0."""
    return a / b if b > 0 else None


def plain_equity_figures(equity, capital, days, closes, opened, held, held_from):
    """What the equity figures mean, in plain loops and NumPy's own covariance."""
    found = dict.fromkeys(("yearly_growth", "sharpe", "sharpe_error", "sortino", "beta", "alpha", "alpha_error"))
    found |= plain_falls(equity, capital, closes, opened)
    found["holding_return"] = held[-1] / held_from - 1 if held_from > 0 else None
    ends = [i for i in range(len(equity)) if i + 1 == len(equity) or days[i + 1] != days[i]]
    years = (int(days[-1]) - int(days[0]) + 1) / 365.25
    if capital <= 0:
        return found
    if equity[-1] > 0:
        found["yearly_growth"] = (equity[-1] / capital) ** (1 / years) - 1
    if len(ends) < 2 or min(equity[i] for i in ends) <= 0:
        return found
    changes = relative([capital, *(equity[i] for i in ends)])
    a_year, mean, spread = len(ends) / years, np.mean(changes), np.std(changes)
    apart = changes - mean
    if spread > 0:
        found["sharpe"] = mean / np.std(changes, ddof=1) * math.sqrt(a_year)
        of_ratio = apart / spread - mean / spread / 2 * (apart**2 / spread**2 - 1)
        found["sharpe_error"] = plain_error(of_ratio) * math.sqrt(a_year)
    falls = math.sqrt(sum(min(x, 0) ** 2 for x in changes) / len(changes))
    if falls > 0:
        found["sortino"] = mean / falls * math.sqrt(a_year)
    if held_from > 0 and min(held[i] for i in ends) > 0:
        market = relative([held_from, *(held[i] for i in ends)])
        if np.var(market) > 0:
            moved = market - np.mean(market)
            beta = np.sum(apart * moved) / np.sum(moved**2)
            of_alpha = (apart - beta * moved) * (1 - moved * np.mean(market) / np.var(market))
            found |= {"beta": beta, "alpha": (mean - beta * np.mean(market)) * a_year,
                      "alpha_error": plain_error(of_alpha) * a_year}  # fmt: skip
    return found


def plain_falls(equity, capital, closes, opened):
    """The largest fall of equity in money and in percent, and the days from its height until it was made good."""
    peak, peak_at, money, percent, days_down = capital, opened, 0.0, 0.0, 0.0
    for place, value in enumerate(equity):
        if value > peak:
            peak, peak_at = value, closes[place]
        if peak - value < 1e-9 * abs(peak):
            continue
        if peak - value > money:
            money = peak - value
            back = [close for close, later in zip(closes[place:], equity[place:], strict=True) if later >= peak]
            days_down = ((back[0] if back else closes[-1]) - peak_at) / 86_400
        if peak > 0:
            percent = max(percent, (peak - value) / peak * 100)
    return {"max_drawdown": money, "max_drawdown_percent": percent, "max_drawdown_days": days_down}


def plain_error(adds):
    """Newey and West's standard error of a mean: a weight for every pair of days."""
    lags = min(int(4 * (len(adds) / 100) ** (2 / 9)), len(adds) - 1)
    pairs = [
        (1 - abs(i - j) / (lags + 1)) * adds[i] * adds[j]
        for i in range(len(adds))
        for j in range(len(adds))
        if abs(i - j) <= lags
    ]
    return math.sqrt(max(sum(pairs), 0)) / len(adds)


def relative(values):
    """The relative changes from each value to the next."""
    return np.array([after / before - 1 for before, after in itertools.pairwise(values)])
