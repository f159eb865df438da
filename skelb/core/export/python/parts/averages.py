"""Averages, fed value by value."""

import math
from itertools import pairwise
from typing import NamedTuple

from skelb.core.export.python.parts.market import Bar
from skelb.core.export.python.parts.values import known, ratio
from skelb.core.export.python.parts.windows import Window, mean


class Sma:
    """The mean of the last n values."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        return mean(self.window.values) if self.window.add(x) else math.nan


class Smoothed:
    """An exponential average that begins as the mean of its first n known values."""

    def __init__(self, n: int, alpha: float) -> None:
        self.n, self.alpha = n, alpha
        self.count, self.average = 0, 0.0

    def next(self, x: float) -> float:
        if not known(x):
            return math.nan
        if self.count < self.n:
            self.count += 1
            self.average += x
            if self.count < self.n:
                return math.nan
            self.average /= self.n
        else:
            self.average += self.alpha * (x - self.average)
        return self.average


class Ema(Smoothed):
    """The exponential average with alpha 2 / (n + 1)."""

    def __init__(self, n: int) -> None:
        super().__init__(n, 2.0 / (n + 1.0))


class Wilder(Smoothed):
    """The exponential average with alpha 1 / n."""

    def __init__(self, n: int) -> None:
        super().__init__(n, 1.0 / n)


class Wma:
    """The mean of the last n values, weighted n for the newest down to 1."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        if not self.window.add(x):
            return math.nan
        n = self.window.n
        return x + sum((value - x) * (place + 1) for place, value in enumerate(self.window.values)) / (n * (n + 1) / 2)


class Hma:
    """A weighted average that hurries after the newest values."""

    def __init__(self, n: int) -> None:
        self.half, self.slow, self.smooth = Wma(max(1, n // 2)), Wma(n), Wma(math.isqrt(n))

    def next(self, x: float) -> float:
        return self.smooth.next(2.0 * self.half.next(x) - self.slow.next(x))


class Dema:
    """An ema with much of its lag taken out."""

    def __init__(self, n: int) -> None:
        self.first, self.second = Ema(n), Ema(n)

    def next(self, x: float) -> float:
        first = self.first.next(x)
        return 2.0 * first - self.second.next(first)


class Tema:
    """An ema with still more of its lag taken out."""

    def __init__(self, n: int) -> None:
        self.first, self.second, self.third = Ema(n), Ema(n), Ema(n)

    def next(self, x: float) -> float:
        first = self.first.next(x)
        second = self.second.next(first)
        return 3.0 * first - 3.0 * second + self.third.next(second)


class Kama:
    """An average that runs with a trend and rests in noise (fast 2, slow 30)."""

    def __init__(self, n: int) -> None:
        self.window = Window(n + 1)
        self.average, self.has_begun = 0.0, False

    def next(self, x: float) -> float:
        if not self.window.add(x):
            if known(x) and not self.has_begun:
                self.average = x
            return math.nan
        self.has_begun = True
        values = list(self.window.values)
        way = sum(abs(b - a) for a, b in pairwise(values))
        efficiency = abs(x - values[0]) / way if way > 0 else 0.0
        speed = efficiency * (2 / 3 - 2 / 31) + 2 / 31
        self.average += speed * speed * (x - self.average)
        return self.average


class Vwma:
    """The mean of the last n values weighted by volume."""

    def __init__(self, n: int) -> None:
        self.money, self.volume = Sma(n), Sma(n)

    def next(self, bar: Bar, x: float) -> float:
        return ratio(self.money.next(x * bar.volume), self.volume.next(bar.volume))


class FitValues(NamedTuple):
    value: float
    slope: float


class Fit:
    """The straight line closest to the last n values: where it is now, and how it slopes."""

    def __init__(self, n: int) -> None:
        self.n, self.mean, self.weighted = n, Sma(n), Wma(n)

    def next(self, x: float) -> FitValues:
        n, mean_x = self.n, self.mean.next(x)
        middle = (n - 1) / 2
        moment = self.weighted.next(x) * (n * (n + 1) / 2) - mean_x * n * (middle + 1)
        slope = moment / (n * (n * n - 1) / 12)
        return FitValues(mean_x + slope * middle, slope)
