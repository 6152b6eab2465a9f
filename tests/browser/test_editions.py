"""Editions at the screen: made, published, laid beside now, taken out, shared; and the file that opens from disk."""

import base64
import struct
import subprocess
import tempfile
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests import world
from tests.browser.page import PageTest
from tests.browser.test_accessibility import AXE, RUN

CARD = "/scorecards/network-performance?period=2026-10&grain=month"


class Editions(PageTest):
    def make_one(self) -> str:
        made = self.client.post(
            "/api/editions", json={"scorecard": "network-performance", "scope": {"period": "2026-10"}}
        )
        return str(made.json()["id"])

    def target(self, value: float) -> None:
        """Set Lowsay – Brae Holm's target, and put it back after the test."""
        found = self.client.get("/api/kpis/on-time/marks")
        change = {"name": "target", "of": {"route": "Lowsay – Brae Holm"}, "since": "2026-10", "value": value}
        answer = self.client.post(
            "/api/kpis/on-time/marks",
            json={"changes": [change], "sure": True},
            headers={"If-Match": found.headers["etag"]},
        )
        back = answer.json()["back"]

        def restore() -> None:
            tag = self.client.get("/api/kpis/on-time/marks").headers["etag"]
            self.client.post("/api/kpis/on-time/marks", json={"changes": back, "sure": True}, headers={"If-Match": tag})

        self.addCleanup(restore)

    def test_one_is_made_published_compared_and_withdrawn(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        self.slot("Make an edition")
        self.type("Covering note", "Fog on four days.", enter=False)
        self.press("Make it")
        self.see("as drafted on", "0 of 41 readings differ now")
        self.type("Covering note", "Fog on four days; Lowsay – Brae Holm fell.", enter=False)
        self.press("Publish")
        self.see("as published on")
        frame = self.one("iframe")  # it opens on itself
        self.driver.switch_to.frame(frame)
        self.see("Network performance", "Fog on four days; Lowsay – Brae Holm fell.", "78.9%")
        self.driver.switch_to.default_content()
        self.target(0.7)
        self.driver.refresh()
        self.press("1 of 41 readings differ now")
        self.see("1 of 41 readings differ", "target 88% → 70%", "Lowsay – Brae Holm is graded by another target now.")
        self.see("1 restated since")
        self.driver.back()
        self.one("iframe")
        self.driver.forward()
        self.press("the page as it was")
        self.one("iframe")
        self.slot("Withdraw")
        field = self.one(".slot-panel input")
        field.send_keys("the wrong target")
        self.press("Withdraw it")
        self.see("Withdrawn on", "the wrong target")
        self.open("/editions")
        self.see("withdrawn: the wrong target", "Fog on four days; Lowsay – Brae Holm fell.")
        self.wait(lambda: self.all(".card .stamps path"), "no edition is drawn")

    def test_a_page_and_an_edition_are_taken_out(self) -> None:
        self.open(CARD)
        self.see("Reading October 2026")
        self.slot("Take out")
        self.press("Save PDF")
        self.one("progress")
        self.wait(lambda: not self.all("progress"), "it is never drawn")
        self.assertFalse([e.text for e in self.all('[role="alert"]')])
        self.open(f"/editions/{self.make_one()}")
        self.slot("Take out")
        self.press("Save slides")
        self.press("Stop")
        self.wait(lambda: not self.all("progress"), "it is not stopped")
        self.assertFalse([e.text for e in self.all('[role="alert"]')])

    def test_a_link_shows_the_edition_and_asks_for_nothing_else(self) -> None:
        self.open(f"/editions/{self.make_one()}")
        self.slot("Share")
        self.press("New link")
        self.one('input[placeholder="Board"]').send_keys("The board")
        self.press("Make the link")
        self.see("This link is shown once.")
        address = str(self.one('[aria-label="The new link"]').get_attribute("value"))
        self.driver.get("about:blank")
        self.driver.get(address)
        self.see("Network performance", "91.4%", "A draft")
        self.assertEqual(self.asked(), [])
        self.open("/editions")
        self.driver.back()
        self.open(f"/editions/{self.client.get('/api/links').json()[0]['edition']}?beside=now")
        self.see("The board", "read 1 time")
        self.press("End The board")
        self.gone("The board")
        self.driver.get(address)
        self.see("There is nothing here")

    def test_a_link_with_a_password_is_opened_by_it_also_in_a_frame(self) -> None:
        class Around(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self.send_response(200)
                self.send_header("Content-Type", "text/html")
                self.end_headers()
                self.wfile.write(f'<iframe width="1200" height="700" src="{around["address"]}"></iframe>'.encode())

            def log_message(self, *_: Any) -> None:
                pass

        site = ThreadingHTTPServer(("127.0.0.1", 0), Around)
        threading.Thread(target=site.serve_forever, daemon=True).start()
        self.addCleanup(site.server_close)
        self.addCleanup(site.shutdown)
        where = f"http://127.0.0.1:{site.server_port}"
        ask = {
            "name": "Board",
            "edition": self.make_one(),
            "until": "2999-01-01",
            "password": "a long word",
            "frames": [where],
        }
        made = self.client.post("/api/links", json=ask).json()
        self.addCleanup(self.client.delete, f"/api/links/{made['id']}")
        around = {"address": f"{self.server.address}{made['path']}"}
        for place in (around["address"], where):
            self.driver.get("about:blank")
            self.driver.get(place)
            if place == where:
                self.driver.switch_to.frame(self.one("iframe"))
                self.addCleanup(self.driver.switch_to.default_content)
            self.see("asks for a password")
            self.one("input[name=password]").send_keys("wrong word", Keys.ENTER)
            self.see("That is not the password.")
            self.one("input[name=password]").send_keys("a long word", Keys.ENTER)
            self.see("Network performance", "91.4%")
        self.driver.get_log("browser")  # which says that a password was refused

    def test_the_file_is_read_without_scripts_and_printed_whole(self) -> None:
        rows = "\n".join(f"2026-09-{n % 28 + 1:02d},Boot {n % 160:03d},{n}" for n in range(1000))
        rows += '\n2026-09-02,"<i>Kahn</i> & ""Söhne""",5'
        files = {"file": ("boote.csv", f"tag,boot,last\n{rows}".encode())}
        made = self.client.post("/api/datasets", files=files).json()
        kpi = self.client.post("/api/kpis", json={"handle": "last_je_boot", "name": "Last", "dataset": made["id"], "formula": "sum(last)", "nature": "flow"}).json()  # fmt: skip
        body = {"title": "Boote", "sections": [{"id": "s", "title": "Alle", "instruments": [
            {"id": "x", "kpi": kpi["id"], "face": "ledger", "by": "boot", "marks": [], "w": 12, "h": 7}]}]}  # fmt: skip
        card = self.client.post("/api/scorecards", json=body).json()
        edition = self.client.post(
            "/api/editions", json={"scorecard": card["id"], "scope": {"period": "2026-09"}}
        ).json()
        for kind, held in (("datasets", made), ("kpis", kpi), ("scorecards", card), ("editions", edition)):
            self.addCleanup(
                self.client.delete, f"/api/{kind}/{held['id']}", headers={"If-Match": f'"{held["version"]}"'}
            )
        html = self.client.get(f"/api/editions/{edition['id']}/export/html").text
        self.assertRegex(html, r"<title>Boote, September 2026, edition \d+")
        plain = html.partition('<script type="application/json"')[0]
        for n in (0, 80, 159):
            self.assertIn(f"Boot {n:03d}", plain, "without scripts every row is there")
        place = Path(tempfile.mkdtemp(prefix="ironmark-test-")) / "page.html"
        place.write_text(html)
        self.addCleanup(lambda: (place.unlink(), place.parent.rmdir()))
        self.driver.get(place.as_uri())
        self.see("Boot 040")
        self.assertNotIn("Boot 039", self.text(), "it is scrolled on the screen")
        pdf = base64.b64decode(self.driver.execute_cdp_cmd("Page.printToPDF", {})["data"])
        told = subprocess.run(["pdftotext", "-", "-"], input=pdf, capture_output=True, check=True).stdout.decode()
        self.assertEqual([n for n in range(160) if f"Boot {n:03d}" not in told], [])
        self.assertIn('<i>Kahn</i> & "Söhne"', told, "a name is text, whatever signs are in it")
        self.wait(lambda: "Boot 039" not in self.text(), "it is as it was, once it is printed")
        # Nor is anything cut from a picture.
        tall = self.client.get(f"/api/editions/{edition['id']}/export/png?scale=1")
        if tall.status_code == 200:
            self.assertGreater(struct.unpack(">II", tall.content[16:24])[1], 160 * 28)

    def asked(self) -> list[str]:
        """What the page has asked of anybody, besides itself."""
        script = "return performance.getEntriesByType('resource').map((one) => one.name).filter((n) => !n.startsWith('data:'))"
        return list(self.driver.execute_script(script))

    def test_the_file_opens_from_disk_without_a_network(self) -> None:
        body = self.client.get(f"/api/editions/{self.make_one()}/export/html").content
        place = Path(tempfile.mkdtemp(prefix="ironmark-test-")) / "page.html"
        place.write_bytes(body)
        self.addCleanup(lambda: (place.unlink(), place.parent.rmdir()))
        off = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
        self.driver.execute_cdp_cmd("Network.enable", {})
        self.driver.execute_cdp_cmd("Network.emulateNetworkConditions", off)
        on = off | {"offline": False, "downloadThroughput": -1, "uploadThroughput": -1}
        self.addCleanup(self.driver.execute_cdp_cmd, "Network.emulateNetworkConditions", on)
        self.driver.get(place.as_uri())
        self.see("Network performance", "91.4%", "Revenue and cost")
        self.assertEqual(len(self.all("[data-instrument]")), 14)
        self.one('[data-instrument="i1"] .press').click()
        self.see("Workings", "count(where", "from the mark book")
        self.press("Close")
        self.assertEqual(self.asked(), [])
        self.assertTrue(self.driver.execute_script("return document.fonts.check('650 20px \"Archivo Variable\"')"))
        self.driver.execute_script(AXE)
        self.assertEqual(self.driver.execute_async_script(RUN, None), [])

    def test_a_book_is_kept_and_a_file_checked(self) -> None:
        key = self.make_one()
        self.open("/editions/books")
        self.press("New book")
        self.one('form input[maxlength="120"]').send_keys("Autumn pack")
        self.one(".check input").click()
        self.press("Keep it")
        self.see("Autumn pack", "Save as PDF", "Network performance")
        body = self.client.get(f"/api/editions/{key}/export/csv").content
        place = Path(tempfile.mkdtemp(prefix="ironmark-test-")) / "readings.zip"
        place.write_bytes(body)
        self.addCleanup(lambda: (place.unlink(), place.parent.rmdir()))
        self.open("/editions/check")
        picker: Any = self.wait(lambda: self.all('[aria-label="File to check"]'))[0]
        picker.send_keys(str(place))
        self.see("As it left", "Nothing in it was changed since it left")

    def test_a_standing_order_is_made_and_a_bundle_looked_at(self) -> None:
        self.open("/editions/calendar")
        self.press("New standing order")
        self.slot("Every")
        self.choose("quarter")
        self.press("Keep it")
        self.see("Next: Q4 2026")
        self.press("End it")
        self.see("There is no standing order.")
        packed = self.client.get("/api/bundle?scorecard=fleet-readiness").content
        place = Path(tempfile.mkdtemp(prefix="ironmark-test-")) / "b.zip"
        place.write_bytes(packed)
        self.addCleanup(lambda: (place.unlink(), place.parent.rmdir()))
        self.open("/data/bundle")
        self.see("Fleet readiness")
        picker: Any = self.driver.find_element(By.CSS_SELECTOR, '[aria-label="Bundle to read"]')
        picker.send_keys(str(place))
        self.see("0 differ,")

    def test_no_view_of_editions_breaks_a_rule(self) -> None:
        key = self.make_one()
        for path, css in (
            ("/editions", "section a"),
            (f"/editions/{key}", "iframe"),
            (f"/editions/{key}?beside=now", ".columns .same"),
            ("/editions/calendar", "h2"),
            ("/editions/books", ".sentence"),
            ("/editions/check", ".sentence"),
            ("/data/bundle", "label"),
        ):
            self.open(path)
            self.wait(lambda css=css: self.all(css))
            self.driver.execute_script(AXE)
            for mode, only in (("light", None), ("dark", ["color-contrast"])):
                self.driver.execute_script(f"document.documentElement.dataset.mode = '{mode}'")
                time.sleep(0.1)
                with self.subTest(path, mode=mode):
                    self.assertEqual(self.driver.execute_async_script(RUN, only), [])


def tearDownModule() -> None:
    world.browser().get("about:blank")
