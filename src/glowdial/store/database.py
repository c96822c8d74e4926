"""Opening the data file: WAL, foreign keys, full synchronisation, migrations, sessions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from sqlalchemy import Connection, Engine, create_engine, event, inspect, make_url, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

BUSY_TIMEOUT_MS = 5000
MIGRATIONS = Path(__file__).parent / "migrations"


class Database:
    """An engine with sessions for reading and for writing.

    A writing session begins IMMEDIATE, so that what it read cannot change before it writes.
    """

    def __init__(self, url: str) -> None:
        self.engine = create_engine(url)
        if make_url(url).get_backend_name() == "sqlite":
            _prepare_sqlite(self.engine)
        self._reading = sessionmaker(self.engine, expire_on_commit=False)
        writing = self.engine.execution_options(write=True)
        self._writing = sessionmaker(writing, expire_on_commit=False)

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that only reads."""
        with self._reading() as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One transaction: all of it is kept, or nothing."""
        with self._writing.begin() as session:
            yield session

    def migrate(self) -> None:
        """Bring the tables to the newest version."""
        if self._newest():
            return
        # imported only when there is something to do: it costs each start half a second
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def newer(self) -> bool:
        """Whether the file was made by a newer version than this one."""
        return self._version() > newest_version()

    def _newest(self) -> bool:
        """Whether the file has the last migration."""
        return self._version() == newest_version()

    def _version(self) -> str:
        with self.engine.connect() as connection:
            if not inspect(connection).has_table("alembic_version"):
                return ""
            return str(connection.scalar(text("SELECT version_num FROM alembic_version")) or "")

    def close(self) -> None:
        """Write everything into the one file, and give it back."""
        if self.engine.dialect.name == "sqlite":
            # a file that is gone or damaged is no reason not to end
            with suppress(DBAPIError), self.engine.connect() as connection:
                connection.exec_driver_sql("COMMIT")
                connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
                connection.exec_driver_sql("BEGIN")
        self.engine.dispose()


def newest_version() -> str:
    """The last migration that there is; their files are named by their ids."""
    last = max(path.name for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))
    return last.split("_")[0]


def sqlite_url(path: Path) -> str:
    """URL of a data file."""
    return f"sqlite:///{path}"


def _prepare_sqlite(engine: Engine) -> None:
    @event.listens_for(engine, "connect")
    def settings(connection: object, _: object) -> None:
        # the driver must not begin transactions by itself, or IMMEDIATE comes too late
        connection.isolation_level = None  # type: ignore[attr-defined]
        cursor = connection.cursor()  # type: ignore[attr-defined]
        for pragma in (
            "journal_mode=WAL",
            "foreign_keys=ON",
            "synchronous=FULL",
            f"busy_timeout={BUSY_TIMEOUT_MS}",
        ):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        immediate = connection.get_execution_options().get("write", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if immediate else "BEGIN")
