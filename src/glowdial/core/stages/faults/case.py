"""A case of fault tracing as it stands: what was complained of, what is known, who is suspected."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from glowdial.core.journey.beliefs import weak_evidence
from glowdial.core.journey.findings import (
    Evidence,
    block_said,
    entered_before,
    from_answer,
    gathered,
    in_order,
    since_mended,
    trials_by_key,
)
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.journey.room import Situation
from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, PartFamily
from glowdial.core.stages.faults.complaints import Complaint
from glowdial.core.stages.faults.contact_steps import contact_evidence
from glowdial.core.tracing.failures import History, Suspects, Symptom, suspects_of
from glowdial.core.tracing.next_trial import TrialProposal, Trials, proposals
from glowdial.core.tracing.posterior import (
    FAILS_FROM_DB,
    Contradiction,
    Pair,
    Posterior,
    contradiction,
    disagreeing,
    pair_posterior,
    posterior,
)
from glowdial.core.tracing.trials import Outcome, Trial, TrialKind

TRACE, MEND = "faults.trace", "faults.mend"
MENDED_ASK = "mended"
HISTORY = "history"
MOST_ROUNDS = 12
LEAST_BITS = 0.02
PROPOSED = 3
# worth a look at its inside, or at its contacts
WELL_SUSPECTED = 0.2
CHANGES, PUT_OFF = "modifications", "parked"
BELIEF, TOUCHED = "belief", "touched"


@lru_cache(maxsize=32)
def known_trials(diagram: BlockDiagram, symptom: Symptom) -> Mapping[str, Trial]:
    """Every possible test of a set by its key."""
    return trials_by_key(diagram, symptom)


@lru_cache(maxsize=32)
def _matrix_of(diagram: BlockDiagram, symptom: Symptom, controlled: bool) -> Trials:
    known = known_trials(diagram, symptom)
    wanted = [
        t
        for t in known.values()
        if t.reduced == 1.0 or controlled
        # with the AVC at work the same test without it cannot be done
        if not (controlled and t.reduced == 1.0 and f"{t.key} avc" in known)
    ]
    return Trials.of([b.key for b in diagram.blocks], wanted)


@dataclass(frozen=True)
class Case:
    """One round: the set, the complaint, the evidence that counts, what was mended before."""

    diagram: BlockDiagram
    complaint: Complaint
    evidence: tuple[Evidence, ...]
    history: History
    controlled: bool
    done: tuple[str, ...]

    @property
    def symptom(self) -> Symptom:
        """What is looked for."""
        return self.complaint.symptom

    @cached_property
    def suspects(self) -> Suspects:
        """Who comes into question."""
        return suspects_of(self.diagram, symptom=self.symptom, history=self.history)

    @cached_property
    def posterior(self) -> Posterior:
        """Who is to blame, as far as is known."""
        return posterior(self.suspects, [e.finding for e in self.evidence])

    @cached_property
    def contradiction(self) -> Contradiction | None:
        """Findings that contradict each other."""
        return contradiction(self.posterior, [e.finding for e in self.evidence])

    @property
    def disagreeing(self) -> tuple[str, ...]:
        """Tests that were done twice and did not say the same."""
        return disagreeing([e.finding for e in self.evidence])

    @cached_property
    def pairs(self) -> tuple[float, tuple[Pair, ...]]:
        """How likely two faults at once are, and which."""
        return pair_posterior(self.suspects, [e.finding for e in self.evidence])

    @property
    def convicted(self) -> str:
        """The block that is surely to blame, "" while none is: never against a contradiction."""
        return "" if self.contradiction is not None else self.posterior.convicted

    @cached_property
    def proposed(self) -> tuple[TrialProposal, ...]:
        """The tests most worth doing: the best, and others of another kind beside it."""
        trials = _matrix_of(self.diagram, self.symptom, self.controlled)
        haste = np.array([self.complaint.sooner.get(t.kind, 1.0) for t in trials.trials])
        ranked = proposals(
            self.posterior,
            replace(trials, minutes=trials.minutes * haste),
            self.done,
            most=12 * PROPOSED,
        )
        worth = [p for p in ranked if p.bits >= LEAST_BITS]
        return _varied(worth)

    @cached_property
    def doubtful(self) -> tuple[Trial, ...]:
        """Functions that failed although, since then, a signal has passed every block that they
        run over: the fault comes and goes, or the failure was a slip."""
        return tuple(t for t in failing_before(self) if self._passed_since(t) >= set(t.reach))

    @property
    def works_now(self) -> bool:
        """Whether something failed, and everything that was last tried works."""
        last = {one.finding.trial.key: fails(one) for one in self.evidence}
        return any(fails(one) for one in self.evidence) and not any(last.values())

    def _passed_since(self, failed: Trial) -> set[str]:
        passed: set[str] = set()
        for one in self.evidence:
            trial = one.finding.trial
            if trial.key == failed.key:
                passed.clear()
            elif fails(one):
                # what speaks against a block counts more than what speaks for it
                passed.difference_update(trial.reach)
            elif trial.kind in PASSED_THROUGH and trial.reduced == 1.0:
                passed.update(trial.reach)
        return passed

    @property
    def suspects_contacts(self) -> bool:
        """Whether a block with contacts is among those that may well be to blame."""
        return any(
            self.posterior.of(b.key) >= WELL_SUSPECTED
            for b in self.diagram.blocks
            if any(part in (PartFamily.CONTACT, PartFamily.RELAY) for part, _ in b.parts)
        )

    def trial(self, key: str) -> Trial | None:
        """A possible test by its key."""
        return known_trials(self.diagram, self.symptom).get(key)

    def tests_of(self, block: str) -> tuple[Trial, ...]:
        """What could be tried on a block alone, and what ends at it; not what was done."""
        known = known_trials(self.diagram, self.symptom).values()
        near = [
            t
            for t in known
            if t.key not in self.done
            and (self.controlled or t.reduced == 1.0)
            and (t.reach[0] == block if t.kind in LOCAL_KINDS else _ends_at(self.diagram, t, block))
        ]
        near.sort(key=lambda t: (len(t.reach), t.minutes))
        return tuple(near[:MOST_TESTS])


MOST_TESTS = 5
# what a signal goes through from one place to another
PASSED_THROUGH = (TrialKind.INJECTION, TrialKind.TRACING, TrialKind.GAIN)
LOCAL_KINDS = (
    TrialKind.LOOK,
    TrialKind.RESEAT,
    TrialKind.VOLTS,
    TrialKind.OHMS,
    TrialKind.SUBSTITUTION,
    TrialKind.TAP,
    TrialKind.HEAT,
    TrialKind.COOL,
    TrialKind.OSCILLATION,
)


def _ends_at(diagram: BlockDiagram, trial: Trial, block: str) -> bool:
    ends = [diagram.point(p).at for p in (trial.source, trial.target) if p]
    return block in ends and block in trial.reach


def _varied(worth: list[TrialProposal]) -> tuple[TrialProposal, ...]:
    """The best, the best injection and the best tracing where they tell anything, then the next."""
    chosen = worth[:1]
    for kind in (TrialKind.INJECTION, TrialKind.TRACING):
        other = next((p for p in worth if p.trial.kind is kind and p not in chosen), None)
        if other is not None and len(chosen) < PROPOSED and chosen[0].trial.kind is not kind:
            chosen.append(other)
    for one in worth:
        if len(chosen) >= PROPOSED:
            break
        if one not in chosen:
            chosen.append(one)
    return tuple(chosen)


def trace_key(number: int) -> str:
    """The key of a round's step."""
    return f"{TRACE}.{number}"


