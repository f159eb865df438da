"""Scripts in other notations brought over: golden files in many styles, and laws over any text."""

import re
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.engine import Account, run
from skelb.core.language import check
from skelb.core.language.bringing import bring
from skelb.core.plan import Expressions, input_values, make_plan
from tests.conftest import dataset, wave_bars

FOLDER = Path(__file__).parent.parent / "bringing"
TEXTS = sorted(FOLDER.glob("*.txt"))
DATA = dataset(wave_bars(600), pip=0.5)
FEW = dataset(wave_bars(30))
WEEK = dataset(wave_bars(30, minutes=360))  # every weekday


def told(brought):
    """What came of a text: the script, what was asked, the score."""
    asked = [f"? line {item.line}, {item.id}: {item.sentence} {' / '.join(item.choices)}" for item in brought.questions]
    score = ", ".join(f"{brought.count(state)} {state}" for state in ("sure", "asked", "left"))
    return brought.text + "".join(f"{line}\n" for line in asked) + f"= {score}\n"


@pytest.mark.parametrize("path", TEXTS, ids=[path.stem for path in TEXTS])
def test_texts_come_over_as_the_golden_files_say(path, request):
    found = told(bring(path.read_text("utf-8")))
    golden = path.with_suffix(".out")
    if request.config.getoption("--update-golden"):
        golden.write_text(found, "utf-8")
    assert found == golden.read_text("utf-8")


@pytest.mark.parametrize("path", TEXTS, ids=[path.stem for path in TEXTS])
def test_what_comes_over_runs_whatever_is_answered(path):
    source = path.read_text("utf-8")
    first = bring(source)
    most = max((len(item.choices) for item in first.questions), default=1)
    for choice in range(most):
        brought = bring(source, {item.id: choice for item in first.questions})
        checked = check(brought.text)
        assert checked.is_sound, checked.diagnostics
        if checked.has_entries:
            run(make_plan(checked, DATA, input_values(checked, {})), Account(100_000.0))


@pytest.mark.parametrize("path", TEXTS, ids=[path.stem for path in TEXTS])
def test_every_line_is_accounted_for(path):
    source = path.read_text("utf-8")
    brought = bring(source)
    from_ = {line.source for line in brought.lines}
    assert all(0 <= number <= source.count("\n") + 1 for number in from_)
    for line in brought.lines:
        assert (line.state == "left") == bool(line.reason) or line.source == 0
        assert line.text.startswith("#") or line.state != "left"


def test_all_in_all_most_lines_are_sure():
    """The texts that are none, and those about what cannot be said, are not counted."""
    ours = [path for path in TEXTS if path.stem not in ("noise", "loops", "empty") and "cannot" not in path.stem]
    counts = {
        state: sum(bring(path.read_text("utf-8")).count(state) for path in ours) for state in ("sure", "asked", "left")
    }
    assert counts["left"] < 0.03 * sum(counts.values()), counts


PIECES = re.findall(r"[^\n]+\n|\n", "".join(path.read_text("utf-8") for path in TEXTS))


@given(
    st.lists(
        st.sampled_from(PIECES) | st.text(alphabet="abc=()[]{}:;?,.\"'#/&|!<>+-*0123456789 \n", max_size=30),
        max_size=12,
    )
)
def test_any_text_comes_to_a_script_without_mistakes(pieces):
    brought = bring("".join(pieces))
    assert check(brought.text).is_sound


@pytest.mark.parametrize(
    "text",
    ["x = " + "(" * 5_000 + "1" + ")" * 5_000, "x = " + "-" * 5_000 + "1", "x = " + "max" * 3_000 + "(close)", "x = " + "a ? " * 3_000,
     "if (a) " * 3_000, "{" * 5_000, "x = close" + "[1]" * 3_000, "x = " + " + ".join(["close"] * 5_000), '"' * 9_999, "/*" * 3_000,
     "x = " + "sma(" * 3_000, "\n".join(f"x{i} = y{i}" for i in range(3_000)), "é = ü\n" * 50, "a" * 100_000,
     "\n".join(f"y{i} = y{i + 1} + close" for i in range(3_000)), "\n".join(f"x{i} = x{i}[1] or close > open" for i in range(1_000)),
     "if a > 1\n    buy(stop=low - b)\n" * 1_000, "f.loc[" * 3_000 + "] = 1", "a, " * 3_000 + "b = 1", "sell at " * 3_000],
    ids=range(20),
)  # fmt: skip
def test_hostile_texts_are_answered(text):
    assert check(bring(text).text).is_sound


