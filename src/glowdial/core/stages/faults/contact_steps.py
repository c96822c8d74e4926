"""Contacts as a step: one path surveyed by position, worked on by either school, surveyed again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from glowdial.core.journey.findings import Evidence, evidence_of
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.readings import reading
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Result, Status, Step, confirm, result
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import CURRENT, DC_VOLTS, RESISTANCE, WATTS, significant
from glowdial.core.language.verdicts import Window
from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.safety.cautions import Activity, Trait, traits_of
from glowdial.core.stages.faults.complaints import Complaint
from glowdial.core.stages.faults.steps import STAGE
from glowdial.core.tracing.contacts import (
    MOST_WETTING_A,
    PositionFound,
    PositionReadings,
    Survey,
    Wetting,
    before_and_after,
    check_path,
    contacts_of,
    path_ohm,
    survey,
    wetting,
)
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import Outcome, Trial, TrialKind

CONTACTS = "faults.contacts"
LEADS, ROW, AFTER, SCHOOL, WORKED, LOCKED, PLAN = (
    "leads",
    "row",
    "after",
    "school",
    "worked",
    "locked",
    "wetting",
)
LEAVE, CLEAN, WET = "leave them", "open and clean", "wetting current"
WET_ROUNDS = ("wet1", "wet2")
READINGS = ("r1", "r2", "r3")
COMPLAINTS_OF_CONTACTS = (
    "weak on some bands",
    "dies on a band",
    "intermittent",
    "crackle",
    "wrong side effects",
)
MOST_POSITIONS = 12


@dataclass(frozen=True, slots=True)
class _Kept:
    """The survey's answers: leads, rows before and after, by position."""

    leads: Answer
    before: Mapping[str, Answer]
    after: Mapping[str, Answer]

    def survey(self, rows: Mapping[str, Answer]) -> Survey | None:
        """What some rows say; None while there are none."""
        taken = [_readings(position, answer) for position, answer in rows.items()]
        values = self.leads.values
        if not taken:
            return None
        return survey(
            taken,
            leads_ohm=values["leads"],
            resolution_ohm=values.get("resolution", 0.1),
        )


def _readings(position: str, answer: Answer) -> PositionReadings:
    values = answer.values
    ohm = tuple(values[r] for r in READINGS if r in values)
    return PositionReadings(position, ohm, values.get("path"))


def surveyed_positions(diagram: BlockDiagram) -> tuple[str, ...]:
    """The positions whose way runs over contacts."""
    return tuple(p.key for p in diagram.positions if contacts_of(diagram, p.key))[:MOST_POSITIONS]


def contact_steps(
    situation: Situation, diagram: BlockDiagram, complaint: Complaint, *, suspected: bool
) -> list[Step]:
    """The survey, where a contact is ``suspected`` or it was begun, the complaint may be a
    contact's, and the set is switched at all."""
    positions = surveyed_positions(diagram)
    begun = situation.record.latest(CONTACTS, LEADS) is not None
    if complaint.words not in COMPLAINTS_OF_CONTACTS or len(positions) < 2:
        return []
    return [_contacts(situation, diagram, positions)] if suspected or begun else []


def contact_evidence(record: JobRecord, diagram: BlockDiagram) -> list[Evidence]:
    """What the survey tells of the blocks whose contacts each position uses."""
    leads = record.latest(CONTACTS, LEADS)
    rows = _rows(record, ROW, surveyed_positions(diagram))
    judged = _Kept(leads, rows, {}).survey(rows) if leads is not None else None
    found = []
    for one in judged.positions if judged else ():
        trial = Trial(
            f"contacts {one.position}",
            TrialKind.OHMS,
            one.position,
            contacts_of(diagram, one.position),
            Symptom.ANY,
            f"contacts on {diagram.position(one.position).name}",
        )
        bad = one.position in (judged.bad if judged else ())
        said = f"{trial.words}: {_ohm(one.mean_ohm)}, {one.verdict.value}"
        outcome = Outcome.BAD if bad else Outcome.GOOD
        found.append(evidence_of(rows[one.position], trial, outcome, said, "contacts"))
    return found


