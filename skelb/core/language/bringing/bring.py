"""A text in another notation as a Skelb script: line by line what is sure, what is asked, and what is left."""

import re
from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from typing import Literal

from skelb.core.language.bringing.calls import call_of, in_words, rule_of, shown_of
from skelb.core.language.bringing.changing import (
    ASSIGNING,
    Given,
    asks,
    assignment,
    base_of,
    can_be_said,
    chains_of,
    earlier,
    given_anywhere,
    given_often,
    held_choices,
    is_kept,
    is_nothing,
    own_branch,
    undeclared,
    uses_earlier,
    with_earlier,
)
from skelb.core.language.bringing.expressions import Surroundings, UnsayableError, said, said_condition
from skelb.core.language.bringing.functions import FUNCTION_WORDS, define_of, is_function
from skelb.core.language.bringing.inputs import input_of
from skelb.core.language.bringing.names import free
from skelb.core.language.bringing.statements import Statement, statements_of
from skelb.core.language.bringing.tokens import Token
from skelb.core.language.bringing.words import UNKNOWN, says, source_of
from skelb.core.language.check import check
from skelb.core.language.checking.prices import Sort, sort_of
from skelb.core.language.diagnostics import Diagnostic, LineMap
from skelb.core.language.tools.edits import Edit, applied

_MOST_ROUNDS = 40
_TURNED = {"position is flat": "position is not flat", "position is not flat": "position is flat"}
_FETCHING = ("import", "from", "using", "include", "package", "namespace")
_MOST_NEEDED = 50  # lines that are looked at to tell what an expression is
_LONGEST_RETURN = 2  # the word, and the name of what is given back
_LONGEST = 1_000  # characters of one definition
_TANGLED = "what is wrong in this text hangs together in too many ways to be sorted out"
_DEFINED = re.compile(r"(?:input |carry |define )?(\w+)(?:\([^)]*\))? = ")
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
    often = given_often([item for item in statements if not item.block])
    looped = set(given_anywhere(item for item in statements if item.block and item.block not in FUNCTION_WORDS))
    work = _Work(source, answers or {}, often, looped, statements)
    at = 0
    while at < len(statements):
        end = at + 1
        while statements[at].head and end < len(statements) and statements[end].head == statements[at].head:
            end += 1
        work.take(statements[at:end])
        at = end
    return Brought(tuple(_sound(work.ordered(), work.originals)), tuple(work.questions.values()))


