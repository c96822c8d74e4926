"""A lamp in series with the set as a limiter: not a resistor, I ~ V^0.55 of its rating."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.supply.circuit import FILAMENT_EXPONENT

PASSES = 26
# beyond this share of its rated current a filament does not last
MOST_SHARE = 1.3


@dataclass(frozen=True, slots=True)
class Lamp:
    """A filament lamp by its rating, in W at V."""

    power_w: float
    volts: float

    def __post_init__(self) -> None:
        require_positive(lamp_w=self.power_w, lamp_v=self.volts)

    def current_a(self, volts: float) -> float:
        """Current at ``volts`` across it, settled."""
        share = max(volts, 0.0) / self.volts
        return self.power_w / self.volts * float(share**FILAMENT_EXPONENT)

    def volts_at(self, current_a: float) -> float:
        """Volts across it at a current; raises BadInput for one that burns it out."""
        most_a = MOST_SHARE * self.power_w / self.volts
        if current_a > most_a:
            raise BadInput(
                "current",
                f"{current_a:g} A",
                f"is more than a {self.power_w:g} W lamp for {self.volts:g} V passes whole, "
                f"{most_a:.2g} A",
                f"{0.5 * self.power_w / self.volts:.2g} A",
            )
        share = max(current_a, 0.0) * self.volts / self.power_w
        return self.volts * float(share ** (1.0 / FILAMENT_EXPONENT))


def limited_v(line_v: float, lamp: Lamp, draw_a: Callable[[float], float]) -> float:
    """Volts that a set is left with behind the lamp, in V RMS.

    ``draw_a`` gives the set's RMS line current at its own volts, never falling with them. Both are
    taken as in phase, which understates what is left by a few per cent. By bisection.
    """
    low, high = 0.0, line_v
    for _ in range(PASSES):
        middle = 0.5 * (low + high)
        if draw_a(middle) < lamp.current_a(line_v - middle):
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)
