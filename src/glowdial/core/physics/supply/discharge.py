"""How long filter capacitors stay dangerous after switching off.

Several capacitors share one bleeder, so the slowest mode of the whole network counts, not one RC:
v = -R C dv/dt, solved by the eigenvalues of C^1/2 R C^1/2 (R: what a current drawn at one node
does to another). Starts at the unloaded voltage at high line, with cold tubes that draw nothing;
parts are rated for the same volts.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.supply.circuit import Supply, Topology, Waveform

Floats = NDArray[np.float64]

SAFE_V = 30.0
# a line 10 % high, and a transformer that nothing loads another 10 %
HIGH_LINE, UNLOADED_RISE = 1.10, 1.10


def unloaded_v(supply: Supply, *, transformer: bool = True) -> float:
    """The most that the first capacitor can stand at: nothing drawn yet, high line, and with a
    ``transformer`` its rise without load. A high-tension battery gives no more than it is."""
    if supply.waveform is Waveform.BATTERY:
        return supply.unloaded_peak_v
    rise = UNLOADED_RISE if transformer and not supply.topology.doubles else 1.0
    return supply.unloaded_peak_v * HIGH_LINE * rise


@dataclass(frozen=True, slots=True)
class _Modes:
    """The filter capacitors running out: rates in 1/s, and how each node shares in them."""

    rates: Floats
    modes: Floats
    root: Floats

    def node_v(self, start_v: float, seconds: float) -> Floats:
        """Every node's volts, all having stood at ``start_v``."""
        weights = self.modes.T @ (self.root * start_v)
        return np.asarray(self.modes @ (weights * np.exp(-self.rates * seconds)) / self.root)


def _modes(supply: Supply) -> _Modes:
    first_f = supply.reservoir_f
    if supply.topology is Topology.DOUBLER:
        first_f = first_f * supply.other_f / (first_f + supply.other_f)
    elif supply.topology is Topology.CASCADE:
        # the lead's capacitor runs out through the rectifier, beside the output's
        first_f += supply.other_f
    capacity = np.array([first_f, *(s.capacitance_f for s in supply.sections)])
    # what a current drawn at one node does to another: the bleeder, and the way that both share
    series = [section.resistance_ohm for section in supply.sections]
    to_bleeder = supply.load.bleeder_ohm + np.cumsum([0.0, *reversed(series)])[::-1]
    shared_ohm = np.minimum.outer(to_bleeder, to_bleeder)
    root = np.sqrt(capacity)
    # time constants and not rates: the slowest stays exact beside a section of next to no ohms
    times_s, modes = np.linalg.eigh(shared_ohm * np.outer(root, root))
    quickest_s = float(times_s[-1]) * np.finfo(float).eps
    return _Modes(1.0 / np.maximum(times_s[::-1], quickest_s), modes[:, ::-1], root)


def discharged_v(
    supply: Supply, seconds: float, *, transformer: bool = True, start_v: float | None = None
) -> tuple[float, ...]:
    """Volts of every filter capacitor ``seconds`` (0 or more) after switching off, from the most
    that they can stand at, or from ``start_v``. Without a bleeder they stay."""
    start_v = start_v or unloaded_v(supply, transformer=transformer)
    if math.isinf(supply.load.bleeder_ohm):
        return (start_v,) * (1 + len(supply.sections))
    return tuple(float(v) for v in _modes(supply).node_v(start_v, max(seconds, 0.0)))


def discharge_time_s(
    supply: Supply,
    *,
    safe_v: float = SAFE_V,
    transformer: bool = True,
    start_v: float | None = None,
) -> float | None:
    """Seconds until every filter capacitor is below ``safe_v``; None when nothing discharges them.

    They start at ``unloaded_v``, or at ``start_v`` where one is given. The only path counted is the
    bleeder at the last node: tubes may be cold or missing.
    """
    if math.isinf(supply.load.bleeder_ohm):
        return None
    found = _modes(supply)
    start_v = start_v or unloaded_v(supply, transformer=transformer)
    if start_v <= safe_v:
        return 0.0
    low, high = 0.0, math.log(start_v / safe_v) / float(found.rates[0]) * 2.0
    for _ in range(60):
        middle = 0.5 * (low + high)
        if float(np.max(found.node_v(start_v, middle))) > safe_v:
            low = middle
        else:
            high = middle
    return high


def discharge_words(
    supply: Supply | None, *, transformer: bool = True, start_v: float | None = None
) -> str:
    """A sentence for the caution."""
    if supply is None:
        return "Their time is not known: measure every one, and discharge it by hand."
    start = start_v or unloaded_v(supply, transformer=transformer)
    seconds = discharge_time_s(supply, start_v=start)
    if start <= SAFE_V:
        return f"They never stand above {start:.0f} V; a shorted one still makes sparks and heat."
    if seconds is None:
        return "There is no bleeder: they hold for hours. Measure and discharge each by hand."
    spoken = f"{max(seconds, 1.0):.0f} s" if seconds < 120 else f"{seconds / 60:.0f} min"
    return (
        f"By the sheet's bleeder they fall from {start:.0f} V to below 30 V in {spoken}; an open "
        "bleeder means never, so measure."
    )
