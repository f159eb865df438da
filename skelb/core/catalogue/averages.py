# mypy: disable-error-code="no-untyped-def"
"""Averages: the mean of a window, and the two recursive averages everything smoothed is made of."""

import numpy as np
from numba import njit

from skelb.core.bars import Floats
from skelb.core.catalogue.entry import Function, Parameter


def sma(x: Floats, n: int) -> Floats:
    """Mean of the last `n` values, shape (n_bars,), unit of `x`; NaN where the window is short or holds NaN."""
    return _sma(x, n, np.empty_like(x))


def recursive_average(x: Floats, n: int, alpha: float) -> Floats:
    """Exponential average: out = previous + alpha (x - previous), shape (n_bars,), unit of `x`.

    First known at the n-th known input, where it is the mean of those n. On a NaN input the output is NaN and
    the average goes on from its last known value.
    """
    return _recursive_average(x, n, alpha, np.empty_like(x))


def ema(x: Floats, n: int) -> Floats:
    """The recursive average with alpha 2 / (n + 1)."""
    return recursive_average(x, n, 2.0 / (n + 1.0))


def wilder(x: Floats, n: int) -> Floats:
    """The recursive average with alpha 1 / n."""
    return recursive_average(x, n, 1.0 / n)


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
def _recursive_average(x, n, alpha, out):
    size = x.size
    known = 0
    total = 0.0
    i = 0
    while i < size and known < n:
        value = x[i]
        out[i] = np.nan
        if value == value:
            known += 1
            total += value
            if known == n:
                out[i] = total / n
        i += 1
    average = total / n
    while i < size:
        value = x[i]
        if value == value:
            average += alpha * (value - average)
            out[i] = average
        else:
            out[i] = np.nan
        i += 1
    return out


_SERIES = Parameter("x", "number")
_LENGTH = Parameter("n", "length")

AVERAGES = (
    Function(
        "sma", "Averages", (_SERIES, _LENGTH),
        "The plain average of the last n values.",
        "(x + prior(x, 1) + … + prior(x, n - 1)) / n",
        "Arithmetic mean over a moving window.",
        "None: a full window is needed.",
        "n - 1",
        lambda frame, x, n: sma(x, n),
    ),
    Function(
        "ema", "Averages", (_SERIES, _LENGTH),
        "An average that weighs recent values more, each step back by a constant factor.",
        "previous + 2 / (n + 1) * (x - previous)",
        "Exponential smoothing, R. G. Brown (1956).",
        "The mean of the first n known values.",
        "n - 1",
        lambda frame, x, n: ema(x, n),
    ),
    Function(
        "wilder", "Averages", (_SERIES, _LENGTH),
        "Wilder's slow exponential average; rsi, atr and adx are made of it.",
        "previous + 1 / n * (x - previous)",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "The mean of the first n known values.",
        "n - 1",
        lambda frame, x, n: wilder(x, n),
    ),
)  # fmt: skip
