"""Where offsets of a text are for an editor, and edits at such places."""

from itertools import accumulate
from typing import Any

from lsprotocol import types as lsp

from skelb.core.language import LineMap
from skelb.core.language.diagnostics import Span
from skelb.core.language.tools import Edit

_UNIT_BYTES = {"utf-8": 1, "utf-16": 2, "utf-32": 4}


class Positions:
    """Turns code-point offsets of one text into the protocol's positions and back; those count units of an encoding.

    A line ends at a line feed and nowhere else, as in the language.
    """

    def __init__(self, source: str, encoding: str) -> None:
        self._lines = source.split("\n")
        self._map = LineMap(source)
        self._encoding = f"{encoding}-le" if encoding in ("utf-16", "utf-32") else encoding
        self._size = _UNIT_BYTES[encoding]
        self._units: dict[int, list[int]] = {}  # before each code point of a line, where it is not one each

    def position(self, offset: int) -> lsp.Position:
        """The position of an offset of the text."""
        place = self._map.place(offset)
        line, column = place.line - 1, place.column - 1
        return lsp.Position(line, column if self._lines[line].isascii() else self._units_of(line)[column])

    def range(self, span: Span) -> lsp.Range:
        """The range of a span of the text."""
        return lsp.Range(self.position(span[0]), self.position(span[1]))

    def offset(self, position: lsp.Position) -> int:
        """The offset of a position; the nearest there is for one outside the text."""
        line = max(0, min(position.line, len(self._lines) - 1))
        start = sum(len(text) + 1 for text in self._lines[:line])
        if position.line >= len(self._lines):
            return start + len(self._lines[line])
        units = self._lines[line].encode(self._encoding, "surrogatepass")[: max(0, position.character) * self._size]
        return start + len(units.decode(self._encoding, "ignore"))

    def _units_of(self, line: int) -> list[int]:
        if line not in self._units:
            each = (len(char.encode(self._encoding, "surrogatepass")) // self._size for char in self._lines[line])
            self._units[line] = list(accumulate(each, initial=0))
        return self._units[line]


def text_edits(edits: list[Edit], places: Positions) -> list[lsp.TextEdit]:
    return [lsp.TextEdit(places.range(edit.span), edit.text) for edit in edits]


def whole_edit(source: str, text: str, places: Positions) -> list[lsp.TextEdit]:
    """The edit that makes another text of the whole document, with the document's line ends."""
    if "\r\n" in source:
        text = text.replace("\r\n", "\n").replace("\n", "\r\n")
    return [] if text == source else [lsp.TextEdit(places.range((0, len(source))), text)]


def plain_range(found: lsp.Range) -> dict[str, Any]:
    return {
        name: {"line": place.line, "character": place.character}
        for name, place in (("start", found.start), ("end", found.end))
    }
