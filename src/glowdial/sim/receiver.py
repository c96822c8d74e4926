"""The simulated superhet, aerial to audio and AVC, derived from component values.

It is richer than the models that the advice fits: oscillator and aerial sections that do not match,
parts that have drifted, adjusters whose law is not straight, a reflected aerial load, a meter that
loads the AVC line, and a needle that is never quite true.
"""

from __future__ import annotations

import math
import zlib
from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.avc import gain_at_avc, settled_avc_v
from glowdial.core.errors import BadInput
from glowdial.core.receiver import IfTransformer, ReceiverFacts
from glowdial.core.resonance import CoupledPair, TunedCircuit, resonating_inductance_h
from glowdial.core.supply.rampup import warming_state, warmth
from glowdial.sim.condition import Condition
from glowdial.sim.front_end import FrontEnd, front_end, part_factor
from glowdial.sim.state import BenchState

BOLTZMANN = 1.380649e-23
ROOM_K = 293.0
CONVERSION_S = 0.45e-3
MIXER_AS_AMPLIFIER_S = 0.9e-3
IF_TUBE_S = 1.6e-3
MIXER_NOISE_OHM = 60e3
IF_CAPACITY_F = 115e-12
IF_Q = {"primary": 88.0, "secondary": 96.0}
COUPLING_OF_CRITICAL = 0.88
DETECTOR_EFFICIENCY = 0.9
AVC_SOURCE_OHM = 1.2e6
METER_OHM = 11e6
CONTROL_V_PER_NEPER = 3.1
AUDIO_BAND_HZ = 5000.0
AUDIO_GAIN = 4.5
AUDIO_HUM_V = 1.5e-3
MODULATION = 0.30
BREAKTHROUGH = 1e-4
METERS = ("avc", "audio", "b-plus", "line", "resistance")


