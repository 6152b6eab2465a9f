"""By keyboard alone, over the second world: nothing typed is lost, long lists are found in, and the focus is never nowhere."""

import datetime as dt
from typing import Any

from selenium.webdriver.common.keys import Keys

from ironmark.core.faces import FACES
from tests import apiary
from tests.browser.page import PageTest
from tests.browser.test_accessibility import AXE, RUN

# Heads in letters that few keyboards have; more than a list shows without a field to find in it.
HEADS = ("Tag", "Größe", "Müll", "Übertrag", "Ærø", "Łódź", "Köln Süd", "Ça va", "Ñandú", "Žito", "Ένα", "Zahl")


class Hands(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.at = apiary.apiary()
        self.server = self.at.server
        self.client = self.at.client

    def focused(self) -> Any:
        """What has the focus, in words, once it is not the whole page."""
        said = """const e = document.activeElement
            return !e || e === document.body ? '' : e.getAttribute('aria-label') || e.innerText || e.value || e.tagName"""
        return self.wait(lambda: self.driver.execute_script(said), "the focus fell to the page's body")

    def read(self, sheet: str) -> None:
        """Open the workings of a sheet by key."""
        self.wait(
            lambda: self.all(".note-of") or self.one(f"[data-instrument={sheet}] .press").send_keys(Keys.ENTER) is None
        )

    def dataset(self) -> str:
        rows = "\n".join(f"2026-0{n}-03" + f",{n}" * (len(HEADS) - 1) for n in range(1, 10))
        made = self.at.ok("post", "/api/datasets", files={"file": ("Köpfe.csv", f"{','.join(HEADS)}\n{rows}".encode())})
        self.addCleanup(self.drop, "datasets", made["id"])
        return str(made["id"])


class Typed(Hands):
    def test_a_note_that_is_not_kept_is_there_again(self) -> None:
        self.open(f"/scorecards/{self.at.keys['scorecards'][0]}?period=2026-09&grain=month")
        self.read("a")
        self.one('textarea[aria-label="Note"]').send_keys("Der Regen {ern")
        self.wait(lambda: self.all("[role=listbox][aria-label=Figures]"), "figures are offered")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("[role=listbox][aria-label=Figures]"), "the list is closed")
        self.assertEqual(self.one('textarea[aria-label="Note"]').get_attribute("value"), "Der Regen {ern")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all('textarea[aria-label="Note"]'), "the panel is closed")
        for again in (lambda: None, self.driver.refresh):
            again()
            self.wait(lambda: self.all("[data-instrument=a] .press"))
            # The panel may come back by itself, as the address says.
            self.wait(lambda: self.all('textarea[aria-label="Note"]') or self.read("a"))
            self.see("You typed this earlier")
            self.assertEqual(self.one('textarea[aria-label="Note"]').get_attribute("value"), "Der Regen {ern")
        self.press("Leave it")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all(".note-of"))
        self.read("a")
        self.see("Rows used")
        self.assertEqual(
            self.one('textarea[aria-label="Note"]').get_attribute("value"), "", "a word is asked for, none is there"
        )

    def test_a_changed_formula_is_there_again(self) -> None:
        one, other = self.at.keys["kpis"][:2]
        formula = 'textarea[aria-label="Formula"]'
        typed = "sum(menge_kg) + 1"

        def stands(what: str) -> None:
            self.wait(lambda: self.one(formula).get_attribute("value") == what, what)

        self.open(f"/kpis/{one}")
        self.type("Formula", typed, enter=False)
        self.keys(Keys.ESCAPE)
        self.one(f'a[href="#/kpis/{other}"]').click()
        stands("count(where wasser <= 18) / count(where wasser is filled)")
        self.see("not saved")
        self.driver.back()
        stands(typed)
        self.see("What you changed here earlier is back")
        self.driver.refresh()
        stands(typed)
        self.open("/data")
        self.see("Besuche")
        self.open(f"/kpis/{one}")
        stands(typed)
        # Changed elsewhere meanwhile: it is not written over without a word.
        body = self.body("kpis", one)
        self.put_back("kpis", one)
        self.at.change("put", f"/api/kpis/{one}", body | {"owner": "Imker Łukasz"})
        self.driver.refresh()
        stands(typed)
        self.press("Save changes")
        self.see("was changed elsewhere")
        self.press("Drop changes")
        stands("sum(menge_kg)")
        self.gone("not saved")
        self.driver.refresh()
        stands("sum(menge_kg)")

    def test_a_new_kpi_and_a_derived_column_are_there_again(self) -> None:
        key = self.dataset()
        self.open(f"/kpis?new={key}")
        self.type("Formula", "mean(zahl) * 3", enter=False)
        self.open(f"/kpis?new={key}")
        self.wait(lambda: self.one('textarea[aria-label="Formula"]').get_attribute("value") == "mean(zahl) * 3")
        self.press("Begin anew")
        self.wait(lambda: self.one('textarea[aria-label="Formula"]').get_attribute("value") != "mean(zahl) * 3")
        self.open(f"/data/{key}")
        self.press("derive a column by a formula")
        self.one('input[placeholder="Part of the week"]').send_keys("Doppelt")
        self.type("Formula", "zahl * 2", enter=False)
        self.open("/data")
        self.see("Besuche")
        self.open(f"/data/{key}")
        self.wait(lambda: self.one('textarea[aria-label="Formula"]').get_attribute("value") == "zahl * 2")
        self.press("Not now")


