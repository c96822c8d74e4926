"""What is to be seen at a step, as data: the pages lay it out and draw it.

A supply is nodes along the way of the current, parts between them, and probes where the leads go
now. Texts are as people read them; nothing in here is a place on a page.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.physics.level_path import LeadKind


class Symbol(StrEnum):
    """What a part is drawn as (IEC 60617, as textbooks have it)."""

    MAINS = "mains"
    WINDING = "winding"
    SPLIT_WINDING = "split winding"
    BATTERY = "battery"
    VIBRATOR = "vibrator"
    TUBE_DIODE = "tube diode"
    GAS_DIODE = "gas diode"
    DIODE = "diode"
    RESISTOR = "resistor"
    CHOKE = "choke"
    ELECTROLYTIC = "electrolytic"
    LOAD = "load"
    HEATER = "heater"


class Place(StrEnum):
    """Where in a supply a part stands; a page knows where to draw each."""

    SOURCE = "source"
    RECTIFIER = "rectifier"
    INPUT = "input"
    BEHIND = "behind"
    LEAD = "lead"
    RESERVOIR = "reservoir"
    LOWER_RESERVOIR = "lower reservoir"
    SERIES = "series"
    SHUNT = "shunt"
    LOAD = "load"
    BLEEDER = "bleeder"
    HEATER = "heater"
    DROPPER = "dropper"


@dataclass(frozen=True, slots=True)
class SupplyPart:
    """A part: its key, symbol and place; the node that it stands at, or leads to, counted from 0
    (-1: ahead of all); label and value as printed.

    ``suspicion`` is the probability that it is to blame, 0 where nothing says so, and ``words``
    what is said of it. ``details`` is what is known of it in this job, when somebody looks closer.
    """

    key: str
    symbol: Symbol
    place: Place
    node: int
    label: str
    value: str = ""
    suspicion: float = 0.0
    words: str = ""
    details: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class SupplyNode:
    """A node from the reservoir on: what is expected there now, what was read last and what that
    was, in the verdict's words; ``read_at`` under what line, where that is not the one of now."""

    name: str
    expected: str = ""
    read: str = ""
    verdict: str = ""
    words: str = ""
    read_at: str = ""


@dataclass(frozen=True, slots=True)
class Probe:
    """A meter as it is joined now: at a node (-1: across the line), its letter and its words."""

    node: int
    letter: str
    words: str


@dataclass(frozen=True, slots=True)
class SupplyPicture:
    """A supply as it stands at a step; ``series`` tells that the heaters hang in a string."""

    topology: str
    rail: str
    parts: tuple[SupplyPart, ...]
    nodes: tuple[SupplyNode, ...]
    probes: tuple[Probe, ...] = ()
    series: bool = False


@dataclass(frozen=True, slots=True)
class TableCell:
    """One value of a table: its column, the question that asks for it, the label of its result,
    what is expected, and what was read with its verdict; texts are empty where there is nothing."""

    column: str
    ask: str
    label: str
    expected: str
    read: str = ""
    verdict: str = ""
    words: str = ""


@dataclass(frozen=True, slots=True)
class TableRow:
    """A row of readings: the question that takes it as a line, its name and what it does."""

    ask: str
    label: str
    does: str
    cells: tuple[TableCell, ...]


@dataclass(frozen=True, slots=True)
class ReadingTable:
    """Many values that are read one after the other, as tubes by electrodes."""

    columns: tuple[str, ...]
    rows: tuple[TableRow, ...]


@dataclass(frozen=True, slots=True)
class ScaleReading:
    """How far a mark was off when it was read: in tolerances, positive where stations stand too low
    on the scale; the error and what was done before it, in words; the verdict."""

    off: float
    text: str
    words: str
    verdict: str


@dataclass(frozen=True, slots=True)
class ScaleSpan:
    """From here to there."""

    low: float
    high: float


