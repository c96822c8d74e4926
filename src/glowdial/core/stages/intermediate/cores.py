"""Peaking the IF's cores, one at a time: held low, the others of its can damped, tool out."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.peaking import (
    LEAST_OF_BEFORE,
    MOST_TRIALS,
    TRIAL,
    peak_ask,
    trial_ask,
    typed_trace,
)
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Lead, Step, result, settle
from glowdial.core.language.quantities import engineering, significant, turns
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import Adjuster, ReceiverFacts
from glowdial.core.physics.operating_point import Role
from glowdial.core.stages.intermediate.adjusters import (
    DEAD_CHECKS,
    FLAT_SHARE,
    NO_CHANGE,
    AdjusterStanding,
    Movement,
    back_ask,
    changes_nothing,
    contrast,
    flank_hz,
    last_visits,
    no_change_ask,
    standing,
    state_ask,
)
from glowdial.core.stages.intermediate.goal import belongs_hz
from glowdial.core.stages.intermediate.indicators import LOW_SHARE, Indicator, IndicatorKind
from glowdial.core.stages.intermediate.order import damped_with, damper_ohm
from glowdial.core.stages.intermediate.rates import move_words, rate_words
from glowdial.core.stages.intermediate.survey import STAGE, fed_at, if_recipe, written
from glowdial.core.stages.intermediate.tools import tool_ask, tool_words
from glowdial.core.stages.intermediate.unrest import unrest_ask, unrest_words

# what a quarter turn of a working core changes at least, as a share of the reading
TELLING_TURN, NOTHING_SHARE = 0.25, 0.03
# a peak is the middle between two places that have fallen this far
FALLEN_TO = 0.7
NEAR_END_TURNS = 0.125


@dataclass(frozen=True, slots=True)
class Fed:
    """Where the generator is clipped, and the level in V EMF to begin with."""

    at: str
    level_v: float


def core_step(
    situation: Situation, shown_by: Indicator, key: str, adjuster_key: str, fed: Fed
) -> Step:
    """The step of peaking one core in one pass."""
    facts, record = situation.facts, situation.record
    adjuster = facts.adjuster(adjuster_key)
    now = standing(facts, record, adjuster_key)
    step = Step(
        key,
        STAGE,
        f"Peak the {adjuster.name}",
        "",
        powered=True,
        adjuster=adjuster_key,
        leads=core_leads(facts, shown_by, adjuster_key, fed.at),
    )
    if now.left_alone:
        return _left(step, record, adjuster, now)
    return _peaked(step, situation, shown_by, adjuster, now, fed)


def core_leads(
    facts: ReceiverFacts, shown_by: Indicator, adjuster: str, injection: str
) -> tuple[Lead, ...]:
    """Generator, indicator, and the damper where one is wanted."""
    leads = [
        Lead("signal generator", "10 nF", fed_at(facts, injection), signal=True),
        shown_by.lead,
    ]
    can, damped = facts.can_of(adjuster), damped_with(facts, adjuster)
    if can is not None and damped:
        across = " and ".join(f"the {facts.adjuster(k).name}'s winding" for k in damped)
        leads.append(Lead(f"damper, {engineering(damper_ohm(facts, can), 'ohm')}", "", across))
    return tuple(leads)


def _left(step: Step, record: JobRecord, adjuster: Adjuster, now: AdjusterStanding) -> Step:
    """One that is not turned: said once, passed over afterwards, taken up again when it moves."""
    asks: tuple[Ask, ...] = (state_ask(adjuster),)
    turned = record.turns_of(adjuster.key)
    if turned:
        asks = (*asks, back_ask(adjuster, turned))
    step = replace(
        step,
        title=f"Leave the {adjuster.name}: {now.movement.value}",
        reason="The others are set to do their best with it as it stands.",
        others=asks,
    )
    found_here = now.answer is not None and now.answer.step == step.key
    if now.movement is not Movement.DEAD or not found_here or now.answer is None:
        return settle(step, remaining=None)
    moved = abs(contrast(now.answer))
    shown = result(
        now.answer,
        f"{adjuster.name}, a turn one way and the other",
        f"{100 * moved:.1f} % apart",
        moved,
        Window(FLAT_SHARE, None),
        (f"{100 * FLAT_SHARE:.0f} %", ""),
    )
    step = replace(
        step,
        results=(shown,),
        advice=(DEAD_CHECKS,),
        cost=f"the {adjuster.name} changes nothing",
    )
    return settle(step, remaining=None, retake=asks[0])


def _peaked(
    step: Step,
    situation: Situation,
    shown_by: Indicator,
    adjuster: Adjuster,
    now: AdjusterStanding,
    fed: Fed,
) -> Step:
    facts, record = situation.facts, situation.record
    at_hz = belongs_hz(facts, record, adjuster.key)
    recipe = core_recipe(facts, shown_by, adjuster.key, fed, at_hz)
    own = "" if at_hz == facts.intermediate_frequency_hz else f"on {written(facts, at_hz)}, "
    level = f"Generator {own}up or down until it reads about {shown_by.words(shown_by.reference)}. "
    ask = peak_ask(adjuster, recipe, shown_by.shown, level)
    ask = replace(ask, expected_text=_how(shown_by), example=_example(shown_by))
    found = reading(record, step.key, ask)
    low = shown_by.words(LOW_SHARE * shown_by.reference)
    checks: tuple[Ask, ...] = (
        no_change_ask(adjuster, shown_by.shown, low, flank_hz(facts, adjuster.key)),
        state_ask(adjuster),
        tool_ask(adjuster, shown_by.shown),
        unrest_ask(adjuster),
    )
    turned = record.turns_of(adjuster.key)
    if turned:
        checks = (*checks, back_ask(adjuster, turned))
    tried = sum(a.ask.startswith(TRIAL) for a in record.of_step(step.key))
    open_still = found.fresh is None
    trial = (trial_ask(tried + 1, shown_by.shown),) if tried < MOST_TRIALS and open_still else ()
    step = replace(
        step,
        reason=_reason(adjuster, now),
        others=(*trial, *checks),
        trace=typed_trace(record, step.key) if open_still else None,
        notes=(
            *unrest_words(record, shown_by),
            *_damping(facts, adjuster),
            *_known(facts, record, adjuster, step.key),
        ),
        advice=_moves_after_all(record, step.key),
    )
    if found.answer is not None:
        step = _with_peak(step, found.answer, record, adjuster, shown_by)
    return conclude(step, (found,), retake=found.ask)


def core_recipe(
    facts: ReceiverFacts, shown_by: Indicator, adjuster: str, fed: Fed, at_hz: float
) -> Recipe:
    """What a bench does: the others of the can damped, the level set to the reference, peaked at
    the core's own frequency."""
    recipe = if_recipe(
        facts,
        Doing.PEAK,
        injection=fed.at,
        generator_emf_v=fed.level_v,
        generator_hz=at_hz,
        damped=damped_with(facts, adjuster),
        tone_on=shown_by.tone,
    )
    return shown_with(replace(recipe, target_v=shown_by.reference), shown_by)


