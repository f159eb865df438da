"""When entries are allowed and when everything is closed: windows, months, dates, flat times."""

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bools
from skelb.core.language.tree import Dates, Flat, Months, Window
from skelb.core.plan.columns import Block, Flag
from skelb.core.plan.terms import Terms


def lay_hours(terms: Terms, flags: NDArray[np.uint8], blocks: NDArray[np.uint8]) -> None:
    """Raise BLOCKED, FLAT_OPEN and FLAT_CLOSE where they hold; `blocks` says what stops entries there."""
    _lay_windows(terms, flags, blocks)
    _lay_flats(terms, flags, blocks)


def _lay_windows(terms: Terms, flags: NDArray[np.uint8], blocks: NDArray[np.uint8]) -> None:
    allowed: Bools | None = None
    windows, months = terms.of_kind(Window), terms.of_kind(Months)
    if windows:
        allowed = np.logical_or.reduce([_inside(window, terms) for window in windows])
    if months:
        named = sorted({month for rule in months for month in rule.months})
        of_bar = terms.calendar.day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
        within = np.isin(of_bar, named)
        allowed = within if allowed is None else allowed & within
    dates = terms.of_kind(Dates)
    if dates:
        day = terms.calendar.day
        within = np.logical_or.reduce([(day >= rule.first) & (day <= rule.last) for rule in dates])
        allowed = within if allowed is None else allowed & within
    if allowed is not None:
        flags[~allowed] |= np.uint8(Flag.BLOCKED)
        blocks[~allowed] = Block.WINDOW


def _inside(window: Window, terms: Terms) -> Bools:
    inside = np.ones(len(terms.dataset), np.bool_)
    if window.days:
        inside = np.isin(terms.calendar.weekday, window.days)
    if window.times:
        clock = (
            terms.calendar.close_minute
            if terms.checked.zone is None
            else terms.calendar.close_minute_in(terms.checked.zone)
        )
        ranges = []
        for start, end in window.times:
            low, high = terms.expressions.constant(start), terms.expressions.constant(end)
            after, before = clock >= low, clock < high
            ranges.append(after | before if high <= low else after & before)
        inside &= np.logical_or.reduce(ranges)
    return inside


def _lay_flats(terms: Terms, flags: NDArray[np.uint8], blocks: NDArray[np.uint8]) -> None:
    rules, calendar = terms.of_kind(Flat), terms.calendar
    if not rules:
        return
    new_day = calendar.starts_day.copy()
    new_day[:1] = False
    for rule in rules:
        if rule.until == "week":
            new_week = np.concatenate(([False], calendar.week[1:] != calendar.week[:-1]))[: len(terms.dataset)]
            _raise_flat(flags, blocks, new_week, calendar.ends_week, calendar.ends_week)
        elif rule.at is None:
            _raise_flat(flags, blocks, new_day, calendar.ends_day, calendar.ends_day)
        else:
            opens_after, closes_after = _after(terms.expressions.constant(rule.at), terms)
            _raise_flat(flags, blocks, new_day | opens_after, calendar.ends_day, closes_after)


def _after(clock: float, terms: Terms) -> tuple[Bools, Bools]:
    """Which bars open, and which close, at or after a time of the script's zone on their trading day."""
    calendar = terms.calendar
    if terms.checked.zone is None:
        at = _trading_minute(clock, terms)
        return calendar.open_minute >= at, calendar.close_day_minute >= at
    begins = calendar.close_time - calendar.session_minute * 60
    moment = calendar.first_moment(begins, clock, terms.checked.zone)
    opens = begins if terms.dataset.bars.dated else terms.dataset.bars.time
    return opens >= moment, calendar.close_time >= moment


def _trading_minute(clock: float, terms: Terms) -> float:
    """A clock time in minutes from the trading day's midnight, for sessions that cross midnight too."""
    start, end = terms.market.ranges[0].start, terms.market.ranges[-1].end
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
