"""Who is to blame: Bayes over single faults, and over pairs.

Pass or fail: P(bad | fault) = s (1 - e) + (1 - s) e, with s how surely the test shows the fault and
e how often it lies. The same test again repeats its lie and counts once.

Levels are weighed as decibels, jointly: what is lost against expectation is the fault's loss plus
the errors of the expected gains along the way, which tests over the same blocks share, plus the
meter's. With W the blocks that each test runs through (tests x blocks), the readings of a healthy
set are Gaussian with covariance W W' g^2 + m^2 I; a fault in block b adds its loss L times column
b, L Gaussian by its way of failing, and is integrated in closed form. Lying levels are summed
over: each alone, and each pair of the twelve that the others speak against most.
Source: Bayesian inference with Gaussian noise and the matrix inversion lemma, as in textbooks of
statistics.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.tracing.failures import LOSSES, NO_LOSS, NOWHERE, LossOfWay, Suspects
from glowdial.core.tracing.trials import (
    PARTLY_ELSE,
    PARTLY_LIE,
    PARTLY_SHARE,
    Finding,
    Outcome,
    Trial,
    reach_of,
    shown_by,
)

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
GAIN_SPREAD_DB, METER_SPREAD_DB = 3.0, 1.5
# where nothing at all was read, the loss is at least that, and more by an unknown amount
FLOOR_SPREAD_DB = 12.0
# a lying level may be anything over this many dB
LIE_RANGE_DB = 80.0
# two readings are thought to lie together only among those that fit least
MOST_PAIRED = 12
CONVICTED = 0.97
SECOND_FAULT = 0.08


@dataclass(frozen=True)
class Posterior:
    """How likely each suspect is, shape (suspects,), adding up to 1; ``evidence`` is the logarithm
    of how likely the findings were at all."""

    suspects: Suspects
    probability: Floats
    evidence: float

    @property
    def diagram(self) -> BlockDiagram:
        """The set."""
        return self.suspects.diagram

    @cached_property
    def by_block(self) -> Floats:
        """How likely each block is, in the diagram's order; the last is "in none of them"."""
        return by_block(self.suspects, self.probability)

    @property
    def elsewhere(self) -> float:
        """How likely it is that the fault is in no block."""
        return float(self.by_block[-1])

    def of(self, key: str) -> float:
        """How likely a block is; raises NotFound."""
        self.diagram.block(key)
        return float(self.by_block[self.diagram.index[key]])

    @property
    def first(self) -> tuple[str, float]:
        """The likeliest block ("" for none of them) and how likely it is."""
        n = int(np.argmax(self.by_block))
        key = self.diagram.blocks[n].key if n < len(self.diagram.blocks) else ""
        return key, float(self.by_block[n])

    @property
    def convicted(self) -> str:
        """The block that is surely to blame; "" while none is."""
        key, probability = self.first
        return key if probability >= CONVICTED else ""

    @property
    def remaining(self) -> tuple[str, ...]:
        """The blocks that together hold the conviction's share, likeliest first."""
        order = np.argsort(-self.by_block[:-1], kind="stable")
        held = np.cumsum(self.by_block[:-1][order])
        count = int(np.searchsorted(held, CONVICTED * held[-1])) + 1
        return tuple(self.diagram.blocks[int(n)].key for n in order[:count])

    @property
    def entropy_bits(self) -> float:
        """How open it still is, over blocks."""
        return entropy_bits(self.by_block)


def entropy_bits(shares: Floats) -> float:
    """Shannon's entropy of some shares, in bits."""
    some = shares[shares > 0.0]
    return float(-np.sum(some * np.log2(some)))


def by_block(suspects: Suspects, probability: Floats) -> Floats:
    """Shares of suspects added up by block, shape (blocks + 1,)."""
    count = len(suspects.diagram.blocks)
    place = np.where(suspects.block == NOWHERE, count, suspects.block)
    return np.asarray(np.bincount(place, probability, count + 1), dtype=np.float64)


def counted(findings: Sequence[Finding]) -> tuple[Finding, ...]:
    """The findings that count: of the same test the first, and neither where two disagree."""
    by_key: dict[str, list[Finding]] = {}
    for finding in findings:
        by_key.setdefault(finding.trial.key, []).append(finding)
    return tuple(same[0] for same in by_key.values() if not _disagree(same))


def disagreeing(findings: Sequence[Finding]) -> tuple[str, ...]:
    """The tests that were done more than once and did not say the same."""
    by_key: dict[str, list[Finding]] = {}
    for finding in findings:
        by_key.setdefault(finding.trial.key, []).append(finding)
    return tuple(key for key, same in by_key.items() if _disagree(same))