@dataclass
class _Work:
    source: str
    answers: Mapping[str, int]
    often: Mapping[str, list[Given]]
    looped: Set[str]
    statements: Sequence[Statement]
    lines: list[BroughtLine] = field(default_factory=list)
    questions: dict[str, Question] = field(default_factory=dict)
    around: Surroundings = field(default_factory=Surroundings)
    defined: dict[str, int] = field(default_factory=dict)
    seen: int = 0
    has_title: bool = False
    line: int = 0
    asked: bool = False

    def __post_init__(self) -> None:
        self.originals = ["", *(text.strip() for text in self.source.split("\n"))]
        self.around.ask = self.ask
        self.around.sort_of = self.sort_of
        places = given_anywhere(self.statements)
        self.around.given = frozenset(places)
        self.around.later = {
            name: given[0].value
            for name, given in places.items()
            if len(given) == 1 and name not in self.often and not given[0].statement.block
        }
        self.around.counts = counting_of(self.statements)
        self.around.sells_short = any(opens_short(item.tokens) for item in self.statements)

    def ask(self, what: str, sentence: str, choices: Sequence[tuple[str, str]]) -> str:
        """What a doubtful place comes to: the choice that was answered, the first where no such choice was."""
        chosen = self.answers.get(what, 0)
        if chosen not in range(len(choices)):
            chosen = 0
        first = self.questions[what].line if what in self.questions else self.line
        self.questions[what] = Question(what, first, sentence, tuple(words for words, _ in choices), chosen)
        self.asked = True
        return choices[chosen][1]

    def sort_of(self, text: str) -> Sort:
        """Whether an expression is a price."""
        before = self._standing_on(text)
        if before is None:
            return "unsure"
        found = check(f"{before}probe = {text}\n")
        probe = found.definitions.get("probe")
        return "unsure" if probe is None else sort_of(probe.value, found)

    def _standing_on(self, text: str) -> str | None:
        """The lines so far that an expression stands on; None where they are many."""
        for number in range(self.seen, len(self.lines)):
            defined = _DEFINED.match(self.lines[number].text)
            if defined:
                self.defined[defined[1]] = number
        self.seen = len(self.lines)
        needed: set[int] = set()
        coming = [text]
        while coming:
            numbers = {self.defined[name] for name in re.findall(r"\w+", coming.pop()) if name in self.defined} - needed
            needed |= numbers
            if len(needed) > _MOST_NEEDED:
                return None
            coming += [self.lines[number].text for number in numbers]
        return "".join(f"{self.lines[number].text}\n" for number in sorted(needed))

    def take(self, statements: Sequence[Statement]) -> None:
        """Bring one statement over, or a block with all that stands in it."""
        statement = statements[0]
        self.line, self.asked = statement.line, False
        if is_function(statement):
            try:
                text = define_of(statements, self.around)
                self.lines.append(BroughtLine(text, statement.line, "asked" if self.asked else "sure"))
                return
            except UnsayableError as exc:
                if not statement.block:
                    self._leave(str(exc))
                    return
        for item in statements:
            self._take(item)

    def _take(self, statement: Statement) -> None:
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
        tokens = undeclared(statement.tokens)
        place = assignment(tokens)
        if place is not None:
            return self._definition(statement, tokens, place)
        if len(tokens) < len(statement.tokens) and all(item.kind == "name" or item.text == "," for item in tokens):
            return []  # names that are only declared
        first = tokens[0].text.lower() if tokens else ""
        is_bare = len(tokens) > 1 and tokens[1].kind == "name"
        if (first == "return" and len(tokens) <= _LONGEST_RETURN and not statement.under) or (
            first in _FETCHING and is_bare
        ):
            return []  # what a program gives back, and what it is made of, has no place in a script
        call = call_of(tokens) or in_words(tokens)
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
            text = said_condition(_without_brackets(around), self.around)
            if is_no and text in _TURNED:
                parts.append(_TURNED[text])
            elif is_no:
                parts.append(f"not ({text})" if " " in text else f"not {text}")
            else:
                parts.append(f"({text})" if re.search(r"\bor\b", text) and len(statement.under) > 1 else text)
        return " and ".join(parts)

    def _definition(self, statement: Statement, tokens: Sequence[Token], place: int) -> list[str]:
        """`name = expression`, an input, or what a name comes to that gets its value in several places."""
        target, value = tokens[0].text, tokens[place + 1 :]
        if target in self.looped:
            raise UnsayableError(f"`{target}` changes in a loop: `total`, a window or `carry` says most of it")
        name = self.around.names.get(target) or free(target, set(self.around.names.values()))
        if target in self.often:
            return self._changing(statement, target, name)
        found = input_of(name, call_of(value), self.around)
        text = found if found is not None else f"{name} = {said(value, self.around)}"
        if found is None and asks(statement.tokens):
            text = f"input {text}"
        self.around.names[target] = name
        return [text]

    def _changing(self, statement: Statement, target: str, name: str) -> list[str]:
        """The one definition of a name that gets its value in several places, written at the last of them."""
        places = self.often[target]
        base = base_of(places)
        if base is None or not can_be_said(target, places, self.statements):
            raise UnsayableError(f"`{target}` changes as the text goes on: write it as a `carry`")
        if places[-1].statement is not statement:
            return []
        own = with_earlier(places, target)
        if any(uses_earlier(item, target) for item in own):
            text = self._running(target, name, own, own[places.index(base)])
            self.around.names[target] = name
            return [text]
        others = [item for item in places if item is not base]
        start = f"({UNKNOWN})" if is_nothing(base.value) else said(base.value, self.around)
        begun = self._folded(target, start, others)
        gone_on = self._folded(target, name, others)
        anew = f"{name} = {begun}"
        if base is places[-1] or begun == gone_on:  # nothing is left of the bar before
            self.around.names[target] = name
            return [anew]
        ways = [
            ("it begins anew on every bar", anew),
            ("it is kept from bar to bar", f"carry {name} = {gone_on} starting {begun}"),
        ]
        sentence = f"`{target}` gets its value in {len(places)} places."
        text = self.ask(target, sentence, ways[::-1] if is_kept(target, places) else ways)
        self.around.names[target] = name
        return [text]

    def _running(self, target: str, name: str, places: Sequence[Given], base: Given) -> str:
        """The definition of a name that is made from its own value one bar earlier."""
        others = [item for item in places if item is not base]
        own = earlier(target)
        try:
            self.around.names[own] = name
            if not uses_earlier(base, target) and not is_nothing(base.value):
                start = said(base.value, self.around)
                return f"carry {name} = {self._folded(target, start, others)} starting {start}"
            choices = None if others else held_choices(base.value, target)
            if choices is not None:
                conditions = [said_condition(condition, self.around) for condition, _ in choices]
                *firsts, last = [said(value, self.around) for _, value in choices]
                value = last
                for first, condition in zip(reversed(firsts), reversed(conditions[:-1]), strict=True):
                    value = f"({first} if {condition} else {value})"
                asked = [
                    f"({text})" if re.search(r"\b(and|or)\b", text) and len(conditions) > 1 else text
                    for text in conditions
                ]
                return f"{name} = hold({value}, {' or '.join(asked)})"
            start = f"({UNKNOWN})" if is_nothing(base.value) else said(base.value, self.around)
            going_on = self._folded(target, start, others)
            ways = []
            for nothing in (f"({UNKNOWN})", "no"):  # as it is a number or a condition
                self.around.names[own] = nothing
                start = nothing if is_nothing(base.value) else said(base.value, self.around)
                begun = self._folded(target, start, others)
                ways.append(f"carry {name} = {going_on} starting {begun}")
            return ways[0] if self._is_sound(ways[0]) else ways[1]
        finally:
            self.around.names.pop(own, None)

    def _is_sound(self, line: str) -> bool:
        """Whether a line has no mistake, as far as that is soon told."""
        before = self._standing_on(line.partition(" = ")[2])
        return before is None or check(before + line).is_sound

    def _folded(self, target: str, start: str, others: Sequence[Given]) -> str:
        """What a name comes to after places that give it a value under conditions, one after the other."""
        now = start
        try:
            for chain in chains_of(others):
                self.around.names[target] = _bracketed(now)
                for item in reversed(chain):
                    value = said(item.value, self.around)
                    if item.sign in ASSIGNING[3:]:
                        value = f"{self.around.names[target]} {item.sign[0]} {_bracketed(value)}"
                    statement = item.statement if len(chain) == 1 else own_branch(item, chain[0])
                    condition = self._conditions(statement)
                    now = f"({value} if {condition} else {now})" if condition else value
                    if len(now) > _LONGEST:
                        raise UnsayableError(f"`{target}` changes in too many places: give some of them names")
        finally:
            self.around.names.pop(target, None)  # on the way the name means what it is so far
        return now


