"""Passes over the IF's cores: each ended by the gain that it won, the last by a survey as left."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.alignment.flat_top import flat_top
from glowdial.core.journey.peaking import LEAST_OF_BEFORE
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.readings import (
    conclude,
    planned,
    reading,
    readings,
    waiting,
)
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Plot, PlotLine, Result, Step, result
from glowdial.core.language.quantities import khz, turns
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.intermediate.adjusters import standing
from glowdial.core.stages.intermediate.cores import Fed, core_step, injections
from glowdial.core.stages.intermediate.gain import (
    STOP_BELOW_DB,
    another_pass,
    gain_by_substitution_db,
    shown_db,
)
from glowdial.core.stages.intermediate.goal import (
    FLAT_POINTS,
    LOOKED_AT,
    MOST_RIPPLE_DB,
    Goal,
    cans_by_design,
    goal_of,
    ripple_db,
)
from glowdial.core.stages.intermediate.indicators import (
    REFERENCE,
    IndicatorKind,
)
from glowdial.core.stages.intermediate.order import (
    order_of,
)
from glowdial.core.stages.intermediate.rates import drift_between, line_law, rate_of
from glowdial.core.stages.intermediate.survey import (
    LEFT_POINTS,
    STAGE,
    SURVEY,
    SURVEY_LEFT,
    SurveyCurve,
    peak_result,
    side_words,
    spread_hz,
    survey_asks,
    survey_curve,
    survey_plot,
)
from glowdial.core.stages.intermediate.work import (
    CAUSES,
    GAIN,
    LOST,
    MOST_PASSES,
    SETTLED_CORES,
    SETTLED_TURNS,
    Work,
    answered,
    baseline_words,
    cores_basis,
    last_level,
    reference_ask,
    scrambled,
)


def passes(work: Work) -> list[Step]:
    """Passes over all cores, each ended by the gain that it won; a second look ends as soon as two
    cores in a row had hardly to be turned."""
    facts, record = work.facts, work.record
    steps: list[Step] = []
    order, fed = order_of(facts, record), injections(facts)
    gained: float | None = None
    for number in range(1, MOST_PASSES + 1):
        visited: list[float] = []
        for key in order:
            can = facts.can_of(key)
            backward = number == 1 and can is not None and scrambled(work)
            at = fed[can.key] if backward and can else "mixer grid"
            clip = Fed(at, last_level(work))
            step = core_step(work.situation, work.by, f"if.pass{number}.{key}", key, clip)
            notes = (*step.notes, *baseline_words(work))
            steps.append(replace(step, title=f"{step.title} (pass {number})", notes=notes))
            answer = record.latest(step.key, "peak")
            if answer is not None and not standing(facts, record, key).left_alone:
                visited.append(abs(answer.values["turns"]))
            if number > 1 and _settled(visited) and not _gone_on(record, number, order, key):
                steps.append(_survey_left(work, last_level(work)))
                return steps
        gain_step, gained = _gain(work, number)
        steps.append(gain_step)
        if gained is None or not another_pass(abs(gained), _shown_db(work)):
            break
    if gained is not None:
        steps.append(_survey_left(work, last_level(work)))
    return steps


def _survey_left(work: Work, level_v: float) -> Step:
    """The same curve after the last core: seen to be on the IF, not believed to be."""
    facts, record = work.facts, work.record
    points_hz = planned(record, SURVEY_LEFT, _left_points_hz(work))
    asks = survey_asks(facts, points_hz, level_v, work.by.shown)
    found = readings(record, SURVEY_LEFT, asks, cores_basis(facts))
    curve = survey_curve(record, left=True)
    step = Step(
        SURVEY_LEFT,
        STAGE,
        "Survey the IF as left",
        "Five readings at one level show that the peak stands on the IF and both sides fall alike.",
        leads=work.leads,
        powered=True,
        programme=points_hz,
        draw=lambda: survey_plot(facts, survey_curve(record), curve),
        cost="the IF does not peak where it should" if curve is not None else "",
    )
    done = waiting(found) is None
    if curve is not None:
        stale = record.stale(curve.oldest, cores_basis(facts))
        if done or stale:
            shown = (peak_result(facts, curve, curve.oldest, stale=stale),)
            step = replace(step, results=(*shown, *_ripple(work, curve, stale=stale)))
        if done:
            step = replace(step, advice=side_words(curve))
    return conclude(step, found, retake=asks[0])


def _left_points_hz(work: Work) -> tuple[float, ...]:
    """Five points, or as many over a flat top as show its ripple."""
    facts, record = work.facts, work.record
    if goal_of(record) is Goal.SENSITIVE or not facts.transformers:
        return spread_hz(facts, LEFT_POINTS)
    wide_hz = flat_top(cans_by_design(facts), facts.intermediate_frequency_hz).width_hz
    return spread_hz(facts, FLAT_POINTS, LOOKED_AT * wide_hz)


def _ripple(work: Work, curve: SurveyCurve, *, stale: bool) -> tuple[Result, ...]:
    """Of a flat top: how far its valleys lie below its humps."""
    if goal_of(work.record) is Goal.SENSITIVE:
        return ()
    on_line = work.by.kind is IndicatorKind.AVC
    law = line_law(work.facts, work.record).volts_per_neper if on_line else None
    found = ripple_db(curve, law)
    window = Window(None, MOST_RIPPLE_DB)
    limits = ("", f"{MOST_RIPPLE_DB:.0f} dB")
    return (result(curve.oldest, "ripple", f"{found:.1f} dB", found, window, limits, stale=stale),)


def _gone_on(record: JobRecord, number: int, order: tuple[str, ...], key: str) -> bool:
    """Whether a pass was worked beyond a core: then it is what it was."""
    rest = order[order.index(key) + 1 :]
    return any(record.of_step(f"if.pass{number}{k}") for k in (GAIN, *(f".{r}" for r in rest)))


def _settled(visited: list[float]) -> bool:
    last = visited[-SETTLED_CORES:]
    return len(last) == SETTLED_CORES and max(last) <= SETTLED_TURNS


def _shown_db(work: Work) -> float:
    """What the indicator can show of the generator's level where it is held."""
    if work.by.kind is not IndicatorKind.AVC:
        return STOP_BELOW_DB
    law = work.facts.circuit.avc
    return shown_db(work.by.reference, law.control_v_per_neper)


