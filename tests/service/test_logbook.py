"""The logbook: what runs were changed from, in words; found again by anything; what was looked at; how tries went."""

import json
import time
from datetime import timedelta

import pytest
from sqlalchemy import text

from skelb.core.errors import NotFoundError, SettingsError
from skelb.service import logbook as logging
from skelb.service import workbench as benching
from skelb.service.application import Application
from skelb.service.changes import changes_in_words
from skelb.service.workbench import Workbench
from skelb.store import SeenRecord, now
from tests.conftest import wave_bars
from tests.service.conftest import SCRIPT, SETUP, finished, order, wait_for
from tests.service.test_migrations import at_revision


def changed(**given):
    return SETUP.model_copy(update=given)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({}, ""),
        ({"inputs": {"n": 9.0}}, "n 5 → 9"),
        ({"text": SCRIPT.replace("input n = 5", "input n = 9")}, "n 5 → 9"),
        ({"text": SCRIPT.replace("size 2 units", "size 3 units")}, "size 2 units → size 3 units"),
        ({"text": SCRIPT + "stop 2 * atr(5)\n"}, "added stop 2 * atr(5)"),
        ({"text": SCRIPT.replace("exit after m bars\n", "")}, "without exit after m bars"),
        ({"text": SCRIPT + "stop 2 * atr(5)\ntarget 2 R\n"}, "text: 2 lines"),
        ({"market": "SEA"}, "on SEA instead of WAVE"),
        ({"basket": ("WAVE", "SEA")}, "on a basket of 2 instead of WAVE"),
        ({"timeframe": "1h", "sides": "long"}, "at 1h instead of 15m, sides both → long"),
        ({"costs": 2.0, "inverted": True}, "sides both → both exchanged, costs × 1 → × 2"),
    ],
)
def test_a_change_is_told_in_words(given, said):
    assert changes_in_words(SETUP, changed(**given)) == said


def test_a_kept_run_says_what_it_was_changed_from(application):
    runs, book = application.runs, application.logbook
    application.library.save_script(SCRIPT)
    first = runs.keep(SETUP)
    second = runs.keep(changed(inputs={"n": 9.0}))
    back = runs.keep(changed(inputs={"m": 8.0}), parent=first.number)
    other = runs.keep(changed(text=SCRIPT.replace("Sway", "Other")))
    told = runs.keep(changed(terms={"slippage_ticks": 2.0}), parent=first.number)
    page = book.page()
    lines = {line.number: line for line in page.runs}
    assert [line.number for line in page.runs] == sorted(lines, reverse=True) and page.matching == page.total == 5
    assert [lines[run.number].parent for run in (first, second, back, other)] == [
        None,
        first.number,
        first.number,
        None,
    ]
    assert lines[second.number].change == "n 5 → 9" and lines[back.number].change == "m 4 → 8"
    assert lines[first.number].change == lines[other.number].change == "first kept"
    assert lines[told.number].change == "account slippage ticks 0 → 2"
    line = lines[second.number]
    assert (line.version, line.place, line.timeframe, line.described) == (1, "WAVE", "15m", 1)
    assert lines[other.number].version is None
    assert (
        line.net_profit == second.figures["all"]["net_profit"] and line.parent_trades == first.figures["all"]["trades"]
    )
    assert len(line.equity) == 48 and line.equity[0] == pytest.approx(100_000)
    assert page.titles == ["Other", "Sway"] and page.places == ["WAVE"]
    with pytest.raises(NotFoundError):
        runs.keep(SETUP, parent=99)


def test_runs_are_found_by_anything_that_is_said_of_them(application):
    runs, book = application.runs, application.logbook
    numbers = [runs.keep(changed(inputs={"n": float(n)})).number for n in (5, 9, 12)]
    book.note(numbers[1], star=True, tags=["  wide  stop ", "wide stop", "calm"], note="What the 100 % rule_was for")
    found = {words: [line.number for line in book.page(words=words).runs] for words in
             ("9 → 12", "WIDE", "wide rule_was", "100 %", "sway", "wide nothing", "%%", "_")}  # fmt: skip
    assert found["9 → 12"] == [numbers[2]] and found["sway"] == numbers[::-1]
    assert found["WIDE"] == found["wide rule_was"] == found["100 %"] == [numbers[1]]
    assert found["wide nothing"] == found["%%"] == [] and found["_"] == [numbers[1]]
    [line] = book.page(starred=True).runs
    assert (line.tags, line.note) == (["wide stop", "calm"], "What the 100 % rule_was for")
    assert [line.number for line in book.page(before=numbers[2], most=1).runs] == [numbers[1]]
    assert book.page(title="Other").runs == [] and book.page(place="WAVE", title="Sway").matching == 3
    for wrong in ({"tags": ["x" * 41]}, {"tags": [str(n) for n in range(13)]}, {"note": "x" * 1_001}):
        with pytest.raises(SettingsError):
            book.note(numbers[0], **wrong)
    with pytest.raises(NotFoundError):
        book.note(99, star=True)


