"""A job's registers: lists of lines that are kept beside its steps."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import (
    Body,
    JobId,
    KeyDep,
    LongText,
    ShortText,
    Version,
    WorkshopDep,
    Written,
)
from glowdial.api.steps import FieldShape
from glowdial.workshop import registers
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.registers import LineView, RegisterView

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["registers"])
RegisterName = Annotated[str, Path(max_length=40, examples=["modifications"])]
LineKey = Annotated[str, Path(max_length=120, examples=["12"])]


class LineShape(BaseModel):
    key: str
    seq: int
    at: str
    title: str
    details: str
    open: bool
    asks_owner: bool
    fields: dict[str, str]
    photo_id: int | None

    @classmethod
    def of(cls, line: LineView) -> LineShape:
        """From the workshop's view of a line."""
        return cls(
            key=line.key,
            seq=line.seq,
            at=line.at,
            title=line.title,
            details=line.details,
            open=line.open,
            asks_owner=line.asks_owner,
            fields=line.fields,
            photo_id=line.photo_id,
        )


class RegisterShape(BaseModel):
    name: str
    title: str
    purpose: str
    example: str
    pictures: bool
    fields: list[FieldShape]
    lines: list[LineShape]

    @classmethod
    def of(cls, view: RegisterView) -> RegisterShape:
        """From the workshop's view of a register."""
        return cls(
            name=view.form.register,
            title=view.form.title,
            purpose=view.form.purpose,
            example=view.form.example,
            pictures=view.form.pictures,
            fields=[FieldShape.of(f) for f in view.form.fields],
            lines=[LineShape.of(line) for line in view.lines],
        )


class RegistersShape(BaseModel):
    registers: list[RegisterShape]


@router.get("/registers", operation_id="getRegisters")
def get_registers(workshop: WorkshopDep, job_id: JobId) -> RegistersShape:
    """Photos, questions, modifications, what is parked, what came off, parts that were found."""
    found = registers.registers_of(workshop, job_id)
    return RegistersShape(registers=[RegisterShape.of(view) for view in found])


class LineRequest(Body):
    version: Version
    line: str = Field(default="", max_length=120, description="its key; empty for a new line")
    step: ShortText = ""
    fields: dict[ShortText, LongText] = Field(
        examples=[{"what": "R14 looks browned", "where": "behind V3"}]
    )


@router.post("/registers/{register}", operation_id="postLine", status_code=201)
def post_line(
    workshop: WorkshopDep, job_id: JobId, register: RegisterName, key: KeyDep, body: LineRequest
) -> Written:
    """Write a line of a register, new or in place of the one with that key."""
    done = registers.enter_line(
        workshop,
        job_id,
        Stamp(key, body.version),
        register,
        key=body.line,
        fields=body.fields,
        step=body.step,
    )
    return Written(version=done["version"])


class RemoveRequest(Body):
    version: Version


@router.post("/registers/{register}/{line}/removal", operation_id="removeLine", status_code=201)
def post_removal(
    workshop: WorkshopDep,
    job_id: JobId,
    register: RegisterName,
    line: LineKey,
    key: KeyDep,
    body: RemoveRequest,
) -> Written:
    """Take a line out of a register; it stays in the log."""
    done = registers.remove_line(workshop, job_id, Stamp(key, body.version), register, line)
    return Written(version=done["version"])
