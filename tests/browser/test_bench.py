"""The bench: briefs, faces, dragging, cuts, rehearsal, undo, autosave, two tabs."""

import time
from typing import Any

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests import world
from tests.browser.page import PageTest

DIAL = {"id": "d", "kpi": "on-time", "face": "dial", "yardstick": "own", "w": 4, "h": 6}
LIST = {"id": "l", "kpi": "on-time", "face": "bullet", "by": "route", "yardstick": "own", "x": 4, "w": 8, "h": 6}


class Bench(PageTest):
    def setUp(self) -> None:
        super().setUp()
        cuts = [{"offset": 0.85}, {"offset": 0.92}, {"offset": 0.96}]
        self.yardstick = self.make(
            "yardsticks",
            {"name": "Own cuts", "kpi": "on-time", "bands": ["short", "near", "met", "beyond"], "cuts": cuts},
        )
        instruments = [item | {"yardstick": self.yardstick} for item in (DIAL, LIST)]
        body = {
            "title": "Test bench",
            "sections": [
                {"id": "one", "title": "First", "instruments": instruments},
                {"id": "two", "title": "Second", "instruments": []},
            ],
        }
        self.card = self.make("scorecards", body)
        # Cleanups run backwards: the scorecard has to go before its yardstick.
        self.addCleanup(self.drop, "scorecards", self.card)

    def bench(self, select: str = "d") -> None:
        self.open(f"/scorecards/{self.card}/bench")
        self.see("Close the bench")
        self.wait(lambda: self._click(f"[data-instrument={select}] h3"))
        self.see("Rehearse a value", "Proof at each cut")

    def saved(self) -> Any:
        """The document in the store, once nothing is waiting to be saved."""
        self.wait(lambda: "saving" not in self.text() and "saved" in self.text())
        time.sleep(0.1)
        return self.body("scorecards", self.card)

    def instrument(self, key: str = "d") -> Any:
        return next(i for s in self.saved()["sections"] for i in s["instruments"] if i["id"] == key)

    def cuts(self) -> list[float]:
        return [round(cut["offset"], 6) for cut in self.body("yardsticks", self.yardstick)["cuts"]]

    def cut(self, at: int) -> Any:
        return self.wait(lambda: self.all("[role=slider].cut")[at])