SAME_LEVEL_DB = 6.0


def _disagree(same: list[Finding]) -> bool:
    outcomes = {f.outcome for f in same}
    levels = [f.loss_db for f in same if f.loss_db is not None]
    apart = max(levels) - min(levels) > SAME_LEVEL_DB if levels else False
    return len(outcomes) > 1 or apart


def posterior(
    suspects: Suspects, findings: Sequence[Finding], *, gain_spread_db: float = GAIN_SPREAD_DB
) -> Posterior:
    """How likely each suspect is after some findings; the prior where there are none."""
    log = np.log(suspects.prior)
    kept = counted(findings)
    told = [f for f in kept if f.outcome is not None]
    if told:
        log = log + told_log(suspects, told)
    levels = [f for f in kept if f.loss_db is not None]
    if levels:
        log = log + levels_log(suspects, levels, gain_spread_db)
    top = float(np.max(log))
    weights = np.exp(log - top)
    total = float(np.sum(weights))
    return Posterior(suspects, weights / total, top + float(np.log(total)))


def seen_matrix(suspects: Suspects, findings: Sequence[Finding]) -> Floats:
    """How surely each finding's test shows each suspect, shape (findings, suspects)."""
    return np.array([_seen(suspects, finding.trial) for finding in findings])


def _seen(suspects: Suspects, trial: Trial) -> Floats:
    key = trial.key, trial.reduced
    known = suspects.known_rows.get(key)
    if known is None:
        # NOWHERE is the last place of what is appended
        reach = np.append(reach_of(suspects.diagram, trial), 0.0)
        known = reach[suspects.block] * shown_by(suspects, trial.symptom, trial.kind)
        suspects.known_rows[key] = known
    return known


def _partly(suspects: Suspects) -> Floats:
    return np.array([PARTLY_SHARE.get(way, PARTLY_ELSE) for way in suspects.way])


def told_log(suspects: Suspects, findings: Sequence[Finding]) -> Floats:
    """Logarithm of how likely outcomes are under each suspect, shape (suspects,)."""
    seen = seen_matrix(suspects, findings)
    return np.asarray(np.sum(np.log(_told_likelihoods(seen, _partly(suspects), findings)), axis=0))


def _told_likelihoods(seen: Floats, partly: Floats, findings: Sequence[Finding]) -> Floats:
    """How likely each outcome is, shape (findings, cases); ``partly`` is how often a fault that is
    seen is answered with that, shape (cases,) or (findings, cases)."""
    lie = np.array([f.trial.lie for f in findings])[:, None]
    bad = seen * (1.0 - lie) + (1.0 - seen) * lie
    shares = np.where(seen > 0.0, np.broadcast_to(partly, seen.shape), PARTLY_LIE)
    likely = np.empty_like(seen)
    for n, finding in enumerate(findings):
        match finding.outcome:
            case Outcome.BAD:
                likely[n] = bad[n] * (1.0 - shares[n])
            case Outcome.PARTLY:
                likely[n] = bad[n] * shares[n]
            case _:
                likely[n] = 1.0 - bad[n]
    return likely


@dataclass(frozen=True)
class _Levels:
    """Levels as a joint Gaussian: the parts of its quadratic forms, for every subset of lying
    readings. Shapes: ``a`` (subsets,), ``b`` and ``c`` (subsets, blocks), ``base`` (subsets,) the
    logarithm without the quadratic form, ``size`` (subsets,) how many lie."""

    a: Floats
    b: Floats
    c: Floats
    base: Floats
    size: Ints

    def log(self, loss: LossOfWay, lie: float) -> Floats:
        """Logarithm of the readings' density under a fault in each block, shape (blocks,)."""
        mean, variance = loss.mean_db, loss.spread_db**2
        missed = min(lie + loss.missed, 0.5)
        denominator = 1.0 + variance * self.c
        slope = self.b - mean * self.c
        quadratic = (
            self.a[:, None]
            - 2.0 * mean * self.b
            + mean**2 * self.c
            - variance * slope**2 / denominator
        )
        odds = np.log(missed / (1.0 - missed) / LIE_RANGE_DB)
        terms = (self.base + self.size * odds)[:, None] - 0.5 * (quadratic + np.log(denominator))
        top = np.max(terms, axis=0)
        return np.asarray(top + np.log(np.sum(np.exp(terms - top), axis=0)))