@dataclass(frozen=True, slots=True)
class ScaleMark:
    """A mark: where it stands along the scale, 0 to 1, what is printed there, what it may be off,
    whether the pointer stands on it now, its readings in order, and between which errors (as theirs
    are) the next one is foretold."""

    place: float
    label: str
    tolerance: str
    lit: bool = False
    readings: tuple[ScaleReading, ...] = ()
    foretold: ScaleSpan | None = None


@dataclass(frozen=True, slots=True)
class ScaleCorrection:
    """A place of the scale, 0 to 1: what the dial says there, and what comes in."""

    place: float
    dial: str
    true: str


@dataclass(frozen=True, slots=True)
class ScaleFigure:
    """A figure printed on a scale, at its place, 0 to 1."""

    place: float
    text: str


@dataclass(frozen=True, slots=True)
class PrintedScale:
    """A band's scale as it is printed on the set: its figures, and the unit that they are in."""

    band: str
    unit: str
    figures: tuple[ScaleFigure, ...]


@dataclass(frozen=True, slots=True)
class ScalePicture:
    """A band's scale with the marks that are read on it, by rising frequency, and, once enough of
    them are read, what comes in anywhere between; ``beside`` are the set's other scales, and
    ``searched`` is from where to where on this one the mark that is lit is looked for."""

    band: str
    low: str
    high: str
    marks: tuple[ScaleMark, ...]
    corrected: tuple[ScaleCorrection, ...] = ()
    beside: tuple[PrintedScale, ...] = ()
    searched: ScaleSpan | None = None


class ChainKind(StrEnum):
    """What a block of the signal's way is drawn as."""

    AERIAL = "aerial"
    TUNED = "tuned circuit"
    AMPLIFIER = "amplifier"
    MIXER = "mixer"
    OSCILLATOR = "oscillator"
    CAN = "coupled pair"
    FILTER = "filter"
    DETECTOR = "detector"
    SPEAKER = "loudspeaker"


@dataclass(frozen=True, slots=True)
class ChainCore:
    """An adjuster of a can or a tuned circuit: its words, and whether it is turned now (``lit``) or
    was turned already (``done``)."""

    key: str
    label: str
    lit: bool = False
    done: bool = False


@dataclass(frozen=True, slots=True)
class ChainBlock:
    """A block of the signal's way: what it is drawn as, its device, what it is tuned to, the gain
    expected of it, its cores; whether the control line reaches it, the level that is expected
    behind it without control, and what was read there."""

    key: str
    kind: ChainKind
    label: str
    tuned: str = ""
    gain: str = ""
    cores: tuple[ChainCore, ...] = ()
    controlled: bool = False
    stopped: bool = False
    expected: str = ""
    read: str = ""
    verdict: str = ""
    suspicion: float = 0.0
    words: str = ""


@dataclass(frozen=True, slots=True)
class ChainWay:
    """A part of a lead: what it is drawn as, its name, its loss in words; not ``counted`` where the
    level is stated before it."""

    kind: LeadKind
    name: str
    loss: str
    counted: bool


@dataclass(frozen=True, slots=True)
class ChainPoint:
    """A generator or a meter as it is joined now: before (or behind) a block, its letter, what lies
    between, its setting in words, and the parts of its lead from it on."""

    block: str
    behind: bool
    letter: str
    through: str
    words: str
    way: tuple[ChainWay, ...] = ()


@dataclass(frozen=True, slots=True)
class ChainPicture:
    """The signal's way from the aerial to the loudspeaker as a band and mode use it. An oscillator
    hangs below the block of its mixer, named in ``feeds``; ``control`` is the block that the
    control line comes from, "" where there is none."""

    band: str
    blocks: tuple[ChainBlock, ...]
    oscillators: tuple[ChainBlock, ...]
    feeds: tuple[str, ...]
    control: str
    points: tuple[ChainPoint, ...] = ()


@dataclass(frozen=True, slots=True)
class ChassisItem:
    """A thing on a chassis: its side, middle and size in mm, and how it stands: the present one
    (``lit``), turned already (``done``), not to be turned (``sealed``), or easily mistaken for the
    present one (``mistaken``)."""

    key: str
    label: str
    thing: str
    side: str
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float
    reach: str = ""
    lit: bool = False
    done: bool = False
    sealed: bool = False
    mistaken: bool = False


