"""Momentum, fed value by value."""

import math
from typing import NamedTuple

from skelb.core.export.python.parts.averages import Ema, Sma
from skelb.core.export.python.parts.market import Bar
from skelb.core.export.python.parts.values import known, range_of, ratio
from skelb.core.export.python.parts.windows import Gain, Highest, Lowest, Prior, Window


class Rsi:
    """Wilder's relative strength index, 0 to 100; 100 without losses, 50 without movement."""

    def __init__(self, n: int) -> None:
        self.n, self.count, self.up, self.down, self.last = n, 0, 0.0, 0.0, math.nan

    def next(self, x: float) -> float:
        change, self.last = x - self.last, x
        if not known(change):
            return math.nan
        gain, loss = max(change, 0.0), max(-change, 0.0)
        self.count += 1
        if self.count <= self.n:
            self.up += gain / self.n
            self.down += loss / self.n
        else:
            self.up += (gain - self.up) / self.n
            self.down += (loss - self.down) / self.n
        if self.count < self.n:
            return math.nan
        if self.down == 0.0:
            return 50.0 if self.up == 0.0 else 100.0
        return 100.0 - 100.0 / (1.0 + self.up / self.down)


class MacdValues(NamedTuple):
    line: float
    signal: float
    gap: float


class Macd:
    """The distance between a fast and a slow average, with its own average."""

    def __init__(self, a: int, b: int, s: int) -> None:
        self.fast, self.slow, self.signal = Ema(a), Ema(b), Ema(s)

    def next(self, x: float) -> MacdValues:
        line = self.fast.next(x) - self.slow.next(x)
        signal = self.signal.next(line)
        return MacdValues(line, signal, line - signal)


class StochValues(NamedTuple):
    k: float
    d: float


class Place:
    """Where a value stands between the lowest and the highest of the last n, smoothed twice."""

    def __init__(self, n: int, k: int, d: int) -> None:
        self.top, self.bottom, self.k, self.d = Highest(n), Lowest(n), Sma(k), Sma(d)

    def next(self, high: float, low: float, x: float) -> StochValues:
        top, bottom = self.top.next(high), self.bottom.next(low)
        k = self.k.next(100.0 * ratio(x - bottom, range_of(top, bottom)))
        return StochValues(k, self.d.next(k))


class Stoch:
    """Where the close stands in the range of the last n bars, smoothed twice."""

    def __init__(self, n: int, k: int, d: int) -> None:
        self.place = Place(n, k, d)

    def next(self, bar: Bar) -> StochValues:
        return self.place.next(bar.high, bar.low, bar.close)


class StochRsi:
    """Where the rsi stands in its own range of m bars, smoothed twice."""

    def __init__(self, n: int, m: int, k: int, d: int) -> None:
        self.rsi, self.place = Rsi(n), Place(m, k, d)

    def next(self, x: float) -> StochValues:
        rsi = self.rsi.next(x)
        return self.place.next(rsi, rsi, rsi)


class Roc:
    """The change over n bars in percent."""

    def __init__(self, n: int) -> None:
        self.gain = Gain(n)

    def next(self, x: float) -> float:
        return 100.0 * (ratio(x, x - self.gain.next(x)) - 1.0)


class Cci:
    """How unusual the typical price is, in mean deviations from its average."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, bar: Bar) -> float:
        if not self.window.add(bar.typical):
            return math.nan
        values = self.window.values
        middle = sum(values) / len(values)
        deviation = sum(abs(x - middle) for x in values) / len(values)
        return (bar.typical - middle) / (0.015 * deviation) if deviation > 1e-12 * abs(middle) else math.nan


class Williams:
    """How far the close is below the highest high, from 0 (at it) to -100 (at the lowest low)."""

    def __init__(self, n: int) -> None:
        self.stoch = Stoch(n, 1, 1)

    def next(self, bar: Bar) -> float:
        return self.stoch.next(bar).k - 100.0


class Mfi:
    """An rsi of money: rises and falls of the typical price weighted by price times volume."""

    def __init__(self, n: int) -> None:
        self.gain, self.up, self.down = Gain(1), Sma(n), Sma(n)

    def next(self, bar: Bar) -> float:
        flow, change = bar.typical * bar.volume, self.gain.next(bar.typical)
        none = 0.0 if known(change) else math.nan
        up, down = self.up.next(flow if change > 0 else none), self.down.next(flow if change < 0 else none)
        return 50.0 if up == 0 and down == 0 else 100.0 * ratio(up, up + down)


class Cmo:
    """Rises against falls of the last n changes, -100 to 100."""

    def __init__(self, n: int) -> None:
        self.gain, self.up, self.down = Gain(1), Sma(n), Sma(n)

    def next(self, x: float) -> float:
        change = self.gain.next(x)
        up = self.up.next(max(change, 0.0) if known(change) else math.nan)
        down = self.down.next(max(-change, 0.0) if known(change) else math.nan)
        return 100.0 * ratio(up - down, up + down)


class Tsi:
    """Twice smoothed change against twice smoothed size of change."""

    def __init__(self, a: int, b: int) -> None:
        self.last: Prior[float] = Prior(1, math.nan)
        self.change, self.smooth, self.size, self.smooth_size = Ema(a), Ema(b), Ema(a), Ema(b)

    def next(self, x: float) -> float:
        change = x - self.last.next(x)
        smooth = self.smooth.next(self.change.next(change))
        return 100.0 * ratio(smooth, self.smooth_size.next(self.size.next(abs(change))))
