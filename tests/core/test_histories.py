"""Histories made from a market's own bars."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skelb.core.errors import SettingsError
from skelb.core.plan import make_dataset
from skelb.core.trials import HistoryMaker, HistoryRules, bars_onward
from tests.conftest import dataset, wave_bars

DAYS = {"session": "09:00-17:00", "tick": 0.25}


def made(rules, number=0, **market):
    here = dataset(wave_bars(3_000), **{**DAYS, **market})
    return here, HistoryMaker(here, rules).make(number)


@settings(max_examples=30, deadline=None)
@given(
    seed=st.integers(0, 10_000), days=st.integers(1, 40), keeps=st.booleans(), noise=st.sampled_from([0.0, 1.0, 5.0]),
    zone=st.sampled_from(["UTC", "Europe/Berlin", "America/New_York"]),
)  # fmt: skip
def test_a_history_is_bars_of_the_same_market(seed, days, keeps, noise, zone):
    here, bars = made(HistoryRules(1, days, keeps, noise, seed), zone=zone)
    again = make_dataset(bars, here.market)
    assert (np.diff(bars.time) > 0).all() and again.outside == 0
    assert (again.calendar.day[again.calendar.starts_day] == here.calendar.day[here.calendar.starts_day]).all()
    assert (bars.high >= np.maximum(bars.open, bars.close)).all() and (
        bars.low <= np.minimum(bars.open, bars.close)
    ).all()
    assert (np.rint(bars.close / 0.25) * 0.25 == bars.close).all() and (bars.low > 0).all()


def test_days_stay_whole_and_go_on_from_the_last_price():
    here, bars = made(HistoryRules(1, 5, False, 0.0, 3), tick=0.000001)
    again = make_dataset(bars, here.market)

    def shapes(of):
        ends = np.append(np.flatnonzero(of.calendar.starts_day)[1:], len(of))
        before = np.concatenate(([of.bars.open[0]], of.bars.close[ends[:-1] - 1]))
        begins = np.flatnonzero(of.calendar.starts_day)
        return [np.log(of.bars.close[a:b] / p) for a, b, p in zip(begins, ends, before, strict=True)]

    own = shapes(here)
    for day in shapes(again)[1:]:
        assert any(day.size == other.size and np.allclose(day, other, atol=1e-6) for other in own)


def test_the_same_seed_makes_the_same_and_others_differ():
    one, same, other = (made(HistoryRules(9, 10, True, 1.0, 4), number)[1] for number in (2, 2, 3))
    assert (one.close == same.close).all() and (one.close[:100] != other.close[:100]).any()


def test_wild_times_come_when_they_did():
    """The first half of the bars moves ten times as much as the second."""
    bars = wave_bars(3_000)
    half = len(bars) // 2
    calm = 1000 + (bars.close[half:] - bars.close[half]) / 10
    at = np.concatenate((bars.close[:half], calm))
    wild = type(bars)(bars.timeframe, bars.time, at, at, at, at, bars.volume)
    here = dataset(wild, **DAYS, point_value=1.0)

    def ratio(keeps):
        found = [HistoryMaker(here, HistoryRules(20, 3, keeps, 0.0, 1)).make(number).close for number in range(20)]
        sizes = [[np.abs(np.diff(np.log(part))).mean() for part in np.array_split(close, 2)] for close in found]
        return float(np.mean([first / second for first, second in sizes]))

    assert ratio(True) > 2 * ratio(False)


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda: HistoryMaker(dataset(wave_bars(200), **DAYS), HistoryRules()), "need 20 trading days or more"),
        (lambda: HistoryRules(histories=0), "histories are 1 to"),
        (lambda: HistoryRules(days=0), "days that stay together"),
    ],
)
def test_what_cannot_be_made_says_why(make, message):
    with pytest.raises(SettingsError, match=message):
        make()


def test_prices_at_or_below_nothing_have_no_histories():
    bars = wave_bars(3_000)
    moved = type(bars)(
        bars.timeframe,
        bars.time,
        *(getattr(bars, name) - 1_000 for name in ("open", "high", "low", "close")),
        bars.volume,
    )
    with pytest.raises(SettingsError, match="prices above 0"):
        HistoryMaker(dataset(moved, **DAYS), HistoryRules())


@settings(max_examples=20, deadline=None)
@given(
    seed=st.integers(0, 10_000), zone=st.sampled_from(["UTC", "Europe/Berlin", "America/New_York"]),
    session=st.sampled_from(["09:00-17:00", "18:00-02:00"]),
)  # fmt: skip
def test_bars_go_on_where_the_markets_end(seed, zone, session):
    """In its sessions, on its weekdays, at its last price, whatever the clocks were changed to in between."""
    here = dataset(wave_bars(3_000), **{**DAYS, "zone": zone, "session": session, "days": "mon-fri"})
    bars = bars_onward(here, seed)
    assert bars.time[0] > here.bars.time[-1] and (np.diff(bars.time) > 0).all()
    again = make_dataset(bars, here.market)
    assert again.outside == 0 and set(again.calendar.weekday) <= set(here.calendar.weekday)
    assert abs(bars.open[0] / here.bars.close[-1] - 1) < 0.01
    assert (bars.high >= np.maximum(bars.open, bars.close)).all() and (bars.low > 0).all()
    assert (bars_onward(here, seed).close == bars.close).all()