class Briefs(Bench):
    def test_an_instrument_is_added_through_its_brief_and_is_never_empty(self) -> None:
        self.sweep("yardsticks")
        self.bench()
        self.wait(lambda: self.all('[data-section=two] button[aria-label^="Choose its KPI"]')[0].click() or True)
        self.choose("Fuel per nautical mile")
        self.wait(lambda: len(self.all("[data-instrument]")) == 3)
        self.see("Fuel limit", "lower is better")
        added = self.saved()["sections"][1]["instruments"][0]
        self.assertEqual(
            (added["kpi"], added["face"], added["yardstick"], added["marks"]),
            ("fuel-per-mile", "dial", "fuel-limit", ["limit"]),
        )

    def test_a_kpi_without_a_yardstick_gets_one_proposed(self) -> None:
        self.sweep("yardsticks")
        kpi = self.make(
            "kpis",
            {
                "handle": "riders",
                "name": "Riders",
                "dataset": "sailings",
                "formula": "sum(passengers)",
                "nature": "flow",
            },
        )
        self.addCleanup(self.drop, "scorecards", self.card)
        self.bench()
        self.wait(lambda: self.all('[data-section=two] button[aria-label^="Choose its KPI"]')[0].click() or True)
        self.choose("Riders")
        self.see("Riders yardstick", "At these cuts:")
        self.wait(lambda: self.saved()["sections"][1]["instruments"][0]["kpi"] == kpi)

    def test_every_slot_changes_the_instrument_at_once(self) -> None:
        self.bench()
        self.slot("KPI")
        self.choose("Complaints per 10k")
        self.see("Complaints per 10k")
        self.slot("Scope of the instrument")
        self.choose("each vessel")
        self.see("Complaints per 10k by vessel", "Grey Wether")
        self.slot("Marks")
        self.choose("limit")
        self.keys(Keys.ESCAPE)
        self.slot("Yardstick")
        self.choose("Within the limit")
        self.wait(lambda: self.instrument()["yardstick"] == "within-limit")
        found = self.instrument()
        self.assertEqual((found["kpi"], found["by"], found["face"]), ("complaints", "vessel", "dial"))
        self.assertEqual(found["marks"], ["target", "limit"])

    def test_an_instrument_reads_a_period_and_members_of_its_own(self) -> None:
        self.bench("l")
        self.slot("Its period")
        self.choose("a year earlier")
        sheet = "[data-instrument=l]"
        self.wait(lambda: "a year earlier: " in self.one(sheet).text)
        self.slot("Its members")
        self.choose("Night freight")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: len(self.all(f"{sheet} [role=listitem]")) == 1)
        own = self.instrument("l")["own"]
        self.assertEqual((own["period"], own["members"]), ("year_earlier", {"route": ["Night freight"]}))
        # The workings are of what the sheet reads.
        self.press("Close the bench")
        self.wait(lambda: self._click(f"{sheet} [role=listitem] button"))
        self.wait(lambda: "2025" in self.one("[role=dialog]").text)
        self.assertIn("Night freight", self.one("[role=dialog]").text)

    def test_the_order_is_turned_round(self) -> None:
        self.bench("l")
        before = [row.text.split("\n")[0] for row in self.all("[data-instrument=l] [role=listitem]")]
        self.press("the worst first", "button.slot")
        self.wait(
            lambda: [row.text.split("\n")[0] for row in self.all("[data-instrument=l] [role=listitem]")] == before[::-1]
        )
        self.wait(lambda: "the best first" in self.one("[data-instrument=l]").text)

    def test_each_face_is_drawn_with_this_reading_and_chosen_with_one_press(self) -> None:
        self.bench()
        self.wait(lambda: len(self.all(".faces svg")) >= 5)
        for name, css in (
            ("bullet", "svg.scale"),
            ("bar", "svg.track"),
            ("lamp", ".lights"),
            ("chip", ".large"),
            ("dial", ".dial svg"),
        ):
            with self.subTest(name):
                self.press(name, ".faces button")
                self.one(f"[data-instrument=d] {css}")
                self.wait(lambda name=name: self.instrument()["face"] == name)

    def test_axis_decimals_ticks_and_title(self) -> None:
        self.bench()
        self.slot("Axis from")
        self.type("Axis from, typed", "50")
        self.wait(lambda: self.instrument()["axis"]["low"] == 0.5)
        self.slot("Axis to")
        self.see("Choose the axis for me")
        self.type("Axis to, typed", "90%")
        self.wait(lambda: self.instrument()["axis"]["high"] == 0.9)
        self.wait(lambda: self.all("[data-instrument=d] .overrun"), "91.4 % lies past 90 %")
        self.slot("Number format")
        self.choose("3 decimals")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: self.instrument()["decimals"] == 3)
        self.wait(
            lambda: (
                "91.4" in self.one("[data-instrument=d] .figure").text
                and len(self.one("[data-instrument=d] .figure").text) == 7
            )
        )
        self.slot("Title")
        self.type("Title, typed", "Punctual?")
        self.see("Punctual?")
        self.slot("Ticks")
        self.choose("the ends")
        self.wait(lambda: self.instrument()["ticks"] == "ends")
        self.slot("Axis from")
        self.type("Axis from, typed", "abc", enter=True)
        self.see("is not a number; type for example 88, 88% or 0.88")

    def test_sections_are_added_renamed_moved_and_deleted(self) -> None:
        self.bench()
        self.press("Add a section")
        self.wait(lambda: len(self.saved()["sections"]) == 3)
        field = self.all('[aria-label="Section title"]')[2]
        field.clear()
        field.send_keys("Third", Keys.ENTER)
        self.wait(lambda: self.saved()["sections"][2]["title"] == "Third")
        self.wait(lambda: self.all('[aria-label="Move section up"]')[2].click() or True)
        self.wait(lambda: [s["title"] for s in self.saved()["sections"]] == ["First", "Third", "Second"])
        self.press("Delete section Third")
        self.wait(lambda: len(self.saved()["sections"]) == 2)


