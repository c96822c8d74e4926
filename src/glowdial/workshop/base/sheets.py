"""Keeping data sheets: import, template, versions, and the facts drawn from them."""

from __future__ import annotations

import json
from datetime import datetime
from functools import lru_cache
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.sheets.facts import receiver_facts
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.sheets.section import fault_in_words
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import TemplateForm, read_form
from glowdial.store.tables import SheetRow
from glowdial.workshop.base.workshop import Workshop, once

LARGEST_SHEET_BYTES = 1_000_000


@lru_cache(maxsize=64)
def _facts(document: str) -> ReceiverFacts:
    return receiver_facts(ReceiverSheet.model_validate_json(document))


def facts_of(document: dict[str, Any]) -> ReceiverFacts:
    """Facts of a stored sheet; a pure function of the document, so remembered."""
    return _facts(json.dumps(document, sort_keys=True))


def read_sheet(text: str) -> ReceiverSheet:
    """A sheet from JSON text, checked through to its tracking.

    Raises BadInput for broken JSON (with line and column) or a wrong sheet (with the field).
    """
    if len(text.encode()) > LARGEST_SHEET_BYTES:
        raise BadInput("sheet", f"{len(text)} characters", "is over 1 MB", "a sheet of some kB")
    try:
        document = json.loads(text)
    except json.JSONDecodeError as error:
        place = f"line {error.lineno}, column {error.colno}"
        raise BadInput(
            "sheet", place, f"is not JSON there: {error.msg}", '{"format": ...}'
        ) from error
    return check_sheet(document)


def check_sheet(document: Any) -> ReceiverSheet:
    """A sheet from a decoded document; raises BadInput with the first fault's place."""
    try:
        sheet = ReceiverSheet.model_validate(document)
    except ValidationError as error:
        raise sheet_fault(error) from error
    receiver_facts(sheet)
    return sheet


EXAMPLES = {
    "intermediate_frequency_hz": "465000 (465 kHz)",
    "format": '"glowdial-sheet"',
    "low_hz": "530000 (530 kHz)",
    "high_hz": "1620000 (1620 kHz)",
    "maker": "Orlwick",
    "model": "Tidewater Six",
    "": "see the published schema, /api/schemas/sheet",
}


def sheet_fault(error: ValidationError) -> BadInput:
    """The first fault of a sheet in words."""
    return fault_in_words(error, "sheet", EXAMPLES)


def keep_sheet(session: Session, sheet: ReceiverSheet, at: datetime) -> SheetRow:
    """Store a sheet as the next version of its model."""
    newest = session.scalar(
        select(func.max(SheetRow.version)).where(
            SheetRow.maker == sheet.maker, SheetRow.model == sheet.model
        )
    )
    row = SheetRow(
        maker=sheet.maker,
        model=sheet.model,
        version=(newest or 0) + 1,
        document=sheet.model_dump(mode="json"),
        created_at=at,
    )
    session.add(row)
    session.flush()
    return row


def get_sheet(session: Session, sheet_id: int) -> SheetRow:
    """A sheet's row; raises NotFound."""
    row = session.get(SheetRow, sheet_id)
    if row is None:
        raise NotFound("sheet", str(sheet_id))
    return row


def list_sheets(workshop: Workshop) -> list[SheetRow]:
    """All sheets, every version, by maker and model."""
    query = select(SheetRow).order_by(SheetRow.maker, SheetRow.model, SheetRow.version)
    with workshop.database.reading() as session:
        return list(session.scalars(query))


def one_sheet(workshop: Workshop, sheet_id: int) -> SheetRow:
    """One sheet; raises NotFound."""
    with workshop.database.reading() as session:
        return get_sheet(session, sheet_id)


def import_sheet(workshop: Workshop, key: str, text: str) -> int:
    """Keep a sheet from its JSON text, whole or not at all; returns its id."""
    return _keep(workshop, key, read_sheet(text))


def make_sheet(workshop: Workshop, key: str, form: TemplateForm) -> int:
    """Keep a sheet made from the template; returns its id. Raises BadInput."""
    try:
        sheet = sheet_from_template(read_form(form))
    except ValidationError as error:
        raise sheet_fault(error) from error
    return _keep(workshop, key, check_sheet(sheet.model_dump(mode="json")))


def _keep(workshop: Workshop, key: str, sheet: ReceiverSheet) -> int:
    def act(session: Session, at: datetime) -> dict[str, Any]:
        return {"id": keep_sheet(session, sheet, at).id}

    return int(once(workshop, key, ("sheet", sheet.model_dump_json()), act)["id"])