def _level_before(work: Work, number: int) -> Answer | None:
    """The matching that a pass's gain counts from: the one before it by the same indicator."""
    for earlier in range(number - 1, 0, -1):
        answer = answered(work, f"if.pass{earlier}{GAIN}", work.level_ask)
        if answer is not None:
            return answer
    return answered(work, SURVEY, f"{REFERENCE}{work.by.suffix}")


def _gain(work: Work, number: int) -> tuple[Step, float | None]:
    facts, record = work.facts, work.record
    key = f"if.pass{number}{GAIN}"
    # a later pass turns the cores anew, and measures again what it won
    later = tuple(f"if.pass{n}." for n in range(number + 1, MOST_PASSES + 1))
    basis = replace(cores_basis(facts), own_steps=later)
    found = reading(record, key, reference_ask(work, work.level_ask), basis)
    step = Step(
        key,
        STAGE,
        f"Measure what pass {number} won",
        "Dampers off. The meter's law is crooked; the generator's change for the same reading is "
        "not.",
        leads=work.leads,
        powered=True,
    )
    before = _level_before(work, number)
    if found.answer is None or before is None:
        return conclude(step, (found,)), None
    level = found.answer.values["level"]
    gained = gain_by_substitution_db(before.values["level"], level)
    shown = result(found.answer, f"pass {number}", f"{gained:+.1f} dB", gained, stale=found.stale)
    least = _shown_db(work)
    lost = gained <= -least
    step = replace(
        step,
        results=(shown,),
        advice=(_gain_words(gained, least), *_drift_words(work, number)),
        draw=lambda: _gain_plot(work, number),
        table=_cores_table(facts, record, number),
    )
    asked = (found, reading(record, key, _lost_ask(gained))) if lost else (found,)
    return conclude(step, asked), gained


