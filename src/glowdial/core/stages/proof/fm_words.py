"""How a measurement of an FM receiver is told: its settings, points, figures, limits and curve."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.steps import (
    Plot,
    PlotLine,
)
from glowdial.core.language.quantities import echo, engineering
from glowdial.core.language.verdicts import Window
from glowdial.core.stages.proof.fm_points import (
    OF_SETTING,
    fm_key,
    taken_of,
    typed_of,
)
from glowdial.core.tuner.drive import Programme
from glowdial.core.tuner.measurement import CurveLimit, Measurement, Reduction

# how a point is drawn: what is set over decades as decibels, or by decades
LEVELS = ("level_v", "other_level_v")
LOGARITHMIC = ("audio_hz",)
SHARE_UNIT, LEVEL_UNIT = "%", "dB"
# what is called usable, and a fall of a curve that is a switch
USABLE_DB, STEP_DB = 30.0, 3.0
SIDES = (Programme.LEFT, Programme.RIGHT)
# half of the stroke of a limit at one point, of the whole drawing
STROKE_SHARE = 0.03
# two curves that differ by less, of two readings each, are one
SAME_DB, SAME_SHARE = 1.0, 0.2
FmCurve = Mapping[float, float]
_BARE = {"kHz": 1e3, "MHz": 1e6, "%": 0.01}


def set_words(measured: Measurement) -> str:
    """How the generators stand besides what is varied."""
    at = measured.set
    words = []
    if measured.varies != "carrier_hz":
        words.append(f"carrier {engineering(at.carrier_hz, 'Hz')}")
    if measured.varies != "level_v":
        words.append(f"{engineering(at.level_v, 'V')} EMF")
    if measured.varies != "deviation_hz":
        words.append(f"{at.deviation_hz / 1e3:g} kHz of deviation")
    if measured.varies != "audio_hz" and at.programme is not Programme.SILENT:
        words.append(f"{at.audio_hz:g} Hz")
    if at.pilot:
        words.append("pilot on")
    if at.position:
        words.append(f"switch at {at.position}")
    return f"Set: {', '.join(words)}."


def point_words(measured: Measurement, x: float) -> str:
    """A point as people write it."""
    return echo(typed_of(measured, x), OF_SETTING[measured.varies])


def window_at(measured: Measurement, x: float) -> tuple[Window | None, CurveLimit | None]:
    """What a figure at a point may be, and whose limit that is; nothing where there is none."""
    limit = measured.limit_at(x)
    return (Window(limit.low, limit.high) if limit else None), limit


def unit_of(measured: Measurement) -> str:
    """The unit of its figures."""
    return SHARE_UNIT if measured.reduction is Reduction.SHARE else LEVEL_UNIT


def figure_words(measured: Measurement, value: float) -> str:
    """A figure with its unit."""
    digits = 2 if measured.reduction is Reduction.SHARE else 1
    return f"{value:.{digits}f} {unit_of(measured)}"


def limit_words(measured: Measurement, limit: CurveLimit) -> str:
    """A limit, and whose it is."""
    unit = unit_of(measured)
    if limit.low is not None and limit.high is not None:
        return f"{limit.low:g} to {limit.high:g} {unit} ({limit.whose})"
    if limit.low is not None:
        return f"at least {limit.low:g} {unit} ({limit.whose})"
    return f"at most {limit.high:g} {unit} ({limit.whose})"


def curve_words(measured: Measurement, curve: Mapping[float, float]) -> list[str]:
    """What is read off a curve of signal to noise over level: where it crosses 30 dB, and where
    it steps as the set switches."""
    if measured.varies != "level_v" or measured.reduction is not Reduction.RATIO:
        return []
    if measured.set.programme in SIDES:
        return _switching_words(curve)
    words, points = [], sorted(curve)
    for low, high in itertools.pairwise(points):
        below, above = curve[low], curve[high]
        if below < USABLE_DB <= above:
            share = (USABLE_DB - below) / (above - below)
            level = low * (high / low) ** share
            words.append(f"{USABLE_DB:.0f} dB at {engineering(level, 'V')} EMF.")
        if above < below - STEP_DB:
            words.append(
                f"It falls by {below - above:.0f} dB between {engineering(low, 'V')} and "
                f"{engineering(high, 'V')}: there the set switches."
            )
    return words


def _switching_words(curve: Mapping[float, float]) -> list[str]:
    """Where separation sets in: from next to none to that of a decoder."""
    return [
        f"Separation goes from {curve[low]:.0f} to {curve[high]:.0f} dB between "
        f"{engineering(low, 'V')} and {engineering(high, 'V')}: there the set switches to stereo."
        for low, high in itertools.pairwise(sorted(curve))
        if abs(curve[low]) < STEP_DB and curve[high] > 2.0 * STEP_DB
    ]


def position_words(
    measured: Measurement, curve: Mapping[float, float], other: Measurement, beside: FmCurve
) -> str:
    """How far two positions of a switch differ, or that it changes nothing here; nothing where
    they have no point in common."""
    common = sorted(set(curve) & set(beside))
    if not common:
        return ""
    most = max(common, key=lambda x: abs(curve[x] - beside[x]))
    off = curve[most] - beside[most]
    same = SAME_SHARE if measured.reduction is Reduction.SHARE else SAME_DB
    if abs(off) < same:
        return (
            f"As at {other.set.position}, to {abs(off):.1f} {unit_of(measured)}: the switch "
            "changes nothing that is measured here."
        )
    return (
        f"Against {other.set.position}: {off:+.1f} {unit_of(measured)} at "
        f"{point_words(measured, most)}."
    )


def drawn_x(measured: Measurement, x: float) -> float:
    """A point as it is drawn: levels in dB over 1 uV, audio frequencies in Hz by decades, others in
    the unit that they are typed in."""
    if measured.varies in LEVELS:
        return 20.0 * math.log10(max(x, 1e-9) / 1e-6)
    if measured.varies in LOGARITHMIC:
        return x
    return x / _BARE.get(OF_SETTING[measured.varies].bare, 1.0)


def x_label(measured: Measurement) -> str:
    """The words along the drawing."""
    quantity = OF_SETTING[measured.varies]
    if measured.varies in LEVELS:
        return "level, dBuV EMF"
    if measured.varies in LOGARITHMIC:
        return "audio frequency, Hz"
    return f"{quantity.name}, {quantity.bare}"


def _limit_ends(measured: Measurement, limit: CurveLimit) -> tuple[float, float]:
    """From where to where a limit is drawn; one of a single point as a short stroke through it."""
    low, high = min(measured.points), max(measured.points)
    first, last = (drawn_x(measured, min(max(x, low), high)) for x in (limit.first, limit.last))
    if first != last:
        return first, last
    start, end = drawn_x(measured, low), drawn_x(measured, high)
    if start == end:
        # a measurement of one point is a dot with its limit across it
        half = STROKE_SHARE * (abs(start) or 1.0)
        return start - half, end + half
    if measured.varies in LOGARITHMIC:
        share = (end / start) ** STROKE_SHARE
        return max(first / share, start), min(last * share, end)
    half = STROKE_SHARE * (end - start)
    return max(first - half, start), min(last + half, end)


def curve_plot(record: JobRecord, measured: Measurement, phase: str) -> Plot | None:
    """The curve, that as found below it, and the limits."""
    phases = (FOUND, LEFT) if phase == LEFT else (FOUND,)
    lines = []
    for one in phases:
        rows = taken_of(record.of_step(fm_key(one, measured)), measured)
        curve = measured.reduced(rows)
        if curve:
            xs = tuple(drawn_x(measured, x) for x in curve)
            role = "found" if one == FOUND and phase == LEFT else "measured"
            lines.append(PlotLine(f"as {one}", role, xs, tuple(curve.values())))
    if not lines:
        return None
    for limit in measured.limits:
        ends = _limit_ends(measured, limit)
        for role, edge in (("low", limit.low), ("high", limit.high)):
            if edge is not None:
                lines.append(PlotLine(limit.whose, role, ends, (edge, edge)))
    return Plot(
        measured.title,
        x_label(measured),
        unit_of(measured),
        tuple(lines),
        main=True,
        decades=measured.varies in LOGARITHMIC,
    )
