"""Wave traps: tuned for the least of what comes in at the IF itself, once the IF is right."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Basis
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Step, result
from glowdial.core.language.quantities import TURNS, khz, turns
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts, WaveTrap
from glowdial.core.model.measurands import turn_of
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.intermediate.indicators import Indicator
from glowdial.core.stages.intermediate.survey import STAGE

TRAP = "if.trap."
# a trap that is right lets through no more than what a needle's error hides
NO_MORE_THAN = 1.03


def trap_steps(situation: Situation, shown_by: Indicator) -> list[Step]:
    """A step for each trap of the sheet, after the oscillator runs again."""
    return [_trap_step(situation, shown_by, trap) for trap in situation.facts.wave_traps]


def trapped_hz(facts: ReceiverFacts, trap: WaveTrap) -> float:
    """What it keeps out: the IF where the sheet does not say."""
    return trap.frequency_hz or facts.intermediate_frequency_hz


def _trap_step(situation: Situation, shown_by: Indicator, trap: WaveTrap) -> Step:
    facts, record = situation.facts, situation.record
    adjuster, shown = facts.adjuster(trap.adjuster), shown_by.shown
    at_hz = trapped_hz(facts, trap)
    ask = Ask(
        "least",
        f"Generator at the aerial on {khz(at_hz)}, strong, the set tuned to the end of a band next "
        f"to it. Turn the {adjuster.name} for the least: {shown.label} before, at the least, turn.",
        (
            Field("before", "before", shown.quantity, measurand=shown.measurand),
            Field("after", "at the least", shown.quantity, measurand=shown.measurand),
            Field("turns", "turn", TURNS, measurand=turn_of(adjuster.key)),
        ),
        f"{shown.example} {shown.example} +1/4",
        expected_text="a clear minimum, rising both ways",
    )
    basis = Basis(adjusters=facts.if_adjusters())
    found = reading(record, f"{TRAP}{adjuster.key}", ask, basis)
    step = Step(
        f"{TRAP}{adjuster.key}",
        STAGE,
        f"Tune the {adjuster.name} for the least at {khz(at_hz)}",
        "A station or a ship at the IF itself whistles on every dial setting. The trap is set to "
        f"the IF that the set has now. {adjuster.tool}.",
        leads=(Lead("signal generator", facts.dummy_aerial, "aerial", signal=True), shown_by.lead),
        does=(Activity.ALIGNING, Activity.SIGNAL_IN),
        powered=True,
        adjuster=adjuster.key,
        leave=True,
        cost="what comes in at the IF is not kept out",
    )
    if found.answer is not None:
        before, after = (abs(found.answer.values[n]) for n in ("before", "after"))
        unit = shown.quantity.base
        least = result(
            found.answer,
            f"{adjuster.name}",
            f"{before:.2f} to {after:.2f} {unit}".rstrip(),
            after,
            Window(None, NO_MORE_THAN * before),
            ("", f"{before:.2f} {unit}".rstrip()),
            stale=found.stale,
        )
        moved = found.answer.values["turns"]
        words = f"Turned: {turns(moved)}." if moved else "Left where it stood."
        step = replace(step, results=(least,), advice=(words,))
    return conclude(step, (found,), retake=found.ask)
