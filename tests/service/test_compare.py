"""Kept runs beside each other: what a change did, and whether they can be held against each other at all."""

from datetime import date

import pytest

from skelb.core.errors import NotFoundError, SettingsError
from skelb.service.compare import compared, lines_of
from tests.conftest import wave_bars
from tests.service.conftest import SCRIPT, SETUP


@pytest.fixture
def beside(application):
    application.library.save_market("SEA", "", {"tick": 0.25}, [wave_bars(4000, seed=9)])

    def compare(*setups, alike=False):
        numbers = [application.runs.keep(SETUP.model_copy(update=given)).number for given in setups]
        return compared(numbers, alike, application.runs, application.library, application.datasets)

    return compare


def test_runs_stand_newest_first_each_against_the_oldest(beside, application):
    found = beside({}, {"inputs": {"n": 9.0}}, {"text": SCRIPT + "stop 2 * atr(5)\n"})
    assert [run.number for run in found.runs] == [3, 2, 1] and [item.number for item in found.differences] == [3, 2]
    newest, middle, oldest = found.runs
    assert (newest.change, middle.change, oldest.change) == ("added stop 2 * atr(5)", "n 5 → 9", "")
    for run, difference in zip(found.runs, found.differences, strict=False):
        nets = [item.figures["all"]["net_profit"] for item in (run, oldest)]
        assert difference.trades.change == pytest.approx(nets[0] - nets[1])
        assert run.figures == application.runs.run(run.number).figures
    assert [line.kind for line in found.differences[0].lines].count("after") == 1
    assert all(line.kind == "both" for line in found.differences[1].lines) and all(
        not run.not_alike for run in found.runs
    )


@pytest.mark.parametrize(
    ("given", "why"),
    [
        ({"from_date": date(2024, 1, 10)}, "other days"),
        ({"terms": {"commission_per_order": 5.0}}, "another account"),
        ({"costs": 2.0}, "other costs"),
        ({"described": {"spread": 1.0}}, "another description of the market"),
        ({"text": SCRIPT.replace("size 2", "size 5")}, "another size"),
        ({"market": "SEA"}, "other markets"),
    ],
)
def test_what_cannot_be_held_against_each_other_is_said_and_run_alike(beside, given, why):
    first = {"terms": {"commission_per_order": 1.0}} if "terms" in given else {}
    found = beside(first, {"inputs": {"n": 9.0}, **first, **given})
    assert found.runs[0].not_alike == [why]
    alike = beside(first, {"inputs": {"n": 9.0}, **first, **given}, alike=True)
    if why in ("other markets", "another size"):
        assert alike.runs[0].not_alike == [why], "that is what was changed"
    else:
        plain = beside(first, {"inputs": {"n": 9.0}, **first})
        assert alike.runs[0].not_alike == [] and alike.runs[0].figures == plain.runs[0].figures


def test_what_cannot_be_compared_says_so(beside, application):
    with pytest.raises(SettingsError, match="two to 4"):
        beside({})
    with pytest.raises(SettingsError, match="two to 4"):
        compared([1, 1], False, application.runs, application.library, application.datasets)
    with pytest.raises(NotFoundError, match="no kept run 99"):
        compared([1, 99], False, application.runs, application.library, application.datasets)


def test_two_texts_as_one():
    found = lines_of("a\nb\nc\n", "a\nB\nc\nd\n")
    assert [(line.kind, line.number, line.text) for line in found] == [
        ("both", 1, "a"), ("before", 2, "b"), ("after", 2, "B"), ("both", 3, "c"), ("after", 4, "d"),
    ]  # fmt: skip
