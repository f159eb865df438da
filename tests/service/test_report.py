"""Reports of runs: what they say of how they were made, what lines are worth, tables and pages to take along."""

import io
import json
import re
from dataclasses import replace
from hashlib import sha256

import numpy as np
import pyarrow.csv
import pyarrow.parquet
import pytest

from skelb.core.errors import NotFoundError, ScriptError, SettingsError
from skelb.core.export import trade_rows
from skelb.core.figures import figures_of, record_together
from skelb.service import saved_page as saving
from skelb.service.report import bars_sum, descriptions, report_of
from skelb.service.saved_page import saved_page
from skelb.service.tables import run_table, trades_table, written
from skelb.service.trials.desk import View
from skelb.service.worth import Worths, try_nearer
from tests.conftest import wave_bars
from tests.service.conftest import SCRIPT, SETUP, finished, order

TWO_SIDES = """title "Two sides"
up = close crosses above sma(close, 5)
enter long when up and hour > 2 and close > 0 named "=1+1"
enter short when close crosses below sma(close, 5)
exit after 4 bars
stop 3 * atr(5)
exit after 500 bars
size 2 units
"""


@pytest.fixture
def prepared(application):
    setup = SETUP.model_copy(update={"text": TWO_SIDES})
    return setup.prepared(application.library, application.datasets).sound()


def test_a_report_says_how_the_run_was_made(application, prepared):
    found = report_of(prepared, application.tallies, None, descriptions(SETUP, application.library))
    result = prepared.backtest()
    assert found.figures == result.figures and found.made.text == TWO_SIDES
    assert found.made.sha256 == sha256(TWO_SIDES.encode()).hexdigest()
    [market] = found.made.markets
    assert (market.symbol, market.described, market.data_version, market.bars) == ("WAVE", 1, 1, 4000)
    assert market.sha256 == bars_sum(wave_bars(4000)) != bars_sum(wave_bars(4000, seed=4))
    assert sum(year["trades"] for year in found.years) == len(result.outcome.trades)
    assert found.looked_at == 1 and found.weighed.startswith("Of 1 setting looked at")  # by whoever reads this
    assert report_of(prepared, application.tallies).looked_at == 1
    assert report_of(prepared).weighed is None


def test_a_report_names_the_description_it_ran_with(application):
    library = application.library
    first = library.market("WAVE").settings
    library.save_market("WAVE", "", {"tick": 0.25, "spread": 0.5}, [])
    assert descriptions(SETUP, library) == {"WAVE": 2}
    before = SETUP.model_copy(update={"described": first.model_dump(mode="json")})
    assert descriptions(before, library) == {"WAVE": 1}
    assert descriptions(SETUP.model_copy(update={"described": {"spread": 3.0}}), library) == {}


def test_a_line_is_worth_what_the_run_without_it_lacks(prepared):
    steps = list(Worths(prepared).steps())
    rows = {(step.row.change, step.row.part): step.row for step in steps if step.row}
    assert [step.done for step in steps] == list(range(steps[0].total + 1))
    without = rows["without", "enter short when close crosses below sma(close, 5)"]
    text = TWO_SIDES.replace("enter short when close crosses below sma(close, 5)\n", "\n")
    plain = replace(
        prepared,
        checked=type(prepared).of(text, lambda *_: None, prepared.dataset, prepared.account, prepared.choices).checked,
    )
    figures = figures_of(record_together(plain.outcomes()))
    assert without.figures == {key: figures[key] for key in without.figures}
    run = prepared.backtest().figures["all"]
    assert without.differences["net_profit"] == figures["net_profit"] - run["net_profit"]
    assert rows["without", "exit after 500 bars"].says == "changes nothing"
    assert rows["without", "close > 0"].says == "changes nothing"
    for row in rows.values():
        if row.says == "only costs":
            assert row.differences["net_profit"] > 0 and row.differences["return_over_drawdown"] > 0


def test_a_line_that_others_stand_on_says_so(application):
    text = TWO_SIDES + "target 2 R\n"
    setup = SETUP.model_copy(update={"text": text})
    rows = [step.row for step in Worths(setup.prepared(application.library, application.datasets)).steps() if step.row]
    [stop] = [row for row in rows if row.part.startswith("stop")]
    assert stop.figures is None and "no stop" in stop.error
    with pytest.raises(ScriptError):
        Worths(SETUP.model_copy(update={"text": "enter"}).prepared(application.library, application.datasets).sound())


def test_a_nearer_stop_is_run_for_true(prepared, application):
    tried = try_nearer(prepared, "stop", 0.5)
    assert tried.lines == ["stop 0.5 * (3 * atr(5))"]
    setup = SETUP.model_copy(update={"text": TWO_SIDES.replace("stop 3 * atr(5)", "stop 1.5 * atr(5)")})
    figures = setup.prepared(application.library, application.datasets).backtest().figures["all"]
    assert tried.figures == {key: figures[key] for key in tried.figures}
    assert tried.differences["trades"] == figures["trades"] - prepared.backtest().figures["all"]["trades"]
    with pytest.raises(SettingsError, match="needs a stop"):
        try_nearer(SETUP.prepared(application.library, application.datasets), "stop", 0.5)


