"""What deserves a look in stored bars: planted, and found where it was planted and nowhere else."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Bars, Market, Timeframe, find_oddities, trading_days_of
from tests.conftest import wave_bars

OPEN = Market("TEST", tick=0.25)
SHIFTS = Market("TEST", tick=0.25, session="09:00-12:00, 13:00-17:30", days="mon-fri")
NIGHT = Market("TEST", tick=0.25, zone="Europe/Berlin", session="00:00-24:00", days="mon-sun")
SIZE = 300


def changed(bars, **columns):
    kept = {name: getattr(bars, name).copy() for name in ("open", "high", "low", "close", "volume")}
    for name, (at, value) in columns.items():
        kept[name][at] = value
    return Bars(bars.timeframe, bars.time, **kept)


def whole():
    """Bars with range and volume, and none that stands out."""
    bars = wave_bars(SIZE)
    return Bars(bars.timeframe, bars.time, bars.open, bars.high + 0.25, bars.low - 0.25, bars.close, np.full(SIZE, 9.0))


def kinds(bars, market=OPEN):
    return {oddity.kind: oddity for oddity in find_oddities(bars, market)}


def test_bars_without_anything_odd_have_no_oddities():
    assert kinds(whole()) == {}
    assert find_oddities(whole().take(slice(0, 0)), OPEN) == []
    assert kinds(whole().take(slice(0, 1))) == {}


@given(st.integers(1, SIZE - 12), st.integers(1, 10))
def test_bars_taken_out_of_a_day_are_one_gap_as_long_as_they_were(first, count):
    bars = whole()
    kept = np.ones(SIZE, np.bool_)
    kept[first : first + count] = False
    days = bars.time // 86_400
    found = kinds(bars.take(kept)).get("gap")
    if days[first - 1] != days[first + count]:
        assert found is None
        return
    assert found.count == 1
    assert found.places[0].size == count * 15
    assert (found.places[0].begins, found.places[0].ends) == (bars.time[first - 1], bars.time[first + count])


@given(st.integers(1, SIZE - 2), st.sampled_from(["high", "low"]))
def test_a_price_far_beyond_both_neighbours_is_a_spike(at, side):
    bars = whole()
    ranges = np.median(bars.high - bars.low)
    far = bars.high.max() + 30 * ranges if side == "high" else bars.low.min() - 30 * ranges
    found = kinds(changed(bars, **{side: (at, far)}))
    assert list(found) == ["spike"]
    assert found["spike"].places[0].begins == bars.time[at]
    assert found["spike"].places[0].size >= 10


def test_a_step_that_stays_is_no_spike():
    bars = whole()
    up = np.where(np.arange(SIZE) >= 150, 500.0, 0.0)
    stepped = Bars(
        bars.timeframe, bars.time, bars.open + up, bars.high + up, bars.low + up, bars.close + up, bars.volume
    )
    assert kinds(stepped) == {}


@given(st.integers(0, SIZE - 10), st.integers(1, 10))
def test_bars_without_range_or_volume_are_counted_and_told_by_the_stretch(first, count):
    bars, there = whole(), slice(first, first + count)
    price = bars.close[first]
    flat = changed(bars, open=(there, price), high=(there, price), low=(there, price), close=(there, price))
    found = kinds(flat)["level"]
    assert (found.count, len(found.places), found.places[0].size) == (count, 1, count)
    found = kinds(changed(bars, volume=(there, 0.0)))
    assert list(found) == ["idle"]
    assert (found["idle"].places[0].begins, found["idle"].places[0].ends) == (
        bars.time[first],
        bars.time[first + count - 1],
    )


def test_a_market_without_any_volume_is_not_idle():
    assert "idle" not in kinds(changed(whole(), volume=(slice(None), 0.0)))


def test_breaks_nights_and_weekends_are_no_gaps_and_bars_in_them_are_outside():
    bars = whole()
    found = kinds(bars, SHIFTS)
    assert list(found) == ["outside"]
    clock = bars.time % 86_400 // 3600 + bars.time % 3600 / 3600
    inside = (bars.time // 86_400 + 3) % 7 < 5
    inside &= ((clock >= 9) & (clock < 12)) | ((clock >= 13) & (clock < 17.5))
    assert found["outside"].count == np.count_nonzero(~inside)
    assert sum(found["outside"].slices) >= len(found["outside"].places)
    assert kinds(bars.take(inside), SHIFTS) == {}


def test_a_gap_over_a_break_counts_without_the_break():
    bars = whole().take(slice(0, 40))  # from 09:00; the break is 12:00 to 13:00
    kept = np.ones(40, np.bool_)
    kept[10:18] = False  # 11:30 to 13:30
    found = kinds(bars.take(kept), SHIFTS)["gap"]
    assert [place.size for place in found.places] == [60.0]


@pytest.mark.parametrize("start", [1_711_836_000, 1_729_980_000], ids=["forward", "back"])
def test_clocks_put_forward_or_back_make_no_gap(start):
    bars = whole()
    moved = Bars(bars.timeframe, start + np.arange(SIZE) * 900, bars.open, bars.high, bars.low, bars.close, bars.volume)
    assert kinds(moved, NIGHT) == {}


def test_days_have_no_gaps():
    bars = whole()
    days = np.arange(SIZE) * 86_400 * 3
    dated = Bars(Timeframe(1440), days, bars.open, bars.high, bars.low, bars.close, bars.volume, dated=True)
    assert kinds(dated) == {}


def test_the_greatest_come_first_and_all_are_counted():
    bars = whole()
    kept = np.ones(SIZE, np.bool_)
    kept[10::4] = False
    kept[100:104] = False
    found = kinds(bars.take(kept))["gap"]
    assert found.count > len(found.places) == 20
    sizes = [place.size for place in found.places]
    assert sizes == sorted(sizes, reverse=True) and sizes[0] > 15
    assert sum(found.slices) == found.count


def test_days_that_others_have_are_absent_and_weekends_and_holidays_are_not():
    bars = wave_bars(96 * 30)
    market = Market("TEST", tick=0.25, days="mon-fri")
    days = trading_days_of(bars, market)
    assert not np.isin((days + 3) % 7, (5, 6)).any()
    gone = days[[5, 6, 11]]
    kept = bars.take(~np.isin(bars.time // 86_400, gone))

    def absent(*others):
        return next((item for item in find_oddities(kept, market, others) if item.kind == "absent"), None)

    found = absent(days, days)
    assert (found.count, [place.size for place in found.places]) == (3, [2.0, 1.0])
    for place, (before, after) in zip(found.places, ((4, 7), (10, 12)), strict=True):
        assert (place.begins // 86_400, place.ends // 86_400) == (days[before], days[after])
    assert absent() is absent(days) is None  # one other market may have a day of its own
    assert absent(days, days, np.setdiff1d(days, gone), np.setdiff1d(days, gone)).count == 3  # half of those open then
    assert absent(days, days, *[np.setdiff1d(days, gone)] * 3) is None
    assert absent(days[:4], days[:4]) is None  # who was not open then says nothing
    assert trading_days_of(bars.take(slice(0, 0)), market).size == 0
    assert find_oddities(bars, market, (np.zeros(0, np.int64), days)) == find_oddities(bars, market)
