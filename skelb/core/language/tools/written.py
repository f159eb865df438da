"""A tree as the text that reads back to it: `parse(written(tree)) == tree`."""

from datetime import date, timedelta

from skelb.core.bars import WEEKDAYS, Timeframe
from skelb.core.catalogue import MONTHS
from skelb.core.language.tree import (
    Alert,
    AllOf,
    Argument,
    Arithmetic,
    Breakeven,
    Call,
    Carry,
    Clock,
    Column,
    Comparison,
    Crossing,
    Dates,
    Define,
    Definition,
    Distance,
    Draw,
    Either,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Field,
    Flat,
    FromMarket,
    Input,
    InRange,
    InSet,
    Is,
    Level,
    Limit,
    Local,
    Logic,
    Mark,
    Months,
    Name,
    Negative,
    Not,
    Note,
    Number,
    OnTimeframe,
    Opposite,
    Order,
    Pause,
    Protect,
    Sequence,
    Shade,
    Size,
    Statement,
    Text,
    Tint,
    Title,
    Total,
    Trail,
    Truth,
    Use,
    Window,
    Zone,
)

# How tightly forms bind, loosest first; a part that binds looser than its place needs brackets.
_STEPS, _OR, _AND, _NOT, _RELATION, _SUM, _PRODUCT, _NEGATIVE, _POWER, _POSTFIX = range(10)


def written(node: Expression) -> str:
    """An expression as text.

    >>> from skelb.core.language.reading.reader import Reader
    >>> from skelb.core.language.reading.expressions import read_expression
    >>> written(read_expression(Reader("((a+b))*c>3")))
    '(a + b) * c > 3'
    """
    return _in(node, _STEPS)


def _in(node: Expression, place: int) -> str:
    """The text of a part that stands where `place` binds."""
    text, binds = _text(node)
    return text if binds >= place else f"({text})"


def _text(node: Expression) -> tuple[str, int]:
    """The text of a node, and how tightly its outermost form binds."""
    match node:
        case Number():
            return number_text(node.value), _POSTFIX
        case Truth():
            return node.value, _POSTFIX
        case Clock():
            return clock_text(node.minute), _POSTFIX
        case Text():
            return quoted(node.value), _POSTFIX
        case Name():
            return node.name, _POSTFIX
        case Field():
            return f"{_in(node.record, _POSTFIX)}.{node.name}", _POSTFIX
        case Call():
            return f"{node.name}({', '.join(_argument(item) for item in node.arguments)})", _POSTFIX
        case Negative():
            return f"-{_in(node.x, _NEGATIVE)}", _NEGATIVE
        case Arithmetic():
            return _arithmetic(node)
        case Not():
            return f"not {_in(node.x, _NOT)}", _NOT
        case Logic():
            binds = _AND if node.operator == "and" else _OR
            return f" {node.operator} ".join(_in(part, binds + 1) for part in node.parts), binds
        case Comparison():
            parts = [_in(node.operands[0], _SUM)]
            for operator, operand in zip(node.operators, node.operands[1:], strict=True):
                parts += [operator, _in(operand, _SUM)]
            return " ".join(parts), _RELATION
        case Crossing():
            word = "meets" if node.kind == "meets" else f"crosses {node.kind}"
            return f"{_in(node.a, _SUM)} {word} {_in(node.b, _SUM)}", _RELATION
        case InRange():
            within = f"{_in(node.low, _SUM)}..{_in(node.high, _SUM)}"
            return f"{_in(node.x, _SUM)} {'not ' * node.negated}in {within}", _RELATION
        case InSet():
            return f"{_in(node.x, _SUM)} {'not ' * node.negated}in {_set(node)}", _RELATION
        case Is():
            return f"{_in(node.x, _SUM)} is {'not ' * node.negated}{node.word}", _RELATION
        case Either():
            return f"({_in(node.yes, _STEPS)} if {_in(node.condition, _OR)} else {_in(node.no, _OR)})", _POSTFIX
        case OnTimeframe():
            x = _in(node.x, _POSTFIX)
            if isinstance(node.x, FromMarket) and node.x.minutes is None:
                x = f"({x})"  # else it would be the timeframe of `from`
            return f"{x} on {_frame(node.minutes)}{' forming' * node.forming}", _POSTFIX
        case FromMarket():
            symbol = node.symbol.name if isinstance(node.symbol, Name) else quoted(node.symbol)
            frame = "" if node.minutes is None else f" on {_frame(node.minutes)}{' forming' * node.forming}"
            return f"{_in(node.x, _POSTFIX)} from {symbol}{frame}", _POSTFIX
        case Sequence():
            first = _text(node.a)[0] if isinstance(node.a, (Sequence, AllOf)) else _in(node.a, _OR)
            return f"{first} then {_in(node.b, _OR)}{_tails(node)}", _STEPS
        case AllOf():
            return f"all of ({', '.join(_in(part, _STEPS) for part in node.parts)}){_tails(node)}", _STEPS
        case Total():
            span = f"{node.name} from {_in(node.low, _SUM)} to {_in(node.high, _SUM)}"
            return f"total({span}: {_in(node.term, _OR)})", _POSTFIX
        case Column():
            return f"column({quoted(node.name)})", _POSTFIX


