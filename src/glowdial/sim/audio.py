"""Audio of a simulated set: tone, noise, hum and distortion, as RMS values and as a waveform."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.frequency_modulation import (
    FULL_DEVIATION_HZ,
    Discriminator,
    decode_stereo,
    deemphasis,
    deemphasis_gain_db,
    fm_noise_ratio,
    limited_v,
    multiplex,
)
from glowdial.core.physics.operating_point import Role
from glowdial.core.physics.phase_discriminator import PhaseDiscriminator
from glowdial.sim.front_end import part_factor
from glowdial.sim.signal_path import AUDIO_BAND_HZ, DETECTOR_EFFICIENCY, FM_WIDTHS, SignalPath
from glowdial.sim.stage_strains import gain_share
from glowdial.sim.state import BenchState

Floats = NDArray[np.float64]
AUDIO_GAIN, FM_AUDIO_GAIN = 4.5, 8.0
# direct volts of an FM detector for a volt of limited carrier
FM_DC_GAIN = 4.0
# a detector's secondary with some 2 kohm across it
HEAVY_Q = 4.0
MODULATION = 0.30
HUM_SHARE = 8e-3
LEAST_HUM_V, HEATER_HUM_V = 1.2e-3, 0.4e-3
SECOND_AT_FULL, CLIPS_AT_V = 0.04, 9.0
BEAT_OFFSET_HZ = 800.0
LONGEST_S = 120.0
STEREO_PHASE_RAD, STEREO_GAIN = 0.12, 0.96


@dataclass(frozen=True, slots=True)
class AudioParts:
    """What the output is made of, each in V RMS, with the tone's and the hum's frequency in Hz."""

    tone_v: float
    noise_v: float
    hum_v: float
    tone_hz: float
    hum_hz: float
    line_hz: float
    heater_hum_v: float
    second_share: float

    @property
    def rms_v(self) -> float:
        """All of it together, distortion counted with the tone."""
        tone_v = self.tone_v * math.hypot(1.0, self.second_share)
        return math.hypot(tone_v, self.noise_v, self.hum_v, self.heater_hum_v)


def audio_parts(receiver: SignalPath, state: BenchState) -> AudioParts:
    """The output's parts with the bench as it stands."""
    power = receiver.power.at(state)
    roles = (Role.DETECTOR, Role.OUTPUT)
    audio = gain_share(receiver.facts, receiver.condition, power.points, *roles)
    found, held = receiver.detected(state), receiver.held_gain(state)
    carrier, noise = held * found.carrier_v, held * found.noise_v
    gain = AUDIO_GAIN * DETECTOR_EFFICIENCY * audio
    depth, tone_hz = (MODULATION if state.tone_on else 0.0), state.tone_hz
    circuit = receiver.facts.circuit
    if circuit.fm is not None:
        tone_v, noise_v = _fm(receiver, state, found.if_hz, carrier, noise)
        tone_v, noise_v = tone_v * audio, noise_v * audio
    elif state.beat_on and circuit.beat_oscillator:
        # a product detector: the carrier itself becomes the tone
        beat_hz = found.if_hz - receiver.facts.intermediate_frequency_hz + BEAT_OFFSET_HZ
        tone_hz = abs(beat_hz)
        heard = 1.0 / math.hypot(1.0, tone_hz / AUDIO_BAND_HZ)
        tone_v, noise_v = gain * carrier * heard / math.sqrt(2.0), gain * noise
    else:
        # S/N of the envelope is m^2 C/N with the noise in the band of both sidebands
        tone_v, noise_v = gain * depth * carrier / math.sqrt(2.0), gain * noise
    # the output stage gives no more than it can, and bends before that
    tone_v = CLIPS_AT_V * math.tanh(tone_v / CLIPS_AT_V)
    supply = receiver.facts.supply
    line_hz = supply.line_hz if supply else 50.0
    on = state.line_v > 0.0
    # what is left of the last filter node's ripple, peak to peak, after the output's balance
    hum_v = math.hypot(HUM_SHARE * power.ripple_v[-1] / math.sqrt(8.0), LEAST_HUM_V if on else 0.0)
    return AudioParts(
        tone_v=tone_v,
        noise_v=noise_v,
        hum_v=hum_v,
        tone_hz=tone_hz,
        hum_hz=supply.ripple_hz if supply else 2.0 * line_hz,
        line_hz=line_hz,
        heater_hum_v=HEATER_HUM_V * power.warm,
        second_share=SECOND_AT_FULL * min(tone_v / CLIPS_AT_V, 1.0) + 0.004,
    )


