"""Datasets made from stored bars, the last few kept ready."""

from collections import OrderedDict
from collections.abc import Mapping
from functools import partial
from threading import Lock
from types import MappingProxyType

from skelb.core.bars import Bars, Timeframe
from skelb.core.errors import SettingsError
from skelb.core.plan import Dataset, make_dataset
from skelb.service.costs import dearer_market
from skelb.service.library import Library, StoredBars, StoredMarket
from skelb.service.settings import changed_market

MOST_KEPT = 4  # of any size
MOST_BARS_KEPT = 1_000_000  # of more than these, in all
Described = Mapping[str, object] | None  # changes of a market, by key of its JSON


class Datasets:
    """Hands out datasets by symbol and timeframe; a changed market or new bars make a new one."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._kept: OrderedDict[tuple[object, ...], Dataset] = OrderedDict()
        self._lock = Lock()

    def get(
        self,
        symbol: str,
        timeframe: Timeframe | None,
        costs: float = 1.0,
        described: Described = None,
        each: Mapping[str, Mapping[str, object]] = MappingProxyType({}),
    ) -> Dataset:
        """The dataset, of a market whose costs are so many times what they are, or that is `described` otherwise; the
        markets that it reads besides may be described otherwise too, `each` by its symbol.

        Raises SettingsError when no stored bars can give that timeframe.
        """
        stored = self._library.market(symbol)
        source = _source(stored, timeframe)
        wanted = timeframe or Timeframe(source.timeframe_minutes)
        # A script may look at other markets too, so new bars of any market make every dataset anew.
        settings = changed_market(stored.settings, described or each.get(symbol) or {})
        told = settings.model_dump_json(), repr(sorted(each.items()))
        key = (symbol, wanted.minutes, source.id, *told, costs, self._library.bars_revision())
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                market = settings.market(symbol)
                market = market if costs == 1.0 else dearer_market(market, costs)
                others = partial(self.get, costs=costs, each=each)
                found = make_dataset(self._library.bars(source), market, wanted, source.version, others)
                self._kept[key] = found
                while len(self._kept) > MOST_KEPT and sum(map(len, self._kept.values())) > MOST_BARS_KEPT:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(key)
            return found

    def bars(self, symbol: str, timeframe: Timeframe | None = None) -> Bars:
        """The bars that runs use of a market: the shortest as they are stored, or gathered in its session."""
        if timeframe is None:
            return self._library.bars(self._library.market(symbol).shortest)
        return self.get(symbol, timeframe).bars


def _source(stored: StoredMarket, timeframe: Timeframe | None) -> StoredBars:
    """The stored bars to build a timeframe from: the longest that fit, which are the fewest to read."""
    if timeframe is None:
        return stored.shortest
    fitting = [
        item
        for item in stored.bars
        if item.timeframe_minutes <= timeframe.minutes
        and (not timeframe.is_intraday or timeframe.minutes % item.timeframe_minutes == 0)
    ]
    if not fitting:
        have = ", ".join(str(Timeframe(item.timeframe_minutes)) for item in stored.bars)
        raise SettingsError(f"{timeframe} bars of {stored.symbol} cannot be built from what is stored: {have}")
    return fitting[-1]
