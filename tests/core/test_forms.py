"""Higher timeframes, sequences, sums and columns, each against a plain telling of the same rule."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_array_equal

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.catalogue import all_of, in_sequence
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import Expressions, input_values, make_dataset
from tests.conftest import wave_bars

MARKET = Market("TEST", tick=0.25, session="08:00-20:00")
DATA = make_dataset(wave_bars(2000), MARKET)


def values(source, name="x", data=DATA, **given_inputs):
    checked = check(source)
    assert checked.is_sound, checked.diagnostics
    return Expressions(checked, input_values(checked, given_inputs), data).whole(checked.definitions[name].value)


def plain_then(a, b, unless, within):
    """Read word by word: for each bar, look back for what the sentence asks."""
    out, completed = [], -1
    for i in range(len(a)):
        armed = [k for k in range(max(completed, 0), i) if a[k]]
        yes = False
        if b[i] and armed:
            k = armed[-1]
            yes = (within is None or i - k <= within) and not any(unless[k + 1 : i + 1])
        out.append(yes)
        if yes:
            completed = i
    return out


def plain_all_of(parts, unless, within):
    out, after = [], -1
    for i in range(len(parts[0])):
        latest = []
        for part in parts:
            seen = [k for k in range(after + 1, i + 1) if part[k]]
            latest.append(seen[-1] if seen else None)
        yes = None not in latest and any(part[i] for part in parts)
        if yes:
            earliest = min(latest)
            yes = (within is None or i - earliest <= within) and not any(unless[earliest + 1 : i + 1])
        out.append(bool(yes))
        if yes:
            after = i
    return out


flags = st.lists(st.tuples(*[st.booleans()] * 3, st.sampled_from([False, False, False, True])), min_size=1, max_size=40)
limits = st.one_of(st.none(), st.integers(1, 6))


def codes(truths):
    return np.array([2 * truth for truth in truths], np.int8)


@given(flags, limits)
@settings(max_examples=300)
def test_a_sequence_is_what_its_sentence_says(rows, within):
    a, b, _, c = (list(column) for column in zip(*rows, strict=True))
    assert_array_equal(in_sequence(codes(a), codes(b), codes(c), within) == 2, plain_then(a, b, c, within))
    assert_array_equal(in_sequence(codes(a), codes(b), None, within) == 2, plain_then(a, b, [False] * len(a), within))


@given(flags, limits)
@settings(max_examples=300)
def test_all_of_is_what_its_sentence_says(rows, within):
    *parts, c = (list(column) for column in zip(*rows, strict=True))
    found = all_of(np.array([codes(part) for part in parts]), codes(c), within) == 2
    assert_array_equal(found, plain_all_of(parts, c, within))


def test_steps_follow_one_another_with_their_own_tails():
    source = "x = close > prior(close) then close < open no later than 3 bars then volume > 500 unless volume < 50"
    nested = (
        "y = close > prior(close) then close < open no later than 3 bars\nx = y then volume > 500 unless volume < 50"
    )
    assert_array_equal(values(source), values(nested))
    assert set(values(source)) == {0, 2}


def test_a_sequence_may_start_with_all_of_and_stand_in_brackets():
    source = "x = (all of (close > open, volume > 300) no later than 2 bars then low < prior(low)) and volume > 100"
    assert 2 in values(source)


def plain_on(data, minutes, f):
    """The value of f on the higher bars closed at each bar's close; None before the first."""
    higher = make_dataset(data.bars, data.market, Timeframe(minutes))
    series = f(higher)
    out = []
    for moment in data.calendar.close_time:
        closed = [k for k in range(len(higher)) if higher.calendar.close_time[k] <= moment]
        out.append(series[closed[-1]] if closed else np.nan)
    return out


@pytest.mark.parametrize("minutes", [30, 60, 240, 1440, 10080])
def test_on_sees_only_higher_bars_that_have_closed(minutes):
    data = make_dataset(wave_bars(700), MARKET)
    found = values(
        f"x = (high + close) / 2 on {Timeframe(minutes)}".replace("(high + close) / 2", "((high + close) / 2)"),
        data=data,
    )
    assert_array_equal(found, plain_on(data, minutes, lambda h: (h.bars.high + h.bars.close) / 2))


def test_names_and_inputs_inside_are_worked_out_again_there():
    source = "input n = 5\ninput src = close one of close, high\nslow = ema(src, n)\nx = (close > slow) on 2h\ny = (close > ema(close, n)) on 2h"
    assert_array_equal(values(source, "x", n=7), values(source, "y", n=7))
    assert (values(source, "x", n=7, src="high") != values(source, "y", n=7)).any()
    assert set(values(source)) >= {0, 1, 2}


