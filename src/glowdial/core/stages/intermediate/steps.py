"""IF alignment: survey as found, peak each core in order by the indicator chosen, gain by
substitution."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.alignment.curve import CurveFigures
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.chain import MIXER, SetUp, chain_picture
from glowdial.core.journey.entry import LEAVE_IT
from glowdial.core.journey.peaking import LEAST_OF_BEFORE
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.readings import (
    conclude,
    confirmed,
    planned,
    reading,
    readings,
    waiting,
)
from glowdial.core.journey.record import IF_AREA, Answer, Basis, JobRecord, latest_of
from glowdial.core.journey.room import (
    Entering,
    ReportPart,
    ReportRow,
    Situation,
    pictured,
    report_row,
)
from glowdial.core.journey.steps import Ask, Field, Lead, Plot, PlotLine, Status, Step, result
from glowdial.core.language.quantities import LEVEL, engineering, khz, turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import GENERATOR_LEVEL
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.intermediate.adjusters import STATE, check_state, standing
from glowdial.core.stages.intermediate.cores import Fed, core_step, injections, shown_with
from glowdial.core.stages.intermediate.gain import (
    STOP_BELOW_DB,
    another_pass,
    gain_by_substitution_db,
    shown_db,
)
from glowdial.core.stages.intermediate.indicators import (
    READS,
    REFERENCE,
    Indicator,
    IndicatorKind,
    choice_ask,
    indicator,
    references,
)
from glowdial.core.stages.intermediate.order import (
    ORDER,
    by_sheet,
    damped_with,
    order_ask,
    order_of,
    plan_table,
    reordered,
    warnings,
)
from glowdial.core.stages.intermediate.survey import (
    CENTRE_TOLERANCE,
    LEFT_POINTS,
    STAGE,
    SURVEY,
    SURVEY_LEFT,
    SURVEY_POINTS,
    centre_window,
    fed_at,
    filter_ask,
    filter_width_hz,
    flat_words,
    if_recipe,
    input_word,
    peak_result,
    settled_hz,
    side_words,
    spread_hz,
    survey_asks,
    survey_curve,
    survey_plot,
    written,
)
from glowdial.core.stages.intermediate.sweep_steps import (
    SWEEP,
    TRACE,
    read_sweep,
    sweep_rounds,
    sweep_set_up,
    sweeps_of,
)

START_LEVEL_V = 1e-3
MOST_PASSES = 8
# a second look that turns two cores in a row no further than this has nothing left to win
SETTLED_TURNS, SETTLED_CORES = 0.13, 2
# below this share of the reference the signal is not getting through: from the last grid backward
LOST_SHARE = 0.4
CLIP = ("clip lead stops the oscillator", "oscillator section of the gang to chassis")
DAMPER = ("damping resistor on clips", "the IF cans' windings")
VOLUME = "volume turned right down"
# what a survey or a sweep says of where the IF stands
SEEN_AT = ("peaks at", "centre", "peak")
SET_UP, BASELINE, DECIDE, RESTORE = "if.set-up", "if.baseline", "if.decide", "if.restore"
GAIN, LOST = ".gain", "lost"
CAUSES = ("the tool", "the hand", "the level", "drift", "not known")


@dataclass(frozen=True, slots=True)
class Work:
    """What every step of the IF is made from: facts, record, and the indicator in use."""

    situation: Situation
    by: Indicator

    @property
    def facts(self) -> ReceiverFacts:
        """The set."""
        return self.situation.facts

    @property
    def record(self) -> JobRecord:
        """The job so far."""
        return self.situation.record

    @property
    def leads(self) -> tuple[Lead, ...]:
        """Generator and indicator."""
        at = fed_at(self.facts, "mixer grid")
        return (Lead("signal generator", "10 nF", at), self.by.lead)

    @property
    def level_ask(self) -> str:
        """The question of a pass for its level by this indicator."""
        return f"level{self.by.suffix}"

    def recipe(self, doing: Doing, **settings: object) -> Recipe | None:
        """What a bench does for it; None where no instrument reads this indicator."""
        if self.by.shown.measurand is None:
            return None
        made = if_recipe(self.facts, doing, tone_on=self.by.tone, **settings)
        return shown_with(made, self.by)


def if_steps(situation: Situation) -> list[Step]:
    """The whole IF stage as it stands; passes are added as long as they gain."""
    work = Work(situation, indicator(situation))
    if work.by.kind is IndicatorKind.SWEEP:
        return _swept(work)
    steps = [_set_up(work), _baseline(work), _survey(work)]
    work = _settled_on(work)
    steps.append(_decide(work, steps[-1]))
    if _aligning(work.record):
        steps += _passes(work)
    drawn = [_with_chain(work, step) for step in steps]
    return [*drawn, _restore(work.record)]


def _settled_on(work: Work) -> Work:
    """The same with the IF that is aligned to: a filter's own, where the set has one."""
    facts, at_hz = work.facts, settled_hz(work.facts, work.record)
    if at_hz == facts.intermediate_frequency_hz:
        return work
    settled = replace(facts, intermediate_frequency_hz=at_hz)
    return replace(work, situation=replace(work.situation, facts=settled))


