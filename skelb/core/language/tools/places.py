"""Where the names of a script stand: what defines them and what uses them."""

from collections.abc import Iterator
from dataclasses import dataclass, fields, is_dataclass

from skelb.core.language.diagnostics import Mistake, Span
from skelb.core.language.reading.expressions import read_expression
from skelb.core.language.reading.parser import parse
from skelb.core.language.reading.reader import Reader
from skelb.core.language.reading.tokens import tokenize
from skelb.core.language.tree import (
    Alert,
    Call,
    Carry,
    Define,
    Definition,
    Input,
    Mark,
    Name,
    Placed,
    Total,
    Use,
)


@dataclass(frozen=True)
class NamePlace:
    """A name as it stands in the script; `defines` where it gets its meaning. `span` is in the whole text."""

    name: str
    span: Span
    defines: bool


def name_places(source: str) -> list[NamePlace]:
    """Every place of every name in text order; parameters and counters, which mean something only inside, left out."""
    found: list[NamePlace] = []
    for placed in parse(source).statements:
        found.extend(
            NamePlace(item.name, (item.span[0] + placed.start, item.span[1] + placed.start), item.defines)
            for item in _places(placed)
        )
    return sorted(set(found), key=lambda item: item.span)


def name_at(source: str, offset: int) -> NamePlace | None:
    """The name that stands at an offset of the text (or ends there)."""
    return next((item for item in name_places(source) if item.span[0] <= offset <= item.span[1]), None)


def _places(placed: Placed) -> Iterator[NamePlace]:
    statement = placed.statement
    hidden: frozenset[str] = frozenset()
    match statement:
        case Definition() | Use():
            yield NamePlace(statement.name, statement.name_span, True)
        case Input():
            yield NamePlace(statement.name, statement.name_span, True)
            yield from _options(statement, placed.text)
        case Carry():
            for name, span in zip(statement.names, statement.name_spans, strict=True):
                yield NamePlace(name, span, True)
        case Define():
            yield NamePlace(statement.name, statement.name_span, True)
            hidden = frozenset((*statement.parameters, *(item.name for item in statement.locals)))
        case Mark() | Alert():
            yield from _label_places(placed.text)
        case _:
            pass
    yield from _within(statement, hidden)


def _within(node: object, hidden: frozenset[str]) -> Iterator[NamePlace]:
    """Names used in a part of a tree, except those that mean something else inside it."""
    if isinstance(node, tuple):
        for part in node:
            yield from _within(part, hidden)
    elif is_dataclass(node):
        if isinstance(node, Name):
            if node.name not in hidden:
                yield NamePlace(node.name, node.span, False)
            return
        if isinstance(node, Call) and node.name not in hidden:
            yield NamePlace(node.name, node.name_span, False)
        if isinstance(node, Total):
            yield from _within((node.low, node.high), hidden)
            hidden |= {node.name}
        for item in fields(node):
            yield from _within(getattr(node, item.name), hidden)


def _options(statement: Input, text: str) -> Iterator[NamePlace]:
    """The words of a choice, which may be names of series."""
    if statement.kind != "choice":
        return
    for token in tokenize(text)[3:]:
        if token.kind == "name" and token.text in statement.options:
            yield NamePlace(token.text, token.span, False)


def _label_places(text: str) -> Iterator[NamePlace]:
    """Names in braces within the label of a statement."""
    label = next((token for token in tokenize(text) if token.kind == "text"), None)
    if label is None:
        return
    at = 0
    while (opened := label.text.find("{", at)) >= 0 and (closed := label.text.find("}", opened)) >= 0:
        inner, start = label.text[opened + 1 : closed], label.start + opened + 1
        at = closed
        try:
            value = read_expression(Reader(inner))
        except Mistake:
            continue
        for item in _within(value, frozenset()):
            yield NamePlace(item.name, (item.span[0] + start, item.span[1] + start), False)
