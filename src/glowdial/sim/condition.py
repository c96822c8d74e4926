"""The hidden condition of a simulated set: an open JSON document, version 1.

Drifts, misalignment in turns, wear, faults. Seeded, plain data: the same document is the same set.
"""

from __future__ import annotations

import json
import math
from dataclasses import asdict, field, replace
from functools import cache
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from glowdial.core.language.errors import BadInput
from glowdial.core.model.blocks import Block, BlockKind, PartFamily
from glowdial.core.model.facts import VHF_HZ, ReceiverFacts
from glowdial.core.model.parts import Part, PartUse
from glowdial.core.physics.operating_point import AmplifierStage, Device
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.tracing.derived import diagram_of
from glowdial.core.tracing.stage_network import drives_grid_current
from glowdial.sheets.section import fault_in_words
from glowdial.sim.block_set import Trouble

# how far a neglected set's adjusters stand from where they belong, in turns either way
IF_TURNS, TRIMMER_TURNS, PADDER_TURNS, CORE_TURNS = 2.2, 0.9, 0.8, 1.0
# of a part over the decades; a VHF coil is a few turns of thick wire
DRIFT, VHF_DRIFT = 0.008, 0.002
LARGEST_DOCUMENT = 200_000
CAPACITORS = ("coupling", "screen bypass", "cathode bypass")
RESISTORS = ("plate", "screen", "cathode", "grid")
STRICT = ConfigDict(extra="forbid")

Share = Annotated[float, Field(ge=0.0, le=2.0)]
Ohm = Annotated[float, Field(gt=0.0, le=1e12)]
Factor = Annotated[float, Field(gt=0.0, le=1e9)]
GasCurrent = Annotated[float, Field(ge=0.0, le=1e-4)]


@dataclass(frozen=True, slots=True, config=STRICT)
class DeviceFault:
    """A tube's emission (a transistor's gain) as a share of new: 0 is dead, below 1 weak; and what
    a gassy tube's grid drives out, in A."""

    stage: str
    strength: Share
    gas_a: GasCurrent = 0.0
    kind: Literal["device"] = "device"


@dataclass(frozen=True, slots=True, config=STRICT)
class CapacitorFault:
    """A stage's capacitor: open, or leaking through ``leak_ohm``."""

    stage: str
    part: Literal["coupling", "screen bypass", "cathode bypass"]
    leak_ohm: Ohm | None = None
    kind: Literal["capacitor"] = "capacitor"

    @property
    def open(self) -> bool:
        """No leakage given: it does not conduct at all."""
        return self.leak_ohm is None


@dataclass(frozen=True, slots=True, config=STRICT)
class ResistorFault:
    """A stage's resistor, ``factor`` times its value; a thousand million is open."""

    stage: str
    part: Literal["plate", "screen", "cathode", "grid"]
    factor: Factor
    kind: Literal["resistor"] = "resistor"


@dataclass(frozen=True, slots=True, config=STRICT)
class FilterFault:
    """A filter capacitor (0 the reservoir): capacity left, leakage, series resistance.

    ``reforms_in_s`` is how fast on its working voltage the leakage heals; None: never.
    """

    place: Annotated[int, Field(ge=0, le=4)]
    capacity: Share = 1.0
    leak_ohm: Ohm | None = None
    series_ohm: Annotated[float, Field(ge=0.0, le=1e5)] = 0.0
    reforms_in_s: Annotated[float, Field(gt=0.0, le=1e5)] | None = None
    kind: Literal["filter"] = "filter"


@dataclass(frozen=True, slots=True, config=STRICT)
class SwitchFault:
    """A band switch contact: resistance, and the share of the time that it does not touch."""

    band: str
    contact_ohm: Annotated[float, Field(ge=0.0, le=1e9)] = 0.0
    open_share: Annotated[float, Field(ge=0.0, le=1.0)] = 0.0
    kind: Literal["switch"] = "switch"


