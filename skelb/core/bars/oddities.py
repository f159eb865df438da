"""Stored bars that are no mistake to Skelb, yet deserve a look before a result is believed."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.bars.bars import Bars, Bools, Floats, Ints
from skelb.core.bars.calendar import opening_clock
from skelb.core.bars.market import Market

Kind = Literal["gap", "absent", "outside", "spike", "level", "idle"]

SPIKE_REACH = 10.0  # times the usual range, beyond both neighbours
SLICES = 48
MOST_PLACES = 20
_FEWEST_OTHERS = 2
_NEAR = 64  # bars whose middle range is the usual one


@dataclass(frozen=True, slots=True)
class OddPlace:
    """Where: from a bar's opening to another's, seconds since 1970 UTC; and how much, in the kind's unit."""

    begins: int
    ends: int
    size: float


@dataclass(frozen=True, slots=True)
class Oddity:
    """One kind, how often it is there, and its greatest places, the greatest first.

    gap : bars missing between two of one trading day, the breaks of the session and what was left out aside; size in
        minutes
    absent : trading days without a bar on which at least two and at least half of the other markets that were open
        then traded; size in days, placed from the bar before to the bar after
    outside : bars outside the session, which no run uses; size in bars
    spike : a bar that reaches beyond both its neighbours by ten usual ranges and more; size in usual ranges (the
        middle range of 64 bars about it, at least a tick)
    level : bars whose high is their low; size in bars
    idle : bars without volume, where there is volume elsewhere; size in bars

    `slices` counts the places in 48 equal parts of the stored time, to be drawn small.
    """

    kind: Kind
    count: int
    places: list[OddPlace]
    slices: list[int]


def find_oddities(bars: Bars, market: Market, others: Sequence[Ints] = ()) -> list[Oddity]:
    """Every kind that is there at all, in the order of the kinds; of the bars as they are stored, in any session.

    others : int64, the trading days of other markets, rising, in days since 1970
    """
    if len(bars) == 0:
        return []
    day, minute, inside = opening_clock(bars, market)
    used = bars.take(inside)
    found: list[Oddity | None] = [
        _gaps(used, day[inside], minute[inside], market),
        _absent(used, day[inside], market, others),
        _stretches("outside", bars, ~inside),
        _spikes(used, market.tick),
        _stretches("level", used, _level(used)),
        _stretches("idle", used, _idle(used)),
    ]
    return [oddity for oddity in found if oddity is not None]


def odd_times(kind: Literal["spike", "level", "idle"], bars: Bars, market: Market) -> Ints:
    """When the bars of a kind open, seconds since 1970 UTC; of those that a run uses."""
    used = bars.take(opening_clock(bars, market)[2])
    if kind == "spike":
        return used.time[_spike_sizes(used, market.tick) >= SPIKE_REACH]
    return used.time[_level(used) if kind == "level" else _idle(used)]


def _level(used: Bars) -> Bools:
    return used.high == used.low


def _idle(used: Bars) -> Bools:
    return (used.volume == 0) & used.volume.any()


def _gaps(bars: Bars, day: Ints, minute: Ints, market: Market) -> Oddity | None:
    if not bars.timeframe.is_intraday:
        return None
    from_, to = minute[:-1] + bars.timeframe.minutes, minute[1:]
    missing = np.diff(bars.time) // 60 - bars.timeframe.minutes  # by the moment: clocks may be put forward in between
    for before, after in zip(market.ranges, market.ranges[1:], strict=False):
        missing = missing - np.maximum(np.minimum(to, after.start) - np.maximum(from_, before.end), 0)
    # A bar that somebody left out is not missing.
    missing -= np.diff(np.searchsorted(bars.left_out, bars.time)) * bars.timeframe.minutes
    before_it = np.flatnonzero((day[1:] == day[:-1]) & (missing > 0))
    return _told("gap", bars, before_it, before_it + 1, missing[before_it].astype(float))


def trading_days_of(bars: Bars, market: Market) -> Ints:
    """The days on which bars open inside the session, rising, in days since 1970."""
    day, _, inside = opening_clock(bars, market)
    return np.unique(day[inside])


def _absent(bars: Bars, day: Ints, market: Market, others: Sequence[Ints]) -> Oddity | None:
    if not len(bars):
        return None
    every = np.arange(day[0], day[-1] + 1)
    open_then, traded = np.zeros(every.size), np.zeros(every.size)
    for days in others:
        if days.size:
            open_then += (every >= days[0]) & (every <= days[-1])
            traded += np.isin(every, days)
    missed = (traded >= _FEWEST_OTHERS) & (traded >= 0.5 * open_then)
    missed &= ~np.isin(every, day) & np.isin((every + 3) % 7, sorted(market.trading_weekdays))
    if not missed.any():
        return None
    after = np.searchsorted(day, every[missed])  # days of one hole have one bar behind them
    holes, sizes = np.unique(after, return_counts=True)
    return _told("absent", bars, holes - 1, holes, sizes.astype(float), int(missed.sum()))


def _spikes(bars: Bars, tick: float) -> Oddity | None:
    sizes = _spike_sizes(bars, tick)
    at = np.flatnonzero(sizes >= SPIKE_REACH)
    return _told("spike", bars, at, at, sizes[at])


def _spike_sizes(bars: Bars, tick: float) -> Floats:
    """How far each bar reaches beyond both its neighbours, in usual ranges; shape (n,)."""
    high, low = bars.high, bars.low
    beyond = np.zeros(len(bars))
    beyond[1:-1] = np.maximum(
        high[1:-1] - np.maximum(high[:-2], high[2:]),
        np.minimum(low[:-2], low[2:]) - low[1:-1],
    )
    return beyond / _usual(high - low, tick) if len(bars) else beyond


def _usual(ranges: Floats, tick: float) -> Floats:
    """The middle range of the bars about each, by blocks of them, at least a tick; shape (n,)."""
    whole = ranges.size // _NEAR * _NEAR
    middles = np.median(ranges[:whole].reshape(-1, _NEAR), axis=1)
    if whole < ranges.size:
        middles = np.append(middles, np.median(ranges[-_NEAR:]))
    return np.maximum(np.repeat(middles, _NEAR)[: ranges.size], tick)


def _stretches(kind: Kind, bars: Bars, odd: Bools) -> Oddity | None:
    """Neighbouring bars that are odd, as one place; counted by the bar."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], odd, [False])).astype(np.int8)))
    starts, stops = edges[::2], edges[1::2] - 1
    return _told(kind, bars, starts, stops, (stops - starts + 1).astype(float), int(np.count_nonzero(odd)))


def _told(kind: Kind, bars: Bars, first: Ints, last: Ints, sizes: Floats, count: int | None = None) -> Oddity | None:
    if first.size == 0:
        return None
    greatest = np.argsort(-sizes, kind="stable")[:MOST_PLACES]
    begins, ends = bars.time[first], bars.time[last]
    span = max(int(bars.time[-1] - bars.time[0]), 1)
    slices = np.bincount((begins - bars.time[0]) * (SLICES - 1) // span, minlength=SLICES)
    return Oddity(
        kind,
        first.size if count is None else count,
        [OddPlace(int(begins[at]), int(ends[at]), float(sizes[at])) for at in greatest],
        [int(number) for number in slices],
    )
