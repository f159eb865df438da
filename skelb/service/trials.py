"""Sweeps as jobs: results are committed as they come, a stopped or interrupted one goes on where it was."""

import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from threading import Event, Lock, Thread
from typing import Any

from sqlalchemy import func, insert, select, update

from skelb.core.errors import ConflictError, NotFoundError, SkelbError
from skelb.core.trials import (
    Axis,
    Cell,
    check_objective,
    grid,
    grid_size,
    landmarks,
    neighbourhood,
    read_axis,
    run_cells,
)
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup
from skelb.service.sweeps import higher_is_better, surface_values
from skelb.store import CellRecord, Database, TrialRecord

WORKERS = 2
_COMMIT_EVERY_S = 0.2


@dataclass(frozen=True)
class TrialState:
    """How far a trial is. `state` is running, stopped, done or failed."""

    id: int
    state: str
    done: int
    total: int
    rate: float | None
    message: str
    created: datetime
    setup: Setup
    axes: tuple[Axis, ...]
    objective: str
    min_trades: int


@dataclass(frozen=True)
class Surface:
    """A trial read as a surface; lists are in grid order, None where there is nothing."""

    values: list[float | None]
    neighbourhood: list[float | None]
    trades: list[int | None]
    plateau: int | None
    rocks: list[int]


class _Job:
    def __init__(self) -> None:
        self.stop = Event()
        self.rate: float | None = None
        self.thread: Thread | None = None


