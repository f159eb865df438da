"""Names that get their value in several places: a choice anew on every bar, or a value kept from bar to bar."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from skelb.core.language.bringing.statements import Statement
from skelb.core.language.bringing.tokens import Token
from skelb.core.language.bringing.words import NOTHINGS

_DECLARING = frozenset(
    "var let const float int integer double bool boolean string series auto static final local global def dim number"
    " real input extern param public private protected".split()
)
_ASKING = frozenset("input extern param".split())  # among them: whoever runs the script may set the value
_MOST_BETWEEN = 500  # statements from the first place to the last
ASSIGNING = ("=", ":=", "<-", "+=", "-=", "*=", "/=")


@dataclass(frozen=True)
class Given:
    """One place where a name gets a value: the statement, the sign, and the value's tokens."""

    statement: Statement
    sign: str
    value: tuple[Token, ...]


def undeclared(tokens: Sequence[Token]) -> list[Token]:
    """A statement without the words that only declare."""
    found = list(tokens)
    while len(found) > 1 and found[0].text.lower() in _DECLARING and found[1].kind == "name":
        found = found[1:]
    return found


def asks(tokens: Sequence[Token]) -> bool:
    """Whether a statement declares a setting."""
    return tokens[0].text.lower() in _ASKING and len(tokens) > 2 and tokens[1].kind == "name"


def assignment(tokens: Sequence[Token]) -> int | None:
    """The place of the sign that gives a name its meaning."""
    if not tokens or tokens[0].kind != "name":
        return None
    if len(tokens) > 2 and tokens[1].text in ASSIGNING:
        return 1
    if len(tokens) > 4 and tokens[1].text == ":" and tokens[2].kind == "name" and tokens[3].text in ASSIGNING:
        return 3
    return None


def given_anywhere(statements: Iterable[Statement]) -> dict[str, list[Given]]:
    """The names that get a value, with the places."""
    found: dict[str, list[Given]] = {}
    for statement in statements:
        tokens = undeclared(statement.tokens)
        place = assignment(tokens)
        if place is not None:
            given = Given(statement, tokens[place].text, tuple(tokens[place + 1 :]))
            found.setdefault(tokens[0].text, []).append(given)
    return found


def given_often(statements: Iterable[Statement]) -> dict[str, list[Given]]:
    """The names that get a value in more than one place, under a condition or from themselves, with all places."""
    return {
        name: places
        for name, places in given_anywhere(statements).items()
        if len(places) > 1
        or places[0].statement.under
        or places[0].sign in ASSIGNING[3:]
        or _uses(places[0].value, name)
    }


def can_be_said(name: str, places: Sequence[Given], statements: Sequence[Statement]) -> bool:
    """Whether the places make one definition: none in a loop, a value for every bar, and nobody reads between them."""
    if any(place.statement.block for place in places) or base_of(places) is None:
        return False
    own = {id(place.statement) for place in places}
    first = next(at for at, item in enumerate(statements) if item is places[0].statement)
    missing = len(own) - 1
    for item in statements[first + 1 : first + _MOST_BETWEEN]:
        if id(item) in own:
            missing -= 1
        elif _reads(item, name):
            return False
        if missing == 0:
            return True
    return missing == 0


def base_of(places: Sequence[Given]) -> Given | None:
    """The place that holds where no other does: the first without a condition, else the last branch of all."""
    first = places[0]
    if not first.statement.under and first.sign in ASSIGNING[:3]:
        return first
    *branches, last = places
    under = last.statement.under
    is_otherwise = bool(branches) and all(is_no for _, is_no in under) and last.sign in ASSIGNING[:3]
    # The branches of one `if`, each with a value: what must be no before the last is what was asked in the others.
    asked = [item.statement.under[-1:] for item in branches]
    return last if is_otherwise and asked == [((condition, False),) for condition, _ in under] else None


def chains_of(places: Sequence[Given]) -> list[list[Given]]:
    """Places in order, those that stand in branches of one `if` together: at most one of them holds."""
    found: list[list[Given]] = []
    for place in places:
        before = found[-1][-1] if found else None
        if before is not None and _goes_on_from(place, before):
            found[-1].append(place)
        else:
            found.append([place])
    return found


