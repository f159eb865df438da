"""Expressions evaluated as written: unknowns, inputs, sharing, and no look at later bars."""

from datetime import date

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_array_equal

from skelb.core.engine import Account, run
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import Dataset, Expressions, Memo, input_values, make_dataset, make_plan
from skelb.demo import DEMO_MARKETS, DEMO_SCRIPTS, make_bars
from skelb.service.settings import market_settings
from tests.conftest import DEMO_SETTING, dataset, wave_bars

DATA = dataset(wave_bars(120))
NAN = float("nan")


def values(source, name, data=DATA, **given):
    checked = check(source)
    assert checked.is_sound, checked.diagnostics
    expressions = Expressions(checked, input_values(checked, given), data)
    return expressions.whole(checked.definitions[name].value)


def truth(source, name="x"):
    """A constant condition as yes, no or unknown."""
    return {0: "no", 1: "unknown", 2: "yes"}[int(values(source, name)[-1])]


@pytest.mark.parametrize(
    ("expression", "expected"),
    [
        ("unknown and no", "no"), ("unknown and yes", "unknown"), ("unknown or yes", "yes"), ("unknown or no", "unknown"),
        ("not unknown", "unknown"), ("known(1 / 0)", "no"), ("1 / 0 > 3", "unknown"), ("1 / 0 != 3", "unknown"),
        ("(1 if unknown else 2) > 0", "unknown"), ("3 in 3..5", "yes"), ("5 in 3..5", "yes"), ("6 not in 3..5", "yes"),
        ("2 in (1, 2)", "yes"), ("1 < 2 < 2", "no"), ("2 ^ 3 ^ 2 == 512", "yes"), ("-2 ^ 2 == -4", "yes"),
        ("09:30 in 22:00..10:00", "yes"), ("10:00 in 22:00..10:00", "no"), ("22:00 in 22:00..10:00", "yes"),
        ("known(unknown)", "no"), ("(0 - 1) ^ 0.5 > 0", "unknown"),
    ],
)  # fmt: skip
def test_logic_and_arithmetic_are_as_written(expression, expected):
    assert truth(f"x = {expression}") == expected


def test_crosses_need_four_known_values():
    found = values("x = close crosses above sma(close, 5)", "x")
    assert (found[:5] == 1).all() and set(found[5:]) == {0, 2}
    close, mean = DATA.bars.close, values("m = sma(close, 5)", "m")
    expected = (close[5:] > mean[5:]) & (close[4:-1] <= mean[4:-1])
    assert_array_equal(found[5:] == 2, expected)


def test_meets_is_either_cross():
    both = values("x = close meets open", "x")
    up, down = values("x = close crosses above open", "x"), values("x = close crosses below open", "x")
    assert_array_equal(both == 2, (up == 2) | (down == 2))


def test_inputs_fill_in_and_refuse_what_they_cannot_hold():
    source = "input n = 3\ninput kind = a one of a, b\ninput on_it = off\ninput start = 09:30\nx = sma(close, n)"
    assert_array_equal(values(source, "x", n="7"), values("x = sma(close, 7)", "x"))
    checked = check(source)
    for name, wrong in (
        ("n", "x"),
        ("kind", "c"),
        ("on_it", "perhaps"),
        ("start", "25:00"),
        ("other", 1),
        ("n", "inf"),
    ):
        with pytest.raises(SettingsError, match=name):
            input_values(checked, {name: wrong})
    assert input_values(checked, {"start": "10:15", "on_it": "yes"})["start"] == 615
    with pytest.raises(SettingsError, match="whole number"):
        values(source, "x", n=2.5)


def test_a_choice_among_series_is_that_series():
    source = "input src = close one of open, close, high\nx = sma(src, 3) + 0 * (1 if src is close else 2)"
    assert_array_equal(values(source, "x", src="high"), values("x = sma(high, 3)", "x"))


def test_equal_expressions_are_computed_once():
    data = Dataset(DATA.market, DATA.bars, DATA.calendar)
    source = "input a = 5\nx = ema(close, 5) > sma(close, 9)\ny = ema(close, a) > sma(close, 4 + 5)"
    checked = check(source)
    expressions = Expressions(checked, input_values(checked, {}), data)
    assert expressions.number(checked.definitions["x"].value) == expressions.number(checked.definitions["y"].value)


SHARED_TEXT = """input src   = close one of open, close
input kind  = ema one of sma, ema
input n     = 5 from 2 to 20 step 1
input m     = 3 from 1 to 5 step 1
input tall  = on
input from_ = 09:30
input wide  = 1h
input guard = 2 from 1 to 4 step 0.5
line  = average(src, n, kind)
alias = line
slow  = alias on wide
carry held = (line if line > held else held - m) starting line
up    = line crosses above slow and (tall or close > held)
down  = line crosses below slow
enter long when up
enter short when down
stop guard * atr(n)
window mon-thu from_-16:00
window fri 10:00-12:00 only if tall
months jan, feb
flat at 16:45
limit m entries per day
"""
SHARED, SHARED_SCRIPT = dataset(wave_bars(300)), check(SHARED_TEXT)


def plan_arrays(plan):
    """All that the engine reads of a plan."""
    signals = plan.rules.signals
    return [
        plan.flags,
        plan.rules.hours.blocks,
        signals.entries,
        signals.exits,
        plan.rows,
        plan.rules.limits,
        *plan.columns,
    ]


