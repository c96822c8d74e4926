"""The block diagram as it is drawn while a fault is traced."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from glowdial.core.journey.inside_stage import Inside, inside_of, stage_drawing
from glowdial.core.journey.pictures import (
    BlockStanding,
    DiagramBlock,
    DiagramLink,
    DiagramPicture,
    DiagramPoint,
    DiagramTest,
)
from glowdial.core.journey.room import Situation
from glowdial.core.model.blocks import Block, BlockDiagram, Link, LinkKind
from glowdial.core.stages.faults.asks import trial_ask
from glowdial.core.stages.faults.case import WELL_SUSPECTED, Case, fails
from glowdial.core.stages.faults.steps import line_clamped
from glowdial.core.tracing.trials import Trial

CLEARED_BELOW, SHOWN_FROM = 0.01, 0.005
MOST_LINES = 4


def evidence_lines(case: Case, block: Block) -> tuple[str, ...]:
    """The sentences that name what cleared or implicated a block, the last first."""
    lines = []
    for one in reversed(case.evidence):
        inside = block.key in one.finding.trial.reach
        if inside and fails(one):
            lines.append(f"Implicated: {one.said}; it is in the way of that.")
        elif inside:
            lines.append(f"Cleared: {one.said}; that runs through it.")
        elif fails(one):
            lines.append(f"Cleared: {one.said}; that does not use it.")
    history = case.history
    if block.key in history.this_set:
        lines.append("Found at fault in this set before.")
    if block.key in history.this_model:
        lines.append("Found at fault in other sets of this model.")
    if block.key in history.modified:
        lines.append("Modified: the register says so.")
    if block.key in history.touched_last:
        lines.append("Touched last: likelier for it.")
    if block.key in history.parked:
        lines.append("Something seen there was parked.")
    if block.key in history.believed:
        lines.append("Somebody believes so; that is worth little.")
    cleared = case.posterior.of(block.key) < CLEARED_BELOW
    # what decided comes first
    lines.sort(key=lambda line: line.startswith("Implicated") == cleared)
    return tuple(dict.fromkeys(lines))[:MOST_LINES]


def diagram_picture(
    case: Case,
    asked: Trial | None,
    mended: Sequence[str],
    inside: Mapping[str, Sequence[Inside]],
    blamed: str,
) -> DiagramPicture:
    """The diagram with who is suspected; ``inside`` is what the circuit of a block tells of its
    parts."""
    diagram = case.diagram
    position = asked.position if asked else diagram.positions[0].key
    way = set(diagram.way(position))
    reach = set(asked.reach) if asked else set()
    blocks = tuple(
        _block(case, b, reach, way, mended, inside.get(b.key, ()), blamed) for b in diagram.blocks
    )
    links = tuple(
        DiagramLink(k.source, k.to, k.kind.value, lit=k.source in reach and k.to in reach)
        for k in _drawn(diagram)
    )
    return DiagramPicture(
        diagram.position(position).name, diagram.derived, blocks, links, _points(diagram, asked)
    )


def _drawn(diagram: BlockDiagram) -> tuple[Link, ...]:
    """What is drawn as a line: the signal's way and the oscillators'; what feeds and controls is
    said at the block."""
    drawn = (LinkKind.SIGNAL, LinkKind.OSCILLATOR)
    return tuple(k for k in diagram.links if k.kind in drawn)


def _points(diagram: BlockDiagram, asked: Trial | None) -> tuple[DiagramPoint, ...]:
    if asked is None:
        return ()
    points = []
    if asked.source:
        found = diagram.point(asked.source)
        points.append(DiagramPoint(found.at, "G", f"generator at {found.name}"))
    if asked.target:
        found = diagram.point(asked.target)
        points.append(DiagramPoint(found.at, "V", f"read at {found.name}"))
    return tuple(points)


def _block(
    case: Case,
    block: Block,
    reach: set[str],
    way: set[str],
    mended: Sequence[str],
    inside: Sequence[Inside],
    blamed: str,
) -> DiagramBlock:
    share = case.posterior.of(block.key)
    tests = tuple(
        DiagramTest(trial_ask(case.diagram, t).name, t.words, f"{t.minutes:.0f} min")
        for t in case.tests_of(block.key)
    )
    leans = case.diagram.leans_on((block.key,), next(iter(block.used_in or _any(case))))
    return DiagramBlock(
        block.key,
        block.name,
        block.kind.value,
        block.board,
        share,
        _figure(share),
        _standing(case, block.key, share, mended, blamed),
        lit=block.key in reach,
        used=block.key in way,
        evidence=evidence_lines(case, block),
        leans_on=tuple(case.diagram.block(k).name for k in leans),
        tests=tests,
        inside=tuple(line for i in inside for line in i.lines),
        circuits=tuple(d for i in inside if (d := stage_drawing(i)) is not None),
    )


def _any(case: Case) -> tuple[str, ...]:
    return tuple(p.key for p in case.diagram.positions)


def _figure(share: float) -> str:
    if share < SHOWN_FROM:
        return ""
    return f"{100.0 * share:.0f} %"


def _standing(
    case: Case, key: str, share: float, mended: Sequence[str], blamed: str
) -> BlockStanding:
    if key == blamed:
        return BlockStanding.CONVICTED
    if key in mended:
        return BlockStanding.MENDED
    if not case.evidence:
        return BlockStanding.OPEN
    return BlockStanding.CLEARED if share < CLEARED_BELOW else BlockStanding.SUSPECTED


def insides_of(situation: Situation, case: Case, key: str, step: str = "") -> list[Inside]:
    """What the circuits of a block's stages tell, with the checks that were answered in a step."""
    clamped = line_clamped(situation.record)
    stages = case.diagram.block(key).stages
    found = (inside_of(situation, s, step, clamped=clamped) for s in stages)
    return [i for i in found if i is not None]


def picture_of(
    situation: Situation,
    case: Case,
    asked: Trial | None,
    mended: tuple[str, ...],
    blamed: str,
) -> DiagramPicture:
    """The diagram, with a look inside the blocks that are well suspected or to blame."""
    looked = [
        b.key
        for b in case.diagram.blocks
        if case.posterior.of(b.key) >= WELL_SUSPECTED or b.key == blamed
    ]
    inside = {key: insides_of(situation, case, key) for key in looked}
    return diagram_picture(case, asked, mended, inside, blamed)
