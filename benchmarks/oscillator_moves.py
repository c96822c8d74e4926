"""How many moves the fitted oscillator needs: seeded misaligned receivers that it cannot see into.

Both schools: what is inside is left, and a band that is worked is brought to the middle.

python -m benchmarks.oscillator_moves [RECEIVERS]
"""

from __future__ import annotations

import math
import sys
import time
from collections import defaultdict
from dataclasses import dataclass, field

import numpy as np

from benchmarks.hidden_oscillator import HiddenBand, Parts, Screw
from benchmarks.oscillator_designs import Design, designs
from glowdial.core.alignment.band_marks import Mark
from glowdial.core.alignment.fitted_oscillator import fit_oscillator
from glowdial.core.alignment.next_move import Act, NextMove, next_move
from glowdial.core.alignment.oscillator_state import (
    Event,
    Foreseen,
    Housed,
    MarkRead,
    Turned,
)
from glowdial.core.journey.dial_marks import frequency_field, reading_doubt_hz, span_hz
from glowdial.core.journey.slips import doubts_of
from glowdial.core.journey.steps import Ask, Foretold
from glowdial.core.physics.tracking import (
    AdjusterKind,
    TrackedBand,
    TrimmerPlace,
)
from glowdial.core.stages.tracking.ghosts import first_foretold, ghosts
from glowdial.core.stages.tracking.oscillator import turner_of
from glowdial.core.stages.tracking.round_words import SUSPECTED

MOST_STEPS = 40
# of so many bands one has a dead adjuster at its high end, far enough out to be turned
DEAD_ONE_IN, TELLING = 10, 1.5
# where the ends are adjusted, in shares of the scale's octaves from its stops
MARKS_INWARD = 0.1
# a mark between the ends may stand so much further out than it could, in tolerances
HALF = 0.5


def parts_of(tracked: TrackedBand) -> Parts:
    """The maker's own set, as the hidden receiver knows it."""
    lo = tracked.oscillator
    at_gang = lo.place is TrimmerPlace.ACROSS_GANG
    return Parts(
        lo.inductance_h,
        lo.trimmer_f if at_gang else lo.stray_f,
        lo.stray_f if at_gang else lo.trimmer_f,
        lo.padder_f,
        tracked.inductive and math.isinf(lo.padder_f),
    )


def part_name(design: Design, kind: AdjusterKind) -> str:
    """Which of the tank's parts an adjuster changes."""
    if kind is AdjusterKind.PADDER:
        return "series"
    if (kind is AdjusterKind.CORE) is not design.tracked.inductive:
        return "coil"
    at_gang = design.tracked.oscillator.place is TrimmerPlace.ACROSS_GANG
    return "across_gang" if at_gang else "across_coil"


NORMS = {"coil": 0.014, "across_gang": 0.18, "across_coil": 0.18, "series": 0.06}


def hidden(design: Design, rng: np.random.Generator, tolerance: float) -> HiddenBand:
    """A set of this circuit, as it was found: its parts aged, its screws turned."""
    band = HiddenBand(
        rng,
        parts_of(design.tracked),
        design.intermediate_hz,
        design.tracked.offset_hz > 0.0,
        design.low_hz,
        design.high_hz,
        tolerance,
        design.bandwidth_hz,
    )
    for key, kind in (("high", design.high), ("low", design.low)):
        if kind is not None:
            part = part_name(design, kind)
            rate = NORMS[part] * float(rng.uniform(0.5, 1.8)) * float(rng.choice([-1, 1, 1, 1]))
            band.screws[key] = Screw(part, rate, 0.0)
    two = len(band.screws) == 2
    law = 0.02 if two else 0.004
    band.wobble = (
        float(rng.uniform(-law, law)),
        0.25 * law * float(rng.uniform(-1, 1)),
        float(rng.uniform(0, 6)),
    )
    if two:
        band.pointer = float(rng.uniform(-0.003, 0.003))
        band.shares = {"coil": 0.02 * float(rng.standard_normal())}
    if design.low_hz > 1.8e6:
        band.drift = 3e-4 * float(rng.uniform(0, 1))
    return band


def put_right(band: HiddenBand, marks: list[float]) -> bool:
    """Turn its screws, seeing all, to where the worst mark is least off; whether that is inside."""
    from scipy.optimize import least_squares

    keys = list(band.screws)
    warm, band.minutes = band.minutes, 1e3

    def off(turns: np.ndarray) -> list[float]:
        for key, t in zip(keys, turns, strict=True):
            band.screws[key].turns = float(t)
        return [band.error(m) for m in marks]

    found = least_squares(off, np.zeros(len(keys)), x_scale=0.1, diff_step=1e-3)
    worst = max(abs(e) for e in off(found.x))
    band.minutes = warm
    return worst < 0.5


