"""A page as it is asked for, before it is saved."""

from __future__ import annotations

from pydantic import Field

from ironmark.core.marks import MarkEntry
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.marks.mark_changes import OwnedBody, owner_of, since_of
from ironmark.pages.model.field_types import Key, MarkName, Model, Number
from ironmark.pages.model.scorecard import Rehearsed, ScopeBody, ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody


class TriedMark(OwnedBody):
    """An entry of the mark book that is tried."""

    kpi: Key
    name: MarkName
    since: str = Field(max_length=24)
    value: Number


class ReadAsk(Model):
    """Read a scorecard as it stands in the client, saved or not.

    ``rehearse`` gives values by instrument, ``yardsticks`` forms that are being tried instead of the kept ones.
    """

    body: ScorecardBody
    scope: ScopeBody | None = None
    rehearse: dict[Key, Rehearsed] = Field(default={}, max_length=50)
    yardsticks: dict[Key, YardstickBody] = Field(default={}, max_length=50)
    marks: list[TriedMark] = Field(default=[], max_length=20)


def have_tried(context: ReadingContext, ask: ReadAsk) -> None:
    """Have what is being tried stand for this request. Refuses marks that cannot be."""
    context.yardsticks |= ask.yardsticks
    for n, tried in enumerate(ask.marks):
        owner = owner_of(context, context.kpi(tried.kpi), tried, f"marks.{n}", value=tried.value)
        since = since_of(tried.since, context.year_start, f"marks.{n}.since")
        context.try_mark(tried.kpi, MarkEntry(tried.name, owner, since, tried.value))