def _argument(item: Argument) -> str:
    value = _in(item.value, _OR)
    return f"{item.name}: {value}" if item.name else value


def _arithmetic(node: Arithmetic) -> tuple[str, int]:
    if node.operator == "^":
        return f"{_in(node.a, _POSTFIX)} ^ {_in(node.b, _NEGATIVE)}", _POWER
    binds = _SUM if node.operator in "+-" else _PRODUCT
    return f"{_in(node.a, binds)} {node.operator} {_in(node.b, binds + 1)}", binds


def _tails(node: Sequence | AllOf) -> str:
    within = "" if node.within is None else f" no later than {_in(node.within, _SUM)} bars"
    return within + ("" if node.unless is None else f" unless {_in(node.unless, _OR)}")


def _frame(minutes: int | Name) -> str:
    return minutes.name if isinstance(minutes, Name) else str(Timeframe(minutes))


def number_text(value: float) -> str:
    """A number as scripts write it.

    >>> number_text(12.0), number_text(0.7), number_text(-3.0)
    ('12', '0.7', '-3')
    """
    return str(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)


def clock_text(minute: float) -> str:
    """Minutes of the day as a time.

    >>> clock_text(570)
    '09:30'
    """
    return f"{int(minute) // 60:02}:{int(minute) % 60:02}"


def quoted(text: str) -> str:
    """A text in its quotes."""
    return '"' + text.replace('"', '\\"') + '"'


# --- statements -----------------------------------------------------------------------------------------------


def written_statement(node: Statement) -> str:
    """A statement as one line of text."""
    match node:
        case Title():
            return f"title {quoted(node.text)}"
        case Note():
            return f"note {quoted(node.text)}"
        case Input():
            return _input(node)
        case Definition():
            return f"{node.name} = {written(node.value)}"
        case Carry():
            values, starts = ", ".join(map(written, node.values)), ", ".join(map(written, node.starts))
            return f"carry {', '.join(node.names)} = {values} starting {starts}"
        case Define():
            where = f" where {', '.join(_local(item) for item in node.locals)}" if node.locals else ""
            return f"define {node.name}({', '.join(node.parameters)}) = {written(node.value)}{where}"
        case Use():
            return _use(node)
        case Zone():
            return f"zone {quoted(node.area)}"
        case Draw() | Level() | Shade() | Mark() | Tint() | Alert():
            return _show(node)
        case _:
            return _rule(node) + _only_if(node)


