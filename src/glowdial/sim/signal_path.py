"""The signal's way through a simulated set, aerial to AVC, and how it moves in time."""

from __future__ import annotations

import math
from collections.abc import Hashable
from dataclasses import dataclass, fields, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from glowdial.core.model.circuit import AerialKind
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.aerials import loop_field_v_per_m
from glowdial.core.physics.avc import avc_after_v, gain_at_avc, settled_avc_v
from glowdial.core.physics.noise import BOLTZMANN, ROOM_K, Site, external_field_v_per_m
from glowdial.core.physics.operating_point import Role
from glowdial.sim.condition import Condition, SwitchFault
from glowdial.sim.front_end import FrontEnd, front_end
from glowdial.sim.if_chain import IF_TUBE_S, IfChain
from glowdial.sim.power import Power, PowerPoint
from glowdial.sim.remembered import Remembered
from glowdial.sim.stage_strains import gain_share
from glowdial.sim.state import BenchState, Moving

Floats = NDArray[np.float64]
CONVERSION_S = 0.45e-3
MIXER_AS_AMPLIFIER_S = 0.9e-3
RF_TUBE_S = 1.6e-3
MIXER_NOISE_OHM, RF_NOISE_OHM = 60e3, 5e3
DETECTOR_EFFICIENCY = 0.9
NOISE_STEP_HZ = 500.0
AUDIO_BAND_HZ = 5000.0
STEP_S, SHORTEST_S, AVC_PARTS = 1.0, 0.02, 8
MOVED_AT_ONCE, LEAST_LEVEL_V, AT_REST_AFTER = 0.15, 0.02, 5.0
FM_WIDTHS = 20.0
# what a state says beside what time has done
SET_BY_HAND = tuple(
    f.name for f in fields(BenchState) if f.name not in ("turns", "time_s", "healed", "moving")
)


@dataclass(frozen=True, slots=True)
class Detected:
    """At the detector with the gain held at full: carrier (V peak), noise (V RMS), and the
    frequency at which the carrier stands in the tuned IF."""

    carrier_v: float
    noise_v: float
    if_hz: float


