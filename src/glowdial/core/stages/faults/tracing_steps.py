"""Fault tracing in rounds: the next best test, what it found, and the next fault.

A round traces one fault until a block is convicted (or a person decides); then one thing is
changed, with a test before and after; then every function that failed is tried again. What the
first round cleared stays cleared: a second fault starts from there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from glowdial.core.journey.findings import (
    Evidence,
    after_all,
    from_answer,
    told_in,
)
from glowdial.core.journey.pictures import DiagramPicture
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Status, Step, confirm
from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.safety.cautions import Activity, Trait, traits_of
from glowdial.core.stages.faults.asks import shown_result, trial_ask, trial_leads, why
from glowdial.core.stages.faults.case import (
    BELIEF,
    MOST_ROUNDS,
    TOUCHED,
    Case,
    Round,
    case_of,
    failing_before,
    fails,
    known_trials,
    mend_key,
    mended_in,
    trace_key,
)
from glowdial.core.stages.faults.complaint_steps import (
    avc_step,
    chosen_complaint,
    complaint_step,
    restore_step,
)
from glowdial.core.stages.faults.complaints import (
    Complaint,
    complaint_of,
)
from glowdial.core.stages.faults.contact_steps import contact_steps
from glowdial.core.stages.faults.diagram_picture import picture_of
from glowdial.core.stages.faults.mending import mend_step
from glowdial.core.stages.faults.steps import STAGE
from glowdial.core.tracing.derived import diagram_of
from glowdial.core.tracing.trials import Trial, function_key

SURE_PAIR = 0.5
TWO = "two"
WORKS_NOW = (
    "What failed works now. Was it a slip, correct what was entered and take the complaint back. "
    "Does it come and go, say so as the complaint: then tapping, warming and cooling come first."
)
DERIVED = (
    "The sheet gives no block diagram: this one is drawn from its line-up, bands and circuit, with "
    "the bench's norms for gains."
)


def tracing_steps(situation: Situation) -> list[Step]:
    """What is wrong; and once something is, the rounds that trace it."""
    diagram = diagram_of(situation.facts)
    asked = complaint_step(situation, diagram)
    if asked is None:
        return []
    complaint = complaint_of(chosen_complaint(situation.record))
    if complaint is None:
        return [asked]
    steps = [asked]
    clamp = avc_step(situation, diagram, complaint)
    steps += [clamp] if clamp else []
    controlled = clamp is not None and clamp.status is not Status.DONE
    rounds = _rounds(situation, diagram, complaint, controlled=controlled)
    contacts = contact_steps(situation, diagram, complaint, suspected=rounds.suspects_contacts)
    # once begun, a survey is gone through before anything else is tried
    begun = any(s.table is not None for s in contacts)
    steps += [*contacts, *rounds.steps] if begun else [*rounds.steps, *contacts]
    clamped = clamp is not None and clamp.status is Status.DONE
    if clamped or Trait.TRANSMIT in traits_of(situation.facts):
        steps.append(restore_step(situation, clamped=clamped))
    return steps


@dataclass(frozen=True, slots=True)
class _Rounds:
    """The steps of all rounds, and whether a contact is suspected in the one that is open."""

    steps: list[Step]
    suspects_contacts: bool


def _rounds(
    situation: Situation, diagram: BlockDiagram, complaint: Complaint, *, controlled: bool
) -> _Rounds:
    steps: list[Step] = []
    suspects = False
    mended: dict[str, Answer] = {}
    for number in range(1, MOST_ROUNDS + 1):
        case = case_of(situation, diagram, complaint, number, mended, controlled=controlled)
        done = mended_in(situation.record, number)
        decided = _decided(situation.record, diagram, number)
        blamed = done[0] if done else decided or case.convicted
        now = Round(number, case, blamed, bool(decided))
        again = _again(situation, case, mended, number) if mended else None
        if again is not None and not again.failing:
            steps.append(again.step)
            suspects = False
            break
        suspects = case.suspects_contacts
        steps.append(_trace(situation, now, tuple(mended)))
        if not blamed:
            break
        mend = mend_step(situation, now)
        steps.append(mend)
        if done is None or mend.ask is not None:
            break
        mended[done[0]] = done[1]
    return _Rounds(steps, suspects)


def _decided(record: JobRecord, diagram: BlockDiagram, number: int) -> str:
    """The block that a person takes up, without waiting for a conviction."""
    answer = record.latest(trace_key(number), "take up")
    chosen = answer.texts.get("block", "") if answer else ""
    return next((b.key for b in diagram.blocks if b.name == chosen), "")


@dataclass(frozen=True, slots=True)
class _Again:
    """The functions that failed, tried again after a repair."""

    step: Step
    failing: bool


def _again(
    situation: Situation, case: Case, mended: Mapping[str, Answer], number: int
) -> _Again | None:
    """Every function that failed before is tried once more; where none was known to, the one that
    the mended block serves. None where there is nothing to try."""
    record, diagram = situation.record, case.diagram
    trials = known_trials(diagram, case.symptom)
    failed = _failed_before(situation, case, number) or _served(case, tuple(mended)[-1])
    if not failed:
        return None
    found: dict[str, Evidence] = {}
    for key in (trace_key(number), mend_key(number - 1)):
        for answer in after_all(record.of_step(key), mended.values()):
            told = from_answer(answer, trials)
            if told is not None:
                found[told.finding.trial.key] = told
    waiting_for = [t for t in failed if t.key not in found]
    bad = [found[t.key] for t in failed if t.key in found and fails(found[t.key])]
    step = Step(
        trace_key(number),
        STAGE,
        "Try again what failed before",
        "One change at a time: a second fault may have hidden behind the first.",
        results=tuple(shown_result(e, record) for e in found.values()),
        powered=True,
    )
    if waiting_for:
        asks = [trial_ask(diagram, t) for t in waiting_for]
        step = replace(step, ask=asks[0], others=tuple(asks[1:]))
        step = replace(step, show_diagram=lambda: _drawn(situation, case, waiting_for[0], mended))
        return _Again(step, failing=bool(bad))
    step = replace(step, status=Status.DONE, decision="everything that failed works again")
    return _Again(step, failing=bool(bad))


def _served(case: Case, block: str) -> tuple[Trial, ...]:
    """The first function that runs over a block, as a whole."""
    trials = known_trials(case.diagram, case.symptom)
    keys = (function_key(p.key, case.symptom) for p in case.diagram.positions)
    over = [trials[k] for k in keys if k in trials and block in trials[k].reach]
    return tuple(over[:1])


def _failed_before(situation: Situation, case: Case, number: int) -> tuple[Trial, ...]:
    """The functions that had failed when the last fault was mended."""
    before = case_of(
        situation,
        case.diagram,
        case.complaint,
        number - 1,
        _mended_before(situation.record, number - 1),
        controlled=case.controlled,
    )
    return failing_before(before)


def _mended_before(record: JobRecord, number: int) -> dict[str, Answer]:
    found: dict[str, Answer] = {}
    for n in range(1, number):
        done = mended_in(record, n)
        if done is not None:
            found[done[0]] = done[1]
    return found


def _trace(situation: Situation, now: Round, mended: tuple[str, ...]) -> Step:
    """The next best test, until a block is to blame."""
    record, case, diagram = situation.record, now.case, now.case.diagram
    mine = told_in(case.evidence, record.of_step(trace_key(now.number)))
    step = Step(
        trace_key(now.number),
        STAGE,
        _title(case, now),
        "Every test runs through some blocks: what works clears them, what fails implicates them. "
        "A test may lie; the same again is no new evidence.",
        results=tuple(shown_result(e, record) for e in mine),
        powered=True,
        leave=True,
        cost=f"not traced: {case.complaint.words}",
        does=(Activity.RESEATING, Activity.COLD_CHECKS, Activity.SIGNAL_IN),
    )
    if now.blamed:
        name = diagram.block(now.blamed).name
        how = "taken up by decision" if now.decided else "convicted"
        step = replace(step, status=Status.DONE, decision=f"{name}, {how}")
        first = None
    else:
        step, first = _with_tests(step, case)
    return replace(
        step,
        advice=_advice(case, now, asked_pairs=_asked_pairs(record, now.number)),
        notes=(DERIVED,) if diagram.derived else (),
        show_diagram=lambda: picture_of(situation, case, first, mended, now.blamed),
        more_asks=lambda name: _ask_named(case, name),
    )


def _ask_named(case: Case, name: str) -> Ask | None:
    """The question of any possible test; one that was done may be done again."""
    trial = case.trial(name.partition("@")[0])
    if trial is None or (trial.reduced < 1.0 and not case.controlled):
        return None
    ask = trial_ask(case.diagram, trial)
    return ask if ask.name == name else None


def _with_tests(step: Step, case: Case) -> tuple[Step, Trial | None]:
    """The best test as the question, its alternatives beside it, and what a person may decide."""
    diagram = case.diagram
    blocks = tuple(b.name for b in diagram.blocks)
    take_up = Ask(
        "take up",
        "Which block do you take up?",
        (Field("block", "block", options=blocks),),
        blocks[0],
        called="take one up",
    )
    named = (Field("block", "block", options=blocks),)
    belief = Ask(
        BELIEF,
        "Which block do you, or the owner, believe in? It counts for little.",
        named,
        blocks[0],
        called="a guess",
    )
    touched = Ask(
        TOUCHED,
        "Which block was touched last, by anybody?",
        named,
        blocks[0],
        called="touched last",
    )
    further = (
        take_up,
        touched,
        belief,
        replace(confirm(TWO, "Think of two faults at once?"), called="two faults?"),
    )
    trials = (*case.doubtful, *(p.trial for p in case.proposed))
    asks = [trial_ask(diagram, t) for t in trials]
    if not asks:
        return replace(step, ask=take_up, others=further[1:]), None
    first = trials[0]
    return (
        replace(
            step,
            ask=asks[0],
            others=(*asks[1:], *further),
            leads=trial_leads(diagram, first),
        ),
        first,
    )


def _title(case: Case, now: Round) -> str:
    if now.blamed:
        return f"Found: {case.diagram.block(now.blamed).name}"
    key, share = case.posterior.first
    if not case.evidence or not key or share < 0.2:
        return f"Trace it: {case.complaint.words}"
    return f"Trace it: {case.diagram.block(key).name} so far, {100.0 * share:.0f} %"


def _asked_pairs(record: JobRecord, number: int) -> bool:
    """Whether somebody thinks of two faults at once in a round."""
    return record.latest(trace_key(number), TWO) is not None


def _advice(case: Case, now: Round, *, asked_pairs: bool) -> tuple[str, ...]:
    diagram = case.diagram
    if now.blamed:
        return ()
    if asked_pairs:
        return (_pair_words(case), *_advice(case, now, asked_pairs=False))
    if case.doubtful:
        return tuple(_doubtful_words(t) for t in case.doubtful)
    if case.works_now:
        return (WORKS_NOW,)
    if case.contradiction is not None:
        return _contradiction_words(case)
    if not case.proposed:
        left = ", ".join(diagram.block(k).name for k in case.posterior.remaining[:5])
        return (
            f"These remain: {left}. No test that is known here tells them apart any more; put a "
            "known good one in their place, or take one up.",
        )
    twice = [known.words for key in case.disagreeing if (known := case.trial(key)) is not None]
    said = why(diagram, case.proposed[0], case.posterior.entropy_bits)
    if not twice:
        return said
    return (*said, f"Tried twice and not the same, so it counts for nothing: {'; '.join(twice)}.")


def _doubtful_words(failed: Trial) -> str:
    return (
        "A signal has passed every block that it runs over since this failed, so try it again "
        f"before more is tested: {failed.words}. Where it works now, the fault comes and goes or "
        "the failure was a slip."
    )


def _contradiction_words(case: Case) -> tuple[str, ...]:
    assert case.contradiction is not None
    said = {e.finding.trial.key: e.said for e in case.evidence}
    against = [said[f.trial.key] for f in case.contradiction.against if f.trial.key in said]
    lines = [
        "These contradict each other, so nothing is named for sure: "
        f"{'; '.join(against[:3])}. Try one of them in another way.",
    ]
    if case.pairs[0] >= SURE_PAIR:
        lines.append(_pair_words(case))
    return tuple(lines)


def _pair_words(case: Case) -> str:
    """How likely two faults at once are, and which."""
    two, pairs = case.pairs
    names = [
        f"{case.diagram.block(p.first).name} with {case.diagram.block(p.second).name} "
        f"({100.0 * p.probability:.0f} %)"
        for p in pairs[:3]
    ]
    return f"Two faults at once, {100.0 * two:.0f} times in 100: {'; '.join(names) or 'none'}."


def _drawn(
    situation: Situation, case: Case, asked: Trial, mended: Mapping[str, Answer]
) -> DiagramPicture:
    return picture_of(situation, case, asked, tuple(mended), "")
