"""What many tests start from: the demo sheet's facts, a simulated set, records, a workshop."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np

from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.memory import AtOnce
from glowdial.core.journey.record import Acknowledgement, Answer, JobRecord
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Rectifier,
    Supply,
    Topology,
    vacuum_rectifier,
)
from glowdial.core.plan.journey import NO_JOURNEY, journey_after, journey_of, situation_of
from glowdial.core.plan.report import Report, build_report
from glowdial.core.safety.cautions import Danger
from glowdial.demo.fill import DemoClock, tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import TemplateForm, read_form
from glowdial.sim.condition import Condition, neglected
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.sheets import read_sheet
from glowdial.workshop.base.workshop import Workshop

FIVE_TUBE_FORM = {
    "maker": "Orlwick",
    "model": "Slipway Five",
    "intermediate_frequency": "455",
    "bands": [{"name": "Broadcast", "low": "540", "high": "1600"}],
    "mains": "117",
    "secondary": "260",
    "b_plus": "210",
    "b_plus_current": "55",
}


@cache
def tidewater_facts() -> ReceiverFacts:
    """Facts of the demo receiver."""
    return receiver_facts(read_sheet(tidewater_sheet()))


@cache
def slipway_facts() -> ReceiverFacts:
    """Facts of a five-tube set made from the template with little more than IF and band."""
    return receiver_facts(
        sheet_from_template(read_form(TemplateForm.model_validate(FIVE_TUBE_FORM)))
    )


def aligned(facts: ReceiverFacts, **changes: object) -> SimulatedReceiver:
    """A simulated set exactly as designed, with a quiet needle, and what a test changes of it."""
    perfect = Condition(
        seed=1,
        turns={a.key: 0.0 for a in facts.adjusters},
        drift={a.key: 0.0 for a in facts.adjusters},
        gang_wander=0.0,
        gang_phase=0.0,
        emission=1.0,
        filters=1.0,
        load=1.0,
        needle=0.0,
    )
    return SimulatedReceiver(facts, replace(perfect, **changes))


def found(facts: ReceiverFacts, seed: int) -> SimulatedReceiver:
    """A neglected set."""
    return SimulatedReceiver(facts, neglected(facts, seed))


def a_supply(
    topology: Topology = Topology.CENTRE_TAP,
    rectifier: Rectifier | None = None,
    *,
    choke_h: float = 0.0,
    exponent: float = 0.0,
    source_ohm: float = 220.0,
) -> Supply:
    """A receiver's supply with one filter section."""
    return Supply(
        topology=topology,
        line_v=230.0,
        line_hz=50.0,
        secondary_v=300.0,
        source_ohm=source_ohm,
        rectifier=rectifier or vacuum_rectifier(55.0, 0.125),
        reservoir_f=16e-6,
        sections=(FilterSection(1200.0, 16e-6, choke_h),),
        load=Load(0.06, 235.0, exponent),
    )


def an_answer(
    seq: int, step: str, ask: str, values: Mapping[str, float] | None = None, **texts: str
) -> Answer:
    """One answer in a record; ``ask`` may name a point: "mark@dial_hz=600000"."""
    key, _, point = ask.partition("@")
    name, _, value = point.partition("=")
    asked_at = ((name, float(value)),) if point else ()
    return Answer(seq, step, key, dict(values or {}), texts, point=asked_at)


def held(share: float | str, line_v: float = 230.0) -> str:
    """The question of a ramp's held step, by its per cent of the line."""
    return f"held@line_v={float(share) / 100.0 * line_v!r}"


def a_record(*answers: Answer, **lists: object) -> JobRecord:
    """A record with answers and whatever lists a test gives; every caution acknowledged, unless
    it gives those too."""
    seen = tuple(Acknowledgement(0, "", d.value) for d in Danger)
    return JobRecord(answers=answers, **{"acknowledgements": seen, **lists})  # type: ignore[arg-type]


def plain_answer(seq: int, step: Step, ask: Ask) -> Answer:
    """The plainest answer to a question: what is expected, else as its example goes, and the first
    of every choice."""
    values, texts = {}, {}
    if ask.recipe is not None and ask.expected is None:
        values = dict(read_entry(ask, ask.example, {}).values)
    for wanted in ask.fields:
        if wanted.quantity is not None and wanted.required:
            window = ask.expected
            nominal = window.nominal if window and len(ask.fields) == 1 else wanted.nominal
            known = values.get(wanted.name, 0.0)
            values[wanted.name] = nominal if nominal is not None else known
        elif wanted.options and wanted.required:
            texts[wanted.name] = wanted.options[0]
    return Answer(seq, step.key, ask.key, values, texts, point=ask.point, programme=step.programme)


def walked(facts: ReceiverFacts, until: str, start: JobRecord | None = None) -> JobRecord:
    """The record of a job in which everything was as expected, up to a step."""
    record = start or a_record()
    state, memory = NO_JOURNEY, AtOnce()
    for _ in range(300):
        state = journey_after(state, facts, record, memory=memory)
        step = state.standing(state.next_key)
        if step.key.startswith(until):
            return record
        assert step.ask is not None, (step.key, step.blocked_by)
        seq = max((a.seq for a in record.answers), default=0) + 1
        record = replace(record, answers=(*record.answers, plain_answer(seq, step, step.ask)))
    raise AssertionError(f"{until} was not reached; it stands at {step.key}")


def report_of(facts: ReceiverFacts, record: JobRecord) -> Report:
    """The printed page of a record."""
    situation = situation_of(facts, record)
    return build_report(situation, journey_of(situation))


def a_workshop(folder: Path) -> Workshop:
    """A workshop over a fresh data file, its clock repeatable."""
    database = Database(sqlite_url(folder / "test.sqlite"))
    database.migrate()
    return Workshop(database, DemoClock())


def rising(low: float, high: float, count: int) -> np.ndarray:
    """Evenly spaced values, ends included."""
    return np.linspace(low, high, count)
