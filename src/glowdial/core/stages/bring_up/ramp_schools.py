"""The schools of bringing a set up, and what each protects against."""

from __future__ import annotations

from enum import StrEnum

from glowdial.core.physics.supply.rampup import RAMP_FRACTIONS

CONTINUOUS_FROM, CONTINUOUS_STEP, FULL_FROM = 0.25, 0.10, 0.97


class RampSchool(StrEnum):
    """How the volts come up."""

    STEPS = "slow ramp, in held steps"
    CONTINUOUS = "gliding ramp, continuous"
    LAMP = "lamp limiter"
    CAPACITORS = "capacitors first, then full line"


PROTECTS = {
    RampSchool.STEPS: "old filters re-form while the volts are low, and each fault shows before it "
    "harms; a vacuum rectifier re-forms nothing below half the line",
    RampSchool.CONTINUOUS: "the same in a minute or two, for filters that are sound or new",
    RampSchool.LAMP: "a short costs a bright lamp instead of a transformer; it does not re-form "
    "filters, and sags the line for what is sound",
    RampSchool.CAPACITORS: "the commonest cause of harm is out before any power; nothing protects "
    "against the other causes but the fuse",
}


def fractions(school: RampSchool) -> tuple[float, ...]:
    """The shares of line at which a reading is asked for."""
    if school is RampSchool.STEPS:
        return RAMP_FRACTIONS
    if school is RampSchool.CAPACITORS:
        return (0.5, 1.0)
    return (1.0,)
