"""Readings as they are given to the faces: order, axes, ticks, marks, notes, words."""

import itertools
import unittest
from typing import Any

from tests import world

ROWS = "day,team,vessel,x,y\n" + "".join(
    f"2026-{month:02d}-28,{team},{vessel},{x},{y}\n"
    for month, shift in ((8, 0), (9, 5), (10, 0))
    for team, vessel, x, y in (
        ("Alpha", "v1", 10 + shift, 4),
        ("Beta", "v2", -20, 5),
        ("Gamma", "v1", 30 - shift, 0),
        ("A team whose name is as long as sixty characters may well be", "v2", 0, 8),
        ("שלום", "v1", 1e10, 2),
    )
)
BANDS = ["short", "near", "met", "beyond"]


class Pictures(unittest.TestCase):
    client: Any
    ids: dict[str, str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        dataset = cls.client.post("/api/datasets", files={"file": ("teams.csv", ROWS.encode())}).json()
        common = {"dataset": dataset["id"]}
        cls.ids = {"dataset": dataset["id"]}
        for handle, formula, rest in (
            ("teams_sum", "sum(x)", {"nature": "flow"}),
            ("teams_ratio", "sum(x) / sum(y)", {"unit": {"kind": "number", "decimals": 2}}),
            ("teams_share", "count(where x > 0) / count()", {"unit": {"kind": "percent", "decimals": 0}}),
            (
                "teams_low",
                "max(y)",
                {"direction": "lower", "unit": {"kind": "currency", "currency": "EUR", "decimals": 0}},
            ),
        ):
            body = common | {"handle": handle, "name": handle.replace("_", " ").capitalize(), "formula": formula} | rest
            cls.ids[handle] = cls.client.post("/api/kpis", json=body).json()["id"]
        yardstick = {"name": "Ten and twenty", "bands": BANDS, "cuts": [{"offset": 0}, {"offset": 10}, {"offset": 20}]}
        cls.ids["yardstick"] = cls.client.post("/api/yardsticks", json=yardstick).json()["id"]

    @classmethod
    def tearDownClass(cls) -> None:
        for handle, key in cls.ids.items():
            kind = {"dataset": "datasets", "yardstick": "yardsticks"}.get(handle, "kpis")
            if kind == "datasets":
                continue
            cls.client.delete(f"/api/{kind}/{key}", headers={"If-Match": '"1"'}).raise_for_status()
        cls.client.delete(f"/api/datasets/{cls.ids['dataset']}", headers={"If-Match": '"1"'}).raise_for_status()

    def card(self, *instruments: dict[str, Any], period: str = "2026-09", **members: list[str]) -> Any:
        made = []
        for at, instrument in enumerate(instruments):
            kpi = self.ids[instrument.pop("kpi", "teams_sum")]
            made.append(
                {"id": f"i{at}", "kpi": kpi, "yardstick": self.ids["yardstick"], "marks": [], "face": "bullet"}
                | instrument
            )
        body = {"title": "t", "sections": [{"id": "s", "title": "S", "instruments": made}]}
        answer = self.client.post(
            "/api/scorecards/read", json={"body": body, "scope": {"period": period, "members": members}}
        )
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def one(self, **rest: Any) -> Any:
        return self.card(rest)["instruments"][0]


class Order(Pictures):
    def names(self, **rest: Any) -> list[str]:
        return [r["member"][:5] for r in self.one(by="team", **rest)["readings"]]

    def test_by_name_by_value_and_worst_first(self) -> None:
        self.assertEqual(self.names(order="name"), ["A tea", "Alpha", "Beta", "Gamma", "שלום"])
        self.assertEqual(self.names(order="value"), ["שלום", "Gamma", "Alpha", "A tea", "Beta"])
        self.assertEqual(
            self.names(order="gap"), ["Beta", "A tea", "Alpha", "Gamma", "שלום"], "without a mark the value decides"
        )

    def test_lower_is_better_puts_the_largest_first(self) -> None:
        self.assertEqual(self.names(kpi="teams_low", order="gap")[:2], ["A tea", "Beta"])

    def test_no_reading_comes_last_in_every_order(self) -> None:
        for order in ("gap", "value", "name"):
            names = self.names(kpi="teams_ratio", order=order)
            self.assertEqual(names[-1] == "Gamma", order != "name", order)

    def test_either_way_round_and_told(self) -> None:
        self.assertEqual(self.names(order="value", backwards=True), ["Beta", "A tea", "Alpha", "Gamma", "שלום"])
        self.assertEqual(self.names(order="name", backwards=True)[::-1], self.names(order="name"))
        self.assertEqual(
            self.one(by="team", order="value", backwards=True)["sorted"], "sorted by value, the smallest first"
        )
        # There is no mark to have a gap to, and higher is better: the worse values come first.
        self.assertEqual(self.one(by="team")["sorted"], "sorted by value, the smallest first")
        self.assertEqual(self.one(by="team", backwards=True)["sorted"], "sorted by value")
        self.assertEqual(self.names(), self.names(order="value", backwards=True))

    def test_periods_stand_in_time_unless_told_otherwise(self) -> None:
        found = world.running().client
        card = {
            "title": "Years",
            "scope": {"period": "2026-10"},
            "sections": [{"id": "s", "instruments": [{"id": "a", "kpi": "on-time", "face": "ranked", "last": 4}]}],
        }
        labels = [
            r["label"]
            for r in found.post("/api/scorecards/read", json={"body": card}).json()["instruments"][0]["readings"]
        ]
        self.assertEqual(labels, ["Jul 2026", "Aug 2026", "Sep 2026", "Oct 2026"])
        card["sections"][0]["instruments"][0]["backwards"] = True  # type: ignore[index]
        made = found.post("/api/scorecards/read", json={"body": card}).json()["instruments"][0]
        self.assertEqual([r["label"] for r in made["readings"]], labels[::-1])
        self.assertEqual(made["sorted"], "the newest first")


class Reach(Pictures):
    """An instrument with a scope of its own reads what a page of that scope reads."""

    def read(self, scope: dict[str, Any], **rest: Any) -> Any:
        instrument = {"id": "a", "kpi": "on-time", "yardstick": "punctuality", "face": "figure", **rest}
        card = {
            "title": "One",
            "scope": {"period": "2026-10", **scope},
            "sections": [{"id": "s", "instruments": [instrument]}],
        }
        answer = self.client.post("/api/scorecards/read", json={"body": card})
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()["instruments"][0]

    def test_another_period(self) -> None:
        for own, scope in (
            ({"period": "before"}, {"period": "2026-09"}),
            ({"period": "year_earlier"}, {"period": "2025-10"}),
            ({"period": "to_date"}, {"period": "2026-01..2026-10"}),
            ({"period": "last", "last": 3}, {"period": "2026-08..2026-10"}),
            ({"period": "year"}, {"period": "2026", "grain": "year"}),
            ({"period": "fixed", "fixed": "2025-Q3"}, {"period": "2025-Q3"}),
        ):
            mine, there = self.read({}, own=own), self.read(scope)
            for slot in ("value", "shown", "state", "marks", "partial"):
                self.assertEqual(mine["readings"][0][slot], there["readings"][0][slot], (own, slot))
            self.assertTrue(mine["reach"])
            self.assertIn(mine["reach"], mine["readings"][0]["spoken"])
        self.assertEqual(self.read({}, own={"period": "year_earlier"})["reach"], "a year earlier: October 2025")

    def test_members_of_its_own_and_workings_follow(self) -> None:
        own = {"members": {"route": ["Night freight"]}, "period": "before"}
        mine = self.read({"members": {"route": ["Hollin – Skarra"]}}, own=own)
        there = self.read({"members": {"route": ["Night freight"]}, "period": "2026-09"})
        self.assertEqual(mine["readings"][0]["value"], there["readings"][0]["value"])
        self.assertEqual(mine["reach"], "the period before: September 2026; Night freight only")
        instrument = {"id": "a", "kpi": "on-time", "own": own}
        told = self.client.post(
            "/api/scorecards/workings", json={"instrument": instrument, "scope": {"period": "2026-10"}}
        ).json()
        self.assertIn("September 2026", told["subtitle"])
        self.assertIn("Night freight", told["subtitle"])
        every = self.read({"members": {"route": ["Night freight"]}}, own={"members": {"route": []}})
        self.assertEqual(every["readings"][0]["value"], self.read({})["readings"][0]["value"])

    def test_further_kpis_are_read_in_the_same_reach(self) -> None:
        mine = self.read({}, own={"period": "before"}, face="ledger", further=[{"kpi": "cancelled"}])
        there = self.read({"period": "2026-09"}, face="ledger", further=[{"kpi": "cancelled"}])
        self.assertEqual([r["value"] for r in mine["readings"]], [r["value"] for r in there["readings"]])

    def test_a_page_says_nothing_of_changes_of_other_periods(self) -> None:
        card = {"title": "Two", "scope": {"period": "2026-10"}, "sections": [{"id": "s", "instruments": [
            {"id": "a", "kpi": "on-time", "yardstick": "punctuality", "own": {"period": "year"}},
        ]}]}  # fmt: skip
        found = self.client.post("/api/scorecards/read", json={"body": card}).json()
        self.assertEqual(
            (found["partial"], found["changed"]),
            ("", "no state changed since September") if found["changed"] else ("", ""),
        )

    def test_what_is_no_period_is_refused(self) -> None:
        card = {
            "title": "x",
            "sections": [
                {"id": "s", "instruments": [{"id": "a", "kpi": "on-time", "own": {"period": "fixed", "fixed": "soon"}}]}
            ],
        }
        self.assertEqual(self.client.post("/api/scorecards/read", json={"body": card}).status_code, 422)


class Together(Pictures):
    """Periods that are no neighbours, read as one."""

    def test_flows_add_rates_recompute_and_the_page_says_which(self) -> None:
        page = self.card({}, {"kpi": "teams_ratio"}, {"by": "team"}, period="2026-08,2026-10")
        self.assertEqual((page["period"], page["period_label"]), ("2026-08,2026-10", "Aug 2026 and Oct 2026"))
        self.assertEqual(page["changed"], "")
        months = [self.card({"by": "team"}, period=key)["instruments"][0]["readings"] for key in ("2026-08", "2026-10")]
        apart = [{reading["label"]: reading["value"] for reading in readings} for readings in months]
        found, ratio, by_team = page["instruments"]
        self.assertEqual(found["readings"][0]["value"], sum(sum(one.values()) for one in apart))
        self.assertAlmostEqual(ratio["readings"][0]["value"], found["readings"][0]["value"] / (2 * 19))
        together = {reading["label"]: reading["value"] for reading in by_team["readings"]}
        self.assertEqual(together, {team: apart[0][team] + apart[1][team] for team in apart[0]})
        self.assertTrue(all(reading["before"] is None for reading in by_team["readings"]))

    def test_the_year_to_date_and_the_last_ones_end_where_the_chosen_end(self) -> None:
        for own, words in (
            ({"period": "to_date"}, "year to date: Jan 2026 – Oct 2026"),
            ({"period": "last", "last": 2}, "the last 2 months together: Sep 2026 – Oct 2026"),
            ({"period": "year_earlier"}, "a year earlier: Aug 2025 and Oct 2025"),
        ):
            found = self.card({"own": own}, period="2026-08,2026-10")["instruments"][0]
            self.assertEqual(found["reach"], words)

    def test_a_month_alone_neighbours_and_garbage(self) -> None:
        self.assertEqual(self.card({}, period="2026-09,2026-08")["period"], "2026-08..2026-09")
        for period in ("2026-08,", ",", "2026-08,2026", "2026-08,2026-10,x"):
            body = {"title": "t", "sections": []}
            answer = self.client.post("/api/scorecards/read", json={"body": body, "scope": {"period": period}})
            self.assertEqual(answer.status_code, 422, period)


class Places(Pictures):
    def test_a_bar_starts_at_zero_and_runs_both_ways(self) -> None:
        found = self.one(by="team", face="bar")
        axis = found["axis"]
        self.assertLess(axis["low"], 0)
        self.assertFalse(axis["broken"])
        places = {r["member"]: r["fraction"] for r in found["readings"]}
        self.assertLess(places["Beta"], axis["zero"])
        self.assertGreater(places["שלום"], axis["zero"])

    def test_bands_and_cuts_cover_the_whole_axis(self) -> None:
        found = self.card({"axis": {"low": -5, "high": 25}, "face": "dial"}, team=["Alpha"])["instruments"][0]
        bands = found["readings"][0]["bands"]
        self.assertEqual([b["state"] for b in bands], BANDS)
        self.assertEqual((bands[0]["start"], bands[-1]["end"]), (0, 1))
        for lower, upper in itertools.pairwise(bands):
            self.assertEqual(lower["end"], upper["start"])
        self.assertEqual([c["shown"] for c in found["readings"][0]["cuts"]], ["0", "10", "20"])

    def test_bands_off_the_axis_are_not_drawn(self) -> None:
        found = self.card({"axis": {"low": 12, "high": 15}}, team=["Alpha"])["instruments"][0]
        self.assertEqual([b["state"] for b in found["readings"][0]["bands"]], ["met"])
        self.assertTrue(found["axis"]["broken"])

    def test_a_value_past_either_end_is_pinned_and_told(self) -> None:
        found = self.card({"axis": {"low": 0, "high": 5}}, {"axis": {"low": 100, "high": 200}}, team=["Alpha"])[
            "instruments"
        ]
        over, under = found[0]["readings"][0], found[1]["readings"][0]
        self.assertEqual((over["past"], over["fraction"], over["shown"]), (1, 1.0, "15"))
        self.assertEqual((under["past"], under["fraction"]), (-1, 0.0))

    def test_ticks_are_round_within_and_can_be_left_out(self) -> None:
        found = self.card({}, {"ticks": "none"}, team=["Alpha"])["instruments"]
        fractions = [tick["fraction"] for tick in found[0]["axis"]["ticks"]]
        self.assertTrue(2 <= len(fractions) <= 6 and fractions == sorted(fractions))
        self.assertEqual(found[1]["axis"]["ticks"], [])

    def test_ticks_at_the_ends_at_the_cuts_or_about_so_many(self) -> None:
        found = self.card(
            {"ticks": "ends"}, {"ticks": "cuts"}, {"ticks": "round", "tick_count": 2}, {"ticks": "round", "tick_count": 12},
            team=["Alpha"],
        )["instruments"]  # fmt: skip
        axis = found[0]["axis"]
        self.assertEqual([tick["label"] for tick in axis["ticks"]], [axis["low_shown"], axis["high_shown"]])
        self.assertEqual([tick["label"] for tick in found[1]["axis"]["ticks"]], ["0", "10", "20"])
        few, many = (len(card["axis"]["ticks"]) for card in found[2:])
        self.assertTrue(few <= 3 < 8 <= many, (few, many))

    def test_segments_up_to_the_value_by_their_place_or_by_a_ramp(self) -> None:
        # 15 on an axis from 0 to 20: three of four segments; bands from 0, 10 and 20.
        axis, four = {"low": 0, "high": 20}, {"ring": "segments", "segments": 4}
        dials = [
            four,
            four | {"paint": "state", "hand": "fill"},
            four | {"paint": "ramp", "colours": "slate"},
            four | {"paint": "ramp", "colours": "slate", "turned": True, "hand": "fill"},
        ]
        made = [{"face": "dial", "axis": axis, "look": {"dial": look}} for look in dials]
        plain, placed, ramp, turned = (
            card["readings"][0]["segments"] for card in self.card(*made, team=["Alpha"])["instruments"]
        )
        self.assertEqual([part["lit"] for part in plain], [1, 1, 1, 0])
        self.assertEqual({part["state"] for part in plain}, {"met"})
        self.assertEqual([part["state"] for part in placed], ["near", "near", "met", "met"])
        self.assertEqual([part["lit"] for part in placed], [1, 1, 1, 0])
        self.assertEqual([part["lit"] for part in ramp], [1, 1, 1, 1], "a needle tells the value")
        self.assertEqual([part["shade"] for part in ramp], [part["shade"] for part in turned][::-1])
        self.assertEqual(len({part["shade"] for part in ramp}), 4)
        for count in (1, 3, 41):
            refused = self.client.post(
                "/api/scorecards/faces",
                json={"instrument": {"id": "x", "kpi": self.ids["teams_sum"], "look": {"dial": {"segments": count}}}},
            )
            self.assertEqual(refused.status_code, 422)

    def test_a_full_track_is_each_ones_own_mark(self) -> None:
        key = self.ids["teams_sum"]
        for team, target in (("Alpha", 30.0), ("Gamma", 20.0), ("Beta", -5.0)):
            change = {"name": "target", "of": {"team": team}, "since": "2026-01", "value": target}
            head = {"If-Match": self.client.get(f"/api/kpis/{key}/marks").headers["etag"]}
            self.client.post(f"/api/kpis/{key}/marks", json={"changes": [change]}, headers=head).raise_for_status()
        for face in ("bar", "column", "ring"):
            found = self.one(by="team", face=face, marks=["target"], look={face: {"full": "mark"}}, ticks="ends")
            rows = {r["member"]: r for r in found["readings"]}
            # Alpha has 15 of 30, Gamma 25 of 20: a quarter past its track; the others have no mark above zero.
            end = 1.0 if face == "ring" else 1 / 1.25
            self.assertAlmostEqual(found["axis"]["full"], end)
            self.assertAlmostEqual(rows["Alpha"]["fraction"], 0.5 * end)
            self.assertAlmostEqual(rows["Alpha"]["marks"][0]["fraction"], end)
            self.assertEqual((rows["Gamma"]["fraction"], rows["Gamma"]["past"]), (1.0, int(face == "ring")))
            self.assertEqual((rows["Beta"]["fraction"], rows["Beta"]["marks"], rows["Beta"]["shown"]), (0, [], "−20"))
            self.assertEqual(found["axis"]["ticks"][-1]["label"], "100%" if face == "ring" else "125%")

    def test_cuts_that_hold_however_long_the_period_is(self) -> None:
        body = {"name": "Any", "bands": BANDS, "cuts": [{"offset": 0}, {"offset": 10}, {"offset": 40}]}
        states = {}
        for per in ("month", "any"):
            key = self.client.post("/api/yardsticks", json=body | {"per": per}).json()["id"]
            found = [
                self.card({"yardstick": key}, team=["Alpha"], period=period)["instruments"][0]["readings"][0]
                for period in ("2026-09", "2026-08..2026-09")
            ]
            states[per] = [(r["value"], r["state"], [cut["value"] for cut in r["cuts"]]) for r in found]
            self.client.delete(f"/api/yardsticks/{key}", headers={"If-Match": '"1"'}).raise_for_status()
        self.assertEqual(states["month"][1], (25, "met", [0, 20, 80]))
        self.assertEqual(states["any"][1], (25, "met", [0, 10, 40]))
        self.assertEqual(states["any"][0], states["month"][0])

    def test_a_share_never_shows_more_than_the_whole(self) -> None:
        self.assertLessEqual(self.one(kpi="teams_share", yardstick=None)["axis"]["high"], 1.0)


class Colour(Pictures):
    def test_plainly_and_by_kind(self) -> None:
        plain, each, coarser, dots = self.card(
            {"by": "team", "face": "ranked", "colour": {"by": "plain", "plain": "fern"}},
            {"by": "team", "face": "ranked", "colour": {"by": "kind"}},
            {"by": "team", "face": "ranked", "colour": {"by": "kind", "segment": "vessel"}},
            {"by": "team", "face": "quadrant", "colour": {"by": "kind", "segment": "vessel"},
             "look": {"quadrant": {"across": self.ids["teams_low"]}}},
        )["instruments"]  # fmt: skip
        self.assertEqual({r["shade"] for r in plain["readings"]}, {"#829151"})
        self.assertEqual(plain["kinds"], [])
        self.assertEqual(len({r["shade"] for r in each["readings"]}), 5)
        self.assertEqual([kind["name"] for kind in coarser["kinds"]], ["v1", "v2"])
        of_kind = {kind["name"]: kind["colour"] for kind in coarser["kinds"]}
        shades = {r["member"]: r["shade"] for r in coarser["readings"]}
        self.assertEqual((shades["Alpha"], shades["Beta"]), (of_kind["v1"], of_kind["v2"]))
        self.assertEqual({d["member"]: d["shade"] for d in dots["quadrant"]["dots"]}["Beta"], of_kind["v2"])

    def test_a_kind_has_the_same_colour_whoever_is_shown(self) -> None:
        every = self.one(by="team", face="ranked", colour={"by": "kind"})
        some = self.card({"by": "team", "face": "ranked", "colour": {"by": "kind"}}, team=["Gamma", "Beta"])
        shades = {r["member"]: r["shade"] for r in every["readings"]}
        for reading in some["instruments"][0]["readings"]:
            self.assertEqual(reading["shade"], shades[reading["member"]])

    def test_own_ramps_are_used_and_doubted(self) -> None:
        good = self.one(by="team", ramp={"own": ["#e3e1d8", "#2b4a63"]})
        self.assertEqual((good["ramp"]["colours"][0], good["ramp"]["doubts"]), ("#e3e1d8", []))
        self.assertTrue(self.one(by="team", ramp={"own": ["#7a7a00", "#a0522d"]})["ramp"]["doubts"])
        one = {"id": "x", "kpi": self.ids["teams_sum"], "ramp": {"own": ["#7a7a00"]}}
        self.assertEqual(self.client.post("/api/scorecards/faces", json={"instrument": one}).status_code, 422)


class Begun(Pictures):
    def test_a_new_instrument_is_never_empty(self) -> None:
        for handle, face in (("teams_sum", "bar"), ("teams_ratio", "dial")):
            asked = {"id": "new", "kpi": self.ids[handle], "yardstick": self.ids["yardstick"]}
            made = self.client.post("/api/scorecards/instrument", json=asked).json()
            self.assertEqual((made["face"], made["marks"], made["kpi"]), (face, ["target"], self.ids[handle]))

    def test_every_face_is_offered_with_what_it_cannot_do_without(self) -> None:
        asked = {"id": "x", "kpi": self.ids["teams_sum"], "face": "dial", "w": 2, "h": 3}
        offers = self.client.post("/api/scorecards/faces", json={"instrument": asked}).json()
        by_face = {offer["instrument"]["face"]: offer for offer in offers}
        self.assertEqual((by_face["profile"]["instrument"]["by"], by_face["bar"]["instrument"]["by"]), ("team", None))
        quadrant = by_face["quadrant"]
        self.assertEqual(quadrant["instrument"]["look"]["quadrant"]["across"], self.ids["teams_low"])
        self.assertTrue(quadrant["picture"]["quadrant"]["dots"])
        self.assertEqual((by_face["ledger"]["instrument"]["w"], by_face["ledger"]["instrument"]["h"]), (4, 6))
        self.assertTrue(all(offer["picture"]["readings"] for offer in offers))


class Told(Pictures):
    def test_how_far_where_lower_is_better_is_said_in_its_own_words(self) -> None:
        key = self.ids["teams_low"]
        change = {"name": "target", "whose": "everyone", "since": "2026-01", "value": 4.0}
        head = {"If-Match": self.client.get(f"/api/kpis/{key}/marks").headers["etag"]}
        self.client.post(f"/api/kpis/{key}/marks", json={"changes": [change]}, headers=head).raise_for_status()
        rows = {r["member"]: r for r in self.one(kpi="teams_low", by="team", marks=["target"])["readings"]}
        self.assertEqual(rows["Gamma"]["attainment_shown"], "100% under")
        self.assertEqual(rows["Beta"]["attainment_shown"], "25% over")

    def test_number_formats_of_the_instrument_win_over_the_kpi_s(self) -> None:
        found = self.card({}, {"decimals": 2}, {"compact": True, "decimals": 1}, team=["שלום"])["instruments"]
        self.assertEqual([f["readings"][0]["shown"] for f in found], ["10,000,000,000", "10,000,000,000.00", "10.0bn"])

    def test_currency_of_the_kpi(self) -> None:
        self.assertEqual(self.one(kpi="teams_low")["readings"][0]["shown"], "€8")

    def test_a_member_with_a_zero_denominator_has_no_reading_and_says_why(self) -> None:
        found = self.one(kpi="teams_ratio", by="team")["readings"]
        gamma = next(r for r in found if r["member"] == "Gamma")
        self.assertEqual((gamma["status"], gamma["shown"]), ("no_reading", "no reading"))
        self.assertIn("divides by nothing", gamma["reason"])

    def test_what_changed_since_the_month_before(self) -> None:
        found = self.card({"by": "team"}, period="2026-10")
        self.assertEqual(found["changed"], "no state changed since September")
        ratio = self.card({"axis": {}}, team=["Alpha"], period="2026-09")
        self.assertEqual(ratio["sections"][0]["words"], "no state changed since August")

    def test_the_title_says_by_what_it_is_split_unless_it_has_its_own(self) -> None:
        found = self.card({"by": "team"}, {"by": "team", "title": "<b>Mine</b>"}, {})["instruments"]
        self.assertEqual([f["title"] for f in found], ["Teams sum by team", "<b>Mine</b>", "Teams sum"])

    def test_two_segments_are_scoped_together(self) -> None:
        found = self.card({"by": "team"}, {}, vessel=["v1"], team=["Alpha", "Beta"])["instruments"]
        self.assertEqual({r["member"]: r["value"] for r in found[0]["readings"]}, {"Alpha": 15, "Beta": None})
        self.assertEqual(found[1]["readings"][0]["value"], 15)

    def test_the_scope_offers_every_member_and_month(self) -> None:
        found = self.card({})
        self.assertEqual([period["key"] for period in found["periods"]], ["2026-08", "2026-09", "2026-10"])
        self.assertEqual([s["name"] for s in found["segments"]], ["team", "vessel"])
        self.assertEqual(len(found["segments"][0]["members"]), 5)

    def test_the_latest_and_the_latest_complete_month(self) -> None:
        self.assertEqual(self.card({}, period="latest")["period"], "2026-10")
        complete = self.card({}, period="complete")
        self.assertEqual((complete["period"], complete["partial"]), ("2026-09", ""))
        self.assertEqual(self.card({}, period="latest")["partial"], "28 of 31 days")

    def test_a_screen_reader_hears_value_state_and_reason(self) -> None:
        found = self.card({}, {"yardstick": None}, team=["Alpha"])["instruments"]
        self.assertEqual(found[0]["readings"][0]["spoken"], "Teams sum, 15, met")
        self.assertEqual(found[1]["readings"][0]["spoken"], "Teams sum, 15, not graded: no yardstick is chosen")

    def test_an_empty_scorecard_reads_as_nothing(self) -> None:
        body = {"title": "Empty", "sections": []}
        found = self.client.post("/api/scorecards/read", json={"body": body}).json()
        self.assertEqual((found["period"], found["tally"], found["instruments"]), ("", [], []))


class Workings(Pictures):
    def workings(self, scope: dict[str, Any], **instrument: Any) -> dict[str, str]:
        kpi = self.ids[instrument.pop("kpi", "teams_sum")]
        asked = {"id": "i", "kpi": kpi, "yardstick": self.ids["yardstick"], "marks": []} | instrument
        answer = self.client.post("/api/scorecards/workings", json={"instrument": asked, "scope": scope})
        self.assertEqual(answer.status_code, 200, answer.text)
        found = answer.json()
        return {line["label"]: line["text"] for line in found["lines"]} | {
            "verdict": found["verdict"],
            "subtitle": found["subtitle"],
        }

    def test_a_total_of_chosen_members(self) -> None:
        lines = self.workings({"period": "2026-09", "members": {"team": ["Alpha", "Gamma"]}})
        self.assertEqual(lines["Reading"], "40, shown 40")
        self.assertEqual(lines["subtitle"], "September 2026, team: Alpha, Gamma")
        self.assertEqual(lines["Rows used"], "2 of Teams, 1–30 Sep 2026")
        self.assertEqual(lines["Band"], "20 and over → Beyond")
        self.assertNotIn("To reach Beyond", lines)

    def test_a_value_that_looks_like_another_state_when_rounded(self) -> None:
        scope = {"period": "2026-09", "members": {"team": ["Alpha"]}}
        body = {"name": "Edge", "bands": ["short", "met"], "cuts": [{"offset": 3.752}]}
        key = self.client.post("/api/yardsticks", json=body).json()["id"]
        lines = self.workings(scope, kpi="teams_ratio", yardstick=key)
        self.client.delete(f"/api/yardsticks/{key}", headers={"If-Match": '"1"'})
        self.assertEqual(lines["Reading"], "15 ÷ 4 = 3.75, shown 3.75")
        self.assertEqual(lines["Band"], "under 3.752 → Short")
        self.assertEqual(lines["verdict"], "")  # what is always so is not told

    def test_no_rows_and_no_yardstick(self) -> None:
        lines = self.workings({"period": "2020-01"}, yardstick=None)
        self.assertEqual(
            (lines["Rows used"], lines["verdict"]),
            ("none; the dataset has rows from Aug 2026 to Oct 2026", "no reading"),
        )
        lines = self.workings({"period": "2026-09"}, yardstick=None)
        self.assertEqual(lines["Yardstick"], "none chosen, so not graded")
