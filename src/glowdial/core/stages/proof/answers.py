"""What a set does with signals that are not wanted: image, IF, neighbours; and what an ear makes
out."""

from __future__ import annotations

from collections.abc import Hashable

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.dial_marks import frequency_quantity, is_fm, search_span_hz, signal_at
from glowdial.core.journey.proof_conditions import (
    conditions,
    conditions_words,
)
from glowdial.core.journey.record import Answer
from glowdial.core.journey.steps import (
    Ask,
    Field,
    Result,
    Step,
    result,
)
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import (
    LEVEL,
    OFFSET,
    engineering,
    khz,
)
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.measurands import GENERATOR_LEVEL
from glowdial.core.model.performance import Figure
from glowdial.core.stages.proof.figure import (
    DIGITS,
    LEVELS_DOUBT_DB,
    MATCH_DOUBT_DB,
    Phase,
    counting,
    limit_of,
    offered,
    proof_leads,
    told_figure,
)
from glowdial.core.stages.proof.places import place_ask, place_of, place_results, planned_asks

# what a match is made at: above the noise, below where control flattens everything
MATCH_LEVEL_V = 100e-6
IMAGE, INTERMEDIATE, OFF_TUNE, BY_EAR = "image", "intermediate", "off-tune", "by-ear"


def answers_step(at: Phase, band: BandFacts) -> Step:
    """Image, IF, neighbours; and by ear."""
    key = f"proof.{at.name}.{band.key}.answers"
    facts, record = at.situation.facts.seen_by(band), at.record
    basis = at.basis(band)
    counted, number = counting(record, key, basis, _thing), len(record.of_step(key))
    taken = counted.answers
    asks = [
        *_false_asks(facts, band),
        _off_tune_ask(facts, band, number),
        *planned_asks(facts, record, band, taken, number),
        place_ask(band, number, fm=is_fm(facts)),
        _by_ear_ask(band, number),
    ]
    results = [
        r
        for a in taken
        if (r := _answer_result(at, band, a, stale=counted.is_stale(a))) is not None
    ]
    results += place_results(record, band, counted, fm=is_fm(facts))
    step = Step(
        key,
        at.stage,
        f"{band.name}: unwanted answers and selectivity, as {at.name}",
        "Level for the same output off tune over level on tune: what a set lets by that it should "
        "not, and how near a strong neighbour may stand.",
        results=tuple(results),
        advice=(conditions_words(conditions(record, at.name)),) if results else (),
        leads=proof_leads(facts),
        controls=("volume where it stood for the sensitivity",),
        powered=True,
    )
    return offered(step, asks, counted.stale)


def _thing(answer: Answer) -> Hashable:
    """What an answer tells of: the image, an offset, a place with its mode."""
    kind = answer.ask.rstrip(DIGITS)
    return place_of(answer) or (kind, answer.values.get("offset", answer.values.get("frequency")))


def _wanted_hz(band: BandFacts, *, high: bool) -> float:
    return band.high_mark_hz if high else band.low_mark_hz


def _false_asks(facts: ReceiverFacts, band: BandFacts) -> list[Ask]:
    """The image where it is worst, at the high end; the IF where it is, at the low one."""
    high_hz, low_hz = _wanted_hz(band, high=True), _wanted_hz(band, high=False)
    image_hz = high_hz + 2.0 * band.tracked.image_offset_hz
    asks = []
    if image_hz > 0.0:
        asks.append(_pair_ask(facts, band, IMAGE, "the image", high_hz, image_hz))
    first_if_hz = facts.intermediate_frequency_hz
    if facts.circuit.conversion is not None:
        first_if_hz = facts.circuit.conversion.first_intermediate_hz
    asks.append(_pair_ask(facts, band, INTERMEDIATE, "the IF", low_hz, first_if_hz))
    return asks


def _pair_ask(
    facts: ReceiverFacts, band: BandFacts, key: str, called: str, tuned_hz: float, other_hz: float
) -> Ask:
    """Level on tune, and level at the other frequency for the same output."""
    return Ask(
        key,
        f"Set on {khz(tuned_hz)}: note the output at {engineering(MATCH_LEVEL_V, 'V')}. Then the "
        f"generator to {called}, {khz(round(other_hz, -2))} (move it a little either way for the "
        "most), and its level up until the output is the same: both levels.",
        (
            Field("wanted", "level on tune", LEVEL, measurand=GENERATOR_LEVEL),
            Field("other", f"level at {called}", LEVEL),
        ),
        "100 20m",
        called=called,
        recipe=None
        if band.mode or is_fm(facts)
        else Recipe(
            Doing.SAME_READING,
            signal_at(facts, band.key, tuned_hz, MATCH_LEVEL_V),
            span_hz=search_span_hz(facts, tuned_hz),
            second_hz=other_hz,
        ),
    )


def _off_tune_ask(facts: ReceiverFacts, band: BandFacts, taken: int) -> Ask:
    """A neighbour: any offset, either side; typed."""
    tuned_hz = _wanted_hz(band, high=False)
    own = limit_of(facts, Figure.SELECTIVITY, band.key)
    offset_khz = (own.offset_hz if own and own.offset_hz else 10e3) / 1e3
    return Ask(
        f"{OFF_TUNE}{taken + 1}",
        f"Set on {khz(tuned_hz)}: how far off in kHz (below: with a minus), level on tune, and "
        "level there for the same output.",
        (
            Field("offset", "off tune by", OFFSET),
            Field("wanted", "level on tune", LEVEL),
            Field("other", "level off tune", LEVEL),
        ),
        f"{offset_khz:g} 100 3.2m",
        called="a neighbour",
        series=True,
    )


def _by_ear_ask(band: BandFacts, taken: int) -> Ask:
    """Without a meter of audio: what an ear still makes out."""
    return Ask(
        f"{BY_EAR}{taken + 1}",
        "By ear: where, and the weakest level at which the tone is still made out.",
        (
            Field("frequency", "frequency", frequency_quantity(band.low_mark_hz)),
            Field("level", "weakest level", LEVEL),
        ),
        f"{khz(_wanted_hz(band, high=True)).split()[0]} 2",
        called="by ear",
        series=True,
    )


def _answer_result(at: Phase, band: BandFacts, answer: Answer, *, stale: bool) -> Result | None:
    facts = at.situation.facts
    values = answer.values
    if answer.ask.startswith(BY_EAR):
        where, level = khz(values["frequency"]), engineering(values["level"], "V")
        label = f"by ear at {where}"
        return result(
            answer, label, f"{level} EMF, by ear", values["level"], stale=stale, as_found=True
        )
    if "other" not in values:
        return None
    rejected_db = db_voltage(values["other"] / values["wanted"])
    doubt_db = (2.0 * LEVELS_DOUBT_DB**2 + MATCH_DOUBT_DB**2) ** 0.5
    figure, label, offset_hz = Figure.SELECTIVITY, "", 0.0
    if answer.ask == IMAGE:
        figure, label = Figure.IMAGE, "image"
    elif answer.ask == INTERMEDIATE:
        figure, label = Figure.INTERMEDIATE, "IF"
    else:
        offset_hz = values["offset"]
        label = f"{offset_hz / 1e3:+g} kHz"
    limit = limit_of(facts, figure, band.key, offset_hz)
    return told_figure(at, answer, label, figure, rejected_db, doubt_db, limit, stale=stale)
