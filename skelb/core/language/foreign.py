"""Recognising forms of other languages, to say what their Skelb form is."""

from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.tokens import Token

_INSTEAD = {
    "&&": ("and", "`&&` is written `and`"),
    "||": ("or", "`||` is written `or`"),
    ":=": ("=", "`:=` is written `=`; a name is given a meaning once"),
    ";": ("", "statements end with the line, without `;`"),
    "!": ("not ", "`!` is written `not`"),
}
_DECLARING = frozenset("var let const float int double bool string".split())
_BLOCKS = frozenset("if for while def function func return class import else elif switch begin end fun method".split())
_TRUTHS = {"true": "yes", "false": "no", "null": "unknown", "None": "unknown", "NaN": "unknown"}


def foreign_mistake(text: str, tokens: tuple[Token, ...], at: int) -> Mistake | None:
    """What the statement should say instead when it is evidently another language; None when it is not.

    Looks at the token where reading stopped first, then at the statement's signs.
    """
    now = tokens[at]
    for token in (now, *tokens):
        if token.kind != "op":
            continue
        if token.text in _INSTEAD:
            right, message = _INSTEAD[token.text]
            return Mistake("S0110", token.span, message, Mend(right, token.span))
        if token.text in "{}":
            return Mistake("S0110", token.span, f"Skelb has no blocks, so no `{token.text}`", None,
                           "Name the condition (`up = …`) and use it in a rule: `enter long when up`.")  # fmt: skip
        if token.text == "?":
            return Mistake("S0110", token.span, "`c ? a : b` is written `(a if c else b)`")
    index = next((i for i, token in enumerate(tokens) if token.kind == "op" and token.text == "["), None)
    if index is not None:
        return _bars_back(text, tokens, index)
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
    if first.text in _DECLARING and second.kind == "name":
        return Mistake("S0110", first.span, f"names are not declared with `{first.text}`",
                       Mend("", (first.start, second.start)), "Write `name = expression`.")  # fmt: skip
    if first.text.lower() in _BLOCKS:
        return Mistake("S0110", first.span, f"Skelb has no `{first.text}` statement", None,
                       "Name a condition (`up = close > open`) and use it in a rule (`enter long when up`);"
                       " a value by condition is `(a if c else b)`.")  # fmt: skip
    return None


def truth_of_another_language(token: Token) -> Mistake | None:
    """The mistake of writing `true` for `yes` and the like."""
    right = _TRUTHS.get(token.text) or _TRUTHS.get(token.text.lower())
    if right is None:
        return None
    return Mistake("S0109", token.span, f"`{token.text}` is written `{right}`", Mend(right, token.span))


def _bars_back(text: str, tokens: tuple[Token, ...], index: int) -> Mistake:
    """`x[1]` is `prior(x)`; `x[-1]` would be the future."""
    opened = tokens[index]
    before = tokens[index - 1] if index else opened
    after = tokens[index + 1 : index + 4]
    if len(after) >= 2 and after[0].text == "-":
        return Mistake("S0110", opened.span, "this asks for a later bar, and Skelb cannot see one", None,
                       "Write rules that need only this bar and earlier ones; `prior(x)` is the bar before.")  # fmt: skip
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
