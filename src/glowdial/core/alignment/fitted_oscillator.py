"""One band's oscillator, fitted to all readings and moves: where every mark stands, what a turn
does, and what the next reading will be, each with its doubt.

How much an adjuster's turns change its part, which way where that is not known, and whether its
last moves did anything at all, are inferred with the circuit's own unknowns. Source: Gauss-Newton
to the most probable state and Laplace's approximation around it (textbooks of Bayesian inference),
mixed over the hypotheses that are not numbers.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.alignment.oscillator_state import (
    HAND_SHARE,
    HAND_TURNS,
    Event,
    FittedOscillator,
    Housed,
    MarkRead,
    ReadingStand,
    StateLayout,
    Turned,
    TurnedCircuit,
    Turner,
    normals,
    stand_rows,
    tuned_hz_of,
)
from glowdial.core.physics.tracking import TrackedBand

Floats = NDArray[np.float64]

# freedom of the readings' own distribution, and how often its weights are found anew
FREEDOM, REWEIGHTED = 4.0, 2
IDLE_PRIOR, MOST_IDLE = 0.03, 2
ITERATIONS, CORRECTIONS, ENOUGH, STEP, LONGEST_STEP = 24, 3, 1e-3, 1e-3, 4.0
SAMPLES, LEAST_WEIGHT = 512, 0.004
# a sample so near the readings explains them, in their doubts; the nearest are kept in any case
EXPLAINED, LEAST_KEPT = 0.5, 0.25
# a hypothesis so much less probable than the best is not looked at more closely, and one that
# after some steps stands so far below it is not climbed to its top
HOPELESS, GIVEN_UP, SOON = 14.0, 60.0, 6


@dataclass(frozen=True, slots=True)
class _Hypothesis:
    """Directions of the adjusters, and moves that did nothing."""

    ways: tuple[float, ...]
    idle: frozenset[int]
    prior: float


@dataclass(frozen=True, slots=True)
class _Data:
    """What was read under a hypothesis: where, what, and with which doubt."""

    circuit: TurnedCircuit
    at: ReadingStand
    read: Floats
    doubt: Floats
    ways: Floats

    def tuned(self, states: Floats) -> Floats:
        """What comes in at each reading (states, readings), in Hz."""
        turned = self.circuit.turned(self.at, states)
        ways = np.repeat(self.ways, len(states), axis=0)
        return tuned_hz_of(self.circuit, self.at, states, ways, turned)

    def misfit(self, states: Floats) -> Floats:
        """Read less computed in units of the doubt (states, readings)."""
        return (self.read - self.tuned(states)) / self.doubt


@dataclass(frozen=True, slots=True)
class _Mode:
    """The most probable state under a hypothesis, the misfit there and its slopes, the inverse of
    the precision's root, and the logarithm of the evidence."""

    data: _Data
    state: Floats
    residual: Floats
    slopes: Floats
    spread: Floats
    evidence: float

    def samples(self, count: int) -> Floats:
        """Normal around it, then brought to where they explain what was read as well as the
        straight lines at the top say: the circuit bends, its readings do not."""
        away = normals(count, len(self.state), 7) @ self.spread.T
        states = self.state + away
        if not len(self.residual):
            return np.asarray(states)
        wanted = self.residual - away @ self.slopes.T
        inverse = np.linalg.pinv(self.slopes, rcond=1e-6)
        for _ in range(CORRECTIONS):
            step = (self.data.misfit(states) - wanted) @ inverse.T
            length = np.linalg.norm(step, axis=1, keepdims=True)
            states = states + step / np.maximum(1.0, length)
        # one that was not brought there explains nothing: another stands in for it
        off = np.max(np.abs(self.data.misfit(states) - wanted), axis=1)
        explain = states[off <= max(EXPLAINED, float(np.quantile(off, LEAST_KEPT)))]
        return np.asarray(np.resize(explain, states.shape))