def test_what_stands_on_something_left_is_left_however_long_the_chain():
    chain = "".join(f"a{k} = a{k - 1} + 1\n" for k in range(1, 400))
    brought = bring(f"a0 = 1 + (close > open)\n{chain}b = close + 1\nif (b > a399) {{ trade.buy() }}\n")
    assert check(brought.text).is_sound and "b = close + 1\n" in brought.text
    assert brought.count("left") == 401 and "#   `a398` is left\n" in brought.text


def test_a_text_that_cannot_be_sorted_out_is_left_whole(monkeypatch):
    monkeypatch.setattr(sys.modules[bring.__module__], "_MOST_ROUNDS", 0)
    brought = bring("a = close + 1\nif (a > 3) { trade.buy() }\n")
    assert check(brought.text).is_sound and (brought.count("left"), brought.count("sure")) == (2, 0)


@pytest.mark.parametrize(
    "text",
    [
        "x = 0\nfor i in a:\n    x += i\ny = x",
        "x = 0\ny = x\nif close > open:\n    x = 5\nz = x",
        "if close > open:\n    x = 5\ny = x",
        "if close > open:\n    x = 5\nelif low > 3:\n    x = 6\ny = x",
    ],
    ids=["in a loop", "read between", "without a beginning", "without the last branch"],
)
def test_a_value_that_changes_where_it_cannot_be_said_is_left(text):
    defined = [line.text for line in bring(text).lines if re.match(r"(carry )?[xyz] =", line.text)]
    assert defined == []


def test_a_name_that_is_left_is_not_taken_for_a_series():
    brought = bring("c = request(1)\nv = c + 1\nif (v > 2) buy()\nif (close > open) sell()\n")
    assert brought.count("left") == 3 and "volume" not in brought.text and "close > 2" not in brought.text


CONDITIONS = {
    "close > open": lambda bars, at: bars.close[at] > bars.open[at],
    "high - low > 2": lambda bars, at: bars.high[at] - bars.low[at] > 2,
    "close < 100 && volume > 0": lambda bars, at: bars.close[at] < 100 and bars.volume[at] > 0,
}
STEPS = st.tuples(st.sampled_from([None, *CONDITIONS]), st.sampled_from(["=", "+=", "-=", "*="]), st.integers(0, 3))


@given(st.integers(-3, 3), st.lists(STEPS, min_size=1, max_size=3))
def test_a_value_given_in_several_places_is_what_a_loop_over_the_bars_makes_of_it(start, steps):
    """Both readings: begun anew on every bar, and kept from bar to bar."""
    lines = [f"if ({when}) {{ x {sign} {value} }}" if when else f"x {sign} {value}" for when, sign, value in steps]
    source = "\n".join([f"x = {start}", *lines, "y = x"])

    def stepped(x, at):
        for when, sign, value in steps:
            if when is None or CONDITIONS[when](FEW.bars, at):
                x = {"=": value, "+=": x + value, "-=": x - value, "*=": x * value}[sign]
        return float(x)

    anew = [stepped(start, at) for at in range(len(FEW))]
    kept = [stepped(start, 0)]
    for at in range(1, len(FEW)):
        kept.append(stepped(kept[-1], at))
    asked = bring(source).questions
    assert asked or anew == kept
    for choice in range(2 if asked else 1):
        checked = check(bring(source, {"x": choice}).text)
        found = Expressions(checked, {}, FEW).whole(checked.definitions["y"].value)
        wanted = kept if asked and "kept" in asked[0].choices[choice] else anew
        assert found == pytest.approx(np.array(wanted), rel=1e-9)


