"""The bench's network instruments: registered, tried, and put together for a job."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.bench.network import NetworkGenerator, NetworkLineSupply, NetworkMultimeter
from glowdial.bench.network_bench import NetworkBench
from glowdial.bench.profile import CALLS, read_profile, shipped_profile
from glowdial.bench.visa import VisaLine
from glowdial.core.errors import BadInput, GlowDialError, NotFound
from glowdial.store.tables import InstrumentRow
from glowdial.workshop.house import Workshop, once

SHIPPED = {kind: kind.replace(" ", "-") for kind in CALLS}


@dataclass(frozen=True, slots=True)
class RegisterCommand:
    """An instrument to register. ``profile`` is a profile's text; empty takes the shipped one."""

    name: str
    kind: str
    host: str
    port: int
    profile: str = ""


def list_instruments(workshop: Workshop) -> list[InstrumentRow]:
    """All registered instruments, oldest first."""
    with workshop.database.reading() as session:
        return list(session.scalars(select(InstrumentRow).order_by(InstrumentRow.id)))


def register(workshop: Workshop, key: str, command: RegisterCommand) -> int:
    """Register an instrument; returns its id. Raises BadInput for a bad address or profile."""
    if command.kind not in CALLS:
        raise BadInput("kind", command.kind, f"must be one of {', '.join(CALLS)}", "multimeter")
    if not command.name.strip():
        raise BadInput("name", command.name, "needs a name to tell it by", "shelf generator")
    profile = shipped_profile(SHIPPED[command.kind])
    if command.profile.strip():
        profile = read_profile(command.profile, "profile")
    if profile.kind != command.kind:
        raise BadInput("profile", profile.kind, f"must be of a {command.kind}", command.kind)
    VisaLine(command.host, command.port, profile)

    def act(session: Session, at: datetime) -> dict[str, Any]:
        row = InstrumentRow(
            name=command.name.strip(),
            kind=command.kind,
            host=command.host,
            port=command.port,
            profile=command.profile,
            created_at=at,
        )
        session.add(row)
        session.flush()
        return {"id": row.id}

    return int(once(workshop, key, command, act)["id"])


def remove(workshop: Workshop, key: str, instrument_id: int) -> None:
    """Take an instrument out of the register; raises NotFound."""

    def act(session: Session, at: datetime) -> dict[str, Any]:
        session.delete(_get(session, instrument_id))
        return {}

    once(workshop, key, ("remove instrument", instrument_id), act)


def try_out(workshop: Workshop, instrument_id: int) -> str:
    """What the instrument says that it is; raises LinkTrouble when it does not."""
    with workshop.database.reading() as session:
        row = _get(session, instrument_id)
    with workshop.lines.turn:
        return line_to(workshop, row).identity()


def _get(session: Session, instrument_id: int) -> InstrumentRow:
    row = session.get(InstrumentRow, instrument_id)
    if row is None:
        raise NotFound("instrument", str(instrument_id))
    return row


def line_to(workshop: Workshop, row: InstrumentRow) -> VisaLine:
    """The open line to a registered instrument."""
    text = row.profile.strip()
    profile = read_profile(text, row.name) if text else shipped_profile(SHIPPED[row.kind])
    return workshop.lines.to(row.host, row.port, profile)


def stop_outputs(workshop: Workshop) -> tuple[str, ...]:
    """Switch line supply and generator off, each even when the other does not answer.

    Returns sentences for what could not be switched off; empty when all is off. Comes in between
    two readings of whatever else is under way.
    """
    bench = network_bench(workshop)
    acts: list[Callable[[], None]] = []
    if bench.supply is not None:
        acts.append(partial(bench.supply.set_line, 0.0))
    if bench.generator is not None:
        acts.append(bench.generator.switch_off)
    failed: list[str] = []
    for act in acts:
        try:
            with workshop.lines.turn:
                act()
        except GlowDialError as error:
            failed.append(f"NOT switched off: {error}")
    return tuple(failed)


def network_bench(workshop: Workshop) -> NetworkBench:
    """The bench made of the newest instrument of each kind."""
    newest = {row.kind: line_to(workshop, row) for row in list_instruments(workshop)}
    generator, meter = newest.get("generator"), newest.get("multimeter")
    supply = newest.get("line supply")
    return NetworkBench(
        generator=NetworkGenerator(generator) if generator else None,
        multimeter=NetworkMultimeter(meter) if meter else None,
        supply=NetworkLineSupply(supply) if supply else None,
        lock=workshop.lines.turn,
    )
