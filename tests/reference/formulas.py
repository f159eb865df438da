"""Every function of the catalogue written once more, plainly: lists, loops, nothing shared with the program.

`PLAIN` maps a name to (arguments, plain form, index of the first known bar or None where that depends on the data).
"""

import math
import statistics

import numpy as np

from tests.conftest import dataset

DATA = dataset()
BARS = DATA.bars
OPEN, HIGH, LOW, CLOSE, VOLUME = (getattr(BARS, name).tolist() for name in ("open", "high", "low", "close", "volume"))
TYPICAL = [(h + lo + c) / 3 for h, lo, c in zip(HIGH, LOW, CLOSE, strict=True)]
SIZE = len(CLOSE)
RISING = [c > o for c, o in zip(CLOSE, OPEN, strict=True)]
FAR = [c > CLOSE[0] + 12 for c in CLOSE]
NAN = float("nan")


def codes(flags):
    """Conditions as the program holds them: 0 no, 1 unknown, 2 yes."""
    return np.array([1 if flag is None else 2 * flag for flag in flags], np.int8)


def array(values):
    return np.array(values, float)


def window(x, n, f):
    """f of each full window that holds no unknown."""
    return [
        NAN if i < n - 1 or any(v != v for v in x[i - n + 1 : i + 1]) else f(x[i - n + 1 : i + 1])
        for i in range(len(x))
    ]


def each(f, *series):
    return [f(*values) for values in zip(*series, strict=True)]


def ratio(a, b):
    return [x / y if y == y and y != 0 else NAN for x, y in zip(a, b, strict=True)]


def earlier(x, n=1):
    return [x[i - n] if i >= n else NAN for i in range(len(x))]


def less(a, b):
    return [x - y for x, y in zip(a, b, strict=True)]


def plain_mean(x, n):
    return [
        NAN if i < n - 1 or any(math.isnan(v) for v in x[i - n + 1 : i + 1]) else sum(x[i - n + 1 : i + 1]) / n
        for i in range(len(x))
    ]


def plain_recursive(x, n, alpha):
    """Seeded with the mean of the first n known values; an unknown value is passed over."""
    out, known, average = [], [], None
    for value in x:
        if math.isnan(value):
            out.append(NAN)
            continue
        if average is None:
            known.append(value)
            average = sum(known) / n if len(known) == n else None
        else:
            average = average * (1 - alpha) + value * alpha
        out.append(NAN if average is None else average)
    return out


def plain_ema(x, n):
    return plain_recursive(x, n, 2 / (n + 1))


def plain_wilder(x, n):
    return plain_recursive(x, n, 1 / n)


def plain_stdev(x, n):
    out = []
    for i in range(len(x)):
        part = x[i - n + 1 : i + 1] if i >= n - 1 else [NAN]
        mean = sum(part) / len(part)
        out.append(math.sqrt(sum((v - mean) ** 2 for v in part) / len(part)))
    return out


def plain_true_range(bars):
    out = [bars.high[0] - bars.low[0]]
    for i in range(1, len(bars)):
        out.append(
            max(bars.high[i] - bars.low[i], abs(bars.high[i] - bars.close[i - 1]), abs(bars.low[i] - bars.close[i - 1]))
        )
    return out


def plain_rsi(x, n):
    gains = [NAN, *(max(b - a, 0) for a, b in zip(x, x[1:], strict=False))]
    losses = [NAN, *(max(a - b, 0) for a, b in zip(x, x[1:], strict=False))]
    out = []
    for up, down in zip(plain_wilder(gains, n), plain_wilder(losses, n), strict=True):
        out.append(NAN if math.isnan(up) else 50 if up == down == 0 else 100 if down == 0 else 100 * up / (up + down))
    return out


