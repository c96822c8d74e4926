"""Quantities as people write them: ``4k7``, ``0.033u``, ``465k``, ``231,5``, ``-93 dBm``.

Values inside are SI. A bare number takes the field's own unit. What is understood is echoed.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import lru_cache

from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import emf_v_from_dbm, emf_v_from_pd_dbuv

_PREFIX = {
    "p": 1e-12,
    "n": 1e-9,
    "u": 1e-6,
    "µ": 1e-6,
    "μ": 1e-6,
    "m": 1e-3,
    "": 1.0,
    "k": 1e3,
    "K": 1e3,
    "M": 1e6,
    "G": 1e9,
}


@dataclass(frozen=True, slots=True)
class Quantity:
    """A kind of value that is typed: its base unit, the unit of a bare number, and its limits (SI).

    ``base`` is the SI unit symbol, ``bare`` the unit that a bare number takes, ``minimum`` and
    ``maximum`` the limits of the possible in SI, ``example`` a right entry.
    """

    name: str
    base: str
    bare: str
    minimum: float
    maximum: float
    example: str
    expected: str


AC_VOLTS = Quantity(
    "AC volts", "V", "V", 0.0, 1000.0, "231", "is an AC reading: 0 to 1000 V, never negative"
)
DC_VOLTS = Quantity("DC volts", "V", "V", -2000.0, 2000.0, "245", "must be -2000 to 2000 V DC")
AVC_VOLTS = Quantity(
    "AVC volts", "V", "V", -60.0, 60.0, "-2.4", "must be a DC reading of -60 to 60 V"
)
AUDIO_VOLTS = Quantity(
    "audio volts", "V", "V", 0.0, 200.0, "1.26", "is an AC reading: 0 to 200 V, never negative"
)
FREQUENCY = Quantity(
    "frequency", "Hz", "kHz", 1e4, 1.5e8, "612.5", "must be a frequency of 10 kHz to 150 MHz"
)
FREQUENCY_MHZ = Quantity(
    "short-wave frequency",
    "Hz",
    "MHz",
    1e4,
    1.5e8,
    "16.5",
    "must be a frequency of 10 kHz to 150 MHz",
)
INTERMEDIATE_FREQUENCY = Quantity(
    "IF",
    "Hz",
    "kHz",
    5e4,
    2e6,
    "465",
    "must be an intermediate frequency of 50 kHz to 2 MHz for an AM receiver",
)
FM_INTERMEDIATE = Quantity(
    "FM IF", "Hz", "MHz", 1e6, 2e7, "10.7", "must be an intermediate frequency of 1 to 20 MHz"
)
LEVEL = Quantity(
    "generator level",
    "V",
    "uV",
    1e-8,
    10.0,
    "25 uV",
    "must be a generator level of 0.01 uV to 10 V EMF",
)
TURNS = Quantity(
    "turns",
    "turns",
    "turns",
    -40.0,
    40.0,
    "+1/4",
    "must be turns, clockwise positive, at most 40 either way",
)
RESISTANCE = Quantity(
    "resistance", "ohm", "ohm", 0.0, 1e9, "47k", "must be a resistance of 0 to 1000 M"
)
CAPACITANCE = Quantity(
    "capacitance", "F", "pF", 1e-14, 1.0, "0.033u", "must be a capacitance of 0.01 pF to 1 F"
)

FILTER_CAPACITANCE = Quantity(
    "filter capacitance", "F", "uF", 1e-9, 0.1, "16", "must be a filter capacitor of 1 nF to 0.1 F"
)
PAPER_CAPACITANCE = Quantity(
    "paper capacitance", "F", "nF", 1e-12, 1e-4, "47", "must be a capacitor of 1 pF to 100 uF"
)
LOAD_OHM = Quantity("load", "ohm", "ohm", 0.1, 1e5, "4", "must be a load of 0.1 ohm to 100k")
SOURCE_OHM = Quantity(
    "source", "ohm", "ohm", 1.0, 1e4, "75", "must be a source resistance of 1 ohm to 10k"
)
OFFSET = Quantity(
    "offset", "Hz", "kHz", -1.5e8, 1.5e8, "10", "must be up to 150 MHz off tune, below with a minus"
)
DEVIATION = Quantity(
    "deviation", "Hz", "kHz", 0.0, 2e5, "75", "must be a deviation of 0 to 200 kHz"
)
DEGREES = Quantity("phase", "deg", "deg", -180.0, 180.0, "15", "must be -180 to 180 degrees")
LEVEL_OVER = Quantity("level", "dB", "dB", -60.0, 140.0, "31.5", "must be -60 to 140 dB")
RATIO_OVER_NOISE = Quantity(
    "signal over noise", "dB", "dB", 0.0, 140.0, "46", "must be 0 to 140 dB"
)
PER_CENT_OF_TONE = Quantity("distortion", "%", "%", 0.001, 100.0, "7.5", "must be 0.001 to 100 %")
READINGS = Quantity("readings", "", "", 2.0, 1e5, "30", "must be 2 to 100,000 readings")
LEAKAGE = Quantity("leakage", "A", "uA", 0.0, 1.0, "5", "must be a leakage of 0 to 1 A")
FREQUENCY_LIMIT = Quantity(
    "frequency limit", "Hz", "Hz", 1.0, 1e10, "30M", "must be a frequency of 1 Hz to 10 GHz"
)
HERTZ = Quantity(
    "audio frequency", "Hz", "Hz", 1.0, 1e5, "100", "must be a frequency of 1 Hz to 100 kHz"
)
DURATION = Quantity("time", "s", "s", 1e-3, 1e4, "5", "must be a time of 1 ms to 10,000 s")
INDICATION = Quantity(
    "indication", "", "", 0.0, 100.0, "3.5", "must be 0 to 100 divisions, or a mark from 0 to 10"
)
HEARD_LEVEL = Quantity(
    "microphone level", "%", "%", 0.0, 100.0, "12.5", "must be 0 to 100 % of what it can take"
)
DECIBELS = Quantity("step", "dB", "dB", 0.0, 60.0, "1", "must be 0 to 60 dB")
PER_CENT = Quantity("error", "%", "%", 0.0, 50.0, "0.1", "must be 0 to 50 %")
INDUCTANCE = Quantity(
    "inductance", "H", "H", 1e-9, 1000.0, "10", "must be an inductance up to 1000 H"
)
WATTS = Quantity("power", "W", "W", 0.1, 1000.0, "60", "must be a power of 0.1 to 1000 W")
TEMPERATURE = Quantity(
    "temperature", "C", "C", -30.0, 60.0, "21", "must be a room's temperature of -30 to 60 C"
)
RUN_MINUTES = Quantity(
    "minutes of a run", "min", "min", 0.0, 2880.0, "5", "must be 0 to 2880 minutes"
)
HUMIDITY = Quantity("humidity", "%", "%", 0.0, 100.0, "45", "must be 0 to 100 %")
MILLIMETRES = Quantity("length", "mm", "mm", 0.0, 2000.0, "85", "must be 0 to 2000 mm")
CURRENT = Quantity("current", "A", "mA", 0.0, 20.0, "62", "must be a current of 0 to 20 A")

_TAIL = {
    "": "",
    "V": r"(?:V|v|volts?)?",
    "W": r"(?:W|w|watts?)?",
    "A": r"(?:A|amps?)?",
    "H": r"(?:H|h|Hy|hy)?",
    "Hz": r"(?:Hz|hz|HZ|c/s)?",
    "ohm": r"(?:Ω|ohms?|R)?",
    "F": r"(?:F)?",
    "turns": r"(?:turns?|t)?",
    "deg": r"(?:deg|degrees?|°)?",
    "dB": r"(?:dB|db)?",
    "%": r"(?:%)?",
    "C": r"(?:°?C)?",
    "mm": r"(?:mm)?",
    "s": r"(?:s|sec)?",
    "min": r"(?:min|minutes?)?",
}
OPEN = re.compile(r"^(?:open|ol|o\.l\.)$", re.IGNORECASE)
_NUMBER = r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?"
_DECIBEL = re.compile(rf"^({_NUMBER})\s*(dBm|dBuV|dBµV)$", re.IGNORECASE)
_UNIT = re.compile(
    r"[pnuµμmkKMG]?(?:V|v|A|H|Hz|hz|HZ|c/s|Ω|ohms?|R|F|W|w|s|dB|db)|[pnuµμmkKMG]|volts?|amps?|"
    r"watts?|turns?|t|min|minutes?|sec|mm|deg|degrees?|C|dBm|dBuV|dBµV|%",
)
_FRACTION = re.compile(r"^([+-]?)(?:(\d+)\s+)?(\d+)\s*/\s*(\d+)\s*(?:turns?|t)?$")


def parse(text: str, quantity: Quantity, field: str) -> float:
    """Read ``text`` as ``quantity`` and return the SI value.

    Raises BadInput, naming ``field`` and an example, when it is not understood or not possible.
    """
    cleaned = text.strip().replace("Ω", "Ω").replace("−", "-")
    if quantity.base == "Hz" and re.fullmatch(rf"{_NUMBER}\s*mhz", cleaned):
        raise BadInput(field, text, "would be millihertz: write MHz or kHz", quantity.example)
    value = _value(cleaned, quantity)
    if value is None or not math.isfinite(value):
        raise BadInput(field, text, f"is not understood; {quantity.expected}", quantity.example)
    if not quantity.minimum <= value <= quantity.maximum:
        raise BadInput(field, text, quantity.expected, quantity.example)
    # a minus before nothing is no sign: it would not outlast being kept
    return value + 0.0


# what is kept as text is read again with every look at a job
@lru_cache(maxsize=4096)
def _value(text: str, quantity: Quantity) -> float | None:
    if quantity is LEVEL and (match := _DECIBEL.match(text)):
        number = _number(match[1])
        if match[2].lower() == "dbm":
            return emf_v_from_dbm(number)
        return emf_v_from_pd_dbuv(number)
    if quantity is TURNS and (match := _FRACTION.match(text)):
        if int(match[4]) == 0:
            return None
        whole = int(match[2] or 0) + int(match[3]) / int(match[4])
        return -whole if match[1] == "-" else whole
    if quantity is RESISTANCE and OPEN.match(text):
        return quantity.maximum
    tail = _TAIL[quantity.base]
    prefixes = "pnuµμmkKMG" if quantity.base not in ("turns", "C", "mm", "min", "deg") else ""
    inner = rf"^([+-]?)(\d+)([{prefixes}R])(\d+)\s*{tail}$" if prefixes else None
    if inner and (match := re.match(inner, text)):
        scale = 1.0 if match[3] == "R" else _PREFIX[match[3]]
        value = float(f"{match[2]}.{match[4]}") * scale
        return -value if match[1] == "-" else value
    letter = rf"([{prefixes}]?)" if prefixes else "()"
    match = re.match(rf"^({_NUMBER})\s*{letter}({tail})$", text)
    if match is None:
        return None
    number = _number(match[1])
    if not match[2] and not match[3]:
        return number * bare_scale(quantity)
    return number * _PREFIX[match[2]]


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def bare_scale(quantity: Quantity) -> float:
    """What a bare number is multiplied by."""
    prefix = quantity.bare.removesuffix(quantity.base)
    return _PREFIX[prefix]


def split_values(
    text: str,
    count: int,
    field: str,
    example: str,
    *,
    least: int | None = None,
    apart: tuple[str, ...] = (),
    words_last: bool = False,
) -> list[str]:
    """Split one typed line into ``count`` values, or from ``least`` on, as in ``35 12.5``.

    A number and a unit set apart from it by a space stay together (``6.2 MHz``), and so do a whole
    number and a fraction of turns (``1 1/4``). Words of two letters or more that begin one of
    ``apart`` are values of their own; with ``words_last`` the last value is all that is left of the
    line. Raises BadInput when the count differs.
    """
    words = text.strip().replace(";", " ").split()
    fewest = count if least is None else least
    parts: list[str] = []
    for word in words:
        if words_last and len(parts) == count:
            parts[-1] = f"{parts[-1]} {word}"
            continue
        choice = len(word) > 1 and any(w.startswith(word.lower()) for w in apart)
        # where words follow, one that is no unit begins them
        choice = choice or (words_last and len(parts) == count - 1 and not _UNIT.fullmatch(word))
        if parts and any(w.startswith(f"{parts[-1]} {word}".lower()) for w in apart):
            # a choice of several words, as a meter's name
            parts[-1] = f"{parts[-1]} {word}"
        elif parts and not choice and _belongs_to(parts[-1], word, spare=len(words) > fewest):
            parts[-1] = f"{parts[-1]} {word}"
        else:
            parts.append(word)
    if not fewest <= len(parts) <= count:
        some = f"{count}" if fewest == count else f"{fewest} to {count}"
        wanted = "one value" if count == 1 else f"{some} values with a space between"
        raise BadInput(field, text, f"holds {len(parts)}; {wanted} are wanted", example)
    return parts


def _belongs_to(before: str, word: str, *, spare: bool) -> bool:
    """Whether a word is the unit, or the fraction of a turn, of the value before it."""
    if re.fullmatch(r"[a-zA-ZµμΩ/]+", word):
        return before[-1].isdigit() and not before[0].isalpha()
    whole = re.fullmatch(r"[+-]?\d+", before)
    return bool(spare and whole and re.fullmatch(r"\d+/\d+", word))


def engineering(value: float, unit: str, digits: int = 3) -> str:
    """Write an SI value with the prefix that people use, to ``digits`` significant digits."""
    if value == 0.0 or math.isinf(value):
        return f"{value:.0f} {unit}".replace("inf", "endless")
    exponent = math.floor(math.log10(abs(value)) / 3.0 + 1e-12) * 3
    exponent = min(max(exponent, -12), 9)
    prefix = {-12: "p", -9: "n", -6: "u", -3: "m", 0: "", 3: "k", 6: "M", 9: "G"}[exponent]
    scaled = value / 10.0**exponent
    return f"{significant(scaled, digits)} {prefix}{unit}"


def significant(value: float, digits: int) -> str:
    """Write a number with ``digits`` significant digits, without an exponent."""
    if value == 0.0:
        return "0"
    places = max(0, digits - 1 - math.floor(math.log10(abs(value)) + 1e-12))
    return f"{value:.{places}f}"


def supply_volts(value: float) -> str:
    """Volts of a line or battery as they are set: whole ones from 30 V up, finer below."""
    return f"{value:.0f}" if abs(value) >= 30.0 else significant(value, 3)


def khz(frequency_hz: float) -> str:
    """A frequency in the unit that its dial is marked in: kHz below 3 MHz, MHz above."""
    if abs(frequency_hz) >= 3e6:
        return (
            f"{frequency_hz / 1e6:.4g} MHz"
            if frequency_hz % 1e4 == 0
            else (f"{frequency_hz / 1e6:.4f} MHz")
        )
    text = f"{frequency_hz / 1e3:.1f}"
    return f"{text.removesuffix('.0')} kHz"


def turns(value: float) -> str:
    """Turns as a hand makes them: the nearest sixteenth, as a fraction, with the way."""
    sixteenths = round(abs(value) * 16)
    if sixteenths == 0:
        return "a hair, less than 1/16 turn"
    whole, rest = divmod(sixteenths, 16)
    divisor = math.gcd(rest, 16) if rest else 16
    fraction = f"{rest // divisor}/{16 // divisor}" if rest else ""
    amount = " ".join(part for part in (str(whole) if whole else "", fraction) if part)
    noun = "turn" if sixteenths <= 16 else "turns"
    way = "clockwise" if value > 0 else "counter-clockwise"
    return f"{amount} {noun} {way}"


def turn_amount(value: float) -> str:
    """Turns without their noun, for a sentence that begins with "turn": ``3/16 clockwise``."""
    return turns(value).replace(" turns ", " ").replace(" turn ", " ")


def turn_entry(value: float) -> str:
    """Turns as they are typed, to the nearest sixteenth: ``-3/16``, ``+1 1/4``."""
    amount, _, way = turn_amount(value).rpartition(" ")
    if round(abs(value) * 16) == 0:
        return f"{value:+.3f}"
    return f"{'+' if way == 'clockwise' else '-'}{amount}"


def fine_turn_amount(value: float) -> str:
    """Turns for a sentence that begins with "turn", to the nearest 64th where a sixteenth is too
    coarse: ``5/32 clockwise``."""
    parts = round(abs(value) * 64)
    if parts == 0 or parts % 4 == 0:
        return turn_amount(value)
    whole, rest = divmod(parts, 64)
    divisor = math.gcd(rest, 64)
    amount = " ".join((*((str(whole),) if whole else ()), f"{rest // divisor}/{64 // divisor}"))
    return f"{amount} {'clockwise' if value > 0 else 'counter-clockwise'}"


def fine_turn_entry(value: float) -> str:
    """The same as it is typed: ``-5/32``, ``+1 3/64``."""
    amount, _, way = fine_turn_amount(value).rpartition(" ")
    if round(abs(value) * 64) == 0:
        return f"{value:+.3f}"
    return f"{'+' if way == 'clockwise' else '-'}{amount}"


def echo(value: float, quantity: Quantity) -> str:
    """What was understood, as it is shown before it is kept."""
    if quantity in (FREQUENCY, FREQUENCY_MHZ, INTERMEDIATE_FREQUENCY):
        return khz(value)
    if quantity is LEVEL:
        return f"{engineering(value, 'V')} EMF"
    if quantity is TURNS:
        return "no turn" if value == 0 else turns(value)
    if quantity in (AC_VOLTS, DC_VOLTS, AVC_VOLTS):
        return (
            f"{value + 0.0:.3f} V".replace("-0.000", "0.000")
            if abs(value) < 1.0
            else f"{significant(value, 4)} V"
        )
    if quantity is RESISTANCE:
        return "open" if value >= quantity.maximum else engineering(value, "ohm")
    return engineering(value, quantity.base)


BY_NAME = {
    q.name: q
    for q in (
        AC_VOLTS,
        DC_VOLTS,
        AVC_VOLTS,
        AUDIO_VOLTS,
        FREQUENCY,
        FREQUENCY_MHZ,
        INTERMEDIATE_FREQUENCY,
        LEVEL,
        TURNS,
        RESISTANCE,
        CAPACITANCE,
        FILTER_CAPACITANCE,
        CURRENT,
    )
}
