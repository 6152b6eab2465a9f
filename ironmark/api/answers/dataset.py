"""A dataset as it is answered."""

from __future__ import annotations

import datetime as dt
from typing import Literal

from fastapi import Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.core.periods import RowGrain
from ironmark.pages.datasets.lookup_columns import (
    DerivedBody,
    KeyBody,
    LookupBody,
    TakenBody,
)
from ironmark.pages.model.kpi import NamedDate
from ironmark.store import records, refreshes
from ironmark.store.datasets import StoredDataset
from ironmark.tables.connections import Tls
from ironmark.tables.dialects import Protocol
from ironmark.tables.table import ROLES, Origin, Role


class ColumnOut(BaseModel):
    name: str
    label: str
    type: Literal["number", "text", "date", "flag"]
    role: Role
    roles: list[Role]  # those its type allows
    origin: Origin


ByClock = Literal["waiting", "running", "failed", "held"]


class ConnectionOut(BaseModel):
    """How a live source is reached; its password goes nowhere."""

    host: str
    port: int
    database: str
    user: str
    table: str
    protocol: Protocol
    tls: Tls
    seconds: int  # that one statement may take


class ComputedKpi(BaseModel):
    """A KPI that is computed from the dataset."""

    id: str
    name: str


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
    grain: RowGrain  # how fine the periods of its rows are
    fixed_through: bool  # said by somebody; else it follows the rows
    updated_at: str
    kpis: list[ComputedKpi]
    kind: Literal["file", "sheet", "checklist", "live"]
    merges: dict[str, dict[str, str]]
    has_token: bool
    rows_version: int
    named_dates: list[NamedDate]
    keep_versions: int  # of the rows, besides one a day of those before them
    connection: ConnectionOut | None
    folder: str | None  # of files that are read where they are
    lookups: list[LookupBody]
    derived: list[DerivedBody]
    by_clock: ByClock | None  # how that goes, where its rows are read by the clock


def dataset_out(
    dataset: StoredDataset, users: dict[str, list[ComputedKpi]], by_clock: dict[str, str] | None = None
) -> DatasetOut:
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
        grain=dataset.grain,
        fixed_through=bool(dataset.settings.get("fixed_through")),
        updated_at=dataset.updated_at.isoformat() + "Z",
        kpis=users.get(dataset.id, []),
        kind=dataset.kind,
        merges=dataset.merges,
        has_token=dataset.has_token,
        rows_version=dataset.rows_version,
        named_dates=[NamedDate(**one) for one in dataset.named_dates],
        keep_versions=dataset.keep_versions,
        connection=ConnectionOut(**dataset.connection) if dataset.connection else None,
        folder=dataset.folder,
        lookups=[
            LookupBody(
                dataset=one.dataset,
                on=[KeyBody(here=mine, there=theirs) for mine, theirs in one.on],
                take=[TakenBody(column=their, name=c.name, label=c.label, role=c.role) for their, c in one.take],
            )
            for one in dataset.wide.lookups
        ],
        derived=[
            DerivedBody(name=one.column.name, label=one.column.label, formula=one.formula, role=one.column.role)
            for one in dataset.wide.derived
        ],
        by_clock=(by_clock or {}).get(dataset.id),  # type: ignore[arg-type]
    )


def users_of(session: Session) -> dict[str, list[ComputedKpi]]:
    """The KPIs of each dataset."""
    users: dict[str, list[ComputedKpi]] = {}
    for kpi in records.list_all(session, "kpi"):
        users.setdefault(kpi.body["dataset"], []).append(ComputedKpi(id=kpi.id, name=kpi.body["name"]))
    return users


def dataset_answer(session: Session, response: Response, dataset: StoredDataset) -> DatasetOut:
    """A dataset as it is now, its version in ETag."""
    response.headers["ETag"] = f'"{dataset.version}"'
    row = refreshes.get(session, dataset.id)
    return dataset_out(dataset, users_of(session), {dataset.id: row.state} if row else None)
