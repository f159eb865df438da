"""Values of higher bars as they stand while they form: the closed ones, and the one made of this timeframe's closed
bars.

Every expression is a pair: its values on the closed higher bars, and its value at each close here with the forming bar
as the last. What looks at one bar is computed for all closes at once; what goes on from bar to bar tries each form of a
bar and goes on from the closed one, in one pass; what stands on so many bars is computed on those, many closes at a
time; and all else anew at each close.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Protocol

import numpy as np
from numba import njit

from skelb.core.bars import Bars, Calendar, Floats, Ints
from skelb.core.catalogue import BUILT_INS, FULL, FUNCTIONS, REACH, UNKNOWN, Frame, crosses
from skelb.core.errors import SettingsError
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.memo import Key, Value
from skelb.core.plan.operations import OPERATIONS, parts_of
from skelb.core.stopping import stop_point

_MOST_STEPS = 4_000_000_000
_BLOCK_VALUES = 1 << 20
_COLUMNS = ("open", "high", "low", "close", "volume")


@dataclass(frozen=True, eq=False)
class _Pair:
    """closed : shape (higher bars,) or (1,); now : shape (n,) or (1,); or records of such."""

    closed: Value
    now: Value


class Evaluator(Protocol):
    """The values of a dataset's expressions, as `evaluation.Evaluation` gives them."""

    def value(self, number: int) -> Value:
        """The value of an expression by its number."""

    def compute(self, key: Key, parts: list[Value]) -> Value:
        """The value of an operation on its parts' values."""


def forming_value(number: int, higher: Dataset, here: Dataset, evaluator: Callable[[Dataset], Evaluator]) -> Value:
    """The value of an expression of `higher`'s memo at every close of `here`, shape (n,) or (1,).

    Raises SettingsError when what looks back would take too long over so many bars.
    """
    return _Forming(higher, here, evaluator).pair(number).now


