"""Physical lines to logical lines: where a statement begins and how far it goes on."""

from dataclasses import dataclass

from skelb.core.language.reading.tokens import Token, tokenize

STATEMENT_WORDS = frozenset(
    "title note input define carry use draw level shade mark tint alert enter exit stop target trail"
    " breakeven window months dates flat limit pause opposite size zone".split()
)

_OPENING, _CLOSING = frozenset("([{"), frozenset(")]}")
_CONTINUES_AFTER = frozenset(", = when and or + - * / ^ < > <= >= == !=".split())
_CONTINUES_BEFORE = frozenset(
    "and or then unless version with as where starting else + - * / ^ < > <= >= == !=".split()
)
_CONTINUES_BEFORE_PAIRS = frozenset([("no", "later"), ("only", "if")])


@dataclass(frozen=True)
class LogicalLine:
    """One statement's text and its offset in the script."""

    text: str
    start: int


def logical_lines(source: str) -> list[LogicalLine]:
    """The statements of `source`, comments and blank lines between them left out."""
    found: list[LogicalLine] = []
    start = end = -1
    depth = 0
    tail: Token | None = None
    head = ""
    offset = 0
    for line in source.split("\n"):
        tokens = tokenize(line)
        here, offset = offset, offset + len(line) + 1
        if tokens[0].kind == "end":
            continue
        if start < 0 or not _goes_on(tokens, depth, tail, head):
            if start >= 0:
                found.append(LogicalLine(source[start:end], start))
            start, depth, head = here + tokens[0].start, 0, tokens[0].text
        for token in tokens[:-1]:
            if token.kind == "op":
                depth += (token.text in _OPENING) - (token.text in _CLOSING and depth > 0)
        tail, end = tokens[-2], here + tokens[-2].end
    if start >= 0:
        found.append(LogicalLine(source[start:end], start))
    return found


def _goes_on(tokens: tuple[Token, ...], depth: int, tail: Token | None, head: str) -> bool:
    """Whether a line with these tokens continues the statement before it."""
    first, second = tokens[0], tokens[1]
    if first.kind == "name" and second.text == "=":
        return head in ("define", "use") and tail is not None and tail.text == ","
    if first.start == 0 and first.text in STATEMENT_WORDS:
        return False
    if depth > 0 or (tail is not None and tail.kind in ("op", "name") and tail.text in _CONTINUES_AFTER):
        return True
    if first.kind in ("op", "name") and first.text in _CONTINUES_BEFORE:
        return True
    return (first.text, second.text) in _CONTINUES_BEFORE_PAIRS