def set_wrong(band: HiddenBand, marks: list[float], rng: np.random.Generator) -> None:
    """Turn the screws to up to ten tolerances out at the ends."""
    right = {k: s.turns for k, s in band.screws.items()}
    wanted = float(rng.uniform(0.3, 10.0))
    ways = {k: float(rng.uniform(-1, 1)) for k in band.screws}
    scale = 1.0
    for _ in range(40):
        for key, screw in band.screws.items():
            screw.turns = right[key] + scale * ways[key]
        worst = max(abs(band.error(m)) for m in marks)
        scale *= min(max(wanted / max(worst, 1e-6), 0.3), 3.0) ** 0.7
        if abs(worst / wanted - 1.0) < 0.03:
            return


@dataclass
class Tally:
    """What is counted, by kind of sheet and by circuit."""

    moves: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))
    by_circuit: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))
    inside: list[bool] = field(default_factory=list)
    outside_names: list[str] = field(default_factory=list)
    worse: list[bool] = field(default_factory=list)
    held: dict[str, list[bool]] = field(default_factory=lambda: defaultdict(list))
    held_by_move: dict[str, list[bool]] = field(default_factory=lambda: defaultdict(list))
    halves: list[float] = field(default_factory=list)
    fits_ms: list[float] = field(default_factory=list)
    untouched: list[bool] = field(default_factory=list)
    asked: list[bool] = field(default_factory=list)
    asked_by_side: dict[bool, list[bool]] = field(default_factory=lambda: defaultdict(list))
    dead: list[bool] = field(default_factory=list)
    called_dead: list[bool] = field(default_factory=list)
    suspected: list[bool] = field(default_factory=list)
    wrongly_suspected: list[bool] = field(default_factory=list)
    slips: list[bool] = field(default_factory=list)
    turned_once: list[bool] = field(default_factory=list)
    images: list[bool] = field(default_factory=list)
    first: list[bool] = field(default_factory=list)
    checked: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    between: list[float] = field(default_factory=list)
    between_left: list[float] = field(default_factory=list)
    between_outside: list[bool] = field(default_factory=list)
    readings: list[int] = field(default_factory=list)


def change_said(
    screw: Screw, kind: AdjusterKind, sheet: str, rng: np.random.Generator
) -> float | None:
    """What the sheet says that a turn does: right to 30 %, wrong by up to 2.5 times, or nothing."""
    if sheet == "missing":
        return None
    most = 1.3 if sheet == "right" else 2.5
    return screw.share_per_turn * float(math.exp(rng.uniform(-math.log(most), math.log(most))))


def _asked(design: Design, foreseen: Foreseen, hz: float, mark_hz: float) -> bool:
    """Whether a reading as typed would be asked about."""
    low, high = foreseen.mean_hz - foreseen.half_hz, foreseen.mean_hz + foreseen.half_hz
    told = Foretold("frequency", low, high, ghosts(design.tracked, foreseen.mean_hz))
    return _is_asked(told, hz, mark_hz)


def _is_asked(told: Foretold, hz: float, mark_hz: float) -> bool:
    ask = Ask("check", "", (frequency_field(mark_hz),), "", foretold=told)
    return bool(doubts_of(ask, {"frequency": hz}, {"frequency": f"{hz / 1e3:g}"}, ()))


def _class_of(
    now: NextMove, reads: dict[float, int], seen: dict[float, bool], moves: dict[str, int]
) -> str:
    """The class of a reading by what was done before it."""
    if now.act is Act.TURN:
        return "after an adjuster's first move" if moves[now.adjuster] == 1 else "after a later one"
    if reads[now.mark_hz]:
        return "read again"
    return "another mark after a move" if seen[now.mark_hz] else "the mark between, first"


def _between_the_ends(band: HiddenBand, marks: list[float]) -> tuple[float, float]:
    """How far out the worst mark between the ends stands, in tolerances, and how far where an
    optimiser that sees inside puts both ends."""
    between = [float(m) for m in np.linspace(marks[1], marks[0], 5)[1:-1]]
    left = max(abs(band.error(m)) for m in between)
    put_right(band, marks)
    return left, max(abs(band.error(m)) for m in between)


