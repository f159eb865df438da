"""A plan of which some inputs are left open: laid out once, then filled in for many points by compiled code."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.catalogue import FUNCTIONS
from skelb.core.language import Checked, placed_arguments
from skelb.core.language.tree import AllOf, Call, Expression, FromMarket, OnTimeframe, Sequence, Total
from skelb.core.language.walk import parts_within
from skelb.core.plan.alongside import Leaf, StepsAlong
from skelb.core.plan.expressions import Expressions, InputValue
from skelb.core.plan.filling import Along
from skelb.core.plan.memo import Value
from skelb.core.plan.rules import Plan

_MOST_KEPT = 20_000
_VALUES = ("number", "condition", "any")  # kinds of parameters that take a value a bar


@dataclass(frozen=True, eq=False)
class Template:
    """The plan of one point, and how those of others with the same rules differ from it.

    opened : the inputs that points differ in
    steps : `steps.INSTRUCTION`, each one of `filling.Along`; they begin with the leaves and look `looks_back` bars back
    registers : how many of numbers and of conditions the steps have
    varying : level columns that steps fill in on every bar, and the row of each; rows of programs' inputs follow
    """

    checked: Checked
    plan: Plan
    opened: frozenset[str]
    steps: NDArray[np.void]
    looks_back: int
    registers: tuple[int, int]
    leaves: tuple[Leaf, ...]
    varying: dict[int, int]
    _numbers: tuple[dict[tuple[InputValue, ...], int], ...]
    _sound: dict[tuple[str, ...], set[tuple[InputValue, ...]]]  # values of inputs with which every name has a meaning

    def leaf_numbers(self, inputs: Mapping[str, InputValue]) -> list[int]:
        """The memo numbers of the leaves with these inputs. Raises SettingsError where a length cannot be."""
        found: list[int] = []
        expressions = self._expressions_if_new(inputs)
        for leaf, known in zip(self.leaves, self._numbers, strict=True):
            key = tuple(inputs[name] for name in leaf.names)
            number = known.get(key)
            if number is None:
                expressions = expressions or Expressions(self.checked, inputs, self.plan.dataset)
                number = expressions.number(leaf.chosen(inputs))
                if len(known) < _MOST_KEPT:
                    known[key] = number
            found.append(number)
        return found

    def _expressions_if_new(self, inputs: Mapping[str, InputValue]) -> Expressions | None:
        """The script's expressions, when lengths and the like have values that they had at no point before.

        A name may be impossible though no rule needs it at this point: a single run refuses that too.
        """
        new = [key for names, seen in self._sound.items() if (key := tuple(inputs[name] for name in names)) not in seen]
        if not new:
            return None
        expressions = Expressions(self.checked, inputs, self.plan.dataset)
        for names, seen in self._sound.items():
            if len(seen) < _MOST_KEPT:
                seen.add(tuple(inputs[name] for name in names))
        return expressions

    def value(self, number: int) -> Value:
        """The value of a leaf by its memo number, shape (n,) or (1,)."""
        return self.plan.expressions.value(number)


def make_template(checked: Checked, plan: Plan, opened: frozenset[str]) -> Template:
    """The template of a plan; its conditions and amounts stand on `opened` inputs, the rest of its rules does not."""
    steps = StepsAlong(checked, plan.expressions, opened)
    varying = _lay_amounts(plan, steps)
    _lay_signals(checked, plan, steps, opened)
    return Template(
        checked, plan, opened, steps.table(), steps.looks_back, steps.registers, tuple(steps.leaves), varying,
        tuple({} for _ in steps.leaves), {names: set() for names in _refusing_inputs(checked, opened)},
    )  # fmt: skip


def _refusing_inputs(checked: Checked, opened: frozenset[str]) -> set[tuple[str, ...]]:
    """The sets of open inputs on which it hangs whether a name has a meaning: in lengths, bounds of totals, places."""
    found = set()
    for statement in (*checked.definitions.values(), *checked.carries.values()):
        for node in parts_within(statement):
            deciding: tuple[object, ...]
            match node:
                case Call():
                    function = FUNCTIONS.get(node.name)
                    placed = placed_arguments(function, node) if function else node.arguments
                    kinds = [part.kind for part in function.parameters] if function else ["number"] * len(placed)
                    deciding = tuple(value for kind, value in zip(kinds, placed, strict=True) if kind not in _VALUES)
                case Total():
                    deciding = (node.low, node.high)
                case Sequence() | AllOf():
                    deciding = (node.within,)
                case OnTimeframe():
                    deciding = (node.minutes,)
                case FromMarket():
                    deciding = (node.symbol, node.minutes)
                case _:
                    continue
            names = tuple(sorted(checked.inputs_within(deciding) & opened))
            if names:
                found.add(names)
    return found


def _lay_signals(checked: Checked, plan: Plan, steps: StepsAlong, opened: frozenset[str]) -> None:
    """Steps that raise flags and rows, in the order of `signals.raised`: exits first."""
    row = 0
    chosen = {
        id(by_word[str(plan.expressions.inputs[choice])]): (choice, by_word)
        for choice, tables in checked.alternating.items()
        if choice in opened
        for by_word in tables
    }
    for part in plan.rules.signals.raised:
        other = chosen.get(id(part.when))
        register = steps.alternative(part.when, *other) if other else steps.register(part.when)
        condition = register.number
        for bit in part.bits:
            steps.end(Along.RAISE, 0, condition, bit)
        if part.has_row:
            steps.end(Along.ROW, row, condition, part.barred)
            row += 1


def _lay_amounts(plan: Plan, steps: StepsAlong) -> dict[int, int]:
    """Steps that fill in level columns, then the inputs of programs."""
    row_of: dict[Expression, int] = {}  # one that serves both sides is one row
    varying: dict[int, int] = {}
    for place, formula in enumerate(plan.rules.levels.columns):
        if isinstance(formula, np.ndarray) or not steps.is_open(formula):
            continue
        if plan.columns[place].size == 1:
            steps.end(Along.CONSTANT, place, steps.number(formula))
            continue
        if formula not in row_of:
            row_of[formula] = len(row_of)
            steps.end(Along.SERIES, row_of[formula], steps.number(formula))
        varying[place] = row_of[formula]
    for row, node in enumerate(plan.rules.programs.inputs, len(row_of)):
        if steps.is_open(node):
            steps.end(Along.SERIES, row, steps.number(node))
    return varying
