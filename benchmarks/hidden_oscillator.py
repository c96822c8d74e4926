"""A receiver's oscillator that no advice has seen inside: its own gang law, drive, hands and parts.

Shares no formula with the core: frequencies come from impedances, the scale from the maker's own
set, and what is wrong with this one from its seed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import brentq


@dataclass(frozen=True)
class Parts:
    """A tank: coil in H, what lies across the gang, across the coil, and in series, in F. With
    ``slugs`` the gang is a coil in H, and the fixed parts are a coil in series and a capacitor."""

    coil: float
    across_gang: float
    across_coil: float
    series: float
    slugs: bool = False

    def frequency(self, gang: float) -> float:
        """Where coil and capacitors cancel, in Hz."""
        if self.slugs:
            return 1.0 / (2.0 * math.pi * math.sqrt((gang + self.across_gang) * self.coil))
        variable = gang + self.across_gang
        behind = variable if math.isinf(self.series) else 1.0 / (1.0 / variable + 1.0 / self.series)
        return 1.0 / (2.0 * math.pi * math.sqrt(self.coil * (behind + self.across_coil)))


@dataclass
class Screw:
    """An adjuster: the part that it changes, by which share for a turn, and where it stands."""

    part: str
    share_per_turn: float
    turns: float
    dead: bool = False


@dataclass
class HiddenBand:
    """One band as it stands: what the maker built, what became of it, and the hand that works it.

    ``marks_gang`` gives the gang at a mark by the maker's own set.
    """

    rng: np.random.Generator
    built: Parts
    intermediate_hz: float
    above: bool
    low_hz: float
    high_hz: float
    tolerance: float
    bandwidth_hz: float
    screws: dict[str, Screw] = field(default_factory=dict)
    pointer: float = 0.0
    wobble: tuple[float, float, float] = (0.0, 0.0, 0.0)
    shares: dict[str, float] = field(default_factory=dict)
    minutes: float = 0.0
    drift: float = 0.0
    careless: float = 1.0 / 12.0
    from_wrong_side: bool = False

    def _place(self, hz: float) -> float:
        """Along the scale, between even plates and even frequency."""
        even = (hz - self.low_hz) / (self.high_hz - self.low_hz)
        plates = (self.low_hz**-2 - hz**-2) / (self.low_hz**-2 - self.high_hz**-2)
        return 0.5 * even + 0.5 * plates

    def _hz_at(self, place: float) -> float:
        low, high = 0.9 * self.low_hz, 1.1 * self.high_hz
        return float(brentq(lambda hz: self._place(hz) - place, low, high))

    def _side(self) -> float:
        return self.intermediate_hz if self.above else -self.intermediate_hz

    def _gang(self, place: float) -> float:
        wanted = self._hz_at(place) + self._side()
        nominal = float(
            brentq(lambda g: self.built.frequency(g) - wanted, 1e-15, 1.0, xtol=1e-20, rtol=1e-12)
        )
        a, b, c = self.wobble
        return nominal * (1.0 + a * place + b * math.sin(5.0 * place + c))

    def _now(self) -> Parts:
        values = {
            "coil": self.built.coil,
            "across_gang": self.built.across_gang,
            "across_coil": self.built.across_coil,
            "series": self.built.series,
        }
        for name, share in self.shares.items():
            values[name] *= 1.0 + share
        for screw in self.screws.values():
            # nearly even steps of the part itself, as a thread makes them
            values[screw.part] *= max(1.0 + screw.share_per_turn * screw.turns, 0.05)
        return Parts(**values, slugs=self.built.slugs)

    def stands(self, mark_hz: float, off: float = 0.0) -> float:
        """What comes in with the pointer exactly on a mark."""
        lo = self._now().frequency(self._gang(self._place(mark_hz) + self.pointer + off))
        warm = 1.0 - self.drift * math.exp(-self.minutes / 8.0)
        return lo * warm - self._side()

    def error(self, mark_hz: float) -> float:
        """How far it is off, in tolerances."""
        return (self.stands(mark_hz) - mark_hz) / (self.tolerance * mark_hz)

    def read(self, mark_hz: float) -> float:
        """A person sets the pointer and finds the generator's place."""
        self.minutes += 1.5
        # from the same side as told, but for now and then; and a pointer has its width
        self.from_wrong_side = bool(self.rng.random() < self.careless)
        lash = 0.003 if self.from_wrong_side else 0.0
        off = lash + 0.0004 * self.rng.standard_normal()
        hz = self.stands(mark_hz, off) + 0.06 * self.bandwidth_hz * self.rng.standard_normal()
        unit = 1e3 if mark_hz >= 3e6 else 1e2
        return round(hz / unit) * unit

    def turn(self, key: str, turns: float) -> None:
        """A hand turns, nearly as far as it notes."""
        screw = self.screws[key]
        self.minutes += 0.5
        if not screw.dead:
            slip = 0.05 * turns * self.rng.standard_normal() + 0.01 * self.rng.standard_normal()
            screw.turns += turns + slip
