"""IF alignment by AVC volts: survey as found, peak each core in order, gain by substitution."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.movements import REFERENCE_AVC_V
from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.chain import MIXER, SetUp, chain_picture
from glowdial.core.journey.entry import LEAVE_IT
from glowdial.core.journey.peaking import LEAST_OF_BEFORE, advised_level_v, peak_step
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.readings import (
    conclude,
    confirmed,
    planned,
    reading,
    readings,
    waiting,
)
from glowdial.core.journey.record import IF_AREA, Answer, Basis, JobRecord
from glowdial.core.journey.room import ReportPart, ReportRow, Situation, pictured, report_row
from glowdial.core.journey.steps import Ask, Field, Lead, Plot, PlotLine, Status, Step, result
from glowdial.core.language.quantities import AVC_VOLTS, LEVEL, engineering, khz, turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import AVC, GENERATOR_LEVEL
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.intermediate.gain import (
    STOP_BELOW_DB,
    another_pass,
    gain_by_substitution_db,
)
from glowdial.core.stages.intermediate.survey import (
    LEFT_REACH_HZ,
    STAGE,
    SURVEY,
    SURVEY_LEFT,
    SURVEY_REACH_HZ,
    centre_window,
    flat_words,
    if_recipe,
    peak_result,
    side_words,
    spread_hz,
    survey_asks,
    survey_curve,
    survey_plot,
)

START_LEVEL_V = 1e-3
MOST_PASSES = 8
CLIP = ("clip lead stops the oscillator", "oscillator section of the gang to chassis")
VOLUME = "volume turned right down"
SET_UP, BASELINE, DECIDE, RESTORE = "if.set-up", "if.baseline", "if.decide", "if.restore"
GAIN = ".gain"
LEADS = (
    Lead("signal generator", "10 nF", "converter's signal grid"),
    Lead("high-impedance DC meter", "clip", "AVC line"),
)


def if_steps(situation: Situation) -> list[Step]:
    """The whole IF stage as it stands; passes are added as long as they gain."""
    facts, record = situation.facts, situation.record
    steps = [_set_up(facts, record), _baseline(facts, record), _survey(facts, record)]
    steps.append(_decide(facts, record, steps[-1]))
    if _aligning(record):
        steps += _passes(facts, record)
    drawn = [_with_chain(facts, record, step) for step in steps]
    return [*drawn, _restore(record)]


def _with_chain(facts: ReceiverFacts, record: JobRecord, step: Step) -> Step:
    """The step with the chain as it stands: generator at the mixer, the oscillator stopped."""
    if step.draw is not None and step.key != SURVEY:
        # the curve is what it is about
        return step
    recipe = step.ask.recipe if step.ask else None
    level_v = recipe.change.get("generator_emf_v") if recipe else None
    now = SetUp(
        signal_hz=(recipe and recipe.change.get("generator_hz")) or facts.intermediate_frequency_hz,
        generator_at=MIXER,
        through=LEADS[0].through,
        level_v=level_v,
        adjuster=step.adjuster,
        oscillator_stopped=True,
    )
    return replace(step, show_chain=lambda: chain_picture(facts, record, now))


def _aligning(record: JobRecord) -> bool:
    """Whether the decision was to align (leaving it is the other answer)."""
    answer = record.latest(DECIDE, "decision")
    return answer is not None and answer.texts.get("decision") == "align"


def _set_up(facts: ReceiverFacts, record: JobRecord) -> Step:
    step = Step(
        SET_UP,
        STAGE,
        f"Clip the generator to the mixer and stop the oscillator; warm up "
        f"{facts.warm_up_minutes:.0f} min",
        "With the oscillator stopped no station and no whistle can move the meter.",
        leads=(*LEADS, Lead("clip lead", "", "oscillator section of the gang to chassis")),
        controls=(
            "volume right down, the AVC meter is the indicator",
            "dial where no station comes in",
        ),
        does=(
            Activity.ALIGNING,
            Activity.SIGNAL_IN,
        ),
        powered=True,
        makes=(CLIP,),
        switches_off=(VOLUME,),
    )
    return confirmed(step, record, "ready", "Leads on, oscillator stopped, set warm.")


def _baseline(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = Ask(
        "avc",
        "Generator off: read the AVC line.",
        (Field("avc", "AVC", AVC_VOLTS, measurand=AVC),),
        "-0.1",
        recipe=if_recipe(facts, Doing.READ, generator_emf_v=0.0),
    )
    found = reading(record, BASELINE, ask)
    step = Step(
        BASELINE,
        STAGE,
        "Read the AVC line with no signal",
        "The baseline is taken off every later reading in the mind's eye; a high one is a fault.",
        leads=LEADS,
        powered=True,
    )
    if found.answer is not None:
        value = abs(found.answer.values["avc"])
        shown = result(found.answer, "no signal", f"{value:.2f} V", value, as_found=True)
        step = replace(step, results=(shown,))
    return conclude(step, (found,))


def _reference_ask(facts: ReceiverFacts, key: str) -> Ask:
    """Bring the AVC to the reference by the generator's level: gain by substitution."""
    recipe = if_recipe(facts, Doing.MATCH_LEVEL)
    return Ask(
        key,
        f"Generator on {khz(facts.intermediate_frequency_hz)}: set its level until the AVC reads "
        f"{REFERENCE_AVC_V:g} V, and enter the level.",
        (Field("level", "level", LEVEL, measurand=GENERATOR_LEVEL, sets="generator_emf_v"),),
        "850 uV",
        expected_text=f"whatever brings {REFERENCE_AVC_V:g} V",
        recipe=replace(recipe, target_v=REFERENCE_AVC_V),
    )


