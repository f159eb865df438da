"""A script with a nearer stop, or another target, in multiples of what is at risk at first."""

from typing import Literal

from skelb.core.language.check import Checked
from skelb.core.language.tree import Placed, Protect

NearerKind = Literal["stop", "target"]


def nearer_script(checked: Checked, kind: NearerKind, level: float) -> tuple[str, list[str]] | None:
    """The text with every stop at `level` times its distance, or every target at `level` R, and the lines that say so.

    None where that cannot be written: a stop that stands at a price, a script without stops.
    """
    source, said = checked.source, f"{level:.6g}"
    rules = [placed for placed in checked.statements if isinstance(placed.statement, Protect)]
    own = [placed for placed in rules if placed.statement.kind == kind]  # type: ignore[union-attr]
    stops = [placed for placed in rules if placed.statement.kind == "stop"]  # type: ignore[union-attr]
    if not stops or (kind == "stop" and any(_unit(placed) == "at" for placed in own)):
        return None
    if not own:
        line = f"target {said} R"
        return f"{source.rstrip()}\n{line}\n", [line]
    lines = []
    for placed in reversed(own):
        statement = placed.statement
        assert isinstance(statement, Protect)
        span = statement.distance.span
        by = f"{said} R"
        if kind == "stop":
            span = statement.distance.amount.span
            by = f"{said} * ({placed.text[slice(*span)]})"
        written = placed.text[: span[0]] + by + placed.text[span[1] :]
        lines.append(" ".join(written.split()))
        source = source[: placed.start] + written + source[placed.start + len(placed.text) :]
    return source, lines[::-1]


def _unit(placed: Placed) -> str:
    assert isinstance(placed.statement, Protect)
    return placed.statement.distance.unit
