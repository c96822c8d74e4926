"""The ramp: AC in with B+, ripple, current and what is seen, judged against this set's own supply.

In held steps, continuous with the expectation moving along, or behind a limiter lamp; each reading
has its own window, computed for the volts that were really there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.pictures import SupplyPicture
from glowdial.core.journey.readings import Reading, asked_at, conclude, planned, reading, waiting
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Result, Step, result
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    AC_VOLTS,
    CURRENT,
    DC_VOLTS,
    engineering,
    parse,
    significant,
    supply_volts,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import (
    B_PLUS,
    B_PLUS_RIPPLE,
    LINE,
    LINE_CURRENT,
    SET_INPUT,
    Measurand,
)
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.line_current import behind_lamp_v, expected_line_a
from glowdial.core.physics.supply.rampup import (
    RampPhase,
    RectifierWear,
    expectation,
    fit_wear,
)
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.safety.cautions import common_rail
from glowdial.core.stages.bring_up.gate_steps import (
    SCHOOL,
    STAGE,
    lamp_of,
    on_batteries,
    ramp_school,
    source_words,
    supply_leads,
)
from glowdial.core.stages.bring_up.ramp_drawing import ramp_picture, ramp_plot
from glowdial.core.stages.bring_up.ramp_schools import (
    CONTINUOUS_FROM,
    CONTINUOUS_STEP,
    FULL_FROM,
    RampSchool,
    fractions,
)
from glowdial.core.stages.bring_up.stop_rules import (
    SEEN,
    RampReading,
    check_order,
    check_possible,
    most_line_a,
    stop_reasons,
)

RAMP = "bring-up.ramp"
HELD, GLIDING, BEHIND_LAMP = "held", "c", "lamp"
MOST_CONTINUOUS = 40
HELD_TOLERANCE = 0.08
RIPPLE_HIGH = 1.5
SUPPLY, RIPPLE = "supply", "ripple"


@dataclass(frozen=True, slots=True)
class Ramp:
    """The step, its wear fit, and whether a ripple speaks of capacity: then there is no fit."""

    step: Step
    wear: RectifierWear | None
    ripple_high: bool

    @property
    def suspect(self) -> bool:
        """Something of it is wrong, and it is through."""
        outside = any(r.judgement.verdict.outside for r in self.step.results)
        tired = self.wear is not None and self.wear.tired
        through = self.step.ask is None or self.step.retake
        return through and (outside or tired or self.ripple_high)


def ramp_basis(record: JobRecord) -> Basis:
    """Another school, or a changed supply, is a new ramp."""
    return Basis(areas=(SUPPLY,), after=(record.latest(SCHOOL, "school"),))


def ramp_of(situation: Situation) -> Ramp:
    """The ramp by the school that was chosen."""
    facts, record = situation.facts, situation.record
    line_v = facts.nominal_line_v
    basis = ramp_basis(record)
    programme = planned(
        record,
        RAMP,
        (f * line_v for f in fractions(ramp_school(record))),
        record.latest(SCHOOL, "school"),
    )
    found = _readings(facts, record, line_v, programme, basis)
    results = [
        shown
        for r in found
        if r.answer is not None
        for shown in _results(facts, r.answer, stale=r.stale)
    ]
    pairs = ramp_pairs(record, basis)
    supply = facts.supply
    wear, thinking = None, False
    ripple_high = _says_capacity(facts, record, results)
    if supply is not None and waiting(found) is None and not ripple_high:
        known = situation.memory.recall(("wear", supply, pairs), lambda: (fit_wear(supply, pairs),))
        wear, thinking = (known[0], False) if known is not None else (None, True)
    battery = on_batteries(facts)
    source = "high tension" if battery else f"the {source_words(facts)}"
    manner = {
        RampSchool.STEPS: f"Bring {source} up in six steps and read B+",
        RampSchool.CONTINUOUS: f"Bring {source} up slowly, and read line and B+ as it goes",
        RampSchool.LAMP: "Full line behind the lamp, then without it, and read B+",
        RampSchool.CAPACITORS: "Half line, then full line, and read B+",
    }[ramp_school(record)]
    step = Step(
        RAMP,
        STAGE,
        manner,
        "The set draws from the first volts; a battery run down shows as volts that sag."
        if battery
        else _reason(supply),
        results=tuple(results),
        advice=_advice(facts, results, wear),
        leads=(
            *supply_leads(facts, record),
            Lead("DC meter", "clips", f"last filter capacitor and {common_rail(facts)}"),
        ),
        controls=("hold each step until B+ stands still", "watch, smell and listen"),
        powered=True,
        programme=programme if ramp_school(record) is not RampSchool.CONTINUOUS else (),
        thinking=thinking,
        draw=lambda: ramp_plot(supply, line_v, pairs),
        show=lambda: _shown(situation, found, results),
        cost=_cost(results),
    )
    return Ramp(_readable_again(conclude(step, found), found), wear, ripple_high)


def _shown(
    situation: Situation, found: list[Reading], results: list[Result]
) -> SupplyPicture | None:
    """The supply at the volts that are asked for now, else at those read last."""
    supply = situation.facts.supply
    if supply is None:
        return None
    answers = [r.answer for r in found if r.answer is not None]
    asked = waiting(found)
    line_v = supply.line_v
    if asked is not None and asked.key == HELD:
        line_v = dict(asked.point)["line_v"]
    elif asked is None and answers:
        line_v = answers[-1].values["ac"]
    read = next((r for r in results if answers and _is_b_plus_of(r, answers[-1])), None)
    return ramp_picture(situation, supply, line_v, read, again=asked is not None)


def _is_b_plus_of(found: Result, answer: Answer) -> bool:
    """Whether a result is an answer's B+, and not its ripple."""
    return found.question == answer.question and not found.label.startswith(RIPPLE)