def test_tables_hold_every_trade_in_forms_for_every_place(prepared):
    outcomes = prepared.outcomes()
    rows, table = trade_rows(outcomes[0]), trades_table(outcomes)
    assert table.num_rows == len(rows) > 0
    back = pyarrow.parquet.read_table(io.BytesIO(written(table, "parquet")))
    assert back.column("entry_rule").to_pylist() == [row["entry_rule"] for row in rows]  # as it is
    assert back.column("number").type == "int64" and back.column("bars_held").type == "int64"
    assert back.column("net").to_pylist() == [row["net"] for row in rows]
    plain = pyarrow.csv.read_csv(io.BytesIO(written(table, "csv")))
    assert {"'=1+1"} <= set(plain.column("entry_rule").to_pylist()), "a spreadsheet would compute it"
    assert plain.column("net").to_pylist() == [row["net"] for row in rows]
    text = written(table, "csv-comma").decode()
    assert text.splitlines()[0].count(";") == len(table.column_names) - 1 and re.search(r';"?-?\d+,\d+"?;', text)
    equity = run_table(outcomes, "equity")
    np.testing.assert_array_equal(equity.column("equity").to_numpy(), outcomes[0].equity)
    assert (
        trades_table(
            [
                replace(
                    outcomes[0],
                    trades=outcomes[0].trades.__class__(outcomes[0].trades.rows[:0]),
                )
            ]
        ).num_rows
        == 0
    )


def test_a_saved_page_holds_its_numbers_whatever_its_texts_say(prepared, tmp_path, monkeypatch):
    page = tmp_path / "report.html"
    page.write_text('<html><script type="application/json" id="saved-report">\n {}\n</script><p>after</p></html>')
    monkeypatch.setattr(saving, "_PAGE", page)
    hostile = prepared.checked.source.replace("Two sides", "</script><script>alert(1)</script><!--")
    found = report_of(replace(prepared, checked=replace(prepared.checked, source=hostile)))
    text = saved_page(found).decode()
    assert text.count("</script>") == 1 and text.endswith("</script><p>after</p></html>") and "<!--" not in text
    inside = json.loads(text.split('id="saved-report">')[1].split("</script>")[0])
    assert inside["report"]["made"]["text"] == hostile and inside["figures"][0]["key"] == "net_profit"
    page.unlink()
    with pytest.raises(Exception, match="make setup"):
        saved_page(found)


def test_a_report_of_a_kept_run_is_the_setups(application):
    kept = application.runs.keep(SETUP)
    setup = application.runs.run(kept.number).setup
    library, datasets = application.library, application.datasets
    before = report_of(setup.prepared(library, datasets).sound())
    library.save_market("WAVE", "", {"tick": 0.25, "spread": 9.0}, [])
    library.save_account("Plain", {"capital": 7})
    after = report_of(setup.prepared(library, datasets).sound(), None, None, descriptions(setup, library))
    assert after.figures == before.figures and after.made.markets[0].described == 1
    assert after.made.text == SCRIPT


@pytest.mark.parametrize("basket", [(), ("SEA", "WAVE")])
def test_the_days_outside_of_a_walk_are_judged_as_one_run(application, basket):
    application.library.save_market("SEA", "", {"tick": 0.25}, [wave_bars(4000, seed=9)])
    setup = SETUP.model_copy(update={"basket": basket})
    windows = {"count": 3, "ratio": 1}
    number = finished(application, order(kind="walk", setup=setup, vary=["n=5..14:3"], windows=windows))
    walk = application.desk.walk(number, View(), "value")
    found = application.desk.walk_report(number, View(), "value")
    assert found.figures["all"]["net_profit"] == pytest.approx(walk.stitched.net)
    assert found.figures["all"]["max_drawdown"] == pytest.approx(walk.stitched.drawdown)
    assert found.course.equity[-1] == pytest.approx(walk.stitched.equity[-1])
    assert sum(month["trades"] for month in found.months) == found.figures["all"]["trades"]
    assert sum(year["net_profit"] for year in found.years) == pytest.approx(walk.stitched.net)
    sides = [found.figures[side]["net_profit"] for side in ("long", "short")]
    assert sum(sides) == pytest.approx(walk.stitched.net)
    by = {item.by: item for item in found.earned}
    assert sum(group.trades for group in by["weekday"].groups) == found.figures["all"]["trades"]
    assert ("market" in by) == bool(basket)
    chosen = [sentence for sentence in found.sentences if ": n " in sentence]
    assert len(chosen) == len([window for window in walk.windows if window.chosen]) == 3
    assert found.findings[0].message == walk.sentence
    trades, equity = (application.desk.walk_table(number, View(), "value", of) for of in ("trades", "equity"))
    assert trades["number"].to_pylist() == list(range(1, found.figures["all"]["trades"] + 1))
    assert sum(trades["net"].to_pylist()) == pytest.approx(walk.stitched.net)
    exits = trades["exit_time"].to_pylist()
    assert exits == sorted(exits) and equity["time"].to_pylist() == sorted(equity["time"].to_pylist())
    assert equity["equity"].to_pylist()[-1] == pytest.approx(walk.stitched.equity[-1])


def test_a_walk_that_chose_nothing_and_another_trial_have_no_report(application):
    number = finished(
        application, order(kind="walk", vary=["n=5,8"], windows={"count": 2, "ratio": 1}, min_trades=10**6)
    )
    with pytest.raises(SettingsError, match="No window had a run"):
        application.desk.walk_report(number, View(), "value")
    with pytest.raises(SettingsError, match="No window had a run"):
        application.desk.walk_table(number, View(), "value", "trades")
    with pytest.raises(NotFoundError, match="no walk-forward"):
        application.desk.walk_report(finished(application, order(vary=["n=5,8"])), View(), "value")
