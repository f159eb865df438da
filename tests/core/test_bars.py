"""Sessions, trading days, closes and higher timeframes."""

import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Bars, Market, Timeframe, parse_days, resample, session_bars, timeframe_of_step
from skelb.core.bars.calendar import zone_offsets
from skelb.core.errors import BarsError, SettingsError
from skelb.core.plan import dataset, make_dataset
from tests.conftest import wave_bars


def at(*parts):
    return int(datetime(*parts, tzinfo=UTC).timestamp())


def bars_at(times, minutes):
    size = len(times)
    level = np.arange(size, dtype=float) + 100
    return Bars(Timeframe(minutes), np.array(times, np.int64), level, level + 2, level - 2, level + 1, np.ones(size))


@pytest.mark.parametrize(
    ("text", "minutes"), [("5m", 5), ("90m", 90), ("4h", 240), ("24h", 1440), ("1d", 1440), ("1w", 10080)]
)
def test_timeframes_are_read(text, minutes):
    assert Timeframe.parse(text).minutes == minutes
    assert Timeframe.parse(str(Timeframe(minutes))) == Timeframe(minutes)


@pytest.mark.parametrize("text", ["", "0m", "2d", "25h", "1500m", "1.5h", "m", "3w", "-5m"])
def test_other_timeframes_are_refused(text):
    with pytest.raises(SettingsError, match="not a timeframe"):
        Timeframe.parse(text)


def test_the_commonest_step_names_the_timeframe():
    assert timeframe_of_step(23 * 3600) == timeframe_of_step(25 * 3600) == Timeframe(1440)
    with pytest.raises(SettingsError, match="whole number of minutes"):
        timeframe_of_step(90)


def test_a_session_that_crosses_midnight_belongs_to_the_day_it_ends():
    times = [
        at(2024, 1, 2, 17, 30),
        at(2024, 1, 2, 18, 0),
        at(2024, 1, 2, 23, 30),
        at(2024, 1, 3, 1, 30),
        at(2024, 1, 3, 2, 0),
    ]
    for session_day, expected in (("end", 3), ("start", 2)):
        market = Market("M", session="18:00-02:00", session_day=session_day)
        inside, calendar, left_out = session_bars(bars_at(times, 30), market)
        assert (len(inside), left_out) == (3, 2)
        assert {str(day) for day in calendar.day.astype("datetime64[D]")} == {f"2024-01-0{expected}"}
        assert calendar.ends_day.tolist() == [False, False, True]
        assert calendar.session_minute.tolist() == [30, 360, 480]


def test_midnight_at_a_days_end_is_24_00():
    _, calendar, _ = session_bars(bars_at([at(2024, 1, 2, 23, 30)], 30), Market("M"))
    assert calendar.close_minute.tolist() == [1440] and calendar.ends_day.tolist() == [True]


def test_clocks_change_and_the_session_does_not():
    market = Market("M", zone="Europe/Berlin", session="09:00-10:00")
    times = [
        at(2024, 3, 29, 8),
        at(2024, 3, 29, 8, 30),
        at(2024, 4, 1, 7),
        at(2024, 4, 1, 7, 30),
    ]  # winter, then summer
    inside, calendar, left_out = session_bars(bars_at(times, 30), market)
    assert (len(inside), left_out) == (4, 0)
    assert calendar.close_minute.tolist() == [570, 600, 570, 600]


def test_a_bar_closes_no_later_than_the_session():
    _, calendar, _ = session_bars(
        bars_at([at(2024, 1, 2, 9), at(2024, 1, 2, 10)], 60), Market("M", session="09:00-10:30")
    )
    assert (calendar.close_time - np.array([at(2024, 1, 2, 10), at(2024, 1, 2, 10, 30)]) == 0).all()


def test_days_that_do_not_trade_are_left_out():
    market = Market("M", days="mon-fri")
    inside, _, left_out = session_bars(bars_at([at(2024, 1, 5), at(2024, 1, 6), at(2024, 1, 8)], 1440), market)
    assert (len(inside), left_out) == (2, 1)
    with pytest.raises(BarsError, match="no bar inside its session"):
        make_dataset(bars_at([at(2024, 1, 6)], 60), market)


