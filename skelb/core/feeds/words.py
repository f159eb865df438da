"""The words of a feed: one JSON object a line, told apart by `say` (docs/guide/feed.md)."""

import json
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from skelb.core.bars import Timeframe
from skelb.core.errors import FeedError, SettingsError

PROTOCOL = 1
LONGEST_LINE = 100_000  # characters
_MOST_MARKETS = 1_000
_LATEST = 253_402_300_799  # the last second of the year 9999
_VALUES = ("open", "high", "low", "close")


@dataclass(frozen=True, slots=True)
class Offered:
    """Bars that a feed has: a market's symbol and a timeframe."""

    market: str
    timeframe: Timeframe


@dataclass(frozen=True, slots=True)
class Hello:
    """The first word: what the feed is called and what it offers."""

    name: str
    markets: tuple[Offered, ...]


@dataclass(frozen=True, slots=True)
class BarSaid:
    """A bar by the moment of its opening, seconds since 1970 UTC; one that is not closed is as it stands now."""

    market: str
    timeframe: Timeframe
    time: int
    open: float
    high: float
    low: float
    close: float
    volume: float
    is_closed: bool

    @property
    def values(self) -> tuple[float, float, float, float, float]:
        """Open, high, low, close, volume."""
        return self.open, self.high, self.low, self.close, self.volume


@dataclass(frozen=True, slots=True)
class Clock:
    """What time it is for the feed, seconds since 1970 UTC: everything up to it has been said."""

    time: int


@dataclass(frozen=True, slots=True)
class Gap:
    """Bars that open from `first` to before `last` are not coming: the feed does not have them."""

    market: str
    timeframe: Timeframe
    first: int
    last: int


Word = Hello | BarSaid | Clock | Gap


def read_word(line: str) -> Word:
    """A line of a feed. Raises FeedError with what is wrong in it and how it should be."""
    if len(line) > LONGEST_LINE:
        raise FeedError(f"a line has {len(line):,} characters, at most {LONGEST_LINE:,} are read")
    try:
        found = json.loads(line)
    except (ValueError, RecursionError) as exc:
        raise FeedError(f"a line is no JSON object: `{line[:60]}`") from exc
    if not isinstance(found, dict):
        raise FeedError(f"a line is no JSON object: `{line[:60]}`")
    read = _READERS.get(str(found.get("say")))
    if read is None:
        raise FeedError(f"`say` is one of {', '.join(_READERS)}, not `{str(found.get('say'))[:40]}`")
    return read(found)


def written(word: Word) -> str:
    """A word as its line, without the line's end."""
    match word:
        case Hello():
            offered = [{"market": item.market, "timeframe": str(item.timeframe)} for item in word.markets]
            told: dict[str, Any] = {"say": "hello", "protocol": PROTOCOL, "name": word.name, "markets": offered}
        case BarSaid():
            told = {"say": "bar", "market": word.market, "timeframe": str(word.timeframe), "time": word.time}
            told |= {"open": word.open, "high": word.high, "low": word.low, "close": word.close}
            told |= {"volume": word.volume, "closed": word.is_closed}
        case Clock():
            told = {"say": "clock", "time": word.time}
        case Gap():
            told = {"say": "gap", "market": word.market, "timeframe": str(word.timeframe)}
            told |= {"from": word.first, "to": word.last}
    return json.dumps(told)


def _hello(found: Mapping[str, Any]) -> Hello:
    protocol = found.get("protocol")
    if protocol != PROTOCOL:
        raise FeedError(f"this feed speaks protocol {str(protocol)[:20]}, here {PROTOCOL} is understood")
    markets = found.get("markets")
    if not isinstance(markets, list) or not markets or len(markets) > _MOST_MARKETS:
        raise FeedError("`markets` of the hello is a list of {market, timeframe}, at least one")
    offered = tuple(Offered(*_place(item if isinstance(item, dict) else {})) for item in markets)
    return Hello(str(found.get("name", ""))[:200], offered)


def _bar(found: Mapping[str, Any]) -> BarSaid:
    market, timeframe = _place(found)
    time, closed = _moment(found, "time"), found.get("closed")
    if not isinstance(closed, bool):
        raise FeedError("`closed` of a bar is true or false")
    first, high, low, last = (_number(found, name) for name in _VALUES)
    volume = _number(found, "volume") if found.get("volume") is not None else 0.0
    if not (low <= min(first, last) and high >= max(first, last)):
        raise FeedError(
            f"a bar's high is its highest and its low its lowest price: {first:g}, {high:g}, {low:g}, {last:g}"
        )
    return BarSaid(market, timeframe, time, first, high, low, last, volume, closed)


def _clock(found: Mapping[str, Any]) -> Clock:
    return Clock(_moment(found, "time"))


def _gap(found: Mapping[str, Any]) -> Gap:
    return Gap(*_place(found), _moment(found, "from"), _moment(found, "to"))


_READERS: dict[str, Callable[[Mapping[str, Any]], Word]] = {"hello": _hello, "bar": _bar, "clock": _clock, "gap": _gap}


def _place(found: Mapping[str, Any]) -> tuple[str, Timeframe]:
    market, timeframe = found.get("market"), found.get("timeframe")
    if not isinstance(market, str) or not 0 < len(market) <= 64:
        raise FeedError("`market` is the symbol of a market, at most 64 characters")
    try:
        return market, Timeframe.parse(str(timeframe))
    except SettingsError as exc:
        raise FeedError(str(exc)) from exc


def _moment(found: Mapping[str, Any], name: str) -> int:
    value = found.get(name)
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value <= _LATEST:
        raise FeedError(f"`{name}` is a whole number, seconds since 1970 UTC, not `{str(value)[:40]}`")
    return value


def _number(found: Mapping[str, Any], name: str) -> float:
    value = found.get(name)
    if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value) or abs(value) > 1e15:
        raise FeedError(f"`{name}` of a bar is a number, not `{str(value)[:40]}`")
    return float(value)
