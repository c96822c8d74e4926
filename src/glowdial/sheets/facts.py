"""From the sheet as a document to the facts that the core computes with, gaps named."""

from __future__ import annotations

import math
from dataclasses import replace

from glowdial.core.language.errors import BadInput
from glowdial.core.model.circuit import Circuit
from glowdial.core.model.facts import (
    DEFAULT_DIAL_TOLERANCE,
    VHF_DIAL_TOLERANCE,
    VHF_HZ,
    Adjuster,
    AlignmentRow,
    BandFacts,
    Bandspread,
    ChartFigure,
    Gap,
    IfTransformer,
    OtherIf,
    ReceiverFacts,
    SensitivityPoint,
    TubeFact,
    WaveTrap,
)
from glowdial.core.model.performance import PerformanceLimit
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Rectifier,
    RectifierKind,
    Supply,
    Topology,
    Waveform,
    gas_rectifier,
    silicon_rectifier,
    vacuum_rectifier,
)
from glowdial.core.physics.tracking import (
    AdjusterKind,
    Gang,
    OscillatorSection,
    SignalCircuit,
    TankRole,
    TrackedBand,
    best_points,
    cut_plates,
    role_of,
    signal_circuit,
    three_point,
    two_point,
)
from glowdial.core.safety.cautions import Trait
from glowdial.sheets.circuit_facts import circuit_of, fm_of
from glowdial.sheets.receiver import (
    AdjusterSheet,
    AlignmentRowSheet,
    BandSheet,
    Chassis,
    Devices,
    OtherIfSheet,
    ReceiverSheet,
    RectifierSheet,
    SupplySheet,
    TransformerSheet,
)

NORM_GANG, VHF_GANG = Gang(12e-12, 430e-12), Gang(4e-12, 14e-12)
SELENIUM_THRESHOLD_V = 0.6
SELENIUM_PLATE_V = 26.0


def receiver_facts(sheet: ReceiverSheet) -> ReceiverFacts:
    """Everything that the stages need, with the bench's norms where the sheet is silent.

    Raises BadInput when the bands cannot be tuned or tracked with the gang given.
    """
    tracked = {band.key: _tracked(sheet, band) for band in sheet.bands}
    circuit = circuit_of(sheet)
    facts = ReceiverFacts(
        title=f"{sheet.maker} {sheet.model}",
        chassis=sheet.chassis.value,
        intermediate_frequency_hz=sheet.intermediate_frequency_hz,
        transformers=tuple(_transformer(t) for t in sheet.if_transformers),
        alignment=tuple(_row(r) for r in sheet.alignment),
        chains=tuple(_chain(c) for c in sheet.other_ifs),
        wave_traps=tuple(WaveTrap(t.adjuster, t.frequency_hz) for t in sheet.wave_traps),
        adjusters=tuple(_adjuster(a, sheet, tracked) for a in sheet.adjusters),
        bands=tuple(_band(band, tracked[band.key]) for band in sheet.bands),
        sensitivity=_sensitivity(sheet),
        performance=tuple(
            PerformanceLimit(p.figure, p.limit, p.band, p.offset_hz) for p in sheet.performance
        ),
        line_v=sheet.supply.line_v if sheet.supply else sheet.mains_v,
        supply=supply_of(sheet.supply) if sheet.supply else None,
        b_plus_resistance_ohm=sheet.b_plus_resistance_ohm,
        warm_up_minutes=sheet.warm_up_minutes,
        dummy_aerial=sheet.dummy_aerial,
        controls=tuple(sheet.controls),
        circuit=circuit,
        traits=_traits(sheet, circuit),
        gaps=_gaps(sheet),
        tubes=tuple(TubeFact(t.position, t.function, t.type) for t in sheet.line_up),
        windings=tuple(w.fact for w in sheet.windings),
        parts=tuple(p.part for p in sheet.parts),
        chart=_chart(sheet),
        layout=sheet.chassis_layout.layout if sheet.chassis_layout else None,
        all_transistors=sheet.devices is Devices.TRANSISTORS if sheet.devices else None,
        chart_ohm_per_volt=sheet.voltage_chart.meter_ohm_per_volt if sheet.voltage_chart else None,
    )
    if sheet.block_diagram is None:
        return facts
    solid = facts.device_word == "transistor"
    return replace(facts, diagram=sheet.block_diagram.diagram(solid=solid))


