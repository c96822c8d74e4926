"""Gang, oscillator and aerial circuit of one band, from component values."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.receiver import BandFacts, ReceiverFacts
from glowdial.core.tracking import AdjusterKind
from glowdial.sim.condition import Condition

AERIAL_Q = 75.0
COUPLING = 0.08
DUMMY_AERIAL_F = 200e-12
DUMMY_AERIAL_OHM = 25.0
PRIMARY_BELOW_BAND = 0.7
CABINET_STRAY_F = 0.4e-12
NORM_CHANGE_PER_TURN = {
    AdjusterKind.TRIMMER: 0.10,
    AdjusterKind.PADDER: 0.09,
    AdjusterKind.CORE: 0.012,
}


def part_factor(facts: ReceiverFacts, condition: Condition, key: str, turned: float) -> float:
    """Factor on a part's nominal value, from where its adjuster stands and how it has drifted.

    The law is exponential in turns, so equal turns do not make equal steps. Turning stops at the
    end of the adjuster's travel.
    """
    adjuster = facts.adjuster(key)
    change = adjuster.change_per_turn
    rate = NORM_CHANGE_PER_TURN[adjuster.kind] if change is None else change
    limit = adjuster.travel_turns / 2.0
    turns = min(max(condition.turns.get(key, 0.0) + turned, -limit), limit)
    return math.exp(rate * turns) * (1.0 + condition.drift.get(key, 0.0))


@dataclass(frozen=True, slots=True)
class FrontEnd:
    """One band of one set as it stands: where the LO is, and what the aerial circuit passes."""

    local_oscillator_hz: float
    aerial_l_h: float
    aerial_c_f: float
    primary_l_h: float

    def aerial_gain(self, frequency_hz: float) -> float:
        """Volts on the mixer grid per volt EMF through the dummy aerial.

        A high-impedance primary in series with the dummy aerial induces into the tuned winding and
        is reflected into it as (wM)^2/Za.
        """
        w = 2.0 * math.pi * frequency_hz
        mutual = COUPLING * math.sqrt(self.primary_l_h * self.aerial_l_h)
        primary = (
            DUMMY_AERIAL_OHM
            + w * self.primary_l_h / 40.0
            + 1j * (w * self.primary_l_h - 1.0 / (w * DUMMY_AERIAL_F))
        )
        loss = w * self.aerial_l_h / AERIAL_Q
        mesh = loss + 1j * (w * self.aerial_l_h - 1.0 / (w * self.aerial_c_f))
        mesh += (w * mutual) ** 2 / primary
        return abs(w * mutual / primary / mesh / (w * self.aerial_c_f))

    def dynamic_resistance_ohm(self) -> float:
        """Resistance of the tuned aerial circuit at its resonance, which makes its noise."""
        return AERIAL_Q * math.sqrt(self.aerial_l_h / self.aerial_c_f)


def front_end(
    facts: ReceiverFacts,
    condition: Condition,
    band: BandFacts,
    dial_hz: float,
    turns: dict[str, float],
    *,
    in_cabinet: bool,
) -> FrontEnd:
    """The band's circuits with the pointer on ``dial_hz``.

    The scale was printed for the nominal set: its marks stand where the nominal oscillator brings
    them in. The oscillator section of the gang wanders from the aerial section.
    """
    gang_f = _gang_at(band, dial_hz)
    span = math.log(band.high_hz / band.low_hz)
    place = math.log(dial_hz / band.low_hz) / span
    wander = condition.gang_wander * math.sin(2.0 * math.pi * place + condition.gang_phase)
    stray = CABINET_STRAY_F if in_cabinet else 0.0
    factors = {
        key: part_factor(facts, condition, key, turns.get(key, 0.0))
        for key in (band.high_adjuster, band.low_adjuster, band.aerial_adjuster)
        if key is not None
    }
    nominal = band.tracked.oscillator
    low_kind = facts.adjuster(band.low_adjuster).kind if band.low_adjuster else None
    low_factor = factors.get(band.low_adjuster or "", 1.0)
    oscillator = replace(
        nominal,
        trimmer_f=nominal.trimmer_f * factors[band.high_adjuster] + stray,
        padder_f=nominal.padder_f * (low_factor if low_kind is AdjusterKind.PADDER else 1.0),
        inductance_h=nominal.inductance_h * (low_factor if low_kind is AdjusterKind.CORE else 1.0),
    )
    signal = band.tracked.signal
    primary_hz = PRIMARY_BELOW_BAND * band.low_hz
    return FrontEnd(
        local_oscillator_hz=float(oscillator.resonance_hz(gang_f * (1.0 + wander))),
        aerial_l_h=signal.inductance_h,
        aerial_c_f=gang_f + signal.trimmer_f * factors.get(band.aerial_adjuster or "", 1.0) + stray,
        primary_l_h=1.0 / ((2.0 * math.pi * primary_hz) ** 2 * DUMMY_AERIAL_F),
    )


def _gang_at(band: BandFacts, dial_hz: float) -> float:
    """Gang capacity with the pointer on a mark: the nominal oscillator brings that mark in.

    By a table of the nominal tuning, which falls as the gang closes, and one Newton step.
    """
    low = float(band.tracked.signal.gang_capacity_f(band.high_hz * 1.03))
    high = float(band.tracked.signal.gang_capacity_f(band.low_hz * 0.97))
    span = np.linspace(low, high, 65)
    tuned = band.tracked.tuned_hz(span)
    start = float(np.interp(-dial_hz, -tuned, span))
    slope = float(np.interp(-dial_hz, -tuned, np.gradient(span, tuned)))
    # one Newton step from the interpolated table leaves parts per million
    return start + (dial_hz - float(band.tracked.tuned_hz(start))) * slope
