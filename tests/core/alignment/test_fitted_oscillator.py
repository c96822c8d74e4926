"""The fitted oscillator against sampling by hand, and against sets that it cannot see into."""

from __future__ import annotations

import math

import numpy as np
import pytest
from benchmarks.oscillator_designs import designs
from benchmarks.oscillator_moves import HALF, Tally, work

from glowdial.core.alignment.band_marks import Mark
from glowdial.core.alignment.fitted_oscillator import fit_oscillator
from glowdial.core.alignment.next_move import Act, NextMove, next_move
from glowdial.core.alignment.oscillator_state import (
    Event,
    FittedOscillator,
    Housed,
    MarkRead,
    PointerSlid,
    Turned,
    Turner,
)
from glowdial.core.physics.tracking import (
    Gang,
    TankRole,
    TrackedBand,
    best_points,
    signal_circuit,
    two_point,
)

SPAN = (530e3, 1620e3)
BAND: TrackedBand = best_points(signal_circuit(Gang(12e-12, 430e-12), *SPAN), 465e3, *SPAN)
HIGH, LOW = 1400e3, 600e3
TRIMMER = Turner("trimmer", TankRole.SHUNT, 0.10, 0.45)
PADDER = Turner("padder", TankRole.SERIES, 0.09, 0.45)


def fit(*events: Event, turners: tuple[Turner, ...] = (TRIMMER, PADDER)) -> FittedOscillator:
    return fit_oscillator(BAND, SPAN, turners, events)


def advice(found: FittedOscillator, high: int = 1, low: int = 1, **more: object) -> NextMove:
    marks = (
        Mark(HIGH, 7e3, "trimmer", 1e3, high),
        Mark(LOW, 3e3, "padder", 500.0, low),
    )
    return next_move(found, marks, {"trimmer": 4.0, "padder": 4.0}, **more)  # type: ignore[arg-type]


def by_hand(moved: float, high_hz: float, then_hz: float) -> tuple[float, float]:
    """Mean and spread of the low mark after a trimmer's move, by weighing 400,000 sets drawn at
    random; from the tank's own formula, with the same beliefs and none of the code."""
    rng = np.random.default_rng(5)
    n = 400_000
    lo = BAND.oscillator

    def gang_at(mark: float, shift: np.ndarray) -> np.ndarray:
        at = mark * np.exp(math.log(SPAN[1] / SPAN[0]) * 0.004 * shift) + 465e3
        behind = 1.0 / ((2 * np.pi * at) ** 2 * lo.inductance_h)
        return 1.0 / (1.0 / behind - 1.0 / lo.padder_f) - lo.trimmer_f

    coil, trimmer, padder, stray, pointer, rate, hand = rng.standard_normal((7, n))
    waves = rng.standard_normal((4, n))

    def tuned(mark: float, turns: float, slip: float) -> np.ndarray:
        place = math.log(mark / SPAN[0]) / math.log(SPAN[1] / SPAN[0])
        gang = gang_at(mark, pointer)
        for k in range(4):
            gang = gang * (1 + 0.012 / (k + 1) * waves[k] * math.cos(math.pi * (k + 1) * place))
        turned = turns + slip * hand
        t = lo.trimmer_f * np.exp(0.35 * trimmer + 0.10 * np.exp(0.45 * rate) * turned)
        p = lo.padder_f * np.exp(0.06 * padder)
        across = lo.trimmer_f * 0.10 * stray
        total = across + 1.0 / (1.0 / (gang + t) + 1.0 / p)
        return 1.0 / (2 * np.pi * np.sqrt(lo.inductance_h * np.exp(0.08 * coil) * total)) - 465e3

    slip = math.hypot(0.06 * moved, 0.012)

    def odds(seen: np.ndarray, hz: float, doubt: float) -> np.ndarray:
        return -0.5 * ((seen - hz) / doubt) ** 2

    log = odds(tuned(HIGH, 0.0, 0.0), high_hz, 4e3) + odds(tuned(HIGH, moved, slip), then_hz, 4e3)
    log += odds(tuned(LOW, 0.0, 0.0), 606e3, 3e3)
    weight = np.exp(log - log.max())
    weight /= weight.sum()
    assert 1.0 / np.sum(weight**2) > 200  # enough of them count
    low = tuned(LOW, moved, slip)
    mean = float(weight @ low)
    return mean, math.sqrt(float(weight @ (low - mean) ** 2))