def test_a_run_that_was_taken_away_is_in_no_list_until_it_is_back(application):
    first, second = (application.runs.keep(changed(inputs={"n": float(n)})).number for n in (5, 9))
    application.keeping.remove("run", str(first))
    assert [line.number for line in application.logbook.page().runs] == [second]
    assert application.runs.keep(changed(inputs={"n": 7.0})).number == 3
    application.keeping.bring_back("run", str(first))
    assert application.logbook.page().total == 3


def test_a_row_that_cannot_be_read_breaks_no_list(application):
    numbers = [application.runs.keep(changed(inputs={"n": float(n)})).number for n in (5, 9)]
    figures = {"net_profit": 1.0, "return_over_drawdown": None, "trades": 2}
    for n in (5, 9):
        application.logbook.saw(changed(inputs={"n": float(n)}), "Sway", figures)
    with application.database.session() as session:
        session.execute(text("UPDATE log_line SET tags = '{' WHERE id = :n"), {"n": numbers[0]})
        session.execute(text("UPDATE seen_run SET setup = '{\"text\": 3}' WHERE setup LIKE '%9.0%'"))
    left_out = []
    assert [line.number for line in application.logbook.page(left_out=left_out).runs] == [numbers[1]]
    assert left_out[0].startswith(f"the line of run {numbers[0]} cannot be read")
    assert [seen.setup.inputs["n"] for seen in application.logbook.seen().runs] == [5]


def test_what_stays_in_view_is_remembered_and_what_does_not_is_not(application, monkeypatch):
    monkeypatch.setattr(benching, "_LOOKED_S", 0.15)
    bench = Workbench(application.library, application.datasets, application.tallies, application.logbook)
    bench.run(changed(inputs={"n": 9.0}))
    bench.run(SETUP)
    wait_for(lambda: application.logbook.seen().total == 1)
    bench.run(changed(inputs={"n": 12.0}))
    bench.look_away()
    time.sleep(0.3)
    page = application.logbook.seen("Sway")
    assert [seen.setup for seen in page.runs] == [SETUP] and page.runs[0].trades > 0
    assert application.logbook.seen("Other").runs == [] and 0 < page.bytes < 5_000 and page.days == 30


def test_what_was_looked_at_long_ago_is_forgotten(application, monkeypatch):
    monkeypatch.setattr(logging, "MOST_SEEN", 3)
    book, figures = application.logbook, {"net_profit": 1.0, "return_over_drawdown": None, "trades": 2}
    for n in range(4, 9):
        book.saw(changed(inputs={"n": float(n)}), "Sway", figures)
    assert [seen.setup.inputs["n"] for seen in book.seen().runs] == [8, 7, 6]
    with application.database.session() as session:
        session.execute(text("UPDATE seen_run SET seen = :then"), {"then": str(now() - timedelta(days=31))})
    assert book.seen().runs == []
    book.saw(SETUP, "Sway", figures)
    with application.database.session() as session:
        assert session.query(SeenRecord).count() == 1


def test_the_course_of_the_tries_counts_each_setting_once(application, tmp_path):
    told = application.tallies.told("Sway")
    assert (told.settings, told.steps, told.expected, told.begun) == (0, [], [], None)
    finished(application, order(vary=["n=5,8,11,14", "m=4,7"]))
    bench = Workbench(application.library, application.datasets, application.tallies)
    bench.run(SETUP)  # a setting of the trial
    bench.run(changed(inputs={"n": 33.0}))
    told = application.tallies.told("Sway")
    assert told.settings == 9 == application.tallies.looked_at("Sway") and told.by == {"trials": 8, "typed": 1}
    ratios = [step.sharpe for step in told.steps]
    assert ratios == sorted(set(ratios)) and told.steps[0].settings == 1
    assert told.expected[-1].settings == 9 and told.expected[-1].low < told.expected[-1].mean < told.expected[-1].high
    assert "best of 9 settings" in told.sentence
    again = Application(tmp_path)
    assert again.tallies.told("Sway") == told
    assert application.runs.keep(SETUP).number and application.logbook.page().runs[0].tried == 9
    again.close()


def test_kept_runs_of_an_earlier_program_have_their_lines(tmp_path):
    engine = at_revision(tmp_path, "0009")
    figures = {"all": {"net_profit": 7.5, "trades": 3, "return_over_drawdown": None}}
    rows = [(4, SETUP.model_dump_json(), json.dumps(figures)), (5, "{", "{}"), (6, '{"text": 3}', "[]")]
    with engine.begin() as connection:
        for number, setup, told in rows:
            connection.execute(
                text(
                    "INSERT INTO run (id, setup, figures, data_version, engine_version, created)"
                    " VALUES (:n, :s, :f, 1, '0.0.1', '2026-01-02 03:04:05.000000')"
                ),
                {"n": number, "s": setup, "f": told},
            )
    engine.dispose()
    application = Application(tmp_path)
    [line] = application.logbook.page().runs
    assert (line.number, line.title, line.place, line.net_profit, line.trades) == (4, "Sway", "WAVE", 7.5, 3)
    assert line.engine_version == "0.0.1" and line.created.year == 2026 and line.equity == []
    application.library.save_account("Plain", {"capital": 100_000})
    application.library.save_market("WAVE", "", {"tick": 0.25}, [wave_bars(400)])
    assert application.runs.keep(SETUP).number == 7 and application.logbook.page().runs[0].parent == 4
    application.close()
