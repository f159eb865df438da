# mypy: disable-error-code="no-untyped-def"
"""Structure: turning points, extremes since something happened, gaps, and memory of conditions."""

import numpy as np

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue.conditions import UNKNOWN, YES, Conditions, compare
from skelb.core.catalogue.entry import AS_X, CONDITION, EVEN, LINEAR, NONE_TRIED, PRICE, Function, Parameter
from skelb.core.catalogue.windows import prior
from skelb.core.compiled import njit
from skelb.core.stopping import stretches


def crest(x: Floats, before: int, after: int) -> Floats:
    """Value of the latest turning point of `x` upwards, held until the next; known `after` bars later.

    A turning point is above each of the `before` values before it and not below each of the `after` values after.
    """
    out = np.empty_like(x)
    for first, end in stretches(x.size, before + after):
        _crest(x, before, after, out, first, end)
    return out


def extreme_since(x: Floats, since: Conditions, tried: Bools = NONE_TRIED) -> Floats:
    """Largest `x` since the condition was last yes, that bar included; NaN before, or where x was unknown meanwhile.

    Of `tried` see `Frame`, here and below.
    """
    return _extreme_since(x, since, tried, np.empty_like(x))


def recently(c: Conditions, n: int) -> Conditions:
    """Yes if `c` was yes on this bar or one of the n - 1 before; else unknown if any of them is unknown or missing."""
    return _recently(c, n, np.empty_like(c))


def climbs(x: Floats, n: int) -> Conditions:
    """Yes if `x` rose strictly on each of the last `n` bars; unknown unless all n + 1 values are known."""
    rises = np.full(x.size, UNKNOWN, np.int8)
    if x.size > 1:
        rises[1:] = compare("<", x[:-1], x[1:])
    return _lasting(rises, n, np.empty(x.size, np.int8))


def bars_since(c: Conditions, tried: Bools = NONE_TRIED) -> Floats:
    """Bars since `c` was last yes, 0 on such a bar; NaN before the first."""
    return _bars_since(c, tried, np.empty(c.size))


def count(c: Conditions, n: int) -> Floats:
    """How many of the last `n` bars were yes; NaN where the window is short or holds an unknown."""
    return _count(c, n, np.empty(c.size))


def hold(x: Floats, when: Conditions, tried: Bools = NONE_TRIED) -> Floats:
    """`x` as it was when the condition was last yes; NaN before the first."""
    return _hold(x, when, tried, np.empty_like(x))


def once(c: Conditions, reset: Conditions, tried: Bools = NONE_TRIED) -> Conditions:
    """Yes where `c` is yes for the first time since the start or since `reset` was last yes (that bar counts)."""
    return _once(c, reset, tried, np.empty_like(c))


def starts(c: Conditions) -> Conditions:
    """`c and not prior(c)`, shape (n_bars,)."""
    return np.minimum(c, np.int8(YES) - prior(c, 1))


def cumulate(x: Floats, tried: Bools = NONE_TRIED) -> Floats:
    """Running sum of the known values; NaN where `x` is."""
    return _cumulate(x, tried, np.empty_like(x))


@njit(cache=True, nogil=True, error_model="numpy")
def _crest(x, before, after, out, first, end):
    latest = out[first - 1] if first else np.nan
    for i in range(first, end):
        middle = i - after
        if middle >= before:
            turns = x[middle] == x[middle]
            k = i
            while turns and k > middle:
                turns = x[k] <= x[middle]
                k -= 1
            k = middle - 1
            while turns and k >= middle - before:
                turns = x[k] < x[middle]
                k -= 1
            if turns:
                latest = x[middle]
        out[i] = latest


