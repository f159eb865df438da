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
    sums = _trade_sums(trades.numbers[:, _SUMMED], trades.bars_held, trades.ambiguous, chosen)
    count, wins, won, lost = int(sums[_COUNT]), int(sums[_WINS]), float(sums[_WON]), float(sums[_LOST])
    losses, net = count - wins, won - lost
    costs = float(sums[_FEES] + sums[_SPREADS] + sums[_SLIPPED] + sums[_NIGHTS])
    gross = float(sums[_GROSS])
    found: Figures = {
        "net_profit": net,
        "return": net / outcome.capital if outcome.capital > 0 else None,
        "trades": count,
        "total_commission": float(sums[_FEES]),
        "total_spread": float(sums[_SPREADS]),
        "total_slippage": float(sums[_SLIPPED]),
        "total_financing": float(sums[_NIGHTS]),
        "total_costs": costs,
        "costs_share": costs / gross if gross > 0 else None,
        "ambiguous_trades": int(sums[_AMBIGUOUS]),
        "exposure": float(sums[_HELD]) / max(1, outcome.equity.size),
    }
    if count == 0:
        return found
    found |= {
        "win_rate": wins / count,
        "average_trade": net / count,
        "average_win": won / wins if wins else None,
        "average_loss": -lost / losses if losses else None,
        "profit_factor": won / lost if lost > 0 else None,
        "payoff": won / wins / (lost / losses) if wins and lost > 0 else None,
        "expectancy_r": float(sums[_IN_R] / sums[_WITH_R]) if sums[_WITH_R] else None,
        "largest_win": float(sums[_BEST]) if sums[_BEST] > 0 else None,
        "largest_loss": float(sums[_WORST]) if sums[_WORST] < 0 else None,
        "longest_winning_run": int(sums[_WINNING]),
        "longest_losing_run": int(sums[_LOSING]),
        "average_bars_held": float(sums[_HELD]) / count,
    }
    return found


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
    calendar = outcome.plan.dataset.calendar
    ends = calendar.day_ends[(calendar.day_ends >= outcome.first) & (calendar.day_ends < outcome.last)]
    ends = np.append(ends, outcome.last) - outcome.first
    years = float(calendar.day[outcome.last] - calendar.day[outcome.first] + 1) / _YEAR_DAYS
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


# The ledger's columns that `_trade_sums` reads, picked here: compiled code must not freeze another file's layout.
_SUMMED = [
    kernel.TF_NET, kernel.TF_GROSS, kernel.TF_COMMISSION, kernel.TF_SPREAD, kernel.TF_SLIPPAGE, kernel.TF_FINANCING,
    kernel.TF_R,
]  # fmt: skip
# What `_trade_sums` counts.
(
    _COUNT, _WINS, _WON, _LOST, _GROSS, _FEES, _SPREADS, _SLIPPED, _NIGHTS, _IN_R, _WITH_R, _BEST, _WORST, _HELD,
    _AMBIGUOUS, _WINNING, _LOSING,
) = range(17)  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _trade_sums(numbers, bars_held, ambiguous, chosen):
    """All that the trade figures are made of, in one pass over the chosen trades; `numbers` in the order of `_SUMMED`."""
    sums = np.zeros(17)
    winning = 0
    losing = 0
    for t in range(chosen.size):
        if not chosen[t]:
            continue
        net = numbers[t, 0]
        sums[_COUNT] += 1
        if net > 0.0:
            sums[_WINS] += 1
            sums[_WON] += net
            winning += 1
            losing = 0
        else:
            sums[_LOST] -= net
            losing += 1
            winning = 0
        sums[_WINNING] = max(sums[_WINNING], winning)
        sums[_LOSING] = max(sums[_LOSING], losing)
        sums[_BEST] = max(sums[_BEST], net)
        sums[_WORST] = min(sums[_WORST], net)
        sums[_GROSS] += numbers[t, 1]
        sums[_FEES] += numbers[t, 2]
        sums[_SPREADS] += numbers[t, 3]
        sums[_SLIPPED] += numbers[t, 4]
        sums[_NIGHTS] += numbers[t, 5]
        in_r = numbers[t, 6]
        if in_r == in_r:
            sums[_IN_R] += in_r
            sums[_WITH_R] += 1
        sums[_AMBIGUOUS] += ambiguous[t]
        sums[_HELD] += bars_held[t]
    return sums


@njit(cache=True, nogil=True, error_model="numpy")
def _largest_drawdown(equity, capital):
    peak = capital
    peak_at = -1
    money = 0.0
    share = 0.0
    start = -1
    bottom = 0
    depth = np.inf  # equity below this is a new largest fall, in money or as a share of the peak
    for i in range(equity.size):
        now = equity[i]
        if now > peak:
            peak = now
            peak_at = i
            depth = max(peak - money, peak * (1.0 - share)) if peak > 0.0 else peak - money
        elif now < depth:
            if peak - now > money:
                money = peak - now
                start = peak_at
                bottom = i
            if peak > 0.0:
                share = max(share, (peak - now) / peak)
            depth = max(peak - money, peak * (1.0 - share)) if peak > 0.0 else peak - money
    height = capital if start < 0 else equity[start]
    recovery = equity.size - 1
    for i in range(bottom, equity.size):
        if equity[i] >= height:
            recovery = i
            break
    return money, share * 100.0, start, recovery


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
