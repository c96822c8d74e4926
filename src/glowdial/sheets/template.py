"""A sheet from the commonest circuit, with only what the owner's service data gives filled in.

The commonest circuit: converter, two IF transformers with four cores, diode detector with AVC,
output, and a mains supply; per band an oscillator trimmer, a padder and an aerial trimmer.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from glowdial.core.model.circuit import AerialKind, FmKind
from glowdial.core.model.facts import VHF_HZ, Microvolts
from glowdial.core.physics.supply.circuit import RectifierKind, Topology, Waveform
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.safety.cautions import Trait
from glowdial.sheets.circuit import (
    AerialSheet,
    CircuitSheet,
    ConversionSheet,
    FmSheet,
    HeaterSheet,
    HeatersSheet,
)
from glowdial.sheets.receiver import (
    AdjusterSheet,
    Chassis,
    Devices,
    FilterSheet,
    OtherIfSheet,
    ReceiverSheet,
    RectifierSheet,
    SensitivitySheet,
    SlugRackSheet,
    SupplySheet,
    TransformerSheet,
    Tube,
)
from glowdial.sheets.section import Section, Source

FM = "FM"
WINDINGS = ("primary", "secondary")
BROADCAST_MARKS = (0.06, 0.27, 0.5, 0.73, 0.94)
LOW_MARK, HIGH_MARK = BROADCAST_MARKS[0], BROADCAST_MARKS[-1]
# a slug drawn out, and how much further a rack goes than its widest band wants
RACK_LEAST_H, RACK_SPARE = 12e-6, 1.4


class LowEnd(StrEnum):
    """What adjusts the oscillator at the low end of a band."""

    PADDER = "padder"
    CORE = "core"
    NOTHING = "nothing"


class TunedBy(StrEnum):
    """What the tuning knob moves."""

    GANG = "gang capacitor"
    SLUGS = "rack of slugs"


class TemplateBand(Section):
    """A band as the dial shows it; marks and tolerance when the alignment table gives them."""

    name: str = Field(min_length=1, max_length=40, examples=["Broadcast"])
    low_hz: float = Field(ge=1e4, le=1.5e8, examples=[540_000.0])
    high_hz: float = Field(ge=1e4, le=1.5e8, examples=[1_600_000.0])
    high_mark_hz: float | None = Field(default=None, ge=1e4, le=1.5e8)
    low_mark_hz: float | None = Field(default=None, ge=1e4, le=1.5e8)
    low_end: LowEnd = LowEnd.PADDER
    oscillator_above: bool = True
    cut_plates: bool = False
    first_oscillator_hz: float = Field(default=0.0, ge=0, le=1.5e8, description="fixed; 0 for none")
    before_mixer: int = Field(default=1, ge=1, le=3, description="tuned circuits before the mixer")

    @property
    def is_fm(self) -> bool:
        """Whether it is a VHF broadcast band."""
        return self.low_hz >= VHF_HZ

    @property
    def one_core(self) -> bool:
        """Whether a core alone sets its oscillator, as in most FM front ends."""
        return self.is_fm and self.low_end is not LowEnd.CORE


class TemplateSupply(Section):
    """The few figures of a supply with two filter capacitors, or of a battery."""

    topology: Topology = Topology.CENTRE_TAP
    waveform: Waveform = Waveform.SINE
    other_half_f: float | None = Field(default=None, gt=0, le=1, description="of a doubler")
    input_choke_h: float = Field(default=0.0, ge=0, le=1000)
    filter_choke_h: float = Field(default=0.0, ge=0, le=1000)
    tap_a: float = Field(default=0.0, ge=0, le=5, description="drawn at the reservoir itself")

    secondary_v: float = Field(gt=0, le=2000, description="RMS of one half, unloaded")
    source_ohm: float = Field(default=250.0, gt=0, le=1e5)
    rectifier: RectifierKind = RectifierKind.VACUUM
    rectifier_drop_v: float = Field(default=50.0, gt=0, le=1000)
    rectifier_drop_current_a: float = Field(default=0.1, gt=0, le=10)
    reservoir_f: float = Field(default=16e-6, gt=0, le=1)
    filter_ohm: float = Field(default=1000.0, gt=0, le=1e6)
    filter_f: float = Field(default=16e-6, gt=0, le=1)
    b_plus_v: float = Field(gt=0, le=2000, description="B+ at the last filter capacitor")
    b_plus_current_a: float = Field(gt=0, le=5)
    line_hz: float = Field(default=50.0, ge=16, le=500)


class TemplateRequest(Section):
    """What is known; maker, model, IF and one band are enough to begin."""

    maker: str = Field(min_length=1, max_length=80)
    model: str = Field(min_length=1, max_length=80)
    chassis: Chassis = Chassis.MAINS_TRANSFORMER
    intermediate_frequency_hz: float = Field(ge=5e4, le=2e7, examples=[455_000.0])
    fm_intermediate_hz: float = Field(default=0.0, ge=0, le=2e7, description="0 without FM")
    first_intermediate_hz: float = Field(
        default=0.0, ge=0, le=1e8, description="of a set that converts twice; 0 for once"
    )
    tuned_by: TunedBy = TunedBy.GANG
    listens_with: AerialKind = AerialKind.WIRE
    bands: Annotated[list[TemplateBand], Field(min_length=1, max_length=10)]
    mains_v: float | None = Field(default=None, gt=0, le=1000)
    devices: Devices = Devices.TUBES
    line_up: list[Tube] = Field(default_factory=list, max_length=60)
    direct: list[str] = Field(default_factory=list, max_length=60)
    heaters_in_series: bool = False
    dropper_ohm: float = Field(default=0.0, ge=0, le=1e6)
    traits: list[Trait] = Field(default_factory=list, max_length=12)
    supply: TemplateSupply | None = None
    b_plus_resistance_ohm: float | None = Field(default=None, gt=0, le=1e9)
    sensitivity_emf_v: float | None = Field(default=None, gt=0, le=1)
    sensitivity_told_in: Microvolts = Microvolts.EMF
    sensitivity_source_ohm: float = Field(default=0.0, ge=0, le=10_000)


def sheet_from_template(request: TemplateRequest) -> ReceiverSheet:
    """The commonest circuit with the request's figures; raises pydantic's ValidationError."""
    document = {
        "format": "glowdial-sheet",
        "format_version": 1,
        "maker": request.maker.strip(),
        "model": request.model.strip(),
        "summary": "Made from the template of the commonest circuit.",
        "chassis": request.chassis,
        "mains_v": request.mains_v,
        "devices": request.devices,
        "line_up": request.line_up,
        "traits": _traits(request),
        "circuit": _circuit(request),
        "intermediate_frequency_source": Source.SERVICE_MANUAL,
        "intermediate_frequency_hz": request.intermediate_frequency_hz,
        "supply": _supply(request),
        "b_plus_resistance_ohm": request.b_plus_resistance_ohm,
        "if_transformers": [
            TransformerSheet(
                key=f"t{n}",
                name=f"IF transformer {n}",
                primary=f"t{n}-primary",
                secondary=f"t{n}-secondary",
            )
            for n in (1, 2)
        ],
        "other_ifs": _fm_if(request),
        "adjusters": _if_cores()
        + _fm_cores(request)
        + [
            a
            for i, b in enumerate(request.bands)
            for a in _band_parts(i, b, slugs=request.tuned_by is TunedBy.SLUGS)
        ],
        "slug_rack": _rack(request),
        "bands": [_band(i, b, fm=_beside_am(request)) for i, b in enumerate(request.bands)],
        "sensitivity": _sensitivity(request),
        "controls": ["volume", "tone", "band switch", "tuning"],
    }
    return ReceiverSheet.model_validate(document)


def _traits(request: TemplateRequest) -> list[Trait]:
    """A string is one also where no heater is listed."""
    series = [Trait.SERIES_STRING] if request.heaters_in_series else []
    return [*request.traits, *series]


def _circuit(request: TemplateRequest) -> CircuitSheet | None:
    """What is known beside the norms: heaters, aerial, an RF stage, an FM detector."""
    fm = _fm_detector() if all(b.is_fm for b in request.bands) else None
    heaters = _heaters(request)
    rf_stage = any(b.before_mixer > 1 for b in request.bands)
    conversion = _conversion(request)
    wire = request.listens_with is AerialKind.WIRE
    if not (heaters or fm or rf_stage or conversion) and wire:
        return None
    return CircuitSheet(
        source=Source.SERVICE_MANUAL,
        aerial=AerialSheet(kind=request.listens_with),
        fm=fm,
        rf_stage=rf_stage,
        conversion=conversion,
        heaters=heaters,
    )


def _conversion(request: TemplateRequest) -> ConversionSheet | None:
    """A first conversion, its second oscillator above the first IF as most are."""
    first_hz = request.first_intermediate_hz
    if not first_hz:
        return None
    second_hz = first_hz + request.intermediate_frequency_hz
    return ConversionSheet(first_intermediate_hz=first_hz, second_oscillator_hz=second_hz)


def _heaters(request: TemplateRequest) -> HeatersSheet | None:
    heaters = [
        HeaterSheet(
            tube=t.position,
            volts=t.heater_v or 0.0,
            amperes=t.heater_a or 0.0,
            direct=t.position in request.direct,
        )
        for t in request.line_up
        if t.heater_v and t.heater_a
    ]
    if not heaters:
        return None
    return HeatersSheet(
        heaters=heaters,
        in_series=request.heaters_in_series,
        dropper_ohm=request.dropper_ohm or _dropper_ohm(request, heaters),
    )


def _dropper_ohm(request: TemplateRequest, heaters: list[HeaterSheet]) -> float:
    """What the string leaves of the line, where nothing is given of a dropper or ballast."""
    if not request.heaters_in_series or request.mains_v is None:
        return 0.0
    left_v = request.mains_v - sum(h.volts for h in heaters)
    return max(left_v, 0.0) / heaters[0].amperes


def _if_cores() -> list[AdjusterSheet]:
    return [
        AdjusterSheet(
            key=f"t{n}-{winding}",
            name=f"T{n} {winding} core",
            kind=AdjusterKind.CORE,
            where=f"IF transformer {n}, {winding}",
            travel_turns=12,
        )
        for n in (1, 2)
        for winding in WINDINGS
    ]


def _beside_am(request: TemplateRequest) -> bool:
    """Whether FM is a second kind of signal: then it has an IF of its own."""
    return any(b.is_fm for b in request.bands) and not all(b.is_fm for b in request.bands)


def _fm_detector() -> FmSheet:
    return FmSheet(
        kind=FmKind.RATIO, primary="fm-detector-primary", secondary="fm-detector-secondary"
    )


def _fm_if(request: TemplateRequest) -> list[OtherIfSheet]:
    """Two more cans and a ratio detector, where FM stands beside AM."""
    if not _beside_am(request):
        return []
    cans = [
        TransformerSheet(
            key=f"f{n}",
            name=f"FM IF transformer {n}",
            primary=f"f{n}-primary",
            secondary=f"f{n}-secondary",
        )
        for n in (1, 2)
    ]
    return [
        OtherIfSheet(
            source=Source.BENCH_NORM,
            mode=FM,
            intermediate_frequency_hz=request.fm_intermediate_hz,
            if_transformers=cans,
            fm=_fm_detector(),
        )
    ]


def _fm_cores(request: TemplateRequest) -> list[AdjusterSheet]:
    if not any(b.is_fm for b in request.bands):
        return []
    cans = ("f1", "f2") if _beside_am(request) else ()
    names = [(f"{can}-{w}", f"FM T{can[1]} {w} core") for can in cans for w in WINDINGS]
    names += [(f"fm-detector-{w}", f"FM detector {w} core") for w in WINDINGS]
    return [
        AdjusterSheet(key=key, name=name, kind=AdjusterKind.CORE, travel_turns=12)
        for key, name in names
    ]


def _band_key(index: int) -> str:
    return f"band{index + 1}"


def _rack(request: TemplateRequest) -> SlugRackSheet | None:
    """The coils of a slug rack: those of the commonest, as wide as the widest band wants."""
    if request.tuned_by is not TunedBy.SLUGS:
        return None
    wide = max((b.high_hz / b.low_hz) ** 2 for b in request.bands)
    return SlugRackSheet(
        source=Source.BENCH_NORM, minimum_h=RACK_LEAST_H, maximum_h=RACK_LEAST_H * RACK_SPARE * wide
    )


def _band_parts(index: int, band: TemplateBand, *, slugs: bool) -> list[AdjusterSheet]:
    key = _band_key(index)
    # on a rack the slug's own place rules the high end, and a trimmer moves all alike
    high = "slug" if slugs else "core" if band.one_core else "trimmer"
    parts = [
        AdjusterSheet(
            key=f"{key}-osc-trimmer",
            name=f"{band.name} oscillator {high}",
            kind=AdjusterKind.CORE if slugs or band.one_core else AdjusterKind.TRIMMER,
        ),
        AdjusterSheet(
            key=f"{key}-aerial-trimmer",
            name=f"{band.name} aerial trimmer",
            kind=AdjusterKind.TRIMMER,
        ),
    ]
    for name in ("rf", "rf2")[: band.before_mixer - 1]:
        word = "RF" if name == "rf" else "second RF"
        parts.append(
            AdjusterSheet(
                key=f"{key}-{name}-trimmer",
                name=f"{band.name} {word} trimmer",
                kind=AdjusterKind.TRIMMER,
            )
        )
    low = _low_end(band, slugs=slugs)
    if low is not None:
        kind, word = low
        parts.insert(1, AdjusterSheet(key=f"{key}-padder", name=f"{band.name} {word}", kind=kind))
    return parts


def _low_end(band: TemplateBand, *, slugs: bool) -> tuple[AdjusterKind, str] | None:
    if band.low_end is LowEnd.NOTHING or band.one_core:
        return None
    if slugs:
        return AdjusterKind.TRIMMER, "oscillator trimmer"
    below = not band.oscillator_above or band.first_oscillator_hz > 0.0
    if band.low_end is LowEnd.CORE or band.cut_plates or below:
        return AdjusterKind.CORE, "oscillator core"
    return AdjusterKind.PADDER, "padder"


def _grid_hz(band: TemplateBand) -> float:
    """What marks are rounded to."""
    return 10e3 if band.high_hz < 3e6 else 1e6 if band.is_fm else 100e3


def _mark(band: TemplateBand, share: float) -> float:
    """A round frequency at a share of the band."""
    raw = band.low_hz + share * (band.high_hz - band.low_hz)
    grid = _grid_hz(band)
    return round(raw / grid) * grid


def _band(index: int, band: TemplateBand, *, fm: bool) -> dict[str, object]:
    """``fm``: whether its FM bands come in through an IF of their own."""
    key = _band_key(index)
    low = band.low_mark_hz or _mark(band, LOW_MARK)
    high = band.high_mark_hz or _mark(band, HIGH_MARK)
    between = [low + (high - low) * share for share in (0.25, 0.5, 0.75)]
    grid = _grid_hz(band)
    return {
        "source": Source.SERVICE_MANUAL,
        "key": key,
        "name": band.name,
        "low_hz": band.low_hz,
        "high_hz": band.high_hz,
        "high_mark_hz": high,
        "low_mark_hz": low,
        "high_adjuster": f"{key}-osc-trimmer",
        "low_adjuster": f"{key}-padder" if _low_end(band, slugs=False) else None,
        "mode": FM if fm and band.is_fm else "",
        "rf_adjuster": f"{key}-rf-trimmer" if band.before_mixer > 1 else None,
        "more_rf_adjusters": [f"{key}-rf2-trimmer"] if band.before_mixer > 2 else [],
        "oscillator_above": band.oscillator_above,
        "first_oscillator_hz": band.first_oscillator_hz,
        "cut_plates": band.cut_plates,
        "aerial_adjuster": f"{key}-aerial-trimmer",
        "dial_marks_hz": [low, *(round(f / grid) * grid for f in between), high],
    }


def _supply(request: TemplateRequest) -> SupplySheet | None:
    given = request.supply
    if given is None or request.mains_v is None:
        return None
    vacuum = given.rectifier is RectifierKind.VACUUM
    battery = given.waveform is Waveform.BATTERY
    return SupplySheet(
        source=Source.SERVICE_MANUAL,
        line_v=request.mains_v,
        line_hz=given.line_hz,
        topology=given.topology,
        secondary_v=given.secondary_v,
        source_ohm=given.source_ohm,
        rectifier=None
        if battery
        else RectifierSheet(
            kind=given.rectifier,
            drop_v=given.rectifier_drop_v if vacuum else None,
            drop_current_a=given.rectifier_drop_current_a if vacuum else None,
        ),
        waveform=given.waveform,
        reservoir_f=given.reservoir_f,
        other_half_f=given.other_half_f if given.topology.doubles else None,
        input_choke_h=given.input_choke_h,
        filters=[
            FilterSheet(
                resistance_ohm=given.filter_ohm,
                inductance_h=given.filter_choke_h,
                capacitance_f=given.filter_f,
            )
        ],
        load_heated=request.devices is Devices.TUBES,
        load_current_a=given.b_plus_current_a,
        tap_currents_a=[given.tap_a] if given.tap_a else [],
        load_nominal_v=given.b_plus_v,
    )


def _sensitivity(request: TemplateRequest) -> list[SensitivitySheet]:
    if request.sensitivity_emf_v is None:
        return []
    band = _band(0, request.bands[0], fm=False)
    marks = band["dial_marks_hz"]
    assert isinstance(marks, list)
    return [
        SensitivitySheet(
            source=Source.SERVICE_MANUAL,
            band=_band_key(0),
            frequency_hz=f,
            limit_emf_v=request.sensitivity_emf_v,
            told_in=request.sensitivity_told_in,
            source_ohm=request.sensitivity_source_ohm,
        )
        for f in (marks[0], marks[2], marks[4])
    ]
