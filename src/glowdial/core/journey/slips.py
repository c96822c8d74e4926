"""Slips of the pen: a value where no modelled state of this set could put it is asked about once,
with the slip that would explain it: a factor of ten, the unit, swapped figures, a neighbouring
point, the sign, two values the wrong way round.

Two rules. A value beyond what is plausible is asked about whatever explains it. One that is merely
outside of what is expected is asked about only when a slip would bring it right in: a faulty set
reads what it reads.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence

from glowdial.core.journey.steps import COUNTER_MARK, Ask, Field, Foretold
from glowdial.core.language.quantities import (
    AVC_VOLTS,
    CURRENT,
    FREQUENCY,
    FREQUENCY_MHZ,
    INTERMEDIATE_FREQUENCY,
    LEVEL,
    TEMPERATURE,
    Quantity,
    echo,
    khz,
)
from glowdial.core.language.verdicts import Window

# how far a value may lie from its nominal, as factors, before any explanation is wanted
PLAUSIBLE: Mapping[Quantity, tuple[float, float]] = {
    FREQUENCY: (0.85, 1.15),
    FREQUENCY_MHZ: (0.85, 1.15),
    INTERMEDIATE_FREQUENCY: (0.85, 1.15),
    LEVEL: (0.01, 100.0),
    CURRENT: (0.25, 4.0),
}
FAR = 300.0
# what counts as right where no window is given, and how near a slip has to bring a value
USUAL_SHARE, SET_SHARE, EXPLAINS_SHARE = 0.2, 0.03, 0.12
# a value within so many half widths, each at least a tenth, needs no explanation
FAR_HALVES, LEAST_HALF = 2.5, 0.1
# a reading this many half widths of what was foreseen away is asked about
FORETOLD_HALVES = 1.9
# from half of an interval that holds nine of ten to the doubt; how probable a false answer has to
# be before it is asked about, and how many doubts it may be off
NINETY, ASKED_FROM, MOST_OFF_GHOST = 1.645, 0.1, 2.6
WARMEST_C, COLDEST_C = 45.0, -10.0
MOST_AVC_V = 25.0


def doubts_of(
    ask: Ask, values: Mapping[str, float], typed: Mapping[str, str], neighbours: Sequence[float]
) -> tuple[str, ...]:
    """Sentences for what was typed and can hardly be; empty for a usual reading.

    ``neighbours`` are the other points of the step, in SI.
    """
    swapped = _swapped(ask, values)
    if swapped:
        return (swapped,)
    found = [
        _doubt(ask, field, _as_expected(ask, field, values), typed.get(field.name, ""), neighbours)
        for field in ask.fields
        if field.quantity is not None and field.name in values
    ]
    return tuple(words for words in found if words)


def _as_expected(ask: Ask, field: Field, values: Mapping[str, float]) -> float:
    """A value as it would be where it was asked for: a mark's, of what was read beside the mark."""
    against = next((f for f in ask.fields if f.name == field.against), None)
    if against is None or not against.nominal or not values.get(against.name):
        return values[field.name]
    return values[field.name] * against.nominal / values[against.name]


def _doubt(ask: Ask, field: Field, value: float, typed: str, neighbours: Sequence[float]) -> str:
    assert field.quantity is not None
    plausible, expected = plausible_window(field), expected_window(ask, field)
    beyond = plausible is not None and not _inside(value, plausible)
    if ask.foretold is not None and ask.foretold.field == field.name:
        foretold = Window(ask.foretold.low, ask.foretold.high, None)
        # a counter on the oscillator hears no image
        counted = typed.startswith(COUNTER_MARK)
        ghost = "" if counted else _ghost(ask.foretold, value)
        if ghost:
            return f"{field.label}: {echo(value, field.quantity)}? {ghost}"
        if _near_foretold(value, foretold):
            return "" if counted else _twin(field, ask.foretold, value)
        # only what was foreseen explains it, however near its nominal another value is
        slip = _slip(field, value, typed, foretold, neighbours, None)
        if slip or not beyond:
            return _unforetold(field, value, foretold, slip)
        expected = foretold
    if not beyond and (expected is None or _near(value, expected)):
        return ""
    slip = _slip(field, value, typed, expected, neighbours, field.nominal)
    shown = echo(value, field.quantity)
    if slip:
        return f"{field.label}: {shown}? {slip}"
    if beyond:
        near = f"; about {echo(field.nominal, field.quantity)} is expected" if field.nominal else ""
        return f"{field.label}: {shown} is where no state of this set puts it{near}."
    return ""


