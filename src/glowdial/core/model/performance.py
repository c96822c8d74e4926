"""What service data says a receiver does: figures beyond its sensitivity."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Figure(StrEnum):
    """A figure of performance. Rejections and selectivity are level at the unwanted frequency over
    level at the wanted one for the same output, in dB; AVC is how far the output moves, in dB, over
    80 dB of input; output is what there is at 10 % of distortion, in W."""

    IMAGE = "image rejection"
    INTERMEDIATE = "IF rejection"
    SELECTIVITY = "selectivity"
    AVC = "output over AVC's range"
    OUTPUT = "output at 10 % distortion"

    @property
    def more_is_better(self) -> bool:
        """Whether its limit is the least that it may be."""
        return self is not Figure.AVC


@dataclass(frozen=True, slots=True)
class PerformanceLimit:
    """A figure with its limit in dB or W; of one band, or "" for all; a selectivity's offset from
    the wanted frequency in Hz, positive, 0 for any other figure."""

    figure: Figure
    limit: float
    band: str = ""
    offset_hz: float = 0.0