def _readable_again(step: Step, found: list[Reading]) -> Step:
    """The last step's volts may be read again: what falls at steady AC shows only so."""
    taken = [r.ask for r in found if r.fresh is not None and r.ask.key in (HELD, BEHIND_LAMP)]
    again = [a for a in taken[-1:] if step.ask is None or step.ask.name != a.name]
    return replace(step, others=tuple(replace(a, called=f"{a.called} again") for a in again))


def _says_capacity(facts: ReceiverFacts, record: JobRecord, results: list[Result]) -> bool:
    """Whether a ripple that was read is too high: then B+ tells nothing of the rectifier."""
    if any(r.label.startswith(RIPPLE) and r.judgement.verdict.outside for r in results):
        return True
    nodes = [a for a in record.with_value("ripple_last") if a.step != RAMP]
    if facts.supply is None or not nodes:
        return False
    point = steady_state(facts.supply, facts.supply.line_v)
    high = (nodes[-1].values["ripple_first"], nodes[-1].values["ripple_last"])
    usual = (point.ripple_v[0], point.ripple_v[-1])
    return any(v > RIPPLE_HIGH * u for v, u in zip(high, usual, strict=True))


def _reason(supply: Supply | None) -> str:
    if supply is None or supply.rectifier.kind.heated:
        return (
            "A tube rectifier gives nothing until its heater is warm, at 45 to 65 % of line; no "
            "volts before that is right."
        )
    if not supply.load.heated:
        return (
            "Rectifier and transistors work from the first volts: B+ rises with the line from the "
            "beginning, and so does the current."
        )
    return (
        "This rectifier gives DC from the first volts, while the load is still cold: B+ stands "
        "near its peak until the tubes draw, and may then fall while the line still rises."
    )


def _readings(
    facts: ReceiverFacts,
    record: JobRecord,
    line_v: float,
    programme: tuple[float, ...],
    basis: Basis,
) -> list[Reading]:
    school = ramp_school(record)
    if school is RampSchool.CONTINUOUS:
        return _gliding(facts, record, line_v, basis)
    asks = [_held(facts, volts, line_v) for volts in programme]
    if school is RampSchool.LAMP:
        asks.insert(0, _lamp_ask(facts, record, line_v))
    return [reading(record, RAMP, ask, basis) for ask in asks]


