"""Practices as records: what they are, the bars they took, what happened."""

import zlib
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

import numpy as np
from pydantic import TypeAdapter
from sqlalchemy import func, select, update
from sqlalchemy.dialects.sqlite import insert

from skelb.core.bars import PRICES, Bars, Timeframe
from skelb.core.errors import NotFoundError, SkelbError
from skelb.core.feeds import BarSaid
from skelb.service.practice.feeds import FeedChoice
from skelb.service.readable import read_each
from skelb.service.setup import Setup
from skelb.store import Database, PracticeBar, PracticeEvent, PracticeHistory, PracticeRecord, PracticeTry, StoreError

_FEED: TypeAdapter[FeedChoice] = TypeAdapter(FeedChoice)
_LONGEST_TEXT = 500
_LONGEST_ANSWER = 200
_ROWS = 1 + len(PRICES)


@dataclass(frozen=True)
class StoredPractice:
    """A practice as it is stored; `state` is running, paused, stopped or failed, bars that open up to `through` have
    been decided on."""

    number: int
    title: str
    version: int | None
    setup: Setup
    feed: FeedChoice
    since: int
    through: int
    state: str
    message: str
    run: int | None
    webhook: str
    created: datetime


@dataclass(frozen=True, slots=True)
class StoredEvent:
    """Something that happened: `bar` opened then, `time` is when it was so, seconds since 1970 UTC by the feed.

    market : its symbol, empty for what is of the whole practice
    sent : empty where it is not to be sent, `due` or `sent`; tries : how often it was tried, and the last one's answer
    """

    id: int
    key: str
    kind: str
    market: str
    bar: int
    time: int
    text: str
    sent: str
    tries: int
    answer: str


@dataclass(frozen=True, slots=True)
class Due:
    """An event that is to be sent now, where to, and what signs it."""

    event: StoredEvent
    practice: StoredPractice
    secret: str


@dataclass(frozen=True, slots=True)
class NewEvent:
    """An event that may be stored already: its key tells."""

    key: str
    kind: str
    market: str
    bar: int
    time: int
    text: str


