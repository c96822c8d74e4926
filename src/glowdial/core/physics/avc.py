"""The automatic volume control as a closed loop, at rest and in time.

The detector's volts control the gain: a = max(0, s exp(-a/v0) - d), with s the detector volts that
would stand with the gain held, v0 the control volts for a neper of gain and d the delay. Solved in
closed form with Lambert's W.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import require_positive

Floats = NDArray[np.float64]


def settled_avc_v(
    open_loop_v: Floats | float, *, control_v_per_neper: float, delay_v: float = 0.0
) -> Floats:
    """AVC volts (magnitude) for open-loop detector volts of 0 or more; monotone in them.

    From x = a + d, x exp(x/v0) = s exp(d/v0), hence x = v0 W(s exp(d/v0)/v0).
    """
    from scipy.special import lambertw  # late: it costs the first page a third of a second

    require_positive(control_v_per_neper=control_v_per_neper)
    v0 = control_v_per_neper
    drive = np.asarray(open_loop_v, dtype=np.float64)
    total = v0 * np.real(lambertw(drive * np.exp(delay_v / v0) / v0))
    return np.asarray(np.maximum(total - delay_v, 0.0))


def gain_at_avc(avc_v: Floats | float, *, control_v_per_neper: float) -> Floats:
    """Gain relative to full gain at an AVC voltage (magnitude): exp(-a/v0)."""
    return np.asarray(np.exp(-np.asarray(avc_v, dtype=np.float64) / control_v_per_neper))


def avc_after_v(
    avc_v: float,
    open_loop_v: float,
    step_s: float,
    *,
    time_constant_s: float,
    control_v_per_neper: float,
    delay_v: float = 0.0,
) -> float:
    """AVC volts ``step_s`` later, from ``avc_v``, with the open-loop volts steady meanwhile.

    tau a' = max(0, s exp(-a/v0) - d) - a. The loop shortens its own lag by 1 + s exp(-a/v0)/v0;
    Runge-Kutta steps of a quarter of that, and at rest after 60 of them.
    """
    require_positive(time_constant_s=time_constant_s, control_v_per_neper=control_v_per_neper)
    v0 = control_v_per_neper
    if step_s > 60.0 * time_constant_s:
        return float(
            settled_avc_v(open_loop_v, control_v_per_neper=control_v_per_neper, delay_v=delay_v)
        )

    def slope(a: float) -> float:
        return (max(open_loop_v * math.exp(-a / v0) - delay_v, 0.0) - a) / time_constant_s

    left_s = step_s
    while left_s > 0.0:
        gain = 1.0 + open_loop_v / v0 * math.exp(-avc_v / v0)
        h = min(left_s, 0.25 * time_constant_s / gain)
        a = slope(avc_v)
        b = slope(avc_v + 0.5 * h * a)
        c = slope(avc_v + 0.5 * h * b)
        d = slope(avc_v + h * c)
        after = max(avc_v + h / 6.0 * (a + 2.0 * b + 2.0 * c + d), 0.0)
        if abs(after - avc_v) < 1e-9 * (after + 1e-6):
            return after
        avc_v, left_s = after, left_s - h
    return avc_v
