"""The pictures as the browser draws them: no words on other words, none cut off, the same values in
their tables."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from browser.conftest import set_size
from browser.page import BenchPage
from browser.test_kitchen import acknowledge

pytestmark = pytest.mark.browser
# a job's step, the picture that it has, and the table that says the same
PICTURED = (
    ("/jobs/1", "scale-picture", ""),
    ("/jobs/1?step=bring-up.ramp", "supply-picture", "supply-table"),
    ("/jobs/1?step=dial.bc", "scale-picture", ""),
    ("/jobs/1?step=osc.bc.aerial", "chain-picture", "chain-table"),
    ("/jobs/1?step=proof.left.bc.1", "chain-picture", "chain-table"),
    ("/jobs/2?step=proof.found.bc.1", "chain-picture", "chain-table"),
    ("/jobs/3?step=bring-up.ramp", "supply-picture", "supply-table"),
    ("/jobs/3?step=bring-up.diagnosis", "supply-picture", "supply-table"),
    ("/jobs/4?step=bring-up.ramp", "supply-picture", "supply-table"),
    ("/jobs/4?step=if.set-up", "chain-picture", "chain-table"),
    ("/jobs/4?step=dial.bc", "scale-picture", ""),
    ("/jobs/5", "supply-picture", "supply-table"),
    ("/jobs/5?step=if.set-up", "chain-picture", "chain-table"),
    ("/jobs/6?step=bring-up.ramp", "supply-picture", "supply-table"),
    ("/jobs/7?step=if.baseline", "chain-picture", "chain-table"),
    ("/jobs/5?step=bring-up.conversion", "supply-picture", "supply-table"),
    ("/jobs/8", "diagram-picture", ""),
    ("/jobs/9", "diagram-picture", ""),
)
WORDS = """
    const frame = document.querySelector(`[data-testid=${arguments[0]}] svg`);
    if (!frame) return [[], []];
    const whole = frame.getBoundingClientRect();
    const texts = [...frame.querySelectorAll('text')].map(t => {
        const r = t.getBoundingClientRect();
        return {text: t.textContent, l: r.left, r: r.right, t: r.top, b: r.bottom};
    });
    const found = [];
    for (const a of texts) {
        if (a.l < whole.left - 1 || a.r > whole.right + 1 || a.t < whole.top - 3
            || a.b > whole.bottom + 3) found.push('cut off: ' + a.text);
        for (const b of texts) {
            // a line box is higher than its letters
            const up = 4;
            if (a !== b && a.text < b.text && a.l < b.r - 1 && b.l < a.r - 1
                && a.t + up < b.b - up && b.t + up < a.b - up)
                found.push(a.text + ' | ' + b.text);
        }
    }
    return [texts.map(t => t.text), found];
"""


@pytest.mark.parametrize("size", [(1280, 800), (820, 1180)], ids=["bench", "tablet"])
def test_no_words_lie_on_others_and_tables_say_the_same(
    page: BenchPage, serve: Callable[..., str], size: tuple[int, int]
) -> None:
    address = serve(demo=True)
    faults: dict[str, list[str]] = {}
    try:
        set_size(page.driver, *size)
        for path, picture, table in PICTURED:
            page.open(address + path)
            page.wait_for("step")
            if page.find("acknowledge"):
                acknowledge(page)
            page.wait("its picture", lambda p=picture: page.driver.execute_script(WORDS, p)[0])
            page.wait(
                "the fonts", lambda: page.driver.execute_script("return document.fonts.status")
            )
            drawn, found = page.driver.execute_script(WORDS, picture)
            if found:
                faults[path] = found
            if table:
                told = page.driver.execute_script(
                    "return document.querySelector(`[data-testid=${arguments[0]}]`).textContent",
                    table,
                )
                lost = [t for t in drawn if not _told(t, told)]
                assert lost == [], (path, lost)
    finally:
        set_size(page.driver, 1280, 800)
    assert faults == {}


def _told(text: str, table: str) -> bool:
    """Whether the table has a drawn text, or every value of one that joins several."""
    fixed = ("AVC line", "V", "G", "stopped", "chassis", "B-")
    if text in fixed or text in table:
        return True
    return all(word in table for word in text.replace(":", "").split())


# what is looked at in a step takes this much of its ground at least
LEAST_SHARE = 0.45
LARGE = (
    "/jobs/5",
    "/jobs/3?step=bring-up.diagnosis",
    "/jobs/6?step=bring-up.chart",
    "/jobs/7",
    "/jobs/1",
    "/jobs/4?step=dial.bc",
    "/jobs/5?step=bring-up.conversion",
    "/jobs/8",
)
SHARE = """
    const area = e => { const r = e.getBoundingClientRect(); return r.width * r.height; };
    const step = document.querySelector('[data-testid=step]');
    const pictures = ['supply', 'chain', 'scale', 'diagram'].map(p => `[data-testid=${p}-picture]`);
    const all = [...pictures, '[data-testid=reading-table]', '[data-testid=response]',
                 '[data-testid=peak-trace]'];
    const shown = step.querySelector(all.join(','));
    return shown ? area(shown) / area(step) : 0;
"""


def test_the_picture_is_the_largest_thing_of_its_step(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    shares = {}
    for path in LARGE:
        page.open(address + path)
        page.wait_for("step")
        if page.find("acknowledge"):
            acknowledge(page)
        page.wait("its picture", lambda: page.driver.execute_script(SHARE) > 0)
        shares[path] = round(page.driver.execute_script(SHARE), 2)
    assert {p: s for p, s in shares.items() if s < LEAST_SHARE} == {}, shares


@pytest.mark.parametrize("theme", ["lamplight", "daylight"])
def test_pictures_pass_wcag_on_a_tablet_too(
    page: BenchPage, serve: Callable[..., str], theme: str
) -> None:
    address = serve(demo=True)
    page.open(address)
    page.wait_for("shelf-card")
    page.driver.execute_script(f"localStorage.setItem('glowdial.theme', '{theme}')")
    faults = {}
    try:
        set_size(page.driver, 820, 1180)
        for path in (*LARGE, "/jobs/4?step=if.set-up", "/jobs/1/stages/IF", "/sums/tracking"):
            page.open(address + path)
            page.wait(
                "the page",
                lambda: page.find("step") or page.find("stage-step") or page.find("sentence"),
            )
            if page.find("acknowledge"):
                acknowledge(page)
            found = page.faults()
            if found:
                faults[path] = found
    finally:
        set_size(page.driver, 1280, 800)
    assert faults == {}
