"""What the interface takes, as Pydantic models. Unknown keys are refused."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

ShortText = Annotated[str, Field(max_length=200)]
LongText = Annotated[str, Field(max_length=4000)]
Version = Annotated[int, Field(ge=0, description="the job's version that the page had read")]


class Request(BaseModel):
    """A request body."""

    model_config = ConfigDict(extra="forbid")


class OpenJobRequest(Request):
    sheet_id: int = Field(examples=[1])
    set_name: ShortText = Field(examples=["Reading room receiver"])
    serial: ShortText = ""
    set_id: int | None = Field(
        default=None, ge=1, le=2**53, description="a set that was here before"
    )
    simulated_seed: int | None = Field(
        default=None, ge=0, le=2**31, description="with a seed, the set is a simulated one"
    )
    simulated_condition: str = Field(
        default="",
        max_length=200_000,
        description="a condition document as JSON text, instead of a seed",
        examples=['{"seed": 7, "faults": [{"kind": "device", "stage": "V2", "strength": 0.4}]}'],
    )
    network: bool = Field(default=False, description="readings from the bench's instruments too")


class AnswerRequest(Request):
    version: Version
    step: ShortText = Field(examples=["bring-up.ramp"])
    ask: ShortText = Field(examples=["100"])
    line: LongText | None = Field(default=None, examples=["230 221"])
    fields: dict[ShortText, LongText] = Field(default_factory=dict)
    confirmed: bool = False
    captured: bool = False
    choice: int = Field(default=0, ge=0, le=9, description="which proposal for a part, from 0")


class PreviewRequest(Request):
    step: ShortText
    ask: ShortText
    line: LongText = Field(examples=["230 221"])


class Preview(BaseModel):
    """What is understood of a typed line."""

    echo: str


class AcknowledgeRequest(Request):
    version: Version
    step: ShortText
    danger: ShortText


class CloseRequest(Request):
    version: Version
    step: ShortText
    reason: LongText
    decided_by: ShortText


class TemporaryRequest(Request):
    version: Version
    what: ShortText = Field(examples=["jumper"])
    place: ShortText = Field(examples=["V2 grid to chassis"])
    wanted_under_power: bool = False


class ChangeRequest(Request):
    version: Version
    what: ShortText = Field(examples=["supply"])
    note: LongText = Field(examples=["first filter capacitor renewed"])


class MoveRequest(Request):
    version: Version
    step: ShortText = ""
    adjuster: ShortText
    turns: str = Field(max_length=40, examples=["+3/8"])


class WithdrawRequest(Request):
    version: Version
    seq: int


class NoteRequest(Request):
    version: Version
    step: ShortText = ""
    text: LongText


class VersionRequest(Request):
    version: Version


class MeasureRequest(Request):
    version: Version
    step: ShortText
    ask: ShortText = Field(default="", description="another of the step's questions than the first")


class TurnRequest(Request):
    version: Version
    step: ShortText
    turns: float = Field(ge=-5, le=5, examples=[0.0625])
