# mypy: disable-error-code="no-untyped-def"
"""Momentum: how fast and how one-sidedly a series moves."""

import numpy as np
from numba import njit

from skelb.core.bars import Floats
from skelb.core.catalogue.averages import ema
from skelb.core.catalogue.entry import Function, Parameter, Record


def rsi(x: Floats, n: int) -> Floats:
    """Wilder's relative strength index of `x`, 0 to 100, shape (n_bars,); first known at the n-th known change.

    100 with gains and no losses, 50 with neither. NaN inputs give NaN; smoothing goes on from the last known value.
    """
    return _rsi(x, n, np.empty_like(x))


def macd(x: Floats, a: int, b: int, s: int) -> Record:
    """Difference of two emas (`line`), its ema (`signal`) and their `gap`, unit of `x`, shape (n_bars,) each."""
    line = ema(x, a) - ema(x, b)
    signal = ema(line, s)
    return {"line": line, "signal": signal, "gap": line - signal}


@njit(cache=True, nogil=True, error_model="numpy")
def _rsi(x, n, out):
    known = 0
    up = 0.0
    down = 0.0
    for i in range(x.size):
        out[i] = np.nan
        if i == 0 or x[i] != x[i] or x[i - 1] != x[i - 1]:
            continue
        change = x[i] - x[i - 1]
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
    return out


_SERIES = Parameter("x", "number")

MOMENTUM = (
    Function(
        "rsi", "Momentum", (_SERIES, Parameter("n", "length")),
        "The share of rises in the recent movement, from 0 (only falls) to 100 (only rises).",
        "100 - 100 / (1 + wilder(gains, n) / wilder(losses, n)); 100 without losses, 50 without movement",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "The means of the first n gains and losses.",
        "n",
        lambda frame, x, n: rsi(x, n),
        bounded=(0.0, 100.0),
    ),
    Function(
        "macd", "Momentum",
        (_SERIES, Parameter("a", "length"), Parameter("b", "length"), Parameter("s", "length")),
        "The distance between a fast and a slow average, with its own average.",
        "line = ema(x, a) - ema(x, b); signal = ema(line, s); gap = line - signal",
        "Gerald Appel (1979).",
        "As ema; the signal starts with the known part of the line.",
        "line: max(a, b) - 1; signal and gap: max(a, b) + s - 2",
        lambda frame, x, a, b, s: macd(x, a, b, s),
        fields=("line", "signal", "gap"),
    ),
)  # fmt: skip
