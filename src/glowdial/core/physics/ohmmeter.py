"""What an ohmmeter does to what it measures: its current, and where a filament settles on it.

Two kinds: a series ohmmeter (open-circuit volts behind its internal resistance, which is its
mid-scale reading) and a constant current up to a compliance voltage.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.heaters import COLD_SHARE, settled_current_share


class OhmmeterKind(StrEnum):
    """How a range makes its current."""

    SERIES = "series"
    CONSTANT_CURRENT = "constant current"


@dataclass(frozen=True, slots=True)
class OhmRange:
    """One range: open-circuit (or compliance) volts and short-circuit current."""

    name: str
    kind: OhmmeterKind
    open_v: float
    short_a: float

    def __post_init__(self) -> None:
        require_positive(open_v=self.open_v, short_a=self.short_a)

    @property
    def internal_ohm(self) -> float:
        """Voc/Isc: of a series ohmmeter the mid-scale reading."""
        return self.open_v / self.short_a

    def current_a(self, resistance_ohm: float) -> float:
        """Current through a resistance of 0 or more; infinite resistance draws nothing."""
        if math.isinf(resistance_ohm):
            return 0.0
        if self.kind is OhmmeterKind.SERIES:
            return self.open_v / (self.internal_ohm + resistance_ohm)
        return min(self.short_a, self.open_v / max(resistance_ohm, 1e-12))


# a small-signal junction conducts from about this on, germanium, which lets most through
JUNCTION_V = 0.2


def junction_a(ohm_range: OhmRange) -> float:
    """What a range drives through a conducting small-signal junction, in A."""
    if ohm_range.open_v <= JUNCTION_V:
        return 0.0
    if ohm_range.kind is OhmmeterKind.CONSTANT_CURRENT:
        return ohm_range.short_a
    return (ohm_range.open_v - JUNCTION_V) / ohm_range.internal_ohm


# ranges of one meter are at least a factor of two apart, ten most often
LEAST_STEP = 2.0


@dataclass(frozen=True, slots=True)
class FilamentOnOhmmeter:
    """Currents as shares of the filament's rating: at first contact, and where it settles."""

    first_share: float
    settled_share: float
    settled_v_share: float


@lru_cache(maxsize=512)
def filament_on_ohmmeter(ohm_range: OhmRange, volts: float, amperes: float) -> FilamentOnOhmmeter:
    """A cold filament rated ``volts`` at ``amperes`` on a range.

    First contact meets a fifth of the hot resistance; then it warms and moves along the load line
    until the range's current is the filament's own at its volts. By bisection on the volts.
    """
    require_positive(filament_v=volts, filament_a=amperes)
    hot_ohm = volts / amperes
    first = ohm_range.current_a(COLD_SHARE * hot_ohm)
    low, high = 0.0, ohm_range.open_v / volts
    for _ in range(60):
        share = 0.5 * (low + high)
        own_a = amperes * settled_current_share(share)
        given_a = ohm_range.current_a(share * volts / own_a) if own_a > 0.0 else math.inf
        if own_a < given_a:
            low = share
        else:
            high = share
    share = 0.5 * (low + high)
    return FilamentOnOhmmeter(first / amperes, settled_current_share(share), share)


def check_ranges(meter: str, ranges: Sequence[OhmRange]) -> None:
    """Ranges of one meter against each other: the current must fall to less than half as
    the range rises.

    ``ranges`` from the lowest up, of one kind. Raises BadInput naming the two that do not agree.
    """
    for before, after in itertools.pairwise(ranges):
        if after.kind is before.kind and after.short_a > before.short_a / LEAST_STEP:
            raise BadInput(
                f"{meter}, {after.name}",
                f"{after.short_a:g} A",
                f"must be less than half of that on {before.name} ({before.short_a:g} A): the "
                "higher the range, the smaller the current",
                f"{before.short_a / 10:g} A",
            )
