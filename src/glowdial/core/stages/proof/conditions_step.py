"""The conditions that a proof was taken under, noted once for all of its figures."""

from __future__ import annotations

from glowdial.core.journey.proof_conditions import (
    compared_words,
    conditions,
    conditions_ask,
    conditions_key,
    conditions_words,
)
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.steps import (
    Status,
    Step,
)
from glowdial.core.stages.proof.figure import (
    Phase,
)


def conditions_step(at: Phase) -> Step:
    """Nobody has to note them; figures without them are compared at the reader's risk."""
    noted = conditions(at.record, at.name)
    differ = compared_words(at.record, FOUND, LEFT) if at.name == LEFT else ""
    return Step(
        conditions_key(at.name),
        at.stage,
        f"What the figures as {at.name} are taken under",
        "Cabinet, control, volume and what is switched on nearby change every figure: those taken "
        "otherwise do not compare, this year or next.",
        status=Status.DONE,
        others=(conditions_ask(),),
        notes=(conditions_words(noted),) if noted else (),
        advice=(differ,) if differ else (),
    )
