"""The swept school: set up, sweep, see which core to turn and how far, sweep again.

Each sweep is kept as the table that it came as. What it shows is compared with the cans of the
sheet: a core is named only when it is sure; else a small known move in each can decides.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from glowdial.core.alignment.curve import CurveFigures, curve_figures, unrest
from glowdial.core.alignment.trace_table import ReadTrace, read_trace
from glowdial.core.alignment.which_core import (
    CanDesign,
    CurveFinding,
    SweptCurve,
    deciding_moves,
    which_core,
)
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import (
    Ask,
    Field,
    Lead,
    Plot,
    PlotLine,
    PlotMark,
    Result,
    Status,
    Step,
    result,
)
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    DURATION,
    INTERMEDIATE_FREQUENCY,
    TURNS,
    engineering,
    khz,
    turns,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import Adjuster, IfTransformer, ReceiverFacts
from glowdial.core.model.measurands import turn_of
from glowdial.core.physics.coupled_circuits import CanShape
from glowdial.core.physics.sweep_lag import Loop, lagged, slow_enough_s
from glowdial.core.stages.intermediate.adjusters import NORM_Q, standing
from glowdial.core.stages.intermediate.indicators import Indicator
from glowdial.core.stages.intermediate.survey import STAGE, centre_window, fed_at

SWEEP, TRACE = "if.sweep", "trace"
START, STOP, PASS = "start", "stop", "pass"
TURNED = "turned"
MOST_ROUNDS, KEPT_POINTS = 24, 200
# a sweep shows five of the widths that its cans should have, over ten divisions
SPAN_WIDTHS, DIVISIONS = 5.0, 10
# a core this far off, in half-bandwidths of its own, is still to be turned
RIGHT_HALF_WIDTHS = 0.2
SURE_ENOUGH = 0.5
# no model of a can is truer than this
LEAST_NOISE = 0.005
ALLOWED_SHIFT = 0.02
# where the sheet does not say how much a turn does
NORM_CHANGE = 0.015
# how well a turn is known: by the commonest core, by a sheet, at best by what it was seen to do
NORM_DOUBT, SHEET_DOUBT, LEAST_RATE_DOUBT = 0.6, 0.15, 0.05
# a move that says little more than was known of a turn teaches nothing
TEACHING, LIKE_DOUBT = 0.6, 0.3
PLOT_POINTS, LOWEST_DB = 120, -26.0


@dataclass(frozen=True, slots=True)
class Swept:
    """A sweep of the record: its entry, its samples over frequency, and what they show."""

    answer: Answer
    trace: ReadTrace
    figures: CurveFigures


def read_sweep(facts: ReceiverFacts, texts: dict[str, str], values: dict[str, float]) -> ReadTrace:
    """The samples of an entry that is to be kept; raises BadInput with the line, or the field that
    is missing, or where the IF is not in it or nothing is to be seen."""
    trace = samples_of(texts, values)
    low, high = min(trace.frequency_hz), max(trace.frequency_hz)
    if not low < facts.intermediate_frequency_hz < high:
        raise BadInput(
            "trace",
            f"{khz(low)} to {khz(high)}",
            f"does not hold the IF, {khz(facts.intermediate_frequency_hz)}: is the unit right?",
            "kHz",
        )
    curve_figures(trace.frequency_hz, trace.volts)
    return trace


def samples_of(texts: Mapping[str, str], values: Mapping[str, float]) -> ReadTrace:
    """The samples of an entry over frequency, whatever IF the sheet has today; raises BadInput."""
    trace = _read(texts.get(TRACE, ""))
    if not trace.frequency_hz:
        missing = [name for name in (START, STOP, PASS) if name not in values]
        if missing:
            raise BadInput(
                missing[0], "", "is wanted for a trace over time", "445 kHz, 485 kHz, 5 s"
            )
        trace = trace.over_sweep(values[START], values[STOP], values[PASS])
    return trace


@lru_cache(maxsize=64)
def _read(text: str) -> ReadTrace:
    return read_trace(text.encode())


@lru_cache(maxsize=64)
def _figures(trace: ReadTrace) -> CurveFigures:
    return curve_figures(trace.frequency_hz, trace.volts)


def sweeps_of(record: JobRecord) -> list[Swept]:
    """Every sweep of the job, the oldest first."""
    found = []
    for number in range(1, MOST_ROUNDS + 1):
        answer = record.latest(f"{SWEEP}{number}", TRACE)
        if answer is None:
            break
        trace = samples_of(answer.texts, answer.values)
        found.append(Swept(answer, trace, _figures(trace)))
    return found


def sweep_rounds(situation: Situation, shown_by: Indicator) -> list[Step]:
    """Sweeps until what they show is right, each with what is turned after it."""
    facts, record = situation.facts, situation.record
    swept = sweeps_of(record)
    steps: list[Step] = []
    base = 1
    rates = {key: _by_sheet(facts.adjuster(key)) for key in facts.if_adjusters()}
    for number in range(1, MOST_ROUNDS + 1):
        made = _round(situation, shown_by, swept, Seen(base, number, rates))
        steps.append(made.step)
        rates = {**rates, **made.learned}
        if made.last:
            break
        if made.named:
            # a core was put right: what follows is seen from there
            base = number + 1
    return steps


@dataclass(frozen=True, slots=True)
class Seen:
    """The sweeps that are seen together: from the first since a core was put right, to this one;
    and what a turn of each core is known to do."""

    base: int
    number: int
    rates: Mapping[str, Rate]


@dataclass(frozen=True, slots=True)
class Rate:
    """Relative change of a circuit's resonance for a turn clockwise, and its doubt as a share."""

    change: float
    doubt: float


