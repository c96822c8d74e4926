"""The receiver data sheet: an open JSON document, version 1.

Numbers are SI and their names say so. Every section carries the source of its figures. What the
service data does not give is left out or null: no figure is "no limit given", never a failure.
"""

from __future__ import annotations

import itertools
from enum import StrEnum
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from glowdial.core.model.chassis import COMMON_THINGS
from glowdial.core.model.facts import Microvolts
from glowdial.core.model.performance import Figure
from glowdial.core.physics.supply.circuit import RectifierKind, Topology, Waveform
from glowdial.core.physics.tracking import AdjusterKind, TrimmerPlace
from glowdial.core.safety.cautions import Trait
from glowdial.sheets.blocks import BlockDiagramSheet
from glowdial.sheets.chassis import ChassisLayoutSheet
from glowdial.sheets.circuit import CircuitSheet, FmSheet
from glowdial.sheets.parts import PartSheet, WindingSheet
from glowdial.sheets.section import (
    Amperes,
    Capacitance,
    Frequency,
    Key,
    Resistance,
    Section,
    Source,
    Volts,
    Words,
    refuse,
)

HIGHEST_AM_IF_HZ = 2e6


class Chassis(StrEnum):
    """What the set runs from; it decides the cautions."""

    MAINS_TRANSFORMER = "mains transformer"
    TRANSFORMERLESS = "transformerless"
    BATTERY = "battery"


class Devices(StrEnum):
    """What amplifies, where no stage of the circuit says so."""

    TUBES = "tubes"
    TRANSISTORS = "transistors"


class Tube(Section):
    """A tube or transistor of the line-up."""

    position: Words
    function: Words
    type: Words
    heater_v: float | None = Field(default=None, ge=0.1, le=250)
    heater_a: float | None = Field(default=None, ge=1e-3, le=10)


class RectifierSheet(Section):
    """The rectifier with one data-sheet point per plate (vacuum), its drop (gas-filled), or its
    plates (selenium)."""

    kind: RectifierKind
    drop_v: Volts | None = None
    drop_current_a: Amperes | None = None
    plates: int | None = Field(
        default=None,
        ge=1,
        le=60,
        description="of selenium, in each arm; from the volts where not given",
    )

    @model_validator(mode="after")
    def _vacuum_has_a_point(self) -> Self:
        vacuum = self.kind is RectifierKind.VACUUM
        if vacuum and (self.drop_v is None or self.drop_current_a is None):
            raise refuse("a vacuum rectifier needs drop_v and drop_current_a", "55 V at 0.125 A")
        return self


class FilterSheet(Section):
    """One filter section: resistor or choke, and the capacitor behind it."""

    resistance_ohm: Resistance
    inductance_h: float = Field(default=0.0, ge=0, le=1000)
    capacitance_f: Capacitance


class SupplySheet(Section):
    """The supply as a circuit, and the figures that the maker gives of it."""

    source: Source
    line_v: Volts
    line_hz: float = Field(ge=16, le=500)
    topology: Topology
    secondary_v: Volts
    source_ohm: Resistance
    rectifier: RectifierSheet | None = Field(default=None, description="a battery has none")
    reservoir_f: Capacitance
    other_half_f: Capacitance | None = Field(
        default=None,
        description="a doubler's other capacitor, where it is not alike; in cascade that in the "
        "lead",
    )
    filters: list[FilterSheet] = Field(min_length=1, max_length=4)
    load_current_a: Amperes
    tap_currents_a: list[Annotated[float, Field(ge=0, le=5)]] = Field(
        default_factory=list,
        max_length=5,
        description="what hangs on the nodes before the last, from the reservoir on, at full volts",
    )
    load_nominal_v: Volts
    load_exponent: float = Field(default=1.3, ge=0, le=3)
    load_heated: bool = Field(
        default=True, description="tubes draw only when warm; transistors from the first volts"
    )
    bleeder_ohm: Resistance | None = None
    waveform: Waveform = Waveform.SINE
    swing_share: float = Field(default=0.2, gt=0, lt=1, description="of a vibrator's half period")
    input_choke_h: float = Field(default=0.0, ge=0, le=1000)
    input_choke_ohm: float = Field(default=0.0, ge=0, le=10_000)
    string_a: float = Field(
        default=0.0, ge=0, le=10, description="filament string fed from B+, at load_nominal_v"
    )

    @model_validator(mode="after")
    def _has_its_rectifier(self) -> Self:
        if self.rectifier is None and self.waveform is not Waveform.BATTERY:
            raise refuse("a supply that is no battery needs its rectifier", '"kind": "silicon"')
        return self

    @model_validator(mode="after")
    def _choke_input_is_full_wave(self) -> Self:
        if self.input_choke_h > 0.0 and not self.topology.full_wave:
            raise refuse("an input choke wants a full-wave rectifier", '"input_choke_h": 0')
        return self


