"""The swept school: set up, sweep, see which core to turn and how far, sweep again.

Each sweep is kept as the table that it came as. What it shows is compared with the cans of the
sheet: a core is named only when it is sure; else a small known move in each can decides.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from glowdial.core.alignment.curve import unrest
from glowdial.core.alignment.which_core import (
    CurveFinding,
    SweptCurve,
    deciding_moves,
    which_core,
)
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import (
    Ask,
    Field,
    Lead,
    Status,
    Step,
)
from glowdial.core.language.quantities import (
    TURNS,
    khz,
    turns,
)
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import turn_of
from glowdial.core.stages.intermediate.adjusters import NORM_Q, standing
from glowdial.core.stages.intermediate.goal import cans_by_design
from glowdial.core.stages.intermediate.indicators import Indicator
from glowdial.core.stages.intermediate.rates import LEAST_RATE_DOUBT, NORM_DOUBT, Rate, rates_of
from glowdial.core.stages.intermediate.survey import STAGE, centre_window, fed_at
from glowdial.core.stages.intermediate.sweep_picture import KEPT_POINTS, figures_results, sweep_plot
from glowdial.core.stages.intermediate.sweep_set_up import sweep_set_up
from glowdial.core.stages.intermediate.sweep_traces import (
    MOST_ROUNDS,
    SWEEP,
    Swept,
    law_ask,
    sweeps_of,
    trace_ask,
)

TURNED = "turned"
# a core this far off, in half-bandwidths of its own, is still to be turned
RIGHT_HALF_WIDTHS = 0.2
SURE_ENOUGH = 0.5
# no model of a can is truer than this
LEAST_NOISE = 0.005
# a move that says little more than was known of a turn teaches nothing
TEACHING, LIKE_DOUBT = 0.6, 0.3


def sweep_rounds(situation: Situation, shown_by: Indicator) -> list[Step]:
    """Sweeps until what they show is right, each with what is turned after it."""
    facts, record = situation.facts, situation.record
    swept = sweeps_of(record)
    steps: list[Step] = []
    base = 1
    rates: Mapping[str, Rate] = rates_of(facts, record)
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
        leads=(
            Lead("sweep generator", "10 nF", fed_at(facts, "mixer grid"), signal=True),
            shown_by.lead,
        ),
        controls=sweep_set_up(situation),
        powered=True,
        draw=lambda: sweep_plot(facts, swept[:number], None, record),
        others=(law_ask(),),
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
        (
            "which core",
            cans_by_design(facts, record),
            together,
            moved,
            tuple(sorted(seen.rates.items())),
        ),
        lambda: (_found(situation, swept[seen.base - 1 : number], moved, seen.rates),),
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
    step = replace(step, draw=lambda: sweep_plot(facts, swept, finding, record))
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
    step = replace(step, others=(*others, law_ask()) if open_still else ())
    any_turned = any(record.turned_in(step.key, core) for core in facts.if_adjusters())
    # the asks that are left go on until each is answered, or something else was turned
    left = asks if not any_turned or any(a.fresh is not None for a in asks) else []
    done = any_turned and all(a.fresh is not None for a in left)
    return SweepRound(
        conclude(step, (found, *left)), last=not done, named=home or finding.named is not None
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
        swept=core,
    )


def _since(
    record: JobRecord, swept: list[Swept], base: int, number: int
) -> tuple[tuple[str, float], ...]:
    """What was turned between two sweeps, in turns by core."""
    turned = record.turned_between(swept[base - 1].answer, swept[number - 1].answer)
    return tuple(sorted(turned.items()))


def _found(
    situation: Situation,
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
    return which_core(
        cans_by_design(situation.facts, situation.record),
        situation.facts.intermediate_frequency_hz,
        curves,
    )


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
    cans = cans_by_design(facts)
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
