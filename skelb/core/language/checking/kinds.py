"""What every expression is: a number, a condition, a word, a time, a text or a record."""

from dataclasses import dataclass, field, replace
from typing import assert_never

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import (
    BUILT_INS,
    FUNCTIONS,
    MONTHS,
    POSITION_NAMES,
    POSITION_SIDES,
    WORDS,
    Function,
    Parameter,
)
from skelb.core.language.diagnostics import Mend, Mistake, Span
from skelb.core.language.reading.foreign import crossing_word
from skelb.core.language.reading.near import nearest
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
    Input,
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


@dataclass(frozen=True)
class Meaning:
    """The kind of a value; `constant` when it is the same on every bar.

    `words` are those a word can be. A choice among series (`one of open, close`) has `series` set and may stand
    for a number. `position` when it depends on the position, so that only rules may use it.
    """

    kind: str
    constant: bool = False
    words: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()
    series: bool = False
    position: bool = False


class Unsayable(Exception):  # noqa: N818 - stops one statement silently: its cause is reported elsewhere
    """The expression uses a name whose own line has a mistake."""


MOST_GUESSES = 200  # of the name that was meant; whoever has more wrong names has another language before them


@dataclass
class Scope:
    """Names a statement may use, and those it did use."""

    names: dict[str, Meaning] = field(default_factory=dict)
    broken: set[str] = field(default_factory=set)
    used: set[str] = field(default_factory=set)
    running: dict[str, str] = field(default_factory=dict)  # running values inside their own statement, and their kind
    settled: int = 0  # how many of them `now(…)` may name here
    aliases: set[str] = field(default_factory=set)  # names of used scripts
    guesses: int = 0  # how often the nearest known name was looked for
    asks_position: bool = False  # whether the statement being checked uses what is known of the position


_NUMBER, _CONDITION = Meaning("number"), Meaning("condition")
_POSITION = Meaning("number", words=tuple(POSITION_SIDES))
_ARTICLE = {"number": "a number", "condition": "a condition", "word": "a word", "time": "a time of day",
            "text": "a text", "record": "a record of numbers", "function": "a function of your own",
            "timeframe": "a timeframe", "market": "a market", "script": "a used script"}  # fmt: skip


def input_meaning(found: Input, scope: Scope) -> Meaning:
    """The meaning of an input's name."""
    if found.kind == "choice":
        series = all(_is_series(word, scope) for word in found.options)
        return Meaning("word", not series, found.options, series=series)
    return Meaning("condition" if found.kind == "switch" else found.kind, True)


def _is_series(word: str, scope: Scope) -> bool:
    if word in scope.names:
        return scope.names[word].kind == "number"
    return word in BUILT_INS and BUILT_INS[word].kind == "number" and not BUILT_INS[word].fields


def meaning_of(node: Expression, scope: Scope) -> Meaning:
    """The meaning of `node`. Raises Mistake at the smallest wrong place, Unsayable on names that are broken."""
    match node:
        case Number():
            return Meaning("number", True)
        case Truth():
            return Meaning("condition", True)
        case Clock():
            return Meaning("time", True)
        case Text():
            return Meaning("text", True)
        case Name():
            return _name(node, scope)
        case Field():
            return _field(node, scope)
        case Call():
            return _call(node, scope)
        case Negative():
            return Meaning("number", need_number(node.x, scope, "`-`").constant)
        case Arithmetic():
            a = need_number(node.a, scope, f"`{node.operator}`")
            b = need_number(node.b, scope, f"`{node.operator}`")
            return Meaning("number", a.constant and b.constant)
        case Not():
            return Meaning("condition", need_condition(node.x, scope, "`not`").constant)
        case Logic():
            parts = [need_condition(part, scope, f"`{node.operator}`") for part in node.parts]
            return Meaning("condition", all(part.constant for part in parts))
        case Comparison():
            return _comparison(node, scope)
        case Crossing():
            what = "`meets`" if node.kind == "meets" else f"`crosses {node.kind}`"
            need_number(node.a, scope, what)
            need_number(node.b, scope, what)
            return _CONDITION
        case InRange():
            return _in_range(node, scope)
        case OnTimeframe() | FromMarket():
            return _elsewhere(node, scope)
        case Sequence():
            need_condition(node.a, scope, "`then`")
            need_condition(node.b, scope, "`then`")
            return _steps(node, scope)
        case AllOf():
            for part in node.parts:
                need_condition(part, scope, "`all of`")
            return _steps(node, scope)
        case Total():
            return _total(node, scope)
        case Column():
            return _NUMBER
        case InSet():
            return _in_set(node, scope)
        case Is():
            return _is(node, scope)
        case Either():
            return _either(node, scope)
        case _:
            assert_never(node)