@dataclass(frozen=True, slots=True, config=STRICT)
class RectifierFault:
    """One half of a full-wave rectifier dead, or a selenium stack aged.

    ``age`` multiplies the series resistance: 1 new, 5 tired; ``half_age`` that of one half (a
    bridge's pair of arms) again.
    """

    half_dead: bool = False
    age: Annotated[float, Field(ge=1.0, le=100.0)] = 1.0
    half_age: Annotated[float, Field(ge=1.0, le=1000.0)] = 1.0
    kind: Literal["rectifier"] = "rectifier"


@dataclass(frozen=True, slots=True, config=STRICT)
class HeaterFault:
    """A heater burnt out."""

    tube: str
    kind: Literal["heater"] = "heater"


@dataclass(frozen=True, slots=True, config=STRICT)
class WindingFault:
    """A winding of the sheet, ``factor`` times its resistance; a thousand million is open."""

    winding: str
    factor: Factor
    kind: Literal["winding"] = "winding"


@dataclass(frozen=True, slots=True, config=STRICT)
class PartFault:
    """A part of a block of the diagram, failed in a way that takes ``loss_db`` of the signal."""

    block: str
    part: PartFamily
    trouble: Trouble
    loss_db: Annotated[float, Field(ge=0.0, le=120.0)]
    kind: Literal["part"] = "part"


@dataclass(frozen=True, slots=True, config=STRICT)
class SeatFault:
    """A plug-in board that is not home in its socket."""

    board: str
    kind: Literal["seat"] = "seat"


Fault = Annotated[
    DeviceFault
    | CapacitorFault
    | ResistorFault
    | FilterFault
    | SwitchFault
    | RectifierFault
    | HeaterFault
    | WindingFault
    | PartFault
    | SeatFault,
    Field(discriminator="kind"),
]


@dataclass(frozen=True, slots=True, config=STRICT)
class Condition:
    """What time and hands have done to one set.

    ``turns`` are turns from the nominal place, clockwise positive. ``drift`` are relative changes
    of parts by adjuster. ``gang_wander`` is the relative amplitude by which the oscillator section
    departs from the aerial section along the gang, ``backlash`` the relative frequency by which
    the pointer may stand wrong either way; both are less over a range below one to 2.7, as the
    scale of it is longer. ``emission`` is the rectifier's share of new emission;
    ``filters`` the share of capacity left; ``load`` the share of nominal draw; ``dropper`` a
    ballast's or dropping resistor's factor; ``needle`` the relative unrest of a meter.
    """

    seed: Annotated[int, Field(ge=0, le=2**63 - 1)]
    turns: dict[str, Annotated[float, Field(ge=-60.0, le=60.0)]] = field(default_factory=dict)
    drift: dict[str, Annotated[float, Field(ge=-0.9, le=9.0)]] = field(default_factory=dict)
    gang_wander: Annotated[float, Field(ge=0.0, le=0.2)] = 0.0
    gang_phase: Annotated[float, Field(ge=0.0, le=6.2832)] = 0.0
    emission: Share = 1.0
    filters: Annotated[float, Field(gt=0.0, le=3.0)] = 1.0
    load: Annotated[float, Field(ge=0.0, le=5.0)] = 1.0
    needle: Annotated[float, Field(ge=0.0, le=0.2)] = 0.002
    backlash: Annotated[float, Field(ge=0.0, le=0.05)] = 0.0
    dropper: Factor = 1.0
    line_ohm: Annotated[float, Field(ge=0.0, le=1e4)] = 0.0
    faults: tuple[Fault, ...] = ()
    format: Literal["glowdial-condition"] = "glowdial-condition"
    format_version: Literal[1] = 1

    def as_document(self) -> dict[str, Any]:
        """Plain data for storing."""
        return asdict(self)

    @classmethod
    def from_document(cls, document: Any, facts: ReceiverFacts | None = None) -> Condition:
        """Read back; raises BadInput with the place and the reason.

        With ``facts`` every name in it must belong to that model.
        """
        try:
            condition = _adapter().validate_python(document)
        except ValidationError as error:
            raise fault_in_words(error, "condition", EXAMPLES) from error
        if facts is not None:
            _belongs(condition, facts)
        return condition


EXAMPLES = {
    "seed": '"seed": 7',
    "kind": '"kind": "device"',
    "turns": '"turns": {"t1-primary": -1.5}',
    "leak_ohm": '"leak_ohm": 200000',
    "faults": '[{"kind": "device", "stage": "V2", "strength": 0.4}]',
}


