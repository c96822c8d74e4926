"""Parts: which to change, in what order, what goes in their place, and the test between.

Two schools, and a third that plays first: the school makes the order and the tests. Each part is
one question, answered in any order: what was measured, and what is done about it.
"""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.consequences import Changed, Consequence, FromStock, Renewed
from glowdial.core.journey.entry import Entry
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Step, result, settle
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.language.quantities import (
    AC_VOLTS,
    CAPACITANCE,
    CURRENT,
    DC_VOLTS,
    FILTER_CAPACITANCE,
    LEAKAGE,
    PAPER_CAPACITANCE,
    RESISTANCE,
    engineering,
    supply_volts,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import B_PLUS, LINE, Kind, of_part
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.safety.cautions import Activity, common_rail
from glowdial.core.stages.parts.marking import marking_of, unlikely_words
from glowdial.core.stages.parts.measured import check_measured, leakage_limit_a
from glowdial.core.stages.parts.order import Batch, School
from glowdial.core.stages.parts.state import (
    BATCH,
    CLASS,
    CLASSES,
    DECISION,
    DECISIONS,
    FIT,
    FOUND_PARTS,
    KEEP,
    ORDER,
    REASON,
    RENEWED_DECISIONS,
    RESTUFF,
    SAFETY_USES,
    SCHOOL,
    PartState,
    decided,
    order_of,
    part_states,
    parts_of,
    school_of,
)
from glowdial.core.stages.parts.table import parts_table

STAGE = "parts"
PARTS_PANEL = "parts"
TEST_TOLERANCE = 0.05
LEAST_FILTER_F, LEAST_PAPER_F = 0.5e-6, 1e-9
FULL_LINE_SHARE = 0.95
# of what would do, the first unless another is said: stock, then standard values
PROPOSAL, PROPOSALS = "proposal", ("1", "2")


def parts_before_power(situation: Situation) -> list[Step]:
    """The school, and what is changed before the set gets power; nothing without a list."""
    facts, record = situation.facts, situation.record
    if not parts_of(facts, record):
        return [_no_list(record)]
    steps = [_school(facts, record)]
    if school_of(record) is not None:
        steps += [_batch(facts, record, b) for b in order_of(facts, record) if b.before_power]
    return steps


def parts_under_test(situation: Situation) -> list[Step]:
    """A few at a time, each with its test, once the set has run."""
    facts, record = situation.facts, situation.record
    if not parts_of(facts, record) or school_of(record) is None:
        return []
    steps: list[Step] = []
    for batch in order_of(facts, record):
        if not batch.before_power:
            steps += [_batch(facts, record, batch), _test(facts, record, batch)]
    return steps


def _no_list(record: JobRecord) -> Step:
    ask = Ask(
        "list",
        "The sheet lists no parts. List what you find here, or go on without.",
        (Field("list", "List", options=("go on without",)),),
        "go on without",
    )
    step = Step(
        "parts.list",
        STAGE,
        "List the parts that must be changed",
        "Mains-bridging and coupling capacitors and filter electrolytics first: they harm other "
        "parts, or people.",
        panels=(FOUND_PARTS,),
    )
    return conclude(step, (reading(record, step.key, ask),))


def _school(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = Ask(
        "school",
        "Which parts are changed, and when?",
        (Field("school", "School", options=tuple(s.value for s in School)),),
        School.DANGEROUS.value,
    )
    step = Step(
        SCHOOL,
        STAGE,
        "Choose how parts are changed",
        "All at once is quick, and a new fault then has many suspects. Dangerous ones first and a "
        "few at a time leaves one suspect. Playing as found shows what works, limited and briefly.",
        panels=(FOUND_PARTS,),
        table=parts_table(part_states(facts, record)),
        notes=tuple(f"School: {s.value}." for s in (school_of(record),) if s is not None),
    )
    return conclude(step, (reading(record, SCHOOL, ask),))


def _batch(facts: ReceiverFacts, record: JobRecord, batch: Batch) -> Step:
    key = f"{BATCH}{batch.key}"
    refs = {p.ref for p in batch.parts}
    states = [s for s in part_states(facts, record) if s.part.ref in refs]
    waiting = [s for s in states if not s.settled]
    undecided = [s for s in waiting if not s.decision]
    asks = tuple(_part_ask(s.part) for s in (*undecided, *(w for w in waiting if w.decision)))
    ordered = [s.part.ref for s in waiting if s.decision == ORDER]
    step = Step(
        key,
        STAGE,
        f"Parts: {batch.title}",
        "One at a time: old out, new in, lead dress as it was. Take each section of a can; the "
        "small one under the chassis is easily forgotten."
        if batch.key != "resistors"
        else "Measure with one end free where something lies across; replaced when off by more "
        "than 20 %, at twice the dissipation.",
        panels=(PARTS_PANEL,),
        advice=tuple(_findings(states)),
        notes=(f"On order: {', '.join(ordered)}.",) if ordered else (),
        waits_for=(f"{', '.join(ordered)}, on order",) if ordered else (),
        table=parts_table(states),
        does=(Activity.REPLACING, Activity.RESTUFFING),
        holds_power=tuple(w for w in map(_held, states) if w),
        begun=bool(waiting) and len(waiting) < len(states),
        cost=f"{', '.join(s.part.ref for s in waiting)} stay as they are" if waiting else "",
        leave=bool(waiting) and not undecided,
    )
    remaining = asks[0] if asks else None
    others = asks[1:] + tuple(_part_ask(s.part) for s in states if s.settled)
    # a decision may be taken again later
    return replace(settle(step, remaining=remaining), others=others)


def _part_ask(part: Part) -> Ask:
    quantity = RESISTANCE if part.is_resistor else CAPACITANCE
    kind = Kind.RESISTANCE if part.is_resistor else Kind.CAPACITANCE
    if not part.is_resistor and part.value >= LEAST_FILTER_F:
        quantity = FILTER_CAPACITANCE
    elif not part.is_resistor and part.value >= LEAST_PAPER_F:
        quantity = PAPER_CAPACITANCE
    rating = ""
    if part.volts:
        rating = f" {part.volts:.0f} V"
    elif part.watts:
        rating = f" {part.watts:g} W"
    fields = [
        Field(DECISION, "decision", options=DECISIONS),
        Field(
            "measured",
            "measured",
            quantity,
            required=False,
            nominal=part.value,
            measurand=of_part(part.ref, kind),
        ),
    ]
    if not part.is_resistor:
        leakage = of_part(part.ref, Kind.LEAKAGE)
        small = part.kind is not PartKind.ELECTROLYTIC
        amperes = LEAKAGE if small else CURRENT
        fields.append(Field("leakage", "leakage", amperes, required=False, measurand=leakage))
    fields.append(Field(PROPOSAL, "proposal taken", options=PROPOSALS, required=False))
    if part.use in SAFETY_USES:
        # any words, as the last of the line
        fields.append(Field(CLASS, "safety class, if kept", options=CLASSES, required=False))
        fields.append(Field(REASON, "reason, if kept", required=False))
    more = ", ".join(f.label for f in fields[1:])
    return Ask(
        part.ref,
        f"{part.ref}, {part.name}, {part.value_text}{rating}, {part.kind.value}: fit, restuff, "
        f"order or keep. Then, where known: {more}; a dash where not.",
        tuple(fields),
        "f" if not part.is_resistor else f"k {engineering(part.value, 'ohm').removesuffix(' ohm')}",
    )


def _held(state: PartState) -> str:
    """Why no power may be on while a part that bridges the mains is as it is; "" where it may."""
    if not state.unrated:
        return ""
    ref = state.part.ref
    return (
        f"{ref}, {state.part.use.value}, is not decided: fit a safety-rated one, or keep it with "
        "its class and the reason."
        if state.decision != KEEP
        else f"{ref}, {state.part.use.value}, is kept without reason and class: say both, or fit a "
        "safety-rated one."
    )


def _findings(states: list[PartState]) -> list[str]:
    lines: list[str] = []
    for state in states:
        if state.measured is not None:
            lines.append(f"{state.part.ref}: {check_measured(state.part, state.measured)}.")
        limit_a = leakage_limit_a(state.part) if not state.part.is_resistor else 0.0
        if state.leakage_a is not None and state.leakage_a > limit_a:
            lines.append(
                f"{state.part.ref} leaks {engineering(state.leakage_a, 'A')}, more than "
                f"{engineering(limit_a, 'A')}: do not keep it."
            )
    return lines[-4:]


def _test(facts: ReceiverFacts, record: JobRecord, batch: Batch) -> Step:
    """Power up as before: one new suspect at a time."""
    key = f"{BATCH}{batch.key}-test"
    line_v = facts.nominal_line_v
    before = _b_plus_before(record, key, line_v)
    window = (
        Window(before * (1 - TEST_TOLERANCE), before * (1 + TEST_TOLERANCE), before)
        if before
        else None
    )
    ask = Ask(
        "test",
        f"Line at {supply_volts(line_v)} V, warm: read line and B+, and listen.",
        (
            Field("ac", "line", AC_VOLTS, nominal=line_v, measurand=LINE, sets="line_v"),
            Field("b_plus", "B+", DC_VOLTS, nominal=before, measurand=B_PLUS),
        ),
        f"{supply_volts(line_v)} {before or 230.0:.0f}",
        expected=window,
        expected_text=f"{before:.0f} V as before the change, within 5 %" if before else "",
        recipe=Recipe(Doing.READ, setting(line_v=line_v)),
    )
    changed = tuple(record.taken_in(f"{BATCH}{batch.key}"))
    found = reading(record, key, ask, Basis(after=changed))
    refs = ", ".join(p.ref for p in batch.parts)
    step = Step(
        key,
        STAGE,
        f"Test after {refs}",
        "One change at a time, with a reading before and after: a new fault has one suspect.",
        leads=(Lead("DC meter", "clips", f"last filter capacitor and {common_rail(facts)}"),),
        powered=True,
    )
    if found.answer is not None:
        values = found.answer.values
        scaled = values["b_plus"] * line_v / max(values["ac"], 1.0)
        limits = (f"{window.low:.0f} V", f"{window.high:.0f} V") if window else ("", "")
        read = result(
            found.answer,
            "B+ after the change",
            f"{scaled:.1f} V",
            scaled,
            window,
            limits,
            stale=found.stale,
        )
        off = read.judgement.verdict.outside
        words = f"Different from before: look at {refs} and at what is next to them."
        step = replace(
            step,
            results=(read,),
            advice=(words,) if off else (),
            cost=f"B+ differs from before {refs}" if off else "",
        )
    return conclude(step, (found,), retake=ask)


def _b_plus_before(record: JobRecord, key: str, line_v: float) -> float | None:
    """B+ at full line as last read before this test, scaled to the line."""
    found: float | None = None
    for answer in record.with_value("b_plus"):
        if answer.step == key:
            continue
        ac, b_plus = answer.values.get("ac"), answer.values["b_plus"]
        if ac and b_plus and ac >= FULL_LINE_SHARE * line_v:
            found = b_plus * line_v / ac
    return found


def changed_filters(facts: ReceiverFacts, record: JobRecord) -> bool:
    """Whether every filter capacitor of the list was renewed in this job; False without a list."""
    filters = [
        s
        for s in part_states(facts, record)
        if s.part.use in (PartUse.FIRST_FILTER, PartUse.FILTER)
    ]
    return bool(filters) and all(s.decision in (FIT, RESTUFF) for s in filters)


def as_listed(facts: ReceiverFacts, record: JobRecord) -> ReceiverFacts:
    """The facts with what was decided of the parts: filters renewed, playing as found first."""
    return replace(
        facts,
        filters_renewed=changed_filters(facts, record),
        plays_as_found=school_of(record) is School.AS_FOUND,
    )


def is_part_question(step: Step, ask: Ask) -> bool:
    """Whether an answer decides on a part."""
    return step.stage == STAGE and ask.fields[0].name == DECISION


def part_called(facts: ReceiverFacts, record: JobRecord, ref: str) -> Part:
    """The part of that name; raises NotFound."""
    for part in parts_of(facts, record):
        if part.ref == ref:
            return part
    raise NotFound("part", ref)


def part_follows(
    situation: Situation, step: Step, ask: Ask, kept: Entering
) -> tuple[Consequence, ...]:
    """A part that went in comes out of stock, and spoils the readings that rest on it."""
    texts = kept.texts
    if not is_part_question(step, ask):
        return ()
    # what an earlier decision took goes back first
    before = _returned(decided(situation.record, ask.key))
    if texts[DECISION] not in RENEWED_DECISIONS:
        return before
    part = part_called(situation.facts, situation.record, ask.key)
    note = f"{part.ref} renewed: {texts.get('fitted', '')}"
    return *before, FromStock(texts), Renewed(part.ref), Changed(part.spoils, note)


def _returned(answer: Answer | None, *, back: bool = True) -> tuple[Consequence, ...]:
    """The parts of an earlier decision go back into stock, or come out of it again."""
    if answer is None or answer.texts.get(DECISION) not in RENEWED_DECISIONS:
        return ()
    return (FromStock(answer.texts, back=back),)


def part_withdrawn(answer: Answer, record: JobRecord) -> tuple[Consequence, ...]:
    """A decision that counts and is taken back puts its parts back into stock; the one before it
    counts again, and takes its own."""
    if DECISION not in answer.texts or decided(record, answer.ask) is not answer:
        return ()
    earlier = [
        a
        for a in record.asked(answer.ask)
        if a.step.startswith(BATCH) and DECISION in a.texts and a is not answer
    ]
    return *_returned(answer), *_returned(earlier[-1] if earlier else None, back=False)


def check_part(situation: Situation, step: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for a measured value that no part can have."""
    if is_part_question(step, ask) and "measured" in kept.values:
        check_measured(
            part_called(situation.facts, situation.record, ask.key), kept.values["measured"]
        )


def _check_marking(entry: Entry) -> None:
    kind = entry.texts["kind"]
    found = marking_of(entry.texts["marked"], resistor=kind == PartKind.RESISTOR)
    for one in found if kind != PartKind.RESISTOR else ():
        words = unlikely_words(kind, one.value)
        if words:
            raise BadInput("Marked", entry.texts["marked"], words, "250 MMF")


FOUND_FORM = RegisterForm(
    FOUND_PARTS,
    "Parts that the sheet does not list",
    "As marked on the part: 20+20 MFD 450V, .05, 250 MMF; bands or dots by name.",
    (
        Field("ref", "Called"),
        Field("marked", "Marked"),
        Field("kind", "Kind", options=tuple(k.value for k in PartKind)),
        Field("use", "Does", options=tuple(u.value for u in PartUse)),
    ),
    "C30",
    check=_check_marking,
)
