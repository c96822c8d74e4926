"""What the routers are handed: the workshop, and the stamp of a write."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Header, Request

from glowdial.core.language.errors import BadInput
from glowdial.workshop.workshop import Workshop


def workshop_of(request: Request) -> Workshop:
    """The workshop that the application was made with."""
    workshop: Workshop = request.app.state.workshop
    return workshop


def key_of(idempotency_key: Annotated[str | None, Header(max_length=100)] = None) -> str:
    """The write's own key, so that a retry cannot double it."""
    if idempotency_key is None or not 8 <= len(idempotency_key) <= 100:
        raise BadInput(
            "Idempotency-Key",
            idempotency_key or "",
            "must be 8 to 100 characters, new for each write",
            "3f1c7a52-6a55-4a37-b8d1-2b8f7f0c1c11",
        )
    return idempotency_key


WorkshopDep = Annotated[Workshop, Depends(workshop_of)]
KeyDep = Annotated[str, Depends(key_of)]
