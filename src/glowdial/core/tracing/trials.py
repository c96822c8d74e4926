"""Tests of fault tracing: what each would show of every suspect, its cost, how often it lies."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import db_voltage
from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, PartFamily, TestPoint
from glowdial.core.tracing.failures import SHOWN, Suspects, Symptom, Way

Floats = NDArray[np.float64]


class TrialKind(StrEnum):
    """How something is tried."""

    FUNCTION = "function"
    INJECTION = "injection"
    TRACING = "tracing"
    GAIN = "stage gain"
    QUIETING = "quieting"
    LOOK = "look"
    RESEAT = "reseat"
    VOLTS = "volts"
    OHMS = "ohms"
    SUBSTITUTION = "substitution"
    TAP = "tap"
    HEAT = "heat"
    COOL = "cool"
    OSCILLATION = "oscillation"
    BELIEF = "belief"


class Outcome(StrEnum):
    """What it gave: as it should be, not quite, not."""

    GOOD = "good"
    PARTLY = "partly"
    BAD = "bad"


# how often "partly" is what a fault shows that is seen at all
PARTLY_SHARE: Mapping[Way, float] = {Way.DEAD: 0.05}
PARTLY_ELSE = 0.3
PARTLY_LIE = 0.2
# how often the kinds of test lie
LIES: Mapping[TrialKind, float] = {
    TrialKind.FUNCTION: 0.02,
    TrialKind.INJECTION: 0.02,
    TrialKind.TRACING: 0.02,
    TrialKind.GAIN: 0.02,
    TrialKind.QUIETING: 0.03,
    TrialKind.LOOK: 0.05,
    TrialKind.RESEAT: 0.03,
    TrialKind.VOLTS: 0.03,
    TrialKind.OHMS: 0.02,
    TrialKind.SUBSTITUTION: 0.03,
    TrialKind.TAP: 0.08,
    TrialKind.HEAT: 0.08,
    TrialKind.COOL: 0.08,
    TrialKind.OSCILLATION: 0.02,
    TrialKind.BELIEF: 0.4,
}
# what a kind of test takes, getting there left out, in minutes
MINUTES: Mapping[TrialKind, float] = {
    TrialKind.FUNCTION: 1.0,
    TrialKind.INJECTION: 2.0,
    TrialKind.TRACING: 2.0,
    TrialKind.GAIN: 4.0,
    TrialKind.QUIETING: 2.0,
    TrialKind.LOOK: 1.0,
    TrialKind.RESEAT: 1.5,
    TrialKind.VOLTS: 2.0,
    TrialKind.OHMS: 3.0,
    TrialKind.SUBSTITUTION: 4.0,
    TrialKind.TAP: 1.0,
    TrialKind.HEAT: 4.0,
    TrialKind.COOL: 3.0,
    TrialKind.OSCILLATION: 2.0,
    TrialKind.BELIEF: 0.0,
}
# a slip where the volts can kill is worth this many times the minutes
DANGER = 2.0
# how surely a test of one block shows a kind of part that has failed in it
LOCAL: Mapping[TrialKind, Mapping[PartFamily, float]] = {
    TrialKind.LOOK: {
        PartFamily.CONNECTOR: 0.5,
        PartFamily.RESISTOR: 0.4,
        PartFamily.ELECTROLYTIC: 0.3,
        PartFamily.PAPER: 0.3,
        PartFamily.CONTACT: 0.2,
        PartFamily.TUBE: 0.2,
        PartFamily.COIL: 0.2,
    },
    TrialKind.RESEAT: {PartFamily.CONNECTOR: 0.9, PartFamily.CONTACT: 0.6},
    TrialKind.VOLTS: {
        PartFamily.TUBE: 0.85,
        PartFamily.SEMICONDUCTOR: 0.85,
        PartFamily.RESISTOR: 0.85,
        PartFamily.PAPER: 0.6,
        PartFamily.ELECTROLYTIC: 0.4,
        PartFamily.COIL: 0.6,
        PartFamily.CONNECTOR: 0.5,
    },
    TrialKind.OHMS: {
        PartFamily.CONTACT: 0.9,
        PartFamily.CONNECTOR: 0.8,
        PartFamily.COIL: 0.85,
        PartFamily.RELAY: 0.8,
        PartFamily.RESISTOR: 0.8,
        PartFamily.SPEAKER: 0.8,
        PartFamily.POTENTIOMETER: 0.7,
    },
    TrialKind.SUBSTITUTION: {
        PartFamily.TUBE: 0.97,
        PartFamily.SEMICONDUCTOR: 0.9,
        PartFamily.ELECTROLYTIC: 0.95,
        PartFamily.PAPER: 0.9,
        PartFamily.SPEAKER: 0.97,
        PartFamily.CRYSTAL: 0.95,
    },
}
# and a block whose part of some kind comes and goes
PROVOKED: Mapping[TrialKind, Mapping[Way, float]] = {
    TrialKind.TAP: {Way.INTERMITTENT: 0.85, Way.CRACKLES: 0.6},
    TrialKind.HEAT: {Way.INTERMITTENT: 0.6, Way.DRIFTS: 0.6, Way.DISTORTS: 0.4},
    TrialKind.COOL: {Way.INTERMITTENT: 0.6, Way.DRIFTS: 0.7, Way.DISTORTS: 0.4},
}
# what is changed without a soldering iron; the rest takes this many minutes more
PLUGGED = {PartFamily.TUBE, PartFamily.CRYSTAL}
SOLDERED_MIN = 8.0


@dataclass(frozen=True, slots=True)
class Trial:
    """A test: its key (the same again is no new evidence), how, in which position, which blocks it
    reaches, what is looked for.

    ``levelled`` ones read decibels against what is expected. ``reduced`` is the share of a loss
    that shows: below 1 where the AVC works and makes up for it. ``source`` and ``target`` are the
    points where the generator and the meter go, "" for the set's own ends. ``stops_at`` is the
    block whose input is silenced. ``words`` say it as it is done.
    """

    key: str
    kind: TrialKind
    position: str
    reach: tuple[str, ...]
    symptom: Symptom = Symptom.SIGNAL
    words: str = ""
    minutes: float = 1.0
    lie: float = 0.02
    levelled: bool = False
    reduced: float = 1.0
    source: str = ""
    target: str = ""
    expected_db: float | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """What a trial gave: an outcome, or how many dB are lost against what is expected; ``floor``
    where nothing at all was read, and the loss is at least that. ``seq`` is its entry."""

    trial: Trial
    outcome: Outcome | None = None
    loss_db: float | None = None
    floor: bool = False
    seq: int = 0

    def __post_init__(self) -> None:
        if (self.outcome is None) == (self.loss_db is None):
            raise BadInput("outcome", self.trial.key, "is an outcome or a loss in dB", "good")


@cache
def _class_weights(
    symptom: Symptom, kind: TrialKind, pairs: tuple[tuple[PartFamily | None, Way], ...]
) -> Floats:
    """How surely each (part, way) is seen, where the trial reaches it."""
    seen = np.array([_shown(symptom, kind, part, way) for part, way in pairs])
    seen.setflags(write=False)
    return seen


def _shown(symptom: Symptom, kind: TrialKind, part: PartFamily | None, way: Way) -> float:
    if part is None:
        return 0.0
    if kind in PROVOKED:
        return PROVOKED[kind].get(way, 0.0)
    if kind in LOCAL:
        return LOCAL[kind].get(part, 0.0)
    return SHOWN[symptom].get(way, 0.0)


def shown_by(suspects: Suspects, symptom: Symptom, kind: TrialKind) -> Floats:
    """How surely each suspect is seen by a kind of trial that reaches its block, shape
    (suspects,)."""
    return _class_weights(symptom, kind, suspects.kinds)


def reach_of(diagram: BlockDiagram, trial: Trial) -> Floats:
    """Which blocks a trial reaches, shape (blocks,): 1, or the share of a loss that shows."""
    reach = np.zeros(len(diagram.blocks))
    for key in trial.reach:
        reach[diagram.index[key]] = trial.reduced
    return reach


# as long as a record keeps it
LONGEST_KEY = 56


def bounded(key: str) -> str:
    """A key no longer than a record keeps; what is cut off still tells it apart."""
    if len(key) <= LONGEST_KEY:
        return key
    return f"{key[: LONGEST_KEY - 9]}~{zlib.crc32(key.encode()):08x}"


def function_key(position: str, symptom: Symptom) -> str:
    """The key of a position tried as a whole."""
    return bounded(f"{TrialKind.FUNCTION} {position} {symptom}")


def possible_trials(
    diagram: BlockDiagram, symptom: Symptom = Symptom.SIGNAL, *, controlled: bool = False
) -> tuple[Trial, ...]:
    """Every test that the diagram's points allow, by what is looked for.

    ``controlled`` tells that the AVC works meanwhile: a loss ahead of the detector then shows as
    little of itself.
    """
    trials = [_function(diagram, p.key, symptom) for p in diagram.positions]
    for position in diagram.positions:
        if symptom in (Symptom.SIGNAL, Symptom.DISTORTION):
            trials += _along(diagram, position.key, symptom, controlled)
        else:
            trials += _quieted(diagram, position.key, symptom)
    trials += _local(diagram)
    if symptom in (Symptom.SIGNAL, Symptom.DRIFT):
        trials += _oscillations(diagram)
    merged: dict[tuple[object, ...], Trial] = {}
    for trial in trials:
        # what is the same way in two positions is one test: the cheaper, which is the first
        same = (trial.kind, trial.source, trial.target, trial.reach, trial.symptom)
        merged.setdefault(same, trial)
    return tuple(merged.values())


def _function(diagram: BlockDiagram, position: str, symptom: Symptom) -> Trial:
    name = diagram.position(position).name
    return Trial(
        function_key(position, symptom),
        TrialKind.FUNCTION,
        position,
        diagram.way(position),
        symptom,
        f"{name} as a whole",
        MINUTES[TrialKind.FUNCTION],
        LIES[TrialKind.FUNCTION],
    )


# what the AVC leaves to be seen of a loss that it can make up for
LEFT_BY_AVC = 0.12


# a gain over more blocks than this is an injection or a tracing by another name
LONGEST_GAIN = 8


def _along(diagram: BlockDiagram, position: str, symptom: Symptom, controlled: bool) -> list[Trial]:
    """Injections, tracings and stage gains in a position."""
    trials: list[Trial] = []
    start = diagram.source_of(position)
    points = [p for p in diagram.points if diagram.between(start, p.at, position)]
    ends = [(start, "", 0.0), *((p.at, p.key, p.effort_min) for p in points)]
    targets = [(diagram.sink, "", 0.0), *((p.at, p.key, p.effort_min) for p in points)]
    for first, source, effort in ends:
        for last, target, more in targets:
            if not (source or target) or source == target:
                continue
            # a point is the input of its block: what is read there has not been through it yet
            through = tuple(
                k for k in diagram.between(first, last, position) if not target or k != last
            )
            if not through:
                continue
            reach = (*through, *diagram.leans_on(through, position))
            kind = TrialKind.GAIN
            if not target:
                kind = TrialKind.INJECTION
            elif not source:
                kind = TrialKind.TRACING
            if kind is TrialKind.GAIN and len(through) > LONGEST_GAIN:
                continue
            danger = DANGER if any(diagram.block(k).high for k in (first, last)) else 1.0
            levels = symptom is Symptom.SIGNAL
            # what comes in behind the detector is out of the control's reach
            ahead = any(diagram.block(k).kind is BlockKind.DETECTOR for k in through)
            made_up = controlled and levels and not target and ahead
            trials.append(
                Trial(
                    bounded(f"{kind} {position} {source}>{target} {symptom}"),
                    kind,
                    position,
                    reach,
                    symptom,
                    _along_words(diagram, kind, source, target, position),
                    (MINUTES[kind] + effort + more) * danger,
                    LIES[kind],
                    levelled=levels,
                    reduced=LEFT_BY_AVC if made_up else 1.0,
                    source=source,
                    target=target,
                    expected_db=_expected_db(diagram, through, source, target),
                )
            )
    return trials


def _expected_db(
    diagram: BlockDiagram, through: tuple[str, ...], source: str, target: str
) -> float | None:
    """What should come out for what goes in: by the levels that the sheet gives for its points,
    else by the gains on the way; None where neither is known of all of it."""
    if target:
        out_db = _level_db(diagram.point(target))
        in_db = _level_db(diagram.point(source)) if source else 0.0
        if out_db is not None and in_db is not None:
            return out_db - in_db
    gains = [diagram.block(k).gain_db for k in through]
    known = [g for g in gains if g is not None]
    return sum(known) if len(known) == len(gains) else None


def _level_db(point: TestPoint) -> float | None:
    """The normal level of a point above what stands at the aerial for it, in dB."""
    if point.level_v is None or point.input_v is None:
        return None
    return db_voltage(point.level_v / point.input_v)


def _along_words(
    diagram: BlockDiagram, kind: TrialKind, source: str, target: str, position: str
) -> str:
    name = diagram.position(position).name
    at = diagram.point(source).name if source else "the aerial"
    to = diagram.point(target).name if target else "the output"
    if kind is TrialKind.INJECTION:
        return f"{name}: signal in at {at}, heard at the output"
    if kind is TrialKind.TRACING:
        return f"{name}: signal in at the aerial, followed to {to}"
    return f"{name}: gain from {at} to {to}"


def _quieted(diagram: BlockDiagram, position: str, symptom: Symptom) -> list[Trial]:
    """What the set makes itself: is it still heard with the signal stopped at a point? If so it
    comes from behind that point."""
    trials = []
    for point in diagram.points:
        behind = diagram.between(point.at, diagram.sink, position)
        if not behind:
            continue
        trials.append(
            Trial(
                bounded(f"{TrialKind.QUIETING} {position} {point.key} {symptom}"),
                TrialKind.QUIETING,
                position,
                (*behind, *diagram.leans_on(behind, position)),
                symptom,
                f"{diagram.position(position).name}: {point.name} silenced (0.1 uF to the common "
                f"rail): is the {symptom} still there?",
                MINUTES[TrialKind.QUIETING] + point.effort_min,
                LIES[TrialKind.QUIETING],
                source=point.key,
            )
        )
    return trials


LOCAL_WORDS = {
    TrialKind.LOOK: "look at {}: pins, burnt or split parts, what was touched last",
    TrialKind.RESEAT: "reseat {}, power off: does it change?",
    TrialKind.VOLTS: "volts of {} against what is expected",
    TrialKind.OHMS: "resistance through {} without power",
    TrialKind.SUBSTITUTION: "a known good one for what amplifies or filters in {}",
    TrialKind.TAP: "tap and move {}: does it come and go?",
    TrialKind.HEAT: "warm {} alone: does it come?",
    TrialKind.COOL: "cool {} alone: does it go?",
}


def _local(diagram: BlockDiagram) -> list[Trial]:
    """Tests of one block each, of those kinds that may show something of what is in it."""
    anywhere = diagram.positions[0].key if diagram.positions else ""
    trials = []
    for block in diagram.blocks:
        held = {kind for kind, _ in block.parts}
        for kind, words in LOCAL_WORDS.items():
            if kind in LOCAL and not held & set(LOCAL[kind]):
                continue
            powered = kind in (TrialKind.VOLTS, TrialKind.TAP, TrialKind.HEAT, TrialKind.COOL)
            danger = DANGER if block.high and powered else 1.0
            effort = 0.5 * block.effort_min if kind is TrialKind.LOOK else block.effort_min
            if kind is TrialKind.SUBSTITUTION and not held & PLUGGED:
                effort += SOLDERED_MIN
            position = block.used_in[0] if block.used_in else anywhere
            reach: tuple[str, ...] = (block.key,)
            if kind is TrialKind.VOLTS:
                # what is fed shows what feeds it
                reach = (block.key, *diagram.fed_by(block.key, position))
            trials.append(
                Trial(
                    f"{kind} {block.key}",
                    kind,
                    position,
                    reach,
                    Symptom.ANY,
                    words.format(block.name) + _normal_volts(diagram, block, kind),
                    (MINUTES[kind] + effort) * danger,
                    LIES[kind],
                )
            )
    return trials


def _normal_volts(diagram: BlockDiagram, block: Block, kind: TrialKind) -> str:
    """The direct volts that the sheet gives for a block's own points."""
    if kind is not TrialKind.VOLTS:
        return ""
    given = [p for p in diagram.points if p.at == block.key and p.dc_v is not None]
    said = ", ".join(f"{p.name} {p.dc_v:g} V" for p in given)
    return f" ({said})" if said else ""


def _oscillations(diagram: BlockDiagram) -> list[Trial]:
    """Is an oscillator alive? By its grid's volts, or by another receiver that hears it."""
    trials = []
    for position in diagram.positions:
        for block in diagram.blocks:
            used = not block.used_in or position.key in block.used_in
            if block.kind is not BlockKind.OSCILLATOR or not used:
                continue
            needs = (block.key, *diagram.leans_on((block.key,), position.key))
            trials.append(
                Trial(
                    bounded(f"{TrialKind.OSCILLATION} {position.key} {block.key}"),
                    TrialKind.OSCILLATION,
                    position.key,
                    needs,
                    Symptom.SIGNAL,
                    f"{position.name}: is {block.name} alive over the whole band? Its bias, or "
                    "another receiver beside it",
                    MINUTES[TrialKind.OSCILLATION] + block.effort_min,
                    LIES[TrialKind.OSCILLATION],
                )
            )
    return trials
