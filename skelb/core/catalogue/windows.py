# mypy: disable-error-code="no-untyped-def"
"""Windows: extremes of the last bars, and values of earlier bars."""

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.catalogue.conditions import NO, UNKNOWN, YES, Conditions
from skelb.core.catalogue.entry import AS_X, CONDITION, PRICE, Frame, Function, Parameter, Record
from skelb.core.compiled import njit

T = TypeVar("T", bound=np.generic)


def highest(x: Floats, n: int) -> Floats:
    """Largest of the last `n` values, unit of `x`, shape (n_bars,); NaN where the window is short or holds NaN."""
    return _highest(x, n, np.empty_like(x))


def lowest(x: Floats, n: int) -> Floats:
    """Smallest of the last `n` values; the rest as `highest`."""
    return -highest(-x, n)


def prior(x: NDArray[T], n: int) -> NDArray[T]:
    """Value `n` bars earlier, shape and dtype of `x`; unknown on the first n bars."""
    out = np.empty_like(x)
    kept = min(n, x.size)
    out[:kept] = UNKNOWN if x.dtype == np.int8 else np.nan
    out[kept:] = x[: x.size - kept]
    return out


def known(x: NDArray[np.generic]) -> Conditions:
    """Yes where `x` is known, else no; never unknown. Shape (n,)."""
    missing = x == UNKNOWN if x.dtype == np.int8 else x != x
    return np.where(missing, np.int8(NO), np.int8(YES))


def opening_range(frame: Frame, minutes: int) -> Record:
    """High and low of the trading day's first `minutes`, price units, shape (n_bars,) each.

    Known from the bar whose close reaches those minutes, to the end of the trading day; NaN before, and on days
    whose first bar closes later than that.
    """
    high, low = np.empty(len(frame.bars)), np.empty(len(frame.bars))
    calendar = frame.calendar
    _opening_range(
        frame.bars.high, frame.bars.low, calendar.day, calendar.session_minute, minutes, frame.tried, high, low
    )
    return {"high": high, "low": low}


@njit(cache=True, nogil=True, error_model="numpy")
def _opening_range(highs, lows, day, session_minute, minutes, tried, high, low):
    tries = tried.size > 1
    top = np.nan
    bottom = np.nan
    today = -(1 << 62)
    for i in range(day.size):
        before = top, bottom, today
        if day[i] != today:
            top = np.nan
            bottom = np.nan
            today = day[i]
        if session_minute[i] <= minutes:
            top = highs[i] if top != top else max(top, highs[i])
            bottom = lows[i] if bottom != bottom else min(bottom, lows[i])
        known = session_minute[i] >= minutes
        high[i] = top if known else np.nan
        low[i] = bottom if known else np.nan
        if tries and tried[i]:
            top, bottom, today = before


@njit(cache=True, nogil=True, error_model="numpy")
def _highest(x, n, out):
    # A ring of candidates, falling in value: each bar enters once and leaves once, whatever n is.
    ring = np.empty(n, np.int64)
    head = 0
    count = 0
    since_nan = 0
    for i in range(x.size):
        value = x[i]
        if value != value:
            since_nan = 0
            count = 0
            out[i] = np.nan
            continue
        since_nan += 1
        if count > 0 and ring[head] <= i - n:
            head = (head + 1) % n
            count -= 1
        while count > 0 and x[ring[(head + count - 1) % n]] <= value:
            count -= 1
        ring[(head + count) % n] = i
        count += 1
        out[i] = x[ring[head]] if since_nan >= n else np.nan
    return out


_SERIES = Parameter("x", "number")
_LENGTH = Parameter("n", "length")

WINDOWS = (
    Function(
        "highest", "Windows", (_SERIES, _LENGTH),
        "The largest of the last n values, this bar included.",
        "max(x, prior(x, 1), …, prior(x, n - 1))",
        "Maximum over a moving window.", "None: a full window is needed.", "n - 1",
        lambda frame, x, n: highest(x, n),
        mirror=AS_X.exchanged("lowest"), example="highest(close, 20)",
    ),
    Function(
        "lowest", "Windows", (_SERIES, _LENGTH),
        "The smallest of the last n values, this bar included.",
        "min(x, prior(x, 1), …, prior(x, n - 1))",
        "Minimum over a moving window.", "None: a full window is needed.", "n - 1",
        lambda frame, x, n: lowest(x, n),
        mirror=AS_X.exchanged("highest"), example="lowest(close, 20)",
    ),
    Function(
        "prior", "Windows", (Parameter("x", "any"), Parameter("n", "length", 1.0, least=0)),
        "The value one bar, or n bars, earlier.",
        "x as it was n bars ago",
        "There is no way to name a later bar.", "None.", "n",
        lambda frame, x, n: prior(x, n),
        result="same",
        mirror=AS_X, example="prior(close, 5)",
    ),
    Function(
        "opening_range", "Windows", (Parameter("minutes", "length"),),
        "High and low of the trading day's first minutes.",
        "highest high and lowest low of the bars that close within the minutes after the session's start",
        "The range a market opens with.", "None.", "the bar whose close reaches the minutes, on every trading day",
        lambda frame, minutes: opening_range(frame, minutes),
        fields=("high", "low"),
        mirror={"high": PRICE.exchanged("low"), "low": PRICE.exchanged("high")}, example="opening_range(30)", goes_on=True,
    ),
    Function(
        "known", "Windows", (Parameter("x", "any"),),
        "Yes where the value is known, no where it is not.",
        "not unknown",
        "Asks what three-valued logic otherwise passes on.", "None.", "0",
        lambda frame, x: known(x),
        result="condition",
        mirror=CONDITION, example="known(sma(close, 20))",
    ),
)  # fmt: skip
