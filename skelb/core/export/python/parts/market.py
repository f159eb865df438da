"""The market and its bars: the clock and the session of every bar, higher bars, a file of bars."""

import copy
import csv
import math
from collections import Counter
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

DAY = 1440  # minutes
WEEK = 7 * DAY
WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


@dataclass(frozen=True)
class Market:
    """The instrument. Prices are mids unless `quotes_are_bids`; money is in the account's currency.

    `session` lists its ranges in minutes from the trading day's midnight in `zone`; a range that begins the evening
    before begins below 0. `weekdays` are those on which it trades, Monday is 0.
    """

    symbol: str
    tick: float
    pip: float
    point_value: float  # money per unit when price moves by 1, currency rate included
    lot_step: float
    min_lot: float
    zone: str
    session: tuple[tuple[int, int], ...]
    weekdays: tuple[int, ...]
    spread: float  # a column `spread` of the bars comes before it
    spread_unit: str
    quotes_are_bids: bool
    spread_by_hour: tuple[float, ...] = ()  # if spread_by_hour
    financing_long: float = 0.0  # if financing
    financing_short: float = 0.0  # if financing
    triple_day: str = ""  # if financing

    def rounded(self, price: float) -> float:
        """The price on the tick grid."""
        steps = math.floor(abs(price) / self.tick + 0.5 + 1e-9)
        ones = round(1 / self.tick)
        is_whole = ones >= 1 and abs(1 / self.tick - ones) < 1e-9 * ones
        return math.copysign(steps / ones if is_whole else steps * self.tick, price) if price else 0.0


@dataclass(frozen=True)
class Row:
    """A bar as it stands in a file: its open time in seconds since 1970 UTC, prices, volume, further columns."""

    time: int
    open: float
    high: float
    low: float
    close: float
    volume: float
    columns: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Bar(Row):
    """A bar inside the session, with what the clock and the session say of it. Minutes are those of the zone."""

    number: int = 0
    day: date = date.min  # the trading day
    closes: int = 0  # seconds since 1970 UTC
    opens_minute: int = 0  # from the trading day's midnight
    closes_minute: int = 0
    clock: int = 0  # at the close, 1 to 1440
    minutes_into_session: int = 0
    ends_day: bool = False
    ends_week: bool = False
    first_of_day: bool = False
    first_of_week: bool = False
    first_of_month: bool = False

    @property
    def mid(self) -> float:
        return (self.high + self.low) / 2

    @property
    def typical(self) -> float:
        return (self.high + self.low + self.close) / 3

    @property
    def weekday(self) -> str:
        return WEEKDAYS[self.day.weekday()]

    @property
    def month(self) -> str:
        return MONTHS[self.day.month - 1]


class Calendar:
    """Puts rows of one timeframe (minutes) into the market's trading days."""

    def __init__(self, market: Market, minutes: int) -> None:
        self.market, self.minutes, self.zone = market, minutes, ZoneInfo(market.zone)
        self.last: Bar | None = None

    def next(self, row: Row) -> Bar | None:
        """The row as a bar; None when it is outside the session."""
        day = self.trading_day(row)
        if day is None:
            return None
        self.last = self.described(row, day, self.last)
        return self.last

    def trading_day(self, row: Row) -> date | None:
        """The trading day of a row; None outside the session."""
        if self.minutes >= DAY:
            day = datetime.fromtimestamp(row.time, UTC).date()
            return day if self.minutes >= WEEK or day.weekday() in self.market.weekdays else None
        local = self.local(row.time)
        minute, found = local.hour * 60 + local.minute, None
        for shift in (-1, 0, 1):  # the trading day may be the date before, of or after the local date
            if any(start <= minute - shift * DAY < end for start, end in self.market.session):
                found = local.date() + timedelta(days=shift)
        return found if found and found.weekday() in self.market.weekdays else None

    def described(self, row: Row, day: date, before: Bar | None) -> Bar:
        """A row of a trading day as a bar; `before` is the one before it."""
        last_weekday = max(self.market.weekdays)
        closing_day = day + timedelta(days=last_weekday - day.weekday()) if self.minutes >= WEEK else day
        begins = self.moment(closing_day, self.market.session[0][0])
        ends = self.moment(closing_day, self.market.session[-1][1])
        opens = begins if self.minutes >= DAY else row.time
        closes = ends if self.minutes >= DAY else min(opens + self.minutes * 60, ends)
        midnight, local_close = datetime(day.year, day.month, day.day), self.local(closes)
        last_day = before.day if before else date.min
        return Bar(
            row.time, row.open, row.high, row.low, row.close, row.volume, row.columns,
            number=before.number + 1 if before else 0,
            day=day,
            closes=closes,
            opens_minute=(self.local(opens) - midnight) // timedelta(minutes=1),
            closes_minute=(local_close - midnight) // timedelta(minutes=1),
            clock=local_close.hour * 60 + local_close.minute or DAY,
            minutes_into_session=(closes - begins) // 60,
            ends_day=closes >= ends,
            ends_week=closes >= ends and closing_day.weekday() == last_weekday,
            first_of_day=day != last_day,
            first_of_week=day.isocalendar()[:2] != last_day.isocalendar()[:2],
            first_of_month=(day.year, day.month) != (last_day.year, last_day.month),
        )  # fmt: skip

    def local(self, moment: int) -> datetime:
        """What clocks of the zone show."""
        return datetime.fromtimestamp(moment, self.zone).replace(tzinfo=None)

    def moment(self, day: date, minute: int) -> int:
        """When clocks of the zone show so many minutes from a day's midnight, seconds since 1970 UTC."""
        return moment_in(datetime(day.year, day.month, day.day) + timedelta(minutes=minute), self.zone)


