# mypy: disable-error-code="no-untyped-def"
"""What a template leaves open, filled in for one point: steps along the bars, and the code that takes them.

The bars are gone through in short stretches, so that all registers stay in the processor's nearest memory. A stretch
begins a few bars early where crossings look back.
"""

from ctypes import string_at
from enum import IntEnum
from typing import Any

import numpy as np
from numba import from_dtype, types
from numba.extending import intrinsic

from skelb.core.plan.columns import Flag
from skelb.core.plan.steps import is_equal, is_less
from skelb.core.spanning import called, inlined, without_compiler

STRETCH = 512


class Along(IntEnum):
    """What one step does with its registers; those of numbers and those of conditions are counted apart."""

    NUMBER = 0  # leaf `a`
    ADD = 1
    SUBTRACT = 2
    MULTIPLY = 3
    DIVIDE = 4
    NEGATIVE = 5
    EITHER_NUMBER = 6  # numbers `b` and `c` by condition `a`
    AS_NUMBER = 7  # condition `a`
    CONDITION = 8  # leaf `a`
    ORDER = 9  # of two numbers: 1 where `a` is above `b`, -1 below, 0 where they are equal, 2 where either is unknown
    LESS = 10
    AT_MOST = 11
    EQUAL = 12
    UNEQUAL = 13
    CROSSES = 14  # of order `a`, upwards where `b` holds 1, downwards where it holds 2
    AND = 15
    OR = 16
    NOT = 17
    EITHER_CONDITION = 18  # conditions `b` and `c` by condition `a`
    RAISE = 19  # the flags `b` where condition `a` is yes
    ROW = 20  # 1 in signal row `into` where condition `a` is yes and none of the flags `b` is up
    SERIES = 21  # number `a` into row `into` of what varies
    CONSTANT = 22  # number `a` into the constant of column `into`


LEAF = np.dtype([("address", "i8"), ("moves", "i8")], align=True)
"""Where a leaf's values stand in memory, float64 or int8, and whether there is one a bar, else one for all (1, 0)."""


def _reader(dtype: type) -> Any:
    """A compiled function of an address and a place: the value that stands there."""
    kind = np.dtype(dtype)
    if without_compiler():
        return lambda address, place: kind.type(
            np.frombuffer(string_at(address + place * kind.itemsize, kind.itemsize), kind)[0]
        )
    compiled = from_dtype(kind)

    @intrinsic
    def read(typing_context, address, place):
        def generate(context, builder, signature, args):
            pointer = builder.inttoptr(args[0], context.get_value_type(compiled).as_pointer())
            return builder.load(builder.gep(pointer, [args[1]]))

        return compiled(types.int64, types.int64), generate

    return read


_number_at, _truth_at = _reader(np.float64), _reader(np.int8)


@called
def take_leaf(leaf, size, first, found):
    """A number's values on the bars from `first` on."""
    if leaf.moves != 0:
        for j in range(size):
            found[j] = _number_at(leaf.address, first + j)
    else:
        for j in range(size):
            found[j] = _number_at(leaf.address, 0)


@called
def take_truth(leaf, size, first, found):
    """As `take_leaf`, for a condition."""
    if leaf.moves != 0:
        for j in range(size):
            found[j] = _truth_at(leaf.address, first + j)
    else:
        for j in range(size):
            found[j] = _truth_at(leaf.address, 0)


@called
def number_step(step, a, b, found, size):
    """A number of two numbers, as `operations` has it."""
    if step == Along.ADD:
        for j in range(size):
            found[j] = a[j] + b[j]
    elif step == Along.SUBTRACT:
        for j in range(size):
            found[j] = a[j] - b[j]
    elif step == Along.MULTIPLY:
        for j in range(size):
            found[j] = a[j] * b[j]
    elif step == Along.DIVIDE:
        for j in range(size):
            found[j] = a[j] / b[j] if b[j] != 0.0 else np.nan
    else:
        for j in range(size):
            found[j] = -a[j]


