"""What is a price by all that is known of it: of such a size, and moving as prices do."""

from collections.abc import Mapping
from typing import Literal

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, Mirroring
from skelb.core.language.tree import (
    Arithmetic,
    Call,
    Definition,
    Either,
    Expression,
    Field,
    FromMarket,
    Input,
    Name,
    Negative,
    OnTimeframe,
)

_FOLLOWING = ("as x", "as all")  # functions whose value is one of what they are given
Sort = Literal["price", "other", "unsure"]


def is_price(node: Expression, definitions: Mapping[str, Definition], inputs: Mapping[str, Input]) -> bool:
    """Whether an expression is surely a price: not a difference of two, nor what a factor made of one."""
    return sort_of(node, definitions, inputs) == "price"


def sort_of(node: Expression, definitions: Mapping[str, Definition], inputs: Mapping[str, Input]) -> Sort:
    """Whether an expression is a price, something else, or cannot be told."""
    return _Sorts(definitions, inputs).of(node)


class _Sorts:
    def __init__(self, definitions: Mapping[str, Definition], inputs: Mapping[str, Input]) -> None:
        self._definitions, self._inputs = definitions, inputs

    def of(self, node: Expression) -> Sort:
        match node:
            case Name() if node.name in self._definitions:
                return self.of(self._definitions[node.name].value)
            case Name() if node.name in self._inputs:
                found = self._inputs[node.name]
                return "price" if found.kind == "choice" and all(map(_is_price_name, found.options)) else "other"
            case Name():
                return "price" if _is_price_name(node.name) else "other"
            case Field():
                return self._of_field(node)
            case Call() if node.name in FUNCTIONS:
                return self._by(FUNCTIONS[node.name].mirror, node)
            case Negative():
                return "other" if self.of(node.x) == "other" else "unsure"
            case Arithmetic():
                return self._of_arithmetic(node)
            case Either():
                sorts = {self.of(node.yes), self.of(node.no)}
                return sorts.pop() if len(sorts) == 1 else "unsure"
            case OnTimeframe() | FromMarket():
                return self.of(node.x)
        return "other"

    def _of_arithmetic(self, node: Arithmetic) -> Sort:
        sorts = [self.of(node.a), self.of(node.b)]
        if "price" not in sorts and "unsure" not in sorts:
            return "other"
        if node.operator not in ("+", "-") or "unsure" in sorts:
            return "unsure"
        if sorts == ["price", "price"]:
            return "other" if node.operator == "-" else "unsure"
        return "unsure" if node.operator == "-" and sorts[1] == "price" else "price"

    def _of_field(self, node: Field) -> Sort:
        name = node.record.name if isinstance(node.record, Name | Call) else ""
        found = BUILT_INS.get(name) or FUNCTIONS.get(name)
        if found is None or isinstance(found.mirror, Mirroring):
            return "other"
        mirror = found.mirror.get(node.name)
        return "other" if mirror is None else self._by(mirror, node.record)

    def _by(self, mirror: Mirroring | Mapping[str, Mirroring], node: Expression) -> Sort:
        """The sort of what a function makes of its first argument."""
        if not isinstance(mirror, Mirroring):
            return "other"
        if mirror.turns in _FOLLOWING and isinstance(node, Call) and node.arguments:
            return self.of(node.arguments[0].value)
        return "price" if mirror.turns == "price" else "other"


def _is_price_name(name: str) -> bool:
    found = BUILT_INS.get(name) or FUNCTIONS.get(name)
    return found is not None and isinstance(found.mirror, Mirroring) and found.mirror.turns == "price"
