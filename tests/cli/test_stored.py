"""What is kept on the command line: accounts by name or as a file, costs taken otherwise, files of bars brought in."""

import gzip
import json
import os
import sqlite3
import subprocess
import sys
import zipfile
from dataclasses import replace

import pyarrow.csv
import pyarrow.parquet
import pytest
from websockets.sync.client import connect

from skelb.core.feeds import read_word
from skelb.service.application import Application
from skelb.service.practice.feeds import Replay
from skelb.service.setup import Setup
from tests.cli import conftest
from tests.conftest import wave_bars, write_csv
from tests.service.conftest import wait_for


def skelb(folder, *arguments, expect=0):
    """What a command prints: its errors where it is to fail."""
    done = conftest.skelb(folder, *arguments, expect=expect)
    return done.stderr if expect else done.stdout


def document(folder, *arguments):
    return json.loads(skelb(folder, *arguments, "--json"))


RUN = ["backtest", "sway.skelb", "--bars", "wave.csv", "--market", "market.json"]


def test_an_account_is_kept_shown_used_by_name_and_deleted(folder):
    assert "own" not in skelb(folder, "account", "list")
    skelb(folder, "account", "save", "own", "account.json")
    assert json.loads(skelb(folder, "account", "show", "own"))["capital"] == 50_000
    assert [row["name"] for row in json.loads(skelb(folder, "account", "list", "--json"))] == ["own"]
    by_file = document(folder, *RUN, "--account", "account.json")
    assert document(folder, *RUN, "--account", "own") == by_file
    assert document(folder, *RUN)["figures"] != by_file["figures"]
    assert skelb(folder, "account", "delete", "own").strip() == "own is deleted"
    refused = skelb(folder, *RUN, "--account", "own", expect=2)
    assert "no account `own`" in refused


def test_what_cannot_be_is_refused_and_nothing_is_stored(folder):
    (folder / "wrong.json").write_text('{"capital": -1}')
    (folder / "odd.json").write_text('{"leverge": 2}')
    for name, file, said in (
        ("own", "wrong.json", "capital"),
        ("own", "odd.json", "leverge"),
        ("own", "none.json", "cannot be read"),
        (" ", "account.json", "1 to 80"),
    ):
        assert said in skelb(folder, "account", "save", name, file, expect=2)
    assert json.loads(skelb(folder, "account", "list", "--json")) == []
    assert "no account" in skelb(folder, "account", "show", "own", expect=2)
    assert "no account" in skelb(folder, "account", "delete", "own", expect=2)


def test_costs_are_those_of_stress(folder):
    given = ["--bars", "wave.csv", "--market", "market.json", "--account", "account.json"]
    rows = {row["name"]: row["figures"] for row in document(folder, "stress", "sway.skelb", *given)["rows"]}
    for times, name in ((0, "without costs"), (1, "as it is"), (2, "costs × 2")):
        figures = document(folder, "backtest", "sway.skelb", *given, "--costs", str(times))["figures"]["all"]
        assert {key: figures[key] for key in rows[name]} == rows[name]
    free = document(folder, "backtest", "sway.skelb", *given, "--costs", "0")
    assert all(trade[cost] == 0 for trade in free["trades"] for cost in ("commission", "spread_cost", "slippage_cost"))


@pytest.mark.parametrize("times", ["-1", "101", "many"])
def test_costs_have_bounds(folder, times):
    assert "--costs" in skelb(folder, *RUN, "--costs", times, expect=2)


def test_files_come_in_packed_with_columns_named(folder):
    rows = (folder / "wave.csv").read_text().splitlines()
    named = "When," + rows[0].split(",", 1)[1]
    (folder / "packed.csv.gz").write_bytes(gzip.compress("\n".join([named, *rows[1:]]).encode()))
    assert "no column for time" in skelb(folder, "import", "packed.csv.gz", "--symbol", "PACKED", expect=2)
    found = document(folder, "import", "packed.csv.gz", "--symbol", "PACKED", "--columns", "time=When")
    assert found["rows"] == len(rows) - 1 and found["refused_count"] == 0
    assert "ROLE=COLUMN" in skelb(
        folder, "import", "packed.csv.gz", "--symbol", "PACKED", "--columns", "When", expect=2
    )
    assert "without spaces" in skelb(folder, "import", "wave.csv", "--symbol", "A,B", expect=2)


