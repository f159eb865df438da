"""Data of an earlier program is carried over, nothing is lost."""

import json

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from skelb.service.application import Application
from skelb.store import database
from tests.conftest import wave_bars
from tests.service.conftest import SETUP

FIGURES = {"net_profit": 12.5, "trades": 40, "return": None}


def at_revision(folder, revision):
    """The tables as an earlier program made them."""
    engine = create_engine(f"sqlite:///{folder / database.FILE_NAME}")
    config = Config()
    config.set_main_option("script_location", str(database._MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)
    return engine


def test_sweeps_of_the_first_tables_are_there_with_all_their_runs(tmp_path):
    engine = at_revision(tmp_path, "0001")
    axes = [{"name": "n", "values": [3.0, 5.0]}, {"name": "kind", "values": ["ema", "sma"]}]
    with engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO trial (id, setup, axes, objective, min_trades, total, state, message, created)"
                " VALUES (7, :setup, :axes, 'net_profit', 5, 4, 'stopped', '', '2026-01-02 03:04:05')"
            ),
            {"setup": SETUP.model_dump_json(), "axes": json.dumps(axes)},
        )
        for number, figures, error in ((2, FIGURES, ""), (0, None, "no length")):
            connection.execute(
                text("INSERT INTO trial_cell (trial_id, number, inputs, figures, error) VALUES (7, :n, '{}', :f, :e)"),
                {"n": number, "f": json.dumps(figures), "e": error},
            )
    engine.dispose()
    application = Application(tmp_path)
    [line] = application.trials.store.newest()
    trial = application.desk.trial(line.id)
    assert (trial.id, trial.title, trial.done, trial.total) == (7, "Sway", 2, 4)
    assert [axis.ordered for axis in trial.axes] == [True, False] and trial.order.setup == SETUP
    found = application.trials.store.results(7).part(0)
    assert found.numbers.tolist() == [0, 2] and found.errors == {0: "no length"}
    kept = found.figures_at(1)
    assert {key: kept[key] for key in FIGURES} == FIGURES and kept["sharpe"] is None
    application.close()


def test_bars_from_before_any_could_be_left_out_are_all_there(tmp_path):
    """Their chunks hang on the table that gets new columns."""
    other = tmp_path / "other"
    application = Application(other)
    application.library.save_market("WAVE", "", {"tick": 0.25}, [wave_bars(300)])
    application.close()
    engine = at_revision(tmp_path, "0006")
    with engine.connect() as connection:
        connection.execute(text("ATTACH :file AS other"), {"file": str(other / database.FILE_NAME)})
        for table in ("market", "bars", "bars_chunk"):
            names = ", ".join(row[1] for row in connection.execute(text(f"PRAGMA main.table_info({table})")))
            connection.execute(text(f"INSERT INTO {table} ({names}) SELECT {names} FROM other.{table}"))
        connection.commit()
    engine.dispose()
    application = Application(tmp_path)
    stored = application.library.market("WAVE").shortest
    assert (stored.row_count, stored.left_out) == (300, 0)
    assert application.library.bars(stored).close.tolist() == wave_bars(300).close.tolist()
    application.close()
