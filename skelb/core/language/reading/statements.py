"""Reading statements: one logical line each."""

from collections.abc import Callable
from dataclasses import fields, is_dataclass
from typing import Literal
from zoneinfo import available_timezones

from skelb.core.bars import Timeframe
from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.reading.expressions import clock_minutes, finite, frame_minutes, read_expression, read_value
from skelb.core.language.reading.foreign import foreign_mistake, foreign_statement
from skelb.core.language.reading.lines import STATEMENT_WORDS
from skelb.core.language.reading.near import nearest
from skelb.core.language.reading.protect_statements import read_breakeven, read_protect, read_trail
from skelb.core.language.reading.reader import Reader
from skelb.core.language.reading.rule_statements import read_enter, read_exit, read_opposite, read_size
from skelb.core.language.reading.show_statements import (
    read_alert,
    read_draw,
    read_level,
    read_list,
    read_mark,
    read_shade,
    read_tint,
)
from skelb.core.language.reading.tokens import Token
from skelb.core.language.reading.when_statements import (
    read_dates,
    read_flat,
    read_limit,
    read_months,
    read_pause,
    read_window,
)
from skelb.core.language.tree import (
    Carry,
    Define,
    Definition,
    Expression,
    Input,
    Local,
    Note,
    Statement,
    Text,
    Title,
    Truth,
    Use,
    Used,
    Zone,
)

_BEGINS_WITH = {
    "when": "enter long when …", "if": "enter long when …", "buy": "enter long when …", "sell": "exit long when …",
    "long": "enter long when …", "short": "enter short when …", "close": "exit when …",
    "plot": "draw …", "show": "draw …",
    "param": "input n = 12", "parameter": "input n = 12", "var": "carry n = … starting …", "alarm": 'alert … "text"',
    "cover": "exit short when …", "session": "window 09:30-16:00", "capital": "size 50% of equity",
}  # fmt: skip
"""What is written instead of words that people begin a line with."""
LONGEST_CHAIN = 150  # operations that hang on one another, as in a + b + c: going through them is recursion


def read_statement(text: str) -> Statement:
    """The statement that `text` (one logical line) is. Raises Mistake when it is none."""
    reader = Reader(text)
    first = reader.now
    if first.kind == "name" and reader.ahead().text == "=":
        found: Statement = _read_definition(reader)
    elif first.kind == "name" and first.text in _READERS:
        reader.advance()
        found = _READERS[first.text](reader)
    else:
        raise _unknown_statement(reader)
    reader.finish()
    if len(reader.tokens) > LONGEST_CHAIN:
        _refuse_long_chains(found, reader)
    return found


def _refuse_long_chains(statement: Statement, reader: Reader) -> None:
    """Raise Mistake where so many operations hang on one another that going through them would not end well."""
    waiting: list[tuple[object, int]] = [(statement, 0)]
    while waiting:
        part, depth = waiting.pop()
        if isinstance(part, tuple):
            waiting.extend((inner, depth) for inner in part)
        elif is_dataclass(part):
            if depth > LONGEST_CHAIN:
                raise Mistake("S0111", (0, reader.last_end), f"more than {LONGEST_CHAIN} operations hang on one another",  # noqa: E501
                              None, "Give parts of it names.")  # fmt: skip
            waiting.extend((getattr(part, item.name), depth + 1) for item in fields(part))


def _unknown_statement(reader: Reader) -> Mistake:
    first = reader.now
    foreign = foreign_statement(reader.tokens) or foreign_mistake(reader.text, reader.tokens, 0)
    if foreign:
        return foreign
    if first.kind != "name":
        return Mistake("S0102", first.span, f"a statement cannot start with `{first.text}`")
    if first.text.lower() in STATEMENT_WORDS:
        right = first.text.lower()
        return Mistake("S0109", first.span, f"`{first.text}` is written `{right}`", Mend(right, first.span))
    if reader.ahead().text == "(":
        return Mistake(
            "S0110",
            first.span,
            "nothing is called by itself",
            None,
            'To see a value write `draw …`; to be told, `alert … "text"`; to use it again, `name = …`.',
        )
    if reader.ahead().text in ("<", ">", "<=", ">=", "==", "crosses", "is", "in"):
        return Mistake("S0102", first.span, "a condition stands here by itself", None,
                       "Join it to the line before with `and` or `or`, or give it a name: `up = …`.")  # fmt: skip
    near = nearest(first.text, STATEMENT_WORDS)
    help_text = "A line begins with what it does, as in `enter long when …` or `stop 2%`, or with a name: `up = …`."
    if near:
        help_text = f"Did you mean `{near[0]}`?"
    elif first.text in _BEGINS_WITH:
        help_text = f"Write `{_BEGINS_WITH[first.text]}`."
    return Mistake("S0102", first.span, f"`{first.text}` starts no statement", None, help_text)


