"""Checked expressions as Python: what goes on from bar to bar becomes an object that is fed, the rest an expression."""

import inspect
import json
import keyword
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from types import ModuleType
from typing import assert_never

from skelb.core.bars import Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, POSITION_SIDES
from skelb.core.export.python.parts import averages, market, memory, momentum, trend, values, volume, windows
from skelb.core.export.python.refused import Refused
from skelb.core.language import Checked, names_in, placed_arguments
from skelb.core.language.tree import (
    AllOf,
    Arithmetic,
    Call,
    Carry,
    Clock,
    Column,
    Comparison,
    Crossing,
    Either,
    Expression,
    Field,
    FromMarket,
    InRange,
    InSet,
    Is,
    Logic,
    Name,
    Negative,
    Not,
    Number,
    OnTimeframe,
    Sequence,
    Text,
    Total,
    Truth,
)
from skelb.core.language.walk import parts_within
from skelb.core.plan import InputValue

PARTS = (windows, memory, averages, momentum, trend, volume)
_COMPARED = {"<": "less", "<=": "at_most", ">": "more", ">=": "at_least", "==": "equal"}
_MATHS = {
    "abs": "abs", "min": "smaller", "max": "larger", "sqrt": "root", "log": "logarithm", "exp": "exponential",
    "round": "nearest_whole", "floor": "whole_below", "ceil": "whole_above", "sign": "sign", "clamp": "clamped",
}  # fmt: skip
_SERIES = {
    "range": "bar.high - bar.low", "body": "abs(bar.close - bar.open)", "bar": "bar.number", "day": "bar.day.day",
    "upper_wick": "bar.high - max(bar.open, bar.close)", "lower_wick": "min(bar.open, bar.close) - bar.low",
    "year": "bar.day.year", "last_of_day": "bar.ends_day", "tick": "self.market.tick", "pip": "self.market.pip",
    "spread": "spread_of(bar, self.market)",
}  # fmt: skip
_FED = {"day_open": ("DaySoFar", "open"), "day_high": ("DaySoFar", "high"), "day_low": ("DaySoFar", "low"),
        "prior_day": ("PriorDay", ""), "prior_week": ("PriorWeek", ""),
        "trading_day_of_month": ("TradingDayOfMonth", "")}  # fmt: skip
_ATOM, _PRODUCT, _SUM = 3, 2, 1
_TAKEN = frozenset([
    *keyword.kwlist, *(name for module in (values, market, *PARTS) for name in vars(module)),
    "LONG", "SHORT", "ZONE", "Enter", "Exit", "Follow", "Wish", "Inputs", "Strategy", "Account", "MARKET", "SETTINGS",
    "self", "bar", "higher", "inputs", "minutes", "wishes", "position", "mid", "risk", "equity", "price", "others",
    "abs", "max", "min", "sum", "range", "float", "int", "str", "list", "dict",
    "on_bar", "may_enter", "stays_out", "is_flat_from_open", "is_flat_from_close", "room", "exit_after_bars",
    "exit_after_bars_at_close", "exit_after_days", "exit_after_days_at_close", "entries_a_day", "losses_a_day",
    "loss_percent", "pause_after_exit", "pause_after_stop", "pause_after_loss",
])  # fmt: skip
"""What the file names already, where a strategy's own names stand."""
_HIGHER = re.compile(r"(on|bars)_\d+[mhdw](_forming)?(_closed)?")
_LONGEST_NAME = 40


@dataclass(frozen=True)
class Code:
    """A Python expression: how tightly it binds, and whether it is a number, a condition, a word or a record."""

    text: str
    binds: int = _ATOM
    kind: str = "number"

    def within(self, binds: int) -> str:
        """The text, in brackets where its surroundings bind tighter."""
        return self.text if self.binds >= binds else f"({self.text})"


def number(value: float) -> str:
    """A number as Python writes it, whole ones without a point."""
    return str(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)


def quoted(text: str) -> str:
    """A text as Python writes it."""
    return json.dumps(text, ensure_ascii=False)


