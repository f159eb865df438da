"""Functions of averages written as what they are made of, so that on a forming bar each average takes one step.

The numbers are those of the catalogue but for the order of the arithmetic.
"""

from collections.abc import Callable

from skelb.core.plan.memo import Key, Memo

Made = int | dict[str, int]


class _Maker:
    """Expressions of a memo by their parts' numbers."""

    def __init__(self, memo: Memo) -> None:
        self._memo = memo

    def constant(self, value: float) -> int:
        return self._memo.number(("constant", value))

    def built_in(self, name: str) -> int:
        return self._memo.number(("built_in", name))

    def call(self, name: str, parts: tuple[int, ...], *lengths: object) -> int:
        return self._memo.number(("call", name, *(("part", part) for part in parts), *lengths))

    def arithmetic(self, a: int, operator: str, b: int) -> int:
        return self._memo.number(("arithmetic", operator, a, b))

    def either(self, condition: int, yes: int, no: int) -> int:
        return self._memo.number(("either", condition, yes, no))

    def compared(self, a: int, operator: str, b: int) -> int:
        return self._memo.number(("compare", operator, a, b))

    def change(self, x: int) -> int:
        return self.arithmetic(x, "-", self.call("prior", (x,), 1))

    def rise(self, x: int) -> int:
        """x where it is above 0, else 0."""
        return self.call("max", (x, self.constant(0.0)))

    def times(self, factor: object, x: int) -> int:
        return self.arithmetic(self.constant(float(factor)), "*", x)  # type: ignore[arg-type]


def unfolded(memo: Memo, key: Key) -> Made | None:
    """The number of a call's own expression in a memo, by field where it has fields; None for all other functions."""
    if key[0] != "call" or str(key[1]) not in _UNFOLDED:
        return None
    parts = [item[1] for item in key[2:] if isinstance(item, tuple)]
    return _UNFOLDED[str(key[1])](_Maker(memo), *parts, *(item for item in key[2:] if not isinstance(item, tuple)))


def _macd(make: _Maker, x: int, a: object, b: object, s: object) -> Made:
    line = make.arithmetic(make.call("ema", (x,), a), "-", make.call("ema", (x,), b))
    signal = make.call("ema", (line,), s)
    return {"line": line, "signal": signal, "gap": make.arithmetic(line, "-", signal)}


def _dema(make: _Maker, x: int, n: object) -> Made:
    once = make.call("ema", (x,), n)
    return make.arithmetic(make.times(2, once), "-", make.call("ema", (once,), n))


def _tema(make: _Maker, x: int, n: object) -> Made:
    once = make.call("ema", (x,), n)
    twice = make.call("ema", (once,), n)
    rest = make.arithmetic(make.times(3, once), "-", make.times(3, twice))
    return make.arithmetic(rest, "+", make.call("ema", (twice,), n))


def _tsi(make: _Maker, x: int, a: object, b: object) -> Made:
    change = make.change(x)
    smooth, size = (
        make.call("ema", (make.call("ema", (part,), a),), b) for part in (change, make.call("abs", (change,)))
    )
    return make.times(100, make.arithmetic(smooth, "/", size))


def _rsi(make: _Maker, x: int, n: object) -> Made:
    change, zero = make.change(x), make.constant(0.0)
    up = make.call("wilder", (make.rise(change),), n)
    down = make.call("wilder", (make.rise(make.arithmetic(zero, "-", change)),), n)
    share = make.times(100, make.arithmetic(up, "/", make.arithmetic(up, "+", down)))
    none = make.either(make.compared(up, "==", zero), make.constant(50.0), make.constant(100.0))
    return make.either(make.compared(down, "==", zero), none, share)


def _atr(make: _Maker, n: object) -> int:
    return make.call("wilder", (make.call("true_range", ()),), n)


def _keltner(make: _Maker, n: object, m: object, f: object) -> Made:
    middle, reach = make.call("ema", (make.built_in("close"),), n), make.times(f, _atr(make, m))
    return {
        "upper": make.arithmetic(middle, "+", reach), "mid": middle, "lower": make.arithmetic(middle, "-", reach),
    }  # fmt: skip


_UNFOLDED: dict[str, Callable[..., Made]] = {
    "macd": _macd, "dema": _dema, "tema": _tema, "tsi": _tsi, "rsi": _rsi, "atr": _atr, "keltner": _keltner,
}  # fmt: skip
