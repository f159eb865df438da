"""Tools on scripts, held by laws: writing and reading back, layout, renaming, inlining, mirroring, reading aloud."""

import re

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES
from skelb.core.engine import Account, run
from skelb.core.errors import ScriptError
from skelb.core.language import SavedScript, Setting, check
from skelb.core.language.forms import FORMS
from skelb.core.language.reading.parser import parse
from skelb.core.language.reading.show_statements import COLORS
from skelb.core.language.same import without_places
from skelb.core.language.tools import (
    applied,
    brief,
    example_of,
    extract_input,
    format_source,
    inline_used,
    mirrored_rules,
    name_places,
    read_back,
    rename,
    written,
    written_statement,
)
from skelb.core.language.tools.brief import EXAMPLES, LANGUAGE_PAGE
from skelb.core.language.tree import Draw, Enter, Exit, Mark, Tint
from skelb.core.plan import Expressions, compare_values, input_values, make_plan
from skelb.demo import DEMO_SCRIPTS
from tests.conftest import dataset, wave_bars
from tests.core.test_language import CASES
from tests.core.trees import EXPRESSIONS, STATEMENTS

DATA = dataset()
WEEKS = dataset(wave_bars(1200))
# Those that need no other script and no column of their own market.
ALONE = [script for script in DEMO_SCRIPTS if "use " not in script.text and "column(" not in script.text]
DEMOS = pytest.mark.parametrize("script", ALONE, ids=lambda script: script.title)


def trees(source):
    return [without_places(placed.statement) for placed in parse(source).statements]


def series(source, setting=None):
    checked = check(source, setting)
    assert checked.is_sound, checked.diagnostics
    expressions = Expressions(checked, input_values(checked, {}), DATA)
    return {name: expressions.of(statement.value) for name, statement in checked.definitions.items()}


# --- writing and layout ---------------------------------------------------------------------------------------


@given(EXPRESSIONS)
@settings(max_examples=600)
def test_a_written_expression_reads_back_to_its_tree(tree):
    [placed] = parse(f"x = {written(tree)}").statements
    assert without_places(placed.statement.value) == without_places(tree)


@given(STATEMENTS)
@settings(max_examples=600)
def test_a_written_statement_reads_back_to_its_tree(tree):
    parsed = parse(written_statement(tree))
    assert not parsed.diagnostics, (written_statement(tree), parsed.diagnostics)
    [placed] = parsed.statements
    assert without_places(placed.statement) == without_places(tree)


@given(st.lists(STATEMENTS, max_size=4), st.randoms())
@settings(max_examples=200)
def test_layout_changes_no_meaning_and_keeps_comments(found, random):
    lines = []
    for number, tree in enumerate(found):
        text = written_statement(tree)
        spaced = "".join(char * random.choice([1, 1, 3]) if char == " " and '"' not in text else char for char in text)
        lines.append(f"{spaced}   # note {number}")
    source = "\n\n\n".join(lines)
    laid_out = format_source(source)
    assert trees(laid_out) == trees(source)
    assert format_source(laid_out) == laid_out
    assert all(f"# note {number}" in laid_out for number in range(len(found)))


@DEMOS
def test_layout_of_demo_scripts(script):
    assert trees(format_source(script.text)) == trees(script.text)
    assert format_source(script.text.replace(" = ", "=").replace("  ", " ")).count("=") == script.text.count("=")


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.stem)
def test_layout_of_broken_scripts_loses_nothing(path):
    source = path.read_text()
    assert format_source(source).split() == format_source(format_source(source)).split()
    assert format_source(source).replace(" ", "").replace("\n", "") == source.replace(" ", "").replace("\n", "")


# --- names ----------------------------------------------------------------------------------------------------


