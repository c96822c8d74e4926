"""Intake in the workshop: photos, drawn anew and kept, the function matrix, places of things."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from glowdial.core.journey.function_matrix import (
    MATRIX,
    Matrix,
    cell_key,
    matrix_of,
    read_cell,
)
from glowdial.core.journey.registers import read_line
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.chassis import Layout
from glowdial.core.stages.intake.places import BARE_CHASSIS, Placeable, things_of
from glowdial.core.stages.intake.registers import PHOTO_FORM, PHOTOS
from glowdial.store.tables import PhotoRow
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob, Stamp, write

MOST_CELLS = 400


def enter_photo(
    workshop: Workshop, job_id: int, stamp: Stamp, *, title: str, step: str, picture: bytes
) -> dict[str, Any]:
    """Keep a photo with its title; the picture is drawn anew, so nothing but pixels is kept.

    Raises BadInput for what is no picture, or too large.
    """
    from glowdial.workshop.stages.photos import drawn_anew  # late: only a photo needs it

    entry = read_line(PHOTO_FORM, {"title": title})
    fingerprint = hashlib.sha256(picture).hexdigest()
    kept = drawn_anew(picture)

    def act(opened: OpenedJob) -> dict[str, Any]:
        row = PhotoRow(
            job_id=opened.job.id,
            at=workshop.now(),
            width=kept.width,
            height=kept.height,
            image=kept.image,
            thumbnail=kept.thumbnail,
        )
        opened.session.add(row)
        opened.session.flush()
        key = str(opened.job.seq + 1)
        opened.scribe.enter(
            PHOTOS, key, step, numbers={}, texts={**entry.texts, "photo_id": str(row.id)}
        )
        return {"key": key}

    return write(workshop, job_id, stamp, ("photo", title, step, fingerprint), act)


def photo(workshop: Workshop, job_id: int, photo_id: int, *, small: bool) -> bytes:
    """A photo of the job as JPEG; raises NotFound, also for a photo of another job."""
    with workshop.database.reading() as session:
        row = session.get(PhotoRow, photo_id)
        if row is None or row.job_id != job_id:
            raise NotFound("photo", str(photo_id))
        return row.thumbnail if small else row.image


@dataclass(frozen=True, slots=True)
class ChassisPage:
    """A chassis to place things on, the photos that may carry pins, and what is to be placed."""

    layout: Layout
    photos: tuple[tuple[int, str], ...]
    things: tuple[Placeable, ...]


def chassis(workshop: Workshop, job_id: int) -> ChassisPage:
    """The chassis of a job's set with everything that can be placed on it."""
    view = job_page(workshop, job_id)
    photos = tuple(
        (int(p.texts["photo_id"]), p.texts["title"]) for p in view.record.register(PHOTOS)
    )
    return ChassisPage(
        view.facts.layout or BARE_CHASSIS, photos, things_of(view.facts, view.record)
    )


def matrix(workshop: Workshop, job_id: int) -> Matrix:
    """The function matrix of a job."""
    view = job_page(workshop, job_id)
    return matrix_of(view.facts, view.record)


def fill_cells(
    workshop: Workshop, job_id: int, stamp: Stamp, cells: Mapping[tuple[str, str], str]
) -> dict[str, Any]:
    """Fill cells of the matrix, by (row, column); an empty text empties one.

    Raises BadInput for one that is not understood; nothing is kept then.
    """

    def act(opened: OpenedJob) -> dict[str, Any]:
        if not 1 <= len(cells) <= MOST_CELLS:
            raise BadInput("cells", str(len(cells)), f"must be 1 to {MOST_CELLS}", "1")
        for (row, column), text in cells.items():
            cell = read_cell(opened.situation.facts, row, column, text)
            known = opened.record.line(MATRIX, cell_key(row, column))
            if cell is None and known is None:
                continue
            texts = {"row": row, "column": column}
            if cell is not None:
                texts |= {"state": cell.state.value, "figure": cell.figure, "oddity": cell.oddity}
            elif known is not None:
                texts = dict(known.texts)
            opened.scribe.enter(
                MATRIX, cell_key(row, column), "", numbers={}, texts=texts, removed=cell is None
            )
        return {}

    return write(workshop, job_id, stamp, ("cells", tuple(sorted(cells.items()))), act)
