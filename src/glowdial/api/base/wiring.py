"""What the routers are handed and take in common: the workshop, the key of a write, bodies."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Depends, Header, Path, Request, Response
from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from glowdial.core.journey.entry import LONGEST_TABLE
from glowdial.core.language.errors import BadInput
from glowdial.workshop.base.workshop import Workshop


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


def who_of(bench_hand: Annotated[str, Header(max_length=80)] = "") -> str:
    """Who is at the bench, as the page was told; kept with what is entered."""
    # headers come byte by byte: what is no text is left out
    return bench_hand.encode("latin-1", "ignore").decode("utf-8", "ignore").strip()


WorkshopDep = Annotated[Workshop, Depends(workshop_of)]
KeyDep = Annotated[str, Depends(key_of)]
WhoDep = Annotated[str, Depends(who_of)]
JobId = Annotated[int, Path(ge=1, le=2**53)]
ShortText = Annotated[str, Field(max_length=200)]
LongText = Annotated[str, Field(max_length=4000)]
# a question says itself how much it takes
TableText = Annotated[str, Field(max_length=LONGEST_TABLE)]
Version = Annotated[
    int, Field(ge=0, le=2**53, description="the job's version that the page had read")
]


def with_its_zone(moment: datetime) -> datetime:
    """A moment of the bench's clock, which is kept without its zone, with it."""
    return moment.astimezone()


Moment = Annotated[datetime, AfterValidator(with_its_zone)]


class Body(BaseModel):
    """A request body; unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Opened(BaseModel):
    """A new record's number."""

    id: int


class Written(BaseModel):
    """The answer to a write."""

    version: int
    echo: str = ""
    verdict: str = ""
    words: str = ""
    next_step: str = ""
    cost: str = ""


def plain_json(shape: BaseModel) -> Response:
    """A shape as it is sent. The longest of them are written out once, and not checked again on
    their way."""
    return Response(shape.model_dump_json(), media_type="application/json")


class CsvAnswer(Response):
    """A table as CSV."""

    media_type = "text/csv"
