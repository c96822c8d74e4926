"""What a set's output does over the generator's range: control, distortion, its own meter."""

from __future__ import annotations

import math
from collections.abc import Sequence

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.dial_marks import is_fm, search_span_hz, signal_at
from glowdial.core.journey.level_path import level_path, own_figures
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.steps import (
    Ask,
    Field,
    Plot,
    PlotLine,
    Result,
    Step,
)
from glowdial.core.language.quantities import (
    AUDIO_VOLTS,
    INDICATION,
    LEVEL,
    LOAD_OHM,
    PER_CENT_OF_TONE,
    engineering,
    khz,
)
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import GENERATOR_LEVEL, LOUDSPEAKER
from glowdial.core.model.performance import Figure
from glowdial.core.physics.output_curve import (
    OutputCurve,
    at_distortion_w,
    decibels_per_mark,
    distortion_doubt_db,
    output_curve,
)
from glowdial.core.stages.proof.figure import (
    DIGITS,
    MATCH_DOUBT_DB,
    Counting,
    Phase,
    counting,
    limit_of,
    offered,
    proof_leads,
    told_figure,
)

CURVE, DISTORTION, METER = "curve", "distortion", "meter"
CURVE_LEVELS_V = (10e-6, 31.6e-6, 100e-6, 316e-6, 1e-3, 3.16e-3, 10e-3, 31.6e-3, 0.1)
# what a meter of distortion and a needle are worth, for the power at 10 %: 95 % of cases
POWER_DOUBT_DB = 0.6
# of a generator that distorts, where neither side of 10 % was read far enough to tell
UNBOUND_DB = 3.0


def output_readings(
    facts: ReceiverFacts, record: JobRecord, taken: Sequence[Answer]
) -> OutputCurve | None:
    """Output over the level at the set as it was read, if enough was."""
    mark, rows = facts.bands[0].high_mark_hz, []
    for answer in taken:
        if answer.ask.startswith(CURVE):
            path, level_v = level_path(record, mark, answer), answer.values["level"]
            at_v = path.at_the_end_v(level_v) if path else level_v
            rows.append((at_v, answer.values["on"]))
    return output_curve(rows)


def _output_key(phase: str) -> str:
    return f"proof.{phase}.output"


def output_step(at: Phase) -> Step:
    """Output over level (AVC), what it gives at 10 % of distortion, and what its meter's marks are
    worth."""
    facts, record = at.situation.facts, at.record
    key, basis = _output_key(at.name), at.basis(facts.bands[0])
    number = len(record.of_step(key))
    counted = counting(record, key, basis, lambda a: a.ask.rstrip(DIGITS))
    taken = counted.answers
    curve = output_readings(facts, record, taken)
    read = sum(a.ask.startswith(CURVE) for a in taken)
    asks = [_curve_ask(facts, read, number), _distortion_ask(number), _meter_ask(number)]
    step = Step(
        key,
        at.stage,
        f"Output over level, as {at.name}",
        "How level the output stays from weak to strong tells the control line, and what it gives "
        "before it distorts tells the output stage.",
        results=tuple(_output_results(at, counted, curve)),
        advice=tuple(_output_words(record, taken, curve)),
        leads=proof_leads(facts),
        controls=("volume low enough that nothing clips", "loudspeaker or its load connected"),
        powered=True,
        draw=lambda: _plot(at, curve),
    )
    return offered(step, asks, counted.stale)


def _curve_ask(facts: ReceiverFacts, count: int, number: int) -> Ask:
    band = facts.bands[0]
    mark = band.high_mark_hz
    level_v = CURVE_LEVELS_V[count % len(CURVE_LEVELS_V)]
    return Ask(
        f"{CURVE}{number + 1}",
        f"{khz(mark)} at {engineering(level_v, 'V')}: level, output with the tone on, and with it "
        "off.",
        (
            Field("level", "level", LEVEL, measurand=GENERATOR_LEVEL, sets="generator_emf_v"),
            Field("on", "tone on", AUDIO_VOLTS, measurand=LOUDSPEAKER, swings=True),
            Field("off", "tone off", AUDIO_VOLTS, required=False),
        ),
        f"{level_v * 1e6:g} 0.92 0.29",
        called="output at a level",
        series=True,
        recipe=None
        if band.mode or is_fm(facts)
        else Recipe(
            Doing.TONE_PAIR,
            signal_at(facts, band.key, mark, level_v),
            span_hz=search_span_hz(facts, mark),
        ),
    )


