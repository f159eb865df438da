"""What an instrument is: its price grid, sessions and costs."""

import itertools
import re
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from zoneinfo import ZoneInfo

from skelb.core.errors import SettingsError

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")

_RANGE = re.compile(r"(\d{1,2}):(\d{2})\s*-\s*(\d{1,2}):(\d{2})")


@dataclass(frozen=True)
class SessionRange:
    """One stretch of a trading day, in minutes from that trading day's midnight in the market's zone.

    A stretch that began the evening before has a negative start; one that ends the morning after ends past 1440.
    """

    start: int
    end: int


def parse_session(text: str, session_day: str) -> tuple[SessionRange, ...]:
    """The ranges of a session such as `09:00-12:30,13:30-17:30`, in the order of the trading day.

    A range whose end is not after its start crosses midnight and belongs to the day its end falls on, or to
    its start's when `session_day` is "start". Raises SettingsError on anything else, and on overlaps.

    >>> parse_session("18:00-17:00", "end")
    (SessionRange(start=-360, end=1020),)
    """
    ranges = []
    for part in text.split(","):
        found = _RANGE.fullmatch(part.strip())
        if not found:
            raise SettingsError(f"session `{text}`: `{part.strip()}` is not a range such as 09:00-17:30")
        hours_a, minutes_a, hours_b, minutes_b = map(int, found.groups())
        start, end = hours_a * 60 + minutes_a, hours_b * 60 + minutes_b
        if start >= 1440 or end > 1440 or minutes_a > 59 or minutes_b > 59:
            raise SettingsError(f"session `{text}`: `{part.strip()}` holds a time that no clock shows")
        if end <= start:
            shift = 1440 if session_day == "end" else 0
            start, end = start - shift, end + 1440 - shift
        ranges.append(SessionRange(start, end))
    ranges.sort(key=lambda item: item.start)
    for earlier, later in itertools.pairwise(ranges):
        if later.start < earlier.end:
            raise SettingsError(f"session `{text}`: its ranges overlap")
    if ranges[-1].end - ranges[0].start > 1440:
        raise SettingsError(f"session `{text}`: a trading day cannot be longer than 24 hours")
    return tuple(ranges)


def is_zone(name: str) -> bool:
    """Whether a name, such as Europe/Berlin, is one of the time zone database."""
    try:
        ZoneInfo(name)
    except (OSError, ValueError, KeyError):
        return False
    return True


def parse_days(text: str) -> frozenset[int]:
    """The weekdays (Monday is 0) in a list such as `mon-thu, sat`; a range may run over the weekend.

    >>> sorted(parse_days("fri-mon"))
    [0, 4, 5, 6]
    """
    days: set[int] = set()
    for part in text.split(","):
        ends = [end.strip() for end in part.split("-")]
        if len(ends) > 2 or any(end not in WEEKDAYS for end in ends):
            raise SettingsError(f"days `{text}`: `{part.strip()}` is not a weekday or range such as mon-fri")
        first, last = WEEKDAYS.index(ends[0]), WEEKDAYS.index(ends[-1])
        days.update((first + step) % 7 for step in range((last - first) % 7 + 1))
    return frozenset(days)


@dataclass(frozen=True)
class Commission:
    """What one side of a trade pays: all parts added, at least the minimum (account currency)."""

    percent: float = 0.0
    per_unit: float = 0.0
    per_order: float = 0.0
    minimum: float = 0.0


@dataclass(frozen=True)
class Market:
    """An instrument's description. Prices and ticks are in price units, money in the account's currency.

    `currency_rate` is what one unit of the market's currency is in the account's: a number, or the symbol of another
    market whose close it is at every moment. `stated_spread_times` multiplies a spread that came with the bars.
    """

    symbol: str
    tick: float = 0.01
    pip: float | None = None
    point_value: float = 1.0
    lot_step: float = 0.000001
    min_lot: float = 0.000001
    zone: str = "UTC"
    session: str = "00:00-24:00"
    session_day: str = "end"
    days: str = "mon-sun"
    spread: float = 0.0
    spread_unit: str = "price"
    spread_by_hour: tuple[float, ...] | None = None
    stated_spread_times: float = 1.0
    quotes: str = "mid"
    financing_long: float = 0.0
    financing_short: float = 0.0
    triple_day: str | None = None
    currency_rate: float | str = 1.0
    commission: Commission | None = None

    @property
    def pip_size(self) -> float:
        """The pip in price units; where none is stated ten ticks of a tick with 3 or 5 decimals, else one tick."""
        if self.pip is not None:
            return self.pip
        decimals = -int(Decimal(str(self.tick)).normalize().as_tuple().exponent)
        return round(10 * self.tick, decimals) if decimals in (3, 5) else self.tick

    def __post_init__(self) -> None:
        numbers = ("tick", "point_value", "lot_step", "min_lot")
        for name in (*numbers, *(() if isinstance(self.currency_rate, str) else ("currency_rate",))):
            if not getattr(self, name) > 0:
                raise SettingsError(f"market {self.symbol}: {name} must be above 0, got {getattr(self, name)}")
        if self.pip is not None and not self.pip > 0:
            raise SettingsError(f"market {self.symbol}: pip must be above 0, got {self.pip}")
        hourly = self.spread_by_hour or ()
        if not self.spread >= 0 or any(not value >= 0 for value in hourly):
            raise SettingsError(f"market {self.symbol}: a spread cannot be negative")
        if hourly and len(hourly) != 24:
            raise SettingsError(f"market {self.symbol}: spread_by_hour lists 24 values, got {len(hourly)}")
        if self.triple_day is not None and self.triple_day not in WEEKDAYS:
            raise SettingsError(f"market {self.symbol}: triple_day is a weekday such as wed, got {self.triple_day}")
        for name, allowed in (
            ("spread_unit", ("price", "ticks", "percent")),
            ("quotes", ("mid", "bid")),
            ("session_day", ("end", "start")),
        ):
            if getattr(self, name) not in allowed:
                raise SettingsError(f"market {self.symbol}: {name} is one of {', '.join(allowed)}")
        if not is_zone(self.zone):
            raise SettingsError(f"market {self.symbol}: zone `{self.zone}` is not an Area/City name")
        _ = self.ranges, self.trading_weekdays

    @cached_property
    def decimals(self) -> int:
        """How many decimals a price on the tick grid has.

        >>> Market("M", tick=0.25).decimals
        2
        """
        return len(f"{self.tick:.10f}".rstrip("0").partition(".")[2])

    @cached_property
    def ranges(self) -> tuple[SessionRange, ...]:
        """The session's ranges in trading-day minutes."""
        return parse_session(self.session, self.session_day)

    @cached_property
    def session_minutes(self) -> int:
        """Minutes of clock from the session's beginning to its end, breaks among them."""
        return self.ranges[-1].end - self.ranges[0].start

    @cached_property
    def trading_weekdays(self) -> frozenset[int]:
        """The weekdays (Monday is 0) on which the market trades."""
        return parse_days(self.days)
