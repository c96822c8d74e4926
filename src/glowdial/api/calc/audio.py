"""What the computer's microphone or line input heard, as stateless calls."""

from __future__ import annotations

import base64
import binascii

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import significant
from glowdial.core.physics.tone_level import ToneLevel, tone_level

router = APIRouter(prefix="/api/calc", tags=["calc"])
FULL_SCALE = 32768.0
MOST_LETTERS = 1_400_000
EXAMPLE = base64.b64encode(
    (8000.0 * np.sin(2.0 * np.pi * 0.05 * np.arange(1600))).astype("<i2").tobytes()
).decode()


class HeardRequest(Body):
    rate_hz: float = Field(ge=8e3, le=384e3, examples=[8000.0])
    pcm: str = Field(
        max_length=MOST_LETTERS,
        description="samples of 16 bits, little-endian, one channel, in base64",
        examples=[EXAMPLE],
    )


class HeardAnswer(BaseModel):
    """The test tone: its frequency, its level in per cent of full scale, as a number to be typed
    and in words."""

    heard: bool
    tone_hz: float
    level: float
    typed: str
    words: str
    clipped: bool

    @classmethod
    def of(cls, found: ToneLevel) -> HeardAnswer:
        """From what was found."""
        typed = significant(100.0 * found.level, 3)
        words = f"{found.tone_hz:.0f} Hz, {typed} %" if found.heard else "no tone is heard"
        if found.clipped:
            words += "; too loud, it is cut off: turn the input down"
        return cls(
            heard=found.heard,
            tone_hz=found.tone_hz,
            level=100.0 * found.level,
            typed=typed,
            words=words,
            clipped=found.clipped,
        )


@router.post("/tone", operation_id="calcTone")
def calc_tone(body: HeardRequest) -> HeardAnswer:
    """The level of the test tone in what was heard, whatever else was heard with it."""
    try:
        raw = base64.b64decode(body.pcm, validate=True)
    except (binascii.Error, ValueError) as error:
        raise BadInput("pcm", body.pcm[:12], "must be base64", EXAMPLE[:12]) from error
    if len(raw) % 2:
        raise BadInput("pcm", f"{len(raw)} bytes", "must be whole samples of 16 bits", "3200")
    samples = np.frombuffer(raw, dtype="<i2").astype(np.float64) / FULL_SCALE
    return HeardAnswer.of(tone_level(samples, body.rate_hz))
