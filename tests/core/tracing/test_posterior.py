"""Who is to blame, against enumeration of everything that could be so."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.tracing.diagrams import chain, two_bands
from glowdial.core.model.blocks import BlockKind, PartFamily
from glowdial.core.tracing.failures import (
    LOSSES,
    NOWHERE,
    SHOWN,
    History,
    Suspects,
    Symptom,
    Way,
    block_rate,
    suspects_of,
)
from glowdial.core.tracing.next_trial import Trials, information_bits, proposals
from glowdial.core.tracing.posterior import (
    GAIN_SPREAD_DB,
    LIE_RANGE_DB,
    METER_SPREAD_DB,
    SECOND_FAULT,
    contradiction,
    counted,
    disagreeing,
    entropy_bits,
    pair_posterior,
    posterior,
)
from glowdial.core.tracing.trials import (
    PARTLY_ELSE,
    PARTLY_LIE,
    PARTLY_SHARE,
    Finding,
    Outcome,
    Trial,
    TrialKind,
    possible_trials,
)

DIAGRAM = chain(6)
SUSPECTS = suspects_of(DIAGRAM, symptom=Symptom.SIGNAL)
TRIALS = [
    t
    for t in possible_trials(DIAGRAM)
    if t.kind in (TrialKind.INJECTION, TrialKind.TRACING, TrialKind.GAIN, TrialKind.FUNCTION)
]


def told(trial: Trial, outcome: Outcome) -> Finding:
    return Finding(replace(trial, levelled=False), outcome)


def likelihood(suspects: Suspects, n: int, finding: Finding) -> float:
    """By the book: seen or not, lying or not, and how a fault that is seen is answered."""
    trial, way = finding.trial, suspects.way[n]
    where = suspects.block[n]
    inside = where != NOWHERE and suspects.diagram.blocks[where].key in trial.reach
    shown = SHOWN[trial.symptom].get(way, 0.0) if inside else 0.0
    partly = PARTLY_SHARE.get(way, PARTLY_ELSE) if shown > 0.0 else PARTLY_LIE
    total = 0.0
    for seen, lies in itertools.product((True, False), repeat=2):
        chance = (shown if seen else 1.0 - shown) * (trial.lie if lies else 1.0 - trial.lie)
        if seen == lies:
            total += chance if finding.outcome is Outcome.GOOD else 0.0
        elif finding.outcome is not Outcome.GOOD:
            total += chance * (partly if finding.outcome is Outcome.PARTLY else 1.0 - partly)
    return total


@given(
    st.lists(
        st.tuples(st.sampled_from(TRIALS), st.sampled_from(list(Outcome))), min_size=1, max_size=8
    )
)
@settings(max_examples=60, deadline=None)
def test_single_faults_equal_enumeration(given_: list[tuple[Trial, Outcome]]) -> None:
    findings = [told(t, o) for t, o in {t.key: (t, o) for t, o in given_}.values()]
    found = posterior(SUSPECTS, findings)
    weights = np.array(
        [
            SUSPECTS.prior[n] * math.prod(likelihood(SUSPECTS, n, f) for f in findings)
            for n in range(SUSPECTS.count)
        ]
    )
    assert found.probability == pytest.approx(weights / weights.sum(), abs=1e-9)
    assert found.evidence == pytest.approx(math.log(weights.sum()), abs=1e-9)


def level_density(block: int, way: Way, findings: list[Finding], spread_db: float) -> float:
    """Every subset of up to two lying levels, the loss integrated by a sum over it."""
    lie = findings[0].trial.lie
    reach = np.array([[float(b.key in f.trial.reach) for b in DIAGRAM.blocks] for f in findings])
    lost = np.array([f.loss_db for f in findings])
    loss = LOSSES[way]
    missed = min(lie + loss.missed, 0.5)
    grid = np.linspace(loss.mean_db - 8 * loss.spread_db, loss.mean_db + 8 * loss.spread_db, 4001)
    prior = np.exp(-0.5 * ((grid - loss.mean_db) / loss.spread_db) ** 2)
    prior /= prior.sum()
    total = 0.0
    for size in (0, 1, 2):
        for lying in itertools.combinations(range(len(findings)), size):
            rest = [n for n in range(len(findings)) if n not in lying]
            rows = reach[rows_ := rest]
            covariance = spread_db**2 * rows @ rows.T + METER_SPREAD_DB**2 * np.eye(len(rows_))
            inverse = np.linalg.inv(covariance) if rows_ else np.zeros((0, 0))
            scale = (2 * math.pi) ** (-len(rows_) / 2)
            scale /= math.sqrt(np.linalg.det(covariance)) if rows_ else 1.0
            off = lost[rows_][None, :] - grid[:, None] * rows[:, block][None, :]
            density = scale * np.exp(-0.5 * np.einsum("gi,ij,gj->g", off, inverse, off))
            odds = (missed / (1 - missed) / LIE_RANGE_DB) ** size
            total += odds * float(np.sum(prior * density))
    return total


def test_levels_equal_enumeration_of_lies_and_losses() -> None:
    levels = [(3, 24.0), (9, 1.5), (14, 19.0), (20, -2.0), (17, 60.0)]
    trials = [t for t in TRIALS if t.levelled]
    findings = [Finding(trials[n % len(trials)], loss_db=db) for n, db in levels]
    found = posterior(SUSPECTS, findings)
    groups = [
        (n, int(SUSPECTS.block[n]), SUSPECTS.way[n])
        for n in range(SUSPECTS.count)
        if SUSPECTS.block[n] != NOWHERE
    ]
    densities = {n: level_density(b, way, findings, GAIN_SPREAD_DB) for n, b, way in groups}
    first = groups[0][0]
    for n, _, _ in groups:
        expected = densities[n] * SUSPECTS.prior[n] / densities[first] / SUSPECTS.prior[first]
        got = found.probability[n] / found.probability[first]
        assert got == pytest.approx(expected, rel=2e-3)


def test_pairs_equal_enumeration() -> None:
    diagram = two_bands()
    suspects = suspects_of(diagram, symptom=Symptom.SIGNAL)
    by_key = {t.key: t for t in possible_trials(diagram)}
    whole = [t for t in by_key.values() if t.kind is TrialKind.FUNCTION]
    gain = next(t for t in by_key.values() if t.kind is TrialKind.GAIN)
    findings = [*(told(t, Outcome.BAD) for t in whole), told(gain, Outcome.GOOD)]
    two, pairs = pair_posterior(suspects, findings, most=100)

    def shown(n: int, finding: Finding) -> float:
        where = suspects.block[n]
        if where == NOWHERE or diagram.blocks[where].key not in finding.trial.reach:
            return 0.0
        return SHOWN[finding.trial.symptom].get(suspects.way[n], 0.0)

    def likely(*suspected: int) -> float:
        total = 1.0
        for finding in findings:
            lie = finding.trial.lie
            seen = 1.0 - math.prod(1.0 - shown(n, finding) for n in suspected)
            bad = seen * (1 - lie) + (1 - seen) * lie
            shares = [
                PARTLY_SHARE.get(suspects.way[n], PARTLY_ELSE)
                for n in suspected
                if shown(n, finding) > 0.0
            ]
            partly = min(shares, default=PARTLY_LIE)
            total *= bad * (1 - partly) if finding.outcome is Outcome.BAD else 1 - bad
        return total

    count = suspects.count
    single = sum(suspects.prior[n] * likely(n) for n in range(count))
    both: dict[tuple[str, str], float] = {}
    for i, j in itertools.combinations(range(count), 2):
        if suspects.block[i] == suspects.block[j]:
            continue
        weight = 2 * SECOND_FAULT * suspects.prior[i] * suspects.prior[j] * likely(i, j)
        names = tuple(
            sorted(
                (diagram.blocks[b].key if b != NOWHERE else "" for b in suspects.block[[i, j]]),
                key=lambda k: (k == "", diagram.index.get(k, 0)),
            )
        )
        both[names] = both.get(names, 0.0) + weight
    total = single + sum(both.values())
    assert two == pytest.approx(sum(both.values()) / total, rel=1e-6)
    for pair in pairs:
        assert pair.probability == pytest.approx(both[pair.first, pair.second] / total, rel=1e-6)


def test_the_same_test_again_is_no_evidence_and_two_answers_are_none() -> None:
    trial = TRIALS[0]
    once = posterior(SUSPECTS, [told(trial, Outcome.BAD)])
    twice = posterior(SUSPECTS, [told(trial, Outcome.BAD)] * 3)
    assert twice.probability == pytest.approx(once.probability)
    unsure = [told(trial, Outcome.BAD), told(trial, Outcome.GOOD)]
    assert counted(unsure) == () and disagreeing(unsure) == (trial.key,)


def test_half_split_falls_out_on_a_plain_chain() -> None:
    diagram = chain(16)
    suspects = suspects_of(diagram, symptom=Symptom.SIGNAL)
    plain = [
        replace(t, minutes=1.0)
        for t in possible_trials(diagram)
        if t.kind in (TrialKind.INJECTION, TrialKind.TRACING)
    ]
    trials = Trials.of([b.key for b in diagram.blocks], plain, 0.5)
    best = proposals(posterior(suspects, []), trials)[0]
    assert len(best.trial.reach) == 8
    half = posterior(suspects, [Finding(best.trial, loss_db=55.0)], gain_spread_db=0.5)
    inside = sum(half.of(k) for k in best.trial.reach)
    assert inside > 0.95
    second = proposals(half, trials, [best.trial.key])[0]
    overlap = len(set(second.trial.reach) & set(best.trial.reach))
    assert overlap in (4, 12) or overlap == 4


def test_what_is_worth_more_for_its_time_comes_first() -> None:
    trials = Trials.of([b.key for b in DIAGRAM.blocks], TRIALS)
    found = posterior(SUSPECTS, [])
    bits = information_bits(found, trials)
    best = int(np.argmax(bits))
    slow = replace(trials, minutes=np.where(np.arange(len(TRIALS)) == best, 90.0, trials.minutes))
    assert proposals(found, slow)[0].trial.key != TRIALS[best].key
    assert proposals(found, slow, by_cost=False)[0].trial.key == TRIALS[best].key


def test_foreseen_is_what_comes() -> None:
    """What a proposal says of its outcomes is what the posterior says once they are there."""
    plain = [replace(t, levelled=False) for t in TRIALS]
    trials = Trials.of([b.key for b in DIAGRAM.blocks], plain)
    proposal = proposals(posterior(SUSPECTS, []), trials)[0]
    good = posterior(SUSPECTS, [Finding(proposal.trial, Outcome.GOOD)])
    for key, share in proposal.if_good:
        assert good.of(key) == pytest.approx(share, abs=1e-6)
    assert 0.0 < proposal.fails < 1.0


def test_with_the_avc_at_work_a_level_ahead_of_the_detector_tells_little() -> None:
    detector = replace(DIAGRAM.blocks[4], kind=BlockKind.DETECTOR)
    diagram = replace(DIAGRAM, blocks=(*DIAGRAM.blocks[:4], detector, DIAGRAM.blocks[5]))
    suspects = suspects_of(diagram, symptom=Symptom.SIGNAL)

    def injected(at: str, *, controlled: bool) -> Trial:
        trials = possible_trials(diagram, controlled=controlled)
        return next(t for t in trials if t.kind is TrialKind.INJECTION and t.source == at)

    free, held = (injected("p2", controlled=c) for c in (False, True))
    assert held.reduced < 0.2 and free.reduced == 1.0
    assert injected("p5", controlled=True).reduced == 1.0
    told_by = [
        entropy_bits(posterior(suspects, [Finding(t, loss_db=16.0 * t.reduced)]).by_block)
        for t in (free, held)
    ]
    assert told_by[0] < told_by[1] - 0.1


def test_contradictory_evidence_convicts_nobody_in_silence() -> None:
    by = {(t.kind, t.source or t.target): t for t in TRIALS}
    bad = {(TrialKind.TRACING, "p1"), (TrialKind.INJECTION, "p5")}
    against = [
        told(t, Outcome.BAD if key in bad else Outcome.GOOD)
        for key, t in by.items()
        if t.kind is not TrialKind.GAIN
    ]
    found = posterior(SUSPECTS, against)
    conflict = contradiction(found, against)
    assert conflict is not None and {f.trial.key for f in conflict.against} & {
        by[key].key for key in bad
    }
    two, pairs = pair_posterior(SUSPECTS, [told(by[key], Outcome.BAD) for key in bad])
    assert two > 0.3 and pairs
    clear = [told(by[TrialKind.INJECTION, "p3"], Outcome.BAD)]
    assert contradiction(posterior(SUSPECTS, clear), clear) is None


def test_history_touch_and_belief_weigh_in_their_order() -> None:
    block = DIAGRAM.blocks[2]

    def rate(**known: object) -> float:
        history = History(**{"this_set": {}, "this_model": {}, **known})  # type: ignore[arg-type]
        return block_rate(block, 40.0, history) / block_rate(block, 40.0)

    touched, modified = rate(touched_last=("b2",)), rate(modified=("b2",))
    before, sister, believed = (
        rate(this_set={"b2": 1}),
        rate(this_model={"b2": 1}),
        rate(believed=("b2",)),
    )
    assert touched > modified > before > sister > believed > 1.0
    assert rate(mended=("b2",)) < 1.0 and rate(this_set={"b3": 2}) == 1.0


def test_an_old_capacitor_is_likelier_than_a_young_one() -> None:
    paper = replace(DIAGRAM.blocks[0], parts=((PartFamily.PAPER, 1),))
    tube = DIAGRAM.blocks[0]
    assert block_rate(paper, 80.0) == pytest.approx(2.0 * block_rate(paper, 40.0))
    assert block_rate(tube, 80.0) == block_rate(tube, 40.0)
