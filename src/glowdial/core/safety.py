"""Cautions: what can hurt, where it can hurt, and what to do about it.

A caution appears in the step where the danger is, once per job and step, and is acknowledged before
the step's readings open. It cannot be disabled.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

CLOSING = (
    "Follow your local electrical codes, and leave what is beyond your training to a licensed "
    "person."
)


class Danger(StrEnum):
    """The dangers that the steps of a mains receiver meet."""

    MAINS = "mains"
    CAPACITORS = "filter capacitors"
    TRANSFORMERLESS = "transformerless chassis"
    VARIABLE_TRANSFORMER = "variable transformer"
    LIVE_ALIGNMENT = "live alignment"
    OUTPUT_STAGE = "output stage"
    BATTERY = "battery"


@dataclass(frozen=True, slots=True)
class Caution:
    """One danger with its sentences."""

    danger: Danger
    sentences: tuple[str, ...]


_CAUTIONS = {
    Danger.MAINS: (
        "Supply the bench through an RCD (GFCI) and a fuse. An RCD does not protect behind an "
        "isolation transformer.",
        "Work with one hand and never alone in the building.",
    ),
    Danger.CAPACITORS: (
        "Discharge every filter capacitor and measure that it is empty before touching anything.",
        "Do not rely on a bleeder: an open one never discharges them.",
    ),
    Danger.TRANSFORMERLESS: (
        "The chassis may be live at full mains: use an isolation transformer.",
        "Never clip an earthed scope or generator to it; an earthed clip on an isolated set brings "
        "the shock path back.",
    ),
    Danger.VARIABLE_TRANSFORMER: (
        "A variable transformer does not isolate; use it after an isolation transformer.",
    ),
    Danger.LIVE_ALIGNMENT: (
        "Use an insulated tool: a metal one shorts B+ in the can and detunes the circuit.",
        "Keep the other hand away from the chassis while the set is on.",
    ),
    Danger.OUTPUT_STAGE: (
        "Never run the output stage without its load: the transformer flashes over.",
    ),
    Danger.BATTERY: ("Fuse the lead at the battery, and check the polarity before connecting.",),
}


def caution(danger: Danger) -> Caution:
    """The caution for a danger, its closing sentence included."""
    return Caution(danger, (*_CAUTIONS[danger], CLOSING))


def power_dangers(chassis: str) -> tuple[Danger, ...]:
    """Dangers to acknowledge before a chassis of this kind gets power."""
    if chassis == "battery":
        return (Danger.BATTERY, Danger.OUTPUT_STAGE)
    first = (Danger.MAINS, Danger.CAPACITORS)
    live = (Danger.TRANSFORMERLESS,) if chassis == "transformerless" else ()
    return (*first, *live, Danger.VARIABLE_TRANSFORMER, Danger.OUTPUT_STAGE)


def cold_dangers(chassis: str) -> tuple[Danger, ...]:
    """Dangers of measuring inside a set that is switched off."""
    return () if chassis == "battery" else (Danger.CAPACITORS,)
