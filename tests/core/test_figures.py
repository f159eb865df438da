"""Figures against plain definitions, the laws of accounting, and what findings say."""

import math
from dataclasses import replace
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Commission
from skelb.core.engine import Account, run
from skelb.core.errors import SettingsError
from skelb.core.figures import (
    FIGURE_KEYS,
    FIGURES,
    basket_record,
    figures_by_side,
    figures_of,
    findings_of,
    record_of,
    side_equity,
)
from skelb.core.figures.sums import covered
from skelb.core.language import check
from skelb.core.plan import input_values, make_plan
from tests.conftest import dataset, wave_bars
from tests.reference.figures import plain_figures, plain_trade_figures, relative

SCRIPT = """
enter long when close crosses above sma(close, 8)
enter short when close crosses below sma(close, 8)
stop 2 * atr(5)
target 1.5 R
size 40% of equity
"""
ACCOUNT = Account(capital=20_000, commission=Commission(percent=0.01), slippage_ticks=1, leverage=5)


def outcome_of(script=SCRIPT, account=ACCOUNT, size=3000, seed=5, dates=(None, None), **market):
    checked = check(script)
    data = dataset(wave_bars(size, seed), **market)
    return checked, run(make_plan(checked, data, input_values(checked, {}), "both", *dates), account)


CHECKED, OUTCOME = outcome_of()
FOUND = figures_by_side(OUTCOME)
# Some days out of the middle, with every kind of cost and a currency rate.
_, PART = outcome_of(dates=(date(2024, 1, 9), date(2024, 1, 24)), spread=0.5, financing_long=30.0, financing_short=12.0, currency_rate=0.5, point_value=2.0)  # fmt: skip
# Held over nights that only one side pays for, entered at closes.
_, ONE_SIDED_NIGHTS = outcome_of("enter long when close > open at close\nenter short when close < open at close\nexit after 120 bars\nsize 3 units", financing_short=25.0)  # fmt: skip


def test_every_figure_is_there_and_documented():
    assert tuple(FOUND["all"]) == FIGURE_KEYS
    assert all(item.meaning and item.name and item.unit for item in FIGURES)


def ledger_rows(outcome, side=0):
    """The trades of a run, or of one side, as rows."""
    trades = outcome.trades
    columns = {"net": "net", "gross": "gross", "commission": "commission", "r": "r",
               "spread": "spread", "slippage": "slippage", "financing": "financing"}  # fmt: skip
    return [{name: float(trades.rows[column][row]) for name, column in columns.items()}
            | {"held": int(trades.bars_held[row]), "bars": range(trades.entry_bar[row], trades.entry_bar[row] + trades.bars_held[row]),
               "ambiguous": int(trades.ambiguous[row])}
            for row in range(len(trades)) if side in (0, trades.side[row])]  # fmt: skip


def plain_figures_of(outcome, held=None):
    """All figures of a run against holding its market, or against another market's bars."""
    data, span, held = outcome.plan.dataset, slice(outcome.first, outcome.last + 1), held or outcome.plan.dataset.bars
    return plain_figures(
        ledger_rows(outcome), outcome.equity.tolist(), 20_000.0, data.calendar.day[span].tolist(),
        data.calendar.close_time[span].tolist(), int(data.bars.time[outcome.first]), held.close[span].tolist(),
        float(held.open[outcome.first]),
    )  # fmt: skip


@pytest.mark.parametrize("outcome", [OUTCOME, PART], ids=["all bars", "some days"])
def test_every_figure_by_its_plain_definition(outcome):
    found = figures_by_side(outcome)
    assert found["all"] == pytest.approx(plain_figures_of(outcome))
    for name, side in (("long", 1), ("short", -1)):
        rows = ledger_rows(outcome, side)
        plain = plain_trade_figures(rows, 20_000.0, outcome.equity.size)
        assert {key: found[name][key] for key in plain} == pytest.approx(plain)
        assert record_of(outcome, name).is_long.tolist() == [side > 0] * len(rows)


def test_the_part_is_one_and_has_every_cost():
    assert 0 < PART.first < PART.last < 2999 and FOUND["long"]["net_profit"] != FOUND["short"]["net_profit"]
    found = figures_by_side(PART)["all"]
    assert all(found[f"total_{kind}"] > 0 for kind in ("commission", "spread", "slippage", "financing"))
    data = PART.plan.dataset
    trade = PART.trades
    entry, leave = (trade.rows[column] for column in ("entry_price", "exit_price"))
    assert data.market.currency_rate == 0.5
    costs = found["total_commission"] + found["total_financing"]
    moved = (trade.side * (leave - entry) * trade.units * 0.5 * 2.0).sum()  # prices of fills have spread and slippage
    assert found["net_profit"] == pytest.approx(moved - costs)