class VoltagePoint(Section):
    """One figure of the voltage chart."""

    tube: Words
    electrode: Words
    volts: float = Field(ge=-2000, le=5000)
    tolerance: float = Field(default=0.2, gt=0, le=1)


class VoltageChart(Section):
    """The maker's voltage chart, with the meter that it was read with."""

    source: Source
    meter_ohm_per_volt: Resistance | None = None
    points: list[VoltagePoint] = Field(default_factory=list, max_length=200)


class AdjusterSheet(Section):
    """Anything that a tool turns. Change for one turn clockwise: in F for a capacitor, as a
    fraction of the inductance for a core; null when it is not known."""

    key: Key
    name: Words
    kind: AdjusterKind
    tool: Words = "insulated trimming tool"
    where: Words = ""
    capacitance_per_turn_f: float | None = Field(default=None, ge=-1e-9, le=1e-9)
    inductance_fraction_per_turn: float | None = Field(default=None, ge=-1, le=1)
    travel_turns: float = Field(default=4.0, gt=0, le=60)
    can: Words = Field(default="", description="a can that it shares with another band's adjuster")
    far: bool = Field(default=False, description="reached past the other one of its can")


class TransformerSheet(Section):
    """An IF can: its one to three adjusters, and its windings where the service data gives them.

    Coupling is a multiple of the critical one; 1 is flat, above it the top splits. A single circuit
    has no secondary; of three the middle one lies between primary and secondary.
    """

    key: Key
    name: Words
    primary: Key
    secondary: Key | None = None
    middle: Key | None = None
    capacitance_f: Capacitance | None = None
    primary_q: float | None = Field(default=None, gt=1, le=2000)
    secondary_q: float | None = Field(default=None, gt=1, le=2000)
    coupling_of_critical: float | None = Field(default=None, gt=0.01, le=10)

    @model_validator(mode="after")
    def _middle_lies_between(self) -> Self:
        if self.middle is not None and self.secondary is None:
            raise refuse("a middle circuit lies between two others", '"secondary": "t1-secondary"')
        return self


class AlignmentRowSheet(Section):
    """A row of the maker's alignment table; what it does not say is left out."""

    adjusters: list[Key] = Field(min_length=1, max_length=12)
    generator_hz: Frequency | None = None
    point: Words = Field(default="", examples=["mixer grid"])
    through: Words = Field(default="", examples=["10 nF"])
    band: Words = ""
    dial_hz: Frequency | None = None
    indicator: Words = Field(default="", examples=["output meter"])
    target: Words = Field(default="", examples=["maximum"])
    remark: Words = ""
    repeat: bool = False


class GangSheet(Section):
    """Least and greatest capacity of a gang section, and of the oscillator's where that one is
    smaller."""

    source: Source
    minimum_f: Capacitance
    maximum_f: Capacitance
    oscillator_minimum_f: Capacitance | None = None
    oscillator_maximum_f: Capacitance | None = None

    @model_validator(mode="after")
    def _both_or_neither(self) -> Self:
        if (self.oscillator_minimum_f is None) is not (self.oscillator_maximum_f is None):
            raise refuse(
                "the oscillator's section needs both of its capacities, or neither",
                '"oscillator_minimum_f": 9e-12, "oscillator_maximum_f": 180e-12',
            )
        return self


class SlugRackSheet(Section):
    """A set that is tuned by slugs in its coils: a coil's least and greatest inductance."""

    source: Source
    minimum_h: float = Field(gt=0, le=1)
    maximum_h: float = Field(gt=0, le=1)


