"""The registers of a job: photos, questions to the owner, modifications, what was parked, what came
off. Each is a list of lines with the same fields; a line is replaced, never overwritten.

A register is worked beside any step: nothing seen is lost, and nothing derails what is being done.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.journey.entry import Entry, read_entry
from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.language.quantities import CAPACITANCE, RESISTANCE, engineering
from glowdial.core.model.parts import PartKind, PartUse
from glowdial.core.stages.parts.marking import marking_of

PRESET_TOLERANCE = 0.02
UNDECIDED, KEEP, UNDO, ASK_OWNER = "not decided", "keep", "undo", "ask the owner"


class Register(StrEnum):
    """The registers that a person writes in."""

    PHOTO = "photos"
    QUESTION = "questions"
    MODIFICATION = "modifications"
    PARKED = "parked"
    STRIP_DOWN = "strip-down"
    PART = "found-parts"


@dataclass(frozen=True, slots=True)
class RegisterForm:
    """What a register asks for: its title, what it is for, and the fields of a line."""

    register: Register
    title: str
    purpose: str
    fields: tuple[Field, ...]
    example: str


FORMS: tuple[RegisterForm, ...] = (
    RegisterForm(
        Register.PHOTO,
        "Photos",
        "Before anything is undone: the whole chassis, both sides, and every odd place.",
        (Field("title", "What it shows"), Field("about", "What to look for", required=False)),
        "underside, as it came",
    ),
    RegisterForm(
        Register.QUESTION,
        "Questions to the owner",
        "One list, asked once.",
        (
            Field("question", "Question", multiline=True),
            Field("photo", "With photo", required=False),
            Field("answer", "Answer", required=False, multiline=True),
        ),
        "May the cut-off plug be replaced by a fused one?",
    ),
    RegisterForm(
        Register.MODIFICATION,
        "Modifications",
        "What somebody changed, and what we change: understood before it gets power.",
        (
            Field("what", "What was changed"),
            Field("where", "Where", required=False),
            Field("whose", "Found, or ours", options=("found", "ours")),
            Field("purpose", "Purpose", required=False),
            Field("effect", "Effect on safety or performance", required=False),
            Field("reversible", "Reversible", options=("yes", "no", "unknown")),
            Field("decision", "Decision", options=(UNDECIDED, KEEP, UNDO, ASK_OWNER)),
            Field("decided_by", "Decided by, and when", required=False),
            Field("state", "State", options=("as found", "done", "undone")),
        ),
        "capacitor across the aerial coil",
    ),
    RegisterForm(
        Register.PARKED,
        "Parked: seen, not now",
        "Anything seen that is not this step's business; it comes up again before handover.",
        (
            Field("what", "What was seen"),
            Field("where", "Where", required=False),
            Field("state", "State", options=("waiting", "settled")),
            Field("settled", "How it was settled", required=False),
        ),
        "R14 looks browned",
    ),
    RegisterForm(
        Register.STRIP_DOWN,
        "What came off",
        "Values, positions and lead dress, so that it goes back as it was.",
        (
            Field("what", "What came off, or was cleaned"),
            Field("kind", "Kind", options=("adjuster", "part", "lead", "cleaned")),
            Field("position", "Position and lead dress", required=False),
            Field("before_f", "Capacity before", CAPACITANCE, required=False),
            Field("after_f", "Preset on return", CAPACITANCE, required=False),
            Field("before_ohm", "Resistance before", RESISTANCE, required=False),
            Field("photo", "With photo", required=False),
            Field("state", "State", options=("off", "back")),
        ),
        "aerial trimmer, front of the gang",
    ),
    RegisterForm(
        Register.PART,
        "Parts that the sheet does not list",
        "As marked on the part: 20+20 MFD 450V, .05, 250 MMF; bands or dots by name.",
        (
            Field("ref", "Called"),
            Field("marked", "Marked"),
            Field("kind", "Kind", options=tuple(k.value for k in PartKind)),
            Field("use", "Does", options=tuple(u.value for u in PartUse)),
        ),
        "C30",
    ),
)


def form_of(name: str) -> RegisterForm:
    """The form of a register; raises NotFound."""
    for form in FORMS:
        if form.register == name:
            return form
    raise NotFound("register", name)


def read_line(form: RegisterForm, fields: Mapping[str, str]) -> Entry:
    """Read one line of a register from its fields; choices left empty take their first option.

    Raises BadInput for what is missing or does not fit together: a decision without a name, or a
    preset that is not what was measured before it came off.
    """
    given = {
        f.name: fields.get(f.name, "").strip() or (f.options[0] if f.options else "")
        for f in form.fields
    }
    unknown = {k: v for k, v in fields.items() if k not in given}
    entry = read_entry(
        Ask(form.register.value, form.title, form.fields, form.example), None, {**given, **unknown}
    )
    _check_decision(form, entry)
    _check_preset(entry)
    if form.register is Register.PART:
        marking_of(entry.texts["marked"], resistor=entry.texts["kind"] == PartKind.RESISTOR)
    return entry


def _check_decision(form: RegisterForm, entry: Entry) -> None:
    if form.register is not Register.MODIFICATION:
        return
    decided = entry.texts["decision"] in (KEEP, UNDO)
    if decided and not entry.texts["decided_by"]:
        raise BadInput(
            "Decided by, and when", "", "says who decided, and when", "owner, 4 May, by telephone"
        )
    if entry.texts["state"] == "undone" and entry.texts["reversible"] == "no":
        raise BadInput("State", "undone", "cannot be: it is said to be not reversible", "as found")


def _check_preset(entry: Entry) -> None:
    before, after = entry.values.get("before_f"), entry.values.get("after_f")
    if before is None or after is None:
        return
    if abs(after / before - 1.0) > PRESET_TOLERANCE:
        raise BadInput(
            "Preset on return",
            engineering(after, "F"),
            f"is more than 2 % from the {engineering(before, 'F')} that came off; set it to the "
            "same value, or leave it empty until it is",
            engineering(before, "F"),
        )


def line_title(line: Entered) -> str:
    """What a line is called in a list."""
    first = next(f.name for f in form_of(line.register).fields)
    return line.texts.get(first, "")


def line_details(line: Entered) -> str:
    """The rest of a line, in words."""
    form = form_of(line.register)
    words: list[str] = []
    for field in form.fields[1:]:
        if field.name in line.values and field.quantity is not None:
            value = engineering(line.values[field.name], field.quantity.base)
            words.append(f"{field.label.lower()} {value}")
        elif line.texts.get(field.name):
            words.append(f"{field.label.lower()}: {line.texts[field.name]}")
    return "; ".join(words)


def is_open(line: Entered) -> bool:
    """Whether something is still to be done about a line."""
    match line.register:
        case Register.QUESTION:
            return not line.texts.get("answer")
        case Register.MODIFICATION:
            decision, state = line.texts["decision"], line.texts["state"]
            waits = decision in (UNDECIDED, ASK_OWNER)
            return waits or (decision == UNDO and state != "undone")
        case Register.PARKED:
            return line.texts["state"] == "waiting"
        case Register.STRIP_DOWN:
            return line.texts["state"] == "off" and line.texts["kind"] != "cleaned"
        case _:
            return False


def asks_owner(line: Entered) -> bool:
    """Whether a line belongs on the list that goes to the owner."""
    if line.register == Register.MODIFICATION:
        return line.texts["decision"] == ASK_OWNER
    return line.register == Register.QUESTION


def open_lines(record: JobRecord) -> tuple[Entered, ...]:
    """Everything in the registers that still waits, for power-up and handover."""
    return tuple(line for form in FORMS for line in record.register(form.register) if is_open(line))


def untraced_modifications(record: JobRecord) -> tuple[Entered, ...]:
    """Found modifications that nobody has decided on: traced before power."""
    return tuple(
        line
        for line in record.register(Register.MODIFICATION)
        if line.texts["whose"] == "found" and line.texts["decision"] == UNDECIDED
    )
