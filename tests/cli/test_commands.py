"""The command line's contract: documents, exit codes, one-line errors."""

import json
import os
import re
import socket
import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest

from skelb.cli import COMMANDS
from skelb.core.figures import FIGURE_KEYS
from skelb.service.guide_files import command_sections
from tests.cli.conftest import document, skelb
from tests.conftest import wave_bars, write_csv

FULL = ("backtest", "sway.skelb", "--bars", "wave.csv", "--market", "market.json", "--account", "account.json")


def test_backtest_has_the_names_of_the_contract(folder):
    found = document(folder, *FULL, "--equity")
    assert list(found) == ["trades", "figures", "skipped", "findings", "equity", "equity_time", "alerts"]
    wanted = "number market side entry_time entry_price exit_time exit_price units exit_reason gross commission spread_cost slippage_cost financing net r bars_held"
    assert set(wanted.split()) <= set(found["trades"][0])
    assert set(found["figures"]) == {"all", "long", "short"} and set(found["figures"]["all"]) == set(FIGURE_KEYS)
    assert len(found["equity"]) == len(found["equity_time"]) == 600
    assert found["equity_time"][:2] == ["2024-01-02T09:15:00Z", "2024-01-02T09:30:00Z"]  # each at its bar's close
    assert found["trades"][0]["market"] == "WAVE" and found["trades"][0]["entry_time"].endswith("Z")
    assert found["figures"]["all"]["net_profit"] == pytest.approx(sum(trade["net"] for trade in found["trades"]))
    assert "equity" not in document(folder, *FULL)


def test_a_strategy_as_python_prints_the_trades_of_backtest(folder):
    on = ("--market", "market.json", "--account", "account.json", "--set", "n=9", "--sides", "long")
    told = skelb(folder, "python", "sway.skelb", *on, "--out", "sway.py").stdout
    assert told.startswith("sway.py: ")
    ended = subprocess.run(
        [sys.executable, "-I", folder / "sway.py", folder / "wave.csv", "--json"], capture_output=True
    )
    found = json.loads(ended.stdout)["trades"]
    wanted = document(folder, *FULL, "--set", "n=9", "--sides", "long")["trades"]
    assert len(found) == len(wanted) > 5
    for mine, other in zip(found, wanted, strict=True):
        assert mine == {
            key: pytest.approx(value) if isinstance(value, float) else value for key, value in other.items()
        }
    (folder / "far.skelb").write_text("x = total(k from 1 to 3: (k * close) on 4h)\nenter long when close > x\n")
    ended = skelb(folder, "python", "far.skelb", expect=2)
    assert "line 1" in ended.stderr and ended.stdout == "" and ended.stderr.count("\n") == 1


def test_a_strategy_that_reads_another_market_is_given_its_bars(folder):
    """Its description beside that of the market it trades, its bars by name."""
    script = 'slow = sma(close, 5) from "INDEX" on 1h\nenter long when close crosses above slow\nexit after 3 bars\n'
    (folder / "two.skelb").write_text(script + "size 1 units\n")
    write_csv(folder / "index.csv", wave_bars(600, seed=9))
    (folder / "index.json").write_text(json.dumps({"symbol": "INDEX", "tick": 0.5, "session": "08:00-16:00"}))
    market = json.loads((folder / "market.json").read_text())
    (folder / "wave.json").write_text(json.dumps({"symbol": "WAVE", **market}))
    both = ("--market", "wave.json", "--market", "index.json")
    skelb(folder, "python", "two.skelb", *both, "--account", "account.json", "--out", "two.py")
    command = [sys.executable, "-I", folder / "two.py", folder / "wave.csv", "--json"]
    refused = subprocess.run(command, capture_output=True, text=True)
    assert (
        refused.returncode == 2 and refused.stderr == "the rules read INDEX: give its bars as --from INDEX=FILE.csv\n"
    )
    given = ["--from", f"INDEX={folder / 'index.csv'}"]
    found = json.loads(subprocess.run([*command, *given], capture_output=True).stdout)["trades"]
    bars = ("--bars", "WAVE=wave.csv", "--bars", "INDEX=index.csv")
    wanted = document(folder, "backtest", "two.skelb", *bars, *both, "--account", "account.json")["trades"]
    assert len(wanted) >= 5 and [trade["entry_time"] for trade in found] == [trade["entry_time"] for trade in wanted]
    assert [trade["net"] for trade in found] == pytest.approx([trade["net"] for trade in wanted])
    (folder / "index.json").write_text("{}")
    ended = skelb(folder, "python", "two.skelb", *both, expect=2)
    assert "says its symbol" in ended.stderr


