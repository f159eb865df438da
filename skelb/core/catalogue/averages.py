# mypy: disable-error-code="no-untyped-def"
"""Averages: the mean of a window, and the two recursive averages everything smoothed is made of."""

from collections.abc import Callable

import numpy as np

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue.arithmetic import quotient
from skelb.core.catalogue.entry import AS_X, NONE_TRIED, ODD, Function, Parameter, Record
from skelb.core.compiled import njit


def sma(x: Floats, n: int) -> Floats:
    """Mean of the last `n` values, shape (n_bars,), unit of `x`; NaN where the window is short or holds NaN."""
    return _sma(x, n, np.empty_like(x))


def recursive_average(x: Floats, n: int, alpha: float, tried: Bools = NONE_TRIED) -> Floats:
    """Exponential average: out = previous + alpha (x - previous), shape (n_bars,), unit of `x`.

    First known at the n-th known input, where it is the mean of those n. On a NaN input the output is NaN and
    the average goes on from its last known value. Of `tried` see `Frame`, here and below.
    """
    return _recursive_average(x, n, alpha, tried, np.empty_like(x))


def ema(x: Floats, n: int, tried: Bools = NONE_TRIED) -> Floats:
    """The recursive average with alpha 2 / (n + 1)."""
    return recursive_average(x, n, 2.0 / (n + 1.0), tried)


def wilder(x: Floats, n: int, tried: Bools = NONE_TRIED) -> Floats:
    """The recursive average with alpha 1 / n."""
    return recursive_average(x, n, 1.0 / n, tried)


@njit(cache=True, nogil=True, error_model="numpy")
def _sma(x, n, out):
    # Sums of distances from a base that is renewed every n bars: rounding errors cannot pile up over a long
    # history, and a window of equal values gives exactly that value.
    base = 0.0
    total = 0.0
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
            total = 0.0
            for k in range(i - n + 1, i + 1):
                total += x[k] - base
            since_renewal = 1
        else:
            total += (value - base) - (x[i - n] - base)
            since_renewal += 1
        out[i] = value if equal_run >= n else base + total / n
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _recursive_average(x, n, alpha, tried, out):
    tries = tried.size > 1
    known = 0
    average = 0.0  # until n values are known their sum
    for i in range(x.size):
        before = known, average
        value = x[i]
        out[i] = np.nan
        if value == value:
            if known < n:
                known += 1
                average += value
                if known == n:
                    average /= n
            else:
                average += alpha * (value - average)
            if known == n:
                out[i] = average
        if tries and tried[i]:
            known, average = before
    return out


def wma(x: Floats, n: int) -> Floats:
    """Mean of the last `n` values weighted n for the newest down to 1, unit of `x`, shape (n_bars,)."""
    return _wma(x, n, np.empty_like(x))