class SignalPath:
    """A model's facts and one set's hidden condition, from the aerial to the AVC line."""

    def __init__(self, facts: ReceiverFacts, condition: Condition) -> None:
        self.facts, self.condition = facts, condition
        self.power = Power(facts, condition)
        self._chain = IfChain(facts, condition)
        self._detected: Remembered[Detected] = Remembered(4)

    def advance(self, state: BenchState, step_s: float) -> BenchState:
        """The state ``step_s`` later: heaters warm, filters re-form, the AVC follows.

        In even steps of a second or less. A step of five AVC time constants or more is
        quasi-static: the AVC line is taken at rest in it. Within a shorter one the line follows
        its own law, in halves where the signal's level moves too much at once.
        """
        steps = max(1, math.ceil(step_s / STEP_S - 1e-9))
        for _ in range(steps):
            state = self._one_step(state, step_s / steps)
        return state

    def _one_step(self, state: BenchState, step_s: float) -> BenchState:
        power = self.power.at(state)
        theta = self.power.warmed(np.array(power.theta), power.set_v, state, step_s)
        law, avc_v = self.facts.circuit.avc, self.avc_v(state)
        warmed = tuple(float(t) for t in theta)
        after = replace(
            state,
            time_s=state.time_s + step_s,
            healed=self.power.healed(state, step_s),
            moving=Moving(warmed, avc_v),
        )
        after_v = self.open_loop_v(after)
        if step_s >= AT_REST_AFTER * law.time_constant_s:
            rest_v = float(self._settled_avc(np.array([after_v]))[0])
            return replace(after, moving=Moving(warmed, rest_v))
        before_v = self.open_loop_v(state)
        moved = abs(math.log((after_v + LEAST_LEVEL_V) / (before_v + LEAST_LEVEL_V)))
        if moved > MOVED_AT_ONCE and step_s > SHORTEST_S:
            return self._one_step(self._one_step(state, 0.5 * step_s), 0.5 * step_s)
        for n in range(AVC_PARTS):
            # what drives the loop changes evenly over the step
            drive_v = before_v + (after_v - before_v) * (n + 0.5) / AVC_PARTS
            avc_v = avc_after_v(
                avc_v,
                drive_v,
                step_s / AVC_PARTS,
                time_constant_s=law.time_constant_s,
                control_v_per_neper=law.control_v_per_neper,
                delay_v=law.delay_v,
            )
        return replace(after, moving=Moving(warmed, avc_v))

    def cooled(self, state: BenchState) -> BenchState:
        """The state as if it had stood switched off for long: everything cold, nothing at rest."""
        cold = tuple(0.0 for _ in self.power.heaters)
        return replace(state, moving=Moving(cold, 0.0))

    def if_gain(self, state: BenchState, frequency_hz: Floats) -> Floats:
        """Detector volts per ampere into the first winding of the tuned IF, at full gain."""
        return self._chain.pairs_gain(frequency_hz, state.turns, damped=state.damped)

    def front_end(self, state: BenchState, power: PowerPoint) -> FrontEnd | None:
        """The band in use, or None with no band chosen."""
        if not state.band or state.dial_hz <= 0.0:
            return None
        slope = RF_TUBE_S * gain_share(self.facts, self.condition, power.points, Role.RF)
        band = self.facts.band(state.band)
        return front_end(self.facts, self.condition, band, state, rf_slope_s=slope)

    def detected(self, state: BenchState) -> Detected:
        """Carrier and noise at the detector."""
        return self._detected.get(self._heard_of(state), lambda: self._detected_now(state))

    def _heard_of(self, state: BenchState) -> Hashable:
        """All of a state that the detector hears: what time did by the tubes' points alone, but
        for the second itself where a contact comes and goes."""
        fickle = any(isinstance(fault, SwitchFault) for fault in self.condition.faults)
        return (
            tuple(self.power.at(state).points.items()),
            tuple(sorted(state.turns.items())),
            int(state.time_s) if fickle else 0,
            *(getattr(state, name) for name in SET_BY_HAND),
        )

    def _detected_now(self, state: BenchState) -> Detected:
        carriers, noise, if_hz = self.detected_over(state, np.array([state.generator_hz]))
        return Detected(float(carriers[0]), noise, float(if_hz[0]))

    def detected_over(
        self, state: BenchState, generator_hz: Floats
    ) -> tuple[Floats, float, Floats]:
        """Carrier over a row of generator frequencies, noise, and the carrier's place in the IF."""
        power, nothing = self.power.at(state), np.zeros_like(generator_hz)
        at_clip_v = np.full_like(generator_hz, state.generator_emf_v if state.injection else 0.0)
        stage = self.facts.circuit.stage(state.injection.removesuffix(" grid"))
        if stage is not None and stage.role is Role.IF:
            return self._from_if_grid(stage.name, generator_hz, at_clip_v, power, state)
        tubes = gain_share(self.facts, self.condition, power.points, Role.IF, Role.MIXER)
        front = self.front_end(state, power)
        direct = state.injection == "mixer grid"
        converting = front is not None and not state.oscillator_stopped and not front.dead
        if tubes == 0.0 or not (direct or converting):
            return nothing, 0.0, nothing
        plate_a = self._if_plate_a(power)
        if front is None or not converting:
            first_hz, signal_v, slope_s = generator_hz, at_clip_v, MIXER_AS_AMPLIFIER_S
        else:
            # behind a fixed oscillator the difference is what the tunable one converts
            brought_hz = np.abs(generator_hz - front.fixed_first_hz)
            first_hz = np.maximum(np.abs(front.local_oscillator_hz - brought_hz), 1e3)
            signal_v, slope_s = at_clip_v, CONVERSION_S
            if not direct:
                emf = np.array([self._emf_v(front, state, float(f)) for f in generator_hz])
                signal_v = emf * front.aerial_gain(generator_hz)
        around_hz, step_hz = self._noise_row_hz
        # carriers, what passes unconverted, and the noise's row in one go
        row_hz = np.concatenate([first_hz, generator_hz, around_hz])
        # the generator on the mixer that makes the tuned IF, its oscillator stopped
        at_second = direct and not converting
        if_hz, gain = self._chain.after_mixer(
            row_hz, state.turns, plate_a, state.damped, at_second=at_second
        )
        count = first_hz.size
        carrier = math.sqrt(2.0) * signal_v * gain[:count] * slope_s * tubes
        if converting:
            # a signal at the IF itself goes straight through a mixer that is not balanced
            through = gain[count : 2 * count] * MIXER_AS_AMPLIFIER_S
            carrier = np.hypot(carrier, math.sqrt(2.0) * signal_v * through * tubes)
        density = self._density_v2_per_hz(state, front)
        around = float(np.sum(gain[2 * count :] ** 2)) * step_hz
        noise = math.sqrt(density * around) * slope_s * tubes
        return carrier, noise, if_hz[:count]

    def _from_if_grid(
        self,
        name: str,
        generator_hz: Floats,
        at_clip_v: Floats,
        power: PowerPoint,
        state: BenchState,
    ) -> tuple[Floats, float, Floats]:
        """Clipped to an IF stage's grid: only what follows counts, and what precedes is shut."""
        names = [s.name for s in self.facts.circuit.stages if s.role is Role.IF]
        place = names.index(name)
        after = {n: p for n, p in power.points.items() if n not in names[:place]}
        tubes = gain_share(self.facts, self.condition, after, Role.IF)
        first = min(place + 1, len(self.facts.transformers) - 1)
        gain = self._chain.pairs_gain(generator_hz, state.turns, first=first, damped=state.damped)
        return math.sqrt(2.0) * at_clip_v * gain * IF_TUBE_S * tubes, 0.0, generator_hz

    def _if_plate_a(self, power: PowerPoint) -> float | None:
        for stage in self.facts.circuit.stages:
            if stage.role is Role.IF:
                # relative to its design, on the norm of 7 mA that the chain counts from
                return 0.007 * power.points[stage.name].plate_a / stage.typical.plate_a
        return None

    def _emf_v(self, front: FrontEnd, state: BenchState, frequency_hz: float) -> float:
        """What the generator makes in the aerial: through the dummy, or a standard loop's field."""
        if front.source.kind is AerialKind.WIRE:
            return state.generator_emf_v
        return front.induced_v(loop_field_v_per_m(state.generator_emf_v), frequency_hz)

    @cached_property
    def _noise_row_hz(self) -> tuple[Floats, float]:
        """Where noise is summed: the audio band either side of the first IF, and the step."""
        circuit = self.facts.circuit
        wide = 1.0 if circuit.fm is None else FM_WIDTHS
        reach, step = wide * AUDIO_BAND_HZ, wide * NOISE_STEP_HZ
        centre = self.facts.intermediate_frequency_hz
        if circuit.conversion is not None:
            centre = circuit.conversion.first_intermediate_hz
        return centre + np.arange(-reach, reach + 1.0, step), step

    def _density_v2_per_hz(self, state: BenchState, front: FrontEnd | None) -> float:
        """Noise at the mixer's grid: its own, and what comes from ahead of it."""
        own = 4.0 * BOLTZMANN * ROOM_K * MIXER_NOISE_OHM
        if front is None or state.injection == "mixer grid":
            return own
        return own + self._ahead_v2_per_hz(state, front)

    def _ahead_v2_per_hz(self, state: BenchState, front: FrontEnd) -> float:
        """Noise at the mixer's grid from the circuits before it and from outside, in V^2/Hz."""
        at = np.array([state.dial_hz])
        aerial_ohm = front.aerial.dynamic_ohm()
        if front.rf is not None:
            amplified = float(front.rf_gain(at)[0]) ** 2
            aerial_ohm = (aerial_ohm + RF_NOISE_OHM) * amplified + front.rf.dynamic_ohm()
        density = 4.0 * BOLTZMANN * ROOM_K * aerial_ohm
        listening = front.source.kind is not AerialKind.WIRE or not state.injection
        if listening and state.place != Site.SCREENED:
            field = external_field_v_per_m(Site(state.place), state.dial_hz, 1.0)
            outside = front.induced_v(field, state.dial_hz) * float(front.aerial_gain(at)[0])
            density += outside**2
        return density

    def avc_v(self, state: BenchState) -> float:
        """AVC volts (magnitude): clamped, on the way, or at rest."""
        if state.avc_clamp_v is not None:
            return state.avc_clamp_v
        if state.moving is not None:
            return state.moving.avc_v
        return float(self._settled_avc(np.array([self.open_loop_v(state)]))[0])

    def _settled_avc(self, open_loop_v: Floats) -> Floats:
        law = self.facts.circuit.avc
        return settled_avc_v(
            open_loop_v, control_v_per_neper=law.control_v_per_neper, delay_v=law.delay_v
        )

    def open_loop_v(self, state: BenchState) -> float:
        """Detector volts that would stand with the gain held at full."""
        found = self.detected(state)
        return DETECTOR_EFFICIENCY * math.hypot(found.carrier_v, 1.25 * found.noise_v)

    def sweep_avc_v(self, state: BenchState, generator_hz: Floats) -> Floats:
        """Settled AVC volts over a row of generator frequencies, shape as given."""
        carrier, noise, _ = self.detected_over(state, np.asarray(generator_hz, dtype=np.float64))
        return self._settled_avc(DETECTOR_EFFICIENCY * np.hypot(carrier, 1.25 * noise))

    def held_gain(self, state: BenchState) -> float:
        """What the AVC leaves of the gain."""
        v0 = self.facts.circuit.avc.control_v_per_neper
        return float(gain_at_avc(self.avc_v(state), control_v_per_neper=v0))
