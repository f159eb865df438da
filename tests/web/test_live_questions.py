"""Questions of the live loop about a run: each answer against what the core says of the same run."""

import pytest

from skelb.core.bars import Market, Timeframe
from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.export.lens import FinerBars
from skelb.core.plan import make_dataset
from skelb.service.application import Application
from skelb.service.setup import Setup
from skelb.service.shown import LevelsInForce
from skelb.service.workbench import Workbench
from tests.conftest import wave_bars

SCRIPT = """input fast = 8 from 2 to 30
quick = ema(close, fast)
up = close crosses above quick
enter long when up and volume > 200
enter short when close crosses below quick
stop 2 * atr(14)
trail 2 * atr(14)
size 1 units
"""


@pytest.fixture(scope="module")
def bench(tmp_path_factory):
    application = Application(tmp_path_factory.mktemp("home"))
    application.library.save_market("WAVE", "", {"tick": 0.25, "spread": 0.5}, [wave_bars(2000, minutes=5)])
    application.library.save_account("Own", {"capital": 50_000})
    yield Workbench(application.library, application.datasets, application.tallies)
    application.close()


def setup(timeframe="15m", **inputs):
    return Setup(text=SCRIPT, market="WAVE", timeframe=timeframe, account="Own", inputs=inputs)


@pytest.fixture(scope="module")
def run(bench):
    found = bench.run(setup()).run
    assert found is not None
    return found


def test_figures_with_another_input_are_those_of_a_run_with_it(bench, run):
    for value in (5, 20):
        assert bench.figures_with(setup(), "fast", value) == bench.run(setup(fast=value)).run.figures.all
    assert bench.figures_with(setup(), "fast", 0.5) is None  # an average has a whole length
    bench.run(setup())


def test_figures_up_to_the_last_bar_are_the_runs_and_earlier_ones_know_nothing_later(bench, run):
    assert bench.figures_until(run.key, run.last)[1] == run.figures.all
    trades = run.trades
    bar = trades.exit_bar[10]
    _, found = bench.figures_until(run.key, bar)
    ended = [net for net, leave in zip(trades.net, trades.exit_bar, strict=True) if leave <= bar]
    assert found["trades"] - len(ended) in (0, 1)  # one more when another was open, and closed as the last bar closes
    for bad in (-1, run.last + 1):
        with pytest.raises(NotFoundError, match="not one of the run's dates"):
            bench.figures_until(run.key, bad)
    with pytest.raises(NotFoundError, match="no longer held"):
        bench.figures_until("gone", 3)


def test_the_next_yes_of_a_lane_is_where_it_turns(bench, run):
    window = bench.window(run.key, 0, run.last, 5000)
    lane = window.lanes["up"]
    turns = [bar for bar in range(1, len(lane)) if lane[bar] == 1 and lane[bar - 1] == 0]
    assert bench.next_yes(run.key, "up", turns[3], 1) == turns[4]
    assert bench.next_yes(run.key, "up", turns[3], -1) == turns[2]
    assert bench.next_yes(run.key, "up", turns[-1], 1) is None
    assert {item.name: item.kind for item in run.scene.lanes} == {
        "up": "condition", "up and volume > 200": "rule", "close crosses below quick": "rule", "volume > 200": "part",
    }  # fmt: skip
    with pytest.raises(NotFoundError, match="no lane"):
        bench.next_yes(run.key, "nothing", 0, 1)


def test_levels_in_force_are_those_of_each_bars_explanation(bench, run):
    trades = run.trades
    first, last = trades.entry_bar[4], trades.exit_bar[6]
    found = bench.levels(run.key, first, last)
    for bar in range(first + 1, last + 1):
        earlier, later = bench.explain(run.key, bar - 1), bench.explain(run.key, bar)
        own = [level for level in found if level.bar == bar]
        if earlier.position and later.position in (earlier.position, None):  # else it was left at the open
            for lot in earlier.lots:
                expected = LevelsInForce(bar, earlier.position, lot.stop, lot.target)
                assert expected in own
    assert {level.bar for level in found} >= set(range(trades.entry_bar[4], trades.exit_bar[4]))
    stops = [level.stop for level in found if level.bar in range(trades.entry_bar[5], trades.exit_bar[5])]
    side = trades.side[5]
    assert all((later - earlier) * side >= 0 for earlier, later in zip(stops, stops[1:], strict=False))  # only tightens