def _unforetold(field: Field, value: float, foretold: Window, slip: str) -> str:
    """What is asked about a value that may well be, but is not what was foreseen."""
    assert field.quantity is not None
    low, high = (echo(float(f"{end:.5g}"), field.quantity) for end in _ends(foretold))
    words = f"By what is known so far it comes in between {low} and {high}."
    return f"{field.label}: {echo(value, field.quantity)}? {slip or words}"


def _ends(window: Window) -> tuple[float, float]:
    assert window.low is not None and window.high is not None
    return window.low, window.high


def _twin(field: Field, foretold: Foretold, value: float) -> str:
    """Whether the right answer of two was taken, where nothing else can tell."""
    if not foretold.twin_hz:
        return ""
    apart, other = khz(abs(foretold.twin_hz)), value + foretold.twin_hz
    assert field.quantity is not None
    return (
        f"{field.label}: {echo(value, field.quantity)}? Two answers stand {apart} apart, and the "
        f"{foretold.right_twin} one is right: is there another at "
        f"{khz(round(other, -3))}? Then take that; if nothing comes in there, keep this."
    )


def _near_foretold(value: float, foretold: Window) -> bool:
    """Whether a value is one of what was foreseen, give or take."""
    assert foretold.low is not None and foretold.high is not None
    middle, half = (foretold.low + foretold.high) / 2.0, (foretold.high - foretold.low) / 2.0
    return abs(value - middle) <= FORETOLD_HALVES * half


def _ghost(foretold: Foretold, value: float) -> str:
    """The false answer that a value may well be instead of what was looked for; "" for none."""
    doubt = (foretold.high - foretold.low) / 2.0 / NINETY
    true = (value - (foretold.high + foretold.low) / 2.0) / doubt
    found = min(foretold.ghosts, key=lambda g: abs(value - g.frequency_hz), default=None)
    if found is None:
        return ""
    false = (value - found.frequency_hz) / doubt
    odds = (1.0 - found.taken) / found.taken * ASKED_FROM / (1.0 - ASKED_FROM)
    probable = true**2 - false**2 > 2.0 * math.log(odds)
    return found.words if probable and abs(false) <= MOST_OFF_GHOST else ""


def plausible_window(field: Field) -> Window | None:
    """Where any modelled state of a set, sound or faulty, can put a value; None where that says
    nothing."""
    if field.quantity is AVC_VOLTS:
        return Window(-MOST_AVC_V, MOST_AVC_V)
    if field.quantity is TEMPERATURE:
        return Window(COLDEST_C, WARMEST_C)
    if not field.nominal or field.quantity is None:
        return None
    low, high = PLAUSIBLE.get(field.quantity, (0.0, FAR))
    ends = sorted((low * field.nominal, high * field.nominal))
    return Window(ends[0], ends[1], field.nominal)


def expected_window(ask: Ask, field: Field) -> Window | None:
    """What is expected of a field: the question's own window where it is the field's, else a fifth
    either side of its nominal."""
    measured = [f for f in ask.fields if f.quantity is not None and f.required]
    window = ask.expected
    if (
        window is not None
        and window.given
        and (len(measured) == 1 or (field.nominal and window.nominal == field.nominal))
    ):
        return window
    if not field.nominal:
        return None
    # what is set by hand is set to a few per cent
    share = SET_SHARE if field.sets else USUAL_SHARE
    ends = sorted(field.nominal * (1.0 + s * share) for s in (-1.0, 1.0))
    return Window(ends[0], ends[1], field.nominal)


def _near(value: float, expected: Window) -> bool:
    """Whether a value is within some half widths of what is expected: sets differ, and are sick."""
    if expected.low is None or expected.high is None:
        return _inside(value, expected)
    middle = 0.5 * (expected.low + expected.high)
    half = max(0.5 * (expected.high - expected.low), LEAST_HALF * abs(middle))
    return abs(value - middle) <= FAR_HALVES * half


