"""Whoever reads some rows reads what a world of those rows alone would say."""

from __future__ import annotations

import json
import random
import unittest
from typing import Any

import polars as pl
from sqlalchemy.orm import Session

from ironmark.core.marks import MarkEntry
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.pages.people.openings import OpeningBody, Person, RowRule, RulesFrom, rows_for
from ironmark.pages.people.rights import House, _Card, worked_out
from ironmark.pages.reading.read import read_page
from ironmark.store import eyes, records
from ironmark.store.datasets import StoredDataset
from ironmark.store.eyes import Eyes
from ironmark.tables.labels import labels_of
from tests import world

Rules = dict[str, dict[str, tuple[str, ...]]]


class Alone(Sources):
    """A world that has no other rows than some."""

    def __init__(self, sources: Sources, rules: Rules) -> None:
        super().__init__(sources.engine, sources.folders, sources.hosts)
        self.rules = rules

    def rows_of(self, session: Session, dataset: StoredDataset, apart: str = "") -> Any:
        rows = super().rows_of(session, dataset, apart)
        assert isinstance(rows, pl.DataFrame)
        for segment, names in self.rules.get(dataset.id, {}).items():
            rows = rows.filter(labels_of(rows[segment]).is_in(list(names)))
        return rows


class OwnMarks(ReadingContext):
    """Marks that are of some rows: none of other members, and of sums none of all rows together."""

    def entries(self, kpi: str) -> list[MarkEntry]:
        assert isinstance(self.sources, Alone)
        within = self.sources.rules.get(self.kpis[kpi].dataset, {}) if kpi in self.kpis else {}
        found = []
        for entry in super().entries(kpi):
            of = dict(entry.owner.of)
            others = any(of.get(segment, "") and of[segment] not in names for segment, names in within.items())
            whole = entry.owner.whose not in ("each", "everyone") and any(not of.get(segment) for segment in within)
            if not others and not (whole and self.kpis[kpi].nature == "flow"):
                found.append(entry)
        return found


class Narrowed(unittest.TestCase):
    """Over the demo: random rules, every scorecard, some scopes."""

    def setUp(self) -> None:
        self.sources = Sources(world.engine(), (world.rows_folder(),), frozenset({"127.0.0.1"}))

    def page(self, context: ReadingContext, card: str, scope: ScopeBody | None) -> dict[str, Any]:
        body = context.scorecard(card)
        page = read_page(context, body, scope or body.scope)
        told: dict[str, Any] = json.loads(page.to_json())
        # Notes are of readings that not both see, and so are the figures they name.
        told |= {"rests_on": None, "notes": None}
        told["figures"] = {key: sheet for key, sheet in told["figures"].items() if "/" not in key}
        drawn = draw_page(page, context.style)
        return told | {"tally": [(one.state, one.count) for one in drawn.tally]}

    def test_every_figure_is_that_of_their_rows_alone(self) -> None:
        rng = random.Random(20261130)
        with self.sources.readings() as session:
            cards = [card.id for card in records.list_all(session, "scorecard")]
            of = {kpi.id: kpi.body["dataset"] for kpi in records.list_all(session, "kpi")}
            members = {
                "sailings": dict(ReadingContext(self.sources, session).source_of("sailings").members),
            }
        compared = 0
        for _ in range(4):
            rules: Rules = {}
            for dataset, segments in members.items():
                segment = rng.choice(["route", "vessel", "region"])
                names = tuple(sorted(rng.sample(segments[segment], rng.randint(1, len(segments[segment]) - 1))))
                rules[dataset] = {segment: names}
            narrowed = tuple((key, tuple(sorted(found.items()))) for key, found in rules.items())
            sees = Eyes("x", {}, frozenset(), narrowed, {
                kpi: next(within for key, within in narrowed if key == dataset) for kpi, dataset in of.items() if dataset in rules
            })  # fmt: skip
            alone = Alone(self.sources, rules)
            for card in cards:
                for scope in (None, ScopeBody(period="2026-Q2", grain="quarter"), ScopeBody(period="latest")):
                    with self.subTest(rules=rules, card=card, scope=scope):
                        with self.sources.readings() as session:
                            eyes.lend(session, sees)
                            theirs = self.page(ReadingContext(self.sources, session), card, scope)
                        with alone.readings() as session:
                            only = self.page(OwnMarks(alone, session), card, scope)
                        self.assertEqual(theirs, only)
                        compared += sum(len(sheet["readings"]) for sheet in theirs["sheets"])
        self.assertGreater(compared, 500)

    def test_two_readers_and_an_owner_never_mix_however_they_take_turns(self) -> None:
        routes = {"a": ("Hollin – Skarra",), "b": ("Night freight", "Tarn Point – Lowsay"), "": ()}
        seen: dict[str, str] = {}
        for _ in range(3):
            for who, names in routes.items():
                with self.sources.readings() as session:
                    if names:
                        eyes.lend(session, Eyes(who, narrowed=(("sailings", (("route", names),)),)))
                    context = ReadingContext(self.sources, session)
                    body = context.scorecard("network-performance")
                    text = read_page(context, body, body.scope).to_json().decode()
                self.assertEqual(seen.setdefault(who, text), text)
                if names:
                    others = {one for found in routes.values() for one in found} - set(names)
                    rows = [one for one in others if f'"{one}"' in json.dumps(json.loads(text)["segments"])]
                    self.assertEqual(rows, [])
        self.assertEqual(len(set(seen.values())), 3)


