"""A job's registers, photos, function matrix, and parts."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from glowdial.api.requests import LongText, ShortText, Version
from glowdial.api.requests import Request as Body
from glowdial.api.shapes import Written
from glowdial.api.step_shapes import FieldShape
from glowdial.api.wiring import KeyDep, WorkshopDep
from glowdial.core.stages.intake.function_matrix import Matrix
from glowdial.core.stages.parts.measured import check_measured
from glowdial.core.stages.parts.steps import PartState
from glowdial.core.stages.parts.substitutes import Substitute
from glowdial.workshop import parts, registers
from glowdial.workshop.writing import Stamp

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["registers"])
JobId = Annotated[int, Path(ge=1, le=2**53)]
RegisterName = Annotated[str, Path(max_length=40, examples=["modifications"])]
LineKey = Annotated[str, Path(max_length=120, examples=["12"])]


class LineShape(BaseModel):
    key: str
    seq: int
    at: datetime
    title: str
    details: str
    open: bool
    asks_owner: bool
    fields: dict[str, str]
    photo_id: int | None


class RegisterShape(BaseModel):
    name: str
    title: str
    purpose: str
    example: str
    fields: list[FieldShape]
    lines: list[LineShape]


class RegistersShape(BaseModel):
    registers: list[RegisterShape]


@router.get("/registers", operation_id="getRegisters")
def get_registers(workshop: WorkshopDep, job_id: JobId) -> RegistersShape:
    """Photos, questions, modifications, what is parked, what came off, parts that were found."""
    return RegistersShape(
        registers=[
            RegisterShape(
                name=view.form.register.value,
                title=view.form.title,
                purpose=view.form.purpose,
                example=view.form.example,
                fields=[FieldShape.of(f) for f in view.form.fields],
                lines=[
                    LineShape(
                        key=x.key,
                        seq=x.seq,
                        at=x.at,
                        title=x.title,
                        details=x.details,
                        open=x.open,
                        asks_owner=x.asks_owner,
                        fields=x.fields,
                        photo_id=x.photo_id,
                    )
                    for x in view.lines
                ],
            )
            for view in registers.registers_of(workshop, job_id)
        ]
    )


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


PICTURE_BODY = {
    "requestBody": {
        "required": True,
        "content": {
            kind: {"schema": {"type": "string", "format": "binary"}}
            for kind in ("image/jpeg", "image/png", "image/webp")
        },
    }
}


@router.post("/photos", operation_id="postPhoto", status_code=201, openapi_extra=PICTURE_BODY)
async def post_photo(
    workshop: WorkshopDep,
    job_id: JobId,
    key: KeyDep,
    request: Request,
    version: Annotated[int, Query(ge=0, le=2**53)],
    title: Annotated[str, Query(max_length=200, examples=["underside, as it came"])],
    step: Annotated[str, Query(max_length=200)] = "",
) -> Written:
    """Keep a photo, sent as it is in the body: JPEG, PNG or WebP up to 12 MB. It is drawn anew."""
    picture = await request.body()
    # decoding takes a while: not on the loop that all other answers wait for
    done = await run_in_threadpool(
        registers.enter_photo,
        workshop,
        job_id,
        Stamp(key, version),
        title=title,
        step=step,
        picture=picture,
    )
    return Written(version=done["version"])


JPEG_ANSWER = {200: {"content": {"image/jpeg": {}}}}


@router.get(
    "/photos/{photo_id}",
    operation_id="getPhoto",
    response_class=Response,
    responses=JPEG_ANSWER,
)
def get_photo(
    workshop: WorkshopDep,
    job_id: JobId,
    photo_id: Annotated[int, Path(ge=1, le=2**53)],
    small: bool = False,
) -> Response:
    """A photo of the job, whole or small."""
    return Response(
        registers.photo(workshop, job_id, photo_id, small=small),
        media_type="image/jpeg",
        headers={"cache-control": "private, max-age=31536000, immutable"},
    )


class CellShape(BaseModel):
    row: str
    column: str
    state: str
    words: str


class RowShape(BaseModel):
    key: str
    title: str


class MatrixShape(BaseModel):
    rows: list[RowShape]
    columns: list[str]
    cells: list[CellShape]
    tried: bool

    @classmethod
    def of(cls, found: Matrix) -> MatrixShape:
        """From the core's matrix."""
        return cls(
            rows=[RowShape(key=r.key, title=r.title) for r in found.rows],
            columns=list(found.columns),
            cells=[
                CellShape(row=row, column=column, state=cell.state.value, words=cell.words)
                for (row, column), cell in found.cells.items()
            ],
            tried=found.tried,
        )


