"""The parts of a script for an editor: its statements as an outline, its words by what they are."""

from dataclasses import dataclass
from typing import Literal

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.language.check import Checked
from skelb.core.language.diagnostics import Span
from skelb.core.language.reading.lines import logical_lines
from skelb.core.language.reading.parser import parse
from skelb.core.language.reading.show_statements import COLORS
from skelb.core.language.reading.tokens import Token, tokenize
from skelb.core.language.tree import Carry, Define, Definition, Input, Note, Rule, Show, Statement, Title, Use

Sort = Literal["keyword", "function", "variable", "parameter", "property", "number", "string", "comment", "enumMember"]
SORTS: tuple[Sort, ...] = (
    "keyword", "function", "variable", "parameter", "property", "number", "string", "comment", "enumMember",
)  # fmt: skip


Part = Literal["title", "input", "name", "function", "script", "rule", "picture"]


@dataclass(frozen=True)
class Symbol:
    """A statement in the outline."""

    name: str
    sort: Part
    span: Span


def outline(source: str) -> list[Symbol]:
    """The statements of a script that can be read, in text order."""
    found: list[Symbol] = []
    for placed in parse(source).statements:
        span = (placed.start, placed.start + len(placed.text))
        words = " ".join(placed.text.split())
        found.extend(Symbol(name, sort, span) for name, sort in _symbols(placed.statement, words))
    return found


def _symbols(statement: Statement, words: str) -> list[tuple[str, Part]]:
    match statement:
        case Title():
            return [(statement.text, "title")]
        case Input():
            return [(statement.name, "input")]
        case Definition():
            return [(statement.name, "name")]
        case Carry():
            return [(name, "name") for name in statement.names]
        case Define():
            return [(statement.name, "function")]
        case Use():
            return [(statement.name, "script")]
        case Note():
            return []
        case _:
            sort: Part = "rule" if isinstance(statement, Rule) else "picture"
            return [(words[:60], sort)] if isinstance(statement, (Rule, Show)) else []


def word_sorts(source: str, checked: Checked) -> list[tuple[Span, Sort]]:
    """Every word, number, text and comment with what it is, in text order; nothing spans a line's end."""
    found: list[tuple[Span, Sort]] = []
    starts = {line.start for line in logical_lines(source)}
    offset = 0
    for line in source.split("\n"):
        tokens = tokenize(line)[:-1]
        for index, token in enumerate(tokens):
            sort = _sort(tokens, index, offset + token.start in starts, checked)
            if sort:
                found.append(((token.start + offset, token.end + offset), sort))
        comment = line.find("#", tokens[-1].end if tokens else 0)
        if comment >= 0:
            found.append(((offset + comment, offset + len(line)), "comment"))
        offset += len(line) + 1
    return found


TAIL_WORDS = frozenset(
    "later than one of step as color named long short at after equity risk max units pips ticks points cash end"
    " session week per day entries losses loss open bars days take lots market limit close reverse ignore exit"
    " with version once plus".split()
)


def _sort(tokens: tuple[Token, ...], index: int, begins: bool, checked: Checked) -> Sort | None:
    token = tokens[index]
    if token.kind in ("number", "time", "frame", "date"):
        return "number"
    if token.kind in ("text", "quote"):
        return "string"
    if token.kind != "name":
        return None
    after = tokens[index + 1].text if index + 1 < len(tokens) else ""
    if index and tokens[index - 1].text == ".":
        return "property"
    if begins and after != "=":
        return "keyword"
    if token.text in checked.inputs:
        return "parameter"
    if token.text in checked.meanings or (after == "=" and begins):
        return (
            "function"
            if token.text in checked.meanings and checked.meanings[token.text].kind == "function"
            else "variable"
        )
    if token.text in FUNCTIONS and (after == "(" or token.text not in COLORS):
        return "function"
    if token.text in WORDS:
        return "keyword"
    if token.text in BUILT_INS and not (token.text in TAIL_WORDS and index and tokens[index - 1].text == "at"):
        return "variable"
    if token.text in POSITION_NAMES:
        return "variable"
    if token.text in COLORS or (index and tokens[index - 1].text in ("is", "color")):
        return "enumMember"
    return "keyword" if token.text in TAIL_WORDS else None
