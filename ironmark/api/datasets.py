"""Datasets: upload, columns and roles, first rows, problems found."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from pathlib import PurePath
from typing import Any, Literal

from fastapi import APIRouter, Depends, Header, Query, Response, UploadFile
from pydantic import BaseModel, Field

from ironmark.api.desk import Desk, desk, seen_version
from ironmark.api.documents import Model, Name
from ironmark.api.problems import Refused
from ironmark.core.numbers import MINUS
from ironmark.store import datasets, records
from ironmark.store.datasets import StoredDataset
from ironmark.tables.formats import read_file, sheet_names
from ironmark.tables.reader import ROLES, Column, Role

router = APIRouter(prefix="/api/datasets", tags=["datasets"])
MAX_BYTES = 256 * 1024 * 1024
FIRST_ROWS = 12


class ColumnOut(BaseModel):
    name: str
    label: str
    type: Literal["number", "text", "date", "flag"]
    role: Role
    roles: list[Role]  # those its type allows


class ProblemOut(BaseModel):
    message: str
    column: str | None
    rows: list[int]


class DatasetOut(BaseModel):
    id: str
    version: int
    name: str
    file_name: str
    row_count: int
    columns: list[ColumnOut]
    problems: list[ProblemOut]
    through: dt.date | None
    updated_at: str
    kpis: list[str]


class ColumnSummary(BaseModel):
    name: str
    blanks: int
    distinct: int
    smallest: str
    largest: str


class RowsOut(BaseModel):
    """The first rows, every cell as text, and a summary of each column."""

    columns: list[str]
    rows: list[list[str]]
    summary: list[ColumnSummary]


class ColumnChange(Model):
    name: str = Field(max_length=80)
    label: Name
    role: Role


class DatasetChange(Model):
    name: Name
    through: dt.date | None = None
    columns: list[ColumnChange]


def _out(dataset: StoredDataset, users: dict[str, list[str]]) -> DatasetOut:
    return DatasetOut(
        id=dataset.id,
        version=dataset.version,
        name=dataset.name,
        file_name=dataset.file_name,
        row_count=dataset.row_count,
        columns=[
            ColumnOut(**vars(c), roles=[role for role, types in ROLES.items() if c.type in types])
            for c in dataset.columns
        ],
        problems=[ProblemOut(message=p.message, column=p.column, rows=list(p.rows)) for p in dataset.problems],
        through=dataset.through,
        updated_at=dataset.updated_at.isoformat() + "Z",
        kpis=users.get(dataset.id, []),
    )


def _users(session: Any) -> dict[str, list[str]]:
    """The names of the KPIs of each dataset."""
    users: dict[str, list[str]] = {}
    for kpi in records.every(session, "kpi"):
        users.setdefault(kpi.body["dataset"], []).append(kpi.body["name"])
    return users


@router.get("")
def list_datasets(at: Desk = Depends(desk)) -> list[DatasetOut]:
    with at.read() as session:
        users = _users(session)
        return [_out(dataset, users) for dataset in datasets.every(session)]


def _body(file: UploadFile) -> bytes:
    body = file.file.read(MAX_BYTES + 1)
    if len(body) > MAX_BYTES:
        raise Refused(
            413,
            "file-too-large",
            "The file is too large",
            "At most 256 MB can be uploaded. Split it, or leave out columns.",
        )
    return body


@router.post("/sheets")
def list_sheets(file: UploadFile) -> list[str]:
    """The sheets of a workbook that have cells, to choose from; none for any other file."""
    return sheet_names(_body(file))


@router.post("", status_code=201)
def upload_dataset(
    file: UploadFile,
    response: Response,
    sheet: str | None = Query(None, max_length=120),
    at: Desk = Depends(desk),
) -> DatasetOut:
    """Read a file and keep it as a new dataset; ``sheet`` names one of a workbook."""
    body = _body(file)
    table = read_file(body, sheet)
    file_name = PurePath((file.filename or "table.csv").replace("\\", "/")).name[:200] or "table.csv"
    name = PurePath(file_name).stem.replace("_", " ").replace("-", " ").strip()[:120] or "Table"
    with at.write() as session:
        dataset = datasets.create(session, name[:1].upper() + name[1:], file_name, table)
    response.headers["ETag"] = f'"{dataset.version}"'
    return _out(dataset, {})


@router.get("/{key}")
def get_dataset(key: str, response: Response, at: Desk = Depends(desk)) -> DatasetOut:
    with at.read() as session:
        dataset = datasets.get(session, key)
        response.headers["ETag"] = f'"{dataset.version}"'
        return _out(dataset, _users(session))


@router.get("/{key}/rows")
def first_rows(key: str, at: Desk = Depends(desk)) -> RowsOut:
    with at.read() as session:
        dataset = datasets.get(session, key)
        frame = datasets.rows(session, dataset)
    summary = []
    for column in dataset.columns:
        cells = frame[column.name].drop_nulls()
        ends = [cells.min(), cells.max()] if len(cells) else ["", ""]
        summary.append(
            ColumnSummary(
                name=column.name,
                blanks=frame.height - len(cells),
                distinct=cells.n_unique(),
                smallest=_cell(ends[0])[:80],
                largest=_cell(ends[1])[:80],
            )
        )
    rows = [[_cell(cell)[:200] for cell in row] for row in frame.head(FIRST_ROWS).rows()]
    return RowsOut(columns=frame.columns, rows=rows, summary=summary)


def _cell(cell: Any) -> str:
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    return f"{cell:.10g}".replace("-", MINUS) if isinstance(cell, float) else str(cell)


@router.patch("/{key}")
def change_dataset(
    key: str,
    change: DatasetChange,
    response: Response,
    if_match: str | None = Header(None),
    at: Desk = Depends(desk),
) -> DatasetOut:
    """Rename, change the roles of columns, or say through which day the rows are complete."""
    saw = seen_version(if_match)
    with at.write() as session:
        dataset = datasets.get(session, key)
        columns = _changed(dataset.columns, change.columns)
        dataset = datasets.update(session, key, saw, change.name, columns, change.through or dataset.through)
        users = _users(session)
    response.headers["ETag"] = f'"{dataset.version}"'
    return _out(dataset, users)


def _changed(columns: tuple[Column, ...], changes: list[ColumnChange]) -> list[Column]:
    wanted = {change.name: change for change in changes}
    unknown = [name for name in wanted if name not in {column.name for column in columns}]
    if unknown:
        raise Refused(422, "no-column", "No such column", f"There is no column “{unknown[0]}” in this dataset.")
    result = []
    for column in columns:
        change = wanted.get(column.name)
        if change and column.type not in ROLES[change.role]:
            needs = " or ".join(ROLES[change.role])
            raise Refused(
                422,
                "role-does-not-fit",
                "This role does not fit the column",
                f"“{column.label}” holds {column.type} cells; the role {change.role} needs {needs}.",
                {"field": column.name},
            )
        result.append(replace(column, label=change.label, role=change.role) if change else column)
    if sum(column.role == "period" for column in result) > 1:
        raise Refused(422, "two-periods", "Two columns are the period", "Give one of them another role first.")
    return result


@router.delete("/{key}", status_code=204)
def delete_dataset(key: str, if_match: str | None = Header(None), at: Desk = Depends(desk)) -> None:
    saw = seen_version(if_match)
    with at.write() as session:
        users = _users(session).get(key, [])
        if users:
            raise Refused(
                409,
                "in-use",
                "The dataset is in use",
                f"{len(users)} KPIs are computed from it: {', '.join(users[:5])}. Delete or move those first.",
            )
        datasets.remove(session, key, saw)
