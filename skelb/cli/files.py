"""Script files: read, and found beside each other."""

from pathlib import Path

from skelb.core.errors import SkelbError
from skelb.core.language import SavedScript, Scripts, parsed_title


class UsageError(SkelbError):
    """The command was called with something that cannot be."""


def read_script(path: Path) -> str:
    """The text of a script file."""
    try:
        return path.read_text("utf-8")
    except OSError as exc:
        raise UsageError(f"{path} cannot be read: {exc.strerror}") from exc
    except UnicodeDecodeError as exc:
        raise UsageError(f"{path} is not UTF-8 text (byte {exc.start})") from exc


def read_file(path: Path) -> bytes:
    """What is in a file. Raises UsageError when it cannot be read."""
    try:
        return path.read_bytes()
    except OSError as exc:
        raise UsageError(f"{path} cannot be read: {exc.strerror}") from exc


def write_file(path: Path, data: bytes) -> None:
    """Write a file. Raises UsageError when it cannot be written."""
    try:
        path.write_bytes(data)
    except OSError as exc:
        raise UsageError(f"{path} cannot be written: {exc.strerror}") from exc


def titles_beside(path: Path) -> list[str]:
    """The titles of the .skelb files beside this one."""
    found = (parsed_title(read_script(file)) for file in sorted(path.parent.glob("*.skelb")))
    return [title for title in found if title]


def scripts_beside(path: Path) -> Scripts:
    """Scripts by title among the .skelb files beside this one; versions are not kept there."""

    def find(title: str, version: int | None) -> SavedScript | None:
        for file in sorted(path.parent.glob("*.skelb")):
            text = read_script(file)
            if parsed_title(text) == title:
                return SavedScript(title, version or 1, text)
        return None

    return find
