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
from tests.reference.formulas import DATA, NAN, PLAIN, plain_ema, plain_mean


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
    if first is None:
        return
    last_field = max(int(np.argmax(~np.isnan(np.asarray(values, float)))) for values in found.values())
    assert last_field == first


@pytest.mark.parametrize("cut", [1, 2, 20, 150])
@pytest.mark.parametrize("name", PLAIN)
def test_past_ignores_future(name, cut):
    arguments = PLAIN[name][0]
    bars = DATA.bars
    early = Dataset(DATA.market, bars.take(slice(0, cut)), dataset(bars.take(slice(0, cut))).calendar)
    shortened = [item[:cut] if isinstance(item, np.ndarray) else item for item in arguments]
    whole, part = as_fields(compute(name, arguments)), as_fields(compute(name, shortened, early))
    for key in whole:
        assert_array_equal(np.asarray(whole[key])[:cut], part[key])


@pytest.mark.parametrize("cut", [1, 2, 20, 150])
@pytest.mark.parametrize("name", BUILT_INS)
def test_names_ignore_the_future_and_fill_every_bar(name, cut):
    whole = as_fields(BUILT_INS[name].compute(DATA.frame))
    early = dataset(DATA.bars.take(slice(0, cut)))
    part = as_fields(BUILT_INS[name].compute(Frame(early.bars, early.calendar, early.market)))
    for key in whole:
        assert len(whole[key]) == len(DATA)
        assert_array_equal(np.asarray(whole[key])[:cut], part[key])


numbers = st.one_of(st.floats(-1e6, 1e6), st.just(NAN), st.integers(-3, 3).map(float))


@given(st.lists(numbers, min_size=1, max_size=60), st.integers(1, 8))
@settings(max_examples=150)
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
