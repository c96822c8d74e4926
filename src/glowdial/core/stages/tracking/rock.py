"""Rocking at the low end, where the signal circuits have nothing that turns there: the highest peak
wherever the pointer stands, the mark, or the best place inside the tolerance, and what each costs.

The signal circuit peaks at one place of the gang, whatever the oscillator does. With the pointer
there, the padder brings the signal in at its best; every place nearer to the mark detunes the
circuit, by the ratio of the places. Source: the universal resonance curve.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.journey.dial_marks import (
    POINTED,
    dial_leads,
    frequency_quantity,
    pointed_hz,
    pointer_words,
)
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Result, Status, Step, result
from glowdial.core.language.quantities import AVC_VOLTS, TURNS, khz, turns
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.measurands import AVC, turn_of
from glowdial.core.physics.tracking import NOMINAL_AERIAL_Q, mistracking_loss_db
from glowdial.core.stages.tracking.stage import STAGE

ROCKED, GOAL, PLACED = "rocked", "goal", "placed"
# so near its edge a place is still inside with 95 %
INSIDE_SHARE = 0.7


class RockGoal(StrEnum):
    """What the low end is for."""

    DIAL = "the mark"
    SENSITIVITY = "the highest peak"
    BOTH = "best inside the tolerance"


@dataclass(frozen=True, slots=True)
class RockedEnd:
    """A band's low mark and the place of the highest peak, both as what is to come in there, in
    Hz."""

    mark_hz: float
    peak_hz: float
    tolerance_hz: float

    def place_hz(self, goal: RockGoal) -> float:
        """Where the pointer should stand for the mark's signal."""
        if goal is RockGoal.DIAL:
            return self.mark_hz
        if goal is RockGoal.SENSITIVITY:
            return self.peak_hz
        reach = INSIDE_SHARE * self.tolerance_hz
        return min(max(self.peak_hz, self.mark_hz - reach), self.mark_hz + reach)

    def loss_db(self, place_hz: float, q: float = NOMINAL_AERIAL_Q) -> float:
        """What is lost against the highest peak with the pointer at a place."""
        tuned_hz = self.mark_hz * place_hz / self.peak_hz
        return mistracking_loss_db(self.mark_hz - tuned_hz, self.mark_hz, q)


def rock_key(band: BandFacts) -> str:
    """The step of rocking a band's low end."""
    return f"osc.{band.key}.rock"


def can_be_rocked(band: BandFacts) -> bool:
    """Whether its low end is the oscillator's alone."""
    signal_low = band.aerial_low_adjuster or band.rf_low_adjuster
    return band.low_adjuster is not None and signal_low is None and not band.tracked.inductive


def chosen_goal(record: JobRecord, band: BandFacts) -> RockGoal:
    """What was decided of the low end; the mark where nobody did."""
    answer = record.latest(rock_key(band), GOAL)
    return RockGoal(answer.texts["goal"]) if answer is not None else RockGoal.DIAL


def low_end(record: JobRecord, band: BandFacts) -> RockedEnd | None:
    """The low end as it was rocked; None before that."""
    answer = record.latest(rock_key(band), ROCKED)
    if answer is None:
        return None
    mark = band.low_mark_hz
    return RockedEnd(mark, pointed_hz(band, answer, mark), band.tolerance_hz(mark))