@given(
    st.integers(-3, 3),
    st.lists(st.tuples(st.sampled_from(sorted(CONDITIONS)), st.sampled_from(["=", "+=", "*="]), st.integers(0, 3)), min_size=1, max_size=3),
    st.none() | st.integers(0, 3),
    st.booleans(),
    st.booleans(),
)  # fmt: skip
def test_branches_of_one_if_are_what_a_loop_over_the_bars_makes_of_them(start, branches, otherwise, is_within, is_kept):
    """At most one of them holds; also where they stand in the `else` of another `if`."""
    heads = [f"if ({branches[0][0]})", *(f"else if ({when})" for when, _, _ in branches[1:])]
    lines = [f"{head} {{ x {sign} {value} }}" for head, (_, sign, value) in zip(heads, branches, strict=True)]
    if otherwise is not None:
        lines.append(f"else {{ x = {otherwise} }}")
    if is_within:
        lines = ["if (close > 105) { x = 9 } else {", *lines, "}"]
    source = "\n".join([f"x = {start}", *lines, "y = x"])

    def stepped(x, at):
        if is_within and FEW.bars.close[at] > 105:
            return 9.0
        for when, sign, value in branches:
            if CONDITIONS[when](FEW.bars, at):
                return float({"=": value, "+=": x + value, "*=": x * value}[sign])
        return float(x if otherwise is None else otherwise)

    found = bring(source)
    ways = {item.id: [words.split()[-3:] for words in item.choices] for item in found.questions}
    kept = is_kept and "x" in ways
    answer = next((at for at, words in enumerate(ways.get("x", [])) if (words[0] == "bar") == kept), 0)
    wanted, last = [], float(start)
    for at in range(len(FEW)):
        last = stepped(last if kept else start, at)
        wanted.append(last)
    checked = check(bring(source, {"x": answer}).text)
    assert Expressions(checked, {}, FEW).whole(checked.definitions["y"].value) == pytest.approx(
        np.array(wanted), rel=1e-9
    )


def brought_value(source, name, answers=None):
    """The values on FEW bars of a name of a text that was brought over, all of it sure but what is answered."""
    found = bring(source, answers)
    assert found.count("left") == 0, found.text
    checked = check(f"{found.text}asked = {name}\n")
    return found, Expressions(checked, {}, FEW).whole(checked.definitions["asked"].value)


def test_a_value_made_from_its_own_one_bar_earlier_is_what_a_loop_makes_of_it():
    """Of a trailing level that begins once its distance is known, and of the side that follows from it."""
    source = """d = 2 * atr(3)
up = close - d
up := close[1] > up[1] ? max(up, up[1]) : up
side = 1
side := close < up[1] ? -1 : close > open ? 1 : side[1]
"""
    found, level = brought_value(source, "up")
    assert not found.questions
    _, side = brought_value(source, "side")
    bars = FEW.bars
    checked = check("d = 2 * atr(3)")
    distance = Expressions(checked, {}, FEW).whole(checked.definitions["d"].value)
    levels, sides = [], []
    for at in range(len(FEW)):
        up = bars.close[at] - distance[at]
        if at and not np.isnan(levels[-1]) and bars.close[at - 1] > levels[-1]:
            up = max(up, levels[-1])
        is_below = at > 0 and bars.close[at] < levels[-1]  # no where there is none yet
        sides.append(-1 if is_below else 1 if bars.close[at] > bars.open[at] else sides[-1] if sides else 1)
        levels.append(up)
    assert level == pytest.approx(np.array(levels), nan_ok=True)
    known = ~np.isnan(np.array(levels))
    begins = int(np.argmax(known)) + 1
    after = side[begins:]
    assert after[-1] == sides[-1] and set(after) <= {-1.0, 1.0}


