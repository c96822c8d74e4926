"""What is known of a band's oscillator once it was fitted: what was read and turned of it, the
unknowns of its circuit as samples, and what they foresee.

The circuit is the sheet's, f = 1/(2 pi sqrt(L C)) less the IF, with coil, trimmer, padder, stray
and the gang's law each allowed to be off by what parts of this age are; a dial mark is the gang's
capacity at which the nominal set brings it in. Pointer offset and wander are smooth over the
logarithm of frequency, the mean of the usual plate laws. An adjuster changes its part by equal
factors for equal turns.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.tracking import TankRole, TrackedBand, TrimmerPlace

Floats = NDArray[np.float64]

# how far a coil, a trimmer as it was found, a fixed or adjusted padder may be off, as logarithms;
# the stray that no sheet gives, as a share of the trimmer
SCALE_DOUBT, SHUNT_DOUBT, SERIES_DOUBT, STRAY_DOUBT = 0.08, 0.35, 0.06, 0.10
# a pointer as it was found, and after it was slid, in shares of its travel
POINTER_DOUBT = 0.004
# the gang's law, by waves along the scale: the first, and each next one less
GANG_DOUBT, GANG_WAVES = 0.012, 4
# a hand turns so much more or less than it notes, and at least so many turns
HAND_SHARE, HAND_TURNS = 0.06, 0.012
# what a cabinet adds across the oscillator, as a share of its trimmer
CABINET_SHARE, CABINET_DOUBT = 0.008, 0.008
# no adjuster changes its part by more than this, as a logarithm, nor leaves less than this of it
MOST_MADE, LEAST_LEFT = 2.5, 0.02
# a direction is known when all but a few samples have it
WAY_SURE = 0.95
# so near a mark another reading tells of it
BESIDE_SHARE = 0.05
# from a doubt to half of the interval that holds nine of ten
NINETY = 1.645


@dataclass(frozen=True, slots=True)
class Turner:
    """An adjuster of the oscillator: its role, the relative change of its part for a turn
    clockwise, how well that is known (a logarithm), and whether its direction is."""

    key: str
    role: TankRole
    change: float
    doubt: float
    way_known: bool = True


@dataclass(frozen=True, slots=True)
class MarkRead:
    """What came in with the pointer on a mark, and how well that was read."""

    mark_hz: float
    frequency_hz: float
    doubt_hz: float


@dataclass(frozen=True, slots=True)
class Housed:
    """The chassis went into its cabinet, or came out of it."""

    into: bool


@dataclass(frozen=True, slots=True)
class Turned:
    """An adjuster was turned, clockwise positive."""

    adjuster: str
    turns: float


@dataclass(frozen=True, slots=True)
class PointerSlid:
    """The pointer was moved on its cord or shaft."""


Event = MarkRead | Turned | PointerSlid | Housed


@dataclass(frozen=True, slots=True)
class StateLayout:
    """Where each unknown stands in the vector; all are in units of their own doubt."""

    pointers: int
    turners: int
    moves: int

    @property
    def waves(self) -> slice:
        return slice(4, 4 + GANG_WAVES)

    @property
    def cabinet(self) -> int:
        return 4 + GANG_WAVES

    @property
    def pointer(self) -> int:
        return 5 + GANG_WAVES

    @property
    def rates(self) -> slice:
        start = self.pointer + self.pointers
        return slice(start, start + self.turners)

    @property
    def hands(self) -> slice:
        start = self.pointer + self.pointers + self.turners
        return slice(start, start + self.moves)

    @property
    def size(self) -> int:
        return self.pointer + self.pointers + self.turners + self.moves


@dataclass(frozen=True, slots=True)
class ReadingStand:
    """How the set stood at some readings: marks, turns of every adjuster (n, adjusters), which
    moves had been made (n, moves), which pointer, in the cabinet or not."""

    mark_hz: Floats
    turns: Floats
    moved: Floats
    pointer: NDArray[np.int64]
    in_cabinet: Floats


@dataclass(frozen=True, slots=True)
class TurnedCircuit:
    """The band, its scale from low to high in Hz, the adjusters, the unknowns, and how far each
    move of each adjuster may have been off, in turns (adjusters, moves)."""

    band: TrackedBand
    span: tuple[float, float]
    turners: tuple[Turner, ...]
    layout: StateLayout
    hands: Floats

    def turned(self, at: ReadingStand, states: Floats) -> Floats:
        """Turns of every adjuster at each stand, the hand's own error in (states, stands, A)."""
        slips = states[:, self.layout.hands]
        off = np.stack([(slips * own) @ at.moved.T for own in self.hands], axis=-1)
        return np.asarray(at.turns[None, :, :] + off)


