"""The sensitivity of a point as its record has it: the level at the set, with its doubt."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from glowdial.core.journey.entry import high_end, low_end
from glowdial.core.journey.level_path import level_path
from glowdial.core.journey.readings import planned
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Field
from glowdial.core.language.quantities import (
    AUDIO_VOLTS,
    DECIBELS,
    LEVEL,
    READINGS,
    engineering,
)
from glowdial.core.language.verdicts import Judgement, Window, judge_between
from glowdial.core.model.facts import ReceiverFacts, SensitivityPoint
from glowdial.core.model.measurands import GENERATOR_LEVEL, LOUDSPEAKER
from glowdial.core.physics.level_path import LevelPath, of_another_source_v
from glowdial.core.physics.level_search import (
    FoundLevel,
    PairAtLevel,
    Swung,
    between,
    found_level,
    glanced,
    of_run,
)
from glowdial.core.physics.noise_ratio import (
    NoiseReading,
    sensitivity_v,
)

FOUND, LEFT = "found", "left"
# a tone that lifts the output by less than this is none
NO_TONE_DB, STRONG_V = 1.0, 1e-3
# the questions of the search
PAIR = "pair"
FIRST_LEVEL_V = 50e-6
# what a generator gives, and what no set needs
LEAST_LEVEL_V, MOST_LEVEL_V = 0.05e-6, 0.1
RUN_READINGS = 30
# a pair as it is typed or read by a bench: the ends of a needle, or a run with its scatter
PAIR_FIELDS = (
    Field("level", "level", LEVEL, measurand=GENERATOR_LEVEL, sets="generator_emf_v"),
    Field("on", "tone on", AUDIO_VOLTS, measurand=LOUDSPEAKER, swings=True),
    Field("off", "tone off", AUDIO_VOLTS, measurand=LOUDSPEAKER, swings=True),
    Field("on_spread", "scatter with the tone on, dB", DECIBELS, required=False),
    Field("off_spread", "scatter with it off, dB", DECIBELS, required=False),
    Field("readings", "readings of each", READINGS, required=False),
)
# of a Gaussian: what holds nine in ten over what holds nineteen in twenty
NINETY_OF_95 = 1.645 / 1.96


@dataclass(frozen=True, slots=True)
class NumberedPoint:
    """A point with its number within its band."""

    number: int
    given: SensitivityPoint

    def key(self, phase: str) -> str:
        """Key of the step that measures it as found or as left."""
        return f"proof.{phase}.{self.given.band}.{self.number}"

    def as_begun(self, record: JobRecord) -> SensitivityPoint:
        """The point where it was measured first, else where it is given today."""
        first = planned(record, self.key(FOUND), planned(record, self.key(LEFT), ()))
        return replace(self.given, frequency_hz=first[0]) if first else self.given


def numbered_points(facts: ReceiverFacts) -> list[NumberedPoint]:
    """The points, numbered within their bands."""
    counted: dict[str, int] = {}
    found = []
    for point in facts.sensitivity:
        counted[point.band] = counted.get(point.band, 0) + 1
        found.append(NumberedPoint(counted[point.band], point))
    return found


@dataclass(frozen=True, slots=True)
class Sensitivity:
    """The figure of a point: V EMF, and between what it lies in nineteen of twenty cases; None for
    one of steady readings that were taken without a doubt."""

    level_v: float
    found: FoundLevel | None = None

    @property
    def text(self) -> str:
        """With its doubt, where it has one."""
        if self.found is None:
            return f"{engineering(self.level_v, 'V')} EMF"
        low, high = (engineering(v, "V") for v in (self.found.low_95_v, self.found.high_95_v))
        return f"{engineering(self.level_v, 'V')} EMF ({low} to {high})"

    @property
    def short(self) -> str:
        """The level with its doubt in decibels."""
        level = engineering(self.level_v, "V")
        return f"{level} ± {self.found.doubt_95_db:.1f} dB" if self.found else level


def noise_of(answer: Answer) -> NoiseReading:
    """An answer as a pair of steady readings."""
    return NoiseReading(answer.values["level"], answer.values["on"], answer.values["off"])


def _swung(answer: Answer, name: str) -> Swung:
    """A reading with what it is worth: a run, two ends, or a glance."""
    values = answer.values
    if "readings" in values:
        return of_run(values[name], values.get(f"{name}_spread", 0.0), round(values["readings"]))
    if low_end(name) in values:
        return between(values[low_end(name)], values[high_end(name)])
    return glanced(values[name])


def pair_of(answer: Answer) -> PairAtLevel:
    """An answer as a pair at the generator's level, with what each reading is worth."""
    return PairAtLevel(answer.values["level"], _swung(answer, "on"), _swung(answer, "off"))


