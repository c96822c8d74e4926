"""What is known of a receiver, as the computation wants it: frozen facts drawn from its data sheet.

A figure that the sheet does not give is None, and a Gap says where it will be missed.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

from glowdial.core.language.errors import NotFound
from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.model.chassis import Layout
from glowdial.core.model.circuit import Circuit, FmDetector
from glowdial.core.model.parts import Part
from glowdial.core.model.performance import PerformanceLimit
from glowdial.core.physics.operating_point import Device
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.tracking import AdjusterKind, TrackedBand

DEFAULT_DIAL_TOLERANCE, VHF_DIAL_TOLERANCE = 0.005, 0.002
# from here on a band is one of FM broadcasting, or like one
VHF_HZ = 30e6

NORM_LINE_V = 230.0


@dataclass(frozen=True, slots=True)
class Adjuster:
    """Anything that a tool turns.

    ``change_per_turn`` is the relative change of its part (the trimmer's whole capacity, strays
    included, or the coil's inductance) for one turn clockwise; None when the sheet does not say.
    ``can`` is a can that it shares with another band's, ``far`` whether the tool goes past the
    other one to reach it.
    """

    key: str
    name: str
    kind: AdjusterKind
    tool: str
    where: str
    change_per_turn: float | None
    travel_turns: float
    can: str = ""
    far: bool = False


@dataclass(frozen=True, slots=True)
class IfTransformer:
    """An IF can with its one to three adjusters, and its windings by design.

    Qs are loaded, coupling is a multiple of the critical one between each two. A can of a single
    circuit has no ``secondary``, one of three has a ``middle`` circuit between the two.
    """

    key: str
    name: str
    primary: str
    secondary: str | None
    capacitance_f: float = 115e-12
    primary_q: float = 88.0
    secondary_q: float = 96.0
    coupling_of_critical: float = 0.88
    middle: str | None = None

    @property
    def cores(self) -> tuple[str, ...]:
        """Its adjusters in signal order."""
        return tuple(key for key in (self.primary, self.middle, self.secondary) if key)

    @property
    def qs(self) -> tuple[float, ...]:
        """Loaded Q of each circuit, in signal order; a middle one is loaded by nothing else."""
        inner = (max(self.primary_q, self.secondary_q),) if self.middle else ()
        last = (self.secondary_q,) if self.secondary else ()
        return (self.primary_q, *inner, *last)


@dataclass(frozen=True, slots=True)
class OtherIf:
    """Another IF of the set, for another kind of signal: its mode ("FM"), its frequency, its cans,
    which may be the same that the main IF's windings sit in, and its detector."""

    mode: str
    intermediate_frequency_hz: float
    transformers: tuple[IfTransformer, ...]
    fm: FmDetector | None = None


@dataclass(frozen=True, slots=True)
class WaveTrap:
    """A trap in the aerial's way: its adjuster, and what it keeps out (None: the IF)."""

    adjuster: str
    frequency_hz: float | None = None


@dataclass(frozen=True, slots=True)
class AlignmentRow:
    """A row of the maker's alignment table: where the generator is set and clipped, through what,
    how the set stands, what is adjusted for what, and what else is said.

    None or empty where the table does not say. ``repeat`` asks for another pass from its first row.
    """

    adjusters: tuple[str, ...]
    generator_hz: float | None = None
    point: str = ""
    through: str = ""
    band: str = ""
    dial_hz: float | None = None
    indicator: str = ""
    target: str = ""
    remark: str = ""
    repeat: bool = False


class Microvolts(StrEnum):
    """What a maker means by microvolts: open-circuit volts, or those across a matched load."""

    EMF = "EMF"
    PD = "PD"


@dataclass(frozen=True, slots=True)
class SensitivityPoint:
    """A frequency to prove, with the limit in V EMF through the dummy aerial, if there is one;
    modulation (0 to 1) and tone that the limit is given for, and the source resistance in ohm that
    it is told of, 0 where that is not said."""

    band: str
    frequency_hz: float
    limit_v: float | None
    modulation: float = 0.30
    tone_hz: float = 400.0
    told_in: Microvolts = Microvolts.EMF
    fm: bool = False
    source_ohm: float = 0.0

    @property
    def target_db(self) -> float:
        """The (S+N)/N that it is the level for: behind an FM detector 10 dB lie below its
        threshold, and 30 dB are usual."""
        return 30.0 if self.fm else 10.0

    @property
    def tone_words(self) -> str:
        """What the carrier is modulated with."""
        if self.fm:
            share = 75.0 * self.modulation
            return f"tone of {self.tone_hz:g} Hz, {share:g} kHz of deviation"
        return f"tone of {self.tone_hz:g} Hz at {100.0 * self.modulation:.0f} %"


@dataclass(frozen=True, slots=True)
class Bandspread:
    """A second scale of a band: it spreads a part of it while the main pointer stands on
    ``main_hz``. Its figures stand evenly between its ends."""

    name: str
    main_hz: float
    low_hz: float
    high_hz: float
    figures_hz: tuple[float, ...]


# so far beyond the stops a scale is followed by the circuit, further out by its ratio there
BEYOND_STOPS = 1.05


def _at_same_gang(
    here: TrackedBand, there: TrackedBand, frequency_hz: float, stops_hz: tuple[float, float]
) -> float:
    """What comes in by one circuit where a frequency comes in by another. Whatever is typed there
    is a place: far beyond the stops no capacity is left for a formula."""
    low, high = stops_hz
    near_hz = min(max(frequency_hz, low / BEYOND_STOPS), BEYOND_STOPS * high)
    return there.at_place_of_hz(here, near_hz) * frequency_hz / near_hz


@dataclass(frozen=True, slots=True)
class BandFacts:
    """One wave band: its scale, its nominal tracking, and where it is adjusted.

    ``mode`` is that of the other IF that it comes in through, "" for the main one.
    ``low_adjuster`` and ``aerial_adjuster`` are None where the set has none that turns; the
    ``..._low_adjuster`` of aerial and RF circuits are cores, peaked at the low mark. Of a band that
    is moved, marks and design are where it goes; ``printed`` is the band that its scale shows.
    """

    key: str
    name: str
    low_hz: float
    high_hz: float
    high_mark_hz: float
    low_mark_hz: float
    high_adjuster: str
    low_adjuster: str | None
    aerial_adjuster: str | None
    tolerance: float
    tracked: TrackedBand
    dial_marks_hz: tuple[float, ...]
    rf_adjuster: str | None = None
    aerial_low_adjuster: str | None = None
    rf_low_adjuster: str | None = None
    spreads: tuple[Bandspread, ...] = ()
    mode: str = ""
    more_rf_adjusters: tuple[str, ...] = ()
    printed: BandFacts | None = None

    def pointer_hz(self, frequency_hz: float) -> float:
        """What the scale says where a frequency is to come in: the same, but for a band that was
        moved away from its print."""
        if self.printed is None:
            return frequency_hz
        stops = (self.low_hz, self.high_hz)
        return round(_at_same_gang(self.tracked, self.printed.tracked, frequency_hz, stops), -2)

    def at_pointer_hz(self, said_hz: float) -> float:
        """What is to come in where the scale says something: the inverse of ``pointer_hz``."""
        if self.printed is None:
            return said_hz
        stops = (self.printed.low_hz, self.printed.high_hz)
        return _at_same_gang(self.printed.tracked, self.tracked, said_hz, stops)

    @property
    def own_adjusters(self) -> tuple[str, ...]:
        """Everything that turns on it, the oscillator's first."""
        oscillator = (self.high_adjuster, self.low_adjuster)
        return (*(k for k in oscillator if k), *self.signal_adjusters)

    @property
    def signal_adjusters(self) -> tuple[str, ...]:
        """The adjusters of its RF and aerial circuits, in the order that they are peaked."""
        low = (self.rf_low_adjuster, self.aerial_low_adjuster)
        high = (self.rf_adjuster, *self.more_rf_adjusters, self.aerial_adjuster)
        return tuple(k for k in (*low, *high) if k)

    def tolerance_hz(self, mark_hz: float) -> float:
        """Permitted dial error at a mark."""
        return self.tolerance * mark_hz


@dataclass(frozen=True, slots=True)
class Gap:
    """Something that the sheet does not give: what, what is done about it meanwhile, and the name
    of the stage where it is missed."""

    what: str
    instead: str
    stage: str


@dataclass(frozen=True, slots=True)
class TubeFact:
    """A tube or transistor of the line-up: where it stands, what it does, its type."""

    position: str
    function: str
    type: str


@dataclass(frozen=True, slots=True)
class WindingFact:
    """A winding with its resistance at 20 degrees by the sheet, and the area it belongs to."""

    key: str
    name: str
    resistance_ohm: float
    area: str


ELECTRODE_TOLERANCE = 0.20


@dataclass(frozen=True, slots=True)
class ChartFigure:
    """One figure of the maker's chart: stage, electrode, volts as its meter read them."""

    stage: str
    electrode: str
    volts: float
    tolerance: float = ELECTRODE_TOLERANCE


@dataclass(frozen=True, slots=True)
class ReceiverFacts:
    """All that the stages need to know of a set: what its sheet says, and what the stages found of
    it.

    ``traits`` are those of ``safety.Trait`` that are known beyond the kind of chassis. The stages
    add the supply as it was before it was converted (``original_supply``), whether every filter
    capacitor was renewed, and whether it is to play as found first. ``layout`` is where things are
    on the chassis, by the sheet and as they were placed in this job; ``diagram`` is the sheet's
    block diagram.
    """

    title: str
    chassis: str
    intermediate_frequency_hz: float
    transformers: tuple[IfTransformer, ...]
    adjusters: tuple[Adjuster, ...]
    bands: tuple[BandFacts, ...]
    sensitivity: tuple[SensitivityPoint, ...]
    line_v: float | None
    supply: Supply | None
    b_plus_resistance_ohm: float | None
    warm_up_minutes: float
    dummy_aerial: str
    controls: tuple[str, ...]
    circuit: Circuit
    traits: tuple[str, ...] = ()
    gaps: tuple[Gap, ...] = field(default=())
    tubes: tuple[TubeFact, ...] = ()
    windings: tuple[WindingFact, ...] = ()
    parts: tuple[Part, ...] = ()
    chart: tuple[ChartFigure, ...] = ()
    chart_ohm_per_volt: float | None = None
    original_supply: Supply | None = None
    filters_renewed: bool = False
    plays_as_found: bool = False
    all_transistors: bool | None = None
    layout: Layout | None = None
    diagram: BlockDiagram | None = None
    alignment: tuple[AlignmentRow, ...] = ()
    chains: tuple[OtherIf, ...] = ()
    performance: tuple[PerformanceLimit, ...] = ()
    wave_traps: tuple[WaveTrap, ...] = ()

    @property
    def nominal_line_v(self) -> float:
        """Line volts of the sheet, the norm where it gives none."""
        return self.line_v or NORM_LINE_V

    @property
    def device_word(self) -> str:
        """What a sentence calls what amplifies here: tube, transistor, or stage where it has both.

        By the stages that the sheet gives; by its own word where it gives none; else by whether
        its supply's load is heated.
        """
        stages = self.circuit.stages if self.circuit.stages_given else ()
        solid = {s.device is Device.TRANSISTOR for s in stages}
        if not solid and self.all_transistors is not None:
            solid = {self.all_transistors}
        if not solid:
            solid = {self.supply is not None and not self.supply.load.heated}
        if solid == {True}:
            return "transistor"
        return "stage" if len(solid) == 2 else "tube"

    def adjuster(self, key: str) -> Adjuster:
        """The adjuster of that key; raises NotFound."""
        for adjuster in self.adjusters:
            if adjuster.key == key:
                return adjuster
        raise NotFound("adjuster", key)

    def on_chain(self, mode: str) -> ReceiverFacts:
        """The set as one of its other IFs sees it; itself for a mode that it does not have."""
        chain = next((c for c in self.chains if c.mode == mode), None)
        if chain is None:
            return self
        return replace(
            self,
            intermediate_frequency_hz=chain.intermediate_frequency_hz,
            transformers=chain.transformers,
            circuit=replace(
                self.circuit, fm=chain.fm or self.circuit.fm, if_filter=None, conversion=None
            ),
            chains=(),
            wave_traps=(),
        )

    def seen_by(self, band: BandFacts) -> ReceiverFacts:
        """The set as one of its bands sees it: with the IF that it comes in through."""
        return self.on_chain(band.mode) if band.mode else self

    def as_built(self) -> ReceiverFacts:
        """The same with the supply that it had before it was converted, and with every band where
        its scale has it."""
        moved = any(band.printed is not None for band in self.bands)
        if self.original_supply is None and not moved:
            return self
        return replace(
            self,
            supply=self.original_supply or self.supply,
            original_supply=None,
            bands=tuple(band.printed or band for band in self.bands),
        )

    def band(self, key: str) -> BandFacts:
        """The band of that key; raises NotFound."""
        for band in self.bands:
            if band.key == key:
                return band
        raise NotFound("band", key)

    def if_adjusters(self) -> tuple[str, ...]:
        """IF adjusters from the detector back: last transformer first, secondary before primary."""
        return tuple(key for t in reversed(self.transformers) for key in reversed(t.cores))

    def can_of(self, adjuster: str) -> IfTransformer | None:
        """The IF can that an adjuster sits in; None where it is none of the IF."""
        return next((t for t in self.transformers if adjuster in t.cores), None)
