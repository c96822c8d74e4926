"""What somebody believes to be wrong, said at the door: weak evidence, and kept as that."""

from __future__ import annotations

from glowdial.core.journey.record import JobRecord

STORY = "intake.story"
# where a fault may be believed to be; the first says nothing
BLOCKS = ("not said", "supply", "audio", "detector", "IF", "mixer", "oscillator", "aerial")


def weak_evidence(record: JobRecord) -> tuple[tuple[str, str], ...]:
    """Blocks that the owner and we suspected at the door, as (who, block): weak evidence only."""
    answer = record.latest(STORY, "story")
    if answer is None:
        return ()
    named = (("owner", "belief_block"), ("first guess", "guess_block"))
    found = [(who, answer.texts.get(field, "")) for who, field in named]
    return tuple((who, block) for who, block in found if block and block != BLOCKS[0])
