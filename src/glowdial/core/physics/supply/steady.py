"""The supply's periodic steady state, by collocation on the rectifier port.

The filter is linear: seen from the rectifier it is an impedance Z(jkw) at each harmonic, a
circulant matrix over the samples of one repetition. The rectifier current at the samples is the one
unknown vector; Newton's method runs on the samples that conduct. Direct current meets the load's
own law I(V), exactly and within the same iteration; its ripple meets the slope of that law.
A filter that begins with a choke is the same port with the choke in front.
A doubler with equal halves is one port too: its other half carries the same current half a period
later, so odd harmonics see one reservoir alone and even ones the load as well. Uneven halves and
the cascade are two ports (``doublers``).
Ripple is maximum less minimum over a full line period; averages are over whole periods.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.supply.circuit import (
    Rectifier,
    Supply,
    Topology,
    Waveform,
    capacitor_admittance_s,
)
from glowdial.core.physics.supply.doublers import TwoArms, solve_two_arms
from glowdial.core.physics.supply.ladder import (
    INSULATION_S,
    Direct,
    direct_path,
    ladder_admittance,
    tubes_at_taps,
)
from glowdial.core.physics.supply.rounded_law import CORNERS, Law, RoundedLaw

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

SAMPLES, FINE_SAMPLES, NARROW, GUESSES = 64, 160, 9, 33
_NEWTON_PASSES = 200


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
    if supply.waveform is Waveform.BATTERY:
        return _from_battery(supply, line_v, warmth)
    rectifier = replace(supply.rectifier, perveance=supply.rectifier.perveance * emission)
    drive, repeat_s = _drive(supply, line_v, SAMPLES)
    start_v, start = _flat_start(supply, rectifier, drive, warmth)
    if np.count_nonzero(start) < NARROW:
        # a short, steep pulse wants a finer look for its RMS
        drive, repeat_s = _drive(supply, line_v, FINE_SAMPLES)
        start_v, start = _flat_start(supply, rectifier, drive, warmth)
    if not supply.arms_alike:
        begun = _fine_start(supply, rectifier, drive, warmth)
        arms = solve_two_arms(supply, rectifier, drive, repeat_s, begun, warmth)
        return _figures_of_arms(supply, line_v, arms, _load_a(supply, arms.last_v, warmth))
    harmonics: Floats = 2.0 * np.pi / repeat_s * np.arange(drive.size // 2 + 1, dtype=np.float64)
    # the load's own ripple current is small: its slope where it is expected to settle will do
    slope_s = max(supply.load.slope_s(start_v, warmth), INSULATION_S)
    port = _filter_port(supply, slope_s, harmonics)
    matrix = _port_matrix(supply, port, repeat_s)

    def direct(last_v: float) -> Direct:
        return direct_path(supply, last_v, warmth)

    solve = _collocate_near if supply.input_choke_h == 0.0 else _collocate_choke
    current, last_v = solve(matrix, drive, rectifier, (start, start_v), direct)
    load_a = _load_a(supply, last_v, warmth)
    return _figures(supply, line_v, port, current, direct(last_v).node_v, load_a)


def _load_a(supply: Supply, last_v: float, warmth: float) -> float:
    """All that is drawn, at the taps as well."""
    taps_a = sum(supply.tap_shares) * tubes_at_taps(supply, last_v, warmth)[0]
    return supply.load.total_a(last_v, warmth) + taps_a


def _figures_of_arms(supply: Supply, line_v: float, arms: TwoArms, load_a: float) -> SupplyPoint:
    """Of an uneven doubler: the harder worked of its two rectifiers."""
    waves = np.einsum("ank,ak->nk", arms.nodes, np.fft.rfft(arms.current_a, axis=1))
    ripple = np.ptp(np.fft.irfft(waves, arms.current_a.shape[1], axis=1), axis=1)
    return SupplyPoint(
        line_v=line_v,
        node_v=arms.node_v,
        ripple_v=tuple(float(v) for v in ripple),
        rectifier_rms_a=float(np.sqrt(np.max(np.mean(arms.current_a**2, axis=1)))),
        rectifier_peak_a=float(np.max(arms.current_a)),
        load_a=load_a,
    )


def _from_battery(supply: Supply, line_v: float, warmth: float) -> SupplyPoint:
    """Direct volts behind a resistance: no ripple, and the last node found by bisection."""
    given_v = supply.peak_v * line_v / supply.line_v
    low, high = 0.0, given_v
    for _ in range(60):
        last_v = 0.5 * (low + high)
        rest = direct_path(supply, last_v, warmth)
        if rest.port_v + supply.source_ohm * rest.port_a < given_v:
            low = last_v
        else:
            high = last_v
    rest = direct_path(supply, 0.5 * (low + high), warmth)
    silent = (0.0,) * len(rest.node_v)
    load_a = supply.load.total_a(rest.node_v[-1], warmth)
    return SupplyPoint(line_v, rest.node_v, silent, rest.port_a, rest.port_a, load_a)


def _port_matrix(supply: Supply, port: _Port, repeat_s: float) -> Floats:
    """Volts at the port by the current at the samples, the mean left out, source included.

    An input choke is differenced backward (second order): spectrally its current's kinks would
    ring wherever the rectifier stands idle.
    """
    samples = 2 * (port.impedance.size - 1)
    impedance = port.impedance.copy()
    if supply.input_choke_h > 0.0:
        turn = np.exp(-2j * np.pi * np.arange(impedance.size) / samples)
        step_s = repeat_s / samples
        impedance += supply.input_choke_ohm
        impedance += supply.input_choke_h * (1.5 - 2.0 * turn + 0.5 * turn**2) / step_s
    impedance[0] = 0.0
    kernel = np.fft.irfft(impedance, samples)
    kernel[0] += supply.source_ohm
    # row n of a circulant matrix is its first column turned by n: a view of it laid out twice
    twice = np.concatenate([kernel[::-1], kernel[::-1]])
    rows = np.lib.stride_tricks.sliding_window_view(twice, samples)[samples - 1 :: -1]
    matrix = np.array(rows[:samples], dtype=np.float64)
    if _uneven(supply):
        second = np.arange(samples // 2, samples)
        matrix[second, second] += supply.weak_half_ohm
    return matrix


def _drive(supply: Supply, line_v: float, samples: int) -> tuple[Floats, float]:
    """Open-circuit volts that push the rectifier over one repetition, and its length in s."""
    peak = supply.peak_v * line_v / supply.line_v
    full_wave = supply.topology.full_wave
    if supply.dead_half:
        # the living half's wave, below zero too: a choke drives its current on against it
        turns = np.arange(2 * samples) / (2 * samples)
        return peak * np.sin(2.0 * np.pi * turns), 1.0 / supply.line_hz
    if _uneven(supply):
        # the halves differ, so only the whole period repeats
        turns = np.arange(2 * samples) / (2 * samples)
        return peak * np.abs(np.sin(2.0 * np.pi * turns)), 1.0 / supply.line_hz
    repeat_s = (0.5 if full_wave else 1.0) / supply.line_hz
    turns = np.arange(samples) / samples * (0.5 if full_wave else 1.0)
    if supply.waveform is Waveform.SINE:
        return peak * np.sin(2.0 * np.pi * turns), repeat_s
    # a triangle of the same zeros, cut off at the height that the swing reaches
    triangle = 1.0 - np.abs(((4.0 * turns + 1.0) % 4.0) - 2.0)
    return peak * np.clip(triangle / max(supply.swing_share, 1e-3), -1.0, 1.0), repeat_s


def _uneven(supply: Supply) -> bool:
    sine = supply.waveform is Waveform.SINE
    return supply.weak_half_ohm > 0.0 and supply.topology.full_wave and sine


def _flat_start(
    supply: Supply, rectifier: Rectifier, drive: Floats, warmth: float
) -> tuple[float, Floats]:
    """Where to start: last node and current as if the reservoir did not ripple."""
    start_v = _flat_guess_v(supply, rectifier, drive, warmth)
    guess = np.array([start_v]), np.array([supply.load.total_a(start_v, warmth)])
    return start_v, _flat_current_a(supply, rectifier, drive, *guess)[0]


def _fine_start(
    supply: Supply, rectifier: Rectifier, drive: Floats, warmth: float
) -> tuple[float, Floats]:
    """The same by bisection: with next to no load only the wave's tip conducts, and a start beside
    it conducts nowhere."""
    low, high = 0.0, 2.0 * float(np.max(drive))
    for _ in range(50):
        last_v = 0.5 * (low + high)
        rest = direct_path(supply, last_v, warmth)
        asked = np.array([last_v]), np.array([supply.load.total_a(last_v, warmth)])
        given = _flat_current_a(supply, rectifier, drive, *asked)[0]
        low, high = (last_v, high) if given.mean() > rest.port_a else (low, last_v)
    return last_v, given


def _flat_guess_v(supply: Supply, rectifier: Rectifier, drive: Floats, warmth: float) -> float:
    """Volts at the last node if the reservoir did not ripple: a start, from a row of guesses."""
    guesses = np.linspace(0.0, 2.0 * float(np.max(drive)), GUESSES)
    drawn = np.array([supply.load.total_a(float(v), warmth) for v in guesses])
    given = np.mean(_flat_current_a(supply, rectifier, drive, guesses, drawn), axis=1)
    leaks_s = 1.0 / supply.reservoir_leak_ohm + sum(1.0 / s.leak_ohm for s in supply.sections)
    # more drawn than given lies above; the first guess, 0 V, always draws nothing
    spare = given - drawn - guesses * leaks_s
    above = max(int(np.argmax(spare <= 0.0)), 1)
    share = spare[above - 1] / max(spare[above - 1] - spare[above], 1e-12)
    return float(guesses[above - 1] + share * (guesses[above] - guesses[above - 1]))


def _flat_current_a(
    supply: Supply, rectifier: Rectifier, drive: Floats, last_v: Floats, drawn_a: Floats
) -> Floats:
    """Current at the samples into a reservoir that stands still, for each guess at the last node.

    Shape (guesses, samples). A vacuum rectifier is taken as the resistance that it has at three
    times the mean current. An input choke is taken to carry a steady current.
    """
    first_v = last_v + drawn_a * sum(section.resistance_ohm for section in supply.sections)
    if supply.topology.doubles:
        first_v = 0.5 * first_v
    law_ohm = np.full_like(drawn_a, rectifier.resistance_ohm)
    if rectifier.perveance > 0.0:
        at_a = np.maximum(3.0 * drawn_a, 1e-4)
        law_ohm = (at_a / rectifier.perveance) ** (2.0 / 3.0) / at_a
    push = drive - (first_v + rectifier.threshold_v)[:, None]
    whole_ohm = (supply.source_ohm + law_ohm)[:, None]
    if supply.input_choke_h > 0.0:
        # of a dead half only the other is driven: half of the mean is a start
        pushed = np.maximum(push, 0.0) * 0.5 if supply.dead_half else push
        mean_a = np.mean(pushed, axis=1)[:, None] / (whole_ohm + supply.input_choke_ohm)
        return np.array(np.broadcast_to(np.maximum(mean_a, 0.0), push.shape))
    return np.asarray(np.maximum(push, 0.0) / whole_ohm, dtype=np.float64)


def _filter_port(supply: Supply, load_s: float, harmonics: Floats) -> _Port:
    """Ladder of sections from the load back to the reservoir."""
    admittance, ratios = ladder_admittance(supply, load_s, harmonics)
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
    for ratio in ratios:
        nodes.append(nodes[-1] * ratio)
    return _Port(impedance, np.array(nodes))


def _collocate_near(
    matrix: Floats,
    drive: Floats,
    rectifier: Rectifier,
    start: tuple[Floats, float],
    direct: Callable[[float], Direct],
) -> tuple[Floats, float]:
    """At once, or, where the source is too stiff for that, by corners that grow ever sharper.

    The filter is passive, so that each rounded problem has one solution, near the one before.
    """
    try:
        return _collocate(matrix, drive, rectifier, start, direct)
    except BadInput:
        near, peak_v = start, float(np.max(drive))
        for share in CORNERS:
            near = _collocate(matrix, drive, RoundedLaw(rectifier, share * peak_v), near, direct)
        return near


def _collocate(
    matrix: Floats,
    drive: Floats,
    rectifier: Law,
    start: tuple[Floats, float],
    direct: Callable[[float], Direct],
) -> tuple[Floats, float]:
    """Rectifier current at the samples and volts at the last node, by damped Newton.

    i = law(drive - M i - port volts), and its mean is the port's direct current.
    """
    samples = drive.size

    def missed(current: Floats, volts: float) -> tuple[Floats, Floats, Direct, float, float]:
        rest = direct(volts)
        forward = drive - matrix @ current - rest.port_v
        residual = current - rectifier.current_a(forward)
        short_a = float(current.sum()) / samples - rest.port_a
        norm = math.sqrt(float(residual @ residual) + samples * short_a**2)
        return forward, residual, rest, short_a, norm

    current, volts = start
    forward, residual, rest, short_a, norm = missed(current, volts)
    scale = float(np.max(drive)) / float(np.max(np.abs(matrix[0])))
    for _ in range(_NEWTON_PASSES):
        if norm < 1e-8 * scale:
            return current, volts
        slope = rectifier.conductance_s(forward)
        active = slope > 0.0
        step = -residual
        rows = np.flatnonzero(active)
        outside = matrix @ np.where(active, 0.0, step)
        gain = slope[rows]
        inner = matrix[rows][:, rows] * gain[:, None]
        inner.flat[:: rows.size + 1] += 1.0
        # two right-hand sides at once: what is missing, and a volt more at the last node
        sides = np.stack([step[rows] - gain * outside[rows], -gain * rest.slope_v], axis=1)
        found = np.linalg.solve(inner, sides)
        idle_a = float(step.sum()) - float(step[rows].sum())
        missing_a = -short_a - (idle_a + float(found[:, 0].sum())) / samples
        per_volt_a = float(found[:, 1].sum()) / samples - rest.slope_a
        if per_volt_a == 0.0:
            # nothing conducts, and the load draws its current whatever the volts
            break
        step_v = missing_a / per_volt_a
        step[rows] = found[:, 0] + found[:, 1] * step_v
        damping = 1.0
        while True:
            # the last node never falls by more than half at once: its law wants volts above zero
            trial = current + damping * step
            trial_v = max(volts + damping * step_v, 0.5 * volts)
            there = missed(trial, trial_v)
            if there[4] < norm or damping < 1e-4:
                break
            damping *= 0.5
        current, volts = trial, trial_v
        forward, residual, rest, short_a, norm = there
    if norm < 1e-5 * scale:
        return current, volts
    raise BadInput("supply", "rectifier", "has no periodic state that could be found", "1 A peak")


def _collocate_choke(
    matrix: Floats,
    drive: Floats,
    rectifier: Rectifier,
    start: tuple[Floats, float],
    direct: Callable[[float], Direct],
) -> tuple[Floats, float]:
    """The same behind an input choke, whose volts a small error of current makes enormous.

    So volts are balanced, not currents: drop(i) + M i + port volts = drive where the rectifier
    conducts, and the set of samples that conduct is found along with them. Above the critical
    current it is all of them.
    """
    samples = drive.size
    current, volts = np.maximum(start[0], 1e-6), start[1]
    active = np.ones(samples, dtype=bool)
    for _ in range(_NEWTON_PASSES):
        rest = direct(volts)
        rows = np.flatnonzero(active)
        if rows.size == 0:
            # nothing conducts any more: there is no way back from here
            break
        here = current[rows]
        across = rectifier.drop_v(here) + (matrix @ current)[rows] + rest.port_v - drive[rows]
        inner = matrix[rows][:, rows]
        inner.flat[:: rows.size + 1] += rectifier.drop_slope_ohm(here)
        sides = np.stack([-across, np.full(rows.size, -rest.slope_v)], axis=1)
        found = np.linalg.solve(inner, sides)
        short_a = (float(here.sum()) + float(found[:, 0].sum())) / samples - rest.port_a
        step_v = -short_a / (float(found[:, 1].sum()) / samples - rest.slope_a)
        step = found[:, 0] + found[:, 1] * step_v
        volts = max(volts + step_v, 0.5 * volts)
        current = np.zeros(samples)
        current[rows] = np.maximum(here + step, 0.0)
        forward = drive - matrix @ current - direct(volts).port_v
        wanted = np.where(active, current > 0.0, forward > rectifier.threshold_v)
        settled = bool(np.array_equal(wanted, active))
        active = wanted
        if settled and float(np.max(np.abs(step))) < 1e-8 * (float(current.max()) + 1e-6):
            return current, volts
        current[active] = np.maximum(current[active], 1e-9)
    raise BadInput("supply", "choke", "has no periodic state that could be found", "10 H")


def _figures(
    supply: Supply,
    line_v: float,
    port: _Port,
    current: Floats,
    node_v: tuple[float, ...],
    load_a: float,
) -> SupplyPoint:
    waves = port.nodes * np.fft.rfft(current)
    mean_square = float(np.mean(current**2))
    # in full wave each plate carries every second pulse of the repeated half period
    share = 0.5 if supply.topology.full_wave and not supply.dead_half else 1.0
    if _uneven(supply):
        # the stronger half's plate, over the whole period
        strong = current[: current.size // 2]
        mean_square, share = float(np.sum(strong**2)) / current.size, 1.0
    ripple = np.ptp(np.fft.irfft(waves, current.size, axis=1), axis=1)
    return SupplyPoint(
        line_v=line_v,
        node_v=node_v,
        ripple_v=tuple(float(v) for v in ripple),
        rectifier_rms_a=float(np.sqrt(share * mean_square)),
        rectifier_peak_a=float(np.max(current)),
        load_a=load_a,
    )
