# mypy: disable-error-code="no-untyped-def"
"""Statistics of windows: sums, order, spread and common movement."""

import numpy as np

from skelb.core.bars import Floats
from skelb.core.catalogue.arithmetic import quotient
from skelb.core.catalogue.averages import sma
from skelb.core.catalogue.entry import AS_X, EVEN, LINEAR, ODD, PRODUCT, SWING_OF_X, Frame, Function, Parameter
from skelb.core.catalogue.volatility import stdev
from skelb.core.compiled import njit
from skelb.core.stopping import stretches

_YEAR_DAYS = 365.25


def percentile(x: Floats, n: int, p: float) -> Floats:
    """Value below which `p` percent of the last `n` lie, interpolated linearly, unit of `x`; NaN windows give NaN."""
    out, window, held = np.empty_like(x), np.empty(n), 0
    for first, end in stretches(x.size, n):
        held = _percentile(x, n, min(max(p, 0.0), 100.0) / 100.0, out, window, held, first, end)
    return out


def rank(x: Floats, n: int) -> Floats:
    """Percent of the last `n` values at or below the newest, 0 to 100, shape (n_bars,)."""
    out = np.empty_like(x)
    for first, end in stretches(x.size, n):
        _rank(x, n, out, first, end)
    return out


def covariance(x: Floats, y: Floats, n: int) -> Floats:
    """Population covariance over the last `n` bars, unit of x times y; NaN where either window holds NaN."""
    out = np.empty_like(x)
    for first, end in stretches(x.size, n):
        _covariance(x, y, n, out, first, end)
    return out


def bars_per_year(frame: Frame) -> float:
    """How many bars a year of this market's schedule has."""
    market, timeframe = frame.market, frame.bars.timeframe
    days = len(market.trading_weekdays) / 7.0 * _YEAR_DAYS
    if timeframe.minutes > 1440:
        return _YEAR_DAYS / 7.0
    if not timeframe.is_intraday:
        return days
    return days * sum(part.end - part.start for part in market.ranges) / timeframe.minutes


def historical_volatility(frame: Frame, n: int) -> Floats:
    """Sample deviation of the last `n` log changes of the close, percent per year, shape (n_bars,)."""
    close = frame.bars.close
    change = np.full_like(close, np.nan)
    with np.errstate(all="ignore"):
        change[1:] = np.where((close[1:] > 0) & (close[:-1] > 0), np.log(close[1:] / close[:-1]), np.nan)
    return 100.0 * stdev(change, n) * np.sqrt(n / (n - 1.0) * bars_per_year(frame))


@njit(cache=True, nogil=True, error_model="numpy")
def _percentile(x, n, share, out, window, held, first, end):
    # `window` holds the last `held` values in order; both go on from one stretch to the next.
    for i in range(first, end):
        value = x[i]
        if value != value:
            held = 0
            out[i] = np.nan
            continue
        if held == n:
            at = np.searchsorted(window, x[i - n])
            for k in range(at, n - 1):
                window[k] = window[k + 1]
            held -= 1
        at = np.searchsorted(window[:held], value)
        for k in range(held, at, -1):
            window[k] = window[k - 1]
        window[at] = value
        held += 1
        if held < n:
            out[i] = np.nan
            continue
        place = share * (n - 1)
        low = int(np.floor(place))
        high = min(low + 1, n - 1)
        out[i] = window[low] + (place - low) * (window[high] - window[low])
    return held


@njit(cache=True, nogil=True, error_model="numpy")
def _known_before(x, n, first):
    """How many values right before a place are known, counted up to n."""
    known = 0
    while known < n and known < first and x[first - 1 - known] == x[first - 1 - known]:
        known += 1
    return known


@njit(cache=True, nogil=True, error_model="numpy")
def _rank(x, n, out, first, end):
    known = _known_before(x, n, first)
    for i in range(first, end):
        known = known + 1 if x[i] == x[i] else 0
        if known < n:
            out[i] = np.nan
            continue
        below = 0
        for k in range(i - n + 1, i + 1):
            below += x[k] <= x[i]
        out[i] = 100.0 * below / n


