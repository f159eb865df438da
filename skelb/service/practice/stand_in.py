"""A feed that stands in for a real one: stored bars as they would come, with faults on request."""

import time
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from random import Random
from threading import Condition, Event, Thread
from typing import Literal, get_args

from websockets.exceptions import ConnectionClosed
from websockets.sync.server import Server, ServerConnection, serve

from skelb.core.errors import SettingsError
from skelb.core.feeds import BarSaid, Clock, Hello, Word, written
from skelb.core.plan import Dataset
from skelb.service.practice.feeds import replayed

Fault = Literal["late", "doubled", "order", "missing", "corrected", "reconnect"]
FAULTS: tuple[Fault, ...] = get_args(Fault)
_CHANCE = 0.15  # of each fault at each closed bar
_AGAIN = 100  # lines that who comes, or comes back, is told again
_BARS_TO_A_BREAK = 25


def with_faults(words: Iterable[Word], faults: frozenset[Fault], seed: int = 1) -> Iterator[Word]:
    """The words of a feed with closed bars late by one, twice, exchanged, missing, or said anew with another close."""
    dice = Random(seed)

    def happens(fault: Fault) -> bool:
        return fault in faults and dice.random() < _CHANCE

    held: BarSaid | None = None
    for word in words:
        if not isinstance(word, BarSaid) or not word.is_closed:
            yield word
            continue
        if happens("missing"):
            continue
        if held is None and (happens("late") or happens("order")):
            held = word
            continue
        yield word
        if happens("doubled"):
            yield word
        if happens("corrected"):
            middle = (word.high + word.low) / 2
            yield BarSaid(word.market, word.timeframe, word.time, *word.values[:3], middle, word.volume, is_closed=True)
        if held is not None:
            yield held
            held = None
    if held is not None:
        yield held


class StandIn:
    """What the feed said so far, and who listens."""

    def __init__(self, datasets: Sequence[Dataset], after: int, pace: float, faults: frozenset[Fault]) -> None:
        if unknown := faults - set(FAULTS):
            raise SettingsError(f"a fault is one of {', '.join(FAULTS)}, not `{min(unknown)}`")
        self.until = Event()
        self._breaks = "reconnect" in faults
        self._lines: list[str] = []
        self._hello = ""
        self._count = 0
        self._more = Condition()
        said = replayed(datasets, after, pace, self.until)
        # Of one market nobody needs the clock; of several it says that a market has no bar of a moment.
        told = BarSaid | Hello if len(datasets) == 1 else BarSaid | Hello | Clock
        words = (word for word in said if isinstance(word, told))
        self._words = with_faults(words, faults)

    def play(self) -> None:
        """Say everything, at the feed's pace, until there is no more."""
        for word in self._words:
            if self.until.is_set():
                break
            with self._more:
                if isinstance(word, Hello):
                    self._hello = written(word)
                else:
                    self._lines.append(written(word))
                    self._count += isinstance(word, BarSaid) and word.is_closed
                self._more.notify_all()
        self.until.wait(0.5)
        with self._more:
            self._more.notify_all()

    def lines(self, start: int) -> tuple[list[str], int]:
        """What was said since; waits a moment for something to come. And where that ends."""
        with self._more:
            if len(self._lines) <= start:
                self._more.wait(0.2)
            return self._lines[start:], len(self._lines)

    def listen(self, port: int, host: str = "127.0.0.1") -> Server:
        """A server for whoever follows. Raises SettingsError where the port cannot be taken."""
        try:
            return serve(self._tell, host, port)
        except OSError as exc:
            raise SettingsError(
                f"port {port} of {host} cannot be taken: {exc.strerror}; choose another with --port"
            ) from exc

    def _tell(self, socket: ServerConnection) -> None:
        """One listener: the hello, the last lines again, then what comes."""
        at, begun = max(0, len(self._lines) - _AGAIN), self._count
        try:
            while not self._hello and not self.until.is_set():
                time.sleep(0.01)
            socket.send(self._hello)
            while not self.until.is_set():
                fresh, at = self.lines(at)
                for line in fresh:
                    socket.send(line)
                if self._breaks and self._count - begun >= _BARS_TO_A_BREAK:
                    socket.close()
                    return
        except ConnectionClosed:
            pass

    def write(self, path: Path) -> None:
        """Say it to a file that grows instead, after what stands there."""
        Thread(target=self.play, daemon=True).start()
        at = 0
        with path.open("a") as file:
            file.write(f"{self._hello}\n" if self._hello else "")
            while not self.until.is_set():
                fresh, at = self.lines(at)
                file.writelines(f"{line}\n" for line in fresh)
                file.flush()
