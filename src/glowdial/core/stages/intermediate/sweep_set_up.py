"""How a sweep is set up, and what the sheet's cans make of one."""

from __future__ import annotations

import numpy as np

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.coupled_circuits import CanShape
from glowdial.core.physics.sweep_lag import Loop, lagged, slow_enough_s
from glowdial.core.stages.intermediate.goal import cans_by_design

# a sweep shows five of the widths that its cans should have, over ten divisions
SPAN_WIDTHS, DIVISIONS = 5.0, 10
ALLOWED_SHIFT = 0.02


def design_response(
    facts: ReceiverFacts, frequency_hz: np.ndarray, record: JobRecord | None = None
) -> np.ndarray:
    """What the sheet's cans do with every core where it belongs, without a constant factor."""
    volts, centre_hz = np.ones(frequency_hz.size), facts.intermediate_frequency_hz
    for can in cans_by_design(facts, record):
        belongs = can.belongs or (0.0,) * len(can.cores)
        centres = tuple(centre_hz * (1.0 + offset) for offset in belongs)
        volts = volts * np.abs(CanShape(centres, can.q, can.coupling).transfer(frequency_hz))
    return np.asarray(volts)


def sweep_set_up(situation: Situation) -> tuple[str, ...]:
    """How the sweep is set; empty while it is still worked out."""
    facts, generator = situation.facts, situation.equipment.generator
    sync_hz = generator.sync_hz if generator else None
    told = situation.memory.recall(
        (
            "sweep set-up",
            cans_by_design(facts),
            facts.intermediate_frequency_hz,
            facts.circuit.avc,
            sync_hz,
        ),
        lambda: (set_up_words(facts, sync_hz),),
    )
    return told[0] if told else ()


def swept_span_hz(facts: ReceiverFacts) -> tuple[float, float]:
    """From where to where a sweep of this IF runs, in whole steps a division."""
    centre = facts.intermediate_frequency_hz
    width = centre / min(q for can in facts.transformers for q in can.qs)
    span = DIVISIONS * float(f"{SPAN_WIDTHS * width / DIVISIONS:.0e}")
    return centre - 0.5 * span, centre + 0.5 * span


def set_up_words(facts: ReceiverFacts, sync_hz: float | None) -> tuple[str, ...]:
    """How the sweep is set: span, divisions, time, trigger, coupling, polarity; how slow is slow
    enough on the AVC line, and what a fast pass does to the curve."""
    centre = facts.intermediate_frequency_hz
    width = centre / min(q for can in facts.transformers for q in can.qs)
    low, high = swept_span_hz(facts)
    span = high - low
    per_division = span / DIVISIONS
    row = np.linspace(low, high, 401)
    volts = design_response(facts, row)
    law = facts.circuit.avc
    volts = volts / float(np.max(volts)) * 4.0 * law.control_v_per_neper
    loop = Loop(law.control_v_per_neper, law.delay_v)
    allowed = ALLOWED_SHIFT * width
    words = [
        f"span {khz(span)}, {khz(per_division)} a division, {khz(row[0])} to {khz(row[-1])}",
        "trigger from the generator's sync, DC coupled, inverted if the trace goes down",
        "AVC clamped and the detector shown where it can be; linear sweep",
    ]
    try:
        open_s = slow_enough_s(row, volts, law.time_constant_s, allowed)
        live_s = slow_enough_s(row, volts, law.time_constant_s, allowed, loop=loop)
        fast = lagged(row, volts, live_s / 5.0, law.time_constant_s, loop=loop)
        words.append(
            f"on the AVC line a pass of {live_s:.2g} s or slower ({open_s:.2g} s behind its filter "
            f"with the loop open) keeps the peak within {engineering(allowed, 'Hz')}; five times "
            f"faster it stands {khz(abs(fast.peak_shift_hz))} off, {fast.loss_db:.1f} dB low"
        )
    except BadInput:
        words.append("the AVC line's filter is too slow for any sweep: clamp it")
    if sync_hz is not None and 0.0 < sync_hz < centre:
        words.append(
            f"this generator cannot sync above {khz(sync_hz)}: trigger from the sweep's own ramp, "
            "or survey point by point by another indicator"
        )
    return tuple(words)
