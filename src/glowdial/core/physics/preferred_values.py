"""Preferred values, and the nearest of them: by ratio, not by difference. Source: IEC 60063."""

from __future__ import annotations

import math
from enum import Enum

from glowdial.core.language.errors import require_positive


class Series(Enum):
    """How many values a decade has."""

    E6 = (1.0, 1.5, 2.2, 3.3, 4.7, 6.8)
    E12 = (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
    E24 = (
        *(1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0),
        *(3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1),
    )


def standard_values(series: Series, low: float, high: float) -> tuple[float, ...]:
    """All values of a series from ``low`` to ``high``, both above zero, edges included."""
    require_positive(low=low, high=high)
    first, last = math.floor(math.log10(low)), math.floor(math.log10(high))
    every = (
        float(f"{digit}e{decade}") for decade in range(first, last + 1) for digit in series.value
    )
    return tuple(v for v in every if low * (1 - 1e-12) <= v <= high * (1 + 1e-12))


def nearest_standard(value: float, series: Series) -> float:
    """The value of a series nearest by ratio; above zero."""
    require_positive(value=value)
    around = standard_values(series, value / 10.0, value * 10.0)
    return min(around, key=lambda v: abs(math.log(v / value)))
