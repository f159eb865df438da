"""A run drawn on bars of another timeframe: everything at the same moments, and nothing before it was known."""

import numpy as np
import pytest

from skelb.core.bars import Market, Timeframe
from skelb.core.catalogue import YES
from skelb.core.engine import Account, Moment, run
from skelb.core.export import Charted, scene_of, window_of
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset, make_plan
from tests.conftest import wave_bars

SCRIPT = """
quick = ema(close, 5)
up = close crosses above quick
draw quick
mark up below ring "at {close}"
enter long when up
enter short when close crosses below quick at limit close + 0.5 for 2 bars
stop 2 * atr(5)
target 2 R
exit after 6 bars at close
size 3 units
"""
STORED = wave_bars(4_000, minutes=5)
MARKET = Market("TEST", tick=0.25)
DATA = {minutes: make_dataset(STORED, MARKET, Timeframe(minutes)) for minutes in (5, 15, 60)}
CHECKED = check(SCRIPT)
OUTCOME = run(make_plan(CHECKED, DATA[15], input_values(CHECKED, {})), Account(capital=1e5))
SCENE = scene_of(CHECKED, OUTCOME.plan.expressions, DATA[15])


@pytest.fixture(params=[5, 60], ids=["finer", "coarser"])
def on(request):
    return Charted(DATA[15], DATA[request.param])


def test_a_chart_bar_sees_what_had_closed_by_its_own_close(on):
    value = np.arange(len(DATA[15]), dtype=float)
    seen = on.values(value)
    closes, ends = on.chart.calendar.close_time, DATA[15].calendar.close_time
    for bar in range(0, on.size, 7):
        known = np.flatnonzero(ends <= closes[bar])
        assert (np.isnan(seen[bar]) and known.size == 0) or seen[bar] == known[-1]


def test_trades_stand_on_the_bars_on_which_they_were_filled(on):
    bars, trades = on.chart.bars, OUTCOME.trades
    entries, exits = on.entry_bars(OUTCOME), on.exit_bars(OUTCOME)
    assert len(trades) > 50 and (entries <= exits).all()
    opens, closes = bars.time, on.chart.calendar.close_time
    held = OUTCOME.entry_times()
    assert ((opens[entries] <= held) | (entries == 0)).all() or on.chart.bars.timeframe < DATA[15].bars.timeframe
    own_open, own_close = DATA[15].bars.time, DATA[15].calendar.close_time
    for found, own in ((entries, trades.entry_bar), (exits, trades.exit_bar)):
        overlap = (opens[found] < own_close[own]) & (closes[found] > own_open[own])
        assert overlap.all()
    # A fill inside a bar stands on a finer bar that holds its price.
    if on.chart.bars.timeframe < DATA[15].bars.timeframe:
        inside = trades.moment == Moment.INSIDE
        price = trades.exit_mid
        assert inside.any()
        assert ((bars.low[exits] <= price) & (price <= bars.high[exits]))[inside].all()


def test_a_window_of_other_bars_keeps_every_yes_and_its_own_prices(on):
    window = window_of(SCENE, OUTCOME, 0, on.size - 1, on.size, on)
    assert window.step == 1 and window.close == on.chart.bars.close.tolist()
    up = OUTCOME.plan.expressions.whole(CHECKED.definitions["up"].value) == YES
    lane = np.array(window.lanes["up"])
    places = on.bars_of(np.flatnonzero(up))
    assert (lane[places] > 0).all()
    assert {mark.bar for mark in window.marks} == set(places.tolist()) or not window.marks
    equity = [value for value in window.equity.value if value is not None]
    assert equity[-1] == OUTCOME.equity[on.run_bar(on.size - 1)]


def test_moments_lead_to_the_bar_that_is_open_and_to_the_last_that_has_closed(on):
    opens, closes = on.chart.bars.time, on.chart.calendar.close_time
    moments = opens[[3, 40, 200]] + 60
    assert on.bars_at(moments).tolist() == [3, 40, 200]
    assert on.closed_at(closes[[3, 40, 200]]).tolist() == [3, 40, 200]
    assert on.closed_at(closes[[3, 40, 200]] - 1).tolist() == [2, 39, 199]
    assert Charted.own(DATA[15]).run_bar(9) == 9
    with pytest.raises(IndexError):
        on.run_bar(on.size)
