"""The parts of a set, section by section, and what each one needs in its place.

Windows by use, volts by what the part can see before the tubes draw, a safety class where the mains
is bridged. Windows are the bench's norms; a rectifier's permitted first filter and a part's own
marking override them.
"""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import engineering
from glowdial.core.model.parts import Part, PartUse
from glowdial.core.physics.combinations import (
    Wanted,
)
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.discharge import unloaded_v

RESISTOR_TOLERANCE = 0.20
RATING_FACTOR = 2.0
SAFETY_V = 250.0
LARGEST_F = 0.1
# a larger one passes milliamperes to whoever touches the chassis
LARGEST_CHASSIS_F = 4.7e-9


FROM_B_PLUS = (
    PartUse.FIRST_FILTER,
    PartUse.FILTER,
    PartUse.OUTPUT_COUPLING,
    PartUse.SCREEN,
    PartUse.COUPLING,
    PartUse.BYPASS,
)


@dataclass(frozen=True, slots=True)
class Need:
    """What takes a part's place must be: window, rating (V or W), safety class, and why."""

    wanted: Wanted
    safety: str
    why: str

    def words(self, part: Part) -> str:
        """The need in a sentence: from, to, rating, class, and why."""
        unit, rated = ("ohm", "W") if part.is_resistor else ("F", "V")
        low, high = (
            engineering(self.wanted.value * share, unit)
            for share in (1.0 - self.wanted.below, 1.0 + self.wanted.above)
        )
        span = high if low == high else f"{low} to {high}"
        safety = f", class {self.safety}" if self.safety else ""
        return f"{span}, at least {self.wanted.rating:.3g} {rated}{safety}: {self.why}."


def seen_v(supply: Supply | None, *, transformer: bool) -> float:
    """The most that B+ can reach before the tubes draw: high line, an unloaded transformer.

    0 where the supply is not known.
    """
    return unloaded_v(supply, transformer=transformer) if supply is not None else 0.0


def need_of(part: Part, supply: Supply | None, *, transformer: bool) -> Need:
    """What the part's substitute must be; raises BadInput for a value that no part has."""
    if not part.is_resistor and part.value > LARGEST_F:
        raise BadInput("value", f"{part.value:g} F", "is no capacitor's: at most 0.1 F", "16e-6")
    if part.is_resistor:
        dissipated = (
            part.dissipation_w if part.dissipation_w is not None else (part.watts or 0.5) / 2
        )
        rating = max(RATING_FACTOR * dissipated, part.watts or 0.0, 0.25)
        window = Wanted(part.value, RESISTOR_TOLERANCE / 4, RESISTOR_TOLERANCE / 4, rating)
        return Need(window, "", f"twice the {dissipated:.2g} W that it sheds")
    below, above = value_window(part)
    volts, why = part.volts or 0.0, "as the original"
    seen = seen_v(supply, transformer=transformer)
    if part.use in FROM_B_PLUS and seen > volts:
        volts, why = seen, f"B+ can reach {seen:.0f} V at high line before the set draws"
    safety = {PartUse.MAINS: "X2 or Y2", PartUse.CHASSIS: "Y2"}.get(part.use, "")
    if safety:
        # rated by its class in AC volts, whatever DC the old one was marked for
        volts, why = SAFETY_V, "a safety class for 250 V AC"
    value = min(part.value, LARGEST_CHASSIS_F) if part.use is PartUse.CHASSIS else part.value
    if value < part.value:
        why += f"; at most {engineering(value, 'F')}, or touching the chassis would be felt"
    return Need(Wanted(value, below, above, max(volts, 1.0)), safety, why)


def value_window(part: Part) -> tuple[float, float]:
    """Shares below and above the original value that its use allows."""
    match part.use:
        case PartUse.FIRST_FILTER:
            most = part.most_f / part.value - 1.0 if part.most_f else 0.5
            return 0.2, min(max(most, 0.0), 0.5)
        case PartUse.FILTER | PartUse.CATHODE:
            return 0.2, 0.5
        case PartUse.TUNED:
            return 0.02, 0.02
        case PartUse.BUFFER:
            return 0.05, 0.05
        case PartUse.CHASSIS:
            return 0.6, 0.0
        case _:
            return 0.2, 0.2
