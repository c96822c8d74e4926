"""The FM detector after its IF: primary to the most level, secondary to zero, and the S seen.

In a discriminator the level is read at one diode's load, in a ratio detector across its large
capacitor. Tuned in means zero of the secondary, or least distortion: not the finest picture.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from glowdial.core.alignment.s_curve import SCurve, s_curve
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.peaking import Indicated, peak_ask
from glowdial.core.journey.readings import asked_at, conclude, planned, reading, readings, waiting
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import (
    Ask,
    Field,
    Lead,
    Plot,
    PlotLine,
    PlotMark,
    Result,
    Step,
    result,
)
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import DC_VOLTS, TURNS, khz, turns
from glowdial.core.language.verdicts import Window, symmetric
from glowdial.core.model.circuit import FmDetector, FmKind
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import DISCRIMINATOR, FM_LEVEL, turn_of
from glowdial.core.physics.phase_discriminator import PhaseDiscriminator
from glowdial.core.stages.intermediate.survey import STAGE, fed_at, if_recipe
from glowdial.core.stages.intermediate.sweep_traces import TRACE, samples_of, trace_ask

PRIMARY, ZERO, CURVE = "if.fm.primary", "if.fm.zero", "if.fm.curve"
POINT = "point"
# the generator into limiting, and points of the S either side over this share of its separation
LIMITING_V, POINTS, LOOKED_AT = 0.1, 7, 0.85
# the secondary's winding is damped while the primary is peaked, or it hardly shows a peak
DAMPER = "2.2 kohm"
# what is left at the IF, of the line's height; halves alike to this; straight to this
ZERO_SHARE, ALIKE, STRAIGHT = 0.03, 0.15, 0.08
SEPARATION_TOLERANCE = 0.25
SWING_HZ = 75e3
# points of a trace that are kept
MOST_POINTS = 81
LEVEL_SHOWN = Indicated("level", DC_VOLTS, FM_LEVEL, "-1.2", " level")


def fm_steps(situation: Situation) -> list[Step]:
    """The detector's steps; none for a set without one, or whose sheet names no cores of it."""
    detector = situation.facts.circuit.fm
    if detector is None or not (detector.primary and detector.secondary):
        return []
    return [
        _primary(situation, detector),
        _zero(situation, detector),
        _curve(situation, detector),
    ]


def detector_by_sheet(facts: ReceiverFacts) -> PhaseDiscriminator | None:
    """The detector with every core right; None without one."""
    fm = facts.circuit.fm
    if fm is None:
        return None
    at = facts.intermediate_frequency_hz
    return PhaseDiscriminator(at, at, fm.q, fm.q, fm.of_critical)


def separation_by_sheet_hz(facts: ReceiverFacts) -> float:
    """From peak to peak with every core right."""
    made = detector_by_sheet(facts)
    if made is None:
        return 0.0
    row = facts.intermediate_frequency_hz + np.linspace(-1.5e6, 1.5e6, 3001)
    return s_curve(row, made.output(row)).separation_hz


def _leads(facts: ReceiverFacts, where: str) -> tuple[Lead, ...]:
    return (
        Lead("signal generator", "10 nF", fed_at(facts, "mixer grid"), signal=True),
        Lead("high-impedance DC meter", "100 kohm", where),
    )


def _level_at(detector: FmDetector) -> str:
    ratio = detector.kind is FmKind.RATIO
    return "the large capacitor across both diodes" if ratio else "one diode's load"


def _basis(facts: ReceiverFacts, *cores: str) -> Basis:
    return Basis(adjusters=(*facts.if_adjusters(), *cores), areas=("supply",))


def _recipe(facts: ReceiverFacts, doing: Doing, adjuster: str | None = None) -> Recipe:
    made = if_recipe(facts, doing, generator_emf_v=LIMITING_V, tone_on=False)
    return replace(made, adjuster=adjuster)


def _primary(situation: Situation, detector: FmDetector) -> Step:
    facts, record = situation.facts, situation.record
    adjuster = facts.adjuster(detector.primary)
    damped = _recipe(facts, Doing.PEAK).setting(damped=(detector.secondary,))
    recipe = replace(damped, indicator=FM_LEVEL)
    words = (
        f"Generator on {khz(facts.intermediate_frequency_hz)}, unmodulated, well into limiting; "
        f"some {DAMPER} across the {facts.adjuster(detector.secondary).name}'s winding. "
    )
    ask = peak_ask(adjuster, recipe, LEVEL_SHOWN, words)
    found = reading(record, PRIMARY, ask, Basis(adjusters=facts.if_adjusters()))
    step = Step(
        PRIMARY,
        STAGE,
        f"Peak the {adjuster.name}",
        f"The detector's primary makes both halves alike. {adjuster.tool}; tool out for the "
        "reading that counts. Damper off again before the secondary.",
        leads=_leads(facts, _level_at(detector)),
        powered=True,
        adjuster=adjuster.key,
    )
    if found.answer is not None:
        before, after = (abs(found.answer.values[n]) for n in ("before", "after"))
        shown = result(
            found.answer,
            f"peaked {adjuster.name}",
            f"{before:.2f} to {after:.2f} V",
            after,
            Window(0.97 * before, None),
            (f"{before:.2f} V", ""),
            stale=found.stale,
        )
        step = replace(step, results=(shown,), cost="the detector's halves are unlike")
    return conclude(step, (found,), retake=found.ask)


