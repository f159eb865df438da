"""What is taken of a feed: closed bars in rising order, each once; what comes late or otherwise is told, not taken."""

from collections import OrderedDict
from dataclasses import dataclass
from typing import Literal

from skelb.core.bars import Timeframe
from skelb.core.feeds.words import BarSaid, Clock, Gap, Hello, Word

Kind = Literal["taken", "forming", "doubled", "corrected", "late", "gap", "clock", "other"]
_MOST_KNOWN = 5_000  # newest bars whose values are remembered


@dataclass(frozen=True, slots=True)
class Taken:
    """What became of a word: `taken` closed bars are decided on; `corrected` and `late` ones came after that.

    bar : the bar it was about, None for others
    """

    kind: Kind
    bar: BarSaid | None = None


class Intake:
    """One market's closed bars of one timeframe from a feed, after those that are there already (`last` opens newest).

    A closed bar that opens after the newest is taken, however many are missing before it. One that is there already is
    `doubled`, or `corrected` where its values differ; one that opens earlier and was not there is `late`. Nothing of
    these rewrites what was taken. A bar that still forms shows while it opens after the newest.
    """

    def __init__(self, market: str, timeframe: Timeframe, last: int | None = None) -> None:
        self.market, self.timeframe, self.last = market, timeframe, last
        self.forming: BarSaid | None = None
        self._known: OrderedDict[int, tuple[float, ...]] = OrderedDict()

    def know(self, time: int, values: tuple[float, ...]) -> None:
        """Remember a bar that was taken before."""
        self._known[time] = values
        while len(self._known) > _MOST_KNOWN:
            self._known.popitem(last=False)

    def pass_by(self, time: int) -> None:
        """Bars that open up to a moment are late from now on."""
        self.last = time if self.last is None else max(self.last, time)
        if self.forming is not None and self.forming.time <= self.last:
            self.forming = None

    def take(self, word: Word) -> Taken:
        """What becomes of a word."""
        match word:
            case Hello():
                return Taken("other")
            case Clock():
                return Taken("clock")
            case Gap():
                return Taken("gap" if (word.market, word.timeframe) == (self.market, self.timeframe) else "other")
            case BarSaid() if (word.market, word.timeframe) != (self.market, self.timeframe):
                return Taken("other")
            case BarSaid():
                return self._bar(word)

    def _bar(self, bar: BarSaid) -> Taken:
        is_new = self.last is None or bar.time > self.last
        if is_new and not bar.is_closed:
            if self.forming is not None and bar.time < self.forming.time:
                return Taken("late", bar)
            self.forming = bar
            return Taken("forming", bar)
        if is_new:
            self.know(bar.time, bar.values)
            self.pass_by(bar.time)
            return Taken("taken", bar)
        known = self._known.get(bar.time)
        if known is None or not bar.is_closed:
            return Taken("late", bar)
        return Taken("doubled" if known == bar.values else "corrected", bar)
