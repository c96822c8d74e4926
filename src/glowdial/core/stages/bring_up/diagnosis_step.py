"""What ails the supply: one more set of readings when the ramp was not what it should be."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.pictures import Probe, SupplyPicture
from glowdial.core.journey.readings import Reading, conclude, reading
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Result, Step, result
from glowdial.core.language.quantities import (
    AC_VOLTS,
    CURRENT,
    DC_VOLTS,
    HERTZ,
    engineering,
    significant,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import (
    B_PLUS,
    B_PLUS_RIPPLE,
    LINE_CURRENT,
    RESERVOIR,
    RESERVOIR_RIPPLE,
)
from glowdial.core.physics.supply.circuit import Supply, Waveform
from glowdial.core.physics.supply.discharge import discharged_v
from glowdial.core.physics.supply.rampup import SURELY_WARM_FROM
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.safety.cautions import Activity, common_rail
from glowdial.core.stages.bring_up.excess_current import Excess, decide_excess
from glowdial.core.stages.bring_up.gate_steps import STAGE
from glowdial.core.stages.bring_up.ramp_step import RIPPLE_HIGH, SUPPLY, Ramp, drawn_at, ramp_pairs
from glowdial.core.stages.bring_up.supply_causes import (
    NEAR,
    Cause,
    Diagnosis,
    SupplyReading,
    Suspicion,
    check_possible_nodes,
)
from glowdial.core.stages.bring_up.supply_diagnosis import diagnose
from glowdial.core.stages.bring_up.supply_picture import supply_picture

DIAGNOSIS = "bring-up.diagnosis"
TOLERANCE = 0.10
LAST_RAMP_READINGS = 3
LIFTED = "lifted"
# so soon after switching off a hand is at the filter
HAND_GOES_IN_S = 10.0
FIVE_MINUTES_S = 300.0
LOAD_LIFTED = "load"
SUPPLY_PARTS = Basis(areas=(SUPPLY,))


def diagnosis_steps(situation: Situation, ramp: Ramp) -> list[Step]:
    """The step, once the ramp is through and something of it is wrong; otherwise none."""
    supply = situation.facts.supply
    if supply is None or not ramp.suspect or supply.waveform is Waveform.BATTERY:
        return []
    return [_diagnosis(supply, situation)]


def _diagnosis(supply: Supply, situation: Situation) -> Step:
    record, heaters = situation.record, situation.facts.circuit.heaters
    rail = common_rail(situation.facts)
    nodes = reading(record, DIAGNOSIS, _nodes_ask(supply, situation.facts), SUPPLY_PARTS)
    step = Step(
        DIAGNOSIS,
        STAGE,
        "Find what ails the supply: volts and ripple at both capacitors",
        "B+ alone cannot tell a tired rectifier from a heavier load; the drop across the filter "
        "tells the current, and the ripple tells the capacitors.",
        results=_results(supply, nodes.answer, stale=nodes.stale) if nodes.answer else (),
        leads=(
            Lead("DC meter", "clips", f"reservoir and {rail}, then last capacitor and {rail}"),
            Lead("AC meter or scope", "0.1 uF, 630 V", "the same two places"),
        ),
        powered=True,
    )
    step = replace(step, show=lambda: _picture(situation, step.results, None))
    if nodes.fresh is None:
        return conclude(step, (nodes,), retake=nodes.ask)
    taken = _readings(supply, record, nodes.fresh)
    found = situation.memory.recall(
        ("diagnosis", supply, taken, heaters), lambda: diagnose(supply, taken, heaters)
    )
    if found is None:
        return replace(conclude(step, (nodes,), retake=nodes.ask), thinking=True)
    further: list[Reading] = []
    more: tuple[str, ...] = ()
    if found.first.cause is Cause.EXCESS:
        further, more = _which_excess(supply, record, nodes.fresh, found)
    drawn = _picture(situation, step.results, found)
    step = replace(
        step, advice=(*_advice(found), *more), cost=_cost(found), picture=drawn, show=None
    )
    settled = conclude(step, (nodes, *further), retake=nodes.ask)
    if settled.ask is not None and settled.ask.key == LIFTED and settled.picture is not None:
        # the hand goes in between: what stands there then is what counts
        return replace(settled, picture=_running_out(supply, settled.picture, nodes.fresh))
    return settled


def _running_out(supply: Supply, picture: SupplyPicture, answer: Answer) -> SupplyPicture:
    """The supply with what each capacitor still holds a while after switching off."""
    left_v = discharged_v(supply, HAND_GOES_IN_S, start_v=answer.values["reservoir"])
    nodes = tuple(
        replace(node, expected=f"{volts:.0f} V, {HAND_GOES_IN_S:.0f} s off")
        for node, volts in zip(picture.nodes, left_v, strict=True)
    )
    return replace(picture, nodes=nodes)


def _picture(
    situation: Situation, results: tuple[Result, ...], found: Diagnosis | None
) -> SupplyPicture | None:
    """The supply at full line, volts where they were read, and who is suspected."""
    supply = situation.facts.supply
    if supply is None:
        return None
    last = len(supply.sections)
    by_label = {r.label: r for r in results}
    read = {n: by_label[k] for n, k in ((0, "reservoir"), (last, "B+")) if k in by_label}
    return supply_picture(
        situation.facts,
        steady_state(supply, supply.line_v).node_v,
        read,
        line_v=supply.line_v,
        probes=(Probe(0, "V", "first here"), Probe(last, "V", "then here")),
        suspicions=found.suspicions if found else (),
        record=situation.record,
    )


def _nodes_ask(supply: Supply, facts: ReceiverFacts) -> Ask:
    line_v = supply.line_v
    expected = steady_state(supply, line_v)
    first_v, last_v = expected.node_v[0], expected.node_v[-1]
    ripple_v = expected.ripple_v[0], expected.ripple_v[-1]
    return Ask(
        "nodes",
        "At full line, warm: volts at the reservoir and at the last capacitor, then the ripple at "
        "both, peak to peak (a meter's AC volts times 3.5); line current and the ripple's "
        "frequency, if you can.",
        (
            Field("reservoir", "reservoir", DC_VOLTS, nominal=first_v, measurand=RESERVOIR),
            Field("b_plus", "B+", DC_VOLTS, nominal=last_v, measurand=B_PLUS),
            Field("ripple_first", "reservoir ripple", AC_VOLTS, measurand=RESERVOIR_RIPPLE),
            Field("ripple_last", "B+ ripple", AC_VOLTS, measurand=B_PLUS_RIPPLE),
            Field(
                "current",
                "line current",
                CURRENT,
                required=False,
                nominal=drawn_at(facts, line_v),
                measurand=LINE_CURRENT,
            ),
            Field("ripple_hz", "ripple's frequency", HERTZ, required=False),
        ),
        " ".join(significant(v, 3) for v in (first_v, last_v, *ripple_v)),
        expected_text=f"healthy: {significant(first_v, 3)} V and {significant(last_v, 3)} V, "
        f"ripple {engineering(ripple_v[0], 'V', 2)} and {engineering(ripple_v[1], 'V', 2)}",
        recipe=Recipe(Doing.READ, setting(line_v=line_v, lamp_w=0.0)),
    )


def check_nodes(facts: ReceiverFacts, values: Mapping[str, float]) -> None:
    """Raises BadInput for volts or ripple that this supply cannot give."""
    if facts.supply is None:
        return
    nodes = tuple(values[n] for n in ("reservoir", "b_plus") if n in values)
    ripple = tuple(values[n] for n in ("ripple_first", "ripple_last") if n in values)
    check_possible_nodes(facts.supply, facts.supply.line_v, nodes, ripple)


def _which_excess(
    supply: Supply, record: JobRecord, nodes: Answer, found: Diagnosis
) -> tuple[list[Reading], tuple[str, ...]]:
    """A leak or an overload: by a second reading after five minutes, then by a lifted lead."""
    before_v = nodes.values["b_plus"]
    after_nodes = Basis(after=(nodes,))
    timed = reading(record, DIAGNOSIS, _timed_ask(supply, before_v), after_nodes)
    if timed.fresh is None:
        return [timed], ()
    extra = found.first.severity
    verdict = decide_excess(supply, extra, before_v=before_v, after_v=timed.fresh.values["b_plus"])
    if verdict.kind is not Excess.NEAR:
        return [timed], (verdict.words,)
    lifted = reading(record, DIAGNOSIS, _lifted_ask(supply, verdict.words), after_nodes)
    if lifted.fresh is None:
        return [timed, lifted], (verdict.words,)
    decided = decide_excess(supply, extra, lifted_v=lifted.fresh.values["reservoir"])
    words = f"{decided.kind.capitalize()}. {decided.words}"
    return [timed, lifted], (words, "Put the lifted lead back.")


def _timed_ask(supply: Supply, before_v: float) -> Ask:
    return Ask(
        "timed",
        "Five minutes at steady line, then B+ again.",
        (Field("b_plus", "B+", DC_VOLTS, nominal=before_v, measurand=B_PLUS),),
        f"{before_v:.0f}",
        expected_text=f"{before_v:.0f} V if nothing changes; a filter that re-forms lets it rise",
        recipe=Recipe(Doing.READ, setting(line_v=supply.line_v), wait_s=FIVE_MINUTES_S),
    )


def _lifted_ask(supply: Supply, words: str) -> Ask:
    return Ask(
        LIFTED,
        "Power off, discharge, lift the filter's lead behind the reservoir; then full line and "
        "the reservoir alone.",
        (Field("reservoir", "reservoir", DC_VOLTS, measurand=RESERVOIR),),
        f"{supply.unloaded_peak_v:.0f}",
        expected_text=words,
        recipe=Recipe(Doing.READ, setting(line_v=supply.line_v, lifted=(LOAD_LIFTED,))),
        makes=(("lifted lead", "behind the reservoir"),),
        does=(Activity.LIFTING,),
    )


def _readings(supply: Supply, record: JobRecord, answer: Answer) -> tuple[SupplyReading, ...]:
    """The values at full line, and the warm ones of the ramp."""
    v = answer.values
    between = (None,) * (len(supply.sections) - 1)
    full = SupplyReading(
        supply.line_v,
        (v["reservoir"], *between, v["b_plus"]),
        (v["ripple_first"], *between, v["ripple_last"]),
        v.get("current"),
        v.get("ripple_hz"),
    )
    nothing = (None,) * len(supply.sections)
    warm = [
        SupplyReading(ac, (*nothing, b_plus))
        for ac, b_plus in ramp_pairs(record, SUPPLY_PARTS)
        if ac >= SURELY_WARM_FROM * supply.line_v and b_plus > 0.0
    ]
    return (full, *warm[-LAST_RAMP_READINGS:])


def _results(supply: Supply, answer: Answer, *, stale: bool) -> tuple[Result, ...]:
    point = steady_state(supply, supply.line_v)
    volts = (("reservoir", point.node_v[0]), ("b_plus", point.node_v[-1]))
    ripple = (("ripple_first", point.ripple_v[0]), ("ripple_last", point.ripple_v[-1]))
    windows = {k: Window(v * (1 - TOLERANCE), v * (1 + TOLERANCE), v) for k, v in volts}
    windows |= {k: Window(0.0, v * RIPPLE_HIGH, v) for k, v in ripple}
    labels = {
        "reservoir": "reservoir",
        "b_plus": "B+",
        "ripple_first": "reservoir ripple",
        "ripple_last": "B+ ripple",
    }
    return tuple(
        result(
            answer,
            label,
            engineering(answer.values[key], "V"),
            answer.values[key],
            windows[key],
            (f"{windows[key].low:.3g} V", f"{windows[key].high:.3g} V"),
            stale=stale,
        )
        for key, label in labels.items()
    )


def _advice(found: Diagnosis) -> tuple[str, ...]:
    likely = [s for s in found.suspicions if s.probability >= NEAR] or [found.first]
    lines = [_sure(s) for s in likely]
    if found.first.cause is Cause.TIRED:
        lines.append(
            f"Its rectifier stands for {engineering(found.rectifier_ohm, 'ohm')}, a healthy one "
            f"for {engineering(found.healthy_ohm, 'ohm')}."
        )
    if found.next_measurement:
        lines.append(found.next_measurement)
    return tuple(lines)


def _sure(suspicion: Suspicion) -> str:
    return (
        f"{suspicion.cause.capitalize()} ({100.0 * suspicion.probability:.0f} %): {suspicion.words}"
    )


def _cost(found: Diagnosis) -> str:
    if found.first.cause is Cause.HEALTHY:
        return ""
    return f"the supply stays with: {found.first.cause}"