class Arranging(Bench):
    def place(self, key: str = "d") -> tuple[int, int, int, int]:
        found = self.instrument(key)
        return found["x"], found["y"], found["w"], found["h"]

    def test_drag_moves_and_the_corner_sizes(self) -> None:
        self.bench()
        grip = self.one("[data-instrument=d] .grip")
        self.drag(grip, 0, 300)
        self.wait(lambda: self.place() == (0, 0, 4, 6))
        self.drag(self.one("[data-instrument=d] .corner"), -80, 90)
        self.wait(lambda: self.place()[2] < 4 and self.place()[3] > 6)
        self.drag(self.one("[data-instrument=l] .grip"), -460, 0)
        self.wait(lambda: self.place("l")[0] == 0, "the list moves to the left")
        self.assertGreater(self.place("d")[1], 0, "and the dial makes room below")

    def test_the_same_by_keys(self) -> None:
        self.bench()
        self.one("[data-instrument=d] .grip").send_keys(Keys.SHIFT, Keys.ARROW_LEFT)
        self.wait(lambda: self.place() == (0, 0, 3, 6))
        self.one("[data-instrument=d] .grip").send_keys(Keys.SHIFT, Keys.ARROW_DOWN)
        self.wait(lambda: self.place() == (0, 0, 3, 7))
        self.one("[data-instrument=d] .grip").send_keys(Keys.ARROW_RIGHT)
        self.wait(lambda: self.place() == (1, 0, 3, 7))
        self.one("[data-instrument=l] .grip").send_keys(Keys.ALT, Keys.ARROW_DOWN)
        self.wait(lambda: [i["id"] for i in self.saved()["sections"][1]["instruments"]] == ["l"])
        self.one("[data-instrument=d] .grip").send_keys(Keys.DELETE)
        self.wait(lambda: self.saved()["sections"][0]["instruments"] == [])

    def test_undo_and_redo_go_all_the_way(self) -> None:
        self.bench()
        before = self.saved()
        self.press("bar", ".faces button")
        self.wait(lambda: self.instrument()["face"] == "bar")
        self.cut(1).send_keys(Keys.ARROW_LEFT)
        self.wait(lambda: self.cuts()[1] < 0.92)
        moved = self.cuts()
        self.press("Delete this instrument")
        self.wait(lambda: len(self.all("[data-instrument]")) == 1)
        self.wait(lambda: len(self.saved()["sections"][0]["instruments"]) == 1, "it is kept too")
        after = self.saved()
        for _ in range(3):
            self.press("undo")
        self.wait(lambda: self.saved() == before)
        self.wait(lambda: self.cuts() == [0.85, 0.92, 0.96], "the yardstick goes back too")
        self.driver.execute_script("document.activeElement.blur()")
        for done in (
            lambda: self.instrument()["face"] == "bar",
            lambda: self.cuts() == moved,
            lambda: len(self.all("[data-instrument]")) == 1,
        ):  # a press while the one before is under way is none
            self.chord(Keys.CONTROL, Keys.SHIFT, "z")
            self.wait(done)
        self.wait(lambda: self.saved() == after)
        self.assertEqual(self.cuts(), moved)
        self.chord(Keys.CONTROL, "z")
        self.wait(lambda: len(self.all("[data-instrument]")) == 2)


