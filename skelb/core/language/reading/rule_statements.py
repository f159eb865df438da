"""Reading rules that act: entries, exits, what an opposite signal does, size."""

from skelb.core.language.diagnostics import Mistake
from skelb.core.language.reading.expressions import read_expression, read_value
from skelb.core.language.reading.reader import Reader
from skelb.core.language.tree import Enter, Exit, ExitAfter, Expression, Opposite, Order, Side, Size

_MARKET = Order("market", None, None, (0, 0))


def read_only_if(reader: Reader) -> Expression | None:
    """The tail `only if …`, when there is one."""
    if not reader.accept_word("only"):
        return None
    reader.need_word(("if",), "`if` after `only`")
    return read_expression(reader)


def read_side(reader: Reader) -> Side | None:
    """`long` or `short`, when one stands here."""
    word = reader.accept_word("long", "short")
    return word.text if word else None  # type: ignore[return-value]


class _Tails:
    """The tails of an enter or exit rule, in any order, each at most once."""

    def __init__(self, reader: Reader, allowed: tuple[str, ...]) -> None:
        self.order = _MARKET
        self.bars: Expression | None = None
        self.size: Size | None = None
        self.take: Expression | None = None
        self.lots: str | None = None
        self.named: str | None = None
        self.only_if: Expression | None = None
        seen: set[str] = set()
        while reader.now.kind == "name" and reader.now.text in allowed:
            word = reader.now
            if word.text in seen:
                raise Mistake("S0105", word.span, f"a second `{word.text}` in one rule", None, "Keep one of them.")
            seen.add(word.text)
            self._read(reader, word.text)
        if self.bars is not None:
            if self.order.price is None:
                raise Mistake("S0105", self.bars.span, "`for … bars` has no resting order before it", None,
                              "It says how long an order `at limit P` or `at stop P` waits.")  # fmt: skip
            self.order = Order(self.order.form, self.order.price, self.bars, self.order.span)

    def _read(self, reader: Reader, word: str) -> None:
        if word == "only":
            self.only_if = read_only_if(reader)
            return
        start = reader.advance().start
        if word == "at":
            form = reader.need_word(("market", "close", "limit", "stop"), "`market`, `close`, `limit` or `stop`").text
            price = read_value(reader) if form in ("limit", "stop") else None
            self.order = Order(form, price, None, (start, reader.last_end))  # type: ignore[arg-type]
        elif word == "for":
            self.bars = read_value(reader)
            reader.need_unit("bars")
        elif word == "size":
            self.size = _read_amount(reader)
        elif word == "take":
            self.take = read_value(reader)
            reader.need_sign("%", "`%`")
        elif word == "lots":
            self.lots = reader.need_text("the name of the entry whose lots it closes")
        else:
            self.named = reader.need_text("the name")


def read_enter(reader: Reader) -> Enter:
    """An `enter` statement, after its first word. Raises Mistake when it is none."""
    side = reader.need_word(("long", "short"), "`long` or `short`").text
    when = _read_when(reader)
    tails = _Tails(reader, ("at", "for", "size", "named", "only"))
    return Enter(side, when, tails.order, tails.size, tails.named, tails.only_if, (0, reader.last_end))  # type: ignore[arg-type]


def _read_when(reader: Reader) -> Expression:
    reader.need_word(("when",), "`when` and a condition")
    return read_expression(reader)


def read_exit(reader: Reader) -> Exit | ExitAfter:
    """An `exit` statement, after its first word. Raises Mistake when it is none."""
    side = read_side(reader)
    if reader.accept_word("after"):
        return _read_exit_after(reader, side)
    if reader.is_word("at"):
        raise reader.missing("`when` and a condition", "To leave at a time, write `flat at 16:45`.")
    when = _read_when(reader)
    tails = _Tails(reader, ("at", "for", "take", "lots", "named", "only"))
    return Exit(side, when, tails.order, tails.take, tails.lots, tails.named, tails.only_if, (0, reader.last_end))


def _read_exit_after(reader: Reader, side: Side | None) -> ExitAfter:
    count = read_value(reader)
    unit = reader.need_unit("bars", "days")
    at_close = reader.accept_word("at") is not None
    if at_close:
        reader.need_word(("close",), "`close` after `at`")
    return ExitAfter(side, count, unit, at_close, read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]


def read_opposite(reader: Reader) -> Opposite:
    """A `opposite` statement, after its first word. Raises Mistake when it is none."""
    mode = reader.need_word(("reverse", "exit", "ignore"), "`reverse`, `exit` or `ignore`").text
    return Opposite(mode, read_only_if(reader), (0, reader.last_end))  # type: ignore[arg-type]


def read_size(reader: Reader) -> Size:
    """A `size` statement, after its first word. Raises Mistake when it is none."""
    size = _read_amount(reader)
    only_if = read_only_if(reader)
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
    elif not risk and reader.accept_word("units", "unit"):
        form = "units"
    else:
        raise reader.missing("`% of equity` or `cash`" if risk else "`units`, `cash` or `% of equity`")
    most = None
    if reader.accept_word("max"):
        most = read_value(reader)
        reader.need_unit("units")
    return Size(form, amount, most, None, (start, reader.last_end))  # type: ignore[arg-type]