def opens_short(tokens: Sequence[Token]) -> bool:
    """Whether a statement gives an order that opens a short position in other words than `sell` alone."""
    if not tokens or tokens[0].kind != "name" or assignment(undeclared(tokens)) is not None:
        return False
    words = [token.text for token in tokens[:2] if token.kind == "name"]
    ordering = says(words[0], "sell", "short", "enter", "open", "go")
    return ordering and any(says(word, "short") for word in words) and not says(words[0], "exit", "close", "cover")


def counting_of(statements: Sequence[Statement]) -> Literal["asked", "earlier", "newest"]:
    """What a number behind a name counts in a text: bars back where a price has one, or a list from its end."""
    found = set()
    for statement in statements:
        for tokens in (statement.tokens, *(under for under, _ in statement.under)):
            for at, token in enumerate(tokens):
                told = [item.text for item in tokens[at : at + 4]]
                if token.kind != "name" or told[1:2] != ["["]:
                    continue
                if told[2:3] == ["-"]:
                    found.add("-" if told[3:] == ["1"] else "-2")
                elif source_of(token.text):
                    found.add("earlier")
                elif told[2:] == ["0", "]"]:
                    found.add("0")
    if "earlier" in found or {"-", "0"} <= found:
        return "earlier"
    return "newest" if "-2" in found else "asked"


def _without_brackets(tokens: Sequence[Token]) -> Sequence[Token]:
    """A condition without brackets around all of it."""
    depth = 0
    for place, token in enumerate(tokens):
        depth += (token.text == "(") - (token.text == ")") if token.kind == "sign" else 0
        if depth == 0:
            return tokens[1:-1] if place == len(tokens) - 1 and len(tokens) > 2 and tokens[0].text == "(" else tokens
    return tokens


def _bracketed(text: str) -> str:
    """A text for a place inside another: one word or call as it is."""
    depth, closes = 0, len(text)
    for place, sign in enumerate(text):
        depth += (sign == "(") - (sign == ")")
        if sign == ")" and depth == 0:
            closes = min(closes, place + 1)
    is_one = closes == len(text) and re.match(r"\w*\(", text)
    return text if is_one or re.fullmatch(r"[\w.]+", text) else f"({text})"


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
