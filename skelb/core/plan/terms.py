"""What every part of a plan is laid out from: a script's rules that exist with these inputs, on one dataset."""

from dataclasses import dataclass, replace
from typing import Any, TypeVar

from skelb.core.bars import Calendar, Floats, Market
from skelb.core.catalogue import YES
from skelb.core.language import Checked
from skelb.core.language.tree import (
    Arithmetic,
    Breakeven,
    Distance,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    FromMarket,
    Name,
    Number,
    Order,
    Protect,
    Rule,
    Side,
    Trail,
)
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.expressions import Expressions
from skelb.core.plan.watching import Watching

SIDES: tuple[Side, Side] = ("long", "short")
SIDE_BITS = {"long": 1, "short": 2, None: 3}
NOWHERE = (0, 0)
"""The place of what no text says."""
Formula = Expression | Floats
"""What stands in a level column: an expression, valued anew for other inputs, or values that hang on no input."""
R = TypeVar("R")


@dataclass(frozen=True)
class Stated:
    """A rule and the text it was written in, which starts at `start`."""

    rule: Rule
    text: str
    start: int


class Terms:
    """The rules in force, and the numbers in them."""

    def __init__(
        self, checked: Checked, dataset: Dataset, expressions: Expressions, sides: str, inverted: bool
    ) -> None:
        self.checked, self.dataset, self.sides, self.inverted = checked, dataset, sides, inverted
        self.expressions = expressions
        self.watching = Watching(checked)
        self.rate = self._rate()
        self.stated: list[Stated] = []
        self._of_kind: dict[type, list[Any]] = {}
        for placed in checked.rules_with(expressions.inputs):
            statement = placed.statement
            assert isinstance(statement, Rule)
            if self._exists(getattr(statement, "only_if", None)):
                rule = _turned(statement) if inverted else statement
                self.stated.append(Stated(rule, placed.text, placed.start))
                self._of_kind.setdefault(type(rule), []).append(rule)

    @property
    def calendar(self) -> Calendar:
        """The trading days of the dataset's bars."""
        return self.dataset.calendar

    @property
    def market(self) -> Market:
        """The market that is traded."""
        return self.dataset.market

    def _exists(self, only_if: Expression | None) -> bool:
        return only_if is None or self.expressions.constant(only_if) == YES

    def _rate(self) -> Expression:
        """The currency rate at each close."""
        rate = self.market.currency_rate
        if not isinstance(rate, str):
            return Number(float(rate), NOWHERE)
        return FromMarket(Name("close", NOWHERE), rate, None, False, NOWHERE)

    def of_kind(self, kind: type[R]) -> list[R]:
        """The rules of one kind, in text order."""
        return list(self._of_kind.get(kind, ()))

    def asks_position(self, node: Expression) -> bool:
        """Whether a part of a rule depends on the position, by itself or through names."""
        return self.checked.is_of_position(node)

    def amount(self, distance: Distance) -> Expression:
        """A distance's number: pips, ticks and cash in price units, percent and R as they are."""
        amount, unit = distance.amount, distance.unit
        if unit == "pips":
            return _of_two("*", amount, Number(self.market.pip_size, NOWHERE))
        if unit == "ticks":
            return _of_two("*", amount, Number(self.market.tick, NOWHERE))
        if unit == "cash":
            return _of_two("/", amount, _of_two("*", Number(self.market.point_value, NOWHERE), self.rate))
        return amount


def _of_two(operator: str, a: Expression, b: Expression) -> Arithmetic:
    return Arithmetic(operator, a, b, NOWHERE)


def _turned(rule: Rule) -> Rule:
    """The rule with its side exchanged; an entry that rests becomes one that the same price fills."""
    if not isinstance(rule, (Enter, Exit, ExitAfter, Protect, Trail, Breakeven)) or rule.side is None:
        return rule
    other: Side = "short" if rule.side == "long" else "long"
    if isinstance(rule, Enter) and rule.order.form in ("limit", "stop"):
        order: Order = replace(rule.order, form="stop" if rule.order.form == "limit" else "limit")
        return replace(rule, side=other, order=order)
    return replace(rule, side=other)
