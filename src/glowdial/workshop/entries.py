"""Entering things: answers, acknowledgements, decisions, registers, changes, withdrawals."""

from __future__ import annotations

import time
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from glowdial.core.journey.conditions import conditions_of, doubt_of, instruments_of
from glowdial.core.journey.entry import (
    Entry,
    check_leaving,
    heard,
    high_end,
    low_end,
    read_entry,
)
from glowdial.core.journey.record import CHANGEABLES, JobRecord, Told
from glowdial.core.journey.room import Entering
from glowdial.core.journey.steps import Ask, Field, Step, find_ask
from glowdial.core.language.errors import BadInput, Conflict, Doubted, NotFound
from glowdial.core.model.measurands import Kind
from glowdial.core.plan.gates import missing_cautions, refusals
from glowdial.core.plan.journey import Journey
from glowdial.core.plan.order import room_of
from glowdial.core.plan.rules_version import RULES_VERSION
from glowdial.core.safety.signs import Sign, heard_in, sign_words
from glowdial.store.records import get_job
from glowdial.store.scribe import NewAnswer, Value
from glowdial.workshop.base.alarms import raise_alarm
from glowdial.workshop.base.closing import kept_telling
from glowdial.workshop.base.inference import known_by, wait_for_more
from glowdial.workshop.base.jobs import HAND, SIMULATED
from glowdial.workshop.base.texts import kept_text
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob, Stamp, Tell, derived, write
from glowdial.workshop.consequences import carry_out_all, taken_back
from glowdial.workshop.simulated import turn_in_simulation
from glowdial.workshop.stages.registry import completed

SAME_TURN = 1e-3
# how long an entry waits for its question
ASKED_PATIENCE_S = 2.0


@dataclass(frozen=True, slots=True)
class AnswerCommand:
    """One answer as a page sends it: a typed line, or fields by name.

    ``confirmed`` repeats an entry that was doubted.
    """

    step: str
    ask: str
    line: str | None
    fields: tuple[tuple[str, str], ...]
    confirmed: bool = False


def record_answer(
    workshop: Workshop, job_id: int, stamp: Stamp, command: AnswerCommand
) -> dict[str, Any]:
    """Read, judge and keep one answer.

    Raises BadInput for what cannot be right, Conflict when the step does not take it now. An entry
    far from the expectation is doubted once: it is kept only when it comes again, confirmed.
    """
    signs = _signs(workshop, job_id, command)
    if not signs:
        _once_asked(workshop, job_id, command)
    if signs:
        return write(
            workshop,
            job_id,
            stamp,
            command,
            lambda opened: _alarmed(opened, stamp, command, signs),
            overtakes=True,
        )
    return write(workshop, job_id, stamp, command, lambda opened: _answer(opened, command))


def _once_asked(workshop: Workshop, job_id: int, command: AnswerCommand) -> None:
    """Wait, a little, for a question that comes out of what is still being worked out: an entry
    that was sent by somebody who knows what comes next is not refused for that."""
    before = workshop.derivations.get(job_id)
    if before is None or not before.journey.thinking:
        return
    end = time.monotonic() + ASKED_PATIENCE_S
    while (left_s := end - time.monotonic()) > 0.0:
        known = known_by(workshop.memory)
        with workshop.database.reading() as session:
            journey = derived(workshop, session, get_job(session, job_id)).journey
        step = next((s for s in journey.steps if s.key == command.step), None)
        asked = step is not None and find_ask(step, command.ask) is not None
        if asked or not journey.thinking:
            return
        wait_for_more(workshop.memory, known, left_s)


def _signs(workshop: Workshop, job_id: int, command: AnswerCommand) -> tuple[Sign, ...]:
    """The signs of danger that count in what was sent: an owner's complaint has none."""
    anywhere = heard_in(_typed(command)).signs
    if not anywhere:
        return ()
    with workshop.database.reading() as session:
        found = derived(workshop, session, get_job(session, job_id))
    step = found.journey.standing(command.step)
    ask = find_ask(step, command.ask)
    if ask is None:
        return anywhere if step.powered else ()
    return heard(step, ask, command.line, dict(command.fields)).signs


