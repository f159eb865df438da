"""Reading statements: one logical line each."""

from collections.abc import Callable
from typing import Literal

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import MONTHS
from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.expressions import clock_minutes, read_expression, read_value
from skelb.core.language.foreign import foreign_mistake, foreign_statement
from skelb.core.language.lines import STATEMENT_WORDS
from skelb.core.language.near import nearest
from skelb.core.language.reader import Reader
from skelb.core.language.tokens import Token
from skelb.core.language.tree import (
    Carry,
    Clock,
    Color,
    Define,
    Definition,
    Distance,
    Draw,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Input,
    Level,
    Local,
    Mark,
    Months,
    Name,
    Note,
    Opposite,
    Protect,
    Shade,
    Side,
    Size,
    Statement,
    Title,
    Window,
)

COLORS = ("ink", "soft", "long", "short", "gain", "loss", "brass", "deep", "shallow")
_FORMS = ("line", "stairs", "points", "pillars", "wash")
_PENNANTS = ("pointer", "ring", "pennon", "knot")
_LATER = {
    "use": "using another script (`use`)",
    "tint": "coloured bars (`tint`)",
    "alert": "alerts (`alert`)",
    "trail": "trailing stops (`trail`)",
    "breakeven": "`breakeven`",
    "limit": "limits on entries and losses (`limit`)",
    "pause": "pauses (`pause`)",
    "dates": "date ranges (`dates`); choose the run's dates instead",
    "zone": "another zone (`zone`); times are in the market's zone",
}


def read_statement(text: str) -> Statement:
    """The statement that `text` (one logical line) is. Raises Mistake when it is none."""
    reader = Reader(text)
    first = reader.now
    if first.kind == "name" and reader.ahead().text == "=":
        found: Statement = _read_definition(reader)
    elif first.kind == "name" and first.text in _READERS:
        reader.advance()
        found = _READERS[first.text](reader)
    elif first.kind == "name" and first.text in _LATER:
        raise Mistake("S0190", first.span, f"{_LATER[first.text]} cannot be run by this version yet")
    else:
        raise _unknown_statement(reader)
    reader.finish()
    return found


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
    near = nearest(first.text, STATEMENT_WORDS)
    help_text = f"Did you mean `{near[0]}`?" if near else ""
    return Mistake("S0102", first.span, f"`{first.text}` starts no statement", None, help_text)


def _read_definition(reader: Reader) -> Definition:
    name = reader.advance()
    reader.advance()
    value = read_expression(reader)
    return Definition(name.text, name.span, value, (name.start, reader.last_end))


def _read_carry(reader: Reader) -> Carry:
    names = [_carry_name(reader)]
    while reader.accept_sign(","):
        names.append(_carry_name(reader))
    reader.need_sign("=", "`=` and how the value goes on")
    values = _read_list(reader)
    reader.need_word(("starting",), "`starting` and the first value")
    starts = _read_list(reader)
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
    kind: Literal["number", "switch", "choice", "time"]
    if reader.accept_word("on", "off", "yes", "no"):
        kind, default = "switch", token.text in ("on", "yes")
    elif token.kind == "time":
        reader.advance()
        kind, default = "time", float(clock_minutes(token.text, token.span))
    elif token.kind == "number" or reader.is_sign("-"):
        kind, default = "number", _read_number(reader)
        if reader.accept_word("from"):
            low = _read_number(reader)
            reader.need_word(("to",), "`to` and the end of the range")
            high = _read_number(reader)
            if reader.accept_word("step"):
                step = _read_number(reader)
    elif token.kind == "frame" or token.kind == "text":
        what = "timeframe" if token.kind == "frame" else "market"
        raise Mistake("S0190", token.span, f"inputs that hold a {what} cannot be run by this version yet")
    elif token.kind == "name" and reader.ahead().text == "one":
        reader.advance()
        kind, default = "choice", token.text
        options = _read_options(reader)
    else:
        raise reader.missing("a default", "A default is a number, on or off, a time, or a word with `one of …`.")
    default_span = (token.start, reader.last_end if kind == "number" and low is None else token.end)
    label = reader.need_text("the label") if reader.now.kind == "text" else ""
    return Input(
        name.text, name.span, kind, default, default_span, low, high, step, options, label, (0, reader.last_end)
    )


def _read_number(reader: Reader) -> float:
    sign = -1.0 if reader.accept_sign("-") else 1.0
    if reader.now.kind != "number":
        raise reader.missing("a number")
    return sign * float(reader.advance().text)


def _read_options(reader: Reader) -> tuple[str, ...]:
    reader.need_word(("one",), "`one of`")
    reader.need_word(("of",), "`of` after `one`")
    words = []
    while True:
        if reader.now.kind != "name":
            raise reader.missing("a word to choose")
        words.append(reader.advance().text)
        if not reader.accept_sign(","):
            return tuple(words)


# --- statements that show -------------------------------------------------------------------------------------


