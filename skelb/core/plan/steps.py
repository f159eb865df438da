# mypy: disable-error-code="no-untyped-def"
"""The steps of compact programs over registers, and the one interpreter that goes through them."""

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from skelb.core.catalogue import conditions
from skelb.core.spanning import called


class Step(IntEnum):
    """What one instruction does with its registers; conditions are 0 no, 1 unknown, 2 yes."""

    ADD = 0
    SUBTRACT = 1
    MULTIPLY = 2
    DIVIDE = 3
    POWER = 4
    LESS = 5
    AT_MOST = 6
    EQUAL = 7
    UNEQUAL = 8
    AND = 9
    OR = 10
    NOT = 11
    EITHER = 12
    SMALLER = 13
    LARGER = 14
    ABS = 15
    SIGN = 16
    FLOOR = 17
    CEIL = 18
    ROUND = 19
    SQRT = 20
    KNOWN = 21
    COPY = 22


is_less, is_equal = conditions.is_less.ready(), conditions.is_equal.ready()

INSTRUCTION = np.dtype([(name, "i8") for name in ("step", "into", "a", "b", "c")], align=True)
"""A `Step`, the register it writes, and up to three registers it reads."""


def registers_of(instructions: NDArray[np.void]) -> int:
    """How many registers instructions name."""
    return max((int(instructions[name].max(initial=0)) for name in ("into", "a", "b", "c")), default=0) + 1


@called
def perform(instructions, first, end, registers):
    """Go through the instructions from `first` to before `end`."""
    for place in range(first, end):
        here = instructions[place]
        step = here.step
        a = registers[here.a]
        b = registers[here.b]
        unknown = a != a or b != b
        if step == Step.ADD:
            value = a + b
        elif step == Step.SUBTRACT:
            value = a - b
        elif step == Step.MULTIPLY:
            value = a * b
        elif step == Step.DIVIDE:
            value = a / b if b != 0.0 else np.nan
        elif step == Step.POWER:
            value = a**b
            value = value if np.isfinite(value) else np.nan
        elif step == Step.LESS:
            value = 1.0 if unknown else 2.0 * is_less(a, b)
        elif step == Step.AT_MOST:
            value = 1.0 if unknown else 2.0 * (not is_less(b, a))
        elif step == Step.EQUAL:
            value = 1.0 if unknown else 2.0 * is_equal(a, b)
        elif step == Step.UNEQUAL:
            value = 1.0 if unknown else 2.0 * (not is_equal(a, b))
        elif step == Step.AND:
            value = min(a, b)
        elif step == Step.OR:
            value = max(a, b)
        elif step == Step.NOT:
            value = 2.0 - a
        elif step == Step.EITHER:
            value = np.nan if a == 1.0 else (b if a == 2.0 else registers[here.c])
        elif step == Step.SMALLER:
            value = np.nan if unknown else min(a, b)
        elif step == Step.LARGER:
            value = np.nan if unknown else max(a, b)
        elif step == Step.ABS:
            value = abs(a)
        elif step == Step.SIGN:
            value = np.sign(a)
        elif step == Step.FLOOR:
            value = np.floor(a)
        elif step == Step.CEIL:
            value = np.ceil(a)
        elif step == Step.ROUND:
            value = np.copysign(np.floor(abs(a) + 0.5), a)
        elif step == Step.SQRT:
            value = np.sqrt(a) if a >= 0.0 else np.nan
        elif step == Step.KNOWN:
            value = 2.0 * (a == a)
        else:
            value = a
        registers[here.into] = value
