"""What a set draws from the line: heaters in phase, the rectifier's pulses by their own RMS.

The pulses are added with the power factor that their real power leaves them, and a transformer's
magnetising current in quadrature. Source: the RMS of a sum of currents, as in textbooks of AC
circuits; the magnetising share is a norm for small mains transformers.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from glowdial.core.physics.heaters import (
    INDIRECT_TIME_S,
    Heaters,
    HeaterString,
    resistance_share,
    settled_theta,
)
from glowdial.core.physics.supply.circuit import Supply, Topology
from glowdial.core.physics.supply.limiter import Lamp, limited_v
from glowdial.core.physics.supply.rampup import expectation
from glowdial.core.physics.supply.steady import SupplyPoint

MAGNETISING_SHARE = 0.04


def with_rectifier_a(supply: Supply, set_v: float, point: SupplyPoint, heat_a: float) -> float:
    """RMS line current at ``set_v`` volts: the heaters' ``heat_a`` and the supply's own."""
    if set_v <= 0.0:
        return 0.0
    both = math.sqrt(2.0) if supply.topology is not Topology.HALF_WAVE else 1.0
    pulses_a = point.rectifier_rms_a * both * supply.secondary_v / supply.line_v
    real_a = point.node_v[0] * point.load_a / set_v
    power_factor = min(real_a / pulses_a, 1.0) if pulses_a > 0.0 else 1.0
    magnetising_a = MAGNETISING_SHARE * heat_a
    square = heat_a**2 + pulses_a**2 + 2.0 * heat_a * pulses_a * power_factor
    return math.sqrt(square + magnetising_a**2)


def string_of(heaters: Heaters) -> HeaterString | None:
    """The heaters as a series string, if that is what they are."""
    if not heaters.in_series or not heaters.heaters:
        return None
    return HeaterString(
        tuple(h.volts for h in heaters.heaters),
        tuple(h.amperes for h in heaters.heaters),
        tuple(INDIRECT_TIME_S for _ in heaters.heaters),
        heaters.dropper_ohm,
    )


@lru_cache(maxsize=64)
def heater_volts(heaters: Heaters, set_v: float, nominal_v: float) -> tuple[float, ...]:
    """Volts across every heater, settled, with ``set_v`` at the set; in the order of the sheet."""
    string = string_of(heaters)
    if string is None:
        return tuple(h.volts * set_v / nominal_v for h in heaters.heaters)
    share, _ = string.share_v(set_v, string.settled(set_v))
    return tuple(float(s) * v for s, v in zip(share, string.volts, strict=True))


@lru_cache(maxsize=64)
def heater_line_a(heaters: Heaters, set_v: float, nominal_v: float) -> float:
    """What the heaters draw from the line, settled, RMS."""
    if set_v <= 0.0 or not heaters.heaters:
        return 0.0
    string = string_of(heaters)
    if string is not None:
        return string.share_v(set_v, string.settled(set_v))[1]
    share = set_v / nominal_v
    hot_w = sum(h.volts * h.amperes for h in heaters.heaters)
    theta = settled_theta(np.array([share]))
    return float(share**2 * hot_w / resistance_share(theta)[0]) / set_v


def expected_line_a(supply: Supply, heaters: Heaters, set_v: float) -> float | None:
    """What the set should draw at ``set_v``, settled; None where the sheet gives no heaters."""
    if not heaters.heaters:
        return None
    point = expectation(supply, set_v).point
    return with_rectifier_a(supply, set_v, point, heater_line_a(heaters, set_v, supply.line_v))


def behind_lamp_v(supply: Supply, heaters: Heaters, line_v: float, lamp: Lamp) -> float | None:
    """Volts that the set is left with behind a limiter lamp; None without the heaters' data."""
    if not heaters.heaters:
        return None

    def draw_a(set_v: float) -> float:
        return expected_line_a(supply, heaters, round(set_v, 1)) or 0.0

    return limited_v(line_v, lamp, draw_a)
