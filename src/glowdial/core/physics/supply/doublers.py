"""Doublers whose two rectifiers do not work alike: halves of unlike capacity, and the cascade.

Each rectifier is a port of its own at the linear network of capacitors, filter and source; both
meet their law at the samples of one period (Newton's method, corners rounded first). Beside the
last node's volts, how the volts share between the two ports is unknown; that each port's mean
current is what direct current wants of it gives both.

Between two halves (Delon's circuit): the winding's far end joins both capacitors, and each half
wave charges one. In cascade (Greinacher's): one half wave charges the capacitor in the lead, the
other lifts it onto the output's, whose ripple is at the line's own frequency.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.supply.circuit import (
    Rectifier,
    Supply,
    Topology,
    capacitor_admittance_s,
)
from glowdial.core.physics.supply.ladder import (
    INSULATION_S,
    Direct,
    direct_path,
    ladder_admittance,
)
from glowdial.core.physics.supply.rounded_law import CORNERS, Law, RoundedLaw

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
_NEWTON_PASSES = 60


@dataclass(frozen=True, slots=True)
class TwoArms:
    """A settled doubler: each rectifier's current at the samples, shape (2, samples), its direct
    node volts, its alternating node volts per ampere of each arm (arms, nodes, harmonics), and the
    volts at the last node."""

    current_a: Floats
    node_v: tuple[float, ...]
    nodes: Complexes
    last_v: float


@dataclass(frozen=True, slots=True)
class _Means:
    """What direct current wants: volts against each port, its current, and both's slopes by the
    last node's volts (column 0) and by the first port's (column 1)."""

    port_v: Floats
    port_a: Floats
    slopes_v: Floats
    slopes_a: Floats


def solve_two_arms(
    supply: Supply,
    rectifier: Rectifier,
    drive: Floats,
    repeat_s: float,
    start: tuple[float, Floats],
    warmth: float,
) -> TwoArms:
    """The settled state of a doubler driven by ``drive`` (open-circuit volts over one period).

    ``start`` is the last node's volts and the current of the arm that ``drive`` pushes, as if no
    capacitor rippled: without a load there is nearly nothing else to hold on to. Raises BadInput
    when no state is found.
    """
    samples, half = drive.size, drive.size // 2
    harmonics = 2.0 * np.pi / repeat_s * np.arange(samples // 2 + 1, dtype=np.float64)
    # a load of steady current has no slope at all, and its filter no way to the rail
    start_v, pushed = start
    slope_s = max(supply.load.slope_s(start_v, warmth), INSULATION_S)
    impedance, nodes = _network(supply, slope_s, harmonics)
    matrix = _two_port_matrix(impedance, supply.source_ohm, samples)
    both, flat = np.concatenate([drive, -drive]), np.concatenate([pushed, np.roll(pushed, half)])
    if supply.topology is Topology.CASCADE:
        both, flat = -both, np.roll(flat, samples)

    def means(unknown: Floats) -> _Means:
        return _means(supply, float(unknown[0]), float(unknown[1]), warmth)

    height_v = 2.0 * max(float(np.max(drive)) - rectifier.threshold_v, 0.0)
    if _means(supply, height_v, 0.5 * height_v, warmth).port_a.max() <= INSULATION_S * height_v:
        # nothing is drawn: every capacitor stands at the height of the wave
        rest = _plain(supply, height_v, warmth)
        return TwoArms(np.zeros((2, samples)), rest.node_v, nodes, height_v)
    first_v = _plain(supply, start_v, warmth).port_v
    state = flat, np.array([start_v, 0.5 * first_v])
    try:
        current, (last_v, _) = _settle(matrix, both, rectifier, state, means)
    except BadInput:
        peak_v = float(np.max(drive))
        for share in CORNERS:
            state = _settle(matrix, both, RoundedLaw(rectifier, share * peak_v), state, means)
        current, (last_v, _) = state
    rest = _plain(supply, float(last_v), warmth)
    return TwoArms(current.reshape(2, samples), rest.node_v, nodes, float(last_v))


def _network(supply: Supply, load_s: float, harmonics: Floats) -> tuple[Complexes, Complexes]:
    """Volts at the ports by their currents (2, 2, harmonics), and each node's (2, nodes, ...).

    The mean is the direct path's and left out here.
    """
    ladder_s, ratios = ladder_admittance(supply, load_s, harmonics)
    first = _impedance(supply, supply.reservoir_f, harmonics)
    other = _impedance(supply, supply.other_f, harmonics)
    if supply.topology is Topology.CASCADE:
        out = 1.0 / (1.0 / first + ladder_s)
        impedance = np.array([[other, -other], [-other, other + out]])
        node = np.array([np.zeros_like(out), out])
    else:
        share = ladder_s / (1.0 + (first + other) * ladder_s)
        cross = -share * first * other
        impedance = np.array([[first - share * first**2, cross], [cross, other - share * other**2]])
        node = np.array([first, other]) / (1.0 + (first + other) * ladder_s)
    nodes = [node]
    for ratio in ratios:
        nodes.append(nodes[-1] * ratio)
    impedance[:, :, 0] = 0.0
    return impedance, np.stack(nodes, axis=1)


def _impedance(supply: Supply, capacitance_f: float, harmonics: Floats) -> Complexes:
    """Of one of the two capacitors; at no frequency a place holder, for the mean is left out."""
    fast = np.where(harmonics > 0.0, harmonics, 1.0)
    admittance = capacitor_admittance_s(
        fast, capacitance_f, supply.reservoir_leak_ohm, supply.reservoir_series_ohm
    )
    return np.asarray(1.0 / admittance)


def _two_port_matrix(impedance: Complexes, source_ohm: float, samples: int) -> Floats:
    """Volts at both ports by the current at the samples of both: four circulant blocks."""
    turned = (np.arange(samples)[:, None] - np.arange(samples)[None, :]) % samples
    blocks = [[np.fft.irfft(z, samples)[turned] for z in row] for row in impedance]
    matrix = np.block(blocks)
    # the source carries the one arm's current forward and the other's backward
    same = source_ohm * np.eye(samples)
    return np.asarray(matrix + np.block([[same, -same], [-same, same]]))


def _plain(supply: Supply, last_v: float, warmth: float) -> Direct:
    """The filter's direct path without the capacitors ahead of it."""
    bare = replace(supply, topology=Topology.BRIDGE, reservoir_leak_ohm=math.inf)
    return direct_path(bare, last_v, warmth)


