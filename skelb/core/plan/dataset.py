"""Bars made ready to run on: session bars of one market and timeframe, their calendar and memo."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from functools import cached_property
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bars, Bools, Calendar, Floats, Ints, Market, Timeframe, gathered, session_bars
from skelb.core.catalogue import NONE_TRIED, UNKNOWN, Frame
from skelb.core.errors import BarsError, SettingsError
from skelb.core.language import Checked
from skelb.core.plan.memo import Memo

_MOST_SCRIPTS = 3


@dataclass(frozen=True, eq=False)
class Shared:
    """What the runs of one script on a dataset share, by the values of the inputs that it stands on.

    numbers : of definitions, their memo numbers; rules : laid out but for conditions and amounts, the last few
    """

    checked: Checked
    numbers: dict[tuple[Hashable, ...], tuple[int, ...]] = field(default_factory=dict)
    rules: dict[tuple[Hashable, ...], Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Dataset:
    """One market's session bars on one timeframe; `outside` of the stored bars lay outside the session.

    `tried` : as `Frame.tried`
    """

    market: Market
    bars: Bars
    calendar: Calendar
    outside: int = 0
    data_version: int = 0
    memo: Memo = field(default_factory=Memo)
    stored: Bars | None = None
    others: "Others | None" = None
    tried: Bools = field(default_factory=lambda: NONE_TRIED)
    _higher: dict[Timeframe, "HigherBars"] = field(default_factory=dict)
    _others: dict[tuple[str, Timeframe], "HigherBars"] = field(default_factory=dict)
    _shared: OrderedDict[int, Shared] = field(default_factory=OrderedDict)
    _lock: Lock = field(default_factory=Lock)

    @property
    def frame(self) -> Frame:
        """What the catalogue computes from."""
        return Frame(self.bars, self.calendar, self.market, self.tried)

    def __len__(self) -> int:
        return len(self.bars)

    def apart(self) -> "Dataset":
        """The same bars, and longer ones as far as they are made, with nothing computed yet: what is computed on it
        goes when it goes."""
        return Dataset(
            self.market,
            self.bars,
            self.calendar,
            self.outside,
            self.data_version,
            stored=self.stored,
            others=self.others,
            _higher={timeframe: found.apart() for timeframe, found in list(self._higher.items())},
        )

    def shared(self, checked: Checked) -> Shared:
        """What all runs of a script here share; of the last few scripts it is kept."""
        with self._lock:  # the script is held with it, so that its identity stays its own
            found = self._shared.setdefault(id(checked), Shared(checked))
            self._shared.move_to_end(id(checked))
            while len(self._shared) > _MOST_SCRIPTS:
                self._shared.popitem(last=False)
            return found

    @cached_property
    def pieces(self) -> tuple[Floats, Ints]:
        """The stored bars inside the session that these were built from.

        Open, high, low, close, shape (4, p), and the end of each bar's among them, shape (n,).
        """
        finer, calendar, _ = session_bars(self.stored or self.bars, self.market)
        prices = np.stack((finer.open, finer.high, finer.low, finer.close))
        return prices, np.searchsorted(calendar.close_time, self.calendar.close_time, side="right")

    def higher(self, timeframe: Timeframe) -> "HigherBars":
        """This market on a longer timeframe, built from the stored bars, and which of its bars each bar here can see.

        Raises SettingsError when the timeframe is shorter than this one, or cannot be built.
        """
        found = self._higher.get(timeframe)
        if found is None:
            if timeframe < self.bars.timeframe:
                raise SettingsError(
                    f"`on {timeframe}` is finer than the {self.bars.timeframe} bars of this run: use a longer timeframe"
                )
            dataset = make_dataset(self.stored or self.bars, self.market, timeframe, self.data_version, self.others)
            seen = np.searchsorted(dataset.calendar.close_time, self.calendar.close_time, side="right") - 1
            found = self._kept(self._higher, timeframe, HigherBars(dataset, seen))
        return found

    def other(self, symbol: str, timeframe: Timeframe) -> "HigherBars":
        """Another market's bars, and which of them each bar here can see.

        Raises SettingsError when the timeframe is finer than this one or no other markets are at hand, and what
        the provider raises when there is no such market.
        """
        if timeframe < self.bars.timeframe:
            raise SettingsError(
                f'`from "{symbol}" on {timeframe}` is finer than the {self.bars.timeframe} bars of this run'
            )
        found = self._others.get((symbol, timeframe))
        if found is None:
            if self.others is None:
                raise SettingsError(
                    f"the bars of `{symbol}` are not at hand: give them besides those of {self.market.symbol}"
                )
            dataset = self.others(symbol, timeframe)
            seen = np.searchsorted(dataset.calendar.close_time, self.calendar.close_time, side="right") - 1
            found = self._kept(self._others, (symbol, timeframe), HigherBars(dataset, seen))
        return found

    def _kept(self, table: dict[Any, "HigherBars"], key: Hashable, made: "HigherBars") -> "HigherBars":
        # The first stays when two threads made one: the numbers of its memo stand in this dataset's expressions, and
        # have to mean the same for as long as this dataset lives.
        with self._lock:
            return table.setdefault(key, made)


Others = Callable[[str, Timeframe], Dataset]


@dataclass(frozen=True, eq=False)
class HigherBars:
    """Bars of a longer timeframe or another market; `seen` is the latest one closed at or before each bar's close, -1
    for none."""

    dataset: Dataset
    seen: Ints

    def apart(self) -> "HigherBars":
        """The same bars with nothing computed yet."""
        return HigherBars(self.dataset.apart(), self.seen)

    def align(self, values: NDArray[Any]) -> NDArray[Any]:
        """Values of the higher bars as each lower bar sees them, unknown before the first close; dtype of `values`."""
        unknown = UNKNOWN if values.dtype == np.int8 else np.nan
        return np.where(self.seen >= 0, values[np.maximum(self.seen, 0)], np.asarray(unknown, values.dtype))


def make_dataset(
    stored: Bars,
    market: Market,
    timeframe: Timeframe | None = None,
    data_version: int = 0,
    others: Others | None = None,
) -> Dataset:
    """The dataset of stored bars on `timeframe` (the bars' own when None); `others` hands out other markets.

    Raises SettingsError when the timeframe cannot be built from the stored one, BarsError when no bar lies in
    the session.
    """
    wanted = timeframe or stored.timeframe
    if wanted < stored.timeframe:
        raise SettingsError(f"the bars of {market.symbol} are {stored.timeframe}: {wanted} is finer than that")
    if wanted.is_intraday and wanted.minutes % stored.timeframe.minutes:
        raise SettingsError(f"{wanted} bars cannot be built from {stored.timeframe} bars: it is not a multiple")
    bars, calendar, outside = session_bars(stored, market)
    if len(bars) == 0:
        raise BarsError(f"{market.symbol} has no bar inside its session {market.session} on {market.days}")
    if wanted != stored.timeframe:
        bars, calendar = gathered(bars, calendar, market, wanted)
    return Dataset(market, bars, calendar, outside, data_version, stored=stored, others=others)
