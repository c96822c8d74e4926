"""The IF of a simulated set: first conversion, coupled pairs as they stand, filter, tubes."""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from glowdial.core.model.facts import IfTransformer, ReceiverFacts
from glowdial.core.physics.coupled_circuits import CanShape
from glowdial.core.physics.resonance import (
    circuit_response,
    resonating_inductance_h,
)
from glowdial.sim.condition import Condition
from glowdial.sim.front_end import part_factor

Floats = NDArray[np.float64]
IF_TUBE_S = 1.6e-3
# a pentode's plate resistance by its current: some 0.8 megohm at 7 mA
PLATE_V = 5600.0
DAMPED_Q = 12.0


class IfChain:
    """Responses of one set's IF; ``turns`` are those made since it came."""

    def __init__(self, facts: ReceiverFacts, condition: Condition) -> None:
        self._facts, self._condition = facts, condition

    def can_ohm(
        self,
        can: IfTransformer,
        frequency_hz: Floats,
        turns: dict[str, float],
        *,
        plate_a: float | None = None,
        damped: tuple[str, ...] = (),
    ) -> Floats:
        """Volts at a can's last winding per ampere into its first, as it stands. The tube before it
        loads its primary, more when it draws more; ``plate_a`` of None is the design's. A
        ``damped`` winding has some 30 kohm across it."""
        intermediate = self._facts.intermediate_frequency_hz
        nominal_l = resonating_inductance_h(
            frequency_hz=intermediate, capacitance_f=can.capacitance_f
        )
        factors = [
            part_factor(self._facts, self._condition, key, turns.get(key, 0.0)) for key in can.cores
        ]
        qs = list(can.qs)
        if plate_a is not None:
            qs[0] = _reloaded(can, intermediate, plate_a)
        qs = [_damped(q) if key in damped else q for key, q in zip(can.cores, qs, strict=True)]
        coupling = tuple(
            can.coupling_of_critical / math.sqrt(a * b) for a, b in itertools.pairwise(can.qs)
        )
        shape = CanShape(tuple(intermediate / math.sqrt(f) for f in factors), tuple(qs), coupling)
        # ohms are the reactance between the two ends, times the shape
        between_h = nominal_l * math.sqrt(factors[0] * factors[-1])
        reactance = 2.0 * np.pi * frequency_hz * between_h
        return np.asarray(reactance * np.abs(shape.transfer(frequency_hz)))

    def pairs_gain(
        self,
        frequency_hz: Floats,
        turns: dict[str, float],
        *,
        first: int = 0,
        plate_a: float | None = None,
        damped: tuple[str, ...] = (),
    ) -> Floats:
        """Detector volts per ampere into the primary of can ``first``, tubes as designed."""
        gain = np.ones_like(frequency_hz)
        cans = self._facts.transformers
        for place, can in enumerate(cans[first:], first):
            response = self.can_ohm(can, frequency_hz, turns, plate_a=plate_a, damped=damped)
            gain = gain * response * (IF_TUBE_S if place < len(cans) - 1 else 1.0)
        filter_ = self._facts.circuit.if_filter
        if filter_ is not None and first == 0:
            gain = gain * np.abs(filter_.response(frequency_hz))
        return np.asarray(gain)

    def after_mixer(
        self,
        first_hz: Floats,
        turns: dict[str, float],
        plate_a: float | None = None,
        damped: tuple[str, ...] = (),
        *,
        at_second: bool = False,
    ) -> tuple[Floats, Floats]:
        """The tuned IF's frequency for what leaves the first mixer, and the gain there; for what
        is fed into the second as it is, ``at_second``.

        With a second conversion the first IF is one circuit at its own frequency, and the second
        oscillator turns it into the tuned one.
        """
        conversion = self._facts.circuit.conversion
        if conversion is None or at_second:
            return first_hz, self.pairs_gain(first_hz, turns, plate_a=plate_a, damped=damped)
        through = circuit_response(first_hz, conversion.first_intermediate_hz, conversion.first_q)
        second = np.abs(first_hz - conversion.second_oscillator_hz)
        # nothing passes at zero frequency, and no tuned circuit is defined there
        second = np.maximum(second, 1e3)
        return second, through * self.pairs_gain(second, turns, plate_a=plate_a, damped=damped)


def _damped(q: float) -> float:
    """A winding's Q with the damping resistor across it: some twelve by itself."""
    return 1.0 / (1.0 / q + 1.0 / DAMPED_Q)


def _reloaded(can: IfTransformer, intermediate_hz: float, plate_a: float) -> float:
    """A primary's Q at a plate current, given its Q at the design's 7 mA."""
    reactance = 1.0 / (2.0 * math.pi * intermediate_hz * can.capacitance_f)
    change = (plate_a - 0.007) / PLATE_V * reactance
    return 1.0 / max(1.0 / can.primary_q + change, 1e-4)
