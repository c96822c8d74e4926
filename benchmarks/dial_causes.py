"""Causes of dial errors, calibrated on sets whose plates obey another law; and what to turn.

python -m benchmarks.dial_causes [CASES]
"""

from __future__ import annotations

import sys
from dataclasses import replace

import numpy as np
from scipy.optimize import minimize_scalar

from benchmarks.hidden_oscillator import HiddenBand
from benchmarks.oscillator_designs import GANG
from benchmarks.oscillator_moves import parts_of
from glowdial.core.alignment.dial_causes import (
    ROLES,
    DialFault,
    MarkError,
    best_to_turn,
    dial_causes,
)
from glowdial.core.physics.tracking import TankRole, TrackedBand, best_points, signal_circuit

SPAN = (530e3, 1620e3)
MARKS = (600e3, 800e3, 1000e3, 1200e3, 1400e3)
TOLERANCE, DOUBT_HZ = 0.005, 900.0
PARTS = {TankRole.SCALE: "coil", TankRole.SHUNT: "across_gang", TankRole.SERIES: "series"}
USUAL = {TankRole.SCALE: 0.0033, TankRole.SHUNT: 0.017, TankRole.SERIES: 0.01}


def case(rng: np.random.Generator, cause: DialFault) -> HiddenBand:
    """A set with one thing wrong, by 1.5 to 8 times what is usual."""
    band = best_points(signal_circuit(GANG, *SPAN), 465e3, *SPAN)
    hidden = HiddenBand(rng, parts_of(band), 465e3, True, *SPAN, TOLERANCE, 8e3)
    hidden.careless = 0.0
    hidden.wobble = (0.0, 0.0036 * float(rng.uniform(-1, 1)), float(rng.uniform(0, 6)))
    amount = float(rng.uniform(1.5, 8.0)) * float(rng.choice([-1.0, 1.0]))
    if cause is DialFault.POINTER:
        hidden.pointer = 0.0013 * amount
    elif cause is DialFault.PLATES:
        hidden.wobble = (float(rng.uniform(-0.01, 0.01)), 0.006 * amount, float(rng.uniform(0, 6)))
    else:
        hidden.shares = {PARTS[ROLES[cause]]: USUAL[ROLES[cause]] * amount}
    return hidden


def worst(hidden: HiddenBand, part: str, change: float) -> float:
    """How far out the worst mark is with a part changed, in tolerances."""
    shares = {**hidden.shares, part: (1.0 + hidden.shares.get(part, 0.0)) * (1.0 + change) - 1.0}
    return max(abs(replace(hidden, shares=shares).error(m)) for m in MARKS)


def turned_well(hidden: HiddenBand, band: TrackedBand, read: list[MarkError]) -> bool:
    """Whether the advised part, as far as advised, is the best one, or half a tolerance worse."""
    advised = best_to_turn(band, read, tuple(PARTS))
    assert advised is not None
    got = worst(hidden, PARTS[advised.role], advised.change)
    best = min(
        float(
            minimize_scalar(
                lambda c, p=p: worst(hidden, p, c), bounds=(-0.2, 0.2), method="bounded"
            ).fun
        )
        for p in PARTS.values()
    )
    return got <= best + 0.5


def calibrated(cases: int) -> tuple[np.ndarray, np.ndarray, list[bool]]:
    """Whether the likeliest cause was the true one, its probability, and whether it was turned
    well, where something that turns was wrong."""
    rng = np.random.default_rng(3)
    causes = (DialFault.POINTER, *ROLES, DialFault.PLATES)
    hits, sure, turned = [], [], []
    band = best_points(signal_circuit(GANG, *SPAN), 465e3, *SPAN)
    for n in range(cases):
        cause = causes[n % len(causes)]
        hidden = case(rng, cause)
        read = [MarkError(m, hidden.read(m) - m, TOLERANCE * m, DOUBT_HZ) for m in MARKS]
        found = dial_causes(band, SPAN, read)
        hits.append(found[0].cause is cause)
        sure.append(found[0].probability)
        turned.append(turned_well(hidden, band, read))
    return np.array(hits), np.array(sure), turned


def main(cases: int) -> None:
    """Print how often the likeliest cause is right, by its probability, and what was turned."""
    hits, sure, turned = calibrated(cases)
    print(f"{cases} cases, likeliest cause right {100 * hits.mean():.0f} %")
    for low, high in ((0.3, 0.5), (0.5, 0.7), (0.7, 0.9), (0.9, 1.01)):
        some = (sure >= low) & (sure < high)
        if some.any():
            print(
                f"   given {low:.0%} to {min(high, 1):.0%}: {hits[some].mean():.0%} of {some.sum()}"
            )
    print(f"turned as advised, within half a tolerance of the best: {np.mean(turned):.1%}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
