"""Server push of live readings: one event each, and a last one that says what went wrong."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from dataclasses import asdict

from fastapi import Request

from glowdial.core.bench.watch import Guard
from glowdial.core.language.errors import GlowDialError
from glowdial.workshop.bench_work import live_values
from glowdial.workshop.workshop import Workshop

EVERY_S = 0.25


async def live(
    workshop: Workshop, request: Request, job_id: int, guard: Guard | None
) -> AsyncIterator[str]:
    """Events until the page goes or the meter fails; readings wait in a thread, not here."""
    values = live_values(workshop, job_id, guard)
    while not await request.is_disconnected():
        try:
            value = await asyncio.to_thread(next, values)
        except GlowDialError as error:
            yield _event("trouble", {"detail": str(error)})
            return
        yield _event("value", asdict(value))
        await asyncio.sleep(EVERY_S)


def _event(name: str, data: dict[str, object]) -> str:
    return f"event: {name}\ndata: {json.dumps(data)}\n\n"
