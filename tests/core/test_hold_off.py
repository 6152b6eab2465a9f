"""When a change is told: worked examples by hand, and what holds of every history."""

from __future__ import annotations

import datetime as dt
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.core.hold_off import Falls, HoldOff, falls
from ironmark.core.sending_times import Times, next_try, sent_at
from ironmark.core.told_once import NO_LONGER_AFTER, Event, Memory, news_of

D = dt.datetime


def ask(ranks: str, hold: HoldOff, beyond: list[float] | None = None, from_start: bool = False) -> Falls:
    """One history, ``1`` and more the ranks, ``0`` the lowest, ``.`` no reading."""
    held = np.array([[-1 if one == "." else int(one)] for one in ranks], dtype=np.int64)
    top = max(1, int(held.max()))
    far = np.array(beyond if beyond is not None else [1.0] * len(ranks))[:, None]
    return falls(held, np.broadcast_to(far, (top, *held.shape)), hold, from_start=from_start)


def told(found: Falls) -> str:
    return "".join("T" if t else "o" if o else "." for t, o in zip(found.told[:, 0], found.unheld[:, 0], strict=True))


class WorkedExamples(unittest.TestCase):
    def test_at_once_every_fall_is_told_and_what_was_low_before_is_none(self) -> None:
        self.assertEqual(told(ask("0110100", HoldOff())), "...T.T.")
        self.assertEqual(told(ask("0010", HoldOff(), from_start=True)), "T..T")

    def test_a_fall_that_does_not_last_is_not_told(self) -> None:
        self.assertEqual(told(ask("1010011000", HoldOff(stays=2))), ".o..T...T.")
        self.assertEqual(told(ask("100", HoldOff(stays=3))), "...")  # nobody knows yet

    def test_a_month_without_a_reading_neither_holds_nor_breaks(self) -> None:
        self.assertEqual(told(ask("10..01", HoldOff(stays=2))), "....T.")
        self.assertEqual(int(ask("10..01", HoldOff(stays=2)).began[4, 0]), 1)

    def test_it_counts_again_after_a_margin(self) -> None:
        beyond = [9.0, 0, 0.4, 0, 1.0, 0]
        self.assertEqual(told(ask("101010", HoldOff(back=1.0), beyond)), ".T.o.T")  # 0.4 back is not enough, 1.0 is
        self.assertEqual(told(ask("101010", HoldOff(), beyond)), ".T.T.T")

    def test_or_after_some_readings_that_are_back(self) -> None:
        self.assertEqual(told(ask("1010110", HoldOff(rest=2))), ".T.o..T")
        beyond = [9.0, 0, 0.4, 0.4, 0, 0.4, 0]
        self.assertEqual(told(ask("1011010", HoldOff(back=1.0, rest=2), beyond)), ".T..T.o")

    def test_each_worse_rank_is_a_fall_and_says_where_from(self) -> None:
        found = ask("3120", HoldOff())
        self.assertEqual(told(found), ".T.T")
        self.assertEqual([int(found.before[1, 0]), int(found.before[3, 0])], [3, 2])

    def test_what_is_told_after_a_while_is_what_held(self) -> None:
        found = ask("3012", HoldOff(stays=2))  # two readings under 3, of which 1 is what held; then 2 is better
        self.assertEqual((told(found), int(found.began[2, 0])), ("..T.", 1))
        self.assertEqual(told(ask("30121", HoldOff(stays=2))), "..T..")

    def test_members_are_apart(self) -> None:
        ranks = np.array([[1, 1], [0, 1], [1, 0], [0, 0]])
        found = falls(ranks, np.ones((1, 4, 2)), HoldOff())
        self.assertEqual(found.told.tolist(), [[False, False], [True, False], [False, True], [True, False]])

    def test_odd_settings_are_refused(self) -> None:
        for odd in ({"stays": 0}, {"back": -1.0}, {"back": float("nan")}, {"rest": -1}):
            with self.subTest(odd), self.assertRaises(ValueError):
                HoldOff(**odd)  # type: ignore[arg-type]


HISTORIES = st.lists(st.integers(-1, 3), min_size=1, max_size=60)


