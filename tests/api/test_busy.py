"""Much asked for at once, and several processes: who waits holds nobody else up, and one alone draws."""

import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from unittest import mock

import httpx
import polars as pl
from sqlalchemy import create_engine, text
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.api.access import Reader
from ironmark.core.periods import Period
from ironmark.pages.context.fair_semaphore import NoTurn, Turns
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing.standing import StandingBody, newest_due
from ironmark.store import exports, leases
from ironmark.tables.pieces import Pieces
from tests import world

CARD = "network-performance"


class Looks(unittest.TestCase):
    def test_many_rows_are_looked_at_by_one_or_two_at_a_time(self) -> None:
        """And who does not come to it is told so; a few rows are looked at by anybody at once."""
        who = Reader(Sources(world.engine(), memory=512 << 20))
        many = mock.Mock(spec=Pieces)
        with who.looking_at(many), mock.patch("ironmark.api.access.LOOK_S", 0.05):
            with self.assertRaises(Refused) as told, who.looking_at(many):
                self.fail("two looked at once")
            self.assertEqual((told.exception.problem.status, told.exception.problem.type), (503, "busy"))
            with who.looking_at(pl.DataFrame()):
                pass
        with who.looking_at(many):
            pass


class ManyExports(unittest.TestCase):
    def test_sixty_that_are_waited_for_hold_nobody_up(self) -> None:
        server = world.running()
        edition = server.client.get("/api/editions").json()[0]["id"]
        sheets = [one["id"] for one in server.client.get(f"/api/editions/{edition}").json()["picture"]["instruments"]]
        answered = list[int]()

        def take(at: int) -> int:
            with httpx.Client(base_url=server.address, timeout=120) as own:
                answer = own.get(f"/api/editions/{edition}/export/png?scale=1&instrument={sheets[at % len(sheets)]}")
            answered.append(at)
            if answer.status_code == 503:  # so many wait that one more is refused in words
                self.assertIn(answer.json()["type"], ("busy", "slow"))
            return answer.status_code

        with ThreadPoolExecutor(60) as pool:
            asked = [pool.submit(take, at) for at in range(60)]
            while not answered:
                time.sleep(0.01)
            seen = 0
            with httpx.Client(base_url=server.address, timeout=120) as own:
                while len(answered) < 30:
                    self.assertEqual(own.get("/api/health").status_code, 200)
                    page = own.get("/")
                    asset = page.text.split('src="/assets/')[1].split('"')[0]
                    self.assertEqual((page.status_code, own.get(f"/assets/{asset}").status_code), (200, 200))
                    seen += 1
            statuses = [one.result() for one in asked]
        self.assertGreater(seen, 5, "health and page waited for the exports")
        self.assertEqual(set(statuses) - {503}, {200})
        self.assertGreater(statuses.count(200), 20)

    def test_built_files_are_told_by_their_tag(self) -> None:
        client = world.running().client
        page = client.get("/")
        self.assertEqual(page.headers["cache-control"], "no-cache")
        again = client.get("/", headers={"If-None-Match": page.headers["etag"]})
        self.assertEqual((again.status_code, again.content), (304, b""))
        name = page.text.split('src="/assets/')[1].split('"')[0]
        script = client.get(f"/assets/{name}")
        self.assertIn("javascript", script.headers["content-type"])
        self.assertIn("immutable", script.headers["cache-control"])
        self.assertEqual(client.get("/assets/..%2Findex.html").status_code, 404)

    def test_what_nobody_waits_for_leaves_a_turn_to_pages(self) -> None:
        sources = Sources(create_engine("mysql+pymysql://nobody@127.0.0.1:1/none"))  # which nobody asks anything
        begun, over, at_once = threading.Event(), threading.Event(), list[int]()

        def behind() -> None:
            with sources.reading_behind():
                at_once.append(1)
                begun.set()
                over.wait(20)
                at_once.pop()

        threads = [threading.Thread(target=behind) for _ in range(3)]
        for thread in threads:
            thread.start()
        begun.wait(20)
        with sources.turns.within(5):
            self.assertEqual(at_once, [1])
        over.set()
        for thread in threads:
            thread.join(20)
        self.assertEqual(at_once, [])

    def test_a_turn_is_waited_for_only_so_long(self) -> None:
        turns = Turns(1)
        with turns:
            with self.assertRaises(NoTurn), turns.within(0.05):
                pass
            self.assertEqual(turns.waiting, 0)
        with turns.within(0.05):
            pass
        # Who gives up leaves the turn to those behind.
        went, behind = list[str](), threading.Event()

        def wait() -> None:
            behind.set()
            with turns.within(20):
                went.append("behind")

        with turns:
            thread = threading.Thread(target=wait)
            with self.assertRaises(NoTurn), turns.within(0.05):
                pass
            thread.start()
            behind.wait()
        thread.join(20)
        self.assertEqual(went, ["behind"])


