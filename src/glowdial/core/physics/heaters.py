"""Heaters and filaments: their volts and amperes at rest, and how they warm.

Temperature is a share theta of the hot one above cold (0 cold, 1 at nominal volts). Resistance
grows from 0.2 to 1 of its hot value in step with it, and the heat given off grows as its cube,
between conduction (1) and radiation (4). At rest this is within 3 % of the handbooks' I ~ V^0.55
from half to one and a half times nominal volts, 6 % low at 0.3 and 17 % low at 0.1, where no
handbook's rule is meant to hold. Heaters in series share one current: the one that warms first
takes most, and flashes.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive

Floats = NDArray[np.float64]

COLD_SHARE = 0.2
LOSS_EXPONENT = 3.0
INDIRECT_TIME_S, DIRECT_TIME_S = 20.0, 1.0
# emission starts where a heater settles at 45 % of its volts, and is whole at 65 %
EMITS_FROM, EMITS_WHOLE = 0.649, 0.798


@dataclass(frozen=True, slots=True)
class Heater:
    """One tube's heater or filament."""

    tube: str
    volts: float
    amperes: float
    direct: bool = False
    rectifier: bool = False


@dataclass(frozen=True, slots=True)
class Heaters:
    """All heaters; in a string across the line (or battery) with a dropper, or in parallel."""

    heaters: tuple[Heater, ...] = ()
    in_series: bool = False
    dropper_ohm: float = 0.0


NO_HEATERS = Heaters()


def resistance_share(theta: Floats | float) -> Floats:
    """Resistance as a share of the hot one, 0.2 cold to 1."""
    return np.asarray(COLD_SHARE + (1.0 - COLD_SHARE) * np.asarray(theta, dtype=np.float64))


def settled_theta(volts_share: Floats | float) -> Floats:
    """Temperature at rest at a share of nominal volts (0 or more).

    By Newton's method on v^2 = theta^3 (0.2 + 0.8 theta).
    """
    power = np.square(np.asarray(volts_share, dtype=np.float64))
    theta = np.maximum(np.asarray(volts_share, dtype=np.float64), 1e-9) ** 0.55
    for _ in range(12):
        hot = theta**LOSS_EXPONENT
        miss = hot * resistance_share(theta) - power
        slope = LOSS_EXPONENT * hot / theta * resistance_share(theta) + hot * (1.0 - COLD_SHARE)
        theta = np.maximum(theta - miss / slope, 0.25 * theta)
    return np.where(power > 0.0, theta, 0.0)


def settled_current_share(volts_share: float) -> float:
    """Current at rest as a share of nominal at a share of nominal volts."""
    return float(volts_share / resistance_share(settled_theta(volts_share)))


def emission_share(theta: float) -> float:
    """Share of full emission at a temperature: nothing while dull, whole when nearly hot."""
    x = min(max((theta - EMITS_FROM) / (EMITS_WHOLE - EMITS_FROM), 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


@dataclass(frozen=True, slots=True)
class HeaterString:
    """Heaters in series with a dropping resistor or ballast, across one voltage.

    ``volts``, ``amperes`` and ``times_s`` (how slowly it warms) are each heater's; ``dropper_ohm``
    may be 0. A heater across its own winding is a string of one.
    """

    volts: tuple[float, ...]
    amperes: tuple[float, ...]
    times_s: tuple[float, ...]
    dropper_ohm: float = 0.0

    def __post_init__(self) -> None:
        same = len(self.volts) == len(self.amperes) == len(self.times_s) > 0
        if not same:
            raise BadInput(
                "heater string",
                f"{len(self.volts)} volts, {len(self.amperes)} currents, {len(self.times_s)} times",
                "wants one of each for every heater",
                "12.6 V, 0.15 A, 9 s",
            )
        require_positive(
            heater_v=min(self.volts), heater_a=min(self.amperes), heater_s=min(self.times_s)
        )

    @property
    def hot_ohm(self) -> Floats:
        """Each heater's hot resistance."""
        return np.asarray(np.array(self.volts) / np.array(self.amperes))

    def share_v(self, total_v: float, theta: Floats) -> tuple[Floats, float]:
        """Volts on each heater as shares of nominal, and the current, at temperatures ``theta``."""
        ohm = self.hot_ohm * resistance_share(theta)
        current = total_v / (self.dropper_ohm + float(np.sum(ohm)))
        return current * ohm / np.array(self.volts), current

    def slope_per_s(self, total_v: float, theta: Floats) -> Floats:
        """d theta / dt: electrical power less loss, both as shares of nominal."""
        share, _ = self.share_v(total_v, theta)
        power = np.square(share) / resistance_share(theta)
        loss = np.maximum(theta, 0.0) ** LOSS_EXPONENT
        return np.asarray((power - loss) / np.array(self.times_s))

    def step(self, total_v: float, theta: Floats, step_s: float) -> Floats:
        """Temperatures after ``step_s`` at steady volts, by Runge-Kutta steps of a sixteenth of
        the shortest time or less: cold, its current is five times the hot one. After 40 of the
        longest they are at rest.
        """
        if step_s > 40.0 * max(self.times_s):
            return self.settled(total_v)
        parts = max(1, int(np.ceil(16.0 * step_s / min(self.times_s))))
        h = step_s / parts
        for _ in range(parts):
            a = self.slope_per_s(total_v, theta)
            b = self.slope_per_s(total_v, theta + 0.5 * h * a)
            c = self.slope_per_s(total_v, theta + 0.5 * h * b)
            d = self.slope_per_s(total_v, theta + h * c)
            theta = theta + h / 6.0 * (a + 2.0 * b + 2.0 * c + d)
        return np.maximum(theta, 0.0)

    def settled(self, total_v: float) -> Floats:
        """Temperatures at rest: the one current that makes the volts add up, by bisection.

        Each heater's own volts at a current follow from its curve at rest.
        """
        if total_v <= 0.0:
            return np.zeros(len(self.volts))
        low, high = 0.0, total_v / max(self.dropper_ohm + 0.2 * float(np.sum(self.hot_ohm)), 1e-9)
        theta = np.zeros(len(self.volts))
        for _ in range(50):
            current = 0.5 * (low + high)
            theta = _theta_at_current(current / np.array(self.amperes))
            ohm = self.dropper_ohm + float(np.sum(self.hot_ohm * resistance_share(theta)))
            if current * ohm < total_v:
                low = current
            else:
                high = current
        return theta


def _theta_at_current(current_share: Floats) -> Floats:
    """Temperature at rest at a share of nominal current: i^2 (0.2 + 0.8 theta) = theta^3."""
    square = np.square(current_share)
    theta = np.maximum(current_share, 1e-9) ** 0.8
    for _ in range(30):
        miss = theta**LOSS_EXPONENT - square * resistance_share(theta)
        slope = LOSS_EXPONENT * theta ** (LOSS_EXPONENT - 1.0) - square * (1.0 - COLD_SHARE)
        theta = np.maximum(theta - miss / np.where(slope > 0.0, slope, 1.0), 0.4 * theta)
    return theta
