"""What follows from an entry, as data: the rules say it, the workshop carries it out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.journey.steps import Ask, Step


@dataclass(frozen=True, slots=True)
class ClipOn:
    """A temporary connection is made."""

    what: str
    where: str
    wanted_under_power: bool


@dataclass(frozen=True, slots=True)
class SwitchOff:
    """Something is switched off, to be switched back on by its own step."""

    what: str


@dataclass(frozen=True, slots=True)
class Undo:
    """What a step clipped on and switched off is put back."""

    step: str


@dataclass(frozen=True, slots=True)
class Changed:
    """Something that readings rest on changed."""

    what: str
    note: str


@dataclass(frozen=True, slots=True)
class HandedOver:
    """The job ends: report and standing are kept as they were told."""


@dataclass(frozen=True, slots=True)
class FromStock:
    """Parts come out of stock, or go back into it; ``texts`` hold them as they were kept."""

    texts: Mapping[str, str]
    back: bool = False


@dataclass(frozen=True, slots=True)
class Renewed:
    """A part of the set is a new one; in a simulated set it is mended."""

    ref: str


@dataclass(frozen=True, slots=True)
class Mended:
    """What was wrong in a block was put right; in a simulated set too."""

    block: str


@dataclass(frozen=True, slots=True)
class RecallHistory:
    """What earlier visits of the set, and of others of its model, found is noted in this job: the
    priors rest on what was known then."""


@dataclass(frozen=True, slots=True)
class RecallRates:
    """What an earlier visit of the set learned of its IF's cores is noted in this job."""


@dataclass(frozen=True, slots=True)
class RecallTurns:
    """What an earlier visit of the set learned of its oscillator's adjusters is noted here."""


@dataclass(frozen=True, slots=True)
class RaiseAlarm:
    """Everything powered stops: what was seen, or which stop rule says so."""

    words: str


Consequence = (
    ClipOn
    | SwitchOff
    | Undo
    | Changed
    | HandedOver
    | FromStock
    | Renewed
    | Mended
    | RecallHistory
    | RecallRates
    | RecallTurns
    | RaiseAlarm
)


def of_step(step: Step, ask: Ask) -> tuple[Consequence, ...]:
    """What answering a question of a step does besides, as the step itself says."""
    found: list[Consequence] = [
        ClipOn(what, where, step.powered) for what, where in (*step.makes, *ask.makes)
    ]
    found += [SwitchOff(what) for what in step.switches_off]
    if step.undoes is not None:
        found.append(Undo(step.undoes))
    if step.change is not None:
        found.append(Changed(*step.change))
    if step.closes_job:
        found.append(HandedOver())
    return tuple(found)
