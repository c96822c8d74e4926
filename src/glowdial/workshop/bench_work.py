"""Working a job's bench: measure what a step asks, turn an adjuster, see live values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from glowdial.bench.halting import HaltingBench
from glowdial.bench.hands import carry_out, prepare
from glowdial.bench.simulated import SimulatedBench
from glowdial.bench.wording import typed_line, typed_value
from glowdial.core.bench.movements import (
    ALARM_HZ,
    LARGEST_TURN,
    movement_of,
    peak_words,
    value_tone_hz,
)
from glowdial.core.bench.peak_trace import MOST_POINTS, PeakTrace, TracePoint, peak_trace
from glowdial.core.bench.recipe import Doing
from glowdial.core.bench.settings import SettingsChange, setting
from glowdial.core.bench.watch import GuardLimits, GuardReading
from glowdial.core.journey.record import CABINET, JobRecord
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.language.quantities import AVC_VOLTS, Quantity, engineering, khz, turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import AVC, B_PLUS, Measurand
from glowdial.core.plan.gates import alarm_words
from glowdial.core.plan.journey import Journey
from glowdial.core.stages.intermediate.work import CLIP
from glowdial.sim.condition import Condition
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench, get_job
from glowdial.store.tables import BenchRow
from glowdial.workshop.base.jobs import HAND, NETWORK
from glowdial.workshop.base.taken import LIVE
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob, Stamp, derived, refuse_closed, write
from glowdial.workshop.entries import may_answer, question_at_bench
from glowdial.workshop.instruments import network_bench


@dataclass(frozen=True, slots=True)
class Meter:
    """A live value in words."""

    key: str
    label: str
    value: float
    text: str


@dataclass(frozen=True, slots=True)
class BenchView:
    """What the bench panel shows."""

    link: str
    generator: str
    dial: str
    meters: tuple[Meter, ...]
    held_step: str
    held_v: float | None
    peak_words: str
    turned: str
    trace: PeakTrace | None = None


def bench_view(workshop: Workshop, job_id: int) -> BenchView:
    """The live bench of a job; by hand there is nothing to show but the link."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        row = get_bench(session, job_id)
        if row is None:
            return BenchView(job.link, "", "", (), "", None, "", "")
        found = derived(workshop, session, job).situation
        return _view(job.link, _bench(found.facts, row, found.record), row)


@dataclass(frozen=True, slots=True)
class LiveValue:
    """One live reading for eyes-off peaking: what is read, the value, how it is typed, the peak
    held, where it stands, the pitch that follows it; and the guard reading, if one is watched. An
    alarm of that one must sound, whatever was chosen."""

    label: str
    value: float
    text: str
    typed: str
    held: float
    held_text: str
    words: str
    tone_hz: float
    must_sound: bool = False
    guard: GuardReading | None = None


def live_values(
    workshop: Workshop, job_id: int, guard: GuardLimits | None = None
) -> Iterator[LiveValue]:
    """Readings of what the open question peaks by, the AVC line otherwise, one after the other,
    peak held.

    Raises NotFound for a job that is gone, Conflict for one that is worked by hand, and
    LinkTrouble when an instrument does not answer.
    """
    with workshop.database.reading() as session:
        link = get_job(session, job_id).link
    if link == HAND:
        raise Conflict("This job is worked by hand: there is no instrument to watch.")
    network = network_bench(workshop) if link == NETWORK else None
    what, first, held = AVC_LIVE, 0.0, 0.0
    while True:
        if network is not None:
            now = _live_now(workshop, job_id)
            value = network.read(now.what)
            watched = network.guard(guard.measurand) if guard else 0.0
        else:
            now, value, watched = _simulated_now(workshop, job_id, guard)
        if now != what:
            # another indicator: its first reading is where its peak begins
            what, first, held = now, 0.0, 0.0
        first = first or value
        held = max(held, value)
        typed = typed_value(now.quantity, value)
        workshop.taken.offer(job_id, LIVE, typed)
        seen = guard.seen(watched) if guard else None
        alarm = seen is not None and seen.alarm
        yield LiveValue(
            label=now.label,
            value=value,
            text=f"{value:.3f} V",
            typed=typed,
            held=held,
            held_text=f"{held:.3f} V",
            words=peak_words(value, held),
            tone_hz=ALARM_HZ if alarm else round(value_tone_hz(value, first), 1),
            must_sound=alarm,
            guard=seen,
        )


@dataclass(frozen=True, slots=True)
class _Live:
    """What is watched: its name, where it is read and in which unit."""

    label: str
    what: Measurand
    quantity: Quantity


AVC_LIVE = _Live("AVC", AVC, AVC_VOLTS)


