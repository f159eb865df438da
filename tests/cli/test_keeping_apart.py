"""What is kept, taken elsewhere and back: the whole as a backup, the shelf as a folder of files."""

import json
import os
import sqlite3
from pathlib import Path

import pytest

from skelb.service.application import Application
from tests.cli.forked import forker
from tests.conftest import Server, wave_bars

SCRIPT = 'title "Own swell"\nup = close > open\nenter long when up\nsize 1 units\n'


@pytest.fixture
def home(tmp_path):
    found = tmp_path / "home"
    application = Application(found)
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(500)])
    application.library.save_script(SCRIPT)
    application.library.save_script(SCRIPT.replace("Own swell", "Über: a / odd? name"))
    application.close()
    return found


def skelb(home, *arguments, expect=0):
    done = forker().run(arguments, home.parent, {**os.environ, "SKELB_HOME": str(home)})
    assert done.returncode == expect, done.stderr + done.stdout
    assert "Traceback" not in done.stderr
    return done.stderr if expect == 2 else done.stdout


def titles(home):
    application = Application(home)
    try:
        return {script.title: len(script.versions) for script in application.library.scripts()}
    finally:
        application.close()


def test_a_backup_holds_everything_and_is_put_back(home, tmp_path):
    copy = tmp_path / "copy.sqlite3"
    assert "MB, everything" in skelb(home, "backup", copy)
    application = Application(home)
    application.library.save_script(SCRIPT.replace("Own swell", "Later"))
    application.close()
    assert "is there already" in skelb(home, "backup", copy, expect=2)
    said = skelb(home, "restore", copy)
    assert "what was there is skelb.sqlite3.before-1" in said
    assert titles(home) == {"Own swell": 1, "Über: a / odd? name": 1}
    skelb(home, "restore", home / "skelb.sqlite3.before-1")
    assert "Later" in titles(home) and (home / "skelb.sqlite3.before-2").exists()
    elsewhere = tmp_path / "elsewhere"
    assert "what was there" not in skelb(elsewhere, "restore", copy)
    assert titles(elsewhere) == {"Own swell": 1, "Über: a / odd? name": 1}


def test_a_backup_is_made_while_it_is_written_and_not_restored_while_it_is_open(home, tmp_path):
    server = Server(home).start()
    try:
        copy = tmp_path / "copy.sqlite3"
        skelb(home, "backup", copy)
        assert "is open in another Skelb" in skelb(home, "restore", copy, expect=2)
    finally:
        server.kill()
    with sqlite3.connect(copy) as connection:
        assert connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    skelb(home, "restore", copy)
    assert "Own swell" in titles(home)


def test_what_is_no_backup_changes_nothing(home, tmp_path):
    junk, other, newer = tmp_path / "junk", tmp_path / "other.sqlite3", tmp_path / "newer.sqlite3"
    junk.write_bytes(b"not a database at all" * 500)
    with sqlite3.connect(other) as connection:
        connection.execute("CREATE TABLE a (b)")
    skelb(home, "backup", newer)
    with sqlite3.connect(newer) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    for path, why in ((junk, "no backup that can be read"), (other, "no data file of Skelb"), (newer, "newer Skelb"), (tmp_path / "none", "there is no backup")):  # fmt: skip
        assert why in skelb(home, "restore", path, expect=2)
        assert set(titles(home)) == {"Own swell", "Über: a / odd? name"}
    assert sorted(
        path.name for path in home.glob("skelb.sqlite3*") if "-wal" not in path.name and "-shm" not in path.name
    ) == ["skelb.sqlite3"]
    assert "no data file" in skelb(tmp_path / "empty", "backup", tmp_path / "x", expect=2)


def test_the_shelf_is_written_read_back_and_differences_are_shown(home, tmp_path):
    folder = tmp_path / "scripts"
    assert "2 scripts, 0 the same" in skelb(home, "shelf", "write", folder)
    assert sorted(path.name for path in folder.iterdir()) == ["own-swell.skelb", "uber-a-odd-name.skelb"]
    assert (folder / "own-swell.skelb").read_text() == SCRIPT
    assert "2 scripts, 2 the same" in skelb(home, "shelf", "read", folder)

    edited = SCRIPT.replace("close > open", "close > high - 1")
    (folder / "own-swell.skelb").write_text(edited)
    (folder / "deep" / "er").mkdir(parents=True)
    (folder / "deep" / "er" / "fresh.skelb").write_text(SCRIPT.replace("Own swell", "Fresh"))
    told = skelb(home, "shelf", "read", folder, expect=1)
    assert "own-swell.skelb: Own swell differs" in told and "-up = close > open\n+up = close > high - 1" in told
    assert titles(home)["Fresh"] == 1 and titles(home)["Own swell"] == 1
    # Neither way writes over what the other does not have.
    assert "Own swell differs" in skelb(home, "shelf", "write", folder, expect=1)
    assert (folder / "own-swell.skelb").read_text() == edited
    found = json.loads(skelb(home, "shelf", "read", folder, "--take", "--json"))
    assert {item["title"]: item["how"] for item in found} == {
        "Own swell": "changed",
        "Über: a / odd? name": "same",
        "Fresh": "same",
    }
    assert titles(home)["Own swell"] == 2
    # An earlier version in the folder is brought up to date, and not taken for an edit.
    (folder / "own-swell.skelb").write_text(SCRIPT)
    assert "is an earlier version" in skelb(home, "shelf", "read", folder, expect=1)
    assert "Own swell changed" in skelb(home, "shelf", "write", folder, "--title", "Own swell")
    assert (folder / "own-swell.skelb").read_text() == edited


def test_files_that_cannot_be_are_refused(home, tmp_path):
    untitled, binary = tmp_path / "untitled.skelb", tmp_path / "binary.skelb"
    untitled.write_text("up = close > open\n")
    binary.write_bytes(b"title \xff\xfe")
    for arguments, why in (
        (["read", untitled], "has no title"), (["read", binary], "not UTF-8"), (["read", tmp_path / "none.skelb"], "cannot be read"),
        (["write", tmp_path / "x", "--title", "Nobody"], "Nobody"), (["write", Path("/proc/none")], "cannot be written"),
    ):  # fmt: skip
        assert why in skelb(home, "shelf", *arguments, expect=2)
    assert set(titles(home)) == {"Own swell", "Über: a / odd? name"}