def test_higher_bars_start_with_the_session_and_end_with_it():
    market = Market("M", session="09:30-12:00")
    minutes = [at(2024, 1, day, 9, 30) + 60 * k for day in (2, 3) for k in range(150)]
    stored, calendar, _ = session_bars(bars_at(minutes, 1), market)
    hours = resample(stored, calendar, market, Timeframe(60))
    assert [datetime.fromtimestamp(t, UTC).strftime("%d %H:%M") for t in hours.time] == [
        "02 09:30", "02 10:30", "02 11:30", "03 09:30", "03 10:30", "03 11:30",
    ]  # fmt: skip
    assert hours.open.tolist() == [100, 160, 220, 250, 310, 370]
    assert hours.close.tolist() == [160, 220, 250, 310, 370, 400]
    assert hours.high[0] == stored.high[:60].max() and hours.volume.tolist() == [60, 60, 30] * 2


@pytest.mark.parametrize("minutes", [30, 60, 240, 1440, 10080])
def test_gathering_loses_nothing(minutes):
    market = Market("M", session="08:00-20:00", zone="America/New_York", tick=0.25)
    stored, calendar, _ = session_bars(wave_bars(3000), market)
    higher = resample(stored, calendar, market, Timeframe(minutes))
    assert higher.volume.sum() == stored.volume.sum()
    assert (higher.open[0], higher.close[-1]) == (stored.open[0], stored.close[-1])
    assert (higher.high.max(), higher.low.min()) == (stored.high.max(), stored.low.min())
    assert (np.diff(higher.time) > 0).all()
    direct = make_dataset(wave_bars(3000), market, Timeframe(minutes))
    assert direct.bars.close.tolist() == higher.close.tolist()


@pytest.mark.parametrize("minutes", [30, 60, 90, 240, 1440])
@pytest.mark.parametrize("session", ["09:30-12:00,13:00-16:00", "18:00-23:15,00:10-17:00", "08:00-08:20,08:50-20:00"])
def test_every_bar_of_the_session_is_inside_exactly_one_higher_bar(session, minutes):
    market = Market("M", session=session, zone="Europe/Berlin", tick=0.25)
    stored, calendar, _ = session_bars(wave_bars(9000, minutes=5), market)
    higher = make_dataset(wave_bars(9000, minutes=5), market, Timeframe(minutes))
    assert higher.bars.volume.sum() == stored.volume.sum()
    inside = np.searchsorted(higher.bars.time, stored.time, side="right") - 1
    counts = np.bincount(inside, minlength=len(higher))
    assert (counts > 0).all() and counts.sum() == len(stored)
    np.testing.assert_array_equal(calendar.day, higher.calendar.day[inside])
    assert (calendar.close_time <= higher.calendar.close_time[inside]).all()
    assert (higher.bars.high[inside] >= stored.high).all() and (higher.bars.low[inside] <= stored.low).all()


@pytest.mark.parametrize("ask", [lambda own: own.higher(Timeframe(60)), lambda own: own.other("W", Timeframe(60))])
def test_threads_that_make_longer_bars_at_once_go_on_with_the_same(monkeypatch, ask):
    both = threading.Barrier(2, timeout=20)

    def made(*given):
        both.wait()  # neither finds the other's
        return make_dataset(*given)

    own = make_dataset(
        wave_bars(300), Market("M"), others=lambda _, timeframe: made(wave_bars(300), Market("W"), timeframe)
    )
    monkeypatch.setattr(dataset, "make_dataset", made)
    with ThreadPoolExecutor(2) as pool:
        first, second = pool.map(ask, [own, own])
    assert first is second is ask(own)


