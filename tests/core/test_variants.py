"""Plans made different on purpose."""

import numpy as np
import pytest

from skelb.core.engine import Account, run
from skelb.core.language import check
from skelb.core.plan import make_plan
from skelb.core.plan.columns import Flag
from skelb.core.plan.variants import one_bar_later, with_random_entries
from tests.conftest import dataset, wave_bars

RULES = "stop 2 * atr(14)\ntarget 3 R\nexit after 20 bars\nwindow 09:00-20:00\nsize 1 units\n"
SCRIPT = "enter long when close > open + 2\nenter short when close < open - 2\n" + RULES
LATER = "enter long when prior(close) > prior(open) + 2\nenter short when prior(close) < prior(open) - 2\n" + RULES
SEVERAL = 'enter long when close > open + 2 size 1 units named "a"\nenter long when close > open + 4 size 2 units named "b"\nlimit 3 open\n'


def plan_of(script):
    return make_plan(check(script), dataset(wave_bars(2000)), {})


def test_one_bar_later_is_the_script_that_looks_one_bar_back():
    shifted, written = run(one_bar_later(plan_of(SCRIPT)), Account()), run(plan_of(LATER), Account())
    assert len(shifted.trades) > 50
    np.testing.assert_array_equal(shifted.trades.entry_bar, written.trades.entry_bar)
    np.testing.assert_allclose(shifted.trades.net, written.trades.net)
    plan = plan_of(SEVERAL + RULES)
    later = one_bar_later(plan)
    assert plan.rows.size and (later.rows[:, 1:] == plan.rows[:, :-1]).all()


@pytest.mark.parametrize("script", [SCRIPT, SEVERAL + RULES], ids=["by flags", "by rows"])
def test_random_entries_are_as_many_where_entries_are_allowed(script):
    plan = plan_of(script)
    drawn = with_random_entries(plan, np.random.default_rng(2))
    blocked = (plan.flags & np.uint8(Flag.BLOCKED)) != 0
    for bit in (Flag.ENTER_LONG, Flag.ENTER_SHORT):
        before, after = ((found.flags & np.uint8(bit)) != 0 for found in (plan, drawn))
        assert not (after & blocked).any()
        if not plan.rows.size:
            assert after.sum() == (before & ~blocked).sum() and (before != after).any() == before.any()
    for before, after in zip(plan.rows, drawn.rows, strict=True):
        assert after.sum() == before[~blocked].sum() and not after[blocked].any()
    rest = np.uint8(~(Flag.ENTER_LONG | Flag.ENTER_SHORT) & 0xFF)
    np.testing.assert_array_equal(plan.flags & rest, drawn.flags & rest)
    again = with_random_entries(plan, np.random.default_rng(2))
    np.testing.assert_array_equal(drawn.flags, again.flags)
    assert len(run(drawn, Account()).trades) > 50
