"""The list of measurements as an open document (JSON), read with sentences for what is wrong."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import fields, replace
from functools import lru_cache
from typing import Any

from glowdial.core.language.errors import BadInput
from glowdial.core.tuner.drive import AudioMeter, Channel, Drive, Look, Programme
from glowdial.core.tuner.measurement import (
    CurveLimit,
    Good,
    Measurement,
    MeasurementList,
    Norms,
    Reduction,
    TunerReading,
)

FORMAT, VERSION = "glowdial-measurements", 1
LONGEST = 300_000
MOST_MEASUREMENTS, MOST_POINTS, MOST_READINGS, MOST_POSITIONS = 60, 60, 4, 12
# what may be varied or set, and between what, SI
SETTINGS: Mapping[str, tuple[float, float]] = {
    "carrier_hz": (1e5, 3e8),
    "level_v": (1e-8, 3.0),
    "deviation_hz": (0.0, 2e5),
    "audio_hz": (10.0, 2e4),
    "pilot_phase_deg": (-180.0, 180.0),
    "am_depth": (0.0, 1.0),
    "other_offset_hz": (-1.5e8, 1.5e8),
    "other_level_v": (0.0, 3.0),
}
WORDS = frozenset({"programme", "pilot", "position"})
KEYS = frozenset(
    {"key", "title", "method", "set", "vary", "read", "reduce", "good", "reference", "limits"}
    | {"residual", "positions"}
)
FIRST_NAMES = "abcdefghijklmnopqrstuvwxyz"


@lru_cache(maxsize=16)
def read_list(text: str) -> MeasurementList:
    """The list of a document.

    Raises BadInput that names the measurement and the field, what is expected, and an example.
    """
    if len(text) > LONGEST:
        raise BadInput("list", f"{len(text)} characters", f"is over {LONGEST}", "a shorter one")
    try:
        given = json.loads(text)
    except (ValueError, RecursionError) as error:
        example = f'{{"format": "{FORMAT}", ...}}'
        raise BadInput("list", text[:40], f"is no JSON: {error}", example) from error
    if not isinstance(given, dict) or given.get("format") != FORMAT:
        raise BadInput("list, format", str(given)[:40], f"must be {FORMAT!r}", f'"{FORMAT}"')
    if given.get("version") != VERSION:
        raise BadInput("list, version", str(given.get("version")), "must be 1", "1")
    rows = _rows(given, "measurements", "list", MOST_MEASUREMENTS)
    measurements = tuple(m for n, row in enumerate(rows) for m in _at_positions(row, n + 1))
    if len(measurements) > MOST_MEASUREMENTS:
        raise BadInput(
            "list, measurements",
            f"{len(measurements)} with their positions",
            f"must be at most {MOST_MEASUREMENTS}",
            "fewer positions",
        )
    keys = [m.key for m in measurements]
    if len(set(keys)) != len(keys):
        twice = next(k for k in keys if keys.count(k) > 1)
        raise BadInput("list, key", twice, "stands twice", "each key once")
    return MeasurementList(measurements, _norms(given.get("norms", {})))


def _norms(given: Any) -> Norms:
    known = {f.name: f.default for f in fields(Norms)}
    if not isinstance(given, dict) or not set(given) <= set(known):
        raise BadInput("list, norms", str(given)[:60], f"may hold {', '.join(known)}", "200000")
    return Norms(**{k: _number(v, f"norms, {k}", 1e-9, 1e9) for k, v in given.items()})


def _at_positions(row: Any, number: int) -> list[Measurement]:
    """An entry, or one of it for each position of the switch that claims to change it."""
    measured = _measurement(row, number)
    if "positions" not in row:
        return [measured]
    where = f"measurement {number} ({measured.key})"
    words = _rows(row, "positions", where, MOST_POSITIONS)
    for word in words:
        if not isinstance(word, str) or not word.strip() or len(word) > 60:
            raise BadInput(f"{where}, positions", str(word)[:40], "must be words", '"wide"')
    named = [w.strip() for w in words]
    if len(set(named)) != len(named):
        raise BadInput(f"{where}, positions", f"{named}"[:60], "has one twice", "each once")
    return [
        replace(
            measured,
            key=f"{measured.key}-at-{n + 1}",
            title=f"{measured.title}, switch at {word}",
            set=replace(measured.set, position=word),
            family=measured.key,
        )
        for n, word in enumerate(named)
    ]


def _measurement(row: Any, number: int) -> Measurement:
    where = f"measurement {number}"
    if not isinstance(row, dict):
        raise BadInput(where, str(row)[:40], "must be an object", '{"key": "response", ...}')
    unknown = set(row) - KEYS
    if unknown:
        expected = f"is none of {', '.join(sorted(KEYS))}"
        raise BadInput(where, ", ".join(sorted(unknown)), expected, "title")
    key = _text(row, "key", where)
    if not key.replace("-", "").isalnum() or len(key) > 40:
        raise BadInput(f"{where}, key", key, "must be letters, figures and hyphens", "response")
    where = f"{where} ({key})"
    vary = row.get("vary")
    if not isinstance(vary, dict) or vary.get("setting") not in SETTINGS:
        given = str(vary)[:40]
        raise BadInput(f"{where}, vary", given, f"names one of {', '.join(SETTINGS)}", "audio_hz")
    varies = str(vary["setting"])
    points = tuple(
        _number(v, f"{where}, vary", *SETTINGS[varies])
        for v in _rows(vary, "values", f"{where}, vary", MOST_POINTS)
    )
    if len(set(points)) != len(points):
        raise BadInput(f"{where}, vary", f"{points}", "has a point twice", "each point once")
    readings = tuple(
        _reading(r, f"{where}, read {n + 1}", n)
        for n, r in enumerate(_rows(row, "read", where, MOST_READINGS))
    )
    reduction = _choice(Reduction, row, "reduce", where)
    if reduction is Reduction.RATIO and len(readings) != 2:
        raise BadInput(f"{where}, read", f"{len(readings)}", "are two for a ratio", "two readings")
    reference = row.get("reference")
    if reduction is Reduction.RELATIVE and reference not in points:
        raise BadInput(f"{where}, reference", f"{reference}", "must be one of its points", "1000")
    limits = row.get("limits", [])
    if not isinstance(limits, list):
        raise BadInput(f"{where}, limits", str(limits)[:40], "must be a list", "[]")
    return Measurement(
        key,
        _text(row, "title", where),
        _text(row, "method", where),
        Drive(**_settings(row.get("set", {}), f"{where}, set")),
        varies,
        _UNITS[varies],
        points,
        readings,
        reduction,
        _choice(Good, row, "good", where),
        float(reference) if reference is not None else None,
        tuple(_limit(x, f"{where}, limit {n + 1}") for n, x in enumerate(limits)),
        None
        if row.get("residual") is None
        else _number(row["residual"], f"{where}, residual", 1e-4, 200.0),
    )


_UNITS = {
    "carrier_hz": "Hz",
    "level_v": "V",
    "deviation_hz": "Hz",
    "audio_hz": "Hz",
    "pilot_phase_deg": "degrees",
    "am_depth": "",
    "other_offset_hz": "Hz",
    "other_level_v": "V",
}


def _reading(row: Any, where: str, number: int) -> TunerReading:
    if not isinstance(row, dict):
        raise BadInput(where, str(row)[:40], "must be an object", '{"meter": "volts"}')
    meter, channel = _choice(AudioMeter, row, "meter", where), Channel.LEFT
    if "channel" in row:
        channel = _choice(Channel, row, "channel", where)
    tone_hz = _number(row.get("tone_hz", 0.0), f"{where}, tone_hz", 0.0, 1e5)
    settings = {k: v for k, v in row.items() if k not in ("meter", "channel", "tone_hz", "name")}
    name = str(row.get("name") or FIRST_NAMES[number])[:60]
    return TunerReading(
        name, Look(meter, channel, tone_hz), tuple(sorted(_settings(settings, where).items()))
    )


def _settings(given: Any, where: str) -> dict[str, Any]:
    if not isinstance(given, dict):
        raise BadInput(where, str(given)[:40], "must be an object", '{"level_v": 0.001}')
    made: dict[str, Any] = {}
    for name, value in given.items():
        if name in SETTINGS:
            made[name] = _number(value, f"{where}, {name}", *SETTINGS[name])
        elif name == "programme":
            made[name] = _choice(Programme, given, name, where)
        elif _is_word(name, value):
            made[name] = value
        else:
            known = ", ".join([*SETTINGS, *sorted(WORDS)])
            raise BadInput(where, f"{name}: {value}"[:60], f"is none of {known}", "audio_hz")
    return made


def _is_word(name: str, value: Any) -> bool:
    if name == "pilot":
        return isinstance(value, bool)
    return name == "position" and isinstance(value, str) and len(value) <= 60


def _limit(given: Any, where: str) -> CurveLimit:
    known = {"from", "to", "low", "high", "whose"}
    if not isinstance(given, dict) or not set(given) <= known:
        raise BadInput(where, str(given)[:60], f"may hold {', '.join(sorted(known))}", "low")
    low, high = (
        None if given.get(k) is None else _number(given[k], f"{where}, {k}", -300.0, 300.0)
        for k in ("low", "high")
    )
    if low is None and high is None:
        raise BadInput(where, str(given)[:60], "needs low or high", '"low": 30')
    first = _number(given.get("from", -math.inf), f"{where}, from", -math.inf, math.inf)
    last = _number(given.get("to", math.inf), f"{where}, to", -math.inf, math.inf)
    return CurveLimit(first, last, low, high, _text(given, "whose", where))


def _number(value: Any, where: str, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadInput(where, str(value)[:40], f"must be a number of {low:g} to {high:g}", "1000")
    return float(value)


def _text(row: Mapping[str, Any], name: str, where: str) -> str:
    value = row.get(name)
    if not isinstance(value, str) or not value.strip() or len(value) > 300:
        raise BadInput(f"{where}, {name}", str(value)[:40], "must be words", "Response")
    return value.strip()


def _rows(given: Mapping[str, Any], name: str, where: str, most: int) -> list[Any]:
    rows = given.get(name)
    if not isinstance(rows, list) or not 0 < len(rows) <= most:
        shown = f"{len(rows)} of them" if isinstance(rows, list) else str(rows)[:40]
        raise BadInput(f"{where}, {name}", shown, f"must be a list of 1 to {most}", "[...]")
    return rows


def _choice(kind: Any, row: Mapping[str, Any], name: str, where: str) -> Any:
    value = row.get(name)
    for one in kind:
        if one.value == value:
            return one
    known = ", ".join(f"{one.value!r}" for one in kind)
    raise BadInput(f"{where}, {name}", str(value)[:40], f"must be one of {known}", next(iter(kind)))
