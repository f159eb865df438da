"""Reading rules of when: windows, months, dates, flat times, limits, pauses."""

from datetime import date

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import MONTHS
from skelb.core.language.diagnostics import Mend, Mistake
from skelb.core.language.reading.expressions import clock_minutes, read_value
from skelb.core.language.reading.reader import Reader
from skelb.core.language.reading.rule_statements import read_only_if
from skelb.core.language.tree import Clock, Dates, Expression, Flat, Limit, Months, Name, Pause, Window


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
    if reader.now.kind == "name" and _is_day(reader.now.text):
        days = _read_cycle(reader, WEEKDAYS, "a weekday (mon, tue, …)")
    while reader.now.kind == "time" or (reader.now.kind == "name" and reader.now.text != "only"):
        start = _read_clock(reader)
        reader.need_sign("-", "`-` and the end of the time range")
        times.append((start, _read_clock(reader)))
        if not reader.accept_sign(","):
            break
    if not days and not times:
        raise reader.missing("days or a time range", "As in `window mon-thu 09:30-16:00`.")
    return Window(days, tuple(times), read_only_if(reader), (0, reader.last_end))


_FULL_DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")


def _is_day(word: str) -> bool:
    """Whether a word is a weekday, in a spelling that is Skelb's or can be mended."""
    return word.lower() in WEEKDAYS or word.lower() in _FULL_DAYS


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
    return Months(_read_cycle(reader, MONTHS, "a month (jan, feb, …)"), read_only_if(reader), (0, reader.last_end))


def read_flat(reader: Reader) -> Flat:
    """A `flat` statement, after its first word. Raises Mistake when it is none."""
    reader.need_word(("at",), "`at` and a time, `session end` or `week end`")
    if reader.is_word("session", "week") and reader.ahead().text == "end":
        until = reader.advance().text
        reader.advance()
        return Flat(None, until, read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]
    at = _read_clock(reader)
    return Flat(at, "time", read_only_if(reader), (0, reader.last_end))


def read_dates(reader: Reader) -> Dates:
    """A `dates` statement, after its first word. Raises Mistake when it is none."""
    first = _read_date(reader)
    reader.need_word(("to",), "`to` and the last date")
    start = reader.now.start
    last = _read_date(reader)
    if last < first:
        raise Mistake("S0115", (start, reader.last_end), "the last date lies before the first")
    return Dates(first, last, read_only_if(reader), (0, reader.last_end))


def _read_date(reader: Reader) -> int:
    if reader.now.kind != "date":
        raise reader.missing("a date such as 2024-03-31")
    token = reader.advance()
    try:
        return (date.fromisoformat(token.text) - date(1970, 1, 1)).days
    except ValueError as exc:
        raise Mistake("S0115", token.span, f"`{token.text}` is not a date") from exc


def read_limit(reader: Reader) -> Limit:
    """A `limit` statement, after its first word. Raises Mistake when it is none."""
    if reader.accept_word("loss"):
        amount = read_value(reader)
        reader.need_sign("%", "`%`")
        kind = "loss"
    else:
        amount = read_value(reader)
        kind = reader.need_unit("entries", "open", "losses")
    if kind != "open":
        reader.need_word(("per",), "`per day`")
        reader.need_word(("day",), "`day` after `per`")
    return Limit(kind, amount, read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]


def read_pause(reader: Reader) -> Pause:
    """A `pause` statement, after its first word. Raises Mistake when it is none."""
    bars = read_value(reader)
    reader.need_unit("bars")
    reader.need_word(("after",), "`after` and `stop`, `loss` or `exit`")
    after = reader.need_word(("stop", "loss", "exit"), "`stop`, `loss` or `exit`").text
    return Pause(bars, after, read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]