def _input(node: Input) -> str:
    match node.kind:
        case "switch":
            default = "on" if node.default else "off"
        case "time":
            default = clock_text(float(node.default))
        case "number":
            default = number_text(float(node.default))
        case "market":
            default = quoted(str(node.default))
        case _:
            default = str(node.default)
    parts = [f"input {node.name} = {default}"]
    if node.low is not None and node.high is not None:
        parts.append(f"from {number_text(node.low)} to {number_text(node.high)}")
        if node.step is not None:
            parts.append(f"step {number_text(node.step)}")
    if node.options:
        options = [quoted(option) for option in node.options] if node.kind == "market" else node.options
        parts.append(f"one of {', '.join(options)}")
    if node.label:
        parts.append(quoted(node.label))
    return " ".join(parts)


def _local(item: Local) -> str:
    if item.start is None:
        return f"{item.name} = {written(item.value)}"
    return f"carry {item.name} = {written(item.value)} starting {written(item.start)}"


def _use(node: Use) -> str:
    parts = [f"use {quoted(node.title)}"]
    if node.version is not None:
        parts.append(f"version {node.version}")
    if node.inputs:
        parts.append("with " + ", ".join(f"{item.name} = {_used_value(item.value)}" for item in node.inputs))
    return " ".join([*parts, f"as {node.name}"])


def _used_value(value: Expression) -> str:
    if isinstance(value, Truth):
        return "on" if value.value == "yes" else "off"
    return _in(value, _SUM)


def _show(node: Draw | Level | Shade | Mark | Tint | Alert) -> str:
    match node:
        case Draw():
            text = f"draw {', '.join(map(written, node.values))}"
            text += f" as {node.form}" if node.form != "line" else ""
            text += f" in {quoted(node.panel)}" if node.panel is not None else ""
            if node.color:
                tone = node.color.when
                text += f" color {node.color.word}"
                text += "" if tone is None else f" when {written(tone)} else {node.color.otherwise}"
            return text + _named(node.named)
        case Level():
            panel = f" in {quoted(node.panel)}" if node.panel is not None else ""
            return f"level {', '.join(map(written, node.values))}{panel}"
        case Shade():
            when = "" if node.when is None else f" when {written(node.when)}"
            strength = "" if node.strength is None else f" strength {number_text(node.strength)}%"
            return f"shade {written(node.a)} to {written(node.b)}{_color(node.color)}{strength}{when}"
        case Mark():
            form = f" {node.form}" if node.form != "pointer" else ""
            label = "" if node.label is None else f" {quoted(node.label)}"
            return f"mark {written(node.when)} {node.place}{form}{_color(node.color)}{label}"
        case Tint():
            return f"tint {written(node.when)}{_color(node.color)}"
        case Alert():
            return f"alert {written(node.when)} {quoted(node.text)}"


def _color(word: str | None) -> str:
    return f" color {word}" if word else ""


def _rule(node: Statement) -> str:
    match node:
        case Enter():
            size = f" size {_amount(node.size)}" if node.size else ""
            return f"enter {node.side} when {written(node.when)}{_order(node.order)}{size}{_named(node.named)}"
        case Exit():
            take = "" if node.take is None else f" take {_value(node.take)}%"
            lots = "" if node.lots is None else f" lots {quoted(node.lots)}"
            when = f" when {written(node.when)}"
            return f"exit{_side(node)}{when}{_order(node.order)}{take}{lots}{_named(node.named)}"
        case ExitAfter():
            close = " at close" if node.at_close else ""
            return f"exit{_side(node)} after {_value(node.count)} {node.unit}{close}"
        case Protect():
            part = "" if node.part is None else f" for {_value(node.part)}%"
            return f"{node.kind}{_side(node)} {distance_text(node.distance)}{part}"
        case Trail():
            once = "" if node.once is None else f" once {distance_text(node.once)}"
            return f"trail{_side(node)} {distance_text(node.distance)}{once}"
        case Breakeven():
            plus = "" if node.plus is None else f" plus {distance_text(node.plus)}"
            return f"breakeven{_side(node)} once {distance_text(node.once)}{plus}"
        case Window():
            times = ", ".join(f"{_value(start)}-{_value(end)}" for start, end in node.times)
            return " ".join(part for part in ("window", cycle_text(node.days, WEEKDAYS), times) if part)
        case Months():
            return f"months {cycle_text(node.months, MONTHS)}"
        case Dates():
            return f"dates {date_text(node.first)} to {date_text(node.last)}"
        case Flat():
            return f"flat at {_value(node.at) if node.at is not None else f'{node.until} end'}"
        case Limit():
            if node.kind == "loss":
                return f"limit loss {_value(node.amount)}% per day"
            return f"limit {_value(node.amount)} {node.kind}{'' if node.kind == 'open' else ' per day'}"
        case Pause():
            return f"pause {_value(node.bars)} bars after {node.after}"
        case Opposite():
            return f"opposite {node.mode}"
        case Size():
            return f"size {_amount(node)}"
        case _:
            raise AssertionError(f"{type(node).__name__} is no rule")


