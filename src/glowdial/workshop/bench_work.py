"""Working a job's bench: measure what a step asks, turn an adjuster, see live values."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from glowdial.bench.hands import CORE_STEP_TURNS, TRIMMER_STEP_TURNS, carry_out, prepare
from glowdial.bench.port import Settings
from glowdial.bench.simulated import SimulatedBench
from glowdial.bench.wording import typed_line
from glowdial.core.bench.movements import peak_words, value_tone_hz
from glowdial.core.bench.watch import Guard, GuardReading
from glowdial.core.journey.record import CABINET, JobRecord
from glowdial.core.journey.steps import Ask, Doing, Status, Step, find_ask
from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.language.quantities import engineering, khz, turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.plan.journey import missing_cautions
from glowdial.core.stages.intermediate.steps import CLIP
from glowdial.sim.condition import Condition
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench, get_job, load_record
from glowdial.store.tables import BenchRow
from glowdial.workshop.entries import turned_in_step
from glowdial.workshop.instruments import network_bench
from glowdial.workshop.jobs import HAND, NETWORK
from glowdial.workshop.sheets import facts_of
from glowdial.workshop.workshop import Workshop
from glowdial.workshop.writing import Desk, Stamp, lay_out, write

LARGEST_TURN = 5.0


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


def bench_view(workshop: Workshop, job_id: int) -> BenchView:
    """The live bench of a job; by hand there is nothing to show but the link."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        row = get_bench(session, job_id)
        if row is None:
            return BenchView(job.link, "", "", (), "", None, "", "")
        facts = facts_of(job.sheet)
        bench = _bench(facts, row, load_record(session, job_id))
        return _view(job.link, bench, row)


@dataclass(frozen=True, slots=True)
class LiveValue:
    """One live reading for eyes-off peaking: the value, how it is typed, the peak held, where it
    stands, the pitch that follows it; and the guard reading, if one is watched."""

    value: float
    text: str
    typed: str
    held: float
    words: str
    tone_hz: float
    guard: GuardReading | None = None


def live_values(workshop: Workshop, job_id: int, guard: Guard | None = None) -> Iterator[LiveValue]:
    """Readings of the AVC line from the job's bench, one after the other, peak held.

    Raises NotFound for a job that is gone, Conflict for one that is worked by hand, and
    LinkTrouble when an instrument does not answer.
    """
    with workshop.database.reading() as session:
        link = get_job(session, job_id).link
    if link == HAND:
        raise Conflict("This job is worked by hand: there is no instrument to watch.")
    network = network_bench(workshop) if link == NETWORK else None
    first, held = 0.0, 0.0
    while True:
        if network is not None:
            value = network.read("avc")
            watched = network.guard(guard.what) if guard else 0.0
        else:
            value, watched = _simulated_now(workshop, job_id, guard)
        first = first or value
        held = max(held, value)
        yield LiveValue(
            value=value,
            text=f"{value:.3f} V",
            typed=f"{-value:.3f}",
            held=held,
            words=peak_words(value, held),
            tone_hz=round(value_tone_hz(value, first), 1),
            guard=guard.seen(watched) if guard else None,
        )


def _simulated_now(workshop: Workshop, job_id: int, guard: Guard | None) -> tuple[float, float]:
    with workshop.database.reading() as session:
        job, row = get_job(session, job_id), get_bench(session, job_id)
        if row is None:
            raise Conflict("This job has no simulated set.")
        bench = _bench(facts_of(job.sheet), row, load_record(session, job_id))
    return bench.read("avc"), bench.guard(guard.what) if guard else 0.0


def _bench(facts: ReceiverFacts, row: BenchRow, record: JobRecord) -> SimulatedBench:
    receiver = SimulatedReceiver(facts, Condition.from_document(row.condition))
    bench = SimulatedBench(receiver, BenchState.from_document(row.state))
    bench.apply(as_it_stands(record))
    return bench