def test_records_conditions_and_constants_on_a_timeframe():
    assert_array_equal(
        values("b = bollinger(close, 5, 2) on 1h\nx = b.upper"), values("x = bollinger(close, 5, 2).upper on 1h")
    )
    assert_array_equal(values("x = close on 15m"), DATA.bars.close)
    assert set(values("x = 3 on 4h")) == {3}
    with pytest.raises(SettingsError, match="finer"):
        values("x = close on 5m")
    with pytest.raises(SettingsError, match="finer"):
        values("x = (close on 1h) on 4h")


@pytest.mark.parametrize(
    "source",
    [
        "x = ema(close, 3) on 1h",
        "x = (close > prior(high)) on 4h",
        "x = close > open then close < open unless volume > 800",
    ],
)
def test_cutting_the_future_off_changes_no_past_value(source):
    whole = values(source)
    for cut in (301, 777, 1203):
        part = values(source, data=make_dataset(wave_bars(2000).take(slice(0, cut)), MARKET))
        assert_array_equal(part, whole[: len(part)])


def test_another_market_as_it_was_known():
    other = make_dataset(wave_bars(900, seed=8).take(np.arange(900) % 3 != 1), MARKET)
    data = make_dataset(
        wave_bars(700), MARKET, others=lambda symbol, timeframe: make_dataset(other.bars, MARKET, timeframe)
    )
    found = values('x = close from "OTHER"', data=data)
    expected = []
    for moment in data.calendar.close_time:
        closed = np.flatnonzero(other.calendar.close_time <= moment)
        expected.append(other.bars.close[closed[-1]] if closed.size else np.nan)
    assert_array_equal(found, expected)
    hourly = values('n = ema(close, 3)\nx = (close > n) from "OTHER" on 1h', data=data)
    assert {0, 2} <= set(hourly)
    with pytest.raises(SettingsError, match="not at hand"):
        values('x = close from "OTHER"')
    with pytest.raises(SettingsError, match="finer"):
        values('x = close from "OTHER" on 5m', data=data)


def test_total_is_the_sum_written_out():
    written = "x = prior(close, 0) * 4 + prior(close, 1) * 3 + prior(close, 2) * 2 + prior(close, 3) * 1"
    assert_array_equal(values("input n = 4\nx = total(k from 0 to n - 1: prior(close, k) * (n - k))"), values(written))
    np.testing.assert_allclose(values("x = total(i from 1 to 2: total(k from 0 to 1: prior(open, k) * i)) on 1h"),
                               values("x = (3 * (open + prior(open))) on 1h"))  # fmt: skip
    inner = "total(i from 1 to 3: total(k from 1 to i: prior(close, k)) + sma(close, 2 * i))"  # bounds that move
    np.testing.assert_allclose(
        values(f"x = {inner}"),
        values("x = 3 * prior(close) + 2 * prior(close, 2) + prior(close, 3)"
               " + sma(close, 2) + sma(close, 4) + sma(close, 6)"),
    )  # fmt: skip
    with pytest.raises(SettingsError, match=r"at most 1,000"):
        values("input n = 5000\nx = total(k from 0 to n: prior(close, k))")


def test_columns_that_came_with_the_bars():
    bars = wave_bars(300)
    with_ref = Bars(
        bars.timeframe, bars.time, bars.open, bars.high, bars.low, bars.close, bars.volume, {"ref": bars.close * 2}
    )
    data = make_dataset(with_ref, MARKET)
    assert_array_equal(values('x = column("ref") / 2', data=data), data.bars.close)
    assert values('x = column("ref") on 1h', data=data)[-1] in data.bars.columns["ref"]
    with pytest.raises(SettingsError, match="no column `rev`; they have ref"):
        values('x = column("rev")', data=data)


def test_a_running_value_is_the_average_it_spells_out():
    written = "carry m = m + 2 / 11 * (close - m) starting close\nx = m"
    plain, value = [], None
    for price in DATA.bars.close.tolist():
        value = price if value is None else value + 2 / 11 * (price - value)
        plain.append(value)
    np.testing.assert_allclose(values(written), plain, rtol=1e-12)


def test_a_group_starts_together_and_now_is_this_bars_value():
    source = """
reach = atr(10)
carry side, edge = (-1 if side > 0 and close < edge else 1 if side < 0 and close > edge else side), (max(edge, close - 3 * reach) if now(side) > 0 else min(edge, close + 3 * reach)) starting 1, close - 3 * reach
x = side
y = edge
""".replace("(-1 if side > 0 and close < edge else 1 if side < 0 and close > edge else side)", "(-1 if side > 0 and close < edge else (1 if side < 0 and close > edge else side))")  # fmt: skip
    reach = values("x = atr(10)")
    side, edge, sides, edges = None, None, [], []
    for price, width in zip(DATA.bars.close.tolist(), reach.tolist(), strict=True):
        if side is None:
            if width == width:
                side, edge = 1.0, price - 3 * width
            sides.append(np.nan if side is None else side), edges.append(np.nan if edge is None else edge)
            continue
        fresh = -1.0 if side > 0 and price < edge else 1.0 if side < 0 and price > edge else side
        edge = max(edge, price - 3 * width) if fresh > 0 else min(edge, price + 3 * width)
        side = fresh
        sides.append(side), edges.append(edge)
    assert_array_equal(values(source), sides)
    np.testing.assert_allclose(values(source, "y"), edges, rtol=1e-12)
    assert set(values(source)[20:]) == {1, -1}