def _distortion_ask(count: int) -> Ask:
    return Ask(
        f"{DISTORTION}{count + 1}",
        "Strong signal, volume up in steps: output, the load that it stands across, and the "
        "distortion there (a meter, or a recording under Sums).",
        (
            Field("output", "output", AUDIO_VOLTS),
            Field("load", "load", LOAD_OHM),
            Field("distortion", "distortion", PER_CENT_OF_TONE),
        ),
        "2.8 4 7.5",
        called="output with its distortion",
        series=True,
    )


def _meter_ask(count: int) -> Ask:
    return Ask(
        f"{METER}{count + 1}",
        "Level, and what the set's own meter of signal strength shows.",
        (Field("level", "level", LEVEL), Field("mark", "mark", INDICATION)),
        "100 5",
        called="the set's own meter",
        series=True,
    )


def _bound_db(record: JobRecord, loud: Sequence[Answer]) -> float | None:
    """What the generator's own distortion leaves uncertain of the power at 10 %; None where that
    cannot be told from what was read."""
    own = own_figures(record, loud[-1]).distortion or 0.0
    return distortion_doubt_db([_watts(a) for a in loud], own)


def _watts(answer: Answer) -> tuple[float, float]:
    values = answer.values
    return values["output"] ** 2 / values["load"], values["distortion"] / 100.0


def _output_results(at: Phase, counted: Counting, curve: OutputCurve | None) -> list[Result]:
    facts, results = at.situation.facts, []
    curves = [a for a in counted.answers if a.ask.startswith(CURVE)]
    stale = any(counted.is_stale(a) for a in curves)
    change = curve.change_db() if curve else None
    if change is not None:
        limit = limit_of(facts, Figure.AVC)
        label = "output over 80 dB of input"
        results.append(
            told_figure(
                at, curves[-1], label, Figure.AVC, change, MATCH_DOUBT_DB, limit, stale=stale
            )
        )
    loud = [a for a in counted.answers if a.ask.startswith(DISTORTION)]
    watts = at_distortion_w([_watts(a) for a in loud]) if loud else None
    if watts is not None:
        limit, worn = limit_of(facts, Figure.OUTPUT), counted.is_stale(loud[-1])
        label = "at 10 % distortion"
        bound_db = _bound_db(at.record, loud)
        doubt_db = math.hypot(POWER_DOUBT_DB, UNBOUND_DB if bound_db is None else bound_db)
        results.append(
            told_figure(at, loud[-1], label, Figure.OUTPUT, watts, doubt_db, limit, stale=worn)
        )
    return results


def _output_words(
    record: JobRecord, taken: Sequence[Answer], curve: OutputCurve | None
) -> list[str]:
    words = []
    if curve is not None:
        merit = curve.figure_of_merit_db()
        words.append(
            f"Figure of merit: the input may fall by {merit:.0f} dB until the output has fallen "
            "by 10 dB."
            if merit is not None
            else "Over what was read the output has not fallen by 10 dB: go lower."
        )
        if curve.change_db() is None:
            words.append(f"Read over {curve.span_db:.0f} dB so far; 80 dB below 0.1 V are usual.")
    loud = [a for a in taken if a.ask.startswith(DISTORTION)]
    if loud and at_distortion_w([_watts(a) for a in loud]) is None:
        words.append("10 % lies outside of what was read: one reading below it and one above.")
    elif loud and _bound_db(record, loud) is None:
        words.append(
            "The generator's own distortion hides where the set's 10 % lies: read further on "
            "either side of it, or use a better one."
        )
    marks = [a for a in taken if a.ask.startswith(METER)]
    law = decibels_per_mark([(a.values["level"], a.values["mark"]) for a in marks])
    if law is not None:
        words.append(
            f"The set's own meter: {law[0]:.1f} dB a mark, by that law off by {law[1]:.1f} dB at "
            "most."
        )
    return words


def _plot(at: Phase, curve: OutputCurve | None) -> Plot | None:
    """Output over level, over that as found."""
    if curve is None:
        return None
    lines = [_line("as " + at.name, "measured", curve)]
    facts, record = at.situation.facts, at.record
    found = record.of_step(_output_key(FOUND)) if at.name == LEFT else []
    before = output_readings(facts, record, found)
    if before is not None:
        lines.insert(0, _line("as found", "found", before))
    return Plot("Output over level", "level, dBuV EMF", "output, dB over 1 V", tuple(lines))


def _line(label: str, role: str, curve: OutputCurve) -> PlotLine:
    return PlotLine(label, role, tuple(x + 120.0 for x in curve.level_db), curve.output_db)
