"""Last passes: what is allowed and surely not meant: conditions never yes, names never used."""

from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.never import never_yes
from skelb.core.language.tree import (
    Define,
    Definition,
    Input,
)
from skelb.core.language.work import Work


def check_never(work: Work) -> None:
    """Conditions that can never be yes."""
    meanings = {name: found.value for name, found in work.definitions.items()}
    for placed in work.sound:
        statement = placed.statement
        node = statement.value if isinstance(statement, Definition) else getattr(statement, "when", None)
        if node is not None:
            warning = never_yes(node, placed.text, meanings)
            if warning:
                work.report(placed, warning)


def check_unused(work: Work) -> None:
    """Names and inputs that nothing uses; silent while there are errors, which may be the reason."""
    if any(item.severity == "error" for item in work.found):
        return
    for name, placed in work.placed_names.items():
        if name in work.scope.used:
            continue
        statement = placed.statement
        if isinstance(statement, Input):
            if not any(isinstance(other, Input) and name in other.options for other in work.inputs.values()):
                work.report(placed, Diagnostic("S0406", f"the input `{name}` is never used", statement.name_span))
        elif work.scope.names[name].kind != "condition":
            span = statement.name_span if isinstance(statement, (Definition, Define)) else statement.span
            work.report(placed, Diagnostic("S0405", f"`{name}` is never used", span))
