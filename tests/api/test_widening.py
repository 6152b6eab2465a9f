"""Columns taken from other datasets by key, and columns derived by formulas."""

import datetime as dt
import io
import itertools
import shutil
import time
import unittest
from typing import Any

import polars as pl
from sqlalchemy import text

from tests import clickhouse, postgres, world

ORDERS = """day,product,shop,amount,cost,minutes
2026-08-03,P1,East,100,60,4
2026-08-08,P2,East,50,20,5
2026-08-09,P3,West,70,30,16
2026-08-10,P9,West,30,10,61
2026-08-11,,West,20,10,
2026-09-05,P1,West,40,10,2
"""
PRODUCTS = "product,category,weight\nP1,Tools,2.5\nP2,Tools,1\nP3,Toys,0.5\nP4,Books,\n"
CATEGORIES = "category,buyer\nTools,Ann\nToys,Bo\n"


COUNT = itertools.count()


class Widening(unittest.TestCase):
    def setUp(self) -> None:
        self.client: Any = world.running().client
        self.made: list[tuple[str, str]] = []
        self.orders = self.upload("orders.csv", ORDERS, product="segment", shop="segment")
        self.products = self.upload("products.csv", PRODUCTS, product="segment", category="segment")

    def tearDown(self) -> None:
        for wanted in ("kpis", "lookups", "datasets"):
            for kind, key in self.made:
                if wanted == "lookups" and kind == "datasets":
                    self.ok("put", f"/api/datasets/{key}/derived", json={"derived": []})
                    self.ok("put", f"/api/datasets/{key}/lookups", json={"lookups": []})
                elif wanted == kind:
                    tag = self.client.get(f"/api/{kind}/{key}").headers["etag"]
                    self.client.delete(f"/api/{kind}/{key}", headers={"If-Match": tag}).raise_for_status()

    def upload(self, name: str, text: str, **roles: str) -> str:
        made = self.client.post("/api/datasets", files={"file": (name, text.encode())}).json()
        self.made.append(("datasets", made["id"]))
        columns = [
            {"name": c["name"], "label": c["label"], "role": roles.get(c["name"], c["role"])} for c in made["columns"]
        ]
        self.ok("patch", f"/api/datasets/{made['id']}", json={"name": made["name"], "columns": columns})
        return str(made["id"])

    def ok(self, verb: str, path: str, status: int = 200, **what: Any) -> Any:
        """``path``'s first two parts name the document whose version is sent."""
        document = "/".join(path.split("/")[:4])
        if verb != "get":
            what["headers"] = {"If-Match": self.client.get(document).headers["etag"]}
        answer = getattr(self.client, verb)(path, **what)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def take(self, *columns: str, status: int = 200, dataset: str | None = None, key: str = "product") -> Any:
        lookup = {
            "dataset": self.products, "on": [{"here": key, "there": key}], "take": [{"column": c} for c in columns]
        }  # fmt: skip
        return self.ok("put", f"/api/datasets/{dataset or self.orders}/lookups", status, json={"lookups": [lookup]})

    def derive(self, *formulas: tuple[str, str], status: int = 200) -> Any:
        body = {"derived": [{"label": label, "formula": formula} for label, formula in formulas]}
        return self.ok("put", f"/api/datasets/{self.orders}/derived", status, json=body)

    def kpi(self, formula: str, **rest: Any) -> str:
        body = {"handle": f"wide{next(COUNT)}", "name": "Wide", "dataset": self.orders, "formula": formula} | rest
        return self.created("kpis", body)

    def created(self, kind: str, body: dict[str, Any], path: str = "") -> str:
        answer = self.client.post(f"/api/{path or kind}", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        self.made.append((kind, answer.json()["id"]))
        return str(answer.json()["id"])

    def read(self, kpi: str, by: str | None, period: str = "2026-08", **members: list[str]) -> dict[str, float]:
        instrument = {"id": "i", "kpi": kpi, "by": by, "face": "ledger", "marks": ["target"]}
        body = {"title": "t", "sections": [{"id": "s", "instruments": [instrument]}]}
        answer = self.client.post(
            "/api/scorecards/read", json={"body": body, "scope": {"period": period, "members": members}}
        )
        self.assertEqual(answer.status_code, 200, answer.text)
        self.picture = answer.json()["instruments"][0]
        return {reading["label"]: reading["value"] for reading in self.picture["readings"]}


class Levels(Widening):
    def test_a_stock_is_the_same_whatever_is_taken_or_derived(self) -> None:
        kpi = self.kpi("sum(amount)", nature="stock")
        before = self.read(kpi, "shop"), self.read(kpi, None)
        self.take("category")
        self.derive(("Part of week", 'if(weekday(day) in ("Saturday", "Sunday"), "weekend", "week")'))
        self.assertEqual((self.read(kpi, "shop"), self.read(kpi, None)), before)


class Lookups(Widening):
    def test_segments_of_another_table_are_read_by(self) -> None:
        made = self.take("category", "weight")
        added = [(c["name"], c["role"], c["origin"]) for c in made["columns"][-2:]]
        self.assertEqual(added, [("category", "segment", "lookup"), ("weight", "measure", "lookup")])
        kpi = self.kpi("sum(amount)", nature="flow")
        # A key that is not there is its own member, a blank one is blank.
        self.assertEqual(self.read(kpi, "category"), {"Tools": 150, "Toys": 70, "(not found)": 30, "(blank)": 20})
        self.assertEqual(self.read(kpi, "shop", category=["Tools"]), {"East": 150, "West": None})
        weighed = self.kpi("sum(amount * weight)")
        self.assertEqual(self.read(weighed, "category")["Tools"], 300)

    def test_how_keys_are_found_is_counted_and_listed(self) -> None:
        self.take("category")
        (found,) = self.client.get(f"/api/datasets/{self.orders}/lookups").json()
        self.assertEqual(
            (found["rows"], found["found"], found["blank"], found["missing"]), (6, 4, 1, [{"name": "P9", "rows": 1}])
        )
        body = {
            "dataset": self.products,
            "on": [{"here": "product", "there": "product"}],
            "take": [{"column": "weight"}],
        }
        look = self.client.post(f"/api/datasets/{self.orders}/lookups/try", json=body).json()
        self.assertEqual((look["columns"], look["first"][0]), (["product", "weight"], ["P1", 2.5]))
        self.assertEqual(look["missing"], [{"name": "P9", "rows": 1}])

    def test_a_key_that_stands_twice_is_refused_with_its_rows(self) -> None:
        double = self.upload("double.csv", "product,category\nP1,Tools\nP2,Toys\nP1,Books\n", product="segment")
        lookup = {"dataset": double, "on": [{"here": "product", "there": "product"}], "take": [{"column": "category"}]}
        refused = self.ok("put", f"/api/datasets/{self.orders}/lookups", 422, json={"lookups": [lookup]})
        self.assertEqual(refused["type"], "key-twice")
        self.assertIn("“P1” in rows 1, 3", refused["detail"])
        # So is a refresh that would bring one in; nothing is lost by it.
        self.take("category")
        path = f"/api/datasets/{self.products}/rows"
        refused = self.ok("post", path, 422, files={"file": ("p.csv", (PRODUCTS + "P1,Toys,9\n").encode())})
        self.assertIn("takes columns from it", refused["detail"])
        self.assertEqual(self.client.get(f"/api/datasets/{self.products}").json()["row_count"], 4)

    def test_a_refresh_of_the_other_table_is_read_at_once(self) -> None:
        before = self.take("category")["version"]
        kpi = self.kpi("sum(amount)", nature="flow")
        self.assertEqual(self.read(kpi, "category")["Toys"], 70)
        changed = PRODUCTS.replace("P3,Toys", "P3,Games") + "P9,Games,1\n"
        self.ok("post", f"/api/datasets/{self.products}/rows", files={"file": ("p.csv", changed.encode())})
        self.assertEqual(self.read(kpi, "category"), {"Tools": 150, "Games": 100, "(blank)": 20})
        self.assertGreater(self.client.get(f"/api/datasets/{self.orders}").json()["version"], before)

    def test_through_two_tables_and_no_circle(self) -> None:
        categories = self.upload("categories.csv", CATEGORIES, category="segment", buyer="segment")
        lookup = {
            "dataset": categories,
            "on": [{"here": "category", "there": "category"}],
            "take": [{"column": "buyer"}],
        }
        self.ok("put", f"/api/datasets/{self.products}/lookups", json={"lookups": [lookup]})
        self.take("category", "buyer")
        kpi = self.kpi("sum(amount)", nature="flow")
        self.assertEqual(self.read(kpi, "buyer"), {"Ann": 150, "Bo": 70, "(not found)": 30, "(blank)": 20})
        back = {"dataset": self.orders, "on": [{"here": "category", "there": "product"}], "take": [{"column": "shop"}]}
        refused = self.ok("put", f"/api/datasets/{categories}/lookups", 422, json={"lookups": [back]})
        self.assertEqual(refused["type"], "circle")
        self.assertIn("Categories → Orders → Products → Categories", refused["detail"])

    def test_marks_of_a_region_hold_for_its_members_and_the_other_way(self) -> None:
        self.take("category")
        kpi = self.kpi("sum(amount)", nature="flow")
        mark = {"changes": [
            {"name": "target", "whose": "member", "of": {"product": name}, "since": "2026-01", "value": value}
            for name, value in (("P1", 90), ("P2", 60))
        ]}  # fmt: skip
        answer = self.client.post(f"/api/kpis/{kpi}/marks", json=mark, headers={"If-Match": '"0"'})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.read(kpi, "category")
        marks = {r["label"]: [m["value"] for m in r["marks"]] for r in self.picture["readings"]}
        self.assertEqual(marks, {"Tools": [150], "Toys": [], "(not found)": [], "(blank)": []})

    def test_what_is_in_use_stays(self) -> None:
        self.take("category")
        self.kpi('sum(amount where category = "Toys")')
        self.assertIn(
            "Wide", self.ok("put", f"/api/datasets/{self.orders}/lookups", 409, json={"lookups": []})["detail"]
        )
        gone = self.ok("delete", f"/api/datasets/{self.products}", 409)
        self.assertIn("Orders", gone["detail"])
        refused = self.take("categry", status=422)
        self.assertIn("did you mean “category”", refused["detail"])
        self.assertEqual(self.take("weight", status=422, key="amount")["type"], "no-column")

    def test_by_two_keys_and_a_period_from_there(self) -> None:
        head = self.upload(
            "heads.csv", "order,line,day\n1,a,2026-05-04\n1,b,2026-06-05\n", order="segment", line="segment"
        )
        lines = self.upload("lines.csv", "order,line,qty\n1,a,3\n1,b,4\n2,a,9\n", order="segment", line="segment")
        on = [{"here": name, "there": name} for name in ("order", "line")]
        lookup = {"dataset": head, "on": on, "take": [{"column": "day"}]}
        made = self.ok("put", f"/api/datasets/{lines}/lookups", json={"lookups": [lookup]})
        self.assertEqual((made["columns"][-1]["role"], made["through"]), ("period", "2026-06-05"))
        kpi = self.created(
            "kpis", {"handle": "wide_qty", "name": "Qty", "dataset": lines, "formula": "sum(qty)", "nature": "flow"}
        )
        self.assertEqual(self.read(kpi, None, "2026-05"), {"": 3})


class DerivedColumns(Widening):
    def test_weekends_margins_and_ranges(self) -> None:
        made = self.derive(
            ("Part of week", 'if(weekday(day) in ("Saturday", "Sunday"), "weekend", "week")'),
            ("Margin", "amount - cost"),
            ("Waited", "steps(minutes, 5, 15, 60)"),
            ("Good", 'margin >= 40 and product starts with "P"'),
        )
        added = [(c["name"], c["type"], c["role"], c["origin"]) for c in made["columns"][-4:]]
        self.assertEqual(added, [
            ("part_of_week", "text", "segment", "derived"), ("margin", "number", "measure", "derived"),
            ("waited", "text", "segment", "derived"), ("good", "flag", "flag", "derived"),
        ])  # fmt: skip
        kpi = self.kpi("sum(margin)", nature="flow")
        self.assertEqual(self.read(kpi, "part_of_week"), {"week": 70, "weekend": 70})
        ranges = self.read(kpi, "waited")
        self.assertEqual(
            ranges, {"under 5": 40, "5 to under 15": 30, "15 to under 60": 40, "60 and over": 20, "(blank)": 10}
        )
        self.assertEqual(self.read(self.kpi("count(where good = yes)"), None), {"": 2})
        # Ranges stand from low to high.
        kept = self.client.get(f"/api/datasets/{self.orders}/columns/waited").json()["members"]
        self.assertEqual([m["name"] for m in kept], ["under 5", "5 to under 15", "15 to under 60", "60 and over"])

    def test_they_use_what_is_looked_up_and_follow_it(self) -> None:
        self.take("category", "weight")
        self.derive(("Heavy", 'if(weight > 0.7, "heavy", "light")'))
        kpi = self.kpi("count()", nature="flow")
        self.assertEqual(self.read(kpi, "heavy"), {"heavy": 2, "light": 1, "(blank)": 2})
        self.assertIn(
            "derived", self.ok("put", f"/api/datasets/{self.orders}/lookups", 409, json={"lookups": []})["detail"]
        )

    def test_errors_point_and_results_are_shown_before_anything_is_kept(self) -> None:
        path = f"/api/datasets/{self.orders}/derived/try"
        look = self.client.post(path, json={"label": "Margin", "formula": "amount - cost"}).json()
        self.assertEqual(
            (look["type"], look["columns"], look["first"][0]), ("number", ["amount", "cost", "Margin"], [100, 60, 40])
        )
        for formula, said, start in (
            ("amount - costs", "did you mean cost", 9),
            ("weekday(amount)", "weekday needs a date", 8),
            ("sum(amount)", "one cell a row", 0),
            ('if(amount > 5, "a", 3)', "this is a number", 20),
            ("steps(amount, 5, 3)", "numbers that rise", 17),
            ("if(amount, 1, 2)", "needs a condition", 3),
            ("5 + 1", "the same in every row", 0),
            ("@on_time + amount", "read over many rows", 0),
        ):
            refused = self.client.post(path, json={"label": "x", "formula": formula})
            self.assertEqual(refused.status_code, 422, formula)
            self.assertIn(said, refused.json()["detail"])
            self.assertEqual(refused.json()["where"]["start"], start, formula)

    def test_a_refresh_with_a_column_of_the_same_name_is_refused(self) -> None:
        self.derive(("Margin", "amount - cost"))
        wider = "\n".join(line + (",margin" if at == 0 else ",1") for at, line in enumerate(ORDERS.splitlines()))
        refused = self.ok("post", f"/api/datasets/{self.orders}/rows", 422, files={"file": ("o.csv", wider.encode())})
        self.assertIn("“Margin”", refused["detail"])

    def test_labels_and_roles_change_and_formulas_stay(self) -> None:
        made = self.derive(("Margin", "amount - cost"))
        columns = [{"name": c["name"], "label": c["label"], "role": c["role"]} for c in made["columns"]]
        columns[-1] |= {"label": "Gain", "role": "segment"}
        made = self.ok("patch", f"/api/datasets/{self.orders}", json={"name": "Orders", "columns": columns})
        self.assertEqual(
            made["derived"], [{"name": "margin", "label": "Gain", "formula": "amount - cost", "role": "segment"}]
        )


class WhereTheyLie(Widening):
    """The same from a PostgreSQL, which is asked where its rows lie."""

    def test_the_same_figures_from_a_file_and_from_a_server(self) -> None:
        server, cluster = postgres.running(), clickhouse.running()
        tables = (("orders", "day DATE, product TEXT, shop TEXT, amount NUMERIC(9,2), cost NUMERIC(9,2), minutes INT", ORDERS),
                  ("products", "product TEXT, category TEXT, weight REAL", PRODUCTS))  # fmt: skip
        with server.engine().begin() as open_:
            for name, columns, lines in tables:
                open_.execute(text(f"DROP TABLE IF EXISTS {name}"))
                open_.execute(text(f"CREATE TABLE {name} ({columns})"))
                for line in lines.splitlines()[1:]:
                    cells = [f"'{cell}'" if cell else "NULL" for cell in line.split(",")]
                    open_.execute(text(f"INSERT INTO {name} VALUES ({', '.join(cells)})"))
        cluster.make(
            "orders",
            "day Date, product Nullable(String), shop String, amount Decimal(9, 2), cost Decimal(9, 2), minutes Nullable(Int32)",
        )
        cluster.make("products", "product String, category String, weight Nullable(Float32)")
        for name, frame in (
            ("orders", pl.read_csv(io.StringIO(ORDERS), try_parse_dates=True)),
            ("products", pl.read_csv(io.StringIO(PRODUCTS))),
        ):
            cluster.fill(name, frame.rows())
        live = [self.live(at, name) for at in (server, cluster) for name in ("orders", "products")]
        kept = self.orders, self.products
        found = []
        for self.orders, self.products in (kept, live[:2], live[2:]):
            self.take("category", "weight")
            self.derive(
                ("Part", 'if(weekday(day) in ("Saturday", "Sunday"), "weekend", category)'), ("Gain", "amount - cost")
            )
            kpi = self.kpi("sum(gain * weight) / sum(amount)", unit={"decimals": 4})
            count = self.kpi("sum(gain)", nature="flow")
            found.append([
                self.read(kpi, "category"), self.read(count, "part"), self.read(count, "shop", category=["Tools"]),
                self.read(count, None, "2026"),
                self.client.get(f"/api/datasets/{self.orders}/lookups").json()[0] | {"dataset": "", "name": ""},
            ])  # fmt: skip
        self.assertEqual(found[0], found[1])
        self.assertEqual(found[0], found[2])
        # Tables of a file and of a server are not put together, and the way is told.
        self.orders, self.products = kept[0], live[1]
        self.assertEqual(self.take("category", status=422)["type"], "elsewhere")
        look = self.client.get(f"/api/datasets/{live[0]}/rows").json()
        # In whatever order the server sends them.
        self.assertIn(["Tools", "2.5", "Tools", "40"], [row[-4:] for row in look["rows"]])

    def sheet(self, kpi: str) -> Any:
        self.read(kpi, None, "2026-09")
        return self.picture

    def test_a_page_says_which_shard_is_late_while_it_waits(self) -> None:
        cluster = clickhouse.running()
        cluster.make("parcels", "day Date, depot String, weight Float64")
        cluster.fill("parcels", [(dt.date(2026, 9, n), "ČŽ"[n % 2], 2.0) for n in range(1, 31)])
        self.orders = self.live(cluster, "parcels")
        kpi = self.kpi("max(weight)", nature="flow")
        self.until(lambda: self.sheet(kpi), lambda one: not one["problem"])
        kpi = self.kpi("sum(weight)", nature="flow")
        with cluster.late(2) as place:
            found = self.until(
                lambda: self.sheet(kpi), lambda one: f"{place} does not answer" in (one["problem"] or "")
            )
            self.assertIn("“Live parcels” has not answered yet", found["problem"])
        found = self.until(lambda: self.sheet(kpi), lambda one: not one["problem"])
        self.assertEqual(found["readings"][0]["value"], 60)

    def test_a_page_says_which_source_is_short_and_is_whole_again_by_itself(self) -> None:
        cluster = clickhouse.running()
        cluster.make("calls", "day Date, desk String, minutes Float64")
        cluster.fill("calls", [(dt.date(2026, 9, n), "AB"[n % 2], 10.0) for n in range(1, 31)])
        self.orders = self.live(cluster, "calls")
        kpi = self.kpi("sum(minutes)", nature="flow")
        cluster.shards.stop_one(2)
        try:
            found = self.until(lambda: self.sheet(kpi), lambda one: "A part of the cluster" in (one["problem"] or ""))
            self.assertIn("Live calls", found["problem"])
            self.assertIn(f"127.0.0.1:{cluster.shards.ports[2][0]}", found["problem"])
            self.assertEqual((found["readings"], found["waiting"]), ([], True))
        finally:
            cluster.shards.start_one(2)
            cluster.shards.wait_for(2)
        found = self.until(lambda: self.sheet(kpi), lambda one: not one["problem"])
        self.assertEqual(found["readings"][0]["value"], 300)

    def until(self, ask: Any, holds: Any) -> Any:
        for _ in range(200):
            found = ask()
            if holds(found):
                return found
            time.sleep(0.1)
        raise AssertionError(found)

    def test_the_same_figures_from_a_folder_and_what_may_be_read(self) -> None:
        rows = pl.read_csv(io.StringIO(ORDERS), try_parse_dates=True)
        folder = world.rows_folder() / "orders"
        for shop in ("East", "West"):
            (folder / f"shop={shop}").mkdir(parents=True)
            rows.filter(pl.col("shop") == shop).drop("shop").write_csv(folder / f"shop={shop}" / "rows.csv")
        self.addCleanup(lambda: shutil.rmtree(folder))
        found = self.client.get("/api/datasets/folders").json()
        self.assertEqual((found["may"], found["folders"]), (True, ["orders"]))
        for path in ("../..", "/etc", "nowhere"):
            refused = self.client.post("/api/datasets/folder", json={"name": "x", "folder": path})
            self.assertEqual(refused.status_code, 422, path)
        kept = self.orders
        figures = []
        there = self.created("datasets", {"name": "Folder", "folder": "orders"}, "datasets/folder")
        for self.orders in (kept, there):
            columns = self.client.get(f"/api/datasets/{self.orders}").json()["columns"]
            roles = [
                {
                    "name": c["name"],
                    "label": c["label"],
                    "role": "segment" if c["name"] in ("product", "shop") else c["role"],
                }
                for c in columns
            ]
            self.ok("patch", f"/api/datasets/{self.orders}", json={"name": "Orders", "columns": roles})
            self.take("category", "weight")
            self.derive(("Gain", "amount - cost"))
            kpi = self.kpi("sum(gain * weight)", nature="flow")
            figures.append([self.read(kpi, "category"), self.read(kpi, "shop"), self.read(kpi, None, "2026")])
            look = self.client.get(f"/api/datasets/{self.orders}/lookups").json()[0]
            figures[-1].append((look["found"], look["missing"]))
        self.assertEqual(*figures)
        self.assertEqual(len(self.client.get(f"/api/datasets/{self.orders}/rows").json()["rows"]), 6)

    def live(self, server: postgres.PostgreSql | clickhouse.Cluster, table: str) -> str:
        at = server.connection(table)
        body = {
            name: getattr(at, name) for name in ("host", "port", "database", "user", "password", "table", "protocol")
        }
        found = self.client.post("/api/datasets/live/look", json=body).json()
        self.assertIn(table, found["tables"])
        return self.created("datasets", body | {"name": f"Live {table}"}, "datasets/live")


if __name__ == "__main__":
    unittest.main()
