"""Drawing at the bench and reading what was drawn: faces, repeats, drags, ledgers, ticks, palettes, composites."""

from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.page import PageTest
from tests.browser.test_bench import Bench


class Faces(Bench):
    def test_every_face_is_chosen_and_drawn(self) -> None:
        self.bench()
        names = [face.text.strip() for face in self.all(".faces button .name")]
        self.assertEqual(len(names), 16)
        for name in names:
            with self.subTest(name):
                self.press(str(name), ".faces button")
                self.wait(lambda name=name: self.one(".faces [aria-pressed=true] .name").text.strip() == name)
                self.wait(lambda: not self.all("[data-instrument=d] .problem"))
        self.assertEqual(self.instrument()["face"], "strip")

    def test_a_dial_is_swept_filled_and_named(self) -> None:
        self.bench()
        for slot, choice in (("Sweep", "270°"), ("Hand", "a fill"), ("Names of bands", "named")):
            self.slot(slot)
            self.choose(choice)
        self.wait(lambda: self.all("[data-instrument=d] .filled"))
        self.wait(lambda: "Near" in self.one("[data-instrument=d] .dial").text)
        dial = self.instrument()["look"]["dial"]
        self.assertEqual((dial["sweep"], dial["ring"], dial["hand"], dial["names"]), (270, "bands", "fill", "names"))

    def test_a_dial_of_ten_segments_from_good_to_bad(self) -> None:
        self.bench()
        for slot, choice in (
            ("Ring", "a ring of 10 segments"),
            ("Paint of the segments", "by a ramp along the axis"),
            ("Colours of the segments", "tideline, turned round"),
            ("Hand", "a bold needle"),
        ):
            self.slot(slot)
            self.choose(choice)
        self.wait(lambda: len(self.all("[data-instrument=d] .segment")) == 10)
        fills = [part.get_attribute("fill") for part in self.all("[data-instrument=d] .segment")]
        self.assertEqual(len(set(fills)), 10)
        self.slot("Paint of the segments")
        self.choose("by the state of each place")
        self.wait(lambda: len({part.get_attribute("fill") for part in self.all("[data-instrument=d] .segment")}) <= 4)

    def test_bars_fill_to_each_ones_own_mark(self) -> None:
        self.bench("l")
        self.press("bar", ".faces button")
        self.slot("Full track")
        self.choose("each one’s own mark")
        self.wait(lambda: self.instrument("l")["look"]["bar"]["full"] == "mark")
        # Whatever its target is, the mark of every row stands at the end of its track.
        self.wait(lambda: "100%" in self.one("[data-instrument=l] .ticks").text)
        self.assertFalse(self.all('[aria-label^="Axis from:"]'), "shares of its own mark need no ends")

    def test_parts_are_hidden(self) -> None:
        self.bench()
        figure = self.one("[data-instrument=d] .figure").text
        self.slot("Hidden parts")
        self.choose("value")
        self.wait(lambda: not self.all("[data-instrument=d] .figure"))
        self.choose("title")
        self.wait(lambda: figure not in self.one("[data-instrument=d]").text)
        self.assertEqual(self.instrument()["hide"], ["value", "label"])

    def test_a_copy_stands_beside_the_first(self) -> None:
        self.bench()
        self.press("Copy this instrument")
        self.wait(lambda: len(self.all("[data-instrument]")) == 3)
        self.slot("KPI")
        self.choose("Fare revenue")
        self.see("Fare revenue")
        made = self.saved()["sections"][0]["instruments"]
        self.assertEqual([i["kpi"] for i in made], ["on-time", "on-time", "fare-revenue"])
        self.assertEqual(made[2]["yardstick"], made[0]["yardstick"])


