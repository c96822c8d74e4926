"""From a sheet's circuit section to the circuit that is computed with, norms where it is silent.

The norm is the commonest circuit: mixer, IF amplifier, detector with first audio, output, sharing
the sheet's load current. A stage's bias resistor follows from the device's own point.
"""

from __future__ import annotations

from glowdial.core.model.circuit import (
    Aerial,
    AvcLaw,
    Circuit,
    ConnectionPoint,
    Conversion,
    FmDetector,
)
from glowdial.core.model.measurands import ELECTRODES
from glowdial.core.physics.filters import CrystalFilter, MechanicalFilter
from glowdial.core.physics.heaters import Heater, Heaters
from glowdial.core.physics.operating_point import (
    THERMAL_V,
    AmplifierStage,
    Device,
    Role,
    TypicalPoint,
)
from glowdial.sheets.circuit import (
    FM_NODES,
    CircuitSheet,
    CrystalFilterSheet,
    FmSheet,
    HeatersSheet,
    MechanicalFilterSheet,
    StageSheet,
)
from glowdial.sheets.receiver import Devices, ReceiverSheet

NORM_B_PLUS_V, NORM_LOAD_A = 235.0, 0.062
NORM_SCREEN_V, NORM_FIRST_AUDIO_OHM = 90.0, 220e3


def circuit_of(sheet: ReceiverSheet) -> Circuit:
    """The circuit of a sheet."""
    given = sheet.circuit or CircuitSheet(source=sheet.intermediate_frequency_source)
    norm = _norm_transistors if _solid_state(sheet) else _norm_stages
    stages = tuple(_stage(s) for s in given.stages) or norm(sheet)
    fm, conversion = given.fm, given.conversion
    return Circuit(
        stages=stages,
        aerial=Aerial(**given.aerial.model_dump()),
        avc=AvcLaw(**given.avc.model_dump()),
        conversion=Conversion(**conversion.model_dump()) if conversion else None,
        if_filter=_if_filter(given.if_filter),
        beat_oscillator=given.beat_oscillator,
        fm=fm_of(fm) if fm else None,
        heaters=_heaters(sheet, given),
        points=_points(given, stages, fm_elsewhere=any(i.fm for i in sheet.other_ifs)),
        aerial_q=given.aerial_q,
        rf_stage=given.rf_stage or any(b.rf_adjuster for b in sheet.bands),
        stages_given=bool(given.stages),
    )


def fm_of(sheet: FmSheet) -> FmDetector:
    """The detector of a sheet."""
    cores = {"primary": sheet.primary or "", "secondary": sheet.secondary or ""}
    return FmDetector(**{**sheet.model_dump(), **cores})


def _stage(sheet: StageSheet) -> AmplifierStage:
    values = sheet.model_dump(exclude={"typical", "coupled_from", "direct_from", "screen_with"})
    typical = TypicalPoint(**sheet.typical.model_dump())
    return AmplifierStage(
        **values,
        typical=typical,
        coupled_from=sheet.coupled_from or "",
        direct_from=sheet.direct_from or "",
        screen_with=sheet.screen_with or "",
    )


def _norm_stages(sheet: ReceiverSheet) -> tuple[AmplifierStage, ...]:
    """Mixer, IF, detector and first audio, output, on the sheet's B+ and load current."""
    b_plus = sheet.supply.load_nominal_v if sheet.supply else NORM_B_PLUS_V
    load_a = sheet.supply.load_current_a if sheet.supply else NORM_LOAD_A
    screen_v = min(NORM_SCREEN_V, 0.6 * b_plus)

    def pentode(
        name: str, role: Role, share: float, bias_v: float, slope_s: float
    ) -> AmplifierStage:
        plate_a, screen_a = 0.75 * share * load_a, 0.25 * share * load_a
        point = TypicalPoint(b_plus, plate_a, -bias_v, slope_s, screen_v, screen_a)
        return AmplifierStage(
            name,
            role,
            Device.PENTODE,
            point,
            plate_ohm=80.0,
            screen_ohm=(b_plus - screen_v) / screen_a,
            cathode_ohm=bias_v / (plate_a + screen_a),
            grid_leak_ohm=1e6,
            on_avc=True,
        )

    plate_a = 0.55 * b_plus / NORM_FIRST_AUDIO_OHM
    first = TypicalPoint(0.45 * b_plus, plate_a, -1.2, 0.6e-3)
    audio = AmplifierStage(
        "V3",
        Role.DETECTOR,
        Device.TRIODE,
        first,
        plate_ohm=NORM_FIRST_AUDIO_OHM,
        cathode_ohm=1.2 / plate_a,
        grid_leak_ohm=1e6,
    )
    out_a, out_screen_a = 0.54 * load_a, 0.06 * load_a
    out = TypicalPoint(0.93 * b_plus, out_a, -0.05 * b_plus, 0.14 * out_a, b_plus, out_screen_a)
    output = AmplifierStage(
        "V4",
        Role.OUTPUT,
        Device.PENTODE,
        out,
        plate_ohm=0.07 * b_plus / out_a,
        cathode_ohm=0.05 * b_plus / (out_a + out_screen_a),
        grid_leak_ohm=470e3,
        coupled_from="V3",
    )
    return (
        pentode("V1", Role.MIXER, 0.10, 2.0, 0.45e-3),
        pentode("V2", Role.IF, 0.16, 2.6, 1.6e-3),
        audio,
        output,
    )


