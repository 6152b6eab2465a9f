"""Every route that answers, every form that leaves, and the bundle, over a world of another trade than the demo's."""

import io
import json
import unittest
import zipfile
from typing import Any

import httpx

from tests import world
from tests.apiary import STANDS, Apiary, apiary

KINDS = ("pdf", "pptx", "xlsx", "csv", "json", "html", "png", "svg")
LASTING = "/api/changes"  # a stream
# What a route asks for besides the key, by the end of its path.
ASKED: dict[str, list[dict[str, Any]]] = {
    "/api/notes": [{"kpi": "KPI"}],
    "/api/find": [{"q": q} for q in ("Biene", "süd", "<b>", "مَنحل", "zucker", "%", "🐝")],
    "/api/front": [{}, {"since": "2026-10-01T00:00:00Z"}, {"since": "2026-10-01T00:00:00"}],
    "/page": [
        {}, {"data": "true"}, {"period": "latest"}, {"period": "2026-10"}, {"period": "2026", "grain": "year"}, {"period": "2026-W41", "grain": "week"},
        {"period": "2025-04..2026-10"}, {"period": "2027-01"}, {"period": "2026-01"}, {"grain": "quarter"}, {"grain": "day", "period": "latest"},
    ],
    "/marks": [{}, {"by": "stand"}, {"grain": "quarter", "span": "2"}, {"year": "2026"}],
    "/marks/sheet": [{}, {"form": "xlsx"}, {"by": "stand"}],
    "/compare": [{}, {"with": "now"}],
    "/rows/page": [{}, {"sort": "stand", "down": "true", "find": "ü"}, {"offset": "99999"}],
}  # fmt: skip
# Routes that not every key of its kind has something behind.
PARTLY = ("/sheet", "/checklist", "/rows/page", "/rows", "/file", "/uses", "/refresh", "/pieces", "/marks", "/lookups")

ACCOUNTS = ("/api/sign-in/", "/api/openings/", "/api/unfollow/")  # which there are none of at home


