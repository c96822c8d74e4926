"""The hands at a bench: carry out a recipe by setting, reading and turning, and nothing else."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from glowdial.bench.port import GENERATOR_HZ, Bench
from glowdial.core.bench.movements import find_maximum, match_reading, peak_by_turning
from glowdial.core.bench.recipe import POINTER, Doing, Hearing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.dial_marks import SEARCH_SHARE
from glowdial.core.journey.findings import answer_of, level_of
from glowdial.core.journey.steps import Ask
from glowdial.core.language.errors import Conflict
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import VHF_HZ
from glowdial.core.model.measurands import AVC, LOUDSPEAKER, Measurand
from glowdial.core.physics.level_search import power_mean_v, spread_db
from glowdial.core.tracing.trials import Finding
from glowdial.core.tuner.drive import AudioMeter

COARSE_HZ, FINE_HZ = 3e3, 0.5e3
# how far the right one of two answers is looked for where it should stand, and what share of the
# other's AVC volts is an answer and no noise
TWIN_REACH_HZ, TWIN_SHARE = 45e3, 0.3
# what comes in lifts the AVC line by so much at least
LEAST_RISE_V = 0.03
# FM's channels are so much wider
VHF_STEPS = 40.0
EDGE_STEPS, EDGE_SHARE = 40, 0.7
ZERO_STEP, ZERO_REACH, HALVINGS = 0.25, 4.0, 7
# an FM detector's curve is looked over in such steps, so many either side
ZERO_ROW_HZ, ZERO_STEPS = 25e3, 16
# so far either side of its place, as a share, a main dial is moved for a known signal
DIAL_REACH = 0.02
FIND_LEVEL_V = 1e-3
# thirty readings take ten seconds
BETWEEN_READINGS_S = 1.0 / 3.0


@dataclass(frozen=True, slots=True)
class Measured:
    """Values by field in SI, turns made on the way, a remark when something was odd; ``said`` is
    what was found in words, which comes first in the line."""

    values: dict[str, float]
    turned: float = 0.0
    remarks: tuple[str, ...] = field(default=())
    said: str = ""


def prepare(recipe: Recipe, bench: Bench) -> None:
    """Set the bench for a movement by hand: where the dial counts, the signal is brought in first,
    strong enough to be found, and then set to the level, or to the reading, that is wanted."""
    bench.apply(recipe.change)
    if recipe.change.get("dial_hz") is not None:
        bench.apply(setting(generator_emf_v=_finding_level_v(bench)))
        _find(recipe, bench)
        bench.apply(setting(generator_emf_v=recipe.change.get("generator_emf_v")))
    if recipe.doing is Doing.PEAK and recipe.target_v is not None:
        _match(recipe, bench)


def _finding_level_v(bench: Bench) -> float:
    """Strong enough to be found, as far as the generator goes."""
    lowest, highest = bench.generator_limits_v
    return min(max(FIND_LEVEL_V, lowest), highest)


def carry_out(
    ask: Ask, bench: Bench, *, already_turned: float, step_turns: float, reach_turns: float
) -> Measured:
    """Do what a question asks for and return its values; raises Conflict where it tells no way.

    ``already_turned`` are turns made by hand in this step, so a proposed turn is not made twice.
    ``step_turns`` and ``reach_turns`` bound a peaking movement.
    """
    recipe = ask.recipe
    if recipe is None:
        raise Conflict("No bench can answer this question: type it.")
    wanted = [f for f in ask.fields if f.measurand is not None and f.required]
    if recipe.doing is Doing.TONE_PAIR:
        # the signal is found on the AVC line, and the tone is read at the loudspeaker
        bench.wired(frozenset((AVC.place, LOUDSPEAKER.place)))
    if recipe.doing is Doing.READ:
        bench.wired(frozenset(f.measurand.place for f in wanted if f.measurand is not None))
    bench.apply(recipe.change)
    if recipe.wait_s > 0.0:
        bench.wait(recipe.wait_s)
    match recipe.doing:
        case Doing.READ:
            return Measured({f.name: bench.read(f.measurand) for f in wanted if f.measurand})
        case Doing.FIND_FREQUENCY:
            found_hz = _find(recipe, bench)
            if ask.foretold is not None and ask.foretold.twin_hz and recipe.zero_of is None:
                found_hz = _right_one(bench, found_hz, ask.foretold.twin_hz)
            return Measured({"frequency": found_hz})
        case Doing.FIND_DIAL:
            return Measured({"main": _find_dial(recipe, bench)})
        case Doing.TURN_AND_FIND:
            return _turn_and_find(recipe, bench, already_turned)
        case Doing.PEAK:
            return _peak(recipe, bench, already_turned, step_turns, reach_turns)
        case Doing.MATCH_LEVEL:
            return _match(recipe, bench)
        case Doing.TONE_PAIR:
            return _tone_pair(recipe, bench)
        case Doing.SAME_READING:
            return _same_reading(recipe, bench)
        case Doing.HEAR:
            return Measured({h.field: _heard(h, bench) for h in recipe.heard})
        case Doing.EDGES:
            return _edges(recipe, bench)
        case Doing.ZERO:
            return _zero(recipe, bench, already_turned)
        case Doing.SLIDE_AND_FIND:
            return _slide_and_find(recipe, bench)
        case Doing.TRY:
            return _try(ask, bench.tried(recipe.trial))


def _heard(hearing: Hearing, bench: Bench) -> float:
    """As it is typed: a share in per cent."""
    value = bench.hear(hearing.drive, hearing.look)
    return 100.0 * value if hearing.look.meter is AudioMeter.DISTORTION else value


def _edges(recipe: Recipe, bench: Bench) -> Measured:
    """The generator moved until the reading has fallen to 0.7 of its highest, below and above."""
    centre = _wanted(recipe.change.get("generator_hz"), "the generator's place")
    span = _wanted(recipe.span_hz, "how far to look")
    row = [centre + span * n / EDGE_STEPS for n in range(-EDGE_STEPS, EDGE_STEPS + 1)]
    seen = bench.row(recipe.indicator, GENERATOR_HZ, row)
    wanted = EDGE_SHARE * max(seen)
    above = [n for n, v in enumerate(seen) if v >= wanted]
    low, high = max(above[0], 1), min(above[-1], len(row) - 2)
    return Measured(
        {
            "low": _between(row, seen, low - 1, low, wanted),
            "high": _between(row, seen, high + 1, high, wanted),
        }
    )


def _between(row: list[float], seen: list[float], out: int, inside: int, wanted: float) -> float:
    share = (wanted - seen[out]) / max(seen[inside] - seen[out], 1e-12)
    return row[out] + min(max(share, 0.0), 1.0) * (row[inside] - row[out])


def _zero(recipe: Recipe, bench: Bench, already: float) -> Measured:
    """Turned to the zero between two signs: on in quarter turns until the sign changes, then by
    halves."""
    if recipe.adjuster is None:
        raise Conflict("The step does not say what to turn, so the bench cannot do it.")
    stood = bench.read(recipe.indicator)
    turned, last = 0.0, stood
    for way in (1.0, -1.0):
        while turned * way < ZERO_REACH and last * stood > 0.0:
            bench.turn(recipe.adjuster, way * ZERO_STEP)
            turned += way * ZERO_STEP
            last = bench.read(recipe.indicator)
        if last * stood <= 0.0:
            break
        bench.turn(recipe.adjuster, -turned)
        turned, last = 0.0, stood
    else:
        return Measured(
            {"before": stood, "after": stood, "turns": already}, 0.0, ("No zero in reach.",)
        )
    step = math.copysign(ZERO_STEP, turned)
    for _ in range(HALVINGS):
        step *= 0.5
        # back over the zero, or on towards it
        move = -step if last * stood <= 0.0 else step
        bench.turn(recipe.adjuster, move)
        turned += move
        last = bench.read(recipe.indicator)
    return Measured({"before": stood, "after": last, "turns": already + turned}, turned)


def _try(ask: Ask, finding: Finding) -> Measured:
    """What a test of fault tracing gave, with the level where the question takes one."""
    expected_v = dict(ask.point).get("expected")
    level_v = level_of(finding, expected_v) if expected_v is not None else None
    values = {"level": level_v} if level_v is not None else {}
    return Measured(values, said=answer_of(finding))


def _wanted(value: float | str | None, what: str) -> float:
    if not isinstance(value, (int, float)):
        raise Conflict(f"The step does not say {what}, so the bench cannot do it.")
    return float(value)


def _find(recipe: Recipe, bench: Bench, *, quiet_too: bool = False) -> float:
    """Where the generator comes in: looked for further off once nothing did. Where nothing does it
    is refused, or ``quiet_too`` left on its place, for a reading that tells of no tone."""
    # what is to come in there; on a moved band, or a bandspread, the dial says another
    place = recipe.change.get("generator_hz") or recipe.change.get("dial_hz")
    wanted, span = _wanted(place, "the dial mark"), _wanted(recipe.span_hz, "how far to look")
    by = recipe.zero_of or AVC
    least_v = LEAST_RISE_V if recipe.zero_of is None else 0.0
    widest = max(span, SEARCH_SHARE * wanted)
    found: float | None = None
    highest_v = 0.0
    for reach in sorted({span, widest}):
        seen: list[float] = []
        top_hz = _highest(bench, by, wanted, reach, seen)
        highest_v = max(highest_v, *seen)
        if highest_v > 0.0 and max(seen) - min(seen) >= least_v:
            found = top_hz
            break
    if found is None and highest_v > 0.0 and quiet_too:
        found = wanted
    if found is None:
        raise Conflict(
            f"Nothing came in within {khz(widest)} either side of {khz(wanted)}: is the generator "
            "on, its lead on, does the oscillator run?"
        )
    if recipe.zero_of is not None:
        found = _zero_beside(recipe.zero_of, found, bench)
    bench.apply(setting(generator_hz=found))
    return found


def _highest(
    bench: Bench, by: Measurand, around_hz: float, reach_hz: float, seen: list[float]
) -> float:
    """Where the generator makes the most of a reading, within a reach; ``seen`` takes what was
    read on the way, without its sign."""
    wide = VHF_STEPS if around_hz >= VHF_HZ else 1.0

    def read(row_hz: list[float]) -> list[float]:
        found = [abs(v) for v in bench.row(by, GENERATOR_HZ, row_hz)]
        seen.extend(found)
        return found

    return find_maximum(
        read,
        start=around_hz - reach_hz,
        stop=around_hz + reach_hz,
        coarse=wide * COARSE_HZ,
        fine=wide * FINE_HZ,
    )


def _right_one(bench: Bench, found_hz: float, twin_hz: float) -> float:
    """Of two answers, one of which may be the image, the right one: what was found, or what comes
    in where the right one would stand if that were the image, however far out that is."""

    def level_v(frequency_hz: float) -> float:
        bench.apply(setting(generator_hz=frequency_hz))
        return abs(bench.read(AVC))

    # between the two nothing comes in: what is read there is nothing
    nothing_v, here_v = level_v(found_hz + twin_hz / 3.0), level_v(found_hz)
    there: list[float] = []
    right_hz = _highest(bench, AVC, found_hz + twin_hz, TWIN_REACH_HZ, there)
    answers = max(there) - nothing_v > TWIN_SHARE * (here_v - nothing_v)
    bench.apply(setting(generator_hz=right_hz if answers else found_hz))
    return right_hz if answers else found_hz


def _find_dial(recipe: Recipe, bench: Bench) -> float:
    """The generator stays, and the dial is moved over its place until the most comes in."""
    around = _wanted(recipe.change.get("dial_hz"), "the dial mark")

    reach = DIAL_REACH * around
    found = find_maximum(
        lambda row_hz: bench.row(recipe.indicator, "dial_hz", row_hz),
        start=around - reach,
        stop=around + reach,
        coarse=COARSE_HZ,
        fine=FINE_HZ,
    )
    bench.apply(setting(dial_hz=found))
    return found


def _zero_beside(what: Measurand, near_hz: float, bench: Bench) -> float:
    """The zero between the two peaks of an FM detector's curve: where it falls through steepest."""
    row = [near_hz + ZERO_ROW_HZ * n for n in range(-ZERO_STEPS, ZERO_STEPS + 1)]
    seen = bench.row(what, GENERATOR_HZ, row)
    crossings = [n for n in range(len(row) - 1) if seen[n] * seen[n + 1] <= 0.0]
    if not crossings:
        return near_hz
    steepest = max(crossings, key=lambda n: abs(seen[n + 1] - seen[n]))
    share = seen[steepest] / (seen[steepest] - seen[steepest + 1] or 1.0)
    return row[steepest] + min(max(share, 0.0), 1.0) * ZERO_ROW_HZ