def _contacts(situation: Situation, diagram: BlockDiagram, positions: tuple[str, ...]) -> Step:
    record = situation.record
    step = Step(
        CONTACTS,
        STAGE,
        "Survey the contacts: one path, band by band",
        "Power off, the same two ends on every band, three readings each. A contact only adds "
        "resistance, so the bad ones stand above what coils and good contacts measure.",
        leads=(
            Lead("ohmmeter", "clip, lowest range", "one end of the switched path"),
            Lead("ohmmeter", "clip", "its other end"),
        ),
        leave=True,
        cost="contacts were not surveyed",
        does=(Activity.COLD_CHECKS,),
    )
    leads = reading(record, CONTACTS, _leads_ask())
    if leads.answer is None:
        return replace(step, ask=leads.ask)
    kept = _Kept(leads.answer, _rows(record, ROW, positions), _rows(record, AFTER, positions))
    asks = [_row_ask(diagram, ROW, p) for p in positions if p not in kept.before]
    before = kept.survey(kept.before)
    step = replace(
        step, table=_table(diagram, positions, kept), results=_results(diagram, kept, before)
    )
    if asks:
        return replace(step, ask=asks[0], others=tuple(asks[1:]))
    assert before is not None
    return _worked(situation, diagram, positions, kept, before, step)


def _rows(record: JobRecord, kind: str, positions: tuple[str, ...]) -> dict[str, Answer]:
    found = {p: record.latest(CONTACTS, f"{kind} {p}") for p in positions}
    return {p: a for p, a in found.items() if a is not None}


def _leads_ask() -> Ask:
    return Ask(
        LEADS,
        "Tips together: what do the leads read, and what is the meter's last digit worth?",
        (
            Field("leads", "leads", RESISTANCE),
            Field("resolution", "last digit", RESISTANCE, required=False),
        ),
        "0.2 0.1",
        expected_text="a few tenths of an ohm",
    )


def _row_ask(diagram: BlockDiagram, kind: str, position: str) -> Ask:
    name = diagram.position(position).name
    again = " after the contacts were worked on" if kind == AFTER else ""
    return Ask(
        f"{kind} {position}",
        f"{name}{again}: three readings, switched away and back between them; then what the path "
        "should measure there, if it is known.",
        (
            *(
                Field(r, f"{name} {n}", RESISTANCE, required=n == 1)
                for n, r in enumerate(READINGS, 1)
            ),
            Field("path", f"{name} expected", RESISTANCE, required=False),
        ),
        "4.3 4.3 4.4 4.0",
        expected_text="coils and good contacts alone; a dash for what was not read",
        blanks=True,
        called=name,
    )


def _table(diagram: BlockDiagram, positions: tuple[str, ...], kept: _Kept) -> ReadingTable:
    rows = []
    for kind, taken in ((ROW, kept.before), (AFTER, kept.after)):
        if kind == AFTER and not taken:
            continue
        judged = kept.survey(taken)
        found = {p.position: p for p in judged.positions} if judged else {}
        rows += [_row(diagram, kind, p, taken.get(p), found.get(p)) for p in positions]
    return ReadingTable(("1", "2", "3", "path"), tuple(rows))


def _row(
    diagram: BlockDiagram,
    kind: str,
    position: str,
    answer: Answer | None,
    found: PositionFound | None,
) -> TableRow:
    name = diagram.position(position).name
    ask = f"{kind} {position}"
    cells = [
        TableCell(str(n), ask, f"{name} {n}", "", _ohm(answer.values.get(r)) if answer else "")
        for n, r in enumerate(READINGS, 1)
    ]
    label = f"{name}, {'after' if kind == AFTER else 'path'}"
    if found is None:
        cells.append(TableCell("path", ask, label, ""))
    else:
        judged = _result(answer, label, found) if answer else None
        verdict = judged.judgement if judged else None
        cells.append(
            TableCell(
                "path",
                ask,
                label,
                _ohm(found.expected_ohm),
                _ohm(found.mean_ohm),
                verdict.verdict.value if verdict else "",
                found.verdict.value,
            )
        )
    return TableRow(ask, name, "after" if kind == AFTER else "before", tuple(cells))


