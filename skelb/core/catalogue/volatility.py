# mypy: disable-error-code="no-untyped-def"
"""Volatility: how far prices range, and bands drawn from it."""

import numpy as np

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue.averages import ema, sma, wilder
from skelb.core.catalogue.entry import AS_X, EVEN, NONE_TRIED, PRICE, SIZE, Frame, Function, Parameter, Record
from skelb.core.compiled import njit


def true_range(high: Floats, low: Floats, close: Floats, tried: Bools = NONE_TRIED) -> Floats:
    """Range of each bar with the earlier close included, price units, shape (n,); the first is high - low."""
    return _true_range(high, low, close, tried, np.empty_like(high))


def atr(frame: Frame, n: int) -> Floats:
    """Wilder's average of the true range, price units, shape (n_bars,); first known at index n - 1."""
    bars = frame.bars
    return wilder(true_range(bars.high, bars.low, bars.close, frame.tried), n, frame.tried)


def stdev(x: Floats, n: int) -> Floats:
    """Population standard deviation of the last `n` values, unit of `x`; NaN where the window holds NaN."""
    return _stdev(x, n, np.empty_like(x))


def bollinger(x: Floats, n: int, f: float) -> Record:
    """Bands of `f` standard deviations about the plain average, unit of `x`, shape (n_bars,) each."""
    mid, width = sma(x, n), f * stdev(x, n)
    return {"upper": mid + width, "mid": mid, "lower": mid - width}


def keltner(frame: Frame, n: int, m: int, f: float) -> Record:
    """Bands of `f` average true ranges (over `m`) about the ema of the close (over `n`), price units."""
    mid, width = ema(frame.bars.close, n, frame.tried), f * atr(frame, m)
    return {"upper": mid + width, "mid": mid, "lower": mid - width}


@njit(cache=True, nogil=True, error_model="numpy")
def _true_range(high, low, close, tried, out):
    tries = tried.size > 1
    has_last = False
    last = 0.0
    for i in range(out.size):
        out[i] = max(high[i], last) - min(low[i], last) if has_last else high[i] - low[i]
        if not (tries and tried[i]):
            has_last = True
            last = close[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _stdev(x, n, out):
    # As in the plain average: distances from a base renewed every n bars keep rounding from piling up.
    base = 0.0
    first = 0.0
    second = 0.0
    since_nan = 0
    equal_run = 0
    since_renewal = n
    for i in range(x.size):
        value = x[i]
        if value != value:
            since_nan = 0
            since_renewal = n
            out[i] = np.nan
            continue
        equal_run = equal_run + 1 if since_nan > 0 and value == x[i - 1] else 1
        since_nan += 1
        if since_nan < n:
            out[i] = np.nan
            continue
        if since_renewal >= n:
            base = value
            first = 0.0
            second = 0.0
            for k in range(i - n + 1, i + 1):
                first += x[k] - base
                second += (x[k] - base) * (x[k] - base)
            since_renewal = 1
        else:
            gone = x[i - n] - base
            come = value - base
            first += come - gone
            second += come * come - gone * gone
            since_renewal += 1
        spread = second / n - (first / n) * (first / n)
        out[i] = 0.0 if equal_run >= n or spread < (1e-12 * base) ** 2 else np.sqrt(spread)
    return out


_SERIES = Parameter("x", "number")
_LENGTH = Parameter("n", "length")
_WILDER = "J. Welles Wilder, New Concepts in Technical Trading Systems (1978)."
_BANDS = ("upper", "mid", "lower")

VOLATILITY = (
    Function(
        "true_range", "Volatility", (),
        "The bar's range, stretched to the earlier close where a gap left it outside.",
        "max(high, prior(close)) - min(low, prior(close)); on the first bar high - low",
        _WILDER, "None.", "0",
        lambda frame: true_range(frame.bars.high, frame.bars.low, frame.bars.close, frame.tried),
        mirror=EVEN, example="true_range", goes_on=True,
    ),
    Function(
        "atr", "Volatility", (_LENGTH,),
        "The average true range: how far price moves in a bar, lately.",
        "wilder(true_range, n)",
        _WILDER, "The mean of the first n true ranges.", "n - 1",
        lambda frame, n: atr(frame, n),
        mirror=EVEN, example="atr(20)", goes_on=True,
    ),
    Function(
        "stdev", "Volatility", (_SERIES, _LENGTH),
        "The standard deviation of the last n values, divided by n.",
        "sqrt(mean of (x - mean)²)",
        "Population standard deviation over a moving window.",
        "None: a full window is needed.", "n - 1",
        lambda frame, x, n: stdev(x, n),
        mirror=SIZE, example="stdev(close, 20)",
    ),
    Function(
        "bollinger", "Volatility", (_SERIES, _LENGTH, Parameter("f", "factor")),
        "A plain average with a band of f standard deviations either side.",
        "mid = sma(x, n); upper, lower = mid ± f * stdev(x, n)",
        "John Bollinger, Bollinger on Bollinger Bands (2001).",
        "None: a full window is needed.", "n - 1",
        lambda frame, x, n, f: bollinger(x, n, f),
        fields=_BANDS,
        mirror={"upper": AS_X.exchanged("lower"), "mid": AS_X, "lower": AS_X.exchanged("upper")}, example="bollinger(close, 20, 2)",
    ),
    Function(
        "keltner", "Volatility", (_LENGTH, Parameter("m", "length"), Parameter("f", "factor")),
        "An ema of the close with a band of f average true ranges either side.",
        "mid = ema(close, n); upper, lower = mid ± f * atr(m)",
        "Chester W. Keltner (1960), in the form with average true ranges.",
        "As ema and atr.", "max(n, m) - 1",
        lambda frame, n, m, f: keltner(frame, n, m, f),
        fields=_BANDS,
        mirror={"upper": PRICE.exchanged("lower"), "mid": PRICE, "lower": PRICE.exchanged("upper")}, example="keltner(20, 14, 2)", goes_on=True,
    ),
)  # fmt: skip
