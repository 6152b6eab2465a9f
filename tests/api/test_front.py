"""The front page: what changed, what is late, what is asked for; finding; and changes told at once."""

import threading
import time
import unittest
from collections.abc import Callable
from typing import Any

from ironmark import clock
from tests import world

CARD = "network-performance"


class Front(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def front(self, **query: Any) -> Any:
        answer = self.client.get("/api/front", params=query)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def until(self, what: Callable[[], Any]) -> Any:
        end = time.monotonic() + 40
        while not (found := what()):
            self.assertLess(time.monotonic(), end, "it never came")
            time.sleep(0.2)
        return found

    def shows(self, text: str) -> bool:
        return text in [row["shown"] for row in self.front(first=CARD)["changed"]]

    def card(self, key: str = CARD) -> Any:
        return next(one for one in self.front()["cards"] if one["id"] == key)

    def test_every_scorecard_is_told_as_its_page_reads(self) -> None:
        self.until(lambda: all(card["glance"] for card in self.front()["cards"]))
        page = self.client.get(f"/api/scorecards/{CARD}/page").json()
        card = self.card()
        self.assertEqual(card["tally"], page["tally"])
        self.assertEqual(
            (card["period_label"], card["folder"], card["owner"]), ("October 2026", "Every month", "Reporting desk")
        )
        drawn = self.client.get(f"/api/front/drawings/{CARD}").json()
        self.assertEqual(len(drawn), len(page["instruments"]))
        self.assertEqual({one["kind"] for one in drawn} & {"dial", "bars"}, {"dial", "bars"})
        self.assertEqual(self.client.get("/api/front/drawings/nowhere").status_code, 404)

    def test_changes_are_told_once_the_worst_first_each_with_where_it_stands(self) -> None:
        self.until(lambda: self.shows("78.9%"))  # others may have had numbers written another way a moment ago
        front = self.front(first=CARD)
        ranks = {"short": 1, "near": 2, "met": 3, "beyond": 4}
        telling = [(not row["signal"], row["partial"], bool(row["usual"])) for row in front["changed"]]
        self.assertEqual(telling, sorted(telling), "signals, then what has no usual range, then the rest")
        for kind in set(telling):
            alike = [row for row, told in zip(front["changed"], telling, strict=True) if told == kind]
            fallen = [ranks[row["state"]] for row in alike if not row["better"] and row["state"] in ranks]
            self.assertEqual(fallen, sorted(fallen))
        self.assertEqual(len({row["about"] for row in front["changed"]}), len(front["changed"]))
        row = next(row for row in front["changed"] if row["name"] == "Lowsay – Brae Holm · On-time departures")
        self.assertEqual(
            (row["scorecard"], row["before"], row["state"], row["shown"]), (CARD, "near", "short", "78.9%")
        )
        self.assertTrue(row["note"].startswith("Fog on 9–12 October"))
        self.assertEqual(front["wanted"][0]["count"], 2)

    def test_numbers_follow_how_they_are_written(self) -> None:
        held = self.client.get("/api/calendar")
        ways = {"year_start": held.json()["year_start"], "locale": held.json()["locale"]}

        def write(locale: str) -> None:
            seen = {"If-Match": self.client.get("/api/calendar").headers["etag"]}
            self.client.put("/api/calendar", json=ways | {"locale": locale}, headers=seen).raise_for_status()

        self.addCleanup(write, ways["locale"])
        for locale, text in (("de_DE", "78,9\u00a0%"), ("en_GB", "78.9%"), ("de_DE", "78,9\u00a0%")):
            write(locale)
            self.until(lambda text=text: self.shows(text))

    def test_what_changed_since_a_moment_is_told_against_how_it_stood_then(self) -> None:
        body = self.client.get("/api/yardsticks/punctuality").json()
        self.until(lambda: self.card()["glance"])
        since = clock.now().isoformat() + "Z"
        self.assertEqual([r for r in self.front(since=since)["changed"] if r["scorecard"] == CARD], [])
        cuts = [cut | {"offset": cut["offset"] - 0.02} for cut in body["body"]["cuts"]]
        path, seen = "/api/yardsticks/punctuality", {"If-Match": f'"{body["version"]}"'}
        kept = self.client.put(path, json=body["body"] | {"cuts": cuts}, headers=seen).json()
        try:
            dial = self.until(lambda: self.row(since, "On-time departures"))
            self.assertEqual((dial["before"], dial["state"], dial["better"]), ("near", "met", True))
        finally:
            self.client.put(path, json=body["body"], headers={"If-Match": f'"{kept["version"]}"'})
        self.until(lambda: self.row(since, "On-time departures") is None)

    def row(self, since: str, name: str) -> Any:
        return next((row for row in self.front(since=since, first=CARD)["changed"] if row["name"] == name), None)

    def test_a_scorecard_that_was_deleted_can_be_taken_back(self) -> None:
        made = self.client.post("/api/scorecards", json={"title": "Gone by a slip", "sections": []}).json()
        path = f"/api/scorecards/{made['id']}"
        self.assertEqual(self.client.delete(path, headers={"If-Match": '"1"'}).status_code, 204)
        back = self.client.post(f"{path}/back")
        self.assertEqual((back.status_code, back.json()["body"]["title"]), (200, "Gone by a slip"))
        self.assertEqual(self.client.get(path).json()["version"], back.json()["version"])
        self.client.delete(path, headers={"If-Match": f'"{back.json()["version"]}"'})
        self.assertEqual(self.client.post("/api/scorecards/never-was/back").status_code, 404)

    def test_data_that_could_not_be_read_is_late(self) -> None:
        self.assertEqual(self.front()["late"], [])

    def test_the_demo_is_only_loaded_where_there_is_nothing(self) -> None:
        self.assertEqual(self.client.post("/api/demo").status_code, 409)

    def test_a_since_that_is_no_moment_is_refused(self) -> None:
        for wrong in ("yesterday", "1066-01-01T00:00:00Z"):
            self.assertEqual(self.client.get("/api/front", params={"since": wrong}).status_code, 422)


class Finding(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        end = time.monotonic() + 60  # members and notes are found by how scorecards stand, which is told in a moment
        while any(not card["glance"] for card in cls.client.get("/api/front").json()["cards"]):
            assert time.monotonic() < end
            time.sleep(0.2)

    def find(self, typed: str) -> list[tuple[str, str, str]]:
        answer = self.client.get("/api/find", params={"q": typed})
        self.assertEqual(answer.status_code, 200, answer.text)
        return [(one["what"], one["name"], one["place"]) for one in answer.json()]

    def test_every_kind_is_found_by_its_name(self) -> None:
        for typed, what, place in (
            ("network", "scorecard", f"scorecards/{CARD}"),
            ("on time dep", "kpi", "kpis/on-time"),
            ("turnstone", "member", "vessel=Turnstone"),
            ("punctuality", "yardstick", "yardsticks/punctuality"),
            ("safety sheet", "dataset", "data/"),
            ("edition 2", "edition", "editions/"),
            ("fog", "note", "-reading="),
        ):
            with self.subTest(typed):
                found = [one for one in self.find(typed) if one[0] == what]
                self.assertTrue(found, "nothing of its kind")
                self.assertIn(place, found[0][2])

    def test_mistakes_accents_and_capitals_do_not_matter(self) -> None:
        made = self.client.post("/api/scorecards", json={"title": "Überfahrten à la carte 路线", "sections": []}).json()
        try:
            for typed in ("uberfahrten", "ÜBERFAHRTN", "A la carte", "路线", "ubrefahrten"):
                self.assertIn(made["id"], " ".join(place for *_, place in self.find(typed)), typed)
        finally:
            self.client.delete(f"/api/scorecards/{made['id']}", headers={"If-Match": '"1"'})
        self.assertEqual(self.find("on tmie")[0][1], "On-time departures")
        self.assertEqual(self.find("qqqqqqqq"), [])
        self.assertEqual(self.client.get("/api/find?q=").status_code, 422)


class Told(unittest.TestCase):
    def test_who_listens_is_told_of_a_change_made_elsewhere(self) -> None:
        client = world.running().client
        heard: list[str] = []
        here, changed = threading.Event(), threading.Event()

        def listen() -> None:
            with client.stream("GET", "/api/changes", timeout=30) as answer:
                for line in answer.iter_lines():
                    heard.append(line)
                    if line == "event: here":
                        here.set()
                    if line == "event: changed":
                        changed.set()
                        return

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()
        self.assertTrue(here.wait(20))
        time.sleep(1.5)  # the first look is what changes are told against
        made = client.post("/api/scorecards", json={"title": "Told of", "sections": []}).json()
        self.assertTrue(changed.wait(20), heard)
        thread.join(10)
        client.delete(f"/api/scorecards/{made['id']}", headers={"If-Match": '"1"'})
