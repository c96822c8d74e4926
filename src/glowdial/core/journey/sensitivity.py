"""Sensitivity for 10 dB (S+N)/N at the sheet's points: as found, to trace by, and as left, as the
proof.

The level is searched for by few readings, and the figure carries its doubt: a limit inside of it
cannot be told as met or missed.
"""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.chain import AERIAL, SPEAKER, SetUp, chain_picture
from glowdial.core.journey.dial_marks import (
    band_adjusters,
    dial_leads,
    search_span_hz,
    signal_at,
)
from glowdial.core.journey.entry import low_end
from glowdial.core.journey.level_path import drawn_way, level_path, own_figures, path_words
from glowdial.core.journey.proof_conditions import compared_words, conditions, conditions_words
from glowdial.core.journey.record import CABINET, NOTHING, PART_AREAS, Answer, Basis, JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.sensitivity_figure import (
    FIRST_LEVEL_V,
    FOUND,
    LEFT,
    MOST_LEVEL_V,
    PAIR,
    PAIR_FIELDS,
    RUN_READINGS,
    NumberedPoint,
    Sensitivity,
    as_stated,
    compares,
    figure_of,
    generator_level_v,
    judged,
    measured,
    no_tone,
    noise_of,
    pairs_at_the_set,
    ratio_of,
)
from glowdial.core.journey.signal_in import through_words
from glowdial.core.journey.steps import Ask, Result, Step, result, settle
from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import (
    engineering,
    khz,
)
from glowdial.core.language.verdicts import Judgement, Verdict, Window
from glowdial.core.model.facts import Microvolts, ReceiverFacts, SensitivityPoint
from glowdial.core.physics.level_path import LevelPath
from glowdial.core.physics.level_search import (
    FoundLevel,
    next_search_level_v,
)
from glowdial.core.physics.noise_ratio import (
    next_level_v,
    signal_plus_noise_to_noise_db,
)

MOST_LEVELS = 8
# without a limit to decide about, this many levels are enough
FEW_LEVELS = 5
# known to this in nineteen of twenty is known
KNOWN_DB = 0.5
# so near to the generator's own ratio half of the noise's power, or more, is its
OWN_BOUND_DB = 3.0
# so often without a tone, at nearly the most that the generator gives, nothing comes through
SILENT_READINGS, NEARLY = 2, 0.9
ELSEWHERE = "the two do not compare as they stand"


def _basis(facts: ReceiverFacts, point: SensitivityPoint, phase: str) -> Basis:
    """What a figure as left rests on; as found describes what was there before."""
    if phase == FOUND:
        return NOTHING
    band = facts.band(point.band)
    return Basis(
        adjusters=(*facts.if_adjusters(), *band_adjusters(band), *band.signal_adjusters),
        areas=(CABINET, *PART_AREAS),
    )


