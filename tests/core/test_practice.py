"""A strategy that follows bars: at every moment its trades are the backtest's over the same bars; feeds and drift."""

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Market, Timeframe, session_bars
from skelb.core.engine import Account, Reason, run, run_basket
from skelb.core.engine.replay import Replay
from skelb.core.errors import FeedError
from skelb.core.feeds import BarSaid, Clock, Gap, Gathering, Hello, Intake, Offered, read_word, written
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset, make_plan
from skelb.core.practice import (
    FEWEST_TRADES,
    Following,
    Ledger,
    SoFar,
    drift_of,
    lengthened,
    next_steps,
    slippage_a_side,
)
from tests.conftest import wave_bars
from tests.core.test_engine_against_reference import engine_account, engine_dataset, sound
from tests.core.test_engine_laws import random_setup
from tests.reference.cases import random_account, random_bars, random_market, random_strategy

M15 = Timeframe(15)
MARKET = Market("TEST", tick=0.25)


def said(bars, at, timeframe=None, is_closed=True, **values):
    """A bar of some bars as a feed says it."""
    row = {name: float(getattr(bars, name)[at]) for name in ("open", "high", "low", "close", "volume")} | values
    return BarSaid("TEST", timeframe or bars.timeframe, int(bars.time[at]), **row, is_closed=is_closed)


def half_of(bars, at):
    """The bar as it may stand while it forms: open and a little of its range."""
    middle = (float(bars.open[at]) + float(bars.close[at])) / 2
    top, bottom = max(float(bars.open[at]), middle), min(float(bars.open[at]), middle)
    return said(bars, at, is_closed=False, high=top, low=bottom, close=middle)


