"""What a sweep shows, as figures and as a drawing over what the sheet's cans do."""

from __future__ import annotations

import numpy as np

from glowdial.core.alignment.curve import CurveFigures
from glowdial.core.alignment.which_core import CurveFinding
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Plot, PlotLine, PlotMark, Result, result
from glowdial.core.language.quantities import khz
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.intermediate.survey import centre_window
from glowdial.core.stages.intermediate.sweep_set_up import design_response
from glowdial.core.stages.intermediate.sweep_traces import Swept

PLOT_POINTS, LOWEST_DB = 120, -26.0
KEPT_POINTS = 200


def figures_results(facts: ReceiverFacts, swept: Swept) -> tuple[Result, ...]:
    """Centre, widths, lean and ripple of a sweep."""
    figures, answer = swept.figures, swept.answer
    window = centre_window(facts)
    limits = (khz(window.low or 0.0), khz(window.high or 0.0))
    six = figures.width(6.0)
    at_hz = six.centre_hz if six else figures.peak_hz
    word = "centre" if six else "peak"
    # an open round is judged by what is turned next, not as trouble of its own
    found = [result(answer, word, khz(at_hz), at_hz, window, limits, as_found=True)]
    for width in figures.widths:
        label = f"wide at -{width.down_db:g} dB"
        found.append(result(answer, label, khz(width.width_hz), width.width_hz, as_found=True))
    if six is not None:
        lean = figures.asymmetry_hz
        found.append(
            result(answer, "upper less lower half", f"{lean / 1e3:+.2f} kHz", lean, as_found=True)
        )
    if swept.apart_hz is not None:
        apart = swept.apart_hz
        found.append(
            result(
                answer,
                "up less down, taken off by averaging",
                f"{apart / 1e3:+.2f} kHz",
                apart,
                as_found=True,
            )
        )
    if len(figures.humps_hz) > 1:
        ripple = figures.ripple_db
        found.append(
            result(
                answer,
                f"{len(figures.humps_hz)} humps, ripple",
                f"{ripple:.1f} dB",
                ripple,
                Window(None, 1.0),
                ("", "1 dB"),
                as_found=True,
            )
        )
    return tuple(found)


def sweep_plot(
    facts: ReceiverFacts,
    swept: list[Swept],
    finding: CurveFinding | None,
    record: JobRecord | None = None,
) -> Plot | None:
    """The latest sweep with what was fitted to it, over the first and over what the sheet's cans
    do."""
    if not swept:
        return None
    last, first = swept[-1], swept[0]
    lines = [
        PlotLine("by the sheet", "expected", *_sampled(*_nominal(facts, last.figures, record)))
    ]
    if first is not last:
        lines.append(
            PlotLine(
                "as found", "found", *_sampled(first.figures.frequency_hz, first.figures.relative)
            )
        )
    lines.append(
        PlotLine(
            "swept now", "measured", *_sampled(last.figures.frequency_hz, last.figures.relative)
        )
    )
    if finding is not None:
        run = max(1, last.figures.frequency_hz.size // KEPT_POINTS)
        fitted = finding.fitted_v / float(np.max(finding.fitted_v))
        lines.append(
            PlotLine("fitted", "left", *_sampled(last.figures.frequency_hz[::run], fitted))
        )
    window = centre_window(facts)
    marks = [
        PlotMark(facts.intermediate_frequency_hz / 1e3, "IF", "nominal"),
        PlotMark((window.low or 0.0) / 1e3, "", "limit"),
        PlotMark((window.high or 0.0) / 1e3, "", "limit"),
    ]
    six = last.figures.width(6.0)
    title = "Sweep of the IF"
    if six is not None:
        title += f": centre {khz(six.centre_hz)}, {khz(six.width_hz)} wide at -6 dB"
        marks += [PlotMark(f / 1e3, f"-6 dB {khz(f)}", "edge") for f in (six.low_hz, six.high_hz)]
    return Plot(title, "kHz", "dB from the highest", tuple(lines), marks=tuple(marks), main=True)


def live_plot(
    facts: ReceiverFacts, swept: list[Swept], now: CurveFigures, record: JobRecord
) -> Plot:
    """A curve that is not kept, over the first and the last that were, and over the sheet's."""
    lines = [PlotLine("by the sheet", "expected", *_sampled(*_nominal(facts, now, record)))]
    for name, one in zip(("as found", "kept last"), (swept[:1] + swept[-1:]), strict=False):
        if name == "as found" or one is not swept[0]:
            kept = one.figures
            lines.append(PlotLine(name, "found", *_sampled(kept.frequency_hz, kept.relative)))
    lines.append(PlotLine("now", "left", *_sampled(now.frequency_hz, now.relative)))
    marks = [PlotMark(facts.intermediate_frequency_hz / 1e3, "IF", "nominal")]
    six = now.width(6.0)
    title = "As it turns"
    if six is not None:
        title += f": centre {khz(six.centre_hz)}, {khz(six.width_hz)} wide at -6 dB"
        marks += [PlotMark(f / 1e3, f"-6 dB {khz(f)}", "edge") for f in (six.low_hz, six.high_hz)]
    return Plot(title, "kHz", "dB from the highest", tuple(lines), marks=tuple(marks), main=True)


def _sampled(
    frequency_hz: np.ndarray, relative: np.ndarray
) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """A line as it is drawn: neighbours averaged, and nothing of the ground that noise makes."""
    run = max(1, frequency_hz.size // PLOT_POINTS)
    kept = frequency_hz.size // run * run
    row, level = (np.mean(x[:kept].reshape(-1, run), axis=1) for x in (frequency_hz, relative))
    down = 20.0 * np.log10(np.maximum(level, 1e-3))
    seen = np.flatnonzero(down > LOWEST_DB)
    shown = slice(int(seen[0]), int(seen[-1]) + 1)
    points = zip(row[shown], np.maximum(down[shown], LOWEST_DB), strict=True)
    xs, ys = zip(*((float(f) / 1e3, float(d)) for f, d in points), strict=True)
    return xs, ys


def _nominal(
    facts: ReceiverFacts, figures: CurveFigures, record: JobRecord | None
) -> tuple[np.ndarray, np.ndarray]:
    volts = design_response(facts, figures.frequency_hz, record)
    return figures.frequency_hz, volts / float(np.max(volts))
