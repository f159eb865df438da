"""One program writes to a data folder; the next is told who, and may look."""

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import threading

import pytest

from skelb.core.errors import ConflictError, SettingsError
from skelb.core.figures import FIGURE_KEYS
from skelb.core.trials import Cell, Results
from skelb.service.application import Application
from skelb.service.folder import access_token, hold_folder
from skelb.store import FILE_NAME, StoreError
from tests.service.conftest import order

HOLDING = """
import sys
from pathlib import Path
from skelb.service.folder import hold_folder
hold_folder(Path(sys.argv[1]), "process 7, http://127.0.0.1:1/")
print("held", flush=True)
sys.stdin.read()
"""
SCRIPT = 'title "Sway"\nsway = sma(close, 3)\n'


@pytest.fixture
def held(tmp_path):
    """A folder that another program has open."""
    other = subprocess.Popen(
        [sys.executable, "-c", HOLDING, str(tmp_path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert other.stdout.readline() == "held\n"
    yield tmp_path, other
    other.kill()
    other.wait()


def test_the_second_is_told_who_has_the_folder_and_gets_it_when_that_one_was_killed(held):
    folder, other = held
    with pytest.raises(SettingsError, match=r"another Skelb \(process 7, http://127.0.0.1:1/\).*--read-only"):
        hold_folder(folder, "me")
    other.kill()
    other.wait()
    hold_folder(folder, "me")


def test_serve_refuses_a_folder_that_is_open_elsewhere_in_one_line(held):
    folder, _ = held
    command = [sys.executable, "-m", "skelb.program", "serve", "--port", "0"]
    done = subprocess.run(command, env={**os.environ, "SKELB_HOME": str(folder)}, capture_output=True, text=True)
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and "is open in another Skelb" in done.stderr
    assert not (folder / FILE_NAME).exists()


def test_a_program_that_the_machine_ends_leaves_word_where_it_was(tmp_path):
    command = [sys.executable, "-m", "skelb.program", "serve", "--port", "0"]
    process = subprocess.Popen(command, env={**os.environ, "SKELB_HOME": str(tmp_path)}, stdout=subprocess.PIPE)
    assert b"Skelb is open at" in process.stdout.readline()
    process.send_signal(signal.SIGSEGV)
    assert process.wait() == -signal.SIGSEGV
    assert "Fatal Python error: Segmentation fault" in (tmp_path / "crash.txt").read_text()


def test_read_only_shows_what_is_there_and_writes_nothing(tmp_path):
    writing = Application(tmp_path)
    writing.library.save_script(SCRIPT)
    looking = Application(tmp_path, read_only=True)
    assert looking.library.script("Sway").newest.text == SCRIPT
    with pytest.raises(StoreError, match="--read-only, to look at; nothing was changed"):
        looking.library.save_script(SCRIPT + "# more\n")
    writing.library.save_script(SCRIPT + "# more\n")
    assert looking.library.script("Sway").newest.number == 2
    looking.close()
    writing.close()
    with pytest.raises(StoreError):
        Application(tmp_path / "nothing here", read_only=True)
    assert not (tmp_path / "nothing here").exists()


def test_the_token_stays_the_same_and_is_the_owners_alone(tmp_path):
    found = access_token(tmp_path)
    assert len(found) >= 20 and access_token(tmp_path) == found
    assert (tmp_path / "token").stat().st_mode & 0o777 == 0o600
    (tmp_path / "token").write_text("")
    assert access_token(tmp_path) not in ("", found)


@pytest.mark.parametrize("how", ["deleted", "replaced"])
def test_a_folder_that_was_taken_away_takes_no_more_writes(tmp_path, how):
    application = Application(tmp_path / "home")
    application.library.save_script(SCRIPT)
    shutil.move(tmp_path / "home", tmp_path / "away")
    if how == "replaced":
        Application(tmp_path / "home").close()
    with pytest.raises(StoreError, match="taken away or replaced"):
        application.library.save_script(SCRIPT + "# more\n")
    application.close()
    assert Application(tmp_path / "away").library.script("Sway").newest.number == 1


def test_a_newer_file_is_left_alone_with_a_sentence(tmp_path):
    Application(tmp_path).close()
    with sqlite3.connect(tmp_path / FILE_NAME) as file:
        file.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(StoreError, match="written by a newer Skelb"):
        Application(tmp_path)


def test_a_damaged_page_is_told_in_a_sentence(tmp_path):
    application = Application(tmp_path)
    for number in range(300):
        application.library.save_script(f'title "Sway {number}"\n# {"x" * 900}\n')
    application.close()
    with sqlite3.connect(tmp_path / FILE_NAME) as file:
        file.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        root = file.execute("SELECT rootpage FROM sqlite_master WHERE name = 'script_version'").fetchone()[0]
        size = file.execute("PRAGMA page_size").fetchone()[0]
    with open(tmp_path / FILE_NAME, "r+b") as file:
        file.seek((root - 1) * size)
        file.write(b"\xa5" * size)
    damaged = Application(tmp_path)
    with pytest.raises(StoreError, match="it is damaged"):
        damaged.library.scripts()


def test_saves_of_one_title_from_many_programs_become_one_version_each(tmp_path):
    programs = [Application(tmp_path) for _ in range(4)]
    troubles = []

    def save(number):
        try:
            for count in range(10):
                programs[number].library.save_script(f'title "Sway"\n# {number} {count}\n')
        except Exception as exc:  # noqa: BLE001 - told below: a thread's own end is silent
            troubles.append(exc)

    threads = [threading.Thread(target=save, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert troubles == []
    versions = programs[0].library.script("Sway").versions
    assert [version.number for version in versions] == list(range(1, 41))
    assert len({version.text for version in versions}) == 40


def test_a_trial_that_runs_elsewhere_stores_nothing_twice(application):
    wanted = order()
    number = application.trials.store.add(wanted, application.trials.layout(wanted))
    figures = dict.fromkeys(FIGURE_KEYS, 1.0)
    one, two = Results.of([Cell(0, 0, figures)]), Results.of([Cell(0, 0, figures), Cell(1, 0, figures)])
    assert application.trials.store.commit(number, 0, one, lambda session: None) == 1
    with pytest.raises(ConflictError, match="another program is running trial"):
        application.trials.store.commit(number, 0, two, lambda session: None)
    assert application.trials.store.results(number).numbers.tolist() == [0]
    assert application.trials.store.commit(number, 1, Results.of([Cell(1, 0, figures)]), lambda session: None) == 2
