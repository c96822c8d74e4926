"""What a recording comes to, in the words and lines of a sum."""

from __future__ import annotations

import itertools
import math

import numpy as np

from glowdial.core.audio.recording import AudioFigures, Line
from glowdial.core.journey.steps import Plot, PlotLine
from glowdial.core.sums.form import SumAnswer, SumLine

PLOTTED, LOWEST_HZ = 240, 20.0
SIDES = ("left", "right")
REFERENCE_HZ, WITHIN_DB = 1000.0, 3.0


def recording_answer(channels: tuple[AudioFigures, ...], rate_hz: float) -> SumAnswer:
    """Figures of one or two channels, with their spectra."""
    sides = SIDES[: len(channels)] if len(channels) > 1 else ("",)
    sentences = [_sentence(one, side) for one, side in zip(channels, sides, strict=True)]
    lines = [line for one, side in zip(channels, sides, strict=True) for line in _lines(one, side)]
    spectra = tuple(
        _spectrum_line(one, side or "output", role)
        for one, side, role in zip(channels, sides, ("measured", "found"), strict=False)
    )
    plot = Plot("Spectrum", "frequency, Hz", "dB of full scale", spectra, decades=True)
    swept = [one for one in channels if one.response]
    if swept:
        sentences = [_response_sentence(one, s) for one, s in zip(channels, sides, strict=True)]
        plot = _response_plot(channels, sides)
    lines.append(SumLine("recorded with", f"{rate_hz / 1e3:g} kHz, up to {_top_words(rate_hz)}"))
    return SumAnswer(" ".join(sentences), tuple(lines), None, plot, _time_plot(channels, sides))


def _time_plot(channels: tuple[AudioFigures, ...], sides: tuple[str, ...]) -> Plot:
    """The tone over the recording: where it comes and goes, drifts or is cut off."""
    lines = tuple(
        PlotLine(side or "tone", role, *zip(*one.over_time, strict=True))
        for one, side, role in zip(channels, sides, ("measured", "found"), strict=False)
        if one.over_time
    )
    return Plot("The tone over time", "s", "dB of full scale", lines)


def _reference(one: AudioFigures) -> Line:
    """What a response is told against: nearest to 1 kHz, by ratio."""
    return min(one.response, key=lambda line: abs(math.log(line.frequency_hz / REFERENCE_HZ)))


def _response_sentence(one: AudioFigures, side: str) -> str:
    """From where to where it is within 3 dB of its level at 1 kHz."""
    begin = f"{side.capitalize()}: " if side else ""
    if not one.response:
        return f"{begin}no tone that was swept or stepped."
    level = _reference(one).level_db
    inside = [x.frequency_hz for x in one.response if x.level_db > level - WITHIN_DB]
    read = (one.response[0].frequency_hz, one.response[-1].frequency_hz)
    return (
        f"{begin}a tone swept or stepped from {read[0]:.0f} to {read[1]:.0f} Hz; within "
        f"{WITHIN_DB:.0f} dB of 1 kHz from {min(inside):.0f} to {max(inside):.0f} Hz."
    )


def _response_plot(channels: tuple[AudioFigures, ...], sides: tuple[str, ...]) -> Plot:
    lines = tuple(
        PlotLine(
            side or "output",
            role,
            tuple(x.frequency_hz for x in one.response),
            tuple(x.level_db - _reference(one).level_db for x in one.response),
        )
        for one, side, role in zip(channels, sides, ("measured", "found"), strict=False)
        if one.response
    )
    return Plot("Response", "frequency, Hz", "dB over that at 1 kHz", lines, decades=True)


def _top_words(rate_hz: float) -> str:
    """What such a rate still holds."""
    beyond = [f"{khz} kHz" for khz in (19, 38, 57) if khz * 1e3 > 0.45 * rate_hz]
    top = f"{0.45 * rate_hz / 1e3:.0f} kHz"
    return f"{top}; {', '.join(beyond)} lie beyond" if beyond else top


def _sentence(one: AudioFigures, side: str) -> str:
    begin = f"{side.capitalize()}: " if side else ""
    pair = f", (S+N)/N {one.on_off_db:.1f} dB by tone on and off" if one.on_off_db else ""
    loud = " Its tops are cut off: turn the input down and record again." if one.clipped else ""
    return (
        f"{begin}{one.tone_hz:.1f} Hz{pair}, SINAD {one.sinad_db:.1f} dB, THD "
        f"{one.thd_percent:.2g} %.{loud}{_hole_words(one)}"
    )


def _hole_words(one: AudioFigures) -> str:
    """What is said of places without any sound."""
    if not one.holes:
        return ""
    where = "one place" if one.holes == 1 else f"{one.holes} places"
    return (
        f" In {where}, {one.lost_s:.3g} s in all, it holds no sound at all, not even noise: "
        "samples were lost on the way, or the input was muted. What is told of noise is not the "
        "set's; record again."
    )


def _lines(one: AudioFigures, side: str) -> list[SumLine]:
    before = f"{side}: " if side else ""
    doubt = f" (within {one.noise_doubt_db:.2f} dB)" if one.noise_doubt_db >= 0.05 else ""
    rows = [
        ("level", f"{one.level_db:.1f} dB of full scale"),
        ("tone", f"{one.tone_hz:.1f} Hz at {one.tone_db:.1f} dB"),
    ]
    if one.on_off_db is not None:
        rows.append(
            ("(S+N)/N", f"{one.on_off_db:.2f} dB, on for {one.on_s:.0f} s, off for {one.off_s:.0f}")
        )
    rows += [
        ("S/N", f"{one.snr_db:.2f} dB{doubt}"),
        ("SINAD", f"{one.sinad_db:.2f} dB, {one.sinad_without_hum_db:.2f} without hum"),
        ("THD", f"{one.thd_percent:.3g} %"),
        ("THD+N", f"{one.thd_plus_noise_percent:.3g} %"),
    ]
    loudest = sorted(one.harmonics, key=lambda line: -line.level_db)[:3]
    rows += [
        (f"harmonic {round(h.frequency_hz / one.tone_hz)}", f"{h.level_db - one.tone_db:.1f} dB")
        for h in loudest
        if math.isfinite(h.level_db) and h.level_db > one.tone_db - 100.0
    ]
    rows += [
        (f"hum {h.frequency_hz:.0f} Hz", f"{h.level_db - one.tone_db:.1f} dB") for h in one.hum
    ]
    rows += [("hum", words) for words in one.hum_words()]
    return [SumLine(f"{before}{label}", text) for label, text in rows]


def _spectrum_line(one: AudioFigures, label: str, role: str) -> PlotLine:
    """The greatest line in each of many steps of frequency, evenly apart by ratio."""
    spectrum = one.spectrum
    at = np.arange(spectrum.power.size) * spectrum.spacing_hz
    edges = np.geomspace(LOWEST_HZ, max(at[-1], 2.0 * LOWEST_HZ), PLOTTED + 1)
    places = np.searchsorted(at, edges)
    x, y = [], []
    for low, high in itertools.pairwise(places):
        if high > low:
            best = low + int(np.argmax(spectrum.power[low:high]))
            x.append(float(at[best]))
            y.append(10.0 * math.log10(max(float(spectrum.power[best]), 1e-20)))
    return PlotLine(label, role, tuple(x), tuple(y))