def need_number(node: Expression, scope: Scope, what: str) -> Meaning:
    """The meaning of `node`, which `what` needs to be a number."""
    found = meaning_of(node, scope)
    if found.kind == "number":
        return found
    if found.series:
        return _NUMBER
    if found.kind == "record":
        raise _which_field(node, found)
    raise Mistake("S0203", node.span, f"{what} needs a number, and this is {_ARTICLE[found.kind]}")


def need_condition(node: Expression, scope: Scope, what: str) -> Meaning:
    """The meaning of `node`, which `what` needs to be a condition."""
    found = meaning_of(node, scope)
    if found.kind == "condition":
        return found
    help_text = "Compare it with something: `> 0`, `crosses above …`." if found.kind == "number" else ""
    raise Mistake("S0203", node.span, f"{what} needs a condition, and this is {_ARTICLE[found.kind]}", None, help_text)


def need_time(node: Expression, scope: Scope, what: str) -> Meaning:
    """The meaning of `node`, which `what` needs to be a constant time of day."""
    found = meaning_of(node, scope)
    if found.kind != "time" or not found.constant:
        raise Mistake("S0203", node.span, f"{what} needs a time such as 09:30 or an input that holds one")
    return found


def _which_field(node: Expression, found: Meaning) -> Mistake:
    fields = ", ".join(f".{name}" for name in found.fields)
    return Mistake(
        "S0207", node.span, "this is a record of several numbers", None, f"Choose one of its fields: {fields}."
    )


def _name(node: Name, scope: Scope) -> Meaning:
    name = node.name
    if name in scope.running:
        return Meaning(scope.running[name])
    if name in scope.names:
        scope.used.add(name)
        scope.asks_position |= scope.names[name].position
        if "." in name:
            scope.used.add(name.partition(".")[0])
        return scope.names[name]
    if name in scope.broken:
        raise Unsayable
    if name in POSITION_NAMES:
        scope.asks_position = True
        return _POSITION if name == "position" else _NUMBER
    if name in BUILT_INS:
        entry = BUILT_INS[name]
        if entry.fields:
            return Meaning("record", fields=entry.fields)
        return Meaning(entry.kind, words=entry.words)
    if name in FUNCTIONS:
        return _call_meaning(FUNCTIONS[name], Call(name, node.span, (), node.span), scope)
    raise _word_out_of_place(node) or unknown_name(name, node.span, scope)


def _word_out_of_place(node: Name) -> Mistake | None:
    """The mistake of a weekday or month where a value stands, as in `weekday == fri`."""
    for series, words in (("weekday", WEEKDAYS), ("month", MONTHS)):
        if node.name in words:
            return Mistake("S0203", node.span, f"`{node.name}` is a word, compared with `is` and `in`", None,
                           f"As in `{series} is {node.name}`, `{series} in {words[0]}..{node.name}`.")  # fmt: skip
    return None


