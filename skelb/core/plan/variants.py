"""A plan made different on purpose, to see what its result hangs on."""

from dataclasses import replace

import numpy as np

from skelb.core.plan.columns import Flag
from skelb.core.plan.rules import Plan

_SIGNALS = np.uint8(Flag.ENTER_LONG | Flag.ENTER_SHORT | Flag.EXIT_LONG | Flag.EXIT_SHORT)


def one_bar_later(plan: Plan) -> Plan:
    """The plan with every signal judged one bar later than it came; hours, levels and sizes stay where they are.

    Rules that ask for the position are judged as the run goes, and stay.
    """
    flags = plan.flags & ~_SIGNALS
    flags[1:] |= plan.flags[:-1] & _SIGNALS
    rows = np.zeros_like(plan.rows)
    rows[:, 1:] = plan.rows[:, :-1]
    return replace(plan, flags=flags, rows=rows)
