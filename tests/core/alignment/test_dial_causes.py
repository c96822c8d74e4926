"""Causes of dial errors: by shapes made without the code's own, and calibrated on other plates."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.dial_causes import MARKS, SPAN, calibrated
from benchmarks.oscillator_designs import GANG
from benchmarks.oscillator_moves import parts_of

from glowdial.core.alignment.dial_causes import DialFault, MarkError, best_to_turn, dial_causes
from glowdial.core.physics.tracking import TankRole, best_points, signal_circuit

BAND = best_points(signal_circuit(GANG, *SPAN), 465e3, *SPAN)


def errors(part: str, share: float) -> list[MarkError]:
    """The marks of the maker's set with one part off, by the hidden receiver's own tank."""
    parts = parts_of(BAND)
    changed = type(parts)(**{**vars(parts), part: getattr(parts, part) * (1.0 + share)})
    gang = [float(BAND.oscillator.gang_capacity_f(m + 465e3)) for m in MARKS]
    return [
        MarkError(m, changed.frequency(g) - 465e3 - m, 0.005 * m, 600.0)
        for m, g in zip(MARKS, gang, strict=True)
    ]


@pytest.mark.parametrize(
    ("part", "share", "cause", "role"),
    [
        ("across_gang", 0.08, DialFault.SHUNT, TankRole.SHUNT),
        ("series", -0.05, DialFault.SERIES, TankRole.SERIES),
        ("coil", 0.02, DialFault.SCALE, TankRole.SCALE),
    ],
)
def test_a_part_that_is_off_is_named_and_put_right(
    part: str, share: float, cause: DialFault, role: TankRole
) -> None:
    marks = errors(part, share)
    found = dial_causes(BAND, SPAN, marks)
    assert found[0].cause is cause and found[0].probability > 0.8
    best = best_to_turn(BAND, marks, list(TankRole))
    assert best is not None and best.role is role
    # it starts from the sheet's circuit, and the set is not that: good to a few per cent of the way
    assert (1.0 + best.change) * (1.0 + share) == pytest.approx(1.0, abs=0.06 * abs(share))
    assert best.worst_after < 0.1


def test_a_pointer_is_no_part() -> None:
    marks = [MarkError(m, 0.012 * m, 0.005 * m, 600.0) for m in MARKS]
    found = dial_causes(BAND, SPAN, marks)
    assert found[0].cause is DialFault.POINTER
    # a trimmer alone cannot follow a pointer
    trimmer = best_to_turn(BAND, marks, [TankRole.SHUNT])
    assert trimmer is not None and trimmer.worst_after > 0.5


def test_a_sound_dial_has_no_cause_and_probabilities_add_up() -> None:
    rng = np.random.default_rng(4)
    marks = [MarkError(m, 600.0 * float(rng.standard_normal()), 0.005 * m, 600.0) for m in MARKS]
    found = dial_causes(BAND, SPAN, marks)
    assert found[0].cause is DialFault.NOTHING
    assert sum(c.probability for c in found) == pytest.approx(1.0)


def test_what_is_said_to_be_likely_is_so_as_often() -> None:
    hits, sure, turned = calibrated(150)
    assert hits[sure > 0.9].mean() > 0.9
    between = (sure >= 0.6) & (sure < 0.9)
    assert 0.55 <= hits[between].mean() <= 0.97
    assert np.mean(turned) >= 0.96
