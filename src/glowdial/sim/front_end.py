"""Gang, oscillator and aerial circuit of one band, from component values."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.bench.recipe import POINTER
from glowdial.core.model.circuit import Aerial, AerialKind
from glowdial.core.model.facts import VHF_HZ, BandFacts, ReceiverFacts
from glowdial.core.physics.aerials import loop_effective_height_m
from glowdial.core.physics.tracking import AdjusterKind, OscillatorCircuit, adjusted, role_of
from glowdial.sim.condition import Condition, SwitchFault
from glowdial.sim.state import BenchState

Floats = NDArray[np.float64]
COUPLING = 0.08
DUMMY_AERIAL_F = 200e-12
DUMMY_AERIAL_OHM = 25.0
PRIMARY_BELOW_BAND = 0.7
CABINET_STRAY_F = 0.4e-12
# a VHF box is screened by itself
VHF_STRAY_F = 0.01e-12
ROD_F, WIRE_M, RF_TAP = 8e-12, 2.0, 0.3
# by how much of the oscillator section's wander the RF sections part from the aerial's
SECTIONS_PART = 0.5
# an oscillator whose tank has this much in series does not start
DEAD_CONTACT_OHM = 200.0
NORM_CHANGE_PER_TURN = {
    AdjusterKind.TRIMMER: 0.10,
    AdjusterKind.PADDER: 0.09,
    AdjusterKind.CORE: 0.012,
}


# of a slug rack: its trimmer is a small part of the fixed capacity, its slug all of a small coil
NORM_SLUG_CHANGE = {
    AdjusterKind.TRIMMER: 0.015,
    AdjusterKind.PADDER: 0.05,
    AdjusterKind.CORE: 0.10,
}


def part_factor(facts: ReceiverFacts, condition: Condition, key: str, turned: float) -> float:
    """Factor on a part's nominal value, from where its adjuster stands and how it has drifted.

    The law is exponential in turns, so equal turns do not make equal steps. Turning stops at the
    end of the adjuster's travel.
    """
    adjuster = facts.adjuster(key)
    change = adjuster.change_per_turn
    slugs = any(b.tracked.inductive and key in b.own_adjusters for b in facts.bands)
    norms = NORM_SLUG_CHANGE if slugs else NORM_CHANGE_PER_TURN
    rate = norms[adjuster.kind] if change is None else change
    limit = adjuster.travel_turns / 2.0
    turns = min(max(condition.turns.get(key, 0.0) + turned, -limit), limit)
    return math.exp(rate * turns) * (1.0 + condition.drift.get(key, 0.0))


@dataclass(frozen=True, slots=True)
class Tank:
    """One tuned circuit: L, C, the Q at the middle of its band, and a contact in series with it.

    Q grows as the square root of frequency, between a coil whose loss is copper (in step) and one
    whose loss is iron and its former (falling).
    """

    l_h: float
    c_f: float
    q: float
    middle_hz: float
    contact_ohm: float = 0.0

    @property
    def resonance_hz(self) -> float:
        """Where it is tuned."""
        return 1.0 / (2.0 * math.pi * math.sqrt(self.l_h * self.c_f))

    def loss_ohm(self, frequency_hz: Floats) -> Floats:
        """Series loss at a frequency."""
        w = 2.0 * np.pi * frequency_hz
        return np.asarray(
            w * self.l_h / (self.q * np.sqrt(frequency_hz / self.middle_hz)) + self.contact_ohm
        )

    def mesh_ohm(self, frequency_hz: Floats) -> NDArray[np.complex128]:
        """Impedance around the mesh of coil and capacitor."""
        w = 2.0 * np.pi * frequency_hz
        return np.asarray(self.loss_ohm(frequency_hz) + 1j * (w * self.l_h - 1 / (w * self.c_f)))

    def dynamic_ohm(self) -> float:
        """Resistance across it at resonance."""
        at = np.array([self.resonance_hz])
        return float((2.0 * math.pi * at[0] * self.l_h) ** 2 / self.loss_ohm(at)[0])


@dataclass(frozen=True, slots=True)
class FrontEnd:
    """One band of one set as it stands: where the LO is, and what the signal circuits pass."""

    local_oscillator_hz: float
    aerial: Tank
    primary_l_h: float
    source: Aerial
    rf: Tank | None = None
    rf_slope_s: float = 0.0
    more_rf: tuple[Tank, ...] = ()
    fixed_first_hz: float = 0.0
    dead: bool = False

    def aerial_gain(self, frequency_hz: Floats) -> Floats:
        """Volts on the mixer grid per volt EMF through the dummy aerial (a wire), or per volt
        induced in a loop or rod: the RF stage's gain included."""
        f = np.asarray(frequency_hz, dtype=np.float64)
        if self.dead:
            return np.zeros_like(f)
        if self.source.kind is AerialKind.WIRE:
            gain = self._through_primary(f)
        elif self.source.kind is AerialKind.LOOP:
            gain = 1.0 / (self.aerial.mesh_ohm(f) * 2.0 * np.pi * f * self.aerial.c_f)
        else:
            gain = self._through_rod(f)
        return np.asarray(np.abs(gain) * self.rf_gain(f))

    def rf_gain(self, frequency_hz: Floats) -> Floats:
        """Gain of the RF stage into its own tuned circuit, tapped, and of those loosely coupled
        behind it, each 1 at its peak; 1 where there is none."""
        passed = np.ones_like(frequency_hz)
        for tank in self.more_rf:
            passed = passed * tank.loss_ohm(frequency_hz) / np.abs(tank.mesh_ohm(frequency_hz))
        if self.rf is None:
            return passed
        w = 2.0 * np.pi * frequency_hz
        across = np.abs(1.0 / (1j * w * self.rf.c_f)) ** 2 / np.abs(self.rf.mesh_ohm(frequency_hz))
        return np.asarray(passed * self.rf_slope_s * RF_TAP * across)

    def _through_primary(self, f: Floats) -> NDArray[np.complex128]:
        """A high-impedance primary in series with the dummy aerial induces into the tuned winding
        and is reflected into it as (wM)^2/Za."""
        w = 2.0 * np.pi * f
        mutual = COUPLING * math.sqrt(self.primary_l_h * self.aerial.l_h)
        primary = (
            DUMMY_AERIAL_OHM
            + w * self.primary_l_h / 40.0
            + 1j * (w * self.primary_l_h - 1.0 / (w * DUMMY_AERIAL_F))
        )
        mesh = self.aerial.mesh_ohm(f) + (w * mutual) ** 2 / primary
        return np.asarray(w * mutual / primary / mesh / (w * self.aerial.c_f))

    def _through_rod(self, f: Floats) -> NDArray[np.complex128]:
        """The rod's own capacity from the tuned circuit's hot end."""
        w = 2.0 * np.pi * f
        across = 1.0 / (
            1j * w * self.aerial.c_f + 1.0 / (self.aerial.loss_ohm(f) + 1j * w * self.aerial.l_h)
        )
        return np.asarray(across / (across + 1.0 / (1j * w * ROD_F)))

    def induced_v(self, field_v_per_m: float, frequency_hz: float) -> float:
        """EMF that a field makes in the set's own aerial; a wire outside is taken as 2 m high."""
        if self.source.kind is AerialKind.LOOP:
            return field_v_per_m * loop_effective_height_m(
                frequency_hz, self.source.turns, self.source.area_m2
            )
        height = 0.5 * self.source.height_m if self.source.kind is AerialKind.ROD else WIRE_M
        return field_v_per_m * height


