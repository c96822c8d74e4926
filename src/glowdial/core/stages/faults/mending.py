"""One change at a time: what was mended, proved by the test that had failed."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.findings import from_answer
from glowdial.core.journey.inside_stage import Inside, check_ask, volts_ask
from glowdial.core.journey.readings import conclude, reading, waiting
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Result, Step, result
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.faults.asks import shown_result, trial_ask
from glowdial.core.stages.faults.case import (
    MENDED_ASK,
    Case,
    Round,
    area_of,
    fails,
    known_trials,
    mend_key,
)
from glowdial.core.stages.faults.diagram_picture import insides_of, picture_of
from glowdial.core.stages.faults.steps import STAGE
from glowdial.core.tracing.trials import Finding, TrialKind

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


def mend_step(situation: Situation, now: Round) -> Step:
    """One change, predicted: what was done, and the test that failed, tried again."""
    record, case, diagram = situation.record, now.case, now.case.diagram
    block = diagram.block(now.blamed)
    implicating = _implicating(case, now.blamed)
    said = f" After it, this should be right: {implicating.trial.words}." if implicating else ""
    insides = insides_of(situation, case, now.blamed, mend_key(now.number))
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
    step = replace(step, show_diagram=lambda: picture_of(situation, case, None, (), now.blamed))
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
            shown.append(shown_result(told, record))
        elif answer.ask.startswith(f"{MENDED_ASK} "):
            shown.append(_text_result(answer))
    return shown


def _text_result(answer: Answer) -> Result:
    shown = result(answer, "done", answer.texts.get("done", ""), 1.0, as_found=True)
    return replace(shown, judgement=replace(shown.judgement, words="to be proved by the test"))


def _implicating(case: Case, block: str) -> Finding | None:
    """The test that failed through a block and reaches the least beside it."""
    against = [e.finding for e in case.evidence if fails(e) and block in e.finding.trial.reach]
    told = [f for f in against if case.trial(f.trial.key) is not None and f.trial.kind in REPEATED]
    return min(told, key=lambda f: len(f.trial.reach), default=None)