class Cuts(Bench):
    def test_a_dragged_cut_shows_what_would_change_and_is_kept_on_release(self) -> None:
        self.bench("l")
        before = self.cuts()
        self.drag(self.cut(1), -60)
        self.wait(lambda: self.cuts()[1] < before[1])
        self.assertEqual(self.cuts()[::2], before[::2])
        self.see("At these cuts:")

    def test_a_cut_stops_at_its_neighbour(self) -> None:
        self.bench("l")
        self.drag(self.cut(1), -300)
        self.wait(lambda: self.cuts()[1] == 0.85)

    def test_a_cut_is_typed_and_told_whose_it_is(self) -> None:
        self.bench()
        self.cut(1).send_keys(Keys.ENTER)
        self.type("Cut value", "91.5")
        self.wait(lambda: self.cuts()[1] == 0.915)
        self.see("91.5%")
        self.press("Met", ".strip-panel button")
        self.wait(lambda: self.body("yardsticks", self.yardstick)["cuts"][1]["belongs"] == "below")
        self.see("Exactly 91.5% is Near, the band below.")

    def test_a_cut_is_derived_from_a_mark_and_follows_it(self) -> None:
        self.bench()
        self.cut(1).send_keys(Keys.ENTER)
        self.one(".strip-panel select").send_keys("derived from target")
        self.wait(lambda: self.body("yardsticks", self.yardstick)["cuts"][1]["mark"] == "target")
        self.see("target = 92% here")
        self.type("Factor", "0.95")
        self.wait(lambda: self.body("yardsticks", self.yardstick)["cuts"][1]["factor"] == 0.95)
        self.see("0.95 × target = 87.4% here")

    def test_bands_are_split_restated_and_taken_out(self) -> None:
        self.bench()
        self.wait(lambda: self._click('button[aria-label^="Band 2, Near"]'))
        self.press("Split in two")
        self.wait(lambda: len(self.cuts()) == 4)
        self.assertEqual(self.body("yardsticks", self.yardstick)["bands"], ["short", "near", "near", "met", "beyond"])
        self.wait(lambda: self._click('button[aria-label^="Band 2, Near"]'))
        self.press("Short", ".strip-panel .pick")
        self.wait(lambda: self.body("yardsticks", self.yardstick)["bands"][1] == "short")
        self.wait(lambda: self._click('button[aria-label^="Band 2, Short"]'))
        self.press("Take out")
        self.wait(lambda: len(self.cuts()) == 3)

    def test_a_value_is_rehearsed_and_swept_without_saving(self) -> None:
        self.bench()
        before = (self.saved(), self.cuts())
        self.type("Value to rehearse", "97")
        self.see("rehearsal", "97.0%")
        self.wait(lambda: "Beyond" in self.one("[data-instrument=d]").text)
        self.press("Reset")
        self.gone("rehearsal")
        self.press("Sweep")
        self.see("from 85%", "from 92%", "from 96%")
        self.assertEqual((self.saved(), self.cuts()), before)

    def test_a_yardstick_used_by_several_says_so_and_offers_a_copy(self) -> None:
        self.sweep("yardsticks")
        self.bench()
        self.see("used by 2 instruments")
        self.slot("Yardstick in use")
        self.press("Use a copy for this one")
        self.wait(lambda: self.instrument()["yardstick"] != self.yardstick)
        self.assertEqual(self.instrument("l")["yardstick"], self.yardstick)
        self.drop("scorecards", self.card)


class TwoTabs(Bench):
    def test_the_second_writer_is_told_and_may_take_the_newer(self) -> None:
        self.bench()
        newer = self.saved() | {"title": "Changed in another tab"}
        tag = self.client.get(f"/api/scorecards/{self.card}").headers["etag"]
        self.client.put(f"/api/scorecards/{self.card}", json=newer, headers={"If-Match": tag}).raise_for_status()
        self.type("Scorecard title", "Mine")
        self.see("Changed elsewhere")
        self.assertEqual(self.body("scorecards", self.card)["title"], "Changed in another tab")
        self.press("Take the newer one")
        self.gone("Changed elsewhere")
        self.wait(lambda: self.one('[aria-label="Scorecard title"]').get_attribute("value") == "Changed in another tab")

    def test_or_keep_theirs_as_a_copy(self) -> None:
        self.sweep("scorecards")
        self.bench()
        newer = self.saved() | {"title": "Changed in another tab"}
        tag = self.client.get(f"/api/scorecards/{self.card}").headers["etag"]
        self.client.put(f"/api/scorecards/{self.card}", json=newer, headers={"If-Match": tag}).raise_for_status()
        self.type("Scorecard title", "Mine")
        self.press("Keep mine as a copy")
        self.wait(lambda: self.one('[aria-label="Scorecard title"]').get_attribute("value") == "Mine (my copy)")
        titles = [found["body"]["title"] for found in self.client.get("/api/scorecards").json()]
        self.assertIn("Mine (my copy)", titles)
        self.assertIn("Changed in another tab", titles)

    def test_what_is_typed_just_before_leaving_is_kept(self) -> None:
        self.bench()
        self.type("Scorecard title", "Typed in a hurry")
        self.driver.execute_script("location.hash = '#/scorecards'")
        self.wait(lambda: self.body("scorecards", self.card)["title"] == "Typed in a hurry")