def _read_definition(reader: Reader) -> Definition:
    name = reader.advance()
    reader.advance()
    start = reader.now.start
    value = read_expression(reader)
    if reader.is_word("if"):
        _need_brackets(reader, start)
    return Definition(name.text, name.span, value, (name.start, reader.last_end))


def _need_brackets(reader: Reader, start: int) -> None:
    """Raise Mistake for a choice without brackets, which begins at `start` and whose `if` comes next."""
    word = reader.advance()
    read_expression(reader)
    reader.need_word(("else",), "`else` with the other value")
    read_expression(reader)
    span = start, reader.last_end
    raise Mistake("S0103", word.span, "a choice stands in brackets: `(a if c else b)`",
                  Mend(f"({reader.text[span[0] : span[1]]})", span))  # fmt: skip


def _read_carry(reader: Reader) -> Carry:
    names = [_carry_name(reader)]
    while reader.accept_sign(","):
        names.append(_carry_name(reader))
    reader.need_sign("=", "`=` and how the value goes on")
    values = read_list(reader)
    reader.need_word(("starting",), "`starting` and the first value")
    starts = read_list(reader)
    for items, what in ((values, "values"), (starts, "starting values")):
        if len(items) != len(names):
            span = (items[0].span[0], items[-1].span[1])
            raise Mistake(
                "S0204",
                span,
                f"{len(names)} names and {len(items)} {what}",
                None,
                "Give one for each name, in their order.",
            )
    return Carry(
        tuple(name.text for name in names), tuple(name.span for name in names), values, starts, (0, reader.last_end)
    )  # fmt: skip


def _carry_name(reader: Reader) -> Token:
    if reader.now.kind != "name":
        raise reader.missing("the running value's name")
    return reader.advance()


def _read_define(reader: Reader) -> Define:
    if reader.now.kind != "name":
        raise reader.missing("the function's name")
    name = reader.advance()
    opened = reader.need_sign("(", "`(` and the function's parameters")
    parameters: list[str] = []
    while not reader.is_sign(")"):
        if reader.now.kind != "name":
            raise reader.missing("a parameter's name")
        if reader.now.text in parameters:
            raise Mistake("S0206", reader.now.span, f"the parameter `{reader.now.text}` stands here twice")
        parameters.append(reader.advance().text)
        if not reader.accept_sign(","):
            break
    if not reader.is_sign(")"):
        raise reader.missing("`)` after the parameters")
    reader.close(opened)
    reader.need_sign("=", "`=` and what the function means")
    value = read_expression(reader)
    found = []
    if reader.accept_word("where"):
        found.append(_read_local(reader))
        while reader.accept_sign(","):
            found.append(_read_local(reader))
    return Define(name.text, name.span, tuple(parameters), value, tuple(found), (0, reader.last_end))


def _read_local(reader: Reader) -> Local:
    running = reader.accept_word("carry")
    if reader.now.kind != "name":
        raise reader.missing("a local name")
    name = reader.advance()
    reader.need_sign("=", "`=` and its meaning")
    value = read_expression(reader)
    start = None
    if running:
        reader.need_word(("starting",), "`starting` and the first value")
        start = read_expression(reader)
    return Local(name.text, name.span, value, start)


def _read_title(reader: Reader) -> Title:
    return Title(reader.need_text("the title"), (0, reader.last_end))


def _read_note(reader: Reader) -> Note:
    return Note(reader.need_text("the note"), (0, reader.last_end))


# --- inputs ---------------------------------------------------------------------------------------------------


def _read_input(reader: Reader) -> Input:
    if reader.now.kind != "name":
        raise reader.missing("the input's name")
    name = reader.advance()
    reader.need_sign("=", "`=` and a default")
    token = reader.now
    low = high = step = None
    options: tuple[str, ...] = ()
    default: float | bool | str
    kind: Literal["number", "switch", "choice", "time", "timeframe", "market"]
    if reader.accept_word("on", "off", "yes", "no"):
        kind, default = "switch", token.text in ("on", "yes")
    elif token.kind == "time":
        reader.advance()
        kind, default = "time", float(clock_minutes(token.text, token.span))
    elif token.kind == "number" or reader.is_sign("-"):
        kind, default = "number", _read_number(reader)
    elif token.kind == "frame":
        frame_minutes(token)
        reader.advance()
        kind, default = "timeframe", token.text
    elif token.kind == "text":
        kind, default = "market", reader.need_text("the market's symbol")
    elif token.kind == "name" and reader.ahead().text == "one":
        reader.advance()
        kind, default = "choice", token.text
    elif token.text.lower() in ("true", "false"):
        right = "on" if token.text.lower() == "true" else "off"
        raise Mistake("S0109", token.span, f"`{token.text}` is written `{right}`", Mend(right, token.span))
    else:
        raise reader.missing(
            "a default",
            "A default is a number, on or off, a time, a timeframe, a market in quotes, or a word with `one of …`.",
        )
    default_span = (token.start, reader.last_end)
    if kind != "switch" and reader.is_word("one"):
        options = _read_options(reader, kind)
    if kind == "number" and reader.accept_word("from"):
        low = _read_number(reader)
        reader.need_word(("to",), "`to` and the end of the range")
        high = _read_number(reader)
        if reader.accept_word("step"):
            step = _read_number(reader)
    label = reader.need_text("the label") if reader.now.kind == "text" else ""
    return Input(
        name.text, name.span, kind, default, default_span, low, high, step, options, label, (0, reader.last_end)
    )