@DEMOS
def test_renaming_changes_no_result(script):
    before = series(script.text)
    source = script.text
    for name in list(check(source).definitions):
        place = next(item for item in name_places(source) if item.name == name and item.defines)
        source = applied(source, rename(source, place.span[0], f"{name}_renamed"))
    after = series(source)
    for name, values in before.items():
        fresh = after[f"{name}_renamed"]
        for field in values if isinstance(values, dict) else [None]:
            np.testing.assert_array_equal(values[field] if field else values, fresh[field] if field else fresh)


def test_renaming_reaches_choices_labels_functions_and_used_scripts():
    source = """
line = close
input src = close one of close, line
define twice(x) = x * 2 + line
use "Wave" with fast = n as wave
mark close > twice(src) above "at {line} and {wave.quick}"
total_up = total(line_2 from 0 to 3: prior(line, line_2))
"""
    place = next(item for item in name_places(source) if item.name == "line" and item.defines)
    renamed = applied(source, rename(source, place.span[0], "base"))
    assert "line" not in renamed.replace("line_2", "")
    alias = next(item for item in name_places(source) if item.name == "wave" and item.defines)
    assert "{swell.quick}" in applied(source, rename(source, alias.span[0], "swell"))


@pytest.mark.parametrize("name", ["close", "and", "2x", "b", "ema", "open_profit", ""])
def test_a_name_that_is_taken_or_none_is_refused(name):
    with pytest.raises(ScriptError):
        rename("a = 1\nb = a", 0, name)


def test_an_input_from_a_number_keeps_the_result():
    source = 'title "x"\nquick = ema(close, 12)\nup = rsi(close, 14) > 62.5\nenter long when up\nstop 2%\n'
    for number in ("12", "14", "62.5", "2%"):
        before = series(source)
        source = applied(source, extract_input(source, source.index(number)))
        after = series(source)
        for name in before:
            np.testing.assert_array_equal(before[name], after[name])
    checked = check(source)
    assert checked.is_sound and list(checked.inputs) == ["ema_n", "rsi_n", "up_level", "protect_value"]
    assert (checked.inputs["ema_n"].low, checked.inputs["ema_n"].high) == (6, 24)


def test_only_numbers_of_expressions_become_inputs():
    with pytest.raises(ScriptError):
        extract_input("input n = 12\nup = close > n", 10)


# --- used scripts ---------------------------------------------------------------------------------------------

SAVED = {
    "Wave": """
input fast = 12 from 4 to 40 step 1
input kind = ema one of ema, sma
quick_base = mid
input src = close one of close, quick_base
define lift(x) = x + drop where carry drop = drop * 0.5 + 1 starting 0
quick = average(src, fast, kind)
carry side = (1 if close > quick else side) starting 0
bands = bollinger(close, fast, 2)
up = quick crosses above sma(close, 30)
high_water = lift(quick)
""",
    "Tide": 'use "Wave" with fast = 20 as inner\nflow = inner.quick - inner.side\n',
}


def saved(title, version):
    return SavedScript(title, version or 1, SAVED[title]) if title in SAVED else None


@pytest.mark.parametrize(
    "line",
    [
        'use "Wave" as wave',
        'use "Wave" with fast = 9, kind = sma as wave',
        'use "Wave" with fast = n, kind = mine, src = quick_base as wave',
    ],
)
def test_inlining_a_used_script_changes_no_result(line):
    source = f"""
input n = 7 from 2 to 20
input mine = sma one of sma, ema
{line}
use "Tide" as tide
wave_up = tide.flow
go = wave.up or close > wave.bands.upper and wave.side == 1
gap = wave.quick - tide.flow + wave.high_water
"""
    setting = Setting(scripts=saved)
    alone = inline_used(source, saved)
    assert "use " not in alone
    before, after = series(source, setting), series(alone)
    for name in ("go", "gap", "wave_up"):
        np.testing.assert_array_equal(before[name], after[name])


