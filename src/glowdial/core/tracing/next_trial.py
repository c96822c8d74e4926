"""The next best test: the most information about which block it is, for what it costs.

The expected information of a test is the mutual information of its outcome and the block, H(Y) -
H(Y | block), with the outcome taken as pass or fail: a level fails where it is 8 dB down, which the
spread of expected gains along the way blurs. Divided by minutes, danger and getting there counted.
Source: Shannon's information measure, as in textbooks of information theory.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from glowdial.core.tracing.failures import LOSSES, NOWHERE, Symptom
from glowdial.core.tracing.posterior import (
    FAILS_FROM_DB,
    GAIN_SPREAD_DB,
    METER_SPREAD_DB,
    Posterior,
)
from glowdial.core.tracing.trials import Trial, TrialKind, shown_by

Floats = NDArray[np.float64]
LEAST_SHARE = 1e-3
LEAST_BITS = 1e-3
FORESEEN = 4


@dataclass(frozen=True, slots=True)
class TrialProposal:
    """A test that is worth doing: what it is expected to tell in bits, how likely it fails, and
    which blocks would be left, likeliest first, if it passes and if it fails."""

    trial: Trial
    bits: float
    fails: float
    if_good: tuple[tuple[str, float], ...]
    if_bad: tuple[tuple[str, float], ...]

    @property
    def worth(self) -> float:
        """Bits for a minute."""
        return self.bits / max(self.trial.minutes, 1e-9)


ENTROPY_STEPS = 8192


@cache
def _entropies() -> Floats:
    """The entropy of a yes or no in bits, over its probability in even steps."""
    p = np.clip(np.arange(ENTROPY_STEPS + 1) / ENTROPY_STEPS, 1e-12, 1.0 - 1e-12)
    return np.asarray(-p * np.log2(p) - (1.0 - p) * np.log2(1.0 - p))


def _entropy(p: Floats) -> Floats:
    """Entropy of a yes or no, to the nearest of 8192 steps: it ranks tests, and a table is six
    times as quick as two logarithms."""
    return np.asarray(_entropies()[np.rint(p * ENTROPY_STEPS).astype(np.intp)])


@dataclass(frozen=True)
class Trials:
    """Possible tests, their reach as one matrix, shape (trials, blocks), made once for a set."""

    trials: tuple[Trial, ...]
    reach: Floats
    lies: Floats
    minutes: Floats
    classes: tuple[tuple[Symptom, TrialKind, bool], ...]
    of_class: NDArray[np.intp]
    spread: Floats

    @classmethod
    def of(
        cls,
        blocks: Sequence[str],
        trials: Sequence[Trial],
        gain_spread_db: float = GAIN_SPREAD_DB,
    ) -> Trials:
        """Of a set's blocks, in the diagram's order, and its tests."""
        place = {key: n for n, key in enumerate(blocks)}
        reach = np.zeros((len(trials), len(blocks)))
        for n, trial in enumerate(trials):
            reach[n, [place[k] for k in trial.reach]] = trial.reduced
        found: dict[tuple[Symptom, TrialKind, bool], int] = {}
        of_class = [found.setdefault((t.symptom, t.kind, t.levelled), len(found)) for t in trials]
        spread = np.sqrt(gain_spread_db**2 * np.sum(reach**2, axis=1) + METER_SPREAD_DB**2)
        return cls(
            tuple(trials),
            reach,
            np.array([t.lie for t in trials]),
            np.array([t.minutes for t in trials]),
            tuple(found),
            np.array(of_class, dtype=np.intp),
            spread,
        )

    @cached_property
    def alarm(self) -> Floats:
        """How often a level fails where nothing is lost, shape (trials,)."""
        return np.asarray(ndtr(-FAILS_FROM_DB / self.spread))

    @cached_property
    def shown(self) -> Floats:
        """By how much more often a level fails where a fault of each way lies in its way, shape
        (trials, ways of ``LOSSES``)."""
        share = np.max(self.reach, axis=1, initial=0.0)
        columns = [
            (1.0 - loss.missed)
            * (
                ndtr(
                    (share * loss.mean_db - FAILS_FROM_DB)
                    / np.sqrt(self.spread**2 + (share * loss.spread_db) ** 2)
                )
                - self.alarm
            )
            for loss in LOSSES.values()
        ]
        return np.stack(columns, axis=1)


def failing_shares(found: Posterior, trials: Trials) -> tuple[Floats, Floats]:
    """How likely each test fails together with each block being to blame, shape (trials,
    blocks + 1), and how likely each block is, shape (blocks + 1,)."""
    suspects, count = found.suspects, len(found.diagram.blocks)
    inside = suspects.block != NOWHERE
    place, weight = suspects.block[inside], found.probability[inside]
    share = found.by_block
    bad = np.zeros((len(trials.trials), count + 1))
    for n, (symptom, kind, levelled) in enumerate(trials.classes):
        rows = np.nonzero(trials.of_class == n)[0]
        reach = trials.reach[rows]
        if levelled:
            bad[rows] = _levels_failing(found, trials, rows)
            continue
        shown = shown_by(suspects, symptom, kind)[inside]
        caught = np.bincount(place, weight * shown, count)
        bad[rows, :count] = reach * caught
    lie = trials.lies[:, None]
    return bad * (1.0 - 2.0 * lie) + lie * share, share


def _levels_failing(found: Posterior, trials: Trials, rows: NDArray[np.intp]) -> Floats:
    """The same for levels, lies left out: by how far the loss of each way stands above the spread
    of what is expected along the test's way."""
    suspects, count = found.suspects, len(found.diagram.blocks)
    inside = suspects.block != NOWHERE
    weights = np.stack(
        [
            np.bincount(suspects.block[mine], found.probability[mine], minlength=count)
            for way in LOSSES
            for mine in [inside & suspects.fails_by(way)]
        ]
    )
    bad = np.outer(trials.alarm[rows], found.by_block)
    bad[:, :count] += (trials.reach[rows] > 0.0) * (trials.shown[rows] @ weights)
    return bad