@given(st.data())
def test_what_runs_share_is_what_each_would_have_alone(data):
    checked = SHARED_SCRIPT
    assert checked.is_sound, checked.diagnostics
    for _ in range(3):
        inputs = input_values(checked, {
            "src": data.draw(st.sampled_from(["open", "close"])), "kind": data.draw(st.sampled_from(["sma", "ema"])),
            "n": data.draw(st.integers(2, 20)), "m": data.draw(st.integers(1, 5)), "tall": data.draw(st.booleans()),
            "from_": data.draw(st.sampled_from([540, 600, 660])), "wide": data.draw(st.sampled_from(["1h", "4h"])),
            "guard": data.draw(st.sampled_from([1.0, 2.5])),
        })  # fmt: skip
        shared, alone = make_plan(checked, SHARED, inputs), make_plan(checked, dataset(wave_bars(300)), inputs)
        for one, other in zip(plan_arrays(shared), plan_arrays(alone), strict=True):
            assert_array_equal(one, other)


def test_a_small_memo_forgets_and_still_answers():
    data = Dataset(DATA.market, DATA.bars, DATA.calendar, memo=Memo(budget_bytes=2_000))
    source = "a = sma(close, 3)\nb = a + sma(close, 4)\nc = a + b + sma(close, 5)"
    for _ in range(2):
        for name in "cab":
            assert_array_equal(values(source, name, data), values(source, name))


def test_a_long_chain_of_names_is_no_deep_recursion():
    lines = ["a0 = close", *(f"a{i} = a{i - 1} + 1" for i in range(1, 5000))]
    assert_array_equal(values("\n".join(lines), "a4999"), DATA.bars.close + 4999)


DEMO_BARS = {item.settings["symbol"]: make_bars(item) for item in DEMO_MARKETS}
DEMO_WORLD = {item.settings["symbol"]: market_settings(item.settings).market() for item in DEMO_MARKETS}


def other_market(symbol, timeframe):
    fitting = [bars for bars in DEMO_BARS[symbol] if bars.timeframe <= timeframe]
    return make_dataset(fitting[-1], DEMO_WORLD[symbol], timeframe)


def demo_run(script, bars_cut=None, **options):
    stored = DEMO_BARS[script.market][-1 if script.timeframe == "1d" else 0]
    bars = stored.take(slice(0, 30_000 if bars_cut is None else min(bars_cut, len(stored) - len(stored) // 4)))
    data = make_dataset(bars, DEMO_WORLD[script.market], others=other_market)
    checked = check(script.text, DEMO_SETTING)
    return run(make_plan(checked, data, input_values(checked, {}), **options), Account(capital=50_000, leverage=20))


@pytest.mark.parametrize("script", DEMO_SCRIPTS, ids=lambda script: script.title)
@settings(max_examples=4)
@given(cut=st.integers(5_000, 29_000))
def test_cutting_the_future_changes_nothing_in_the_past(script, cut):
    whole, part = demo_run(script), demo_run(script, cut)
    ended = part.trades.exit_bar < part.last  # the last bar closes what is open
    count = int(np.count_nonzero(ended))
    assert whole.trades.rows[:count].tobytes() == part.trades.rows[:count].tobytes()
    assert_array_equal(whole.equity[: part.last], part.equity[:-1])


def test_dates_bound_entries_but_not_warm_up():
    script = DEMO_SCRIPTS[0]
    whole = demo_run(script)
    days = whole.plan.dataset.calendar.day
    first = date.fromordinal(date(1970, 1, 1).toordinal() + int(days[12_000]))
    late = demo_run(script, from_date=first)
    assert late.first == int(np.searchsorted(days, days[12_000])) and late.equity.size == len(days) - late.first
    shared = whole.trades.entry_bar[whole.trades.entry_bar > late.first + 50]
    assert set(shared) <= set(late.trades.entry_bar)  # indicators were warm from the first day on
    with pytest.raises(SettingsError, match="no bars from"):
        demo_run(script, from_date=date(2031, 1, 1))


def test_one_side_alone():
    script = DEMO_SCRIPTS[0]
    assert set(demo_run(script, sides="long").trades.side) == {1}


def test_renaming_and_reordering_change_no_result():
    script = DEMO_SCRIPTS[0]
    renamed = script.text.replace("quick", "rapid").replace("calm", "still_water")
    checked = check(renamed)
    data = demo_run(script).plan.dataset
    again = run(make_plan(checked, data, input_values(checked, {})), Account(capital=50_000, leverage=20))
    assert again.trades.rows.tobytes() == demo_run(script).trades.rows.tobytes()


def test_inverting_exchanges_sides_and_mirrors_levels_about_the_fill():
    script = """
enter long when close > prior(close, 3)
enter short when close < prior(close, 5)
exit long when close < open
stop long at lowest(low, 4)
stop short 1%
target long at highest(high, 2) + 30
target short 2 R
size 1 units
"""
    checked, bars = check(script), dataset()
    straight = run(make_plan(checked, bars, {}), Account(capital=1e6))
    inverted = run(make_plan(checked, bars, {}, inverted=True), Account(capital=1e6))
    straight_first = {
        (row, side): index
        for index, (row, side) in enumerate(zip(straight.trades.entry_bar, straight.trades.side, strict=True))
    }
    compared = 0
    for index, (bar, side) in enumerate(zip(inverted.trades.entry_bar, inverted.trades.side, strict=True)):
        twin = straight_first.get((bar, -side))
        if twin is None:
            continue
        compared += 1
        mid = straight.trades.entry_mid[twin]
        for column in ("stop", "target"):
            mirrored = 2 * mid - straight.trades.rows[column][twin]
            np.testing.assert_allclose(inverted.trades.rows[column][index], mirrored, atol=0.5)  # rounded twice
    assert compared > 5