class Found(Hands):
    def test_long_lists_take_the_only_match_without_accents(self) -> None:
        self.open(f"/kpis?new={self.dataset()}")
        for typed, put in (("grosse", "größe"), ("lodz", "łódź"), ("koln", "köln_süd"), ("aero", "ærø")):
            self.type("Formula", "", enter=False)
            self.wait(lambda: self.one('textarea[aria-label="Formula"]').send_keys(Keys.BACKSPACE) is None)
            self.slot("A column")
            field = self.one('.slot-panel input[aria-label="Find"]')
            field.send_keys(typed, Keys.ENTER)
            self.wait(lambda put=put: put in self.one('textarea[aria-label="Formula"]').get_attribute("value"), put)
        self.type("Formula", "sum(uber", enter=False)
        self.wait(lambda: [o for o in self.all("[role=option]") if o.text.startswith("übertrag")])
        self.keys(Keys.ESCAPE)
        self.slot("A column")
        self.one('.slot-panel input[aria-label="Find"]').send_keys("nirgends", Keys.ENTER)
        self.see("Nothing is called “nirgends”")
        self.assertEqual(self.violations(), [])
        self.keys(Keys.ESCAPE)
        self.wait(lambda: self.focused().startswith("A column"), "Escape gives the focus back")

    def violations(self) -> Any:
        self.driver.execute_script(AXE)
        return [
            one for one in self.driver.execute_async_script(RUN, None) if not one.startswith("color-contrast")
        ]  # below an open panel

    def test_enter_on_a_cut_lets_its_value_be_typed(self) -> None:
        key = self.at.make("yardsticks", {"name": "Nach Gewicht", "bands": ["short", "met"], "cuts": [{"offset": 40}], "kpi": self.at.keys["kpis"][0]})  # fmt: skip
        self.at.keys["yardsticks"].remove(key)
        self.addCleanup(self.drop, "yardsticks", key)
        self.open(f"/yardsticks/{key}")
        self.one(".cut").send_keys(Keys.ENTER)
        self.wait(lambda: self.focused() == "Cut value", "its value has the focus")
        self.assertEqual(self.violations(), [])
        self.keys("55,5", Keys.ENTER)
        self.wait(lambda: self.body("yardsticks", key)["cuts"][0]["offset"] == 55.5, "it is kept")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: self.focused().startswith("Cut 1"), "Escape leaves the focus on the cut")


