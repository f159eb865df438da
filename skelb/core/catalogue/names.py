"""Built-in names: the bar, the trading day so far, the calendar, the market."""

import itertools

import numpy as np

from skelb.core.bars import WEEKDAYS, Bars, Bools, Floats, Ints
from skelb.core.catalogue.conditions import of_bools
from skelb.core.catalogue.entry import CONDITION, EVEN, PRICE, BuiltIn, Frame, Record

MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_OHLC = ("open", "high", "low", "close")
_BEFORE = {"open": PRICE, "high": PRICE.exchanged("low"), "low": PRICE.exchanged("high"), "close": PRICE}


def raw_spread(frame: Frame) -> Floats:
    """The market's spread on every bar in the market's own unit, shape (n,), or (1,) when it never changes."""
    market = frame.market
    stated = frame.bars.columns.get("spread")
    if stated is not None:
        return np.asarray(stated, np.float64) * market.stated_spread_times
    if market.spread_by_hour is not None:
        hours = frame.calendar.open_minute // 60 % 24
        return np.asarray(market.spread_by_hour, np.float64)[hours]
    return np.array([market.spread], np.float64)


def spread_in_price(frame: Frame) -> Floats:
    """The spread on every bar in price units, shape (n,); percent is of the close."""
    market, bars = frame.market, frame.bars
    spread = raw_spread(frame) * np.ones(len(bars))
    if market.spread_unit == "ticks":
        return spread * market.tick
    return spread / 100.0 * bars.close if market.spread_unit == "percent" else spread


def _so_far(frame: Frame, kind: str) -> Floats:
    """The trading day's open, high or low up to each bar, price units, shape (n,)."""
    bars, starts = frame.bars, np.flatnonzero(frame.calendar.starts_day)
    out = np.empty(len(bars))
    bounds = np.append(starts, len(bars))
    for first, end in itertools.pairwise(bounds):
        if kind == "open":
            out[first:end] = bars.open[first]
        elif kind == "high":
            np.maximum.accumulate(bars.high[first:end], out=out[first:end])
        else:
            np.minimum.accumulate(bars.low[first:end], out=out[first:end])
    return out


def _before(bars: Bars, period: Ints) -> Record:
    """The finished period (day or week) before each bar's own: its four prices, NaN in the first period."""
    size = len(bars)
    if size == 0:
        return {name: np.empty(0) for name in _OHLC}
    first = np.concatenate(([0], np.flatnonzero(period[1:] != period[:-1]) + 1))
    last = np.append(first[1:], size) - 1
    which = np.cumsum(np.concatenate(([0], (period[1:] != period[:-1]).astype(np.int64)))) - 1
    whole = {
        "open": bars.open[first],
        "high": np.maximum.reduceat(bars.high, first),
        "low": np.minimum.reduceat(bars.low, first),
        "close": bars.close[last],
    }
    return {name: np.where(which >= 0, values[which], np.nan) for name, values in whole.items()}


