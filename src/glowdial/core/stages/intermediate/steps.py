"""IF alignment: survey as found, peak each core in order by the indicator chosen, gain by
substitution."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.chain import DETECTOR, MIXER, SPEAKER, SetUp, chain_picture
from glowdial.core.journey.entry import LEAVE_IT
from glowdial.core.journey.readings import (
    conclude,
    confirmed,
    planned,
    reading,
    readings,
    waiting,
)
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import (
    Entering,
    Situation,
)
from glowdial.core.journey.steps import Ask, Field, Lead, Status, Step, result
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.intermediate.adjusters import STATE, check_state
from glowdial.core.stages.intermediate.fm_detector import CURVE, check_s, fm_steps
from glowdial.core.stages.intermediate.goal import goal_ask, goal_words
from glowdial.core.stages.intermediate.indicators import (
    REFERENCE,
    IndicatorKind,
    choice_ask,
    indicator,
)
from glowdial.core.stages.intermediate.order import (
    ORDER,
    by_sheet,
    damped_with,
    order_ask,
    order_of,
    posture_words,
    reordered,
    warnings,
)
from glowdial.core.stages.intermediate.own_if import (
    OWN_IF,
    cans_ask,
    check_own_if,
    own_if_ask,
    own_if_words,
    settled_hz,
)
from glowdial.core.stages.intermediate.passes import passes
from glowdial.core.stages.intermediate.survey import (
    CENTRE_TOLERANCE,
    STAGE,
    SURVEY,
    SURVEY_POINTS,
    filter_ask,
    filter_width_hz,
    flat_words,
    input_word,
    peak_result,
    spread_hz,
    survey_asks,
    survey_curve,
    survey_plot,
)
from glowdial.core.stages.intermediate.sweep_set_up import sweep_set_up
from glowdial.core.stages.intermediate.sweep_steps import sweep_rounds
from glowdial.core.stages.intermediate.sweep_traces import LAW, SWEEP, TRACE, made_law, read_sweep
from glowdial.core.stages.intermediate.traps import trap_steps
from glowdial.core.stages.intermediate.whole_plan import (
    reordered_warnings,
    table_warnings,
    whole_plan,
)
from glowdial.core.stages.intermediate.work import (
    BASELINE,
    CLIP,
    DAMPER,
    DECIDE,
    RESTORE,
    SEEN_AT,
    SET_UP,
    START_LEVEL_V,
    VOLUME,
    Work,
    line_of,
    reference_ask,
    scrambled,
)


def if_steps(situation: Situation) -> list[Step]:
    """The whole IF stage as it stands; passes are added as long as they gain."""
    work = Work(situation, indicator(situation))
    if work.by.kind is IndicatorKind.SWEEP:
        return _swept(work)
    steps = [_set_up(work), _baseline(work), _survey(work)]
    work = _settled_on(work)
    steps.append(_decide(work, steps[-1]))
    if _aligning(work.record):
        steps += passes(work)
    # left as it is or not: the detector is a thing of its own
    steps += fm_steps(work.situation)
    drawn = [_listening(work, _with_chain(work, step)) for step in steps]
    traps = trap_steps(work.situation, work.by)
    return [*drawn, _restore(work.record), *traps]


def _listening(work: Work, step: Step) -> Step:
    """The step with its questions open to the computer's microphone, where that is chosen."""
    if work.by.kind is not IndicatorKind.MICROPHONE:
        return step
    heard = work.by.shown.quantity

    def open_to_it(ask: Ask) -> Ask:
        return replace(ask, listens=any(f.quantity is heard for f in ask.fields))

    return replace(
        step,
        ask=open_to_it(step.ask) if step.ask else None,
        others=tuple(open_to_it(a) for a in step.others),
    )


def _settled_on(work: Work) -> Work:
    """The same with the IF that is aligned to: a filter's own, where the set has one."""
    facts, at_hz = work.facts, settled_hz(work.facts, work.record)
    if at_hz == facts.intermediate_frequency_hz:
        return work
    settled = replace(facts, intermediate_frequency_hz=at_hz)
    return replace(work, situation=replace(work.situation, facts=settled), by_sheet=facts)


def _swept(work: Work) -> list[Step]:
    """The swept school: one sweep, the decision, then sweeps and turns until it is right."""
    work = _settled_on(work)
    rounds = sweep_rounds(work.situation, work.by)
    decide = _decide(work, rounds[0])
    detector = fm_steps(work.situation)
    steps = (_set_up(work), rounds[0], decide, *rounds[1:], *detector)
    drawn = [_with_chain(work, s) for s in steps]
    return [*drawn, _restore(work.record), *trap_steps(work.situation, work.by)]