def _only_if(node: Statement) -> str:
    condition = getattr(node, "only_if", None)
    return "" if condition is None else f" only if {written(condition)}"


def _side(node: Exit | ExitAfter | Protect | Trail | Breakeven) -> str:
    return f" {node.side}" if node.side else ""


def _named(name: str | None) -> str:
    return "" if name is None else f" named {quoted(name)}"


def _value(node: Expression) -> str:
    return _in(node, _SUM)


def _order(order: Order) -> str:
    if order.form == "market":
        return ""
    price = "" if order.price is None else f" {_value(order.price)}"
    return f" at {order.form}{price}" + ("" if order.bars is None else f" for {_value(order.bars)} bars")


_UNITS = {"price": "", "percent": "%", "pips": " pips", "ticks": " ticks", "cash": " cash", "R": " R"}


def _set(node: InSet) -> str:
    """The items of a set, or the range of words that it was written as."""
    names = [item.name for item in node.items if isinstance(item, Name)]
    for cycle in (WEEKDAYS, MONTHS):
        if len(names) == len(node.items) > 2 and names[0] in cycle:
            first = cycle.index(names[0])
            if names == [cycle[(first + step) % len(cycle)] for step in range(len(names))]:
                return f"{names[0]}..{names[-1]}"
    return f"({', '.join(_in(item, _SUM) for item in node.items)})"


def distance_text(distance: Distance) -> str:
    """A distance or price as rules write it."""
    if distance.unit == "at":
        return f"at {_value(distance.amount)}"
    amount = _value(distance.amount)
    if _UNITS[distance.unit] and isinstance(distance.amount, Arithmetic) and distance.amount.operator in ("+", "-"):
        amount = f"({amount})"
    return f"{amount}{_UNITS[distance.unit]}"


def _amount(size: Size) -> str:
    risk = "risk " if size.form.startswith("risk") else ""
    unit = {"units": " units", "cash": " cash", "risk_cash": " cash"}.get(size.form, "% of equity")
    most = "" if size.most is None else f" max {_value(size.most)} units"
    return f"{risk}{_value(size.amount)}{unit}{most}"


def cycle_text(positions: tuple[int, ...], names: tuple[str, ...]) -> str:
    """Days or months with neighbours joined.

    >>> cycle_text((0, 1, 2, 5), ("mon", "tue", "wed", "thu", "fri", "sat", "sun"))
    'mon-wed, sat'
    """
    stretches: list[list[int]] = []
    for position in positions:
        if stretches and position == stretches[-1][-1] + 1:
            stretches[-1].append(position)
        else:
            stretches.append([position])
    return ", ".join(names[item[0]] if len(item) == 1 else f"{names[item[0]]}-{names[item[-1]]}" for item in stretches)


def date_text(day: int) -> str:
    """Days since 1970 as a date."""
    return (date(1970, 1, 1) + timedelta(days=day)).isoformat()