def _live_of(journey: Journey) -> _Live:
    """What the open step's question is peaked by; the AVC line where it does not peak."""
    step = next((s for s in journey.steps if s.key == journey.next_key), None)
    ask = step.ask if step is not None else None
    if ask is None or ask.recipe is None or ask.recipe.indicator == AVC:
        return AVC_LIVE
    what = ask.recipe.indicator
    read = next((f for f in ask.fields if f.measurand == what and f.quantity), None)
    return AVC_LIVE if read is None or not read.quantity else _Live(what.place, what, read.quantity)


def _live_now(workshop: Workshop, job_id: int) -> _Live:
    """What is watched; raises Conflict while an alarm stands: what is live stops."""
    with workshop.database.reading() as session:
        found = derived(workshop, session, get_job(session, job_id))
    refuse_in_alarm(found.situation.record)
    return _live_of(found.journey)


def _simulated_now(
    workshop: Workshop, job_id: int, guard: GuardLimits | None
) -> tuple[_Live, float, float]:
    with workshop.database.reading() as session:
        job, row = get_job(session, job_id), get_bench(session, job_id)
        if row is None:
            raise Conflict("This job has no simulated set.")
        made = derived(workshop, session, job)
        found = made.situation
        refuse_in_alarm(found.record)
        bench = _bench(found.facts, row, found.record)
    now = _live_of(made.journey)
    return now, bench.read(now.what), bench.guard(guard.measurand) if guard else 0.0


def _bench(facts: ReceiverFacts, row: BenchRow, record: JobRecord) -> SimulatedBench:
    receiver = SimulatedReceiver(facts.as_built(), Condition.from_document(row.condition))
    bench = SimulatedBench(receiver, BenchState.from_document(row.state))
    bench.apply(as_it_stands(record))
    return bench


def as_it_stands(record: JobRecord) -> SettingsChange:
    """What the job's registers say of a bench: is the oscillator clipped, is the cabinet on."""
    cabinet = [c for c in record.changes if c.what == CABINET]
    return setting(
        oscillator_stopped=any(t.on and t.what == CLIP[0] for t in record.temporaries),
        in_cabinet=bool(cabinet) and cabinet[-1].note == "in",
    )


def _view(link: str, bench: SimulatedBench, row: BenchRow) -> BenchView:
    state = bench.state
    generator = ""
    if state.injection:
        level = engineering(state.generator_emf_v, "V") if state.generator_emf_v else "off"
        generator = f"{khz(round(state.generator_hz, 0))}, {level}, {state.injection}"
    dial = f"{state.band} {khz(state.dial_hz)}" if state.band else ""
    avc, b_plus = bench.read(AVC), bench.read(B_PLUS)
    meters = (
        Meter("avc", "AVC", avc, f"-{avc:.2f} V" if avc >= 0.005 else "0.00 V"),
        Meter("b-plus", "B+", b_plus, f"{b_plus:.0f} V"),
        Meter("line", "line", state.line_v, f"{state.line_v:.0f} V"),
    )
    held = row.held.get("avc")
    return BenchView(
        link,
        generator,
        dial,
        meters,
        row.held.get("step", ""),
        held,
        peak_words(row.held.get("now", avc), held) if held is not None else "",
        turns(row.held["turned"]) if row.held.get("turned") else "",
        peak_trace([TracePoint(t, v) for t, v in row.held.get("trace", ())]),
    )


def _measured_ask(opened: OpenedJob, step: Step, name: str) -> Ask:
    """The step's open question, or the one named, if a bench can answer it now."""
    return _measurable(step, opened.record, name, opened.workshop.working_day)


def refuse_in_alarm(record: JobRecord) -> None:
    """Raises Conflict while an alarm stands: no bench is driven then, with power or without."""
    if record.alarm is not None:
        raise Conflict(alarm_words(record.alarm))


def _measurable(step: Step, record: JobRecord, name: str, since: str) -> Ask:
    refuse_in_alarm(record)
    wanted = name or (step.ask.name if step.ask else "")
    if not wanted:
        raise Conflict("There is nothing to measure in this step now.")
    ask = may_answer(step, record, wanted, since)
    if ask.recipe is None:
        raise Conflict("There is nothing to measure in this step now.")
    return ask


def _at_bench(opened: OpenedJob, step_key: str, name: str = "") -> tuple[Step, Ask, BenchRow]:
    step = opened.journey.standing(step_key)
    row = get_bench(opened.session, opened.job.id)
    if row is None:
        raise Conflict("This job is worked by hand: no bench is connected; type the reading.")
    return step, _measured_ask(opened, step, name), row


