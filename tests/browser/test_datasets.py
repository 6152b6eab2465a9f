"""Datasets on the screen: refreshed and returned, typed, ticked, merged, read live, and stopped on the way."""

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from tests import world
from tests.api.test_refreshing import Elsewhere, csv
from tests.browser.page import PageTest

FIRST = "day,line,fare\n2026-01-05,North,10\n2026-01-06,Nord,20\n2026-02-05,North,30\n2026-02-06,north ,5\n"


class WithFile(PageTest):
    def upload(self, text: str, name: str = "lines.csv") -> None:
        path = world.temporary(name, text)
        self.wait(lambda: self.driver.find_element(By.CSS_SELECTOR, "input[type=file]"))
        self.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(path))

    def dataset(self) -> str:
        answer = self.client.post("/api/datasets", files={"file": ("lines.csv", FIRST.encode())})
        key = str(answer.json()["id"])
        self.addCleanup(self.drop, "datasets", key)
        return key


class Versions(WithFile):
    def test_new_rows_become_a_version_that_can_be_left_again(self) -> None:
        self.open(f"/data/{self.dataset()}")
        self.press("Refresh")
        self.see("Refresh from a file", "Replace the days it covers")
        self.upload("day,line,fare\n2026-02-05,East,7\n2026-03-01,East,8\n", "march.csv")
        self.see("2 rows in, 2 out", "now to 1 March 2026", "East new", "4 rows from march.csv")
        self.press("Return to it")
        self.see("4 rows from lines.csv", "complete through 6 February 2026")
        self.driver.refresh()
        self.see("4 rows from lines.csv")

    def test_a_file_without_the_columns_says_what_to_do_and_changes_nothing(self) -> None:
        key = self.dataset()
        self.open(f"/data/{key}")
        self.press("Refresh")
        self.see("Refresh from a file")
        self.upload("day,fare\n2026-02-05,7\n", "short.csv")
        self.see("The new table has no column “line”")
        self.assertEqual(self.client.get(f"/api/datasets/{key}").json()["version"], 1)

    def test_a_large_file_shows_how_far_it_is_and_is_stopped(self) -> None:
        self.sweep("datasets")
        self.open("/data")
        lines = "".join(f"2026-{1 + n % 12:02d}-{1 + n % 28:02d},R{n % 40},{n}\n" for n in range(900_000))
        self.upload("day,line,fare\n" + lines, "big.csv")
        self.wait(lambda: self.one("progress"))
        self.press("Stop")
        self.wait(lambda: not self.all("progress"), "it did not stop")
        self.assertNotIn("Big", [found["name"] for found in self.client.get("/api/datasets").json()])

    def test_a_machine_is_given_a_command_with_a_token(self) -> None:
        self.open(f"/data/{self.dataset()}")
        self.press("Refresh")
        self.one("summary").click()
        self.press("Make a token")
        command = self.one('[aria-label="Command"]').get_attribute("value") or ""
        self.assertRegex(command, r"Bearer [\w-]{40,}.*rows\?how=periods")


class Columns(WithFile):
    def test_spellings_are_merged_and_members_ordered(self) -> None:
        key = self.dataset()
        self.open(f"/data/{key}?column=line")
        self.see("Perhaps the same member", "Members")
        self.press("“North”")
        self.see("read as North")
        self.slot("Merge Nord")
        self.choose("North")
        self.wait(lambda: self.text().count("read as North") == 2)
        kept = self.client.get(f"/api/datasets/{key}").json()["merges"]["line"]
        self.assertEqual(kept, {"north": "North", "Nord": "North"})
        self.press("read as North ✕")
        self.wait(lambda: self.text().count("read as North") == 1)
        self.press("Close the column")
        self.gone("Members")

    def test_a_column_is_renamed_and_its_spread_is_drawn(self) -> None:
        key = self.dataset()
        self.open(f"/data/{key}?column=fare")
        self.wait(lambda: len(self.all(".spread span")) == 16)
        self.type("Shown as", "Fare taken")
        self.wait(lambda: self.client.get(f"/api/datasets/{key}").json()["columns"][2]["label"] == "Fare taken")
        self.see("16.25")


