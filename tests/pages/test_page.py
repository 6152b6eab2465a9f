"""A page goes to JSON and back unchanged, is drawn without rows, and counts every reading once."""

import unittest
from typing import Any
from unittest import mock

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from ironmark.core.faces import FACES
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.drawing.tally import tally
from ironmark.pages.model.page import Page, members_in, narrow_of
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody, ScorecardBody, SectionBody
from ironmark.pages.reading.read import read_page
from ironmark.store import records
from ironmark.tables.connections import Slow
from tests import world
from tests.styles import ENGLISH

KPIS = ("on-time", "fare-revenue", "fuel-per-mile", "cabin-temperature")
SCOPES = (
    {}, {"period": "latest"}, {"period": "2026", "grain": "year"}, {"period": "2026-Q2", "grain": "quarter"},
    {"period": "2026-04..2026-09"}, {"period": "complete", "grain": "week"}, {"period": "2027-03"}, {"period": "1999-01"},
)  # fmt: skip
OWN = (
    {}, {"period": "before"}, {"period": "year_earlier"}, {"period": "to_date"}, {"period": "last", "last": 4},
    {"period": "year"}, {"period": "fixed", "fixed": "2025-Q3"}, {"members": {"route": ["Night freight"]}},
    {"period": "year", "members": {"route": []}},
)  # fmt: skip
instruments = st.fixed_dictionaries(
    {"kpi": st.sampled_from((*KPIS, "gone")), "face": st.sampled_from(sorted(FACES)), "by": st.sampled_from((None, "route", "vessel", "nothing")),
     "order": st.sampled_from((None, "gap", "value", "state", "name", "kept", "time")), "backwards": st.booleans(),
     "own": st.sampled_from(OWN)},
    optional={
        "last": st.integers(2, 12), "first": st.integers(1, 4), "yardstick": st.sampled_from(("punctuality", None)),
        "ramp": st.sampled_from(({}, {"kpi": "fare-revenue", "colours": "dusk", "anchor": "midpoint"})),
        "marks": st.lists(st.sampled_from(("target", "limit", "floor")), max_size=3, unique=True),
        "axis": st.sampled_from(({"low": 5.0}, {"high": -1.0}, {"low": 0.0, "high": 1.0})),
        "further": st.lists(st.sampled_from(("on-time", "gone", "cancelled-share")).map(lambda key: {"kpi": key}), max_size=2),
        "look": st.sampled_from(
            ({"ledger": {"group": "vessel", "columns": ["value", "trail", "strokes", "headroom"]}}, {"quadrant": {"across": "on-time", "size": "fare-revenue"}})
        ),
    },
)  # fmt: skip