def _level_forms(diagram: BlockDiagram, findings: Sequence[Finding], spread_db: float) -> _Levels:
    ways = np.array([reach_of(diagram, f.trial) for f in findings])
    lost = np.array([f.loss_db or 0.0 for f in findings])
    own = np.array([METER_SPREAD_DB + (FLOOR_SPREAD_DB if f.floor else 0.0) for f in findings])
    covariance = spread_db**2 * ways @ ways.T + np.diag(own**2)
    precision = np.linalg.inv(covariance)
    log_det = float(np.linalg.slogdet(covariance)[1])
    x, y = precision @ lost, precision @ ways
    a, b, c = float(lost @ x), ways.T @ x, np.einsum("ij,ij->j", ways, y)
    count = len(findings)
    full = -0.5 * (count * np.log(2.0 * np.pi) + log_det)
    half = 0.5 * np.log(2.0 * np.pi)
    spread = np.diag(precision)
    ones = (
        a - x**2 / spread,
        b - x[:, None] * y / spread[:, None],
        c - y**2 / spread[:, None],
        # without a reading, its share of the determinant goes too
        full + half - 0.5 * np.log(spread),
    )
    parts = [(np.array([a]), b[None, :], c[None, :], np.array([full])), ones]
    sizes = [0] + [1] * count
    if count >= 2:
        # the readings that the others speak against most, each on its own
        odd = np.argsort(-(x**2) / spread, kind="stable")[:MOST_PAIRED]
        parts.append(_two_lies(a, b, c, full + 2.0 * half, x, y, precision, np.sort(odd)))
        sizes += [2] * (len(odd) * (len(odd) - 1) // 2)
    forms_a, forms_b, forms_c, base = (np.concatenate(p) for p in zip(*parts, strict=True))
    return _Levels(forms_a, forms_b, forms_c, base, np.array(sizes))


def _two_lies(
    a: float,
    b: Floats,
    c: Floats,
    full: float,
    x: Floats,
    y: Floats,
    precision: Floats,
    odd: Ints,
) -> tuple[Floats, Floats, Floats, Floats]:
    """The forms without each pair of some readings (block elimination of two rows)."""
    one, other = np.triu_indices(len(odd), 1)
    first, second = odd[one], odd[other]
    p, q = precision[first, first], precision[second, second]
    r = precision[first, second]
    determinant = p * q - r**2
    x1, x2 = x[first], x[second]
    y1, y2 = y[first], y[second]
    forms_a = a - (q * x1**2 - 2.0 * r * x1 * x2 + p * x2**2) / determinant
    over = determinant[:, None]
    left = (q * x1 - r * x2)[:, None] / over
    right = (p * x2 - r * x1)[:, None] / over
    forms_b = b - (left * y1 + right * y2)
    forms_c = c - (q[:, None] * y1**2 - 2.0 * r[:, None] * y1 * y2 + p[:, None] * y2**2) / over
    return forms_a, forms_b, np.maximum(forms_c, 0.0), full - 0.5 * np.log(determinant)


def levels_log(suspects: Suspects, findings: Sequence[Finding], spread_db: float) -> Floats:
    """Logarithm of how likely levels are under each suspect, shape (suspects,)."""
    forms = _level_forms(suspects.diagram, findings, spread_db)
    lie = float(np.mean([f.trial.lie for f in findings]))
    healthy = float(forms.log(NO_LOSS_AT_ALL, lie)[0])
    by_way = {way: forms.log(LOSSES[way], lie) for way in set(suspects.way) & set(LOSSES)}
    log = np.full(suspects.count, healthy)
    for n, way in enumerate(suspects.way):
        if way in by_way and suspects.block[n] != NOWHERE:
            log[n] = by_way[way][suspects.block[n]]
    return log


NO_LOSS_AT_ALL = LossOfWay(0.0, 0.0, NO_LOSS.missed)


@dataclass(frozen=True)
class Pair:
    """Two blocks that are to blame together, and how likely that is among all single faults and
    pairs."""

    first: str
    second: str
    probability: float


def pair_posterior(
    suspects: Suspects, findings: Sequence[Finding], *, most: int = 6
) -> tuple[float, tuple[Pair, ...]]:
    """How likely it is that there are two faults, and which pairs of blocks, likeliest first.

    A test shows a pair where it shows one of the two. Levels are taken as passed or failed here (a
    loss of 8 dB or more fails). Two faults are 0.08 times as likely as one before anything is
    tried.
    """
    kept = [_told(f) for f in counted(findings)]
    seen = seen_matrix(suspects, kept)
    partly = _partly(suspects)
    count = len(suspects.diagram.blocks)
    # suspects that no finding tells apart are one
    place = np.where(suspects.block == NOWHERE, count, suspects.block)
    columns = np.vstack([seen, np.where(np.any(seen > 0.0, axis=0), partly, 0.0), place])
    _, group = np.unique(columns.round(9), axis=1, return_inverse=True)
    group = group.ravel()
    groups = int(group.max()) + 1
    prior = np.bincount(group, suspects.prior, groups)
    one = np.zeros((len(kept), groups))
    share, block = np.zeros(groups), np.zeros(groups, dtype=np.intp)
    one[:, group], share[group], block[group] = seen, partly, place
    both = _both_log(one, share, kept)
    pairs_of = SECOND_FAULT * np.outer(prior, prior) * np.exp(both)
    pairs_of[block[:, None] == block[None, :]] = 0.0
    single = prior * np.prod(_told_likelihoods(one, share, kept), axis=0)
    total = float(np.sum(pairs_of) + np.sum(single))
    places = np.zeros((groups, count + 1))
    places[np.arange(groups), block] = 1.0
    whole = places.T @ (pairs_of / total) @ places
    # a pair stands there twice, once for each order
    two = np.triu(whole + whole.T, 1) if count else whole
    order = np.argsort(-two[:count, :count], axis=None)[:most]
    blocks = suspects.diagram.blocks
    pairs = tuple(
        Pair(blocks[n // count].key, blocks[n % count].key, float(two[n // count, n % count]))
        for n in (int(k) for k in order)
        if two[n // count, n % count] > 0.0
    )
    return float(np.sum(pairs_of)) / total, pairs


def _both_log(one: Floats, share: Floats, findings: Sequence[Finding]) -> Floats:
    """Logarithm of how likely the findings are with two suspects together, shape (groups,
    groups): a test shows the pair where it shows one of the two."""
    log = np.zeros((one.shape[1], one.shape[1]))
    for seen, finding in zip(one, findings, strict=True):
        lie = finding.trial.lie
        hidden = np.outer(1.0 - seen, 1.0 - seen)
        if finding.outcome is Outcome.GOOD:
            log += np.log(lie + (1.0 - 2.0 * lie) * hidden)
            continue
        # who is seen answers; where both are, the one that is less often only partly wrong
        own = np.where(seen > 0.0, share, 1.0)
        answered = np.minimum(own[:, None], own[None, :])
        answered[(seen[:, None] <= 0.0) & (seen[None, :] <= 0.0)] = PARTLY_LIE
        partly = finding.outcome is Outcome.PARTLY
        bad = 1.0 - lie - (1.0 - 2.0 * lie) * hidden
        log += np.log(bad * (answered if partly else 1.0 - answered))
    return log


FAILS_FROM_DB = 8.0


def _told(finding: Finding) -> Finding:
    if finding.loss_db is None:
        return finding
    outcome = Outcome.BAD if finding.loss_db >= FAILS_FROM_DB else Outcome.GOOD
    return Finding(finding.trial, outcome, seq=finding.seq)


# beyond what lies explain: less often than this
RARE = 0.03


@dataclass(frozen=True, slots=True)
class Contradiction:
    """Findings that no single fault explains without too many lies; ``against`` are those that
    speak against the likeliest one."""

    against: tuple[Finding, ...]


def contradiction(found: Posterior, findings: Sequence[Finding]) -> Contradiction | None:
    """Whether the findings contradict each other: even under the likeliest fault, more of them
    would have to lie than happens three times in a hundred."""
    kept = counted(findings)
    if len(kept) < 2:
        return None
    n = int(np.argmax(found.probability))
    suspects = found.suspects
    told = [_told(f) for f in kept]
    seen = seen_matrix(suspects, told)[:, n]
    lie = np.array([f.trial.lie for f in told])
    bad = seen * (1.0 - lie) + (1.0 - seen) * lie
    outcome_bad = np.array([f.outcome is not Outcome.GOOD for f in told])
    likely = np.where(outcome_bad, bad, 1.0 - bad)
    against = likely < 0.5
    wrong = int(np.sum(against))
    if wrong < 2 or _at_least(np.minimum(bad, 1.0 - bad), wrong) > RARE:
        return None
    return Contradiction(tuple(f for f, one in zip(kept, against, strict=True) if one))


def _at_least(chances: Floats, wrong: int) -> float:
    """How often so many or more of some unlike events happen (Poisson's binomial)."""
    exactly = np.ones(1)
    for chance in chances:
        exactly = np.convolve(exactly, [1.0 - chance, chance])
    return float(np.sum(exactly[wrong:]))
