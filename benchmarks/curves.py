"""What a swept curve tells: direction, core, and how long the fit takes.

    python -m benchmarks.curves [how many]

Seeded IFs of one to three cans, 110 kHz to 10.7 MHz, one core 0.4 to 2 % off, Qs and couplings off
the sheet, 2 % of noise; the response is solved by mesh matrices of its own. Printed: direction and
centre from one curve, what was named and how often rightly, the core after the deciding trace, and
the time of a fit and of a 601-point response.
"""

from __future__ import annotations

import math
import sys
import time

import numpy as np

from glowdial.core.alignment.curve import curve_figures
from glowdial.core.alignment.which_core import (
    CanDesign,
    SweptCurve,
    deciding_moves,
    which_core,
)
from glowdial.core.physics.coupled_circuits import CanShape

SETS, NOISE, POINTS = 300, 0.02, 201
TRACES = 4

Can = tuple[np.ndarray, float]


def seeded(rng: np.random.Generator, count: int) -> tuple[float, list[CanDesign], list[Can]]:
    """A design, and what was built."""
    centre = float(np.exp(rng.uniform(math.log(110e3), math.log(10.7e6))))
    sheet, built = [], []
    for n in range(count):
        q = rng.uniform(50.0, 120.0, 2)
        of_critical = float(rng.uniform(0.5, 1.3))
        sheet.append(CanDesign((f"T{n}p", f"T{n}s"), (float(q[0]), float(q[1])), (of_critical,)))
        true_q = q * np.clip(np.exp(0.35 * rng.standard_normal(2)), 0.6, 1.6)
        true_k = of_critical * math.exp(0.2 * rng.standard_normal()) / math.sqrt(true_q.prod())
        built.append((true_q, float(true_k)))
    return centre, sheet, built


def response(
    centre: float, built: list[Can], off: dict[str, float]
) -> tuple[np.ndarray, np.ndarray]:
    """The built IF's magnitude over six half-widths, by its mesh matrices."""
    row = centre * np.linspace(1.0 - 0.043, 1.0 + 0.043, POINTS)
    volts = np.ones(POINTS)
    for n, (q, k) in enumerate(built):
        u = np.array([centre * (1.0 + off.get(f"T{n}{x}", 0.0)) / row for x in "ps"])
        z = u / q[:, None] + 1j * (1.0 - u**2)
        matrix = np.empty((POINTS, 2, 2), complex)
        matrix[:, 0, 0], matrix[:, 1, 1] = z
        matrix[:, 0, 1] = matrix[:, 1, 0] = -1j * k
        source = np.zeros((POINTS, 2, 1), complex)
        source[:, 0, 0] = u[0] ** 2
        volts *= np.abs(np.linalg.solve(matrix, source)[:, 1, 0]) * u[1] ** 2
    return row, volts / volts.max()


def drawn(
    centre: float,
    built: list[Can],
    off: dict[str, float],
    moved: dict[str, float],
    rng: np.random.Generator,
) -> SweptCurve:
    """A noisy trace with some cores moved."""
    now = {k: off.get(k, 0.0) + moved.get(k, 0.0) for k in {*off, *moved}}
    row, volts = response(centre, built, now)
    return SweptCurve(row, volts + NOISE * rng.standard_normal(POINTS), moved, NOISE)


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else SETS
    way = centred = named = rightly = decided = 0
    traces: list[int] = []
    spent: list[float] = []
    for seed in range(count):
        rng = np.random.default_rng((seed, 7))
        centre, sheet, built = seeded(rng, 1 + seed % 3)
        cores = [core for can in sheet for core in can.cores]
        bad = cores[int(rng.integers(len(cores)))]
        offset = float(rng.choice([-1.0, 1.0]) * rng.uniform(0.004, 0.02))
        off = {core: 0.0003 * float(rng.standard_normal()) for core in cores} | {bad: offset}
        curves = [drawn(centre, built, off, {}, rng)]
        begun = time.perf_counter()
        found = which_core(sheet, centre, curves)
        spent.append(time.perf_counter() - begun)
        way += (found.too_high > 0.5) is (offset > 0.0)
        row, clean = response(centre, built, off)
        true, seen = (curve_figures(row, v, baseline_v=0.0) for v in (clean, found.fitted_v))
        wide, told = true.width(6.0), seen.width(6.0)
        if wide and told:
            centred += abs(told.centre_hz - wide.centre_hz) <= 0.007 * wide.width_hz
        if found.named:
            named += 1
            rightly += found.named.core == bad
        used = 1
        cans = sheet
        while found.named is None and used < TRACES:
            moved = dict(curves[-1].moved) if used > 1 else {}
            for core, shift in deciding_moves(cans, found).items():
                moved[core] = moved.get(core, 0.0) + shift
            curves.append(drawn(centre, built, off, moved, rng))
            found = which_core(sheet, centre, curves)
            used += 1
        traces.append(used)
        decided += found.cores[0].core == bad
    percent = 100.0 / count
    print(
        f"sets {count}: direction right {way * percent:.1f} %, centre within 0.7 % of the width "
        f"{centred * percent:.1f} %"
    )
    print(f"named from one curve {named}, of these right {rightly}")
    print(
        f"right core after the deciding traces {decided * percent:.1f} %, "
        f"traces in the mean {np.mean(traces):.2f}"
    )
    three = spent[2::3]
    print(
        f"fit of {POINTS} points, three cans: median {1e3 * np.median(three):.0f} ms, "
        f"p95 {1e3 * np.percentile(three, 95):.0f} ms"
    )
    row = np.linspace(440e3, 490e3, 601)
    can = CanShape((465e3, 466e3), (88.0, 96.0), (0.01,))
    begun = time.perf_counter()
    for _ in range(200):
        for _ in range(3):
            can.transfer(row)
    print(f"601 points, three cans: {1e3 * (time.perf_counter() - begun) / 200:.2f} ms")


if __name__ == "__main__":
    main()
