"""What a job knows of one part: its value by the sheet, what was measured, what was fitted."""

from __future__ import annotations

from glowdial.core.journey.record import JobRecord
from glowdial.core.language.quantities import engineering
from glowdial.core.model.facts import ReceiverFacts

MEASURED = {"measured": "measured", "leakage": "leaks"}


def part_story(facts: ReceiverFacts, record: JobRecord, ref: str) -> tuple[str, ...]:
    """Lines on the part of that reference, oldest first; empty where nothing is known."""
    part = next((p for p in facts.parts if p.ref == ref), None)
    if part is None:
        return ()
    rating = f", {part.volts:g} V" if part.volts else f", {part.watts:g} W" if part.watts else ""
    lines = [f"By the sheet: {part.name}, {part.value_text}{rating}, {part.use.value}."]
    for answer in record.asked(ref):
        unit = {"measured": "ohm" if part.is_resistor else "F", "leakage": "A"}
        lines += [
            f"{word.capitalize()} {engineering(answer.values[name], unit[name])}."
            for name, word in MEASURED.items()
            if name in answer.values
        ]
        if answer.texts.get("decision"):
            lines.append(f"Decided: {answer.texts['decision']}.")
    lines += [f"{c.note}." for c in record.changes if c.note.startswith(f"{ref} ")]
    return tuple(dict.fromkeys(lines))
