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
from glowdial.core.physics.ohmmeter import FilamentOnOhmmeter, OhmRange, filament_on_ohmmeter

SAFE_SHARE, CAUTION_SHARE = 0.5, 0.8


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