def test_what_is_foretold_agrees_with_sets_drawn_at_random() -> None:
    found = fit(
        MarkRead(HIGH, 1425e3, 4e3),
        MarkRead(LOW, 606e3, 3e3),
        Turned("trimmer", 0.4),
        MarkRead(HIGH, 1402e3, 4e3),
    )
    mean, spread = by_hand(0.4, 1425e3, 1402e3)
    low = found.foreseen(LOW)
    assert low.mean_hz == pytest.approx(mean, abs=0.25 * spread)
    assert low.doubt_hz == pytest.approx(spread, rel=0.2)


def test_what_a_turn_does_is_learned_from_one_move_and_kept() -> None:
    before = fit(MarkRead(HIGH, 1430e3, 700.0))
    after = fit(
        MarkRead(HIGH, 1430e3, 700.0), Turned("trimmer", 0.5), MarkRead(HIGH, 1410e3, 700.0)
    )
    rate = after.hz_per_turn("trimmer", HIGH)
    assert rate.mean_hz == pytest.approx(-40e3, rel=0.08)
    assert rate.doubt_hz < 0.25 * before.hz_per_turn("trimmer", HIGH).doubt_hz


def test_a_direction_that_no_sheet_gives_is_told_by_the_first_move() -> None:
    unknown = Turner("trimmer", TankRole.SHUNT, 0.10, 0.5, way_known=False)
    events = (MarkRead(HIGH, 1430e3, 700.0), Turned("trimmer", 0.25), MarkRead(HIGH, 1441e3, 700.0))
    found = fit(*events, turners=(unknown, PADDER))
    assert found.hz_per_turn("trimmer", HIGH).mean_hz == pytest.approx(44e3, rel=0.15)
    assert advice(found, low=0).turns < 0.0


def test_an_adjuster_that_changes_nothing_is_named_after_one_futile_turn() -> None:
    events = [MarkRead(HIGH, 1430e3, 700.0), MarkRead(LOW, 600e3, 400.0), Turned("trimmer", 0.25)]
    moved = fit(*events, MarkRead(HIGH, 1422e3, 700.0))
    assert moved.does_nothing("trimmer") < 0.01
    idle = fit(*events, MarkRead(HIGH, 1430.4e3, 700.0))
    assert idle.does_nothing("trimmer") > 0.95
    now = advice(idle, low=0)
    assert now.adjuster != "trimmer" or now.act is Act.STUCK