def test_inputs_of_a_used_script_can_be_set_from_outside():
    checked = check('use "Wave" as wave\nx = wave.quick\ndraw x', Setting(scripts=saved))
    short, long = (
        Expressions(checked, input_values(checked, {"wave.fast": n}), DATA).of(checked.definitions["x"].value)
        for n in (4, 40)
    )
    assert not np.array_equal(short, long, equal_nan=True)


def test_scripts_that_use_each_other_are_told():
    texts = {"A": 'use "B" as b\nx = b.y', "B": 'use "A" as a\ny = a.x'}
    setting = Setting(scripts=lambda title, version: SavedScript(title, 1, texts[title]))
    assert [item.code for item in check('use "A" as a\ndraw a.x', setting).diagnostics] == ["S0215"]


# --- mirror ---------------------------------------------------------------------------------------------------

RULES = """
fast = ema(close, 9)
steady = efficiency(close, 20) > 0.3
push = macd(close, 12, 26, 9).gap > 0.5 and roc(close, 5) >= 1
edge = prior(highest(high, 20))
setup = close > edge then rsi(close, 14) in 40..60 no later than 8 bars unless low < fast - atr(14)
enter long when setup and steady and weekday is not fri named "push above"
enter long when climbs(close, 3) or stoch(14, 3, 3).k crosses above 20 at stop high + 2 * tick for 3 bars
exit long when push or bollinger(close, 20, 2).upper < high
exit long after 12 bars
stop long at lowest(low, 5) - 0.5 * atr(14)
target long 3 R
trail long at fast
"""


def sided(source, side):
    """The rules of a side with every name written out, so that only meaning is compared."""
    checked = check(source)
    assert checked.is_sound, checked.diagnostics
    meanings = {name: found.value for name, found in checked.definitions.items()}

    def written_out(node):
        text = without_places(node)
        while True:
            fresh = _replaced(text, {name: without_places(value) for name, value in meanings.items()})
            if fresh == text:
                return text
            text = fresh

    return sorted(
        repr(written_out(placed.statement)).replace("'short'", "'side'").replace("'long'", "'side'")
        for placed in checked.statements
        if getattr(placed.statement, "side", None) == side
    )


def _replaced(node, meanings):
    if isinstance(node, tuple):
        if len(node) == 2 and node[0] == "Name" and node[1] in meanings:
            return meanings[node[1]]
        return tuple(_replaced(part, meanings) for part in node)
    return node


def test_the_mirror_of_the_mirror_is_the_same_rules():
    mirrored = mirrored_rules(check(RULES))
    assert mirrored.missing == ()
    definitions = [line for line in RULES.strip().split("\n") if " = " in line]
    short_only = "\n".join([*definitions, *mirrored.lines])
    back = mirrored_rules(check(short_only), "short")
    both = short_only + "\n" + "\n".join(back.lines)
    assert sided(both, "long") == sided(RULES, "long")


def test_the_mirror_turns_prices_changes_and_swings():
    lines = "\n".join(mirrored_rules(check(RULES)).lines)
    assert "close < edge_mirrored then rsi(close, 14) in 40..60" in lines
    assert "macd(close, 12, 26, 9).gap < -0.5 and roc(close, 5) <= -1" in lines
    assert 'and steady and weekday is not fri named "push below"' in lines
    assert "sinks(close, 3) or stoch(14, 3, 3).k crosses below 80 at stop low - 2 * tick for 3 bars" in lines
    assert "stop short at highest(high, 5) + 0.5 * atr(14)" in lines


def test_the_side_of_the_position_is_mirrored():
    found = mirrored_rules(check("enter long when position == 1 and close > entry_price\nlimit 2 open"))
    assert found.lines == ("enter short when position == -1 and close < entry_price",)


@pytest.mark.parametrize("side", ["long", "short"])
@DEMOS
def test_mirrored_demo_scripts_have_their_other_side_already(script, side):
    assert mirrored_rules(check(script.text), side).lines == ()


