"""Data sheets: list, read, import, make from the template; the published schema."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, Path
from fastapi.responses import JSONResponse
from pydantic import BaseModel

from glowdial.api.base.wiring import KeyDep, Opened, WorkshopDep
from glowdial.api.steps import GapShape
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.sheets.template_form import TemplateForm
from glowdial.workshop.base import sheets

router = APIRouter(prefix="/api", tags=["sheets"])
SheetId = Annotated[int, Path(ge=1, le=2**53)]
SheetText = Annotated[str, Body(media_type="text/plain", max_length=1_000_000)]


class SheetShape(BaseModel):
    """A sheet in the list."""

    id: int
    maker: str
    model: str
    version: int


class SheetDocument(SheetShape):
    """A sheet with its document and what it does not say."""

    document: dict[str, Any]
    gaps: list[GapShape]


@router.get("/sheets", operation_id="listSheets")
def list_sheets(workshop: WorkshopDep) -> list[SheetShape]:
    """All sheets, every version, by maker and model."""
    return [
        SheetShape(id=r.id, maker=r.maker, model=r.model, version=r.version)
        for r in sheets.list_sheets(workshop)
    ]


@router.get("/sheets/{sheet_id}", operation_id="getSheet")
def read_one(workshop: WorkshopDep, sheet_id: SheetId) -> SheetDocument:
    """One sheet as its document, with what it does not say."""
    row = sheets.one_sheet(workshop, sheet_id)
    return SheetDocument(
        id=row.id,
        maker=row.maker,
        model=row.model,
        version=row.version,
        document=row.document,
        gaps=[GapShape.of(g) for g in sheets.facts_of(row.document).gaps],
    )


@router.get("/sheets/{sheet_id}/document", operation_id="getSheetFile", response_class=JSONResponse)
def read_file(workshop: WorkshopDep, sheet_id: SheetId) -> JSONResponse:
    """One sheet as the open file that can be imported again."""
    row = sheets.one_sheet(workshop, sheet_id)
    name = f'attachment; filename="sheet-{sheet_id}.json"'
    return JSONResponse(row.document, headers={"content-disposition": name})


@router.post("/sheets", operation_id="importSheet", status_code=201)
def import_sheet(workshop: WorkshopDep, key: KeyDep, text: SheetText) -> Opened:
    """Import a sheet from its JSON text; kept whole or not at all."""
    return Opened(id=sheets.import_sheet(workshop, key, text))


@router.post("/sheets/from-template", operation_id="makeSheet", status_code=201)
def make_sheet(workshop: WorkshopDep, key: KeyDep, body: TemplateForm) -> Opened:
    """Make a sheet from the commonest circuit with the figures given, written as people do."""
    return Opened(id=sheets.make_sheet(workshop, key, body))


@router.get("/schemas/sheet", operation_id="getSheetSchema")
def sheet_schema() -> dict[str, Any]:
    """The JSON Schema of the data sheet."""
    return ReceiverSheet.model_json_schema()