@njit(cache=True, nogil=True, error_model="numpy")
def _covariance(x, y, n, out, first, end):
    known = min(_known_before(x, n, first), _known_before(y, n, first))
    for i in range(first, end):
        known = known + 1 if x[i] == x[i] and y[i] == y[i] else 0
        if known < n:
            out[i] = np.nan
            continue
        mean_x = 0.0
        mean_y = 0.0
        for k in range(i - n + 1, i + 1):
            mean_x += x[k]
            mean_y += y[k]
        mean_x /= n
        mean_y /= n
        total = 0.0
        for k in range(i - n + 1, i + 1):
            total += (x[k] - mean_x) * (y[k] - mean_y)
        out[i] = total / n


_X, _Y = Parameter("x", "number"), Parameter("y", "number")
_LENGTH, _LONG = Parameter("n", "length"), Parameter("n", "length", least=2)
_FULL = "None: a full window is needed."

STATISTICS = (
    Function(
        "sum", "Windows", (_X, _LENGTH), "The sum of the last n values.", "x + prior(x, 1) + … + prior(x, n - 1)",
        "Sum over a moving window.", _FULL, "n - 1", lambda frame, x, n: sma(x, n) * n,
        mirror=LINEAR, example="sum(close, 20)",
    ),
    Function(
        "median", "Windows", (_X, _LENGTH), "The middle of the last n values in order.", "percentile(x, n, 50)",
        "Median over a moving window.", _FULL, "n - 1", lambda frame, x, n: percentile(x, n, 50.0),
        mirror=AS_X, example="median(close, 20)",
    ),
    Function(
        "percentile", "Windows", (_X, _LENGTH, Parameter("p", "factor")),
        "The value below which p percent of the last n values lie.",
        "the value at place p / 100 * (n - 1) of the sorted window, interpolated linearly",
        "Hyndman and Fan, The American Statistician 50(4) (1996), definition 7.", _FULL, "n - 1",
        lambda frame, x, n, p: percentile(x, n, p),
        mirror=AS_X.across("p", 100.0), example="percentile(close, 20, 80)",
    ),
    Function(
        "covariance", "Windows", (_X, _Y, _LENGTH), "How two series move together, in the product of their units.",
        "mean of (x - mean x) * (y - mean y) over n", "Population covariance.", _FULL, "n - 1",
        lambda frame, x, y, n: covariance(x, y, n),
        mirror=PRODUCT, example="covariance(close, volume, 20)",
    ),
    Function(
        "correlation", "Windows", (_X, _Y, _LONG), "How two series move together, -1 to 1.",
        "covariance(x, y, n) / (stdev(x, n) * stdev(y, n))", "Karl Pearson (1895).", _FULL, "n - 1",
        lambda frame, x, y, n: quotient(
            covariance(x, y, n), np.sqrt(covariance(x, x, n)) * np.sqrt(covariance(y, y, n))
        ),
        bounded=(-1.0, 1.0),
        mirror=PRODUCT, example="correlation(close, volume, 20)",
    ),
    Function(
        "beta", "Windows", (_X, _Y, _LONG), "How much x moves with one unit of y.",
        "covariance(x, y, n) / covariance(y, y, n)", "Slope of a least squares line.", _FULL, "n - 1",
        lambda frame, x, y, n: quotient(covariance(x, y, n), covariance(y, y, n)),
        mirror=PRODUCT, example="beta(close, volume, 20)",
    ),
    Function(
        "zscore", "Volatility", (_X, _LENGTH), "How many deviations x stands from its average.",
        "(x - sma(x, n)) / stdev(x, n)", "Standard score.", _FULL, "n - 1",
        lambda frame, x, n: quotient(x - sma(x, n), stdev(x, n)),
        mirror=ODD, example="zscore(close, 20)",
    ),
    Function(
        "rank", "Volatility", (_X, _LENGTH), "The percent of the last n values at or below this one.",
        "100 * how many of the last n are <= x / n", "Percentile rank.", _FULL, "n - 1",
        lambda frame, x, n: rank(x, n), bounded=(0.0, 100.0),
        mirror=SWING_OF_X.nearly(), example="rank(close, 20)",
    ),
    Function(
        "historical_volatility", "Volatility", (_LONG,), "How much the close varies, in percent per year.",
        "100 * sample deviation of log(close / prior(close)) over n * sqrt(bars of the market's schedule in a year)",
        "Close-to-close volatility.", _FULL, "n", lambda frame, n: historical_volatility(frame, n),
        mirror=EVEN.nearly(), example="historical_volatility(20)",
    ),
)  # fmt: skip
