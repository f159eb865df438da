"""A strategy written as Python makes the engine's trades, says what it cannot write, and stands by itself."""

import ast
import json
import subprocess
import sys
from functools import cache
from threading import Thread

import numpy as np
import pytest
from websockets.sync.server import serve as websocket_server

from skelb.core.bars import Commission, Market, Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS
from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.export.python import Instrument, python_of
from skelb.core.export.python.pieces import cut
from skelb.core.feeds import BarSaid, written
from skelb.core.language import check
from skelb.core.plan import make_dataset
from skelb.demo import DEMO_MARKETS, DEMO_SCRIPTS, make_bars
from skelb.service.settings import market_settings
from tests.conftest import DEMO_SETTING, DEMO_TEXTS, wave_bars, write_csv
from tests.core.test_engine_against_reference import engine_account, engine_dataset
from tests.core.written_python import assert_same_trades, trades_of_engine, trades_of_file
from tests.generated import HOW_TO, bars_of, seeds
from tests.reference.cases import random_account, random_bars, random_market, random_strategy

ON = Instrument(Market("TEST", tick=0.25), Account(leverage=10))
TWO_AVERAGES = """
title "Two averages"
input fast = 5 from 2 to 20 step 1
quick = ema(close, fast)
calm = ema(close, 20) on 1h
enter long when quick crosses above calm
enter short when quick crosses below calm
stop 2 * atr(14)
target 2 R
"""
RICH = Account(capital=500_000, commission=Commission(percent=0.01), slippage_ticks=1, leverage=10, same_bar="path")
_RULES = "exit after 3 bars\nsize 1 units\nstop 2 * atr(14)\n"


def sound(text):
    checked = check(text, DEMO_SETTING)
    assert checked.is_sound, (text, checked.diagnostics)
    return checked


def text_for(value, kind, words=()):
    """A strategy that trades on a value of a kind, and on its earlier ones."""
    if kind == "condition":
        return f"enter long when {value}\nenter short when not {value}\n{_RULES}"
    if kind == "time":
        return f"enter long when {value} in 10:00..14:00\nenter short when {value} > 16:00\n{_RULES}"
    if words:
        told = f"{value} is not prior({value}) and not ({value} in ({words[1]}, {words[2]}))"
        return f"enter long when {value} is {words[0]}\nenter short when {told}\n{_RULES}"
    return f"x = {value}\nenter long when x > prior(x)\nenter short when x <= prior(x, 2)\n{_RULES}"


def values_of_the_language():
    for name, function in FUNCTIONS.items():
        for field in function.fields or ("",):
            value = f"{function.example}.{field}" if field else function.example
            yield pytest.param(text_for(value, function.result), id=f"{name}.{field}")
    for name, entry in BUILT_INS.items():
        for field in entry.fields or ("",):
            value = f"{name}.{field}" if field else name
            yield pytest.param(text_for(value, entry.kind, entry.words), id=f"{name}.{field}")


@pytest.mark.law
def test_random_strategies_trade_as_the_engine_does():
    traded, written = 0, 0
    for seed in seeds(100):
        rng = np.random.default_rng(seed)
        market, account = random_market(rng), random_account(rng)
        minutes = int(rng.choice([15, 30, 60]))
        bars = random_bars(rng, market, minutes, int(rng.integers(1, 9)), float(rng.choice([0, 0.2])))
        if not bars:
            continue
        here = engine_dataset(bars, market, minutes)
        script, _ = random_strategy(rng, bars, market["tick"])
        try:
            traded += assert_same_trades(sound(script), here.bars, here.market, engine_account(account))
            written += 1
        except SettingsError as exc:
            assert "no entry rule" in str(exc) or "an entry at the close beside" in str(exc), seed
    assert traded > 400
    assert written > 75


@pytest.mark.parametrize("text", values_of_the_language())
def test_every_value_of_the_language_is_the_engines(text):
    market = Market("TEST", tick=0.25, zone="Europe/Berlin", session="18:00-02:00,03:00-12:30", days="mon-fri",
                    spread=2, spread_unit="ticks", point_value=20, lot_step=0.01)  # fmt: skip
    assert_same_trades(sound(text), wave_bars(180), market, Account(leverage=10))