@pytest.mark.parametrize(
    ("source", "wanted"),
    [
        ("x = close > open ? high : x[1]", "hold(high, close > open)"),
        ("x = close > open ? 1 : close < open ? -1 : x[1]", "hold((1 if close > open else -1), close > open or close < open)"),
        ("x = close > open and high > 9 ? 1 : low < 5 ? 2 : x[1]", "hold((1 if close > open and high > 9 else 2), (close > open and high > 9) or low < 5)"),
    ],
)  # fmt: skip
def test_a_value_that_stays_until_a_condition_is_held(source, wanted):
    found, values = brought_value(source, "x")
    assert f"x = {wanted}\n" in found.text and not found.questions
    assert np.isfinite(values[-1])


@pytest.mark.parametrize(
    "source",
    [
        "x = none\nx := close > open ? high : x[1]",
        "x = none\nif (close > open) { x = high } else { x = x[1] }",
        "x = none\nif (close > open) { x = high }",
    ],
)
def test_a_name_without_a_value_at_first_has_none_until_it_gets_one(source):
    _, values = brought_value(source, "x", {"x": 0 if "x[1]" in source else 1})
    held = Expressions(checked := check("h = hold(high, close > open)"), {}, FEW).whole(checked.definitions["h"].value)
    assert values == pytest.approx(held, nan_ok=True) and np.isfinite(held[-1])


@pytest.mark.parametrize(
    ("source", "step"),
    [
        ("holds = close > open or (holds[1] and not (close < low + 0.1))", lambda last, bars, at: bars.close[at] > bars.open[at] or (last and not bars.close[at] < bars.low[at] + 0.1)),
        ("holds = false\nholds := close > open ? true : holds[1]", lambda last, bars, at: bars.close[at] > bars.open[at] or (last and at > 0)),
    ],
    ids=["from itself", "begun as no"],
)  # fmt: skip
def test_a_condition_made_from_its_own_is_what_a_loop_makes_of_it(source, step):
    _, values = brought_value(source, "holds")
    last, wanted = False, []
    for at in range(len(FEW)):
        last = bool(step(last, FEW.bars, at)) if at or "false" not in source else False
        wanted.append(2 if last else 0)
    assert list(values) == wanted


def test_a_name_read_before_it_gets_its_value_is_asked_about():
    source = "a = before + 1\nbefore = close * 2\n"
    found, values = brought_value(source, "a")
    assert [item.id for item in found.questions] == ["read before"]
    assert values[1:] == pytest.approx(FEW.bars.close[:-1] * 2 + 1) and np.isnan(values[0])
    _, values = brought_value(source, "a", {"read before": 1})
    assert values == pytest.approx(FEW.bars.close * 2 + 1)


@pytest.mark.parametrize(
    ("source", "told"),
    [
        ("x = my(close)[1]\ny = close[1]", "y = prior(close)"),
        ("a = sma(close, 3)\nb = close[2]\nx = a[1]", "x = prior(a)"),
        ("a = sma(close, 3)\nb = a[-2]\nx = a[-1]", "x = a"),
        ("a = sma(close, 3)\nb = a[0]\nx = a[-1]", "x = prior(a)"),
    ],
)
def test_what_a_number_behind_a_name_counts_is_told_by_the_rest_of_the_text(source, told):
    found = bring(source)
    assert f"{told}\n" in found.text and not any("[" in item.id for item in found.questions)


@pytest.mark.parametrize(
    ("asked", "frame"),
    [("60", "1h"), ("15", "15m"), ("240", "4h"), ("D", "1d"), ("1 day", "1d"), ("w", "1w"), ("90", "90m"), ("m", None), ("0", None), ("tall", None)],
)  # fmt: skip
def test_bars_of_a_longer_timeframe_are_asked_about(asked, frame):
    found = bring(f'a = longer(symbol, "{asked}", close)\n')
    if frame is None:
        assert found.count("left") == 1
        return
    assert f"a = (close on {frame})\n" in found.text
    [question] = found.questions
    assert (
        f"a = (close on {frame} forming)\n" in bring(f'a = longer(symbol, "{asked}", close)\n', {question.id: 1}).text
    )


@pytest.mark.parametrize(
    ("condition", "told"),
    [
        ("not position", "position is flat"),
        ("position and close > open", "position is not flat and close > open"),
        ("!inPosition() || close > open", "position is flat or close > open"),
        ("position", "position is not flat"),
    ],
)
def test_a_position_that_stands_for_a_condition_is_asked_as_one(condition, told):
    assert f"exit when {told}\n" in bring(f"if {condition}:\n    exitAll()\n").text