class BandspreadSheet(Section):
    """A scale that spreads a part of a band while the main pointer stands on ``main_hz``."""

    name: Annotated[str, Field(min_length=1, max_length=30)]
    main_hz: Frequency
    low_hz: Frequency
    high_hz: Frequency
    figures_hz: list[Frequency] = Field(min_length=2, max_length=20)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        figures = self.figures_hz
        rising = all(a < b for a, b in itertools.pairwise(figures))
        if not rising or not self.low_hz <= figures[0] or not figures[-1] <= self.high_hz:
            raise refuse(
                "figures_hz must rise and lie between low_hz and high_hz",
                '"low_hz": 7000000, "high_hz": 7300000, "figures_hz": [7000000, 7150000, 7300000]',
            )
        return self


class BandSheet(Section):
    """A wave band with its row of the alignment table."""

    source: Source
    key: Key
    name: Words
    low_hz: Frequency
    high_hz: Frequency
    mode: Words = Field(
        default="", description="that of one of other_ifs, where the band comes in through it"
    )
    oscillator_above: bool = True
    first_oscillator_hz: float = Field(
        default=0.0,
        ge=0,
        le=1e9,
        description="of a crystal that brings the band down ahead of the tunable oscillator; 0 for "
        "none",
    )
    trimmer_place: TrimmerPlace = TrimmerPlace.ACROSS_GANG
    oscillator_stray_f: float = Field(
        default=0.0,
        ge=0,
        le=1e-9,
        description="fixed capacity across the coil where the trimmer is across the gang, or the "
        "other way round",
    )
    cut_plates: bool = Field(
        default=False, description="oscillator plates cut for this band: no padder"
    )
    tracking_points_hz: tuple[Frequency, Frequency, Frequency] | None = None
    high_mark_hz: Frequency
    low_mark_hz: Frequency
    high_adjuster: Key
    low_adjuster: Key | None = None
    aerial_adjuster: Key | None = None
    rf_adjuster: Key | None = None
    aerial_low_adjuster: Key | None = Field(default=None, description="a core, at the low mark")
    rf_low_adjuster: Key | None = None
    more_rf_adjusters: list[Key] = Field(
        default_factory=list, max_length=2, description="further RF circuits, at the high mark"
    )
    dial_tolerance: float | None = Field(default=None, gt=0, le=0.1, examples=[0.005])
    dial_marks_hz: list[Frequency] = Field(min_length=2, max_length=20)
    bandspreads: list[BandspreadSheet] = Field(default_factory=list, max_length=6)

    @property
    def signal_adjusters(self) -> tuple[str, ...]:
        """The adjusters of its aerial and RF circuits."""
        both = (self.aerial_adjuster, self.rf_adjuster)
        low = (self.aerial_low_adjuster, self.rf_low_adjuster)
        return tuple(key for key in (*both, *self.more_rf_adjusters, *low) if key)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low_hz >= self.high_hz:
            raise refuse(
                f"low_hz ({self.low_hz:g}) must be below high_hz ({self.high_hz:g})",
                '"low_hz": 530000, "high_hz": 1620000',
            )
        if not self.low_hz <= self.low_mark_hz < self.high_mark_hz <= self.high_hz:
            raise refuse(
                "the marks must lie in the band, low_mark_hz below high_mark_hz",
                '"low_mark_hz": 600000, "high_mark_hz": 1400000',
            )
        marks = self.dial_marks_hz
        rising = all(a < b for a, b in itertools.pairwise(marks))
        if not rising or not self.low_hz <= marks[0] or not marks[-1] <= self.high_hz:
            raise refuse(
                "dial_marks_hz must rise and lie in the band",
                "[600000, 800000, 1000000, 1200000, 1400000]",
            )
        if self.first_oscillator_hz >= self.low_hz:
            raise refuse(
                f"a fixed oscillator at {self.first_oscillator_hz:g} Hz above the band turns its "
                "scale round; enter the tunable IF behind it as the band",
                '"low_hz": 14000000, "first_oscillator_hz": 9000000',
            )
        for spread in self.bandspreads:
            if not self.low_hz <= spread.main_hz <= self.high_hz:
                raise refuse(
                    f"bandspread {spread.name!r} is set with the main pointer outside the band",
                    f'"main_hz": {self.high_mark_hz:g}',
                )
        return self


class SensitivitySheet(Section):
    """Specified sensitivity: EMF through the dummy aerial for 10 dB (S+N)/N at 30 % of tone."""

    source: Source
    band: Key
    frequency_hz: Frequency
    limit_emf_v: float | None = Field(default=None, gt=0, le=1, examples=[25e-6])
    told_in: Microvolts = Field(
        default=Microvolts.EMF,
        description="how the maker's own figure is meant; the limit here is EMF whatever it says",
    )
    modulation: float = Field(default=0.30, gt=0, le=1)
    tone_hz: float = Field(default=400.0, ge=50, le=5000)
    source_ohm: float = Field(
        default=0.0,
        ge=0,
        le=10_000,
        description="resistance of the source that the limit is told of; 0: not said",
    )


