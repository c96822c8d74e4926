"""Stand-alone computations as stateless calls, for scripts and notebooks."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body
from glowdial.core.bench.watch import guard_of
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import BY_NAME, echo, parse
from glowdial.core.physics.noise_ratio import NoiseReading, sensitivity_v
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.physics.tracking import (
    Gang,
    TrimmerPlace,
    check_inside,
    signal_circuit,
    three_point,
)
from glowdial.core.stages.dial.curve import DialCurve, DialMark
from glowdial.sheets.facts import supply_of
from glowdial.sheets.receiver import SupplySheet

router = APIRouter(prefix="/api/calc", tags=["calc"])


class QuantityRequest(Body):
    text: str = Field(max_length=60, examples=["0.033u"])
    quantity: str = Field(examples=["capacitance"])


class QuantityAnswer(BaseModel):
    value: float
    unit: str
    echo: str


@router.post("/quantity", operation_id="calcQuantity")
def calc_quantity(body: QuantityRequest) -> QuantityAnswer:
    """Read a quantity as people write it."""
    quantity = BY_NAME.get(body.quantity)
    if quantity is None:
        raise BadInput("quantity", body.quantity, f"must be one of {', '.join(BY_NAME)}", "IF")
    value = parse(body.text, quantity, body.quantity)
    return QuantityAnswer(value=value, unit=quantity.base, echo=echo(value, quantity))


class GuardRequest(Body):
    guard: str = Field(max_length=40, examples=["b-plus"])
    low: str = Field(max_length=40, default="", examples=["180"])
    high: str = Field(max_length=40, examples=["260"])


class GuardAnswer(BaseModel):
    """A guard reading's limits as they were read."""

    words: str


@router.post("/guard", operation_id="calcGuard")
def calc_guard(body: GuardRequest) -> GuardAnswer:
    """Whether a guard reading can be watched between limits as typed, and how they were read."""
    return GuardAnswer(words=guard_of(body.guard, body.low, body.high).words)


class TrackingRequest(Body):
    gang_minimum_f: float = Field(gt=0, le=1e-8, examples=[12e-12])
    gang_maximum_f: float = Field(gt=0, le=1e-8, examples=[430e-12])
    low_hz: float = Field(ge=1e4, le=1.5e8, examples=[530e3])
    high_hz: float = Field(ge=1e4, le=1.5e8, examples=[1620e3])
    intermediate_frequency_hz: float = Field(ge=5e4, le=2e7, examples=[465e3])
    points_hz: tuple[float, float, float] = Field(examples=[(600e3, 1000e3, 1400e3)])
    trimmer_place: TrimmerPlace = TrimmerPlace.ACROSS_GANG
    oscillator_above: bool = True


class TrackingAnswer(BaseModel):
    signal_inductance_h: float
    signal_trimmer_f: float
    oscillator_inductance_h: float
    oscillator_trimmer_f: float
    oscillator_padder_f: float
    signal_hz: list[float]
    error_hz: list[float]


@router.post("/tracking", operation_id="calcTracking")
def calc_tracking(body: TrackingRequest) -> TrackingAnswer:
    """Three-point tracking and its error over the band at 41 frequencies."""
    check_inside(body.points_hz, body.low_hz, body.high_hz)
    gang = Gang(body.gang_minimum_f, body.gang_maximum_f)
    signal = signal_circuit(gang, body.low_hz, body.high_hz)
    band = three_point(
        signal,
        body.intermediate_frequency_hz,
        body.points_hz,
        place=body.trimmer_place,
        high_side=body.oscillator_above,
    )
    grid = [body.low_hz + (body.high_hz - body.low_hz) * n / 40 for n in range(41)]
    return TrackingAnswer(
        signal_inductance_h=signal.inductance_h,
        signal_trimmer_f=signal.trimmer_f,
        oscillator_inductance_h=band.oscillator.inductance_h,
        oscillator_trimmer_f=band.oscillator.trimmer_f,
        oscillator_padder_f=band.oscillator.padder_f,
        signal_hz=grid,
        error_hz=[float(band.error_hz(f)) for f in grid],
    )


