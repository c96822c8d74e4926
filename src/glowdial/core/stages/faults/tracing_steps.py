"""Fault tracing as steps: what is wrong, the next best test, what was mended, and the next fault.

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
    entry_of,
    from_answer,
    told_in,
)
from glowdial.core.journey.function_matrix import PLAYS, CellState, matrix_of
from glowdial.core.journey.inside_stage import Inside, check_ask, inside_of, volts_ask
from glowdial.core.journey.pictures import DiagramPicture
from glowdial.core.journey.readings import conclude, confirmed, reading, waiting
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Result, Status, Step, confirm, result
from glowdial.core.model.blocks import BlockDiagram, BlockKind
from glowdial.core.safety.cautions import Activity, Trait, traits_of
from glowdial.core.stages.faults.asks import trial_ask, trial_leads, why
from glowdial.core.stages.faults.case import (
    BELIEF,
    MENDED_ASK,
    MOST_ROUNDS,
    TOUCHED,
    WELL_SUSPECTED,
    Case,
    area_of,
    case_of,
    failing_before,
    fails,
    known_trials,
    mend_key,
    mended_in,
    trace_key,
)
from glowdial.core.stages.faults.complaints import (
    COMPLAINTS,
    NOTHING,
    UNTOLD,
    Complaint,
    complaint_of,
)
from glowdial.core.stages.faults.contact_steps import contact_steps
from glowdial.core.stages.faults.diagram_picture import diagram_picture
from glowdial.core.tracing.derived import diagram_of
from glowdial.core.tracing.trials import Finding, Trial, TrialKind, function_key

STAGE = "faults"
COMPLAINT, AVC_STEP, RESTORE = "faults.complaint", "faults.avc", "faults.restore"
AVC_CLAMPED = "AVC clamped"
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
    asked = _complaint(situation, diagram)
    if asked is None:
        return []
    complaint = complaint_of(_chosen(situation.record))
    if complaint is None:
        return [asked]
    steps = [asked]
    clamp = _avc(situation, diagram, complaint)
    steps += [clamp] if clamp else []
    controlled = clamp is not None and clamp.status is not Status.DONE
    rounds = _rounds(situation, diagram, complaint, controlled=controlled)
    contacts = contact_steps(situation, diagram, complaint, suspected=rounds.suspects_contacts)
    # once begun, a survey is gone through before anything else is tried
    begun = any(s.table is not None for s in contacts)
    steps += [*contacts, *rounds.steps] if begun else [*rounds.steps, *contacts]
    clamped = clamp is not None and clamp.status is Status.DONE
    if clamped or Trait.TRANSMIT in traits_of(situation.facts):
        steps.append(_restore(situation, clamped=clamped))
    return steps


def _chosen(record: JobRecord) -> str:
    answer = record.latest(COMPLAINT, "what")
    return answer.texts.get("what", "") if answer else ""


def _fails(situation: Situation) -> tuple[str, ...]:
    """What fails by the function matrix, and what is odd in it."""
    matrix = matrix_of(situation.facts, situation.record)
    titles = {row.key: row.title for row in (*matrix.rows, *matrix.more)}
    return tuple(
        f"{titles[row]}: {cell.words}"
        for (row, column), cell in matrix.cells.items()
        if row in titles and column == PLAYS and (cell.state is CellState.FAILS or cell.oddity)
    )


def _complaint(situation: Situation, diagram: BlockDiagram) -> Step | None:
    """What is wrong with it: asked where something fails or is odd by the function matrix."""
    record, failing = situation.record, _fails(situation)
    said = (*(c.words for c in COMPLAINTS), NOTHING)
    ask = Ask(
        "what",
        "What is wrong with it? Begin to type, or pick one.",
        (Field("what", "what is wrong", options=said),),
        "weak on some bands",
        expected_text="nothing, or what to trace",
        called="what is wrong",
    )
    step = Step(
        COMPLAINT,
        STAGE,
        "Say what is wrong, if anything is",
        "Each complaint weighs the blocks and the tests in its own way; what was tried already, "
        "volts and the function matrix count from the start.",
        advice=tuple(f"{line}." for line in failing[:4]),
        leave=bool(failing),
        cost="; ".join(failing[:3]),
    )
    if failing:
        untold = case_of(situation, diagram, UNTOLD, 1, {}, controlled=False)
        step = replace(step, show_diagram=lambda: _picture(situation, untold, None, (), ""))
    answer = record.latest(COMPLAINT, "what")
    if answer is not None:
        words = answer.texts["what"]
        complaint = complaint_of(words)
        shown = result(answer, "what is wrong", words, 1.0, as_found=True)
        shown = replace(shown, judgement=replace(shown.judgement, words="to be traced"))
        advice = complaint.order if complaint else ()
        return replace(
            step, results=(shown,), advice=advice, status=Status.DONE, decision=words, others=(ask,)
        )
    if failing:
        return replace(step, ask=ask)
    return None


def _avc(situation: Situation, diagram: BlockDiagram, complaint: Complaint) -> Step | None:
    """A working AVC makes up for what is lost: it is clamped, or counted with."""
    controlled = any(b.kind is BlockKind.CONTROL_LINE for b in diagram.blocks)
    if not controlled or not complaint.hidden_by_avc:
        return None
    step = Step(
        AVC_STEP,
        STAGE,
        "Clamp the AVC, or count with it",
        "The AVC makes up for a loss of 20 dB ahead of the detector, and moves the volts of the "
        "stages that it controls. Clamped, a level says what is lost. Left working it is counted "
        "with: such levels then say little.",
        leave=True,
        cost="levels behind the AVC say little",
        does=(Activity.COLD_CHECKS,),
        switches_off=(AVC_CLAMPED,),
    )
    return confirmed(
        step,
        situation.record,
        "clamped",
        "Control line to the common rail (or to a bias battery); or close the step: left working.",
    )


def _restore(situation: Situation, *, clamped: bool) -> Step:
    """What was clamped or defeated for the tracing is put back: the AVC, and of a set that can
    transmit its inhibit and every protection."""
    wanted = ["clamp off the AVC line"] if clamped else []
    if Trait.TRANSMIT in traits_of(situation.facts):
        wanted.append("transmit inhibit and every protection that was defeated in place again")
    step = Step(
        RESTORE,
        STAGE,
        f"Put back: {'; '.join(wanted)}",
        "What this stage switched off is switched back on by this stage.",
        does=(Activity.COLD_CHECKS,),
        undoes=AVC_STEP,
    )
    said = " and ".join(wanted)
    return confirmed(step, situation.record, "restored", f"{said[0].upper()}{said[1:]}.")


@dataclass(frozen=True, slots=True)
class _Round:
    """One round: its number, its case, which block is to blame and whether a person said so."""

    number: int
    case: Case
    blamed: str
    decided: bool


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
        now = _Round(number, case, blamed, bool(decided))
        again = _again(situation, case, mended, number) if mended else None
        if again is not None and not again.failing:
            steps.append(again.step)
            suspects = False
            break
        suspects = case.suspects_contacts
        steps.append(_trace(situation, now, tuple(mended)))
        if not blamed:
            break
        mend = _mend(situation, now)
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
        results=tuple(_shown(e, record) for e in found.values()),
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


def _shown(one: Evidence, record: JobRecord) -> Result:
    """A finding as a result: what was tried, what it gave, and what that does to how many."""
    answer = entry_of(record, one)
    what, _, said = one.said.rpartition(": ")
    bad = fails(one)
    count = len(one.finding.trial.reach)
    blocks = f"{count} block{'' if count == 1 else 's'}"
    shown = result(answer, what, said, 0.0 if bad else 1.0, as_found=True)
    words = f"implicates {blocks}" if bad else f"clears {blocks}"
    return replace(shown, judgement=replace(shown.judgement, words=words))


def _trace(situation: Situation, now: _Round, mended: tuple[str, ...]) -> Step:
    """The next best test, until a block is to blame."""
    record, case, diagram = situation.record, now.case, now.case.diagram
    mine = told_in(case.evidence, record.of_step(trace_key(now.number)))
    step = Step(
        trace_key(now.number),
        STAGE,
        _title(case, now),
        "Every test runs through some blocks: what works clears them, what fails implicates them. "
        "A test may lie; the same again is no new evidence.",
        results=tuple(_shown(e, record) for e in mine),
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
        show_diagram=lambda: _picture(situation, case, first, mended, now.blamed),
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


def _title(case: Case, now: _Round) -> str:
    if now.blamed:
        return f"Found: {case.diagram.block(now.blamed).name}"
    key, share = case.posterior.first
    if not case.evidence or not key or share < 0.2:
        return f"Trace it: {case.complaint.words}"
    return f"Trace it: {case.diagram.block(key).name} so far, {100.0 * share:.0f} %"


def _asked_pairs(record: JobRecord, number: int) -> bool:
    """Whether somebody thinks of two faults at once in a round."""
    return record.latest(trace_key(number), TWO) is not None


def _advice(case: Case, now: _Round, *, asked_pairs: bool) -> tuple[str, ...]:
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


def _insides(situation: Situation, case: Case, key: str, step: str = "") -> list[Inside]:
    found = (inside_of(situation, s, step) for s in case.diagram.block(key).stages)
    return [i for i in found if i is not None]


def _picture(
    situation: Situation,
    case: Case,
    asked: Trial | None,
    mended: tuple[str, ...],
    blamed: str,
) -> DiagramPicture:
    looked = [
        b.key
        for b in case.diagram.blocks
        if case.posterior.of(b.key) >= WELL_SUSPECTED or b.key == blamed
    ]
    inside = {key: _insides(situation, case, key) for key in looked}
    return diagram_picture(case, asked, mended, inside, blamed)


def _drawn(
    situation: Situation, case: Case, asked: Trial, mended: Mapping[str, Answer]
) -> DiagramPicture:
    return _picture(situation, case, asked, tuple(mended), "")


def _mend(situation: Situation, now: _Round) -> Step:
    """One change, predicted: what was done, and the test that failed, tried again."""
    record, case, diagram = situation.record, now.case, now.case.diagram
    block = diagram.block(now.blamed)
    implicating = _implicating(case, now.blamed)
    said = f" After it, this should be right: {implicating.trial.words}." if implicating else ""
    insides = _insides(situation, case, now.blamed, mend_key(now.number))
    step = Step(
        mend_key(now.number),
        STAGE,
        f"Mend {block.name}, and nothing else",
        f"A repair is a guess until a reading says so.{said}",
        advice=tuple(line for i in insides for line in i.lines),
        thinking=any(i.thinking for i in insides),
        does=(Activity.COLD_CHECKS, Activity.REPLACING, Activity.RESEATING),
        change=(area_of(diagram, block.key), f"{block.name} mended"),
    )
    done = reading(
        record,
        step.key,
        Ask(
            f"{MENDED_ASK} {block.key}",
            f"What was wrong in {block.name}, and what was done?",
            (Field("done", "what was done", multiline=True),),
            "board reseated, contacts cleaned",
        ),
    )
    found = [done]
    if done.fresh is not None and implicating is not None:
        # the set is on again for it
        again = reading(record, step.key, trial_ask(diagram, implicating.trial))
        found.append(again)
        step = replace(step, change=None, powered=True)
    results = tuple(_mend_results(record, case, step.key))
    step = conclude(replace(step, results=results), found)
    if done.fresh is None:
        step = replace(step, others=_part_asks(insides))
    step = replace(step, show_diagram=lambda: _picture(situation, case, None, (), now.blamed))
    if waiting(found) is None:
        right = all(r.value != 0.0 for r in results)
        words = "as predicted" if right else "not that alone: the test still fails"
        step = replace(step, decision=words)
    return step


def _part_asks(insides: list[Inside]) -> tuple[Ask, ...]:
    """What tells the part within the block: its volts, then the check that decides."""
    checks = [check_ask(i.check) for i in insides if i.check is not None]
    volts = [volts_ask(i) for i in insides if not i.thinking]
    return (*checks, *volts)


def _mend_results(record: JobRecord, case: Case, key: str) -> list[Result]:
    shown = []
    trials = known_trials(case.diagram, case.symptom)
    for answer in record.of_step(key):
        told = from_answer(answer, trials)
        if told is not None:
            shown.append(_shown(told, record))
        elif answer.ask.startswith(f"{MENDED_ASK} "):
            shown.append(_text_result(answer))
    return shown


def _text_result(answer: Answer) -> Result:
    shown = result(answer, "done", answer.texts.get("done", ""), 1.0, as_found=True)
    return replace(shown, judgement=replace(shown.judgement, words="to be proved by the test"))


# what is tried again after a repair: what the set does, not what was done to it
REPEATED = (
    TrialKind.FUNCTION,
    TrialKind.INJECTION,
    TrialKind.TRACING,
    TrialKind.GAIN,
    TrialKind.QUIETING,
    TrialKind.VOLTS,
    TrialKind.OSCILLATION,
)


def _implicating(case: Case, block: str) -> Finding | None:
    """The test that failed through a block and reaches the least beside it."""
    against = [e.finding for e in case.evidence if fails(e) and block in e.finding.trial.reach]
    told = [f for f in against if case.trial(f.trial.key) is not None and f.trial.kind in REPEATED]
    return min(told, key=lambda f: len(f.trial.reach), default=None)
