"""New rows for a dataset that is in use: made to fit its columns, put beside or in place of the old ones."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import polars as pl

from ironmark.tables.moments import filled_up
from ironmark.tables.pieces import Rows, frames_of
from ironmark.tables.quantities import taken_apart
from ironmark.tables.table import Column, Problem, Table, Unreadable

How = Literal["replace", "append", "periods"]
_MOST_NAMED = 40
_SCHEMA: dict[str, pl.DataType | type[pl.DataType]] = {
    "number": pl.Float64, "text": pl.String, "date": pl.Date, "flag": pl.Boolean,
}  # fmt: skip


@dataclass(frozen=True)
class Changes:
    """What new rows change: how many, from when to when, and the members that came and went, by column."""

    before: int
    after: int
    taken_out: int
    put_in: int
    first: dt.date | None
    last: dt.date | None
    first_before: dt.date | None
    last_before: dt.date | None
    came: Mapping[str, list[str]]
    went: Mapping[str, list[str]]
    columns: list[str]  # new ones


def _bare(column: Column) -> str:
    return taken_apart(column.label)[0].casefold()


def matched(theirs: Sequence[Column], ours: Sequence[Column]) -> list[tuple[Column, Column]]:
    """The columns of a table as those of a dataset, found by name or label, whether its unit stands there or not, each with what it
    is there; further ones come behind them. Raises Unreadable where one is missing."""
    found: dict[str, Column] = {}
    rest = list(theirs)
    for column in ours:
        match = (
            next((c for c in rest if c.name == column.name), None)
            or next((c for c in rest if c.label.casefold() == column.label.casefold()), None)
            or next((c for c in rest if _bare(c) == _bare(column)), None)
        )
        if match:
            found[column.name] = match
            rest.remove(match)
    missing = [column.label for column in ours if column.name not in found]
    if missing:
        more = f" and {len(missing) - 5} more" if len(missing) > 5 else ""
        raise Unreadable(
            f"The new table has no column {', '.join(f'“{label}”' for label in missing[:5])}{more}. "
            "Name its columns as before, or upload it as a dataset of its own."
        )
    pairs = [(found[column.name], column) for column in ours]
    taken = {column.name for column in ours}
    for column in rest:
        name = column.name
        while name in taken:
            name += "_"
        taken.add(name)
        role = "text" if column.role == "period" else column.role
        pairs.append((column, replace(column, name=name, role=role)))
    return pairs


def conform(table: Table, columns: Sequence[Column]) -> Table:
    """A table in the columns a dataset has. Raises Unreadable where a column is missing or holds another type."""
    table = filled_up(_without_nothing(table, columns), columns)
    pairs = matched(table.columns, columns)
    series = [as_type(table.frame[theirs.name], theirs, ours).alias(ours.name) for theirs, ours in pairs]
    frame = pl.DataFrame(series) if series else table.frame
    return Table(frame, tuple(ours for _, ours in pairs), renamed(table.problems, pairs), table.recipe)


def _without_nothing(table: Table, columns: Sequence[Column]) -> Table:
    """A table without the columns that hold nothing and that a dataset does not have."""
    known = {word for column in columns for word in (column.name, column.label.casefold(), _bare(column))}
    kept = tuple(
        c for c in table.columns
        if not known.isdisjoint((c.name, c.label.casefold(), _bare(c))) or table.frame[c.name].null_count() < table.frame.height
    )  # fmt: skip
    return (
        table
        if len(kept) == len(table.columns)
        else replace(table, frame=table.frame.select(c.name for c in kept), columns=kept)
    )


def renamed(problems: Sequence[Problem], pairs: Sequence[tuple[Column, Column]]) -> tuple[Problem, ...]:
    """What was found in a table, by the columns of the dataset; and what these make of it."""
    names = {theirs.name: ours.name for theirs, ours in pairs}
    said = (
        "It holds texts so far, so the days of the new rows stand in it as texts such as 2026-01-31. Upload the table as a dataset of "
        "its own to have them as days."
    )
    as_texts = [Problem(said, ours.name) for theirs, ours in pairs if (theirs.type, ours.type) == ("date", "text")]
    return (*(replace(p, column=names.get(p.column or "", p.column)) for p in problems), *as_texts)


def as_type(cells: pl.Series, theirs: Column, ours: Column, whole: bool | None = None) -> pl.Series:
    """whole: whether all numbers of the column are, of which these are some. Raises Unreadable."""
    if theirs.type == ours.type or cells.null_count() == len(cells):
        return cells.cast(_SCHEMA[ours.type], strict=False)
    if ours.type == "text":
        if cells.dtype == pl.Boolean:
            return cells.replace_strict({True: "yes", False: "no"}, return_dtype=pl.String)
        if cells.dtype.is_float() and (are_whole(cells) if whole is None else whole):
            cells = cells.cast(pl.Int64)
        return cells.cast(pl.String)
    example = next(iter(cells.drop_nulls().cast(pl.String).to_list()), "")
    raise Unreadable(
        f"“{ours.label}” holds {ours.type}s so far, and {theirs.type}s in the new table, such as “{example[:40]}”. "
        "Mend that column and upload it again; nothing was changed."
    )


def are_whole(cells: pl.Series) -> bool:
    return bool((cells.drop_nulls() % 1 == 0).all())


def combined(old: pl.DataFrame, new: Table, how: How, period: str | None) -> pl.DataFrame:
    """All rows after a refresh. ``periods`` replaces the days from the new rows' first to their last.

    Raises Unreadable where the new rows have no day to go by.
    """
    if how == "replace":
        return new.frame
    kept = old
    if how == "periods":
        kept = old.filter(~covered_by(new.frame, period))
    # Columns that came with the new rows are blank in the old ones.
    return pl.concat([kept, new.frame], how="diagonal_relaxed").select(new.frame.columns)


def covered_by(rows: Rows, period: str | None) -> pl.Expr:
    """Whether a row is of a day that new rows cover. Raises Unreadable where these have none."""
    days = rows.select([period])[period].drop_nulls() if period else pl.Series([], dtype=pl.Date)
    if days.is_empty():
        raise Unreadable(
            "The new rows have no days, so the days they cover cannot be replaced. Choose a column as the period, "
            "or replace all rows."
        )
    return pl.col(str(period)).is_between(days.min(), days.max()).fill_null(False)  # type: ignore[arg-type]


def changes(old: Rows, new: Rows, put_in: Rows, columns: Sequence[Column], how: str) -> Changes:
    """What there is after a refresh beside what there was before, all with their spellings merged. put_in: the new rows."""
    period = next((c.name for c in columns if c.role == "period"), None)
    segments = [c.name for c in columns if c.role == "segment" and c.name in old.columns]
    before = _seen(old, segments, period)
    if how == "append":  # those from before are all there
        more = _seen(put_in, segments, period)
        after = _Seen(
            {name: held | more.members[name] for name, held in before.members.items()},
            min(filter(None, (before.first, more.first)), default=None),
            max(filter(None, (before.last, more.last)), default=None),
        )
    else:
        after = _seen(new, segments, period)
    came = {name: sorted(held - before.members[name])[:_MOST_NAMED] for name, held in after.members.items()}
    went = {name: sorted(held - after.members[name])[:_MOST_NAMED] for name, held in before.members.items()}
    return Changes(
        old.height, new.height, old.height + put_in.height - new.height, put_in.height,
        after.first, after.last, before.first, before.last,
        {name: some for name, some in came.items() if some}, {name: some for name, some in went.items() if some},
        [c.label for c in columns if c.name not in old.columns],
    )  # fmt: skip


@dataclass(frozen=True)
class _Seen:
    members: Mapping[str, set[str]]
    first: dt.date | None
    last: dt.date | None


def _seen(rows: Rows, segments: Sequence[str], period: str | None) -> _Seen:
    """The members of some segments, and the first and last day, of rows that are gone through once."""
    days = [period] if period is not None and period in rows.columns else []
    members: dict[str, set[str]] = {name: set() for name in segments}
    ends: list[Any] = []
    for frame in frames_of(rows, list(dict.fromkeys([*segments, *days]))) if segments or days else ():
        for name, held in members.items():
            held.update(frame[name].drop_nulls().unique().cast(pl.String).to_list())
        ends += [end for name in days for end in (frame[name].min(), frame[name].max()) if end is not None]
    return _Seen(members, min(ends, default=None), max(ends, default=None))