def _chain(sheet: OtherIfSheet) -> OtherIf:
    return OtherIf(
        sheet.mode,
        sheet.intermediate_frequency_hz,
        tuple(_transformer(t) for t in sheet.if_transformers),
        fm_of(sheet.fm) if sheet.fm else None,
    )


def _chart(sheet: ReceiverSheet) -> tuple[ChartFigure, ...]:
    if sheet.voltage_chart is None:
        return ()
    return tuple(
        ChartFigure(p.tube, _electrode(p.electrode), p.volts, p.tolerance)
        for p in sheet.voltage_chart.points
    )


OTHER_NAMES = {"anode": "plate", "collector": "plate", "emitter": "cathode", "base": "grid"}


def _electrode(written: str) -> str:
    """An electrode by the name that the rules use, whatever the chart calls it."""
    name = written.strip().lower()
    return OTHER_NAMES.get(name, name)


def _tracked(sheet: ReceiverSheet, band: BandSheet) -> TrackedBand:
    """The band's design: cut plates, three points with a padder, or two without one."""
    signal = signal_circuit(_gang(sheet, band), band.low_hz, band.high_hz)
    try:
        found = _design(sheet, band, signal)
    except BadInput as error:
        raise BadInput(f"band {band.key}", error.value, error.expected, error.example) from error
    return replace(
        found,
        inductive=sheet.slug_rack is not None,
        intermediate_frequency_hz=sheet.intermediate_of(band),
        high_side=band.oscillator_above,
        fixed_first_hz=band.first_oscillator_hz,
    )


def _design(sheet: ReceiverSheet, band: BandSheet, signal: SignalCircuit) -> TrackedBand:
    # behind a fixed oscillator the tunable one follows the band as one far below it would
    side_hz = sheet.intermediate_of(band) * (1.0 if band.oscillator_above else -1.0)
    offset_hz = side_hz - band.first_oscillator_hz
    intermediate, above = abs(offset_hz), offset_hz > 0.0
    ends, section = (band.low_hz, band.high_hz), _section(sheet)
    if band.cut_plates:
        return cut_plates(signal, intermediate, *ends, high_side=above)
    padder = any(
        a.kind is AdjusterKind.PADDER and a.key == band.low_adjuster for a in sheet.adjusters
    )
    try:
        if band.tracking_points_hz is not None:
            return three_point(
                signal,
                intermediate,
                band.tracking_points_hz,
                place=band.trimmer_place,
                high_side=above,
                stray_f=band.oscillator_stray_f,
                section=section,
            )
        return best_points(
            signal,
            intermediate,
            *ends,
            place=band.trimmer_place,
            high_side=above,
            stray_f=band.oscillator_stray_f,
            section=section,
        )
    except BadInput as error:
        if padder:
            raise BadInput(
                "padder",
                f"with the oscillator {'above' if above else 'below'} at "
                f"{intermediate / 1e3:g} kHz",
                "leaves no coil and trimmer that track: "
                + ("a smaller gang section or cut plates" if above else "a core at the low end"),
                '"low_adjuster" of kind "core"',
            ) from error
    points = (band.low_mark_hz, band.high_mark_hz)
    return two_point(signal, intermediate, points, high_side=above, section=section)


def _gang(sheet: ReceiverSheet, band: BandSheet) -> Gang:
    """What tunes the signal circuits: the gang, its small sections on VHF, or the coils of a slug
    rack in its place."""
    if band.low_hz >= VHF_HZ and sheet.slug_rack is None:
        return VHF_GANG
    if sheet.slug_rack is not None:
        return Gang(sheet.slug_rack.minimum_h, sheet.slug_rack.maximum_h)
    return Gang(sheet.gang.minimum_f, sheet.gang.maximum_f) if sheet.gang else NORM_GANG


