"""What every step of the IF is made from: the set, the record, the indicator in use, and the levels
that it was matched at."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.record import IF_AREA, Answer, Basis, JobRecord, latest_of
from glowdial.core.journey.room import (
    Situation,
)
from glowdial.core.journey.steps import Ask, Field, Lead
from glowdial.core.language.quantities import LEVEL
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import GENERATOR_LEVEL
from glowdial.core.stages.intermediate.cores import shown_with
from glowdial.core.stages.intermediate.indicators import (
    READS,
    Indicator,
    IndicatorKind,
    references,
)
from glowdial.core.stages.intermediate.survey import (
    fed_at,
    flat_words,
    if_recipe,
    survey_curve,
    written,
)

START_LEVEL_V = 1e-3
MOST_PASSES = 8
# a second look that turns two cores in a row no further than this has nothing left to win
SETTLED_TURNS, SETTLED_CORES = 0.13, 2
# below this share of the reference the signal is not getting through: from the last grid backward
LOST_SHARE = 0.4
CLIP = ("clip lead stops the oscillator", "oscillator section of the gang to chassis")
DAMPER = ("damping resistor on clips", "the IF cans' windings")
VOLUME = "volume turned right down"
# what a survey or a sweep says of where the IF stands
SEEN_AT = ("peaks at", "centre", "peak")
SET_UP, BASELINE, DECIDE, RESTORE = "if.set-up", "if.baseline", "if.decide", "if.restore"
GAIN, LOST = ".gain", "lost"
CAUSES = ("the tool", "the hand", "a damper", "the level", "drift", "not known")


@dataclass(frozen=True, slots=True)
class Work:
    """What every step of the IF is made from: facts, record, and the indicator in use."""

    situation: Situation
    by: Indicator
    by_sheet: ReceiverFacts | None = None

    @property
    def sheet(self) -> ReceiverFacts:
        """The set as its sheet has it, whatever IF was settled on."""
        return self.by_sheet or self.situation.facts

    @property
    def facts(self) -> ReceiverFacts:
        """The set."""
        return self.situation.facts

    @property
    def record(self) -> JobRecord:
        """The job so far."""
        return self.situation.record

    @property
    def leads(self) -> tuple[Lead, ...]:
        """Generator and indicator."""
        at = fed_at(self.facts, "mixer grid")
        return (Lead("signal generator", "10 nF", at, signal=True), self.by.lead)

    @property
    def level_ask(self) -> str:
        """The question of a pass for its level by this indicator."""
        return f"level{self.by.suffix}"

    def recipe(self, doing: Doing, **settings: object) -> Recipe | None:
        """What a bench does for it; None where no instrument reads this indicator."""
        if self.by.shown.measurand is None:
            return None
        made = if_recipe(self.facts, doing, tone_on=self.by.tone, **settings)
        return shown_with(made, self.by)


def line_of(work: Work) -> str:
    """What is read, as a sentence calls it."""
    return "AVC line" if work.by.kind is IndicatorKind.AVC else work.by.shown.label


def reference_ask(work: Work, key: str) -> Ask:
    """Bring the indicator to the reference by the generator's level: gain by substitution."""
    by = work.by
    recipe = work.recipe(Doing.MATCH_LEVEL)
    wanted = by.words(by.reference)
    shown, facts = by.shown, work.facts
    return Ask(
        key,
        f"Generator on {written(facts, facts.intermediate_frequency_hz)}: set its level until "
        f"the {shown.label} reads {wanted}, and enter the level. If it cannot be brought there, "
        "enter also what it reads at the most.",
        (
            Field("level", "level", LEVEL, measurand=GENERATOR_LEVEL, sets="generator_emf_v"),
            Field(READS, "it reads only", shown.quantity, required=False),
        ),
        "850 uV",
        expected_text=f"whatever brings {wanted}",
        recipe=replace(recipe, target_v=by.reference) if recipe else None,
        point=by.point,
    )


def scrambled(work: Work) -> bool:
    """Whether the signal hardly gets through from the mixer: then from the last grid backward."""
    said = [a for a in references(work.record, work.by.suffix) if READS in a.values]
    curve = survey_curve(work.record)
    flat = curve is not None and bool(flat_words(curve))
    return flat or any(abs(a.values[READS]) < LOST_SHARE * work.by.reference for a in said)


def cores_basis(facts: ReceiverFacts) -> Basis:
    """What the IF's shape rests on."""
    return Basis(adjusters=facts.if_adjusters(), areas=(IF_AREA, "supply"))


def answered(work: Work, step: str, ask: str) -> Answer | None:
    """The last answer to a question of a step, whatever it was asked at."""
    mine = [a for a in work.record.of_step(step) if a.ask == ask]
    return mine[-1] if mine else None


def last_level(work: Work) -> float:
    """The generator's level of the last matching by this indicator."""
    passes = (f"if.pass{n}{GAIN}" for n in range(1, MOST_PASSES + 1))
    gains = (answered(work, step, work.level_ask) for step in passes)
    known = [*references(work.record, work.by.suffix), *(a for a in gains if a)]
    return latest_of(known).values["level"] if known else START_LEVEL_V


def last_gain(work: Work) -> Answer | None:
    """The gain of the last pass that was measured."""
    passes = range(1, MOST_PASSES + 1)
    found = [answered(work, f"if.pass{n}{GAIN}", work.level_ask) for n in passes]
    return next((a for a in reversed(found) if a is not None), None)


def baseline_words(work: Work) -> tuple[str, ...]:
    """What the meter shows without a signal, which is no peak."""
    answer = work.record.latest(BASELINE, f"avc{work.by.suffix}")
    if answer is None:
        return ()
    unit = work.by.shown.quantity.base
    return (f"No signal reads {answer.values['avc']:.2f} {unit}".rstrip() + ".",)
