"""A cursor over the tokens of one statement, with the mistakes every part of the grammar can meet."""

from collections.abc import Collection

from skelb.core.catalogue import FUNCTIONS, WORDS
from skelb.core.language.diagnostics import Mend, Mistake, Span
from skelb.core.language.reading.foreign import foreign_mistake
from skelb.core.language.reading.tokens import Token, tokenize, unreadable

DEEPEST = 60
_CLOSER = {"(": ")", "[": "]", "{": "}"}
_SINGULAR = {"bars": "bar", "days": "day", "units": "unit", "entries": "entry", "losses": "loss"}


class Reader:
    """The tokens of one statement and how far they have been read."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = tokenize(text)
        self.at = 0
        self.now = self.tokens[0]  # the next token to read; an attribute, as it is asked for very often
        self.depth = 0

    def ahead(self, count: int = 1) -> Token:
        """The token `count` places on, the end token past the last."""
        return self.tokens[min(self.at + count, len(self.tokens) - 1)]

    def advance(self) -> Token:
        """Read one token."""
        token = self.now
        if token.kind in ("quote", "stray"):
            raise unreadable(token) or AssertionError
        if token.kind != "end":
            self.at += 1
            self.now = self.tokens[self.at]
        return token

    def after_bracket(self) -> Token:
        """The token after the bracket that opens here closes; the end token when it never does."""
        depth = 0
        for index in range(self.at, len(self.tokens)):
            text = self.tokens[index].text
            if self.tokens[index].kind == "op":
                depth += (text in _CLOSER) - (text in _CLOSER.values())
            if depth == 0:
                return self.tokens[min(index + 1, len(self.tokens) - 1)]
        return self.tokens[-1]

    @property
    def last_end(self) -> int:
        """Where the token read last ends."""
        return self.tokens[self.at - 1].end if self.at else 0

    def is_word(self, *words: str) -> bool:
        """Whether the next token is one of these words."""
        return self.now.text in words and self.now.kind == "name"

    def is_sign(self, *signs: str) -> bool:
        """Whether the next token is one of these signs."""
        return self.now.text in signs and self.now.kind == "op"

    def accept_word(self, *words: str) -> Token | None:
        """Read the next token if it is one of these words."""
        return self.advance() if self.now.text in words and self.now.kind == "name" else None

    def accept_sign(self, *signs: str) -> Token | None:
        """Read the next token if it is one of these signs."""
        return self.advance() if self.now.text in signs and self.now.kind == "op" else None

    def missing(self, what: str, help: str = "") -> Mistake:
        """The mistake of something else standing where `what` is needed."""
        foreign = foreign_mistake(self.text, self.tokens, self.at)
        if foreign:
            return foreign
        broken = unreadable(self.now)
        if broken:
            return broken
        if self.now.kind == "end":
            return Mistake("S0101", (self.last_end, self.last_end), f"{what} is missing at the end of this", None, help)
        return Mistake("S0101", self.now.span, f"{what} is needed here, not `{self.now.text}`", None, help)

    def need_word(self, words: Collection[str], what: str) -> Token:
        """Read one of these words, or say that `what` is missing."""
        if self.now.kind == "name" and self.now.text in words:
            return self.advance()
        if self.now.kind == "name" and self.now.text.lower() in words:
            right = self.now.text.lower()
            raise Mistake("S0109", self.now.span, f"`{self.now.text}` is written `{right}`", Mend(right, self.now.span))
        raise self.missing(what)

    def need_unit(self, *units: str) -> str:
        """Read one of these units, in the singular too, and return it as given here; or say that it is missing."""
        one_of = {_SINGULAR[unit]: unit for unit in units if unit in _SINGULAR} | {unit: unit for unit in units}
        listed = (
            " or ".join((", ".join(f"`{unit}`" for unit in units[:-1]), f"`{units[-1]}`"))
            if units[1:]
            else f"`{units[0]}`"
        )
        return one_of[self.need_word(one_of, listed).text]

    def need_sign(self, sign: str, what: str) -> Token:
        """Read this sign, or say that `what` is missing."""
        found = self.accept_sign(sign)
        if not found:
            raise self.missing(what)
        return found

    def need_text(self, what: str) -> str:
        """Read a quoted text and return what is inside."""
        if self.now.kind != "text":
            raise self.missing(what, 'A text stands in double quotes: "like this".')
        return self.advance().text[1:-1].replace('\\"', '"')

    def close(self, opened: Token) -> Token:
        """Read the bracket that closes `opened`."""
        closer = _CLOSER[opened.text]
        found = self.accept_sign(closer)
        if found:
            return found
        if self.is_sign("="):
            raise self.lone_equals()
        if self.now.kind == "end":
            end = self.last_end
            raise Mistake(
                "S0103",
                opened.span,
                f"this `{opened.text}` is never closed",
                None,
                f"Add `{closer}` after column {end} of the statement.",
            )
        raise self.missing(f"`{closer}` to close the bracket")

    def lone_equals(self) -> Mistake:
        """The mistake of `=` where a comparison is meant, or where an argument is named as elsewhere."""
        place = self.tokens.index(self.now)
        if place > 1 and self.tokens[place - 1].kind == "name" and self.tokens[place - 2].text in ("(", ","):
            name, function = self.tokens[place - 1].text, self._called(place)
            known = function in FUNCTIONS and any(item.name == name for item in FUNCTIONS[function].parameters)
            return Mistake(
                "S0107",
                self.now.span,
                f"arguments are named with `:`, so `{name}:`",
                Mend(":", self.now.span) if known else None,
                f"As in `bollinger(close, 20, f: 2)`; where equality is meant, write `{name} ==`.",
            )
        return Mistake("S0107", self.now.span, "`=` stands inside an expression", Mend("==", self.now.span))

    def _called(self, place: int) -> str:
        """The name before the bracket that is open at a token; empty when there is none."""
        depth = 0
        for token in reversed(self.tokens[1:place]):
            depth += (token.text == ")") - (token.text == "(")
            if depth < 0:
                return self.tokens[self.tokens.index(token) - 1].text
        return ""

    def finish(self) -> None:
        """Check that the statement is complete."""
        if self.now.kind == "end":
            return
        broken = unreadable(self.now)
        foreign = foreign_mistake(self.text, self.tokens, self.at)
        if foreign:
            raise foreign
        if broken:
            raise broken
        if self.is_sign("="):
            raise self.lone_equals()
        if self.is_sign(")", "]", "}"):
            raise Mistake("S0103", self.now.span, f"this `{self.now.text}` closes nothing", Mend("", self.now.span))
        word = self.now.text.lower()
        if self.now.kind == "name" and word != self.now.text and word in WORDS:
            raise Mistake("S0109", self.now.span, f"`{self.now.text}` is written `{word}`", Mend(word, self.now.span))
        span: Span = (self.now.start, self.tokens[-1].end)
        raise Mistake(
            "S0105",
            span,
            f"`{self.text[span[0] : span[1]][:40]}` is left over",
            self._text_alone(),
            self._help_for_rest(),
        )

    def _text_alone(self) -> Mend | None:
        """`text "…"` and the like: the text stands without a word before it."""
        if self.is_word("text", "label", "message", "title", "name") and self.ahead().kind == "text":
            return Mend("", (self.now.start, self.ahead().start))
        return None

    def _help_for_rest(self) -> str:
        """What to write instead of what is left over at the end of a statement."""
        if self._text_alone():
            return "Write the text alone, in quotes; a rule's name stands after `named`."
        if self.is_word("if"):
            return "A choice stands in brackets: `(a if c else b)`; a rule that depends on inputs ends in `only if …`."
        if self.now.kind == "text":
            return 'A rule\'s name is written `named "…"`.'
        if self.is_word("and", "or"):
            return "Put the parts of the condition in brackets."
        return "One statement stands on one line: what goes on below is joined by `and`, `or` or an open bracket."
