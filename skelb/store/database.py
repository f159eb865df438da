"""The one SQLite file: opened, migrated, handed out as sessions."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TypeVar
from urllib.parse import quote

from sqlalchemy import create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError
from sqlalchemy.orm import Session

from skelb.core.errors import SkelbError

FILE_NAME = "skelb.sqlite3"
_MOST_TRIES = 20
T = TypeVar("T")
_MIGRATIONS = Path(__file__).parent / "migrations"


class StoreError(SkelbError):
    """The database file cannot be opened or written; the message says which and why."""


class Database:
    """The records in one folder. Sessions commit at the end of their block, or not at all.

    With `read_only` nothing can be written, and the folder must be there, with tables of today's form.
    """

    def __init__(self, folder: Path, read_only: bool = False) -> None:
        self.path = folder / FILE_NAME
        self.read_only = read_only
        try:
            if read_only:
                address = f"sqlite:///file:{quote(str(self.path))}?mode=ro&uri=true"
            else:
                folder.mkdir(parents=True, exist_ok=True)
                address = f"sqlite:///{self.path}"
            self.engine = create_engine(address, connect_args={"timeout": 30})
            event.listen(self.engine, "connect", _prepare_reading if read_only else _prepare_connection)
            self._migrate()
            self._identity = _identity(self.path)
        except (OSError, DatabaseError) as exc:
            reason = getattr(exc, "orig", None) or exc
            raise StoreError(
                f"the data file {self.path} cannot be used ({reason}): check that the folder is writable and the"
                " file is Skelb's, or name another folder in SKELB_HOME"
            ) from exc

    def _migrate(self) -> None:
        """Bring the tables up to date; the migration library, slow to load, only when they are not."""
        with self.engine.begin() as connection:
            known = inspect(connection).has_table("alembic_version")
            stored = connection.scalar(text("SELECT version_num FROM alembic_version")) if known else None
            newest = _newest_revision()
            if stored == newest:
                return
            if stored is not None and stored > newest:
                raise StoreError(
                    f"the data file {self.path} was written by a newer Skelb (its tables are of form {stored}, this one"
                    f" knows them up to {newest}): nothing was changed; open it with the newer one, or name another"
                    " folder in SKELB_HOME"
                )
            if self.read_only:
                raise StoreError(
                    f"the data file {self.path} has tables of form {stored}, this Skelb reads {newest}: open it without"
                    " --read-only once, which brings them up to date"
                )
            from alembic import command
            from alembic.config import Config

            config = Config()
            config.set_main_option("script_location", str(_MIGRATIONS))
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session whose work is committed when the block ends well, else undone.

        Raises StoreError when the file cannot be read or written, as on a full disk, and when the folder was taken
        away.
        """
        if _identity(self.path) != self._identity:
            raise StoreError(
                f"the data file {self.path} was taken away or replaced while Skelb was open: nothing more is read or"
                " written; put it back, or start Skelb again"
            )
        try:
            with Session(self.engine, expire_on_commit=False) as session, session.begin():
                yield session
        except IntegrityError:
            raise  # of what is written, not of the file: whoever writes knows what it means
        except DatabaseError as exc:
            raise StoreError(f"the data file {self.path} could not be used ({exc.orig}): {self._advice(exc)}") from exc

    def again(self, write: Callable[[Session], T]) -> T:
        """What `write` gives in a session of its own; done anew when another program wrote the same name meanwhile."""
        for _ in range(_MOST_TRIES):
            with suppress(IntegrityError), self.session() as session:
                return write(session)
        raise StoreError(f"other programs write to {self.path} all the time: nothing was saved, try again")

    def _advice(self, exc: DatabaseError) -> str:
        if self.read_only:
            return "it was opened with --read-only, to look at; nothing was changed"
        if not isinstance(exc, OperationalError):
            return "it is damaged; put a copy of it in its place, or name another folder in SKELB_HOME"
        return (
            "nothing stored before was lost; check the room on the disk and that the folder is writable, then try again"
        )

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


def _newest_revision() -> str:
    """The revision of the newest migration: files are named by their number, which is also the revision."""
    return max(path.name.split("_")[0] for path in (_MIGRATIONS / "versions").glob("[0-9]*_*.py"))


def _identity(path: Path) -> tuple[int, int] | None:
    """Which file a path is of; None when there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _prepare_reading(connection: object, _record: object) -> None:
    connection.execute("PRAGMA query_only=ON")  # type: ignore[attr-defined]


def _prepare_connection(connection: object, _record: object) -> None:
    cursor = connection.cursor()  # type: ignore[attr-defined]
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=NORMAL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
