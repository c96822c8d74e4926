"""The simulated bench: a simulated receiver behind the port."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from glowdial.bench.port import GENERATOR_HZ, point_by_point
from glowdial.core.bench.recipe import POINTER
from glowdial.core.bench.settings import SettingsChange, setting
from glowdial.core.model.measurands import AVC, DISCRIMINATOR, FM_LEVEL, Kind, Measurand
from glowdial.core.tracing.trials import Finding
from glowdial.core.tuner.drive import Drive, Look
from glowdial.sim.probes import node
from glowdial.sim.receiver import COUPLING, METER_OHM, SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.sim.stereo_tuner import StereoTuner
from glowdial.sim.tuner_of import tuner_of

GENERATOR_LIMITS_V = (0.5e-6, 0.3)
DETECTOR = "detector"


class SimulatedBench:
    """Keeps the bench state; ``state`` is stored between requests.

    Its hands wait until everything is at rest before they read; ``wait`` lets time pass as well.
    """

    generator_limits_v = GENERATOR_LIMITS_V

    def __init__(self, receiver: SimulatedReceiver, state: BenchState) -> None:
        self._main = receiver
        self._tuner: StereoTuner | None = None
        self._heard_with: dict[str, float] = {}
        self.state = state

    @property
    def _receiver(self) -> SimulatedReceiver:
        """The set with the IF that is switched in."""
        return self._main.on_chain(self.state.chain)

    def apply(self, change: SettingsChange) -> None:
        """Set what the change names; what was lifted for one reading is put back by the next."""
        wanted = dict(setting(lifted=()).but(**dict(change.values)).values)
        band = wanted.pop("band", self.state.band)
        dial_hz = wanted.pop("dial_hz", self.state.dial_hz)
        self.state = self._receiver.tune(replace(self.state, **wanted), band, dial_hz)

    def hear(self, drive: Drive, look: Look) -> float:
        """One reading of the set as an FM receiver; raises Conflict for one that is none."""
        if self._tuner is None or self._heard_with != self.state.turns:
            self._tuner = tuner_of(self._receiver, self.state)
            self._heard_with = dict(self.state.turns)
        return self._tuner.read(drive, look)

    def wired(self, places: frozenset[str]) -> None:
        """Hands lay the leads wherever they are wanted."""

    def wait(self, seconds: float) -> None:
        """Let simulated time pass: filters re-form, heaters warm; then all is at rest."""
        self.state = replace(self._receiver.advance(self.state, seconds), moving=None)

    def read(self, what: Measurand) -> float:
        """One settled reading; an electrode is a probe on that node."""
        known = {p.key for p in self._receiver.facts.circuit.points}
        if what.kind is Kind.DC_VOLTS and what.place in known:
            if what.place in (DETECTOR, FM_LEVEL.place):
                # as a magnitude, like the AVC line
                return abs(self._probed(what.place))
            if " " in what.place or what == DISCRIMINATOR:
                return self._probed(what.place)
        return self._receiver.read(self.state, what)

    def row(self, what: Measurand, name: str, values: Sequence[float]) -> list[float]:
        """A row of readings; of the AVC line over the generator's frequency in one go."""
        if what != AVC or name != GENERATOR_HZ or not values:
            return point_by_point(self, what, name, values)
        self.apply(setting(generator_hz=values[0]))
        found = self._receiver.read_avc_over(self.state, values)
        self.apply(setting(generator_hz=values[-1]))
        return found

    def _probed(self, place: str) -> float:
        lifted = COUPLING in self.state.lifted
        receiver = self._receiver.with_coupling_lifted() if lifted else self._receiver
        exact = node(receiver, self.state, place).seen_by(METER_OHM).dc_v
        return self._receiver.unsteady(exact, self.state, place)

    def tried(self, trial: str) -> Finding:
        """What a test of fault tracing gives."""
        return self._receiver.tried(trial)

    def guard(self, what: Measurand) -> float:
        """The guard reading."""
        return self._receiver.read(self.state, what)

    def turn(self, adjuster: str, turns: float) -> None:
        """Turn an adjuster, or slide the pointer: as far along the scale on every band."""
        if adjuster == POINTER:
            band = self._receiver.facts.band(self.state.band)
            turns /= math.log(band.high_hz / band.low_hz)
        self.state = self._receiver.turn(self.state, adjuster, turns)