def test_a_higher_bar_that_opens_in_a_break_is_there():
    market = Market("M", session="09:30-12:00,13:00-16:00")
    times = [at(2024, 1, 2, 9, 30) + 1800 * k for k in range(13) if not 5 <= k < 7]
    higher = make_dataset(bars_at(times, 30), market, Timeframe(60))
    opened = [datetime.fromtimestamp(time, UTC).strftime("%H:%M") for time in higher.bars.time]
    assert opened == ["09:30", "10:30", "11:30", "12:30", "13:30", "14:30", "15:30"]
    assert higher.calendar.close_time[3] == at(2024, 1, 2, 13, 30) and (np.diff(higher.calendar.day) == 0).all()


def test_daily_rows_belong_to_their_written_date():
    stored = bars_at([at(2024, 1, 2), at(2024, 1, 3)], 1440)
    dated = Bars(
        stored.timeframe, stored.time, stored.open, stored.high, stored.low, stored.close, stored.volume, {}, True
    )
    _, calendar, _ = session_bars(dated, Market("M", zone="Asia/Tokyo", session="09:00-15:00"))
    assert calendar.day.astype("datetime64[D]").astype(str).tolist() == ["2024-01-02", "2024-01-03"]
    assert datetime.fromtimestamp(calendar.close_time[0], UTC).hour == 6


def test_finer_or_uneven_timeframes_are_refused():
    for wanted, why in ((5, "finer"), (40, "not a multiple")):
        with pytest.raises(SettingsError, match=why):
            make_dataset(wave_bars(), Market("M"), Timeframe(wanted))


@pytest.mark.parametrize(
    "settings",
    [{"tick": 0}, {"session": "9-17"}, {"session": "09:00-12:00,11:00-13:00"}, {"zone": "Nowhere"}, {"days": "mon-noday"},
     {"spread": -1}, {"spread_by_hour": (1.0,)}, {"triple_day": "x"}, {"point_value": float("nan")}],
)  # fmt: skip
def test_impossible_markets_are_refused_with_their_name(settings):
    with pytest.raises(SettingsError):
        Market("M", **settings)


def test_days_may_run_over_the_weekend():
    assert parse_days("sat-mon, wed") == {5, 6, 0, 2}


ZONES = st.sampled_from(
    ["UTC", "Europe/Berlin", "America/New_York", "Asia/Tokyo", "Australia/Lord_Howe", "Asia/Kolkata", "Pacific/Apia"]
)


@given(ZONES, st.lists(st.integers(-2_000_000_000, 6_000_000_000), min_size=1, max_size=30))
def test_clocks_of_a_zone_show_what_the_calendar_says(zone, moments):
    """Half-hour changes, a day that a zone left out, moments decades apart."""
    found = zone_offsets(np.array(moments, np.int64), zone)
    told = [datetime.fromtimestamp(moment, UTC).astimezone(ZoneInfo(zone)).utcoffset() for moment in moments]
    assert found.tolist() == [int(offset.total_seconds()) for offset in told]


@pytest.mark.parametrize("zone", ["Europe/Berlin", "America/New_York", "Australia/Lord_Howe"])
def test_the_seconds_around_every_change_of_the_clocks(zone):
    info = ZoneInfo(zone)
    hours = np.arange(1_262_300_400, 1_767_222_000, 3_600)  # 2010 to 2025
    offsets = zone_offsets(hours, zone)
    changes = hours[1:][offsets[1:] != offsets[:-1]]
    assert len(changes) == 32
    around = (changes[:, None] + np.arange(-3_600, 2, 1)[None, ::200]).ravel()
    told = [datetime.fromtimestamp(int(moment), info).utcoffset() for moment in around]
    assert zone_offsets(around, zone).tolist() == [int(offset.total_seconds()) for offset in told]


@pytest.mark.parametrize("zone", ["Asia/Tokyo", "America/New_York"])
@pytest.mark.parametrize("year", [1, 1970, 9999])
def test_at_the_ends_of_the_calendar_clocks_are_asked_too(zone, year):
    moments = np.array([int(datetime(year, *day, tzinfo=UTC).timestamp()) for day in ((1, 1), (12, 31))], np.int64)
    assert (np.abs(zone_offsets(moments, zone)) < 86_400).all()
