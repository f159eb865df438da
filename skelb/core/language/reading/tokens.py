"""Text to tokens. Comments and white space vanish; every token knows its code-point span."""

import re
from functools import lru_cache
from typing import NamedTuple

from skelb.core.language.diagnostics import Mistake, Span

_PATTERN = re.compile(
    r"""(?P<space>[ \t\r\n]+|\#[^\n]*)
      | (?P<date>\d{4}-\d{2}-\d{2}(?![\d-]))
      | (?P<time>\d{1,2}:\d{2}(?!\d|:\d))
      | (?P<frame>\d+[mhdw](?![A-Za-z0-9_]))
      | (?P<number>(?:\d+(?:\.\d+)?|\.\d+)(?:[eE][+-]?\d+)?)
      | (?P<name>[A-Za-z_][A-Za-z0-9_]*)
      | (?P<text>"(?:\\"|[^"\n])*")
      | (?P<op>\.\.|<=|>=|==|!=|:=|&&|\|\||[-+*/^<>=()\[\]{},.:%;!?])
      | (?P<quote>")
      | (?P<stray>.)""",
    re.VERBOSE,
)


class Token(NamedTuple):
    """One word, number, text, date, time, timeframe or sign; kind `end` closes every statement."""

    kind: str
    text: str
    start: int
    end: int

    @property
    def span(self) -> Span:
        """Half-open code-point span."""
        return (self.start, self.end)


@lru_cache(maxsize=65_536)
def tokenize(text: str) -> tuple[Token, ...]:
    """The tokens of `text`, white space and comments left out, ended by an `end` token.

    An unclosed quote or a stray character is a token too (kinds `quote` and `stray`): the parser reports it.
    """
    found = []
    last = 0
    for match in _PATTERN.finditer(text):
        kind = match.lastgroup
        if kind != "space":
            start, last = match.span()
            found.append(Token(kind or "stray", match.group(), start, last))
    found.append(Token("end", "", last, last))
    return tuple(found)


def unreadable(token: Token) -> Mistake | None:
    """The mistake that a token is by itself, if any."""
    if token.kind == "quote":
        return Mistake("S0104", token.span, "this quote is not closed on its line", help='End the text with `"`.')
    if token.kind == "stray":
        return Mistake("S0106", token.span, f"the character `{token.text}` is not used in Skelb scripts")
    return None
