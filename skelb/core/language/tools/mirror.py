"""The short rules that mirror the long ones (or the other way round): the same idea with the price upside down.

Every expression is one of four sorts, which say what the mirror makes of it: a *price* (`p` becomes `c - p`), a
*change* (changes its sign), a *swing* between two ends (`x` becomes low + high - x), or *even* (stays). Comparing
two prices, or a change with a number, turns the comparison round. What fits none of these is said, not guessed.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Literal, TypeVar

from skelb.core.catalogue import BUILT_INS, EVEN, FUNCTIONS, POSITION_NAMES, Function, Mirroring, Parameter
from skelb.core.language.check import Checked
from skelb.core.language.same import Meanings
from skelb.core.language.tools.written import written, written_statement
from skelb.core.language.tree import (
    AllOf,
    Arithmetic,
    Breakeven,
    Call,
    Comparison,
    Crossing,
    Distance,
    Either,
    Enter,
    Exit,
    ExitAfter,
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
    Order,
    Placed,
    Protect,
    Sequence,
    Side,
    Statement,
    Total,
    Trail,
    Truth,
)

Sort = Literal["price", "change", "swing", "even", "condition"]
_T = TypeVar("_T")

MOST_NAMES = 60  # that stand on one another

_TURNED: tuple[Sort, ...] = ("price", "change", "swing")
_FLIPPED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "==", "!=": "!="}
_OTHER_SIDE = {"long": "short", "short": "long"}
_NAMED_OPPOSITES = {"up": "down", "long": "short", "above": "below", "over": "under", "rise": "fall", "rising": "falling",  # noqa: E501
                    "higher": "lower", "high": "low", "upper": "lower", "buy": "sell", "bull": "bear", "flood": "ebb",
                    "breakout": "breakdown", "strong": "weak"}  # fmt: skip
_NAMED_OPPOSITES.update({right: left for left, right in list(_NAMED_OPPOSITES.items())})


class Unmirrored(Exception):  # noqa: N818 - becomes a line of the answer
    """A part has no mirror image; the message is the part and why."""


@dataclass(frozen=True)
class Mirrored:
    """New lines to add, and what could not be mirrored, each with the reason."""

    lines: tuple[str, ...]
    missing: tuple[str, ...]


def mirrored_rules(checked: Checked, side: Side = "long") -> Mirrored:
    """The rules of the other side that mirror those of `side`, with the names they need."""
    mirror = Mirror(checked)
    lines: list[str] = []
    missing: list[str] = []
    for placed in checked.statements:
        if side_of(placed.statement) != side:
            continue
        try:
            found = mirror.image_of_rule(placed.statement)
        except Unmirrored as exc:
            missing.append(f"`{_as_written(placed)}`: {exc}")
            continue
        if not mirror.is_present(found):
            lines.append(written_statement(found))
    return Mirrored((*mirror.definitions, *lines), tuple(missing))


def side_of(statement: Statement) -> Side | None:
    """The side that a rule is for; None for both, and for what is no rule of a side."""
    return statement.side if isinstance(statement, (Enter, Exit, ExitAfter, Protect, Trail, Breakeven)) else None


def _as_written(placed: Placed) -> str:
    return " ".join(placed.text.split())


def _turned_words(named: str | None) -> str | None:
    """A rule's name with its words turned round: "above calm" becomes "below calm"."""
    if named is None:
        return None
    return re.sub(r"[A-Za-z]+", lambda word: _NAMED_OPPOSITES.get(word[0], word[0]), named)


@dataclass(frozen=True)
class _Named:
    """What the mirror knows of a name: its sort and its ends, or why it has none, and what it stands for in the end."""

    sort: Sort | Unmirrored
    ends: tuple[float, float] | Unmirrored
    stands_for: Expression


