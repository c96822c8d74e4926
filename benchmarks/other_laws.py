"""Stages solved by other laws than the core's: Koren's equations for tubes, Ebers and Moll's for
transistors, one stage at a time by a root finder.

Source: N. Koren, Improved vacuum tube models for SPICE simulations; J. J. Ebers and J. L. Moll,
Large-signal behavior of junction transistors.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from glowdial.core.physics.operating_point import AmplifierStage, Device, TypicalPoint

Floats = NDArray[np.float64]
KOREN_POWER, KOREN_CORNER, KOREN_KNEE_V = 1.4, 60.0, 24.0
KELVIN_V = 0.0257
NEVER_OHM = 1e13


@dataclass(frozen=True)
class Sick:
    """A stage's parts by factor ("plate", "screen", "cathode", "grid", "upper", "lower",
    "device"), its leaks in ohm ("coupling", "screen bypass", "cathode bypass", "across"), the
    current in A that its grid drives out or its junction leaks."""

    factors: Mapping[str, float] = field(default_factory=dict)
    leaks: Mapping[str, float] = field(default_factory=dict)
    stray_a: float = 0.0

    def factor(self, key: str) -> float:
        return self.factors.get(key, 1.0)

    def leak(self, key: str) -> float:
        return self.leaks.get(key, NEVER_OHM)


def _tube_currents(
    data: TypicalPoint, strength: float, pentode: bool, vp: float, vs: float, vg: float
) -> tuple[float, float, float]:
    """Plate, screen and grid current by Koren's equations, fitted to the typical point."""
    effort = KOREN_POWER * data.plate_a / data.transconductance_s
    second = data.screen_v if pentode else data.plate_v
    mu = second / max(effort - data.control_v, 1e-3)

    def drive(v2: float, grid: float) -> float:
        v2 = max(v2, 1e-3)
        x = KOREN_CORNER * (1.0 / mu + grid / math.sqrt(v2 * v2 + 300.0))
        return v2 / KOREN_CORNER * float(np.logaddexp(0.0, x))

    unit = drive(second, data.control_v) ** KOREN_POWER
    knee = math.atan(data.plate_v / KOREN_KNEE_V)
    space = strength * drive(vs if pentode else vp, vg) ** KOREN_POWER / unit
    grid_a = 5e-4 * max(vg, 0.0) ** 1.5
    if not pentode:
        return data.plate_a * space, 0.0, grid_a
    plate = math.atan(max(vp, 0.0) / KOREN_KNEE_V) / knee
    # what a plate below its knee does not take, the screen takes
    screen_a = data.screen_a * space + data.plate_a * space * 0.6 * max(1.0 - plate, 0.0)
    return data.plate_a * space * plate, screen_a, grid_a


def _junction(volts: float) -> float:
    """An exponential that goes on as a straight line where nothing real goes."""
    x = volts / KELVIN_V
    return math.exp(x) if x < 32.0 else math.exp(32.0) * (x - 31.0)


def _transistor_currents(
    data: TypicalPoint, strength: float, vc: float, vb: float, ve: float
) -> tuple[float, float]:
    """Collector and base current by Ebers and Moll's equations through the typical point."""
    saturation = data.plate_a / _junction(data.control_v)
    gain, back = data.current_gain * strength, 4.0
    forward = saturation * (_junction(vb - ve) - 1.0)
    reverse = saturation * (_junction(vb - vc) - 1.0)
    alive = min(strength / 0.02, 1.0)
    collector = alive * (forward - reverse * (1.0 + 1.0 / back)) * (1.0 if strength > 0 else 0.0)
    return collector, forward / max(gain, 1e-3) * alive + reverse / back


def solve(
    stage: AmplifierStage,
    feed_v: float,
    sick: Sick,
    before_v: float = 0.0,
    before_ohm: float = 0.0,
    meter: tuple[str, float] | None = None,
) -> dict[str, float]:
    """Volts of plate, screen, cathode and grid, and of the plate before it as "before"; with a
    meter on one of them."""
    solid, pentode = stage.device is Device.TRANSISTOR, stage.device is Device.PENTODE
    names = ("plate", "screen", "cathode", "grid", "before")
    load = {n: (1.0 / meter[1] if meter and meter[0] == n else 0.0) for n in names}
    ohm = {
        "plate": (stage.plate_ohm or 10.0) * sick.factor("plate"),
        "screen": (stage.screen_ohm or 10.0) * sick.factor("screen"),
        "cathode": (stage.cathode_ohm or 10.0) * sick.factor("cathode"),
        "grid": (stage.grid_leak_ohm or 10.0) * sick.factor("grid"),
        "upper": max(stage.upper_ohm, 1.0) * sick.factor("upper"),
        "lower": max(stage.lower_ohm, 1.0) * sick.factor("lower"),
    }

    def left(x: Floats) -> Floats:
        vp, vs, vk, vg, vb = (float(v) for v in x)
        strength = sick.factor("device")
        if solid:
            plate_a, base_a = _transistor_currents(stage.typical, strength, vp, vg, vk)
            plate_a += (vp - vk) / sick.leak("across") + sick.stray_a
            screen_a = 0.0
            across = (vp - vk) / sick.leak("across")
            cathode_a = plate_a - sick.stray_a + base_a
            into_grid = (feed_v - vg) / ohm["upper"] - vg / ohm["lower"] + sick.stray_a
            del across
        else:
            plate_a, screen_a, base_a = _tube_currents(
                stage.typical, strength, pentode, vp - vk, vs - vk, vg - vk
            )
            cathode_a = plate_a + screen_a + base_a - sick.stray_a
            into_grid = (-stage.fixed_bias_v - vg) / ohm["grid"] + sick.stray_a
        through = (vb - vg) / sick.leak("coupling")
        return np.array(
            [
                (feed_v - vp) / ohm["plate"] - plate_a - vp * load["plate"],
                (feed_v - vs) / ohm["screen"]
                - screen_a
                - vs / sick.leak("screen bypass")
                - vs * load["screen"],
                cathode_a
                - vk / ohm["cathode"]
                - vk / sick.leak("cathode bypass")
                - vk * load["cathode"],
                into_grid - base_a + through - vg * load["grid"],
                (before_v - vb) / max(before_ohm, 1.0) - through - vb * load["before"],
            ]
        )

    scale = 1.0 / np.array(
        [
            1.0 / ohm["plate"] + 1e-6,
            1.0 / ohm["screen"] + 1e-6,
            1.0 / ohm["cathode"],
            1.0 / (ohm["upper"] if solid else ohm["grid"]) + 1e-7,
            1.0 / max(before_ohm, 1.0),
        ]
    )
    best = None
    for share in (0.9, 0.4, 0.05, 1.0):
        low = 0.15 * feed_v if solid else 0.0
        guess = [share * feed_v, 0.4 * feed_v, low, low + 0.2 if solid else 0.0, before_v]
        found = least_squares(lambda x: left(x) * scale, guess, x_scale=10.0, max_nfev=300)
        if best is None or found.cost < best.cost:
            best = found
        if best.cost < 1e-10:
            break
    assert best is not None
    return dict(zip(names, (float(v) for v in best.x), strict=True))
