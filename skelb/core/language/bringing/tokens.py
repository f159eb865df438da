"""Text in another notation to tokens; every notation's comments, strings and signs are taken together."""

import re
from dataclasses import dataclass, replace

_TOKEN = re.compile(
    r"""(?P<comment>"{3}.*?"{3}|//[^\n]*|\#[^\n]*|/\*.*?\*/|--\s[^\n]*)
      |(?P<text>"(?:\\.|[^"\\\n])*"|'(?:\\.|[^'\\\n])*')
      |(?P<number>\d+(?:_\d{3})*(?:\.\d*)?(?:[eE][+-]?\d+)?|\.\d+)
      |(?P<name>[^\W\d]\w*(?:\.[^\W\d]\w*)*)
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
    """The tokens of a text, spaces left out, with what is spelled in several ways spelled in one."""
    return _spelled(_tokens_of(source))


def _spelled(tokens: list[Token]) -> list[Token]:
    """Names without the word for the object they belong to, columns of a table (`t["close"]`) as names, `begin` and
    `end` as braces, and the arrow that gives a name its value as one sign."""
    found: list[Token] = []
    has_words = any(token.kind == "name" and token.text.lower() == "begin" for token in tokens)
    at = 0
    while at < len(tokens):
        token = tokens[at]
        named = [item.kind for item in tokens[at + 1 : at + 4]] == ["sign", "text", "sign"]
        if token.kind == "name" and named and tokens[at + 1].text == "[" and tokens[at + 3].text == "]":
            column = re.sub(r"\W", "_", tokens[at + 2].said)
            if re.fullmatch(r"[A-Za-z_]\w*", column):
                found.append(replace(token, text=column))
                at += 4
                continue
        if has_words and token.kind == "name" and token.text.lower() in ("begin", "end"):
            token = replace(token, kind="sign", text="{" if token.text.lower() == "begin" else "}")
        if token.text == "<" and _is_arrow(tokens, at):
            token = replace(token, text="<-")
            at += 1
        if token.kind == "name":
            token = replace(token, text=re.sub(r"^(self|this|me)\.", "", token.text))
        found.append(token)
        at += 1
    return found


def _is_arrow(tokens: list[Token], at: int) -> bool:
    """Whether `<` and the `-` on it follow the first name of a line."""
    begins = at == 1 or (at > 1 and tokens[at - 2].kind in ("line", "comment"))
    after = tokens[at + 1] if at + 1 < len(tokens) else None
    is_joined = after is not None and after.text == "-" and after.column == tokens[at].column + 1
    return begins and is_joined and tokens[at - 1].kind == "name"


def _tokens_of(source: str) -> list[Token]:
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
