"""All practices of a data folder: begun, followed, paused, gone on with, stopped."""

import time
from collections.abc import Sequence
from datetime import date
from threading import Lock, RLock

import numpy as np

from skelb.core.bars import Bars
from skelb.core.errors import ConflictError, NotFoundError, SettingsError, SkelbError
from skelb.core.plan import Dataset
from skelb.service.backtest import basket_of
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.logbook import Logbook
from skelb.service.practice.deliveries import Deliveries, check_webhook, message_of, send
from skelb.service.practice.feeds import FeedChoice, MadeBars, Replay, check_feed, onward
from skelb.service.practice.following import Follower
from skelb.service.practice.shown import MOST_EVENTS, PracticeLine, PracticeShown, line_of, shown_of
from skelb.service.practice.store import PracticeStore, StoredEvent
from skelb.service.runs import KeptRuns
from skelb.service.setup import Setup
from skelb.store import Database

_HELD_BACK = 0.2  # of the bars are replayed where no day is named
_LEAST_HISTORY = 50
_UNIX_DAY = date(1970, 1, 1).toordinal()
_MOST_AT_WORK = 16


class Practices:
    """The practices. The program that serves a folder follows them: no other does, as it holds the folder."""

    def __init__(
        self, database: Database, library: Library, datasets: Datasets, runs: KeptRuns, logbook: Logbook
    ) -> None:
        self.store, self._runs, self._logbook = PracticeStore(database), runs, logbook
        self._library, self._datasets = library, datasets
        self._followers: dict[int, Follower] = {}
        self._deliveries = Deliveries(self.store)
        self._turns: dict[int, RLock] = {}  # two pages may want things of one practice at once: one after the other
        self._lock = Lock()

    # --- what is done with them --------------------------------------------------------------------------------------

    def begin(self, setup: Setup, feed: FeedChoice, since: date | None = None, run: int | None = None) -> int:
        """Begin a practice; its number. A replay begins with the day `since`, else with the last fifth of the bars.

        The backtest over the bars before is kept in the logbook, as changed from the kept `run`.
        Raises SkelbError where the strategy cannot run there, ConflictError when too many are at work.
        """
        self._check_room()
        check_feed(feed)
        setup = setup.whole(self._library)
        prepared = setup.prepared(self._library, self._datasets).sound()
        if setup.basket:  # which markets are too dear is decided now, once
            kept = basket_of(prepared.basket, prepared.account, prepared.choices)[0]
            setup = setup.model_copy(
                update={"basket": tuple(dataset.market.symbol for dataset in kept), "dearest": None}
            )
            prepared = setup.prepared(self._library, self._datasets)
        if not prepared.checked.has_entries:
            raise SettingsError("this script enters nothing: a practice needs rules")
        datasets = prepared.datasets
        if isinstance(feed, MadeBars):
            onward(datasets, feed.seed)  # said now where it cannot be
        begins = _begins(datasets, feed, since)
        histories = {dataset.market.symbol: _before(dataset, begins) for dataset in datasets}
        title = prepared.checked.title
        last = max(dataset.calendar.day[len(histories[dataset.market.symbol]) - 1] for dataset in datasets)
        day = date.fromordinal(_UNIX_DAY + int(last))
        tested = self._runs.keep(setup.model_copy(update={"to_date": day}), run).number
        self._logbook.note(tested, tags=["practice"])
        number = self.store.add(title, self._version_of(title, setup.text), setup, feed, begins, histories, tested)
        try:
            self._follow(number)
        except SkelbError:
            self.store.discard(number)
            raise
        self._tell()
        return number

    def start_all(self) -> None:
        """Go on with every practice that is to run, and with sending; one that cannot run says why."""
        self._deliveries.begin()
        for stored in self.store.all():
            if stored.state == "running":
                try:
                    self._follow(stored.number)
                except SkelbError as exc:
                    self.store.put(stored.number, "failed", str(exc))

    def pause(self, number: int) -> None:
        """Follow a practice no more for now. Raises NotFoundError."""
        self._halt(number, "paused")

    def stop(self, number: int) -> None:
        """End a practice. Raises NotFoundError."""
        self._halt(number, "stopped")

    def leave(self, number: int) -> None:
        """Follow a practice no more that was taken away; it can be brought back, paused."""
        with self._turn(number):
            self._forget(number)
            self.store.put(number, "paused")

    def go_on(self, number: int) -> None:
        """Follow a practice again from where it was. Raises SkelbError where it cannot be, ConflictError when too many
        are at work."""
        with self._turn(number):
            if number not in self._at_work():
                self._check_room()
            self._forget(number)
            self._follower(number)  # where it cannot be read any more it stays as it is
            self.store.put(number, "running")
            self._follow(number)
        self._tell()

    def put_pace(self, number: int, pace: float) -> None:
        """Another pace for a replay. Raises NotFoundError, SettingsError for another feed."""
        with self._turn(number):
            stored = self.store.get(number)
            if not isinstance(stored.feed, Replay | MadeBars):
                raise SettingsError("only a replay has a pace, and made bars have")
            was_running = stored.state == "running" and number in self._at_work()
            self._forget(number)
            self.store.put_pace(number, type(stored.feed)(**{**stored.feed.model_dump(), "pace": pace}))
            if was_running:
                self._follow(number)
        self._tell()

    def put_webhook(self, number: int, url: str, secret: str) -> None:
        """Send what happens in a practice from now on to an address; nowhere when empty. Raises SkelbError."""
        check_webhook(url)
        self.store.put_webhook(number, url, secret)
        self._deliveries.begin()
        self._tell()

    def test_webhook(self, number: int) -> tuple[bool, str]:
        """Send a message that says it is a test; whether it was taken, and the answer. Raises SkelbError."""
        stored = self.store.get(number)
        if not stored.webhook:
            raise SettingsError("there is no address to send to: name one first")
        event = StoredEvent(0, "test", "test", "", 0, int(time.time()), "a test: nothing happened", "", 0, "")
        return send(stored.webhook, message_of(event, stored), self.store.secret(number), 0)

    def again(self, number: int) -> None:
        """Try at once what waits to be sent. Raises NotFoundError."""
        self.store.get(number)
        self.store.again(number)

    def close(self) -> None:
        """Follow none any more; they go on with the next start."""
        self._deliveries.end()
        for number in list(self._followers):
            self._forget(number)

    # --- how they stand ----------------------------------------------------------------------------------------------

    def lines(self) -> list[PracticeLine]:
        """Every practice in a line, newest first."""
        found = []
        for stored in self.store.all():
            follower = self._followers.get(stored.number)
            is_over = stored.state == "running" and follower is not None and not follower.is_at_work
            found.append(line_of(follower.stored if follower and is_over else stored, follower))
        return found

    def shown(self, number: int, market: str | None = None) -> PracticeShown:
        """How a practice stands, on one of its markets or the first. Raises NotFoundError, also for a market that is
        not among them, SkelbError where it cannot be read any more."""
        follower = self._follower(number)
        stored = self.store.get(number)
        if follower.is_at_work or stored.state != "running":  # else what ended it could not even be stored
            follower.stored = stored
        places = list(follower.markets)
        if market is not None and market not in places:
            raise NotFoundError(f"{market} is not practised here: {', '.join(places)}")
        place = 0 if market is None else places.index(market)
        return shown_of(follower, place, self.store.events(number, limit=MOST_EVENTS), self.store.count_events(number))

    def events(self, number: int, before: int | None, limit: int) -> list[StoredEvent]:
        """What happened, newest first. Raises NotFoundError."""
        self.store.get(number)
        return self.store.events(number, before, limit)

    # --- inside ------------------------------------------------------------------------------------------------------

    def _halt(self, number: int, state: str) -> None:
        with self._turn(number):
            self.store.get(number)
            follower = self._followers.get(number)
            if follower is not None:
                follower.end()
            self.store.put(number, state)
            if follower is not None:
                follower.stored = self.store.get(number)
        self._tell()

    def _follow(self, number: int) -> None:
        with self._turn(number):
            self._forget(number)  # what is in memory may be ahead of what could be stored
            self._follower(number).begin()

    def _follower(self, number: int) -> Follower:
        found = self._followers.get(number)
        if found is not None:
            return found
        with self._turn(number):
            found = self._followers.get(number)
            if found is None:
                found = Follower(number, self.store, self._library, self._datasets)
                self._followers[number] = found
            return found

    def _forget(self, number: int) -> None:
        with self._turn(number):
            found = self._followers.pop(number, None)
            if found is not None:
                found.end()

    def _turn(self, number: int) -> RLock:
        """What is held while something is done with a practice: its thread is begun and ended by one at a time."""
        with self._lock:
            return self._turns.setdefault(number, RLock())

    def _at_work(self) -> list[int]:
        return [number for number, item in list(self._followers.items()) if item.is_at_work]

    def _check_room(self) -> None:
        if len(self._at_work()) >= _MOST_AT_WORK:
            raise ConflictError(f"{_MOST_AT_WORK} practices are at work already: stop or pause one first")

    def _version_of(self, title: str, text: str) -> int | None:
        try:
            versions = self._library.script(title).versions
        except NotFoundError:
            return None
        return next((item.number for item in reversed(versions) if item.text == text), None)

    def _tell(self) -> None:
        self._library.tell("practices")


def _begins(datasets: Sequence[Dataset], feed: FeedChoice, since: date | None) -> int:
    """The opening of the first bar that is decided on. Raises SettingsError when a replay has none."""
    if not isinstance(feed, Replay):
        return max(int(dataset.bars.time[-1]) for dataset in datasets) + 1
    days = datasets[0].calendar.day
    day = days[int(len(days) * (1.0 - _HELD_BACK))] if since is None else np.datetime64(since).astype(np.int64)
    found = []
    for dataset in datasets:
        first = int(np.searchsorted(dataset.calendar.day, day))
        if first < len(dataset):
            found.append(int(dataset.bars.time[first]))
    if not found:
        raise SettingsError(f"no stored bar is of {since} or later: there is nothing to replay")
    return min(found)


def _before(dataset: Dataset, begins: int) -> Bars:
    """The bars of a market that are not decided on. Raises SettingsError where they are too few."""
    history = dataset.bars.take(dataset.bars.time < begins)
    if len(history) < _LEAST_HISTORY:
        raise SettingsError(
            f"only {len(history)} bars of {dataset.market.symbol} lie before that day, at least {_LEAST_HISTORY} are"
            " needed to know the strategy by: begin later"
        )
    return history