def shown_with(recipe: Recipe, shown_by: Indicator) -> Recipe:
    """The recipe with the indicator that it is done by."""
    measurand = shown_by.shown.measurand
    return recipe if measurand is None else replace(recipe, indicator=measurand)


def _example(shown_by: Indicator) -> str:
    sign = "-" if shown_by.kind is IndicatorKind.AVC else ""
    before, after = shown_by.reference, 1.4 * shown_by.reference
    return f"{sign}{significant(before, 2)} {sign}{significant(after, 2)} +3/8"


def _how(shown_by: Indicator) -> str:
    fallen = shown_by.words(FALLEN_TO * shown_by.reference)
    return f"a fall to {fallen} on each side, then midway"


def _damping(facts: ReceiverFacts, adjuster: Adjuster) -> tuple[str, ...]:
    """What is damped meanwhile, with what, and what is dangerous about clipping it."""
    damped, can = damped_with(facts, adjuster.key), facts.can_of(adjuster.key)
    if not damped or can is None:
        return ()
    across = " and ".join(facts.adjuster(k).name for k in damped)
    danger = (
        "; switched off and discharged while it is clipped, a winding may stand at B+"
        if facts.device_word != "transistor"
        else ""
    )
    return (
        f"{engineering(damper_ohm(facts, can), 'ohm')} across the winding of the {across}: one "
        f"clear peak, whatever the coupling{danger}.",
    )


