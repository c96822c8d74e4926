"""Intake and cold checks: what came through the door, before any power."""

from __future__ import annotations

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import (
    Ask,
    Doing,
    Field,
    Lead,
    Recipe,
    Result,
    Stage,
    Step,
    result,
    settle,
)
from glowdial.core.quantities import RESISTANCE, engineering
from glowdial.core.receiver import ReceiverFacts
from glowdial.core.safety import Activity, dangers_for
from glowdial.core.windows import Window

LEAST_B_PLUS_OHM = 10e3
CHART_TOLERANCE = 0.2
CELL_OPTIONS = ("works", "partly", "fails")


def intake_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """The owner's words and beliefs kept apart, and the controls moved by hand."""
    return [_story(record), _controls(facts, record)]


def _story(record: JobRecord) -> Step:
    ask = Ask(
        "story",
        "Write down what is known; only the complaint is needed to go on.",
        (
            Field("complaint", "Complaint, in the owner's words", multiline=True),
            Field("belief", "What the owner believes is wrong", required=False),
            Field("guess", "Our first guess", required=False),
            Field("condition", "Condition, what is missing", required=False, multiline=True),
        ),
        "No sound since the winter; the dial lamp lights",
    )
    step = Step(
        "intake.story",
        Stage.INTAKE,
        "Write down the complaint and the condition",
        "Belief and guess are kept apart from what is seen: both are often mistaken.",
        notes=_texts(record, "intake.story", "story", ask.fields),
    )
    answered = record.latest(step.key, ask.key) is not None
    return settle(step, remaining=None if answered else ask)


def _controls(facts: ReceiverFacts, record: JobRecord) -> Step:
    names = facts.controls or ("volume", "tuning")
    ask = Ask(
        "controls",
        "Move each control by hand, power off: works, partly or fails.",
        tuple(Field(f"control{n}", name, options=CELL_OPTIONS) for n, name in enumerate(names)),
        " ".join("w" for _ in names),
    )
    step = Step(
        "intake.controls",
        Stage.INTAKE,
        "Try every control by hand",
        "A control that sticks or slips now would be blamed on an adjuster later.",
        dangers=dangers_for(facts, Activity.OPENING),
        notes=_texts(record, "intake.controls", "controls", ask.fields),
    )
    answered = record.latest(step.key, ask.key) is not None
    return settle(step, remaining=None if answered else ask)


def _texts(record: JobRecord, step: str, ask: str, fields: tuple[Field, ...]) -> tuple[str, ...]:
    answer = record.latest(step, ask)
    if answer is None:
        return ()
    return tuple(f"{f.label}: {answer.texts[f.name]}" for f in fields if answer.texts.get(f.name))


def cold_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Resistance from B+ to chassis: the one cold check that no power may precede."""
    given = facts.b_plus_resistance_ohm
    window = Window((1 - CHART_TOLERANCE) * given if given else LEAST_B_PLUS_OHM, None, given)
    ask = Ask(
        "resistance",
        "Measure B+ to chassis and wait until the capacitors have charged from the meter.",
        (Field("resistance", "B+ to chassis", RESISTANCE, nominal=given),),
        "150k",
        expected=window,
        expected_text=f"{engineering(window.low or 0.0, 'ohm')} or more",
        recipe=Recipe(Doing.READ, meters=(("resistance", "resistance"),), line_v=0.0),
    )
    answer = record.latest("cold.b-plus", "resistance")
    results: tuple[Result, ...] = ()
    if answer is not None:
        value = answer.values["resistance"]
        stale = record.last_touch((), ("supply",)) > answer.seq
        results = (
            result(
                "B+ to chassis",
                engineering(value, "ohm"),
                value,
                window,
                (engineering(window.low or 0.0, "ohm"), ""),
                seq=answer.seq,
                ask=ask.key,
                stale=stale,
            ),
        )
    low = bool(results) and results[0].judgement.verdict.outside
    step = Step(
        "cold.b-plus",
        Stage.COLD,
        "Measure B+ to chassis, set switched off",
        "A short here burns the rectifier or the transformer at switch-on.",
        results=results,
        leads=(
            Lead("ohmmeter +", "clip", "B+ at the last filter capacitor"),
            Lead("ohmmeter -", "clip", "chassis"),
        ),
        dangers=dangers_for(facts, Activity.COLD_CHECKS),
        advice=("Find out why it is low before power: filter capacitor, bypass, or wiring.",)
        if low
        else (),
        cost="the rectifier and the transformer are at risk" if low else "",
    )
    fresh = answer is not None and not results[0].stale
    return [settle(step, remaining=None if fresh else ask, retake=ask)]
