"""The pictures in docs/screenshots: every main view at 1280×800, from the demo data."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from selenium.webdriver.common.by import By

from tests import world

FOLDER = world.ROOT / "docs" / "screenshots"


def click(css: str) -> Callable[[Any], None]:
    return lambda driver: driver.find_element(By.CSS_SELECTOR, css).click()


def choose(key: str) -> Callable[[Any], None]:
    script = "const held = document.querySelector(arguments[0]); held?.scrollIntoView({ block: 'center' }); return held"

    def click(driver: Any) -> None:
        for _ in range(50):
            if (held := driver.execute_script(script, f"[data-instrument={key}]")) is not None:
                held.click()
                return
            time.sleep(0.2)

    return click


def press(text: str) -> Callable[[Any], None]:
    return lambda driver: driver.find_element(By.XPATH, f"//button[normalize-space()='{text}']").click()


def hand_over(file: str) -> Callable[[Any], None]:
    def give(driver: Any) -> None:
        driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(world.ROOT / file))
        time.sleep(4)  # it is looked at first

    return give


def restate(driver: Any) -> None:
    """Have something changed since the demo's editions were published: a target, and the rows of four days."""
    client = world.running().client
    tag = client.get("/api/kpis/on-time/marks").headers["etag"]
    change = {"name": "target", "of": {"route": "Lowsay – Brae Holm"}, "since": "2026-10", "value": 0.79}
    client.post("/api/kpis/on-time/marks", json={"changes": [change], "sure": True}, headers={"If-Match": tag})
    time.sleep(2)
    driver.refresh()


# Name: address and what is done there first.
VIEWS: dict[str, tuple[str, list[Callable[[Any], None]]]] = {
    "scorecard": ("/scorecards/network-performance", []),
    "partial": ("/scorecards/network-performance?period=latest", [click(".mode")]),
    "bench": ("/scorecards/network-performance/bench", [click(".mode"), click("[data-instrument=i1] h3")]),
    "service": ("/scorecards/service-health", []),
    "assuming": ("/scorecards/sailing-cost?assume=fuel-price:1.02", [press("Compare them")]),
    "words": ("/scorecards/sailing-cost/bench", [choose("c7")]),
    "present": ("/scorecards/network-performance/present", []),
    "composite": ("/kpis/service", []),
    "rows": ("/rows", [press("Sailings")]),
    "workings": ("/scorecards/network-performance", [click("[data-instrument=i2] .press")]),
    "front": ("/", []),
    "kpi": ("/kpis/on-time", []),
    "yardstick": ("/yardsticks/punctuality", [click('button[aria-label^="Scope"]'), click(".choice:nth-of-type(2)")]),
    "markbook": ("/marks/on-time?year=2026", []),
    "data": ("/data/sailings?column=fare_revenue", []),
    "checklist": ("/data/refit-programme", []),
    "edition": ("/editions", [restate, click(".groups .card")]),
    "table": ("/data", [hand_over("docs/harbour-figures.csv")]),
}


def main() -> None:
    server, driver = world.running(), world.browser()
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, (place, steps) in VIEWS.items():
        driver.get("about:blank")
        driver.get(f"{server.address}/#{place}")
        time.sleep(1.5)
        for step in steps:
            step(driver)
            time.sleep(1)
        driver.save_screenshot(str(FOLDER / f"{name}.png"))
    world.close()


if __name__ == "__main__":
    main()
