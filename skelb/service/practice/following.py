"""One practice at work: words of its feed in, bars and what happened with them stored, how it stands at any time."""

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from threading import Event, Lock, Thread

import numpy as np

from skelb.core.bars import Bars
from skelb.core.engine import Outcome, Reason, run
from skelb.core.errors import FeedAwayError, FeedError, SkelbError
from skelb.core.export import Preview
from skelb.core.feeds import BarSaid, Clock, Gap, Intake, Taken, Word
from skelb.core.plan import make_dataset, make_plan
from skelb.core.practice import FEWEST_TRADES, Drift, Following, NextStep, drift_of, slippage_a_side
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
    """What some words come to: bars to take, events of the feed, whether anything that is shown changed."""

    bars: list[BarSaid] = field(default_factory=list)
    events: list[NewEvent] = field(default_factory=list)
    is_forming: bool = False


class Follower:
    """A practice in memory: what it is made of, the bars so far, and, while it is followed, a thread of its own."""

    def __init__(self, number: int, store: PracticeStore, library: Library, datasets: Datasets) -> None:
        """Raises SkelbError when the practice cannot be read or run any more."""
        self.stored: StoredPractice = store.get(number)
        self._store, self._library, self._datasets = store, library, datasets
        self.prepared: Prepared = self.stored.setup.prepared(library, datasets).sound().alone()
        timeframe = self.prepared.dataset.bars.timeframe
        self._history = store.history(number, timeframe)
        taken = store.bars(number)
        self._intake = Intake(self.stored.setup.market, timeframe, taken[-1][0] if taken else self.stored.since - 1)
        for opened, values in taken:
            self._intake.know(opened, values)
        self._resumed = self._intake.last  # what the feed says again of before is no fault of it
        self._bars = _joined(self._history, taken)
        self.clock = taken[-1][0] + timeframe.seconds if taken else self.stored.since
        self.troubles = Troubles()
        self._told: set[str] = set()
        self.worked_out: tuple[Following, tuple[Preview, list[NextStep], Drift]] | None = None
        self._until = Event()
        self._thread: Thread | None = None
        self._lock = Lock()
        self._tested: Outcome | None = None
        self.following = self._followed()
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
        return self._thread is not None and self._thread.is_alive()

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
        feed, setup, dataset = self.stored.feed, self.stored.setup, self.prepared.dataset
        match feed:
            case Replay():
                after = max(self.stored.since - 1, self._intake.last or 0)
                return replayed(setup.market, dataset, after, feed.pace, self._until)
            case MadeBars():
                after = self._intake.last or 0
                return made(setup.market, dataset, feed.seed, after, feed.pace, self._until)
            case GrowingFile():
                return growing(Path(feed.path), setup.market, dataset, self._until)
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
        if words and not (batch.bars or batch.events or batch.is_forming):
            return
        bars = _joined(self._bars, [(bar.time, bar.values) for bar in batch.bars])
        following = self._followed(bars)
        opened = following.plan.dataset.bars.time
        events = [
            NewEvent(item.key, item.kind, int(opened[item.bar]), item.time, item.text)
            for item in following.happenings()
            if item.key not in self._told
        ]
        if following.trades.size != self.following.trades.size:
            events += self._drifted(following)
        if batch.bars or batch.events or events:
            self._store.take(self.stored.number, batch.bars, [*events, *batch.events])
        self._told.update(event.key for event in events)
        self._bars, self.following = bars, following

    def _word(self, word: Word, batch: _Batch) -> None:
        taken = self._intake.take(word)
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
                batch.events.append(NewEvent(f"{word.first}.0.gap", "feed", word.first, self.clock, text))
            case "late" | "corrected" if bar is not None and bar.is_closed:
                self._too_late(taken, batch)
            case _:
                pass

    def _drifted(self, following: Following) -> list[NewEvent]:
        """Figures that have left their bands with the newest trade, once there are trades enough to say so."""
        outside = self._now_outside(self.drift(following))
        bar = int(following.plan.dataset.bars.time[following.closed - 1])
        fresh = [
            NewEvent(f"{bar}.5.drift.{key}", "drift", bar, following.time, f"{key.replace('_', ' ')} left its band")
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
        key = f"{bar.time}.0.{taken.kind}.{bar.close:g}"
        batch.events.append(NewEvent(key, "feed", bar.time, self.clock, text))

    def _lost(self, word: str, batch: _Batch) -> None:
        if word == "lost":
            self.troubles.lost += 1
        text = "the feed was lost; it is sought again" if word == "lost" else "the feed is back"
        moment = time.time_ns() // 1_000_000
        batch.events.append(NewEvent(f"{moment}.0.{word}", "feed", self.clock, self.clock, text))

    # --- how it stands -----------------------------------------------------------------------------------------------

    def _followed(self, bars: Bars | None = None) -> Following:
        prepared, setup = self.prepared, self.stored.setup
        return Following.of(
            prepared.checked,
            prepared.dataset.market,
            self._bars if bars is None else bars,
            self._intake.forming,
            prepared.account,
            prepared.inputs,
            self.stored.since,
            setup.sides,
            setup.inverted,
            prepared.dataset.others,
        )

    def drift(self, following: Following) -> Drift:
        """Practice held against the backtest over the bars before."""
        tested, rows, trades = self.tested, self.tested_rows(), following.trades
        times, of_test = following.plan.dataset.bars.time, self.tested.plan.dataset.bars.time
        return drift_of(
            trades["net"],
            slippage_a_side(trades, following.plan.dataset),
            np.sort(times[trades["entry_bar"]]),
            (self.stored.since, max(self.stored.since, following.time)),
            rows["net"],
            slippage_a_side(rows, tested.plan.dataset),
            np.sort(of_test[rows["entry_bar"]]),
            (int(of_test[tested.first]), int(of_test[tested.last])),
        )

    @property
    def tested(self) -> Outcome:
        """The backtest over the bars from before decisions began."""
        with self._lock:
            if self._tested is None:
                prepared, setup = self.prepared, self.stored.setup
                dataset = make_dataset(self._history, prepared.dataset.market, others=prepared.dataset.others)
                plan = make_plan(
                    prepared.checked, dataset, prepared.inputs, setup.sides, setup.from_date, None, setup.inverted
                )
                self._tested = run(plan, prepared.account)
            return self._tested

    def tested_rows(self) -> np.ndarray:
        """Its trades, without those that only the end of the bars ended."""
        rows = self.tested.trades.rows
        return rows[rows["reason"] != Reason.END]


def _joined(bars: Bars, more: Sequence[tuple[int, tuple[float, ...]]]) -> Bars:
    if not more:
        return bars
    times = np.array([opened for opened, _ in more], np.int64)
    rows = np.array([values for _, values in more], np.float64).T
    first, high, low, last, volume = (
        np.concatenate(pair)
        for pair in zip((bars.open, bars.high, bars.low, bars.close, bars.volume), rows, strict=True)
    )
    joined = np.concatenate((bars.time, times))
    return Bars(bars.timeframe, joined, first, high, low, last, volume, dated=bars.dated)