def plain_adx(bars, n):
    up, down = [NAN], [NAN]
    for i in range(1, len(bars)):
        rise, fall = bars.high[i] - bars.high[i - 1], bars.low[i - 1] - bars.low[i]
        up.append(rise if rise > fall and rise > 0 else 0)
        down.append(fall if fall > rise and fall > 0 else 0)
    reach = plain_wilder([NAN, *plain_true_range(bars)[1:]], n)
    plus = [100 * a / b for a, b in zip(plain_wilder(up, n), reach, strict=True)]
    minus = [100 * a / b for a, b in zip(plain_wilder(down, n), reach, strict=True)]
    dx = [100 * abs(a - b) / (a + b) if a + b else NAN for a, b in zip(plus, minus, strict=True)]
    return {"adx": plain_wilder(dx, n), "plus": plus, "minus": minus}


def band(mid, width):
    return {"upper": np.add(mid, width), "mid": mid, "lower": np.subtract(mid, width)}


def plain_macd(x, a, b, s):
    line = np.subtract(plain_ema(x, a), plain_ema(x, b))
    signal = np.array(plain_ema(list(line), s))
    return {"line": line, "signal": signal, "gap": line - signal}


def plain_opening_range(data, minutes):
    """Day by day: the extremes of the bars closing within the minutes, from the bar that reaches them."""
    high, low = [NAN] * len(data), [NAN] * len(data)
    day, since = data.calendar.day.tolist(), data.calendar.session_minute.tolist()
    for i in range(len(data)):
        inside = [k for k in range(i + 1) if day[k] == day[i] and since[k] <= minutes]
        if since[i] >= minutes and inside:
            high[i], low[i] = max(data.bars.high[k] for k in inside), min(data.bars.low[k] for k in inside)
    return {"high": high, "low": low}


PLAIN = {
    "sma": ((array(CLOSE), 7), lambda: plain_mean(CLOSE, 7), 6),
    "ema": ((array(CLOSE), 9), lambda: plain_ema(CLOSE, 9), 8),
    "wilder": ((array(CLOSE), 9), lambda: plain_wilder(CLOSE, 9), 8),
    "rsi": ((array(CLOSE), 14), lambda: plain_rsi(CLOSE, 14), 14),
    "macd": ((array(CLOSE), 5, 12, 4), lambda: plain_macd(CLOSE, 5, 12, 4), 14),
    "true_range": ((), lambda: plain_true_range(DATA.bars), 0),
    "atr": ((14,), lambda: plain_wilder(plain_true_range(DATA.bars), 14), 13),
    "stdev": ((array(CLOSE), 20), lambda: plain_stdev(CLOSE, 20), 19),
    "bollinger": ((array(CLOSE), 20, 2.0), lambda: band(plain_mean(CLOSE, 20), 2 * np.array(plain_stdev(CLOSE, 20))), 19),
    "keltner": ((20, 10, 1.5), lambda: band(plain_ema(CLOSE, 20), 1.5 * np.array(plain_wilder(plain_true_range(DATA.bars), 10))), 19),
    "adx": ((14,), lambda: plain_adx(DATA.bars, 14), 27),
    "highest": ((array(CLOSE), 6), lambda: [max(CLOSE[i - 5 : i + 1]) if i >= 5 else NAN for i in range(len(CLOSE))], 5),
    "lowest": ((array(CLOSE), 6), lambda: [min(CLOSE[i - 5 : i + 1]) if i >= 5 else NAN for i in range(len(CLOSE))], 5),
    "prior": ((array(CLOSE), 3), lambda: [CLOSE[i - 3] if i >= 3 else NAN for i in range(len(CLOSE))], 3),
    "opening_range": ((90,), lambda: plain_opening_range(DATA, 90), 65),  # the first day here starts too late
    "known": ((array(CLOSE),), lambda: [2] * len(CLOSE), 0),
}  # fmt: skip


def plain_wma(x, n):
    return window(x, n, lambda w: sum((k + 1) * v for k, v in enumerate(w)) / (n * (n + 1) / 2))


def plain_kama(x, n):
    out, average = [NAN] * len(x), x[n - 1]
    for i in range(n, len(x)):
        way = sum(abs(x[k] - x[k - 1]) for k in range(i - n + 1, i + 1))
        er = abs(x[i] - x[i - n]) / way if way else 0
        average = average + (er * (2 / 3 - 2 / 31) + 2 / 31) ** 2 * (x[i] - average)
        out[i] = average
    return out


