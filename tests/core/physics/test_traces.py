"""A trace's figures against the integrals of what it was made of."""

from __future__ import annotations

import numpy as np
import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.traces import reduced


@pytest.mark.parametrize("periods", [1, 5, 40])
@pytest.mark.parametrize(("mean_v", "peak_v"), [(235.0, 3.0), (-4.0, 0.01), (0.0, 1.0)])
def test_a_sine_on_a_level_has_its_textbook_figures(
    mean_v: float, peak_v: float, periods: int
) -> None:
    phase = 2.0 * np.pi * periods * np.arange(6000) / 6000
    found = reduced(mean_v + peak_v * np.sin(phase))
    assert found.mean_v == pytest.approx(mean_v, abs=1e-9 * max(abs(mean_v), 1.0))
    assert found.alternating_v == pytest.approx(peak_v / np.sqrt(2.0), rel=1e-6)
    assert found.peak_to_peak_v == pytest.approx(2.0 * peak_v, rel=1e-3)


def test_a_saw_tooth_of_ripple_has_its_own_form_factor() -> None:
    tooth = np.linspace(-0.5, 0.5, 10_001)
    found = reduced(200.0 + 6.0 * tooth)
    assert found.peak_to_peak_v / found.alternating_v == pytest.approx(2.0 * np.sqrt(3.0), rel=1e-3)


@pytest.mark.parametrize("samples", [[], [1.0], [1.0, float("nan")], [[1.0, 2.0]]])
def test_a_trace_of_nothing_is_refused(samples: list[float]) -> None:
    with pytest.raises(BadInput, match="two or more"):
        reduced(samples)