@dataclass(frozen=True, slots=True)
class SweepRound:
    """A round's step, whether there is none after it, whether it named a core, and what its known
    moves taught of a turn."""

    step: Step
    last: bool
    named: bool = False
    learned: Mapping[str, Rate] = field(default_factory=dict)


def _round(situation: Situation, shown_by: Indicator, swept: list[Swept], seen: Seen) -> SweepRound:
    """A round as it stands."""
    facts, record = situation.facts, situation.record
    number = seen.number
    key = f"{SWEEP}{number}"
    found = reading(record, key, trace_ask(facts))
    step = Step(
        key,
        STAGE,
        "Sweep the IF as found" if number == 1 else f"Sweep the IF again ({number})",
        "Slow enough, both ways, the AVC clamped where it can be: the curve is what the cans do.",
        leads=(Lead("sweep generator", "10 nF", fed_at(facts, "mixer grid")), shown_by.lead),
        controls=sweep_set_up(situation),
        powered=True,
        draw=lambda: sweep_plot(facts, swept[:number], None),
    )
    if found.answer is None or number > len(swept):
        return SweepRound(conclude(step, (found,)), last=True)
    mine = swept[number - 1]
    step = replace(step, results=figures_results(facts, mine))
    decided = record.latest("if.decide", "decision")
    if decided is None or decided.texts.get("decision") != "align":
        # what it shows is what the decision is made by
        return SweepRound(conclude(step, (found,)), last=True)
    together = tuple(s.trace for s in swept[seen.base - 1 : number])
    moved = tuple(_since(record, swept, seen.base, n) for n in range(seen.base, number + 1))
    finding = situation.memory.recall(
        ("which core", _design(facts), together, moved, tuple(sorted(seen.rates.items()))),
        lambda: (_found(facts, swept[seen.base - 1 : number], moved, seen.rates),),
    )
    if finding is None:
        # open, so that nothing goes on before it is known what to turn
        waits = replace(step, thinking=True, status=Status.OPEN, ask=found.ask, retake=True)
        return SweepRound(waits, last=True)
    made = _with_finding(
        step, situation, swept[:number], Learnt(finding[0], dict(moved[-1]), seen.rates)
    )
    return replace(made, learned=_learned(finding[0], seen.rates))


@dataclass(frozen=True, slots=True)
class Learnt:
    """What the sweeps together tell, the turns since the first of them, what a turn does, and
    which cores are left alone."""

    finding: CurveFinding
    turned: Mapping[str, float]
    rates: Mapping[str, Rate]
    still: frozenset[str] = frozenset()


