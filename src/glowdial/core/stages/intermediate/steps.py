"""IF alignment by AVC volts: survey as found, peak each core in order, gain by substitution."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.bench.movements import REFERENCE_AVC_V, advised_level_v
from glowdial.core.journey.record import IF_AREA, Answer, JobRecord
from glowdial.core.journey.steps import (
    Ask,
    Doing,
    Field,
    Lead,
    Plot,
    PlotLine,
    Recipe,
    Result,
    Stage,
    Status,
    Step,
    confirm,
    result,
    settle,
)
from glowdial.core.language.quantities import AVC_VOLTS, LEVEL, TURNS, engineering, khz, turns
from glowdial.core.language.verdicts import Window, symmetric
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.resonance import vertex
from glowdial.core.safety.cautions import Activity, dangers_for
from glowdial.core.stages.intermediate.gain import (
    STOP_BELOW_DB,
    another_pass,
    gain_by_substitution_db,
)

SURVEY_REACH_HZ, LEFT_REACH_HZ, SURVEY_STEP_HZ = 16e3, 8e3, 4e3
CENTRE_TOLERANCE = 0.003
START_LEVEL_V = 1e-3
MOST_PASSES = 8
CLIP = ("clip lead stops the oscillator", "oscillator section of the gang to chassis")
VOLUME = "volume turned right down"
SET_UP, BASELINE, SURVEY, SURVEY_LEFT, DECIDE, RESTORE = (
    "if.set-up",
    "if.baseline",
    "if.survey",
    "if.survey-left",
    "if.decide",
    "if.restore",
)
LEADS = (
    Lead("signal generator", "10 nF", "converter's signal grid"),
    Lead("high-impedance DC meter", "clip", "AVC line"),
)


def if_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """The whole IF stage as it stands; passes are added as long as they gain."""
    steps = [_set_up(facts, record), _baseline(facts, record), _survey(facts, record)]
    steps.append(_decide(facts, record, steps[-1]))
    if aligning(record):
        steps += _passes(facts, record)
    steps.append(_restore(record))
    return steps


def aligning(record: JobRecord) -> bool:
    """Whether the decision was to align (leaving it is the other answer)."""
    answer = record.latest(DECIDE, "decision")
    return answer is not None and answer.texts.get("decision") == "align"


def _set_up(facts: ReceiverFacts, record: JobRecord) -> Step:
    step = Step(
        SET_UP,
        Stage.IF,
        f"Clip the generator to the mixer and stop the oscillator; warm up "
        f"{facts.warm_up_minutes:.0f} min",
        "With the oscillator stopped no station and no whistle can move the meter.",
        leads=(*LEADS, Lead("clip lead", "", "oscillator section of the gang to chassis")),
        controls=(
            "volume right down, the AVC meter is the indicator",
            "dial where no station comes in",
        ),
        dangers=dangers_for(facts, Activity.ALIGNING, Activity.SIGNAL_IN),
        powered=True,
        makes=(CLIP,),
        switches_off=(VOLUME,),
    )
    ask = confirm("ready", "Leads on, oscillator stopped, set warm.")
    return settle(step, remaining=None if record.latest(SET_UP, "ready") else ask)


def _recipe(facts: ReceiverFacts, doing: Doing, **more: object) -> Recipe:
    base = Recipe(
        doing,
        injection="mixer grid",
        line_v=facts.line_v or 230.0,
        generator_hz=facts.intermediate_frequency_hz,
    )
    return replace(base, **more)  # type: ignore[arg-type]


def _baseline(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = Ask(
        "avc",
        "Generator off: read the AVC line.",
        (Field("avc", "AVC", AVC_VOLTS),),
        "-0.1",
        recipe=_recipe(facts, Doing.READ, meters=(("avc", "avc"),), generator_emf_v=0.0),
    )
    answer = record.latest(BASELINE, "avc")
    results: tuple[Result, ...] = ()
    if answer is not None:
        value = abs(answer.values["avc"])
        results = (
            result(
                "no signal",
                f"{value:.2f} V",
                value,
                None,
                ("", ""),
                seq=answer.seq,
                ask="avc",
                as_found=True,
            ),
        )
    step = Step(
        BASELINE,
        Stage.IF,
        "Read the AVC line with no signal",
        "The baseline is taken off every later reading in the mind's eye; a high one is a fault.",
        results=results,
        leads=LEADS,
        powered=True,
    )
    return settle(step, remaining=None if answer else ask)


def reference_ask(facts: ReceiverFacts, key: str) -> Ask:
    """Bring the AVC to the reference by the generator's level: gain by substitution."""
    return Ask(
        key,
        f"Generator on {khz(facts.intermediate_frequency_hz)}: set its level until the AVC reads "
        f"{REFERENCE_AVC_V:g} V, and enter the level.",
        (Field("level", "level", LEVEL),),
        "850 uV",
        expected_text=f"whatever brings {REFERENCE_AVC_V:g} V",
        recipe=_recipe(facts, Doing.MATCH_LEVEL, target_v=REFERENCE_AVC_V),
    )