class OneDraws(unittest.TestCase):
    def test_what_another_process_draws_is_left_to_it(self) -> None:
        with Session(world.engine()) as session:
            self.assertFalse(leases.is_held(session, leases.WORK, "somebody else"))
            key = exports.ask(session, "png", b"x", None, {}, "x.png")
            row = exports.get(session, key)
            row.state, row.taken_by, row.tries = "running", "the one", 1
            session.flush()
            self.assertTrue(exports.tell(session, key, "another", "is drawn", 0.5), "another has it: stop")
            exports.end(session, key, "another", state="failed")
            session.expire_all()
            self.assertEqual((exports.get(session, key).state, exports.get(session, key).stage), ("running", row.stage))
            self.assertFalse(exports.tell(session, key, "the one", "is drawn", 0.5))
            exports.end(session, key, "the one", state="done")
            session.expire_all()
            self.assertEqual(exports.get(session, key).state, "done")
            session.rollback()

    def test_two_processes_draw_each_page_once(self) -> None:
        server = world.Running("--workers", "2").start()
        self.addCleanup(server.close)
        asked = [self.ask(server, {"kind": "png", "scorecard": CARD, "scale": 1}) for _ in range(6)]
        for key in asked:
            self.assertEqual(self.until_ended(server, key)["state"], "done")
        with world.straight_to(server) as engine, engine.connect() as open_:
            rows = open_.execute(text("SELECT tries, taken_by FROM exports")).all()
        self.assertEqual({row.tries for row in rows}, {1})
        self.assertEqual(len({row.taken_by for row in rows}), 1)
        self.in_the_organisation_s_locale(server)

    def ask(self, server: world.Running, body: dict[str, Any]) -> str:
        answer = server.client.post("/api/exports", json=body)
        self.assertEqual(answer.status_code, 202, answer.text)
        return str(answer.json()["id"])

    def until_ended(self, server: world.Running, key: str) -> dict[str, Any]:
        return world.until(lambda: server.client.get(f"/api/exports/{key}").json(), lambda one: one["state"] in exports.ENDED)  # fmt: skip

    def in_the_organisation_s_locale(self, server: world.Running) -> None:
        """Editions by the calendar, whatever the thread that makes them wrote before."""
        ways = server.client.get("/api/calendar").json()
        seen = {"If-Match": f'"{ways["version"]}"'}
        server.client.put("/api/calendar", json={"year_start": 1, "locale": "de_DE"}, headers=seen).raise_for_status()
        made = server.client.post("/api/standing", json={"scorecard": CARD, "complete": False}).json()
        newest = newest_due(StandingBody(scorecard=CARD), clock.now(), set(), Period.parse("2026-06"))
        with world.straight_to(server) as engine, engine.begin() as open_:
            open_.execute(
                text("UPDATE standing_orders SET due_at = :now, standing_for = :p WHERE id = :id"),
                {"p": newest.shift(-1).key, "id": made["id"], "now": clock.now()},
            )
        found = world.until(
            lambda: next(one for one in server.client.get("/api/standing").json() if one["id"] == made["id"]),
            lambda one: one["made"],
        )
        page = server.client.get(f"/api/editions/{found['made']}").text
        self.assertIn("\u00a0%", page)


if __name__ == "__main__":
    unittest.main()
