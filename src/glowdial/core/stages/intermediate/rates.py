"""What a turn of each core does to its circuit: by the sheet at first, then by what every move of
this job and of earlier visits showed.

A core that was peaked tells how far its circuit had stood off: before and at the peak the signal
behaves as one tuned circuit's, |H| = 1 / sqrt(1 + (2 Q d)^2) with the other windings damped, so
that the turn that brought it home is d. Estimates are put together as logarithms, each with its
doubt.
Source: the resonance curve of a single circuit, as in textbooks of radio engineering.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.journey.peaking import PEAK
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.language.quantities import khz, turns
from glowdial.core.model.facts import Adjuster, ReceiverFacts
from glowdial.core.model.measurands import AVC
from glowdial.core.stages.intermediate.adjusters import NORM_Q, last_visits
from glowdial.core.stages.intermediate.survey import SURVEY, survey_curve

RATES = "turns of the IF"
RATES_FORM = RegisterForm(
    RATES,
    "What a turn does here",
    "What an earlier visit of this set learned of its IF's cores.",
    called="turns of the IF",
    title_of=lambda line: f"{line.key}, good to {100.0 * line.values.get('doubt', 0.0):.0f} %",
)
# where the sheet does not say how much a turn does
NORM_CHANGE = 0.015
# how well a turn is known: by the commonest core, by a sheet, at best by what it was seen to do
NORM_DOUBT, SHEET_DOUBT, LEAST_RATE_DOUBT = 0.6, 0.3, 0.05
# the Q of a winding of this age, the law of the line, and what a needle and a rough turn add
Q_DOUBT, NEEDLE, TURN_DOUBT = 0.35, 0.04, 1.0 / 32.0
# of the AVC's law by the sheet, and where a pass has measured it
SHEET_LAW_DOUBT, SEEN_LAW_DOUBT = 0.6, 0.25
SOFTEST_V, HARDEST_V = 20.0, 0.15
# a small turn at a peak, or two readings as good as alike, tell of the needle and not of the core
LEAST_TURN, LEAST_RATIO, MOST_RATIO = 0.3, 1.15, 40.0
# a survey that stands off by less than this says nothing of the way
TELLING_OFF = 0.002


@dataclass(frozen=True, slots=True)
class Rate:
    """Relative change of a circuit's resonance for a turn clockwise, and its doubt as a share."""

    change: float
    doubt: float


def by_sheet(adjuster: Adjuster) -> Rate:
    """What a turn does by the sheet, the first guess; by the commonest core where it is silent."""
    known = adjuster.change_per_turn
    if known is None:
        return Rate(-0.5 * NORM_CHANGE, NORM_DOUBT)
    return Rate(-0.5 * known, SHEET_DOUBT)


def rates_of(facts: ReceiverFacts, record: JobRecord) -> dict[str, Rate]:
    """What a turn of every IF core does, by all that is known so far."""
    return {key: rate_of(facts, record, key) for key in facts.if_adjusters()}


def rate_of(facts: ReceiverFacts, record: JobRecord, key: str) -> Rate:
    """The same of one core."""
    recalled = record.line(RATES, key)
    first = (
        by_sheet(facts.adjuster(key))
        if recalled is None
        else Rate(recalled.values["change"], recalled.values["doubt"])
    )
    law, visits = line_law(facts, record), last_visits(record, key)
    seen = [told for a in visits if (told := _told(facts, key, a, law))]
    if not seen:
        return first
    on_line = any(a.places.get("after") == AVC for a in visits)
    # the circuit's Q and the law are the same at every visit: their doubt does not average out
    own = 1.0 / sum(1.0 / doubt**2 for _, doubt in seen)
    mean = own * sum(log / doubt**2 for log, doubt in seen)
    shared = own + Q_DOUBT**2 + (law.doubt**2 if on_line else 0.0)
    weight = 1.0 / (1.0 / first.doubt**2 + 1.0 / shared)
    log = weight * (math.log(abs(first.change)) / first.doubt**2 + mean / shared)
    return Rate(math.copysign(math.exp(log), first.change), math.sqrt(weight))


@dataclass(frozen=True, slots=True)
class LineLaw:
    """Control volts for a neper of gain, and what it adds to a rate's doubt."""

    volts_per_neper: float
    doubt: float


def line_law(facts: ReceiverFacts, record: JobRecord) -> LineLaw:
    """The AVC's law: the sheet's, until a pass has measured it.

    What the generator's level gained over the first pass (substitution: exact) is the sum of what
    its cores won, each ln(after / before) + (after - before) / c; only c is unknown.
    """
    by_hand = LineLaw(facts.circuit.avc.control_v_per_neper, SHEET_LAW_DOUBT)
    reference = [a for a in record.of_step(SURVEY) if a.ask == "reference"]
    gain = [a for a in record.of_step("if.pass1.gain") if a.ask == "level"]
    if not reference or not gain or "reads" in reference[-1].values:
        return by_hand
    won = math.log(reference[-1].values["level"] / gain[-1].values["level"])
    volts = straight = 0.0
    for key in facts.if_adjusters():
        peak = record.latest(f"if.pass1.{key}", PEAK)
        if peak is None or peak.places.get("after") != AVC:
            continue
        before, after = abs(peak.values["before"]), abs(peak.values["after"])
        if before > 0.0 and after > 0.0:
            volts += after - before
            straight += math.log(after / before)
    if volts <= 0.0 or won <= straight:
        return by_hand
    c = min(max(volts / (won - straight), HARDEST_V), SOFTEST_V)
    return LineLaw(c, SEEN_LAW_DOUBT)


