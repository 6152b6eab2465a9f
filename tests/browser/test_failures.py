"""When things go wrong: the server or the database away, somebody else first, nothing at all yet."""

import os
import signal
import time

from selenium.webdriver.common.keys import Keys

from tests import world
from tests.browser.page import PageTest


class Away(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.server = world.Running().start()
        self.client = self.server.client
        self.addCleanup(self.server.close)

    def test_what_was_typed_while_the_server_was_away_is_saved_when_it_is_back(self) -> None:
        self.open("/scorecards/network-performance/bench")
        self.see("Close the bench")
        self.server.kill()
        self.type("Scorecard title", "Typed while away")
        self.see("The server does not answer", "not saved yet")
        self.server.start()
        self.wait(
            lambda: self.body("scorecards", "network-performance")["title"] == "Typed while away", "it is tried again"
        )
        self.gone("The server does not answer")
        self.see("saved")

    def test_a_server_killed_while_saving_leaves_nothing_half_done(self) -> None:
        body = self.body("scorecards", "network-performance")
        for turn in range(3):
            tag = self.client.get("/api/scorecards/network-performance").headers["etag"]
            body["title"] = f"Turn {turn}"
            os.kill(self.server.database_pid, signal.SIGKILL) if turn == 1 else None
            try:
                status = self.client.put(
                    "/api/scorecards/network-performance", json=body, headers={"If-Match": tag}, timeout=8
                ).status_code
            except Exception:
                status = 0
            self.server.kill()
            self.server.start()
            kept = self.body("scorecards", "network-performance")
            self.assertEqual(len(kept["sections"]), len(body["sections"]))
            if status == 200:
                self.assertEqual(kept["title"], f"Turn {turn}", "what was confirmed is there")

    def test_the_database_away_is_said_and_passes(self) -> None:
        self.open("/scorecards/network-performance")
        self.see("Reading October 2026")
        os.kill(self.server.database_pid, signal.SIGKILL)
        self.slot("Period")
        self.choose("September 2026")
        until = time.monotonic() + 15
        while "Reading September 2026" not in self.text() and time.monotonic() < until:
            for button in self.all("[role=alert] button"):
                button.click()
            time.sleep(0.3)
        self.see("Reading September 2026")


class Empty(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.server = world.Running("--no-demo").start()
        self.client = self.server.client
        self.addCleanup(self.server.close)

    def test_every_view_without_anything_offers_the_next_step(self) -> None:
        for place, says in (
            ("/", "Paste a table"),
            ("/rows", "Upload a file"),
            ("/kpis", "Upload a table under Data first, or have KPIs proposed from rows"),
            ("/yardsticks", "There is no yardstick yet. One grades a KPI: write a KPI first"),
            ("/editions", "Make an edition"),
            ("/editions/calendar", "Make a scorecard first"),
            ("/marks", "Write a KPI first"),
            ("/data", "Drop a file here"),
        ):
            with self.subTest(place):
                self.open(place)
                self.see(says)
        self.open("/")
        self.press("an empty scorecard")
        self.wait(lambda: self._click('button[aria-label^="Choose its KPI"]'))
        self.see("There is no KPI yet.")
        self.open("/")
        self.press("Delete New scorecard")
        self.see("Paste a table", "Deleted “New scorecard”.")
        self.press("Take back")
        self.named("Delete New scorecard")


class SlowNetwork(PageTest):
    def test_saves_that_wait_follow_one_another(self) -> None:
        key = self.make("scorecards", {"title": "Slow", "sections": []})
        self.open(f"/scorecards/{key}/bench")
        self.see("Close the bench")
        self.driver.set_network_conditions(offline=False, latency=1200, throughput=5_000_000)
        try:
            for title in ("One", "Two", "Three"):
                self.type("Scorecard title", title)
                time.sleep(0.7)  # longer than the pause before a save, shorter than a save takes
            self.wait(lambda: self.body("scorecards", key)["title"] == "Three", "the last of them is kept")
        finally:
            self.driver.delete_network_conditions()
        self.see("saved")
        self.assertNotIn("changed elsewhere", self.text().lower())


class SomebodyElse(PageTest):
    def test_a_kpi_changed_elsewhere_keeps_what_is_typed_here(self) -> None:
        key = self.make("kpis", {"handle": "both", "name": "Both", "dataset": "sailings", "formula": "count()"})
        self.open(f"/kpis/{key}")
        self.type("Name of the KPI", "Mine", enter=False)
        theirs = self.body("kpis", key) | {"name": "Theirs"}
        self.client.put(f"/api/kpis/{key}", json=theirs, headers={"If-Match": '"1"'}).raise_for_status()
        self.press("Save changes")
        self.see("This KPI was changed elsewhere meanwhile.")
        self.assertEqual(self.one('[aria-label="Name of the KPI"]').get_attribute("value"), "Mine")
        self.press("Save changes")
        self.see("Saved.")
        self.assertEqual(self.body("kpis", key)["name"], "Mine")

    def test_a_mark_book_changed_elsewhere_is_loaded_again(self) -> None:
        key = self.make("kpis", {"handle": "both", "name": "Both", "dataset": "sailings", "formula": "count()"})
        self.open(f"/marks/{key}?year=2026")
        self.see("Each route")
        change = {"changes": [{"name": "target", "since": "2026-01", "value": 1400}]}
        self.client.post(f"/api/kpis/{key}/marks", json=change, headers={"If-Match": '"0"'}).raise_for_status()
        self.wait(lambda: self._click('[data-cell="0-5"]'))
        self.keys("1500", Keys.ENTER)
        self.see("The mark book was changed elsewhere meanwhile.")
        self.wait(lambda: self.one('[data-cell="0-0"]').text == "1,400")

    def test_a_dataset_changed_elsewhere_is_loaded_again(self) -> None:
        made = self.client.post("/api/datasets", files={"file": ("both.csv", b"day,route,x\n2026-01-02,a,1\n")}).json()
        self.addCleanup(self.drop, "datasets", made["id"])
        self.open(f"/data/{made['id']}")
        self.see("Both")
        columns = [{"name": c["name"], "label": c["label"], "role": c["role"]} for c in made["columns"]]
        self.client.patch(
            f"/api/datasets/{made['id']}", json={"name": "Theirs", "columns": columns}, headers={"If-Match": '"1"'}
        ).raise_for_status()
        self.slot("Role of route")
        self.choose("text")
        self.see("It was loaded again; make your change once more.", "Theirs")