def pairs_at_the_set(
    record: JobRecord, frequency_hz: float, answers: Sequence[Answer]
) -> list[PairAtLevel]:
    """Pairs at the levels that reached the set, by the way that each was read through."""
    found = []
    for answer in answers:
        pair, path = pair_of(answer), level_path(record, frequency_hz, answer)
        found.append(replace(pair, level_v=path.at_the_end_v(pair.level_v)) if path else pair)
    return found


def figure_of(
    record: JobRecord, point: SensitivityPoint, answers: Sequence[Answer]
) -> Sensitivity | None:
    """What answers come to at the set; those of before the search by the rule of then."""
    if any(a.ask.startswith(PAIR) for a in answers):
        pairs = pairs_at_the_set(record, point.frequency_hz, answers)
        found = found_level(pairs, point.target_db)
        if found is None or not found.enclosed:
            return None
        path = level_path(record, point.frequency_hz, answers[-1])
        found = _with_doubt(found, path) if path else found
        return Sensitivity(found.level_v, found)
    level_v = sensitivity_v(tuple(noise_of(a) for a in answers))
    return Sensitivity(level_v) if level_v is not None else None


def generator_level_v(path: LevelPath | None, level_v: float) -> float:
    """What the generator is set to for a level at the set, within what one gives."""
    wanted_v = path.at_the_generator_v(level_v) if path else level_v
    return min(max(wanted_v, LEAST_LEVEL_V), MOST_LEVEL_V)


def as_stated(
    record: JobRecord, point: SensitivityPoint, reading: Answer | None
) -> SensitivityPoint:
    """The point with its limit of the source that levels are stated of where a reading was taken
    (None: now): as much available power."""
    path = level_path(record, point.frequency_hz, reading)
    if point.limit_v is None or path is None:
        return point
    limit_v = of_another_source_v(point.limit_v, point.source_ohm, path.stated_ohm)
    return replace(point, limit_v=limit_v)


def compares(record: JobRecord, point: NumberedPoint) -> bool:
    """Whether the levels of a point as found and as left are stated of the same place."""
    last = [of[-1] for p in (FOUND, LEFT) if (of := record.of_step(point.key(p)))]
    paths = (level_path(record, point.given.frequency_hz, answer) for answer in last)
    places = [(p.stated_ohm, tuple(b.name for b in p.beyond)) if p else (0.0, ()) for p in paths]
    # where no part tells an impedance, it is that of the one that does
    known = {ohm for ohm, _ in places if ohm}
    return len(known) < 2 and len({beyond for _, beyond in places}) < 2


def measured(record: JobRecord, point: NumberedPoint, phase: str) -> Sensitivity | None:
    """The figure of a point as found or as left, None while there is none."""
    return figure_of(record, point.given, record.of_step(point.key(phase)))


def _with_doubt(found: FoundLevel, path: LevelPath) -> FoundLevel:
    """A level at the set with the doubt of the way to it beside its own."""
    middle = found.level_v
    own = path.doubt_at_db(middle)
    ninety = math.hypot(found.doubt_db, own * NINETY_OF_95)
    most = math.hypot(found.doubt_95_db, own)
    ends = [middle * math.pow(10.0, d / 20.0) for d in (-ninety, ninety, -most, most)]
    return FoundLevel(middle, ends[0], ends[1], ends[2], ends[3], found.enclosed)


def no_tone(answers: Sequence[Answer]) -> bool:
    """Whether the last of a search's readings, at a level that any set hears, shows no tone."""
    last = answers[-1] if answers else None
    if last is None or not last.ask.startswith(PAIR):
        return False
    return last.values["level"] >= STRONG_V and pair_of(last).ratio_db < NO_TONE_DB


def ratio_of(answer: Answer) -> float:
    """(S+N)/N of an answer in dB."""
    if answer.ask.startswith(PAIR):
        return pair_of(answer).ratio_db
    return noise_of(answer).ratio_db


def judged(point: SensitivityPoint, figure: Sensitivity) -> Judgement:
    """Met, not met, or cannot tell, by the figure's own doubt."""
    window = Window(None, point.limit_v) if point.limit_v else None
    if figure.found is None:
        return judge_between(figure.level_v, figure.level_v, window)
    return judge_between(figure.found.low_95_v, figure.found.high_95_v, window)
