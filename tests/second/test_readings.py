"""Every reading of random tables, formulas, marks and yardsticks, against a second opinion worked out row by row.

A few hundred tables' worth of readings in a plain run; ``SECOND_OPINION=40`` in the environment takes so many tables.
"""

from __future__ import annotations

import datetime as dt
import math
import os
import random
import unittest
from dataclasses import dataclass
from typing import Any

from tests import world
from tests.second.opinion import Aggregate, Cut, Entry, Kpi, Opinion, Row, Span, Table, Tree, Verdict, add_months

TABLES = int(os.environ.get("SECOND_OPINION", "5"))
STATES = {"higher": ["short", "near", "met", "beyond"], "lower": ["beyond", "met", "near", "short"]}
INSIDE = ["short", "near", "met", "near", "short"]
SEGMENTS = ("depot", "service", "team")


def a(row: Row) -> float | None:
    found: float | None = row["a"]
    return found


def b(row: Row) -> float | None:
    found: float | None = row["b"]
    return found


def difference(row: Row) -> float | None:
    return None if row["a"] is None or row["b"] is None else row["a"] - row["b"]


SUM_A, SUM_B, COUNT = Aggregate("sum", a), Aggregate("sum", b), Aggregate("count", None)
LARGE = Aggregate("count", None, lambda row: row["a"] is not None and row["a"] > 40)
FLOWS: list[tuple[str, Tree]] = [
    ("sum(a)", SUM_A), ("count()", COUNT), ("sum(1)", Aggregate("sum", lambda _: 1.0)), ("count(where a > 40)", LARGE),
    ("sum(a - b)", Aggregate("sum", difference)), ("sum(a) / 4", ("/", SUM_A, 4.0)), ("prior(sum(a))", ("prior", SUM_A, 1)),
    ("year_ago(sum(a))", ("year_ago", SUM_A)), ("sum(a) - prior(sum(a), 2)", ("-", SUM_A, ("prior", SUM_A, 2))),
    ("greatest(sum(a) - 90, 0)", ("greatest", ("-", SUM_A, 90.0), 0.0)), ("distinct(depot)", Aggregate("distinct", lambda row: row["depot"])),
    ("prior(least(sum(a), 1e9))".replace("1e9", "1000000000"), ("prior", ("greatest", SUM_A, -1e9), 1)),
]  # fmt: skip
RATES: list[tuple[str, Tree]] = [
    ("sum(a) / sum(b)", ("/", SUM_A, SUM_B)), ("mean(a)", Aggregate("mean", a)), ("count(where a > 40) / count()", ("/", LARGE, COUNT)),
    ("share(sum(a))", ("share", SUM_A)), ("sum(a) / prior(sum(a))", ("/", SUM_A, ("prior", SUM_A, 1))), ("max(a)", Aggregate("max", a)),
    ("median(a)", Aggregate("median", a)), ("sum(a) / year_ago(sum(a)) - 1", ("-", ("/", SUM_A, ("year_ago", SUM_A)), 1.0)),
]  # fmt: skip
STOCKS: list[tuple[str, Tree]] = [
    ("sum(a)", SUM_A), ("sum(a) / sum(b)", ("/", SUM_A, SUM_B)), ("to_date(sum(a))", ("to_date", SUM_A)),
    ("rolling(sum(a), 3)", ("rolling", SUM_A, 3)), ("median(a)", Aggregate("median", a)), ("count()", COUNT),
]  # fmt: skip


@dataclass
class Case:
    """A KPI with its marks and yardstick, in the program and beside it."""

    id: str
    opinion: Opinion
    cuts: list[Cut]
    bands: list[str]
    says: str

    @property
    def yardstick(self) -> dict[str, Any]:
        return {"name": "y", "bands": self.bands, "cuts": [vars(cut) for cut in self.cuts]}


