"""The rules of a script as rows of a plan: each one is exactly its lines of the text.

A rule that is switched off stays in the text as a comment, `# off: stop 2 * atr(14)`, so that text and rows never
disagree; the lines after the first of such a rule begin with `# off+`.
"""

import re
from dataclasses import dataclass
from typing import Literal

from skelb.core.language.check import Checked
from skelb.core.language.diagnostics import Span
from skelb.core.language.reading.parser import parse
from skelb.core.language.tools.mirror import Mirror, side_of
from skelb.core.language.tree import (
    Breakeven,
    Dates,
    Enter,
    Exit,
    ExitAfter,
    Flat,
    Limit,
    Months,
    Opposite,
    Pause,
    Placed,
    Protect,
    Size,
    Trail,
    Window,
    Zone,
)

Section = Literal["entries", "exits", "protection", "windows", "size"]
SECTIONS: tuple[Section, ...] = ("entries", "exits", "protection", "windows", "size")
_SECTION_OF: dict[type, Section] = {
    Enter: "entries", Exit: "exits", ExitAfter: "exits", Opposite: "exits", Protect: "protection", Trail: "protection",
    Breakeven: "protection", Window: "windows", Months: "windows", Dates: "windows", Flat: "windows", Zone: "windows",
    Limit: "windows", Pause: "windows", Size: "size",
}  # fmt: skip
_OFF = re.compile(r"^[ \t]*# off: [^\n]*(?:\n[ \t]*# off\+[^\n]*)*", re.MULTILINE)
_OFF_SIGN = re.compile(r"^([ \t]*)# off(?:: |\+)", re.MULTILINE)


@dataclass(frozen=True)
class Row:
    """One rule: the half-open code-point `span` of its lines, and what stands there when it is switched on.

    `off` is the text that switches it off (or on again), `mirror` what its mirror image for the other side would add,
    None where it has none. `side` is None for rules of both sides.
    """

    section: Section
    side: Literal["long", "short"] | None
    text: str
    span: Span
    is_on: bool
    off: str
    mirror: str | None


def sheet_of(checked: Checked) -> list[Row]:
    """The rows of a script in the order of the text; a script with errors gives the rules that can be read."""
    source = checked.source
    sound = {placed.start for placed in checked.statements}
    read = [placed for placed in parse(source).statements if type(placed.statement) in _SECTION_OF]
    mirror = Mirror(checked)
    found = [_row(placed, mirror.added_by(placed.statement) if placed.start in sound else None) for placed in read]
    for match in _OFF.finditer(source):
        kept = _OFF_SIGN.sub(r"\1", match[0])
        statements = parse(kept.strip()).statements
        if len(statements) == 1 and type(statements[0].statement) in _SECTION_OF:
            rule = statements[0]
            section = _SECTION_OF[type(rule.statement)]
            found.append(Row(section, side_of(rule.statement), rule.text.strip(), match.span(), False, kept, None))
    return sorted(found, key=lambda row: row.span)


def without_rules(checked: Checked, sections: tuple[Section, ...] = SECTIONS) -> str:
    """A script's text without its rules of some sections, at most one empty line between the lines left.

    Without any rules it is the indicator in a script.
    """
    source = checked.source
    for row in reversed([row for row in sheet_of(checked) if row.section in sections]):
        begins = source.rfind("\n", 0, row.span[0]) + 1
        ends = source.find("\n", row.span[1])
        source = source[:begins] + ("" if ends < 0 else source[ends + 1 :])
    return re.sub(r"\n{3,}", "\n\n", source).rstrip("\n") + "\n"


def switched_off(text: str) -> str:
    """A rule's lines as the comment that keeps it."""
    first, *more = text.split("\n")
    return "\n".join([f"# off: {first}", *(f"# off+{line}" for line in more)])


def _row(placed: Placed, mirror: str | None) -> Row:
    statement, text = placed.statement, placed.text.strip()
    begins = placed.start + placed.text.index(text)
    span = (begins, begins + len(text))
    return Row(_SECTION_OF[type(statement)], side_of(statement), text, span, True, switched_off(text), mirror)
