"""What stands in each column of a dataset, at a glance."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import replace

from pydantic import TypeAdapter
from sqlalchemy.orm import Session

from ironmark.pages.context.kept_beside import kept_beside
from ironmark.pages.context.source_registry import Sources
from ironmark.store.datasets import StoredDataset
from ironmark.tables import column_looks
from ironmark.tables.column_looks import Look
from ironmark.tables.pieces import Rows

_AS_JSON = TypeAdapter(dict[str, Look])


def summaries(sources: Sources, session: Session, dataset: StoredDataset, rows: Rows) -> Mapping[str, Look]:
    """By the name of each column. rows: all of the dataset, of a live source the first ones. Raises Narrowed."""
    kinds = {column.name: column.type for column in dataset.columns}
    if dataset.kind == "live":
        return column_looks.summaries(rows, kinds)
    looks = kept_beside(sources, session, dataset, "looks", _AS_JSON, lambda: column_looks.summaries(rows, kinds))
    return {name: _with_days(look) if kinds.get(name) == "date" else look for name, look in looks.items()}


def _with_days(look: Look) -> Look:
    """JSON has no days."""
    ends = [dt.date.fromisoformat(end) if isinstance(end, str) else end for end in (look.smallest, look.largest)]
    return replace(look, smallest=ends[0], largest=ends[1])
