"""How a signal gets into a set, by what it listens with: a dummy aerial, a radiated field, a
balanced feeder; and what a body or the cabinet does to it."""

from __future__ import annotations

from glowdial.core.journey.steps import Lead
from glowdial.core.language.quantities import engineering
from glowdial.core.model.circuit import AerialKind
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.aerials import loop_field_v_per_m

GENERATOR_LEAD = "signal generator"
LOOP_WORDS = "standard loop (3 turns, 25 cm wide, 450 ohm in all), 60 cm away on its axis"
ROD_WORDS = "its rod's capacity, 10 pF, and the rod taken off"
DIPOLE_WORDS = "matching to 300 ohm, balanced"


def signal_lead(facts: ReceiverFacts) -> Lead:
    """From the generator to the set."""
    kind = facts.circuit.aerial.kind
    if facts.circuit.fm is not None:
        to = "aerial terminals, the dipole off" if kind is AerialKind.DIPOLE else "FM aerial input"
        return Lead(GENERATOR_LEAD, "75 ohm, or its transformer to 300 ohm", to, signal=True)
    if kind is AerialKind.LOOP:
        return Lead(GENERATOR_LEAD, LOOP_WORDS, "the set's own loop, in place", signal=True)
    if kind is AerialKind.ROD:
        return Lead(GENERATOR_LEAD, ROD_WORDS, "foot of the rod", signal=True)
    if kind is AerialKind.DIPOLE:
        return Lead(GENERATOR_LEAD, DIPOLE_WORDS, "aerial terminals, the dipole off", signal=True)
    return Lead(
        GENERATOR_LEAD, f"dummy aerial ({facts.dummy_aerial})", "aerial socket", signal=True
    )


def through_words(facts: ReceiverFacts) -> str:
    """What stands between generator and set, in a few words."""
    if facts.circuit.fm is not None:
        return "75 ohm"
    short = {
        AerialKind.LOOP: "standard loop at 60 cm",
        AerialKind.ROD: "10 pF",
        AerialKind.DIPOLE: "300 ohm matching",
    }
    return short.get(facts.circuit.aerial.kind, facts.dummy_aerial)


def signal_in_words(facts: ReceiverFacts, level_v: float) -> tuple[str, ...]:
    """What a level is at the set, and what else changes it; nothing for a wire aerial."""
    kind = facts.circuit.aerial.kind
    if facts.circuit.fm is not None:
        return ("The generator unmodulated, or by 400 Hz for the ear; 75 ohm into 300 halves it.",)
    if kind is AerialKind.LOOP:
        field = engineering(loop_field_v_per_m(level_v), "V")
        return (
            f"{engineering(level_v, 'V')} EMF radiates {field}/m at its loop. Keep hands and "
            "metal away while you read: a body detunes a loop and screens it, and so do the "
            "cabinet, its back and a scale plate: read with all of them in place.",
        )
    if kind is AerialKind.ROD:
        return (
            "A rod is a few picofarads: a hand near it, or the cabinet's metal, changes what comes "
            "in. Generator's outer to the chassis.",
        )
    if kind is AerialKind.DIPOLE:
        return (
            "The feeder is balanced: neither side to the chassis. 75 ohm unbalanced wants its "
            "transformer.",
        )
    return ()
