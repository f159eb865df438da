"""Trials as jobs: results are committed as they come, a stopped or interrupted one goes on where it was."""

import re
import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import suppress
from threading import Event, Lock, Thread

import numpy as np

from skelb.core.errors import ConflictError, SettingsError, SkelbError
from skelb.core.trials import Axis, Cell, Results, Task, point_at
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.prepared import Prepared
from skelb.service.tallies import Tallies
from skelb.service.trials.orders import Layout, Part, TrialOrder, laid_out
from skelb.service.trials.store import StoredTrial, TrialStore
from skelb.service.trials.workers import WorkersError, workers_for
from skelb.store import Database, StoreError

_COMMIT_EVERY_S = 0.2
_MOST_LAID = 3
_CLUSTER = "cluster"
_ADDRESS = re.compile(r"(?:tcp|tls)://(?:[A-Za-z0-9._-]+|\[[0-9A-Fa-f:.]+\]):[0-9]{1,5}")


class _Job:
    def __init__(self) -> None:
        self.stop = Event()
        self.rate: float | None = None
        self.thread: Thread | None = None


class Trials:
    """All trials of a data folder."""

    def __init__(self, database: Database, library: Library, datasets: Datasets, tallies: Tallies) -> None:
        self._library, self._datasets, self._tallies = library, datasets, tallies
        self.store = TrialStore(database)
        self._jobs: dict[int, _Job] = {}
        self._unstored: dict[int, str] = {}  # why a trial stopped, when the file could not even hold that
        self._laid: OrderedDict[str, Layout] = OrderedDict()
        self._lock = Lock()
        library.watch(self._forget)
        if not database.read_only:
            self.store.mark_interrupted()

    def layout(self, order: TrialOrder) -> Layout:
        """What an order comes to, made once as long as nothing it stands on is saved. Raises SkelbError on what cannot
        be run."""
        key = order.model_dump_json()
        with self._lock:
            found = self._laid.get(key)
        if found is None:
            found = laid_out(order, self._library, self._datasets)
            with self._lock:
                self._laid[key] = found
                while len(self._laid) > _MOST_LAID:
                    self._laid.popitem(last=False)
        return found

    def prepared(self, order: TrialOrder) -> Prepared:
        """The run that an order varies. Raises SkelbError on what cannot be run."""
        return order.setup.prepared(self._library, self._datasets).sound()

    def _forget(self, what: str) -> None:
        """Scripts, bars and accounts are what a layout stands on."""
        if what not in ("runs", "trials"):
            with self._lock:
                self._laid.clear()

    def start(self, order: TrialOrder) -> int:
        """Begin a trial; its number. Raises SkelbError on what cannot be run."""
        layout = self.layout(order)
        order = order.model_copy(update={"setup": order.setup.whole(self._library)})
        number = self.store.add(order, layout)
        self.go_on(number)
        return number

    def go_on(self, number: int) -> None:
        """Run what is missing of a trial. Raises ConflictError when it is running, or its bars have changed since."""
        trial = self.store.trial(number)
        setup = trial.order.setup
        dataset = setup.dataset(self._datasets)
        version = self.layout(trial.order).sweep.data_version if setup.basket else dataset.data_version
        if trial.done and trial.data_version not in (0, version):
            symbols = ", ".join(setup.basket) or dataset.market.symbol
            raise ConflictError(
                f"the bars of {symbols} have changed since trial {number} began: start it anew, so that all of its runs"
                " see the same bars"
            )
        with self._lock:
            if number in self._jobs:
                raise ConflictError(f"trial {number} is running already")
            if trial.state == "done":
                return
            job = self._jobs[number] = _Job()
            self._unstored.pop(number, None)
        try:
            self.store.set_state(number, "running")
        except StoreError:
            with self._lock:
                del self._jobs[number]
            raise
        thread = Thread(target=self._work, args=(trial, job), name=f"trial-{number}", daemon=True)
        with self._lock:  # who stops it meanwhile finds a thread that has begun, or none
            thread.start()
            job.thread = thread

    def stop(self, number: int) -> None:
        """Stop a trial after the runs under way; what is finished stays."""
        with self._lock:
            job = self._jobs.get(number)
            thread = job.thread if job else None
        if job is not None:
            job.stop.set()
        if thread is not None:
            thread.join()

    def close(self) -> None:
        """Stop every trial."""
        for number in list(self._jobs):
            self.stop(number)

    def rate(self, number: int) -> float | None:
        """Runs a second of a trial that is running."""
        job = self._jobs.get(number)
        return job.rate if job else None

    def standing(self, trial: StoredTrial) -> tuple[str, str]:
        """How a trial is, and what is to be said of it."""
        why = self._unstored.get(trial.id)
        return ("stopped", why) if why else (trial.state, trial.message)

    @property
    def cluster(self) -> str:
        """The address of the cluster that trials run on; empty for threads here."""
        return self._library.preference(_CLUSTER)

    @cluster.setter
    def cluster(self, address: str) -> None:
        wanted = address.strip()
        if wanted and not _ADDRESS.fullmatch(wanted):
            raise SettingsError(
                f"the address of a cluster's scheduler is like tcp://127.0.0.1:8786, not `{wanted[:80]}`"
            )
        self._library.set_preference(_CLUSTER, wanted)

    # --- the work ----------------------------------------------------------------------------------------------

    def _work(self, trial: StoredTrial, job: _Job) -> None:
        state, message = "done", ""
        try:
            if not self._run(trial, job):
                state = "stopped"
        except (
            StoreError,
            WorkersError,
            ConflictError,
        ) as exc:  # the trial is sound: it can go on when room or workers are back
            state, message = "stopped", str(exc)
        except SkelbError as exc:
            state, message = "failed", str(exc)
        except Exception as exc:  # noqa: BLE001 - a job's thread has no caller; the trial says what happened
            state, message = "failed", f"this should not have happened: {type(exc).__name__}: {exc}"
        with self._lock:  # whoever reads that it has ended can go on with it
            self._jobs.pop(trial.id, None)
            self._settle(trial.id, state, message)

    def _settle(self, number: int, state: str, message: str) -> None:
        try:
            self.store.set_state(number, state, message)
        except StoreError as exc:
            self._unstored[number] = message or str(exc)

    def _run(self, trial: StoredTrial, job: _Job) -> bool:
        """Run the missing tasks; whether all are there now."""
        layout = self.layout(trial.order)
        sweep = layout.sweep.apart()  # what so many runs compute is not to stay for good
        chunk = self.store.chunks(trial.id)
        present = self.store.results(trial.id)
        missing = missing_tasks(trial.axes, trial.numbers, trial.parts, present)
        waiting: list[Cell] = []

        def commit(chunk: int) -> int:
            with self._tallies.counting(trial.title, layout.tries(waiting, f"trial {trial.id}")) as write:
                return self.store.commit(trial.id, chunk, Results.of(waiting, layout.blocks), write)

        self._tallies.begin(trial.title)
        started = committed = time.monotonic()
        count = 0
        with workers_for(sweep, trial.axes, cluster=self.cluster or None) as workers:
            groups = workers.cells(missing)
            try:
                for group in groups:
                    waiting.extend(group)
                    count += len(group)
                    now = time.monotonic()
                    job.rate = count / max(now - started, 1e-6)
                    if now - committed >= _COMMIT_EVERY_S:
                        chunk = commit(chunk)
                        waiting.clear()
                        committed = now
                    if job.stop.is_set():
                        break
            except BaseException:
                with suppress(
                    StoreError, ConflictError
                ):  # what was finished before the workers gave up or the disk was full
                    commit(chunk)
                raise
            finally:
                groups.close()
        commit(chunk)
        return len(present) + count == trial.total


def missing_tasks(
    axes: tuple[Axis, ...], numbers: np.ndarray | None, parts: tuple[Part, ...], present: Results
) -> Iterator[Task]:
    """What of a trial has not run yet; a point's parts one after the other, a walk-forward window by window."""
    every = np.arange(int(np.prod([len(axis.values) for axis in axes]))) if numbers is None else numbers
    there = set(zip(present.numbers.tolist(), present.parts.tolist(), strict=True))
    spans = [part.span for part in parts]
    is_walk = any(part.outside for part in parts)
    places = (
        [(n, p) for p in range(len(spans)) for n in every.tolist()]
        if is_walk
        else [(n, p) for n in every.tolist() for p in range(max(1, len(spans)))]
    )
    for number, part in places:
        if (number, part) not in there:
            yield Task(number, point_at(axes, number), part, spans[part] if spans else None)
