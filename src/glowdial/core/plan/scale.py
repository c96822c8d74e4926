"""The ten stops of the journey's scale, by name and in order."""

from __future__ import annotations

SCALE = (
    "intake",
    "cold checks",
    "parts",
    "bring-up",
    "faults",
    "IF",
    "oscillator and RF",
    "dial",
    "proof",
    "handover",
)
