"""The lag calculator against the simulated bench, which integrates in time by its own method."""

from __future__ import annotations

import numpy as np
import pytest

from builders import tidewater_facts
from glowdial.core.physics.resonance import passband, vertex
from glowdial.core.physics.sweep_lag import Loop, lagged
from glowdial.sim.condition import Condition
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.room import SimulatedRoom, Sweep
from glowdial.sim.signal_path import DETECTOR_EFFICIENCY
from glowdial.sim.state import BenchState
from glowdial.sim.trace import POINTS, trace

FACTS = tidewater_facts()
LOW_HZ, HIGH_HZ = 450e3, 480e3
CLAMP_V = 3.0


def room(pass_s: float, clamp_v: float | None, level_v: float, *, downward: bool) -> SimulatedRoom:
    ends = (HIGH_HZ, LOW_HZ) if downward else (LOW_HZ, HIGH_HZ)
    receiver = SimulatedReceiver(FACTS, Condition(seed=3))
    state = BenchState(
        line_v=230.0,
        injection="mixer grid",
        oscillator_stopped=True,
        generator_emf_v=level_v,
        avc_clamp_v=clamp_v,
    )
    sweep = Sweep(*ends, pass_s, on=True)
    return SimulatedRoom(receiver, state, sweep=sweep, probe="avc")


def open_loop(at: SimulatedRoom) -> tuple[np.ndarray, np.ndarray]:
    """The detector's volts over frequency with the gain held at full."""
    row = np.linspace(LOW_HZ, HIGH_HZ, POINTS)
    carrier, noise, _ = at.receiver.detected_over(at.state, row)
    return row, DETECTOR_EFFICIENCY * np.hypot(carrier, 1.25 * noise)


def figures(row: np.ndarray, volts: np.ndarray) -> tuple[float, float, float]:
    return vertex(row, volts), passband(row, volts).centre_hz, float(np.max(volts))


@pytest.mark.parametrize("pass_s", [1.0, 3.0, 10.0])
@pytest.mark.parametrize("downward", [False, True])
@pytest.mark.parametrize("clamp_v", [None, CLAMP_V])
def test_shift_and_loss_are_those_of_the_bench(
    pass_s: float, downward: bool, clamp_v: float | None
) -> None:
    # 60 dB more for the clamped set, whose gain is held down
    level_v = 60e-6 if clamp_v is None else 200e-6
    at = room(pass_s, clamp_v, level_v, downward=downward)
    shown = -trace(at, pass_s)
    row, open_v = open_loop(at)
    law = FACTS.circuit.avc
    loop = Loop(law.control_v_per_neper, law.delay_v) if clamp_v is None else None
    if clamp_v is not None:
        open_v = open_v * np.exp(-clamp_v / law.control_v_per_neper)
    said = lagged(row, open_v, pass_s, law.time_constant_s, loop=loop, downward=downward)
    shown = shown[::-1] if downward else shown
    slow = lagged(row, open_v, 3000.0, law.time_constant_s, loop=loop)
    peak_hz, _, most_v = figures(row, shown)
    still_hz, _, still_v = figures(row, slow.traced_v)
    shift_hz, loss_db = peak_hz - still_hz, 20.0 * np.log10(still_v / most_v)
    assert said.peak_shift_hz == pytest.approx(shift_hz, rel=0.1, abs=50.0)
    assert said.loss_db == pytest.approx(loss_db, abs=0.1)
    assert abs(shift_hz) > 20.0 or pass_s > 5.0
