"""The simulated receiver: a set that answers only through meter values.

It is richer than the models that the advice fits: gang sections that do not match, parts that have
drifted, adjusters whose law is not straight, a reflected aerial load, Q that varies with frequency,
tubes that load their circuits, backlash, a meter that loads what it measures, and a needle that is
never quite true.
"""

from __future__ import annotations

import math
import zlib
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from glowdial.core.bench.recipe import POINTER
from glowdial.core.journey.findings import trials_by_key
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.measurands import (
    AVC,
    B_PLUS,
    B_PLUS_OHM,
    B_PLUS_RIPPLE,
    LINE,
    LINE_CURRENT,
    LOUDSPEAKER,
    RESERVOIR,
    RESERVOIR_RIPPLE,
    SERIES_OHM,
    SET_INPUT,
    Kind,
    Measurand,
)
from glowdial.core.physics.copper import copper_ohm
from glowdial.core.physics.operating_point import OPEN_OHM, Strain
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import Finding
from glowdial.sim.audio import AudioParts, audio_parts
from glowdial.sim.block_faults import block_set_of
from glowdial.sim.condition import CapacitorFault, WindingFault
from glowdial.sim.signal_path import SignalPath
from glowdial.sim.stage_strains import strain_of
from glowdial.sim.state import BenchState

METER_OHM = 11e6
LEADS_OHM, ROOM_C = 0.2, 21.0
COUPLING = "coupling"