def fm_detector(receiver: SignalPath, state: BenchState) -> PhaseDiscriminator | None:
    """The set's phase discriminator with its cores where they stand; None where the sheet does not
    name them."""
    fm, facts = receiver.facts.circuit.fm, receiver.facts
    if fm is None or not (fm.primary and fm.secondary):
        return None
    primary_hz, secondary_hz = (
        facts.intermediate_frequency_hz
        * part_factor(facts, receiver.condition, key, state.turns.get(key, 0.0)) ** -0.5
        for key in (fm.primary, fm.secondary)
    )
    if fm.secondary in state.damped:
        # a heavy damper: coupling in multiples of the critical one goes as the root of Q
        of_critical = fm.of_critical * math.sqrt(HEAVY_Q / fm.q)
        return PhaseDiscriminator(primary_hz, secondary_hz, fm.q, HEAVY_Q, of_critical)
    return PhaseDiscriminator(primary_hz, secondary_hz, fm.q, fm.q, fm.of_critical)


def fm_volts(receiver: SignalPath, state: BenchState) -> tuple[float, float]:
    """Direct volts at the FM detector's output, and the level across its diodes."""
    fm, centre = receiver.facts.circuit.fm, receiver.facts.intermediate_frequency_hz
    if fm is None:
        return 0.0, 0.0
    made = fm_detector(receiver, state) or Discriminator(centre, fm.separation_hz, fm.q)
    found = receiver.detected(state)
    limited = float(limited_v(receiver.held_gain(state) * found.carrier_v, fm.limiter_v))
    output, level = float(made.output(found.if_hz)), float(made.level(found.if_hz))
    return FM_DC_GAIN * limited * output, -FM_DC_GAIN * limited * level


def _fm(
    receiver: SignalPath, state: BenchState, if_hz: float, carrier: float, noise: float
) -> tuple[float, float]:
    """Tone and noise behind limiter, discriminator and de-emphasis, V RMS."""
    circuit = receiver.facts.circuit
    fm = circuit.fm
    assert fm is not None
    centre = receiver.facts.intermediate_frequency_hz
    discriminator = fm_detector(receiver, state) or Discriminator(centre, fm.separation_hz, fm.q)
    modulated_hz = MODULATION * FULL_DEVIATION_HZ if state.tone_on else 0.0
    swing = 0.5 * (state.fm_deviation_hz or modulated_hz)
    limited = float(limited_v(carrier, fm.limiter_v))
    slope = discriminator.output(np.array([if_hz - swing, if_hz + swing]))
    peak = 0.5 * float(slope[1] - slope[0]) * limited if swing > 0.0 else 0.0
    # twice: half the swing either way, and the chord stays straight over the whole of it
    tone_v = 2.0 * FM_AUDIO_GAIN * peak * float(deemphasis(state.tone_hz, fm.deemphasis_s))
    width_hz = 2.0 * FM_WIDTHS * AUDIO_BAND_HZ
    ratio = (carrier**2 / 2.0) / noise**2 if noise > 0.0 else 1e12
    full = 2.0 * FM_AUDIO_GAIN * limited * abs(float(discriminator.output(centre + 37.5e3)))
    quiet = fm_noise_ratio(max(ratio, 1e-9), FULL_DEVIATION_HZ, 15e3, width_hz)
    quiet *= math.pow(10.0, deemphasis_gain_db(fm.deemphasis_s, 15e3) / 10.0)
    noise_v = full / math.sqrt(2.0) / math.sqrt(max(quiet, 1.0))
    return tone_v / math.sqrt(2.0), noise_v