RECORD = record_of(OUTCOME)


def with_nets(*nets, **changed):
    """The figures of a record whose trades have these results and no costs, on an equity that stays at the capital."""
    rows = np.zeros(len(nets), RECORD.rows.dtype)
    rows["net"] = rows["gross"] = nets
    rows["r"] = np.nan
    several = np.ones(len(nets), np.int64)
    points = {"equity": np.full(RECORD.equity.size, RECORD.capital), **changed}
    return figures_of(
        replace(RECORD, rows=rows, bars_held=several, is_long=several > 0, ambiguous=several < 0, **points)
    )


def test_figures_at_their_edges():
    assert with_nets(0.0, 0.0)["largest_win"] is None and with_nets(0.0, 0.0)["largest_loss"] is None
    assert with_nets(0.5, -0.25)["largest_win"] == 0.5 and with_nets(0.5, -0.25)["largest_loss"] == -0.25
    small = with_nets(0.5, -0.25)
    assert (small["profit_factor"], small["payoff"], small["expectancy_r"]) == (2.0, 2.0, None)
    assert with_nets(0.5, capital=0.0)["return"] is None and with_nets(0.5, capital=0.5)["return"] == 1.0
    assert with_nets(1.0, capital=0.0)["sharpe"] is None
    assert with_nets(0.5, -0.25)["costs_share"] == 0.0
    assert with_nets(1.0, held_from=0.0)["holding_return"] is None
    assert with_nets(1.0, held_from=0.5)["holding_return"] == pytest.approx(RECORD.holding[-1] / 0.5 - 1)


def test_what_cash_earns_is_taken_off_both_sides():
    account = replace(ACCOUNT, cash_rate=5.0)
    _, outcome = outcome_of(account=account)
    found, plain = figures_by_side(outcome)["all"], FOUND["all"]
    days = RECORD.days
    a_year = days.size * 365.25 / (days[-1] - days[0] + 1)
    changes = np.array(relative([20_000.0, *RECORD.equity[RECORD.day_ends]])) - 0.05 / a_year
    assert found["sharpe"] == pytest.approx(np.mean(changes) / np.std(changes, ddof=1) * math.sqrt(a_year))
    assert found["sortino"] == pytest.approx(
        np.mean(changes) / math.sqrt(np.mean(np.minimum(changes, 0) ** 2)) * math.sqrt(a_year)
    )
    assert found["beta"] == pytest.approx(plain["beta"])
    assert found["alpha"] == pytest.approx(plain["alpha"] - 0.05 * (1 - plain["beta"]))
    assert {key for key in found if found[key] != pytest.approx(plain[key])} == {
        "sharpe",
        "sharpe_error",
        "sortino",
        "alpha",
        "alpha_error",
    }
    with pytest.raises(SettingsError, match="cash_rate"):
        replace(ACCOUNT, cash_rate=float("nan"))


def test_the_errors_of_sharpe_and_alpha_are_as_large_as_they_say():
    """Days drawn at random, 250 of them, hanging together a little: how far what is seen lies from what is true, 400 times."""
    true, ratios = 0.001 / 0.01 * math.sqrt(365.25), {"sharpe": [], "alpha": []}
    for seed in range(400):
        rng = np.random.default_rng(seed)
        held = rng.normal(0.0005, 0.012, 250)
        noise = rng.normal(0, 1, 251)
        changes = 0.001 + 0.01 * (noise[1:] + 0.2 * noise[:-1]) / math.sqrt(1.04)
        equity = 20_000 * np.cumprod(1 + changes)
        days = np.arange(250)
        record = replace(RECORD, equity=equity, closes=days * 86_400, day_ends=days, days=days, holding=np.cumprod(1 + held), held_from=1.0)  # fmt: skip
        found = figures_of(record)
        ratios["sharpe"].append((found["sharpe"] - true) / found["sharpe_error"])
        ratios["alpha"].append((found["alpha"] - 0.001 * 365.25) / found["alpha_error"])
    for name, seen in ratios.items():
        assert np.std(seen) == pytest.approx(1, abs=0.15), name
        assert np.mean(np.abs(seen) > 1.96) == pytest.approx(0.05, abs=0.035), name


