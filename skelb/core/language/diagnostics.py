"""What is wrong with a script, as values: code, place, sentence, reason, mend."""

from bisect import bisect_right
from dataclasses import dataclass
from typing import Literal

from skelb.core.language.codes import CODES

Severity = Literal["error", "warning", "note"]
Span = tuple[int, int]


@dataclass(frozen=True)
class Mend:
    """An edit that is sure to be right: `text` takes the place of the half-open code-point `span`."""

    text: str
    span: Span


@dataclass(frozen=True)
class Diagnostic:
    """One finding about a script; `span` is half-open, in code points from the start of the text."""

    code: str
    message: str
    span: Span
    mend: Mend | None = None
    help: str = ""

    @property
    def severity(self) -> Severity:
        """How bad it is: only errors keep a script from running."""
        return CODES[self.code].severity

    @property
    def why(self) -> str:
        """Why this is so, in one sentence, with what to do next where that is known."""
        return f"{CODES[self.code].why} {self.help}".strip()


class Mistake(Exception):  # noqa: N818 - becomes a Diagnostic within the parser and checker, never leaves them
    """A mistake that ends the reading of one statement; spans are relative to that statement."""

    def __init__(self, code: str, span: Span, message: str, mend: Mend | None = None, help: str = "") -> None:
        super().__init__(message)
        self.diagnostic = Diagnostic(code, message, span, mend, help)


def moved(found: Diagnostic, offset: int) -> Diagnostic:
    """The same diagnostic with its spans `offset` code points further on."""
    mend = found.mend and Mend(found.mend.text, (found.mend.span[0] + offset, found.mend.span[1] + offset))
    return Diagnostic(found.code, found.message, (found.span[0] + offset, found.span[1] + offset), mend, found.help)


@dataclass(frozen=True)
class LineColumn:
    """A position for people: line and column count from 1, columns in code points."""

    line: int
    column: int


class LineMap:
    """Turns code-point offsets of one text into lines and columns."""

    def __init__(self, text: str) -> None:
        self._starts = [0]
        for index, char in enumerate(text):
            if char == "\n":
                self._starts.append(index + 1)

    def place(self, offset: int) -> LineColumn:
        """The place of `offset`, counted from 1."""
        line = bisect_right(self._starts, offset)
        return LineColumn(line, offset - self._starts[line - 1] + 1)


def utf16_offset(text: str, offset: int) -> int:
    """A code-point offset in `text` as browsers and editors count it, in UTF-16 units."""
    return offset if text.isascii() else len(text[:offset].encode("utf-16-le")) // 2
