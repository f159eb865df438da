"""The shelf as a folder of `.skelb` files, written and read back: what differs is told, and nothing is lost."""

import difflib
import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.language import parsed_title
from skelb.service.library import Library, StoredScript

ENDING = ".skelb"
MOST_FILES = 5_000
_LARGEST = 1_100_000
How = Literal["new", "same", "changed", "differs", "older"]


@dataclass(frozen=True)
class Compared:
    """A file and the script of its title.

    how : `new` where only one of both is there, `same`, `changed` where it was or is taken over, `older` where the file
        holds an earlier version, `differs` where each has what the other has not
    difference : from the shelf's newest text to the file's, empty where they are the same
    """

    title: str
    path: Path
    how: How
    difference: str = ""


def write_shelf(library: Library, folder: Path, titles: Sequence[str] = (), over: bool = False) -> list[Compared]:
    """Write scripts, all or some by title, each into a file of the folder.

    A file whose text is no version of its script is left as it is unless `over`. Raises NotFoundError for a title that
    is not there, SettingsError when the folder cannot be written.
    """
    scripts = [library.script(title) for title in titles] if titles else library.scripts()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        there = {parsed_title(text): path for path, text in _files([folder])}
        taken = {path.name for path in there.values()}
        found = []
        for script in scripts:
            path = there.get(script.title) or folder / _free_name(script.title, taken)
            taken.add(path.name)
            found.append(_written(script, path, over))
    except OSError as exc:
        raise SettingsError(f"{folder} cannot be written: {exc.strerror}") from exc
    return found


def read_shelf(library: Library, paths: Iterable[Path], take: bool = False) -> list[Compared]:
    """Read files and folders of files back: scripts that are new are stored; of others what differs is told, and with
    `take` stored as a new version. Raises SettingsError on a file without a title, or that cannot be read."""
    found = []
    for path, text in _files(paths):
        title = parsed_title(text)
        if not title:
            raise SettingsError(f'{path} has no title: begin it with `title "…"`')
        try:
            script = library.script(title)
        except NotFoundError:
            library.save_script(text)
            found.append(Compared(title, path, "new"))
            continue
        found.append(_taken(library, script, path, text, take))
    return found


def _written(script: StoredScript, path: Path, over: bool) -> Compared:
    newest = script.newest.text
    if not path.exists():
        path.write_text(newest, "utf-8")
        return Compared(script.title, path, "new")
    text = path.read_text("utf-8")
    if text == newest:
        return Compared(script.title, path, "same")
    is_known = any(version.text == text for version in script.versions)
    if is_known or over:
        path.write_text(newest, "utf-8")
        return Compared(script.title, path, "changed", _difference(text, newest, path.name, "the shelf"))
    return Compared(script.title, path, "differs", _difference(newest, text, "the shelf", path.name))


def _taken(library: Library, script: StoredScript, path: Path, text: str, take: bool) -> Compared:
    newest = script.newest.text
    if text == newest:
        return Compared(script.title, path, "same")
    difference = _difference(newest, text, "the shelf", path.name)
    if take:
        library.save_script(text, script.status, script.lesson)
        return Compared(script.title, path, "changed", difference)
    is_known = any(version.text == text for version in script.versions)
    return Compared(script.title, path, "older" if is_known else "differs", difference)


def _difference(before: str, after: str, from_: str, to: str) -> str:
    lines = difflib.unified_diff(before.splitlines(True), after.splitlines(True), from_, to)
    return "".join(line if line.endswith("\n") else f"{line}\n" for line in lines)


def _files(paths: Iterable[Path]) -> list[tuple[Path, str]]:
    """Every script file with its text. Raises SettingsError where one cannot be read."""
    wanted: list[Path] = []
    for path in paths:
        wanted += sorted(path.rglob(f"*{ENDING}")) if path.is_dir() else [path]
    if len(wanted) > MOST_FILES:
        raise SettingsError(f"{len(wanted):,} scripts are more than the {MOST_FILES:,} that are read at once")
    found = []
    for path in wanted:
        try:
            if path.stat().st_size > _LARGEST:
                raise SettingsError(f"{path} is larger than any script")
            found.append((path, path.read_text("utf-8")))
        except OSError as exc:
            raise SettingsError(f"{path} cannot be read: {exc.strerror}") from exc
        except UnicodeDecodeError as exc:
            raise SettingsError(f"{path} is not UTF-8 text (byte {exc.start})") from exc
    return found


def _free_name(title: str, taken: set[str]) -> str:
    """A file's name for a title, that works on every system."""
    plain = unicodedata.normalize("NFKD", title).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:80] or "script"
    name, number = f"{base}{ENDING}", 1
    while name in taken:
        number += 1
        name = f"{base}-{number}{ENDING}"
    return name
