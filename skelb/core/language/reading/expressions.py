"""Reading expressions, loosest operators first."""

from skelb.core.bars import WEEKDAYS, Timeframe
from skelb.core.catalogue import FUNCTIONS, MONTHS
from skelb.core.errors import SettingsError
from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.reading.foreign import foreign_call_help, truth_of_another_language
from skelb.core.language.reading.reader import DEEPEST, Reader
from skelb.core.language.reading.tokens import Token
from skelb.core.language.tree import (
    AllOf,
    Argument,
    Arithmetic,
    Call,
    Clock,
    Column,
    Comparison,
    Crossing,
    Either,
    Expression,
    Field,
    FromMarket,
    InRange,
    InSet,
    Is,
    Logic,
    Name,
    Negative,
    Not,
    Number,
    OnTimeframe,
    Sequence,
    Text,
    Total,
    Truth,
)

_COMPARING = ("<", "<=", ">", ">=", "==", "!=")
# Signs and words tell their kind by their text alone: quoted texts carry their quotes.
_BINDS = {"+": 1, "-": 1, "*": 2, "/": 2}
_POSTFIX = frozenset((".", "on", "from"))
_RELATIONS = frozenset((*_COMPARING, "in", "not", "is", "crosses", "meets"))
_NOT_A_VALUE = frozenset(
    "and or then unless if else forming to crosses meets above below when only where starting carry"
    " bars is in on off from R".split()
)


def read_expression(reader: Reader) -> Expression:
    """One whole expression: a sequence of steps, or a single one."""
    start = reader.now.start
    found = _read_all_of(reader) if reader.is_word("all") else _read_or(reader)
    while reader.accept_word("then"):
        b = _read_or(reader)
        within, unless = _read_tails(reader)
        found = Sequence(found, b, within, unless, (start, reader.last_end))
    if reader.is_word("unless", "no"):
        raise Mistake(
            "S0101",
            reader.now.span,
            f"`{reader.now.text}` has no sequence before it",
            None,
            "It limits a step: `a then b no later than 5 bars unless c`.",
        )
    return found


def _read_all_of(reader: Reader) -> Expression:
    start = reader.advance().start
    reader.need_word(("of",), "`of` after `all`")
    opened = reader.need_sign("(", "`(` and the conditions")
    with_depth(reader)
    parts = [read_expression(reader)]
    while reader.accept_sign(","):
        parts.append(read_expression(reader))
    reader.close(opened)
    reader.depth -= 1
    within, unless = _read_tails(reader)
    return AllOf(tuple(parts), within, unless, (start, reader.last_end))


def _read_tails(reader: Reader) -> tuple[Expression | None, Expression | None]:
    """`no later than N bars` and `unless C`, each at most once, in either order."""
    within = unless = None
    while reader.is_word("no", "unless"):
        if reader.accept_word("unless"):
            if unless is not None:
                raise reader.missing("the next step")
            unless = _read_or(reader)
            continue
        if within is not None:
            raise reader.missing("the next step")
        reader.advance()
        reader.need_word(("later",), "`later than` after `no`")
        reader.need_word(("than",), "`than` after `no later`")
        within = _read_sum(reader)
        reader.need_unit("bars")
    return within, unless


def read_value(reader: Reader) -> Expression:
    """An expression of arithmetic only, as numbers in rules are."""
    return _read_sum(reader)


def _read_or(reader: Reader) -> Expression:
    start = reader.now.start
    found = _read_and(reader)
    parts = [found]
    while reader.now.text == "or":
        reader.advance()
        parts.append(_read_and(reader))
    if reader.now.text in ("OR", "Or", "AND", "And"):
        right = reader.now.text.lower()
        raise Mistake(
            "S0109", reader.now.span, f"`{reader.now.text}` is written `{right}`", Mend(right, reader.now.span)
        )
    return found if len(parts) == 1 else Logic("or", tuple(parts), (start, reader.last_end))


def _read_and(reader: Reader) -> Expression:
    start = reader.now.start
    found = _read_not(reader)
    parts = [found]
    while reader.now.text == "and":
        reader.advance()
        parts.append(_read_not(reader))
    return found if len(parts) == 1 else Logic("and", tuple(parts), (start, reader.last_end))


