"""People at the screen: the first owner, somebody who is asked in, who reads what, and what was done. A theatre's houses."""

from __future__ import annotations

import datetime as dt
from typing import Any

import httpx
from selenium.webdriver.common.by import By

from ironmark.store import accounts, database
from tests import world
from tests.browser.page import PageTest

PASSWORD = "osm mokrých psů štěká"
ROWS = "Den,Dům,diváci,tržba\n" + "".join(
    f"2026-{month:02d}-{day:02d},{house},{people + day},{people * 240}\n"
    for month in (8, 9, 10)
    for day in (2, 9, 16, 23)
    for house, people in (("Velká scéna", 310), ("Sklep <i>", 60), ("Loutky", 90))
)


class People(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.server = world.Running("--sign-in", "--no-demo").start()
        self.addCleanup(self.server.close)
        self.client = self.server.client
        self.addCleanup(self.driver.delete_all_cookies)
        with world.straight_to(self.server) as engine, database.sessions(engine).begin() as session:
            self.first = accounts.make_pass(session, "owner", dt.timedelta(hours=1))

    def fill(self, label: str, text: str) -> None:
        def field() -> Any:
            labels = [one for one in self.all("form label") if one.text.startswith(label)]
            return labels and labels[0].find_element(By.CSS_SELECTOR, "input")

        self.wait(field, f"no field “{label}”").send_keys(text)

    def as_owner(self) -> httpx.Client:
        """The same session as the browser's."""
        self.client.cookies.set("ironmark", self.driver.get_cookie("ironmark")["value"])
        return self.client

    def test_an_owner_opens_a_scorecard_to_a_reader_who_sees_it_and_nothing_else(self) -> None:
        self.open(f"/sign-in/{self.first}")
        self.see("Make the owner")
        self.fill("Mail address", "reditel@divadlo.example")
        self.fill("Your name", "Vlasta Nová")
        self.fill("Password", "divadlo")
        self.press("Take it")
        self.see("It has 7 characters; take at least 12.")
        self.one('form input[type="password"]').clear()
        self.fill("Password", PASSWORD)
        self.press("Take it")
        self.see("A first scorecard", "Vlasta Nová")

        client = self.as_owner()
        data = client.post("/api/datasets", files={"file": ("Divadlo.csv", ROWS.encode())}).json()["id"]
        kpi = {"handle": "divaci", "name": "Diváci", "dataset": data, "formula": "sum(diváci)", "nature": "flow"}
        key = self.make("kpis", kpi)
        sheet = {"id": "a", "kpi": key, "face": "bar", "by": "dům", "w": 6, "h": 8}
        body = {"title": "Domy", "sections": [{"id": "s", "instruments": [sheet]}]}
        card = self.make("scorecards", body)

        self.open("/people")
        self.see("1 person signs in", "1 scorecard is opened to nobody but analysts")
        self.press("Ask somebody in")
        self.fill("Name", "Ota <b>Holý")
        self.fill("Mail address", "ota@divadlo.example")
        self.press("Make the link")
        link = self.one('[aria-label="Link"]').get_attribute("value") or ""
        self.see("For Ota <b>Holý, good once", "asked in until")

        ota = httpx.Client(base_url=self.server.address, timeout=60)
        self.addCleanup(ota.close)
        ota.post(f"/api/sign-in/pass/{link.rsplit('/', 1)[-1]}", json={"password": PASSWORD}).raise_for_status()
        self.assertEqual(ota.get("/api/front").json()["cards"], [])

        self.open(f"/people/scorecard/{card}")
        self.see("Who reads Domy", "It is read by the analysts")
        self.slot("Whom it is opened to: read")
        self.choose("everyone who signs in")
        self.see("Ota <b>Holý")
        self.open(f"/people/dataset/{data}")
        self.press("Open some rows to some")
        self.slot("Who")
        self.choose("Ota <b>Holý")
        self.slot("Whose rows")
        self.choose("Loutky")
        self.see("1 of Divadlo by dům: Loutky")

        self.open(f"/people/scorecard/{card}")
        self.wait(lambda: [one for one in self.all("button.row") if "Ota" in one.text])[0].click()
        self.see("As Ota <b>Holý reads it", "1 of Divadlo by dům: Loutky", "2 readings of others are not there")

        self.open("/done")
        self.see("opened the dataset", "opened the scorecard", "came in")

        self.slot("You")
        self.press("Sign out")
        self.see("Sign in", "Forgotten")
        self.fill("Mail address", "ota@divadlo.example")
        self.fill("Password", PASSWORD)
        self.press("Sign in", "button")
        self.see("Domy", "Ota <b>Holý")
        self.assertEqual([one.text for one in self.all("nav a")], ["Scorecards", "Editions", "Watches"])
        self.open(f"/scorecards/{card}")
        self.see("Loutky")
        for word in ("Velká scéna", "Sklep", "Open the bench", "Share", "Who reads it"):
            self.assertNotIn(word, self.text())
        self.open("/kpis")
        self.see("For those who make scorecards")
        self.open("/done")
        self.see("opened to owners")

    def test_a_session_that_has_ended_asks_to_sign_in_and_comes_back_to_where_one_was(self) -> None:
        self.client.post(
            f"/api/sign-in/pass/{self.first}",
            json={"password": PASSWORD, "name": "Vlasta", "mail": "v@divadlo.example"},
        ).raise_for_status()
        self.open("/yardsticks")
        self.see("Sign in")
        self.fill("Mail address", "v@divadlo.example")
        self.fill("Password", "špatné heslo je tohle")
        self.press("Sign in", "button")
        self.see("do not fit together")
        self.one('form input[type="password"]').clear()
        self.fill("Password", PASSWORD)
        self.press("Sign in", "button")
        self.see("Yardsticks", "Vlasta")
        self.open("/me")
        self.see("Your account", "Where you are signed in", "here, now")
        self.client.delete("/api/me/sittings").raise_for_status()  # from elsewhere
        self.open("/scorecards")
        self.see("Sign in", "Forgotten")
