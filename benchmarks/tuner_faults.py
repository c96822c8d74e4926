"""Faults of stereo tuners seeded alone, and sound ones, through the whole of the list's analysis.

python -m benchmarks.tuner_faults [TUNERS OF EACH]
"""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np

from glowdial.core.tuner.causes import (
    AM_SUPPRESSION,
    CARRIERS,
    PILOT_PHASE,
    RESPONSE,
    SELECTIVITY,
    SUBCARRIER,
    TunerPart,
    told,
)
from glowdial.core.tuner.measurement import TunerReadings
from glowdial.sheets.measurement_list import shipped_list
from glowdial.sim.stereo_tuner import StereoTuner, TunerCondition

LOOKED_AT = {SELECTIVITY, RESPONSE, SUBCARRIER, PILOT_PHASE, AM_SUPPRESSION, CARRIERS}
Fault = tuple[Mapping[str, float], TunerPart | None]
FAULTS: Mapping[str, Fault] = {
    "sound": ({}, None),
    "de-emphasis 15 % long": ({"deemphasis_s": 57.5e-6}, TunerPart.DEEMPHASIS),
    "de-emphasis 15 % short": ({"deemphasis_s": 42.5e-6}, TunerPart.DEEMPHASIS),
    "decoder 1.5 dB low": ({"decoder_gain": 10.0 ** (-1.5 / 20.0)}, TunerPart.DECODER),
    "decoder 1.5 dB high": ({"decoder_gain": 10.0 ** (1.5 / 20.0)}, TunerPart.DECODER),
    "decoder 20 degrees": ({"decoder_phase_rad": math.radians(20.0)}, TunerPart.DECODER),
    "IF 25 % narrow": ({"if_width_hz": 150e3}, TunerPart.IF),
    "IF 30 kHz off": ({"if_offset_hz": 30e3}, TunerPart.IF),
    "limiter 20 dB less": ({"am_suppression_db": 30.0}, TunerPart.LIMITER),
    "line reflects a fifth": ({"line_m": 15.0, "line_reflection": 0.2}, TunerPart.LINE),
}


def a_tuner(seed: int, fault: Mapping[str, float]) -> StereoTuner:
    """A tuner of tolerances of its own with one fault, either way where it has two."""
    rng = np.random.default_rng(seed)
    c = TunerCondition(seed=seed, **fault)

    def within(span: float) -> float:
        return float(rng.uniform(-span, span))

    side = 1.0 if rng.random() < 0.5 else -1.0
    return StereoTuner(
        replace(
            c,
            if_width_hz=c.if_width_hz * (1.0 + within(0.05)),
            if_offset_hz=side * c.if_offset_hz + within(6e3),
            pair_spread_hz=float(rng.uniform(0.0, 10e3)),
            coupling=1.0 + within(0.1),
            deemphasis_s=c.deemphasis_s * (1.0 + within(0.05)),
            decoder_gain=c.decoder_gain * 10.0 ** (within(0.3) / 20.0),
            decoder_phase_rad=side * c.decoder_phase_rad + math.radians(within(5.0)),
            am_suppression_db=c.am_suppression_db + within(4.0),
            coder_separation=float(rng.uniform(0.0, 0.004)),
            detector_bend=within(0.008),
            noise_figure_db=float(rng.uniform(4.0, 9.0)),
            pilot_leak=float(rng.uniform(0.5e-3, 4e-3)),
            line_reflection=c.line_reflection if "line_m" in fault else float(rng.uniform(0, 0.03)),
            line_m=c.line_m * (1.0 + within(0.3)),
            balance=1.0 + within(0.03),
        )
    )


def measured(tuner: StereoTuner, keys: frozenset[str] | set[str]) -> TunerReadings:
    """Everything that the list reads of the measurements named."""
    values = {}
    for m in shipped_list().measurements:
        if m.key in keys:
            values[m.key] = {
                p: tuple(tuner.read(m.drive(p, r), m.look(p, r)) for r in m.readings)
                for p in m.points
            }
    return TunerReadings(values)


def named_first(case: tuple[int, str]) -> str:
    """What is named first of a tuner, "" for nothing."""
    seed, name = case
    found = told(shipped_list(), measured(a_tuner(seed, FAULTS[name][0]), LOOKED_AT)).named
    return found[0].part.value if found else ""


def main(each: int) -> None:
    """Print what was named first, by fault."""
    begun = time.perf_counter()
    with ProcessPoolExecutor() as pool:
        for n, (name, (_, part)) in enumerate(FAULTS.items()):
            cases = [(10_000 * n + seed, name) for seed in range(each)]
            said = list(pool.map(named_first, cases, chunksize=4))
            wanted = part.value if part else ""
            others = sorted({s or "nothing" for s in said if s != wanted})
            right = said.count(wanted)
            print(f"{name:24} {right} of {each} right; else {', '.join(others) or '-'}", flush=True)
    print(f"{time.perf_counter() - begun:.0f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100)
