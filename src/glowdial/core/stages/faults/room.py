"""The room of fault tracing: what it does as found, and how a fault is traced to a block and a
part."""

from __future__ import annotations

from glowdial.core.journey.consequences import Consequence, Mended, RecallHistory
from glowdial.core.journey.room import Entering, Leg, ReportPart, Room, Situation
from glowdial.core.journey.sensitivity import check_tone_pair
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.stages.faults.case import HISTORY, HISTORY_FORM, MEND, MENDED_ASK
from glowdial.core.stages.faults.complaint_steps import COMPLAINT
from glowdial.core.stages.faults.steps import STAGE, as_found_steps
from glowdial.core.stages.faults.tracing_steps import tracing_steps
from glowdial.core.tracing.derived import diagram_of

# when something that came back is looked at again
MONTHS = 3


def _report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """What was found and mended, a sentence each; what came back is looked at again."""
    mended = [s for s in steps if s.key.startswith(f"{MEND}.") and s.results]
    story = tuple(f"{_mended_name(s)}: {s.results[0].text}." for s in mended)
    before = {line.texts.get("block", "") for line in situation.record.register(HISTORY)}
    names = {b.name: b.key for b in diagram_of(situation.facts).blocks} if mended else {}
    back = [n for n in map(_mended_name, mended) if names.get(n) in before]
    again = f"Look at it again in {MONTHS} months: {', '.join(back)} came back." if back else ""
    return ReportPart(story=story, next_check=again)


def _mended_name(step: Step) -> str:
    return step.title.removeprefix("Mend ").removesuffix(", and nothing else")


def _follows(_: Situation, step: Step, ask: Ask, __: Entering) -> tuple[Consequence, ...]:
    """A mended block is mended in a simulated set too; a complaint recalls what was found
    before."""
    kind, ___, block = ask.key.partition(" ")
    if step.key.startswith(f"{MEND}.") and kind == MENDED_ASK:
        return (Mended(block),)
    return (RecallHistory(),) if step.key == COMPLAINT else ()


AS_FOUND = Leg("what it does as found", as_found_steps)
TRACED = Leg("fault tracing", tracing_steps, looks_back=True)
ROOM = Room(
    STAGE,
    (AS_FOUND, TRACED),
    check=check_tone_pair,
    follows=_follows,
    report=_report,
    registers=(HISTORY_FORM,),
)
