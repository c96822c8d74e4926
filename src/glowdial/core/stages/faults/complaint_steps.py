"""What is wrong with the set, and what is switched off for its tracing and put back after."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.function_matrix import PLAYS, CellState, matrix_of
from glowdial.core.journey.readings import confirmed
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Status, Step, result
from glowdial.core.model.blocks import BlockDiagram, BlockKind
from glowdial.core.safety.cautions import Activity, Trait, traits_of
from glowdial.core.stages.faults.case import case_of
from glowdial.core.stages.faults.complaints import (
    COMPLAINTS,
    NOTHING,
    UNTOLD,
    Complaint,
    complaint_of,
)
from glowdial.core.stages.faults.diagram_picture import picture_of
from glowdial.core.stages.faults.steps import AVC_STEP, RESTORE, STAGE

COMPLAINT = "faults.complaint"
AVC_CLAMPED = "AVC clamped"


def chosen_complaint(record: JobRecord) -> str:
    """The words that were said of what is wrong, "" where nothing was."""
    answer = record.latest(COMPLAINT, "what")
    return answer.texts.get("what", "") if answer else ""


def _fails(situation: Situation) -> tuple[str, ...]:
    """What fails by the function matrix, and what is odd in it."""
    matrix = matrix_of(situation.facts, situation.record)
    titles = {row.key: row.title for row in (*matrix.rows, *matrix.more)}
    return tuple(
        f"{titles[row]}: {cell.words}"
        for (row, column), cell in matrix.cells.items()
        if row in titles and column == PLAYS and (cell.state is CellState.FAILS or cell.oddity)
    )


def complaint_step(situation: Situation, diagram: BlockDiagram) -> Step | None:
    """What is wrong with it: asked where something fails or is odd by the function matrix."""
    record, failing = situation.record, _fails(situation)
    said = (*(c.words for c in COMPLAINTS), NOTHING)
    ask = Ask(
        "what",
        "What is wrong with it? Begin to type, or pick one.",
        (Field("what", "what is wrong", options=said),),
        "weak on some bands",
        expected_text="nothing, or what to trace",
        called="what is wrong",
    )
    step = Step(
        COMPLAINT,
        STAGE,
        "Say what is wrong, if anything is",
        "Each complaint weighs the blocks and the tests in its own way; what was tried already, "
        "volts and the function matrix count from the start.",
        advice=tuple(f"{line}." for line in failing[:4]),
        leave=bool(failing),
        cost="; ".join(failing[:3]),
    )
    if failing:
        untold = case_of(situation, diagram, UNTOLD, 1, {}, controlled=False)
        step = replace(step, show_diagram=lambda: picture_of(situation, untold, None, (), ""))
    answer = record.latest(COMPLAINT, "what")
    if answer is not None:
        words = answer.texts["what"]
        complaint = complaint_of(words)
        shown = result(answer, "what is wrong", words, 1.0, as_found=True)
        shown = replace(shown, judgement=replace(shown.judgement, words="to be traced"))
        advice = complaint.order if complaint else ()
        return replace(
            step, results=(shown,), advice=advice, status=Status.DONE, decision=words, others=(ask,)
        )
    if failing:
        return replace(step, ask=ask)
    return None


def avc_step(situation: Situation, diagram: BlockDiagram, complaint: Complaint) -> Step | None:
    """A working AVC makes up for what is lost: it is clamped, or counted with."""
    controlled = any(b.kind is BlockKind.CONTROL_LINE for b in diagram.blocks)
    if not controlled or not complaint.hidden_by_avc:
        return None
    step = Step(
        AVC_STEP,
        STAGE,
        "Clamp the AVC, or count with it",
        "The AVC makes up for a loss of 20 dB ahead of the detector, and moves the volts of the "
        "stages that it controls. Clamped, a level says what is lost. Left working it is counted "
        "with: such levels then say little.",
        leave=True,
        cost="levels behind the AVC say little",
        does=(Activity.COLD_CHECKS,),
        switches_off=(AVC_CLAMPED,),
    )
    return confirmed(
        step,
        situation.record,
        "clamped",
        "Control line to the common rail (or to a bias battery); or close the step: left working.",
    )


def restore_step(situation: Situation, *, clamped: bool) -> Step:
    """What was clamped or defeated for the tracing is put back: the AVC, and of a set that can
    transmit its inhibit and every protection."""
    wanted = ["clamp off the AVC line"] if clamped else []
    if Trait.TRANSMIT in traits_of(situation.facts):
        wanted.append("transmit inhibit and every protection that was defeated in place again")
    step = Step(
        RESTORE,
        STAGE,
        f"Put back: {'; '.join(wanted)}",
        "What this stage switched off is switched back on by this stage.",
        does=(Activity.COLD_CHECKS,),
        undoes=AVC_STEP,
    )
    said = " and ".join(wanted)
    return confirmed(step, situation.record, "restored", f"{said[0].upper()}{said[1:]}.")
