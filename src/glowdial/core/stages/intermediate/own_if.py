"""The IF that this set has, where the sheet's is not known or the set was scrambled.

A crystal or mechanical filter sets it, and so does a fixed second conversion; else the cans' own
resonance with their cores in the middle of their travel says about where it was meant to be. A
small shift costs nothing once the oscillator follows.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Mapping
from enum import StrEnum

from glowdial.core.journey.record import JobRecord, latest_of
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import INTERMEDIATE_FREQUENCY, khz
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.intermediate.survey import FILTER, SURVEY, filter_width_hz

OWN_IF, HOW, CANS_AT = "own-if", "how", "cans-at"
# what receivers were made for, in Hz
USUAL_HZ = (
    *(50e3, 85e3, 100e3, 110e3, 125e3, 130e3, 175e3, 262e3, 262.5e3, 370e3, 450e3, 452e3, 455e3),
    *(456e3, 460e3, 465e3, 468e3, 470e3, 472e3, 475e3, 480e3, 500e3, 1.6e6, 1.65e6, 2.1e6),
    *(3.1e6, 5.0e6, 9.0e6, 10.7e6),
)
# cans in mid-travel stand within so much of where they were meant to be
CAN_SPREAD = 0.04
# no set is so far from its sheet
SLIP = 5.0


class KnownBy(StrEnum):
    """How an IF is known."""

    FILTER = "the filter's passband"
    CONVERSION = "the fixed second conversion"
    CANS = "the cans' own resonance"
    PAPERS = "a label or other papers"


def own_if_ask(facts: ReceiverFacts) -> Ask:
    """The IF to align to, where it is another than the sheet's."""
    return Ask(
        OWN_IF,
        f"Is this set's IF another than {khz(facts.intermediate_frequency_hz)}? What it is, and "
        "how that is known.",
        (
            Field(OWN_IF, "the IF", INTERMEDIATE_FREQUENCY),
            Field(HOW, "known by", options=tuple(KnownBy)),
        ),
        f"{facts.intermediate_frequency_hz / 1e3:.1f} label",
        called="another IF",
    )


def cans_ask(facts: ReceiverFacts) -> Ask:
    """Where each can resonates by itself, its cores in the middle of their travel."""
    example = f"{facts.intermediate_frequency_hz / 1e3:.0f}"
    return Ask(
        CANS_AT,
        "Each can's own resonance: its cores in the middle of their travel, the generator through "
        "a few pF to the stage before it, where it peaks. A dash for one that was not tried.",
        tuple(
            Field(can.key, f"{can.name} peaks at", INTERMEDIATE_FREQUENCY)
            for can in facts.transformers
        ),
        " ".join(example for _ in facts.transformers),
        blanks=True,
        called="the cans' own resonance",
    )


def settled_hz(facts: ReceiverFacts, record: JobRecord) -> float:
    """The IF that is aligned to: what was said or found of the filter last, else the sheet's."""
    said = [a for a in record.asked(OWN_IF) if OWN_IF in a.values]
    found = record.latest(SURVEY, FILTER)
    if found is not None and filter_width_hz(facts) is not None:
        said.append(found)
    if not said:
        return facts.intermediate_frequency_hz
    last = latest_of(said)
    if last.ask == OWN_IF:
        return last.values[OWN_IF]
    return 0.5 * (last.values["low"] + last.values["high"])


def check_own_if(facts: ReceiverFacts, values: Mapping[str, float]) -> None:
    """Raises BadInput for an IF that is a slip by ten rather than another IF."""
    ratio = values[OWN_IF] / facts.intermediate_frequency_hz
    if not 1.0 / SLIP < ratio < SLIP:
        raise BadInput(
            "the IF",
            khz(values[OWN_IF]),
            f"is more than {SLIP:.0f} times off the sheet's "
            f"{khz(facts.intermediate_frequency_hz)}: a slip by ten?",
            f"{facts.intermediate_frequency_hz / 1e3:.0f}",
        )


def second_conversion_hz(facts: ReceiverFacts) -> float | None:
    """The IF that a fixed second oscillator makes of the first IF; None without one."""
    conversion = facts.circuit.conversion
    if conversion is None:
        return None
    return abs(conversion.second_oscillator_hz - conversion.first_intermediate_hz)


def own_if_words(facts: ReceiverFacts, record: JobRecord) -> tuple[str, ...]:
    """What sets the IF here, and what the cans say of it."""
    words = []
    sheet_hz, at_hz = facts.intermediate_frequency_hz, settled_hz(facts, record)
    fixed = second_conversion_hz(facts)
    if fixed is not None and filter_width_hz(facts) is None:
        words.append(
            f"The fixed second conversion makes {khz(fixed)} of the first IF: it sets this one."
        )
    if at_hz != sheet_hz:
        free = fixed is None and filter_width_hz(facts) is None
        cost = "that costs nothing once the oscillator follows" if free else "everything follows it"
        words.append(
            f"Aligned to {khz(at_hz)}, {(at_hz - sheet_hz) / 1e3:+.1f} kHz from the sheet: {cost}."
        )
    tried = [a for a in record.asked(CANS_AT) if a.values]
    if tried:
        words.append(_cans_words(sheet_hz, list(tried[-1].values.values())))
    return tuple(words)


def _cans_words(sheet_hz: float, at_hz: list[float]) -> str:
    middle = statistics.median(at_hz)
    lead = f"By themselves the cans stand at about {khz(middle)}: "
    if abs(math.log(middle / sheet_hz)) <= CAN_SPREAD:
        return lead + f"the sheet's {khz(sheet_hz)} may well be right."
    near = [f for f in USUAL_HZ if abs(math.log(middle / f)) <= CAN_SPREAD]
    usual = f"; usual ones near it are {', '.join(khz(f) for f in near)}" if near else ""
    return lead + f"hardly {khz(sheet_hz)}{usual}."
