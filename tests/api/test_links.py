"""Links for people without an account: they show one page, and nothing else."""

import datetime as dt
import io
import json
import re
import time
import unittest
import zipfile
from typing import Any

from sqlalchemy import text

from ironmark import clock
from tests import world

CARD = "network-performance"
NOTHING = (b"[]", b'{"pieces":0,"size":0}')  # what is told of what there is not
LATER = (clock.now().date() + dt.timedelta(days=30)).isoformat()


class Links(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        made = cls.client.post("/api/editions", json={"scorecard": CARD, "scope": {"period": "2026-10"}}).json()
        cls.edition = made["id"]
        cls.client.post(f"/api/editions/{cls.edition}/publish")

    def make(self, **asked: Any) -> Any:
        answer = self.client.post("/api/links", json={"name": "Board", "until": LATER, **asked})
        self.assertEqual(answer.status_code, 201, answer.text)
        return answer.json()

    def told(self, page: str) -> Any:
        return json.loads(re.search(r'id="told">(.*?)</script>', page, re.S)[1])  # type: ignore[index]

    def test_it_shows_its_edition_and_counts_its_readings(self) -> None:
        link = self.make(edition=self.edition)
        for _ in range(2):
            page = self.client.get(link["path"])
            self.assertEqual(page.status_code, 200)
        told = self.told(page.text)
        self.assertEqual((told["title"], told["workings"]), ("Network performance", {}))
        listed = self.client.get(f"/api/links?edition={self.edition}").json()
        found = next(one for one in listed if one["id"] == link["id"])
        self.assertEqual(found["readings"], 2)
        self.assertNotIn("path", found)
        with world.engine().connect() as connection:
            row = str(connection.execute(text("SELECT * FROM links WHERE id = :id"), {"id": link["id"]}).one())
        token = link["path"].rsplit("/", 1)[1]
        self.assertNotIn(token, row)
        self.assertNotIn(token, (world.running().directory / "server.log").read_text())
        with_workings = self.make(edition=self.edition, workings=True)
        self.assertTrue(self.told(self.client.get(with_workings["path"]).text)["workings"]["i1"])

    def test_wrong_ended_and_taken_back_look_the_same(self) -> None:
        ended, back = self.make(edition=self.edition), self.make(edition=self.edition)
        with world.engine().begin() as connection:
            connection.execute(text("UPDATE links SET until = '2020-01-01' WHERE id = :id"), {"id": ended["id"]})
        self.assertEqual(self.client.delete(f"/api/links/{back['id']}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/links/{back['id']}").status_code, 404)
        seen = [
            self.client.get(path) for path in (ended["path"], back["path"], "/shared/never-was", "/shared/" + "x" * 43)
        ]
        seen += [self.client.post(path, data={"password": "x"}) for path in (ended["path"], back["path"], "/shared/no")]
        self.assertEqual({(one.status_code, one.content) for one in seen}, {(404, seen[0].content)})
        # Every request has its own moment and its own id, whatever it asks for.
        heads = [{k: v for k, v in one.headers.items() if k not in ("date", "x-request-id")} for one in seen]
        self.assertTrue(all(head == heads[0] for head in heads))

    def test_it_opens_no_other_route(self) -> None:
        token = self.make(edition=self.edition)["path"].rsplit("/", 1)[1]
        paths = self.client.get("/api/openapi.json").json()["paths"]
        bearer = {"Authorization": f"Bearer {token}"}
        for path, methods in paths.items():
            keyed = re.sub(r"\{[^}]*\}", token, path)
            if keyed != path and "get" in methods:
                answer = self.client.get(keyed, headers=bearer)
                self.assertTrue(
                    answer.status_code in (401, 404, 422) or answer.content in NOTHING, f"{keyed} {answer.text[:200]}"
                )
        for rest in ("/", "/page", "/../api/editions", "?data=true", "/export/json"):
            answer = self.client.get(f"/shared/{token}{rest}", headers=bearer, follow_redirects=False)
            self.assertTrue(answer.status_code in (404, 307) or "<!doctype html>" in answer.text, rest)
        self.assertEqual(self.client.get("/shared").status_code, 404)
        page = self.client.get(f"/shared/{token}").text
        self.assertNotIn(self.edition, page)
        self.assertNotIn(token, page)

    def test_a_password_is_asked_for_and_tries_slow_down(self) -> None:
        link = self.make(edition=self.edition, password="fog on the sound")
        self.assertIn("asks for a password", self.client.get(link["path"]).text)
        self.assertNotIn("told", self.client.get(link["path"]).text)
        right = self.client.post(link["path"], data={"password": "fog on the sound"})
        self.assertEqual(self.told(right.text)["title"], "Network performance")
        codes = [self.client.post(link["path"], data={"password": f"try {n}"}).status_code for n in range(5)]
        self.assertEqual(codes, [403, 403, 403, 429, 429])
        later = self.client.post(link["path"], data={"password": "fog on the sound"})
        self.assertEqual(later.status_code, 429)
        time.sleep(int(later.headers["retry-after"]) + 0.1)
        self.assertEqual(self.client.post(link["path"], data={"password": "wrong again"}).status_code, 403)
        later = self.client.post(link["path"], data={"password": "fog on the sound"})
        self.assertGreater(int(later.headers["retry-after"]), 2)
        time.sleep(int(later.headers["retry-after"]) + 0.1)
        self.assertEqual(self.client.post(link["path"], data={"password": "fog on the sound"}).status_code, 200)
        with world.engine().connect() as connection:
            kept = connection.execute(
                text("SELECT password FROM links WHERE id = :id"), {"id": link["id"]}
            ).scalar_one()
        self.assertTrue(kept.startswith("$argon2id$"))

    def test_only_named_sites_may_frame_it(self) -> None:
        alone, framed = self.make(edition=self.edition), self.make(edition=self.edition, frames=["https://intranet.example:8443"])  # fmt: skip
        around = [self.client.get(one["path"]).headers["content-security-policy"] for one in (alone, framed)]
        self.assertIn("frame-ancestors 'none'", around[0])
        self.assertIn("frame-ancestors https://intranet.example:8443", around[1])
        self.assertIn("default-src 'none'", around[1])
        for odd in ("https://a.example/path", "javascript:alert(1)", "*", "https://a.example; script-src *"):
            answer = self.client.post("/api/links", json={"name": "x", "until": LATER, "edition": self.edition, "frames": [odd]})  # fmt: skip
            self.assertEqual(answer.status_code, 422, odd)

    def test_a_live_page_reads_what_holds_now(self) -> None:
        body = self.client.get(f"/api/scorecards/{CARD}").json()["body"] | {"title": "Harbour <b>screen</b>"}
        card = self.client.post("/api/scorecards", json=body).json()["id"]
        link = self.make(scorecard=card, scope={"period": "2026-09"})
        page = self.client.get(link["path"])
        self.assertIn('http-equiv="refresh"', page.text)
        self.assertIn("Harbour &lt;b&gt;screen", page.text)
        self.assertEqual(self.told(page.text)["picture"]["period"], "2026-09")
        self.client.get(link["path"] + "?again=1")
        self.assertEqual(self.client.get(f"/api/links?scorecard={card}").json()[0]["readings"], 1)
        tag = self.client.get(f"/api/scorecards/{card}").headers["etag"]
        self.client.delete(f"/api/scorecards/{card}", headers={"If-Match": tag})
        self.assertEqual(self.client.get(link["path"]).status_code, 404)

    def test_a_narrowed_link_tells_nothing_else(self) -> None:
        """Not who else there is, where it is kept, whose it is, or what is asked of its writers: in no form it can be taken."""
        found = self.client.get(f"/api/scorecards/{CARD}").json()["body"]
        body = found | {"title": "One route", "folder": "Secret drawer", "owner": "Nobody’s Business", "asks": {"worst": True, "fell": True}}  # fmt: skip
        for section in body["sections"]:
            section["instruments"] = [i for i in section["instruments"] if i["by"] in (None, "route")]
        card = self.client.post("/api/scorecards", json=body).json()["id"]
        narrow = {"period": "2026-10", "members": {"route": ["Night freight"]}}
        link = self.make(scorecard=card, scope=narrow, takes=["csv", "html", "xlsx"])
        page = self.client.get(link["path"]).text
        others = ("Hollin", "Skarra", "Lowsay", "Tarn Point", "Secret drawer", "Nobody’s Business", '"wanted":[{')
        forms = {"page": page, "csv": "", "html": "", "xlsx": ""}
        for kind in ("csv", "html", "xlsx"):
            answer = self.client.get(link["path"], params={"take": kind})
            self.assertEqual(answer.status_code, 200, answer.text[:300])
            if kind == "html":
                forms[kind] = answer.text
            else:
                with zipfile.ZipFile(io.BytesIO(answer.content)) as packed:
                    forms[kind] = "".join(packed.read(name).decode(errors="replace") for name in packed.namelist())
        for kind, said in forms.items():
            with self.subTest(kind):
                self.assertIn("Night freight", said)
                self.assertEqual([word for word in others if word in said], [])
        self.assertEqual(self.client.get(link["path"], params={"take": "json"}).status_code, 404)
        self.assertEqual(
            self.client.get(self.make(edition=self.edition)["path"], params={"take": "csv"}).status_code, 404
        )
        tag = self.client.get(f"/api/scorecards/{card}").headers["etag"]
        self.client.delete(f"/api/scorecards/{card}", headers={"If-Match": tag})
        self.assertEqual(self.client.get(f"/api/links?scorecard={card}").json(), [], "it goes with its page")
        self.client.post(f"/api/scorecards/{card}/back")
        self.assertEqual(self.client.get(link["path"]).status_code, 404)

    def test_a_right_password_is_not_kept_out_by_the_tries_of_others(self) -> None:
        link = self.make(edition=self.edition, password="the tide tables", takes=["csv"])
        with world.engine().begin() as connection:
            for n in range(40):  # from elsewhere
                connection.execute(
                    text("INSERT INTO link_tries VALUES (:link, :who, 99, UTC_TIMESTAMP(6) + INTERVAL 1 YEAR, UTC_TIMESTAMP(6))"),
                    {"link": link["id"], "who": f"{n:064x}"},
                )  # fmt: skip
        right = self.client.post(link["path"], data={"password": "the tide tables"})
        self.assertEqual(right.status_code, 200)
        asked = self.client.get(link["path"], params={"take": "csv"})
        self.assertIn("asks for a password", asked.text)
        given = self.client.post(link["path"], params={"take": "csv"}, data={"password": "the tide tables"})
        self.assertTrue(given.content.startswith(b"PK"))

    def test_each_reader_has_an_address_and_one_is_taken_back(self) -> None:
        asked = {
            "name": "Board pack",
            "until": LATER,
            "edition": self.edition,
            "readers": ["Ansa Þór", "山田", "Ansa Þór"],
        }
        made = self.client.post("/api/links/each", json=asked).json()
        self.assertEqual([one["reader"] for one in made], ["Ansa Þór", "山田"])
        self.client.delete(f"/api/links/{made[0]['id']}")
        self.assertEqual([self.client.get(one["path"]).status_code for one in made], [404, 200])
        self.assertEqual(self.client.post("/api/links/each", json=asked | {"readers": []}).status_code, 422)

    def test_links_of_an_edition_thrown_away_are_gone(self) -> None:
        made = self.client.post("/api/editions", json={"scorecard": CARD}).json()
        link = self.make(edition=made["id"])
        tag = {"If-Match": f'"{made["version"]}"'}
        self.assertEqual(self.client.delete(f"/api/editions/{made['id']}", headers=tag).status_code, 204)
        self.assertEqual(self.client.get(f"/api/links?edition={made['id']}").json(), [])
        self.assertEqual(self.client.get(link["path"]).status_code, 404)

    def test_what_does_not_fit_is_refused(self) -> None:
        for asked in ({}, {"edition": self.edition, "scorecard": CARD}, {"edition": self.edition, "until": "2020-01-01"},
                      {"edition": self.edition, "password": "short"}):  # fmt: skip
            answer = self.client.post("/api/links", json={"name": "x", "until": LATER, **asked})
            self.assertEqual(answer.status_code, 422, asked)
        self.assertEqual(
            self.client.post("/api/links", json={"name": "x", "until": LATER, "edition": "no"}).status_code, 404
        )
