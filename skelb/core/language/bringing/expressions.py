"""Expressions in another notation to Skelb's: operators, choices, earlier values, calls by the trade's words."""

import re
from collections.abc import Callable, Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from typing import Literal

from skelb.core.catalogue import BUILT_INS, FUNCTIONS
from skelb.core.language.bringing.tokens import Token
from skelb.core.language.bringing.words import (
    NOTHINGS,
    UNKNOWN,
    crossing_of,
    function_of,
    parts_of,
    position_of,
    says,
    source_of,
)
from skelb.core.language.checking.prices import Sort

# How tightly a written expression binds, loosest first; a part that binds looser than its place stands in brackets.
_STEPS, _OR, _AND, _NOT, _RELATION, _SUM, _PRODUCT, _SIGN, _WHOLE = range(9)
_BINARY = {
    **dict.fromkeys(("||", "or", "|"), ("or", _OR)),
    **dict.fromkeys(("&&", "and", "&"), ("and", _AND)),
    **{sign: (sign, _RELATION) for sign in ("<", ">", "<=", ">=", "==", "!=")},
    **{"=>": (">=", _RELATION), "=": ("==", _RELATION), "<>": ("!=", _RELATION)},
    **{"+": ("+", _SUM), "-": ("-", _SUM), "*": ("*", _PRODUCT), "/": ("/", _PRODUCT)},
    "%": ("%", _PRODUCT),
    **dict.fromkeys(("**", "^"), ("^", _SIGN)),
}
_WORDED = {
    **dict.fromkeys((f"{word} {side}" for word in ("crosses", "cross") for side in ("above", "over")), "crosses above"),
    **dict.fromkeys(
        (f"{word} {side}" for word in ("crosses", "cross") for side in ("below", "under")), "crosses below"
    ),
    **dict.fromkeys(("above", "is above", "over", "is over", "greater than", "is greater than"), ">"),
    **dict.fromkeys(("below", "is below", "under", "is under", "less than", "is less than"), "<"),
}
"""Comparisons in plain words."""
_MOST_PARTS = 150
_TRUTHS = {"true": "yes", "false": "no", "yes": "yes", "no": "no"}
_HIGHER = ("timeframe", "higher", "longer", "resample")
_UNITS = {
    "m": "m",
    "min": "m",
    "t": "m",
    "h": "h",
    "hour": "h",
    "d": "d",
    "day": "d",
    "daily": "d",
    "w": "w",
    "week": "w",
    "weekly": "w",
}
_PLACES = ("symbol", "ticker", "market", "instrument")
_WINDOWS = ("rolling", "window", "ewm")
_CHOOSING = ("where", "iff", "iif", "ifelse", "choose", "select", "cond")
_KNOWN_OR = ("coalesce", "fillna", "ifnull", "ifna")
_SOURCES_OF_CALLS = ("source", "src", "series", "input", "values", "price", "data")
_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_KINDS = next(item.words for item in FUNCTIONS["average"].parameters if item.kind == "word")
_SERIES_FIRST = frozenset("sma ema wma hma dema tema kama rsi stdev highest lowest sum median gain roc".split())


class UnsayableError(Exception):
    """What cannot be said in Skelb, with the reason."""


@dataclass(frozen=True)
class Said:
    """An expression as Skelb text, and how tightly it binds."""

    text: str
    binds: int = _WHOLE

    def within(self, least: int) -> str:
        """The text for a place that needs parts that bind at least so tightly."""
        return self.text if self.binds >= least else f"({self.text})"


@dataclass
class Surroundings:
    """What an expression may use: names and functions brought over already, by their spelling, and whom to ask.

    `given` are the names that the text gives a meaning: those not among `names` were left; `later` the values
    of those that get one, once, on every bar: read before that, it is the one of the bar before. `counts` is what
    `x[1]` and `x[-1]` count: bars back, a list that ends with the newest, or that is asked; `sells_short` is whether
    another word than `sell` opens a short position; `entered` are the sides of entries by their labels. `sort_of` tells
    whether a Skelb expression is a price.
    `ask` takes what is doubtful, the choices and what each gives; it returns the text of the one that holds.
    """

    names: dict[str, str] = field(default_factory=dict)
    functions: dict[str, str] = field(default_factory=dict)
    given: Set[str] = frozenset()
    later: Mapping[str, tuple[Token, ...]] = field(default_factory=dict)
    counts: Literal["asked", "earlier", "newest"] = "asked"
    sells_short: bool = False
    sort_of: Callable[[str], Sort] = lambda text: "unsure"
    entered: dict[str, str] = field(default_factory=dict)
    ask: Callable[[str, str, Sequence[tuple[str, str]]], str] = lambda what, sentence, choices: choices[0][1]