def waveform(receiver: SignalPath, state: BenchState, seconds: float, rate_hz: float) -> Floats:
    """The output as samples in V, shape (seconds x rate,); a given state always sounds the same.

    Raises BadInput for more than 120 s or a rate outside 8 to 384 kHz.
    """
    _check_record(seconds, rate_hz)
    parts = audio_parts(receiver, state)
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    rng = np.random.default_rng((receiver.condition.seed, round(1e3 * state.time_s), 5))
    tone = np.sin(2.0 * np.pi * parts.tone_hz * t)
    second = parts.second_share * np.cos(4.0 * np.pi * parts.tone_hz * t)
    hum = np.sin(2.0 * np.pi * parts.hum_hz * t + 0.7)
    heater = np.sin(2.0 * np.pi * parts.line_hz * t + 0.2)
    wave = math.sqrt(2.0) * (
        parts.tone_v * (tone + second) + parts.hum_v * hum + parts.heater_hum_v * heater
    )
    wave = wave + parts.noise_v * _noise(rng, t.size, rate_hz)
    return np.asarray(wave)


def stereo_waveform(
    receiver: SignalPath,
    state: BenchState,
    seconds: float,
    rate_hz: float,
    *,
    channel: str,
) -> tuple[Floats, Floats]:
    """Left and right of a tuner with the generator's multiplex tone on one ``channel``.

    Coded, decoded by the set's own imperfect decoder, pilot residue and noise added; shape each
    (seconds x rate,). Raises BadInput where the set decodes no stereo or the rate is below 120 kHz.
    """
    _check_record(seconds, rate_hz)
    fm = receiver.facts.circuit.fm
    if fm is None or not fm.stereo:
        raise BadInput("stereo", "this set", "has no stereo decoder", "a tuner with one")
    if rate_hz < 120e3:
        raise BadInput("rate", f"{rate_hz:g} Hz", "is too low for the subcarrier", "192000")
    if channel not in ("left", "right"):
        raise BadInput("channel", channel, "must be left or right", "left")
    parts = audio_parts(receiver, state)
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    tone = np.sin(2.0 * np.pi * parts.tone_hz * t)
    silent = np.zeros_like(tone)
    pair = (tone, silent) if channel == "left" else (silent, tone)
    composite = multiplex(*pair, rate_hz)
    rng = np.random.default_rng((receiver.condition.seed, 21))
    phase = STEREO_PHASE_RAD * float(rng.uniform(0.5, 1.5))
    left, right = decode_stereo(composite, rate_hz, phase_rad=phase, subcarrier_gain=STEREO_GAIN)
    scale = math.sqrt(2.0) * parts.tone_v
    noise = np.random.default_rng((receiver.condition.seed, round(1e3 * state.time_s), 6))
    pilot = 0.002 * np.sin(2.0 * np.pi * 19e3 * t)
    return tuple(  # type: ignore[return-value]
        np.asarray(scale * (side + pilot) + parts.noise_v * _noise(noise, t.size, rate_hz, 15e3))
        for side in (left, right)
    )


def _check_record(seconds: float, rate_hz: float) -> None:
    if not 0.0 < seconds <= LONGEST_S:
        raise BadInput("seconds", f"{seconds:g}", "must be up to 120 s", "5")
    if not 8e3 <= rate_hz <= 384e3:
        raise BadInput("rate", f"{rate_hz:g} Hz", "must be 8 to 384 kHz", "48000")


def _noise(
    rng: np.random.Generator, samples: int, rate_hz: float, edge_hz: float = AUDIO_BAND_HZ
) -> Floats:
    """Noise of 1 V RMS, flat up to the band's edge."""
    spectrum = np.fft.rfft(rng.standard_normal(samples))
    spectrum[np.fft.rfftfreq(samples, 1.0 / rate_hz) > edge_hz] = 0.0
    wave = np.fft.irfft(spectrum, samples)
    return np.asarray(wave / max(float(np.std(wave)), 1e-12))