def sensitivity_step(situation: Situation, numbered: NumberedPoint, stage: str, phase: str) -> Step:
    """The step of a point as found or as left, under a stage of the scale."""
    facts, record = situation.facts, situation.record
    key = numbered.key(phase)
    basis = _basis(facts, numbered.given, phase)
    answers = record.of_step(key)
    fresh = [a for a in answers if not record.stale(a, basis)]
    point = as_stated(record, numbered.as_begun(record), fresh[-1] if fresh else None)
    path = level_path(record, point.frequency_hz)
    figure = figure_of(record, point, fresh)
    results = tuple(_row_result(a, stale=record.stale(a, basis)) for a in answers)
    if figure is not None:
        results = (_figure_result(point, fresh[-1], figure, phase), *results)
    level_v = _level_v(situation, point, fresh, path)
    ask = _ask(facts, point, level_v, len(answers) + 1)
    searching = any(a.ask.startswith(PAIR) for a in fresh)
    lost = searching and figure is None
    found, silent = phase == FOUND, lost and _silent(situation, fresh)
    wanted = (lost or len(fresh) < MOST_LEVELS) and not _enough(point, figure, len(fresh))
    if silent and found:
        # that nothing comes through is what was found: more readings of it tell no more
        results, wanted = (_silence(point, fresh[-1]), *results), False
    step = Step(
        key,
        stage,
        f"Sensitivity at {khz(point.frequency_hz)}, as {phase}",
        "Taken before the first touch: what there is to improve on."
        if found
        else f"Through the dummy aerial, uV EMF, {point.tone_words}, carrier on for both.",
        results=results,
        advice=_advice(record, numbered, point, figure, phase, fresh),
        leads=(
            *dial_leads(facts)[:1],
            replace(dial_leads(facts)[1], source="audio voltmeter", to="loudspeaker terminals"),
        ),
        controls=("volume where the noise reads well", "loudspeaker or its load connected"),
        # what it was proved to do when it was here before
        panels=() if found else ("visits",),
        powered=True,
        programme=(point.frequency_hz,),
        cost=_cost(point, figure),
        # a set that nothing comes through is left as it is, with a reason
        leave=lost and (silent or len(fresh) >= MOST_LEVELS),
        show_chain=lambda: chain_picture(facts, record, _now(facts, point, level_v, path)),
    )
    return settle(
        step, remaining=ask if wanted else None, retake=ask if figure is not None else None
    )


def _silent(situation: Situation, fresh: list[Answer]) -> bool:
    """Whether no tone came through twice at the most that the generator gives."""
    generator = situation.equipment.generator
    most_v = min(MOST_LEVEL_V, generator.greatest_v if generator else MOST_LEVEL_V)
    last = fresh[-SILENT_READINGS:]
    return len(last) == SILENT_READINGS and all(
        no_tone([a]) and a.values["level"] >= NEARLY * most_v for a in last
    )


def _silence(point: SensitivityPoint, last: Answer) -> Result:
    words = f"no tone, with {engineering(last.values['level'], 'V')}"
    judgement = Judgement(Verdict.NOT_KNOWN, "nothing comes through as found", 0.0)
    return Result(
        f"for {point.target_db:.0f} dB",
        words,
        None,
        None,
        "",
        "",
        judgement,
        last.seq,
        last.question,
        as_found=True,
    )


def _enough(point: SensitivityPoint, figure: Sensitivity | None, levels: int) -> bool:
    """Whether the figure is known well enough for what hangs on it: the limit lies outside of its
    doubt, or there is none to decide about."""
    if figure is None or figure.found is None:
        return figure is not None
    if figure.found.doubt_95_db <= KNOWN_DB:
        return True
    if point.limit_v is None:
        return levels >= FEW_LEVELS
    return not figure.found.low_95_v <= point.limit_v <= figure.found.high_95_v


def _now(
    facts: ReceiverFacts, point: SensitivityPoint, level_v: float, path: LevelPath | None
) -> SetUp:
    """Generator through the dummy aerial, voltmeter at the loudspeaker."""
    return SetUp(
        signal_hz=point.frequency_hz,
        generator_at=AERIAL,
        through=through_words(facts),
        way=drawn_way(path),
        lost_db=path.loss_db if path else 0.0,
        level_v=level_v,
        meter_at=SPEAKER,
        meter="audio",
        band=point.band,
    )


def _level_v(
    situation: Situation, point: SensitivityPoint, rows: list[Answer], path: LevelPath | None
) -> float:
    """What to set the generator to next: not to the same level again while the ratio wanted lies
    beyond all that were read, however coarse its steps are."""
    record, generator = situation.record, situation.equipment.generator
    if rows and not any(a.ask.startswith(PAIR) for a in rows):
        return next_level_v(noise_of(rows[-1]))
    pairs = pairs_at_the_set(record, point.frequency_hz, rows)
    wanted_v = next_search_level_v(pairs, point.target_db) or point.limit_v or FIRST_LEVEL_V
    level_v = generator_level_v(path, wanted_v)
    beyond = bool(pairs) and figure_of(record, point, rows) is None
    # what lies outside of its range stays as it is wanted, and how to get there is said
    if generator is None or not generator.least_v <= level_v <= generator.greatest_v:
        return level_v
    if beyond:
        return generator.another_v(level_v, rows[-1].values["level"])
    return generator.nearest_v(level_v)