def moment_in(local: datetime, zone: ZoneInfo) -> int:
    """When clocks of a zone show a time, seconds since 1970 UTC."""
    shown = int(local.replace(tzinfo=UTC).timestamp())
    return shown - offset_at(shown - offset_at(shown, zone), zone)


def offset_at(moment: int, zone: ZoneInfo) -> int:
    """Seconds that clocks of a zone are ahead of UTC at a moment."""
    return int((datetime.fromtimestamp(moment, zone).utcoffset() or timedelta()).total_seconds())


def clock_in(bar: Bar, zone: ZoneInfo) -> int:
    """Clock time of a bar's close in another zone, 1 to 1440 minutes."""
    local = datetime.fromtimestamp(bar.closes, zone)
    return local.hour * 60 + local.minute or DAY


def moment_of_session(bar: Bar, market: Market, minute: float, zone: ZoneInfo) -> int:
    """When clocks of a zone show a time of day in the bar's session, seconds since 1970 UTC.

    A session on one date there has a time before it; one that crosses midnight there has none before.
    """
    begins = bar.closes - bar.minutes_into_session * 60
    local = datetime.fromtimestamp(begins, zone).replace(tzinfo=None)
    ends = local + timedelta(minutes=market.session[-1][1] - market.session[0][0], seconds=-1)
    wanted = datetime(local.year, local.month, local.day) + timedelta(minutes=int(minute))
    return moment_in(wanted + timedelta(days=1) if wanted < local and ends.date() != local.date() else wanted, zone)


CLOCK = ("day", "closes", "opens_minute", "closes_minute", "clock", "minutes_into_session")


class Gatherer:
    """Gathers bars into higher ones, aligned to the session day's start; they never span trading days."""

    def __init__(self, market: Market, minutes: int) -> None:
        self.minutes, self.calendar = minutes, Calendar(market, minutes)
        self.place: tuple[object, ...] = ()
        self.bars: list[Bar] = []  # of the higher bar that forms
        self.last: Bar | None = None  # the newest closed one

    def closed_by(self, bar: Bar) -> list[Bar]:
        """The higher bars that close with a bar, oldest first."""
        closed, place = [], self.place_of(bar)
        if place != self.place and self.bars:
            closed.append(self.forming())
        if place != self.place:
            self.place, self.bars = place, []
        if closed:
            self.last = closed[-1]
        self.bars.append(bar)
        forming = self.forming()
        if forming.closes <= bar.closes:
            closed.append(forming)
            self.last, self.bars = forming, []
        return closed

    def place_of(self, bar: Bar) -> tuple[object, ...]:
        """Which higher bar a bar belongs to."""
        if self.minutes >= WEEK:
            return bar.day.isocalendar()[:2]
        return (bar.day, self.stretch_of(bar)) if self.minutes < DAY else (bar.day,)

    def stretch_of(self, bar: Bar) -> int:
        """Number of the higher bar in its trading day."""
        return (bar.time - bar.closes + bar.minutes_into_session * 60) // (self.minutes * 60)

    def forming(self) -> Bar:
        """The higher bar of the bars so far."""
        bars, first = self.bars, self.bars[0]
        begins = first.closes - first.minutes_into_session * 60
        time = begins + self.stretch_of(first) * self.minutes * 60 if self.minutes < DAY else begins
        high, low, volume = max(bar.high for bar in bars), min(bar.low for bar in bars), sum(bar.volume for bar in bars)
        row = Row(time, first.open, high, low, bars[-1].close, volume, bars[-1].columns)
        return self.calendar.described(row, first.day, self.last)

    def ended_by(self, moment: int) -> list[Bar]:
        """The higher bar that is over by a moment though no bar of the next one has come."""
        if not self.bars or self.forming().closes > moment:
            return []
        self.last, self.bars = self.forming(), []
        return [self.last]