def _typed(command: AnswerCommand) -> str:
    return command.line or "; ".join(v for _, v in command.fields)


def _alarmed(
    opened: OpenedJob, stamp: Stamp, command: AnswerCommand, signs: tuple[Sign, ...]
) -> Tell:
    """Raise the alarm that a line tells of; what else stands in it is kept where it can be."""
    step = opened.journey.standing(command.step)
    tell: Tell = _next_step
    if opened.job.seq == stamp.version:
        # nothing is written by an answer that is refused
        with suppress(BadInput, Conflict, Doubted):
            tell = _answer(opened, replace(command, confirmed=True))
    words = sign_words(signs)
    raise_alarm(opened, step.key, f"{words} (typed: {_typed(command).strip()})")
    return lambda after: {**tell(after), "verdict": "", "words": f"ALARM: {words}. Switch off now."}


def _next_step(after: Journey) -> dict[str, Any]:
    return {"next_step": after.next_key}


def preview(workshop: Workshop, job_id: int, step_key: str, ask_name: str, line: str) -> str:
    """What is understood of a line, before it is kept; raises BadInput where it is not.

    A stage may have words of its own on a line that is not finished.
    """
    with workshop.database.reading() as session:
        found = derived(workshop, session, get_job(session, job_id))
    step = found.journey.standing(step_key)
    ask = find_ask(step, ask_name)
    if ask is None:
        raise Conflict("This question is not open any more; look at the step as it is now.")
    room = room_of(step.stage)
    words = room.while_typing(found.situation, step, ask, line)
    if words:
        return words
    found_signs = heard(step, ask, line, {})
    if found_signs.signs:
        return f"ALARM: {sign_words(found_signs.signs)}. Enter stops everything powered."
    entry = read_entry(ask, found_signs.rest, {})
    room.check(found.situation, step, ask, Entering(entry.values, entry.texts))
    return entry.echo


def _answer(opened: OpenedJob, command: AnswerCommand) -> Tell:
    step = opened.journey.standing(command.step)
    ask = open_ask(opened, step, command.ask)
    line = command.line
    if line is not None:
        line = heard(step, ask, line, {}).rest
    entry = read_entry(ask, line, dict(command.fields), step.programme)
    if entry.doubts and not command.confirmed:
        raise Doubted(f"{entry.doubts[0]} Send it again to keep it as it is.")
    check_leaving(step, entry)
    room = room_of(step.stage)
    room.check(opened.situation, step, ask, Entering(entry.values, entry.texts))
    texts = {**entry.texts, **completed(opened, step, ask, entry)}
    values = _with_moves(opened, step, ask, entry)
    equipment = opened.situation.equipment
    seq = opened.scribe.answer(
        NewAnswer(
            step.key,
            ask.key,
            texts,
            command.line if command.line is not None else _joined(ask, entry),
            values=tuple(_values(opened, step, ask, entry, values)),
            point=ask.point,
            conditions=conditions_of(opened.record, step, ask, values),
            instruments=instruments_of(equipment, ask, entry.texts),
            programme=step.programme,
            who=opened.who,
        )
    )
    carry_out_all(opened, step, ask, Entering(values, texts))
    return lambda after: _told(opened, step, ask, entry, seq, after)


def _told(
    opened: OpenedJob, step: Step, ask: Ask, entry: Entry, seq: int, after: Journey
) -> dict[str, Any]:
    """Say what came of an entry, and keep that it was said."""
    mine = next((s for s in after.steps if s.key == step.key), None)
    lines = tuple(r.said for r in (mine.results if mine else ()) if r.seq == seq)
    told = Told(mine.title if mine else step.title, lines, RULES_VERSION)
    opened.scribe.tell(told)
    judged = told.judged
    return {
        "echo": "" if ask.confirm else entry.echo,
        "verdict": judged.verdict if judged else "",
        "words": judged.words if judged else "",
        "next_step": after.next_key,
    }


