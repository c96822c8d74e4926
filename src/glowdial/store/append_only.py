"""The lock on what was entered: the data file itself refuses to change or delete it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import text
from sqlalchemy.orm import Session

TABLES = (
    "answers",
    "observations",
    "tellings",
    "withdrawals",
    "moves",
    "changes",
    "closures",
    "acknowledgements",
    "notes",
    "reopenings",
    "alarms",
)
VERBS = ("UPDATE", "DELETE")


def lock_statements(table: str) -> list[str]:
    """What locks a table of an SQLite file."""
    return [
        f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
        f"BEGIN SELECT RAISE(ABORT, '{table} is append-only'); END"
        for verb in VERBS
    ]


@contextmanager
def unlocked(session: Session) -> Iterator[None]:
    """Open the lock while an older version's rows are brought up, within the session's transaction;
    what a person entered is not touched by that.
    """
    if session.get_bind().dialect.name != "sqlite":
        yield
        return
    for table in TABLES:
        for verb in VERBS:
            session.execute(text(f"DROP TRIGGER IF EXISTS {table}_no_{verb.lower()}"))
    yield
    session.flush()
    for table in TABLES:
        for statement in lock_statements(table):
            session.execute(text(statement))