def front_end(
    facts: ReceiverFacts,
    condition: Condition,
    band: BandFacts,
    state: BenchState,
    *,
    rf_slope_s: float = 0.0,
) -> FrontEnd:
    """The band's circuits with the pointer on the state's dial mark.

    The scale was printed for the nominal set: its marks stand where the nominal oscillator brings
    them in, give or take the drive's backlash. The gang's sections wander from each other.
    """
    span = math.log(band.high_hz / band.low_hz)
    # over a short range a pointer's play is less of the frequency, and sections part less
    short = min(span, 1.0)
    slid = math.exp(-state.turns.get(POINTER, 0.0) * span)
    dial_hz = state.dial_hz * slid * (1.0 - state.dial_side * condition.backlash * short)
    gang_f = _gang_at(band, dial_hz) + _spread_f(band, state.spread_hz, condition)
    place = math.log(dial_hz / band.low_hz) / span
    wander = condition.gang_wander * short * math.sin(2.0 * math.pi * place + condition.gang_phase)
    vhf = band.low_hz >= VHF_HZ
    stray = (VHF_STRAY_F if vhf else CABINET_STRAY_F) if state.in_cabinet else 0.0
    factors = {
        key: part_factor(facts, condition, key, state.turns.get(key, 0.0))
        for key in band.own_adjusters
    }
    oscillator = _oscillator(facts, band, factors, stray)
    signal = band.tracked.signal
    primary_hz = PRIMARY_BELOW_BAND * band.low_hz
    contact_ohm, touching = _contact(condition, band.key, state.time_s)
    q, middle_hz = facts.circuit.aerial_q, math.sqrt(band.low_hz * band.high_hz)

    def tank(adjuster: str | None, core: str | None, departs: float) -> Tank:
        factor, wound = factors.get(adjuster or "", 1.0), factors.get(core or "", 1.0)
        variable = gang_f * (1.0 + departs) + signal.trimmer_f
        if band.tracked.inductive:
            # the slug and what is in series with it, across a trimmer
            fixed_f = signal.inductance_h * factor + stray
            return Tank(variable * wound, fixed_f, q, middle_hz, contact_ohm)
        whole_f = variable + signal.trimmer_f * (factor - 1.0) + stray
        return Tank(signal.inductance_h * wound, whole_f, q, middle_hz, contact_ohm)

    section = band.tracked.oscillator_gang_f(gang_f) * (1.0 + wander)
    return FrontEnd(
        local_oscillator_hz=float(oscillator.resonance_hz(section)),
        aerial=tank(band.aerial_adjuster, band.aerial_low_adjuster, 0.0),
        primary_l_h=1.0 / ((2.0 * math.pi * primary_hz) ** 2 * DUMMY_AERIAL_F),
        # a dipole of its own, outside
        source=Aerial(AerialKind.WIRE) if vhf else facts.circuit.aerial,
        rf=tank(band.rf_adjuster, band.rf_low_adjuster, -SECTIONS_PART * wander)
        if facts.circuit.rf_stage
        else None,
        rf_slope_s=rf_slope_s,
        more_rf=tuple(
            tank(key, None, SECTIONS_PART * wander / n)
            for n, key in enumerate(band.more_rf_adjusters, start=2)
        ),
        fixed_first_hz=band.tracked.fixed_first_hz,
        dead=not touching or contact_ohm > DEAD_CONTACT_OHM,
    )