def check_if(situation: Situation, step: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for a seal overridden by nobody, an order that is none, a trace that cannot
    be read."""
    if step.key.startswith(SWEEP) and ask.key == TRACE:
        read_sweep(situation.facts, dict(kept.texts), dict(kept.values))
    if step.key == CURVE and ask.key == TRACE:
        check_s(kept.texts, kept.values)
    if ask.key == OWN_IF:
        check_own_if(situation.facts, kept.values)
    if ask.key == LAW:
        made_law(kept.values)
    if ask.key == STATE:
        check_state(dict(kept.texts))
    if step.key == DECIDE and ask.key == ORDER:
        reordered(by_sheet(situation.facts), kept.texts[ORDER])


def _with_chain(work: Work, step: Step) -> Step:
    """The step with the chain as it stands: generator at the mixer, the oscillator stopped."""
    if step.draw is not None and step.key != SURVEY:
        # the curve is what it is about
        return step
    facts, recipe = work.facts, step.ask.recipe if step.ask else None
    level_v = recipe.change.get("generator_emf_v") if recipe else None
    injected = (recipe and recipe.change.get("injection")) or "mixer grid"
    now = SetUp(
        signal_hz=(recipe and recipe.change.get("generator_hz")) or facts.intermediate_frequency_hz,
        generator_at=MIXER if injected == "mixer grid" else injected.removesuffix(" grid"),
        through=work.leads[0].through,
        level_v=level_v,
        meter_at=SPEAKER if work.by.tone else DETECTOR,
        meter=work.by.shown.label,
        adjuster=step.adjuster,
        oscillator_stopped=True,
    )
    return replace(step, show_chain=lambda: chain_picture(facts, work.record, now))


def _aligning(record: JobRecord) -> bool:
    """Whether the decision was to align (leaving it is the other answer)."""
    answer = record.latest(DECIDE, "decision")
    return answer is not None and answer.texts.get("decision") == "align"


def _set_up(work: Work) -> Step:
    facts = work.facts
    damps = any(damped_with(facts, key) for key in facts.if_adjusters())
    step = Step(
        SET_UP,
        STAGE,
        f"Clip the generator to the mixer and stop the oscillator; warm up "
        f"{facts.warm_up_minutes:.0f} min",
        "With the oscillator stopped no station and no whistle can move the meter. "
        f"{work.by.traps}",
        leads=(*work.leads, Lead("clip lead", "", "oscillator section of the gang to chassis")),
        controls=(*work.by.set_up, *_sweep_words(work), *_table_controls(facts)),
        does=(
            Activity.ALIGNING,
            Activity.SIGNAL_IN,
        ),
        powered=True,
        makes=(CLIP, DAMPER) if damps else (CLIP,),
        switches_off=(VOLUME,) if work.by.kind is IndicatorKind.AVC else (),
        others=(choice_ask(),),
    )
    return confirmed(step, work.record, "ready", "Leads on, oscillator stopped, set warm.")


def _sweep_words(work: Work) -> tuple[str, ...]:
    return sweep_set_up(work.situation) if work.by.kind is IndicatorKind.SWEEP else ()


def _table_controls(facts: ReceiverFacts) -> tuple[str, ...]:
    """What the maker's table says of the IF: where the generator goes, by what, for what."""
    mine = set(facts.if_adjusters())
    found: list[str] = []
    for row in facts.alignment:
        if mine & set(row.adjusters):
            parts = (
                khz(row.generator_hz) if row.generator_hz else "",
                f"to the {row.point}" if row.point else "",
                f"through {row.through}" if row.through else "",
                f"dial at {khz(row.dial_hz)}" if row.dial_hz else "",
                row.indicator,
                row.target,
                row.remark,
            )
            found.append("by the sheet: " + ", ".join(p for p in parts if p))
    return tuple(dict.fromkeys(w for w in found if w != "by the sheet: "))


def _baseline(work: Work) -> Step:
    shown = work.by.shown
    key = f"avc{work.by.suffix}"
    ask = Ask(
        key,
        f"Generator off: read the {line_of(work)}.",
        (Field("avc", shown.label, shown.quantity, measurand=shown.measurand),),
        "-0.1" if work.by.kind is IndicatorKind.AVC else "0.02",
        recipe=work.recipe(Doing.READ, generator_emf_v=0.0),
    )
    found = reading(work.record, BASELINE, ask)
    step = Step(
        BASELINE,
        STAGE,
        f"Read the {line_of(work)} with no signal",
        "The baseline is taken off every later reading in the mind's eye; a high one is a fault.",
        leads=work.leads,
        powered=True,
        others=(choice_ask(),),
    )
    if found.answer is not None:
        value = abs(found.answer.values["avc"])
        shown_as = f"{value:.2f} {shown.quantity.base}".strip()
        step = replace(
            step, results=(result(found.answer, "no signal", shown_as, value, as_found=True),)
        )
    return conclude(step, (found,))


def _survey(work: Work) -> Step:
    facts, record = work.facts, work.record
    reference = reading(record, SURVEY, reference_ask(work, f"{REFERENCE}{work.by.suffix}"))
    level_v = reference.answer.values["level"] if reference.answer else START_LEVEL_V
    points_hz = planned(record, SURVEY, spread_hz(facts, SURVEY_POINTS))
    asks = survey_asks(facts, points_hz, level_v, work.by.shown)
    found = (reference, *readings(record, SURVEY, asks))
    if filter_width_hz(facts) is not None:
        found = (*found, reading(record, SURVEY, filter_ask(facts, level_v)))
    curve = survey_curve(record)
    step = Step(
        SURVEY,
        STAGE,
        "Survey the IF as found, cores untouched",
        "Where it peaks now tells whether it needs turning at all.",
        leads=work.leads,
        powered=True,
        programme=points_hz,
        draw=lambda: survey_plot(facts, curve, None),
        others=(choice_ask(),),
    )
    if waiting(found) is None and curve is not None and reference.answer is not None:
        level = result(
            reference.answer,
            f"level for {work.by.reference:g} {work.by.shown.quantity.base}".rstrip(),
            engineering(level_v, "V"),
            level_v,
            as_found=True,
        )
        peak = peak_result(facts, curve, reference.answer, as_found=True)
        words = (*flat_words(curve), *_frequency_words(work))
        step = replace(step, results=(peak, level), advice=words)
    return conclude(step, found)


def _frequency_words(work: Work) -> tuple[str, ...]:
    """What a generator that is not sure of its frequency does to the IF."""
    generator = work.situation.equipment.generator
    if generator is None or generator.frequency_error < CENTRE_TOLERANCE:
        return ()
    off_hz = generator.frequency_error * work.facts.intermediate_frequency_hz
    return (
        f"This generator's frequency is good to {100 * generator.frequency_error:.2g} %, "
        f"{khz(off_hz)} here: beat its harmonic against a station that is known, or count it; else "
        "the IF is as wrong as it is. That costs little where the oscillator follows, much behind "
        "a filter or a fixed second conversion.",
    )


def _decide(work: Work, survey: Step) -> Step:
    facts, record = work.facts, work.record
    peak = next((r for r in survey.results if r.label in SEEN_AT), None)
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
        if filter_width_hz(facts) is not None:
            advice = (
                *advice,
                "Behind the filter a survey shows the filter's place, not the cans': peaking them "
                "is worth a look, and what it wins is measured.",
            )
        if scrambled(work):
            advice = (
                *advice,
                f"Hardly anything gets through: from the last {input_word(facts)} backward, each "
                f"can fed at the {input_word(facts)} before it, its cores at mid-travel to begin.",
            )
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", LEAVE_IT)),),
        "align",
    )
    found = reading(record, DECIDE, ask)
    decided = found.answer.texts["decision"] if found.answer else ""
    order = order_of(facts, record)
    by_whom = "by its alignment table" if _tabled(facts) else "from the circuit"
    step = Step(
        DECIDE,
        STAGE,
        "Decide: align the IF, or leave it",
        f"What is right already only gets worse by turning. The order is {by_whom}.",
        advice=(
            *advice,
            *own_if_words(work.sheet, record),
            *goal_words(facts, record),
            *posture_words(facts, order),
            *warnings(facts, order),
            *table_warnings(facts),
            *reordered_warnings(facts, record),
        ),
        leave=True,
        cost=cost,
        powered=True,
        draw=survey.draw,
        decision=decided,
        notes=(f"Decided: {decided}",) if decided else (),
        others=(order_ask(by_sheet(facts)), goal_ask(), *_if_asks(facts), choice_ask()),
        table=whole_plan(facts, record, order) if decided == "align" else None,
    )
    if survey.status is not Status.DONE:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask)
    return conclude(step, (found,))


def _if_asks(facts: ReceiverFacts) -> tuple[Ask, ...]:
    """Another IF than the sheet's, and what the cans say of it."""
    return (own_if_ask(facts), cans_ask(facts)) if facts.transformers else (own_if_ask(facts),)


def _tabled(facts: ReceiverFacts) -> bool:
    mine = set(facts.if_adjusters())
    return any(mine & set(row.adjusters) for row in facts.alignment)


def _restore(record: JobRecord) -> Step:
    step = Step(
        RESTORE,
        STAGE,
        "Take the clip lead off and let the oscillator run; volume back",
        "And the damper. What this stage switched off is switched back on by this stage.",
        powered=True,
        undoes=SET_UP,
    )
    return confirmed(step, record, "restored", "Clip lead and damper off, volume back.")
