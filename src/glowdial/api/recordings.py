"""A recording looked at: a WAV file as the body, however long, in constant memory."""

from __future__ import annotations

import tempfile
from dataclasses import asdict
from typing import Any

from fastapi import APIRouter, Request
from fastapi.concurrency import run_in_threadpool

from glowdial.api.calc.audio import HeardAnswer
from glowdial.api.host_check import LARGEST_RECORDING_BYTES, RECORDINGS
from glowdial.api.sums import SumShape
from glowdial.core.language.errors import BadInput
from glowdial.workshop.recordings import looked_at, tone_heard

router = APIRouter(prefix=RECORDINGS, tags=["recordings"])
IN_MEMORY = 1 << 24
WAV_BODY: dict[str, Any] = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


@router.post("", operation_id="postRecording", openapi_extra=WAV_BODY)
async def post_recording(request: Request) -> SumShape:
    """Level, noise, SINAD, distortion and hum of a test tone that was recorded: PCM WAV as it is in
    the body, one or two channels, up to four hours."""
    with tempfile.SpooledTemporaryFile(max_size=IN_MEMORY) as kept:
        await _kept(request, kept)
        answer = await run_in_threadpool(looked_at, kept)
    return SumShape.model_validate(asdict(answer))


@router.post("/tone", operation_id="postRecordedTone", openapi_extra=WAV_BODY)
async def post_recorded_tone(request: Request) -> HeardAnswer:
    """The test tone of a recording as an indicator's reading: as the microphone would tell it."""
    with tempfile.SpooledTemporaryFile(max_size=IN_MEMORY) as kept:
        await _kept(request, kept)
        found = await run_in_threadpool(tone_heard, kept)
    return HeardAnswer.of(found)


async def _kept(request: Request, file: Any) -> None:
    """The body as it comes, in a file; raises BadInput for one that is too long."""
    whole = 0
    async for piece in request.stream():
        whole += len(piece)
        if whole > LARGEST_RECORDING_BYTES:
            raise BadInput("recording", f"{whole} bytes and more", "is too long", "an hour")
        await run_in_threadpool(file.write, piece)
    file.seek(0)
