"""Server push: live readings, and word that something was worked out."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from dataclasses import asdict

from fastapi import Request
from fastapi.concurrency import run_in_threadpool

from glowdial.core.bench.watch import GuardLimits
from glowdial.core.language.errors import GlowDialError
from glowdial.workshop.base.jobs import known_within
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.bench_work import live_values

EVENTS = "text/event-stream"
EVERY_S = 0.25
# whether the page is still there is looked at this often, while nothing new is known
LOOK_AFTER_S = 1.0


async def live(
    workshop: Workshop, request: Request, job_id: int, guard: GuardLimits | None
) -> AsyncIterator[str]:
    """Events until the page goes or the meter fails; readings wait in a thread, not here."""
    values = live_values(workshop, job_id, guard)
    while not await request.is_disconnected():
        try:
            value = await run_in_threadpool(next, values)
        except GlowDialError as error:
            yield _event("trouble", {"detail": str(error)})
            return
        yield _event("value", asdict(value))
        await asyncio.sleep(EVERY_S)


async def until_known(workshop: Workshop, request: Request, job_id: int) -> AsyncIterator[str]:
    """One event when nothing of a job is being worked out any more."""
    while not await request.is_disconnected():
        if await run_in_threadpool(known_within, workshop, job_id, LOOK_AFTER_S):
            yield _event("known", {"job_id": job_id})
            return


def _event(name: str, data: dict[str, object]) -> str:
    return f"event: {name}\ndata: {json.dumps(data)}\n\n"