class Repeats(Bench):
    def test_over_members_over_periods_and_the_first_few(self) -> None:
        self.bench()
        self.slot("Scope of the instrument")
        self.choose("each route")
        self.wait(lambda: len(self.all("[data-instrument=d] .each button")) == 6)
        self.slot("How many")
        self.choose("the first 3, the rest as one")
        self.wait(lambda: [b.text for b in self.all("[data-instrument=d] .each .name")][-1:] == ["3 others"])
        self.slot("Scope of the instrument")
        self.choose("each of the last 6 months")
        self.wait(lambda: len(self.all("[data-instrument=d] .each button")) == 6)
        self.see("Oct 2026")
        self.assertEqual(
            (self.instrument()["by"], self.instrument()["last"], self.instrument()["first"]), (None, 6, None)
        )

    def test_further_kpis_and_a_ramp(self) -> None:
        self.bench()
        self.press("ledger", ".faces button")
        self.slot("Further KPIs")
        self.choose("Drills held")
        self.chord(Keys.ESCAPE)
        self.wait(lambda: "Drills held" in self.one("[data-instrument=d]").text)
        self.slot("Scope of the instrument")
        self.choose("each route")
        self.slot("Colour")
        self.choose("a ramp of Fare revenue")
        self.wait(lambda: "Fare revenue" in self.one("[data-instrument=d] .ramp").text)
        self.assertEqual(self.instrument()["ramp"]["kpi"], "fare-revenue")

    def test_a_quadrant_from_its_brief(self) -> None:
        self.bench()
        self.press("quadrant", ".faces button")
        self.slot("KPI across")
        self.choose("Complaints per 10k")
        self.wait(lambda: len(self.all("[data-instrument=d] circle[role=button]")) == 6)
        self.slot("Across")
        self.choose("reversed")
        self.wait(lambda: self.instrument()["look"]["quadrant"]["reverse_across"])