@pytest.mark.parametrize("seed", range(80))
def test_after_any_bars_the_trades_are_those_of_the_backtest(seed):
    setup = random_setup(seed)
    if setup is None:
        pytest.skip("no bars")
    rows, script, market, account = setup
    data, account, checked = engine_dataset(rows, market, 30), engine_account(account), sound(script)
    whole = run(make_plan(checked, data, {}), account).trades.rows
    bars, size = data.bars, len(data)
    keys = set()
    for cut in sorted({2, size // 3, size // 2, size // 2 + 1, size - 3, size - 1}):
        for forming in (None, half_of(bars, cut)):
            so_far = SoFar(data.market, bars.take(slice(0, cut)), forming)
            following = Following.of(checked, account, [so_far], {}, int(bars.time[0]))
            found = following.markets[0]
            its = whole[(whole["exit_bar"] < cut)]
            assert found.trades.tobytes() == its.tobytes()
            happened = following.happenings()
            fresh = {item.key for item in happened}
            assert len(fresh) == len(happened) and keys <= fresh  # what was told stays told, under the same keys
            keys = fresh
            next_steps(following)


# --- several markets on one account ------------------------------------------------------------------------------------


def random_basket(seed):
    """Datasets of two or three random markets, a script for them, an account; None without bars."""
    rng = np.random.default_rng(seed)
    account = random_account(rng) | {"same_bar": "worst"}
    if rng.random() < 0.5:
        account["max_open_total"] = int(rng.integers(1, 3))
    days, found, script = int(rng.integers(3, 6)), [], ""
    for number in range(2 + int(rng.random() < 0.4)):
        market = random_market(rng) | {"pip": 0.1}
        bars = random_bars(rng, market, 30, days, float(rng.choice([0, 0.2])))
        if len(bars) < 8:
            return None
        script = script or random_strategy(rng, bars, market["tick"])[0]
        found.append(engine_dataset(bars, market, 30, symbol=f"M{number}"))
    return found, sound(script), engine_account(account)


@pytest.mark.parametrize("seed", range(60))
def test_after_any_moment_of_a_basket_the_trades_are_those_of_the_backtest(seed):
    """Each market with the bars that have closed by then, some of them in a bar that forms."""
    found = random_basket(seed)
    if found is None:
        pytest.skip("no bars")
    data, checked, account = found
    whole = run_basket([make_plan(checked, one, {}) for one in data], account)
    begin, end = max(int(one.bars.time[0]) for one in data), min(int(one.bars.time[-1]) for one in data)
    moments = [time for time in np.unique(np.concatenate([one.bars.time for one in data])) if begin <= time < end]
    keys = set()
    for moment in moments[:: max(1, len(moments) // 6)]:
        so_far = []
        for number, one in enumerate(data):
            cut = int(np.searchsorted(one.bars.time, moment, side="right"))
            standing = half_of(one.bars, cut) if (seed + number) % 2 else None
            so_far.append(SoFar(one.market, one.bars.take(slice(0, cut)), standing))
        following = Following.of(checked, account, so_far, {}, min(int(one.bars.time[0]) for one in data))
        for own, outcome in zip(following.markets, whole, strict=True):
            rows = outcome.trades.rows
            assert own.trades.tobytes() == rows[rows["exit_bar"] < own.closed].tobytes()
        happened = following.happenings()
        fresh = {item.key for item in happened}
        assert len(fresh) == len(happened) and keys <= fresh
        keys = fresh
        assert all(next_steps(following, place) is not None for place in range(len(data)))


@pytest.mark.parametrize("seed", range(60))
def test_a_basket_gone_through_again_is_the_same_for_each_of_its_markets(seed):
    found = random_basket(seed)
    if found is None:
        pytest.skip("no bars")
    data, checked, account = found
    plans = [make_plan(checked, one, {}) for one in data]
    for plan, outcome in zip(plans, run_basket(plans, account), strict=True):
        replay, rows, skips = Replay(plan, account, plans), [], []
        for bar in range(plan.first, plan.last + 1):
            at = replay.at(bar)
            rows.append(at.trades)
            skips.append(at.skips)
            if at.lots and at.lots == at.lots_before and at.known_to_exits:
                assert at.known_to_exits["entry_price"] == pytest.approx(np.mean([lot.mid for lot in at.lots]))
        assert np.concatenate(rows).tobytes() == outcome.trades.rows.tobytes()
        assert np.concatenate(skips).tobytes() == outcome.skips.tobytes()


ONE_AT_A_TIME = """enter long when close > prior(close)
exit long when close < entry_price - 1
size 1 units
"""


def test_what_a_market_of_a_basket_would_do_next_knows_the_others():
    """The account takes one position: where one market has it, the other's rule is held back; each knows its own."""
    markets = [Market("FIRST", tick=0.25), Market("SECOND", tick=0.25)]
    bars = [wave_bars(80), wave_bars(80, seed=4)]
    checked = check(ONE_AT_A_TIME)
    assert checked.is_sound, checked.diagnostics
    single, two = Account(100_000.0, max_open_total=1), Account(100_000.0)
    seen = set()
    for cut in range(5, 78):
        so_far = [SoFar(one, some.take(slice(0, cut))) for one, some in zip(markets, bars, strict=True)]
        following = Following.of(checked, single, so_far, {}, 0)
        free = Following.of(checked, two, so_far, {}, 0)
        held = [own.open_rows["reason"] == Reason.END for own in following.markets]  # and not left at the next open
        for place in (0, 1):
            entry = next_steps(following, place)[0]
            if held[1 - place].any() and not held[place].size:
                assert entry.act == "nothing: held back by limit"
                seen.add("limit")
            for step in next_steps(free, place):
                if step.kind == "exit":  # it is told with this market's own entry
                    entered = free.markets[place].open_rows["entry_mid"][0]
                    worth = [lack.worth for lack in step.lacks if "entry_price" in lack.text]
                    assert all(float(text.split(" ")[-1]) == pytest.approx(entered - 1, rel=1e-5) for text in worth)
                    seen.add("exit")
    assert seen == {"limit", "exit"}


def following(script, bars, cut, forming=None, since=0, account=None):
    checked = check(script)
    assert checked.is_sound, checked.diagnostics
    closed = bars.take(slice(0, cut))
    account = account or Account(100_000.0)
    return Following.of(checked, account, [SoFar(MARKET, closed, forming)], input_values(checked, {}), since)


def test_decisions_begin_where_practice_begins():
    bars = wave_bars(120)
    found = following(
        "enter long when close > open\nexit after 2 bars\nsize 1 units", bars, 100, since=int(bars.time[60])
    )
    [own] = found.markets
    assert own.plan.first == 60 and own.trades["entry_bar"].min() > 60
    assert all(item.opened >= bars.time[60] for item in found.happenings())
    early = following("enter long when close > open\nsize 1 units", bars, 50, since=int(bars.time[60]))
    assert early.markets[0].trades.size == 0 and early.happenings() == [] and early.markets[0].open_rows.size == 0


NEXT = """input n = 3
up = close > highest(close, 3) and volume >= 0
calm = close < sma(close, n)
enter long when up
enter short when calm and close < low - 1
exit long when calm
stop 2 * atr(3)
target 4 * atr(3)
size 2 units
"""


def test_what_it_would_do_next_says_sizes_levels_and_what_is_lacking():
    bars = wave_bars(60)
    found = following(NEXT, bars, 40)
    long, short = next_steps(found)[:2]
    assert long.side == "long" and long.act.startswith("buy 2 at the next open, stop ")
    distance = float(long.act.split("stop ")[1].split(" ")[0])
    spans = np.maximum(bars.high, np.append(np.nan, bars.close[:-1])) - np.minimum(
        bars.low, np.append(np.nan, bars.close[:-1])
    )
    assert 0 < distance < 6 * np.nanmax(spans) and " below, target " in long.act and long.act.endswith(" above")
    assert long.holds is False and [item.text for item in long.lacks] == ["close > highest(close, 3)"]
    worth = [float(number) for number in long.lacks[0].worth.split(" against ")]
    assert worth == pytest.approx([bars.close[39], bars.close[37:40].max()])
    assert short.lacks[-1].text == "close < low - 1" and short.act.startswith("sell 2 at the next open, stop ")


def test_a_rule_says_what_would_hold_it_back():
    bars = wave_bars(60)
    small = following(NEXT.replace("2 units", "1% of equity"), bars, 40, account=Account(0.01))
    assert {step.act for step in next_steps(small) if step.kind == "enter"} == {"nothing: held back by lot too small"}
    window = following(NEXT + "window 00:01-00:02\n", bars, 40)
    assert next_steps(window)[0].act == "nothing: held back by window"
    resting = following("enter long when bar > 100 at stop high + 1 for 3 bars\nsize 1 units", bars, 40)
    # The bar to come is at the last price until it says another.
    assert next_steps(resting)[0].act == f"an order to buy at stop {bars.close[40 - 1] + 1:,.2f} rests"
    forming = said(bars, 40, is_closed=False)
    resting = following("enter long when bar > 100 at stop high + 1 for 3 bars\nsize 1 units", bars, 40, forming)
    assert next_steps(resting)[0].act == f"an order to buy at stop {bars.high[40] + 1:,.2f} rests"


def test_a_position_stands_at_the_last_price():
    bars = wave_bars(60)
    script = "enter long when bar == 10\nexit long when bar == 45\nstop 500\nsize 2 units\n"
    forming = half_of(bars, 40)
    on = lambda cut, forming=None: following(script, bars, cut, forming).markets[0]  # noqa: E731
    [row] = on(40, forming).open_rows
    assert (row["entry_bar"], row["units"], row["exit_mid"]) == (11, 2.0, forming.close)
    assert row["gross"] == pytest.approx((forming.close - bars.open[11]) * 2)
    exits = [step for step in next_steps(following(script, bars, 40, forming)) if step.kind == "exit"]
    assert [step.act for step in exits] == ["sell 2 at the next open"]
    # What the bar to come would bring has not happened: neither the exit at its open nor an entry.
    assert on(46).open_rows.size == 1 and on(46).trades.size == 0
    assert on(46, half_of(bars, 46)).open_rows.size == 0
    assert on(11).open_rows.size == 0 and on(11, half_of(bars, 11)).open_rows.size == 1


def test_happenings_say_what_a_bar_brought():
    bars = wave_bars(60)
    script = 'enter short when bar == 10\nexit when bar == 20\nalert bar == 15 "at {close}"\nstop 300\nsize 2 units\n'
    at = {int(time): number for number, time in enumerate(bars.time)}
    told = [(item.kind, at[item.opened], item.text) for item in following(script, bars, 30).happenings()]
    entry, alert, left = told
    assert entry == ("enter", 11, f"sold 2 at {bars.open[11]:,.2f}, stop {bars.open[11] + 300:,.2f}")
    assert alert == ("alert", 15, f"at {bars.close[15]:.8g}")
    net = (bars.open[11] - bars.open[21]) * 2
    assert (
        left[:2] == ("exit", 21)
        and left[2].startswith(f"bought 2 at {bars.open[21]:,.2f} (")
        and f"net {net:+,.2f}".replace("-", "−") in left[2]
    )


def test_bars_to_come_open_when_the_session_does():
    market = Market("TEST", session="09:00-17:30", days="mon-fri", zone="UTC")
    friday = 1_704_474_000 + 2 * 3600  # 2024-01-05 17:00 … 17:15 UTC
    bars = wave_bars(3, start=friday + 15 * 60 * 3)
    longer = lengthened(bars, market, None)
    opened = [str(np.datetime64(int(time), "s")) for time in longer.time[-2:]]
    assert all(item[11:16] >= "09:00" for item in opened) and opened[1] > opened[0]
    assert (longer.close[-2:] == bars.close[-1]).all()
    forming = said(bars, 2, is_closed=False)
    assert len(lengthened(bars.take(slice(0, 2)), market, forming)) == 4


# --- feeds -----------------------------------------------------------------------------------------------------------

TIMES = st.integers(0, 2**33)
SYMBOLS = st.text("ABCDEFGHIJKLM/12", min_size=1, max_size=8)
FRAMES = st.sampled_from([Timeframe(1), M15, Timeframe(240), Timeframe(1440)])
PRICES = st.floats(-1e6, 1e6)


@st.composite
def bars_said(draw):
    first, last = draw(PRICES), draw(PRICES)
    high, low = max(first, last) + draw(st.floats(0, 50)), min(first, last) - draw(st.floats(0, 50))
    return BarSaid(
        draw(SYMBOLS), draw(FRAMES), draw(TIMES), first, high, low, last, draw(st.floats(0, 1e9)), draw(st.booleans())
    )


WORDS = st.one_of(
    bars_said(),
    st.builds(Clock, TIMES),
    st.builds(Gap, SYMBOLS, FRAMES, TIMES, TIMES),
    st.builds(
        Hello, st.text(max_size=20), st.lists(st.builds(Offered, SYMBOLS, FRAMES), min_size=1, max_size=3).map(tuple)
    ),
)


@given(WORDS)
def test_a_word_is_read_as_it_was_written(word):
    line = written(word)
    assert "\n" not in line and read_word(line) == word


GOOD = json.loads(written(said(wave_bars(3), 1)))


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"say": "shout"}, "`say` is one of hello, bar, clock, gap"),
        ({"time": "noon"}, "`time` is a whole number"),
        ({"time": 1.5}, "`time` is a whole number"),
        ({"time": 10**12}, "`time` is a whole number"),
        ({"open": None}, "`open` of a bar is a number"),
        ({"high": float("inf")}, "`high` of a bar is a number"),
        ({"high": -1.0}, "a bar's high is its highest"),
        ({"closed": "yes"}, "`closed` of a bar is true or false"),
        ({"timeframe": "7x"}, "`7x` is not a timeframe"),
        ({"market": ""}, "`market` is the symbol"),
        ({"market": "M" * 65}, "`market` is the symbol"),
    ],
)
def test_a_line_that_cannot_be_read_says_why(change, why):
    with pytest.raises(FeedError, match=why.replace("(", r"\(")):
        read_word(json.dumps(GOOD | change))