class Rights(unittest.TestCase):
    """What somebody sees, from what is opened: a hospital's wards."""

    def house(self, **opened: OpeningBody) -> House:
        names = {"beds": ("dataset", "beds"), "meals": ("dataset", "meals"), "card": ("scorecard", "card"), "kpi": ("kpi", "stay")}  # fmt: skip
        return House(
            stamp=(), opened={names[key]: body for key, body in opened.items()},
            cards={"card": _Card("Wards", "Care", frozenset({"stay"}))},
            kpis={"stay": frozenset({"beds"}), "plates": frozenset({"meals"})},
            lends={"beds": frozenset(), "meals": frozenset({"beds"})}, cases={}, teams={"north": "North wing"},
            people_of={("staff", "who", "ward"): (("ida@klinik.example", "W1"), ("north wing", "W2"))},
        )  # fmt: skip

    ida = Person("ida", "Ida", "reader", frozenset({"north"}), "Ida@klinik.example")

    def test_nothing_is_opened_to_a_reader_until_it_is(self) -> None:
        sees = worked_out(self.house(), self.ida)
        self.assertEqual((sees.seen["scorecard"], sees.seen["kpi"]), (frozenset(), frozenset()))
        sees = worked_out(self.house(card=OpeningBody(read=["team:north"])), self.ida)
        self.assertEqual((sees.seen["scorecard"], sees.seen["kpi"]), ({"card"}, {"stay"}))
        self.assertTrue(sees.read_all_rows)
        kept = self.house(card=OpeningBody(read=["team:north"]), kpi=OpeningBody(read=[], marks=["person:ida"]))
        self.assertEqual(worked_out(kept, self.ida).seen["kpi"], {"stay"}, "what is on their scorecard is read")

    def test_rules_open_together_on_one_segment(self) -> None:
        rules = [
            RowRule(who="team:north", segment="ward", members=["W2", "W1"]),
            RowRule(who="person:ida", segment="ward", members=["W3"]),
            RowRule(who="everyone", segment="shift", members=["night"]),
            RowRule(who="team:south", segment="ward", members=["W9"]),
        ]
        self.assertEqual(rows_for(self.ida, rules), {"shift": ("night",), "ward": ("W1", "W2", "W3")})

    def test_what_takes_its_columns_from_rows_that_are_not_read_is_closed(self) -> None:
        rule = [RowRule(who="everyone", segment="ward", members=["W1"])]
        sees = worked_out(self.house(beds=OpeningBody(read=["everyone"], rules=rule)), self.ida)
        self.assertEqual((sees.closed, sees.within("beds")), ({"meals"}, (("ward", ("W1",)),)))
        own = OpeningBody(read=["everyone"], rules=[RowRule(who="everyone", segment="diet", members=["soft"])])
        sees = worked_out(self.house(beds=OpeningBody(read=["everyone"], rules=rule), meals=own), self.ida)
        self.assertEqual((sees.closed, sees.within("meals")), (frozenset(), (("diet", ("soft",)),)))

    def test_a_dataset_of_people_tells_who_reads_what_and_who_is_not_in_it_reads_nothing(self) -> None:
        told = RulesFrom(dataset="staff", person="who", member="ward", segment="ward")
        opened = self.house(beds=OpeningBody(read=["everyone"], rules_from=told))
        self.assertEqual(worked_out(opened, self.ida).within("beds"), (("ward", ("W1", "W2")),))
        stranger = Person("bo", "Bo", "analyst", frozenset(), "bo@klinik.example")
        self.assertEqual(worked_out(opened, stranger).within("beds"), (("ward", ("\x00",)),))

    def test_a_note_is_seen_where_its_reading_is_the_same_for_them(self) -> None:
        sees = Eyes("x", of_kpi={"stay": (("ward", ("W1", "W2")),)})
        for members, there in (({"ward": ["W1"]}, True), ({"ward": ["W1", "W3"]}, False), ({}, False), ({"shift": ["day"]}, False)):  # fmt: skip
            self.assertEqual(sees.sees_reading("stay", members), there, members)
        self.assertTrue(sees.sees_reading("plates", {}))