@pytest.mark.parametrize(
    "rule",
    [
        "enter long when close > open * 1.02",
        'enter long when close from "KELP" > 3',
        "carry n = n + (1 if close > open else 0) starting 0\nenter long when n > 3",
        "enter long when close > volume",
    ],
)
def test_what_has_no_mirror_image_is_said(rule):
    found = mirrored_rules(check(rule))
    assert len(found.missing) == 1 and not any(line.startswith("enter") for line in found.lines)


# --- reading aloud --------------------------------------------------------------------------------------------


VARIANTS = (
    """
enter long when close > open|enter short when close > open|enter long when close >= open
enter long when close > open at close|enter long when close > open at limit low|enter long when close > open at stop low
enter long when close > open at limit low for 3 bars|enter long when close > open size 2 units|enter long when close > open size 2 cash
enter long when close > open size risk 2% of equity|enter long when close > open size risk 2 cash|enter long when close > open named "a"
enter long when close > open size 2 units max 3 units|enter long when close > open only if s
exit when close < open|exit long when close < open|exit short when close < open|exit when close < open take 50%
exit when close < open lots "a"|exit when close < open at close|exit when close < open only if s
exit after 3 bars|exit after 3 days|exit after 3 bars at close|exit long after 3 bars
stop 2%|stop 2 points|stop 2 ticks|stop 2 cash|stop long 2%|stop at 2|target 2%|target 2% for 50%|target 2 R
trail 2%|trail 2% once 1%|trail at low|trail short 2%|breakeven once 2%|breakeven once 2% plus 1%
window mon|window mon 09:30-16:00|window 09:30-16:00|window 09:30-16:00, 17:00-18:00|months jan|dates 2024-01-01 to 2024-02-01
flat at 16:00|flat at session end|flat at week end|limit 2 entries per day|limit 2 open|limit 2 losses per day|limit loss 2% per day
pause 2 bars after stop|pause 2 bars after loss|pause 2 bars after exit|opposite exit|opposite ignore
size 2 units|size 2 cash|size 2% of equity|size risk 2% of equity|size 2 units max 3 units|zone "Europe/Lisbon"
""".replace("\n", "|")
    .strip("|")
    .split("|")
)


BASE = 'input s = on\nenter long when high > low named "a"\nstop 5%\n'
RULE_SETS = st.sets(st.sampled_from(VARIANTS), max_size=4)


@given(RULE_SETS, RULE_SETS)
@settings(max_examples=300)
def test_strategies_that_differ_never_read_the_same(first, second):
    checked = [check(BASE + "\n".join(sorted(rules))) for rules in (first, second)]
    assume(all(item.is_sound for item in checked) and first != second)
    assert read_back(checked[0]) != read_back(checked[1])


def test_every_rule_reads_differently():
    told = {}
    for rule in ["", *VARIANTS]:
        checked = check(f"{BASE}{rule}\n")
        assert checked.is_sound, (rule, checked.diagnostics)
        told.setdefault("\n".join(read_back(checked)), []).append(rule)
    assert {len(rules) for rules in told.values()} == {1}


def test_every_default_is_said():
    told = "\n".join(read_back(check("enter long when close > open")))
    for sentence in ("never enters short", "reverses the position", "100 % of equity", "no stop", "no target", "all times",
                     "market's zone", "further entries of its side do nothing", "next bar's open", "No rule closes"):  # fmt: skip
        assert sentence in told


# --- brief and conversion -------------------------------------------------------------------------------------


def test_the_brief_holds_language_script_mistakes_and_wish():
    text = brief(check("up = closse > open\n"), "Add a stop.")
    for part in (
        "crosses above",
        "bollinger(x, n, f) .upper",
        "line 1, `up = closse > open`",
        "Add a stop.",
        "entry_price",
    ):
        assert part in text
    assert "HOW IT RUNS" not in text and "Net 3" in brief(check("x = 1\n"), "", "Net 3")


