# mypy: disable-error-code="no-untyped-def"
"""Running values: compiled to a compact program over registers, run bar by bar by one small interpreter.

The interpreter is compiled once; a script only brings another program.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue import NONE_TRIED, POSITION_SIDES, conditions
from skelb.core.language.checking.stepwise import depends_on
from skelb.core.language.tree import (
    Arithmetic,
    Call,
    Carry,
    Comparison,
    Either,
    Expression,
    InRange,
    InSet,
    Is,
    Logic,
    Name,
    Negative,
    Not,
    Number,
)
from skelb.core.plan import steps
from skelb.core.plan.steps import INSTRUCTION, Step, perform, registers_of
from skelb.core.spanning import as_records, kept
from skelb.core.stopping import stretches

_ARITHMETIC = {"+": Step.ADD, "-": Step.SUBTRACT, "*": Step.MULTIPLY, "/": Step.DIVIDE, "^": Step.POWER}
_COMPARING = {"<": Step.LESS, "<=": Step.AT_MOST, "==": Step.EQUAL, "!=": Step.UNEQUAL}
_SINGLE = {
    "abs": Step.ABS, "sign": Step.SIGN, "floor": Step.FLOOR, "ceil": Step.CEIL, "round": Step.ROUND,
    "sqrt": Step.SQRT, "known": Step.KNOWN,
}  # fmt: skip


@dataclass(frozen=True)
class Program:
    """Registers 0 to k - 1 hold the values of the bar before, k to 2k - 1 those of this bar, then the columns, then
    scratch.

    `columns` are the memo numbers of what does not depend on the running values; `steps` are rows of
    `steps.INSTRUCTION`.
    """

    columns: tuple[int, ...]
    steps: bytes


_ZERO = Number(0.0, (0, 0))


class _Compiler:
    """Turns the values of one `carry` into a program."""

    def __init__(self, statement: Carry, number: Callable[[Expression], int]) -> None:
        self.names = statement.names
        self._number = number
        self.columns: list[int] = []
        self._pending: list[tuple[Step, int, tuple[int, ...]]] = []
        self._scratch = 0

    def program(self, values: tuple[Expression, ...]) -> Program:
        count = len(self.names)
        for index, value in enumerate(values):
            self._emit(Step.COPY, self._node(value), target=count + index)
        first = 2 * count + len(self.columns)  # scratch registers come after the columns, whose number is known now
        rows = []
        for step, target, inputs in self._pending:
            registers = (target, *inputs, *([0] * (3 - len(inputs))))
            rows.append([int(step), *(first - register - 1 if register < 0 else register for register in registers)])
        return Program(tuple(self.columns), np.array(rows, np.int64).tobytes())

    def _emit(self, step: Step, *inputs: int, target: int | None = None) -> int:
        """Append an instruction; scratch registers are counted downwards from -1 until their place is known."""
        if target is None:
            self._scratch -= 1
            target = self._scratch
        self._pending.append((step, target, inputs))
        return target

    def _node(self, node: Expression) -> int:
        """The register that holds a node's value."""
        if not depends_on(node, set(self.names)):
            return self._column(self._number(node))
        match node:
            case Name():
                return self.names.index(node.name)
            case Negative():
                return self._emit(Step.SUBTRACT, self._column(self._number(_ZERO)), self._node(node.x))
            case Not():
                return self._emit(Step.NOT, self._node(node.x))
            case Arithmetic():
                return self._emit(_ARITHMETIC[node.operator], self._node(node.a), self._node(node.b))
            case Logic():
                step = Step.AND if node.operator == "and" else Step.OR
                return self._joined(step, [self._node(part) for part in node.parts])
            case Comparison():
                registers = [self._node(operand) for operand in node.operands]
                pairs = zip(registers, node.operators, registers[1:], strict=False)
                return self._joined(Step.AND, [self._compared(a, operator, b) for a, operator, b in pairs])
            case InRange():
                x, low, high = (self._node(part) for part in (node.x, node.low, node.high))
                found = self._joined(Step.AND, [self._emit(Step.AT_MOST, low, x), self._emit(Step.AT_MOST, x, high)])
                return self._emit(Step.NOT, found) if node.negated else found
            case InSet():
                x = self._node(node.x)
                found = self._joined(Step.OR, [self._emit(Step.EQUAL, x, self._item(item)) for item in node.items])
                return self._emit(Step.NOT, found) if node.negated else found
            case Is():
                side = self._number(Number(POSITION_SIDES[node.word], node.span))
                return self._emit(Step.UNEQUAL if node.negated else Step.EQUAL, self._node(node.x), self._column(side))
            case Either():
                parts = [self._node(part) for part in (node.condition, node.yes, node.no)]
                return self._emit(Step.EITHER, *parts)
            case Call():
                return self._call(node)
            case _:
                raise AssertionError("the checker lets running values pass only through what looks at one bar")

    def _item(self, item: Expression) -> int:
        """The register of a set's item; sides of the position are words."""
        if isinstance(item, Name) and item.name in POSITION_SIDES:
            return self._column(self._number(Number(POSITION_SIDES[item.name], item.span)))
        return self._node(item)

    def _call(self, node: Call) -> int:
        arguments = [argument.value for argument in node.arguments]
        if node.name == "now":
            assert isinstance(arguments[0], Name)
            return len(self.names) + self.names.index(arguments[0].name)
        registers = [self._node(argument) for argument in arguments]
        if node.name in _SINGLE:
            return self._emit(_SINGLE[node.name], registers[0])
        if node.name == "clamp":
            return self._emit(Step.SMALLER, self._emit(Step.LARGER, registers[0], registers[1]), registers[2])
        return self._emit(Step.SMALLER if node.name == "min" else Step.LARGER, *registers)

    def _compared(self, a: int, operator: str, b: int) -> int:
        if operator in (">", ">="):
            a, b, operator = b, a, "<" if operator == ">" else "<="
        return self._emit(_COMPARING[operator], a, b)

    def _joined(self, step: Step, registers: list[int]) -> int:
        found = registers[0]
        for register in registers[1:]:
            found = self._emit(step, found, register)
        return found

    def _column(self, number: int) -> int:
        """The register of what does not depend on the running values."""
        if number not in self.columns:
            self.columns.append(number)
        return 2 * len(self.names) + self.columns.index(number)


