"""What intake keeps beside its steps: photos, questions to the owner, modifications, what was
parked, what came off.
"""

from __future__ import annotations

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.journey.steps import Field
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import CAPACITANCE, MILLIMETRES, RESISTANCE, engineering
from glowdial.core.model.chassis import Reach, Side

PRESET_TOLERANCE = 0.02
# a pin stands in thousandths of its photo
PHOTO_SCALE = 1000.0
UNDECIDED, KEEP, UNDO, ASK_OWNER = "not decided", "keep", "undo", "ask the owner"
PHOTOS, QUESTIONS, MODIFICATIONS = "photos", "questions", "modifications"
PARKED, STRIP_DOWN, PLACES = "parked", "strip-down", "places"


def _unanswered(line: Entered) -> bool:
    return not line.texts.get("answer")


def _undecided(line: Entered) -> bool:
    decision, state = line.texts["decision"], line.texts["state"]
    return decision in (UNDECIDED, ASK_OWNER) or (decision == UNDO and state != "undone")


def _parked(line: Entered) -> bool:
    return line.texts["state"] == "waiting"


def is_off(line: Entered) -> bool:
    """Whether something that came off is not back."""
    return line.texts["state"] == "off" and line.texts["kind"] != "cleaned"


def _check_decision(entry: Entry) -> None:
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


PHOTO_FORM = RegisterForm(
    PHOTOS,
    "Photos",
    "Before anything is undone: the whole chassis, both sides, and every odd place.",
    (Field("title", "What it shows"), Field("about", "What to look for", required=False)),
    "underside, as it came",
    pictures=True,
)


def _check_pin(entry: Entry) -> None:
    """A pin names its photo, and stays on it."""
    on_photo = entry.texts["side"] == Side.PHOTO
    if on_photo != bool(entry.texts["photo"]):
        raise BadInput(
            "With photo", entry.texts["photo"], "goes with 'seen from: photo'", "underside"
        )
    if on_photo and max(entry.values["x"], entry.values["y"]) > PHOTO_SCALE:
        raise BadInput("Place", "over 1000", "is not on the photo", "500")


QUESTION_FORM = RegisterForm(
    QUESTIONS,
    "Questions to the owner",
    "One list, asked once.",
    (
        Field("question", "Question", multiline=True),
        Field("photo", "With photo", required=False),
        Field("answer", "Answer", required=False, multiline=True),
    ),
    "May the cut-off plug be replaced by a fused one?",
    waits=_unanswered,
    waits_for="the owner's answer",
    for_owner=lambda _: True,
    holds_handover=False,
)
MODIFICATION_FORM = RegisterForm(
    MODIFICATIONS,
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
    waits=_undecided,
    for_owner=lambda line: line.texts["decision"] == ASK_OWNER,
    check=_check_decision,
)
PARKED_FORM = RegisterForm(
    PARKED,
    "Parked: seen, not now",
    "Anything seen that is not this step's business; it comes up again before handover.",
    (
        Field("what", "What was seen"),
        Field("where", "Where", required=False),
        Field("state", "State", options=("waiting", "settled")),
        Field("settled", "How it was settled", required=False),
    ),
    "R14 looks browned",
    waits=_parked,
)
STRIP_DOWN_FORM = RegisterForm(
    STRIP_DOWN,
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
    waits=is_off,
    check=_check_preset,
)
PLACE_FORM = RegisterForm(
    PLACES,
    "Places on the chassis",
    "Where tubes, cans and adjusters are, in mm from the left and from the front edge.",
    (
        Field("what", "What"),
        Field("side", "Seen from", options=tuple(s.value for s in Side)),
        Field("x", "From the left", MILLIMETRES),
        Field("y", "From the front edge, at the rear from below", MILLIMETRES),
        Field("reach", "Of two in one can", options=("only one", *(r.value for r in Reach if r))),
        Field("sealed", "Sealed", options=("no", "yes")),
        Field("photo", "Or a pin on the photo, in thousandths from its upper left", required=False),
    ),
    "t1-primary",
    check=_check_pin,
)
FORMS = (PHOTO_FORM, QUESTION_FORM, MODIFICATION_FORM, PARKED_FORM, STRIP_DOWN_FORM, PLACE_FORM)


def untraced_modifications(record: JobRecord) -> tuple[Entered, ...]:
    """Found modifications that are not decided, or left to the owner: traced before power."""
    return tuple(
        line
        for line in record.register(MODIFICATIONS)
        if line.texts["whose"] == "found" and line.texts["decision"] in (UNDECIDED, ASK_OWNER)
    )