@cache
def demo_bars(symbol):
    """The market of the demo world and its finest bars."""
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == symbol)
    return market_settings(demo.settings).market(), make_bars(demo)


@pytest.mark.parametrize("script", DEMO_SCRIPTS, ids=lambda script: script.title)
def test_demo_strategies_trade_on_their_market_as_the_engine_does(script):
    checked = sound(script.text)
    if not checked.has_entries:
        pytest.skip("an indicator script")
    market, stored = demo_bars(script.market)
    wanted = Timeframe.parse(script.timeframe)
    finest = next(bars for bars in stored if wanted.minutes >= bars.timeframe.minutes)
    bars = make_dataset(finest, market, wanted).bars
    bars = bars.take(np.arange(len(bars)) >= len(bars) - 4000)
    index, finest_of_it = demo_bars("QUAY12")
    others = {"QUAY12": (index, finest_of_it[0])}
    assert assert_same_trades(checked, bars, market, RICH, others=others) > 5


def test_how_to_strategies_trade_as_the_engine_does():
    traded, bars = 0, wave_bars(350)
    others = {"QUAY12": (Market("QUAY12", tick=0.5), wave_bars(350, seed=8))}
    for text in HOW_TO:
        checked = sound(text)
        if checked.has_entries:
            traded += assert_same_trades(checked, bars, ON.market, ON.account, others=others)
    assert traded > 250


@pytest.mark.parametrize("shape", ["flat", "tiny", "huge", "gaps", "negative"])
@pytest.mark.parametrize("size", [1, 20, 300])
def test_strange_bars_trade_as_the_engine_does(shape, size):
    assert_same_trades(sound(TWO_AVERAGES), bars_of(shape, size), ON.market, ON.account)


def test_inputs_are_those_given_and_what_decides_on_rules_is_written_in():
    text = "\n".join([
        "input fast = 5 from 2 to 20 step 1", "input kind = ema one of sma, ema", "input tight = off",
        "x = average(close, fast, kind)", "enter long when close crosses above x", "enter short when close crosses below x",
        "stop 1% only if tight", "size 2 units",
    ])  # fmt: skip
    given = {"fast": 9, "kind": "sma", "tight": "on"}
    assert assert_same_trades(sound(text), wave_bars(600), ON.market, ON.account, given) > 20
    written = python_of(sound(text), given, ON)
    assert "fast: int = 9" in written
    assert "Sma(self.inputs.fast)" in written
    assert "kind = sma, tight = on: those are in the rules" in written  # the docstring says what is not to be set
    assert "With fast = 9 in place of what stands above." in written


@pytest.mark.parametrize("lines", [
    "b = bollinger(close, 5, 2) on 1h\nenter long when close > b.upper\nenter short when close < b.lower",
    "enter long when close > (bollinger(close, 5, 2) on 1h).mid",
    "enter long when close > (prior_day on 1d).high",
    "input f = 2\nx = (f * 495) on 4h\nenter long when close > x",
    "enter long when close > (990 on 4h)",
    "enter long when (weekday on 1d) is wed or (close > open on 2h)",
    "input p = 1000.123456789\nenter long when close + 0.123456788 > p only if p > 3\nenter short when close < p",
])  # fmt: skip
def test_what_is_seen_of_other_timeframes_and_how_numbers_are_written(lines):
    assert assert_same_trades(
        sound(f"{lines}\nexit after 3 bars\nsize 1 units\n"), wave_bars(400), ON.market, ON.account
    )


