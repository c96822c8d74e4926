"""Faults of a supply that need no fit: nothing at any node, or nothing behind the filter."""

from __future__ import annotations

from glowdial.core.physics.heaters import Heaters
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.line_current import heater_line_a, with_rectifier_a
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.bring_up.supply_causes import (
    NEAR,
    Cause,
    Diagnosis,
    SupplyReading,
    Suspicion,
)

# shares of what is expected below which nothing is there, and above which it is nearly unloaded
NOTHING_THERE, UNLOADED_FROM = 0.03, 0.9


def plain_fault(
    supply: Supply, readings: tuple[SupplyReading, ...], heaters: Heaters
) -> Diagnosis | None:
    """What no fit is needed for: nothing at any node, or nothing behind the filter."""
    full = readings[0]
    known = [(n, v) for n, v in enumerate(full.node_v) if v is not None]
    if not known or full.line_v < 0.7 * supply.line_v:
        return None
    expected = steady_state(supply, full.line_v)
    dead = [n for n, v in known if v < NOTHING_THERE * expected.node_v[n]]
    if len(dead) == len(known):
        return _diagnosed(_nothing(supply, full, heaters))
    last, first = known[-1][0], known[0]
    if last not in dead or first[0] != 0:
        return None
    unloaded_v = supply.unloaded_peak_v * full.line_v / supply.line_v
    if first[1] >= UNLOADED_FROM * unloaded_v or first[1] > 1.05 * expected.node_v[0]:
        words = (
            "The reservoir stands near its unloaded volts and nothing comes behind the filter: "
            "its resistor, choke or field coil is open."
        )
        return _diagnosed((Suspicion(Cause.OPEN, 1.0, 1.0, words),))
    words = (
        "The reservoir is pulled down and nothing is left behind the filter: a short there, the "
        "last filter capacitor first, then what B+ feeds. The filter's resistor takes it all: off."
    )
    return _diagnosed((Suspicion(Cause.SHORT, 1.0, 1.0, words, node=last),))


def _nothing(supply: Supply, full: SupplyReading, heaters: Heaters) -> tuple[Suspicion, ...]:
    """No volts anywhere: no output or a short, told apart by the line current where it is known."""
    nothing = (
        "No volts at any node: nothing comes out of the rectifier. Its heater, the winding, the "
        "fuse, a broken lead; then the rectifier itself."
    )
    short = (
        "No volts at any node: a short at the reservoir pulls all down, or the rectifier's own. "
        "Switch off; measure the reservoir's ohms."
    )
    share = 0.5
    if full.line_a is not None:
        heat_a = heater_line_a(heaters, full.line_v, supply.line_v)
        usual_a = with_rectifier_a(supply, full.line_v, steady_state(supply, full.line_v), heat_a)
        share = 0.05 if full.line_a > usual_a else 0.95
    both = (
        Suspicion(Cause.NO_OUTPUT, share, 1.0, nothing),
        Suspicion(Cause.SHORT, 1.0 - share, 1.0, short),
    )
    return tuple(sorted(both, key=lambda s: -s.probability))


def _diagnosed(suspicions: tuple[Suspicion, ...]) -> Diagnosis:
    further = ""
    if len(suspicions) > 1 and suspicions[1].probability >= NEAR:
        further = (
            "Switch off, discharge, and measure ohms from the reservoir to the common rail; or "
            "read the line current: much is a short, little is no output."
        )
    return Diagnosis(suspicions, further, 0.0, 0.0)
