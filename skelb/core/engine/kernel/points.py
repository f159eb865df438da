# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Several runs of one template, one after the other without a way back to Python."""

from collections import namedtuple
from pathlib import Path

from skelb.core.catalogue import conditions
from skelb.core.engine import words
from skelb.core.engine.kernel.places import account_of, column_at, market_at
from skelb.core.engine.kernel.simulate import simulate
from skelb.core.plan import columns, filling, steps
from skelb.core.plan.filling import STRETCH, Along, finish_flags, raise_step, series_step, value_step
from skelb.core.spanning import called, kept

# What a group of points is run from, l leaves, n bars:
#   steps: `steps.INSTRUCTION`, each step one of `filling.Along`; looks_back: bars that its crossings look back
#   leaves `filling.LEAF` (points, l): the values of each
#   hours uint8 (n,): flags that no condition raises; number_registers, truth_registers: scratch, a stretch wide
#   state: the run's block before its first moment
#   equity float64 (p, n), ends int64 (p,): written for the points that are run at once, the latter the end of each
#     one's trades
Tables = namedtuple(
    "Tables",
    "steps looks_back leaves hours number_registers truth_registers state equity ends",
)


@called
def fill_in(point, first_bar, last_bar, tables, run, series):
    """Flags, rows of signals, columns and inputs of a point, on the bars that are run."""
    begin = first_bar
    while begin <= last_bar:
        ahead = min(begin, tables.looks_back)
        first = begin - ahead
        end = min(first + STRETCH, last_bar + 1)
        size = end - first
        for i in range(begin, end):
            series.flags[i] = 0
        for place in range(tables.steps.size):
            here = tables.steps[place]
            if here.step < Along.RAISE:
                value_step(here, point, first, size, tables)
            elif here.step <= Along.ROW:
                raise_step(here, first, ahead, size, tables, series)
            elif here.step == Along.SERIES:
                series_step(here, first, ahead, size, tables, series)
            elif begin == first_bar:
                column_at(here.into, market_at(0, run), run).constant = tables.number_registers[here.a, 0]
        finish_flags(begin, end, tables.hours, series.flags)
        begin = end


@kept(str(Path(__file__).parent), words.__file__, columns.__file__, steps.__file__, conditions.__file__,
      filling.__file__)  # fmt: skip
def simulate_points(first_point, end_point, most_events, tables, run, series):
    """Run points from `first_point` to before `end_point`; returns the next to run, sooner when the ledger is full.

    The trades of all points stand in the ledger one after the other. The state must have been laid out by
    engine.memory.
    """
    account, market = account_of(run), market_at(0, run)
    trades = 0
    for point in range(first_point, end_point):
        for k in range(run.size):
            run[k] = tables.state[k]
        account.trades = trades
        fill_in(point, market.first, market.last, tables, run, series)
        if simulate(market.last + 1, market.last, most_events, run, series) <= market.last:
            return point
        for i in range(market.first, market.last + 1):
            tables.equity[point - first_point, i] = series.equity[i]
        trades = tables.ends[point - first_point] = account.trades
    return end_point