def _learned(finding: CurveFinding, rates: Mapping[str, Rate]) -> dict[str, Rate]:
    """Rates after what the known moves were seen to do. The core that is off itself teaches
    nothing: its move and its error are told apart badly. What one core of an unknown thread taught
    is the better guess for the others of this set."""
    named = finding.named.core if finding.named else ""
    taught = {
        core: Rate(rates[core].change * (1.0 + more), max(doubt, LEAST_RATE_DOUBT))
        for core, (more, doubt) in finding.moved.items()
        if core in rates and core != named and doubt < TEACHING * rates[core].doubt
    }
    if finding.named is None or not taught:
        return {}
    like = sum(rate.change for rate in taught.values()) / len(taught)
    unknown = {c: Rate(like, LIKE_DOUBT) for c, r in rates.items() if r.doubt >= NORM_DOUBT}
    return {**unknown, **taught}


def _with_finding(
    step: Step, situation: Situation, swept: list[Swept], learnt: Learnt
) -> SweepRound:
    facts, record = situation.facts, situation.record
    finding, turned = learnt.finding, learnt.turned
    found = reading(record, step.key, trace_ask(facts))
    step = replace(step, draw=lambda: sweep_plot(facts, swept, finding))
    if _right(facts, swept[-1], finding, turned):
        words = "It stands as it should: nothing is left that a core could win."
        return SweepRound(conclude(replace(step, advice=(words,)), (found,)), last=True)
    home = bool(turned) and _nothing_found(facts, finding)
    still = frozenset(k for k in facts.if_adjusters() if standing(facts, record, k).left_alone)
    learnt = replace(learnt, still=still)
    wanted = [(c, -t) for c, t in turned.items()] if home else _wanted(facts, learnt)
    if not wanted:
        words = "What is off is a core that is left alone: the others stay as they are."
        return SweepRound(conclude(replace(step, advice=(words,)), (found,)), last=True)
    asks = [reading(record, step.key, _turn_ask(facts, core, t)) for core, t in wanted]
    step = replace(
        step, advice=_put_back(facts, wanted) if home else _advice(facts, finding, wanted)
    )
    open_still = any(a.fresh is None for a in asks)
    # every core may be turned instead: the next sweep knows by how much
    others = tuple(
        _turn_ask(facts, key, None)
        for key in facts.if_adjusters()
        if key not in {*dict(wanted), *still}
    )
    step = replace(step, others=others if open_still else ())
    any_turned = any(m.step == step.key for m in record.moves)
    # the asks that are left go on until each is answered, or something else was turned
    left = asks if not any_turned or any(a.fresh is not None for a in asks) else []
    done = any_turned and all(a.fresh is not None for a in left)
    return SweepRound(
        conclude(step, (found, *left)), last=not done, named=home or finding.named is not None
    )


def trace_ask(facts: ReceiverFacts) -> Ask:
    """The sweep as a table: a file, the oscilloscope's samples, or pasted."""
    centre = facts.intermediate_frequency_hz
    return Ask(
        TRACE,
        "The trace: a file (CSV, Touchstone), the oscilloscope, or pasted. Over time, also where "
        "the sweep starts and stops and how long it takes.",
        (
            Field(TRACE, "trace", multiline=True, table=True),
            Field(START, "starts at", INTERMEDIATE_FREQUENCY, required=False),
            Field(STOP, "stops at", INTERMEDIATE_FREQUENCY, required=False),
            Field(PASS, "a pass takes", DURATION, required=False),
        ),
        f"kHz;V ... {0.97 * centre / 1e3:.0f};0,02 ...",
    )


def _turn_ask(facts: ReceiverFacts, core: str, wanted: float | None) -> Ask:
    adjuster = facts.adjuster(core)
    if wanted is not None:
        # as it is said, in sixteenths
        wanted = round(16.0 * wanted) / 16.0
    how = f"by {turns(wanted)}" if wanted is not None else "by as much as you like"
    return Ask(
        f"{TURNED} {core}",
        f"Turn the {adjuster.name} {how}; enter what it was turned.",
        (Field("turns", "turn", TURNS, measurand=turn_of(core)),),
        f"{wanted:+.4g}" if wanted is not None else "+1/4",
        called=adjuster.name,
    )