def _spread(facts: ReceiverFacts, reach_hz: float) -> list[float]:
    """Generator frequencies of a survey, the IF in their middle."""
    centre = facts.intermediate_frequency_hz
    count = round(reach_hz / SURVEY_STEP_HZ)
    return [centre + n * SURVEY_STEP_HZ for n in range(-count, count + 1)]


def _sweep_asks(facts: ReceiverFacts, level_v: float, reach_hz: float) -> list[Ask]:
    return [
        Ask(
            f"{frequency:.0f}",
            f"Move the generator to {khz(frequency)} at the same level and read the AVC.",
            (Field("avc", "AVC", AVC_VOLTS),),
            "-1.4",
            recipe=_recipe(
                facts,
                Doing.READ,
                meters=(("avc", "avc"),),
                generator_hz=frequency,
                generator_emf_v=level_v,
            ),
        )
        for frequency in _spread(facts, reach_hz)
    ]


def _survey(facts: ReceiverFacts, record: JobRecord) -> Step:
    reference = record.latest(SURVEY, "reference")
    level = reference.values["level"] if reference else START_LEVEL_V
    asks = [reference_ask(facts, "reference"), *_sweep_asks(facts, level, SURVEY_REACH_HZ)]
    remaining = next((a for a in asks if record.latest(SURVEY, a.key) is None), None)
    curve = survey_curve(facts, record)
    results: tuple[Result, ...] = ()
    if remaining is None and curve is not None and reference is not None:
        results = (
            _peak_result(facts, curve, reference.seq, as_found=True),
            _level_result(reference),
        )
    step = Step(
        SURVEY,
        Stage.IF,
        "Survey the IF as found, cores untouched",
        "Where it peaks now tells whether it needs turning at all.",
        results=results,
        leads=LEADS,
        powered=True,
        plot=_survey_plot(curve, None),
    )
    return settle(step, remaining=remaining)


def _survey_left(facts: ReceiverFacts, record: JobRecord, level_v: float) -> Step:
    """The same curve after the last core: seen to be on the IF, not believed to be."""
    asks = _sweep_asks(facts, level_v, LEFT_REACH_HZ)
    spoiled = record.last_touch(facts.if_adjusters(), (IF_AREA, "supply"))
    remaining = None
    for ask in asks:
        answer = record.latest(SURVEY_LEFT, ask.key)
        if answer is None or answer.seq < spoiled:
            remaining = ask
            break
    curve = survey_curve(facts, record, left=True)
    results: tuple[Result, ...] = ()
    if curve is not None:
        stale = curve.first_seq < spoiled
        results = (_peak_result(facts, curve, curve.first_seq, stale=stale),)
    step = Step(
        SURVEY_LEFT,
        Stage.IF,
        "Survey the IF as left",
        "Five readings at one level show that the peak stands on the IF and both sides fall alike.",
        results=results if remaining is None or (results and results[0].stale) else (),
        advice=_side_words(curve) if remaining is None else (),
        leads=LEADS,
        powered=True,
        plot=_survey_plot(survey_curve(facts, record), curve),
        cost="the IF does not peak where it should" if curve is not None else "",
    )
    return settle(step, remaining=remaining, retake=asks[0])


@dataclass(frozen=True, slots=True)
class SurveyCurve:
    """AVC volts (magnitude) against generator frequency; ``first_seq`` is the oldest reading's."""

    frequency_hz: tuple[float, ...]
    avc_v: tuple[float, ...]
    first_seq: int

    @property
    def peak_hz(self) -> float:
        """Vertex of the curve."""
        return vertex(np.array(self.frequency_hz), np.array(self.avc_v))


def survey_curve(
    facts: ReceiverFacts, record: JobRecord, *, left: bool = False
) -> SurveyCurve | None:
    """The points so far of the survey as found, or as left; None below three."""
    key, reach = (SURVEY_LEFT, LEFT_REACH_HZ) if left else (SURVEY, SURVEY_REACH_HZ)
    points = [
        (frequency, abs(answer.values["avc"]), answer.seq)
        for frequency in _spread(facts, reach)
        if (answer := record.latest(key, f"{frequency:.0f}")) is not None
    ]
    if len(points) < 3:
        return None
    frequencies, volts, seqs = zip(*points, strict=True)
    return SurveyCurve(frequencies, volts, min(seqs))


def centre_window(facts: ReceiverFacts) -> Window:
    """Where the IF may peak."""
    nominal = facts.intermediate_frequency_hz
    return symmetric(nominal, CENTRE_TOLERANCE * nominal)


