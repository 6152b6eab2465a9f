"""Editions by the calendar: working days, holidays, only when complete, missed times once, one edition by two servers."""

import datetime as dt
import time
import unittest
from typing import Any

from sqlalchemy import Engine, text

from ironmark import clock
from ironmark.core.periods import Period
from ironmark.core.workdays import nth_day
from ironmark.pages.publishing.standing import StandingBody, due_for, newest_due, next_due
from ironmark.store import database
from ironmark.store.mariadb import MariaDB
from ironmark.tables.holidays import read_holidays
from ironmark.tables.table import Unreadable
from tests import world

CARD = "network-performance"
OFF = ("2026-12-25", "2026-12-26")  # and every 2 January
ICS = b"""BEGIN:VCALENDAR\r
VERSION:2.0\r
BEGIN:VEVENT\r
DTSTART;VALUE=DATE:20261225\r
DTEND;VALUE=DATE:20261227\r
SUMMARY:Midwinter\r
END:VEVENT\r
BEGIN:VEVENT\r
DTSTART;VALUE=DATE:20200102\r
RRULE:FREQ=YEARLY\r
END:VEVENT\r
END:VCALENDAR\r
"""


def day(text: str) -> dt.date:
    return dt.date.fromisoformat(text)


def expected(listed: list[dict[str, str]], nth: int) -> list[str]:
    """When editions by the months listed are due, at 8 on the nth working day after, without the days of ICS."""
    found = []
    for one in listed:
        month, year = one["of"].split()
        after = dt.datetime.strptime(f"1 {month} {year}", "%d %B %Y").date() + dt.timedelta(days=32)
        days = [after.replace(day=1) + dt.timedelta(days=n) for n in range(28)]
        working = [d for d in days if d.weekday() < 5 and (d.month, d.day) != (1, 2) and d.isoformat() not in OFF]
        found.append(f"{working[nth - 1]}T08:00:00Z")
    return found


class WorkingDays(unittest.TestCase):
    def test_the_nth_working_day(self) -> None:
        first, last = day("2026-11-01"), day("2026-11-30")  # a Sunday; a Monday
        for n, holidays, wanted in (
            (1, [], "2026-11-02"), (3, [], "2026-11-04"), (3, ["2026-11-03"], "2026-11-05"), (-1, [], "2026-11-30"),
            (-1, ["2026-11-30"], "2026-11-27"), (99, [], "2026-11-30"),
        ):  # fmt: skip
            found = nth_day(first, last, n, working=True, holidays={day(h) for h in holidays})
            self.assertEqual(found, day(wanted), (n, holidays))
        self.assertEqual(nth_day(first, last, 3, working=False), day("2026-11-03"))
        self.assertEqual(nth_day(first, last, -1, working=False), last)

    def test_when_it_is_due_and_of_what(self) -> None:
        body = StandingBody(scorecard="x", nth=3, at="07:00", zone="Europe/London")
        moment = dt.datetime(2026, 11, 1)
        due, period = next_due(body, moment, set(), 1)
        self.assertEqual((due, period.key), (dt.datetime(2026, 11, 4, 7), "2026-10"))
        self.assertEqual(next_due(body, due, set(), 1)[0], dt.datetime(2026, 12, 3, 7))
        summer = next_due(body, dt.datetime(2026, 6, 30), set(), 1)
        self.assertEqual((summer[0], summer[1].key), (dt.datetime(2026, 7, 3, 6), "2026-06"))
        weekend = [due_for(StandingBody(scorecard="x", every="day", nth=n), Period.parse(f"2026-11-{d}"), set()) for n, d in ((1, 27), (1, 28), (3, 27))]  # fmt: skip
        self.assertEqual(
            [at.day for at in weekend], [30, 30, 2], "a Friday's and a Saturday's on Monday, its third on Wednesday"
        )
        daily = StandingBody(scorecard="x", every="day", nth=1, at="09:00")
        found = next_due(daily, dt.datetime(2026, 11, 27, 10), set(), 1)  # a Friday
        self.assertEqual((found[0], found[1].key), (dt.datetime(2026, 11, 30, 9), "2026-11-27"))
        missed = newest_due(body, dt.datetime(2026, 11, 20), set(), Period.parse("2026-06"))
        self.assertEqual(missed.key, "2026-10")

    def test_holidays_from_files(self) -> None:
        found = read_holidays(ICS)
        self.assertEqual(
            [d for d in found if d.year == 2026], [day("2026-01-02"), day("2026-12-25"), day("2026-12-26")]
        )
        self.assertEqual(read_holidays(b"date,name\n2026-12-25,Midwinter\n2026-04-03,\n"), [day("2026-04-03"), day("2026-12-25")])  # fmt: skip
        night = ICS.replace(b"DTSTART;VALUE=DATE:20261225", b"DTSTART:20261224T180000").replace(b"DTEND;VALUE=DATE:20261227", b"DTEND:20261226T000000")  # fmt: skip
        self.assertEqual(
            [d for d in read_holidays(night) if d.month == 12],
            [day("2026-12-24"), day("2026-12-25")],
            "over at midnight",
        )
        for odd in (b"", b"date\nsoon\n", b"BEGIN:VCALENDAR\nBEGIN:VEVENT\n", b"\x00\xff\xfe"):
            with self.assertRaises(Unreadable):
                read_holidays(odd)