@pytest.mark.parametrize("line", ["", "bar", "[1, 2]", "[" * 90_000, '{"say": "bar"' + " " * 100_001, "null", '{"say": "hello", "protocol": 2}',
                                  '{"say": "hello", "protocol": 1, "markets": []}', '{"say": "hello", "protocol": 1, "markets": [3]}'], ids=range(9))  # fmt: skip
def test_what_is_no_word_is_refused(line):
    with pytest.raises(FeedError):
        read_word(line)


@given(st.data())
def test_whatever_a_feed_does_bars_are_taken_in_order_and_once(data):
    """Late, doubled, corrected, missing, out of order, still forming: what was taken is never written anew."""
    bars = wave_bars(12)
    intake, taken, seen = Intake("TEST", M15), [], {}
    for _ in range(data.draw(st.integers(0, 40))):
        at = data.draw(st.integers(0, 11))
        word = said(bars, at, is_closed=data.draw(st.booleans()), volume=float(data.draw(st.integers(1, 2))))
        word = word if data.draw(st.integers(0, 9)) else replace(word, market="OTHER")
        found = intake.take(word)
        if word.market == "OTHER":
            assert found.kind == "other"
        elif not word.is_closed:
            assert found.kind == (
                "late" if (taken and word.time <= taken[-1].time) or found.kind == "late" else "forming"
            )
        elif not taken or word.time > taken[-1].time:
            assert found.kind == "taken"
            taken.append(word)
            seen[word.time] = word.values
        elif word.time in seen:
            assert found.kind == ("doubled" if seen[word.time] == word.values else "corrected")
        else:
            assert found.kind == "late"
        assert intake.forming is None or not taken or intake.forming.time > taken[-1].time
    assert [word.time for word in taken] == sorted(seen)


