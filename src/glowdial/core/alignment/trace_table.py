"""Traces that an instrument wrote: tables with columns of frequency or time and volts or decibels,
and Touchstone files.

Common shapes are understood: commas, semicolons, tabs or blanks between, a decimal comma, lines
before the table, units in the heading. What cannot be right is refused with its line and the
reason; nothing is guessed that would move the result by a thousand.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput

Floats = NDArray[np.float64]
LARGEST_BYTES, MOST_ROWS, LEAST_ROWS = 4_000_000, 100_000, 12
EXAMPLE = "kHz;V then 455,2;0,81"
FREQUENCY_UNITS = {"hz": 1.0, "khz": 1e3, "mhz": 1e6, "ghz": 1e9}
TIME_UNITS = {"s": 1.0, "sec": 1.0, "ms": 1e-3, "us": 1e-6, "\u00b5s": 1e-6}
VOLT_UNITS = {"v": 1.0, "mv": 1e-3, "uv": 1e-6, "\u00b5v": 1e-6}
DECIBEL_UNITS = ("db", "dbm", "dbv", "dbuv", "db\u00b5v")
FREQUENCY_WORDS, TIME_WORDS = ("freq", "frequency", "f"), ("time", "t", "second", "seconds")
VOLT_WORDS = ("volt", "volts", "voltage", "amplitude", "level", "ch1", "channel 1", "magnitude")
# no indicator of a receiver shows more, nor does a sweep of one begin lower without a unit
MOST_V, LEAST_HZ, MOST_HZ = 100.0, 30e3, 1e9
OPTION_LINE = re.compile(r"\s*#\s*[kmg]?hz\b.*\b[syzhg]\b", re.IGNORECASE)
NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")


@dataclass(frozen=True, slots=True)
class ReadTrace:
    """A trace as it was read: against frequency in Hz or time in s (the other is empty), volts
    (decibels are made relative volts), and what was understood, in words."""

    frequency_hz: tuple[float, ...]
    time_s: tuple[float, ...]
    volts: tuple[float, ...]
    relative: bool
    words: str

    def over_sweep(self, start_hz: float, stop_hz: float, pass_s: float) -> ReadTrace:
        """A trace over time as one over frequency: a linear pass that begins with the trace.

        What was read after the pass is left out. Raises BadInput for a pass that is none.
        """
        if self.frequency_hz:
            return self
        if pass_s <= 0.0 or start_hz <= 0.0 or stop_hz <= 0.0 or start_hz == stop_hz:
            raise BadInput(
                "sweep",
                f"{start_hz:g} to {stop_hz:g} Hz in {pass_s:g} s",
                "runs from one frequency to another in some time",
                "445 kHz to 465 kHz in 5 s",
            )
        begun = self.time_s[0]
        kept = [
            (start_hz + (t - begun) / pass_s * (stop_hz - start_hz), v)
            for t, v in zip(self.time_s, self.volts, strict=True)
            if t - begun <= pass_s * (1.0 + 1e-9)
        ]
        if len(kept) < LEAST_ROWS:
            raise BadInput(
                "sweep", f"{len(kept)} points", f"needs {LEAST_ROWS} within the pass", "201"
            )
        return ReadTrace(
            tuple(f for f, _ in kept), (), tuple(v for _, v in kept), self.relative, self.words
        )


@dataclass(frozen=True, slots=True)
class _Column:
    """What a column holds, and what its figures are multiplied with."""

    kind: str
    factor: float
    words: str


def read_trace(content: bytes, name: str = "") -> ReadTrace:
    """Read a trace from a file's bytes; ``name`` tells a Touchstone file from a table.

    Raises BadInput with the line and the reason.
    """
    if len(content) > LARGEST_BYTES:
        raise BadInput("file", f"{len(content)} bytes", "is over 4 MB", "a trace of 601 points")
    lines = _text(content).splitlines()
    if re.search(r"\.s\dp$", name.lower()) or any(OPTION_LINE.match(x) for x in lines[:40]):
        return _touchstone(lines)
    return _table(lines)


def _text(content: bytes) -> str:
    if not content.strip():
        raise BadInput("file", "empty", "holds no trace", EXAMPLE)
    marks = ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"\xef\xbb\xbf", "utf-8-sig"))
    for mark, encoding in marks:
        if content.startswith(mark):
            return content.decode(encoding, errors="replace")
    if b"\x00" in content:
        raise BadInput("file", "binary", "is no table of text", EXAMPLE)
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        return content.decode("latin-1")


def _table(lines: list[str]) -> ReadTrace:
    rows = [(n, line) for n, line in enumerate(lines, 1) if line.strip()]
    first = _first_row(rows)
    separator = _separator(rows[first:])
    body = [(n, _cells(line, separator)) for n, line in rows[first:]]
    wide = len(body[0][1])
    heading = _cells(rows[first - 1][1], separator) if first > 0 else []
    if len(heading) != wide:
        heading = []
    columns = _columns(heading, body, rows[first - 1][0] if first else 0)
    x_at = next((i for i, c in enumerate(columns) if c.kind in ("frequency", "time")), None)
    y_at = next((i for i, c in enumerate(columns) if c.kind in ("volts", "decibels")), None)
    if x_at is None or y_at is None:
        missing = "frequency or time" if x_at is None else "volts or decibels"
        raise BadInput(
            f"line {body[0][0] - 1 if heading else body[0][0]}",
            _joined(heading) or body[0][1][0],
            f"names no column of {missing}",
            EXAMPLE,
        )
    return _read(body, wide, x_at, y_at, columns)


def _read(
    body: list[tuple[int, list[str]]], wide: int, x_at: int, y_at: int, columns: list[_Column]
) -> ReadTrace:
    if len(body) > MOST_ROWS:
        raise BadInput("file", f"{len(body)} rows", f"is over {MOST_ROWS}", "601")
    x_column, y_column = columns[x_at], columns[y_at]
    xs: list[float] = []
    ys: list[float] = []
    for n, cells in body:
        if len(cells) != wide:
            raise BadInput(f"line {n}", " ".join(cells), f"holds {len(cells)}, not {wide}", EXAMPLE)
        x = _number(n, cells[x_at]) * x_column.factor
        y = _number(n, cells[y_at]) * y_column.factor
        if len(xs) > 1 and (x - xs[-1]) * (xs[1] - xs[0]) <= 0.0:
            raise BadInput(
                f"line {n}", cells[x_at], f"turns back: {x_column.kind} must run one way", EXAMPLE
            )
        xs.append(x)
        ys.append(y)
    if len(xs) < LEAST_ROWS:
        raise BadInput("file", f"{len(xs)} rows", f"needs {LEAST_ROWS} or more", "201")
    return _checked(xs, ys, x_column, y_column, body[0][0])


def _checked(
    xs: list[float], ys: list[float], x_column: _Column, y_column: _Column, line: int
) -> ReadTrace:
    if xs[0] == xs[1]:
        raise BadInput(f"line {line + 1}", f"{xs[1]:g}", "repeats the one before it", EXAMPLE)
    frequency = x_column.kind == "frequency"
    if frequency and not (min(xs) >= LEAST_HZ and max(xs) <= MOST_HZ):
        raise BadInput(
            f"line {line}",
            f"{xs[0]:g} Hz to {xs[-1]:g} Hz",
            "is no receiver's: 30 kHz to 1 GHz; head the column with its unit",
            "kHz",
        )
    decibels = y_column.kind == "decibels"
    if decibels:
        volts = [10.0 ** ((y - max(ys)) / 20.0) for y in ys]
    else:
        volts = ys
        _plausible_volts(ys, line)
    if max(volts) - min(volts) <= 1e-12:
        raise BadInput("file", f"{volts[0]:g} throughout", "is a flat trace", EXAMPLE)
    words = f"{len(xs)} points, {x_column.words} and {y_column.words}"
    return ReadTrace(
        tuple(xs) if frequency else (),
        () if frequency else tuple(xs),
        tuple(volts),
        decibels,
        words,
    )


def _plausible_volts(volts: list[float], line: int) -> None:
    if max(volts) <= 3.0 and min(volts) < -25.0:
        raise BadInput(
            f"line {line}",
            f"{volts[0]:g} V",
            f"and down to {min(volts):g}: these look like decibels; head the column dB",
            "kHz,dB",
        )
    if max(abs(v) for v in volts) > MOST_V:
        raise BadInput(
            f"line {line}",
            f"up to {max(volts, key=abs):g} V",
            "is more than an indicator shows: millivolts? Head the column with its unit",
            "kHz,mV",
        )


def _first_row(rows: list[tuple[int, str]]) -> int:
    """Where the table begins: the first of three rows of numbers."""
    for n in range(len(rows)):
        near = rows[n : n + 3]
        if len(near) == 3 and all(_numbers(line) for _, line in near):
            return n
    last = rows[-1][0] if rows else 0
    raise BadInput(f"line {last}", "end of file", "was reached without a table of numbers", EXAMPLE)


def _numbers(line: str) -> bool:
    cells = [c.strip().strip('"') for c in re.split(r"[;\t ]+|,(?=\D)|,", line.strip(" ;,\t"))]
    return len(cells) > 1 and all(c == "" or _is_number(c) for c in cells) and bool(cells[0])


def _is_number(text: str) -> bool:
    return NUMBER.fullmatch(text) is not None or text.lower() in ("nan", "inf", "-inf")


def _separator(rows: list[tuple[int, str]]) -> str:
    line = rows[0][1]
    for mark in ("\t", ";"):
        if mark in line:
            return mark
    if "," in line and not re.search(r"\d,\d+\s+[+-]?\d", line):
        return ","
    return " "


def _cells(line: str, separator: str) -> list[str]:
    parts = line.split() if separator == " " else line.rstrip(f"{separator} ").split(separator)
    return [part.strip().strip('"').strip() for part in parts]


def _joined(heading: list[str]) -> str:
    """A heading as one text."""
    return ", ".join(h for h in heading if h)


def _columns(heading: list[str], body: list[tuple[int, list[str]]], line: int) -> list[_Column]:
    if heading:
        return [_headed(name, line) for name in heading]
    wide = len(body[0][1])
    if wide != 2:
        raise BadInput(
            f"line {body[0][0]}",
            f"{wide} columns",
            "without a heading cannot be told apart",
            EXAMPLE,
        )
    start = _number(*_cell(body[0], 0))
    if start < LEAST_HZ:
        raise BadInput(
            f"line {body[0][0]}",
            body[0][1][0],
            "has no unit: is it kHz, MHz or seconds? Head the columns",
            EXAMPLE,
        )
    return [_Column("frequency", 1.0, "Hz"), _Column("volts", 1.0, "V")]


def _cell(row: tuple[int, list[str]], at: int) -> tuple[int, str]:
    return row[0], row[1][at]


def _headed(name: str, line: int) -> _Column:
    """What a heading says: its unit first, else its word."""
    text = name.lower().strip()
    words = [w for w in re.split(r"[^a-z0-9\u00b5]+", text) if w]
    for word in reversed(words):
        if word in FREQUENCY_UNITS:
            return _Column("frequency", FREQUENCY_UNITS[word], word)
        if word in DECIBEL_UNITS:
            return _Column("decibels", 1.0, "dB")
        if word in VOLT_UNITS:
            return _Column("volts", VOLT_UNITS[word], word)
    if any(w in TIME_WORDS for w in words) or (words and words[-1] in TIME_UNITS):
        unit = words[-1] if words and words[-1] in TIME_UNITS else "s"
        return _Column("time", TIME_UNITS[unit], unit)
    if any(w in FREQUENCY_WORDS for w in words):
        raise BadInput(f"line {line}", name, "does not say in which unit: Hz, kHz or MHz", EXAMPLE)
    if text in VOLT_WORDS or any(w in VOLT_WORDS for w in words):
        return _Column("volts", 1.0, "V")
    return _Column("", 1.0, name)


def _number(line: int, text: str) -> float:
    match = NUMBER.fullmatch(text)
    if match is None:
        raise BadInput(f"line {line}", text or "nothing", "is no number", "455.2")
    value = float(text.replace(",", "."))
    if not math.isfinite(value):
        raise BadInput(f"line {line}", text, "is no number that counts", "455.2")
    return value


def _touchstone(lines: list[str]) -> ReadTrace:
    """Touchstone 1.0, two ports: S21 as a response. One port is a reflection, and refused."""
    unit, found = _transmission(lines)
    first = [(n, [f"{f!r}", f"{db!r}"]) for n, f, db in found]
    columns = [_Column("frequency", unit, "Touchstone"), _Column("decibels", 1.0, "S21")]
    return _read(first, 2, 0, 1, columns)


def read_transmission(text: str) -> tuple[Floats, Floats]:
    """Frequencies in Hz, rising, and the transmission S21 in dB of a Touchstone file of two ports.

    Raises BadInput with the line for what is none, or does not rise.
    """
    if len(text) > LARGEST_BYTES:
        raise BadInput("file", f"{len(text)} characters", "is too long", "a sweep of 201 points")
    unit, found = _transmission(text.splitlines())
    at_hz = np.array([f * unit for _, f, _ in found])
    if np.any(np.diff(at_hz) <= 0.0) or not np.all(np.isfinite(at_hz)):
        raise BadInput("file", "frequencies", "must rise", "0.5, 1.0, 1.5 MHz")
    return at_hz, np.array([db for _, _, db in found])


def _transmission(lines: list[str]) -> tuple[float, list[tuple[int, float, float]]]:
    """The unit of frequency, and line, frequency and S21 in dB of every row."""
    unit, form, seen = 1e9, "ma", False
    rows: list[tuple[int, list[float]]] = []
    for n, line in _plain(lines):
        if line.startswith("#"):
            words = line[1:].lower().split()
            unit = next((FREQUENCY_UNITS[w] for w in words if w in FREQUENCY_UNITS), unit)
            form = next((w for w in words if w in ("db", "ma", "ri")), form)
            seen = True
            if any(w in words for w in ("y", "z", "h", "g")):
                raise BadInput(f"line {n}", line, "is not scattering parameters", "# MHz S DB R 50")
            continue
        rows.append((n, [_number(n, cell) for cell in line.split()]))
    if not seen:
        raise BadInput("file", "no option line", "is no Touchstone file", "# MHz S DB R 50")
    if not rows:
        raise BadInput("file", "no rows", "holds no trace", "455.0 -12 30 -3 80 -60 0 -12 30")
    wrong = next((row for row in rows if len(row[1]) != 9), None)
    if wrong is not None:
        one = " (one port: a reflection, not a response)" if len(wrong[1]) == 3 else ""
        raise BadInput(f"line {wrong[0]}", f"{len(wrong[1])} figures", f"are not nine{one}", "nine")
    return unit, [(n, r[0], _magnitude_db(r[3], r[4], form)) for n, r in rows]


def _plain(lines: list[str]) -> Iterator[tuple[int, str]]:
    for n, line in enumerate(lines, 1):
        text = line.partition("!")[0].strip()
        if text:
            yield n, text


def _magnitude_db(a: float, b: float, form: str) -> float:
    if form == "db":
        return a
    size = math.hypot(a, b) if form == "ri" else abs(a)
    return 20.0 * math.log10(max(size, 1e-9))
