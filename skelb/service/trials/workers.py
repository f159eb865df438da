"""Who computes the runs of a trial: threads here, or the workers of a cluster."""

from collections.abc import Callable, Generator, Iterable, Iterator
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from skelb.core.errors import SkelbError
from skelb.core.trials import Axis, Cell, Sweep, Task, packed, run_cells, run_shipped, run_tasks

THREADS = 2
_CONNECT_S = 10


class WorkersError(SkelbError):
    """The cluster cannot be used, or gave up; what was finished before is kept."""


@dataclass(frozen=True)
class Workers:
    """An executor, what it calls for a group of tasks, how many tasks a group has, and how many groups to keep it busy
    with."""

    executor: Executor
    call: Callable[[Any, list[Task]], list[Cell]]
    sweep: Any
    chunk: int
    ahead: int

    def cells(self, tasks: Iterable[Task]) -> Generator[list[Cell], None, None]:
        """The finished cells of tasks in groups, in order; closing it ends after the groups under way."""
        return run_cells(self._submit, tasks, self.chunk, self.ahead)

    def _submit(self, tasks: list[Task]) -> "Future[list[Cell]]":
        return self.executor.submit(self.call, self.sweep, tasks)


@contextmanager
def workers_for(
    sweep: Sweep, axes: tuple[Axis, ...], threads: int = THREADS, cluster: str | None = None
) -> Iterator[Workers]:
    """Threads, or the cluster at an address such as tcp://127.0.0.1:8786. Raises WorkersError when that fails."""
    if cluster is None:
        with ThreadPoolExecutor(threads, thread_name_prefix="trial") as executor:
            yield Workers(executor, run_tasks, sweep, sweep.chunk, 2 * threads)
        return
    with _connected(cluster) as client:
        try:
            sent = client.scatter(packed(sweep, axes), broadcast=True, hash=False)
            count = max(1, sum(client.nthreads().values()))
            yield Workers(client.get_executor(), run_shipped, sent, sweep.chunk, 3 * count)
        except SkelbError:
            raise
        except Exception as exc:
            raise WorkersError(
                f"the workers at {cluster} gave up ({type(exc).__name__}: {exc}): go on when they are back, or with threads"  # noqa: E501
            ) from exc


@contextmanager
def _connected(address: str) -> Iterator[Any]:
    try:
        from distributed import Client  # an optional extra, slow to load
    except ImportError as exc:
        raise WorkersError("running on a cluster needs the extra: pip install 'skelb[cluster]'") from exc
    try:
        client: Any = Client(address, timeout=_CONNECT_S, set_as_default=False)  # type: ignore[no-untyped-call]
    except Exception as exc:
        raise WorkersError(f"there is no cluster at {address} ({exc}): start one, or leave the address out") from exc
    try:
        if not client.nthreads():
            raise WorkersError(f"the cluster at {address} has no workers yet")
        yield client
    finally:
        client.close()
