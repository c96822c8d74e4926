"""A simulated set swept while a hand turns a core: the curve as it would stand, nothing kept."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.alignment.trace_table import ReadTrace
from glowdial.core.journey.steps import Plot
from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.language.quantities import khz, turn_entry, turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.stages.intermediate.chains import chain_of
from glowdial.core.stages.intermediate.sweep_picture import live_plot
from glowdial.core.stages.intermediate.sweep_set_up import swept_span_hz
from glowdial.core.stages.intermediate.sweep_traces import figures_of, sweeps_of
from glowdial.sim.condition import Condition
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.signal_path import DETECTOR_EFFICIENCY
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench, get_job
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import derived, refuse_closed
from glowdial.workshop.bench_work import refuse_in_alarm
from glowdial.workshop.entries import may_answer

POINTS, LEVEL_V, MOST_TURNS = 201, 1e-4, 5.0


@dataclass(frozen=True, slots=True)
class SweptView:
    """The curve as a drawing over what was swept before, its samples as a table (of a sweep without
    a turn), what it shows in words, and the turn as it is typed."""

    plot: Plot | None
    table: str
    words: str
    typed: str


def swept_view(
    workshop: Workshop, job_id: int, step_key: str, ask: str, core: str, turned: float
) -> SweptView:
    """The response of a job's simulated set, the AVC clamped and the detector looked at, with a
    core of its IF (or none: "") turned by so much from where it stands.

    Raises Conflict where the step may not be worked now or the set is no simulated one, BadInput
    for a core that is none or a turn beyond five.
    """
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        row = get_bench(session, job_id)
        if row is None:
            raise Conflict("This job has no simulated set: sweep the real one.")
        refuse_closed(job)
        found = derived(workshop, session, job)
        situation, step = found.situation, found.journey.standing(step_key)
        # what is dangerous stays so on a bench that only looks
        refuse_in_alarm(situation.record)
        may_answer(step, situation.record, ask, workshop.working_day)
        receiver = SimulatedReceiver(
            situation.facts.as_built(), Condition.from_document(row.condition)
        )
        state = BenchState.from_document(row.state)
    mode, situation = chain_of(situation, step_key)
    facts = situation.facts
    if core and core not in facts.if_adjusters():
        raise BadInput("core", core, "is no core of the IF", facts.if_adjusters()[0])
    if not abs(turned) <= MOST_TURNS:
        raise BadInput("turn", f"{turned:g}", "must be up to 5 turns either way", "+1/16")
    trace = _swept(facts, receiver.on_chain(mode), state, core, turned)
    figures = figures_of(trace, None)
    six = figures.width(6.0)
    stands = f"centre {khz(six.centre_hz)}, {khz(six.width_hz)} wide at -6 dB" if six else "no peak"
    moved = f"turned {turns(turned)}: " if core and turned else ""
    rows = zip(trace.frequency_hz, trace.volts, strict=True)
    # samples are wanted of a sweep that is to be kept
    table = "" if core else "\n".join(["kHz;V", *(f"{f / 1e3:.4f};{v:.6g}" for f, v in rows)])
    plot = live_plot(facts, sweeps_of(situation.record), figures, situation.record)
    return SweptView(plot, table, moved + stands, turn_entry(turned) if core and turned else "")


def _swept(
    facts: ReceiverFacts, receiver: SimulatedReceiver, state: BenchState, core: str, turned: float
) -> ReadTrace:
    moved = {**state.turns, core: state.turns.get(core, 0.0) + turned} if core else state.turns
    supply: Supply | None = facts.supply
    state = replace(
        state,
        turns=moved,
        line_v=supply.line_v if supply else (facts.line_v or 230.0),
        injection="mixer grid",
        oscillator_stopped=True,
        generator_emf_v=LEVEL_V,
        tone_on=False,
        damped=(),
        avc_clamp_v=0.0,
    )
    low_hz, high_hz = swept_span_hz(facts)
    row_hz = np.linspace(low_hz, high_hz, POINTS)
    carrier, noise, _ = receiver.detected_over(state, row_hz)
    volts = DETECTOR_EFFICIENCY * np.hypot(carrier, 1.25 * noise)
    words = "the simulated set, AVC clamped, at the detector"
    return ReadTrace(
        tuple(float(f) for f in row_hz), (), tuple(float(v) for v in volts), False, words
    )
