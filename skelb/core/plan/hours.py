"""When entries are allowed and when everything is closed: windows, months, dates, flat times, nights."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bools, Ints, Market
from skelb.core.language.tree import Dates, Flat, Months, Window
from skelb.core.plan.columns import Block, Flag
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.terms import Terms

_DAY_MINUTES = 1440
_PAST_MIDNIGHT = _DAY_MINUTES + 1


@dataclass(frozen=True, eq=False)
class Hours:
    """What the hours raise on every bar, shape (n,): bits of `Flag`, and `Block` where the BLOCKED bit is among
    them; `ahead` are the flat times, minutes of the day, that come before every bar."""

    flags: NDArray[np.uint8]
    blocks: NDArray[np.uint8]
    ahead: tuple[float, ...] = ()


@dataclass(frozen=True)
class _Asked:
    """The rules about hours with their times filled in, minutes of the day; equal ones give equal hours.

    windows : weekdays and ranges of each; flats : a time of the day, `session` or `week`; nights : whether they cost
    """

    windows: tuple[tuple[tuple[int, ...], tuple[tuple[float, float], ...]], ...]
    months: tuple[int, ...]
    dates: tuple[tuple[int, int], ...]
    flats: tuple[float | str, ...]
    zone: str | None
    nights: bool


def hours_of(terms: Terms) -> Hours:
    """BLOCKED, FLAT_OPEN, FLAT_CLOSE and NIGHT where they hold; worked out once for all runs that ask the same."""
    market, constant = terms.market, terms.expressions.constant
    asked = _Asked(
        tuple(
            (rule.days, tuple((constant(start), constant(end)) for start, end in rule.times))
            for rule in terms.of_kind(Window)
        ),
        tuple(sorted({month for rule in terms.of_kind(Months) for month in rule.months})),
        tuple((rule.first, rule.last) for rule in terms.of_kind(Dates)),
        tuple(rule.until if rule.at is None else constant(rule.at) for rule in terms.of_kind(Flat)),
        terms.checked.zone,
        bool(market.financing_long or market.financing_short),
    )
    memo, dataset = terms.dataset.memo, terms.dataset
    found = memo.value(memo.number(("hours", asked)), lambda: _laid(asked, dataset))
    return Hours(found["flags"], found["blocks"], tuple(found["ahead"].tolist()))


def _laid(asked: _Asked, dataset: Dataset) -> Mapping[str, NDArray[np.generic]]:
    flags, blocks = np.zeros(len(dataset), np.uint8), np.zeros(len(dataset), np.uint8)
    allowed = _allowed(asked, dataset)
    if allowed is not None:
        flags[~allowed] |= np.uint8(Flag.BLOCKED)
        blocks[~allowed] = Block.WINDOW
    ahead = _lay_flats(asked, dataset, flags, blocks)
    if asked.nights:
        flags[dataset.calendar.starts_day] |= np.uint8(Flag.NIGHT)
    return {"flags": flags, "blocks": blocks, "ahead": np.array(ahead, np.float64)}


def _allowed(asked: _Asked, dataset: Dataset) -> Bools | None:
    """Where entries are allowed: of each kind of rule that is there one must let them; None without any."""
    day = dataset.calendar.day
    kinds: list[Bools] = []
    if asked.windows:
        clock = _clock(asked, dataset)
        weekday = dataset.calendar.weekday
        kinds.append(np.logical_or.reduce([_inside(days, times, weekday, clock) for days, times in asked.windows]))
    if asked.months:
        month = day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
        kinds.append(np.isin(month, asked.months))
    if asked.dates:
        kinds.append(np.logical_or.reduce([(day >= first) & (day <= last) for first, last in asked.dates]))
    return np.logical_and.reduce(kinds) if kinds else None


def _clock(asked: _Asked, dataset: Dataset) -> Ints:
    calendar = dataset.calendar
    return calendar.close_minute if asked.zone is None else calendar.close_minute_in(asked.zone)


def _inside(days: tuple[int, ...], times: tuple[tuple[float, float], ...], weekday: Ints, clock: Ints) -> Bools:
    inside = np.isin(weekday, days) if days else np.ones(weekday.size, np.bool_)
    ranges = []
    for low, high in times:
        # Midnight is 24:00 where a window ends, and the close at that moment is inside.
        after, before = clock >= low, clock < (_PAST_MIDNIGHT if high % _DAY_MINUTES == 0 else high)
        ranges.append(after | before if 0 < high <= low else after & before)
    return inside & np.logical_or.reduce(ranges) if ranges else inside


def _lay_flats(asked: _Asked, dataset: Dataset, flags: NDArray[np.uint8], blocks: NDArray[np.uint8]) -> list[float]:
    """Raise what flat times raise; returns the times that come before every bar."""
    calendar, ahead = dataset.calendar, list[float]()
    new_day = calendar.starts_day.copy()
    new_day[:1] = False
    for flat in asked.flats:
        if flat == "week":
            new_week = np.concatenate(([False], calendar.week[1:] != calendar.week[:-1]))[: len(dataset)]
            _raise_flat(flags, blocks, new_week, calendar.ends_week, calendar.ends_week)
        elif flat == "session":
            _raise_flat(flags, blocks, new_day, calendar.ends_day, calendar.ends_day)
        else:
            opens_after, closes_after = _after(float(flat), asked.zone, dataset)
            _raise_flat(flags, blocks, new_day | opens_after, calendar.ends_day, closes_after)
            if opens_after.all():
                ahead.append(float(flat))
    return ahead


def _after(clock: float, zone: str | None, dataset: Dataset) -> tuple[Bools, Bools]:
    """Which bars open, and which close, at or after a time of a zone on their trading day."""
    calendar = dataset.calendar
    if zone is None:
        at = _trading_minute(clock, dataset.market)
        return calendar.open_minute >= at, calendar.close_day_minute >= at
    begins = calendar.close_time - calendar.session_minute * 60
    moment = calendar.moment_of_session(begins, dataset.market.session_minutes, clock, zone)
    opens = begins if dataset.bars.dated else dataset.bars.time
    return opens >= moment, calendar.close_time >= moment


def _trading_minute(clock: float, market: Market) -> float:
    """A clock time in minutes from the trading day's midnight, for sessions that cross midnight too."""
    start, end = market.ranges[0].start, market.ranges[-1].end
    if start < 0 and clock >= start + 1440:
        return clock - 1440
    if end > 1440 and clock < start:
        return clock + 1440
    return clock


def _raise_flat(
    flags: NDArray[np.uint8], blocks: NDArray[np.uint8], at_open: Bools, at_close: Bools, blocked: Bools
) -> None:
    flags[at_open] |= np.uint8(Flag.FLAT_OPEN)
    flags[at_close] |= np.uint8(Flag.FLAT_CLOSE)
    blocks[blocked & (blocks == Block.NONE)] = Block.FLAT
    flags[blocked] |= np.uint8(Flag.BLOCKED)