def test_a_market_is_described_by_its_bars_when_asked_and_stays_described(folder):
    plain = document(folder, "import", "wave.csv", "--symbol", "PLAIN")
    tick = next(guess for guess in plain["guesses"] if guess["key"] == "tick")
    assert (tick["value"], tick["reason"]) == (0.25, "prices end in .00 .25 .50 .75")
    told = skelb(folder, "import", "wave.csv", "--symbol", "GUESSED", "--guess")
    assert "tick 0.25: prices end in .00 .25 .50 .75\n" in told
    (folder / "own.json").write_text('{"tick": 0.5, "spread": 1.5}')
    skelb(folder, "import", "wave.csv", "--symbol", "OWN", "--guess", "--market", "own.json")
    skelb(folder, "import", "wave.csv", "--symbol", "OWN")
    with sqlite3.connect(folder / "home" / "skelb.sqlite3") as store:
        stored = {symbol: json.loads(text) for symbol, text in store.execute("select symbol, settings from market")}
    assert "tick" not in stored["PLAIN"]
    assert stored["GUESSED"]["tick"] == 0.25
    assert (stored["OWN"]["tick"], stored["OWN"]["spread"]) == (0.5, 1.5)


def test_a_market_is_told_its_bars_left_out_brought_back_and_taken_along(folder):
    bars = wave_bars(600)
    bars.high[300] = bars.high.max() + 300
    write_csv(folder / "spiked.csv", bars)
    skelb(folder, "import", "spiked.csv", "--symbol", "SPIKED", "--market", "market.json")
    run = ["backtest", "sway.skelb", "--stored", "SPIKED"]
    before = document(folder, *run)
    assert json.loads(skelb(folder, "market", "show", "SPIKED")) == {"symbol": "SPIKED", "tick": 0.25, "spread": 0.5}
    spike = next(row for row in document(folder, "market", "odd", "SPIKED")["oddities"] if row["kind"] == "spike")
    assert (spike["count"], spike["places"][0]["begins"]) == (1, int(bars.time[300]))
    assert "599 bars of 15m" in skelb(folder, "market", "leave-out", "SPIKED", "--kind", "spike")
    [row] = [row for row in document(folder, "market", "list") if row["symbol"] == "SPIKED"]
    assert (row["bars"][0]["rows"], row["bars"][0]["left_out"], row["bars"][0]["version"]) == (599, 1, 2)
    without = document(folder, *run)
    assert "1 stored bar was left out by hand." in [item["message"] for item in without["findings"]]

    # The same as a run on a file that lacks the bar.
    assert "599 bars of 15m written" in skelb(folder, "market", "export", "SPIKED", "less.csv")
    (folder / "spiked.json").write_text(skelb(folder, "market", "show", "SPIKED"))
    by_file = document(folder, "backtest", "sway.skelb", "--bars", "less.csv", "--market", "spiked.json")
    assert (by_file["trades"], by_file["figures"]) == (without["trades"], without["figures"])
    assert "600 bars" in skelb(folder, "market", "bring-back", "SPIKED")
    assert document(folder, *run) == before

    at = ["--from", "2024-01-03T10:00", "--to", "2024-01-03T11:00"]
    assert "5 left out" in skelb(folder, "market", "leave-out", "SPIKED", *at)
    for said, arguments in (
        ("--kind is one of", ["leave-out", "SPIKED", "--kind", "gap"]),
        ("--from is a time", ["leave-out", "SPIKED", "--from", "noon"]),
        ("say which bars", ["leave-out", "SPIKED"]),
        ("no market `NOWHERE`", ["odd", "NOWHERE"]),
        ("neither .csv nor .parquet", ["export", "SPIKED", "bars.txt"]),
        ("cannot be written", ["export", "SPIKED", "nowhere/bars.csv"]),
    ):
        assert said in skelb(folder, "market", *arguments, expect=2)
    assert "5 left out" in skelb(folder, "market", "list")
    skelb(folder, "market", "export", "SPIKED", "hours.parquet", "--timeframe", "1h")
    hours = document(folder, "backtest", "sway.skelb", "--bars", "hours.parquet", "--market", "spiked.json")
    assert hours["figures"] == document(folder, *run, "--timeframe", "1h")["figures"]
    assert "SPIKED is deleted" in skelb(folder, "market", "delete", "SPIKED")
    assert "no market" in skelb(folder, *run, expect=2)


