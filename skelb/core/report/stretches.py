"""Stretches of a market rising, falling and going sideways, and what a run earned in each."""

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.plan import Dataset
from skelb.core.report.traded import Traded

Way = Literal["rising", "falling", "sideways"]
_ATR_DAYS = 20


@dataclass(frozen=True, slots=True)
class Swings:
    """What cuts a market into stretches: a swing of `percent` of price or `ranges` times the mean true range of 20
    days, whichever is more, ends one; one whose net move is under `sideways` of its path goes sideways."""

    percent: float = 10.0
    ranges: float = 4.0
    sideways: float = 1.0 / 3.0


@dataclass(frozen=True, slots=True)
class Stretch:
    """One stretch; times are seconds since 1970 UTC, of its first bar's opening and its last bar's close.

    move : of price, percent; net_profit : of the trades that ended in it, money
    """

    way: Way
    begins: int
    ends: int
    move: float
    net_profit: float
    trades: int


def stretches_of(dataset: Dataset, first: int, last: int, trades: Traded, swings: Swings) -> list[Stretch]:
    """The stretches of bars `first` to `last`, by the closes of their trading days; none where a price is not above 0.

    Where one ends is only known when the swing after it is large enough: they judge a run, no rule could use them.
    """
    bars, calendar = dataset.bars, dataset.calendar
    ends = calendar.day_ends
    kept = np.minimum(ends[(ends >= first) & (np.append(-1, ends[:-1]) < last)], last)
    closes = bars.close[kept]
    if kept.size < 2 or not (closes > 0).all():
        return []
    starts = np.append(first, kept[:-1] + 1)
    highs = np.maximum.reduceat(bars.high[: last + 1], starts)
    lows = np.minimum.reduceat(bars.low[: last + 1], starts)
    turns = _turns(closes, np.maximum(closes * swings.percent / 100.0, swings.ranges * _atr(highs, lows, closes)))
    days = calendar.day[kept]
    found = []
    for begin, end in pairwise(turns.tolist()):
        part = closes[begin : end + 1]
        path, net = float(np.abs(np.diff(part)).sum()), float(part[-1] - part[0])
        way: Way = "sideways" if abs(net) < swings.sideways * path or net == 0 else "rising" if net > 0 else "falling"
        after = days[begin] if begin else days[0] - 1  # the turning day belongs to the stretch that it ends
        own = (trades.exit_day > after) & (trades.exit_day <= days[end])
        found.append(
            Stretch(
                way,
                int(bars.time[starts[begin + 1 if begin else 0]]),
                int(calendar.close_time[kept[end]]),
                (float(part[-1] / part[0]) - 1.0) * 100.0,
                float(trades.net[own].sum()),
                int(np.count_nonzero(own)),
            )
        )
    return found


def _atr(highs: Floats, lows: Floats, closes: Floats) -> Floats:
    """The mean true range of the last 20 days, of those there are at the beginning."""
    before = np.append(closes[0], closes[:-1])
    true = np.maximum(highs, before) - np.minimum(lows, before)
    sums = np.cumsum(true)
    count = np.minimum(np.arange(1, true.size + 1), _ATR_DAYS)
    return (sums - np.concatenate((np.zeros(_ATR_DAYS), sums))[: true.size]) / count


def _turns(closes: Floats, needed: Floats) -> Ints:
    """Places where one stretch ends and the next begins, the first and the last day among them."""
    turns, high, low, way = [0], 0, 0, 0
    for day in range(1, closes.size):
        if way >= 0 and closes[day] > closes[high]:
            high = day
        if way <= 0 and closes[day] < closes[low]:
            low = day
        if way >= 0 and closes[high] - closes[day] >= needed[day]:
            turns.append(high)
            way, low = -1, day
        elif way <= 0 and closes[day] - closes[low] >= needed[day]:
            turns.append(low)
            way, high = 1, day
    return np.unique([*turns, closes.size - 1])