@dataclass(frozen=True, slots=True)
class Foreseen:
    """A reading before it is taken, or where a mark stands: its mean and the doubt of it in Hz."""

    mean_hz: float
    doubt_hz: float

    @property
    def half_hz(self) -> float:
        """Half of the interval that holds nine of ten."""
        return NINETY * self.doubt_hz


@dataclass(frozen=True)
class FittedOscillator:
    """What is known of a band's oscillator: ``samples`` of its state (n, unknowns); in each the
    direction of every adjuster, the turns of it that did nothing, and whether it does anything (n,
    adjusters); how probable it is that the last move of each did nothing; and how far each reading
    is off the rest, in its own doubts."""

    circuit: TurnedCircuit
    turners: tuple[Turner, ...]
    samples: Floats
    ways: Floats
    lost: Floats
    alive: Floats
    idle: tuple[float, ...]
    stand: ReadingStand
    off: tuple[float, ...]

    @property
    def housed(self) -> bool:
        """Whether it stands in its cabinet now."""
        return bool(self.stand.in_cabinet[-1])

    def marks_hz(
        self,
        marks: Sequence[float],
        turns: Mapping[str, Floats | float] | None = None,
        *,
        in_cabinet: bool | None = None,
    ) -> Floats:
        """What comes in at marks as each sample has it (samples, marks), after more ``turns``, the
        same in all samples or each sample's own; in the cabinet or out of it where that is said,
        else as it stands now."""
        n = len(marks)
        now = ReadingStand(
            np.asarray(marks, dtype=np.float64),
            np.repeat(self.stand.turns[-1:], n, axis=0),
            np.repeat(self.stand.moved[-1:], n, axis=0),
            np.repeat(self.stand.pointer[-1:], n),
            np.full(n, float(self.housed if in_cabinet is None else in_cabinet)),
        )
        count = len(self.samples)
        columns = [np.broadcast_to((turns or {}).get(t.key, 0.0), count) for t in self.turners]
        more = np.stack(columns, axis=1)
        hand = np.hypot(HAND_SHARE * more, HAND_TURNS * (more != 0.0))
        made = self.alive * (more + normals(len(self.samples), len(self.turners), 11) * hand)
        turned = self.circuit.turned(now, self.samples) + (made - self.lost)[:, None, :]
        return tuned_hz_of(self.circuit, now, self.samples, self.ways, turned)

    def foreseen(
        self,
        mark_hz: float,
        turns: Mapping[str, float] | None = None,
        *,
        reading_doubt_hz: float = 0.0,
    ) -> Foreseen:
        """Where a mark stands after more turns; with a reading's own doubt, the next reading."""
        found = self.marks_hz((mark_hz,), turns)[:, 0]
        spread = float(np.std(found))
        return Foreseen(float(np.mean(found)), math.hypot(spread, reading_doubt_hz))

    def inside(
        self, mark_hz: float, tolerance_hz: float, turns: Mapping[str, float] | None = None
    ) -> float:
        """Probability that a mark stands inside its tolerance."""
        found = self.marks_hz((mark_hz,), turns)[:, 0]
        return float(np.mean(np.abs(found - mark_hz) <= tolerance_hz))

    def hz_per_turn(self, key: str, mark_hz: float) -> Foreseen:
        """What a turn clockwise of an adjuster does at a mark, by a quarter of one."""
        at, on = (self.marks_hz((mark_hz,), t)[:, 0] for t in (None, {key: 0.25}))
        did = (on - at) / 0.25
        return Foreseen(float(np.mean(did)), float(np.std(did)))

    def last_off(self, mark_hz: float) -> float:
        """How far the last reading at a mark is off what all others say, in its own doubts."""
        read = self.stand.mark_hz[:-1]
        mine = [
            v
            for hz, v in zip(read, self.off, strict=True)
            if abs(hz / mark_hz - 1.0) <= BESIDE_SHARE
        ]
        return abs(mine[-1]) if mine else 0.0

    def learned(self, key: str) -> Turner:
        """An adjuster as it is known now: what a turn does to its part, and how well."""
        place = [t.key for t in self.turners].index(key)
        turner = self.turners[place]
        column = self.samples[:, self.circuit.layout.rates.start + place]
        log = math.log(abs(turner.change)) + turner.doubt * column
        way = float(np.mean(self.ways[:, place]))
        change = math.copysign(math.exp(float(np.mean(log))), way * turner.change or 1.0)
        return Turner(key, turner.role, change, float(np.std(log)), abs(way) > WAY_SURE)

    def does_of_expected(self, key: str) -> float:
        """What an adjuster does for a turn, as a share of what was expected; 0: nothing."""
        place = [t.key for t in self.turners].index(key)
        column = self.samples[:, self.circuit.layout.rates.start + place]
        does = self.alive[:, place] * np.exp(self.turners[place].doubt * column)
        return float(np.median(does))

    def moves_of(self, key: str) -> int:
        """How often an adjuster was turned so far."""
        place = [t.key for t in self.turners].index(key)
        return int(np.count_nonzero(self.circuit.hands[place]))

    def turns_of(self, key: str) -> float:
        """By how many turns an adjuster was turned so far, in all."""
        place = [t.key for t in self.turners].index(key)
        return float(self.stand.turns[-1, place])

    def does_nothing(self, key: str) -> float:
        """Probability that the last move of an adjuster did nothing; 0 before any."""
        return dict(zip((t.key for t in self.turners), self.idle, strict=True)).get(key, 0.0)