def test_a_basket_is_one_name_for_its_markets(folder):
    write_csv(folder / "second.csv", wave_bars(600, seed=9))
    (folder / "dear.json").write_text('{"tick": 0.25, "spread": 40}')
    for symbol, file, described in (("ONE", "wave", "market"), ("TWO", "second", "market"), ("DEAR", "wave", "dear")):
        (folder / "described.json").write_text((folder / f"{described}.json").read_text().replace("WAVE", symbol))
        skelb(folder, "import", f"{file}.csv", "--symbol", symbol, "--market", "described.json")
    assert skelb(folder, "basket", "save", "All three", "ONE", "TWO", "DEAR").strip() == "All three: ONE, TWO, DEAR"
    assert document(folder, "basket", "list") == [{"name": "All three", "markets": ["ONE", "TWO", "DEAR"]}]
    named = ["--basket", "All three"]
    given = ["--stored", "ONE", "--stored", "TWO", "--stored", "DEAR"]
    run = ["backtest", "sway.skelb"]
    assert document(folder, *run, *named) == document(folder, *run, *given, "--basket")
    assert document(folder, "backtest", "--basket", "sway.skelb", *given) == document(folder, *run, *named)
    cheap = document(folder, *run, *named, "--dearest", "20")
    assert set(cheap["markets"]) == {"ONE", "TWO"}
    assert any(item["code"] == "markets_too_dear" and "DEAR" in item["message"] for item in cheap["findings"])

    vary = ["--vary", "market", "--min-trades", "0"]
    swept = document(folder, "sweep", "sway.skelb", *named, *vary)["runs"]
    assert [item["inputs"]["market"] for item in swept] == ["ONE", "TWO", "DEAR"]
    some = document(folder, "sweep", "sway.skelb", *named, "--vary", "market=ONE,TWO", *vary[2:])["runs"]
    assert [item["inputs"]["market"] for item in some] == ["ONE", "TWO"] and some == swept[:2]
    rows = document(folder, "stress", "sway.skelb", *named)["rows"]
    whole = document(folder, *run, *named)["figures"]["all"]
    assert rows[0]["figures"] == {key: whole[key] for key in rows[0]["figures"]}
    drawn = document(folder, "resample", "sway.skelb", *named)
    assert drawn["measures"]["net"]["real"] == pytest.approx(whole["net_profit"])
    rules = ["--target", "5", "--daily-loss", "5", "--total-loss", "10"]
    assert document(folder, "challenge", "sway.skelb", *named, *rules)["starts"] == len(
        document(folder, "challenge", "sway.skelb", "--stored", "ONE", *rules)["ends"]
    )
    up = ["--condition", "close > prior(close)", "--parts", "1", "--min-trades", "0"]
    found = document(folder, "search", "sway.skelb", *named, *up)
    assert {item["inputs"]["market"] for item in found["runs"]} == {"ONE", "TWO", "DEAR"}

    for said, arguments in (
        ("no basket `Nothing`", [*run, "--basket", "Nothing"]),
        ("not both", [*run, *named, "--bars", "wave.csv"]),
        ("give --basket too", [*run, "--stored", "ONE", "--dearest", "20"]),
        ("none is left", [*run, *named, "--dearest", "0"]),
        ("no market `NOWHERE`", ["basket", "save", "More", "ONE", "NOWHERE"]),
    ):
        assert said in skelb(folder, *arguments, expect=2)
    assert "All three is deleted" in skelb(folder, "basket", "delete", "All three")
    assert "no basket" in skelb(folder, *run, *named, expect=2)


