"""Every view in the browser over a world of another trade than the demo's, and that none throws."""

from selenium.webdriver.common.keys import Keys

from tests import apiary
from tests.apiary import STANDS
from tests.browser.page import PageTest

NEVER = ("undefined", "[object", "NaN", "null", "Infinity", "Something went wrong")


class SecondWorld(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.at = apiary.apiary()
        self.server = self.at.server
        self.client = self.at.client

    def views(self) -> list[str]:
        keys = self.at.keys
        found = ["/", "/rows", "/kpis", "/kpis/assumptions", "/yardsticks", "/marks", "/data", "/data/new/sheet", "/data/new/checklist",
            "/data/new/live", "/data/new/kept", "/data/bundle", "/editions", "/editions/calendar", "/changed"]  # fmt: skip
        for card in keys["scorecards"]:
            found += [f"/scorecards/{card}", f"/scorecards/{card}/bench", f"/scorecards/{card}/present"]
        found += [f"/kpis/{key}" for key in keys["kpis"]]
        found += [f"/marks/{key}" for key in keys["kpis"][:5]]
        found += [f"/yardsticks/{key}" for key in keys["yardsticks"]]
        found += [f"/data/{key}" for key in keys["datasets"]]
        found += [f"/editions/{key}" for key in keys["editions"]]
        return [*found, f"/editions/{keys['editions'][0]}?beside=now"]

    def test_every_view_opens_and_none_throws(self) -> None:
        for place in self.views():
            with self.subTest(place):
                self.open(place)
                self.wait(lambda: self.all("main h1, main h2, main .page-title, main.wall .none"), place)
                self.settled()
                said = self.text()
                self.assertFalse([word for word in NEVER if word in said], said[:400])
                wide = self.driver.execute_script("return document.documentElement.scrollWidth - innerWidth")
                self.assertLessEqual(wide, 0, "it scrolls sideways")
                errors = [one["message"] for one in self.driver.get_log("browser") if one["source"] != "network"]
                self.assertEqual(errors, [])

    def settled(self) -> None:
        """Wait until what was asked for has come."""
        self.wait(lambda: "Reading…" not in self.text())
        self.rest()

    def test_the_front_page_and_a_page_tell_the_odd_names(self) -> None:
        self.open("/")
        self.see("Ein Jahr mit Bienen & Honig <alt>", "Wetter, broken", "Wetter, shrinking", "Nur Wochen", "Leer")
        self.open(f"/scorecards/{self.at.keys['scorecards'][0]}")
        self.see("Süd & Söhne", STANDS[1], "<b>Wabe</b>", "Stand der Dinge & mehr")

    def test_an_address_that_names_what_is_not_there_offers_the_whole_page(self) -> None:
        card = self.at.keys["scorecards"][0]
        self.open(f"/scorecards/{card}?stand=Nirgends")
        self.see("has no member “Nirgends”")
        self.press("Read the whole page")
        self.see("Süd & Söhne")
        self.gone("Nirgends")

    def test_the_last_complete_day_is_kept_on_enter_and_taken_back(self) -> None:
        key = self.at.keys["datasets"][2]
        day = lambda: self.client.get(f"/api/datasets/{key}").json()["through"]  # noqa: E731
        before = day()
        self.open(f"/data/{key}")
        self.slot("Last complete day")
        field = self.one('[aria-label="Complete through"]')
        field.send_keys("0")
        field.send_keys("1")
        field.send_keys(Keys.ESCAPE)
        self.rest()
        self.assertEqual(day(), before, "nothing is kept at a digit, nor by leaving with Escape")
        self.driver.refresh()
        self.slot("Last complete day")
        self.one('[aria-label="Complete through"]').send_keys("09302026", Keys.ENTER)
        self.see("Complete through", "for every scorecard that reads these rows")
        self.assertEqual(day(), "2026-09-30")
        self.press("Take it back")
        self.wait(lambda: day() == before, "it is as it was")

    def test_a_column_that_is_called_like_a_function_is_offered_beside_it(self) -> None:
        made = self.at.ok("post", "/api/datasets", files={"file": ("Called.csv", b"day,month,sum,round\n2026-05-01,May,1,2\n2026-05-02,May,2,2\n")})  # fmt: skip
        self.addCleanup(lambda: self.at.ok("delete", f"/api/datasets/{made['id']}", headers=self.at.tag(f"/api/datasets/{made['id']}")))  # fmt: skip
        self.open(f"/kpis?new={made['id']}")
        area = self.one('textarea[aria-label="Formula"]')
        for word in ("mo", "ro", "su", "m"):
            area.send_keys(Keys.CONTROL, "a")
            area.send_keys(word)
            self.wait(lambda word=word: [o for o in self.all("[role=option]") if o.text.startswith(word)], word)
            self.keys(Keys.ESCAPE)

    def test_new_rows_that_are_held_back_are_asked_about(self) -> None:
        key = self.at.keys["datasets"][-1]
        self.open(f"/data/{key}")
        self.see("New rows are held back.", "21 of 24 rows would go")
        self.assertTrue(self.named("Read it now").is_enabled())
        self.slot("What was held back")
        self.choose("kept among the versions")
        self.see("kept among the versions once newer rows have come")

    def test_a_reading_is_pressed_by_key_and_by_mouse(self) -> None:
        self.open(f"/scorecards/{self.at.keys['scorecards'][0]}?period=2026-09&grain=month")
        first = self.one("[data-instrument=e] .press")
        first.send_keys(Keys.ENTER)
        self.see("Workings", "Rows used")
        self.keys(Keys.ESCAPE)
        self.gone("Rows used")
        self.one("[data-instrument=b] .press").click()
        self.see("Rows used")
