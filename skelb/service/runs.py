"""Kept runs: their whole setup, and the figures they had."""

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from sqlalchemy import select

from skelb import __version__
from skelb.core.engine import Outcome
from skelb.core.errors import NotFoundError
from skelb.core.export import evenly
from skelb.core.figures import Figures, exit_order, record_together
from skelb.core.language import parsed_title
from skelb.core.language.tree import Side
from skelb.service.changes import FIRST, changes_in_words
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.logbook import words_of
from skelb.service.prepared import Prepared
from skelb.service.readable import read_each
from skelb.service.report import descriptions
from skelb.service.setup import Setup
from skelb.service.tallies import Tallies
from skelb.store import Database, LogLine, RunRecord

_MOST_POINTS = 2_000
_CURVE_POINTS = 48


@dataclass(frozen=True, slots=True)
class TraceTrades:
    """The trades of a run as columns: times are seconds since 1970 UTC, net is money."""

    entry_time: list[int]
    side: list[Side]
    net: list[float]


@dataclass(frozen=True, slots=True)
class Trace:
    """A kept run to see another against: equity in few points, and its trades."""

    time: list[int]
    equity: list[float]
    trades: TraceTrades


@dataclass(frozen=True)
class KeptRun:
    """A run as it is kept; `figures` by side, as backtest results have them."""

    number: int
    setup: Setup
    figures: dict[str, Figures]
    created: datetime


class KeptRuns:
    """All kept runs of a data folder."""

    def __init__(self, database: Database, library: Library, datasets: Datasets, tallies: Tallies) -> None:
        self._database, self._library, self._datasets, self._tallies = database, library, datasets, tallies

    def keep(self, setup: Setup, parent: int | None = None) -> KeptRun:
        """Run a setup once more and keep it, as changed from a kept run of its script, or from the newest of them.

        Raises SkelbError when it cannot run, NotFoundError when there is no such run to be changed from.
        """
        setup = setup.whole(self._library)
        prepared = setup.prepared(self._library, self._datasets).sound()
        outcomes, figures, _ = prepared.judged()
        title = prepared.checked.title
        before = None if parent is None else self.run(parent)
        if before is None or parsed_title(before.setup.text) != title:
            before = self._newest_of(title)
        line = LogLine(
            parent_id=None if before is None else before.number,
            title=title,
            version=self._version_of(title, setup.text),
            place=setup.place,
            timeframe=setup.timeframe,
            change=FIRST if before is None else changes_in_words(before.setup, setup) or "the same again",
            tags=[],
            note="",
            curve=_curve(outcomes),
            tried=self._tried(prepared),
            described=descriptions(setup, self._library).get(setup.market),
            engine_version=__version__,
            **{key: figures["all"][key] for key in ("net_profit", "return_over_drawdown", "trades")},
        )
        line.words = words_of(line)
        with self._database.session() as session:
            record = RunRecord(
                setup=setup.model_dump(mode="json"),
                figures=figures,
                data_version=prepared.sweep().data_version,
                engine_version=__version__,
            )
            session.add(record)
            session.flush()
            line.id = record.id
            session.add(line)
            kept = _kept(record)
        self._library.tell("runs")
        return kept

    def _newest_of(self, title: str) -> KeptRun | None:
        """The run of a script that was kept last, where it can still be read."""
        there = RunRecord.removed_at.is_(None)
        query = select(LogLine.id).join(RunRecord, RunRecord.id == LogLine.id).where(LogLine.title == title, there)
        with self._database.session() as session:
            number = session.scalar(query.order_by(LogLine.id.desc()).limit(1))
        found = [] if number is None else read_each([(number, f"the kept run {number}")], self.run, None)
        return found[0] if found else None

    def _version_of(self, title: str, text: str) -> int | None:
        """The newest saved version of a script with exactly this text."""
        try:
            versions = self._library.script(title).versions
        except NotFoundError:
            return None
        return next((item.number for item in reversed(versions) if item.text == text), None)

    def _tried(self, prepared: Prepared) -> int | None:
        """How many settings of its script were looked at until now; None where none are counted."""
        return None if prepared.basket else self._tallies.looked_at(prepared.checked.title)

    def run(self, number: int) -> KeptRun:
        """One kept run. Raises NotFoundError when there is none of that number."""
        with self._database.session() as session:
            record = session.get(RunRecord, number)
            if record is None or record.removed_at is not None:
                raise NotFoundError(f"there is no kept run {number}")
            return _kept(record)

    def newest(self, most: int = 100, left_out: list[str] | None = None) -> list[KeptRun]:
        """The kept runs, newest first; `left_out` is told which cannot be read."""
        with self._database.session() as session:
            query = select(RunRecord.id).where(RunRecord.removed_at.is_(None)).order_by(RunRecord.id.desc())
            numbers = session.scalars(query.limit(most)).all()
        return read_each(((number, f"the kept run {number}") for number in numbers), self.run, left_out)

    def trace(self, number: int) -> Trace:
        """A kept run once more: its equity in at most 2,000 points, and the time, side and net of every trade.

        Raises NotFoundError when there is no such run, SkelbError when its market or account is gone.
        """
        outcomes = self.run(number).setup.prepared(self._library, self._datasets).sound().outcomes()
        record = record_together(outcomes)
        shown = evenly(record.equity.size, _MOST_POINTS)
        opened = np.unique(
            np.concatenate([item.plan.dataset.bars.time[item.first : item.last + 1] for item in outcomes])
        )
        entered = np.concatenate([item.entry_times() for item in outcomes])
        in_order = exit_order(outcomes)
        sides = np.where(record.is_long, "long", "short").tolist()
        return Trace(
            opened[shown].tolist(), record.equity[shown].tolist(),
            TraceTrades(entered[in_order].tolist(), sides, record.net.tolist()),
        )  # fmt: skip


def _curve(outcomes: list[Outcome]) -> bytes:
    equity = record_together(outcomes).equity
    return equity[evenly(equity.size, _CURVE_POINTS)].astype(np.float32).tobytes()


def _kept(record: RunRecord) -> KeptRun:
    created = record.created.replace(tzinfo=record.created.tzinfo or UTC)
    return KeptRun(record.id, Setup.model_validate(record.setup), record.figures, created)