@router.get("/matrix", operation_id="getMatrix")
def get_matrix(workshop: WorkshopDep, job_id: JobId) -> MatrixShape:
    """The function matrix: bands and modes by controls."""
    return MatrixShape.of(registers.matrix(workshop, job_id))


class CellRequest(Body):
    row: ShortText = Field(examples=["bc AM"])
    column: ShortText = Field(examples=["plays"])
    text: ShortText = Field(examples=["w", "S7 / a relay clicks"])


class CellsRequest(Body):
    version: Version
    cells: list[CellRequest] = Field(min_length=1, max_length=400)


@router.post("/matrix", operation_id="postCells", status_code=201)
def post_cells(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: CellsRequest) -> Written:
    """Fill cells: w, p, f or a figure, then an oddity behind a slash; an empty text empties."""
    cells = {(c.row, c.column): c.text for c in body.cells}
    done = registers.fill_cells(workshop, job_id, Stamp(key, body.version), cells)
    return Written(version=done["version"])


class PartShape(BaseModel):
    ref: str
    name: str
    kind: str
    use: str
    value: str
    volts: float | None
    watts: float | None
    can: str
    batch: str
    decision: str
    settled: bool
    measured: float | None
    measured_words: str
    fitted: str

    @classmethod
    def of(cls, state: PartState) -> PartShape:
        """From the core's part."""
        part = state.part
        words = check_measured(part, state.measured) if state.measured is not None else ""
        return cls(
            ref=part.ref,
            name=part.name,
            kind=part.kind.value,
            use=part.use.value,
            value=part.value_text,
            volts=part.volts,
            watts=part.watts,
            can=part.can,
            batch=state.batch,
            decision=state.decision,
            settled=state.settled,
            measured=state.measured,
            measured_words=words,
            fitted=state.fitted,
        )


class PartsShape(BaseModel):
    school: str
    parts: list[PartShape]


@router.get("/parts", operation_id="getParts")
def get_parts(workshop: WorkshopDep, job_id: JobId) -> PartsShape:
    """Every part of the list, section by section, as it stands."""
    view = parts.parts_view(workshop, job_id)
    return PartsShape(school=view.school, parts=[PartShape.of(p) for p in view.parts])


class ProposalShape(BaseModel):
    words: str
    value: float
    inside: bool
    from_stock: bool

    @classmethod
    def of(cls, found: Substitute) -> ProposalShape:
        """From the core's substitute."""
        return cls(
            words=found.words,
            value=found.value,
            inside=found.inside,
            from_stock=found.from_stock,
        )


class ProposalsShape(BaseModel):
    ref: str
    low: float
    high: float
    rating: float
    safety: str
    words: str
    proposals: list[ProposalShape]


@router.get("/parts/{ref}/proposals", operation_id="getProposals")
def get_proposals(
    workshop: WorkshopDep, job_id: JobId, ref: Annotated[str, Path(max_length=40)]
) -> ProposalsShape:
    """What a part needs in its place, and what would do: from stock, and of standard values."""
    view = parts.proposals(workshop, job_id, ref)
    wanted = view.need.wanted
    return ProposalsShape(
        ref=ref,
        low=wanted.value * (1.0 - wanted.below),
        high=wanted.value * (1.0 + wanted.above),
        rating=wanted.rating,
        safety=view.need.safety,
        words=view.need.words(view.part),
        proposals=[ProposalShape.of(p) for p in view.found],
    )