def _slide_and_find(recipe: Recipe, bench: Bench) -> Measured:
    """The mark's own frequency tuned in, and the pointer slid onto the mark."""
    mark = _wanted(recipe.change.get("dial_hz"), "the dial mark")
    bench.turn(POINTER, math.log(_find(recipe, bench) / mark))
    return Measured({"frequency": _find(recipe, bench)})


def _turn_and_find(recipe: Recipe, bench: Bench, already: float) -> Measured:
    turned = 0.0
    if already == 0.0 and recipe.adjuster is not None:
        turned = _wanted(recipe.turns, "how far to turn")
        bench.turn(recipe.adjuster, turned)
    return Measured({"turns": already + turned, "frequency": _find(recipe, bench)}, turned)


def _peak(
    recipe: Recipe, bench: Bench, already: float, step_turns: float, reach_turns: float
) -> Measured:
    if recipe.adjuster is None:
        raise Conflict("The step does not say which adjuster to peak.")
    adjuster = recipe.adjuster
    prepare(recipe, bench)
    bench.turn(adjuster, -already)
    before = bench.read(recipe.indicator)
    stands = 0.0

    def measure(turns: float) -> float:
        nonlocal stands
        bench.turn(adjuster, turns - stands)
        stands = turns
        return bench.read(recipe.indicator)

    peak = peak_by_turning(measure, step_turns=step_turns, reach_turns=reach_turns)
    turns = peak.turns
    if peak.reading < before:
        measure(0.0)
        turns, peak_reading = 0.0, before
    else:
        peak_reading = peak.reading
    remarks = (
        ()
        if peak.enclosed
        else (
            "No fall-off on one side within the travel: a changed capacitor, a shorted turn, or "
            "the end of the thread.",
        )
    )
    values = {"before": before, "after": peak_reading, "turns": turns}
    return Measured(values, turns - already, remarks)


