"""Made bars that go on where a market's own end, for trying what comes."""

import numpy as np

from skelb.core.bars import Bars, Ints
from skelb.core.bars.calendar import to_utc, zone_offsets
from skelb.core.plan import Dataset
from skelb.core.trials.histories import HistoryMaker, HistoryRules

_WEEK_S = 7 * 86_400


def bars_onward(dataset: Dataset, seed: int = 1) -> Bars:
    """As many days again: a history made of the market's own days (`HistoryMaker`) that begins at its last price, in
    the weeks after its last bar, at the clock times of its sessions. The same for the same seed.

    Raises SettingsError where there are fewer than 20 trading days, or a price is not above 0.
    """
    bars, market = dataset.bars, dataset.market
    made = HistoryMaker(dataset, HistoryRules(histories=1, seed=seed)).make(0)
    ticks = bars.close[-1] / made.open[0] / market.tick
    prices = {
        name: np.round(np.maximum(np.rint(getattr(made, name) * ticks), 1.0) * market.tick, market.decimals)
        for name in ("open", "high", "low", "close")
    }
    weeks = -(-(int(bars.time[-1]) - int(made.time[0]) + 1) // _WEEK_S) * _WEEK_S
    time = made.time + weeks if made.dated else _weeks_later(made.time, weeks, market.zone)
    return Bars(made.timeframe, time, **prices, volume=made.volume, columns=made.columns, dated=made.dated)


def _weeks_later(time: Ints, seconds: int, zone: str) -> Ints:
    """The same clock times so much later, whatever the clocks were changed to meanwhile."""
    return to_utc(time + zone_offsets(time, zone) + seconds, zone)