def _ohm(value: float | None) -> str:
    return "" if value is None else f"{significant(value, 3)} ohm"


def _result(answer: Answer, label: str, found: PositionFound) -> Result:
    window = Window(None, found.most_ohm, found.expected_ohm)
    return result(
        answer,
        label,
        f"{significant(found.mean_ohm, 3)} ohm",
        found.mean_ohm,
        window,
        ("", _ohm(found.most_ohm)),
        as_found=True,
    )


def _results(diagram: BlockDiagram, kept: _Kept, judged: Survey | None) -> tuple[Result, ...]:
    found = {p.position: p for p in judged.positions} if judged else {}
    return tuple(
        _result(answer, f"{diagram.position(p).name}, path", found[p])
        for p, answer in kept.before.items()
        if p in found
    )


def _worked(
    situation: Situation,
    diagram: BlockDiagram,
    positions: tuple[str, ...],
    kept: _Kept,
    before: Survey,
    step: Step,
) -> Step:
    """What the survey says, and what is done about it by either school."""
    record = situation.record
    step = replace(step, advice=_advice(diagram, before))
    school = record.latest(CONTACTS, SCHOOL)
    ask = _school_ask(before)
    if school is None:
        return replace(step, ask=ask)
    chosen = school.texts["school"]
    if chosen == LEAVE:
        return replace(step, status=Status.DONE, decision=LEAVE, others=(ask,))
    since = Basis(after=(school,))
    if chosen == WET:
        wet = _wet(situation, diagram, positions, since, step)
        if wet.ask is not None:
            return replace(wet, others=(*wet.others, ask))
        step = wet
    else:
        cleaned = reading(
            record, CONTACTS, confirm(WORKED, "Opened, cleaned, worked twenty times?"), since
        )
        if cleaned.fresh is None:
            return replace(step, ask=cleaned.ask, others=(ask,))
    return _after(diagram, positions, kept, before, step)


def _school_ask(before: Survey) -> Ask:
    bad = len(before.bad)
    return Ask(
        SCHOOL,
        f"{bad} of {len(before.positions)} want attention. What is done about them?"
        if bad
        else "All are as they should be. What is done about them?",
        (Field("school", "school", options=(LEAVE, CLEAN, WET)),),
        LEAVE if not bad else CLEAN,
        expected_text="open and clean; or, where it cannot be opened, a wetting current",
        called="another school",
    )


def _advice(diagram: BlockDiagram, judged: Survey) -> tuple[str, ...]:
    by_name = {p.position: diagram.position(p.position).name for p in judged.positions}
    lines = [
        f"{by_name[p.position]}: {significant(p.mean_ohm, 3)} ohm where "
        f"{significant(p.expected_ohm, 3)} is expected, {p.verdict.value}."
        for p in judged.positions
        if p.position in judged.bad
    ]
    if not lines:
        lines.append("No position stands out.")
    return (*lines, judged.repeat) if judged.repeat else tuple(lines)


def _after(
    diagram: BlockDiagram,
    positions: tuple[str, ...],
    kept: _Kept,
    before: Survey,
    step: Step,
) -> Step:
    """The same survey again, and what it changed."""
    asks = [_row_ask(diagram, AFTER, p) for p in positions if p not in kept.after]
    if asks:
        return replace(step, ask=asks[0], others=tuple(asks[1:]))
    after = kept.survey(kept.after)
    assert after is not None
    moved = [
        f"{diagram.position(p).name}: {_ohm(then)} before, {_ohm(now)} after."
        for p, (then, now) in before_and_after(before, after).items()
        if p in before.bad or p in after.bad
    ]
    status = Status.TROUBLE if after.bad else Status.DONE
    again = _row_ask(diagram, AFTER, after.bad[0]) if after.bad else None
    return replace(
        step,
        advice=(*moved, *_advice(diagram, after)),
        status=status,
        ask=again,
        retake=again is not None,
        cost="; ".join(moved),
    )


