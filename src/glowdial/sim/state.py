"""How a simulated set stands on the bench: leads, controls, adjusters, generator. Plain data."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

from glowdial.core.physics.noise import Site


@dataclass(frozen=True, slots=True)
class Moving:
    """What has not come to rest: heater temperatures, and the AVC line's volts."""

    theta: tuple[float, ...]
    avc_v: float


@dataclass(frozen=True, slots=True)
class BenchState:
    """Everything that a hand could have set, and what time has done since.

    ``turns`` are turns made since the set came to the bench. ``injection`` is where the generator
    is clipped ("aerial", "mixer grid", the name of an IF stage with " grid", or ""); a set with a
    built-in loop gets a standard loop's field at "aerial". ``dial_side`` tells from which side the
    dial was last moved. ``lamp_w`` is a limiter lamp for the line's volts, 0 for none.
    ``load_lifted`` is B+ without its load; with a ``series_ohm`` the rectifier is silicon, and that
    much resistance is ahead of the reservoir, or ``series_behind`` it.
    ``healed`` is what voltage has mended of each filter capacitor's leakage, by its place, 0 to 1.
    ``moving`` is None when everything is at rest.
    """

    turns: dict[str, float] = field(default_factory=dict)
    line_v: float = 0.0
    generator_hz: float = 465e3
    generator_emf_v: float = 0.0
    tone_on: bool = False
    injection: str = ""
    oscillator_stopped: bool = False
    band: str = ""
    dial_hz: float = 0.0
    in_cabinet: bool = False
    dial_side: int = 0
    tone_hz: float = 400.0
    fm_deviation_hz: float = 0.0
    avc_clamp_v: float | None = None
    beat_on: bool = False
    place: str = Site.SCREENED
    lamp_w: float = 0.0
    load_lifted: bool = False
    series_ohm: float | None = None
    series_behind: bool = False
    time_s: float = 0.0
    healed: dict[str, float] = field(default_factory=dict)
    burnt: tuple[str, ...] = ()
    moving: Moving | None = None

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
        values["burnt"] = tuple(values.get("burnt", ()))
        return cls(**values)
