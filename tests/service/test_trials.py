"""Trials as jobs: what is finished stays through stops, kills, full disks and lost workers; what is read of them."""

import signal
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import numpy as np
import pyarrow.csv
import pyarrow.parquet
import pytest
from sqlalchemy import event, text

from skelb.core.errors import ConflictError, NotFoundError, SettingsError
from skelb.core.trials import Cell, Results, point_at
from skelb.service.application import Application
from skelb.service.baskets import basket_run
from skelb.service.trials.desk import View
from skelb.service.trials.estimate import estimated
from tests.conftest import wave_bars
from tests.service.conftest import SCRIPT, SETUP, finished, order, state_of, wait_for

SEEN = View()


def runs_of(application, number):
    """Every finished run by its point and part."""
    found = application.trials.store.results(number)
    rows = zip(found.numbers.tolist(), found.parts.tolist(), map(np.ndarray.tobytes, found.figures), strict=True)
    return {(point, part): figures for point, part, figures in rows}


def alone(application, point, **dates):
    """The figures of one backtest at a point, as the Workbench makes it."""
    setup = SETUP.model_copy(update={"inputs": {k: v for k, v in point.items() if k in ("n", "m")}, **dates})
    return setup.prepared(application.library, application.datasets).backtest().figures["all"]


# --- stopping and going on -----------------------------------------------------------------------------------------


def test_a_stopped_trial_goes_on_and_equals_one_that_ran_through(application):
    trials = application.trials
    number = trials.start(order())
    wait_for(lambda: application.desk.trial(number).done >= 16)
    trials.stop(number)
    stopped = application.desk.trial(number)
    assert stopped.state == "stopped" and 16 <= stopped.done < stopped.total == 58 * 39
    trials.go_on(number)
    wait_for(lambda: state_of(application, number) == "done")
    other = finished(application, order())
    assert runs_of(application, number) == runs_of(application, other)
    assert application.desk.run(number, 100, SEEN).inputs == {"n": 5.0, "m": 24.0}


def test_several_pages_may_stop_it_and_go_on_with_it_at_once(application):
    trials = application.trials
    number = trials.start(order())

    def press(turn):
        for step in range(8):
            with suppress(ConflictError):  # it is running already
                (trials.stop, trials.go_on)[(turn + step) % 2](number)

    with ThreadPoolExecutor(4) as pool:
        for pressed in [pool.submit(press, turn) for turn in range(4)]:
            pressed.result()
    trials.stop(number)
    wait_for(lambda: state_of(application, number) in ("stopped", "done"))
    trials.go_on(number)
    wait_for(lambda: state_of(application, number) == "done")
    assert application.desk.trial(number).done == len(runs_of(application, number)) == 58 * 39


def test_a_run_that_cannot_be_says_so_and_an_order_that_cannot_be_is_refused(application):
    number = finished(application, order(vary=["n=1..2:0.5"]))
    assert "whole number" in application.desk.run(number, 1, SEEN).error
    for wrong, said in (
        ({"objective": "luck"}, "not a figure"),
        ({"vary": []}, "nothing varies"),
        ({"split": "1"}, "parts"),
    ):
        with pytest.raises(SettingsError, match=said):
            application.trials.start(order(**wrong))


WORKER = """
import sys
import time
from pathlib import Path
from skelb.service.application import Application
from skelb.service.trials.orders import TrialOrder
application = Application(Path(sys.argv[1]))
number = application.trials.start(TrialOrder.model_validate_json(sys.argv[2]))
while True:
    print(application.desk.trial(number).done, flush=True)
    time.sleep(0.02)
"""


def test_killed_in_the_middle_everything_committed_is_there_and_it_goes_on(application, tmp_path):
    application.close()
    command = [sys.executable, "-c", WORKER, str(tmp_path), order().model_dump_json()]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    seen = 0
    for line in process.stdout:
        seen = int(line)
        if seen >= 24:
            break
    process.send_signal(signal.SIGKILL)
    assert process.wait() == -signal.SIGKILL  # it was still at work
    again = Application(tmp_path)
    [line] = again.trials.store.newest()
    trial = again.desk.trial(line.id)
    assert (line.kind, line.title, line.market, line.axes) == ("sweep", "Sway", "WAVE", ("n", "m"))
    assert (line.done, line.total) == (trial.done, trial.total)
    assert trial.state == "stopped" and "interrupted" in trial.message and seen <= trial.done < trial.total
    again.trials.go_on(trial.id)
    wait_for(lambda: state_of(again, trial.id) == "done")
    assert len(runs_of(again, trial.id)) == again.desk.trial(trial.id).done == trial.total
    again.close()


