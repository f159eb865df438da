"""What the plan builder begins with: conditions of any script, and worked examples that stand in it."""

import pytest

from skelb.core.engine import Account
from skelb.core.language import check
from skelb.core.plan import make_plan
from skelb.service.backtest import Choices
from skelb.service.planning import examples_for
from skelb.service.prepared import Prepared
from skelb.service.studies import Studies
from tests.conftest import DEMO_SETTING, DEMO_TEXTS, dataset, wave_bars

DATA = dataset(wave_bars(2500, minutes=15), session="09:00-17:30", pip=0.25, point_value=20.0)
ASKING = """up = close > open and bars_held > 3
twice = close > open and volume > 100
mark close > prior(high) below
exit long when up
enter long when twice
"""


def prepared(text):
    return Prepared.of(text, DEMO_SETTING.scripts, DATA, Account(), Choices({})).sound()


@pytest.mark.parametrize("text", [*DEMO_TEXTS.values(), ASKING], ids=[*DEMO_TEXTS, "asking"])
def test_conditions_of_any_script_are_counted_and_can_be_written(text):
    if any(word in text for word in (" from ", "pips")):
        return  # they need another market, or pips
    found = Studies(prepared(text)).conditions()
    assert len({row.text for row in found}) == len(found)
    for row in found:
        assert row.count >= 0 and len(row.moves) == len(row.every) == 20
        whole = check(f"{text}\nmade = ({row.text})\n", DEMO_SETTING)
        assert whole.is_sound, (row.text, whole.diagnostics)


def test_what_asks_for_the_position_is_left_out():
    texts = {row.text for row in Studies(prepared(ASKING)).conditions()}
    assert {"twice", "close > open", "volume > 100"} <= texts
    assert not any("bars_held" in text or "position" in text for text in texts)


def test_every_worked_example_runs_and_says_its_worth():
    found = examples_for(DATA, Account(capital=50_000, leverage=20))
    assert {example.section for example in found} == {"stop", "target", "window", "size"}
    for example in found:
        checked = check(f"enter long when close > open\nenter short when close < open\nstop 2%\n{example.text}\n")
        assert checked.is_sound, (example.text, checked.diagnostics)
        make_plan(checked, DATA, {})
    stop = next(example for example in found if example.text == "stop 1%")
    close = DATA.bars.close[-1]
    assert stop.said == f"{close * 0.01:.2f} points, {close * 0.2:.2f} a unit, today".replace(".00", "")
