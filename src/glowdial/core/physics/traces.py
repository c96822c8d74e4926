"""What a trace comes down to: its mean, its RMS about the mean, and its swing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from glowdial.core.language.errors import BadInput


@dataclass(frozen=True, slots=True)
class TraceFigures:
    """Mean, RMS of what alternates about it, and peak to peak, all in V."""

    mean_v: float
    alternating_v: float
    peak_to_peak_v: float


def reduced(samples_v: ArrayLike) -> TraceFigures:
    """The figures of evenly spaced samples in V, shape (n,) with n of 2 or more.

    The mean is the integral over the trace by its time; RMS and swing are of the samples as they
    are (IEEE 181, waveform parameters). Raises BadInput for a trace of no length.
    """
    volts = np.asarray(samples_v, dtype=np.float64)
    if volts.ndim != 1 or volts.size < 2 or not np.all(np.isfinite(volts)):
        raise BadInput("trace", f"{volts.size} samples", "must be two or more numbers", "601")
    return TraceFigures(float(volts.mean()), float(volts.std()), float(np.ptp(volts)))
