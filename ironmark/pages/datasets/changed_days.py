"""Which days of a dataset read otherwise in two versions of its rows."""

from __future__ import annotations

import datetime as dt

import polars as pl
from sqlalchemy.orm import Session

from ironmark.store import datasets
from ironmark.store.database import Missing
from ironmark.tables.pieces import Rows, frames_of

MOST_ROWS = 5_000_000  # of which two versions are laid side by side


def days_that_differ(session: Session, key: str, one: int, other: int) -> list[dt.date]:
    """The days whose rows are not the same in two versions of a dataset, in their order; none where that is not known."""
    try:
        dataset = datasets.get(session, key)
    except Missing:
        return []
    if dataset.period is None or dataset.row_count > MOST_ROWS or dataset.kind == "live":
        return []
    return _days(session, key, dataset.period, one, other)


def _days(session: Session, key: str, period: str, one: int, other: int) -> list[dt.date]:
    place = key, period, one, other
    if place not in _DAYS:
        if len(_DAYS) > 256:
            _DAYS.clear()
        _DAYS[place] = _days_between(
            datasets.raw_version(session, key, one), datasets.raw_version(session, key, other), period
        )
    return _DAYS[place]


_DAYS: dict[tuple[str, str, int, int], list[dt.date]] = {}


def _days_between(one: Rows, other: Rows, period: str) -> list[dt.date]:
    shared = [name for name in one.columns if name in other.columns]
    if period not in shared:
        return []

    def sums(rows: Rows) -> pl.DataFrame:
        by_day = []
        for frame in frames_of(rows, shared):
            hashed = frame.select(pl.col(period), frame.hash_rows().alias("#") // 1024)
            by_day.append(hashed.drop_nulls(period).group_by(period).agg(pl.col("#").sum(), pl.len().alias("n")))
        return pl.concat(by_day).group_by(period).agg(pl.col("#").sum(), pl.col("n").sum())

    both = sums(one).join(sums(other), on=period, how="full", coalesce=True, suffix="2")
    differ = both.filter(pl.col("#").ne_missing(pl.col("#2")) | pl.col("n").ne_missing(pl.col("n2")))
    return sorted(differ[period].to_list())
