"""Mark look-up, against a plain loop."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.marks import MarkEntry, look_up

MEMBERS = ("a", "b", "c")
entries = st.lists(
    st.builds(
        MarkEntry,
        name=st.sampled_from(("target", "limit")),
        segment=st.just("route"),
        member=st.sampled_from((*MEMBERS, None, "other")),
        since=st.integers(0, 40),
        value=st.floats(-100, 100),
    ),
    max_size=14,
    unique_by=lambda entry: (entry.name, entry.member, entry.since),
).map(lambda found: [MarkEntry(e.name, e.segment if e.member else None, e.member, e.since, e.value) for e in found])


def by_hand(book: list[MarkEntry], name: str, period: int, member: str | None) -> float:
    for who in (member, None):
        held = [e for e in book if e.name == name and e.member == who and e.since <= period]
        if held:
            return max(held, key=lambda entry: entry.since).value
    return float("nan")


class LookUp(unittest.TestCase):
    @given(entries, st.lists(st.integers(0, 45), min_size=1, max_size=6))
    def test_agrees_with_a_plain_loop(self, book: list[MarkEntry], periods: list[int]) -> None:
        members: list[str | None] = [*MEMBERS, None]
        values, index = look_up(book, "target", np.array(periods), "route", members)
        for p, period in enumerate(periods):
            for m, member in enumerate(members):
                expected = by_hand(book, "target", period, member)
                np.testing.assert_equal(values[p, m], expected)
                if index[p, m] >= 0:
                    self.assertEqual(book[index[p, m]].value, expected)

    def test_a_member_of_another_segment_is_not_meant(self) -> None:
        book = [MarkEntry("target", "vessel", "a", 0, 1.0)]
        values, index = look_up(book, "target", np.array([5]), "route", ["a"])
        self.assertTrue(np.isnan(values).all())
        self.assertEqual(index.tolist(), [[-1]])

    def test_no_entry_before_the_period_is_no_mark(self) -> None:
        book = [MarkEntry("target", None, None, 10, 1.0)]
        values, _ = look_up(book, "target", np.array([9, 10]), None, [None])
        np.testing.assert_equal(values[:, 0], [np.nan, 1.0])