def test_the_brief_has_all_of_the_language_in_two_pages():
    text = brief(check(""), "")
    assert len(text) < 11_000 and max(len(line) for line in LANGUAGE_PAGE.splitlines()) <= 140
    page = LANGUAGE_PAGE + "".join(example for _, example in EXAMPLES)
    words = {form.word.partition(" ")[0] for form in FORMS} - {"name", "…"}
    assert not {word for word in words if word not in page}
    assert not {name for name in (*FUNCTIONS, *BUILT_INS, *POSITION_NAMES) if not re.search(rf"\b{name}\b", text)}
    for word in (*COLORS, "reverses", "next open", "close", "percent of the entry price"):
        assert word in LANGUAGE_PAGE


@pytest.mark.parametrize(("what", "text"), EXAMPLES)
def test_every_example_of_the_brief_runs_and_trades(what, text):
    checked = check(text)
    assert [item.message for item in checked.diagnostics if item.severity != "note"] == [], what
    data = dataset(wave_bars(6_000, minutes=30), session="09:00-17:00", days="mon-fri", zone="UTC")
    outcome = run(make_plan(checked, data, input_values(checked, {})), Account(100_000.0))
    assert len(outcome.trades) > 5


def test_a_conversion_is_equal_or_shows_where_it_is_not():
    values = np.array([np.nan, np.nan, 1.0, 2.0, 3.0, 4.0])
    assert compare_values(values, values).is_equal
    rounded = compare_values(values * 1.0000001, values)
    assert rounded.is_equal and rounded.largest > 0
    other = np.array([np.nan, 0.5, 1.0, 2.5, np.nan, 4.0])
    found = compare_values(values, other)
    assert (found.compared, found.differing, found.first, found.largest, found.largest_bar) == (3, 1, 3, 0.5, 3)
    assert (found.only_here, found.only_there) == (1, 0) and not found.is_equal
    assert compare_values(values * np.nan, values).verdict.startswith("nothing can be compared")


@DEMOS
def test_demo_scripts_are_written_as_they_are_read(script):
    for placed in parse(script.text).statements:
        if isinstance(placed.statement, (Enter, Exit)):
            assert trees(written_statement(placed.statement)) == [without_places(placed.statement)]


@pytest.mark.parametrize("name", [*FUNCTIONS, *BUILT_INS])
def test_every_function_and_name_has_an_example_that_runs(name):
    checked = check(example_of(name))
    assert [item.message for item in checked.diagnostics if item.severity != "note"] == []
    expressions = Expressions(checked, {}, WEEKS)
    [shown, *_] = [
        placed.statement for placed in checked.statements if isinstance(placed.statement, (Draw, Mark, Tint))
    ]
    value = expressions.of(shown.values[0] if isinstance(shown, Draw) else shown.when)
    assert value.dtype == np.int8 or name in ("pip", "exp") or np.isfinite(value).any()


@pytest.mark.parametrize("form", FORMS, ids=lambda form: form.word)
def test_every_form_has_an_example_that_checks(form):
    known = Setting(scripts=lambda title, version: SavedScript(title, 1, "up = close > open\n"))
    assert [item.message for item in check(form.example, known).diagnostics if item.severity == "error"] == []
    assert form.summary and form.snippet


def test_a_bracket_reads_back_and_is_no_mistake():
    """Entries that rest on both sides may wait at once; at a market price neither would happen."""
    bracket = "enter long when close > open at stop high\nenter short when close > open at stop low\nopposite exit\n"
    checked = check(bracket)
    assert [item.code for item in checked.diagnostics] == []
    assert "Orders of both sides may rest at once" in "\n".join(read_back(checked))
    at_market = check(bracket.replace(" at stop high", "").replace(" at stop low", ""))
    assert [item.code for item in at_market.diagnostics] == ["S0409"]
    assert "Orders of both sides" not in "\n".join(read_back(at_market))
