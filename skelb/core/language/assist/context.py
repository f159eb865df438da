"""What stands before a place in the text: the statement, its tokens, the call it is in."""

from dataclasses import dataclass

from skelb.core.language.reading.lines import logical_lines
from skelb.core.language.reading.tokens import Token, tokenize


@dataclass(frozen=True)
class Before:
    """The statement around an offset, and its tokens that end before the word being written there.

    `word` is the part of a word left of the offset, `start` where it begins in the text; `inside` says why
    nothing can be completed here: "comment", "text" (with `text_before` its content so far) or empty.
    """

    tokens: tuple[Token, ...]
    word: str
    start: int
    inside: str = ""
    text_before: str = ""

    def ends(self, *texts: str) -> bool:
        """Whether the tokens end with these."""
        return tuple(token.text for token in self.tokens[-len(texts) :]) == texts

    @property
    def head(self) -> str:
        """The statement's first word."""
        return self.tokens[0].text if self.tokens else ""


def before(source: str, offset: int) -> Before:
    """What stands before an offset."""
    offset = max(0, min(offset, len(source)))
    line_start = source.rfind("\n", 0, offset) + 1
    start = line_start
    for line in logical_lines(source):
        if line.start <= offset and "\n" not in source[line.start + len(line.text) : offset]:
            start = line.start
    if start > offset:
        start = line_start
    text = source[start:offset]
    quoted, at = False, 0
    for index in range(max(0, line_start - start), len(text)):
        char = text[index]
        if char == '"' and text[index - 1 : index] != "\\":
            quoted, at = not quoted, index + 1
        elif char == "#" and not quoted:
            return Before((), "", offset, "comment")
    tokens = tokenize(text)[:-1]
    if quoted:
        held = tuple(token for token in tokens if token.end <= at - 1)
        return Before(held, "", start + at, "text", text[at:])
    word = ""
    if tokens and tokens[-1].kind == "name" and tokens[-1].end == len(text):
        word, tokens = tokens[-1].text, tokens[:-1]
    return Before(tokens, word, offset - len(word))


@dataclass(frozen=True)
class OpenCall:
    """The innermost call that is open at a place: its function's name, the argument's position and name."""

    name: str
    position: int
    argument: str | None


def open_call(tokens: tuple[Token, ...]) -> OpenCall | None:
    """The innermost call still open after these tokens."""
    stack: list[list[int]] = []  # of each open bracket: index of its token, commas so far, index after the last comma
    for index, token in enumerate(tokens):
        if token.kind != "op":
            continue
        if token.text == "(":
            stack.append([index, 0, index + 1])
        elif token.text == ")" and stack:
            stack.pop()
        elif token.text == "," and stack:
            stack[-1][1:] = [stack[-1][1] + 1, index + 1]
    while stack:
        opened, commas, last = stack.pop()
        if opened and tokens[opened - 1].kind == "name" and tokens[opened - 1].end == tokens[opened].start:
            named = last + 1 < len(tokens) and tokens[last + 1].text == ":"
            return OpenCall(tokens[opened - 1].text, commas, tokens[last].text if named else None)
    return None
