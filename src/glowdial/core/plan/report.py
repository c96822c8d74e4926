"""The report that goes with the set: as found and as left against the service data."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.registers import open_lines
from glowdial.core.journey.room import ReportPicture, ReportRow, Situation, unsettled
from glowdial.core.language.quantities import turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import Journey
from glowdial.core.plan.order import ROOMS
from glowdial.core.safety.cautions import Activity, caution, dangers_for
from glowdial.core.stages.intake.registers import PHOTOS

RENEWED = " renewed: "
NEXT_CHECK = "Read B+ and the dial marks again in a year."


@dataclass(frozen=True, slots=True)
class LedgerRow:
    """An adjuster with its net turns from as found."""

    adjuster: str
    turns: str


@dataclass(frozen=True, slots=True)
class Report:
    """Everything on the printable page; empty lists say so in words on the page."""

    title: str
    rows: tuple[ReportRow, ...]
    story: tuple[str, ...]
    ledger: tuple[LedgerRow, ...]
    decisions: tuple[str, ...]
    changes: tuple[str, ...]
    still_on: tuple[str, ...]
    not_settled: tuple[str, ...]
    gaps: tuple[str, ...]
    cautions: tuple[str, ...]
    next_check: str
    modifications: tuple[str, ...]
    waiting: tuple[str, ...]
    pictures: tuple[ReportPicture, ...] = ()
    photo_id: int = 0


def build_report(situation: Situation, journey: Journey) -> Report:
    """Gather the report from the record as it stands; it can be read before the job is done."""
    facts, record = situation.facts, situation.record
    parts = [room.report(situation, journey.steps) for room in ROOMS]
    checks = [part.next_check for part in parts if part.next_check]
    return Report(
        title=facts.title,
        rows=tuple(row for part in parts for row in part.rows),
        story=tuple(line for part in parts for line in part.story),
        ledger=_ledger(facts, record),
        decisions=_decisions(journey),
        changes=_changes(record),
        still_on=(
            *(f"{t.what}, {t.where}" for t in record.temporaries if t.on),
            *(s.what for s in record.switched_off if s.off),
        ),
        not_settled=tuple(f"{s.title}: {s.status.value}" for s in unsettled(journey.steps)),
        gaps=tuple(f"{g.what}: {g.instead}" for g in facts.gaps),
        cautions=_cautions(facts),
        next_check=" ".join(dict.fromkeys(checks)) if checks else NEXT_CHECK,
        modifications=tuple(line for part in parts for line in part.modifications),
        waiting=tuple(
            f"{form.title}: {form.line_title(line)}"
            for form, line in open_lines(record, situation.forms)
        ),
        pictures=tuple(picture for part in parts for picture in part.pictures),
        photo_id=next((int(p.texts["photo_id"]) for p in record.register(PHOTOS)), 0),
    )


def _changes(record: JobRecord) -> tuple[str, ...]:
    """Renewed parts in one line, everything else that changed in a line each."""
    renewed = [c.note.split(RENEWED) for c in record.changes if RENEWED in c.note]
    lines = [f"{c.what}: {c.note}" for c in record.changes if c.note and RENEWED not in c.note]
    if renewed:
        named = "; ".join(f"{ref} ({fitted})" for ref, fitted in renewed)
        lines.insert(0, f"Renewed: {named}.")
    return tuple(lines)


def _cautions(facts: ReceiverFacts) -> tuple[str, ...]:
    dangers = dangers_for(facts, Activity.POWER)
    return tuple(s for d in dangers for s in caution(d, facts).sentences[:-1])


def _ledger(facts: ReceiverFacts, record: JobRecord) -> tuple[LedgerRow, ...]:
    rows = []
    for adjuster in facts.adjusters:
        if record.touched(adjuster.key):
            rows.append(LedgerRow(adjuster.name, turns(record.turns_of(adjuster.key))))
    return tuple(rows)


def _decisions(journey: Journey) -> tuple[str, ...]:
    lines = []
    for step in journey.steps:
        if step.closed_because:
            lines.append(f"{step.title}: {step.closed_because}")
        elif step.decision:
            lines.append(f"{step.title}: {step.decision}")
    return tuple(lines)
