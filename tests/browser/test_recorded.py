"""A recording of a set's output looked at in the page."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from browser.conftest import first_port, start_server
from browser.page import BenchPage
from browser.test_microphone import hearing, tone_file

pytestmark = pytest.mark.browser
__all__ = ["hearing", "tone_file"]


def test_a_recording_is_looked_at_and_its_figures_kept(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    at = np.arange(40 * 48_000) / 48_000
    tone = 0.3 * np.sin(2.0 * np.pi * 400.0 * at) * ((at // 4.0) % 2 == 0)
    hiss = 0.03 * np.random.default_rng(1).standard_normal(at.size)
    soundfile.write(tmp_path / "pair.wav", tone + hiss, 48_000, subtype="PCM_16")
    (tmp_path / "notes.wav").write_text("weak on every station")
    address = serve(demo=True)
    page.open(f"{address}/sums?job=2")
    page.wait_for("to-recordings").click()
    page.wait_for("recordings")
    chooser = page.driver.find_element("css selector", "[data-testid=recording-file]")
    chooser.send_keys(str(tmp_path / "notes.wav"))
    page.wait("the refusal", lambda: "not a WAV" in page.text("trouble"))
    chooser.send_keys(str(tmp_path / "pair.wav"))
    page.wait("the figures", lambda: "400.0 Hz" in page.text("sentence"))
    assert page.text("recording-name") == "pair.wav"
    # tone 0.045, of the noise what lies in 30 Hz to 15 kHz: 10 log(1 + 0.045 / (9e-4 * 0.624))
    told = float(page.text("sentence").split("(S+N)/N ")[1].split()[0])
    assert abs(told - 19.1) < 0.3
    page.click("Keep in this job")
    page.wait("it is kept", lambda: page.find("sum-kept"))


def test_what_the_input_hears_is_recorded_and_looked_at(hearing: BenchPage, tmp_path: Path) -> None:
    """A tone of 400 Hz with 50 Hz of hum, by the browser's own fake device."""
    server = start_server(tmp_path / "recorded", first_port() + 15, demo=True)
    try:
        hearing.open(f"{server.address}/recordings")
        hearing.click("Record from the input")
        hearing.wait("the level", lambda: "400 Hz" in hearing.text("heard-words"))
        hearing.wait("some seconds", lambda: hearing.text("recording-now")[:1] in "456789")
        hearing.click("Stop, and look at it")
        # a busy machine's fake device leaves holes, and with them the tone is not quite its own;
        # at another rate it would be 35 Hz off
        hearing.wait("the figures", lambda: " Hz, SINAD" in hearing.text("sentence"))
        tone_hz = float(hearing.text("sentence").split(" Hz, SINAD")[0].split()[-1])
        assert abs(tone_hz - 400.0) < 8.0
        lines = " ".join(hearing.texts("sum-line"))
        assert "hum 50 Hz" in lines and "recorded here.wav" in hearing.text("recording-name")
        # the two stand as they were played, holes of the fake device or not
        level = float(lines.split("hum 50 Hz")[1].split()[0])
        assert abs(level + 6.0) < 1.5
    finally:
        server.process.terminate()
        server.process.wait(timeout=10)
