"""What an oscilloscope shows of a simulated set: a swept response with its lag, audio, ripple."""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.avc import avc_after_v
from glowdial.sim.audio import waveform
from glowdial.sim.probes import node, point
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.signal_path import DETECTOR_EFFICIENCY

Floats = NDArray[np.float64]
POINTS = 501


def trace(room: SimulatedRoom, seconds: float) -> Floats:
    """DC-coupled samples in V over one sweep of the screen, shape (501,), from the sync on."""
    with room.lock:
        room.now()
        if not room.probe or room.probe == "resistance":
            return np.zeros(POINTS)
        name = point(room.receiver, room.probe).node
        if room.sweep.on and name in ("avc", "detector"):
            return _swept(room, name, seconds)
        if name == "audio":
            rate = max((POINTS - 1) / seconds, 8e3)
            samples = waveform(room.receiver, room.state, POINTS / rate, rate)
            return np.asarray(samples[:POINTS])
        return _rippled(room, seconds)


def _swept(room: SimulatedRoom, name: str, seconds: float) -> Floats:
    """The AVC line lags behind the sweep; the detector, with the AVC clamped, does not."""
    sweep, receiver, state = room.sweep, room.receiver, room.state
    times = np.linspace(0.0, seconds, POINTS)
    share = np.minimum(times / sweep.time_s, 1.0)
    row_hz = sweep.start_hz + share * (sweep.stop_hz - sweep.start_hz)
    carrier, noise, _ = receiver.detected_over(state, row_hz)
    open_v = DETECTOR_EFFICIENCY * np.hypot(carrier, 1.25 * noise)
    law = receiver.facts.circuit.avc
    if name == "detector" and state.avc_clamp_v is not None:
        return np.asarray(-open_v * math.exp(-state.avc_clamp_v / law.control_v_per_neper))
    if state.avc_clamp_v is not None:
        # the grids are clamped behind the filter, whose own output is looked at
        held_v = open_v * math.exp(-state.avc_clamp_v / law.control_v_per_neper)
        return -_filtered(np.maximum(held_v - law.delay_v, 0.0), seconds, law.time_constant_s)
    # settled at the start frequency, then carried along
    avc_v = float(receiver.sweep_avc_v(state, row_hz[:1])[0])
    line = [avc_v]
    for open_loop_v in open_v[1:]:
        avc_v = avc_after_v(
            avc_v,
            float(open_loop_v),
            seconds / (POINTS - 1),
            time_constant_s=law.time_constant_s,
            control_v_per_neper=law.control_v_per_neper,
            delay_v=law.delay_v,
        )
        line.append(avc_v)
    held = np.array(line)
    if name == "avc":
        return -held
    return np.asarray(-open_v * np.exp(-held / law.control_v_per_neper))


def _filtered(row_v: Floats, seconds: float, time_constant_s: float) -> Floats:
    """A row of volts behind one resistor and capacitor, settled where it begins: the charge that
    flows in each step."""
    step_s = seconds / (row_v.size - 1)
    line = [float(row_v[0])]
    for before, after in itertools.pairwise(row_v):
        parts = max(1, math.ceil(8.0 * step_s / time_constant_s))
        at = line[-1]
        for n in range(parts):
            drive = before + (after - before) * (n + 0.5) / parts
            at += (drive - at) * (1.0 - math.exp(-step_s / parts / time_constant_s))
        line.append(float(at))
    return np.array(line)


def _rippled(room: SimulatedRoom, seconds: float) -> Floats:
    """DC with its ripple, as a sine of the same RMS at the frequency of the charging pulses."""
    supply = room.receiver.facts.supply
    pulses_hz = supply.ripple_hz if supply else 100.0
    at = node(room.receiver, room.state, room.probe).seen_by(10e6)
    times = np.linspace(0.0, seconds, POINTS)
    swing = math.sqrt(2.0) * at.ac_v * np.sin(2.0 * np.pi * pulses_hz * times)
    return np.asarray(at.dc_v + swing)
