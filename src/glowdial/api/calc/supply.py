"""Stateless computations of bring-up: discharge, series resistor, what ails a supply."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body
from glowdial.api.calc.general import SUPPLY_EXAMPLE
from glowdial.core.physics.supply.discharge import discharge_time_s, discharge_words
from glowdial.core.physics.supply.limiter import Lamp
from glowdial.core.physics.supply.series_resistor import (
    LoadKind,
    ResistorChoice,
    ResistorPlace,
    ResistorReading,
    resistor_choices,
    series_resistor,
)
from glowdial.core.stages.bring_up.supply_causes import SupplyReading
from glowdial.core.stages.bring_up.supply_diagnosis import diagnose
from glowdial.sheets.circuit import HeatersSheet
from glowdial.sheets.circuit_facts import heaters_of
from glowdial.sheets.facts import supply_of
from glowdial.sheets.receiver import SupplySheet

router = APIRouter(prefix="/api/calc", tags=["calc"])


class DischargeRequest(Body):
    supply: SupplySheet = Field(examples=[{**SUPPLY_EXAMPLE, "bleeder_ohm": 150e3}])


class DischargeAnswer(BaseModel):
    """Seconds to below 30 V; -1 when nothing discharges the capacitors."""

    seconds: float
    words: str


@router.post("/discharge", operation_id="calcDischarge")
def calc_discharge(body: DischargeRequest) -> DischargeAnswer:
    """How long the filter capacitors stay dangerous, from the whole network."""
    supply = supply_of(body.supply)
    seconds = discharge_time_s(supply)
    return DischargeAnswer(
        seconds=-1.0 if seconds is None else seconds, words=discharge_words(supply)
    )


class LampRequest(Body):
    lamp_w: float = Field(gt=0, le=2000, examples=[60.0])
    lamp_v: float = Field(gt=0, le=400, examples=[230.0])
    current_a: float = Field(gt=0, le=20, examples=[0.12])


class LampAnswer(BaseModel):
    volts: float


@router.post("/lamp", operation_id="calcLamp")
def calc_lamp(body: LampRequest) -> LampAnswer:
    """What a series lamp takes at a current: I ~ V^0.55 of its rating."""
    return LampAnswer(volts=Lamp(body.lamp_w, body.lamp_v).volts_at(body.current_a))


class ResistorRow(Body):
    resistance_ohm: float = Field(ge=0, le=1e6, examples=[470.0])
    b_plus_v: float = Field(gt=0, le=2000, examples=[242.0])


class ResistorRequest(Body):
    readings: list[ResistorRow] = Field(
        min_length=2,
        max_length=20,
        examples=[
            [
                {"resistance_ohm": 0.0, "b_plus_v": 268.0},
                {"resistance_ohm": 680.0, "b_plus_v": 215.0},
            ]
        ],
    )
    target_v: float = Field(gt=0, le=2000, examples=[235.0])
    place: ResistorPlace = Field(examples=["behind the reservoir"])
    load: LoadKind = Field(examples=["resistive"])
    supply: SupplySheet = Field(examples=[SUPPLY_EXAMPLE])


class ResistorChoiceRow(BaseModel):
    values_ohm: list[float]
    b_plus_v: float
    dissipation_w: float
    rating_w: float
    words: str


class ResistorAnswer(BaseModel):
    try_ohm: float
    predicted_v: float
    final: bool
    words: str
    choices: list[ResistorChoiceRow]


@router.post("/series-resistor", operation_id="calcSeriesResistor")
def calc_series_resistor(body: ResistorRequest) -> ResistorAnswer:
    """The series resistor that brings B+ to a target, and standard values with their heat."""
    readings = tuple(ResistorReading(r.resistance_ohm, r.b_plus_v) for r in body.readings)
    supply = supply_of(body.supply)
    advice = series_resistor(readings, body.target_v, body.place, body.load, supply)
    offered: tuple[ResistorChoice, ...] = ()
    if advice.final and advice.try_ohm > 0.0:
        offered = resistor_choices(supply, supply.line_v, advice.try_ohm, body.target_v, body.place)
    return ResistorAnswer(
        try_ohm=advice.try_ohm,
        predicted_v=advice.predicted_v,
        final=advice.final,
        words=advice.words,
        choices=[
            ResistorChoiceRow(
                values_ohm=list(c.values_ohm),
                b_plus_v=c.b_plus_v,
                dissipation_w=c.dissipation_w,
                rating_w=c.rating_w,
                words=c.words,
            )
            for c in offered
        ],
    )


class DiagnosisRow(Body):
    line_v: float = Field(gt=0, le=1000, examples=[230.0])
    node_v: list[float | None] = Field(min_length=1, max_length=5, examples=[[262.0, 203.0]])
    ripple_v: list[float | None] = Field(default_factory=list, max_length=5, examples=[[14.0, 1.2]])
    line_a: float | None = Field(default=None, ge=0, le=50)


class DiagnosisRequest(Body):
    supply: SupplySheet = Field(examples=[SUPPLY_EXAMPLE])
    readings: list[DiagnosisRow] = Field(min_length=1, max_length=8)
    heaters: HeatersSheet | None = Field(
        default=None, description="for what they draw of a line current that was read"
    )


class SuspicionRow(BaseModel):
    cause: str
    probability: float
    severity: float
    words: str


class DiagnosisAnswer(BaseModel):
    suspicions: list[SuspicionRow]
    next_measurement: str
    rectifier_ohm: float
    healthy_ohm: float


@router.post("/supply-diagnosis", operation_id="calcSupplyDiagnosis")
def calc_supply_diagnosis(body: DiagnosisRequest) -> DiagnosisAnswer:
    """What ails a supply, from up to eight settled readings of its nodes and ripple."""
    rows = tuple(
        SupplyReading(r.line_v, tuple(r.node_v), tuple(r.ripple_v), r.line_a) for r in body.readings
    )
    found = diagnose(supply_of(body.supply), rows, heaters_of(body.heaters))
    return DiagnosisAnswer(
        suspicions=[
            SuspicionRow(
                cause=s.cause, probability=s.probability, severity=s.severity, words=s.words
            )
            for s in found.suspicions
        ],
        next_measurement=found.next_measurement,
        rectifier_ohm=found.rectifier_ohm,
        healthy_ohm=found.healthy_ohm,
    )