def unknown_name(name: str, span: Span, scope: Scope) -> Mistake:
    """The mistake of a name that means nothing here, with the nearest ones that do."""
    scope.guesses += 1
    known = [*scope.names, *BUILT_INS, *FUNCTIONS, *POSITION_NAMES] if scope.guesses <= MOST_GUESSES else ()
    near = nearest(name, known)
    help_text = f"Did you mean {' or '.join(f'`{item}`' for item in near)}?" if near else ""
    sure = len(near) == 1 or (len(near) > 1 and near[0].lower() == name.lower())
    mend = Mend(near[0], span) if near and sure else None
    return Mistake("S0201", span, f"`{name}` is not a name that Skelb or this script knows", mend, help_text)


def _field(node: Field, scope: Scope) -> Meaning:
    found = meaning_of(node.record, scope)
    if found.kind == "script":
        raise AssertionError("names of used scripts are joined before anything is checked")
    if found.kind != "record":
        raise Mistake("S0202", node.name_span, f"this is {_ARTICLE[found.kind]} and has no field `{node.name}`")
    if node.name not in found.fields:
        near = nearest(node.name, found.fields)
        mend = Mend(near[0], node.name_span) if len(near) == 1 else None
        listed = ", ".join(f".{name}" for name in found.fields)
        raise Mistake(
            "S0202", node.name_span, f"there is no field `{node.name}` here", mend, f"The fields are {listed}."
        )
    return _NUMBER


def _call(node: Call, scope: Scope) -> Meaning:
    if node.name == "now" and scope.running:
        return _now(node, scope)
    function = FUNCTIONS.get(node.name)
    if function is None:
        if node.name in scope.broken:
            raise Unsayable
        if node.name in scope.names and scope.names[node.name].kind == "function":
            raise Mistake(
                "S0210",
                node.name_span,
                f"`{node.name}` cannot be called here",
                None,
                "A function calls only those defined above it, never itself.",
            )
        if node.name in scope.names or node.name in BUILT_INS or node.name in POSITION_NAMES:
            help_text = f"For an earlier value write `prior({node.name}, n)`." if node.name in BUILT_INS else ""
            raise Mistake("S0210", node.name_span, f"`{node.name}` takes no arguments", None, help_text)
        if node.name in WORDS:
            raise Mistake("S0210", node.name_span, f"`{node.name}` is a word of the language, not a function")
        word = crossing_word(node.name)
        if word:
            raise Mistake("S0110", node.name_span, "crossing is not a function", None, f"Write `a crosses {word} b`.")
        near = nearest(node.name, FUNCTIONS)
        mend = Mend(near[0], node.name_span) if len(near) == 1 else None
        help_text = f"Did you mean {' or '.join(f'`{item}`' for item in near)}?" if near else ""
        raise Mistake("S0201", node.name_span, f"there is no function `{node.name}`", mend, help_text)
    return _call_meaning(function, node, scope)


def _now(node: Call, scope: Scope) -> Meaning:
    """`now(side)`: the value of an earlier name of the group, just worked out for this bar."""
    ready = list(scope.running)[: scope.settled]
    inner = node.arguments[0].value if len(node.arguments) == 1 else None
    if not isinstance(inner, Name) or inner.name not in ready:
        listed = " or ".join(f"`now({name})`" for name in ready) or "a name that stands before this one in the group"
        raise Mistake("S0204", node.span, f"`now` names a running value that is worked out before this one: {listed}")
    return Meaning(scope.running[inner.name])


def _call_meaning(function: Function, node: Call, scope: Scope) -> Meaning:
    given = placed_arguments(function, node)
    first_kind = "number"
    words: tuple[str, ...] = ()
    for parameter, value in zip(function.parameters, given, strict=True):
        if value is None:
            continue
        what = f"`{function.name}` ({parameter.name})"
        if parameter.kind == "any":
            found = meaning_of(value, scope)
            if function.name == "prior" and found.kind == "word" and not (found.series or found.constant):
                words = found.words
                continue
            if found.kind not in ("number", "condition") and not found.series:
                raise Mistake(
                    "S0203", value.span, f"{what} needs a number or condition, and this is {_ARTICLE[found.kind]}"
                )
            first_kind = "condition" if found.kind == "condition" else "number"
            continue
        if parameter.kind == "condition":
            need_condition(value, scope, what)
            continue
        if parameter.kind == "word":
            _check_word(parameter, value, scope, what)
            continue
        meaning = need_number(value, scope, what)
        if parameter.kind in ("length", "factor") and not meaning.constant:
            order = ", ".join(item.name for item in function.parameters)
            raise Mistake("S0205", value.span, f"{what} must be the same on every bar", None,
                          f"The order of arguments is {function.name}({order}).")  # fmt: skip
        _check_length(function, parameter.kind, parameter.least, value, what)
    if function.fields:
        return Meaning("record", fields=function.fields)
    if words:
        return Meaning("word", words=words)
    return Meaning(first_kind if function.result == "same" else function.result)