def test_one_that_may_have_done_nothing_is_turned_again_by_an_amount_that_tells() -> None:
    """Half of the samples want no turn of it, the others one as if it hardly did anything."""
    read = (MarkRead(HIGH, 1430e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    doubted = fit(*read, Turned("trimmer", 0.15), MarkRead(HIGH, 1430e3, 1e3))
    assert 0.5 < doubted.does_nothing("trimmer") < 0.8
    now = advice(doubted, high=3, low=0)
    assert (now.act, now.adjuster) == (Act.TURN, "trimmer")
    assert 0.25 <= abs(now.turns) <= 0.5


def test_a_first_turn_that_hardly_shows_is_read_twice_before_another_one() -> None:
    """Four kHz of the thirty: a turn that did little, or none and a reading from the other side."""
    unknown = Turner("trimmer", TankRole.SHUNT, 0.18, 0.55, way_known=False)
    read = (MarkRead(HIGH, 1430e3, 1e3), MarkRead(LOW, 600e3, 500.0), Turned("trimmer", 0.25))
    little = fit(*read, MarkRead(HIGH, 1426e3, 1e3), turners=(unknown, PADDER))
    assert (advice(little, low=0).act, advice(little, low=0).mark_hz) == (Act.READ, HIGH)
    assert advice(little, high=2, low=0).act is Act.TURN
    # what surely did nothing is said at once
    nothing = fit(*read, MarkRead(HIGH, 1430e3, 1e3), turners=(unknown, PADDER))
    assert advice(nothing, low=0).act is Act.STUCK
    # what did about as much as was expected is believed at once, and so is what did much
    as_said = Turner("trimmer", TankRole.SHUNT, 0.03, 0.3)
    small = fit(*read, MarkRead(HIGH, 1426e3, 1e3), turners=(as_said, PADDER))
    assert advice(small, low=0).act is Act.TURN
    for seen_hz in (1422e3, 1414e3):
        seen = fit(*read, MarkRead(HIGH, seen_hz, 1e3), turners=(unknown, PADDER))
        assert advice(seen, low=0).act is Act.TURN


def test_both_ends_are_solved_together_and_the_other_one_is_told() -> None:
    found = fit(MarkRead(HIGH, 1430e3, 700.0), MarkRead(LOW, 590e3, 400.0))
    now = advice(found)
    assert now.act is Act.TURN and not now.alone
    other = HIGH if now.mark_hz == LOW else LOW
    moves_by = now.lands[other].mean_hz - found.foreseen(other).mean_hz
    assert abs(moves_by) > 500.0
    # the first move leaves room for what the second will do at its mark
    assert abs(now.lands[now.mark_hz].mean_hz - now.mark_hz) < abs(
        found.foreseen(now.mark_hz).mean_hz - now.mark_hz
    )


def test_what_is_inside_is_left_and_what_is_at_the_edge_is_read_again() -> None:
    left = fit(MarkRead(HIGH, 1404e3, 1e3), MarkRead(LOW, 599e3, 500.0))
    assert advice(left).act is Act.LEAVE
    edge = fit(MarkRead(HIGH, 1406.5e3, 1e3), MarkRead(LOW, 599e3, 500.0))
    assert (advice(edge).act, advice(edge).mark_hz) == (Act.READ, HIGH)
    # read often enough, it is decided
    often = fit(*(MarkRead(HIGH, 1406.9e3, 1e3) for _ in range(3)), MarkRead(LOW, 599e3, 500.0))
    assert advice(often, high=3).act is Act.TURN


def test_of_two_readings_that_disagree_a_third_decides_before_it_is_left() -> None:
    torn = fit(
        MarkRead(HIGH, 1406e3, 1e3), MarkRead(HIGH, 1401.4e3, 1e3), MarkRead(LOW, 599e3, 500.0)
    )
    assert torn.inside(HIGH, 7e3) > 0.95
    assert (advice(torn, high=2).act, advice(torn, high=2).mark_hz) == (Act.READ, HIGH)
    assert advice(torn, high=3).act is Act.LEAVE
    alike = fit(
        MarkRead(HIGH, 1404e3, 1e3), MarkRead(HIGH, 1403e3, 1e3), MarkRead(LOW, 599e3, 500.0)
    )
    assert advice(alike, high=2).act is Act.LEAVE


def test_what_one_reading_alone_tells_is_taken_again_where_a_slack_drive_might_hide_it() -> None:
    """A drive slack by 0.3 % of its travel shifts the high mark by 4.7 kHz: it may be outside."""
    turned = (MarkRead(HIGH, 1430e3, 1e3), MarkRead(LOW, 602e3, 500.0), Turned("trimmer", 0.6))
    once = fit(*turned, MarkRead(HIGH, 1403e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    assert once.inside(HIGH, 7e3) > 0.95
    assert (advice(once).act, advice(once).mark_hz) == (Act.READ, HIGH)
    assert advice(once, high=2).act is Act.LEAVE
    # nearer the middle it is inside from either side
    near = fit(*turned, MarkRead(HIGH, 1401e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    assert advice(near).act is Act.LEAVE
    # what was to be expected within little is borne out, and what nobody turned is left
    apart = MarkRead(HIGH * 1.01, 1403e3 * 1.01, 300.0)
    sure = fit(*turned, apart, MarkRead(HIGH, 1403e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    assert advice(sure).act is Act.LEAVE
    assert advice(fit(*turned[1:2], MarkRead(HIGH, 1403e3, 1e3))).act is Act.LEAVE


def test_what_stands_outside_by_one_reading_is_read_again_before_all_else_is_turned() -> None:
    alone = fit(MarkRead(HIGH, 1410e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    assert alone.inside(HIGH, 7e3) < 0.05
    assert (advice(alone).act, advice(alone).mark_hz) == (Act.READ, HIGH)
    # where another one is due in any case it is not waited for
    due = fit(MarkRead(HIGH, 1410e3, 1e3), MarkRead(LOW, 590e3, 500.0))
    assert advice(due).act is Act.TURN


def test_a_first_turn_whose_way_is_not_known_is_far_enough_to_be_seen() -> None:
    """The sheet gives neither way nor amount; what the middle of both ways asks for is little."""
    unknown = tuple(
        Turner(key, role, change, 0.55, way_known=False)
        for key, role, change in (
            ("trimmer", TankRole.SHUNT, 0.18),
            ("padder", TankRole.SCALE, 0.014),
        )
    )
    high = (MarkRead(HIGH, 1360e3, 1e3), Turned("trimmer", 0.19), MarkRead(HIGH, 1354e3, 1e3))
    found = fit(MarkRead(LOW, 615e3, 500.0), *high, turners=unknown)
    now = advice(found, high=2, low=2)
    assert (now.act, now.adjuster, now.trial) == (Act.TURN, "padder", True)
    did = found.marks_hz((LOW,), {"padder": 0.1}) - found.marks_hz((LOW,))
    shift_hz = 10.0 * float(np.median(np.abs(did))) * abs(now.turns)
    assert abs(now.turns) <= 0.5 and shift_hz > 3.0 * 500.0


MIDDLE = 920e3


def with_middle(found: FittedOscillator, *, seen: bool = True, **more: object) -> NextMove:
    """Advice where a mark between the ends is looked at too."""
    marks = (
        Mark(HIGH, 7e3, "trimmer", 1e3, 1),
        Mark(LOW, 3e3, "padder", 500.0, 1),
        Mark(MIDDLE, 4.6e3, None, 800.0, 3 * int(seen), between=True, seen=seen),
    )
    return next_move(found, marks, {"trimmer": 4.0, "padder": 4.0}, **more)  # type: ignore[arg-type]


def test_what_stands_between_is_read_before_a_turn_and_not_for_its_own_sake() -> None:
    outside = fit(MarkRead(HIGH, 1430e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    now = with_middle(outside, seen=False)
    assert (now.act, now.mark_hz) == (Act.READ, MIDDLE)
    inside = fit(MarkRead(HIGH, 1402e3, 1e3), MarkRead(LOW, 600e3, 500.0))
    assert with_middle(inside, seen=False).act is Act.LEAVE


def test_one_between_is_mended_by_the_adjuster_of_an_end_that_stays_inside() -> None:
    known = (
        Turner("trimmer", TankRole.SHUNT, 0.10, 0.1),
        Turner("padder", TankRole.SERIES, 0.09, 0.1),
    )
    ends = (MarkRead(HIGH, 1404e3, 1e3), MarkRead(LOW, 601.5e3, 500.0))
    found = fit(*ends, *(MarkRead(MIDDLE, MIDDLE + 6.5e3, 800.0) for _ in range(3)), turners=known)
    now = with_middle(found)
    assert now.act is Act.TURN and now.sake_hz == MIDDLE
    assert all(
        abs(there.mean_hz - mark) < tolerance
        for (mark, there), tolerance in zip(now.lands.items(), (7e3, 3e3, 4.6e3), strict=True)
    )
    # where an end would go outside for it, it is left to the plates
    ends = (MarkRead(HIGH, 1400.5e3, 500.0), MarkRead(LOW, 600.1e3, 300.0))
    bent = (MarkRead(MIDDLE, MIDDLE + 9e3, 800.0) for _ in range(3))
    moved = (Turned("trimmer", 0.1), Turned("padder", 0.1))
    left = fit(*moved, *ends, *bent, turners=known)
    assert (with_middle(left).act, with_middle(left).mark_hz) == (Act.BEST, MIDDLE)


def test_an_end_outside_comes_before_one_between_that_nothing_mends() -> None:
    moved = (Turned("trimmer", 0.1), Turned("padder", 0.1))
    ends = [MarkRead(HIGH, 1389e3, 1e3), MarkRead(LOW, 599e3, 500.0)]
    found = fit(*moved, *ends, *(MarkRead(MIDDLE, MIDDLE + 9e3, 800.0) for _ in range(3)))
    now = with_middle(found)
    assert (now.act, now.sake_hz) == (Act.TURN, HIGH)
    # what becomes of the one between is told all the same
    assert set(now.lands) == {HIGH, LOW, MIDDLE}
    assert abs(now.lands[HIGH].mean_hz - HIGH) < 5e3


def test_all_inside_is_brought_to_the_middle_only_where_that_is_wanted() -> None:
    known = (
        Turner("trimmer", TankRole.SHUNT, 0.10, 0.1),
        Turner("padder", TankRole.SERIES, 0.09, 0.1),
    )
    read = (
        MarkRead(HIGH, 1405e3, 500.0),
        MarkRead(LOW, 600.5e3, 300.0),
        MarkRead(MIDDLE, MIDDLE + 1.5e3, 400.0),
    )
    found = fit(*read, turners=known)
    assert with_middle(found).act is Act.LEAVE
    touch = with_middle(found, to_middle=True)
    assert (touch.act, touch.adjuster, touch.sake_hz) == (Act.TURN, "trimmer", HIGH)
    assert abs(touch.lands[HIGH].mean_hz - HIGH) < 0.35 * 7e3
    # where it takes two, the first of them is made, though it brings the worst no nearer by itself
    both = fit(
        MarkRead(HIGH, 1405.6e3, 500.0),
        MarkRead(LOW, 597.7e3, 300.0),
        MarkRead(MIDDLE, MIDDLE + 0.5e3, 400.0),
        turners=known,
    )
    first = with_middle(both, to_middle=True)
    assert first.act is Act.TURN and not first.alone
    # what is nearly there is not worth a touch
    near = fit(
        MarkRead(HIGH, 1401e3, 500.0),
        MarkRead(LOW, 600.3e3, 300.0),
        MarkRead(MIDDLE, MIDDLE + 0.5e3, 400.0),
        turners=known,
    )
    assert with_middle(near, to_middle=True).act is Act.LEAVE


def test_one_between_that_could_stand_much_nearer_is_not_left_in_a_band_that_was_turned() -> None:
    known = (
        Turner("trimmer", TankRole.SHUNT, 0.10, 0.1),
        Turner("padder", TankRole.SERIES, 0.09, 0.1),
    )
    read = [
        mark
        for mark in (
            MarkRead(HIGH, 1405.2e3, 500.0),
            MarkRead(LOW, 602.2e3, 300.0),
            MarkRead(MIDDLE, MIDDLE + 3.8e3, 400.0),
        )
        for _ in range(2)
    ]
    # as found it is inside, and left
    assert with_middle(fit(*read, turners=known)).act is Act.LEAVE
    turned = fit(Turned("trimmer", 0.1), *read, turners=known)
    assert all(turned.inside(m, t) > 0.95 for m, t in ((HIGH, 7e3), (LOW, 3e3), (MIDDLE, 4.6e3)))
    now = with_middle(turned)
    assert now.act is Act.TURN and now.lands[MIDDLE].mean_hz < MIDDLE + 2.3e3
    # one that stands as near as it can is left, also where an end does not
    near = (
        MarkRead(HIGH, 1405.2e3, 500.0),
        MarkRead(LOW, 600.2e3, 300.0),
        MarkRead(MIDDLE, MIDDLE + 1.2e3, 400.0),
    )
    assert with_middle(fit(Turned("trimmer", 0.1), *near, turners=known)).act is Act.LEAVE


@pytest.mark.parametrize("change", [0.1, 0.5, 1.5])
def test_every_sample_explains_what_was_read_also_where_a_move_did_nothing(change: float) -> None:
    """A trimmer of which a hair's breadth is more than the tolerance, and that has come loose."""
    coarse = Turner("trimmer", TankRole.SHUNT, change, 0.45)
    events = [MarkRead(HIGH, 1430e3, 700.0), MarkRead(LOW, 603e3, 400.0), Turned("trimmer", 0.2)]
    again = [MarkRead(HIGH, 1430e3, 700.0), MarkRead(LOW, 603e3, 400.0)]
    found = fit(*events, *again, turners=(coarse, PADDER))
    assert found.does_nothing("trimmer") > 0.95
    for mark, hz, doubt in ((HIGH, 1430e3, 700.0), (LOW, 603e3, 400.0)):
        here = found.foreseen(mark)
        assert here.doubt_hz < doubt and abs(here.mean_hz - hz) < doubt


def test_readings_that_bend_far_between_leave_no_sample_that_they_contradict() -> None:
    """Directions not known, a first turn far too large: straight lines at the top tell little."""
    unknown = (
        Turner("trimmer", TankRole.SHUNT, 0.18, 0.55, way_known=False),
        Turner("padder", TankRole.SERIES, 0.06, 0.55, way_known=False),
    )
    high, middle, low = 1446e3, 927e3, 594e3
    doubts = {high: 1.3e3, middle: 830.0, low: 710.0}
    read: list[tuple[float, float] | Turned] = [
        (high, 1379.8e3),
        (low, 587.1e3),
        (middle, 906.0e3),
        Turned("trimmer", -0.5),
        (high, 1450.7e3),
        (low, 590.3e3),
        (middle, 929.0e3),
        (low, 590.8e3),
        (low, 590.7e3),
        Turned("padder", -0.0625),
        (low, 591.4e3),
        (high, 1451.9e3),
    ]
    events = [e if isinstance(e, Turned) else MarkRead(*e, doubts[e[0]]) for e in read]
    # what was read a moment ago is known as well as it was read
    assert fit(*events, turners=unknown).foreseen(high).doubt_hz < doubts[high]


def test_what_one_adjuster_cannot_do_in_half_its_travel_does_not_stop_the_other() -> None:
    """A core that hardly does anything: the trimmer is not set for what the core never brings."""
    known = (
        Turner("trimmer", TankRole.SHUNT, 0.10, 0.1),
        Turner("padder", TankRole.SCALE, 0.002, 0.1),
    )
    moved = (Turned("trimmer", 0.1), Turned("padder", 0.1))
    found = fit(*moved, MarkRead(HIGH, 1400.5e3, 700.0), MarkRead(LOW, 620e3, 400.0), turners=known)
    now = advice(found)
    assert now.act is Act.TURN
    assert abs(now.lands[LOW].mean_hz - LOW) < 20e3 - 250.0


def test_of_two_that_want_more_than_half_their_travel_only_the_one_that_wants_most_is_held() -> (
    None
):
    """The high end far below, the low one far above: the core wants more than half its travel, and
    the trimmer too as long as it is solved as if the core had it."""
    known = (
        Turner("trimmer", TankRole.SHUNT, 0.10, 0.1),
        Turner("padder", TankRole.SCALE, 0.008, 0.1),
    )
    moved = (Turned("trimmer", 0.1), Turned("padder", 0.1))
    found = fit(*moved, MarkRead(HIGH, 1340e3, 1e3), MarkRead(LOW, 635e3, 500.0), turners=known)
    now = advice(found, high=3, low=3)
    assert (now.act, now.adjuster) == (Act.TURN, "padder")
    assert now.lands[LOW].mean_hz < 635e3 - 5e3


def test_the_cabinet_to_come_puts_no_mark_near_its_edge_before() -> None:
    """Of a VHF band the cabinet's pull may be more than the tolerance: it is not met in full."""
    span = (87.5e6, 108e6)
    band = two_point(signal_circuit(Gang(5e-12, 20e-12), *span), 10.7e6, span)
    turners = (
        Turner("trimmer", TankRole.SHUNT, 0.10, 0.1),
        Turner("padder", TankRole.SCALE, -0.014, 0.1),
    )
    marks = tuple(
        Mark(hz, 0.001 * hz, key, 20e3, 1) for hz, key in ((106e6, "trimmer"), (90e6, "padder"))
    )
    read = [MarkRead(m.mark_hz, m.mark_hz * 1.01, 20e3) for m in marks]
    found = fit_oscillator(band, span, turners, read)
    housed = fit_oscillator(band, span, turners, [Housed(into=True), *read])
    pull = float(np.mean(found.marks_hz((106e6,), in_cabinet=True) - found.marks_hz((106e6,))))
    assert abs(pull) > 1.2 * 0.001 * 106e6
    for known in (found, housed):
        now = next_move(known, marks, {"trimmer": 4.0, "padder": 4.0})
        alone = now.lands[now.mark_hz].mean_hz - now.mark_hz
        assert abs(alone) < 0.5 * 0.001 * now.mark_hz


def test_a_pointer_that_sits_wrong_is_slid_and_no_coil_is_touched() -> None:
    ratio = 1.012
    read = (MarkRead(HIGH, HIGH * ratio, 1e3), MarkRead(LOW, LOW * ratio, 500.0))
    assert advice(fit(*read), pointer_free=True).act is Act.SLIDE
    # with other bands read by the same pointer it stays where it is
    assert advice(fit(*read)).act is Act.TURN
    slid = fit(*read, PointerSlid(), MarkRead(HIGH, HIGH, 1e3), MarkRead(LOW, 600.4e3, 500.0))
    assert advice(slid).act is Act.LEAVE


@pytest.mark.parametrize(("share", "slides"), [(0.03, True), (0.06, False)])
def test_a_pointer_slips_by_a_little_of_its_scale_and_no_more(
    share: float, *, slides: bool
) -> None:
    """On a scale of a few per cent the same ratio of frequency is a good part of its length."""
    span = (14e6, 15e6)
    band = two_point(signal_circuit(Gang(12e-12, 430e-12), *span), 8.5e6, span, high_side=False)
    ratio = math.exp(share * math.log(span[1] / span[0]))
    marks = (14.9e6, 14.1e6)
    core = Turner("padder", TankRole.SCALE, -0.014, 0.45)
    read = tuple(MarkRead(m, m * ratio, 2e3) for m in marks)
    found = fit_oscillator(band, span, (TRIMMER, core), read)
    tolerance = 0.001
    wanted = tuple(
        Mark(m, tolerance * m, key, 2e3, 1)
        for m, key in zip(marks, ("trimmer", "padder"), strict=True)
    )
    act = next_move(found, wanted, {"trimmer": 4.0, "padder": 4.0}, pointer_free=True).act
    assert (act is Act.SLIDE) is slides


@pytest.mark.parametrize("to_middle", [False, True])
def test_sets_that_it_cannot_see_into_come_inside_with_few_moves(*, to_middle: bool) -> None:
    tally = Tally()
    for seed in range(9):
        known = designs(np.random.default_rng((seed, 77)))
        for n in (seed % len(known), (seed + 5) % len(known)):
            sheet = ("right", "wrong", "missing")[seed % 3]
            work(known[n], 100 * seed + n, sheet, tally, to_middle=to_middle)
    assert len(tally.inside) >= 14
    assert sum(tally.inside) >= len(tally.inside) - 1, tally.outside_names
    counts = [c for moves in tally.moves.values() for c in moves]
    assert np.mean(counts) < 2.4 and max(counts) <= 6
    held = [h for of in tally.held.values() for h in of]
    assert np.mean(held) > 0.75
    further = [b > HALF for b in (*tally.between, *tally.between_left)]
    assert len(further) >= 10 and sum(further) <= (1 if to_middle else 3)
    assert sum(tally.between_outside) <= 1
