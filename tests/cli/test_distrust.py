"""The commands that doubt a run, against backtests with the same changes made by hand."""

import json

import pytest

from tests.cli.conftest import document, skelb
from tests.conftest import wave_bars, write_csv

BARS = ("--bars", "wave.csv", "--account", "account.json")
LONG = ("--bars", "long.csv", "--account", "account.json")


def net_of(folder, *options):
    return document(folder, "backtest", "sway.skelb", *options)["figures"]["all"]["net_profit"]


def test_stress_rows_are_backtests_with_those_conditions(folder):
    write_csv(folder / "other.csv", wave_bars(600, seed=9))
    found = document(
        folder,
        "stress",
        "sway.skelb",
        "--bars",
        "WAVE=wave.csv",
        "--bars",
        "OTHER=other.csv",
        "--account",
        "account.json",
    )
    rows = {row["name"]: row["figures"]["net_profit"] for row in found["rows"]}
    assert rows["as it is"] == net_of(folder, *BARS)
    assert rows["sides exchanged"] == net_of(folder, *BARS, "--invert")
    account = json.loads((folder / "account.json").read_text())
    dear = {
        name: value * 2 if name.startswith(("commission", "slippage")) else value for name, value in account.items()
    }
    (folder / "dear.json").write_text(json.dumps(dear))
    assert rows["costs × 2"] == pytest.approx(net_of(folder, "--bars", "wave.csv", "--account", "dear.json"))
    assert rows["without costs"] > rows["costs × 1.5"] > rows["costs × 2"] > rows["costs × 3"]
    (folder / "path.json").write_text(json.dumps(account | {"same_bar": "path"}))
    assert rows["same bar: path"] == net_of(folder, "--bars", "wave.csv", "--account", "path.json")
    assert rows["OTHER 15m"] == net_of(folder, "--bars", "other.csv", "--account", "account.json")
    free = dict.fromkeys((name for name in account if name.startswith(("commission", "slippage"))), 0)
    (folder / "free.json").write_text(json.dumps(account | free))
    assert rows["without costs"] == pytest.approx(net_of(folder, "--bars", "wave.csv", "--account", "free.json"))
    assert any("at other times" in sentence for sentence in found["verdict"])
    again = document(folder, "stress", "sway.skelb", *BARS)
    assert again["timing"] == found["timing"] and found["timing"]["draws"] == 999
    assert "costs × 3" in skelb(folder, "stress", "sway.skelb", *BARS).stdout


def test_resampling_stands_on_the_backtests_trades(folder):
    trades = document(folder, "backtest", "sway.skelb", *BARS)["trades"]
    found = document(folder, "resample", "sway.skelb", *BARS, "--kind", "shuffle", "--samples", "200")
    net = found["measures"]["net"]
    assert net["real"] == pytest.approx(sum(trade["net"] for trade in trades)) == pytest.approx(net["p5"])
    assert found["bands"]["at"][-1] == len(trades) and found["bands"]["p50"][0] == 50_000
    down = found["measures"]["drawdown"]
    assert down["p5"] <= down["p50"] <= down["p95"]
    assert "--kind is one of" in skelb(folder, "resample", "sway.skelb", *BARS, "--kind", "wobble", expect=2).stderr


def test_made_histories_are_of_the_bars_own_days(folder):
    write_csv(folder / "long.csv", wave_bars(3_000))
    net = document(folder, "backtest", "sway.skelb", *LONG)["figures"]["all"]["net_profit"]
    made = document(folder, "histories", "sway.skelb", *LONG, "--histories", "30", "--days", "3")
    assert made["measures"]["net"]["real"] == pytest.approx(net)
    assert sum(made["measures"]["net"]["counts"]) == 30 and "made histories" in made["verdict"]
    assert made == document(folder, "histories", "sway.skelb", *LONG, "--histories", "30", "--days", "3")
    assert (
        made["measures"]
        != document(folder, "histories", "sway.skelb", *LONG, "--histories", "30", "--loose")["measures"]
    )
    told = skelb(folder, "histories", "sway.skelb", *LONG, "--histories", "20", "--seed", "4").stdout
    assert told.splitlines()[-1].startswith("It earned in ")
    few = skelb(folder, "histories", "sway.skelb", *LONG, "--histories", "0", expect=2).stderr
    assert "histories are 1 to 2,000" in few and len(few.splitlines()) == 1
    short = skelb(folder, "histories", "sway.skelb", *BARS, expect=2).stderr
    assert "need 20 trading days or more, there are 7" in short


def test_a_challenge_is_begun_on_every_trading_day(folder):
    rules = ("--target", "1", "--daily-loss", "2", "--total-loss", "3", "--most-days", "4")
    found = document(folder, "challenge", "sway.skelb", *BARS, *rules)
    shares = [share for share in found["shares"].values() if share is not None]
    assert found["starts"] == len(found["ends"]) and (not shares or sum(shares) == pytest.approx(1))
    assert found["decided"] == sum(end["end"] != "unfinished" for end in found["ends"])
    bad = ("--target", "0", "--daily-loss", "2", "--total-loss", "3")
    assert "above 0 percent" in skelb(folder, "challenge", "sway.skelb", *BARS, *bad, expect=2).stderr


def test_a_study_counts_what_series_show(folder):
    found = {row["text"]: row for row in document(folder, "study", "sway.skelb", "--bars", "wave.csv")["conditions"]}
    up = document(folder, "series", "sway.skelb", "--bars", "wave.csv")["series"]["up"]
    turns = sum(now is True and before is not True for before, now in zip([None, *up], up, strict=False))
    assert found["up"]["count"] == turns and found["up"]["share"] == pytest.approx(up.count(True) / len(up))
    assert found["up"]["yearly"] == {"2024": turns}
    asked = ("study", "sway.skelb", "--bars", "wave.csv", "--condition", "rsi(close, 2)  < 10 and up")
    rows = document(folder, *asked)["conditions"]
    assert rows[0]["text"] == "rsi(close, 2) < 10 and up" and [row["text"] for row in rows[1:]] == list(found)
    assert "a year (2024" in skelb(folder, *asked).stdout
    assert "not a condition" in skelb(folder, *asked[:-1], "close", expect=2).stderr


def test_a_sweep_says_what_its_best_is_worth_after_so_many_tries(folder):
    [name] = [line.split()[1] for line in (folder / "sway.skelb").read_text().split("\n") if line.startswith("input ")][
        :1
    ]
    found = document(folder, "sweep", "sway.skelb", *BARS, "--vary", f"{name}=5..40:5", "--min-trades", "1")
    assert found["deflation"]["tries"] == len(found["runs"]) == 8
    assert 0 <= found["deflation"]["probability"] <= found["deflation"]["probability_alone"] <= 1
    assert "worthless tries" in found["deflation"]["sentence"]
    split = document(
        folder, "sweep", "sway.skelb", *BARS, "--vary", f"{name}=5..40:5", "--min-trades", "1", "--split", "60,40"
    )
    assert split["deflation"]["tries"] == 8  # what ran out of sample was chosen before