def _swept(work: Work) -> list[Step]:
    """The swept school: one sweep, the decision, then sweeps and turns until it is right."""
    rounds = sweep_rounds(work.situation, work.by)
    decide = _decide(work, rounds[0])
    drawn = [_with_chain(work, s) for s in (_set_up(work), rounds[0], decide, *rounds[1:])]
    return [*drawn, _restore(work.record)]


def check_if(_: Situation, step: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for a seal overridden by nobody, an order that is none, a trace that cannot
    be read."""
    if step.key.startswith(SWEEP) and ask.key == TRACE:
        read_sweep(_.facts, dict(kept.texts), dict(kept.values))
    if ask.key == STATE:
        check_state(dict(kept.texts))
    if step.key == DECIDE and ask.key == ORDER:
        reordered(by_sheet(_.facts), kept.texts[ORDER])


def _with_chain(work: Work, step: Step) -> Step:
    """The step with the chain as it stands: generator at the mixer, the oscillator stopped."""
    if step.draw is not None and step.key != SURVEY:
        # the curve is what it is about
        return step
    facts, recipe = work.facts, step.ask.recipe if step.ask else None
    level_v = recipe.change.get("generator_emf_v") if recipe else None
    injected = (recipe and recipe.change.get("injection")) or "mixer grid"
    now = SetUp(
        signal_hz=(recipe and recipe.change.get("generator_hz")) or facts.intermediate_frequency_hz,
        generator_at=MIXER if injected == "mixer grid" else injected.removesuffix(" grid"),
        through=work.leads[0].through,
        level_v=level_v,
        adjuster=step.adjuster,
        oscillator_stopped=True,
    )
    return replace(step, show_chain=lambda: chain_picture(facts, work.record, now))


def _aligning(record: JobRecord) -> bool:
    """Whether the decision was to align (leaving it is the other answer)."""
    answer = record.latest(DECIDE, "decision")
    return answer is not None and answer.texts.get("decision") == "align"


def _set_up(work: Work) -> Step:
    facts = work.facts
    damps = any(damped_with(facts, key) for key in facts.if_adjusters())
    step = Step(
        SET_UP,
        STAGE,
        f"Clip the generator to the mixer and stop the oscillator; warm up "
        f"{facts.warm_up_minutes:.0f} min",
        "With the oscillator stopped no station and no whistle can move the meter. "
        f"{work.by.traps}",
        leads=(*work.leads, Lead("clip lead", "", "oscillator section of the gang to chassis")),
        controls=(*work.by.set_up, *_sweep_words(work), *_table_controls(facts)),
        does=(
            Activity.ALIGNING,
            Activity.SIGNAL_IN,
        ),
        powered=True,
        makes=(CLIP, DAMPER) if damps else (CLIP,),
        switches_off=(VOLUME,) if work.by.kind is IndicatorKind.AVC else (),
        others=(choice_ask(),),
    )
    return confirmed(step, work.record, "ready", "Leads on, oscillator stopped, set warm.")


def _sweep_words(work: Work) -> tuple[str, ...]:
    return sweep_set_up(work.situation) if work.by.kind is IndicatorKind.SWEEP else ()


def _table_controls(facts: ReceiverFacts) -> tuple[str, ...]:
    """What the maker's table says of the IF: where the generator goes, by what, for what."""
    mine = set(facts.if_adjusters())
    found: list[str] = []
    for row in facts.alignment:
        if mine & set(row.adjusters):
            parts = (
                khz(row.generator_hz) if row.generator_hz else "",
                f"to the {row.point}" if row.point else "",
                f"through {row.through}" if row.through else "",
                f"dial at {khz(row.dial_hz)}" if row.dial_hz else "",
                row.indicator,
                row.target,
                row.remark,
            )
            found.append("by the sheet: " + ", ".join(p for p in parts if p))
    return tuple(dict.fromkeys(w for w in found if w != "by the sheet: "))


def _baseline(work: Work) -> Step:
    shown = work.by.shown
    key = f"avc{work.by.suffix}"
    ask = Ask(
        key,
        f"Generator off: read the {_line(work)}.",
        (Field("avc", shown.label, shown.quantity, measurand=shown.measurand),),
        "-0.1" if work.by.kind is IndicatorKind.AVC else "0.02",
        recipe=work.recipe(Doing.READ, generator_emf_v=0.0),
    )
    found = reading(work.record, BASELINE, ask)
    step = Step(
        BASELINE,
        STAGE,
        f"Read the {_line(work)} with no signal",
        "The baseline is taken off every later reading in the mind's eye; a high one is a fault.",
        leads=work.leads,
        powered=True,
        others=(choice_ask(),),
    )
    if found.answer is not None:
        value = abs(found.answer.values["avc"])
        shown_as = f"{value:.2f} {shown.quantity.base}".strip()
        step = replace(
            step, results=(result(found.answer, "no signal", shown_as, value, as_found=True),)
        )
    return conclude(step, (found,))


def _line(work: Work) -> str:
    return "AVC line" if work.by.kind is IndicatorKind.AVC else work.by.shown.label


def _reference_ask(work: Work, key: str) -> Ask:
    """Bring the indicator to the reference by the generator's level: gain by substitution."""
    by = work.by
    recipe = work.recipe(Doing.MATCH_LEVEL)
    wanted = by.words(by.reference)
    shown, facts = by.shown, work.facts
    return Ask(
        key,
        f"Generator on {written(facts, facts.intermediate_frequency_hz)}: set its level until "
        f"the {shown.label} reads {wanted}, and enter the level. If it cannot be brought there, "
        "enter also what it reads at the most.",
        (
            Field("level", "level", LEVEL, measurand=GENERATOR_LEVEL, sets="generator_emf_v"),
            Field(READS, "it reads only", shown.quantity, required=False),
        ),
        "850 uV",
        expected_text=f"whatever brings {wanted}",
        recipe=replace(recipe, target_v=by.reference) if recipe else None,
        point=by.point,
    )


def _survey(work: Work) -> Step:
    facts, record = work.facts, work.record
    reference = reading(record, SURVEY, _reference_ask(work, f"{REFERENCE}{work.by.suffix}"))
    level_v = reference.answer.values["level"] if reference.answer else START_LEVEL_V
    points_hz = planned(record, SURVEY, spread_hz(facts, SURVEY_POINTS))
    asks = survey_asks(facts, points_hz, level_v, work.by.shown)
    found = (reference, *readings(record, SURVEY, asks))
    if filter_width_hz(facts) is not None:
        found = (*found, reading(record, SURVEY, filter_ask(facts)))
    curve = survey_curve(record)
    step = Step(
        SURVEY,
        STAGE,
        "Survey the IF as found, cores untouched",
        "Where it peaks now tells whether it needs turning at all.",
        leads=work.leads,
        powered=True,
        programme=points_hz,
        draw=lambda: survey_plot(facts, curve, None),
        others=(choice_ask(),),
    )
    if waiting(found) is None and curve is not None and reference.answer is not None:
        level = result(
            reference.answer,
            f"level for {work.by.reference:g} {work.by.shown.quantity.base}".rstrip(),
            engineering(level_v, "V"),
            level_v,
            as_found=True,
        )
        peak = peak_result(facts, curve, reference.answer, as_found=True)
        words = (*flat_words(curve), *_frequency_words(work))
        step = replace(step, results=(peak, level), advice=words)
    return conclude(step, found)


def _frequency_words(work: Work) -> tuple[str, ...]:
    """What a generator that is not sure of its frequency does to the IF."""
    generator = work.situation.equipment.generator
    if generator is None or generator.frequency_error < CENTRE_TOLERANCE:
        return ()
    off_hz = generator.frequency_error * work.facts.intermediate_frequency_hz
    return (
        f"This generator's frequency is good to {100 * generator.frequency_error:.2g} %, "
        f"{khz(off_hz)} here: beat its harmonic against a station that is known, or count it; else "
        "the IF is as wrong as it is. That costs little where the oscillator follows, much behind "
        "a filter or a fixed second conversion.",
    )


def _scrambled(work: Work) -> bool:
    """Whether the signal hardly gets through from the mixer: then from the last grid backward."""
    said = [a for a in references(work.record, work.by.suffix) if READS in a.values]
    curve = survey_curve(work.record)
    flat = curve is not None and bool(flat_words(curve))
    return flat or any(abs(a.values[READS]) < LOST_SHARE * work.by.reference for a in said)


def _cores(facts: ReceiverFacts) -> Basis:
    """What the IF's shape rests on."""
    return Basis(adjusters=facts.if_adjusters(), areas=(IF_AREA, "supply"))


def _survey_left(work: Work, level_v: float) -> Step:
    """The same curve after the last core: seen to be on the IF, not believed to be."""
    facts, record = work.facts, work.record
    points_hz = planned(record, SURVEY_LEFT, spread_hz(facts, LEFT_POINTS))
    asks = survey_asks(facts, points_hz, level_v, work.by.shown)
    found = readings(record, SURVEY_LEFT, asks, _cores(facts))
    curve = survey_curve(record, left=True)
    step = Step(
        SURVEY_LEFT,
        STAGE,
        "Survey the IF as left",
        "Five readings at one level show that the peak stands on the IF and both sides fall alike.",
        leads=work.leads,
        powered=True,
        programme=points_hz,
        draw=lambda: survey_plot(facts, survey_curve(record), curve),
        cost="the IF does not peak where it should" if curve is not None else "",
    )
    done = waiting(found) is None
    if curve is not None:
        stale = record.stale(curve.oldest, _cores(facts))
        if done or stale:
            step = replace(step, results=(peak_result(facts, curve, curve.oldest, stale=stale),))
        if done:
            step = replace(step, advice=side_words(curve))
    return conclude(step, found, retake=asks[0])


def _decide(work: Work, survey: Step) -> Step:
    facts, record = work.facts, work.record
    peak = next((r for r in survey.results if r.label in SEEN_AT), None)
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
        if _scrambled(work):
            advice = (
                *advice,
                f"Hardly anything gets through: from the last {input_word(facts)} backward, each "
                f"can fed at the {input_word(facts)} before it, its cores at mid-travel to begin.",
            )
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", LEAVE_IT)),),
        "align",
    )
    found = reading(record, DECIDE, ask)
    decided = found.answer.texts["decision"] if found.answer else ""
    order = order_of(facts, record)
    by_whom = "by its alignment table" if _tabled(facts) else "from the circuit"
    step = Step(
        DECIDE,
        STAGE,
        "Decide: align the IF, or leave it",
        f"What is right already only gets worse by turning. The order is {by_whom}.",
        advice=(*advice, *warnings(facts, order)),
        leave=True,
        cost=cost,
        powered=True,
        draw=survey.draw,
        decision=decided,
        notes=(f"Decided: {decided}",) if decided else (),
        others=(order_ask(by_sheet(facts)), choice_ask()),
        table=plan_table(facts, record, order) if decided == "align" else None,
    )
    if survey.status is not Status.DONE:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask)
    return conclude(step, (found,))


