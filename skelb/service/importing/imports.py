"""Importing files of bars in two steps: look at what was read, then store each in one transaction."""

import tempfile
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Any, Literal
from uuid import uuid4

import numpy as np

from skelb.core.bars import PRICES, Bars, Joining, Timeframe, compare_bars, join_bars
from skelb.core.errors import NotFoundError
from skelb.service.importing.bars_csv import BarsFile, FileColumns, read_bars_csv, read_columns
from skelb.service.library import Library, StoredBars, StoredMarket
from skelb.service.names import symbol_of

MOST_WAITING = 200
_LONGEST_NAME = 60  # signs; a file system counts bytes, up to four of them for a sign

_COLUMNS = ("time", *PRICES)

How = Literal["instead", "add", "correct"]
HOWS: tuple[How, ...] = ("instead", "add", "correct")


@dataclass(frozen=True)
class Preview:
    """A file that was read and waits to be stored; `symbol` is what its name seems to mean."""

    token: str
    name: str
    symbol: str
    file: BarsFile


@dataclass(frozen=True)
class _Waiting:
    """Bars on disk, as numbers: many large files should not stand in memory at once."""

    path: Path
    timeframe: Timeframe
    dated: bool

    def bars(self) -> Bars:
        with np.load(self.path) as columns:
            extra = {name[1:]: columns[name] for name in columns.files if name.startswith("+")}
            time, opens, highs, lows, closes, volumes = (columns[name] for name in _COLUMNS)
        return Bars(self.timeframe, time, opens, highs, lows, closes, volumes, columns=extra, dated=self.dated)


class Imports:
    """Files on their way in; what is not stored is forgotten when the program ends."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._folder: tempfile.TemporaryDirectory[str] | None = None  # once there is something to wait in it
        self._waiting: OrderedDict[str, _Waiting] = OrderedDict()
        self._lock = Lock()

    def read(self, name: str, data: bytes | bytearray, zone: str, columns: Mapping[str, str] | None = None) -> Preview:
        """What is in a file that came over the wire. Raises BarsError when it holds no bars."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / _file_name(name)
            path.write_bytes(data)
            return self.read_file(path, zone, columns)

    def read_file(self, path: Path, zone: str, columns: Mapping[str, str] | None = None) -> Preview:
        """What is in a file. Raises BarsError when it holds no bars."""
        file = read_bars_csv(path, zone, columns)
        bars, token = file.bars, uuid4().hex
        with self._lock:
            if self._folder is None:
                self._folder = tempfile.TemporaryDirectory(prefix="skelb-imports-", ignore_cleanup_errors=True)
            kept = Path(self._folder.name) / f"{token}.npz"
        arrays: dict[str, Any] = {key: getattr(bars, key) for key in _COLUMNS}
        arrays |= {f"+{key}": values for key, values in bars.columns.items()}
        np.savez(kept, **arrays)
        with self._lock:
            self._waiting[token] = _Waiting(kept, bars.timeframe, bars.dated)
            while len(self._waiting) > MOST_WAITING:
                self._waiting.popitem(last=False)[1].path.unlink(missing_ok=True)
        known = [market.symbol for market in self._library.markets()]
        return Preview(token, path.name, symbol_of(path.name, known), file)

    def columns(self, name: str, data: bytes | bytearray) -> FileColumns:
        """What the columns of a file are. Raises BarsError when it is no table."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / _file_name(name)
            path.write_bytes(data)
            return read_columns(path)

    def compare(self, token: str, symbol: str) -> Joining | None:
        """A read file beside what is stored under a symbol on its timeframe; None when nothing is.

        Raises NotFoundError when the file waits no longer.
        """
        bars = self._bars(token)
        there = _stored_on(self._library, symbol, bars.timeframe)
        return compare_bars(self._library.whole_bars(there), bars) if there else None

    def store(
        self, token: str, symbol: str, title: str, settings: dict[str, Any] | None, how: How = "instead"
    ) -> StoredMarket:
        """Store a read file under a symbol: instead of the bars it has on that timeframe, added to them, or added and
        where both have a bar in its place. Without settings a stored market keeps its own.

        Raises NotFoundError when the file waits no longer.
        """
        bars = self._bars(token)
        with self._library.writing:  # what is added to must not change in between
            there = _stored_on(self._library, symbol, bars.timeframe) if how != "instead" else None
            if there is not None:
                bars = join_bars(self._library.whole_bars(there), bars, how == "correct")
            stored = self._library.save_market(symbol, title, settings, [bars])
        self.forget(token)
        return stored

    def forget(self, token: str) -> None:
        """Let a read file go that is not to be stored."""
        with self._lock:
            waiting = self._waiting.pop(token, None)
        if waiting is not None:
            waiting.path.unlink(missing_ok=True)

    def close(self) -> None:
        """Forget what waits."""
        if self._folder is not None:
            self._folder.cleanup()

    def _bars(self, token: str) -> Bars:
        with self._lock:
            waiting = self._waiting.get(token)
        if waiting is None:
            raise NotFoundError("this file is no longer waiting: choose it again; nothing was stored")
        return waiting.bars()


def _stored_on(library: Library, symbol: str, timeframe: Timeframe) -> StoredBars | None:
    try:
        return library.market(symbol.strip()).on(timeframe)
    except NotFoundError:
        return None


def _file_name(given: str) -> str:
    """A name to say and to write under, whatever a page sends: no folders, nothing unprintable, not too long."""
    name = "".join(sign for sign in given.replace("\\", "/").rsplit("/", 1)[-1] if sign.isprintable())
    return name[-_LONGEST_NAME:] if name.strip(". ") else "bars.csv"