@pytest.mark.parametrize("place", ["on 1h forming", "on 1d forming", 'from "OTHER"', 'from "OTHER" on 1h', "within"])
@pytest.mark.parametrize("text", values_of_the_language())
def test_every_value_of_other_bars_is_the_engines(text, place):
    """Values at bars that form, of another market with hours of its own, of one timeframe within another."""
    head, _, rules = text.partition("\n")
    if not head.startswith("x = "):
        condition = head.removeprefix("enter long when ")
        head, rules = f"x = {condition}", f"enter long when x\nenter short when not x\n{_RULES}"
        if " is " in condition or " in 1" in condition:
            rules = f"enter long when x\n{_RULES}"
    value = head.removeprefix("x = ")
    if place == "within":
        head = (
            f"y = {value}\nx = ((y on 2h) == (y on 2h)) on 1h" if "==" in value else f"y = ({value}) on 2h\nx = y on 1h"
        )
    else:
        head = f"x = ({value}) {place}"
    market = Market("TEST", tick=0.25, zone="Europe/Berlin", session="18:00-02:00,03:00-12:30", days="mon-fri")
    other = Market("OTHER", tick=0.5, zone="America/New_York", session="09:30-16:00", days="mon-fri")
    holes = np.random.default_rng(2).random(150) > 0.1
    others = {"OTHER": (other, wave_bars(150, seed=5).take(holes))}
    checked = check(f"{head}\n{rules}", DEMO_SETTING)
    assert checked.is_sound, (checked.source, checked.diagnostics)
    assert_same_trades(checked, wave_bars(150), market, Account(leverage=10), others=others)


def test_another_market_that_another_market_reads_and_one_that_an_input_names():
    text = (
        'input index = "INDEX"\n'
        'far = (close from "FAR") - close\n'
        "enter long when (far > prior(far)) from index on 30m\n"
        'enter short when close < (close from "FAR" on 1h)\n' + _RULES
    )
    others = {
        "INDEX": (Market("INDEX", tick=0.5), wave_bars(400, seed=5)),
        "FAR": (Market("FAR", tick=0.1, session="08:00-12:00", zone="UTC"), wave_bars(400, seed=6)),
    }
    checked = check(text, DEMO_SETTING)
    assert checked.is_sound, checked.diagnostics
    assert assert_same_trades(checked, wave_bars(400), ON.market, ON.account, others=others) > 20


def test_one_side_alone():
    checked = sound(TWO_AVERAGES)
    bars = wave_bars(1500)
    sides = {trade["side"] for trade in trades_of_file(python_of(checked, {}, ON, "short"), bars)}
    assert sides <= {"short"}


@pytest.mark.parametrize(("lines", "said"), [
    ('x = close from "QUAY12" on 1d forming\nenter long when x > prior(x)', "line 1: a bar of another market"),
    ("x = ema(close, 5) on 4h\ny = (close - x) on 1h forming\nenter long when y > 0", "line 2: other bars within"),
    ("x = total(k from 1 to 3: (k * close) on 4h)\nenter long when x > 0", "line 1: the counter of"),
    ("enter long when close > open at close\nlimit 2 open\nexit after 2 days", "line 1: an entry at the close"),
    ("x = total(k from 1 to 3: sma(close, 3) * prior(close, k * k))\nenter long when x > 0", "line 1: within `total`"),
    ("draw close", "no entry rule"),
    ("enter long when close > open\nexit after 0.5 bars", "whole number of bars"),
    ("input n = 150\nenter long when close > open\nexit when close < open take n%", "at most 100%"),
])  # fmt: skip
def test_what_cannot_be_written_is_refused_with_its_line(lines, said):
    with pytest.raises(SettingsError, match=said):
        python_of(sound(lines), {}, ON)


def test_a_file_needs_the_standard_library_alone():
    for text in DEMO_TEXTS.values():
        try:
            tree = ast.parse(python_of(sound(text), {}, ON))
        except SettingsError:
            continue
        modules = [item.name for node in tree.body if isinstance(node, ast.Import) for item in node.names]
        modules += [str(node.module) for node in tree.body if isinstance(node, ast.ImportFrom)]
        assert modules
        assert {name.partition(".")[0] for name in modules} <= sys.stdlib_module_names


@pytest.mark.parametrize("title", ['A "quoted" \\ title', '"""', "Zwölf\\", "x" * 200])
def test_any_title_is_only_text(title):
    quoted = title.replace('"', '\\"')
    text = f'title "{quoted}"\nnote "{quoted}"\nenter long when close > open named "{quoted}"\n{_RULES}'
    checked = check(text)
    if checked.is_sound:
        assert_same_trades(checked, wave_bars(60), ON.market, ON.account)