def figures_results(facts: ReceiverFacts, swept: Swept) -> tuple[Result, ...]:
    """Centre, widths, lean and ripple of a sweep."""
    figures, answer = swept.figures, swept.answer
    window = centre_window(facts)
    limits = (khz(window.low or 0.0), khz(window.high or 0.0))
    six = figures.width(6.0)
    at_hz = six.centre_hz if six else figures.peak_hz
    word = "centre" if six else "peak"
    # an open round is judged by what is turned next, not as trouble of its own
    found = [result(answer, word, khz(at_hz), at_hz, window, limits, as_found=True)]
    for width in figures.widths:
        label = f"wide at -{width.down_db:g} dB"
        found.append(result(answer, label, khz(width.width_hz), width.width_hz, as_found=True))
    if six is not None:
        lean = figures.asymmetry_hz
        found.append(
            result(answer, "upper less lower half", f"{lean / 1e3:+.2f} kHz", lean, as_found=True)
        )
    if len(figures.humps_hz) > 1:
        ripple = figures.ripple_db
        found.append(
            result(
                answer,
                f"{len(figures.humps_hz)} humps, ripple",
                f"{ripple:.1f} dB",
                ripple,
                Window(None, 1.0),
                ("", "1 dB"),
                as_found=True,
            )
        )
    return tuple(found)


def _design(facts: ReceiverFacts) -> tuple[CanDesign, ...]:
    return tuple(_can(can) for can in facts.transformers)


def _can(can: IfTransformer) -> CanDesign:
    return CanDesign(can.cores, can.qs, (can.coupling_of_critical,) * (len(can.cores) - 1))


def _by_sheet(adjuster: Adjuster) -> Rate:
    """What a turn does by the sheet, the first guess; by the commonest core where it is silent."""
    known = adjuster.change_per_turn
    if known is None:
        return Rate(-0.5 * NORM_CHANGE, NORM_DOUBT)
    return Rate(-0.5 * known, SHEET_DOUBT)


def _since(
    record: JobRecord, swept: list[Swept], base: int, number: int
) -> tuple[tuple[str, float], ...]:
    """What was turned between two sweeps, in turns by core."""
    turned = record.turned_between(swept[base - 1].answer, swept[number - 1].answer)
    return tuple(sorted(turned.items()))


def _found(
    facts: ReceiverFacts,
    together: list[Swept],
    moved: tuple[tuple[tuple[str, float], ...], ...],
    rates: Mapping[str, Rate],
) -> CurveFinding:
    """What sweeps tell together: the first as it stood, the others after known moves."""
    doubts = {key: rate.doubt for key, rate in rates.items()}
    curves = [
        replace(
            _curve(one, {k: t * rates[k].change for k, t in turned if k in rates}),
            move_doubt=doubts,
        )
        for one, turned in zip(together, moved, strict=True)
    ]
    return which_core(_design(facts), facts.intermediate_frequency_hz, curves)