def _tabled(facts: ReceiverFacts) -> bool:
    mine = set(facts.if_adjusters())
    return any(mine & set(row.adjusters) for row in facts.alignment)


def _passes(work: Work) -> list[Step]:
    """Passes over all cores, each ended by the gain that it won; a second look ends as soon as two
    cores in a row had hardly to be turned."""
    facts, record = work.facts, work.record
    steps: list[Step] = []
    order, fed = order_of(facts, record), injections(facts)
    gained: float | None = None
    for number in range(1, MOST_PASSES + 1):
        visited: list[float] = []
        for key in order:
            can = facts.can_of(key)
            backward = number == 1 and can is not None and _scrambled(work)
            at = fed[can.key] if backward and can else "mixer grid"
            clip = Fed(at, _last_level(work))
            step = core_step(work.situation, work.by, f"if.pass{number}.{key}", key, clip)
            notes = (*step.notes, *_baseline_words(work))
            steps.append(replace(step, title=f"{step.title} (pass {number})", notes=notes))
            answer = record.latest(step.key, "peak")
            if answer is not None and not standing(facts, record, key).left_alone:
                visited.append(abs(answer.values["turns"]))
            if number > 1 and _settled(visited) and not _gone_on(record, number, order, key):
                steps.append(_survey_left(work, _last_level(work)))
                return steps
        gain_step, gained = _gain(work, number)
        steps.append(gain_step)
        if gained is None or not another_pass(abs(gained), _shown_db(work)):
            break
    if gained is not None:
        steps.append(_survey_left(work, _last_level(work)))
    return steps


