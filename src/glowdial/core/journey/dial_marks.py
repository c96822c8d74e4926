"""Reading a mark of the dial: what comes in with the pointer on it, and what an error costs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import SettingsChange, setting
from glowdial.core.journey.entry import counted_as
from glowdial.core.journey.pictures import (
    PrintedScale,
    ScaleFigure,
    ScaleMark,
    ScalePicture,
    ScaleReading,
    ScaleSpan,
)
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.signal_in import signal_lead
from glowdial.core.journey.steps import Ask, Field, Lead, Result, result
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import FREQUENCY, FREQUENCY_MHZ, Quantity, khz
from glowdial.core.language.verdicts import judge, symmetric
from glowdial.core.model.facts import BandFacts, Bandspread, ReceiverFacts
from glowdial.core.model.measurands import DISCRIMINATOR, GENERATOR_FREQUENCY
from glowdial.core.physics.tracking import NOMINAL_AERIAL_Q, mistracking_loss_db

AERIAL_LEVEL_V = 1e-3
SEARCH_SHARE = 0.08
SHORT_OF_IMAGE = 0.9
# how well a pointer is set on a mark, in shares of its travel, and a peak found, of the IF's width
POINTER_SETTING, PEAK_SHARE = 0.0006, 0.08
# how well the middle of an aligned IF is known
IF_KNOWN_SHARE = 1e-3
# a passband of the usual cans against its centre and Q
CAN_WIDTH = 1.3
# the field for where the pointer stood, and how far beside a mark what comes in still tells of it
POINTED, NEAR_SHARE = "dial", 0.05
# the question for where a calibrator's harmonic stands
HARMONIC = "harmonic"
# the mark between the ends, in the keys of the rounds
MIDDLE = "middle"
DETECTOR_POINT = "FM detector output"
# scales beside the one that is read
MOST_BESIDE = 2


def low_stop_words(facts: ReceiverFacts) -> str:
    """How what tunes the set stands at its low stop."""
    slugs = any(band.tracked.inductive for band in facts.bands)
    return "slugs fully in" if slugs else "gang fully meshed"


def is_fm(facts: ReceiverFacts) -> bool:
    """Whether what is read comes in through an FM detector."""
    return facts.circuit.fm is not None


def dial_leads(facts: ReceiverFacts) -> tuple[Lead, ...]:
    """Generator to what the set listens with, meter on the AVC line."""
    return (
        signal_lead(facts),
        Lead("high-impedance DC meter", "clip", DETECTOR_POINT if is_fm(facts) else "AVC line"),
    )


def frequency_quantity(frequency_hz: float) -> Quantity:
    """The unit that this part of the dial is marked in."""
    return FREQUENCY_MHZ if frequency_hz >= 3e6 else FREQUENCY


def dial_scale(band: BandFacts) -> tuple[float, str]:
    """Hz in the unit of a band's scale, and its name."""
    return (1e6, "MHz") if band.high_hz >= 3e6 else (1e3, "kHz")


def pointer_words(band: BandFacts, mark_hz: float) -> str:
    """Where the pointer is set for a mark: on a band that is moved the print says another."""
    if band.printed is None:
        return khz(mark_hz)
    return f"{khz(band.pointer_hz(mark_hz))} as printed"


def search_span_hz(facts: ReceiverFacts, mark_hz: float) -> float:
    """How far either side to look for a mark; short of the image at twice the IF."""
    return span_hz(facts.intermediate_frequency_hz, mark_hz)


def span_hz(intermediate_frequency_hz: float, mark_hz: float) -> float:
    """The same by the IF."""
    return min(SEARCH_SHARE * mark_hz, SHORT_OF_IMAGE * intermediate_frequency_hz)


def frequency_field(mark_hz: float, oscillator_offset_hz: float = 0.0) -> Field:
    """Field for the frequency that comes in at a mark; with the oscillator's offset also for what a
    counter reads on that."""
    return Field(
        "frequency",
        "comes in at",
        frequency_quantity(mark_hz),
        nominal=mark_hz,
        measurand=GENERATOR_FREQUENCY,
        sets="generator_hz",
        against=POINTED,
        oscillator_offset_hz=oscillator_offset_hz,
    )


def pointer_field(band: BandFacts, mark_hz: float) -> Field:
    """Field for where the pointer stood, where that was not on the mark: at a station's place."""
    said_hz = band.pointer_hz(mark_hz)
    return Field(
        POINTED,
        "with the pointer at",
        frequency_quantity(said_hz),
        required=False,
        nominal=said_hz,
    )