@called
def compared_step(step, a, b, found, size):
    """A condition, or an order, of two numbers, as `conditions` has it."""
    if step == Along.ORDER:
        for j in range(size):
            known = (a[j] == a[j]) & (b[j] == b[j])
            found[j] = known * (1 * is_less(b[j], a[j]) - 1 * is_less(a[j], b[j])) + 2 * (1 - known)
    elif step == Along.LESS:
        for j in range(size):
            found[j] = 2 * is_less(a[j], b[j]) + ((a[j] != a[j]) | (b[j] != b[j]))
    elif step == Along.AT_MOST:
        for j in range(size):
            known = (a[j] == a[j]) & (b[j] == b[j])
            found[j] = 2 * (known & (not is_less(b[j], a[j]))) + (1 - known)
    elif step == Along.EQUAL:
        for j in range(size):
            known = (a[j] == a[j]) & (b[j] == b[j])
            found[j] = 2 * (is_equal(a[j], b[j]) & known) + (1 - known)
    else:
        for j in range(size):
            known = (a[j] == a[j]) & (b[j] == b[j])
            found[j] = 2 * ((not is_equal(a[j], b[j])) & known) + (1 - known)


@called
def crossing_step(order, ways, found, size):
    """Where an order turns upwards or downwards; unknown on the first bar."""
    up, down = ways & 1 != 0, ways & 2 != 0
    found[0] = 1
    for j in range(1, size):
        now, before = order[j], order[j - 1]
        known = (now != 2) & (before != 2)
        hit = (up & (now == 1) & (before <= 0)) | (down & (now == -1) & (before >= 0))
        found[j] = 2 * (hit & known) + (1 - known)


@called
def joined_step(step, a, b, found, size):
    """A condition of two conditions."""
    if step == Along.AND:
        for j in range(size):
            found[j] = min(a[j], b[j])
    elif step == Along.OR:
        for j in range(size):
            found[j] = max(a[j], b[j])
    else:
        for j in range(size):
            found[j] = 2 - a[j]


@inlined
def chosen_number(here, numbers, truths, size):
    """One number or the other by a condition."""
    for j in range(size):
        by = truths[here.a, j]
        numbers[here.into, j] = np.nan if by == 1 else (numbers[here.b, j] if by == 2 else numbers[here.c, j])


@inlined
def chosen_truth(here, truths, size):
    """One condition or the other by a condition."""
    for j in range(size):
        by = truths[here.a, j]
        truths[here.into, j] = 1 if by == 1 else (truths[here.b, j] if by == 2 else truths[here.c, j])


@called
def value_step(here, point, first, size, tables):
    """A step that fills a register."""
    numbers, truths, step = tables.number_registers, tables.truth_registers, here.step
    if step == Along.NUMBER:
        take_leaf(tables.leaves[point, here.a], size, first, numbers[here.into])
    elif step == Along.CONDITION:
        take_truth(tables.leaves[point, here.a], size, first, truths[here.into])
    elif step == Along.EITHER_NUMBER:
        chosen_number(here, numbers, truths, size)
    elif step == Along.EITHER_CONDITION:
        chosen_truth(here, truths, size)
    elif step == Along.AS_NUMBER:
        for j in range(size):
            numbers[here.into, j] = truths[here.a, j]
    elif step < Along.EITHER_NUMBER:
        number_step(step, numbers[here.a], numbers[here.b], numbers[here.into], size)
    elif step < Along.CROSSES:
        compared_step(step, numbers[here.a], numbers[here.b], truths[here.into], size)
    elif step == Along.CROSSES:
        crossing_step(truths[here.a], here.b, truths[here.into], size)
    else:
        joined_step(step, truths[here.a], truths[here.b], truths[here.into], size)


@called
def raise_step(here, first, ahead, size, tables, series):
    """A condition to flags or to a row of signals; the first `ahead` bars of the stretch are another's."""
    truths, flags = tables.truth_registers[here.a, ahead:size], series.flags[first + ahead : first + size]
    bits = np.uint8(here.b)
    if here.step == Along.RAISE:
        for j in range(size - ahead):
            flags[j] |= bits if truths[j] == 2 else np.uint8(0)
    else:
        row = series.signals[here.into, first + ahead : first + size]
        for j in range(size - ahead):
            row[j] = np.uint8(1) if (truths[j] == 2) & (flags[j] & bits == 0) else np.uint8(0)


@called
def series_step(here, first, ahead, size, tables, series):
    """A number to a row of what varies."""
    values, row = tables.number_registers[here.a, ahead:size], series.rows[here.into, first + ahead : first + size]
    for j in range(size - ahead):
        row[j] = values[j]


@inlined
def finish_flags(begin, end, hours, flags):
    """An entry whose side's exit is yes on the same bar does not happen: the enter bits are cleared where the exit bits
    stand two places higher. Then what the hours raise."""
    both = np.uint8(Flag.ENTER_LONG | Flag.ENTER_SHORT)
    mine, theirs = flags[begin:end], hours[begin:end]
    for j in range(end - begin):
        mine[j] = (mine[j] & ~((mine[j] >> 2) & both)) | theirs[j]