class Typed(WithFile):
    def cell(self, row: int, column: int) -> str:
        return self.one(f'[data-cell="{row}-{column}"]').text

    def test_a_pasted_table_becomes_a_sheet_that_is_typed_on(self) -> None:
        self.sweep("datasets")
        self.open("/data")
        self.press("Type or paste a table")
        self.wait(lambda: self._click('[data-cell="0-0"]'))
        self.paste("Month\tBerth\tScore\r\n2026-09-01\tWest\t2\r\n2026-10-01\tWest\t3\r\n")
        self.wait(lambda: self.cell(1, 2) == "3")
        self.wait(lambda: self._click('[data-cell="2-0"]'))
        self.keys("2026-10-01", Keys.TAB)
        self.keys("East", Keys.TAB)
        self.keys("1", Keys.ENTER)
        self.wait(lambda: self.cell(2, 2) == "1")
        self.chord(Keys.CONTROL, "z")
        self.wait(lambda: self.cell(2, 2) == "")
        self.chord(Keys.CONTROL, Keys.SHIFT, "z")
        self.wait(lambda: self.cell(2, 2) == "1")
        self.type("Name of the sheet", "Berth scores", enter=False)
        self.press("Keep the sheet")
        self.see("3 rows typed in here", "complete through 31 October 2026")
        self.wait(lambda: self._click('[data-cell="2-2"]'))
        self.keys("2", Keys.ENTER)
        self.see("changed, not kept yet")
        self.press("Keep the changes")
        self.gone("changed, not kept yet")
        self.press("Versions")
        self.see("typed in, 3 rows")
        self.driver.refresh()
        self.wait(lambda: self.cell(2, 2) == "2")

    def test_a_checklist_is_ticked_as_of_a_day_and_taken_back(self) -> None:
        self.sweep("datasets")
        self.open("/data/new/checklist")
        self.type("Name of the checklist", "Winter", enter=False)
        self.type("Item 1", "Hull")
        self.press("Add a step")
        self.press("Keep the checklist")
        # The page of a new one says the same: the kept one has an address of its own.
        self.wait(lambda: "/data/new" not in self.driver.current_url)
        self.see("Ticked as of", "0 of 8 steps done")
        self.wait(lambda: self._click('[aria-label="Hull: Planned"]'))
        self.see("1 of 8 steps done", "1 of 4")
        self.wait(lambda: self.named("Undo").is_enabled(), "it is kept")
        self.driver.refresh()
        self.see("1 of 8 steps done")
        # Faster than they are kept, one after the other.
        every = """[...document.querySelectorAll('[aria-label^="Hull: "]')].slice(1).forEach((step) => step.click())"""
        self.driver.execute_script(every)
        self.see("4 of 8 steps done")
        self.wait(lambda: self.named("Undo").is_enabled(), "they are kept")
        self.press("Undo")
        self.see("3 of 8 steps done")
        self.driver.refresh()
        self.see("3 of 8 steps done")


class Live(PageTest):
    def test_a_live_source_is_tried_connected_and_becomes_a_kpi(self) -> None:
        self.sweep("datasets")
        self.open("/data/new/live")
        self.one("input[type=checkbox]").click()
        for label, text in (("Database", ROWS_DATABASE), ("User", READER), ("Password", "wrong")):
            self.driver.find_element(By.XPATH, f"//label[contains(., '{label}')]//input").send_keys(text)
        self.press("Try it")
        self.see("refuses")
        field = self.driver.find_element(By.CSS_SELECTOR, "input[type=password]")
        field.clear()
        field.send_keys(reader_password(str(world.engine().url.password)))
        self.press("Try it")
        self.see("The account may only read")
        self.press("Connect it")
        self.see("Rows read live from the table bookings", "channel")
        self.press("New KPI from it")
        self.see("Result by", "By route")
        self.wait(lambda: self.all(".history circle"))


class Wider(WithFile):
    def test_columns_are_taken_from_another_dataset_and_derived(self) -> None:
        lines = self.dataset()
        regions = self.client.post(
            "/api/datasets", files={"file": ("regions.csv", b"line,region,berths\nNorth,Upper,3\nNord,Upper,4\n")}
        ).json()["id"]
        self.addCleanup(self.drop, "datasets", regions)
        self.open(f"/data/{lines}")
        self.slot("Take columns from another dataset")
        self.choose("Regions")
        self.see("takes region and berths from Regions", "1 key is not found", "north (1)", "(not found)")
        self.press("Take them")
        self.see("found for 3 of 4 rows", "not found: north (1)")
        # A formula says what it comes to while it is typed, and where it is wrong.
        self.press("derive a column by a formula")
        self.driver.switch_to.active_element.send_keys("Dear")
        field = self.one("textarea")
        field.send_keys('if(fare / berth > 4, "a", "b")')
        self.see("did you mean berths?")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys('if(fare / berths > 4, "dear", "cheap")')
        self.see("A text:", "dear (2)", "cheap (1)", "1 blank")
        self.press("Keep the column")
        self.see("Dear is if(fare / berths > 4", "text, segment")
        self.driver.refresh()
        self.see("found for 3 of 4 rows", "Dear is if(fare")
        # The other dataset cannot be deleted under it; what is taken out goes, unless something reads it.
        self.press("Take out")
        self.see("“Dear” is derived by a formula that could not be read any more")
        self.wait(lambda: [e for e in self.all(".line button") if e.text == "Take out"][-1].click() or True)
        self.gone("Dear is if(fare")
        self.press("Take out")
        self.gone("found for 3 of 4 rows")


class ByTheClock(WithFile):
    def test_rows_from_an_address_held_back_and_shown(self) -> None:
        elsewhere = Elsewhere()
        self.addCleanup(elsewhere.close)
        self.open("/data/new/kept")
        self.see("Hosts that may be asked: 127.0.0.1")
        self.one("input[type=url]").send_keys(elsewhere.url)
        self.one("input[autocomplete=off]").send_keys("sesame")
        self.slot("When")
        every = self.wait(lambda: self.one(".slot-panel select"))
        every.send_keys("week")
        self.see("every Monday at 06:00")
        every.send_keys(Keys.ESCAPE)
        self.press("Read it now and keep it")
        self.see("100 rows from rows.csv", "every Monday at 06:00", f"From {elsewhere.url}")
        key = self.driver.current_url.rsplit("/", 1)[1]
        self.addCleanup(self.drop, "datasets", key)
        elsewhere.body = csv(60)
        self.press("Read it now")
        self.see("New rows are held back.", "40 of 100 rows would go", "100 rows from rows.csv")
        self.press("Show the new rows")
        self.see("60 rows from rows.csv")
        self.gone("New rows are held back.")
        elsewhere.status = 500
        self.press("Read it now")
        self.see("It could not be read", "answered with 500", "The rows are as they were.")
        self.press("Stop reading it")
        self.gone("every Monday at 06:00")
        self.see("60 rows from rows.csv")
