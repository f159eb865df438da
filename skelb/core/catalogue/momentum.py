# mypy: disable-error-code="no-untyped-def"
"""Momentum: how fast and how one-sidedly a series moves."""

import numpy as np

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue.arithmetic import quotient, range_of
from skelb.core.catalogue.averages import ema, sma
from skelb.core.catalogue.entry import CHANGE, NONE_TRIED, ODD, SWING, SWING_OF_X, Function, Parameter, Record
from skelb.core.catalogue.windows import highest, lowest
from skelb.core.compiled import njit
from skelb.core.stopping import stretches


def rsi(x: Floats, n: int, tried: Bools = NONE_TRIED) -> Floats:
    """Wilder's relative strength index of `x`, 0 to 100, shape (n_bars,); first known at the n-th known change.

    100 with gains and no losses, 50 with neither. NaN inputs give NaN; smoothing goes on from the last known value.
    """
    return _rsi(x, n, tried, np.empty_like(x))


def macd(x: Floats, a: int, b: int, s: int, tried: Bools = NONE_TRIED) -> Record:
    """Difference of two emas (`line`), its ema (`signal`) and their `gap`, unit of `x`, shape (n_bars,) each."""
    line = ema(x, a, tried) - ema(x, b, tried)
    signal = ema(line, s, tried)
    return {"line": line, "signal": signal, "gap": line - signal}


@njit(cache=True, nogil=True, error_model="numpy")
def _rsi(x, n, tried, out):
    tries = tried.size > 1
    known = 0
    up = 0.0
    down = 0.0
    last = np.nan
    for i in range(x.size):
        before = known, up, down, last
        out[i] = np.nan
        change = x[i] - last
        last = x[i]
        if change == change:
            gain = change if change > 0.0 else 0.0
            loss = -change if change < 0.0 else 0.0
            known += 1
            if known <= n:
                up += gain / n
                down += loss / n
            else:
                up += (gain - up) / n
                down += (loss - down) / n
            if known >= n:
                if down == 0.0:
                    out[i] = 50.0 if up == 0.0 else 100.0
                else:
                    out[i] = 100.0 - 100.0 / (1.0 + up / down)
        if tries and tried[i]:
            known, up, down, last = before
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _change(x, tried, out):
    """What x gained since the bar before."""
    tries = tried.size > 1
    last = np.nan
    for i in range(x.size):
        out[i] = x[i] - last
        if not (tries and tried[i]):
            last = x[i]
    return out


def stoch(high: Floats, low: Floats, close: Floats, n: int, k: int, d: int) -> Record:
    """Place of the close in the range of the last `n` bars, 0 to 100, smoothed by sma(k) and then sma(d)."""
    bottom = lowest(low, n)
    raw = 100.0 * quotient(close - bottom, range_of(highest(high, n), bottom))
    smooth = sma(raw, k)
    return {"k": smooth, "d": sma(smooth, d)}


def cci(typical: Floats, n: int) -> Floats:
    """Distance of the typical price from its average in units of 0.015 mean absolute deviations, shape (n_bars,)."""
    out = np.empty_like(typical)
    for first, end in stretches(typical.size, n):
        _cci(typical, n, out, first, end)
    return out


def mfi(typical: Floats, volume: Floats, n: int) -> Floats:
    """Share of money flowing on rises in the last `n` changes, 0 to 100; 100 without falls, 50 with neither."""
    flow = typical * volume
    change = gain(typical, 1)
    up = sma(np.where(change > 0, flow, np.where(change == change, 0.0, np.nan)), n)
    down = sma(np.where(change < 0, flow, np.where(change == change, 0.0, np.nan)), n)
    share = 100.0 * quotient(up, up + down)
    return np.where((up == 0) & (down == 0), 50.0, share)


