"""Traces of a job: kept whole by the hash of their contents, with what they come down to as values.

A trace is an observation at a place of the set. Its samples are read only when they are looked at.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from glowdial.core.journey.conditions import registered
from glowdial.core.journey.record import JobRecord, Said, Told
from glowdial.core.language.errors import Conflict, NotFound
from glowdial.core.language.quantities import significant
from glowdial.core.model.measurands import Kind, Measurand, check_place
from glowdial.core.physics.traces import TraceFigures, reduced
from glowdial.core.plan.gates import alarm_words, power_open
from glowdial.core.plan.journey import Journey
from glowdial.core.plan.rules_version import RULES_VERSION
from glowdial.store.blobs import blob_of, keep_blob
from glowdial.store.records import get_job
from glowdial.store.scribe import NewAnswer, Value
from glowdial.store.tables import ObservationRow
from glowdial.workshop.base.jobs import NETWORK
from glowdial.workshop.base.tables import as_csv
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob, Stamp, derived, write
from glowdial.workshop.instruments import read_trace

# no step of the journey has this key: no rule takes a trace for an answer of its own
TRACES = "traces"
TITLE = "Trace"
MEDIA = "text/csv"


@dataclass(frozen=True, slots=True)
class TraceCommand:
    """A trace to keep: from which oscilloscope, at which place of the set, over how many s."""

    instrument_id: int
    place: str
    seconds: float


def keep_trace(
    workshop: Workshop, job_id: int, stamp: Stamp, command: TraceCommand
) -> dict[str, Any]:
    """Read an oscilloscope on the network and keep what it shows; returns the trace's hash.

    Raises NotFound for a place that the set does not have, LinkTrouble when it does not answer.
    """
    with workshop.database.reading() as session:
        found = derived(workshop, session, get_job(session, job_id))
    _refuse_without_power(found.journey, found.situation.record)
    samples = read_trace(workshop, command.instrument_id, command.seconds)
    figures = reduced(samples)

    def act(opened: OpenedJob) -> dict[str, Any]:
        _refuse_without_power(opened.journey, opened.record)
        check_place(opened.situation.facts, command.place)
        content = samples_csv(samples, command.seconds).encode()
        digest = keep_blob(opened.session, content, MEDIA)
        opened.scribe.answer(_entry(opened, command, figures, digest))
        words = f"{significant(figures.mean_v, 3)} V, {significant(figures.peak_to_peak_v, 3)} V pp"
        said = Said(command.place, words, "", "")
        opened.scribe.tell(Told(TITLE, (said,), RULES_VERSION))
        return {"trace": digest, "echo": words}

    return write(workshop, job_id, stamp, ("trace", command), act)


def _refuse_without_power(journey: Journey, record: JobRecord) -> None:
    """Raises Conflict while the set may have no power: a trace of it is a powered reading."""
    if record.alarm is not None:
        raise Conflict(alarm_words(record.alarm))
    if not power_open(journey.steps):
        raise Conflict("Pass the safety gate first: what shows a trace has power.")


def _entry(
    opened: OpenedJob, command: TraceCommand, figures: TraceFigures, digest: str
) -> NewAnswer:
    place = command.place
    swing = Measurand(place, Kind.RIPPLE)
    values = (
        Value("mean", figures.mean_v, "V", Measurand(place, Kind.DC_VOLTS), None, NETWORK, digest),
        Value(
            "alternating",
            figures.alternating_v,
            "V",
            Measurand(place, Kind.AC_VOLTS),
            None,
            NETWORK,
            digest,
        ),
        Value("swing", figures.peak_to_peak_v, "V", swing, None, NETWORK, digest),
    )
    on = [f"{t.what}, {t.where}" for t in opened.record.temporaries if t.on]
    return NewAnswer(
        TRACES,
        f"trace {opened.job.seq + 1}",
        {"place": place},
        place,
        values,
        conditions={"seconds": command.seconds} | ({"clipped_on": on} if on else {}),
        instruments=registered(opened.situation.equipment),
        who=opened.who,
    )


def samples_csv(samples_v: tuple[float, ...], seconds: float) -> str:
    """A trace as a table of seconds and volts."""
    last = max(len(samples_v) - 1, 1)
    rows = ((f"{seconds * n / last:.9g}", f"{v:.9g}") for n, v in enumerate(samples_v))
    return as_csv(("seconds", "volts"), rows)


def trace_csv(workshop: Workshop, job_id: int, digest: str) -> bytes:
    """A kept trace of a job as its table; raises NotFound for one that is not this job's."""
    with workshop.database.reading() as session:
        get_job(session, job_id)
        mine = select(ObservationRow.id).where(
            ObservationRow.job_id == job_id, ObservationRow.blob == digest
        )
        if session.scalar(mine.limit(1)) is None:
            raise NotFound("trace of this job", digest)
        return blob_of(session, digest).content
