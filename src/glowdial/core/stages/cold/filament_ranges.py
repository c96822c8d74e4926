"""Cold checks in numbers: may this ohmmeter touch this filament, and what should a winding measure.

Safe up to half of the rated current, caution to 80 %, risk above (defaults): the settled current
and voltage count, and the first contact is told beside them. Copper: R(T) = R20 (1 + 0.00393
(T - 20)), temperatures in degrees Celsius.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.ohmmeter import (
    FilamentOnOhmmeter,
    OhmRange,
    filament_on_ohmmeter,
    junction_a,
)

SAFE_SHARE, CAUTION_SHARE = 0.5, 0.8
# what a small-signal junction may carry (default)
JUNCTION_LIMIT_A = 5e-3


class RangeRisk(StrEnum):
    """Whether a range may touch a filament."""

    SAFE = "safe"
    CAUTION = "caution"
    DANGER = "risk"


@dataclass(frozen=True, slots=True)
class RangeVerdict:
    """A meter's range against a filament."""

    meter: str
    range_name: str
    met: FilamentOnOhmmeter
    risk: RangeRisk

    @property
    def words(self) -> str:
        """In a sentence."""
        return (
            f"{self.meter}, {self.range_name}: {100 * self.met.first_share:.0f} % of the rated "
            f"current at first contact, {100 * self.met.settled_share:.0f} % settled: {self.risk}"
        )


def range_verdict(meter: str, ohm_range: OhmRange, volts: float, amperes: float) -> RangeVerdict:
    """A filament rated ``volts`` at ``amperes`` on one range."""
    met = filament_on_ohmmeter(ohm_range, volts, amperes)
    worst = max(met.settled_share, met.settled_v_share)
    risk = RangeRisk.DANGER
    if worst <= SAFE_SHARE:
        risk = RangeRisk.SAFE
    elif worst <= CAUTION_SHARE:
        risk = RangeRisk.CAUTION
    return RangeVerdict(meter, ohm_range.name, met, risk)


@dataclass(frozen=True, slots=True)
class JunctionVerdict:
    """A meter's range against a small-signal junction: the current, and whether it may be."""

    meter: str
    range_name: str
    current_a: float

    @property
    def safe(self) -> bool:
        """At most what such a junction may carry."""
        return self.current_a <= JUNCTION_LIMIT_A


def junction_verdicts(
    meters: Sequence[tuple[str, Sequence[OhmRange]]],
) -> tuple[JunctionVerdict, ...]:
    """Every range of every meter on a small-signal junction, the gentlest first."""
    found = [
        JunctionVerdict(meter, one.name, junction_a(one))
        for meter, ranges in meters
        for one in ranges
    ]
    return tuple(sorted(found, key=lambda v: v.current_a))


def safest_range(
    meters: Sequence[tuple[str, Sequence[OhmRange]]], volts: float, amperes: float
) -> tuple[RangeVerdict, tuple[RangeVerdict, ...]]:
    """The range to use, and every range's verdict, safest first.

    Of the safe ones the one with the most current: it reads a low filament best. Raises BadInput
    without any range.
    """
    verdicts = [
        range_verdict(meter, one, volts, amperes) for meter, ranges in meters for one in ranges
    ]
    if not verdicts:
        raise BadInput("ranges", "none", "at least one range of one meter", "R x 1: 1.5 V 150 mA")
    ordered = tuple(sorted(verdicts, key=lambda v: v.met.settled_share))
    safe = [v for v in ordered if v.risk is RangeRisk.SAFE]
    return (safe[-1] if safe else ordered[0]), ordered
