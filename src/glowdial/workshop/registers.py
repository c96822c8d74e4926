"""Writing in a job's registers, and in its function matrix."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from glowdial.core.journey.record import Entered
from glowdial.core.journey.registers import (
    FORMS,
    Register,
    RegisterForm,
    asks_owner,
    form_of,
    is_open,
    line_details,
    line_title,
    read_line,
)
from glowdial.core.language.errors import BadInput, Conflict, NotFound
from glowdial.core.stages.intake.function_matrix import (
    MATRIX,
    Matrix,
    cell_key,
    matrix_of,
    read_cell,
)
from glowdial.store.records import rows_of
from glowdial.store.tables import PhotoRow, RegisterRow
from glowdial.workshop.jobs import job_view
from glowdial.workshop.workshop import Workshop
from glowdial.workshop.writing import Desk, Stamp, write

MOST_LINES = 500
MOST_CELLS = 400


@dataclass(frozen=True, slots=True)
class LineView:
    """A line of a register as a page shows it, with what was typed in each field."""

    key: str
    seq: int
    at: datetime
    title: str
    details: str
    open: bool
    asks_owner: bool
    fields: dict[str, str]
    photo_id: int | None


@dataclass(frozen=True, slots=True)
class RegisterView:
    """A register with its form and its lines, oldest first."""

    form: RegisterForm
    lines: tuple[LineView, ...]


def registers_of(workshop: Workshop, job_id: int) -> tuple[RegisterView, ...]:
    """All registers of a job; raises NotFound."""
    view = job_view(workshop, job_id)
    with workshop.database.reading() as session:
        times = {r.seq: r.at for r in rows_of(session, RegisterRow, job_id)}
    return tuple(
        RegisterView(
            form,
            tuple(_line_view(form, e, times[e.seq]) for e in view.record.register(form.register)),
        )
        for form in FORMS
    )


def _line_view(form: RegisterForm, line: Entered, at: datetime) -> LineView:
    typed = {
        f.name: line.texts.get(f"typed {f.name}", line.texts.get(f.name, "")) for f in form.fields
    }
    photo = line.texts.get("photo_id", "")
    return LineView(
        key=line.key,
        seq=line.seq,
        at=at,
        title=line_title(line),
        details=line_details(line),
        open=is_open(line),
        asks_owner=asks_owner(line),
        fields=typed,
        photo_id=int(photo) if photo else None,
    )


def enter_line(
    workshop: Workshop,
    job_id: int,
    stamp: Stamp,
    register: str,
    *,
    key: str = "",
    fields: Mapping[str, str],
    step: str = "",
) -> dict[str, Any]:
    """Write a line of a register, a new one or in place of the one with ``key``.

    Raises BadInput for what cannot be right, NotFound for a key that is not there. Photos come by
    their own way, and only their words are changed here.
    """
    form = form_of(register)

    def act(desk: Desk) -> dict[str, Any]:
        before = desk.record.line(register, key) if key else None
        if key and before is None:
            raise NotFound(f"line in {register}", key)
        if before is None and form.register is Register.PHOTO:
            raise Conflict("A photo begins with its picture: send that first.")
        mine = desk.record.register(register)
        if before is None and len(mine) >= MOST_LINES:
            raise BadInput("lines", str(len(mine)), f"are {MOST_LINES} already", "settle some")
        entry = read_line(form, fields)
        _known_photo(desk, entry.texts.get("photo", ""))
        kept = {k: v for k, v in (before.texts if before else {}).items() if k == "photo_id"}
        typed = {
            f"typed {f.name}": fields.get(f.name, "") for f in form.fields if f.quantity is not None
        }
        line_key = key or str(desk.job.seq + 1)
        desk.scribe.enter(
            register,
            line_key,
            step or (before.step if before else ""),
            numbers=entry.values,
            texts={**kept, **typed, **entry.texts},
        )
        return {"key": line_key}

    command = ("register", register, key, tuple(sorted(fields.items())))
    return write(workshop, job_id, stamp, command, act)


def _known_photo(desk: Desk, title: str) -> None:
    """A photo is named by its title; a title that is not there is a slip of the pen."""
    if not title:
        return
    titles = [e.texts["title"] for e in desk.record.register(Register.PHOTO)]
    if title not in titles:
        known = ", ".join(titles[:5]) or "none yet"
        raise BadInput("With photo", title, f"is no photo of this job; there are: {known}", "")


def remove_line(
    workshop: Workshop, job_id: int, stamp: Stamp, register: str, key: str
) -> dict[str, Any]:
    """Take a line out of a register; it stays in the log."""

    def act(desk: Desk) -> dict[str, Any]:
        line = desk.record.line(register, key)
        if line is None:
            raise NotFound(f"line in {register}", key)
        desk.scribe.enter(
            register, key, line.step, numbers=line.values, texts=line.texts, removed=True
        )
        return {"key": key}

    return write(workshop, job_id, stamp, ("remove-line", register, key), act)


def enter_photo(
    workshop: Workshop, job_id: int, stamp: Stamp, *, title: str, step: str, picture: bytes
) -> dict[str, Any]:
    """Keep a photo with its title; the picture is drawn anew, so nothing but pixels is kept.

    Raises BadInput for what is no picture, or too large.
    """
    from glowdial.workshop.photos import drawn_anew  # late: only a photo needs the picture library

    form = form_of(Register.PHOTO)
    entry = read_line(form, {"title": title})
    fingerprint = hashlib.sha256(picture).hexdigest()
    kept = drawn_anew(picture)

    def act(desk: Desk) -> dict[str, Any]:
        row = PhotoRow(
            job_id=desk.job.id,
            at=workshop.now(),
            width=kept.width,
            height=kept.height,
            image=kept.image,
            thumbnail=kept.thumbnail,
        )
        desk.session.add(row)
        desk.session.flush()
        key = str(desk.job.seq + 1)
        desk.scribe.enter(
            Register.PHOTO, key, step, numbers={}, texts={**entry.texts, "photo_id": str(row.id)}
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


def matrix(workshop: Workshop, job_id: int) -> Matrix:
    """The function matrix of a job."""
    view = job_view(workshop, job_id)
    return matrix_of(view.facts, view.record)


def fill_cells(
    workshop: Workshop, job_id: int, stamp: Stamp, cells: Mapping[tuple[str, str], str]
) -> dict[str, Any]:
    """Fill cells of the matrix, by (row, column); an empty text empties one.

    Raises BadInput for one that is not understood; nothing is kept then.
    """

    def act(desk: Desk) -> dict[str, Any]:
        if not 1 <= len(cells) <= MOST_CELLS:
            raise BadInput("cells", str(len(cells)), f"must be 1 to {MOST_CELLS}", "1")
        for (row, column), text in cells.items():
            cell = read_cell(desk.facts, row, column, text)
            known = desk.record.line(MATRIX, cell_key(row, column))
            if cell is None and known is None:
                continue
            texts = {"row": row, "column": column}
            if cell is not None:
                texts |= {"state": cell.state.value, "figure": cell.figure, "oddity": cell.oddity}
            elif known is not None:
                texts = dict(known.texts)
            desk.scribe.enter(
                MATRIX, cell_key(row, column), "", numbers={}, texts=texts, removed=cell is None
            )
        return {}

    return write(workshop, job_id, stamp, ("cells", tuple(sorted(cells.items()))), act)