@dataclass(frozen=True, slots=True)
class ChassisOrder:
    """An adjuster in the chain's order, where nobody has said where it is."""

    label: str
    lit: bool
    done: bool


@dataclass(frozen=True, slots=True)
class ChassisPicture:
    """A chassis with the adjuster that is turned now: sizes in mm, the side it is reached from, the
    tool and the way to it in words. Without places ``items`` is empty, and ``order`` tells the
    adjusters in the chain's order. With a ``photo_id`` they are pins on that photo, in thousandths
    of its width and height."""

    width_mm: float
    depth_mm: float
    height_mm: float
    side: str
    tool: str
    reach: str
    items: tuple[ChassisItem, ...]
    order: tuple[ChassisOrder, ...]
    photo_id: int = 0


class BlockStanding(StrEnum):
    """How a block of a diagram stands while a fault is traced."""

    OPEN = "open"
    SUSPECTED = "suspected"
    CLEARED = "cleared"
    CONVICTED = "convicted"
    MENDED = "mended"


@dataclass(frozen=True, slots=True)
class DiagramTest:
    """A test of a block: the question that takes its outcome, in words, and its minutes."""

    ask: str
    words: str
    minutes: str


@dataclass(frozen=True, slots=True)
class StagePart:
    """A part of a stage as it is drawn: where ("plate", "screen", "cathode", "grid", "upper",
    "lower", "coupling", "screen bypass", "cathode bypass", "device"), its value, and how likely it
    is to blame; ``named`` where that is worth naming. ``words`` call it as it is called in this
    stage."""

    place: str
    words: str
    value: str
    suspicion: float = 0.0
    named: bool = False


@dataclass(frozen=True, slots=True)
class StageVolts:
    """Volts at an electrode of a stage ("feed" for what it is fed from): read, and if it were
    sound. ``words`` call it as it is called in this stage."""

    at: str
    words: str
    read: str
    sound: str


@dataclass(frozen=True, slots=True)
class StageDrawing:
    """The circuit of a stage with its volts; ``before`` is the stage that its coupling comes
    from."""

    name: str
    solid: bool
    before: str
    parts: tuple[StagePart, ...]
    volts: tuple[StageVolts, ...]


@dataclass(frozen=True, slots=True)
class DiagramBlock:
    """A block of a set: what it does, its board, how likely it is to blame (0 to 1, as a figure
    and in words), how it stands, whether the test that is asked now runs through it (``lit``) and
    whether the position in hand uses it; what cleared or implicated it, what it leans on, what
    could be tried on it, what its own circuit tells, and that circuit drawn."""

    key: str
    label: str
    kind: str
    board: str
    suspicion: float
    figure: str
    standing: BlockStanding
    lit: bool = False
    used: bool = True
    evidence: tuple[str, ...] = ()
    leans_on: tuple[str, ...] = ()
    tests: tuple[DiagramTest, ...] = ()
    inside: tuple[str, ...] = ()
    circuits: tuple[StageDrawing, ...] = ()


@dataclass(frozen=True, slots=True)
class DiagramLink:
    """What runs from one block to another: signal, oscillator, control or supply; ``lit`` where
    the test that is asked now runs along it."""

    source: str
    to: str
    kind: str
    lit: bool = False


@dataclass(frozen=True, slots=True)
class DiagramPoint:
    """Where a lead goes now: the input of a block, its letter (G for the generator, V for what is
    read) and its words."""

    at: str
    letter: str
    words: str


@dataclass(frozen=True, slots=True)
class DiagramPicture:
    """A set as blocks with who is suspected; ``derived`` where the sheet gives no diagram."""

    position: str
    derived: bool
    blocks: tuple[DiagramBlock, ...]
    links: tuple[DiagramLink, ...]
    points: tuple[DiagramPoint, ...] = ()