class Names:
    """Names for the file, each given once; those of the parts are taken."""

    def __init__(self) -> None:
        self._taken = set(_TAKEN)

    def fresh(self, wanted: str) -> str:
        """The wanted name as a Python name, or one near it that nothing has yet."""
        plain = re.sub(r"\W+", "_", wanted).strip("_")[:_LONGEST_NAME].strip("_") or "value"
        plain = f"_{plain}" if plain[0].isdigit() else plain
        found, number = plain, 2
        while found in self._taken or _HIGHER.fullmatch(found):
            found, number = f"{plain}_{number}", number + 1
        self._taken.add(found)
        return found


@dataclass
class Script:
    """The script being written, with what all timeframes share.

    `fixed` are the inputs whose value is written into the file; the others are fields of its `Inputs`.
    """

    checked: Checked
    inputs: Mapping[str, InputValue]
    fixed: frozenset[str]
    input_names: dict[str, str]
    classes: "Names" = field(default_factory=lambda: Names())
    markets: dict[str, None] = field(default_factory=dict)  # that `from` reads

    @property
    def zone(self) -> str:
        """The clock of a bar's close on the script's own zone."""
        return "clock_in(bar, ZONE)" if self.checked.zone else "bar.clock"


@dataclass(frozen=True)
class Place:
    """Other bars than a class's own: of a higher timeframe, of another market (on the class's timeframe where `minutes`
    is None), or of a higher timeframe with the bar that forms."""

    minutes: int | None
    symbol: str | None = None
    is_forming: bool = False

    @property
    def name(self) -> str:
        """As in `on_1h`, `on_1h_forming`, `quay12_on_1d`, `quay12`."""
        timeframe = f"on_{Timeframe(self.minutes)}" if self.minutes is not None else ""
        market = re.sub(r"\W+", "_", self.symbol or "").strip("_").lower()
        return "_".join(filter(None, [market, timeframe, "forming" if self.is_forming else ""]))


@dataclass(frozen=True)
class Elsewhere:
    """A class of the file for other bars, as another one holds it: the class, the attribute of what computes there and
    of what gathers its bars."""

    values: "Values"
    owner: str
    attribute: str
    bars: str


