"""What the errors of a dial say of their cause, and what to turn, in words."""

from __future__ import annotations

from glowdial.core.alignment.dial_causes import (
    ROLES,
    DialCause,
    DialFault,
    MarkError,
    best_to_turn,
    dial_causes,
)
from glowdial.core.journey.dial_marks import band_adjusters, mark_doubt_hz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.physics.tracking import TankRole, role_of
from glowdial.core.stages.dial.curve import DialCurve

# fewer marks do not tell causes apart; less probable ones are not named
LEAST_MARKS, NAMED = 3, 0.05


def cause_words(facts: ReceiverFacts, band: BandFacts, curve: DialCurve) -> tuple[str, ...]:
    """The likely causes with their probabilities, and the one adjuster that helps most."""
    if len(curve.marks) < LEAST_MARKS:
        return ()
    marks = [
        MarkError(
            m.dial_hz,
            m.error_hz,
            band.tolerance_hz(m.dial_hz),
            mark_doubt_hz(facts, band, m.dial_hz),
        )
        for m in curve.marks
    ]
    found = dial_causes(band.tracked, (band.low_hz, band.high_hz), marks)
    named = [
        f"{_called(facts, band, c)} {100 * c.probability:.0f} %"
        for c in found
        if c.probability >= NAMED
    ]
    return (f"By the shape of its errors: {', '.join(named)}.", *_turn_words(facts, band, marks))


def _roles(facts: ReceiverFacts, band: BandFacts) -> dict[TankRole, str]:
    """What each part is turned with."""
    inductive = band.tracked.inductive
    return {
        role_of(facts.adjuster(key).kind, inductive=inductive): facts.adjuster(key).name
        for key in band_adjusters(band)
    }


def _called(facts: ReceiverFacts, band: BandFacts, found: DialCause) -> str:
    """A cause by the name of its adjuster, where it has one."""
    role = ROLES.get(found.cause)
    name = _roles(facts, band).get(role) if role is not None else None
    if name is not None:
        return f"the {name}"
    if band.tracked.inductive and found.cause in ROLES:
        return {
            DialFault.SCALE: "the fixed capacitor",
            DialFault.SHUNT: "the slug's coil",
            DialFault.SERIES: "the coil across both",
        }[found.cause]
    return found.cause.value if found.cause is DialFault.NOTHING else f"the {found.cause.value}"


def _turn_words(facts: ReceiverFacts, band: BandFacts, marks: list[MarkError]) -> tuple[str, ...]:
    roles = _roles(facts, band)
    best = best_to_turn(band.tracked, marks, tuple(roles))
    if best is None:
        return ()
    now = max(abs(m.error_hz) / m.tolerance_hz for m in marks)
    if best.worst_after > now - 0.25:
        return ("No adjuster alone brings the worst mark nearer: leave it, or look at the plates.",)
    return (
        f"The {roles[best.role]} alone brings the worst mark from {now:.1f} to "
        f"{best.worst_after:.1f} of its tolerance.",
    )
