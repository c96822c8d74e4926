"""How an FM receiver is driven for one reading, and what is read: generator, coder and meter.

Volts are EMF RMS at the receiver's own source resistance. The deviation is the peak of the whole
composite, its pilot included.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

PILOT_DEVIATION_HZ = 7.5e3
FULL_DEVIATION_HZ = 75e3
# what AM is made with beside FM, so that the two are told apart by frequency
AM_TONE_HZ = 400.0


class Programme(StrEnum):
    """What the carrier is modulated with."""

    SILENT = "no modulation"
    MONO = "mono"
    LEFT = "left"
    RIGHT = "right"
    DIFFERENCE = "left less right"


class AudioMeter(StrEnum):
    """What is read: volts of all within the audio band, of one tone, distortion and noise as a
    share of all, or the level of a second carrier, in dB over the wanted one, that brings it to be
    heard 30 dB below the wanted tone."""

    VOLTS = "volts"
    TONE = "volts of a tone"
    DISTORTION = "distortion and noise"
    UNWANTED = "unwanted level"


class Channel(StrEnum):
    """Which output is read."""

    LEFT = "left"
    RIGHT = "right"


@dataclass(frozen=True, slots=True)
class Drive:
    """Everything that the generators are set to. ``other_offset_hz`` is where a second carrier
    stands, None for none; ``position`` names the switch position of the receiver itself."""

    carrier_hz: float = 98e6
    level_v: float = 1e-3
    deviation_hz: float = FULL_DEVIATION_HZ
    audio_hz: float = 1000.0
    programme: Programme = Programme.MONO
    pilot: bool = False
    pilot_phase_deg: float = 0.0
    am_depth: float = 0.0
    other_offset_hz: float | None = None
    other_level_v: float = 0.0
    position: str = ""


@dataclass(frozen=True, slots=True)
class Look:
    """One look at a meter: what, on which channel, and for a tone its frequency in Hz."""

    meter: AudioMeter
    channel: Channel = Channel.LEFT
    tone_hz: float = 0.0
