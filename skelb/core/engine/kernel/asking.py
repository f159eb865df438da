# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Rules that ask for the position: what is known of it at a close, and the programs that use it."""

import math

import numpy as np

from skelb.core.engine.kernel.places import entry_at, exit_at, lot_at, program_at, rules_of
from skelb.core.engine.kernel.records import POSITION_NAMES, Known
from skelb.core.plan.columns import Flag
from skelb.core.plan.steps import perform
from skelb.core.spanning import called, inlined


@inlined
def know_position(i, market, run, series):
    """What rules may know of the position at this close, into the first registers."""
    known, side, lots = series.registers, market.side, market.lots
    if side == 0:
        for name in range(POSITION_NAMES):
            known[name] = np.nan
    known[Known.POSITION] = side
    known[Known.OPEN_LOTS] = lots
    if side == 0:
        return
    mid = 0.0
    for n in range(lots):
        mid += lot_at(n, market, run).mid
    mid /= lots
    oldest = lot_at(0, market, run)
    percent = 100.0 * side / abs(mid) if mid != 0.0 else np.nan
    best, worst = (oldest.high, oldest.low) if side > 0 else (oldest.low, oldest.high)
    stride = rules_of(run).day_stride
    known[Known.ENTRY_PRICE] = mid
    known[Known.LAST_ENTRY_PRICE] = lot_at(lots - 1, market, run).mid
    known[Known.BARS_HELD] = i - oldest.bar + 1
    known[Known.DAYS_HELD] = series.days[0, i * stride] - series.days[0, min(oldest.bar, i) * stride] + 1
    known[Known.OPEN_PROFIT] = (series.closes[i] - mid) * percent
    known[Known.BEST_PROFIT] = (best - mid) * percent
    known[Known.WORST_PROFIT] = (worst - mid) * percent
    known[Known.STOP_PRICE] = oldest.stop if math.isfinite(oldest.stop) else np.nan
    known[Known.TARGET_PRICE] = oldest.target if math.isfinite(oldest.target) else np.nan


@inlined
def evaluate(program, i, run, series):
    """The value of a program at bar i; the position must be known. Conditions are 0 no, 1 unknown, 2 yes."""
    mine = program_at(program, run)
    for k in range(mine.input, mine.input_end):
        series.registers[2 * POSITION_NAMES + k - mine.input] = series.rows[k, i]
    perform(series.instructions, mine.first, mine.end, series.registers)
    return series.registers[POSITION_NAMES]


@inlined
def keep_known(series):
    """Keep the position's values as the exits saw them, for whoever asks."""
    for name in range(POSITION_NAMES):
        series.known[name] = series.registers[name]


@called
def know_position_apart(i, market, run, series):
    """As `know_position`, compiled once and called."""
    know_position(i, market, run, series)


@called
def make_columns(when, i, market, run, series):
    """Columns that depend on the position, written for this close."""
    is_known = False
    for g in range(rules_of(run).programs):
        if program_at(g, run).made == when:
            if not is_known:
                know_position_apart(i, market, run, series)
                is_known = True
            series.rows[program_at(g, run).row, i] = evaluate(g, i, run, series)


@inlined
def is_yes(rule, i, flagged, run, series):
    """Whether a rule is yes at this close: by its program, its row of signals, or its side's flag."""
    if rule.program >= 0:
        return evaluate(rule.program, i, run, series) == 2.0
    return series.signals[rule.row, i] != 0 if rule.row >= 0 else flagged


@called
def asked_entries(i, run, series):
    """Sides, 1 long and 2 short, of entry rules that ask for the position and are yes."""
    flag, found = series.flags[i], 0
    for e in range(rules_of(run).entries):
        entry = entry_at(e, run)
        leaves = (flag & (Flag.EXIT_LONG if entry.side > 0 else Flag.EXIT_SHORT)) != 0
        if entry.program >= 0 and not leaves and evaluate(entry.program, i, run, series) == 2.0:
            found |= 1 if entry.side > 0 else 2
    return found


@inlined
def asked_exits(i, market, run, series):
    """Whether an exit rule that asks for the position is yes."""
    know_position(i, market, run, series)
    keep_known(series)
    mask = 1 if market.side > 0 else 2
    for x in range(rules_of(run).exits):
        rule = exit_at(x, run)
        if rule.program >= 0 and (rule.sides & mask) != 0 and evaluate(rule.program, i, run, series) == 2.0:
            return True
    return False
