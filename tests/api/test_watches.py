"""Watches through the server: a hospital in Portuguese, told by mail, by webhook and in an inbox, whatever is killed meanwhile."""

from __future__ import annotations

import asyncio
import datetime as dt
import json
import logging
import os
import random
import ssl
import subprocess
import time
import unittest
from typing import Any, ClassVar
from unittest import mock

import httpx
from aiosmtpd.controller import Controller
from sqlalchemy import text

from ironmark import clock
from ironmark.core.told_once import NO_LONGER_AFTER
from ironmark.demo.standin_mail import Inbox
from ironmark.publish.message_mail import Letter, written
from ironmark.store import accounts, database
from ironmark.store.hooks import MailServer
from ironmark.work.sending import NotSent, Parcel, post_mail
from tests import world
from tests.stand_in import StandIn

WARDS = ("Urgência", "Pediatria <b>", "Cirurgia")
MONTHS = [f"{2025 + n // 12}-{n % 12 + 1:02d}" for n in range(22)]  # to October 2026
PASSWORD = "três gatos molhados miam"


def rows(last: dict[str, float], months: list[str] = MONTHS, **other: dict[str, float]) -> str:
    """Of each month and ward how many came and how many were seen in time: 92 of 100, but for ``last`` in the last month and
    for what is told of others, as ``m2026_03``."""
    lines = ["mês,serviço,doentes,em tempo"]
    for n, month in enumerate(months):
        own = last if n == len(months) - 1 else other.get(f"m{month.replace('-', '_')}", {})
        for w, ward in enumerate(WARDS):
            share = own.get(ward, 0.92 + 0.002 * ((n * 7 + w * 3) % 5))
            lines.append(f"{month},{ward},1000,{round(1000 * share)}")
    return "\n".join(lines) + "\n"


