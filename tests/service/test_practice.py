"""Practices: followed, paused, killed and gone on with, their trades are a backtest's over the bars that were taken."""

import json
import signal
import sqlite3
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date
from threading import Thread

import numpy as np
import pytest
from sqlalchemy import event, text

from skelb.core.errors import ConflictError, NotFoundError, SettingsError, SkelbError
from skelb.core.feeds import BarSaid, written
from skelb.core.trials import bars_onward
from skelb.service.application import Application
from skelb.service.practice.feeds import Address, GrowingFile, MadeBars, Replay
from skelb.service.practice.stand_in import FAULTS, StandIn, with_faults
from tests.conftest import wave_bars, write_csv
from tests.service.conftest import wait_for
from tests.service.practised import AT_ONCE, SETUP, agrees, ended, followed, state_of, taken, wave


def test_a_replay_ends_with_the_backtests_trades(application):
    practices = application.practices
    number = practices.begin(SETUP, AT_ONCE)
    follower = ended(application, number)
    stored = practices.store.get(number)
    assert (stored.state, stored.message) == ("stopped", "the feed has come to its end")
    assert len(wave(application, number)) == 4000 and agrees(application, number) > 20
    shown = practices.shown(number)
    assert shown.line.trades == follower.following.trade_count and shown.drift.tested > 100
    assert shown.event_count == len(practices.events(number, None, 100_000)) and len(shown.events) == 40
    assert [item.id for item in shown.events] == sorted((item.id for item in shown.events), reverse=True)
    in_view = [item for item in shown.events if item.bar is not None]
    assert in_view and all(shown.picture.time[item.bar] <= item.time for item in in_view)
    alerts = [item for item in practices.events(number, None, 100_000) if item.kind == "alert"]
    assert alerts and all(item.text.startswith("up at ") for item in alerts)


def test_made_bars_go_on_where_the_stored_ones_end_over_a_pause_and_another_pace(application):
    practices = application.practices
    stored = application.datasets.get("WAVE", wave_bars(1).timeframe)
    number = practices.begin(SETUP, MadeBars(pace=36_000_000 / 900))
    wait_for(lambda: len(practices.store.bars(number)) > 3)
    practices.pause(number)
    practices.put_pace(number, 0)
    assert practices.store.get(number).feed == MadeBars(pace=0)
    practices.go_on(number)
    ended(application, number)
    bars = wave(application, number)
    onward = bars_onward(stored)
    assert (bars.time == np.concatenate((stored.bars.time, onward.time))).all()
    assert (bars.close[-len(onward) :] == onward.close).all() and agrees(application, number) > 100
    application.library.save_market("FEW", "A few", {"tick": 0.25}, [wave_bars(400)])
    with pytest.raises(SettingsError, match="20 trading days"):
        practices.begin(SETUP.model_copy(update={"market": "FEW"}), MadeBars(pace=0))


def test_a_day_to_begin_with_is_kept_to(application):
    day = date(2024, 2, 1)
    number = application.practices.begin(SETUP, AT_ONCE, since=day)
    ended(application, number)
    stored = application.practices.store.get(number)
    assert str(np.datetime64(stored.since, "s"))[:10] == "2024-02-01" and agrees(application, number) > 20
    with pytest.raises(SettingsError, match="nothing to replay"):
        application.practices.begin(SETUP, AT_ONCE, since=date(2030, 1, 1))
    with pytest.raises(SettingsError, match="at least 50 are needed"):
        application.practices.begin(SETUP, AT_ONCE, since=date(2024, 1, 1))


KILLED = """
import sys
from pathlib import Path
from skelb.service.application import Application
application = Application(Path(sys.argv[1]))
application.practices.start_all()
print("begun", flush=True)
while True:
    import time
    time.sleep(1)
"""


def test_killed_at_any_moment_nothing_is_lost_and_nothing_happens_twice(application, tmp_path):
    number = application.practices.begin(SETUP, Replay(pace=100_000))
    application.close()
    for turn in range(4):
        child = subprocess.Popen([sys.executable, "-c", KILLED, str(tmp_path)], stdout=subprocess.PIPE)
        assert child.stdout.readline() == b"begun\n"
        time.sleep(0.4 + 0.17 * turn)
        child.send_signal(signal.SIGKILL)
        child.wait()
    again = Application(tmp_path)
    try:
        assert len(again.practices.store.bars(number)) > 10
        again.practices.put_pace(number, 0)
        again.practices.start_all()
        ended(again, number)
        assert len(wave(again, number)) == 4000 and agrees(again, number) > 20
    finally:
        again.close()


