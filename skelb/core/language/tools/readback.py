"""A strategy in plain sentences, complete: every rule, every name it stands on, and every default that applies."""

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import MONTHS
from skelb.core.language.check import Checked
from skelb.core.language.tools.written import (
    clock_text,
    cycle_text,
    date_text,
    number_text,
    written,
)
from skelb.core.language.tree import (
    Breakeven,
    Carry,
    Clock,
    Dates,
    Definition,
    Distance,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Input,
    Limit,
    Months,
    Opposite,
    Order,
    Pause,
    Protect,
    Side,
    Size,
    Statement,
    Trail,
    Window,
    Zone,
)


def read_back(checked: Checked) -> list[str]:
    """The sentences of a sound script, in the order a trade lives: entries, exits, protection, when, size, names."""
    statements = [placed.statement for placed in checked.statements]
    sentences = [f"{checked.title or 'This script'}."]
    if not checked.has_entries:
        sentences.append("It is an indicator script: it draws and names, and trades nothing.")
    else:
        for part in (_entries, _exits, _protection, _when, _sizes):
            sentences += part(statements)
    return sentences + _names(statements)


# --- entries and exits ----------------------------------------------------------------------------------------


def _entries(statements: list[Statement]) -> list[str]:
    found = []
    sides = set()
    for rule in statements:
        if isinstance(rule, Enter):
            sides.add(rule.side)
            size = "" if rule.size is None else f", {_size_words(rule.size)}"
            name = "" if rule.named is None else f' This entry is called "{rule.named}".'
            body = f"It enters {rule.side}{_order_words(rule.order)} when `{written(rule.when)}`{size}{_only_if(rule.only_if)}."  # noqa: E501
            found.append(body + name)
    for side in ("long", "short"):
        if side not in sides:
            found.append(f"It never enters {side}.")
    found.append("A condition counts where it is yes at a bar's close; unknown counts as no.")
    found.append("If an exit and an entry of one side are both yes, the exit happens and the entry does not;"
                 " if entries of both sides at a market price are yes while flat, neither happens.")  # fmt: skip
    resting = {rule.side for rule in statements if isinstance(rule, Enter) and rule.order.price is not None}
    if resting == {"long", "short"}:
        found.append(
            "Orders of both sides may rest at once; when one fills, the other does what an opposite entry does."
        )
    if not any(isinstance(rule, Limit) and rule.kind == "open" for rule in statements):
        found.append("While in a position, further entries of its side do nothing.")
    modes = [rule for rule in statements if isinstance(rule, Opposite)]
    found += [f"{_OPPOSITE[rule.mode]}{_only_if(rule.only_if)}." for rule in modes]
    if not any(rule.only_if is None for rule in modes):
        found.append(_OPPOSITE["reverse"] + (" otherwise." if modes else "."))
    return found


_OPPOSITE = {
    "reverse": "An opposite entry reverses the position",
    "exit": "An opposite entry only closes the position",
    "ignore": "An opposite entry is ignored while in a position",
}


def _order_words(order: Order) -> str:
    if order.form == "market":
        return " at the next bar's open"
    if order.form == "close":
        return " at this bar's close"
    assert order.price is not None
    lasting = "1 bar" if order.bars is None else f"{written(order.bars)} bars"
    return f" at {order.form} `{written(order.price)}`, resting for {lasting},"


def _exits(statements: list[Statement]) -> list[str]:
    found = []
    for rule in statements:
        if isinstance(rule, Exit):
            part = "" if rule.take is None else f" {written(rule.take)} % of"
            lots = "" if rule.lots is None else f' opened by "{rule.lots}"'
            name = "" if rule.named is None else f' This exit is called "{rule.named}".'
            found.append(
                f"It closes{part} {_sided(rule.side)}{lots}{_order_words(rule.order)} when"
                f" `{written(rule.when)}`{_only_if(rule.only_if)}.{name}"
            )
        elif isinstance(rule, ExitAfter):
            moment = "at that bar's close" if rule.at_close else "at the next open"
            found.append(
                f"It closes {_sided(rule.side)} after {written(rule.count)} {rule.unit}, {moment}{_only_if(rule.only_if)}."  # noqa: E501
            )
    return found or ["No rule closes a position."]


def _sided(side: Side | None) -> str:
    return f"{side} positions" if side else "positions of both sides"


# --- protection -----------------------------------------------------------------------------------------------


def _protection(statements: list[Statement]) -> list[str]:
    found = []
    kinds = set()
    for rule in statements:
        only_if = _only_if(getattr(rule, "only_if", None))
        match rule:
            case Protect():
                kinds.add(rule.kind)
                part = "" if rule.part is None else f", for {written(rule.part)} % of the original units"
                found.append(
                    f"The {rule.kind} of {_sided(rule.side)} is {_distance_words(rule.distance)}{part}{only_if}."
                )
            case Trail():
                begins = (
                    "from the fill on"
                    if rule.once is None
                    else f"once the profit has reached {_distance_words(rule.once)}"
                )
                way = "follows" if rule.distance.unit == "at" else "follows the best price at a distance of"
                found.append(
                    f"The trailing stop of {_sided(rule.side)} {way} {_distance_words(rule.distance)}, {begins}{only_if}."  # noqa: E501
                )
            case Breakeven():
                plus = "" if rule.plus is None else f" plus {_distance_words(rule.plus)}"
                found.append(
                    f"The stop of {_sided(rule.side)} moves to the entry price{plus} once the profit has reached"
                    f" {_distance_words(rule.once)}{only_if}."
                )
            case _:
                pass
    found += [f"There is no {kind}." for kind in ("stop", "target") if kind not in kinds]
    if kinds:
        found.append(
            "Distances are fixed when the entry is judged and count from the fill; levels hold from the fill on."
        )
    return found