def test_a_full_disk_stops_a_trial_keeps_what_is_stored_and_lets_it_go_on(application):
    pages = {"most": 0}

    def confine(connection, _record):
        if pages["most"]:
            connection.execute(f"PRAGMA max_page_count={pages['most']}")

    database = application.database
    event.listen(database.engine, "connect", confine)
    with database.session() as session:
        size = session.scalar(text("PRAGMA page_count"))
    pages["most"] = size + 120
    database.engine.dispose()
    number = application.trials.start(order())
    wait_for(lambda: state_of(application, number) != "running")
    trial = application.desk.trial(number)
    state, message = application.trials.standing(trial)
    assert state == "stopped" and "full" in message and "room" in message and 0 < trial.done < trial.total
    kept = runs_of(application, number)
    pages["most"] = 10_000_000
    database.engine.dispose()
    application.trials.go_on(number)
    wait_for(lambda: state_of(application, number) == "done")
    after = runs_of(application, number)
    assert len(after) == trial.total and all(after[key] == figures for key, figures in kept.items())


def test_a_trial_does_not_go_on_over_other_bars(application):
    number = application.trials.start(order())
    wait_for(lambda: application.desk.trial(number).done >= 16)
    application.trials.stop(number)
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(4000, seed=9)])
    with pytest.raises(ConflictError, match="changed since"):
        application.trials.go_on(number)


# --- a cluster -----------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def cluster():
    from distributed import LocalCluster

    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as found:
        yield found


def test_a_cluster_gives_the_same_to_the_last_bit_and_survives_a_lost_worker(application, cluster):
    here = finished(application, order(split="70,30"))
    application.trials.cluster = cluster.scheduler_address
    there = finished(application, order(split="70,30"))
    assert runs_of(application, here) == runs_of(application, there)

    number = application.trials.start(order())
    wait_for(lambda: application.desk.trial(number).done >= 64)
    victim = next(iter(cluster.workers.values()))
    victim.process.process.kill() if hasattr(victim.process, "process") else victim.process.kill()
    wait_for(lambda: state_of(application, number) != "running")
    assert state_of(application, number) == "done", application.desk.trial(number).message
    application.trials.cluster = ""
    assert runs_of(application, number) == runs_of(application, finished(application, order()))


def test_a_cluster_that_is_not_there_stops_the_trial_and_threads_go_on(application):
    application.trials.cluster = "tcp://127.0.0.1:9"
    number = application.trials.start(order(vary=["n"]))
    wait_for(lambda: state_of(application, number) != "running")
    trial = application.desk.trial(number)
    assert trial.state == "stopped" and "no cluster at tcp://127.0.0.1:9" in trial.message and trial.done == 0
    application.trials.cluster = ""
    application.trials.go_on(number)
    wait_for(lambda: state_of(application, number) == "done")


# --- reading -------------------------------------------------------------------------------------------------------


def test_every_part_of_a_split_is_the_backtest_of_its_dates(application):
    number = finished(application, order(vary=["n=5..20:5", "m=4,8"], split="60,25,15"))
    trial = application.desk.trial(number)
    inside, outside = (part.span for part in trial.parts)
    assert inside.days > outside.days > trial.held_back.days > 0 and outside.last < trial.held_back.first
    for point in range(8):
        found = application.desk.run(number, point, SEEN)
        chosen = point_at(trial.axes, point)
        assert found.figures == alone(application, chosen, from_date=inside.first, to_date=inside.last)
        assert found.outside == alone(application, chosen, from_date=outside.first, to_date=outside.last)
    pairs = application.desk.in_against_out(number, SEEN)
    assert pairs.pairs == 8 and pairs.x[3] == application.desk.run(number, 3, SEEN).figures["net_profit"]


def test_the_held_back_part_is_locked_and_every_look_counts_for_the_script(application):
    number = finished(application, order(vary=["n=5..20:5"], split="60,25,15"))
    trial = application.desk.trial(number)
    assert application.desk.looks(trial) == 0
    held = trial.held_back
    figures, looks = application.desk.look(number, 2)
    assert looks == 1 and figures == alone(application, {"n": 15.0}, from_date=held.first, to_date=held.last)
    later = application.desk.trial(finished(application, order(vary=["m=4,6"], split="50,30,20")))
    assert application.desk.looks(later) == 1  # the same days, seen with the same script
    other = order(
        setup=SETUP.model_copy(update={"text": SCRIPT.replace("Sway", "Other")}), vary=["n"], split="60,25,15"
    )
    assert application.desk.looks(application.desk.trial(finished(application, other))) == 0
    whole = application.desk.trial(finished(application, order(vary=["n"])))  # told though nothing is held back now
    assert application.desk.looks(whole) == 0 and application.desk.looks_ever(whole) == 1
    with pytest.raises(ConflictError, match="nothing back"):
        application.desk.look(finished(application, order(vary=["n"])), 0)