class PerformanceSheet(Section):
    """A figure that the service data gives beside sensitivity: in dB, an output in W."""

    source: Source
    figure: Figure
    limit: float = Field(gt=0, le=200, examples=[40.0])
    band: str = Field(default="", max_length=40, description='"" for every band')
    offset_hz: float = Field(default=0.0, ge=0, le=1e6, description="of a selectivity")


class WaveTrapSheet(Section):
    """A trap for what comes in at one frequency, the IF where none is given."""

    source: Source
    adjuster: Key
    frequency_hz: Frequency | None = None


class OtherIfSheet(Section):
    """Another IF of the set: for FM beside AM, often in the same cans."""

    source: Source
    mode: Words = Field(examples=["FM"])
    intermediate_frequency_hz: float = Field(ge=5e4, le=2e7)
    if_transformers: list[TransformerSheet] = Field(min_length=1, max_length=5)
    fm: FmSheet | None = None


class ReceiverSheet(Section):
    """The whole data sheet of a model."""

    format: Literal["glowdial-sheet"]
    format_version: Literal[1]
    maker: str = Field(min_length=1, max_length=80)
    model: str = Field(min_length=1, max_length=80)
    summary: Words = ""
    chassis: Chassis
    mains_v: Volts | None = None
    devices: Devices | None = Field(default=None, description="where the circuit lists no stages")
    line_up: list[Tube] = Field(default_factory=list, max_length=60)
    intermediate_frequency_source: Source
    intermediate_frequency_hz: float = Field(
        ge=5e4,
        le=5e7,
        examples=[465_000.0],
        description="the tuned one; AM receivers: 50 kHz to 2 MHz",
    )
    circuit: CircuitSheet | None = None
    supply: SupplySheet | None = None
    b_plus_resistance_ohm: Resistance | None = Field(
        default=None, description="B+ to chassis, cold, capacitors charged"
    )
    voltage_chart: VoltageChart | None = None
    alignment: list[AlignmentRowSheet] = Field(
        default_factory=list, max_length=80, description="the maker's alignment table, in its order"
    )
    if_transformers: list[TransformerSheet] = Field(min_length=1, max_length=5)
    other_ifs: list[OtherIfSheet] = Field(
        default_factory=list, max_length=3, description="of a set with more than one, as AM and FM"
    )
    wave_traps: list[WaveTrapSheet] = Field(default_factory=list, max_length=6)
    adjusters: list[AdjusterSheet] = Field(min_length=2, max_length=80)
    gang: GangSheet | None = None
    slug_rack: SlugRackSheet | None = None
    bands: list[BandSheet] = Field(min_length=1, max_length=12)
    sensitivity: list[SensitivitySheet] = Field(default_factory=list, max_length=60)
    performance: list[PerformanceSheet] = Field(default_factory=list, max_length=60)
    warm_up_minutes: float = Field(default=20.0, gt=0, le=240)
    dummy_aerial: Words = "200 pF in series"
    controls: list[Words] = Field(default_factory=list, max_length=30)
    parts: list[PartSheet] = Field(default_factory=list, max_length=300)
    windings: list[WindingSheet] = Field(default_factory=list, max_length=80)
    chassis_layout: ChassisLayoutSheet | None = None
    block_diagram: BlockDiagramSheet | None = None
    traits: list[Trait] = Field(
        default_factory=list, max_length=12, description="what decides cautions, where it is so"
    )

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        keys = [a.key for a in self.adjusters]
        for what, names in (
            ("adjuster", keys),
            ("band", [b.key for b in self.bands]),
            ("part", [p.ref for p in self.parts]),
            ("winding", [w.key for w in self.windings]),
        ):
            twice = sorted({n for n in names if names.count(n) > 1})
            if twice:
                raise refuse(f"{what} key {twice[0]!r} stands twice", "each key once")
        for band in self.bands:
            wanted = (
                band.high_adjuster,
                band.low_adjuster,
                band.aerial_adjuster,
                band.rf_adjuster,
                band.aerial_low_adjuster,
                band.rf_low_adjuster,
                *band.more_rf_adjusters,
            )
            self._known(keys, wanted, f"band {band.key}")
            intermediate_hz = self.intermediate_of(band)
            behind = [f - band.first_oscillator_hz for f in (band.low_hz, band.high_hz)]
            if band.first_oscillator_hz and behind[0] <= intermediate_hz:
                raise refuse(
                    f"behind its fixed oscillator band {band.key} begins at {behind[0]:g} Hz, not "
                    f"above the IF ({intermediate_hz:g} Hz)",
                    '"first_oscillator_hz": 9000000',
                )
            if band.low_hz <= intermediate_hz <= band.high_hz:
                raise refuse(
                    f"the IF ({intermediate_hz:g} Hz) lies inside band {band.key}",
                    "an IF outside every band, as 465000",
                )
        am = self.circuit is None or self.circuit.fm is None
        if am and self.intermediate_frequency_hz > HIGHEST_AM_IF_HZ:
            raise refuse(
                f"the tuned IF ({self.intermediate_frequency_hz:g} Hz) of a set without an FM "
                "detector must be 50 kHz to 2 MHz",
                '"intermediate_frequency_hz": 465000',
            )
        cans = [*self.if_transformers, *(c for i in self.other_ifs for c in i.if_transformers)]
        for can in cans:
            self._known(keys, (can.primary, can.middle, can.secondary), f"IF transformer {can.key}")
        for trap in self.wave_traps:
            self._known(keys, (trap.adjuster,), "a wave trap")
        detectors = [self.circuit.fm if self.circuit else None, *(i.fm for i in self.other_ifs)]
        for fm in detectors:
            if fm is not None:
                self._known(keys, (fm.primary, fm.secondary), "the FM detector")
        for number, row in enumerate(self.alignment, 1):
            self._known(keys, tuple(row.adjusters), f"row {number} of the alignment table")
        if self.chassis_layout is not None:
            self._on_chassis(self.chassis_layout)
        if self.block_diagram is not None and self.circuit is not None:
            self._in_circuit(self.block_diagram, {s.name for s in self.circuit.stages})
        bands = {b.key for b in self.bands}
        for point in self.sensitivity:
            if point.band not in bands:
                raise refuse(f"sensitivity names band {point.band!r}", f"one of {sorted(bands)}")
        for given in self.performance:
            if given.band and given.band not in bands:
                raise refuse(f"performance names band {given.band!r}", f"one of {sorted(bands)}")
            if given.figure is Figure.SELECTIVITY and not given.offset_hz:
                raise refuse("a selectivity wants the offset that it is given for", "10000")
        return self

    def _on_chassis(self, chassis: ChassisLayoutSheet) -> None:
        known = {
            *(a.key for a in self.adjusters),
            *(t.position for t in self.line_up),
            *(c.key for c in self.if_transformers),
            *COMMON_THINGS,
        }
        whats = [p.what for p in chassis.places if p.what]
        for what in whats:
            if what not in known:
                raise refuse(f"a place names {what!r}, which is not listed", sorted(known)[0])
            if whats.count(what) > 1:
                raise refuse(f"{what!r} has two places", "each thing once")

    @staticmethod
    def _in_circuit(diagram: BlockDiagramSheet, stages: set[str]) -> None:
        for block in diagram.blocks:
            for name in block.stages:
                if name not in stages:
                    raise refuse(
                        f"block {block.key} names stage {name!r}, which is not in the circuit",
                        min(stages, default="V2"),
                    )

    @property
    def first_intermediate_hz(self) -> float:
        """The IF that the variable oscillator stands off by."""
        conversion = self.circuit.conversion if self.circuit else None
        return conversion.first_intermediate_hz if conversion else self.intermediate_frequency_hz

    def intermediate_of(self, band: BandSheet) -> float:
        """The IF that a band's oscillator stands off by; raises for a mode without an IF."""
        if not band.mode:
            return self.first_intermediate_hz
        for other in self.other_ifs:
            if other.mode == band.mode:
                return other.intermediate_frequency_hz
        raise refuse(f"band {band.key} is of mode {band.mode!r}, which has no IF", '"mode": ""')

    @staticmethod
    def _known(keys: list[str], wanted: tuple[str | None, ...], where: str) -> None:
        for key in wanted:
            if key is not None and key not in keys:
                raise refuse(f"{where} names adjuster {key!r}, which is not listed", keys[0])