class SimulatedReceiver(SignalPath):
    """One set on the bench. Its answers are functions of the bench state."""

    def read(self, state: BenchState, what: Measurand) -> float:
        """One reading, SI; the same state always reads the same.

        AVC volts are given as their magnitude, audio as RMS, ripple peak to peak. Raises NotFound
        for a place or a quantity that this set does not have.
        """
        return self.unsteady(self._exact(state, what), state, what.words)

    def unsteady(self, exact: float, state: BenchState, meter: str) -> float:
        """A value as a needle shows it: never quite true, the same for the same state."""
        return self._shown(exact, f"{meter}{sorted(state.turns.items())}{state}")

    def _shown(self, exact: float, stand: str) -> float:
        rng = np.random.default_rng((self.condition.seed, zlib.crc32(stand.encode())))
        return exact * (1.0 + self.condition.needle * float(rng.standard_normal()))

    def read_avc_over(self, state: BenchState, generator_hz: Sequence[float]) -> list[float]:
        """The AVC line read at a row of generator frequencies: what ``read`` gives at each."""
        if state.avc_clamp_v is not None or state.moving is not None:
            return [self.read(replace(state, generator_hz=hz), AVC) for hz in generator_hz]
        source_ohm = self.facts.circuit.avc.source_ohm
        loaded = METER_OHM / (METER_OHM + source_ohm)
        exact = self.sweep_avc_v(state, np.asarray(generator_hz, dtype=np.float64)) * loaded
        stands = f"{AVC.words}{sorted(state.turns.items())}", *_around_the_generator(state)
        return [
            self._shown(float(v), f"{stands[0]}{stands[1]}{hz!r}{stands[2]}")
            for v, hz in zip(exact, generator_hz, strict=True)
        ]

    def on_chain(self, mode: str) -> SimulatedReceiver:
        """The set with another of its IFs switched in; itself for its own."""
        facts = self.facts.on_chain(mode)
        return self if facts is self.facts else SimulatedReceiver(facts, self.condition)

    def turn(self, state: BenchState, adjuster: str, turns: float) -> BenchState:
        """The state with an adjuster turned, clockwise positive, or the pointer slid; raises
        NotFound for no such."""
        if adjuster != POINTER:
            self.facts.adjuster(adjuster)
        moved = {**state.turns, adjuster: round(state.turns.get(adjuster, 0.0) + turns, 6)}
        return replace(state, turns=moved)

    def tune(self, state: BenchState, band: str, dial_hz: float) -> BenchState:
        """The state with the dial moved: from which side it came decides its backlash."""
        side = state.dial_side
        if band == state.band and dial_hz != state.dial_hz:
            side = 1 if dial_hz > state.dial_hz else -1
        return replace(state, band=band, dial_hz=dial_hz, dial_side=side)

    def audio(self, state: BenchState) -> AudioParts:
        """The output's parts."""
        return audio_parts(self, state)

    def tried(self, key: str) -> Finding:
        """What a test of fault tracing gives, by its key; raises NotFound for no such test."""
        found = block_set_of(self.facts, self.condition)
        for symptom in Symptom:
            trial = trials_by_key(found.diagram, symptom).get(key)
            if trial is not None:
                return found.measured(trial)
        raise NotFound("test", key)

    def strain(self, stage_name: str) -> Strain:
        """What has gone wrong around a stage; raises NotFound for no such."""
        stage = self.facts.circuit.stage(stage_name)
        if stage is None:
            raise NotFound("stage", stage_name)
        return strain_of(stage, self.condition)

    def with_coupling_lifted(self) -> SimulatedReceiver:
        """The same set with its coupling capacitors' far ends in the air."""
        kept = tuple(
            f
            for f in self.condition.faults
            if not (isinstance(f, CapacitorFault) and f.part == "coupling")
        )
        return SimulatedReceiver(self.facts, replace(self.condition, faults=kept))

    def b_plus_v(self, line_v: float) -> float:
        """Settled B+ at a line voltage."""
        return self.power.at(BenchState(line_v=line_v)).b_plus_v

    def _exact(self, state: BenchState, what: Measurand) -> float:
        """The value itself, from the model."""
        power = self.power.at(state)
        if what == AVC:
            source_ohm = self.facts.circuit.avc.source_ohm
            return self.avc_v(state) * METER_OHM / (METER_OHM + source_ohm)
        if what == LOUDSPEAKER:
            return self.audio(state).rms_v
        if what == B_PLUS_OHM:
            return self.cold_resistance_ohm()
        known = {
            LINE: state.line_v,
            SET_INPUT: power.set_v,
            LINE_CURRENT: power.line_a,
            SERIES_OHM: state.series_ohm or 0.0,
            B_PLUS: power.b_plus_v,
            B_PLUS_RIPPLE: power.ripple_v[-1],
            RESERVOIR: power.node_v[0],
            RESERVOIR_RIPPLE: power.ripple_v[0],
        }
        if what in known:
            return known[what]
        word, _, name = what.place.partition(" ")
        if word == "winding" and what.kind is Kind.RESISTANCE:
            return self.winding_ohm(name)
        if word == "heater" and what.kind in (Kind.DC_VOLTS, Kind.AC_VOLTS):
            return self._heater_v(state, name)
        raise NotFound("meter on this bench", what.words)

    def winding_ohm(self, key: str) -> float:
        """A winding in a room of 21 degrees through leads of 0.2 ohm; no two are wound alike."""
        for one in self.facts.windings:
            if one.key == key:
                stand = zlib.crc32(key.encode())
                rng = np.random.default_rng((self.condition.seed, stand))
                own = one.resistance_ohm * (1.0 + 0.05 * float(rng.uniform(-1.0, 1.0)))
                for fault in self.condition.faults:
                    if isinstance(fault, WindingFault) and fault.winding == key:
                        own *= fault.factor
                return min(copper_ohm(own, ROOM_C) + LEADS_OHM, OPEN_OHM)
        raise BadInput("winding", key, "is no winding of this set", "output-primary")

    def _heater_v(self, state: BenchState, tube: str) -> float:
        volts = self.power.heater_v(state)
        if tube not in volts:
            raise BadInput("heater", tube, "is no heater of this set", next(iter(volts), "V1"))
        return volts[tube]

    def cold_resistance_ohm(self) -> float:
        """B+ to chassis with the set switched off and the capacitors charged."""
        given = self.facts.b_plus_resistance_ohm or 120e3
        drifted = given * (1.0 + 0.04 * math.sin(self.condition.seed))
        supply = self.facts.supply
        if supply is None:
            return drifted
        worn = self.power.worn(supply, BenchState())
        leaks = [worn.reservoir_leak_ohm, *(s.leak_ohm for s in worn.sections)]
        return 1.0 / (1.0 / drifted + sum(1.0 / ohm for ohm in leaks))


def _around_the_generator(state: BenchState) -> tuple[str, str]:
    """How a state is written, before and after the generator's frequency."""
    before, _, after = str(replace(state, generator_hz=math.nan)).partition("generator_hz=nan")
    return f"{before}generator_hz=", after
