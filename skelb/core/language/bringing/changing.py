"""Names that get their value in several places: a choice anew on every bar, or a value kept from bar to bar."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from skelb.core.language.bringing.statements import Statement
from skelb.core.language.bringing.tokens import Token

_DECLARING = frozenset(
    "var let const float int integer double bool boolean string series auto static final local global def dim number"
    " real input extern param public private protected".split()
)
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


def is_kept(name: str, places: Sequence[Given]) -> bool:
    """Whether a value rather goes on from bar to bar: it begins as a number or a truth and is made from itself."""
    begins = places[0].value
    last = begins[-1]
    is_plain = len(begins) <= 2 and (last.kind == "number" or last.text.lower() in ("true", "false"))
    return is_plain and any(place.sign in ASSIGNING[3:] or _uses(place.value, name) for place in places)


def _reads(statement: Statement, name: str) -> bool:
    return _uses(statement.tokens, name) or any(_uses(tokens, name) for tokens, _ in statement.under)


def _uses(tokens: Sequence[Token], name: str) -> bool:
    return any(token.kind == "name" and token.text == name for token in tokens)
