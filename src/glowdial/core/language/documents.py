"""Decoded JSON that can be kept and told again: no half characters, no numbers that are none."""

from __future__ import annotations

import math
from typing import Any

from glowdial.core.language.errors import BadInput

DEEPEST = 60
# smaller figures are no measured quantity, and their reciprocals are infinite
SMALLEST = 1e-290
LARGEST_WHOLE = 2**63


def check_plain(document: Any) -> None:
    """Raises BadInput, naming the place, for a document with lone surrogates, NaN, infinite or
    denormal numbers, whole numbers beyond 64 bits, or nested deeper than 60."""
    waiting: list[tuple[str, Any, int]] = [("", document, 0)]
    while waiting:
        place, value, depth = waiting.pop()
        if depth > DEEPEST:
            raise BadInput(place or "request", "lists in lists", "is nested too deep", "a flat one")
        if isinstance(value, dict):
            waiting += [(place, name, depth + 1) for name in value]
            waiting += [(_within(place, n), v, depth + 1) for n, v in value.items()]
        elif isinstance(value, list):
            waiting += [(_within(place, str(n)), v, depth + 1) for n, v in enumerate(value)]
        else:
            _check_one(place or "request", value)


def _within(place: str, name: str) -> str:
    safe = name.encode("utf-8", "replace").decode()[:40]
    return f"{place}.{safe}" if place else safe


def _check_one(place: str, value: Any) -> None:
    if isinstance(value, str):
        if not is_text(value):
            raise BadInput(place, "half a character", "holds half of a character pair", "text")
    elif isinstance(value, bool) or value is None:
        return
    elif isinstance(value, int):
        if abs(value) >= LARGEST_WHOLE:
            raise BadInput(place, f"{str(value)[:20]}...", "is too large a whole number", "42")
    elif isinstance(value, float):
        if not math.isfinite(value):
            raise BadInput(place, repr(value), "must be a finite number", "231.5")
        if value != 0.0 and abs(value) < SMALLEST:
            raise BadInput(place, repr(value), "is too small to be a quantity", "1e-12")


def is_text(value: str) -> bool:
    """Whether it can be written down: no lone surrogates."""
    try:
        value.encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True
