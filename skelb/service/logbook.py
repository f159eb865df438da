"""The logbook: every kept run with what it was changed from, and runs that were looked at and not kept."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import ColumnElement, delete, func, select
from sqlalchemy.orm import Session

from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.figures import Figures
from skelb.service.library import Library
from skelb.service.readable import read_each
from skelb.service.setup import Setup
from skelb.store import Database, LogLine, RunRecord, SeenRecord, now

SEEN_DAYS = 30
MOST_SEEN = 5_000
_MOST_TAGS = 12
_LONGEST_TAG = 40
_LONGEST_NOTE = 1_000


@dataclass(frozen=True, slots=True)
class LoggedRun:
    """A kept run as the logbook lists it; `equity` in a few evenly chosen points. Figures of the run it was changed
    from stand beside its own, None where there is none."""

    number: int
    parent: int | None
    title: str
    version: int | None
    place: str
    timeframe: str
    change: str
    star: bool
    tags: list[str]
    note: str
    net_profit: float | None
    return_over_drawdown: float | None
    trades: int | None
    parent_return_over_drawdown: float | None
    parent_trades: int | None
    equity: list[float]
    tried: int | None
    described: int | None
    engine_version: str
    created: datetime


@dataclass(frozen=True, slots=True)
class LogPage:
    """Some of the kept runs, newest first: how many match what is asked, and how many there are at all; the titles and
    places that there are to choose from."""

    runs: list[LoggedRun]
    matching: int
    total: int
    titles: list[str]
    places: list[str]


@dataclass(frozen=True, slots=True)
class SeenRun:
    """A run that was looked at for more than a few seconds, and can be kept."""

    setup: Setup
    title: str
    net_profit: float | None
    return_over_drawdown: float | None
    trades: int | None
    seen: datetime


@dataclass(frozen=True, slots=True)
class SeenPage:
    """The newest runs that were looked at; they are remembered for `days`, at most `most`; `bytes` is their size."""

    runs: list[SeenRun]
    total: int
    days: int
    most: int
    bytes: int


class Logbook:
    """What is listed, searched and noted of kept runs."""

    def __init__(self, database: Database, library: Library) -> None:
        self._database, self._library = database, library

    def page(
        self,
        title: str = "",
        place: str = "",
        words: str = "",
        starred: bool = False,
        before: int | None = None,
        most: int = 100,
        left_out: list[str] | None = None,
    ) -> LogPage:
        """Kept runs that match all that is asked, newest first, from before a number on. All of `words` must be in a
        run's title, place, change, tags or note; `left_out` is told which cannot be read."""
        of: list[ColumnElement[bool]] = []
        if title:
            of.append(LogLine.title == title)
        if place:
            of.append(LogLine.place == place)
        if starred:
            of.append(LogLine.star.is_(True))
        of += [LogLine.words.contains(word, autoescape=True) for word in words.lower().split()[:12]]
        there = LogLine.id.not_in(select(RunRecord.id).where(RunRecord.removed_at.is_not(None)))
        with self._database.session() as session:
            query = select(LogLine.id).where(there, *of, *([LogLine.id < before] if before is not None else []))
            numbers = session.scalars(query.order_by(LogLine.id.desc()).limit(most)).all()
            lines = read_each(
                ((number, f"the line of run {number}") for number in numbers),
                lambda number: session.get_one(LogLine, number),
                left_out,
            )
            parents = [line.parent_id for line in lines if line.parent_id is not None]
            beside = select(LogLine.id, LogLine.return_over_drawdown, LogLine.trades).where(LogLine.id.in_(parents))
            figures = {number: (ratio, trades) for number, ratio, trades in session.execute(beside)}
            matching = session.scalar(select(func.count()).select_from(LogLine).where(there, *of)) or 0
            total = session.scalar(select(func.count()).select_from(LogLine).where(there)) or 0
            titles = list(session.scalars(select(LogLine.title).distinct().order_by(LogLine.title)))
            places = list(session.scalars(select(LogLine.place).distinct().order_by(LogLine.place)))
        runs = [_logged(line, *figures.get(line.parent_id or 0, (None, None))) for line in lines]
        return LogPage(runs, matching, total, titles, places)

    def note(
        self, number: int, star: bool | None = None, tags: Sequence[str] | None = None, note: str | None = None
    ) -> None:
        """Set what is given of a kept run. Raises NotFoundError when there is none of that number, SettingsError on
        tags or a note that are too long."""
        with self._database.session() as session:
            line = session.get(LogLine, number)
            if line is None:
                raise NotFoundError(f"there is no kept run {number}")
            if star is not None:
                line.star = star
            if tags is not None:
                line.tags = _tags(tags)
            if note is not None:
                if len(note) > _LONGEST_NOTE:
                    raise SettingsError(f"a note has at most {_LONGEST_NOTE:,} characters")
                line.note = note
            line.words = words_of(line)
        self._library.tell("runs")

    # --- looked at ---------------------------------------------------------------------------------------------

    def saw(self, setup: Setup, title: str, figures: Figures) -> None:
        """Remember a run that was looked at; one that was looked at before is only newer now."""
        told = {key: figures[key] for key in ("net_profit", "return_over_drawdown", "trades")}
        with self._database.session() as session:
            session.merge(
                SeenRecord(key=setup.key, title=title, setup=setup.model_dump(mode="json"), seen=now(), **told)
            )
            session.flush()
            _forget(session)

    def seen(self, title: str = "", most: int = 100) -> SeenPage:
        """Runs of a script (of all, without a title) that were looked at, newest first."""
        of = [SeenRecord.title == title] if title else []
        since = SeenRecord.seen > now() - timedelta(days=SEEN_DAYS)
        with self._database.session() as session:
            keys = session.scalars(
                select(SeenRecord.key).where(since, *of).order_by(SeenRecord.seen.desc()).limit(most)
            )
            named = list(enumerate(keys.all()))
            runs = read_each(
                ((place, "a run that was looked at") for place, _ in named),
                lambda place: _seen(session.get_one(SeenRecord, named[place][1])),
                None,
            )
            total = session.scalar(select(func.count()).select_from(SeenRecord).where(since, *of)) or 0
            size = session.scalar(select(func.sum(func.length(SeenRecord.setup)))) or 0
        return SeenPage(runs, total, SEEN_DAYS, MOST_SEEN, int(size))


