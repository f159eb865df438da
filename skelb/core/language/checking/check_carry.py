"""Running values: what may stand inside a `carry`."""

from skelb.core.language.checking.kinds import Scope, meaning_of
from skelb.core.language.checking.stepwise import check_stepwise, depends_on
from skelb.core.language.diagnostics import Mistake
from skelb.core.language.tree import Carry


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
            check_stepwise(
                value,
                lambda node: depends_on(node, set(statement.names)),
                "S0212",
                "a running value stands where earlier bars of it would be needed",
            )
    finally:
        scope.running = {}
        scope.settled = 0
