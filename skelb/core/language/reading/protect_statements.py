"""Reading rules that protect a position: stop, target, trail, breakeven."""

from collections.abc import Callable

from skelb.core.language.diagnostics import Mistake
from skelb.core.language.reading.expressions import read_value
from skelb.core.language.reading.reader import Reader
from skelb.core.language.reading.rule_statements import read_only_if, read_side
from skelb.core.language.tree import Arithmetic, Breakeven, Distance, Protect, Trail

_UNITS = {"%": "percent", "pips": "pips", "ticks": "ticks", "points": "price", "cash": "cash", "R": "R"}


def _read_distance(reader: Reader) -> Distance:
    opened = reader.now
    is_whole = opened.text == "(" and reader.after_bracket().text in _UNITS
    amount = read_value(reader)
    unit = _UNITS.get(reader.now.text, "price")
    if unit != "price" and isinstance(amount, Arithmetic) and amount.operator in ("+", "-") and not is_whole:
        span = opened.start, reader.last_end
        raise Mistake("S0117", span, f"it cannot be told what of this sum `{reader.now.text}` counts",
                      None, f"Put what it counts in brackets: `({reader.text[span[0] : span[1]]}) {reader.now.text}`; "
                      "in price units a tick is `tick`, a pip `pip`.")  # fmt: skip
    if reader.now.text in _UNITS:
        reader.advance()
    return Distance(amount, unit, (opened.start, reader.last_end))  # type: ignore[arg-type]


def _read_distance_or_price(reader: Reader) -> Distance:
    start = reader.now.start
    if not reader.accept_word("at"):
        return _read_distance(reader)
    return Distance(read_value(reader), "at", (start, reader.last_end))


def read_protect(kind: str) -> Callable[[Reader], Protect]:
    """The reader of `stop` or `target`."""

    def read(reader: Reader) -> Protect:
        side = read_side(reader)
        distance = _read_distance_or_price(reader)
        part = None
        if kind == "target" and reader.accept_word("for"):
            part = read_value(reader)
            reader.need_sign("%", "`%` of the original units")
        return Protect(kind, side, distance, part, read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]

    return read


def read_trail(reader: Reader) -> Trail:
    """A `trail` statement, after its first word. Raises Mistake when it is none."""
    side = read_side(reader)
    distance = _read_distance_or_price(reader)
    once = _read_distance(reader) if reader.accept_word("once") else None
    return Trail(side, distance, once, read_only_if(reader), (0, reader.last_end))


def read_breakeven(reader: Reader) -> Breakeven:
    """A `breakeven` statement, after its first word. Raises Mistake when it is none."""
    side = read_side(reader)
    reader.need_word(("once",), "`once` and the profit that is needed first")
    once = _read_distance(reader)
    plus = _read_distance(reader) if reader.accept_word("plus") else None
    return Breakeven(side, once, plus, read_only_if(reader), (0, reader.last_end))
