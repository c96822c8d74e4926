"""Stateless sums at the bench: a ramp's step, leak or overload, loading, heaters, parts."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body
from glowdial.api.calc.general import SUPPLY_EXAMPLE
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.physics.supply.line_current import heater_volts
from glowdial.core.stages.bring_up.excess_current import Excess, decide_excess
from glowdial.core.stages.bring_up.stop_rules import look_at
from glowdial.core.stages.bring_up.voltage_chart import ChartLine
from glowdial.core.stages.cold.steps import bridged_hz
from glowdial.core.stages.parts.needs import need_of
from glowdial.core.stages.parts.substitutes import substitutes
from glowdial.sheets.circuit import HeatersSheet
from glowdial.sheets.circuit_facts import heaters_of
from glowdial.sheets.facts import supply_of
from glowdial.sheets.receiver import SupplySheet

router = APIRouter(prefix="/api/calc", tags=["calc"])
HEATERS_EXAMPLE = {
    "heaters": [
        {"tube": "V1", "volts": 14.0, "amperes": 0.1},
        {"tube": "V4", "volts": 45.0, "amperes": 0.1},
        {"tube": "V5", "volts": 31.0, "amperes": 0.1},
    ],
    "in_series": True,
    "dropper_ohm": 1400.0,
}


class RampStepRequest(Body):
    supply: SupplySheet = Field(examples=[SUPPLY_EXAMPLE])
    heaters: HeatersSheet | None = None
    ac_v: float = Field(gt=0, le=1000, examples=[195.0])
    b_plus_v: float | None = Field(default=None, ge=-2000, le=5000, examples=[187.0])
    line_a: float | None = Field(default=None, ge=0, le=50)
    lamp_w: float | None = Field(default=None, gt=0, le=2000)


class RampStepAnswer(BaseModel):
    """The expectation at one AC voltage; -1 where it cannot be told without the heaters."""

    low_v: float
    high_v: float
    nominal_v: float
    ripple_v: list[float]
    line_a: float
    behind_lamp_v: float
    phase: str
    verdict: str
    words: str
    stop: list[str]


@router.post("/ramp-step", operation_id="calcRampStep")
def calc_ramp_step(body: RampStepRequest) -> RampStepAnswer:
    """B+, ripple and line current to expect at one AC voltage, and what a reading there means."""
    found = look_at(
        supply_of(body.supply),
        heaters_of(body.heaters),
        body.ac_v,
        b_plus_v=body.b_plus_v,
        line_a=body.line_a,
        lamp_w=body.lamp_w,
    )
    window = found.expected.window
    return RampStepAnswer(
        low_v=window.low or 0.0,
        high_v=window.high or 0.0,
        nominal_v=window.nominal or 0.0,
        ripple_v=list(found.expected.point.ripple_v),
        line_a=known_or_less(found.line_a),
        behind_lamp_v=known_or_less(found.behind_lamp_v),
        phase=found.expected.phase.value,
        verdict=found.judged.verdict.value,
        words=found.judged.words,
        stop=list(found.stop),
    )


def known_or_less(value: float | None) -> float:
    """-1 for what cannot be told."""
    return -1.0 if value is None else value


class ExcessRequest(Body):
    supply: SupplySheet = Field(examples=[SUPPLY_EXAMPLE])
    extra: float = Field(gt=0, le=20, examples=[0.8], description="share of the nominal load")
    before_v: float | None = Field(default=None, gt=0, le=5000, examples=[201.0])
    after_v: float | None = Field(default=None, gt=0, le=5000, examples=[203.0])
    lifted_v: float | None = Field(default=None, gt=0, le=5000, examples=[418.0])


class ExcessAnswer(BaseModel):
    kind: Excess
    leak_probability: float
    words: str


@router.post("/excess-current", operation_id="calcExcessCurrent")
def calc_excess_current(body: ExcessRequest) -> ExcessAnswer:
    """A leak at the reservoir or an overload: by B+ five minutes apart, or by a lifted lead."""
    found = decide_excess(
        supply_of(body.supply),
        body.extra,
        before_v=body.before_v,
        after_v=body.after_v,
        lifted_v=body.lifted_v,
    )
    return ExcessAnswer(kind=found.kind, leak_probability=found.leak_probability, words=found.words)


class LoadingRequest(Body):
    volts: float = Field(ge=-5000, le=5000, examples=[96.0], description="without a meter on it")
    source_ohm: float = Field(ge=0, le=1e9, examples=[150e3])
    meter_ohm: float = Field(gt=0, le=1e12, examples=[250e3])
    line_share: float = Field(default=1.0, gt=0, le=2, description="of nominal line")
    tolerance: float = Field(default=0.2, gt=0, le=1)


class LoadingAnswer(BaseModel):
    read_v: float
    low_v: float
    high_v: float


@router.post("/meter-loading", operation_id="calcMeterLoading")
def calc_meter_loading(body: LoadingRequest) -> LoadingAnswer:
    """What a meter reads behind a resistance, and its window, scaled to the line."""
    line = ChartLine("", "", "", body.volts, body.source_ohm, body.tolerance, from_sheet=False)
    window = line.window(body.line_share, body.meter_ohm)
    return LoadingAnswer(
        read_v=line.read_v(body.line_share, body.meter_ohm),
        low_v=window.low or 0.0,
        high_v=window.high or 0.0,
    )


class HeaterChartRequest(Body):
    heaters: HeatersSheet = Field(examples=[HEATERS_EXAMPLE])
    set_v: float = Field(gt=0, le=1000, examples=[223.0])
    nominal_v: float = Field(gt=0, le=1000, examples=[230.0])


class HeaterChartAnswer(BaseModel):
    volts: dict[str, float]


@router.post("/heater-chart", operation_id="calcHeaterChart")
def calc_heater_chart(body: HeaterChartRequest) -> HeaterChartAnswer:
    """Volts across every heater, settled: a string shares the line by its own curve."""
    heaters = heaters_of(body.heaters)
    volts = heater_volts(heaters, body.set_v, body.nominal_v)
    names = [h.tube for h in heaters.heaters]
    return HeaterChartAnswer(volts=dict(zip(names, volts, strict=True)))


class BridgeRequest(Body):
    resonance_hz: float = Field(gt=1e3, le=1e9, examples=[465e3])
    capacitance_f: float = Field(gt=1e-13, le=1e-6, examples=[115e-12])
    bridge_f: float = Field(gt=0, le=1e-6, examples=[2e-12])


class BridgeAnswer(BaseModel):
    frequency_hz: float
    pull_hz: float


@router.post("/bridge-pull", operation_id="calcBridgePull")
def calc_bridge_pull(body: BridgeRequest) -> BridgeAnswer:
    """Where a can stands with a small capacitor bridged beside it."""
    found = bridged_hz(body.resonance_hz, body.capacitance_f, body.bridge_f)
    return BridgeAnswer(frequency_hz=found, pull_hz=found - body.resonance_hz)


class PartNeedRequest(Body):
    kind: PartKind = Field(examples=["electrolytic"])
    use: PartUse = Field(examples=["first filter"])
    value: float = Field(gt=0, le=1e9, examples=[16e-6], description="F, or ohm")
    volts: float | None = Field(default=None, gt=0, le=5000, examples=[450.0])
    watts: float | None = Field(default=None, gt=0, le=200)
    dissipation_w: float | None = Field(default=None, ge=0, le=200)
    most_f: float | None = Field(default=None, gt=0, le=1, examples=[3.2e-5])
    supply: SupplySheet | None = Field(default=None, examples=[SUPPLY_EXAMPLE])
    transformer: bool = True


class PartNeedAnswer(BaseModel):
    low: float
    high: float
    rating: float
    safety: str
    words: str
    proposals: list[str]


@router.post("/part-need", operation_id="calcPartNeed")
def calc_part_need(body: PartNeedRequest) -> PartNeedAnswer:
    """What takes a part's place must be, and standard values that would do."""
    part = Part(
        ref="part",
        name=body.use.value,
        kind=body.kind,
        use=body.use,
        value=body.value,
        volts=body.volts,
        watts=body.watts,
        dissipation_w=body.dissipation_w,
        most_f=body.most_f,
    )
    supply = supply_of(body.supply) if body.supply else None
    need = need_of(part, supply, transformer=body.transformer)
    return PartNeedAnswer(
        low=need.wanted.value * (1.0 - need.wanted.below),
        high=need.wanted.value * (1.0 + need.wanted.above),
        rating=need.wanted.rating,
        safety=need.safety,
        words=need.words(part),
        proposals=[s.words for s in substitutes(part, need, ())],
    )