def fit_oscillator(
    band: TrackedBand,
    span: tuple[float, float],
    turners: Sequence[Turner],
    events: Sequence[Event],
) -> FittedOscillator:
    """Fit a band's circuit to what was read and turned, in order.

    ``span`` is the band's scale in Hz, from low to high. Without readings it is the sheet's own
    belief.
    """
    turners = tuple(turners)
    stand, reads = _stands(turners, events)
    moves = [e for e in events if isinstance(e, Turned)]
    layout = StateLayout(int(stand.pointer[-1]) + 1, len(turners), len(moves))
    hands = np.array(
        [[_hand(m) if m.adjuster == t.key else 0.0 for m in moves] for t in turners]
    ).reshape(len(turners), len(moves))
    circuit = TurnedCircuit(band, span, turners, layout, hands)
    at = stand_rows(stand, slice(0, -1))
    # others with the same directions begin where the first of them came to
    first: list[tuple[_Hypothesis, _Mode]] = []
    tops: dict[tuple[float, ...], Floats] = {}
    for h in _hypotheses(turners, moves):
        floor = max((m.evidence for _, m in first), default=-math.inf) - GIVEN_UP
        mode = _first_climb(circuit, at, reads, h, moves, tops.get(h.ways), floor)
        tops.setdefault(h.ways, mode.state)
        first.append((h, mode))
    best = max(_worth(h, mode) for h, mode in first)
    found = [(h, _reweighted(mode)) for h, mode in first if _worth(h, mode) > best - HOPELESS]
    logs = np.array([_worth(h, mode) for h, mode in found])
    weights = np.exp(logs - np.max(logs))
    weights /= np.sum(weights)
    return _mixed(circuit, stand, moves, found, weights)


def _hand(move: Turned) -> float:
    return math.hypot(HAND_SHARE * move.turns, HAND_TURNS)


def _stands(
    turners: tuple[Turner, ...], events: Sequence[Event]
) -> tuple[ReadingStand, list[MarkRead]]:
    """How the set stood at each reading, and in a last row as it stands now."""
    places = {t.key: n for n, t in enumerate(turners)}
    count = sum(isinstance(e, Turned) for e in events)
    turns, moved, pointer, made = np.zeros(len(turners)), np.zeros(count), 0, 0
    housed = 0.0
    rows: list[tuple[float, Floats, Floats, int, float]] = []
    reads: list[MarkRead] = []
    for event in events:
        if isinstance(event, MarkRead):
            reads.append(event)
            rows.append((event.mark_hz, turns.copy(), moved.copy(), pointer, housed))
        elif isinstance(event, Turned):
            moved[made] = 1.0
            made += 1
            if event.adjuster in places:
                turns[places[event.adjuster]] += event.turns
        elif isinstance(event, Housed):
            housed = float(event.into)
        else:
            pointer += 1
    rows.append((0.0, turns, moved, pointer, housed))
    return (
        ReadingStand(
            np.array([r[0] for r in rows]),
            np.array([r[1] for r in rows]).reshape(len(rows), len(turners)),
            np.array([r[2] for r in rows]).reshape(len(rows), count),
            np.array([r[3] for r in rows]),
            np.array([r[4] for r in rows]),
        ),
        reads,
    )


def _hypotheses(turners: tuple[Turner, ...], moves: list[Turned]) -> Iterator[_Hypothesis]:
    """Every direction of the adjusters that is not known, with and without idle last moves of one
    of them."""
    options = [(1.0,) if t.way_known else (1.0, -1.0) for t in turners]
    idles: list[frozenset[int]] = [frozenset()]
    for turner in turners:
        mine = [n for n, m in enumerate(moves) if m.adjuster == turner.key]
        idles += [frozenset(mine[-k:]) for k in range(1, min(len(mine), MOST_IDLE) + 1)]
    for ways in itertools.product(*options):
        for idle in idles:
            prior = IDLE_PRIOR if idle else 1.0 - IDLE_PRIOR
            yield _Hypothesis(ways, idle, prior * 0.5 ** sum(len(o) > 1 for o in options))


def _worth(hypothesis: _Hypothesis, mode: _Mode) -> float:
    """How probable a hypothesis is, as a logarithm, but for what all have in common."""
    return math.log(hypothesis.prior) + mode.evidence


def _first_climb(
    circuit: TurnedCircuit,
    at: ReadingStand,
    reads: list[MarkRead],
    hypothesis: _Hypothesis,
    moves: list[Turned],
    start: Floats | None,
    floor: float,
) -> _Mode:
    """Where a hypothesis explains best what was read if every reading is as good as it says, by
    Gauss-Newton steps that are damped where they do not help."""
    at = _idle_taken_out(at, circuit.turners, hypothesis, moves)
    read = np.array([r.frequency_hz for r in reads])
    doubt = np.array([r.doubt_hz for r in reads])
    data = _Data(circuit, at, read, doubt, np.array([hypothesis.ways]))
    return _climbed(data, np.zeros(circuit.layout.size) if start is None else start, floor)


