"""The supply's periodic steady state, by collocation on the rectifier port.

The filter is linear: seen from the rectifier it is an impedance Z(jkw) at each harmonic, a
circulant matrix over the samples of one repetition. The rectifier current at the samples is the one
unknown vector; Newton's method runs on the samples that conduct. The load is taken at its chord
resistance V/I(V), found by iteration, so tubes that draw as a power of the voltage settle rightly.
A doubler with equal halves is one port too: its other half carries the same current half a period
later, so odd harmonics see one reservoir alone and even ones the load as well.
Ripple is maximum less minimum over a full line period; averages are over whole periods.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.errors import BadInput
from glowdial.core.supply.circuit import (
    Rectifier,
    Supply,
    Topology,
    Waveform,
    capacitor_admittance_s,
)

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

SAMPLES = 128
# row n of a circulant matrix is its first column turned by n
_CIRCULANT = (np.arange(SAMPLES)[:, None] - np.arange(SAMPLES)) % SAMPLES
_LOAD_PASSES = 30
_NEWTON_PASSES = 60


@dataclass(frozen=True, slots=True)
class SupplyPoint:
    """Steady state at one AC input.

    ``node_v`` and ``ripple_v`` run from the reservoir to the last filter node;
    ``rectifier_rms_a`` and ``rectifier_peak_a`` are per rectifier element, ``load_a`` the mean
    current delivered.
    """

    line_v: float
    node_v: tuple[float, ...]
    ripple_v: tuple[float, ...]
    rectifier_rms_a: float
    rectifier_peak_a: float
    load_a: float


@dataclass(frozen=True, slots=True)
class _Port:
    """Filter impedance at the rectifier, and each node's volts per ampere, per harmonic."""

    impedance: Complexes
    nodes: Complexes