def stand_rows(stand: ReadingStand, rows: slice) -> ReadingStand:
    """Some rows of it."""
    return ReadingStand(
        stand.mark_hz[rows],
        stand.turns[rows],
        stand.moved[rows],
        stand.pointer[rows],
        stand.in_cabinet[rows],
    )


def tuned_hz_of(
    of: TurnedCircuit, at: ReadingStand, states: Floats, ways: Floats, turned: Floats
) -> Floats:
    """What comes in at each stand for each state (states, stands), in Hz."""
    lo, layout = of.band.oscillator, of.layout
    low, high = of.span
    octave = math.log(high / low)
    # pointer: a share of its travel is the same ratio of frequency everywhere
    slid = POINTER_DOUBT * states[:, layout.pointer + at.pointer]
    gang = lo.gang_capacity_f(at.mark_hz * np.exp(octave * slid) + of.band.offset_hz)
    place = np.log(at.mark_hz / low) / octave
    for wave in range(1, GANG_WAVES + 1):
        swing = GANG_DOUBT / wave * np.cos(math.pi * wave * place)
        gang = gang * (1.0 + states[:, 3 + wave, None] * swing)
    made = _made_of_turns(of, states, ways, turned)
    scale = lo.inductance_h * np.exp(SCALE_DOUBT * states[:, 0, None] + made[TankRole.SCALE])
    shunt = lo.trimmer_f * np.exp(SHUNT_DOUBT * states[:, 1, None] + made[TankRole.SHUNT])
    series = lo.padder_f * np.exp(SERIES_DOUBT * states[:, 2, None] + made[TankRole.SERIES])
    stray = lo.stray_f + lo.trimmer_f * STRAY_DOUBT * states[:, 3, None]
    housed = at.in_cabinet * (CABINET_SHARE + CABINET_DOUBT * states[:, layout.cabinet, None])
    if of.band.inductive:
        scale = scale * (1.0 + housed)
    else:
        shunt = shunt + lo.trimmer_f * housed
    across_gang = lo.place is TrimmerPlace.ACROSS_GANG
    gang_side, coil_side = (shunt, stray) if across_gang else (stray, shunt)
    # a far-off guess may want less than nothing
    variable = np.maximum(gang + gang_side, LEAST_LEFT * lo.beside_gang_f)
    total = coil_side + variable / (1.0 + variable / series)
    return np.asarray(1.0 / (2.0 * np.pi * np.sqrt(scale * total)) - of.band.offset_hz)


def _made_of_turns(
    of: TurnedCircuit, states: Floats, ways: Floats, turned: Floats
) -> Mapping[TankRole, Floats]:
    """What the turns made of each part, as logarithms (states, stands)."""
    made: dict[TankRole, Floats] = {role: np.zeros(turned.shape[:2]) for role in TankRole}
    rates = states[:, of.layout.rates]
    for n, turner in enumerate(of.turners):
        rate = turner.change * ways[:, n] * np.exp(turner.doubt * rates[:, n])
        made[turner.role] = made[turner.role] + rate[:, None] * turned[:, :, n]
    return {role: np.clip(of_role, -MOST_MADE, MOST_MADE) for role, of_role in made.items()}


@cache
def _numbers(count: int, size: int, seed: int) -> Floats:
    half = np.random.default_rng((seed, size)).standard_normal(((count + 1) // 2, size))
    return np.concatenate([half, -half])[:count]


def normals(count: int, size: int, seed: int) -> Floats:
    """The same normal numbers every time, in pairs of both signs, so that their mean is nothing."""
    return _numbers(count, size, seed)