@njit(cache=True, nogil=True, error_model="numpy")
def _extreme_since(x, since, tried, out):
    tries = tried.size > 1
    best = np.nan
    begun = False
    for i in range(x.size):
        before = best, begun
        if since[i] == 2:
            begun = True
            best = x[i]
        elif begun:
            best = max(best, x[i]) if best == best and x[i] == x[i] else np.nan
        out[i] = best
        if tries and tried[i]:
            best, begun = before
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _recently(c, n, out):
    yes = -1
    unknown = -1
    for i in range(c.size):
        if c[i] == 2:
            yes = i
        elif c[i] == 1:
            unknown = i
        if yes > i - n and yes >= 0:
            out[i] = 2
        elif i < n - 1 or (unknown > i - n and unknown >= 0):
            out[i] = 1
        else:
            out[i] = 0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _lasting(c, n, out):
    known = 0
    yes = 0
    for i in range(c.size):
        known = known + 1 if c[i] != 1 else 0
        yes = yes + 1 if c[i] == 2 else 0
        out[i] = 1 if known < n else 2 * (yes >= n)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _count(c, n, out):
    yes = 0
    unknown = 0
    for i in range(c.size):
        yes += c[i] == 2
        unknown += c[i] == 1
        if i >= n:
            yes -= c[i - n] == 2
            unknown -= c[i - n] == 1
        out[i] = yes if i >= n - 1 and unknown == 0 else np.nan
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _once(c, reset, tried, out):
    tries = tried.size > 1
    armed = True
    for i in range(c.size):
        before = armed
        if reset[i] == 2:
            armed = True
        out[i] = 0
        if armed and c[i] == 2:
            out[i] = 2
            armed = False
        if tries and tried[i]:
            armed = before
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _bars_since(c, tried, out):
    tries = tried.size > 1
    since = np.nan
    for i in range(c.size):
        out[i] = 0.0 if c[i] == 2 else since + 1.0
        if not (tries and tried[i]):
            since = out[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _hold(x, when, tried, out):
    tries = tried.size > 1
    held = np.nan
    for i in range(x.size):
        out[i] = x[i] if when[i] == 2 else held
        if not (tries and tried[i]):
            held = out[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _cumulate(x, tried, out):
    tries = tried.size > 1
    total = 0.0
    for i in range(x.size):
        out[i] = total + x[i]
        if out[i] == out[i] and not (tries and tried[i]):
            total = out[i]
    return out


_X, _C, _LENGTH = Parameter("x", "number"), Parameter("c", "condition"), Parameter("n", "length")
_AROUND = (Parameter("before", "length"), Parameter("after", "length"))
_SINCE = (_X, Parameter("since", "condition"))
_OWN = "A definition of Skelb's own."

STRUCTURE = (
    Function(
        "crest", "Structure", _AROUND, "The latest turning point of the highs, known `after` bars later.",
        "the high above each of the `before` highs before it and not below each of the `after` highs after; held",
        _OWN, "Unknown before the first turning point.", "at least before + after",
        lambda frame, before, after: crest(frame.bars.high, before, after),
        mirror=PRICE.exchanged("trough"), example="crest(before: 5, after: 3)",
    ),
    Function(
        "trough", "Structure", _AROUND, "The latest turning point of the lows, known `after` bars later.",
        "the low below each of the `before` lows before it and not above each of the `after` lows after; held",
        _OWN, "Unknown before the first turning point.", "at least before + after",
        lambda frame, before, after: -crest(-frame.bars.low, before, after),
        mirror=PRICE.exchanged("crest"), example="trough(before: 5, after: 3)",
    ),
    Function(
        "peak", "Structure", _SINCE, "The largest x since a condition was last yes.", "max of x from that bar on",
        _OWN, "Unknown before the condition's first yes.", "the condition's first yes",
        lambda frame, x, since: extreme_since(x, since, frame.tried),
        mirror=AS_X.exchanged("dip"), example="peak(high, since: first_of_day)", goes_on=True,
    ),
    Function(
        "dip", "Structure", _SINCE, "The smallest x since a condition was last yes.", "min of x from that bar on",
        _OWN, "Unknown before the condition's first yes.", "the condition's first yes",
        lambda frame, x, since: -extreme_since(-x, since, frame.tried),
        mirror=AS_X.exchanged("peak"), example="dip(low, since: first_of_day)", goes_on=True,
    ),
    Function(
        "gap_up", "Structure", (), "Yes where the whole bar lies above the one before.", "low > prior(high)",
        "Price gap.", "None.", "1",
        lambda frame: compare(">", frame.bars.low, prior(frame.bars.high, 1)), result="condition",
        mirror=CONDITION.exchanged("gap_down"), example="gap_up",
    ),
    Function(
        "gap_down", "Structure", (), "Yes where the whole bar lies below the one before.", "high < prior(low)",
        "Price gap.", "None.", "1",
        lambda frame: compare("<", frame.bars.high, prior(frame.bars.low, 1)), result="condition",
        mirror=CONDITION.exchanged("gap_up"), example="gap_down",
    ),
    Function(
        "recently", "Conditions", (_C, _LENGTH), "Yes if c was yes on this bar or one of the n - 1 before.",
        "c or prior(c, 1) or … or prior(c, n - 1)", _OWN, "Earlier bars than the first are unknown.", "n - 1",
        lambda frame, c, n: recently(c, n), result="condition",
        mirror=CONDITION, example="recently(close > open, 20)",
    ),
    Function(
        "climbs", "Conditions", (_X, _LENGTH), "Yes if x rose on each of the last n bars.",
        "x > prior(x, 1) and prior(x, 1) > prior(x, 2) and … (n times)", _OWN, "None: n + 1 values are needed.", "n",
        lambda frame, x, n: climbs(x, n), result="condition",
        mirror=CONDITION.exchanged("sinks"), example="climbs(close, 3)",
    ),
    Function(
        "sinks", "Conditions", (_X, _LENGTH), "Yes if x fell on each of the last n bars.",
        "x < prior(x, 1) and prior(x, 1) < prior(x, 2) and … (n times)", _OWN, "None: n + 1 values are needed.", "n",
        lambda frame, x, n: climbs(-x, n), result="condition",
        mirror=CONDITION.exchanged("climbs"), example="sinks(close, 3)",
    ),
    Function(
        "bars_since", "Conditions", (_C,), "How many bars ago c was last yes, 0 for this bar.",
        "the bar's number less that of the latest yes", _OWN, "Unknown before the first yes.", "the first yes",
        lambda frame, c: bars_since(c, frame.tried),
        mirror=EVEN, example="bars_since(close > open)", goes_on=True,
    ),
    Function(
        "count", "Conditions", (_C, _LENGTH), "How many of the last n bars were yes.", "number of yes in the window",
        _OWN, "None: a full window is needed.", "n - 1", lambda frame, c, n: count(c, n),
        mirror=EVEN, example="count(close > open, 20)",
    ),
    Function(
        "hold", "Conditions", (_X, Parameter("when", "condition")), "x as it was when a condition was last yes.",
        "the value on the latest bar of yes", _OWN, "Unknown before the first yes.", "the first yes",
        lambda frame, x, when: hold(x, when, frame.tried),
        mirror=AS_X, example="hold(close, when: close crosses above sma(close, 20))", goes_on=True,
    ),
    Function(
        "once", "Conditions", (_C, Parameter("reset", "condition")), "c without its repeats, until another condition.",
        "yes where c is yes for the first time since the start or since reset was last yes", _OWN,
        "Armed on the first bar; an unknown counts as no.", "0",
        lambda frame, c, reset: once(c, reset, frame.tried), result="condition",
        mirror=CONDITION, example="once(close > sma(close, 20), reset: first_of_day)", goes_on=True,
    ),
    Function(
        "starts", "Conditions", (_C,), "Yes on the bar where c becomes yes.", "c and not prior(c)",
        _OWN, "Unknown or no on the first bar.", "1", lambda frame, c: starts(c), result="condition",
        mirror=CONDITION, example="starts(close > open)",
    ),
    Function(
        "ends", "Conditions", (_C,), "Yes on the bar where c is yes no longer.", "not c and prior(c)",
        _OWN, "Unknown or no on the first bar.", "1",
        lambda frame, c: starts(np.int8(YES) - c), result="condition",
        mirror=CONDITION, example="ends(close > open)",
    ),
    Function(
        "cumulate", "Conditions", (_X,), "The running sum of x.", "previous + x; an unknown adds nothing",
        "Running sum.", "The first known value.", "the first known value", lambda frame, x: cumulate(x, frame.tried),
        mirror=LINEAR, example="cumulate(sign(close - open))", goes_on=True,
    ),
)  # fmt: skip