def plain_fit(x, n):
    lines = window(x, n, lambda w: statistics.linear_regression(range(n), w))
    known = [line if line == line else None for line in lines]
    return {
        "value": [NAN if line is None else line.intercept + line.slope * (n - 1) for line in known],
        "slope": [NAN if line is None else line.slope for line in known],
    }


def plain_stoch(high, low, close, n, k, d):
    bottom, top = window(low, n, min), window(high, n, max)
    raw = [100 * v for v in ratio(less(close, bottom), less(top, bottom))]
    smooth = plain_mean(raw, k)
    return {"k": smooth, "d": plain_mean(smooth, d)}


def plain_mfi(n):
    up, down = [NAN], [NAN]
    for i in range(1, SIZE):
        flow = TYPICAL[i] * VOLUME[i]
        up.append(flow if TYPICAL[i] > TYPICAL[i - 1] else 0)
        down.append(flow if TYPICAL[i] < TYPICAL[i - 1] else 0)
    rises, falls = window(up, n, sum), window(down, n, sum)
    return [NAN if a != a else 50 if a + b == 0 else 100 * a / (a + b) for a, b in zip(rises, falls, strict=True)]


def plain_cmo(x, n):
    change = less(x, earlier(x))
    up, down = (
        window([max(v, 0) if v == v else NAN for v in change], n, sum),
        window([max(-v, 0) if v == v else NAN for v in change], n, sum),
    )
    return [100 * v for v in ratio(less(up, down), [a + b for a, b in zip(up, down, strict=True)])]


def plain_tsi(x, a, b):
    change = less(x, earlier(x))
    top, under = plain_ema(plain_ema(change, a), b), plain_ema(plain_ema([abs(v) for v in change], a), b)
    return [100 * v for v in ratio(top, under)]


def plain_aroon(n):
    up, down = [NAN] * SIZE, [NAN] * SIZE
    for i in range(n, SIZE):
        highs, lows = HIGH[i - n : i + 1][::-1], LOW[i - n : i + 1][::-1]
        up[i] = 100 * (n - highs.index(max(highs))) / n
        down[i] = 100 * (n - lows.index(min(lows))) / n
    return {"up": up, "down": down}


def plain_psar(start, step, most):
    out = [NAN]
    up = CLOSE[1] >= CLOSE[0]
    stop, extreme, speed = (LOW[0], HIGH[0], start) if up else (HIGH[0], LOW[0], start)
    for i in range(1, SIZE):
        if i >= 2:
            stop = stop + speed * (extreme - stop)
            stop = min(stop, *LOW[i - 2 : i]) if up else max(stop, *HIGH[i - 2 : i])
        if LOW[i] < stop if up else HIGH[i] > stop:
            up, stop, speed = not up, extreme, start
            extreme = HIGH[i] if up else LOW[i]
        elif HIGH[i] > extreme if up else LOW[i] < extreme:
            extreme, speed = (HIGH[i] if up else LOW[i]), min(speed + step, most)
        out.append(stop)
    return out


def plain_supertrend(n, f):
    reach, line, side = plain_wilder(plain_true_range(BARS), n), [], []
    top = bottom = way = None
    for i in range(SIZE):
        if reach[i] != reach[i]:
            line.append(NAN), side.append(NAN)
            continue
        mid = (HIGH[i] + LOW[i]) / 2
        if way is None:
            way, top, bottom = (1 if CLOSE[i] >= mid else -1), mid + f * reach[i], mid - f * reach[i]
        else:
            if mid + f * reach[i] < top or CLOSE[i - 1] > top:
                top = mid + f * reach[i]
            if mid - f * reach[i] > bottom or CLOSE[i - 1] < bottom:
                bottom = mid - f * reach[i]
            way = -1 if way == 1 and CLOSE[i] < bottom else 1 if way == -1 and CLOSE[i] > top else way
        line.append(bottom if way == 1 else top), side.append(way)
    return {"line": line, "side": side}


