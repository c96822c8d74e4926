"""How the parts of a job stand: which there are, in what order, and what was decided on each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.stages.parts.marking import marking_of
from glowdial.core.stages.parts.order import Batch, School, batches

SCHOOL, FOUND_PARTS = "parts.school", "found-parts"
FIT, RESTUFF, ORDER, KEEP = "fit", "restuff", "order", "keep"
DECISIONS = (FIT, RESTUFF, ORDER, KEEP)
DONE_DECISIONS = (FIT, RESTUFF, KEEP)
RENEWED_DECISIONS = (FIT, RESTUFF)
DECISION, CLASS, REASON = "decision", "class", "reason"
# what bridges the mains stays only with its class, and with a reason
SAFETY_USES = (PartUse.MAINS, PartUse.CHASSIS)
CLASSES = ("X1", "X2", "Y1", "Y2", "NONE")
BATCH = "parts."


@dataclass(frozen=True, slots=True)
class PartState:
    """A part with what was entered of it: measured (F or ohm), leakage, decision, what went in."""

    part: Part
    batch: str
    decision: str
    measured: float | None
    leakage_a: float | None
    fitted: str
    safety: str = ""
    reason: str = ""

    @property
    def unrated(self) -> bool:
        """Whether it bridges the mains and is still the one of old, without reason and class."""
        if self.part.use not in SAFETY_USES or self.decision in RENEWED_DECISIONS:
            return False
        return not (
            self.decision == KEEP and self.reason and self.safety.strip().upper() in CLASSES
        )

    @property
    def settled(self) -> bool:
        """Nothing more to do: changed, or kept by decision."""
        return self.decision in DONE_DECISIONS


def parts_of(facts: ReceiverFacts, record: JobRecord) -> tuple[Part, ...]:
    """The sheet's list, and what the bench found beside it."""
    found = [p for line in record.register(FOUND_PARTS) for p in found_parts(line.texts)]
    known = {p.ref for p in facts.parts}
    return (*facts.parts, *(p for p in found if p.ref not in known))


def found_parts(texts: Mapping[str, str]) -> tuple[Part, ...]:
    """Every section of a part that was found in the set, read from its marking.

    Raises BadInput for a marking that is not understood.
    """
    kind, use = PartKind(texts["kind"]), PartUse(texts["use"])
    ref = texts["ref"].strip()
    marked = marking_of(texts["marked"], resistor=kind is PartKind.RESISTOR)
    many = len(marked) > 1
    return tuple(
        Part(
            ref=f"{ref}{chr(ord('a') + n)}" if many else ref,
            name=use.value,
            kind=kind,
            use=use,
            value=one.value,
            volts=None if kind is PartKind.RESISTOR else one.volts,
            can=ref if many else "",
        )
        for n, one in enumerate(marked)
    )


def part_states(facts: ReceiverFacts, record: JobRecord) -> tuple[PartState, ...]:
    """Every part as it stands; those that stay unless tested bad are in no batch."""
    places = {p.ref: b.key for b in order_of(facts, record) for p in b.parts}
    return tuple(
        _state(part, places.get(part.ref, ""), decided(record, part.ref))
        for part in parts_of(facts, record)
    )


def decided(record: JobRecord, ref: str) -> Answer | None:
    """The last decision on a part, in whichever batch it was taken."""
    known = [a for a in record.asked(ref) if a.step.startswith(BATCH) and DECISION in a.texts]
    return known[-1] if known else None


def _state(part: Part, batch: str, answer: Answer | None) -> PartState:
    if answer is None:
        return PartState(part, batch, "", None, None, "")
    return PartState(
        part,
        batch,
        answer.texts["decision"],
        answer.values.get("measured"),
        answer.values.get("leakage"),
        answer.texts.get("fitted", ""),
        answer.texts.get(CLASS, ""),
        answer.texts.get(REASON, ""),
    )


def school_of(record: JobRecord) -> School | None:
    """The school chosen for this job, if one was."""
    answer = record.latest(SCHOOL, "school")
    return School(answer.texts["school"]) if answer else None


def order_of(facts: ReceiverFacts, record: JobRecord) -> tuple[Batch, ...]:
    """The batches of the school chosen; of the default one before it is."""
    return batches(parts_of(facts, record), school_of(record) or School.DANGEROUS)
