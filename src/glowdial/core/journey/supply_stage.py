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
from glowdial.core.quantities import AC_VOLTS, DC_VOLTS, engineering
from glowdial.core.receiver import ReceiverFacts
from glowdial.core.supply.circuit import Supply, Waveform
from glowdial.core.supply.diagnosis import (
    NEAR,
    Cause,
    Diagnosis,
    SupplyReading,
    Suspicion,
    diagnose,
)
from glowdial.core.supply.rampup import SURELY_WARM_FROM
from glowdial.core.supply.steady import steady_state
from glowdial.core.windows import Window

DIAGNOSIS = "bring-up.diagnosis"
TOLERANCE, RIPPLE_HIGH = 0.10, 1.5
LAST_RAMP_READINGS = 3


def diagnosis_steps(facts: ReceiverFacts, record: JobRecord, ramp: Step, tired: bool) -> list[Step]:
    """The step, once the ramp is through and something of it is wrong; otherwise none."""
    outside = any(r.judgement.verdict.outside for r in ramp.results)
    if facts.supply is None or len(facts.supply.sections) != 1 or not (outside or tired):
        return []
    if facts.supply.waveform is Waveform.BATTERY:
        return []
    if ramp.ask is not None and not ramp.retake:
        return []
    return [_diagnosis(facts.supply, record)]


def _diagnosis(supply: Supply, record: JobRecord) -> Step:
    line_v = supply.line_v
    expected = steady_state(supply, line_v)
    ask = Ask(
        "nodes",
        "At full line, warm: volts at the reservoir and at the last capacitor, then the ripple at "
        "both, peak to peak (a meter's AC volts times 3.5).",
        (
            Field("reservoir", "reservoir", DC_VOLTS, nominal=expected.node_v[0]),
            Field("b_plus", "B+", DC_VOLTS, nominal=expected.node_v[-1]),
            Field("ripple_first", "reservoir ripple", AC_VOLTS),
            Field("ripple_last", "B+ ripple", AC_VOLTS),
        ),
        f"{expected.node_v[0]:.0f} {expected.node_v[-1]:.0f} "
        f"{expected.ripple_v[0]:.0f} {expected.ripple_v[-1]:.1f}",
        expected_text=f"healthy: {expected.node_v[0]:.0f} V and {expected.node_v[-1]:.0f} V, "
        f"ripple {expected.ripple_v[0]:.1f} V and {expected.ripple_v[-1]:.2f} V",
        recipe=Recipe(
            Doing.READ,
            meters=(
                ("reservoir", "reservoir"),
                ("b_plus", "b-plus"),
                ("ripple_first", "ripple reservoir"),
                ("ripple_last", "ripple b-plus"),
            ),
            line_v=line_v,
        ),
    )
    answer = record.latest(DIAGNOSIS, ask.key)
    spoiled = record.last_touch((), ("supply",))
    fresh = answer is not None and answer.seq > spoiled
    found = diagnose(supply, _readings(supply, record, answer)) if fresh and answer else None
    step = Step(
        DIAGNOSIS,
        Stage.BRING_UP,
        "Find what ails the supply: volts and ripple at both capacitors",
        "B+ alone cannot tell a tired rectifier from a heavier load; the drop across the filter "
        "tells the current, and the ripple tells the capacitors.",
        results=_results(supply, answer, spoiled) if answer else (),
        advice=_advice(found) if found else (),
        leads=(
            Lead("DC meter", "clips", "reservoir and chassis, then last capacitor and chassis"),
            Lead("AC meter or scope", "0.1 uF, 630 V", "the same two places"),
        ),
        powered=True,
        cost=_cost(found) if found else "",
    )
    return settle(step, remaining=None if fresh else ask, retake=ask)


def _readings(supply: Supply, record: JobRecord, answer: Answer) -> tuple[SupplyReading, ...]:
    """The four values at full line, and the warm ones of the ramp."""
    v = answer.values
    full = SupplyReading(
        supply.line_v,
        (v["reservoir"], v["b_plus"]),
        (v["ripple_first"], v["ripple_last"]),
    )
    warm = [
        SupplyReading(a.values["ac"], (None, a.values["b_plus"]))
        for a in record.of_step("bring-up.ramp")
        if a.values["ac"] >= SURELY_WARM_FROM * supply.line_v and a.values["b_plus"] > 0.0
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
