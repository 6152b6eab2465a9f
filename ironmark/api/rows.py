"""The rows of a dataset: a look at them and at each column, and their versions."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Hashable
from contextlib import nullcontext
from dataclasses import replace
from typing import Any, TypeVar

import polars as pl
from fastapi import APIRouter, BackgroundTasks, Depends, Header, Path, Query, Response, UploadFile
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.dataset import DatasetOut, ProblemOut, dataset_answer
from ironmark.api.upload_files import Staged, file_name_of
from ironmark.api.versions import seen_version
from ironmark.core.numbers import MINUS, NumberStyle, group, show_day
from ironmark.pages.datasets.intake import keep_next, reading_of, refuse_live
from ironmark.pages.datasets.summaries import summaries
from ironmark.pages.model.problems import Refused
from ironmark.store import dataset_secrets, dataset_versions, datasets
from ironmark.store.database import Missing
from ironmark.store.datasets import StoredDataset
from ironmark.tables.celltypes import Decimal
from ironmark.tables.column_looks import BINS, FURTHEST, Look, TooFar, look_at, some_rows
from ironmark.tables.findings import late_rows, spellings
from ironmark.tables.pieces import Rows
from ironmark.tables.refresh import How
from ironmark.tables.table import Column
from ironmark.work.looking_ahead import look_ahead

router = APIRouter(prefix="/api/datasets/{key}", tags=["datasets"])
FIRST_ROWS = 12
T = TypeVar("T")
MOST_MEMBERS = 500


class ColumnSummary(BaseModel):
    name: str
    blanks: int
    distinct: int
    smallest: str
    largest: str


class RowsOut(BaseModel):
    """The first rows, every cell as text, a summary of each column, and what is found in the rows as they stand."""

    columns: list[str]
    rows: list[list[str]]
    summary: list[ColumnSummary]
    problems: list[ProblemOut]


class RowsPage(BaseModel):
    """Some rows of those that were asked for, every cell as text. total: how many there are of them in all."""

    rows: list[list[str]]
    total: int


class Bar(BaseModel):
    label: str
    count: int


class MemberOut(BaseModel):
    """A member as the rows spell it, how many have it, and the member it stands for where it was merged."""

    name: str
    count: int
    stands_for: str | None
    suggested: str | None


class ColumnLook(BaseModel):
    """One column: its distribution as bars, and its members, in the order they are shown."""

    name: str
    rows: int
    blanks: int
    distinct: int
    smallest: str
    largest: str
    mean: str
    bars: list[Bar]
    members: list[MemberOut]
    more: int  # members beyond those listed


class VersionOut(BaseModel):
    number: int
    file_name: str
    row_count: int
    created_at: str
    how: str
    changes: dict[str, Any] | None
    saved_by: str
    shown: bool


class Token(BaseModel):
    """What a machine sends as ``Authorization: Bearer …``; told once."""

    token: str


def _rows(who: Reader, session: Session, dataset: StoredDataset, apart: str = "") -> Rows:
    """All rows, with the spellings of the column ``apart`` as they came; of a live source the first of them."""
    if dataset.kind == "live":
        table = who.sources.table_of(session, dataset)
        return replace(table, merges=dataset.merges_but(apart)).first(2000)
    return who.sources.rows_of(session, dataset, apart)


def _once(who: Reader, key: Hashable, dataset: StoredDataset, look: Callable[[], T]) -> T:
    """What is seen in rows; in those that are kept it is looked for once for each version of them."""
    return look() if dataset.kind == "live" else who.sources.seen.several({0: key}, lambda _: {0: look()})[0]


@router.get("/rows")
def first_rows(key: str, who: Reader = Depends(reader)) -> RowsOut:
    with who.read() as session:
        dataset = datasets.get(session, key)
        rows, style = _rows(who, session, dataset), who.context(session).style
        looks = summaries(who.sources, session, dataset, rows)
    late = late_rows(rows, dataset.period, dataset.through)
    return RowsOut(
        columns=list(rows.columns),
        rows=_cells(rows.slice(0, FIRST_ROWS), style),
        summary=[_summary(name, look, style) for name, look in looks.items()],
        problems=[ProblemOut(message=late.message, column=late.column, rows=[])] if late else [],
    )


@router.get("/rows/page")
def page_of_rows(
    key: str,
    offset: int = Query(0, ge=0, le=1_000_000_000),
    limit: int = Query(FIRST_ROWS, ge=1, le=500),
    sort: str | None = Query(None, max_length=80),
    down: bool = False,
    find: str = Query("", max_length=200),
    who: Reader = Depends(reader),
) -> RowsPage:
    """Rows sorted by a column, blanks last, and those alone that hold a text in any of their cells."""
    with who.read() as session:
        dataset = datasets.get(session, key)
        rows, style = _rows(who, session, dataset), who.context(session).style
    if sort is not None and sort not in rows.columns:
        raise Refused(422, "no-column", "No such column", f"The dataset has no column “{sort}” to sort by.")
    try:
        with who.looking_at(rows) if sort or find else nullcontext():
            found = some_rows(rows, offset, limit, sort, down, find)
    except TooFar:
        detail = f"Of so many rows the first {FURTHEST:,} are put in an order. Narrow them by a text, or look from the other end."
        raise Refused(422, "too-far", "That is too far down", detail) from None
    return RowsPage(rows=_cells(found.rows, style), total=found.total)


def _cells(rows: pl.DataFrame, style: NumberStyle) -> list[list[str]]:
    return [[_cell(cell, style)[:200] for cell in row] for row in rows.rows()]


def _summary(name: str, look: Look, style: NumberStyle) -> ColumnSummary:
    return ColumnSummary(
        name=name,
        blanks=look.blanks,
        distinct=look.distinct,
        smallest=_cell(look.smallest, style)[:80],
        largest=_cell(look.largest, style)[:80],
    )


def _cell(cell: Any, style: NumberStyle) -> str:
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, dt.date):
        return show_day(cell, style)
    return group(f"{cell:.10g}", style).replace("-", MINUS) if isinstance(cell, float) else str(cell)


@router.get("/columns/{name}")
def get_column(key: str, name: str, who: Reader = Depends(reader)) -> ColumnLook:
    with who.read() as session:
        dataset = datasets.get(session, key)
        column = next((c for c in dataset.columns if c.name == name), None)
        if column is None:
            raise Missing("column", name)
        rows, style = _rows(who, session, dataset, name), who.context(session).style
    members = column.role == "segment"

    def found() -> Look:
        with who.looking_at(rows):
            return look_at(rows, name, column.type, members)

    look = _once(who, ("look", dataset.id, dataset.version, name), dataset, found)
    merges, order = dataset.merges.get(name, {}), dataset.order.get(name, [])
    listed, more = _members(look.counts or [], column, merges, order)
    return ColumnLook(
        **_summary(name, look, style).model_dump(),
        rows=look.rows,
        mean=_cell(float(f"{look.mean:.6g}"), style) if look.mean is not None else "",
        bars=_bars(look, column, style),
        members=listed,
        more=more,
    )


def _members(
    counted: list[tuple[Any, int]], column: Column, merges: dict[str, str], order: list[str]
) -> tuple[list[MemberOut], int]:
    """The first members, and how many more there are."""
    if column.role != "segment":
        return [], 0
    counts = {str(name).lower() if isinstance(name, bool) else str(name): count for name, count in counted}
    likely: dict[str, str] = dict(
        spellings([name for name, _ in sorted(counts.items(), key=lambda one: (-one[1], one[0]))])
    )
    counts |= {name: 0 for name in merges if name not in counts}
    place = {name: at for at, name in enumerate(order)}

    def shown(name: str) -> tuple[int, str, bool, str]:
        """As ordered, then by name; a spelling behind the member it stands for."""
        stands_for = merges.get(name) or name
        return place.get(stands_for, len(place)), stands_for, name in merges, name

    names = sorted(counts, key=shown)
    found = []
    for name in names[:MOST_MEMBERS]:
        alike = likely.get(name)
        if name in merges or (alike is not None and alike in merges):
            alike = None
        found.append(MemberOut(name=name, count=counts[name], stands_for=merges.get(name), suggested=alike))
    return found, len(names) - len(found)


def _bars(look: Look, column: Column, style: NumberStyle) -> list[Bar]:
    """How the values are spread: in even steps, or the most frequent ones."""
    if column.type == "flag":
        counts = dict(look.counts or [])
        return (
            [Bar(label="yes", count=counts.get(True, 0)), Bar(label="no", count=counts.get(False, 0))] if counts else []
        )
    if column.type == "text":
        return [Bar(label=str(name)[:60], count=count) for name, count in (look.counts or [])[:BINS]]
    if len(look.steps) == 1:
        return [Bar(label=_cell(look.smallest, style), count=look.steps[0])]
    return [
        Bar(label=_edges(start, end, column, style), count=count)
        for start, end, count in zip(look.edges, look.edges[1:], look.steps, strict=False)
    ]


def _edges(start: float, end: float, column: Column, style: NumberStyle) -> str:
    if column.type == "date":
        first = dt.date(1970, 1, 1)
        return f"{first + dt.timedelta(days=int(start))} to {first + dt.timedelta(days=int(end))}"
    return f"{_cell(float(f'{start:.4g}'), style)} to {_cell(float(f'{end:.4g}'), style)}"


@router.get("/versions")
def list_versions(key: str, who: Reader = Depends(reader)) -> list[VersionOut]:
    with who.read() as session:
        shown = datasets.get(session, key).rows_version
        found = datasets.versions(session, key)
    return [
        VersionOut(**{**vars(v), "created_at": v.created_at.isoformat() + "Z"}, shown=v.number == shown) for v in found
    ]


@router.post("/versions/{number}/show")
def show_version(
    key: str,
    response: Response,
    later: BackgroundTasks,
    number: int = Path(ge=1, le=1_000_000),
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Return to the rows of another version. Nothing is lost: the versions after it stay."""
    saw = seen_version(if_match)
    with who.write() as session:
        dataset = dataset_versions.go_back(session, key, saw, number)
        later.add_task(look_ahead, who.sources, key)
        return dataset_answer(session, response, dataset)