@given(st.data())
def test_a_moment_of_a_basket_is_let_through_once_and_whole(data):
    """Whatever the order in which markets say their bars, and wherever it is taken up again."""
    bars, names = wave_bars(10), ["A", "B", "C"][: data.draw(st.integers(1, 3))]
    markets = [Market(name, tick=0.25) for name in names]
    start = int(bars.time[0]) - 1
    gathering = Gathering(markets, M15, False, dict.fromkeys(names, start + 1 - 900), start)
    accepted, through = {}, []
    for _ in range(data.draw(st.integers(0, 60))):
        name, at = data.draw(st.sampled_from(names)), data.draw(st.integers(0, 9))
        kind = data.draw(st.sampled_from(["closed", "closed", "closed", "forming", "clock", "gap"]))
        word = replace(said(bars, at, is_closed=kind != "forming"), market=name)
        if kind == "clock":
            word = Clock(int(bars.time[at]))
        elif kind == "gap":
            word = Gap(name, M15, int(bars.time[at]), int(bars.time[at]) + 900)
        before = gathering.through
        found = gathering.take(word)
        if found.kind == "taken":
            assert word.time > before and (name, word.time) not in accepted
            accepted[name, word.time] = word
        if data.draw(st.booleans()):
            fresh = gathering.let_through()
            assert [bar.time for bar in fresh] == sorted(bar.time for bar in fresh)
            assert all(bar.time > before for bar in fresh)  # no moment is gone back to
            through += fresh
            assert gathering.through == (fresh[-1].time if fresh else before)
        if data.draw(st.integers(0, 5)) == 0:  # the program ends, and begins again from what it stored
            kept = gathering.through
            gathering = Gathering(markets, M15, False, dict.fromkeys(names, start + 1 - 900), kept)
            for bar in sorted(accepted.values(), key=lambda bar: bar.time):
                gathering.know(bar)
    for name in names:  # a bar later than all others lets everything through
        gathering.take(replace(said(bars, 9), market=name, time=int(bars.time[9]) + 900))
    through += gathering.let_through()
    assert not gathering.awaited() and len(through) == len(accepted) + len(names)
    assert {(bar.market, bar.time) for bar in through} >= set(accepted)