def _reason(adjuster: Adjuster, now: AdjusterStanding) -> str:
    where = f"{adjuster.where}; " if adjuster.where else ""
    at_risk = f" Overridden: {now.why}." if now.movement is Movement.OVERRIDDEN else ""
    stiff = " Stiff: warm it, and do not force it." if now.movement is Movement.STIFF else ""
    return (
        f"{where}{adjuster.tool}. Tool out and hand away for the reading that counts."
        f"{at_risk}{stiff}"
    )


def _known(
    facts: ReceiverFacts, record: JobRecord, adjuster: Adjuster, step: str
) -> tuple[str, ...]:
    """What is known of a turn: by the sheet, and by this job's own visits."""
    notes = [
        f"A turn clockwise moves its circuit {rate_words(facts, record, adjuster.key)}.",
        *move_words(facts, record, adjuster.key),
        *tool_words(facts, record, adjuster),
    ]
    for answer in last_visits(record, adjuster.key):
        if answer.step != step:
            turned = answer.values["turns"]
            words = "left where it stood" if turned == 0 else turns(turned)
            notes.append(f"Before, in {answer.step.split('.')[1]}: {words}.")
    return tuple(notes)


def _moves_after_all(record: JobRecord, step: str) -> tuple[str, ...]:
    """A check that found a change: it works, so it is peaked."""
    last = record.latest(step, NO_CHANGE)
    if last is None:
        return ()
    if changes_nothing(last):
        return ()
    return (f"It works: {100 * abs(contrast(last)):.0f} % between the two. Peak it.",)


def _with_peak(
    step: Step, answer: Answer, record: JobRecord, adjuster: Adjuster, shown_by: Indicator
) -> Step:
    before, after = abs(answer.values["before"]), abs(answer.values["after"])
    turned = answer.values["turns"]
    peak = result(
        answer,
        f"peaked {adjuster.name}",
        f"{before:.2f} to {after:.2f} {shown_by.shown.quantity.base}".rstrip(),
        after,
        # no better place than where it stood is a result, so only a loss is outside
        Window(LEAST_OF_BEFORE * before, None),
        (f"{before:.2f} {shown_by.shown.quantity.base}".rstrip(), ""),
    )
    words = "left where it stood" if turned == 0 else turns(turned)
    advice = [f"Turned: {words}."]
    if abs(turned) >= TELLING_TURN and abs(after / max(before, 1e-6) - 1.0) < NOTHING_SHARE:
        advice.append(
            "So far turned and nothing changed: take 'nothing changes' at the low level before it "
            "is turned again."
        )
    if abs(record.turns_of(adjuster.key)) > adjuster.travel_turns / 2.0 - NEAR_END_TURNS:
        advice.append(
            "Near the end of its travel: a changed capacitor or shorted turns keep the peak away."
        )
    return replace(
        step,
        results=(peak,),
        advice=tuple(advice),
        cost="the peak was not found again",
    )


def injections(facts: ReceiverFacts) -> dict[str, str]:
    """Where a scrambled set is fed for each can, by its key: at the grid before it."""
    stages = [s.name for s in facts.circuit.stages if s.role is Role.IF]
    found: dict[str, str] = {}
    for place, can in enumerate(facts.transformers):
        found[can.key] = "mixer grid"
        if 0 < place <= len(stages):
            found[can.key] = f"{stages[place - 1]} grid"
    return found