def _peak_result(
    facts: ReceiverFacts,
    curve: SurveyCurve,
    seq: int,
    *,
    stale: bool = False,
    as_found: bool = False,
) -> Result:
    window = centre_window(facts)
    return result(
        "peaks at",
        khz(curve.peak_hz),
        curve.peak_hz,
        window,
        (khz(window.low or 0.0), khz(window.high or 0.0)),
        seq=seq,
        ask="reference",
        stale=stale,
        as_found=as_found,
    )


def _level_result(reference: Answer) -> Result:
    level = reference.values["level"]
    return result(
        f"level for {REFERENCE_AVC_V:g} V",
        engineering(level, "V"),
        level,
        None,
        ("", ""),
        seq=reference.seq,
        ask="reference",
        as_found=True,
    )


def _side_words(curve: SurveyCurve | None) -> tuple[str, ...]:
    if curve is None:
        return ()
    low, high = curve.avc_v[0], curve.avc_v[-1]
    reach = (curve.frequency_hz[-1] - curve.frequency_hz[0]) / 2e3
    return (f"{reach:.0f} kHz below it reads {low:.2f} V, {reach:.0f} kHz above {high:.2f} V.",)


def _survey_plot(found: SurveyCurve | None, left: SurveyCurve | None) -> Plot | None:
    lines = tuple(
        PlotLine(name, role, tuple(f / 1e3 for f in curve.frequency_hz), curve.avc_v)
        for name, role, curve in (("as found", "found", found), ("as left", "measured", left))
        if curve is not None
    )
    if not lines:
        return None
    title = "IF as found and as left" if left else "IF as found"
    return Plot(title, "generator (kHz)", "AVC (V)", lines)


def _decide(facts: ReceiverFacts, record: JobRecord, survey: Step) -> Step:
    peak = next((r for r in survey.results if r.label == "peaks at"), None)
    nominal = facts.intermediate_frequency_hz
    advice: tuple[str, ...] = ()
    cost = ""
    if peak is not None and peak.value is not None:
        off = peak.value - nominal
        if peak.judgement.verdict.outside:
            advice = (f"It peaks {off / 1e3:+.1f} kHz from {khz(nominal)}: align it.",)
            cost = f"{off / 1e3:+.1f} kHz from the IF"
        else:
            advice = (
                f"It peaks {off / 1e3:+.1f} kHz from {khz(nominal)}, inside what matters. Leaving "
                "it is a result like any other; peaking may still win gain if a core is off alone.",
            )
    step = Step(
        DECIDE,
        Stage.IF,
        "Decide: align the IF, or leave it",
        "What is right already only gets worse by turning.",
        advice=advice,
        leave=True,
        cost=cost,
        powered=True,
        plot=survey.plot,
        notes=_decision(record),
    )
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", "leave it")),),
        "align",
    )
    answered = record.latest(DECIDE, "decision")
    ready = survey.status is Status.DONE
    if not ready:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask)
    return settle(step, remaining=None if answered else ask)


def _decision(record: JobRecord) -> tuple[str, ...]:
    answer = record.latest(DECIDE, "decision")
    return (f"Decided: {answer.texts['decision']}",) if answer else ()


