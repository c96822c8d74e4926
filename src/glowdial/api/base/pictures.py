"""What is to be seen at a step or of a sum, as the interface gives it."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Self

from pydantic import BaseModel, Field

from glowdial.core.bench.peak_trace import PeakTrace
from glowdial.core.journey.pictures import BlockStanding, ChainKind
from glowdial.core.model.chassis import Side, Thing
from glowdial.core.physics.level_path import LeadKind

if TYPE_CHECKING:
    from _typeshed import DataclassInstance


class Shown(BaseModel):
    """What is to be seen, field by field as the core says it."""

    @classmethod
    def of(cls, what: DataclassInstance) -> Self:
        """From the core's own data."""
        return cls.model_validate(asdict(what))


class PlotLineShape(BaseModel):
    label: str
    role: str
    x: list[float]
    y: list[float | None]


class PlotMarkShape(BaseModel):
    """An upright line; its role is nominal, limit, peak or edge."""

    x: float
    label: str
    role: str


class PlotShape(Shown):
    title: str
    x_label: str
    y_label: str
    lines: list[PlotLineShape]
    tolerance: float | None
    marks: list[PlotMarkShape]
    main: bool = Field(description="what its step is about")
    decades: bool = Field(default=False, description="x is drawn by decades")


class SupplyPartShape(BaseModel):
    """A part of a supply as it is drawn; ``suspicion`` is the probability that it is to blame."""

    key: str
    symbol: str
    place: str
    node: int
    label: str
    value: str
    suspicion: float
    words: str
    details: list[str] = Field(description="what is known of it in this job")


class SupplyNodeShape(BaseModel):
    name: str
    expected: str
    read: str
    verdict: str
    words: str
    read_at: str


class ProbeShape(BaseModel):
    node: int
    letter: str
    words: str


class SupplyPictureShape(Shown):
    """A supply to be drawn: nodes from the reservoir on, the parts between, the probes now."""

    topology: str
    rail: str
    parts: list[SupplyPartShape]
    nodes: list[SupplyNodeShape]
    probes: list[ProbeShape]
    series: bool


class TableCellShape(BaseModel):
    column: str
    ask: str
    label: str
    expected: str
    read: str
    verdict: str
    words: str


class TableRowShape(BaseModel):
    ask: str
    label: str
    does: str
    cells: list[TableCellShape]


class ReadingTableShape(Shown):
    """Many values that are read one after the other; a row is taken by its question."""

    columns: list[str]
    rows: list[TableRowShape]


class ScaleReadingShape(BaseModel):
    off: float
    text: str
    words: str
    verdict: str


class ScaleSpanShape(BaseModel):
    low: float
    high: float


class ScaleMarkShape(BaseModel):
    place: float
    label: str
    tolerance: str
    lit: bool
    readings: list[ScaleReadingShape]
    foretold: ScaleSpanShape | None


class ScaleCorrectionShape(BaseModel):
    """What the dial says at a place of the scale, and what comes in there."""

    place: float
    dial: str
    true: str


class ScaleFigureShape(BaseModel):
    place: float
    text: str


class PrintedScaleShape(BaseModel):
    """A band's scale as it is printed on the set."""

    band: str
    unit: str
    figures: list[ScaleFigureShape]


class ScalePictureShape(Shown):
    """A band's scale, and how far each of its marks was off whenever it was read."""

    band: str
    low: str
    high: str
    marks: list[ScaleMarkShape]
    corrected: list[ScaleCorrectionShape]
    beside: list[PrintedScaleShape]
    searched: ScaleSpanShape | None


class ChainCoreShape(BaseModel):
    key: str
    label: str
    lit: bool
    done: bool


class ChainBlockShape(BaseModel):
    """A block of the signal's way; ``suspicion`` is the probability that it is to blame."""

    key: str
    kind: ChainKind
    label: str
    tuned: str
    gain: str
    cores: list[ChainCoreShape]
    controlled: bool
    stopped: bool
    expected: str
    read: str
    verdict: str
    suspicion: float
    words: str


class ChainWayShape(BaseModel):
    """A part of a lead, and whether the level is stated behind it."""

    kind: LeadKind
    name: str
    loss: str
    counted: bool


class ChainPointShape(BaseModel):
    """A generator or a meter before or behind a block, with the parts of its lead."""

    block: str
    behind: bool
    letter: str
    through: str
    words: str
    way: list[ChainWayShape]


class ChainPictureShape(Shown):
    """The signal's way from the aerial to the loudspeaker, and what is joined to it now."""

    band: str
    blocks: list[ChainBlockShape]
    oscillators: list[ChainBlockShape]
    feeds: list[str]
    control: str
    points: list[ChainPointShape]


class ChassisItemShape(BaseModel):
    """A thing on a chassis: its middle and size in mm, and how it stands."""

    key: str
    label: str
    thing: Thing
    side: Side
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float
    reach: str
    lit: bool
    done: bool
    sealed: bool
    mistaken: bool


class ChassisOrderShape(BaseModel):
    label: str
    lit: bool
    done: bool


class ChassisPictureShape(Shown):
    """A chassis with the adjuster that is turned now; without places its order in the chain."""

    width_mm: float
    depth_mm: float
    height_mm: float
    side: str
    tool: str
    reach: str
    items: list[ChassisItemShape]
    order: list[ChassisOrderShape]
    photo_id: int = Field(description="of the photo that items are pins on, else 0")


class DiagramTestShape(BaseModel):
    """A test of a block: the question that takes its outcome, in words, and its minutes."""

    ask: str
    words: str
    minutes: str


class StagePartShape(BaseModel):
    place: str
    words: str
    value: str
    suspicion: float
    named: bool


class StageVoltsShape(BaseModel):
    at: str
    words: str
    read: str
    sound: str


class StageDrawingShape(BaseModel):
    """The circuit of a stage with its volts, as read and if it were sound."""

    name: str
    solid: bool
    before: str
    parts: list[StagePartShape]
    volts: list[StageVoltsShape]


class DiagramBlockShape(BaseModel):
    """A block of a set; ``suspicion`` is the probability that it is to blame."""

    key: str
    label: str
    kind: str
    board: str
    suspicion: float
    figure: str
    standing: BlockStanding
    lit: bool
    used: bool
    evidence: list[str]
    leans_on: list[str]
    tests: list[DiagramTestShape]
    inside: list[str]
    circuits: list[StageDrawingShape]


class DiagramLinkShape(BaseModel):
    source: str
    to: str
    kind: str
    lit: bool


class DiagramPointShape(BaseModel):
    """A generator or a probe at the input of a block."""

    at: str
    letter: str
    words: str


class DiagramPictureShape(Shown):
    """A set as blocks with who is suspected; ``derived`` where its sheet gives no diagram."""

    position: str
    derived: bool
    blocks: list[DiagramBlockShape]
    links: list[DiagramLinkShape]
    points: list[DiagramPointShape]


class TracePointShape(BaseModel):
    turns: float
    value: float


class PeakTraceShape(BaseModel):
    """The way over a peak so far: every place tried, the best, and what the hand does now."""

    points: list[TracePointShape]
    best: TracePointShape
    below: float
    back_turns: float
    words: str
    next_words: str
    at_best: bool
    now_text: str

    @classmethod
    def of(cls, trace: PeakTrace) -> PeakTraceShape:
        """From the core's trace."""
        more = {"at_best": trace.at_best, "now_text": trace.now_text}
        return cls.model_validate({**asdict(trace), **more})
