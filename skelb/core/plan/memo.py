"""One table of distinct expressions and their values, shared by every run on the same bars."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from threading import Lock
from typing import Any

import numpy as np

from skelb.core.stopping import Stopped, stop_point

Key = tuple[Hashable, ...]
Value = Any  # a float64 or int8 array of shape (n,) or (1,), or a record: a mapping of names to such arrays

_DEFAULT_BUDGET = 256 * 1024 * 1024
_PATIENCE_S = 0.05  # between two looks whether the value is still wanted


class Memo:
    """Distinct expressions by number, and their values, the least recently used forgotten beyond a budget.

    An expression's number is larger than those of its parts, so ascending order is an order of evaluation.
    Safe to share among threads: a value is computed once, others wait for it.
    """

    def __init__(self, budget_bytes: int = _DEFAULT_BUDGET) -> None:
        self._lock = Lock()
        self._numbers: dict[Key, int] = {}
        self.keys: list[Key] = []
        self._values: OrderedDict[int, Value] = OrderedDict()
        self._pending: dict[int, Future[Value]] = {}
        self.budget_bytes = budget_bytes
        self.held_bytes = 0

    def number(self, key: Key) -> int:
        """The number of an expression; `key` is its operation and the numbers of its parts."""
        with self._lock:
            found = self._numbers.get(key)
            if found is None:
                found = len(self.keys)
                self._numbers[key] = found
                self.keys.append(key)
            return found

    def peek(self, number: int) -> Value | None:
        """The value if it is held, else None."""
        with self._lock:
            found = self._values.get(number)
            if found is not None:
                self._values.move_to_end(number)
            return found

    def value(self, number: int, compute: Callable[[], Value]) -> Value:
        """The value of an expression, computed now unless it is held or being computed by another thread.

        When that other thread is stopped, its value is computed here.
        """
        while True:
            with self._lock:
                found = self._values.get(number)
                if found is not None:
                    self._values.move_to_end(number)
                    return found
                waiting = self._pending.get(number)
                if waiting is None:
                    mine: Future[Value] = Future()
                    self._pending[number] = mine
                    break
            try:
                return waiting.result(_PATIENCE_S)
            except TimeoutError:
                stop_point()
            except Stopped:
                continue
        try:
            computed = compute()
        except BaseException as exc:
            with self._lock:
                del self._pending[number]
            mine.set_exception(exc)
            raise
        with self._lock:
            del self._pending[number]
            self._values[number] = computed
            self.held_bytes += _size(computed)
            while self.held_bytes > self.budget_bytes and len(self._values) > 1:
                _, forgotten = self._values.popitem(last=False)
                self.held_bytes -= _size(forgotten)
        mine.set_result(computed)
        return computed


def _size(value: Value) -> int:
    if isinstance(value, np.ndarray):
        return int(value.nbytes)
    return sum(int(part.nbytes) for part in value.values())