def test_the_lens_opens_a_bar_into_what_it_is_made_of(bench, run):
    trades = run.trades
    bar = trades.entry_bar[2]
    found = bench.lens(run.key, bar)
    finer = found.finer
    assert finer.timeframe == "5m" and len(finer.time) == 3
    assert (max(finer.high), min(finer.low)) == (found.high, found.low)
    assert (finer.open[0], finer.close[-1]) == (found.open, found.close)
    [entry] = [fill for fill in found.fills if fill.way == "in"]
    assert (entry.price, entry.moment) == (trades.entry_price[2], "open")
    left = bench.lens(run.key, trades.exit_bar[2]).fills
    assert (trades.exit_price[2], trades.reasons[trades.reason[2]]) in [(f.price, f.by) for f in left if f.way == "out"]
    finest = bench.run(setup("5m")).run
    assert bench.lens(finest.key, 30).finer == FinerBars(None, [], [], [], [], [])


def test_the_funnel_counts_what_each_part_lets_through(bench, run):
    found = bench.funnel(run.key)
    window = bench.window(run.key, 0, run.last, 5000).lanes
    long = found.rules[0]
    assert [part.text for part in long.passed] == ["up", "volume > 200"]
    assert [part.left for part in long.passed] == [sum(window["up"]), sum(window["up and volume > 200"])]
    assert long.bars == run.bars
    for side in found.sides:
        assert side.signals == side.traded + sum(reason.count for reason in side.reasons)
        sign = 1 if side.side == "long" else -1
        assert side.traded == sum(1 for own in run.trades.side if own == sign)


def test_a_daily_bar_opens_into_the_minutes_that_are_stored_besides(tmp_path):
    application = Application(tmp_path)
    minutes = wave_bars(3000, minutes=5)
    daily = make_dataset(minutes, Market("BOTH", tick=0.25), Timeframe(1440)).bars
    application.library.save_market("BOTH", "", {"tick": 0.25}, [daily, minutes])
    application.library.save_account("Own", {})
    found = Workbench(application.library, application.datasets, application.tallies)
    text = "enter long when close > open\nexit after 1 bars\nsize 1 units\n"
    run = found.run(Setup(text=text, market="BOTH", timeframe="1d", account="Own")).run
    finer = found.lens(run.key, 3).finer
    assert finer.timeframe == "5m" and max(finer.high) == daily.high[3] and min(finer.low) == daily.low[3]
    assert finer.open[0] == daily.open[3] and finer.close[-1] == daily.close[3]
    application.close()


def test_a_run_on_other_bars_is_asked_like_the_run_itself(bench, run):
    drawn = bench.chart(run.key, "1h")
    assert drawn.timeframe == "1h" and drawn.figures == run.figures and drawn.bars < run.bars
    for own, other in zip(run.trades.entry_bar, drawn.trades.entry_bar, strict=True):
        assert other == own // 4
    window = bench.window(drawn.key, 0, 50, 51)
    assert window.step == 1 and len(window.x) == 51
    told = bench.explain(drawn.key, 20)
    assert told.time == bench.explain(run.key, 83).time  # the last that has closed by then
    assert bench.lens(drawn.key, 20).finer.timeframe == "5m"
    levels = bench.levels(drawn.key, 0, drawn.last)
    assert levels and {row.bar for row in levels} <= set(range(drawn.bars))
    turns = bench.next_yes(drawn.key, "up", 0, 1)
    assert turns is not None and turns * 4 >= 0
    assert bench.bars_at(drawn.key, [window.time[7]]) == [7]
    with pytest.raises(SettingsError):
        bench.chart(run.key, "1m")
    with pytest.raises(NotFoundError):
        bench.chart("gone", "1h")