def _means(supply: Supply, last_v: float, split_v: float, warmth: float) -> _Means:
    rest = _plain(supply, last_v, warmth)
    leak_s = 1.0 / (supply.reservoir_leak_ohm + supply.reservoir_series_ohm)
    port_v = np.array([split_v, rest.port_v - split_v])
    slopes_v = np.array([[0.0, 1.0], [rest.slope_v, -1.0]])
    if supply.topology is Topology.CASCADE:
        # only the output's capacitor leaks, and both arms carry that
        port_a = np.full(2, rest.port_a + leak_s * rest.port_v)
        slope_a = rest.slope_a + leak_s * rest.slope_v
        return _Means(port_v, port_a, slopes_v, np.array([[slope_a, 0.0], [slope_a, 0.0]]))
    port_a = rest.port_a + leak_s * port_v
    slopes_a = leak_s * slopes_v + np.array([[rest.slope_a, 0.0], [rest.slope_a, 0.0]])
    return _Means(port_v, port_a, slopes_v, slopes_a)


def _settle(
    matrix: Floats,
    drive: Floats,
    law: Law,
    start: tuple[Floats, Floats],
    means: Callable[[Floats], _Means],
) -> tuple[Floats, Floats]:
    """Currents, and (last volts, first port's volts), by damped Newton from ``start``."""
    samples = drive.size // 2
    scale = float(np.max(drive)) / float(np.max(np.abs(matrix)))

    def missed(current: Floats, unknown: Floats) -> tuple[Floats, Floats, Floats, _Means]:
        wanted = means(unknown)
        forward = drive - matrix @ current - np.repeat(wanted.port_v, samples)
        short_a = current.reshape(2, samples).mean(axis=1) - wanted.port_a
        return current - law.current_a(forward), short_a, forward, wanted

    current, unknown = start
    residual, short_a, forward, wanted = missed(current, unknown)
    norm = _norm(residual, short_a, samples)
    for _ in range(_NEWTON_PASSES):
        if norm < 1e-8 * scale:
            return current, unknown
        step = _newton_step(matrix, law.conductance_s(forward), residual, short_a, wanted)
        damping = 1.0
        while True:
            trial = current + damping * step[:-2]
            trial_unknown = unknown + damping * step[-2:]
            # the last node never falls by more than half at once: its law wants volts above zero
            trial_unknown[0] = max(trial_unknown[0], 0.5 * unknown[0])
            there = missed(trial, trial_unknown)
            trial_norm = _norm(there[0], there[1], samples)
            if trial_norm < norm or damping < 1e-4:
                break
            damping *= 0.5
        current, unknown, norm = trial, trial_unknown, trial_norm
        residual, short_a, forward, wanted = there
    if norm < 1e-5 * scale:
        return current, unknown
    raise _without_state()


def _norm(residual: Floats, short_a: Floats, samples: int) -> float:
    return math.sqrt(float(residual @ residual) + samples * float(short_a @ short_a))


def _newton_step(
    matrix: Floats, gain: Floats, residual: Floats, short_a: Floats, wanted: _Means
) -> Floats:
    """The step of all unknowns at once."""
    size, samples = gain.size, gain.size // 2
    whole = np.zeros((size + 2, size + 2))
    whole[:size, :size] = gain[:, None] * matrix
    whole.flat[: size * (size + 2) : size + 3] += 1.0
    whole[:size, size:] = gain[:, None] * np.repeat(wanted.slopes_v, samples, axis=0)
    whole[size, :samples] = whole[size + 1, samples:size] = 1.0 / samples
    whole[size:, size:] = -wanted.slopes_a
    try:
        return np.asarray(np.linalg.solve(whole, -np.concatenate([residual, short_a])))
    except np.linalg.LinAlgError as error:
        raise _without_state() from error


def _without_state() -> BadInput:
    return BadInput("supply", "doubler", "has no periodic state that could be found", "1 A peak")
