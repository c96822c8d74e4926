"""Signs of danger as people type them, anywhere in a line: smoke, smell, hot, arcing, fuse, lamp.

A sign is heard whatever the line was meant to be, in the words of several languages; "no smoke" is
none. What is left of the line without them is what the question gets.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum


class Sign(StrEnum):
    """What a person sees, smells or hears that ends everything powered."""

    SMOKE = "smoke"
    SMELL = "smell"
    HOT = "something hot"
    ARCING = "arcing"
    FUSE = "a fuse blew"
    LAMP = "lamp bright"
    OTHER = "other"


WORDS: dict[Sign, tuple[str, ...]] = {
    Sign.SMOKE: (
        "smoke", "smokes", "smoking", "smoky", "rauch", "raucht", "qualm", "fumée", "fumee",
        "humo", "rook", "fumo", "dym", "røg", "rök",
    ),
    Sign.SMELL: (
        "smell", "smells", "smelling", "smelly", "stink", "stinks", "burning", "gestank",
        "geruch", "riecht", "odeur", "olor", "geur", "odore",
    ),
    Sign.HOT: (
        "capacitor warm", "hot", "overheats", "overheating", "overheated", "heiss", "heiß",
        "chaud", "caliente", "heet", "caldo", "glowing", "red plate", "red plates",
    ),
    Sign.ARCING: (
        "arc", "arcs", "arcing", "spark", "sparks", "sparking", "flashover", "crackling",
        "funken", "lichtbogen", "étincelle", "étincelles", "chispa", "chispas", "vonk", "vonken",
    ),
    Sign.FUSE: (
        "fuse", "fuse blew", "fuse blown", "blown fuse", "breaker", "sicherung", "fusible",
        "zekering",
    ),
    Sign.LAMP: ("lamp bright", "bright lamp", "lamp is bright", "lamp full on", "bright"),
}  # fmt: skip
SEEN_AS = {
    Sign.SMOKE: "smoke",
    Sign.SMELL: "a smell",
    Sign.HOT: "something is hot",
    Sign.ARCING: "arcing",
    Sign.FUSE: "a fuse blew",
    Sign.LAMP: "the lamp is bright: too much is drawn",
    Sign.OTHER: "something is wrong",
}
NOT = r"(?:no|not|without|kein|keine|keinen|ohne|sans|pas de|sin|geen|senza|never)"
_BY_WORD = {word: sign for sign, words in WORDS.items() for word in words}
_LONGEST_FIRST = "|".join(re.escape(w) for w in sorted(_BY_WORD, key=len, reverse=True))
_HEARD = re.compile(rf"(?<!\w)({NOT}\s+)?({_LONGEST_FIRST})(?!\w)[!.,]*", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Heard:
    """The signs in a typed line, in order, and the line without them."""

    signs: tuple[Sign, ...]
    rest: str


def heard_in(line: str) -> Heard:
    """What a line tells of danger; what is denied ("no smoke") is taken out and is no sign."""
    signs: list[Sign] = []
    for denied, word in _HEARD.findall(line):
        sign = _BY_WORD[word.lower()]
        if not denied and sign not in signs:
            signs.append(sign)
    rest = " ".join(_HEARD.sub(" ", line).split())
    return Heard(tuple(signs), rest)


def sign_words(signs: tuple[Sign, ...]) -> str:
    """Signs as they are said in an alarm."""
    return ", ".join(SEEN_AS[s] for s in signs)
