"""The level search against receivers whose readings wander, drawn apart from its own law."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.level_search import (
    PairAtLevel,
    Swung,
    between,
    captured,
    found_level,
    glanced,
    next_search_level_v,
    power_mean_v,
    spread_db,
)

CASES, MOST = 200, 5
Seen = Callable[[np.random.Generator, float], Swung]


def wandering(rng: np.random.Generator, volts: float, sigma_db: float, count: int) -> list[float]:
    return [volts * 10.0 ** (d / 20.0) for d in rng.normal(0.0, sigma_db, count)]


def a_run(rng: np.random.Generator, volts: float) -> Swung:
    return captured(wandering(rng, volts, 1.5, 30))


def two_ends(rng: np.random.Generator, volts: float) -> Swung:
    seen = wandering(rng, volts, 0.75, 30)
    return between(min(seen), max(seen))


def a_glance(rng: np.random.Generator, volts: float) -> Swung:
    return glanced(wandering(rng, volts, 1.5, 1)[0])


def searched(seen: Seen, seed: int) -> tuple[float, bool, float]:
    """A search of five levels on a set of its own: how far off in dB, whether the interval of nine
    in ten holds the truth, and the doubt that was stated for nineteen in twenty."""
    rng = np.random.default_rng(seed)
    carrier_at_ten = 10.0 ** rng.uniform(-6.0, -4.0)
    level = carrier_at_ten * 10.0 ** (rng.uniform(-20.0, 20.0) / 20.0)
    pairs: list[PairAtLevel] = []
    for _ in range(MOST):
        # the tone's power beside noise of 0.3 V, nine times that of the noise at ten decibels
        tone_v = 0.3 * 3.0 * level / carrier_at_ten
        on, off = seen(rng, math.hypot(tone_v, 0.3)), seen(rng, 0.3)
        pairs.append(PairAtLevel(level, on, off))
        level = next_search_level_v(pairs) or level
    found = found_level(pairs)
    assert found is not None and found.enclosed
    off_db = 20.0 * math.log10(found.level_v / carrier_at_ten)
    return off_db, found.low_v <= carrier_at_ten <= found.high_v, found.doubt_95_db


@pytest.mark.parametrize(("seen", "share"), [(a_run, 0.95), (two_ends, 0.95)])
def test_five_levels_come_within_half_a_decibel(seen: Seen, share: float) -> None:
    off = np.array([searched(seen, seed)[0] for seed in range(CASES)])
    assert np.mean(np.abs(off) <= 0.5) >= share


@pytest.mark.parametrize("seen", [a_run, two_ends, a_glance])
def test_the_doubt_holds_the_truth_in_nine_of_ten(seen: Seen) -> None:
    held = [searched(seen, seed)[1] for seed in range(CASES)]
    # two standard deviations of two hundred draws below nine in ten
    assert np.mean(held) >= 0.9 - 2.0 * math.sqrt(0.09 / CASES)


def test_single_glances_say_that_they_know_little() -> None:
    off, _, doubts = np.array([searched(a_glance, seed) for seed in range(CASES)]).T
    assert np.median(doubts) > 1.5
    # and no more than three times what they are really off by in nineteen of twenty
    assert np.median(doubts) < 3.0 * float(np.quantile(np.abs(off), 0.95))


def test_steady_readings_give_the_level_of_the_closed_form() -> None:
    def steady(level: float) -> PairAtLevel:
        return PairAtLevel(level, Swung(0.3 * math.hypot(1.0, level / 2e-6), 0.0), Swung(0.3, 0.0))

    found = found_level([steady(5e-6), steady(7e-6)])
    assert found is not None
    # the tone has nine times the noise's power at three times the level that has once its power
    assert found.level_v == pytest.approx(6e-6, rel=0.01)
    assert found.doubt_95_db < 0.3


def test_readings_far_on_one_side_tell_where_to_go_and_do_not_settle_it() -> None:
    far = PairAtLevel(1e-3, Swung(3.0, 0.1), Swung(0.03, 0.1))
    found = found_level([far])
    assert found is not None and not found.enclosed
    level = next_search_level_v([far])
    assert level is not None and 1e-4 <= level < 1e-3
    assert found_level([]) is None and next_search_level_v([]) is None


def test_a_run_is_a_mean_of_powers_less_what_that_lies_above_the_middle() -> None:
    rng = np.random.default_rng(3)
    row = wandering(rng, 1.0, 1.5, 20_000)
    assert captured(row).middle_v == pytest.approx(1.0, rel=0.005)
    assert 20.0 * math.log10(power_mean_v(row)) == pytest.approx(0.26, abs=0.03)
    assert spread_db(row) == pytest.approx(1.5, rel=0.02)
    assert captured(row[:30]).doubt_db == pytest.approx(1.5 / math.sqrt(30.0), rel=0.3)


@pytest.mark.parametrize(
    "wrong",
    [
        lambda: between(0.9, 0.8),
        lambda: between(0.0, 0.8),
        lambda: glanced(0.0),
        lambda: captured([0.5]),
        lambda: captured([0.5, 0.0]),
        lambda: power_mean_v([]),
    ],
)
def test_what_is_no_reading_is_refused(wrong: Callable[[], object]) -> None:
    with pytest.raises(BadInput):
        wrong()