class Trials:
    """All trials of a data folder."""

    def __init__(self, database: Database, library: Library, datasets: Datasets) -> None:
        self._database, self._library, self._datasets = database, library, datasets
        self._jobs: dict[int, _Job] = {}
        self._lock = Lock()
        with database.session() as session:  # what ran when the program last ended was interrupted
            session.execute(
                update(TrialRecord)
                .where(TrialRecord.state == "running")
                .values(state="stopped", message="interrupted when the program ended; everything finished was kept")
            )

    def plan(self, setup: Setup, vary: Sequence[str]) -> tuple[tuple[Axis, ...], int]:
        """The axes and the number of runs. Raises SkelbError on what cannot be swept."""
        checked = setup.checked(self._library, setup.dataset(self._datasets))
        axes = tuple(read_axis(item, checked) for item in vary)
        return axes, grid_size(axes)

    def measure(self, setup: Setup, vary: Sequence[str]) -> float:
        """Seconds that the whole grid will take, judged by one run at the grid's middle after its first."""
        sweep = setup.sweep(self._library, self._datasets)
        axes, total = self.plan(setup, vary)
        middle = {axis.name: axis.values[len(axis.values) // 2] for axis in axes}
        sweep.run_one({axis.name: axis.values[0] for axis in axes})
        started = time.perf_counter()
        sweep.run_one(middle)
        return (time.perf_counter() - started) * total / WORKERS

    def start(self, setup: Setup, vary: Sequence[str], objective: str, min_trades: int) -> int:
        """Begin a sweep; its number. Raises SkelbError on what cannot be swept."""
        check_objective(objective)
        axes, total = self.plan(setup, vary)
        with self._database.session() as session:
            record = TrialRecord(
                setup=setup.model_dump(mode="json"),
                axes=[{"name": axis.name, "values": list(axis.values)} for axis in axes],
                objective=objective,
                min_trades=min_trades,
                total=total,
                state="stopped",
            )
            session.add(record)
            session.flush()
            number = record.id
        self.go_on(number)
        return number

    def go_on(self, number: int) -> None:
        """Run what is missing of a trial. Raises ConflictError when it is running."""
        state = self.state(number)
        with self._lock:
            if number in self._jobs:
                raise ConflictError(f"trial {number} is running already")
            if state.done == state.total:
                return
            job = self._jobs[number] = _Job()
        self._set_state(number, "running", "")
        job.thread = Thread(target=self._work, args=(number, job), name=f"trial-{number}", daemon=True)
        job.thread.start()

    def stop(self, number: int) -> None:
        """Stop a trial after the runs under way; what is finished stays."""
        with self._lock:
            job = self._jobs.get(number)
        if job is not None:
            job.stop.set()
            if job.thread is not None:
                job.thread.join()

    def close(self) -> None:
        """Stop every trial."""
        for number in list(self._jobs):
            self.stop(number)

    def states(self) -> list[TrialState]:
        """All trials, newest first."""
        with self._database.session() as session:
            numbers = list(session.scalars(select(TrialRecord.id).order_by(TrialRecord.id.desc()).limit(100)))
        return [self.state(number) for number in numbers]

    def state(self, number: int) -> TrialState:
        """How far a trial is. Raises NotFoundError when there is none of that number."""
        with self._database.session() as session:
            record = session.get(TrialRecord, number)
            if record is None:
                raise NotFoundError(f"there is no trial {number}")
            done = session.scalar(select(func.count()).where(CellRecord.trial_id == number)) or 0
        job = self._jobs.get(number)
        axes = tuple(Axis(item["name"], tuple(item["values"])) for item in record.axes)
        created = record.created.replace(tzinfo=record.created.tzinfo or UTC)
        return TrialState(
            number, record.state, done, record.total, job.rate if job else None, record.message, created,
            Setup.model_validate(record.setup), axes, record.objective, record.min_trades,
        )  # fmt: skip

    def surface(self, state: TrialState, objective: str | None = None, min_trades: int | None = None) -> Surface:
        """The trial's cells as a surface of a figure."""
        goal = check_objective(objective or state.objective)
        with self._database.session() as session:
            query = select(CellRecord.number, CellRecord.figures).where(CellRecord.trial_id == state.id)
            cells = [(number, figures) for number, figures in session.execute(query)]
        least = state.min_trades if min_trades is None else min_trades
        values = surface_values(state.axes, cells, goal, least)
        found = landmarks(values, higher_is_better(goal))
        trades: list[int | None] = [None] * state.total
        for number, figures in cells:
            trades[number] = None if figures is None else figures["trades"]
        return Surface(
            _plain(values.ravel()), _plain(neighbourhood(values).ravel()), trades, found.plateau, list(found.rocks)
        )

    def cell(self, number: int, cell: int) -> dict[str, Any]:
        """One finished run of a trial: inputs, figures, error. Raises NotFoundError when it has not run."""
        with self._database.session() as session:
            record = session.scalar(select(CellRecord).where(CellRecord.trial_id == number, CellRecord.number == cell))
            if record is None:
                raise NotFoundError(f"run {cell} of trial {number} has not been made yet")
            return {"number": cell, "inputs": record.inputs, "figures": record.figures, "error": record.error}

    # --- the work ----------------------------------------------------------------------------------------------

    def _work(self, number: int, job: _Job) -> None:
        try:
            finished = self._run(number, job)
            self._set_state(number, "done" if finished else "stopped", "")
        except SkelbError as exc:
            self._set_state(number, "failed", str(exc)[:500])
        except Exception as exc:  # noqa: BLE001 - a job's thread has no caller; the trial says what happened
            self._set_state(number, "failed", f"this should not have happened: {type(exc).__name__}: {exc}"[:500])
        finally:
            with self._lock:
                self._jobs.pop(number, None)

    def _run(self, number: int, job: _Job) -> bool:
        """Run the missing cells; whether all are there now."""
        state = self.state(number)
        sweep = state.setup.sweep(self._library, self._datasets)
        with self._database.session() as session:
            present = set(session.scalars(select(CellRecord.number).where(CellRecord.trial_id == number)))
        missing = [(index, inputs) for index, inputs in enumerate(grid(state.axes)) if index not in present]
        waiting: list[Cell] = []
        started = committed = time.monotonic()
        count = 0
        with ThreadPoolExecutor(WORKERS, thread_name_prefix=f"trial-{number}") as executor:
            groups = run_cells(sweep, missing, executor, ahead=2 * WORKERS)
            for group in groups:
                waiting.extend(group)
                count += len(group)
                now = time.monotonic()
                job.rate = count / max(now - started, 1e-6)
                if now - committed >= _COMMIT_EVERY_S or job.stop.is_set():
                    self._commit(number, waiting)
                    waiting, committed = [], now
                if job.stop.is_set():
                    groups.close()
                    return count == len(missing)
        self._commit(number, waiting)
        return True

    def _commit(self, number: int, cells: list[Cell]) -> None:
        if not cells:
            return
        rows = [
            {
                "trial_id": number,
                "number": cell.number,
                "inputs": cell.inputs,
                "figures": cell.figures,
                "error": cell.error,
            }
            for cell in cells
        ]
        with self._database.session() as session:
            session.execute(insert(CellRecord), rows)

    def _set_state(self, number: int, state: str, message: str) -> None:
        with self._database.session() as session:
            session.execute(update(TrialRecord).where(TrialRecord.id == number).values(state=state, message=message))


def _plain(values: Any) -> list[float | None]:
    return [None if item != item else item for item in values.tolist()]
