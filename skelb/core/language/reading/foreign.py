"""Recognising forms of other languages, to say what their Skelb form is."""

from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.reading.tokens import Token

_INSTEAD = {
    "&&": ("and", "`&&` is written `and`"),
    "||": ("or", "`||` is written `or`"),
    ":=": ("=", "`:=` is written `=`; a name is given a meaning once"),
    ";": ("", "statements end with the line, without `;`"),
    "!": ("not ", "`!` is written `not`"),
}
# Two signs side by side that other languages read as one.
_PAIRS = {
    ("=", ">"): (">=", "`=>` is written `>=`"),
    ("=", "<"): ("<=", "`=<` is written `<=`"),
    ("<", ">"): ("!=", "`<>` is written `!=`"),
    ("*", "*"): ("^", "`**` is written `^`"),
}
_CHANGING = (("+", "+"), ("-", "-"), ("+", "="), ("-", "="), ("*", "="), ("/", "="))
# Everyday words for what Skelb says otherwise.
_STATEMENTS = {
    "buy": ("enter long", "`enter long when …`"),
    "sell": ("", "`exit long when …`, or `enter short when …` to open a short position"),
    "short": ("enter short", "`enter short when …`"),
    "close": ("", "`exit when …`"),
    "stoploss": ("stop", "`stop 2%` or another distance"),
    "stop_loss": ("stop", "`stop 2%` or another distance"),
    "takeprofit": ("target", "`target 3 R` or another distance"),
    "take_profit": ("target", "`target 3 R` or another distance"),
    "plot": ("draw", "`draw …`"),
    "show": ("draw", "`draw …`"),
}
_FORMS = {
    "between": "A range is asked with `in`: `x in 3..5`.",
    "percent": "Percent is written `%`.",
    "pct": "Percent is written `%`.",
    "am": "Times run over 24 hours: 09:30, 16:00.",
    "pm": "Times run over 24 hours: 09:30, 16:00.",
    "lambda": "A function of your own is `define f(x) = …`.",
}
_DECLARING = frozenset("var let const float int double bool string".split())
_BLOCKS = frozenset("if for while def function func return class import else elif switch begin end fun method".split())
_TRUTHS = {"true": "yes", "false": "no"}
_NOTHINGS = ("null", "none", "nan", "na", "nil")


def foreign_mistake(text: str, tokens: tuple[Token, ...], at: int) -> Mistake | None:
    """What the statement should say instead when it is evidently another language; None when it is not.

    Looks at the token where reading stopped first, then at the statement's signs.
    """
    now = tokens[at]
    for index in (at, *range(len(tokens))):
        token = tokens[index]
        if token.kind != "op":
            continue
        if token.text in _INSTEAD:
            right, message = _INSTEAD[token.text]
            return Mistake("S0110", token.span, message, Mend(right, token.span))
        pair = _pair(tokens, index)
        if pair:
            return pair
        if token.text in "{}":
            return Mistake("S0110", token.span, f"Skelb has no blocks, so no `{token.text}`", None,
                           "Name the condition (`up = …`) and use it in a rule: `enter long when up`.")  # fmt: skip
        if token.text == "?":
            return Mistake("S0110", token.span, "`c ? a : b` is written `(a if c else b)`")
    ends = len(text.rstrip())
    for token in (now, *tokens):
        if token.kind == "stray":
            foreign = _stray(text, token, ends)
            if foreign:
                return foreign
    if now.kind == "name" and now.text.lower() in _FORMS:
        return Mistake("S0110", now.span, f"`{now.text}` is not written so", None, _FORMS[now.text.lower()])
    if now.text == "cross" and tokens[at + 1].text in ("above", "below"):
        return Mistake("S0109", now.span, "`cross` is written `crosses`", Mend("crosses", now.span))
    bracket = next((i for i, token in enumerate(tokens) if token.kind == "op" and token.text == "["), None)
    if bracket is not None:
        return _bars_back(text, tokens, bracket)
    if tokens[0].text == "/" and tokens[1].text == "*":
        return Mistake("S0110", (tokens[0].start, tokens[1].end), "comments start with `#`, one on each line")
    if tokens[0].text == "/" and tokens[1].text == "/":
        return Mistake(
            "S0110",
            (tokens[0].start, tokens[1].end),
            "comments start with `#`",
            Mend("#", (tokens[0].start, tokens[1].end)),
        )
    return None


