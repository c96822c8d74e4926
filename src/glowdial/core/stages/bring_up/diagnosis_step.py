"""What ails the supply: one more set of readings when the ramp was not what it should be."""

from __future__ import annotations

from glowdial.core.journey.record import Answer, JobRecord
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
from glowdial.core.language.quantities import AC_VOLTS, CURRENT, DC_VOLTS, engineering, significant
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import Supply, Waveform
from glowdial.core.physics.supply.rampup import SURELY_WARM_FROM
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.bring_up.ramp_step import Ramp, ramp_pairs
from glowdial.core.stages.bring_up.supply_diagnosis import (
    NEAR,
    Cause,
    Diagnosis,
    Excess,
    SupplyReading,
    Suspicion,
    decide_excess,
    diagnose,
)

DIAGNOSIS = "bring-up.diagnosis"
TOLERANCE, RIPPLE_HIGH = 0.10, 1.5
LAST_RAMP_READINGS = 3
FIVE_MINUTES_S = 300.0


def diagnosis_steps(facts: ReceiverFacts, record: JobRecord, ramp: Ramp) -> list[Step]:
    """The step, once the ramp is through and something of it is wrong; otherwise none."""
    supply = facts.supply
    if supply is None or not ramp.suspect or supply.waveform is Waveform.BATTERY:
        return []
    return [_diagnosis(supply, facts, record)]


def _diagnosis(supply: Supply, facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = _nodes_ask(supply)
    answer = record.latest(DIAGNOSIS, ask.key)
    spoiled = record.last_touch((), ("supply",))
    fresh = answer is not None and answer.seq > spoiled
    readings = _readings(supply, record, answer) if fresh and answer else ()
    found = diagnose(supply, readings, facts.circuit.heaters) if readings else None
    remaining: Ask | None = None if fresh else ask
    more: tuple[str, ...] = ()
    if found is not None and answer is not None and found.first.cause is Cause.EXCESS:
        remaining, more = _which_excess(supply, record, answer, found)
    step = Step(
        DIAGNOSIS,
        Stage.BRING_UP,
        "Find what ails the supply: volts and ripple at both capacitors",
        "B+ alone cannot tell a tired rectifier from a heavier load; the drop across the filter "
        "tells the current, and the ripple tells the capacitors.",
        results=_results(supply, answer, spoiled) if answer else (),
        advice=(*_advice(found), *more) if found else (),
        leads=(
            Lead("DC meter", "clips", "reservoir and chassis, then last capacitor and chassis"),
            Lead("AC meter or scope", "0.1 uF, 630 V", "the same two places"),
        ),
        powered=True,
        cost=_cost(found) if found else "",
    )
    return settle(step, remaining=remaining, retake=ask)


def _nodes_ask(supply: Supply) -> Ask:
    line_v = supply.line_v
    expected = steady_state(supply, line_v)
    first_v, last_v = expected.node_v[0], expected.node_v[-1]
    ripple_v = expected.ripple_v[0], expected.ripple_v[-1]
    return Ask(
        "nodes",
        "At full line, warm: volts at the reservoir and at the last capacitor, then the ripple at "
        "both, peak to peak (a meter's AC volts times 3.5); line current, if you can.",
        (
            Field("reservoir", "reservoir", DC_VOLTS, nominal=expected.node_v[0]),
            Field("b_plus", "B+", DC_VOLTS, nominal=expected.node_v[-1]),
            Field("ripple_first", "reservoir ripple", AC_VOLTS),
            Field("ripple_last", "B+ ripple", AC_VOLTS),
            Field("current", "line current", CURRENT, required=False),
        ),
        " ".join(significant(v, 3) for v in (first_v, last_v, *ripple_v)),
        expected_text=f"healthy: {significant(first_v, 3)} V and {significant(last_v, 3)} V, "
        f"ripple {engineering(ripple_v[0], 'V', 2)} and {engineering(ripple_v[1], 'V', 2)}",
        recipe=Recipe(
            Doing.READ,
            meters=(
                ("reservoir", "reservoir"),
                ("b_plus", "b-plus"),
                ("ripple_first", "ripple reservoir"),
                ("ripple_last", "ripple b-plus"),
            ),
            line_v=line_v,
            lamp_w=0.0,
        ),
    )


def _which_excess(
    supply: Supply, record: JobRecord, nodes: Answer, found: Diagnosis
) -> tuple[Ask | None, tuple[str, ...]]:
    """A leak or an overload: by a second reading after five minutes, then by a lifted lead."""
    before_v = nodes.values["b_plus"]
    timed = _after(record, "timed", nodes.seq)
    if timed is None:
        ask = Ask(
            "timed",
            "Five minutes at steady line, then B+ again.",
            (Field("b_plus", "B+", DC_VOLTS, nominal=before_v),),
            f"{before_v:.0f}",
            expected_text=f"{before_v:.0f} V if nothing changes; a filter that re-forms lets it "
            "rise",
            recipe=Recipe(
                Doing.READ,
                meters=(("b_plus", "b-plus"),),
                line_v=supply.line_v,
                wait_s=FIVE_MINUTES_S,
            ),
        )
        return ask, ()
    extra = found.first.severity
    verdict = decide_excess(supply, extra, before_v=before_v, after_v=timed.values["b_plus"])
    if verdict.kind is not Excess.NEAR:
        return None, (verdict.words,)
    lifted = _after(record, "lifted", nodes.seq)
    if lifted is None:
        ask = Ask(
            "lifted",
            "Power off, discharge, lift the filter's lead behind the reservoir; then full line and "
            "the reservoir alone.",
            (Field("reservoir", "reservoir", DC_VOLTS),),
            f"{supply.unloaded_peak_v:.0f}",
            expected_text=verdict.words,
            recipe=Recipe(
                Doing.READ,
                meters=(("reservoir", "reservoir"),),
                line_v=supply.line_v,
                load_lifted=True,
            ),
            makes=(("lifted lead", "behind the reservoir"),),
        )
        return ask, (verdict.words,)
    decided = decide_excess(supply, extra, lifted_v=lifted.values["reservoir"])
    words = f"{decided.kind.capitalize()}. {decided.words}"
    return None, (words, "Put the lifted lead back.")


def _after(record: JobRecord, ask: str, seq: int) -> Answer | None:
    answer = record.latest(DIAGNOSIS, ask)
    return answer if answer is not None and answer.seq > seq else None


def _readings(supply: Supply, record: JobRecord, answer: Answer) -> tuple[SupplyReading, ...]:
    """The values at full line, and the warm ones of the ramp."""
    v = answer.values
    between = (None,) * (len(supply.sections) - 1)
    full = SupplyReading(
        supply.line_v,
        (v["reservoir"], *between, v["b_plus"]),
        (v["ripple_first"], *between, v["ripple_last"]),
        v.get("current"),
    )
    nothing = (None,) * len(supply.sections)
    warm = [
        SupplyReading(ac, (*nothing, b_plus))
        for ac, b_plus in ramp_pairs(record, record.last_touch((), ("supply",)))
        if ac >= SURELY_WARM_FROM * supply.line_v and b_plus > 0.0
    ]
    return (full, *warm[-LAST_RAMP_READINGS:])


def _results(supply: Supply, answer: Answer, spoiled: int) -> tuple[Result, ...]:
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
            label,
            engineering(answer.values[key], "V"),
            answer.values[key],
            windows[key],
            (f"{windows[key].low:.3g} V", f"{windows[key].high:.3g} V"),
            seq=answer.seq,
            ask=answer.ask,
            stale=answer.seq < spoiled,
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
