# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Where the records of a run stand in its one block of memory, and the ways to each.

A call passes the block and not a dozen tables, which would cost more than what most calls do.
"""

from typing import Any

import numpy as np
from numba import from_dtype, types
from numba.core import cgutils
from numba.extending import intrinsic

from skelb.core.engine.kernel import records
from skelb.core.engine.kernel.records import ACCOUNT, RULES, SIDE
from skelb.core.spanning import as_records, inlined, without_compiler

_RULES_AT = ACCOUNT.itemsize
_LONG_AT = _RULES_AT + RULES.itemsize
_SHORT_AT = _LONG_AT + SIDE.itemsize
_SIZES = {name: getattr(records, name).itemsize for name in records.TABLES.values()}
_MARKET, _LOT, _GOAL, _ORDER, _COLUMN = (_SIZES[name] for name in ("MARKET", "LOT", "GOAL", "ORDER", "COLUMN"))
_ENTRY, _EXIT, _PART, _PROGRAM = (_SIZES[name] for name in ("ENTRY", "EXIT", "PART", "PROGRAM"))


def _reader(dtype: np.dtype[np.void]) -> Any:
    """A compiled function of a block and a place in bytes: the record that stands there, not a copy."""
    if without_compiler():  # run without the compiler, to look for a fault
        return lambda block, place: as_records(block[place : place + dtype.itemsize].view(dtype))[0]
    record = from_dtype(dtype)

    @intrinsic
    def read(typing_context, block, place):
        def generate(context, builder, signature, args):
            data = context.make_array(signature.args[0])(context, builder, args[0]).data
            return builder.bitcast(cgutils.gep(builder, data, args[1]), context.get_value_type(record))

        return record(block, types.int64), generate

    return read


_account, _rules, _side, _market, _lot, _goal, _order, _column, _entry, _exit, _part, _program = (
    _reader(getattr(records, name))
    for name in "ACCOUNT RULES SIDE MARKET LOT GOAL ORDER COLUMN ENTRY EXIT PART PROGRAM".split()
)


@inlined
def account_of(run):
    """The account."""
    return _account(run, 0)


@inlined
def rules_of(run):
    """What goes for all rules, and where the tables stand."""
    return _rules(run, _RULES_AT)


@inlined
def side_of(side, run):
    """The rules of a side, 1 or -1."""
    return _side(run, _LONG_AT if side > 0 else _SHORT_AT)


@inlined
def market_at(k, run):
    """Market k."""
    return _market(run, rules_of(run).markets_at + _MARKET * k)


@inlined
def lot_at(n, market, run):
    """A market's lot n, the oldest first."""
    return _lot(run, market.lots_at + _LOT * n)


@inlined
def goal_at(n, p, market, run):
    """The target of part p of a market's lot n."""
    return _goal(run, market.goals_at + _GOAL * (n * rules_of(run).parts + p))


@inlined
def order_at(order, market, run):
    """A market's order of this number: of an entry rule, or of an exit rule for long or for short positions."""
    return _order(run, market.orders_at + _ORDER * order)


@inlined
def column_at(column, market, run):
    """Where a market's column stands."""
    return _column(run, market.columns_at + _COLUMN * column)


@inlined
def entry_at(e, run):
    """Entry rule e."""
    return _entry(run, rules_of(run).entries_at + _ENTRY * e)


@inlined
def exit_at(x, run):
    """Exit rule x."""
    return _exit(run, rules_of(run).exits_at + _EXIT * x)


@inlined
def part_at(p, run):
    """The target of part p."""
    return _part(run, rules_of(run).parts_at + _PART * p)


@inlined
def program_at(g, run):
    """Program g on the position."""
    return _program(run, rules_of(run).programs_at + _PROGRAM * g)