class Pages(unittest.TestCase):
    sources: Sources

    @classmethod
    def setUpClass(cls) -> None:
        world.running()
        cls.sources = Sources(world.engine())

    def page(self, body: ScorecardBody, **scope: Any) -> Page:
        with self.sources.readings() as session:
            return read_page(ReadingContext(self.sources, session), body, ScopeBody(**scope))

    def card(self, *made: dict[str, Any]) -> ScorecardBody:
        every = [InstrumentBody(id=f"i{at}", **one) for at, one in enumerate(made)]
        return ScorecardBody(title="T", sections=[SectionBody(id="s", instruments=every)])

    def same_again(self, page: Page) -> None:
        again = Page.from_json(page.to_json())
        self.assertEqual(again, page)
        self.assertEqual(again.to_json(), page.to_json())
        self.assertEqual(draw_page(again, ENGLISH), draw_page(page, ENGLISH))  # nothing but the page is needed

    def test_the_demo_goes_to_json_and_back(self) -> None:
        with self.sources.readings() as session:
            cards = [ScorecardBody.model_validate(card.body) for card in records.list_all(session, "scorecard")]
        for card in cards:
            for scope in SCOPES:
                with self.subTest(card=card.title, scope=scope):
                    self.same_again(self.page(card, **scope))

    @settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(st.lists(instruments, max_size=4), st.sampled_from(SCOPES))
    def test_any_scorecard_goes_to_json_and_back(self, made: list[dict[str, Any]], scope: dict[str, Any]) -> None:
        page = self.page(self.card(*made), **scope)
        self.same_again(page)
        for sheet in page.sheets:
            for reading in sheet.readings:
                graded_by = sheet.subjects[reading.subject].yardstick
                self.assertEqual(
                    reading.state, graded_by.bands[reading.band] if graded_by and reading.band >= 0 else None
                )

    def test_a_reading_on_two_instruments_counts_once(self) -> None:
        one = {"kpi": "on-time", "yardstick": "punctuality"}
        by_route = one | {"by": "route", "face": "ranked"}
        routes = sum(part.count for part in tally(self.page(self.card(by_route))))
        self.assertGreater(routes, 2)
        self.assertEqual(
            sum(part.count for part in tally(self.page(self.card(one, by_route, one | {"face": "lamp"}, by_route)))),
            1 + routes,
        )

    def test_the_rest_as_one_hides_nobody_from_the_tally(self) -> None:
        by_route = {"kpi": "on-time", "yardstick": "punctuality", "by": "route", "face": "ranked"}
        for first in (1, 2):
            folded = self.page(self.card(by_route | {"first": first}))
            self.assertEqual(len(folded.sheets[0].readings), first + 1)
            self.assertEqual(tally(folded), tally(self.page(self.card(by_route))))
            self.assertEqual(
                draw_page(folded, ENGLISH).changed, draw_page(self.page(self.card(by_route)), ENGLISH).changed
            )

    def test_a_further_kpi_whose_rows_have_not_come_yet_is_asked_for_again(self) -> None:
        held = ReadingContext.source_of

        def slow(context: ReadingContext, key: str) -> Any:
            if key == "bookings":
                raise Slow("“Bookings” has not answered yet.")
            return held(context, key)

        with mock.patch.object(ReadingContext, "source_of", slow):
            page = self.page(self.card({"kpi": "on-time", "face": "ledger", "further": [{"kpi": "bookings"}]}))
        (sheet,) = page.sheets
        self.assertTrue(sheet.waiting and draw_page(page, ENGLISH).waiting)
        self.assertIsNone(sheet.problem)
        self.assertEqual([reading.value is None for reading in sheet.readings], [False, True])
        self.assertIn("has not answered", sheet.readings[1].reason)

    def test_it_says_what_it_rests_on(self) -> None:
        page = self.page(self.card({"kpi": "on-time", "yardstick": "punctuality"}), period="2026-07")
        self.assertEqual(page.rests_on.documents["kpi"].keys(), {"on-time"})
        self.assertEqual(page.rests_on.notes.keys(), {"on-time"})
        self.assertEqual(page.rests_on.documents["yardstick"].keys(), {"punctuality"})
        self.assertEqual(list(page.rests_on.documents["calendar"]), ["calendar"])
        self.assertEqual(page.rests_on.datasets.keys(), {"sailings"})
        self.assertGreater(page.rests_on.marks["on-time"], 0)

    def test_every_mark_says_where_it_comes_from(self) -> None:
        page = self.page(self.card({"kpi": "on-time", "by": "route", "marks": ["target"]}, {"kpi": "on-time"}))
        sources = {mark.source for sheet in page.sheets for reading in sheet.readings for mark in reading.marks}
        self.assertLessEqual(sources, {"entry", "members", "computed"})
        self.assertTrue(sources)


