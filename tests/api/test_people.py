"""People: signing in, what each role may, some rows for some, and who did what. A chain of animal clinics."""

from __future__ import annotations

import datetime as dt
import json
import os
import shutil
import threading
import time
import unittest
from typing import Any
from unittest import mock

import httpx
import pyotp
import uvicorn
from cryptography.fernet import Fernet
from sqlalchemy import text
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.api import allowed
from ironmark.api.app import create_app, described
from ironmark.api.signing import Signing, address_of
from ironmark.api.start import IDENTITY_SECRET
from ironmark.demo.standin_identity import SECRET, create_standin
from ironmark.store import accounts, database, dataset_secrets, scratch, sealed, trail
from tests import world

ROWS = "Datum,Ordinacija,Vrsta,obiski,prihodek\n" + "".join(
    f"2026-{month:02d}-{day:02d},{clinic},{kind},{visits + day % 3},{visits * 31 + month}\n"
    for month in (8, 9, 10)
    for day in (3, 11, 19, 28)
    for clinic, visits in (("Bežigrad", 9), ("Šiška <b>", 5), ("Vič", 2))
    for kind in ("pes", "mačka")
)
PASSWORD = "sedem mokrih psov laja"
KPI = {
    "handle": "obiski", "name": "Obiski", "dataset": "", "formula": "sum(obiski)", "nature": "flow",
    "unit": {"kind": "number", "decimals": 0},
}  # fmt: skip
ROLES = ("owner", "analyst", "keeper", "reader")


class Clinics(unittest.TestCase):
    """A server where everybody signs in, with one person of each role."""

    server: world.Running
    people: dict[str, httpx.Client]
    ids: dict[str, str]

    @classmethod
    def setUpClass(cls) -> None:
        if hasattr(Clinics, "card"):
            return
        cls = Clinics  # one for all classes here
        cls.server = world.Running("--sign-in", "--no-demo").start()
        unittest.addModuleCleanup(cls.server.close)
        cls.people, cls.ids = {}, {}
        with world.straight_to(cls.server) as engine, database.sessions(engine).begin() as session:
            first = accounts.make_pass(session, "owner", dt.timedelta(hours=1))
        for role in ROLES:
            if role == "owner":
                token, body = first, {"mail": "mojca@vet.example", "name": "Mojca Hribar"}
            else:
                ask = {"mail": f"{role}@vet.example", "name": f"Ena {role}", "role": role}
                token, body = cls.people["owner"].post("/api/people", json=ask).json()["path"].split("/")[-1], {}
            cls.people[role] = cls.client()
            cls.people[role].post(f"/api/sign-in/pass/{token}", json=body | {"password": PASSWORD}).raise_for_status()
            cls.ids[role] = cls.people[role].get("/api/me").json()["id"]
        cls.owner = cls.people["owner"]
        cls.dataset = cls.owner.post("/api/datasets", files={"file": ("Klinike.csv", ROWS.encode())}).json()["id"]
        cls.kpi = cls.owner.post("/api/kpis", json=KPI | {"dataset": cls.dataset}).json()["id"]
        cls.card = cls.card_of("Ordinacije")
        cls.hidden = cls.card_of("Uprava")

    @classmethod
    def client(cls) -> httpx.Client:
        made = httpx.Client(base_url=cls.server.address, timeout=60)
        unittest.addModuleCleanup(made.close)
        return made

    @classmethod
    def card_of(cls, title: str) -> str:
        sheet = {"id": "a", "kpi": cls.kpi, "face": "bar", "by": "ordinacija", "w": 6, "h": 8}
        total = {"id": "b", "kpi": cls.kpi, "face": "figure", "x": 6}
        body = {"title": title, "sections": [{"id": "s", "instruments": [sheet, total]}]}
        answer = cls.owner.post("/api/scorecards", json=body)
        answer.raise_for_status()
        return str(answer.json()["id"])

    def opened(self, kind: str, key: str, **slots: Any) -> httpx.Response:
        held = self.owner.get(f"/api/openings/{kind}/{key}").json()
        head = {"If-Match": f'"{held["version"]}"'}
        return self.owner.put(f"/api/openings/{kind}/{key}", json=held["body"] | slots, headers=head)

    def refused(self, answer: httpx.Response, status: int, kind: str) -> None:
        self.assertEqual((answer.status_code, answer.json()["type"]), (status, kind), answer.text)


