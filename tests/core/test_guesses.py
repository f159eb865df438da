"""What bars tell of their market: bars made on a grid, on days, in hours; and nothing where they cannot tell."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Bars, Market, Timeframe, find_oddities, guess_market
from skelb.core.bars.calendar import zone_offsets
from tests.conftest import wave_bars

MONDAY = 1_704_067_200  # 1 Jan 2024
DAY = 86_400


def on_clock(opens, closes, weekdays=range(7), minutes=15, days=28):
    """Bars from one time of the day (minutes) to another, over midnight when it is earlier, begun on some weekdays."""
    length = (closes - opens) % 1440 or 1440
    times = [
        MONDAY + day * DAY + (opens + at) * 60
        for day in range(days)
        if day % 7 in weekdays
        for at in range(0, length, minutes)
    ]
    bars = wave_bars(len(times), minutes=minutes)
    return Bars(bars.timeframe, np.array(times), bars.open, bars.high, bars.low, bars.close, bars.volume)


def told(bars, zone="UTC"):
    return {guess.key: guess.value for guess in guess_market(bars, zone)}


def in_zone(zone, opens, days, hours=8):
    """Hourly bars of so many days from a time of the day on, on the clock of a zone."""
    local = MONDAY + (np.arange(days)[:, None] * DAY + opens * 60 + np.arange(hours) * 3600).ravel()
    times = local - zone_offsets(local, zone)  # no hour of a change is among them
    bars = wave_bars(times.size, minutes=60)
    return Bars(bars.timeframe, times, bars.open, bars.high, bars.low, bars.close, bars.volume)


@pytest.mark.parametrize("zone", ["Europe/Berlin", "America/New_York"])
def test_the_zone_is_the_one_in_which_days_begin_alike_through_summer_and_winter(zone):
    found = told(in_zone(zone, 9 * 60, 365))
    assert (found["zone"], found["session"]) == (zone, "09:00-17:00")
    assert "zone" not in told(in_zone(zone, 9 * 60, 80)), "no summer in it"
    assert "zone" not in told(in_zone("UTC", 9 * 60, 365))
    assert "zone" not in told(in_zone(zone, 9 * 60, 365), "Europe/Athens"), "it was said"


@pytest.mark.parametrize("tick", [1.0, 0.5, 0.25, 0.1, 0.05, 0.01, 0.0001, 0.00001])
def test_the_tick_is_the_largest_step_that_all_prices_are_on(tick):
    steps = np.arange(20_000, 20_400)
    prices = np.array([float(f"{step * tick:.8f}") for step in steps])
    bars = wave_bars(400)
    bars = Bars(bars.timeframe, bars.time, prices, prices, prices, prices, bars.volume)
    assert told(bars)["tick"] == pytest.approx(tick, rel=1e-12)


def test_the_reason_shows_the_endings_of_prices():
    reasons = {guess.key: guess.reason for guess in guess_market(wave_bars(400, tick=0.25))}
    assert reasons["tick"] == "prices end in .00 .25 .50 .75"
    assert {guess.key: guess.reason for guess in guess_market(wave_bars(400, tick=1.0))}["tick"] == (
        "prices are whole numbers"
    )
    reasons = {guess.key: guess.reason for guess in guess_market(wave_bars(400, tick=0.0001))}
    assert reasons["tick"] == "prices are multiples of 0.0001"


def test_prices_on_no_grid_and_a_few_prices_have_no_tick():
    bars = wave_bars(400)
    odd = bars.close * np.pi
    assert "tick" not in told(Bars(bars.timeframe, bars.time, odd, odd, odd, odd, bars.volume))
    assert told(wave_bars(5)) == {}
    assert told(wave_bars(400).take(slice(0, 0))) == {}


@pytest.mark.parametrize(
    ("weekdays", "expected"),
    [(range(5), "mon-fri"), ([0, 1, 2, 3, 4, 6], "mon,tue,wed,thu,fri,sun"), ([2], None), ([1, 3, 5], "tue,thu,sat")],
)
def test_days_are_those_with_bars(weekdays, expected):
    found = told(on_clock(540, 1050, weekdays))
    assert found.get("days") == expected if expected else "days" not in found  # four days are too few to tell


@given(st.integers(0, 95), st.integers(4, 92))
def test_described_as_guessed_no_bar_is_outside_and_none_is_missing(start, length):
    bars = on_clock(start * 15, (start + length) * 15 % 1440, days=14)
    found = told(bars)
    market = Market("TEST", **found)
    assert not [oddity.kind for oddity in find_oddities(bars, market) if oddity.kind in ("outside", "gap")]
    assert found["lot_step"] == 1.0


def test_hours_are_read_on_the_clocks_of_the_zone():
    bars = on_clock(540, 1050, range(5))
    assert told(bars)["session"] == "09:00-17:30"
    assert told(bars, "Asia/Tokyo")["session"] == "18:00-02:30"


def test_a_market_that_never_closes_has_no_session_to_tell():
    found = told(on_clock(0, 0))
    assert "session" not in found and "days" not in found and "lot_step" not in found


def test_a_few_bars_at_night_do_not_stretch_the_session():
    bars = on_clock(540, 1050, range(5))
    late = np.concatenate((bars.time, [MONDAY + 20 * 3600]))
    order = np.argsort(late)
    columns = [np.append(values, values[-1])[order] for values in (bars.open, bars.high, bars.low, bars.close)]
    assert told(Bars(Timeframe(15), late[order], *columns, np.ones(late.size)))["session"] == "09:00-17:30"


def test_days_and_weeks_tell_no_hours():
    bars = on_clock(0, 0, range(5), minutes=1440)
    assert "session" not in told(bars) and told(bars)["days"] == "mon-fri"
    weeks = Bars(
        Timeframe(10080), MONDAY + np.arange(400) * 7 * DAY, *[wave_bars(400).close] * 4, np.ones(400), dated=True
    )
    assert told(weeks) == {"tick": 0.25}