class Dragging(Bench):
    def hold(self, name: str) -> Any:
        return self.wait(lambda: self.all(f'[data-instrument=d] [role=slider][aria-label="{name}"]')[0])

    def test_a_cut_is_dragged_on_the_dial(self) -> None:
        self.bench()
        self.drag(self.hold("Cut 1 on the dial"), 12, -12)
        self.wait(lambda: self.cuts()[0] != 0.85)
        self.assertEqual(self.cuts()[1:], [0.92, 0.96])
        self.assertLessEqual(self.cuts()[0], 0.92, "held under its neighbour")
        self.press("undo", ".tab button")
        self.wait(lambda: self.cuts()[0] == 0.85)
        self.wait(lambda: self.hold("Cut 1 on the dial").get_attribute("aria-valuetext") == "85%", "it is drawn so too")

    def test_on_the_bullet_and_by_arrow_keys(self) -> None:
        self.bench()
        self.press("bullet", ".faces button")
        held = self.hold("Cut 3 on the bullet")
        self.drag(held, 14)
        self.wait(lambda: self.cuts()[2] > 0.96)
        before = self.cuts()[0]
        self.hold("Cut 1 on the bullet").send_keys(Keys.ARROW_LEFT)
        self.wait(lambda: self.cuts()[0] < before)

    def test_on_the_history(self) -> None:
        self.bench()
        self.press("history", ".faces button")
        self.drag(self.hold("Cut 1 on the history"), 0, 10)
        self.wait(lambda: self.cuts()[0] < 0.85)

    def test_a_mark_is_dragged_into_the_mark_book_and_back(self) -> None:
        self.bench()

        def entries() -> Any:
            return self.client.get("/api/kpis/on-time/marks").headers["etag"]

        before = entries()
        shown = self.hold("target on the dial").get_attribute("aria-valuetext")
        self.drag(self.hold("target on the dial"), 10, 12)
        self.wait(lambda: entries() != before)
        self.wait(lambda: self.hold("target on the dial").get_attribute("aria-valuetext") != shown)
        self.see("by its usual variation alone")
        self.press("undo", ".tab button")
        self.gone("by its usual variation alone")
        self.wait(lambda: self.hold("target on the dial").get_attribute("aria-valuetext") == shown)

    def test_a_mark_dragged_far_from_every_reading_is_asked_about(self) -> None:
        card = self.body("scorecards", self.card)
        card["sections"][0]["instruments"][0] |= {"face": "bullet", "axis": {"low": 0, "high": 1}, "marks": ["target"]}
        place = f"/api/scorecards/{self.card}"
        self.client.put(place, json=card, headers={"If-Match": self.client.get(place).headers["etag"]})
        before = self.client.get("/api/kpis/on-time/marks").headers["etag"]
        self.bench()
        held = self.hold("target on the bullet")
        shown = held.get_attribute("aria-valuetext")
        scale = self.one("[data-instrument=d] svg.scale").rect
        across = int(scale["x"] + scale["width"] / 50 - held.rect["x"])  # to about 2%
        self.addCleanup(self.forget_mark)
        self.drag(held, across)
        self.see("is far from this KPI’s history")
        self.assertEqual(self.client.get("/api/kpis/on-time/marks").headers["etag"], before)
        self.press("Leave it as it was")
        self.gone("is far from this KPI’s history")
        self.drag(self.hold("target on the bullet"), across)
        self.press("Keep it")
        self.wait(lambda: self.client.get("/api/kpis/on-time/marks").headers["etag"] != before)
        self.press("undo", ".tab button")
        self.wait(lambda: self.hold("target on the bullet").get_attribute("aria-valuetext") == shown)

    def forget_mark(self) -> None:
        """What is dragged is set from the period that is read: without it the book says what it did."""
        entry = {"name": "target", "whose": "together", "since": "2026-10", "value": None}
        etag = self.client.get("/api/kpis/on-time/marks").headers["etag"]
        body = {"changes": [entry], "sure": True}
        self.client.post("/api/kpis/on-time/marks", json=body, headers={"If-Match": etag})

    def be_told_nothing(self) -> None:
        """A page that is seen is told of a change and reads it before anything is dragged; one out of sight is not."""
        self.driver.execute_script(
            "Object.defineProperty(document, 'visibilityState', { get: () => 'hidden' });"
            "document.dispatchEvent(new Event('visibilitychange'))"
        )
        self.rest()

    def test_a_yardstick_changed_elsewhere_is_not_written_over(self) -> None:
        self.bench()
        self.drag(self.hold("Cut 1 on the dial"), 12, -12)
        self.wait(lambda: self.cuts()[0] != 0.85)
        self.be_told_nothing()
        place = f"/api/yardsticks/{self.yardstick}"
        held = self.client.get(place).json()
        body = held["body"] | {"name": "Punctuality, theirs"}
        theirs = self.client.put(place, json=body, headers={"If-Match": f'"{held["version"]}"'}).json()
        self.drag(self.hold("Cut 1 on the dial"), 12, -12)
        self.see("This yardstick was changed elsewhere meanwhile.")
        self.rest()  # what is read afterwards takes nothing away of what was said
        self.see("This yardstick was changed elsewhere meanwhile.")
        self.assertEqual(self.client.get(place).json()["version"], theirs["version"])
        self.press("Seen")
        self.gone("This yardstick was changed elsewhere")

    def test_a_mark_book_changed_elsewhere_is_not_written_over(self) -> None:
        self.bench()
        self.hold("target on the dial")

        def change(value: float | None) -> str:
            etag = self.client.get("/api/kpis/on-time/marks").headers["etag"]
            entry = {"name": "limit", "whose": "everyone", "since": "2020-01", "value": value}
            kept = self.client.post(
                "/api/kpis/on-time/marks", json={"changes": [entry], "sure": True}, headers={"If-Match": etag}
            )
            kept.raise_for_status()
            return str(self.client.get("/api/kpis/on-time/marks").headers["etag"])

        self.addCleanup(change, None)
        self.be_told_nothing()
        theirs = change(0.5)
        self.drag(self.hold("target on the dial"), 10, 12)
        self.see("changed elsewhere")
        self.assertEqual(self.client.get("/api/kpis/on-time/marks").headers["etag"], theirs)
        # Made once more it is kept: the book was read again.
        self.rest()
        self.drag(self.hold("target on the dial"), 10, 12)
        self.wait(lambda: self.client.get("/api/kpis/on-time/marks").headers["etag"] != theirs)
        ours = self.client.get("/api/kpis/on-time/marks").headers["etag"]
        self.press("undo", ".tab button")
        self.wait(lambda: self.client.get("/api/kpis/on-time/marks").headers["etag"] != ours)


