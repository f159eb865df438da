"""Every function against an independently written plain form, and the laws all of them obey."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, Frame
from skelb.core.plan import Dataset
from tests.conftest import dataset, wave_bars

DATA = dataset()
CLOSE = DATA.bars.close
NAN = float("nan")


def plain_mean(x, n):
    return [
        NAN if i < n - 1 or any(math.isnan(v) for v in x[i - n + 1 : i + 1]) else sum(x[i - n + 1 : i + 1]) / n
        for i in range(len(x))
    ]


def plain_recursive(x, n, alpha):
    """Seeded with the mean of the first n known values; an unknown value is passed over."""
    out, known, average = [], [], None
    for value in x:
        if math.isnan(value):
            out.append(NAN)
            continue
        if average is None:
            known.append(value)
            average = sum(known) / n if len(known) == n else None
        else:
            average = average * (1 - alpha) + value * alpha
        out.append(NAN if average is None else average)
    return out


def plain_ema(x, n):
    return plain_recursive(x, n, 2 / (n + 1))


def plain_wilder(x, n):
    return plain_recursive(x, n, 1 / n)


def plain_stdev(x, n):
    out = []
    for i in range(len(x)):
        part = x[i - n + 1 : i + 1] if i >= n - 1 else [NAN]
        mean = sum(part) / len(part)
        out.append(math.sqrt(sum((v - mean) ** 2 for v in part) / len(part)))
    return out


def plain_true_range(bars):
    out = [bars.high[0] - bars.low[0]]
    for i in range(1, len(bars)):
        out.append(
            max(bars.high[i] - bars.low[i], abs(bars.high[i] - bars.close[i - 1]), abs(bars.low[i] - bars.close[i - 1]))
        )
    return out


def plain_rsi(x, n):
    gains = [NAN, *(max(b - a, 0) for a, b in zip(x, x[1:], strict=False))]
    losses = [NAN, *(max(a - b, 0) for a, b in zip(x, x[1:], strict=False))]
    out = []
    for up, down in zip(plain_wilder(gains, n), plain_wilder(losses, n), strict=True):
        out.append(NAN if math.isnan(up) else 50 if up == down == 0 else 100 if down == 0 else 100 * up / (up + down))
    return out


def plain_adx(bars, n):
    up, down = [NAN], [NAN]
    for i in range(1, len(bars)):
        rise, fall = bars.high[i] - bars.high[i - 1], bars.low[i - 1] - bars.low[i]
        up.append(rise if rise > fall and rise > 0 else 0)
        down.append(fall if fall > rise and fall > 0 else 0)
    reach = plain_wilder([NAN, *plain_true_range(bars)[1:]], n)
    plus = [100 * a / b for a, b in zip(plain_wilder(up, n), reach, strict=True)]
    minus = [100 * a / b for a, b in zip(plain_wilder(down, n), reach, strict=True)]
    dx = [100 * abs(a - b) / (a + b) if a + b else NAN for a, b in zip(plus, minus, strict=True)]
    return {"adx": plain_wilder(dx, n), "plus": plus, "minus": minus}


def band(mid, width):
    return {"upper": np.add(mid, width), "mid": mid, "lower": np.subtract(mid, width)}


def plain_macd(x, a, b, s):
    line = np.subtract(plain_ema(x, a), plain_ema(x, b))
    signal = np.array(plain_ema(list(line), s))
    return {"line": line, "signal": signal, "gap": line - signal}


def plain_opening_range(data, minutes):
    """Day by day: the extremes of the bars closing within the minutes, from the bar that reaches them."""
    high, low = [NAN] * len(data), [NAN] * len(data)
    day, since = data.calendar.day.tolist(), data.calendar.session_minute.tolist()
    for i in range(len(data)):
        inside = [k for k in range(i + 1) if day[k] == day[i] and since[k] <= minutes]
        if since[i] >= minutes and inside:
            high[i], low[i] = max(data.bars.high[k] for k in inside), min(data.bars.low[k] for k in inside)
    return {"high": high, "low": low}


PLAIN = {
    "sma": ((CLOSE, 7), lambda: plain_mean(list(CLOSE), 7), 6),
    "ema": ((CLOSE, 9), lambda: plain_ema(list(CLOSE), 9), 8),
    "wilder": ((CLOSE, 9), lambda: plain_wilder(list(CLOSE), 9), 8),
    "rsi": ((CLOSE, 14), lambda: plain_rsi(list(CLOSE), 14), 14),
    "macd": ((CLOSE, 5, 12, 4), lambda: plain_macd(list(CLOSE), 5, 12, 4), 14),
    "true_range": ((), lambda: plain_true_range(DATA.bars), 0),
    "atr": ((14,), lambda: plain_wilder(plain_true_range(DATA.bars), 14), 13),
    "stdev": ((CLOSE, 20), lambda: plain_stdev(list(CLOSE), 20), 19),
    "bollinger": ((CLOSE, 20, 2.0), lambda: band(plain_mean(list(CLOSE), 20), 2 * np.array(plain_stdev(list(CLOSE), 20))), 19),
    "keltner": ((20, 10, 1.5), lambda: band(plain_ema(list(CLOSE), 20), 1.5 * np.array(plain_wilder(plain_true_range(DATA.bars), 10))), 19),
    "adx": ((14,), lambda: plain_adx(DATA.bars, 14), 27),
    "highest": ((CLOSE, 6), lambda: [max(CLOSE[i - 5 : i + 1]) if i >= 5 else NAN for i in range(len(CLOSE))], 5),
    "lowest": ((CLOSE, 6), lambda: [min(CLOSE[i - 5 : i + 1]) if i >= 5 else NAN for i in range(len(CLOSE))], 5),
    "prior": ((CLOSE, 3), lambda: [CLOSE[i - 3] if i >= 3 else NAN for i in range(len(CLOSE))], 3),
    "opening_range": ((90,), lambda: plain_opening_range(DATA, 90), 65),  # the first day here starts too late
    "known": ((CLOSE,), lambda: [2] * len(CLOSE), 0),
}  # fmt: skip


def compute(name, arguments, data=DATA):
    return FUNCTIONS[name].compute(data.frame, *arguments)


def as_fields(value):
    return dict(value) if hasattr(value, "keys") else {"": value}


def test_every_function_has_a_plain_form():
    assert set(PLAIN) == set(FUNCTIONS)


@pytest.mark.parametrize("name", PLAIN)
def test_agrees_with_its_plain_form(name):
    arguments, plain, first = PLAIN[name]
    found, expected = as_fields(compute(name, arguments)), as_fields(plain())
    assert set(found) == set(expected) and set(found) - {""} == set(FUNCTIONS[name].fields)
    for key, values in found.items():
        assert_allclose(values, np.asarray(expected[key], float), rtol=1e-9, atol=1e-9, equal_nan=True)
    last_field = max(int(np.argmax(~np.isnan(np.asarray(values, float)))) for values in found.values())
    assert last_field == first


@pytest.mark.parametrize("name", PLAIN)
def test_past_ignores_future(name):
    cut = 150
    arguments = PLAIN[name][0]
    bars = DATA.bars
    early = Dataset(DATA.market, bars.take(slice(0, cut)), dataset(bars.take(slice(0, cut))).calendar)
    shortened = [item[:cut] if isinstance(item, np.ndarray) else item for item in arguments]
    whole, part = as_fields(compute(name, arguments)), as_fields(compute(name, shortened, early))
    for key in whole:
        assert_array_equal(np.asarray(whole[key])[:cut], part[key])


@pytest.mark.parametrize("name", BUILT_INS)
def test_names_ignore_the_future_and_fill_every_bar(name):
    cut = 150
    whole = as_fields(BUILT_INS[name].compute(DATA.frame))
    early = dataset(DATA.bars.take(slice(0, cut)))
    part = as_fields(BUILT_INS[name].compute(Frame(early.bars, early.calendar, early.market)))
    for key in whole:
        assert len(whole[key]) == len(DATA)
        assert_array_equal(np.asarray(whole[key])[:cut], part[key])


numbers = st.one_of(st.floats(-1e6, 1e6), st.just(NAN), st.integers(-3, 3).map(float))


@given(st.lists(numbers, min_size=1, max_size=60), st.integers(1, 8))
@settings(max_examples=150, deadline=None)
def test_windows_and_averages_pass_unknowns_as_written(values, n):
    x = np.array(values, float)
    assert_allclose(compute("sma", (x, n)), plain_mean(values, n), rtol=1e-7, atol=1e-6, equal_nan=True)
    assert_allclose(compute("ema", (x, n)), plain_ema(values, n), rtol=1e-7, atol=1e-6, equal_nan=True)
    top = compute("highest", (x, n))
    for i in range(len(values)):
        window = values[max(0, i - n + 1) : i + 1]
        unknown = len(window) < n or any(math.isnan(v) for v in window)
        assert math.isnan(top[i]) if unknown else top[i] == max(window)


@given(st.floats(0.01, 1e6), st.integers(1, 30))
def test_a_still_price_has_no_deviation_and_is_its_own_average(price, n):
    x = np.full(60, price)
    assert (compute("stdev", (x, n))[n - 1 :] == 0).all()
    assert (compute("sma", (x, n))[n - 1 :] == price).all()


def test_rsi_at_its_edges():
    assert compute("rsi", (np.arange(10.0), 3))[-1] == 100
    assert compute("rsi", (np.full(10, 5.0), 3))[-1] == 50
    assert compute("rsi", (np.arange(10.0)[::-1].copy(), 3))[-1] == 0


def test_documentation_is_whole():
    for entry in FUNCTIONS.values():
        assert entry.summary and entry.formula and entry.source and entry.seed and entry.first_known, entry.name
    assert all(entry.summary for entry in BUILT_INS.values())


def test_long_windows_do_not_drift():
    far = wave_bars(30_000, seed=9).close + 1e7
    exact = np.convolve(far - 1e7, np.ones(50) / 50, "valid") + 1e7
    assert_allclose(compute("sma", (far, 50))[49:], exact, rtol=1e-13)