class PracticeStore:
    """The practices of a data folder. Every call is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(
        self,
        title: str,
        version: int | None,
        setup: Setup,
        feed: FeedChoice,
        since: int,
        histories: Mapping[str, Bars],
        run: int | None,
    ) -> int:
        """Store a new practice with the bars of its markets from before; its number."""
        with self._database.session() as session:
            record = PracticeRecord(
                title=title,
                version=version,
                setup=setup.model_dump(mode="json"),
                feed=feed.model_dump(mode="json"),
                since=since,
                through=since - 1,
                run_id=run,
            )
            session.add(record)
            session.flush()
            session.add_all(
                PracticeHistory(practice_id=record.id, market=market, bars=_packed(bars))
                for market, bars in histories.items()
            )
            return record.id

    def get(self, number: int) -> StoredPractice:
        """A practice. Raises NotFoundError."""
        with self._database.session() as session:
            record = session.get(PracticeRecord, number)
            if record is None or record.removed_at is not None:
                raise NotFoundError(f"there is no practice {number}")
            return StoredPractice(
                record.id,
                record.title,
                record.version,
                Setup.model_validate(record.setup),
                _FEED.validate_python(record.feed),
                record.since,
                record.through,
                record.state,
                record.message,
                record.run_id,
                record.webhook,
                record.created,
            )

    def all(self, left_out: list[str] | None = None) -> list[StoredPractice]:
        """Every practice, newest first."""
        with self._database.session() as session:
            query = select(PracticeRecord.id, PracticeRecord.title).where(PracticeRecord.removed_at.is_(None))
            found = [
                (number, f"the practice of {title}")
                for number, title in session.execute(query.order_by(PracticeRecord.id.desc()))
            ]
        return read_each(found, self.get, left_out)

    def histories(self, number: int, timeframe: Timeframe) -> dict[str, Bars]:
        """The closed bars of each market from before decisions began."""
        query = select(PracticeHistory.market, PracticeHistory.bars).where(PracticeHistory.practice_id == number)
        with self._database.session() as session:
            return {market: _unpacked(data, timeframe) for market, data in session.execute(query)}

    def bars(self, number: int) -> list[BarSaid]:
        """The closed bars that were taken, by time, then market."""
        timeframe = Timeframe.parse(self.get(number).setup.timeframe)
        query = select(PracticeBar).where(PracticeBar.practice_id == number)
        with self._database.session() as session:
            return [
                BarSaid(row.market, timeframe, row.time, row.open, row.high, row.low, row.close, row.volume, True)
                for row in session.scalars(query.order_by(PracticeBar.time, PracticeBar.market))
            ]

    def take(self, number: int, bars: Iterable[BarSaid], events: Iterable[NewEvent], through: int) -> None:
        """Store bars, up to where they were decided on and what happened with them, all together; bars and events that
        are there already stay as they are."""
        rows = [{"practice_id": number, "market": bar.market, "time": bar.time, **_prices(bar)} for bar in bars]
        with self._database.session() as session:
            session.execute(update(PracticeRecord).where(PracticeRecord.id == number).values(through=through))
            to = session.scalar(select(PracticeRecord.webhook).where(PracticeRecord.id == number))
            of_all = {"practice_id": number, "sent": "due" if to else ""}
            told = [{**of_all, **asdict(event), "text": event.text[:_LONGEST_TEXT]} for event in events]
            for table, values in ((PracticeBar, rows), (PracticeEvent, told)):
                if values:
                    session.execute(insert(table).on_conflict_do_nothing(), values)

    def events(self, number: int, before: int | None = None, limit: int = 50) -> list[StoredEvent]:
        """The newest events, newest first; with `before` those with a lower id."""
        query = select(PracticeEvent).where(PracticeEvent.practice_id == number)
        if before is not None:
            query = query.where(PracticeEvent.id < before)
        with self._database.session() as session:
            found = session.scalars(query.order_by(PracticeEvent.id.desc()).limit(limit))
            return [_event(row) for row in found]

    def after(self, event: int, number: int | None = None, limit: int = 1_000) -> list[tuple[int, StoredEvent]]:
        """Events of all practices, or of one, with higher ids, oldest first; each with its practice's number."""
        query = select(PracticeEvent).where(PracticeEvent.id > event)
        if number is not None:
            query = query.where(PracticeEvent.practice_id == number)
        with self._database.session() as session:
            found = session.scalars(query.order_by(PracticeEvent.id).limit(limit))
            return [(row.practice_id, _event(row)) for row in found]

    # --- what is sent ------------------------------------------------------------------------------------------------

    def put_webhook(self, number: int, url: str, secret: str) -> None:
        """Where what happens from now on is sent; nowhere when empty. Raises NotFoundError."""
        self.get(number)
        with self._database.session() as session:
            record = session.get_one(PracticeRecord, number)
            record.webhook, record.secret = url, secret
            if not url:
                waiting = PracticeEvent.practice_id == number, PracticeEvent.sent == "due"
                session.execute(update(PracticeEvent).where(*waiting).values(sent=""))

    def secret(self, number: int) -> str:
        """What signs what is sent."""
        with self._database.session() as session:
            return session.scalar(select(PracticeRecord.secret).where(PracticeRecord.id == number)) or ""

    def due(self, moment_ms: int) -> list[Due]:
        """Of each practice the oldest event that is not sent yet, where it is to be tried by now."""
        oldest = (
            select(func.min(PracticeEvent.id)).where(PracticeEvent.sent == "due").group_by(PracticeEvent.practice_id)
        )
        with self._database.session() as session:
            rows = session.scalars(
                select(PracticeEvent).where(PracticeEvent.id.in_(oldest), PracticeEvent.due <= moment_ms)
            )
            found = [(row.practice_id, _event(row)) for row in rows]
        wanted = []
        for number, event in found:
            try:
                wanted.append(Due(event, self.get(number), self.secret(number)))
            except (SkelbError, ValueError):
                continue  # taken away or damaged: it waits, and keeps no other waiting
        return wanted

    def tried(self, event: int, is_sent: bool, answer: str, due_ms: int) -> None:
        """Log a try: an event that was not sent is due again then."""
        with self._database.session() as session:
            row = session.get(PracticeEvent, event)
            if row is None:
                return
            row.tries += 1
            row.answer, row.due = answer[:_LONGEST_ANSWER], due_ms
            row.sent = "sent" if is_sent else "due"
            session.add(PracticeTry(event_id=event, answer=answer[:_LONGEST_ANSWER]))

    def again(self, number: int) -> None:
        """Try what waits to be sent at once."""
        waiting = PracticeEvent.practice_id == number, PracticeEvent.sent == "due"
        with self._database.session() as session:
            session.execute(update(PracticeEvent).where(*waiting).values(due=0))

    def count_events(self, number: int) -> int:
        """How many events there are."""
        with self._database.session() as session:
            query = select(func.count(PracticeEvent.id)).where(PracticeEvent.practice_id == number)
            return session.scalar(query) or 0

    def put(self, number: int, state: str, message: str = "") -> None:
        """Say how a practice stands."""
        with self._database.session() as session:
            record = session.get(PracticeRecord, number)
            if record is not None:
                record.state, record.message = state, message[:_LONGEST_TEXT]

    def discard(self, number: int) -> None:
        """Take back a practice that could not begin."""
        with self._database.session() as session:
            record = session.get(PracticeRecord, number)
            if record is not None:
                session.delete(record)

    def put_pace(self, number: int, feed: FeedChoice) -> None:
        """Another pace of the same feed."""
        with self._database.session() as session:
            record = session.get(PracticeRecord, number)
            if record is not None:
                record.feed = feed.model_dump(mode="json")


def _event(row: PracticeEvent) -> StoredEvent:
    return StoredEvent(
        row.id, row.key, row.kind, row.market, row.bar, row.time, row.text, row.sent, row.tries, row.answer
    )


def _prices(bar: BarSaid) -> dict[str, float]:
    return dict(zip(PRICES, bar.values, strict=True))


def _packed(bars: Bars) -> bytes:
    rows = np.stack((bars.time.astype(np.float64), *(getattr(bars, name) for name in PRICES)))
    return zlib.compress(bytes([bars.dated]) + np.ascontiguousarray(rows, "<f8").tobytes(), 1)


def _unpacked(data: bytes, timeframe: Timeframe) -> Bars:
    try:
        plain = zlib.decompress(data)
    except zlib.error as exc:
        raise StoreError(f"the bars of a practice are damaged: {exc}") from exc
    rows: Any = np.frombuffer(plain[1:], "<f8").reshape(_ROWS, -1).copy()
    time, first, high, low, last, volume = rows
    return Bars(timeframe, time.astype(np.int64), first, high, low, last, volume, dated=bool(plain[0]))
