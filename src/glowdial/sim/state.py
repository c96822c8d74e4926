"""How a simulated set stands on the bench: leads, controls, adjusters, generator. Plain data."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class BenchState:
    """Everything that a hand could have set.

    ``turns`` are turns made since the set came to the bench. ``injection`` is where the generator
    is clipped ("aerial", "mixer grid" or "").
    """

    turns: dict[str, float] = field(default_factory=dict)
    line_v: float = 0.0
    generator_hz: float = 465e3
    generator_emf_v: float = 0.0
    tone_on: bool = False
    injection: str = ""
    oscillator_stopped: bool = False
    band: str = ""
    dial_hz: float = 0.0
    in_cabinet: bool = False

    def as_document(self) -> dict[str, Any]:
        """Plain data for storing."""
        return asdict(self)