def work(design: Design, seed: int, sheet: str, tally: Tally, *, to_middle: bool = False) -> None:
    """One band, from as found until it is left, or ``to_middle`` until no turn is worth a touch."""
    rng = np.random.default_rng((seed, 13))
    tolerance = design.tolerance
    band = hidden(design, rng, tolerance)
    inward = (design.high_hz / design.low_hz) ** MARKS_INWARD
    low_mark, high_mark = design.low_hz * inward, design.high_hz / inward
    ends = [high_mark, low_mark]
    if not put_right(band, ends):
        return
    set_wrong(band, ends, rng)
    dead = seed % DEAD_ONE_IN == 0 and abs(band.error(high_mark)) > TELLING
    if dead:
        band.screws["high"].dead = True
    kinds = {k: v for k, v in (("high", design.high), ("low", design.low)) if v is not None}
    turners = [
        turner_of(k, kind, change_said(band.screws[k], kind, sheet, rng), design.tracked)
        for k, kind in kinds.items()
    ]
    adjusters = {high_mark: "high", low_mark: "low" if design.low else None}
    # where both ends are adjusted, a mark between them is looked at too
    middle = [math.sqrt(low_mark * high_mark)] if design.low else []
    marks = [*ends, *middle]
    doubts = {
        m: reading_doubt_hz(design.bandwidth_hz, (design.low_hz, design.high_hz), m) for m in marks
    }
    prior = fit_oscillator(design.tracked, (design.low_hz, design.high_hz), turners, [])
    for mark in ends:
        # the image is tuned in instead, before anything is known of this set
        image_hz = band.stands(mark) + 2.0 * design.tracked.image_offset_hz
        if image_hz > 0.0:
            known = prior.foreseen(mark, reading_doubt_hz=doubts[mark])
            span = span_hz(design.intermediate_hz, mark)
            told = first_foretold(design.tracked, "frequency", known, mark, span)
            tally.images.append(_is_asked(told, image_hz, mark))
            if told.twin_hz:
                tally.checked[design.name] += 1
            else:
                tally.first.append(_is_asked(told, band.stands(mark), mark))
    found: list[MarkRead] = []
    wrong_sides = dict.fromkeys(marks, False)
    for mark in ends:
        found.append(MarkRead(mark, band.read(mark), doubts[mark]))
        wrong_sides[mark] = band.from_wrong_side
    # no cabinet pulls at it: it is told to stand in what it has
    events: list[Event] = [Housed(into=True), *found]
    reads = dict.fromkeys(ends, 1) | dict.fromkeys(middle, 0)
    seen = dict.fromkeys(ends, True) | dict.fromkeys(middle, False)
    moves = dict.fromkeys(kinds, 0)
    told_once = False
    was_inside = all(abs(band.error(m)) <= 0.6 for m in ends)
    for _ in range(MOST_STEPS):
        begun = time.perf_counter()
        fit = fit_oscillator(design.tracked, (design.low_hz, design.high_hz), turners, events)
        now = next_move(
            fit,
            [
                Mark(
                    m,
                    tolerance * m,
                    adjusters.get(m),
                    doubts[m],
                    reads[m],
                    between=m in middle,
                    seen=seen[m],
                )
                for m in marks
            ],
            dict.fromkeys(kinds, 8.0),
            to_middle=to_middle,
        )
        tally.fits_ms.append(1e3 * (time.perf_counter() - begun))
        if moves.get("high") == 1 and reads[high_mark] and not told_once:
            told_once = True
            suspect = fit.does_nothing("high") >= SUSPECTED
            (tally.suspected if dead else tally.wrongly_suspected).append(suspect)
        if now.act in (Act.LEAVE, Act.STUCK, Act.BEST):
            break
        foretold = fit.foreseen(
            now.mark_hz,
            {now.adjuster: now.turns} if now.act is Act.TURN else None,
            reading_doubt_hz=doubts[now.mark_hz],
        )
        if now.act is Act.TURN:
            before = abs(band.stands(now.sake_hz) - now.sake_hz)
            band.turn(now.adjuster, now.turns)
            after = abs(band.stands(now.sake_hz) - now.sake_hz)
            moves[now.adjuster] += 1
            if not now.trial:
                tally.worse.append(after > before + doubts[now.sake_hz])
            events.append(Turned(now.adjuster, now.turns))
            reads = dict.fromkeys(marks, 0)
        hz = band.read(now.mark_hz)
        kind = f"{design.name}"
        queried = _asked(design, foretold, hz, now.mark_hz)
        tally.asked.append(queried)
        wrong_sides[now.mark_hz] = band.from_wrong_side
        tally.asked_by_side[any(wrong_sides.values())].append(queried)
        slip_hz = hz + 3.0 * foretold.half_hz * float(rng.choice([-1.0, 1.0]))
        tally.slips.append(_asked(design, foretold, slip_hz, now.mark_hz))
        if not now.trial:
            holds = abs(hz - foretold.mean_hz) <= foretold.half_hz
            tally.held[kind].append(holds)
            tally.held_by_move[_class_of(now, reads, seen, moves)].append(holds)
            if sum(moves.values()) >= 3:
                tally.halves.append(foretold.half_hz / doubts[now.mark_hz])
        events.append(MarkRead(now.mark_hz, hz, doubts[now.mark_hz]))
        reads[now.mark_hz] += 1
        seen[now.mark_hz] = True
    tally.readings.append(sum(isinstance(e, MarkRead) for e in events))
    if dead:
        tally.dead.append(now.act is Act.STUCK and moves["high"] <= 1)
        tally.turned_once.append(moves["high"] <= 1)
        return
    tally.called_dead.append(now.act is Act.STUCK)
    band.minutes = 60.0
    adjusted = [m for m in ends if adjusters[m]] if len(kinds) == 1 else ends
    good = all(abs(band.error(m)) <= 1.0 for m in adjusted)
    tally.inside.append(good)
    if not good:
        tally.outside_names.append(
            f"{design.name} {seed} {sheet} {[round(band.error(m), 2) for m in ends]} {moves}"
        )
    if len(kinds) == 2:
        left, could_be = _between_the_ends(band, ends)
        worked = tally.between if sum(moves.values()) else tally.between_left
        worked.append(left - could_be)
        tally.between_outside.append(left > max(1.0, could_be + HALF))
    if sum(moves.values()):
        for count in moves.values():
            tally.moves[sheet].append(count)
            tally.by_circuit[design.name].append(count)
    if was_inside:
        tally.untouched.append(not sum(moves.values()))


