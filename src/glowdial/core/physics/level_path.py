"""What stands between a generator and a receiver, as one loss with its doubt.

Losses in dB add; doubts that know nothing of each other add as their squares. A mismatch at both
ends of a line leaves the level uncertain between 20 log (1 + |G1 G2|) and 20 log (1 - |G1 G2|), of
which the phase is not known.

Two schools say where a level is stated. Either at the impedance whose losses are known: matching
and what lies behind it are then a part of what is measured, and their loss is in the figure. Or at
the set's own impedance: matching counts with its loss and its doubt, and the open-circuit volts of
a source that is transformed from R1 to R2 without loss rise by 10 log (R2/R1).
Source: textbooks of high-frequency measurement (mismatch uncertainty); the Guide to the expression
of uncertainty in measurement for how they add.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.pads import BuiltPad

MOST_DB = 160.0
# a small transformer of which nothing is known: between nothing and two decibels
UNKNOWN_LOSS_DB, UNKNOWN_DOUBT_DB = 1.0, 1.0


# two impedances that are meant to be the same are, to this
SAME_OHM_SHARE = 0.15


class StatedAt(StrEnum):
    """Where a level is stated."""

    KNOWN = "the impedance whose loss is known"
    SET = "the set's own impedance"


class LeadKind(StrEnum):
    """What a part is."""

    PART = "part"
    CABLE = "cable"
    PAD = "pad"
    MATCHING = "matching"
    NETWORK = "network"
    MISMATCH = "mismatch"


@dataclass(frozen=True, slots=True)
class PathPart:
    """A part of the way: its name, its loss of available power in dB (a gain is negative), and what
    that may be off in nineteen of twenty cases; from which to which source resistance in ohm it
    leads, 0 and 0 for the same on both sides; whether its loss is known to anybody."""

    name: str
    loss_db: float
    doubt_db: float = 0.0
    kind: LeadKind = LeadKind.PART
    from_ohm: float = 0.0
    to_ohm: float = 0.0
    known: bool = True

    @property
    def emf_loss_db(self) -> float:
        """What it takes off the open-circuit volts."""
        if not self.from_ohm:
            return self.loss_db
        return self.loss_db - 10.0 * math.log10(self.to_ohm / self.from_ohm)

    @property
    def matches(self) -> bool:
        """Whether it leads to another impedance, or its loss is nobody's knowledge."""
        if not self.known:
            return True
        return self.from_ohm > 0.0 and not _same(self.from_ohm, self.to_ohm)


def _same(one_ohm: float, other_ohm: float) -> bool:
    return abs(one_ohm - other_ohm) <= SAME_OHM_SHARE * max(one_ohm, other_ohm)


def resistor_part(name: str, pad: BuiltPad, tolerance: float) -> PathPart:
    """A pad by its resistors and the resistance that drives it: the open-circuit volts that it
    leaves, and the source that it then is. ``tolerance`` (a share, 0 to 0.5) of each resistor adds
    to its doubt as a square.

    By Thevenin: the volts fall to 1/(A + C Rs) of its chain matrix.
    """
    if not 0.0 <= tolerance <= 0.5:
        raise BadInput("tolerance", f"{100.0 * tolerance:g} %", "must be 0 to 50 %", "1 %")
    to_ohm, emf_db = pad.seen_back_ohm(), _emf_loss_db(pad)
    moved = (
        _emf_loss_db(pad.with_arm(n, arm.ohm * (1.0 + tolerance))) - emf_db
        for n, arm in enumerate(pad.arms)
    )
    doubt_db = math.sqrt(sum(db**2 for db in moved))
    loss_db = emf_db + 10.0 * math.log10(to_ohm / pad.source_ohm)
    return PathPart(name, loss_db, doubt_db, LeadKind.PAD, pad.source_ohm, to_ohm)


def _emf_loss_db(pad: BuiltPad) -> float:
    (a, _), (c, _) = pad.chain()
    return 20.0 * math.log10(a + c * pad.source_ohm)