def _survey(facts: ReceiverFacts, record: JobRecord) -> Step:
    reference = reading(record, SURVEY, _reference_ask(facts, "reference"))
    level_v = reference.answer.values["level"] if reference.answer else START_LEVEL_V
    points_hz = planned(record, SURVEY, spread_hz(facts, SURVEY_REACH_HZ))
    found = (reference, *readings(record, SURVEY, survey_asks(facts, points_hz, level_v)))
    curve = survey_curve(record)
    step = Step(
        SURVEY,
        STAGE,
        "Survey the IF as found, cores untouched",
        "Where it peaks now tells whether it needs turning at all.",
        leads=LEADS,
        powered=True,
        programme=points_hz,
        draw=lambda: survey_plot(facts, curve, None),
    )
    if waiting(found) is None and curve is not None and reference.answer is not None:
        level = result(
            reference.answer,
            f"level for {REFERENCE_AVC_V:g} V",
            engineering(level_v, "V"),
            level_v,
            as_found=True,
        )
        peak = peak_result(facts, curve, reference.answer, as_found=True)
        step = replace(step, results=(peak, level), advice=flat_words(curve))
    return conclude(step, found)


def _cores(facts: ReceiverFacts) -> Basis:
    """What the IF's shape rests on."""
    return Basis(adjusters=facts.if_adjusters(), areas=(IF_AREA, "supply"))


def _survey_left(facts: ReceiverFacts, record: JobRecord, level_v: float) -> Step:
    """The same curve after the last core: seen to be on the IF, not believed to be."""
    points_hz = planned(record, SURVEY_LEFT, spread_hz(facts, LEFT_REACH_HZ))
    asks = survey_asks(facts, points_hz, level_v)
    found = readings(record, SURVEY_LEFT, asks, _cores(facts))
    curve = survey_curve(record, left=True)
    step = Step(
        SURVEY_LEFT,
        STAGE,
        "Survey the IF as left",
        "Five readings at one level show that the peak stands on the IF and both sides fall alike.",
        leads=LEADS,
        powered=True,
        programme=points_hz,
        draw=lambda: survey_plot(facts, survey_curve(record), curve),
        cost="the IF does not peak where it should" if curve is not None else "",
    )
    done = waiting(found) is None
    if curve is not None:
        stale = record.stale(curve.oldest, _cores(facts))
        if done or stale:
            step = replace(step, results=(peak_result(facts, curve, curve.oldest, stale=stale),))
        if done:
            step = replace(step, advice=side_words(curve))
    return conclude(step, found, retake=asks[0])


