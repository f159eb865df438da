"""Last passes: what is allowed and surely not meant: conditions never yes, names never used."""

from collections.abc import Iterator, Mapping

from skelb.core.catalogue import FUNCTIONS
from skelb.core.language.checking.never import never_yes, resolved
from skelb.core.language.checking.work import Work
from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.tree import (
    Call,
    Define,
    Definition,
    Draw,
    Expression,
    Field,
    FromMarket,
    Input,
    Name,
    OnTimeframe,
    Placed,
    Use,
)
from skelb.core.language.walk import parts_within


def _written_here(work: Work) -> Iterator[Placed]:
    """The sound statements of the script itself: what is wrong with a used one, its own check says."""
    return (placed for placed in work.sound if placed.is_here)


def check_never(work: Work) -> None:
    """Conditions that can never be yes."""
    meanings = {name: found.value for name, found in work.definitions.items()}
    for placed in _written_here(work):
        statement = placed.statement
        node = statement.value if isinstance(statement, Definition) else getattr(statement, "when", None)
        if node is not None:
            warning = never_yes(node, placed.text, meanings)
            if warning:
                work.report(placed, warning)


def check_drawn(work: Work) -> None:
    """Oscillators drawn over price, and values of bars that are still forming."""
    meanings = {name: found.value for name, found in work.definitions.items()}
    for placed in _written_here(work):
        statement = placed.statement
        if isinstance(statement, Draw) and statement.panel is None:
            for value in statement.values:
                name = _oscillator(value, meanings)
                if name:
                    help_text = f'Give it a panel: `draw … in "{name}"`.'
                    work.report(
                        placed,
                        Diagnostic("S0407", f"`{name}` swings in a range of its own", value.span, None, help_text),
                    )
        for part in forms_in(statement) if "forming" in placed.text else ():
            work.report(placed, Diagnostic("S0408", "this reads a higher bar while it is still forming", part.span))


def _oscillator(node: Expression, meanings: Mapping[str, Expression]) -> str | None:
    found = resolved(node, meanings)
    if isinstance(found, Field):
        found = resolved(found.record, meanings)
    function = FUNCTIONS.get(found.name) if isinstance(found, (Call, Name)) else None
    if function is None:
        return None
    return function.name if function.bounded or function.family == "Momentum" else None


def forms_in(node: object) -> Iterator[OnTimeframe | FromMarket]:
    """Every place within a tree that reads a forming bar."""
    return (part for part in parts_within(node) if isinstance(part, (OnTimeframe, FromMarket)) and part.forming)


def check_unused(work: Work) -> None:
    """Names and inputs that nothing uses; silent while there are errors, which may be the reason."""
    if any(item.severity == "error" for item in work.found):
        return
    options = {word for found in work.inputs.values() for word in found.options}
    for name, placed in work.placed_names.items():
        if name in work.scope.used:
            continue
        statement = placed.statement
        if isinstance(statement, Input):
            if name not in options:
                work.report(placed, Diagnostic("S0406", f"the input `{name}` is never used", statement.name_span))
        elif work.scope.names[name].kind != "condition":
            span = statement.name_span if isinstance(statement, (Definition, Define, Use)) else statement.span
            work.report(placed, Diagnostic("S0405", f"`{name}` is never used", span))
