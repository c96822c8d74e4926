"""A simulated stereo tuner: its audio worked out sample by sample from the modulated carrier.

Carrier, second carrier and noise go through tuned pairs, limiter, detector and decoder as a complex
envelope; what is read is taken from the samples. Its pairs are neither alike nor exactly critical,
its detector is not straight, and its generator is not quite clean: the analysis knows of none of
that.
"""

from __future__ import annotations

import math
import zlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.frequency_modulation import PILOT_HZ
from glowdial.core.physics.noise import BOLTZMANN, REFERENCE_K
from glowdial.core.tuner.drive import (
    AM_TONE_HZ,
    FULL_DEVIATION_HZ,
    PILOT_DEVIATION_HZ,
    AudioMeter,
    Channel,
    Drive,
    Look,
    Programme,
)
from glowdial.core.tuner.unwanted import unwanted_db

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
# 25 Hz from bin to bin: every test tone is whole periods
RATE_HZ, SAMPLES = 1e6, 40_000
AUDIO_EDGE_HZ = 15e3
FULL_OUTPUT_V = 0.65
SOURCE_OHM = 75.0
OTHER_TONE_HZ = 400.0
IF_HZ = 10.7e6
# a false answer is as wide as a channel or two; beyond the envelope's own rate nothing comes out
ANSWERS_HZ, NEAR_HZ = 400e3, 450e3
LIGHT_M_PER_S = 3e8
QUIETEST_V = 2e-5
# where one of three alike pairs is 1 dB down, in its own half widths
ONE_DB_OF_PAIR = 0.7133
# what its switch at narrow leaves of the IF's width
NARROW_SHARE = 0.6


@dataclass(frozen=True, slots=True)
class TunerCondition:
    """What is hidden in a tuner, and in the generators that measure it.

    ``if_width_hz`` is that of all pairs at -3 dB, ``pair_spread_hz`` and ``coupling`` how they
    differ; ``am_suppression_db`` what limiter and detector together leave of AM;
    ``decoder_gain`` and ``decoder_phase_rad`` are those of the difference. ``line_m`` and
    ``line_reflection`` are of the cable between generator and tuner. ``coder_separation`` is the
    generator's own leakage from side to side. What its front end leaves of the image, of half the
    IF and of the IF itself is told in dB.
    """

    seed: int = 1
    if_width_hz: float = 200e3
    if_offset_hz: float = 0.0
    pair_spread_hz: float = 6e3
    coupling: float = 1.0
    deemphasis_s: float = 50e-6
    decoder_gain: float = 1.0
    decoder_phase_rad: float = 0.0
    am_suppression_db: float = 50.0
    limiting_v: float = 2e-6
    noise_figure_db: float = 6.0
    stereo_from_v: float = 20e-6
    detector_bend: float = 0.004
    pilot_leak: float = 2e-3
    subcarrier_leak: float = 8e-4
    hum: float = 6e-4
    line_m: float = 1.0
    line_reflection: float = 0.01
    coder_separation: float = 0.002
    coder_distortion: float = 0.0005
    balance: float = 1.0
    image_rejection_db: float = 52.0
    half_if_rejection_db: float = 66.0
    if_rejection_db: float = 78.0


