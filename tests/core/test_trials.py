"""What varies, which points run, sweeps wherever they run, walk-forwards, searches."""

import pickle
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from dataclasses import replace
from datetime import date
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Market
from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset
from skelb.core.trials import (
    READY_CONDITIONS,
    Axis,
    Cell,
    Span,
    Sweep,
    Task,
    Window,
    design,
    efficiency,
    grid_size,
    packed,
    point_at,
    read_axis,
    read_split,
    run_cells,
    run_shipped,
    run_tasks,
    search_script,
    stitched,
    trading_days,
    windows_by_count,
    windows_by_length,
)
from tests.conftest import dataset, wave_bars

SCRIPT = """
input n = 5 from 3 to 9 step 2
input m = 20
input kind = ema one of ema, sma
input hold_on = off
x = (ema(close, n) if kind is ema else sma(close, n))
enter long when close crosses above x
enter short when close crosses below x only if hold_on
exit after m bars
size 2 units
"""
CHECKED = check(SCRIPT)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("n=5..9:2", (5, 7, 9)), ("n", (3, 5, 7, 9)), ("n=0.1..0.3:0.1", (0.1, 0.2, 0.3)), ("n=4,8", (4, 8)),
        ("timeframe=1h,15m,1h", ("15m", "1h")), ("market=B,A", ("B", "A")), ("sides=long,both", ("long", "both")),
        ("kind=sma,ema", ("sma", "ema")), ("hold_on", (False, True)), ("kind", ("ema", "sma")),
    ],
)  # fmt: skip
def test_axes_are_read(text, expected):
    assert read_axis(text, CHECKED).values == expected


@pytest.mark.parametrize(
    "text",
    [
        "zz=1..2",
        "n=a..b",
        "n=5..3",
        "n=1..9:0",
        "m",
        "kind=wma",
        "n=1..1000000:0.01",
        "timeframe",
        "sides=up",
        "market=",
    ],
)
def test_impossible_axes_are_refused(text):
    with pytest.raises(SettingsError):
        read_axis(text, CHECKED)


def test_a_grid_numbers_every_combination_once_the_last_axis_fastest():
    axes = (read_axis("n=4,8", CHECKED), read_axis("hold_on", CHECKED), read_axis("kind", CHECKED))
    points = [point_at(axes, number) for number in design(axes, "grid")]
    plain = [dict(zip(("n", "hold_on", "kind"), values, strict=True)) for values in product(*(a.values for a in axes))]
    assert points == plain and len(points) == grid_size(axes) == 8
    with pytest.raises(SettingsError, match="one axis only"):
        grid_size((axes[0], axes[0]))
    with pytest.raises(SettingsError, match="nothing varies"):
        grid_size(())


LENGTHS = st.lists(st.integers(1, 12), min_size=1, max_size=4)


@given(LENGTHS, st.integers(1, 400), st.integers(0, 9), st.sampled_from(["random", "latin"]))
def test_drawn_points_are_different_and_inside_the_grid(lengths, runs, seed, kind):
    axes = tuple(Axis(f"a{place}", tuple(range(count))) for place, count in enumerate(lengths))
    size = grid_size(axes)
    if runs > size:
        with pytest.raises(SettingsError, match="fewer than"):
            design(axes, kind, runs, seed)
        return
    numbers = design(axes, kind, runs, seed)
    assert np.unique(numbers).size == numbers.size <= runs and numbers.min() >= 0 and numbers.max() < size
    assert kind == "latin" or numbers.size == runs
    assert np.array_equal(numbers, design(axes, kind, runs, seed))


