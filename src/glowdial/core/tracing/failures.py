"""What fails, how often and in which way: priors of fault tracing.

Rates are relative, for a set of forty years that has stood; only their ratios count. They are the
bench's own norm by the order in which service books rank causes: contacts, electrolytics, paper
capacitors and tubes first, coils and mica last. Age multiplies what ages; what this set's and this
model's earlier visits found, what was touched last and what was modified multiply their block.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, PartFamily

Floats = NDArray[np.float64]
NORM_AGE_YEARS = 40.0
# a set may ail from what is in no block of its diagram: a wire, a pin, a print
ELSEWHERE_SHARE = 0.01
NOWHERE = -1
TOUCHED_LAST = 4.0
MODIFIED = 3.0
# that an owner blames a block: worth little
BELIEVED = 1.3
# something seen there and put off
PARKED = 2.0
# what was mended a moment ago
MENDED = 0.2


class Way(StrEnum):
    """How a fault shows itself."""

    DEAD = "dead"
    WEAK = "weak"
    INTERMITTENT = "intermittent"
    DISTORTS = "distorts"
    HUMS = "hums"
    CRACKLES = "crackles"
    OSCILLATES = "oscillates"
    DRIFTS = "drifts"


W = Way


class Symptom(StrEnum):
    """What is wrong, and looked for."""

    SIGNAL = "signal"
    DISTORTION = "distortion"
    HUM = "hum"
    NOISE = "noise"
    SQUEAL = "squeal"
    DRIFT = "drift"
    ANY = "any"


# how surely a fault that fails in a way is seen by what is looked for
SHOWN: Mapping[Symptom, Mapping[Way, float]] = {
    Symptom.SIGNAL: {Way.DEAD: 1.0, Way.WEAK: 0.9, Way.INTERMITTENT: 0.85},
    Symptom.DISTORTION: {Way.DISTORTS: 1.0, Way.WEAK: 0.15},
    Symptom.HUM: {Way.HUMS: 1.0},
    Symptom.NOISE: {Way.CRACKLES: 1.0, Way.INTERMITTENT: 0.3},
    Symptom.SQUEAL: {Way.OSCILLATES: 1.0},
    Symptom.DRIFT: {Way.DRIFTS: 1.0},
    Symptom.ANY: dict.fromkeys(Way, 1.0),
}

# shares of the ways in which a kind of part fails
WAYS: Mapping[PartFamily, Mapping[Way, float]] = {
    PartFamily.CONTACT: {W.DEAD: 0.4, W.WEAK: 0.25, W.INTERMITTENT: 0.2, W.CRACKLES: 0.15},
    PartFamily.CONNECTOR: {W.DEAD: 0.5, W.WEAK: 0.1, W.INTERMITTENT: 0.3, W.CRACKLES: 0.1},
    PartFamily.RELAY: {W.DEAD: 0.6, W.WEAK: 0.1, W.INTERMITTENT: 0.3},
    PartFamily.SWITCHING_DIODE: {W.DEAD: 0.6, W.WEAK: 0.4},
    PartFamily.ELECTROLYTIC: {W.HUMS: 0.4, W.WEAK: 0.25, W.OSCILLATES: 0.2, W.DEAD: 0.15},
    PartFamily.PAPER: {
        W.DISTORTS: 0.3,
        W.WEAK: 0.25,
        W.DEAD: 0.2,
        W.OSCILLATES: 0.15,
        W.CRACKLES: 0.1,
    },
    PartFamily.SMALL_CAPACITOR: {W.DEAD: 0.4, W.WEAK: 0.2, W.DRIFTS: 0.2, W.CRACKLES: 0.2},
    PartFamily.TUBE: {
        W.WEAK: 0.4,
        W.DEAD: 0.25,
        W.DISTORTS: 0.12,
        W.HUMS: 0.08,
        W.CRACKLES: 0.08,
        W.INTERMITTENT: 0.07,
    },
    PartFamily.SEMICONDUCTOR: {
        W.DEAD: 0.45,
        W.WEAK: 0.25,
        W.DISTORTS: 0.1,
        W.CRACKLES: 0.1,
        W.INTERMITTENT: 0.1,
    },
    PartFamily.RESISTOR: {W.WEAK: 0.35, W.DEAD: 0.3, W.DISTORTS: 0.15, W.CRACKLES: 0.2},
    PartFamily.POTENTIOMETER: {W.CRACKLES: 0.6, W.DEAD: 0.2, W.INTERMITTENT: 0.2},
    PartFamily.COIL: {W.DEAD: 0.7, W.WEAK: 0.2, W.INTERMITTENT: 0.1},
    PartFamily.CRYSTAL: {W.DEAD: 0.6, W.WEAK: 0.2, W.DRIFTS: 0.2},
    PartFamily.SPEAKER: {W.DEAD: 0.5, W.DISTORTS: 0.4, W.INTERMITTENT: 0.1},
}
RATES: Mapping[PartFamily, float] = {
    PartFamily.CONTACT: 3.0,
    PartFamily.CONNECTOR: 3.0,
    PartFamily.RELAY: 3.0,
    PartFamily.SWITCHING_DIODE: 1.5,
    PartFamily.ELECTROLYTIC: 3.0,
    PartFamily.PAPER: 1.5,
    PartFamily.SMALL_CAPACITOR: 0.15,
    PartFamily.TUBE: 2.5,
    PartFamily.SEMICONDUCTOR: 1.0,
    PartFamily.RESISTOR: 0.4,
    PartFamily.POTENTIOMETER: 1.5,
    PartFamily.COIL: 0.4,
    PartFamily.CRYSTAL: 0.5,
    PartFamily.SPEAKER: 0.6,
}
AGES = (PartFamily.ELECTROLYTIC, PartFamily.PAPER, PartFamily.RESISTOR, PartFamily.CONTACT)

P = PartFamily
# what is in a block where the sheet does not say
USUAL_PARTS: Mapping[BlockKind, tuple[tuple[PartFamily, int], ...]] = {
    BlockKind.AERIAL: ((P.CONNECTOR, 1),),
    BlockKind.TUNED: ((P.COIL, 1), (P.SMALL_CAPACITOR, 2)),
    BlockKind.AMPLIFIER: ((P.TUBE, 1), (P.PAPER, 2), (P.RESISTOR, 3)),
    BlockKind.MIXER: ((P.TUBE, 1), (P.PAPER, 2), (P.RESISTOR, 3)),
    BlockKind.OSCILLATOR: ((P.COIL, 1), (P.SMALL_CAPACITOR, 3), (P.RESISTOR, 2)),
    BlockKind.FILTER: ((P.COIL, 2), (P.SMALL_CAPACITOR, 2)),
    BlockKind.DETECTOR: ((P.TUBE, 1), (P.SMALL_CAPACITOR, 2), (P.RESISTOR, 2)),
    BlockKind.CONTROL_LINE: ((P.PAPER, 2), (P.RESISTOR, 2)),
    BlockKind.VOLUME: ((P.POTENTIOMETER, 1),),
    BlockKind.OUTPUT: ((P.TUBE, 1), (P.PAPER, 1), (P.ELECTROLYTIC, 1), (P.RESISTOR, 2)),
    BlockKind.SPEAKER: ((P.SPEAKER, 1),),
    BlockKind.SWITCH: ((P.CONTACT, 1),),
    BlockKind.RELAY: ((P.RELAY, 1),),
    BlockKind.CONNECTOR: ((P.CONNECTOR, 1),),
    BlockKind.SUPPLY: ((P.ELECTROLYTIC, 2), (P.TUBE, 1), (P.RESISTOR, 1)),
    BlockKind.REGULATOR: ((P.SEMICONDUCTOR, 2), (P.ELECTROLYTIC, 1), (P.RESISTOR, 2)),
    BlockKind.DECODER: ((P.SEMICONDUCTOR, 3), (P.SMALL_CAPACITOR, 2), (P.COIL, 1)),
}


def usual_parts(kind: BlockKind, *, solid: bool) -> tuple[tuple[PartFamily, int], ...]:
    """What a block of a kind holds; with transistors where the set has them: those come with
    electrolytics for paper."""
    if not solid:
        return USUAL_PARTS[kind]
    swapped = {P.TUBE: P.SEMICONDUCTOR, P.PAPER: P.ELECTROLYTIC}
    counts: dict[PartFamily, int] = {}
    for part, count in USUAL_PARTS[kind]:
        part = swapped.get(part, part)
        counts[part] = max(counts.get(part, 0), count)
    return tuple(counts.items())


@dataclass(frozen=True, slots=True)
class LossOfWay:
    """How much signal a way of failing costs in dB: mean and spread, and how often a reading does
    not show it at all."""

    mean_db: float
    spread_db: float
    missed: float = 0.0


LOSSES: Mapping[Way, LossOfWay] = {
    Way.DEAD: LossOfWay(55.0, 14.0),
    Way.WEAK: LossOfWay(16.0, 7.0),
    Way.INTERMITTENT: LossOfWay(45.0, 18.0, missed=0.15),
}
NO_LOSS = LossOfWay(0.0, 1.0)


@dataclass(frozen=True)
class Suspects:
    """Every fault that is thought of: a kind of part in a block failing in a way; the last is what
    is in no block. Arrays of shape (suspects,); ``block`` is ``NOWHERE`` for the last."""

    diagram: BlockDiagram
    block: NDArray[np.intp]
    part: tuple[PartFamily | None, ...]
    way: tuple[Way, ...]
    prior: Floats

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.way)

    @cached_property
    def kinds(self) -> tuple[tuple[PartFamily | None, Way], ...]:
        """The part and the way of each."""
        return tuple(zip(self.part, self.way, strict=True))

    def fails_by(self, way: Way) -> NDArray[np.bool_]:
        """Which fail in a way, shape (suspects,)."""
        return self._by_way[way]

    @cached_property
    def _by_way(self) -> dict[Way, NDArray[np.bool_]]:
        return {way: np.array([w is way for w in self.way]) for way in Way}

    @cached_property
    def known_rows(self) -> dict[tuple[str, float], Floats]:
        """How surely tests show each suspect, by the test's key, as far as it was worked out."""
        return {}


