"""Entering things: answers, acknowledgements, decisions, registers, changes, withdrawals."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from glowdial.core.journey.entry import Entry, read_entry
from glowdial.core.journey.record import CHANGEABLES
from glowdial.core.journey.steps import Ask, Status, Step, find_ask
from glowdial.core.language.errors import BadInput, Conflict, Doubted, NotFound
from glowdial.core.plan.journey import missing_cautions
from glowdial.core.stages.bring_up.ramp_step import RAMP, check_ramp_entry, moving_words
from glowdial.core.stages.handover.steps import HAND_OVER
from glowdial.store.records import rows_of
from glowdial.store.tables import SwitchedOffRow, TemporaryRow
from glowdial.workshop.jobs import SIMULATED, job_view
from glowdial.workshop.parts import (
    given_back,
    is_part_question,
    part_consequences,
    part_texts,
)
from glowdial.workshop.workshop import Workshop
from glowdial.workshop.writing import Desk, Stamp, write

LONGEST_NOTE = 2000
SAME_TURN = 1e-3


@dataclass(frozen=True, slots=True)
class AnswerCommand:
    """One answer as a page sends it: a typed line, or fields by name.

    ``confirmed`` repeats an entry that was doubted; ``source`` is hand or simulated. ``choice``
    counts the proposals for a part from 0.
    """

    step: str
    ask: str
    line: str | None
    fields: tuple[tuple[str, str], ...]
    confirmed: bool
    source: str
    choice: int = 0


def record_answer(
    workshop: Workshop, job_id: int, stamp: Stamp, command: AnswerCommand
) -> dict[str, Any]:
    """Read, judge and keep one answer.

    Raises BadInput for what cannot be right, Conflict when the step does not take it now. An entry
    far from the expectation is doubted once: it is kept only when it comes again, confirmed.
    """
    return write(workshop, job_id, stamp, command, lambda desk: _answer(desk, command))


def preview(workshop: Workshop, job_id: int, step_key: str, ask_key: str, line: str) -> str:
    """What is understood of a line, before it is kept; raises BadInput where it is not.

    On a moving ramp, what to expect at the AC typed so far.
    """
    view = job_view(workshop, job_id)
    ask = find_ask(view.journey.step(step_key), ask_key)
    if ask is None:
        raise Conflict("This question is not open any more; look at the step as it is now.")
    moving = moving_words(view.facts, ask, line) if step_key == RAMP else ""
    if moving:
        return moving
    entry = read_entry(ask, line, {})
    if step_key == RAMP:
        check_ramp_entry(view.facts, view.record, ask, entry.values)
    return entry.echo


def _answer(desk: Desk, command: AnswerCommand) -> dict[str, Any]:
    step = desk.journey.step(command.step)
    ask = _open_ask(desk, step, command.ask)
    entry = read_entry(ask, command.line, dict(command.fields))
    if entry.doubts and not command.confirmed:
        raise Doubted(f"{entry.doubts[0]} Send it again to keep it as it is.")
    _refuse_silent_leave(step, entry)
    if step.key == RAMP:
        check_ramp_entry(desk.facts, desk.record, ask, entry.values)
    if is_part_question(step, ask):
        entry.texts.update(part_texts(desk, ask, entry, command.choice))
    values = _with_moves(desk, step, entry)
    units = {f.name: f.quantity.base for f in ask.fields if f.quantity}
    line = command.line if command.line is not None else _joined(ask, entry)
    seq = desk.scribe.answer(
        step.key,
        ask.key,
        values={name: (value, units[name]) for name, value in values.items()},
        texts=entry.texts,
        source=command.source,
        line=line,
    )
    _consequences(desk, step, ask)
    if is_part_question(step, ask):
        part_consequences(desk, ask, entry.texts)
    desk.refresh()
    after = next((s for s in desk.journey.steps if s.key == step.key), None)
    mine = [r for r in after.results if r.seq == seq] if after else []
    # of several values the one that is outside is what there is to say
    judged = next((r for r in mine if r.judgement.verdict.outside), mine[-1] if mine else None)
    return {
        "echo": "" if ask.confirm else entry.echo,
        "verdict": judged.judgement.verdict.value if judged else "",
        "words": judged.judgement.words if judged else "",
        "next_step": desk.journey.next_key,
    }


def _open_ask(desk: Desk, step: Step, key: str) -> Ask:
    if step.status is Status.BLOCKED:
        raise Conflict(" ".join(step.blocked_by))
    missing = missing_cautions(step, desk.record)
    if missing:
        raise Conflict(f"Acknowledge the caution first: {', '.join(missing)}.")
    ask = find_ask(step, key)
    if ask is None:
        raise Conflict("This question is not open any more; look at the step as it is now.")
    return ask


def _refuse_silent_leave(step: Step, entry: Entry) -> None:
    if step.leave and step.cost and entry.texts.get("decision") == "leave it":
        raise BadInput(
            "decision",
            "leave it",
            f"leaves it outside ({step.cost}), so it needs a reason: use 'close with a reason'",
            "align",
        )


def _with_moves(desk: Desk, step: Step, entry: Entry) -> Mapping[str, float]:
    """Book the typed turn; at a bench that turned itself the ledger already has it."""
    values = dict(entry.values)
    if "turns" not in values or step.adjuster is None:
        return values
    booked = turned_in_step(desk, step)
    if desk.job.link == SIMULATED:
        values["turns"] = booked
        return values
    rest = values["turns"] - booked
    if abs(rest) > SAME_TURN:
        desk.scribe.move(step.adjuster, rest, step.key)
    return values


def turned_in_step(desk: Desk, step: Step) -> float:
    """Turns of the step's adjuster since the last entry that counts there."""
    since = max((a.seq for a in desk.record.of_step(step.key)), default=0)
    return sum(
        m.turns
        for m in desk.record.moves
        if m.step == step.key and m.adjuster == step.adjuster and m.seq > since
    )


