"""What bars tell of their market: the least step of its prices, its days and its hours; each with the reason."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars.bars import Bars, Floats, Ints
from skelb.core.bars.calendar import zone_offsets
from skelb.core.bars.market import WEEKDAYS
from skelb.core.bars.timeframes import WEEK_MINUTES

_STEPS = [scale * part for scale in (1.0, 0.1, 0.01, 1e-3, 1e-4, 1e-5, 1e-6, 1e-7, 1e-8) for part in (1.0, 0.5, 0.25)]
_MOST_PLACES = 10
_FEWEST_PRICES = 30
_MOST_PRICES = 50_000
_FEWEST_DAYS = 10
_FEWEST_DAYS_OF_SUMMER = 40
_SUMMER_ZONES = (  # one for each way of summer time and each offset: bars do not tell two of a kind apart
    "Europe/London", "Europe/Berlin", "Europe/Athens",
    "America/New_York", "America/Chicago", "America/Los_Angeles", "Australia/Sydney",
)  # fmt: skip
_USUAL_OPENING = 9 * 60 + 15  # what of several zones comes nearest to it is taken
_SELDOM = 0.2  # of the days; what is rarer does not belong to the session
_DAY_S, _DAY_MINUTES = 86_400, 1440


@dataclass(frozen=True, slots=True)
class Guess:
    """A setting of a market, by the key of its JSON, as its bars suggest it, and why."""

    key: str
    value: float | str
    reason: str


def guess_market(bars: Bars, zone: str = "UTC") -> list[Guess]:
    """What can be told from the bars, clocks read in a zone; what cannot be told is not guessed.

    tick : the largest of 1, 0.5, 0.25, 0.1, … that all prices are whole multiples of; of thirty different prices or
        more
    days : weekdays with at least a fifth as many bars as the fullest; of ten days or more
    zone : where the first bar of the day moves by an hour through the year, the zone in which it does not, of those
        whose first bar is then nearest to a quarter past nine; of bars shorter than a day, read as UTC, that span
        forty days and more on each side of a change
    session : from the first to the last time of the day at which bars open on a fifth of the days, in that zone; of
        bars shorter than a day
    lot_step : 1 where the market is closed for part of the day, as what is traded in whole units is
    """
    found = [_tick(bars)]
    if len(bars) and bars.timeframe.minutes < WEEK_MINUTES:
        moved = _zone(bars) if zone == "UTC" and bars.timeframe.is_intraday else None
        found.append(moved)
        zone = zone if moved is None else str(moved.value)
        local = bars.time if bars.dated else bars.time + zone_offsets(bars.time, zone)
        dates = np.unique(local // _DAY_S)
        if dates.size >= _FEWEST_DAYS:
            found.append(_days(local // _DAY_S))
            session = _session(local, bars.timeframe.minutes) if bars.timeframe.is_intraday else None
            found.append(session)
            if session is not None:
                found.append(Guess("lot_step", 1.0, "closed for part of the day, as what is traded in whole units"))
    return [guess for guess in found if guess is not None]


def _tick(bars: Bars) -> Guess | None:
    step = len(bars) // _MOST_PRICES + 1
    prices = np.unique(np.concatenate([price[::step] for price in (bars.open, bars.high, bars.low, bars.close)]))
    if prices.size < _FEWEST_PRICES:
        return None
    for tick in _STEPS:
        if _fits(prices, tick):
            return Guess("tick", tick, _endings(prices, tick))
    return None


def decimal_tick(bars: Bars) -> float:
    """1 in the last decimal place that any price uses, zeros at the end left out, at most 10 places."""
    prices = (bars.open, bars.high, bars.low, bars.close)
    for places in range(_MOST_PLACES):
        if all((np.round(price, places) == price).all() for price in prices):
            return float(f"1e-{places}")
    return float(f"1e-{_MOST_PLACES}")


def _fits(prices: Floats, tick: float) -> bool:
    off = np.abs(prices - np.round(prices / tick) * tick)
    exact = 1e-12 * max(float(np.abs(prices).max()), 1.0)  # what a written price may be off its decimal
    return tick > 100.0 * exact and bool((off <= exact).all())


def _endings(prices: Floats, tick: float) -> str:
    if tick == 1.0:
        return "prices are whole numbers"
    written = f"{tick:.8f}".rstrip("0")
    digits = len(written.partition(".")[2])
    ends = sorted({f"{price:.{digits}f}".partition(".")[2] for price in prices})
    if len(ends) <= 4:
        return f"prices end in {' '.join('.' + end for end in ends)}"
    return f"prices are multiples of {written}"


def _days(dates: Ints) -> Guess | None:
    counts = np.bincount((dates + 3) % 7, minlength=7)
    there = counts >= _SELDOM * counts.max()
    if there.all():
        return None
    first, last = int(np.argmax(there)), 6 - int(np.argmax(there[::-1]))
    if there[first : last + 1].all():
        days = f"{WEEKDAYS[first]}-{WEEKDAYS[last]}" if last > first else WEEKDAYS[first]
    else:
        days = ",".join(name for name, here in zip(WEEKDAYS, there, strict=True) if here)
    absent = ", ".join(name for name, here in zip(WEEKDAYS, there, strict=True) if not here)
    return Guess("days", days, f"no bars, or next to none, on {absent}")


def _zone(bars: Bars) -> Guess | None:
    opens = bars.time[np.flatnonzero(np.diff(bars.time // _DAY_S, prepend=-1))]  # the first bar of every day
    if _opening(opens)[1] >= opens.size - _FEWEST_DAYS_OF_SUMMER:
        return None
    best: tuple[int, str, int] | None = None
    for zone in _SUMMER_ZONES:
        opening, often = _opening(opens + zone_offsets(opens, zone))
        if often >= 0.95 * opens.size and (best is None or abs(opening - _USUAL_OPENING) < best[0]):
            best = abs(opening - _USUAL_OPENING), zone, opening
    if best is None:
        return None
    _, zone, opening = best
    return Guess("zone", zone, f"days begin at {_clock(opening)} all year there, and not in UTC")


def _opening(opens: Ints) -> tuple[int, int]:
    """The time of day, in minutes, at which most days begin, and how many of them do."""
    counts = np.bincount(opens % _DAY_S // 60, minlength=_DAY_MINUTES)
    return int(np.argmax(counts)), int(counts.max())


def _session(local: Ints, minutes: int) -> Guess | None:
    slots = -(-_DAY_MINUTES // minutes)
    slot, date = local % _DAY_S // 60 // minutes, local // _DAY_S
    counts = np.bincount(np.unique(date * slots + slot) % slots, minlength=slots)
    there = counts >= _SELDOM * counts.max()
    if there.all():
        return None
    open_slots = np.flatnonzero(there)
    closed_after = np.diff(np.append(open_slots, open_slots[0] + slots)) - 1
    last = int(np.argmax(closed_after))  # the longest stretch without bars is the night, over midnight or not
    closes = (int(open_slots[last]) + 1) * minutes % _DAY_MINUTES
    opens = int(open_slots[(last + 1) % open_slots.size]) * minutes
    return Guess(
        "session",
        f"{_clock(opens)}-{_clock(closes or _DAY_MINUTES)}",
        f"no bars between {_clock(closes)} and {_clock(opens)}",
    )


def _clock(minutes: int) -> str:
    return f"{minutes // 60:02d}:{minutes % 60:02d}"
