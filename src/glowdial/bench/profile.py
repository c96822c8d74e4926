"""Profiles: which words an instrument wants for our calls. A small text file that a user can write.

One line a call, ``call = words``; ``{value}`` stands for the number in SI units. A line that begins
with ``#`` is a remark. ``kind`` says which calls are wanted, ``timeout_s`` how patient to be.
"""

from __future__ import annotations

import string
from dataclasses import dataclass
from importlib import resources

from glowdial.core.language.errors import BadInput, NotFound

LONGEST_PROFILE = 20_000
CALLS = {
    "generator": {"frequency": True, "level": True, "output_on": False, "output_off": False},
    "multimeter": {"dc_volts": False, "ac_volts": False, "resistance": False},
    "line supply": {"line": True, "output_on": False, "output_off": False, "line_volts": False},
    "oscilloscope": {"timebase": True, "trace": False},
    "FM generator": {
        "frequency": True,
        "level": True,
        "output_on": False,
        "output_off": False,
        "deviation": True,
        "audio": True,
        "modulation_on": False,
        "modulation_off": False,
        "programme_mono": False,
        "programme_left": False,
        "programme_right": False,
        "programme_difference": False,
        "pilot_on": False,
        "pilot_off": False,
        "pilot_phase": True,
        "am_depth": True,
        "other_offset": True,
        "other_level": True,
    },
    "audio analyser": {
        "tune": True,
        "left_volts": False,
        "right_volts": False,
        "left_tone": False,
        "right_tone": False,
        "left_distortion": False,
        "right_distortion": False,
    },
}
OPTIONAL = {
    "tone_on": False,
    "tone_off": False,
    "line_current": False,
    "ready": False,
    "errors": False,
}


@dataclass(frozen=True)
class Profile:
    """An instrument's words by our calls."""

    name: str
    kind: str
    words: dict[str, str]
    timeout_s: float = 2.0

    def command(self, call: str, value: float | None = None) -> str:
        """The line to send for a call; raises NotFound when the profile has no words for it."""
        if call not in self.words:
            raise NotFound(f"words for the call in profile {self.name!r}", call)
        return self.words[call].replace("{value}", f"{value:.9g}" if value is not None else "")


def read_profile(text: str, name: str) -> Profile:
    """A profile from its text; raises BadInput with the line and what is wrong with it."""
    if len(text) > LONGEST_PROFILE:
        raise BadInput(name, f"{len(text)} characters", "is over 20,000", "a profile of some lines")
    found: dict[str, tuple[int, str]] = {}
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        call, equals, words = (part.strip() for part in line.partition("="))
        if not equals or not words:
            raise _fault(name, number, line, "must be: call = words", "frequency = FREQ {value}")
        if call in found:
            raise _fault(name, number, line, f"repeats {call!r}", "each call once")
        found[call] = (number, words)
    kind = _taken(found, "kind", name)
    if kind not in CALLS:
        raise BadInput(f"{name}, kind", kind, f"must be one of {', '.join(CALLS)}", "multimeter")
    timeout_s = _timeout(found, name)
    known = CALLS[kind] | OPTIONAL
    for call, (number, words) in found.items():
        if call not in known:
            expected = f"is not a call of a {kind}: {', '.join(known)}"
            raise _fault(name, number, call, expected, next(iter(known)))
        _check_words(name, number, words, wants_value=known[call])
    missing = [call for call in CALLS[kind] if call not in found]
    if missing:
        raise BadInput(name, missing[0], "has no words in the profile", f"{missing[0]} = ...")
    return Profile(name, kind, {call: words for call, (_, words) in found.items()}, timeout_s)


def shipped_profile(name: str) -> Profile:
    """One of the profiles that come with the application; raises NotFound."""
    place = resources.files("glowdial.bench") / "profiles" / f"{name}.txt"
    if not name.replace("-", "").isalpha() or not place.is_file():
        raise NotFound("profile", name)
    return read_profile(place.read_text("utf-8"), name)


def _fault(name: str, number: int, given: str, expected: str, example: str) -> BadInput:
    return BadInput(f"{name}, line {number}", given.strip()[:60], expected, example)


def _taken(found: dict[str, tuple[int, str]], call: str, name: str) -> str:
    if call not in found:
        raise BadInput(name, call, "is missing", f"{call} = multimeter")
    return found.pop(call)[1]


def _timeout(found: dict[str, tuple[int, str]], name: str) -> float:
    if "timeout_s" not in found:
        return 2.0
    number, text = found.pop("timeout_s")
    try:
        seconds = float(text)
    except ValueError:
        seconds = 0.0
    if not 0.05 <= seconds <= 60.0:
        raise _fault(name, number, text, "must be 0.05 to 60 seconds", "timeout_s = 2")
    return seconds


def _check_words(name: str, number: int, words: str, *, wants_value: bool) -> None:
    try:
        fields = [f for _, f, _, _ in string.Formatter().parse(words) if f is not None]
    except ValueError:
        fields = ["?"]
    if fields != (["value"] if wants_value else []):
        expected = "must hold {value} once" if wants_value else "takes no value"
        raise _fault(name, number, words, expected, "FREQ {value}" if wants_value else "OUTP ON")
