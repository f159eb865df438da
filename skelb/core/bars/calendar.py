# mypy: disable-error-code="no-untyped-def"
"""Trading days, session moments and local clock times of bars, aware of daylight saving."""

from calendar import isleap
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property, lru_cache
from zoneinfo import ZoneInfo

import numpy as np

from skelb.core.bars.bars import Bars, Bools, Ints
from skelb.core.bars.market import Market
from skelb.core.bars.timeframes import WEEK_MINUTES, Timeframe
from skelb.core.compiled import njit

_DAY_S = 86_400
_FIRST_MOMENT, _LAST_MOMENT = (int(datetime(*day, tzinfo=UTC).timestamp()) for day in ((1, 1, 2), (9999, 12, 30)))
"""A day from where the calendar ends: clocks of any zone show a date there."""
_LONGEST_BREAK_DAYS = 12


@dataclass(frozen=True, eq=False)
class Calendar:
    """What the clock and the session say of every bar; all arrays have shape (n,).

    day : the trading day, as days since 1970-01-01
    close_time : the moment the bar closes, seconds since 1970 UTC
    open_minute : local time of the bar's opening, minutes from the trading day's midnight (may be negative or
        past 1440 in sessions that cross midnight)
    close_day_minute : local time of the close, minutes from the trading day's midnight, as the clock shows it
    close_minute : local clock time of the close, 1..1440; midnight at a day's end is 1440
    session_minute : minutes from the session day's start to the close
    ends_day : the close reaches the scheduled end of the session
    ends_week : the same on the week's last trading day
    """

    day: Ints
    close_time: Ints
    open_minute: Ints
    close_day_minute: Ints
    close_minute: Ints
    session_minute: Ints
    ends_day: Bools
    ends_week: Bools

    @property
    def weekday(self) -> Ints:
        """Weekday of the trading day; Monday is 0."""
        return (self.day + 3) % 7  # 1970-01-01 was a Thursday

    @property
    def week(self) -> Ints:
        """Number of the ISO week, counted from the week of 1970-01-01."""
        return (self.day + 3) // 7

    def close_minute_in(self, zone: str) -> Ints:
        """Clock time of the close in another zone, 1..1440, shape (n,)."""
        minute = (self.close_time + zone_offsets(self.close_time, zone)) % _DAY_S // 60
        return np.where(minute == 0, 1440, minute)

    @staticmethod
    def moment_of_session(begins: Ints, minutes: int, clock: float, zone: str) -> Ints:
        """When clocks in a zone show `clock` (minutes) in the sessions that begin at `begins` (UTC seconds).

        A session that lies on one date there has a time before it and one after it; one that crosses midnight there has
        none before: then it is the first such moment from its beginning on.
        """
        local = begins + zone_offsets(begins, zone)
        wanted = local // _DAY_S * _DAY_S + int(clock) * 60
        crosses = (local + minutes * 60 - 1) // _DAY_S != local // _DAY_S
        return to_utc(np.where((wanted < local) & crosses, wanted + _DAY_S, wanted), zone)

    @cached_property
    def starts_day(self) -> Bools:
        """Whether the bar is the first of its trading day."""
        return np.concatenate(([True], self.day[1:] != self.day[:-1]))[: self.day.size]

    @cached_property
    def day_ends(self) -> Ints:
        """Index of the last bar of every trading day."""
        return np.flatnonzero(np.append(self.day[1:] != self.day[:-1], True)[: self.day.size])


def zone_offsets(time: Ints, zone: str) -> Ints:
    """Seconds to add to each UTC moment to get local time, shape (n,)."""
    if time.size == 0:
        return np.zeros(0, np.int64)
    years = [
        int(np.datetime64(int(moment), "s").astype("datetime64[Y]").astype(int)) for moment in (time.min(), time.max())
    ]
    stretches = [part for year in range(years[0], years[1] + 1) for part in _stretches(zone, 1970 + year)]
    starts, offsets = np.array(stretches, np.int64).T
    found: Ints = offsets[np.searchsorted(starts, time, side="right") - 1]
    return found