def cmo(x: Floats, n: int) -> Floats:
    """Rises less falls over rises plus falls of the last `n` changes, -100 to 100; NaN without movement."""
    change = gain(x, 1)
    up, down = sma(np.maximum(change, 0.0), n), sma(np.maximum(-change, 0.0), n)
    return 100.0 * quotient(up - down, up + down)


def tsi(x: Floats, a: int, b: int, tried: Bools = NONE_TRIED) -> Floats:
    """Twice smoothed change over twice smoothed size of change, -100 to 100; NaN without movement."""
    change = _change(x, tried, np.empty_like(x))
    smooth, size = (ema(ema(part, a, tried), b, tried) for part in (change, np.abs(change)))
    return 100.0 * quotient(smooth, size)


def gain(x: Floats, n: int) -> Floats:
    """Difference to the value `n` bars earlier, unit of `x`, shape (n_bars,)."""
    out = np.full_like(x, np.nan)
    out[n:] = x[n:] - x[: max(0, x.size - n)]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _cci(x, n, out, first, end):
    for i in range(first, end):
        out[i] = np.nan
        if i < n - 1:
            continue
        mean = 0.0
        for k in range(i - n + 1, i + 1):
            mean += x[k]
        mean /= n
        deviation = 0.0
        for k in range(i - n + 1, i + 1):
            deviation += abs(x[k] - mean)
        if deviation / n > 1e-12 * abs(mean):
            out[i] = (x[i] - mean) / (0.015 * deviation / n)


_SERIES = Parameter("x", "number")
_LENGTH = Parameter("n", "length")

