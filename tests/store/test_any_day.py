"""What depends on the time, on days that are unlike others and in zones far from ours."""

import datetime as dt
import os
import subprocess
import sys
import unittest
from pathlib import Path

from ironmark import clock
from tests import world

# A moment in UTC, and the zone of the machine it is run on: the day there is another one.
DAYS = (
    ("2028-02-29T12:30:00", "Pacific/Kiritimati"),
    ("2030-12-31T23:55:00", "Pacific/Niue"),
)
STANDING, LINKS, REFRESHING = (
    "api.test_standing.ByTheCalendar",
    "api.test_links.Links",
    "api.test_refreshing.Refreshing",
)
TIMED = ",".join(
    (
        f"{STANDING}.test_every_period_that_was_missed_is_made_in_order",
        f"{STANDING}.test_data_that_is_not_complete_is_told_and_waited_for",
        f"{STANDING}.test_a_list_of_holidays_is_kept_and_followed",
        f"{LINKS}.test_it_shows_its_edition_and_counts_its_readings",
        f"{LINKS}.test_wrong_ended_and_taken_back_look_the_same",
        f"{LINKS}.test_what_does_not_fit_is_refused",
        f"{REFRESHING}.test_from_an_address_new_rows_are_a_version_and_the_same_rows_are_none",
        f"{REFRESHING}.test_failures_are_kept_told_and_tried_again",
        "api.test_front.Front.test_what_changed_since_a_moment_is_told_against_how_it_stood_then",
        "api.test_tables.Tables.test_a_table_without_a_day_is_as_of_one",
        "browser.test_editions.Editions.test_a_link_shows_the_edition_and_asks_for_nothing_else",
    )
)


class AnyDay(unittest.TestCase):
    def test_what_depends_on_time_passes_on_other_days(self) -> None:
        for at, zone in DAYS:
            with self.subTest(at=at, zone=zone):
                ahead = (dt.datetime.fromisoformat(at) - clock.now()).total_seconds()
                ahead += float(os.environ[clock.AHEAD])
                results = world.temporary("results", "")
                told = subprocess.run(
                    [sys.executable, "-m", "tests", str(results), TIMED],
                    cwd=world.ROOT,
                    env={**os.environ, clock.AHEAD: str(ahead), "TZ": zone},
                    capture_output=True,
                    text=True,
                )
                self.assertEqual(told.returncode, 0, told.stdout[-3000:] + told.stderr[-6000:])
                self.assertRegex(Path(results).read_text(), r"^[1-9]\d* 0 0")


class Clock(unittest.TestCase):
    def test_it_goes_on_from_a_moment_and_back(self) -> None:
        before = clock.now()
        with clock.going_on_from(dt.datetime(2031, 3, 1, 0, 30)):
            self.assertEqual(clock.now().date(), dt.date(2031, 3, 1))
            self.assertEqual(clock.last_day_under_way(), dt.date(2031, 2, 28))
            with clock.going_on_from(dt.datetime(1999, 1, 1)):
                self.assertEqual(clock.now().year, 1999)
        self.assertLess(clock.now() - before, dt.timedelta(minutes=1))


if __name__ == "__main__":
    unittest.main()