def _gliding(facts: ReceiverFacts, record: JobRecord, line_v: float, basis: Basis) -> list[Reading]:
    """As many readings as are taken; it ends with one at full line."""
    found: list[Reading] = []
    fraction = CONTINUOUS_FROM
    for n in range(1, MOST_CONTINUOUS + 1):
        ask = _ask(facts, f"{GLIDING}{n}", min(fraction, 1.0) * line_v)
        found.append(reading(record, RAMP, ask, basis))
        answer = found[-1].fresh
        if answer is None or answer.values["ac"] >= FULL_FROM * line_v:
            break
        fraction = answer.values["ac"] / line_v + CONTINUOUS_STEP
    return found


def _held(facts: ReceiverFacts, volts: float, line_v: float) -> Ask:
    source = source_words(facts)
    prompt = (
        f"Set the {source} to {supply_volts(volts)} V ({100.0 * volts / line_v:.0f} %), wait, "
        "and read its volts and B+."
    )
    ask = replace(_ask(facts, HELD, volts), prompt=prompt, called=f"{supply_volts(volts)} V")
    return asked_at(ask, line_v=volts)


def _fields(
    label: str, at: Measurand, ac: float | None, b_plus: float | None, drawn_a: float | None
) -> tuple[Field, ...]:
    """What a reading of the ramp is: volts in, B+, and what else was read or seen."""
    return (
        Field("ac", label, AC_VOLTS, nominal=ac, measurand=at, sets="line_v"),
        Field("b_plus", "B+", DC_VOLTS, nominal=b_plus, measurand=B_PLUS),
        Field("ripple", "ripple", AC_VOLTS, required=False, measurand=B_PLUS_RIPPLE),
        Field(
            "current",
            "current",
            CURRENT,
            required=False,
            nominal=drawn_a,
            measurand=LINE_CURRENT,
        ),
        Field("seen", "seen", options=SEEN, required=False),
    )


def _ask(facts: ReceiverFacts, key: str, ac: float) -> Ask:
    supply = facts.supply
    window = expectation(supply, ac).window if supply else None
    nominal = window.nominal if window else None
    label = "supply" if on_batteries(facts) else "line"
    return Ask(
        key,
        f"Go up slowly; about {supply_volts(ac)} V is next. Read line and B+ at any moment.",
        _fields(label, LINE, ac, nominal or None, drawn_at(facts, ac)),
        f"{supply_volts(ac)} {significant(max(nominal or 0.0, 0.0), 3)}",
        expected=window,
        expected_text=expected_words(facts, ac),
        recipe=Recipe(Doing.READ, setting(line_v=ac, lamp_w=0.0)),
    )


def drawn_at(facts: ReceiverFacts, ac: float) -> float | None:
    """The line current to expect at ``ac`` volts; None where the sheet does not tell."""
    if facts.supply is None:
        return None
    return expected_line_a(facts.supply, facts.circuit.heaters, ac)


def _lamp_ask(facts: ReceiverFacts, record: JobRecord, line_v: float) -> Ask:
    lamp = lamp_of(facts, record)
    supply = facts.supply
    left = None
    if supply is not None and lamp is not None:
        left = behind_lamp_v(supply, facts.circuit.heaters, line_v, lamp)
    window = expectation(supply, left).window if supply and left else None
    words = "no limit given: the sheet gives no heaters"
    if left is not None:
        words = f"{left:.0f} V left for the set, and there {expected_words(facts, left)}"
    return Ask(
        BEHIND_LAMP,
        "Full line with the lamp in series: volts at the set, B+, and how the lamp is.",
        _fields(
            "at the set",
            SET_INPUT,
            left,
            window.nominal if window else None,
            drawn_at(facts, left) if left else None,
        ),
        f"{left or 0.7 * line_v:.0f} {window.nominal if window and window.nominal else 150.0:.0f}",
        called="behind the lamp",
        expected=window,
        expected_text=words,
        recipe=Recipe(Doing.READ, setting(line_v=line_v, lamp_w=lamp.power_w if lamp else 0.0)),
    )


