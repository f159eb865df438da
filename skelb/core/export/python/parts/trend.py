"""Trend and volatility, fed bar by bar."""

import math
from collections import deque
from typing import NamedTuple

from skelb.core.export.python.parts.averages import Ema, Sma, Wilder
from skelb.core.export.python.parts.market import DAY, WEEK, Bar, Market
from skelb.core.export.python.parts.values import known, range_of, ratio
from skelb.core.export.python.parts.windows import Gain, Highest, Lowest, Prior, Stdev


class TrueRange:
    """The bar's range, stretched to the earlier close where a gap left it outside."""

    def __init__(self) -> None:
        self.last = math.nan

    def next(self, bar: Bar) -> float:
        last, self.last = self.last, bar.close
        return max(bar.high, last) - min(bar.low, last) if known(last) else bar.high - bar.low


class Atr:
    """Wilder's average of the true range."""

    def __init__(self, n: int) -> None:
        self.true_range, self.smooth = TrueRange(), Wilder(n)

    def next(self, bar: Bar) -> float:
        return self.smooth.next(self.true_range.next(bar))


class Band(NamedTuple):
    upper: float
    mid: float
    lower: float


class Bollinger:
    """A plain average with a band of f standard deviations either side."""

    def __init__(self, n: int, f: float) -> None:
        self.mid, self.stdev, self.f = Sma(n), Stdev(n), f

    def next(self, x: float) -> Band:
        mid, width = self.mid.next(x), self.f * self.stdev.next(x)
        return Band(mid + width, mid, mid - width)


class Keltner:
    """An ema of the close with a band of f average true ranges either side."""

    def __init__(self, n: int, m: int, f: float) -> None:
        self.mid, self.atr, self.f = Ema(n), Atr(m), f

    def next(self, bar: Bar) -> Band:
        mid, width = self.mid.next(bar.close), self.f * self.atr.next(bar)
        return Band(mid + width, mid, mid - width)


class Channel:
    """The highest high and the lowest low of the last n bars, and the middle between."""

    def __init__(self, n: int) -> None:
        self.upper, self.lower = Highest(n), Lowest(n)

    def next(self, bar: Bar) -> Band:
        upper, lower = self.upper.next(bar.high), self.lower.next(bar.low)
        return Band(upper, (upper + lower) / 2, lower)


class AdxValues(NamedTuple):
    adx: float
    plus: float
    minus: float


class Adx:
    """Wilder's directional index and its two sides, 0 to 100."""

    def __init__(self, n: int) -> None:
        self.up, self.down, self.reach, self.strength = Wilder(n), Wilder(n), Wilder(n), Wilder(n)
        self.last: Bar | None = None

    def next(self, bar: Bar) -> AdxValues:
        last, self.last = self.last, bar
        if last is None:
            return AdxValues(math.nan, math.nan, math.nan)
        rise, fall = bar.high - last.high, last.low - bar.low
        up = self.up.next(rise if rise > fall and rise > 0 else 0.0)
        down = self.down.next(fall if fall > rise and fall > 0 else 0.0)
        reach = self.reach.next(max(bar.high, last.close) - min(bar.low, last.close))
        plus, minus = ratio(100.0 * up, reach), ratio(100.0 * down, reach)
        return AdxValues(self.strength.next(ratio(100.0 * abs(plus - minus), plus + minus)), plus, minus)


class AroonValues(NamedTuple):
    up: float
    down: float


class Aroon:
    """How lately the highest high and lowest low of the last n + 1 bars were, 100 for this bar, 0 for n bars ago."""

    def __init__(self, n: int) -> None:
        self.n = n
        self.highs: deque[float] = deque(maxlen=n + 1)
        self.lows: deque[float] = deque(maxlen=n + 1)

    def next(self, bar: Bar) -> AroonValues:
        self.highs.appendleft(bar.high)
        self.lows.appendleft(bar.low)
        if len(self.highs) <= self.n:
            return AroonValues(math.nan, math.nan)
        ago_high, ago_low = self.highs.index(max(self.highs)), self.lows.index(min(self.lows))
        return AroonValues(100.0 * (self.n - ago_high) / self.n, 100.0 * (self.n - ago_low) / self.n)


class Psar:
    """Wilder's stop and reverse price."""

    def __init__(self, start: float, step: float, most: float) -> None:
        self.start, self.step, self.most = start, step, most
        self.rising, self.extreme, self.stop, self.speed = True, 0.0, 0.0, start
        self.last: deque[Bar] = deque(maxlen=2)

    def next(self, bar: Bar) -> float:
        before = list(self.last)
        self.last.append(bar)
        if not before:
            return math.nan
        if len(before) == 1:
            self.rising = bar.close >= before[0].close
            self.extreme = before[0].high if self.rising else before[0].low
            self.stop = before[0].low if self.rising else before[0].high
        else:  # it moves towards the extreme, never inside the last two bars
            self.stop += self.speed * (self.extreme - self.stop)
            self.stop = (
                min(self.stop, *(one.low for one in before))
                if self.rising
                else max(self.stop, *(one.high for one in before))
            )
        if bar.low < self.stop if self.rising else bar.high > self.stop:
            self.rising = not self.rising
            self.stop, self.extreme, self.speed = self.extreme, bar.high if self.rising else bar.low, self.start
        elif bar.high > self.extreme if self.rising else bar.low < self.extreme:
            self.extreme = bar.high if self.rising else bar.low
            self.speed = min(self.speed + self.step, self.most)
        return self.stop


