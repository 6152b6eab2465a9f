"""The front page, notes, finding, reading by keys, presenting, and a scorecard from pasted rows, as people do them."""

from selenium.webdriver.common.keys import Keys

from tests.browser.page import PageTest

CARD = "/scorecards/network-performance"
# What is pressed and is lower than a finger: words in a sentence reach beyond their line, which counts.
SMALL = """
return [...document.querySelectorAll('main :is(button, a, input, textarea, select), .side-panel :is(button, a, textarea)')]
  .filter((one) => one.checkVisibility({ visibilityProperty: true }) && one.tabIndex >= 0)
  .map((one) => {
    const beyond = getComputedStyle(one, '::after')
    const reach = beyond.content !== 'none' && beyond.position === 'absolute' ? parseFloat(beyond.height) : 0
    return [one.ariaLabel || one.innerText, Math.round(Math.max(reach, one.getBoundingClientRect().height))]
  })
  .filter(([, high]) => high > 0 && high < 44)
"""
NIGHT = '[data-instrument=i2] button[aria-label*="Night freight"]'


class FrontPage(PageTest):
    def test_the_day_begins_with_what_changed_and_what_is_asked(self) -> None:
        self.open("/")
        self.see("Changed state", "Asked of you", "2 readings without a word")
        self.wait(lambda: len(self.all(".card .stamps path")) > 20, "scorecards are drawn small")
        self.press("Write")
        self.see("Network performance", "Workings", "Keep the note")
        self.driver.refresh()
        self.see("Keep the note")
        self.press("Close", ".side-panel button")
        self.wait(lambda: "-reading" not in self.driver.current_url, "the address is the page's own again")

    def test_what_changed_opens_its_reading(self) -> None:
        self.open("/")
        self.press_row("Lowsay – Brae Holm · On-time departures")
        self.see("Workings", "Fog on 9–12 October", "9.1 points under target 88%")

    def press_row(self, name: str) -> None:
        self.wait(lambda: self.all(".changed .more"), "what usual variation explains is folded")
        for more in self.all(".changed .more"):
            more.click()
        row = self.wait(lambda: next((r for r in self.all(".rows li > a") if name in r.text), None))
        self.driver.execute_script("arguments[0].scrollIntoView({ block: 'center' })", row)
        row.click()

    def test_pins_and_folders_are_kept(self) -> None:
        self.open("/")
        self.press("Pin Fleet readiness")
        self.wait(lambda: self.all(".card h3")[0].text == "Fleet readiness")
        self.slot("Folder")
        self.choose("Planning")
        self.wait(lambda: [card.text for card in self.all(".card h3")] == ["What a sailing costs"])
        self.driver.refresh()
        self.wait(lambda: self.all(".card h3") and self.all(".card h3")[0].text == "Fleet readiness")
        self.press("Unpin Fleet readiness")


class Notes(PageTest):
    def take_back(self) -> None:
        about = {"kpi": "on-time", "members": {"route": ["Night freight"]}, "period": "2026-10"}
        version = self.client.post("/api/notes/about", json=about).json()["version"]
        self.client.put("/api/notes", json=about | {"text": ""}, headers={"If-Match": f'"{version}"'})

    def test_a_note_is_written_by_keyboard_seen_on_the_sheet_and_taken_back(self) -> None:
        self.addCleanup(self.take_back)
        self.open(CARD)
        self.one(NIGHT).send_keys(Keys.ENTER)
        self.press("Say why it is 93.5%")
        area = self.one('textarea[aria-label="Note"]')
        area.send_keys("A **calm** month: {on_t")
        self.wait(lambda: self.all("[role=option]"), "handles are offered")
        area.send_keys(Keys.ARROW_DOWN, Keys.ARROW_UP, Keys.ENTER)
        self.wait(lambda: "{on_time}" in (area.get_attribute("value") or ""))
        self.press("Keep the note")
        self.see("A calm month:")
        self.press("Close")
        self.wait(lambda: self.all(f"{NIGHT} ~ .shown .slip"), "the row has the sign")
        self.driver.refresh()
        self.wait(lambda: self.all(f"{NIGHT} ~ .shown .slip"))
        self.one(NIGHT).click()
        self.press("Take back")
        self.see("Say why it is 93.5%")
        self.press("How it read before")
        self.see("A **calm** month: {on_time}", "taken back")

    def test_notes_of_a_sheet_are_read_beside_it(self) -> None:
        self.open(CARD)
        self.press("A note on this sheet", "[data-instrument=i2] button")
        self.see("Fog on 9–12 October held", "81.2%")