class WhatAlwaysHolds(unittest.TestCase):
    @settings(deadline=None, max_examples=300)
    @given(HISTORIES, st.integers(1, 4), st.integers(0, 4), st.floats(0, 3), st.randoms(use_true_random=False))
    def test_of_every_history(self, history: list[int], stays: int, rest: int, back: float, random: object) -> None:
        ranks = np.array(history, dtype=np.int64)[:, None]
        beyond = np.array([[random.random() * 3 for _ in history] for _ in range(3)])[:, :, None]  # type: ignore[attr-defined]
        found, at_once = falls(ranks, beyond, HoldOff(stays, back, rest)), falls(ranks, beyond, HoldOff())
        self.assertLessEqual(found.told.sum(), at_once.told.sum())  # holding off never tells more
        self.assertFalse((found.told & (ranks < 0)).any())
        for p in np.flatnonzero(found.told[:, 0]):
            low = [r for r in history[found.began[p, 0] : p + 1] if r >= 0]
            self.assertEqual(len(low), stays)
            self.assertTrue(all(r < found.before[p, 0] for r in low))
        # What was told does not change when more readings come.
        cut = len(history) // 2
        before = falls(ranks[:cut], beyond[:, :cut], HoldOff(stays, back, rest))
        self.assertEqual(before.told[:, 0].tolist(), found.told[:cut, 0].tolist())

    def test_a_year_of_days_that_flutter_tells_once(self) -> None:
        rng = np.random.default_rng(32)
        value = 0.5 + rng.normal(0, 0.02, 365)
        value[:20] = 0.7
        low = value < 0.5
        ranks, beyond = np.where(low, 0, 1)[:, None], np.maximum(value - 0.5, 0)[None, :, None]
        self.assertGreater(falls(ranks, beyond, HoldOff()).told.sum(), 60)
        self.assertEqual(falls(ranks, beyond, HoldOff(back=0.1)).told.sum(), 1)


class ToldOnce(unittest.TestCase):
    NOW = D(2026, 11, 26, 9)

    def look(
        self, memory: Memory, *events: tuple[str, str], hours: float = 0, lasts: float = 0, newest: str = "2026-10-31"
    ) -> tuple[list[str], list[str], list[str], Memory]:
        made = [Event("a", ends, what) for ends, what in events]
        found = news_of(
            memory,
            made,
            ["a"],
            {"a": newest},
            {"a": "2025-01-31"},
            self.NOW + dt.timedelta(hours=hours),
            dt.timedelta(hours=lasts),
        )
        return (
            [one.ends for one in found.news], [one.ends for one in found.restated], [one.ends for one in found.taken_back], found.memory,
        )  # fmt: skip

    def test_what_is_there_at_first_is_no_news_and_what_comes_is_told_once(self) -> None:
        *_, memory = self.look(Memory(), ("2026-03-31", "falls"))
        news, restated, _, memory = self.look(memory, ("2026-03-31", "falls"), ("2026-10-31", "falls"))
        self.assertEqual((news, restated), (["2026-10-31"], []))
        news, restated, _, memory = self.look(memory, ("2026-03-31", "falls"), ("2026-10-31", "falls"))
        self.assertEqual((news, restated), ([], []))

    def test_an_older_period_is_a_restatement(self) -> None:
        *_, memory = self.look(Memory())
        news, restated, _, _ = self.look(memory, ("2026-05-31", "falls"))
        self.assertEqual((news, restated), ([], ["2026-05-31"]))

    def test_a_member_that_is_new_brings_no_old_news(self) -> None:
        *_, memory = self.look(Memory())
        found = news_of(
            memory,
            [Event("b", "2025-01-31", "x"), Event("b", "2026-10-31", "x")],
            ["a", "b"],
            {"b": "2026-10-31"},
            {},
            self.NOW,
        )
        self.assertEqual(([one.ends for one in found.news], list(found.restated)), (["2026-10-31"], []))

    def test_what_flaps_is_told_once_and_what_stays_away_is_taken_back(self) -> None:
        *_, memory = self.look(Memory())
        news, *_, memory = self.look(memory, ("2026-10-31", "falls"))
        self.assertEqual(len(news), 1)
        for hours in range(1, 30):  # there, gone, there, gone …
            events = [("2026-10-31", "falls")] if hours % 2 else []
            news, restated, back, memory = self.look(memory, *events, hours=hours)
            self.assertEqual((news, restated, back), ([], [], []))
        *_, back, memory = self.look(memory, hours=30)
        self.assertEqual(back, [])
        day = NO_LONGER_AFTER.total_seconds() / 3600
        *_, back, memory = self.look(memory, hours=30 + day)
        self.assertEqual(back, ["2026-10-31"])
        news, restated, back, memory = self.look(memory, ("2026-10-31", "falls"), hours=31 + day)
        self.assertEqual((news, restated, back), ([], [], []))

    def test_what_is_out_of_sight_is_not_taken_back(self) -> None:
        event = Event("a", "2024-12-31", "falls")
        memory = Memory(frozenset("a"), {event: "told"}, {event: self.NOW - 3 * NO_LONGER_AFTER}, is_new=False)
        for oldest, back in (({}, []), ({"a": "2025-01-31"}, []), ({"a": "2024-11-30"}, [event])):
            with self.subTest(oldest):
                self.assertEqual(list(news_of(memory, [], ["a"], {}, oldest, self.NOW).taken_back), back)

    def test_what_has_to_last_is_told_when_it_did(self) -> None:
        *_, memory = self.look(Memory())
        event = ("2026-10-31", "falls")
        news, *_, memory = self.look(memory, event, lasts=2)
        self.assertEqual(news, [])
        *_, memory = self.look(memory, hours=1, lasts=2)  # gone: it begins anew
        news, *_, memory = self.look(memory, event, hours=2.5, lasts=2)
        self.assertEqual(news, [])
        news, *_, memory = self.look(memory, event, hours=4.5, lasts=2)
        self.assertEqual(news, ["2026-10-31"])