class SigningIn(Clinics):
    def test_nothing_is_told_to_who_has_not_signed_in(self) -> None:
        nobody = self.client()
        self.refused(nobody.get("/api/front"), 401, "sign-in")
        self.refused(nobody.get(f"/api/scorecards/{self.card}/page"), 401, "sign-in")
        self.assertEqual(nobody.get("/api/me").json()["signed_in"], False)
        self.assertEqual(nobody.get("/api/health").status_code, 200)

    def test_a_link_is_good_once_and_a_known_password_is_refused(self) -> None:
        path = self.owner.post("/api/people", json={"mail": "Nova@VET.example", "name": "Nova"}).json()["path"]
        token, new = path.split("/")[-1], self.client()
        self.assertEqual(new.get(f"/api/sign-in/pass/{token}").json()["mail"], "nova@vet.example")
        for bad, kind in (("kratko", "short-password"), ("Password1234567", "common-password"), ("dragondragon", "common-password")):  # fmt: skip
            self.refused(new.post(f"/api/sign-in/pass/{token}", json={"password": bad}), 422, kind)
        self.assertEqual(new.post(f"/api/sign-in/pass/{token}", json={"password": PASSWORD}).status_code, 200)
        self.refused(new.post(f"/api/sign-in/pass/{token}", json={"password": PASSWORD}), 410, "link-over")
        self.refused(self.owner.post("/api/people", json={"mail": "nova@vet.example", "name": "N"}), 409, "mail-taken")
        me = new.get("/api/me").json()
        self.assertEqual((me["role"], me["verbs"]), ("reader", ["note", "read"]))
        version = next(
            one["version"] for one in self.owner.get("/api/people").json()["people"] if one["id"] == me["id"]
        )
        self.owner.delete(f"/api/people/{me['id']}", headers={"If-Match": f'"{version}"'}).raise_for_status()
        self.refused(new.get("/api/front"), 401, "sign-in")
        self.refused(self.client().post("/api/sign-in", json={"mail": "nova@vet.example", "password": PASSWORD}), 401, "wrong-password")  # fmt: skip

    def test_known_and_unknown_addresses_are_answered_alike_and_tries_slow_down(self) -> None:
        known, unknown = self.client(), self.client()
        took: dict[str, list[float]] = {"reader@vet.example": [], "nobody@vet.example": []}
        texts = set()
        for mail, client in (("reader@vet.example", known), ("nobody@vet.example", unknown)):
            for _ in range(4):
                began = time.perf_counter()
                answer = client.post("/api/sign-in", json={"mail": mail, "password": "ni pravo geslo"})
                took[mail].append(time.perf_counter() - began)
                texts.add(answer.text)
                self.refused(answer, 401, "wrong-password")
        self.assertEqual(len(texts), 1)
        fastest = sorted(min(times) for times in took.values())
        self.assertLess(fastest[1], 3 * fastest[0], took)
        known.post("/api/sign-in", json={"mail": "reader@vet.example", "password": "ni pravo geslo"})
        self.refused(known.post("/api/sign-in", json={"mail": "reader@vet.example", "password": PASSWORD}), 429, "slow-down")  # fmt: skip
        told = self.owner.get("/api/trail", params={"kind": "sign-in"}).json()["rows"]
        self.assertIn(("failed", "reader@vet.example"), [(row["verb"], row["name"]) for row in told])

    def test_a_second_factor_is_asked_for_and_each_code_is_taken_once(self) -> None:
        client = self.people["keeper"]
        self.refused(client.post("/api/me/second", json={"password": "drugo geslo kot je"}), 403, "wrong-password")
        begun = client.post("/api/me/second", json={"password": PASSWORD}).json()
        self.assertIn("<svg", begun["picture"])
        totp = pyotp.TOTP(begun["secret"])
        self.refused(client.put("/api/me/second", json={"code": "000000"}), 422, "wrong-code")
        codes = client.put("/api/me/second", json={"code": totp.at(clock.now().replace(tzinfo=dt.UTC))}).json()
        self.assertEqual(len(codes), 10)
        new = self.client()
        sign_in = {"mail": "keeper@vet.example", "password": PASSWORD}
        step = new.post("/api/sign-in", json=sign_in).json()["step"]
        self.refused(new.get("/api/front"), 401, "sign-in")
        self.refused(new.post("/api/sign-in/second", json={"step": step, "code": "123456"}), 401, "wrong-code")
        self.assertEqual(new.post("/api/sign-in/second", json={"step": step, "code": codes[0]}).status_code, 200)
        self.assertEqual(new.get("/api/me").json()["codes_left"], 9)
        step = self.client().post("/api/sign-in", json=sign_in).json()["step"]
        self.refused(new.post("/api/sign-in/second", json={"step": step, "code": codes[0]}), 401, "wrong-code")
        client.request("DELETE", "/api/me/second", json={"password": PASSWORD}).raise_for_status()
        self.assertEqual(self.client().post("/api/sign-in", json=sign_in).json()["step"], "")

    def test_sessions_are_listed_and_ended_and_a_new_one_is_never_one_that_was_given(self) -> None:
        mine, other = self.client(), self.client()
        other.cookies.set("ironmark", "fixed-by-somebody-else")
        for client in (mine, other):
            client.post("/api/sign-in", json={"mail": "analyst@vet.example", "password": PASSWORD}).raise_for_status()
        self.assertNotIn("fixed-by-somebody-else", [cookie.value for cookie in other.cookies.jar if cookie.value == other.get("/api/me").request.headers["cookie"].split("=")[-1]])  # fmt: skip
        listed = mine.get("/api/me/sittings").json()
        self.assertEqual(sum(one["here"] for one in listed), 1)
        mine.delete("/api/me/sittings").raise_for_status()
        self.refused(other.get("/api/front"), 401, "sign-in")
        mine.post("/api/sign-out").raise_for_status()
        self.refused(mine.get("/api/front"), 401, "sign-in")
        again = self.client()
        again.post("/api/sign-in", json={"mail": "analyst@vet.example", "password": PASSWORD}).raise_for_status()
        head = again.post("/api/sign-in", json={"mail": "analyst@vet.example", "password": PASSWORD}).headers["set-cookie"]  # fmt: skip
        for word in ("HttpOnly", "SameSite=lax", "Path=/"):
            self.assertIn(word, head)
        body = {"mail": "analyst@vet.example", "password": PASSWORD}
        self.people["analyst"].post("/api/sign-in", json=body).raise_for_status()

    def test_a_forgotten_password_is_given_anew_by_a_link_and_ends_all_sessions(self) -> None:
        path = self.owner.post("/api/people", json={"mail": "pozabil@vet.example", "name": "Pozabil"}).json()["path"]
        client = self.client()
        client.post(f"/api/sign-in/pass/{path.split('/')[-1]}", json={"password": PASSWORD}).raise_for_status()
        nobody = self.client()
        for mail in ("pozabil@vet.example", "nikogar@vet.example"):
            self.assertEqual(nobody.post("/api/sign-in/forgotten", json={"mail": mail}).status_code, 202)
        token = self.owner.post(f"/api/people/{client.get('/api/me').json()['id']}/link").json()["path"].split("/")[-1]
        new = self.client()
        new.post(f"/api/sign-in/pass/{token}", json={"password": "osem suhih mačk spi"}).raise_for_status()
        self.refused(client.get("/api/front"), 401, "sign-in")
        self.assertEqual(new.get("/api/front").status_code, 200)

    def test_another_site_cannot_sign_somebody_in_or_out(self) -> None:
        head = {"Origin": "http://elsewhere.example"}
        for path in ("/api/sign-in", "/api/sign-out", "/api/people"):
            self.refused(self.owner.post(path, json={}, headers=head), 403, "other-site")


