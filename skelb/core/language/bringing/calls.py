"""Calls that stand by themselves: what is drawn, told, entered, left and protected."""

from collections.abc import Sequence
from dataclasses import dataclass

from skelb.core.language.bringing.expressions import Surroundings, UnsayableError, said
from skelb.core.language.bringing.tokens import Token
from skelb.core.language.bringing.words import position_of, says
from skelb.core.language.reading.show_statements import COLORS

_MOST_PERCENT = 20  # beyond, a bare number is rather ticks
_SIZES = ("size", "qty", "quantity", "units", "lots", "contracts", "shares", "share", "amount", "volume", "percent")
_MOST_WORDS = 3  # of an order in plain words, without when it is filled
_FILLED = ("at", "on", "next", "this")
_WHEN_WORDS = frozenset("at on next this the a bar bars market open close price of".split())
_PROTECTING = frozenset(
    "stop loss stoploss take profit takeprofit target trail trailing trailingstop guard goal at of".split()
)
_UNITS = {"%": "percent", "percent": "percent", "pct": "percent", "ticks": "ticks", "tick": "ticks"}
_LABELS = ("name", "label", "comment", "tag", "id", "text", "reason")
_PROTECTIONS = {
    "trail": ("trail",),
    "stop": ("stop", "loss", "guard"),
    "target": ("target", "profit", "goal", "take"),
}
_HUES = {
    **dict.fromkeys(("gray", "grey"), "soft"),
    **dict.fromkeys(("black", "white"), "ink"),
    **dict.fromkeys(("teal", "navy"), "deep"),
    **{"yellow": "gold", "purple": "violet", "brown": "brass", "lime": "green", "aqua": "shallow", "maroon": "red"},
}


@dataclass(frozen=True)
class Argument:
    """One argument of a call: its name where it has one, and its tokens."""

    name: str
    tokens: tuple[Token, ...]

    @property
    def text(self) -> str | None:
        """What it says, where it is a text."""
        return self.tokens[0].said if len(self.tokens) == 1 and self.tokens[0].kind == "text" else None

    @property
    def number(self) -> float | None:
        """Its number, where it is one."""
        signs = [token.text for token in self.tokens]
        minus, rest = (-1.0, self.tokens[1:]) if signs[:1] == ["-"] else (1.0, self.tokens)
        return minus * float(rest[0].text.replace("_", "")) if len(rest) == 1 and rest[0].kind == "number" else None

    @property
    def color(self) -> str | None:
        """The colour word that it stands for."""
        if len(self.tokens) != 1 or self.tokens[0].kind not in ("name", "text"):
            return None
        word = (self.text or self.tokens[0].text).rpartition(".")[2].lower()
        return word if word in COLORS else _HUES.get(word)


@dataclass(frozen=True)
class Call:
    """A call by its name, as it is written, and its arguments; `at` is when an order in plain words is filled, where
    that is not the next opening."""

    name: str
    arguments: tuple[Argument, ...]
    at: str = ""

    def says(self, *words: str) -> bool:
        """Whether one of some words stands in its name."""
        return says(self.name, *words)

    @property
    def text(self) -> str | None:
        """The first text among its arguments."""
        return next((item.text for item in self.arguments if item.text is not None), None)

    @property
    def color(self) -> str | None:
        """The first colour among its arguments."""
        return next((item.color for item in self.arguments if item.color), None)

    def named(self, *words: str) -> Argument | None:
        """The argument whose name says one of some words."""
        return next((item for item in self.arguments if item.name and says(item.name, *words)), None)

    @property
    def values(self) -> list[Argument]:
        """The arguments that are no texts, colours or named settings, in order."""
        return [item for item in self.arguments if item.text is None and not item.color and not item.name]


def call_of(tokens: Sequence[Token]) -> Call | None:
    """The call that tokens are, all of them; None when they are none."""
    if len(tokens) < 3 or tokens[0].kind != "name" or tokens[1].text != "(" or tokens[-1].text != ")":
        return None
    arguments: list[list[Token]] = [[]]
    depth = 0
    for place, token in enumerate(tokens[2:-1], start=2):
        depth += (token.text in ("(", "[", "{")) - (token.text in (")", "]", "}")) if token.kind == "sign" else 0
        if depth < 0:
            return None
        if token.text == "," and depth == 0:
            arguments.append([])
        elif token.kind not in ("line", "comment"):
            arguments[-1].append(tokens[place])
    return Call(tokens[0].text, tuple(_argument(item) for item in arguments if item))