def as_it_stands(record: JobRecord) -> Settings:
    """What the job's registers say of a bench: is the oscillator clipped, is the cabinet on."""
    cabinet = [c for c in record.changes if c.what == CABINET]
    return Settings(
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
    avc = bench.read("avc")
    meters = (
        Meter("avc", "AVC", avc, f"-{avc:.2f} V" if avc >= 0.005 else "0.00 V"),
        Meter("b-plus", "B+", bench.read("b-plus"), f"{bench.read('b-plus'):.0f} V"),
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
        peak_words(avc, held) if held is not None else "",
        turns(row.held["turned"]) if row.held.get("turned") else "",
    )


def _open_ask(desk: Desk, step: Step, ask_key: str = "") -> Ask:
    """The step's open question, or the one named, if a bench can answer it now."""
    if step.status is Status.BLOCKED:
        raise Conflict(" ".join(step.blocked_by))
    if missing_cautions(step, desk.record):
        raise Conflict("Acknowledge the caution of this step first.")
    ask = find_ask(step, ask_key) if ask_key else step.ask
    if ask is None or ask.recipe is None:
        raise Conflict("There is nothing to measure in this step now.")
    return ask


def _open_step(desk: Desk, step_key: str, ask_key: str = "") -> tuple[Step, Ask, BenchRow]:
    step = desk.journey.step(step_key)
    row = get_bench(desk.session, desk.job.id)
    if row is None:
        raise Conflict("This job is worked by hand: no bench is connected; type the reading.")
    return step, _open_ask(desk, step, ask_key), row


def measure(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, ask_key: str = ""
) -> dict[str, Any]:
    """Do at the bench what the step's question asks; returns the line to be entered.

    ``ask_key`` names another question that the step takes as well. Turns that were made are booked
    in the ledger at once.
    """
    with workshop.database.reading() as session:
        on_network = get_job(session, job_id).link == NETWORK
    if on_network:
        return _measure_on_network(workshop, job_id, stamp, step_key, ask_key)

    def act(desk: Desk) -> dict[str, Any]:
        step, ask, row = _open_step(desk, step_key, ask_key)
        assert ask.recipe is not None
        bench = _bench(desk.facts, row, desk.record)
        step_turns, reach = movement(desk.facts, ask)
        measured = carry_out(
            ask.recipe,
            bench,
            already_turned=turned_in_step(desk, step),
            step_turns=step_turns,
            reach_turns=reach,
        )
        if measured.turned and step.adjuster is not None:
            desk.scribe.move(step.adjuster, measured.turned, step.key)
        _keep(row, bench, step.key, held=bench.read("avc"))
        return {"line": typed_line(ask, measured.values), "remarks": list(measured.remarks)}

    return write(workshop, job_id, stamp, ("measure", step_key, ask_key), act)


def _measure_on_network(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, ask_key: str
) -> dict[str, Any]:
    """Set and read real instruments: nothing is written, so nothing waits for them meanwhile.

    Where an adjuster was to be turned, a person has turned it as proposed, or corrects the line.
    """
    with workshop.database.reading() as session:
        desk = lay_out(session, job_id, workshop.now())
        step = desk.journey.step(step_key)
        ask = _open_ask(desk, step, ask_key)
    recipe = ask.recipe
    assert recipe is not None
    made = {}
    if recipe.doing is Doing.TURN_AND_FIND:
        made = {"turns": recipe.turns or 0.0}
        recipe = replace(recipe, doing=Doing.FIND_FREQUENCY)
    measured = carry_out(
        recipe,
        network_bench(workshop),
        already_turned=0.0,
        step_turns=CORE_STEP_TURNS,
        reach_turns=1.0,
    )
    line = typed_line(ask, {**made, **measured.values})
    return {"line": line, "remarks": list(measured.remarks), "version": stamp.version}


def movement(facts: ReceiverFacts, ask: Ask) -> tuple[float, float]:
    """Step and reach of a peaking movement in turns: half the travel either way."""
    recipe = ask.recipe
    if recipe is None or recipe.adjuster is None or recipe.doing is not Doing.PEAK:
        return CORE_STEP_TURNS, 1.0
    adjuster = facts.adjuster(recipe.adjuster)
    core = adjuster.kind is AdjusterKind.CORE
    return CORE_STEP_TURNS if core else TRIMMER_STEP_TURNS, adjuster.travel_turns / 2.0


def _keep(row: BenchRow, bench: SimulatedBench, step: str, **held: float) -> None:
    row.state = bench.state.as_document()
    row.held = {"step": step, "avc": held["held"], "turned": held.get("turned", 0.0)}


def turn(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, amount_turns: float
) -> dict[str, Any]:
    """Turn the step's adjuster at the bench and hold the highest reading since the step began."""

    def act(desk: Desk) -> dict[str, Any]:
        step, ask, row = _open_step(desk, step_key)
        if step.adjuster is None:
            raise Conflict("This step has no adjuster to turn.")
        if not 0.0 < abs(amount_turns) <= LARGEST_TURN:
            raise BadInput("turn", f"{amount_turns:g}", "must be up to 5 turns either way", "+1/16")
        assert ask.recipe is not None
        bench = _bench(desk.facts, row, desk.record)
        begun = row.held.get("step") == step.key
        if not begun:
            prepare(ask.recipe, bench)
        before = bench.read("avc")
        bench.turn(step.adjuster, amount_turns)
        desk.scribe.move(step.adjuster, amount_turns, step.key)
        now = bench.read("avc")
        held = max(before, now, row.held["avc"] if begun else 0.0)
        already = row.held["turned"] if begun else 0.0
        _keep(row, bench, step.key, held=held, turned=already + amount_turns)
        return {"avc": now, "held": held, "words": peak_words(now, held)}

    return write(workshop, job_id, stamp, ("turn", step_key, amount_turns), act)