def _drift_words(work: Work, number: int) -> tuple[str, ...]:
    """Where every core had to follow the same way since the pass before: the set drifts."""
    if number == 1:
        return ()
    facts, record = work.facts, work.record
    seen = {}
    for key in order_of(facts, record):
        before = record.latest(f"if.pass{number - 1}.{key}", "peak")
        again = record.latest(f"if.pass{number}.{key}", "peak")
        if before is not None and again is not None:
            seen[key] = (again, rate_of(facts, record, key).change)
    drift = drift_between(facts, seen)
    if drift is None:
        return ()
    way = "up" if drift.hz > 0.0 else "down"
    return (
        f"All {drift.cores} cores had to follow the same way: since the pass before the set ran "
        f"{way} by about {khz(abs(drift.hz))}. It is not warm, or a part drifts: wait, look again "
        "before the next core, and note when it settles.",
    )


def _gain_words(gained: float, least: float) -> str:
    if gained <= -least:
        return f"{gained:.1f} dB: not won but lost. Say what was wrong, and make another pass."
    if another_pass(gained, least):
        return f"{gained:.1f} dB won: another look, back to the first core."
    return f"Less than {least:.1f} dB won, all that shows here: the IF is done."


def _lost_ask(gained: float) -> Ask:
    """A pass that lost level: what was wrong."""
    return Ask(
        LOST,
        f"This pass lost {-gained:.1f} dB. What was wrong: the tool (it detunes, read with it "
        "out), the hand, a damper left on, the level (too high to show a peak), or drift "
        "meanwhile?",
        (Field(LOST, "what was wrong", options=CAUSES),),
        CAUSES[0],
    )


def _cores_table(facts: ReceiverFacts, record: JobRecord, passes: int) -> ReadingTable:
    """Every core by the passes so far: what its peak won, and how far it was turned for it."""
    columns = tuple(f"pass {n}" for n in range(1, passes + 1))
    rows = []
    for key in order_of(facts, record):
        cells = []
        for n, column in enumerate(columns, start=1):
            answer = record.latest(f"if.pass{n}.{key}", "peak")
            if answer is not None:
                cells.append(_core_cell(column, f"{key} {column}", answer))
        now = standing(facts, record, key)
        does = now.movement.value if now.left_alone else ""
        rows.append(TableRow("", facts.adjuster(key).name, does, tuple(cells)))
    return ReadingTable(columns, tuple(rows))


def _core_cell(column: str, label: str, answer: Answer) -> TableCell:
    before, after = abs(answer.values["before"]), abs(answer.values["after"])
    turned = answer.values["turns"]
    words = "not turned" if turned == 0.0 else turns(turned)
    verdict = "inside" if after >= LEAST_OF_BEFORE * before else "low"
    unit = answer.places["after"].kind.value if "after" in answer.places else ""
    shown = f"{before:.2f} to {after:.2f}{' V' if unit else ''}"
    return TableCell(column, "", label, words, shown, verdict, words)


def _gain_plot(work: Work, number: int) -> Plot | None:
    reference = answered(work, SURVEY, f"{REFERENCE}{work.by.suffix}")
    if reference is None:
        return None
    levels = [reference.values["level"]]
    for n in range(1, number + 1):
        answer = answered(work, f"if.pass{n}{GAIN}", work.level_ask)
        if answer is not None:
            levels.append(answer.values["level"])
    gains = tuple(gain_by_substitution_db(levels[0], v) for v in levels)
    line = PlotLine("gain", "measured", tuple(float(n) for n in range(len(levels))), gains)
    return Plot("Gain won since as found", "pass", "gain (dB)", (line,))
