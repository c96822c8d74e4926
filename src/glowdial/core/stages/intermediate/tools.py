"""What the tool itself does to a circuit: read with it in and with it out, noted for the visits to
come."""

from __future__ import annotations

import math

from glowdial.core.journey.peaking import Indicated
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import Adjuster, ReceiverFacts
from glowdial.core.stages.intermediate.adjusters import NORM_Q

TOOL = "tool"
# two readings of one needle differ by less
TELLING = 0.05


def tool_ask(adjuster: Adjuster, shown: Indicated) -> Ask:
    """At the peak, with the tool in and with it out."""
    return Ask(
        TOOL,
        f"Does the tool detune it? At the peak: {shown.label} with the tool in, and with it out "
        "and the hand away.",
        (
            Field("with_it", "tool in", shown.quantity, measurand=shown.measurand),
            Field("without", "tool out", shown.quantity, measurand=shown.measurand),
        ),
        " ".join([shown.example] * 2),
        called="the tool's own shift",
    )


def tool_words(facts: ReceiverFacts, record: JobRecord, adjuster: Adjuster) -> tuple[str, ...]:
    """What this adjuster's tool was seen to do, here or with another adjuster that it fits."""
    own = [a for a in record.asked(TOOL) if a.step.endswith(f".{adjuster.key}")]
    if own:
        return (_said(facts, adjuster, own[-1]),)
    alike = {a.key for a in facts.adjusters if a.tool and a.tool == adjuster.tool}
    others = [a for a in record.asked(TOOL) if a.step.rpartition(".")[2] in alike]
    return (_said(facts, adjuster, others[-1]),) if others and _telling(others[-1]) else ()


def _telling(answer: Answer) -> bool:
    return abs(_lost(answer)) > TELLING


def _lost(answer: Answer) -> float:
    """How much lower it reads with the tool in, as a logarithm."""
    return math.log(_read(answer, "without") / _read(answer, "with_it"))


def _read(answer: Answer, name: str) -> float:
    return max(abs(answer.values[name]), 1e-6)


def _said(facts: ReceiverFacts, adjuster: Adjuster, answer: Answer) -> str:
    if not _telling(answer):
        return f"The {adjuster.tool} does not detune it: what is read with it in holds."
    lost = _lost(answer)
    if lost < 0.0:
        return (
            f"With the {adjuster.tool} in it reads higher: the core is not on its peak. Turn a "
            "little, take it out, read; the reading with it out counts."
        )
    can = facts.can_of(adjuster.key)
    q = can.qs[can.cores.index(adjuster.key)] if can else NORM_Q
    # a single circuit falls so far when it stands so far off; a compressing line hides more of it
    shift_hz = math.sqrt(math.exp(2.0 * lost) - 1.0) / (2.0 * q) * facts.intermediate_frequency_hz
    return (
        f"The {adjuster.tool} shifts it by {khz(shift_hz)} or more: it reads "
        f"{100.0 * (1.0 - math.exp(-lost)):.0f} % lower while it is in. Turn a little, take it "
        "out, read."
    )
