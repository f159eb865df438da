"""One practice at work: words of its feed in, bars and what happened with them stored, how it stands at any time."""

import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from threading import Event, Lock, Thread

import numpy as np

from skelb.core.bars import PRICES, Bars
from skelb.core.engine import Outcome, Reason, run_basket
from skelb.core.engine.ledger import Rows
from skelb.core.errors import FeedAwayError, FeedError, SkelbError
from skelb.core.export import Preview
from skelb.core.feeds import BarSaid, Clock, Gap, Gathering, Taken, Word
from skelb.core.plan import make_dataset, make_plan
from skelb.core.practice import FEWEST_TRADES, Drift, Following, Ledger, NextStep, SoFar, drift_of
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.practice.feeds import (
    Address,
    GrowingFile,
    MadeBars,
    Replay,
    Said,
    addressed,
    growing,
    made,
    replayed,
)
from skelb.service.practice.store import NewEvent, PracticeStore, StoredPractice
from skelb.service.prepared import Prepared
from skelb.store import StoreError

_TICK_S = 0.25  # between two looks at what came, where much comes
_MOST_AT_ONCE = 400
WorkedOut = tuple[Preview, list[NextStep], Drift]
_PATIENCE = 4.0  # of its own time a practice rests at most between two looks, so that others have their turn


@dataclass
class Troubles:
    """What the feed did that is not taken, counted since this program follows it."""

    late: int = 0
    corrected: int = 0
    doubled: int = 0
    gaps: int = 0
    refused: int = 0
    lost: int = 0
    last: str = ""


@dataclass
class _Batch:
    """What some words come to: bars to store, events of the feed, whether anything that is shown changed."""

    bars: list[BarSaid] = field(default_factory=list)
    events: list[NewEvent] = field(default_factory=list)
    is_forming: bool = False


