"""The simulated bench as a room: one set on the table, and what is clipped and set around it.

With a clock, time passes as it tells: heaters warm, the AVC follows, meters settle. Without one
everything is always at rest. ``needle_s`` is how slowly the meter's needle settles, 0 for figures.
One lock: instruments talk in parallel.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from glowdial.core.model.measurands import Measurand
from glowdial.sim.probes import Node, node
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState

LONGEST_GAP_S = 900.0


@dataclass(frozen=True, slots=True)
class Sweep:
    """A linear sweep of the generator, from and to, in a time."""

    start_hz: float = 450e3
    stop_hz: float = 480e3
    time_s: float = 0.05
    on: bool = False


@dataclass
class SimulatedRoom:
    """The set, how it stands, what is clipped where, and how the instruments are set."""

    receiver: SimulatedReceiver
    state: BenchState = field(default_factory=BenchState)
    clock: Callable[[], float] | None = None
    probe: str = ""
    level_v: float = 1e-3
    output_on: bool = False
    line_on: bool = False
    line_set_v: float = 0.0
    line_limit_a: float = 5.0
    needle_s: float = 0.0
    tripped: bool = False
    sweep: Sweep = Sweep()
    calibrator_hz: float = 0.0
    ohm_range: str = ""
    lock: threading.RLock = field(default_factory=threading.RLock)
    _since: float | None = None
    _shown: tuple[float, Node] | None = None

    def change(self, **changes: object) -> None:
        """Set something of the bench, after time has passed up to now."""
        with self.lock:
            self.now()
            self.state = replace(self.state, **changes)  # type: ignore[arg-type]

    def now(self) -> BenchState:
        """How the set stands at this moment."""
        with self.lock:
            if self.clock is None:
                return self.state
            at = self.clock()
            if self._since is None:
                self.state = self.receiver.cooled(self.state)
            else:
                gap_s = min(max(at - self._since, 0.0), LONGEST_GAP_S)
                self.state = self.receiver.advance(self.state, gap_s)
            self._since = at
            return self.state

    def output(self) -> None:
        """Let the generator's settings take effect."""
        self.change(generator_emf_v=self.level_v if self.output_on else 0.0)

    def line(self) -> None:
        """Let the line supply's settings take effect; too much current opens it."""
        self.change(line_v=self.line_set_v if self.line_on and not self.tripped else 0.0)
        if self.line_a() > self.line_limit_a:
            self.tripped = True
            self.change(line_v=0.0)

    def line_a(self) -> float:
        """What the set takes from the line, RMS."""
        with self.lock:
            return self.receiver.power.at(self.now()).line_a

    def read(self, what: Measurand) -> float:
        """One reading of the set."""
        with self.lock:
            return self.receiver.read(self.now(), what)

    def probed(self, meter_ohm: float) -> Node:
        """What the probe shows to a meter of that resistance."""
        with self.lock:
            if not self.probe or self.probe == "resistance":
                return Node(0.0, 0.0, 0.0)
            seen = node(self.receiver, self.now(), self.probe).seen_by(meter_ohm)
            dc_v = self.receiver.unsteady(seen.dc_v, self.state, f"dc {self.probe}")
            ac_v = self.receiver.unsteady(seen.ac_v, self.state, f"ac {self.probe}")
            return self._settling(Node(dc_v, ac_v, seen.source_ohm))

    def _settling(self, target: Node) -> Node:
        """A needle on its way from where it stood, by its own time constant."""
        if self.clock is None or self.needle_s <= 0.0:
            return target
        at, stood = self._shown or (self.clock(), Node(0.0, 0.0, 0.0))
        left = math.exp(-max(self.clock() - at, 0.0) / self.needle_s)
        shown = Node(
            target.dc_v + (stood.dc_v - target.dc_v) * left,
            target.ac_v + (stood.ac_v - target.ac_v) * left,
            target.source_ohm,
        )
        self._shown = (self.clock(), shown)
        return shown