def test_inputs_sides_dates_and_timeframe_matter(folder):
    plain = document(folder, *FULL)["figures"]["all"]
    assert document(folder, *FULL, "--set", "n=9")["figures"]["all"] != plain
    assert document(folder, *FULL, "--sides", "short")["figures"]["long"]["trades"] == 0
    late = document(folder, *FULL, "--from", "2024-01-04", "--to", "2024-01-05")
    assert all("2024-01-04" <= trade["entry_time"][:10] <= "2024-01-06" for trade in late["trades"])
    assert len(document(folder, *FULL, "--timeframe", "1h", "--equity")["equity"]) == 150


def test_series_gives_every_name_with_nulls(folder):
    found = document(folder, "series", "sway.skelb", "--bars", "wave.csv", "--set", "n=3")
    assert set(found["series"]) == {"band.upper", "band.mid", "band.lower", "up"}
    assert found["series"]["band.mid"][:2] == [None, None] and len(found["time"]) == 600
    assert found["series"]["up"][0] is None and set(found["series"]["up"][3:]) == {True, False}


def test_series_proves_a_conversion_or_shows_where_it_fails(folder):
    bars = wave_bars(300)
    mean = np.convolve(bars.close, np.ones(5) / 5, "valid")
    good = np.concatenate((np.full(4, np.nan), mean))
    bad = np.where(np.arange(300) == 200, good + 0.5, good)
    write_csv(folder / "with_columns.csv", replace(bars, columns={"mean": good, "off": bad}))
    (folder / "mean.skelb").write_text("mean = sma(close, 5)\nband = bollinger(close, 5, 2)\n")
    series = ("series", "mean.skelb", "--bars", "with_columns.csv", "--market", "market.json", "--against")
    equal = document(folder, *series, "mean")
    assert equal["equal"] and equal["compared"] == 296 and equal["first"] is None
    assert document(folder, *series, "mean", "--name", "band.mid")["equal"]
    done = skelb(folder, *series, "off", "--name", "mean", "--json", expect=1)
    found = json.loads(done.stdout)
    assert (found["equal"], found["differing"], found["first"]["bar"]) == (False, 1, 200)
    assert found["largest_difference"] == pytest.approx(0.5)
    assert "different on 1 of 296 bars" in skelb(folder, *series, "off", "--name", "mean", expect=1).stdout
    skelb(folder, *series, "nothing", expect=2)
    skelb(folder, *series, "off", "--name", "nothing", expect=2)


def test_inverting_trades_the_other_side(folder):
    straight, inverted = document(folder, *FULL), document(folder, *FULL, "--invert")
    assert straight["trades"][0]["entry_time"] == inverted["trades"][0]["entry_time"]
    assert {straight["trades"][0]["side"], inverted["trades"][0]["side"]} == {"long", "short"}


