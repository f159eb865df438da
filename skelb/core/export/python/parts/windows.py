"""What is remembered of the last bars, and what is computed from all of a window."""

import math
from collections import deque
from collections.abc import Iterable
from typing import Generic, TypeVar

from skelb.core.export.python.parts.values import Truth, known, more, ratio

T = TypeVar("T", float, Truth, str)


class Prior(Generic[T]):
    """The value n bars earlier; `unknown` on the first n bars."""

    def __init__(self, n: int, unknown: T) -> None:
        self.values: deque[T] = deque([unknown] * n, maxlen=n + 1)

    def next(self, x: T) -> T:
        self.values.append(x)
        return self.values[0]


class Past:
    """The values so far, newest last, as far back as is asked for."""

    def __init__(self, n: int) -> None:
        self.values: deque[float] = deque(maxlen=n)

    def next(self, x: float) -> "Past":
        self.values.append(x)
        return self

    def before(self, n: float) -> float:
        """The value n bars earlier."""
        return self.values[-1 - int(n)] if n < len(self.values) else math.nan


class Window:
    """The last n values, empty again after an unknown one."""

    def __init__(self, n: int) -> None:
        self.n = n
        self.values: deque[float] = deque(maxlen=n)

    def add(self, x: float) -> bool:
        """Whether there are n values in a row now."""
        if known(x):
            self.values.append(x)
        else:
            self.values.clear()
        return len(self.values) == self.n


def mean(values: deque[float]) -> float:
    """The mean, summed from the newest so that equal values give exactly that value."""
    base = values[-1]
    return base + sum(x - base for x in values) / len(values)


def joint_mean(xs: Iterable[float], ys: Iterable[float]) -> float:
    """The population covariance of two lists of one length."""
    xs, ys = list(xs), list(ys)
    mean_x, mean_y = sum(xs) / len(xs), sum(ys) / len(ys)
    return sum((x - mean_x) * (y - mean_y) for x, y in zip(xs, ys, strict=True)) / len(xs)


class Highest:
    """The largest of the last n values."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        return max(self.window.values) if self.window.add(x) else math.nan


class Lowest:
    """The smallest of the last n values."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        return min(self.window.values) if self.window.add(x) else math.nan


class Sum:
    """The sum of the last n values."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        return mean(self.window.values) * self.window.n if self.window.add(x) else math.nan


class Percentile:
    """The value below which p percent of the last n lie, interpolated linearly."""

    def __init__(self, n: int, p: float) -> None:
        self.window, self.share = Window(n), min(max(p, 0.0), 100.0) / 100.0

    def next(self, x: float) -> float:
        if not self.window.add(x):
            return math.nan
        ordered = sorted(self.window.values)
        place = self.share * (len(ordered) - 1)
        low = math.floor(place)
        high = min(low + 1, len(ordered) - 1)
        return ordered[low] + (place - low) * (ordered[high] - ordered[low])


class Median:
    """The middle of the last n values in order."""

    def __init__(self, n: int) -> None:
        self.percentile = Percentile(n, 50.0)

    def next(self, x: float) -> float:
        return self.percentile.next(x)


class Rank:
    """The percent of the last n values at or below the newest."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        if not self.window.add(x):
            return math.nan
        return 100.0 * sum(value <= x for value in self.window.values) / self.window.n


class Stdev:
    """The population standard deviation of the last n values."""

    def __init__(self, n: int) -> None:
        self.window = Window(n)

    def next(self, x: float) -> float:
        if not self.window.add(x):
            return math.nan
        steps = [value - x for value in self.window.values]
        spread = sum(step * step for step in steps) / len(steps) - (sum(steps) / len(steps)) ** 2
        return 0.0 if spread < (1e-12 * x) ** 2 else math.sqrt(spread)


class Zscore:
    """How many deviations x stands from its average."""

    def __init__(self, n: int) -> None:
        self.window, self.stdev = Window(n), Stdev(n)

    def next(self, x: float) -> float:
        deviation = self.stdev.next(x)
        return ratio(x - mean(self.window.values), deviation) if self.window.add(x) else math.nan


class Covariance:
    """How two series move together, in the product of their units."""

    def __init__(self, n: int) -> None:
        self.n, self.xs, self.ys = n, Window(n), Window(n)

    def next(self, x: float, y: float) -> float:
        if not known(x) or not known(y):
            x = y = math.nan
        both = self.xs.add(x) & self.ys.add(y)
        return joint_mean(self.xs.values, self.ys.values) if both else math.nan


class Correlation:
    """How two series move together, -1 to 1."""

    def __init__(self, n: int) -> None:
        self.both, self.x, self.y = Covariance(n), Covariance(n), Covariance(n)

    def next(self, x: float, y: float) -> float:
        both, of_x, of_y = self.both.next(x, y), self.x.next(x, x), self.y.next(y, y)
        return ratio(both, math.sqrt(of_x) * math.sqrt(of_y)) if known(both) else math.nan


class Beta:
    """How much x moves with one unit of y."""

    def __init__(self, n: int) -> None:
        self.both, self.y = Covariance(n), Covariance(n)

    def next(self, x: float, y: float) -> float:
        return ratio(self.both.next(x, y), self.y.next(y, y))


class Gain:
    """The change over n bars."""

    def __init__(self, n: int) -> None:
        self.before: Prior[float] = Prior(n, math.nan)

    def next(self, x: float) -> float:
        return x - self.before.next(x)


class Crossing:
    """Where a crosses b, with the bar before; unknown unless all four values are known."""

    def __init__(self, up: bool, down: bool) -> None:
        self.up, self.down = up, down
        self.was_above: Truth = None
        self.was_below: Truth = None

    def next(self, a: float, b: float) -> Truth:
        is_above, is_below = more(a, b), more(b, a)
        was_above, was_below = self.was_above, self.was_below
        self.was_above, self.was_below = is_above, is_below
        if is_above is None or was_above is None:
            return None
        return (self.up and is_above and not was_above) or (self.down and bool(is_below) and not was_below)