class Words(Bench):
    def test_a_text_is_written_with_live_figures_and_moved(self) -> None:
        self.open(f"/scorecards/{self.card}/bench")
        self.see("Close the bench")
        self.press("Add a text")
        area = self.one('textarea[aria-label="Text"]')
        area.send_keys("# In short\n**On time** came to ")
        self.slot("Part")
        self.choose("how far it is from its mark")
        self.slot("KPI")
        self.choose("On-time departures")
        self.wait(lambda: "{on_time: gap}" in str(area.get_attribute("value")))
        sheet = "[role=group][aria-label=Text]"
        self.wait(lambda: "0.6 points under target 92%" in self.one(f"{sheet} .live").text)
        self.assertEqual(self.one(f"{sheet} h3").text, "In short")
        area.send_keys(Keys.END, " and {nobody}")
        self.see("no KPI “nobody”")
        kept = self.saved()["sections"][0]["texts"][0]
        self.assertIn("and {nobody}", kept["text"])
        grip = self.one(f"{sheet} .grip")
        grip.send_keys(Keys.SHIFT, Keys.ARROW_LEFT)
        self.wait(lambda: self.saved()["sections"][0]["texts"][0]["w"] == kept["w"] - 1)
        grip.send_keys(Keys.ALT, Keys.ARROW_DOWN)
        self.wait(lambda: self.saved()["sections"][1]["texts"])
        self.press("Close the bench")
        self.wait(lambda: "0.6 points under target 92%" in self.one(f"{sheet} .live").text)
        self.assertNotIn("{", self.one(sheet).text)

    def test_a_picture_is_taken_told_in_words_and_deleted(self) -> None:
        self.open(f"/scorecards/{self.card}/bench")
        self.see("Close the bench")
        self.press("Add a picture")
        drawing = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 3"><rect width="4" height="3"/></svg>'
        field = self.wait(lambda: self.all('input[aria-label="Picture file"]'))[0]
        field.send_keys(str(world.temporary("ferry.svg", drawing)))
        self.type("What it shows", "A ferry at the quay")
        self.wait(lambda: self.one('img[alt="A ferry at the quay"]').get_attribute("naturalWidth") != "0")
        self.assertEqual(self.saved()["sections"][0]["pictures"][0]["alt"], "A ferry at the quay")
        self.press("Delete", ".side button")
        self.wait(lambda: not self.saved()["sections"][0]["pictures"])


