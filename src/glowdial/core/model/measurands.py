"""What can be measured on a set, named once: a place and the quantity there.

Steps, the simulated set, instruments, the network's bench and the sheet's connection points all
speak of these. Fixed places come first; a stage's electrodes, heaters and windings are a set's own.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.errors import NotFound
from glowdial.core.model.facts import ReceiverFacts


class Kind(StrEnum):
    """A quantity; the unit that its values are kept in is the SI one."""

    DC_VOLTS = "DC volts"
    AC_VOLTS = "AC volts"
    RIPPLE = "ripple"
    RESISTANCE = "resistance"
    CURRENT = "current"
    CAPACITANCE = "capacitance"
    LEAKAGE = "leakage"
    FREQUENCY = "frequency"
    LEVEL = "level"
    TURN = "turn"
    TEMPERATURE = "temperature"
    POWER = "power"


@dataclass(frozen=True, slots=True, order=True)
class Measurand:
    """One quantity at one place, e.g. DC volts at "V4 grid"."""

    place: str
    kind: Kind

    @property
    def words(self) -> str:
        """As it is said."""
        return f"{self.kind} at {self.place}"


LINE = Measurand("line", Kind.AC_VOLTS)
LINE_CURRENT = Measurand("line", Kind.CURRENT)
SET_INPUT = Measurand("set input", Kind.AC_VOLTS)
RESERVOIR = Measurand("reservoir", Kind.DC_VOLTS)
RESERVOIR_RIPPLE = Measurand("reservoir", Kind.RIPPLE)
B_PLUS = Measurand("b-plus", Kind.DC_VOLTS)
B_PLUS_RIPPLE = Measurand("b-plus", Kind.RIPPLE)
B_PLUS_OHM = Measurand("b-plus", Kind.RESISTANCE)
SERIES_OHM = Measurand("series resistor", Kind.RESISTANCE)
AVC = Measurand("avc", Kind.DC_VOLTS)
DISCRIMINATOR = Measurand("discriminator", Kind.DC_VOLTS)
FM_LEVEL = Measurand("fm level", Kind.DC_VOLTS)
LOUDSPEAKER = Measurand("audio", Kind.AC_VOLTS)
GENERATOR_FREQUENCY = Measurand("generator", Kind.FREQUENCY)
GENERATOR_LEVEL = Measurand("generator", Kind.LEVEL)
CHASSIS_TEMPERATURE = Measurand("chassis", Kind.TEMPERATURE)
LEADS_OHM = Measurand("leads", Kind.RESISTANCE)
LAMP_POWER = Measurand("limiter lamp", Kind.POWER)
LABEL_V = Measurand("label", Kind.AC_VOLTS)
BRIDGE_F = Measurand("bridging capacitor", Kind.CAPACITANCE)

FIXED_PLACES = (
    "line",
    "set input",
    "reservoir",
    "b-plus",
    "series resistor",
    "avc",
    "detector",
    "audio",
    "aerial",
    "mixer grid",
    "generator",
    "chassis",
    "leads",
    "limiter lamp",
    "label",
    "bridging capacitor",
)


# of a tube; a transistor's collector, emitter and base stand under the same names
ELECTRODES = ("plate", "screen", "cathode", "grid")


def electrode(stage: str, name: str) -> Measurand:
    """DC volts at an electrode of a stage."""
    return Measurand(f"{stage} {name}", Kind.DC_VOLTS)


def heater(tube: str, *, direct: bool) -> Measurand:
    """Volts across a tube's heater; a filament's are DC."""
    return Measurand(f"heater {tube}", Kind.DC_VOLTS if direct else Kind.AC_VOLTS)


def winding(key: str) -> Measurand:
    """The resistance of a winding."""
    return Measurand(f"winding {key}", Kind.RESISTANCE)


def turn_of(adjuster: str) -> Measurand:
    """Turns made of an adjuster, clockwise positive."""
    return Measurand(f"adjuster {adjuster}", Kind.TURN)


def of_part(ref: str, kind: Kind) -> Measurand:
    """A part's own value or leakage."""
    return Measurand(f"part {ref}", kind)


def resonance_of(can: str) -> Measurand:
    """The frequency at which a can is loudest."""
    return Measurand(f"can {can}", Kind.FREQUENCY)


def places_of(facts: ReceiverFacts) -> frozenset[str]:
    """Every place where this set can be measured or turned."""
    own = {p.key for p in facts.circuit.points} | {p.node for p in facts.circuit.points}
    own |= {f"{f.stage} {f.electrode}" for f in facts.chart}
    own |= {f"heater {h.tube}" for h in facts.circuit.heaters.heaters}
    own |= {f"winding {w.key}" for w in facts.windings}
    own |= {f"adjuster {a.key}" for a in facts.adjusters}
    own |= {f"part {p.ref}" for p in facts.parts}
    own |= {f"can {t.key}" for t in facts.transformers}
    return frozenset(FIXED_PLACES) | own


def check_place(facts: ReceiverFacts, place: str) -> None:
    """Raises NotFound with the name for a place that this set does not have."""
    if place not in places_of(facts):
        raise NotFound("place on this set", place)