def _read_list(reader: Reader) -> tuple[Expression, ...]:
    values = [read_expression(reader)]
    while reader.accept_sign(","):
        values.append(read_expression(reader))
    return tuple(values)


def _read_color_word(reader: Reader) -> str:
    return reader.need_word(COLORS, f"a colour word ({', '.join(COLORS)})").text


def _read_draw(reader: Reader) -> Draw:
    values = _read_list(reader)
    form, panel, color, named = "line", None, None, None
    while reader.now.kind != "end":
        if reader.accept_word("as"):
            form = reader.need_word(_FORMS, f"a form ({', '.join(_FORMS)})").text
        elif reader.accept_word("in"):
            panel = reader.need_text("the panel's name")
        elif reader.accept_word("color"):
            color = _read_color(reader)
        elif reader.accept_word("named"):
            named = reader.need_text("the name")
        else:
            break
    return Draw(values, form, panel, color, named, (0, reader.last_end))


def _read_color(reader: Reader) -> Color:
    word = _read_color_word(reader)
    if not reader.accept_word("when"):
        return Color(word, None, None)
    condition = read_expression(reader)
    reader.need_word(("else",), "`else` and the other colour")
    return Color(word, condition, _read_color_word(reader))


def _read_level(reader: Reader) -> Level:
    values = _read_list(reader)
    panel = reader.need_text("the panel's name") if reader.accept_word("in") else None
    return Level(values, panel, (0, reader.last_end))


def _read_shade(reader: Reader) -> Shade:
    a = read_expression(reader)
    reader.need_word(("to",), "`to` and the other line")
    b = read_expression(reader)
    color = _read_color_word(reader) if reader.accept_word("color") else None
    when = read_expression(reader) if reader.accept_word("when") else None
    return Shade(a, b, color, when, (0, reader.last_end))


def _read_mark(reader: Reader) -> Mark:
    when = read_expression(reader)
    place = reader.need_word(("above", "below"), "`above` or `below`").text
    form = reader.accept_word(*_PENNANTS)
    color = _read_color_word(reader) if reader.accept_word("color") else None
    label = reader.need_text("the label") if reader.now.kind == "text" else None
    return Mark(when, place, form.text if form else "pointer", color, label, (0, reader.last_end))  # type: ignore[arg-type]


# --- statements that rule -------------------------------------------------------------------------------------


def _read_only_if(reader: Reader) -> Expression | None:
    if not reader.accept_word("only"):
        return None
    reader.need_word(("if",), "`if` after `only`")
    return read_expression(reader)


def _read_side(reader: Reader) -> Side | None:
    word = reader.accept_word("long", "short")
    return word.text if word else None  # type: ignore[return-value]


def _read_when(reader: Reader) -> Expression:
    reader.need_word(("when",), "`when` and a condition")
    return read_expression(reader)


def _refuse_later(reader: Reader) -> None:
    """Refuse the tails of rules that the language has and this version cannot run."""
    if reader.is_word("at") and reader.ahead().text == "market":
        reader.advance()
        reader.advance()
    for word in ("at", "for", "take", "lots"):
        if reader.is_word(word):
            what = f"at {reader.ahead().text}" if word == "at" else word
            raise Mistake("S0190", reader.now.span, f"`{what}` in a rule cannot be run by this version yet")


def _read_enter(reader: Reader) -> Enter:
    side = reader.need_word(("long", "short"), "`long` or `short`").text
    when = _read_when(reader)
    size, named, only_if = None, None, None
    while reader.now.kind != "end":
        _refuse_later(reader)
        if reader.accept_word("size"):
            size = _read_amount(reader)
        elif reader.accept_word("named"):
            named = reader.need_text("the name")
        elif reader.is_word("only"):
            only_if = _read_only_if(reader)
        else:
            break
    return Enter(side, when, size, named, only_if, (0, reader.last_end))  # type: ignore[arg-type]


def _read_exit(reader: Reader) -> Exit | ExitAfter:
    side = _read_side(reader)
    if reader.accept_word("after"):
        bars = read_value(reader)
        if reader.is_word("days"):
            raise Mistake("S0190", reader.now.span, "`exit after … days` cannot be run by this version yet")
        reader.need_word(("bars",), "`bars`")
        _refuse_later(reader)
        return ExitAfter(side, bars, _read_only_if(reader), (0, reader.last_end))
    if reader.is_word("at"):
        raise reader.missing("`when` and a condition", "To leave at a time, write `flat at 16:45`.")
    when = _read_when(reader)
    _refuse_later(reader)
    named = reader.need_text("the name") if reader.accept_word("named") else None
    return Exit(side, when, named, _read_only_if(reader), (0, reader.last_end))


_UNITS = {"%": "percent", "pips": "pips", "ticks": "ticks", "points": "price", "cash": "cash", "R": "R"}


