"""Bars: equal-length columns in time order."""

from dataclasses import dataclass, field, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars.timeframes import Timeframe

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
_Values = TypeVar("_Values", Floats, Ints)

PRICES = ("open", "high", "low", "close", "volume")
"""The columns that all bars have besides their time."""


def _none() -> Ints:
    return np.zeros(0, np.int64)


def _laid_out(values: _Values) -> _Values:
    """Itself where it is contiguous and can be written to, as nearly always; else a copy that is."""
    return np.require(values, requirements=("C", "W"))


@dataclass(frozen=True, eq=False)
class Bars:
    """Prices of one market on one timeframe.

    `time` holds open times in seconds since 1970 UTC, strictly rising, shape (n,). Daily and weekly rows that
    were written as dates carry that date's midnight UTC and `dated` is true: they belong to their written date.
    All other columns are float64 of shape (n,); `columns` are extra ones that came with the bars. `left_out` holds the
    open times of stored bars that are not among them because somebody left them out, rising.
    """

    timeframe: Timeframe
    time: Ints
    open: Floats
    high: Floats
    low: Floats
    close: Floats
    volume: Floats
    columns: dict[str, Floats] = field(default_factory=dict)
    dated: bool = False
    left_out: Ints = field(default_factory=_none, kw_only=True)

    def __post_init__(self) -> None:
        # Compiled code is compiled for the layout of its arrays: for any other a minute would pass before it runs.
        for name in ("time", *PRICES):
            object.__setattr__(self, name, _laid_out(getattr(self, name)))
        object.__setattr__(self, "columns", {name: _laid_out(values) for name, values in self.columns.items()})

    def __len__(self) -> int:
        return self.time.size

    def without(self, times: Ints) -> "Bars":
        """These bars but for those that open at one of the times."""
        used = self.take(~np.isin(self.time, times))
        return replace(used, left_out=np.union1d(self.left_out, self.time[np.isin(self.time, times)]))

    def take(self, chosen: Bools | slice) -> "Bars":
        """The chosen bars, in the same order."""
        return Bars(
            self.timeframe,
            self.time[chosen],
            self.open[chosen],
            self.high[chosen],
            self.low[chosen],
            self.close[chosen],
            self.volume[chosen],
            {name: values[chosen] for name, values in self.columns.items()},
            self.dated,
            left_out=self.left_out,
        )