def _passes(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Passes over all cores, each ended by the gain that it won."""
    steps: list[Step] = []
    reference = record.latest(SURVEY, "reference")
    level = reference.values["level"] if reference else START_LEVEL_V
    gained: float | None = None
    for number in range(1, MOST_PASSES + 1):
        working = level
        for key in facts.if_adjusters():
            step = peak_step(
                facts,
                record,
                f"if.pass{number}.{key}",
                Stage.IF,
                key,
                recipe=_recipe(facts, Doing.PEAK, adjuster=key, generator_emf_v=working),
                level_v=working,
                leads=LEADS,
            )
            steps.append(replace(step, title=f"{step.title} (pass {number})"))
            answer = record.latest(step.key, "peak")
            if answer is not None:
                working = advised_level_v(working, abs(answer.values["after"]))
        gain_step, gained, level = _gain(facts, record, number, level)
        steps.append(gain_step)
        if gained is None or not another_pass(gained):
            break
    else:
        gained = 0.0
    if gained is not None:
        steps.append(_survey_left(facts, record, level))
    return steps


def _gain(
    facts: ReceiverFacts, record: JobRecord, number: int, before_v: float
) -> tuple[Step, float | None, float]:
    key = f"if.pass{number}.gain"
    answer = record.latest(key, "level")
    gained = None
    results: tuple[Result, ...] = ()
    advice: tuple[str, ...] = ()
    level = before_v
    if answer is not None:
        level = answer.values["level"]
        gained = gain_by_substitution_db(before_v, level)
        stale = _spoiled_after(facts, record, answer, number)
        results = (
            result(
                f"pass {number}",
                f"{gained:+.1f} dB",
                gained,
                None,
                ("", ""),
                seq=answer.seq,
                ask="level",
                stale=stale,
            ),
        )
        advice = (
            (f"{gained:.1f} dB won: make another pass, back to the first core.",)
            if another_pass(gained)
            else (f"Less than {STOP_BELOW_DB:g} dB won: the IF is done.",)
        )
    fresh = answer is not None and not results[0].stale
    step = Step(
        key,
        Stage.IF,
        f"Measure what pass {number} won",
        "The meter's law is crooked; the generator's change for the same reading is not.",
        results=results,
        advice=advice,
        leads=LEADS,
        powered=True,
        plot=_gain_plot(facts, record, number) if answer is not None else None,
    )
    ask = reference_ask(facts, "level")
    return settle(step, remaining=None if fresh else ask), gained, level


def _spoiled_after(facts: ReceiverFacts, record: JobRecord, answer: Answer, number: int) -> bool:
    """Whether a core was turned after this pass's gain was read and outside a later pass."""
    if record.last_touch((), (IF_AREA, "supply")) > answer.seq:
        return True
    cores = set(facts.if_adjusters())
    return any(
        m.seq > answer.seq and m.adjuster in cores and not _in_pass_after(m.step, number)
        for m in record.moves
    )


def _in_pass_after(step: str, number: int) -> bool:
    return any(step.startswith(f"if.pass{n}.") for n in range(number + 1, MOST_PASSES + 1))


def _gain_plot(facts: ReceiverFacts, record: JobRecord, number: int) -> Plot | None:
    reference = record.latest(SURVEY, "reference")
    if reference is None:
        return None
    levels = [reference.values["level"]]
    for n in range(1, number + 1):
        answer = record.latest(f"if.pass{n}.gain", "level")
        if answer is not None:
            levels.append(answer.values["level"])
    gains = tuple(gain_by_substitution_db(levels[0], v) for v in levels)
    line = PlotLine("gain", "measured", tuple(float(n) for n in range(len(levels))), gains)
    return Plot("Gain won since as found", "pass", "gain (dB)", (line,))


def peak_step(
    facts: ReceiverFacts,
    record: JobRecord,
    key: str,
    stage: Stage,
    adjuster_key: str,
    *,
    recipe: Recipe,
    level_v: float,
    leads: tuple[Lead, ...],
    spoiled_after: int = 0,
) -> Step:
    """Peak one adjuster in one movement, entered as before, after and rough turn."""
    adjuster = facts.adjuster(adjuster_key)
    answer = record.latest(key, "peak")
    results: tuple[Result, ...] = ()
    advice: tuple[str, ...] = ()
    if answer is not None:
        before, after = abs(answer.values["before"]), abs(answer.values["after"])
        turned = answer.values["turns"]
        # no better place than where it stood is a result, so only a loss is outside
        window = Window(0.97 * before, None)
        results = (
            result(
                f"peaked {adjuster.name}",
                f"{before:.2f} to {after:.2f} V",
                after,
                window,
                (f"{before:.2f} V", ""),
                seq=answer.seq,
                ask="peak",
                stale=answer.seq < spoiled_after,
            ),
        )
        words = "left where it stood" if turned == 0 else turns(turned)
        advice = (f"Turned: {words}.", *_level_words(level_v, after))
    ask = Ask(
        "peak",
        f"Turn the {adjuster.name} through its peak and back to it: AVC before, AVC at the peak, "
        "turn.",
        (
            Field("before", "before", AVC_VOLTS),
            Field("after", "at the peak", AVC_VOLTS),
            Field("turns", "turn", TURNS),
        ),
        "-1.9 -2.6 +3/8",
        expected_text="a clear maximum, falling off both ways",
        recipe=recipe,
    )
    where = f"{adjuster.where}; " if adjuster.where else ""
    step = Step(
        key,
        stage,
        f"Peak the {adjuster.name}",
        f"{where}{adjuster.tool}. Generator at {engineering(level_v, 'V')}. Tool out and hand away "
        "for the reading that counts.",
        results=results,
        advice=advice,
        leads=leads,
        powered=True,
        adjuster=adjuster_key,
        cost="the peak was not found again" if answer is not None else "",
    )
    fresh = answer is not None and answer.seq >= spoiled_after
    return settle(step, remaining=None if fresh else ask, retake=ask)


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


def _restore(record: JobRecord) -> Step:
    step = Step(
        RESTORE,
        Stage.IF,
        "Take the clip lead off and let the oscillator run; volume back",
        "What this stage switched off is switched back on by this stage.",
        powered=True,
        undoes=SET_UP,
    )
    ask = confirm("restored", "Clip lead off, volume back.")
    return settle(step, remaining=None if record.latest(RESTORE, "restored") else ask)
