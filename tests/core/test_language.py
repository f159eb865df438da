"""What the checker says about scripts: golden files, mends that mend, and laws over any text."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skelb.core.export import diagnostics_document
from skelb.core.language import CODES, LineMap, SavedScript, Setting, check
from skelb.core.language.reading.lines import logical_lines
from skelb.core.language.tools import Edit, applied
from skelb.core.language.tree import Comparison, Definition, Draw, Enter, Logic
from skelb.demo import DEMO_SCRIPTS
from tests.conftest import DEMO_SETTING

GOLDEN = Path(__file__).parent.parent / "golden"
CASES = sorted(GOLDEN.glob("*.skelb"))


SAVED = {
    "Wave": "input fast = 12 from 4 to 40\nquick = ema(close, fast)\n",
    "Broken": "line = emma(close, 9)\n",
    "Round": 'use "Round" as again\nline = again.line\n',
}


def saved(title, version):
    return SavedScript(title, version or 1, SAVED[title]) if title in SAVED else None


SETTING = Setting(has_pips=False, scripts=saved)


def shown(source):
    """Every diagnostic of a script as text, the way the golden files hold it."""
    places = LineMap(source)
    lines = []
    for item in check(source, SETTING).diagnostics:
        start, end = places.place(item.span[0]), places.place(item.span[1])
        lines.append(f"{item.severity}[{item.code}] {start.line}:{start.column}-{end.line}:{end.column} {item.message}")
        lines.append(f"  why: {item.why}")
        if item.mend:
            lines.append(f"  mend: {item.mend.text!r}")
    return "\n".join(lines) + "\n"


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.stem)
def test_mistakes_read_as_the_golden_files_say(path, request):
    found = shown(path.read_text())
    expected = path.with_suffix(".out")
    if request.config.getoption("--update-golden"):
        expected.write_text(found)
    assert found == expected.read_text()


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.stem)
def test_one_mistake_gives_one_error_and_its_mend_mends(path):
    source = path.read_text()
    found = check(source, SETTING).diagnostics
    errors = [item for item in found if item.severity != "note"] or found[:1]
    assert len(errors) == 1
    mend = errors[0].mend
    if mend:
        mended = source[: mend.span[0]] + mend.text + source[mend.span[1] :]
        assert check(mended, SETTING).is_sound, mended


FOREIGN = [
    'fastLength = int(9, title="Fast")\n',
    'x = input.float(3.0, "x")\n',
    'fast = input(9, "Fast")\nplot(fast)\n',
    "float quick = ema(close, 12);\nslow := sma(close, 26)\nup = quick > slow && close > open\nx = close[1] - close\nif (up) {\n",
    "a = calc.sma(close, 9)\nb := calc.highest(high, 20)[1]\nbuy when a > b\n",
    "up = close crosses over sma(close, 9) || closs > open\nenter long when up = yes\n",
    "x = foo(close)[2] && bar > 3\ny = x.uper + math.abs(close, 2, 3)\n",
]


@pytest.mark.parametrize("source", [path.read_text() for path in CASES] + FOREIGN)
def test_all_sure_mends_leave_fewer_mistakes_and_change_nothing_that_was_right(source):
    found = check(source, SETTING)
    wrong = [item for item in found.diagnostics if item.severity == "error"]
    after, rounds = found, 0
    while mends := [
        Edit(item.mend.span, item.mend.text) for item in after.diagnostics if item.mend and item.severity == "error"
    ]:
        after, rounds = check(applied(after.source, mends), SETTING), rounds + 1
        assert rounds < 9  # a statement is read up to its first mistake: further ones come with the next round
    assert len([item for item in after.diagnostics if item.severity == "error"]) <= len(wrong)
    touched = [span for item in found.diagnostics for span in (item.span, item.mend.span if item.mend else item.span)]
    for placed in found.statements:
        inside = range(placed.start, placed.start + len(placed.text) + 1)
        if not any(span[0] in inside for span in touched):
            assert placed.text in {other.text for other in after.statements}
    for name, meaning in found.definitions.items():
        if name in after.definitions and meaning.span not in touched:
            assert type(after.definitions[name]) is type(meaning)


@pytest.mark.parametrize(("source", "said"), [
    ('fastLength = int(9, title="Fast")', "arguments are named with `:`"),
    ('x = input.float(3.0, "x")', "there is no function `input.float`"),
    ("x = bollinger(close, 20, band = 2).upper", "arguments are named with `:`"),
])  # fmt: skip
def test_what_would_not_help_is_not_called_sure(source, said):
    [wrong] = [item for item in check(source).diagnostics if item.severity == "error"]
    assert said in wrong.message and wrong.mend is None


def test_golden_files_cover_most_codes():
    used = {
        line.split("[")[1][:5]
        for path in CASES
        for line in path.with_suffix(".out").read_text().splitlines()
        if line[0] != " "
    }
    missing = set(CODES) - used - {"S0111", "S0113", "S0402"}  # these three have tests of their own below
    assert not missing


def test_deep_nesting_and_long_scripts_are_refused_calmly():
    assert [item.code for item in check("x = " + "(" * 200 + "1").diagnostics] == ["S0111"]
    assert [item.code for item in check("x = " + "-" * 5000 + "1").diagnostics] == ["S0111"]
    assert [item.code for item in check("#\n" * 20_001).diagnostics] == ["S0113"]


def test_clock_times_on_daily_bars_are_noted():
    found = check("enter long when close > open\nwindow 09:30-16:00", Setting(daily=True)).diagnostics
    assert "S0402" in [item.code for item in found]


@pytest.mark.parametrize("script", DEMO_SCRIPTS, ids=lambda script: script.title)
def test_demo_scripts_check_clean(script):
    assert check(script.text, DEMO_SETTING).diagnostics == ()
    assert check(script.text).title == script.title


@given(st.one_of(
    st.text(max_size=300),
    st.lists(st.sampled_from(list("()[]{}=<>.,:;\"'#%^*+-/ \n") + "enter long when close prior crosses above if else input from to stop R size risk 5 09:30 x up in is not and or".split(" ")), max_size=60).map(" ".join),
))  # fmt: skip
@settings(max_examples=400)
def test_any_text_gets_an_answer_inside_itself(source):
    found = check(source)
    for item in found.diagnostics:
        assert 0 <= item.span[0] <= item.span[1] <= len(source)
        assert item.message and item.why
    diagnostics_document(found)


@pytest.mark.parametrize("script", DEMO_SCRIPTS, ids=lambda script: script.title)
def test_any_cut_of_a_good_script_gets_an_answer(script):
    for cut in range(0, len(script.text), 7):
        text = script.text[:cut] + script.text[cut + 3 :]
        found = check(text, DEMO_SETTING)
        assert found.source == text and found.is_sound == all(item.severity != "error" for item in found.diagnostics)


@pytest.mark.parametrize(
    ("source", "count"),
    [
        pytest.param("a = (1 +\n2)\nb = 3", 2, id="open bracket"),
        pytest.param("up = close > open\n  and high > 3\n\n# so\n  or low < 2", 1, id="next line begins with a word"),
        pytest.param("up = close >\nopen", 1, id="line ends with an operator"),
        pytest.param("a = sma(close,\nb = 3", 2, id="a definition ends an open bracket"),
        pytest.param("a = sma(close,\nstop 2%", 2, id="an unindented statement ends an open bracket"),
        pytest.param("stop 2%\n  only if fridays", 1, id="only if"),
        pytest.param("draw close,\n  open", 1, id="comma"),
        pytest.param("a = 1\n- 2", 1, id="operator first"),
    ],
)
def test_lines_go_on_as_written(source, count):
    assert len(logical_lines(source)) == count


def test_precedence():
    source = "x = 1\nup = not close > open and high > low or x == 1\ny = -x ^ 2 * 3\nz = 2 ^ x ^ 2"
    by_name = {item.statement.name: item.statement.value for item in check(source).statements}
    assert isinstance(by_name["up"], Logic) and by_name["up"].operator == "or"
    assert by_name["y"].operator == "*"
    assert by_name["z"].b.operator == "^"


def test_chains_ranges_and_words_check():
    source = """
