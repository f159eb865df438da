"""What a single rule needs: conditions, numbers, times, and inputs alone after `only if`."""

from dataclasses import fields, replace

from skelb.core.catalogue import POSITION_NAMES
from skelb.core.language.checking.kinds import Meaning, Scope, need_condition, need_number, need_time
from skelb.core.language.checking.stepwise import check_stepwise, names_in
from skelb.core.language.diagnostics import Mistake
from skelb.core.language.tree import (
    Breakeven,
    Definition,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Limit,
    Name,
    Order,
    Pause,
    Protect,
    Size,
    Statement,
    Trail,
    Window,
)


def check_rule(statement: Statement, scope: Scope) -> None:
    """Check one rule by itself. Raises Mistake at the smallest wrong place."""
    only_if = getattr(statement, "only_if", None)
    if only_if is not None and not need_condition(only_if, scope, "`only if`").constant:
        raise Mistake(
            "S0304",
            only_if.span,
            "this changes from bar to bar",
            None,
            "Use inputs only, or put it into the rule's condition.",
        )
    match statement:
        case Enter():
            need_condition(statement.when, scope, f"`enter {statement.side} when`")
            _check_order(statement.order, scope)
            if statement.size:
                _check_size(statement.size, scope)
        case Exit():
            need_condition(statement.when, scope, "`exit when`")
            _check_order(statement.order, scope)
            if statement.take is not None:
                _need_constant(statement.take, scope, "`take`")
        case ExitAfter():
            _need_constant(statement.count, scope, "`exit after`")
        case Protect():
            need_number(statement.distance.amount, scope, f"`{statement.kind}`")
            if statement.kind == "stop" and statement.distance.unit == "R":
                raise _own_measure(statement.distance.span, "a stop")
            if statement.part is not None:
                _need_constant(statement.part, scope, "`for`")
        case Trail():
            need_number(statement.distance.amount, scope, "`trail`")
            if statement.once is not None:
                need_number(statement.once.amount, scope, "`once`")
        case Breakeven():
            need_number(statement.once.amount, scope, "`once`")
            if statement.plus is not None:
                need_number(statement.plus.amount, scope, "`plus`")
        case Window():
            for start, end in statement.times:
                need_time(start, scope, "`window`")
                need_time(end, scope, "`window`")
        case Flat():
            if statement.at is not None:
                need_time(statement.at, scope, "`flat at`")
        case Limit():
            _need_constant(statement.amount, scope, "`limit`")
        case Pause():
            _need_constant(statement.bars, scope, "`pause`")
        case Size():
            _check_size(statement, scope)
        case _:
            pass


def _own_measure(span: tuple[int, int], what: str) -> Mistake:
    return Mistake("S0303", span, f"{what} cannot be measured in R, which it defines itself")


def _check_order(order: Order, scope: Scope) -> None:
    if order.price is not None:
        need_number(order.price, scope, f"`at {order.form}`")
    if order.bars is not None:
        _need_constant(order.bars, scope, "`for … bars`")


def _check_size(size: Size, scope: Scope) -> None:
    need_number(size.amount, scope, "`size`")
    if size.most is not None:
        need_number(size.most, scope, "`max`")


def _need_constant(node: Expression, scope: Scope, what: str) -> None:
    if not need_number(node, scope, what).constant:
        raise Mistake("S0205", node.span, f"{what} needs the same number on every bar")


def check_position(statement: Statement, meaning: Meaning | None, scope: Scope) -> Meaning | None:
    """That values of the position stand only where a rule is judged at a close; what a name for them means.

    Raises Mistake elsewhere, and where they would need a history.
    """
    judged = _judged(statement)
    inside = {id(name) for part in judged for name in names_in(part)}
    for item in fields(statement):
        for name in names_in(getattr(statement, item.name)):
            if _asks_position(name, scope) and id(name) not in inside:
                raise Mistake(
                    "S0306",
                    name.span,
                    f"`{name.name}` depends on the position and stands outside a rule's condition",
                    None,
                    "It may stand in conditions of enter and exit rules, their order prices, `trail at`, and names used there.",  # noqa: E501
                )
    for part in judged:
        check_stepwise(
            part,
            lambda node: any(_asks_position(name, scope) for name in names_in(node)),
            "S0307",
            "a value of the position stands where earlier bars of it would be needed",
        )
    return replace(meaning, position=True, constant=False) if meaning is not None else None


def _judged(statement: Statement) -> tuple[Expression, ...]:
    """The parts of a statement that are judged at every close while a strategy runs."""
    match statement:
        case Definition():
            return (statement.value,)
        case Enter() | Exit():
            return (statement.when,) if statement.order.price is None else (statement.when, statement.order.price)
        case Trail() if statement.distance.unit == "at":
            return (statement.distance.amount,)
        case _:
            return ()


def _asks_position(name: Name, scope: Scope) -> bool:
    if name.name in scope.names:
        return scope.names[name.name].position
    return name.name in POSITION_NAMES