def test_a_basket_waits_for_the_market_that_has_more_to_say_and_for_no_other():
    bars = wave_bars(40, start=1_704_700_800)  # 2024-01-08 08:00 UTC, a Monday
    day, short = Market("DAY", tick=0.25), Market("SHORT", tick=0.25, session="08:00-09:00", zone="UTC")
    before = int(bars.time[0]) - 900
    gathering = Gathering([day, short], M15, False, {"DAY": before, "SHORT": before}, before)

    def says(name, at, **more):
        gathering.take(replace(said(bars, at, **more), market=name))
        return [(bar.market, int(np.searchsorted(bars.time, bar.time))) for bar in gathering.let_through()]

    assert says("DAY", 0) == [] and gathering.awaited() == ["SHORT"]
    assert gathering.standing("DAY").time == bars.time[0] and gathering.standing("SHORT") is None
    assert says("SHORT", 0) == [("DAY", 0), ("SHORT", 0)]
    assert says("DAY", 1) == [] and says("SHORT", 2, is_closed=False) == [("DAY", 1)]  # a later one forms
    assert says("SHORT", 1) == [] and gathering.standing("SHORT").time == bars.time[2]
    assert says("DAY", 2) == [] and says("SHORT", 2) == [("DAY", 2), ("SHORT", 2)]
    assert says("DAY", 3) == []
    gathering.take(Clock(int(bars.time[4])))  # its close has passed
    assert [bar.time for bar in gathering.let_through()] == [bars.time[3]]
    late = gathering.take(replace(said(bars, 3), market="SHORT"))
    assert late.kind == "late"
    assert says("DAY", 4) == [("DAY", 4)] and says("DAY", 5) == [("DAY", 5)]  # its session is over
    gathering.take(Gap("DAY", M15, int(bars.time[6]), int(bars.time[9])))
    assert says("DAY", 9) == [("DAY", 9)]