def _gone_on(record: JobRecord, number: int, order: tuple[str, ...], key: str) -> bool:
    """Whether a pass was worked beyond a core: then it is what it was."""
    rest = order[order.index(key) + 1 :]
    return any(record.of_step(f"if.pass{number}{k}") for k in (GAIN, *(f".{r}" for r in rest)))


def _settled(visited: list[float]) -> bool:
    last = visited[-SETTLED_CORES:]
    return len(last) == SETTLED_CORES and max(last) <= SETTLED_TURNS


def _shown_db(work: Work) -> float:
    """What the indicator can show of the generator's level where it is held."""
    if work.by.kind is not IndicatorKind.AVC:
        return STOP_BELOW_DB
    law = work.facts.circuit.avc
    return shown_db(work.by.reference, law.control_v_per_neper)


def _last_level(work: Work) -> float:
    """The generator's level of the last matching by this indicator."""
    passes = (f"if.pass{n}{GAIN}" for n in range(1, MOST_PASSES + 1))
    gains = (_answered(work, step, work.level_ask) for step in passes)
    known = [*references(work.record, work.by.suffix), *(a for a in gains if a)]
    return latest_of(known).values["level"] if known else START_LEVEL_V


def _baseline_words(work: Work) -> tuple[str, ...]:
    """What the meter shows without a signal, which is no peak."""
    answer = work.record.latest(BASELINE, f"avc{work.by.suffix}")
    if answer is None:
        return ()
    unit = work.by.shown.quantity.base
    return (f"No signal reads {answer.values['avc']:.2f} {unit}".rstrip() + ".",)