def _spread_f(band: BandFacts, figure_hz: float, condition: Condition) -> float:
    """What a bandspread's own small gang adds on a figure: as printed with the main pointer on its
    place, give or take how its plates depart."""
    spread = next((s for s in band.spreads if s.low_hz <= figure_hz <= s.high_hz), None)
    if spread is None:
        return 0.0
    departs = condition.gang_wander * math.cos(condition.gang_phase)
    return (_gang_at(band, figure_hz) - _gang_at(band, spread.main_hz)) * (1.0 + departs)


def _oscillator(
    facts: ReceiverFacts, band: BandFacts, factors: dict[str, float], stray_f: float
) -> OscillatorCircuit:
    """The oscillator with its adjusters where they stand, and the cabinet's stray across it."""
    nominal = band.tracked.oscillator
    for key in (band.high_adjuster, band.low_adjuster):
        if key is not None:
            role = role_of(facts.adjuster(key).kind, inductive=band.tracked.inductive)
            nominal = adjusted(nominal, role, factors[key])
    if band.tracked.inductive:
        return replace(nominal, inductance_h=nominal.inductance_h + stray_f)
    return replace(nominal, trimmer_f=nominal.trimmer_f + stray_f)


def _contact(condition: Condition, band: str, time_s: float) -> tuple[float, bool]:
    """Resistance of a band's switch contact, and whether it touches in this second."""
    ohm, touching = 0.0, True
    for fault in condition.faults:
        if isinstance(fault, SwitchFault) and fault.band == band:
            ohm += fault.contact_ohm
            draw = np.random.default_rng((condition.seed, 77, int(time_s))).random()
            touching = touching and bool(draw >= fault.open_share)
    return ohm, touching


@lru_cache(maxsize=64)
def _scale(band: BandFacts) -> tuple[Floats, Floats, Floats]:
    """Gang capacities, where the nominal oscillator tunes with them, and the slope between."""
    low = float(band.tracked.signal.gang_capacity_f(band.high_hz * 1.03))
    high = float(band.tracked.signal.gang_capacity_f(band.low_hz * 0.97))
    span = np.linspace(low, high, 65)
    tuned = band.tracked.tuned_hz(span)
    return span, -tuned, np.gradient(span, tuned)


def _gang_at(band: BandFacts, dial_hz: float) -> float:
    """Gang capacity with the pointer on a mark: the nominal oscillator brings that mark in.

    By a table of the nominal tuning, which falls as the gang closes, and one Newton step.
    """
    span, falling, slopes = _scale(band)
    start = float(np.interp(-dial_hz, falling, span))
    slope = float(np.interp(-dial_hz, falling, slopes))
    # one Newton step from the interpolated table leaves parts per million
    return start + (dial_hz - float(band.tracked.tuned_hz(start))) * slope