@lru_cache(maxsize=4_096)
def _stretches(zone: str, year: int) -> tuple[tuple[int, int], ...]:
    """When each stretch of one offset begins within a year of UTC, the year's beginning first, and the offset; looked
    for day by day."""
    info = ZoneInfo(zone)

    def offset_at(moment: int) -> int:
        within = min(max(moment, _FIRST_MOMENT), _LAST_MOMENT)
        found = datetime.fromtimestamp(within, UTC).astimezone(info).utcoffset()
        assert found is not None
        return int(found.total_seconds())

    first = int(datetime(year, 1, 1, tzinfo=UTC).timestamp())
    found = [(first, offset_at(first))]
    for day in range(366 if isleap(year) else 365):
        moment = first + (day + 1) * _DAY_S - 1
        if offset_at(moment) != found[-1][1]:
            before, after = max(found[-1][0], moment - _DAY_S), moment
            while after - before > 1:
                middle = (before + after) // 2
                if offset_at(middle) == found[-1][1]:
                    before = middle
                else:
                    after = middle
            found.append((after, offset_at(after)))
    return tuple(found)


def to_utc(local: Ints, zone: str) -> Ints:
    """The UTC moment of each local time (both in seconds since 1970), shape (n,)."""
    guess = local - zone_offsets(local, zone)
    return local - zone_offsets(guess, zone)


def session_bars(bars: Bars, market: Market) -> tuple[Bars, Calendar, int]:
    """The bars inside the market's session, their calendar, and how many bars were left out."""
    day, _, inside = opening_clock(bars, market)
    left_out = int(inside.size - np.count_nonzero(inside))
    if left_out:
        bars, day = bars.take(inside), day[inside]
    return bars, _calendar(bars, day, market), left_out


def opening_clock(bars: Bars, market: Market) -> tuple[Ints, Ints, Bools]:
    """Of each bar its trading day, the local time of its opening in minutes from that day's midnight, and whether
    the session is open then; all of shape (n,). Dated bars have no time of the day: 0."""
    if bars.dated:
        day = bars.time // _DAY_S
        opens = np.zeros(day.size, np.int64)
        inside = np.ones(day.size, np.bool_)
    else:
        local = bars.time + zone_offsets(bars.time, market.zone)
        date, minute = local // _DAY_S, local % _DAY_S // 60
        day, inside = date.copy(), np.zeros(date.size, np.bool_)
        for part in market.ranges:
            for shift in (-1, 0, 1):  # the trading day may be the date before, of or after the local date
                relative = minute - shift * 1440
                here = (relative >= part.start) & (relative < part.end)
                day[here] = date[here] + shift
                inside |= here
        opens = (local - day * _DAY_S) // 60
    if bars.timeframe.minutes != WEEK_MINUTES and len(market.trading_weekdays) < 7:
        inside &= np.isin((day + 3) % 7, sorted(market.trading_weekdays))
    return day, opens, inside


