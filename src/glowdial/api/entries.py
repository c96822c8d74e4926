"""Writing into a job: answers, cautions, decisions, registers, changes, moves, withdrawals."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import (
    Body,
    JobId,
    KeyDep,
    LongText,
    ShortText,
    TableText,
    Version,
    WhoDep,
    WorkshopDep,
    Written,
)
from glowdial.core.language.quantities import TURNS, parse
from glowdial.workshop import entries
from glowdial.workshop.base import alarms
from glowdial.workshop.base.writing import Stamp

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["entries"])
RecordId = Annotated[int, Path(ge=1, le=2**53)]


class AnswerRequest(Body):
    version: Version
    step: ShortText = Field(examples=["bring-up.ramp"])
    ask: ShortText = Field(examples=["held@line_v=230"])
    line: LongText | None = Field(default=None, examples=["230 221"])
    fields: dict[ShortText, TableText] = Field(default_factory=dict)
    confirmed: bool = False


class PreviewRequest(Body):
    step: ShortText
    ask: ShortText
    line: LongText = Field(examples=["230 221"])


class Preview(BaseModel):
    """What is understood of a typed line."""

    echo: str


class AcknowledgeRequest(Body):
    version: Version
    step: ShortText
    danger: ShortText


class CloseRequest(Body):
    version: Version
    step: ShortText
    reason: LongText
    decided_by: ShortText


class TemporaryRequest(Body):
    version: Version
    what: ShortText = Field(examples=["jumper"])
    place: ShortText = Field(examples=["V2 grid to chassis"])
    wanted_under_power: bool = False


class ChangeRequest(Body):
    version: Version
    what: ShortText = Field(examples=["supply"])
    note: LongText = Field(examples=["first filter capacitor renewed"])


class MoveRequest(Body):
    version: Version
    step: ShortText = ""
    adjuster: ShortText
    turns: str = Field(max_length=40, examples=["+3/8"])


class WithdrawRequest(Body):
    version: Version
    seq: int = Field(ge=0, le=2**53)


class NoteRequest(Body):
    version: Version
    step: ShortText = ""
    text: LongText


class VersionRequest(Body):
    version: Version


class AlarmRequest(Body):
    version: Version
    step: ShortText = ""
    sign: ShortText = Field(examples=["smoke"])
    words: LongText = Field(default="", examples=["from the left can"])


class SettleRequest(Body):
    version: Version
    cause: LongText = Field(examples=["C12 shorted"])
    done: LongText = Field(examples=["C12 renewed, R7 checked"])


class ReopenRequest(Body):
    version: Version
    reason: LongText = Field(examples=["came back: hum after an hour"])


def _written(answer: dict[str, Any]) -> Written:
    return Written(**answer)


@router.post("/answers", operation_id="postAnswer", status_code=201)
def post_answer(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, who: WhoDep, body: AnswerRequest
) -> Written:
    """Answer the open question of a step, as one typed line or as fields."""
    command = entries.AnswerCommand(
        body.step,
        body.ask,
        body.line,
        tuple(sorted(body.fields.items())),
        body.confirmed,
    )
    stamp = Stamp(key, body.version, who)
    return _written(entries.record_answer(workshop, job_id, stamp, command))


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


@router.post("/alarms", operation_id="postAlarm", status_code=201)
def post_alarm(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, who: WhoDep, body: AlarmRequest
) -> Written:
    """Something is wrong: everything powered stops, whatever version the page had read."""
    stamp = Stamp(key, body.version, who)
    return _written(
        alarms.something_is_wrong(
            workshop, job_id, stamp, step=body.step, sign=body.sign, words=body.words
        )
    )


@router.post("/alarms/switched-off", operation_id="postSwitchedOff", status_code=201)
def post_switched_off(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: VersionRequest
) -> Written:
    """Everything is switched off; the alarm stands until its cause is known."""
    return _written(alarms.switched_off(workshop, job_id, Stamp(key, body.version)))


@router.post("/alarms/settlement", operation_id="postSettlement", status_code=201)
def post_settlement(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: SettleRequest
) -> Written:
    """End an alarm: what the cause was, and what was done."""
    stamp = Stamp(key, body.version)
    return _written(alarms.settle_alarm(workshop, job_id, stamp, cause=body.cause, done=body.done))


@router.post("/reopenings", operation_id="postReopening", status_code=201)
def post_reopening(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: ReopenRequest
) -> Written:
    """Open a job again that was handed over, with the reason."""
    return _written(entries.reopen(workshop, job_id, Stamp(key, body.version), body.reason))
