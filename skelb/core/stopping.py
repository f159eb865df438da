"""Computing that can be stopped: who waits for it holds a `Work`, and what may take long passes by `stop_point`.

Nothing is stopped by force. Long loops are gone through in stretches of at most a few milliseconds, and between two of
them they look whether anybody still waits.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

STRETCH_STEPS = 4_000_000  # of a compiled inner loop: some milliseconds


class Stopped(Exception):  # noqa: N818 - no error, though it travels like one
    """What was being computed is not wanted any more. No mistake: whoever stopped it catches it."""


class Work:
    """Something that is being computed, seen from outside: how far it is, and the way to end it.

    `done` is the share that is done, 0 to 1. It is written by the thread that computes and read by others.
    """

    def __init__(self) -> None:
        self.done = 0.0
        self._is_stopped = False
        self._begin, self._end = 0.0, 1.0

    @property
    def is_stopped(self) -> bool:
        """Whether nobody waits for it any more."""
        return self._is_stopped

    def stop(self) -> None:
        """End it at its next stop point. From any thread."""
        self._is_stopped = True

    def reach(self, share: float) -> None:
        """Say how much of the part at hand is done; the whole never goes back."""
        self.done = max(self.done, self._begin + (self._end - self._begin) * min(1.0, share))


_current: ContextVar[Work | None] = ContextVar("work", default=None)


@contextmanager
def working(work: Work) -> Iterator[Work]:
    """What is computed inside can be stopped by `work`, and tells it how far it is."""
    token = _current.set(work)
    try:
        yield work
    finally:
        _current.reset(token)


def stop_point(share: float | None = None) -> None:
    """Raise Stopped when nobody waits for what is being computed; else tell how much of the part at hand is done."""
    work = _current.get()
    if work is None:
        return
    if work.is_stopped:
        raise Stopped
    if share is not None:
        work.reach(share)


@contextmanager
def part_of_work(begin: float, end: float) -> Iterator[None]:
    """Shares told inside are shares of this part of what is being computed, both ends as shares of the part around
    it."""
    work = _current.get()
    if work is None:
        yield
        return
    outer = work._begin, work._end
    width = outer[1] - outer[0]
    work._begin, work._end = outer[0] + width * begin, outer[0] + width * end
    try:
        yield
    finally:
        work._begin, work._end = outer


def stretches(size: int, steps_each: int) -> Iterator[tuple[int, int]]:
    """Places 0 to `size` as [first, end), each some milliseconds of work at `steps_each` steps a place; stops
    between."""
    each = max(1, STRETCH_STEPS // max(1, steps_each))
    for first in range(0, size, each):
        stop_point(first / size)
        yield first, min(size, first + each)
