"""Rows that are read anew by the clock: from an address, a folder and a live source, and what is held back."""

import datetime as dt
import http.server
import itertools
import shutil
import threading
import time
import unittest
from typing import Any
from unittest import mock

import polars as pl
from sqlalchemy import text
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets import refreshing
from ironmark.pages.datasets.refreshing import ClockBody, next_time
from ironmark.pages.model.problems import Refused
from ironmark.store import leases, refreshes
from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from ironmark.tables import live_relation, pieces
from ironmark.tables.pieces import Pieces, frames_of
from tests import world

NAMES = itertools.count()


def csv(many: int, route: str = "AB", fare: float = 1.0) -> str:
    lines = [f"2026-01-{n % 28 + 1:02d},{route[n % len(route)]},{fare + n}" for n in range(many)]
    return "day,route,fare\n" + "\n".join(lines) + "\n"


class Elsewhere:
    """A server with a table that asks for a token."""

    def __init__(self) -> None:
        self.body, self.asked, self.seen, self.status = csv(100), 0, list[str](), 200
        outer = self

        class Handler(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                outer.asked += 1
                outer.seen.append(self.headers.get("Authorization", ""))
                if self.path.startswith("/away"):
                    self.send_response(302)
                    self.send_header("Location", "http://localhost:9/rows.csv")
                    self.end_headers()
                    return
                allowed = self.headers.get("Authorization") == "Bearer sesame"
                body = outer.body.encode()
                self.send_response(outer.status if allowed else 401)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_: Any) -> None:
                pass

        self.server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self.server.server_port}/rows.csv"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()


