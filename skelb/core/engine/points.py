"""Running a template's points, many in one call of compiled code."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats, Ints
from skelb.core.engine.account import Account
from skelb.core.engine.kernel.points import Tables, simulate_points
from skelb.core.engine.kernel.records import Series
from skelb.core.engine.ledger import Outcome, Trades
from skelb.core.engine.memory import Pool, Run, lay_out, most_events, with_larger_ledger
from skelb.core.plan import Plan
from skelb.core.plan.filling import STRETCH, Along
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
    tables = _tables(template, points, memory, series, pool)
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


def _tables(template: Template, points: Sequence[Sequence[int]], memory: Run, series: Series, pool: Pool) -> Tables:
    plan, size = template.plan, len(template.plan.dataset)
    at_once = max(1, min(len(points), _BARS_AT_ONCE // size))
    numbers, truths = list[Table](), list[Table]()
    constants: list[float] = []
    places: dict[int, int] = {}
    for number in dict.fromkeys(number for point in points for number in point):
        value = template.value(number)
        if value.size == 1:
            constants.append(float(value[0]))
            places[number] = -len(constants)
            continue
        found = truths if value.dtype == np.int8 else numbers
        places[number] = len(found)
        found.append(value)
    return Tables(
        as_records(_steps(template, memory)),
        template.looks_back,
        np.array([[places[number] for number in point] for point in points], np.int64).reshape(len(points), -1),
        _stacked(pool.take("leaf numbers", len(numbers), size), numbers),
        _stacked(pool.take("leaf truths", len(truths), size, dtype=np.int8), truths),
        np.array(constants, np.float64),
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


def _stacked(table: Table, values: Sequence[Table]) -> Table:
    for row, value in zip(table, values, strict=True):
        row[:] = value
    return table