def _read_not(reader: Reader) -> Expression:
    if reader.now.text == "not":
        start = reader.advance().start
        with_depth(reader)
        x = _read_not(reader)
        reader.depth -= 1
        return Not(x, (start, reader.last_end))
    return _read_comparison(reader)


def _read_comparison(reader: Reader) -> Expression:
    start = reader.now.start
    a = _read_sum(reader)
    if reader.now.text not in _RELATIONS:
        return a
    found = _read_relation(reader, a, start)
    if found is not a and (reader.is_sign(*_COMPARING) or _starts_relation(reader)):
        raise Mistake(
            "S0108",
            reader.now.span,
            f"`{reader.now.text}` follows another comparison",
            None,
            "Put one of the two in brackets.",
        )
    return found


def _starts_relation(reader: Reader) -> bool:
    if reader.is_word("in"):
        return reader.ahead().kind != "text"
    return reader.is_word("crosses", "meets", "is") or (reader.is_word("not") and reader.ahead().text == "in")


def _read_relation(reader: Reader, a: Expression, start: int) -> Expression:
    if reader.is_sign(*_COMPARING):
        operands, operators = [a], []
        while reader.is_sign(*_COMPARING):
            operators.append(reader.advance().text)
            operands.append(_read_sum(reader))
        return Comparison(tuple(operands), tuple(operators), (start, reader.last_end))
    if not _starts_relation(reader):
        return a
    if reader.is_word("is"):
        return _read_is(reader, a, start)
    if reader.is_word("crosses", "meets"):
        return _read_crossing(reader, a, start)
    negated = reader.accept_word("not") is not None
    reader.advance()  # `in`
    items = _read_set(reader)
    if items is not None:
        return InSet(a, items, negated, (start, reader.last_end))
    low = _read_sum(reader)
    reader.need_sign("..", "`..` between the ends of the range")
    high = _read_sum(reader)
    if isinstance(low, Name) and isinstance(high, Name):
        for cycle in (WEEKDAYS, MONTHS):
            if low.name in cycle and high.name in cycle:
                return InSet(a, _words_between(low, high, cycle), negated, (start, reader.last_end))
    return InRange(a, low, high, negated, (start, reader.last_end))


def _words_between(low: Name, high: Name, cycle: tuple[str, ...]) -> tuple[Name, ...]:
    """The words of a range, around the end too; those that are not written stand where it ends."""
    first = cycle.index(low.name)
    count = (cycle.index(high.name) - first) % len(cycle)
    return low, *(Name(cycle[(first + step) % len(cycle)], high.span) for step in range(1, count + 1))


def _read_set(reader: Reader) -> tuple[Expression, ...] | None:
    """The items of a set in brackets; None, with nothing read, where a bracket only begins a range."""
    if not reader.is_sign("(") or reader.after_bracket().text in ("..", "+", "-", "*", "/", "^", ".", "on", "from"):
        return None
    opened = reader.advance()
    items = [_read_sum(reader)]
    while reader.accept_sign(","):
        items.append(_read_sum(reader))
    reader.close(opened)
    return tuple(items)


def _read_is(reader: Reader, a: Expression, start: int) -> Expression:
    is_word = reader.advance()
    negated = reader.accept_word("not") is not None
    if reader.now.kind == "number" and not negated:
        raise Mistake("S0109", is_word.span, "a number is compared with `==`", Mend("==", is_word.span))
    if reader.now.kind != "name":
        raise reader.missing("a word", "`is` compares with a word, as in `weekday is fri`; numbers compare with `==`.")
    if reader.ahead().text in ("(", "on", "from") and not reader.is_word("on", "off"):  # another series of words
        b = _read_sum(reader)
        return Comparison((a, b), ("!=" if negated else "==",), (start, reader.last_end))
    word = reader.advance()
    return Is(a, word.text, word.span, negated, (start, word.end))


