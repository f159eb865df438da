"""Plans made different on purpose."""

import numpy as np

from skelb.core.engine import Account, run
from skelb.core.language import check
from skelb.core.plan import make_plan
from skelb.core.plan.variants import one_bar_later
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
