"""A simulated set as blocks whose *parts* fail and whose boards sit badly.

For sets that are simulated by their block diagram: what stands at a point, what is heard, what a
test of one block shows. A part fails in a physical way (open, shorted, dried out, noisy contact);
what that does to the signal follows from what the part is and where it stands.
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, PartFamily
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import Finding, Outcome, Trial, TrialKind

# below this nothing is told from noise
FLOOR_DB = 62.0
# a loss that a listener notices, and the least that one who compares with what is expected does
HEARD_DB = 7.0
METER_DB = 1.0


class Trouble(StrEnum):
    """How a part has failed."""

    OPEN = "open"
    SHORTED = "shorted"
    LEAKY = "leaky"
    DRIED_OUT = "dried out"
    RESISTIVE = "resistive"
    DRIFTED = "drifted"
    WORN = "worn"
    NOISY = "noisy"
    COMES_AND_GOES = "comes and goes"


T = Trouble
P = PartFamily
# in which ways a kind of part fails, and how often
TROUBLES: dict[PartFamily, dict[Trouble, float]] = {
    P.CONTACT: {T.OPEN: 0.4, T.RESISTIVE: 0.3, T.COMES_AND_GOES: 0.15, T.NOISY: 0.15},
    P.CONNECTOR: {T.OPEN: 0.55, T.RESISTIVE: 0.15, T.COMES_AND_GOES: 0.3},
    P.RELAY: {T.OPEN: 0.65, T.RESISTIVE: 0.1, T.COMES_AND_GOES: 0.25},
    P.SWITCHING_DIODE: {T.OPEN: 0.5, T.SHORTED: 0.2, T.LEAKY: 0.3},
    P.ELECTROLYTIC: {T.DRIED_OUT: 0.7, T.LEAKY: 0.2, T.SHORTED: 0.1},
    P.PAPER: {T.LEAKY: 0.6, T.OPEN: 0.3, T.SHORTED: 0.1},
    P.SMALL_CAPACITOR: {T.OPEN: 0.5, T.DRIFTED: 0.3, T.SHORTED: 0.2},
    P.TUBE: {T.WORN: 0.65, T.OPEN: 0.15, T.LEAKY: 0.12, T.COMES_AND_GOES: 0.08},
    P.SEMICONDUCTOR: {T.OPEN: 0.3, T.SHORTED: 0.25, T.WORN: 0.2, T.LEAKY: 0.15, T.NOISY: 0.1},
    P.RESISTOR: {T.DRIFTED: 0.6, T.OPEN: 0.3, T.NOISY: 0.1},
    P.POTENTIOMETER: {T.NOISY: 0.65, T.OPEN: 0.35},
    P.COIL: {T.OPEN: 0.75, T.SHORTED: 0.25},
    P.CRYSTAL: {T.OPEN: 0.7, T.WORN: 0.3},
    P.SPEAKER: {T.OPEN: 0.6, T.WORN: 0.4},
}
# what it does to a signal: from and to so many dB; None where it is not the signal that suffers
LOSSES_DB: dict[tuple[PartFamily, Trouble], tuple[float, float] | None] = {
    (P.CONTACT, T.OPEN): (40.0, 75.0),
    (P.CONTACT, T.RESISTIVE): (9.0, 26.0),
    (P.CONTACT, T.COMES_AND_GOES): (35.0, 70.0),
    (P.CONTACT, T.NOISY): None,
    (P.CONNECTOR, T.OPEN): (45.0, 80.0),
    (P.CONNECTOR, T.RESISTIVE): (9.0, 24.0),
    (P.CONNECTOR, T.COMES_AND_GOES): (40.0, 70.0),
    (P.RELAY, T.OPEN): (45.0, 75.0),
    (P.RELAY, T.RESISTIVE): (9.0, 24.0),
    (P.RELAY, T.COMES_AND_GOES): (40.0, 70.0),
    (P.SWITCHING_DIODE, T.OPEN): (40.0, 60.0),
    (P.SWITCHING_DIODE, T.SHORTED): (35.0, 60.0),
    (P.SWITCHING_DIODE, T.LEAKY): (9.0, 20.0),
    (P.ELECTROLYTIC, T.DRIED_OUT): (9.0, 24.0),
    (P.ELECTROLYTIC, T.LEAKY): (9.0, 20.0),
    (P.ELECTROLYTIC, T.SHORTED): (40.0, 70.0),
    (P.PAPER, T.LEAKY): (9.0, 22.0),
    (P.PAPER, T.OPEN): (15.0, 50.0),
    (P.PAPER, T.SHORTED): (45.0, 75.0),
    (P.SMALL_CAPACITOR, T.OPEN): (25.0, 60.0),
    (P.SMALL_CAPACITOR, T.DRIFTED): (9.0, 20.0),
    (P.SMALL_CAPACITOR, T.SHORTED): (45.0, 75.0),
    (P.TUBE, T.WORN): (9.0, 24.0),
    (P.TUBE, T.OPEN): (45.0, 75.0),
    (P.TUBE, T.LEAKY): None,
    (P.TUBE, T.COMES_AND_GOES): (30.0, 60.0),
    (P.SEMICONDUCTOR, T.OPEN): (40.0, 70.0),
    (P.SEMICONDUCTOR, T.SHORTED): (40.0, 70.0),
    (P.SEMICONDUCTOR, T.WORN): (9.0, 20.0),
    (P.SEMICONDUCTOR, T.LEAKY): (9.0, 22.0),
    (P.SEMICONDUCTOR, T.NOISY): None,
    (P.RESISTOR, T.DRIFTED): (9.0, 20.0),
    (P.RESISTOR, T.OPEN): (35.0, 70.0),
    (P.RESISTOR, T.NOISY): None,
    (P.POTENTIOMETER, T.NOISY): None,
    (P.POTENTIOMETER, T.OPEN): (40.0, 70.0),
    (P.COIL, T.OPEN): (40.0, 70.0),
    (P.COIL, T.SHORTED): (14.0, 30.0),
    (P.CRYSTAL, T.OPEN): (30.0, 60.0),
    (P.CRYSTAL, T.WORN): (9.0, 18.0),
    (P.SPEAKER, T.OPEN): (60.0, 80.0),
    (P.SPEAKER, T.WORN): None,
}
# what else than a loss it makes
MAKES: dict[tuple[PartFamily, Trouble], Symptom] = {
    (P.PAPER, T.LEAKY): Symptom.DISTORTION,
    (P.RESISTOR, T.DRIFTED): Symptom.DISTORTION,
    (P.SPEAKER, T.WORN): Symptom.DISTORTION,
    (P.TUBE, T.LEAKY): Symptom.HUM,
    (P.ELECTROLYTIC, T.DRIED_OUT): Symptom.HUM,
    (P.CONTACT, T.NOISY): Symptom.NOISE,
    (P.SEMICONDUCTOR, T.NOISY): Symptom.NOISE,
    (P.RESISTOR, T.NOISY): Symptom.NOISE,
    (P.POTENTIOMETER, T.NOISY): Symptom.NOISE,
    (P.SMALL_CAPACITOR, T.DRIFTED): Symptom.DRIFT,
}
# what comes and goes is away for this share of the looks while the fault is there to be traced
AWAY_SHARE = 0.1
# direct volts move with these; a dried-out capacitor moves none
MOVES_VOLTS = {
    P.TUBE: (T.WORN, T.OPEN, T.LEAKY),
    P.SEMICONDUCTOR: (T.OPEN, T.SHORTED, T.LEAKY),
    P.RESISTOR: (T.DRIFTED, T.OPEN),
    P.PAPER: (T.LEAKY, T.SHORTED),
    P.ELECTROLYTIC: (T.LEAKY, T.SHORTED),
    P.COIL: (T.OPEN,),
}
MOVES_OHMS = {
    P.CONTACT: (T.OPEN, T.RESISTIVE),
    P.CONNECTOR: (T.OPEN, T.RESISTIVE),
    P.RELAY: (T.OPEN, T.RESISTIVE),
    P.COIL: (T.OPEN,),
    P.RESISTOR: (T.DRIFTED, T.OPEN),
    P.SPEAKER: (T.OPEN,),
    P.POTENTIOMETER: (T.OPEN,),
}
PLUGGED = (P.CONNECTOR, P.CONTACT)
SWAPPED = (P.TUBE, P.SEMICONDUCTOR, P.ELECTROLYTIC, P.PAPER, P.SPEAKER, P.CRYSTAL)


@dataclass(frozen=True, slots=True)
class PartTrouble:
    """A part of a block that has failed, and what of the signal that costs."""

    block: str
    part: PartFamily
    trouble: Trouble
    loss_db: float

    @property
    def away_share(self) -> float:
        """How often it does not show."""
        return AWAY_SHARE if self.trouble is T.COMES_AND_GOES else 0.0


@dataclass(frozen=True, slots=True)
class BadSeat:
    """A board that is not home in its socket: its connector's contacts do not touch."""

    board: str