def plain_channel(n):
    upper, lower = window(HIGH, n, max), window(LOW, n, min)
    return {"upper": upper, "mid": [(a + b) / 2 for a, b in zip(upper, lower, strict=True)], "lower": lower}


def plain_ichimoku(a, b, c):
    turning, standard = plain_channel(a)["mid"], plain_channel(b)["mid"]
    ahead = [(x + y) / 2 for x, y in zip(turning, standard, strict=True)]
    return {
        "turning": turning,
        "standard": standard,
        "span_a": earlier(ahead, b),
        "span_b": earlier(plain_channel(c)["mid"], b),
    }


def plain_vortex(n):
    reach = [NAN, *plain_true_range(BARS)[1:]]
    up = [NAN] + [abs(HIGH[i] - LOW[i - 1]) for i in range(1, SIZE)]
    down = [NAN] + [abs(LOW[i] - HIGH[i - 1]) for i in range(1, SIZE)]
    total = window(reach, n, sum)
    return {"plus": ratio(window(up, n, sum), total), "minus": ratio(window(down, n, sum), total)}


def plain_efficiency(x, n):
    steps = [abs(v) for v in less(x, earlier(x))]
    return ratio([abs(v) for v in less(x, earlier(x, n))], window(steps, n, sum))


def plain_choppiness(n):
    spread = less(window(HIGH, n, max), window(LOW, n, min))
    return [
        NAN if v != v else 100 * math.log10(v) / math.log10(n)
        for v in ratio(window(plain_true_range(BARS), n, sum), spread)
    ]


def plain_volatility(n):
    logs = [NAN, *(math.log(b / a) for a, b in zip(CLOSE, CLOSE[1:], strict=False))]
    return [v * 100 * math.sqrt(365.25 * 96) for v in window(logs, n, statistics.stdev)]  # 96 bars a day, every day


def plain_obv():
    out = [0.0]
    for i in range(1, SIZE):
        out.append(out[-1] + (VOLUME[i] if CLOSE[i] > CLOSE[i - 1] else -VOLUME[i] if CLOSE[i] < CLOSE[i - 1] else 0))
    return out


def plain_vwap():
    out, day = [], DATA.calendar.day.tolist()
    for i in range(SIZE):
        same = [k for k in range(i + 1) if day[k] == day[i]]
        out.append(sum(TYPICAL[k] * VOLUME[k] for k in same) / sum(VOLUME[k] for k in same))
    return out


def plain_shares():
    return [
        ((c - lo) - (h - c)) / (h - lo) * v if h > lo else 0
        for h, lo, c, v in zip(HIGH, LOW, CLOSE, VOLUME, strict=True)
    ]


def plain_pairs(x, y, n, f):
    return [NAN if i < n - 1 else f(x[i - n + 1 : i + 1], y[i - n + 1 : i + 1]) for i in range(len(x))]


def plain_covariance(a, b):
    return sum((x - statistics.mean(a)) * (y - statistics.mean(b)) for x, y in zip(a, b, strict=True)) / len(a)


def plain_crest(x, before, after, sign):
    out, latest = [], NAN
    for i in range(len(x)):
        at = i - after
        if (
            at >= before
            and all(sign * x[k] < sign * x[at] for k in range(at - before, at))
            and all(sign * x[k] <= sign * x[at] for k in range(at + 1, i + 1))
        ):
            latest = x[at]
        out.append(latest)
    return out


def plain_since(x, flags, pick):
    out = []
    for i in range(len(x)):
        starts = [k for k in range(i + 1) if flags[k]]
        out.append(pick(x[starts[-1] : i + 1]) if starts else NAN)
    return out


def truths(values):
    """Plain truths as the program's codes; None is unknown."""
    return [1 if value is None else 2 if value else 0 for value in values]


def plain_once(flags, reset):
    out, armed = [], True
    for flag, again in zip(flags, reset, strict=True):
        armed = armed or again
        out.append(bool(flag and armed))
        armed = armed and not flag
    return out