def _row_result(answer: Answer, *, stale: bool) -> Result:
    ratio_db, label = ratio_of(answer), f"at {engineering(answer.values['level'], 'V')}"
    return result(answer, label, f"{ratio_db:.1f} dB", ratio_db, stale=stale)


def _figure_result(
    point: SensitivityPoint, last: Answer, figure: Sensitivity, phase: str
) -> Result:
    window = Window(None, point.limit_v) if point.limit_v else None
    limits = ("", engineering(point.limit_v, "V") if point.limit_v else "")
    found, level_v = phase == FOUND, figure.level_v
    told = result(
        last, f"for {point.target_db:.0f} dB", figure.text, level_v, window, limits, as_found=found
    )
    if figure.found is None:
        return told
    return replace(told, judgement=judged(point, figure))


def _ask(facts: ReceiverFacts, point: SensitivityPoint, level: float, number: int) -> Ask:
    return Ask(
        f"{PAIR}{number}",
        f"Dial and generator on {khz(point.frequency_hz)} as it comes in; level "
        f"{engineering(level, 'V')}: level, output with the tone on, and with it off. A needle "
        "that wanders: its ends, as 0.82-0.95.",
        PAIR_FIELDS,
        f"{level * 1e6:.1f} 0.92 0.27-0.31",
        expected_text=(
            f"{point.target_db:.0f} dB at {engineering(point.limit_v, 'V')} or less"
            if point.limit_v
            else "no limit given"
        ),
        recipe=Recipe(
            Doing.TONE_PAIR,
            signal_at(facts, point.band, point.frequency_hz, level),
            span_hz=search_span_hz(facts, point.frequency_hz),
            readings=RUN_READINGS,
        ),
    )


def _advice(
    record: JobRecord,
    numbered: NumberedPoint,
    point: SensitivityPoint,
    figure: Sensitivity | None,
    phase: str,
    fresh: list[Answer],
) -> tuple[str, ...]:
    lines: list[str] = []
    if phase == FOUND and figure is None and record.turned:
        lines.append(
            "Adjusters were turned already: what is read now is no longer as found. Close the step "
            "with that reason if it was not read before."
        )
    if figure is None and no_tone(record.of_step(numbered.key(phase))):
        lines.append(
            "No tone comes through: is the generator modulated, is the set tuned to it, and is its "
            "volume up?"
        )
    if phase == LEFT and figure is not None:
        before = measured(record, numbered, FOUND)
        if before is not None and compares(record, numbered):
            lines.append(_won(before, figure))
        elif before is not None:
            lines.append(
                f"As found {before.short}, but its levels were stated elsewhere: {ELSEWHERE}."
            )
    if figure is not None and figure.found is not None:
        lines += _doubt_words(point, figure.found, len(fresh))
    if numbered.given.limit_v is not None and numbered.given.told_in is Microvolts.PD:
        told = engineering(numbered.given.limit_v / 2.0, "V")
        lines.append(
            f"The maker tells {told} across a matched load (PD): half of the EMF that is meant "
            "here throughout."
        )
    lines += _of_source_words(numbered.given, point)
    lines += _bounded_words(record, fresh)
    path = level_path(record, point.frequency_hz, fresh[-1] if fresh else None)
    if path is not None:
        lines.append(
            f"The levels are the generator's; the figure has this taken off: {path_words(path)}."
        )
    noted = conditions(record, phase)
    if figure is not None and noted is not None:
        lines.append(conditions_words(noted))
    if phase == LEFT and figure is not None:
        lines += [w for w in (compared_words(record, FOUND, LEFT),) if w]
    if numbered.given.limit_v is None:
        lines.append("The sheet gives no limit here; as left is compared with as found only.")
    return tuple(lines)


