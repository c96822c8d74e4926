"""What is to be seen of the ramp: the supply as the line rises, and B+ against the line."""

from __future__ import annotations

from glowdial.core.journey.pictures import Probe, SupplyPicture
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Plot, PlotLine, Result
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.rampup import expectation
from glowdial.core.stages.bring_up.supply_picture import supply_picture

PLOT_POINTS = 16


def ramp_picture(
    situation: Situation, supply: Supply, line_v: float, read: Result | None, *, again: bool
) -> SupplyPicture | None:
    """The supply at ``line_v`` volts of the line, the meters where they are joined, and at B+ what
    was read last; with ``again`` something else is asked for now, and it is said when that was."""
    last = len(supply.sections)
    return supply_picture(
        situation.facts,
        expectation(supply, line_v).point.node_v,
        {last: read} if read else {},
        line_v=line_v,
        read_at=f"at {read.label}" if read and again else "",
        probes=(Probe(-1, "V", "line volts"), Probe(last, "V", "your DC meter")),
        record=situation.record,
    )


def ramp_plot(
    supply: Supply | None, line_v: float, pairs: tuple[tuple[float, float], ...]
) -> Plot | None:
    """B+ read against the line, with the window that this set's own supply gives it."""
    lines: list[PlotLine] = []
    if supply is not None:
        grid = tuple(line_v * (0.2 + 0.85 * n / (PLOT_POINTS - 1)) for n in range(PLOT_POINTS))
        expected = [expectation(supply, ac) for ac in grid]
        lines = [
            PlotLine("lowest", "low", grid, tuple(e.window.low for e in expected)),
            PlotLine("highest", "high", grid, tuple(e.window.high for e in expected)),
            PlotLine("expected", "expected", grid, tuple(e.window.nominal for e in expected)),
        ]
    if not lines and not pairs:
        return None
    read = PlotLine("read", "measured", tuple(p[0] for p in pairs), tuple(p[1] for p in pairs))
    return Plot("B+ against line", "line (V)", "B+ (V)", (*lines, read))
