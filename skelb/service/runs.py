"""Kept runs: their whole setup, and the figures they had."""

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from sqlalchemy import select

from skelb import __version__
from skelb.core.errors import NotFoundError
from skelb.core.export import evenly
from skelb.core.figures import Figures, exit_order, record_together
from skelb.core.language.tree import Side
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.readable import read_each
from skelb.service.setup import Setup
from skelb.store import Database, RunRecord

_MOST_POINTS = 2_000


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

    def __init__(self, database: Database, library: Library, datasets: Datasets) -> None:
        self._database, self._library, self._datasets = database, library, datasets

    def keep(self, setup: Setup) -> KeptRun:
        """Run a setup once more and keep it. Raises SkelbError when it cannot run."""
        setup = setup.whole(self._library)
        prepared = setup.prepared(self._library, self._datasets).sound()
        figures = prepared.backtest_basket().figures if prepared.basket else prepared.backtest().figures
        with self._database.session() as session:
            record = RunRecord(
                setup=setup.model_dump(mode="json"),
                figures=figures,
                data_version=prepared.sweep().data_version,
                engine_version=__version__,
            )
            session.add(record)
            session.flush()
            kept = _kept(record)
        self._library.tell("runs")
        return kept

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


def _kept(record: RunRecord) -> KeptRun:
    created = record.created.replace(tzinfo=record.created.tzinfo or UTC)
    return KeptRun(record.id, Setup.model_validate(record.setup), record.figures, created)
