"""Expressions with inputs left open, as steps along the bars.

What stands on all of the open inputs and passes through operators alone is worked out step by step for every point.
What stands on fewer of them, or passes through a function, is a leaf: the dataset's memo holds its values, and points
share them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from skelb.core.language import Checked
from skelb.core.language.tree import (
    Arithmetic,
    Comparison,
    Crossing,
    Either,
    Expression,
    Logic,
    Name,
    Negative,
    Not,
)
from skelb.core.plan.expressions import Expressions, InputValue
from skelb.core.plan.filling import Along
from skelb.core.plan.steps import INSTRUCTION

_ARITHMETIC = {"+": Along.ADD, "-": Along.SUBTRACT, "*": Along.MULTIPLY, "/": Along.DIVIDE}
_COMPARING = {"<": Along.LESS, "<=": Along.AT_MOST, "==": Along.EQUAL, "!=": Along.UNEQUAL}
_WAYS = {"above": 1, "below": 2, "meets": 3}
_MOST_LOOKED_BACK = 16  # bars, of a stretch of 512; what looks back further is a leaf


@dataclass(frozen=True)
class Leaf:
    """An expression that points look up; `names` are the open inputs that it stands on.

    `by_word` : expressions of which the first of those inputs chooses one; empty where `node` is the only one
    """

    node: Expression
    names: tuple[str, ...]
    by_word: Mapping[str, Expression] = field(default_factory=dict)

    def chosen(self, inputs: Mapping[str, InputValue]) -> Expression:
        """The expression with these inputs."""
        return self.by_word[str(inputs[self.names[0]])] if self.by_word else self.node


@dataclass(frozen=True)
class Register:
    """Where a step leaves its result: a register of conditions or of numbers, right after `looks_back` bars."""

    number: int
    is_condition: bool
    looks_back: int = 0


class StepsAlong:
    """Collects the steps of one template; equal steps are taken once."""

    def __init__(self, checked: Checked, expressions: Expressions, opened: frozenset[str]) -> None:
        self.leaves: list[Leaf] = []
        self.looks_back = 0
        self._checked, self._expressions, self._opened = checked, expressions, opened
        self._rows: list[tuple[int, ...]] = []
        self._counts = [0, 0]  # registers of numbers, of conditions
        self._emitted: dict[tuple[int, ...], Register] = {}
        self._known: dict[object, Register] = {}

    @property
    def registers(self) -> tuple[int, int]:
        """How many registers of numbers and of conditions there are."""
        return self._counts[0], self._counts[1]

    def table(self) -> NDArray[np.void]:
        """The steps, `steps.INSTRUCTION`."""
        return np.array(self._rows, INSTRUCTION)

    def is_open(self, node: Expression) -> bool:
        """Whether a part of the script stands on an open input."""
        return bool(self._checked.inputs_within(node) & self._opened)

    def _open_inputs(self, node: Expression) -> tuple[str, ...]:
        return tuple(sorted(self._checked.inputs_within(node) & self._opened))

    def end(self, step: Along, into: int, a: int, b: int = 0) -> None:
        """A step that writes what the engine reads."""
        self._rows.append((step, into, a, b, 0))

    def number(self, node: Expression) -> int:
        """The register of numbers that holds a value; a condition is 0, 1 or 2."""
        found = self.register(node)
        return (self._emit(Along.AS_NUMBER, [found]) if found.is_condition else found).number

    def register(self, node: Expression) -> Register:
        """The register that holds a value."""
        key: object = node.name if isinstance(node, Name) else node
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = self._worked_out(node) or self._leaf(node, self._open_inputs(node))
        return found

    def _worked_out(self, node: Expression) -> Register | None:
        """The register of what is worked out for every point, None for what is a leaf."""
        if not self._checked.inputs_within(node) >= self._opened:
            return None
        match node:
            case Name() if node.name in self._checked.definitions:
                return self.register(self._checked.definitions[node.name].value)
            case Negative():
                return self._emit(Along.NEGATIVE, [self.register(node.x)])
            case Arithmetic() if node.operator in _ARITHMETIC:
                return self._emit(_ARITHMETIC[node.operator], [self.register(node.a), self.register(node.b)])
            case Not():
                return self._emit(Along.NOT, [self.register(node.x)])
            case Logic():
                step = Along.AND if node.operator == "and" else Along.OR
                return self._joined(step, [self.register(part) for part in node.parts])
            case Comparison():
                return self._compared(node)
            case Crossing():
                order = self._emit(Along.ORDER, [self.register(node.a), self.register(node.b)])
                if order.looks_back < _MOST_LOOKED_BACK:
                    return self._emit(Along.CROSSES, [order], _WAYS[node.kind], looks_further=1)
            case Either():
                parts = [self.register(part) for part in (node.condition, node.yes, node.no)]
                return self._emit(Along.EITHER_CONDITION if parts[1].is_condition else Along.EITHER_NUMBER, parts)
        return None

    def alternative(self, node: Expression, choice: str, by_word: Mapping[str, Expression]) -> Register:
        """The register of a condition among those that a choice chooses from; `node` is the one it holds now."""
        names = self._checked.inputs_within(tuple(by_word.values())) & self._opened - {choice}
        return self._leaf(node, (choice, *sorted(names)), by_word)

    def _leaf(
        self, node: Expression, names: tuple[str, ...], by_word: Mapping[str, Expression] | None = None
    ) -> Register:
        value = self._expressions.of(node)
        self.leaves.append(Leaf(node, names, by_word or {}))
        step = Along.CONDITION if value.dtype == np.int8 else Along.NUMBER
        return self._emit(step, [], len(self.leaves) - 1)

    def _compared(self, node: Comparison) -> Register:
        parts = [self.register(operand) for operand in node.operands]
        found = []
        for a, operator, b in zip(parts, node.operators, parts[1:], strict=False):
            if operator in (">", ">="):
                a, b, operator = b, a, "<" if operator == ">" else "<="
            found.append(self._emit(_COMPARING[operator], [a, b]))
        return self._joined(Along.AND, found)

    def _joined(self, step: Along, parts: Sequence[Register]) -> Register:
        found = parts[0]
        for part in parts[1:]:
            found = self._emit(step, [found, part])
        return found

    def _emit(
        self, step: Along, parts: Sequence[Register], operand: int | None = None, looks_further: int = 0
    ) -> Register:
        """A step into a register of its own; `operand` is a number that it takes besides registers."""
        taken = (*(part.number for part in parts), *(() if operand is None else (operand,)))
        key = step, *taken
        found = self._emitted.get(key)
        if found is None:
            is_condition = step >= Along.CONDITION
            looks_back = max((part.looks_back for part in parts), default=0) + looks_further
            found = self._emitted[key] = Register(self._counts[is_condition], is_condition, looks_back)
            self._counts[is_condition] += 1
            self.looks_back = max(self.looks_back, looks_back)
            a, b, c = (*taken, 0, 0, 0)[:3]
            self._rows.append((step, found.number, a, b, c))
        return found
