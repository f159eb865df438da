"""A script in the usual layout: one space where spaces belong, comments and line breaks as they were."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby

from skelb.core.catalogue import FUNCTIONS
from skelb.core.language.reading.lines import STATEMENT_WORDS, logical_lines
from skelb.core.language.reading.tokens import Token, tokenize

_INDENT = "    "
_WIDEST = 70  # labels further to the right than this are left where they are
_TIGHT_BEFORE = frozenset(") ] , : % . ..".split())
_TIGHT_AFTER = frozenset("( [ . ..".split())


def format_source(source: str) -> str:
    """The script in the usual layout; only white space changes, so the meaning cannot.

    Lines stay where they are broken, and go on indented. At most one empty line stands between lines. Neighbouring
    definitions and inputs have their `=` in one column, inputs their labels too.

    >>> format_source("up=close>prior( close ,2)  # so")
    'up = close > prior(close, 2)  # so\\n'
    """
    out: list[_Line] = []
    for line in _spaced_lines(source):
        if line.text or (out and out[-1].text):
            out.append(line)
    _align(out)
    text = "\n".join(line.text for line in out).strip("\n")
    return text + "\n" if text else ""


@dataclass
class _Line:
    """A line of the result; `head` is `=` for a definition, else the statement's word, empty for other lines."""

    code: str
    comment: str
    indent: str
    head: str

    @property
    def text(self) -> str:
        gap = "  " if self.code and self.comment else ""
        return f"{self.indent}{self.code}{gap}{self.comment}".rstrip()


def _spaced_lines(source: str) -> Iterator[_Line]:
    """Every line with its spaces in order."""
    starts = {line.start for line in logical_lines(source)}
    head, offset, goes_on = "", 0, False
    for line in source.split("\n"):
        tokens = tokenize(line)[:-1]
        begins = bool(tokens) and offset + tokens[0].start in starts
        if begins:
            head = "=" if len(tokens) > 1 and tokens[1].text == "=" else tokens[0].text
        inside = not begins and (bool(tokens) or (goes_on and line[:1].isspace()))
        yield _Line(_spaced(tokens, head), _comment(line, tokens), _INDENT if inside else "", head if begins else "")
        goes_on = bool(tokens) or (goes_on and bool(line.strip()))
        offset += len(line) + 1


def _align(lines: list[_Line]) -> None:
    """Bring `=` of neighbouring definitions or inputs into one column, and labels of inputs."""
    for head, group in groupby(lines, key=lambda line: line.head):
        if head not in ("=", "input"):
            continue
        run = list(group)
        width = max(line.code.index(" = ") if " = " in line.code else 0 for line in run)
        for line in run:
            left, sign, right = line.code.partition(" = ")
            line.code = f"{left:{width}}{sign}{right}"
        if head == "input":
            _align_labels(run)


def _align_labels(run: list[_Line]) -> None:
    labelled = [(line, found.start()) for line in run if (found := re.search(r'(?<!=) "[^"]*"$', line.code))]
    width = max((at for _, at in labelled), default=0)
    if width <= _WIDEST:
        for line, at in labelled:
            line.code = f"{line.code[:at]:{width}}{line.code[at:]}"


def _comment(line: str, tokens: tuple[Token, ...]) -> str:
    rest = line[tokens[-1].end if tokens else 0 :].strip()
    return re.sub(r"^#(?=[^\s#!])", "# ", rest)


def _spaced(tokens: tuple[Token, ...], head: str) -> str:
    """The tokens of one line with the spaces that belong between them."""
    parts: list[str] = []
    for index, token in enumerate(tokens):
        if index and _has_space(tokens, index, head):
            parts.append(" ")
        parts.append(token.text)
    return "".join(parts)


def _has_space(tokens: tuple[Token, ...], index: int, head: str) -> bool:
    before, token = tokens[index - 1], tokens[index]
    if token.kind in ("quote", "stray") or before.kind in ("quote", "stray"):
        return token.start > before.end
    if "." in before.text + token.text and not _stay_apart(before.text, token.text):
        return True
    if before.kind == "op" and before.text in _TIGHT_AFTER:
        return False
    if token.kind == "op" and token.text in _TIGHT_BEFORE:
        return False
    if token.text == "(" and token.kind == "op":
        return not (before.kind == "name" and (before.end == token.start or before.text in FUNCTIONS))
    if head in ("window", "months") and "-" in (before.text, token.text):
        return False
    return not (before.text == "-" and before.kind == "op" and _is_sign(tokens, index - 1))


def _stay_apart(left: str, right: str) -> bool:
    """Whether two tokens are read as they are without a space between them; a point and a number are not."""
    return [token.text for token in tokenize(left + right)[:-1]] == [left, right]


def _is_sign(tokens: tuple[Token, ...], index: int) -> bool:
    """Whether the minus at `index` is a sign, not a difference."""
    if index == 0:
        return False
    before = tokens[index - 1]
    if before.kind == "op":
        return before.text not in (")", "]", "%")
    return before.kind == "name" and before.text in _BEFORE_A_VALUE


_BEFORE_A_VALUE = frozenset(
    "and or not then unless if else in to from above below meets when where starting level draw shade mark tint alert"
    " step is take for plus once at size risk max than".split()
) | (STATEMENT_WORDS - {"title", "note", "input", "define", "use"})