@dataclass(frozen=True, slots=True)
class History:
    """What multiplies a block's rate: found there at earlier visits of this set (count), in other
    sets of this model (count), touched last, modified, blamed by somebody, mended in this job,
    something parked there; and what the complaint makes likelier (a factor by block)."""

    this_set: Mapping[str, int]
    this_model: Mapping[str, int]
    touched_last: tuple[str, ...] = ()
    modified: tuple[str, ...] = ()
    believed: tuple[str, ...] = ()
    mended: tuple[str, ...] = ()
    parked: tuple[str, ...] = ()
    complaint: Mapping[str, float] = field(default_factory=dict)

    def factor(self, block: str) -> float:
        """How much likelier than by its parts alone a block is to blame."""
        # each earlier find doubles; a sister set's adds a half
        factor = 2.0 ** min(self.this_set.get(block, 0), 3)
        factor *= 1.0 + 0.5 * min(self.this_model.get(block, 0), 6)
        for named, weight in (
            (self.touched_last, TOUCHED_LAST),
            (self.modified, MODIFIED),
            (self.believed, BELIEVED),
            (self.mended, MENDED),
            (self.parked, PARKED),
        ):
            factor *= weight if block in named else 1.0
        return factor * self.complaint.get(block, 1.0)


NO_HISTORY = History({}, {})


