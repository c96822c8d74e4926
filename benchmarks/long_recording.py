"""Time and memory of looking at a recording: a minute and an hour of two channels at 48 kHz.

python -m benchmarks.long_recording [MINUTES ...]
"""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

from glowdial.workshop.recordings import looked_at

RATE = 48_000
MINUTE = 60 * RATE


def write(path: Path, minutes: int) -> None:
    """A tone that comes and goes every ten seconds, with noise and hum, minute by minute."""
    rng = np.random.default_rng(1)
    at = np.arange(MINUTE) / RATE
    on = (at // 10.0) % 2 == 0
    tone = 0.3 * np.sin(2.0 * np.pi * 1000.0 * at) * on + 1e-3 * np.sin(2.0 * np.pi * 100.0 * at)
    with soundfile.SoundFile(path, "w", RATE, 2, "PCM_16") as file:
        for _ in range(minutes):
            hiss = 1e-2 * rng.standard_normal((MINUTE, 2), dtype=np.float32)
            file.write(hiss + tone[:, None])


def main(minutes: list[int]) -> None:
    """Print what each takes."""
    with tempfile.TemporaryDirectory() as folder:
        for length in minutes:
            path = Path(folder) / "long.wav"
            write(path, length)
            if length == 1:
                # a server that has looked at one before
                with path.open("rb") as file:
                    looked_at(file)
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            begun = time.perf_counter()
            with path.open("rb") as file:
                answer = looked_at(file)
            took = time.perf_counter() - begun
            most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            print(
                f"{length} min: {took:.2f} s, {most / 1024:.0f} MB at most "
                f"({before / 1024:.0f} MB before); {answer.sentence}"
            )


if __name__ == "__main__":
    main([int(a) for a in sys.argv[1:]] or [1, 60])
