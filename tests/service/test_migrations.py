"""Data of an earlier program is carried over, nothing is lost."""

import json
import zlib

import numpy as np
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from skelb.core.bars import PRICES
from skelb.service.application import Application
from skelb.store import database
from tests.conftest import wave_bars
from tests.service.conftest import SETUP, wait_for

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


def test_a_practice_from_before_baskets_goes_on_where_it_was(tmp_path):
    """Its history, bars and events are those of its one market, and nothing happens a second time."""
    bars, setup = wave_bars(400), json.loads(SETUP.model_dump_json())
    engine = at_revision(tmp_path, "0011")
    rows = np.stack((bars.time.astype(float), *(getattr(bars, name) for name in PRICES)))[:, :300]
    since, last = int(bars.time[300]), int(bars.time[349])
    with engine.begin() as connection:
        insert = (
            "INSERT INTO practice (id, title, setup, feed, since, history, state, message, webhook, secret, created)"
        )
        connection.execute(
            text(f"{insert} VALUES (3, 'Sway', :s, :f, :since, :h, 'paused', '', '', '', '2026-01-02 03:04:05')"),
            {
                "s": json.dumps(setup),
                "f": json.dumps({"kind": "replay", "pace": 0}),
                "since": since,
                "h": zlib.compress(b"\0" + rows.astype("<f8").tobytes()),
            },
        )
        for at in range(300, 350):
            values = {name: float(getattr(bars, name)[at]) for name in PRICES}
            connection.execute(
                text("INSERT INTO practice_bar VALUES (3, :time, :open, :high, :low, :close, :volume)"),
                {"time": int(bars.time[at]), **values},
            )
        event = "(id, practice_id, key, kind, bar, time, text, sent, tries, due, answer, created)"
        connection.execute(
            text(
                f"INSERT INTO practice_event {event} VALUES"
                " (1, 3, 'a key', 'feed', 5, 6, 'told', '', 0, 0, '', '2026-01-02 03:04:05')"
            )
        )
    engine.dispose()
    application = Application(tmp_path)
    application.library.save_account("Plain", {"capital": 100_000})
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [bars])
    store, practices = application.practices.store, application.practices
    assert store.get(3).through == last and store.histories(3, bars.timeframe)["WAVE"].close[-1] == bars.close[299]
    assert [bar.market for bar in store.bars(3)] == ["WAVE"] * 50
    assert [(event.key, event.market) for event in store.events(3)] == [("a key", "WAVE")]
    practices.go_on(3)
    wait_for(lambda: store.get(3).state == "stopped")
    assert [bar.time for bar in store.bars(3)] == bars.time[300:].tolist() and practices.shown(3).line.trades > 3
    application.close()
