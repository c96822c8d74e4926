"""Values as they are marked on old parts: MFD and MMF, bands, body-tip-dot, dots on mica.

Source: the colour codes of the radio manufacturers' associations as printed in service handbooks,
and IEC 60062 for the bands in use today.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import RESISTANCE, engineering, parse

DIGITS = {
    "black": 0,
    "brown": 1,
    "red": 2,
    "orange": 3,
    "yellow": 4,
    "green": 5,
    "blue": 6,
    "violet": 7,
    "purple": 7,
    "grey": 8,
    "gray": 8,
    "white": 9,
}
MULTIPLIERS = {**DIGITS, "gold": -1, "silver": -2}
TOLERANCES = {
    "gold": 0.05,
    "silver": 0.10,
    "none": 0.20,
    "brown": 0.01,
    "red": 0.02,
    "green": 0.005,
    "blue": 0.0025,
}
DOT_TOLERANCES = {
    "black": 0.20,
    "brown": 0.01,
    "red": 0.02,
    "orange": 0.03,
    "yellow": 0.04,
    "green": 0.05,
    "gold": 0.05,
    "silver": 0.10,
    "none": 0.20,
}
CAPACITOR_UNITS = {
    "f": 1.0,
    "mfd": 1e-6,
    "mf": 1e-6,
    "microfarad": 1e-6,
    "uf": 1e-6,
    "u": 1e-6,
    "nf": 1e-9,
    "n": 1e-9,
    "mmfd": 1e-12,
    "mmf": 1e-12,
    "uuf": 1e-12,
    "pf": 1e-12,
    "p": 1e-12,
}


@dataclass(frozen=True, slots=True)
class Marked:
    """A value read from a marking, SI; tolerance as a share and volts where they are told."""

    value: float
    tolerance: float | None = None
    volts: float | None = None


def marking_of(text: str, *, resistor: bool) -> tuple[Marked, ...]:
    """A marking as printed, or by its colours named with spaces between; every section of it.

    Raises BadInput for what is not understood.
    """
    words = text.replace(",", " ").split()
    in_colours = len(words) > 1 and all(w.isalpha() for w in words)
    if resistor:
        if in_colours:
            return (resistor_bands(text),)
        return (Marked(parse(text, RESISTANCE, "marked")),)
    return (mica_dots(text),) if in_colours else marked_capacitors(text)


def marked_capacitors(text: str) -> tuple[Marked, ...]:
    """Every section of a capacitor as printed: ``20+20 MFD 450V``, ``.05``, ``250 MMF``.

    Without a unit, values below 1 and filter-like ones up to 500 with "+" are microfarads, and
    whole numbers above 10 are picofarads; between them it is asked for. Raises BadInput.
    """
    cleaned = text.strip().lower().replace("µ", "u").replace("μ", "u")
    sections = [part for part in re.split(r"\s*(?:;|,\s+|(?<=v),)\s*", cleaned) if part]
    if len(sections) > 1 and all(re.search(r"[a-z]", part) for part in sections):
        # each its own value and volts: 40+20 MFD 450V, 20 MFD 25V
        return tuple(m for part in sections for m in marked_capacitors(part))
    cleaned = _times(cleaned.replace(",", "."))
    several = re.search(r"(\d+(?:/\d+)+)\s*(?:v|volts?|wvdc|vdc|wv|dcwv|vw)\b", cleaned)
    if several:
        # a list of volts beside a list of values: 40/20/20/20 MFD 450/450/400/25 V
        rated = [float(v) for v in several[1].split("/")]
        found = marked_capacitors(cleaned[: several.start()] + cleaned[several.end() :])
        if len(found) != len(rated):
            raise BadInput(
                "capacitor",
                text,
                f"has {len(found)} values and {len(rated)} ratings",
                "40/20 MFD 450/25 V",
            )
        return tuple(replace(m, volts=v) for m, v in zip(found, rated, strict=True))
    dashed = re.fullmatch(r"(\d*\.\d+)\s*-\s*(\d{2,4})", cleaned)
    if dashed:
        # .01-600 is a value in uF and its volts
        return (Marked(float(dashed[1]) * 1e-6, volts=float(dashed[2])),)
    volts_match = re.search(r"(\d+(?:\.\d+)?)\s*(?:v|volts?|wvdc|vdc|wv|dcwv|vw)\b", cleaned)
    volts = float(volts_match[1]) if volts_match else None
    rest = cleaned[: volts_match.start()] + cleaned[volts_match.end() :] if volts_match else cleaned
    match = re.fullmatch(r"\s*([\d.]+(?:\s*[+x/-]\s*[\d.]+)*)\s*([a-z]*)\s*[-/@]?\s*", rest)
    if match is None:
        raise _not_read(text)
    numbers = [n for n in re.split(r"[^\d.]+", match[1]) if n]
    try:
        values = [float(n) for n in numbers]
    except ValueError:
        raise _not_read(text) from None
    unit = match[2]
    if unit and unit not in CAPACITOR_UNITS:
        raise BadInput("capacitor", text, f"has a unit {unit!r} that is not known", "250 MMF")
    factor = CAPACITOR_UNITS[unit] if unit else _unit_by_size(values, text)
    if min(values) <= 0.0:
        raise BadInput("capacitor", text, "must be above zero", "0.05 MFD")
    return tuple(Marked(v * factor, volts=volts) for v in values)


def _times(text: str) -> str:
    """``2x32`` as ``32+32``: so many alike."""

    def each(match: re.Match[str]) -> str:
        return "+".join([match[2]] * int(match[1]))

    return re.sub(r"\b([2-6])\s*x\s*(\d+(?:\.\d+)?)", each, text)


# the largest that was made of a kind, and the smallest, F
USUAL_F = {
    "mica": (1e-12, 0.05e-6),
    "ceramic": (0.5e-12, 1e-6),
    "paper": (50e-12, 20e-6),
    "electrolytic": (0.5e-6, 0.1),
}


def unlikely_words(kind: str, value_f: float) -> str:
    """Why a capacitor of a kind is hardly so large or small; "" where it is usual."""
    low, high = USUAL_F.get(kind, (0.0, 1.0))
    if low <= value_f <= high:
        return ""
    return (
        f"{engineering(value_f, 'F')} is hardly a {kind} one's: "
        f"{engineering(low, 'F')} to {engineering(high, 'F')} is usual. Is it pF or uF?"
    )


def _unit_by_size(values: list[float], text: str) -> float:
    if max(values) < 1.0 or (len(values) > 1 and max(values) <= 500.0):
        return 1e-6
    if min(values) > 10.0 and all(v == int(v) for v in values):
        return 1e-12
    raise BadInput("capacitor", text, "could be uF or pF: say which", f"{values[0]:g} MFD")


def _not_read(text: str) -> BadInput:
    return BadInput("capacitor", text, "is not understood", "20+20 MFD 450V")


def resistor_bands(names: str) -> Marked:
    """Bands by name from the end nearest the edge: three to five, as ``yellow violet red gold``.

    Raises BadInput for an unknown colour or a wrong count.
    """
    bands = _colours(names)
    if not 3 <= len(bands) <= 5:
        raise BadInput("bands", names, "must be three to five colours", "yellow violet red gold")
    digits = bands[:3] if len(bands) == 5 else bands[:2]
    after = bands[len(digits) :]
    tolerance = _of(TOLERANCES, after[1], "tolerance") if len(after) > 1 else TOLERANCES["none"]
    return _coded(digits, after[0], 1.0, tolerance, names)


def body_tip_dot(body: str, tip: str, dot: str, end: str = "none") -> Marked:
    """The older resistor code: body first digit, tip second, dot the zeros, other end tolerance."""
    tolerance = _of(TOLERANCES, end.strip().lower(), "tolerance")
    return _coded(
        _colours(f"{body} {tip}"), _colours(dot)[0], 1.0, tolerance, f"{body} {tip} {dot}"
    )


def mica_dots(names: str) -> Marked:
    """Dots of a moulded mica capacitor, read in the arrow's direction; value in F.

    Three dots: two digits and the multiplier, in pF, 20 %. Six dots: upper row kind, first and
    second digit; lower row, still read left to right, temperature class, tolerance, multiplier.
    A black or white first dot of six tells the kind; another colour there is a first of three
    digits, and the lower row then is volts in hundreds, tolerance, multiplier. Raises BadInput.
    """
    dots = _colours(names)
    if len(dots) == 3:
        return _coded(dots[:2], dots[2], 1e-12, 0.20, names)
    if len(dots) != 6:
        raise BadInput(
            "dots", names, "must be three or six colours", "black brown green red silver brown"
        )
    kind, first, second, lower, tolerance, multiplier = dots
    share = _of(DOT_TOLERANCES, tolerance, "tolerance")
    if kind in ("black", "white", "silver"):
        return _coded([first, second], multiplier, 1e-12, share, names)
    found = _coded([kind, first, second], multiplier, 1e-12, share, names)
    return Marked(found.value, found.tolerance, 100.0 * _of(DIGITS, lower, "volts"))


def _colours(names: str) -> list[str]:
    found = [n for n in re.split(r"[\s,/-]+", names.strip().lower()) if n]
    for name in found:
        if name not in MULTIPLIERS and name != "none":
            known = ", ".join(sorted(set(MULTIPLIERS) - {"purple", "gray"}))
            raise BadInput("colour", name, f"is not one of {known}", "yellow")
    return found


def _of(table: dict[str, float] | dict[str, int], name: str, what: str) -> float:
    if name not in table:
        raise BadInput(what, name, f"is not told by that colour; {', '.join(table)}", "silver")
    return float(table[name])


def _coded(digits: list[str], multiplier: str, unit: float, tolerance: float, names: str) -> Marked:
    number = 0
    for name in digits:
        number = 10 * number + int(_of(DIGITS, name, "digit"))
    if multiplier not in MULTIPLIERS:
        raise BadInput("multiplier", multiplier, "is no multiplier", "red")
    if number == 0:
        raise BadInput("colours", names, "make a part of zero", "yellow violet red")
    return Marked(number * math.pow(10.0, MULTIPLIERS[multiplier]) * unit, tolerance)