def run_file(path, *arguments):
    return subprocess.run([sys.executable, "-I", path, *arguments], capture_output=True, text=True, timeout=120)


def test_a_file_reads_its_bars_and_what_no_description_says(tmp_path):
    checked, bars = sound(TWO_AVERAGES), wave_bars(1500)
    unknown = Instrument(Market("", tick=0.01), Account(), knows_symbol=False, knows_tick=False)
    (tmp_path / "swell.py").write_text(python_of(checked, {}, unknown))
    write_csv(tmp_path / "KELP.csv", bars)
    ended = run_file(tmp_path / "swell.py", tmp_path / "KELP.csv", "--json")
    found = json.loads(ended.stdout)["trades"]
    wanted = trades_of_engine(checked, bars, Market("KELP", tick=0.01), Account())
    assert [(trade["entry_time"], trade["exit_price"]) for trade in found] == [
        (trade["entry_time"], pytest.approx(trade["exit_price"])) for trade in wanted
    ]
    assert {trade["market"] for trade in found} == {"KELP"}
    told = run_file(tmp_path / "swell.py", tmp_path / "KELP.csv").stdout
    assert told.strip().splitlines()[-1].startswith(f"{len(wanted)} trades, net ")


@pytest.mark.parametrize(("content", "said"), [
    ("time,open,high,low,close,volume\n", "holds no bar"),
    ("time,open,high,low,close,volume\nyesterday,1,2,0,1,5\n", "line 2"),
    ("time,open,high,low,close,volume\n2024-01-02T10:00:00Z,1,2\n", "line 2"),
    ("a,b\n1,2\n", "line 2"),
])  # fmt: skip
def test_a_file_says_what_is_wrong_with_its_bars(tmp_path, content, said):
    (tmp_path / "s.py").write_text(python_of(sound(TWO_AVERAGES), {}, ON))
    (tmp_path / "b.csv").write_text(content)
    ended = run_file(tmp_path / "s.py", tmp_path / "b.csv")
    assert ended.returncode == 2
    assert said in ended.stderr
    assert "Traceback" not in ended.stderr


def test_a_file_says_in_a_line_what_it_cannot_run_on(tmp_path):
    write_csv(tmp_path / "b.csv", wave_bars(60))
    told = []
    for lines in (
        'enter long when close > column("ref")\nsize 1 units',
        "enter long when close > (ema(close, 3) on 10m)",
    ):
        (tmp_path / "s.py").write_text(python_of(sound(lines), {}, ON))
        ended = run_file(tmp_path / "s.py", tmp_path / "b.csv")
        assert ended.returncode == 2 and ended.stderr.count("\n") == 1
        told.append(ended.stderr)
    assert "no column `ref`" in told[0] and "bars of 10" in told[1]
    assert (
        run_file(tmp_path / "s.py", "--feed", "ws://127.0.0.1:1").returncode == 2
    )  # how long its bars are is not said
    (tmp_path / "s.py").write_text(python_of(sound('enter long when close > (close from "FAR")\n' + _RULES), {}, ON))
    for given, why in (
        ((), "the rules read FAR: give its bars as --from FAR=FILE.csv"),
        (("--from", "NEAR=b.csv"), "the rules read no market NEAR, but FAR"),
        (("--from", "FAR=none.csv"), "none.csv"),
    ):
        ended = run_file(tmp_path / "s.py", tmp_path / "b.csv", *given)
        assert ended.returncode == 2 and why in ended.stderr and ended.stderr.count("\n") == 1


def test_marks_cut_what_is_not_in_use():
    text = "a = 1  # if x\nif a:  # if not x\n    b = 2\n\n    c = 3\nd = (  # if y or z and x\n    4\n)\n\n\ndef e():  # if y\n    pass\n\n\ndef f():\n    pass\n"
    assert cut(text, ["x"]) == "a = 1\n\n\ndef f():\n    pass\n"
    assert cut(text, ["x", "z"]) == "a = 1\nd = (\n    4\n)\n\n\ndef f():\n    pass\n"


