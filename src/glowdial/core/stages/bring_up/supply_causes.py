"""What a diagnosis of a supply is made of: readings that can be, causes, what is said of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.stages.bring_up.stop_rules import IMPOSSIBLE_SHARE

# one standard deviation of a reading, as a share
METER_ERROR = 0.012
# in place of a node: a doubler's other capacitor
OTHER_HALF = -1
# a second cause with this much of the odds is near enough to be told apart by measuring
NEAR = 0.2


class Cause(StrEnum):
    """What may be the matter."""

    HEALTHY = "healthy"
    TIRED = "tired rectifier"
    EXCESS = "excess current"
    DRIED = "lost capacitance"
    HALF_DEAD = "half dead"
    NO_OUTPUT = "no output"
    OPEN = "open filter"
    SHORT = "a short"


@dataclass(frozen=True, slots=True)
class SupplyReading:
    """One settled reading: line volts, and what was read, SI; None where it was not.

    Node volts and ripple (peak to peak) from the reservoir on; ``line_a`` is the set's RMS current,
    which counts where the heaters' share of it is known; ``ripple_hz`` the ripple's frequency.
    """

    line_v: float
    node_v: tuple[float | None, ...]
    ripple_v: tuple[float | None, ...] = ()
    line_a: float | None = None
    ripple_hz: float | None = None


@dataclass(frozen=True, slots=True)
class Suspicion:
    """A cause with its probability, the severity that fits best, and words; ``node`` is that of the
    capacitor to blame, from the reservoir on, or ``OTHER_HALF`` for a doubler's other one."""

    cause: Cause
    probability: float
    severity: float
    words: str
    node: int = 0


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """All causes, likeliest first; what to measure to tell the first two apart, if they are near;
    and the rectifier's fitted resistance beside a healthy one's, in ohm."""

    suspicions: tuple[Suspicion, ...]
    next_measurement: str
    rectifier_ohm: float
    healthy_ohm: float

    @property
    def first(self) -> Suspicion:
        """The likeliest."""
        return self.suspicions[0]


def check_possible_nodes(
    supply: Supply, line_v: float, node_v: Sequence[float], ripple_v: Sequence[float]
) -> None:
    """Raises BadInput for volts or ripple that no state of this supply gives at that AC."""
    most_v = supply.unloaded_peak_v * line_v / supply.line_v * IMPOSSIBLE_SHARE + 2.0
    for volts in node_v:
        if not 0.0 <= volts <= most_v:
            raise BadInput(
                "node volts",
                f"{volts:g} V",
                f"cannot be: this supply gives 0 to {most_v:.0f} V with {line_v:g} V in",
                f"{0.8 * most_v:.0f}",
            )
    for swing in ripple_v:
        if not 0.0 <= swing <= most_v:
            raise BadInput(
                "ripple", f"{swing:g} V", f"must be 0 to {most_v:.0f} V peak to peak", "5"
            )


def overload_words(supply: Supply) -> str:
    """What draws too much behind a sound filter, in the words of the set's own devices."""
    output = (
        "an output tube whose grid is pulled up"
        if supply.load.heated
        else "an output transistor that is biased too far on, or shorted"
    )
    return f"{output}, a leaky bypass, a short further on"


def leaking_reservoir(supply: Supply, extra: float) -> Supply:
    """The same with a leak at the reservoir: ``extra`` of the load's current, above zero."""
    leak_ohm = supply.load.nominal_v / (supply.load.current_a * extra)
    return replace(supply, reservoir_leak_ohm=leak_ohm)