def _read_protect(kind: str) -> Callable[[Reader], Protect]:
    def read(reader: Reader) -> Protect:
        side = _read_side(reader)
        start = reader.now.start
        at = reader.accept_word("at")
        amount = read_value(reader)
        unit = "price"
        if at:
            unit = "at"
        elif reader.now.text in _UNITS:
            unit = _UNITS[reader.advance().text]
        distance = Distance(amount, unit, (start, reader.last_end))  # type: ignore[arg-type]
        _refuse_later(reader)
        return Protect(kind, side, distance, _read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]

    return read


def _read_cycle(reader: Reader, names: tuple[str, ...], what: str) -> tuple[int, ...]:
    """Days or months such as `mon-thu, sat`; a range may run over the end."""
    found: list[int] = []
    while True:
        if reader.now.text.lower()[:3] in names and reader.now.text not in names:
            right = reader.now.text.lower()[:3]
            raise Mistake(
                "S0109", reader.now.span, f"`{reader.now.text}` is written `{right}`", Mend(right, reader.now.span)
            )
        first = names.index(reader.need_word(names, what).text)
        last = first
        if reader.accept_sign("-"):
            last = names.index(reader.need_word(names, what).text)
        found += [(first + step) % len(names) for step in range((last - first) % len(names) + 1)]
        if not (reader.is_sign(",") and reader.ahead().text in names):
            return tuple(sorted(set(found)))
        reader.advance()


def _read_window(reader: Reader) -> Window:
    days: tuple[int, ...] = ()
    times: list[tuple[Expression, Expression]] = []
    if reader.now.kind == "name" and reader.now.text.lower()[:3] in WEEKDAYS and reader.ahead().text != ":":
        days = _read_cycle(reader, WEEKDAYS, "a weekday (mon, tue, …)")
    while reader.now.kind == "time" or (reader.now.kind == "name" and reader.now.text != "only"):
        start = _read_clock(reader)
        reader.need_sign("-", "`-` and the end of the time range")
        times.append((start, _read_clock(reader)))
        if not reader.accept_sign(","):
            break
    if not days and not times:
        raise reader.missing("days or a time range", "As in `window mon-thu 09:30-16:00`.")
    return Window(days, tuple(times), _read_only_if(reader), (0, reader.last_end))


def _read_clock(reader: Reader) -> Expression:
    if reader.now.kind not in ("time", "name"):
        raise reader.missing("a time such as 09:30")
    from_name = reader.now.kind == "name"
    token = reader.advance()
    if from_name:
        return Name(token.text, token.span)
    return Clock(clock_minutes(token.text, token.span), token.span)


def _read_months(reader: Reader) -> Months:
    return Months(_read_cycle(reader, MONTHS, "a month (jan, feb, …)"), _read_only_if(reader), (0, reader.last_end))


def _read_flat(reader: Reader) -> Flat:
    reader.need_word(("at",), "`at` and a time, `session end` or `week end`")
    if reader.is_word("session", "week") and reader.ahead().text == "end":
        until = reader.advance().text
        reader.advance()
        return Flat(None, until, _read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]
    at = _read_clock(reader)
    return Flat(at, "time", _read_only_if(reader), (0, reader.last_end))


def _read_opposite(reader: Reader) -> Opposite:
    mode = reader.need_word(("reverse", "exit", "ignore"), "`reverse`, `exit` or `ignore`").text
    return Opposite(mode, _read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]


def _read_size(reader: Reader) -> Size:
    size = _read_amount(reader)
    only_if = _read_only_if(reader)
    return Size(size.form, size.amount, size.most, only_if, (0, reader.last_end))


def _read_amount(reader: Reader) -> Size:
    start = reader.now.start
    risk = reader.accept_word("risk") is not None
    amount = read_value(reader)
    if reader.accept_sign("%"):
        reader.need_word(("of",), "`of equity`")
        reader.need_word(("equity",), "`equity`")
        form = "risk_percent" if risk else "percent"
    elif reader.accept_word("cash"):
        form = "risk_cash" if risk else "cash"
    elif not risk and reader.accept_word("units"):
        form = "units"
    else:
        raise reader.missing("`% of equity` or `cash`" if risk else "`units`, `cash` or `% of equity`")
    most = None
    if reader.accept_word("max"):
        most = read_value(reader)
        reader.need_word(("units",), "`units`")
    return Size(form, amount, most, None, (start, reader.last_end))  # type: ignore[arg-type]


_READERS: dict[str, Callable[[Reader], Statement]] = {
    "title": _read_title,
    "note": _read_note,
    "input": _read_input,
    "carry": _read_carry,
    "define": _read_define,
    "draw": _read_draw,
    "level": _read_level,
    "shade": _read_shade,
    "mark": _read_mark,
    "enter": _read_enter,
    "exit": _read_exit,
    "stop": _read_protect("stop"),
    "target": _read_protect("target"),
    "window": _read_window,
    "months": _read_months,
    "flat": _read_flat,
    "opposite": _read_opposite,
    "size": _read_size,
}
