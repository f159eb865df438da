"""Bars: equal-length columns in time order."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars.timeframes import Timeframe

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Bars:
    """Prices of one market on one timeframe.

    `time` holds open times in seconds since 1970 UTC, strictly rising, shape (n,). Daily and weekly rows that
    were written as dates carry that date's midnight UTC and `dated` is true: they belong to their written date.
    All other columns are float64 of shape (n,); `columns` are extra ones that came with the bars.
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

    def __len__(self) -> int:
        return self.time.size

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
        )
