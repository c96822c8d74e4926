"""What a live value costs on its way to the screen, measured in the page itself.

python -m benchmarks.redraw

Twenty readings a second are played to the page of a peaking step with its trace, chain and chassis.
Each is timed from its arrival until the page has been laid out anew.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))

from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.conftest import open_browser, start_server
from browser.page import BenchPage
from browser.test_kitchen import acknowledge

PORT = 8797
READINGS, RATE_HZ = 200, 20
BUDGET_MS = 16.7
# every reading of the stream is kept back, and played again at a rate of our own
PLAYED = """
    const Real = window.EventSource;
    window.took = [];
    window.EventSource = class extends Real {
        addEventListener(kind, listen) {
            if (kind !== 'value') return super.addEventListener(kind, listen);
            super.addEventListener(kind, (event) => {
                if (window.play) return;
                const seen = JSON.parse(event.data);
                window.play = (n) => {
                    const value = seen.value * (1 + 0.05 * Math.sin(n / 7));
                    const data = JSON.stringify({...seen, value});
                    const begun = performance.now();
                    listen({data});
                    setTimeout(() => {
                        document.body.getBoundingClientRect();
                        window.took.push(performance.now() - begun);
                    });
                };
            });
        }
    };
"""
RUN = """
    const [count, rate] = arguments;
    let n = 0;
    const timer = setInterval(() => {
        window.play(n);
        n += 1;
        if (n === count) clearInterval(timer);
    }, 1000 / rate);
"""


def redraws_ms() -> list[float]:
    """Each reading's time from its arrival to the page laid out anew."""
    folder = Path(tempfile.mkdtemp())
    server = start_server(folder / "data", PORT, demo=True)
    driver = open_browser(folder / "profile")
    page = BenchPage(driver)
    try:
        driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": PLAYED})
        page.open(f"{server.address}/jobs/7")
        page.wait_for("step")
        acknowledge(page)
        page.press("a")
        page.wait("the core", lambda: page.state()[1].startswith("if.pass1"))
        acknowledge(page)
        before = page.state()[0]
        page.press(Keys.ARROW_UP)
        page.wait("the trace", lambda: page.state()[0] != before and page.find("peak-trace"))
        page.press(Keys.F6)
        page.wait("a reading", lambda: driver.execute_script("return Boolean(window.play)"))
        driver.execute_script(RUN, READINGS, RATE_HZ)
        time.sleep(READINGS / RATE_HZ + 1.0)
        return [float(ms) for ms in driver.execute_script("return window.took")]
    finally:
        driver.quit()
        server.process.terminate()


TURNED_BUDGET_MS, TURNINGS = 50.0, 60
# a press on "1/4 turn" until the curve drawn anew has been laid out
TURN = """
    const done = arguments[arguments.length - 1], count = arguments[0];
    const buttons = document.querySelectorAll("[aria-label='Turn it and see'] button");
    const drawn = document.querySelector("[data-testid=response]");
    const took = [];
    let begun = 0;
    const seen = new MutationObserver(() => {
        if (!begun) return;
        document.body.getBoundingClientRect();
        took.push(performance.now() - begun);
        begun = 0;
        if (took.length === count) done(took);
        else setTimeout(press, 150);
    });
    const press = () => {
        begun = performance.now();
        buttons[took.length % 2 ? 0 : 3].click();
    };
    seen.observe(drawn, {subtree: true, attributes: true, attributeFilter: ["aria-label"]});
    press();
"""


def turned_ms() -> list[float]:
    """Each turn of a core of the simulated set, from the press to its curve on the screen."""
    folder = Path(tempfile.mkdtemp())
    server = start_server(folder / "data", PORT + 1, demo=True)
    driver = open_browser(folder / "profile")
    page = BenchPage(driver)
    try:
        page.open(f"{server.address}/jobs/7")
        page.wait_for("step")
        acknowledge(page)
        page.click("another indicator")
        for keys in (("s", Keys.ENTER), None, ("a", Keys.ENTER)):
            before = page.state()
            if keys is None:
                page.click("Sweep the simulated set")
                page.wait("the sweep", lambda: page.text("swept-here"))
                area = driver.find_element(By.CSS_SELECTOR, "textarea")
                area.send_keys(Keys.CONTROL, Keys.ENTER)
            else:
                page.press(*keys)
            page.changed_from(before)
            acknowledge(page)
        page.wait_for("line")
        driver.set_script_timeout(120)
        return [float(ms) for ms in driver.execute_async_script(TURN, TURNINGS)]
    finally:
        driver.quit()
        server.process.terminate()


def main() -> int:
    """Prints the 95th percentiles as shares of their budgets; ends with 1 where one is over."""
    curves = turned_ms()
    curves_p95 = statistics.quantiles(curves, n=20)[-1]
    print(
        f"a core turned to its curve on screen, {len(curves)} times: median "
        f"{statistics.median(curves):.1f} ms, 95th percentile {curves_p95:.1f} ms, "
        f"{curves_p95 / TURNED_BUDGET_MS:.2f} of {TURNED_BUDGET_MS:.0f} ms"
    )
    took = redraws_ms()
    p95 = statistics.quantiles(took, n=20)[-1]
    print(
        f"redraw at {RATE_HZ} readings a second, {len(took)} of them: median "
        f"{statistics.median(took):.1f} ms, 95th percentile {p95:.1f} ms, "
        f"{p95 / BUDGET_MS:.2f} of {BUDGET_MS} ms"
    )
    right = p95 <= BUDGET_MS and len(took) == READINGS and curves_p95 <= TURNED_BUDGET_MS
    return 0 if right else 1


if __name__ == "__main__":
    sys.exit(main())
