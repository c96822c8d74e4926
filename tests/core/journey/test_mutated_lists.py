"""Lists as people keep them, mutated: each is read or refused in a sentence, and none hangs."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
import pytest

from builders import tidewater_facts
from glowdial.core.alignment.trace_table import read_trace, read_transmission
from glowdial.core.journey.path_parts import read_parts
from glowdial.core.language.errors import BadInput
from glowdial.core.model.stations import read_stations
from glowdial.core.stages.dial.points import read_points as read_dial_points
from glowdial.core.stages.proof.fm_points import read_points as read_fm_points
from glowdial.sheets.measurement_list import shipped_list

MUTATED = 600
BAND = tidewater_facts().bands[0]
SEPARATION = shipped_list().of("separation")
PIECES = [
    "",
    ",",
    ";",
    '"',
    "\n",
    "\r",
    "\x00",
    "-",
    "1e999",
    "nan",
    "MHz",
    "\u2212",
    "9" * 40,
    "\t",
]
TRACE = "kHz;V\n" + "\n".join(f"{440 + n},0;0,{n:02d}" for n in range(40))
NETWORK = "# MHz S DB R 50\n" + "\n".join(f"{n} -30 0 -20 0 -40 0 -30 0" for n in range(1, 20))


def fm(text: str) -> object:
    assert SEPARATION is not None
    return read_fm_points(text, SEPARATION)


READERS: dict[str, tuple[Callable[[str], object], str]] = {
    "points of a dial": (
        lambda text: read_dial_points(text, BAND),
        "dial, true\n600, 598\n800, 801.5\n1400 kHz, 1.41 MHz\n",
    ),
    "points of a tuner": (fm, "audio frequency (Hz),left,right\n100,0.5,0.01\n1000,0.5,12m\n"),
    "the way to the set": (
        read_parts,
        "cable, 0.4, 0.1\npad, series 43 across 33, 1 %, 50\nbalun, ?, 1, 75 to 300\n",
    ),
    "stations": (read_stations, "frequency,name,place,weight\n648,Harbour,home,3\n909,Hill,,1\n"),
    "a trace": (lambda text: read_trace(text.encode("utf-8", "replace"), "t.csv"), TRACE),
    "a network": (read_transmission, NETWORK),
}


@pytest.mark.parametrize("name", READERS)
def test_a_mutated_list_is_read_or_refused_and_never_hangs(name: str) -> None:
    read, whole = READERS[name]
    read(whole)
    rng = np.random.default_rng(23)
    longest = 0.0
    for _ in range(MUTATED):
        text = whole
        for _ in range(int(rng.integers(1, 6))):
            at = int(rng.integers(0, len(text) + 1))
            until = at + int(rng.integers(0, 4))
            text = text[:at] + str(rng.choice(PIECES)) + text[until:]
        if rng.random() < 0.2:
            text = text[: int(rng.integers(0, len(text) + 1))] * int(rng.integers(1, 40))
        begun = time.thread_time()
        try:
            read(text)
        except BadInput as error:
            assert str(error)
        longest = max(longest, time.thread_time() - begun)
    # of this thread's own work: what else the machine does is no fault of a file
    assert longest < 2.0
