"""Stored bars left out of every run, brought back, carried over and taken along."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from skelb.core.bars import Timeframe
from skelb.core.errors import BarsError, SettingsError
from skelb.service.importing.bars_csv import read_bars_csv
from skelb.service.quality import Quality
from skelb.service.tables import bars_table, written
from tests.conftest import wave_bars
from tests.service.conftest import SETUP

SPIKE = 1501
COLUMNS = ("time", "open", "high", "low", "close", "volume")


def spiked(bars):
    high = bars.high.copy()
    high[SPIKE] = bars.high.max() + 300
    return replace(bars, high=high)


@pytest.fixture
def library(application):
    application.library.save_market("WAVE", "", None, [spiked(wave_bars(4000))])
    return application.library


def used(library):
    return library.bars(library.market("WAVE").shortest)


def test_a_spike_left_out_is_in_no_run_which_says_so_and_back_it_is_as_it_was(application, library):
    def result():
        return SETUP.prepared(library, application.datasets).sound().backtest()

    before, [stored] = result(), library.market("WAVE").bars
    [spike] = [found for found in Quality(library).look("WAVE").oddities if found.kind == "spike"]
    place = spike.places[0]
    found = Quality(library).leave_out("WAVE", "spike", place.begins, place.ends)
    assert (found.bars[0].row_count, found.bars[0].left_out) == (3999, 1)
    told = Quality(library).look("WAVE")
    assert told.left_out == 1 and [(item.begins, item.count) for item in told.stretches] == [(place.begins, 1)]
    assert not [item for item in told.oddities if item.kind in ("spike", "gap")]  # its place is no gap

    without = result()
    bars = without.outcome.plan.dataset.bars
    assert place.begins not in bars.time and len(bars) == len(before.outcome.plan.dataset.bars) - 1
    assert "1 stored bar was left out by hand." in [item.message for item in without.findings]
    assert without.outcome.plan.dataset.data_version == found.bars[0].version == stored.version + 1

    back = Quality(library).bring_back("WAVE")
    assert (back.bars[0].row_count, back.bars[0].left_out) == (4000, 0)
    assert result().figures == before.figures and result().findings == before.findings
    for name in COLUMNS:
        np.testing.assert_array_equal(getattr(used(library), name), getattr(spiked(wave_bars(4000)), name))


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(st.booleans(), st.integers(0, 3999), st.integers(0, 40)), max_size=6))
def test_what_is_used_is_all_but_what_is_left_out(application, steps):
    library, whole = application.library, wave_bars(4000)
    library.save_market("WAVE", "", None, [replace(whole, close=whole.close.copy())])
    expected = set(used(library).left_out.tolist())
    for leaves, first, count in steps:
        times = whole.time[first : first + count + 1]
        change = {int(time) for time in times}
        wanted = expected | change if leaves else expected - change
        if wanted != expected:
            span = {"begins": int(times[0]), "ends": int(times[-1])}
            Quality(library).leave_out("WAVE", None, **span) if leaves else Quality(library).bring_back("WAVE", **span)
        expected = wanted
        bars = used(library)
        assert set(bars.left_out.tolist()) == expected
        assert set(bars.time.tolist()) == set(whole.time.tolist()) - expected
        told = Quality(library).look("WAVE")
        assert told.left_out == sum(item.count for item in told.stretches) == len(expected)
    if expected:
        Quality(library).bring_back("WAVE")


def test_a_kind_is_left_out_whole(library):
    bars = wave_bars(4000)
    level = np.arange(4000) % 400 == 7
    high = np.where(level, bars.open, bars.high)
    flat = replace(
        bars, high=high, low=np.where(level, bars.open, bars.low), close=np.where(level, bars.open, bars.close)
    )
    library.save_market("WAVE", "", None, [flat])
    odd = (flat.high == flat.low).sum()
    assert Quality(library).leave_out("WAVE", "level", None, None).bars[0].left_out == odd
    assert set(used(library).left_out) == set(flat.time[flat.high == flat.low])
    with pytest.raises(SettingsError, match="no such bars"):
        Quality(library).leave_out("WAVE", "level", None, None)


def test_bars_that_come_again_stay_left_out_unless_their_prices_are_others(library):
    longer = spiked(wave_bars(4400))
    library.save_market("WAVE", "", None, [longer.take(slice(0, 4000))])
    spike, other = int(longer.time[SPIKE]), int(longer.time[77])
    for moment in (spike, other):
        Quality(library).leave_out("WAVE", None, moment, moment)
    high = longer.high.copy()
    high[SPIKE] = max(longer.open[SPIKE], longer.close[SPIKE])  # mended at its source
    library.save_market("WAVE", "", None, [replace(longer, high=high)])
    assert used(library).left_out.tolist() == [other]
    assert len(used(library)) == 4399


def test_what_cannot_be_left_out_or_brought_back_changes_nothing(application, library):
    version = library.market("WAVE").shortest.version
    whole = wave_bars(4000).time
    for said, call in (
        ("a kind, or from when", lambda: Quality(library).leave_out("WAVE", None, None, None)),
        ("no such bars", lambda: Quality(library).leave_out("WAVE", None, 0, 5)),
        ("no such bars", lambda: Quality(library).leave_out("WAVE", "idle", None, None)),
        ("no bar of WAVE", lambda: Quality(library).leave_out("WAVE", None, int(whole[0]), int(whole[-1]))),
        ("no bar of WAVE is left out", lambda: Quality(library).bring_back("WAVE")),
    ):
        with pytest.raises(SettingsError, match=said):
            call()
    library.save_market("EMPTY", "", {}, [])
    with pytest.raises(BarsError, match="no bars yet"):
        Quality(library).look("EMPTY")
    assert library.market("WAVE").shortest.version == version


@pytest.mark.parametrize("form", ["csv", "parquet"])
@pytest.mark.parametrize("minutes", [1, 1440])
def test_bars_taken_along_come_in_again_as_they_were(tmp_path, form, minutes):
    bars = wave_bars(500, minutes=minutes)
    bars = replace(bars, close=bars.close + 1 / 3, high=bars.high + 1, columns={"own": np.arange(500.0)})
    if minutes == 1440:
        bars = replace(bars, dated=True, time=bars.time // 86_400 * 86_400)
    file = tmp_path / f"bars.{form}"
    file.write_bytes(written(bars_table(bars), form))
    again = read_bars_csv(file)
    assert (again.refused_count, again.bars.timeframe, again.bars.dated) == (0, Timeframe(minutes), minutes == 1440)
    for name in COLUMNS:
        np.testing.assert_array_equal(getattr(again.bars, name), getattr(bars, name))
    np.testing.assert_array_equal(again.bars.columns["own"], bars.columns["own"])


def test_days_that_other_markets_have_are_told_until_they_come(application, library):
    whole = wave_bars(4000)
    for symbol in ("ONE", "TWO"):
        library.save_market(symbol, "", {"tick": 0.25}, [whole])
    missing = np.unique(whole.time // 86_400)[7]
    library.save_market("WAVE", "", None, [whole.take(whole.time // 86_400 != missing)])
    quality = Quality(library)
    [absent] = [item for item in quality.look("WAVE").oddities if item.kind == "absent"]
    assert (absent.count, absent.places[0].size) == (1, 1.0)
    assert not [item for item in quality.look("ONE").oddities if item.kind == "absent"]
    library.save_market("WAVE", "", None, [whole])
    assert not [item for item in quality.look("WAVE").oddities if item.kind == "absent"]


def test_two_windows_that_leave_out_at_once_both_have_their_way(application, library):
    times = wave_bars(4000).time[100:140]
    with ThreadPoolExecutor(8) as pool:
        for done in [pool.submit(application.quality.leave_out, "WAVE", None, int(t), int(t)) for t in times]:
            done.result()
    assert used(library).left_out.tolist() == times.tolist()
    assert library.market("WAVE").shortest.version == 2 + times.size