class Focus(Hands):
    """After each of these steps what was pressed is gone; the focus goes to what is next."""

    def pressed(self, text: str, *, css: str = "button, a") -> str:
        """Press a control by keyboard, wait until it is done, and tell what has the focus."""
        self.named(text, css).send_keys(Keys.ENTER)
        self.rest()
        return str(self.focused())

    def test_on_the_page_of_a_kpi(self) -> None:
        self.sweep("kpis")
        self.open(f"/kpis?new={self.dataset()}")
        self.type("Name of the KPI", "Wiegen", enter=False)
        self.rest()
        self.pressed("Save KPI")
        self.see("Wiegen")
        self.type("Formula", "sum(zahl) + 2", enter=False)
        self.keys(Keys.ESCAPE)
        self.rest()
        self.pressed("Save changes")
        self.type("Formula", "sum(zahl) + 3", enter=False)
        self.keys(Keys.ESCAPE)
        self.pressed("Drop changes")
        self.pressed("History")
        self.pressed("Delete")
        self.focused()

    def test_on_a_scorecard(self) -> None:
        key = self.make("scorecards", {"title": "Probe", "sections": [{"id": "s", "title": "Eins", "instruments": [
            {"id": "x", "kpi": self.at.keys["kpis"][0], "face": "figure"}]}]})  # fmt: skip
        self.sweep("editions")
        self.open(f"/scorecards/{key}/bench")
        self.wait(lambda: self.all("[data-instrument=x] .head"))
        self.rest()
        self.driver.execute_script("document.querySelector('[data-instrument=x] button, [data-instrument=x]').focus()")
        self.one("[data-instrument=x]").click()
        self.pressed("Delete instrument" if self.texts("Delete instrument") else "Delete")
        self.focused()

    def texts(self, text: str) -> bool:
        return any(button.text.strip() == text for button in self.all("button"))

    def test_notes_links_and_editions(self) -> None:
        card = self.at.keys["scorecards"][0]
        self.sweep("editions")
        self.open(f"/scorecards/{card}?period=2026-08&grain=month")
        self.read("a")
        self.one('textarea[aria-label="Note"]').send_keys("Gewogen im Regen.")
        self.pressed("Keep the note")
        self.pressed("Take back")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all(".note-of"))
        self.assertIn("kg", self.focused(), "back on the reading that was pressed")

    def test_a_yardstick_and_a_scorecard(self) -> None:
        self.sweep("yardsticks")
        self.sweep("scorecards")
        self.open("/yardsticks")
        self.named("New yardstick").send_keys(Keys.ENTER)

        self.choose("Ernte")
        self.see("Ernte yardstick")
        self.rest()
        self.focused()
        self.open("/")
        self.pressed("New scorecard")
        self.wait(lambda: self.driver.current_url.endswith("/bench"))
        self.focused()
        self.rest()
        self.pressed("Delete")
        self.keys(Keys.ENTER)
        self.wait(lambda: self.texts("Take back"))
        self.focused()
        self.pressed("Take back")
        self.focused()

    def test_an_edition_and_its_link(self) -> None:
        card = self.at.keys["scorecards"][0]
        self.sweep("editions")
        self.sweep("links")
        made = self.at.ok(
            "post", "/api/editions", json={"scorecard": card, "scope": {"period": "2026-08", "grain": "month"}}
        )
        self.open(f"/editions/{made['id']}")
        self.pressed("Publish")
        self.gone("Throw away")
        self.focused()
        self.pressed("Share")
        self.pressed("New link")
        self.one("input[placeholder=Board]").send_keys("Vorstand")
        self.driver.execute_script(
            "const i = document.querySelector('input[type=date]'); i.value = '2999-01-01'; i.dispatchEvent(new Event('input', {bubbles: true}))"
        )
        self.pressed("Make the link")
        self.one("input[value*='/l/'], .aside-note input")
        self.focused()
        self.pressed("Done")
        self.pressed("End")

    def test_columns_derived_and_taken(self) -> None:
        self.sweep("yardsticks")
        key = self.dataset()
        self.open(f"/data/{key}")
        self.rest()
        self.pressed("derive a column by a formula")
        self.keys("Doppelt")
        self.type("Formula", "zahl * 2", enter=False)
        self.keys(Keys.ESCAPE)
        self.rest()
        self.pressed("Keep the column")
        self.pressed("Take out")
        self.focused()
        self.pressed("take columns from another dataset")
        self.choose(self.at.ok("get", f"/api/datasets/{self.at.keys['datasets'][0]}")["name"])
        self.pressed("Not now")