def test_a_table_is_filtered_and_sorted_by_anything_it_shows(application):
    number = finished(application, order(vary=["n=4..40:4", "m=4,8,16"]))
    every = application.desk.table(number, SEEN, "n", False, {}, {}, 0, 500).rows
    assert [row.inputs["n"] for row in every] == sorted(row.inputs["n"] for row in every) and len(every) == 30
    found = application.desk.table(
        number, SEEN, "net_profit", True, {"trades": 100}, {"max_drawdown_percent": 1.0}, 2, 5
    )
    plain = [r for r in every if r.figures["trades"] >= 100 and r.figures["max_drawdown_percent"] <= 1.0]
    plain.sort(key=lambda row: -row.figures["net_profit"])
    assert found.matching == len(plain) and found.rows == plain[2:7]
    by_score = application.desk.table(number, SEEN, "neighbourhood", True, {}, {}, 0, 1).rows[0]
    surface = application.desk.surface(number, SEEN, None, None, {}, "middle", 0)
    assert by_score.number == surface.plateau
    curves = {curve.name: curve for curve in application.desk.curves(number, 7, SEEN)}
    assert [point.number for point in curves["n"].points] == list(range(1, 30, 3)) and curves["n"].at == 2
    assert [point.number for point in curves["m"].points] == [6, 7, 8]


def test_a_front_is_told_with_its_scatter(application):
    number = finished(application, order(vary=["n=4..40:4", "m=4,8,16"]))
    found = application.desk.front(number, SEEN, ["net_profit", "max_drawdown"])
    rows = found.rows
    assert [row.number for row in rows] == found.dots.front and len(found.dots.x) == 30
    nets, falls = ([row.figures[key] for row in rows] for key in ("net_profit", "max_drawdown"))
    assert nets == sorted(nets, reverse=True) and falls == sorted(falls, reverse=True)
    more = application.desk.front(number, SEEN, ["net_profit", "max_drawdown", "win_rate"]).dots.front
    assert set(more) >= set(found.dots.front)  # who is best in two of three is beaten by nobody in all


def test_an_export_holds_every_run_and_reads_back(application, tmp_path):
    number = finished(application, order(vary=["n=0.5,5,6", "m=4,8"], split="60,40"))
    for form, read in (("csv", pyarrow.csv.read_csv), ("parquet", pyarrow.parquet.read_table)):
        path = tmp_path / f"runs.{form}"
        path.write_bytes(application.desk.export(number, form))
        rows = read(path).to_pylist()
        assert len(rows) == 12 and [row["part"] for row in rows[:2]] == ["in sample"] * 2
        one = next(row for row in rows if (row["n"], row["m"], row["part"]) == (6, 8, "out of sample"))
        assert one["net_profit"] == application.desk.run(number, 5, SEEN).outside["net_profit"]
        assert "whole number" in rows[0]["error"] and rows[0]["net_profit"] is None


def test_a_walk_forward_chooses_on_every_window_and_trades_the_days_after(application):
    asked = order(kind="walk", vary=["n=4..24:4", "m=4,8"], windows={"count": 3, "ratio": 3})
    number = finished(application, asked)
    trial = application.desk.trial(number)
    found = application.desk.walk(number, SEEN, "value")
    assert len(found.windows) == found.windows_in_all == 3
    inside_net = outside_net = inside_days = outside_days = 0.0
    for part, window in zip(trial.parts, found.windows, strict=True):
        nets = [
            alone(application, point_at(trial.axes, k), from_date=part.span.first, to_date=part.span.last)["net_profit"]
            for k in range(12)
        ]
        assert window.chosen == point_at(trial.axes, int(np.argmax(nets)))
        after = alone(application, window.chosen, from_date=part.outside.first, to_date=part.outside.last)
        inside_net, outside_net = inside_net + max(nets), outside_net + after["net_profit"]
        inside_days, outside_days = inside_days + part.span.days, outside_days + part.outside.days
    assert found.efficiency == pytest.approx((outside_net / outside_days) / (inside_net / inside_days))
    assert found.stitched.net == pytest.approx(sum(w.outside_figures["net_profit"] for w in found.windows))
    fixed = [alone(application, {}, from_date=p.outside.first, to_date=p.outside.last) for p in trial.parts]
    assert found.fixed.net == pytest.approx(sum(figures["net_profit"] for figures in fixed))
    nothing = application.desk.walk(number, View(min_trades=10_000), "value")
    assert nothing.sentence.startswith("No window had a run that counts") and nothing.stitched.net == 0
    assert nothing.efficiency is None and {window.chosen for window in nothing.windows} == {None}
    with pytest.raises(NotFoundError, match="no walk-forward"):
        application.desk.walk(finished(application, order(vary=["n=4,5"])), SEEN, "value")


