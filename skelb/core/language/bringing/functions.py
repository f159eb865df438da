"""Functions of somebody's own: a head with names in brackets, values by name, and what is returned."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from skelb.core.language.bringing.changing import assignment, undeclared
from skelb.core.language.bringing.expressions import Surroundings, UnsayableError, said
from skelb.core.language.bringing.names import free
from skelb.core.language.bringing.statements import Statement
from skelb.core.language.bringing.tokens import Token

FUNCTION_WORDS = frozenset("def function func fn method sub".split())
_ARROWS = ("=>", "->")


def is_function(statement: Statement) -> bool:
    """Whether a statement begins a function that may be brought over."""
    return statement.block in FUNCTION_WORDS or _arrow_of(statement.tokens) is not None


def define_of(statements: Sequence[Statement], around: Surroundings) -> str:
    """The definition that a function comes to, given the statement that begins it and those in it.

    Raises UnsayableError where it is more than values by name and one that is returned.
    """
    head, *body = statements
    name, parameters, rest = _head_of(head.tokens)
    inner = replace(around, names={**around.names}, functions={**around.functions}, later={})
    own = [free(item, set()) for item in parameters]
    inner.names.update(zip(parameters, own, strict=True))
    locals_: list[str] = []
    result = said(rest, inner) if rest else None
    for statement in body:
        if result is not None or statement.under != head.under:
            raise UnsayableError(f"`{name}` does more than to return one value: `carry` and choices say most of it")
        tokens = undeclared(statement.tokens)
        if statement.comment is not None or not tokens:
            continue
        place = assignment(tokens)
        if tokens[0].text.lower() == "return":
            result = said(tokens[1:], inner)
        elif place is not None and tokens[place].text in ("=", ":=", "<-") and tokens[0].text not in inner.names:
            local = free(tokens[0].text, set(inner.names.values()))
            locals_.append(f"{local} = {said(tokens[place + 1 :], inner)}")
            inner.names[tokens[0].text] = local
        else:
            raise UnsayableError(f"`{name}` does more than to return one value: `carry` and choices say most of it")
    if result is None or not own:
        raise UnsayableError(
            f"`{name}` returns nothing" if result is None else f"`{name}` takes nothing: name the value"
        )
    here = free(name, set(around.names.values()))
    around.functions[name] = here
    where = f" where {', '.join(locals_)}" if locals_ else ""
    return f"define {here}({', '.join(own)}) = {result}{where}"


def _head_of(tokens: Sequence[Token]) -> tuple[str, list[str], list[Token]]:
    """The name, the names of what it takes, and what stands after its head on the line."""
    arrow = _arrow_of(tokens)
    found = [token for token in tokens if token.text != "{"]
    if arrow is not None and assignment(undeclared(tokens)) is not None:
        found = undeclared(tokens)
        return found[0].text, *_parameters(found[2:])
    while len(found) > 1 and found[0].kind == "name" and found[1].kind == "name":
        found = found[1:]
    if len(found) < 3 or found[1].text != "(":
        raise UnsayableError("this function has no name and brackets that are known here")
    return found[0].text, *_parameters(found[1:])


def _parameters(tokens: Sequence[Token]) -> tuple[list[str], list[Token]]:
    """Names in brackets, without types and defaults, and what comes after the sign that ends the head."""
    texts = [token.text for token in tokens]
    end = texts.index(")") if ")" in texts else len(texts) - 1
    names: list[str] = []
    fresh = True
    for token, after in pairwise(tokens[1 : end + 1]):
        if token.text == ",":
            fresh = True
        elif fresh and token.kind == "name" and after.kind != "name":
            names.append(token.text)
            fresh = False
    rest = list(tokens[end + 1 :])
    while rest and rest[0].text in (*_ARROWS, ":", "=", "return", "{"):
        rest = rest[1:]
    return names, rest


def _arrow_of(tokens: Sequence[Token]) -> int | None:
    """The place of the arrow of `name(a, b) => value` or `name = (a, b) => value`."""
    texts = [token.text for token in tokens]
    found = undeclared(tokens)
    is_value = assignment(found) is not None and len(found) > 2 and found[2].text == "("
    is_head = len(found) > 2 and found[0].kind == "name" and found[1].text == "("
    for place, text in enumerate(texts):
        if text in _ARROWS and place and texts[place - 1] == ")" and (is_value or is_head):
            inside = texts[texts.index("(") + 1 : place - 1]
            return place if all(item == "," or item.isidentifier() for item in inside) else None
    return None
