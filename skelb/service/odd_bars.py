"""Stored bars that deserve a look, left out of every run and brought back."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.bars import Bars, Ints, Oddity, find_oddities, odd_times
from skelb.core.errors import SettingsError
from skelb.service.library import Library, StoredBars, StoredMarket
from skelb.service.settings import changed_market

MOST_STRETCHES = 100
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


def odd_bars(library: Library, symbol: str, described: Mapping[str, object] | None = None) -> OddBars:
    """The odd bars of a market, of one that is `described` otherwise. Raises SkelbError when that cannot be."""
    stored = library.market(symbol)
    market = changed_market(stored.settings, described or {}).market(symbol)
    bars = library.bars(stored.shortest)
    return OddBars(find_oddities(bars, market), bars.left_out.size, _stretches(bars))


def leave_out(
    library: Library,
    symbol: str,
    kind: OddKind | None,
    begins: int | None,
    ends: int | None,
    described: Mapping[str, object] | None = None,
) -> StoredMarket:
    """Leave bars of a market out of every run: those of a kind, those that open from one moment to another, or both.

    Raises SettingsError when there are none of them or none would be left.
    """
    stored = library.market(symbol)
    bars = library.bars(stored.shortest)
    market = changed_market(stored.settings, described or {}).market(symbol)
    times = _within(odd_times(kind, bars, market) if kind else bars.time, begins, ends)
    if kind is None and begins is None and ends is None:
        raise SettingsError("say which bars to leave out: a kind, or from when to when")
    if not times.size:
        raise SettingsError(f"{symbol} has no such bars: nothing was left out")
    if times.size == len(bars):
        raise SettingsError(f"that would leave no bar of {symbol}: nothing was left out")
    return _changed(library, stored.shortest, symbol, np.union1d(bars.left_out, times))


def bring_back(library: Library, symbol: str, begins: int | None = None, ends: int | None = None) -> StoredMarket:
    """Use bars again that were left out: those that open from one moment to another, or all.

    Raises SettingsError when none of them is left out.
    """
    shortest = library.market(symbol).shortest
    left_out = library.bars(shortest).left_out
    times = _within(left_out, begins, ends)
    if not times.size:
        raise SettingsError(f"no bar of {symbol} is left out there")
    return _changed(library, shortest, symbol, np.setdiff1d(left_out, times))


def _changed(library: Library, bars: StoredBars, symbol: str, left_out: Ints) -> StoredMarket:
    library.leave_out(bars, left_out)
    return library.market(symbol)


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