def test_a_full_disk_stops_it_and_going_on_loses_nothing(application):
    practices, engine = application.practices, application.database.engine
    number = practices.begin(SETUP, Replay(pace=200_000))
    wait_for(lambda: len(practices.store.bars(number)) > 20)
    full = []

    def refuse(conn, cursor, statement, parameters, context, executemany):
        if full and ("INTO practice" in statement or "UPDATE practice" in statement):
            raise sqlite3.OperationalError("database or disk is full")

    event.listen(engine, "before_cursor_execute", refuse)
    full.append(True)
    wait_for(lambda: not followed(application, number).is_at_work)
    event.remove(engine, "before_cursor_execute", refuse)
    # Not even that could be stored: who looks is told, and a start goes on.
    [line], shown = practices.lines(), practices.shown(number).line
    assert line.state == shown.state == "failed" and "disk is full" in line.message
    assert state_of(application, number) == "running"
    practices.put_pace(number, 0)
    practices.go_on(number)
    ended(application, number)
    assert len(wave(application, number)) == 4000 and agrees(application, number) > 20


# --- several markets on one account ------------------------------------------------------------------------------------


BASKET = SETUP.model_copy(update={"basket": ("WAVE", "SHORT", "DRIFT")})


@pytest.fixture
def markets(application):
    """Three markets: one has its session in the morning, one has holes in its bars."""
    hours = {"tick": 0.25, "session": "08:00-12:00", "zone": "UTC"}
    application.library.save_market("SHORT", "Mornings", hours, [wave_bars(4000, seed=5)])
    holes = np.random.default_rng(3).random(4000) > 0.05
    application.library.save_market("DRIFT", "With holes", {"tick": 0.25}, [wave_bars(4000, seed=6).take(holes)])
    return application


def test_a_replay_of_a_basket_ends_with_the_backtests_trades(markets):
    practices = markets.practices
    number = practices.begin(BASKET, AT_ONCE)
    ended(markets, number)
    stored = practices.store.get(number)
    assert (stored.state, stored.message) == ("stopped", "the feed has come to its end")
    assert stored.setup.basket == ("DRIFT", "SHORT", "WAVE")
    bars = taken(markets, number)
    for dataset in stored.setup.prepared(markets.library, markets.datasets).datasets:
        assert bars[dataset.market.symbol].close.tobytes() == dataset.bars.close.tobytes()
    assert agrees(markets, number) > 40
    shown, short = practices.shown(number), practices.shown(number, "SHORT")
    assert (shown.market, short.market) == ("DRIFT", "SHORT") and shown.line.markets == ["DRIFT", "SHORT", "WAVE"]
    assert sum(one.trades for one in shown.markets) == shown.line.trades == shown.drift.trades
    assert sum(one.net for one in shown.markets) == pytest.approx(shown.line.net)
    assert shown.line.position is None and not any(one.is_awaited for one in shown.markets)
    assert shown.line.open_in == sum(one.position != 0 for one in shown.markets)
    for place in ("DRIFT", "SHORT", "WAVE"):  # the table and the position of the market in view say the same
        seen = practices.shown(number, place)
        row = next(one for one in seen.markets if one.market == place)
        assert row.floating == (seen.held.floating if seen.held else 0.0)
    of_others = [item for item in short.events if item.market not in ("", "SHORT")]
    assert of_others and all(item.bar is None for item in of_others)
    with pytest.raises(NotFoundError, match="LAMP is not practised here: DRIFT, SHORT, WAVE"):
        practices.shown(number, "LAMP")
    assert markets.runs.run(shown.run).setup.basket == stored.setup.basket