def _decide(facts: ReceiverFacts, record: JobRecord, survey: Step) -> Step:
    peak = next((r for r in survey.results if r.label == "peaks at"), None)
    nominal = facts.intermediate_frequency_hz
    advice: tuple[str, ...] = ()
    cost = ""
    if peak is not None and peak.value is not None:
        off = peak.value - nominal
        if peak.judgement.verdict.outside:
            advice = (f"It peaks {off / 1e3:+.1f} kHz from {khz(nominal)}: align it.",)
            cost = f"{off / 1e3:+.1f} kHz from the IF"
        else:
            advice = (
                f"It peaks {off / 1e3:+.1f} kHz from {khz(nominal)}, inside what matters. Leaving "
                "it is a result like any other; peaking may still win gain if a core is off alone.",
            )
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", LEAVE_IT)),),
        "align",
    )
    found = reading(record, DECIDE, ask)
    decided = found.answer.texts["decision"] if found.answer else ""
    step = Step(
        DECIDE,
        STAGE,
        "Decide: align the IF, or leave it",
        "What is right already only gets worse by turning.",
        advice=advice,
        leave=True,
        cost=cost,
        powered=True,
        draw=survey.draw,
        decision=decided,
        notes=(f"Decided: {decided}",) if decided else (),
    )
    if survey.status is not Status.DONE:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask)
    return conclude(step, (found,))