class Refreshing(unittest.TestCase):
    def setUp(self) -> None:
        self.client: Any = world.running().client
        self.elsewhere = Elsewhere()
        self.addCleanup(self.elsewhere.close)

    def kept(self, origin: dict[str, Any], token: str | None = None, client: Any = None, **rest: Any) -> str:
        body = {"name": f"Kept {next(NAMES)}", "origin": origin, "token": token} | rest
        client = client or self.client
        answer = client.post("/api/datasets/kept", json=body)
        self.assertEqual(answer.status_code, 202, answer.text)
        done = self.until(
            lambda: client.get(f"/api/uploads/{answer.json()['id']}").json(), lambda u: u["state"] != "running"
        )
        self.assertEqual(done["state"], "done", done)
        self.addCleanup(self.delete, client, done["dataset"])
        return str(done["dataset"])

    def delete(self, client: Any, key: str) -> None:
        tag = client.get(f"/api/datasets/{key}").headers["etag"]
        client.delete(f"/api/datasets/{key}", headers={"If-Match": tag}).raise_for_status()

    def until(self, ask: Any, holds: Any, seconds: float = 120) -> Any:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            found = ask()
            if holds(found):
                return found
            time.sleep(0.1)
        raise AssertionError(found)

    def now(self, key: str) -> dict[str, Any]:
        """Read it anew, and how that went."""
        before = self.client.get(f"/api/datasets/{key}/refresh").json()
        self.client.post(f"/api/datasets/{key}/refresh/now").raise_for_status()
        return self.until(  # type: ignore[no-any-return]
            lambda: self.client.get(f"/api/datasets/{key}/refresh").json(),
            lambda r: r["state"] != "running" and (r["read_at"], r["tries"]) != (before["read_at"], before["tries"]),
        )

    def from_address(self) -> str:
        return self.kept({"kind": "address", "url": self.elsewhere.url}, "sesame")

    def rows(self, key: str) -> int:
        return int(self.client.get(f"/api/datasets/{key}").json()["row_count"])

    def test_from_an_address_new_rows_are_a_version_and_the_same_rows_are_none(self) -> None:
        key = self.from_address()
        held = self.client.get(f"/api/datasets/{key}/refresh").json()
        self.assertEqual((held["state"], held["has_token"], held["clock"]["at"]), ("waiting", True, "06:00"))
        self.assertNotIn("sesame", str(held))
        self.now(key)
        self.assertEqual(len(self.client.get(f"/api/datasets/{key}/versions").json()), 1)
        self.elsewhere.body = csv(110)
        self.now(key)
        versions = self.client.get(f"/api/datasets/{key}/versions").json()
        self.assertEqual([(v["row_count"], v["saved_by"]) for v in versions], [(110, "by the clock"), (100, "")])
        self.assertEqual(self.rows(key), 110)

    def test_what_is_unusual_is_held_back_until_somebody_answers(self) -> None:
        key = self.from_address()
        for use in (False, True):
            self.elsewhere.body = csv(70, "AC")
            found = self.now(key)
            self.assertEqual(found["state"], "held")
            self.assertIn("30 of 100 rows would go, more than 20 %.", found["said"])
            self.assertEqual(self.rows(key), 100)
            listed = {one["id"]: one["by_clock"] for one in self.client.get("/api/datasets").json()}
            self.assertEqual(listed[key], "held")
            again = self.now(key)  # the same rows once more are the version that is held back already
            self.assertEqual((again["state"], again["held"], again["said"]), ("held", found["held"], found["said"]))
            answer = self.client.post(f"/api/datasets/{key}/refresh/held", json={"use": use})
            self.assertEqual((answer.status_code, answer.json()["row_count"]), (200, 70 if use else 100))
            again = self.client.post(f"/api/datasets/{key}/refresh/held", json={"use": use})
            self.assertEqual((again.status_code, again.json()["type"]), (409, "not-held"))
        self.assertEqual(self.client.get(f"/api/datasets/{key}/refresh").json()["state"], "waiting")

    def test_while_something_is_held_back_the_newest_is_fetched(self) -> None:
        for superseded in ("dropped", "kept"):
            key = self.kept({"kind": "address", "url": self.elsewhere.url}, "sesame", superseded=superseded)
            self.elsewhere.body = csv(60)
            first = self.now(key)["held"]
            self.elsewhere.body = csv(50)
            second = self.now(key)
            self.assertEqual((second["state"], second["held"] != first), ("held", True))
            self.assertIn("50 of 100 rows would go", second["said"])
            self.elsewhere.status = 500
            failed = self.now(key)
            self.assertEqual((failed["state"], failed["held"]), ("failed", second["held"]))
            self.elsewhere.status, self.elsewhere.body = 200, csv(104)
            usual = self.now(key)
            self.assertEqual((usual["state"], usual["held"], self.rows(key)), ("waiting", None, 104))
            counts = [v["row_count"] for v in self.client.get(f"/api/datasets/{key}/versions").json()]
            self.assertEqual(counts, [104, 100] if superseded == "dropped" else [104, 50, 60, 100])
            self.elsewhere.body = csv(100)

    def test_the_same_file_again_is_no_version_by_any_road(self) -> None:
        body = csv(20)
        made = self.client.post("/api/datasets", files={"file": ("a.csv", body)}).json()
        key = made["id"]
        self.addCleanup(self.delete, self.client, key)
        token = self.client.post(f"/api/datasets/{key}/token").json()["token"]
        bearer = {"Authorization": f"Bearer {token}"}

        def versions() -> list[int]:
            return [v["row_count"] for v in self.client.get(f"/api/datasets/{key}/versions").json()]

        for how in ("replace", "periods"):
            tag = {"If-Match": self.client.get(f"/api/datasets/{key}").headers["etag"]}
            for headers in (tag, bearer):
                answer = self.client.post(f"/api/datasets/{key}/rows?how={how}", files={"file": ("a.csv", body)}, headers=headers)  # fmt: skip
                self.assertEqual((answer.status_code, answer.json()["row_count"]), (200, 20))
        asked = self.client.post(f"/api/uploads?dataset={key}", files={"file": ("a.csv", body)}, headers=tag).json()
        done = self.until(
            lambda: self.client.get(f"/api/uploads/{asked['id']}").json(), lambda u: u["state"] != "running"
        )
        self.assertEqual((done["state"], done["dataset"]), ("done", key))
        self.assertIn("here already", done["stage"])
        self.assertEqual(versions(), [20])
        more = csv(5, "Z")
        for _ in range(2):  # a machine that had no answer sends it once more
            self.client.post(f"/api/datasets/{key}/rows?how=append", files={"file": ("m.csv", more)}, headers=bearer).raise_for_status()  # fmt: skip
        self.assertEqual(versions(), [25, 20])
        for _ in range(2):  # one row alone may well come twice
            self.client.post(f"/api/datasets/{key}/rows?how=append", files={"file": ("m.csv", csv(1))}, headers=bearer).raise_for_status()  # fmt: skip
        self.assertEqual(versions()[:2], [27, 26])
        tag = {"If-Match": self.client.get(f"/api/datasets/{key}").headers["etag"]}
        shown = self.client.get(f"/api/datasets/{key}/versions").json()[0]["number"]
        self.client.post(f"/api/datasets/{key}/versions/{shown}/show", headers=tag).raise_for_status()
        self.assertEqual(self.client.get(f"/api/datasets/{key}").headers["etag"], tag["If-Match"])

    def test_failures_are_kept_told_and_tried_again(self) -> None:
        key = self.from_address()
        self.elsewhere.status = 500
        for tries, minutes in ((1, 1), (2, 5)):
            found = self.now(key)
            self.assertEqual((found["state"], found["tries"]), ("failed", tries))
            self.assertIn("answered with 500", found["said"])
            due = dt.datetime.fromisoformat(found["due_at"].rstrip("Z")) - clock.now()
            self.assertLessEqual(due, dt.timedelta(minutes=minutes))
        self.elsewhere.body, self.elsewhere.status = "day,fare\n2026-01-01,1\n", 200
        self.assertIn("no column “route”", self.now(key)["said"])
        self.elsewhere.body = csv(101)
        self.assertEqual((self.now(key)["state"], self.rows(key)), ("waiting", 101))

    def test_only_hosts_that_may_be_asked_and_no_token_to_another(self) -> None:
        for url, said in (
            ("http://169.254.169.254/latest", "not one of the hosts"), ("http://localhost:1/x", "not one of the hosts"),
            ("file:///etc/passwd", "begins with https"), ("http://a:b@127.0.0.1/x", "Leave the name and the password"),
            ("http://127.0.0.1.example.org/x", "not one of the hosts"), ("http://[::1", "names a host"),
        ):  # fmt: skip
            body = {"name": "x", "origin": {"kind": "address", "url": url}}
            refused = self.client.post("/api/datasets/kept", json=body)
            self.assertEqual(refused.status_code, 422, url)
            self.assertIn(said, refused.json()["detail"])
        body = {
            "name": "x",
            "origin": {"kind": "address", "url": self.elsewhere.url.replace("rows", "away")},
            "token": "sesame",
        }
        ticket = self.client.post("/api/datasets/kept", json=body).json()["id"]
        failed = self.until(lambda: self.client.get(f"/api/uploads/{ticket}").json(), lambda u: u["state"] != "running")
        self.assertEqual(failed["state"], "failed")
        self.assertIn("not one of the hosts", failed["problem"]["detail"])

    def test_from_a_folder_and_a_picture_of_a_live_source(self) -> None:
        folder = world.rows_folder() / "kept"
        folder.mkdir()
        self.addCleanup(shutil.rmtree, folder)
        (folder / "a.csv").write_text(csv(40))
        key = self.kept({"kind": "folder", "folder": "kept"})
        (folder / "b.csv").write_text(csv(5))
        self.assertEqual((self.now(key)["state"], self.rows(key)), ("waiting", 45))
        url = world.engine().url
        table = f"picture{next(NAMES)}"
        with world.engine().begin() as open_:
            open_.execute(text(f"CREATE TABLE {ROWS_DATABASE}.{table} (day DATE, route VARCHAR(9), fare DECIMAL(9,2))"))
            open_.execute(
                text(
                    f"INSERT INTO {ROWS_DATABASE}.{table} SELECT '2026-01-05', 'A', seq FROM {ROWS_DATABASE}.seq_1_to_60"
                )
            )
        body = {
            "name": "Live", "host": url.host, "port": url.port, "database": ROWS_DATABASE, "user": READER, "table": table,
            "password": reader_password(str(url.password)),
        }  # fmt: skip
        live = self.client.post("/api/datasets/live", json=body).json()["id"]
        picture = self.kept({"kind": "source", "dataset": live})
        self.assertEqual(self.rows(picture), 60)
        columns = [
            (c["name"], c["type"], c["role"]) for c in self.client.get(f"/api/datasets/{picture}").json()["columns"]
        ]
        self.assertEqual(columns[0], ("day", "date", "period"))
        for origin in ({"kind": "folder", "folder": "kept"}, {"kind": "source", "dataset": live}):
            whole = self.all_of(origin)
            small = mock.patch.multiple(pieces, MANY_ROWS=12, PIECE_ROWS=6)
            with small, mock.patch.object(live_relation, "PIECE", 5):
                by_pieces = self.all_of(origin)
                with mock.patch.object(refreshing, "MOST_ROWS", 40), self.assertRaises(Refused):
                    self.all_of(origin)
            self.assertEqual((by_pieces.rows(), by_pieces.schema), (whole.rows(), whole.schema))
        refused = self.client.delete(f"/api/datasets/{live}", headers={"If-Match": '"1"'})
        self.assertEqual((refused.status_code, refused.json()["type"]), (409, "in-use"))
        with world.engine().begin() as open_:
            open_.execute(text(f"DROP TABLE {ROWS_DATABASE}.{table}"))
        found = self.now(picture)
        self.assertEqual((found["state"], self.rows(picture)), ("failed", 60))
        self.assertIn("There is no table", found["said"])

    def all_of(self, origin: dict[str, Any]) -> pl.DataFrame:
        """What is read from there now, in this process; of many rows from pieces."""
        sources = Sources(world.engine(), (world.rows_folder(),), frozenset({"127.0.0.1"}))
        with refreshing.read_origin(sources, refreshing.RefreshBody.model_validate({"origin": origin}), "") as (
            _,
            read,
        ):
            self.assertEqual(isinstance(read.table.rows, Pieces), pieces.MANY_ROWS == 12)
            return pl.concat(frames_of(read.table.rows))

    def test_what_was_read_since_it_was_due_is_not_read_again(self) -> None:
        key = self.from_address()
        with Session(world.engine()) as session:
            self.assertFalse(refreshes.begin(session, key, dt.datetime(2000, 1, 1)))
            self.assertTrue(refreshes.begin(session, key, dt.datetime(2100, 1, 1)))
            session.rollback()
        self.assertEqual(self.client.get(f"/api/datasets/{key}/refresh").json()["state"], "waiting")

    def test_two_tabs_and_other_kinds(self) -> None:
        key = self.from_address()
        body = {
            "origin": {"kind": "address", "url": self.elsewhere.url},
            "clock": {"every": "week", "weekday": 4, "at": "07:30", "zone": "Europe/London"},
        }
        stale = self.client.put(f"/api/datasets/{key}/refresh", json=body, headers={"If-Match": '"0"'})
        self.assertEqual(stale.status_code, 412)
        found = self.client.put(f"/api/datasets/{key}/refresh", json=body, headers={"If-Match": '"1"'})
        self.assertEqual((found.status_code, found.json()["version"], found.json()["has_token"]), (200, 2, True))
        self.assertEqual(dt.datetime.fromisoformat(found.json()["due_at"]).weekday(), 4)
        for change in ({"zone": "Nowhere/Land"}, {"at": "25:00"}, {"day": 31}):
            wrong = body | {"clock": change}
            self.assertEqual(
                self.client.put(f"/api/datasets/{key}/refresh", json=wrong, headers={"If-Match": '"2"'}).status_code,
                422,
            )
        self.assertEqual(
            self.client.delete(f"/api/datasets/{key}/refresh", headers={"If-Match": '"2"'}).status_code, 204
        )
        self.assertIsNone(self.client.get(f"/api/datasets/{key}/refresh").json())

    def test_two_processes_read_once_and_the_other_goes_on_when_one_ends(self) -> None:
        server = world.Running("--workers", "2", "--no-demo", "--fetch-from", "127.0.0.1").start()
        self.addCleanup(server.close)
        client: Any = server.client
        key = self.kept({"kind": "address", "url": self.elsewhere.url}, "sesame", client)
        for turn in range(3):
            self.elsewhere.body = csv(101 + turn)
            asked = self.elsewhere.asked
            client.post(f"/api/datasets/{key}/refresh/now").raise_for_status()
            self.until(lambda: client.get(f"/api/datasets/{key}").json()["row_count"], lambda n: n == 101 + turn)  # noqa: B023
            time.sleep(2.5)  # the other one would have looked by now
            self.assertEqual(self.elsewhere.asked, asked + 1)
        self.assertEqual(len(client.get(f"/api/datasets/{key}/versions").json()), 4)


