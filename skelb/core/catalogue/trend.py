# mypy: disable-error-code="no-untyped-def"
"""Trend: which way, and how decidedly."""

import numpy as np
from numba import njit

from skelb.core.bars import Bars
from skelb.core.catalogue.entry import Function, Parameter, Record


def adx(bars: Bars, n: int) -> Record:
    """Wilder's directional index and its two sides, 0 to 100, shape (n_bars,) each.

    Directional movement and true range count from index 1; `plus` and `minus` are first known at index n,
    `adx` at 2n - 1. Where nothing moved (division by zero) a value is NaN and the smoothing goes on.
    """
    size = len(bars)
    strength, plus, minus = np.empty(size), np.empty(size), np.empty(size)
    _adx(bars.high, bars.low, bars.close, n, strength, plus, minus)
    return {"adx": strength, "plus": plus, "minus": minus}


@njit(cache=True, nogil=True, error_model="numpy")
def _adx(high, low, close, n, strength, plus, minus):
    up_average = 0.0
    down_average = 0.0
    range_average = 0.0
    known = 0
    average = 0.0
    for i in range(high.size):
        strength[i] = np.nan
        plus[i] = np.nan
        minus[i] = np.nan
        if i == 0:
            continue
        rise = high[i] - high[i - 1]
        fall = low[i - 1] - low[i]
        up = rise if rise > fall and rise > 0.0 else 0.0
        down = fall if fall > rise and fall > 0.0 else 0.0
        true = max(high[i], close[i - 1]) - min(low[i], close[i - 1])
        if i <= n:
            up_average += up / n
            down_average += down / n
            range_average += true / n
        else:
            up_average += (up - up_average) / n
            down_average += (down - down_average) / n
            range_average += (true - range_average) / n
        if i < n or range_average == 0.0:
            continue
        plus[i] = 100.0 * up_average / range_average
        minus[i] = 100.0 * down_average / range_average
        if plus[i] + minus[i] == 0.0:
            continue
        one_sided = 100.0 * abs(plus[i] - minus[i]) / (plus[i] + minus[i])
        known += 1
        if known <= n:
            average += one_sided / n
        else:
            average += (one_sided - average) / n
        if known >= n:
            strength[i] = average


TREND = (
    Function(
        "adx", "Trend", (Parameter("n", "length"),),
        "How one-sided the recent movement is, and the strength of either side, 0 to 100.",
        "plus, minus = 100 * wilder(directional movement, n) / wilder(true_range, n);"
        " adx = wilder(100 * |plus - minus| / (plus + minus), n)",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "The means of the first n values, counted from the second bar.",
        "plus and minus: n; adx: 2 * n - 1",
        lambda frame, n: adx(frame.bars, n),
        fields=("adx", "plus", "minus"),
        bounded=(0.0, 100.0),
    ),
)  # fmt: skip