def mark_fields(band: BandFacts, mark_hz: float) -> tuple[Field, ...]:
    """What comes in at a mark, and where the pointer stood if that was beside it."""
    return (frequency_field(mark_hz, band.tracked.offset_hz), pointer_field(band, mark_hz))


def pointed_hz(band: BandFacts, answer: Answer, mark_hz: float) -> float:
    """Where the pointer stood at a reading of a mark, as what is to come in there: what the dial
    said, but for a band that was moved away from its print."""
    said_hz = answer.values.get(POINTED)
    return mark_hz if said_hz is None else band.at_pointer_hz(said_hz)


def brought_in_hz(band: BandFacts, answer: Answer, mark_hz: float) -> float:
    """What comes in at a mark by a reading on it or beside it: there the error is the same factor,
    as of the same length of scale."""
    return answer.values["frequency"] * mark_hz / pointed_hz(band, answer, mark_hz)


def is_beside(dial_hz: float, mark_hz: float) -> bool:
    """Whether what comes in there tells of a mark."""
    return abs(dial_hz / mark_hz - 1.0) <= NEAR_SHARE


def as_read(answer: Answer) -> Answer:
    """A calibrator's harmonic as the reading that it is: what came in, and what the dial said."""
    if answer.ask != HARMONIC:
        return answer
    true_hz = answer.asked_at("true_hz")
    return replace(answer, values={"frequency": true_hz, POINTED: answer.values[POINTED]})


def middle_mark_hz(band: BandFacts) -> float | None:
    """The mark that is read between the ends where both are adjusted: the one of the scale's that
    stands nearest to their geometric mean; None where there is none."""
    if band.low_adjuster is None:
        return None
    low, high = band.low_mark_hz, band.high_mark_hz
    middle_hz = math.sqrt(low * high)
    between = [
        hz
        for hz in band.dial_marks_hz
        if low < hz < high and not is_beside(hz, low) and not is_beside(hz, high)
    ]
    return min(between, key=lambda hz: abs(math.log(hz / middle_hz)), default=None)


def marks_read(record: JobRecord, band: BandFacts) -> list[tuple[float, Answer]]:
    """Every reading of a band's ends and of the mark between them, as found and in its rounds, that
    was not typed anew since, in the record's order, with the mark."""
    names = {"high": band.high_mark_hz, "low": band.low_mark_hz}
    middle_hz = middle_mark_hz(band)
    if middle_hz is not None:
        names[MIDDLE] = middle_hz
    survey, rounds = as_found_key(band), f"osc.{band.key}.round"
    found = []
    for answer in record.with_value("frequency"):
        if record.latest(answer.step, answer.question) is not answer:
            continue
        if answer.step == survey and answer.ask in names:
            found.append((names[answer.ask], answer))
        elif answer.step.startswith(rounds):
            found.append((names[answer.step.rpartition(".")[2]], answer))
    return found


def check_pointed(ask: Ask, values: Mapping[str, float]) -> None:
    """Raises BadInput for a pointer too far from the mark that is asked for to tell of it."""
    field = next((f for f in ask.fields if f.name == POINTED and not f.required), None)
    if field is None or not field.nominal or POINTED not in values:
        return
    mark_hz, at_hz = field.nominal, values[POINTED]
    if not is_beside(at_hz, mark_hz):
        raise BadInput(
            field.label,
            khz(at_hz),
            f"is too far from {khz(mark_hz)} to tell of it: within {khz(NEAR_SHARE * mark_hz)}",
            khz(mark_hz).split()[0],
        )


def _span_words(facts: ReceiverFacts, mark_hz: float) -> str:
    return khz(float(f"{search_span_hz(facts, mark_hz):.2g}"))


def signal_at(
    facts: ReceiverFacts, band_key: str, mark_hz: float, level_v: float
) -> SettingsChange:
    """Set on a mark with the generator at its aerial on the same frequency."""
    return setting(
        injection="aerial",
        line_v=facts.nominal_line_v,
        band=band_key,
        chain=facts.band(band_key).mode,
        dial_hz=facts.band(band_key).pointer_hz(mark_hz),
        spread_hz=0.0,
        damped=(),
        generator_hz=mark_hz,
        generator_emf_v=level_v,
    )


def dial_recipe(facts: ReceiverFacts, band: BandFacts, mark_hz: float, doing: Doing) -> Recipe:
    """Pointer on the mark, generator at the set's aerial; of an FM band by its detector's zero."""
    return Recipe(
        doing,
        signal_at(facts, band.key, mark_hz, AERIAL_LEVEL_V),
        span_hz=search_span_hz(facts, mark_hz),
        zero_of=DISCRIMINATOR if is_fm(facts) else None,
    )