def _zero(situation: Situation, detector: FmDetector) -> Step:
    facts, record = situation.facts, situation.record
    adjuster = facts.adjuster(detector.secondary)
    ask = Ask(
        "zero",
        f"Meter at the detector's output, centre zero. Turn the {adjuster.name} to the zero "
        "between its two peaks, one of each sign: volts before, at the zero, turn.",
        (
            Field("before", "before", DC_VOLTS, measurand=DISCRIMINATOR),
            Field("after", "at the zero", DC_VOLTS, measurand=DISCRIMINATOR),
            Field("turns", "turn", TURNS, measurand=turn_of(adjuster.key)),
        ),
        "0.42 0.00 -3/8",
        expected_text="0 V, positive on one side and negative on the other",
        recipe=replace(_recipe(facts, Doing.ZERO, adjuster.key), indicator=DISCRIMINATOR),
    )
    found = reading(record, ZERO, ask, _basis(facts, detector.primary))
    step = Step(
        ZERO,
        STAGE,
        f"Set the {adjuster.name} to zero",
        "The detector's secondary sets where it is silent. A zero beyond a peak, with one sign "
        f"only, is the wrong one. {adjuster.tool}.",
        leads=_leads(facts, "detector's output"),
        powered=True,
        adjuster=adjuster.key,
    )
    if found.answer is not None:
        values = found.answer.values
        height = max(abs(values["before"]), 0.1)
        window = symmetric(0.0, max(ZERO_SHARE * height, 0.02))
        shown = result(
            found.answer,
            "at the IF",
            f"{values['after']:+.3f} V",
            values["after"],
            window,
            (f"{window.low or 0.0:+.2f} V", f"{window.high or 0.0:+.2f} V"),
            stale=found.stale,
        )
        moved = f"Turned: {turns(values['turns'])}." if values["turns"] else "Left as it stood."
        step = replace(
            step, results=(shown,), advice=(moved,), cost="it is not silent where it is tuned in"
        )
    return conclude(step, (found,), retake=found.ask)


def _points_hz(facts: ReceiverFacts) -> tuple[float, ...]:
    reach = LOOKED_AT * separation_by_sheet_hz(facts)
    step = float(f"{reach / POINTS:.0e}")
    return tuple(facts.intermediate_frequency_hz + n * step for n in range(-POINTS, POINTS + 1))


def _curve(situation: Situation, detector: FmDetector) -> Step:
    facts, record = situation.facts, situation.record
    points_hz = planned(record, CURVE, _points_hz(facts))
    asks = [_point_ask(facts, f) for f in points_hz]
    basis = _basis(facts, detector.primary, detector.secondary)
    swept = replace(trace_ask(facts), swept="", called="swept")
    found = readings(record, CURVE, asks, basis)
    if record.latest(CURVE, TRACE) is not None:
        # a sweep shows all of it at once
        found = (reading(record, CURVE, swept, basis),)
    curve = _seen(record)
    step = Step(
        CURVE,
        STAGE,
        "See the detector's S",
        "The generator moved over it at one level: zero, separation, symmetry. It limits over all "
        "of it, or the IF's own flanks pull the peaks together: then at the limiter's input.",
        leads=_leads(facts, "detector's output"),
        powered=True,
        programme=points_hz,
        draw=lambda: _plot(facts, record, curve),
        others=(swept,),
    )
    if waiting(found) is None:
        if curve is None:
            words = "It does not cross zero with a peak either side: the secondary first."
            step = replace(step, advice=(words,), cost="the detector's S was not seen")
        else:
            answer = record.of_step(CURVE)[0]
            stale = any(f.stale for f in found)
            step = replace(
                step,
                results=_results(facts, curve, answer, stale=stale),
                advice=_advice(facts, detector, curve),
                cost="the detector is not as it should be",
            )
    again = swept if len(found) == 1 else asks[0]
    return conclude(step, found, retake=again)


def check_s(texts: Mapping[str, str], values: Mapping[str, float]) -> None:
    """Raises BadInput for a swept S that cannot be read, or is none."""
    trace = samples_of(texts, values)
    s_curve(trace.frequency_hz, trace.volts, swing_hz=SWING_HZ)


def _point_ask(facts: ReceiverFacts, frequency_hz: float) -> Ask:
    recipe = replace(_recipe(facts, Doing.READ), indicator=DISCRIMINATOR)
    return asked_at(
        Ask(
            POINT,
            f"Generator on {khz(frequency_hz)} at the same level: the detector's output.",
            (Field("output", "output", DC_VOLTS, measurand=DISCRIMINATOR),),
            "-0.35",
            recipe=recipe.setting(generator_hz=frequency_hz),
            called=khz(frequency_hz),
        ),
        generator_hz=frequency_hz,
    )