def rock_steps(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """The step, where the low end has only the oscillator; nobody has to take it."""
    if not can_be_rocked(band):
        return []
    found, goal = low_end(record, band), record.latest(rock_key(band), GOAL)
    rocked = record.latest(rock_key(band), ROCKED)
    placed = record.latest(rock_key(band), PLACED)
    others = [_rocked_ask(facts, band)]
    if found is not None:
        others.insert(0, _goal_ask(band, found))
    if found is not None and goal is not None and chosen_goal(record, band) is not RockGoal.DIAL:
        others.insert(0, _placed_ask(facts, band, found, chosen_goal(record, band)))
    step = Step(
        rock_key(band),
        STAGE,
        f"{band.name}: rock the low end (where sensitivity matters more than the dial)",
        "No coil of the signal circuits turns here, so the best peak stands where they are, and "
        "not always at the mark.",
        status=Status.DONE,
        leads=dial_leads(facts),
        powered=True,
        adjuster=band.low_adjuster,
        others=tuple(others),
        advice=_words(band, found, chosen_goal(record, band)) if found else (),
        results=tuple(_results(band, rocked, placed)),
        decision=goal.texts["goal"] if goal is not None else "",
    )
    return [step]


def _rocked_ask(facts: ReceiverFacts, band: BandFacts) -> Ask:
    adjuster, mark = facts.adjuster(band.low_adjuster or ""), band.low_mark_hz
    said = band.pointer_hz(mark)
    return Ask(
        ROCKED,
        f"Generator on {khz(mark)}, left there. Turn the {adjuster.name} slowly one way while you "
        "rock the gang to and fro across the signal: the peaks rise, then fall; go back to the "
        "highest. AVC before, at the highest peak, the turn, and where the pointer stands.",
        (
            Field("before", "before", AVC_VOLTS, measurand=AVC),
            Field("after", "at the highest peak", AVC_VOLTS, measurand=AVC),
            Field("turns", "turn", TURNS, measurand=turn_of(adjuster.key)),
            Field(POINTED, "pointer at", frequency_quantity(said), nominal=said),
        ),
        f"-1.8 -2.1 +3/8 {khz(round(said * 1.01, -2)).split()[0]}",
        called="rock it",
    )


def _goal_ask(band: BandFacts, found: RockedEnd) -> Ask:
    costs = [
        f"{goal.value}: pointer at {_said(band, found.place_hz(goal))}, "
        f"{found.loss_db(found.place_hz(goal)):.1f} dB less"
        for goal in (RockGoal.DIAL, RockGoal.BOTH, RockGoal.SENSITIVITY)
    ]
    return Ask(
        GOAL,
        f"What is the low end for? {'; '.join(costs)}.",
        (Field("goal", "low end for", options=tuple(RockGoal)),),
        RockGoal.BOTH,
        called="what it is for",
    )


def _placed_ask(facts: ReceiverFacts, band: BandFacts, found: RockedEnd, goal: RockGoal) -> Ask:
    adjuster, place = facts.adjuster(band.low_adjuster or ""), found.place_hz(goal)
    said = band.pointer_hz(place)
    return Ask(
        PLACED,
        f"Pointer on {_said(band, place)}, generator on {khz(found.mark_hz)}: turn the "
        f"{adjuster.name} until it comes in. The turn, and where the pointer stands.",
        (
            Field("turns", "turn", TURNS, measurand=turn_of(adjuster.key)),
            Field(POINTED, "pointer at", frequency_quantity(said), nominal=said),
        ),
        f"-1/8 {khz(round(said, -2)).split()[0]}",
        called="set it there",
    )


def _said(band: BandFacts, frequency_hz: float) -> str:
    return pointer_words(band, round(frequency_hz, -2))


def _words(band: BandFacts, found: RockedEnd, goal: RockGoal) -> tuple[str, ...]:
    off = found.peak_hz - found.mark_hz
    inside = abs(off) <= found.tolerance_hz
    at_mark = found.loss_db(found.mark_hz)
    words = [
        f"The highest peak stands at {_said(band, found.peak_hz)} ({off / 1e3:+.1f} kHz): the "
        f"mark costs {at_mark:.1f} dB, the peak "
        f"{'no more than its tolerance' if inside else f'{abs(off) / 1e3:.1f} kHz of the dial'}."
    ]
    place = found.place_hz(goal)
    words.append(
        f"Chosen: {goal.value}, pointer at {_said(band, place)}, {found.loss_db(place):.1f} dB "
        "less than the highest."
    )
    words.append("Peak the high end again afterwards: the oscillator moved.")
    return tuple(words)


def _results(band: BandFacts, *answers: Answer | None) -> list[Result]:
    """Where the low mark's signal came in, as it was left; it describes, the dial judges."""
    mark, tolerance = band.low_mark_hz, band.tolerance_hz(band.low_mark_hz)
    return [
        result(
            a,
            "highest peak" if a.ask == ROCKED else "set",
            f"{khz(mark)} at {khz(a.values[POINTED])}, {turns(a.values['turns'])}",
            pointed_hz(band, a, mark),
            symmetric(mark, tolerance),
            (khz(mark - tolerance), khz(mark + tolerance)),
            as_found=True,
        )
        for a in answers
        if a is not None
    ]
