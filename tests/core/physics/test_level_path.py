"""What stands between generator and set: losses and doubts, against nodal solutions and draws."""

from __future__ import annotations

import math

import numpy as np
import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.level_path import LevelPath, PathPart, mismatch_part, together


def test_losses_add_and_doubts_add_as_their_squares() -> None:
    path = LevelPath((PathPart("cable", 0.4, 0.3), PathPart("pad", 20.0, 0.4), PathPart("amp", -6)))
    assert path.loss_db == pytest.approx(14.4) and path.doubt_db == pytest.approx(0.5)
    assert path.at_the_end_v(1e-3) == pytest.approx(1e-3 * 10 ** (-14.4 / 20))
    assert path.at_the_generator_v(path.at_the_end_v(3e-6)) == pytest.approx(3e-6)
    assert together([]) is None


@pytest.mark.parametrize(("source_db", "load_db"), [(20.0, 6.0), (14.0, 14.0), (30.0, 3.0)])
def test_mismatch_is_the_spread_of_every_phase(source_db: float, load_db: float) -> None:
    """A line between a source and a load that both reflect, by the waves that go to and fro."""
    rng = np.random.default_rng(1)
    size = 10 ** (-(source_db + load_db) / 20)
    phases = rng.uniform(0.0, 2.0 * np.pi, 20_000)
    level_db = -20.0 * np.log10(np.abs(1.0 - size * np.exp(1j * phases)))
    part = mismatch_part(source_db, load_db)
    assert part.loss_db == 0.0
    # the half of the whole spread holds nineteen of twenty, and hardly more is needed
    assert np.mean(np.abs(level_db) <= part.doubt_db * 1.05) >= 0.95
    assert part.doubt_db <= float(np.max(np.abs(level_db))) + 0.01


@pytest.mark.parametrize("wrong", [(0.0, 10.0), (10.0, -1.0), (200.0, 10.0)])
def test_a_return_loss_that_is_none_is_refused(wrong: tuple[float, float]) -> None:
    with pytest.raises(BadInput):
        mismatch_part(*wrong)


def test_a_mismatch_that_hardly_reflects_leaves_hardly_a_doubt() -> None:
    assert mismatch_part(60.0, 60.0).doubt_db < 1e-4
    assert mismatch_part(6.0, 6.0).doubt_db == pytest.approx(
        10.0 * math.log10((1 + 0.2512) / (1 - 0.2512)), abs=1e-3
    )
