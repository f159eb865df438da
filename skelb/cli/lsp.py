"""The command that serves an editor: scripts are files beside each other, markets those of the data folder."""

from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from urllib.parse import unquote, urlsplit

from skelb.cli.files import UsageError
from skelb.core.errors import SkelbError
from skelb.core.language import SavedScript, Setting, parsed_title
from skelb.core.language.assist import Surroundings
from skelb.service.language_server import Reach, make_server


class FolderReach(Reach):
    """What scripts in a folder can reach: those beside them, as they are in the editor where they are open there.

    A file that cannot be read is told once and left out.
    """

    def __init__(self) -> None:
        self.on_trouble: Callable[[str], None] = lambda _why: None
        self._read: dict[Path, tuple[tuple[int, int], str]] = {}
        self._told: set[Path] = set()

    def setting(self, uri: str, texts: Mapping[str, str]) -> Setting:
        """What the checker may know."""

        def find(title: str, version: int | None) -> SavedScript | None:
            text = next((text for _, text in self._beside(uri, texts) if parsed_title(text) == title), None)
            return None if text is None else SavedScript(title, version or 1, text)

        return Setting(scripts=find)

    def surroundings(self, texts: Mapping[str, str]) -> Surroundings:
        """What completion can propose: titles beside the open scripts, markets of the data folder."""
        titles = {parsed_title(text) for uri in texts for _, text in self._beside(uri, texts)}
        return Surroundings(self._markets, sorted(titles - {""}))

    def address(self, uri: str, title: str, texts: Mapping[str, str]) -> str:
        """The file of a used script."""
        found = (where for where, text in self._beside(uri, texts) if parsed_title(text) == title)
        return next(found, super().address(uri, title, texts))

    def _beside(self, uri: str, texts: Mapping[str, str]) -> Iterator[tuple[str, str]]:
        """Addresses and texts of the scripts in a document's folder; open ones as they are in the editor."""
        if not uri.startswith("file:"):
            return
        open_here = {_path(address): (address, text) for address, text in texts.items() if address.startswith("file:")}
        for path in sorted({*_path(uri).parent.glob("*.skelb"), *open_here}):
            if path.parent != _path(uri).parent:
                continue
            if path in open_here:
                yield open_here[path]
            elif (text := self._text(path)) is not None:
                yield path.as_uri(), text

    def _text(self, path: Path) -> str | None:
        """The text of a file, read anew when it has changed."""
        try:
            found = path.stat()
            stamp = found.st_mtime_ns, found.st_size
            if path not in self._read or self._read[path][0] != stamp:
                self._read[path] = stamp, path.read_text("utf-8")
        except (OSError, UnicodeDecodeError) as exc:
            if path not in self._told:
                self._told.add(path)
                self.on_trouble(f"{path.name} is left out, as it cannot be read: {exc}")
            return None
        return self._read[path][1]

    @cached_property
    def _markets(self) -> list[str]:
        # Loaded here: it takes longer than everything else the server loads, and few scripts name another market.
        from skelb.service.folder import data_folder
        from skelb.service.library import Library
        from skelb.store import Database

        try:
            database = Database(data_folder(), read_only=True)
        except SkelbError:
            return []
        found = [market.symbol for market in Library(database).markets()]
        database.close()
        return found


def _path(uri: str) -> Path:
    return Path(unquote(urlsplit(uri).path))


def run(_name: str, arguments: list[str]) -> int:
    """Serve the Language Server Protocol on standard input and output, for any editor."""
    if arguments and arguments != ["--stdio"]:  # editors that can speak in several ways say which
        raise UsageError(f"lsp takes nothing, not `{arguments[0]}`")
    reach = FolderReach()
    server = make_server(reach)
    reach.on_trouble = server.warn
    server.start_io()
    return server.exit_code
