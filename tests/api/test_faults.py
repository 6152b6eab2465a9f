"""Faults that were found once, each with what it took to show it."""

import datetime as dt
import errno
import re
import secrets
import threading
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import mock

import httpx
import pymysql
from sqlalchemy import text
from sqlalchemy.exc import InternalError, OperationalError

from ironmark.api import access
from ironmark.api.app import ROUTERS, create_app
from ironmark.api.background_uploads import Uploads
from ironmark.api.problems import problem_of
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.store import dataset_versions, datasets, room
from ironmark.tables.reader import read_delimited
from ironmark.tables.table import Table
from tests import world


class Faults(unittest.TestCase):
    def setUp(self) -> None:
        self.server = world.running()
        self.client = self.server.client

    def kpi(self, handle: str, formula: str = "count()") -> dict[str, Any]:
        return {"handle": handle, "name": handle, "dataset": "sailings", "formula": formula}

    def made(self, handle: str, formula: str = "count()") -> str:
        answer = self.client.post("/api/kpis", json=self.kpi(handle, formula))
        self.assertEqual(answer.status_code, 201, answer.text)
        key = str(answer.json()["id"])
        self.addCleanup(self.drop, key)
        return key

    def drop(self, key: str) -> None:
        version = self.client.get(f"/api/kpis/{key}").json()["version"]
        self.client.delete(f"/api/kpis/{key}", headers={"If-Match": f'"{version}"'})

    def test_two_kpis_saved_at_once_never_get_one_handle(self) -> None:
        for round_ in range(4):
            handle, start, answers = f"raced_{round_}", threading.Barrier(6), []

            def save(handle: str = handle, start: Any = start, answers: list[Any] = answers) -> None:
                with httpx.Client(base_url=str(self.client.base_url), timeout=120) as client:
                    start.wait(10)
                    answers.append(client.post("/api/kpis", json=self.kpi(handle)))

            savers = [threading.Thread(target=save) for _ in range(6)]
            for saver in savers:
                saver.start()
            for saver in savers:
                saver.join(60)
            kept = [answer.json()["id"] for answer in answers if answer.status_code == 201]
            for key in kept:
                self.addCleanup(self.drop, key)
            self.assertEqual(len(kept), 1, [answer.text for answer in answers])
            refused = {answer.json()["type"] for answer in answers if answer.status_code != 201}
            self.assertEqual(refused, {"handle-taken"})

    def test_a_new_name_that_closes_a_circle_is_refused_when_saved(self) -> None:
        first = self.made("circle_one")
        self.made("circle_two", "@circle_one + 1")
        closing = self.kpi("circle_renamed", "@circle_two")
        answer = self.client.put(f"/api/kpis/{first}", json=closing, headers={"If-Match": '"1"'})
        self.assertEqual(answer.status_code, 422, answer.text)
        self.assertIn("circle", answer.json()["detail"])
        self.assertEqual(self.client.get(f"/api/kpis/{first}").json()["body"]["handle"], "circle_one")

    def test_earlier_forms_come_a_page_at_a_time(self) -> None:
        key = self.made("revised")
        for version in range(1, 6):
            body = self.kpi("revised") | {"description": f"Form {version + 1}"}
            who = ("Ida", "Bo")[version % 2]  # of what one of them saves at once, the forms between are not kept
            with world.called(self.client, who):
                saved = self.client.put(f"/api/kpis/{key}", json=body, headers={"If-Match": f'"{version}"'})
            self.assertEqual(saved.status_code, 200, saved.text)

        def forms(**page: int) -> list[int]:
            return [form["version"] for form in self.client.get(f"/api/kpis/{key}/revisions", params=page).json()]

        self.assertEqual(forms(), [6, 5, 4, 3, 2, 1])
        self.assertEqual(forms(limit=2), [6, 5])
        self.assertEqual(forms(limit=3, before=5), [4, 3, 2])
        self.assertEqual(forms(before=2), [1])
        self.assertEqual(forms(before=1), [])

    def test_who_brought_rows_is_kept_with_them(self) -> None:
        with world.called(self.client, "Ida"):
            made = self.client.post("/api/datasets", files={"file": ("t.csv", b"day,x\n2026-10-01,1\n")}).json()
        with world.called(self.client, "Jørn"):
            begun = self.client.post(
                "/api/uploads", params={"dataset": made["id"]}, files={"file": ("u.csv", b"day,x\n2026-10-01,2\n")},
                headers={"If-Match": f'"{made["version"]}"'},
            ).json()  # fmt: skip
            for _ in range(300):
                if self.client.get(f"/api/uploads/{begun['id']}").json()["state"] == "done":
                    break
                threading.Event().wait(0.05)
        versions = self.client.get(f"/api/datasets/{made['id']}/versions").json()
        self.assertEqual([version["saved_by"] for version in versions], ["Jørn", "Ida"])
        version = self.client.get(f"/api/datasets/{made['id']}").json()["version"]
        self.client.delete(f"/api/datasets/{made['id']}", headers={"If-Match": f'"{version}"'})

    def test_old_versions_of_rows_are_given_up_but_one_a_day(self) -> None:
        def table(number: int) -> Table:
            return read_delimited(f"day,x\n2026-10-01,{number}\n".encode())

        sources = Sources(world.engine())
        with sources.changes() as session:
            made = dataset_versions.create(session, "Ticked", "t.csv", table(0))
        self.addCleanup(self.drop_dataset, sources, made.id)
        days = [1, 1, 1, 2, 2, 3, 4, 4, 4, 4]
        # The owner says how many.
        said = {"name": "Ticked", "columns": [], "keep_versions": 3}
        answer = self.client.patch(f"/api/datasets/{made.id}", json=said, headers={"If-Match": '"1"'})
        self.assertEqual((answer.status_code, answer.json()["keep_versions"]), (200, 3))
        for number, day in enumerate(days, start=1):
            with sources.changes() as session:
                moment = dt.datetime(2026, 11, day, 8) + dt.timedelta(minutes=number)
                session.execute(
                    text("UPDATE dataset_versions SET created_at = :m WHERE dataset_id = :k AND number = :n"),
                    {"m": moment, "k": made.id, "n": number},
                )
                version = datasets.get(session, made.id).version
                dataset_versions.refresh_with(session, made.id, version, "t.csv", table(number), "ticked")
        with sources.readings() as session:
            kept = [version.number for version in datasets.versions(session, made.id)]
            pieces = session.scalars(
                text("SELECT number FROM dataset_segments WHERE dataset_id = :k"), {"k": made.id}
            ).all()
        # The last three; of each day before them the last.
        self.assertEqual(kept, [11, 10, 9, 8, 6, 5, 3])
        self.assertEqual(sorted(pieces), sorted(kept))

    def drop_dataset(self, sources: Sources, key: str) -> None:
        with sources.changes() as session:
            datasets.remove(session, key, datasets.get(session, key).version)

    def test_odd_places_of_a_live_source_are_told_in_words(self) -> None:
        place = {"host": "127.0.0.1", "port": self.port(), "database": "d", "user": "u", "table": "t", "password": "p"}
        for odd, says in (
            ({"host": "a" * 64 + ".example"}, "no name of a host"),
            ({"password": "пароль"}, "western letters"),
            ({"user": "路线"}, ""),
        ):
            for path, more in (("/api/datasets/live/look", {}), ("/api/datasets/live", {"name": "Odd"})):
                answer = self.client.post(path, json=place | odd | more)
                self.assertEqual(answer.status_code, 422, answer.text)
                self.assertIn(says, answer.json()["detail"])

    def port(self) -> int:
        return int(world.engine().url.port or 3306)

    def test_a_name_no_database_can_have_is_told(self) -> None:
        url = world.engine().url
        place = {
            "host": "",
            "port": 3306,
            "database": "a/b.c\\ ",
            "user": url.username,
            "table": "t",
            "password": url.password,
        }
        for odd in ({}, {"database": ":\U00056525s\u0082"}, {"database": "d", "user": "\U00056525"}):
            answer = self.client.post("/api/datasets/live/look", json=place | odd)
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertNotIn("does not answer", answer.json()["detail"])

    def test_a_body_that_does_not_say_how_long_it_is_is_held_to_a_size_too(self) -> None:
        def endless() -> Iterator[bytes]:
            yield b'{"title": "'
            for _ in range(120):
                yield b"x" * 65536

        answer = self.client.post("/api/scorecards", content=endless(), headers={"content-type": "application/json"})
        self.assertEqual(answer.status_code, 413, answer.text)
        self.assertEqual(answer.json()["type"], "too-large")
        said = self.client.post(
            "/api/scorecards", content=b"x" * (5 << 20), headers={"content-type": "application/json"}
        )
        self.assertEqual((said.status_code, said.json()["type"]), (413, "too-large"))

    def test_files_that_wait_are_bounded_together(self) -> None:
        held, go = Uploads(Sources(world.engine())), threading.Event()
        self.addCleanup(go.set)

        tickets = [secrets.token_hex(6) for _ in range(3)]

        def work(_: Any) -> str:
            go.wait(30)
            return "key"

        with mock.patch("ironmark.api.background_uploads.MOST_WAITING", 100):
            held.begin(work, tickets[0], 500)  # one alone may be as long as it likes
            with self.assertRaises(Refused) as refused:
                held.begin(work, tickets[1], 1)
            self.assertEqual(refused.exception.problem.status, 503)
            go.set()
            for _ in range(500):
                if held.get(tickets[0]).state == "done" and not held._waiting:
                    break
                threading.Event().wait(0.02)
            self.assertEqual(held.begin(work, tickets[2], 60).id, tickets[2])

    def test_what_goes_wrong_is_described_as_it_is_answered(self) -> None:
        described = create_app(world.engine()).openapi()
        for path, methods in described["paths"].items():
            for method, operation in methods.items():
                for status, answer in operation["responses"].items():
                    if status == "default" or (status[0] in "45" and path != "/api/health"):
                        self.assertEqual(
                            list(answer["content"]), ["application/problem+json"], f"{method} {path} {status}"
                        )
        self.assertNotIn("HTTPValidationError", described["components"]["schemas"])

    def test_every_route_is_asked_by_somebody(self) -> None:
        def calls(dependant: Any) -> Iterator[Any]:
            yield dependant.call
            for inner in dependant.dependencies:
                yield from calls(inner)

        routes = [route for module in ROUTERS for route in module.router.routes]
        self.assertGreater(len(routes), 60)
        for route in routes:
            self.assertIn(access.reader, set(calls(route.dependant)), f"{route.path} does not know who asks")

    def test_the_documentation_comes_from_here(self) -> None:
        page = self.client.get("/api/docs")
        self.assertEqual(page.status_code, 200)
        for part in re.findall(r'(?:src|href)="([^"]+)"', page.text):
            self.assertTrue(part.startswith("/api/docs/"), part)
            self.assertEqual(self.client.get(part).status_code, 200, part)