def test_a_folder_of_files_is_looked_at_and_stored_by_their_names(folder):
    many = folder / "many"
    many.mkdir()
    bars = wave_bars(900)
    write_csv(many / "Gull_15m_2023.csv", bars.take(slice(0, 400)))
    write_csv(many / "Gull_15m_2024.csv", bars.take(slice(380, 900)))
    write_csv(many / "gull_1h.csv", wave_bars(200, minutes=60))
    write_csv(many / "Tern.csv", wave_bars(100))
    (many / "notes.txt").write_text("time,open\n")
    looked = conftest.skelb(folder, "import", "many", "--look", expect=1).stdout
    assert "Gull_15m_2023.csv: 400 bars of 15m for GULL" in looked and "notes.txt has no column for" in looked
    assert not any(row["symbol"] == "GULL" for row in document(folder, "market", "list"))
    (many / "notes.txt").unlink()
    found = document(folder, "import", "many", "--guess")
    assert [(item["symbol"], item["rows"]) for item in found] == [
        ("GULL", 400), ("GULL", 520), ("TERN", 100), ("GULL", 200),
    ]  # fmt: skip
    stored = {row["symbol"]: row["bars"] for row in document(folder, "market", "list")}
    assert [(part["timeframe"], part["rows"]) for part in stored["GULL"]] == [("15m", 900), ("1h", 200)]
    assert json.loads(skelb(folder, "market", "show", "GULL"))["tick"] == 0.25  # as its shortest bars tell

    # Bars that are there are compared by how they come.
    high = bars.high.copy()
    high[5] += 50
    write_csv(folder / "gull.csv", replace(bars, high=high))
    for how, rows in (("add", 900), ("correct", 900), ("instead", 900)):
        skelb(folder, "import", "gull.csv", "--symbol", "GULL", "--how", how)
        [part, _] = next(row["bars"] for row in document(folder, "market", "list") if row["symbol"] == "GULL")
        assert part["rows"] == rows
    (folder / "empty").mkdir()
    write_csv(folder / "15m.csv", bars)
    for said, arguments in (
        ("--how is one of", ["gull.csv", "--how", "somehow"]),
        ("holds no file of bars", ["empty"]),
        ("names no market", ["15m.csv"]),
    ):
        assert said in skelb(folder, "import", *arguments, expect=2)


def test_a_report_is_a_document_and_a_page(folder):
    given = ["--bars", "wave.csv", "--market", "market.json", "--account", "account.json"]
    found = document(folder, "report", "sway.skelb", *given, "--html", "page.html")
    run = document(folder, "backtest", "sway.skelb", *given)
    assert found["figures"] == run["figures"] and found["weighed"] is None
    keys = {"net_profit", "return", "max_drawdown", "trades", "year"}
    assert all(keys == year.keys() for year in found["years"])
    assert all({*keys, "month"} == month.keys() for month in found["months"])
    assert sum(month["trades"] for month in found["months"]) == len(run["trades"])
    assert f'"sha256":"{found["made"]["sha256"]}"' in (folder / "page.html").read_text()
    assert "2024" in skelb(folder, "report", "sway.skelb", *given)
    assert "there is no kept run 99" in skelb(folder, "report", "99", expect=2)
    assert "give its number alone" in skelb(folder, "report", "99", "--bars", "wave.csv", expect=2)
    assert "cannot be written" in skelb(folder, "report", "sway.skelb", *given, "--html", "no/page.html", expect=2)