class Roles(Clinics):
    # What changes what the others are asked with, or empties what they need.
    LEFT_OUT = {
        ("POST", "/api/demo"), ("POST", "/api/openings/usual"), ("POST", "/api/sign-out"), ("DELETE", "/api/me/sittings"),
        ("GET", "/api/changes"), ("PUT", "/api/me/kept/{name}"),
    }  # fmt: skip

    def routes(self) -> list[tuple[str, str]]:
        app = create_app(database.connect(world.engine().url))
        return [(m.upper(), path) for path, found in described(app)["paths"].items() for m in found]

    def test_every_route_has_a_line_and_every_line_a_route(self) -> None:
        hidden = {
            line
            for line in allowed.lines()
            if line[1].startswith(("/shared/", "/api/docs", "/api/openapi", "/metrics"))
        }
        routes = set(self.routes())
        self.assertEqual(routes - allowed.lines().keys(), set())
        self.assertEqual(allowed.lines().keys() - hidden - routes, set())

    def test_every_route_as_every_role(self) -> None:
        may = {
            "owner": {"read", "note", "mark", "make", "own", "upload"}, "analyst": {"read", "note", "mark", "make", "upload"},
            "keeper": {"read", "note", "mark"}, "reader": {"read", "note"}, "nobody": set[str](),
        }  # fmt: skip
        people = self.people | {"nobody": self.client()}
        tried = 0
        for (method, path), line in allowed.lines().items():
            if path.startswith(("/shared/", "/api/docs")) or (method, path) in self.LEFT_OUT:
                continue
            address = path.replace("{kind}", "scorecard" if "openings" in path else "json").replace("{number}", "1")
            for name in ("key", "name", "token", "person", "place"):
                address = address.replace(f"{{{name}}}", "nothing-there" if name != "place" else "0")
            for role, client in people.items():
                body = {} if method in ("GET", "DELETE") else {"json": {}}
                answer = client.request(method, address, **body)
                allowed_to = line.verb == "open" or (line.verb == "any" and role != "nobody") or line.verb in may[role]
                said = (
                    answer.json().get("type") if answer.headers.get("content-type", "").endswith("problem+json") else ""
                )
                with self.subTest(method=method, path=path, role=role, said=answer.text[:200]):
                    self.assertNotEqual(answer.status_code, 500)
                    kept_out = said in ("sign-in", "not-yours", "wrong-token")
                    if role == "nobody" and line.verb != "open":
                        self.assertEqual((answer.status_code, said), (401, "sign-in"))
                    elif not allowed_to:
                        self.assertEqual((answer.status_code, said), (403, "not-yours"))
                    elif path not in ("/api/sign-in/second",) and not line.needs:
                        self.assertFalse(kept_out)
                tried += 1
        self.assertGreater(tried, 600)

    def test_what_is_not_opened_is_as_if_it_were_not_there(self) -> None:
        self.opened("scorecard", self.card, read=["everyone"]).raise_for_status()
        reader = self.people["reader"]
        self.assertEqual([one["id"] for one in reader.get("/api/scorecards").json()], [self.card])
        self.assertEqual([one["id"] for one in reader.get("/api/front").json()["cards"]], [self.card])
        for path in (f"/api/scorecards/{self.hidden}", f"/api/scorecards/{self.hidden}/page", f"/api/front/drawings/{self.hidden}"):  # fmt: skip
            gone, never = reader.get(path), reader.get(path.replace(self.hidden, "never-was"))
            self.assertEqual((gone.status_code, gone.json()["type"]), (never.status_code, never.json()["type"]))
        self.assertEqual(reader.get("/api/find", params={"q": "Uprava"}).json(), [])
        self.assertEqual(self.owner.get("/api/find", params={"q": "Uprava"}).json()[0]["name"], "Uprava")

    def test_what_is_in_a_folder_is_read_by_whom_the_folder_is_opened_to(self) -> None:
        card = self.card_of("Seje")
        body = self.owner.get(f"/api/scorecards/{card}").json()
        head, reader = {"If-Match": f'"{body["version"]}"'}, self.people["reader"]
        moved = self.owner.put(f"/api/scorecards/{card}", json=body["body"] | {"folder": "Uprava / seje"}, headers=head)
        self.assertEqual(moved.status_code, 200, moved.text)
        self.assertEqual(reader.get(f"/api/scorecards/{card}").status_code, 404)
        self.opened("folder", "Uprava%20%2F%20seje", read=["person:" + self.ids["reader"]]).raise_for_status()
        self.assertEqual(reader.get(f"/api/scorecards/{card}").status_code, 200)
        self.assertEqual(self.people["keeper"].get(f"/api/scorecards/{card}").status_code, 404)
        told = self.owner.get("/api/openings/folder/Uprava%20%2F%20seje").json()["readers"]
        self.assertEqual({one["name"]: one["because"] for one in told}["Ena reader"], "reader, named alone")
        self.assertNotIn("Ena keeper", [one["name"] for one in told])
        self.opened("folder", "Uprava%20%2F%20seje", read=[]).raise_for_status()
        self.assertEqual(reader.get(f"/api/scorecards/{card}").status_code, 404)

    def test_an_analyst_changes_what_is_opened_to_them_for_that(self) -> None:
        analyst, body = self.people["analyst"], self.owner.get(f"/api/scorecards/{self.hidden}").json()
        self.opened("scorecard", self.hidden, change=["person:" + self.ids["owner"]]).raise_for_status()
        head = {"If-Match": f'"{body["version"]}"'}
        self.refused(analyst.put(f"/api/scorecards/{self.hidden}", json=body["body"], headers=head), 403, "not-yours")
        self.opened("scorecard", self.hidden, change=["makers"]).raise_for_status()
        self.assertEqual(
            analyst.put(f"/api/scorecards/{self.hidden}", json=body["body"], headers=head).status_code, 200
        )
        held = analyst.get(f"/api/openings/scorecard/{self.hidden}").json()
        head = {"If-Match": f'"{held["version"]}"'}
        locked_out = held["body"] | {"read": ["person:" + self.ids["reader"]]}
        self.refused(analyst.put(f"/api/openings/scorecard/{self.hidden}", json=locked_out, headers=head), 409, "locks-out")  # fmt: skip

    def test_an_analyst_makes_things_from_rows_to_a_scorecard_and_takes_it_back(self) -> None:
        analyst = self.people["analyst"]
        data = analyst.post("/api/datasets", files={"file": ("Ambulanta.csv", ROWS.encode())}).json()["id"]
        draft = analyst.post("/api/from-rows", json={"dataset": data})
        self.assertEqual(draft.status_code, 200, draft.text)
        body = {"name": "Ambulanta", "dataset": data, "handle": "ambulanta", "formula": "sum(obiski)", "nature": "flow"}
        kpi = analyst.post("/api/kpis", json=body).json()["id"]
        sheet = {"id": "a", "kpi": kpi, "face": "figure"}
        card = {"title": "Ambulanta", "sections": [{"id": "s", "instruments": [sheet]}]}
        made = analyst.post("/api/scorecards", json=card).json()
        self.assertEqual(analyst.get(f"/api/scorecards/{made['id']}/page").status_code, 200)
        head = {"If-Match": f'"{made["version"]}"'}
        self.assertEqual(analyst.delete(f"/api/scorecards/{made['id']}", headers=head).status_code, 204)
        self.assertEqual(analyst.post(f"/api/scorecards/{made['id']}/back").status_code, 200)
        self.assertEqual(analyst.get(f"/api/scorecards/{made['id']}").status_code, 200)
        self.assertEqual(self.people["reader"].get(f"/api/scorecards/{made['id']}").status_code, 404)

    def test_a_keeper_keeps_the_marks_of_chosen_kpis_alone(self) -> None:
        self.opened("scorecard", self.card, read=["everyone"]).raise_for_status()
        keeper, path = self.people["keeper"], f"/api/kpis/{self.kpi}/marks"
        found = keeper.get(path)
        body = {"changes": [{"name": "target", "since": "2026-09", "value": 40, "whose": "together"}], "sure": True}
        head = {"If-Match": found.headers["etag"]}
        self.refused(keeper.post(path, json=body, headers=head), 403, "not-yours")
        self.opened("kpi", self.kpi, marks=["person:" + self.ids["keeper"]]).raise_for_status()  # fmt: skip
        self.assertEqual(keeper.post(path, json=body, headers=head).status_code, 200)
        self.refused(self.people["analyst"].post(path, json=body, headers=head), 403, "not-yours")

    def test_the_last_owner_stays_one(self) -> None:
        me = next(one for one in self.owner.get("/api/people").json()["people"] if one["id"] == self.ids["owner"])
        head, body = {"If-Match": f'"{me["version"]}"'}, {"name": me["name"], "role": "reader", "teams": []}
        self.refused(self.owner.put(f"/api/people/{me['id']}", json=body, headers=head), 409, "last-owner")
        self.refused(self.owner.delete(f"/api/people/{me['id']}", headers=head), 409, "last-owner")


