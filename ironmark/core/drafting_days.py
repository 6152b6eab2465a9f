"""What two days of a row tell: how long it was from the one to the other, and whether something was done by the day it was due."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ironmark.core.draft_kpis import SENSE, Direction, DraftKpi
from ironmark.core.drafting_words import DUE, GOOD_OUTCOMES, handle_of, stem_of
from ironmark.core.measuring import Facts, Measured
from ironmark.core.numbers import Unit
from ironmark.core.units import PERCENT

MOST_SPANS = 2


def of_days(columns: Sequence[Facts]) -> list[DraftKpi]:
    """The KPIs of the columns of days beside the period, which on nearly all rows lie after it."""
    period = next((c for c in columns if c.role == "period" and c.type == "date"), None)
    if period is None:
        return []
    later = [c for c in columns if c.after]
    due = next((c for c in later if stem_of(c, DUE)), None)
    done = [c for c in later if not stem_of(c, DUE)][:MOST_SPANS]
    by_then = [_by_then(one, due) for one in done[-1:] if due is not None]
    # How long it was from one moment to another says more than how many days.
    said = {one.label for one in spans_among(columns).values()}
    return [*by_then, *(_span(period, one) for one in done if span_called(period.label, one.label) not in said)]


SPAN = Measured("duration", 1.0, ("it is how long it was from one moment to the other",))


def spans_among(columns: Sequence[Facts]) -> dict[str, Facts]:
    """The columns of figures that say how long it was from one moment of a row to another, by name, with which way is better."""
    figures = [c for c in columns if c.role == "measure" and c.unit is not None and c.unit.kind == "duration"]
    moments = [c for c in columns if c.role != "measure"]
    last = {span_called(a.label, b.label): b for a in moments for b in moments if a is not b} if figures else {}
    return {c.name: replace(c, better=_better(last[c.label])) for c in figures if c.label in last}


def span_called(first: str, last: str) -> str:
    """What it is called how long it was from one to the other, by the labels of both."""
    return f"{first} to {last}"


def _span(first: Facts, last: Facts) -> DraftKpi:
    name, way = span_called(first.label, last.label), _better(last)
    return DraftKpi(
        handle_of(name, "days_to"), name, f"mean(days({first.name}, {last.name}))", Unit("number", 1, text="d"), way, "rate",
        f"How many days it is from “{first.label}” to “{last.label}”, where both are known: their mean; {SENSE[way]}.",
    )  # fmt: skip


def _better(last: Facts) -> Direction:
    return "lower" if stem_of(last, GOOD_OUTCOMES) else "open"


def _by_then(done: Facts, due: Facts) -> DraftKpi:
    name = f"{done.label} by {due.label}"
    return DraftKpi(
        handle_of(name, "by_then"), name, f"count(where days({done.name}, {due.name}) >= 0) / count(where {done.name} is filled)",
        PERCENT, "higher", "rate",
        f"The share of those with “{done.label}” where that is no later than “{due.label}”; the more the better.",
    )  # fmt: skip
