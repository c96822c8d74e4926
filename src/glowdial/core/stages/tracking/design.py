"""A band's nominal design in words: its oscillator's parts, and what it errs over the band."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from glowdial.core.journey.dial_marks import dial_scale
from glowdial.core.journey.steps import Plot, PlotLine
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.model.facts import BandFacts
from glowdial.core.physics.tracking import NOMINAL_AERIAL_Q, best_points, mistracking_loss_db

Floats = NDArray[np.float64]

POINTS = 61


def _errors(band: BandFacts) -> tuple[Floats, Floats]:
    """Signal frequencies over a band, and the design's tracking error at each, in Hz."""
    grid = np.linspace(band.low_hz, band.high_hz, POINTS)
    return grid, band.tracked.error_hz(grid)


def design_words(band: BandFacts) -> str:
    """The design's own error in Hz and in the aerial circuit's decibels, beside the least that its
    circuit could have."""
    grid, errors = _errors(band)
    worst = int(np.argmax(np.abs(errors)))
    at, off = float(grid[worst]), float(errors[worst])
    loss = mistracking_loss_db(off, at, NOMINAL_AERIAL_Q)
    return (
        f"Computed from the sheet: {_parts_words(band)}. Between the tracking points the aerial "
        f"circuit is off by up to {off / 1e3:+.1f} kHz, at {khz(round(at, -4))}, {loss:.1f} dB by "
        f"its Q{_best_words(band, abs(off))}."
    )


def _best_words(band: BandFacts, worst_hz: float) -> str:
    """What the best three points would leave; nothing for a circuit without a padder."""
    nominal = band.tracked
    if math.isinf(nominal.oscillator.padder_f) or nominal.section.cut or nominal.inductive:
        return ""
    best = best_points(
        nominal.signal,
        abs(nominal.offset_hz),
        band.low_hz,
        band.high_hz,
        place=nominal.oscillator.place,
        high_side=nominal.offset_hz > 0.0,
        stray_f=nominal.oscillator.stray_f,
        section=nominal.section,
    )
    grid = np.linspace(band.low_hz, band.high_hz, POINTS)
    least = float(np.max(np.abs(best.error_hz(grid))))
    if least > 0.95 * worst_hz:
        return "; no three points do better"
    points = ", ".join(khz(round(f, -4)) for f in _zeros_hz(grid, best.error_hz(grid)))
    return f"; with the best points ({points}) by {least / 1e3:.1f} kHz"


def _zeros_hz(grid: Floats, errors: Floats) -> list[float]:
    """Where an error crosses nothing."""
    turns = np.flatnonzero(np.diff(np.sign(errors)) != 0)
    share = errors[turns] / (errors[turns] - errors[turns + 1])
    return [float(f) for f in grid[turns] + share * (grid[1] - grid[0])]


def _parts_words(band: BandFacts) -> str:
    """The oscillator's parts by name; in a set of slugs L and C have changed places."""
    lo = band.tracked.oscillator
    farad, henry = ("H", "F") if band.tracked.inductive else ("F", "H")
    scale, shunt, series = (
        engineering(v, unit)
        for v, unit in ((lo.inductance_h, henry), (lo.trimmer_f, farad), (lo.padder_f, farad))
    )
    if band.tracked.inductive:
        return (
            f"fixed capacity {scale}, coil in series with the slug's {shunt}, across both {series}"
        )
    if math.isinf(lo.padder_f):
        plates = "plates cut for it" if band.tracked.section.cut else "no padder"
        return f"oscillator coil {scale}, trimmer and strays {shunt}, {plates}"
    return f"oscillator coil {scale}, trimmer and strays {shunt}, padder {series}"


def design_plot(band: BandFacts) -> Plot:
    """The design's own error over the band."""
    grid, errors = _errors(band)
    scale, unit = dial_scale(band)
    computed = PlotLine(
        "computed",
        "left",
        tuple(float(f) / scale for f in grid),
        tuple(float(e) / 1e3 for e in errors),
    )
    title = "Tracking error of the design, oscillator less aerial circuit"
    return Plot(title, f"signal ({unit})", "error (kHz)", (computed,))