def _check_word(parameter: Parameter, value: Expression, scope: Scope, what: str) -> None:
    """A word argument is one of the parameter's words, or an input whose every choice is."""
    if isinstance(value, Name) and value.name not in scope.names:
        _need_word(value.name, value.span, Meaning("word", words=parameter.words))
        return
    found = meaning_of(value, scope)
    odd = [word for word in found.words if word not in parameter.words]
    if found.kind != "word" or odd:
        listed = ", ".join(parameter.words)
        raise Mistake("S0203", value.span, f"{what} needs one of the words {listed}, or an input that holds them")


def _check_length(function: Function, kind: str, least: int, value: Expression, what: str) -> None:
    sign, inner = (-1.0, value.x) if isinstance(value, Negative) else (1.0, value)
    if kind != "length" or not isinstance(inner, Number):
        return
    number = sign * inner.value
    if number != int(number) or number < least:
        help_text = "Later bars cannot be read." if function.name == "prior" and number < 0 else ""
        raise Mistake("S0211", value.span, f"{what} must be a whole number of {least} or more", None, help_text)


def placed_arguments(function: Function, node: Call) -> list[Expression | None]:
    """The arguments of a call in the order of the function's parameters; None where a default applies."""
    placed: list[Expression | None] = [None] * len(function.parameters)
    names = [parameter.name for parameter in function.parameters]
    for position, argument in enumerate(node.arguments):
        index = position if argument.name is None else _named_position(argument, names, node)
        if index >= len(names):
            raise Mistake("S0204", argument.value.span, f"`{function.name}` takes {_count(len(names))}, and this is one more",  # noqa: E501
                          None, f"Its form is `{function.signature}`.")  # fmt: skip
        if placed[index] is not None:
            raise Mistake(
                "S0204",
                argument.value.span,
                f"`{names[index]}` is given twice",
                None,
                f"The form is `{function.signature}`.",
            )
        placed[index] = argument.value
    for parameter, value in zip(function.parameters, placed, strict=True):
        if value is None and parameter.default is None:
            raise Mistake(
                "S0204",
                node.span,
                f"`{function.name}` needs `{parameter.name}`",
                None,
                f"Its form is `{function.signature}`.",
            )
    return placed


def _count(number: int) -> str:
    return "no arguments" if number == 0 else "1 argument" if number == 1 else f"{number} arguments"


def _named_position(argument: Argument, names: list[str], node: Call) -> int:
    assert argument.name is not None
    if argument.name in names:
        return names.index(argument.name)
    listed = ", ".join(f"`{name}`" for name in names)
    raise Mistake(
        "S0204", argument.value.span, f"`{node.name}` has no argument `{argument.name}`", None, f"It has {listed}."
    )