class Reading(PageTest):
    def test_a_part_of_the_tally_leaves_only_its_readings_bright(self) -> None:
        self.open(CARD)
        self.wait(lambda: self.all(".tally button"))
        self.one(".tally button").click()
        self.wait(lambda: self.all("[data-instrument].dim"), "other sheets are dimmed")
        self.wait(lambda: "-lit=short" in self.driver.current_url)
        self.driver.refresh()
        self.wait(lambda: self.all("[data-instrument].dim"))
        self.press("Show all again")
        self.wait(lambda: not self.all(".dim"))
        self.press("2 without a word")
        self.wait(lambda: len(self.all("[data-instrument]:not(.dim)")) == 2)

    def test_arrow_keys_step_through_periods_and_back_leads_back(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        for key, month, period in (
            (Keys.ARROW_LEFT, "September", "2026-09"), (Keys.ARROW_LEFT, "August", "2026-08"), (Keys.ARROW_RIGHT, "September", "2026-09"),
        ):  # fmt: skip
            self.keys(key)
            self.see(f"Reading {month} 2026")  # said at once; its page is drawn a frame later
            self.wait(lambda period=period: f"period={period}" in self.driver.current_url)
        self.driver.back()
        self.see("Reading August 2026")

    def test_a_member_is_read_by_the_whole_page_with_one_step_back(self) -> None:
        self.open(CARD)
        self.one(NIGHT).click()
        self.press("Read the whole page for Night freight", ".side-panel button")
        self.see("for Night freight")
        self.wait(lambda: "93.5%" in self.one("[data-instrument=i1]").text)
        self.press("one step back")
        self.wait(lambda: "91.4%" in self.one("[data-instrument=i1]").text)

    def test_what_is_open_stands_in_the_address(self) -> None:
        self.open(CARD)
        self.one("[data-section=punctuality] .fold").click()
        self.one("[data-section=revenue] .fold").click()
        self.one("[data-section=punctuality] .fold").click()
        self.one(NIGHT).click()
        self.see("Workings", "93.5%")
        self.driver.refresh()
        self.see("Workings", "93.5%")
        self.assertEqual(len(self.all("[data-section=revenue] .fold[aria-expanded=false]")), 1)
        self.keys(Keys.ESCAPE)
        self.gone("Workings")
        self.keys(Keys.ARROW_LEFT)
        self.see("Reading September 2026")
        self.assertEqual(len(self.all(".fold[aria-expanded=false]")), 1, "another month folds nothing out")

    def test_a_page_in_view_is_told_of_a_change_and_shows_what_moved(self) -> None:
        self.put_back("kpis", "on-time")
        self.open(CARD)
        self.see("91.4%")
        self.rest()
        kpi = self.client.get("/api/kpis/on-time").json()
        body = kpi["body"] | {"formula": "count(where delay_minutes <= 9) / count()"}
        self.client.put("/api/kpis/on-time", json=body, headers={"If-Match": f'"{kpi["version"]}"'})
        self.see("Just changed:", "91.4% →")

    def test_finding_takes_a_slash_some_letters_and_enter(self) -> None:
        self.open("/data")
        self.wait(lambda: self.all("h1"))
        self.keys("/")
        self.one(".find-panel input").send_keys("turnston")
        self.see("Turnstone")
        self.keys(Keys.ENTER)
        self.wait(lambda: "vessel=Turnstone" in self.driver.current_url)
        self.keys("?")
        self.see("Keys", "the period before, the next one")
        self.keys(Keys.ESCAPE)

    def test_a_section_is_folded_and_opened(self) -> None:
        self.open(CARD)
        self.wait(lambda: self.all("[data-instrument=i1]"))
        fold = self.one("[data-section=punctuality] .fold")
        fold.send_keys(Keys.ENTER)
        self.wait(lambda: not self.all("[data-instrument=i1]"))
        self.one("[data-section=punctuality] .fold").click()
        self.wait(lambda: self.all("[data-instrument=i1]"))

    def test_it_is_presented_section_by_section(self) -> None:
        self.screen(1920, 1080)
        self.open(CARD)
        self.press("Present")
        self.wait(lambda: self.all(".wall h1") and self.one(".wall h1").text == "Punctuality")
        self.see("1 of ")
        self.keys(Keys.ARROW_RIGHT)
        self.wait(lambda: self.one(".wall h1").text == "Revenue and cost")
        self.keys(Keys.HOME)
        self.wait(lambda: self.one(".wall h1").text == "Punctuality")
        large = self.driver.execute_script(
            "return document.querySelector('.stage').currentCSSZoom"
            " * parseFloat(getComputedStyle(document.querySelector('.stage .figure')).fontSize)"
        )
        self.assertGreater(large, 45, "figures are read from afar")
        self.keys(Keys.ESCAPE)
        self.see("Open the bench")

    def test_a_phone_reads_one_column_and_scrolls_only_downwards(self) -> None:
        self.screen(390, 844, mobile=True)
        for place, css in (("/", ".card"), (CARD, "[data-instrument=i2] .row"), ("/rows", "textarea")):
            self.open(place)
            self.wait(lambda css=css: self.all(css))
            wide = self.driver.execute_script("return document.documentElement.scrollWidth")
            self.assertLessEqual(wide, 390, place)
            self.wait(lambda: self.driver.execute_script(SMALL) == [], f"{place}: {self.driver.execute_script(SMALL)}")
        self.open(CARD)
        self.one(NIGHT).click()
        self.press("Say why it is 93.5%")
        self.see("Keep the note")
        self.assertEqual(self.driver.execute_script(SMALL), [], "what is pressed to write a note")


class Rows(PageTest):
    def test_a_table_is_pasted_and_read_as_a_scorecard(self) -> None:
        for kind in ("datasets", "kpis", "yardsticks", "scorecards"):
            self.sweep(kind)
        head = "Date\tKennel\tDogs walked\tDogs booked\tMissed feedings"
        rows = [
            f"2026-{month:02}-{day:02}\t{kennel}\t{8 + (day * month) % 5}\t14\t{(day + month) % 3}"
            for month in range(4, 11) for day in range(1, 29) for kennel in ("East", "West")
        ]  # fmt: skip
        self.open("/rows?paste")
        area = self.one('textarea[aria-label="Pasted table"]')
        self.driver.execute_script("arguments[0].value = arguments[1]", area, "\n".join([head, *rows]))
        self.press("Use this table")
        self.see("This is a draft", "Missed feedings")
        # A sheet asks what nobody has said, is held against something, and another one is thrown away.
        asked = self.one("[data-instrument] .ask")
        sheet = asked.find_element("xpath", "ancestor::article").get_attribute("data-instrument")
        self.one(f"[data-instrument={sheet}] .ask button").click()
        self.wait(lambda: not self.all(f"[data-instrument={sheet}] .ask"))
        self.one(f"[data-instrument={sheet}] button[aria-label^='What']").click()
        self.choose("its median so far")
        self.wait(lambda: "median" in self.one(f"[data-instrument={sheet}] .foot").text)
        self.wait(lambda: self.all("[data-instrument^=past-] .away")[-1].send_keys(Keys.ENTER) is None)
        self.see("Not on the page")
        self.press("Take the last step back")
        self.rest()
        self.named("Keep it").send_keys(Keys.ENTER)
        self.see("At a glance", "Over time", "Reading September 2026")
        self.assertFalse(self.all(".problem"))