def as_condition(x: Said) -> Said:
    """What is asked where a value stands for a condition: whether there is a position."""
    return Said("position is not flat", _RELATION) if x.text == "position" else x


def said_condition(tokens: Sequence[Token], around: Surroundings) -> str:
    """Tokens as one Skelb condition. Raises UnsayableError where they cannot be one."""
    return as_condition(Said(said(tokens, around))).text


def said(tokens: Sequence[Token], around: Surroundings) -> str:
    """Tokens as one Skelb expression. Raises UnsayableError where they cannot be one."""
    reader = _Reader([token for token in tokens if token.kind not in ("line", "comment")], around)
    found = reader.choice()
    if reader.now is not None:
        raise UnsayableError(f"`{reader.now.text}` stands where the expression should end")
    return found.text


class _Reader:
    def __init__(self, tokens: list[Token], around: Surroundings) -> None:
        self._tokens, self._at, self._around = tokens, 0, around
        self._depth = 0

    @property
    def now(self) -> Token | None:
        return self._tokens[self._at] if self._at < len(self._tokens) else None

    def _is(self, *texts: str) -> bool:
        return self.now is not None and self.now.text.lower() in texts and self.now.kind in ("sign", "name")

    def _take(self) -> Token:
        if self.now is None:
            raise UnsayableError("the expression ends too soon")
        self._at += 1
        return self._tokens[self._at - 1]

    def _accept(self, *texts: str) -> bool:
        if self._is(*texts):
            self._at += 1
            return True
        return False

    def _need(self, text: str) -> None:
        if not self._accept(text):
            raise UnsayableError(f"`{text}` is missing" + (f" before `{self.now.text}`" if self.now else ""))

    def choice(self) -> Said:
        """`c ? a : b`, `a if c else b`, or something without a choice."""
        self._go_deeper()
        found = self._binary(_OR)
        if self._accept("?"):
            found = as_condition(found)
            yes = self._arm()
            self._need(":")
            no = self._arm()
            return Said(f"({yes.within(_OR)} if {found.within(_OR)} else {no.within(_OR)})")
        if self._accept("if"):
            condition = as_condition(self._binary(_OR))
            self._need("else")
            no = self._arm()
            return Said(f"({found.within(_OR)} if {condition.within(_OR)} else {no.within(_OR)})")
        return found

    def _arm(self) -> Said:
        """What a choice comes to, which may be nothing."""
        after = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else None
        if self._is(*NOTHINGS) and (after is None or after.text not in ("(", ".", "[")):
            self._at += 1
            return Said(UNKNOWN, _PRODUCT)
        return self.choice()

    def _binary(self, least: int) -> Said:
        found = self._unary()
        while (following := self._operator()) is not None:
            operator, binds, count = following
            if binds < least:
                break
            self._at += count
            right = self._binary(binds + 1)
            if binds == _RELATION and found.binds == _RELATION:
                raise UnsayableError("a comparison follows another: it cannot be told how they are meant")
            if operator == "%":
                whole = f"floor({found.within(_PRODUCT)} / {right.within(_SIGN)})"
                found = Said(f"{found.within(_SUM)} - {right.within(_SIGN)} * {whole}", _SUM)
                continue
            if binds in (_AND, _OR):
                found, right = as_condition(found), as_condition(right)
            named = self._named(found, operator, right) if binds == _RELATION else None
            found = named or Said(f"{found.within(binds)} {operator} {right.within(binds + 1)}", binds)
        return found

    def _operator(self) -> tuple[str, int, int] | None:
        """The operator that comes next, how tightly it binds, and how many tokens it is of."""
        coming = self._tokens[self._at : self._at + 3]
        for count in range(len(coming), 0, -1):
            worded = _WORDED.get(" ".join(token.text.lower() for token in coming[:count] if token.kind == "name"))
            if worded and all(token.kind == "name" for token in coming[:count]):
                return worded, _RELATION, count
        if coming and coming[0].kind in ("sign", "name") and coming[0].text.lower() in _BINARY:
            return *_BINARY[coming[0].text.lower()], 1
        return None

    def _named(self, x: Said, operator: str, y: Said) -> Said | None:
        """A comparison with a number that stands for a word: a side, a weekday, a month, a time; None for others."""
        if y.text in _TRUTHS.values() and operator in ("==", "!="):
            return x if (y.text == "yes") == (operator == "==") else Said(f"not {x.within(_RELATION)}", _NOT)
        if y.text in _KINDS and operator in ("==", "!="):
            return Said(f"{x.text} is {'' if operator == '==' else 'not '}{y.text}", _RELATION)
        number = int(y.text) if y.text.removeprefix("-").isdigit() else None
        if number is None:
            return None
        if x.text == "position" and abs(number) == 1 and operator in ("==", "!="):
            side = f"position is {'' if operator == '==' else 'not '}{'long' if number == 1 else 'short'}"
            meant = (("its side", side), ("so many units", f"(position {operator} {number})"))
            return Said(self._around.ask("position", "A position is compared with a number here.", meant), _RELATION)
        if x.text == "position" and number == 0:
            words = {"==": "flat", ">": "long", "<": "short", "!=": "not flat"}
            return Said(f"position is {words[operator]}", _RELATION) if operator in words else None
        if x.text == "month" and 1 <= number <= len(_MONTHS):
            return _among("month", operator, number - 1, _MONTHS)
        if x.text == "weekday" and 0 <= number <= len(_DAYS):
            from_sunday = (_DAYS[-1], *_DAYS[:-1])
            ways = (
                ("Monday is 1", number - 1, _DAYS),
                ("Monday is 0", number, _DAYS),
                ("Sunday is 1", number - 1, from_sunday),
            )
            said = [(told, _among("weekday", operator, place, days).within(_RELATION)) for told, place, days in ways]
            sentence = "Weekdays are numbers here, which may be counted in several ways."
            return Said(self._around.ask("weekday", sentence, said), _RELATION)
        hour, minute = divmod(number, 100)
        if x.text == "time" and 0 <= hour < 24 and minute < 60:
            return Said(f"time {operator} {hour:02d}:{minute:02d}", _RELATION)
        return None

    def _go_deeper(self) -> None:
        self._depth += 1
        if self._depth > _MOST_PARTS:
            raise UnsayableError(f"this has more than {_MOST_PARTS} parts: give some of them names")

    def _unary(self) -> Said:
        self._go_deeper()
        if self._accept("!", "not"):
            asked = self._binary(_RELATION)
            if asked.text in ("position", "position is not flat"):
                return Said("position is flat", _RELATION)
            return Said(f"not {asked.within(_RELATION)}", _NOT)
        if self._accept("-"):
            return Said(f"-{self._unary().within(_SIGN)}", _SIGN)
        if self._accept("+"):
            return self._unary()
        return self._postfix()

    def _postfix(self) -> Said:
        token = self.now
        found = self._primary()
        while self._is("[", "."):
            if self._take().text == ".":
                found = self._member(found)
                continue
            index = self.choice()
            self._need("]")
            found = self._earlier(token, found, index)
        return found

    def _member(self, x: Said) -> Said:
        """`x.gap` of a record, `x.shift(1)`, or a window such as `x.rolling(20).mean()`."""
        name = self._take()
        if not self._is("("):
            return Said(f"{x.within(_WHOLE)}.{name.text}")
        if says(name.text, *_WINDOWS):
            return self._window(x, name.text)
        given = self._arguments()
        arguments = [value for kind, value in given if kind != "text"]
        clipped = self._clipped(x, name.text, given)
        if clipped is not None:
            return clipped
        function = function_of(name.text)
        if function is None:
            raise UnsayableError(f"`{name.text}` has no word of the trade in it")
        if function in ("gain", "roc") and not arguments:
            arguments = [Said("1")]
        return self._called(function, [x, *arguments], name.text)

    def _clipped(self, x: Said, name: str, given: list[tuple[str | None, Said]]) -> Said | None:
        """`x.clip(lower=a)` and `x.pct_change()`; None for anything else."""
        words = parts_of(name)
        if words == ["clip"] and given and all(kind in ("lower", "upper") for kind, _ in given):
            found = x.text
            for kind, end in given:
                found = f"{'max' if kind == 'lower' else 'min'}({found}, {end.text})"
            return Said(found)
        if words == ["pct", "change"] and len(given) <= 1:
            before = f"prior({x.text}{''.join(f', {count.text}' for _, count in given)})"
            return Said(f"{x.within(_SIGN)} / {before} - 1", _SUM)
        return None

    def _window(self, x: Said, name: str) -> Said:
        """The window of so many values, and what is asked of it."""
        length = [value for kind, value in self._arguments() if kind != "text"][:1]
        if not length or not self._accept("."):
            raise UnsayableError(f"`{name}` is a window of which nothing is asked")
        asked = self._take().text
        self._arguments()
        function = function_of(asked)
        function = {"max": "highest", "min": "lowest", None: None}.get(function, function)
        if function is None:
            raise UnsayableError(f"`{asked}` has no word of the trade in it")
        return self._called("ema" if function == "sma" and says(name, "ew") else function, [x, *length], asked)

    def _earlier(self, token: Token | None, x: Said, index: Said) -> Said:
        """`x[1]`: the value one bar earlier, or an element of a list."""
        count = index.text.removeprefix("-")
        if not count.isdigit():
            return Said(f"prior({x.text}, {index.text})")
        if count == "0":
            return x
        name = token.text if token is not None else ""
        if index.text.startswith("-"):
            return self._from_end(x, int(count), name)
        told = f"prior({x.text}, {count})" if count != "1" else f"prior({x.text})"
        if source_of(name) or function_of(name) in _SERIES_FIRST or self._around.counts == "earlier":
            return Said(told)
        bars = "one bar" if count == "1" else f"{count} bars"
        return Said(
            self._around.ask(
                f"{name}[{index.text}]",
                f"`{name}[{index.text}]` may be read in two ways.",
                ((f"the value {bars} earlier", told), (f"element {count} of a list", f"unsayable_{name}")),
            )
        )

    def _from_end(self, x: Said, count: int, name: str) -> Said:
        """`x[-1]`: the newest value of a list, or one bar earlier."""

        def back(bars: int) -> str:
            return x.text if bars == 0 else f"prior({x.text})" if bars == 1 else f"prior({x.text}, {bars})"

        if self._around.counts == "earlier":
            return Said(back(count))
        if self._around.counts == "newest":
            return Said(back(count - 1))
        ends = "the newest value" if count == 1 else f"the value {count - 1} bars before the newest"
        ways = ((ends, back(count - 1)), (f"the value {count} bar{'s' * (count > 1)} earlier", back(count)))
        return Said(self._around.ask(f"{name}[-{count}]", f"`{name}[-{count}]` may be read in two ways.", ways))

    def _primary(self) -> Said:
        token = self._take()
        if token.kind == "number":
            return Said(f"{float(token.text.replace('_', '')):.15g}")
        if token.text == "(":
            found = self.choice()
            self._need(")")
            return (
                found
                if found.text.startswith("(") and found.binds == _WHOLE
                else Said(f"({found.text})")
                if found.binds < _WHOLE
                else found
            )
        kind = function_of(token.said) if token.kind == "text" else None
        if kind is not None:
            return Said(kind)
        if token.kind != "name":
            raise UnsayableError(f"`{token.text}` is no value here")
        if self._is("("):
            return self._call(token)
        return self._name(token)

    def _name(self, token: Token) -> Said:
        lower = token.text.lower()
        if token.text in self._around.names:
            return Said(self._around.names[token.text])
        later = self._around.later.get(token.text)
        if later and (token.line, token.column) < (later[0].line, later[0].column):
            return self._of_bar_before(token.text, later)
        if token.text in self._around.given:
            raise UnsayableError(f"`{token.text}` is left")
        if lower in _TRUTHS:
            return Said(_TRUTHS[lower])
        if lower in NOTHINGS:
            raise UnsayableError("there is no value that is nothing: ask with `known(x)`")
        if position_of(token.text) is not None:
            return _position(str(position_of(token.text)))
        head, _, last = token.text.rpartition(".")
        if head in self._around.names and last.lower() not in ("value",):
            return Said(f"{self._around.names[head]}.{last}")
        source = source_of(token.text)
        if source is not None:
            return Said(source)
        function = function_of(token.text)
        if function in FUNCTIONS and all(item.default is not None for item in FUNCTIONS[function].parameters):
            return Said(str(function))
        if token.text in BUILT_INS:
            return Said(token.text)
        raise UnsayableError(f"`{token.text}` is not known here")

    def _of_bar_before(self, name: str, value: Sequence[Token]) -> Said:
        """A name that gets its value further down: what stands here is still the one of the bar before."""
        try:
            now = said(value, replace(self._around, later={}))
        except UnsayableError:
            raise UnsayableError(f"`{name}` is left") from None
        sentence = "Names are read here before they get their values."
        same = now if now.isidentifier() else f"({now})"
        ways = (("they are those of the bar before", f"prior({now})"), ("they are of the same bar", same))
        return Said(self._around.ask("read before", sentence, ways))

    def _arguments(self) -> list[tuple[str | None, Said]]:
        self._need("(")
        found: list[tuple[str | None, Said]] = []
        while not self._accept(")"):
            name = None
            after = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else None
            if self.now is not None and self.now.kind == "name" and after is not None and after.text in ("=", ":"):
                name = self._take().text
                self._at += 1
            if self.now is not None and self.now.kind == "text":
                self._at += 1
                found.append((name or "text", Said("")))
            else:
                found.append((name, self.choice()))
            if not self._accept(","):
                self._need(")")
                break
        return sorted(found, key=lambda item: not (item[0] and says(item[0], *_SOURCES_OF_CALLS)))

    def _call(self, token: Token) -> Said:
        if "." in token.text and says(token.text.rpartition(".")[2], *_WINDOWS):
            head, _, last = token.text.rpartition(".")
            return self._window(self._name(replace(token, text=head)), last)
        if says(token.text, *_HIGHER) and token.text not in self._around.functions:
            higher = self._higher(token.text)
            if higher is not None:
                return higher
        head, _, last = token.text.rpartition(".")
        if head and (source_of(head) or head in self._around.names) and parts_of(last) in (["clip"], ["pct", "change"]):
            clipped = self._clipped(self._name(replace(token, text=head)), last, self._arguments())
            if clipped is not None:
                return clipped
            raise UnsayableError(f"`{token.text}` is not known in this form")
        arguments = [value for name, value in self._arguments() if name != "text"]
        if token.text in self._around.functions:
            return Said(f"{self._around.functions[token.text]}({', '.join(item.text for item in arguments)})")
        plain = self._plain(token.text, arguments)
        if plain is not None:
            return plain
        crossing = crossing_of(token.text)
        if crossing is not None:
            if len(arguments) == 1 and token.text.rpartition(".")[0] in self._around.names:
                arguments = [Said(self._around.names[token.text.rpartition(".")[0]]), *arguments]
            if len(arguments) != 2:
                raise UnsayableError(f"`{token.text}` crosses two values")
            way = "meets" if crossing == "meets" else f"crosses {crossing}"
            a, b = (item.within(_SUM) for item in arguments)
            return Said(f"{a} {way} {b}", _RELATION)
        head = token.text.rpartition(".")[0]
        function = function_of(token.text)
        if function is None:
            raise UnsayableError(f"`{token.text}` has no word of the trade in it")
        inner = self._around.names.get(head) or (source_of(head) if head else None)
        if inner is not None and function in ("prior", "abs", *_SERIES_FIRST):  # a method of a series
            arguments = [Said(inner), *arguments]
        return self._called(function, arguments, token.text)

    def _higher(self, name: str) -> Said | None:
        """What `name(symbol, "1h", x)` asks of longer bars; None, and nothing taken, for other calls."""
        begins = self._at
        told: list[str] = []
        values: list[Said] = []
        self._need("(")
        while not self._accept(")"):
            token = self.now
            if token is not None and (token.kind == "text" or token.text.rpartition(".")[2].lower() in _PLACES):
                told.append(token.said if token.kind == "text" else "")
                self._at += 1
            else:
                values.append(self.choice())
            if not self._accept(","):
                self._need(")")
                break
        frame = next((found for found in map(timeframe_of, told) if found), None)
        if frame is None or len(values) != 1:
            self._at = begins
            return None
        ways = (
            (f"bars of {frame} that have closed", f"({values[0].text} on {frame})"),
            (f"the bar of {frame} that is forming", f"({values[0].text} on {frame} forming)"),
        )
        return Said(self._around.ask(f"{name} {frame}", f"`{name}` may be meant in two ways.", ways))

    def _plain(self, name: str, given: list[Said]) -> Said | None:
        """What a call says that is no function here: a choice, a range, a value of the bar or of the position."""
        last = name.rpartition(".")[2].lower()
        if not given and (position_of(name) or source_of(name)):
            return _position(str(position_of(name))) if position_of(name) else Said(str(source_of(name)))
        if last in _CHOOSING and len(given) == 3:
            return Said(f"({given[1].within(_OR)} if {given[0].within(_OR)} else {given[2].within(_OR)})")
        if last == "between" and len(given) == 3:
            return Said(f"{given[1].within(_SUM)} <= {given[0].within(_SUM)} <= {given[2].within(_SUM)}", _RELATION)
        if last in _KNOWN_OR and len(given) == 2:
            return Said(f"({given[0].within(_OR)} if known({given[0].text}) else {given[1].within(_OR)})")
        return None

    def _called(self, function: str, arguments: list[Said], name: str) -> Said:
        if function in ("sma", "ema") and len(arguments) == len(FUNCTIONS["average"].parameters):
            function = "average"  # the third is its kind
        if function == "exp" and len(arguments) == 2:
            function = "ema"
        if function in ("max", "min") and len(arguments) > 2:
            first, *rest = arguments
            return self._called(function, [first, self._called(function, rest, name)], name)
        entry = FUNCTIONS[function]
        needed = [item for item in entry.parameters if item.default is None]
        if function in _SERIES_FIRST and len(arguments) == len(needed) - 1:
            source = {"highest": "high", "lowest": "low"}.get(function, "close")
            arguments = [Said(source), *arguments]
        if function == "prior" and len(arguments) == 1:
            return Said(f"prior({arguments[0].text})")
        if not len(needed) <= len(arguments) <= len(entry.parameters):
            raise UnsayableError(f"`{name}` has {len(arguments)} values, and `{entry.signature}` needs others")
        written = f"{function}({', '.join(item.text for item in arguments)})" if arguments else function
        if function == "adx":
            return Said(f"{written}.adx")
        return Said(written)


