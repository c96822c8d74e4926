"""The demo's file as it would have been filled at another moment: every time in it moved.

Everything in the demo stands at a distance from the moment that its jobs lead up to, so moving the
times is filling it anew, in a second instead of a minute.
"""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy import JSON, DateTime

from glowdial.store.tables import Base

# as the record's times are written within documents
WRITTEN = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?")
# as a column of times is kept: to the microsecond
KEPT = "%Y-%m-%d %H:%M:%S.%f"


def shift_times(file: Path, by: timedelta) -> None:
    """Move every time in a data file that nobody has open. What the file refuses to have changed is
    let through for this alone."""

    def written(text: str) -> str:
        return WRITTEN.sub(lambda found: _later(found[0]).isoformat(), text)

    def kept(text: str) -> str:
        return _later(text).strftime(KEPT)

    def _later(text: str) -> datetime:
        return datetime.fromisoformat(text) + by

    with closing(sqlite3.connect(file)) as connection, connection:
        connection.create_function("written_later", 1, written, deterministic=True)
        connection.create_function("kept_later", 1, kept, deterministic=True)
        guards = connection.execute(
            "SELECT name, sql FROM sqlite_master WHERE type = 'trigger' ORDER BY rowid"
        ).fetchall()
        for name, _ in guards:
            connection.execute(f'DROP TRIGGER "{name}"')
        for table in Base.metadata.sorted_tables:
            for column in table.columns:
                later = ""
                if isinstance(column.type, DateTime):
                    later = "kept_later"
                elif isinstance(column.type, JSON):
                    later = "written_later"
                if later:
                    connection.execute(
                        f'UPDATE "{table.name}" SET "{column.name}" = {later}("{column.name}") '
                        f'WHERE "{column.name}" IS NOT NULL'
                    )
        for _, guard in guards:
            connection.execute(guard)