def _seen(record: SeenRecord) -> SeenRun:
    return SeenRun(
        Setup.model_validate(record.setup), record.title, record.net_profit, record.return_over_drawdown,
        record.trades, record.seen,
    )  # fmt: skip


def words_of(line: LogLine) -> str:
    """All that is searched of a line."""
    parts = (line.title, line.place, line.timeframe, line.change, *line.tags, line.note)
    return " ".join(parts).lower()


def _forget(session: Session) -> None:
    """What is too old, and the oldest of too many."""
    session.execute(delete(SeenRecord).where(SeenRecord.seen < now() - timedelta(days=SEEN_DAYS)))
    oldest = select(SeenRecord.seen).order_by(SeenRecord.seen.desc()).offset(MOST_SEEN).limit(1)
    if (last := session.scalar(oldest)) is not None:
        session.execute(delete(SeenRecord).where(SeenRecord.seen <= last))


def _tags(given: Sequence[str]) -> list[Any]:
    found = list(dict.fromkeys(" ".join(tag.split()) for tag in given))
    found = [tag for tag in found if tag]
    if len(found) > _MOST_TAGS or any(len(tag) > _LONGEST_TAG for tag in found):
        raise SettingsError(f"a run has at most {_MOST_TAGS} tags of {_LONGEST_TAG} characters")
    return found


def _logged(line: LogLine, parent_ratio: float | None, parent_trades: int | None) -> LoggedRun:
    return LoggedRun(
        number=line.id, parent=line.parent_id, title=line.title, version=line.version, place=line.place,
        timeframe=line.timeframe, change=line.change, star=line.star, tags=list(line.tags), note=line.note,
        net_profit=line.net_profit, return_over_drawdown=line.return_over_drawdown, trades=line.trades,
        parent_return_over_drawdown=parent_ratio, parent_trades=parent_trades,
        equity=np.frombuffer(line.curve, np.float32).astype(float).tolist(), tried=line.tried,
        described=line.described, engine_version=line.engine_version, created=line.created,
    )  # fmt: skip
