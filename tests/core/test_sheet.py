"""The rules of a script as rows: each row is exactly its lines, and whatever is done to it is done to them alone."""

import pytest

from skelb.core.language import check
from skelb.core.language.tools import SECTIONS, sheet_of, switched_off, without_rules
from skelb.demo import DEMO_SCRIPTS
from tests.conftest import DEMO_SETTING, DEMO_TEXTS

ODD = """title "Odd"
up = close > open  # é 🌊 a comment
enter long when up
   and close > 3  # why
# off: enter short when not up
# off+   and close > 3
exit after 5 bars; # not a rule of ours
# off: nothing that is a rule
stop 2 * atr(14)
window mon-fri
size 1 units
"""


def rows(text):
    return sheet_of(check(text, DEMO_SETTING))


def put(text, row, by):
    return text[: row.span[0]] + by + text[row.span[1] :]


@pytest.mark.parametrize("text", [*DEMO_TEXTS.values(), ODD], ids=[*DEMO_TEXTS, "odd"])
def test_switching_every_rule_off_and_on_again_gives_the_text_back(text):
    before = rows(text)
    off = text
    for row in reversed([row for row in before if row.is_on]):
        assert text[row.span[0] : row.span[1]] == row.text
        off = put(off, row, row.off)
    found = rows(off)
    assert [row.text for row in found] == [row.text for row in before]
    assert not any(row.is_on for row in found)
    assert not check(off, DEMO_SETTING).has_entries
    on = off
    for row, original in reversed(list(zip(found, before, strict=True))):
        if original.is_on:
            on = put(on, row, row.off)
    assert on == text


def test_rows_know_their_section_and_side():
    found = rows(ODD)
    assert [(row.section, row.side, row.is_on) for row in found] == [
        ("entries", "long", True), ("entries", "short", False), ("protection", None, True), ("windows", None, True), ("size", None, True),
    ]  # fmt: skip
    assert found[1].text == "enter short when not up\n   and close > 3"
    assert {row.section for text in DEMO_TEXTS.values() for row in rows(text)} == set(SECTIONS)


def test_a_row_offers_its_mirror_image_where_it_has_one():
    found = rows("up = close crosses above sma(close, 9)\nenter long when up\nstop 1%\n")
    assert found[0].mirror.endswith("enter short when down") and "crosses below" in found[0].mirror
    assert found[1].mirror is None  # a rule of both sides
    both = rows("enter long when close > open\nenter short when close < open\n")
    assert [row.mirror for row in both] == [None, None]
    assert rows("enter long when weekday is tue and volume > 3\n")[0].mirror is not None
    assert switched_off("a\n b") == "# off: a\n# off+ b"


@pytest.mark.parametrize("script", DEMO_SCRIPTS, ids=lambda script: script.title)
def test_without_its_rules_a_strategy_is_its_indicator(script):
    kept = without_rules(check(script.text, DEMO_SETTING))
    checked = check(kept, DEMO_SETTING)
    assert checked.is_sound and not checked.has_entries and sheet_of(checked) == []
    assert set(checked.shown_names) == set(check(script.text, DEMO_SETTING).shown_names)