def _read_crossing(reader: Reader, a: Expression, start: int) -> Expression:
    word = reader.advance()
    kind = "meets"
    if word.text == "crosses":
        spelling = {"over": "above", "up": "above", "under": "below", "down": "below"}
        if reader.now.kind == "name" and reader.now.text in spelling:
            right = spelling[reader.now.text]
            raise Mistake(
                "S0109",
                reader.now.span,
                f"`crosses {reader.now.text}` is written `crosses {right}`",
                Mend(right, reader.now.span),
            )
        kind = reader.need_word(("above", "below"), "`above` or `below` after `crosses`").text
    b = _read_sum(reader)
    return Crossing(kind, a, b, (start, reader.last_end))


def _read_sum(reader: Reader) -> Expression:
    return _read_arithmetic(reader, 1)


def _read_arithmetic(reader: Reader, least: int) -> Expression:
    """Sums and products whose operators bind at least so tightly: 1 for `+` and `-`, 2 for `*` and `/`."""
    start = reader.now.start
    found = _read_negative(reader)
    while (binds := _BINDS.get(reader.now.text, 0)) >= least:
        operator = reader.advance().text
        found = Arithmetic(operator, found, _read_arithmetic(reader, binds + 1), (start, reader.last_end))
    return found


def _read_negative(reader: Reader) -> Expression:
    if reader.now.text == "-":
        start = reader.advance().start
        with_depth(reader)
        x = _read_negative(reader)
        reader.depth -= 1
        return Negative(x, (start, reader.last_end))
    start = reader.now.start
    base = _read_postfix(reader)
    if reader.now.text != "^":
        return base
    reader.advance()
    with_depth(reader)
    exponent = _read_negative(reader)
    reader.depth -= 1
    return Arithmetic("^", base, exponent, (start, reader.last_end))


def _read_postfix(reader: Reader) -> Expression:
    start = reader.now.start
    found = _read_primary(reader)
    while reader.now.text in _POSTFIX:
        if reader.now.text == ".":
            found = _read_field(reader, found, start)
        elif reader.now.text == "on":
            found = _read_on(reader, found, start)
        else:
            found = _read_from(reader, found, start)
    return found


def _read_field(reader: Reader, record: Expression, start: int) -> Expression:
    reader.advance()
    if reader.now.kind != "name":
        raise reader.missing("a field's name")
    name = reader.advance()
    if reader.is_sign("("):
        prefix = reader.text[start : name.start]
        if name.text not in FUNCTIONS:
            raise Mistake("S0110", (start, name.end), f"there is no function `{prefix}{name.text}`", None,
                          foreign_call_help(prefix))  # fmt: skip
        raise Mistake("S0110", (start, name.end), f"functions stand without a prefix: write `{name.text}(…)`",
                      Mend("", (start, name.start)), f"`{prefix}` is not needed.")  # fmt: skip
    return Field(record, name.text, name.span, (start, name.end))


def _read_from(reader: Reader, x: Expression, start: int) -> Expression:
    reader.advance()
    symbol: str | Name
    if reader.now.kind == "name":
        token = reader.advance()
        symbol = Name(token.text, token.span)
    else:
        symbol = reader.need_text("the other market's symbol")
    minutes, forming = _read_timeframe(reader) if reader.accept_word("on") else (None, False)
    return FromMarket(x, symbol, minutes, forming, (start, reader.last_end))


def _read_on(reader: Reader, x: Expression, start: int) -> Expression:
    reader.advance()
    minutes, forming = _read_timeframe(reader)
    return OnTimeframe(x, minutes, forming, (start, reader.last_end))


def _read_timeframe(reader: Reader) -> tuple[int | Name, bool]:
    """A timeframe or an input that holds one, and whether the forming bar is meant."""
    token = reader.now
    minutes: int | Name
    if token.kind == "name" and token.text not in _NOT_A_VALUE:
        minutes = Name(token.text, token.span)
    elif token.kind == "frame":
        minutes = frame_minutes(token)
    else:
        raise reader.missing("a timeframe such as 4h or 1d")
    reader.advance()
    return minutes, reader.accept_word("forming") is not None


def frame_minutes(token: Token) -> int:
    """The minutes of a timeframe such as `4h`."""
    try:
        return Timeframe.parse(token.text).minutes
    except SettingsError as exc:
        raise Mistake(
            "S0114",
            token.span,
            f"`{token.text}` is not a timeframe",
            None,
            "Write whole minutes or hours up to a day (5m, 90m, 4h), 1d or 1w.",
        ) from exc