class Hospital(unittest.TestCase):
    """A server of its own with the hospital's rows, a mail server and a receiver of webhooks."""

    server: ClassVar[world.Running]
    mail: ClassVar[StandIn]
    hooks: ClassVar[StandIn]
    client: ClassVar[httpx.Client]
    options: ClassVar[tuple[str, ...]] = ()

    @classmethod
    def setUpClass(cls) -> None:
        cls.smtp = world.free_port()
        cls.mail, cls.hooks = StandIn("mail", "--smtp-port", str(cls.smtp)), StandIn("webhook")
        cls.addClassCleanup(cls.mail.close)
        cls.addClassCleanup(cls.hooks.close)
        cls.server = world.Running("--no-demo", "--send-to", "127.0.0.1", *cls.options).start()
        cls.addClassCleanup(cls.server.close)
        cls.client = cls.signed_in()
        cls.make()

    @classmethod
    def signed_in(cls) -> httpx.Client:
        return cls.server.client

    @classmethod
    def post(cls, path: str, **more: Any) -> Any:
        answer = cls.client.post(path, **more)
        assert answer.is_success, answer.text
        return answer.json() if answer.content else None

    @classmethod
    def make(cls) -> None:
        cls.data = cls.post("/api/datasets", files={"file": ("Hospital.csv", rows({}).encode())})["id"]
        kpi = {
            "handle": "em_tempo", "name": "Vistos a tempo", "dataset": cls.data, "formula": "sum(em_tempo) / sum(doentes)",
            "unit": {"kind": "percent", "decimals": 1},
        }  # fmt: skip
        cls.kpi = cls.post("/api/kpis", json=kpi)["id"]
        cuts = [{"offset": 0.8}, {"offset": 0.9}]
        body = {"name": "Pontualidade", "kpi": cls.kpi, "bands": ["short", "near", "met"], "cuts": cuts}
        cls.yardstick = cls.post("/api/yardsticks", json=body)["id"]
        sheet = {"id": "a", "kpi": cls.kpi, "face": "bar", "by": "serviço", "yardstick": cls.yardstick}
        cls.card = cls.post(
            "/api/scorecards", json={"title": "Hospital", "sections": [{"id": "s", "instruments": [sheet]}]}
        )["id"]
        tag = cls.client.get("/api/sending").headers["etag"]
        told = {
            "host": "127.0.0.1",
            "port": cls.smtp,
            "tls": "no",
            "sender": "marcas@hospital.example",
            "home": cls.server.address,
        }
        assert cls.client.put("/api/sending", json=told, headers={"If-Match": tag}).is_success
        made = cls.post("/api/hooks", json={"name": "Ecrã", "url": f"http://127.0.0.1:{cls.hooks.port}/events"})
        cls.hook, secret = made["id"], made["secret"]
        cls.hooks.client.post("/secret", data={"secret": secret})

    def watch(self, **slots: Any) -> str:
        """A watch that has looked once."""
        body = {
            "name": f"Olhar {random.randrange(10**6)}",
            "kpi": self.kpi,
            "by": "serviço",
            "asks": "falls",
            "state": "short",
        } | slots
        answer = self.client.post("/api/watches", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        key = str(answer.json()["id"])
        self.addCleanup(self.end, key)
        self.looked(key)
        return key

    def end(self, key: str) -> None:
        held = self.client.get(f"/api/watches/{key}")
        if held.status_code == 200:
            self.client.delete(f"/api/watches/{key}", headers={"If-Match": f'"{held.json()["version"]}"'})

    def looked(self, key: str) -> None:
        """Wait until a watch has seen all that there is."""

        def ask() -> tuple[str, str]:
            with world.straight_to(self.server) as engine, engine.connect() as connection:
                stamp = connection.execute(text("SELECT COUNT(*), MAX(number) FROM change_log")).one()
                own = connection.execute(text("SELECT stamp FROM watches WHERE id = :key"), {"key": key}).scalar()
            return str(own), json.dumps(list(stamp))

        world.until(ask, lambda both: both[0] == both[1])

    def upload(self, body: str) -> None:
        tag = self.client.get(f"/api/datasets/{self.data}").headers["etag"]
        answer = self.client.post(
            f"/api/datasets/{self.data}/rows", params={"how": "replace"}, files={"file": ("Hospital.csv", body.encode())}, headers={"If-Match": tag},
        )  # fmt: skip
        self.assertEqual(answer.status_code, 200, answer.text)

    def sent(self, key: str) -> Any:
        return self.client.get(f"/api/watches/{key}/sent").json()

    def told(self, key: str, many: int = 1) -> Any:
        return world.until(lambda: self.sent(key), lambda found: len(found) >= many)

    def mails(self, to: str) -> list[Any]:
        return [one for one in self.mail.came() if one["to"] == [to]]


class Asked(Hospital):
    def tearDown(self) -> None:
        self.upload(rows({}))

    def test_what_is_so_already_is_no_news_and_what_comes_is_told_once(self) -> None:
        self.upload(rows({"Cirurgia": 0.7}))
        key = self.watch()
        self.assertEqual(self.sent(key), [])
        self.upload(rows({"Cirurgia": 0.7, "Pediatria <b>": 0.74, "Urgência": 0.85}))
        found = self.told(key)
        self.assertEqual([one["who"] for one in found[0]["items"]], ["Pediatria <b>"])
        item = found[0]["items"][0]
        self.assertEqual((item["before"]["name"], item["state"]["name"], item["shown"]), ("Met", "Short", "74.0%"))
        self.assertIn("signal", self.client.get("/api/inbox").json()["messages"][0]["items"][0])
        self.upload(rows({"Cirurgia": 0.71, "Pediatria <b>": 0.75}))
        self.looked(key)
        self.assertEqual(len(self.sent(key)), 1)

    def test_an_earlier_month_is_told_as_restated(self) -> None:
        key = self.watch()
        self.upload(rows({}, m2026_03={"Cirurgia": 0.6}))
        item = self.told(key)[0]["items"][0]
        self.assertEqual((item["kind"], item["period"]), ("restated", "March 2026"))
        self.assertTrue(self.sent(key)[0]["title"].startswith("Restated: "))

    def test_what_flaps_is_one_message_and_what_stays_away_is_taken_back(self) -> None:
        key = self.watch()
        for turn in range(6):
            self.upload(rows({"Urgência": 0.7 if turn % 2 == 0 else 0.92 + turn / 1000}))
            self.looked(key)
        self.assertEqual(len(self.sent(key)), 1)
        with world.straight_to(self.server) as engine, engine.begin() as connection:
            earlier = (clock.now() - NO_LONGER_AFTER).isoformat()
            body = json.loads(
                str(
                    connection.execute(
                        text("SELECT body FROM watch_memories WHERE watch = :key"), {"key": key}
                    ).scalar()
                )
            )
            self.assertTrue(body["since"])
            body["since"] = [[*one[:3], earlier] for one in body["since"]]
            connection.execute(
                text("UPDATE watch_memories SET body = :body WHERE watch = :key"),
                {"key": key, "body": json.dumps(body)},
            )
            connection.execute(
                text("UPDATE watches SET look_at = UTC_TIMESTAMP(6) - INTERVAL 900 DAY WHERE id = :key"), {"key": key}
            )
        found = self.told(key, 2)
        self.assertEqual(found[0]["items"][0]["kind"], "taken back")

    def test_each_question(self) -> None:
        mark = {"name": "target", "since": "2025-01", "value": 0.9, "whose": "everyone"}
        tag = self.client.get(f"/api/kpis/{self.kpi}/marks").headers["etag"]
        self.post(f"/api/kpis/{self.kpi}/marks", json={"changes": [mark], "sure": True}, headers={"If-Match": tag})
        keys = {
            asks: self.watch(asks=asks, **more)
            for asks, more in (
                ("worsens", {"state": ""}), ("leaves", {"state": "met"}), ("signal", {"state": "", "side": "worse"}),
                ("below", {"state": "", "mark": "target"}), ("falls", {"state": "near"}),
            )
        } | {"all": self.watch(kpi=None, scorecard=self.card, by=None, asks="worsens", state="")}  # fmt: skip
        better = self.watch(asks="signal", state="", side="better")
        self.upload(rows({"Cirurgia": 0.7}))
        for asks, key in keys.items():
            with self.subTest(asks=asks):
                self.assertEqual([one["who"] for one in self.told(key)[0]["items"]], ["Cirurgia"])
        self.looked(better)
        self.assertEqual(self.sent(better), [])
        self.upload(rows({"Cirurgia": 0.7}, m2026_09={"Cirurgia": 0.7}))
        improves = self.watch(asks="improves", state="")
        self.upload(rows({"Cirurgia": 0.95}, m2026_09={"Cirurgia": 0.7}))
        self.told(improves)

    def test_a_change_that_has_to_stay_or_last_is_not_told_before(self) -> None:
        stays, lasts = self.watch(stays=2), self.watch(minutes=60)
        months = [*MONTHS, "2026-11"]
        self.upload(rows({"Cirurgia": 0.7}))
        self.looked(stays)
        self.looked(lasts)
        self.assertEqual((self.sent(stays), self.sent(lasts)), ([], []))
        self.upload(rows({"Cirurgia": 0.7}, months, m2026_10={"Cirurgia": 0.7}))
        self.looked(stays)
        november_is_over = clock.now().date() > dt.date(2026, 11, 30)
        if november_is_over:  # on other days than those the tests stand at
            self.assertIn("So for 2 months", self.told(stays)[0]["items"][0]["since"])

    def test_only_signals(self) -> None:
        """A fall that usual variation explains is not told where signals alone are."""
        every, alone = self.watch(asks="below", state="", mark="target"), self.watch(asks="below", state="", mark="target", only_signals=True)  # fmt: skip
        mark = {"name": "target", "since": "2025-01", "value": 0.9205, "whose": "everyone"}
        tag = self.client.get(f"/api/kpis/{self.kpi}/marks").headers["etag"]
        before = self.post(
            "/api/watches/try", json={"name": "x", "kpi": self.kpi, "by": "serviço", "asks": "below", "mark": "target"}
        )
        self.post(f"/api/kpis/{self.kpi}/marks", json={"changes": [mark], "sure": True}, headers={"If-Match": tag})
        after = self.post(
            "/api/watches/try", json={"name": "x", "kpi": self.kpi, "by": "serviço", "asks": "below", "mark": "target"}
        )
        self.assertGreater(after["sent"], before["sent"])
        self.assertEqual(after["noise"], after["sent"])
        self.told(every)
        self.looked(alone)
        self.assertEqual(self.sent(alone), [])

    def test_a_missing_mark_late_data_and_a_word_that_is_asked_for(self) -> None:
        missing = self.watch(asks="unmarked", state="", mark="orçamento")
        self.assertEqual(self.sent(missing), [])
        for body in (
            {"asks": "late", "state": "", "by": None},
            {"kpi": None, "scorecard": self.card, "by": None, "asks": "note", "state": ""},
        ):
            key = self.watch(**body)
            self.assertEqual(self.client.get(f"/api/watches/{key}").json()["said"], "")
        held = self.client.get(f"/api/scorecards/{self.card}")
        body = held.json()["body"] | {"asks": {"worst": True}}
        self.upload(rows({"Cirurgia": 0.7}))
        answer = self.client.put(f"/api/scorecards/{self.card}", json=body, headers={"If-Match": held.headers["etag"]})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertIn("a word is asked for", self.told(key)[0]["items"][0]["period"])
        back = self.client.get(f"/api/scorecards/{self.card}")
        self.client.put(
            f"/api/scorecards/{self.card}", json=held.json()["body"], headers={"If-Match": back.headers["etag"]}
        )

    def test_what_it_would_have_sent_is_what_it_would_have(self) -> None:
        dips = {
            f"m{month.replace('-', '_')}": {"Cirurgia": 0.7}
            for month in ("2025-05", "2025-06", "2025-09", "2026-02", "2026-03")
        }
        self.upload(rows({}, **dips))
        ask = {"name": "x", "kpi": self.kpi, "by": "serviço", "asks": "falls", "state": "short"}
        found = self.post("/api/watches/try", json=ask)
        row = next(one for one in found["rows"] if one["name"] == "Cirurgia")
        self.assertEqual(
            [one["period"] for one in row["cells"] if one["did"] == "sent"], ["2025-05", "2025-09", "2026-02"]
        )
        self.assertEqual(found["sent"], 3)
        held = self.post("/api/watches/try", json=ask | {"stays": 2})
        self.assertEqual(held["sent"], 2)
        others = {one["words"]: one["sent"] for one in held["others"]}
        self.assertEqual(others["At once, and at every change,"], 3)

    def test_another_question_begins_anew_and_a_pause_tells_nothing(self) -> None:
        key = self.watch()
        held = self.client.get(f"/api/watches/{key}").json()
        self.upload(rows({"Cirurgia": 0.85}))
        self.looked(key)
        body = held["body"] | {"state": "near"}
        put = self.client.put(f"/api/watches/{key}", json=body, headers={"If-Match": f'"{held["version"]}"'})
        self.assertEqual(put.status_code, 200)
        self.assertEqual(self.client.put(f"/api/watches/{key}", json=body, headers={"If-Match": f'"{held["version"]}"'}).status_code, 412)  # fmt: skip
        self.looked(key)
        self.assertEqual(self.sent(key), [])
        put = self.client.put(
            f"/api/watches/{key}", json=body | {"paused": True}, headers={"If-Match": f'"{put.json()["version"]}"'}
        )
        self.upload(rows({"Urgência": 0.5}))
        self.looked(key)
        put = self.client.put(f"/api/watches/{key}", json=body, headers={"If-Match": f'"{put.json()["version"]}"'})
        self.looked(key)
        self.assertEqual(self.sent(key), [])

    def test_garbage_is_told(self) -> None:
        good = {"name": "x", "kpi": self.kpi, "asks": "falls", "state": "short"}
        for change, status in (
            ({"kpi": None}, 422), ({"scorecard": self.card}, 422), ({"asks": "hopes"}, 422), ({"state": ""}, 422), ({"state": "beyond"}, 422),
            ({"by": "nada"}, 422), ({"kpi": "nothing"}, 404), ({"back": -1}, 422), ({"stays": 0}, 422), ({"zone": "Mars/Base"}, 422),
            ({"quiet_from": "22:00"}, 422), ({"at": "99"}, 422), ({"members": ["x"]}, 422), ({"hooks": ["nothing"]}, 404), ({"tell": ["x"]}, 422),
            ({"mails": ["no mail"]}, 422), ({"grain": "fortnight"}, 422), ({"name": ""}, 422), ({"unknown": 1}, 422), ({"asks": "below", "mark": None}, 422),
            ({"grain": "day"}, 422),
        ):  # fmt: skip
            with self.subTest(change):
                answer = self.client.post("/api/watches", json=good | change)
                self.assertEqual(answer.status_code, status, answer.text)
                self.assertTrue(answer.json()["detail"])
        self.assertEqual(
            self.client.post("/api/hooks", json={"name": "x", "url": "http://elsewhere.example/"}).status_code, 422
        )
        for path in ("/api/watches/none", "/api/watches/none/sent", "/api/unfollow/x.y", "/api/unfollow/" + "z" * 300):
            self.assertEqual(self.client.get(path).status_code, 404, path)


class Sent(Hospital):
    def tearDown(self) -> None:
        for one in (self.mail, self.hooks):
            one.do("take")
        self.upload(rows({}))

    def fall(self, ward: str = "Cirurgia", to: float = 0.7) -> None:
        self.upload(rows({ward: to}))

    def test_mail_has_text_html_a_picture_and_a_way_out(self) -> None:
        key = self.watch(mails=["direcao@hospital.example"])
        self.fall("Pediatria <b>")
        mail = world.until(lambda: self.mails("direcao@hospital.example"), bool)[0]
        self.assertEqual(mail["parts"], ["text/plain", "text/html", "image/png"])
        self.assertIn("Met → Short: 70.0% in October 2026", mail["text"])
        self.assertIn("Pediatria &lt;b&gt;", mail["html"])
        self.assertNotIn("Pediatria <b>", mail["html"])
        off = mail["headers"]["List-Unsubscribe"].strip("<>")
        self.assertIn("No more of this", httpx.get(off).text)
        self.assertEqual(self.client.get(f"/api/watches/{key}").json()["body"]["but"], [])  # to look ends nothing
        self.assertIn("told no more", httpx.post(off, data={"List-Unsubscribe": "One-Click"}).text)
        self.upload(rows({}))
        self.looked(key)
        self.fall("Urgência")
        self.told(key, 2)
        time.sleep(2)
        self.assertEqual(len(self.mails("direcao@hospital.example")), 1)
        httpx.post(off, params={"back": "true"})
        self.assertEqual(self.client.get(f"/api/watches/{key}").json()["body"]["but"], [])

    def test_a_webhook_is_an_event_that_is_signed_and_secrets_are_rotated(self) -> None:
        self.watch(hooks=[self.hook])
        before = len(self.hooks.came()["came"])
        self.fall()
        came = world.until(lambda: self.hooks.came()["came"], lambda found: len(found) > before)[-1]
        self.assertIs(came["proven"], True)
        body = came["body"]
        self.assertEqual(
            (body["specversion"], body["type"], body["id"]),
            ("1.0", "ironmark.watch.told", came["headers"]["webhook-id"]),
        )
        self.assertEqual(came["headers"]["content-type"].partition(";")[0], "application/cloudevents+json")
        self.assertEqual(body["data"]["messages"][0]["member"], "Cirurgia")
        held = next(one for one in self.client.get("/api/hooks").json() if one["id"] == self.hook)
        self.post(f"/api/hooks/{self.hook}/secret", headers={"If-Match": f'"{held["version"]}"'})
        self.upload(rows({}))
        self.watch(hooks=[self.hook])
        self.fall("Urgência")
        came = world.until(lambda: self.hooks.came()["came"], lambda found: len(found) > before + 2)[-1]
        self.assertIs(came["proven"], True)  # by the older secret, which is good for a day
        self.assertEqual(len(came["headers"]["webhook-signature"].split()), 2)

    def test_what_fails_is_tried_again_under_its_id_and_holds_up_no_other(self) -> None:
        key = self.watch(hooks=[self.hook], mails=["turno@hospital.example"])
        self.hooks.do("stall")
        began = time.monotonic()
        self.fall()
        world.until(lambda: self.mails("turno@hospital.example"), bool)
        self.assertLess(time.monotonic() - began, 60)
        way = self.way(key, "webhook", lambda one: one["tries"] == 1)
        self.assertIn("10 seconds", way["said"])
        for n, (mode, said) in enumerate(
            (("redirect", "a redirect, which is not followed"), ("fail", "answered 503")), 2
        ):
            self.hooks.do(mode)
            self.client.post(f"/api/deliveries/{way['id']}/again")
            self.assertIn(said, self.way(key, "webhook", lambda one, n=n: one["tries"] == n)["said"])
        self.assertIn("503", self.client.get(f"/api/watches/{key}").json()["unsent"])
        self.assertIn(way["id"], [one["id"] for one in self.client.get("/api/sending/unsent").json()])
        self.hooks.do("take")
        self.client.post(f"/api/deliveries/{way['id']}/again")
        self.way(key, "webhook", lambda one: one["state"] == "sent")
        self.assertEqual([one["id"] for one in self.hooks.came()["came"]].count(way["id"]), 1)

    def way(self, key: str, channel: str, holds: Any) -> Any:
        def ask() -> list[Any]:
            return [one for told in self.sent(key) for one in told["ways"] if one["channel"] == channel and holds(one)]

        return world.until(ask, bool)[0]

    def test_a_mail_server_that_is_down_and_one_that_refuses(self) -> None:
        key = self.watch(mails=["ninguem@hospital.example"])
        self.mail.do("fail")
        self.fall()
        self.assertIn("451", self.way(key, "mail", lambda one: one["tries"] == 1)["said"])
        self.mail.do("refuse")
        way = self.way(key, "mail", lambda one: True)
        self.client.post(f"/api/deliveries/{way['id']}/again")
        self.assertIn("550", self.way(key, "mail", lambda one: one["state"] == "failed")["said"])
        self.mail.do("take")
        self.client.post(f"/api/deliveries/{way['id']}/again")
        self.way(key, "mail", lambda one: one["state"] == "sent")
        self.assertEqual(len(self.mails("ninguem@hospital.example")), 1)

    def test_given_up_after_a_day_and_digests_as_one(self) -> None:
        key = self.watch(mails=["resumo@hospital.example"], when="daily", at="06:00")
        self.fall()
        self.told(key)
        self.fall("Urgência")
        found = self.told(key, 2)
        self.assertEqual({way["state"] for one in found for way in one["ways"]}, {"waiting"})
        with world.straight_to(self.server) as engine, engine.begin() as connection:
            connection.execute(
                text("UPDATE deliveries SET due_at = UTC_TIMESTAMP(6) - INTERVAL 900 DAY WHERE watch = :key"),
                {"key": key},
            )
        mail = world.until(lambda: self.mails("resumo@hospital.example"), bool)
        self.assertEqual(len(mail), 1)
        self.assertIn("Cirurgia", mail[0]["text"])
        self.assertIn("Urgência", mail[0]["text"])
        self.assertEqual({way["state"] for one in self.sent(key) for way in one["ways"]}, {"bundled"})
        self.mail.do("fail")
        late = self.watch(mails=["tarde@hospital.example"])
        self.fall("Pediatria <b>")
        way = self.way(late, "mail", lambda one: one["tries"] == 1)
        with world.straight_to(self.server) as engine, engine.begin() as connection:
            connection.execute(
                text(
                    "UPDATE deliveries SET made_at = made_at - INTERVAL 2 DAY, due_at = due_at - INTERVAL 900 DAY WHERE id = :key"
                ),
                {"key": way["id"]},
            )
            connection.execute(text("UPDATE messages SET at = at - INTERVAL 2 DAY WHERE watch = :key"), {"key": late})
        self.way(late, "mail", lambda one: one["state"] == "failed")

    def test_a_trial_says_that_it_is_one(self) -> None:
        key = self.watch(mails=["prova@hospital.example"])
        trial = self.post(f"/api/watches/{key}/trial")
        self.assertTrue(trial["title"].startswith("A trial: "))
        self.assertIn("(a trial)", world.until(lambda: self.mails("prova@hospital.example"), bool)[0]["text"])

    def test_an_edition_arrives_with_its_files_and_is_told_when_withdrawn(self) -> None:
        key = self.watch(
            kpi=None,
            scorecard=self.card,
            by=None,
            asks="edition",
            state="",
            mails=["conselho@hospital.example"],
            forms=["pdf", "xlsx"],
        )
        made = self.post("/api/editions", json={"scorecard": self.card})
        published = self.client.post(
            f"/api/editions/{made['id']}/publish", headers={"If-Match": f'"{made["version"]}"'}
        )
        self.assertEqual(published.status_code, 200, published.text)
        mail = world.until(lambda: self.mails("conselho@hospital.example"), bool)[0]
        self.assertEqual(sorted(mail["parts"])[:1], ["application/pdf"])
        self.assertEqual(len(mail["parts"]), 4)
        self.assertIn("Hospital, edition 1", mail["text"])
        self.assertIn("October 2026 is out.", mail["text"])
        told = self.client.get(f"/api/editions/{made['id']}/sent").json()
        self.assertEqual([way["to"] for one in told for way in one["ways"]], ["conselho@hospital.example"])
        gone = self.client.post(
            f"/api/editions/{made['id']}/withdraw",
            json={"why": "contas erradas"},
            headers={"If-Match": f'"{published.json()["version"]}"'},
        )
        self.assertEqual(gone.status_code, 200, gone.text)
        self.told(key, 2)
        mails = world.until(lambda: self.mails("conselho@hospital.example"), lambda found: len(found) == 2)
        self.assertIn("was withdrawn", mails[1]["text"])
        self.assertIn("contas erradas", mails[1]["text"])

    def test_figures_for_machines_and_for_the_owner(self) -> None:
        health = self.client.get("/api/health").json()
        self.assertEqual((health["worker"], health["printer"], health["database"]), (True, True, "ok"))
        figures = self.client.get("/metrics").text
        for name in (
            "request_seconds",
            "reading_seconds",
            "turn_wait_seconds",
            "jobs_total",
            "sent_total",
            "outbox_oldest_seconds",
        ):
            self.assertIn(f"ironmark_{name}", figures)
        self.assertEqual(self.client.get("/metrics", headers={"X-Forwarded-For": "203.0.113.9"}).status_code, 404)
        self.assertGreaterEqual(self.client.get("/api/upkeep").json()["failed"], 0)
        asked = self.client.get("/api/watches", headers={"X-Request-Id": "turno-da-noite.7"})
        self.assertEqual(asked.headers["x-request-id"], "turno-da-noite.7")
        key = self.watch(mails=["rasto@hospital.example"])
        tag = self.client.get(f"/api/datasets/{self.data}").headers["etag"]
        self.client.post(
            f"/api/datasets/{self.data}/rows", params={"how": "replace"}, files={"file": ("Hospital.csv", rows({"Cirurgia": 0.6}).encode())},
            headers={"If-Match": tag, "X-Request-Id": "carregamento-1"},
        ).raise_for_status()  # fmt: skip
        self.told(key)
        world.until(lambda: self.mails("rasto@hospital.example"), bool)
        lines = [json.loads(line) for line in (self.server.directory / "server.log").read_text().splitlines()]
        self.assertTrue([one for one in lines if one.get("event") == "sent" and one.get("request") == "carregamento-1"])


class Killed(Hospital):
    """Whatever is killed whenever: nothing is lost, and nothing comes twice under another id."""

    def test_at_every_step(self) -> None:
        key = self.watch(hooks=[self.hook])
        chance, low = random.Random(32), dict[str, float]()
        for turn in range(4):
            if turn == 0:
                low["Cirurgia"] = 0.7
            if turn == 2:
                low["Urgência"] = 0.6
            self.upload(rows({ward: value + turn / 1000 for ward, value in low.items()}))
            if turn == 1:
                self.told(key)  # it is written, and on its way
            elif turn == 3:
                os.kill(self.server.database_pid, 9)
            else:
                time.sleep(chance.random() * 1.5)
            self.server.kill()
            self.server.start()
        self.told(key, 2)
        # While it is sent: it goes again, under the same id.
        self.hooks.do("stall")
        tries = self.hooks.came()["tries"]
        low["Pediatria <b>"] = 0.65
        self.upload(rows(low))
        world.until(lambda: self.hooks.came()["tries"], lambda found: found > tries)
        self.server.kill()
        self.hooks.do("take")
        self.server.start()
        self.told(key, 3)
        world.until(
            lambda: {way["state"] for one in self.sent(key) for way in one["ways"]}, lambda found: found == {"sent"}
        )
        found = self.sent(key)
        who = sorted(item["who"] for one in found for item in one["items"])
        self.assertEqual(who, ["Cirurgia", "Pediatria <b>", "Urgência"])
        came = self.hooks.came()["came"]
        self.assertEqual(sorted(one["id"] for one in came), sorted(way["id"] for one in found for way in one["ways"]))
        members = [message["member"] for one in came for message in one["body"]["data"]["messages"]]
        self.assertEqual(sorted(members), who)


class TwoServers(Hospital):
    options = ("--workers", "2")

    def test_one_message_from_two_processes(self) -> None:
        key = self.watch(hooks=[self.hook])
        for turn in range(4):
            self.upload(rows({"Cirurgia": 0.7 - turn / 100}))
        self.told(key)
        self.looked(key)
        time.sleep(1.5)
        self.assertEqual(len(self.sent(key)), 1)
        world.until(lambda: self.hooks.came()["came"], bool)
        self.assertEqual([one["times"] for one in self.hooks.came()["came"]], [1])
        self.assertIn("ironmark_request_seconds_count", self.client.get("/metrics").text)


class SomeRows(Hospital):
    """Each is told by their own rows."""

    options = ("--sign-in",)

    @classmethod
    def signed_in(cls) -> httpx.Client:
        with world.straight_to(cls.server) as engine, database.sessions(engine).begin() as session:
            first = accounts.make_pass(session, "owner", dt.timedelta(hours=1))
        body = {"mail": "ines@hospital.example", "name": "Inês Prado", "password": PASSWORD}
        cls.server.client.post(f"/api/sign-in/pass/{first}", json=body).raise_for_status()
        return cls.server.client

    def joined(self, mail: str, role: str) -> httpx.Client:
        path = self.post("/api/people", json={"mail": mail, "name": mail.split("@")[0], "role": role})["path"]
        client = httpx.Client(base_url=self.server.address, timeout=60)
        self.addCleanup(client.close)
        client.post(f"/api/sign-in/pass/{path.split('/')[-1]}", json={"password": PASSWORD}).raise_for_status()
        return client

    def opened(self, kind: str, key: str, **slots: Any) -> None:
        held = self.client.get(f"/api/openings/{kind}/{key}").json()
        head = {"If-Match": f'"{held["version"]}"'}
        self.client.put(f"/api/openings/{kind}/{key}", json=held["body"] | slots, headers=head).raise_for_status()

    def test_a_reader_of_two_wards_is_told_of_two(self) -> None:
        rui, lia = self.joined("rui@hospital.example", "reader"), self.joined("lia@hospital.example", "analyst")
        self.opened("scorecard", self.card, read=["everyone"])
        rule = {
            "who": f"person:{rui.get('/api/me').json()['id']}",
            "segment": "serviço",
            "members": ["Urgência", "Cirurgia"],
        }
        self.opened("dataset", self.data, rules=[rule])
        body = {"name": "Todos", "scorecard": self.card, "asks": "worsens", "tell": ["everyone"], "by_mail": True}
        key = self.post("/api/watches", json=body)["id"]
        self.looked(key)
        self.upload(rows({"Pediatria <b>": 0.6, "Cirurgia": 0.7}))
        for client, who in ((rui, {"Cirurgia"}), (lia, {"Cirurgia", "Pediatria <b>"})):
            inbox = world.until(lambda client=client: client.get("/api/inbox").json(), lambda found: found["unread"])
            self.assertEqual({one["who"] for message in inbox["messages"] for one in message["items"]}, who)
        mail = world.until(lambda: self.mails("rui@hospital.example"), bool)[0]
        self.assertNotIn("Pediatria", mail["text"] + mail["html"])
        # A reader watches for themselves, and sees nobody else's.
        self.assertEqual(rui.get("/api/watches").json(), [])
        self.assertEqual(rui.get(f"/api/watches/{key}/sent").status_code, 404)
        mine = {"name": "Meu", "scorecard": self.card, "asks": "edition"}
        self.assertEqual(rui.post("/api/watches", json=mine).status_code, 201)
        for change in ({"tell": ["everyone"]}, {"mails": ["x@y.example"]}, {"hooks": [self.hook]}):
            self.assertEqual(rui.post("/api/watches", json=mine | change).status_code, 403, change)
        self.assertEqual(rui.get("/api/sending").status_code, 403)
        # An analyst writes to people here, and to whom the owner allows.
        own = {"name": "Fora", "kpi": self.kpi, "asks": "signal", "mails": ["fora@elsewhere.example"]}
        self.assertEqual(lia.post("/api/watches", json=own).status_code, 403)
        held = self.client.get("/api/sending")
        allowed = held.json()["body"] | {"allowed": ["@elsewhere.example"]}
        self.client.put("/api/sending", json=allowed, headers={"If-Match": held.headers["etag"]}).raise_for_status()
        self.assertEqual(lia.post("/api/watches", json=own).status_code, 201)
        self.assertEqual(
            rui.post(f"/api/inbox/{rui.get('/api/inbox').json()['messages'][0]['id']}/read").status_code, 204
        )
        self.assertEqual(rui.get("/api/inbox").json()["unread"], 0)
        theirs = lia.get("/api/inbox").json()["messages"][0]["id"]
        self.assertEqual(rui.post(f"/api/inbox/{theirs}/read").status_code, 404)

    def test_letters_about_accounts(self) -> None:
        asked = self.post("/api/people", json={"mail": "nuno@hospital.example", "name": "Nuno Vale", "role": "reader"})
        self.assertTrue(asked["mailed"])
        mail = world.until(lambda: self.mails("nuno@hospital.example"), bool)[0]
        self.assertIn(f"{self.server.address}{asked['path']}", mail["text"])
        self.assertNotIn("List-Unsubscribe", mail["headers"])
        token = asked["path"].split("/")[-1]

        def kept() -> str:
            with world.straight_to(self.server) as engine, engine.connect() as connection:
                return str(
                    connection.execute(
                        text("SELECT GROUP_CONCAT(body) FROM messages WHERE whose = 'mail:nuno@hospital.example'")
                    ).scalar()
                )

        self.assertNotIn(token, kept())
        world.until(kept, lambda body: "sealed" not in body)  # gone once it was sent
        nuno = httpx.Client(base_url=self.server.address, timeout=60, headers={"User-Agent": "one"})
        self.addCleanup(nuno.close)
        nuno.post(f"/api/sign-in/pass/{token}", json={"password": PASSWORD}).raise_for_status()
        self.assertEqual(nuno.get("/api/inbox").json()["unread"], 0)
        body = {"mail": "nuno@hospital.example", "password": PASSWORD}
        httpx.post(
            f"{self.server.address}/api/sign-in", json=body, headers={"User-Agent": "another"}
        ).raise_for_status()
        self.assertEqual([one["title"] for one in nuno.get("/api/inbox").json()["messages"]], ["A new browser"])
        httpx.post(
            f"{self.server.address}/api/sign-in", json=body, headers={"User-Agent": "another"}
        ).raise_for_status()
        self.assertEqual(nuno.get("/api/inbox").json()["unread"], 1)
        self.assertEqual(
            self.server.client.post("/api/sign-in/forgotten", json={"mail": "nuno@hospital.example"}).status_code, 202
        )
        mails = world.until(lambda: self.mails("nuno@hospital.example"), lambda found: len(found) == 3)
        link = next(
            line for one in mails for line in one["text"].splitlines() if "/#/sign-in/" in line and token not in line
        )
        self.assertEqual(
            httpx.get(f"{self.server.address}/api/sign-in/pass/{link.split('/')[-1]}").json()["kind"], "password"
        )
        self.assertEqual(
            self.server.client.post("/api/sign-in/forgotten", json={"mail": "nobody@hospital.example"}).status_code, 202
        )
        for _ in range(12):
            httpx.post(f"{self.server.address}/api/sign-in", json=body | {"password": "x"})
        messages = self.client.get("/api/inbox").json()["messages"]
        told = [one for one in messages if one["title"] == "Sign-in was tried too often"]
        self.assertEqual(len(told), 1)
        self.assertIn("nuno@hospital.example", told[0]["items"][0]["period"])


class Sealed(unittest.TestCase):
    """Mail goes sealed where that is told, and to nobody whose certificate is not known."""

    def test_starttls_and_tls(self) -> None:
        logging.getLogger("mail.log").setLevel(logging.CRITICAL)  # a handshake that is broken off is what is wanted
        place = world.temporary("key.pem", "").parent
        key, made = place / "key.pem", place / "cert.pem"
        subprocess.run(
            ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", made, "-days", "2", "-subj", "/CN=localhost",
             "-addext", "subjectAltName=DNS:localhost"], check=True, capture_output=True,
        )  # fmt: skip
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(made, key)
        told = {"watch": "w", "items": []}
        letter = written(Letter("msg-1", "x@y.example", "a@b.example", "", "s", clock.now(), [told]))
        for tls, options in (
            ("starttls", {"tls_context": context, "require_starttls": True}),
            ("tls", {"ssl_context": context}),
        ):
            with self.subTest(tls):
                inbox, port = Inbox(), world.free_port()
                controller = Controller(inbox, hostname="localhost", port=port, **options)
                controller.start()
                parcel = Parcel("msg-1", "mail", letter, MailServer("localhost", port, tls, "", "", "a@b.example", ""))
                try:
                    with self.assertRaisesRegex(NotSent, "certificate"):
                        asyncio.run(post_mail(parcel))
                    self.assertEqual(inbox.kept, [])
                    with mock.patch.dict(os.environ, SSL_CERT_FILE=str(made)):
                        asyncio.run(post_mail(parcel))
                    self.assertEqual(len(inbox.kept), 1)
                finally:
                    controller.stop()