def _told(facts: ReceiverFacts, key: str, peak: Answer, law: LineLaw) -> tuple[float, float] | None:
    """The logarithm of a turn's effect that a visit tells, with the doubt of its own readings;
    None where it was hardly turned or the reading says nothing of the signal."""
    turned = abs(peak.values["turns"])
    ratio = signal_ratio(peak, law.volts_per_neper)
    if turned < LEAST_TURN or ratio is None or not LEAST_RATIO < ratio < MOST_RATIO:
        return None
    can = facts.can_of(key)
    q = can.qs[can.cores.index(key)] if can else NORM_Q
    off = math.sqrt(ratio**2 - 1.0) / (2.0 * q)
    steep = ratio**2 / (ratio**2 - 1.0)
    doubt = math.hypot(steep * NEEDLE * math.sqrt(2.0), TURN_DOUBT / turned)
    return math.log(off / turned), doubt


def signal_ratio(peak: Answer, volts_per_neper: float) -> float | None:
    """Signal at the peak over that before: the readings' own ratio where the indicator is straight,
    through the law of the AVC where it is not; None for one that is judged by eye or ear."""
    place = peak.places.get("after")
    before, after = abs(peak.values["before"]), abs(peak.values["after"])
    if place is None or before <= 0.0 or after <= 0.0:
        return None
    if place != AVC:
        return after / before
    # v = x exp(-v / c): what drives the loop is v exp(v / c)
    more = (after - before) / volts_per_neper
    return (after / before) * math.exp(min(more, 20.0))


def rate_words(facts: ReceiverFacts, record: JobRecord, key: str) -> str:
    """What a turn clockwise does to a circuit, in people's words, with where that is from."""
    rate, adjuster = rate_of(facts, record, key), facts.adjuster(key)
    moved_hz = rate.change * facts.intermediate_frequency_hz
    way = "up" if moved_hz > 0.0 else "down"
    law = line_law(facts, record)
    visits = sum(_told(facts, key, a, law) is not None for a in last_visits(record, key))
    earlier = record.line(RATES, key) is not None
    learned = [
        "an earlier visit" if earlier else "",
        f"{visits} visit{'s' if visits > 1 else ''} here" if visits else "",
        "the sheet" if adjuster.change_per_turn is not None and not earlier else "",
    ]
    sources = " and ".join(s for s in learned if s) or "the commonest core: its way is not known"
    return f"{way} by about {khz(abs(moved_hz))}, good to {100.0 * rate.doubt:.0f} % ({sources})"


def short_rate(facts: ReceiverFacts, record: JobRecord, key: str) -> str:
    """The same for a table's cell."""
    rate = rate_of(facts, record, key)
    moved_hz = rate.change * facts.intermediate_frequency_hz
    return f"{'+' if moved_hz > 0.0 else '-'}{khz(abs(moved_hz))}, {100.0 * rate.doubt:.0f} %"


def first_move(facts: ReceiverFacts, record: JobRecord, key: str) -> float | None:
    """How far a core is likely to be turned before its first peak, in turns clockwise: as far as
    the survey as found stands off, shortened for the doubt; None where nothing tells."""
    if last_visits(record, key):
        return None
    curve = survey_curve(record)
    known = facts.adjuster(key).change_per_turn is not None or record.line(RATES, key) is not None
    if curve is None or not known:
        return None
    off = curve.peak_hz / facts.intermediate_frequency_hz - 1.0
    if abs(off) < TELLING_OFF:
        return None
    rate = rate_of(facts, record, key)
    return -off / rate.change * shortened(rate.doubt)


def shortened(doubt: float) -> float:
    """What of a computed move is made where the rate is known to so much in its logarithm: with a
    doubt of two or so two thirds, exp(-doubt^2)."""
    return math.exp(-(doubt**2))


def move_words(facts: ReceiverFacts, record: JobRecord, key: str) -> tuple[str, ...]:
    """Where to begin: a first move, or that a small one is left."""
    move = first_move(facts, record, key)
    if move is not None:
        return (f"As found the IF says: begin with about {turns(round(16.0 * move) / 16.0)}.",)
    return ()


@dataclass(frozen=True, slots=True)
class Drift:
    """How far the set ran between two passes, in Hz, and on how many cores that rests."""

    hz: float
    cores: int


# all cores the same way, by more than this of the IF: not the hand
LEAST_DRIFT, LEAST_CORES = 0.0006, 2


def drift_between(facts: ReceiverFacts, visits: Mapping[str, tuple[Answer, float]]) -> Drift | None:
    """What a second look at cores that were peaked before says of the set: where every one had to
    follow the same way, the set ran, not the hand. ``visits`` are the second peaks with what a turn
    does; None where they do not agree."""
    shifts = [
        a.values["turns"] * rate * facts.intermediate_frequency_hz for a, rate in visits.values()
    ]
    if len(shifts) < LEAST_CORES or not (min(shifts) > 0.0 or max(shifts) < 0.0):
        return None
    mean = sum(shifts) / len(shifts)
    if min(abs(s) for s in shifts) < LEAST_DRIFT * facts.intermediate_frequency_hz:
        return None
    # the circuit was brought back by so much: it had run the other way
    return Drift(-mean, len(shifts))
