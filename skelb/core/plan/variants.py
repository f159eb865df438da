"""A plan made different on purpose, to see what its result hangs on."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from skelb.core.plan.columns import Flag
from skelb.core.plan.rules import Plan
from skelb.core.plan.signals import BY_FLAG

_SIGNALS = np.uint8(Flag.ENTER_LONG | Flag.ENTER_SHORT | Flag.EXIT_LONG | Flag.EXIT_SHORT)
_ENTRIES = np.uint8(Flag.ENTER_LONG | Flag.ENTER_SHORT)
_BIT = {"long": np.uint8(Flag.ENTER_LONG), "short": np.uint8(Flag.ENTER_SHORT)}


def one_bar_later(plan: Plan) -> Plan:
    """The plan with every signal judged one bar later than it came; hours, levels and sizes stay where they are.

    Rules that ask for the position are judged as the run goes, and stay.
    """
    flags = plan.flags & ~_SIGNALS
    flags[1:] |= plan.flags[:-1] & _SIGNALS
    rows = np.zeros_like(plan.rows)
    rows[:, 1:] = plan.rows[:, :-1]
    return replace(plan, flags=flags, rows=rows)


def with_random_entries(plan: Plan, rng: np.random.Generator) -> Plan:
    """The plan with as many entry signals of each side, at bars drawn from all on which entries are allowed.

    Exits, protection, hours and sizes stay. Entries that ask for the position stay too.
    """
    span = slice(plan.first, plan.last + 1)
    open_bars = np.flatnonzero((plan.flags[span] & np.uint8(Flag.BLOCKED)) == 0) + plan.first
    flags = plan.flags & ~_ENTRIES
    rows = plan.rows.copy()
    for side, bit in _BIT.items():
        numbers = [e for e, rule in enumerate(plan.entries) if rule.side == side]
        own = [int(plan.rules.signals.entries[e, 4]) for e in numbers if plan.rules.signals.entries[e, 4] != BY_FLAG]
        for row in own:
            drawn = _drawn(int(np.count_nonzero(rows[row, open_bars])), open_bars, rng)
            rows[row] = 0
            rows[row, drawn] = 1
            flags[drawn] |= bit
        if not own:
            count = int(np.count_nonzero(plan.flags[open_bars] & bit))
            flags[_drawn(count, open_bars, rng)] |= bit
    return replace(plan, flags=flags, rows=rows)


def _drawn(count: int, among: NDArray[np.int64], rng: np.random.Generator) -> NDArray[np.int64]:
    return rng.choice(among, min(count, among.size), replace=False)