class SupertrendValues(NamedTuple):
    line: float
    side: float


class Supertrend:
    """A band of f average true ranges that trails price."""

    def __init__(self, n: int, f: float) -> None:
        self.atr, self.f = Atr(n), f
        self.upper, self.lower, self.side, self.last = math.nan, math.nan, 0.0, math.nan

    def next(self, bar: Bar) -> SupertrendValues:
        reach, last, self.last = self.atr.next(bar), self.last, bar.close
        if not known(reach):
            return SupertrendValues(math.nan, math.nan)
        top, bottom = bar.mid + self.f * reach, bar.mid - self.f * reach
        if self.side == 0.0:
            self.upper, self.lower, self.side = top, bottom, 1.0 if bar.close >= bar.mid else -1.0
        else:  # a band moves only towards price while the close before stayed inside it
            self.upper = top if top < self.upper or last > self.upper else self.upper
            self.lower = bottom if bottom > self.lower or last < self.lower else self.lower
            if self.side > 0 and bar.close < self.lower:
                self.side = -1.0
            elif self.side < 0 and bar.close > self.upper:
                self.side = 1.0
        return SupertrendValues(self.lower if self.side > 0 else self.upper, self.side)


class IchimokuValues(NamedTuple):
    turning: float
    standard: float
    span_a: float
    span_b: float


class Ichimoku:
    """Middles of three channels, and the spans as valid on this bar."""

    def __init__(self, a: int, b: int, c: int) -> None:
        self.turning, self.standard, self.slow = Channel(a), Channel(b), Channel(c)
        self.span_a: Prior[float] = Prior(b, math.nan)
        self.span_b: Prior[float] = Prior(b, math.nan)

    def next(self, bar: Bar) -> IchimokuValues:
        turning, standard, slow = self.turning.next(bar).mid, self.standard.next(bar).mid, self.slow.next(bar).mid
        return IchimokuValues(turning, standard, self.span_a.next((turning + standard) / 2), self.span_b.next(slow))


class VortexValues(NamedTuple):
    plus: float
    minus: float


class Vortex:
    """Distances from high to earlier low and from low to earlier high, over that of true ranges."""

    def __init__(self, n: int) -> None:
        self.plus, self.minus, self.reach = Sma(n), Sma(n), Sma(n)
        self.last: Bar | None = None

    def next(self, bar: Bar) -> VortexValues:
        last, self.last = self.last, bar
        if last is None:
            return VortexValues(math.nan, math.nan)
        reach = self.reach.next(max(bar.high, last.close) - min(bar.low, last.close))
        plus, minus = self.plus.next(abs(bar.high - last.low)), self.minus.next(abs(bar.low - last.high))
        return VortexValues(ratio(plus, reach), ratio(minus, reach))


class Efficiency:
    """The change over n bars as a share of the way travelled, 0 to 1."""

    def __init__(self, n: int) -> None:
        self.n, self.gain, self.step, self.way = n, Gain(n), Gain(1), Sma(n)

    def next(self, x: float) -> float:
        change, way = abs(self.gain.next(x)), self.way.next(abs(self.step.next(x)))
        return ratio(change, way * self.n)


class Choppiness:
    """The sum of true ranges against the range of the window on a log scale, 0 to 100."""

    def __init__(self, n: int) -> None:
        self.n, self.true_range, self.reach = n, TrueRange(), Sma(n)
        self.top, self.bottom = Highest(n), Lowest(n)

    def next(self, bar: Bar) -> float:
        reach = self.reach.next(self.true_range.next(bar)) * self.n
        share = ratio(reach, range_of(self.top.next(bar.high), self.bottom.next(bar.low)))
        return 100.0 * math.log10(share) / math.log10(self.n) if share > 0 else math.nan


class Crest:
    """The latest turning point of the highs, known `after` bars later."""

    def __init__(self, before: int, after: int) -> None:
        self.before, self.after, self.latest = before, after, math.nan
        self.values: deque[float] = deque(maxlen=before + after + 1)

    def add(self, x: float) -> float:
        self.values.append(x)
        if len(self.values) > self.before + self.after:
            values = list(self.values)
            middle = values[self.before]
            if max(values[: self.before]) < middle >= max(values[self.before + 1 :]):
                self.latest = middle
        return self.latest

    def next(self, bar: Bar) -> float:
        return self.add(bar.high)


class Trough(Crest):
    """The latest turning point of the lows, known `after` bars later."""

    def next(self, bar: Bar) -> float:
        return -self.add(-bar.low)


class HistoricalVolatility:
    """How much the close varies, in percent per year."""

    def __init__(self, n: int, bars_per_year: float) -> None:
        self.stdev, self.last = Stdev(n), math.nan
        self.scale = 100.0 * math.sqrt(n / (n - 1.0) * bars_per_year)

    def next(self, bar: Bar) -> float:
        last, self.last = self.last, bar.close
        return self.scale * self.stdev.next(math.log(bar.close / last) if bar.close > 0 and last > 0 else math.nan)


def bars_per_year(market: Market, minutes: int) -> float:
    """How many bars a year of the market's schedule has."""
    days = len(market.weekdays) / 7 * 365.25
    if minutes >= DAY:
        return 365.25 / 7 if minutes >= WEEK else days
    return days * sum(end - start for start, end in market.session) / minutes