def test_running_conditions_and_unknowns_go_on_from_the_last_known():
    source = "carry armed = close > open or (armed and close > prior(low)) starting no\nx = armed"
    before, plain = None, []
    for i in range(len(DATA)):
        bars = DATA.bars
        before = (
            False
            if before is None
            else bool(bars.close[i] > bars.open[i] or (before and bars.close[i] > bars.low[i - 1]))
        )
        plain.append(2 * before)
    assert_array_equal(values(source), plain)
    hole = "carry n = (1 / 0 if bar == 5 else n + 1) starting 0\nx = n"
    assert_array_equal(values(hole)[:8], [0, 1, 2, 3, 4, np.nan, 5, 6])


def test_running_values_keep_the_past_and_work_on_a_timeframe():
    source = "carry top = max(top * 0.999, high) starting high\nx = (close > top * 0.99) on 1h"
    whole = values(source)
    part = values(source, data=make_dataset(wave_bars(2000).take(slice(0, 901)), MARKET))
    assert_array_equal(part, whole[: len(part)])
    assert {0, 2} <= set(whole)


@pytest.mark.parametrize(
    ("function", "call", "plain"),
    [
        ("define span(a, b) = abs(a - b)", "span(high, low)", "abs(high - low)"),
        (
            "define lag(x, n) = ema(x, n) - ema(ema(x, n), m) where m = n * 2",
            "lag(close, 5)",
            "ema(close, 5) - ema(ema(close, 5), 10)",
        ),
        (
            "define twice(x) = x * 2\ndefine four(x) = twice(twice(x))",
            "four(open) + twice(close)",
            "open * 4 + close * 2",
        ),
        ("define up(n) = close > prior(close, n)", "(1 if up(n: 3) else 0)", "(1 if close > prior(close, 3) else 0)"),
        (
            "define mean(x, n) = total(k from 0 to n - 1: prior(x, k)) / n",
            "mean(low, 3)",
            "total(k from 0 to 2: prior(low, k)) / 3",
        ),
        ("define slow(x) = sma(x, 4) on 1h", "slow(high)", "sma(high, 4) on 1h"),
    ],
)
def test_a_function_means_what_it_says_written_out(function, call, plain):
    np.testing.assert_allclose(values(f"{function}\nx = {call}"), values(f"x = {plain}"))


def test_running_locals_belong_to_each_call():
    source = "define smooth(x, n) = s\n  where k = 2 / (n + 1), carry s = s + k * (x - s) starting x\na = smooth(close, 5)\nx = a - smooth(close, 20) + smooth(high, 5)"
    plain = "carry p = p + 2 / 6 * (close - p) starting close\ncarry q = q + 2 / 21 * (close - q) starting close\ncarry r = r + 2 / 6 * (high - r) starting high\nx = p - q + r"
    np.testing.assert_allclose(values(source), values(plain))
    checked = check(source)
    assert checked.shown_names == ("a", "x")


@pytest.mark.parametrize(
    ("source", "code"),
    [
        ("define f(x) = f(x)\ny = f(close)", "S0210"),
        ("define f(x) = x\ny = f()", "S0204"),
        ("define f(x) = x\ny = f(1, 2)", "S0204"),
        ("define f(x) = x\ny = f + 1", "S0203"),
        ("define f(x, x) = x", "S0206"),
        ("define close(x) = x", "S0112"),
        ("define f(x) = sma(x, x)\ny = f(close)", "S0205"),
        ("define f(x) = y where x = 3", "S0206"),
        ("define f(x = 3", "S0101"),
        ("define g(x) = x * 2\ndefine f(x) = " + "+".join(["g(x)"] * 60) + "\ny = f(f(f(close)))", "S0111"),
    ],
)
def test_mistakes_in_functions_are_one_error(source, code):
    errors = [item for item in check(source).diagnostics if item.severity == "error"]
    assert [item.code for item in errors] == [code]


def test_a_changed_function_is_noticed_by_the_lines_that_call_it():
    first = "define f(x) = x + 1\ny = f(close)\nz = y > 3"
    assert check(first).is_sound
    second = check(first.replace("x + 1", "x > 1"))
    assert [item.code for item in second.diagnostics if item.severity == "error"] == ["S0203"]