@cache
def _adapter() -> TypeAdapter[Condition]:
    return TypeAdapter(Condition)


def condition_schema() -> dict[str, Any]:
    """The document's JSON schema."""
    return _adapter().json_schema()


def read_condition(text: str, facts: ReceiverFacts) -> Condition:
    """A condition from JSON text for a model; raises BadInput with the place and the reason."""
    if len(text) > LARGEST_DOCUMENT:
        raise BadInput("condition", f"{len(text)} characters", "is over 200,000", "some kB")
    try:
        document = json.loads(text)
    except json.JSONDecodeError as error:
        place = f"line {error.lineno}, column {error.colno}"
        raise BadInput(
            "condition", place, f"is not JSON there: {error.msg}", '{"seed": 7}'
        ) from error
    return Condition.from_document(document, facts)


def _gassy(where: str, fault: DeviceFault, stage: AmplifierStage) -> None:
    if not drives_grid_current(stage):
        raise BadInput(
            f"{where}.gas_a",
            f"{fault.gas_a:g}",
            f"shows on no grid of {stage.name}: a tube with a grid leak, or on the AVC line",
            "0",
        )


def _belongs(condition: Condition, facts: ReceiverFacts) -> None:
    adjusters = {a.key for a in facts.adjusters}
    for place, names in (("turns", condition.turns), ("drift", condition.drift)):
        for name in names:
            _one_of(f"{place}.{name}", name, adjusters, "adjuster")
    stages = {s.name: s for s in facts.circuit.stages}
    nodes = 1 + len(facts.supply.sections) if facts.supply else 1
    for n, fault in enumerate(condition.faults):
        where = f"faults.{n}"
        if isinstance(fault, DeviceFault | CapacitorFault | ResistorFault):
            _one_of(f"{where}.stage", fault.stage, set(stages), "stage")
        if isinstance(fault, DeviceFault) and fault.gas_a > 0.0:
            _gassy(where, fault, stages[fault.stage])
        if isinstance(fault, SwitchFault):
            _one_of(f"{where}.band", fault.band, {b.key for b in facts.bands}, "band")
        if isinstance(fault, HeaterFault):
            tubes = {h.tube for h in facts.circuit.heaters.heaters}
            _one_of(f"{where}.tube", fault.tube, tubes, "heater")
        if isinstance(fault, FilterFault) and fault.place >= nodes:
            raise BadInput(
                f"{where}.place", str(fault.place), f"is beyond the {nodes} filter nodes", "0"
            )
        if isinstance(fault, PartFault):
            blocks = {b.key for b in diagram_of(facts).blocks}
            _one_of(f"{where}.block", fault.block, blocks, "block")
        if isinstance(fault, SeatFault):
            boards = {b.board for b in diagram_of(facts).blocks if b.board}
            _one_of(f"{where}.board", fault.board, boards, "board")
        if isinstance(fault, WindingFault):
            _one_of(f"{where}.winding", fault.winding, {w.key for w in facts.windings}, "winding")
        if isinstance(fault, RectifierFault) and (fault.half_dead or fault.half_age > 1.0):
            supply = facts.supply
            field, shown = "half_dead", "true"
            if not fault.half_dead:
                field, shown = "half_age", f"{fault.half_age:g}"
            if supply is None or not supply.topology.full_wave:
                raise BadInput(f"{where}.{field}", shown, "wants a full-wave rectifier", '"age": 3')
        if isinstance(fault, CapacitorFault) and fault.part == "screen bypass":
            _has_screen(where, stages[fault.stage])


def _has_screen(where: str, stage: AmplifierStage) -> None:
    if stage.device is not Device.PENTODE:
        raise BadInput(f"{where}.part", stage.name, "has no screen to bypass", "coupling")


def _one_of(place: str, name: str, known: set[str], what: str) -> None:
    if name not in known:
        listed = ", ".join(sorted(known)[:12]) or "none"
        raise BadInput(place, name, f"is no {what} of this model: {listed}", min(known, default=""))


