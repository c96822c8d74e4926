"""The level at which a second carrier comes to be heard, of receivers whose level is known."""

from __future__ import annotations

import math

import pytest

from glowdial.core.tuner.drive import AudioMeter, Drive, Look
from glowdial.core.tuner.unwanted import unwanted_db

DRIVE, LOOK = Drive(level_v=1e-4, other_offset_hz=4e5), Look(AudioMeter.UNWANTED)


@pytest.mark.parametrize("rejection_db", [-50.0, -13.0, 4.0, 41.0])
def test_it_is_found_where_the_other_is_30_db_down(rejection_db: float) -> None:
    """What comes through of the other is its ratio to the wanted one, less the rejection."""

    def hear(drive: Drive, look: Look) -> float:
        assert look.meter is AudioMeter.DISTORTION and drive.level_v == DRIVE.level_v
        return drive.other_level_v / drive.level_v * 10.0 ** (-rejection_db / 20.0)

    expected_db = max(rejection_db - 30.0, -30.0)
    assert unwanted_db(hear, DRIVE, LOOK) == pytest.approx(expected_db, abs=0.13)


def test_it_ends_at_80_db_where_the_other_is_never_heard() -> None:
    found_db = unwanted_db(lambda drive, look: 1e-4, DRIVE, LOOK)
    assert math.isclose(found_db, 80.0, abs_tol=0.13)