def _goes_on_from(place: Given, before: Given) -> bool:
    """Whether a place stands in the branch that follows another's: under what was asked there, denied."""
    if not before.statement.under or before.statement.under[-1][1]:
        return False
    denied = (*before.statement.under[:-1], (before.statement.under[-1][0], True))
    own, rest = place.statement.under[: len(denied)], place.statement.under[len(denied) :]
    return own == denied and len(rest) <= 1 and not any(is_no for _, is_no in rest)


def own_branch(place: Given, first: Given) -> Statement:
    """The statement of a place in a chain under its own branch's condition, without what the branches from the first on
    deny."""
    shared = len(first.statement.under) - 1
    under = place.statement.under
    kept = (*under[:shared], *(item for item in under[shared:] if not item[1]))
    return replace(place.statement, under=kept)


def earlier(name: str) -> str:
    """What stands for a name's own value one bar earlier, where the name is made from that."""
    return f"{name}@1"


def with_earlier(places: Sequence[Given], name: str) -> list[Given]:
    """The places with `name[1]` as one name, `earlier(name)`."""
    found = []
    for place in places:
        under = tuple((_with_earlier(tokens, name), is_no) for tokens, is_no in place.statement.under)
        found.append(
            replace(place, statement=replace(place.statement, under=under), value=_with_earlier(place.value, name))
        )
    return found


def _with_earlier(tokens: tuple[Token, ...], name: str) -> tuple[Token, ...]:
    found: list[Token] = []
    at = 0
    while at < len(tokens):
        if [token.text for token in tokens[at : at + 4]] == [name, "[", "1", "]"]:
            found.append(replace(tokens[at], text=earlier(name)))
            at += 4
        else:
            found.append(tokens[at])
            at += 1
    return tuple(found)


def uses_earlier(place: Given, name: str) -> bool:
    """Whether a place, read `with_earlier`, asks for the name's own value one bar earlier."""
    return _uses(place.value, earlier(name)) or any(_uses(tokens, earlier(name)) for tokens, _ in place.statement.under)


def held_choices(tokens: Sequence[Token], name: str) -> list[tuple[Sequence[Token], Sequence[Token]]] | None:
    """Of `c ? a : d ? b : name[1]`, read `with_earlier`, the conditions with their values; None for anything else."""
    found: list[tuple[Sequence[Token], Sequence[Token]]] = []
    rest = list(tokens)
    while [token.text for token in rest] != [earlier(name)]:
        asks = _top_level(rest, "?")
        otherwise = _top_level(rest, ":")
        if asks is None or otherwise is None or otherwise < asks:
            return None
        condition, value = rest[:asks], rest[asks + 1 : otherwise]
        if _uses([*condition, *value], earlier(name)) or any(token.text == "?" for token in value):
            return None
        found.append((condition, value))
        rest = rest[otherwise + 1 :]
    return found or None


def _top_level(tokens: Sequence[Token], sign: str) -> int | None:
    depth = 0
    for place, token in enumerate(tokens):
        if token.kind == "sign":
            depth += (token.text in ("(", "[")) - (token.text in (")", "]"))
            if depth == 0 and token.text == sign:
                return place
    return None


def is_nothing(value: Sequence[Token]) -> bool:
    """Whether a name begins without a value."""
    return len(value) == 1 and value[0].kind == "name" and value[0].text.lower() in NOTHINGS


def is_kept(name: str, places: Sequence[Given]) -> bool:
    """Whether a value rather goes on from bar to bar: it begins as a number or a truth and is made from itself."""
    begins = places[0].value
    last = begins[-1]
    is_plain = len(begins) <= 2 and (
        last.kind == "number" or last.text.lower() in ("true", "false") or is_nothing(begins)
    )
    return is_plain and any(place.sign in ASSIGNING[3:] or _uses(place.value, name) for place in places)


def _reads(statement: Statement, name: str) -> bool:
    return _uses(statement.tokens, name) or any(_uses(tokens, name) for tokens, _ in statement.under)


def _uses(tokens: Sequence[Token], name: str) -> bool:
    return any(token.kind == "name" and token.text == name for token in tokens)