def _read_primary(reader: Reader) -> Expression:
    token = reader.now
    if token.kind == "number":
        reader.advance()
        return Number(finite(token), token.span)
    if token.kind == "time":
        reader.advance()
        return Clock(clock_minutes(token.text, token.span), token.span)
    if token.kind == "text":
        return Text(reader.need_text("a text"), token.span)
    if reader.is_sign("("):
        return _read_bracket(reader)
    if token.kind == "name":
        return _read_named(reader)
    raise reader.missing("a value")


def _read_bracket(reader: Reader) -> Expression:
    opened = reader.advance()
    with_depth(reader)
    inside = read_expression(reader)
    if reader.accept_word("if"):
        condition = _read_or(reader)
        reader.need_word(("else",), "`else` with the other value")
        other = _read_or(reader)
        closed = reader.close(opened)
        reader.depth -= 1
        return Either(condition, inside, other, (opened.start, closed.end))
    reader.close(opened)
    reader.depth -= 1
    return inside


def _read_named(reader: Reader) -> Expression:
    token = reader.now
    if token.text in ("yes", "no", "unknown"):
        reader.advance()
        return Truth(token.text, token.span)
    if token.text == "all":
        raise Mistake(
            "S0101",
            token.span,
            "`all of` stands first in a sequence",
            None,
            "Elsewhere put it in brackets: `(all of (a, b))`.",
        )
    if token.text == "total":
        return _read_total(reader)
    if token.text == "column" and reader.ahead().text == "(":
        return _read_column(reader)
    if token.text in _NOT_A_VALUE:
        raise reader.missing("a value")
    foreign = truth_of_another_language(token)
    if foreign:
        raise foreign
    reader.advance()
    if not reader.is_sign("("):
        return Name(token.text, token.span)
    opened = reader.advance()
    with_depth(reader)
    arguments: list[Argument] = []
    while not reader.is_sign(")"):
        name = None
        if reader.now.kind == "name" and reader.ahead().text == ":":
            name = reader.advance().text
            reader.advance()
        arguments.append(Argument(name, _read_or(reader)))
        if not reader.accept_sign(","):
            break
    closed = reader.close(opened)
    reader.depth -= 1
    return Call(token.text, token.span, tuple(arguments), (token.start, closed.end))


def _read_total(reader: Reader) -> Expression:
    start = reader.advance().start
    opened = reader.need_sign("(", "`(` and a counter, as in total(k from 0 to 4: prior(close, k))")
    with_depth(reader)
    if reader.now.kind != "name":
        raise reader.missing("the counter's name")
    name = reader.advance()
    reader.need_word(("from",), "`from` and the first number")
    low = _read_sum(reader)
    reader.need_word(("to",), "`to` and the last number")
    high = _read_sum(reader)
    reader.need_sign(":", "`:` and what is summed")
    term = _read_or(reader)
    closed = reader.close(opened)
    reader.depth -= 1
    return Total(name.text, name.span, low, high, term, (start, closed.end))


def _read_column(reader: Reader) -> Expression:
    start = reader.advance().start
    opened = reader.advance()
    name = reader.need_text("the column's name")
    closed = reader.close(opened)
    return Column(name, (start, closed.end))


def with_depth(reader: Reader) -> None:
    """Count one more level of nesting, up to the deepest allowed."""
    reader.depth += 1
    if reader.depth > DEEPEST:
        raise Mistake(
            "S0111", reader.now.span, f"this is nested more than {DEEPEST} deep", None, "Name the inner parts."
        )


def finite(token: Token) -> float:
    """The number that is written. Raises Mistake for one that is too large to be computed with."""
    found = float(token.text)
    if found == float("inf"):
        raise Mistake("S0114", token.span, "this number is above 1e308, the highest that is computed with")
    return found


def clock_minutes(text: str, span: tuple[int, int]) -> int:
    """Minutes of a time such as `09:30`."""
    hours, minutes = map(int, text.split(":"))
    if minutes > 59 or hours * 60 + minutes > 1440:
        raise Mistake("S0114", span, f"`{text}` is not a time of day")
    return hours * 60 + minutes