@dataclass(frozen=True, slots=True)
class LevelPath:
    """The parts from the generator on to where levels are stated, and those ``beyond``, which are a
    part of what is measured; ``leak_v`` is what the generator's case lets out past all of them, as
    a level there in V, 0 where nobody listened."""

    parts: tuple[PathPart, ...]
    leak_v: float = 0.0
    beyond: tuple[PathPart, ...] = ()

    @property
    def stated_ohm(self) -> float:
        """The source resistance that a level is stated of; 0 where no part tells one."""
        if self.beyond and self.beyond[0].from_ohm:
            return self.beyond[0].from_ohm
        return next((p.to_ohm for p in reversed(self.parts) if p.to_ohm), 0.0)

    @property
    def loss_db(self) -> float:
        """What all of them take off the open-circuit volts."""
        return sum(p.emf_loss_db for p in self.parts)

    @property
    def doubt_db(self) -> float:
        """What that may be off in nineteen of twenty cases."""
        return math.sqrt(sum(p.doubt_db**2 for p in self.parts))

    def doubt_at_db(self, level_v: float) -> float:
        """What a level behind it may be off in nineteen of twenty cases, the leak in any phase
        counted; ``level_v`` above zero."""
        leaked = 20.0 * math.log10(1.0 + self.leak_v / level_v)
        return math.hypot(self.doubt_db, leaked)

    def at_the_end_v(self, level_v: float) -> float:
        """What a level at the generator is behind it, EMF as EMF."""
        return level_v * math.pow(10.0, -self.loss_db / 20.0)

    def at_the_generator_v(self, level_v: float) -> float:
        """What the generator is set to for a level behind it."""
        return level_v * math.pow(10.0, self.loss_db / 20.0)


def mismatch_part(source_return_loss_db: float, load_return_loss_db: float) -> PathPart:
    """The doubt that two mismatches make of a level; their return losses in dB, above zero.

    The middle of both ends is no loss; they are taken for what is not passed in nineteen of twenty
    cases, as the phase is anywhere (which makes the ends the likeliest).
    """
    for value in (source_return_loss_db, load_return_loss_db):
        if not 0.0 < value <= MOST_DB:
            raise BadInput("return loss", f"{value:g} dB", "must be above 0 to 160 dB", "14")
    product = math.pow(10.0, -(source_return_loss_db + load_return_loss_db) / 20.0)
    high, low = 20.0 * math.log10(1.0 + product), 20.0 * math.log10(1.0 - product)
    return PathPart("mismatch", 0.0, 0.5 * (high - low), LeadKind.MISMATCH)


def together(
    parts: Sequence[PathPart], leak_v: float = 0.0, stated: StatedAt = StatedAt.SET
) -> LevelPath | None:
    """The parts as a path, with what leaks past it; None without either. Stated at the known
    impedance, the first part that matches and all behind it are beyond, but for what a mismatch
    leaves uncertain, which is of the line.

    Raises BadInput for a part that begins at another impedance than those before it end in.
    """
    now_ohm = 0.0
    for part in parts:
        if part.from_ohm:
            if now_ohm and not _same(now_ohm, part.from_ohm):
                raise BadInput(
                    f"parts, {part.name}",
                    f"from {part.from_ohm:.4g} ohm",
                    f"must begin where those before it end, in {now_ohm:.4g} ohm",
                    f"from {now_ohm:.3g} ohm",
                )
            now_ohm = part.to_ohm
    first = next((n for n, p in enumerate(parts) if p.matches), len(parts))
    if stated is StatedAt.SET:
        first = len(parts)
    counted = (p for n, p in enumerate(parts) if n < first or p.kind is LeadKind.MISMATCH)
    beyond = (p for p in parts[first:] if p.kind is not LeadKind.MISMATCH)
    return LevelPath(tuple(counted), leak_v, tuple(beyond)) if parts or leak_v else None


def of_another_source_v(emf_v: float, told_ohm: float, stated_ohm: float) -> float:
    """The EMF of another source resistance that carries as much available power, EMF^2 / 4R; the
    same where either is not known (0)."""
    if not told_ohm or not stated_ohm:
        return emf_v
    return emf_v * math.sqrt(stated_ohm / told_ohm)
