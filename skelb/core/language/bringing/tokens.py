"""Text in another notation to tokens; every notation's comments, strings and signs are taken together."""

import re
from dataclasses import dataclass

_TOKEN = re.compile(
    r"""(?P<comment>"{3}.*?"{3}|//[^\n]*|\#[^\n]*|/\*.*?\*/|--\s[^\n]*)
      |(?P<text>"(?:\\.|[^"\\\n])*"|'(?:\\.|[^'\\\n])*')
      |(?P<number>\d+(?:_\d{3})*(?:\.\d*)?(?:[eE][+-]?\d+)?|\.\d+)
      |(?P<name>[A-Za-z_]\w*(?:\.[A-Za-z_]\w*)*)
      |(?P<line>\n)
      |(?P<sign>:=|\+=|-=|\*=|/=|==|!=|<>|<=|>=|=>|&&|\|\||\*\*|[-+*/%^<>=!?:;,.(){}\[\]|&])
      |(?P<space>[ \t\r\f]+|\\\n)
      |(?P<other>.)""",
    re.VERBOSE | re.DOTALL,
)


@dataclass(frozen=True)
class Token:
    """`kind` is comment, text, number, name, line, sign or other; `line` counts from 1, `column` from 0."""

    kind: str
    text: str
    line: int
    column: int

    @property
    def said(self) -> str:
        """What stands inside a text's quotes or after a comment's sign."""
        if self.kind == "comment":
            return re.sub(r"^(//+|#+|/\*+|--|\"+)[\s*]*|\s*(\*+/|\"+)$", "", self.text).strip()
        return re.sub(r"\\(.)", r"\1", self.text[1:-1])


def tokens_of(source: str) -> list[Token]:
    """The tokens of a text, spaces left out."""
    found, line, begin = [], 1, 0
    for match in _TOKEN.finditer(source):
        kind, text = str(match.lastgroup), match.group()
        if kind != "space":
            found.append(Token(kind, text, line, match.start() - begin))
        count = match.group().count("\n")
        if count:
            line += count
            begin = match.start() + match.group().rindex("\n") + 1
    return found
