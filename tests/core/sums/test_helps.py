"""Another receiver, a counter and a radiating loop in place of a generator on a mark."""

from __future__ import annotations

import math

import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.sums.book import sum_of


def worked(key: str, **typed: str) -> str:
    form = sum_of(key)
    answer = form.answer({**form.examples, **typed})
    return f"{answer.sentence} {' '.join(line.text for line in answer.lines)}"


def test_another_receivers_oscillator_gives_the_signal() -> None:
    # 1400 = dial + error + 465
    assert "dial on 938 kHz" in worked("another-receiver")
    low = worked("another-receiver", oscillator="below the signal", wanted="600", error="0")
    assert "dial on 1065 kHz" in low
    # the second harmonic of 700 + 465 where the oscillator itself is out of reach
    harmonic = worked("another-receiver", wanted="2330", error="0")
    assert "dial on 700 kHz" in harmonic and "harmonic 2" in harmonic
    with pytest.raises(BadInput, match="reached by no place"):
        worked("another-receiver", wanted="100")


def test_a_counter_on_the_oscillator_tells_the_tuning_and_the_image() -> None:
    said = worked("counter-on-the-oscillator")
    assert "tuned to 1400 kHz" in said and "2330 kHz" in said
    below = worked(
        "counter-on-the-oscillator", oscillator="below the signal", counted="150", intermediate="50"
    )
    assert "tuned to 200 kHz" in below and "100 kHz" in below


def test_a_loops_field_falls_with_the_cube_of_a_large_distance() -> None:
    near, far = (
        float(worked("radiated-field", distance=d).split(": ")[1].split()[0])
        for d in ("1000", "2000")
    )
    ratio = ((2.0**2 + 0.125**2) / (1.0**2 + 0.125**2)) ** 1.5
    assert near / far == pytest.approx(ratio, rel=0.01)
    assert ratio == pytest.approx(8.0, rel=0.03) and math.isfinite(near)