def block_rate(block: Block, age_years: float, history: History = NO_HISTORY) -> float:
    """How often a block fails, relative to others."""
    return sum(_rates(block, age_years).values()) * history.factor(block.key)


def _rates(block: Block, age_years: float) -> dict[PartFamily, float]:
    aged = max(age_years, 1.0) / NORM_AGE_YEARS
    return {
        kind: RATES[kind] * count * (aged if kind in AGES else 1.0) for kind, count in block.parts
    }


def suspects_of(
    diagram: BlockDiagram,
    *,
    symptom: Symptom = Symptom.ANY,
    age_years: float = NORM_AGE_YEARS,
    history: History = NO_HISTORY,
) -> Suspects:
    """All suspects of a set with their priors, which add up to 1: those that can make what is
    wrong, by how surely they do."""
    block: list[int] = []
    part: list[PartFamily | None] = []
    way: list[Way] = []
    rate: list[float] = []
    for n, one in enumerate(diagram.blocks):
        factor = history.factor(one.key)
        for kind, kind_rate in _rates(one, age_years).items():
            for mode, share in WAYS[kind].items():
                seen = SHOWN[symptom].get(mode, 0.0)
                if seen > 0.0:
                    block.append(n)
                    part.append(kind)
                    way.append(mode)
                    rate.append(kind_rate * factor * share * seen)
    total = sum(rate)
    if total <= 0.0:
        raise BadInput("symptom", symptom.value, "is made by nothing in this set", Symptom.SIGNAL)
    shares = np.array(rate) / total * (1.0 - ELSEWHERE_SHARE)
    return Suspects(
        diagram,
        np.array([*block, NOWHERE], dtype=np.intp),
        (*part, None),
        (*way, Way.DEAD),
        np.array([*shares, ELSEWHERE_SHARE]),
    )
