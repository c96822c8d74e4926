"""The port that a bench fills: set it, read it, turn an adjuster. Nothing else is known of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from glowdial.core.bench.settings import SettingsChange, setting
from glowdial.core.language.errors import Conflict
from glowdial.core.model.measurands import Measurand
from glowdial.core.tracing.trials import Finding
from glowdial.core.tuner.drive import Drive, Look

# the setting that a row is most often over
GENERATOR_HZ = "generator_hz"


class Bench(Protocol):
    """A bench that answers through meter values only."""

    @property
    def generator_limits_v(self) -> tuple[float, float]:
        """Least and greatest level of the generator, V EMF."""
        ...

    def apply(self, change: SettingsChange) -> None:
        """Set what the change names."""
        ...

    def read(self, what: Measurand) -> float:
        """One settled reading of a quantity at a place."""
        ...

    def row(self, what: Measurand, name: str, values: Sequence[float]) -> list[float]:
        """A settled reading at each of a row of values of one setting, in their order; the bench
        stands at the last of them afterwards."""
        ...

    def wired(self, places: frozenset[str]) -> None:
        """The leads lie at these places; raises Conflict where the bench cannot have them there."""
        ...

    def turn(self, adjuster: str, turns: float) -> None:
        """Turn an adjuster, clockwise positive."""
        ...

    def wait(self, seconds: float) -> None:
        """Let time pass at what is set, where the bench's time can be let pass."""
        ...

    def tried(self, trial: str) -> Finding:
        """What a test of fault tracing gives, by its key; raises Conflict where hands do it."""
        ...

    def hear(self, drive: Drive, look: Look) -> float:
        """One reading of an FM receiver's output, driven as said; raises Conflict where the bench
        has no generator or analyser for it."""
        ...


def point_by_point(
    bench: Bench, what: Measurand, name: str, values: Sequence[float]
) -> list[float]:
    """A row of readings as hands take it: set, read, and on to the next."""
    found = []
    for value in values:
        bench.apply(setting(**{name: value}))
        found.append(bench.read(what))
    return found


class NoBench:
    """The double for work by hand: every use fails with a sentence."""

    generator_limits_v = (1e-6, 1.0)

    def apply(self, change: SettingsChange) -> None:
        """Raises Conflict."""
        self._refuse()

    def read(self, what: Measurand) -> float:
        """Raises Conflict."""
        self._refuse()
        return 0.0

    def row(self, what: Measurand, name: str, values: Sequence[float]) -> list[float]:
        """Raises Conflict."""
        self._refuse()
        return []

    def wired(self, places: frozenset[str]) -> None:
        """Raises Conflict."""
        self._refuse()

    def turn(self, adjuster: str, turns: float) -> None:
        """Raises Conflict."""
        self._refuse()

    def wait(self, seconds: float) -> None:
        """Raises Conflict."""
        self._refuse()

    def tried(self, trial: str) -> Finding:
        """Raises Conflict."""
        raise Conflict("This job is worked by hand: type what the test gave.")

    def hear(self, drive: Drive, look: Look) -> float:
        """Raises Conflict."""
        self._refuse()
        return 0.0

    @staticmethod
    def _refuse() -> None:
        raise Conflict("This job is worked by hand: no bench is connected; type the reading.")