@pytest.mark.parametrize(("setup", "least"), [(SETUP, 20), (BASKET, 40)], ids=["one market", "a basket"])
def test_paused_gone_on_with_and_closed_it_takes_every_bar_once(markets, tmp_path, setup, least):
    practices = markets.practices
    number = practices.begin(setup, Replay(pace=200_000))  # a bar in some milliseconds
    for _ in range(4):
        there = len(practices.store.bars(number))
        wait_for(lambda there=there: len(practices.store.bars(number)) > there)
        practices.pause(number)
        assert state_of(markets, number) == "paused" and agrees(markets, number) >= 0
        practices.go_on(number)
    markets.close()
    again = Application(tmp_path)
    try:
        assert state_of(again, number) == "running"
        again.practices.put_pace(number, 0)
        again.practices.start_all()
        ended(again, number)
        assert len(wave(again, number)) == 4000 and agrees(again, number) > least
    finally:
        again.close()


def test_what_several_pages_want_of_it_at_once_is_done_one_after_the_other(application):
    practices = application.practices
    number = practices.begin(SETUP, Replay(pace=200_000))
    wanted = [
        lambda: practices.pause(number),
        lambda: practices.go_on(number),
        lambda: practices.put_pace(number, 200_000),
        lambda: practices.shown(number),
        lambda: practices.lines(),
    ]

    def press(turn):
        for step in range(30):
            wanted[(turn + step * 7) % len(wanted)]()

    with ThreadPoolExecutor(6) as pool:
        for pressed in [pool.submit(press, turn) for turn in range(6)]:
            pressed.result()
    practices.put_pace(number, 0)
    practices.go_on(number)
    ended(application, number)
    assert len(wave(application, number)) == 4000 and agrees(application, number) > 20


def test_no_more_than_sixteen_are_at_work_also_by_going_on(application):
    practices = application.practices
    numbers = [practices.begin(SETUP, Replay(pace=1)) for _ in range(16)]
    with pytest.raises(ConflictError, match="16 practices are at work already: stop or pause one first"):
        practices.begin(SETUP, Replay(pace=1))
    practices.pause(numbers[0])
    other = practices.begin(SETUP, Replay(pace=1))
    with pytest.raises(ConflictError, match="16 practices are at work already"):
        practices.go_on(numbers[0])
    assert state_of(application, numbers[0]) == "paused"
    practices.go_on(other)  # that is at work already


def test_one_that_cannot_be_read_any_more_stays_as_it_is_when_it_is_to_go_on(application):
    practices = application.practices
    number = practices.begin(SETUP, Replay(pace=1))
    practices.pause(number)
    application.keeping.remove("market", "WAVE")
    practices._forget(number)
    with pytest.raises(SkelbError, match="WAVE"):
        practices.go_on(number)
    assert state_of(application, number) == "paused"


def test_made_bars_of_a_basket_are_of_each_market_its_own(markets):
    number = markets.practices.begin(BASKET, MadeBars(pace=0, seed=4))
    ended(markets, number)
    bars = taken(markets, number)
    datasets = markets.practices.store.get(number).setup.prepared(markets.library, markets.datasets).datasets
    for place, dataset in enumerate(datasets):
        onward = bars_onward(dataset, 4 + place)
        assert bars[dataset.market.symbol].close[-len(onward) :].tobytes() == onward.close.tobytes()
    assert agrees(markets, number) > 100


