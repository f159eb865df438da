"""A fault at every single write: what was there stays, what was asked is there whole or not at all, asking again works."""

import os
import random
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from threading import get_ident

import pytest

from skelb.service.application import Application
from skelb.store import FILE_NAME, StoreError
from tests.conftest import wave_bars
from tests.generated import seeds
from tests.service.conftest import SCRIPT, SETUP, order, wait_for

SHORT_TRIAL = order(vary=["n=5..8:1"])
ACTIONS = {
    "import": lambda of: of.library.save_market("MORE", "More", {"tick": 0.25}, [wave_bars(300), wave_bars(90, minutes=60)]),
    "import again": lambda of: of.library.save_market("WAVE", "A wave", {"tick": 0.5}, [wave_bars(300, seed=8)]),
    "save": lambda of: of.library.save_script('title "Swell"\nswell = sma(close, 3)\n'),
    "save again": lambda of: of.library.save_script(f"{SCRIPT}# more\n"),
    "rename": lambda of: of.keeping.rename_script("Sway", "Swing"),
    "take away": lambda of: of.keeping.remove("script", "Sway"),
    "keep": lambda of: of.runs.keep(SETUP),
    "account": lambda of: of.library.save_account("Plain", {"capital": 5}),
    "choose": lambda of: of.library.set_preference("tried", "yes"),
    "trial": lambda of: ran(of, of.trials.start(SHORT_TRIAL)),
}  # fmt: skip
TROUBLES = ("database or disk is full", "disk I/O error")


def ran(application, number):
    """Waits for a trial; what stopped it is raised."""
    wait_for(lambda: application.trials.standing(application.desk.trial(number))[0] != "running")
    state, message = application.trials.standing(application.desk.trial(number))
    if state != "done":
        raise StoreError(message)


class Writes:
    """Counts an application's writes and the commits of them, and does something at one."""

    def __init__(self, application, at=None, fault=None):
        self.count, self._at, self._fault, self._writing = 0, at, fault, set()
        dialect = application.database.engine.dialect
        for name in ("do_execute", "do_executemany", "do_commit"):
            setattr(dialect, name, self._counting(getattr(dialect, name)))

    def _counting(self, done):
        def counted(*arguments):
            is_write = len(arguments) > 1 and re.match("insert|update|delete", arguments[1], re.IGNORECASE)
            me = get_ident()  # others read meanwhile
            if is_write or (len(arguments) == 1 and me in self._writing):
                self.count += 1
                (self._writing.add if is_write else self._writing.discard)(me)
                if self.count == self._at:
                    self._fault()
            return done(*arguments)

        return counted


def records(folder):
    """Everything in the data file, without the times of writing; it is whole."""
    with closing(sqlite3.connect(folder / FILE_NAME)) as connection:
        assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
        assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
        return [re.sub(r"'\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d+'", "then", line) for line in connection.iterdump()]


@pytest.fixture
def filled(application, tmp_path):
    """A folder with a script, a market, an account and a kept run, closed; and a way to copies of it."""
    application.library.save_script(SCRIPT)
    application.runs.keep(SETUP)
    application.close()

    def copy(name):
        shutil.rmtree(tmp_path / name, ignore_errors=True)
        (tmp_path / name).mkdir()
        shutil.copy(tmp_path / FILE_NAME, tmp_path / name / FILE_NAME)
        return tmp_path / name

    return copy


def done_well(folder, act):
    """Does it undisturbed; how many writes that took."""
    application = Application(folder)
    writes = Writes(application)
    act(application)
    application.close()
    return writes.count


def raising(trouble):
    def raised():
        raise sqlite3.OperationalError(trouble)

    return raised


@pytest.mark.parametrize("name", ACTIONS)
def test_a_disk_that_fails_at_any_write_loses_nothing(filled, name):
    folder = filled("well")
    before = records(folder)
    count = done_well(folder, ACTIONS[name])
    after = records(folder)
    assert count >= 2 and after != before
    for at in range(1, count + 1):
        for trouble in TROUBLES:
            folder = filled("ill")
            application = Application(folder)
            Writes(application, at, raising(trouble))
            with pytest.raises(StoreError, match=f"{trouble}|interrupted"):
                ACTIONS[name](application)
            if name == "trial":
                goes_on(application, trouble)
            else:
                assert records(folder) == before
                ACTIONS[name](application)  # the disk is well again: no need to start anew
                assert records(folder) == after
            application.close()


def goes_on(application, trouble):
    """A trial that a fault stopped says so, and its missing runs are made; one that was not even stored leaves nothing."""
    lines = application.trials.store.newest()
    for line in lines:
        state, message = application.trials.standing(application.desk.trial(line.id))
        assert state == "stopped" and (trouble in message or line.done == 0)
        application.trials.go_on(line.id)
        ran(application, line.id)
        results = application.trials.store.results(line.id)
        assert sorted(results.numbers.tolist()) == [0, 1, 2, 3]


@pytest.mark.parametrize("name", ACTIONS)
def test_killed_at_any_write_it_is_there_whole_or_not_at_all(filled, name):
    folder = filled("well")
    before = records(folder)
    count = done_well(folder, ACTIONS[name])
    after = records(folder)
    for at in range(1, count + 1):
        folder = filled("ill")
        child = os.fork()
        if child == 0:  # nothing of the tests goes on in here
            try:
                application = Application(folder)
                Writes(application, at, lambda: os.kill(os.getpid(), signal.SIGKILL))
                ACTIONS[name](application)
            finally:
                os._exit(1)
        assert os.waitpid(child, 0)[1] == signal.SIGKILL
        application = Application(folder)
        if name == "trial":
            goes_on(application, "interrupted")
        else:
            assert records(folder) == before  # its one transaction was not committed
            ACTIONS[name](application)
            assert records(folder) == after
        application.close()


BUSY = """
import random
import sys
from pathlib import Path
from skelb.service.application import Application
from tests.service.test_faults import ACTIONS
application = Application(Path(sys.argv[1]))
dice = random.Random(int(sys.argv[2]))
print("at work", flush=True)
while True:
    name = dice.choice([name for name in ACTIONS if name not in ("import again", "rename", "take away")])
    if name == "save again":
        application.library.save_script(f'title "Sway"\\n# {dice.random()}\\n')
    else:
        ACTIONS[name](application)
"""


@pytest.mark.law
def test_killed_at_any_moment_the_folder_opens_with_all_that_was_committed(filled):
    folder = filled("busy")
    runs = versions = 0
    for seed in seeds(4):
        process = subprocess.Popen(
            [sys.executable, "-X", "faulthandler", "-c", BUSY, str(folder), str(seed)], stdout=subprocess.PIPE
        )
        assert process.stdout.readline() == b"at work\n"
        time.sleep(random.Random(seed).uniform(0, 1.5))
        process.kill()
        assert process.wait() == -signal.SIGKILL
        records(folder)  # whole
        application = Application(folder)
        library = application.library
        # What one start found, the next finds too.
        assert len(application.runs.newest(10**6)) >= runs and len(library.script("Sway").versions) >= versions
        runs, versions = len(application.runs.newest(10**6)), len(library.script("Sway").versions)
        assert [version.number for version in library.script("Sway").versions] == list(range(1, versions + 1))
        for market in library.markets():
            for stored in market.bars:
                assert len(library.bars(stored)) == stored.row_count
        for line in application.trials.store.newest(10):
            application.trials.go_on(line.id)
            ran(application, line.id)
            assert sorted(application.trials.store.results(line.id).numbers.tolist()) == [0, 1, 2, 3]
        application.close()