def compile_carry(statement: Carry, number: Callable[[Expression], int]) -> Program:
    """The program of a checked `carry`; `number` gives the memo number of what does not depend on it."""
    return _Compiler(statement, number).program(statement.values)


def run_carry(
    compact: bytes, is_condition: list[bool], starts: Floats, columns: Floats, tried: Bools = NONE_TRIED
) -> list[NDArray[np.generic]]:
    """The running values on every bar: float64 with NaN for unknown, or int8 conditions, shape (n,) each.

    `starts` has shape (values, n), `columns` (columns, n); conditions in both as 0, 1, 2. Of `tried` see `Frame`.
    """
    program = as_records(np.frombuffer(compact, INSTRUCTION))
    flags = np.array(is_condition, np.bool_)
    registers = np.zeros(registers_of(program))
    held = np.empty(len(starts))
    out = np.empty(starts.shape)
    has_begun = False
    for first, end in stretches(starts.shape[1], program.size):
        has_begun = _run(program, flags, starts, columns, tried, registers, held, out, has_begun, first, end)
    return [row.astype(np.int8) if flag else row for row, flag in zip(out, is_condition, strict=True)]


@kept(__file__, steps.__file__, conditions.__file__)
def _run(program, flags, starts, columns, tried, registers, held, out, begun, first, end):
    tries = tried.size > 1
    count = starts.shape[0]
    for i in range(first, end):
        had_begun = begun
        for k in range(count):
            held[k] = registers[k]
        if not begun:
            begun = True
            for k in range(count):
                value = starts[k, i]
                if (flags[k] and value == 1.0) or value != value:
                    begun = False
            for k in range(count):
                registers[k] = starts[k, i]
                out[k, i] = starts[k, i] if begun else (1.0 if flags[k] else np.nan)
        else:
            for k in range(columns.shape[0]):
                registers[2 * count + k] = columns[k, i]
            perform(program, 0, program.size, registers)
            for k in range(count):
                value = registers[count + k]
                unknown = value != value or (flags[k] and value == 1.0)
                if unknown:  # unknown on this bar; it goes on from its last known value
                    out[k, i] = 1.0 if flags[k] else np.nan
                else:
                    registers[k] = value
                    out[k, i] = value
        if tries and tried[i]:
            begun = had_begun
            for k in range(count):
                registers[k] = held[k]
    return begun
