"""What a chart is given: exact bars close by, extremes and shares from afar, nothing skipped."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skelb.core.engine import Account, run
from skelb.core.export import legend_of, overview_of, scene_of, window_of
from skelb.core.language import check
from skelb.core.plan import input_values, make_plan
from tests.conftest import dataset, wave_bars

SCRIPT = """
quick = ema(close, 5)
up = close crosses above quick
draw quick, sma(close, 9) as stairs color long when up else short named "pair"
draw volume as pillars in "Volume"
level 3, 5 in "Volume"
shade quick to close color brass when up
mark up below ring "at {close}"
enter long when up
exit after 3 bars
size 3 units
"""
DATA = dataset(wave_bars(1500))
CHECKED = check(SCRIPT)
OUTCOME = run(make_plan(CHECKED, DATA, input_values(CHECKED, {})), Account(capital=1e5))
SCENE = scene_of(CHECKED, OUTCOME.plan.expressions, DATA)


def test_the_legend_names_what_is_drawn():
    legend = legend_of(SCENE)
    assert [(line.name, line.panel, line.form, line.colors) for line in legend.lines] == [
        ("pair", None, "stairs", ("long", "short")), ("sma(close, 9)", None, "stairs", ("long", "short")),
        ("volume", "Volume", "pillars", ("soft", "soft")),
    ]  # fmt: skip
    assert [(level.panel, level.value) for level in legend.levels] == [("Volume", 3.0), ("Volume", 5.0)]
    assert [lane.name for lane in legend.lanes] == ["up"]


@given(st.integers(0, 1499), st.integers(0, 1499), st.integers(1, 400))
@settings(max_examples=60)
def test_a_window_keeps_every_extreme(a, b, columns):
    first, last = min(a, b), max(a, b)
    window = window_of(SCENE, OUTCOME, first, last, columns)
    step, begin = window.step, window.first
    assert begin <= first and begin + step * len(window.x) > last
    assert len(window.x) <= columns + 2 and begin % step == 0
    shown = slice(begin, min(len(DATA), begin + step * len(window.x)))
    assert max(window.high) == DATA.bars.high[shown].max() and min(window.low) == DATA.bars.low[shown].min()
    assert window.open[0] == DATA.bars.open[shown][0] and window.close[-1] == DATA.bars.close[shown][-1]
    equity = window.equity
    assert max(equity.high or equity.value) == pytest.approx(OUTCOME.equity[shown].max())


def test_position_and_floating_profit_follow_the_trades():
    window = window_of(SCENE, OUTCOME, 0, 1499, 1500)
    inside = np.zeros(1500)
    for entry, leave in zip(OUTCOME.trades.entry_bar, OUTCOME.trades.exit_bar, strict=True):
        inside[entry:leave] = 1
    np.testing.assert_array_equal(window.position, inside)
    floating = np.array(window.floating)
    assert (floating[inside == 0] == 0).all() and (floating[inside == 1] != 0).any()


def test_too_many_marks_are_none_and_few_carry_their_label():
    busy = check("m = close > 0\nmark m above\nenter long when no")
    outcome = run(make_plan(busy, DATA, {}), Account())
    scene = scene_of(busy, outcome.plan.expressions, DATA)
    assert window_of(scene, outcome, 0, 1499, 1500).marks == []
    assert len(window_of(scene, outcome, 0, 99, 1500).marks) == 100
    [first, *_] = window_of(SCENE, OUTCOME, 0, 200, 500).marks
    assert first.label == f"at {DATA.bars.close[first.bar]:g}"


def test_the_overview_begins_and_ends_with_the_run():
    found = overview_of(OUTCOME, points=50)
    assert len(found.x) == 50 and (found.x[0], found.x[-1]) == (0, 1499)
    assert found.equity[-1] == OUTCOME.equity[-1]