SUMMER = """enter long when close > prior(close)
enter short when close < prior(close)
window 09:00-11:00
flat at 16:30
exit after 1 days
stop 2 * atr(5)
size 1 units
"""


@pytest.mark.parametrize(("zone", "session", "days"), [
    ("Europe/Berlin", "08:00-18:00", "mon-fri"),
    ("America/New_York", "18:00-17:00", "sun-fri"),  # over midnight, and over the hour that is not there
])  # fmt: skip
@pytest.mark.parametrize("change", ["2024-03-31", "2024-10-27", "2024-03-10", "2024-11-03"])
def test_summer_time_begins_and_ends_in_the_middle_of_a_practice(zone, session, days, change):
    """Over the clock change trades stay the backtest's, bar by bar, and what is yet to come opens when it will."""
    market = Market("TEST", tick=0.25, zone=zone, session=session, days=days)
    begin = int(np.datetime64(change, "s").astype(np.int64)) - 4 * 86_400
    stored, *_ = session_bars(wave_bars(8 * 48, minutes=30, start=begin), market)
    data = make_dataset(stored, market)
    bars, checked = data.bars, check(SUMMER)
    assert checked.is_sound, checked.diagnostics
    account = Account(100_000.0)
    whole = run(make_plan(checked, data, {}), account).trades.rows
    assert whole.size > 5
    for cut in range(20, len(bars) - 1, 3):
        forming = half_of(bars, cut) if cut % 2 else None
        following = Following.of(
            checked, account, [SoFar(market, bars.take(slice(0, cut)), forming)], {}, int(bars.time[0])
        )
        found = following.markets[0]
        assert found.trades.tobytes() == whole[whole["exit_bar"] < cut].tobytes()
        assert found.plan.dataset.bars.time[cut : cut + 2].tolist() == bars.time[cut : cut + 2].tolist()
        assert {step.time for step in next_steps(following)} == {int(bars.time[cut]) + 1800}


# --- drift -----------------------------------------------------------------------------------------------------------

WEEK = 7 * 86_400


def drift(net, tested, weeks=10, tested_weeks=100):
    def ledger(nets, length):
        entered = np.arange(len(nets)) * length * WEEK // max(1, len(nets))
        return Ledger(np.array(nets, float), np.full(len(nets), 4.0), entered.astype(np.int64))

    return drift_of(ledger(net, weeks), (0, weeks * WEEK), ledger(tested, tested_weeks), (0, tested_weeks * WEEK))


