"""Reading: the scorecards, one of them, its scope, the partial month, workings; small windows and keys."""

from selenium.webdriver.common.keys import Keys

from tests.browser.page import PageTest

CARD = "/scorecards/network-performance"


class Scorecards(PageTest):
    def test_a_newcomer_finds_the_demo_and_opens_it(self) -> None:
        self.open("/")
        self.see("Network performance", "October 2026", "Changed state")
        self.press("Network performance", "a")
        self.see("Reading October 2026 for everything", "Punctuality", "91.4%", "0.6 points under target 92%")
        self.assertEqual(len(self.all("[data-instrument]")), 14)

    def test_a_scorecard_is_made_named_and_deleted(self) -> None:
        self.sweep("scorecards")
        self.open("/scorecards")
        self.press("New scorecard")
        self.see("Close the bench")
        self.type("Scorecard title", "Äußerst <script>alert(1)</script> 路线")
        self.see("saved just now")
        self.press("Close the bench")
        self.see("Äußerst <script>alert(1)</script> 路线")
        self.open("/scorecards")
        self.press("Delete Äußerst <script>alert(1)</script> 路线")
        self.see("Deleted “Äußerst")
        self.press("Take back")
        self.wait(lambda: self.all('[aria-label^="Delete Äußerst"]'))
        self.press("Delete Äußerst <script>alert(1)</script> 路线")
        self.wait(lambda: not self.all('[aria-label^="Delete Äußerst"]'))

    def test_an_address_of_nothing_says_so(self) -> None:
        self.open("/scorecards/nowhere")
        self.see("This scorecard is gone")
        self.open("/nowhere")
        self.see("There is no such page")