def reading_doubt_hz(bandwidth_hz: float, span: tuple[float, float], mark_hz: float) -> float:
    """How well what comes in at a mark is read, in Hz: the pointer's place and the peak's."""
    pointer_hz = POINTER_SETTING * mark_hz * math.log(span[1] / span[0])
    return math.hypot(pointer_hz, PEAK_SHARE * bandwidth_hz)


def if_bandwidth_hz(facts: ReceiverFacts) -> float:
    """About how wide the IF is: by the Q of its cans."""
    qs = [q for can in facts.transformers for q in can.qs]
    return CAN_WIDTH * facts.intermediate_frequency_hz * len(qs) / sum(qs)


def mark_doubt_hz(facts: ReceiverFacts, band: BandFacts, mark_hz: float) -> float:
    """How well what comes in at a mark of this set is read."""
    return reading_doubt_hz(if_bandwidth_hz(facts), (band.low_hz, band.high_hz), mark_hz)


def answer_doubt_hz(facts: ReceiverFacts, band: BandFacts, mark_hz: float, answer: Answer) -> float:
    """How well an answer tells what comes in at a mark: by the generator, or by a counter, which
    leaves the pointer's place and how well the IF is known."""
    known = answer.doubts.get("frequency", 0.0)
    if counted_as("frequency") not in answer.values:
        return math.hypot(mark_doubt_hz(facts, band, mark_hz), known)
    pointer_hz = reading_doubt_hz(0.0, (band.low_hz, band.high_hz), mark_hz)
    return math.hypot(pointer_hz, IF_KNOWN_SHARE * facts.intermediate_frequency_hz, known)


def mark_ask(facts: ReceiverFacts, band: BandFacts, mark_hz: float, key: str) -> Ask:
    """What generator frequency comes in with the pointer on a mark?"""
    tolerance = band.tolerance_hz(mark_hz)
    beside = "Of a known signal near it: its frequency, and where the pointer stands. "
    if band.printed is not None:
        beside = f"{khz(mark_hz)} is wanted there. {beside}"
    return Ask(
        key,
        f"Pointer on {pointer_words(band, mark_hz)}: move the generator, at most "
        f"{_span_words(facts, mark_hz)} either way, {_found_by(facts)}, and enter its frequency. "
        f"{beside}Of a counter, loosely coupled to the oscillator: lo, and what it reads.",
        mark_fields(band, mark_hz),
        khz(mark_hz).split()[0],
        expected=symmetric(mark_hz, tolerance),
        expected_text=f"{khz(mark_hz)} within {khz(tolerance)}",
        recipe=dial_recipe(facts, band, mark_hz, Doing.FIND_FREQUENCY),
    )


def _found_by(facts: ReceiverFacts) -> str:
    if is_fm(facts):
        return "for zero at the detector between its two peaks"
    return "for the most AVC"


def mark_result(
    band: BandFacts, mark_hz: float, answer: Answer, *, label: str, stale: bool, as_found: bool
) -> Result:
    """The frequency that came in at a mark, against the dial tolerance."""
    value = brought_in_hz(band, answer, mark_hz)
    tolerance = band.tolerance_hz(mark_hz)
    beside = ""
    if POINTED in answer.values:
        beside = f"; {khz(answer.values['frequency'])} at {khz(answer.values[POINTED])}"
    return result(
        answer,
        label,
        f"{khz(round(value, -1))} ({(value - mark_hz) / 1e3:+.1f} kHz{beside})",
        value,
        symmetric(mark_hz, tolerance),
        (khz(mark_hz - tolerance), khz(mark_hz + tolerance)),
        stale=stale,
        as_found=as_found,
    )


def scale_place(band: BandFacts, frequency_hz: float) -> float:
    """Where a frequency stands along the scale, 0 at the low end to 1, by the gang's capacity with
    plates cut for a capacity that rises evenly; what the sheet tells of no other law."""
    at, low, high = (
        float(band.tracked.signal.gang_capacity_f(f))
        for f in (frequency_hz, band.low_hz, band.high_hz)
    )
    return (low - at) / (low - high)


