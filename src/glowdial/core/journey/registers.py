"""Registers of a job: lists of lines with the same fields, worked beside any step. A line is
replaced, never overwritten. Each stage brings its own; what all have in common is here.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from glowdial.core.journey.entry import Entry, read_entry
from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import NotFound
from glowdial.core.language.quantities import engineering


def never(_: Entered) -> bool:
    """Of no line."""
    return False


def accepted(_: Entry) -> None:
    """A register without rules across its fields."""


def first_words(line: Entered) -> str:
    """What a line is called where its form does not say: by the key that it is kept under."""
    return line.texts.get("title", line.key)


@dataclass(frozen=True, slots=True)
class RegisterForm:
    """What a register asks for: its name and title, what it is for, and the fields of a line.

    ``waits`` tells whether something is still to be done about a line, ``for_owner`` whether it
    goes onto the list to the owner; with ``holds_handover`` the set does not leave while a line
    waits. ``check`` raises BadInput for what does not fit together. One with ``pictures`` is filled
    by sending a picture. ``called`` is what the log calls an entry. One without fields has a page
    of its own, and ``title_of`` names its lines. ``waits_for`` is what somebody else has to bring
    while a line waits.
    """

    register: str
    title: str
    purpose: str
    fields: tuple[Field, ...] = ()
    example: str = ""
    waits: Callable[[Entered], bool] = never
    for_owner: Callable[[Entered], bool] = never
    holds_handover: bool = True
    check: Callable[[Entry], None] = accepted
    pictures: bool = False
    called: str = "noted"
    title_of: Callable[[Entered], str] = first_words
    waits_for: str = ""

    def line_title(self, line: Entered) -> str:
        """What a line is called in a list: its first field."""
        if not self.fields:
            return self.title_of(line)
        return line.texts.get(self.fields[0].name, "")

    def line_details(self, line: Entered) -> str:
        """The rest of a line, in words."""
        words: list[str] = []
        for field in self.fields[1:]:
            if field.name in line.values and field.quantity is not None:
                value = engineering(line.values[field.name], field.quantity.base)
                words.append(f"{field.label.lower()} {value}")
            elif line.texts.get(field.name):
                words.append(f"{field.label.lower()}: {line.texts[field.name]}")
        return "; ".join(words)

    def log_words(self, line: Entered) -> str:
        """A line as the log tells it."""
        gone = " (taken out)" if line.removed else ""
        if not self.fields:
            return f"{self.title_of(line)}{gone}"
        return f"{self.title}: {self.line_title(line)}{gone}"


def read_line(form: RegisterForm, fields: Mapping[str, str]) -> Entry:
    """Read one line of a register from its fields; choices left empty take their first option.

    Raises BadInput for what is missing, not understood, or does not fit together.
    """
    given = {
        f.name: fields.get(f.name, "").strip() or (f.options[0] if f.options else "")
        for f in form.fields
    }
    unknown = {k: v for k, v in fields.items() if k not in given}
    asked = Ask(form.register, form.title, form.fields, form.example)
    entry = read_entry(asked, None, {**given, **unknown})
    form.check(entry)
    return entry


def form_of(forms: tuple[RegisterForm, ...], name: str) -> RegisterForm:
    """The form of a register; raises NotFound."""
    for form in forms:
        if form.register == name:
            return form
    raise NotFound("register", name)


def open_lines(
    record: JobRecord, forms: tuple[RegisterForm, ...]
) -> tuple[tuple[RegisterForm, Entered], ...]:
    """Everything in the registers that still waits, for power-up and handover."""
    return tuple(
        (form, line)
        for form in forms
        for line in record.register(form.register)
        if form.waits(line)
    )