def test_a_drawdown_counts_from_the_peak_it_fell_from_be_that_the_beginning_or_the_first_close():
    flat = np.full(RECORD.equity.size, RECORD.capital)
    assert with_nets(1.0)["max_drawdown"] == 0.0 and with_nets(1.0)["max_drawdown_days"] == 0.0
    assert with_nets(1.0)["return_over_drawdown"] is None
    falls = np.where(np.arange(flat.size) < 40, flat - 0.5, flat)
    found = with_nets(0.0, equity=falls)
    assert found["max_drawdown"] == 0.5 and found["return_over_drawdown"] == 0.0
    assert found["max_drawdown_days"] == pytest.approx((RECORD.closes[40] - RECORD.begins) / 86_400)
    rises_first = np.where(np.arange(flat.size) == 0, flat + 1, falls)
    found = with_nets(1.0, equity=np.where(np.arange(flat.size) >= 40, flat + 1, rises_first))
    assert found["max_drawdown_days"] == pytest.approx((RECORD.closes[40] - RECORD.closes[0]) / 86_400)
    ends_lower = flat.copy()
    ends_lower[-1] -= 100
    days = RECORD.days[-1] - RECORD.days[0] + 1
    grown = with_nets(-100.0, equity=ends_lower)["yearly_growth"]
    assert grown == pytest.approx(((RECORD.capital - 100) / RECORD.capital) ** (365.25 / days) - 1)
    empty = np.linspace(RECORD.capital, 0.0, flat.size)
    assert with_nets(-RECORD.capital, equity=empty)["yearly_growth"] is None


def test_a_run_may_be_against_another_market():
    other = dataset(wave_bars(3000, seed=77))
    found, holding = figures_by_side(OUTCOME, other)["all"], FOUND["all"]
    assert found == pytest.approx(plain_figures_of(OUTCOME, other.bars))
    assert figures_by_side(PART, other)["all"] == pytest.approx(plain_figures_of(PART, other.bars))
    assert found["beta"] != holding["beta"] and found["holding_return"] != holding["holding_return"]
    late = dataset(wave_bars(3000, seed=77, start=1_704_186_000 + 86_400))
    assert figures_by_side(OUTCOME, late)["all"]["beta"] is None  # nothing is known of it on the first day


def test_accounting_laws():
    trades = OUTCOME.trades
    costs = sum(trades.rows[c] for c in ("commission", "spread", "slippage", "financing"))
    np.testing.assert_allclose(trades.gross - costs, trades.net, atol=1e-9)
    assert trades.net.sum() + 20_000 == pytest.approx(OUTCOME.equity[-1])
    idle = np.ones(OUTCOME.equity.size, bool)
    for entry, leave in zip(trades.entry_bar, trades.exit_bar, strict=True):
        idle[entry : leave + 1] = False
    assert (np.diff(OUTCOME.equity)[idle[1:]] == 0).all()


def test_long_and_short_add_up_to_all():
    for key in ("net_profit", "trades", "total_costs", "ambiguous_trades", "exposure"):
        assert FOUND["long"][key] + FOUND["short"][key] == pytest.approx(FOUND["all"][key]), key
    for outcome in (OUTCOME, PART, ONE_SIDED_NIGHTS):
        sides = [side_equity(outcome, outcome.trades.side == side) - 20_000 for side in (1, -1)]
        np.testing.assert_allclose(sides[0] + sides[1], outcome.equity - 20_000, atol=1e-6)
        assert record_of(outcome).rows.size == len(outcome.trades)
        long = record_of(outcome, "long")
        np.testing.assert_array_equal(long.equity, sides[0] + 20_000)


@given(st.lists(st.tuples(st.integers(0, 40), st.integers(0, 12)), max_size=12))
def test_what_is_covered_twice_counts_once(stretches):
    begins, lengths = (np.array([stretch[at] for stretch in stretches], np.int64) for at in range(2))
    places = {place for begin, length in stretches for place in range(begin, begin + length)}
    assert covered(begins, begins + lengths) == len(places)


def test_exposure_counts_bars_and_not_lots():
    _, outcome = outcome_of("enter long when close > open\nlimit 3 open\nexit after 20 bars\nsize 1 units")
    found = figures_of(record_of(outcome))
    assert outcome.trades.bars_held.sum() > outcome.equity.size >= found["exposure"] * outcome.equity.size
    together = figures_of(basket_record([OUTCOME, outcome_of(seed=8)[1]]))["exposure"]
    assert FOUND["all"]["exposure"] < together <= 1.0


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