def _of_source_words(given: SensitivityPoint, stated: SensitivityPoint) -> list[str]:
    """The limit as the maker tells it, where levels are stated of another source."""
    if given.limit_v is None or stated.limit_v is None or given.limit_v == stated.limit_v:
        return []
    return [
        f"The maker's {engineering(given.limit_v, 'V')} EMF are of {given.source_ohm:.3g} ohm: "
        f"{engineering(stated.limit_v, 'V')} carry as much power where these levels are stated."
    ]


def _bounded_words(record: JobRecord, fresh: list[Answer]) -> list[str]:
    """The levels at which the generator's own noise may be what was read."""
    bounded = [
        engineering(a.values["level"], "V")
        for a in fresh
        if (own_db := own_figures(record, a).noise_db) is not None
        and ratio_of(a) > own_db - OWN_BOUND_DB
    ]
    if not bounded:
        return []
    return [
        f"At {', '.join(bounded)} the ratio is near what the generator gives by itself: the set "
        "may be better than that."
    ]


def _won(before: Sensitivity, now: Sensitivity) -> str:
    """What was won since, and whether these readings can tell."""
    won_db = db_voltage(before.level_v / now.level_v)
    words = f"As found {before.short}: {won_db:+.1f} dB won"
    doubts = [s.found.doubt_95_db if s.found else 0.0 for s in (before, now)]
    doubt_db = (doubts[0] ** 2 + doubts[1] ** 2) ** 0.5
    if doubt_db == 0.0:
        return f"{words}."
    if abs(won_db) <= doubt_db:
        return f"{words}, which these readings cannot tell from nothing (± {doubt_db:.1f} dB)."
    return f"{words} (± {doubt_db:.1f} dB)."


def _doubt_words(point: SensitivityPoint, found: FoundLevel, levels: int) -> list[str]:
    """How far the figure is to be trusted, and what makes it better."""
    words = [f"Known to {found.doubt_95_db:.1f} dB either way in nineteen of twenty."]
    if found.doubt_95_db <= KNOWN_DB:
        return words
    better = (
        "The ends that the needle wanders between, watched for ten seconds, tell more than a "
        "glance; a run read by a meter on the network tells most."
    )
    if point.limit_v is not None and found.low_95_v <= point.limit_v <= found.high_95_v:
        rest = MOST_LEVELS - levels
        more = f"up to {rest} more levels" if rest > 0 else "no more of the same kind help"
        words.append(f"The limit lies inside of that: whether it is met cannot be told; {more}.")
    return [*words, better]


def _cost(point: SensitivityPoint, figure: Sensitivity | None) -> str:
    if figure is None or point.limit_v is None or figure.level_v <= point.limit_v:
        return ""
    if figure.found is not None and not judged(point, figure).verdict.outside:
        return ""
    return f"{db_voltage(figure.level_v / point.limit_v):.1f} dB short at {khz(point.frequency_hz)}"


def check_tone_pair(_: Situation, __: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for an output that is nothing, or greater with the tone off, and for a
    scatter without a number of readings."""
    values = kept.values
    if not {"on", "off"} <= values.keys():
        return
    for field in ask.fields:
        if field.swings and values.get(field.name) == 0.0:
            raise BadInput(field.label, "0", "must be above zero: noise is never nothing", "0.29")
    ends = any(low_end(n) in values for n in ("on", "off"))
    if not ends and "readings" not in values:
        if "on_spread" in values:
            raise BadInput(
                "tone on, tone off",
                f"{len(values)} values",
                "must be two, or four ends with a dash between each two",
                "25 0.82-0.95 0.26-0.34",
            )
        signal_plus_noise_to_noise_db(values["on"], values["off"])
