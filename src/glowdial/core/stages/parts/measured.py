"""What a measured value or a leakage says of a part."""

from __future__ import annotations

from glowdial.core.language.errors import BadInput
from glowdial.core.language.verdicts import Window, judge, symmetric
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.stages.parts.needs import RESISTOR_TOLERANCE, value_window


def measured_window(part: Part) -> Window:
    """What a part may measure and stay, in ohm or F."""
    if part.is_resistor:
        return symmetric(part.value, RESISTOR_TOLERANCE * part.value)
    below, above = value_window(part)
    return Window((1.0 - below) * part.value, (1.0 + max(above, below)) * part.value, part.value)


def check_measured(part: Part, measured: float) -> str:
    """What a measured value says of a part, in a sentence. Raises BadInput for zero ohm."""
    if part.is_resistor and measured <= 0.0:
        raise BadInput(
            "measured", f"{measured:g} ohm", "is a short, not a resistor: zero the leads", "47k"
        )
    ratio = measured / part.value
    if part.is_resistor:
        return (
            f"{100 * (ratio - 1):+.0f} %: inside its tolerance, it may stay"
            if not judge(measured, measured_window(part)).verdict.outside
            else f"{100 * (ratio - 1):+.0f} %: off by more than 20 %, replace it"
        )
    inside = not judge(measured, measured_window(part)).verdict.outside
    word = "still within its window" if inside else "outside its window"
    leaky = " (a leaky paper reads high)" if part.kind is PartKind.PAPER and ratio > 1.2 else ""
    return f"{100 * (ratio - 1):+.0f} %: {word}{leaky}"


def leakage_limit_a(part: Part) -> float:
    """The most that a part may leak at its working voltage.

    Electrolytic: 0.01 C V (the form of IEC 60384-4) and 0.1 mA for age. Others: 100 Mohm into a
    grid or an AVC line, 20 Mohm elsewhere (bench's norms).
    """
    volts = part.volts or 250.0
    if part.kind is PartKind.ELECTROLYTIC:
        return 0.01 * part.value * volts + 1e-4
    ohm = 100e6 if part.use in (PartUse.OUTPUT_COUPLING, PartUse.COUPLING, PartUse.AVC) else 20e6
    return volts / ohm
