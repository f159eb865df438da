"""Tries are counted whoever made them, once, and stay counted."""

from dataclasses import replace

import numpy as np
import pytest

from skelb.core.figures import daily_of
from skelb.core.trials import Results, Task, Try, run_tasks
from skelb.service.application import Application
from skelb.service.tallies import Tallies, Worth, odds
from skelb.service.trials.desk import View
from skelb.service.trials.whole import run_layout
from skelb.service.workbench import Workbench
from skelb.store import StoreError
from tests.conftest import wave_bars
from tests.service.conftest import SETUP, finished, order, tried, worth

SEEN = View("net_profit", 1)


def test_a_setting_counts_once_whatever_made_it(application):
    finished(application, order(vary=["n=5..20:5"]))
    assert tried(application) == 4
    finished(application, order(vary=["n=5..20:5"]))
    assert tried(application) == 4  # the very same
    finished(application, order(vary=["n=5,6", "m=3,4"], split="60,40"))
    assert tried(application) == 7  # the days outside were not chosen on, and n=5 m=4 was seen on all days
    finished(application, order(kind="walk", vary=["n=8,9"], windows={"count": 3}))
    assert tried(application) == 9  # in three windows each
    workbench = Workbench(application.library, application.datasets, application.tallies)
    for _ in range(3):
        workbench.run(SETUP.model_copy(update={"inputs": {"n": 31.0}}))
        workbench.figures_with(SETUP, "n", 32.0)
    assert tried(application) == 11
    finished(application, order(vary=["n=40,41", "timeframe=15m,30m"]))
    assert tried(application) == 15
    assert tried(application, "Other") == 0


def test_what_was_tried_is_remembered(application, tmp_path):
    number = finished(application, order(vary=["n=5..20:1"]))
    Workbench(application.library, application.datasets, application.tallies).run(SETUP)
    before, told = worth(application), application.desk.deflation(number, SEEN)
    application.close()
    again = Application(tmp_path)
    after = worth(again)
    assert (after.settings, after.by_luck, after.spread) == (before.settings, before.by_luck, before.spread)
    assert [(item.label, share) for item, share in after.listed] == [
        (item.label, share) for item, share in before.listed
    ]
    assert again.desk.deflation(number, SEEN) == told
    assert told.luck.settings == told.deflation.tries == after.settings
    assert told.luck.is_kept and f"{after.settings} settings looked at" in told.luck.sentence
    assert told.luck.best[0].label.startswith(f"trial {number}, WAVE 15m  n=")
    assert told.overfitting.settings == 16
    again.close()


def test_a_try_that_could_not_be_written_is_made_again(application):
    dataset = SETUP.dataset(application.datasets)
    sweep = SETUP.prepared(application.library, application.datasets).sweep()
    layout = application.trials.layout(order(vary=["n=5..8:1"]))
    cells = run_tasks(sweep, [Task(number, {"n": 5.0 + number}) for number in range(4)])
    with pytest.raises(StoreError), application.tallies.counting("Sway", layout.tries(cells, "a test")):
        raise StoreError("the disk is full")
    assert tried(application) == 0
    application.tallies.count("Sway", layout.tries(cells, "a test"))
    assert tried(application) == 4 and dataset.data_version == 1


def test_a_trial_from_before_tries_were_counted_is_not_praised(application):
    wanted = order(vary=["n=5..8:1"])
    number = application.trials.store.add(wanted, application.trials.layout(wanted))
    sweep = SETUP.prepared(application.library, application.datasets).sweep()
    cells = run_tasks(sweep, [Task(at, {"n": 5.0 + at}) for at in range(4)])
    application.trials.store.commit(number, 0, Results.of(cells), lambda session: None)
    found = application.desk.deflation(number, SEEN)
    assert found.luck.by_luck is None and "run it again to weigh it" in found.luck.sentence
    assert found.deflation is None


def test_a_file_that_takes_no_more_leaves_a_command_its_runs(application, monkeypatch):
    layout = application.trials.layout(order(vary=["n=5..20:1"]))

    def full(*_):
        raise StoreError("the disk is full")

    monkeypatch.setattr("skelb.service.tallies._write", full)
    tallies = Tallies(application.database)
    results = run_layout(layout, 1, None, tallies, lambda done, total: None)
    assert len(results) == 16 and not tallies.is_kept
    sweep = layout.sweep
    assert tallies.worth("Sway", sweep.dataset, daily_of(sweep.record({"n": 9.0}))).settings == 16
    assert tried(application) == 0


def test_what_is_sounded_beside_a_run_is_told_with_its_value(application):
    workbench = Workbench(application.library, application.datasets, application.tallies)
    workbench.figures_with(SETUP, "n", 32.0)
    [(item, _)] = worth(application).listed
    assert item.label == "typed, WAVE 15m  n=32"


def test_bars_that_came_later_do_not_make_one_forget(application):
    finished(application, order(vary=["n=5..20:1"]))
    chance = worth(application).by_luck
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(4_200)])
    finished(application, order(vary=["n=5,12"]))
    found = worth(application)
    assert found.settings == 16 and found.by_luck >= chance / 2  # of five and twelve, what the longer bars show


def test_who_only_looks_counts_for_as_long_as_it_looks(application, tmp_path):
    finished(application, order(vary=["n=5..8:1"]))
    application.close()
    looking = Application(tmp_path, read_only=True)
    Workbench(looking.library, looking.datasets, looking.tallies).run(SETUP.model_copy(update={"inputs": {"n": 31.0}}))
    assert tried(looking) == 5 and not looking.tallies.is_kept
    looking.close()
    again = Application(tmp_path)
    assert tried(again) == 4
    again.close()


def test_without_a_folder_it_lasts_as_long_as_the_command(application):
    tallies = Tallies(None)
    sweep = SETUP.prepared(application.library, application.datasets).sweep()
    alone = tallies.worth("Sway", sweep.dataset, daily_of(sweep.record({})))
    assert (alone.settings, alone.by_luck) == (0, None) and "run it again to weigh it" in alone.sentence
    known = daily_of(sweep.record({}))
    still = replace(known, changes=np.zeros(known.changes.size))
    tallies.count("Sway", [(sweep.dataset, [Try("still", 1, still)])])
    quiet = tallies.worth("Sway", sweep.dataset, still)
    assert quiet.by_luck is None and "nothing to weigh" in quiet.sentence


@pytest.mark.parametrize(
    ("share", "said"),
    [(1.0, "10 of 10"), (0.31, "3 of 10"), (0.04, "4 of 100"), (0.051, "5 of 100"), (0.095, "1 of 10"), (0.001, "1 of 1,000"), (0.0, "fewer than 1 of 1,000"), (None, "")],
)  # fmt: skip
def test_a_share_is_said_as_so_many_of_so_many(share, said):
    assert odds(share) == said


@pytest.mark.parametrize(
    ("share", "said"),
    [(0.001, "hard to explain by luck"), (0.05, "hard to explain by luck"), (0.051, "not proven"), (0.2, "not proven"), (0.21, "no more than luck shows")],
)  # fmt: skip
def test_the_verdict_goes_by_the_share_of_histories(share, said):
    assert Worth(1, None, share, True, []).sentence.endswith(f"histories: {said}.")
    assert Worth(412, None, 0.31, True, []).sentence.startswith(
        "Of 412 settings looked at, one this good comes from luck alone in 3 of 10 histories"
    )