def expected_words(facts: ReceiverFacts, ac: float) -> str:
    """What B+, ripple and current should be at ``ac`` volts, in words."""
    supply = facts.supply
    if supply is None:
        return "no limit given: the sheet does not describe the supply"
    expected = expectation(supply, ac)
    low, high, nominal = (
        significant(v or 0.0, 3)
        for v in (expected.window.low, expected.window.high, expected.window.nominal)
    )
    window = f"{low} to {high} V"
    if expected.phase is RampPhase.COLD and supply.rectifier.kind.heated:
        return f"{window}: the rectifier's heater is still cold, no B+ yet is right"
    ripple = engineering(expected.point.ripple_v[-1], "V", 2)
    amperes = expected_line_a(supply, facts.circuit.heaters, ac)
    drawn = f", {engineering(amperes, 'A', 2)} from the line" if amperes else ""
    if expected.phase is RampPhase.WARMING:
        return f"{window}, heaters just warming: anything in between is right{drawn}"
    if expected.phase is RampPhase.COLD:
        return f"{window}, the load still cold, ripple {ripple}{drawn}"
    return f"{window}, about {nominal} V, ripple {ripple}{drawn}"


def moving_words(facts: ReceiverFacts, ask: Ask, line: str) -> str:
    """The expectation for the AC typed so far; empty where the line does not begin with one."""
    words = line.split()
    if not words or not _glides(ask):
        return ""
    try:
        ac = parse(words[0], AC_VOLTS, "line")
    except BadInput:
        return ""
    if facts.supply is None or not 0.0 < ac <= 1.25 * facts.supply.line_v:
        return ""
    return f"at {significant(ac, 3)} V: {expected_words(facts, ac)}"


def _glides(ask: Ask) -> bool:
    return ask.key not in (HELD, BEHIND_LAMP)


def check_ramp_entry(
    facts: ReceiverFacts, record: JobRecord, ask: Ask, values: Mapping[str, float]
) -> None:
    """Raises BadInput for a reading that cannot be, or that is out of the ramp's order."""
    line_v = facts.nominal_line_v
    last = None
    if _glides(ask):
        before = record.latest(RAMP, f"{GLIDING}{int(ask.key[len(GLIDING) :]) - 1}")
        last = before.values["ac"] if before else None
    elif ask.key == HELD:
        wanted = dict(ask.point)["line_v"]
        if abs(values["ac"] - wanted) > HELD_TOLERANCE * line_v:
            raise BadInput(
                "line",
                f"{values['ac']:g} V",
                f"is not the step that is asked for, {supply_volts(wanted)} V; readings come in "
                "the order of the ramp",
                f"{supply_volts(wanted)} {values['b_plus']:.0f}",
            )
    check_order(values["ac"], last, line_v)
    if facts.supply is not None:
        check_possible(facts.supply, RampReading(values["ac"], values["b_plus"]))


def _results(facts: ReceiverFacts, answer: Answer, *, stale: bool) -> tuple[Result, ...]:
    """B+, and the ripple where it was read warm: it tells the capacitors."""
    return _b_plus(facts, answer, stale=stale), *_ripple(facts, answer, stale=stale)


def _ripple(facts: ReceiverFacts, answer: Answer, *, stale: bool) -> tuple[Result, ...]:
    ac, ripple = answer.values["ac"], answer.values.get("ripple")
    if ripple is None or facts.supply is None:
        return ()
    expected = expectation(facts.supply, ac)
    if expected.phase is not RampPhase.WARM:
        return ()
    usual = expected.point.ripple_v[-1]
    window = Window(0.0, RIPPLE_HIGH * usual, usual)
    label = f"{RIPPLE} at {significant(ac, 3)} V"
    limits = ("0 V", engineering(window.high or 0.0, "V", 2))
    text = engineering(ripple, "V")
    return (result(answer, label, text, ripple, window, limits, stale=stale),)