def test_a_latin_hypercube_meets_every_value_of_an_axis_equally_often():
    axes = (Axis("a", tuple(range(25))), Axis("b", tuple(range(40))), Axis("c", tuple(range(100_000))))
    places = np.array([tuple(point_at(axes, number).values()) for number in design(axes, "latin", 200, 4)], np.int64)
    assert places.shape == (200, 3)
    assert set(np.bincount(places[:, 0])) == {8} and set(np.bincount(places[:, 1])) == {5}
    assert np.array_equal(np.sort(places[:, 2] // 500), np.arange(200))
    axes = (
        Axis("a", tuple(range(11))),
        Axis("b", tuple(range(40))),
    )  # the second tells points apart: none is met twice
    met = np.bincount([point_at(axes, number)["a"] for number in design(axes, "latin", 40, 1)])
    assert met.size == 11 and set(met) == {3, 4}


def test_a_random_sweep_of_a_huge_grid_needs_no_room_for_it():
    axes = tuple(Axis(name, tuple(range(1_000))) for name in "abcd")
    assert design(axes, "random", 5_000, 2).size == 5_000
    with pytest.raises(SettingsError, match="draw some at random"):
        design(axes, "grid")
    with pytest.raises(SettingsError, match="coarser"):
        grid_size(tuple(Axis(name, tuple(range(1_000))) for name in "abcdef"))


class OneAfterTheOther(Executor):
    """The plainest executor: it runs a call when it is submitted."""

    def submit(self, call, /, *arguments, **named):
        future = Future()
        future.set_result(call(*arguments, **named))
        return future


AXES = (read_axis("n=2..16:1", CHECKED), read_axis("kind", CHECKED), read_axis("sides=long,short", CHECKED))
TASKS = [Task(number, point_at(AXES, number)) for number in range(60)]


def a_sweep():
    return Sweep(CHECKED, dataset(), Account(capital=50_000), input_values(CHECKED, {"m": 6}))


def test_the_same_results_in_any_executor_and_after_a_journey():
    sweep = a_sweep()
    plain = run_tasks(sweep, TASKS)
    assert [cell.number for cell in plain] == list(range(60)) and all(cell.figures for cell in plain)
    for executor in (OneAfterTheOther(), ThreadPoolExecutor(4)):
        fresh = a_sweep()
        groups = run_cells(lambda tasks, e=executor, s=fresh: e.submit(run_tasks, s, tasks), TASKS, 8, ahead=4)
        assert [cell for group in groups for cell in group] == plain
        executor.shutdown()
    sent = pickle.loads(pickle.dumps(packed(sweep, AXES)))
    assert run_shipped(sent, TASKS) == plain


def test_other_markets_and_timeframes_of_a_script_travel_along():
    bars = wave_bars(2_000)
    stored = {"HERE": bars, "OTHER": wave_bars(2_000, seed=8)}
    made = {}

    def others(symbol, timeframe):
        fresh = make_dataset(stored[symbol], Market(symbol, tick=0.25), timeframe, others=others)
        return made.setdefault((symbol, timeframe), fresh)

    home = make_dataset(bars, Market("HERE", tick=0.25), others=others)
    checked = check(
        """input n = 5
input elsewhere = "OTHER"
enter long when close crosses above ema(close, n) and (close > sma(close, 20)) from elsewhere on 2h
exit after 6 bars"""
    )
    assert checked.is_sound, checked.diagnostics
    sweep = Sweep(checked, home, Account(), input_values(checked, {}))
    axes = (read_axis("market=HERE,OTHER", checked), read_axis("timeframe=15m,1h", checked), Axis("n", (4.0, 9.0)))
    tasks = [Task(number, point_at(axes, number)) for number in range(8)]
    plain = run_tasks(sweep, tasks)
    assert all(cell.figures for cell in plain) and len({cell.figures["net_profit"] for cell in plain}) == 8
    assert run_shipped(pickle.loads(pickle.dumps(packed(sweep, axes))), tasks) == plain


def test_a_task_that_cannot_run_says_why_and_the_others_run():
    sweep = Sweep(CHECKED, dataset(), Account(), input_values(CHECKED, {}))
    wrong = [{"n": 0.5}, {"n": 5.0}, {"market": "NOWHERE"}, {"timeframe": "1m"}]
    cells = run_tasks(sweep, [Task(number, point) for number, point in enumerate(wrong)])
    assert [bool(cell.figures) for cell in cells] == [False, True, False, False]
    assert "whole number" in cells[0].error and "NOWHERE" in cells[2].error and "1m" in cells[3].error


# --- spans ---------------------------------------------------------------------------------------------------------

DAYS = np.arange(19_000, 19_100)


def test_a_split_is_by_share_or_by_date():
    by_share = read_split("60,25,15", DAYS)
    assert [(span.name, span.days) for span in by_share] == [
        ("in sample", 60),
        ("out of sample", 25),
        ("held back", 15),
    ]
    assert by_share[0].last < by_share[1].first and by_share[2].last == date(1970, 1, 1) + np.timedelta64(19_099, "D")
    first = by_share[1].first.isoformat()
    assert [span.days for span in read_split(first, DAYS)] == [60, 40]


@pytest.mark.parametrize(
    "text", ["60", "a,b", "60,-5", "1,1,1,1", "2000-01-01", "2024-01-01,2020-01-01", "nan,1", "1e9,1"]
)
def test_impossible_splits_are_refused(text):
    with pytest.raises(SettingsError):
        read_split(text, DAYS)


@given(st.integers(1, 400), st.integers(1, 30), st.floats(0.2, 9), st.booleans())
def test_windows_lie_end_to_end_and_reach_the_last_day(size, count, ratio, anchored):
    days = np.arange(size) * 2 + 10_000
    try:
        windows = windows_by_count(days, count, ratio, anchored)
    except SettingsError:
        assert int(size / (ratio + count)) == 0
        return
    assert len(windows) == count
    assert windows[-1].outside.last == date.fromordinal(date(1970, 1, 1).toordinal() + int(days[-1]))
    for before, after in zip(windows, windows[1:], strict=False):
        assert after.outside.first > before.outside.last and (after.outside.first - before.outside.last).days == 2
        assert after.inside.last == before.outside.last
        assert (after.inside.first == before.inside.first) == anchored
    assert len({window.outside.days for window in windows}) == 1


def test_windows_that_do_not_fit_are_refused():
    assert len(windows_by_length(DAYS, 50, 20)) == 2
    for inside, outside in ((90, 20), (0, 5), (5, 0)):
        with pytest.raises(SettingsError, match="do not fit"):
            windows_by_length(DAYS, inside, outside)


def test_trading_days_are_counted_once_between_the_dates():
    day = np.repeat(np.array([19_000, 19_001, 19_005]), 4)
    assert trading_days(day).tolist() == [19_000, 19_001, 19_005]
    assert trading_days(day, date(2022, 1, 9), date(2022, 1, 9)).tolist() == [19_001]


# --- walk-forward --------------------------------------------------------------------------------------------------


def test_a_stitched_run_is_its_legs_on_an_account_that_is_carried():
    sweep = Sweep(CHECKED, dataset(wave_bars(3_000)), Account(capital=50_000), input_values(CHECKED, {"m": 6}))
    windows = windows_by_count(trading_days(sweep.dataset.calendar.day), 4, 2.0)
    steps = [(window.outside, {"n": 3.0 + place}) for place, window in enumerate(windows)]
    found = stitched(sweep, steps)
    capital, equity = 50_000.0, []
    for span, point in steps:
        part = replace(sweep, account=Account(capital=capital), from_date=span.first, to_date=span.last)
        equity += part.record(point).equity.tolist()
        capital = equity[-1]
    assert found.equity.tolist() == equity and found.net == pytest.approx(capital - 50_000)
    best, worst = 50_000.0, 0.0
    for value in equity:
        best = max(best, value)
        worst = max(worst, best - value)
    assert found.drawdown == pytest.approx(worst) and found.times.size == len(equity) == np.unique(found.times).size


def test_efficiency_is_a_days_net_outside_over_a_days_net_inside():
    day = date(2024, 1, 1)
    windows = [Window(Span("in", day, day, 40), Span("out", day, day, 10)) for _ in range(2)]
    assert efficiency(windows, [400.0, 400.0], [50.0, 30.0]) == pytest.approx((80 / 20) / (800 / 80))
    assert efficiency(windows, [-1.0, 0.5], [5.0, 5.0]) is None


# --- signal search -------------------------------------------------------------------------------------------------

BASE = check(
    'title "Reach"\ninput n = 5\nfast = ema(close, n)\nenter long when close > fast\nstop 0.2%\nsize 1 units\n'
)


def test_a_search_is_a_sweep_whose_every_combination_is_the_script_with_that_entry():
    found = search_script(BASE, ["close > fast", "rsi(close, 3) > 60 or bar < 5", "close > fast"], most_parts=2)
    assert found.labels == {
        "s1": "close > fast", "s2": "rsi(close, 3) > 60 or bar < 5", "s1_2": "close > fast and (rsi(close, 3) > 60 or bar < 5)",
    }  # fmt: skip
    checked, data = check(found.text), dataset()
    assert checked.is_sound
    sweep = Sweep(checked, data, Account(), input_values(checked, {}))
    for word, side in product(found.labels, ("long", "short")):
        alone = check(found.strategy(word, side))
        assert alone.is_sound and alone.title == f"Reach: {word} {side}"
        plain = Sweep(alone, data, Account(), input_values(alone, {})).run_one({})
        assert sweep.run_one({"tried_signal": word, "sides": side}) == plain and plain["trades"] > 3


def test_a_script_without_exits_is_left_after_some_bars():
    bare = check("enter long when close > open\n")
    assert "exit after 7 bars" in search_script(bare, ["close > open"], hold=7).text
    assert "exit after" not in search_script(BASE, ["close > open"]).text


def test_the_ready_conditions_can_all_be_searched():
    assert check(search_script(BASE, READY_CONDITIONS, most_parts=2).text).is_sound


@pytest.mark.parametrize(
    ("conditions", "said"),
    [([], "at least one"), (["close"], "needs a condition"), (["close >"], "cannot be searched"), (["clos > 5"], "clos"),
     ([f"close > {k}" for k in range(80)], "at most"), (["close > 1\nexit when close > 2"], "cannot be searched")],
)  # fmt: skip
def test_impossible_searches_are_refused(conditions, said):
    with pytest.raises(SettingsError, match=said):
        search_script(BASE, conditions)


def test_a_sweep_with_exchanged_sides_trades_the_other_side():
    data, account = dataset(), Account(capital=1e6)
    fixed = input_values(CHECKED, {})
    straight, inverted = (Sweep(CHECKED, data, account, fixed, inverted=turned).run_one({}) for turned in (False, True))
    assert straight["trades"] == inverted["trades"] > 5
    assert straight["net_profit"] != inverted["net_profit"]


@pytest.mark.parametrize(("seconds", "largest"), [(0.0, 64), (0.02, 5), (0.2, 4)])
def test_groups_are_small_where_runs_are_long(seconds, largest, monkeypatch):
    sizes, now = [], [0.0]
    monkeypatch.setattr("skelb.core.trials.sweep.monotonic", lambda: now[0])

    def run_chunk(group):
        sizes.append(len(group))
        done = Future()
        now[0] += seconds * len(group)
        done.set_result([Cell(task.number, 0, None) for task in group])
        return done

    tasks = [Task(number, {}) for number in range(20 if seconds else 400)]
    cells = [cell for group in run_cells(run_chunk, tasks, 64, ahead=1) for cell in group]
    assert [cell.number for cell in cells] == [task.number for task in tasks]
    assert max(sizes) <= largest
    assert 64 in sizes if seconds == 0.0 else set(sizes[1:]) <= ({1} if seconds == 0.2 else {1, 2, 3, 4, 5})
