"""Pads against a network library, a loop's field against integration, noise against the books."""

from __future__ import annotations

import math

import numpy as np
import pytest
import skrf
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.aerials import (
    dummy_impedance_ohm,
    least_loss_db,
    loop_effective_height_m,
    loop_field_v_per_m,
    matched_pad,
    standard_dummy_impedance_ohm,
)
from glowdial.core.physics.noise import (
    Site,
    external_field_v_per_m,
    external_noise_db,
    thermal_v,
)


def pad_by_network_library(pad: object, source_ohm: float, load_ohm: float) -> tuple[float, float]:
    """Transducer loss in dB and mismatch at the source, by cascaded scattering parameters."""
    frequency = skrf.Frequency(1e6, 1e6, 1, unit="hz")
    media = skrf.media.DefinedGammaZ0(frequency, z0=50.0)
    network = (
        media.resistor(pad.source_arm_ohm)  # type: ignore[attr-defined]
        ** media.shunt(media.resistor(pad.shunt_ohm) ** media.short())  # type: ignore[attr-defined]
        ** media.resistor(pad.load_arm_ohm)  # type: ignore[attr-defined]
    )
    network.renormalize([source_ohm, load_ohm], s_def="power")
    return -20.0 * math.log10(abs(network.s[0, 1, 0])), abs(network.s[0, 0, 0])


@settings(max_examples=40, deadline=None)
@given(st.floats(25.0, 600.0), st.floats(25.0, 600.0), st.floats(0.5, 25.0))
def test_pads_are_what_scattering_parameters_say(
    source_ohm: float, load_ohm: float, above_db: float
) -> None:
    loss_db = least_loss_db(source_ohm, load_ohm) + above_db
    pad = matched_pad(loss_db, source_ohm, load_ohm)
    library_db, mismatch = pad_by_network_library(pad, source_ohm, load_ohm)
    assert pad.loss_db(source_ohm, load_ohm) == pytest.approx(loss_db, abs=1e-6)
    assert library_db == pytest.approx(loss_db, abs=1e-6)
    assert mismatch == pytest.approx(0.0, abs=1e-9)
    assert pad.seen_ohm(load_ohm) == pytest.approx(source_ohm, rel=1e-9)


def test_a_pad_out_of_its_impedances_is_still_what_the_library_says() -> None:
    pad = matched_pad(10.0, 75.0, 300.0 / 2.0)
    library_db, _ = pad_by_network_library(pad, 50.0, 400.0)
    assert pad.loss_db(50.0, 400.0) == pytest.approx(library_db, abs=1e-6)


def test_below_the_least_loss_no_pad_matches() -> None:
    assert least_loss_db(300.0, 75.0) == pytest.approx(11.44, abs=0.01)
    with pytest.raises(BadInput, match=r"at least 11\.44 dB"):
        matched_pad(6.0, 75.0, 300.0)


def test_the_standard_dummy_is_a_capacitor_below_and_some_400_ohm_above() -> None:
    low, high = standard_dummy_impedance_ohm(200e3), standard_dummy_impedance_ohm(20e6)
    assert low.imag == pytest.approx(-1.0 / (2 * math.pi * 200e3 * 200e-12), rel=0.03)
    assert abs(high) == pytest.approx(400.0, rel=0.1)
    assert dummy_impedance_ohm(1e6).real == 25.0


def test_a_loops_field_is_the_sum_of_its_pieces() -> None:
    current, radius, distance, turns = 1.0 / 450.0, 0.125, 0.6, 3
    angles = np.linspace(0.0, 2.0 * np.pi, 2000, endpoint=False)
    piece = 2.0 * np.pi * radius / angles.size
    # Biot and Savart on the axis: only the part along it is left
    r_squared = radius**2 + distance**2
    field = turns * current * piece * radius / (4.0 * np.pi * r_squared**1.5) * angles.size
    assert loop_field_v_per_m(1.0) == pytest.approx(376.73 * field, rel=1e-9)
    assert loop_field_v_per_m(1.0, distance_m=6.0) == pytest.approx(
        loop_field_v_per_m(1.0) / 1000.0, rel=0.1
    )


def test_effective_height_grows_with_turns_area_and_frequency() -> None:
    height = loop_effective_height_m(1e6, 18, 0.06)
    assert height == pytest.approx(2.0 * math.pi * 18 * 0.06 / 299.792, rel=1e-4)
    assert loop_effective_height_m(2e6, 18, 0.06) == pytest.approx(2 * height)


def test_thermal_noise_is_minus_174_dbm_per_hertz() -> None:
    available_w = thermal_v(50.0, 1.0, 290.0) ** 2 / (4.0 * 50.0)
    assert 10 * math.log10(available_w / 1e-3) == pytest.approx(-173.98, abs=0.02)


@pytest.mark.parametrize(
    ("place", "frequency_hz", "expected_db"),
    [
        # c - d log f of the Recommendation's table, at 1 and 3 MHz
        (Site.CITY, 1e6, 76.8),
        (Site.RESIDENTIAL, 3e6, 72.5 - 27.7 * math.log10(3.0)),
        (Site.RURAL, 1e6, 67.2),
        (Site.QUIET_RURAL, 1e6, 53.6),
    ],
)
def test_man_made_noise_is_the_recommendations(
    place: Site, frequency_hz: float, expected_db: float
) -> None:
    assert external_noise_db(place, frequency_hz) == pytest.approx(expected_db)


def test_field_strength_and_noise_figure_of_a_short_aerial_agree() -> None:
    # En = Fa + 20 log f + 10 log b - 95.5: for 76.8 dB at 1 MHz in 1 kHz, 11.3 dB(uV/m)
    field = external_field_v_per_m(Site.CITY, 1e6, 1e3)
    assert 20 * math.log10(field / 1e-6) == pytest.approx(76.8 + 30.0 - 95.5)
    assert external_field_v_per_m(Site.SCREENED, 1e6, 1e3) == 0.0
    above = external_noise_db(Site.QUIET_RURAL, 20e6)
    assert above is not None and above > 53.6 - 28.6 * math.log10(20.0)  # the galaxy joins in