class Ledgers(PageTest):
    def names(self) -> list[str]:
        return [e.text for e in self.all("[data-instrument=s9] .r-member .name")]

    def test_sorted_by_any_column(self) -> None:
        self.open("/scorecards/service-health")
        self.wait(lambda: len(self.names()) == 6)
        head = "[data-instrument=s9] .head button"
        first = self.names()
        self.press("Value", head)
        self.wait(lambda: self.names() != first)
        values = [int(e.text) for e in self.all("[data-instrument=s9] .r-member .c-value")]
        self.assertEqual(values, sorted(values, reverse=True))
        self.press("Sort by name", head)
        self.wait(lambda: self.names() == sorted(self.names()))
        self.assertEqual(
            [e.get_attribute("aria-sort") for e in self.all("[data-instrument=s9] [role=columnheader]")][:2],
            ["ascending", "none"],
        )

    def test_its_first_column_stays_while_the_rest_scrolls(self) -> None:
        self.open("/scorecards/network-performance/bench")
        bed = self.one("[data-instrument=i7] .bed")
        name = self.one("[data-instrument=i7] .r-member .name")
        before = name.rect["x"]
        self.driver.execute_script("arguments[0].scrollLeft = 60", bed)
        self.assertEqual(name.rect["x"], before)

    def test_a_group_opens_its_own_workings(self) -> None:
        self.open("/scorecards/revenue-by-route")
        self.wait(lambda: self.all("[data-instrument=m3] .r-group"))
        group = self.one("[data-instrument=m3] .r-group .name button")
        name = group.text
        group.click()
        self.see("Workings")
        self.wait(lambda: f", {name}" in self.one(".side-panel").text)


class Ticks(PageTest):
    def test_a_step_is_ticked_on_the_instrument_and_taken_back(self) -> None:
        self.open("/scorecards/fleet-readiness")
        step = 'button[aria-label="Sea trial, Turnstone"]'
        self.wait(lambda: self.all(step))
        self.assertEqual(self.one(step).get_attribute("aria-pressed"), "false")
        self.one(step).click()
        self.wait(lambda: self.one(step).get_attribute("aria-pressed") == "true")
        self.wait(lambda: "100%" in self.one("[data-instrument=r2]").text)
        self.one(step).click()
        self.wait(lambda: self.one(step).get_attribute("aria-pressed") == "false")

    def test_a_score_is_set_by_a_pip(self) -> None:
        self.open("/scorecards/network-performance")
        pip = '[data-instrument=i11] button[aria-label="2 of 3, Grey Wether"]'
        self.wait(lambda: self.all(pip))
        self.one(pip).click()
        self.wait(lambda: self.one(pip).get_attribute("aria-pressed") == "true")
        self.one(pip).click()
        self.wait(lambda: self.one(pip).get_attribute("aria-pressed") == "false")
        self.see("1.0")


