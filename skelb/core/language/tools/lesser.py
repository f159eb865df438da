"""A script with less in it: without one rule, without one part of a condition, or with a part alone."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from skelb.core.language.check import Checked
from skelb.core.language.tools.sheet import sheet_of
from skelb.core.language.tree import Definition, Enter, Exit, Expression, Logic, Placed

Change = Literal["without", "alone"]


@dataclass(frozen=True)
class Lesser:
    """One such script: `part` is what is left out, or stands alone, as it is written; `line` where it stands, from 1;
    `of` the name or the rule whose part it is, empty of a whole rule."""

    change: Change
    part: str
    of: str
    line: int
    text: str


def lesser_scripts(checked: Checked) -> list[Lesser]:
    """Every script that is a sound one less a rule, or less a part joined by `and`, in the order of the text.

    The last entry rule of all stays, and rules of a script that is used are not this one's. What is left may have
    mistakes, where another rule stands on what is gone.
    """
    source = checked.source
    rows = [row for row in sheet_of(checked) if row.is_on]
    entries = sum(row.section == "entries" for row in rows)
    found = []
    for row in rows:
        if row.section != "entries" or entries > 1:
            begins, ends = row.span
            text = source[:begins] + source[ends:]
            found.append(Lesser("without", row.text, "", _line(source, begins), text))
    for placed in checked.statements:
        if placed.is_here:
            found += _parts(source, placed)
    return sorted(found, key=lambda item: (item.line, item.change == "alone"))


def _parts(source: str, placed: Placed) -> Iterator[Lesser]:
    node, of = _condition(placed)
    if not isinstance(node, Logic) or node.operator != "and":
        return
    written = [placed.text[slice(*part.span)] for part in node.parts]
    begins, ends = (placed.start + at for at in node.span)
    for place, (part, text) in enumerate(zip(node.parts, written, strict=True)):
        line = _line(source, placed.start + part.span[0])
        others = " and ".join(f"({other})" for at, other in enumerate(written) if at != place)
        yield Lesser("without", text, of, line, source[:begins] + others + source[ends:])
        if len(written) > 2:  # of two, one alone is the script without the other
            yield Lesser("alone", text, of, line, f"{source[:begins]}({text}){source[ends:]}")


def _condition(placed: Placed) -> tuple[Expression | None, str]:
    statement = placed.statement
    if isinstance(statement, Definition):
        return statement.value, statement.name
    if isinstance(statement, (Enter, Exit)):
        kind = "enter" if isinstance(statement, Enter) else "exit"
        return statement.when, f"{kind} {statement.side or 'both'}"
    return None, ""


def _line(source: str, place: int) -> int:
    return source.count("\n", 0, place) + 1
