"""The block diagram of a model, as a sheet says it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from glowdial.core.language.errors import BadInput
from glowdial.core.model.blocks import (
    Block,
    BlockDiagram,
    BlockKind,
    Link,
    LinkKind,
    PartFamily,
    Position,
    TestPoint,
)
from glowdial.core.tracing.failures import usual_parts
from glowdial.sheets.section import Section, Source, Words, refuse

BlockKey = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$", examples=["if-1"])]
PositionKey = Annotated[
    str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9 _-]{0,39}$", examples=["mw AM"])
]
UsedIn = Annotated[list[PositionKey], Field(max_length=60)]
Minutes = Annotated[float, Field(ge=0, le=240)]
Level = Annotated[float, Field(gt=0, le=1000)]


class BlockSheet(Section):
    """A block: what it does, the board that it sits on, what is in it where that is not the usual.

    ``used_in`` are the positions that use it, none for all of them; ``effort_min`` is what it takes
    to get at it. ``stages`` are stages of the circuit by name.
    """

    key: BlockKey
    name: Annotated[str, Field(min_length=1, max_length=40)]
    kind: BlockKind
    board: Words = ""
    effort_min: Minutes = 2.0
    gain_db: float | None = Field(default=None, ge=-120, le=120, examples=[24])
    parts: dict[PartFamily, Annotated[int, Field(ge=1, le=50)]] = Field(default_factory=dict)
    stages: list[str] = Field(default_factory=list, max_length=8)
    used_in: UsedIn = Field(default_factory=list)
    dangerous: bool = Field(default=False, description="volts that can kill are at hand")


class LinkSheet(Section):
    """A connection: the signal's, or what a block needs so that it works."""

    source: BlockKey
    to: BlockKey
    kind: LinkKind = LinkKind.SIGNAL
    used_in: UsedIn = Field(default_factory=list)


class TestPointSheet(Section):
    """A place for a probe or a clip at the input of a block, with what is normal there."""

    __test__ = False

    key: BlockKey
    name: Annotated[str, Field(min_length=1, max_length=60)]
    at: BlockKey
    effort_min: Minutes = 2.0
    level_v: Level | None = None
    input_v: Level | None = Field(default=None, description="at the aerial, for that level")
    dc_v: float | None = Field(default=None, ge=-2000, le=5000)


class PositionSheet(Section):
    """A band in a mode ("mw AM" by the band's key), or another thing that the set plays."""

    key: PositionKey
    name: Annotated[str, Field(min_length=1, max_length=60)]
    source: BlockKey | None = None


class BlockDiagramSheet(Section):
    """The blocks of a model and what joins them."""

    source_of_figures: Source
    blocks: list[BlockSheet] = Field(min_length=2, max_length=120)
    links: list[LinkSheet] = Field(min_length=1, max_length=400)
    points: list[TestPointSheet] = Field(default_factory=list, max_length=200)
    positions: list[PositionSheet] = Field(min_length=1, max_length=60)
    source: BlockKey = Field(description="the block that the signal comes in at")
    sink: BlockKey = Field(description="the block that is heard")

    @model_validator(mode="after")
    def _hangs_together(self) -> BlockDiagramSheet:
        try:
            self.diagram(solid=False)
        except BadInput as error:
            raise refuse(f"{error.value} {error.expected}", error.example) from error
        return self

    def diagram(self, *, solid: bool) -> BlockDiagram:
        """As the rules use it; with transistors, what is usually in a block is another thing.

        Raises BadInput where it does not hang together.
        """
        return BlockDiagram(
            tuple(_block(b, solid=solid) for b in self.blocks),
            tuple(Link(k.source, k.to, k.kind, tuple(k.used_in)) for k in self.links),
            tuple(TestPoint(**p.model_dump()) for p in self.points),
            tuple(Position(p.key, p.name, p.source or "") for p in self.positions),
            self.source,
            self.sink,
        )


def _block(block: BlockSheet, *, solid: bool) -> Block:
    return Block(
        block.key,
        block.name,
        block.kind,
        tuple(block.parts.items()) or usual_parts(block.kind, solid=solid),
        block.board,
        block.effort_min,
        block.gain_db,
        tuple(block.stages),
        tuple(block.used_in),
        block.dangerous,
    )