class Leases(unittest.TestCase):
    def test_one_holds_it_until_it_runs_out(self) -> None:
        engine, name = world.engine(), "test"
        with Session(engine) as session, session.begin():
            session.execute(text("DELETE FROM leases WHERE name = 'test'"))
            self.assertTrue(leases.acquire_or_renew(session, name, "a", 20))
            self.assertTrue(leases.acquire_or_renew(session, name, "a", 20))
            self.assertFalse(leases.acquire_or_renew(session, name, "b", 20))
            leases.require_held(session, name, "a")
            session.execute(text("UPDATE leases SET until = UTC_TIMESTAMP(6) - INTERVAL 1 SECOND WHERE name = 'test'"))
            with self.assertRaises(leases.Lost):
                leases.require_held(session, name, "a")
            self.assertTrue(leases.acquire_or_renew(session, name, "b", 20))
            self.assertFalse(leases.acquire_or_renew(session, name, "a", 20))
            leases.give_up(session, name, "b")
            self.assertTrue(leases.acquire_or_renew(session, name, "a", 20))


class Clocks(unittest.TestCase):
    def test_when_it_is_next(self) -> None:
        for every, at, zone, after, wanted in (
            ("day", "06:00", "UTC", "2026-11-26T05:59:59", "2026-11-26T06:00"),
            ("day", "06:00", "UTC", "2026-11-26T06:00:00", "2026-11-27T06:00"),
            ("day", "06:00", "Europe/London", "2026-07-01T12:00:00", "2026-07-02T05:00"),
            ("day", "02:30", "Europe/Berlin", "2026-03-28T12:00:00", "2026-03-29T01:30"),  # an hour that is left out
            ("hour", "06:15", "UTC", "2026-11-26T06:20:00", "2026-11-26T07:15"),
            ("week", "06:00", "UTC", "2026-11-26T06:20:00", "2026-11-30T06:00"),
            ("month", "06:00", "UTC", "2026-11-26T06:20:00", "2026-12-01T06:00"),
        ):  # fmt: skip
            clock = ClockBody(every=every, at=at, zone=zone)  # type: ignore[arg-type]
            found = next_time(clock, dt.datetime.fromisoformat(after))
            self.assertEqual(found, dt.datetime.fromisoformat(wanted), (every, zone))


if __name__ == "__main__":
    unittest.main()
