"""Bars at the edge of what can be: each has a defined answer."""

import numpy as np
import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account, run
from skelb.core.figures import figures_by_side
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan

SCRIPT = """
up = close > prior(close)
enter long when up
enter short when close < prior(close)
stop 3%
target 2 R
size risk 1% of equity
"""
START = 1_704_067_200


def bars_of(closes, step=3600, time=None):
    """Bars whose opens are the closes before, without wicks."""
    closes = np.asarray(closes, float)
    opens = np.concatenate((closes[:1], closes[:-1]))
    time = START + np.arange(closes.size, dtype=np.int64) * step if time is None else time
    high, low = np.maximum(opens, closes), np.minimum(opens, closes)
    return Bars(Timeframe(step // 60), time, opens, high, low, closes, np.ones(closes.size))


def go(closes, script=SCRIPT, account=None, time=None, **market):
    dataset = make_dataset(bars_of(closes, time=time), Market("EDGE", **market))
    return run(make_plan(check(script), dataset, {}), account or Account())


def wave(size, low, high):
    middle, reach = (low + high) / 2, (high - low) / 2
    return middle + reach * np.sin(np.arange(size) / 3.0)


def assert_sane(outcome):
    """Finite everywhere, balanced, and figures that are numbers or None."""
    assert np.isfinite(outcome.equity).all()
    assert outcome.equity[-1] == pytest.approx(outcome.capital + outcome.trades.net.sum(), rel=1e-9, abs=1e-6)
    for figures in figures_by_side(outcome).values():
        assert all(value is None or np.isfinite(value) for value in figures.values())


def test_bars_without_range_and_equal_prices_trade_nothing():
    outcome = go(np.full(50, 100.0))
    assert len(outcome.trades) == 0
    assert_sane(outcome)


def test_one_bar_is_a_run_without_trades():
    outcome = go([100.0])
    assert (len(outcome.trades), outcome.equity.tolist()) == (0, [10_000])
    assert_sane(outcome)


def test_a_gap_of_a_year_fills_at_the_next_open_there_is():
    time = START + np.array([0, 1, 2, 2 + 365 * 24, 3 + 365 * 24]) * 3600
    outcome = go([100, 101, 101, 101, 101], "enter long when close > prior(close)\nexit after 2 bars", time=time)
    assert outcome.trades.exit_bar.tolist() == [4]
    assert_sane(outcome)


@pytest.mark.parametrize(("low", "high", "tick"), [(1e-8, 3e-8, 1e-10), (1e9, 3e9, 0.01), (0.9, 1.1, 1e-5)])
def test_prices_from_a_hundred_millionth_to_a_billion(low, high, tick):
    outcome = go(wave(400, low, high), tick=tick, lot_step=1e-9, min_lot=1e-9)
    assert len(outcome.trades) > 20
    assert_sane(outcome)


def test_negative_prices_have_their_stops_on_the_right_side():
    outcome = go(wave(400, -120, -60), account=Account(leverage=5))
    trades = outcome.trades
    assert len(trades) > 20
    assert ((trades.stop - trades.entry_mid) * trades.side < 0).all()  # initial stops beyond the entry
    assert_sane(outcome)


def test_prices_through_zero_are_run_without_a_figure_that_is_none():
    outcome = go(wave(400, -20, 20), account=Account(leverage=5))
    assert_sane(outcome)


def test_a_stop_at_the_entry_price_is_refused():
    outcome = go(np.round(wave(60, 90, 110), 2), "enter long when close > prior(close)\nstop 0 points")
    assert len(outcome.trades) == 0 and len(outcome.skips) > 0


def test_sizes_beyond_any_number_are_cut_by_the_margin():
    outcome = go(wave(60, 90, 110), "enter long when close > prior(close)\nsize 1e300 units\nexit after 1 bars")
    assert len(outcome.trades) > 0
    assert_sane(outcome)


def test_a_million_trades():
    count = 2_000_002
    closes = 100.0 + (np.arange(count) % 2)
    outcome = go(closes, "enter long when close > prior(close)\nsize 1 units\nexit after 1 bars at close", Account(1e9))
    assert len(outcome.trades) == 1_000_000
    assert_sane(outcome)


def test_three_million_bars():
    closes = 100.0 + np.cumsum(np.random.default_rng(4).normal(0, 0.01, 3_000_000))
    script = "enter long when close crosses above ema(close, 200)\nexit long when close crosses below ema(close, 200)"
    outcome = go(np.maximum(closes, 1.0), script)
    assert len(outcome.trades) > 10_000
    assert_sane(outcome)