class SomeRows(Clinics):
    def setUp(self) -> None:
        self.opened("scorecard", self.card, read=["everyone"]).raise_for_status()
        rules = [
            {"who": f"person:{self.ids['reader']}", "segment": "ordinacija", "members": ["Vič", "Bežigrad"]},
            {"who": f"person:{self.ids['keeper']}", "segment": "ordinacija", "members": ["Šiška <b>"]},
        ]
        answer = self.opened("dataset", self.dataset, rules=rules)
        self.assertEqual(answer.status_code, 200, answer.text)

    def told(self, client: httpx.Client, **scope: str) -> dict[str, str]:
        page = client.get(f"/api/scorecards/{self.card}/page", params=scope).json()
        return {one["member"] or "all": one["shown"] for sheet in page["instruments"] for one in sheet["readings"]}

    def test_each_reads_their_rows_again_and_again_and_together(self) -> None:
        every, two, one = (self.told(self.people[role]) for role in ("owner", "reader", "keeper"))
        self.assertEqual({*every} - {*two}, {"Šiška <b>"})
        self.assertEqual({*one} & {"Vič", "Bežigrad"}, set())
        wrong: list[str] = []

        def ask(role: str, expected: dict[str, str]) -> None:
            with httpx.Client(base_url=self.server.address, cookies=self.people[role].cookies, timeout=60) as client:
                for _ in range(12):
                    if self.told(client) != expected:
                        wrong.append(role)

        threads = [threading.Thread(target=ask, args=pair) for pair in (("owner", every), ("reader", two), ("keeper", one)) * 2]  # fmt: skip
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(wrong, [])

    def test_no_answer_names_what_is_not_theirs(self) -> None:
        reader = self.people["reader"]
        self.owner.put(
            "/api/notes", headers={"If-Match": '"0"'},
            json={"kpi": self.kpi, "period": "2026-10", "members": {"ordinacija": ["Šiška <b>"]}, "text": "Šiška je zaprta."},
        ).raise_for_status()  # fmt: skip
        body = self.owner.get(f"/api/scorecards/{self.card}").json()["body"]
        about = {"kpi": self.kpi, "period": "2026-10", "members": {"ordinacija": ["Šiška <b>"]}}
        asks = [
            reader.get("/api/front"), reader.get("/api/kpis/glances"), reader.get("/api/find", params={"q": "Šiška"}),
            reader.get(f"/api/scorecards/{self.card}/page"), reader.get(f"/api/scorecards/{self.card}/page", params={"data": "true"}),
            reader.post("/api/scorecards/read", json={"body": body}), reader.get("/api/notes", params={"kpi": self.kpi}),
            reader.post("/api/scorecards/ledger", json={"body": body}),
            reader.post("/api/scorecards/export/csv", json={"body": body}),
            reader.post("/api/scorecards/export/json", json={"body": body}),
            reader.post("/api/scorecards/workings", json={"instrument": body["sections"][0]["instruments"][0], "member": "Vič"}),
            reader.get(f"/api/front/drawings/{self.card}"), reader.get("/api/editions"),
        ]  # fmt: skip
        for answer in asks:
            with self.subTest(answer.request.url.path):
                self.assertNotIn("Šiška", answer.text)
                self.assertNotIn("Šiška", json.dumps(answer.json(), ensure_ascii=False) if "json" in answer.headers.get("content-type", "") else "")  # fmt: skip
        refused = reader.post("/api/notes/about", json=about)
        self.assertEqual(refused.status_code, 422, refused.text)
        self.refused(reader.put("/api/notes", json=about | {"text": "x"}, headers={"If-Match": '"0"'}), 422, "no-reading" if "no-reading" in refused.text else "no-member")  # fmt: skip
        whole = {"kpi": self.kpi, "period": "2026-10", "members": {}, "text": "Vse skupaj"}
        self.refused(reader.put("/api/notes", json=whole, headers={"If-Match": '"0"'}), 403, "some-rows")
        own = {"kpi": self.kpi, "period": "2026-10", "members": {"ordinacija": ["Vič"]}, "text": "Nov zdravnik."}
        self.assertEqual(reader.put("/api/notes", json=own, headers={"If-Match": '"0"'}).status_code, 200)

    def test_no_route_that_is_read_names_what_is_not_theirs(self) -> None:
        """Every address that is read, of what is there, as two who read some rows each, beside who reads all."""
        kept = {
            "scorecards": self.card, "kpis": self.kpi, "datasets": self.dataset, "front": self.card, "notes": self.kpi,
            "editions": self.owner.post("/api/editions", json={"scorecard": self.card}).json()["id"],
            "watches": self.owner.post("/api/watches", json={"name": "Vsi", "kpi": self.kpi, "tell": ["everyone"]}).json()["id"],
        }  # fmt: skip
        others = {"reader": ("Šiška",), "keeper": ("Bežigrad", "Vič"), "owner": ()}
        read, told = 0, dict.fromkeys(others, 0)
        for method, path in sorted(allowed.lines()):
            if (
                method != "GET"
                or path.startswith(("/shared/", "/api/docs", "/metrics"))
                or path in ("/api/changes", "/api/bundle")
            ):
                continue
            key = kept.get(path.split("/")[2], "nothing-there")
            address = path.replace("{name}", "ordinacija").replace("{number}", "1").replace("{kind}", "csv")
            for name in ("key", "token", "person", "place"):
                address = address.replace(f"{{{name}}}", key)
            about = {"scorecard": self.card, "kpi": self.kpi, "q": "a", "member": "Vič", "period": "2026-10"}
            for role, names in others.items():
                for query in ({}, about):
                    answer = self.people[role].get(address, params=query)
                    with self.subTest(path=path, role=role, query=query):
                        self.assertNotEqual(answer.status_code, 500)
                        text = answer.text
                        if "json" in answer.headers.get("content-type", ""):
                            text = json.dumps(answer.json(), ensure_ascii=False)
                        for name in names:
                            self.assertNotIn(name, text.replace(f"“{name}", "") if query else text)
                        told[role] += answer.status_code == 200 and any(clinic in text for clinic in ("Šiška", "Vič"))
                        read += answer.status_code == 200
        self.assertGreater(read, 100)
        self.assertGreater(told["owner"], told["reader"])
        self.assertGreater(told["reader"], 1)

    def test_an_edition_is_theirs_where_it_was_made_of_their_rows_or_opened(self) -> None:
        made = self.owner.post("/api/editions", json={"scorecard": self.card}).json()
        reader = self.people["reader"]
        self.assertEqual(reader.get("/api/editions").json(), [])
        self.refused(reader.get(f"/api/editions/{made['id']}"), 404, "not-found")
        self.refused(reader.get(f"/api/editions/{made['id']}/export/csv"), 404, "not-found")
        self.owner.put(f"/api/editions/{made['id']}/open", json={"opened": True}).raise_for_status()
        self.assertEqual(reader.get(f"/api/editions/{made['id']}").status_code, 200)
        self.owner.put(f"/api/editions/{made['id']}/open", json={"opened": False}).raise_for_status()
        self.refused(reader.get(f"/api/editions/{made['id']}"), 404, "not-found")

    def test_a_file_is_fetched_by_who_asked_for_it(self) -> None:
        ask = {"kind": "csv", "scorecard": self.card}
        key = self.owner.post("/api/exports", json=ask).json()["id"]
        self.refused(self.people["reader"].get(f"/api/exports/{key}"), 404, "not-found")
        self.refused(self.people["reader"].get(f"/api/exports/{key}/file"), 404, "not-found")

    def test_tables_are_for_who_reads_all_rows(self) -> None:
        rule = [{"who": f"person:{self.ids['analyst']}", "segment": "ordinacija", "members": ["Vič"]}]
        self.opened("dataset", self.dataset, rules=rule).raise_for_status()
        analyst = self.people["analyst"]
        for path in ("rows", "rows/page", "versions", "columns/ordinacija", "lookups"):
            self.refused(analyst.get(f"/api/datasets/{self.dataset}/{path}"), 403, "not-yours")
        self.refused(analyst.post("/api/uploads", params={"dataset": self.dataset}, files={"file": ("x.csv", b"a\n1\n")}), 403, "not-yours")  # fmt: skip
        self.refused(analyst.get("/api/bundle"), 403, "not-yours")
        self.refused(analyst.post("/api/from-rows", json={"datasets": [self.dataset]}), 403, "not-yours")

    def test_it_is_told_who_reads_it_and_why_and_what_they_read(self) -> None:
        held = self.owner.get(f"/api/openings/scorecard/{self.card}").json()
        rows = {one["id"]: one for one in held["readers"]}
        self.assertIn("2 of Klinike by ordinacija: Bežigrad, Vič", rows[self.ids["reader"]]["rows"])
        self.assertEqual(rows[self.ids["owner"]]["rows"], "all rows")
        as_read = self.owner.get(f"/api/openings/scorecard/{self.card}/as/{self.ids['reader']}").json()
        shown = {one["name"]: one for one in as_read["readings"]}
        self.assertEqual(shown["Obiski"]["shown"], self.told(self.people["reader"])["all"])
        self.assertEqual(shown["Obiski"]["all_rows"], self.told(self.owner)["all"])
        self.assertEqual(as_read["gone"], 1)