def _joined(ask: Ask, entry: Entry) -> str:
    parts = [f"{f.label}: {entry.texts[f.name]}" for f in ask.fields if entry.texts.get(f.name)]
    return "; ".join(parts)


def _consequences(desk: Desk, step: Step, ask: Ask) -> None:
    """What answering a step does besides: leads made, things switched off and on again."""
    scribe = desk.scribe
    for what, place in (*step.makes, *ask.makes):
        scribe.temporary(step.key, what, place, wanted=step.powered)
    for what in step.switches_off:
        scribe.switch_off(step.key, what)
    if step.undoes is not None:
        _undo(desk, step.undoes)
    if step.change is not None:
        scribe.change(*step.change)
    if step.key == HAND_OVER:
        desk.job.closed_at = desk.job.touched_at


def _undo(desk: Desk, made_by: str) -> None:
    for connection in rows_of(desk.session, TemporaryRow, desk.job.id):
        if connection.step == made_by and connection.removed_seq is None:
            desk.scribe.remove_temporary(connection)
    for switch in rows_of(desk.session, SwitchedOffRow, desk.job.id):
        if switch.step == made_by and switch.restored_seq is None:
            desk.scribe.restore(switch)


def acknowledge(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, danger: str
) -> dict[str, Any]:
    """Acknowledge a caution of a step; logged with its time."""

    def act(desk: Desk) -> dict[str, Any]:
        step = desk.journey.step(step_key)
        if danger not in step.dangers:
            raise NotFound("caution in this step", danger)
        if not desk.record.acknowledged(step_key, danger):
            desk.scribe.acknowledge(step_key, danger)
        return {}

    return write(workshop, job_id, stamp, ("acknowledge", step_key, danger), act)


def close_step(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, reason: str, decided_by: str
) -> dict[str, Any]:
    """Close a step as it is, outside its window or untouched, with the reason and who decided.

    The safety gate and the handover cannot be closed this way.
    """

    def act(desk: Desk) -> dict[str, Any]:
        step = desk.journey.step(step_key)
        if step.dangers and missing_cautions(step, desk.record):
            raise Conflict("A step with an unacknowledged caution cannot be closed by decision.")
        if step.key in ("bring-up.gate", HAND_OVER):
            raise Conflict("This step cannot be closed by decision; it has to be done.")
        if step.status.finished:
            raise Conflict("This step is finished already.")
        desk.scribe.closure(
            step_key,
            _text("reason", reason, "within 12 kHz; the owner listens to one station"),
            step.cost,
            _text("decided by", decided_by, "bench"),
        )
        return {"cost": step.cost}

    return write(workshop, job_id, stamp, ("close", step_key, reason, decided_by), act)


