"""Intake: photos, and the function matrix."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from glowdial.api.base.wiring import Body, JobId, KeyDep, ShortText, Version, WorkshopDep, Written
from glowdial.core.journey.function_matrix import Matrix
from glowdial.core.model.chassis import Side, Thing
from glowdial.core.stages.intake.places import Placeable
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.stages import intake

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["intake"])

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
        intake.enter_photo,
        workshop,
        job_id,
        Stamp(key, version),
        title=title,
        step=step,
        picture=picture,
    )
    return Written(version=done["version"])


JPEG_ANSWER: dict[int | str, dict[str, Any]] = {200: {"content": {"image/jpeg": {}}}}


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
        intake.photo(workshop, job_id, photo_id, small=small),
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
    more: list[RowShape]
    columns: list[str]
    cells: list[CellShape]
    tried: bool

    @classmethod
    def of(cls, found: Matrix) -> MatrixShape:
        """From the core's matrix."""
        return cls(
            rows=[RowShape(key=r.key, title=r.title) for r in found.rows],
            more=[RowShape(key=r.key, title=r.title) for r in found.more],
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
    return MatrixShape.of(intake.matrix(workshop, job_id))


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
    done = intake.fill_cells(workshop, job_id, Stamp(key, body.version), cells)
    return Written(version=done["version"])


class PhotoPinShape(BaseModel):
    photo_id: int
    title: str


class PlaceShape(BaseModel):
    """Where a thing is: mm from the left and from the front edge; on a photo thousandths of it."""

    side: Side
    x_mm: float
    y_mm: float
    reach: str
    sealed: bool
    photo_id: int


class ThingShape(BaseModel):
    """Something that can be placed, with one of its places where it has any; ``line`` is the key of
    that place in the register, empty where the sheet places it."""

    what: str
    name: str
    thing: Thing
    width_mm: float
    depth_mm: float
    place: PlaceShape | None
    line: str

    @classmethod
    def of(cls, item: Placeable) -> ThingShape:
        """From the stage's view of it."""
        width_mm, depth_mm = item.size_mm
        place = PlaceShape.model_validate(item.place, from_attributes=True) if item.place else None
        return cls(
            what=item.what,
            name=item.name,
            thing=item.thing,
            width_mm=width_mm,
            depth_mm=depth_mm,
            place=place,
            line=item.line,
        )


class ChassisShape(BaseModel):
    """A chassis with what is placed on it and what is still to be placed, in mm."""

    width_mm: float
    depth_mm: float
    height_mm: float
    photos: list[PhotoPinShape]
    things: list[ThingShape]


@router.get("/chassis", operation_id="getChassis")
def get_chassis(workshop: WorkshopDep, job_id: JobId) -> ChassisShape:
    """Where things are on the set's chassis; they are placed through the register of places."""
    page = intake.chassis(workshop, job_id)
    return ChassisShape(
        width_mm=page.layout.width_mm,
        depth_mm=page.layout.depth_mm,
        height_mm=page.layout.height_mm,
        photos=[PhotoPinShape(photo_id=number, title=title) for number, title in page.photos],
        things=[ThingShape.of(item) for item in page.things],
    )