input kind = ema one of ema, sma
input src = close one of open, close
a = 30 < close < 70
b = close in 1..5 and weekday in (mon, tue) and time in 09:30..11:00
c = weekday is not fri and kind is ema
d = sma(src, 5) > prior(src)
e = (close if known(d) else open)
draw e in "Panel" as stairs color long when a else short named "both"
mark c above knot color brass "at {close} and {sma(close, 3)}"
"""
    checked = check(source)
    assert checked.diagnostics == ()
    assert isinstance(checked.definitions["a"].value, Comparison)
    draw = next(item.statement for item in checked.statements if isinstance(item.statement, Draw))
    assert (draw.panel, draw.form, draw.named) == ("Panel", "stairs", "both")


def test_words_of_statements_are_names_too():
    checked = check("level = 20\nstop = level + 1\nup = close > stop\nenter long when up\nenter short when not up")
    assert checked.is_sound and list(checked.definitions) == ["level", "stop", "up"]


def test_an_undefined_name_does_not_spoil_the_lines_below():
    checked = check("a = closse\nb = a + 1\nc = b > 2\nenter long when c")
    assert [item.code for item in checked.diagnostics] == ["S0201"]


def test_rule_tails_in_any_order():
    checked = check('enter long when close > open named "first" size 2 units max 3 units only if no')
    rule = next(item.statement for item in checked.statements if isinstance(item.statement, Enter))
    assert rule.named == "first" and rule.size.form == "units" and rule.only_if is not None


def test_positions_count_code_points():
    document = diagnostics_document(check('note "ä🌊"\nup = close > opeen'))
    [found] = document["diagnostics"]
    assert (found["line"], found["column"], found["end_column"]) == (2, 14, 19)
    assert found["mend"] == {"text": "open", "line": 2, "column": 14, "end_line": 2, "end_column": 19}


def test_definitions_are_read_in_order():
    assert [item.code for item in check("a = b\nb = 1").diagnostics] == ["S0201"]
    assert isinstance(check("b = 1\na = b + 1").definitions["a"], Definition)