def in_words(tokens: Sequence[Token]) -> Call | None:
    """The order or the protection that plain words are, such as `buy at the next open` or `stop loss 2 %`; None when
    they are none."""
    if tokens and all(item.kind == "name" for item in tokens):
        words = [item.text for item in tokens]
        place = next((at for at, word in enumerate(words) if at and word.lower() in _FILLED), len(words))
        filled = {word.lower() for word in words[place:]}
        if place <= _MOST_WORDS and filled <= _WHEN_WORDS:
            return Call("_".join(words[:place]), (), " at close" if "close" in filled and "next" not in filled else "")
    count = next((at for at, item in enumerate(tokens) if item.text.lower() not in _PROTECTING), len(tokens))
    name, value = "_".join(item.text for item in tokens[:count]), list(tokens[count:])
    kind = next((kind for kind, words in _PROTECTIONS.items() if says(name, *words)), None)
    if not value or kind is None or value[0].text in ("(", "[", ".", "=", ":="):
        return None
    unit = _UNITS.get(value[-1].text.lower(), "") if len(value) > 1 else ""
    if unit:
        value.pop()
    elif tokens[count - 1].text.lower() == "at":
        unit = "price"
    return Call(kind, (Argument(unit, tuple(value)),))


def _argument(tokens: list[Token]) -> Argument:
    if len(tokens) > 2 and tokens[0].kind == "name" and tokens[1].text in ("=", ":"):
        return Argument(tokens[0].text, tuple(tokens[2:]))
    return Argument("", tuple(tokens))


def shown_of(call: Call, around: Surroundings) -> list[str] | None:
    """What a call that draws or tells comes to; None for other calls. Raises UnsayableError where it has no value."""
    values = call.values
    color = f" color {call.color}" if call.color else ""
    if call.says("alert", "notify"):
        first = values[0] if values else call.named("condition", "when")
        if first is None:
            raise UnsayableError("an alert needs the condition that it is for")
        return [f'alert {said(first.tokens, around)} "{_quoted(call.text or "alert")}"']
    if call.says("hline", "horizontal", "level") and values:
        return [f'level {said(values[0].tokens, around)} in "{_quoted(call.text or "Levels")}"']
    if call.says("fill", "shade", "band") and len(values) == 2:
        a, b = (said(item.tokens, around) for item in values)
        return [f"shade {a} to {b}{color}"]
    if call.says("shape", "arrow", "dot", "mark", "symbol", "signal", "point") and values:
        place = (
            "above"
            if any("above" in token.text.lower() for item in call.arguments for token in item.tokens)
            else "below"
        )
        form = "ring" if call.says("dot", "circle") else "pointer"
        label = f' "{_quoted(call.text)}"' if call.text else ""
        return [f"mark {said(values[0].tokens, around)} {place} {form}{color}{label}"]
    if call.says("plot", "draw", "line", "show", "hist") and values:
        form = " as pillars" if call.says("hist", "bar", "column") else ""
        named = f' named "{_quoted(call.text)}"' if call.text else ""
        return [f"draw {said(values[0].tokens, around)}{form}{color}{named}"]
    return None


def rule_of(call: Call, when: str, around: Surroundings) -> list[str]:
    """What a call that trades comes to under its conditions. Raises UnsayableError when it is none that is known."""
    condition = call.named("when", "condition")
    if condition is not None:
        own = said(condition.tokens, around)
        when = f"{when} and {own}" if when else own
    if call.says("stop", "guard") and not call.says("stoporder"):
        return _protection("trail" if call.says("trail") else "stop", call, around)
    if call.says("trail"):
        return _protection("trail", call, around)
    if call.says("target", "profit", "goal"):
        return _protection("target", call, around)
    side = _side(call, around)
    if side is None:
        raise UnsayableError(f"`{call.name}` does nothing that is known here")
    if not when:
        raise UnsayableError("an order needs a condition: it would be given on every bar")
    named = f' named "{_quoted(call.text)}"' if call.text and call.text.lower() not in ("long", "short") else ""
    if side == "exit":
        entered = around.entered.get(call.text or "")
        which = "long " if call.says("long", "sell") else "short " if call.says("short", "cover") else ""
        return [f"exit {which or (entered and f'{entered} ') or ''}when {when}{call.at}{named}"]
    if call.text:
        around.entered[call.text] = side if around.entered.get(call.text, side) == side else ""
    protected = _with_it(call, side, around)
    price, with_it = _limit(call, side, around)
    return [f"enter {side} when {when}{call.at}{price}{_size(call, around)}{named}", *protected, *with_it]


def _side(call: Call, around: Surroundings) -> str | None:
    """`long`, `short` or `exit`; None for a call that gives no order."""
    words = f"{call.name} {' '.join(item.tokens[0].text for item in call.arguments if item.tokens)}"
    if call.says("exit", "close", "flat", "cover", "leave") or (
        call.says("order") and says(words, "exit", "close", "flat")
    ):
        return "exit"
    if says(call.name, "short") or (call.says("enter", "entry", "order", "open") and says(words, "short")):
        return "short"
    if call.says("buy", "long") or (call.says("enter", "entry", "order", "open") and says(words, "long", "buy")):
        return "long"
    if call.says("sell"):
        choices = (("it opens a short position", "short"), ("it closes the long one", "exit"))
        ordered = choices[::-1] if around.sells_short else choices
        return around.ask(call.name, f"`{call.name}` may be meant in two ways.", ordered)
    return None