def _level_before(work: Work, number: int) -> Answer | None:
    """The matching that a pass's gain counts from: the one before it by the same indicator."""
    for earlier in range(number - 1, 0, -1):
        answer = _answered(work, f"if.pass{earlier}{GAIN}", work.level_ask)
        if answer is not None:
            return answer
    return _answered(work, SURVEY, f"{REFERENCE}{work.by.suffix}")


def _answered(work: Work, step: str, ask: str) -> Answer | None:
    """The last answer to a question of a step, whatever it was asked at."""
    mine = [a for a in work.record.of_step(step) if a.ask == ask]
    return mine[-1] if mine else None


def _gain(work: Work, number: int) -> tuple[Step, float | None]:
    facts, record = work.facts, work.record
    key = f"if.pass{number}{GAIN}"
    # a later pass turns the cores anew, and measures again what it won
    later = tuple(f"if.pass{n}." for n in range(number + 1, MOST_PASSES + 1))
    basis = replace(_cores(facts), own_steps=later)
    found = reading(record, key, _reference_ask(work, work.level_ask), basis)
    step = Step(
        key,
        STAGE,
        f"Measure what pass {number} won",
        "Dampers off. The meter's law is crooked; the generator's change for the same reading is "
        "not.",
        leads=work.leads,
        powered=True,
    )
    before = _level_before(work, number)
    if found.answer is None or before is None:
        return conclude(step, (found,)), None
    level = found.answer.values["level"]
    gained = gain_by_substitution_db(before.values["level"], level)
    shown = result(found.answer, f"pass {number}", f"{gained:+.1f} dB", gained, stale=found.stale)
    least = _shown_db(work)
    lost = gained <= -least
    step = replace(
        step,
        results=(shown,),
        advice=(_gain_words(gained, least),),
        draw=lambda: _gain_plot(work, number),
        table=_cores_table(facts, record, number),
    )
    asked = (found, reading(record, key, _lost_ask(gained))) if lost else (found,)
    return conclude(step, asked), gained


