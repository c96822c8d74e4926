"""What every use case is handed: the data and the clock."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from glowdial.store.database import Database


@dataclass(frozen=True, slots=True)
class Workshop:
    """The data and the clock that all use cases are handed."""

    database: Database
    now: Callable[[], datetime]