def test_a_file_of_a_basket_is_let_through_moment_by_moment_also_after_a_restart(markets, tmp_path):
    """What waits for another market is kept; a market that says nothing holds the others until the clock has passed."""
    path = tmp_path / "grows.csv"
    path.write_text("market,time,open,high,low,close,volume\n")
    setup = SETUP.model_copy(update={"basket": ("WAVE", "SHORT")})
    number = markets.practices.begin(setup, GrowingFile(path=str(path)))
    markets.close()
    bars = wave_bars(4100)
    begin = 4000 + int(np.argmax(bars.time[4000:] % 86_400 == 8 * 3600))  # both sessions are open

    def row(symbol, at):
        told = [float(getattr(bars, name)[at]) for name in ("open", "high", "low", "close", "volume")]
        return f"{symbol},{int(bars.time[at])},{','.join(map(str, told))}\n"

    def says(*lines):
        """The program takes lines, and ends; what is stored then: bars, and how many of them were decided on."""
        application = Application(tmp_path)
        try:
            application.practices.start_all()
            with path.open("a") as file:
                file.writelines(lines)
            wait_for(lambda: followed(application, number).is_at_work)
            time.sleep(1.2)
            application.practices.pause(number)
            application.practices.store.put(number, "running")
            assert agrees(application, number) >= 0
            store, awaited = application.practices.store, followed(application, number).awaited
            kept = store.bars(number)
            return len(kept), sum(bar.time <= store.get(number).through for bar in kept), awaited
        finally:
            application.close()

    assert says(row("WAVE", begin), row("OTHER", begin), row("WAVE", begin + 1)) == (2, 0, ["SHORT"])
    assert says(row("SHORT", begin)) == (3, 2, ["SHORT"])
    assert says(row("SHORT", begin + 2)) == (4, 3, ["WAVE"])
    assert says(json.dumps({"say": "clock", "time": int(bars.time[begin + 2]) + 900}) + "\n") == (4, 4, [])
    assert says(row("WAVE", begin + 2)) == (4, 4, [])  # it is late
    assert says(*(row("WAVE", begin + at) for at in range(3, 40))) == (41, 4, ["SHORT"])
    # Once its session is over nobody waits for the morning's market.
    assert says(row("SHORT", begin + 15)) == (42, 42, [])


def test_several_markets_of_a_file_need_a_head_that_says_which(markets, tmp_path):
    path = tmp_path / "grows.csv"
    path.write_text("time,open,high,low,close,volume\n2024-05-01T10:00:00Z,1,2,1,2,5\n")
    number = markets.practices.begin(BASKET, GrowingFile(path=str(path)))
    wait_for(lambda: followed(markets, number).troubles.refused == 2)  # the head, and what stands under it
    assert followed(markets, number).troubles.last.startswith("a row has no market: `2024-05-01T10:00:00Z,")
    markets.practices.stop(number)


@pytest.mark.parametrize(("row", "said"), [
    ("2024-05-01T10:00:00Z,1,2", "a row has no low: `2024-05-01T10:00:00Z,1,2`"),
    ("2024-05-01T10:00:00Z,1,2,much,2,5", "a row cannot be read, `much` is no number: `2024-05-01T10:00:00Z,1,2,much,2,5`"),
    ("2024-15-01,1,2,1,2,5", "a row cannot be read, `2024-15-01` is no time such as 2024-03-27T10:00:00Z"),
    ("2024-05-01T10:00:00Z,1,nan,1,2,5", "of a bar is a number"),
    ("2024-05-01T10:00:00Z,1,2,3,2,5", "its low its lowest price"),
])  # fmt: skip
def test_a_row_that_cannot_be_read_says_why(application, tmp_path, row, said):
    path = tmp_path / "grows.csv"
    path.write_text(f"{row}\n")
    number = application.practices.begin(SETUP, GrowingFile(path=str(path)))
    wait_for(lambda: followed(application, number).troubles.refused)
    assert said in followed(application, number).troubles.last
    application.practices.stop(number)


def test_a_basket_is_of_those_markets_that_are_not_too_dear_and_have_bars_enough(markets):
    begin = markets.practices.begin
    markets.library.save_market("DEAR", "Wide", {"tick": 0.25, "spread": 50.0}, [wave_bars(4000)])
    markets.library.save_market(
        "YOUNG", "Young", {"tick": 0.25}, [wave_bars(800, start=int(wave_bars(4000).time[3190]))]
    )
    cheap = SETUP.model_copy(update={"basket": ("WAVE", "DEAR"), "dearest": 20.0})
    number = begin(cheap, AT_ONCE)
    assert markets.practices.store.get(number).setup.basket == ("WAVE",)
    ended(markets, number)
    with pytest.raises(SettingsError, match="bars of YOUNG lie before that day, at least 50 are needed"):
        begin(SETUP.model_copy(update={"basket": ("WAVE", "YOUNG")}), AT_ONCE)


