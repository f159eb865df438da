"""What is remembered of every try of a script, and what that makes of the best of them."""

from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from hashlib import blake2b
from threading import Lock, RLock, Timer
from typing import Any

import numpy as np
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from skelb.core.bars import Floats
from skelb.core.figures import Daily, Record, daily_of
from skelb.core.plan import Dataset
from skelb.core.trials import HISTORIES, Histories, Listed, Tally, Try, best_of, best_within, by_luck, expected_best
from skelb.service.prepared import Prepared
from skelb.store import CourseRecord, Database, StoreError, TallyRecord, TallyTry

_MOST_TITLES = 4
_MOST_HISTORIES = 2
_MOST_WAITING = 2_000
_REST_S = 2.0
_BELIEVED, _DOUBTED = 0.05, 0.2

BarsKey = tuple[str, int, int]  # market, minutes of the stored bars, their version
Write = Callable[[Session], None]


@dataclass(eq=False)
class _Kept:
    """A tally with what was counted in it: setting and daily Sharpe by digest."""

    tally: Tally = field(default_factory=Tally)
    tries: dict[int, tuple[int, float]] = field(default_factory=dict)
    id: int | None = None


@dataclass(eq=False)
class _Course:
    """How the tries of a script went, in the order they were made; see CourseRecord."""

    known: set[int]
    steps: list[tuple[int, float]]
    by: dict[str, int]
    total: float
    squares: float

    def add(self, tried: Try) -> None:
        """Go on with a try, whose setting counts once."""
        if tried.setting in self.known:
            return
        self.known.add(tried.setting)
        sharpe = tried.daily.sharpe
        who = tried.label.partition(",")[0]
        who = "trials" if who.startswith("trial ") else who
        self.by[who] = self.by.get(who, 0) + 1
        self.total += sharpe
        self.squares += sharpe * sharpe
        if not self.steps or sharpe > self.steps[-1][1]:
            self.steps.append((len(self.known), sharpe))


@dataclass(frozen=True, slots=True)
class CourseStep:
    """After so many settings: the best daily Sharpe ratio until then."""

    settings: int
    sharpe: float


@dataclass(frozen=True, slots=True)
class ByLuck:
    """The best daily Sharpe ratio that so many worthless settings would show: its mean, and between what it lies in
    nine of ten cases."""

    settings: int
    mean: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class TallyTold:
    """How the tries of a script went: each that was better than all before it, beside what luck alone would show after
    as many, and who tried how many."""

    title: str
    settings: int
    begun: datetime | None
    steps: list[CourseStep]
    expected: list[ByLuck]
    by: dict[str, int]
    sentence: str


@dataclass(frozen=True, eq=False)
class Worth:
    """What a run is worth after all tries of its script.

    settings : how many were looked at; spread : the deviation of their daily Sharpe ratios, None with fewer than 3
    by_luck : in what share of histories luck alone shows as much in the best of them, None where nothing varies, and of
    a run that was not counted itself; listed : the best of all tries, each with its own share
    """

    settings: int
    spread: float | None
    by_luck: float | None
    is_counted: bool
    listed: list[tuple[Listed, float]]

    @property
    def sentence(self) -> str:
        """The verdict in plain words."""
        if not self.is_counted:
            return (
                "It was made before tries were counted, or on other bars than are stored now: run it again to weigh it."
            )
        if self.by_luck is None:
            return "It earned the same on every day, so that there is nothing to weigh."
        verdict = "no more than luck shows"
        if self.by_luck <= _BELIEVED:
            verdict = "hard to explain by luck"
        elif self.by_luck <= _DOUBTED:
            verdict = "not proven"
        looked = f"{self.settings:,} setting{'s' * (self.settings != 1)} looked at"
        return f"Of {looked}, one this good comes from luck alone in {odds(self.by_luck)} histories: {verdict}."


def odds(share: float | None) -> str:
    """A share as so many of ten, a hundred or a thousand; empty where it is unknown."""
    if share is None:
        return ""
    for many in (10, 100, 1_000):
        if share * many >= 0.95:
            return f"{round(share * many)} of {many:,}"
    return "fewer than 1 of 1,000"


