"""What stands between a generator and a receiver, as one loss with its doubt.

Losses in dB add; doubts that know nothing of each other add as their squares. A mismatch at both
ends of a line leaves the level uncertain between 20 log (1 + |G1 G2|) and 20 log (1 - |G1 G2|), of
which the phase is not known.
Source: textbooks of high-frequency measurement (mismatch uncertainty); the Guide to the expression
of uncertainty in measurement for how they add.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput

MOST_DB = 160.0
# a small transformer of which nothing is known: between nothing and two decibels
UNKNOWN_LOSS_DB, UNKNOWN_DOUBT_DB = 1.0, 1.0


@dataclass(frozen=True, slots=True)
class PathPart:
    """A part of the way: its name, loss in dB (a gain is negative), and what that may be off in
    nineteen of twenty cases."""

    name: str
    loss_db: float
    doubt_db: float = 0.0


@dataclass(frozen=True, slots=True)
class LevelPath:
    """The parts from the generator on; ``leak_v`` is what its case lets out past all of them, as a
    level at the receiver in V, 0 where nobody listened."""

    parts: tuple[PathPart, ...]
    leak_v: float = 0.0

    @property
    def loss_db(self) -> float:
        """All of them together."""
        return sum(p.loss_db for p in self.parts)

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
    return PathPart("mismatch", 0.0, 0.5 * (high - low))


def together(parts: Sequence[PathPart], leak_v: float = 0.0) -> LevelPath | None:
    """The parts as a path, with what leaks past it; None without either."""
    return LevelPath(tuple(parts), leak_v) if parts or leak_v else None
