"""Writing into a job: answers, cautions, decisions, registers, changes, moves, withdrawals."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path

from glowdial.api.requests import (
    AcknowledgeRequest,
    AnswerRequest,
    ChangeRequest,
    CloseRequest,
    MoveRequest,
    NoteRequest,
    Preview,
    PreviewRequest,
    TemporaryRequest,
    VersionRequest,
    WithdrawRequest,
)
from glowdial.api.shapes import Written
from glowdial.api.wiring import KeyDep, WorkshopDep
from glowdial.core.language.quantities import TURNS, parse
from glowdial.workshop import entries
from glowdial.workshop.jobs import HAND, SIMULATED
from glowdial.workshop.writing import Stamp

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["entries"])
JobId = Annotated[int, Path(ge=1, le=2**53)]
RecordId = Annotated[int, Path(ge=1, le=2**53)]


def _written(answer: dict[str, Any]) -> Written:
    return Written(**answer)


@router.post("/answers", operation_id="postAnswer", status_code=201)
def post_answer(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: AnswerRequest) -> Written:
    """Answer the open question of a step, as one typed line or as fields."""
    command = entries.AnswerCommand(
        body.step,
        body.ask,
        body.line,
        tuple(sorted(body.fields.items())),
        body.confirmed,
        SIMULATED if body.captured else HAND,
        body.choice,
    )
    return _written(entries.record_answer(workshop, job_id, Stamp(key, body.version), command))


@router.post("/previews", operation_id="postPreview")
def post_preview(workshop: WorkshopDep, job_id: JobId, body: PreviewRequest) -> Preview:
    """What would be understood of a line; nothing is kept."""
    return Preview(echo=entries.preview(workshop, job_id, body.step, body.ask, body.line))


@router.post("/acknowledgements", operation_id="postAcknowledgement", status_code=201)
def post_acknowledgement(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: AcknowledgeRequest
) -> Written:
    """Acknowledge a caution."""
    stamp = Stamp(key, body.version)
    return _written(entries.acknowledge(workshop, job_id, stamp, body.step, body.danger))


@router.post("/closures", operation_id="postClosure", status_code=201)
def post_closure(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: CloseRequest) -> Written:
    """Close a step by decision, with the reason."""
    stamp = Stamp(key, body.version)
    return _written(
        entries.close_step(workshop, job_id, stamp, body.step, body.reason, body.decided_by)
    )


@router.post("/temporary-connections", operation_id="postTemporary", status_code=201)
def post_temporary(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: TemporaryRequest
) -> Written:
    """Register a temporary connection."""
    stamp = Stamp(key, body.version)
    return _written(
        entries.make_temporary(
            workshop,
            job_id,
            stamp,
            what=body.what,
            place=body.place,
            wanted=body.wanted_under_power,
        )
    )


@router.post(
    "/temporary-connections/{record_id}/removal", operation_id="removeTemporary", status_code=201
)
def post_removal(
    workshop: WorkshopDep, job_id: JobId, record_id: RecordId, key: KeyDep, body: VersionRequest
) -> Written:
    """Take a temporary connection off."""
    stamp = Stamp(key, body.version)
    return _written(entries.remove_temporary(workshop, job_id, stamp, record_id))


@router.post("/switched-off/{record_id}/restoration", operation_id="restore", status_code=201)
def post_restoration(
    workshop: WorkshopDep, job_id: JobId, record_id: RecordId, key: KeyDep, body: VersionRequest
) -> Written:
    """Switch something back on."""
    return _written(entries.restore(workshop, job_id, Stamp(key, body.version), record_id))


@router.post("/changes", operation_id="postChange", status_code=201)
def post_change(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: ChangeRequest) -> Written:
    """Note a change that readings depend on."""
    stamp = Stamp(key, body.version)
    return _written(entries.note_change(workshop, job_id, stamp, body.what, body.note))


@router.post("/moves", operation_id="postMove", status_code=201)
def post_move(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: MoveRequest) -> Written:
    """Book a turn made outside a step's own entry."""
    turns = parse(body.turns, TURNS, "turns")
    stamp = Stamp(key, body.version)
    return _written(entries.book_move(workshop, job_id, stamp, body.adjuster, turns, body.step))


@router.post("/withdrawals", operation_id="postWithdrawal", status_code=201)
def post_withdrawal(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: WithdrawRequest
) -> Written:
    """Withdraw an entry; it stays in the log, struck through."""
    return _written(entries.withdraw(workshop, job_id, Stamp(key, body.version), body.seq))


@router.post("/notes", operation_id="postNote", status_code=201)
def post_note(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: NoteRequest) -> Written:
    """Write a remark."""
    stamp = Stamp(key, body.version)
    return _written(entries.write_note(workshop, job_id, stamp, body.step, body.text))
