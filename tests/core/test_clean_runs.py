"""A script that checks clean runs, on however few bars; one that cannot be is refused with words."""

import pytest

from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.explain import Explainer, sieves_of
from skelb.core.language import check
from skelb.core.language.tools import format_source, inline_used, mirrored_rules, read_back, sheet_of
from skelb.core.plan import Expressions
from skelb.service.backtest import Choices, backtest
from tests.conftest import DEMO_SETTING, dataset, wave_bars

RULES = "exit after 3 bars\nsize 1 units\n"
ENTRIES = [
    "enter long when position == 0 and close > 1e9",
    "enter long when position != 0 and close > open",
    "enter long when bars_held > 2 and close > open",
    "enter long when not (position == 0)",
    "again = bars_held > 2\nenter long when again and close > open",
    "x = efficiency(close, 30)\nenter long when x > 0.5",
    "x = gain(close, 30)\nenter long when x > 0.5",
    "enter short when (close on 1d) < open",
]
TOO_MUCH = {
    "a number": "x = 1e400\n",
    "digits": f"x = {'9' * 400}\n",
    "a length": f"x = sma(close, {'9' * 400})\n",
    "an input": "input x = 1e400\n",
    "a sum": f"x = close{' + 1' * 496}\n",
    "a sequence": f"x = {' then '.join(['close > open'] * 495)}\n",
    "timeframes": f"x = close{' on 4h' * 1500}\n",
    "groups": f"x = {'all of (' * 3000}\n",
    "brackets": f"x = {'(' * 3000}\n",
    "signs": f"x = {'-' * 3000}1\n",
}


@pytest.mark.parametrize("size", [1, 2, 20, 200])
@pytest.mark.parametrize("entry", ENTRIES)
def test_what_checks_clean_runs_and_explains_itself(entry, size):
    checked = check(f"{entry}\n{RULES}")
    assert checked.is_sound, [item.message for item in checked.diagnostics]
    outcome = backtest(checked, dataset(wave_bars(size)), Account(), Choices({})).outcome
    sieves_of(checked, outcome)
    assert Explainer(checked, outcome.plan, Account()).readings(outcome.last)


def test_no_trades_for_a_condition_on_the_position_says_so():
    checked = check(f"enter long when position == 0 and close > 1e9\n{RULES}")
    found = backtest(checked, dataset(), Account(), Choices({})).findings
    said = [item.message for item in found if item.code == "no_trades"]
    assert len(said) == 1 and "asks for the position" in said[0]


def test_signals_that_depend_on_the_position_and_were_stopped_are_counted():
    checked = check(f"enter long when position == 0 and close > open\n{RULES}window sat 00:00-01:00\n")
    result = backtest(checked, dataset(wave_bars(300)), Account(), Choices({}))
    said = next(item.message for item in result.findings if item.code == "no_trades")
    stopped = len(result.outcome.skips)
    assert stopped > 100 and said.startswith(f"No trades. {stopped} signals, and every one was stopped: {stopped} ")


@pytest.mark.parametrize("count", ["1e300", "1e10", "0", "2.5"])
def test_a_count_beyond_any_history_is_refused(count):
    checked = check(f"enter long when close > open\nexit after {count} bars\nsize 1 units\n")
    with pytest.raises(SettingsError, match="whole number of bars from 1 to 1,000,000,000"):
        backtest(checked, dataset(), Account(), Choices({}))


@pytest.mark.parametrize("text", TOO_MUCH.values(), ids=TOO_MUCH)
def test_too_much_is_told_and_every_tool_stands(text):
    checked = check(text, DEMO_SETTING)
    if not checked.is_sound:
        assert all(item.message for item in checked.diagnostics)
    read_back(checked)
    mirrored_rules(checked, "long")
    sheet_of(checked)
    inline_used(text, DEMO_SETTING.scripts)
    assert format_source(format_source(text)) == format_source(text)
    if checked.is_sound:
        backtest(checked, dataset(wave_bars(20)), Account(), Choices({}))


def test_sums_inside_sums_have_a_bound_in_all():
    checked = check("x = total(a from 0 to 99: total(b from 0 to 999: close + a * b))\ndraw x\n")
    with pytest.raises(SettingsError, match="20,000 terms in all"):
        Expressions(checked, {}, dataset())
    deep = "".join(f"define f{i + 1}(x) = f{i}(x) + 1\n" for i in range(400))
    found = check(f"define f0(x) = x\n{deep}y = f400(close)\ndraw y\n")
    assert [item.code for item in found.diagnostics] == ["S0111"]


def test_names_in_names_are_opened_so_far_and_no_further():
    lines = "".join(f"a{i + 1} = a{i} and a{i} and close > {i}\n" for i in range(300))
    checked = check(f"a0 = close > 0\n{lines}enter long when a300\n{RULES}")
    outcome = backtest(checked, dataset(), Account(), Choices({})).outcome
    [sieve] = sieves_of(checked, outcome)
    assert len(sieve.passed) == 301  # each once, however often it is named
    explainer = Explainer(checked, outcome.plan, Account())
    [rule] = [item for item in explainer.explain(outcome.last).rules if item.kind == "enter"]
    assert 100 < _count(rule.condition) < 2_000
    assert len(explainer.readings(outcome.last)[1].lines) == 302


def _count(part):
    return 1 + sum(_count(inner) for inner in part.parts)
