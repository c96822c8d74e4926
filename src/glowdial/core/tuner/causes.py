"""What the curves of an FM receiver tell about its parts: IF, limiter, de-emphasis, decoder, line.

Each part's own figure is estimated from the curve that shows it best, and told in spreads of sound
receivers. The IF is proved first: a narrow one costs separation as a decoder does, so what it costs
the subcarrier by its passband is taken off before a decoder is blamed, and while it is off nothing
behind it is named before it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.special import fdtrc

from glowdial.core.physics.frequency_modulation import deemphasis
from glowdial.core.tuner.measurement import MeasurementList, Norms, TunerReadings
from glowdial.core.tuner.passband import FmPassband, fitted_passband

Floats = NDArray[np.float64]
# keys of the measurements that are looked at, where the list has them
SELECTIVITY, RESPONSE, SUBCARRIER = "selectivity", "response", "subcarrier"
PILOT_PHASE, AM_SUPPRESSION, CARRIERS = "pilot-phase", "am-suppression", "carriers"
# of sound receivers, and of the generators that measure them: one spread
WIDTH_SPREAD, OFFSET_SPREAD_HZ = 0.08, 10e3
# resistor and capacitor of 5 % each, evenly spread: 0.05 sqrt(2/3)
TIME_SPREAD = 0.04
GAIN_SPREAD_DB, PHASE_SPREAD_DEG = 0.5, 6.7
AM_SPREAD_DB, RIPPLE_SPREAD_DB = 6.0, 0.35
# off by more than this many spreads is named
NAMED = 2.0
# response is told up to here: above it low-pass filters begin
HIGHEST_HZ, LEAST_RESPONSE = 12e3, 3
FEWEST_CARRIERS = 10
# a line's echo over the carriers measured: periods looked for
LEAST_PERIODS, MOST_PERIODS, PERIOD_STEPS = 0.5, 4.0, 36
# sines half a period apart are as good as independent trials
RIPPLE_CHANCE, SINES_TRIED = 0.01, 7


class TunerPart(StrEnum):
    """What may be named."""

    IF = "IF"
    LIMITER = "limiter and detector"
    DEEMPHASIS = "de-emphasis"
    DECODER = "decoder"
    LINE = "line to the receiver"


@dataclass(frozen=True, slots=True)
class Estimate:
    """One figure of a part: how many spreads it is off, in words with its value, and what to do."""

    part: TunerPart
    off: float
    words: str
    remedy: str

    @property
    def named(self) -> bool:
        """Whether it is named."""
        return self.off >= NAMED


@dataclass(frozen=True, slots=True)
class TunerCauses:
    """What the curves tell: estimates, the worst first but the IF before what stands behind it; and
    what cannot be told, with what it would take."""

    estimates: tuple[Estimate, ...]
    untold: tuple[str, ...]

    @property
    def named(self) -> tuple[Estimate, ...]:
        """What is to blame, the first first."""
        return tuple(e for e in self.estimates if e.named)


def told(listed: MeasurementList, taken: TunerReadings) -> TunerCauses:
    """What the readings so far tell of the parts."""
    # of what is taken at several positions, the first is where the set is meant to stand
    curves = {m.family or m.key: taken.curve(m) for m in reversed(listed.measurements)}
    norms, found, untold = listed.norms, [], []
    band = fitted_passband(curves.get(SELECTIVITY, {}), norms.if_width_hz)
    if band is None:
        untold.append(
            "Width and middle of the IF: selectivity at four offsets or more, on both sides. "
            "Without it a narrow IF cannot be told from a decoder."
        )
    else:
        found.append(_if_estimate(band, norms))
    time_s = fitted_time_s(curves.get(RESPONSE, {}))
    if time_s is None:
        untold.append("De-emphasis: the response at three frequencies or more up to 12 kHz.")
    else:
        found.append(_time_estimate(time_s, norms))
    found += _decoder(curves, band, untold)
    found += _limiter(curves.get(AM_SUPPRESSION, {}), norms, untold)
    found += _line(curves.get(CARRIERS, {}), untold)
    found.sort(key=lambda e: (not (e.named and e.part is TunerPart.IF), -e.off))
    return TunerCauses(tuple(found), tuple(untold))


def _if_estimate(band: FmPassband, norms: Norms) -> Estimate:
    narrow = math.log(band.width_hz / norms.if_width_hz)
    by_width, by_middle = abs(narrow) / WIDTH_SPREAD, abs(band.offset_hz) / OFFSET_SPREAD_HZ
    words = (
        f"IF {band.width_hz / 1e3:.0f} kHz wide at -3 dB ({100.0 * (math.exp(narrow) - 1.0):+.0f} "
        f"% of the norm), its middle {band.offset_hz / 1e3:+.0f} kHz off"
    )
    remedy = "align the IF to its middle, by sweep or by equal levels either side"
    if by_width > by_middle:
        remedy = (
            "a coil of too high Q, a damping resistor gone, or too loose a coupling"
            if narrow < 0.0
            else "a damped or stagger-tuned coil: align it to one middle"
        )
    return Estimate(TunerPart.IF, max(by_width, by_middle), words, remedy)


def fitted_time_s(response_db: Mapping[float, float]) -> float | None:
    """De-emphasis in s of a response in dB over audio frequency in Hz, whatever it is relative to,
    up to 12 kHz; None below three frequencies."""
    at = np.array([f for f in sorted(response_db) if f <= HIGHEST_HZ])
    if at.size < LEAST_RESPONSE:
        return None
    heard = np.array([response_db[f] for f in at])

    def left(p: Floats) -> Floats:
        shape = 20.0 * np.log10(deemphasis(at, 50e-6 * math.exp(p[0])))
        return np.asarray(shape + p[1] - heard)

    return 50e-6 * math.exp(float(least_squares(left, np.zeros(2)).x[0]))


def _time_estimate(time_s: float, norms: Norms) -> Estimate:
    off = time_s / norms.deemphasis_s - 1.0
    norm_us = 1e6 * norms.deemphasis_s
    words = f"de-emphasis {1e6 * time_s:.1f} us, {100.0 * off:+.0f} % off its {norm_us:.0f}"
    remedy = "the capacitor or resistor behind the detector (behind the decoder: of each channel)"
    return Estimate(TunerPart.DEEMPHASIS, abs(off) / TIME_SPREAD, words, remedy)


def _decoder(
    curves: Mapping[str, Mapping[float, float]], band: FmPassband | None, untold: list[str]
) -> list[Estimate]:
    """Gain and phase of the difference, less what the IF does to them."""
    gains, phases = curves.get(SUBCARRIER, {}), curves.get(PILOT_PHASE, {})
    if_gain_db, if_phase_deg = band.subcarrier() if band else (0.0, 0.0)
    found = []
    if gains:
        # at the smallest deviation, where the IF does least that is not linear
        gain_db = gains[min(gains)] - if_gain_db
        phase_deg = fitted_phase_deg(phases)
        if phase_deg is not None:
            # a wrong phase lowers the difference as a gain would: that part of it is the phase's
            gain_db -= 20.0 * math.log10(max(math.cos(math.radians(phase_deg)), 0.1))
        words = f"difference {gain_db:+.1f} dB against the sum in the decoder itself"
        remedy = "the separation control, or a part around the decoder's matrix"
        off = abs(gain_db) / GAIN_SPREAD_DB
        found.append(Estimate(TunerPart.DECODER, off, words, remedy))
    else:
        untold.append("The decoder's gain: difference against sum, pilot on.")
    phase_deg = fitted_phase_deg(phases)
    if phase_deg is not None:
        own = phase_deg - if_phase_deg
        words = f"subcarrier {own:+.0f} degrees from where it should be"
        off, remedy = abs(own) / PHASE_SPREAD_DEG, "the 19 and 38 kHz coils, or the decoder's phase"
        found.append(Estimate(TunerPart.DECODER, off, words, remedy))
    else:
        untold.append("The subcarrier's phase: the difference over the pilot's phase.")
    return found


def fitted_phase_deg(difference_db: Mapping[float, float]) -> float | None:
    """Phase error of the regenerated subcarrier in degrees, of the difference in dB over the
    pilot's phase in degrees: it goes as the cosine of twice the one plus the other. None below
    three points."""
    at = np.radians(np.array(sorted(difference_db)))
    if at.size < 3:
        return None
    heard = 10.0 ** (np.array([difference_db[p] for p in sorted(difference_db)]) / 20.0)
    basis = np.stack([np.cos(2.0 * at), -np.sin(2.0 * at)], axis=1)
    (a, b), *_ = np.linalg.lstsq(basis, heard, rcond=None)
    return math.degrees(math.atan2(float(b), float(a)))


def _limiter(
    suppression_db: Mapping[float, float], norms: Norms, untold: list[str]
) -> list[Estimate]:
    if not suppression_db:
        untold.append("The limiter: AM suppression at a level where it limits.")
        return []
    best_db = max(suppression_db.values())
    short_db = norms.am_suppression_db - best_db
    words = f"AM suppression {best_db:.0f} dB, {short_db:+.0f} dB short of its norm"
    remedy = (
        "balance the detector (ratio detector: its electrolytic), then the limiter's stage: "
        "its supply, its grid resistor and capacitor, its device"
    )
    return [Estimate(TunerPart.LIMITER, max(short_db, 0.0) / AM_SPREAD_DB, words, remedy)]


def _line(over_carriers_db: Mapping[float, float], untold: list[str]) -> list[Estimate]:
    """An echo on the line as ripple of level over carrier frequency."""
    if len(over_carriers_db) < FEWEST_CARRIERS:
        untold.append(
            "A reflection on the line: a low level's signal-to-noise at ten carriers or more; no "
            "distortion shows it."
        )
        return []
    ripple_db, sure = fitted_ripple_db(over_carriers_db)
    words = "no ripple of level over carrier frequency beyond the readings' own scatter"
    if sure and ripple_db > 0.5 * RIPPLE_SPREAD_DB:
        words = f"level ripples by {ripple_db:.1f} dB either way over carrier frequency"
    remedy = "the line's termination, its plugs, a balun or a splitter: put a pad of 6 dB in"
    off = ripple_db / RIPPLE_SPREAD_DB if sure else 0.0
    return [Estimate(TunerPart.LINE, off, words, remedy)]


def fitted_ripple_db(over_carriers_db: Mapping[float, float]) -> tuple[float, bool]:
    """Amplitude in dB of the sine over carrier frequency that explains most of ten points or more,
    beside a straight line, and whether noise alone would hardly show it (F test at one in a
    hundred, over all the sines that were tried)."""
    at = np.array(sorted(over_carriers_db))
    heard = np.array([over_carriers_db[f] for f in at])
    x = (at - at[0]) / (at[-1] - at[0])
    flat = np.stack([np.ones_like(x), x], axis=1)
    rest = heard - flat @ np.linalg.lstsq(flat, heard, rcond=None)[0]
    plain = float(rest @ rest)
    best, amplitude = plain, 0.0
    for periods in np.linspace(LEAST_PERIODS, MOST_PERIODS, PERIOD_STEPS):
        turn = 2.0 * np.pi * periods * x
        basis = np.concatenate([flat, np.stack([np.cos(turn), np.sin(turn)], axis=1)], axis=1)
        found = np.linalg.lstsq(basis, heard, rcond=None)[0]
        left = heard - basis @ found
        if float(left @ left) < best:
            best, amplitude = float(left @ left), math.hypot(float(found[2]), float(found[3]))
    free = at.size - 5
    if free <= 0 or best <= 0.0:
        return amplitude, best <= 0.0 < plain
    chance = float(fdtrc(3, free, (plain - best) / 3.0 / (best / free)))
    return amplitude, chance * SINES_TRIED < RIPPLE_CHANCE
