"""A recording of a set's output looked at in the page."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from browser.page import BenchPage

pytestmark = pytest.mark.browser


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
