"""Frequency modulation: limiter, discriminator, de-emphasis and the stereo multiplex.

Sources: textbooks of FM reception. Discriminator: two circuits tuned to either side, their
detected volts subtracted. Noise of FM above threshold: parabolic in audio frequency,
S/N = 3/2 (D/f)^2 C/N for a single audio bandwidth f. Multiplex: L+R, a 19 kHz pilot, (L-R) on a
suppressed 38 kHz carrier.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import require_positive
from glowdial.core.physics.resonance import circuit_response

Floats = NDArray[np.float64]
PILOT_HZ = 19e3
PILOT_SHARE = 0.1
FULL_DEVIATION_HZ = 75e3


def limited_v(carrier_v: Floats | float, threshold_v: float) -> Floats:
    """Output amplitude of a limiter: in step below its threshold, flat above, rounded between."""
    require_positive(threshold_v=threshold_v)
    x = np.asarray(carrier_v, dtype=np.float64) / threshold_v
    return np.asarray(np.tanh(x) * threshold_v)


@dataclass(frozen=True, slots=True)
class Discriminator:
    """Two circuits at ``centre_hz`` -/+ half of ``separation_hz``, of loaded ``q``.

    ``offset_hz`` is how far the pair is out of tune, ``unbalance`` how much stronger (as a share)
    the upper one is.
    """

    centre_hz: float
    separation_hz: float
    q: float
    offset_hz: float = 0.0
    unbalance: float = 0.0

    def output(self, frequency_hz: Floats | float) -> Floats:
        """Volts per volt of limited carrier; positive above the zero crossing."""
        upper, lower = self._diodes(frequency_hz)
        return np.asarray(upper - lower)

    def level(self, frequency_hz: Floats | float) -> Floats:
        """The level of both circuits together."""
        upper, lower = self._diodes(frequency_hz)
        return np.asarray(upper + lower)

    def _diodes(self, frequency_hz: Floats | float) -> tuple[Floats, Floats]:
        half = 0.5 * self.separation_hz
        centre = self.centre_hz + self.offset_hz
        upper = circuit_response(frequency_hz, centre + half, self.q) * (1.0 + self.unbalance)
        return upper, circuit_response(frequency_hz, centre - half, self.q)


def deemphasis(audio_hz: Floats | float, time_s: float) -> Floats:
    """Magnitude of one pole, 1/sqrt(1 + (2 pi f tau)^2); tau 50 or 75 us by region."""
    return np.asarray(1.0 / np.hypot(1.0, 2.0 * math.pi * np.asarray(audio_hz) * time_s))


def deemphasis_gain_db(time_s: float, audio_hz: float) -> float:
    """By how much de-emphasis lowers the noise of FM in an audio band up to ``audio_hz``, in dB.

    Noise whose density rises with the square of frequency, through one pole: (x^3/3) over
    (x - arctan x) with x = 2 pi f tau. Source: textbooks of FM reception.
    """
    require_positive(time_s=time_s, audio_hz=audio_hz)
    x = 2.0 * math.pi * audio_hz * time_s
    return 10.0 * math.log10(x**3 / 3.0 / (x - math.atan(x)))


def fm_noise_ratio(
    carrier_to_noise: float, deviation_hz: float, audio_hz: float, if_width_hz: float
) -> float:
    """S/N power ratio of a tone at ``deviation_hz`` in the audio band up to ``audio_hz``.

    3/2 (D/f)^2 (B/f) C/N with the noise of C/N in the IF width B. Above the threshold of some
    10 dB; below it clicks take over and the ratio falls twice as fast in dB, which is modelled so.
    """
    require_positive(audio_hz=audio_hz, if_width_hz=if_width_hz)
    swing = 1.5 * (deviation_hz / audio_hz) ** 2 * if_width_hz / audio_hz
    knee = 10.0
    below = min(carrier_to_noise / knee, 1.0)
    return swing * carrier_to_noise * below


def multiplex(left: Floats, right: Floats, rate_hz: float, *, pilot: float = PILOT_SHARE) -> Floats:
    """The stereo composite of two channels (peak 1), shape (n,); ``rate_hz`` above 120 kHz."""
    t = np.arange(left.size) / rate_hz
    carrier = np.sin(2.0 * np.pi * 2.0 * PILOT_HZ * t)
    sums = 0.45 * (left + right) + 0.45 * (left - right) * carrier
    return np.asarray(sums + pilot * np.sin(2.0 * np.pi * PILOT_HZ * t))


def decode_stereo(
    composite: Floats, rate_hz: float, *, phase_rad: float = 0.0, subcarrier_gain: float = 1.0
) -> tuple[Floats, Floats]:
    """Left and right by multiplying with the regenerated subcarrier and a low pass of 15 kHz.

    ``phase_rad`` and ``subcarrier_gain`` are errors of the decoder, which cost separation: it is
    (1 + g cos p)/(1 - g cos p).
    """
    t = np.arange(composite.size) / rate_hz
    carrier = np.sin(2.0 * np.pi * 2.0 * PILOT_HZ * t + phase_rad)
    total = _low_pass(composite, rate_hz) / 0.45
    difference = subcarrier_gain * 2.0 * _low_pass(composite * carrier, rate_hz) / 0.45
    return 0.5 * (total + difference), 0.5 * (total - difference)


def _low_pass(signal: Floats, rate_hz: float, edge_hz: float = 15e3) -> Floats:
    """Brick wall in the spectrum: the record is taken as one period."""
    spectrum = np.fft.rfft(signal)
    spectrum[np.fft.rfftfreq(signal.size, 1.0 / rate_hz) > edge_hz] = 0.0
    return np.asarray(np.fft.irfft(spectrum, signal.size))
