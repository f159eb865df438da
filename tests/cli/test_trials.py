"""The commands that make many runs: the same runs as `backtest` makes one by one, in every way they are asked for."""

import csv

import pyarrow.parquet
import pytest
from scipy.stats import spearmanr

from tests.cli.conftest import document, skelb
from tests.conftest import wave_bars, write_csv

WAVE = ("sway.skelb", "--bars", "wave.csv", "--market", "market.json", "--account", "account.json")


def alone(folder, inputs, *options):
    """The figures of one backtest."""
    given = [f"--set={name}={value}" for name, value in inputs.items()]
    return document(folder, "backtest", *WAVE, *given, *options)["figures"]["all"]


def test_a_split_sweep_is_two_backtests_a_point_and_the_rest_stays_shut(folder, tmp_path):
    files = tmp_path / "runs.csv", tmp_path / "runs.parquet"
    options = ("--vary", "n", "--vary", "m=2,4", "--min-trades", "1", "--split", "50,30,20", "--csv", str(files[0]), "--parquet", str(files[1]))  # fmt: skip
    found = document(folder, "sweep", *WAVE, *options, "--objective", "net_profit,max_drawdown")
    inside, outside = found["parts"]
    assert found["held_back"]["first"] > outside["last"] > inside["last"]
    for run in found["runs"]:
        for part, figures in ((inside, run["figures"]), (outside, run["outside"])):
            assert figures == alone(folder, run["inputs"], "--from", part["first"], "--to", part["last"])
    nets, later = zip(*((r["figures"]["net_profit"], r["outside"]["net_profit"]) for r in found["runs"]), strict=True)
    assert found["rank_correlation"] == pytest.approx(spearmanr(nets, later).statistic)
    best = max(found["runs"], key=lambda run: run["figures"]["net_profit"])
    assert found["front"][0] == best["inputs"] == found["best"]
    with open(files[0]) as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 16 and len(found["runs"]) == 8
    assert pyarrow.parquet.read_table(files[1]).column("net_profit").to_pylist() == [
        float(r["net_profit"]) for r in rows
    ]


def test_drawn_points_are_of_the_grid_and_the_same_for_the_same_seed(folder):
    options = ("--vary", "n=3..30:1", "--vary", "m=2..30:1", "--vary", "sides=long,short", "--runs", "12")
    for kind in ("random", "latin"):
        found, again = (document(folder, "sweep", *WAVE, *options, "--draw", kind, "--seed", "7")["runs"] for _ in "ab")
        assert [run["inputs"] for run in found] == [run["inputs"] for run in again] and 6 <= len(found) <= 12
        one = found[3]
        side = one["inputs"].pop("sides")
        assert one["figures"] == alone(folder, one["inputs"], "--sides", side)


def test_timeframe_and_market_vary_over_the_bars_given(folder):
    write_csv(folder / "other.csv", wave_bars(600, seed=5))
    bars = ("sway.skelb", "--bars", "WAVE=wave.csv", "--bars", "OTHER=other.csv")
    found = document(folder, "sweep", *bars, "--vary", "market=WAVE,OTHER", "--vary", "timeframe=15m,1h")["runs"]
    assert len({run["figures"]["net_profit"] for run in found}) == 4
    other = document(folder, "backtest", "sway.skelb", "--bars", "OTHER=other.csv", "--timeframe", "1h")
    assert found[3]["inputs"] == {"market": "OTHER", "timeframe": "1h"}
    assert found[3]["figures"] == other["figures"]["all"]


def test_a_walk_forward_tells_what_each_window_chose_and_earned(folder):
    options = ("--vary", "n", "--windows", "3", "--ratio", "2", "--min-trades", "1", "--objective", "net_profit")
    found = document(folder, "walk", *WAVE, *options)
    assert len(found["windows"]) == 3
    for window in found["windows"]:
        inside = window["inside"]
        tried = {n: alone(folder, {"n": n}, "--from", inside["first"], "--to", inside["last"]) for n in (3, 5, 7, 9)}
        best = max(tried, key=lambda n: tried[n]["net_profit"])
        assert window["chosen"] == {"n": best} and window["inside_figures"] == tried[best]
    first = found["windows"][0]
    span = ("--from", first["outside"]["first"], "--to", first["outside"]["last"])
    assert first["outside_figures"] == alone(folder, first["chosen"], *span)
    assert found["sentence"] in skelb(folder, "walk", *WAVE, *options).stdout