def _date_part(frame: Frame, part: str) -> Floats:
    """Day of the month (1-31), month (0-11) or year of the trading day, shape (n,)."""
    days = frame.calendar.day.astype("datetime64[D]")
    months = days.astype("datetime64[M]")
    if part == "day":
        return ((days - months).astype(np.int64) + 1).astype(np.float64)
    if part == "month":
        return (months.astype(np.int64) % 12).astype(np.float64)
    return (months.astype(np.int64) // 12 + 1970).astype(np.float64)


def _months(frame: Frame) -> Ints:
    """The month of each bar's trading day, counted from 1970, shape (n,)."""
    return frame.calendar.day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def _begins(period: Ints) -> Bools:
    """Where a period differs from that of the bar before, shape (n,); the first bar begins one."""
    return np.concatenate(([True], period[1:] != period[:-1]))[: period.size]


def _trading_day_of_month(frame: Frame) -> Floats:
    """Which of the days with bars in its month a bar's trading day is, from 1, shape (n,); the first month of the bars
    is counted from their first day."""
    day_number = np.cumsum(frame.calendar.starts_day)
    first_of_month = np.maximum.accumulate(np.where(_begins(_months(frame)), day_number, 0))
    return np.asarray(day_number - first_of_month + 1, np.float64)


def _constant(frame: Frame, value: float | None) -> Floats:
    return np.full(len(frame.bars), np.nan if value is None else value)


NAMES = (
    BuiltIn("open", "number", "The bar's first price.", lambda f: f.bars.open, mirror=PRICE, of_one_bar=True),
    BuiltIn("high", "number", "The bar's highest price.", lambda f: f.bars.high, mirror=PRICE.exchanged("low"), of_one_bar=True),
    BuiltIn("low", "number", "The bar's lowest price.", lambda f: f.bars.low, mirror=PRICE.exchanged("high"), of_one_bar=True),
    BuiltIn("close", "number", "The bar's last price.", lambda f: f.bars.close, mirror=PRICE, of_one_bar=True),
    BuiltIn("volume", "number", "How much was traded in the bar.", lambda f: f.bars.volume, mirror=EVEN, of_one_bar=True),
    BuiltIn("mid", "number", "(high + low) / 2", lambda f: (f.bars.high + f.bars.low) / 2.0, mirror=PRICE, of_one_bar=True),
    BuiltIn("typical", "number", "(high + low + close) / 3", lambda f: (f.bars.high + f.bars.low + f.bars.close) / 3.0, mirror=PRICE, of_one_bar=True),
    BuiltIn("range", "number", "high - low", lambda f: f.bars.high - f.bars.low, mirror=EVEN, of_one_bar=True),
    BuiltIn("body", "number", "The distance between open and close.", lambda f: np.abs(f.bars.close - f.bars.open), mirror=EVEN, of_one_bar=True),
    BuiltIn(
        "upper_wick", "number", "From the body's top to the high.",
        lambda f: f.bars.high - np.maximum(f.bars.open, f.bars.close),
        mirror=EVEN.exchanged("lower_wick"), of_one_bar=True,
    ),
    BuiltIn(
        "lower_wick", "number", "From the low to the body's bottom.",
        lambda f: np.minimum(f.bars.open, f.bars.close) - f.bars.low,
        mirror=EVEN.exchanged("upper_wick"), of_one_bar=True,
    ),
    BuiltIn("bar", "number", "The bar's number, from 0.", lambda f: np.arange(len(f.bars), dtype=np.float64), mirror=EVEN, of_one_bar=False),
    BuiltIn(
        "weekday", "word", "The trading day's weekday: mon, tue, wed, thu, fri, sat or sun.",
        lambda f: f.calendar.weekday.astype(np.float64), words=WEEKDAYS,
        mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn(
        "month", "word", "The trading day's month: jan to dec.", lambda f: _date_part(f, "month"), words=MONTHS,
        mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn("day", "number", "The trading day's day of the month, 1 to 31.", lambda f: _date_part(f, "day"), mirror=EVEN, of_one_bar=True),
    BuiltIn("year", "number", "The trading day's year.", lambda f: _date_part(f, "year"), mirror=EVEN, of_one_bar=True),
    BuiltIn(
        "hour", "number", "The hour at the bar's close; midnight at a day's end is 24.",
        lambda f: (f.calendar.close_minute // 60).astype(np.float64),
        mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn(
        "minute", "number", "The minute at the bar's close, 0 to 59.",
        lambda f: (f.calendar.close_minute % 60).astype(np.float64),
        mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn(
        "time", "time", "The time of day at the bar's close, in the market's zone.",
        lambda f: f.calendar.close_minute.astype(np.float64),
        mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn(
        "minutes_into_session", "number", "Minutes from the session day's start to the bar's close.",
        lambda f: f.calendar.session_minute.astype(np.float64),
        mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn(
        "first_of_day", "condition", "Yes on the first bar of a trading day.",
        lambda f: of_bools(f.calendar.starts_day),
        mirror=CONDITION, of_one_bar=False,
    ),
    BuiltIn(
        "first_of_week", "condition", "Yes on the first bar of a week's first trading day.",
        lambda f: of_bools(_begins(f.calendar.week)),
        mirror=CONDITION, of_one_bar=False,
    ),
    BuiltIn(
        "first_of_month", "condition", "Yes on the first bar of a month's first trading day.",
        lambda f: of_bools(_begins(_months(f))),
        mirror=CONDITION, of_one_bar=False,
    ),
    BuiltIn(
        "trading_day_of_month", "number", "The trading day's number in its month, counted from 1 over days that have bars.",
        _trading_day_of_month, mirror=EVEN, of_one_bar=True,
    ),
    BuiltIn(
        "last_of_day", "condition", "Yes on the bar whose close reaches the scheduled session end.",
        lambda f: of_bools(f.calendar.ends_day),
        mirror=CONDITION, of_one_bar=False,
    ),
    BuiltIn("tick", "number", "The market's smallest price step.", lambda f: _constant(f, f.market.tick), mirror=EVEN, of_one_bar=True),
    BuiltIn("pip", "number", "The market's pip in price units; where it states none ten ticks of a tick with 3 or 5 decimals, else one tick.", lambda f: _constant(f, f.market.pip_size), mirror=EVEN, of_one_bar=True),
    BuiltIn("spread", "number", "The spread on the bar, in price units.", spread_in_price, mirror=EVEN, of_one_bar=True),
    BuiltIn("day_open", "number", "The trading day's first price.", lambda f: _so_far(f, "open"), mirror=PRICE, of_one_bar=False),
    BuiltIn("day_high", "number", "The trading day's high so far.", lambda f: _so_far(f, "high"), mirror=PRICE.exchanged("day_low"), of_one_bar=False),
    BuiltIn("day_low", "number", "The trading day's low so far.", lambda f: _so_far(f, "low"), mirror=PRICE.exchanged("day_high"), of_one_bar=False),
    BuiltIn(
        "prior_day", "number", "The finished trading day before this one: .open .high .low .close",
        lambda f: _before(f.bars, f.calendar.day), fields=_OHLC,
        mirror=_BEFORE, of_one_bar=False,
    ),
    BuiltIn(
        "prior_week", "number", "The finished week of trading days before this one: .open .high .low .close",
        lambda f: _before(f.bars, f.calendar.week), fields=_OHLC,
        mirror=_BEFORE, of_one_bar=False,
    ),
)  # fmt: skip