class Reading(PageTest):
    def test_the_tally_and_every_state_are_told_in_words(self) -> None:
        self.open(CARD)
        self.see("3 Short", "10 Near", "21 Met", "4 Beyond", "1 not graded", "2 no reading")
        spoken = [e.get_attribute("aria-label") or "" for e in self.all("[data-instrument=i1] button")]
        self.assertIn("On-time departures, 91.4%, near, 0.6 points under target 92%; within its usual variation, 88.1% to 94.9%. Open the workings", spoken)  # fmt: skip

    def test_another_month_is_read_by_reload_and_back_too(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        self.slot("Period")
        self.choose("The latest month")
        self.see("Reading November 2026", "21 of 30 days", "November is partial: 21 of 30 days, marks pro-rated")
        self.wait(lambda: self.all("[data-instrument=i5] pattern"), "a partial bar is hatched")
        self.driver.refresh()
        self.see("Reading November 2026")
        self.slot("Period")
        self.choose("January 2026")
        self.see("Reading January 2026")
        row = self.one('[data-instrument=i2] button[aria-label*="Lowsay – Brae Holm"]')
        self.assertIn("no reading, no rows in January 2026", row.get_attribute("aria-label") or "")
        self.driver.back()
        self.see("Reading November 2026")
        self.driver.back()
        self.see("Reading October 2026")

    def test_months_that_are_no_neighbours_are_read_together(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        self.slot("Period")
        self.press("several together, neighbours or not", "label")
        self.choose("August 2026")
        self.see("Reading Aug 2026 and Oct 2026")
        self.choose("September 2026")
        self.see("Reading Aug 2026 – Oct 2026")
        self.choose("October 2026")
        self.choose("August 2026")
        self.see("Reading September 2026")
        self.driver.back()
        self.see("Reading Aug 2026")

    def test_single_members_are_read_and_every_instrument_follows(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        self.slot("Narrow by")
        self.choose("route")
        self.slot("route")
        self.choose("Night freight")
        self.keys(Keys.ESCAPE)
        self.see(
            "for Night freight and all else", "8.5 points over target 85%", "not split by route: all rows are read"
        )
        self.wait(lambda: len(self.all("[data-instrument=i2] .item .name")) == 1, "one member is left in the list")
        self.press("back to the scorecard’s own scope")
        self.see("0.6 points under target 92%")

    def test_workings_of_a_reading_and_of_a_member(self) -> None:
        self.open(CARD)
        self.wait(lambda: self._click('[data-instrument=i1] button[aria-label^="On-time"]'))
        self.see(
            "Workings",
            "count(where delay_minutes <= 5)",
            "from the mark book: everyone, from Apr 2026",
            "→ Near",
            "To reach Met",
        )
        self.keys(Keys.ESCAPE)
        self.gone("Workings")
        self.wait(lambda: self._click('[data-instrument=i6] button[aria-label*="Tarn Point"]'))
        self.see("not graded: no target for Tarn Point – Lowsay in the mark book", "Set the target in the mark book")
        self.press("Close")
        self.gone("Workings")

    def test_an_instrument_past_its_axis_carries_the_overrun_sign(self) -> None:
        self.open(f"{CARD}?period=2026-07")
        self.see("Reading July 2026")
        self.wait(lambda: self.all("[data-instrument=i5] .overrun"), "July’s revenue runs past its target")

    def test_it_fits_without_scrolling_sideways(self) -> None:
        for width in (1920, 1280, 1024, 390):
            self.screen(width, 800)
            for place in (CARD, f"{CARD}/bench", "/scorecards", "/kpis", "/yardsticks", "/marks", "/data"):
                with self.subTest(width=width, place=place):
                    self.open(place)
                    self.wait(lambda: len(self.text()) > 120)
                    wide = "return document.documentElement.scrollWidth - document.documentElement.clientWidth"
                    self.assertLessEqual(self.driver.execute_script(wide), 0)

    def test_dark_is_kept(self) -> None:
        self.open(CARD)
        self.press("Dark")
        self.driver.refresh()
        self.see("Reading October 2026", "Paper")
        self.assertEqual(self.driver.execute_script("return document.documentElement.dataset.mode"), "dark")
        self.press("Paper")

    def test_tabs_follow_the_order_of_reading(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        self.driver.execute_script("document.querySelector('.brand').focus()")
        said = []
        for _ in range(30):
            self.keys(Keys.TAB)
            said.append(
                self.driver.execute_script(
                    "const e = document.activeElement; return e.getAttribute('aria-label') || e.innerText"
                )
            )
        places = ["Scorecards", "KPIs", "Yardsticks", "Mark book", "Data", "Editions", "Watches"]
        self.assertRegex(said[8], r"^Data through: .*21 Nov 2026\. Change$")
        self.assertEqual([*said[:8], *said[9:11]], [*places, "Find /", "Your name: you. Change", "Dark"])
        acts = [text.partition(":")[0] for text in said[11:17]]
        self.assertEqual(acts, ["Make an edition", "Take out", "Share", "Watch", "Present", "Open the bench"])
        # The scope, the tally, what is asked, the section, its first sheet: its note, then its reading.
        rest = [next(at for at, text in enumerate(said) if text.startswith(begin)) for begin in (
            "Period", "3", "2 without a word", "–", "A note on this sheet", "On-time departures, 91.4%",
        )]  # fmt: skip
        self.assertEqual(rest, sorted(rest), said)
        self.assertEqual(rest[0], 17)


class Assuming(PageTest):
    """Sliders of a page that depends on assumptions."""

    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(self.drop)

    def drop(self) -> None:
        for case in self.client.get("/api/cases").json():
            if case["id"] not in ("dear-fuel", "new-rota", "both"):
                self.client.delete(f"/api/cases/{case['id']}", headers={"If-Match": f'"{case["version"]}"'})

    def shown(self) -> str:
        return str(self.one("[data-instrument=c1] .figure").text)

    def test_presses_that_come_fast_are_all_gone_to(self) -> None:
        self.open("/scorecards/network-performance")
        self.see("Reading October 2026")
        press = "document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowLeft', bubbles: true }))"
        self.driver.execute_script(f"for (let n = 0; n < 3; n++) {press}")
        self.see("Reading July 2026")
        self.wait(lambda: "period=2026-07" in self.driver.current_url)
        self.keys(Keys.ARROW_RIGHT)
        self.see("Reading August 2026")
        self.wait(lambda: "period=2026-08" in self.driver.current_url)
        self.driver.back()
        self.see("Reading July 2026")

    def slide(self, steps: int) -> None:
        self.driver.execute_script("document.querySelector('.assuming input[type=range]').focus()")
        self.keys(*[Keys.ARROW_RIGHT] * steps)

    def test_a_slider_is_moved_and_the_whole_page_is_read_with_it(self) -> None:
        self.open("/scorecards/sailing-cost")
        self.see("Fuel price", "£0.92", "as kept")
        before = self.shown()
        self.slide(10)
        self.see("£1.02", "Tried, not kept.", "back to £0.92")
        self.wait(lambda: self.shown() != before)
        self.wait(lambda: "tried" in self.one("[data-instrument=c1]").text)
        tried = self.shown()
        self.wait(lambda: "assume=fuel-price%3A1.02" in self.driver.current_url)
        self.driver.refresh()
        self.see("Tried, not kept.")
        self.wait(lambda: self.shown() == tried)
        self.press("Back to what is kept")
        self.wait(lambda: self.shown() == before)
        self.gone("Tried, not kept.")
        held = self.client.get("/api/assumptions/fuel-price").json()
        self.assertEqual(held["body"]["value"], 0.92)

    def test_cases_are_kept_compared_and_thrown_away(self) -> None:
        self.open("/scorecards/sailing-cost")
        self.press("Dear fuel")
        self.see("£1.05")
        self.slide(5)
        self.see("£1.10")
        self.press("Keep as a case…")
        self.type("Name of the case", "Dearer still")
        self.wait(lambda: any(case["body"]["name"] == "Dearer still" for case in self.client.get("/api/cases").json()))
        self.press("Compare them")
        self.see("As kept", "As tried now", "Dear fuel", "New crew rota", "Cost of a sailing, Night freight")
        self.press("Throw Dearer still away")
        self.see("“Dearer still” was thrown away.")
        self.press("Take it back")
        self.wait(lambda: any(case["body"]["name"] == "Dearer still" for case in self.client.get("/api/cases").json()))

    def test_one_is_named_changed_and_deleted(self) -> None:
        self.open("/kpis/assumptions")
        self.type("Name of a new assumption", "Berth fee")
        self.see("@berth_fee", "No formula names it yet")
        self.driver.execute_script(
            "document.querySelector('section[aria-label=\"Berth fee\"] [aria-label=Value]').focus()"
        )
        self.keys("1.5", Keys.ENTER)
        self.wait(lambda: [a["body"]["value"] for a in self.client.get("/api/assumptions").json()][-1] == 1.5)
        self.press("Delete Berth fee")
        self.press("Delete “Berth fee”")
        self.gone("@berth_fee")
