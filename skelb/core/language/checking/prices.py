"""What is a price by all that is known of it: of such a size, and moving as prices do."""

from collections.abc import Mapping
from typing import Literal, Protocol

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, Mirroring
from skelb.core.language.checking.stepwise import names_in
from skelb.core.language.tree import (
    Arithmetic,
    Call,
    Carry,
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


class Named(Protocol):
    """What names of a script stand for."""

    @property
    def definitions(self) -> Mapping[str, Definition]: ...
    @property
    def carries(self) -> Mapping[str, Carry]: ...
    @property
    def inputs(self) -> Mapping[str, Input]: ...


def is_price(node: Expression, named: Named) -> bool:
    """Whether an expression is surely a price: not a difference of two, nor what a factor made of one."""
    return sort_of(node, named) == "price"


def sort_of(node: Expression, named: Named) -> Sort:
    """Whether an expression is a price, something else, or cannot be told."""
    return _Sorts(named).of(node)


class _Sorts:
    def __init__(self, named: Named) -> None:
        self._definitions, self._carries, self._inputs = named.definitions, named.carries, named.inputs
        self._known: dict[str, Sort] = {}  # of names, so that each is looked into once

    def of(self, node: Expression) -> Sort:
        match node:
            case Name() if node.name in self._definitions or node.name in self._carries:
                return self._of_name(node.name)
            case Name() if node.name in self._inputs:
                found = self._inputs[node.name]
                return "price" if found.kind == "choice" and all(map(_is_price_name, found.options)) else "other"
            case Name():
                return "price" if _is_price_name(node.name) else "other"
            case Field():
                return self._of_field(node)
            case Call() if node.name == "now":
                return self.of(node.arguments[0].value)
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

    def _of_name(self, name: str) -> Sort:
        """What a name stands for, once what it is made of is known: a chain of names is not as deep as it is long."""
        waiting = [name]
        while waiting:
            if waiting[-1] in self._known:
                waiting.pop()
            elif unknown := self._made_of(waiting[-1]) - self._known.keys():
                waiting += unknown
            else:
                self._settle(waiting.pop())
        return self._known[name]

    def _made_of(self, name: str) -> set[str]:
        """The other names in a name's own expressions."""
        if name in self._definitions:
            found = {part.name for part in names_in(self._definitions[name].value)}
        else:
            carry = self._carries[name]
            found = {part.name for part in names_in((carry.values, carry.starts))} - set(carry.names)
        return {part for part in found if part in self._definitions or part in self._carries}

    def _settle(self, name: str) -> None:
        if name in self._definitions:
            self._known[name] = self.of(self._definitions[name].value)
            return
        # Running values are what they start as, as long as one step leaves them so.
        carry = self._carries[name]
        sorts = {each: self.of(start) for each, start in zip(carry.names, carry.starts, strict=True)}
        while True:
            self._known |= sorts
            stepped = dict(zip(carry.names, map(self.of, carry.values), strict=True))
            kept: dict[str, Sort] = {each: sort if stepped[each] == sort else "unsure" for each, sort in sorts.items()}
            if kept == sorts:
                return
            sorts = kept

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