def test_drift_says_when_it_is_too_early_and_when_it_is_another_strategy():
    tested = [60.0, -40.0] * 100
    same = drift([60.0, -40.0] * 10, tested)
    assert (
        same.verdict
        == f"20 trades: nothing outside what the backtest expects; {FEWEST_TRADES} are needed before this says much."
    )
    assert {band.key: band.value for band in same.bands} == {
        "trades_a_week": 2.0,
        "average_trade": 10.0,
        "win_rate": 50.0,
        "slippage_a_side": 4.0,
    }
    assert all(band.low <= band.middle <= band.high for band in same.bands)
    few = drift([-40.0] * 9, tested)
    assert "too early to say" in few.verdict and "win rate" in few.verdict
    other = drift([-40.0] * 40, tested, weeks=20)
    assert "It is not the strategy that was tested." in other.verdict
    assert drift([], tested).verdict == f"No trades yet: {FEWEST_TRADES} are needed before this says much."
    assert "nothing to hold practice against" in drift([1.0], []).verdict


def test_slippage_counts_the_gap_to_an_open_and_inside_a_bar_the_costs_alone():
    bars = wave_bars(12)
    close = np.array([100.0, 101, 102, 103, 104, 105, 104, 103, 102, 101, 100, 99])
    opens = np.concatenate(([100.0], close[:-1] + 0.5))  # every open is 2 ticks above the close before it
    high, low = np.maximum(opens, close) + 0.5, np.minimum(opens, close) - 0.5
    bars = replace(bars, open=opens, high=high, low=low, close=close)
    market, account = Market("TEST", tick=0.25, spread=0.5), Account(100_000.0, slippage_ticks=1.0)

    def slips(text):
        outcome = run(make_plan(check(text + "size 1 units\n"), make_dataset(bars, market), {}), account)
        return slippage_a_side(outcome.trades.rows, outcome.plan.dataset).tolist()

    # Bought at an open: 2 ticks of gap, 1 of spread, 1 of slippage; sold at one: the gap helps.
    assert slips("enter long when bar == 3\nexit when bar == 6\n") == [((2 + 1 + 1) + (-2 + 1 + 1)) / 2]
    assert slips("enter short when bar == 3\nexit when bar == 6\n") == [((-2 + 1 + 1) + (2 + 1 + 1)) / 2]
    # At closes and inside bars only the costs are lost, and a limit pays the spread alone.
    assert slips("enter long when bar == 3 at close\nexit when bar == 6 at close\n") == [2.0]
    assert slips("enter short when bar == 3 at close\ntarget 2 points\n") == [(2 + 1) / 2]


@given(st.integers(31, 60), st.integers(0, 1_000))
def test_draws_of_the_backtest_itself_are_rarely_outside(count, seed):
    """Nine in ten lie inside each band; all outside at once is a hundred times rarer."""
    generator = np.random.default_rng(seed)
    tested = generator.normal(10, 100, 300)
    found = drift(generator.choice(tested, count).tolist(), tested.tolist(), weeks=count / 3)
    band = next(item for item in found.bands if item.key == "average_trade")
    spread = 100 / np.sqrt(count)
    assert abs(band.middle - tested.mean()) < spread and 2 < (band.high - band.low) / spread < 4.6


def test_a_practice_on_other_bars_reads_other_markets_as_they_close():
    bars = wave_bars(80)
    others = lambda symbol, timeframe: make_dataset(wave_bars(80, seed=9), Market(symbol, tick=0.25), timeframe)  # noqa: E731
    checked = check('enter long when close > (close from "OTHER")\nexit after 3 bars\nsize 1 units\n')
    whole = run(make_plan(checked, make_dataset(bars, MARKET, others=others), {}), Account(100_000.0)).trades.rows
    so_far = SoFar(MARKET, bars.take(slice(0, 50)), others=others)
    found = Following.of(checked, Account(100_000.0), [so_far], {}, 0).markets[0]
    assert found.trades.tobytes() == whole[whole["exit_bar"] < 50].tobytes() and found.trades.size > 3