@dataclass
class Values:
    """What one class of the file computes on the bars of one timeframe: its set-up and its steps, in order.

    `minutes` are None where the file is told them when it runs. `elsewhere` are the other bars that are seen from here.
    `counters` are names of sums within which an expression stands; `running` those of running values within their own
    statement, and what they are there.
    """

    script: Script
    minutes: int | None = None
    is_strategy: bool = True
    elsewhere: dict[Place, Elsewhere] = field(default_factory=dict)
    names: Names = field(default_factory=Names)
    results: dict[str, Code] = field(default_factory=dict)  # what is seen from outside, by the attribute that holds it
    setup: list[str] = field(default_factory=list)
    steps: list[str] = field(default_factory=list)
    _defined: dict[str, Code] = field(default_factory=dict)
    _fed: dict[str, Code] = field(default_factory=dict)  # by the call
    _counters: dict[str, tuple[str, Expression, Expression]] = field(default_factory=dict)
    _running: dict[str, Code] = field(default_factory=dict)
    _now: dict[str, Code] = field(default_factory=dict)

    def code(self, node: Expression, named: str = "") -> Code:
        """The expression; what must be fed on every bar is fed before it. `named` is what its value is called.

        Raises Refused on what cannot be written.
        """
        match node:
            case Number():
                return Code(number(node.value))
            case Truth():
                return Code({"yes": "True", "no": "False", "unknown": "None"}[node.value], kind="condition")
            case Clock():
                hours, minutes = divmod(node.minute, 60)
                return Code(f"{hours} * 60" + (f" + {minutes}" if minutes else ""), _SUM if minutes else _PRODUCT)
            case Name():
                return self._name(node)
            case Field():
                return self._field(node)
            case Call():
                return self._call(node, named)
            case Negative():
                return Code(f"-{self.code(node.x).within(_ATOM)}", _PRODUCT)
            case Arithmetic():
                return self._arithmetic(node)
            case Not():
                return self._truth("negated", [self.code(node.x)])
            case Logic():
                word = "every" if node.operator == "and" else "either"
                return self._truth(word, [self.code(part) for part in node.parts])
            case Comparison():
                return self._comparison(node)
            case Crossing():
                up, down = node.kind in ("above", "meets"), node.kind in ("below", "meets")
                a, b = self.code(node.a), self.code(node.b)
                wanted = f"{a.text}_{'meets' if up and down else f'crosses_{node.kind}'}_{b.text}".replace("bar.", "")
                return self._feed(node, "Crossing", [str(up), str(down)], [a.text, b.text], wanted, "condition", named)
            case InRange():
                x, low, high = (self.code(part) for part in (node.x, node.low, node.high))
                is_time = self._kind(node.x) == "time"
                found = self._truth("in_hours" if is_time else "between", [x, low, high])
                return self._truth("negated", [found]) if node.negated else found
            case InSet():
                return self._in_set(node)
            case Is():
                found = self._is(node.x, node.word)
                return self._truth("negated", [found]) if node.negated else found
            case Either():
                condition, yes, no = (self.code(part) for part in (node.condition, node.yes, node.no))
                word = "chosen_truth" if "condition" in (yes.kind, no.kind) else "chosen"
                return Code(f"{word}({condition.text}, {yes.text}, {no.text})", kind=yes.kind)
            case OnTimeframe():
                return self._on(node, named)
            case Sequence() | AllOf():
                return self._steps(node, named)
            case Total():
                return self._total(node)
            case Column():
                return Code(f"column(bar, {quoted(node.name.lower())})")
            case FromMarket():
                return self._from(node, named)
            case Text():
                raise AssertionError("the checker lets no text be a value")
            case _:
                assert_never(node)

    def constant(self, node: Expression) -> str:
        """A number of bars, or of something else that is counted, as a whole number."""
        found = self.code(node)
        is_plain = found.text.isdigit() or (isinstance(node, Name) and self._is_whole_input(node.name))
        return found.text if is_plain else f"whole({found.text})"

    def is_of_position(self, node: Expression) -> bool:
        """Whether a part of a rule asks for the position."""
        return self.script.checked.is_of_position(node)

    # --- names ---------------------------------------------------------------------------------------------------

    def _name(self, node: Name) -> Code:
        name, checked = node.name, self.script.checked
        if name in self._running:
            return self._running[name]
        if name in self._counters:
            return Code(self._counters[name][0])
        if name in checked.inputs:
            return self._input(name)
        if name in checked.definitions:
            return self._definition(name)
        if name in checked.carries:
            return self._carried(name)
        if name in POSITION_NAMES:
            return Code("position.side" if name == "position" else f"position.{name}")
        if name in BUILT_INS:
            return self._built_in(node)
        return self._call(Call(name, node.span, (), node.span))

    def _input(self, name: str) -> Code:
        found, value = self.script.checked.inputs[name], self.script.inputs[name]
        if found.kind == "choice":
            return self._name(Name(str(value), found.span))
        if name not in self.script.fixed:
            kind = "condition" if found.kind == "switch" else "number"
            return Code(f"self.inputs.{self.script.input_names[name]}", kind=kind)
        if found.kind == "switch":
            return Code(str(bool(value)), kind="condition")
        assert isinstance(value, float)  # no other input stands where a value does
        return Code(number(value))

    def _is_whole_input(self, name: str) -> bool:
        value = self.script.inputs.get(name)
        return isinstance(value, float) and value == int(value)

    def _definition(self, name: str) -> Code:
        if name in self._defined:
            return self._defined[name]
        checked = self.script.checked
        value, meaning = checked.definitions[name].value, checked.meanings[name]
        if meaning.position or meaning.constant or meaning.kind in ("word", "timeframe", "market"):
            return self.code(value)  # written out where it is used
        called = self.names.fresh(name.rpartition(".")[2] if "." in name else name)
        found = self.code(value, called)
        if found.text != called:
            self.steps.append(f"{called} = {found.text}")
        self._defined[name] = Code(called, kind=found.kind)
        return self._defined[name]

    def _carried(self, name: str) -> Code:
        if name not in self._defined:
            self._carry(self.script.checked.carries[name])
        return self._defined[name]

    def _carry(self, statement: Carry) -> None:
        """Running values: they begin where all starts are known, and go on from their last known value."""
        names = self.names
        kinds = [self.script.checked.meanings[name].kind for name in statement.names]
        called = [names.fresh(name.partition(" ")[0].rpartition(".")[2]) for name in statement.names]
        nothing = ["None" if kind == "condition" else "math.nan" for kind in kinds]
        begun = names.fresh(f"{called[0]}_has_begun")
        self.setup += [f"self.{begun} = False"]
        self.setup += [f"self.{name} = {none}" for name, none in zip(called, nothing, strict=True)]
        starts = [self.code(start).text for start in statement.starts]
        before, self._running = self._running, {
            name: Code(f"self.{own}", kind=kind) for name, own, kind in zip(statement.names, called, kinds, strict=True)
        }  # fmt: skip
        lines = []
        for name, own, value, kind in zip(statement.names, called, statement.values, kinds, strict=True):
            lines.append(f"    {own} = {self.code(value).text}")
            self._now[name] = Code(own, kind=kind)
        self._running, self._now = before, {}
        known = " and ".join(f"known({own})" for own in called)
        self.steps += [f"if self.{begun}:", *lines]
        for own in called:
            self.steps.append(f"    self.{own} = {own} if known({own}) else self.{own}")
        self.steps += ["else:", *(f"    {own} = {start}" for own, start in zip(called, starts, strict=True))]
        self.steps += [f"    self.{begun} = {known}", f"    if self.{begun}:"]
        self.steps += [f"        self.{own} = {own}" for own in called]
        self.steps += ["    else:", *(f"        {own} = {none}" for own, none in zip(called, nothing, strict=True))]
        self._defined |= {
            name: Code(own, kind=kind) for name, own, kind in zip(statement.names, called, kinds, strict=True)
        }

    def _built_in(self, node: Name) -> Code:
        name, entry = node.name, BUILT_INS[node.name]
        if name in _FED:
            owner, part = _FED[name]
            found = self._feed(node, owner, [], ["bar"], re.sub(r"(?<!^)([A-Z])", r"_\1", owner).lower(), "record")
            return Code(f"{found.text}.{part}") if part else found
        kind = "condition" if entry.kind == "condition" else "word" if entry.words else "number"
        if name in ("hour", "minute", "time"):
            if not self.is_strategy and self.script.checked.zone:
                raise Refused(node, "times of another zone are written on the file's own bars only")
            clock = self.script.zone
            return Code({"hour": f"{clock} // 60", "minute": f"{clock} % 60", "time": clock}[name],
                        _ATOM if name == "time" else _PRODUCT)  # fmt: skip
        text = _SERIES.get(name, f"bar.{name}")
        return Code(text, _SUM if " - " in text else _ATOM, kind)

    # --- what goes on from bar to bar --------------------------------------------------------------------------------

    def _feed(
        self, node: Expression, owner: str, made_of: list[str], fed: list[str], wanted: str, kind: str = "number",
        named: str = "",
    ) -> Code:  # fmt: skip
        """The value of an object that is fed on every bar; the same call is made once."""
        if any(
            re.search(rf"\b{re.escape(own)}\b", part) for own, *_ in self._counters.values() for part in fed + made_of
        ):
            raise Refused(node, "within `total` only `prior(x, k)` may look back by the counter")
        key = f"{owner}({', '.join(made_of)}).next({', '.join(fed)})"
        if key not in self._fed:
            called = named or self.names.fresh(wanted)
            self.setup.append(f"self.{called} = {owner}({', '.join(made_of)})")
            self.steps.append(f"{called} = self.{called}.next({', '.join(fed)})")
            self._fed[key] = Code(called, kind=kind)
        return self._fed[key]

    def _call(self, node: Call, named: str = "") -> Code:
        if node.name == "now":
            [argument] = node.arguments
            assert isinstance(argument.value, Name)
            return self._now[argument.value.name]
        function = FUNCTIONS[node.name]
        given = placed_arguments(function, node)
        if node.name in _MATHS:
            parts = [self.code(value) for value in given if value is not None]
            return Code(f"{_MATHS[node.name]}({', '.join(part.text for part in parts)})")
        if node.name == "known":
            assert given[0] is not None
            return self._truth("known", [self.code(given[0])])
        if node.name == "prior":
            return self._prior(node, given, named)
        made_of, fed, owner = list[str](), list[str](), node.name
        for parameter, value in zip(function.parameters, given, strict=True):
            if parameter.kind == "word":
                assert isinstance(value, Name)
                owner = self._word_of(value)
            elif parameter.kind in ("number", "condition", "any"):
                assert value is not None
                fed.append(self.code(value).text)
            elif value is None:
                made_of.append(f"{parameter.default:g}")
            else:
                made_of.append(self.constant(value) if parameter.kind == "length" else self.code(value).text)
        kind = "condition" if function.result == "condition" else "record" if function.fields else "number"
        owner = "".join(part.capitalize() for part in owner.split("_"))
        if owner == "HistoricalVolatility":
            minutes = "self.minutes" if self.minutes is None else str(self.minutes)
            made_of.append(f"bars_per_year(self.market, {minutes})")
        if _class(owner) is None:
            raise Refused(node, f"`{node.name}` is not written as Python yet")
        wanted = "_".join([node.name, *fed, *made_of]).replace("self.inputs.", "").replace("bar.", "")
        return self._feed(node, owner, made_of, (["bar"] if _takes_bar(owner) else []) + fed, wanted, kind, named)

    def _prior(self, node: Call, given: list[Expression | None], named: str) -> Code:
        x, n = given
        assert x is not None
        counters = {name for name in self._counters if any(part.name == name for part in names_in(n))} if n else set()
        if counters:
            return self._past(node, x, n, counters)
        code = self.code(x)
        owner = {"condition": "TruthBefore", "word": "WordBefore"}.get(code.kind, "NumberBefore")
        count = "1" if n is None else self.constant(n)
        wanted = f"{code.text.replace('bar.', '')}_{count.replace('self.inputs.', '')}_before"
        return self._feed(node, owner, [count], [code.text], wanted, code.kind, named)

    def _past(self, node: Call, x: Expression, n: Expression | None, counters: set[str]) -> Code:
        """An earlier value by the counter of a sum: the values are kept as far back as it goes."""
        own = next(iter(counters))
        _, low, high = self._counters[own]
        code = self.code(x)
        if len(counters) > 1 or n is None or not _is_straight(n, own) or code.kind != "number":
            raise Refused(node, "within `total` a value is looked back for by so many times its counter, and a number")
        ends = [self._with_counter(own, end, n) for end in (low, high)]
        kept = self._feed(
            node, "Past", [f"1 + max({', '.join(ends)})"], [code.text], f"past_{code.text.replace('bar.', '')}"
        )
        return Code(f"{kept.text}.before({self.code(n).text})")

    def _with_counter(self, counter: str, end: Expression, n: Expression) -> str:
        """How far back a sum looks at one end of its counter."""
        before = self._counters.pop(counter)
        self._running[counter] = self.code(end)
        text = self.constant(n)
        del self._running[counter]
        self._counters[counter] = before
        return text

    def _total(self, node: Total) -> Code:
        called = self.names.fresh(node.name)
        low, high = self.constant(node.low), self.constant(node.high)
        self._counters[node.name] = called, node.low, node.high
        term = self.code(node.term)
        del self._counters[node.name]
        return Code(f"sum({term.text} for {called} in range({low}, {high} + 1))")

    def _steps(self, node: Sequence | AllOf, named: str) -> Code:
        parts = [self.code(part).text for part in ((node.a, node.b) if isinstance(node, Sequence) else node.parts)]
        if node.unless is not None:
            parts.append(f"unless={self.code(node.unless).text}")
        made_of = [] if node.within is None else [self.constant(node.within)]
        owner = "Then" if isinstance(node, Sequence) else "AllOf"
        return self._feed(node, owner, made_of, parts, "steps" if owner == "Then" else "all_of", "condition", named)

    def _on(self, node: OnTimeframe, named: str) -> Code:
        minutes = self._minutes_of(node.minutes)
        if self.minutes is not None and minutes < self.minutes:
            raise AssertionError("the checker lets no lower timeframe be asked for")
        if minutes == self.minutes or self._is_fixed(node.x):  # the same on every bar, and known before any closes
            return self.code(node.x, named)
        return self._seen(node, Place(minutes, is_forming=node.forming))

    def _from(self, node: FromMarket, named: str) -> Code:
        symbol = node.symbol if isinstance(node.symbol, str) else str(self.script.inputs[node.symbol.name])
        minutes = self.minutes if node.minutes is None else self._minutes_of(node.minutes)
        if node.forming and minutes != self.minutes:
            raise Refused(node, "a bar of another market that forms is not followed in the file yet")
        if self._is_fixed(node.x):
            return self.code(node.x, named)
        self.script.markets[symbol] = None
        return self._seen(node, Place(minutes, symbol))

    def _minutes_of(self, minutes: int | Name) -> int:
        held = self.script.inputs[minutes.name] if isinstance(minutes, Name) else minutes
        return Timeframe.parse(held).minutes if isinstance(held, str) else int(held)

    def _seen(self, node: OnTimeframe | FromMarket, place: Place) -> Code:
        """What is computed on other bars, as it is seen from here."""
        if any(part.name in self._counters for part in names_in(node.x)):
            raise Refused(node, "the counter of a `total` is not written within other bars yet")
        if place not in self.elsewhere:
            owner = self.script.classes.fresh("".join(part.capitalize() for part in place.name.split("_")))
            attribute, bars = place.name, f"bars_{place.name[3:]}"
            if not _HIGHER.fullmatch(place.name):
                attribute, bars = self.names.fresh(place.name), self.names.fresh(f"bars_{place.name}")
            there = Values(self.script, place.minutes, is_strategy=False)
            self.elsewhere[place] = Elsewhere(there, owner, attribute, bars)
        seen = self.elsewhere[place]
        there = seen.values
        found = there.code(node.x)
        if place.is_forming and there.elsewhere:
            raise Refused(node, "other bars within a bar that forms are not written yet")
        known = next((name for name, result in there.results.items() if result == found), None)
        if known is None:
            known = there.names.fresh(f"{found.text.replace('bar.', '')}_seen")
            there.results[known] = found
        return Code(f"self.{seen.attribute}.{known}", kind=found.kind)

    def _is_fixed(self, node: Expression) -> bool:
        """Whether an expression is made of numbers and inputs by what looks at them alone."""
        checked = self.script.checked
        return all(
            checked.meanings[part.name].constant if isinstance(part, Name) and part.name in checked.meanings else
            not isinstance(part, (Name, Call, Column, Crossing, Sequence, AllOf, Total, OnTimeframe, FromMarket))
            for part in parts_within(node)
        )  # fmt: skip

    def _field(self, node: Field) -> Code:
        """A field of a record; of one on another timeframe the field is what is seen from there."""
        record, definitions = node.record, self.script.checked.definitions
        while isinstance(record, Name) and record.name in definitions:
            record = definitions[record.name].value
        if isinstance(record, OnTimeframe | FromMarket):
            return self.code(replace(record, x=replace(node, record=record.x)))
        return Code(f"{self.code(node.record).within(_ATOM)}.{node.name}")

    # --- what looks at one bar -------------------------------------------------------------------------------------

    def _truth(self, word: str, parts: list[Code]) -> Code:
        return Code(f"{word}({', '.join(part.text for part in parts)})", kind="condition")

    def _arithmetic(self, node: Arithmetic) -> Code:
        a, b = self.code(node.a), self.code(node.b)
        if node.operator == "^":
            return Code(f"power({a.text}, {b.text})")
        if node.operator == "/" and not (isinstance(node.b, Number) and node.b.value):
            return Code(f"ratio({a.text}, {b.text})")
        binds = _SUM if node.operator in "+-" else _PRODUCT
        right = binds if node.operator in "+*" and binds == b.binds == _SUM else binds + 1
        return Code(f"{a.within(binds)} {node.operator} {b.within(right)}", binds)

    def _comparison(self, node: Comparison) -> Code:
        parts = [self.code(operand) for operand in node.operands]
        found = []
        for a, operator, b in zip(parts, node.operators, parts[1:], strict=False):
            if "word" in (a.kind, b.kind):
                same = self._truth("same_word", [a, b])
                found.append(same if operator == "==" else self._truth("negated", [same]))
            elif operator == "!=":
                found.append(self._truth("negated", [self._truth("equal", [a, b])]))
            else:
                found.append(self._truth(_COMPARED[operator], [a, b]))
        return found[0] if len(found) == 1 else self._truth("every", found)

    def _in_set(self, node: InSet) -> Code:
        items = [self._equal(node.x, item) for item in node.items]
        found = items[0] if len(items) == 1 else self._truth("either", items)
        return self._truth("negated", [found]) if node.negated else found

    def _equal(self, x: Expression, item: Expression) -> Code:
        if isinstance(item, Name) and (self._words(x) or item.name in POSITION_SIDES):
            return self._is(x, item.name)
        return self._truth("equal", [self.code(x), self.code(item)])

    def _is(self, x: Expression, word: str) -> Code:
        words = self._words(x)
        if word in ("on", "off") and not words:
            found = self.code(x)
            return found if word == "on" else self._truth("negated", [found])
        if word in POSITION_SIDES and not words:
            return Code(f"equal({self.code(x).text}, {POSITION_SIDES[word]:g})", kind="condition")
        choice = self._choice(x)
        if choice is not None:
            return Code(str(choice == word), kind="condition")
        return Code(f'same_word({self.code(x).text}, "{word}")', kind="condition")

    def _words(self, x: Expression) -> tuple[str, ...]:
        if isinstance(x, Call) and x.name == "prior":
            return self._words(x.arguments[0].value)
        if isinstance(x, OnTimeframe | FromMarket):
            return self._words(x.x)
        if not isinstance(x, Name):
            return ()
        if x.name in self.script.checked.meanings:
            return self.script.checked.meanings[x.name].words
        return BUILT_INS[x.name].words if x.name in BUILT_INS else ()

    def _kind(self, node: Expression) -> str:
        if isinstance(node, Clock):
            return "time"
        if isinstance(node, Name) and node.name in self.script.checked.meanings:
            return self.script.checked.meanings[node.name].kind
        return "time" if isinstance(node, Name) and node.name == "time" else ""

    def _choice(self, x: Expression) -> str | None:
        """The word that an input (or a name for it) holds."""
        checked = self.script.checked
        while isinstance(x, Name) and x.name in checked.definitions:
            x = checked.definitions[x.name].value
        found = checked.inputs.get(x.name) if isinstance(x, Name) else None
        return str(self.script.inputs[found.name]) if found is not None and found.kind == "choice" else None

    def _word_of(self, name: Name) -> str:
        return self._choice(name) or name.name


def _is_straight(node: Expression, counter: str) -> bool:
    """Whether an expression rises or falls evenly with a counter, so that its ends are those of the counter."""

    def stands_on_it(part: Expression) -> bool:
        return any(name.name == counter for name in names_in(part))

    match node:
        case Name() | Number():
            return True
        case Negative():
            return _is_straight(node.x, counter)
        case Arithmetic(operator="+" | "-"):
            return _is_straight(node.a, counter) and _is_straight(node.b, counter)
        case Arithmetic(operator="*"):
            parts = (node.a, node.b)
            return not all(map(stands_on_it, parts)) and all(_is_straight(part, counter) for part in parts)
        case _:
            return not stands_on_it(node)


@cache
def _class(name: str) -> type | None:
    modules: tuple[ModuleType, ...] = PARTS
    return next((getattr(module, name) for module in modules if hasattr(module, name)), None)


@cache
def _takes_bar(name: str) -> bool:
    owner = _class(name)
    assert owner is not None
    return "bar" in inspect.signature(owner.next).parameters  # type: ignore[attr-defined]