def _comparison(node: Comparison, scope: Scope) -> Meaning:
    found = [meaning_of(operand, scope) for operand in node.operands]
    kinds = {"number" if item.series else item.kind for item in found}
    if kinds == {"time"} or kinds == {"number"}:
        return Meaning("condition", all(item.constant for item in found))
    are_alike = kinds == {"word"} and found[0].words == found[-1].words and not any(item.constant for item in found)
    if are_alike and node.operators in (("==",), ("!=",)):  # two series of the same words
        return _CONDITION
    _refuse_words_with_signs(node, found)
    for operand, item in zip(node.operands, found, strict=True):
        if item.kind == "record":
            raise _which_field(operand, item)
        if item.kind in ("condition", "text"):
            raise Mistake("S0203", operand.span, f"`{node.operators[0]}` compares numbers, and this is {_ARTICLE[item.kind]}",  # noqa: E501
                          None, "To need both conditions, join them with `and`.")  # fmt: skip
    raise Mistake(
        "S0203",
        node.span,
        "this compares a time of day with a number",
        None,
        "Write times as 09:30; `hour` and `minute` are numbers.",
    )


def _refuse_words_with_signs(node: Comparison, found: list[Meaning]) -> None:
    """Raise Mistake where a word is compared by a sign, with what is meant where that is sure."""
    for place, item in enumerate(found):
        if item.kind != "word" or item.series:
            continue
        rest = [operand for other, operand in enumerate(node.operands) if other != place]
        mend = None
        if (
            item.words == MONTHS
            and isinstance(node.operands[place], Name)
            and len(rest) == 1
            and isinstance(rest[0], Number)
        ):
            mend = _months_by_number(node, place, rest[0].value)
        raise Mistake("S0203", node.operands[place].span, "words are compared with `is` and `in`", mend,
                      "As in `weekday is fri`, `month in may..sep`.")  # fmt: skip


def _months_by_number(node: Comparison, place: int, number: float) -> Mend | None:
    """`month >= 5` as a range of months; None where the number is no month."""
    operator = node.operators[0]
    if place == 1:
        operator = {"<": ">", ">": "<", "<=": ">=", ">=": "<="}.get(operator, operator)
    if number != int(number) or not 1 <= number <= 12:
        return None
    last = {"<": number - 1, "<=": number, ">": 12.0, ">=": 12.0, "==": number, "!=": number}[operator]
    first = {"<": 1.0, "<=": 1.0, ">": number + 1, ">=": number, "==": number, "!=": number}[operator]
    if not 1 <= first <= last <= 12:
        return None
    name, words = node.operands[place].name, (MONTHS[int(first) - 1], MONTHS[int(last) - 1])  # type: ignore[union-attr]
    if first == last:
        return Mend(f"{name} is {'not ' if operator == '!=' else ''}{words[0]}", node.span)
    return Mend(f"{name} in {words[0]}..{words[1]}", node.span)


def _in_range(node: InRange, scope: Scope) -> Meaning:
    x = meaning_of(node.x, scope)
    if x.kind == "time":
        need_time(node.low, scope, "a time range")
        need_time(node.high, scope, "a time range")
        return Meaning("condition", x.constant)
    parts = [need_number(part, scope, "`in`") for part in (node.x, node.low, node.high)]
    return Meaning("condition", all(part.constant for part in parts))


def _in_set(node: InSet, scope: Scope) -> Meaning:
    x = meaning_of(node.x, scope)
    if x.kind == "word":
        for item in node.items:
            if not isinstance(item, Name):
                raise Mistake("S0203", item.span, "a set for a word holds words")
            _need_word(item.name, item.span, x)
        return Meaning("condition", x.constant)
    need_number(node.x, scope, "`in`")
    constant = [need_number(item, scope, "a set").constant for item in node.items]
    return Meaning("condition", x.constant and all(constant))


def _need_word(word: str, span: Span, meaning: Meaning) -> None:
    if word in meaning.words:
        return
    near = nearest(word, meaning.words) or [item for item in meaning.words if word.lower().startswith(item)]
    mend = Mend(near[0], span) if len(near) == 1 else None
    listed = ", ".join(meaning.words)
    raise Mistake("S0208", span, f"`{word}` is not one of its words", mend, f"It can be {listed}.")