def _seen(record: JobRecord) -> SCurve | None:
    """The S of the points so far; None while they show none."""
    points = _read(record)
    if len(points) > MOST_POINTS:
        # noise of a trace: neighbours averaged
        points = _averaged(points)
    try:
        return s_curve(list(points), list(points.values()), swing_hz=SWING_HZ)
    except BadInput:
        return None


def _read(record: JobRecord) -> dict[float, float]:
    swept = record.latest(CURVE, TRACE)
    if swept is not None:
        trace = samples_of(swept.texts, swept.values)
        return dict(sorted(zip(trace.frequency_hz, trace.volts, strict=True)))
    answers = [a for a in record.of_step(CURVE) if a.ask == POINT]
    return dict(sorted((a.asked_at("generator_hz"), a.values["output"]) for a in answers))


def _averaged(points: dict[float, float]) -> dict[float, float]:
    """Neighbours together, down to so many points as a curve needs."""
    run = math.ceil(len(points) / MOST_POINTS)
    kept = len(points) // run * run
    row, level = (
        np.array(list(x))[:kept].reshape(-1, run).mean(axis=1)
        for x in (points.keys(), points.values())
    )
    return dict(zip(row.tolist(), level.tolist(), strict=True))


def _results(
    facts: ReceiverFacts, curve: SCurve, answer: Answer, *, stale: bool
) -> tuple[Result, ...]:
    centre, wide = facts.intermediate_frequency_hz, separation_by_sheet_hz(facts)
    off = symmetric(centre, ZERO_SHARE * wide)
    apart = symmetric(wide, SEPARATION_TOLERANCE * wide)
    alike = symmetric(0.0, ALIKE)
    rows = [
        ("zero at", khz(curve.zero_hz), curve.zero_hz, off, khz),
        ("peak to peak", khz(curve.separation_hz), curve.separation_hz, apart, khz),
        ("upper less lower half", f"{100 * curve.unlike:+.0f} %", curve.unlike, alike, _share),
    ]
    if curve.bend is not None:
        straight = Window(None, STRAIGHT)
        rows.append(
            (
                f"bend over {SWING_HZ / 1e3:.0f} kHz",
                f"{100 * curve.bend:.0f} %",
                curve.bend,
                straight,
                _share,
            )
        )
    return tuple(
        result(
            answer,
            label,
            text,
            value,
            window,
            (_limit(window.low, words), _limit(window.high, words)),
            stale=stale,
        )
        for label, text, value, window, words in rows
    )


def _limit(value: float | None, words: Callable[[float], str]) -> str:
    return "" if value is None else words(value)


def _share(value: float) -> str:
    return f"{100 * value:+.0f} %"


def _advice(facts: ReceiverFacts, detector: FmDetector, curve: SCurve) -> tuple[str, ...]:
    """Which core what is off belongs to."""
    centre, wide = facts.intermediate_frequency_hz, separation_by_sheet_hz(facts)
    words = []
    if abs(curve.zero_hz - centre) > ZERO_SHARE * wide:
        name = facts.adjuster(detector.secondary).name
        words.append(f"Zero {khz(abs(curve.zero_hz - centre))} off: the {name}.")
    if abs(curve.unlike) > ALIKE:
        name = facts.adjuster(detector.primary).name
        words.append(
            f"The halves are unlike: the {name} first; if it is on its peak, one diode, its load "
            "or its capacitor."
        )
    if abs(curve.separation_hz / wide - 1.0) > SEPARATION_TOLERANCE:
        words.append(
            "The peaks stand apart otherwise than by design: the coupling or a damping resistor, "
            "no core."
        )
    return tuple(words) or ("Zero, width and symmetry are as they should be.",)


def _plot(facts: ReceiverFacts, record: JobRecord, curve: SCurve | None) -> Plot | None:
    points = _read(record)
    if not points:
        return None
    if len(points) > MOST_POINTS:
        points = _averaged(points)
    row = np.array(list(points))
    lines = [PlotLine("measured", "measured", tuple(row / 1e3), tuple(points.values()))]
    made = detector_by_sheet(facts)
    if made is not None and curve is not None:
        fine = np.linspace(row[0], row[-1], 61)
        shape = made.output(fine)
        height = 0.5 * (abs(curve.lower_v) + abs(curve.upper_v)) / float(np.max(np.abs(shape)))
        way = 1.0 if curve.upper_v > 0.0 else -1.0
        drawn = tuple(float(v) for v in way * height * shape)
        lines.append(PlotLine("by the sheet", "expected", tuple(fine / 1e3), drawn))
    marks = [PlotMark(facts.intermediate_frequency_hz / 1e3, "IF", "nominal")]
    if curve is not None:
        marks.append(PlotMark(curve.zero_hz / 1e3, f"zero {khz(curve.zero_hz)}", "peak"))
    return Plot(
        "The detector's S",
        "generator (kHz)",
        "output (V)",
        tuple(lines),
        marks=tuple(marks),
        main=True,
    )