# --- feeds -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "faults", [*({fault} for fault in FAULTS), set(FAULTS)], ids=lambda item: "+".join(sorted(item))
)
def test_whatever_the_feed_does_the_trades_are_those_of_the_bars_that_were_taken(application, faults):
    dataset = application.datasets.get("WAVE", wave_bars(1).timeframe)
    since = int(dataset.bars.time[3600])
    short = dataset.bars.take(dataset.bars.time < since)
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [short])
    stand_in = StandIn([dataset], since - 1, 40_000 if "reconnect" in faults else 0, frozenset(faults))
    server = stand_in.listen(0)
    Thread(target=server.serve_forever, daemon=True).start()
    port = server.socket.getsockname()[1]
    number = application.practices.begin(SETUP, Address(url=f"ws://127.0.0.1:{port}"))
    wait_for(lambda: followed(application, number).is_at_work)
    time.sleep(0.3)
    player = Thread(target=stand_in.play, daemon=True)
    player.start()
    wait_for(
        lambda: (
            len(application.practices.store.bars(number))
            > (380 if faults.isdisjoint({"missing", "late", "order"}) else 150)
        )
    )
    wait_for(lambda: not player.is_alive())
    time.sleep(0.8)
    application.practices.pause(number)
    stand_in.until.set()
    server.shutdown()
    troubles = followed(application, number).troubles
    assert agrees(application, number) > 3
    bars = wave(application, number)
    assert (np.diff(bars.time) > 0).all()
    told = {"doubled": troubles.doubled, "corrected": troubles.corrected, "late": troubles.late, "order": troubles.late}
    for fault in faults & told.keys() - {"late", "order"}:
        assert told[fault] > 0
    its = dataset.bars
    wanted = its.close[np.searchsorted(its.time, bars.time)]
    assert (bars.close == wanted).all()  # no correction rewrote what was taken


def test_faults_are_the_same_for_the_same_seed_and_none_changes_nothing():
    bars = wave_bars(60)
    words = [
        BarSaid("W", bars.timeframe, int(bars.time[at]), *(float(bars.open[at]),) * 4, 1.0, True) for at in range(60)
    ]
    assert list(with_faults(words, frozenset())) == words
    all_ = frozenset(FAULTS)
    assert list(with_faults(words, all_)) == list(with_faults(words, all_)) != words
    assert (
        len(list(with_faults(words, frozenset({"missing"}))))
        < 60
        < len(list(with_faults(words, frozenset({"doubled"}))))
    )
    late = list(with_faults(words, frozenset({"late"})))
    assert sorted(late, key=lambda word: word.time) == words != late


def test_a_file_that_grows_is_followed_line_by_line(application, tmp_path):
    bars = wave_bars(4100)
    path = tmp_path / "grows.csv"
    path.write_text("")
    number = application.practices.begin(SETUP, GrowingFile(path=str(path)))
    whole = write_csv(tmp_path / "whole.csv", bars.take(slice(4000, None))).read_text()
    half = len(whole) // 2 + 7  # within a row: it is not read before it is whole
    path.write_text(whole[:half])
    wait_for(lambda: len(application.practices.store.bars(number)) > 30)
    rows = whole[:half].count("\n") - 1
    time.sleep(0.5)
    assert len(application.practices.store.bars(number)) == rows
    with path.open("a") as file:
        file.write(whole[half:])
        file.write("2024-01-01T00:00:00Z,1,2,0,nonsense,5\n")
        closed = BarSaid("WAVE", bars.timeframe, int(bars.time[-1]) + 900, 5.0, 6.0, 4.0, 5.5, 1.0, True)
        file.write(written(closed) + "\n" + json.dumps({"say": "bar"}) + "\n")
    wait_for(lambda: len(application.practices.store.bars(number)) == 101)
    time.sleep(0.4)
    application.practices.pause(number)
    troubles = followed(application, number).troubles
    assert troubles.refused == 2 and agrees(application, number) >= 0
    assert wave(application, number).close[-1] == 5.5


@pytest.mark.parametrize(
    ("feed", "why"),
    [
        (GrowingFile(path="/no/such/file.csv"), "there is no file"),
        (Address(url="http://127.0.0.1:1"), "begins with ws://"),
        (Address(url="ws://"), "begins with ws://"),
    ],
)
def test_a_feed_that_cannot_be_is_refused(application, feed, why):
    with pytest.raises(SettingsError, match=why):
        application.practices.begin(SETUP, feed)
    assert application.practices.lines() == []