def make_temporary(
    workshop: Workshop, job_id: int, stamp: Stamp, *, what: str, place: str, wanted: bool
) -> dict[str, Any]:
    """Register a clip lead, jumper, lifted lead or the like when it is made."""

    def act(desk: Desk) -> dict[str, Any]:
        desk.scribe.temporary(
            "",
            _text("what", what, "jumper"),
            _text("where", place, "V2 grid to chassis"),
            wanted=wanted,
        )
        return {}

    return write(workshop, job_id, stamp, ("temporary", what, place, wanted), act)


def remove_temporary(
    workshop: Workshop, job_id: int, stamp: Stamp, temporary_id: int
) -> dict[str, Any]:
    """Take a temporary connection off."""

    def act(desk: Desk) -> dict[str, Any]:
        row = desk.session.get(TemporaryRow, temporary_id)
        if row is None or row.job_id != desk.job.id:
            raise NotFound("temporary connection", str(temporary_id))
        if row.removed_seq is None:
            desk.scribe.remove_temporary(row)
        return {}

    return write(workshop, job_id, stamp, ("remove", temporary_id), act)


def restore(workshop: Workshop, job_id: int, stamp: Stamp, switched_id: int) -> dict[str, Any]:
    """Switch something back on that a step had switched off."""

    def act(desk: Desk) -> dict[str, Any]:
        row = desk.session.get(SwitchedOffRow, switched_id)
        if row is None or row.job_id != desk.job.id:
            raise NotFound("switched-off thing", str(switched_id))
        if row.restored_seq is None:
            desk.scribe.restore(row)
        return {}

    return write(workshop, job_id, stamp, ("restore", switched_id), act)


def note_change(
    workshop: Workshop, job_id: int, stamp: Stamp, what: str, note: str
) -> dict[str, Any]:
    """Note that a part was changed or the cabinet taken off or put on: readings go stale."""

    def act(desk: Desk) -> dict[str, Any]:
        if what not in CHANGEABLES:
            wanted = f"must be one of {', '.join(CHANGEABLES)}"
            raise BadInput("what changed", what, wanted, "supply")
        desk.scribe.change(what, _text("note", note, "first filter capacitor renewed"))
        return {}

    return write(workshop, job_id, stamp, ("change", what, note), act)


def book_move(
    workshop: Workshop, job_id: int, stamp: Stamp, adjuster: str, turns: float, step_key: str
) -> dict[str, Any]:
    """Book a turn made by hand outside a step's own entry."""

    def act(desk: Desk) -> dict[str, Any]:
        desk.facts.adjuster(adjuster)
        if desk.job.link == SIMULATED:
            raise Conflict("At the simulated bench turn the adjuster there; it books itself.")
        desk.scribe.move(adjuster, turns, step_key)
        return {}

    return write(workshop, job_id, stamp, ("move", adjuster, turns, step_key), act)


def withdraw(workshop: Workshop, job_id: int, stamp: Stamp, seq: int) -> dict[str, Any]:
    """Withdraw an entry; it stays visible, struck through, and the question opens again."""

    def act(desk: Desk) -> dict[str, Any]:
        answer = next((a for a in desk.record.answers if a.seq == seq), None)
        if answer is None:
            raise NotFound("entry", str(seq))
        if answer.withdrawn:
            raise Conflict("This entry is withdrawn already.")
        desk.scribe.withdraw(seq)
        given_back(desk, answer)
        return {}

    return write(workshop, job_id, stamp, ("withdraw", seq), act)


def write_note(
    workshop: Workshop, job_id: int, stamp: Stamp, step_key: str, text: str
) -> dict[str, Any]:
    """Write a remark into the log."""

    def act(desk: Desk) -> dict[str, Any]:
        desk.scribe.note(step_key, _text("note", text, "smells of hot wax near T1"))
        return {}

    return write(workshop, job_id, stamp, ("note", step_key, text), act)


def _text(field: str, text: str, example: str) -> str:
    cleaned = text.strip()
    if not cleaned:
        raise BadInput(field, text, "is empty", example)
    if len(cleaned) > LONGEST_NOTE:
        raise BadInput(field, f"{cleaned[:30]}...", f"is over {LONGEST_NOTE} characters", example)
    return cleaned