def test_scripts_are_read_back_and_changed(folder):
    told = document(folder, "readback", "sway.skelb")["sentences"]
    assert "It enters long at the next bar's open when `up`." in told
    lines = document(folder, "mirror", "sway.skelb", "--side", "short")
    assert lines["lines"] == [] and lines["missing"] == []  # it has its mirror image already
    (folder / "user.skelb").write_text('use "Sway" as sway\nup=sway.up   # mine\nenter long when up and close>12\n')
    alone = skelb(folder, "inline", "user.skelb").stdout
    assert "sway_up = close crosses above sway_band.mid" in alone and "use " not in alone
    assert "up = sway.up  # mine" in skelb(folder, "format", "user.skelb").stdout
    renamed = skelb(folder, "rename", "user.skelb", "2:1", "rise").stdout
    assert "rise=sway.up" in renamed and "when rise and" in renamed
    assert "input enter_value = 12" in skelb(folder, "extract", "user.skelb", "3:32").stdout
    told = skelb(folder, "mirror", "user.skelb").stdout
    assert told.startswith("# not mirrored: `enter long when up and close>12`") and "down" not in told
    assert "Trade less." in skelb(folder, "brief", "user.skelb", "--wish", "Trade less.").stdout
    skelb(folder, "format", "user.skelb", "--write")
    assert (folder / "user.skelb").read_text().splitlines()[1] == "up = sway.up  # mine"


def test_a_script_is_brought_over_and_its_questions_are_answered(folder):
    (folder / "other.txt").write_text("a = calc.expMean(bars.close, 9)\nif (a > 3) { trade.sell() }\n")
    first = skelb(folder, "bring", "other.txt")
    assert "enter short when a > 3" in first.stdout and "1 sure, 1 asked, 0 left" in first.stderr
    assert "*1 it opens a short position; 2 it closes the long one" in first.stderr
    assert "exit long when a > 3" in skelb(folder, "bring", "other.txt", "--answer", "trade.sell=2").stdout
    assert document(folder, "bring", "other.txt")["questions"][0]["choices"][1] == "it closes the long one"
    refused = {
        "trade.sell=3": "has 2 choices, not 3",
        "x=1": "nothing is asked about `x`",
        "x": "counted from 1, not `x`",
    }
    for answer, why in refused.items():
        assert why in skelb(folder, "bring", "other.txt", "--answer", answer, expect=2).stderr


def test_other_markets_serve_from(folder):
    write_csv(folder / "other.csv", wave_bars(600, seed=9))
    (folder / "both.skelb").write_text(
        'x = close from "OTHER"\ny = close\nenter long when x > prior(x)\nexit after 3 bars'
    )
    both = ("--bars", "WAVE=wave.csv", "--bars", "OTHER=other.csv")
    series = document(folder, "series", "both.skelb", *both)["series"]
    assert series["x"] != series["y"] and None not in series["x"]
    found = document(folder, "backtest", "both.skelb", *both)
    assert {trade["market"] for trade in found["trades"]} == {"WAVE"}
    assert "no bars of `OTHER`" in skelb(folder, "series", "both.skelb", "--bars", "WAVE=wave.csv", expect=2).stderr


def test_a_basket_trades_every_market_on_one_account(folder):
    write_csv(folder / "other.csv", wave_bars(600, seed=9))
    both = ("--bars", "WAVE=wave.csv", "--bars", "OTHER=other.csv", "--account", "account.json")
    found = document(folder, "backtest", "sway.skelb", *both, "--basket", "--equity")
    assert {trade["market"] for trade in found["trades"]} == set(found["markets"]) == {"WAVE", "OTHER"}
    assert [trade["number"] for trade in found["trades"]] == list(range(1, len(found["trades"]) + 1))
    nets = {symbol: part["figures"]["net_profit"] for symbol, part in found["markets"].items()}
    assert sum(nets.values()) == pytest.approx(found["figures"]["all"]["net_profit"])
    assert found["equity"][-1] == pytest.approx(50_000 + sum(nets.values()))
    assert len(found["equity"]) == len(found["equity_time"]) == 600
    assert 0 < found["markets"]["WAVE"]["cost_share_of_range"] < 1
    assert "OTHER" in skelb(folder, "backtest", "sway.skelb", *both, "--basket").stdout
    fewer = document(folder, "backtest", "sway.skelb", *both, "--basket", "--without", "OTHER")
    [dropped] = [finding for finding in fewer["findings"] if finding["code"] == "markets_dropped"]
    assert set(fewer["markets"]) == {"WAVE"} and "1 of 2 markets" in dropped["message"]
    for usage, said in ((("--without", "OTHER"), "give --basket too"), (("--basket", "--without", "X"), "not in the basket"),
                        (("--basket", "--without", "OTHER", "--without", "WAVE"), "no market is left")):  # fmt: skip
        assert said in skelb(folder, "backtest", "sway.skelb", *both, *usage, expect=2).stderr
    twice = ("--bars", "WAVE=wave.csv", "--bars", "WAVE=other.csv", "--basket")
    assert "symbol of its own" in skelb(folder, "backtest", "sway.skelb", *twice, expect=2).stderr


