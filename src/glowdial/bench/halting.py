"""A bench that lets go at its next move once it was told to halt."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from glowdial.bench.port import Bench, point_by_point
from glowdial.core.bench.settings import SettingsChange
from glowdial.core.language.errors import Conflict
from glowdial.core.model.measurands import Measurand
from glowdial.core.tracing.trials import Finding
from glowdial.core.tuner.drive import Drive, Look


@dataclass(slots=True)
class HaltingBench:
    """Every use asks first whether it was halted; raises Conflict once it was."""

    bench: Bench
    halted: Callable[[], bool]

    @property
    def generator_limits_v(self) -> tuple[float, float]:
        """Least and greatest level of the generator, V EMF."""
        return self.bench.generator_limits_v

    def _go(self) -> Bench:
        if self.halted():
            raise Conflict("Stopped: an alarm was raised while the bench was driven.")
        return self.bench

    def apply(self, change: SettingsChange) -> None:
        """Set what the change names."""
        self._go().apply(change)

    def read(self, what: Measurand) -> float:
        """One settled reading."""
        return self._go().read(what)

    def row(self, what: Measurand, name: str, values: Sequence[float]) -> list[float]:
        """A row of readings, any of which may be the last."""
        return point_by_point(self, what, name, values)

    def wired(self, places: frozenset[str]) -> None:
        """The leads lie at these places."""
        self._go().wired(places)

    def turn(self, adjuster: str, turns: float) -> None:
        """Turn an adjuster."""
        self._go().turn(adjuster, turns)

    def wait(self, seconds: float) -> None:
        """Let time pass."""
        self._go().wait(seconds)

    def tried(self, trial: str) -> Finding:
        """What a test of fault tracing gives."""
        return self._go().tried(trial)

    def hear(self, drive: Drive, look: Look) -> float:
        """One reading of an FM receiver's output."""
        return self._go().hear(drive, look)
