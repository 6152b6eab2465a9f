"""Watches at the screen: the sentence, what it would have sent, an inbox that fills by itself."""

from __future__ import annotations

import unittest
from typing import Any

from selenium.webdriver.common.keys import Keys
from sqlalchemy import text

from tests import world
from tests.browser.page import PageTest


class Watches(PageTest):
    def forget(self, name: str) -> None:
        for one in self.client.get("/api/watches").json():
            if one["body"]["name"] == name:
                self.drop("watches", one["id"])

    def body_of(self, name: str) -> Any:
        return next(
            (one["body"] for one in self.client.get("/api/watches").json() if one["body"]["name"] == name), None
        )

    def test_the_demo_shows_what_it_would_have_sent_and_what_it_has(self) -> None:
        self.open("/watches/routes-that-slip")
        self.see(
            "Routes that slip", "What it would have sent", "Lowsay – Brae Holm", "told", "operations@hollin.example"
        )
        self.assertEqual(len(self.all(".strips .cells[role=img]")), 6)
        told = [one.get_attribute("title") for one in self.all(".cell") if "told" in (one.get_attribute("title") or "")]
        self.assertTrue(told)
        self.assertTrue(all("Short" in (one or "") for one in told))

    def test_one_is_made_from_a_kpi_by_its_sentence_and_kept(self) -> None:
        name = "Decks <b>that</b> fill 満"
        self.addCleanup(self.forget, name)
        self.open("/kpis/on-time")
        self.press("Watch")
        self.see("shows a signal", "What it would have sent")
        self.slot("Whose")
        self.choose("each vessel")
        self.keys(Keys.ESCAPE)
        self.slot("Question")
        self.choose("falls to a state")
        self.choose("Near")
        self.see("falls to Near", "Sandpiper")
        self.slot("How long it has to last")
        field = self.one(".slot-panel input[max='24']")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("2", Keys.TAB)
        self.keys(Keys.ESCAPE)
        self.see("stays for 2 readings")
        self.slot("What has to be before it counts again")
        self.type("How far back over the cut", "1,5")
        self.keys(Keys.ESCAPE)
        self.slot("When it is sent")
        self.choose("in one message a day")
        self.keys(Keys.ESCAPE)
        self.see("in one message a day, at 07:00")
        self.type("What the watch is called", name)
        self.press("Keep this watch")
        body = self.wait(lambda: self.body_of(name))
        self.assertEqual(
            (body["by"], body["asks"], body["state"], body["stays"], body["when"]),
            ("vessel", "falls", "near", 2, "daily"),
        )
        self.see("Nothing yet", name)
        self.press("Pause")
        self.wait(lambda: self.body_of(name)["paused"])
        self.see("paused")
        self.press("Go on")
        self.wait(lambda: not self.body_of(name)["paused"])

    def test_a_message_comes_to_the_front_page_by_itself_and_is_read(self) -> None:
        watch = {"name": "Quick", "kpi": "on-time", "by": "route", "asks": "falls", "state": "near"}
        key = self.make("watches", watch)

        def has_looked() -> bool:
            with world.engine().connect() as open_:
                return bool(open_.execute(text("SELECT stamp FROM watches WHERE id = :key"), {"key": key}).scalar_one())

        world.until(has_looked, bool)  # what is so already is no news
        self.client.post("/api/inbox/read").raise_for_status()  # also of what other tests had told
        self.open("/")
        self.see("Changed state")
        tag = self.client.get("/api/kpis/on-time/marks").headers["etag"]
        change = {"name": "target", "of": {"route": "Tarn Point – Lowsay"}, "since": "2026-10", "value": 0.99}
        back = self.client.post(
            "/api/kpis/on-time/marks", json={"changes": [change], "sure": True}, headers={"If-Match": tag}
        )
        self.addCleanup(self.undo, back.json()["back"])
        self.see("1 not read", "under target 99%")
        self.press("Read", ".inbox button")
        self.gone("1 not read")
        self.open(f"/watches/{key}")
        self.see("one inbox", "Tarn Point – Lowsay")
        self.press("Send a trial")
        self.see("A trial")

    def undo(self, back: list[dict[str, Any]]) -> None:
        tag = self.client.get("/api/kpis/on-time/marks").headers["etag"]
        self.client.post("/api/kpis/on-time/marks", json={"changes": back, "sure": True}, headers={"If-Match": tag})

    def test_anything_on_a_scorecard_and_sending_without_a_host(self) -> None:
        self.open("/scorecards/network-performance")
        self.press("Watch")
        self.see("shows a signal", "Network performance", "What it would have sent")
        self.open("/watches/sending")
        self.see("No host may be sent to", "Mail server", "Not sent")
        self.open("/upkeep")
        self.see("Database", "Messages", "all are answered")

    def test_it_fits_a_phone(self) -> None:
        self.screen(390, 844, mobile=True)
        for place in (
            "/watches/routes-that-slip",
            "/watches/new?kpi=on-time&by=route",
            "/watches/sending",
            "/upkeep",
            "/",
        ):
            with self.subTest(place):
                self.open(place)
                self.rest()
                wide = self.driver.execute_script("return document.documentElement.scrollWidth - innerWidth")
                self.assertLessEqual(wide, 1)


if __name__ == "__main__":
    unittest.main()