def test_holding_alpha_and_beta_of_a_chosen_market(folder):
    write_csv(folder / "other.csv", wave_bars(600, seed=9))
    both = ("--bars", "WAVE=wave.csv", "--bars", "OTHER=other.csv")
    found = {
        against[-1:]: document(folder, "backtest", "sway.skelb", *both, *against)["figures"]["all"]
        for against in ((), ("--against", "WAVE"), ("--against", "OTHER"))
    }
    for figure in ("beta", "holding_return"):
        own, same, other = (found[key][figure] for key in ((), ("WAVE",), ("OTHER",)))
        assert own == pytest.approx(same) and other != own
    assert "no bars of `X`" in skelb(folder, "backtest", "sway.skelb", *both, "--against", "X", expect=2).stderr


def test_a_bar_is_explained_as_the_backtest_traded_it(folder):
    trade = document(folder, *FULL)["trades"][0]
    options = (*FULL[1:], "--at", trade["entry_time"])
    found = document(folder, "explain", *options)
    assert found["time"] == trade["entry_time"]
    assert any(line.startswith(f"entered {trade['side']}") for line in found["happened"])
    rule = next(rule for rule in found["rules"] if rule["kind"] == "enter" and rule["side"] == "long")
    assert rule["condition"]["text"] == "up" and rule["condition"]["value"] in (True, False)
    crossing = rule["condition"]["parts"][0]
    assert [part["text"] for part in crossing["parts"]] == ["close", "band.mid"]
    assert "traded" in found["signals"]["long"]
    assert "close crosses above band.mid" in skelb(folder, "explain", *options).stdout
    assert "no bar" in skelb(folder, "explain", *FULL[1:], "--at", "2031-01-01", expect=2).stderr


def test_check_exits_1_on_errors_and_counts_from_1(folder):
    assert document(folder, "check", "sway.skelb") == {"diagnostics": []}
    (folder / "bad.skelb").write_text("up = close > smaa(close, 5)\n")
    found = json.loads(skelb(folder, "check", "bad.skelb", "--json", expect=1).stdout)["diagnostics"]
    assert [
        (item["code"], item["line"], item["column"], item["end_column"], item["mend"]["text"]) for item in found
    ] == [("S0201", 1, 14, 18, "sma")]
    assert "^^^^" in skelb(folder, "check", "bad.skelb", expect=1).stdout


def test_sweep_gives_every_run_and_equals_single_backtests(folder):
    found = document(
        folder,
        "sweep",
        *FULL[1:],
        "--vary",
        "n",
        "--vary",
        "m=2,6",
        "--objective",
        "net_profit",
        "--min-trades",
        "5",
        "--jobs",
        "3",
    )
    assert [run["inputs"] for run in found["runs"]] == [{"n": n, "m": m} for n in (3, 5, 7, 9) for m in (2, 6)]
    single = document(folder, *FULL, "--set", "n=7", "--set", "m=6")["figures"]["all"]
    assert found["runs"][5]["figures"] == single
    best = max((run for run in found["runs"] if run["ranked"]), key=lambda run: run["figures"]["net_profit"])
    assert found["best"] == best["inputs"]


def test_import_reports_refused_rows_and_demo_can_be_repeated(folder):
    (folder / "rough.csv").write_text((folder / "wave.csv").read_text() + "2030-01-01T00:00:00Z,1,0,2,1,1\n")
    found = document(folder, "import", "rough.csv", "--symbol", "ROUGH")
    assert (found["rows"], found["refused_count"], found["refused"][0]["line"]) == (600, 1, 602)
    assert "stored" in skelb(folder, "demo").stdout
    assert "already there" in skelb(folder, "demo").stdout