class WhenItIsSent(unittest.TestCase):
    def test_at_once_but_for_quiet_hours_where_the_reader_is(self) -> None:
        night = Times(quiet_from=dt.time(22), quiet_to=dt.time(6), zone="Europe/Lisbon")
        self.assertEqual(sent_at(D(2026, 1, 10, 12), night), D(2026, 1, 10, 12))
        self.assertEqual(sent_at(D(2026, 1, 10, 23), night), D(2026, 1, 11, 6))
        self.assertEqual(sent_at(D(2026, 1, 11, 3), night), D(2026, 1, 11, 6))
        self.assertEqual(sent_at(D(2026, 7, 10, 21, 30), night), D(2026, 7, 11, 5))  # an hour ahead in summer
        noon = Times(quiet_from=dt.time(12), quiet_to=dt.time(14), zone="Asia/Tokyo")
        self.assertEqual(sent_at(D(2026, 1, 10, 4), noon), D(2026, 1, 10, 5))

    def test_digests(self) -> None:
        daily, weekly = Times("daily", dt.time(7)), Times("weekly", dt.time(7), weekday=0)
        self.assertEqual(sent_at(D(2026, 11, 26, 6), daily), D(2026, 11, 26, 7))
        self.assertEqual(sent_at(D(2026, 11, 26, 8), daily), D(2026, 11, 27, 7))
        self.assertEqual(sent_at(D(2026, 11, 26, 8), weekly), D(2026, 11, 30, 7))  # a Thursday
        self.assertEqual(sent_at(D(2026, 11, 30, 7, 1), weekly), D(2026, 12, 7, 7))

    def test_when_clocks_go_forward_or_back(self) -> None:
        for day in (D(2026, 3, 29, 0), D(2026, 10, 25, 0), D(2028, 2, 28, 23), D(2030, 12, 31, 23)):
            for hour in range(30):
                now = day + dt.timedelta(hours=hour)
                for times in (
                    Times(quiet_from=dt.time(1), quiet_to=dt.time(2, 30), zone="Europe/Paris"), Times("daily", dt.time(2, 30), zone="Europe/Paris"),
                ):  # fmt: skip
                    found = sent_at(now, times)
                    self.assertGreaterEqual(found, now)
                    self.assertLessEqual(found - now, dt.timedelta(hours=26))

    def test_pauses_grow_with_some_chance_in_them(self) -> None:
        self.assertEqual([next_try(n, 0).total_seconds() for n in (1, 2, 3, 8, 99)], [30, 60, 120, 3600, 3600])
        self.assertEqual(next_try(1, 1).total_seconds(), 45)
