"""Small sets as blocks, to trace faults in."""

from __future__ import annotations

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

ONE_TUBE = ((PartFamily.TUBE, 1),)
ANYWHERE = Position("mw AM", "medium wave")


def block(key: str, **more: object) -> Block:
    """A block with a tube in it."""
    given: dict[str, object] = {"parts": ONE_TUBE, "gain_db": 10.0, "effort_min": 0.0, **more}
    return Block(key, key, BlockKind.AMPLIFIER, **given)  # type: ignore[arg-type]


def chain(count: int, *, points: bool = True) -> BlockDiagram:
    """A plain chain with a point at the input of every block but the first."""
    blocks = tuple(block(f"b{n}") for n in range(count))
    links = tuple(Link(f"b{n}", f"b{n + 1}") for n in range(count - 1))
    at = tuple(TestPoint(f"p{n}", f"p{n}", f"b{n}", 0.0) for n in range(1, count))
    return BlockDiagram(blocks, links, at if points else (), (ANYWHERE,), "b0", f"b{count - 1}")


def two_bands() -> BlockDiagram:
    """A coil for each band, then in common; an oscillator that the mixer leans on, a supply."""
    lw, mw = Position("lw", "long wave"), Position("mw", "medium wave")
    blocks = (
        block("aerial"),
        block("coil-lw", used_in=("lw",)),
        block("coil-mw", used_in=("mw",)),
        block("mixer"),
        block("if"),
        block("audio"),
        block("oscillator"),
        block("supply"),
    )
    links = (
        Link("aerial", "coil-lw", used_in=("lw",)),
        Link("aerial", "coil-mw", used_in=("mw",)),
        Link("coil-lw", "mixer", used_in=("lw",)),
        Link("coil-mw", "mixer", used_in=("mw",)),
        Link("mixer", "if"),
        Link("if", "audio"),
        Link("oscillator", "mixer", LinkKind.OSCILLATOR),
        Link("supply", "oscillator", LinkKind.SUPPLY),
        Link("supply", "audio", LinkKind.SUPPLY),
    )
    points = (TestPoint("grid", "mixer grid", "mixer"), TestPoint("if-in", "IF grid", "if"))
    return BlockDiagram(blocks, links, points, (lw, mw), "aerial", "audio")
