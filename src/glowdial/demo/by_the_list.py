"""A simulated tuner heard through the whole list of measurements, entered as files."""

from __future__ import annotations

from glowdial.core.stages.proof.fm_points import (
    FILE,
    LIST_ASK,
    LIST_FIELD,
    LIST_STEP,
    fm_key,
    points_csv,
)
from glowdial.core.tuner.measurement import Measurement
from glowdial.demo.entered import entered
from glowdial.sheets.measurement_list import shipped_list, shipped_list_text
from glowdial.sim.condition import Condition
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.sim.stereo_tuner import StereoTuner
from glowdial.sim.tuner_of import tuner_of
from glowdial.store.records import get_bench
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop


def measure_by_the_list(workshop: Workshop, job_id: int, phase: str) -> None:
    """Take the list where it was not taken, and enter every measurement of a phase."""
    page = job_page(workshop, job_id)
    if page.record.latest(LIST_STEP, LIST_ASK) is None:
        entered(workshop, job_id, LIST_STEP, LIST_ASK, **{LIST_FIELD: shipped_list_text()})
    tuner = _tuner(workshop, job_id)
    for measured in shipped_list().measurements:
        csv = heard(tuner, measured)
        entered(workshop, job_id, fm_key(phase, measured), FILE, **{FILE: csv})


def heard(tuner: StereoTuner, measured: Measurement) -> str:
    """A measurement of a tuner as a file."""
    rows = {
        x: tuple(tuner.read(measured.drive(x, r), measured.look(x, r)) for r in measured.readings)
        for x in measured.points
    }
    return points_csv(measured, rows)


def _tuner(workshop: Workshop, job_id: int) -> StereoTuner:
    """The job's set as its cores stand now."""
    facts = job_page(workshop, job_id).facts
    with workshop.database.reading() as session:
        row = get_bench(session, job_id)
        assert row is not None
        receiver = SimulatedReceiver(facts.as_built(), Condition.from_document(row.condition))
        return tuner_of(receiver, BenchState.from_document(row.state))
