"""The room of the IF."""

from __future__ import annotations

from glowdial.core.journey.consequences import Consequence, RecallRates
from glowdial.core.journey.room import Entering, Leg, Room, Situation
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.stages.intermediate.chains import all_if_steps, check_all, report_all
from glowdial.core.stages.intermediate.rates import RATES_FORM
from glowdial.core.stages.intermediate.survey import STAGE
from glowdial.core.stages.intermediate.work import SET_UP


def _follows(_: Situation, step: Step, ask: Ask, __: Entering) -> tuple[Consequence, ...]:
    """Once the IF is set up, what earlier visits learned of its cores is recalled."""
    return (RecallRates(),) if step.key == SET_UP and ask.key == "ready" else ()


ALIGNMENT = Leg("alignment of the IF", all_if_steps)
ROOM = Room(
    STAGE,
    (ALIGNMENT,),
    check=check_all,
    follows=_follows,
    report=report_all,
    registers=(RATES_FORM,),
)
