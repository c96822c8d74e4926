"""Cold checks in numbers: may this ohmmeter touch this filament, and what should a winding measure.

Safe up to half of the rated current, caution to 80 %, danger above (defaults): the settled current
and voltage count, and the first contact is told beside them. Copper: R(T) = R20 (1 + 0.00393
(T - 20)), temperatures in degrees Celsius.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.errors import BadInput, require_positive
from glowdial.core.ohmmeter import FilamentOnOhmmeter, OhmRange, filament_on_ohmmeter

SAFE_SHARE, CAUTION_SHARE = 0.5, 0.8
COPPER_PER_K = 0.00393
WINDING_TOLERANCE = 0.20
ZERO_LEADS_BELOW_OHM = 10.0


class Danger(StrEnum):
    """Whether a range may touch a filament."""

    SAFE = "safe"
    CAUTION = "caution"
    DANGER = "danger"


@dataclass(frozen=True, slots=True)
class RangeVerdict:
    """A meter's range against a filament."""

    meter: str
    range_name: str
    met: FilamentOnOhmmeter
    danger: Danger

    @property
    def words(self) -> str:
        """In a sentence."""
        return (
            f"{self.meter}, {self.range_name}: {100 * self.met.first_share:.0f} % of the rated "
            f"current at first contact, {100 * self.met.settled_share:.0f} % settled: {self.danger}"
        )


def range_verdict(meter: str, ohm_range: OhmRange, volts: float, amperes: float) -> RangeVerdict:
    """A filament rated ``volts`` at ``amperes`` on one range."""
    met = filament_on_ohmmeter(ohm_range, volts, amperes)
    worst = max(met.settled_share, met.settled_v_share)
    danger = Danger.DANGER
    if worst <= SAFE_SHARE:
        danger = Danger.SAFE
    elif worst <= CAUTION_SHARE:
        danger = Danger.CAUTION
    return RangeVerdict(meter, ohm_range.name, met, danger)


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
    safe = [v for v in ordered if v.danger is Danger.SAFE]
    return (safe[-1] if safe else ordered[0]), ordered


def check_ranges(meter: str, ranges: Sequence[OhmRange]) -> None:
    """Ranges of one meter against each other: the current must fall as the range rises.

    ``ranges`` from the lowest up, of one kind. Raises BadInput naming the two that do not agree.
    """
    for before, after in itertools.pairwise(ranges):
        if after.kind is before.kind and after.short_a > before.short_a:
            raise BadInput(
                f"{meter}, {after.name}",
                f"{after.short_a:g} A",
                f"must be less than on {before.name} ({before.short_a:g} A): the higher the range, "
                "the smaller the current",
                f"{before.short_a / 10:g} A",
            )


def copper_ohm(at_20_ohm: float, temperature_c: float) -> float:
    """A copper winding's resistance at a temperature, from the one at 20 degrees."""
    return at_20_ohm * (1.0 + COPPER_PER_K * (temperature_c - 20.0))


@dataclass(frozen=True, slots=True)
class WindingVerdict:
    """A winding's resistance brought to 20 degrees, against its sheet."""

    corrected_ohm: float
    expected_ohm: float
    open: bool
    inside: bool
    words: str


def winding(
    measured_ohm: float, sheet_ohm: float, *, temperature_c: float = 20.0, leads_ohm: float = 0.0
) -> WindingVerdict:
    """A winding as measured at a temperature, leads taken off. Raises BadInput for leads that are
    more than the reading, or a temperature outside -30 to 100 degrees."""
    require_positive(sheet_ohm=sheet_ohm)
    if not -30.0 <= temperature_c <= 100.0:
        raise BadInput("temperature", f"{temperature_c:g}", "must be -30 to 100 C", "21")
    if measured_ohm < leads_ohm:
        raise BadInput(
            "reading", f"{measured_ohm:g} ohm", f"is less than the leads ({leads_ohm:g})", "3.2"
        )
    corrected = (measured_ohm - leads_ohm) / copper_ohm(1.0, temperature_c)
    is_open = corrected > 100.0 * sheet_ohm
    inside = abs(corrected / sheet_ohm - 1.0) <= WINDING_TOLERANCE
    if is_open:
        words = "Open: a broken wire, or a corroded end at the tag."
    elif inside:
        words = "As the sheet says. A few shorted turns would hardly show: ring it if in doubt."
    elif corrected < sheet_ohm:
        words = "Low: shorted turns, or something else still across it."
    else:
        words = "High: a bad joint in the path, or another wire than the sheet's."
    if sheet_ohm < ZERO_LEADS_BELOW_OHM and leads_ohm == 0.0:
        words += " Below 10 ohm zero the leads first."
    return WindingVerdict(corrected, sheet_ohm, is_open, inside, words)
