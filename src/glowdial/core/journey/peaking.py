"""Peaking one adjuster in one movement, entered as before, after and rough turn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from glowdial.core.bench.movements import REFERENCE_AVC_V
from glowdial.core.bench.peak_trace import PeakTrace, TracePoint, peak_trace
from glowdial.core.bench.recipe import Recipe
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import NOTHING, Answer, Basis, JobRecord
from glowdial.core.journey.steps import Ask, Field, Step, result
from glowdial.core.language.quantities import AVC_VOLTS, TURNS, Quantity, engineering, turns
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import Adjuster
from glowdial.core.model.measurands import AVC, Measurand, turn_of

# a peak that is lower than where it stood by more than an indicator's own error was lost
LEAST_OF_BEFORE = 0.97
# a quarter turn moves any working adjuster by more than this share of the reading
TELLING_TURN, NOTHING_SHARE = 0.25, 0.01
PEAK, TRIAL, MOST_TRIALS = "peak", "trial", 60


@dataclass(frozen=True, slots=True)
class Indicated:
    """What an indicator's readings are called, how they are typed and where they are taken (None
    where no instrument does), an example, and what sets its questions apart."""

    label: str
    quantity: Quantity
    measurand: Measurand | None
    example: str
    suffix: str = ""


AVC_SHOWN = Indicated("AVC", AVC_VOLTS, AVC, "-0.42")


def peak_ask(
    adjuster: Adjuster, recipe: Recipe | None, shown: Indicated = AVC_SHOWN, level_words: str = ""
) -> Ask:
    """Turn it through its peak and back: what was read before and at the peak, and the turn."""
    return Ask(
        PEAK,
        f"{level_words}Turn the {adjuster.name} through its peak and back to it: {shown.label} "
        "before, at the peak, turn.",
        (
            Field("before", "before", shown.quantity, measurand=shown.measurand),
            Field("after", "at the peak", shown.quantity, measurand=shown.measurand),
            Field("turns", "turn", TURNS, measurand=turn_of(adjuster.key)),
        ),
        "-1.9 -2.6 +3/8" if shown is AVC_SHOWN else "1.9 2.6 +3/8",
        expected_text="a clear maximum, falling off both ways",
        recipe=None
        if recipe is None or shown.measurand is None
        else replace(recipe, adjuster=adjuster.key),
    )


def trial_ask(number: int, shown: Indicated = AVC_SHOWN) -> Ask:
    """A place on the way over the peak, as a hand and a meter know it: nothing is decided by it."""
    return Ask(
        f"{TRIAL}{number}",
        f"On the way: turns from where it stood when you began, and the {shown.label} there.",
        (
            Field("turned", "turned so far", TURNS),
            Field("avc", f"{shown.label} there", shown.quantity, measurand=shown.measurand),
        ),
        f"+1/8 {shown.example}",
        called="a place on the way",
        series=True,
    )


def typed_trace(record: JobRecord, step: str) -> PeakTrace | None:
    """The way over the peak from the places that were typed since it was peaked last; None before
    the first."""
    tried: list[Answer] = []
    for answer in record.of_step(step):
        if answer.ask == PEAK:
            tried = []
        elif answer.ask.startswith(TRIAL):
            tried.append(answer)
    return peak_trace([TracePoint(a.values["turned"], abs(a.values["avc"])) for a in tried])


def peak_step(
    record: JobRecord,
    step: Step,
    adjuster: Adjuster,
    *,
    recipe: Recipe | None,
    level_v: float,
    basis: Basis = NOTHING,
    shown: Indicated = AVC_SHOWN,
) -> Step:
    """The step of peaking an adjuster at a generator's level in V EMF.

    ``step`` brings key, stage and leads; its title and reason are made here.
    """
    found = reading(record, step.key, peak_ask(adjuster, recipe, shown), basis)
    where = f"{adjuster.where}; " if adjuster.where else ""
    reason = (
        f"{where}{adjuster.tool}. Generator at {engineering(level_v, 'V')}. Tool out and hand away "
        "for the reading that counts."
    )
    tried = sum(a.ask.startswith(TRIAL) for a in record.of_step(step.key))
    peaked = found.fresh is not None
    step = replace(
        step,
        title=f"Peak the {adjuster.name}",
        reason=reason,
        powered=True,
        adjuster=adjuster.key,
        others=(trial_ask(tried + 1, shown),) if tried < MOST_TRIALS and not peaked else (),
        trace=None if peaked else typed_trace(record, step.key),
    )
    if found.answer is not None:
        values = found.answer.values
        before, after = abs(values["before"]), abs(values["after"])
        peak = result(
            found.answer,
            f"peaked {adjuster.name}",
            f"{before:.2f} to {after:.2f} V",
            after,
            # no better place than where it stood is a result, so only a loss is outside
            Window(LEAST_OF_BEFORE * before, None),
            (f"{before:.2f} V", ""),
            stale=found.stale,
        )
        step = replace(
            step,
            results=(peak,),
            advice=_peaked_words(values, level_v, after),
            cost="the peak was not found again",
        )
    return conclude(step, (found,), retake=found.ask)


def _peaked_words(values: Mapping[str, float], level_v: float, after_v: float) -> tuple[str, ...]:
    before_v = abs(values["before"])
    turned = values["turns"]
    words = "left where it stood" if turned == 0 else turns(turned)
    dead: tuple[str, ...] = ()
    if abs(turned) >= TELLING_TURN and abs(after_v / max(before_v, 1e-6) - 1.0) < NOTHING_SHARE:
        dead = (
            "So far turned and nothing changed: is it this circuit's adjuster, is it stripped, or "
            "is its winding or capacitor open? Put it back, and turn it no further.",
        )
    return (f"Turned: {words}.", *dead, *_level_words(level_v, after_v))


def _level_words(level_v: float, after_v: float) -> tuple[str, ...]:
    advised = advised_level_v(level_v, after_v)
    if advised < level_v:
        return (
            f"{after_v:.1f} V is more than the movement needs: generator down to "
            f"{engineering(advised, 'V')} for the next.",
        )
    if advised > level_v:
        return (f"Little to see: generator up to {engineering(advised, 'V')} for the next.",)
    return ()


def advised_level_v(level_v: float, reading_v: float, target_v: float = REFERENCE_AVC_V) -> float:
    """Generator level for the next movement: the least that moves the indicator well.

    Down by 6 or 12 dB when the reading has risen past 1.5 or 2.5 times the target, up when it
    stands below half of it; otherwise as it is.
    """
    ratio = reading_v / target_v
    factor = 1.0
    if ratio > 2.5:
        factor = 0.25
    elif ratio > 1.5:
        factor = 0.5
    elif ratio < 0.5:
        factor = 2.0
    return level_v * factor
