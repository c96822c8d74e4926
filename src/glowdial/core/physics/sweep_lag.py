"""How far a swept curve runs behind itself: the filter's lag, its shift and loss, and how slow is
slow enough.

Open loop (AVC clamped, the detector read through its filter) the indicator follows the response
through one pole, settled at the start frequency; solved exactly for a response that is straight
between its points. On a live AVC line the loop's own law stands in the equation,
tau a' = max(0, s exp(-a/v0) - d) - a; solved by the trapezoidal rule with Newton's method, which
keeps still where the line is fast. Both after any text on linear circuits; the loop as in
``physics.avc``.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.resonance import passband, vertex

Floats = NDArray[np.float64]
FINE, MOST_NEWTON = 4001, 30
SLOWEST_S, FASTEST_S = 600.0, 1e-3


@dataclass(frozen=True, slots=True)
class Loop:
    """A live AVC line: control volts for a neper of gain, delay in V."""

    control_v_per_neper: float
    delay_v: float = 0.0


@dataclass(frozen=True, slots=True)
class Lag:
    """A pass against the standing curve: how far its peak, and the centre of its -6 dB points, are
    carried along, in Hz, positive where they read too high; how much of the peak is lost, in dB;
    and the traced volts at the curve's frequencies."""

    peak_shift_hz: float
    centre_shift_hz: float | None
    loss_db: float
    traced_v: Floats


def lagged(
    frequency_hz: Floats,
    open_loop_v: Floats,
    pass_s: float,
    time_constant_s: float,
    *,
    loop: Loop | None = None,
    downward: bool = False,
) -> Lag:
    """What a linear pass of ``pass_s`` over the curve shows behind a filter.

    ``frequency_hz`` ascending and evenly spaced, ``open_loop_v`` the detector's volts there with
    the gain held, both shape (n,), n of 12 or more. With a ``loop`` the AVC line itself is traced.
    Raises BadInput for a curve or times that are none.
    """
    require_positive(pass_s=pass_s, time_constant_s=time_constant_s)
    frequency = np.asarray(frequency_hz, dtype=np.float64)
    volts = np.asarray(open_loop_v, dtype=np.float64)
    if frequency.size < 12 or frequency.shape != volts.shape or np.any(np.diff(frequency) <= 0.0):
        raise BadInput("curve", f"{frequency.size} points", "needs 12 or more that rise", "201")
    fine_hz = np.linspace(frequency[0], frequency[-1], FINE)
    row = np.maximum(_between(frequency, volts, fine_hz), 0.0)
    step_s = pass_s / (FINE - 1)
    way = slice(None, None, -1) if downward else slice(None)
    if loop is None:
        standing = row
        traced = _one_pole(row[way], step_s / time_constant_s)[way]
    else:
        standing = _settled(row, loop)
        traced = _live(row[way], step_s / time_constant_s, loop)[way]
    shift = vertex(fine_hz, traced) - vertex(fine_hz, standing)
    loss = 20.0 * math.log10(float(np.max(standing)) / max(float(np.max(traced)), 1e-12))
    centre = _centre(fine_hz, traced), _centre(fine_hz, standing)
    moved = None if None in centre else centre[0] - centre[1]  # type: ignore[operator]
    return Lag(shift, moved, loss, np.interp(frequency, fine_hz, traced))


def slow_enough_s(
    frequency_hz: Floats,
    open_loop_v: Floats,
    time_constant_s: float,
    allowed_hz: float,
    *,
    loop: Loop | None = None,
) -> float:
    """The shortest pass in s whose peak is carried along by no more than ``allowed_hz`` (> 0).

    By halving in the logarithm, to 2 %. Raises BadInput where ten minutes are not enough.
    """
    require_positive(allowed_hz=allowed_hz)

    def shift(pass_s: float) -> float:
        found = lagged(frequency_hz, open_loop_v, pass_s, time_constant_s, loop=loop)
        return abs(found.peak_shift_hz)

    fast, slow = math.log(FASTEST_S), math.log(SLOWEST_S)
    if shift(SLOWEST_S) > allowed_hz:
        raise BadInput(
            "shift",
            f"{allowed_hz:g} Hz",
            "takes more than ten minutes a pass: clamp the AVC",
            "100 Hz",
        )
    while slow - fast > 0.02:
        middle = 0.5 * (fast + slow)
        if shift(math.exp(middle)) > allowed_hz:
            fast = middle
        else:
            slow = middle
    return math.exp(slow)


def _centre(frequency: Floats, volts: Floats) -> float | None:
    try:
        return passband(frequency, volts).centre_hz
    except BadInput:
        return None


def _between(frequency: Floats, volts: Floats, at_hz: Floats) -> Floats:
    """The curve between its points, without corners: a peak of straight lines stands on a point."""
    from scipy.interpolate import CubicSpline  # late: only who sweeps pays for it

    return np.asarray(CubicSpline(frequency, volts)(at_hz))


def _one_pole(row: Floats, ratio: float) -> Floats:
    """One pole behind a row that is straight between its points; ``ratio`` is step over time
    constant. Exact: y' = x - y with x a ramp."""
    from scipy.signal import lfilter  # late: only who sweeps pays for it

    decay = math.exp(-ratio)
    # of the ramp's two ends, what each leaves at the end of the step
    mean = (1.0 - decay) / ratio
    now, before = 1.0 - mean, mean - decay
    state = np.array([before * row[0] + decay * row[0]])
    tail, _ = lfilter([now, before], [1.0, -decay], row[1:], zi=state)
    return np.concatenate([row[:1], tail])


def _live(row: Floats, ratio: float, loop: Loop) -> Floats:
    """The AVC line along a pass, settled where it begins: trapezoidal, Newton in each step."""
    v0, delay = loop.control_v_per_neper, loop.delay_v

    def drive(s: float, a: float) -> tuple[float, float]:
        """Right side over the time constant, and its slope against ``a``."""
        open_v = s * math.exp(-a / v0)
        on = open_v > delay
        return (open_v - delay if on else 0.0) - a, -(open_v / v0 if on else 0.0) - 1.0

    line = [float(_settled(row[:1], loop)[0])]
    half = 0.5 * ratio
    for before, now in itertools.pairwise(row):
        a = line[-1]
        begun = a + half * drive(float(before), a)[0]
        for _ in range(MOST_NEWTON):
            value, slope = drive(float(now), a)
            change = (a - half * value - begun) / (1.0 - half * slope)
            a -= change
            if abs(change) < 1e-12:
                break
        line.append(a)
    return np.array(line)


def _settled(row: Floats, loop: Loop) -> Floats:
    """The line at rest: a + d = s exp(-a/v0), by Newton on all points at once."""
    v0 = loop.control_v_per_neper
    line = np.minimum(row, v0)
    for _ in range(80):
        open_v = row * np.exp(-line / v0)
        on = open_v > loop.delay_v
        wanted = np.where(on, open_v - loop.delay_v, 0.0) - line
        slope = np.where(on, open_v / v0, 0.0) + 1.0
        line = np.maximum(line + wanted / slope, 0.0)
    return line
