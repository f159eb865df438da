"""The shelf as `.skelb` files in a folder or an archive, written and read back: what differs is told, and nothing is
lost."""

import difflib
import io
import re
import unicodedata
import zipfile
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.language import parsed_title
from skelb.service.library import Library, StoredScript
from skelb.service.zips import BROKEN

ENDING = ".skelb"
MOST_FILES = 5_000
_LARGEST = 1_100_000
_MOST_BYTES = 50_000_000  # of scripts in one archive
_NO_MOMENT = (1980, 1, 1, 0, 0, 0)  # the first that an archive can say
How = Literal["new", "same", "changed", "differs", "older"]


@dataclass(frozen=True)
class ShelfFile:
    """A file and the script of its title.

    how : `new` where only one of both is there, `same`, `changed` where it was or is taken over, `older` where the file
        holds an earlier version, `differs` where each has what the other has not
    difference : from the shelf's newest text to the file's, empty where they are the same
    """

    title: str
    file: str
    how: How
    difference: str = ""


def write_shelf(library: Library, folder: Path, titles: Sequence[str] = (), over: bool = False) -> list[ShelfFile]:
    """Write scripts, all or some by title, each into a file of the folder.

    A file whose text is no version of its script is left as it is unless `over`. Raises NotFoundError for a title that
    is not there, SettingsError when the folder cannot be written.
    """
    scripts = [library.script(title) for title in titles] if titles else library.scripts()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        there = {parsed_title(text): Path(name) for name, text in script_files([folder])}
        taken = {path.name for path in there.values()}
        found = []
        for script in scripts:
            path = there.get(script.title) or folder / _free_name(script.title, taken)
            taken.add(path.name)
            found.append(_written(script, path, over))
    except OSError as exc:
        raise SettingsError(f"{folder} cannot be written: {exc.strerror}") from exc
    return found


def pack_shelf(library: Library) -> bytes:
    """A zip with the newest text of every script, each in a file of its own; the same shelf gives the same bytes."""
    packed, taken = io.BytesIO(), set[str]()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for script in library.scripts():
            name = _free_name(script.title, taken)
            taken.add(name)
            archive.writestr(zipfile.ZipInfo(name, _NO_MOMENT), script.newest.text, zipfile.ZIP_DEFLATED)
    return packed.getvalue()


def read_shelf(library: Library, files: Sequence[tuple[str, str]], take: bool = False) -> list[ShelfFile]:
    """Read files, each its name and text, back: scripts that are new are stored; of others what differs is told, and
    with `take` stored as a new version. Raises SettingsError on a file without a title, before anything is stored."""
    titles = [parsed_title(text) for _, text in files]
    for title, (name, _) in zip(titles, files, strict=True):
        if not title:
            raise SettingsError(f'{name} has no title: begin it with `title "…"`')
    found = []
    for title, (name, text) in zip(titles, files, strict=True):
        try:
            script = library.script(title)
        except NotFoundError:
            library.save_script(text)
            found.append(ShelfFile(title, name, "new"))
            continue
        found.append(_taken(library, script, name, text, take))
    return found


def script_files(paths: Iterable[Path]) -> list[tuple[str, str]]:
    """Every script file among paths and in folders of them, its path and its text. Raises SettingsError where one
    cannot be read."""
    wanted: list[Path] = []
    for path in paths:
        wanted += sorted(path.rglob(f"*{ENDING}")) if path.is_dir() else [path]
    if len(wanted) > MOST_FILES:
        raise SettingsError(f"{len(wanted):,} scripts are more than the {MOST_FILES:,} that are read at once")
    found = []
    for path in wanted:
        try:
            with path.open("rb") as file:
                found.append((str(path), _text(str(path), file.read(_LARGEST + 1))))
        except OSError as exc:
            raise SettingsError(f"{path} cannot be read: {exc.strerror}") from exc
    return found


def unpacked(name: str, data: bytes) -> list[tuple[str, str]]:
    """The script files in a file that was sent: it alone, or those in it where it is a zip. Raises SettingsError where
    it cannot be read, or holds none."""
    if not data.startswith(b"PK"):
        return [(name, _text(name, data))]
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            wanted = [item for item in archive.infolist() if item.filename.endswith(ENDING) and not item.is_dir()]
            if not wanted:
                raise SettingsError(f"{name} holds no {ENDING} file")
            if len(wanted) > MOST_FILES:
                raise SettingsError(f"{name} holds {len(wanted):,} scripts, more than the {MOST_FILES:,} read at once")
            found, room = list[tuple[str, str]](), _MOST_BYTES
            for item in wanted:
                with archive.open(item) as file:  # no further than a script can be long, whatever the archive says
                    text = _text(item.filename, file.read(_LARGEST + 1))
                room -= len(text)
                if room < 0:
                    raise SettingsError(f"{name} holds more than the {_MOST_BYTES / 1e6:.0f} MB that are read at once")
                found.append((item.filename, text))
            return found
    except BROKEN as exc:
        raise SettingsError(f"{name} cannot be unpacked: is it whole?") from exc


def _written(script: StoredScript, path: Path, over: bool) -> ShelfFile:
    newest = script.newest.text
    if not path.exists():
        path.write_text(newest, "utf-8")
        return ShelfFile(script.title, str(path), "new")
    text = _text(str(path), path.read_bytes())
    if text == newest:
        return ShelfFile(script.title, str(path), "same")
    is_known = any(version.text == text for version in script.versions)
    if is_known or over:
        path.write_text(newest, "utf-8")
        return ShelfFile(script.title, str(path), "changed", _difference(text, newest, path.name, "the shelf"))
    return ShelfFile(script.title, str(path), "differs", _difference(newest, text, "the shelf", path.name))


def _taken(library: Library, script: StoredScript, name: str, text: str, take: bool) -> ShelfFile:
    newest = script.newest.text
    if text == newest:
        return ShelfFile(script.title, name, "same")
    difference = _difference(newest, text, "the shelf", Path(name).name)
    if take:
        library.save_script(text, script.status, script.lesson)
        return ShelfFile(script.title, name, "changed", difference)
    is_known = any(version.text == text for version in script.versions)
    return ShelfFile(script.title, name, "older" if is_known else "differs", difference)


def _difference(before: str, after: str, from_: str, to: str) -> str:
    lines = difflib.unified_diff(before.splitlines(True), after.splitlines(True), from_, to)
    return "".join(line if line.endswith("\n") else f"{line}\n" for line in lines)


def _text(name: str, data: bytes) -> str:
    if len(data) > _LARGEST:
        raise SettingsError(f"{name} is larger than any script")
    try:
        return data.decode("utf-8-sig").replace("\r\n", "\n")
    except UnicodeDecodeError as exc:
        raise SettingsError(f"{name} is not UTF-8 text (byte {exc.start})") from exc


def _free_name(title: str, taken: set[str]) -> str:
    """A file's name for a title, that works on every system."""
    plain = unicodedata.normalize("NFKD", title).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:80] or "script"
    name, number = f"{base}{ENDING}", 1
    while name in taken:
        number += 1
        name = f"{base}-{number}{ENDING}"
    return name