def test_a_pack_is_made_again_on_an_empty_folder(folder, tmp_path):
    given = ["--bars", "wave.csv", "--market", "market.json", "--account", "account.json", "--set", "n=7"]
    assert skelb(folder, "pack", "sway.skelb", *given, "--out", "P.zip").strip() == "packed as P.zip"
    (tmp_path / "P.zip").write_bytes((folder / "P.zip").read_bytes())
    assert "The same to the last cent" in skelb(tmp_path, "verify", "P.zip")
    found = document(tmp_path, "verify", "P.zip")
    assert (
        found["equal"] and found["report"]["figures"] == document(folder, "backtest", "sway.skelb", *given)["figures"]
    )
    assert not (tmp_path / "home").exists(), "nothing is stored"
    with zipfile.ZipFile(tmp_path / "P.zip") as before, zipfile.ZipFile(tmp_path / "Q.zip", "w") as after:
        for name in before.namelist():
            change = before.read(name).replace(b'"slippage_ticks": 1', b'"slippage_ticks": 2')
            after.writestr(name, change)
    assert conftest.skelb(tmp_path, "verify", "Q.zip", expect=1).stdout.startswith("Not the same: trade 1 ")
    (tmp_path / "R.zip").write_bytes((tmp_path / "P.zip").read_bytes()[:500])
    assert "R.zip: it is no pack" in skelb(tmp_path, "verify", "R.zip", expect=2)
    assert "cannot be read" in skelb(tmp_path, "verify", "none.zip", expect=2)
    assert "cannot be written" in skelb(folder, "pack", "sway.skelb", *given, "--out", "no/P.zip", expect=2)


def test_a_kept_run_is_exported(folder):
    skelb(folder, "import", "wave.csv", "--symbol", "WAVE", "--market", "market.json")
    skelb(folder, "account", "save", "own", "account.json")
    here = Application(folder / "home")
    text = (folder / "sway.skelb").read_text()
    number = str(
        here.runs.keep(Setup(text=text, market="WAVE", timeframe="15m", account="own", inputs={"n": 7.0})).number
    )
    here.close()
    skelb(folder, "export", number, "run.json")
    given = ("--stored", "WAVE", "--account", "own", "--set", "n=7")
    run = document(folder, "backtest", "sway.skelb", *given, "--equity")
    assert json.loads((folder / "run.json").read_text()) == run
    printed = skelb(folder, "export", number)
    skelb(folder, "export", number, "trades.csv")
    assert printed == (folder / "trades.csv").read_text() and printed.count("\n") == len(run["trades"]) + 1
    table = pyarrow.csv.read_csv(folder / "trades.csv")
    assert table["net"].to_pylist() == [trade["net"] for trade in run["trades"]]
    skelb(folder, "export", number, "equity.parquet", "--of", "equity")
    equity = pyarrow.parquet.read_table(folder / "equity.parquet")
    assert equity["equity"].to_pylist() == run["equity"]
    assert ";" in skelb(folder, "export", number, "--decimal-commas").splitlines()[0]
    skelb(folder, "export", number, "own.skelb")
    assert (folder / "own.skelb").read_text() == text
    skelb(folder, "export", number, "own.py")
    made = [sys.executable, "-I", folder / "own.py", folder / "wave.csv", "--json"]
    trades = json.loads(subprocess.run(made, capture_output=True, check=True).stdout)["trades"]
    assert [trade["entry_time"] for trade in trades] == [trade["entry_time"] for trade in run["trades"]]
    assert "there is no kept run 99" in skelb(folder, "export", "99", expect=2)
    assert "are for tables" in skelb(folder, "export", number, "own.py", "--of", "equity", expect=2)
    assert "ends in none of .csv" in skelb(folder, "export", number, "own.html", expect=2)
    assert "cannot be written" in skelb(folder, "export", number, "no/own.csv", expect=2)


