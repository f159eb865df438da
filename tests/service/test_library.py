"""What is kept stays kept: versions, bars, trials, through restarts and kills."""

import json
import os
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from sqlalchemy import text

from skelb.core.bars import Timeframe
from skelb.core.errors import NotFoundError, SettingsError
from skelb.service.application import Application
from skelb.service.setup import Setup
from skelb.store import StoreError
from tests.conftest import wave_bars, write_csv

SCRIPT = 'title "Sway"\ninput n = 5 from 3 to 60 step 1\ninput m = 4 from 2 to 40 step 1\nenter long when close crosses above sma(close, n)\nexit after m bars\nsize 2 units\n'


@pytest.fixture
def application(tmp_path):
    found = Application(tmp_path)
    found.library.save_account("Plain", {"capital": 100_000})
    found.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(4000)])
    yield found
    found.close()


SETUP = Setup(text=SCRIPT, market="WAVE", timeframe="15m", account="Plain")


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


def wait_for(condition, seconds=240):
    deadline = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < deadline, "waited in vain"
        time.sleep(0.02)


def test_a_stopped_trial_goes_on_and_equals_one_that_ran_through(application):
    trials = application.trials
    number = trials.start(SETUP, ["n", "m"], "net_profit", 0)
    wait_for(lambda: trials.state(number).done >= 16)
    trials.stop(number)
    stopped = trials.state(number)
    assert stopped.state == "stopped" and 16 <= stopped.done < stopped.total == 58 * 39
    trials.go_on(number)
    wait_for(lambda: trials.state(number).state == "done")
    other = trials.start(SETUP, ["n", "m"], "net_profit", 0)
    wait_for(lambda: trials.state(other).state == "done")
    assert trials.surface(trials.state(number)) == trials.surface(trials.state(other))
    assert trials.cell(number, 100)["inputs"] == {"n": 5.0, "m": 24.0}


def test_a_trial_that_cannot_run_says_so(application):
    number = application.trials.start(SETUP, ["n=1..2:0.5"], "net_profit", 0)
    wait_for(lambda: application.trials.state(number).state == "done")
    assert "whole number" in application.trials.cell(number, 1)["error"]
    with pytest.raises(SettingsError, match="not a figure"):
        application.trials.start(SETUP, ["n"], "luck", 0)


WORKER = """
import sys
from pathlib import Path
from skelb.service.application import Application
from skelb.service.setup import Setup
import time
application = Application(Path(sys.argv[1]))
number = application.trials.start(Setup.model_validate_json(sys.argv[2]), ["n", "m"], "net_profit", 0)
while True:
    print(application.trials.state(number).done, flush=True)
    time.sleep(0.02)
"""


def test_killed_in_the_middle_of_a_grid_everything_committed_is_there_and_it_goes_on(application, tmp_path):
    application.close()
    process = subprocess.Popen(
        [sys.executable, "-c", WORKER, str(tmp_path), SETUP.model_dump_json()], stdout=subprocess.PIPE, text=True
    )
    seen = 0
    for line in process.stdout:
        seen = int(line)
        if seen >= 24:
            break
    process.send_signal(signal.SIGKILL)
    process.wait()
    again = Application(tmp_path)
    [state] = again.trials.states()
    assert state.state == "stopped" and "interrupted" in state.message and seen <= state.done < state.total
    again.trials.go_on(state.id)
    wait_for(lambda: again.trials.state(state.id).state == "done")
    assert again.trials.state(state.id).done == state.total
    again.close()


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