class Together(Clinics):
    def test_two_at_one_scorecard_see_each_other_and_changes_to_different_sheets_both_stand(self) -> None:
        card, analyst = self.card_of("Skupaj"), self.people["analyst"]
        here = f"/api/scorecards/{card}/here"
        self.assertEqual(self.owner.post(here, json={"changing": True}).json(), [])
        self.assertEqual(analyst.post(here, json={}).json(), [{"name": "Mojca Hribar", "changing": True}])
        self.assertEqual(self.owner.post(here, json={}).json(), [{"name": "Ena analyst", "changing": False}])
        held = analyst.get(f"/api/scorecards/{card}").json()
        head = {"If-Match": f'"{held["version"]}"'}

        def changed(n: int, **slots: Any) -> dict[str, Any]:
            body: dict[str, Any] = json.loads(json.dumps(held["body"]))
            body["sections"][0]["instruments"][n] |= slots
            return body

        for hour in range(3):  # of what one saves in a row none is left out that the other may go on from
            body = changed(0, title=f"Obiski {hour}")
            held_head = {"If-Match": f'"{held["version"] + hour}"'}
            self.owner.put(f"/api/scorecards/{card}", json=body, headers=held_head).raise_for_status()
        both = analyst.put(f"/api/scorecards/{card}", json=changed(1, title="Vsi"), headers=head)
        self.assertEqual(both.status_code, 200, both.text)
        titles = [one["title"] for one in both.json()["body"]["sections"][0]["instruments"]]
        self.assertEqual(titles, ["Obiski 2", "Vsi"])
        self.assertEqual(both.json()["version"], held["version"] + 4)
        stale = analyst.put(f"/api/scorecards/{card}", json=changed(0, title="Moji"), headers=head)
        self.refused(stale, 412, "stale-version")


