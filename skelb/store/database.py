"""The one SQLite file: opened, migrated, handed out as sessions."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session

from skelb.core.errors import SkelbError

FILE_NAME = "skelb.sqlite3"
_MIGRATIONS = Path(__file__).parent / "migrations"


class StoreError(SkelbError):
    """The database file cannot be opened or written; the message says which and why."""


class Database:
    """The records in one folder. Sessions commit at the end of their block, or not at all."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / FILE_NAME
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self.engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": 30})
            event.listen(self.engine, "connect", _prepare_connection)
            self._migrate()
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
            if known and connection.scalar(text("SELECT version_num FROM alembic_version")) == _newest_revision():
                return
            from alembic import command
            from alembic.config import Config

            config = Config()
            config.set_main_option("script_location", str(_MIGRATIONS))
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session whose work is committed when the block ends well, else undone.

        Raises StoreError when the file cannot be read or written, as on a full disk.
        """
        try:
            with Session(self.engine, expire_on_commit=False) as session, session.begin():
                yield session
        except OperationalError as exc:
            raise StoreError(
                f"the data file {self.path} could not be used ({exc.orig}): nothing stored before was lost; check the"
                " room on the disk and that the folder is writable, then try again"
            ) from exc

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


def _newest_revision() -> str:
    """The revision of the newest migration: files are named by their number, which is also the revision."""
    return max(path.name.split("_")[0] for path in (_MIGRATIONS / "versions").glob("[0-9]*_*.py"))


def _prepare_connection(connection: object, _record: object) -> None:
    cursor = connection.cursor()  # type: ignore[attr-defined]
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=NORMAL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