def test_a_search_tries_every_combination_both_ways(folder):
    given = ("--condition", "up", "--condition", "rsi(close, 3) > 50", "--min-trades", "1")
    found = document(folder, "search", *WAVE, *given)
    assert [(run["label"], run["inputs"]["sides"]) for run in found["runs"]] == [
        ("up", "long"), ("up", "short"), ("rsi(close, 3) > 50", "long"), ("rsi(close, 3) > 50", "short"),
        ("up and rsi(close, 3) > 50", "long"), ("up and rsi(close, 3) > 50", "short"),
    ]  # fmt: skip
    assert found["runs"][0]["figures"] == alone(folder, {}, "--sides", "long")
    assert found["deflation"]["tries"] == 6
    assert "rsi(close, 3) > 50" in skelb(folder, "search", *WAVE, *given).stdout


def test_a_calendar_has_every_weekday_month_and_hour(folder):
    rows = document(folder, "calendar", *WAVE[:5])["rows"]
    assert {row["group"] for row in rows} == {"weekday", "month", "hour"}
    hours = [row for row in rows if row["group"] == "hour"]
    assert sum(row["stretches"] for row in hours) == 150 and hours[0]["name"] == "00:00"
    up = document(folder, "calendar", *WAVE[:5], "--condition", "up")["rows"]
    study = document(folder, "study", *WAVE[:5])["conditions"]
    count = next(row["count"] for row in study if row["text"] == "up")
    for group in ("weekday", "month", "hour"):
        assert sum(row["count"] for row in up if row["group"] == group) == count
    (folder / "other.skelb").write_text('title "Other"\nuse "Sway" as sway\nrising = close > open\n')
    given = ("other.skelb", *WAVE[1:5], "--condition", "sway.up")  # a script that stands on another is studied too
    assert [row["count"] for row in document(folder, "calendar", *given)["rows"]] == [row["count"] for row in up]
    assert "Tuesday" in skelb(folder, "calendar", *WAVE[:5]).stdout


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("sweep", "--vary", "n", "--draw", "luck"), "--draw"),
        (("sweep", "--vary", "n", "--draw", "random"), "from 1 to"),
        (("sweep", "--vary", "n", "--split", "60,x"), "a split is written"),
        (("sweep", "--vary", "n", "--csv", "/nowhere/at/all.csv"), "cannot be written"),
        (("sweep", "--vary", "n", "--dask", "tcp://127.0.0.1:9"), "no cluster at"),
        (("walk", "--vary", "n", "--windows", "500"), "--windows"),
        (("walk", "--vary", "n", "--inside", "900", "--outside", "5"), "do not fit"),
        (("walk", "--vary", "n", "--choose", "luck"), "--choose"),
        (("search", "--condition", "close"), "cannot be searched"),
        (("search", "--condition", "up", "--markets", "NOWHERE"), None),
        (("calendar", "--condition", "close"), "not a condition"),
    ],
)
def test_what_cannot_be_is_one_line(folder, arguments, said):
    given = WAVE[1:5] if arguments[0] == "calendar" else WAVE[1:]
    if said is None:  # the runs on that market say why they could not run
        found = document(folder, arguments[0], WAVE[0], *given, *arguments[1:])
        assert {run["error"] is None for run in found["runs"]} == {True, False}
        return
    done = skelb(folder, arguments[0], WAVE[0], *given, *arguments[1:], expect=2)
    assert said in done.stderr and done.stderr.count("\n") == 1 and done.stdout == ""


def test_a_cluster_and_any_number_of_threads_print_the_same(folder):
    from distributed import LocalCluster

    options = ("--vary", "n=3..12:1", "--vary", "m=2..6:1", "--split", "60,40")
    plain = document(folder, "sweep", *WAVE, *options, "--jobs", "1")
    assert document(folder, "sweep", *WAVE, *options, "--jobs", "4") == plain
    with LocalCluster(n_workers=1, threads_per_worker=2, dashboard_address=None) as cluster:
        assert document(folder, "sweep", *WAVE, *options, "--dask", cluster.scheduler_address) == plain