class Directory(unittest.TestCase):
    """Signing in by another directory, which a stand-in plays."""

    def test_who_comes_by_it_has_what_their_groups_mean(self) -> None:
        port = world.free_port()
        issuer = f"http://127.0.0.1:{port}"
        config = uvicorn.Config(create_standin(issuer), host="127.0.0.1", port=port, log_config=None)
        standin = uvicorn.Server(config)
        thread = threading.Thread(target=standin.run, daemon=True)
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(setattr, standin, "should_exit", True)
        with mock.patch.dict(os.environ, {IDENTITY_SECRET: SECRET}):
            server = world.Running("--sign-in", "--no-demo", "--identity", issuer).start()
        self.addCleanup(server.close)
        with world.straight_to(server) as engine, database.sessions(engine).begin() as session:
            first = accounts.make_pass(session, "owner", dt.timedelta(hours=1))
        owner = server.client
        body = {"mail": "mojca@vet.example", "name": "Mojca", "password": PASSWORD}
        owner.post(f"/api/sign-in/pass/{first}", json=body).raise_for_status()
        team = owner.post("/api/teams", json={"name": "Teren"}).json()["id"]
        rows = [{"group": "reporting", "role": "analyst"}, {"group": "skarra", "role": "reader", "teams": [team]}]
        owner.put("/api/groups", json={"rows": rows}, headers={"If-Match": '"0"'}).raise_for_status()

        def come(who: str) -> tuple[httpx.Client, str, str]:
            client = httpx.Client(base_url=server.address, timeout=60)
            self.addCleanup(client.close)
            sent = client.get("/api/sign-in/elsewhere").headers["location"]
            for word in ("code_challenge_method=S256", "state=", "nonce=", "response_type=code"):
                self.assertIn(word, sent)
            back = httpx.get(f"{sent}&as={who}").headers["location"]
            return client, back, client.get(back).headers["location"]

        oda, back, landed = come("oda")
        self.assertEqual((landed, oda.get("/api/me").json()["role"]), ("/#/", "analyst"))
        # Who has an account already is known by the address that the directory has checked.
        path = owner.post("/api/people", json={"mail": "isla@hollin.example", "name": "Isla", "role": "keeper"}).json()["path"]  # fmt: skip
        httpx.post(f"{server.address}/api/sign-in/pass/{path.split('/')[-1]}", json={"password": PASSWORD}).raise_for_status()  # fmt: skip
        isla, _, landed = come("isla")
        self.assertEqual((landed, isla.get("/api/me").json()["name"]), ("/#/", "Isla"))
        self.assertEqual(isla.get("/api/me").json()["teams"], ["Teren"])
        stranger, _, landed = come("stranger")
        self.assertIn("said=", landed)
        self.assertFalse(stranger.get("/api/me").json()["signed_in"])
        # Used once more, begun in another browser, or made up, a word of the directory is not taken.
        for client, address in ((oda, back), (httpx, server.address + back.removeprefix(server.address)), (oda, "/api/sign-in/elsewhere/back?state=x&code=y")):  # fmt: skip
            self.assertIn("not+taken", client.get(address).headers["location"])