def running(values):
    out, total = [], 0.0
    for value in values:
        total += value
        out.append(total)
    return out


SINE = [math.sin(k / 5) * 3 for k in range(SIZE)]
HALVES = [k / 2 - 60 for k in range(SIZE)]
close, sine, halves, rising, far = array(CLOSE), array(SINE), array(HALVES), codes(RISING), codes(FAR)


def single(f):
    """Arguments, plain form and first index of a function of one number that is known from the first bar."""

    def safe(v):
        try:
            return f(v)
        except (ValueError, OverflowError):
            return NAN

    return (halves,), lambda: [safe(v) for v in HALVES], None


PLAIN |= {
    "wma": ((close, 7), lambda: plain_wma(CLOSE, 7), 6),
    "hma": ((close, 16), lambda: plain_wma(less([2 * v for v in plain_wma(CLOSE, 8)], plain_wma(CLOSE, 16)), 4), 18),
    "dema": ((close, 9), lambda: less([2 * v for v in plain_ema(CLOSE, 9)], plain_ema(plain_ema(CLOSE, 9), 9)), 16),
    "tema": ((close, 9), lambda: each(lambda a, b, c: 3 * a - 3 * b + c, plain_ema(CLOSE, 9), plain_ema(plain_ema(CLOSE, 9), 9), plain_ema(plain_ema(plain_ema(CLOSE, 9), 9), 9)), 24),
    "kama": ((close, 10), lambda: plain_kama(CLOSE, 10), 10),
    "vwma": ((close, 8), lambda: ratio(window(each(lambda a, b: a * b, CLOSE, VOLUME), 8, sum), window(VOLUME, 8, sum)), 7),
    "average": ((close, 7, "wma"), lambda: plain_wma(CLOSE, 7), 6),
    "fit": ((close, 9), lambda: plain_fit(CLOSE, 9), 8),
    "stoch": ((14, 3, 3), lambda: plain_stoch(HIGH, LOW, CLOSE, 14, 3, 3), 17),
    "stoch_rsi": ((close, 10, 8, 3, 2), lambda: plain_stoch(*[plain_rsi(CLOSE, 10)] * 3, 8, 3, 2), 20),
    "roc": ((close, 6), lambda: [100 * (v - 1) for v in ratio(CLOSE, earlier(CLOSE, 6))], 6),
    "cci": ((12,), lambda: window(TYPICAL, 12, lambda w: (w[-1] - statistics.mean(w)) / (0.015 * statistics.mean(abs(v - statistics.mean(w)) for v in w))), 11),
    "williams": ((14,), lambda: [v - 100 for v in plain_stoch(HIGH, LOW, CLOSE, 14, 1, 1)["k"]], 13),
    "mfi": ((9,), lambda: plain_mfi(9), 9),
    "cmo": ((close, 9), lambda: plain_cmo(CLOSE, 9), 9),
    "tsi": ((close, 8, 5), lambda: plain_tsi(CLOSE, 8, 5), 12),
    "gain": ((close, 4), lambda: less(CLOSE, earlier(CLOSE, 4)), 4),
    "aroon": ((11,), lambda: plain_aroon(11), 11),
    "psar": ((0.02, 0.02, 0.2), lambda: plain_psar(0.02, 0.02, 0.2), 1),
    "supertrend": ((10, 2.0), lambda: plain_supertrend(10, 2.0), 9),
    "channel": ((9,), lambda: plain_channel(9), 8),
    "ichimoku": ((5, 9, 17), lambda: plain_ichimoku(5, 9, 17), 25),
    "vortex": ((8,), lambda: plain_vortex(8), 8),
    "efficiency": ((close, 9), lambda: plain_efficiency(CLOSE, 9), 9),
    "choppiness": ((14,), lambda: plain_choppiness(14), 13),
    "zscore": ((close, 12), lambda: window(CLOSE, 12, lambda w: (w[-1] - statistics.mean(w)) / statistics.pstdev(w)), 11),
    "rank": ((close, 12), lambda: window(CLOSE, 12, lambda w: 100 * sum(v <= w[-1] for v in w) / 12), 11),
    "historical_volatility": ((20,), lambda: plain_volatility(20), 20),
    "obv": ((), plain_obv, 0),
    "vwap": ((), plain_vwap, 0),
    "accumulation": ((), lambda: running(plain_shares()), 0),
    "money_flow": ((10,), lambda: ratio(window(plain_shares(), 10, sum), window(VOLUME, 10, sum)), 9),
    "sum": ((close, 6), lambda: window(CLOSE, 6, sum), 5),
    "median": ((close, 6), lambda: window(CLOSE, 6, statistics.median), 5),
    "percentile": ((close, 9, 30.0), lambda: window(CLOSE, 9, lambda w: float(np.percentile(w, 30))), 8),
    "covariance": ((close, sine, 9), lambda: plain_pairs(CLOSE, SINE, 9, plain_covariance), 8),
    "correlation": ((close, sine, 9), lambda: plain_pairs(CLOSE, SINE, 9, statistics.correlation), 8),
    "beta": ((close, sine, 9), lambda: plain_pairs(CLOSE, SINE, 9, lambda a, b: statistics.linear_regression(b, a).slope), 8),
    "crest": ((3, 2), lambda: plain_crest(HIGH, 3, 2, 1), None),
    "trough": ((3, 2), lambda: plain_crest(LOW, 3, 2, -1), None),
    "peak": ((close, far), lambda: plain_since(CLOSE, FAR, max), None),
    "dip": ((close, far), lambda: plain_since(CLOSE, FAR, min), None),
    "gap_up": ((), lambda: truths([None] + [LOW[i] > HIGH[i - 1] for i in range(1, SIZE)]), None),
    "gap_down": ((), lambda: truths([None] + [HIGH[i] < LOW[i - 1] for i in range(1, SIZE)]), None),
    "recently": ((far, 4), lambda: truths([True if any(FAR[max(0, i - 3) : i + 1]) else None if i < 3 else False for i in range(SIZE)]), None),
    "climbs": ((close, 2), lambda: truths([None if i < 2 else CLOSE[i] > CLOSE[i - 1] > CLOSE[i - 2] for i in range(SIZE)]), None),
    "sinks": ((close, 2), lambda: truths([None if i < 2 else CLOSE[i] < CLOSE[i - 1] < CLOSE[i - 2] for i in range(SIZE)]), None),
    "bars_since": ((far,), lambda: [next((k for k in range(i + 1) if FAR[i - k]), NAN) for i in range(SIZE)], None),
    "count": ((rising, 7), lambda: window([float(v) for v in RISING], 7, sum), 6),
    "hold": ((sine, far), lambda: [next((SINE[k] for k in range(i, -1, -1) if FAR[k]), NAN) for i in range(SIZE)], None),
    "once": ((rising, far), lambda: truths(plain_once(RISING, FAR)), None),
    "starts": ((rising,), lambda: truths([(None if RISING[0] else False), *(b and not a for a, b in zip(RISING, RISING[1:], strict=False))]), None),
    "ends": ((rising,), lambda: truths([(False if RISING[0] else None), *(a and not b for a, b in zip(RISING, RISING[1:], strict=False))]), None),
    "cumulate": ((sine,), lambda: running(SINE), 0),
    "abs": single(abs), "sqrt": single(math.sqrt), "log": single(math.log), "exp": single(math.exp), "floor": single(math.floor),
    "ceil": single(math.ceil), "sign": single(lambda v: (v > 0) - (v < 0)), "round": single(lambda v: math.copysign(math.floor(abs(v) + 0.5), v)),
    "min": ((close, sine * 500), lambda: each(min, CLOSE, [v * 500 for v in SINE]), 0),
    "max": ((close, sine * 500), lambda: each(max, CLOSE, [v * 500 for v in SINE]), 0),
    "clamp": ((close, sine * 300, close + 5), lambda: each(lambda x, a, b: min(max(x, a), b), CLOSE, [v * 300 for v in SINE], [v + 5 for v in CLOSE]), 0),
}  # fmt: skip