@dataclass(frozen=True, slots=True)
class StereoTuner:
    """One tuner on its bench; driven the same it always sounds the same, noise and all."""

    condition: TunerCondition

    def read(self, drive: Drive, look: Look) -> float:
        """One reading; an unwanted level is looked for by halving."""
        if look.meter is AudioMeter.UNWANTED:
            return unwanted_db(self.read, drive, look)
        audio = self._audio(drive)[0 if look.channel is Channel.LEFT else 1]
        return _metered(audio, drive, look)

    def _audio(self, drive: Drive) -> tuple[Floats, Floats]:
        rng = np.random.default_rng((self.condition.seed, zlib.crc32(repr(drive).encode())))
        composite, level = self._detected(drive, rng)
        return self._decoded(drive, composite, level)

    def _detected(self, drive: Drive, rng: np.random.Generator) -> tuple[Floats, float]:
        """What the detector gives, in shares of full deviation, and the carrier's level in V."""
        c = self.condition
        level_v = drive.level_v * _line(c, drive.carrier_hz)
        t = np.arange(SAMPLES) / RATE_HZ
        wave = level_v * np.exp(1j * _phase(self._coded(drive, t) * FULL_DEVIATION_HZ))
        if drive.am_depth:
            wave = wave * (1.0 + drive.am_depth * np.sin(2.0 * np.pi * AM_TONE_HZ * t))
        offset_hz, other_v = self._other(drive)
        if other_v > 0.0:
            swing = 0.5 * FULL_DEVIATION_HZ * np.sin(2.0 * np.pi * OTHER_TONE_HZ * t)
            wave = wave + other_v * np.exp(1j * _phase(offset_hz + swing))
        # EMF behind the source: noise of kT0 F in the whole of the samples' width
        factor = 10.0 ** (c.noise_figure_db / 10.0)
        noise_v = math.sqrt(4.0 * BOLTZMANN * REFERENCE_K * SOURCE_OHM * factor * RATE_HZ / 2.0)
        white = rng.standard_normal(SAMPLES) + 1j * rng.standard_normal(SAMPLES)
        narrow = NARROW_SHARE if drive.position == "narrow" else 1.0
        spectrum = np.fft.fft(wave + noise_v * white) * self._filter(narrow)
        filtered = np.fft.ifft(spectrum)
        size = np.abs(filtered)
        turned = np.angle(filtered * np.conj(np.roll(filtered, 1)))
        share = turned * RATE_HZ / (2.0 * np.pi) / FULL_DEVIATION_HZ
        share = share - c.detector_bend * share**3
        left = 10.0 ** (-c.am_suppression_db / 20.0)
        # limited to one amplitude, but for what limiter and detector leave
        uneven = size / max(float(np.mean(size)), 1e-15) - 1.0
        held = math.tanh(float(np.mean(size)) / c.limiting_v)
        return held * (share + left * uneven), level_v

    def _other(self, drive: Drive) -> tuple[float, float]:
        """Where a second carrier comes out of the mixer, off the middle of the IF, and how strong:
        a false answer by what the front end leaves of it, none of the rest that is far off. The
        oscillator is above."""
        c, offset_hz = self.condition, drive.other_offset_hz
        if offset_hz is None:
            return 0.0, 0.0
        false = (
            (2.0 * IF_HZ, c.image_rejection_db),
            (0.5 * IF_HZ, c.half_if_rejection_db),
            (IF_HZ - drive.carrier_hz, c.if_rejection_db),
        )
        for at_hz, rejected_db in false:
            if abs(offset_hz - at_hz) < ANSWERS_HZ:
                return offset_hz - at_hz, drive.other_level_v * 10.0 ** (-rejected_db / 20.0)
        near = abs(offset_hz) < NEAR_HZ
        return offset_hz, drive.other_level_v if near else 0.0

    def _coded(self, drive: Drive, t: Floats) -> Floats:
        """The composite in shares of full deviation, coder's own faults included."""
        c, pilot = self.condition, drive.pilot
        tone = np.sin(2.0 * np.pi * drive.audio_hz * t)
        tone = tone + c.coder_distortion * np.sin(4.0 * np.pi * drive.audio_hz * t)
        peak = (drive.deviation_hz - (PILOT_DEVIATION_HZ if pilot else 0.0)) / FULL_DEVIATION_HZ
        leak = c.coder_separation
        sides = {
            Programme.SILENT: (0.0, 0.0),
            Programme.MONO: (1.0, 1.0),
            Programme.LEFT: (1.0, leak),
            Programme.RIGHT: (leak, 1.0),
            Programme.DIFFERENCE: (1.0, -1.0),
        }
        left, right = sides[drive.programme]
        carrier = np.sin(4.0 * np.pi * PILOT_HZ * t)
        sums = 0.5 * (left + right) * tone
        if pilot:
            sums = sums + 0.5 * (left - right) * tone * carrier
        shifted = math.radians(drive.pilot_phase_deg)
        tail = PILOT_DEVIATION_HZ / FULL_DEVIATION_HZ * np.sin(2.0 * np.pi * PILOT_HZ * t + shifted)
        return np.asarray(peak * sums + (tail if pilot else 0.0))

    def _filter(self, share: float) -> Complexes:
        """Three tuned pairs, each of its own tuning, as seen from the middle of the channel; at a
        share of their width."""
        c = self.condition
        offset_hz = np.fft.fftfreq(SAMPLES, 1.0 / RATE_HZ)
        pair_hz = share * c.if_width_hz / ONE_DB_OF_PAIR
        whole = np.ones(SAMPLES, dtype=np.complex128)
        for n in (-1.0, 0.0, 1.0):
            u = 2.0 * (offset_hz - c.if_offset_hz - n * c.pair_spread_hz) / pair_hz
            k = c.coupling * (1.0 + 0.05 * n)
            # (1 + jx)^2 + k^2 of two circuits of like Q, x counted from each one's middle
            x = math.sqrt(2.0) * u
            whole = whole * (1.0 + k * k) / ((1.0 + 1j * x) ** 2 + k * k)
        return whole

    def _decoded(self, drive: Drive, composite: Floats, level_v: float) -> tuple[Floats, Floats]:
        """Left and right in V: decoded where there is a pilot and signal enough."""
        c = self.condition
        spectrum = np.fft.rfft(composite)
        at_hz = np.fft.rfftfreq(SAMPLES, 1.0 / RATE_HZ)
        shape = (at_hz <= AUDIO_EDGE_HZ) / (1.0 + 2j * np.pi * at_hz * c.deemphasis_s)
        sums = np.fft.irfft(spectrum * shape, SAMPLES)
        pilot = spectrum[round(PILOT_HZ * SAMPLES / RATE_HZ)] / (SAMPLES / 2.0)
        hum = c.hum * np.sin(2.0 * np.pi * 100.0 * np.arange(SAMPLES) / RATE_HZ)
        sums = sums + hum
        present = abs(pilot) > 0.4 * PILOT_DEVIATION_HZ / FULL_DEVIATION_HZ
        if not (drive.pilot and present and level_v >= c.stereo_from_v) or drive.position == "mono":
            return FULL_OUTPUT_V * sums, FULL_OUTPUT_V * c.balance * sums
        theta = np.angle(pilot) + 0.5 * np.pi
        t = np.arange(SAMPLES) / RATE_HZ
        twice = np.sin(2.0 * (2.0 * np.pi * PILOT_HZ * t + theta) + c.decoder_phase_rad)
        difference = np.fft.rfft(2.0 * c.decoder_gain * composite * twice) * shape
        side = np.fft.irfft(difference, SAMPLES)
        tail = c.pilot_leak * np.sin(2.0 * np.pi * PILOT_HZ * t)
        tail = tail + c.subcarrier_leak * twice
        left, right = sums + side + tail, sums - side + tail
        return FULL_OUTPUT_V * left, FULL_OUTPUT_V * c.balance * right


