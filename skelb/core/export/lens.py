"""One bar opened into the finer bars it was made of, with the fills inside it."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.engine import Moment, Outcome
from skelb.core.plan import Dataset

When = Literal["open", "inside", "close"]
_MOMENTS: dict[int, When] = {Moment.OPEN: "open", Moment.CLOSE: "close"}


@dataclass(frozen=True, slots=True)
class FinerBars:
    """Bars as columns; `timeframe` is None, and there are none, when the bar is as fine as what is stored."""

    timeframe: str | None
    time: list[int]
    open: list[float]
    high: list[float]
    low: list[float]
    close: list[float]


@dataclass(frozen=True, slots=True)
class Fill:
    """A fill in a bar: which way it went, its price, when in the bar, and by what rule or reason."""

    way: Literal["in", "out"]
    side: Literal["long", "short"]
    price: float
    moment: When
    by: str


@dataclass(frozen=True, slots=True)
class Lens:
    """One bar, the finer bars inside it, and its fills in order; times are seconds since 1970 UTC."""

    time: int
    close_time: int
    open: float
    high: float
    low: float
    close: float
    finer: FinerBars
    fills: list[Fill]


def lens_of(outcome: Outcome, bar: int, finest: Dataset) -> Lens:
    """The bar, its finer bars as columns (none when it is as fine as the finest that are stored), its fills in order.

    A fill was at the bar's open, at its close or inside; where inside is not known.
    """
    dataset = outcome.plan.dataset
    bars, ends = dataset.bars, dataset.calendar.close_time
    opens, closes = int(bars.time[bar]), int(ends[bar])
    finer = FinerBars(None, [], [], [], [], [])
    if finest.bars.timeframe < bars.timeframe:
        # A bar holds what closed after the bar before it; the first holds what opened with it or later.
        before = int(ends[bar - 1]) if bar else opens
        first, end = np.searchsorted(finest.calendar.close_time, (before, closes), side="right")
        pieces = finest.bars.take(slice(first, end))
        columns = (pieces.time, pieces.open, pieces.high, pieces.low, pieces.close)
        finer = FinerBars(str(pieces.timeframe), *(column.tolist() for column in columns))
    return Lens(
        opens, closes, float(bars.open[bar]), float(bars.high[bar]), float(bars.low[bar]), float(bars.close[bar]),
        finer, _fills(outcome, bar),
    )  # fmt: skip


def _fills(outcome: Outcome, bar: int) -> list[Fill]:
    trades, found = outcome.trades, list[tuple[int, int, Fill]]()
    entered = trades.entry_bar - (trades.entry_moment == Moment.CLOSE)
    for row in np.flatnonzero((entered == bar) | (trades.exit_bar == bar)).tolist():
        side: Literal["long", "short"] = "long" if trades.side[row] > 0 else "short"
        if entered[row] == bar:
            moment = int(trades.entry_moment[row])
            price = float(trades.entry_price[row])
            fill = Fill("in", side, price, _MOMENTS.get(moment, "inside"), outcome.entry_rule(row).name)
            found.append((moment, 1, fill))
        if trades.exit_bar[row] == bar:
            moment, price = int(trades.moment[row]), float(trades.exit_price[row])
            fill = Fill("out", side, price, _MOMENTS.get(moment, "inside"), outcome.exit_reason(row))
            found.append((moment, 0 if moment == Moment.OPEN else 2, fill))  # what it held at the open goes first
    return [fill for _, _, fill in sorted(found, key=lambda item: item[:2])]
