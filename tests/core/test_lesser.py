"""Scripts with less in them: every rule and every part of a condition once, and what is left is what was written."""

import pytest

from skelb.core.language import SavedScript, Setting, check
from skelb.core.language.tools import lesser_scripts, nearer_script
from skelb.demo import DEMO_SCRIPTS


def beside(title, version):
    found = next((demo for demo in DEMO_SCRIPTS if demo.title == title), None)
    return found and SavedScript(title, 1, found.text)


SCRIPT = """title "Three parts"
up = close > open and (volume > 5 or close > 3) and close > sma(close, 4)
enter long when up and hour > 9 and hour < 17
enter short when close < open
exit long when close < prior(low)
stop 2 * atr(14)
target 2 R
# off: exit after 9 bars
"""


def told(source):
    return [(item.change, item.of, item.part, item.line) for item in lesser_scripts(check(source))]


def test_every_rule_and_every_part_is_left_out_once():
    assert told(SCRIPT) == [
        ("without", "up", "close > open", 2),
        ("without", "up", "volume > 5 or close > 3", 2),
        ("without", "up", "close > sma(close, 4)", 2),
        ("alone", "up", "close > open", 2),
        ("alone", "up", "volume > 5 or close > 3", 2),
        ("alone", "up", "close > sma(close, 4)", 2),
        ("without", "", "enter long when up and hour > 9 and hour < 17", 3),
        ("without", "enter long", "up", 3),
        ("without", "enter long", "hour > 9", 3),
        ("without", "enter long", "hour < 17", 3),
        ("alone", "enter long", "up", 3),
        ("alone", "enter long", "hour > 9", 3),
        ("alone", "enter long", "hour < 17", 3),
        ("without", "", "enter short when close < open", 4),
        ("without", "", "exit long when close < prior(low)", 5),
        ("without", "", "stop 2 * atr(14)", 6),
        ("without", "", "target 2 R", 7),
    ]


@pytest.mark.parametrize(
    ("condition", "without_first", "without_last"),
    [
        ("(close > 2 or close > 3) and open > 1", "(open > 1)", "(close > 2 or close > 3)"),
        ("open > 1 and (close > 2 or close > 3)", "(close > 2 or close > 3)", "(open > 1)"),
        ("((close > 2)) and not (open > 1)", "(not (open > 1))", "(close > 2)"),
        ("(close + open) > 2 and open * (1 + 1) > (close)", "(open * (1 + 1) > (close))", "((close + open) > 2)"),
        ("close > 2 and\n  open > 1", "(open > 1)", "(close > 2)"),
    ],
)
def test_brackets_and_lines_stay_whole(condition, without_first, without_last):
    found = lesser_scripts(check(f"up = {condition}\nenter long when up\n"))
    texts = [item.text for item in found if item.of == "up"]
    left = [text.split("= ", 1)[1].split("\nenter")[0] for text in texts]
    assert left == [without_first, without_last]
    assert all(check(text).is_sound for text in texts)


@pytest.mark.parametrize("demo", DEMO_SCRIPTS, ids=lambda demo: demo.title)
def test_what_is_left_of_a_demo_script_goes_on_or_says_what_it_misses(demo):
    setting = Setting(scripts=beside)
    found = lesser_scripts(check(demo.text, setting))
    assert found or "enter" not in demo.text
    for item in found:
        checked = check(item.text, setting)
        errors = [diagnostic for diagnostic in checked.diagnostics if diagnostic.severity == "error"]
        # A part leaves nothing behind that is no condition; without a stop, a target in R has nothing to count.
        assert not errors or (item.of == "" and item.part.startswith("stop")), (item, errors)


def test_the_only_entry_stays_and_rules_that_are_used_are_not_this_scripts():
    assert told("enter long when close > open\nexit after 3 bars\n") == [("without", "", "exit after 3 bars", 2)]


@pytest.mark.parametrize(
    ("rules", "kind", "lines"),
    [
        ("stop 2 * atr(14)", "stop", ["stop 0.5 * (2 * atr(14))"]),
        ("stop (1 + 1) * atr(14)", "stop", ["stop 0.5 * ((1 + 1) * atr(14))"]),
        ("stop long 1%\nstop short 20 ticks", "stop", ["stop long 0.5 * (1)%", "stop short 0.5 * (20) ticks"]),
        ("stop 1%\ntarget 3 R", "target", ["target 0.5 R"]),
        ("stop 1%\ntarget 4 * atr(14)", "target", ["target 0.5 R"]),
        ("stop 1%", "target", ["target 0.5 R"]),
        ("stop at close - 5\ntarget 3 R", "target", ["target 0.5 R"]),
        ("stop at close - 5", "stop", None),
        ("target 3%", "target", None),
        ("exit after 3 bars", "stop", None),
    ],
)
def test_a_nearer_level_is_written_where_it_can_be(rules, kind, lines):
    checked = check(f"enter long when close > open\nenter short when close < open\n{rules}\n")
    found = nearer_script(checked, kind, 0.5)
    assert (found and found[1]) == lines
    if found:
        assert check(found[0]).is_sound and all(line in found[0] for line in lines)