def foreign_statement(tokens: tuple[Token, ...]) -> Mistake | None:
    """The same for a line whose first word is no statement of Skelb."""
    first, second = tokens[0], tokens[1]
    if first.text in _STATEMENTS and second.kind in ("name", "number"):
        right, form = _STATEMENTS[first.text]
        mend = Mend(right, first.span) if right and (second.text == "when" or second.kind == "number") else None
        return Mistake("S0110", first.span, f"`{first.text}` is written otherwise", mend, f"Write {form}.")
    if (second.text, tokens[2].text if len(tokens) > 2 else "") in _CHANGING:
        return Mistake(
            "S0110",
            (first.start, tokens[2].end),
            "a name is not changed once it has a meaning",
            None,
            "A running value is `carry n = n + 1 starting 0`; inside, `n` is its value one bar earlier.",
        )
    if first.text in _DECLARING and second.kind == "name":
        return Mistake("S0110", first.span, f"names are not declared with `{first.text}`",
                       Mend("", (first.start, second.start)), "Write `name = expression`.")  # fmt: skip
    if first.text.lower() in _BLOCKS:
        return Mistake("S0110", first.span, f"Skelb has no `{first.text}` statement", None,
                       "Name a condition (`up = close > open`) and use it in a rule (`enter long when up`);"
                       " a value by condition is `(a if c else b)`.")  # fmt: skip
    return None


def _pair(tokens: tuple[Token, ...], index: int) -> Mistake | None:
    """Two signs side by side that are one elsewhere."""
    token, after = tokens[index], tokens[index + 1]
    if token.end != after.start or (token.text, after.text) not in _PAIRS:
        return None
    right, message = _PAIRS[(token.text, after.text)]
    span = (token.start, after.end)
    if token.text == "=" and index and tokens[index - 1].text == ")":
        return Mistake(
            "S0110", span, "functions are not written with `=>`", None, "A function of your own is `define f(x) = …`."
        )
    return Mistake("S0110", span, message, Mend(right, span))


def _stray(text: str, token: Token, ends: int) -> Mistake | None:
    """Quotes and line ends of other languages; `ends` is where the last word of the text ends."""
    if token.text == "\\" and token.end == ends:
        return Mistake("S0110", token.span, "a line goes on without a sign at its end", Mend("", token.span),
                       "It goes on after a comma, an operator, `and`, `or`, or inside brackets.")  # fmt: skip
    if token.text != "'":
        return None
    end = text.find("'", token.end)
    if end >= 0 and '"' not in text[token.start : end]:
        span = (token.start, end + 1)
        return Mistake("S0110", span, "texts stand in double quotes", Mend(f'"{text[token.end : end]}"', span))
    return None


def foreign_call_help(prefix: str) -> str:
    """What to write instead of a call with a prefix that is no function of Skelb."""
    if prefix.startswith("input"):
        return 'An input is a statement of its own: `input fast = 9 from 2 to 30 "Fast length"`.'
    return "The guide lists every function."


def crossing_word(name: str) -> str | None:
    """`above` or `below` when a function's name means a crossing, else None."""
    lowered = name.lower()
    if not lowered.startswith("cross"):
        return None
    return "below" if any(word in lowered for word in ("under", "below", "down")) else "above"


def truth_of_another_language(token: Token) -> Mistake | None:
    """The mistake of writing `true` for `yes` and the like."""
    word = token.text.lower()
    if word in _NOTHINGS:
        return Mistake("S0110", token.span, f"`{token.text}` has no form of its own", None,
                       "What cannot be computed is unknown by itself; `known(x)` asks.")  # fmt: skip
    right = _TRUTHS.get(word)
    if right is None:
        return None
    return Mistake("S0109", token.span, f"`{token.text}` is written `{right}`", Mend(right, token.span))


def _bars_back(text: str, tokens: tuple[Token, ...], index: int) -> Mistake:
    """`x[1]` is `prior(x)`; `x[-1]` would be the future."""
    opened = tokens[index]
    before = tokens[index - 1] if index else opened
    after = tokens[index + 1 : index + 4]
    if len(after) >= 2 and after[0].text == "-":
        return Mistake(
            "S0110",
            opened.span,
            "this asks for a later bar, and Skelb cannot see one",
            None,
            "Write rules that need only this bar and earlier ones; `prior(x)` is the bar before.",
        )
    if before.kind == "name" and len(after) >= 2 and after[0].kind == "number" and after[1].text == "]":
        span = (before.start, after[1].end)
        count = after[0].text
        right = (
            before.text
            if count == "0"
            else f"prior({before.text})"
            if count == "1"
            else f"prior({before.text}, {count})"
        )
        return Mistake("S0110", span, f"`{text[span[0] : span[1]]}` is written `{right}`", Mend(right, span))
    return Mistake("S0110", opened.span, "square brackets are not used; n bars ago is `prior(x, n)`")