def _match(recipe: Recipe, bench: Bench) -> Measured:
    target = _wanted(recipe.target_v, "the reading to reach")
    lowest, highest = bench.generator_limits_v

    def measure(level_v: float) -> float:
        bench.apply(setting(generator_emf_v=level_v))
        return bench.read(recipe.indicator)

    level = match_reading(measure, target, lowest=lowest, highest=highest)
    remarks = ("The generator's range ended before the reading was reached.",)
    if level not in (lowest, highest):
        return Measured({"level": level})
    # what it can be brought to instead
    return Measured({"level": level, "reads": abs(measure(level))}, remarks=remarks)


def _tone_pair(recipe: Recipe, bench: Bench) -> Measured:
    bench.apply(setting(generator_emf_v=_finding_level_v(bench)))
    _find(recipe, bench, quiet_too=True)
    bench.apply(setting(generator_emf_v=recipe.change.get("generator_emf_v"), tone_on=True))
    on = _run(recipe, bench)
    bench.apply(setting(tone_on=False))
    off = _run(recipe, bench)
    level = _wanted(recipe.change.get("generator_emf_v"), "the level")
    values = {"level": level, "on": power_mean_v(on), "off": power_mean_v(off)}
    if recipe.readings > 1:
        values |= {"on_spread": spread_db(on), "off_spread": spread_db(off)}
        values["readings"] = float(recipe.readings)
    return Measured(values)


