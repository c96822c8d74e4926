"""What every open document of the bench is made of: strict sections, keys, units, refusals."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic_core import PydanticCustomError

from glowdial.core.language.errors import BadInput


class Source(StrEnum):
    """Where a figure comes from."""

    SERVICE_MANUAL = "service manual"
    OWNERS_MANUAL = "owner's manual"
    BENCH_NORM = "bench's own norm"


def refuse(expected: str, example: str) -> PydanticCustomError:
    """A refusal with what was expected and an example."""
    return PydanticCustomError(
        "sheet", "{expected}. Example: {example}", {"expected": expected, "example": example}
    )


class Section(BaseModel):
    """A part of the sheet; unknown keys are refused so that a slip of the pen is seen."""

    model_config = ConfigDict(extra="forbid", frozen=True)


Key = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$", examples=["t1-secondary"])]
Words = Annotated[str, Field(max_length=400)]
Frequency = Annotated[float, Field(ge=1e4, le=1.5e8, examples=[1_400_000.0])]
Capacitance = Annotated[float, Field(gt=0, le=1.0, examples=[16e-6])]
Resistance = Annotated[float, Field(gt=0, le=1e9, examples=[1200.0])]
Volts = Annotated[float, Field(gt=0, le=5000, examples=[230.0])]
# from the least filament to a whole string's, and currents that a filament can have
HeaterVolts = Annotated[float, Field(ge=0.1, le=5000, examples=[6.3])]
HeaterAmperes = Annotated[float, Field(ge=1e-3, le=100, examples=[0.3])]
Amperes = Annotated[float, Field(gt=0, le=100, examples=[0.06])]


def fault_in_words(error: ValidationError, what: str, examples: Mapping[str, str]) -> BadInput:
    """The first fault of a document in words: where, what was found, what is expected.

    ``examples`` are by the name of the field; ``""`` is the one for all others.
    """
    fault = error.errors()[0]
    place = ".".join(str(p) for p in fault["loc"]) or what
    given = fault["input"]
    shown = "this" if isinstance(given, (dict, list)) else str(given)[:60]
    message, _, example = str(fault["msg"]).partition(". Example: ")
    known = examples.get(place.split(".")[-1]) or examples.get("", "see the published schema")
    return BadInput(place, shown, message[0].lower() + message[1:], example or known)
