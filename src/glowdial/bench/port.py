"""The port that a bench fills: set it, read it, turn an adjuster. Nothing else is known of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from glowdial.core.language.errors import Conflict


@dataclass(frozen=True, slots=True)
class Settings:
    """What to set before a reading; None leaves it as it is. SI units, EMF in V."""

    injection: str | None = None
    line_v: float | None = None
    band: str | None = None
    dial_hz: float | None = None
    generator_hz: float | None = None
    generator_emf_v: float | None = None
    tone_on: bool | None = None
    oscillator_stopped: bool | None = None
    in_cabinet: bool | None = None
    lamp_w: float | None = None
    load_lifted: bool | None = None
    series_ohm: float | None = None
    series_behind: bool | None = None


class Bench(Protocol):
    """A bench that answers through meter values only."""

    @property
    def generator_limits_v(self) -> tuple[float, float]:
        """Least and greatest level of the generator, V EMF."""
        ...

    def apply(self, settings: Settings) -> None:
        """Set what is not None."""
        ...

    def read(self, meter: str) -> float:
        """One reading of a named meter, settled."""
        ...

    def turn(self, adjuster: str, turns: float) -> None:
        """Turn an adjuster, clockwise positive."""
        ...

    def wait(self, seconds: float) -> None:
        """Let time pass at what is set, where the bench's time can be let pass."""
        ...


class NoBench:
    """The double for work by hand: every use fails with a sentence."""

    generator_limits_v = (1e-6, 1.0)

    def apply(self, settings: Settings) -> None:
        """Raises Conflict."""
        self._refuse()

    def read(self, meter: str) -> float:
        """Raises Conflict."""
        self._refuse()
        return 0.0

    def turn(self, adjuster: str, turns: float) -> None:
        """Raises Conflict."""
        self._refuse()

    def wait(self, seconds: float) -> None:
        """Raises Conflict."""
        self._refuse()

    @staticmethod
    def _refuse() -> None:
        raise Conflict("This job is worked by hand: no bench is connected; type the reading.")
