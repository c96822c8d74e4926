"""The set's own noise against that of its aerial: whether the room, or the set, sets the limit."""

from __future__ import annotations

import math
from collections.abc import Mapping

from glowdial.core.journey.record import Answer
from glowdial.core.journey.steps import Ask, Field, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import AUDIO_VOLTS
from glowdial.core.model.circuit import AerialKind
from glowdial.core.stages.proof.figure import Phase, offered, proof_leads

NOISE = "noise"
# the room counts when it lifts the noise by this, and is all that counts from here on
COUNTS_DB, ALL_DB = 1.0, 10.0


def noise_step(at: Phase) -> Step:
    """Output with the aerial and with a screened termination, the gain held."""
    facts, record = at.situation.facts, at.record
    key = f"proof.{at.name}.noise"
    answer = record.latest(key, NOISE)
    stale = answer is not None and record.stale(answer, at.basis())
    open_aerial = facts.circuit.aerial.kind is not AerialKind.WIRE
    step = Step(
        key,
        at.stage,
        f"Its own noise and the room's, as {at.name}",
        "What an aerial brings in a room of lamps and adapters may hide what the set can do. With "
        "a screened resistor for it, and the gain held where it was, only its own is left.",
        advice=noise_words(answer, open_aerial=open_aerial) if answer and not stale else (),
        leads=proof_leads(facts),
        controls=("generator off", "gain held: AVC clamped where it stood, volume untouched"),
        powered=True,
    )
    return offered(step, [_ask()], [NOISE] if stale else [])


def _ask() -> Ask:
    return Ask(
        NOISE,
        "Generator off, gain held: output with its aerial, and with a screened termination.",
        (
            Field("aerial", "output with its aerial", AUDIO_VOLTS),
            Field("terminated", "output terminated", AUDIO_VOLTS),
        ),
        "0.42 0.18",
        called="own noise and the room's",
    )


def noise_words(answer: Answer, *, open_aerial: bool) -> tuple[str, ...]:
    """How far the room lifts the noise, and what that means for the figures."""
    with_it, own = answer.values["aerial"], answer.values["terminated"]
    lifted_db = 20.0 * math.log10(with_it / own)
    if lifted_db < COUNTS_DB:
        return (
            f"The aerial lifts the noise by {lifted_db:.1f} dB: the set's own is the limit, and "
            "more sensitivity would be heard here.",
        )
    room = math.sqrt(with_it**2 - own**2)
    share_db = 20.0 * math.log10(room / own)
    words = [
        f"The aerial lifts the noise by {lifted_db:.1f} dB: the room's is {share_db:+.1f} dB "
        "against the set's own."
    ]
    if lifted_db >= ALL_DB:
        words.append("The room alone sets the limit: more sensitivity would not be heard here.")
    if open_aerial:
        words.append(
            "Its aerial stays on while the sensitivity is read: in a screened room that figure "
            f"would be lower by {lifted_db:.1f} dB."
        )
    else:
        words.append(
            "The sensitivity is read through the dummy aerial, which the room does not reach: "
            "nothing is taken off it."
        )
    return tuple(words)


def check_noise(step: str, ask: Ask, values: Mapping[str, float]) -> None:
    """Raises BadInput for noise that is none, or that an aerial lowers."""
    if not step.endswith(f".{NOISE}"):
        return
    shown = " ".join(f"{v:g}" for v in values.values())
    if min(values.values()) <= 0.0:
        raise BadInput("noise", shown, "cannot be: noise is never nothing", ask.example)
    if values["aerial"] < values["terminated"] / 1.05:
        raise BadInput("noise", shown, "cannot be: swapped", ask.example)