def main(receivers: int) -> None:
    """Work so many receivers of one to five bands by both schools, and print what it took."""
    for to_middle in (False, True):
        print("to the middle of the tolerances:" if to_middle else "what is inside is left:")
        _print(_worked(receivers, to_middle=to_middle))


def _worked(receivers: int, *, to_middle: bool) -> Tally:
    tally = Tally()
    for seed in range(receivers):
        rng = np.random.default_rng((seed, 77))
        known = designs(rng)
        sheet = ("right", "wrong", "missing")[seed % 3]
        for n in rng.choice(len(known), int(rng.integers(1, 6)), replace=False):
            work(known[int(n)], 101 * seed + int(n), sheet, tally, to_middle=to_middle)
    return tally


def _print(tally: Tally) -> None:
    print(f"{len(tally.inside)} bands, both ends inside {_share(tally.inside)}")
    for line in tally.outside_names[:12]:
        print("   outside:", line)
    for sheet, counts in tally.moves.items():
        few = 3 if sheet == "wrong" else 2 if sheet == "right" else 4
        print(
            f"sheet {sheet}: mean {np.mean(counts):.2f} moves, at most {few} in "
            f"{100 * np.mean(np.array(counts) <= few):.1f} %"
        )
    for name, counts in tally.by_circuit.items():
        held = tally.held[name]
        print(f"   {name}: {np.mean(counts):.2f} moves, interval holds {_share(held)}")
    for name, held in tally.held_by_move.items():
        print(f"   {name}: interval holds {_share(held)}")
    every = [h for held in tally.held.values() for h in held]
    print(
        f"interval of 90 % holds {_share(every)}, half-width {np.median(tally.halves):.1f} doubts"
    )
    print(f"moves that leave their mark further off: {_share(tally.worse)}")
    print(
        f"asked about: {_share(tally.slips)} slips by three half-widths, {_share(tally.asked)} true"
    )
    fair, slack = (tally.asked_by_side[wrong] for wrong in (False, True))
    print(
        f"   where this and the last ones were taken from the right side {_share(fair)}, "
        f"where one of them was not {_share(slack)}"
    )
    print(
        f"before anything is known: images asked about {_share(tally.images)}, true readings "
        f"{_share(tally.first)}; looked for another in any case: {dict(tally.checked)}"
    )
    worked, left = ([b <= HALF for b in of] for of in (tally.between, tally.between_left))
    print(
        "marks between at most half a tolerance further out than could be: "
        f"{_share(worked + left)} (bands that were worked {_share(worked)}, "
        f"that were left as found {_share(left)}); "
        f"further out than that, and outside: {_share(tally.between_outside)}"
    )
    print(
        f"named as a suspect after one turn: dead {_share(tally.suspected)}, working "
        f"{_share(tally.wrongly_suspected)}"
    )
    print(
        f"dead adjusters turned no more than once: {_share(tally.turned_once)}; the band ended by "
        f"it: {_share(tally.dead)}"
    )
    print(f"working ones called dead: {_share(tally.called_dead)}")
    print(f"readings of a band: mean {np.mean(tally.readings):.1f}, most {max(tally.readings)}")
    print(f"bands well inside left alone: {_share(tally.untouched)}")
    print(
        f"fit and advice: median {np.median(tally.fits_ms):.0f} ms, most {max(tally.fits_ms):.0f}"
    )


def _share(of: list[bool]) -> str:
    return f"{100 * float(np.mean(of)):.1f} % of {len(of)}" if of else "none"


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
