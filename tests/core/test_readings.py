"""A script as it reads on one bar: values at the ends of lines, marks under conditions, sentences of why."""

import re

import pytest

from skelb.core.engine import Account
from skelb.core.explain import Explainer, why_sentences
from skelb.core.language import Reader, SavedScript, Setting, check, read_expression
from skelb.core.language.tree import Name
from skelb.core.plan import Expressions, input_values
from skelb.service.backtest import Choices, backtest
from tests.conftest import dataset

USED = """title "Swell"
note "what is used has lines of its own, and other places in them"
input n = 9 from 2 to 20
quick = ema(close, n)
calm  = sma(close, 30)
bands = bollinger(close, 10, 2)
define late(x) = x > prior(x, 2)
up = quick crosses above calm and late(close)
far = (close > ema(close, 8)) on 1h
steps = close > open then close < open no later than 3 bars
"""
USING = """title "Two"
use "Swell" with n = 5 as w
use "Swell" as whole
level = w.bands.upper - w.quick

go = w.far and
     close > w.calm
enter long when (go and w.up) or w.steps
enter short when whole.up and not (w.quick > w.calm)
exit after 3 bars
"""
SETTING = Setting(scripts=lambda title, _: SavedScript(title, 1, USED))


@pytest.fixture(scope="module")
def explainer():
    checked = check(USING, SETTING)
    assert checked.is_sound
    return Explainer(checked, backtest(checked, dataset(), Account(), Choices({})).outcome.plan, Account())


def is_expression(text):
    """Whether a text is one whole expression."""
    written = Reader(text)
    read_expression(written)
    return written.now.kind == "end"


def plain(text):
    return " ".join(text.split())


@pytest.mark.parametrize("bar", range(20, 400, 19))
def test_marks_stand_under_whole_conditions_and_why_speaks_of_what_is_written(explainer, bar):
    explanation, readings = explainer.readings(bar)
    for mark in readings.marks:
        assert is_expression(USING[mark.start : mark.end])
    assert {plain(USING[mark.start : mark.end]) for mark in readings.marks} >= {"w.far", "close > w.calm", "whole.up"}
    for sentence in why_sentences(explanation):
        for quoted in re.findall(r"`([^`]+)`", sentence):
            assert quoted in plain(USING) or quoted in plain(USED), sentence


def test_what_is_taken_of_a_used_script_is_read_at_its_line(explainer, bar=300):
    lines = explainer.readings(bar)[1].lines
    read = {USING[: line.end].rsplit("\n", 1)[1]: line.text for line in lines}
    expressions = Expressions(explainer.checked, input_values(explainer.checked, {}), dataset())
    quick, calm = (expressions.of(Name(name, (0, 0)))[bar] for name in ("w.quick", "w.calm"))
    taken = read['use "Swell" with n = 5 as w']
    assert f"quick {quick:,.2f}" in taken and f"calm {calm:,.2f}" in taken and "bands.upper " in taken
    assert re.search(r"\bup (yes|no)\b", taken) and read['use "Swell" as whole'] in ("up yes", "up no")


def test_a_used_condition_that_never_came_is_told_in_its_own_words():
    rare = 'title "Rare"\nnote "longer than the line that uses it"\nrare = close > open and close > 1e9\n'
    checked = check(
        'use "Rare" as w\nenter long when w.rare\nexit after 3 bars\n',
        Setting(scripts=lambda title, _: SavedScript(title, 1, rare)),
    )
    [found] = [
        item for item in backtest(checked, dataset(), Account(), Choices({})).findings if item.code == "no_trades"
    ]
    assert "`w.rare` was never yes, because `close > 1e9` was yes on none of 400 bars" in found.message