def _passes(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Passes over all cores, each ended by the gain that it won."""
    steps: list[Step] = []
    reference = record.latest(SURVEY, "reference")
    level = reference.values["level"] if reference else START_LEVEL_V
    gained: float | None = None
    for number in range(1, MOST_PASSES + 1):
        working = level
        for key in facts.if_adjusters():
            step = peak_step(
                record,
                Step(f"if.pass{number}.{key}", STAGE, "", "", leads=LEADS),
                facts.adjuster(key),
                recipe=if_recipe(facts, Doing.PEAK, generator_emf_v=working),
                level_v=working,
            )
            notes = (*step.notes, *_baseline_words(record))
            steps.append(replace(step, title=f"{step.title} (pass {number})", notes=notes))
            answer = record.latest(step.key, "peak")
            if answer is not None:
                working = advised_level_v(working, abs(answer.values["after"]))
        gain_step, gained, level = _gain(facts, record, number, level)
        steps.append(gain_step)
        if gained is None or not another_pass(gained):
            break
    else:
        gained = 0.0
    if gained is not None:
        steps.append(_survey_left(facts, record, level))
    return steps


def _baseline_words(record: JobRecord) -> tuple[str, ...]:
    """What the meter shows without a signal, which is no peak."""
    answer = record.latest(BASELINE, "avc")
    return () if answer is None else (f"No signal reads {answer.values['avc']:.2f} V.",)


def _gain(
    facts: ReceiverFacts, record: JobRecord, number: int, before_v: float
) -> tuple[Step, float | None, float]:
    key = f"if.pass{number}{GAIN}"
    # a later pass turns the cores anew, and measures again what it won
    later = tuple(f"if.pass{n}." for n in range(number + 1, MOST_PASSES + 1))
    basis = replace(_cores(facts), own_steps=later)
    found = reading(record, key, _reference_ask(facts, "level"), basis)
    step = Step(
        key,
        STAGE,
        f"Measure what pass {number} won",
        "The meter's law is crooked; the generator's change for the same reading is not.",
        leads=LEADS,
        powered=True,
    )
    if found.answer is None:
        return conclude(step, (found,)), None, before_v
    level = found.answer.values["level"]
    gained = gain_by_substitution_db(before_v, level)
    shown = result(found.answer, f"pass {number}", f"{gained:+.1f} dB", gained, stale=found.stale)
    words = (
        f"{gained:.1f} dB won: make another pass, back to the first core."
        if another_pass(gained)
        else f"Less than {STOP_BELOW_DB:g} dB won: the IF is done."
    )
    step = replace(
        step,
        results=(shown,),
        advice=(words,),
        draw=lambda: _gain_plot(record, number),
        table=_cores_table(facts, record, number),
    )
    return conclude(step, (found,)), gained, level


def _cores_table(facts: ReceiverFacts, record: JobRecord, passes: int) -> ReadingTable:
    """Every core by the passes so far: what its peak won, and how far it was turned for it."""
    columns = tuple(f"pass {n}" for n in range(1, passes + 1))
    rows = []
    for key in facts.if_adjusters():
        cells = []
        for n, column in enumerate(columns, start=1):
            answer = record.latest(f"if.pass{n}.{key}", "peak")
            if answer is not None:
                cells.append(_core_cell(column, f"{key} {column}", answer))
        rows.append(TableRow("", facts.adjuster(key).name, "", tuple(cells)))
    return ReadingTable(columns, tuple(rows))


def _core_cell(column: str, label: str, answer: Answer) -> TableCell:
    before, after = abs(answer.values["before"]), abs(answer.values["after"])
    turned = answer.values["turns"]
    words = "not turned" if turned == 0.0 else turns(turned)
    verdict = "inside" if after >= LEAST_OF_BEFORE * before else "low"
    return TableCell(column, "", label, words, f"{before:.2f} to {after:.2f} V", verdict, words)


def _gain_plot(record: JobRecord, number: int) -> Plot | None:
    reference = record.latest(SURVEY, "reference")
    if reference is None:
        return None
    levels = [reference.values["level"]]
    for n in range(1, number + 1):
        answer = record.latest(f"if.pass{n}{GAIN}", "level")
        if answer is not None:
            levels.append(answer.values["level"])
    gains = tuple(gain_by_substitution_db(levels[0], v) for v in levels)
    line = PlotLine("gain", "measured", tuple(float(n) for n in range(len(levels))), gains)
    return Plot("Gain won since as found", "pass", "gain (dB)", (line,))


def _restore(record: JobRecord) -> Step:
    step = Step(
        RESTORE,
        STAGE,
        "Take the clip lead off and let the oscillator run; volume back",
        "What this stage switched off is switched back on by this stage.",
        powered=True,
        undoes=SET_UP,
    )
    return confirmed(step, record, "restored", "Clip lead off, volume back.")


def if_report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """Where the IF peaks, and what aligning it won."""
    facts, record = situation.facts, situation.record
    curve = survey_curve(record)
    reference = record.latest(SURVEY, "reference")
    if curve is None or reference is None:
        return ReportPart()
    gain = _last_gain(record)
    left_v = gain.values["level"] if gain else reference.values["level"]
    won = gain_by_substitution_db(reference.values["level"], left_v)
    left = survey_curve(record, left=True) if gain else curve
    surveys = [s for s in steps if s.key in (SURVEY, SURVEY_LEFT) and s.results]
    shown = pictured("IF", surveys[-1], plot=True) if surveys else ()
    return ReportPart(
        pictures=shown,
        rows=(
            report_row(
                "IF, peak",
                khz(facts.intermediate_frequency_hz),
                khz(curve.peak_hz),
                khz(left.peak_hz) if left else "",
                left.peak_hz if left else None,
                centre_window(facts),
            ),
            ReportRow(
                "IF, generator for the same AVC",
                "no figure",
                engineering(reference.values["level"], "V"),
                engineering(left_v, "V"),
                "not known",
                f"{won:+.1f} dB won",
            ),
        ),
    )


def _last_gain(record: JobRecord) -> Answer | None:
    """The gain of the last pass that was measured."""
    found = [record.latest(f"if.pass{n}{GAIN}", "level") for n in range(1, MOST_PASSES + 1)]
    return next((a for a in reversed(found) if a is not None), None)