@dataclass(frozen=True)
class BlockSet:
    """A set whose parts have failed. ``gain_errors_db`` are how far its stages are off what the
    service data says, by block; ``lies`` how often a test tells the contrary of what is so."""

    diagram: BlockDiagram
    troubles: tuple[PartTrouble, ...]
    seed: int
    gain_errors_db: tuple[float, ...] = ()
    lies: float = 0.0
    seats: tuple[BadSeat, ...] = ()

    def measured(self, trial: Trial, seq: int = 0) -> Finding:
        """What a trial gives; the same trial always gives the same."""
        rng = np.random.default_rng((self.seed, zlib.crc32(trial.key.encode())))
        lying = bool(rng.random() < self.lies)
        there = [t for t in self._all() if rng.random() >= t.away_share]
        if trial.levelled:
            return self._level(trial, there, rng, seq, lying=lying)
        bad = any(self._shows(trial, t) for t in there) != lying
        return Finding(trial, Outcome.BAD if bad else Outcome.GOOD, seq=seq)

    def _all(self) -> tuple[PartTrouble, ...]:
        boards = {s.board for s in self.seats}
        unseated = tuple(
            PartTrouble(b.key, P.CONNECTOR, T.OPEN, 70.0)
            for b in self.diagram.blocks
            if b.kind is BlockKind.CONNECTOR and b.board in boards
        )
        return (*self.troubles, *unseated)

    def loss_db(self, trial: Trial, there: Sequence[PartTrouble]) -> float:
        """What the troubles in a trial's way take of its level."""
        return sum(t.loss_db * trial.reduced for t in there if t.block in trial.reach)

    def _level(
        self,
        trial: Trial,
        there: Sequence[PartTrouble],
        rng: np.random.Generator,
        seq: int,
        *,
        lying: bool,
    ) -> Finding:
        lost = self.loss_db(trial, there)
        if lying:
            lost = 0.0 if lost >= HEARD_DB else float(rng.uniform(10.0, FLOOR_DB))
        if self.gain_errors_db:
            place = self.diagram.index
            lost += trial.reduced * sum(self.gain_errors_db[place[k]] for k in trial.reach)
        lost += float(rng.normal(0.0, METER_DB))
        floor = lost >= FLOOR_DB
        return Finding(trial, loss_db=min(lost, FLOOR_DB), floor=floor, seq=seq)

    def _shows(self, trial: Trial, trouble: PartTrouble) -> bool:
        if trouble.block not in trial.reach:
            return False
        part, how = trouble.part, trouble.trouble
        match trial.kind:
            case TrialKind.VOLTS:
                return how in MOVES_VOLTS.get(part, ())
            case TrialKind.OHMS:
                return how in MOVES_OHMS.get(part, ())
            case TrialKind.RESEAT:
                return part in PLUGGED
            case TrialKind.SUBSTITUTION:
                return part in SWAPPED
            case TrialKind.TAP:
                return how in (T.COMES_AND_GOES, T.NOISY)
            case TrialKind.HEAT | TrialKind.COOL:
                return how in (T.COMES_AND_GOES, T.DRIFTED, T.LEAKY)
            case TrialKind.LOOK:
                # burnt, split or green: seen at one in three, always the same one
                return zlib.crc32(f"{self.seed} {trouble.block} {part}".encode()) % 3 == 0
        if trial.symptom is Symptom.SIGNAL or trial.kind is TrialKind.OSCILLATION:
            return trouble.loss_db >= HEARD_DB
        return MAKES.get((part, how)) is trial.symptom


def random_trouble(
    diagram: BlockDiagram, block: Block, part: PartFamily, rng: np.random.Generator
) -> PartTrouble | None:
    """A part failing in one of its ways; None where the signal does not suffer from it."""
    ways = TROUBLES[part]
    how = list(ways)[int(rng.choice(len(ways), p=np.array(list(ways.values()))))]
    bounds = LOSSES_DB[part, how]
    if bounds is None:
        return None
    return PartTrouble(block.key, part, how, float(rng.uniform(*bounds)))
