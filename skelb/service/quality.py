"""The quality of stored bars: what deserves a look, what is left out of every run and brought back."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.bars import Bars, Ints, Oddity, Timeframe, find_oddities, odd_times, trading_days_of
from skelb.core.errors import SettingsError
from skelb.service.library import Library, StoredMarket
from skelb.service.settings import changed_market

MOST_STRETCHES = 100
_MOST_OTHERS = 12
_MOST_KNOWN = 200
Described = Mapping[str, object] | None  # changes of a market, by key of its JSON
OddKind = Literal["spike", "level", "idle"]
ODD_KINDS: tuple[OddKind, ...] = ("spike", "level", "idle")


@dataclass(frozen=True, slots=True)
class LeftOutStretch:
    """Neighbouring bars that are left out: when the first and the last open, seconds since 1970 UTC; how many."""

    begins: int
    ends: int
    count: int


@dataclass(frozen=True, slots=True)
class OddBars:
    """What deserves a look in the shortest bars that are stored of a market, and what is left out of them.

    `stretches` are the first hundred of the `left_out` bars.
    """

    oddities: list[Oddity]
    left_out: int
    stretches: list[LeftOutStretch]


class Quality:
    """Looks at what is stored of markets, and leaves bars out."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._known_days: dict[tuple[object, ...], Ints] = {}

    def look(self, symbol: str, described: Described = None) -> OddBars:
        """The odd bars of a market, of one that is `described` otherwise, beside the days of the first dozen others.

        Raises SkelbError when it cannot be.
        """
        stored = self._library.market(symbol)
        market = changed_market(stored.settings, described or {}).market(symbol)
        bars = self._library.bars(stored.shortest)
        others = [item for item in self._library.markets() if item.symbol != symbol and item.bars][:_MOST_OTHERS]
        found = find_oddities(bars, market, [self._days(item) for item in others])
        return OddBars(found, bars.left_out.size, _stretches(bars))

    def leave_out(
        self, symbol: str, kind: OddKind | None, begins: int | None, ends: int | None, described: Described = None
    ) -> StoredMarket:
        """Leave bars of a market out of every run: those of a kind, those that open in a time, or both.

        Raises SettingsError when there are none of them or none would be left.
        """
        if kind is None and begins is None and ends is None:
            raise SettingsError("say which bars to leave out: a kind, or from when to when")
        with self._library.writing:  # another window may leave out others at the same time
            stored = self._library.market(symbol)
            bars = self._library.bars(stored.shortest)
            market = changed_market(stored.settings, described or {}).market(symbol)
            times = _within(odd_times(kind, bars, market) if kind else bars.time, begins, ends)
            if not times.size:
                raise SettingsError(f"{symbol} has no such bars: nothing was left out")
            if times.size == len(bars):
                raise SettingsError(f"that would leave no bar of {symbol}: nothing was left out")
            return self._changed(stored, np.union1d(bars.left_out, times))

    def bring_back(self, symbol: str, begins: int | None = None, ends: int | None = None) -> StoredMarket:
        """Use bars again that were left out: those that open from one moment to another, or all.

        Raises SettingsError when none of them is left out.
        """
        with self._library.writing:
            stored = self._library.market(symbol)
            left_out = self._library.bars(stored.shortest).left_out
            times = _within(left_out, begins, ends)
            if not times.size:
                raise SettingsError(f"no bar of {symbol} is left out there")
            return self._changed(stored, np.setdiff1d(left_out, times))

    def _changed(self, stored: StoredMarket, left_out: Ints) -> StoredMarket:
        self._library.leave_out(stored.shortest, left_out)
        return self._library.market(stored.symbol)

    def _days(self, stored: StoredMarket) -> Ints:
        """The trading days of a market's shortest bars; found once for each version and session of them."""
        shortest, market = stored.shortest, stored.market
        key = shortest.id, market.zone, market.session, market.days
        found = self._known_days.get(key)
        if found is None:
            time = self._library.times(shortest)
            nothing = np.zeros(time.size)
            timeframe = Timeframe(shortest.timeframe_minutes)
            bars = Bars(timeframe, time, nothing, nothing, nothing, nothing, nothing, dated=not timeframe.is_intraday)
            if len(self._known_days) >= _MOST_KNOWN:
                self._known_days.clear()
            found = self._known_days[key] = trading_days_of(bars, market)
        return found


def _within(times: Ints, begins: int | None, ends: int | None) -> Ints:
    after = times if begins is None else times[times >= begins]
    return after if ends is None else after[after <= ends]


def _stretches(bars: Bars) -> list[LeftOutStretch]:
    times = bars.left_out
    between = np.searchsorted(bars.time, times)
    starts = np.flatnonzero(np.diff(between, prepend=-1))
    stops = np.append(starts, times.size)[1:]
    return [
        LeftOutStretch(int(times[start]), int(times[stop - 1]), int(stop - start))
        for start, stop in zip(starts[:MOST_STRETCHES], stops[:MOST_STRETCHES], strict=True)
    ]