class Machines(Clinics):
    def token(self, **ask: Any) -> httpx.Client:
        until = (clock.now() + dt.timedelta(days=3)).date().isoformat()
        made = self.owner.post("/api/tokens", json={"name": "Zaslon", "verbs": ["read"], "until": until} | ask)
        self.assertEqual(made.status_code, 201, made.text)
        client = self.client()
        client.headers["Authorization"] = f"Bearer {made.json()['token']}"
        self.key = made.json()["id"]
        return client

    def test_it_reads_its_scorecards_and_does_nothing_else(self) -> None:
        machine = self.token(scorecards=[self.card])
        self.assertEqual(machine.get(f"/api/scorecards/{self.card}/page").status_code, 200)
        self.refused(machine.get(f"/api/scorecards/{self.hidden}/page"), 404, "not-found")
        self.refused(machine.post("/api/scorecards", json={"title": "x"}), 403, "not-yours")
        self.refused(machine.get("/api/people"), 403, "not-yours")
        self.refused(machine.get("/api/trail"), 403, "not-yours")
        self.assertEqual(self.owner.get("/api/tokens").json()[0]["used_at"] is not None, True)
        self.owner.delete(f"/api/tokens/{self.key}").raise_for_status()
        self.refused(machine.get(f"/api/scorecards/{self.card}/page"), 401, "wrong-token")
        machine.headers["Authorization"] = "Bearer im_guessed"
        self.refused(machine.get("/api/front"), 401, "wrong-token")

    def test_the_token_of_a_dataset_puts_rows_into_that_one_alone(self) -> None:
        word = self.owner.post(f"/api/datasets/{self.dataset}/token").json()["token"]
        other = self.owner.post("/api/datasets", files={"file": ("Druga.csv", ROWS.encode())}).json()["id"]
        machine = self.client()
        head = {"Authorization": f"Bearer {word}"}
        rows = {"file": ("Klinike.csv", ROWS.encode())}
        self.assertEqual(machine.post(f"/api/datasets/{self.dataset}/rows", files=rows, headers=head).status_code, 200)
        self.refused(machine.post(f"/api/datasets/{other}/rows", files=rows, headers=head), 404, "not-found")
        self.refused(machine.get("/api/front", headers=head), 403, "not-yours")
        self.owner.post(f"/api/datasets/{self.dataset}/token").raise_for_status()
        self.refused(machine.post(f"/api/datasets/{self.dataset}/rows", files=rows, headers=head), 401, "wrong-token")