def information_bits(found: Posterior, trials: Trials) -> Floats:
    """What each test is expected to tell about which block it is, in bits, shape (trials,)."""
    return _bits(*failing_shares(found, trials))


def _bits(bad: Floats, share: Floats) -> Floats:
    some = share > LEAST_SHARE
    bad, share = bad[:, some], share[some]
    fails = np.sum(bad, axis=1) / float(np.sum(share))
    return np.asarray(_entropy(fails) - _entropy(bad / share) @ (share / float(np.sum(share))))


def proposals(
    found: Posterior,
    trials: Trials,
    done: Iterable[str] = (),
    *,
    most: int = 3,
    by_cost: bool = True,
) -> tuple[TrialProposal, ...]:
    """The tests that are most worth doing, best first; what was done is left out, and so is what
    would tell nothing."""
    bad, share = failing_shares(found, trials)
    bits = _bits(bad, share)
    worth = bits / np.maximum(trials.minutes, 1e-9) if by_cost else bits
    tried = set(done)
    chosen: list[int] = []
    for n in np.argsort(-worth, kind="stable"):
        if len(chosen) == most or bits[n] < LEAST_BITS:
            break
        if trials.trials[n].key not in tried:
            chosen.append(int(n))
    return tuple(_proposal(found, trials.trials[n], float(bits[n]), bad[n], share) for n in chosen)


def _proposal(
    found: Posterior, trial: Trial, bits: float, bad: Floats, share: Floats
) -> TrialProposal:
    fails = float(np.sum(bad))
    return TrialProposal(
        trial,
        bits,
        fails,
        _likeliest(found, (share - bad) / max(1.0 - fails, 1e-12)),
        _likeliest(found, bad / max(fails, 1e-12)),
    )


def _likeliest(found: Posterior, shares: Floats) -> tuple[tuple[str, float], ...]:
    blocks = found.diagram.blocks
    order = np.argsort(-shares[: len(blocks)], kind="stable")[:FORESEEN]
    return tuple((blocks[int(n)].key, float(shares[n])) for n in order if shares[n] >= 0.02)