class Palettes(PageTest):
    def setUp(self) -> None:
        super().setUp()
        body = {
            "name": "Palette trial",
            "kpi": "on-time",
            "bands": ["short", "near", "met"],
            "cuts": [{"offset": 0.85}, {"offset": 0.92}],
        }
        self.yardstick = self.make("yardsticks", body)

    def test_another_palette_keeps_the_ranks(self) -> None:
        self.open(f"/yardsticks/{self.yardstick}")
        self.slot("Palette")
        self.choose("Risk")
        self.wait(
            lambda: self.body("yardsticks", self.yardstick)["bands"] == ["risk-severe", "risk-high", "risk-guarded"]
        )
        self.see("Severe", "Guarded", "Told apart by every reader")

    def test_an_own_palette_is_checked_while_it_is_made(self) -> None:
        self.open(f"/yardsticks/{self.yardstick}")
        self.press("Make an own palette from it")
        name = self.one("[aria-label='Name of state 1']")
        name.clear()
        name.send_keys("Low water", Keys.TAB)
        set_colour = (
            "const e = arguments[0]; e.value = '#d08c28'; e.dispatchEvent(new Event('input', { bubbles: true }))"
        )
        self.driver.execute_script(set_colour, self.one("[aria-label='Colour of Low water']"))
        self.see("Low water and Near look alike to everybody")
        self.driver.execute_script(
            set_colour.replace("#d08c28", "#7a1f4d"), self.one("[aria-label='Colour of Low water']")
        )
        self.gone("look alike to everybody")
        before = {found["id"] for found in self.client.get("/api/palettes").json()}
        self.press("Save palette")
        self.wait(lambda: {found["id"] for found in self.client.get("/api/palettes").json()} - before)
        (made,) = {found["id"] for found in self.client.get("/api/palettes").json()} - before
        self.addCleanup(self.drop, "palettes", made)
        self.addCleanup(self.drop, "yardsticks", self.yardstick)
        self.wait(lambda: self.body("yardsticks", self.yardstick)["bands"][0] == f"{made}-short")
        self.see("Low water")

    def test_a_shared_one_says_what_changes_and_goes_on_as_a_copy(self) -> None:
        item = {"id": "d", "kpi": "on-time", "face": "dial", "yardstick": self.yardstick}
        card = {"title": "Sharing", "sections": [{"id": "s", "instruments": [item]}]}
        self.addCleanup(self.drop, "scorecards", self.make("scorecards", card))
        self.sweep("yardsticks")
        self.open(f"/yardsticks/{self.yardstick}")
        self.wait(lambda: self.all("[role=slider].cut")[1])
        # 91.4% is near under a cut of 92%, and met over one of 91%. Quick presses go on from each other.
        self.all("[role=slider].cut")[1].send_keys(Keys.ARROW_LEFT * 10)
        self.wait(lambda: self.body("yardsticks", self.yardstick)["cuts"][1]["offset"] == 0.91)
        self.see("1 reading changes state", "Sharing")
        self.press("Have this as a copy instead")
        self.see("Palette trial (copy)")
        self.assertEqual(self.body("yardsticks", self.yardstick)["cuts"][1]["offset"], 0.92)

    def test_an_earlier_form_is_returned_to(self) -> None:
        tag = {"If-Match": '"1"'}
        body = self.body("yardsticks", self.yardstick) | {"cuts": [{"offset": 0.8}, {"offset": 0.9}]}
        self.client.put(f"/api/yardsticks/{self.yardstick}", json=body, headers=tag)
        self.open(f"/yardsticks/{self.yardstick}")
        self.press("History")
        self.see("changed cuts", "0.8 | 0.9", "0.85 | 0.92")
        self.press("Return to this")
        self.wait(lambda: self.body("yardsticks", self.yardstick)["cuts"][0]["offset"] == 0.85)


class Composites(PageTest):
    def test_one_is_made_from_parts_with_weights(self) -> None:
        self.sweep("kpis")
        self.open("/kpis")
        self.press("New composite")
        self.see("Rolled up by")
        self.slot("Rolled up by")
        self.choose("the score of each state")
        self.slot("Yardstick of On-time departures")
        self.choose("Punctuality")
        weight = self.one("[aria-label='Weight of On-time departures']")
        weight.send_keys(Keys.CONTROL, "a")
        weight.send_keys("3", Keys.TAB)
        self.see("75%", "2 KPIs rolled up by their states, weighted")
        self.press("Save KPI")
        self.wait(lambda: "new_composite" in self.driver.current_url or "new-composite" in self.driver.current_url)
        self.see("On-time departures", "score 33.3% × 3 of 3")

    def test_its_workings_on_the_scorecard(self) -> None:
        self.open("/scorecards/service-health")
        self.one("[data-instrument=s1] button").click()
        self.see("Workings", "score 33.3% × 3 of 6 = 16.7%", "16.7% + 22.2% + 11.1% = 50%")