class SecondWorld(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.at: Apiary = apiary()

    def get(self, path: str, **params: Any) -> httpx.Response:
        with httpx.Client(base_url=self.at.server.address, timeout=120) as own:
            return own.get(path, params=params or None)

    def test_every_route_answers(self) -> None:
        described = self.get("/api/openapi.json").json()["paths"]
        walked = 0
        for path, methods in described.items():
            if "get" not in methods or path == LASTING or path.startswith(ACCOUNTS):
                continue
            for where in self.filled(path):
                for params in next((found for end, found in ASKED.items() if path.endswith(end)), [{}]):
                    params = {
                        name: self.at.keys["kpis"][0] if value == "KPI" else value for name, value in params.items()
                    }
                    answer = self.get(where, **params)
                    told = f"{where} {params}: {answer.status_code} {answer.text[:300]}"
                    allowed = {200} if not path.endswith(PARTLY) else {200, 404, 409, 415, 422}
                    self.assertIn(answer.status_code, allowed, told)
                    if "json" in answer.headers["content-type"]:
                        self.assertNotIn("NaN", answer.text, told)
                    walked += 1
        self.assertGreater(walked, 250)

    def test_every_kpi_and_scorecard_can_be_watched_or_says_why_not(self) -> None:
        tried = refused = 0
        asked = [("kpi", key) for key in self.at.keys["kpis"]] + [
            ("scorecard", key) for key in self.at.keys["scorecards"]
        ]
        with httpx.Client(base_url=self.at.server.address, timeout=120) as own:
            for about, key in asked:
                choices = own.get("/api/watches/choices", params={about: key})
                self.assertEqual(choices.status_code, 200, choices.text)
                held = choices.json()
                state = held["states"][0]["key"] if held["states"] else "short"
                for question in held["questions"]:
                    for by in (None, *(one["key"] for one in held["segments"][:1])):
                        body = {
                            "name": "x",
                            about: key,
                            "asks": question["key"],
                            "state": state,
                            "mark": "target",
                            "by": by,
                        }
                        body["grain"] = (
                            "month" if "month" in held["grains"] or about == "scorecard" else held["grains"][-1]
                        )
                        answer = own.post("/api/watches/try", json=body)
                        self.assertIn(answer.status_code, (200, 409, 422, 503), f"{body}: {answer.text[:300]}")
                        tried += 1
                        refused += answer.status_code != 200
                        if answer.status_code != 200:
                            self.assertTrue(answer.json()["detail"], body)
        self.assertGreater(tried, 60)
        self.assertLess(refused, tried / 2)

    def filled(self, path: str) -> list[str]:
        """A path with every key there is of its kind."""
        kind = path.split("/")[2]
        if "{kind}" in path:
            return []  # every form is taken below
        if path.endswith("/workings"):
            return self.workings()
        keys = self.at.keys
        known = {
            "front": keys["scorecards"], "specimens": ["plain", "members"], "images": [], "uploads": keys["uploads"],
        }.get(kind, keys.get(kind, []))  # fmt: skip
        if "{name}" in path:
            return [
                path.replace("{key}", key).replace("{name}", column["name"])
                for key in known
                for column in self.get(f"/api/datasets/{key}").json()["columns"]
            ]
        return [path.replace("{key}", key) for key in known] if "{key}" in path else [path]

    def workings(self) -> list[str]:
        key = self.at.keys["editions"][0]
        explained = self.get(f"/api/editions/{key}").json()["explained"]
        self.assertGreater(sum(map(len, explained.values())), 30)
        return [
            f"/api/editions/{key}/workings?{httpx.QueryParams({'sheet': sheet, 'reading': reading})}"
            for sheet, readings in explained.items()
            for reading in readings[:3]
        ]

    def test_the_front_page_tells_what_is_late(self) -> None:
        front = self.get("/api/front").json()
        self.assertEqual(
            sorted(row["name"] for row in front["late"] if "Wetter" in row["name"]),
            ["Wetter, broken", "Wetter, shrinking"],
        )
        self.assertEqual(len(front["drafts"]), 1)
        self.assertEqual(len(front["cards"]), 3)
        world.until(lambda: self.get("/api/front").json(), lambda found: all(card["glance"] for card in found["cards"]))

    def test_a_condition_whose_rows_are_blank_is_told(self) -> None:
        made = self.at.ok("post", "/api/datasets", files={"file": ("Fahrten.csv", "Tag;Ort;Sitze;Verspätung\n2026-05-01;A;;75\n2026-05-02;A;;90\n2026-05-03;A;40;5\n2026-05-04;B;30;5\n".encode())})  # fmt: skip
        late = next(c["name"] for c in made["columns"] if c["name"].startswith("versp"))
        body = {"handle": "spaet", "name": "Sitze, verspätet", "dataset": made["id"], "formula": f"sum(sitze where {late} > 60)"}  # fmt: skip
        kpi = self.at.ok("post", "/api/kpis", json=body)["id"]
        self.addCleanup(self.drop, "datasets", made["id"])
        self.addCleanup(self.drop, "kpis", kpi)
        ask = {"instrument": {"id": "i", "kpi": kpi, "face": "figure", "marks": []}, "scope": {"period": "2026-05"}}
        told = self.at.ok("post", "/api/scorecards/workings", json=ask)
        self.assertEqual(told["verdict"], f"no reading: no row where {late} > 60 has a figure for sitze")
        self.assertEqual(told["parts"][0]["figure"], "nothing: 2 of 4 rows are read, and sitze is blank in all of them")
        ask["scope"]["members"] = {"ort": ["B"]}  # type: ignore[index]
        told = self.at.ok("post", "/api/scorecards/workings", json=ask)
        self.assertEqual(told["parts"][0]["figure"], "0")  # no row is late: nothing to add up is 0

    def test_a_page_and_its_workings_are_of_one_period(self) -> None:
        card = self.at.keys["scorecards"][0]
        page = self.get(f"/api/scorecards/{card}/page").json()
        self.assertEqual(
            page["period"], "2026-09"
        )  # complete for most of its sheets; neither a late nor an early one moves it
        body = self.get(f"/api/scorecards/{card}").json()["body"]
        scope = {"period": page["period"], "grain": page["grain"]}
        told = 0
        for instrument, drawn in zip(body["sections"][0]["instruments"], page["instruments"], strict=True):
            for reading in drawn["readings"]:
                if reading["ask"] or reading["value"] is None or instrument.get("last"):
                    continue
                ask = {"instrument": instrument, "scope": scope, "member": reading["member"]}
                found = self.at.ok("post", "/api/scorecards/workings", json=ask)
                self.assertIn("September 2026", found["subtitle"])
                said = " ".join(line["text"] for line in found["lines"])
                self.assertIn(reading["shown"], said, drawn["title"])
                told += 1
        self.assertGreater(told, 20)
        self.assertEqual(page["partial"], "", "most of it is whole")
        behind = {one["title"]: one["notes"] for one in page["instruments"]}
        self.assertIn("its rows are behind: complete through 31 August 2026", behind["Note by stand"])

    def test_two_datasets_are_read_over_the_same_days_and_say_so(self) -> None:
        kpi = next(k for k in self.at.ok("get", "/api/kpis") if k["body"]["handle"] == "kosten_je_kg")
        ask = {
            "instrument": {"id": "i", "kpi": kpi["id"], "face": "figure", "marks": []},
            "scope": {"period": "2026-10"},
        }
        lines = {line["label"]: line["text"] for line in self.at.ok("post", "/api/scorecards/workings", json=ask)["lines"]}  # fmt: skip
        self.assertEqual(lines["Same days"], "all read through 30 September 2026, as far as Kosten & Löhne goes; Ernte through 14 October 2026 is not read further")  # fmt: skip
        ask["scope"] = {"period": "2026-09"}
        lines = {line["label"]: line["text"] for line in self.at.ok("post", "/api/scorecards/workings", json=ask)["lines"]}  # fmt: skip
        self.assertRegex(lines["Rows used"], r"^\d+ of Ernte, 1–30 Sep 2026; 4 of Kosten & Löhne$")
        self.assertNotIn("Same days", lines)

    def drop(self, kind: str, key: str) -> None:
        self.at.ok("delete", f"/api/{kind}/{key}", headers=self.at.tag(f"/api/{kind}/{key}"))

    def test_what_is_drawn_is_what_the_page_says(self) -> None:
        card = self.at.keys["scorecards"][0]
        path = f"/api/scorecards/{card}/page?period=2026-09"
        page, picture = self.get(f"{path}&data=true").json(), self.get(path).json()
        compared = 0
        for sheet, drawn in zip(page["sheets"], picture["instruments"], strict=True):
            by_key = {reading["key"]: reading for reading in sheet["readings"]}
            for reading in drawn["readings"]:
                if reading["key"] in by_key:
                    for what in ("value", "gap", "attainment", "headroom", "state"):
                        self.assertEqual(reading[what], by_key[reading["key"]][what], f"{sheet['title']} {what}")
                        compared += reading[what] is not None
        self.assertGreater(compared, 60)

    def test_a_note_is_found_with_its_figures(self) -> None:
        found = world.until(
            lambda: [one for one in self.get("/api/find", q="Regen").json() if one["what"] == "note"], lambda some: some
        )
        self.assertRegex(found[0]["note"], r"Nach dem Regen \d+,\d kg\.")

    def test_what_the_address_names_and_is_not_there_is_told(self) -> None:
        card = self.at.keys["scorecards"][0]
        for query, status, says in (
            ("stand=Nirgends", 422, "has no member “Nirgends”"), ("standt=Ruht", 422, "did you mean “stand”?"), ("nosuch=3", 422, "There is no segment “nosuch”"),
            ("assume=zuckerpreis:2.4", 200, "zuckerpreis"), ("assume=zuckerprais:2.4", 422, "did you mean “zuckerpreis”?"),
            ("assume=zuckerpreis:99", 422, "lies outside"), ("assume=zuckerpreis:viel", 422, "assume"), (f"stand={STANDS[1]}", 200, STANDS[1]),
        ):  # fmt: skip
            answer = self.get(f"/api/scorecards/{card}/page?{query}")
            self.assertEqual(answer.status_code, status, answer.text[:300])
            self.assertIn(says, answer.text)
        by_handle = self.get(f"/api/scorecards/{card}/page?data=true&assume=zuckerpreis:2.4").json()
        by_key = self.get(f"/api/scorecards/{card}/page?data=true&assume={self.at.keys['assumptions'][0]}:2.4").json()
        self.assertEqual(by_handle["sheets"], by_key["sheets"])

    def test_every_form_of_an_edition_and_of_a_page(self) -> None:
        edition = self.at.keys["editions"][0]
        shown = {r["shown"] for i in self.get(f"/api/editions/{edition}").json()["picture"]["instruments"] for r in i["readings"]}  # fmt: skip
        self.assertGreater(len(shown), 20)
        for kind in KINDS:
            answer = self.get(f"/api/editions/{edition}/export/{kind}")
            self.assertEqual(answer.status_code, 200, f"{kind}: {answer.text[:300]}")
            self.assertGreater(len(answer.content), 1000, kind)
            if kind == "html":
                self.assertIn("Bienen &amp; Honig &lt;alt&gt;", answer.text)
                self.assertNotIn("<b>Wabe</b>", answer.text.replace("\\u003c", "<").partition("<body")[0])
        for card in self.at.keys["scorecards"]:  # also one that is empty
            body = self.get(f"/api/scorecards/{card}").json()["body"]
            for kind in ("pdf", "xlsx", "pptx"):
                with httpx.Client(base_url=self.at.server.address, timeout=120) as own:
                    answer = own.post(f"/api/scorecards/export/{kind}", json={"body": body})
                self.assertEqual(answer.status_code, 200, f"{kind} of {body['title']}: {answer.text[:300]}")

    def test_signs_that_no_document_can_hold_are_left_out_of_it(self) -> None:
        for title in ("\x01\x1bBiene", "\uffffBiene", "Bie\x00ne"):
            for kind in ("pptx", "pdf", "xlsx", "svg"):
                with httpx.Client(base_url=self.at.server.address, timeout=120) as own:
                    answer = own.post(f"/api/scorecards/export/{kind}", json={"body": {"title": title, "sections": []}})
                self.assertEqual(answer.status_code, 200, f"{kind} {title!r}: {answer.text[:200]}")

    def test_its_bundle_gives_the_same_pages_elsewhere(self) -> None:
        packed = self.get("/api/bundle").content
        with zipfile.ZipFile(io.BytesIO(packed)) as found:
            self.assertIn(
                "Süd & Söhne", "".join(found.read(n).decode() for n in found.namelist() if n.endswith(".json"))
            )
        empty = world.Running("--no-demo", "--fetch-from", "127.0.0.1").start()
        self.addCleanup(empty.close)
        answer = empty.client.post("/api/bundle", files={"file": ("b.zip", packed)}, timeout=120)
        self.assertEqual(answer.status_code, 200, answer.text[:500])
        for card in self.at.keys["scorecards"]:
            for query in ("period=2026-09", "period=2026&grain=year"):
                pages = [c.get(f"/api/scorecards/{card}/page?data=true&{query}").json() for c in (self.at.client, empty.client)]  # fmt: skip
                for page in pages:
                    page.pop("rests_on")
                    for one in page["assumptions"]:
                        one.pop("version")
                self.assertEqual(json.dumps(pages[0]), json.dumps(pages[1]), card)

    def test_garbage_as_a_list_of_holidays_and_fields_twice_are_refused(self) -> None:
        def sent(parts: list[tuple[str, bytes]]) -> int:
            body = b"".join(b"--x\r\nContent-Disposition: form-data; " + head.encode() + b"\r\n\r\n" + part + b"\r\n" for head, part in parts)  # fmt: skip
            with httpx.Client(base_url=self.at.server.address, timeout=60) as own:
                heads = {"Content-Type": "multipart/form-data; boundary=x"}
                return own.post("/api/holidays", content=body + b"--x--\r\n", headers=heads).status_code

        name, file, plain = 'name="name"', 'name="file"; filename="f"', 'name="file"'
        for garbage in (b"\x00\x01\x02\r\xff", bytes(range(256)) * 3, b"a\rb,c\r\n\x00", b"BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:20260101\nDTSTART:20260102\nEND:VEVENT\nEND:VCALENDAR", b'"' * 999):  # fmt: skip
            self.assertEqual(sent([(name, b"x"), (file, garbage)]), 422, garbage[:20])
        self.assertIn(sent([(name, b"x"), (name, b"y"), (file, b"2026-12-25\n")]), (201, 422))
        for parts in ([(plain, b"q"), (name, b"x")], [(file, b"2026-12-25\n"), (plain, b"q"), (name, b"x")]):
            self.assertEqual(sent(parts), 422)


if __name__ == "__main__":
    unittest.main()
