"""What an oscillator's rounds say: why a mark is read, turned or left, and what is foretold."""

from __future__ import annotations

import math
from collections.abc import Mapping

from glowdial.core.alignment.fitted_oscillator import IDLE_PRIOR
from glowdial.core.alignment.next_move import Act, Why
from glowdial.core.alignment.oscillator_state import (
    Foreseen,
)
from glowdial.core.language.quantities import (
    engineering,
    khz,
)
from glowdial.core.model.facts import VHF_HZ, Adjuster
from glowdial.core.physics.tracking import AdjusterKind, TankRole, dial_shift_hz, role_of
from glowdial.core.stages.tracking.round_advice import (
    End,
    Rounds,
)

# an adjuster that may do nothing is named once that is twice as probable as before it was turned
SUSPECTED = 2.0 * IDLE_PRIOR
# a change small enough for straight lines
PROBE = 1e-3


def ended_words(rounds: Rounds, end: End) -> tuple[str, ...]:
    """Why an end that is outside is left, where nothing brings it nearer; at the last visit, which
    adjuster did nothing."""
    suspects = suspect_words(rounds) if end == rounds.visits[-1][1] else ()
    if rounds.now.act is not Act.BEST or rounds.now.mark_hz != end.mark_hz:
        return suspects
    return (
        *suspects,
        "No adjuster brings it nearer without putting another mark further out: what is left is "
        "the gang's plates, or a part. Bend a split plate only with the maker's instructions; "
        "else close it with its cost.",
    )


def read_words(rounds: Rounds, end: End) -> tuple[str, ...]:
    """Why a mark is read again."""
    why = _why_words(rounds, end)
    return (why,) if rounds.now.why is Why.BETWEEN else (*suspect_words(rounds), why)


def _why_words(rounds: Rounds, end: End) -> str:
    told = fit_words(rounds.fit.foreseen(end.mark_hz))
    match rounds.now.why:
        case Why.BETWEEN:
            return (
                "Before anything is turned: an adjuster moves what is between the ends too, and "
                f"is then set for all three. Foretold: {told}."
            )
        case Why.MOVED:
            return f"Something moved since it was read. Foretold: {told}."
        case Why.NOT_BORNE_OUT:
            return (
                f"The other readings do not bear this one out; they say {told}. Read it again, "
                "from the same side. If it goes on moving one way the set is still warming: wait, "
                "or take its drift."
            )
        case Why.TORN:
            return (
                f"Its two readings disagree: a third one, from the same side, decides. By both, "
                f"{told}."
            )
        case Why.ALONE:
            return (
                "One reading alone says so, and a drive has slack: come onto the mark from the "
                f"same side as before, and read it once more. Foretold: {told}."
            )
        case Why.LITTLE:
            return (
                "The first turn changed far less than was expected, so little that the drive's "
                f"slack may be all of it: read it once more, from the same side, before it is "
                f"turned again. Foretold: {told}."
            )
    return "It stands at the edge of its tolerance: read it again before anything is turned."


def stuck_words(rounds: Rounds, end: End, adjuster: Adjuster) -> tuple[str, ...]:
    """What to look at where an adjuster changes nothing, and which part is missing at its end."""
    sure = rounds.fit.does_nothing(adjuster.key)
    return (
        f"The {adjuster.name} changed nothing ({100 * sure:.0f} % sure): do not turn it on and "
        "on. Is it at the end of its travel, is its slot or thread stripped, does it belong to "
        "another band or circuit, or is this band not switched in? Look, turn it back to as "
        "found, and go on with what was found; or close it with its cost.",
        f"At its end, what is missing is {_other_part(rounds, end, adjuster)}",
    )


def _other_part(rounds: Rounds, end: End, adjuster: Adjuster) -> str:
    """What has to be changed where the adjuster cannot, with how much by the nominal circuit."""
    tracked = rounds.band.tracked
    error_hz = rounds.fit.foreseen(end.mark_hz).mean_hz - end.mark_hz
    per_share = dial_shift_hz(tracked, end.mark_hz, adjuster.kind, PROBE) / PROBE
    share = -error_hz / per_share
    if role_of(adjuster.kind, inductive=tracked.inductive) is TankRole.SCALE:
        return f"the coil, or its core, {'more' if share > 0 else 'less'} by {abs(share):.1%}."
    part = tracked.oscillator
    whole = part.padder_f if adjuster.kind is AdjusterKind.PADDER else part.trimmer_f
    unit = "H" if tracked.inductive else "F"
    place = "in series" if adjuster.kind is AdjusterKind.PADDER else "across it"
    way = "more" if share > 0 else "less"
    return (
        f"about {engineering(abs(share) * whole, unit, 2)} {way} {place}, by the sheet's circuit."
    )