class Tallies:
    """The tries of all scripts of a data folder, by the script's title; without one, of as long as this lives.

    Safe to share among threads. Where nothing can be written it is counted all the same, as long as the program lives.
    """

    def __init__(self, database: Database | None) -> None:
        self._database = None if database is None or database.read_only else database
        self._read = database
        self._kept: OrderedDict[str, dict[BarsKey, _Kept]] = OrderedDict()
        self._courses: dict[str, _Course] = {}  # of the same titles
        self._histories: OrderedDict[BarsKey, Histories] = OrderedDict()
        self._lock = RLock()
        self._waiting: list[tuple[str, Dataset, Try]] = []
        self._waiting_lock = Lock()
        self._timer: Timer | None = None

    @property
    def is_kept(self) -> bool:
        """Whether what is counted is there the next time."""
        return self._database is not None

    def stop_writing(self) -> None:
        """From now on only count: for who has no other use of the file, and cannot write to it."""
        self._database = None

    def begin(self, title: str) -> None:
        """A new stage of tries: whoever asks knows what was best so far."""
        with self._lock:
            for kept in self._of(title).values():
                kept.tally.begin()

    @contextmanager
    def counting(self, title: str, found: Sequence[tuple[Dataset, Sequence[Try]]]) -> Iterator[Write]:
        """Count tries; the block writes them with what is given, in a session of its own. Undone when it fails."""
        with self._lock:
            changed: list[tuple[BarsKey, _Kept, list[Try]]] = []
            tallies = self._of(title)
            course = self._course_of(title)
            for dataset, tries in found:
                place = _place(dataset)
                kept = tallies.setdefault(place, _Kept())
                fresh = {item.daily.digest: item for item in tries}
                fresh = {digest: item for digest, item in fresh.items() if digest not in kept.tries}
                if fresh:
                    kept.tally.add(list(fresh.values()), self._histories_of(dataset))
                    kept.tries |= {digest: (item.setting, item.daily.sharpe) for digest, item in fresh.items()}
                    changed.append((place, kept, list(fresh.values())))
                    for item in fresh.values():
                        course.add(item)

            def write(session: Session) -> None:
                for place, kept, fresh in changed:
                    _write(session, title, place, kept, fresh)
                if changed:
                    _write_course(session, title, course)

            try:
                yield write
            except BaseException:
                self._forget(title)  # read again as it is stored
                raise

    def count(self, title: str, found: Sequence[tuple[Dataset, Sequence[Try]]]) -> None:
        """Count tries and write that. Raises StoreError where it cannot be written."""
        with self.counting(title, found) as write:
            if self._database is not None:
                with self._database.session() as session:
                    write(session)

    def saw(self, title: str, dataset: Dataset, seen: Try) -> None:
        """Gather what a page showed; it is counted, as one stage, when two seconds have passed."""
        with self._waiting_lock:
            self._waiting.append((title, dataset, seen))
            del self._waiting[:-_MOST_WAITING]
            if self._timer is None:
                self._timer = Timer(_REST_S, self._rest)
                self._timer.daemon = True
                self._timer.start()

    def _rest(self) -> None:
        with self._waiting_lock:
            self._timer = None
        with suppress(StoreError):
            self.settle()

    def settle(self) -> None:
        """Count what was gathered. Raises StoreError where it cannot be written; it stays gathered then."""
        with self._lock:
            with self._waiting_lock:
                waiting, self._waiting = self._waiting, []
            try:
                while waiting:
                    title = waiting[0][0]
                    mine = [item for item in waiting if item[0] == title]
                    self.begin(title)
                    self.count(title, _by_dataset(mine))
                    waiting = [item for item in waiting if item[0] != title]
            except StoreError:
                with self._waiting_lock:
                    self._waiting = waiting + self._waiting
                raise

    def close(self) -> None:
        """Count what was gathered, as well as that goes."""
        with self._waiting_lock:
            timer, self._timer = self._timer, None
        if timer is not None:
            timer.cancel()
        with suppress(StoreError):
            self.settle()

    def worth(self, title: str, dataset: Dataset, daily: Daily) -> Worth:
        """What a run of a script is worth after all its tries."""
        with suppress(StoreError):
            self.settle()
        with self._lock:
            kept = self._of(title)
            markets: dict[str, list[Tally]] = {}
            for place in sorted(kept):
                markets.setdefault(place[0], []).append(kept[place].tally)
            tallies = list(markets.values())
            statistic = float(self._histories_of(dataset).statistics([daily])[0][0])
            listed = best_of(tallies)
            is_counted = any(daily.digest in item.tries for item in kept.values())
            chance = None
            if is_counted and np.isfinite(statistic):
                mine = (share for item, share in listed if item.digest == daily.digest)
                chance = next(mine, None) or by_luck(statistic, tallies)
            ratios = _by_setting(kept)
        spread = float(np.std(ratios, ddof=1)) if ratios.size > 2 else None
        return Worth(ratios.size, spread, chance, is_counted, listed)

    def looked_at(self, title: str) -> int:
        """How many settings of a script were looked at."""
        with suppress(StoreError):
            self.settle()
        with self._lock:
            if title not in self._courses and self._read is not None:
                with self._read.session() as session:
                    record = session.get(CourseRecord, title)
                    if record is not None:
                        return record.settings
            return len(self._course_of(title).known)

    def told(self, title: str) -> TallyTold:
        """How the tries of a script went."""
        settings, begun = self.looked_at(title), None
        with self._lock:
            course = self._courses.get(title)
            if course is None and self._read is not None:
                with self._read.session() as session:
                    record = session.get(CourseRecord, title)
                    if record is not None:
                        begun = record.begun
                        steps = [(int(count), float(sharpe)) for count, sharpe in record.steps]
                        course = _Course(set(), steps, dict(record.by), record.total, record.squares)
            course = course or self._course_of(title)
            if begun is None and self._read is not None:
                with self._read.session() as session:
                    begun = session.scalar(select(CourseRecord.begun).where(CourseRecord.title == title))
            steps, by, total, squares = list(course.steps), dict(course.by), course.total, course.squares
        variance = (squares - total * total / settings) / (settings - 1) if settings > 2 else 0.0
        expected = _by_luck(settings, max(variance, 0.0) ** 0.5)
        best = steps[-1][1] if steps else None
        return TallyTold(
            title, settings, begun, [CourseStep(*step) for step in steps], expected, by,
            _course_sentence(settings, best, expected),
        )  # fmt: skip

    def _course_of(self, title: str) -> _Course:
        found = self._courses.get(title)
        if found is None:
            kept = self._of(title)
            found = self._courses[title] = _read_course(self._read, title, kept)
        return found

    def _forget(self, title: str) -> None:
        self._kept.pop(title, None)
        self._courses.pop(title, None)

    def _of(self, title: str) -> dict[BarsKey, _Kept]:
        found = self._kept.get(title)
        if found is None:
            found = self._kept[title] = {} if self._read is None else _read(self._read, title)
            while len(self._kept) > _MOST_TITLES and self.is_kept:  # what is nowhere else stays
                self._forget(next(iter(self._kept)))
        self._kept.move_to_end(title)
        return found

    def _histories_of(self, dataset: Dataset) -> Histories:
        place = _place(dataset)
        found = self._histories.get(place)
        if found is None:
            bars = dataset.stored or dataset.bars
            told = f"{dataset.market.symbol} {bars.timeframe} {bars.time[0]} {bars.time[-1]} {len(bars)}"
            seed = int.from_bytes(blake2b(told.encode(), digest_size=4).digest())
            found = self._histories[place] = Histories(bars, seed)
            while len(self._histories) > _MOST_HISTORIES:
                self._histories.popitem(last=False)
        self._histories.move_to_end(place)
        return found


