"""A scorecard made, composed, read, noted and published by keyboard alone."""

from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.page import PageTest

MOST_TABS = 150
# What has the focus, as a screen reader calls it.
FOCUSED = """
const at = document.activeElement
return (at.getAttribute('aria-label') || at.innerText || at.placeholder || '').replace(/\\s+/g, ' ').trim()
"""


class ByKeyboard(PageTest):
    def tab_to(self, name: str, *, back: bool = False) -> None:
        """Press Tab until what has the focus begins with ``name``."""
        seen: list[str] = []
        for _ in range(MOST_TABS):
            if self.driver.execute_script(FOCUSED).startswith(name):
                return
            if back:
                self.chord(Keys.SHIFT, Keys.TAB)
            else:
                self.keys(Keys.TAB)
            seen.append(self.driver.execute_script(FOCUSED)[:30])
        self.fail(f"Tab never came to “{name}”, but to {seen[-25:]}")

    def enter(self, name: str, *, back: bool = False) -> None:
        self.tab_to(name, back=back)
        self.keys(Keys.ENTER)

    def pick(self, name: str) -> None:
        """Choose from the list that is open, by arrows."""
        self.wait(lambda: self.all(".choice"), "a list is open")
        if not self.driver.execute_script("return !!document.activeElement.closest('.slot-panel')"):
            self.keys(Keys.TAB)
        for _ in range(60):
            at = self.driver.execute_script(
                "return document.querySelector('.choice[data-highlighted]')?.innerText ?? ''"
            )
            if name in at:
                self.keys(Keys.ENTER)
                return
            self.keys(Keys.ARROW_DOWN)
        self.fail(f"the arrows never came to “{name}”")

    def card(self) -> Any:
        found = [c for c in self.client.get("/api/scorecards").json() if c["body"]["title"] == "By keyboard"]
        self.assertTrue(found, "it is kept under its title")
        return found[0]

    def test_from_nothing_to_a_published_edition(self) -> None:
        self.sweep("scorecards")
        self.sweep("yardsticks")
        self.open("/")
        self.see("Changed state")

        self.enter("New scorecard")  # make
        self.see("Close the bench")
        self.tab_to("Scorecard title")
        self.keys(Keys.HOME)
        self.chord(Keys.SHIFT, Keys.END)
        self.keys("By keyboard", Keys.TAB)
        self.enter("Choose its KPI")
        self.pick("On-time departures")
        self.wait(lambda: self.card()["body"]["sections"][0]["instruments"])
        self.enter("Choose its KPI", back=True)
        self.pick("Cancelled sailings")
        self.wait(lambda: len(self.card()["body"]["sections"][0]["instruments"]) == 2)

        self.tab_to("Move On-time departures")  # compose
        before = self.card()["body"]["sections"][0]["instruments"][0]
        self.chord(Keys.SHIFT, Keys.ARROW_RIGHT)
        self.wait(lambda: self.card()["body"]["sections"][0]["instruments"][0]["w"] == before["w"] + 1)
        self.keys(Keys.ARROW_DOWN)
        self.wait(lambda: self.card()["body"]["sections"][0]["instruments"][0]["y"] > 0)
        self.enter("Close the bench")

        self.see("Open the bench", "91.4%")  # read
        self.keys(Keys.ARROW_LEFT)
        self.see("Reading September 2026")
        self.keys(Keys.ARROW_RIGHT)
        self.see("Reading October 2026")
        self.enter("On-time departures, ")
        self.see("Workings")

        about = {"kpi": "on-time", "members": {}, "period": "2026-10"}  # note
        kept = (self.client.post("/api/notes/about", json=about).json()["note"] or {}).get("text", "")
        self.addCleanup(self.put_note_back, about, kept)
        self.enter("Change" if kept else "Say why")
        self.tab_to("Note")
        self.chord(Keys.CONTROL, "a")
        self.keys("Written **by keyboard**.")
        self.enter("Keep the note")
        self.see("Written by keyboard.")
        self.keys(Keys.ESCAPE)
        self.gone("Workings")

        self.enter("Make an edition", back=True)  # publish
        self.tab_to("Covering note")
        self.keys("October, by keyboard.")
        self.enter("Make it")
        self.wait(lambda: "/editions/" in self.driver.current_url)
        key = self.driver.current_url.rpartition("/")[2]
        self.addCleanup(self.client.delete, f"/api/editions/{key}")
        covering = '[aria-label="Covering note"]'
        self.wait(lambda: self.one(covering).get_attribute("value") == "October, by keyboard.")
        self.enter("Publish")
        self.wait(lambda: self.client.get(f"/api/editions/{key}").json()["edition"]["state"] == "published")
        self.see("Withdraw")
        self.driver.switch_to.frame(self.one("iframe"))  # it shows itself as it was published
        self.see("Published on", "October, by keyboard.")
        self.driver.switch_to.default_content()
        notes = self.client.get(f"/api/editions/{key}").json()["picture"]["notes"]
        self.assertEqual([note["text"] for note in notes], ["Written **by keyboard**."])

    def put_note_back(self, about: dict[str, Any], text: str) -> None:
        version = self.client.post("/api/notes/about", json=about).json()["version"]
        self.client.put("/api/notes", json=about | {"text": text}, headers={"If-Match": f'"{version}"'})
