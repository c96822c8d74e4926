"""A ladder of resistors solved at its nodes: nothing of the chain matrices that it is held
against."""

from __future__ import annotations

import numpy as np

from glowdial.core.physics.pads import BuiltPad


def solved(pad: BuiltPad, emf_v: float) -> tuple[float, list[float]]:
    """Volts at the load, and watts in each arm, by conductances at the nodes; the source as its
    Norton equivalent."""
    nodes = 1 + sum(a.series for a in pad.arms)
    g, i = np.zeros((nodes, nodes)), np.zeros(nodes)
    g[0, 0] += 1.0 / pad.source_ohm
    i[0] = emf_v / pad.source_ohm
    at, places = 0, []
    for arm in pad.arms:
        y = 1.0 / arm.ohm
        if arm.series:
            g[at, at] += y
            g[at + 1, at + 1] += y
            g[at, at + 1] -= y
            g[at + 1, at] -= y
            places.append((at, at + 1))
            at += 1
        else:
            g[at, at] += y
            places.append((at, -1))
    g[at, at] += 1.0 / pad.load_ohm
    v = np.linalg.solve(g, i)
    across = [v[a] - (v[b] if b >= 0 else 0.0) for a, b in places]
    return float(v[at]), [float(u) ** 2 / arm.ohm for u, arm in zip(across, pad.arms, strict=True)]