def printed_scale(band: BandFacts) -> PrintedScale:
    """A band's scale with the figures of its marks, as it stands on the set's face; that of a band
    which is moved still shows where it was."""
    shown = band.printed or band
    step_hz, unit = dial_scale(shown)
    figures = tuple(
        ScaleFigure(round(scale_place(shown, hz), 3), f"{hz / step_hz:g}")
        for hz in sorted(shown.dial_marks_hz)
    )
    return PrintedScale(shown.name, unit, figures)


def spread_scale(band: BandFacts, spread: Bandspread) -> PrintedScale:
    """A bandspread's scale: its figures evenly between its ends, and where the main pointer stands
    for it."""
    step_hz, unit = dial_scale(band)
    width_hz = spread.high_hz - spread.low_hz
    figures = tuple(
        ScaleFigure(round((hz - spread.low_hz) / width_hz, 3), f"{hz / step_hz:g}")
        for hz in spread.figures_hz
    )
    return PrintedScale(f"{spread.name}, main at {khz(spread.main_hz)}", unit, figures)


def _beside(facts: ReceiverFacts, band: BandFacts) -> tuple[PrintedScale, ...]:
    """What is printed of a band that was moved away from it, and its own bandspreads; then the
    set's other scales."""
    printed = [printed_scale(band)] if band.printed is not None else []
    spreads = [spread_scale(band, s) for s in band.spreads]
    others = [printed_scale(b) for b in facts.bands if b.key != band.key]
    return tuple((*printed, *spreads, *others)[:MOST_BESIDE])


def scale_picture(
    facts: ReceiverFacts,
    band: BandFacts,
    read: Sequence[tuple[float, Sequence[tuple[Answer, str]]]],
    lit_hz: float,
    foretold_hz: tuple[float, float] | None = None,
) -> ScalePicture:
    """The scale with marks and, for each, its readings in order with words on what came before;
    ``lit_hz`` is the mark that is asked for now, 0 for none, and what is foretold there. The band's
    bandspreads and the set's other scales stand beside.
    """
    return ScalePicture(
        band.name,
        khz(band.low_hz),
        khz(band.high_hz),
        tuple(
            ScaleMark(
                scale_place(band, mark_hz),
                khz(mark_hz),
                khz(band.tolerance_hz(mark_hz)),
                mark_hz == lit_hz,
                tuple(_scale_reading(band, mark_hz, a, words) for a, words in readings),
                _foretold_off(band, mark_hz, foretold_hz) if mark_hz == lit_hz else None,
            )
            for mark_hz, readings in sorted(read, key=lambda m: m[0])
        ),
        beside=_beside(facts, band),
        searched=_searched(facts, band, lit_hz) if lit_hz else None,
    )


def _searched(facts: ReceiverFacts, band: BandFacts, mark_hz: float) -> ScaleSpan:
    """The span that a mark is looked for in, as places on the scale."""
    reach_hz = search_span_hz(facts, mark_hz)
    low, high = (scale_place(band, mark_hz + side * reach_hz) for side in (-1.0, 1.0))
    return ScaleSpan(max(low, 0.0), min(high, 1.0))


def _foretold_off(
    band: BandFacts, mark_hz: float, foretold_hz: tuple[float, float] | None
) -> ScaleSpan | None:
    if foretold_hz is None:
        return None
    tolerance = band.tolerance_hz(mark_hz)
    low, high = foretold_hz
    return ScaleSpan((low - mark_hz) / tolerance, (high - mark_hz) / tolerance)


def _scale_reading(band: BandFacts, mark_hz: float, answer: Answer, words: str) -> ScaleReading:
    error_hz = brought_in_hz(band, answer, mark_hz) - mark_hz
    tolerance = band.tolerance_hz(mark_hz)
    verdict = judge(mark_hz + error_hz, symmetric(mark_hz, tolerance)).verdict
    return ScaleReading(error_hz / tolerance, f"{error_hz / 1e3:+.1f} kHz", words, verdict.value)


def mark_cost(band: BandFacts, mark_hz: float, found_hz: float) -> str:
    """What it costs to leave a mark where it is."""
    error = found_hz - mark_hz
    loss = mistracking_loss_db(error, found_hz, NOMINAL_AERIAL_Q)
    return f"{error / 1e3:+.1f} kHz at {khz(mark_hz)}, up to {loss:.1f} dB in the aerial circuit"


def band_adjusters(band: BandFacts) -> tuple[str, ...]:
    """The oscillator adjusters of a band."""
    return (band.high_adjuster, *((band.low_adjuster,) if band.low_adjuster else ()))


def as_found_key(band: BandFacts) -> str:
    """The step in which both ends of a band are read before anything is turned."""
    return f"osc.{band.key}.survey"