def turn_words(rounds: Rounds, end: End) -> tuple[str, ...]:
    """Why an adjuster is turned, what is known of it, and what the turn will do."""
    fit, now = rounds.fit, rounds.now
    assert end.adjuster is not None
    found = fit.foreseen(end.mark_hz).mean_hz
    error = found - end.mark_hz
    where = "low" if error > 0 else "high"
    first = (
        f"{khz(round(found, -4 if found >= VHF_HZ else -2))} comes in at {khz(end.mark_hz)}: "
        "stations stand "
        f"{abs(error) / 1e3:.1f} kHz too {where} on the scale. {_basis(rounds, end)}"
    )
    words = [
        first,
        *_sake_words(rounds, end),
        *suspect_words(rounds),
        foretold_words(rounds, now.lands, end),
    ]
    if not now.alone:
        words.append("Both ends have to move: the other one follows, and takes out what is left.")
    return tuple(words)


def _sake_words(rounds: Rounds, end: End) -> tuple[str, ...]:
    """Why an adjuster is turned whose own mark is inside."""
    sake_hz = rounds.now.sake_hz
    tolerance_hz = rounds.band.tolerance_hz(sake_hz)
    off_hz = rounds.fit.foreseen(sake_hz).mean_hz - sake_hz
    if rounds.now.why is Why.FURTHER:
        return (
            "All marks are inside, but this band was turned, and what is between its ends could "
            f"stand nearer by more than half of its tolerance: {khz(sake_hz)} is the furthest, "
            f"{off_hz / 1e3:+.1f} kHz.",
        )
    if rounds.now.why is Why.MIDDLE:
        return (
            "All marks are inside. Everything is to be at its best, and this turn brings the "
            f"furthest, {khz(sake_hz)}, nearer to its middle: {off_hz / 1e3:+.1f} kHz.",
        )
    if sake_hz == end.mark_hz:
        return ()
    why = "outside" if abs(off_hz) > tolerance_hz else "too near its edge"
    return (f"It is turned for {khz(sake_hz)}, which is {why}: {off_hz / 1e3:+.1f} kHz.",)


def suspect_words(rounds: Rounds) -> tuple[str, ...]:
    """The adjusters whose last turn changed less than it should, before that is sure and after."""
    words = []
    for turner in rounds.fit.turners:
        probability = rounds.fit.does_nothing(turner.key)
        if probability < SUSPECTED:
            continue
        name = rounds.facts.adjuster(turner.key).name
        words.append(
            f"The last turn of the {name} changed little: with {100 * probability:.0f} % it does "
            "nothing. Is it this circuit's, does its part move with it? Watch while you turn it, "
            "and stop where nothing follows."
        )
    return tuple(words)


def _basis(rounds: Rounds, end: End) -> str:
    """What is known of what a turn does, and whence."""
    fit, key = rounds.fit, end.adjuster or ""
    if rounds.now.trial:
        return "Which way it goes is not known yet: a small test move, whose effect tells the rest."
    rate = fit.hz_per_turn(key, end.mark_hz)
    share = rate.doubt_hz / max(abs(rate.mean_hz), 1.0)
    adjuster = rounds.facts.adjuster(key)
    whence = "learned from its moves" if fit.moves_of(key) else "computed from the sheet"
    if not fit.moves_of(key) and adjuster.change_per_turn is None:
        whence = "guessed from its kind"
    return (
        f"A turn does about {abs(rate.mean_hz) / 1e3:.0f} kHz here, {whence}, good to "
        f"{100 * share:.0f} %."
    )


def fit_words(found: Foreseen) -> str:
    """A foreseen reading as it is said: with half of the interval that holds nine of ten."""
    # two figures of the doubt are enough, and of the frequency no more than it bears
    digits = min(1 - math.floor(math.log10(max(found.half_hz, 1.0))), -1)
    return f"{khz(round(found.mean_hz, digits))} within {khz(round(found.half_hz, digits))}"


def foretold_words(rounds: Rounds, lands: Mapping[float, Foreseen], end: End) -> str:
    """What will come in here after the move, and what the move does to the other mark."""
    here = f"Foretold: {khz(end.mark_hz)} comes to {fit_words(lands[end.mark_hz])}"
    others = []
    for mark_hz, there in lands.items():
        if mark_hz == end.mark_hz:
            continue
        by = there.mean_hz - rounds.fit.foreseen(mark_hz).mean_hz
        way = "rises" if by > 0 else "falls"
        tolerance = rounds.band.tolerance_hz(mark_hz)
        out = abs(there.mean_hz - mark_hz) > tolerance
        after = f", to {khz(round(there.mean_hz, -2))}, outside for now" if out else ""
        others.append(f"{khz(mark_hz)} {way} by {abs(by) / 1e3:.1f} kHz{after}")
    return "; ".join((here, *others)) + "."
