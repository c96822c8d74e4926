"""What a receiver is made of beyond its adjusters: stages, IF, detection, AVC, aerial, heaters.

Design values, from the sheet or the bench's norms; what a particular set has become is another
matter.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.physics.filters import CrystalFilter, MechanicalFilter
from glowdial.core.physics.heaters import NO_HEATERS, Heaters
from glowdial.core.physics.operating_point import AmplifierStage


class AerialKind(StrEnum):
    """What the set listens with."""

    WIRE = "wire"
    LOOP = "loop"
    ROD = "rod"
    DIPOLE = "built-in dipole"


@dataclass(frozen=True, slots=True)
class Aerial:
    """A wire joined outside, a built-in loop (turns, area in m^2) or a rod (height in m)."""

    kind: AerialKind = AerialKind.WIRE
    turns: int = 18
    area_m2: float = 0.06
    height_m: float = 0.5


@dataclass(frozen=True, slots=True)
class AvcLaw:
    """Control volts for a neper of gain, delay in V, and the filter's time constant in s."""

    control_v_per_neper: float = 3.1
    delay_v: float = 0.0
    time_constant_s: float = 0.1
    source_ohm: float = 1.2e6


@dataclass(frozen=True, slots=True)
class Conversion:
    """A first conversion ahead of the tuned IF: its IF, the fixed second oscillator, its Q."""

    first_intermediate_hz: float
    second_oscillator_hz: float
    first_q: float = 80.0


class FmKind(StrEnum):
    """The detectors of FM sets."""

    DISCRIMINATOR = "discriminator"
    RATIO = "ratio detector"


@dataclass(frozen=True, slots=True)
class FmDetector:
    """Limiter threshold in V peak, discriminator, de-emphasis in s, and whether it decodes
    stereo; ``primary`` and ``secondary`` are the detector's adjusters where the sheet names them,
    ``of_critical`` how closely its circuits are coupled."""

    limiter_v: float = 0.5
    separation_hz: float = 240e3
    q: float = 35.0
    deemphasis_s: float = 50e-6
    stereo: bool = False
    kind: FmKind = FmKind.DISCRIMINATOR
    primary: str = ""
    secondary: str = ""
    of_critical: float = 1.5


@dataclass(frozen=True, slots=True)
class ConnectionPoint:
    """A place for a probe or clip: its name, and the node that it sits on.

    ``series_ohm`` lies between the two: a probe on the far side of a resistor.
    """

    key: str
    name: str
    node: str
    series_ohm: float = 0.0


@dataclass(frozen=True, slots=True)
class Circuit:
    """The signal path and what keeps it alive.

    ``stages_given`` is False where the stages are the norms of the commonest circuit.
    """

    stages: tuple[AmplifierStage, ...]
    aerial: Aerial = Aerial()
    avc: AvcLaw = AvcLaw()
    conversion: Conversion | None = None
    if_filter: CrystalFilter | MechanicalFilter | None = None
    beat_oscillator: bool = False
    fm: FmDetector | None = None
    heaters: Heaters = NO_HEATERS
    points: tuple[ConnectionPoint, ...] = ()
    aerial_q: float = 75.0
    rf_stage: bool = False
    stages_given: bool = True

    def stage(self, name: str) -> AmplifierStage | None:
        """The stage of that name, if there is one."""
        return next((s for s in self.stages if s.name == name), None)