MOMENTUM = (
    Function(
        "rsi", "Momentum", (_SERIES, Parameter("n", "length")),
        "The share of rises in the recent movement, from 0 (only falls) to 100 (only rises).",
        "100 - 100 / (1 + wilder(gains, n) / wilder(losses, n)); 100 without losses, 50 without movement",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "The means of the first n gains and losses.",
        "n",
        lambda frame, x, n: rsi(x, n, frame.tried),
        bounded=(0.0, 100.0),
        mirror=SWING_OF_X, example="rsi(close, 20)", goes_on=True,
    ),
    Function(
        "macd", "Momentum",
        (_SERIES, Parameter("a", "length"), Parameter("b", "length"), Parameter("s", "length")),
        "The distance between a fast and a slow average, with its own average.",
        "line = ema(x, a) - ema(x, b); signal = ema(line, s); gap = line - signal",
        "Gerald Appel (1979).",
        "As ema; the signal starts with the known part of the line.",
        "line: max(a, b) - 1; signal and gap: max(a, b) + s - 2",
        lambda frame, x, a, b, s: macd(x, a, b, s, frame.tried),
        fields=("line", "signal", "gap"),
        mirror={"line": ODD, "signal": ODD, "gap": ODD}, example="macd(close, 12, 26, 9)", goes_on=True,
    ),
    Function(
        "stoch", "Momentum", (_LENGTH, Parameter("k", "length"), Parameter("d", "length")),
        "Where the close stands between the lowest low and the highest high, smoothed twice.",
        "raw = 100 * (close - lowest(low, n)) / (highest(high, n) - lowest(low, n)); k = sma(raw, k); d = sma(k, d)",
        "George Lane (1950s).", "None: full windows are needed.", "k: n + k - 2; d: n + k + d - 3",
        lambda frame, n, k, d: stoch(frame.bars.high, frame.bars.low, frame.bars.close, n, k, d),
        fields=("k", "d"), bounded=(0.0, 100.0),
        mirror={"k": SWING, "d": SWING}, example="stoch(20, 3, 3)",
    ),
    Function(
        "stoch_rsi", "Momentum",
        (_SERIES, _LENGTH, Parameter("m", "length"), Parameter("k", "length"), Parameter("d", "length")),
        "Where the rsi stands in its own range of m bars, smoothed twice.",
        "stoch of rsi(x, n) over m bars",
        "Tushar Chande and Stanley Kroll, The New Technical Trader (1994).", "As rsi.",
        "k: n + m + k - 2; d: n + m + k + d - 3",
        lambda frame, x, n, m, k, d: stoch(rsi(x, n), rsi(x, n), rsi(x, n), m, k, d),
        fields=("k", "d"), bounded=(0.0, 100.0),
        mirror={"k": SWING_OF_X, "d": SWING_OF_X}, example="stoch_rsi(close, 14, 14, 3, 3)",
    ),
    Function(
        "roc", "Momentum", (_SERIES, _LENGTH),
        "The change over n bars in percent.",
        "100 * (x / prior(x, n) - 1)",
        "Rate of change.", "None.", "n",
        lambda frame, x, n: 100.0 * (quotient(x, x - gain(x, n)) - 1.0),
        mirror=ODD.nearly(), example="roc(close, 20)",
    ),
    Function(
        "cci", "Momentum", (_LENGTH,),
        "How unusual the typical price is, in mean deviations from its average.",
        "(typical - sma(typical, n)) / (0.015 * mean of |typical - sma(typical, n)| over the window)",
        "Donald Lambert, Commodities 9 (1980).", "None: a full window is needed.", "n - 1",
        lambda frame, n: cci((frame.bars.high + frame.bars.low + frame.bars.close) / 3.0, n),
        mirror=CHANGE, example="cci(20)",
    ),
    Function(
        "williams", "Momentum", (_LENGTH,),
        "How far the close is below the highest high, from 0 (at it) to -100 (at the lowest low).",
        "-100 * (highest(high, n) - close) / (highest(high, n) - lowest(low, n))",
        "Larry Williams (1973).", "None: a full window is needed.", "n - 1",
        lambda frame, n: stoch(frame.bars.high, frame.bars.low, frame.bars.close, n, 1, 1)["k"] - 100.0,
        bounded=(-100.0, 0.0),
        mirror=SWING, example="williams(20)",
    ),
    Function(
        "mfi", "Momentum", (_LENGTH,),
        "An rsi of money: rises and falls of the typical price weighted by price times volume.",
        "100 * flow on rises / (flow on rises + flow on falls), each summed over n changes; 50 without movement",
        "Gene Quong and Avrum Soudack (1989).", "None: a full window is needed.", "n",
        lambda frame, n: mfi((frame.bars.high + frame.bars.low + frame.bars.close) / 3.0, frame.bars.volume, n),
        bounded=(0.0, 100.0),
        mirror=SWING.nearly(), example="mfi(20)",
    ),
    Function(
        "cmo", "Momentum", (_SERIES, _LENGTH),
        "Rises against falls of the last n changes, unsmoothed.",
        "100 * (rises - falls) / (rises + falls), each summed over n changes",
        "Tushar Chande and Stanley Kroll, The New Technical Trader (1994).", "None: a full window is needed.", "n",
        lambda frame, x, n: cmo(x, n),
        bounded=(-100.0, 100.0),
        mirror=ODD, example="cmo(close, 20)",
    ),
    Function(
        "tsi", "Momentum", (_SERIES, Parameter("a", "length"), Parameter("b", "length")),
        "Twice smoothed change against twice smoothed size of change.",
        "100 * ema(ema(gain(x, 1), a), b) / ema(ema(|gain(x, 1)|, a), b)",
        "William Blau, Momentum, Direction, and Divergence (1995).", "As ema.", "a + b - 1",
        lambda frame, x, a, b: tsi(x, a, b, frame.tried),
        bounded=(-100.0, 100.0),
        mirror=ODD, example="tsi(close, 12, 26)", goes_on=True,
    ),
    Function(
        "gain", "Momentum", (_SERIES, _LENGTH),
        "The change over n bars.",
        "x - prior(x, n)",
        "Difference.", "None.", "n",
        lambda frame, x, n: gain(x, n),
        mirror=ODD, example="gain(close, 20)",
    ),
)  # fmt: skip