def open_ask(opened: OpenedJob, step: Step, name: str) -> Ask:
    """The step's question of that name, if it may be answered now; raises Conflict."""
    return may_answer(step, opened.record, name, opened.workshop.working_day)


def may_answer(step: Step, record: JobRecord, name: str, since: str) -> Ask:
    """The same for a step and the record that it was derived from; cautions count since then."""
    reasons = refusals(step, record, name, since)
    ask = find_ask(step, name)
    if reasons or ask is None:
        raise Conflict(" ".join(reasons))
    return ask


def _values(
    opened: OpenedJob, step: Step, ask: Ask, entry: Entry, values: Mapping[str, float]
) -> list[Value]:
    """The values to keep, each with its place, its doubt, and where it came from."""
    link, taken = opened.job.link, opened.workshop.taken
    found = []
    for field in ask.fields:
        if field.quantity is None or field.name not in values:
            continue
        typed = entry.typed.get(field.name, "")
        at_bench = link != HAND and taken.was_read(
            opened.job.id, question_at_bench(step, ask), typed
        )
        ends = (low_end(field.name), high_end(field.name)) if field.swings else ()
        for name in (field.name, *(end for end in ends if end in values)):
            value = values[name]
            found.append(
                Value(
                    name,
                    value,
                    field.quantity.base,
                    field.measurand,
                    doubt_of(opened.situation.equipment, field.measurand, value),
                    link if at_bench else HAND,
                )
            )
    return found


def question_at_bench(step: Step, ask: Ask) -> str:
    """What a reading at the bench is offered for."""
    return f"{step.key} {ask.name}"


def _with_moves(opened: OpenedJob, step: Step, ask: Ask, entry: Entry) -> Mapping[str, float]:
    """Book the typed turn; at a bench that turned itself the ledger already has it. What no bench
    does is done in a simulated set as it was typed."""
    values = dict(entry.values)
    adjuster = _turned(ask) or step.adjuster
    if "turns" not in values or adjuster is None:
        return values
    booked = opened.record.turned_since_entry(step.key, adjuster)
    simulated = opened.job.link == SIMULATED
    if simulated and ask.recipe is not None:
        values["turns"] = booked
        return values
    rest = values["turns"] - (booked if ask.recipe is not None else 0.0)
    if abs(rest) > SAME_TURN:
        opened.scribe.move(adjuster, rest, step.key)
        if simulated:
            turn_in_simulation(opened, adjuster, rest)
    return values


def _turned(ask: Ask) -> str | None:
    """The adjuster that a question is about, by its place."""
    for field in ask.fields:
        if field.measurand is not None and field.measurand.kind is Kind.TURN:
            return field.measurand.place.removeprefix("adjuster ")
    return None


def _joined(ask: Ask, entry: Entry) -> str:
    parts = [
        f"{f.label}: {_shown(f, entry.texts[f.name])}"
        for f in ask.fields
        if entry.texts.get(f.name)
    ]
    return "; ".join(parts)


def _shown(field: Field, text: str) -> str:
    return f"{len(text.splitlines())} lines" if field.table else text


def acknowledge(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, danger: str
) -> dict[str, Any]:
    """Acknowledge a caution of a step; logged with its time."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        step = opened.journey.standing(step_key)
        if danger not in step.dangers:
            raise NotFound("caution in this step", danger)
        if not opened.record.acknowledged(danger, opened.workshop.working_day):
            opened.scribe.acknowledge(step_key, danger)
        return {}

    return write(workshop, job_id, stamp, ("acknowledge", step_key, danger), act)


def close_step(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, reason: str, decided_by: str
) -> dict[str, Any]:
    """Close a step as it is, outside its window or untouched, with the reason and who decided.

    The safety gate and the handover cannot be closed this way.
    """

    def act(opened: OpenedJob) -> dict[str, Any]:
        step = opened.journey.standing(step_key)
        if missing_cautions(step, opened.record, opened.workshop.working_day):
            raise Conflict("A step with an unacknowledged caution cannot be closed by decision.")
        if step.by_person:
            raise Conflict("This step cannot be closed by decision; it has to be done.")
        if step.status.finished:
            raise Conflict("This step is finished already.")
        opened.scribe.closure(
            step_key,
            kept_text("reason", reason, "within 12 kHz; the owner listens to one station"),
            step.cost,
            kept_text("decided by", decided_by, "bench"),
        )
        return {"cost": step.cost}

    return write(workshop, job_id, stamp, ("close", step_key, reason, decided_by), act)


def reopen(workshop: Workshop, job_id: int, stamp: Stamp, reason: str) -> dict[str, Any]:
    """Open a job again that was handed over, with the reason; an entry of its own."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        if opened.job.closing is None:
            raise Conflict("This job is open.")
        # what the owner holds is not lost by it
        told = kept_telling(opened.session, opened.job.closing)
        opened.scribe.reopen(kept_text("reason", reason, "came back: hum after an hour"), told)
        opened.job.closing = None
        opened.job.closed_at = None
        return {}

    return write(workshop, job_id, stamp, ("reopen", reason), act, reopens=True)


