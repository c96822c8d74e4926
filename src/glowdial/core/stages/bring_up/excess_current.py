"""Where excess current goes: a leak at the reservoir, or an overload behind it.

One circuit cannot be told from the other at one moment; time or a lifted lead decides.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

from glowdial.core.language.errors import require_positive
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.bring_up.supply_causes import (
    METER_ERROR,
    check_possible_nodes,
    leaking_reservoir,
    overload_words,
)


class Excess(StrEnum):
    """Where excess current goes, once it is known that there is some."""

    LEAK = "leaky filter capacitor"
    OVERLOAD = "overload"
    NEAR = "two causes near"


# how far B+ may rise in five minutes when a filter re-forms, and how often a leak does
FORMS_UP_TO, FORMS_SHARE = 0.25, 0.5
REPEAT_ERROR = math.sqrt(2.0) * METER_ERROR
FALLS_FROM = 0.03
SURE = 0.8
# a voltmeter's own draw, as a share of the load's
IDLE_SHARE = 1e-3


@dataclass(frozen=True, slots=True)
class ExcessVerdict:
    """A leak, an overload, or two causes near; the leak's probability, and words."""

    kind: Excess
    leak_probability: float
    words: str


def decide_excess(
    supply: Supply,
    extra: float,
    *,
    before_v: float | None = None,
    after_v: float | None = None,
    lifted_v: float | None = None,
    line_v: float | None = None,
) -> ExcessVerdict:
    """Tell a leak at the reservoir from an overload behind it.

    One circuit cannot be told from the other at one moment. ``before_v`` and ``after_v`` are B+ at
    steady AC five minutes apart: an electrolytic that re-forms draws less and B+ rises, an overload
    stays. ``lifted_v`` is the reservoir with its load's lead lifted: a leak still pulls it down.
    ``extra`` is the excess as a share of the nominal load. Raises BadInput for a fall or rise that
    is no settled reading.
    """
    line = line_v or supply.line_v
    known = [v for v in (before_v, after_v, lifted_v) if v is not None]
    check_possible_nodes(supply, line, known, ())
    if lifted_v is not None:
        return _by_lifting(supply, extra, lifted_v, line)
    if before_v is None or after_v is None:
        return ExcessVerdict(
            Excess.NEAR,
            0.5,
            "A leak and an overload are one circuit here: read again after five minutes, or lift "
            "the load's lead.",
        )
    require_positive(before_v=before_v, after_v=after_v)
    rise = after_v / before_v - 1.0
    leak_probability = _forming_probability(rise)
    if leak_probability >= SURE:
        return ExcessVerdict(
            Excess.LEAK,
            leak_probability,
            f"B+ rose by {100 * rise:.1f} % in the time: a filter capacitor is re-forming. Keep it "
            "at volts, and read again.",
        )
    if rise <= -FALLS_FROM:
        return ExcessVerdict(
            Excess.NEAR,
            0.5,
            f"B+ fell by {-100 * rise:.1f} %: it gets worse with heat. Switch off, lift the load's "
            "lead, and read the reservoir alone.",
        )
    return ExcessVerdict(
        Excess.NEAR,
        leak_probability,
        f"B+ changed by {100 * rise:+.1f} %, which two readings may differ by: an overload, or a "
        "leak that does not form any more. Lift the load's lead and read the reservoir.",
    )


def _forming_probability(rise: float) -> float:
    """That a rise of B+ in five minutes is a re-forming filter's, leak and overload alike before.

    An overload's readings differ by the meter's error alone; so do those of a leak that does not
    form, and a forming one's rise anywhere up to a quarter.
    """
    still = math.exp(-0.5 * (rise / REPEAT_ERROR) ** 2) / (REPEAT_ERROR * math.sqrt(2.0 * math.pi))
    forming = FORMS_SHARE / FORMS_UP_TO if 0.0 < rise < FORMS_UP_TO else 0.0
    leak = (1.0 - FORMS_SHARE) * still + forming
    return leak / (leak + still) if leak + still > 0.0 else 0.5


def _by_lifting(supply: Supply, extra: float, lifted_v: float, line_v: float) -> ExcessVerdict:
    """The reservoir alone: beside its unloaded volts, and beside those with the leak that fits."""
    idle = replace(supply.load, current_a=IDLE_SHARE * supply.load.current_a, string_a=0.0)
    sound = steady_state(replace(supply, load=idle), line_v).node_v[0]
    leaky = steady_state(replace(leaking_reservoir(supply, extra), load=idle), line_v).node_v[0]
    spread = math.hypot(METER_ERROR, 0.02)
    if abs(math.log(sound / leaky)) < 2.0 * spread:
        return ExcessVerdict(
            Excess.NEAR, 0.5, "The two differ too little here: measure the capacitor's leakage."
        )
    chi = [(math.log(max(lifted_v, 1e-3) / v) / spread) ** 2 for v in (leaky, sound)]
    odds = math.exp(min(max(0.5 * (chi[1] - chi[0]), -50.0), 50.0))
    probability = odds / (1.0 + odds)
    words = f"alone it should stand at {sound:.0f} V, with that leak at {leaky:.0f} V"
    if probability >= SURE:
        return ExcessVerdict(Excess.LEAK, probability, f"The reservoir leaks: {words}. Renew it.")
    if probability <= 1.0 - SURE:
        return ExcessVerdict(
            Excess.OVERLOAD,
            probability,
            f"The reservoir is good: {words}. The excess is drawn behind it: "
            f"{overload_words(supply)}.",
        )
    return ExcessVerdict(Excess.NEAR, probability, f"Between the two: {words}. Read it again.")
