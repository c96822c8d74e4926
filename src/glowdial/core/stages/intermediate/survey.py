"""Surveys of the IF: the generator moved through it, cores untouched or as left."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.peaking import Indicated
from glowdial.core.journey.readings import asked_at
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Plot, PlotLine, PlotMark, Result, result
from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import INTERMEDIATE_FREQUENCY, khz
from glowdial.core.language.verdicts import Window, symmetric
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.filters import CrystalFilter
from glowdial.core.physics.resonance import Passband, passband, vertex

STAGE = "IF"
SURVEY, SURVEY_LEFT = "if.survey", "if.survey-left"
# points of a survey either side of the IF, each a hundred-and-sixteenth of it apart: 4 kHz at 465
SURVEY_POINTS, LEFT_POINTS, STEPS_OF_IF = 4, 2, 116.0
CENTRE_TOLERANCE = 0.003
POINT, FILTER = "point", "filter"
# how far either side a filter is looked for, in its own widths
FILTER_LOOK = 3.0
# the mixer that makes the tuned IF: of two the second
MIXER_GRID = "mixer grid"
LEAST_POINTS = 3
# what a needle shows at all
LEAST_SHOWN_V = 0.01
# a working IF stands out from its foot by more than this
LEAST_PEAK = 1.25


def if_recipe(facts: ReceiverFacts, doing: Doing, **settings: object) -> Recipe:
    """The generator on the IF, clipped to the mixer's grid."""
    change = setting(
        injection="mixer grid",
        line_v=facts.nominal_line_v,
        generator_hz=facts.intermediate_frequency_hz,
        chain="",
        damped=(),
    )
    return Recipe(doing, change.but(**settings))


def filter_width_hz(facts: ReceiverFacts) -> float | None:
    """How wide the set's crystal or mechanical filter is; None where it has none."""
    filter_ = facts.circuit.if_filter
    if isinstance(filter_, CrystalFilter):
        return filter_.resonance_hz / filter_.q
    return filter_.width_hz if filter_ is not None else None


def fed_at(facts: ReceiverFacts, injection: str) -> str:
    """Where the generator is clipped, as it is called in this set: a transistor has a base."""
    where = injection.replace("grid", input_word(facts))
    return f"second {where}" if injection == MIXER_GRID and facts.circuit.conversion else where


def input_word(facts: ReceiverFacts) -> str:
    """What a stage is fed at here."""
    return "base" if facts.device_word == "transistor" else "grid"


def written(facts: ReceiverFacts, frequency_hz: float) -> str:
    """A frequency of the IF as it is set: behind a filter to ten hertz."""
    if filter_width_hz(facts) is None:
        return khz(frequency_hz)
    return f"{frequency_hz / 1e3:.2f} kHz"


def filter_ask(facts: ReceiverFacts, level_v: float) -> Ask:
    """A filter sets the IF: where it falls off alike on both sides is the generator's place."""
    centre_khz = facts.intermediate_frequency_hz / 1e3
    half_khz = (filter_width_hz(facts) or 0.0) / 2e3
    return Ask(
        FILTER,
        "The filter sets the IF. Find its peak, then move the generator until the reading has "
        "fallen to 0.7 of it, below and above: both frequencies. What lies midway is aligned to.",
        (
            Field("low", "below", INTERMEDIATE_FREQUENCY),
            Field("high", "above", INTERMEDIATE_FREQUENCY),
        ),
        f"{centre_khz - half_khz:.2f} {centre_khz + half_khz:.2f}",
        called="the filter's middle",
        recipe=replace(
            if_recipe(facts, Doing.EDGES, generator_emf_v=level_v),
            span_hz=FILTER_LOOK * (filter_width_hz(facts) or 0.0),
        ),
    )


def spread_hz(
    facts: ReceiverFacts, points: int, reach_hz: float | None = None
) -> tuple[float, ...]:
    """Generator frequencies of a survey that begins today: so many either side of the IF, over
    ``reach_hz`` to each where that is given; closer where a filter is narrower than the cans."""
    centre, width_hz = facts.intermediate_frequency_hz, filter_width_hz(facts)
    step_hz = float(f"{(reach_hz / points if reach_hz else centre / STEPS_OF_IF):.0e}")
    if width_hz is not None:
        step_hz = min(step_hz, float(f"{0.5 * width_hz:.0e}"))
    return tuple(centre + n * step_hz for n in range(-points, points + 1))


def survey_asks(
    facts: ReceiverFacts, frequencies_hz: tuple[float, ...], level_v: float, shown: Indicated
) -> list[Ask]:
    """One question a frequency: the indicator at the same level."""
    return [
        asked_at(
            Ask(
                POINT,
                f"Move the generator to {written(facts, frequency)} at the same level and read the "
                f"{shown.label}.",
                (Field("avc", shown.label, shown.quantity, measurand=shown.measurand),),
                shown.example,
                recipe=if_recipe(facts, Doing.READ, generator_hz=frequency, generator_emf_v=level_v)
                if shown.measurand is not None
                else None,
                called=written(facts, frequency),
            ),
            generator_hz=frequency,
        )
        for frequency in frequencies_hz
    ]