def _wet(
    situation: Situation,
    diagram: BlockDiagram,
    positions: tuple[str, ...],
    since: Basis,
    step: Step,
) -> Step:
    """A wetting current: only through contacts and coils, with transmit locked out, within what
    the weakest may carry; off before each change of position, and all positions twice."""
    record = situation.record
    step = replace(step, does=(*step.does, Activity.LIFTING))
    if Trait.TRANSMIT in traits_of(situation.facts):
        locked = reading(
            record, CONTACTS, confirm(LOCKED, "Transmit locked out, key and fuse in hand?"), since
        )
        if locked.fresh is None:
            return replace(step, ask=locked.ask)
    plan = reading(record, CONTACTS, _plan_ask(diagram), since)
    if plan.fresh is None:
        return replace(step, ask=plan.ask)
    try:
        checked = planned_wetting(diagram, positions, plan.fresh)
    except BadInput as error:
        refused = f"Refused: {error.field} {error.value} {error.expected}."
        return replace(step, ask=plan.ask, advice=(refused, *step.advice))
    advice, asks = [], []
    for n, kind in enumerate(WET_ROUNDS, 1):
        for position in positions:
            ask = _current_ask(diagram, kind, position, n, checked)
            found = reading(record, CONTACTS, ask, Basis(after=(plan.fresh,)))
            if found.fresh is None:
                asks.append(ask)
            elif found.fresh.values["current"] > 0.0:
                ohm = _path_of(plan.fresh, found.fresh)
                name = diagram.position(position).name
                advice.append(f"{name}, round {n}: {significant(ohm, 3)} ohm by its current.")
    if not asks:
        return replace(step, advice=tuple(advice))
    return replace(step, ask=asks[0], advice=(*advice, *step.advice))


def planned_wetting(diagram: BlockDiagram, positions: tuple[str, ...], plan: Answer) -> Wetting:
    """The current of a plan, with its path looked through on every position.

    Raises BadInput where something else than contacts and coils lies in the way, naming it, or
    where the weakest part would carry too much.
    """
    by_name = {b.name: b.key for b in diagram.blocks}
    first, last = by_name[plan.texts["from"]], by_name[plan.texts["to"]]
    used = [p for p in positions if diagram.between(first, last, p)]
    for position in used or positions[:1]:
        check_path(diagram, first, last, position)
    values = plan.values
    return wetting(
        volts=values["volts"],
        resistor_ohm=values["resistor"],
        path_ohm=0.0,
        burden_ohm=values["burden"],
        resistor_w=values["watts"],
        contact_a=values["contact"],
        wire_a=values.get("wire", MOST_WETTING_A),
    )


def _plan_ask(diagram: BlockDiagram) -> Ask:
    names = tuple(b.name for b in diagram.blocks)
    return Ask(
        PLAN,
        "The current's way from end to end, its source and resistor, the ammeter's own ohm, and "
        "what contact and thinnest wire may carry.",
        (
            Field("from", "from", options=names),
            Field("to", "to", options=names),
            Field("volts", "source", DC_VOLTS),
            Field("resistor", "resistor", RESISTANCE),
            Field("watts", "its rating", WATTS),
            Field("burden", "ammeter's own", RESISTANCE),
            Field("contact", "contact carries", CURRENT),
            Field("wire", "thinnest wire carries", CURRENT, required=False),
        ),
        "12",
        expected_text="half an ampere at most, where the wire is not known",
    )


def _current_ask(
    diagram: BlockDiagram, kind: str, position: str, number: int, plan: Wetting
) -> Ask:
    name = diagram.position(position).name
    return Ask(
        f"{kind} {position}",
        f"Round {number}, {name}: current OFF, switch to it, on for some seconds, read, off again "
        "before the switch is touched (a coil kicks).",
        (Field("current", "current", CURRENT),),
        significant(1e3 * plan.current_a, 3),
        expected_text=f"about {significant(1e3 * plan.current_a, 3)} mA; equal currents prove "
        "little, so the path is worked out from each",
        called=name,
    )


def _path_of(plan: Answer, read: Answer) -> float:
    values = plan.values
    return path_ohm(values["volts"], read.values["current"], values["resistor"], values["burden"])
