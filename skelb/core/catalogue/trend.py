# mypy: disable-error-code="no-untyped-def"
"""Trend: which way, and how decidedly."""

import numpy as np

from skelb.core.bars import Bars, Bools, Floats
from skelb.core.catalogue.arithmetic import quotient, range_of
from skelb.core.catalogue.averages import sma
from skelb.core.catalogue.entry import CHANGE, EVEN, NONE_TRIED, PRICE, SIZE, Frame, Function, Parameter, Record
from skelb.core.catalogue.momentum import gain
from skelb.core.catalogue.volatility import atr, true_range
from skelb.core.catalogue.windows import highest, lowest, prior
from skelb.core.compiled import njit
from skelb.core.stopping import stretches


def adx(bars: Bars, n: int, tried: Bools = NONE_TRIED) -> Record:
    """Wilder's directional index and its two sides, 0 to 100, shape (n_bars,) each.

    Directional movement and true range count from index 1; `plus` and `minus` are first known at index n,
    `adx` at 2n - 1. Where nothing moved (division by zero) a value is NaN and the smoothing goes on.
    """
    size = len(bars)
    strength, plus, minus = np.empty(size), np.empty(size), np.empty(size)
    _adx(bars.high, bars.low, bars.close, n, tried, strength, plus, minus)
    return {"adx": strength, "plus": plus, "minus": minus}


@njit(cache=True, nogil=True, error_model="numpy")
def _adx(high, low, close, n, tried, strength, plus, minus):
    tries = tried.size > 1
    up_average = 0.0
    down_average = 0.0
    range_average = 0.0
    count = 0  # of bars before
    known = 0
    average = 0.0
    last = 0
    for i in range(high.size):
        before = up_average, down_average, range_average, count, known, average, last
        strength[i] = np.nan
        plus[i] = np.nan
        minus[i] = np.nan
        if count > 0:
            rise = high[i] - high[last]
            fall = low[last] - low[i]
            up = rise if rise > fall and rise > 0.0 else 0.0
            down = fall if fall > rise and fall > 0.0 else 0.0
            true = max(high[i], close[last]) - min(low[i], close[last])
            if count <= n:
                up_average += up / n
                down_average += down / n
                range_average += true / n
            else:
                up_average += (up - up_average) / n
                down_average += (down - down_average) / n
                range_average += (true - range_average) / n
        if count >= n and range_average != 0.0:
            plus[i] = 100.0 * up_average / range_average
            minus[i] = 100.0 * down_average / range_average
            if plus[i] + minus[i] != 0.0:
                one_sided = 100.0 * abs(plus[i] - minus[i]) / (plus[i] + minus[i])
                known += 1
                if known <= n:
                    average += one_sided / n
                else:
                    average += (one_sided - average) / n
                if known >= n:
                    strength[i] = average
        count += 1
        last = i
        if tries and tried[i]:
            up_average, down_average, range_average, count, known, average, last = before


def aroon(high: Floats, low: Floats, n: int) -> Record:
    """How lately the highest high and lowest low of the last n + 1 bars were, 100 for this bar, 0 for n bars ago."""
    up, down = np.empty_like(high), np.empty_like(low)
    upside_down = -low
    for first, end in stretches(high.size, n):
        _since_highest(high, n, up, first, end)
        _since_highest(upside_down, n, down, first, end)
    return {"up": 100.0 * (n - up) / n, "down": 100.0 * (n - down) / n}


def psar(bars: Bars, start: float, step: float, most: float, tried: Bools = NONE_TRIED) -> Floats:
    """Wilder's stop and reverse price, price units, shape (n_bars,); first known on the second bar.

    The first direction is up when the second close is at or above the first.
    """
    return _psar(bars.high, bars.low, bars.close, start, step, most, tried, np.empty(len(bars)))


def supertrend(frame: Frame, n: int, f: float) -> Record:
    """A band of `f` average true ranges that trails price: its `line` (price units) and `side` (1 or -1)."""
    line, side = np.empty(len(frame.bars)), np.empty(len(frame.bars))
    bars = frame.bars
    _supertrend(bars.high, bars.low, bars.close, atr(frame, n), f, frame.tried, line, side)
    return {"line": line, "side": side}


def channel(bars: Bars, n: int) -> Record:
    """Highest high and lowest low of the last `n` bars and the middle between, price units, shape (n_bars,) each."""
    upper, lower = highest(bars.high, n), lowest(bars.low, n)
    return {"upper": upper, "mid": (upper + lower) / 2.0, "lower": lower}


def ichimoku(bars: Bars, a: int, b: int, c: int) -> Record:
    """Middles of three channels and the spans as valid on this bar (made `b` bars ago), price units."""
    turning, standard = channel(bars, a)["mid"], channel(bars, b)["mid"]
    span_a, span_b = prior((turning + standard) / 2.0, b), prior(channel(bars, c)["mid"], b)
    return {"turning": turning, "standard": standard, "span_a": span_a, "span_b": span_b}


