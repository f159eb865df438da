"""Text in another notation as statements, each with the conditions that it stands under."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from skelb.core.language.bringing.tokens import Token, tokens_of
from skelb.core.language.bringing.words import parts_of

_OPENING, _CLOSING = "([", ")]"
_ENDS = ("then", ":")
_BLOCKS = frozenset("for while foreach repeat def function func fn class switch try sub method".split())
_DONE = ("end", "endif", "fi", "pass")
_EACH_BAR = frozenset("bar init setup next main run calculate update start tick signals".split())


@dataclass(frozen=True)
class Statement:
    """The tokens of one statement; `under` are the conditions around it, each with whether it must be no.

    `comment` is what a line that is only a comment says, None on others; `block` the word of a loop or of a function
    that it stands in or begins, empty outside, and `head` the line that began it.
    """

    tokens: tuple[Token, ...]
    line: int
    under: tuple[tuple[tuple[Token, ...], bool], ...] = ()
    comment: str | None = None
    block: str = ""
    head: int = 0


@dataclass
class _Line:
    tokens: list[Token]
    depth: int
    comment: str | None = None

    @property
    def column(self) -> int:
        return self.tokens[0].column

    @property
    def line(self) -> int:
        return self.tokens[0].line


@dataclass
class _Frame:
    """A branch or a block that is open: what must be no and what yes in it, and where its body is."""

    denied: tuple[tuple[Token, ...], ...]
    condition: tuple[Token, ...]
    depth: int
    column: int
    by_brace: bool
    block: str = ""
    head: int = 0


def statements_of(source: str) -> list[Statement]:
    """The statements of a text in order; branches are not among them, but around those that stand in them."""
    return [part for statement in _written(source) for part in _parted(statement)]


def _parted(statement: Statement) -> list[Statement]:
    """One statement for each name that gets a value in it; for some rows of a column it is one under a condition."""
    tokens = statement.tokens
    sign = next((place for place, token in enumerate(tokens) if token.text == "=" and token.kind == "sign"), 0)
    if not sign:
        return [statement]
    value, equals = tokens[sign + 1 :], tokens[sign]
    if tokens[0].text.endswith(".loc") and tokens[1].text == "[" and tokens[sign - 1].text == "]":
        where = _split_at_commas(tokens[2 : sign - 1])
        column = re.sub(r"\W", "_", where[-1][0].said) if len(where) == 2 and where[1][0].kind == "text" else ""
        if not re.fullmatch(r"[A-Za-z_]\w*", column):
            return [statement]
        under = (*statement.under, (tuple(where[0]), False))
        return [replace(statement, tokens=(replace(tokens[0], text=column), equals, *value), under=under)]
    names, values = tokens[:sign:2], _split_at_commas(value)
    is_row = (
        sign > 1 and all(item.kind == "name" for item in names) and {item.text for item in tokens[1:sign:2]} == {","}
    )
    if not is_row or len(names) != len(values):
        return [statement]
    return [replace(statement, tokens=(name, equals, *own)) for name, own in zip(names, values, strict=True)]


def _split_at_commas(tokens: Sequence[Token]) -> list[list[Token]]:
    found: list[list[Token]] = [[]]
    depth = 0
    for token in tokens:
        depth += (token.text in _OPENING and token.kind == "sign") - (token.text in _CLOSING and token.kind == "sign")
        if token.text == "," and depth == 0:
            found.append([])
        else:
            found[-1].append(token)
    return [item for item in found if item]


def _written(source: str) -> list[Statement]:
    found: list[Statement] = []
    open_: list[_Frame] = []
    last: _Frame | None = None  # the branch that ended, which an `else` goes on from
    for line in _lines(tokens_of(source)):
        if line.comment is not None:
            found.append(Statement((), line.line, (), line.comment))
            continue
        closed = [frame for frame in open_ if not _holds(frame, line)]
        if closed:
            last = closed[0]
            open_ = open_[: open_.index(closed[0])]
        tokens, word = line.tokens, line.tokens[0].text.lower()
        if word in _DONE and len(tokens) == 1:
            last = open_.pop() if open_ and not open_[-1].by_brace else last
            continue
        branch = _branch_of(tokens, last)
        if branch is not None:
            denied, condition, rest = branch
            frame = _Frame(denied, condition, line.depth, line.column, _braced(tokens))
            body = _body(rest)
            if body:
                found.append(Statement(tuple(body), line.line, _under([*open_, frame])))
                last = frame
            else:
                open_.append(frame)
            continue
        around = next((frame for frame in open_ if frame.block), None)
        is_block = word in _BLOCKS and not (len(tokens) > 1 and tokens[1].text in ("=", ":="))
        if around is None and _holds_everything(tokens):
            open_.append(_Frame((), (), line.depth, line.column, _braced(tokens)))
            continue
        if is_block:
            opened = _Frame((), (), line.depth, line.column, _braced(tokens), word, line.line)
            open_.append(opened)
            around = around or opened
        block, head = (around.block, around.head) if around else ("", 0)
        found.append(Statement(tuple(tokens), line.line, _under(open_), block=block, head=head))
    return found


def _holds_everything(tokens: Sequence[Token]) -> bool:
    """Whether a line begins what a script as a whole stands in: a class, or the function that every bar calls."""
    if tokens[-1].text not in ("{", ":"):
        return False
    words = [token.text.lower() for token in tokens]
    if "class" in words[:3]:
        return True
    place = words.index("(") if "(" in words else 0
    return place > 0 and "=" not in words and bool(_EACH_BAR & set(parts_of(tokens[place - 1].text)))


def _branch_of(
    tokens: Sequence[Token], last: _Frame | None
) -> tuple[tuple[tuple[Token, ...], ...], tuple[Token, ...], list[Token]] | None:
    """Of a line that begins a branch what must be no, what yes, and the rest; None for other lines."""
    words = [token.text.lower() for token in tokens[:2]]
    if words[0] == "if":
        condition, rest = _split_condition(tokens[1:])
        return (), tuple(condition), rest
    if last is None or words[0] not in ("else", "elif", "elseif", "otherwise"):
        return None
    denied = (*last.denied, *([last.condition] if last.condition else []))
    if words[0] in ("elif", "elseif") or words[1:] == ["if"]:
        condition, rest = _split_condition(tokens[1 if words[0] in ("elif", "elseif") else 2 :])
        return denied, tuple(condition), rest
    return denied, (), list(tokens[1:])


def _holds(frame: _Frame, line: _Line) -> bool:
    """Whether a line still stands in an `if`: within its braces, or further in than its first word."""
    return line.depth > frame.depth if frame.by_brace else line.depth == frame.depth and line.column > frame.column


def _under(frames: Sequence[_Frame]) -> tuple[tuple[tuple[Token, ...], bool], ...]:
    found: list[tuple[tuple[Token, ...], bool]] = []
    for frame in frames:
        found += [(condition, True) for condition in frame.denied]
        if frame.condition:
            found.append((frame.condition, False))
    return tuple(found)


def _braced(tokens: Sequence[Token]) -> bool:
    return tokens[-1].text == "{"


def _body(tokens: Sequence[Token]) -> list[Token]:
    """What stands after a condition on its line, without the signs that only open a body."""
    return [token for token in tokens if not (token.text in ("{", "}") or token.text.lower() in _ENDS)]


def _split_condition(tokens: Sequence[Token]) -> tuple[list[Token], list[Token]]:
    """A condition and the rest of its line: up to a word that opens the body, or to the end of its brackets."""
    depth = 0
    for place, token in enumerate(tokens):
        depth += (token.text in _OPENING and token.kind == "sign") - (token.text in _CLOSING and token.kind == "sign")
        if depth == 0 and (token.text == "{" or token.text.lower() in _ENDS):
            return list(tokens[:place]), list(tokens[place:])
        following = tokens[place + 1] if place + 1 < len(tokens) else None
        ends = depth == 0 and token.text == ")" and tokens[0].text == "(" and following is not None
        if ends and following is not None and following.kind == "name" and following.text.lower() not in ("and", "or"):
            return list(tokens[: place + 1]), list(tokens[place + 1 :])
    return list(tokens), []


def _lines(tokens: Sequence[Token]) -> list[_Line]:
    """Logical lines: ended by a line's end outside brackets, by `;` and by braces, which count as depth."""
    found: list[_Line] = []
    now: list[Token] = []
    depth = brackets = skipped = 0

    def end() -> None:
        nonlocal now
        if now:
            found.append(_Line(now, depth))
        now = []

    for place, token in enumerate(tokens):
        if token.text == "REM" and not now:
            said = " ".join(
                item.text for item in tokens[place + 1 :] if item.line == token.line and item.kind != "line"
            )
            found.append(_Line([token], depth, said))
            skipped = token.line
        if token.line == skipped:
            continue
        if token.kind == "comment":
            if not now and token.said and (place == 0 or tokens[place - 1].kind == "line"):
                found.append(_Line([token], depth, token.said))
            continue
        if token.kind == "line":
            following = [item for item in tokens[place + 1 : place + 4] if item.kind != "comment"]
            begins = len(following) > 1 and following[0].kind == "name" and following[1].text in ("=", ":=")
            if begins and brackets and not _names_an_argument(now):  # the bracket before it is the mistake
                brackets = 0
            opens = bool(now) and bool(following) and following[0].text == "{"  # the brace of this line's block
            if brackets == 0 and not opens and not _goes_on(now, tokens[place + 1 :]):
                end()
            continue
        if token.kind == "sign":
            brackets = max(0, brackets + (token.text in _OPENING) - (token.text in _CLOSING))
        if token.text == ";" and brackets == 0:
            end()
        elif token.text == "{" and token.kind == "sign":
            now.append(token)
            end()
            depth += 1
        elif token.text == "}" and token.kind == "sign":
            end()
            depth = max(0, depth - 1)
        else:
            now.append(token)
    end()
    return found


def _names_an_argument(now: Sequence[Token]) -> bool:
    """Whether what comes next in open brackets may be an argument by its name."""
    return bool(now) and now[-1].text in ("(", ",")


def _goes_on(now: Sequence[Token], rest: Sequence[Token]) -> bool:
    """Whether a statement goes on over a line's end: after an operator, or before one."""
    joining = ("&&", "||", "+", "-", "*", "/", "?", "=", ",", "and", "or", "<", ">", "==", ":=", "<=", ">=")
    following = next((token for token in rest if token.kind not in ("line", "comment")), None)
    after = bool(now) and now[-1].text.lower() in joining
    before = following is not None and following.text.lower() in ("&&", "||", "?", "and", "or")
    return bool(now) and (after or before)