def _with_it(call: Call, side: str, around: Surroundings) -> list[str]:
    """The stop and the target that an order brings along. Raises UnsayableError on what else is said of it."""
    found: list[str] = []
    for item in call.arguments:
        kind = next((kind for kind, words in _PROTECTIONS.items() if item.name and says(item.name, *words)), None)
        if kind is None:
            if not item.name or says(item.name, *_SIZES, *_LABELS, "when", "condition", "side", "direction", "limit"):
                continue
            raise UnsayableError(f"`{item.name}` of `{call.name}` means nothing that is known here")
        name = item.name if says(item.name, "percent", "pct", "tick") else kind
        found += _protection(f"{kind} {side}", Call(name, (Argument("", item.tokens),)), around)
    return found


def _limit(call: Call, side: str, around: Surroundings) -> tuple[str, list[str]]:
    """What an order's limit comes to: the price to enter at, or a target."""
    given = next((item for item in call.arguments if says(item.name, "limit") and item.tokens), None)
    if given is None:
        return "", []
    price = said(given.tokens, around)
    enters, leaves = ("the price to enter at", "enters"), ("the price to take a profit at", "leaves")
    protects = any(says(item.name, *_PROTECTIONS["stop"]) for item in call.arguments)
    choices = (leaves, enters) if protects else (enters, leaves)
    meant = around.ask(
        f"{call.name} {given.name}", f"`{given.name}` of `{call.name}` may be meant in two ways.", choices
    )
    return (f" at limit {price}", []) if meant == "enters" else ("", [f"target {side} at {price}"])


def _size(call: Call, around: Surroundings) -> str:
    """The size of an order: units, or a share of equity."""
    given = call.named(*_SIZES)
    if given is None:
        alone = next((item for item in call.values if item.number is not None), None)
        if alone is None:
            return ""
        units, share = f" size {alone.number:g} units", f" size {alone.number:g}% of equity"
        sentence = f"`{alone.number:g}` in `{call.name}` may be meant in two ways."
        return around.ask(
            f"{call.name} {alone.number:g}", sentence, (("so many units", units), ("percent of equity", share))
        )
    if given.number is None:
        return f" size {said(given.tokens, around)} units"
    if says(given.name, "percent"):
        return f" size {given.number:g}% of equity"
    if given.number < 1:
        share, units = f" size {given.number * 100:.10g}% of equity", f" size {given.number:g} units"
        sentence = f"`{given.name} = {given.number:g}` may be meant in two ways."
        return around.ask(given.name, sentence, (("a share of equity", share), ("so many units", units)))
    return f" size {given.number:g} units"


def _protection(kind: str, call: Call, around: Surroundings) -> list[str]:
    """A stop, target or trail: by percent, ticks, a price or a distance."""
    unit = ""
    given = call.named("percent", "pct", "perc")
    if given is not None:
        unit = "%"
    elif (given := call.named("ticks")) is not None:
        unit = " ticks"
    elif (given := call.named("price", "level", "at")) is not None:
        first = given.tokens[0].text if given.tokens else ""
        if position_of(first) == "entry_price" and len(given.tokens) > 2 and given.tokens[1].text in ("+", "-"):
            return [f"{kind} {said(given.tokens[2:], around)}"]  # so far from the entry
        return [f"{kind} at {said(given.tokens, around)}"]
    else:
        given = next(iter(call.values or [item for item in call.arguments if item.text is None]), None)
    if given is None:
        raise UnsayableError(f"how far away this {kind} is is not said")
    unit = unit or ("%" if call.says("percent", "pct") else " ticks" if call.says("tick") else "")
    text = said(given.tokens, around)
    if not unit and given.number is None:
        level, away = f"{kind} at {text}", f"{kind} {text}"
        sort = around.sort_of(text)
        if sort == "unsure":
            ways = (("this is the price", level), ("so far from the entry", away))
            return [around.ask(f"{kind} {text}", f"`{text}` of this {kind} may be meant in two ways.", ways)]
        return [level if sort == "price" else away]
    if unit or given.number is None:
        return [f"{kind} {f'({text})' if unit and not text.replace('.', '').isdigit() else text}{unit}"]
    percent = f"{kind} {text}%"
    if given.number < 0.5:
        percent = f"{kind} {given.number * 100:.10g}%"
    sentence = f"`{given.number:g}` of this {kind} may be meant in several ways."
    choices = [
        ("percent of the price", percent),
        ("units of price", f"{kind} {text}"),
        ("ticks", f"{kind} {text} ticks"),
    ]
    return [around.ask(call.name, sentence, choices if given.number < _MOST_PERCENT else choices[::-1])]


def _quoted(text: str) -> str:
    return text.replace('"', "'")