def vortex(bars: Bars, n: int) -> Record:
    """Sums of the distances from high to earlier low and from low to earlier high, over that of true ranges."""
    up, down = np.full(len(bars), np.nan), np.full(len(bars), np.nan)
    up[1:], down[1:] = np.abs(bars.high[1:] - bars.low[:-1]), np.abs(bars.low[1:] - bars.high[:-1])
    reach = true_range(bars.high, bars.low, bars.close)
    reach[:1] = np.nan  # counted from the second bar, as the distances are
    return {"plus": quotient(sma(up, n), sma(reach, n)), "minus": quotient(sma(down, n), sma(reach, n))}


def efficiency(x: Floats, n: int) -> Floats:
    """Change over `n` bars as a share of the way travelled, 0 to 1, shape (n_bars,); NaN without movement."""
    return quotient(np.abs(gain(x, n)), sma(np.abs(gain(x, 1)), n) * n)


def choppiness(bars: Bars, n: int) -> Floats:
    """Sum of true ranges against the range of the window on a log scale, 0 to 100; high where price goes nowhere."""
    reach = sma(true_range(bars.high, bars.low, bars.close), n) * n
    share = quotient(reach, range_of(highest(bars.high, n), lowest(bars.low, n)))
    return 100.0 * np.log10(share) / np.log10(n)


@njit(cache=True, nogil=True, error_model="numpy")
def _since_highest(x, n, out, first, end):
    for i in range(first, end):
        out[i] = np.nan
        if i < n:
            continue
        best = i
        for k in range(i - 1, i - n - 1, -1):
            if x[k] > x[best]:
                best = k
        out[i] = i - best


@njit(cache=True, nogil=True, error_model="numpy")
def _psar(high, low, close, start, step, most, tried, out):
    tries = tried.size > 1
    rising = True
    extreme = 0.0
    stop = 0.0
    speed = start
    count = 0  # of bars before, the last two of which are these
    last = 0
    earlier = 0
    for i in range(out.size):
        before = rising, extreme, stop, speed, count, last, earlier
        out[i] = np.nan
        if count == 1:
            rising = close[i] >= close[last]
            extreme = high[last] if rising else low[last]
            stop = low[last] if rising else high[last]
        elif count > 1:
            stop += speed * (extreme - stop)
            if rising:  # never inside the last two bars
                stop = min(stop, low[last], low[earlier])
            else:
                stop = max(stop, high[last], high[earlier])
        if count > 0:
            if (rising and low[i] < stop) or (not rising and high[i] > stop):
                rising = not rising
                stop = extreme
                extreme = high[i] if rising else low[i]
                speed = start
            elif rising and high[i] > extreme:
                extreme = high[i]
                speed = min(speed + step, most)
            elif not rising and low[i] < extreme:
                extreme = low[i]
                speed = min(speed + step, most)
            out[i] = stop
        count, earlier, last = count + 1, last, i
        if tries and tried[i]:
            rising, extreme, stop, speed, count, last, earlier = before
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _supertrend(high, low, close, reach, f, tried, line, side):
    tries = tried.size > 1
    upper = np.nan
    lower = np.nan
    direction = 0.0
    last = np.nan  # the close before
    for i in range(high.size):
        before = upper, lower, direction, last
        line[i] = np.nan
        side[i] = np.nan
        if reach[i] == reach[i]:
            middle = (high[i] + low[i]) / 2.0
            top, bottom = middle + f * reach[i], middle - f * reach[i]
            if direction == 0.0:
                direction = 1.0 if close[i] >= middle else -1.0
                upper, lower = top, bottom
            else:
                # A band moves only towards price while the close before stayed inside it.
                upper = top if top < upper or last > upper else upper
                lower = bottom if bottom > lower or last < lower else lower
                if direction > 0.0 and close[i] < lower:
                    direction = -1.0
                elif direction < 0.0 and close[i] > upper:
                    direction = 1.0
            side[i] = direction
            line[i] = lower if direction > 0.0 else upper
        last = close[i]
        if tries and tried[i]:
            upper, lower, direction, last = before


_LENGTH = Parameter("n", "length")

