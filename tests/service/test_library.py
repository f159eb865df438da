"""What is kept stays kept: versions, bars, through restarts and kills."""

import io
import json
import os
import subprocess
import sys
import time
import zipfile

import numpy as np
import pytest
from sqlalchemy import text

from skelb.core.bars import Timeframe
from skelb.core.errors import NotFoundError, SettingsError
from skelb.service.application import Application
from skelb.service.settings import market_settings
from skelb.service.shelf_folder import MOST_FILES, pack_shelf, read_shelf, unpacked
from skelb.store import StoreError
from tests.conftest import wave_bars, write_csv
from tests.service.conftest import SCRIPT, SETUP, order


def test_saving_makes_versions_and_the_same_text_none(application):
    library = application.library
    library.save_script(SCRIPT)
    library.save_script(SCRIPT)
    saved = library.save_script(SCRIPT + "# more\n")
    assert [version.number for version in saved.versions] == [1, 2]
    assert library.script("Sway").versions[0].text == SCRIPT
    with pytest.raises(SettingsError, match="title"):
        library.save_script("x = 3")
    with pytest.raises(NotFoundError, match="no script"):
        library.script("Other")
    with pytest.raises(SettingsError, match="one of"):
        library.set_status("Sway", "great")


def zipped(files):
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return made.getvalue()


def test_the_shelf_goes_into_a_zip_and_comes_back_whole(application):
    library = application.library
    for title in ("Sway", "sway?", "Über: a / odd? name"):
        library.save_script(SCRIPT.replace("Sway", title))
    packed = pack_shelf(library)
    assert packed == pack_shelf(library)
    files = unpacked("Shelf.zip", packed)
    assert len({name for name, _ in files}) == len(files) == len(library.scripts())
    assert {item.how for item in read_shelf(library, files)} == {"same"}
    edited = [(name, text + "# by hand\n") for name, text in files]
    found = read_shelf(library, edited)
    assert {item.how for item in found} == {"differs"} and all("+# by hand" in item.difference for item in found)
    assert len(library.script("Sway").versions) == 1
    assert {item.how for item in read_shelf(library, edited, take=True)} == {"changed"}
    assert {item.how for item in read_shelf(library, files)} == {"older"}


@pytest.mark.parametrize(("name", "data", "why"), [
    ("cut.zip", zipped({"a.skelb": SCRIPT})[:60], "is it whole"),
    ("damaged.zip", zipped({"a.skelb": SCRIPT})[:37] + b"\xff" * 20 + zipped({"a.skelb": SCRIPT})[57:], "is it whole"),
    ("other.zip", zipped({"a.txt": SCRIPT}), "holds no .skelb file"),
    ("many.zip", zipped({f"{number}.skelb": "" for number in range(MOST_FILES + 1)}), "more than the 5,000"),
    ("bomb.zip", zipped({"a.skelb": "#" * 50_000_000}), "larger than any script"),
    ("bombs.zip", zipped({f"{number}.skelb": "#" * 1_000_000 for number in range(51)}), "more than the 50 MB"),
    ("binary.skelb", b"title \xff\xfe", "not UTF-8"),
], ids=["cut", "damaged", "no script", "many", "bomb", "bombs", "binary"])  # fmt: skip
def test_files_of_scripts_that_cannot_be_read_say_why(name, data, why):
    with pytest.raises(SettingsError, match=why):
        unpacked(name, data)


def test_one_file_without_a_title_keeps_all_from_being_stored(application):
    with pytest.raises(SettingsError, match=r"untitled.skelb has no title"):
        read_shelf(
            application.library, [("fresh.skelb", SCRIPT.replace("Sway", "Fresh")), ("untitled.skelb", "x = 3\n")]
        )
    with pytest.raises(NotFoundError):
        application.library.script("Fresh")
    # As another system writes it: with a mark at the beginning and other line ends.
    (found,) = read_shelf(
        application.library, unpacked("a.skelb", b"\xef\xbb\xbf" + SCRIPT.replace("\n", "\r\n").encode())
    )
    assert found.how == "new" and application.library.script("Sway").newest.text == SCRIPT


def test_bars_come_back_as_they_were_and_older_versions_stay(application):
    bars = wave_bars(120_000, seed=8)
    stored = application.library.save_market("WAVE", "", {"tick": 0.25}, [bars])
    again = application.library.bars(stored.bars[0])
    for name in ("time", "open", "high", "low", "close", "volume"):
        np.testing.assert_array_equal(getattr(again, name), getattr(bars, name))
    assert stored.bars[0].version == 2
    assert application.datasets.get("WAVE", Timeframe(60)).data_version == 2


