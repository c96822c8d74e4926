"""Writing in a job's registers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from glowdial.core.journey.record import Entered
from glowdial.core.journey.registers import RegisterForm, form_of, read_line
from glowdial.core.language.errors import BadInput, Conflict, NotFound
from glowdial.core.plan.order import FORMS
from glowdial.core.stages.intake.registers import PHOTOS
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob, Stamp, write

MOST_LINES = 500


@dataclass(frozen=True, slots=True)
class LineView:
    """A line of a register as a page shows it, with what was typed in each field."""

    key: str
    seq: int
    at: str
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
    record = job_page(workshop, job_id).record
    return tuple(
        RegisterView(form, tuple(_line_view(form, e) for e in record.register(form.register)))
        for form in FORMS
        if form.fields
    )


def _line_view(form: RegisterForm, line: Entered) -> LineView:
    typed = {
        f.name: line.texts.get(f"typed {f.name}", line.texts.get(f.name, "")) for f in form.fields
    }
    photo = line.texts.get("photo_id", "")
    return LineView(
        key=line.key,
        seq=line.seq,
        at=line.at,
        title=form.line_title(line),
        details=form.line_details(line),
        open=form.waits(line),
        asks_owner=form.for_owner(line),
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
    form = form_of(FORMS, register)

    def act(opened: OpenedJob) -> dict[str, Any]:
        before = opened.record.line(register, key) if key else None
        if key and before is None:
            raise NotFound(f"line in {register}", key)
        if before is None and form.pictures:
            raise Conflict("A photo begins with its picture: send that first.")
        mine = opened.record.register(register)
        if before is None and len(mine) >= MOST_LINES:
            raise BadInput("lines", str(len(mine)), f"are {MOST_LINES} already", "settle some")
        entry = read_line(form, fields)
        _known_photo(opened, entry.texts.get("photo", ""))
        kept = {k: v for k, v in (before.texts if before else {}).items() if k == "photo_id"}
        typed = {
            f"typed {f.name}": fields.get(f.name, "") for f in form.fields if f.quantity is not None
        }
        line_key = key or str(opened.job.seq + 1)
        opened.scribe.enter(
            register,
            line_key,
            step or (before.step if before else ""),
            numbers=entry.values,
            texts={**kept, **typed, **entry.texts},
        )
        return {"key": line_key}

    command = ("register", register, key, tuple(sorted(fields.items())))
    return write(workshop, job_id, stamp, command, act)


def _known_photo(opened: OpenedJob, title: str) -> None:
    """A photo is named by its title; a title that is not there is a slip of the pen."""
    if not title:
        return
    titles = [e.texts["title"] for e in opened.record.register(PHOTOS)]
    if title not in titles:
        known = ", ".join(titles[:5]) or "none yet"
        raise BadInput("With photo", title, f"is no photo of this job; there are: {known}", "")


def remove_line(
    workshop: Workshop, job_id: int, stamp: Stamp, register: str, key: str
) -> dict[str, Any]:
    """Take a line out of a register; it stays in the log."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        line = opened.record.line(register, key)
        if line is None:
            raise NotFound(f"line in {register}", key)
        opened.scribe.enter(
            register, key, line.step, numbers=line.values, texts=line.texts, removed=True
        )
        return {"key": key}

    return write(workshop, job_id, stamp, ("remove-line", register, key), act)
