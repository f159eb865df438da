"""The bars that a run is drawn on: its own, or those of another timeframe, on which its values are seen as they were
known."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats, Ints
from skelb.core.engine import Moment, Outcome
from skelb.core.plan import Dataset
from skelb.core.plan.dataset import HigherBars


@dataclass(frozen=True, eq=False)
class Charted:
    """A run's bars drawn on a chart's bars, shape (c,). Both are of one market.

    A chart's bar sees the last bar of the run that closed at or before its own close, as a script on it would.
    """

    of: Dataset
    chart: Dataset

    @classmethod
    def own(cls, dataset: Dataset) -> "Charted":
        """A run drawn on its own bars."""
        return cls(dataset, dataset)

    @property
    def is_own(self) -> bool:
        """Whether the chart's bars are the run's."""
        return self.of is self.chart

    @property
    def size(self) -> int:
        """How many bars the chart has."""
        return len(self.chart)

    @cached_property
    def _seen(self) -> HigherBars:
        seen = np.searchsorted(self.of.calendar.close_time, self.chart.calendar.close_time, side="right") - 1
        return HigherBars(self.of, seen)

    @cached_property
    def within(self) -> Ints:
        """The bar of the run that is at work while each chart bar closes: the first that closes with it or later, shape
        (c,)."""
        found = np.searchsorted(self.of.calendar.close_time, self.chart.calendar.close_time, side="left")
        return np.minimum(found, len(self.of) - 1)

    def values(self, value: NDArray[Any]) -> NDArray[Any]:
        """A value of the run, shape (n,) or (1,), as each chart bar sees it, shape (c,); unknown before the first."""
        whole = np.broadcast_to(value, len(self.of)) if value.size == 1 else value
        return whole if self.is_own else self._seen.align(whole)

    def share(self, flags: NDArray[np.bool_], rows: slice) -> Floats:
        """The share of the run's bars that closed in each of some chart bars on which a flag was up; where none did,
        the flag as it stands."""
        if self.is_own:
            return flags[rows].astype(np.float64)
        seen = self._seen.seen
        counted = np.concatenate(([0], np.cumsum(flags)))[seen + 1]
        closed = np.diff(seen, prepend=-1)
        fresh = np.diff(counted, prepend=0)
        stands = np.where(seen >= 0, flags[np.maximum(seen, 0)], False)
        return np.where(closed > 0, fresh / np.maximum(closed, 1), stands)[rows].astype(np.float64)

    def run_bar(self, bar: int) -> int:
        """The run's bar that a chart bar sees, -1 for none. Raises IndexError when the chart has no such bar."""
        if not 0 <= bar < self.size:
            raise IndexError(f"bar {bar} is not on this chart")
        return bar if self.is_own else int(self._seen.seen[bar])

    def bars_of(self, bars: Ints) -> Ints:
        """The first chart bar that sees each of some bars of the run; the last where none does."""
        if self.is_own:
            return bars
        closes = self.of.calendar.close_time[bars]
        return np.minimum(np.searchsorted(self.chart.calendar.close_time, closes, side="left"), self.size - 1)

    def bars_at(self, times: Ints) -> Ints:
        """The chart bar that is open at each of some moments, or the last before it; the first before all of them."""
        return np.maximum(np.searchsorted(self.chart.bars.time, times, side="right") - 1, 0)

    def closed_at(self, times: Ints) -> Ints:
        """The last chart bar that has closed by each of some moments; the first before all of them."""
        return np.maximum(np.searchsorted(self.chart.calendar.close_time, times, side="right") - 1, 0)

    def entry_bars(self, outcome: Outcome) -> Ints:
        """The chart bar on which each trade entered, shape (trades,)."""
        trades = outcome.trades
        if self.is_own:
            return trades.entry_bar
        found = self.bars_at(outcome.entry_times())
        inside = trades.entry_moment == Moment.INSIDE
        return self._touched(found, trades.entry_bar, inside, trades.entry_mid)

    def exit_bars(self, outcome: Outcome) -> Ints:
        """The chart bar on which each trade left, shape (trades,)."""
        trades = outcome.trades
        if self.is_own:
            return trades.exit_bar
        found = np.where(
            trades.moment == Moment.CLOSE, self.bars_of(trades.exit_bar), self.bars_at(outcome.exit_times())
        )
        return self._touched(found, trades.exit_bar, trades.moment == Moment.INSIDE, trades.exit_mid)

    def _touched(self, found: Ints, bars: Ints, inside: NDArray[np.bool_], prices: Floats) -> Ints:
        """Fills inside a bar of the run stand on the first finer bar that holds their price."""
        if self.chart.bars.timeframe >= self.of.bars.timeframe:
            return found
        placed, (high, low) = found.copy(), (self.chart.bars.high, self.chart.bars.low)
        ends = self.bars_of(bars)
        for row in np.flatnonzero(inside):
            span = slice(found[row], ends[row] + 1)
            holding = np.flatnonzero((low[span] <= prices[row]) & (prices[row] <= high[span]))
            if holding.size:
                placed[row] += holding[0]
        return placed