def make_temporary(
    workshop: Workshop, job_id: int, stamp: Stamp, *, what: str, place: str, wanted: bool
) -> dict[str, Any]:
    """Register a clip lead, jumper, lifted lead or the like when it is made."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        opened.scribe.clip_on(
            "",
            kept_text("what", what, "jumper"),
            kept_text("where", place, "V2 grid to chassis"),
            wanted=wanted,
        )
        return {}

    return write(workshop, job_id, stamp, ("temporary", what, place, wanted), act)


def remove_temporary(
    workshop: Workshop, job_id: int, stamp: Stamp, temporary_id: int
) -> dict[str, Any]:
    """Take a temporary connection off; raises NotFound for one that is not this job's."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        opened.scribe.take_off(str(temporary_id))
        return {}

    return write(workshop, job_id, stamp, ("remove", temporary_id), act)


def restore(workshop: Workshop, job_id: int, stamp: Stamp, switched_id: int) -> dict[str, Any]:
    """Switch something back on that a step had switched off."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        opened.scribe.restore(str(switched_id))
        return {}

    return write(workshop, job_id, stamp, ("restore", switched_id), act)


def note_change(
    workshop: Workshop, job_id: int, stamp: Stamp, what: str, note: str
) -> dict[str, Any]:
    """Note that a part was changed or the cabinet taken off or put on: readings go stale."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        if what not in CHANGEABLES:
            wanted = f"must be one of {', '.join(CHANGEABLES)}"
            raise BadInput("what changed", what, wanted, "supply")
        opened.scribe.change(what, kept_text("note", note, "first filter capacitor renewed"))
        return {}

    return write(workshop, job_id, stamp, ("change", what, note), act)


def book_move(
    workshop: Workshop, job_id: int, stamp: Stamp, adjuster: str, turns: float, step_key: str
) -> dict[str, Any]:
    """Book a turn made by hand outside a step's own entry."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        opened.situation.facts.adjuster(adjuster)
        if opened.job.link == SIMULATED:
            raise Conflict("At the simulated bench turn the adjuster there; it books itself.")
        opened.scribe.move(adjuster, turns, step_key)
        return {}

    return write(workshop, job_id, stamp, ("move", adjuster, turns, step_key), act)


def withdraw(workshop: Workshop, job_id: int, stamp: Stamp, seq: int) -> dict[str, Any]:
    """Withdraw an entry; it stays visible, struck through, and the question opens again."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        answer = next((a for a in opened.record.answers if a.seq == seq), None)
        if answer is None:
            raise NotFound("entry", str(seq))
        if answer.withdrawn:
            raise Conflict("This entry is withdrawn already.")
        before = opened.record
        opened.scribe.withdraw(seq)
        taken_back(opened, answer, before)
        return {}

    return write(workshop, job_id, stamp, ("withdraw", seq), act)


def write_note(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, text: str
) -> dict[str, Any]:
    """Write a remark into the log."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        opened.scribe.note(step_key, kept_text("note", text, "smells of hot wax near T1"))
        return {}

    return write(workshop, job_id, stamp, ("note", step_key, text), act)