class Against(unittest.TestCase):
    """One table after the other."""

    compared = 0

    def setUp(self) -> None:
        self.client = world.running().client

    def test_every_reading_agrees(self) -> None:
        start = int(os.environ.get("SECOND_OPINION_FROM", "1"))
        for seed in range(start, start + TABLES):
            with self.subTest(seed=seed):
                self.one_table(random.Random(seed), members=36 if seed % 5 == 0 else 4)
        self.assertGreater(self.compared, 400 * TABLES, "too little was compared to mean anything")

    # What is made at random

    def table(self, rng: random.Random, members: int) -> tuple[str, Table]:
        segments = SEGMENTS[: rng.randint(1, 3)]
        names = {
            s: [f"{s} {n}" for n in range(rng.randint(2, members) if s == "depot" else rng.randint(1, 3))]
            for s in segments
        }
        first, count = dt.date(2024, rng.randint(1, 12), 1), rng.randint(14, 20)
        rows: list[Row] = []
        for n in range(count):
            month = add_months(first, n)
            if rng.random() < 0.1:
                continue  # a month without rows
            for _ in range(rng.randint(3, 40 if members < 10 else 120)):
                day = month + dt.timedelta(days=rng.randint(0, 27))
                row: Row = {"day": day, "a": float(rng.randint(-20, 90)), "b": rng.randint(1, 400) / 4}
                row |= {s: rng.choice(names[s]) for s in segments}
                row |= {column: None for column in ("a", "b") if rng.random() < 0.08}
                rows += [row] * (2 if rng.random() < 0.05 else 1)
        rng.shuffle(rows)
        last = max(row["day"] for row in rows)
        through = last + dt.timedelta(days=rng.choice([-25, -9, 0, 0, 3, 40]))
        key = self.upload(rows, list(segments), through)
        return key, Table(rows, tuple(segments), through)

    def upload(self, rows: list[Row], segments: list[str], through: dt.date) -> str:
        head = ["day", *segments, "a", "b"]
        lines = [",".join("" if row[c] is None else str(row[c]) for c in head) for row in rows]
        text = "\n".join([",".join(head), *lines])
        made = self.client.post("/api/datasets", files={"file": ("t.csv", text.encode())}).json()
        roles = {"day": "period", "a": "measure", "b": "measure"}
        columns = [
            {"name": c["name"], "label": c["label"], "role": roles.get(c["name"], "segment")} for c in made["columns"]
        ]
        body = {"name": "Second", "columns": columns, "through": through.isoformat()}
        version = made["version"]
        done = self.client.patch(f"/api/datasets/{made['id']}", json=body, headers={"If-Match": f'"{version}"'})
        self.assertEqual(done.status_code, 200, done.text)
        self.addCleanup(self.drop, "datasets", made["id"])
        return str(made["id"])

    def drop(self, kind: str, key: str) -> None:
        version = self.client.get(f"/api/{kind}/{key}").json()["version"]
        self.client.delete(f"/api/{kind}/{key}", headers={"If-Match": f'"{version}"'})

    def case(self, rng: random.Random, dataset: str, table: Table, n: int) -> Case:
        nature = rng.choice(["flow", "flow", "rate", "rate", "stock"])
        text, tree = rng.choice({"flow": FLOWS, "rate": RATES, "stock": STOCKS}[nature])
        kpi = Kpi(tree, nature, rng.choice(["higher", "lower", "inside"]), rng.random() < 0.3)
        body = {
            "handle": f"second_{dataset.replace('-', '_')}_{n}"[:60], "name": "Second", "dataset": dataset, "formula": text, "nature": nature,
            "direction": kpi.direction, "pro_rating": "last_year" if kpi.by_last_year else "days",
        }  # fmt: skip
        made = self.client.post("/api/kpis", json=body)
        self.assertEqual(made.status_code, 201, made.text)
        key = str(made.json()["id"])
        self.addCleanup(self.drop, "kpis", key)
        entries = self.entries(rng, table, kpi)
        if entries:
            changes = [
                {"name": e.name, "whose": e.whose, "of": e.of, "since": written(e.since), "value": e.value}
                for e in entries
            ]
            kept = self.client.post(
                f"/api/kpis/{key}/marks", json={"changes": changes, "sure": True}, headers={"If-Match": '"0"'}
            )
            self.assertEqual(kept.status_code, 200, kept.text)
        opinion = Opinion(table, kpi, entries)
        bands = STATES.get(kpi.direction, INSIDE) if rng.random() < 0.85 else []
        cuts = self.cuts(rng, opinion, len(bands) - 1) if bands else []
        return Case(key, opinion, cuts, bands, f"{text}, {nature}, {kpi.direction}")

    def entries(self, rng: random.Random, table: Table, kpi: Kpi) -> list[Entry]:
        found: dict[tuple[Any, ...], Entry] = {}
        complete = rng.choice([None, *table.segments])
        if complete:
            for member in table.members[complete]:
                self.put(found, rng, table, kpi, "target", "member", {complete: member}, early=True)
        for _ in range(rng.randint(0, 7)):
            name = rng.choice(["target", "target", "target", "limit", "floor"])
            whose = rng.choice(["member", "each", "together", "pair", *([] if kpi.sums_members else ["everyone"])])
            some = rng.sample(table.segments, min(len(table.segments), 2 if whose == "pair" else 1))
            of = {segment: rng.choice(table.members[segment]) for segment in some}
            if whose == "each":
                of = {some[0]: ""}
            self.put(
                found,
                rng,
                table,
                kpi,
                name,
                "member" if whose == "pair" else whose,
                of if whose in ("member", "each", "pair") else {},
            )
        return list(found.values())

    def put(
        self, found: dict[tuple[Any, ...], Entry], rng: random.Random, table: Table, kpi: Kpi, name: str, whose: str, of: dict[str, str],
        early: bool = False,
    ) -> None:  # fmt: skip
        month = add_months(table.first, -3 if early or rng.random() < 0.6 else rng.randint(0, 14))
        since = Span(month, 1)
        if kpi.nature == "flow" and rng.random() < 0.3:
            since = rng.choice(
                [Span(month.replace(month=1), 12), Span(month.replace(month=month.month - (month.month - 1) % 3), 3)]
            )
        value = rng.choice([rng.randint(1, 200), rng.randint(-30, 30), rng.randint(1, 40) / 8])
        found[name, whose, tuple(sorted(of.items())), since] = Entry(name, whose, of, since, float(value))

    def cuts(self, rng: random.Random, opinion: Opinion, count: int) -> list[Cut]:
        if rng.random() < 0.5:
            factors = sorted(rng.choice([0.8, 0.9, 1.0, 1.1, 1.25]) for _ in range(count))
            return [Cut(rng.choice([0.0, 0.0, 2.0]), "target", f, rng.choice(["above", "below"])) for f in factors]
        # Values that are really read, so that cuts are hit exactly.
        values = [
            value
            for n in range(6)
            if (value := opinion.value({}, Span(add_months(opinion.table.first, n * 2), 1))) is not None
        ] or [1.0]
        lines = sorted({float(f"{rng.choice(values):.12g}") for _ in range(count)})
        lines += [lines[-1] + 5 * n for n in range(1, count + 1 - len(lines))]
        return [Cut(line, None, 1.0, rng.choice(["above", "below"])) for line in lines]

    def spans(self, rng: random.Random, table: Table) -> list[Span]:
        last = add_months(table.through, 0)
        months = [add_months(table.first, n) for n in range(18) if add_months(table.first, n) <= add_months(last, 1)]
        quarter = rng.choice(months)
        found = [
            Span(last, 1), Span(rng.choice(months), 1), Span(rng.choice(months), 1),
            Span(quarter.replace(month=quarter.month - (quarter.month - 1) % 3), 3), Span(last.replace(month=1), 12),
            Span(last.replace(month=last.month - (last.month - 1) % 3), 3), Span(rng.choice(months), rng.randint(2, 7)),
        ]  # fmt: skip
        day = rng.choice(table.rows)["day"]
        return [*found, Span(day, 0, 1), Span(day - dt.timedelta(days=day.weekday()), 0, 7)]

    # What is asked, and held against the second opinion

    def one_table(self, rng: random.Random, members: int) -> None:
        dataset, table = self.table(rng, members)
        cases = [self.case(rng, dataset, table, n) for n in range(5)]
        for span in self.spans(rng, table):
            scopes: list[dict[str, list[str]]] = [{}]
            for _ in range(2):
                some = rng.sample(table.segments, rng.randint(1, len(table.segments)))
                scopes.append({s: rng.sample(table.members[s], rng.randint(1, len(table.members[s]))) for s in some})
            for scope in scopes:
                self.one_page(rng, cases, table, span, scope)

    def one_page(
        self, rng: random.Random, cases: list[Case], table: Table, span: Span, scope: dict[str, list[str]]
    ) -> None:
        instruments = []
        usable = [case for case in cases if not (span.days and "year_ago" in case.says and span.days == 7)]
        usable = [case for case in usable if not (span.days and ("to_date" in case.says or "rolling" in case.says))]
        for n, case in enumerate(usable):
            for by in (None, *table.segments):
                instruments.append(
                    {"id": f"i{n}-{by}", "kpi": case.id, "by": by, "face": "ledger", "marks": ["target"], "yardstick": f"y{n}" if case.bands else None,
                     "look": {"ledger": {"group": rng.choice([None, *(s for s in table.segments if s != by)])} if by else {}}}
                )  # fmt: skip
        rng.shuffle(instruments)
        body = {
            "body": {"title": "t", "sections": [{"id": "s", "instruments": instruments}]},
            "scope": {"period": written(span), "members": scope},
            "yardsticks": {f"y{n}": case.yardstick for n, case in enumerate(usable) if case.bands},
        }
        answer = self.client.post("/api/scorecards/read", json=body)
        self.assertEqual(answer.status_code, 200, answer.text[:300])
        for instrument, picture in zip(instruments, answer.json()["instruments"], strict=True):
            case = usable[int(str(instrument["id"])[1:].partition("-")[0])]
            self.assertIsNone(picture["problem"])
            past = picture["axis"] is None and span.start > max(row["day"] for row in table.rows)
            for reading in picture["readings"]:
                narrow = dict(scope) | ((reading["ask"] or {}).get("members") or {})
                by = (reading["ask"] or {}).get("by") or instrument["by"]
                if reading["member"] is not None:
                    if by in narrow and reading["member"] not in narrow[by]:
                        continue
                    narrow[by] = [reading["member"]]
                told = case.opinion.verdict({s: tuple(m) for s, m in narrow.items()}, span, case.cuts, case.bands)
                self.agree(
                    reading, told, f"{case.says} {written(span)} {narrow} {case.opinion.entries} {case.cuts}", past
                )

    def agree(self, reading: dict[str, Any], told: Verdict, says: str, past: bool) -> None:
        Against.compared += 1
        target = next((mark["value"] for mark in reading["marks"] if mark["name"] == "target"), None)
        self.same(reading["value"], told.value, f"value of {says}")
        if not past:  # nothing is drawn of a period that begins after the last row
            self.same(target, told.mark, f"mark of {says}")
        self.same(reading["gap"], told.gap, f"gap of {says}")
        self.same(reading["attainment"], told.attainment, f"attainment of {says}")
        self.same(reading["headroom"], told.headroom, f"headroom of {says}")
        self.assertEqual(reading["state"], told.state, f"state of {says}")

    def same(self, one: float | None, other: float | None, says: str) -> None:
        if one is None or other is None:
            self.assertEqual(one, other, says)
        else:
            self.assertTrue(math.isclose(one, other, rel_tol=1e-9, abs_tol=1e-9), f"{one} is not {other}: {says}")


def written(span: Span) -> str:
    """A span as the program reads it."""
    start = span.start
    if not span.months:
        week = "{0[0]:04d}-W{0[1]:02d}".format(start.isocalendar())
        return start.isoformat() if span.days == 1 else week
    if span.months == 1:
        return f"{start:%Y-%m}"
    if span.months == 12 and start.month == 1:
        return f"{start.year}"
    if span.months == 3 and start.month % 3 == 1:
        return f"{start.year}-Q{(start.month + 2) // 3}"
    return f"{start:%Y-%m}..{add_months(start, span.months - 1):%Y-%m}"


if __name__ == "__main__":
    unittest.main()
