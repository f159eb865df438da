"""The data file copied while it is in use, and put back."""

import sqlite3
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from skelb.store.database import FILE_NAME, Database, StoreError

_PAGES_AT_ONCE = 2_000
_BEFORE = ".before"


def back_up(folder: Path, target: Path) -> int:
    """Copy the data file of a folder, whoever has it open, with SQLite's online backup; its size in bytes.

    The copy appears under its name once it is whole and sound. Raises StoreError where it cannot be made, or something
    is there already.
    """
    source = folder / FILE_NAME
    if not source.exists():
        raise StoreError(f"there is no data file {source} to back up")
    if target.exists():
        raise StoreError(f"{target} is there already: name another file, or move it away")
    fresh = target.with_name(f"{target.name}.part")
    try:
        fresh.unlink(missing_ok=True)
        with closing(_reading(source)) as here, closing(sqlite3.connect(fresh)) as there:
            here.backup(there, pages=_PAGES_AT_ONCE)
            _check(there, fresh)
        fresh.rename(target)
    except (sqlite3.Error, OSError) as exc:
        fresh.unlink(missing_ok=True)
        raise StoreError(f"{source} could not be copied to {target}: {exc}") from exc
    return target.stat().st_size


def restore(folder: Path, source: Path) -> Path | None:
    """Put a backup in the place of a folder's data file; where that is kept, None when there was none.

    The folder must not be open. Raises StoreError where the backup is none that this program can read; then nothing
    was changed.
    """
    if not source.is_file():
        raise StoreError(f"there is no backup {source}")
    folder.mkdir(parents=True, exist_ok=True)
    fresh, place = folder / f"{FILE_NAME}.part", folder / FILE_NAME
    try:
        fresh.unlink(missing_ok=True)
        with closing(_reading(source)) as here, closing(sqlite3.connect(fresh)) as there:
            here.backup(there)
            _check(there, source)
    except (sqlite3.Error, OSError) as exc:
        fresh.unlink(missing_ok=True)
        raise StoreError(f"{source} is no backup that can be read: {exc}") from exc
    except StoreError:
        fresh.unlink(missing_ok=True)
        raise
    kept = _put_aside(place)
    fresh.rename(place)
    try:
        Database(folder).close()  # of an older form it is brought up to date, of a newer one refused
    except StoreError:
        place.unlink()
        if kept is not None:
            kept.rename(place)
        raise
    return kept


def _reading(source: Path) -> sqlite3.Connection:
    return sqlite3.connect(f"file:{quote(str(source))}?mode=ro", uri=True, timeout=30)


def _put_aside(place: Path) -> Path | None:
    """The data file under another name, with all that was written to it."""
    if place.exists():
        with closing(sqlite3.connect(place)) as own:
            own.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    for ending in ("-wal", "-shm"):
        place.with_name(place.name + ending).unlink(missing_ok=True)
    if not place.exists():
        return None
    number = 1
    while (kept := place.with_name(f"{place.name}{_BEFORE}-{number}")).exists():
        number += 1
    return place.rename(kept)


def _check(copy: sqlite3.Connection, named: Path) -> None:
    """Raises StoreError where a copy is damaged or no data file of this program."""
    found = copy.execute("PRAGMA quick_check").fetchone()[0]
    if found != "ok":
        raise StoreError(f"{named} is damaged: {found}")
    if copy.execute("SELECT count(*) FROM sqlite_master WHERE name = 'alembic_version'").fetchone()[0] == 0:
        raise StoreError(f"{named} is no data file of Skelb")
