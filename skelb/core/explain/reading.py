"""Conditions taken apart: each part's value on one bar."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from skelb.core.bars import Calendar
from skelb.core.catalogue import NO, POSITION_NAMES, POSITION_SIDES, YES
from skelb.core.language import Checked
from skelb.core.language.diagnostics import Span
from skelb.core.language.tree import (
    AllOf,
    Arithmetic,
    Comparison,
    Crossing,
    Either,
    Expression,
    InRange,
    Is,
    Logic,
    Name,
    Negative,
    Not,
    Number,
    Sequence,
    Truth,
)
from skelb.core.language.walk import rebuilt
from skelb.core.plan import Dataset, Expressions

Worth = bool | float | None


@dataclass(frozen=True)
class ConditionPart:
    """A part of a condition as written, its value (None for unknown), and the parts it is made of.

    `span` is where it stands in its statement's text; `is_here` is false for what a name of another line means.
    """

    text: str
    value: Worth
    is_condition: bool
    parts: tuple["ConditionPart", ...] = ()
    span: Span = (0, 0)
    is_here: bool = True


MOST_NAMES = 20  # opened inside one another
MOST_PARTS = 1_000  # of one condition: names that use a name twice would be written out without end


class Reader:
    """Reads expressions of a checked script on one bar, the position's values included."""

    def __init__(
        self, checked: Checked, expressions: Expressions, dataset: Dataset, bar: int, known: Mapping[str, float]
    ) -> None:
        self._checked, self._expressions, self._bar, self._known = checked, expressions, bar, known
        self._dataset = dataset
        self._here: Expressions | None = None
        self._left = 0

    def part(self, node: Expression, text: str, opens_names: bool = True) -> ConditionPart:
        """A condition or number taken apart; spans of `node` are places in `text`.

        Conditions that names stand for are opened too, up to `MOST_NAMES` inside one another and `MOST_PARTS` in all.
        """
        self._left = MOST_PARTS
        return self._part(node, text, MOST_NAMES if opens_names else 0)

    def _part(self, node: Expression, text: str, names: int) -> ConditionPart:
        """The part, with so many names inside one another opened."""
        self._left -= 1
        value, is_condition = self.value(node)
        written = " ".join(text[node.span[0] : node.span[1]].split())
        if isinstance(node, Name) and node.name in self._checked.definitions:
            elsewhere: tuple[ConditionPart, ...] = ()
            if is_condition and names > 0 and self._left > 0:
                definition = self._checked.definitions[node.name]
                inner = self._part(definition.value, self._checked.text_of[node.name], names - 1)
                shown = inner.parts if isinstance(definition.value, (Logic, AllOf)) else (inner,)
                elsewhere = tuple(replace(part, is_here=False) for part in shown)
            return ConditionPart(node.name, value, is_condition, elsewhere, node.span)
        name = written or str(getattr(node, "name", ""))
        inside = tuple(self._part(part, text, names) for part in _inside(node))
        return ConditionPart(name, value, is_condition, inside, node.span)

    def value(self, node: Expression) -> tuple[Worth, bool]:
        """An expression's value on the bar, None for unknown, and whether it is a condition."""
        if self._checked.is_of_position(node):
            found, at = self._one_bar().of(self._settled(node)), 0
        else:
            found = self._expressions.of(node)
            at = 0 if not isinstance(found, np.ndarray) or found.size == 1 else self._bar
        if not isinstance(found, np.ndarray):
            return None, False  # a record has no one value
        if found.dtype == np.int8:
            return {NO: False, YES: True}.get(int(found[at])), True
        number = float(found[at])
        return (number if number == number else None), False

    def fields(self, node: Expression) -> dict[str, Worth]:
        """The numbers of a record on the bar, None for unknown; empty for what is no record."""
        found = {} if self._checked.is_of_position(node) else self._expressions.of(node)
        if not isinstance(found, Mapping):
            return {}
        numbers = {name: float(values[self._bar if values.size > 1 else 0]) for name, values in found.items()}
        return {name: number if number == number else None for name, number in numbers.items()}

    def _settled(self, node: Expression) -> Expression:
        """The expression with the position's values, and all that does not depend on it, as they are on the bar."""

        def change(part: object) -> Expression | None:
            if isinstance(part, Name) and part.name in POSITION_NAMES and part.name not in self._checked.definitions:
                return Number(self._known.get(part.name, float("nan")), part.span)
            if isinstance(part, Name) and part.name in self._checked.definitions:
                meant = self._checked.definitions[part.name].value
                return self._settled(meant) if self._checked.is_of_position(meant) else self._literal(part)
            if isinstance(part, Is) and self._checked.is_of_position(part):
                side = self._settled(part.x)
                assert isinstance(side, Number)  # `position` by itself or by a name
                is_asked = (side.value == POSITION_SIDES[part.word]) != part.negated
                return Truth("yes" if is_asked else "no", part.span)
            if isinstance(part, (Arithmetic, Negative, Comparison, Logic, Not, Either)):
                return None if self._checked.is_of_position(part) else self._literal(part)
            return None

        settled: Expression = rebuilt(node, change)
        return settled

    def _literal(self, node: Expression) -> Expression:
        value, is_condition = self.value(node)
        if is_condition:
            return Truth("unknown" if value is None else "yes" if value else "no", node.span)
        return Number(float("nan") if value is None else float(value), node.span)

    def _one_bar(self) -> Expressions:
        """Expressions on this bar alone, whose values are forgotten with it."""
        if self._here is None:
            bar, calendar = slice(self._bar, self._bar + 1), self._dataset.calendar
            cut = Calendar(**{name: getattr(calendar, name)[bar] for name in Calendar.__dataclass_fields__})
            here = Dataset(self._dataset.market, self._dataset.bars.take(bar), cut)
            self._here = Expressions(self._checked, self._expressions.inputs, here, needed=())
        return self._here


def _inside(node: Expression) -> tuple[Expression, ...]:
    """The parts of a condition that are read by themselves."""
    match node:
        case Logic() | AllOf():
            return node.parts
        case Not():
            return (node.x,)
        case Comparison():
            return tuple(part for part in node.operands if not isinstance(part, Number))
        case Crossing() | Sequence():
            return node.a, node.b
        case InRange():
            return (node.x,)
        case Either():
            return (node.condition,)
        case _:
            return ()