_UNIT_WORDS = {"percent": " % of the entry price", "cash": " of money per unit", "R": " times the first stop's distance",  # noqa: E501
               "pips": " pips", "ticks": " ticks", "price": " in price"}  # fmt: skip


def _distance_words(distance: Distance) -> str:
    if distance.unit == "at":
        return f"the price `{written(distance.amount)}`"
    return f"`{written(distance.amount)}`{_UNIT_WORDS[distance.unit]}"


# --- when -----------------------------------------------------------------------------------------------------


def _when(statements: list[Statement]) -> list[str]:
    found = []
    for rule in statements:
        only_if = _only_if(getattr(rule, "only_if", None))
        match rule:
            case Window():
                days = f" on {cycle_text(rule.days, WEEKDAYS)}" if rule.days else ""
                times = ", ".join(f"from {_clock(start)} until before {_clock(end)}" for start, end in rule.times)
                found.append(f"Entries are allowed{days} {times}".rstrip() + f"{only_if}.")
            case Months():
                found.append(f"Entries are allowed in {cycle_text(rule.months, MONTHS)}{only_if}.")
            case Dates():
                found.append(f"Entries are allowed from {date_text(rule.first)} to {date_text(rule.last)}{only_if}.")
            case Flat():
                moment = _clock(rule.at) if rule.at is not None else f"the end of the {rule.until}"
                found.append(
                    f"It is flat at {moment} and stays out until the next session{' or week' * (rule.until == 'week')}{only_if}."  # noqa: E501
                )
            case Limit():
                found.append(f"{_limit_words(rule)}{only_if}.")
            case Pause():
                found.append(
                    f"After every {_AFTER[rule.after]} it enters nothing for {written(rule.bars)} bars{only_if}."
                )
            case Zone():
                found.append(f"Times are in the zone {rule.area}.")
            case _:
                pass
    if not any(isinstance(rule, (Window, Months, Dates)) for rule in statements):
        found.append("Entries are allowed at all times of the session.")
    if not any(isinstance(rule, Flat) for rule in statements):
        found.append("Positions may stay open over nights and weekends.")
    if not any(isinstance(rule, Zone) for rule in statements):
        found.append("Times are in the market's zone.")
    return found


_AFTER = {"stop": "stopped trade", "loss": "losing trade", "exit": "trade"}


def _limit_words(rule: Limit) -> str:
    amount = written(rule.amount)
    return {
        "entries": f"It enters at most {amount} times a trading day",
        "open": f"At most {amount} lots are open at once: entries of the position's side add to it",
        "losses": f"After {amount} losing trades in a trading day it enters no more that day",
        "loss": f"When the day has lost {amount} % of the equity at the day before's end, it enters no more that day",
    }[rule.kind]


def _clock(node: Expression) -> str:
    return clock_text(node.minute) if isinstance(node, Clock) else f"`{written(node)}`"


# --- size -----------------------------------------------------------------------------------------------------


def _sizes(statements: list[Statement]) -> list[str]:
    sizes = [rule for rule in statements if isinstance(rule, Size)]
    found = [
        f"Entries without a size of their own are made {_size_words(rule)}{_only_if(rule.only_if)}." for rule in sizes
    ]
    if not any(rule.only_if is None for rule in sizes):
        other = "Otherwise entries" if sizes else "Entries"
        found.append(f"{other} without a size of their own use 100 % of equity.")
    return found


def _size_words(size: Size) -> str:
    amount = f"`{written(size.amount)}`"
    words = {
        "units": f"with {amount} units",
        "cash": f"with {amount} of money",
        "percent": f"with {amount} % of equity",
        "risk_percent": f"risking {amount} % of equity at the stop",
        "risk_cash": f"risking {amount} of money at the stop",
    }[size.form]
    return words + ("" if size.most is None else f", at most `{written(size.most)}` units")


# --- names ----------------------------------------------------------------------------------------------------


def _names(statements: list[Statement]) -> list[str]:
    found = []
    for statement in statements:
        match statement:
            case Input():
                found.append(f"`{statement.name}` is an input, {_default_words(statement)}.")
            case Definition():
                found.append(f"`{statement.name}` is `{written(statement.value)}`.")
            case Carry():
                for name, value, start in zip(statement.names, statement.values, statement.starts, strict=True):
                    found.append(f"`{name}` starts as `{written(start)}` and goes on as `{written(value)}`.")
            case _:
                pass
    return found


def _default_words(found: Input) -> str:
    match found.kind:
        case "switch":
            return "on" if found.default else "off"
        case "time":
            return clock_text(float(found.default))
        case "number":
            return number_text(float(found.default))
        case _:
            return str(found.default)


def _only_if(condition: Expression | None) -> str:
    return "" if condition is None else f", only if `{written(condition)}`"