class Room(Hands):
    """Names have room first, and nothing lies past an edge."""

    def branches(self) -> str:
        """A scorecard of 120 branches in a ledger of its default size, with marks, and a KPI in euros."""
        places = ("am Marktplatz", "Köln-Süd", "hinter dem Bahnhof an der alten Brücke", "Łódź", "Mühlheim")
        names = [f"Zweigstelle {n}, {places[n % 5]}" for n in range(1, 121)]
        rows = [(f"2026-{m:02d}-09", name, 1000 * m + n) for m in range(1, 10) for n, name in enumerate(names)]
        key = self.at.upload("Zweigstellen", "Tag;Zweigstelle;Gebühren €", rows, {"zweigstelle": "segment"}, dt.date(2026, 9, 30))  # fmt: skip
        self.at.keys["datasets"].remove(key)
        self.addCleanup(self.drop, "datasets", key)
        kpi = self.make("kpis", {"handle": "gebuehren", "name": "Gebühren", "dataset": key, "formula": "sum(gebühren)", "nature": "flow",
            "unit": {"kind": "currency", "decimals": 0, "currency": "EUR"}})  # fmt: skip
        mark = {"name": "target", "whose": "each", "of": {"zweigstelle": ""}, "since": "2026-01", "value": 5000}
        self.at.ok("post", f"/api/kpis/{kpi}/marks", json={"changes": [mark], "sure": True}, headers=self.at.tag(f"/api/kpis/{kpi}/marks"))  # fmt: skip
        w, h = FACES["ledger"].size
        ledger = {"kpi": kpi, "face": "ledger", "by": "zweigstelle", "yardstick": self.at.keys["yardsticks"][1]}
        return self.make("scorecards", {"title": "Zweigstellen", "sections": [{"id": "s", "instruments": [
            {**ledger, "id": "wide", "w": w, "h": h}, {**ledger, "id": "small", "x": w, "w": 12 - w, "h": h}]}]})  # fmt: skip

    def test_a_ledger_of_many_branches_keeps_its_columns_within_the_sheet(self) -> None:
        card = self.branches()
        for width in (1280, 1024, 390):
            self.screen(width, 800)
            self.open(f"/scorecards/{card}")
            self.wait(lambda: len(self.all("[data-instrument] .c-state, [data-instrument] .c-value")) > 8)
            self.rest()
            past = """return [...document.querySelectorAll('[data-instrument] .bed')].flatMap((bed) => [...bed.querySelectorAll('.line > div')]
                .filter((cell) => cell.getBoundingClientRect().right > bed.getBoundingClientRect().right + 1).map((cell) => cell.innerText))"""
            self.assertEqual(self.driver.execute_script(past), [], width)
            if width > 1000:
                cut = """return [...document.querySelectorAll('[data-instrument=wide] .name button')]
                    .filter((name) => name.scrollWidth > name.clientWidth + 1 && name.innerText.length < 30).map((name) => name.innerText)"""
                self.assertEqual(self.driver.execute_script(cut), [], width)
                self.assertTrue(
                    self.all("[data-instrument=small] .c-state"), "the state is told, by its sign alone if need be"
                )
        self.see("no room for")

    def test_a_phone_is_not_scrolled_sideways(self) -> None:
        self.screen(390, 800)
        for place in (f"/kpis/{self.at.keys['kpis'][-1]}", f"/data/{self.at.keys['datasets'][0]}"):
            self.open(place)
            self.wait(lambda: self.all("main h1"))
            self.rest()
            wide = self.driver.execute_script("return document.documentElement.scrollWidth - innerWidth")
            self.assertLessEqual(wide, 0, place)

    def test_suggestions_lie_within_a_low_window(self) -> None:
        self.screen(1280, 800)
        card = self.at.keys["scorecards"][0]
        self.open(f"/scorecards/{card}?period=2026-07&grain=month")
        self.read("a")
        self.one('textarea[aria-label="Note"]').send_keys("{")
        self.wait(lambda: self.all("[role=listbox][aria-label=Figures] li"))
        inside = """const b = document.querySelector('[role=listbox][aria-label=Figures]').getBoundingClientRect()
            return b.top >= 0 && b.bottom <= innerHeight && b.left >= 0 && b.right <= innerWidth
              && document.elementFromPoint(b.left + 20, b.bottom - 6).closest('[role=listbox]') !== null"""
        self.assertTrue(self.driver.execute_script(inside))
        self.keys(Keys.BACKSPACE, Keys.ESCAPE)

    def test_words_for_all_members_are_words(self) -> None:
        self.open(f"/scorecards/{self.branches()}")
        self.see("every zweigstelle")
        self.assertNotIn("zweigstelles", self.text())
