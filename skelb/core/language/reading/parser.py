"""Source text to placed statements; one mistake does not hide the others."""

from dataclasses import dataclass
from functools import lru_cache

from skelb.core.language.diagnostics import Diagnostic, Mistake, moved
from skelb.core.language.reading.lines import logical_lines
from skelb.core.language.reading.statements import read_statement
from skelb.core.language.tree import Placed, Statement, Title

LONGEST_LINES = 20_000
LONGEST_CHARACTERS = 1_000_000


@dataclass(frozen=True)
class Parsed:
    """What was read of a script.

    `broken_names` are names whose defining line could not be read: using them is not a second mistake.
    """

    statements: tuple[Placed, ...]
    diagnostics: tuple[Diagnostic, ...]
    broken_names: frozenset[str]


def parse(source: str) -> Parsed:
    """The statements of `source` with every mistake of reading; never raises on any text."""
    if len(source) > LONGEST_CHARACTERS or source.count("\n") >= LONGEST_LINES:
        message = f"this script has {source.count(chr(10)) + 1:,} lines and {len(source):,} characters"
        return Parsed((), (Diagnostic("S0113", message, (0, 0)),), frozenset())
    statements, diagnostics, broken = [], [], set()
    for line in logical_lines(source):
        outcome = _read_cached(line.text)
        if isinstance(outcome, Diagnostic):
            diagnostics.append(moved(outcome, line.start))
            broken.update(_names_begun(line.text))
        else:
            statements.append(Placed(outcome, line.text, line.start))
    return Parsed(tuple(statements), tuple(diagnostics), frozenset(broken))


def parsed_title(source: str) -> str:
    """The title that a script gives itself, or an empty text; nothing is checked."""
    titles = (placed.statement.text for placed in parse(source).statements if isinstance(placed.statement, Title))
    return next(titles, "")


@lru_cache(maxsize=32_768)
def _read_cached(text: str) -> Statement | Diagnostic:
    try:
        return read_statement(text)
    except Mistake as mistake:
        return mistake.diagnostic


def _names_begun(text: str) -> list[str]:
    """Names that an unreadable statement meant to define."""
    words = text.replace("=", " = ").replace(":", " ").split()
    if "=" not in words[:4]:
        return []
    return [word for word in words[: words.index("=")] if word.isidentifier()]