class Follower:
    """A practice in memory: what it is made of, the bars so far, and, while it is followed, a thread of its own."""

    def __init__(self, number: int, store: PracticeStore, library: Library, datasets: Datasets) -> None:
        """Raises SkelbError when the practice cannot be read or run any more."""
        self.stored: StoredPractice = store.get(number)
        self._store, self._library, self._datasets = store, library, datasets
        self.prepared: Prepared = self.stored.setup.prepared(library, datasets).sound()
        self.markets = {dataset.market.symbol: dataset for dataset in self.prepared.datasets}
        timeframe = self.prepared.dataset.bars.timeframe
        self._histories = store.histories(number, timeframe)
        taken, through = store.bars(number), self.stored.through
        self._gathering = Gathering(
            [dataset.market for dataset in self.markets.values()],
            timeframe,
            self.prepared.dataset.bars.dated,
            {symbol: int(bars.time[-1]) for symbol, bars in self._histories.items()},
            through,
        )
        for bar in taken:
            self._gathering.know(bar)
        self._resumed = taken[-1].time if taken else None  # what the feed says again of before is no fault of it
        self._bars = _joined(self._histories, [bar for bar in taken if bar.time <= through])
        self.clock = taken[-1].time + timeframe.seconds if taken else self.stored.since
        self.troubles = Troubles()
        self._told: set[str] = set()
        self.worked_out: dict[str, tuple[Following, WorkedOut]] = {}
        self._until = Event()
        self._thread: Thread | None = None
        self._lock = Lock()
        self._tested: list[Outcome] | None = None
        self.following = self._followed(self._bars)
        self.awaited = self._gathering.awaited()
        self._outside = self._now_outside(self.drift(self.following))

    # --- at work -----------------------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Follow the feed in a thread of its own until it is ended or the feed is."""
        self._until.clear()
        self._thread = Thread(target=self._follow, daemon=True)
        self._thread.start()

    @property
    def is_at_work(self) -> bool:
        """Whether its feed is being followed."""
        thread = self._thread  # another thread may take it away between two looks
        return thread is not None and thread.is_alive()

    def end(self) -> None:
        """Follow no more; what was taken is stored."""
        self._until.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _follow(self) -> None:
        state, message = "stopped", "the feed has come to its end"
        try:
            self._take([])  # what a stop cut short between a bar and its events
            waiting: list[Said] = []
            looked, cost = time.monotonic(), 0.0
            for said in self._words():
                if self._until.is_set():
                    break
                if said is not None:
                    waiting.append(said)
                now = time.monotonic()
                is_due = now - looked >= max(_TICK_S, min(_PATIENCE, cost)) or len(waiting) >= _MOST_AT_ONCE
                if waiting and (said is None or is_due):
                    self._take(waiting)
                    waiting, looked = [], time.monotonic()
                    cost = looked - now
            if not self._until.is_set():
                self._take(waiting)
        except (SkelbError, StoreError) as exc:
            state, message = "failed", str(exc)
        except Exception as exc:  # noqa: BLE001 - the practice fails, not the program
            state, message = "failed", f"this should not have happened: {type(exc).__name__}: {exc}"
        if not self._until.is_set():
            self._end_as(state, message)

    def _end_as(self, state: str, message: str) -> None:
        try:
            self._store.put(self.stored.number, state, message)
            self.stored = self._store.get(self.stored.number)
        except SkelbError:  # nobody can be told later: whoever looks now is
            self.stored = replace(self.stored, state=state, message=message)

    def _words(self) -> Iterator[Said]:
        feed, datasets, after = self.stored.feed, self.prepared.datasets, self._gathering.through
        match feed:
            case Replay():
                return replayed(datasets, after, feed.pace, self._until)
            case MadeBars():
                return made(datasets, feed.seed, after, feed.pace, self._until)
            case GrowingFile():
                return growing(Path(feed.path), datasets, self._until)
            case Address():
                return addressed(feed.url, self._until)

    def _take(self, words: Sequence[Said]) -> None:
        batch = _Batch()
        for word in words:
            match word:
                case None:
                    pass
                case FeedAwayError():
                    self.troubles.last = str(word)
                case FeedError():
                    self.troubles.refused += 1
                    self.troubles.last = str(word)
                case "lost" | "back":
                    self._lost(word, batch)
                case _:
                    self._word(word, batch)
        decided = self._gathering.let_through()
        self.awaited = self._gathering.awaited()
        if words and not (decided or batch.bars or batch.events or batch.is_forming):
            return
        bars = _joined(self._bars, decided)
        following = self._followed(bars)
        events = [
            NewEvent(item.key, item.kind, item.market, item.opened, item.time, item.text)
            for item in following.happenings()
            if item.key not in self._told
        ]
        if following.trade_count != self.following.trade_count:
            events += self._drifted(following)
        if decided or batch.bars or batch.events or events:
            self._store.take(self.stored.number, batch.bars, [*events, *batch.events], self._gathering.through)
        self._told.update(event.key for event in events)
        self._bars, self.following = bars, following

    def _word(self, word: Word, batch: _Batch) -> None:
        taken = self._gathering.take(word)
        if isinstance(word, Clock):
            self.clock = max(self.clock, word.time)
        bar = taken.bar
        if bar is not None and taken.kind in ("taken", "forming"):
            ends = bar.time + bar.timeframe.seconds if bar.is_closed else bar.time
            self.clock = max(self.clock, ends)
        match taken.kind:
            case "taken" if bar is not None:
                batch.bars.append(bar)
            case "forming":
                batch.is_forming = True
            case "doubled" if bar is not None:
                self.troubles.doubled += self._resumed is None or bar.time > self._resumed
            case "gap" if isinstance(word, Gap):
                self.troubles.gaps += 1
                text = "bars are missing: the feed does not have them"
                batch.events.append(self._of_feed("gap", word.market, word.first, text))
            case "late" | "corrected" if bar is not None and bar.is_closed:
                self._too_late(taken, batch)
            case _:
                pass

    def _drifted(self, following: Following) -> list[NewEvent]:
        """Figures that have left their bands with the newest trade, once there are trades enough to say so."""
        outside = self._now_outside(self.drift(following))
        bar = self._gathering.through
        fresh = [
            NewEvent(f"{bar}.5.drift.{key}", "drift", "", bar, following.time, f"{key.replace('_', ' ')} left its band")
            for key in sorted(outside - self._outside)
        ]
        self._outside = outside
        return fresh

    @staticmethod
    def _now_outside(drift: Drift) -> set[str]:
        """The figures outside their bands; none while there are too few trades to say so."""
        return {band.key for band in drift.bands if band.is_outside and drift.trades >= FEWEST_TRADES}

    def _too_late(self, taken: Taken, batch: _Batch) -> None:
        bar = taken.bar
        assert bar is not None
        if taken.kind == "late":
            self.troubles.late += 1
            text = "a bar came late: what was decided without it stays"
        else:
            self.troubles.corrected += 1
            text = f"a bar was corrected, close {bar.close:g}: what was decided on it stays"
        batch.events.append(self._of_feed(f"{taken.kind}.{bar.close:g}", bar.market, bar.time, text))

    def _of_feed(self, what: str, market: str, bar: int, text: str) -> NewEvent:
        key = f"{bar}.0.{what}" if len(self.markets) == 1 else f"{bar}.0.{what}.{market}"
        return NewEvent(key, "feed", market, bar, self.clock, text)

    def _lost(self, word: str, batch: _Batch) -> None:
        if word == "lost":
            self.troubles.lost += 1
        text = "the feed was lost; it is sought again" if word == "lost" else "the feed is back"
        moment = time.time_ns() // 1_000_000
        batch.events.append(NewEvent(f"{moment}.0.{word}", "feed", "", self.clock, self.clock, text))

    # --- how it stands -----------------------------------------------------------------------------------------------

    def _followed(self, bars: Mapping[str, Bars]) -> Following:
        prepared, setup = self.prepared, self.stored.setup
        so_far = [
            SoFar(dataset.market, bars[symbol], self._gathering.standing(symbol), dataset.others)
            for symbol, dataset in self.markets.items()
        ]
        return Following.of(
            prepared.checked, prepared.account, so_far, prepared.inputs, self.stored.since, setup.sides, setup.inverted
        )

    def drift(self, following: Following) -> Drift:
        """Practice held against the backtest over the bars before."""
        practised = Ledger.of([(market.trades, market.plan.dataset) for market in following.markets])
        tested = Ledger.of([(_without_ends(outcome), outcome.plan.dataset) for outcome in self.tested])
        opens = [outcome.plan.dataset.bars.time for outcome in self.tested]
        spans = [
            (int(times[outcome.first]), int(times[outcome.last]))
            for times, outcome in zip(opens, self.tested, strict=True)
        ]
        span = self.stored.since, max(self.stored.since, following.time)
        return drift_of(practised, span, tested, (min(spans)[0], max(end for _, end in spans)))

    @property
    def tested(self) -> list[Outcome]:
        """The backtest over the bars from before decisions began."""
        with self._lock:
            if self._tested is None:
                prepared, setup = self.prepared, self.stored.setup
                plans = [
                    make_plan(
                        prepared.checked,
                        make_dataset(self._histories[symbol], dataset.market, others=dataset.others),
                        prepared.inputs,
                        setup.sides,
                        setup.from_date,
                        None,
                        setup.inverted,
                    )
                    for symbol, dataset in self.markets.items()
                ]
                self._tested = run_basket(plans, prepared.account)
            return self._tested


def _without_ends(outcome: Outcome) -> Rows:
    """Trades but for those that only the end of the bars ended."""
    rows = outcome.trades.rows
    return rows[rows["reason"] != Reason.END]


def _joined(bars: Mapping[str, Bars], more: Sequence[BarSaid]) -> dict[str, Bars]:
    """The bars of each market with more of them behind."""
    found = dict(bars)
    for symbol in {bar.market for bar in more}:
        own, fresh = bars[symbol], [bar for bar in more if bar.market == symbol]
        times = np.concatenate((own.time, np.array([bar.time for bar in fresh], np.int64)))
        rows = np.array([bar.values for bar in fresh], np.float64).T
        first, high, low, last, volume = (
            np.concatenate((getattr(own, name), row)) for name, row in zip(PRICES, rows, strict=True)
        )
        found[symbol] = Bars(own.timeframe, times, first, high, low, last, volume, dated=own.dated)
    return found
