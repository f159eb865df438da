"""Running values: what may stand inside a `carry`, and the program that it becomes."""

from dataclasses import fields, is_dataclass

from skelb.core.language.diagnostics import Mistake
from skelb.core.language.kinds import Scope, meaning_of
from skelb.core.language.tree import (
    Arithmetic,
    Call,
    Carry,
    Comparison,
    Either,
    Expression,
    Logic,
    Name,
    Negative,
    Not,
)

# What a running value may pass through: these look at one bar only.
STEPWISE = ("abs", "min", "max", "sign", "clamp", "floor", "ceil", "round", "sqrt", "known")


def check_carry(statement: Carry, scope: Scope) -> None:
    """Check a `carry` statement. Raises Mistake at the smallest wrong place."""
    kinds = []
    for name, start in zip(statement.names, statement.starts, strict=True):
        found = meaning_of(start, scope)
        kind = "number" if found.series else found.kind
        if kind not in ("number", "condition"):
            raise Mistake("S0203", start.span, f"the running value `{name}` is a number or a condition")
        kinds.append(kind)
    scope.running = dict(zip(statement.names, kinds, strict=True))
    try:
        for index, (name, value, kind) in enumerate(zip(statement.names, statement.values, kinds, strict=True)):
            scope.settled = index
            found = meaning_of(value, scope)
            if ("number" if found.series else found.kind) != kind:
                raise Mistake("S0203", value.span, f"`{name}` starts as a {kind} and goes on as a {found.kind}")
            _check_stepwise(value, set(statement.names))
    finally:
        scope.running = {}
        scope.settled = 0


def depends_on(node: Expression, names: set[str]) -> bool:
    """Whether an expression uses one of the running values themselves."""
    waiting: list[object] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, Name) and part.name in names:
            return True
        if isinstance(part, tuple):
            waiting.extend(part)
        elif is_dataclass(part):
            waiting.extend(getattr(part, item.name) for item in fields(part))
    return False


def _check_stepwise(node: Expression, names: set[str]) -> None:
    """That a running value passes only through what looks at one bar."""
    if not depends_on(node, names):
        return
    match node:
        case Name() | Negative() | Not() | Arithmetic() | Logic() | Comparison() | Either():
            for part in parts_of(node):
                _check_stepwise(part, names)
        case Call() if node.name == "now" or node.name in STEPWISE:
            for argument in node.arguments:
                _check_stepwise(argument.value, names)
        case _:
            raise Mistake("S0212", node.span, "a running value stands where earlier bars of it would be needed", None,
                          f"It may pass through arithmetic, comparisons, logic, `if`, and {', '.join(STEPWISE)}.")  # fmt: skip


def parts_of(node: Expression) -> tuple[Expression, ...]:
    """The expressions that a stepwise expression is made of."""
    match node:
        case Negative() | Not():
            return (node.x,)
        case Arithmetic():
            return (node.a, node.b)
        case Logic():
            return node.parts
        case Comparison():
            return node.operands
        case Either():
            return (node.condition, node.yes, node.no)
        case Call():
            return tuple(argument.value for argument in node.arguments)
        case _:
            return ()