def try_of(prepared: Prepared, record: Record, by: str, varied: Mapping[str, Any] | None = None) -> Try | None:
    """A run that was looked at, by whom, `varied` from what is chosen; None of a script that enters nowhere, and of
    days too few to say anything."""
    daily = daily_of(record) if prepared.checked.has_entries else None
    if daily is None:
        return None
    choices, changed = prepared.choices, varied or {}
    setting = setting_of(prepared.checked.source, choices.sides, choices.inverted, {**prepared.inputs, **changed})
    return Try(label_of(prepared.dataset, {**choices.inputs, **changed}, by), setting, daily)


def setting_of(text: str, sides: str, inverted: bool, inputs: Mapping[str, Any]) -> int:
    """A number for a script's text with values for all its inputs, and for whatever else was varied."""
    told = {"sides": sides, **{name: str(value) for name, value in inputs.items()}}
    varied = f"{inverted} {sorted(told.items())}".encode()
    return int.from_bytes(blake2b(_digest(text) + varied, digest_size=8).digest(), signed=True)


@lru_cache(maxsize=4)
def _digest(text: str) -> bytes:
    return blake2b(text.encode()).digest()


def label_of(dataset: Dataset, inputs: Mapping[str, Any], by: str) -> str:
    """A try in words: who made it, where, with which inputs."""
    place = f"{dataset.market.symbol} {dataset.bars.timeframe}"
    values = {name: f"{value:.10g}" if isinstance(value, float) else value for name, value in inputs.items()}
    return "  ".join([f"{by}, {place}", *(f"{name}={value}" for name, value in values.items())])[:300]


def _place(dataset: Dataset) -> BarsKey:
    return dataset.market.symbol, (dataset.stored or dataset.bars).timeframe.minutes, dataset.data_version


def _by_dataset(items: Sequence[tuple[str, Dataset, Try]]) -> list[tuple[Dataset, list[Try]]]:
    found: dict[BarsKey, tuple[Dataset, list[Try]]] = {}
    for _, dataset, seen in items:
        found.setdefault(_place(dataset), (dataset, []))[1].append(seen)
    return list(found.values())


