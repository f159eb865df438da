"""Trials in the data file: orders, chunks of finished runs, looks at what is held back."""

from collections.abc import Callable, Collection
from dataclasses import asdict, dataclass, field
from datetime import UTC, date, datetime
from threading import Lock
from typing import Any

import numpy as np
from sqlalchemy import func, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from skelb.core.errors import ConflictError, NotFoundError
from skelb.core.figures import FIGURE_KEYS
from skelb.core.trials import BLOCKS, Axis, Results, Span
from skelb.service.readable import read_each
from skelb.service.trials.orders import HELD_BACK, Layout, Part, TrialOrder
from skelb.store import Database, LookRecord, TrialChunk, TrialRecord

_MOST_HELD = 4


@dataclass(frozen=True, eq=False)
class StoredTrial:
    """A trial as it is stored. `state` is running, stopped, done or failed; `numbers` None stands for the whole
    grid."""

    id: int
    title: str
    order: TrialOrder
    axes: tuple[Axis, ...]
    parts: tuple[Part, ...]
    held_back: Span | None
    numbers: np.ndarray | None
    data_version: int
    total: int
    state: str
    message: str
    created: datetime
    done: int


@dataclass(frozen=True)
class TrialLine:
    """A trial as a line of a list; `axes` are the names of what varies."""

    id: int
    kind: str
    title: str
    market: str
    axes: tuple[str, ...]
    done: int
    total: int


@dataclass
class _Held:
    """What has been read of a trial's chunks so far."""

    last_chunk: int = 0
    read: list[Results] = field(default_factory=list)


