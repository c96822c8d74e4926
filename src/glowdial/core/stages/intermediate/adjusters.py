"""How the IF's adjusters stand: which move, which are left alone and why, and which do nothing.

An adjuster that changes nothing is looked for at the low level and on the flank of the curve, where
a detuned circuit shows at once (at its peak it hardly does), one turn either way and no further. It
is then one of: stripped, at its stop, the wrong one, another band's, or the indicator is not where
it should be.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.journey.peaking import PEAK, Indicated
from glowdial.core.journey.record import Answer, JobRecord, newest_first
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import TURNS, khz
from glowdial.core.model.facts import Adjuster, ReceiverFacts
from glowdial.core.model.measurands import turn_of

STATE, WHY, NO_CHANGE, BACK = "state", "why", "no-change", "back"
# between a turn one way and a turn the other a working core shows more than this on the flank; two
# readings that are 3 % off by themselves differ by less in 98 of 100
FLAT_SHARE = 0.10
NORM_Q = 90.0


class Movement(StrEnum):
    """How an adjuster was found."""

    FREE = "free"
    STIFF = "stiff"
    NOT_FOUND = "not found"
    OUT_OF_REACH = "out of reach"
    UNDER_COVER = "under a cover"
    SEALED = "sealed"
    STRIPPED = "stripped"
    AT_STOP = "at its stop"
    OVERRIDDEN = "sealed, overridden"
    DEAD = "changes nothing"


LEFT_ALONE = (
    Movement.NOT_FOUND,
    Movement.OUT_OF_REACH,
    Movement.SEALED,
    Movement.STRIPPED,
    Movement.AT_STOP,
    Movement.DEAD,
)
SAYABLE = tuple(m for m in Movement if m is not Movement.DEAD)
DEAD_CHECKS = (
    "It changes nothing. One of: stripped (does the core move with the screw? look with a lamp), "
    "at its stop (does it turn freely one way only?), the wrong one (find its can on the chassis "
    "drawing), another band's or the other mode's (what is switched in?), or the indicator is not "
    "where it should be (does it follow the generator's level?). Put it back where it stood; it is "
    "turned no further."
)


@dataclass(frozen=True, slots=True)
class AdjusterStanding:
    """How an adjuster stands, why it may be turned all the same where it is sealed, and the entry
    that said so (None: nothing was said)."""

    movement: Movement
    why: str = ""
    answer: Answer | None = None

    @property
    def left_alone(self) -> bool:
        """Whether it is not turned."""
        return self.movement in LEFT_ALONE


def standing(facts: ReceiverFacts, record: JobRecord, adjuster: str) -> AdjusterStanding:
    """How an adjuster stands by the last that was said or found of it; sealed where its place on
    the chassis says so, else free."""
    said: list[Answer] = []
    for key in (STATE, NO_CHANGE):
        said += [a for a in record.asked(key) if a.step.endswith(f".{adjuster}")]
    for answer in newest_first(said):
        if answer.ask == STATE:
            return AdjusterStanding(
                Movement(answer.texts[STATE]), answer.texts.get(WHY, ""), answer
            )
        if changes_nothing(answer):
            return AdjusterStanding(Movement.DEAD, "", answer)
    placed = facts.layout.placed if facts.layout else ()
    sealed = any(p.what == adjuster and p.sealed for p in placed)
    return AdjusterStanding(Movement.SEALED if sealed else Movement.FREE)


def changes_nothing(answer: Answer) -> bool:
    """Whether a turn clockwise and one the other way read alike."""
    return abs(contrast(answer)) < FLAT_SHARE


def contrast(answer: Answer) -> float:
    """Logarithm of the reading a turn clockwise over that a turn the other way."""
    clockwise, other = (max(abs(answer.values[n]), 1e-6) for n in ("clockwise", "other"))
    return math.log(clockwise / other)


def flank_hz(facts: ReceiverFacts, adjuster: str) -> float:
    """Where the generator stands to see a circuit move: half a bandwidth of it above the IF."""
    can = facts.can_of(adjuster)
    q = can.qs[can.cores.index(adjuster)] if can else NORM_Q
    return facts.intermediate_frequency_hz * (1.0 + 0.5 / q)


def state_ask(adjuster: Adjuster) -> Ask:
    """How it moves; a sealed one is overridden at a person's risk, who says why."""
    return Ask(
        STATE,
        f"How is the {adjuster.name}? Sealed ones stay, unless somebody takes the risk: say who, "
        "and why.",
        (
            Field(STATE, "it is", options=SAYABLE),
            Field(WHY, "who and why, if overridden", required=False),
        ),
        Movement.STIFF.value,
        called="how it moves",
    )


def check_state(texts: dict[str, str]) -> None:
    """Raises BadInput for a seal that is overridden by nobody."""
    if texts.get(STATE) == Movement.OVERRIDDEN and not texts.get(WHY, "").strip():
        raise BadInput(
            "who and why", "", "is wanted for a sealed one", "N.N., the winding was replaced"
        )


def no_change_ask(adjuster: Adjuster, shown: Indicated, low_words: str, at_hz: float) -> Ask:
    """Where a turn does nothing: three readings on the flank at the low level, and never more than
    one turn."""
    return Ask(
        NO_CHANGE,
        f"Nothing changes? Generator to {khz(at_hz)}, on the flank, and its level so that it reads "
        f"{low_words}; damper on. Then {shown.label} as it stands, one turn clockwise, and one "
        "turn the other way from where it "
        "stood. Then back; no further.",
        (
            Field("before", "as it stands", shown.quantity, measurand=shown.measurand),
            Field("clockwise", "one turn clockwise", shown.quantity, measurand=shown.measurand),
            Field("other", "one turn the other way", shown.quantity, measurand=shown.measurand),
        ),
        " ".join([shown.example] * 3),
        called="nothing changes",
    )


def back_ask(adjuster: Adjuster, turned: float) -> Ask:
    """Back to where it was found, by the ledger."""
    return Ask(
        BACK,
        f"Back to as found: turn the {adjuster.name} by {-turned:+.4g} turns, and enter the turn.",
        (Field("turns", "turn", TURNS, measurand=turn_of(adjuster.key)),),
        f"{-turned:+.4g}",
        called="back to as found",
    )


def last_visits(record: JobRecord, adjuster: str) -> tuple[Answer, ...]:
    """Every time that it was peaked in this job, in order."""
    return tuple(a for a in record.asked(PEAK) if a.step.endswith(f".{adjuster}"))
