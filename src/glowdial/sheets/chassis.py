"""Where things are on a chassis, as a sheet says it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from glowdial.core.model.chassis import Layout, Placed, Reach, Side, Thing
from glowdial.sheets.section import Section, Source, Words

Millimetres = Annotated[float, Field(ge=0.0, le=2000.0)]


class PlaceSheet(Section):
    """A thing at its place, in mm: from the left as seen from the front, and from the front edge
    (at the rear: upward). ``what`` is the key of an adjuster, a tube's position or a can's key."""

    what: Words = ""
    name: Words
    thing: Thing
    side: Literal[Side.TOP, Side.UNDERSIDE, Side.REAR]
    x_mm: Millimetres
    y_mm: Millimetres
    width_mm: Millimetres = 12.0
    depth_mm: Millimetres = 12.0
    reach: Reach = Reach.ONLY
    sealed: bool = False

    @property
    def placed(self) -> Placed:
        """As the rules use it."""
        return Placed(**self.model_dump())


class ChassisLayoutSheet(Section):
    """The chassis from above, from below and from behind."""

    source: Source
    width_mm: float = Field(gt=0, le=2000)
    depth_mm: float = Field(gt=0, le=2000)
    height_mm: float = Field(default=70.0, gt=0, le=1000)
    places: list[PlaceSheet] = Field(max_length=300)

    @property
    def layout(self) -> Layout:
        """As the rules use it."""
        placed = tuple(p.placed for p in self.places)
        return Layout(self.width_mm, self.depth_mm, self.height_mm, placed)