def test_a_file_follows_a_feed_that_is_lost_once_and_trades_the_same(tmp_path):
    """What it says of a feed are the engine's trades over the same bars, but for what the end of the data closes."""
    checked, bars = sound(TWO_AVERAGES), wave_bars(400)
    (tmp_path / "s.py").write_text(python_of(checked, {}, ON))
    words = [json.dumps({"say": "hello", "protocol": 1, "name": "t", "markets": []}), *map(written, words_for(bars))]
    came = []

    def serve(link):
        came.append(link)
        told = words[:200] if len(came) == 1 else words  # the first time it is lost half way
        link.send("\n".join(told[:50]))
        for odd in ("no word", "[]", '{"say": "bar", "closed": true}', told[-1].replace('"15m"', '"1h"')):
            link.send(odd)  # what cannot be read, and bars of another timeframe, are passed over
        for word in told[50:]:
            link.send(word)
        link.ping()
        if len(came) > 1:
            link.recv()  # until the file is ended

    wanted = trades_of_engine(checked, bars, ON.market, ON.account)[:-1]
    with websocket_server(serve, "127.0.0.1", 0) as server:
        Thread(target=server.serve_forever, daemon=True).start()
        address = f"ws://127.0.0.1:{server.socket.getsockname()[1]}"
        asked = [sys.executable, "-I", str(tmp_path / "s.py"), "--feed", address, "--timeframe", "15"]
        with subprocess.Popen(asked, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as running:
            told = []
            for line in running.stdout:
                if line.lstrip()[:1].isdigit() and (" long  " in line or " short  " in line):
                    told.append(line.split())
                if len(told) == len(wanted):
                    break
            running.terminate()
            said = running.stderr.read()
            assert "is lost" in said and "cannot be read" in said
        server.shutdown()
    assert [(row[1], row[2], row[4]) for row in told] == [
        (trade["side"], trade["entry_time"], trade["exit_time"]) for trade in wanted
    ]


def test_a_file_follows_a_feed_that_says_the_bars_of_another_market_too(tmp_path):
    """In a file that grows: the other market's bars first, moment by moment."""
    checked, bars, others = sound(OF_TWO), wave_bars(300), wave_bars(300, seed=4)
    far = Market("FAR", tick=0.25)
    (tmp_path / "s.py").write_text(python_of(checked, {}, Instrument(ON.market, ON.account, other=lambda _: far)))
    lines = []
    for place in range(300):
        for symbol, own in (("FAR", others), ("TEST", bars)):
            values = [float(getattr(own, name)[place]) for name in ("open", "high", "low", "close", "volume")]
            lines.append(written(BarSaid(symbol, own.timeframe, int(own.time[place]), *values, True)))
    (tmp_path / "feed.jsonl").write_text("\n".join(lines) + "\n")
    wanted = trades_of_engine(checked, bars, ON.market, ON.account, others={"FAR": (far, others)})[:-1]
    asked = [sys.executable, "-I", str(tmp_path / "s.py"), "--feed", str(tmp_path / "feed.jsonl"), "--timeframe", "15"]
    with subprocess.Popen([*asked, "--json"], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as running:
        told = [json.loads(running.stdout.readline()) for _ in wanted]
        running.terminate()
    assert len(wanted) > 5
    assert [trade["exit_time"] for trade in told] == [trade["exit_time"] for trade in wanted]


OF_TWO = 'slow = sma(close, 9) from "FAR"\nenter long when close crosses above slow\n' + _RULES


def words_for(bars):
    for place, time in enumerate(bars.time):
        values = [float(getattr(bars, name)[place]) for name in ("open", "high", "low", "close", "volume")]
        forming = BarSaid("TEST", bars.timeframe, int(time), values[0], values[0], values[0], values[0], 1.0, False)
        yield forming
        yield BarSaid("TEST", bars.timeframe, int(time), *values, True)
