"""Copper: R(T) = R20 (1 + 0.00393 (T - 20)), temperatures in degrees Celsius.

Source: the resistance-temperature coefficient of annealed copper, IEC 60028.
"""

from __future__ import annotations

COPPER_PER_K = 0.00393


def copper_ohm(at_20_ohm: float, temperature_c: float) -> float:
    """A copper winding's resistance at a temperature, from the one at 20 degrees."""
    return at_20_ohm * (1.0 + COPPER_PER_K * (temperature_c - 20.0))
