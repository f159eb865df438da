"""Importing a file of bars in two steps: look at what was read, then store it in one transaction."""

import tempfile
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Any
from uuid import uuid4

from skelb.core.errors import NotFoundError
from skelb.service.bars_csv import BarsFile, read_bars_csv
from skelb.service.library import Library, StoredMarket

_MOST_WAITING = 3
_LONGEST_NAME = 60  # signs; a file system counts bytes, up to four of them for a sign


@dataclass(frozen=True)
class Preview:
    """A file that was read and waits to be stored."""

    token: str
    name: str
    file: BarsFile


class Imports:
    """Files on their way in; what is not stored is forgotten when the program ends."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._waiting: OrderedDict[str, Preview] = OrderedDict()
        self._lock = Lock()

    def read(self, name: str, data: bytes | bytearray, zone: str) -> Preview:
        """What is in a file. Raises BarsError when it holds no bars."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / _file_name(name)
            path.write_bytes(data)
            preview = Preview(uuid4().hex, path.name, read_bars_csv(path, zone))
        with self._lock:
            self._waiting[preview.token] = preview
            while len(self._waiting) > _MOST_WAITING:
                self._waiting.popitem(last=False)
        return preview

    def store(self, token: str, symbol: str, title: str, settings: dict[str, Any] | None) -> StoredMarket:
        """Store a read file under a symbol; without settings a stored market keeps its own.

        Raises NotFoundError when the file waits no longer.
        """
        with self._lock:
            preview = self._waiting.get(token)
        if preview is None:
            raise NotFoundError("this file is no longer waiting: choose it again; nothing was stored")
        stored = self._library.save_market(symbol, title, settings, [preview.file.bars])
        with self._lock:
            self._waiting.pop(token, None)
        return stored


def _file_name(given: str) -> str:
    """A name to say and to write under, whatever a page sends: no folders, nothing unprintable, not too long."""
    name = "".join(sign for sign in given.replace("\\", "/").rsplit("/", 1)[-1] if sign.isprintable())
    return name[-_LONGEST_NAME:] if name.strip(". ") else "bars.csv"