@dataclass(frozen=True, slots=True)
class SimulatedReceiver:
    """A model's facts and one set's hidden condition. Answers are functions of the bench state."""

    facts: ReceiverFacts
    condition: Condition

    def read(self, state: BenchState, meter: str) -> float:
        """One reading in V (or ohm); the same state always reads the same.

        ``meter`` is one of "avc" (magnitude), "audio" (RMS), "b-plus", "line", "resistance".
        Raises BadInput for another.
        """
        exact = self._exact(state, meter)
        stand = zlib.crc32(f"{meter}{sorted(state.turns.items())}{state}".encode())
        rng = np.random.default_rng((self.condition.seed, stand))
        return exact * (1.0 + self.condition.needle * float(rng.standard_normal()))

    def turn(self, state: BenchState, adjuster: str, turns: float) -> BenchState:
        """The state with an adjuster turned, clockwise positive; raises NotFound for no such."""
        self.facts.adjuster(adjuster)
        moved = {**state.turns, adjuster: round(state.turns.get(adjuster, 0.0) + turns, 6)}
        return replace(state, turns=moved)

    def b_plus_v(self, line_v: float) -> float:
        """Settled B+ at a line voltage."""
        return self._supply_nodes(line_v)[-1]

    def _exact(self, state: BenchState, meter: str) -> float:
        if meter == "line":
            return state.line_v
        if meter == "b-plus":
            return self.b_plus_v(state.line_v)
        if meter == "resistance":
            return self._cold_resistance_ohm()
        if meter == "avc":
            return self._avc_v(state) * METER_OHM / (METER_OHM + AVC_SOURCE_OHM)
        if meter == "audio":
            return self._audio_v(state)
        raise BadInput("meter", meter, "is not on this bench", ", ".join(METERS))

    def _supply_nodes(self, line_v: float) -> tuple[float, ...]:
        supply = self.facts.supply
        if supply is None or line_v <= 0.0:
            return (0.0,)
        worn = replace(
            supply,
            reservoir_f=supply.reservoir_f * self.condition.filters,
            load=replace(supply.load, current_a=supply.load.current_a * self.condition.load),
        )
        warm = warmth(line_v / supply.line_v)
        emission = self.condition.emission
        point = warming_state(worn, line_v, rectifier=warm, load=warm, emission=emission)
        return point.node_v

    def _cold_resistance_ohm(self) -> float:
        given = self.facts.b_plus_resistance_ohm or 120e3
        return given * (1.0 + 0.04 * math.sin(self.condition.seed))

    def _stage_gain(self, line_v: float) -> float:
        """What low B+ and cold heaters leave of the stage gain, per tube."""
        supply = self.facts.supply
        if supply is None:
            return 1.0 if line_v > 0.0 else 0.0
        share = self._supply_nodes(line_v)[-1] / supply.load.nominal_v
        return math.pow(max(share, 0.0), 0.8) * warmth(line_v / supply.line_v)

    def _pair(self, can: IfTransformer, state: BenchState) -> CoupledPair:
        intermediate = self.facts.intermediate_frequency_hz
        nominal_l = resonating_inductance_h(frequency_hz=intermediate, capacitance_f=IF_CAPACITY_F)
        windings = {
            name: TunedCircuit(
                nominal_l * part_factor(self.facts, self.condition, key, state.turns.get(key, 0.0)),
                IF_CAPACITY_F,
                IF_Q[name],
            )
            for name, key in (("primary", can.primary), ("secondary", can.secondary))
        }
        coupling = COUPLING_OF_CRITICAL / math.sqrt(IF_Q["primary"] * IF_Q["secondary"])
        return CoupledPair(windings["primary"], windings["secondary"], coupling)

    def if_gain(self, state: BenchState, frequency_hz: np.ndarray) -> np.ndarray:
        """Detector volts per ampere into the first winding, at full gain."""
        gain = np.ones_like(frequency_hz)
        last = len(self.facts.transformers) - 1
        for place, can in enumerate(self.facts.transformers):
            response = np.abs(self._pair(can, state).transimpedance_ohm(frequency_hz))
            gain = gain * response * (IF_TUBE_S if place < last else 1.0)
        return np.asarray(gain)

    def _front_end(self, state: BenchState) -> FrontEnd | None:
        if not state.band or state.dial_hz <= 0.0:
            return None
        return front_end(
            self.facts,
            self.condition,
            self.facts.band(state.band),
            state.dial_hz,
            state.turns,
            in_cabinet=state.in_cabinet,
        )

    def _detector(self, state: BenchState) -> tuple[float, float]:
        """Carrier (peak) and noise (RMS) at the detector with the gain held at full, in V."""
        stage = self._stage_gain(state.line_v)
        if stage <= 0.0:
            return 0.0, 0.0
        tubes = stage ** len(self.facts.transformers)
        front = self._front_end(state)
        direct = state.injection == "mixer grid"
        converting = front is not None and not state.oscillator_stopped
        if direct and not converting:
            carrier_hz, at_grid = state.generator_hz, state.generator_emf_v
            transconductance, source_ohm = MIXER_AS_AMPLIFIER_S, 0.0
        elif front is None or state.oscillator_stopped:
            return 0.0, 0.0
        else:
            carrier_hz = abs(front.local_oscillator_hz - state.generator_hz)
            step_up = 1.0 if direct else front.aerial_gain(state.generator_hz)
            at_grid = state.generator_emf_v * step_up if state.injection else 0.0
            transconductance = CONVERSION_S
            source_ohm = 0.0 if direct else front.dynamic_resistance_ohm()
        offsets = np.arange(-9000.0, 9001.0, 500.0)
        centre = self.facts.intermediate_frequency_hz
        grid = np.concatenate([[max(carrier_hz, 1e3)], centre + offsets])
        gains = self.if_gain(state, grid) * transconductance * tubes
        passed = gains[0]
        noise_density = 4.0 * BOLTZMANN * ROOM_K * (MIXER_NOISE_OHM + source_ohm)
        in_audio = np.abs(offsets) <= AUDIO_BAND_HZ
        noise = math.sqrt(noise_density * float(np.sum(gains[1:][in_audio] ** 2)) * 500.0)
        carrier = math.sqrt(2.0) * at_grid * passed
        # what leaks past the mixer at the IF itself
        carrier += BREAKTHROUGH * math.sqrt(2.0) * at_grid * self._leak(state, direct, converting)
        return carrier, noise

    def _leak(self, state: BenchState, direct: bool, converting: bool) -> float:
        if not (direct and converting):
            return 0.0
        at_if = np.array([state.generator_hz])
        return float(self.if_gain(state, at_if)[0]) * MIXER_AS_AMPLIFIER_S

    def _avc_v(self, state: BenchState) -> float:
        carrier, noise = self._detector(state)
        open_loop = DETECTOR_EFFICIENCY * math.hypot(carrier, 1.25 * noise)
        return float(settled_avc_v(open_loop, control_v_per_neper=CONTROL_V_PER_NEPER))

    def _audio_v(self, state: BenchState) -> float:
        carrier, noise = self._detector(state)
        held = float(gain_at_avc(self._avc_v(state), control_v_per_neper=CONTROL_V_PER_NEPER))
        tone = MODULATION * carrier / math.sqrt(2.0) if state.tone_on else 0.0
        # S/N of the envelope is m^2 C/N with the noise in the band of both sidebands
        audio = AUDIO_GAIN * DETECTOR_EFFICIENCY * held * math.hypot(tone, noise)
        hum = AUDIO_HUM_V if state.line_v > 0.0 else 0.0
        return math.hypot(audio, hum)
