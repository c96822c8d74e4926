"""What is to be seen at a step or of a sum, as the interface gives it."""

from __future__ import annotations

from dataclasses import asdict

from pydantic import BaseModel

from glowdial.core.journey.pictures import ReadingTable, ScalePicture, SupplyPicture
from glowdial.core.journey.steps import Plot


class PlotLineShape(BaseModel):
    label: str
    role: str
    x: list[float]
    y: list[float | None]


class PlotShape(BaseModel):
    title: str
    x_label: str
    y_label: str
    lines: list[PlotLineShape]
    tolerance: float | None

    @classmethod
    def of(cls, plot: Plot) -> PlotShape:
        """From the journey's plot."""
        return cls(
            title=plot.title,
            x_label=plot.x_label,
            y_label=plot.y_label,
            tolerance=plot.tolerance,
            lines=[
                PlotLineShape(label=p.label, role=p.role, x=list(p.x), y=list(p.y))
                for p in plot.lines
            ],
        )


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


class SupplyPictureShape(BaseModel):
    """A supply to be drawn: nodes from the reservoir on, the parts between, the probes now."""

    topology: str
    rail: str
    parts: list[SupplyPartShape]
    nodes: list[SupplyNodeShape]
    probes: list[ProbeShape]
    series: bool

    @classmethod
    def of(cls, picture: SupplyPicture) -> SupplyPictureShape:
        """From the journey's picture."""
        return cls.model_validate(asdict(picture))


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


class ReadingTableShape(BaseModel):
    """Many values that are read one after the other; a row is taken by its question."""

    columns: list[str]
    rows: list[TableRowShape]

    @classmethod
    def of(cls, table: ReadingTable) -> ReadingTableShape:
        """From the journey's table."""
        return cls.model_validate(asdict(table))


class ScaleReadingShape(BaseModel):
    off: float
    text: str
    words: str
    verdict: str


class ScaleMarkShape(BaseModel):
    place: float
    label: str
    tolerance: str
    lit: bool
    readings: list[ScaleReadingShape]


class ScalePictureShape(BaseModel):
    """A band's scale, and how far each of its marks was off whenever it was read."""

    band: str
    low: str
    high: str
    marks: list[ScaleMarkShape]

    @classmethod
    def of(cls, scale: ScalePicture) -> ScalePictureShape:
        """From the journey's scale."""
        return cls.model_validate(asdict(scale))