@router.post("/rows")
def put_rows(
    key: str,
    file: UploadFile,
    response: Response,
    later: BackgroundTasks,
    how: How = Query("replace"),
    sheet: str | None = Query(None, max_length=120),
    decimal: Decimal | None = Query(None),
    force: bool = Query(False),
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Put new rows in: ``replace`` all, ``append``, or replace those of the days the file covers (``periods``).

    Rows that no longer fit how those before were read are refused with 409 and what differs; ``force`` takes them.
    A machine names its token in Authorization and needs no If-Match.
    """
    saw = None if who.is_machine else seen_version(if_match)
    name = file_name_of(file)
    with Staged.of(file) as sent:
        with who.read() as session:
            held = datasets.get(session, key)
            refuse_live(held)
            reading = reading_of(session, held, None, sheet, decimal)
        read = reading.of_file(sent.path, name, sent.pieces, who.sources.room)
        with who.write() as session:
            dataset = keep_next(session, key, saw, name, read, how, force=force)
            later.add_task(look_ahead, who.sources, key)
            return dataset_answer(session, response, dataset)


@router.post("/token")
def make_token(key: str, who: Reader = Depends(reader)) -> Token:
    """A new token for uploads by machines; the one before no longer holds."""
    with who.write() as session:
        return Token(token=dataset_secrets.new_token(session, key))
