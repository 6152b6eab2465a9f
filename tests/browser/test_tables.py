"""A table made for the eye, from a file to a graded page in three presses, and what was guessed wrong put right."""

import tempfile
from pathlib import Path

from tests import apiary
from tests.browser.page import PageTest

TABLE = """Bibliothek am Fluß 2026
aus dem Ausleihbuch
Zweigstelle;Jan;Feb;Mrz;Apr
Köln-Süd;120;130;125;140
Łódź;80;85;90;95
Beide;200;215;215;235
* ohne Fernleihe
"""


class Tables(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.at = apiary.apiary()
        self.server = self.at.server
        self.client = self.at.client
        for kind in ("datasets", "kpis", "yardsticks", "scorecards"):
            self.sweep(kind)

    def choose_file(self, text: str) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name, "Ausleihen.csv")
        path.write_text(text)
        self.wait(lambda: self.all('input[aria-label="File to upload"]'))[0].send_keys(str(path))

    def test_from_a_file_to_a_graded_page(self) -> None:
        self.open("/data")
        self.choose_file(TABLE)
        self.see("As it came", "Each of 2 rows is", "Jan to Apr are months of", "1 total", "What comes of it")
        self.press("Read it like this")
        self.see("This is a draft")
        self.press("Keep it")
        self.see("At a glance", "April 2026")

    def test_cells_pasted_anywhere_on_the_front_page_are_looked_at(self) -> None:
        self.open("/")
        self.see("Ein Jahr mit Bienen & Honig <alt>")
        self.paste("Stand\tJan 2026\tFeb 2026\nSüd\t1\t2\nNord\t3\t4")
        self.see("Pasted cells.tsv", "As it came", "Each of 2 rows is", "4 rows")

    def test_a_wrong_guess_is_put_right_by_pressing(self) -> None:
        self.open("/data")
        self.choose_file(TABLE)
        self.see("8 rows")
        self.press("Line 6: total. Change")
        self.press("figures", ".say button")
        self.see("12 rows", "Each of 3 rows is")
        self.press("Take it back")
        self.see("8 rows")
        self.slot("Column Zweigstelle")
        self.choose("left out")
        self.see("Zweigstelle is left out")
        self.press("Take it back")
        self.slot("down")
        self.choose("a KPI")
        self.see("named by Zweigstelle", "4 rows")
        self.slot("year")
        self.type("The year", "2025")
        self.see("months of 2025")
        self.press("only the data")
        self.press("Read it like this")
        self.see("Ausleihen.csv", "by month")
        made = self.client.get("/api/datasets").json()
        self.assertIn("2025-04-30", [one["through"] for one in made])

    def test_what_no_longer_fits_is_asked_about(self) -> None:
        made = self.at.ok("post", "/api/datasets", files={"file": ("Ausleihen.csv", TABLE.encode())})
        self.open(f"/data/{made['id']}")
        self.press("Refresh")
        self.choose_file(TABLE.replace("Zweigstelle", "Filiale"))
        self.see("No column is called “Zweigstelle” any more.", "Take it as it is read now")