def measure(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, ask_name: str = ""
) -> dict[str, Any]:
    """Do at the bench what the step's question asks; returns the line to be entered.

    ``ask_name`` names another question that the step takes as well. Turns that were made are booked
    in the ledger at once.
    """
    with workshop.database.reading() as session:
        on_network = get_job(session, job_id).link == NETWORK
    if on_network:
        return _measure_on_network(workshop, job_id, stamp, step_key, ask_name)

    def act(opened: OpenedJob) -> dict[str, Any]:
        step, ask, row = _at_bench(opened, step_key, ask_name)
        facts = opened.situation.facts
        bench = _bench(facts, row, opened.record)
        step_turns, reach = _movement(facts, ask)
        measured = carry_out(
            ask,
            bench,
            already_turned=_turned(opened, step),
            step_turns=step_turns,
            reach_turns=reach,
        )
        if measured.turned and step.adjuster is not None:
            opened.scribe.move(step.adjuster, measured.turned, step.key)
        stands = bench.read(ask.recipe.indicator if ask.recipe else AVC)
        _keep(row, bench, step.key, held=stands, now=stands)
        line = typed_line(ask, measured.values, said=measured.said)
        workshop.taken.offer(job_id, question_at_bench(step, ask), line)
        return {"line": line, "remarks": list(measured.remarks)}

    return write(workshop, job_id, stamp, ("measure", step_key, ask_name), act)


def _turned(opened: OpenedJob, step: Step) -> float:
    if step.adjuster is None:
        return 0.0
    return opened.record.turned_since_entry(step.key, step.adjuster)


def _measure_on_network(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, ask_name: str
) -> dict[str, Any]:
    """Set and read real instruments: nothing is written, so nothing waits for them meanwhile.

    Where an adjuster was to be turned, a person has turned it as proposed, or corrects the line.
    """
    halts = workshop.halts.count(job_id)
    step, ask = _asked_on_network(workshop, job_id, step_key, ask_name)
    recipe = ask.recipe
    assert recipe is not None
    if recipe.doing is Doing.FIND_DIAL:
        raise Conflict("The dial is moved by hand: type where its pointer stands.")
    made, typed = {}, ask
    if recipe.doing is Doing.TURN_AND_FIND:
        made = {"turns": recipe.turns or 0.0}
        ask = replace(ask, recipe=replace(recipe, doing=Doing.FIND_FREQUENCY))
    step_turns, reach = movement_of(None)
    bench = HaltingBench(network_bench(workshop), lambda: workshop.halts.count(job_id) != halts)
    measured = carry_out(
        ask,
        bench,
        already_turned=0.0,
        step_turns=step_turns,
        reach_turns=reach,
    )
    workshop.taken.offer(
        job_id, question_at_bench(step, typed), typed_line(ask, measured.values, alone=True)
    )
    line = typed_line(typed, {**made, **measured.values})
    return {"line": line, "remarks": list(measured.remarks), "version": stamp.version}


def _asked_on_network(
    workshop: Workshop, job_id: int, step_key: str, ask_name: str
) -> tuple[Step, Ask]:
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        refuse_closed(job)
        found = derived(workshop, session, job)
    step = found.journey.standing(step_key)
    return step, _measurable(step, found.situation.record, ask_name, workshop.working_day)


def _movement(facts: ReceiverFacts, ask: Ask) -> tuple[float, float]:
    """Step and reach of a question's peaking movement, in turns."""
    recipe = ask.recipe
    if recipe is None or recipe.adjuster is None or recipe.doing is not Doing.PEAK:
        return movement_of(None)
    return movement_of(facts.adjuster(recipe.adjuster))


def _keep(
    row: BenchRow,
    bench: SimulatedBench,
    step: str,
    trace: Sequence[Sequence[float]] = (),
    **held: float,
) -> None:
    row.state = bench.state.as_document()
    row.held = {
        "step": step,
        "avc": held["held"],
        "now": held["now"],
        "turned": held.get("turned", 0.0),
        "trace": [list(point) for point in trace[-MOST_POINTS:]],
    }


def turn(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, amount_turns: float
) -> dict[str, Any]:
    """Turn the step's adjuster at the bench and hold the highest reading since the step began."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        step, ask, row = _at_bench(opened, step_key)
        if step.adjuster is None:
            raise Conflict("This step has no adjuster to turn.")
        if not 0.0 < abs(amount_turns) <= LARGEST_TURN:
            raise BadInput("turn", f"{amount_turns:g}", "must be up to 5 turns either way", "+1/16")
        assert ask.recipe is not None
        bench = _bench(opened.situation.facts, row, opened.record)
        begun = row.held.get("step") == step.key
        if not begun:
            prepare(ask.recipe, bench)
        before = bench.read(ask.recipe.indicator)
        bench.turn(step.adjuster, amount_turns)
        opened.scribe.move(step.adjuster, amount_turns, step.key)
        now = bench.read(ask.recipe.indicator)
        held = max(before, now, row.held["avc"] if begun else 0.0)
        already = row.held["turned"] if begun else 0.0
        turned = already + amount_turns
        tried = row.held.get("trace", []) if begun else []
        trace = [*(tried or [[already, before]]), [turned, now]]
        _keep(row, bench, step.key, trace, held=held, turned=turned, now=now)
        return {"avc": now, "held": held, "words": peak_words(now, held)}

    return write(workshop, job_id, stamp, ("turn", step_key, amount_turns), act)