def neglected(
    facts: ReceiverFacts, seed: int, *, severity: float = 1.0, settled_bands: tuple[str, ...] = ()
) -> Condition:
    """A set that has stood for decades and been meddled with, drawn from ``seed``.

    ``severity`` scales the misalignment; bands in ``settled_bands`` were left nearly right.
    """
    rng = np.random.default_rng(seed)
    spread = {
        AdjusterKind.TRIMMER: TRIMMER_TURNS,
        AdjusterKind.PADDER: PADDER_TURNS,
        AdjusterKind.CORE: CORE_TURNS,
    }
    if_cores = set(facts.if_adjusters())
    calm = {key for band in facts.bands if band.key in settled_bands for key in band.own_adjusters}
    vhf = {k for b in facts.bands if b.low_hz >= VHF_HZ for k in b.own_adjusters}
    turns: dict[str, float] = {}
    for adjuster in facts.adjusters:
        reach = IF_TURNS if adjuster.key in if_cores else spread[adjuster.kind]
        # at least a third of the reach: a neglected set is never right by luck
        sign = 1.0 if rng.random() < 0.5 else -1.0
        amount = sign * reach * severity * rng.uniform(0.35, 1.0)
        turns[adjuster.key] = round(float(amount) * (0.06 if adjuster.key in calm else 1.0), 4)
    return Condition(
        seed=seed,
        turns=turns,
        drift={
            a.key: round(float(rng.normal(0.0, VHF_DRIFT if a.key in vhf else DRIFT)), 5)
            for a in facts.adjusters
        },
        gang_wander=round(float(rng.uniform(0.005, 0.010)), 5),
        gang_phase=round(float(rng.uniform(0.0, 6.28)), 4),
        emission=round(float(rng.uniform(0.5, 0.7)), 4),
        filters=round(float(rng.uniform(0.8, 1.05)), 4),
        load=round(float(rng.uniform(0.95, 1.05)), 4),
        backlash=round(float(rng.uniform(0.0002, 0.0006)), 6),
        line_ohm=round(float(rng.uniform(0.3, 1.5)), 3),
    )


def leak_or_never(leak_ohm: float | None) -> float:
    """A leakage as a resistance; infinite where none is given."""
    return math.inf if leak_ohm is None else leak_ohm


def mended(condition: Condition, block: Block) -> Condition:
    """The condition after all that was wrong in a block was put right; a connector's board sits
    home."""
    kept = tuple(f for f in condition.faults if not _inside(f, block))
    return replace(condition, faults=kept)


def _inside(fault: Fault, block: Block) -> bool:
    if isinstance(fault, PartFault):
        return fault.block == block.key
    if isinstance(fault, SeatFault):
        return block.kind is BlockKind.CONNECTOR and fault.board == block.board
    if isinstance(fault, DeviceFault | CapacitorFault | ResistorFault):
        return fault.stage in block.stages
    if isinstance(fault, SwitchFault):
        return bool(block.used_in) and block.used_in[0].startswith(f"{fault.band} ")
    return False


def renewed(condition: Condition, part: Part, filter_place: int) -> Condition:
    """The condition after a part was renewed: what was wrong with it is gone.

    ``filter_place`` is the node of a filter capacitor, 0 the reservoir.
    """
    kept = tuple(f for f in condition.faults if not _was_of(f, part, filter_place))
    changed = replace(condition, faults=kept)
    if part.use is PartUse.FIRST_FILTER:
        changed = replace(changed, filters=1.0)
    if part.is_resistor and part.name in ("ballast", "dropper"):
        changed = replace(changed, dropper=1.0)
    return changed


CAPACITOR_PLACES = {
    PartUse.OUTPUT_COUPLING: "coupling",
    PartUse.SCREEN: "screen bypass",
    PartUse.CATHODE: "cathode bypass",
}


def _was_of(fault: Fault, part: Part, filter_place: int) -> bool:
    if isinstance(fault, FilterFault):
        is_filter = part.use in (PartUse.FIRST_FILTER, PartUse.FILTER)
        return is_filter and fault.place == filter_place
    if isinstance(fault, CapacitorFault):
        return CAPACITOR_PLACES.get(part.use) == fault.part
    return False
