"""How a simulated set stands on the bench: leads, controls, adjusters, generator. Plain data."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, replace
from typing import Any

from glowdial.core.bench.settings import Settings
from glowdial.core.physics.noise import Site


@dataclass(frozen=True, slots=True)
class Moving:
    """What has not come to rest: heater temperatures, and the AVC line's volts."""

    theta: tuple[float, ...]
    avc_v: float


@dataclass(frozen=True, slots=True)
class BenchState(Settings):
    """How the bench is set, what else a hand could have done, and what time has done since.

    A set with a built-in loop gets a standard loop's field at the injection "aerial". ``turns`` are
    turns made since the set came to the bench. ``dial_side`` tells from which side the dial was
    last moved. ``healed`` is what voltage has mended of each filter capacitor's leakage, by its
    place, 0 to 1. ``moving`` is None when everything is at rest.
    """

    turns: dict[str, float] = field(default_factory=dict)
    dial_side: int = 0
    tone_hz: float = 400.0
    fm_deviation_hz: float = 0.0
    avc_clamp_v: float | None = None
    beat_on: bool = False
    place: str = Site.SCREENED
    time_s: float = 0.0
    healed: dict[str, float] = field(default_factory=dict)
    burnt: tuple[str, ...] = ()
    moving: Moving | None = None

    def switched_off(self) -> BenchState:
        """The same with line and generator off."""
        return replace(self, line_v=0.0, generator_emf_v=0.0)

    def as_document(self) -> dict[str, Any]:
        """Plain data for storing."""
        return asdict(self)

    @classmethod
    def from_document(cls, document: dict[str, Any]) -> BenchState:
        """Read back."""
        values = dict(document)
        moving = values.get("moving")
        if moving is not None:
            values["moving"] = Moving(tuple(moving["theta"]), moving["avc_v"])
        for name in ("burnt", "lifted", "damped"):
            values[name] = tuple(values.get(name, ()))
        return cls(**values)