def _is(node: Is, scope: Scope) -> Meaning:
    x = meaning_of(node.x, scope)
    if x.kind == "condition" and x.constant and node.word in ("on", "off"):  # a switch
        return x
    if not x.words:
        help_text = (
            "Numbers are compared with `==`." if x.kind == "number" else "A condition stands by itself: `up`, `not up`."
        )
        raise Mistake("S0203", node.x.span, f"`is` compares a word, and this is {_ARTICLE[x.kind]}", None, help_text)
    _need_word(node.word, node.word_span, x)
    return Meaning("condition", x.constant or x.series)


def _elsewhere(node: OnTimeframe | FromMarket, scope: Scope) -> Meaning:
    """What `on` and `from` make of their expression, and that inputs there hold what is needed."""
    if isinstance(node.minutes, Name):
        _need_held(node.minutes, "timeframe", scope, "`on` needs a timeframe such as 4h, or an input that holds one")
    if isinstance(node, FromMarket) and isinstance(node.symbol, Name):
        _need_held(node.symbol, "market", scope, '`from` needs a market such as "KELP", or an input that holds one')
    return replace(meaning_of(node.x, scope), constant=False)


def _need_held(name: Name, kind: str, scope: Scope, message: str) -> None:
    if name.name not in scope.names and name.name not in scope.broken:
        if kind == "market":
            raise Mistake("S0203", name.span, "a market stands in quotes", Mend(f'"{name.name}"', name.span))
        raise Mistake("S0114", name.span, f"`{name.name}` is not a timeframe", None, "Write 5m, 90m, 4h, 1d or 1w.")
    if _name(name, scope).kind != kind:
        raise Mistake("S0203", name.span, message)


def _steps(node: Sequence | AllOf, scope: Scope) -> Meaning:
    """The tails of a sequence."""
    if node.within is not None:
        if not need_number(node.within, scope, "`no later than`").constant:
            raise Mistake("S0205", node.within.span, "`no later than` needs the same number on every bar")
        if isinstance(node.within, Number) and (node.within.value < 1 or node.within.value != int(node.within.value)):
            raise Mistake("S0211", node.within.span, "`no later than` needs a whole number of bars from 1")
    if node.unless is not None:
        need_condition(node.unless, scope, "`unless`")
    return _CONDITION


def _total(node: Total, scope: Scope) -> Meaning:
    """A sum over a counter that is a constant in each term."""
    for end in (node.low, node.high):
        if not need_number(end, scope, "`total`").constant:
            raise Mistake("S0205", end.span, "the range of `total` must be the same on every bar")
    check_free_name(node.name, node.name_span, scope)
    scope.names[node.name] = Meaning("number", True)
    try:
        return need_number(node.term, scope, "`total`")
    finally:
        del scope.names[node.name]
        scope.used.discard(node.name)


def check_free_name(name: str, span: Span, scope: Scope) -> None:
    """That a name can be given a meaning here."""
    if name in WORDS:
        raise Mistake("S0112", span, f"`{name}` is a word of the language")
    may_be_called = name in FUNCTIONS and any(item.default is None for item in FUNCTIONS[name].parameters)
    if not may_be_called and (name in BUILT_INS or name in FUNCTIONS or name in POSITION_NAMES):
        raise Mistake("S0112", span, f"`{name}` is built in", None, f"Choose another name, such as `my_{name}`.")
    if name in scope.names:
        raise Mistake("S0206", span, f"`{name}` is defined above already")


def _either(node: Either, scope: Scope) -> Meaning:
    condition = need_condition(node.condition, scope, "`if`")
    yes, no = meaning_of(node.yes, scope), meaning_of(node.no, scope)
    kinds = ["number" if item.series else item.kind for item in (yes, no)]
    if kinds[0] != kinds[1]:
        raise Mistake("S0203", node.no.span, f"one value is {_ARTICLE[kinds[0]]}, the other {_ARTICLE[kinds[1]]}")
    if kinds[0] not in ("number", "condition"):
        raise Mistake(
            "S0203", node.yes.span, f"`if` chooses between numbers or conditions, and this is {_ARTICLE[kinds[0]]}"
        )
    return Meaning(kinds[0], condition.constant and yes.constant and no.constant)