def test_a_stand_in_feed_is_served_and_written_to_a_file(tmp_path):
    """Over a WebSocket and to a file: a hello, then bars in order, at once with a pace of 0."""
    stored = tmp_path / "home"
    application = Application(stored)
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(2500)])
    application.library.save_market("OTHER", "Another", {"tick": 0.25}, [wave_bars(2500, seed=3)])
    application.close()
    command = [sys.executable, "-m", "skelb.program", "feed", "--market", "WAVE", "--timeframe", "15m", "--pace", "0"]
    environment = {**os.environ, "SKELB_HOME": str(stored)}
    served = subprocess.Popen([*command, "--port", "0"], env=environment, stdout=subprocess.PIPE, text=True)
    try:
        url = served.stdout.readline().split()[-1]
        with connect(url, open_timeout=20) as socket:
            hello = read_word(socket.recv(timeout=20))
            assert hello.markets[0].market == "WAVE"
            bars = [read_word(socket.recv(timeout=20)) for _ in range(50)]
        assert [bar.time for bar in bars] == sorted(bar.time for bar in bars) and all(bar.is_closed for bar in bars)
    finally:
        served.kill()
        served.wait()
    path = tmp_path / "grows.jsonl"
    written = subprocess.Popen([*command, "--file", str(path), "--faults", "doubled"], env=environment)
    try:
        wait_for(lambda: path.exists() and path.read_text().count("\n") > 60)
    finally:
        written.kill()
        written.wait()
    said = [read_word(line) for line in path.read_text().splitlines()[:60]]
    times = [word.time for word in said if hasattr(word, "time")]
    assert times == sorted(times) and len(set(times)) < len(times)
    grown = tmp_path / "made.jsonl"
    making = subprocess.Popen([*command, "--file", str(grown), "--made", "3"], env=environment)
    try:
        wait_for(lambda: grown.exists() and grown.read_text().count("\n") > 20)
    finally:
        making.kill()
        making.wait()
    first = read_word(grown.read_text().splitlines()[1])
    assert first.time > int(wave_bars(2500).time[-1]) and first.is_closed
    both = tmp_path / "both.jsonl"
    several = subprocess.Popen(
        [*command, "--market", "OTHER", "--file", str(both), "--from", "2024-01-20"], env=environment
    )
    try:
        wait_for(lambda: both.exists() and both.read_text().count("\n") > 20)
    finally:
        several.kill()
        several.wait()
    told = [read_word(line) for line in both.read_text().splitlines()[:10]]
    assert [item.market for item in told[0].markets] == ["WAVE", "OTHER"]
    assert [type(word).__name__ for word in told[1:7]] == ["BarSaid", "BarSaid", "Clock"] * 2  # moment by moment
    for arguments, why in (
        (["--from", "noon"], "--from takes a day"),
        (["--faults", "sleepy"], "a fault is one of late, doubled"),
        (["--market", "NONE"], "NONE"),
    ):
        assert why in skelb(tmp_path, *command[3:], *arguments, expect=2)


def test_what_happened_in_practice_is_printed_and_followed(tmp_path):
    stored = tmp_path / "home"
    application = Application(stored)
    application.library.save_account("Plain", {"capital": 100_000})
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(1000)])
    script = 'title "Told"\nup = close > open\nenter long when up\nexit after 3 bars\nalert up "up at {close}"\nsize 1 units\n'
    setup = Setup(text=script, market="WAVE", timeframe="15m", account="Plain")
    number = application.practices.begin(setup, Replay(pace=0))
    wait_for(lambda: application.practices.store.get(number).state == "stopped")
    environment = {**os.environ, "SKELB_HOME": str(stored)}
    command = [sys.executable, "-m", "skelb.program", "alerts"]
    told = subprocess.run(command, env=environment, capture_output=True, text=True, check=True).stdout.splitlines()
    events = application.practices.store.after(0, limit=100_000)
    assert len(told) == len(events) > 100 and "Told on WAVE  alert: up at " in "\n".join(told)
    listed = json.loads(subprocess.run([*command, "--json"], env=environment, capture_output=True, check=True).stdout)
    assert listed[0]["practice"] == number and listed[0]["key"] == events[0][1].key
    following = subprocess.Popen([*command, "--follow"], env=environment, stdout=subprocess.PIPE, text=True)
    try:
        lines = [following.stdout.readline() for _ in told]
        assert [line.strip() for line in lines] == told
        second = application.practices.begin(setup, Replay(pace=0))
        wait_for(lambda: application.practices.store.get(second).state == "stopped")
        assert "Z  " in following.stdout.readline()
    finally:
        following.kill()
        following.wait()
        application.close()
    for arguments, why in ((["--practice", "99"], "no practice 99"), (["--follow", "--json"], "give one of them")):
        refused = subprocess.run([*command, *arguments], env=environment, capture_output=True, text=True)
        assert refused.returncode == 2 and why in refused.stderr