def _inside(value: float, window: Window) -> bool:
    low = -math.inf if window.low is None else window.low
    high = math.inf if window.high is None else window.high
    return low <= value <= high


def _explains(value: float, expected: Window | None, nominal: float | None) -> bool:
    """Whether a value would have been right."""
    # a window open on one side takes in far too much
    closed = expected is not None and None not in (expected.low, expected.high)
    if closed and expected is not None and _inside(value, expected):
        return True
    return bool(nominal) and abs(value / (nominal or 1.0) - 1.0) <= EXPLAINS_SHARE


def _slip(
    field: Field,
    value: float,
    typed: str,
    expected: Window | None,
    neighbours: Sequence[float],
    nominal: float | None,
) -> str:
    """The likeliest slip that makes a value right, in words; "" where none does. What is near its
    ``nominal`` is right too, where nothing is known better."""
    quantity = field.quantity
    assert quantity is not None
    for factor, words in (
        (0.1, "A figure too many: is it"),
        (10.0, "A figure too few: is it"),
        (1e-3, "Is the unit right? Is it"),
        (1e3, "Is the unit right? Is it"),
        (0.01, "Is the point in its place? Is it"),
        (100.0, "Is the point in its place? Is it"),
        (1e-6, "Is the unit right? Is it"),
        (1e6, "Is the unit right? Is it"),
        (1e-9, "Is the unit right? Is it"),
        (1e9, "Is the unit right? Is it"),
        (-1.0, "Is the sign right? Is it"),
    ):
        if value != 0.0 and _explains(value * factor, expected, nominal):
            return f"{words} {echo(value * factor, quantity)}?"
    near = [n for n in neighbours if n != field.nominal and abs(value / n - 1.0) < 0.02]
    if near and field.nominal and quantity in PLAUSIBLE:
        return f"That is near {echo(near[0], quantity)}, another of these points: is it this one's?"
    for figures in _transposed(typed):
        other = value * float(figures) / float(_figures(typed))
        if _explains(other, expected, nominal):
            return f"Two figures the wrong way round? Is it {echo(other, quantity)}?"
    return ""


def _figures(typed: str) -> str:
    return "".join(c for c in typed.replace(",", ".") if c.isdigit() or c == ".").strip(".")


def _transposed(typed: str) -> list[str]:
    """The number with two neighbouring figures changed over, each way that changes it."""
    figures = _figures(typed)
    if figures.count(".") > 1 or not any(c in "123456789" for c in figures):
        return []
    places = [n for n, c in enumerate(figures) if c != "."]
    found = []
    for a, b in itertools.pairwise(places):
        if figures[a] != figures[b]:
            letters = list(figures)
            letters[a], letters[b] = letters[b], letters[a]
            found.append("".join(letters))
    return found


def _swapped(ask: Ask, values: Mapping[str, float]) -> str:
    """Two values of one line that fit only the other way round."""
    known = [f for f in ask.fields if f.nominal and f.name in values and f.quantity is not None]
    for n, first in enumerate(known):
        for second in known[n + 1 :]:
            if first.quantity is None or second.quantity is None:
                continue
            if first.quantity.base != second.quantity.base:
                continue
            a, b = values[first.name], values[second.name]
            if a == b or a <= 0.0 or b <= 0.0:
                continue
            here = _misfit(ask, first, a) + _misfit(ask, second, b)
            there = _misfit(ask, first, b) + _misfit(ask, second, a)
            if here > 1.0 and there < 0.8:
                return (
                    f"{first.label} {echo(a, first.quantity)} and {second.label} "
                    f"{echo(b, second.quantity)}: are the two the right way round?"
                )
    return ""


def _misfit(ask: Ask, field: Field, value: float) -> float:
    """How far a value is from its nominal, in half widths of what is expected."""
    window = expected_window(ask, field)
    nominal = field.nominal or 1.0
    if window is None or window.low is None or window.high is None:
        return abs(value / nominal - 1.0) / (SET_SHARE if field.sets else USUAL_SHARE)
    half = max(0.5 * (window.high - window.low), 1e-12)
    return abs(value - 0.5 * (window.high + window.low)) / half
