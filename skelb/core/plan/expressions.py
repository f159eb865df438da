"""Checked expressions to values: inputs filled in, equal parts computed once."""

from collections.abc import Collection, Hashable, Mapping
from typing import assert_never

import numpy as np

from skelb.core.bars import Timeframe
from skelb.core.catalogue import (
    BUILT_INS,
    FUNCTIONS,
    NO,
    UNKNOWN,
    YES,
)
from skelb.core.errors import SettingsError
from skelb.core.language import Checked, names_within, placed_arguments
from skelb.core.language.tree import (
    AllOf,
    Arithmetic,
    Call,
    Carry,
    Clock,
    Column,
    Comparison,
    Crossing,
    Definition,
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
from skelb.core.plan.carries import compile_carry
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.evaluation import Evaluation
from skelb.core.plan.memo import Value
from skelb.core.plan.operations import parts_of
from skelb.core.stopping import stop_point

InputValue = float | bool | str
LONGEST_LENGTH = 1_000_000
MOST_TERMS = 1_000
MOST_TERMS_IN_ALL = 20_000
_MOST_NUMBERED = 20_000

_TRUTHS = {"no": NO, "unknown": UNKNOWN, "yes": YES}


class Expressions(Evaluation):
    """The expressions of one checked script with its inputs filled in, on one dataset."""

    def __init__(
        self,
        checked: Checked,
        inputs: Mapping[str, InputValue],
        dataset: Dataset,
        needed: Collection[str] | None = None,
    ) -> None:
        self._checked = checked
        self._inputs = inputs
        super().__init__(dataset)
        self._names: dict[str, int] = {}
        self._asked: dict[int, tuple[Expression, int]] = {}  # by identity; holding the node keeps its identity its own
        self._terms = 0  # of sums, so far
        self._counters: dict[str, int] = {}  # counters of the sums being built; names like any other
        numbered = dataset.shared(checked).numbers
        for placed in checked.statements:  # in text order, so that chains do not recurse
            statement = placed.statement
            if not isinstance(statement, (Definition, Carry)):
                continue
            names = statement.names if isinstance(statement, Carry) else (statement.name,)
            if checked.meanings[names[0]].position or not (needed is None or names[0] in needed):
                continue  # of the position: known only while a strategy runs
            key = names, *(inputs[name] for name in checked.stands_on[names[0]])
            known = numbered.get(key)
            if known is None:
                known = self._numbers_of(statement)
                if len(numbered) < _MOST_NUMBERED:  # beyond, most would be of inputs that come together only once
                    numbered[key] = known
            self._names.update(zip(names, known, strict=True))

    @property
    def inputs(self) -> Mapping[str, InputValue]:
        """The values that the script's inputs were given."""
        return self._inputs

    def number(self, node: Expression) -> int:
        """The memo number of `node`; constant parts are folded."""
        match node:
            case Number():
                return self._memo.number(("constant", node.value))
            case Truth():
                return self._memo.number(("truth", _TRUTHS[node.value]))
            case Clock():
                return self._memo.number(("constant", float(node.minute)))
            case Name():
                return self._name(node.name)
            case Field():
                return self._make("field", self.number(node.record), node.name)
            case Call():
                return self._call(node)
            case Negative():
                return self._make("negative", self.number(node.x))
            case Arithmetic():
                return self._make("arithmetic", node.operator, self.number(node.a), self.number(node.b))
            case Not():
                return self._make("not", self.number(node.x))
            case Logic():
                return self._logic(node.operator, [self.number(part) for part in node.parts])
            case Comparison():
                parts = [self.number(operand) for operand in node.operands]
                pairs = zip(parts, node.operators, parts[1:], strict=False)
                return self._logic("and", [self._make("compare", operator, a, b) for a, operator, b in pairs])
            case Crossing():
                return self._make("crosses", node.kind, self.number(node.a), self.number(node.b))
            case InRange():
                return self._in_range(node)
            case OnTimeframe():
                return self._on(node)
            case FromMarket():
                return self._from(node)
            case Sequence():
                return self._sequence(node)
            case AllOf():
                return self._all_of(node)
            case Total():
                return self._total(node)
            case Column():
                return self._column(node)
            case InSet():
                found = self._logic("or", [self._equal(node.x, item) for item in node.items])
                return self._make("not", found) if node.negated else found
            case Is():
                found = self._is(node)
                return self._make("not", found) if node.negated else found
            case Either():
                parts = [self.number(part) for part in (node.condition, node.yes, node.no)]
                return self._make("either", *parts)
            case Text():
                raise AssertionError("the checker lets no text be a value")
            case _:
                assert_never(node)

    def of(self, node: Expression) -> Value:
        """The value of `node`."""
        if self._counters:  # a sum being built gives one node many numbers
            return self.value(self.number(node))
        asked = self._asked.get(id(node))
        if asked is None:
            asked = self._asked[id(node)] = node, self.number(node)
        return self.value(asked[1])

    def whole(self, node: Expression) -> Value:
        """The value of `node` on every bar, shape (n,), constants spread out."""
        found = self.of(node)
        return np.full(len(self._dataset), found[0], found.dtype) if found.size == 1 else found

    def constant(self, node: Expression) -> float:
        """The number that a constant expression is."""
        return float(self.of(node)[0])

    # --- building ----------------------------------------------------------------------------------------------

    def _make(self, *key: object) -> int:
        """The number of an operation, folded to a constant when all its parts are constants."""
        number = self._memo.number(key)
        parts = parts_of(key)
        if key[0] in ("field", "call", "crosses") or not all(self._is_constant(part) for part in parts):
            return number
        values = {part: self._constant_value(part) for part in parts}
        folded = self._compute(key, values)
        kind = "truth" if folded.dtype == np.int8 else "constant"
        item = int(folded[0]) if kind == "truth" else float(folded[0])
        return self._memo.number((kind, item if item == item else "unknown"))

    def _is_constant(self, number: int) -> bool:
        return self._memo.keys[number][0] in ("constant", "truth")

    def _constant_value(self, number: int) -> Value:
        return self._compute(self._memo.keys[number], {})

    def _name(self, name: str) -> int:
        if name in self._names:
            return self._names[name]
        found = self._checked.inputs.get(name)
        if found is not None:
            given = self._inputs[name]
            if found.kind == "switch":
                return self._memo.number(("truth", YES if given else NO))
            if found.kind == "choice":
                return self._name(str(given))
            return self._memo.number(("constant", float(given)))
        if name in BUILT_INS:
            zone = self._checked.zone if name in ("hour", "minute", "time") else None
            return self._memo.number(("built_in", name) if zone is None else ("clock", name, zone))
        return self._call(Call(name, (0, 0), (), (0, 0)))

    def _call(self, node: Call) -> int:
        function = FUNCTIONS[node.name]
        arguments: list[object] = []
        for parameter, value in zip(function.parameters, placed_arguments(function, node), strict=True):
            if parameter.kind == "word":
                assert isinstance(value, Name)
                arguments.append(self._choice(value.name) or value.name)
                continue
            if parameter.kind in ("number", "condition", "any"):
                assert value is not None
                arguments.append(("part", self.number(value)))
                continue
            given = parameter.default if value is None else self.constant(value)
            if parameter.kind == "length":
                given = _length(given, parameter.least, f"`{function.name}` ({parameter.name})")
            arguments.append(given)
        return self._memo.number(("call", node.name, *arguments))

    def _logic(self, operator: str, parts: list[int]) -> int:
        return parts[0] if len(parts) == 1 else self._make("logic", operator, *parts)

    def _in_range(self, node: InRange) -> int:
        parts = [self.number(part) for part in (node.x, node.low, node.high)]
        is_time = self._is_time(node.x)
        found = self._make("in_time" if is_time else "between", *parts)
        return self._make("not", found) if node.negated else found

    def _on(self, node: OnTimeframe) -> int:
        timeframe = self._timeframe(node.minutes)
        if timeframe == self._dataset.bars.timeframe:
            return self.number(node.x)
        there = self._dataset.higher(timeframe).dataset
        if node.forming:
            return self._elsewhere(node.x, there, "forming", timeframe, "")
        return self._elsewhere(node.x, there, "on", timeframe)

    def _from(self, node: FromMarket) -> int:
        timeframe = self._dataset.bars.timeframe if node.minutes is None else self._timeframe(node.minutes)
        symbol = self._held(node.symbol) if isinstance(node.symbol, Name) else node.symbol
        if node.forming and timeframe != self._dataset.bars.timeframe:
            there = self._dataset.other(symbol, self._dataset.bars.timeframe).dataset.higher(timeframe).dataset
            return self._elsewhere(node.x, there, "forming", timeframe, symbol)
        return self._elsewhere(node.x, self._dataset.other(symbol, timeframe).dataset, "from", timeframe, symbol)

    def _timeframe(self, minutes: int | Name) -> Timeframe:
        return Timeframe.parse(self._held(minutes)) if isinstance(minutes, Name) else Timeframe(minutes)

    def _held(self, name: Name) -> str:
        """The timeframe or market that an input (or a name for it) holds."""
        return str(self._inputs[name.name])

    def _elsewhere(self, x: Expression, dataset: Dataset, *place: Hashable) -> int:
        """The number of `x` worked out on another dataset and seen from here."""
        there = Expressions(self._checked, self._inputs, dataset, names_within(x, self._checked))
        there._names |= {name: there._memo.number(self._memo.keys[part]) for name, part in self._counters.items()}
        number = there.number(x)
        if there._is_constant(number):
            return self._memo.number(there._memo.keys[number])
        # Numbers of another memo are floats in keys, so that they are not taken for parts of this one.
        return self._memo.number((place[0], float(number), *place[1:]))

    def _sequence(self, node: Sequence, operation: str = "sequence") -> int:
        return self._steps(operation, node, (node.a, node.b))

    def _all_of(self, node: AllOf, operation: str = "all_of") -> int:
        return self._steps(operation, node, node.parts)

    def _steps(self, operation: str, node: Sequence | AllOf, conditions: tuple[Expression, ...]) -> int:
        parts = [self.number(part) for part in conditions]
        if node.unless is not None:
            parts.append(self.number(node.unless))
        return self._memo.number((operation, self._within(node), "" if node.unless is None else "unless", *parts))

    def progress(self, node: Expression) -> tuple[int, ...]:
        """How far a sequence has come: its steps that wait for the next, first to last; of an `all of` its share seen.

        Empty when `node` is neither.
        """
        if isinstance(node, AllOf):
            return (self._all_of(node, "seen"),)
        if not isinstance(node, Sequence):
            return ()
        before = self.progress(node.a) if isinstance(node.a, Sequence) else ()
        return (*before, self._sequence(node, "awaited"))

    def _within(self, node: Sequence | AllOf) -> str:
        """The bars of `no later than`, as a text so that it is not taken for a part; empty without."""
        if node.within is None:
            return ""
        return str(_length(self.constant(node.within), 1, "`no later than`"))

    def _numbers_of(self, statement: Definition | Carry) -> tuple[int, ...]:
        """The number of each name that a statement defines; of a running value, a field of the group's own value."""
        if isinstance(statement, Definition):
            return (self.number(statement.value),)
        kinds = "".join(self._checked.meanings[name].kind[0] for name in statement.names)
        program = compile_carry(statement, self.number)
        starts = [self.number(start) for start in statement.starts]
        group = self._memo.number(("carry", kinds, program.steps, *starts, *program.columns))
        return tuple(self._memo.number(("field", group, str(index))) for index in range(len(statement.names)))

    def _total(self, node: Total) -> int:
        low, high = self.constant(node.low), self.constant(node.high)
        if not (low == int(low) and high == int(high) and low <= high and high - low < MOST_TERMS):
            raise SettingsError(
                f"`total` runs over whole numbers upwards, at most {MOST_TERMS:,}; with these inputs from {low:g} to {high:g}"  # noqa: E501
            )
        found: int | None = None
        for counter in range(int(low), int(high) + 1):
            stop_point()
            self._terms += 1
            if self._terms > MOST_TERMS_IN_ALL:
                raise SettingsError(
                    f"the script's `total`s have more than {MOST_TERMS_IN_ALL:,} terms in all; one inside another multiplies"  # noqa: E501
                )
            self._names[node.name] = self._counters[node.name] = self._memo.number(("constant", float(counter)))
            term = self.number(node.term)
            found = term if found is None else self._make("arithmetic", "+", found, term)
        del self._names[node.name], self._counters[node.name]
        assert found is not None
        return found

    def _column(self, node: Column) -> int:
        columns = self._dataset.bars.columns
        if node.name not in columns:
            listed = ", ".join(columns) or "no further columns"
            raise SettingsError(
                f"the bars of {self._dataset.market.symbol} have no column `{node.name}`; they have {listed}"
            )
        return self._memo.number(("column", node.name))

    def _is_time(self, node: Expression) -> bool:
        if isinstance(node, Clock):
            return True
        if not isinstance(node, Name):
            return False
        if node.name in self._checked.meanings:
            return self._checked.meanings[node.name].kind == "time"
        return node.name == "time"

    def _equal(self, x: Expression, item: Expression) -> int:
        """Whether a word is the word `item` names, or a number equals it."""
        words = self._words(x)
        if words is None:
            return self._make("compare", "==", self.number(x), self.number(item))
        assert isinstance(item, Name)
        choice = self._choice(x.name) if isinstance(x, Name) else None
        if choice is not None:
            return self._memo.number(("truth", YES if choice == item.name else NO))
        position = self._memo.number(("constant", float(words.index(item.name))))
        return self._make("compare", "==", self.number(x), position)

    def _is(self, node: Is) -> int:
        if node.word in ("on", "off") and self._words(node.x) is None:  # of a switch
            found = self.number(node.x)
            return found if node.word == "on" else self._make("not", found)
        return self._equal(node.x, Name(node.word, node.word_span))

    def _words(self, x: Expression) -> tuple[str, ...] | None:
        if isinstance(x, Call) and x.name == "prior":
            return self._words(x.arguments[0].value)
        if isinstance(x, OnTimeframe | FromMarket):
            return self._words(x.x)
        if not isinstance(x, Name):
            return None
        if x.name in self._checked.meanings:
            return self._checked.meanings[x.name].words or None
        return BUILT_INS[x.name].words or None if x.name in BUILT_INS else None

    def _choice(self, name: str) -> str | None:
        """The word an input (or a name for it) holds now."""
        while name in self._checked.definitions:
            value = self._checked.definitions[name].value
            if not isinstance(value, Name):
                return None
            name = value.name
        found = self._checked.inputs.get(name)
        return str(self._inputs[name]) if found is not None and found.kind == "choice" else None


def _length(given: float | None, least: int, what: str) -> int:
    if given is None or given != given or given != int(given) or not least <= given <= LONGEST_LENGTH:
        raise SettingsError(
            f"{what} must be a whole number from {least} to {LONGEST_LENGTH:,}; with these inputs it is {given}"
        )
    return int(given)
