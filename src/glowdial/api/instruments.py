"""The register of network instruments."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body, KeyDep, Opened, ShortText, WorkshopDep
from glowdial.workshop import instruments

router = APIRouter(prefix="/api/instruments", tags=["instruments"])
InstrumentId = Annotated[int, Path(ge=1, le=2**53)]


class RegisterRequest(Body):
    name: ShortText = Field(examples=["shelf generator"])
    kind: ShortText = Field(examples=["generator"])
    host: str = Field(
        default="",
        max_length=120,
        description="a host, or a VISA resource: TCPIP INSTR or SOCKET, ASRL, USB",
        examples=["127.0.0.1", "ASRL/dev/ttyUSB0::INSTR"],
    )
    port: int = Field(default=0, examples=[5025])
    profile: str = Field(default="", max_length=20_000, description="empty: the shipped one")
    limits: dict[str, ShortText] = Field(
        default_factory=dict,
        max_length=10,
        description="as typed; of a generator lowest, highest, least, greatest, step, sync, known "
        "(display, counter or crystal), error in per cent; of a multimeter input and ranges",
        examples=[{"lowest": "100k", "highest": "30M", "least": "1u", "known": "counter"}],
    )


class InstrumentShape(BaseModel):
    id: int
    name: str
    kind: str
    host: str
    port: int
    own_profile: bool
    limits: str


class TraceWanted(Body):
    seconds: float = Field(default=0.05, gt=0, le=100, examples=[0.05])


class TraceShape(BaseModel):
    """One trace: its length in s, and evenly spaced samples in V from the sync on, with what its
    axes are called."""

    seconds: float
    volts: list[float]
    x_label: str = "s"
    y_label: str = "V"


class Identity(BaseModel):
    """What an instrument says that it is."""

    identity: str


@router.get("", operation_id="listInstruments")
def list_instruments(workshop: WorkshopDep) -> list[InstrumentShape]:
    """All registered instruments."""
    return [
        InstrumentShape(
            id=r.id,
            name=r.name,
            kind=r.kind,
            host=r.host,
            port=r.port,
            own_profile=bool(r.profile),
            limits=instruments.limits_in_words(r.name, r.kind, r.limits),
        )
        for r in instruments.list_instruments(workshop)
    ]


@router.post("", operation_id="registerInstrument", status_code=201)
def register_instrument(workshop: WorkshopDep, key: KeyDep, body: RegisterRequest) -> Opened:
    """Register an instrument: by its address, with a profile of its own or the shipped one, and by
    what limits it; without an address it is worked by hand."""
    limits = tuple(sorted(body.limits.items()))
    command = instruments.RegisterCommand(
        body.name, body.kind, body.host, body.port, body.profile, limits
    )
    return Opened(id=instruments.register(workshop, key, command))


@router.post("/{instrument_id}/trial", operation_id="tryInstrument")
def try_instrument(workshop: WorkshopDep, instrument_id: InstrumentId) -> Identity:
    """Ask an instrument what it is."""
    return Identity(identity=instruments.try_out(workshop, instrument_id))


@router.post("/{instrument_id}/trace", operation_id="takeTrace")
def take_trace(workshop: WorkshopDep, instrument_id: InstrumentId, body: TraceWanted) -> TraceShape:
    """What an oscilloscope on the network shows now; its time base is set for it."""
    volts = instruments.read_trace(workshop, instrument_id, body.seconds)
    return TraceShape(seconds=body.seconds, volts=list(volts))


@router.delete("/{instrument_id}", operation_id="removeInstrument", status_code=204)
def remove_instrument(workshop: WorkshopDep, key: KeyDep, instrument_id: InstrumentId) -> None:
    """Take an instrument out of the register."""
    instruments.remove(workshop, key, instrument_id)