def _section(sheet: ReceiverSheet) -> OscillatorSection:
    gang = sheet.gang
    if gang is None or gang.oscillator_minimum_f is None or gang.oscillator_maximum_f is None:
        return OscillatorSection()
    span_f = gang.oscillator_maximum_f - gang.oscillator_minimum_f
    scale = span_f / (gang.maximum_f - gang.minimum_f)
    return OscillatorSection(scale, gang.oscillator_minimum_f - scale * gang.minimum_f)


def _adjuster(
    adjuster: AdjusterSheet, sheet: ReceiverSheet, tracked: dict[str, TrackedBand]
) -> Adjuster:
    change = adjuster.inductance_fraction_per_turn
    if adjuster.kind is not AdjusterKind.CORE:
        change = None
        part_f = _part_f(adjuster, sheet, tracked)
        if adjuster.capacitance_per_turn_f is not None and part_f is not None:
            change = adjuster.capacitance_per_turn_f / part_f
    return Adjuster(
        adjuster.key,
        adjuster.name,
        adjuster.kind,
        adjuster.tool,
        adjuster.where,
        change,
        adjuster.travel_turns,
        adjuster.can,
        adjuster.far,
    )


def _part_f(
    adjuster: AdjusterSheet, sheet: ReceiverSheet, tracked: dict[str, TrackedBand]
) -> float | None:
    """The whole capacity that the adjuster is part of, in the nominal design."""
    for band in sheet.bands:
        nominal = tracked[band.key]
        role = role_of(adjuster.kind, inductive=nominal.inductive)
        if adjuster.key in band.signal_adjusters:
            signal = nominal.signal
            return signal.inductance_h if role is TankRole.SCALE else signal.trimmer_f
        if adjuster.key in (band.high_adjuster, band.low_adjuster):
            lo = nominal.oscillator
            parts = {
                TankRole.SCALE: lo.inductance_h,
                TankRole.SHUNT: lo.trimmer_f,
                TankRole.SERIES: lo.padder_f,
            }
            return parts[role]
    cans = [
        *sheet.if_transformers,
        *(c for other in sheet.other_ifs for c in other.if_transformers),
    ]
    mine = (c for c in cans if adjuster.key in (c.primary, c.middle, c.secondary))
    return next((c.capacitance_f for c in mine), None)


def _traits(sheet: ReceiverSheet, circuit: Circuit) -> tuple[str, ...]:
    """What the sheet tells that decides cautions, beside what its owner ticked."""
    found = {t.value for t in sheet.traits}
    supply = sheet.supply
    if supply is not None:
        if supply.rectifier and supply.rectifier.kind is RectifierKind.SELENIUM:
            found.add(Trait.SELENIUM)
        if supply.waveform is not Waveform.SINE:
            found |= {Trait.BATTERY, Trait.FILTERS}
    if circuit.heaters.in_series:
        found.add(Trait.SERIES_STRING)
    if sheet.chassis is Chassis.BATTERY and any(h.direct for h in circuit.heaters.heaters):
        found.add(Trait.BATTERY_FILAMENTS)
    if any("indicator" in t.function.lower() or "eye" in t.function.lower() for t in sheet.line_up):
        found.add(Trait.TUNING_EYE)
    return tuple(sorted(str(t) for t in found))


def _transformer(sheet: TransformerSheet) -> IfTransformer:
    norm = IfTransformer(sheet.key, sheet.name, sheet.primary, sheet.secondary)
    return replace(
        norm,
        capacitance_f=sheet.capacitance_f or norm.capacitance_f,
        primary_q=sheet.primary_q or norm.primary_q,
        secondary_q=sheet.secondary_q or norm.secondary_q,
        middle=sheet.middle,
        coupling_of_critical=sheet.coupling_of_critical or norm.coupling_of_critical,
    )