def test_the_guide_tells_what_comes_of_its_text():
    text = (FOLDER.parent.parent / "docs/guide/howto/bring-a-script-over.md").read_text("utf-8")
    pasted, became = re.search(r"```\n(.*?)```.*?```skelb\n(.*?)```", text, re.DOTALL).groups()
    assert bring(pasted).text == became
    assert [item.id for item in bring(pasted).questions] == ["share", "trade.sell"]


def test_branches_stand_under_what_must_be_no_before_them():
    text = 'if (close > 9) { buy(); } else if (open > 8) { sellShort(); } else if (low > 7) { exit(); } else { alert(high > 1, "a"); }'
    rules = [line.text for line in bring(text).lines if line.text.startswith(("enter", "exit"))]
    assert rules == [
        "enter long when close > 9",
        "enter short when not (close > 9) and open > 8",
        "exit when not (close > 9) and not (open > 8) and low > 7",
    ]


def test_two_ways_of_reading_are_asked_once_and_both_run():
    source = "a = sma(close, 5)\nup = a > a[1] and a[1] > a[2]\nif (up) sell()\n"
    first = bring(source)
    assert [item.id for item in first.questions] == ["a[1]", "a[2]", "sell"]
    assert "enter short when up" in first.text
    assert "exit long when up" in bring(source, {"sell": 1}).text
    left = bring(source, {"a[1]": 1})
    assert "up" not in check(left.text).definitions and check(left.text).is_sound
    assert replace(first.questions[2], chosen=1) == bring(source, {"sell": 1}).questions[2]


def test_branches_of_different_questions_are_not_taken_for_one():
    brought = bring("if (close > open) { x = 1 }\nif (low > 5) { y = 2 } else { x = 3 }\nplot(x)\n")
    assert not re.search(r"^x = |^draw", brought.text, re.MULTILINE)


def test_a_name_that_changes_in_too_many_places_means_nothing_afterwards():
    many = "".join(f"if (close > {k}) {{ x += close * {k} }}\n" for k in range(12))
    brought = bring(f"x = 0\n{many}y = x + 1\n")
    assert "changes in too many places" in brought.text and "# left: y = x + 1" in brought.text


def test_what_is_asked_within_a_function_counts_as_asked():
    brought = bring("def rise(a, n):\n    return a - a[1]\nx = rise(close, 3)\n")
    assert brought.count("asked") == 1 and [item.id for item in brought.questions] == ["a[1]"]


@pytest.mark.parametrize("operator", ["==", "!=", "<", "<=", ">", ">="])
@pytest.mark.parametrize("number", [0, 1, 4, 6, 7])
def test_weekdays_by_number_are_those_that_the_number_means(operator, number):
    days = WEEK.calendar.weekday + 0  # Monday is 0
    counted = {"Monday is 1": days + 1, "Monday is 0": days, "Sunday is 1": (days + 1) % 7 + 1}
    source = f"x = weekday {operator} {number}\ny = x ? 1 : 0"
    [question] = bring(source).questions
    for choice, words in enumerate(question.choices):
        checked = check(bring(source, {"weekday": choice}).text)
        found = Expressions(checked, {}, WEEK).whole(checked.definitions["y"].value)
        wanted = {
            "==": counted[words] == number, "!=": counted[words] != number, "<": counted[words] < number,
            "<=": counted[words] <= number, ">": counted[words] > number, ">=": counted[words] >= number,
        }[operator]  # fmt: skip
        assert (np.broadcast_to(found, days.size) == wanted).all(), words


@pytest.mark.parametrize(("text", "said"), [("month > 12", "no"), ("month < 1", "no"), ("month >= 1", "yes"), ("month > 11", "month is dec"), ("month <= 3", "month in jan..mar")])  # fmt: skip
def test_months_by_number_at_the_ends_of_the_year(text, said):
    assert f"x = {said}\n" in bring(f"x = {text}\n").text
