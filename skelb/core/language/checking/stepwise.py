"""Expressions that look at one bar only: what running values and values of the position may pass through."""

from collections.abc import Callable, Iterator

from skelb.core.language.diagnostics import Mistake
from skelb.core.language.tree import (
    Arithmetic,
    Call,
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
)
from skelb.core.language.walk import parts_within

STEPWISE = ("abs", "min", "max", "sign", "clamp", "floor", "ceil", "round", "sqrt", "known")
STEPWISE_HELP = f"It may pass through arithmetic, comparisons, `in`, `is`, logic, `if`, and {', '.join(STEPWISE)}."


def names_in(node: object) -> Iterator[Name]:
    """Every Name within a part of a tree."""
    return (part for part in parts_within(node) if isinstance(part, Name))


def depends_on(node: Expression, names: set[str]) -> bool:
    """Whether an expression uses one of the names themselves."""
    return any(name.name in names for name in names_in(node))


def check_stepwise(node: Expression, depends: Callable[[Expression], bool], code: str, message: str) -> None:
    """That what `depends` finds passes only through what looks at one bar. Raises Mistake `code` where it does not."""
    if not depends(node):
        return
    match node:
        case (
            Name() | Negative() | Not() | Arithmetic() | Logic() | Comparison() | InRange() | InSet() | Is() | Either()
        ):
            for part in parts_of(node):
                check_stepwise(part, depends, code, message)
        case Call() if node.name == "now" or node.name in STEPWISE:
            for argument in node.arguments:
                check_stepwise(argument.value, depends, code, message)
        case _:
            raise Mistake(code, node.span, message, None, STEPWISE_HELP)


def parts_of(node: Expression) -> tuple[Expression, ...]:
    """The expressions that a stepwise expression is made of."""
    match node:
        case Negative() | Not() | Is():
            return (node.x,)
        case Arithmetic():
            return (node.a, node.b)
        case Logic():
            return node.parts
        case Comparison():
            return node.operands
        case InRange():
            return (node.x, node.low, node.high)
        case InSet():
            return (node.x, *node.items)
        case Either():
            return (node.condition, node.yes, node.no)
        case Call():
            return tuple(argument.value for argument in node.arguments)
        case _:
            return ()