def _row(sheet: AlignmentRowSheet) -> AlignmentRow:
    return AlignmentRow(**{**sheet.model_dump(), "adjusters": tuple(sheet.adjusters)})


def _band(band: BandSheet, tracked: TrackedBand) -> BandFacts:
    return BandFacts(
        key=band.key,
        name=band.name,
        low_hz=band.low_hz,
        high_hz=band.high_hz,
        high_mark_hz=band.high_mark_hz,
        low_mark_hz=band.low_mark_hz,
        high_adjuster=band.high_adjuster,
        low_adjuster=band.low_adjuster,
        aerial_adjuster=band.aerial_adjuster,
        tolerance=band.dial_tolerance
        or (VHF_DIAL_TOLERANCE if band.low_hz >= VHF_HZ else DEFAULT_DIAL_TOLERANCE),
        tracked=tracked,
        dial_marks_hz=tuple(band.dial_marks_hz),
        rf_adjuster=band.rf_adjuster,
        aerial_low_adjuster=band.aerial_low_adjuster,
        rf_low_adjuster=band.rf_low_adjuster,
        mode=band.mode,
        more_rf_adjusters=tuple(band.more_rf_adjusters),
        spreads=tuple(
            Bandspread(s.name, s.main_hz, s.low_hz, s.high_hz, tuple(s.figures_hz))
            for s in band.bandspreads
        ),
    )