def hma(x: Floats, n: int) -> Floats:
    """wma over the root of `n` of twice the wma over half of `n` less the wma over `n`; n is 2 or more."""
    return wma(2.0 * wma(x, max(1, n // 2)) - wma(x, n), int(np.sqrt(n)))


def dema(x: Floats, n: int, tried: Bools = NONE_TRIED) -> Floats:
    """Twice the ema less the ema of the ema, unit of `x`, shape (n_bars,)."""
    first = ema(x, n, tried)
    return 2.0 * first - ema(first, n, tried)


def tema(x: Floats, n: int, tried: Bools = NONE_TRIED) -> Floats:
    """Three times the ema, less three times its ema, plus the ema of that, unit of `x`, shape (n_bars,)."""
    first = ema(x, n, tried)
    second = ema(first, n, tried)
    return 3.0 * first - 3.0 * second + ema(second, n, tried)


def kama(x: Floats, n: int, tried: Bools = NONE_TRIED) -> Floats:
    """Kaufman's adaptive average (fast 2, slow 30), unit of `x`, shape (n_bars,); first known after n changes.

    Starts from the value before its first known bar. NaN inputs give NaN, and so does a window that holds one; after it
    goes on from the average before.
    """
    return _kama(x, n, tried, np.empty(n + 1), np.empty_like(x))


def vwma(x: Floats, volume: Floats, n: int) -> Floats:
    """Mean of the last `n` values weighted by volume, unit of `x`, shape (n_bars,); NaN where there was no volume."""
    return quotient(sma(x * volume, n), sma(volume, n))


def fit(x: Floats, n: int) -> Record:
    """Least squares line through the last `n` values: its `value` at the newest, its `slope` per bar; n is 2 or more."""
    middle = (n - 1) / 2.0
    mean, weighted = sma(x, n), wma(x, n)
    # sum of (k - middle) x over the window, from the weighted mean: weights k + 1 sum to n (n + 1) / 2.
    moment = weighted * (n * (n + 1) / 2.0) - mean * n * (middle + 1.0)
    slope = moment / (n * (n * n - 1.0) / 12.0)
    return {"value": mean + slope * middle, "slope": slope}


@njit(cache=True, nogil=True, error_model="numpy")
def _wma(x, n, out):
    # Renewed every n bars from a near base, as in the plain average.
    base = 0.0
    total = 0.0
    weighted = 0.0
    since_nan = 0
    since_renewal = n
    for i in range(x.size):
        value = x[i]
        if value != value:
            since_nan = 0
            since_renewal = n
            out[i] = np.nan
            continue
        since_nan += 1
        if since_nan < n:
            out[i] = np.nan
            continue
        if since_renewal >= n:
            base = value
            total = 0.0
            weighted = 0.0
            for k in range(n):
                step = x[i - n + 1 + k] - base
                total += step
                weighted += step * (k + 1)
            since_renewal = 1
        else:
            weighted += n * (value - base) - total
            total += (value - base) - (x[i - n] - base)
            since_renewal += 1
        out[i] = base + weighted / (n * (n + 1) / 2.0)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _kama(x, n, tried, ring, out):
    # The ring holds the last known values in a row, that of number k in the place k modulo its size.
    tries = tried.size > 1
    known = 0
    average = 0.0
    has_begun = False
    for i in range(x.size):
        before = known, average, has_begun
        value, replaced = x[i], ring[known % (n + 1)]
        place = known % (n + 1)
        out[i] = np.nan
        if value != value:
            known = 0
        else:
            ring[place] = value
            known += 1
            if known <= n:
                if not has_begun:
                    average = value
            else:
                has_begun = True
                way = 0.0
                for k in range(known - n, known):
                    way += abs(ring[k % (n + 1)] - ring[(k - 1) % (n + 1)])
                efficiency = abs(value - ring[(known - 1 - n) % (n + 1)]) / way if way > 0.0 else 0.0
                speed = efficiency * (2.0 / 3.0 - 2.0 / 31.0) + 2.0 / 31.0
                average += speed * speed * (value - average)
                out[i] = average
        if tries and tried[i]:
            known, average, has_begun = before
            ring[place] = replaced
    return out


_SERIES = Parameter("x", "number")
_LENGTH = Parameter("n", "length")

_LONG = Parameter("n", "length", least=2)
_KINDS: dict[str, Callable[..., Floats]] = {
    "sma": sma, "ema": ema, "wma": wma, "wilder": wilder, "hma": hma, "dema": dema, "tema": tema, "kama": kama,
    "vwma": vwma,
}  # fmt: skip

AVERAGES = (
    Function(
        "sma", "Averages", (_SERIES, _LENGTH),
        "The plain average of the last n values.",
        "(x + prior(x, 1) + … + prior(x, n - 1)) / n",
        "Arithmetic mean over a moving window.",
        "None: a full window is needed.",
        "n - 1",
        lambda frame, x, n: sma(x, n),
        mirror=AS_X, example="sma(close, 20)",
    ),
    Function(
        "ema", "Averages", (_SERIES, _LENGTH),
        "An average that weighs recent values more, each step back by a constant factor.",
        "previous + 2 / (n + 1) * (x - previous)",
        "Exponential smoothing, R. G. Brown (1956).",
        "The mean of the first n known values.",
        "n - 1",
        lambda frame, x, n: ema(x, n, frame.tried),
        mirror=AS_X, example="ema(close, 20)", goes_on=True,
    ),
    Function(
        "wilder", "Averages", (_SERIES, _LENGTH),
        "Wilder's slow exponential average; rsi, atr and adx are made of it.",
        "previous + 1 / n * (x - previous)",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "The mean of the first n known values.",
        "n - 1",
        lambda frame, x, n: wilder(x, n, frame.tried),
        mirror=AS_X, example="wilder(close, 20)", goes_on=True,
    ),
    Function(
        "wma", "Averages", (_SERIES, _LENGTH),
        "An average whose weights fall evenly from the newest value to the oldest.",
        "(n * x + (n - 1) * prior(x, 1) + … + prior(x, n - 1)) / (n * (n + 1) / 2)",
        "Linearly weighted moving average.", "None: a full window is needed.", "n - 1",
        lambda frame, x, n: wma(x, n),
        mirror=AS_X, example="wma(close, 20)",
    ),
    Function(
        "hma", "Averages", (_SERIES, _LONG),
        "A weighted average that hurries after the newest values.",
        "wma(2 * wma(x, floor(n / 2)) - wma(x, n), floor(sqrt(n)))",
        "Alan Hull (2005).", "None: full windows are needed.", "n + floor(sqrt(n)) - 2",
        lambda frame, x, n: hma(x, n),
        mirror=AS_X, example="hma(close, 20)",
    ),
    Function(
        "dema", "Averages", (_SERIES, _LENGTH),
        "An ema with much of its lag taken out.",
        "2 * ema(x, n) - ema(ema(x, n), n)",
        "Patrick Mulloy, Technical Analysis of Stocks & Commodities 12(1) (1994).", "As ema.", "2 * n - 2",
        lambda frame, x, n: dema(x, n, frame.tried),
        mirror=AS_X, example="dema(close, 20)", goes_on=True,
    ),
    Function(
        "tema", "Averages", (_SERIES, _LENGTH),
        "An ema with still more of its lag taken out.",
        "3 * ema1 - 3 * ema2 + ema3, each the ema of the one before",
        "Patrick Mulloy, Technical Analysis of Stocks & Commodities 12(1) (1994).", "As ema.", "3 * n - 3",
        lambda frame, x, n: tema(x, n, frame.tried),
        mirror=AS_X, example="tema(close, 20)", goes_on=True,
    ),
    Function(
        "kama", "Averages", (_SERIES, _LENGTH),
        "An average that runs with a trend and rests in noise.",
        "previous + (efficiency(x, n) * (2/3 - 2/31) + 2/31)² * (x - previous)",
        "Perry Kaufman, Smarter Trading (1995).", "The value before the first known bar.", "n",
        lambda frame, x, n: kama(x, n, frame.tried),
        mirror=AS_X, example="kama(close, 20)", goes_on=True,
    ),
    Function(
        "vwma", "Averages", (_SERIES, _LENGTH),
        "An average weighted by volume.",
        "sum(x * volume, n) / sum(volume, n)",
        "Volume-weighted moving average.", "None: a full window is needed.", "n - 1",
        lambda frame, x, n: vwma(x, frame.bars.volume, n),
        mirror=AS_X, example="vwma(close, 20)",
    ),
    Function(
        "average", "Averages", (_SERIES, _LENGTH, Parameter("kind", "word", words=tuple(_KINDS))),
        "Any of the averages, chosen by a word or an input that holds one.",
        "sma, ema, wma, wilder, hma, dema, tema, kama or vwma of x over n",
        "As the average of that name.", "As the average of that name.", "as the average of that name",
        lambda frame, x, n, kind: vwma(x, frame.bars.volume, n) if kind == "vwma" else _KINDS[kind](x, n),
        mirror=AS_X, example="average(close, 20, ema)",
    ),
    Function(
        "fit", "Averages", (_SERIES, _LONG),
        "The straight line closest to the last n values: where it is now, and how it slopes.",
        "least squares over the last n values; slope per bar",
        "Linear regression.", "None: a full window is needed.", "n - 1",
        lambda frame, x, n: fit(x, n),
        fields=("value", "slope"),
        mirror={"value": AS_X, "slope": ODD}, example="fit(close, 20)",
    ),
)  # fmt: skip