@pytest.mark.parametrize(
    "arguments",
    [
        ("backtest",), ("nothing",), ("backtest", "missing.skelb", "--bars", "wave.csv"),
        ("backtest", "sway.skelb", "--bars", "missing.csv"), (*FULL, "--set", "zz=1"), (*FULL, "--set", "n"),
        (*FULL, "--timeframe", "7x"), (*FULL, "--from", "soon"), (*FULL, "--sides", "up"), (*FULL, "--from", "2031-01-01"),
        ("backtest", "sway.skelb", "--bars", "rough.csv"), ("backtest", "bad.skelb", "--bars", "wave.csv"),
        ("backtest", "sway.skelb", "--bars", "wave.csv", "--market", "sway.skelb"),
        ("backtest", "sway.skelb", "--bars", "wave.csv", "--account", "odd.json"),
        ("sweep", "sway.skelb", "--bars", "wave.csv", "--vary", "m"), ("serve", "--port", "x"),
    ],
    ids=" ".join,
)  # fmt: skip
def test_bad_usage_is_one_line_and_exit_code_2(folder, arguments):
    (folder / "odd.json").write_text('{"capital": "much"}')
    (folder / "bad.skelb").write_text("up = close > smaa(close, 5)\n")
    (folder / "rough.csv").write_text((folder / "wave.csv").read_text() + "2030-01-01T00:00:00Z,1,0,2,1,1\n")
    done = skelb(folder, *arguments, expect=2)
    assert done.stdout == "" and len(done.stderr.strip().splitlines()) == 1 and done.stderr.startswith("skelb: ")


def test_a_taken_port_is_found_before_anything_is_said_to_be_open(folder):
    with socket.create_server(("127.0.0.1", 0)) as other:
        done = skelb(folder, "serve", "--port", str(other.getsockname()[1]), expect=2)
    assert "another program is open there" in done.stderr and "is open at" not in done.stdout


def test_a_stored_market_serves_every_command_instead_of_files(folder):
    skelb(folder, "import", "wave.csv", "--symbol", "WAVE", "--market", "market.json")
    common = ("--account", "account.json", "--timeframe", "1h")
    files = ("--bars", "wave.csv", "--market", "market.json")
    for command, more in (
        ("backtest", common), ("series", ("--timeframe", "1h")), ("stress", common), ("sweep", (*common, "--vary", "n")),
        ("explain", ("--at", "2024-01-03T10:00", *common)), ("study", ("--timeframe", "1h")),
    ):  # fmt: skip
        stored = document(folder, command, "sway.skelb", "--stored", "WAVE", *more)
        given = document(folder, command, "sway.skelb", *files, *more)
        if command == "sweep":  # tries are remembered with bars that are; the backtest before was one of them
            assert stored["luck"].pop("is_kept") and not given["luck"].pop("is_kept")
            assert stored["luck"].pop("best") != given["luck"].pop("best")
        assert stored == given, command
    assert "not both" in skelb(folder, "backtest", "sway.skelb", *files, "--stored", "WAVE", expect=2).stderr
    assert "no market `NONE`" in skelb(folder, "backtest", "sway.skelb", "--stored", "NONE", expect=2).stderr
    assert "--stored SYMBOL" in skelb(folder, "backtest", "sway.skelb", expect=2).stderr


def test_the_columns_of_the_figures_say_what_they_are(folder):
    header, net = skelb(folder, *FULL).stdout.splitlines()[:2]
    assert header.split() == ["all", "long", "short"] and net.startswith("Net (money)")
    assert [len(header[:index].rstrip()) for index in (50, 68, 86)] == [
        len(net[:index].rstrip()) for index in (50, 68, 86)
    ]