class _Forming:
    def __init__(self, higher: Dataset, here: Dataset, evaluator: Callable[[Dataset], Evaluator]) -> None:
        self._higher, self._here, self._evaluator = higher, here, evaluator
        self._closed = evaluator(higher)
        # The higher bar that each bar here belongs to: the first that closes with it or later.
        last = len(higher) - 1
        self._of = np.minimum(np.searchsorted(higher.calendar.close_time, here.calendar.close_time, side="left"), last)
        self._bars = _forming_bars(here.bars, self._of)
        self._pairs: dict[int, _Pair] = {}

    def pair(self, number: int) -> _Pair:
        """The pair of an expression; its parts first."""
        memo, waiting = self._higher.memo, [number]
        while waiting:
            part = waiting[-1]
            missing = [inner for inner in parts_of(memo.keys[part]) if inner not in self._pairs]
            if missing:
                waiting.extend(missing)
            elif part not in self._pairs:
                key = memo.keys[part]
                now = self._now(key, [self._pairs[inner] for inner in parts_of(key)], part)
                self._pairs[part] = _Pair(self._closed.value(part), now)
            if waiting[-1] in self._pairs:
                waiting.pop()
        return self._pairs[number]

    def _now(self, key: Key, parts: list[_Pair], number: int) -> Value:
        operation, name = str(key[0]), str(key[1]) if len(key) > 1 else ""
        if operation in ("constant", "truth"):
            return self._closed.value(number)
        if operation == "built_in" and BUILT_INS[name].of_one_bar:
            return BUILT_INS[name].compute(Frame(self._bars, self._here.calendar, self._here.market))
        if operation == "built_in" and name == "bar":
            return self._of.astype(np.float64)
        if operation in ("on", "from", "clock", "column"):  # these are as they are at this close, whatever forms
            return (
                self._evaluator(self._here).value(self._here.memo.number(key)) if operation != "on" else self._on(key)
            )
        if operation == "field":
            return parts[0].now[str(key[2])]
        if operation == "crosses":
            return self._crosses(name, parts)
        if operation in OPERATIONS:
            return OPERATIONS[operation](key, [part.now for part in parts])
        if operation == "call" and name == "prior":
            length = int(key[3])  # type: ignore[call-overload]
            return parts[0].now if length == 0 else self._before(parts[0].closed, length)
        if operation == "call" and (FUNCTIONS[name].family == "Maths" or name == "known"):  # it looks at one bar
            return self._evaluator(self._here).compute(key, [part.now for part in parts])
        if operation == "call" and name == "average":  # as the one of that name
            return self.pair(self._higher.memo.number(("call", key[4], key[2], key[3]))).now
        if operation in ("sequence", "all_of", "carry") or (operation == "call" and FUNCTIONS[name].goes_on):
            return self._tried(key, parts)
        if operation == "call" and name in REACH:
            return self._in_blocks(key, parts, self._looks_back(key))
        return self._each_close(key, parts, np.arange(len(self._here)))

    def _on(self, key: Key) -> Value:
        number, timeframe = key[1], key[2]
        assert isinstance(number, float)
        highest = self._here.higher(timeframe)  # type: ignore[arg-type]
        value = self._evaluator(self._higher.higher(timeframe).dataset).value(int(number))  # type: ignore[arg-type]
        if isinstance(value, np.ndarray):
            return highest.align(value)
        return {name: highest.align(part) for name, part in value.items()}

    def _before(self, closed: Value, length: int) -> Value:
        """Closed values `length` higher bars before the forming one."""
        at = self._of - length
        whole = np.broadcast_to(closed, len(self._higher))
        unknown = UNKNOWN if whole.dtype == np.int8 else np.nan
        return np.where(at >= 0, whole[np.maximum(at, 0)], np.asarray(unknown, whole.dtype))

    def _crosses(self, kind: str, parts: list[_Pair]) -> Value:
        """Each close with the higher bar before it, two by two."""
        twos = []
        for part in parts:
            two = np.empty((len(self._here), 2))
            two[:, 0], two[:, 1] = self._before(part.closed, 1), part.now
            twos.append(two.ravel())
        return np.ascontiguousarray(crosses(kind, *twos)[1::2])

    def _tried(self, key: Key, parts: list[_Pair]) -> Value:
        """The value of what goes on from bar to bar: each closed bar follows upon its own forms, which are tried."""
        closes, higher = len(self._here), self._higher
        order = np.argsort(np.concatenate((self._of, np.arange(len(higher)))), kind="stable")
        tried = order < closes
        of = np.where(tried, self._of[np.minimum(order, closes - 1)], order - closes)

        def laid(closed: Value, now: Value) -> Value:
            found = np.broadcast_to(closed, len(higher))[of]
            found[tried] = np.broadcast_to(now, closes)
            return found

        columns = {name: laid(getattr(higher.bars, name), getattr(self._bars, name)) for name in _COLUMNS}
        bars = Bars(higher.bars.timeframe, higher.bars.time[of], **columns, dated=higher.bars.dated)
        calendar = Calendar(**{item.name: getattr(higher.calendar, item.name)[of] for item in fields(higher.calendar)})
        dataset = replace(higher, bars=bars, calendar=calendar, tried=tried)
        value = self._evaluator(dataset).compute(key, [laid(part.closed, part.now) for part in parts])
        if isinstance(value, Mapping):
            return {name: part[tried] for name, part in value.items()}
        return value[tried]

    # --- what looks back -----------------------------------------------------------------------------------------

    def _in_blocks(self, key: Key, parts: list[_Pair], length: int) -> Value:
        """The last value at every close, computed at many at once: the bars that each stands on, laid end to end."""
        early = np.flatnonzero(self._of < length - 1)  # there are not so many bars yet
        late = np.flatnonzero(self._of >= length - 1)
        self._refuse(key, late.size * length)
        nows = [np.broadcast_to(part.now, len(self._here)) for part in parts]
        found: list[Value] = []
        if early.size:
            found.append(self._none(key, early.size) if key[1] in FULL else self._each_close(key, parts, early))
        step = max(1, _BLOCK_VALUES // length)
        for begin in range(0, late.size, step):
            stop_point(begin / late.size)
            closes = late[begin : begin + step]
            rows = self._of[closes, None] + np.arange(1 - length, 1)
            higher = self._higher.bars
            columns = {name: _laid(getattr(higher, name), rows, getattr(self._bars, name)[closes]) for name in _COLUMNS}
            values = [
                _laid(np.broadcast_to(part.closed, len(self._higher)), rows, now[closes])
                for part, now in zip(parts, nows, strict=True)
            ]
            seen = Bars(higher.timeframe, higher.time[rows].ravel(), **columns, dated=higher.dated)
            value = self._evaluator(replace(self._higher, bars=seen)).compute(key, values)
            found.append(
                {name: part[length - 1 :: length] for name, part in value.items()}
                if isinstance(value, Mapping)
                else value[length - 1 :: length]
            )
        order = np.argsort(np.concatenate((early, late)), kind="stable")
        if found and isinstance(found[0], Mapping):
            return {name: np.concatenate([part[name] for part in found])[order] for name in found[0]}
        return np.concatenate(found)[order] if found else np.zeros(0)

    @staticmethod
    def _none(key: Key, size: int) -> Value:
        function = FUNCTIONS[str(key[1])]
        if function.fields:
            return {name: np.full(size, np.nan) for name in function.fields}
        return np.full(size, UNKNOWN, np.int8) if function.result == "condition" else np.full(size, np.nan)

    @staticmethod
    def _refuse(key: Key, steps: int) -> None:
        if steps > _MOST_STEPS:
            raise SettingsError(
                f"`{key[1]}` on forming bars would look at {steps:,} values: use a shorter span, or the closed bars"
            )

    def _each_close(self, key: Key, parts: list[_Pair], closes: Ints) -> Value:
        """The last value at each of some closes, computed over the closed higher bars and the forming one."""
        length = self._looks_back(key)
        steps = int(np.minimum(self._of[closes] + 1, length).sum())
        self._refuse(key, steps)
        compute = self._over(key, [np.broadcast_to(part.closed, len(self._higher)).copy() for part in parts])
        now = [np.broadcast_to(part.now, len(self._here)) for part in parts]
        found: list[Value] = []
        for done, i in enumerate(closes):
            stop_point(done / len(closes))
            at = int(self._of[i])
            value = compute(max(0, at + 1 - length), at, i, [part[i] for part in now])
            found.append({name: part[-1] for name, part in value.items()} if isinstance(value, Mapping) else value[-1])
        if found and isinstance(found[0], Mapping):
            return {name: np.array([item[name] for item in found]) for name in found[0]}
        kind = np.int8 if found and isinstance(found[0], np.int8) else np.float64
        return np.array(found, kind)

    @staticmethod
    def _looks_back(key: Key) -> int:
        """How many bars the value of the last needs; a number beyond any where all of them count."""
        if key[0] != "call" or str(key[1]) not in REACH:
            return 1 << 60
        lengths = (int(item) for item in key[2:] if isinstance(item, int | float))
        return REACH[str(key[1])](*lengths)

    def _over(self, key: Key, closed: list[Value]) -> Callable[[int, int, int, list[Value]], Value]:
        """A function that gives the values from one higher bar to the forming one, with that bar's parts as given."""
        bars, calendar = self._higher.bars, self._higher.calendar
        columns = {name: getattr(bars, name).copy() for name in _COLUMNS}
        finished = {name: values.copy() for name, values in columns.items()}
        originals = [part.copy() for part in closed]
        last_at = -1

        def compute(first: int, at: int, i: int, now: list[Value]) -> Value:
            nonlocal last_at
            if last_at >= 0 and last_at != at:  # the bar that was forming has closed
                for name, values in columns.items():
                    values[last_at] = finished[name][last_at]
                for part, original in zip(closed, originals, strict=True):
                    part[last_at] = original[last_at]
            last_at = at
            for name, values in columns.items():
                values[at] = getattr(self._bars, name)[i]
            for part, value in zip(closed, now, strict=True):
                part[at] = value
            span = slice(first, at + 1)
            seen = Bars(bars.timeframe, bars.time[span], **{n: v[span] for n, v in columns.items()}, dated=bars.dated)
            of_bars = Calendar(**{item.name: getattr(calendar, item.name)[span] for item in fields(calendar)})
            dataset = replace(self._higher, bars=seen, calendar=of_bars)
            return self._evaluator(dataset).compute(key, [part[span] for part in closed])

        return compute


def _laid(closed: Value, rows: Ints, now: Value) -> Value:
    """The closed values of some rows of bars laid end to end, the last of each row as it stands."""
    found = closed[rows]
    found[:, -1] = now
    return found.ravel()


def _forming_bars(bars: Bars, of: Ints) -> Bars:
    """At each close, the higher bar so far: its first open, the extremes and volume up to here, this close."""
    opens, highs, lows, volumes = _so_far(of, bars.open, bars.high, bars.low, bars.volume)
    return Bars(
        bars.timeframe, bars.time, opens, highs, lows, bars.close, volumes, columns=bars.columns, dated=bars.dated
    )


@njit(cache=True, nogil=True)
def _so_far(
    of: Ints, opens: Floats, highs: Floats, lows: Floats, volumes: Floats
) -> tuple[Floats, Floats, Floats, Floats]:
    o, h, low, v = opens.copy(), highs.copy(), lows.copy(), volumes.copy()
    for i in range(1, of.size):
        if of[i] == of[i - 1]:
            o[i] = o[i - 1]
            h[i] = max(h[i], h[i - 1])
            low[i] = min(low[i], low[i - 1])
            v[i] += v[i - 1]
    return o, h, low, v