def _solid_state(sheet: ReceiverSheet) -> bool:
    if sheet.devices is not None:
        return sheet.devices is Devices.TRANSISTORS
    return sheet.supply is not None and not sheet.supply.load_heated


# the norm of an early transistor stage: base divider for an eighth of the rail at the emitter
EMITTER_SHARE, JUNCTION_V, NORM_GAIN, LOWER_OHM = 0.12, 0.2, 60.0, 8.2e3
NORM_RAIL_V, NORM_DRAWN_A = 9.0, 0.012


def _norm_transistors(sheet: ReceiverSheet) -> tuple[AmplifierStage, ...]:
    """Mixer, IF, first audio and output, each with its base divider, on the sheet's rail."""
    rail_v = sheet.supply.load_nominal_v if sheet.supply else NORM_RAIL_V
    drawn_a = sheet.supply.load_current_a if sheet.supply else NORM_DRAWN_A
    emitter_v = EMITTER_SHARE * rail_v
    base_v = emitter_v + JUNCTION_V

    def stage(
        name: str, role: Role, amperes: float, load_share: float, *, on_avc: bool = False
    ) -> AmplifierStage:
        collector_ohm = load_share * rail_v / amperes
        # a divider that carries ten times the base's current keeps it where it is
        lower_ohm = min(LOWER_OHM, base_v / (10.0 * amperes / NORM_GAIN))
        collector_v = rail_v - load_share * rail_v - emitter_v
        point = TypicalPoint(
            collector_v, amperes, JUNCTION_V, amperes / THERMAL_V, current_gain=NORM_GAIN
        )
        return AmplifierStage(
            name,
            role,
            Device.TRANSISTOR,
            point,
            plate_ohm=collector_ohm,
            cathode_ohm=emitter_v / amperes,
            upper_ohm=(rail_v - base_v) / (base_v / lower_ohm + amperes / NORM_GAIN),
            lower_ohm=lower_ohm,
            on_avc=on_avc,
        )

    return (
        stage("Q1", Role.MIXER, 0.06 * drawn_a, 0.03),
        stage("Q2", Role.IF, 0.09 * drawn_a, 0.05, on_avc=True),
        stage("Q3", Role.DETECTOR, 0.1 * drawn_a, 0.4),
        stage("Q4", Role.OUTPUT, 0.7 * drawn_a, 0.03),
    )


def _if_filter(
    sheet: CrystalFilterSheet | MechanicalFilterSheet | None,
) -> CrystalFilter | MechanicalFilter | None:
    if sheet is None:
        return None
    values = sheet.model_dump(exclude={"kind"})
    return CrystalFilter(**values) if sheet.kind == "crystal" else MechanicalFilter(**values)


def _heaters(sheet: ReceiverSheet, given: CircuitSheet) -> Heaters:
    rectifiers = {t.position for t in sheet.line_up if "rectifier" in t.function.lower()}
    if given.heaters is None:
        known = ((t.position, t.heater_v, t.heater_a) for t in sheet.line_up)
        listed = tuple(Heater(p, v, a, rectifier=p in rectifiers) for p, v, a in known if v and a)
        return Heaters(listed)
    return heaters_of(given.heaters, rectifiers)


def heaters_of(sheet: HeatersSheet | None, rectifiers: set[str] | None = None) -> Heaters:
    """A sheet's heaters; ``rectifiers`` are the tubes among them that rectify. None is none."""
    if sheet is None:
        return Heaters()
    own = tuple(
        Heater(h.tube, h.volts, h.amperes, h.direct, h.tube in (rectifiers or set()))
        for h in sheet.heaters
    )
    return Heaters(own, sheet.in_series, sheet.dropper_ohm)


def _points(
    given: CircuitSheet, stages: tuple[AmplifierStage, ...], *, fm_elsewhere: bool
) -> tuple[ConnectionPoint, ...]:
    """The sheet's own points, and every node under its own name."""
    own = [ConnectionPoint(p.key, p.name, p.node, p.series_ohm) for p in given.points]
    common = ("aerial", "mixer grid", "avc", "detector", "audio", "b-plus", "reservoir", "line")
    of_fm = FM_NODES if given.fm or fm_elsewhere else ()
    nodes = [*common, *of_fm, *(f"{s.name} {e}" for s in stages for e in ELECTRODES if _has(s, e))]
    taken = {p.key for p in own}
    return (*own, *(ConnectionPoint(n, n, n) for n in nodes if n not in taken))


def _has(stage: AmplifierStage, electrode: str) -> bool:
    return electrode != "screen" or stage.device is Device.PENTODE
