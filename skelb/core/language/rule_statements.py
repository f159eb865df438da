"""Reading statements that rule: entries, exits, protection, windows, size."""

from collections.abc import Callable

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import MONTHS
from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.expressions import clock_minutes, read_expression, read_value
from skelb.core.language.reader import Reader
from skelb.core.language.tree import (
    Clock,
    Distance,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Months,
    Name,
    Opposite,
    Protect,
    Side,
    Size,
    Window,
)


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


def read_enter(reader: Reader) -> Enter:
    """A `enter` statement, after its first word. Raises Mistake when it is none."""
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


def read_exit(reader: Reader) -> Exit | ExitAfter:
    """A `exit` statement, after its first word. Raises Mistake when it is none."""
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


def read_protect(kind: str) -> Callable[[Reader], Protect]:
    """The reader of `stop` or `target`."""

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


def read_window(reader: Reader) -> Window:
    """A `window` statement, after its first word. Raises Mistake when it is none."""
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


def read_months(reader: Reader) -> Months:
    """A `months` statement, after its first word. Raises Mistake when it is none."""
    return Months(_read_cycle(reader, MONTHS, "a month (jan, feb, …)"), _read_only_if(reader), (0, reader.last_end))


def read_flat(reader: Reader) -> Flat:
    """A `flat` statement, after its first word. Raises Mistake when it is none."""
    reader.need_word(("at",), "`at` and a time, `session end` or `week end`")
    if reader.is_word("session", "week") and reader.ahead().text == "end":
        until = reader.advance().text
        reader.advance()
        return Flat(None, until, _read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]
    at = _read_clock(reader)
    return Flat(at, "time", _read_only_if(reader), (0, reader.last_end))


def read_opposite(reader: Reader) -> Opposite:
    """A `opposite` statement, after its first word. Raises Mistake when it is none."""
    mode = reader.need_word(("reverse", "exit", "ignore"), "`reverse`, `exit` or `ignore`").text
    return Opposite(mode, _read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]


def read_size(reader: Reader) -> Size:
    """A `size` statement, after its first word. Raises Mistake when it is none."""
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