TREND = (
    Function(
        "adx", "Trend", (Parameter("n", "length"),),
        "How one-sided the recent movement is, and the strength of either side, 0 to 100.",
        "plus, minus = 100 * wilder(directional movement, n) / wilder(true_range, n);"
        " adx = wilder(100 * |plus - minus| / (plus + minus), n)",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "The means of the first n values, counted from the second bar.",
        "plus and minus: n; adx: 2 * n - 1",
        lambda frame, n: adx(frame.bars, n, frame.tried),
        fields=("adx", "plus", "minus"),
        bounded=(0.0, 100.0),
        mirror={"adx": EVEN, "plus": EVEN.exchanged("minus"), "minus": EVEN.exchanged("plus")}, example="adx(20)", goes_on=True,
    ),
    Function(
        "aroon", "Trend", (_LENGTH,),
        "How lately the highest high and the lowest low were made, 100 for this bar.",
        "up = 100 * (n - bars since the highest high of n + 1 bars) / n; down with the lowest low; of equals the latest",
        "Tushar Chande, Technical Analysis of Stocks & Commodities 13(9) (1995).", "None: a full window is needed.", "n",
        lambda frame, n: aroon(frame.bars.high, frame.bars.low, n),
        fields=("up", "down"), bounded=(0.0, 100.0),
        mirror={"up": EVEN.exchanged("down"), "down": EVEN.exchanged("up")}, example="aroon(20)",
    ),
    Function(
        "psar", "Trend",
        (Parameter("start", "factor", 0.02), Parameter("step", "factor", 0.02), Parameter("max", "factor", 0.2)),
        "A stop that closes in on price the longer a move lasts, and turns with it.",
        "previous + speed * (extreme - previous); speed grows by step with each new extreme, up to max",
        "J. Welles Wilder, New Concepts in Technical Trading Systems (1978).",
        "Up when the second close is at or above the first; starts at the first bar's far end.", "1",
        lambda frame, start, step, most: psar(frame.bars, start, step, most, frame.tried),
        mirror=PRICE, example="psar", goes_on=True,
    ),
    Function(
        "supertrend", "Trend", (_LENGTH, Parameter("f", "factor")),
        "A band of average true ranges that trails price and changes sides when the close crosses it.",
        "mid ± f * atr(n), moving only towards price while the close stays inside; side is 1 above, -1 below",
        "Olivier Seban.", "The side on which the first known close stands of mid.", "n - 1",
        lambda frame, n, f: supertrend(frame, n, f),
        fields=("line", "side"),
        mirror={"line": PRICE, "side": CHANGE}, example="supertrend(20, 2)", goes_on=True,
    ),
    Function(
        "channel", "Trend", (_LENGTH,),
        "The highest high and lowest low of the last n bars.",
        "upper = highest(high, n); lower = lowest(low, n); mid between them",
        "Richard Donchian (1960).", "None: a full window is needed.", "n - 1",
        lambda frame, n: channel(frame.bars, n),
        fields=("upper", "mid", "lower"),
        mirror={"upper": PRICE.exchanged("lower"), "mid": PRICE, "lower": PRICE.exchanged("upper")}, example="channel(20)",
    ),
    Function(
        "ichimoku", "Trend", (Parameter("a", "length"), Parameter("b", "length"), Parameter("c", "length")),
        "Middles of three channels, and the two spans made b bars ago that are valid on this bar.",
        "turning = channel(a).mid; standard = channel(b).mid; span_a = prior((turning + standard) / 2, b);"
        " span_b = prior(channel(c).mid, b)",
        "Goichi Hosoda (1969).", "None: full windows are needed.",
        "turning: a - 1; standard: b - 1; span_a: max(a, b) + b - 1; span_b: c + b - 1",
        lambda frame, a, b, c: ichimoku(frame.bars, a, b, c),
        fields=("turning", "standard", "span_a", "span_b"),
        mirror={"turning": PRICE, "standard": PRICE, "span_a": PRICE, "span_b": PRICE}, example="ichimoku(9, 26, 52)",
    ),
    Function(
        "vortex", "Trend", (_LENGTH,),
        "Upward against downward reach of each bar over the one before.",
        "plus = sum(|high - prior(low)|, n) / sum(true_range, n); minus = sum(|low - prior(high)|, n) / sum(true_range, n)",
        "Etienne Botes and Douglas Siepman, Technical Analysis of Stocks & Commodities 28(1) (2010).",
        "Counted from the second bar.", "n",
        lambda frame, n: vortex(frame.bars, n),
        fields=("plus", "minus"),
        mirror={"plus": EVEN.exchanged("minus"), "minus": EVEN.exchanged("plus")}, example="vortex(20)",
    ),
    Function(
        "efficiency", "Trend", (Parameter("x", "number"), _LENGTH),
        "How straight the way was: 1 without a step back, 0 for a way that led nowhere.",
        "|gain(x, n)| / sum(|gain(x, 1)|, n)",
        "Perry Kaufman, Smarter Trading (1995).", "None: a full window is needed.", "n",
        lambda frame, x, n: efficiency(x, n),
        bounded=(0.0, 1.0),
        mirror=SIZE, example="efficiency(close, 20)",
    ),
    Function(
        "choppiness", "Trend", (Parameter("n", "length", least=2),),
        "High where the bars overlap and price goes nowhere, low in a trend.",
        "100 * log10(sum(true_range, n) / (highest(high, n) - lowest(low, n))) / log10(n)",
        "E. W. Dreiss (1992).", "None: a full window is needed.", "n - 1",
        lambda frame, n: choppiness(frame.bars, n),
        mirror=EVEN, example="choppiness(20)",
    ),
)  # fmt: skip