def _same_reading(recipe: Recipe, bench: Bench) -> Measured:
    """The reading on tune, and the level at another frequency that makes the same."""
    wanted_v = _wanted(recipe.change.get("generator_emf_v"), "the level")
    other_hz = _wanted(recipe.second_hz, "the other frequency")
    bench.apply(setting(generator_emf_v=_finding_level_v(bench)))
    _find(recipe, bench)
    bench.apply(setting(generator_emf_v=wanted_v))
    target = bench.read(recipe.indicator)
    lowest, highest = bench.generator_limits_v
    bench.apply(setting(generator_emf_v=highest))
    reach = _wanted(recipe.span_hz, "how far to look")
    at_hz = find_maximum(
        lambda row_hz: bench.row(recipe.indicator, GENERATOR_HZ, row_hz),
        start=other_hz - reach,
        stop=other_hz + reach,
        coarse=COARSE_HZ,
        fine=FINE_HZ,
    )

    def measure(level_v: float) -> float:
        bench.apply(setting(generator_hz=at_hz, generator_emf_v=level_v))
        return bench.read(recipe.indicator)

    level_v = match_reading(measure, target, lowest=lowest, highest=highest)
    remarks: tuple[str, ...] = ()
    if level_v >= highest:
        remarks = ("The generator's range ended before the same reading: at least so much.",)
    return Measured({"wanted": wanted_v, "other": level_v}, remarks=remarks)


def _run(recipe: Recipe, bench: Bench) -> list[float]:
    """The output read as often as the recipe says, with a moment between."""
    read = [bench.read(LOUDSPEAKER)]
    while len(read) < recipe.readings:
        bench.wait(BETWEEN_READINGS_S)
        read.append(bench.read(LOUDSPEAKER))
    return read
