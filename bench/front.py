"""The front page with 500 scorecards in headless Chromium: until it stands on the screen, and how it scrolls."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from typing import Any

from bench.measure import report, side_by_side
from tests import world

CARDS, TURNS = 500, 7
WATCH = """
window.drawn = null
new MutationObserver((_, watch) => {
  if (!document.querySelector('.cards .card .tally')) return
  watch.disconnect()
  requestAnimationFrame(() => requestAnimationFrame(() => (window.drawn = performance.now())))
}).observe(document, { childList: true, subtree: true })
"""
SCROLL = """
const [step, frames, done] = arguments
const times = []
let before = null
const run = (now) => {
  if (before !== null) times.push(now - before)
  before = now
  window.scrollBy(0, step)
  if (times.length < frames) requestAnimationFrame(run)
  else done(times)
}
requestAnimationFrame(run)
"""


def fill(client: Any) -> float:
    """Copies of the demo's scorecards until there are CARDS of them; the seconds until all have a glance."""
    own = [one["body"] for one in client.get("/api/scorecards").json()]
    for at in range(CARDS - len(own)):
        body = own[at % len(own)] | {"title": f"Scorecard {at + 1}", "folder": f"Folder {at % 12}"}
        client.post("/api/scorecards", json=body).raise_for_status()
    began = time.perf_counter()
    while not all(card["glance"] or not card["sheets"] for card in client.get("/api/front").json()["cards"]):
        time.sleep(0.5)
    return time.perf_counter() - began


def main() -> None:
    server, driver = world.running(), world.browser()
    client = server.client
    took = fill(client)
    print(
        f"\nThe front page with {CARDS} scorecards; the last of their glances came {took:.0f} s after the last one was made"
    )
    page = f"/api/scorecards/{client.get('/api/scorecards').json()[0]['id']}/page"
    asks: dict[str, Callable[[], object]] = {
        "the front page": lambda: client.get("/api/front").raise_for_status(),
        "one scorecard": lambda: client.get(page).raise_for_status(),
    }
    report("Answers", side_by_side(asks, 20), "the front page", {})
    driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": WATCH})
    draws = []
    for _ in range(TURNS):
        driver.get("about:blank")
        driver.get(f"{server.address}/")
        until = time.monotonic() + 20
        while (at := driver.execute_script("return window.drawn")) is None and time.monotonic() < until:
            time.sleep(0.05)
        draws.append(float(at))
    first = statistics.median(draws)
    print(
        f"  opened, from nothing to the second frame: median {first:.0f} ms, most {max(draws):.0f} ms "
        f"(budget: 1,000 ms) {'kept' if first < 1000 else 'MISSED'}"
    )
    for step in (30, 120):
        driver.execute_script("scrollTo(0, 0)")
        time.sleep(1)
        frames = sorted(driver.execute_async_script(SCROLL, step, 200))
        mean, p95 = statistics.fmean(frames), frames[int(len(frames) * 0.95)]
        print(
            f"  scrolled by {step} pixels a frame: {1000 / mean:.0f} frames a second, p95 {p95:.0f} ms "
            f"(budget: 50 a second) {'kept' if 1000 / mean >= 50 else 'MISSED'}"
        )
    world.close()