def _curve(swept: Swept, moved: dict[str, float]) -> SweptCurve:
    figures = swept.figures
    run = max(1, figures.frequency_hz.size // KEPT_POINTS)
    noise = max(unrest(figures.relative), LEAST_NOISE)
    return SweptCurve(figures.frequency_hz[::run], figures.relative[::run], moved, noise)


def _right(
    facts: ReceiverFacts, swept: Swept, finding: CurveFinding, turned: Mapping[str, float]
) -> bool:
    """Whether the curve stands on the IF and no core is told to be off."""
    six = swept.figures.width(6.0)
    at_hz = six.centre_hz if six else swept.figures.peak_hz
    window = centre_window(facts)
    if turned or not (window.low or 0.0) <= at_hz <= (window.high or 0.0):
        # a core that was moved to find another is not where it belongs
        return False
    return _nothing_found(facts, finding)


def _nothing_found(facts: ReceiverFacts, finding: CurveFinding) -> bool:
    """Whether no core is off, or by so little that turning it wins nothing."""
    first = finding.cores[0]
    can = facts.can_of(first.core)
    q = can.qs[can.cores.index(first.core)] if can else NORM_Q
    little = abs(first.offset) < RIGHT_HALF_WIDTHS * 0.5 / q
    return finding.none > SURE_ENOUGH or (little and finding.several < SURE_ENOUGH)


def _put_back(facts: ReceiverFacts, wanted: list[tuple[str, float]]) -> tuple[str, ...]:
    """No core was off after all: what was moved to see goes back."""
    return (
        "No core is off by what the eye could see: put back what was moved.",
        *(f"The {facts.adjuster(core).name}: {turns(t)}." for core, t in wanted),
    )


def _wanted(facts: ReceiverFacts, learnt: Learnt) -> list[tuple[str, float]]:
    """Which cores are turned now, and how far: the one that is sure, with those put back that were
    moved to find it; else the deciding moves."""
    finding, turned, rates = learnt.finding, learnt.turned, learnt.rates
    named = finding.named
    if named is not None:
        known = {**rates, **_learned(finding, rates)}
        home = -named.offset / known[named.core].change - turned.get(named.core, 0.0)
        back = [(core, -t) for core, t in turned.items() if core != named.core]
        # one that is left alone is not turned for being found
        return back if named.core in learnt.still else [(named.core, home), *back]
    cans = _design(facts)
    if turned:
        # another core of each can than the one that was moved already
        cans = tuple(replace(can, cores=can.cores[::-1], q=can.q[::-1]) for can in cans)
    # in each can one that moves
    free = [
        replace(can, cores=tuple(c for c in can.cores if c not in learnt.still)) for can in cans
    ]
    moves = deciding_moves([can for can in free if can.cores], finding)
    return [(core, shift / rates[core].change) for core, shift in moves.items()]


def _advice(
    facts: ReceiverFacts, finding: CurveFinding, wanted: list[tuple[str, float]]
) -> tuple[str, ...]:
    way = "high" if finding.too_high > SURE_ENOUGH else "low"
    named = finding.named
    if finding.several > SURE_ENOUGH:
        return (
            "Several cores are off: peak each by a meter first (another indicator), then sweep for "
            "the shape. Or go on here, one known move at a time.",
        )
    if named is not None:
        name = facts.adjuster(named.core).name
        off_hz = named.offset * facts.intermediate_frequency_hz
        good_hz = named.doubt * facts.intermediate_frequency_hz
        said = dict(wanted)
        what = f"turn it {turns(said[named.core])}" if named.core in said else "it is left alone"
        return (
            f"The {name} stands {khz(abs(off_hz))} too {way} "
            f"({100 * named.probability:.0f} %, good to {khz(good_hz)}): {what}.",
            *(
                f"Put the {facts.adjuster(core).name} back: {turns(t)}."
                for core, t in wanted
                if core != named.core
            ),
        )
    likely = ", ".join(
        f"{facts.adjuster(f.core).name} {100 * f.probability:.0f} %" for f in finding.cores[:4]
    )
    moves = ", ".join(f"{facts.adjuster(core).name} {turns(t)}" for core, t in wanted)
    return (
        f"One core stands too {way}; which one this curve cannot tell ({likely}). Small known "
        f"moves decide: {moves}. Then sweep again.",
    )


def sweep_plot(
    facts: ReceiverFacts, swept: list[Swept], finding: CurveFinding | None
) -> Plot | None:
    """The latest sweep with what was fitted to it, over the first and over what the sheet's cans
    do."""
    if not swept:
        return None
    last, first = swept[-1], swept[0]
    lines = [PlotLine("by the sheet", "expected", *_sampled(*_nominal(facts, last.figures)))]
    if first is not last:
        lines.append(
            PlotLine(
                "as found", "found", *_sampled(first.figures.frequency_hz, first.figures.relative)
            )
        )
    lines.append(
        PlotLine(
            "swept now", "measured", *_sampled(last.figures.frequency_hz, last.figures.relative)
        )
    )
    if finding is not None:
        run = max(1, last.figures.frequency_hz.size // KEPT_POINTS)
        fitted = finding.fitted_v / float(np.max(finding.fitted_v))
        lines.append(
            PlotLine("fitted", "left", *_sampled(last.figures.frequency_hz[::run], fitted))
        )
    window = centre_window(facts)
    marks = [
        PlotMark(facts.intermediate_frequency_hz / 1e3, "IF", "nominal"),
        PlotMark((window.low or 0.0) / 1e3, "", "limit"),
        PlotMark((window.high or 0.0) / 1e3, "", "limit"),
    ]
    six = last.figures.width(6.0)
    title = "Sweep of the IF"
    if six is not None:
        title += f": centre {khz(six.centre_hz)}, {khz(six.width_hz)} wide at -6 dB"
        marks += [PlotMark(f / 1e3, f"-6 dB {khz(f)}", "edge") for f in (six.low_hz, six.high_hz)]
    return Plot(title, "kHz", "dB from the highest", tuple(lines), marks=tuple(marks), main=True)


def _sampled(
    frequency_hz: np.ndarray, relative: np.ndarray
) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """A line as it is drawn: neighbours averaged, and nothing of the ground that noise makes."""
    run = max(1, frequency_hz.size // PLOT_POINTS)
    kept = frequency_hz.size // run * run
    row, level = (np.mean(x[:kept].reshape(-1, run), axis=1) for x in (frequency_hz, relative))
    down = 20.0 * np.log10(np.maximum(level, 1e-3))
    seen = np.flatnonzero(down > LOWEST_DB)
    shown = slice(int(seen[0]), int(seen[-1]) + 1)
    points = zip(row[shown], np.maximum(down[shown], LOWEST_DB), strict=True)
    xs, ys = zip(*((float(f) / 1e3, float(d)) for f, d in points), strict=True)
    return xs, ys


def _nominal(facts: ReceiverFacts, figures: CurveFigures) -> tuple[np.ndarray, np.ndarray]:
    volts = design_response(facts, figures.frequency_hz)
    return figures.frequency_hz, volts / float(np.max(volts))


def design_response(facts: ReceiverFacts, frequency_hz: np.ndarray) -> np.ndarray:
    """What the sheet's cans do with every core right, without a constant factor."""
    volts = np.ones(frequency_hz.size)
    for can in _design(facts):
        centres = (facts.intermediate_frequency_hz,) * len(can.cores)
        volts = volts * np.abs(CanShape(centres, can.q, can.coupling).transfer(frequency_hz))
    return np.asarray(volts)


def sweep_set_up(situation: Situation) -> tuple[str, ...]:
    """How the sweep is set; empty while it is still worked out."""
    facts, generator = situation.facts, situation.equipment.generator
    sync_hz = generator.sync_hz if generator else None
    told = situation.memory.recall(
        (
            "sweep set-up",
            _design(facts),
            facts.intermediate_frequency_hz,
            facts.circuit.avc,
            sync_hz,
        ),
        lambda: (set_up_words(facts, sync_hz),),
    )
    return told[0] if told else ()


def set_up_words(facts: ReceiverFacts, sync_hz: float | None) -> tuple[str, ...]:
    """How the sweep is set: span, divisions, time, trigger, coupling, polarity; how slow is slow
    enough on the AVC line, and what a fast pass does to the curve."""
    centre = facts.intermediate_frequency_hz
    width = centre / min(q for can in facts.transformers for q in can.qs)
    per_division = float(f"{SPAN_WIDTHS * width / DIVISIONS:.0e}")
    span = per_division * DIVISIONS
    row = np.linspace(centre - 0.5 * span, centre + 0.5 * span, 401)
    volts = design_response(facts, row)
    law = facts.circuit.avc
    volts = volts / float(np.max(volts)) * 4.0 * law.control_v_per_neper
    loop = Loop(law.control_v_per_neper, law.delay_v)
    allowed = ALLOWED_SHIFT * width
    words = [
        f"span {khz(span)}, {khz(per_division)} a division, {khz(row[0])} to {khz(row[-1])}",
        "trigger from the generator's sync, DC coupled, inverted if the trace goes down",
        "AVC clamped and the detector shown where it can be; linear sweep",
    ]
    try:
        open_s = slow_enough_s(row, volts, law.time_constant_s, allowed)
        live_s = slow_enough_s(row, volts, law.time_constant_s, allowed, loop=loop)
        fast = lagged(row, volts, live_s / 5.0, law.time_constant_s, loop=loop)
        words.append(
            f"on the AVC line a pass of {live_s:.2g} s or slower ({open_s:.2g} s behind its filter "
            f"with the loop open) keeps the peak within {engineering(allowed, 'Hz')}; five times "
            f"faster it stands {khz(abs(fast.peak_shift_hz))} off, {fast.loss_db:.1f} dB low"
        )
    except BadInput:
        words.append("the AVC line's filter is too slow for any sweep: clamp it")
    if sync_hz is not None and 0.0 < sync_hz < centre:
        words.append(
            f"this generator cannot sync above {khz(sync_hz)}: trigger from the sweep's own ramp, "
            "or survey point by point by another indicator"
        )
    return tuple(words)