class ALiveFlutter(unittest.TestCase):
    """A year of days of a water works that flutter around a cut: one message, through the server as well."""

    def test_a_year_of_days(self) -> None:
        client = world.running().client
        lines = ["gün,istasyon,klor"]
        chance = random.Random(8)
        for n in range(330):
            day = dt.date(2025, 12, 20) + dt.timedelta(days=n)
            value = 0.62 if n < 20 else 0.5 + chance.gauss(0, 0.015)
            lines.append(f"{day},Çamlık & Göl,{value:.4f}")
        made = client.post("/api/datasets", files={"file": ("Su.csv", "\n".join(lines).encode())}).json()
        kpi = {
            "handle": "klor",
            "name": "Klor",
            "dataset": made["id"],
            "formula": "mean(klor)",
            "unit": {"decimals": 3},
        }
        kpi_id = client.post("/api/kpis", json=kpi).json()["id"]
        body = {"name": "Klor", "kpi": kpi_id, "bands": ["short", "met"], "cuts": [{"offset": 0.5}]}
        self.assertEqual(client.post("/api/yardsticks", json=body).status_code, 201)
        ask = {"name": "x", "kpi": kpi_id, "by": "istasyon", "grain": "day", "asks": "falls", "state": "short"}
        every = client.post("/api/watches/try", json=ask).json()
        self.assertGreater(every["sent"], 8)
        held = client.post("/api/watches/try", json=ask | {"back": 0.1}).json()
        self.assertLessEqual(held["sent"], 1)
        self.assertIn("Without 0.100 back over the cut", [one["words"] for one in held["others"]])


if __name__ == "__main__":
    unittest.main()
