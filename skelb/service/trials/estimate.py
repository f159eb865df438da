"""What an order comes to before it starts, judged by a few of its runs."""

import time
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from skelb.core.errors import SkelbError
from skelb.core.figures import FIGURE_KEYS
from skelb.core.trials import BLOCKS, Sweep, Task, point_at
from skelb.service.trials.orders import Layout
from skelb.service.trials.workers import THREADS, workers_for

_MOST_BESIDE, _LEAST_BESIDE, _BESIDE_S = 64, 8, 0.2
_POINT_BYTES = 1_000  # of what only one point asks: the numbers of its expressions


@dataclass(frozen=True)
class Estimate:
    """Runs, seconds in threads here, bytes held while it runs."""

    runs: int
    seconds: float
    memory_bytes: int


def estimated(layout: Layout) -> Estimate:
    """The estimate of a layout by two runs far apart, then some beside the second, as the trial will run them.

    Raises SettingsError when none of a few points all over it can run.
    """
    sweep = layout.sweep.apart()
    memo = sweep.dataset.memo
    number, seconds, far = _far_apart(layout, sweep)
    before = memo.held_bytes
    beside = _beside(layout, number, min(_MOST_BESIDE, int(_BESIDE_S / max(seconds, 1e-6))))
    if len(beside) >= _LEAST_BESIDE:  # since threads gain less the shorter a run is
        started = time.perf_counter()
        with workers_for(sweep, layout.axes) as workers:
            for _ in workers.cells(beside):
                pass
        seconds = (time.perf_counter() - started) / len(beside)
    else:
        seconds /= THREADS
    near = (memo.held_bytes - before) / max(1, len(beside))
    points = layout.total // max(1, len(layout.parts))  # the parts of a point share what it computes
    values = far * sum(len(axis.values) for axis in layout.axes) + near * points
    results = (
        layout.total * (len(FIGURE_KEYS) + 3 * BLOCKS + 2) * 8 * 2
    )  # as they are stored, and one part ordered to be read
    memory = results + points * _POINT_BYTES + min(memo.budget_bytes, int(values))
    return Estimate(layout.total, seconds * layout.total, memory)


def _far_apart(layout: Layout, sweep: Sweep) -> tuple[int, float, int]:
    """The second of two points that can run, its seconds, and the bytes that it computed anew."""
    memo = sweep.dataset.memo
    ran, found = 0, (0, 0.0, 0)
    refused: SkelbError | None = None
    for number in _samples(layout):
        before, started = memo.held_bytes, time.perf_counter()
        try:
            sweep.run_one(point_at(layout.axes, number), span=layout.first_span)
        except SkelbError as exc:  # its cell will say so; the others may well run
            refused = exc
            continue
        ran, found = ran + 1, (number, time.perf_counter() - started, memo.held_bytes - before)
        if ran == 2:
            break
    if not ran and refused is not None:
        raise refused
    return found


def _samples(layout: Layout) -> Iterator[int]:
    """The numbers of a few points all over a trial, its middle second."""
    size = layout.total // max(1, len(layout.parts))
    for share in (0.0, 0.5, 0.25, 0.75, 1.0):
        place = min(size - 1, int(size * share))
        yield place if layout.numbers is None else int(layout.numbers[place])


def _beside(layout: Layout, number: int, most: int) -> list[Task]:
    """Runs of the points that follow one in the grid."""
    size = int(np.prod([len(axis.values) for axis in layout.axes]))
    numbers = range(number + 1, min(size, number + 1 + most))
    return [Task(near, point_at(layout.axes, near), 0, layout.first_span) for near in numbers]