def ran(code, slow):
    """What some code prints, and which of the modules that are slow to load are there after it."""
    tell = f"{code}\nimport sys; print([m for m in {slow} if m in sys.modules], file=sys.stderr)"
    done = subprocess.run([sys.executable, "-c", tell], capture_output=True, text=True, check=True)
    return done.stdout, done.stderr


def test_what_only_looks_at_a_script_loads_nothing_that_runs_one():
    slow = ("numba", "scipy", "pydantic", "sqlalchemy", "pyarrow", "typer", "skelb.core.language.bringing")
    assert ran("import skelb.program, skelb.cli.texts", slow) == ("", "[]\n")


def test_every_command_is_described_without_being_loaded():
    calls = [[*words.split(), "--help"] for words in command_sections()]
    code = f"from skelb.cli.main import _run\nfor call in {calls}: assert _run(call) is None"
    told, loaded = ran(code, ("numpy", "typer", "rich", "pydantic", "sqlalchemy"))
    assert loaded == "[]\n"
    assert {call[0] for call in calls} == set(COMMANDS)
    for words in command_sections():
        assert f"\nskelb {words}" in told
    assert re.search(r"^  --sides TEXT +long, short or both. By default both.$", told, re.MULTILINE)


@pytest.fixture(scope="module")
def stored(folder):
    """A start of the program as it is: a test on a stored market, ended."""
    skelb(folder, "import", "wave.csv", "--symbol", "STORED", "--market", "market.json")
    environment = {**os.environ, "SKELB_HOME": str(folder / "home")}

    def start(*more, prelude="", **pipes):
        ending = "from skelb.program import main; main()"
        asked = ["backtest", "sway.skelb", "--stored", "STORED", *more]
        command = [sys.executable, "-c", f"import sys; sys.argv[1:] = {asked!r}; {prelude}{ending}"]
        return subprocess.run(command, cwd=folder, env=environment, stderr=subprocess.PIPE, text=True, **pipes)

    return start


def test_a_test_on_stored_bars_loads_only_what_it_needs(stored):
    """Of what takes long to load; a command that ends leaves no file of its database behind."""
    slow = ("scipy.linalg", "scipy.special", "pyarrow", "fastapi", "alembic", "rapidfuzz", "openpyxl")
    tell = f"import atexit; atexit.register(lambda: print([m for m in {slow} if m in sys.modules], file=sys.stderr)); "
    done = stored(prelude=tell, stdout=subprocess.DEVNULL)
    assert (done.returncode, done.stderr) == (0, "[]\n")


def test_what_cannot_be_printed_is_told_and_a_reader_that_left_is_not(stored, folder):
    with open("/dev/full", "w") as full:
        done = stored(stdout=full)
    assert (done.returncode, done.stderr) == (
        2,
        "skelb: what comes out could not be written: No space left on device\n",
    )
    reading, writing = os.pipe()
    os.close(reading)
    done = stored("--json", stdout=writing)
    os.close(writing)
    assert (done.returncode, done.stderr) == (0, "")
    whole = json.loads(stored("--json", "--equity", stdout=subprocess.PIPE).stdout)
    assert len(whole["equity"]) == 600
    assert sorted(path.name for path in (folder / "home").iterdir()) == ["skelb.lock", "skelb.sqlite3"]


def test_a_basket_without_a_rule_for_its_side_says_so(folder):
    (folder / "longs.skelb").write_text("enter long when close > open\nexit after 2 bars\n")
    both = ("--bars", "ONE=wave.csv", "--bars", "TWO=wave.csv", "--basket", "--sides", "short")
    [found] = [
        item for item in document(folder, "backtest", "longs.skelb", *both)["findings"] if item["code"] == "no_trades"
    ]
    assert (
        found["message"] == "No trades in any of the 2 markets. The script has no entry rule for the sides that are on."
    )


def test_every_command_is_listed(folder):
    listed = skelb(folder, "--help").stdout
    for name in COMMANDS:
        assert f"\n  {name} " in listed
    assert "no command `bactest`" in skelb(folder, "bactest", expect=2).stderr