def _reweighted(mode: _Mode) -> _Mode:
    """The same with readings that may be off by more than they say."""
    data = mode.data
    read, doubt = data.read, data.doubt
    for _ in range(REWEIGHTED):
        # Student's t: a reading far from all others counts less, by how far it is
        off = (read - mode.data.tuned(mode.state[None])[0]) / doubt
        spread = np.sqrt((FREEDOM + off**2) / (FREEDOM + 1.0))
        mode = _climbed(replace(data, doubt=doubt * np.maximum(spread, 1.0)), mode.state)
    return mode


def _climbed(data: _Data, state: Floats, floor: float = -math.inf) -> _Mode:
    """From a state to the top; given up after some steps where it stands far below a floor."""
    unit, damping = np.eye(len(state)), 0.0
    residual = data.misfit(state[None])[0]
    worth = float(residual @ residual + state @ state)
    slopes = _slopes(data, state, residual)
    for n in range(ITERATIONS):
        if n >= SOON and -0.5 * worth < floor:
            break
        precision = slopes.T @ slopes + (1.0 + damping) * unit
        step = np.linalg.solve(precision, slopes.T @ residual - state)
        tried = state + step / max(1.0, float(np.linalg.norm(step)) / LONGEST_STEP)
        there = data.misfit(tried[None])[0]
        now = float(there @ there + tried @ tried)
        if not now <= worth:
            damping = max(4.0 * damping, 1.0)
            continue
        settled = worth - now < ENOUGH
        state, residual, worth, damping = tried, there, now, damping / 4.0
        slopes = _slopes(data, state, residual)
        if settled:
            break
    root = np.linalg.cholesky(slopes.T @ slopes + unit)
    evidence = -0.5 * worth - float(np.sum(np.log(np.diag(root))) + np.sum(np.log(data.doubt)))
    return _Mode(data, state, residual, slopes, np.linalg.inv(root).T, evidence)


def _slopes(data: _Data, state: Floats, residual: Floats) -> Floats:
    """How the misfit falls with each unknown (readings, unknowns), by small steps."""
    stepped = data.misfit(state + STEP * np.eye(len(state)))
    return np.asarray((residual[:, None] - stepped.T) / STEP)


def _idle_taken_out(
    at: ReadingStand, turners: tuple[Turner, ...], hypothesis: _Hypothesis, moves: list[Turned]
) -> ReadingStand:
    """The turns without those that did nothing."""
    if not hypothesis.idle:
        return at
    places = {t.key: n for n, t in enumerate(turners)}
    turns, moved = at.turns.copy(), at.moved.copy()
    for n in hypothesis.idle:
        if moves[n].adjuster in places:
            turns[:, places[moves[n].adjuster]] -= moves[n].turns * at.moved[:, n]
        moved[:, n] = 0.0
    return ReadingStand(at.mark_hz, turns, moved, at.pointer, at.in_cabinet)


def _mixed(
    circuit: TurnedCircuit,
    stand: ReadingStand,
    moves: list[Turned],
    found: list[tuple[_Hypothesis, _Mode]],
    weights: Floats,
) -> FittedOscillator:
    """Samples of all hypotheses, as many of each as it is probable."""
    keys = [t.key for t in circuit.turners]
    idle = np.zeros(len(keys))
    off = np.zeros(len(stand.mark_hz) - 1)
    samples, ways, lost, alive = [], [], [], []
    for (hypothesis, mode), weight in zip(found, weights, strict=True):
        gone = np.array(
            [sum(moves[n].turns for n in hypothesis.idle if moves[n].adjuster == k) for k in keys]
        )
        still = np.array([any(moves[n].adjuster == k for n in hypothesis.idle) for k in keys])
        idle += weight * still
        off += weight * mode.residual
        count = round(SAMPLES * float(weight))
        if weight < LEAST_WEIGHT or count == 0:
            continue
        states = mode.samples(count)
        # a move that did nothing has no slip either
        states[:, [circuit.layout.hands.start + n for n in hypothesis.idle]] = 0.0
        samples.append(states)
        ways.append(np.tile(hypothesis.ways, (count, 1)))
        lost.append(np.tile(gone, (count, 1)))
        alive.append(np.tile(1.0 - still, (count, 1)))
    return FittedOscillator(
        circuit,
        circuit.turners,
        np.concatenate(samples),
        np.concatenate(ways),
        np.concatenate(lost),
        np.concatenate(alive),
        tuple(float(p) for p in idle),
        stand,
        tuple(float(v) for v in off),
    )