@dataclass(frozen=True, slots=True)
class SurveyCurve:
    """AVC volts (magnitude) against generator frequency, and the oldest of its readings."""

    frequency_hz: tuple[float, ...]
    avc_v: tuple[float, ...]
    oldest: Answer

    @property
    def peak_hz(self) -> float:
        """Vertex of the curve."""
        return vertex(np.array(self.frequency_hz), np.array(self.avc_v))


def survey_curve(record: JobRecord, *, left: bool = False) -> SurveyCurve | None:
    """The points so far of the survey as found, or as left; None below three."""
    answers = record.of_step(SURVEY_LEFT if left else SURVEY)
    points = {a.asked_at("generator_hz"): a for a in answers if a.ask == POINT}
    if len(points) < LEAST_POINTS:
        return None
    frequencies = tuple(sorted(points))
    volts = tuple(abs(points[f].values["avc"]) for f in frequencies)
    return SurveyCurve(frequencies, volts, next(a for a in answers if a.ask == POINT))


def centre_window(facts: ReceiverFacts) -> Window:
    """Where the IF may peak."""
    nominal = facts.intermediate_frequency_hz
    return symmetric(nominal, CENTRE_TOLERANCE * nominal)


def peak_result(
    facts: ReceiverFacts,
    curve: SurveyCurve,
    answer: Answer,
    *,
    stale: bool = False,
    as_found: bool = False,
) -> Result:
    """Where a curve peaks, against the IF."""
    window = centre_window(facts)
    return result(
        answer,
        "peaks at",
        khz(curve.peak_hz),
        curve.peak_hz,
        window,
        (khz(window.low or 0.0), khz(window.high or 0.0)),
        stale=stale,
        as_found=as_found,
    )


def flat_words(curve: SurveyCurve) -> tuple[str, ...]:
    """What there is to say of a survey that shows no peak."""
    least, most = min(curve.avc_v), max(curve.avc_v)
    if most >= LEAST_PEAK * max(least, 1e-3):
        return ()
    return (
        "No peak: the reading hardly follows the generator's frequency. Is the signal getting in, "
        "is the level enough, does the indicator work? Do not turn a core by this.",
    )


def side_words(curve: SurveyCurve) -> tuple[str, ...]:
    """What both ends of a survey read."""
    low, high = curve.avc_v[0], curve.avc_v[-1]
    reach = (curve.frequency_hz[-1] - curve.frequency_hz[0]) / 2e3
    return (f"{reach:.0f} kHz below it reads {low:.2f} V, {reach:.0f} kHz above {high:.2f} V.",)


def survey_plot(
    facts: ReceiverFacts, found: SurveyCurve | None, left: SurveyCurve | None
) -> Plot | None:
    """The curves so far, as found and as left, by how far the AVC falls from its highest."""
    lines = tuple(
        PlotLine(name, role, tuple(f / 1e3 for f in curve.frequency_hz), _down_db(curve))
        for name, role, curve in (("as found", "found", found), ("as left", "measured", left))
        if curve is not None
    )
    last = left or found
    if not lines or last is None:
        return None
    title = "IF as found and as left" if left else "IF as found"
    band = band_at_6_db(last)
    if band is not None:
        title += f": centre {khz(band.centre_hz)}, {khz(band.width_hz)} wide at -6 dB"
    return Plot(
        title,
        "generator (kHz)",
        "reading, dB from its highest",
        lines,
        marks=_marks(facts, last),
        main=True,
    )


def _down_db(curve: SurveyCurve) -> tuple[float, ...]:
    """Volts of the AVC in dB; it compresses, so that the set's own curve is steeper."""
    most = max(*curve.avc_v, LEAST_SHOWN_V)
    return tuple(db_voltage(max(v, LEAST_SHOWN_V) / most) for v in curve.avc_v)


def _marks(facts: ReceiverFacts, curve: SurveyCurve) -> tuple[PlotMark, ...]:
    window = centre_window(facts)
    marks = [
        PlotMark(facts.intermediate_frequency_hz / 1e3, "IF", "nominal"),
        PlotMark((window.low or 0.0) / 1e3, "", "limit"),
        PlotMark((window.high or 0.0) / 1e3, "", "limit"),
        PlotMark(curve.peak_hz / 1e3, f"peak {khz(curve.peak_hz)}", "peak"),
    ]
    band = band_at_6_db(curve)
    if band is not None:
        marks += [PlotMark(f / 1e3, f"-6 dB {khz(f)}", "edge") for f in band.edges_hz]
    return tuple(marks)


def band_at_6_db(curve: SurveyCurve) -> Passband | None:
    """Where the AVC has fallen by 6 dB on both sides of its highest, by straight lines between the
    readings; None where it does not fall so far in the survey's reach."""
    volts = np.maximum(np.array(curve.avc_v), LEAST_SHOWN_V)
    try:
        return passband(np.array(curve.frequency_hz), volts)
    except BadInput:
        return None
