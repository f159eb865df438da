"""Where the data lives, who has it open, and the secret that its pages carry."""

import fcntl
import os
import secrets
from pathlib import Path

from platformdirs import user_data_path

from skelb.core.errors import SettingsError

_LOCK, _TOKEN = "skelb.lock", "token"
_held: list[int] = []  # open as long as the program lives: closing one would let the folder go


def data_folder() -> Path:
    """Where the data lives: SKELB_HOME, else the platform's place for user data."""
    stated = os.environ.get("SKELB_HOME")
    return Path(stated).expanduser() if stated else user_data_path("skelb", appauthor=False)


def hold_folder(folder: Path, who: str) -> None:
    """Have a data folder for oneself as long as the program lives; `who` is told to the next that asks.

    Raises SettingsError when another program has it. Nothing is left to clean up after a program that was killed.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = os.open(folder / _LOCK, os.O_RDWR | os.O_CREAT, 0o600)
    except OSError as exc:
        raise SettingsError(
            f"the data folder {folder} cannot be used ({exc.strerror}): check that it is writable, or name another in SKELB_HOME"  # noqa: E501
        ) from exc
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        holder = os.pread(lock, 500, 0).decode(errors="replace").strip()
        os.close(lock)
        raise SettingsError(
            f"the data folder {folder} is open in another Skelb{f' ({holder})' if holder else ''}: use that one, end it,"  # noqa: E501
            " or look at the same data with --read-only"
        ) from None
    os.ftruncate(lock, 0)
    os.pwrite(lock, who.encode(), 0)
    _held.append(lock)


def holder_of(folder: Path) -> str | None:
    """Who has a data folder open for writing; empty where who it is was not told, None when nobody has."""
    try:
        lock = os.open(folder / _LOCK, os.O_RDWR)
    except OSError:
        return None
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return None
    except OSError:
        return os.pread(lock, 500, 0).decode(errors="replace").strip()
    finally:
        os.close(lock)


def access_token(folder: Path) -> str:
    """The secret that requests carry, the same for the life of the data folder; in a file that only its owner reads."""
    path = folder / _TOKEN
    try:
        found = path.read_text("ascii").strip()
        if found:
            return found
    except (FileNotFoundError, UnicodeDecodeError):
        pass
    made = secrets.token_urlsafe(16)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        os.fchmod(handle, 0o600)  # also where the file was there before
        file.write(made)
    return made
