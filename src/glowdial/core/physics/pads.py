"""Resistive pads between two resistances: designed, built from preferred values, and as they then
are: loss, match at both ends, and what each resistor dissipates.

Loss is transducer loss: available power over delivered power between the resistances stated.
Source: image-parameter design of T and pi sections, and the minimum-loss L section, as in handbooks
of radio engineering; what was built is worked out by its chain matrix, A B C D of each arm in turn.
A balanced pad has half of each series arm in either leg.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.aerials import matched_pad
from glowdial.core.physics.preferred_values import Series, nearest_standard

Floats = NDArray[np.float64]

# below this an arm is a wire, above it there is none
LEAST_OHM, MOST_OHM = 1e-3, 1e9


class PadShape(StrEnum):
    """How the resistors lie."""

    T = "T"
    PI = "pi"
    LEAST_LOSS = "L, least loss"


@dataclass(frozen=True, slots=True)
class Arm:
    """One arm from the generator on: in series with the line, or across it; ohm as a whole, of
    which a balanced pad has half in either leg of a series arm."""

    series: bool
    ohm: float


@dataclass(frozen=True, slots=True)
class BuiltPad:
    """Arms between a source and a load resistance in ohm."""

    arms: tuple[Arm, ...]
    source_ohm: float
    load_ohm: float
    balanced: bool = False

    def chain(self) -> Floats:
        """Its chain matrix (2, 2): volts and current at the input from those at the output."""
        matrix = np.eye(2)
        for arm in self.arms:
            step = [[1.0, arm.ohm], [0.0, 1.0]] if arm.series else [[1.0, 0.0], [1.0 / arm.ohm, 1]]
            matrix = matrix @ np.array(step)
        return matrix

    def loss_db(self) -> float:
        """Available over delivered power."""
        (a, b), (c, d) = self.chain()
        zs, zl = self.source_ohm, self.load_ohm
        return float(
            20.0 * math.log10(abs(a * zl + b + c * zs * zl + d * zs))
            - 10.0 * math.log10(4.0 * zs * zl)
        )

    def volts_db(self) -> float:
        """Volts across the load over volts that the source would have across its own resistance:
        what a voltmeter calls the loss, with the sign of a loss."""
        return self.loss_db() - 10.0 * math.log10(self.load_ohm / self.source_ohm)

    def seen_ohm(self) -> float:
        """What the source sees."""
        (a, b), (c, d) = self.chain()
        return float((a * self.load_ohm + b) / (c * self.load_ohm + d))

    def seen_back_ohm(self) -> float:
        """What the load sees."""
        (a, b), (c, d) = self.chain()
        return float((d * self.source_ohm + b) / (c * self.source_ohm + a))

    def return_loss_db(self) -> tuple[float, float]:
        """How well it matches the source and the load; endless for a perfect match."""
        return (
            _return_loss_db(self.seen_ohm(), self.source_ohm),
            _return_loss_db(self.seen_back_ohm(), self.load_ohm),
        )

    def dissipated_w(self, emf_v: float) -> tuple[float, ...]:
        """Watts in each arm with a generator of so many volts EMF RMS at its input."""
        current = emf_v / (self.source_ohm + self.seen_ohm())
        volts = emf_v - current * self.source_ohm
        found = []
        for arm in self.arms:
            if arm.series:
                found.append(current**2 * arm.ohm)
                volts -= current * arm.ohm
            else:
                found.append(volts**2 / arm.ohm)
                current -= volts / arm.ohm
        return tuple(found)

    def with_arm(self, number: int, ohm: float) -> BuiltPad:
        """The same with another resistance in one arm."""
        arms = list(self.arms)
        arms[number] = replace(arms[number], ohm=ohm)
        return replace(self, arms=tuple(arms))

    def in_values(self, series: Series) -> BuiltPad:
        """The same of preferred values, nearest by ratio; of a balanced one each half is."""

        def value(arm: Arm) -> Arm:
            parts = 2.0 if self.balanced and arm.series else 1.0
            return replace(arm, ohm=parts * nearest_standard(arm.ohm / parts, series))

        return replace(self, arms=tuple(value(a) for a in self.arms))


def _return_loss_db(seen_ohm: float, own_ohm: float) -> float:
    off = abs(seen_ohm - own_ohm) / (seen_ohm + own_ohm)
    return -20.0 * math.log10(off) if off > 1e-12 else math.inf


def design_pad(
    shape: PadShape,
    loss_db: float,
    source_ohm: float,
    load_ohm: float,
    *,
    balanced: bool = False,
) -> BuiltPad:
    """The pad that matches both sides at a loss; of least loss where the shape is an L, whatever
    loss was asked for. Raises BadInput below the least loss that can match them."""
    require_positive(source_ohm=source_ohm, load_ohm=load_ohm)
    if shape is PadShape.LEAST_LOSS:
        arms = _least_loss_arms(source_ohm, load_ohm)
    else:
        t = matched_pad(loss_db, source_ohm, load_ohm)
        arms = [Arm(True, t.source_arm_ohm), Arm(False, t.shunt_ohm), Arm(True, t.load_arm_ohm)]
        if shape is PadShape.PI:
            arms = _pi_arms(t.source_arm_ohm, t.shunt_ohm, t.load_arm_ohm)
    return BuiltPad(tuple(_real(arms)), source_ohm, load_ohm, balanced)


def _pi_arms(first: float, across: float, last: float) -> list[Arm]:
    """Star into triangle."""
    whole = first * across + across * last + last * first
    return [
        Arm(False, whole / max(last, LEAST_OHM / 10.0)),
        Arm(True, whole / across),
        Arm(False, whole / max(first, LEAST_OHM / 10.0)),
    ]


def _least_loss_arms(source_ohm: float, load_ohm: float) -> list[Arm]:
    """Series at the side of the higher resistance, across at the lower one."""
    if math.isclose(source_ohm, load_ohm):
        raise BadInput(
            "pad", f"{source_ohm:g} to {load_ohm:g} ohm", "needs no matching", "75 to 300 ohm"
        )
    high, low = max(source_ohm, load_ohm), min(source_ohm, load_ohm)
    share = math.sqrt(1.0 - low / high)
    series, across = Arm(True, high * share), Arm(False, low / share)
    return [series, across] if source_ohm > load_ohm else [across, series]


def _real(arms: Iterable[Arm]) -> list[Arm]:
    """Without what is a wire, or is not there."""
    return [a for a in arms if (a.ohm > LEAST_OHM if a.series else a.ohm < MOST_OHM)]


def stacked(pads: Sequence[BuiltPad]) -> BuiltPad:
    """Pads one behind the other as one: between the first one's source and the last one's load."""
    if not pads:
        raise BadInput("pads", "none", "want at least one", "a pad of 20 dB")
    arms = tuple(arm for pad in pads for arm in pad.arms)
    return BuiltPad(arms, pads[0].source_ohm, pads[-1].load_ohm, any(p.balanced for p in pads))
