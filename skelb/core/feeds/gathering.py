"""Bars of several markets on one account: a moment is decided on once all of them have said what they had in it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from skelb.core.bars import Market, Timeframe, next_opening
from skelb.core.feeds.intake import Intake, Taken
from skelb.core.feeds.words import BarSaid, Clock, Gap, Word


@dataclass
class _Heard:
    """One market: what it said, and up to which opening it has nothing more to say."""

    market: Market
    intake: Intake
    newest: int
    upto: int
    waiting: list[BarSaid] = field(default_factory=list)


class Gathering:
    """Closed bars of markets, let through moment by moment; a moment is when bars open, seconds since 1970 UTC.

    It is let through once each market has closed a bar of it or of a later one, or cannot have one any more: a later
    one forms, its session is closed, the feed says that bars are missing, or the feed's clock has passed their close.
    Bars of a moment that was let through are late. Of one market each closed bar is let through at once.

    newest : when the newest bar of each market before the feed's opens; through : what was let through already
    """

    def __init__(
        self, markets: Sequence[Market], timeframe: Timeframe, dated: bool, newest: Mapping[str, int], through: int
    ) -> None:
        self.timeframe, self.through, self._dated = timeframe, through, dated
        self._of: dict[str, _Heard] = {}
        for market in markets:
            last = newest[market.symbol]
            intake = Intake(market.symbol, timeframe, through)
            self._of[market.symbol] = _Heard(market, intake, last, max(last, through))

    def know(self, bar: BarSaid) -> None:
        """Remember a bar that was taken before, bars of each market in order; it waits again if it did then."""
        heard = self._of[bar.market]
        heard.intake.know(bar.time, bar.values)
        heard.newest = max(heard.newest, bar.time)
        heard.upto = max(heard.upto, bar.time)
        if bar.time > self.through:
            heard.intake.pass_by(bar.time)
            heard.waiting.append(bar)

    def take(self, word: Word) -> Taken:
        """What becomes of a word; closed bars that are `taken` wait to be let through."""
        if isinstance(word, Clock):
            for heard in self._of.values():
                heard.upto = max(heard.upto, word.time - self.timeframe.seconds)
            return Taken("clock")
        if not isinstance(word, BarSaid | Gap) or word.market not in self._of:
            return Taken("other")
        heard = self._of[word.market]
        found = heard.intake.take(word)
        if isinstance(word, Gap) and found.kind == "gap" and word.first <= self._next_opening(heard):
            heard.upto = max(heard.upto, word.last - 1)
        elif found.kind == "forming" and found.bar is not None:
            heard.upto = max(heard.upto, found.bar.time - 1)
        elif found.kind == "taken" and found.bar is not None:
            heard.newest = max(heard.newest, found.bar.time)
            heard.upto = max(heard.upto, found.bar.time)
            heard.waiting.append(found.bar)
        return found

    def let_through(self) -> list[BarSaid]:
        """The bars that wait no longer, by time, then as the markets are given."""
        opened = [bar.time for heard in self._of.values() for bar in heard.waiting]
        if not opened:
            return []
        upto = min(self._heard_upto(heard, max(opened)) for heard in self._of.values())
        found = [bar for heard in self._of.values() for bar in heard.waiting if bar.time <= upto]
        if found:
            self.through = max(bar.time for bar in found)
            for heard in self._of.values():
                heard.waiting = [bar for bar in heard.waiting if bar.time > upto]
                heard.intake.pass_by(self.through)
        return sorted(found, key=lambda bar: bar.time)

    def standing(self, market: str) -> BarSaid | None:
        """The bar that a market is in: the first that waits, or the one that forms."""
        heard = self._of[market]
        return heard.waiting[0] if heard.waiting else heard.intake.forming

    def awaited(self) -> list[str]:
        """The markets that the others wait for."""
        opened = [bar.time for heard in self._of.values() for bar in heard.waiting]
        return [
            name for name, heard in self._of.items() if opened and self._heard_upto(heard, min(opened)) < min(opened)
        ]

    def _heard_upto(self, heard: _Heard, moment: int) -> int:
        """Up to which opening a market has nothing more to say; its session is looked at where that is before
        `moment`."""
        return heard.upto if heard.upto >= moment else max(heard.upto, self._next_opening(heard) - 1)

    def _next_opening(self, heard: _Heard) -> int:
        return next_opening(heard.newest, heard.upto, self.timeframe, heard.market, self._dated)