def mend_key(number: int) -> str:
    """The key of the step that mends what a round found."""
    return f"{MEND}.{number}"


def mended_in(record: JobRecord, number: int) -> tuple[str, Answer] | None:
    """The block that was mended in a round, with its entry."""
    for answer in record.of_step(mend_key(number)):
        kind, _, block = answer.ask.partition(" ")
        if kind == MENDED_ASK and block:
            return block, answer
    return None


def case_of(
    situation: Situation,
    diagram: BlockDiagram,
    complaint: Complaint,
    number: int,
    mended: Mapping[str, Answer],
    *,
    controlled: bool,
) -> Case:
    """The case in its round ``number``; ``mended`` are the entries that mended blocks before it."""
    record = situation.record
    trials = known_trials(diagram, complaint.symptom)
    later = mended_in(record, number)
    found = list(gathered(situation, diagram, complaint.symptom, trials))
    found += contact_evidence(record, diagram)
    for n in range(1, number + 1):
        for step in (trace_key(n), mend_key(n - 1)):
            told = (from_answer(a, trials) for a in record.of_step(step))
            found += [e for e in told if e is not None]
    if later is not None:
        # what was entered afterwards belongs to the rounds that follow
        found = entered_before(found, later[1])
    kept = tuple(since_mended(in_order(found), mended))
    return Case(
        diagram,
        complaint,
        kept,
        _history(situation, diagram, complaint, tuple(mended), number),
        controlled,
        tuple(e.finding.trial.key for e in kept),
    )