def test_an_address_where_nobody_is_says_so_and_is_sought_again(application):
    number = application.practices.begin(SETUP, Address(url="ws://127.0.0.1:9"))
    wait_for(lambda: "is not there" in followed(application, number).troubles.last)
    assert followed(application, number).troubles.refused == 0 and state_of(application, number) == "running"
    application.practices.stop(number)
    assert state_of(application, number) == "stopped"


def test_what_cannot_be_practised_is_refused(application):
    begin = application.practices.begin
    for text_, why in (
        ("plot = close\ndraw plot", "enters nothing"),
        ("enter long when (", "line 1, column 18: a value is missing"),
        ("enter long when ref > 1\nsize 1 units", "line 1, column 17: .*`ref`"),
    ):
        with pytest.raises(SkelbError, match=why):
            begin(SETUP.model_copy(update={"text": text_}), AT_ONCE)
    with pytest.raises(NotFoundError):
        application.practices.shown(7)
    assert application.practices.lines() == []


def test_a_practice_that_cannot_be_read_hides_no_other(application):
    practices = application.practices
    first, second = practices.begin(SETUP, AT_ONCE), practices.begin(SETUP, AT_ONCE)
    ended(application, first), ended(application, second)
    with application.database.session() as session:
        session.execute(text("UPDATE practice SET setup = '{\"text\": 3}' WHERE id = :id"), {"id": first})
    practices._forget(first)
    assert [line.number for line in practices.lines()] == [second]
    assert any("practice of Follower" in said for said in application.left_out())


def test_a_strategy_that_is_no_longer_the_one_that_was_tested_says_so_once(application, tmp_path):
    """A market that rose while the strategy was tested, and falls in practice."""
    bars = wave_bars(2000)
    slope = np.where(np.arange(2000) < 1500, 0.8, -1.6)
    rise = np.round(np.cumsum(slope) / 0.25) * 0.25 + 3000
    moved = {name: getattr(bars, name) + rise for name in ("open", "high", "low", "close")}
    application.library.save_market("TURN", "It turns", {"tick": 0.25}, [replace(bars, **moved)])
    held = 'title "Held"\nenter long when close > open\nexit after 2 bars\nsize 1 units\n'
    setup = SETUP.model_copy(update={"text": held, "market": "TURN"})
    day = np.datetime64(int(bars.time[1500]), "s").astype("datetime64[D]").astype(date)
    number = application.practices.begin(setup, AT_ONCE, since=day)
    ended(application, number)
    told = [item for item in application.practices.store.events(number, limit=10_000) if item.kind == "drift"]
    assert {item.text for item in told} >= {"win rate left its band", "average trade left its band"}
    assert "It is not the strategy that was tested." in application.practices.shown(number).drift.verdict
    application.close()
    again = Application(tmp_path)
    try:
        again.practices.go_on(number)
        ended(again, number)
        assert [item for item in again.practices.store.events(number, limit=10_000) if item.kind == "drift"] == told
    finally:
        again.close()


def test_a_feed_that_is_lost_is_lost_once(application):
    """However often it is sought in vain, one event says so, and one that it is back."""
    dataset = application.datasets.get("WAVE", wave_bars(1).timeframe)
    first = StandIn([dataset], int(dataset.bars.time[-20]), 0, frozenset())
    server = first.listen(0)
    port = server.socket.getsockname()[1]
    Thread(target=server.serve_forever, daemon=True).start()
    number = application.practices.begin(SETUP, Address(url=f"ws://127.0.0.1:{port}"))
    wait_for(lambda: followed(application, number).is_at_work)
    time.sleep(0.5)
    first.until.set()
    server.shutdown()
    wait_for(lambda: "is not there" in followed(application, number).troubles.last)
    time.sleep(2.0)
    again = StandIn([dataset], int(dataset.bars.time[-20]), 0, frozenset())
    second = again.listen(port)
    Thread(target=second.serve_forever, daemon=True).start()
    events = application.practices.store
    wait_for(lambda: any("is back" in item.text for item in events.events(number)))
    assert sum("was lost" in item.text for item in events.events(number)) == 1
    assert followed(application, number).troubles.lost == 1
    application.practices.stop(number)
    again.until.set()
    second.shutdown()