def _read_number(reader: Reader) -> float:
    sign = -1.0 if reader.accept_sign("-") else 1.0
    if reader.now.kind != "number":
        raise reader.missing("a number")
    return sign * finite(reader.advance())


def _read_options(reader: Reader, kind: str) -> tuple[str, ...]:
    """What an input can be, as texts; each value in one form, however it was written."""
    reader.need_word(("one",), "`one of`")
    reader.need_word(("of",), "`of` after `one`")
    found = []
    while True:
        found.append(_read_option(reader, kind))
        if not reader.accept_sign(","):
            return tuple(found)


def _read_option(reader: Reader, kind: str) -> str:
    if kind == "number":
        return f"{_read_number(reader):.15g}"
    if kind == "market":
        return reader.need_text("a market's symbol")
    token = reader.now
    if token.kind != {"choice": "name", "timeframe": "frame", "time": "time"}[kind]:
        what = {"choice": "a word to choose", "timeframe": "a timeframe such as 4h", "time": "a time such as 09:30"}[
            kind
        ]
        raise reader.missing(what)
    reader.advance()
    if kind == "timeframe":
        return str(Timeframe(frame_minutes(token)))
    if kind == "time":
        minutes = clock_minutes(token.text, token.span)
        return f"{minutes // 60:02}:{minutes % 60:02}"
    return token.text


# --- other scripts --------------------------------------------------------------------------------------------


def _read_use(reader: Reader) -> Use:
    title_span = reader.now.span
    title = reader.need_text("the other script's title")
    version = None
    if reader.accept_word("version"):
        if reader.now.kind != "number" or not reader.now.text.isdigit():
            raise reader.missing("the version's number")
        version = int(reader.advance().text)
    inputs = []
    if reader.accept_word("with"):
        inputs.append(_read_used(reader))
        while reader.accept_sign(","):
            inputs.append(_read_used(reader))
    reader.need_word(("as",), "`as` and a name for the script")
    if reader.now.kind != "name":
        raise reader.missing("a name for the script")
    name = reader.advance()
    return Use(title, title_span, version, tuple(inputs), name.text, name.span, (0, reader.last_end))


def _read_used(reader: Reader) -> Used:
    if reader.now.kind != "name":
        raise reader.missing("the name of one of its inputs")
    name = reader.advance()
    reader.need_sign("=", "`=` and what the input is here")
    token = reader.now
    value: Expression
    if reader.accept_word("on", "off"):
        value = Truth("yes" if token.text == "on" else "no", token.span)
    elif token.kind == "frame":
        frame_minutes(token)
        reader.advance()
        value = Text(token.text, token.span)
    else:
        value = read_value(reader)
    return Used(name.text, name.span, value)


def _read_zone(reader: Reader) -> Zone:
    span = reader.now.span
    area = reader.need_text("the zone, such as Atlantic/Azores")
    if area not in available_timezones():
        near = nearest(area, available_timezones(), most=1)
        mend = Mend(f'"{near[0]}"', span) if near else None
        raise Mistake("S0116", span, f"`{area}` is not a zone", mend)
    return Zone(area, (0, reader.last_end))


_READERS: dict[str, Callable[[Reader], Statement]] = {
    "title": _read_title,
    "note": _read_note,
    "input": _read_input,
    "carry": _read_carry,
    "define": _read_define,
    "use": _read_use,
    "zone": _read_zone,
    "draw": read_draw,
    "level": read_level,
    "shade": read_shade,
    "mark": read_mark,
    "tint": read_tint,
    "alert": read_alert,
    "enter": read_enter,
    "exit": read_exit,
    "stop": read_protect("stop"),
    "target": read_protect("target"),
    "trail": read_trail,
    "breakeven": read_breakeven,
    "window": read_window,
    "months": read_months,
    "dates": read_dates,
    "flat": read_flat,
    "limit": read_limit,
    "pause": read_pause,
    "opposite": read_opposite,
    "size": read_size,
}