def _gain_words(gained: float, least: float) -> str:
    if gained <= -least:
        return f"{gained:.1f} dB: not won but lost. Say what was wrong, and make another pass."
    if another_pass(gained, least):
        return f"{gained:.1f} dB won: another look, back to the first core."
    return f"Less than {least:.1f} dB won, all that shows here: the IF is done."


def _lost_ask(gained: float) -> Ask:
    """A pass that lost level: what was wrong."""
    return Ask(
        LOST,
        f"This pass lost {-gained:.1f} dB. What was wrong: the tool (it detunes, read with it "
        "out), the hand, the level (too high to show a peak), or drift meanwhile?",
        (Field(LOST, "what was wrong", options=CAUSES),),
        CAUSES[0],
    )


def _cores_table(facts: ReceiverFacts, record: JobRecord, passes: int) -> ReadingTable:
    """Every core by the passes so far: what its peak won, and how far it was turned for it."""
    columns = tuple(f"pass {n}" for n in range(1, passes + 1))
    rows = []
    for key in order_of(facts, record):
        cells = []
        for n, column in enumerate(columns, start=1):
            answer = record.latest(f"if.pass{n}.{key}", "peak")
            if answer is not None:
                cells.append(_core_cell(column, f"{key} {column}", answer))
        now = standing(facts, record, key)
        does = now.movement.value if now.left_alone else ""
        rows.append(TableRow("", facts.adjuster(key).name, does, tuple(cells)))
    return ReadingTable(columns, tuple(rows))


def _core_cell(column: str, label: str, answer: Answer) -> TableCell:
    before, after = abs(answer.values["before"]), abs(answer.values["after"])
    turned = answer.values["turns"]
    words = "not turned" if turned == 0.0 else turns(turned)
    verdict = "inside" if after >= LEAST_OF_BEFORE * before else "low"
    unit = answer.places["after"].kind.value if "after" in answer.places else ""
    shown = f"{before:.2f} to {after:.2f}{' V' if unit else ''}"
    return TableCell(column, "", label, words, shown, verdict, words)


