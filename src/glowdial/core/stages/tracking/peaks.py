"""Aerial and RF circuits of a band: peaked once the oscillator brings its marks in.

The mixer's circuit before the aerial's, which the wire loads; cores at the low mark first, then
trimmers, so that it ends at the high one, where a trimmer rules.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.chain import AERIAL, SetUp, chain_picture
from glowdial.core.journey.dial_marks import (
    band_adjusters,
    brought_in_hz,
    dial_leads,
    dial_recipe,
    is_fm,
    mark_ask,
    mark_cost,
    mark_result,
)
from glowdial.core.journey.peaking import AVC_SHOWN, PEAK, Indicated, peak_step
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Basis, JobRecord
from glowdial.core.journey.signal_in import through_words
from glowdial.core.journey.steps import Step
from glowdial.core.language.quantities import AVC_VOLTS, khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.measurands import AVC
from glowdial.core.stages.tracking.oscillator import pulled_key
from glowdial.core.stages.tracking.plan import is_sealed
from glowdial.core.stages.tracking.stage import STAGE

PEAK_LEVEL_V = 200e-6
# where an FM set does not limit yet
LIMITED_LEVEL_V = 5e-6
# of the limiter's threshold
BELOW_LIMITING = 0.5
LIMITER_SHOWN = Indicated("limiter volts", AVC_VOLTS, AVC, "-0.4")
IN_NOISE = (
    "Signal so weak that it still hisses, below limiting: above it the peak does not show. By ear "
    "the least hiss is the peak."
)
# above this a signal circuit's trimmer pulls the oscillator
SHORT_WAVE_HZ = 3e6


@dataclass(frozen=True, slots=True)
class _Circuit:
    """A circuit's adjuster at one end: the end of its step's key, the adjuster, its mark."""

    key: str
    adjuster: str
    mark_hz: float


def peak_steps(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, *, first: bool = False
) -> list[Step]:
    """A step for every adjuster of the signal circuits, in the order that they are peaked. A
    ``first`` pass, before the oscillator, is at the high mark alone, and stands whatever the
    oscillator does afterwards."""
    low, high = band.low_mark_hz, band.high_mark_hz
    wanted = (
        ("rf-low", band.rf_low_adjuster, low),
        ("aerial-low", band.aerial_low_adjuster, low),
        ("rf", band.rf_adjuster, high),
        *((f"rf{n}", key, high) for n, key in enumerate(band.more_rf_adjusters, start=2)),
        ("aerial", band.aerial_adjuster, high),
    )
    circuits = [
        _Circuit(key, adjuster, mark)
        for key, adjuster, mark in wanted
        if adjuster and not is_sealed(facts, adjuster) and not (first and mark == low)
    ]
    steps = []
    before: tuple[str, ...] = ()
    for circuit in circuits:
        rests_on = () if first else (*band_adjusters(band), *before)
        steps.append(_peak(facts, record, band, circuit, rests_on))
        # a core moves the high end too; the circuits themselves do not move each other
        if circuit.mark_hz == low:
            before = (*before, circuit.adjuster)
    return steps


def _peak(
    facts: ReceiverFacts,
    record: JobRecord,
    band: BandFacts,
    circuit: _Circuit,
    rests_on: tuple[str, ...],
) -> Step:
    fm = facts.circuit.fm
    level_v = PEAK_LEVEL_V if fm is None else LIMITED_LEVEL_V
    recipe = dial_recipe(facts, band, circuit.mark_hz, Doing.PEAK).setting(generator_emf_v=level_v)
    if fm is not None:
        # held where it does not limit yet, whatever level that takes
        recipe = replace(recipe, target_v=BELOW_LIMITING * fm.limiter_v)
    step = peak_step(
        record,
        Step(f"osc.{band.key}.{circuit.key}", STAGE, "", "", leads=dial_leads(facts)),
        facts.adjuster(circuit.adjuster),
        recipe=recipe,
        level_v=level_v,
        shown=AVC_SHOWN if fm is None else LIMITER_SHOWN,
        basis=Basis(
            adjusters=tuple(k for k in rests_on if k != circuit.adjuster),
            areas=("aerial",),
        ),
    )
    now = set_up_at(facts, band, circuit.mark_hz, circuit.adjuster)
    return replace(
        step,
        title=f"{step.title} at {khz(circuit.mark_hz)}",
        notes=(
            *step.notes,
            *(_pulling(circuit.mark_hz) if fm is None else (IN_NOISE,)),
        ),
        show_chain=lambda: chain_picture(facts, record, now),
    )


def pulled_steps(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """On short wave the high mark is read once more when its signal circuits were peaked: they pull
    the oscillator along, and a mark that went outside goes back to the rounds."""
    high_ones = (band.rf_adjuster, *band.more_rf_adjusters, band.aerial_adjuster)
    trimmers = tuple(k for k in high_ones if k)
    peaked = any(record.latest(f"osc.{band.key}.{end}", PEAK) for end in ("rf", "aerial"))
    mark = band.high_mark_hz
    if mark < SHORT_WAVE_HZ or is_fm(facts) or not trimmers or not peaked:
        return []
    key = pulled_key(band)
    if record.of_step(f"dial.{band.key}") and not record.of_step(key):
        # its dial was read without it
        return []
    found = reading(
        record,
        key,
        mark_ask(facts, band, mark, "pulled"),
        Basis(adjusters=(*trimmers, *band_adjusters(band))),
    )
    step = Step(
        key,
        STAGE,
        f"{band.name}: read {khz(mark)} again, its trimmers pull the oscillator",
        "On short wave what peaks the signal circuits moves the oscillator too.",
        results=tuple(
            mark_result(band, mark, a, label="after peaking", stale=found.stale, as_found=False)
            for a in (found.answer,)
            if a is not None
        ),
        leads=dial_leads(facts),
        powered=True,
        cost=mark_cost(band, mark, brought_in_hz(band, found.answer, mark)) if found.answer else "",
    )
    return [conclude(step, (found,))]


def _pulling(mark_hz: float) -> tuple[str, ...]:
    """On short wave a signal circuit pulls the oscillator along."""
    if mark_hz < SHORT_WAVE_HZ:
        return ()
    return (
        "This trimmer pulls the oscillator: rock the tuning to and fro while you turn, go for the "
        "highest peak wherever the pointer stands, then read this mark again.",
    )


def set_up_at(facts: ReceiverFacts, band: BandFacts, mark_hz: float, adjuster: str | None) -> SetUp:
    """Generator on a mark through what stands for the aerial, meter on the AVC line."""
    return SetUp(
        signal_hz=mark_hz,
        generator_at=AERIAL,
        through=through_words(facts),
        level_v=PEAK_LEVEL_V,
        band=band.key,
        adjuster=adjuster,
    )
