"""The simulated bench: a simulated receiver behind the port."""

from __future__ import annotations

from dataclasses import asdict, replace

from glowdial.bench.port import Settings
from glowdial.sim.probes import node
from glowdial.sim.receiver import METER_OHM, SimulatedReceiver
from glowdial.sim.state import BenchState

GENERATOR_LIMITS_V = (0.5e-6, 0.3)
LIFTED = ", coupling lifted"


class SimulatedBench:
    """Keeps the bench state; ``state`` is stored between requests.

    Its hands wait until everything is at rest before they read; ``wait`` lets time pass as well.
    """

    generator_limits_v = GENERATOR_LIMITS_V

    def __init__(self, receiver: SimulatedReceiver, state: BenchState) -> None:
        self._receiver = receiver
        self.state = state

    def apply(self, settings: Settings) -> None:
        """Set what is not None."""
        wanted = {k: v for k, v in asdict(settings).items() if v is not None}
        band = wanted.pop("band", self.state.band)
        dial_hz = wanted.pop("dial_hz", self.state.dial_hz)
        self.state = self._receiver.tune(replace(self.state, **wanted), band, dial_hz)

    def wait(self, seconds: float) -> None:
        """Let simulated time pass: filters re-form, heaters warm; then all is at rest."""
        self.state = replace(self._receiver.advance(self.state, seconds), moving=None)

    def read(self, meter: str) -> float:
        """One settled reading; "V4 grid" and the like are a probe on that node."""
        lifted = meter.endswith(LIFTED)
        place = meter.removesuffix(LIFTED)
        known = {p.key for p in self._receiver.facts.circuit.points}
        if place in known and " " in place:
            return self._probed(place, coupling_lifted=lifted)
        return self._receiver.read(self.state, meter)

    def _probed(self, place: str, *, coupling_lifted: bool) -> float:
        receiver = self._receiver.with_coupling_lifted() if coupling_lifted else self._receiver
        exact = node(receiver, self.state, place).seen_by(METER_OHM).dc_v
        return self._receiver.unsteady(exact, self.state, place)

    def guard(self, meter: str) -> float:
        """The guard reading: "b-plus" or "line current"."""
        if meter == "line current":
            return self._receiver.power.at(self.state).line_a
        return self._receiver.read(self.state, meter)

    def turn(self, adjuster: str, turns: float) -> None:
        """Turn an adjuster."""
        self.state = self._receiver.turn(self.state, adjuster, turns)
