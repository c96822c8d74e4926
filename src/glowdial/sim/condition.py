"""The hidden state of a simulated receiver: drifts, misalignment, wear. Seeded, plain data."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields
from typing import Any

import numpy as np

from glowdial.core.errors import BadInput
from glowdial.core.receiver import ReceiverFacts
from glowdial.core.tracking import AdjusterKind

# how far a neglected set's adjusters stand from where they belong, in turns either way
IF_TURNS, TRIMMER_TURNS, PADDER_TURNS, CORE_TURNS = 2.2, 0.9, 0.8, 1.0


@dataclass(frozen=True, slots=True)
class Condition:
    """What time and hands have done to one set.

    ``turns`` are turns from the nominal place, clockwise positive. ``drift`` are relative changes
    of capacities by part name. ``gang_wander`` is the relative amplitude by which the oscillator
    section departs from the aerial section along the gang. ``emission`` is the rectifier's share
    of new emission; ``filters`` the share of capacity left; ``load`` the share of nominal draw.
    """

    seed: int
    turns: dict[str, float]
    drift: dict[str, float]
    gang_wander: float
    gang_phase: float
    emission: float
    filters: float
    load: float
    needle: float = 0.002

    def as_document(self) -> dict[str, Any]:
        """Plain data for storing."""
        return asdict(self)

    @classmethod
    def from_document(cls, document: dict[str, Any]) -> Condition:
        """Read back; raises BadInput naming an unknown or missing key."""
        names = {f.name for f in fields(cls)}
        for key in document.keys() ^ names:
            if key != "needle":
                raise BadInput("condition", key, "is unknown or missing", ", ".join(sorted(names)))
        return cls(**document)


def neglected(
    facts: ReceiverFacts, seed: int, *, severity: float = 1.0, settled_bands: tuple[str, ...] = ()
) -> Condition:
    """A set that has stood for decades and been meddled with, drawn from ``seed``.

    ``severity`` scales the misalignment; bands in ``settled_bands`` were left nearly right.
    """
    rng = np.random.default_rng(seed)
    spread = {
        AdjusterKind.TRIMMER: TRIMMER_TURNS,
        AdjusterKind.PADDER: PADDER_TURNS,
        AdjusterKind.CORE: CORE_TURNS,
    }
    if_cores = set(facts.if_adjusters())
    calm = {
        key
        for band in facts.bands
        if band.key in settled_bands
        for key in (band.high_adjuster, band.low_adjuster, band.aerial_adjuster)
        if key
    }
    turns: dict[str, float] = {}
    for adjuster in facts.adjusters:
        reach = IF_TURNS if adjuster.key in if_cores else spread[adjuster.kind]
        # at least a third of the reach: a neglected set is never right by luck
        sign = 1.0 if rng.random() < 0.5 else -1.0
        amount = sign * reach * severity * rng.uniform(0.35, 1.0)
        turns[adjuster.key] = round(float(amount) * (0.06 if adjuster.key in calm else 1.0), 4)
    return Condition(
        seed=seed,
        turns=turns,
        drift={a.key: round(float(rng.normal(0.0, 0.008)), 5) for a in facts.adjusters},
        gang_wander=round(float(rng.uniform(0.004, 0.008)), 5),
        gang_phase=round(float(rng.uniform(0.0, 6.28)), 4),
        emission=round(float(rng.uniform(0.5, 0.7)), 4),
        filters=round(float(rng.uniform(0.8, 1.05)), 4),
        load=round(float(rng.uniform(0.95, 1.05)), 4),
    )
