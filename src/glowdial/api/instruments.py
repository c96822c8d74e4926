"""The register of network instruments."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from glowdial.api.shapes import Opened, Request, ShortText
from glowdial.api.wiring import KeyDep, WorkshopDep
from glowdial.workshop import instruments

router = APIRouter(prefix="/api/instruments", tags=["instruments"])
InstrumentId = Annotated[int, Path(ge=1, le=2**53)]


class RegisterRequest(Request):
    name: ShortText = Field(examples=["shelf generator"])
    kind: ShortText = Field(examples=["generator"])
    host: ShortText = Field(examples=["127.0.0.1"])
    port: int = Field(examples=[5025])
    profile: str = Field(default="", max_length=20_000, description="empty: the shipped one")


class InstrumentShape(BaseModel):
    id: int
    name: str
    kind: str
    host: str
    port: int
    own_profile: bool


class Identity(BaseModel):
    """What an instrument says that it is."""

    identity: str


@router.get("", operation_id="listInstruments")
def list_instruments(workshop: WorkshopDep) -> list[InstrumentShape]:
    """All registered instruments."""
    return [
        InstrumentShape(
            id=r.id, name=r.name, kind=r.kind, host=r.host, port=r.port, own_profile=bool(r.profile)
        )
        for r in instruments.list_instruments(workshop)
    ]


@router.post("", operation_id="registerInstrument", status_code=201)
def register_instrument(workshop: WorkshopDep, key: KeyDep, body: RegisterRequest) -> Opened:
    """Register an instrument by its address, with a profile of its own or the shipped one."""
    command = instruments.RegisterCommand(body.name, body.kind, body.host, body.port, body.profile)
    return Opened(id=instruments.register(workshop, key, command))


@router.post("/{instrument_id}/trial", operation_id="tryInstrument")
def try_instrument(workshop: WorkshopDep, instrument_id: InstrumentId) -> Identity:
    """Ask an instrument what it is."""
    return Identity(identity=instruments.try_out(workshop, instrument_id))


@router.delete("/{instrument_id}", operation_id="removeInstrument", status_code=204)
def remove_instrument(workshop: WorkshopDep, key: KeyDep, instrument_id: InstrumentId) -> None:
    """Take an instrument out of the register."""
    instruments.remove(workshop, key, instrument_id)