class Asked(unittest.TestCase):
    """A saved scorecard read by its id."""

    def setUp(self) -> None:
        self.client = world.running().client
        instruments = [{"id": "a", "kpi": "on-time", "yardstick": "punctuality", "by": "route", "face": "ledger"}]
        body = {"title": "Read by id", "sections": [{"id": "s", "instruments": instruments}]}
        made = self.client.post("/api/scorecards", json=body).json()
        self.key, self.body = made["id"], made["body"]
        self.addCleanup(self.drop)

    def drop(self) -> None:
        version = self.client.get(f"/api/scorecards/{self.key}").json()["version"]
        self.client.delete(f"/api/scorecards/{self.key}", headers={"If-Match": f'"{version}"'})

    def get(self, etag: str = "", **scope: Any) -> Any:
        headers = {"If-None-Match": etag} if etag else {}
        return self.client.get(f"/api/scorecards/{self.key}/page", params=scope, headers=headers)

    def test_it_reads_as_the_same_scorecard_does_unsaved(self) -> None:
        for scope in (
            {},
            {"period": "2026-09"},
            {"period": "2026-Q2"},
            {"period": "2026-09", "route": ["Night freight", "Hollin – Skarra"]},
        ):
            found = self.get(**scope)
            self.assertEqual(found.status_code, 200, found.text)
            members = {"route": scope["route"]} if "route" in scope else {}
            asked = {"period": scope.get("period", "complete"), "members": members}
            unsaved = self.client.post("/api/scorecards/read", json={"body": self.body, "scope": asked}).json()
            self.assertEqual(found.json() | {"version": 0}, unsaved)
            self.assertEqual(found.json()["version"], 1)

    def test_what_has_not_changed_is_answered_with_304(self) -> None:
        first = self.get()
        again = self.get(first.headers["etag"])
        self.assertEqual((again.status_code, again.content), (304, b""))
        self.assertEqual(again.headers["etag"], first.headers["etag"])
        self.assertEqual(self.get(first.headers["etag"], period="2026-08").status_code, 200)

    def test_every_version_it_rests_on_changes_the_etag(self) -> None:
        client = self.client

        def save(kind: str, key: str, **what: Any) -> None:
            held = client.get(f"/api/{kind}/{key}").json()
            body = held["body"] | what
            done = client.put(f"/api/{kind}/{key}", json=body, headers={"If-Match": f'"{held["version"]}"'})
            self.assertEqual(done.status_code, 200, done.text)

        def mark(value: float) -> None:
            version = client.get("/api/kpis/on-time/marks").json()["version"]
            change = {"name": "limit", "whose": "everyone", "since": "2020-01", "value": value}
            done = client.post(
                "/api/kpis/on-time/marks",
                json={"changes": [change], "sure": True},
                headers={"If-Match": f'"{version}"'},
            )
            self.assertEqual(done.status_code, 200, done.text)

        description = client.get("/api/kpis/on-time").json()["body"]["description"]
        name = client.get("/api/yardsticks/punctuality").json()["body"]["name"]
        for what in (
            lambda: save("scorecards", self.key, title="Renamed"),
            lambda: save("kpis", "on-time", description="Changed"),
            lambda: save("kpis", "on-time", description=description),
            lambda: save("yardsticks", "punctuality", name="Changed"),
            lambda: save("yardsticks", "punctuality", name=name),
            lambda: mark(0.5),
        ):
            before = self.get().headers["etag"]
            self.assertEqual(self.get(before).status_code, 304)
            what()
            self.assertEqual(self.get(before).status_code, 200)
        found = client.get("/api/kpis/on-time/marks").json()
        change = {"name": "limit", "whose": "everyone", "since": "2020-01", "value": None}
        client.post(
            "/api/kpis/on-time/marks", json={"changes": [change]}, headers={"If-Match": f'"{found["version"]}"'}
        )

    def test_the_page_itself_can_be_had(self) -> None:
        page = Page.from_json(self.get(data="true").content)
        self.assertEqual([sheet.id for sheet in page.sheets], ["a"])

    def test_what_does_not_fit_is_told(self) -> None:
        self.assertEqual(self.get(period="soon").status_code, 422)
        self.assertIn("no period", self.get(period="soon").json()["detail"])
        self.assertEqual(self.get(grain="fortnight").status_code, 422)
        self.assertEqual(self.client.get("/api/scorecards/none/page").status_code, 404)
        refused = self.get(nothing="x")
        self.assertEqual((refused.status_code, refused.json()["type"]), (422, "no-segment"))


class WhoseReading(unittest.TestCase):
    names = st.text("aÄß ,;=|%2C船", min_size=1, max_size=6)

    @given(st.dictionaries(names, st.lists(names, min_size=1, max_size=4), max_size=3))
    def test_members_are_told_apart_whatever_signs_they_have(self, where: dict[str, list[str]]) -> None:
        told = narrow_of(where)
        self.assertEqual(members_in(told), {segment: sorted(set(names)) for segment, names in where.items()})
        self.assertEqual(told, narrow_of({segment: names[::-1] for segment, names in where.items()}))
        self.assertNotIn("|", told)
