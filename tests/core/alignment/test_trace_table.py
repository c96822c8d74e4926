"""Traces as instruments write them: what is understood, and what is refused with its line."""

from __future__ import annotations

import math

import numpy as np
import pytest

from glowdial.core.alignment.trace_table import read_trace
from glowdial.core.language.errors import BadInput

ROWS = [(445.0 + n, 1.0 / math.hypot(1.0, (n - 10) / 3.0)) for n in range(21)]


def table(separator: str = ",", comma: bool = False, head: str = "kHz{}V", before: str = "") -> str:
    lines = [before + head.format(separator)] if head else []
    for khz, volts in ROWS:
        row = f"{khz:.1f}{separator}{volts:.4f}"
        lines.append(row.replace(".", ",") if comma else row)
    return "\n".join(lines) + "\n"


@pytest.mark.parametrize(
    "text",
    [
        table(),
        table(";", comma=True),
        table("\t"),
        table("\t", comma=True),
        table(" "),
        table(head="Frequency (kHz){}Level (V)"),
        table(before="Bench oscilloscope\nserial 12\n\n"),
        table(";", head="f [kHz]{}CH1 [V]"),
        table().replace("\n", "\r\n"),
        table(head="kHz{}mV").replace("V\n", "V\n").replace("1.0000", "1.0000"),
    ],
)
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "latin-1"])
def test_common_shapes_are_read_alike(text: str, encoding: str) -> None:
    found = read_trace(text.encode(encoding))
    assert found.frequency_hz == pytest.approx([khz * 1e3 for khz, _ in ROWS])
    scale = 1e-3 if "mV" in text else 1.0
    assert found.volts == pytest.approx([scale * v for _, v in ROWS], abs=1e-4)


def test_decibels_become_relative_volts() -> None:
    lines = ["MHz,dBm", *(f"{k / 1e3:.4f},{20 * math.log10(v) - 41:.4f}" for k, v in ROWS)]
    found = read_trace("\n".join(lines).encode())
    assert found.relative
    assert found.volts == pytest.approx([v for _, v in ROWS], abs=1e-3)


def test_time_is_laid_over_the_sweep() -> None:
    lines = ["Time (ms),Volts", *(f"{n * 100},{v}" for n, (_, v) in enumerate(ROWS))]
    found = read_trace("\n".join(lines).encode())
    assert not found.frequency_hz
    swept = found.over_sweep(445e3, 465e3, 2.0)
    assert swept.frequency_hz == pytest.approx([khz * 1e3 for khz, _ in ROWS])
    back = found.over_sweep(465e3, 445e3, 2.0)
    assert back.frequency_hz[0] > back.frequency_hz[-1]
    with pytest.raises(BadInput):
        found.over_sweep(445e3, 445e3, 2.0)


@pytest.mark.parametrize("form", ["DB", "MA", "RI"])
def test_a_two_port_touchstone_file_gives_its_transfer(form: str) -> None:
    def pair(v: float) -> str:
        if form == "DB":
            return f"{20 * math.log10(v):.6f} 10"
        return f"{v:.6f} 10" if form == "MA" else f"{v * 0.6:.6f} {v * 0.8:.6f}"

    lines = ["! an IF can", f"# kHz S {form} R 50"]
    lines += [f"{k:.1f} {pair(0.3)} {pair(v)} {pair(0.01)} {pair(0.3)} ! row" for k, v in ROWS]
    found = read_trace("\n".join(lines).encode(), "can.s2p")
    assert found.frequency_hz == pytest.approx([khz * 1e3 for khz, _ in ROWS])
    assert found.volts == pytest.approx([v for _, v in ROWS], rel=1e-4)


def test_a_reflection_is_no_response() -> None:
    lines = ["# kHz S MA R 50", *(f"{k} {v} 10" for k, v in ROWS)]
    with pytest.raises(BadInput, match="reflection"):
        read_trace("\n".join(lines).encode(), "can.s1p")


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        (table(head="kHz{}V").replace("450.0,", "450.0,x"), "line 7", "no number"),
        (table().replace("450.0,", "nan,"), "line 7", "no number"),
        (table().replace("450.0,", "inf,"), "line 7", "no number"),
        (table().replace("450.0,", "440.0,"), "line 7", "one way"),
        (table().replace("450.0,", "450.0,1.0,"), "line 7", "not 2"),
        (table(head="f{}V"), "line 1", "unit"),
        (table(head="apples{}V"), "line 1", "frequency or time"),
        (table(head="kHz{}pears"), "line 1", "volts or decibels"),
        (table(head=""), "line 1", "unit"),
        (table(head="Hz{}V"), "line 2", "no receiver's"),
        ("kHz,V\n1,2\n", "line 2", "without a table"),
        ("", "file", "no trace"),
        ("\x00\x01\x02", "file", "no table"),
        ("kHz,V\n" + "\n".join(f"{440 + n},0.5" for n in range(20)), "file", "flat"),
        (
            "kHz,V\n" + "\n".join(f"{440 + n},{-60 + abs(n - 9)}" for n in range(20)),
            "line 2",
            "decibels",
        ),
        (
            "kHz,V\n" + "\n".join(f"{440 + n},{800 - abs(n - 9)}" for n in range(20)),
            "line 2",
            "millivolts",
        ),
    ],
)
def test_what_is_wrong_is_refused_with_line_and_reason(text: str, line: str, words: str) -> None:
    with pytest.raises(BadInput) as caught:
        read_trace(text.encode())
    assert caught.value.field == line
    assert words in str(caught.value)


def spoiled(rng: np.random.Generator) -> bytes:
    """A table with one of many things done to it."""
    text = table(str(rng.choice([",", ";", "\t"])))
    rows = text.splitlines()
    at = int(rng.integers(1, len(rows)))
    kind = int(rng.integers(0, 10))
    if kind == 0:
        rows[at] = rows[at][: int(rng.integers(0, len(rows[at])))]
    elif kind == 1:
        rows[at] = rows[at].replace(rows[at][0], str(rng.choice(["#", "e", "--", "1e", "'"])), 1)
    elif kind == 2:
        rows[at], rows[at - 1] = rows[at - 1], rows[at]
    elif kind == 3:
        rows = rows[: int(rng.integers(0, 8))]
    elif kind == 4:
        rows[at] += rows[at][-8:] * int(rng.integers(1, 4))
    elif kind == 5:
        rows[0] = str(rng.choice(["kHz", "V,kHz,A", "", "t,f", "dB,dB"]))
    elif kind == 6:
        return bytes(rng.integers(0, 256, 400, dtype=np.uint8))
    elif kind == 7:
        rows[at] = str(rng.choice(["NaN,NaN", "1e400,1", "-,-", ";;;;", "end of data"]))
    elif kind == 8:
        rows = [row.replace(".", "") for row in rows]
    else:
        return "\n".join(rows).encode()[: int(rng.integers(1, 60))]
    return "\n".join(rows).encode()


@pytest.mark.parametrize("seed", range(50))
def test_a_spoiled_file_is_read_right_or_refused_and_never_breaks(seed: int) -> None:
    content = spoiled(np.random.default_rng(seed))
    try:
        found = read_trace(content)
    except BadInput as error:
        assert error.field and str(error)
        return
    # what is read is a curve that can be looked at
    assert len(found.volts) >= 12 and all(math.isfinite(v) for v in found.volts)
    across = found.frequency_hz or found.time_s
    steps = np.diff(across)
    assert np.all(steps > 0) or np.all(steps < 0)