def _gain_plot(work: Work, number: int) -> Plot | None:
    reference = _answered(work, SURVEY, f"{REFERENCE}{work.by.suffix}")
    if reference is None:
        return None
    levels = [reference.values["level"]]
    for n in range(1, number + 1):
        answer = _answered(work, f"if.pass{n}{GAIN}", work.level_ask)
        if answer is not None:
            levels.append(answer.values["level"])
    gains = tuple(gain_by_substitution_db(levels[0], v) for v in levels)
    line = PlotLine("gain", "measured", tuple(float(n) for n in range(len(levels))), gains)
    return Plot("Gain won since as found", "pass", "gain (dB)", (line,))


def _restore(record: JobRecord) -> Step:
    step = Step(
        RESTORE,
        STAGE,
        "Take the clip lead off and let the oscillator run; volume back",
        "And the damper. What this stage switched off is switched back on by this stage.",
        powered=True,
        undoes=SET_UP,
    )
    return confirmed(step, record, "restored", "Clip lead and damper off, volume back.")


def if_report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """Where the IF peaks, and what aligning it won."""
    facts, record = situation.facts, situation.record
    work = Work(situation, indicator(situation))
    if work.by.kind is IndicatorKind.SWEEP:
        return _swept_report(work, steps)
    curve = survey_curve(record)
    reference = _answered(work, SURVEY, f"{REFERENCE}{work.by.suffix}")
    if curve is None or reference is None:
        return ReportPart()
    gain = _last_gain(work)
    left_v = gain.values["level"] if gain else reference.values["level"]
    won = gain_by_substitution_db(reference.values["level"], left_v)
    left = survey_curve(record, left=True) if gain else curve
    surveys = [s for s in steps if s.key in (SURVEY, SURVEY_LEFT) and s.results]
    shown = pictured("IF", surveys[-1], plot=True) if surveys else ()
    return ReportPart(
        pictures=shown,
        rows=(
            report_row(
                "IF, peak",
                khz(facts.intermediate_frequency_hz),
                khz(curve.peak_hz),
                khz(left.peak_hz) if left else "",
                left.peak_hz if left else None,
                centre_window(facts),
            ),
            ReportRow(
                f"IF, generator for the same {work.by.shown.label}",
                "no figure",
                engineering(reference.values["level"], "V"),
                engineering(left_v, "V"),
                "not known",
                f"{won:+.1f} dB won",
            ),
        ),
    )


def _swept_report(work: Work, steps: tuple[Step, ...]) -> ReportPart:
    """The first and the last sweep: where the IF stands, and how wide it is."""
    swept = sweeps_of(work.facts, work.record)
    if not swept:
        return ReportPart()
    drawn = [s for s in steps if s.key.startswith(SWEEP) and s.results]
    found, left = swept[0].figures, swept[-1].figures
    (found_hz, found_wide), (left_hz, left_wide) = (_stands(f) for f in (found, left))
    return ReportPart(
        pictures=pictured("IF", drawn[-1], plot=True) if drawn else (),
        rows=(
            report_row(
                "IF, centre",
                khz(work.facts.intermediate_frequency_hz),
                khz(found_hz),
                khz(left_hz),
                left_hz,
                centre_window(work.facts),
            ),
            ReportRow("IF, wide at -6 dB", "no figure", found_wide, left_wide, "not known", ""),
        ),
    )


def _stands(figures: CurveFigures) -> tuple[float, str]:
    """Where a curve stands, and how wide it is in words."""
    six = figures.width(6.0)
    return (six.centre_hz, khz(six.width_hz)) if six else (figures.peak_hz, "not seen")


def _last_gain(work: Work) -> Answer | None:
    """The gain of the last pass that was measured."""
    passes = range(1, MOST_PASSES + 1)
    found = [_answered(work, f"if.pass{n}{GAIN}", work.level_ask) for n in passes]
    return next((a for a in reversed(found) if a is not None), None)
