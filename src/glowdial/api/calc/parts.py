"""Stateless computations of the cold checks and of parts."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body
from glowdial.core.physics.combinations import Stocked, Wanted
from glowdial.core.physics.ohmmeter import OhmmeterKind, OhmRange
from glowdial.core.stages.cold.filament_ranges import safest_range
from glowdial.core.stages.cold.windings import winding
from glowdial.core.stages.parts.marking import marked_capacitors, mica_dots, resistor_bands
from glowdial.core.stages.parts.substitutes import StockChoice, choice_from_stock

router = APIRouter(prefix="/api/calc", tags=["calc"])


class OhmRangeRow(Body):
    name: str = Field(max_length=40, examples=["R x 1"])
    kind: OhmmeterKind = Field(examples=["series"])
    open_v: float = Field(gt=0, le=1000, examples=[1.5])
    short_a: float = Field(gt=0, le=10, examples=[0.15])


class FilamentRequest(Body):
    meter: str = Field(max_length=60, examples=["old ohmmeter"])
    ranges: list[OhmRangeRow] = Field(min_length=1, max_length=20)
    filament_v: float = Field(gt=0, le=250, examples=[2.0])
    filament_a: float = Field(gt=0, le=10, examples=[0.06])


class FilamentAnswer(BaseModel):
    use: str
    danger: str
    words: list[str]


@router.post("/filament", operation_id="calcFilament")
def calc_filament(body: FilamentRequest) -> FilamentAnswer:
    """Which of a meter's resistance ranges may touch a filament."""
    ranges = [OhmRange(r.name, r.kind, r.open_v, r.short_a) for r in body.ranges]
    best, every = safest_range([(body.meter, ranges)], body.filament_v, body.filament_a)
    return FilamentAnswer(use=best.range_name, danger=best.risk, words=[v.words for v in every])


class WindingRequest(Body):
    measured_ohm: float = Field(ge=0, le=1e9, examples=[3.4])
    sheet_ohm: float = Field(gt=0, le=1e9, examples=[3.2])
    temperature_c: float = Field(default=20.0, examples=[23.0])
    leads_ohm: float = Field(default=0.0, ge=0, le=100, examples=[0.1])


class WindingAnswer(BaseModel):
    corrected_ohm: float
    inside: bool
    words: str


@router.post("/winding", operation_id="calcWinding")
def calc_winding(body: WindingRequest) -> WindingAnswer:
    """A winding's resistance at 20 degrees, leads taken off, against the sheet."""
    found = winding(
        body.measured_ohm,
        body.sheet_ohm,
        temperature_c=body.temperature_c,
        leads_ohm=body.leads_ohm,
    )
    return WindingAnswer(corrected_ohm=found.corrected_ohm, inside=found.inside, words=found.words)


class MarkingRequest(Body):
    text: str = Field(max_length=80, examples=["20+20 MFD 450V"])
    kind: Literal["capacitor", "bands", "mica dots"] = Field(examples=["capacitor"])


class MarkedRow(BaseModel):
    value: float
    tolerance: float | None
    volts: float | None


class MarkingAnswer(BaseModel):
    sections: list[MarkedRow]


@router.post("/marking", operation_id="calcMarking")
def calc_marking(body: MarkingRequest) -> MarkingAnswer:
    """A value as it is marked on an old part: printed, by bands, or by dots on mica."""
    if body.kind == "capacitor":
        found = marked_capacitors(body.text)
    else:
        found = ((resistor_bands if body.kind == "bands" else mica_dots)(body.text),)
    rows = [MarkedRow(value=m.value, tolerance=m.tolerance, volts=m.volts) for m in found]
    return MarkingAnswer(sections=rows)


class OfferedPart(Body):
    value: float = Field(gt=0, le=1e12, examples=[22e-6])
    rating: float = Field(gt=0, le=1e5, examples=[450.0], description="V of a capacitor, else W")
    count: int = Field(default=1000, ge=0, le=100_000)


class PartRequest(Body):
    kind: Literal["capacitor", "resistor"] = Field(examples=["capacitor"])
    value: float = Field(gt=0, le=1e12, examples=[32e-6])
    below: float = Field(default=0.2, ge=0, lt=1, description="window below, as a share")
    above: float = Field(default=0.5, ge=0, le=10)
    rating: float = Field(gt=0, le=1e5, examples=[350.0], description="V, or W twice dissipated")
    stock: list[OfferedPart] = Field(min_length=1, max_length=400)


class PartAnswer(BaseModel):
    lines: list[int]
    joined: str
    value: float
    inside: bool
    nearest_standard: float

    @classmethod
    def of(cls, chosen: StockChoice) -> PartAnswer:
        """From the rules' choice; empty where nothing carries the rating."""
        found = chosen.proposal
        return cls(
            lines=list(found.lines) if found else [],
            joined=found.joined if found else "",
            value=found.value if found else 0.0,
            inside=found.inside if found else False,
            nearest_standard=chosen.nearest_standard,
        )


@router.post("/part", operation_id="calcPart")
def calc_part(body: PartRequest) -> PartAnswer:
    """What replaces a part from stock: fewest parts inside the window, then nearest by ratio.
    ``lines`` are places in the stock, empty when nothing there carries the rating."""
    wanted = Wanted(body.value, body.below, body.above, body.rating)
    stock = [Stocked(s.value, s.rating, s.count) for s in body.stock]
    return PartAnswer.of(choice_from_stock(wanted, stock, resistor=body.kind == "resistor"))