class NoRoom(unittest.TestCase):
    """A full disk is named as such, before the database stumbles over it."""

    def test_it_is_told_at_once(self) -> None:
        full = OSError(errno.ENOSPC, "No space left on device")
        cut = [OperationalError("", {}, pymysql.err.OperationalError(code, "x")) for code in (1021, 1114)]
        wrote = InternalError("", {}, pymysql.err.InternalError(3, "Error writing file 'x' (Errcode: 28)"))
        for error in (full, *cut, wrote):
            problem = problem_of(error)
            assert problem is not None
            self.assertEqual((problem.status, problem.type), (507, "disk-full"))
        self.assertNotEqual(getattr(problem_of(OperationalError("", {}, pymysql.err.OperationalError(2003, "away"))), "type", ""), "disk-full")  # fmt: skip

    def test_changes_are_refused_while_there_is_some_left(self) -> None:
        self.addCleanup(mock.patch.stopall)
        mock.patch.object(room, "_watched", Path("/")).start()
        mock.patch.object(room, "_seen", (-room.LOOK_S, True)).start()
        left = mock.patch("shutil.disk_usage").start()
        left.return_value.free = room.LEAST - 1
        with self.assertRaises(OSError) as raised:
            room.require_room()
        self.assertEqual(raised.exception.errno, errno.ENOSPC)
        mock.patch.object(room, "_seen", (-room.LOOK_S, True)).start()
        left.return_value.free = room.LEAST
        room.require_room()
