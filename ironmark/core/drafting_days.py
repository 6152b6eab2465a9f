"""What two days of a row tell: how long it was from the one to the other, and whether something was done by the day it was due."""

from __future__ import annotations

from collections.abc import Sequence

from ironmark.core.draft_kpis import SENSE, Direction, DraftKpi
from ironmark.core.drafting_words import DUE, GOOD_OUTCOMES, handle_of, stem_of
from ironmark.core.measuring import Facts
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
    spans = [one for one in done if not any(is_span(column, period, one) for column in columns)]
    return [*by_then, *(_span(period, one) for one in spans)]


def is_span(column: Facts, first: Facts, last: Facts) -> bool:
    """Whether a column of figures says how long it was from one to the other."""
    return column.role == "measure" and column.label.lower() == f"{first.label} to {last.label}".lower()


def _span(first: Facts, last: Facts) -> DraftKpi:
    name, way = f"{first.label} to {last.label}", _better(last)
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
