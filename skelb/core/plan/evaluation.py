"""Values of numbered expressions: parts before wholes, each computed once."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from skelb.core.bars import Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, all_of, awaited, in_sequence, share_seen
from skelb.core.plan.carries import run_carry
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.forming import forming_value
from skelb.core.plan.memo import Key, Value
from skelb.core.plan.operations import OPERATIONS, parts_of
from skelb.core.stopping import part_of_work, stop_point


class Evaluation:
    """Values of a dataset's expressions by their memo numbers."""

    def __init__(self, dataset: Dataset) -> None:
        self._dataset = dataset
        self._memo = dataset.memo

    def value(self, number: int) -> Value:
        """The value of an expression, shape (n,) or (1,) when constant; its parts are computed first, once each."""
        held = self._memo.peek(number)
        if held is not None:
            return held
        order, values = self._needed(number)
        uses = dict.fromkeys(order, 0)
        for part in order:
            for inner in parts_of(self._memo.keys[part]):
                uses[inner] = uses.get(inner, 0) + 1
        for place, part in enumerate(order):
            key = self._memo.keys[part]
            with part_of_work(place / len(order), (place + 1) / len(order)):
                stop_point(0.0)
                values[part] = self._memo.value(part, lambda key=key: self._compute(key, values))  # type: ignore[misc]
            for inner in parts_of(key):
                uses[inner] -= 1
                if uses[inner] == 0:
                    values.pop(inner, None)  # the memo may keep it; this evaluation no longer needs it
        return values[number]

    def _needed(self, number: int) -> tuple[list[int], dict[int, Value]]:
        """The expressions to compute for `number`, parts before wholes, and the values that are held already."""
        order: set[int] = set()
        held: dict[int, Value] = {}
        waiting = [number]
        while waiting:
            part = waiting.pop()
            if part in order or part in held:
                continue
            found = self._memo.peek(part)
            if found is None:
                order.add(part)
                waiting.extend(parts_of(self._memo.keys[part]))
            else:
                held[part] = found
        return sorted(order), held

    def _compute(self, key: Key, values: Mapping[int, Value]) -> Value:
        return self.compute(key, [values[part] for part in parts_of(key)])

    def compute(self, key: Key, parts: list[Value]) -> Value:
        """The value of an operation on its parts' values, which are not looked up."""
        operation = key[0]
        if operation == "constant":
            return np.array([np.nan if key[1] == "unknown" else key[1]], np.float64)
        if operation == "truth":
            return np.array([key[1]], np.int8)
        if operation == "built_in":
            return BUILT_INS[str(key[1])].compute(self._dataset.frame)
        if operation == "clock":
            frame, calendar = self._dataset.frame, self._dataset.calendar
            moved = replace(calendar, close_minute=calendar.close_minute_in(str(key[2])))
            return BUILT_INS[str(key[1])].compute(replace(frame, calendar=moved))
        if operation == "call":
            return self._compute_call(key, parts)
        if operation in ("on", "from"):
            return self._compute_elsewhere(key)
        if operation == "forming":
            return self._compute_forming(key)
        if operation == "column":
            return self._dataset.bars.columns[str(key[1])]
        if operation in ("sequence", "all_of", "awaited", "seen"):
            return self._compute_steps(key, parts)
        if operation == "carry":
            return self._compute_carry(key, parts)
        if operation == "field":
            return parts[0][str(key[2])]
        return OPERATIONS[str(operation)](key, parts)

    def _compute_elsewhere(self, key: Key) -> Value:
        number, timeframe = key[1], key[2]
        assert isinstance(number, float) and isinstance(timeframe, Timeframe)
        higher = self._dataset.higher(timeframe) if key[0] == "on" else self._dataset.other(str(key[3]), timeframe)
        value = Evaluation(higher.dataset).value(int(number))
        if isinstance(value, np.ndarray):
            return higher.align(value)
        return {name: higher.align(part) for name, part in value.items()}

    def _compute_forming(self, key: Key) -> Value:
        number, timeframe, symbol = key[1], key[2], key[3]
        assert isinstance(number, float) and isinstance(timeframe, Timeframe)
        if symbol == "":
            return forming_value(int(number), self._dataset.higher(timeframe).dataset, self._dataset, Evaluation)
        other = self._dataset.other(str(symbol), self._dataset.bars.timeframe)
        value = forming_value(int(number), other.dataset.higher(timeframe).dataset, other.dataset, Evaluation)
        parts = value if isinstance(value, Mapping) else {"": value}
        seen = {name: other.align(np.broadcast_to(part, len(other.dataset))) for name, part in parts.items()}
        return seen if isinstance(value, Mapping) else seen[""]

    def _compute_steps(self, key: Key, parts: list[Value]) -> Value:
        whole = [np.broadcast_to(part, len(self._dataset)) for part in parts]
        within = int(str(key[1])) if key[1] else None
        unless = np.ascontiguousarray(whole.pop()) if key[2] else None
        if key[0] == "seen":
            return share_seen(np.ascontiguousarray(whole), unless, within)
        if key[0] == "all_of":
            return all_of(np.ascontiguousarray(whole), unless, within, self._dataset.tried)
        a, b = np.ascontiguousarray(whole[0]), np.ascontiguousarray(whole[1])
        if key[0] == "awaited":
            return awaited(a, b, unless, within)
        return in_sequence(a, b, unless, within, self._dataset.tried)

    def _compute_carry(self, key: Key, parts: list[Value]) -> Value:
        kinds = str(key[1])
        assert isinstance(key[2], bytes)
        table = np.empty((len(parts), len(self._dataset)))
        for row, part in zip(table, parts, strict=True):
            row[:] = part
        are_conditions = [kind == "c" for kind in kinds]
        values = run_carry(key[2], are_conditions, table[: len(kinds)], table[len(kinds) :], self._dataset.tried)
        return {str(index): value for index, value in enumerate(values)}

    def _compute_call(self, key: Key, parts: list[Value]) -> Value:
        size = len(self._dataset)
        waiting = iter(parts)
        arguments = []
        for argument in key[2:]:
            if isinstance(argument, tuple):
                part = next(waiting)
                arguments.append(np.full(size, part[0], part.dtype) if part.size == 1 else part)
            else:
                arguments.append(argument)
        return FUNCTIONS[str(key[1])].compute(self._dataset.frame, *arguments)