def _by_setting(kept: Mapping[BarsKey, _Kept]) -> Floats:
    """The daily Sharpe ratio of every setting, the mean where it was tried on several spans; shape (settings,)."""
    rows = [row for item in kept.values() for row in item.tries.values()]
    if not rows:
        return np.zeros(0)
    settings = np.array([setting for setting, _ in rows], np.int64)
    _, places = np.unique(settings, return_inverse=True)
    return np.asarray(np.bincount(places, [sharpe for _, sharpe in rows]) / np.bincount(places))


def _write(session: Session, title: str, place: BarsKey, kept: _Kept, fresh: Sequence[Try]) -> None:
    tally = kept.tally
    leaders = [tally.leader] if tally.leader else []
    record = session.get(TallyRecord, kept.id) if kept.id is not None else None
    if record is None:
        market, minutes, version = place
        record = TallyRecord(title=title, market=market, timeframe_minutes=minutes, data_version=version)
        session.add(record)
    record.listed, record.leader = [_named(item) for item in tally.listed], [_named(item) for item in leaders]
    rows = [tally.rest, tally.settled, tally.since, tally.near, *(item.draws for item in [*leaders, *tally.listed])]
    record.draws = np.concatenate(rows).astype(np.float32).tobytes()
    session.flush()
    kept.id = record.id
    rows_of_tries = [
        {"tally_id": record.id, "digest": item.daily.digest, "setting": item.setting, "sharpe": item.daily.sharpe}
        for item in fresh
    ]
    session.execute(insert(TallyTry), rows_of_tries)


def _read(database: Database, title: str) -> dict[BarsKey, _Kept]:
    found: dict[BarsKey, _Kept] = {}
    with database.session() as session:
        for record in session.scalars(select(TallyRecord).where(TallyRecord.title == title)):
            draws = iter(np.frombuffer(record.draws, np.float32).reshape(-1, HISTORIES))
            tally = Tally()
            tally.rest, tally.settled, tally.since, tally.near = (next(draws) for _ in range(4))
            leaders = [Listed(**item, draws=next(draws)) for item in record.leader]
            tally.leader = leaders[0] if leaders else None
            tally.listed = [Listed(**item, draws=next(draws)) for item in record.listed]
            query = select(TallyTry.digest, TallyTry.setting, TallyTry.sharpe).where(TallyTry.tally_id == record.id)
            tries = {digest: (setting, sharpe) for digest, setting, sharpe in session.execute(query)}
            place = record.market, record.timeframe_minutes, record.data_version
            found[place] = _Kept(tally, tries, record.id)
    return found


def _write_course(session: Session, title: str, course: _Course) -> None:
    record = session.get(CourseRecord, title)
    if record is None:
        record = CourseRecord(title=title)
        session.add(record)
    record.settings, record.steps, record.by = len(course.known), [list(step) for step in course.steps], dict(course.by)
    record.total, record.squares = course.total, course.squares


def _read_course(database: Database | None, title: str, kept: Mapping[BarsKey, _Kept]) -> _Course:
    """The course as it is stored; of tries from before it was, the best is one step."""
    rows = [row for item in kept.values() for row in item.tries.values()]
    known = {setting for setting, _ in rows}
    if database is not None:
        with database.session() as session:
            record = session.get(CourseRecord, title)
            if record is not None:
                steps = [(int(count), float(sharpe)) for count, sharpe in record.steps]
                return _Course(known, steps, dict(record.by), record.total, record.squares)
    ratios = np.array([sharpe for _, sharpe in rows])
    steps = [(len(known), float(ratios.max()))] if rows else []
    by = {"earlier": len(known)} if rows else {}
    return _Course(known, steps, by, float(ratios.sum()), float(ratios @ ratios))


def _by_luck(settings: int, spread: float) -> list[ByLuck]:
    if settings < 3 or spread <= 0:
        return []
    counts = np.unique(np.geomspace(2, settings, 40).astype(int)).tolist()
    return [
        ByLuck(n, expected_best(n, spread), best_within(n, spread, 0.05), best_within(n, spread, 0.95)) for n in counts
    ]


def _course_sentence(settings: int, best: float | None, expected: Sequence[ByLuck]) -> str:
    if best is None:
        return "None of its settings was looked at yet."
    if not expected:
        return "Too few settings were looked at to weigh the best of them."
    luck = expected[-1]
    verdict = "inside what luck alone would show in nine of ten cases: not yet an edge"
    if best > luck.high:
        verdict = "above what luck alone would show in nineteen of twenty cases"
    elif best < luck.low:
        verdict = "under what luck alone would show"
    return (
        f"The best of {settings:,} settings shows a Sharpe of {best:.3f} a day; of as many worthless ones"
        f" {luck.mean:.3f} would be expected. It stands {verdict}."
    )


def _named(item: Listed) -> dict[str, Any]:
    return {"digest": item.digest, "label": item.label, "statistic": item.statistic}
