"""Data sheets: list, read, import, make from the template; the published schema."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, Path
from pydantic import ValidationError
from sqlalchemy import select

from glowdial.api.shapes import GapShape, Opened, SheetDocument, SheetShape
from glowdial.api.wiring import WorkshopDep
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import TemplateForm, read_form
from glowdial.store.tables import SheetRow
from glowdial.workshop.sheets import (
    check_sheet,
    facts_of,
    get_sheet,
    keep_sheet,
    read_sheet,
    sheet_fault,
)

router = APIRouter(prefix="/api", tags=["sheets"])
SheetId = Annotated[int, Path(ge=1, le=2**53)]


@router.get("/sheets", operation_id="listSheets")
def list_sheets(workshop: WorkshopDep) -> list[SheetShape]:
    """All sheets, every version, by maker and model."""
    query = select(SheetRow).order_by(SheetRow.maker, SheetRow.model, SheetRow.version)
    with workshop.database.reading() as session:
        return [
            SheetShape(id=r.id, maker=r.maker, model=r.model, version=r.version)
            for r in session.scalars(query)
        ]


@router.get("/sheets/{sheet_id}", operation_id="getSheet")
def read_one(workshop: WorkshopDep, sheet_id: SheetId) -> SheetDocument:
    """One sheet as its document, with what it does not say."""
    with workshop.database.reading() as session:
        row = get_sheet(session, sheet_id)
    return SheetDocument(
        id=row.id,
        maker=row.maker,
        model=row.model,
        version=row.version,
        document=row.document,
        gaps=[GapShape.of(g) for g in facts_of(row.document).gaps],
    )


@router.post("/sheets", operation_id="importSheet", status_code=201)
def import_sheet(
    workshop: WorkshopDep, text: Annotated[str, Body(media_type="text/plain", max_length=1_000_000)]
) -> Opened:
    """Import a sheet from its JSON text; kept whole or not at all."""
    sheet = read_sheet(text)
    with workshop.database.writing() as session:
        return Opened(id=keep_sheet(session, sheet, workshop.now()).id)


@router.post("/sheets/from-template", operation_id="makeSheet", status_code=201)
def make_sheet(workshop: WorkshopDep, body: TemplateForm) -> Opened:
    """Make a sheet from the commonest circuit with the figures given, written as people do."""
    try:
        sheet = sheet_from_template(read_form(body))
    except ValidationError as error:
        raise sheet_fault(error) from error
    check_sheet(sheet.model_dump(mode="json"))
    with workshop.database.writing() as session:
        return Opened(id=keep_sheet(session, sheet, workshop.now()).id)


@router.get("/schemas/sheet", operation_id="getSheetSchema")
def sheet_schema() -> dict[str, Any]:
    """The JSON Schema of the data sheet."""
    return ReceiverSheet.model_json_schema()
