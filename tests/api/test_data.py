"""Datasets over their life: refreshed, returned, typed, ticked, merged, live, and uploaded in the background."""

import threading
import time
from typing import Any

import httpx
from sqlalchemy import text

from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from tests import world
from tests.api.test_api import WithServer

FIRST = "day,route,fare\n2026-01-05,North,10\n2026-01-06,South,20\n2026-02-05,North,30\n"


class WithDataset(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.made = self.upload(FIRST, "lines.csv")
        self.path = f"/api/datasets/{self.made['id']}"

    def seen(self) -> dict[str, str]:
        return {"If-Match": f'"{self.ok(self.client.get(self.path))["version"]}"'}

    def refresh(self, rows: str, how: str, status: int = 200, **headers: str) -> Any:
        answer = self.client.post(
            f"{self.path}/rows", params={"how": how}, files={"file": ("new.csv", rows.encode())},
            headers=headers or self.seen(),
        )  # fmt: skip
        return self.ok(answer, status)

    def versions(self) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.ok(self.client.get(f"{self.path}/versions"))
        return found

    def total(self, formula: str = "sum(fare)", dataset: str = "") -> list[float | None]:
        body = {"handle": "x_total", "name": "x", "dataset": dataset or self.made["id"], "formula": formula}
        found = self.post("/api/kpis/preview", {"body": body})
        self.assertIsNone(found["problem"], found)
        return [figure["value"] for figure in found["results"]]


class Refreshed(WithDataset):
    def test_new_rows_are_a_new_version_that_says_what_changed_and_can_be_left_again(self) -> None:
        self.assertEqual(self.total(), [30, 30])
        done = self.refresh("day,route,fare\n2026-02-05,East,5\n2026-02-06,North,6\n", "periods")
        self.assertEqual((done["row_count"], done["file_name"], done["through"]), (4, "new.csv", "2026-02-06"))
        self.assertEqual(self.total(), [30, 11])
        newest, oldest = self.versions()
        told = newest["changes"]
        self.assertEqual((told["put_in"], told["taken_out"], told["came"]), (2, 1, {"route": ["East"]}))
        self.assertEqual((newest["shown"], oldest["shown"], oldest["how"]), (True, False, "first"))
        back = self.ok(self.client.post(f"{self.path}/versions/1/show", headers=self.seen()))
        self.assertEqual((back["row_count"], back["through"], self.total()), (3, "2026-02-05", [30, 30]))
        self.refresh("day,route,fare\n2026-03-01,North,1\n", "append")
        self.assertEqual([v["number"] for v in self.versions()], [3, 2, 1])
        self.assertEqual(self.total(), [30, 30, 1])

    def test_a_stale_page_a_missing_column_and_an_unknown_version_are_refused(self) -> None:
        self.refresh("day,route\n2026-02-05,East\n", "replace", 422)
        stale = {"If-Match": '"7"'}
        self.refresh(FIRST, "replace", 412, **stale)
        self.ok(self.client.post(f"{self.path}/versions/9/show", headers=self.seen()), 404)
        self.assertEqual(len(self.versions()), 1)

    def test_a_machine_uploads_with_a_token_and_only_with_the_right_one(self) -> None:
        first = self.post(f"{self.path}/token", None)["token"]
        token = self.post(f"{self.path}/token", None)["token"]
        self.refresh(FIRST, "append", 401, Authorization=f"Bearer {first}")
        done = self.refresh(FIRST, "append", Authorization=f"Bearer {token}")
        self.assertEqual((done["row_count"], done["has_token"]), (6, True))
        self.assertNotIn(token, self.client.get(self.path).text)

    def test_roles_and_labels_last_through_a_refresh(self) -> None:
        columns = [{k: c[k] for k in ("name", "label", "role")} for c in self.made["columns"]]
        columns[1]["label"] = "Line"
        self.ok(self.client.patch(self.path, json={"name": "L", "columns": columns}, headers=self.seen()))
        done = self.refresh("day,LINE,fare\n2026-02-05,East,5\n", "replace")
        self.assertEqual([(c["name"], c["label"]) for c in done["columns"]][1], ("route", "Line"))

    def test_spellings_are_merged_now_and_in_what_comes_later(self) -> None:
        found = self.ok(self.client.get(f"{self.path}/columns/route"))
        self.assertEqual([(m["name"], m["count"]) for m in found["members"]], [("North", 2), ("South", 1)])
        columns = [{k: c[k] for k in ("name", "label", "role")} for c in self.made["columns"]]
        columns[1] |= {"merges": {"NORTH ": "North", "Nth": "NORTH "}, "order": ["South", "North"]}
        self.ok(self.client.patch(self.path, json={"name": "L", "columns": columns}, headers=self.seen()))
        self.refresh("day,route,fare\n2026-03-05,Nth,5\n2026-03-05,NORTH,6\n", "append")
        body = {"handle": "x_m", "name": "x", "dataset": self.made["id"], "formula": "sum(fare)"}
        members = self.post("/api/kpis/preview", {"body": body, "by": "route"})["members"]
        self.assertEqual([m["label"] for m in members], ["South", "North", "NORTH"])
        self.assertEqual(self.total('sum(fare where route = "North")')[-1], 5)
        found = {m["name"]: m for m in self.ok(self.client.get(f"{self.path}/columns/route"))["members"]}
        self.assertEqual((found["Nth"]["stands_for"], found["NORTH"]["suggested"]), ("North", "North"))
        columns[1] |= {"merges": {"a": "b", "b": "a"}}
        self.ok(self.client.patch(self.path, json={"name": "L", "columns": columns}, headers=self.seen()), 422)

    def test_columns_are_looked_at_one_by_one(self) -> None:
        fare = self.ok(self.client.get("/api/datasets/sailings/columns/fare_revenue"))
        self.assertEqual(len(fare["bars"]), 16)
        self.assertEqual(sum(bar["count"] for bar in fare["bars"]), fare["rows"] - fare["blanks"])
        self.assertEqual(
            self.ok(self.client.get("/api/datasets/sailings/columns/cancelled"))["bars"][0]["label"], "yes"
        )
        self.assertEqual(len(self.ok(self.client.get("/api/datasets/sailings/columns/date"))["bars"]), 16)
        self.ok(self.client.get("/api/datasets/sailings/columns/nothing"), 404)


class InTheBackground(WithDataset):
    def wait(self, upload: dict[str, Any]) -> dict[str, Any]:
        for _ in range(200):
            found: dict[str, Any] = self.ok(self.client.get(f"/api/uploads/{upload['id']}"))
            if found["state"] != "running":
                return found
            time.sleep(0.05)
        self.fail("it never ended")

    def begin(self, body: bytes, status: int = 202, headers: Any = None, **params: str) -> Any:
        files = {"file": ("big.csv", body)}
        return self.ok(self.client.post("/api/uploads", files=files, params=params, headers=headers), status)

    def test_a_new_dataset_and_new_rows(self) -> None:
        done = self.wait(self.begin(FIRST.encode()))
        self.assertEqual((done["state"], done["share"]), ("done", 1))
        self.addCleanup(self.drop, "datasets", done["dataset"])
        again = self.begin(FIRST.encode(), headers=self.seen(), dataset=self.made["id"], how="append")
        self.assertEqual(self.wait(again)["dataset"], self.made["id"])
        self.assertEqual(self.ok(self.client.get(self.path))["row_count"], 6)

    def test_what_goes_wrong_is_told_and_nothing_is_kept(self) -> None:
        for body, says in ((b"%PDF-1.4", "not delimited"), (b"a,b\n1,2\n", "no column")):
            upload = self.begin(body, headers=self.seen(), dataset=self.made["id"])
            found = self.wait(upload)
            self.assertEqual(found["state"], "failed")
            self.assertIn(says, found["problem"]["detail"])
        self.assertEqual(len(self.versions()), 1)
        self.ok(self.client.get("/api/uploads/none"), 404)

    def test_a_stopped_upload_leaves_nothing_and_others_are_answered_meanwhile(self) -> None:
        lines = "".join(f"2026-{1 + n % 12:02d}-{1 + n % 28:02d},R{n % 40},{n},{n * 7}\n" for n in range(400_000))
        body = ("day,route,a,b\n" + lines).encode()
        before = len(self.ok(self.client.get("/api/datasets")))
        upload = self.begin(body)
        slowest = 0.0
        for _ in range(8):
            began = time.monotonic()
            self.ok(self.client.get("/api/health"))
            slowest = max(slowest, time.monotonic() - began)
        self.assertLess(slowest, 2)
        self.ok(self.client.delete(f"/api/uploads/{upload['id']}"))
        self.assertIn(self.wait(upload)["state"], ("stopped",))
        self.assertEqual(len(self.ok(self.client.get("/api/datasets"))), before)

    def test_one_stopped_before_it_comes_never_begins(self) -> None:
        self.ok(self.client.delete("/api/uploads/early"))
        self.assertEqual(self.wait(self.begin(FIRST.encode(), ticket="early"))["state"], "stopped")
        self.begin(FIRST.encode(), 409, ticket="early")


class Typed(WithServer):
    def sheet(self, **edit: Any) -> dict[str, Any]:
        body = {
            "name": "Scores",
            "labels": ["Month", "Berth", "Score"],
            "rows": [["2026-10-01", "A", "2"], ["2026-10-01", "B", "3"]],
        }
        made: dict[str, Any] = self.post("/api/datasets/typed", body | edit, 201)
        self.addCleanup(self.drop, "datasets", made["id"])
        return made

    def test_a_typed_sheet_is_read_typed_again_and_its_columns_keep_their_names(self) -> None:
        made = self.sheet()
        self.assertEqual((made["kind"], made["row_count"], made["through"]), ("sheet", 2, "2026-10-31"))
        path = f"/api/datasets/{made['id']}/sheet"
        found = self.ok(self.client.get(path))
        self.assertEqual(found["rows"], [["2026-10-01", "A", "2"], ["2026-10-01", "B", "3"]])
        body = {
            "labels": ["Month", "Berth", "Points", "Note"], "names": ["month", "berth", "score", None],
            "rows": [*([*row, ""] for row in found["rows"]), ["2026-11-01", "A", "1", "wet"], ["", "", "", ""]],
        }  # fmt: skip
        done = self.ok(self.client.put(path, json=body, headers={"If-Match": '"1"'}))
        self.assertEqual(
            [(c["name"], c["label"]) for c in done["columns"]][2:], [("score", "Points"), ("note", "Note")]
        )
        self.assertEqual(done["row_count"], 3)
        self.ok(self.client.put(path, json=body, headers={"If-Match": '"1"'}), 412)
        body["rows"][0][2] = "lots"
        self.ok(self.client.put(path, json=body, headers={"If-Match": '"2"'}), 422)

    def test_no_heading_and_too_many_cells_are_refused(self) -> None:
        self.post("/api/datasets/typed", {"name": "x", "labels": ["a", " "], "rows": [["1", "2"]]}, 422)
        rows = [["1"] * 100] * 2001
        self.post("/api/datasets/typed", {"name": "x", "labels": [f"c{n}" for n in range(100)], "rows": rows}, 413)

    def test_a_column_formulas_use_is_not_taken_out(self) -> None:
        made = self.sheet()
        kpi = self.create("kpis", {"handle": "x_score", "name": "x", "dataset": made["id"], "formula": "mean(score)"})
        self.addCleanup(self.drop, "kpis", kpi["id"])
        body = {"labels": ["Month", "Berth"], "names": ["month", "berth"], "rows": [["2026-10-01", "A"]]}
        self.ok(self.client.put(f"/api/datasets/{made['id']}/sheet", json=body, headers={"If-Match": '"1"'}), 422)
        self.drop("kpis", kpi["id"])

    def test_a_checklist_is_ticked_and_read_as_steps_done_of_steps(self) -> None:
        body = {"name": "Winter", "day": "2026-09-10", "items": ["hull", "mast"], "steps": ["planned", "done"], "done": [[True, False], [False, False]]}  # fmt: skip
        made = self.post("/api/datasets/checklists", body, 201)
        self.addCleanup(self.drop, "datasets", made["id"])
        path = f"/api/datasets/{made['id']}/checklist"
        del body["name"]
        later = body | {"day": "2026-11-20", "items": ["mast", "hull"], "done": [[True, False], [True, True]]}
        done = self.ok(self.client.put(path, json=later, headers={"If-Match": f'"{made["version"]}"'}))
        self.assertEqual(done["through"], "2026-11-20")
        self.assertEqual(self.ok(self.client.get(path, params={"day": "2026-10-01"}))["done"], body["done"])
        self.assertEqual(self.ok(self.client.get(path))["items"], ["mast", "hull"])
        kpi = {
            "handle": "x_c",
            "name": "x",
            "dataset": made["id"],
            "formula": "count(where done = yes) / count()",
            "nature": "stock",
        }
        found = self.post("/api/kpis/preview", {"body": kpi, "by": "item"})
        self.assertEqual([figure["value"] for figure in found["results"]], [0.25, 0.25, 0.75])
        self.assertEqual([m["label"] for m in found["members"]], ["mast", "hull"])
        bad = later | {"done": [[True]]}
        self.ok(self.client.put(path, json=bad, headers={"If-Match": f'"{done["version"]}"'}), 422)
        self.ok(self.client.get(f"/api/datasets/{made['id']}/sheet"), 422)


class Live(WithServer):
    def test_the_demo_reads_bookings_where_they_are(self) -> None:
        body = {"handle": "x_b", "name": "x", "dataset": "bookings", "formula": "sum(seats)"}
        months = self.post("/api/kpis/preview", {"body": body})["results"]
        with world.engine().connect() as open_:
            total = open_.execute(text(f"SELECT SUM(seats) FROM {ROWS_DATABASE}.bookings")).scalar()
        self.assertEqual(sum(figure["value"] for figure in months), float(total or 0))
        rows = self.ok(self.client.get("/api/datasets/bookings/rows"))
        self.assertEqual(len(rows["rows"]), 12)
        self.assertEqual(self.ok(self.client.get("/api/datasets/bookings/columns/channel"))["distinct"], 3)

    def test_it_is_set_up_by_settings_and_keeps_its_password_to_itself(self) -> None:
        word = reader_password(str(world.engine().url.password))
        place = {"host": "", "database": ROWS_DATABASE, "user": READER, "password": word, "table": "bookings"}
        self.assertEqual(self.post("/api/datasets/live/look", place), {"tables": ["bookings"], "may_write": False})
        made = self.post("/api/datasets/live", place | {"name": "Seats"}, 201)
        self.addCleanup(self.drop, "datasets", made["id"])
        self.assertEqual((made["kind"], made["problems"]), ("live", []))
        self.assertNotIn(word, str(made))
        path = f"/api/datasets/{made['id']}"
        self.assertNotIn(word, self.client.get(path).text)
        settings = {k: v for k, v in place.items() if k != "password"}
        done = self.ok(
            self.client.put(f"{path}/connection", json=settings, headers={"If-Match": f'"{made["version"]}"'})
        )
        self.assertEqual(done["connection"]["user"], READER)
        # The kept password goes to no other server.
        elsewhere = settings | {"host": "127.0.0.1", "port": world.free_port()}
        refused = self.ok(self.client.post("/api/datasets/live/look", params={"key": made["id"]}, json=elsewhere), 422)
        self.assertIn("typed again", refused["detail"])
        self.ok(self.client.post("/api/datasets/live/look", params={"key": "sailings"}, json=settings), 422)
        wrong = self.post("/api/datasets/live/look", place | {"password": "guessed"}, 422)
        self.assertIn("refuses", wrong["detail"])
        self.assertNotIn("guessed", str(wrong))
        rows = {"file": ("x.csv", b"day,route\n2026-01-01,a\n")}
        refused = self.client.post(f"{path}/rows", files=rows, headers={"If-Match": f'"{done["version"]}"'})
        self.ok(refused, 422)

    def test_a_source_that_hangs_holds_up_no_other_page(self) -> None:
        """Many readers of a page whose source says nothing take neither the threads nor the connections of others."""
        live = {"title": "Live", "sections": [{"id": "s", "instruments": [{"id": "a", "kpi": "booked-online"}]}]}
        rest = {"title": "Rest", "sections": [{"id": "s", "instruments": [{"id": "a", "kpi": "on-time"}]}]}
        answers: dict[str, list[Any]] = {"live": [], "rest": []}

        def read(name: str, card: Any) -> None:
            with httpx.Client(base_url=str(self.client.base_url), timeout=60) as client:
                answers[name].append(client.post("/api/scorecards/read", json={"body": card}))

        with world.bookings_hang(self.client):
            waiting = [threading.Thread(target=read, args=("live", live)) for _ in range(24)]
            others = [threading.Thread(target=read, args=("rest", rest)) for _ in range(8)]
            for thread in waiting + others:
                thread.start()
            for thread in waiting + others:
                thread.join(60)
        self.assertEqual(len(answers["live"]), 24)
        self.assertEqual({answer.status_code for found in answers.values() for answer in found}, {200})
        self.assertTrue(all(answer.json()["waiting"] for answer in answers["live"]))
        self.assertTrue(all(answer.json()["instruments"][0]["readings"] for answer in answers["rest"]))
        for _ in range(100):
            found = self.post("/api/scorecards/read", {"body": live})
            if not found["waiting"]:
                break
            time.sleep(0.1)
        self.assertTrue(found["instruments"][0]["readings"], found["instruments"][0]["problem"])

    def test_a_source_that_is_away_holds_up_no_other_instrument(self) -> None:
        place = {
            "host": "127.0.0.1",
            "port": world.free_port(),
            "database": "d",
            "user": "u",
            "password": "p",
            "table": "t",
        }
        self.assertIn("does not answer", self.post("/api/datasets/live", place | {"name": "Gone"}, 503)["detail"])
        nowhere = self.post("/api/datasets/live/look", place | {"host": "no-such-host.invalid"}, 422)
        self.assertIn("There is no host called “no-such-host.invalid”", nowhere["detail"])
        made = self.ok(self.client.get("/api/datasets/bookings"))
        here = made["connection"]
        away = {k: v for k, v in here.items()} | {"table": "gone"}
        self.ok(
            self.client.put(
                "/api/datasets/bookings/connection", json=away, headers={"If-Match": f'"{made["version"]}"'}
            ),
            422,
        )
        instruments = [{"id": "a", "kpi": "booked-online"}, {"id": "b", "kpi": "on-time"}]
        with world.engine().begin() as open_:
            open_.execute(text(f"RENAME TABLE {ROWS_DATABASE}.bookings TO {ROWS_DATABASE}.hidden"))
        try:
            world.open_bookings_anew(self.client)
            card = {"title": "Two", "sections": [{"id": "s", "instruments": instruments}]}
            found = self.post("/api/scorecards/read", {"body": card})["instruments"]
        finally:
            with world.engine().begin() as open_:
                open_.execute(text(f"RENAME TABLE {ROWS_DATABASE}.hidden TO {ROWS_DATABASE}.bookings"))
            world.open_bookings_anew(self.client)
        self.assertIn("There is no table “bookings”", found[0]["problem"])
        self.assertIsNone(found[1]["problem"])
        self.assertEqual(
            found[1]["readings"][0]["status"], "graded" if found[1]["readings"][0]["state"] else "not_graded"
        )