def _b_plus(facts: ReceiverFacts, answer: Answer, *, stale: bool) -> Result:
    ac, b_plus = answer.values["ac"], answer.values["b_plus"]
    window: Window | None = expectation(facts.supply, ac).window if facts.supply else None
    limits = ("", "")
    if window is not None:
        limits = (
            f"{significant(window.low or 0.0, 3)} V",
            f"{significant(window.high or 0.0, 3)} V",
        )
    where = "V behind the lamp" if answer.ask == BEHIND_LAMP else "V line"
    label = f"{significant(ac, 3)} {where}"
    return result(answer, label, f"{b_plus:.1f} V", b_plus, window, limits, stale=stale)


def _reading(values: Mapping[str, float]) -> RampReading:
    return RampReading(values["ac"], values["b_plus"], values.get("current"))


def ramp_stops(situation: Situation, values: Mapping[str, float]) -> tuple[str, ...]:
    """Reasons to switch off in a reading that is being kept; none of an earlier ramp count."""
    facts, record = situation.facts, situation.record
    basis = ramp_basis(record)
    taken = [a for a in record.taken_in(RAMP) if not record.stale(a, basis)]
    before = _reading(taken[-1].values) if taken else None
    supply, ac_v = facts.supply, values["ac"]
    lowest = expectation(supply, ac_v).window.low if supply else None
    most_a = most_current_a(facts, ac_v)
    return stop_reasons(_reading(values), lowest_v=lowest, most_a=most_a, before=before)


def most_current_a(facts: ReceiverFacts, ac_v: float) -> float:
    """The line current of this set above which it is switched off."""
    return most_line_a(
        facts.supply,
        facts.circuit.heaters,
        ac_v,
        line_v=facts.nominal_line_v,
        tubes=len(facts.tubes) if facts.device_word != "transistor" else 0,
    )


def ramp_pairs(record: JobRecord, basis: Basis) -> tuple[tuple[float, float], ...]:
    """(line V, B+ V) of the readings that count, from the lowest up."""
    answers = [a for a in record.of_step(RAMP) if not record.stale(a, basis)]
    return tuple(sorted((a.values["ac"], a.values["b_plus"]) for a in answers))


def _advice(
    facts: ReceiverFacts, results: list[Result], wear: RectifierWear | None
) -> tuple[str, ...]:
    lines: list[str] = []
    if facts.supply is None:
        lines.append(
            "The sheet does not describe the supply, so B+ cannot be judged; add the winding, "
            "rectifier and filter to the sheet to have it judged."
        )
    off = [r for r in results if r.judgement.verdict.outside and not r.stale]
    if off and off[-1].judgement.beyond > 0:
        lines.append(
            "B+ is higher than it can be with warm tubes drawing: stop, and see whether they heat "
            "and whether the load is connected."
            if facts.supply is None or facts.supply.load.heated
            else "B+ is higher than it can be with its stages drawing: stop, and see whether the "
            "load is connected."
        )
    elif off:
        lines.append(
            "B+ is too low: switch off if it falls at steady line or anything gets hot. Tired "
            "rectifier, leaky or dried-out filter, or too much load."
        )
    if wear is not None:
        lines.append(
            f"The warm readings fit a rectifier with {wear.emission * 100:.0f} % of its data-sheet "
            f"emission (misfit {wear.residual_v:.1f} V), which costs {wear.shortfall_v:.0f} V. "
            "A heavier load looks the same from B+ alone; line current or a lifted lead decides."
        )
        if wear.tired:
            lines.append("Below 60 % the rectifier counts as tired: note it for the handover.")
    return tuple(lines)


def _volts_off(beyond_v: float) -> str:
    """How far beyond, with its sign: never a nothing."""
    digits = significant(abs(beyond_v), 1 if abs(beyond_v) < 1.0 else 3)
    return f"{'+' if beyond_v > 0.0 else '-'}{digits}"


def _cost(results: list[Result]) -> str:
    off = [r for r in results if r.judgement.verdict.outside and not r.stale]
    return "; ".join(
        f"{_volts_off(r.judgement.beyond)} V beyond the window at {r.label}" for r in off
    )