class ByTheCalendar(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def order(self, client: Any = None, **slots: Any) -> Any:
        client = client or self.client
        answer = client.post("/api/standing", json={"scorecard": CARD, **slots})
        self.assertEqual(answer.status_code, 201, answer.text)
        return answer.json()

    def now_is_its_time(self, engine: Engine, key: str, period: str) -> None:
        with engine.begin() as connection:
            connection.execute(
                text("UPDATE standing_orders SET due_at = :now, standing_for = :p WHERE id = :id"),
                {"p": period, "id": key, "now": clock.now()},
            )

    def until(self, key: str, what: Any, client: Any = None) -> Any:
        end = time.monotonic() + 60
        while time.monotonic() < end:
            found = next(one for one in (client or self.client).get("/api/standing").json() if one["id"] == key)
            if what(found):
                return found
            time.sleep(0.1)
        self.fail(str(found))

    def drop(self, made: Any) -> None:
        found = next(one for one in self.client.get("/api/standing").json() if one["id"] == made["id"])
        tag = {"If-Match": f'"{found["version"]}"'}
        self.assertEqual(self.client.delete(f"/api/standing/{made['id']}", headers=tag).status_code, 204)

    def mine(self, key: str) -> list[str]:
        """The periods of the editions that an order made, in the order they were made."""
        query = text("SELECT standing_for FROM editions WHERE standing = :id ORDER BY made_at, number")
        with world.engine().connect() as connection:
            return list(connection.execute(query, {"id": key}).scalars())

    def test_every_period_that_was_missed_is_made_in_order(self) -> None:
        # As if its rows came to an end with every month that is over.
        made = self.order(publish=True, note="By itself.", complete=False)
        missed = newest_due(StandingBody(scorecard=CARD), clock.now(), set(), Period.parse("2026-06"))
        self.now_is_its_time(world.engine(), made["id"], missed.shift(-3).key)
        following = missed.shift(1).label
        found = self.until(made["id"], lambda one: one["next"][0]["of"] == following)
        edition = self.client.get(f"/api/editions/{found['made']}").json()["edition"]
        self.assertEqual((edition["period"], edition["state"], edition["by_clock"]), (missed.key, "published", True))
        self.assertEqual((edition["note"], edition["made_by"]), ("By itself.", "by the calendar"))
        self.assertEqual(self.mine(made["id"]), [missed.shift(n).key for n in (-3, -2, -1, 0)])
        self.now_is_its_time(world.engine(), made["id"], missed.shift(-1).key)  # what is made is not made again
        self.until(made["id"], lambda one: one["next"][0]["of"] == following)
        self.assertEqual(len(self.mine(made["id"])), 4)
        self.drop(made)

    def test_several_scorecards_are_kept_as_one_book(self) -> None:
        made = self.order(complete=False, missed="newest", more=["service-health"], book="Monthly pack")
        missed = newest_due(StandingBody(scorecard=CARD), clock.now(), set(), Period.parse("2026-06"))
        self.now_is_its_time(world.engine(), made["id"], missed.key)
        found = self.until(made["id"], lambda one: one["made"])
        book = next(one for one in self.client.get("/api/books").json() if one["body"]["title"] == "Monthly pack")
        self.assertEqual(book["body"]["editions"][0], found["made"])
        cards = [
            self.client.get(f"/api/editions/{key}").json()["edition"]["scorecard"] for key in book["body"]["editions"]
        ]
        self.assertEqual(cards, [CARD, "service-health"])
        self.assertEqual(self.client.post("/api/standing", json=made["body"] | {"more": ["nowhere"]}).status_code, 404)
        self.drop(made)

    def test_the_newest_alone_by_choice(self) -> None:
        made = self.order(complete=False, missed="newest")
        missed = newest_due(StandingBody(scorecard=CARD), clock.now(), set(), Period.parse("2026-06"))
        self.now_is_its_time(world.engine(), made["id"], missed.shift(-3).key)
        self.until(made["id"], lambda one: one["made"])
        self.assertEqual(self.mine(made["id"]), [missed.key])
        self.drop(made)

    def test_what_is_held_is_told_and_gone_on_with(self) -> None:
        """A day whose rows have not come is held, told on the front page, and made or left out by hand."""
        made = self.order(every="day", nth=1, days="all", at="00:00")
        last = Period.of(clock.now().date(), "day").shift(-1)
        self.now_is_its_time(world.engine(), made["id"], last.shift(-2).key)
        found = self.until(made["id"], lambda one: one["state"] == "held")
        self.assertIn("make it as it is", found["said"])
        front = self.client.get("/api/front").json()["held"]
        self.assertEqual([one["said"] for one in front if one["id"] == made["id"]], [found["said"]])
        due, before = found["next"][0]["period"], self.mine(made["id"])
        stale = self.client.post(f"/api/standing/{made['id']}/skip", params={"period": "2020-W01"})
        self.assertEqual(stale.status_code, 409)
        # A change of when it is made forgets nothing that is held.
        tag = {"If-Match": f'"{found["version"]}"'}
        changed = self.client.put(f"/api/standing/{made['id']}", json=found["body"] | {"at": "00:01"}, headers=tag)
        self.assertEqual(changed.json()["next"][0]["period"], due)
        self.until(made["id"], lambda one: one["state"] == "held")
        gone = self.client.post(f"/api/standing/{made['id']}/make", params={"period": due})
        self.assertEqual(gone.status_code, 200, gone.text)
        self.assertEqual(self.mine(made["id"]), [*before, due])
        found = self.until(made["id"], lambda one: one["state"] == "held")
        skipped = self.client.post(f"/api/standing/{made['id']}/skip", params={"period": found["next"][0]["period"]})
        self.assertEqual(skipped.json()["next"][0]["period"], Period.parse(due).shift(2).key)
        self.assertEqual(self.mine(made["id"]), [*before, due])
        self.drop(made)

    def test_what_has_no_period_is_not_waited_for(self) -> None:
        """Rows without a day are never late; rows that have none yet are told so, with what to do."""
        frame = {"file": ("kilns.csv", b"day,kiln,tiles\n2026-10-01,North,40\n2026-10-31,South,42\n")}
        kilns = self.client.post("/api/datasets", files=frame).json()["id"]
        limits = self.client.post(
            "/api/datasets", files={"file": ("glazes.csv", b"glaze,price\nAsh,4\nTin,7\n")}
        ).json()["id"]
        kpis = [
            self.client.post("/api/kpis", json={"name": n, "handle": h, "dataset": d, "formula": f, "nature": "flow"}).json()
            for n, h, d, f in (("Tiles", "tiles_fired", kilns, "sum(tiles)"), ("Glaze", "glaze_price", limits, "sum(price)"))
        ]  # fmt: skip
        sheets = [
            {"id": f"i{n}", "kpi": kpi["id"], "face": "figure", "marks": [], "x": 3 * n, "w": 3, "h": 4}
            for n, kpi in enumerate(kpis)
        ]
        card = {"title": "Kilns", "scope": {"period": "2026-10"}, "sections": [{"id": "s", "title": "All", "instruments": sheets}]}  # fmt: skip
        key = self.client.post("/api/scorecards", json=card).json()["id"]
        made = self.order(scorecard=key, missed="newest")
        self.now_is_its_time(world.engine(), made["id"], "2026-10")
        self.until(made["id"], lambda one: one["made"] and one["state"] == "waiting")
        self.drop(made)

    def test_data_that_is_not_complete_is_told_and_waited_for(self) -> None:
        before = len(self.client.get("/api/editions").json())
        made = self.order(every="day", nth=1, days="all", at="00:00")
        yesterday = Period.of(clock.now().date(), "day").shift(-1)
        self.now_is_its_time(world.engine(), made["id"], yesterday.shift(-1).key)
        found = self.until(made["id"], lambda one: one["state"] == "held")
        self.assertRegex(
            found["said"], rf"^{yesterday.shift(-1).label} is not complete: .*Sailings through 21 November 2026"
        )
        self.assertEqual(len(self.client.get("/api/editions").json()), before)
        self.drop(made)

    def test_what_does_not_fit_is_refused(self) -> None:
        for slots in ({"nth": 0}, {"nth": 99}, {"at": "7 o'clock"}, {"zone": "Nowhere/Else"}, {"every": "fortnight"}):
            self.assertEqual(
                self.client.post("/api/standing", json={"scorecard": CARD, **slots}).status_code, 422, slots
            )
        self.assertEqual(self.client.post("/api/standing", json={"scorecard": "nowhere"}).status_code, 404)
        self.assertEqual(self.client.post("/api/standing", json={"scorecard": CARD, "holidays": "no"}).status_code, 404)

    def test_a_list_of_holidays_is_kept_and_followed(self) -> None:
        answer = self.client.post("/api/holidays", files={"file": ("h.ics", ICS)}, data={"name": "Sound"})
        self.assertEqual(answer.status_code, 201, answer.text)
        key = answer.json()["id"]
        made = self.order(holidays=key, nth=1, at="08:00")
        wanted = expected(made["next"], 1)
        self.assertEqual([one["at"] for one in made["next"]], wanted)
        changed = self.client.put(
            f"/api/standing/{made['id']}", json=made["body"] | {"nth": 2}, headers={"If-Match": f'"{made["version"]}"'}
        ).json()
        self.assertEqual([one["at"] for one in changed["next"]], expected(changed["next"], 2))
        stale = self.client.put(f"/api/standing/{made['id']}", json=made["body"], headers={"If-Match": '"1"'})
        self.assertEqual(stale.status_code, 412)
        used = self.client.delete(f"/api/holidays/{key}")
        self.assertEqual(used.status_code, 409)
        self.assertIn("Network performance", used.json()["detail"])
        self.drop(made)
        self.assertEqual(self.client.delete(f"/api/holidays/{key}").status_code, 204)

    def test_two_servers_make_one(self) -> None:
        server = world.Running("--workers", "2").start()
        self.addCleanup(server.close)
        mariadb = MariaDB(server.directory)
        self.assertTrue(mariadb.join())
        engine = database.connect(mariadb.url)
        self.addCleanup(mariadb.stop)
        self.addCleanup(engine.dispose)
        made = self.order(server.client, complete=False)
        newest = newest_due(StandingBody(scorecard=CARD), clock.now(), set(), Period.parse("2026-06"))
        mine = text("SELECT COUNT(*) FROM editions WHERE standing_for = :period")
        following = newest.shift(1).label
        for turn in (1, 2):
            with engine.begin() as connection:  # so that nothing was missed since
                connection.execute(text("DELETE FROM editions WHERE standing_for <> ''"))
            self.now_is_its_time(engine, made["id"], newest.shift(turn - 3).key)
            self.until(made["id"], lambda one: one["made"] and one["next"][0]["of"] == following, server.client)
            time.sleep(1.5)  # the other one would have looked by now
            with engine.connect() as connection:
                rows = connection.execute(mine, {"period": newest.key}).scalar()
            self.assertEqual(rows, 1, turn)


if __name__ == "__main__":
    unittest.main()