class Elsewhere:
    """Another market's bars, as they are read, gathered into those of a timeframe; each is seen once it has closed."""

    def __init__(self, read: list[Bar], market: Market, minutes: int) -> None:
        self.read, self.gatherer = read, Gatherer(market, minutes)
        self.place = 0  # of the next one

    def closed_by(self, bar: Bar) -> list[Bar]:
        """The bars that have closed when a bar does, oldest first."""
        closed = []
        while self.place < len(self.read) and self.read[self.place].closes <= bar.closes:
            closed += self.gatherer.closed_by(self.read[self.place])
            self.place += 1
        return closed + self.gatherer.ended_by(bar.closes)


def with_forming(closed: Any, gatherer: Gatherer) -> Any:
    """What computes on closed higher bars as it would stand if the bar that forms closed now."""
    if not gatherer.bars:
        return closed
    shared = {id(part): part for part in (closed.inputs, closed.market)}
    now = copy.deepcopy(closed, shared)
    newest = gatherer.bars[-1]
    clock = {name: getattr(newest, name) for name in CLOCK}  # it is as late as it is
    now.on_bar(replace(gatherer.forming(), **clock))
    return now


def read_bars(path: Path) -> tuple[list[Row], int]:
    """The rows of a CSV file `time,open,high,low,close,volume` and their timeframe in minutes, the commonest step.

    Times are ISO 8601, UTC where they have no offset. Raises ValueError on a line that is no bar, with its number.
    """
    rows = []
    with path.open(newline="", encoding="utf-8-sig") as file:
        for line, found in enumerate(csv.DictReader(file), 2):
            try:
                rows.append(read_row({str(name).strip().lower(): value for name, value in found.items()}))
            except (KeyError, ValueError, TypeError, AttributeError) as exc:
                raise ValueError(f"{path.name} line {line} is no bar: {exc}") from exc
    if not rows:
        raise ValueError(f"{path.name} holds no bar")
    rows.sort(key=lambda row: row.time)
    minutes = timeframe_of(rows)
    if minutes >= DAY:
        rows = [replace(row, time=row.time // 86_400 * 86_400) for row in rows]
    return rows, minutes


def read_row(found: dict[str, str]) -> Row:
    """A row of a file by the names of its columns."""
    when = datetime.fromisoformat(found.pop("time").strip())
    time = int((when if when.tzinfo else when.replace(tzinfo=UTC)).timestamp())
    prices = [float(found.pop(name)) for name in ("open", "high", "low", "close")]
    volume = float(found.pop("volume", "0") or "0")
    columns = {name: as_number(value) for name, value in found.items()}
    return Row(time, prices[0], prices[1], prices[2], prices[3], volume, columns)


def as_number(text: str) -> float:
    """A further column's value; unknown where it is no number."""
    try:
        return float(text)
    except (TypeError, ValueError):
        return math.nan


def timeframe_of(rows: list[Row]) -> int:
    """The commonest step between rows in minutes; 23 to 25 hours are a day."""
    steps = Counter(b.time - a.time for a, b in pairwise(rows))
    most = max(steps.values(), default=0)
    seconds = min((step for step, count in steps.items() if count == most), default=DAY * 60)
    if 23 * 3600 <= seconds <= 25 * 3600:
        return DAY
    if abs(seconds - WEEK * 60) <= 3600:
        return WEEK
    if seconds <= 0 or seconds % 60 or seconds > DAY * 60:
        raise ValueError(f"the commonest step between bars is {seconds} seconds: it must be whole minutes up to a day")
    return seconds // 60


def decimal_tick(rows: list[Row]) -> float:
    """1 in the last decimal place that any price uses, at most 10 places."""
    prices = [price for row in rows for price in (row.open, row.high, row.low, row.close)]
    places = next((n for n in range(10) if all(round(price, n) == price for price in prices)), 10)
    return float(f"1e-{places}")


def trading_minute(market: Market, minute: float) -> float:
    """A time of day in minutes from the trading day's midnight, for sessions that cross midnight too."""
    start, end = market.session[0][0], market.session[-1][1]
    if start < 0 and minute >= start + DAY:
        return minute - DAY
    return minute + DAY if end > DAY and minute < start else minute


def column(bar: Bar, name: str) -> float:
    """A further column that came with the bars. Raises ValueError when there is none of that name."""
    if name not in bar.columns:
        listed = ", ".join(bar.columns) or "no further columns"
        raise ValueError(f"the bars have no column `{name}`; they have {listed}")
    return bar.columns[name]


def spread_of(bar: Bar, market: Market) -> float:
    """The spread on a bar in price units; percent is of the close."""
    spread = bar.columns.get("spread", market.spread)
    if market.spread_unit == "ticks":
        return spread * market.tick
    return spread / 100 * bar.close if market.spread_unit == "percent" else spread


def pip_of(tick: float) -> float:
    """The pip where none is stated: ten ticks of a tick with 3 or 5 decimals, else one tick."""
    places = len(f"{tick:.10f}".rstrip("0").partition(".")[2])
    return round(10 * tick, places) if places in (3, 5) else tick
