# mypy: disable-error-code="no-untyped-def"
"""Volume: what was traded, and on which side of the bar."""

import numpy as np

from skelb.core.bars import Bars, Floats, Ints
from skelb.core.catalogue.arithmetic import quotient, range_of
from skelb.core.catalogue.averages import sma
from skelb.core.catalogue.entry import CHANGE, PRICE, Function, Parameter
from skelb.core.compiled import njit


def obv(close: Floats, volume: Floats) -> Floats:
    """Volume added on rises and taken off on falls, from 0 on the first bar, shape (n_bars,)."""
    change = np.concatenate(([0.0], np.sign(close[1:] - close[:-1])))[: close.size]
    return np.cumsum(change * volume)


def vwap(typical: Floats, volume: Floats, day: Ints) -> Floats:
    """Average price since the session's start weighted by volume, shape (n_bars,); NaN before any volume."""
    return _vwap(typical, volume, day, np.empty_like(typical))


def money_flow_volume(bars: Bars) -> Floats:
    """Volume weighted by the close's place in the bar, from -1 at the low to 1 at the high; 0 without range."""
    reach = range_of(bars.high, bars.low)
    place = quotient((bars.close - bars.low) - (bars.high - bars.close), reach)
    return np.where(reach > 0, place, 0.0) * bars.volume


@njit(cache=True, nogil=True, error_model="numpy")
def _vwap(typical, volume, day, out):
    money = 0.0
    total = 0.0
    for i in range(out.size):
        if i == 0 or day[i] != day[i - 1]:
            money = 0.0
            total = 0.0
        money += typical[i] * volume[i]
        total += volume[i]
        out[i] = money / total if total > 0.0 else np.nan
    return out


VOLUME = (
    Function(
        "obv", "Volume", (),
        "Volume summed up on rises and down on falls.",
        "previous + volume on a higher close, - volume on a lower one",
        "Joseph Granville, New Key to Stock Market Profits (1963).", "0 on the first bar.", "0",
        lambda frame: obv(frame.bars.close, frame.bars.volume),
        mirror=CHANGE, example="obv",
    ),
    Function(
        "vwap", "Volume", (),
        "The average price of the session so far, weighted by volume.",
        "sum of typical * volume / sum of volume since the session's start",
        "Volume-weighted average price.", "The session's first bar with volume.", "0",
        lambda frame: vwap(
            (frame.bars.high + frame.bars.low + frame.bars.close) / 3.0, frame.bars.volume, frame.calendar.day
        ),
        mirror=PRICE, example="vwap",
    ),
    Function(
        "accumulation", "Volume", (),
        "Volume summed by where the close stands in its bar.",
        "previous + ((close - low) - (high - close)) / (high - low) * volume; nothing without range",
        "Marc Chaikin.", "The first bar's own value.", "0",
        lambda frame: np.cumsum(money_flow_volume(frame.bars)),
        mirror=CHANGE, example="accumulation",
    ),
    Function(
        "money_flow", "Volume", (Parameter("n", "length"),),
        "The same over n bars, as a share of their volume, -1 to 1.",
        "sum of the bars' shares of volume over n / sum(volume, n)",
        "Marc Chaikin.", "None: a full window is needed.", "n - 1",
        lambda frame, n: quotient(sma(money_flow_volume(frame.bars), n), sma(frame.bars.volume, n)),
        bounded=(-1.0, 1.0),
        mirror=CHANGE, example="money_flow(20)",
    ),
)  # fmt: skip
