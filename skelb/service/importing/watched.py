"""A folder whose files of bars are brought in as they come and as they change."""

from collections.abc import Callable
from pathlib import Path
from threading import Event

from skelb.core.bars import guess_market
from skelb.core.errors import NotFoundError, SettingsError, SkelbError
from skelb.service.importing.files import ENDINGS
from skelb.service.importing.imports import Imports
from skelb.service.library import Library

SECONDS_BETWEEN = 2.0
MOST_FILES = 2_000
_Stamp = tuple[int, int]  # when it was written, and its size


class WatchedFolder:
    """Files of bars in a folder and those inside it, each a market or a timeframe of one by its name.

    A file's bars are added to those that are stored and correct them; a new market is described by what its bars tell.
    A file is read once it has not changed between two looks, so that none is read while it is written.
    """

    def __init__(self, library: Library, imports: Imports, folder: Path, zone: str = "UTC") -> None:
        """Raises SettingsError when it is no folder."""
        if not folder.is_dir():
            raise SettingsError(f"{folder} is no folder to watch")
        self._library, self._imports, self._folder, self._zone = library, imports, folder, zone
        self._standing: dict[Path, _Stamp] = {}
        self._read: dict[Path, _Stamp] = {}

    def watch(self, tell: Callable[[str], None], until: Event) -> None:
        """Look again and again until that happens; whatever is brought in, or cannot be, is told."""
        while not until.wait(SECONDS_BETWEEN):
            try:
                for sentence in self.look():
                    tell(sentence)
            except SettingsError as exc:
                tell(f"No more is watched: {exc}")
                return

    def look(self) -> list[str]:
        """Bring in what is new and at rest; a sentence for each file with something new. Raises SettingsError when the
        folder holds too many files."""
        told, now = [], self._stamps()
        for path, stamp in now.items():
            if self._standing.get(path) == stamp and self._read.get(path) != stamp:
                self._read[path] = stamp
                try:
                    told += self._bring_in(path)
                except SkelbError as exc:
                    told.append(f"{path.name} was not brought in: {exc}")
        self._standing = now
        return told

    def _stamps(self) -> dict[Path, _Stamp]:
        """Of every file of bars. Raises SettingsError when they are too many to be looked at so often."""
        found = {}
        for path in sorted(self._folder.rglob("*")):
            if path.name.lower().endswith(ENDINGS):
                try:
                    state = path.stat()
                except OSError:
                    continue  # taken away in between
                found[path] = state.st_mtime_ns, state.st_size
        if len(found) > MOST_FILES:
            raise SettingsError(
                f"{self._folder} holds {len(found):,} files of bars, at most {MOST_FILES:,} are watched: watch a folder"
                " inside it; those there are can be brought in with `skelb import`"
            )
        return found

    def _bring_in(self, path: Path) -> list[str]:
        preview = self._imports.read_file(path, self._zone)
        if not preview.symbol:
            raise SettingsError("its name says no market")
        joining = self._imports.compare(preview.token, preview.symbol)
        if joining is not None and joining.added == joining.differing == 0:
            self._imports.forget(preview.token)
            return []
        settings = None
        if not self._is_known(preview.symbol):
            guesses = guess_market(preview.file.bars, self._zone)
            settings = {"zone": self._zone} | {guess.key: guess.value for guess in guesses}
        stored = self._imports.store(preview.token, preview.symbol, "", settings, "correct")
        bars = preview.file.bars
        count = len(bars) if joining is None else joining.added
        changed = f", {joining.differing:,} corrected" if joining and joining.differing else ""
        return [f"{path.name}: {count:,} bars of {bars.timeframe} new in {stored.symbol}{changed}"]

    def _is_known(self, symbol: str) -> bool:
        try:
            self._library.market(symbol)
        except NotFoundError:
            return False
        return True
