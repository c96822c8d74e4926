"""Under what a proof was taken: it travels with every figure, and tells which of them compare."""

from __future__ import annotations

from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.quantities import AUDIO_VOLTS, engineering

NOTED = "noted"
IN, OUT = "in", "out"
CONDITION_FIELDS = (
    Field("cabinet", "in its cabinet or out", options=(IN, OUT)),
    Field("control", "AVC", options=("working", "held", "none")),
    Field("around", "lamps and adapters nearby", options=("off", "on")),
    Field("reference", "output that volume was set for", AUDIO_VOLTS),
    Field("switches", "bandwidth, filters, tone control", required=False),
)


def conditions_key(phase: str) -> str:
    """Key of the step that takes them, as found or as left."""
    return f"proof.{phase}.conditions"


def conditions_ask() -> Ask:
    """All of them in one line."""
    return Ask(
        NOTED,
        "Cabinet, AVC, lamps and adapters nearby, the output that the volume control was set for, "
        "and how bandwidth, filters and tone control stand.",
        CONDITION_FIELDS,
        "in working off 0.5 V wide, tone control up",
        called="the conditions",
    )


def conditions(record: JobRecord, phase: str) -> Answer | None:
    """What was noted last."""
    return record.latest(conditions_key(phase), NOTED)


def conditions_words(noted: Answer | None) -> str:
    """In a sentence; that nothing was noted where nothing was."""
    if noted is None:
        return "Conditions not noted."
    texts = noted.texts
    words = [
        f"{texts['cabinet']} of its cabinet" if texts["cabinet"] == OUT else "in its cabinet",
        f"AVC {texts['control']}",
        f"lamps and adapters {texts['around']}",
        f"volume for {engineering(noted.values['reference'], 'V')}",
    ]
    if texts.get("switches"):
        words.append(texts["switches"])
    return f"Taken {', '.join(words)}."


def compared_words(record: JobRecord, before: str, now: str) -> str:
    """What keeps two phases from being compared; nothing where nothing does."""
    first, last = conditions(record, before), conditions(record, now)
    if first is None or last is None:
        return ""
    names = [f for f in CONDITION_FIELDS if f.quantity is None and f.options]
    other = [f for f in names if first.texts[f.name] != last.texts[f.name]]
    if not other:
        return ""
    told = ", ".join(
        f"{f.label}: {first.texts[f.name]} then, {last.texts[f.name]} now" for f in other
    )
    return f"As found it was taken otherwise ({told}): the two do not compare."
