# mypy: disable-error-code="no-untyped-def"
"""Figures of a finished run."""

from dataclasses import dataclass

import numpy as np
from numba import njit

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.engine import Outcome, kernel
from skelb.core.figures.definitions import FIGURE_KEYS

Figures = dict[str, float | int | None]
_YEAR_DAYS = 365.25


@dataclass(frozen=True)
class _Days:
    """The trading days of a run: index (from the run's first bar) of each day's last bar, and their span."""

    ends: Ints
    per_year: float
    years: float


def figures_of(outcome: Outcome, side: str = "all") -> Figures:
    """The figures of `all`, `long` or `short` trades, keyed as in FIGURES; None where a figure has no meaning.

    Of one side, equity is the initial capital plus that side's trades alone.
    """
    trades = outcome.trades
    chosen = np.ones(len(trades), np.bool_) if side == "all" else trades.side == (1 if side == "long" else -1)
    equity = outcome.equity if side == "all" else side_equity(outcome, chosen)
    found: Figures = dict.fromkeys(FIGURE_KEYS)
    found |= _trade_figures(outcome, chosen)
    found |= _equity_figures(outcome, equity)
    drawdown = found["max_drawdown"]
    if drawdown:
        found["return_over_drawdown"] = float(found["net_profit"] or 0.0) / drawdown
    found["exposure"] = float(trades.bars_held[chosen].sum()) / max(1, equity.size)
    return found


def side_equity(outcome: Outcome, chosen: Bools) -> Floats:
    """Closing equity per bar if only the chosen trades had been made, money, shape of `outcome.equity`."""
    trades = outcome.trades
    after, net = trades.column(kernel.TF_EQUITY), trades.net
    return _side_equity(
        outcome.capital, outcome.equity, outcome.first, chosen, trades.entry_bar, trades.exit_bar, net, after - net
    )


def drawdown_of(equity: Floats, capital: float) -> Floats:
    """Money below the highest equity so far (the initial capital included), shape of `equity`; never negative."""
    return np.maximum(np.maximum.accumulate(equity), capital) - equity


def _trade_figures(outcome: Outcome, chosen: Bools) -> Figures:
    trades = outcome.trades
    net = trades.net[chosen]
    wins, losses = net[net > 0], net[net <= 0]
    costs = {
        "total_commission": kernel.TF_COMMISSION,
        "total_spread": kernel.TF_SPREAD,
        "total_slippage": kernel.TF_SLIPPAGE,
        "total_financing": kernel.TF_FINANCING,
    }
    found: Figures = {name: float(trades.column(index)[chosen].sum()) for name, index in costs.items()}
    total = sum(float(found[name] or 0.0) for name in costs)
    gross = float(trades.gross[chosen].sum())
    found |= {
        "net_profit": float(net.sum()),
        "return": float(net.sum()) / outcome.capital if outcome.capital > 0 else None,
        "trades": int(net.size),
        "total_costs": total,
        "costs_share": total / gross if gross > 0 else None,
        "ambiguous_trades": int(np.count_nonzero(trades.ambiguous[chosen])),
    }
    if net.size == 0:
        return found
    lost = float(-losses.sum())
    in_r = trades.column(kernel.TF_R)[chosen]
    in_r = in_r[~np.isnan(in_r)]
    found |= {
        "win_rate": wins.size / net.size,
        "average_trade": float(net.mean()),
        "average_win": float(wins.mean()) if wins.size else None,
        "average_loss": float(losses.mean()) if losses.size else None,
        "profit_factor": float(wins.sum()) / lost if lost > 0 else None,
        "payoff": float(wins.mean()) / (lost / losses.size) if wins.size and lost > 0 else None,
        "expectancy_r": float(in_r.mean()) if in_r.size else None,
        "largest_win": float(wins.max()) if wins.size else None,
        "largest_loss": float(losses.min()) if losses.size and losses.min() < 0 else None,
        "longest_winning_run": _longest_run(net > 0),
        "longest_losing_run": _longest_run(net <= 0),
        "average_bars_held": float(trades.bars_held[chosen].mean()),
    }
    return found


def _longest_run(flags: Bools) -> int:
    edges = np.flatnonzero(np.diff(np.concatenate(([0], flags.astype(np.int8), [0]))))
    return int((edges[1::2] - edges[::2]).max()) if edges.size else 0


