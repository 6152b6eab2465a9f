"""The pictures in docs/screenshots: every main view at 1280×800, from the demo data."""

from __future__ import annotations

import datetime as dt
import re
import sys
import time
from collections.abc import Callable
from typing import Any

import httpx
from selenium.webdriver.common.by import By

from ironmark.store import accounts, database
from tests import world
from tests.stand_in import StandIn

WAITS = re.compile(r"(Reading|Looking)[^\n]*…|being read")  # what a view says that has not read all it shows
FOLDER = world.ROOT / "docs" / "screenshots"


def settled(driver: Any) -> None:
    """Wait until a view has read what it shows and stands still."""
    before = None
    for _ in range(120):
        now = driver.execute_script("return document.querySelector('main')?.innerText ?? ''")
        if now and now == before and not WAITS.search(now):
            return
        before = now
        time.sleep(0.5)


def click(css: str) -> Callable[[Any], None]:
    return lambda driver: driver.find_element(By.CSS_SELECTOR, css).click()


def shown(mode: str) -> Callable[[Any], None]:
    """Light or dark, whatever the picture before was taken in."""

    def press(driver: Any) -> None:
        if driver.execute_script("return document.documentElement.dataset.mode") != mode:
            click(".mode")(driver)

    return press


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
    "partial": ("/scorecards/network-performance?period=latest", [shown("dark")]),
    "bench": ("/scorecards/network-performance/bench", [click("[data-instrument=i1] h3")]),
    "service": ("/scorecards/service-health", []),
    "assuming": ("/scorecards/sailing-cost?assume=fuel-price:1.02", [press("Compare them")]),
    "words": ("/scorecards/sailing-cost/bench", [choose("c7")]),
    "present": ("/scorecards/network-performance/present", []),
    "signals": ("/kpis/booked-online/signals", []),
    "rows": ("/rows", [press("Sailings")]),
    "workings": ("/scorecards/network-performance", [click("[data-instrument=i2] .press")]),
    "front": ("/", []),
    "kpi": ("/kpis/on-time", []),
    "yardstick": ("/yardsticks/punctuality", [click('button[aria-label^="Scope"]'), click(".choice:nth-of-type(2)")]),
    "markbook": ("/marks/on-time?year=2026", []),
    "watches": ("/watches/routes-that-slip", []),
    "data": ("/data/sailings?column=fare_revenue", []),
    "checklist": ("/data/refit-programme", []),
    "edition": ("/editions", [restate, click(".groups .card")]),
    "table": ("/data", [hand_over("docs/harbour-figures.csv")]),
}


def who_reads(driver: Any, name: str) -> None:
    """Who reads a scorecard, where everybody signs in."""
    server = world.Running("--sign-in").start()
    world.at_the_end(server.close)
    with world.straight_to(server) as engine, database.sessions(engine).begin() as session:
        first = accounts.make_pass(session, "owner", dt.timedelta(hours=1))
    client, password = server.client, "three wet dogs bark"
    owner = {"mail": "wren@hollin.example", "name": "Wren Alder", "password": password}
    client.post(f"/api/sign-in/pass/{first}", json=owner).raise_for_status()
    ids = {}
    for called, role in (
        ("Isla Marsh", "reader"),
        ("Tam Birk", "keeper"),
        ("Oda Fell", "analyst"),
        ("Nils Reed", "analyst"),
    ):
        mail = f"{called.split()[0].lower()}@hollin.example"
        path = client.post("/api/people", json={"mail": mail, "name": called, "role": role}).json()["path"]
        with httpx.Client(base_url=server.address, timeout=60) as own:
            own.post(f"/api/sign-in/pass/{path.split('/')[-1]}", json={"password": password}).raise_for_status()
            ids[called] = own.get("/api/me").json()["id"]
    teams = {
        team: client.post("/api/teams", json={"name": team, "people": [ids[one] for one in people]}).json()["id"]
        for team, people in (("The Skarra team", ["Isla Marsh"]), ("The Reporting desk", ["Oda Fell", "Nils Reed"]))
    }

    def opened(kind: str, key: str, **slots: Any) -> None:
        held = client.get(f"/api/openings/{kind}/{key}").json()
        head = {"If-Match": f'"{held["version"]}"'}
        client.put(f"/api/openings/{kind}/{key}", json=held["body"] | slots, headers=head).raise_for_status()

    desk, skarra = f"team:{teams['The Reporting desk']}", f"team:{teams['The Skarra team']}"
    rule = {"who": skarra, "segment": "route", "members": ["Hollin – Skarra", "Skarra – Eddy Isle"]}
    opened("scorecard", "network-performance", read=["everyone"], change=[desk])
    opened("dataset", "sailings", rules=[rule])
    opened("kpi", "on-time", marks=["makers", f"person:{ids['Tam Birk']}"])
    ask = {
        "name": "Night harbour display",
        "verbs": ["read"],
        "scorecards": ["network-performance"],
        "until": "2027-03-31",
    }
    client.post("/api/tokens", json=ask).raise_for_status()
    driver.get(f"{server.address}/#/")
    driver.add_cookie({"name": "ironmark", "value": client.cookies["ironmark"], "path": "/"})
    driver.get("about:blank")
    driver.get(f"{server.address}/#/people/scorecard/network-performance")
    time.sleep(2)
    driver.find_element(By.XPATH, "//button[contains(@class, 'row')][contains(., 'Isla')]").click()
    time.sleep(2)
    driver.save_screenshot(str(FOLDER / f"{name}.png"))
    driver.delete_all_cookies()


def mail(driver: Any, name: str) -> None:
    """What comes by mail when a route falls."""
    smtp = world.free_port()
    inbox, client = StandIn("mail", "--smtp-port", str(smtp)), world.running().client
    told = {
        "host": "127.0.0.1",
        "port": smtp,
        "tls": "no",
        "sender": "marks@hollin.example",
        "home": "https://marks.example",
    }
    client.put("/api/sending", json=told, headers={"If-Match": client.get("/api/sending").headers["etag"]})
    watch = {"name": "Routes that slip", "kpi": "on-time", "by": "route", "asks": "falls", "state": "near"}
    client.post("/api/watches", json=watch | {"mails": ["operations@hollin.example"]}).raise_for_status()
    time.sleep(3)  # what is so already is no news
    tag = client.get("/api/kpis/on-time/marks").headers["etag"]
    change = {"name": "target", "of": {"route": "Tarn Point – Lowsay"}, "since": "2026-10", "value": 0.99}
    client.post("/api/kpis/on-time/marks", json={"changes": [change], "sure": True}, headers={"If-Match": tag})
    world.until(inbox.came, bool)
    driver.get(f"{str(inbox.client.base_url).rstrip('/')}/messages/0.html")
    time.sleep(1)
    driver.save_screenshot(str(FOLDER / f"{name}.png"))
    inbox.close()


def main(*only: str) -> None:
    """only: the pictures that are taken; all of them where none is named."""
    driver = world.browser()
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, (place, steps) in VIEWS.items():
        if only and name not in only:
            continue
        driver.get("about:blank")
        driver.get(f"{world.running().address}/#{place}")
        settled(driver)
        for step in (shown("light"), *steps):
            step(driver)
            settled(driver)
        driver.save_screenshot(str(FOLDER / f"{name}.png"))
    if not only or "who-reads" in only:
        who_reads(driver, "who-reads")
    if not only or "mail" in only:
        mail(driver, "mail")
    world.close()


if __name__ == "__main__":
    main(*sys.argv[1:])
