"""A text in another notation as a Skelb script: line by line what is sure, what is asked, and what is left."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.language.bringing.calls import call_of, rule_of, shown_of
from skelb.core.language.bringing.expressions import Surroundings, UnsayableError, said
from skelb.core.language.bringing.inputs import input_of
from skelb.core.language.bringing.statements import Statement, statements_of
from skelb.core.language.bringing.tokens import Token
from skelb.core.language.check import check
from skelb.core.language.diagnostics import Diagnostic, LineMap
from skelb.core.language.tools.edits import Edit, applied

_DECLARING = frozenset(
    "var let const float int integer double bool boolean string series auto static final local global def dim number"
    " real input extern param".split()
)
_MOST_ROUNDS = 40
_TANGLED = "what is wrong in this text hangs together in too many ways to be sorted out"
_DEFINED = re.compile(r"(?:input )?(\w+) = ")
State = Literal["sure", "asked", "left"]


@dataclass(frozen=True)
class Question:
    """Something that may be meant in several ways: what stands there, a sentence, what can be chosen, which holds."""

    id: str
    line: int
    sentence: str
    choices: tuple[str, ...]
    chosen: int


@dataclass(frozen=True)
class BroughtLine:
    """One line of the script; `source` is the line of the pasted text that it came from, 0 for none."""

    text: str
    source: int
    state: State
    reason: str = ""


@dataclass(frozen=True)
class Brought:
    """The script that checks clean, line by line, and what was asked."""

    lines: tuple[BroughtLine, ...]
    questions: tuple[Question, ...]

    @property
    def text(self) -> str:
        """The script."""
        return "".join(f"{line.text}\n" for line in self.lines)

    def count(self, state: State) -> int:
        """How many lines of the pasted text came over so."""
        return len({line.source for line in self.lines if line.state == state and line.source})


def bring(source: str, answers: Mapping[str, int] | None = None) -> Brought:
    """The script that a text in another notation comes to; `answers` are choices by the questions' ids.

    What comes back always checks without errors: what cannot be said stands as a comment with the reason.
    """
    statements = statements_of(source)
    work = _Work(source, answers or {}, _changed(statements))
    for statement in statements:
        work.take(statement)
    return Brought(tuple(_sound(work.ordered(), work.originals)), tuple(work.questions.values()))


@dataclass
class _Work:
    source: str
    answers: Mapping[str, int]
    changed: frozenset[str]
    lines: list[BroughtLine] = field(default_factory=list)
    questions: dict[str, Question] = field(default_factory=dict)
    around: Surroundings = field(default_factory=Surroundings)
    has_title: bool = False
    line: int = 0
    asked: bool = False

    def __post_init__(self) -> None:
        self.originals = ["", *(text.strip() for text in self.source.split("\n"))]
        self.around.ask = self.ask

    def ask(self, what: str, sentence: str, choices: Sequence[tuple[str, str]]) -> str:
        """What a doubtful place comes to: the choice that was answered, the first where no such choice was."""
        chosen = self.answers.get(what, 0)
        if chosen not in range(len(choices)):
            chosen = 0
        first = self.questions[what].line if what in self.questions else self.line
        self.questions[what] = Question(what, first, sentence, tuple(words for words, _ in choices), chosen)
        self.asked = True
        return choices[chosen][1]

    def take(self, statement: Statement) -> None:
        """Bring one statement over."""
        self.line, self.asked = statement.line, False
        if statement.comment is not None:
            self._comment(statement.comment)
            return
        try:
            texts = self._texts(statement)
        except UnsayableError as exc:
            self._leave(str(exc))
            return
        for text in texts:
            self.lines.append(BroughtLine(text, statement.line, "asked" if self.asked else "sure"))

    def ordered(self) -> list[BroughtLine]:
        """All lines, a title first."""
        if self.has_title:
            titled = [line for line in self.lines if line.text.startswith("title ")][:1]
            return [*titled, *(line for line in self.lines if line not in titled)]
        return [BroughtLine('title "Brought over"', 0, "sure"), *self.lines]

    def _comment(self, text: str) -> None:
        says_something = re.search(r"[A-Za-z]{3}", text) is not None and not text.startswith("!")
        if not self.has_title and says_something and all(line.text.startswith("#") for line in self.lines):
            self.has_title = True
            words = re.split(r"[,.:;]", text)[0].strip() or text
            self.lines.append(BroughtLine(f'title "{_quoted(words[:1].upper() + words[1:60])}"', self.line, "sure"))
            return
        self.lines.append(BroughtLine(f"# {text.splitlines()[0]}", self.line, "sure"))

    def _leave(self, reason: str) -> None:
        if self.lines and (self.lines[-1].source, self.lines[-1].state) == (self.line, "left"):
            return  # what stands on one line is left once
        self.lines.append(BroughtLine(f"# left: {self.originals[self.line]}", self.line, "left", reason))
        self.lines.append(BroughtLine(f"#   {reason}", self.line, "left", reason))

    def _texts(self, statement: Statement) -> list[str]:
        if statement.block:
            raise UnsayableError(
                f"a `{statement.block}` has no form of its own: `total`, a window or `carry` does most of it"
            )
        tokens = _undeclared(statement.tokens)
        place = _assignment(tokens)
        if place is not None:
            return [self._definition(tokens, place)]
        call = call_of(tokens)
        if call is None:
            raise UnsayableError("this is no assignment, call or condition that is known here")
        if not statement.under:
            titled = call.text if call.says("strategy", "indicator", "study", "script", "title") else None
            if titled and not self.has_title:
                self.has_title = True
                return [f'title "{_quoted(titled)}"']
            if titled:
                return [f'note "{_quoted(titled)}"']
            shown = shown_of(call, self.around)
            if shown is not None:
                return shown
        return rule_of(call, self._conditions(statement), self.around)

    def _conditions(self, statement: Statement) -> str:
        """The conditions around a statement as one; empty without any."""
        parts = []
        for around, is_no in statement.under:
            text = said(_without_brackets(around), self.around)
            if is_no:
                parts.append(f"not ({text})" if " " in text else f"not {text}")
            else:
                parts.append(f"({text})" if re.search(r"\bor\b", text) and len(statement.under) > 1 else text)
        return " and ".join(parts)

    def _definition(self, tokens: Sequence[Token], place: int) -> str:
        """`name = expression`, or an input."""
        target, value = tokens[0], tokens[place + 1 :]
        if target.text in self.changed:
            raise UnsayableError(f"`{target.text}` changes as the text goes on: write it as a `carry`")
        name = _free(target.text, set(self.around.names.values()))
        found = input_of(name, call_of(value), self.around)
        text = found if found is not None else f"{name} = {said(value, self.around)}"
        self.around.names[target.text] = name
        return text


def _without_brackets(tokens: Sequence[Token]) -> Sequence[Token]:
    """A condition without brackets around all of it."""
    depth = 0
    for place, token in enumerate(tokens):
        depth += (token.text == "(") - (token.text == ")") if token.kind == "sign" else 0
        if depth == 0:
            return tokens[1:-1] if place == len(tokens) - 1 and len(tokens) > 2 and tokens[0].text == "(" else tokens
    return tokens


def _changed(statements: Sequence[Statement]) -> frozenset[str]:
    """The names that get more than one meaning, or one under a condition or in a loop."""
    seen: set[str] = set()
    found: set[str] = set()
    for statement in statements:
        tokens = _undeclared(statement.tokens)
        place = _assignment(tokens)
        if place is None:
            continue
        name = tokens[0].text
        if name in seen or statement.under or statement.block or tokens[place].text not in ("=", ":=", "<-"):
            found.add(name)
        seen.add(name)
    return frozenset(found)


def _undeclared(tokens: Sequence[Token]) -> list[Token]:
    """A statement without the words that only declare."""
    found = list(tokens)
    while len(found) > 1 and found[0].text.lower() in _DECLARING and found[1].kind == "name":
        found = found[1:]
    return found


def _assignment(tokens: Sequence[Token]) -> int | None:
    """The place of the sign that gives a name its meaning."""
    if not tokens or tokens[0].kind != "name":
        return None
    signs = ("=", ":=", "<-", "+=", "-=", "*=", "/=")
    if len(tokens) > 2 and tokens[1].text in signs:
        return 1
    if len(tokens) > 4 and tokens[1].text == ":" and tokens[2].kind == "name" and tokens[3].text in signs:
        return 3
    return None


def _free(name: str, taken: set[str]) -> str:
    """A name as Skelb can have it."""
    found = re.sub(r"\W", "_", name)
    function = FUNCTIONS.get(found)
    may_be_taken = function is not None and any(item.default is None for item in function.parameters)
    if found in WORDS or found in BUILT_INS or found in POSITION_NAMES or (function is not None and not may_be_taken):
        found = f"my_{found}"
    while found in taken:
        found += "_"
    return found


def _quoted(text: str) -> str:
    return text.replace('"', "'")


def _sound(lines: Sequence[BroughtLine], originals: Sequence[str]) -> list[BroughtLine]:
    """The lines with what the checker does not let pass mended where that is sure, else left as a comment."""
    found = list(lines)
    for _ in range(_MOST_ROUNDS):
        text = "".join(f"{line.text}\n" for line in found)
        errors = [item for item in check(text).diagnostics if item.severity == "error"]
        if not errors:
            return found
        mends = [Edit(item.mend.span, item.mend.text) for item in errors if item.mend]
        mended = applied(text, mends).split("\n")[:-1] if mends else []
        if len(mended) == len(found):
            found = [replace(line, text=fresh) for line, fresh in zip(found, mended, strict=True)]
            continue
        found = _without(found, _wrong(found, errors, text), originals)
    every = {number: _TANGLED for number, line in enumerate(found) if not line.text.startswith("#")}
    return _without(found, every, originals)


def _wrong(lines: Sequence[BroughtLine], errors: Sequence[Diagnostic], text: str) -> dict[int, str]:
    """The lines that cannot stay, by number, with the reason: those with a mistake, and those that stand on them."""
    places, wrong = LineMap(text), dict[int, str]()
    for item in errors:
        wrong.setdefault(places.place(item.span[0]).line - 1, item.message)
    gone: set[str] = set()
    for number, line in enumerate(lines):
        code = re.sub(r'"[^"]*"|#.*', "", line.text)
        standing_on = next((name for name in re.findall(r"\w+", code) if name in gone), None)
        if standing_on is not None:
            wrong.setdefault(number, f"`{standing_on}` is left")
        defined = _DEFINED.match(code)
        if defined and number in wrong:
            gone.add(defined[1])
    return wrong


def _without(lines: Sequence[BroughtLine], wrong: Mapping[int, str], originals: Sequence[str]) -> list[BroughtLine]:
    found: list[BroughtLine] = []
    for number, line in enumerate(lines):
        if number not in wrong:
            found.append(line)
            continue
        told = originals[line.source] if line.source else line.text
        found.append(BroughtLine(f"# left: {told}", line.source, "left", wrong[number]))
        found.append(BroughtLine(f"#   {wrong[number]}", line.source, "left", wrong[number]))
    return found