class Composing(Bench):
    def grip(self, key: str) -> Any:
        return self.one(f'[data-instrument="{key}"] .grip')

    def where(self, key: str) -> tuple[int, int]:
        """The section a sheet stands in, and how many there are in it."""
        for at, section in enumerate(self.body("scorecards", self.card)["sections"]):
            every = [one["id"] for kind in ("instruments", "texts", "pictures") for one in section[kind]]
            if key in every:
                return at, len(every)
        return -1, 0

    def test_several_sheets_are_deleted_at_once_and_taken_back(self) -> None:
        self.bench()
        first, second = [e.get_attribute("data-instrument") for e in self.all("[data-instrument]")][:2]
        self.grip(first).send_keys(Keys.SPACE)
        self.grip(second).send_keys(Keys.SPACE)
        self.see("2 sheets chosen")
        self.grip(second).send_keys(Keys.DELETE)
        self.see("Deleted 2 sheets.")
        self.wait(lambda: self.where(first)[0] == -1 and self.where(second)[0] == -1)
        self.press("Take back")
        self.wait(lambda: self.where(first)[0] >= 0 and self.where(second)[0] >= 0)

    def test_a_section_is_deleted_and_taken_back_until_something_else_is_changed(self) -> None:
        self.bench()
        sections = [one["id"] for one in self.body("scorecards", self.card)["sections"]]

        def left() -> list[str]:
            return [one["id"] for one in self.body("scorecards", self.card)["sections"]]

        self.one(f"[data-section={sections[-1]}]").find_element("xpath", ".//button[text()='Delete']").click()
        self.see("Deleted the section")
        self.wait(lambda: left() == sections[:-1])
        self.press("Take back")
        self.wait(lambda: left() == sections)
        self.gone("Deleted the section")
        self.grip(self.all("[data-instrument]")[0].get_attribute("data-instrument")).send_keys(Keys.DELETE)
        self.see("Deleted ")
        self.press("Add a section")
        self.gone("Take back")  # it would take back the section, and not what it names

    def test_a_sheet_is_dragged_to_another_section(self) -> None:
        self.bench()
        source, target = self.grip("d"), self.one("[data-takes=two]")  # nothing stands in it yet
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", target)
        chain = ActionChains(self.driver, duration=80).click_and_hold(source)
        chain.move_to_element(target).move_by_offset(4, 4).release().perform()
        self.wait(lambda: self.where("d") == (1, 1), "it stands in the other section")

    def test_a_section_keeps_to_columns_and_is_copied(self) -> None:
        self.bench()
        self.slot("This section")
        self.choose("three columns")
        self.wait(lambda: self.body("scorecards", self.card)["sections"][0]["columns"] == 3)
        section = self.body("scorecards", self.card)["sections"][0]
        for one in section["instruments"]:
            self.assertEqual((one["w"] % 4, one["x"] % 4), (0, 0))
        self.slot("This section")
        self.press("Copy", ".slot-panel button")
        self.wait(lambda: len(self.body("scorecards", self.card)["sections"]) == 3)
        titles = [one["title"] for one in self.body("scorecards", self.card)["sections"]]
        self.assertTrue(titles[1].endswith("(copy)"), titles)

    def test_sheets_are_copied_to_another_scorecard(self) -> None:
        self.bench()
        self.grip("d").send_keys(Keys.SPACE)
        text = self.copied()
        other = self.make("scorecards", {"title": "Other", "sections": [{"id": "x", "title": "X", "instruments": []}]})
        self.addCleanup(self.drop, "scorecards", other)  # before the yardstick that the copy is graded by
        self.open(f"/scorecards/{other}/bench")
        self.see("Close the bench")
        self.paste(text)
        made = self.wait(lambda: self.body("scorecards", other)["sections"][0]["instruments"])
        self.assertEqual(
            [(one["kpi"], one["face"], one["yardstick"]) for one in made], [("on-time", "dial", self.yardstick)]
        )
        self.assertNotEqual(made[0]["id"], "d")

    def test_gaps_are_closed_and_a_section_opens_folded(self) -> None:
        self.bench()
        self.grip("d").send_keys(Keys.DELETE)
        self.wait(lambda: self.where("d")[0] == -1)
        self.slot("This section")
        self.press("Tidy up", ".slot-panel button")
        self.wait(lambda: (self.instrument("l")["x"], self.instrument("l")["y"]) == (0, 0), "where the other one stood")
        self.slot("This section")
        self.press("Opens folded", ".slot-panel button")
        self.wait(lambda: self.saved()["sections"][0]["folded"])
        self.press("Close the bench")
        self.see("Open the bench")
        self.wait(lambda: not self.all("[data-instrument]"))
