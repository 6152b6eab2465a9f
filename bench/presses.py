"""The page of a scorecard in a browser that is slowed to a quarter: how long until a press is answered; and what a tab holds
after stepping through many periods."""

from __future__ import annotations

import statistics
import sys
import time
from typing import Any

import numpy as np

from bench.measure import USUAL, additions
from tests import world

SLOWER, ANSWERED_MS = 4, 100
STEPS = (50, 500)
# Presses something, and tells when the frame after it stands.
PRESS = """
const [what, done] = arguments
// Made once: what is made for each press would stay with the page.
window.pressing ??= {}
const press = (window.pressing[what] ??= new Function(what))
const begun = performance.now()
if (press() === false) return done(null)
requestAnimationFrame(() => setTimeout(() => done(performance.now() - begun), 0))
"""
KEY = "document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '%s', bubbles: true }))"
CLICK = "const one = document.querySelector(`%s`); if (!one) return false; one.click()"
PRESSES = {
    "the period before, until it is told": KEY % "ArrowLeft",
    "the next period, until it is told": KEY % "ArrowRight",
    "the list of periods, opened and closed": CLICK % ".sentence button",
    "back to the front page and here": "location.hash = location.hash === '#/' ? window.was : ((window.was = location.hash), '#/')",
}

_BACK, _ON = list(PRESSES)[:2]


def _heap(driver: Any) -> tuple[float, int]:
    """MB that scripts hold once what nobody needs was given up, and the nodes of the page."""
    for _ in range(2):
        driver.execute_cdp_cmd("HeapProfiler.collectGarbage", {})
    told = {one["name"]: one["value"] for one in driver.execute_cdp_cmd("Performance.getMetrics", {})["metrics"]}
    return told["JSHeapUsedSize"] / 1e6, int(told["Nodes"])


def main(presses: int = 12) -> None:
    server, driver = world.running(), world.browser()
    cards = {one["body"]["title"]: one["id"] for one in server.client.get("/api/scorecards").json()}
    driver.execute_cdp_cmd("Performance.enable", {})
    driver.get(f"{server.address}/#/scorecards/{cards['Network performance']}")
    world.until(
        lambda: driver.execute_script("return document.querySelectorAll('.sheet').length"), lambda many: many > 3
    )
    # The machine itself may be slower than a usual one.
    here = max(1.0, additions() / USUAL)
    rate = max(1.0, SLOWER / here)
    print(
        f"\nA page whose presses are answered by a machine {SLOWER} times slower than a usual one: this one is {here:.1f} times, and slowed {rate:.1f} times more"
    )
    driver.execute_cdp_cmd("Emulation.setCPUThrottlingRate", {"rate": rate})
    for what, press in PRESSES.items():
        took = []
        for _ in range(presses):
            if (ms := driver.execute_async_script(PRESS, press)) is not None:
                took.append(float(ms))
            time.sleep(0.4)
        if took:
            p95 = float(np.quantile(took, 0.95))
            kept = "kept" if p95 <= ANSWERED_MS else "MISSED"
            print(
                f"  {what}: median {statistics.median(took):.0f} ms, p95 {p95:.0f} ms (budget: {ANSWERED_MS} ms) {kept}"
            )
        else:
            print(f"  {what}: no such control")
    driver.execute_cdp_cmd("Emulation.setCPUThrottlingRate", {"rate": 1})
    held, at = [], 0
    for most in STEPS:
        while at < most:
            # There and back, over all the months that have rows.
            driver.execute_async_script(PRESS, PRESSES[_BACK if at // 9 % 2 == 0 else _ON])
            at += 1
            if at % 25 == 0:
                time.sleep(0.5)  # answers come
        time.sleep(2)
        held.append(_heap(driver))
        print(f"  after {most} periods the tab holds {held[-1][0]:.1f} MB and {held[-1][1]:,} nodes")
    ratio = held[1][0] / held[0][0]
    print(
        f"  {STEPS[1]} periods ÷ {STEPS[0]}: {ratio:.2f}× (budget: at most 1.1×) {'kept' if ratio <= 1.1 else 'MISSED'}"
    )
    world.close()


if __name__ == "__main__":
    main(*(int(one) for one in sys.argv[1:]))
