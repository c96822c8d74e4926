"""The bench's network instruments: registered, tried, and put together for a job."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.bench.network import (
    AUDIO_ANALYSER,
    FM_GENERATOR,
    NetworkAudioAnalyser,
    NetworkFmGenerator,
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
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench
from glowdial.store.tables import InstrumentRow
from glowdial.workshop.base.equipment import equipment_of
from glowdial.workshop.base.workshop import Workshop, once

LEAST_TRACE_S, LONGEST_TRACE_S = 1e-4, 100.0
KINDS = tuple(CALLS)
OUTPUTS = ("line supply", "generator", FM_GENERATOR)
Switched = type[NetworkGenerator | NetworkLineSupply | NetworkFmGenerator]
SWITCHED_OFF: Mapping[str, Switched] = {
    "generator": NetworkGenerator,
    "line supply": NetworkLineSupply,
    FM_GENERATOR: NetworkFmGenerator,
}
STOPPED_WITHIN_S = 1.8
SHIPPED = {kind: kind.lower().replace(" ", "-") for kind in CALLS}


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
    return NetworkOscilloscope(line_to(workshop, row)).trace(seconds)


def stop_outputs(workshop: Workshop, job_id: int) -> tuple[str, ...]:
    """Switch every output off that the bench has, each on its own: within two seconds, whatever
    hangs. Returns sentences for what could not be switched off; empty when all is off.

    A simulated set is switched off likewise.
    """
    failed = stop_every_output(workshop)
    with workshop.database.writing() as session:
        simulated = get_bench(session, job_id)
        if simulated is not None:
            simulated.state = BenchState.from_document(simulated.state).switched_off().as_document()
    return failed


def stop_every_output(workshop: Workshop) -> tuple[str, ...]:
    """Every registered output off, at once and each on its own; what failed, in sentences."""
    with workshop.database.reading() as session:
        query = (
            select(InstrumentRow)
            .where(InstrumentRow.kind.in_(OUTPUTS))
            .order_by(InstrumentRow.id.desc())
        )
        rows = [r for r in session.scalars(query) if r.host]
    said: queue.Queue[tuple[int, str]] = queue.Queue()
    for n, row in enumerate(rows):
        # daemons: one that hangs for ever must not keep the server from ending
        threading.Thread(target=_stop_one, args=(workshop, row, n, said), daemon=True).start()
    open_still = dict(enumerate(rows))
    failed: list[str] = []
    ends = time.monotonic() + STOPPED_WITHIN_S
    while open_still:
        try:
            n, words = said.get(timeout=max(ends - time.monotonic(), 0.0))
        except queue.Empty:
            break
        open_still.pop(n)
        failed += [words] if words else []
    failed += [
        f"NOT switched off: the {r.name} at {r.host} did not answer in time."
        for r in open_still.values()
    ]
    return tuple(failed)


def _stop_one(
    workshop: Workshop, row: InstrumentRow, n: int, said: queue.Queue[tuple[int, str]]
) -> None:
    words = ""
    try:
        line = line_to(workshop, row)
        SWITCHED_OFF[row.kind](line).switch_off()
    except GlowDialError as error:
        words = f"NOT switched off: {error}"
    except Exception as error:
        # one that fails in a way of its own must not keep the others on, nor stay unsaid
        words = f"NOT switched off: the {row.name} at {row.host}: {error}"
    said.put((n, words))


def stop_when_halted(workshop: Workshop) -> None:
    """From now on an alarm, or a gate that falls, switches every output off."""

    def stop(_: int) -> None:
        threading.Thread(target=stop_every_output, args=(workshop,), daemon=True).start()

    workshop.halts.tell = stop


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
    fm, analysers = lines.get(FM_GENERATOR, []), lines.get(AUDIO_ANALYSER, [])
    supplies, scopes = lines.get("line supply", []), lines.get("oscilloscope", [])
    return NetworkBench(
        generator=NetworkGenerator(generators[0]) if generators else None,
        multimeter=NetworkMultimeter(meters[0]) if meters else None,
        supply=NetworkLineSupply(supplies[0]) if supplies else None,
        guard_meter=NetworkMultimeter(meters[1]) if len(meters) > 1 else None,
        oscilloscope=NetworkOscilloscope(scopes[0]) if scopes else None,
        fm_generator=NetworkFmGenerator(fm[0]) if fm else None,
        analyser=NetworkAudioAnalyser(analysers[0]) if analysers else None,
        generator_limits_v=(limits.least_v, limits.greatest_v),
    )
