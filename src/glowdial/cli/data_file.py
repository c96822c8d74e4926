"""The data file from outside: one server at a time, private to its user, backed up, restored."""

from __future__ import annotations

import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import datetime
from pathlib import Path

from glowdial.store.database import Database, newest_version, sqlite_url

TAILS = ("", "-wal", "-shm")
OWNER_ONLY = 0o600
RESTORED = ".restored"


class FileTrouble(Exception):
    """A data file that cannot be served or copied, in one sentence."""


@contextmanager
def alone(file: Path) -> Iterator[None]:
    """Hold a data file for one server; raises FileTrouble when another holds it."""
    lock = Path(f"{file}.lock")
    try:
        handle = os.open(lock, os.O_RDWR | os.O_CREAT, OWNER_ONLY)
    except OSError as error:
        raise FileTrouble(
            f"the folder {file.parent} cannot be written: {error.strerror}."
        ) from error
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise FileTrouble(
                f"{file} is served already; stop that server first, or give another folder with "
                "--data."
            ) from None
        yield
    finally:
        os.close(handle)


def opened(file: Path) -> Database:
    """The data file, migrated and private to its user; raises FileTrouble with the reason."""
    if file.exists() and not os.access(file, os.W_OK):
        raise FileTrouble(f"{file} may not be written by this user; see who owns it.")
    # made with the right owner's rights before anything is written into it
    os.close(os.open(file, os.O_RDWR | os.O_CREAT, OWNER_ONLY))
    for tail in TAILS:
        with suppress(FileNotFoundError):
            os.chmod(f"{file}{tail}", OWNER_ONLY)
    database = Database(sqlite_url(file))
    try:
        newer = database.newer()
        if not newer:
            database.migrate()
    except Exception as error:
        database.close()
        raise FileTrouble(_sentence(file, str(getattr(error, "orig", error)))) from error
    if newer:
        database.close()
        raise FileTrouble(
            f"{file} was made by a newer version of Glow Dial; use that one, or another folder."
        )
    return database


def _sentence(file: Path, said: str) -> str:
    for sign, words in (
        ("not a database", "is damaged, or no data file; restore a backup with restore"),
        ("malformed", "is damaged; restore a backup with restore"),
        ("locked", "is locked by another program; close that one and try again"),
        ("full", "cannot grow: the disk is full"),
        ("readonly", "may not be written by this user; see who owns it"),
        ("unable to open", "cannot be opened; see that its folder is there and may be read"),
    ):
        if sign in said:
            return f"{file} {words}."
    return f"{file} cannot be opened: {said}."


def back_up(file: Path, copy: Path) -> None:
    """Copy the data file as it is now, while it may be in use, by SQLite's own backup.

    Raises FileTrouble when there is nothing to copy or nowhere to put it.
    """
    _check_file(file)
    if copy.exists():
        raise FileTrouble(f"{copy} is there already; give another name, nothing is overwritten.")
    try:
        os.close(os.open(copy, os.O_RDWR | os.O_CREAT | os.O_EXCL, OWNER_ONLY))
        with closing(sqlite3.connect(file)) as source, closing(sqlite3.connect(copy)) as target:
            source.backup(target)
            # one file, that is read anywhere
            target.execute("PRAGMA journal_mode=DELETE")
    except (OSError, sqlite3.Error) as error:
        copy.unlink(missing_ok=True)
        raise FileTrouble(f"{copy} could not be written: {error}.") from error


def restore(copy: Path, file: Path, at: datetime) -> Path | None:
    """Put a backup in the place of the data file, while it may be in use; returns where what was
    there is kept, None where nothing was. Raises FileTrouble for what is no whole data file."""
    _check_file(copy)
    kept = None
    if file.exists():
        kept = file.with_name(f"{file.stem}-before-{at:%Y%m%d-%H%M%S}.sqlite")
        back_up(file, kept)
    else:
        os.close(os.open(file, os.O_RDWR | os.O_CREAT, OWNER_ONLY))
    try:
        with closing(sqlite3.connect(copy)) as source, closing(sqlite3.connect(file)) as target:
            target.execute("PRAGMA busy_timeout=5000")
            source.backup(target)
    except sqlite3.Error as error:
        raise FileTrouble(f"{file} could not be restored: {error}.") from error
    Path(f"{file}{RESTORED}").write_text(at.isoformat(), "utf-8")
    return kept


def _check_file(file: Path) -> None:
    """Raises FileTrouble unless it is a whole data file of this version or an older one."""
    if not file.is_file():
        raise FileTrouble(f"{file} is not there.")
    try:
        with closing(sqlite3.connect(f"{file.resolve().as_uri()}?mode=ro", uri=True)) as connection:
            sound = connection.execute("PRAGMA quick_check").fetchone()[0]
            found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.Error as error:
        raise FileTrouble(_sentence(file, f"{error}: not a database")) from error
    if sound != "ok" or found is None:
        raise FileTrouble(_sentence(file, "malformed"))
    if str(found[0]) > newest_version():
        raise FileTrouble(f"{file} was made by a newer version of Glow Dial.")