class WhoDidWhat(Clinics):
    def rows(self, **asked: Any) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.owner.get("/api/trail", params=asked).json()["rows"]
        return found

    def test_a_change_is_told_with_what_was_and_what_is(self) -> None:
        held = self.owner.get(f"/api/kpis/{self.kpi}").json()
        body, head = held["body"] | {"name": "Obiski psov"}, {"If-Match": f'"{held["version"]}"'}
        self.people["analyst"].put(f"/api/kpis/{self.kpi}", json=body, headers=head).raise_for_status()
        row = self.rows(kind="kpi", record=self.kpi)[0]
        self.assertEqual((row["who"], row["person"], row["verb"]), ("Ena analyst", self.ids["analyst"], "changed"))
        self.assertEqual(row["address"], "127.0.0.1")
        self.assertIn({"what": "name", "before": "Obiski", "after": "Obiski psov"}, row["changed"])

    def test_what_one_goes_on_changing_is_one_entry_and_taken_back_it_is_none(self) -> None:
        held = self.owner.get(f"/api/scorecards/{self.hidden}").json()
        for version, title in enumerate(("Uprava 1", "Uprava 2", "Uprava"), held["version"]):
            body = held["body"] | {"title": title}
            self.owner.put(f"/api/scorecards/{self.hidden}", json=body, headers={"If-Match": f'"{version}"'}).raise_for_status()  # fmt: skip
        told = [row for row in self.rows(kind="scorecard", record=self.hidden) if row["verb"] != "opened"]
        self.assertEqual([(row["verb"], row["changed"]) for row in told], [("made", [])])

    def test_it_is_searched_and_taken_out_and_nobody_changes_it(self) -> None:
        self.assertTrue(all("mojca" in row["who"].casefold() or "mojca" in row["name"].casefold() for row in self.rows(word="Mojca")))  # fmt: skip
        file = self.owner.get("/api/trail/file")
        self.assertIn("when (UTC),who,from,did", file.text)
        for method in ("POST", "PUT", "DELETE", "PATCH"):
            self.assertIn(self.owner.request(method, "/api/trail").status_code, (404, 405))
        self.owner.put("/api/trail/kept", json={"days": 90}).raise_for_status()
        self.assertEqual(self.owner.get("/api/trail").json()["days"], 90)
        self.assertEqual(self.rows(kind="trail")[0]["changed"], [{"what": "kept for days", "before": "730", "after": "90"}])  # fmt: skip

    def test_what_is_older_than_it_is_kept_for_goes(self) -> None:
        with world.straight_to(self.server) as engine:
            with database.sessions(engine).begin() as session:
                self.assertEqual(trail.give_up(session, 30), 0)
            ahead = clock.now() + dt.timedelta(days=40)
            with clock.going_on_from(ahead), database.sessions(engine)() as session:
                self.assertGreater(trail.give_up(session, 30), 5)
                session.rollback()


class Proxied(unittest.TestCase):
    """Behind a proxy that holds the certificate."""

    def test_where_a_request_comes_from_and_how_is_told_by_the_proxy_alone(self) -> None:
        options = ("--served-as", "znamke.example", "--tls", "--behind-proxy", "127.0.0.1")
        server = world.Running("--sign-in", "--no-demo", *options).start()
        self.addCleanup(server.close)
        with world.straight_to(server) as engine, database.sessions(engine).begin() as session:
            first = accounts.make_pass(session, "owner", dt.timedelta(hours=1))
        body = {"mail": "mojca@vet.example", "name": "Mojca", "password": PASSWORD}
        heads = {"Host": "znamke.example", "X-Forwarded-For": "10.9.9.9, 203.0.113.9"}
        answer = server.client.post(f"/api/sign-in/pass/{first}", json=body, headers=heads)
        cookie = answer.headers["set-cookie"]
        self.assertTrue(cookie.startswith("__Host-ironmark="), cookie)
        self.assertIn("Secure", cookie)
        self.assertIn("max-age=", answer.headers["strict-transport-security"])
        heads["Cookie"] = cookie.partition(";")[0]
        rows = server.client.get("/api/trail", headers=heads).json()["rows"]
        self.assertEqual({row["address"] for row in rows}, {"203.0.113.9"}, "what a reader claims to be is not taken")
        self.assertEqual(server.client.get("/api/me", headers={"Host": "elsewhere.example"}).status_code, 421)
        site = heads | {"Origin": "https://znamke.example"}
        self.assertEqual(server.client.post("/api/sign-out", headers=site).status_code, 204)

    def test_what_is_no_proxy_tells_nothing(self) -> None:
        signing = Signing.of(True, ["192.0.2.0/24"], False)
        scope = {"client": ("198.51.100.1", 1), "headers": [(b"x-forwarded-for", b"203.0.113.9")]}
        self.assertEqual(address_of(scope, signing), "198.51.100.1")
        scope["client"] = ("192.0.2.7", 1)
        self.assertEqual(address_of(scope, signing), "203.0.113.9")
        self.assertRaises(ValueError, Signing.of, True, ["nowhere"], False)


class Sealed(Clinics):
    """Secrets at rest."""

    def kept(self, session: Session) -> str:
        return str(session.scalar(text("SELECT secret FROM datasets WHERE id = :id"), {"id": self.dataset}))

    def test_a_password_is_sealed_taken_over_and_sealed_anew(self) -> None:
        before, folder = sealed.keys(), scratch.make("keys")
        self.addCleanup(lambda: sealed.use(*before))
        self.addCleanup(shutil.rmtree, folder)
        with world.straight_to(self.server) as engine, database.sessions(engine)() as session:
            self.addCleanup(session.rollback)
            # As it was kept before there was a key.
            session.execute(text("UPDATE datasets SET secret = 'skrivnost' WHERE id = :id"), {"id": self.dataset})
            sealed.use_key_of(folder)
            self.assertEqual((folder / sealed.FILE).stat().st_mode & 0o777, 0o600)
            self.assertEqual(dataset_secrets.secret(session, self.dataset), "skrivnost")
            self.assertEqual(sealed.take_over(session), 1)
            first = self.kept(session)
            self.assertTrue(first.startswith("sealed:") and "skrivnost" not in first)
            sealed.add_key(folder)
            self.assertEqual(dataset_secrets.secret(session, self.dataset), "skrivnost")
            self.assertEqual(sealed.take_over(session, again=True), 1)
            sealed.forget_older(folder)
            sealed.use_key_of(folder)
            self.assertNotEqual(self.kept(session), first)
            self.assertEqual(dataset_secrets.secret(session, self.dataset), "skrivnost")
            sealed.use(Fernet.generate_key().decode())
            self.assertRaises(sealed.NoKey, dataset_secrets.secret, session, self.dataset)
            session.rollback()