SUPPLY_EXAMPLE = {
    "source": "service manual",
    "line_v": 230.0,
    "line_hz": 50.0,
    "topology": "full-wave, centre tap",
    "secondary_v": 300.0,
    "source_ohm": 220.0,
    "rectifier": {"kind": "vacuum", "drop_v": 55.0, "drop_current_a": 0.125},
    "reservoir_f": 16e-6,
    "filters": [{"resistance_ohm": 1200.0, "capacitance_f": 16e-6}],
    "load_current_a": 0.062,
    "load_nominal_v": 235.0,
}


class SupplyRequest(Body):
    supply: SupplySheet = Field(examples=[SUPPLY_EXAMPLE])
    line_v: float = Field(ge=0, le=1000, examples=[230.0])
    emission: float = Field(default=1.0, ge=0, le=2)
    warmth: float = Field(default=1.0, ge=0, le=1)


class SupplyAnswer(BaseModel):
    node_v: list[float]
    ripple_v: list[float]
    rectifier_rms_a: float
    rectifier_peak_a: float
    load_a: float


@router.post("/supply", operation_id="calcSupply")
def calc_supply(body: SupplyRequest) -> SupplyAnswer:
    """Settled B+ at every filter node, ripple and rectifier current at one line voltage."""
    point = steady_state(
        supply_of(body.supply), body.line_v, emission=body.emission, warmth=body.warmth
    )
    return SupplyAnswer(
        node_v=list(point.node_v),
        ripple_v=list(point.ripple_v),
        rectifier_rms_a=point.rectifier_rms_a,
        rectifier_peak_a=point.rectifier_peak_a,
        load_a=point.load_a,
    )


class DialRequest(Body):
    dial_hz: list[float] = Field(min_length=2, max_length=100, examples=[[6e5, 1e6, 1.4e6]])
    true_hz: list[float] = Field(min_length=2, max_length=100, examples=[[602e3, 1e6, 1.396e6]])
    at_hz: float = Field(ge=1e4, le=1.5e8, examples=[800e3])


class DialAnswer(BaseModel):
    correction_hz: float
    true_hz: float
    worst_dial_hz: float
    worst_error_hz: float


@router.post("/dial", operation_id="calcDial")
def calc_dial(body: DialRequest) -> DialAnswer:
    """Correction of a dial reading from marks that were read."""
    if len(body.dial_hz) != len(body.true_hz):
        raise BadInput("true_hz", f"{len(body.true_hz)} values", "must be one per mark", "3 and 3")
    marks = zip(body.dial_hz, body.true_hz, strict=True)
    curve = DialCurve(tuple(DialMark(d, t) for d, t in marks))
    curve.check_within(body.at_hz)
    correction = float(curve.correction_hz(body.at_hz))
    worst = curve.worst()
    return DialAnswer(
        correction_hz=correction,
        true_hz=body.at_hz + correction,
        worst_dial_hz=worst.dial_hz,
        worst_error_hz=worst.error_hz,
    )


class SensitivityRow(Body):
    level_v: float = Field(gt=0, le=10, examples=[25e-6])
    tone_on_v: float = Field(gt=0, le=200, examples=[0.92])
    tone_off_v: float = Field(gt=0, le=200, examples=[0.29])


class SensitivityRequest(Body):
    readings: list[SensitivityRow] = Field(min_length=1, max_length=100)


class SensitivityAnswer(BaseModel):
    ratio_db: list[float]
    sensitivity_v: float | None


@router.post("/sensitivity", operation_id="calcSensitivity")
def calc_sensitivity(body: SensitivityRequest) -> SensitivityAnswer:
    """Level for 10 dB (S+N)/N from readings with the tone on and off; null when not enclosed."""
    rows = tuple(NoiseReading(r.level_v, r.tone_on_v, r.tone_off_v) for r in body.readings)
    return SensitivityAnswer(ratio_db=[r.ratio_db for r in rows], sensitivity_v=sensitivity_v(rows))