def test_a_layout_is_made_once_until_what_it_stands_on_is_saved(application):
    asked = order(vary=["n=5..20:5"])
    first = application.trials.layout(asked)
    application.library.tell("runs")
    assert application.trials.layout(order(vary=["n=5..20:5"])) is first
    application.library.save_account("Another", {})
    again = application.trials.layout(asked)
    assert again is not first and again.axes == first.axes
    assert application.trials.layout(order(vary=["n=5..20:1"])).total == 16


def test_a_search_tells_its_conditions_and_gives_each_as_a_script(application):
    conditions = ["close > sma(close, n)", "rsi(close, 5) > 55"]
    number = finished(application, order(kind="search", vary=[], search={"conditions": conditions}))
    rows = application.desk.table(number, SEEN, "net_profit", True, {}, {}, 0, 10).rows
    assert {row.label for row in rows} == {*conditions, " and ".join(conditions)} and len(rows) == 6
    best = rows[0]
    setup = SETUP.model_copy(update={"text": application.desk.script_of(number, best.number)})
    assert setup.prepared(application.library, application.datasets).backtest().figures["all"] == best.figures


def test_an_estimate_counts_runs_parts_and_memory(application):
    def estimate(**given):
        return estimated(application.trials.layout(order(**given)))

    found = estimate(split="60,40")
    assert found.runs == 58 * 39 * 2 and found.seconds > 0
    assert found.memory_bytes > found.runs * 8 * 30
    dataset = SETUP.dataset(application.datasets)
    assert not dataset.memo.keys  # what an estimate computes goes with it, so that the next one is no smaller
    mostly = estimate(vary=["n=4.5..9.5:0.5"])  # the middle cannot run, others can
    assert mostly.runs == 11 and mostly.seconds > 0
    with pytest.raises(SettingsError, match="whole number"):
        estimate(vary=["n=4.5..6.5:1"])
    assert estimate(design="latin", runs=50).runs <= 50


def test_what_a_trial_computed_goes_when_it_is_done(application):
    dataset = SETUP.dataset(application.datasets)
    before = len(dataset.memo.keys), dataset.memo.held_bytes
    finished(application, order(vary=["n=5..20:1", "m=4,8"]))
    assert (len(dataset.memo.keys), dataset.memo.held_bytes) == before


# --- many ----------------------------------------------------------------------------------------------------------


def test_a_hundred_thousand_runs_are_stored_and_read(application):
    """Figures made up, since only storing and reading is meant."""
    wide = order(vary=["n=3..327:1", "m=2..310:1"])
    layout = application.trials.layout(wide)
    number = application.trials.store.add(wide, layout)
    rng = np.random.default_rng(1)
    template = dict.fromkeys(alone(application, {}), 0.0)
    nets = rng.normal(size=layout.total)
    for start in range(0, layout.total, 4_000):
        cells = [Cell(k, 0, {**template, "trades": 50, "net_profit": nets[k]}) for k in range(start, min(start + 4_000, layout.total))]  # fmt: skip
        application.trials.store.commit(number, start // 4_000, Results.of(cells), lambda session: None)
    assert layout.total == 100_425 and application.desk.trial(number).done == layout.total
    surface = application.desk.surface(number, SEEN, None, None, {}, "middle", 0)
    assert surface.values == nets.tolist() and surface.best == int(np.argmax(nets))
    page = application.desk.table(number, SEEN, "net_profit", True, {}, {}, 1_000, 50)
    assert [row.number for row in page.rows] == np.argsort(-nets)[1_000:1_050].tolist()
    application.trials.go_on(number)  # nothing is missing but the word that all is there
    wait_for(lambda: state_of(application, number) == "done")


# --- baskets -------------------------------------------------------------------------------------------------------


def test_a_basket_stands_beside_holding_each_or_an_index(application):
    for symbol, seed in (("ONE", 5), ("TWO", 6), ("INDEX", 7)):
        application.library.save_market(symbol, "", {"tick": 0.25}, [wave_bars(800, seed=seed)])

    def run(dropped=(), against=None):
        setup = SETUP.model_copy(update={"basket": ("ONE", "TWO")})
        return basket_run(setup, dropped, against, application.library, application.datasets)

    plain, indexed, alone = run(), run(against="INDEX"), run(["TWO"])
    one, index = wave_bars(800, seed=5), wave_bars(800, seed=7)
    assert alone.holding[-1] == pytest.approx(100_000 * one.close[-1] / one.open[0])
    assert indexed.holding[-1] == pytest.approx(100_000 * index.close[-1] / index.open[0])
    assert plain.equity == indexed.equity and plain.figures["all"]["beta"] != indexed.figures["all"]["beta"]
    assert [row.market for row in alone.rows] == ["ONE"]
    assert alone.findings[0].code == "markets_dropped"
    assert sum(row.figures["net_profit"] for row in plain.rows) == pytest.approx(plain.figures["all"]["net_profit"])
