"""Rows of a dataset kept as versions: new ones written, old ones gone back to, and what rests on them following."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, replace
from typing import Any

import polars as pl
from sqlalchemy import delete, func, insert, literal, select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import eyes, scratch, worked_out
from ironmark.store.database import Missing, author, new_key
from ironmark.store.datasets import (
    KEPT_VERSIONS,
    Kind,
    StoredDataset,
    every_row,
    get,
    locked,
    raw,
    raw_version,
    rows,
    takers,
)
from ironmark.store.models import Dataset, DatasetSegment, DatasetVersion
from ironmark.store.sealed import seal
from ironmark.tables.findings import findings
from ironmark.tables.joined_columns import Lookup, Twice, Wide, twice
from ironmark.tables.long_refresh import conformed, ends_with, put_together, same_rows
from ironmark.tables.pieces import Joined, Piece, Pieces, Rows, in_pieces, merged, pieces_of
from ironmark.tables.refresh import Changes, How, changes
from ironmark.tables.table import Column, LongTable, Table, Unreadable, complete_through, table_of

Tell = Callable[[float], None]


# What is unusual about rows beside those before them.
Doubts = Callable[[Rows, Rows, Sequence[Column], Changes], list[str]]


def nobody(share: float) -> None:
    """Tells nobody."""


def create(
    session: Session,
    name: str,
    file_name: str,
    table: Table | LongTable,
    *,
    key: str | None = None,
    kind: Kind = "file",
    settings: dict[str, Any] | None = None,
    secret: str = "",
    tell: Tell = nobody,
    findings_too: bool = True,
) -> StoredDataset:
    """Keep a table as version 1 of a new dataset, all in the caller's transaction.

    tell: is told how much of the rows is kept, 0 to 1; what it raises ends the writing.
    """
    moment = now()
    row = Dataset(
        id=key or new_key(name),
        version=1,
        name=name,
        rows_version=1,
        columns=[],
        problems=[],
        created_at=moment,
        updated_at=moment,
        kind=kind,
        settings=settings,
        secret=seal(secret),
    )
    session.add(row)
    session.flush()
    eyes.made(session, "dataset", row.id)
    # A tick holds until it is taken out: a month without one has its reading all the same.
    more = findings(table.rows, table.columns) if findings_too and kind != "checklist" else ()
    found = replace(table, problems=(*table.problems, *more))
    _write(session, row, 1, file_name, found, "first", None, complete_through(table.rows, table.columns), tell)
    return get(session, row.id)


def refresh(
    session: Session, key: str, saw: int | None, file_name: str, table: Table | LongTable, how: How, tell: Tell = nobody
) -> StoredDataset:
    """Keep new rows as a further version; rows that are there already make none. ``saw`` None takes any version. Raises
    Missing, StaleVersion, Unreadable."""
    _renew(session, key, saw, file_name, table, how, tell)
    return get(session, key)


def refresh_unless(
    session: Session,
    key: str,
    file_name: str,
    table: Table | LongTable,
    how: How,
    doubts: Doubts,
    held: int | None = None,
) -> tuple[int | None, list[str]]:
    """The same for rows that come by themselves: where there are doubts they are kept as a version that is not shown.
    held: such a version from before, which is the one where the same rows come again. Returns the number of the version
    that is held back, and the doubts. Raises Missing, Unreadable."""
    return _renew(session, key, None, file_name, table, how, nobody, doubts, held)


def _renew(
    session: Session, key: str, saw: int | None, file_name: str, table: Table | LongTable, how: How, tell: Tell,
    doubts: Doubts | None = None, held: int | None = None,
) -> tuple[int | None, list[str]]:  # fmt: skip
    """Rows that are too many to be held go column by column, and pieces that stay as they are."""
    row = locked(session, key, saw)
    before = get(session, key)
    with scratch.folder("rows") as folder:
        new = conformed(table, before.own, folder)
        _refuse_names(before, new.columns)
        old = raw(session, before)
        rows = put_together(old, new, how, next((c.name for c in before.own if c.role == "period"), None), folder)
        if new.columns == before.own and (same_rows(rows, old) or _appended_again(session, before, old, new, how)):
            return None, []
        was, is_now = _in_one_spelling(old, before), _in_one_spelling(rows, before)
        told = changes(was, is_now, _in_one_spelling(new.rows, before), new.columns, how)
        why = doubts(was, is_now, new.columns, told) if doubts else []
        if why and held is not None and same_rows(raw_version(session, key, held), rows):
            return held, why
        problems = (*new.problems, *findings(rows, new.columns))
        through = complete_through(rows, new.columns)  # a day that was said was of the rows before
        if not why:
            row.settings = {key: value for key, value in (row.settings or {}).items() if key != "fixed_through"} or None
        last = _last_number(session, key) + 1
        found = replace(table_of(rows, new.columns, new.recipe or before.settings.get("recipe")), problems=problems)
        _write(session, row, last, file_name, found, how, _plain(told), through, tell, shown=not why)
    return (last, why) if why else (None, [])


def _appended_again(session: Session, before: StoredDataset, old: Rows, new: Table | LongTable, how: How) -> bool:
    """Whether the rows that are to be appended are just those that were appended last: a machine that had no answer
    sends them once more. One row alone may well come twice."""
    many = new.rows.height
    if how != "append" or many < 2:
        return False
    version = session.get(DatasetVersion, (before.id, before.rows_version))
    last = version is not None and version.how == "append" and (version.changes or {}).get("put_in") == many
    return last and ends_with(old, new.rows)


def forget_held(session: Session, key: str, number: int) -> None:
    """Give up a version that was held back and never shown."""
    if locked(session, key, None).rows_version != number:
        for table in (DatasetSegment, DatasetVersion):
            session.execute(delete(table).where(table.dataset_id == key, table.number == number))


def refresh_with(
    session: Session,
    key: str,
    saw: int,
    file_name: str,
    table: Table | LongTable,
    how: str,
    through: dt.date | None = None,
) -> StoredDataset:
    """Keep rows that are already in the columns wanted, as a further version. Raises Missing, StaleVersion."""
    row = locked(session, key, saw)
    before = get(session, key)
    kept = raw(session, before)
    through = through or complete_through(table.rows, table.columns)
    if table.columns == before.own and same_rows(table.rows, kept) and through == before.through:
        return before
    was, is_now = _in_one_spelling(kept, before), _in_one_spelling(table.rows, before)
    told = changes(was, is_now, is_now, table.columns, how)
    _write(session, row, _last_number(session, key) + 1, file_name, table, how, _plain(told), through, nobody)
    return get(session, key)


def _in_one_spelling(rows: Rows, dataset: StoredDataset) -> Rows:
    if isinstance(rows, pl.DataFrame):
        return merged(rows, dataset.merges)
    return Pieces(rows.read, dataset.merges, rows.height)


def go_back(session: Session, key: str, saw: int, number: int) -> StoredDataset:
    """Show the rows of another version. The columns keep their roles and labels where they are still there."""
    row = locked(session, key, saw)
    version = session.get(DatasetVersion, (key, number))
    if version is None:
        raise Missing("version", f"{key} {number}")
    if row.rows_version == number:
        return get(session, key)  # it is the one that is shown
    if version.columns is not None:
        now_said = {column["name"]: column for column in row.columns}
        row.columns = [now_said.get(c["name"], c) if _same_type(now_said, c) else c for c in version.columns]
        row.problems, row.through = list(version.problems or []), version.through
    row.rows_version, row.version, row.updated_at = number, row.version + 1, now()
    row.settings = _with_recipe(row.settings, version.recipe)
    session.flush()
    _follow(session, row)
    return get(session, key)


def _with_recipe(settings: dict[str, Any] | None, recipe: dict[str, Any] | None) -> dict[str, Any] | None:
    """The next file is read as the one was whose rows are shown."""
    rest = {key: value for key, value in (settings or {}).items() if key != "recipe"}
    return (rest | {"recipe": recipe} if recipe else rest) or None


def _same_type(said: dict[str, Any], column: dict[str, Any]) -> bool:
    return column["name"] in said and said[column["name"]]["type"] == column["type"]


def update(
    session: Session,
    key: str,
    saw: int,
    name: str,
    columns: list[Column],
    through: dt.date | None,
    settings: dict[str, Any] | None = None,
) -> StoredDataset:
    """Change what is said about the rows. through: what is said of another period column holds no more; the day then
    follows the rows. Raises Missing, StaleVersion."""
    row = locked(session, key, saw)
    before = get(session, key)
    if before.kind != "live" and before.period != replace(before, columns=tuple(columns)).period:
        through = complete_through(every_row(session, before), columns)
        held = before.settings if settings is None else settings
        settings = {name: kept for name, kept in held.items() if name != "fixed_through"}
        own = raw(session, before)
        gone, found = findings(own, before.own), findings(own, [c for c in columns if c.origin == "rows"])
        kept = [problem for problem in before.problems if problem not in gone]
        row.problems = [asdict(problem) for problem in (*kept, *found)]
    row.name, row.through = name, through
    row.columns = [asdict(column) for column in columns if column.origin == "rows"]
    if settings is not None:
        row.settings = settings
    row.settings = (row.settings or {}) | _said_anew(Wide.of(row.settings or {}), columns).settings()
    row.version, row.updated_at = row.version + 1, now()
    session.flush()
    _follow(session, row, recount=False)
    return get(session, key)


def _said_anew(wide: Wide, columns: Sequence[Column]) -> Wide:
    """Further columns with the labels and roles that ``columns`` give them."""
    said = {column.name: column for column in columns if column.origin != "rows"}
    lookups = [
        replace(one, take=tuple((their, said.get(column.name, column)) for their, column in one.take))
        for one in wide.lookups
    ]
    derived = [replace(one, column=said.get(one.column.name, one.column)) for one in wide.derived]
    return Wide(tuple(lookups), tuple(derived))


def widen(session: Session, key: str, saw: int, wide: Wide, order: Mapping[str, Sequence[str]]) -> StoredDataset:
    """Have a dataset take these columns from others and derive those. Raises Missing, StaleVersion."""
    row = locked(session, key, saw)
    row.settings = (row.settings or {}) | wide.settings() | {"order": dict(order)}
    row.version, row.updated_at = row.version + 1, now()
    session.flush()
    _follow(session, row)
    return get(session, key)


def _refuse_names(dataset: StoredDataset, columns: Sequence[Column]) -> None:
    """Refuse rows with a column of the name of one that is looked up or derived. Raises Unreadable."""
    names = {column.name for column in columns}
    for column in dataset.wide.columns:
        if column.name in names:
            how = "is taken from another dataset" if column.origin == "lookup" else "is derived by a formula"
            raise Unreadable(
                f"The new rows have a column “{column.label}”, which {how} here. Take that one out on the dataset’s "
                "page, or rename the column of the file; nothing was changed."
            )


def _follow(session: Session, row: Dataset, *, recount: bool = True) -> None:
    """Have what rests on a dataset's rows follow them: the day it is complete through, where the period is looked up,
    and every dataset that takes columns from it. Raises Unreadable where these could no longer be taken."""
    dataset = get(session, row.id)
    period = next((column for column in dataset.columns if column.role == "period"), None)
    if recount and period and period.origin != "rows" and not dataset.settings.get("fixed_through"):
        row.through = complete_through(every_row(session, dataset), dataset.columns)
        session.flush()
    taking = takers(session, row.id)
    if not taking:
        return
    there = rows(session, dataset) if dataset.kind != "live" else None
    types = {column.name: column.type for column in dataset.columns}
    for one in taking:
        for lookup in one.wide.lookups:
            if lookup.dataset != row.id:
                continue
            _refuse_gone(one, lookup, types)
            if there is not None and (found := twice(there, lookup.there)):
                raise Unreadable(f"{told_twice(found, lookup.there)} “{one.name}” takes columns from it by that key.")
        taker = session.get_one(Dataset, one.id, with_for_update=True)
        taker.version, taker.updated_at = taker.version + 1, now()
        session.flush()
        _follow(session, taker)


def _refuse_gone(taker: StoredDataset, lookup: Lookup, types: Mapping[str, str]) -> None:
    for name, wanted in (*((their, None) for their in lookup.there), *((t, c.type) for t, c in lookup.take)):
        if name not in types or (wanted and types[name] != wanted):
            raise Unreadable(
                f"“{taker.name}” takes “{name}” from this dataset, and it would be gone or of another type. "
                "Change what it takes first; nothing was changed."
            )


def told_twice(found: Sequence[Twice], keys: Sequence[str]) -> str:
    """Which keys stand in more than one row, in words."""
    listed = "; ".join(f"“{one.key}” in rows {', '.join(str(row) for row in one.rows)}" for one in found[:5])
    more = f" and {len(found) - 5} more" if len(found) > 5 else ""
    return f"{' and '.join(keys)} should name one row each, but {listed}{more}. Mend the table; nothing was changed."


def _write(
    session: Session,
    row: Dataset,
    number: int,
    file_name: str,
    table: Table | LongTable,
    how: str,
    told: dict[str, Any] | None,
    through: dt.date | None,
    tell: Tell,
    *,
    shown: bool = True,
) -> None:
    """Write a version's rows and make it the visible one unless it is only kept, in the caller's transaction."""
    columns = [asdict(column) for column in table.columns]
    problems = [asdict(problem) for problem in table.problems]
    before, rows = row.rows_version, table.rows
    version = DatasetVersion(
        dataset_id=row.id,
        number=number,
        file_name=file_name[:200],
        row_count=table.rows.height,
        created_at=now(),
        how=how,
        changes=told,
        columns=columns,
        problems=problems,
        through=through,
        saved_by=author.get(),
        recipe=table.recipe,
    )
    session.add(version)
    if shown:
        row.settings = _with_recipe(row.settings, table.recipe) if table.recipe else row.settings
        row.columns, row.problems, row.through, row.rows_version = columns, problems, through, number
        if number > 1:
            row.version, row.updated_at = row.version + 1, now()
    session.flush()
    first = kept = 0
    if isinstance(rows, Joined):  # what stays is not sent back and forth
        first, kept, rows = _copy_pieces(session, row.id, before, number), rows.height - rows.second.height, rows.second
    for place, (body, height) in enumerate(_in_turn(rows), start=first):
        session.add(DatasetSegment(dataset_id=row.id, number=number, place=place, body=body))
        session.flush()
        session.expunge_all()  # a piece once sent need not stay in memory
        kept += height
        tell(kept / max(1, table.rows.height))
    row = session.get_one(Dataset, row.id)
    if number > 1 and shown:
        worked_out.forget(session, row.id)
        _follow(session, row)
    _prune(session, row.id, row.rows_version, int((row.settings or {}).get("keep_versions", KEPT_VERSIONS)))


def _copy_pieces(session: Session, key: str, before: int, number: int) -> int:
    """Have all rows of one version in another; how many pieces they are."""
    of = DatasetSegment.dataset_id == key, DatasetSegment.number == before
    columns = DatasetSegment.dataset_id, literal(number), DatasetSegment.place, DatasetSegment.body
    names = ["dataset_id", "number", "place", "body"]
    session.execute(insert(DatasetSegment).from_select(names, select(*columns).where(*of)))
    return session.scalar(select(func.count()).where(*of)) or 0


def _in_turn(rows: Rows) -> Iterator[Piece]:
    """Rows as pieces. Those that are to be made are made ahead; those that are there may come from this very session."""
    return _ahead(in_pieces(rows)) if isinstance(rows, pl.DataFrame) else pieces_of(rows)


def _ahead(pieces: Iterator[Piece]) -> Iterator[Piece]:
    """The same, the next one made while whoever asked is at the one before."""
    with ThreadPoolExecutor(1) as pool:
        coming = pool.submit(next, pieces, None)
        while (piece := coming.result()) is not None:
            coming = pool.submit(next, pieces, None)
            yield piece


def _prune(session: Session, key: str, shown: int, keep: int) -> None:
    """Give up old versions of the rows: the last ``keep`` stay, and of those before them one a day, that of the
    evening. A checklist that is ticked all day would else keep every tick for ever."""
    query = select(DatasetVersion.number, DatasetVersion.created_at).where(DatasetVersion.dataset_id == key)
    found = session.execute(query.order_by(DatasetVersion.number.desc())).all()
    days, gone = set(), []
    for number, created_at in found[keep:]:
        if created_at.date() in days and number != shown:
            gone.append(number)
        days.add(created_at.date())
    for table in (DatasetSegment, DatasetVersion):
        session.execute(delete(table).where(table.dataset_id == key, table.number.in_(gone)))


def _last_number(session: Session, key: str) -> int:
    return session.scalar(select(func.max(DatasetVersion.number)).where(DatasetVersion.dataset_id == key)) or 0


def _plain(told: Changes) -> dict[str, Any]:
    return {name: value.isoformat() if isinstance(value, dt.date) else value for name, value in asdict(told).items()}
