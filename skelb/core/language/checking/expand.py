"""Functions of the script's own: every call replaced by what it means."""

from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any, cast

from skelb.core.language.diagnostics import Mistake, Span
from skelb.core.language.tree import Call, Carry, Define, Expression, Name, Statement

MOST_PARTS = 20_000


class Expander:
    """Replaces calls in one statement; running locals become running values of their own, collected in `carries`.

    `called` are the functions that were used, directly or inside one another.
    """

    def __init__(self, functions: Mapping[str, Define], place: str) -> None:
        self._functions = functions
        self._place = place
        self._parts = 0
        self.carries: list[Carry] = []
        self.called: set[str] = set()

    def statement(self, found: Statement) -> Statement:
        """The statement without calls of the script's functions. Raises Mistake on a call that does not fit."""
        return self._walk(found, self._functions)

    def _walk(self, node: Any, known: Mapping[str, Define]) -> Any:
        if isinstance(node, tuple):
            return tuple(self._walk(part, known) for part in node)
        if not is_dataclass(node):
            return node
        self._parts += 1
        if isinstance(node, Call) and node.name in known:
            return self._call(node, known)
        changed = {
            item.name: self._walk(getattr(node, item.name), known)
            for item in fields(node)
            if _holds_parts(getattr(node, item.name))
        }
        return replace(cast(Any, node), **changed) if changed else node

    def _call(self, node: Call, known: Mapping[str, Define]) -> Expression:
        function = known[node.name]
        self.called.add(node.name)
        if self._parts > MOST_PARTS:
            raise Mistake(
                "S0111",
                node.span,
                f"written out, this statement has more than {MOST_PARTS:,} parts",
                None,
                "Name the inner calls.",
            )
        meant: dict[str, Expression] = dict(
            zip(function.parameters, self._arguments(node, function, known), strict=True)
        )
        for local in function.locals:
            if local.start is None:
                meant[local.name] = _meaning(local.value, meant, node.span)
                continue
            own = f"{function.name}.{local.name} {self._place}.{len(self.carries)}"
            start = _meaning(local.start, meant, node.span)
            meant[local.name] = Name(own, node.span)
            value = _meaning(local.value, meant, node.span)
            earlier = _before(known, function.name)
            carry = Carry((own,), (node.span,), (self._walk(value, earlier),), (self._walk(start, earlier),), node.span)
            self.carries.append(carry)
        body = _meaning(function.value, meant, node.span)
        return self._walk(body, _before(known, function.name))

    def _arguments(self, node: Call, function: Define, known: Mapping[str, Define]) -> list[Expression]:
        form = f"{function.name}({', '.join(function.parameters)})"
        given: dict[str, Expression] = {}
        for position, argument in enumerate(node.arguments):
            name = argument.name or (function.parameters[position] if position < len(function.parameters) else "")
            if name not in function.parameters or name in given:
                raise Mistake(
                    "S0204",
                    argument.value.span,
                    "this argument has no place, or a second one",
                    None,
                    f"The form is `{form}`.",
                )
            given[name] = self._walk(argument.value, known)
        for name in function.parameters:
            if name not in given:
                raise Mistake("S0204", node.span, f"`{function.name}` needs `{name}`", None, f"The form is `{form}`.")
        return [given[name] for name in function.parameters]


def _before(known: Mapping[str, Define], name: str) -> Mapping[str, Define]:
    """The functions that were there when `name` was defined: it cannot call itself or later ones."""
    names = list(known)
    return {earlier: known[earlier] for earlier in names[: names.index(name)]}


def _meaning(node: Expression, meant: Mapping[str, Expression], span: Span) -> Expression:
    """A part of a function with its names replaced; what stands in the function gets the place of the call."""
    return _replaced(node, meant, span)


def _replaced(node: Any, meant: Mapping[str, Expression], span: Span) -> Any:
    if isinstance(node, tuple):
        return tuple(_replaced(part, meant, span) for part in node)
    if not is_dataclass(node):
        return node
    if isinstance(node, Name) and node.name in meant:
        return meant[node.name]
    changed = {}
    for item in fields(node):
        value = getattr(node, item.name)
        if item.name == "span" or item.name.endswith("_span"):
            changed[item.name] = span
        elif _holds_parts(value):
            changed[item.name] = _replaced(value, meant, span)
    return replace(cast(Any, node), **changed)


def _holds_parts(value: object) -> bool:
    if isinstance(value, tuple):
        return any(is_dataclass(part) for part in value)
    return is_dataclass(value)
