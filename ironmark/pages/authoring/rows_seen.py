"""What rows tell whoever proposes KPIs of them: looked at once for a version of them, and of many rows kept beside them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from pydantic import TypeAdapter

from ironmark.core.measuring import Facts
from ironmark.pages.context.kept_beside import kept_beside
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.store.datasets import StoredDataset
from ironmark.tables.facts import MOST_MEMBERS, facts, is_panel, survey


@dataclass(frozen=True)
class RowsSeen:
    """days: those that are different, in their order; members: how many a segment has, MOST_MEMBERS and one where there are
    more."""

    panel: bool
    facts: list[Facts]
    days: list[dt.date]
    members: Mapping[str, int]


_AS_JSON = TypeAdapter(RowsSeen)


def rows_seen(context: ReadingContext, dataset: StoredDataset) -> RowsSeen:
    """Raises Narrowed."""
    return kept_beside(context.sources, context.session, dataset, "facts", _AS_JSON, lambda: _looked(context, dataset))


def _looked(context: ReadingContext, dataset: StoredDataset) -> RowsSeen:
    rows, period = context.sources.rows_of(context.session, dataset), dataset.period or ""
    found = survey(rows, dataset.columns)
    days = found.columns[period].different
    members = {name: one.different for name, one in found.columns.items() if one.of.role == "segment"}
    return RowsSeen(
        is_panel(rows, period, dataset.own_segments),
        facts(found),
        [] if days is None else days.sort().to_list(),
        {name: MOST_MEMBERS + 1 if there is None else len(there) for name, there in members.items()},
    )