def timeframe_of(text: str) -> str | None:
    """A timeframe as a text says it: `60` are minutes, `D` is a day."""
    found = re.fullmatch(r"(\d{0,4})\s*([A-Za-z]*)", text.strip())
    if found is None or not text.strip():
        return None
    count, unit = int(found[1] or 1), _UNITS.get(found[2].lower()) if found[2] else "m"
    if unit is None or count == 0 or (not found[1] and unit == "m"):
        return None
    if unit == "m" and count % 60 == 0:
        count, unit = count // 60, "h"
    return f"{count}{unit}"


def _among(what: str, operator: str, place: int, words: Sequence[str]) -> Said:
    """A comparison of a word by its number in a row of words; yes or no where it is that for all of them."""
    chosen = {
        "==": words[place : place + 1] if place >= 0 else (),
        ">=": words[max(place, 0) :],
        "<=": words[: max(place + 1, 0)],
        ">": words[max(place + 1, 0) :],
        "<": words[: max(place, 0)],
    }
    if operator == "!=":
        word = chosen["=="]
        return Said(f"{what} is not {word[0]}", _RELATION) if word else Said("yes")
    found = chosen[operator]
    if len(found) in (0, len(words)):
        return Said("yes" if found else "no")
    text = f"{what} is {found[0]}" if len(found) == 1 else f"{what} in {found[0]}..{found[-1]}"
    return Said(text, _RELATION)


def _position(word: str) -> Said:
    """A value of the position, or a question after its side."""
    return Said(word, _RELATION if " " in word else _WHOLE)
