"""The stereo tuner that a simulated set is: its IF where its cores stand, the rest hidden in it."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from glowdial.core.language.errors import Conflict
from glowdial.sim.signal_path import SignalPath
from glowdial.sim.state import BenchState
from glowdial.sim.stereo_tuner import StereoTuner, TunerCondition

REACH_HZ, STEP_HZ = 400e3, 2e3
HALF_POWER = math.sqrt(0.5)
# a stream of chance of its own, so that nothing else of the set changes
STREAM = 4711


def tuner_of(receiver: SignalPath, state: BenchState) -> StereoTuner:
    """The set as a tuner; raises Conflict for one that is no FM receiver."""
    facts = receiver.facts
    if facts.circuit.fm is None:
        raise Conflict("This simulated set is no FM receiver: it has nothing to be heard so.")
    width_hz, offset_hz = passband_of(receiver, state.turns)
    rng = np.random.default_rng((receiver.condition.seed, STREAM))

    def within(span: float) -> float:
        return float(rng.uniform(-span, span))

    return StereoTuner(
        TunerCondition(
            seed=receiver.condition.seed,
            if_width_hz=width_hz,
            if_offset_hz=offset_hz,
            pair_spread_hz=float(rng.uniform(0.0, 6e3)),
            coupling=1.0 + within(0.05),
            deemphasis_s=facts.circuit.fm.deemphasis_s * (1.0 + within(0.05)),
            decoder_gain=10.0 ** (within(0.3) / 20.0),
            decoder_phase_rad=math.radians(within(4.0)),
            am_suppression_db=50.0 + within(3.0),
            detector_bend=within(0.006),
        )
    )


def passband_of(receiver: SignalPath, turns: Mapping[str, float]) -> tuple[float, float]:
    """Width of its IF at -3 dB with the cores where they stand, and how far its middle is off."""
    centre = receiver.facts.intermediate_frequency_hz
    row = np.arange(-REACH_HZ, REACH_HZ + STEP_HZ, STEP_HZ)
    gain = np.abs(receiver.if_gain(BenchState(turns=dict(turns)), centre + row))
    inside = row[gain >= HALF_POWER * float(gain.max())]
    low, high = float(inside.min()), float(inside.max())
    return high - low + STEP_HZ, 0.5 * (low + high)
