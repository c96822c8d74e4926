"""What every use case is handed, and the way that every write goes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from glowdial.bench.lines import Lines
from glowdial.core.journey.memory import AtOnce, Memory
from glowdial.core.language.errors import Conflict
from glowdial.store.database import Database
from glowdial.store.tables import IdempotencyRow
from glowdial.workshop.base.derived import Derivations
from glowdial.workshop.base.halts import Halts
from glowdial.workshop.base.runs import Runs
from glowdial.workshop.base.taken import Taken

# a day at the bench may go past midnight
WORKING_DAY = timedelta(hours=16)


@dataclass(frozen=True, slots=True)
class Workshop:
    """The data, the clock and the lines to instruments that all use cases are handed; what was
    derived, inferred and taken at a bench, to be had again."""

    database: Database
    now: Callable[[], datetime]
    lines: Lines = field(default_factory=Lines)
    derivations: Derivations = field(default_factory=Derivations)
    memory: Memory = field(default_factory=AtOnce)
    taken: Taken = field(default_factory=Taken)
    halts: Halts = field(default_factory=Halts)
    runs: Runs = field(default_factory=Runs)

    def alarmed(self, job_id: int) -> None:
        """An alarm was raised: what drives a bench of the job stops at its next move."""
        self.halts.halt(job_id)

    @property
    def working_day(self) -> str:
        """When this working day began at the earliest: what was acknowledged since then counts."""
        return (self.now() - WORKING_DAY).isoformat()


def once(
    workshop: Workshop,
    key: str,
    command: object,
    act: Callable[[Session, datetime], dict[str, Any]],
) -> dict[str, Any]:
    """Carry out one write in one transaction and keep its answer, which a retry gets again.

    ``key`` is of the page's own making. Raises Conflict when it was used for another command.
    """
    at = workshop.now()
    fingerprint = hashlib.sha256(repr(command).encode()).hexdigest()
    with workshop.database.writing() as session:
        given = session.get(IdempotencyRow, key)
        if given is not None:
            if given.fingerprint != fingerprint:
                raise Conflict("This idempotency key was used for something else; make a new one.")
            return given.response
        response = act(session, at)
        json.dumps(response)
        session.add(IdempotencyRow(key=key, fingerprint=fingerprint, response=response, at=at))
        return response