def _equity_figures(outcome: Outcome, equity: Floats) -> Figures:
    dataset = outcome.plan.dataset
    money, percent, peak, recovery = _largest_drawdown(equity, outcome.capital)
    found: Figures = {"max_drawdown": money, "max_drawdown_percent": percent, "max_drawdown_days": 0.0}
    if money > 0:
        closes = dataset.calendar.close_time[outcome.first : outcome.last + 1]
        start = closes[peak] if peak >= 0 else dataset.bars.time[outcome.first]
        found["max_drawdown_days"] = float(closes[recovery] - start) / 86_400.0
    bars = dataset.bars
    first, last = outcome.first, outcome.last
    if bars.open[first] > 0:
        found["holding_return"] = float(bars.close[last] / bars.open[first] - 1.0)
    if outcome.capital > 0:
        found |= _daily_figures(outcome, equity)
    return found


def _days_of(outcome: Outcome) -> _Days:
    day = outcome.plan.dataset.calendar.day[outcome.first : outcome.last + 1]
    ends = np.append(np.flatnonzero(day[1:] != day[:-1]), day.size - 1)
    years = float(day[-1] - day[0] + 1) / _YEAR_DAYS
    return _Days(ends, ends.size / years, years)


def _daily_figures(outcome: Outcome, equity: Floats) -> Figures:
    days = _days_of(outcome)
    found: Figures = {}
    final = float(equity[-1])
    if final > 0:
        found["yearly_growth"] = (final / outcome.capital) ** (1.0 / days.years) - 1.0
    changes = _relative_changes(equity[days.ends], outcome.capital)
    if changes is None or changes.size < 2:
        return found
    root = np.sqrt(days.per_year)
    deviation = float(changes.std(ddof=1))
    falls = float(np.sqrt(np.mean(np.minimum(changes, 0.0) ** 2)))
    if deviation > 0:
        found["sharpe"] = float(changes.mean() / deviation * root)
    if falls > 0:
        found["sortino"] = float(changes.mean() / falls * root)
    bars = outcome.plan.dataset.bars
    closes = bars.close[outcome.first : outcome.last + 1][days.ends]
    holding = _relative_changes(closes, float(bars.open[outcome.first]))
    if holding is not None and float(holding.var()) > 0:
        centred = holding - holding.mean()
        beta = float((centred * (changes - changes.mean())).mean() / holding.var())
        found["beta"] = beta
        found["alpha"] = float((changes.mean() - beta * holding.mean()) * days.per_year)
    return found


def _relative_changes(values: Floats, before: float) -> Floats | None:
    """Each value over the one before, less one; None when any of them is not above 0."""
    whole = np.concatenate(([before], values))
    if not (whole > 0).all():
        return None
    return np.asarray(whole[1:] / whole[:-1] - 1.0)


@njit(cache=True, nogil=True, error_model="numpy")
def _largest_drawdown(equity, capital):
    peak = capital
    peak_at = -1
    money = 0.0
    percent = 0.0
    start = -1
    bottom = 0
    for i in range(equity.size):
        now = equity[i]
        if now > peak:
            peak = now
            peak_at = i
        elif peak - now > money:
            money = peak - now
            start = peak_at
            bottom = i
        if peak > 0.0 and (peak - now) / peak * 100.0 > percent:
            percent = (peak - now) / peak * 100.0
    height = capital if start < 0 else equity[start]
    recovery = equity.size - 1
    for i in range(bottom, equity.size):
        if equity[i] >= height:
            recovery = i
            break
    return money, percent, start, recovery


@njit(cache=True, nogil=True, error_model="numpy")
def _side_equity(capital, equity, first, chosen, entry_bar, exit_bar, net, before):
    out = np.empty_like(equity)
    closed = capital
    at = 0
    for t in range(net.size):
        if not chosen[t]:
            continue
        entry, leave = entry_bar[t] - first, exit_bar[t] - first
        while at < entry:
            out[at] = closed
            at += 1
        while at < leave:
            out[at] = closed + (equity[at] - before[t])
            at += 1
        closed += net[t]
    while at < equity.size:
        out[at] = closed
        at += 1
    return out
