"""The automatic volume control as a closed loop, at rest.

The detector's volts control the gain: a = max(0, s exp(-a/v0) - d), with s the detector volts that
would stand with the gain held, v0 the control volts for a neper of gain and d the delay. Solved in
closed form with Lambert's W.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from glowdial.core.errors import require_positive

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
