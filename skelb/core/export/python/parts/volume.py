"""Volume and the trading day, fed bar by bar."""

import math
from typing import NamedTuple

from skelb.core.export.python.parts.averages import Sma
from skelb.core.export.python.parts.market import Bar
from skelb.core.export.python.parts.values import Truth, known, more, range_of, ratio, sign


class Obv:
    """Volume summed up on rises and down on falls."""

    def __init__(self) -> None:
        self.total, self.last = 0.0, math.nan

    def next(self, bar: Bar) -> float:
        if known(self.last):
            self.total += sign(bar.close - self.last) * bar.volume
        self.last = bar.close
        return self.total


class Vwap:
    """The average price of the session so far, weighted by volume."""

    def __init__(self) -> None:
        self.money, self.volume = 0.0, 0.0

    def next(self, bar: Bar) -> float:
        if bar.first_of_day:
            self.money, self.volume = 0.0, 0.0
        self.money += bar.typical * bar.volume
        self.volume += bar.volume
        return self.money / self.volume if self.volume > 0 else math.nan


def money_flow_volume(bar: Bar) -> float:
    """Volume weighted by the close's place in the bar, from -1 at the low to 1 at the high."""
    reach = range_of(bar.high, bar.low)
    return ((bar.close - bar.low) - (bar.high - bar.close)) / reach * bar.volume if reach > 0 else 0.0 * bar.volume


class Accumulation:
    """Volume summed by where the close stands in its bar."""

    def __init__(self) -> None:
        self.total = 0.0

    def next(self, bar: Bar) -> float:
        self.total += money_flow_volume(bar)
        return self.total


class MoneyFlow:
    """The same over n bars, as a share of their volume."""

    def __init__(self, n: int) -> None:
        self.flow, self.volume = Sma(n), Sma(n)

    def next(self, bar: Bar) -> float:
        return ratio(self.flow.next(money_flow_volume(bar)), self.volume.next(bar.volume))


class GapUp:
    """Yes where the whole bar lies above the one before."""

    def __init__(self) -> None:
        self.last = math.nan

    def next(self, bar: Bar) -> Truth:
        last, self.last = self.last, bar.high
        return more(bar.low, last)


class GapDown:
    """Yes where the whole bar lies below the one before."""

    def __init__(self) -> None:
        self.last = math.nan

    def next(self, bar: Bar) -> Truth:
        last, self.last = self.last, bar.low
        return more(last, bar.high)


class Prices(NamedTuple):
    open: float
    high: float
    low: float
    close: float


UNKNOWN_PRICES = Prices(math.nan, math.nan, math.nan, math.nan)


class Period:
    """The prices of the period so far, and of the finished one before it."""

    def __init__(self) -> None:
        self.now, self.before = UNKNOWN_PRICES, UNKNOWN_PRICES

    def add(self, bar: Bar, begins: bool) -> None:
        if begins or self.now is UNKNOWN_PRICES:
            self.before, self.now = self.now, Prices(bar.open, bar.high, bar.low, bar.close)
        else:
            high, low = max(self.now.high, bar.high), min(self.now.low, bar.low)
            self.now = Prices(self.now.open, high, low, bar.close)


class DaySoFar:
    """The trading day's open, high and low up to this bar."""

    def __init__(self) -> None:
        self.period = Period()

    def next(self, bar: Bar) -> Prices:
        self.period.add(bar, bar.first_of_day)
        return self.period.now


class PriorDay:
    """The finished trading day before this one."""

    def __init__(self) -> None:
        self.period = Period()

    def next(self, bar: Bar) -> Prices:
        self.period.add(bar, bar.first_of_day)
        return self.period.before


class PriorWeek:
    """The finished week of trading days before this one."""

    def __init__(self) -> None:
        self.period = Period()

    def next(self, bar: Bar) -> Prices:
        self.period.add(bar, bar.first_of_week)
        return self.period.before


class HighLow(NamedTuple):
    high: float
    low: float


class OpeningRange:
    """High and low of the trading day's first minutes, known from the bar whose close reaches them."""

    def __init__(self, minutes: int) -> None:
        self.minutes, self.high, self.low = minutes, math.nan, math.nan

    def next(self, bar: Bar) -> HighLow:
        if bar.first_of_day:
            self.high = self.low = math.nan
        if bar.minutes_into_session <= self.minutes:
            self.high = max(bar.high, self.high) if known(self.high) else bar.high
            self.low = min(bar.low, self.low) if known(self.low) else bar.low
        is_known = bar.minutes_into_session >= self.minutes
        return HighLow(self.high, self.low) if is_known else HighLow(math.nan, math.nan)


class TradingDayOfMonth:
    """Which of the days with bars in its month a bar's trading day is."""

    def __init__(self) -> None:
        self.number = 0

    def next(self, bar: Bar) -> float:
        if bar.first_of_month:
            self.number = 1
        elif bar.first_of_day:
            self.number += 1
        return float(self.number)