def _history(
    situation: Situation,
    diagram: BlockDiagram,
    complaint: Complaint,
    mended: tuple[str, ...],
    number: int,
) -> History:
    record = situation.record
    known = {b.key for b in diagram.blocks}
    counts: dict[str, dict[str, int]] = {"this set": {}, "this model": {}}
    for line in record.register(HISTORY):
        block, of = line.texts.get("block", ""), line.texts.get("of", "")
        if block in known and of in counts:
            counts[of][block] = counts[of].get(block, 0) + round(line.values.get("count", 1.0))
    modified, parked = (_spoken_of(record, diagram, name) for name in (CHANGES, PUT_OFF))
    said = {
        ask: _by_name(diagram, block_said(record, trace_key(number), ask))
        for ask in (BELIEF, TOUCHED)
    }
    believed = [b.key for _, where in weak_evidence(record) for b in _believed(diagram, where)]
    return History(
        counts["this set"],
        counts["this model"],
        touched_last=said[TOUCHED],
        modified=modified,
        parked=parked,
        believed=(*believed, *said[BELIEF]),
        mended=mended,
        complaint=complaint.weights(diagram),
    )


def _spoken_of(record: JobRecord, diagram: BlockDiagram, register: str) -> tuple[str, ...]:
    """The blocks that a register's lines name."""
    words = " ".join(
        text.lower() for line in record.register(register) for text in line.texts.values()
    )
    return tuple(b.key for b in diagram.blocks if _named(b, words))


def _believed(diagram: BlockDiagram, where: str) -> list[Block]:
    """The blocks of a part of the set, as people name it."""
    kinds = {"detector": BlockKind.DETECTOR, "mixer": BlockKind.MIXER}
    if where in kinds:
        return [b for b in diagram.blocks if b.kind is kinds[where]]
    return [b for b in diagram.blocks if area_of(diagram, b.key) == where.lower()]


def _by_name(diagram: BlockDiagram, names: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(b.key for b in diagram.blocks if b.name in names)


def _named(block: Block, words: str) -> bool:
    """Whether some words speak of a block: by its name or one of its stages."""
    return bool(words) and any(
        f" {name.lower()} " in f" {words} " for name in (block.name, *block.stages)
    )


def fails(one: Evidence) -> bool:
    """Whether a finding speaks of a fault in its way."""
    if one.finding.loss_db is not None:
        return one.finding.loss_db >= FAILS_FROM_DB
    return one.finding.outcome is not Outcome.GOOD


def failing_before(case: Case) -> tuple[Trial, ...]:
    """The functions that failed by the evidence, each once."""
    found: dict[str, Trial] = {}
    for one in case.evidence:
        trial = one.finding.trial
        if trial.kind is TrialKind.FUNCTION and trial.key.startswith(f"{TrialKind.FUNCTION} "):
            if one.finding.outcome is Outcome.GOOD:
                found.pop(trial.key, None)
            else:
                found[trial.key] = trial
    return tuple(found.values())


def area_of(diagram: BlockDiagram, key: str) -> str:
    """The area of the set that a block belongs to, by what it does and where it stands."""
    block = diagram.block(key)
    if block.kind in (BlockKind.SUPPLY, BlockKind.REGULATOR):
        return "supply"
    if block.kind is BlockKind.OSCILLATOR:
        return "oscillator"
    mixers = [b.key for b in diagram.blocks if b.kind is BlockKind.MIXER]
    detectors = [b.key for b in diagram.blocks if b.kind is BlockKind.DETECTOR]
    for position in diagram.positions:
        if any(key in diagram.between(d, diagram.sink, position.key) for d in detectors):
            return "if" if key in detectors else "audio"
        if any(key in diagram.between(m, diagram.sink, position.key) for m in mixers):
            return "if"
    return "aerial"


HISTORY_FORM = RegisterForm(
    HISTORY,
    "Found here before",
    "What earlier visits of this set, and of others of its model, found.",
    called="history",
    title_of=lambda line: f"{line.texts.get('block', '')}, {line.texts.get('of', '')}",
)


@dataclass(frozen=True, slots=True)
class Round:
    """One round: its number, its case, which block is to blame and whether a person said so."""

    number: int
    case: Case
    blamed: str
    decided: bool
