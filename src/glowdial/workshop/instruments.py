"""The bench's network instruments: registered, tried, and put together for a job."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.bench.network import (
    NetworkGenerator,
    NetworkLineSupply,
    NetworkMultimeter,
    NetworkOscilloscope,
)
from glowdial.bench.network_bench import NetworkBench
from glowdial.bench.profile import CALLS, read_profile, shipped_profile
from glowdial.bench.visa import VisaLine
from glowdial.core.bench.equipment import (
    GeneratorLimits,
    generator_limits,
    generator_words,
    meter_limits,
    meter_words,
)
from glowdial.core.language.errors import BadInput, Conflict, GlowDialError, NotFound
from glowdial.store.records import get_bench
from glowdial.store.tables import InstrumentRow
from glowdial.workshop.base.equipment import equipment_of
from glowdial.workshop.base.workshop import Workshop, once

LEAST_TRACE_S, LONGEST_TRACE_S = 1e-4, 100.0
KINDS = tuple(CALLS)
SHIPPED = {kind: kind.replace(" ", "-") for kind in CALLS}


@dataclass(frozen=True, slots=True)
class RegisterCommand:
    """An instrument to register. ``profile`` is a profile's text; empty takes the shipped one.

    Without a host it is worked by hand, and known for its ``limits`` alone, as typed.
    """

    name: str
    kind: str
    host: str
    port: int
    profile: str = ""
    limits: tuple[tuple[str, str], ...] = ()

    @property
    def by_hand(self) -> bool:
        """Nobody on the network."""
        return not self.host.strip()


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
    limits = {k: v for k, v in command.limits if v.strip()}
    limits_in_words(command.name, command.kind, limits)
    if not command.by_hand:
        VisaLine(command.host, command.port, profile)

    def act(session: Session, at: datetime) -> dict[str, Any]:
        row = InstrumentRow(
            name=command.name.strip(),
            kind=command.kind,
            host=command.host.strip(),
            port=0 if command.by_hand else command.port,
            profile=command.profile,
            limits=limits,
            created_at=at,
        )
        session.add(row)
        session.flush()
        return {"id": row.id}

    return int(once(workshop, key, command, act)["id"])


def limits_in_words(name: str, kind: str, limits: Mapping[str, str]) -> str:
    """An instrument's limits in a line; raises BadInput for limits that make no sense."""
    if kind == "generator":
        return generator_words(generator_limits(name, limits))
    if kind == "multimeter":
        return meter_words(meter_limits(name, limits))
    if limits:
        raise BadInput("limits", ", ".join(limits), f"are not kept of a {kind}", "leave them empty")
    return ""


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
    if not row.host:
        raise Conflict(f"The {row.name} is worked by hand: it has no address to ask.")
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


def read_trace(workshop: Workshop, instrument_id: int, seconds: float) -> tuple[float, ...]:
    """One trace of an oscilloscope over a time in s; raises LinkTrouble when it does not answer."""
    with workshop.database.reading() as session:
        row = _get(session, instrument_id)
    if row.kind != "oscilloscope" or not row.host:
        raise Conflict(f"The {row.name} is no oscilloscope on the network: it shows no trace.")
    if not LEAST_TRACE_S <= seconds <= LONGEST_TRACE_S:
        raise BadInput("time", f"{seconds:g} s", "must be 0.1 ms to 100 s", "0.05")
    with workshop.lines.turn:
        return NetworkOscilloscope(line_to(workshop, row)).trace(seconds)


def stop_outputs(workshop: Workshop, job_id: int) -> tuple[str, ...]:
    """Switch line supply and generator off, each even when the other does not answer.

    Returns sentences for what could not be switched off; empty when all is off. Comes in between
    two readings of whatever else is under way. A simulated set is switched off likewise.
    """
    with workshop.database.writing() as session:
        simulated = get_bench(session, job_id)
        if simulated is not None:
            simulated.state = {**simulated.state, "line_v": 0.0, "generator_emf_v": 0.0}
            return ()
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
    """The bench made of the newest instrument of each kind that has an address.

    The multimeter before the newest watches over the guard reading.
    """
    with workshop.database.reading() as session:
        rows = list(session.scalars(select(InstrumentRow).order_by(InstrumentRow.id)))
        limits = equipment_of(session).generator or GeneratorLimits()
    lines: dict[str, list[VisaLine]] = {}
    for row in rows:
        if row.host:
            lines.setdefault(row.kind, []).insert(0, line_to(workshop, row))
    generators, meters = lines.get("generator", []), lines.get("multimeter", [])
    supplies, scopes = lines.get("line supply", []), lines.get("oscilloscope", [])
    return NetworkBench(
        generator=NetworkGenerator(generators[0]) if generators else None,
        multimeter=NetworkMultimeter(meters[0]) if meters else None,
        supply=NetworkLineSupply(supplies[0]) if supplies else None,
        guard_meter=NetworkMultimeter(meters[1]) if len(meters) > 1 else None,
        oscilloscope=NetworkOscilloscope(scopes[0]) if scopes else None,
        generator_limits_v=(limits.least_v, limits.greatest_v),
        lock=workshop.lines.turn,
    )
