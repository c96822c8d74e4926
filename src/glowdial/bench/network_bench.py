"""A bench of network instruments: sets and reads what it can, and leaves the hands to a person."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from glowdial.bench.network import (
    NetworkGenerator,
    NetworkLineSupply,
    NetworkMultimeter,
    NetworkOscilloscope,
)
from glowdial.bench.port import Settings
from glowdial.core.language.errors import Conflict

MOVED_LEADS = ("reservoir", "volts at the set", "series resistor")
GENERATOR_LIMITS_V = (1e-6, 0.1)


@dataclass(slots=True)
class NetworkBench:
    """The instruments that are there; the leads lie where the step says, a person saw to that.

    The lock is held for one setting or reading at a time, so that a stop can come in between.
    """

    generator: NetworkGenerator | None = None
    multimeter: NetworkMultimeter | None = None
    supply: NetworkLineSupply | None = None
    guard_meter: NetworkMultimeter | None = None
    oscilloscope: NetworkOscilloscope | None = None
    generator_limits_v: tuple[float, float] = GENERATOR_LIMITS_V
    lock: threading.RLock = field(default_factory=threading.RLock)

    def apply(self, settings: Settings) -> None:
        """Set generator and line; what hands do is taken as done."""
        with self.lock:
            self._apply(settings)

    def _apply(self, settings: Settings) -> None:
        if settings.line_v is not None and self.supply is not None:
            self.supply.set_line(settings.line_v)
        if self.generator is None:
            if settings.generator_hz is not None and settings.generator_emf_v:
                raise _missing("generator")
            return
        if settings.generator_hz is not None:
            self.generator.set_frequency(settings.generator_hz)
        if settings.generator_emf_v is not None:
            self.generator.set_level(settings.generator_emf_v)
        if settings.tone_on is not None:
            self.generator.set_tone(on=settings.tone_on)

    def read(self, meter: str) -> float:
        """One reading of what the meter's leads are on; AVC as its magnitude."""
        with self.lock:
            return self._read(meter)

    def guard(self, meter: str) -> float:
        """The guard reading: "b-plus" by the second multimeter, "line current" by the supply.

        Raises Conflict when there is none to take it.
        """
        with self.lock:
            if meter == "line current" and self.supply is not None:
                return self.supply.line_amperes()
            if meter == "b-plus" and self.guard_meter is not None:
                return self.guard_meter.dc_volts()
        raise Conflict(
            "The guard reading wants an instrument of its own: a second multimeter on B+, or a "
            "line supply that tells its current."
        )

    def _read(self, meter: str) -> float:
        if meter == "line" and self.supply is not None:
            return self.supply.line_volts()
        if self.multimeter is None:
            raise _missing("multimeter")
        if meter in MOVED_LEADS or meter.startswith(("ripple", "heater", "V", "Q")):
            raise Conflict(
                "These readings want the meter's leads moved from place to place: type them."
            )
        if meter == "resistance" or meter.startswith("winding"):
            return self.multimeter.resistance_ohm()
        if meter in ("audio", "line"):
            return self.multimeter.ac_volts()
        value = self.multimeter.dc_volts()
        return abs(value) if meter == "avc" else value

    def wait(self, seconds: float) -> None:
        """A person waits; nothing is held up for it."""

    def turn(self, adjuster: str, turns: float) -> None:
        """Raises Conflict: no instrument turns an adjuster."""
        raise Conflict(
            "Adjusters are turned by hand: watch the live value, then type the reading before, the "
            "one at the peak, and the turn."
        )


def _missing(kind: str) -> Conflict:
    return Conflict(
        f"No {kind} is registered for this bench: register it under Instruments, or type the "
        "reading."
    )