@lru_cache(maxsize=4096)
def steady_state(
    supply: Supply, line_v: float, *, emission: float = 1.0, warmth: float = 1.0
) -> SupplyPoint:
    """Solve the settled supply at ``line_v`` volts RMS of line (0 or more).

    ``emission`` scales a vacuum rectifier (0: stone cold, no output); ``warmth`` scales what the
    tubes draw. Raises BadInput below zero volts or when no steady state is found. A pure function
    of frozen arguments, so answers are remembered.
    """
    if not 0.0 <= line_v < 1e4:
        raise BadInput("AC volts", f"{line_v:g}", "must be 0 to 10000 V RMS", "231")
    nodes = len(supply.sections) + 1
    if line_v == 0.0 or emission <= 1e-6:
        zeros = (0.0,) * nodes
        return SupplyPoint(line_v, zeros, zeros, 0.0, 0.0, 0.0)
    rectifier = replace(supply.rectifier, perveance=supply.rectifier.perveance * emission)
    drive, repeat_s = _drive(supply, line_v)
    harmonics: Floats = 2.0 * np.pi / repeat_s * np.arange(SAMPLES // 2 + 1, dtype=np.float64)
    start_v = _flat_guess_v(supply, rectifier, drive, warmth)
    load_ohm = _chord_ohm(supply, start_v, warmth)
    current = _flat_current_a(supply, rectifier, drive, start_v, warmth)
    before: tuple[float, float] | None = None
    for _ in range(_LOAD_PASSES):
        port = _filter_port(supply, load_ohm, harmonics)
        current = _collocate(port.impedance, drive, supply.source_ohm, rectifier, current)
        mean_v = float(np.mean(current)) * float(port.nodes[-1, 0].real)
        miss = np.log(_chord_ohm(supply, mean_v, warmth) / load_ohm)
        if abs(miss) < 1e-5:
            break
        here = float(np.log(load_ohm))
        # secant on the logarithm; the plain iteration contracts, so it may start it
        slope = (miss - before[1]) / (here - before[0]) if before else -1.0
        before = (here, miss)
        load_ohm = float(np.exp(here - miss / min(slope, -0.2)))
    else:
        raise BadInput("supply", f"{line_v:g} V line", "has no settled state", "a load above 0 A")
    return _figures(supply, line_v, port, current, mean_v / load_ohm)


def _drive(supply: Supply, line_v: float) -> tuple[Floats, float]:
    """Open-circuit volts that push the rectifier over one repetition, and its length in s."""
    peak = supply.peak_v * line_v / supply.line_v
    full_wave = supply.topology.full_wave
    repeat_s = (0.5 if full_wave else 1.0) / supply.line_hz
    turns = np.arange(SAMPLES) / SAMPLES * (0.5 if full_wave else 1.0)
    if supply.waveform is Waveform.SINE:
        return peak * np.sin(2.0 * np.pi * turns), repeat_s
    # a triangle of the same zeros, cut off at the height that the swing reaches
    triangle = 1.0 - np.abs(((4.0 * turns + 1.0) % 4.0) - 2.0)
    return peak * np.clip(triangle / max(supply.swing_share, 1e-3), -1.0, 1.0), repeat_s


def _flat_guess_v(supply: Supply, rectifier: Rectifier, drive: Floats, warmth: float) -> float:
    """Volts at the last node if the reservoir did not ripple: a start, by bisection."""
    low, high = 0.0, 2.0 * float(np.max(drive))
    for _ in range(16):
        middle = 0.5 * (low + high)
        given = float(np.mean(_flat_current_a(supply, rectifier, drive, middle, warmth)))
        if given > supply.load.total_a(middle, warmth):
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def _flat_current_a(
    supply: Supply, rectifier: Rectifier, drive: Floats, last_v: float, warmth: float
) -> Floats:
    """Current at the samples into a reservoir that stands still, the last node at ``last_v``.

    A vacuum rectifier is taken as the resistance that it has at three times the mean current.
    """
    drawn = supply.load.total_a(last_v, warmth)
    first_v = last_v + drawn * sum(section.resistance_ohm for section in supply.sections)
    if supply.topology is Topology.DOUBLER:
        first_v *= 0.5
    law_ohm = rectifier.resistance_ohm
    if rectifier.perveance > 0.0:
        at_a = max(3.0 * drawn, 1e-4)
        law_ohm = float((at_a / rectifier.perveance) ** (2.0 / 3.0)) / at_a
    push = drive - first_v - rectifier.threshold_v
    return np.asarray(np.maximum(push, 0.0) / (supply.source_ohm + law_ohm), dtype=np.float64)


def _chord_ohm(supply: Supply, volts: float, warmth: float) -> float:
    drawn = supply.load.total_a(volts, warmth)
    # a supply without any load still bleeds through insulation: keeps the mean defined
    return min(volts / drawn, 1e8) if drawn > 0 else 1e8


def _filter_port(supply: Supply, load_ohm: float, harmonics: Floats) -> _Port:
    """Ladder of sections from the load back to the reservoir."""
    admittance = np.full(harmonics.shape, 1.0 / load_ohm, dtype=np.complex128)
    ratios: list[Complexes] = []
    for section in reversed(supply.sections):
        admittance = admittance + capacitor_admittance_s(
            harmonics, section.capacitance_f, section.leak_ohm, section.series_ohm
        )
        series = section.resistance_ohm + 1j * harmonics * section.inductance_h
        ratios.append(1.0 / (1.0 + series * admittance))
        admittance = 1.0 / (series + 1.0 / admittance)
    reservoir = capacitor_admittance_s(
        harmonics, supply.reservoir_f, supply.reservoir_leak_ohm, supply.reservoir_series_ohm
    )
    if supply.topology is Topology.DOUBLER:
        # both halves in step for even harmonics, against each other for odd ones
        even = np.arange(harmonics.size) % 2 == 0
        together = 1.0 / (reservoir + 2.0 * admittance)
        impedance = np.where(even, together, 1.0 / np.where(even, 1.0, reservoir))
        nodes: list[Complexes] = [np.where(even, 2.0 * together, 0.0)]
    else:
        impedance = np.asarray(1.0 / (admittance + reservoir), dtype=np.complex128)
        nodes = [impedance]
    for ratio in reversed(ratios):
        nodes.append(nodes[-1] * ratio)
    return _Port(impedance, np.array(nodes))


def _collocate(
    impedance: Complexes,
    drive: Floats,
    source_ohm: float,
    rectifier: Rectifier,
    start: Floats,
) -> Floats:
    """Rectifier current at the samples: i = law(drive - (Z + Rs) i), by damped Newton."""
    matrix = np.fft.irfft(impedance, SAMPLES)[_CIRCULANT] + source_ohm * np.eye(SAMPLES)
    current = start
    forward = drive - matrix @ current
    residual = current - rectifier.current_a(forward)
    norm = float(np.linalg.norm(residual))
    scale = float(np.max(drive)) / float(np.max(np.abs(matrix)))
    for _ in range(_NEWTON_PASSES):
        if norm < 1e-8 * scale:
            return current
        slope = rectifier.conductance_s(forward)
        active = slope > 0.0
        step = -residual
        rows = np.flatnonzero(active)
        if rows.size:
            inner = matrix[np.ix_(rows, rows)] * slope[rows, None] + np.eye(rows.size)
            outside = matrix[np.ix_(rows, ~active)] @ step[~active]
            step[rows] = np.linalg.solve(inner, -residual[rows] - slope[rows] * outside)
        damping = 1.0
        while True:
            trial = current + damping * step
            trial_forward = drive - matrix @ trial
            trial_residual = trial - rectifier.current_a(trial_forward)
            trial_norm = float(np.linalg.norm(trial_residual))
            if trial_norm < norm or damping < 1e-4:
                break
            damping *= 0.5
        current, forward, residual, norm = trial, trial_forward, trial_residual, trial_norm
    if norm < 1e-5 * scale:
        return current
    raise BadInput("supply", "rectifier", "has no periodic state that could be found", "1 A peak")


def _figures(
    supply: Supply, line_v: float, port: _Port, current: Floats, load_a: float
) -> SupplyPoint:
    spectrum = np.fft.rfft(current)
    waves = np.fft.irfft(port.nodes * spectrum, SAMPLES, axis=1)
    mean_square = float(np.mean(current**2))
    # in full wave each plate carries every second pulse of the repeated half period
    share = 0.5 if supply.topology.full_wave else 1.0
    return SupplyPoint(
        line_v=line_v,
        node_v=tuple(float(v) for v in np.mean(waves, axis=1)),
        ripple_v=tuple(float(v) for v in np.ptp(waves, axis=1)),
        rectifier_rms_a=float(np.sqrt(share * mean_square)),
        rectifier_peak_a=float(np.max(current)),
        load_a=load_a,
    )