def _sensitivity(sheet: ReceiverSheet) -> tuple[SensitivityPoint, ...]:
    if sheet.sensitivity:
        return tuple(
            SensitivityPoint(
                s.band,
                s.frequency_hz,
                s.limit_emf_v,
                s.modulation,
                s.tone_hz,
                s.told_in,
                _is_fm(sheet, s.band),
                s.source_ohm,
            )
            for s in sheet.sensitivity
        )
    band = sheet.bands[0]
    marks = band.dial_marks_hz
    chosen = (band.low_mark_hz, marks[len(marks) // 2], band.high_mark_hz)
    fm = _is_fm(sheet, band.key)
    return tuple(SensitivityPoint(band.key, f, None, fm=fm) for f in sorted(set(chosen)))


def _is_fm(sheet: ReceiverSheet, key: str) -> bool:
    """Whether a band comes in through an FM detector."""
    mode = next(b.mode for b in sheet.bands if b.key == key)
    if not mode:
        return sheet.circuit is not None and sheet.circuit.fm is not None
    return any(other.mode == mode and other.fm is not None for other in sheet.other_ifs)


def supply_of(sheet: SupplySheet) -> Supply:
    """The supply circuit of a sheet's supply section."""
    return Supply(
        topology=sheet.topology,
        line_v=sheet.line_v,
        line_hz=sheet.line_hz,
        secondary_v=sheet.secondary_v,
        source_ohm=sheet.source_ohm,
        rectifier=_rectifier(
            sheet.rectifier, sheet.topology, sheet.load_current_a, sheet.secondary_v
        ),
        reservoir_f=sheet.reservoir_f,
        other_half_f=sheet.other_half_f or 0.0,
        sections=tuple(
            FilterSection(f.resistance_ohm, f.capacitance_f, f.inductance_h) for f in sheet.filters
        ),
        load=Load(
            sheet.load_current_a,
            sheet.load_nominal_v,
            sheet.load_exponent,
            sheet.bleeder_ohm or float("inf"),
            sheet.string_a,
            sheet.load_heated,
        ),
        waveform=sheet.waveform,
        swing_share=sheet.swing_share,
        input_choke_h=sheet.input_choke_h,
        input_choke_ohm=sheet.input_choke_ohm,
        tap_shares=tuple(a / sheet.load_current_a for a in sheet.tap_currents_a),
    )


def selenium_plates(topology: Topology, secondary_v: float) -> int:
    """Plates in each arm where the sheet does not count them: one for every 26 V RMS that the arm
    stands in reverse, the usual rating of a plate."""
    doubled = topology is Topology.CENTRE_TAP or topology.doubles
    reverse_v = secondary_v * (2.0 if doubled else 1.0)
    return max(math.ceil(reverse_v / SELENIUM_PLATE_V), 1)


def _rectifier(
    sheet: RectifierSheet | None, topology: Topology, load_a: float, secondary_v: float
) -> Rectifier:
    if sheet is None:
        return silicon_rectifier()
    in_path = 2 if topology is Topology.BRIDGE else 1
    if sheet.kind is RectifierKind.VACUUM:
        if sheet.drop_v is None or sheet.drop_current_a is None:
            raise BadInput("rectifier", "vacuum", "needs its data-sheet point", "55 V at 0.125 A")
        return vacuum_rectifier(sheet.drop_v, sheet.drop_current_a)
    if sheet.kind is RectifierKind.SELENIUM:
        # about 1 V per plate in all at rated current when new: 0.6 V threshold, the rest resistance
        plates = (sheet.plates or selenium_plates(topology, secondary_v)) * in_path
        return Rectifier(
            RectifierKind.SELENIUM,
            threshold_v=SELENIUM_THRESHOLD_V * plates,
            resistance_ohm=(1.0 - SELENIUM_THRESHOLD_V) * plates / load_a,
        )
    if sheet.kind is RectifierKind.GAS:
        return gas_rectifier(sheet.drop_v) if sheet.drop_v else gas_rectifier()
    return silicon_rectifier(in_path)


def _gaps(sheet: ReceiverSheet) -> tuple[Gap, ...]:
    gaps: list[Gap] = []
    if sheet.supply is None:
        gaps.append(
            Gap(
                "the supply (winding, rectifier, filter)",
                "B+ is written down at each step but cannot be judged",
                "bring-up",
            )
        )
    rectifier = sheet.supply.rectifier if sheet.supply else None
    if rectifier is not None and rectifier.kind is RectifierKind.SELENIUM and not rectifier.plates:
        assert sheet.supply is not None
        plates = selenium_plates(sheet.supply.topology, sheet.supply.secondary_v)
        gaps.append(
            Gap(
                "the selenium's plates",
                f"{plates} in each arm are taken, from the volts that it stands in reverse",
                "bring-up",
            )
        )
    if sheet.b_plus_resistance_ohm is None:
        gaps.append(
            Gap(
                "B+ to chassis resistance",
                "10 k is taken as the least (bench's norm)",
                "cold checks",
            )
        )
    if not sheet.parts:
        gaps.append(
            Gap(
                "the list of capacitors and resistors",
                "parts are listed as they are found",
                "parts",
            )
        )
    if not sheet.windings:
        gaps.append(Gap("the coils' resistances", "windings are not measured", "cold checks"))
    if sheet.gang is None and sheet.slug_rack is None:
        gaps.append(
            Gap("the gang's capacities", "12-430 pF is taken (bench's norm)", "oscillator and RF")
        )
    silent_bands = [band for band in sheet.bands if band.dial_tolerance is None]
    if silent_bands:
        taken = "0.5 % of the frequency is taken"
        if any(band.low_hz >= VHF_HZ for band in silent_bands):
            taken += f", {100 * VHF_DIAL_TOLERANCE:g} % on VHF"
        gaps.append(Gap("the dial tolerance", taken, "oscillator and RF"))
    silent = [
        a.name
        for a in sheet.adjusters
        if a.capacitance_per_turn_f is None and a.inductance_fraction_per_turn is None
    ]
    if silent:
        gaps.append(
            Gap(
                f"how much a turn changes ({', '.join(silent[:3])}{', ...' if silent[3:] else ''})",
                "the first move is a small one, and how far to go is learned from it",
                "oscillator and RF",
            )
        )
    if not sheet.sensitivity or any(s.limit_emf_v is None for s in sheet.sensitivity):
        gaps.append(Gap("specified sensitivity", "as left is compared with as found only", "proof"))
    return tuple(gaps)
