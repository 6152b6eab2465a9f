"""What rows tell whoever proposes KPIs of them: looked at once for a version of them, and of many rows kept beside them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass

from pydantic import TypeAdapter, ValidationError
from sqlalchemy.exc import SQLAlchemyError

from ironmark.core.measuring import Facts
from ironmark.pages.context.cells_keeper import keeps
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.response_cache import program
from ironmark.store import eyes, worked_out
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
    eyes.require_all_rows(context.session, dataset.id)
    place = "rows seen", dataset.id, dataset.version
    return context.sources.seen.several({0: place}, lambda _: {0: _kept(context, dataset)})[0]


def _kept(context: ReadingContext, dataset: StoredDataset) -> RowsSeen:
    if not keeps(dataset):
        return _looked(context, dataset)
    asked = dataset.id, dataset.version, program()
    body = worked_out.kept(context.session, *asked, "facts")
    with suppress(ValidationError):
        if body is not None:
            return _AS_JSON.validate_json(body)
    found = _looked(context, dataset)
    with suppress(SQLAlchemyError, OSError), context.sources.changes() as session:  # else they are looked at once more
        worked_out.put(session, *asked, "facts", _AS_JSON.dump_json(found))
    return found


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
