# mypy: disable-error-code="no-untyped-def"
"""Volume: what was traded, and on which side of the bar."""

import numpy as np

from skelb.core.bars import Bars, Bools, Floats, Ints
from skelb.core.catalogue.arithmetic import quotient, range_of
from skelb.core.catalogue.averages import sma
from skelb.core.catalogue.entry import CHANGE, NONE_TRIED, PRICE, Function, Parameter
from skelb.core.compiled import njit


def obv(close: Floats, volume: Floats, tried: Bools = NONE_TRIED) -> Floats:
    """Volume added on rises and taken off on falls, from 0 on the first bar, shape (n_bars,); of `tried` see `Frame`."""
    return _obv(close, volume, tried, np.empty_like(close))


def vwap(typical: Floats, volume: Floats, day: Ints, tried: Bools = NONE_TRIED) -> Floats:
    """Average price since the session's start weighted by volume, shape (n_bars,); NaN before any volume."""
    return _vwap(typical, volume, day, tried, np.empty_like(typical))


def accumulation(bars: Bars, tried: Bools = NONE_TRIED) -> Floats:
    """The running sum of `money_flow_volume`, shape (n_bars,)."""
    return _running(money_flow_volume(bars), tried, np.empty(len(bars)))


def money_flow_volume(bars: Bars) -> Floats:
    """Volume weighted by the close's place in the bar, from -1 at the low to 1 at the high; 0 without range."""
    reach = range_of(bars.high, bars.low)
    place = quotient((bars.close - bars.low) - (bars.high - bars.close), reach)
    return np.where(reach > 0, place, 0.0) * bars.volume


_NO_DAY = -(1 << 62)


@njit(cache=True, nogil=True, error_model="numpy")
def _vwap(typical, volume, day, tried, out):
    tries = tried.size > 1
    money = 0.0
    total = 0.0
    today = _NO_DAY
    for i in range(out.size):
        before = money, total, today
        if day[i] != today:
            money = 0.0
            total = 0.0
            today = day[i]
        money += typical[i] * volume[i]
        total += volume[i]
        out[i] = money / total if total > 0.0 else np.nan
        if tries and tried[i]:
            money, total, today = before
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _obv(close, volume, tried, out):
    tries = tried.size > 1
    total = 0.0
    last = np.nan
    for i in range(out.size):
        before = total, last
        total += np.sign(close[i] - last) * volume[i] if last == last else 0.0 * volume[i]
        last = close[i]
        out[i] = total
        if tries and tried[i]:
            total, last = before
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _running(x, tried, out):
    tries = tried.size > 1
    total = 0.0
    for i in range(out.size):
        out[i] = total + x[i]
        if not (tries and tried[i]):
            total = out[i]
    return out


VOLUME = (
    Function(
        "obv", "Volume", (),
        "Volume summed up on rises and down on falls.",
        "previous + volume on a higher close, - volume on a lower one",
        "Joseph Granville, New Key to Stock Market Profits (1963).", "0 on the first bar.", "0",
        lambda frame: obv(frame.bars.close, frame.bars.volume, frame.tried),
        mirror=CHANGE, example="obv", goes_on=True,
    ),
    Function(
        "vwap", "Volume", (),
        "The average price of the session so far, weighted by volume.",
        "sum of typical * volume / sum of volume since the session's start",
        "Volume-weighted average price.", "The session's first bar with volume.", "0",
        lambda frame: vwap(
            (frame.bars.high + frame.bars.low + frame.bars.close) / 3.0, frame.bars.volume, frame.calendar.day, frame.tried
        ),
        mirror=PRICE, example="vwap", goes_on=True,
    ),
    Function(
        "accumulation", "Volume", (),
        "Volume summed by where the close stands in its bar.",
        "previous + ((close - low) - (high - close)) / (high - low) * volume; nothing without range",
        "Marc Chaikin.", "The first bar's own value.", "0",
        lambda frame: accumulation(frame.bars, frame.tried),
        mirror=CHANGE, example="accumulation", goes_on=True,
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