def next_opening(last: int, after: int, timeframe: Timeframe, market: Market, dated: bool) -> int:
    """When the first bar after a moment opens inside the market's session, going on from a bar that opened at `last`.

    One timeframe on where the session is open for no bar in twelve days. Moments are seconds since 1970 UTC.
    """
    step = timeframe.seconds
    begin = last + step * (max(0, after - last) // step + 1)
    candidates = begin + step * np.arange(max(2, _LONGEST_BREAK_DAYS * _DAY_S // step), dtype=np.int64)
    blank = np.ones(candidates.size)
    inside = opening_clock(Bars(timeframe, candidates, blank, blank, blank, blank, blank, dated=dated), market)[2]
    return int(candidates[np.argmax(inside)]) if inside.any() else begin


def _calendar(bars: Bars, day: Ints, market: Market) -> Calendar:
    starts = market.ranges[0].start * 60
    ends = market.ranges[-1].end * 60
    last_weekday = max(market.trading_weekdays)
    closing_day = day
    if bars.timeframe.minutes == WEEK_MINUTES:
        closing_day = (day + 3) // 7 * 7 - 3 + last_weekday
    days, position = _distinct(closing_day)
    day_start = to_utc(days * _DAY_S + starts, market.zone)[position]
    day_end = to_utc(days * _DAY_S + ends, market.zone)[position]
    opens = day_start if bars.dated else bars.time
    close_time = np.minimum(opens + bars.timeframe.seconds, day_end)
    if not bars.timeframe.is_intraday:
        close_time = day_end
    local_close = close_time + zone_offsets(close_time, market.zone)
    close_minute = local_close % _DAY_S // 60
    local_open = opens + zone_offsets(opens, market.zone)
    ends_day = close_time >= day_end
    return Calendar(
        day=day,
        close_time=close_time,
        open_minute=(local_open - day * _DAY_S) // 60,
        close_day_minute=(local_close - day * _DAY_S) // 60,
        close_minute=np.where(close_minute == 0, 1440, close_minute),
        session_minute=(close_time - day_start) // 60,
        ends_day=ends_day,
        ends_week=ends_day & ((closing_day + 3) % 7 == last_weekday),
    )


def _distinct(rising: Ints) -> tuple[Ints, Ints]:
    """The distinct values of a rising series, and for each element which of them it is."""
    fresh = np.empty(rising.size, np.bool_)
    fresh[:1] = True
    np.not_equal(rising[1:], rising[:-1], out=fresh[1:])
    return rising[fresh], np.cumsum(fresh) - 1


def resample(bars: Bars, calendar: Calendar, market: Market, timeframe: Timeframe) -> Bars:
    """Session bars gathered into a higher timeframe, aligned to the session day's start.

    Reads `bars` and their `calendar` (same length). A higher bar never spans trading days (a week: ISO weeks of
    trading days), carries its scheduled open time, and exists only where there were bars. Extra columns keep
    their last value.
    """
    return gathered(bars, calendar, market, timeframe)[0]


def gathered(bars: Bars, calendar: Calendar, market: Market, timeframe: Timeframe) -> tuple[Bars, Calendar]:
    """Session bars gathered as `resample` does, and their calendar.

    Every bar is inside exactly one higher bar, one whose scheduled opening lies in a break of the session too: it
    belongs to the trading day of the bars in it.
    """
    if timeframe == bars.timeframe or len(bars) == 0:
        return bars, calendar
    days, position = _distinct(calendar.day)
    day_start = to_utc(days * _DAY_S + market.ranges[0].start * 60, market.zone)
    group = calendar.week if timeframe.minutes == WEEK_MINUTES else position
    length = timeframe.seconds if timeframe.is_intraday else 0
    made = np.empty((5, len(bars)))
    times, last = np.empty(len(bars), np.int64), np.empty(len(bars), np.int64)
    count = _gather(
        bars.time, group, position, day_start, length, int(bars.dated),
        bars.open, bars.high, bars.low, bars.close, bars.volume, made, times, last,
    )  # fmt: skip
    opens, highs, lows, closes, volumes = (row[:count].copy() for row in made)
    extra = {name: values[last[:count]] for name, values in bars.columns.items()}
    opened = times[:count].copy()
    found = Bars(timeframe, opened, opens, highs, lows, closes, volumes, columns=extra, dated=bars.dated)
    first = np.concatenate(([0], last[: count - 1] + 1))
    return found, _calendar(found, calendar.day[first], market)


@njit(cache=True, nogil=True)
def _gather(time, group, position, day_start, length, dated, opens, highs, lows, closes, volumes, made, times, last):
    """Higher bars in one pass: a new one where the group changes, or, within a day, the stretch of `length` seconds."""
    count = 0
    stretch = 0
    for i in range(time.size):
        begins = day_start[position[i]]
        here = (time[i] - begins) // length if length else 0
        if i == 0 or group[i] != group[i - 1] or here != stretch:
            made[0, count] = opens[i]
            made[1, count] = highs[i]
            made[2, count] = lows[i]
            made[4, count] = 0.0
            times[count] = begins + here * length if length or not dated else time[i]
            stretch = here
            count += 1
        row = count - 1
        made[1, row] = max(made[1, row], highs[i])
        made[2, row] = min(made[2, row], lows[i])
        made[3, row] = closes[i]
        made[4, row] += volumes[i]
        last[row] = i
    return count
