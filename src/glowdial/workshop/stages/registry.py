"""What single stages add to an entry before it is kept, found by the stage."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.stages.parts.steps import STAGE as PARTS
from glowdial.workshop.base.writing import OpenedJob
from glowdial.workshop.stages.parts import part_texts

Completer = Callable[[OpenedJob, Step, Ask, Entry], dict[str, str]]
COMPLETERS: Mapping[str, Completer] = {PARTS: part_texts}


def completed(opened: OpenedJob, step: Step, ask: Ask, entry: Entry) -> dict[str, str]:
    """Texts that a stage adds to an entry."""
    completer = COMPLETERS.get(step.stage)
    return completer(opened, step, ask, entry) if completer else {}
