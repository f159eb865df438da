"""Other histories of a market, made from its own bars: what a run came to might hang on the order its days came in."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Bars, Floats, Ints
from skelb.core.errors import SettingsError
from skelb.core.plan import Dataset
from skelb.core.trials.bootstrap import stationary_rows

_PRICES = ("open", "high", "low", "close")
_CALM_DAYS = 20  # over which a day's size is measured, about it
MOST_HISTORIES = 2_000


@dataclass(frozen=True)
class HistoryRules:
    """How histories are made: how many, trading days that stay together on average, whether wild and calm times come
    when they did, ticks of noise on every price, the seed."""

    histories: int = 200
    days: int = 10
    keeps_volatility: bool = True
    noise: float = 1.0
    seed: int = 1

    def __post_init__(self) -> None:
        if not 1 <= self.histories <= MOST_HISTORIES:
            raise SettingsError(f"histories are 1 to {MOST_HISTORIES:,}, got {self.histories}")
        if not 1 <= self.days <= 10_000 or not 0 <= self.noise <= 1_000:
            raise SettingsError("days that stay together are 1 to 10,000, ticks of noise 0 to 1,000")


class HistoryMaker:
    """Makes histories of a dataset: whole trading days drawn anew in stretches, each going on from the last price.

    The stationary bootstrap of days (Politis and Romano 1994, JASA 89), with the shape of every day kept: its bars
    move by the same share of the price before. With `keeps_volatility` a day's moves are scaled to the size of the
    days about the one it stands in for (a filtered bootstrap: Barone-Adesi, Giannopoulos and Vosper 1999, Journal of
    Futures Markets 19(5)). Raises SettingsError where there are too few days, or a price is not above 0.
    """

    def __init__(self, dataset: Dataset, rules: HistoryRules) -> None:
        bars, calendar = dataset.bars, dataset.calendar
        self._bars, self._rules = bars, rules
        self._tick, self._decimals = dataset.market.tick, dataset.market.decimals
        self._starts = np.flatnonzero(calendar.starts_day)
        self._ends = np.append(self._starts[1:], len(bars))
        if self._starts.size < 20:
            raise SettingsError(f"histories need 20 trading days or more, there are {self._starts.size}")
        if not min(float(getattr(bars, name).min()) for name in _PRICES) > 0:
            raise SettingsError("histories need prices above 0")
        begins = calendar.close_time - calendar.session_minute * 60
        self._opens = begins[self._starts]  # of each day's session
        self._offsets = bars.time - np.repeat(self._opens, self._ends - self._starts)
        self._before = np.concatenate(([bars.open[0]], bars.close[self._ends[:-1] - 1]))
        moves = np.abs(np.log(bars.close[self._ends - 1] / self._before))
        highs, lows = np.maximum.reduceat(bars.high, self._starts), np.minimum.reduceat(bars.low, self._starts)
        around = np.ones(_CALM_DAYS) / _CALM_DAYS
        size = np.maximum(moves, np.log(highs / lows))
        padded = np.pad(size, (_CALM_DAYS // 2, _CALM_DAYS - 1 - _CALM_DAYS // 2), mode="edge")
        self._sizes = np.maximum(np.convolve(padded, around, mode="valid"), 1e-12)

    def make(self, number: int) -> Bars:
        """History `number`: bars as many days long, each day at the place of one of the market's own."""
        rng = np.random.default_rng((self._rules.seed, number))
        days = stationary_rows(self._starts.size, 1, self._rules.days, rng)[0]
        rows, slots = self._rows(days)
        bars, before = self._bars, np.repeat(self._before[days], self._ends[days] - self._starts[days])
        scale = self._sizes / self._sizes[days] if self._rules.keeps_volatility else np.ones(days.size)
        moves = {name: np.log(getattr(bars, name)[rows] / before) * scale[slots] for name in _PRICES}
        lasts = np.append(np.flatnonzero(slots[1:] != slots[:-1]), slots.size - 1)
        gone = np.concatenate(([0.0], np.cumsum(moves["close"][lasts])[:-1]))
        base = np.log(self._before[0]) + gone[slots]
        prices = {name: self._noisy(np.exp(base + moves[name]), rng) for name in _PRICES}
        prices["high"] = np.maximum.reduce(list(prices.values()))
        prices["low"] = np.minimum.reduce([prices[name] for name in _PRICES if name != "high"])
        time = bars.time[self._starts][slots] if bars.dated else self._opens[slots] + self._offsets[rows]
        columns = {name: values[rows] for name, values in bars.columns.items()}
        opens, highs, lows, closes = (prices[name] for name in _PRICES)
        return Bars(bars.timeframe, time, opens, highs, lows, closes, bars.volume[rows], columns, dated=bars.dated)

    def _rows(self, days: Ints) -> tuple[Ints, Ints]:
        """The bars of the drawn days one after the other, and which day of the history each is in."""
        counts = self._ends[days] - self._starts[days]
        slots = np.repeat(np.arange(days.size), counts)
        within = np.arange(slots.size) - np.repeat(np.cumsum(counts) - counts, counts)
        return self._starts[days][slots] + within, slots

    def _noisy(self, price: Floats, rng: np.random.Generator) -> Floats:
        ticks = np.rint(price / self._tick + rng.uniform(-self._rules.noise, self._rules.noise, price.size))
        return np.round(np.maximum(ticks, 1.0) * self._tick, self._decimals)
