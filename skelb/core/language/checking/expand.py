"""Functions of the script's own: every call replaced by what it means."""

from collections.abc import Mapping
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any, cast

from skelb.core.language.diagnostics import Mistake, Span
from skelb.core.language.tree import Call, Carry, Define, Expression, Name, Statement

MOST_PARTS = 20_000
MOST_CALLS = 50  # inside one another


@dataclass(frozen=True)
class Own:
    """A function of the script's own, and how many were defined before it: those it can call."""

    function: Define
    before: int


class Expander:
    """Replaces calls in one statement; running locals become running values of their own, collected in `carries`.

    `called` are the functions that were used, directly or inside one another.
    """

    def __init__(self, functions: Mapping[str, Own], place: str) -> None:
        self._functions = functions
        self._place = place
        self._parts = self._deep = 0
        self.carries: list[Carry] = []
        self.called: set[str] = set()

    def statement(self, found: Statement) -> Statement:
        """The statement without calls of the script's functions. Raises Mistake on a call that does not fit."""
        return self._walk(found, len(self._functions))

    def _walk(self, node: Any, known: int) -> Any:
        """The tree with calls of the first `known` functions replaced."""
        if isinstance(node, tuple):
            return tuple(self._walk(part, known) for part in node)
        if not is_dataclass(node):
            return node
        self._parts += 1
        if isinstance(node, Call):
            own = self._functions.get(node.name)
            if own is not None and own.before < known:
                return self._call(node, own, known)
        changed = {
            item.name: self._walk(getattr(node, item.name), known)
            for item in fields(node)
            if _holds_parts(getattr(node, item.name))
        }
        return replace(cast(Any, node), **changed) if changed else node

    def _call(self, node: Call, own: Own, known: int) -> Expression:
        function = own.function
        self.called.add(node.name)
        if self._parts > MOST_PARTS:
            raise _too_much(f"written out, this statement has more than {MOST_PARTS:,} parts", node.span)
        if self._deep >= MOST_CALLS:
            raise _too_much(f"more than {MOST_CALLS} functions call one another here", node.span)
        meant: dict[str, Expression] = dict(
            zip(function.parameters, self._arguments(node, function, known), strict=True)
        )
        for local in function.locals:
            if local.start is None:
                meant[local.name] = _meaning(local.value, meant, node.span)
                continue
            running = f"{function.name}.{local.name} {self._place}.{len(self.carries)}"
            start = _meaning(local.start, meant, node.span)
            meant[local.name] = Name(running, node.span)
            value = _meaning(local.value, meant, node.span)
            values = (self._called(value, own),), (self._called(start, own),)
            self.carries.append(Carry((running,), (node.span,), *values, node.span))
        return self._called(_meaning(function.value, meant, node.span), own)

    def _called(self, node: Expression, own: Own) -> Expression:
        """A part of a function that is called, without calls of those before it."""
        self._deep += 1
        found: Expression = self._walk(node, own.before)
        self._deep -= 1
        return found

    def _arguments(self, node: Call, function: Define, known: int) -> list[Expression]:
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


def _too_much(what: str, span: Span) -> Mistake:
    return Mistake("S0111", span, what, None, "Name the inner calls.")


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