def _phase(deviation_hz: Floats) -> Floats:
    """Phase in rad of an instantaneous frequency in Hz."""
    return np.asarray(2.0 * np.pi * np.cumsum(deviation_hz) / RATE_HZ)


def _line(c: TunerCondition, carrier_hz: float) -> float:
    """What a mismatched line does to the level at a carrier: ripple over frequency."""
    turned = 4.0 * np.pi * c.line_m * carrier_hz / (0.66 * LIGHT_M_PER_S)
    return float(abs(1.0 + c.line_reflection * np.exp(-1j * turned)))


def _rms(audio: Floats) -> float:
    """Of all within the audio band, the pilot not counted."""
    spectrum = np.fft.rfft(audio - np.mean(audio))
    at_hz = np.fft.rfftfreq(SAMPLES, 1.0 / RATE_HZ)
    return float(np.sqrt(2.0 * np.sum(np.abs(spectrum[at_hz <= AUDIO_EDGE_HZ]) ** 2)) / SAMPLES)


def _tone(audio: Floats, tone_hz: float) -> float:
    """Volts RMS of one tone."""
    bin_ = round(tone_hz * SAMPLES / RATE_HZ)
    return float(math.sqrt(2.0) * abs(np.fft.rfft(audio)[bin_]) / SAMPLES)


def _metered(audio: Floats, drive: Drive, look: Look) -> float:
    if look.meter is AudioMeter.TONE:
        return max(_tone(audio, look.tone_hz), QUIETEST_V * 1e-3)
    if look.meter is AudioMeter.VOLTS:
        return max(_rms(audio), QUIETEST_V)
    whole, tone = _rms(audio), _tone(audio, drive.audio_hz)
    return math.sqrt(max(whole**2 - tone**2, 0.0)) / max(whole, 1e-12)