class Mirror:
    """The mirror images of one script's rules; names get images of their own, in `definitions`."""

    def __init__(self, checked: Checked) -> None:
        self._checked = checked
        self._meanings = Meanings(checked.definitions)
        self._present = {self._meanings.of(placed.statement) for placed in checked.statements}
        self._named: dict[str, _Named] = {}
        for name, found in checked.definitions.items():  # in the order of the text: each stands on those before it
            self._named[name] = _Named(
                _or_why(self.sort, found.value), _or_why(self._ends, found.value), self._resolved(found.value)
            )
        self._by_meaning = {
            self._meanings.of(found.value): name for name, found in checked.definitions.items() if name.isidentifier()
        }
        self._images: dict[str, str] = {}
        self._made: set[str] = set()
        self._deep = 0
        self.definitions: list[str] = []

    def image_of_rule(self, statement: Statement) -> Statement:
        """The mirror image of a rule of one side. Raises Unmirrored, and then no names were made."""
        made = len(self._images), len(self._by_meaning), len(self.definitions)
        self._deep = 0
        try:
            return self._statement(statement)
        except Unmirrored:
            self._go_back(*made)
            raise

    def is_present(self, image: Statement) -> bool:
        """Whether the script has a rule that means the same."""
        return self._meanings.of(image) in self._present

    def added_by(self, statement: Statement) -> str | None:
        """What mirrors one rule, with the names it needs above it; None when it has no mirror image.

        A rule whose mirror image is in the script already has none to add.
        """
        if side_of(statement) is None:
            return None
        made = len(self._images), len(self._by_meaning), len(self.definitions)
        try:
            found = self.image_of_rule(statement)
        except Unmirrored:
            return None
        added = self.definitions[made[2] :]
        self._go_back(*made)
        return None if self.is_present(found) else "\n".join((*added, written_statement(found)))

    def _go_back(self, images: int, meanings: int, definitions: int) -> None:
        """Forget the names made since there were so many."""
        while len(self._images) > images:
            self._made.discard(self._images.popitem()[1])
        while len(self._by_meaning) > meanings:
            self._by_meaning.popitem()
        del self.definitions[definitions:]

    # --- rules ---

    def _statement(self, node: Statement) -> Statement:
        assert isinstance(node, (Enter, Exit, ExitAfter, Protect, Trail, Breakeven))
        assert node.side is not None
        other: Side = "short" if node.side == "long" else "long"
        match node:
            case Enter() | Exit():
                when, order = self.image(node.when), self._order(node.order)
                return replace(node, side=other, when=when, order=order, named=_turned_words(node.named))
            case Protect() | Trail():
                return replace(node, side=other, distance=self._distance(node.distance))
            case _:
                return replace(node, side=other)

    def _order(self, order: Order) -> Order:
        return order if order.price is None else replace(order, price=self._level(order.price))

    def _distance(self, distance: Distance) -> Distance:
        """A distance is the same on both sides unless its parts have sides; a price is mirrored."""
        if distance.unit == "at":
            return replace(distance, amount=self._level(distance.amount))
        if self.sort(distance.amount) not in ("even", "change"):
            raise Unmirrored(f"`{written(distance.amount)}` as a distance has no mirror image")
        image = self.image(distance.amount)
        return replace(
            distance, amount=Negative(image, image.span) if self.sort(distance.amount) == "change" else image
        )

    def _level(self, node: Expression) -> Expression:
        if self.sort(node) != "price":
            raise Unmirrored(f"`{written(node)}` is not a price")
        return self.image(node)

    # --- sorts ---

    def sort(self, node: Expression) -> Sort:
        """What the mirror does to the value of `node`. Raises Unmirrored when that is not clear."""
        match node:
            case Number():
                return "even"
            case Name():
                return self._sort_of_name(node)
            case Field():
                return self._sort_of_field(node)
            case Call():
                return self._sort_of_call(node)
            case Negative():
                return self._need(self.sort(node.x), ("change", "even"), node)
            case Arithmetic():
                return self._sort_of_arithmetic(node)
            case Either():
                return self._same_sort((node.yes, node.no), node)
            case OnTimeframe():
                return self.sort(node.x)
            case FromMarket():
                raise Unmirrored(f"`{written(node)}` is another market, which has no mirror image of its own")
            case Total():
                raise Unmirrored(f"`{written(node)}` is a sum of its own")
            case _:
                return "condition"

    def _need(self, found: Sort, allowed: tuple[Sort, ...], node: Expression) -> Sort:
        if found not in allowed:
            raise Unmirrored(f"`{written(node)}` has no mirror image")
        return found

    def _same_sort(self, parts: tuple[Expression, ...], node: Expression) -> Sort:
        sorts = {self.sort(part) for part in parts}
        if len(sorts) != 1:
            raise Unmirrored(f"`{written(node)}` mixes what the mirror turns round with what it leaves")
        return sorts.pop()

    def _sort_of_name(self, node: Name) -> Sort:
        checked = self._checked
        if node.name in self._named:
            return _known(self._named[node.name].sort)
        if node.name in checked.inputs:
            return self._sort_of_input(checked.inputs[node.name], node)
        if node.name in checked.carries:
            raise Unmirrored(f"`{node.name}` is a running value; write its mirror image yourself")
        if node.name in POSITION_NAMES:
            return self._sort_by(POSITION_NAMES[node.name].mirror, node, ())
        if node.name in BUILT_INS:
            return self._sort_by(_whole(BUILT_INS[node.name].mirror, node), node, ())
        if node.name in FUNCTIONS:
            return self._sort_of_call(Call(node.name, node.span, (), node.span))
        raise Unmirrored(f"`{node.name}` is a column of the bars, which has no mirror image of its own")

    def _sort_of_input(self, found: Input, node: Name) -> Sort:
        if found.kind == "choice" and self._checked.meanings[found.name].series:
            if not set(found.options) <= {"open", "close", "mid", "typical"}:
                raise Unmirrored(f"`{node.name}` chooses among series that the mirror would exchange")
            return "price"
        return "condition" if found.kind == "switch" else "even"

    def _sort_of_field(self, node: Field) -> Sort:
        call, mirror = self._mirror_of_field(node)
        return self._sort_by(mirror, node, self._numbers(call))

    def _mirror_of_field(self, node: Field) -> tuple[Call, Mirroring]:
        """The call that a field is of, and what the mirror makes of that field."""
        base = self._resolved(node.record)
        while isinstance(base, OnTimeframe):
            base = self._resolved(base.x)
        if isinstance(base, Name):
            base = Call(base.name, base.span, (), base.span)
        entry = FUNCTIONS.get(base.name) or BUILT_INS.get(base.name) if isinstance(base, Call) else None
        if entry is None or not isinstance(entry.mirror, Mapping) or node.name not in entry.mirror:
            raise Unmirrored(f"`{written(node)}` has no mirror image")
        assert isinstance(base, Call)
        return base, entry.mirror[node.name]

    def _sort_of_call(self, node: Call) -> Sort:
        return self._sort_by(_whole(_known_function(node).mirror, node), node, self._numbers(node))

    def _numbers(self, node: Call) -> tuple[Expression, ...]:
        """What a call is given to compute with, in the order of its parameters: not lengths, words or conditions."""
        if node.name not in FUNCTIONS:
            return ()
        parameters = FUNCTIONS[node.name].parameters
        given = {_parameter(node, place).name: item.value for place, item in enumerate(node.arguments)}
        return tuple(given[item.name] for item in parameters if item.kind in ("number", "any") and item.name in given)

    def _sort_by(self, mirror: Mirroring, node: Expression, numbers: tuple[Expression, ...]) -> Sort:
        """The sort of a value that is mirrored so, made of these numbers. Raises Unmirrored when it has none."""
        turns = mirror.turns
        if turns in ("price", "change", "swing", "even", "condition"):
            return turns
        if turns == "as all":
            return self._common_sort(numbers, node)
        sorts = [self.sort(number) for number in numbers]
        first = sorts[0] if sorts else "even"
        if turns == "as x" or all(sort == "even" for sort in sorts):
            return first
        if turns == "product":
            return "change" if sum(sort in _TURNED for sort in sorts) == 1 else "even"
        if turns in ("linear", "absolute"):
            return "change" if self._need(first, ("change",), node) and turns == "linear" else "even"
        if turns == "cannot":
            raise Unmirrored(f"`{written(node)}` has no mirror image")
        self._need(first, _TURNED, node)
        made: dict[str, Sort] = {"odd": "change", "size": "even", "swing of x": "swing"}
        return made[turns]

    def _common_sort(self, parts: tuple[Expression, ...], node: Expression) -> Sort:
        """The sort of several values together: changes and swings may stand beside numbers, which are turned with
        them."""
        sorts = {self.sort(part) for part in parts}
        turned = sorts - {"even"}
        if len(turned) > 1 or (turned == {"price"} and len(sorts) > 1):
            raise Unmirrored(f"`{written(node)}` mixes what the mirror turns round with what it leaves")
        return turned.pop() if turned else "even"

    def _sort_of_arithmetic(self, node: Arithmetic) -> Sort:
        a, b = self.sort(node.a), self.sort(node.b)
        if node.operator == "-" and a == b == "price":
            return "change"
        if node.operator in "+-":
            if a == b and a in ("change", "even"):
                return a
            if a == "price" and b in ("change", "even"):
                return "price"  # the image of an even distance changes its sign: see `image`
        if node.operator in "*/" and "change" in (a, b) and {a, b} <= {"change", "even"}:
            return "even" if a == b else "change"
        if a == b == "even":
            return "even"
        if node.operator == "*" and "price" in (a, b) and {a, b} == {"price", "even"}:
            raise Unmirrored(f"`{written(node)}` is a share of a price: write it as a distance (`price - 2 * atr(14)`)")
        raise Unmirrored(f"`{written(node)}` has no mirror image")

    # --- images ---

    def image(self, node: Expression) -> Expression:
        """The mirror image of `node`: conditions turned round, prices reflected, changes with their sign changed."""
        match node:
            case Number() | Truth():
                return node
            case Name():
                return self._image_of_name(node)
            case Field():
                call, mirror = self._mirror_of_field(node)
                is_turned = mirror.instead and self._is_exchanged(mirror, node, self._numbers(call))
                return replace(node, record=self.image(node.record), name=mirror.instead if is_turned else node.name)
            case Call():
                return self._image_of_call(node)
            case Negative() | Not():
                return replace(node, x=self.image(node.x))
            case Arithmetic():
                return self._image_of_arithmetic(node)
            case Logic():
                return replace(node, parts=tuple(self.image(part) for part in node.parts))
            case Comparison():
                return self._image_of_comparison(node)
            case Crossing():
                return self._image_of_crossing(node)
            case InRange():
                return self._image_of_range(node)
            case Is() if node.word in _OTHER_SIDE and isinstance(node.x, Name) and node.x.name == "position":
                return replace(node, word=_OTHER_SIDE[node.word])
            case InSet() | Is():
                return node
            case Either():
                parts = (self.image(node.condition), self.image(node.yes), self.image(node.no))
                return replace(node, condition=parts[0], yes=parts[1], no=parts[2])
            case OnTimeframe():
                return replace(node, x=self.image(node.x))
            case Sequence():
                unless = None if node.unless is None else self.image(node.unless)
                return replace(node, a=self.image(node.a), b=self.image(node.b), unless=unless)
            case AllOf():
                unless = None if node.unless is None else self.image(node.unless)
                return replace(node, parts=tuple(self.image(part) for part in node.parts), unless=unless)
            case _:
                raise Unmirrored(f"`{written(node)}` has no mirror image")

    def _image_of_name(self, node: Name) -> Expression:
        name = node.name
        if name not in self._checked.definitions:
            if name in self._checked.carries:
                raise Unmirrored(f"`{name}` is a running value; write its mirror image yourself")
            return self._image_of_built_in(node)
        if name not in self._images:
            if self._deep >= MOST_NAMES:
                raise Unmirrored(f"`{name}` is one of more than {MOST_NAMES} names that stand on one another")
            found = self._checked.definitions[name]
            self._deep += 1
            value = self.image(found.value)
            self._deep -= 1
            meaning = self._meanings.of(value)
            if meaning == self._meanings.of(found.value):
                self._images[name] = name
            elif meaning in self._by_meaning:
                self._images[name] = self._by_meaning[meaning]
            else:
                self._images[name] = self._new_name(name)
                self._by_meaning[meaning] = self._images[name]
                self.definitions.append(f"{self._images[name]} = {written(value)}")
        return replace(node, name=self._images[name])

    def _image_of_built_in(self, node: Name) -> Name:
        if node.name in FUNCTIONS:
            found = self._image_of_call(Call(node.name, node.span, (), node.span))
            assert isinstance(found, Call)
            return replace(node, name=found.name)
        mirror = BUILT_INS[node.name].mirror if node.name in BUILT_INS else None
        return replace(node, name=mirror.instead or node.name) if isinstance(mirror, Mirroring) else node

    def _new_name(self, name: str) -> str:
        words = name.replace(".", "_").split("_")
        turned = [_NAMED_OPPOSITES.get(word, word) for word in words]
        wanted = "_".join(turned) if turned != words else f"{'_'.join(words)}_mirrored"
        while any(wanted in taken for taken in (self._checked.meanings, self._made, FUNCTIONS, BUILT_INS)):
            wanted += "_mirrored"
        self._made.add(wanted)
        return wanted

    def _image_of_call(self, node: Call) -> Expression:
        stated = _known_function(node).mirror
        mirror = stated if isinstance(stated, Mirroring) else EVEN  # the fields of a record have their own
        is_turned = self._is_exchanged(mirror, node, self._numbers(node))
        together = self._turned(self._numbers(node), node) if mirror.turns == "as all" and is_turned else None
        images: dict[str, Expression] = {}
        for place, item in enumerate(node.arguments):
            parameter, value = _parameter(node, place), item.value
            if parameter.kind in ("number", "any"):
                value = together(value) if together else self.image(value)
            elif parameter.kind == "condition":
                value = self.image(value)
            elif is_turned and mirror.ends and parameter.name == mirror.ends[0]:
                value = self._across(value, mirror.ends[1], node)
                if not isinstance(value, Number):
                    raise Unmirrored(f"`{written(node)}` has an end that is not written as a number")
            images[parameter.name] = value
        if is_turned and mirror.crossed:
            one, other = mirror.crossed
            images[one], images[other] = images[other], images[one]
        arguments = (
            replace(item, value=images[_parameter(node, place).name]) for place, item in enumerate(node.arguments)
        )
        name = mirror.instead if is_turned and mirror.instead else node.name
        return replace(node, name=name, arguments=tuple(arguments))

    def _is_exchanged(self, mirror: Mirroring, node: Expression, numbers: tuple[Expression, ...]) -> bool:
        """Whether what takes its place in the mirror does so here: of what stays even it may be that nothing is
        turned."""
        if mirror.turns in ("as x", "odd", "linear", "condition") and numbers:
            return self._is_turned(numbers[0])
        return mirror.turns != "as all" or self._common_sort(numbers, node) != "even"

    def _is_turned(self, node: Expression) -> bool:
        return self.sort(node) in _TURNED

    def _image_of_arithmetic(self, node: Arithmetic) -> Expression:
        sort = self._sort_of_arithmetic(node)
        a, b = self.image(node.a), self.image(node.b)
        if sort == "price" and self.sort(node.b) == "even":  # price + distance: the distance lies on the other side
            return replace(node, operator="-" if node.operator == "+" else "+", a=a, b=b)
        return replace(node, a=a, b=b)

    def _image_of_comparison(self, node: Comparison) -> Expression:
        turned = self._turned(node.operands, node)
        if turned is None:
            return replace(node, operands=tuple(self.image(operand) for operand in node.operands))
        operands = tuple(turned(operand) for operand in node.operands)
        return replace(node, operands=operands, operators=tuple(_FLIPPED[item] for item in node.operators))

    def _image_of_crossing(self, node: Crossing) -> Expression:
        turned = self._turned((node.a, node.b), node)
        if turned is None:
            return replace(node, a=self.image(node.a), b=self.image(node.b))
        kind = {"above": "below", "below": "above"}.get(node.kind, node.kind)
        return replace(node, kind=kind, a=turned(node.a), b=turned(node.b))

    def _image_of_range(self, node: InRange) -> Expression:
        if self._is_clock(node.x):
            return node
        turned = self._turned((node.x, node.low, node.high), node)
        if turned is None:
            return replace(node, x=self.image(node.x), low=self.image(node.low), high=self.image(node.high))
        return replace(node, x=turned(node.x), low=turned(node.high), high=turned(node.low))

    def _is_clock(self, node: Expression) -> bool:
        found = self._resolved(node)
        return isinstance(found, Name) and found.name == "time"

    def _turned(self, parts: tuple[Expression, ...], node: Expression) -> Callable[[Expression], Expression] | None:
        """What the mirror makes of the parts that are compared; None when nothing is turned round."""
        sorts: Mapping[int, Sort] = {index: self.sort(part) for index, part in enumerate(parts)}
        kinds = set(sorts.values())
        if kinds <= {"even"} or kinds <= {"condition"}:
            return None
        if kinds == {"price"}:
            return self.image
        if kinds <= {"change", "even"}:
            return lambda part: self.image(part) if self.sort(part) == "change" else self._opposite(part, node)
        if kinds <= {"swing", "even"}:
            low, high = self._ends(next(part for part in parts if self.sort(part) == "swing"))
            return lambda part: self.image(part) if self.sort(part) == "swing" else self._across(part, low + high, node)
        raise Unmirrored(f"`{written(node)}` compares what the mirror turns round with what it leaves")

    def _opposite(self, part: Expression, node: Expression) -> Expression:
        """A number on the other side of 0."""
        if isinstance(part, Number):
            return part if part.value == 0 else Negative(part, part.span)
        return part.x if isinstance(part, Negative) else Negative(part, part.span)

    def _across(self, part: Expression, total: float, node: Expression) -> Expression:
        """A number as far from the other end."""
        stated = part.x if isinstance(part, Negative) else part
        if isinstance(stated, Number):
            value = total - stated.value if stated is part else total + stated.value
            return Number(value, part.span) if value >= 0 else Negative(Number(-value, part.span), part.span)
        if isinstance(part, Arithmetic) and part.operator == "-" and part.a == Number(total, part.a.span):
            return part.b
        return Arithmetic("-", Number(total, part.span), part, part.span)

    def _ends(self, node: Expression) -> tuple[float, float]:
        if isinstance(node, Name) and node.name in self._named:
            return _known(self._named[node.name].ends)
        found = node
        if isinstance(found, (Field, OnTimeframe)):
            return self._ends(found.record if isinstance(found, Field) else found.x)
        function = FUNCTIONS.get(found.name) if isinstance(found, (Call, Name)) else None
        if function is None or not function.bounded:
            if isinstance(found, Call) and found.arguments:
                return self._ends(found.arguments[0].value)
            raise Unmirrored(f"`{written(node)}` has no fixed ends")
        return function.bounded

    def _resolved(self, node: Expression) -> Expression:
        """What a name stands for in the end; anything else is itself."""
        return self._named[node.name].stands_for if isinstance(node, Name) and node.name in self._named else node


def _whole(mirror: Mirroring | Mapping[str, Mirroring], node: Expression) -> Mirroring:
    """What the mirror makes of a value that is no record."""
    if not isinstance(mirror, Mirroring):
        raise Unmirrored(f"`{written(node)}` is a record; its parts have mirror images")
    return mirror


def _known_function(node: Call) -> Function:
    if node.name not in FUNCTIONS:
        raise Unmirrored(f"`{node.name}` is not known here")
    return FUNCTIONS[node.name]


def _parameter(node: Call, place: int) -> Parameter:
    """What the argument at a place is for."""
    parameters, named = FUNCTIONS[node.name].parameters, node.arguments[place].name
    return parameters[place] if named is None else next(item for item in parameters if item.name == named)


def _or_why(find: Callable[[Expression], _T], node: Expression) -> _T | Unmirrored:
    try:
        return find(node)
    except Unmirrored as exc:
        return exc


def _known(found: _T | Unmirrored) -> _T:
    if isinstance(found, Unmirrored):
        raise Unmirrored(*found.args)
    return found
