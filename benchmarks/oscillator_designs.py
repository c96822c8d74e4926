"""The circuits of the receivers that the fitted oscillator is tried on, each with figures drawn."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.physics.tracking import (
    AdjusterKind,
    Gang,
    TrackedBand,
    TrimmerPlace,
    best_points,
    cut_plates,
    signal_circuit,
    two_point,
)

GANG = Gang(12e-12, 430e-12)
RACK = Gang(12e-6, 170e-6)
FM_GANG = Gang(5e-12, 17e-12)


@dataclass(frozen=True)
class Design:
    """A circuit: its name, band, how far its tunable oscillator stands off, nominal design, the
    parts that its adjusters change, and what its dial may be off."""

    name: str
    low_hz: float
    high_hz: float
    intermediate_hz: float
    tracked: TrackedBand
    high: AdjusterKind | None
    low: AdjusterKind | None
    bandwidth_hz: float
    tolerance: float = 0.005


def designs(rng: np.random.Generator) -> list[Design]:
    """One of each circuit, its figures drawn."""
    mf_hz = float(rng.choice([262e3, 455e3, 465e3]))
    medium = (530e3, 1620e3)
    medium_signal = signal_circuit(GANG, *medium)
    short_low = float(rng.uniform(2e6, 6e6))
    short = (short_low, 2.9 * short_low)
    short_signal = signal_circuit(GANG, *short)
    long = (150e3, 300e3)
    # a band of one megahertz behind a crystal's oscillator, and one behind a first IF
    spread = (14e6, 15e6)
    fixed_hz, offset_hz = 9e6, 9e6 - mf_hz
    # a few per cent of a short wave spread over the whole scale
    narrow_low = float(rng.uniform(5.9e6, 17e6))
    stretched = (narrow_low, 1.06 * narrow_low)
    behind = two_point(signal_circuit(GANG, *spread), offset_hz, spread, high_side=False)
    vhf = two_point(signal_circuit(FM_GANG, 86e6, 110e6), 10.7e6, (88e6, 106e6))
    trimmer, padder, core = AdjusterKind.TRIMMER, AdjusterKind.PADDER, AdjusterKind.CORE
    wide, narrow = 0.018 * mf_hz, 3e3

    def three(stray_pf: float, place: TrimmerPlace) -> TrackedBand:
        return best_points(medium_signal, mf_hz, *medium, place=place, stray_f=stray_pf * 1e-12)

    return [
        Design(
            "trimmer at the gang, padder",
            *medium,
            mf_hz,
            three(0.0, TrimmerPlace.ACROSS_GANG),
            trimmer,
            padder,
            wide,
        ),
        Design(
            "trimmer at the coil, padder, stray",
            *medium,
            mf_hz,
            three(8.0, TrimmerPlace.ACROSS_COIL),
            trimmer,
            padder,
            wide,
        ),
        Design(
            "trimmer, core, fixed padder, stray",
            *medium,
            mf_hz,
            three(6.0, TrimmerPlace.ACROSS_GANG),
            trimmer,
            core,
            wide,
        ),
        Design(
            "cut plates, trimmer and core",
            *medium,
            mf_hz,
            cut_plates(medium_signal, mf_hz, *medium),
            trimmer,
            core,
            wide,
        ),
        Design(
            "cut plates, trimmer alone",
            *medium,
            mf_hz,
            cut_plates(medium_signal, mf_hz, *medium),
            trimmer,
            None,
            wide,
        ),
        Design(
            "short wave above",
            *short,
            mf_hz,
            best_points(short_signal, mf_hz, *short),
            trimmer,
            core,
            wide,
        ),
        Design(
            "short wave below",
            *short,
            mf_hz,
            two_point(short_signal, mf_hz, short, high_side=False),
            trimmer,
            core,
            wide,
        ),
        Design(
            "converted twice, the first tunable",
            *short,
            1.85e6,
            best_points(short_signal, 1.85e6, *short),
            trimmer,
            core,
            wide,
        ),
        Design(
            "converted twice, the first fixed",
            *spread,
            offset_hz,
            replace(
                behind, intermediate_frequency_hz=mf_hz, high_side=True, fixed_first_hz=fixed_hz
            ),
            trimmer,
            core,
            wide,
            tolerance=0.0015,
        ),
        Design(
            "long wave below",
            *long,
            50e3,
            two_point(signal_circuit(GANG, *long), 50e3, (160e3, 280e3), high_side=False),
            trimmer,
            core,
            narrow,
        ),
        Design(
            "slug rack",
            *medium,
            262e3,
            replace(best_points(signal_circuit(RACK, *medium), 262e3, *medium), inductive=True),
            core,
            trimmer,
            wide,
        ),
        Design(
            "FM, core and trimmer",
            87.5e6,
            108e6,
            10.7e6,
            vhf,
            trimmer,
            core,
            220e3,
            tolerance=0.002,
        ),
        Design(
            "spread band",
            *stretched,
            mf_hz,
            two_point(signal_circuit(GANG, *stretched), mf_hz, stretched),
            trimmer,
            core,
            wide,
            tolerance=0.0015,
        ),
        Design(
            "FM, one core",
            87.5e6,
            108e6,
            10.7e6,
            vhf,
            core,
            None,
            220e3,
            tolerance=0.002,
        ),
    ]
