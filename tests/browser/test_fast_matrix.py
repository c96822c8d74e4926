"""The function matrix typed at a quick hand's speed: no cell is lost, none is cleared."""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from api.conftest import Caller, open_job
from browser.page import BenchPage
from glowdial.api.app import create_app
from glowdial.demo.fill import START
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.workshop import Workshop

pytestmark = pytest.mark.browser
EVERY_S = 0.15


def test_a_cell_every_tenth_of_a_second_and_a_half(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=False)
    file = tmp_path / "data" / "glowdial.sqlite"
    workshop = Workshop(Database(sqlite_url(file)), lambda: START)
    with TestClient(create_app(workshop), base_url="http://127.0.0.1") as http:
        caller = Caller(http, itertools.count(10**6))
        job = open_job(caller)
        caller.up_to(job, "intake.matrix")
        page.open(f"{address}/jobs/{job}")
        page.wait_for("matrix")
        cells = page.driver.find_elements(By.CSS_SELECTOR, "[data-cell]")
        rows = len({c.get_attribute("data-cell").split()[0] for c in cells})
        typed: dict[str, str] = {}
        for column in range(len(cells) // rows):
            selector = f"[data-cell='0 {column}']"
            page.driver.find_element(By.CSS_SELECTOR, selector).click()
            for row in range(rows):
                text = f"S{row + 1} / oddity {row}{column}"
                page.type_over(text)
                page.press(Keys.ARROW_DOWN)
                typed[f"{row} {column}"] = text
                time.sleep(EVERY_S)
        page.press(Keys.TAB)

        def kept() -> int:
            return len(http.get(f"/api/jobs/{job}/matrix").json()["cells"])

        page.wait("every cell to be kept", lambda: kept() == len(typed))
        found = {
            c.get_attribute("data-cell"): c.get_attribute("value")
            for c in page.driver.find_elements(By.CSS_SELECTOR, "[data-cell]")
        }
        assert all(f"oddity {k.replace(' ', '')}" in (v or "") for k, v in found.items())
        assert not page.text("trouble")
