"""Figures against plain definitions, the laws of accounting, and what findings say."""

import math

import numpy as np
import pytest

from skelb.core.bars import Commission
from skelb.core.engine import Account, kernel, run
from skelb.core.figures import FIGURE_KEYS, FIGURES, figures_by_side, figures_of, findings_of, record_of, side_equity
from skelb.core.language import check
from skelb.core.plan import input_values, make_plan
from tests.conftest import dataset, wave_bars

SCRIPT = """
enter long when close crosses above sma(close, 8)
enter short when close crosses below sma(close, 8)
stop 2 * atr(5)
target 1.5 R
size 40% of equity
"""
ACCOUNT = Account(capital=20_000, commission=Commission(percent=0.01), slippage_ticks=1, leverage=5)


def outcome_of(script=SCRIPT, account=ACCOUNT, size=3000, seed=5, **market):
    checked = check(script)
    data = dataset(wave_bars(size, seed), **market)
    return checked, run(make_plan(checked, data, input_values(checked, {})), account)


CHECKED, OUTCOME = outcome_of()
FOUND = figures_by_side(OUTCOME)


def test_every_figure_is_there_and_documented():
    assert tuple(FOUND["all"]) == FIGURE_KEYS
    assert all(item.meaning and item.name and item.unit for item in FIGURES)


def test_trade_figures_by_plain_counting():
    net = OUTCOME.trades.net.tolist()
    wins, losses = [x for x in net if x > 0], [x for x in net if x <= 0]
    expected = {
        "net_profit": sum(net), "return": sum(net) / 20_000, "trades": len(net), "win_rate": len(wins) / len(net),
        "average_trade": sum(net) / len(net), "average_win": sum(wins) / len(wins), "average_loss": sum(losses) / len(losses),
        "profit_factor": sum(wins) / -sum(losses), "largest_win": max(net), "largest_loss": min(net),
        "payoff": sum(wins) / len(wins) / (-sum(losses) / len(losses)),
        "expectancy_r": float(np.mean(OUTCOME.trades.column(kernel.TF_R))),
    }  # fmt: skip
    for key, value in expected.items():
        assert FOUND["all"][key] == pytest.approx(value), key


def test_equity_figures_by_plain_loops():
    equity, peak, money, percent = OUTCOME.equity.tolist(), 20_000.0, 0.0, 0.0
    for value in equity:
        peak = max(peak, value)
        money, percent = max(money, peak - value), max(percent, (peak - value) / peak * 100)
    assert FOUND["all"]["max_drawdown"] == pytest.approx(money)
    assert FOUND["all"]["max_drawdown_percent"] == pytest.approx(percent)
    assert FOUND["all"]["return_over_drawdown"] == pytest.approx(FOUND["all"]["net_profit"] / money)
    day = OUTCOME.plan.dataset.calendar.day
    ends = [equity[i] for i in range(len(equity)) if i + 1 == len(equity) or day[i + 1] != day[i]]
    changes = [b / a - 1 for a, b in zip([20_000.0, *ends], ends, strict=False)]
    mean = sum(changes) / len(changes)
    deviation = math.sqrt(sum((x - mean) ** 2 for x in changes) / (len(changes) - 1))
    falls = math.sqrt(sum(min(x, 0) ** 2 for x in changes) / len(changes))
    yearly = math.sqrt(len(ends) / ((int(day[-1]) - int(day[0]) + 1) / 365.25))
    assert FOUND["all"]["sharpe"] == pytest.approx(mean / deviation * yearly)
    assert FOUND["all"]["sortino"] == pytest.approx(mean / falls * yearly)


def test_accounting_laws():
    trades = OUTCOME.trades
    costs = sum(
        trades.column(c) for c in (kernel.TF_COMMISSION, kernel.TF_SPREAD, kernel.TF_SLIPPAGE, kernel.TF_FINANCING)
    )
    np.testing.assert_allclose(trades.gross - costs, trades.net, atol=1e-9)
    assert trades.net.sum() + 20_000 == pytest.approx(OUTCOME.equity[-1])
    idle = np.ones(OUTCOME.equity.size, bool)
    for entry, leave in zip(trades.entry_bar, trades.exit_bar, strict=True):
        idle[entry : leave + 1] = False
    assert (np.diff(OUTCOME.equity)[idle[1:]] == 0).all()


def test_long_and_short_add_up_to_all():
    for key in ("net_profit", "trades", "total_costs", "ambiguous_trades", "exposure"):
        assert FOUND["long"][key] + FOUND["short"][key] == pytest.approx(FOUND["all"][key]), key
    sides = [side_equity(OUTCOME, OUTCOME.trades.side == side) - 20_000 for side in (1, -1)]
    np.testing.assert_allclose(sides[0] + sides[1], OUTCOME.equity - 20_000, atol=1e-6)


def test_figures_without_meaning_are_none():
    _, nothing = outcome_of("enter long when no")
    found = figures_of(record_of(nothing))
    assert found["trades"] == 0 and found["net_profit"] == 0
    for key in ("win_rate", "profit_factor", "average_trade", "return_over_drawdown", "sharpe", "expectancy_r"):
        assert found[key] is None, key


def codes(script, account=ACCOUNT, sides="both", **options):
    checked, outcome = outcome_of(script, account, **options)
    figures = figures_by_side(outcome)
    return {item.code: item.message for item in findings_of(outcome, checked, figures, sides)}


def test_no_trades_says_which_condition_stopped_them():
    found = codes("up = close > open and close > 1e9\nenter long when up")
    assert "`close > 1e9` was yes on none" in found["no_trades"]
    found = codes("enter long when close > open\nwindow sat 09:01-09:02")
    assert "every one was stopped" in found["no_trades"] and "window" in found["no_trades"]
    assert "no `enter` rule" in codes("x = 3")["no_trades"]


def test_findings_speak_up():
    assert "few_trades" in codes("enter long when bar == 50\nexit when bar == 90")
    assert "still_open" in codes("enter long when bar == 50")
    assert "one_side_silent" in codes("enter long when close > open")
    assert "costs_share" in codes(SCRIPT, Account(capital=20_000, commission=Commission(per_order=40)))
    assert "cut_entries" in codes("enter long when close > open\nsize 1e9 units\nexit after 3 bars")
    assert "ruin" in codes("enter long when close > open\nsize 1e9 units\nexit after 30 bars", Account(leverage=500))
    assert "outside_session" in codes(SCRIPT, session="09:00-17:00")
    tight = "enter long when close > open\nstop 1 ticks\ntarget 1 ticks\nsize 1 units"
    assert "same_bar_share" in codes(tight)


def test_two_halves_make_the_whole_when_nothing_is_open_at_the_cut():
    script = "enter long when minute == 15 and hour == 10\nexit after 3 bars\nflat at session end\nsize 3 units"
    checked, whole = outcome_of(script, session="09:00-17:00")
    data = whole.plan.dataset
    day = data.calendar.day
    middle = int(day[len(day) // 2])
    dates = np.array([middle - 1, middle], "datetime64[D]").astype(object)
    first = run(make_plan(checked, data, {}, to_date=dates[0]), ACCOUNT)
    second = run(make_plan(checked, data, {}, from_date=dates[1]), ACCOUNT)
    joined = np.concatenate((first.trades.net, second.trades.net))
    np.testing.assert_allclose(joined, whole.trades.net)
