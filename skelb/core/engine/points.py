"""Running a template's points, many in one call of compiled code."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats, Ints
from skelb.core.engine.account import Account
from skelb.core.engine.kernel.points import Tables, simulate_points
from skelb.core.engine.ledger import Outcome, Trades
from skelb.core.engine.memory import Pool, Run, lay_out, most_events, with_larger_ledger
from skelb.core.plan import Plan
from skelb.core.plan.filling import LEAF, STRETCH, Along
from skelb.core.plan.template import Template
from skelb.core.spanning import as_records
from skelb.core.stopping import stop_point

Table = NDArray[Any]
_BARS_AT_ONCE = 250_000  # of all points together: so many that their equity stays in the processor's nearer memory
_ROOM = 65_536  # trades of all points together; beyond, the ledger grows for one that needs more


@dataclass(frozen=True, eq=False)
class Points:
    """Finished runs of points, in order.

    plan : the template's; what steps fill in is of no point
    trades : of all, one point's after the other's; ends : int64, shape (points,), the end of each one's
    equity : float64, shape (points, bars run)
    """

    plan: Plan
    account: Account
    trades: Trades
    ends: Ints
    equity: Floats

    def outcome(self, point: int) -> Outcome:
        """One of them as a run of its own, without skipped orders."""
        rows = self.trades.rows[self.ends[point - 1] if point else 0 : self.ends[point]]
        account = self.account
        return Outcome(
            self.plan, account.capital, Trades(rows), rows[:0], self.equity[point], 0, False, account.cash_rate
        )


def run_points(template: Template, points: Sequence[Sequence[int]], account: Account, pool: Pool) -> Iterator[Points]:
    """The runs of points, each given as its leaves' memo numbers, in groups: to the last bit as each would be alone.

    Arrays hold until the next group is asked for.
    """
    plan = _opened(template)
    memory, series = lay_out([plan], account, np.array([0, len(plan.dataset)]), pool)
    while series.trades.size < _ROOM:
        series = with_larger_ledger(series)
    pool.keep_ledger(series)
    values = {number: _flat(template.value(number)) for number in {number for point in points for number in point}}
    tables = _tables(template, points, values, memory, pool)  # of which only addresses: `values` holds them meanwhile
    first, events = 0, most_events([plan])
    while first < len(points):
        stop_point()
        end = min(first + len(tables.ends), len(points))
        reached = int(simulate_points(first, end, events, tables, memory.block, series))
        if reached > first:
            ends = tables.ends[: reached - first]
            equity = tables.equity[: reached - first, plan.first : plan.last + 1]
            yield Points(plan, account, Trades(series.trades[: ends[-1]]), ends, equity)
        if reached == first:
            series = with_larger_ledger(series)
            pool.keep_ledger(series)
        first = reached


def _opened(template: Template) -> Plan:
    """The template's plan with memory of its own for what steps write."""
    plan, size = template.plan, len(template.plan.dataset)
    rows = {row: np.empty(size) for row in template.varying.values()}
    columns = list(plan.columns)
    for place, row in template.varying.items():
        columns[place] = rows[row]
    return replace(plan, flags=np.empty(size, np.uint8), rows=np.zeros_like(plan.rows), columns=tuple(columns))


def _flat(value: Table) -> Table:
    """A leaf's values as compiled code reads them, without a copy where they stand so already."""
    return np.ascontiguousarray(value, np.int8 if value.dtype == np.int8 else np.float64)


def _tables(
    template: Template, points: Sequence[Sequence[int]], values: Mapping[int, Table], memory: Run, pool: Pool
) -> Tables:
    plan, size = template.plan, len(template.plan.dataset)
    at_once = max(1, min(len(points), _BARS_AT_ONCE // size))
    leaf = {number: (value.ctypes.data, value.size > 1) for number, value in values.items()}
    leaves = np.array([[leaf[number] for number in point] for point in points], LEAF)
    return Tables(
        as_records(_steps(template, memory)),
        template.looks_back,
        as_records(leaves.reshape(len(points), len(template.leaves))),
        plan.rules.hours.flags,
        np.empty((template.registers[0], STRETCH)),
        np.empty((template.registers[1], STRETCH), np.int8),
        memory.block.copy(),
        pool.take("points' equity", at_once, size),
        np.zeros(at_once, np.int64),
    )


def _steps(template: Template, memory: Run) -> Table:
    """The template's steps with the rows of what varies as they stand in this memory."""
    steps = template.steps.copy()
    columns, programs = memory.tables["columns"], memory.tables["programs"]
    row_of = {row: int(columns["row"][place]) for place, row in template.varying.items()}
    first_input = int(programs["input"][0]) if programs.size else 0
    for step in steps:
        if step["step"] == Along.SERIES:
            row = int(step["into"])
            step["into"] = row_of[row] if row in row_of else first_input + row - len(row_of)
    return steps