class TrialStore:
    """All trials of a data file. Safe to share among threads."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._held: dict[int, _Held] = {}
        self._lock = Lock()

    def add(self, order: TrialOrder, layout: Layout) -> int:
        """Store a trial that has not begun; its number."""
        parts = [_part_document(part) for part in layout.parts]
        if layout.held_back:
            parts.append({**_span_document(layout.held_back), "outside": None})
        with self._database.session() as session:
            record = TrialRecord(
                kind=order.kind, title=layout.title, order=order.model_dump(mode="json"), parts=parts,
                axes=[asdict(axis) for axis in layout.axes],
                numbers=None if layout.numbers is None else layout.numbers.astype(np.int64).tobytes(),
                figure_keys=list(FIGURE_KEYS), data_version=layout.sweep.data_version,
                total=layout.total, state="stopped",
            )  # fmt: skip
            session.add(record)
            session.flush()
            return record.id

    def trial(self, number: int) -> StoredTrial:
        """One trial. Raises NotFoundError when there is none of that number."""
        with self._database.session() as session:
            record = session.get(TrialRecord, number)
            if record is None or record.removed_at is not None:
                raise NotFoundError(f"there is no trial {number}")
            done = _done(session, number)
        spans = [_read_part(item) for item in record.parts]
        held = next((part.span for part in spans if part.span.name == HELD_BACK), None)
        return StoredTrial(
            number, record.title, TrialOrder.model_validate(record.order),
            tuple(Axis(**{**item, "values": tuple(item["values"])}) for item in record.axes),
            tuple(part for part in spans if part.span is not held), held,
            None if record.numbers is None else np.frombuffer(record.numbers, np.int64),
            record.data_version, record.total, record.state, record.message,
            record.created.replace(tzinfo=record.created.tzinfo or UTC), done,
        )  # fmt: skip

    def newest(self, most: int = 100, left_out: list[str] | None = None) -> list[TrialLine]:
        """The newest trials, newest first, without what would make a long list heavy.

        `left_out` is told which cannot be read.
        """
        with self._database.session() as session:
            query = select(TrialRecord.id).where(TrialRecord.removed_at.is_(None)).order_by(TrialRecord.id.desc())
            numbers = session.scalars(query.limit(most)).all()
            return read_each(
                ((number, f"trial {number}") for number in numbers), lambda number: _line(session, number), left_out
            )

    def set_state(self, number: int, state: str, message: str = "") -> None:
        """Say how a trial is."""
        with self._database.session() as session:
            session.execute(
                update(TrialRecord).where(TrialRecord.id == number).values(state=state, message=message[:500])
            )

    def mark_interrupted(self) -> None:
        """Trials that ran when the program last ended are stopped now."""
        message = "interrupted when the program ended; everything finished was kept"
        with self._database.session() as session:
            running = update(TrialRecord).where(TrialRecord.state == "running")
            session.execute(running.values(state="stopped", message=message))

    def chunks(self, number: int) -> int:
        """How many chunks of finished runs a trial has."""
        with self._database.session() as session:
            return session.scalar(select(func.count()).where(TrialChunk.trial_id == number)) or 0

    def commit(self, number: int, chunk: int, found: Results, also: Callable[[Session], None]) -> int:
        """Store finished runs, all or none, as the chunk of this number of a trial; the number of the next one.

        `also` writes what goes with them. Raises ConflictError when the trial has that chunk: another program runs it
        too.
        """
        if not len(found):
            return chunk
        try:
            self._add_chunk(number, chunk, found, also)
        except IntegrityError:
            raise ConflictError(
                f"another program is running trial {number} in the same data folder; it goes on there, and nothing is"
                " stored twice"
            ) from None
        return chunk + 1

    def _add_chunk(self, number: int, chunk: int, found: Results, also: Callable[[Session], None]) -> None:
        with self._database.session() as session:
            session.add(
                TrialChunk(
                    trial_id=number,
                    number=chunk,
                    count=len(found),
                    numbers=found.numbers.tobytes(),
                    parts=found.parts.tobytes(),
                    figures=found.figures.tobytes(),
                    blocks=found.blocks.tobytes(),
                    errors={str(row): text[:500] for row, text in found.errors.items()},
                )
            )
            also(session)

    def results(self, number: int) -> Results:
        """All finished runs of a trial, in the order they finished; only what is new since the last question is
        read."""
        with self._lock:
            held = self._held.pop(number, None) or _Held()
            self._held[number] = held  # the last asked for is the last to go
            while len(self._held) > _MOST_HELD:
                self._held.pop(next(iter(self._held)))
            with self._database.session() as session:
                keys = session.scalar(select(TrialRecord.figure_keys).where(TrialRecord.id == number)) or []
                query = select(TrialChunk).where(TrialChunk.trial_id == number, TrialChunk.id > held.last_chunk)
                for chunk in session.scalars(query.order_by(TrialChunk.id)):
                    held.read.append(_results(chunk, keys))
                    held.last_chunk = chunk.id
            joined = Results.joined(held.read)
            held.read = [joined]
            return joined

    def look(self, title: str, market: str, span: Span) -> None:
        """Count a look at a span of a market that was held back from a script."""
        with self._database.session() as session:
            session.add(LookRecord(title=title, market=market, first=span.first, last=span.last))

    def looks(self, title: str, markets: Collection[str], span: Span | None = None) -> int:
        """How often days of some markets that were held back were looked at with a script: all, or those of a span."""
        looked = [LookRecord.title == title, LookRecord.market.in_(markets)]
        if span is not None:
            looked += [LookRecord.first <= span.last, LookRecord.last >= span.first]
        with self._database.session() as session:
            return int(session.scalar(select(func.count()).where(*looked)) or 0)


def _line(session: Session, number: int) -> TrialLine:
    of = TrialRecord
    query = select(of.kind, of.title, of.order, of.axes, of.total).where(of.id == number)
    kind, title, order, axes, total = session.execute(query).one()
    done = _done(session, number)
    setup = order["setup"]
    market = f"a basket of {len(setup['basket'])} markets" if setup.get("basket") else setup["market"]
    return TrialLine(number, kind, title, market, tuple(axis["name"] for axis in axes), done, total)


def _done(session: Session, number: int) -> int:
    """How many runs of a trial are finished."""
    return session.scalar(select(func.sum(TrialChunk.count)).where(TrialChunk.trial_id == number)) or 0


def _results(chunk: TrialChunk, keys: list[Any]) -> Results:
    """The runs of a chunk with its columns where today's figures are; those it has not are unknown."""
    stored = np.frombuffer(chunk.figures, np.float64).reshape(chunk.count, -1)
    figures = np.full((chunk.count, len(FIGURE_KEYS)), np.nan)
    for column, key in enumerate(keys):
        if key in FIGURE_KEYS:
            figures[:, FIGURE_KEYS.index(key)] = stored[:, column]
    errors = {int(row): text for row, text in chunk.errors.items()}
    blocks = np.full((chunk.count, 3 * BLOCKS), np.nan)
    if chunk.blocks is not None:
        blocks = np.frombuffer(chunk.blocks, np.float64).reshape(chunk.count, -1)
    numbers, parts = np.frombuffer(chunk.numbers, np.int64), np.frombuffer(chunk.parts, np.int64)
    return Results(numbers, parts, figures, blocks, errors)


def _part_document(part: Part) -> dict[str, Any]:
    """A part as it is stored."""
    return {**_span_document(part.span), "outside": _span_document(part.outside) if part.outside else None}


def _read_part(stored: dict[str, Any]) -> Part:
    """A part from what is stored."""
    outside = stored.get("outside")
    return Part(_read_span(stored), _read_span(outside) if outside else None)


def _span_document(span: Span) -> dict[str, Any]:
    """A span as it is stored."""
    return {"name": span.name, "first": span.first.isoformat(), "last": span.last.isoformat(), "days": span.days}


def _read_span(stored: dict[str, Any]) -> Span:
    """A span from what is stored."""
    return Span(stored["name"], date.fromisoformat(stored["first"]), date.fromisoformat(stored["last"]), stored["days"])