def test_damaged_bars_are_noticed(application):
    with application.database.session() as session:
        session.execute(text("UPDATE bars SET checksum = 'x'"))
    with pytest.raises(StoreError, match="damaged"):
        application.library.bars(application.library.market("WAVE").bars[0])


def test_every_other_description_is_a_version_and_what_it_was_is_kept(application):
    library, settings = application.library, {"tick": 0.25, "spread": 0.5}
    before = library.market("WAVE")
    assert (before.described, before.earlier) == (1, ())
    second = library.save_market("WAVE", "", settings, [])
    assert second.described == 2 and market_settings(second.earlier[0]) == before.settings
    assert library.save_market("WAVE", "", settings, []).described == 2, "the same again is no other"
    assert library.save_market("WAVE", "", None, [wave_bars()]).described == 2, "nor are new bars"
    third = library.save_market("WAVE", "", second.earlier[0], [])
    assert third.described == 3 and third.settings == before.settings


def test_a_wrong_description_stores_nothing(application):
    with pytest.raises(SettingsError, match="session"):
        application.library.save_market("NEW", "", {"session": "all day"}, [wave_bars()])
    with pytest.raises(NotFoundError):
        application.library.market("NEW")


def test_a_file_that_is_no_database_is_left_alone(tmp_path):
    (tmp_path / "skelb.sqlite3").write_text("my diary, not a database, and long enough to be looked at closely")
    with pytest.raises(StoreError, match="cannot be used"):
        Application(tmp_path)
    assert (tmp_path / "skelb.sqlite3").read_text().startswith("my diary")


def test_migrations_make_the_tables_of_the_models(application):
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from skelb.store.models import Base

    with application.database.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_killed_in_the_middle_of_an_import_nothing_is_stored_by_halves(application, tmp_path):
    application.close()
    path = write_csv(tmp_path / "more.csv", wave_bars(200_000, seed=4))
    command = [sys.executable, "-m", "skelb.program", "import", str(path), "--symbol", "MORE", "--json"]
    environment = {**os.environ, "SKELB_HOME": str(tmp_path)}
    finished = 0
    for delay in (1.0, 1.6, 2.2, 2.8):
        process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE)
        time.sleep(delay)  # kills at several moments of reading and writing
        process.kill()
        process.wait()
        again = Application(tmp_path)
        found = [market for market in again.library.markets() if market.symbol == "MORE"]
        for market in found:
            assert len(again.library.bars(market.bars[0])) == 200_000
            finished += 1
        again.close()
    done = subprocess.run(command, env=environment, capture_output=True, check=True)
    assert json.loads(done.stdout)["rows"] == 200_000


def test_one_stored_row_that_cannot_be_read_hides_no_other_and_is_told(application, caplog):
    library = application.library
    library.save_market("ODD", "Odd", {"tick": 0.25}, [])
    library.save_market("BAD", "Bad", {"tick": 0.25}, [])
    library.save_account("Odd", {"capital": 5})
    library.save_script(SCRIPT)
    library.save_script('title "Bare"\n')
    run = application.runs.keep(SETUP)
    kept = application.runs.keep(SETUP)
    trials = [application.trials.store.add(wanted, application.trials.layout(wanted)) for wanted in (order(),) * 3]
    with application.database.session() as session:
        for change in (
            "UPDATE market SET settings = '{\"tick\": \"fine\"}' WHERE symbol = 'ODD'",
            "UPDATE market SET settings = '{\"tick' WHERE symbol = 'BAD'",
            "UPDATE account SET settings = '{\"capital\": \"much\"}' WHERE name = 'Odd'",
            "DELETE FROM script_version WHERE text LIKE '%Bare%'",
            f"UPDATE run SET setup = '[]' WHERE id = {run.number}",
            f"UPDATE trial SET axes = '[1]' WHERE id = {trials[0]}",
            f"UPDATE trial SET \"order\" = '{{' WHERE id = {trials[1]}",
        ):
            session.execute(text(change))
    assert [market.symbol for market in library.markets()] == ["WAVE"]
    assert list(library.accounts()) == ["Plain"]
    assert [script.title for script in library.scripts()] == ["Sway"]
    assert [found.number for found in application.runs.newest()] == [kept.number]
    assert [line.id for line in application.trials.store.newest()] == [trials[2]]
    with pytest.raises(SettingsError, match="tick"):
        library.market("ODD")

    told = application.left_out()
    names = ("script Bare", "market BAD", "market ODD", "account Odd", f"kept run {run.number}", f"trial {trials[1]}", f"trial {trials[0]}")  # fmt: skip
    for sentence, name in zip(told, names, strict=True):
        assert f"{name} cannot be read and is left out of lists: " in sentence and sentence in caplog.text
