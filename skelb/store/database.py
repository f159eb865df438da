"""The one SQLite file: opened, migrated, handed out as sessions."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from skelb.core.errors import SkelbError

FILE_NAME = "skelb.sqlite3"


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
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session whose work is committed when the block ends well, else undone."""
        with Session(self.engine, expire_on_commit=False) as session, session.begin():
            yield session

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


def _prepare_connection(connection: object, _record: object) -> None:
    cursor = connection.cursor()  # type: ignore[attr-defined]
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=NORMAL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
