"""Signals at the screen: rings on the wall, the page of one reading by its sentence, named days, the front page's folds."""

from __future__ import annotations

from typing import Any

from selenium.webdriver.common.by import By

from tests import world
from tests.browser.page import PageTest


class Signals(PageTest):
    def heading(self) -> str:
        return self.one("h1").text

    def test_a_reading_is_asked_about_by_its_sentence(self) -> None:
        self.open("/kpis/booked-online/signals?period=2026-10")
        self.see("Booked online, October 2026", "A signal.")
        self.assertGreaterEqual(len(self.wait(lambda: self.all(".each .ring"))), 3)
        self.assertTrue(self.all(".history .ring"))
        self.slot("Whose")
        self.choose("Hollin – Skarra")
        self.wait(lambda: "member=Hollin" in self.driver.current_url)
        self.wait(lambda: "Hollin – Skarra" in self.one(".sentence").text)
        self.slot("Grain")
        self.choose("week by week")
        self.wait(lambda: "Week" in self.heading())
        self.driver.back()
        self.wait(lambda: "October 2026" in self.heading())
        self.slot("Against")
        self.choose("its target")
        self.wait(lambda: self.all("[aria-label='What moved it'] svg[aria-label^='target']"))

    def test_it_follows_a_source_that_has_not_answered_yet(self) -> None:
        with world.bookings_hang(self.client):
            self.open("/kpis/booked-online/signals?period=2026-10")
            self.see("“Bookings” has not answered yet")
        self.see("Booked online, October 2026", "A signal.")
        self.assertNotIn("has not answered yet", self.text())

    def test_steps_are_told_and_pressing_a_member_reads_it(self) -> None:
        self.open("/kpis/on-time/signals?period=2026-10&by=route")
        stairs = self.wait(lambda: self.all("[aria-label='What moved it'] svg[aria-label*='Lowsay']")[0])
        told = stairs.get_attribute("aria-label").split("; ")
        ends = [float(told[at].rsplit(" ", 1)[1].rstrip("%")) for at in (0, -1)]
        steps = [float(step.rsplit(" ", 2)[1].replace("−", "-")) for step in told[1:-1]]
        self.assertAlmostEqual(sum(steps), ends[1] - ends[0], places=6)
        self.slot("By")
        self.choose("factor")
        self.wait(lambda: self.all("[aria-label='What moved it'] svg[aria-label*='divided by']"))
        self.press("workings", "button")
        self.see("lower limit, middle − 3 × that")
        row = self.wait(lambda: next((one for one in self.all(".each .row") if "Night freight" in one.text), None))
        row.click()
        self.wait(lambda: "member=Night" in self.driver.current_url)
        self.see("Night freight")

    def test_from_workings_and_from_the_kpi(self) -> None:
        self.open("/scorecards/network-performance?period=2026-10")
        self.wait(lambda: self._click("[data-instrument=i2] .press"))
        self.see("Usual range")
        self.press("Is it a signal?")
        self.wait(lambda: "/signals?period=2026-10&segment=route&member=" in self.driver.current_url)
        self.open("/kpis/on-time")
        self.press("Signals")
        self.see("Met → Near is within its usual variation.")
        self.see("winter timetable ended")

    def test_a_day_is_named_with_its_reason(self) -> None:
        kept = self.client.get("/api/kpis/deck-load").json()
        self.addCleanup(self.put_back, kept["body"])
        self.open("/kpis/deck-load")
        self.slot("Named days")
        field = self.one("input[aria-label=From]")
        self.driver.execute_script(
            "arguments[0].value = '2026-01-12'; arguments[0].dispatchEvent(new Event('input', { bubbles: true }));"
            "arguments[0].dispatchEvent(new Event('blur'))", field,
        )  # fmt: skip
        self.one("form input[maxlength='120']").send_keys("Two <b>decks</b> closed")
        self.press("Name this day")
        self.press("Save changes")
        self.wait(lambda: self.client.get("/api/kpis/deck-load").json()["body"]["named_dates"])
        self.open("/kpis/deck-load/signals")
        self.wait(
            lambda: any("Two <b>decks</b> closed" in one.get_property("textContent") for one in self.all("text.why"))
        )

    def test_a_day_of_the_rows_is_named_where_they_stand(self) -> None:
        self.open("/data/sailings")
        self.slot("Named days")
        self.one("form input[maxlength='120']").send_keys("Pier <i>closed</i>")
        field = self.one(".slot-pane input[aria-label=From], input[aria-label=From]")
        self.driver.execute_script(
            "arguments[0].value = '2026-02-02'; arguments[0].dispatchEvent(new Event('input', { bubbles: true }));"
            "arguments[0].dispatchEvent(new Event('blur'))", field,
        )  # fmt: skip
        self.press("Name this day")
        self.wait(lambda: self.client.get("/api/datasets/sailings").json()["named_dates"])
        self.one('button[aria-label^="Take out Pier"]').click()
        self.wait(lambda: not self.client.get("/api/datasets/sailings").json()["named_dates"])

    def put_back(self, body: dict[str, Any]) -> None:
        now = self.client.get("/api/kpis/deck-load").json()
        self.client.put("/api/kpis/deck-load", json=body, headers={"If-Match": f'"{now["version"]}"'})

    def test_the_wall_rings_signals_and_leaves_few_rows_open(self) -> None:
        self.open("/scorecards/service-health?period=2026-10")
        self.wait(lambda: self.all(".sign .ring"), "a signal is ringed")
        self.see("1 signal")
        self.open("/scorecards/network-performance?period=2026-10")
        self.wait(lambda: self.all("[data-instrument=i2] .sign .hollow"), "few rows are open")
        self.open("/scorecards/network-performance?period=2026-11")
        self.wait(lambda: self.all("[data-instrument=i2] circle.heading"), "where it is going")
        self.see("on its way to")

    def test_the_front_page_folds_what_usual_variation_explains(self) -> None:
        def told() -> bool:
            rows = self.client.get("/api/front").json()["changed"]
            return any(row["usual"] for row in rows) and any(row["partial"] for row in rows)

        self.wait(told)
        self.open("/")
        fold = self.wait(
            lambda: next((b for b in self.all("button") if "within their usual variation" in b.text), None)
        )
        before = len(self.all(".changed li a"))
        fold.click()
        self.wait(lambda: len(self.all(".changed li a")) > before)
        self.assertTrue(self.all("button[aria-expanded=true]"))
        self.wait(lambda: any("usual " in one.text for one in self.all(".changed li")))

    def test_it_fits_a_phone_and_says_everything_without_a_mouse(self) -> None:
        self.driver.set_window_size(420, 900)
        self.addCleanup(self.driver.set_window_size, 1280, 800)
        self.open("/kpis/on-time/signals?period=2026-10")
        self.see("On-time departures, October 2026")
        wide = self.driver.execute_script("return document.documentElement.scrollWidth - innerWidth")
        self.assertLessEqual(wide, 1)
        strip = self.one(".strip").find_elements(By.CSS_SELECTOR, "[role=listitem]")
        self.assertTrue(all(part.get_attribute("title") for part in strip))

    def test_a_kpi_without_history_says_so(self) -> None:
        body = {"file": ("Sola.csv", "dan,šola,učenci\n2026-09-01,Vrh <i>,31\n".encode())}
        data = self.client.post("/api/datasets", files=body).json()["id"]
        kpi = {"handle": "ucenci", "name": "Učenci", "dataset": data, "formula": "sum(učenci)", "nature": "flow"}
        key = self.client.post("/api/kpis", json=kpi).json()["id"]
        self.open(f"/kpis/{key}/signals")
        self.see("Too early to tell", "Vrh <i>")
        self.open("/kpis/gone/signals")
        self.wait(lambda: self.all("[role=alert]"))
