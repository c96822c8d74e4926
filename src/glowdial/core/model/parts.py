"""The parts of a set, section by section."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.quantities import engineering


class PartKind(StrEnum):
    """What a part is made of."""

    ELECTROLYTIC = "electrolytic"
    PAPER = "paper"
    MICA = "mica"
    CERAMIC = "ceramic"
    RESISTOR = "resistor"


class PartUse(StrEnum):
    """What a part does; it decides window, volts and how soon it is changed."""

    MAINS = "across the mains"
    CHASSIS = "line to chassis, aerial or earth"
    FIRST_FILTER = "first filter"
    FILTER = "filter"
    OUTPUT_COUPLING = "coupling into the output grid"
    AVC = "AVC line"
    SCREEN = "screen bypass"
    COUPLING = "coupling"
    BYPASS = "bypass"
    CATHODE = "cathode bypass"
    BUFFER = "vibrator buffer"
    TUNED = "tuned circuit"
    RESISTANCE = "resistor"


AREAS = {
    PartUse.MAINS: "supply",
    PartUse.FIRST_FILTER: "supply",
    PartUse.FILTER: "supply",
    PartUse.BUFFER: "supply",
    PartUse.CHASSIS: "aerial",
    PartUse.AVC: "if",
}


@dataclass(frozen=True, slots=True)
class Part:
    """One part, or one section of a can: ``value`` in F or ohm; ratings in V or W where known.

    ``dissipation_w`` is what a resistor turns into heat by design, ``most_f`` the largest first
    filter that the rectifier permits.
    """

    ref: str
    name: str
    kind: PartKind
    use: PartUse
    value: float
    volts: float | None = None
    watts: float | None = None
    can: str = ""
    area: str = ""
    dissipation_w: float | None = None
    most_f: float | None = None

    @property
    def is_resistor(self) -> bool:
        """Ohm and watts instead of farad and volts."""
        return self.kind is PartKind.RESISTOR

    @property
    def spoils(self) -> str:
        """The area of the set whose readings it spoils when it is changed."""
        return self.area or AREAS.get(self.use, "audio")

    @property
    def rating_text(self) -> str:
        """The rating with its unit; empty where it is not known."""
        if self.volts:
            return f"{self.volts:g} V"
        return f"{self.watts:g} W" if self.watts else ""

    @property
    def value_text(self) -> str:
        """The value as people write it."""
        return engineering(self.value, "ohm" if self.is_resistor else "F")
