"""Datasets: upload, columns and roles, first rows, problems found."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from pathlib import PurePath
from typing import Any, Literal

from fastapi import APIRouter, Depends, Header, Query, Response, UploadFile
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.versions import seen_version
from ironmark.core.periods import RowGrain
from ironmark.pages.datasets import refreshing
from ironmark.pages.datasets.intake import keep_new, reading_of
from ironmark.pages.datasets.lookup_columns import (
    DerivedBody,
    KeyBody,
    LookupBody,
    TakenBody,
    refuse_role,
    refuse_two_periods,
)
from ironmark.pages.model.documents import Member, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.store import datasets, records, refreshes
from ironmark.store.datasets import StoredDataset
from ironmark.tables.celltypes import Decimal
from ironmark.tables.connections import Tls
from ironmark.tables.dialects import Protocol
from ironmark.tables.formats import sheet_names
from ironmark.tables.table import ROLES, Column, Origin, Role, complete_through

router = APIRouter(prefix="/api/datasets", tags=["datasets"], dependencies=[Depends(reader)])
MAX_BYTES = 256 * 1024 * 1024


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
    keep_versions: int  # of the rows, besides one a day of those before them
    connection: ConnectionOut | None
    folder: str | None  # of files that are read where they are
    lookups: list[LookupBody]
    derived: list[DerivedBody]
    by_clock: ByClock | None  # how that goes, where its rows are read by the clock


class ColumnChange(Model):
    name: str = Field(max_length=80)
    label: Name
    role: Role
    merges: dict[Member, Member] | None = Field(None, max_length=2000)  # None leaves them as they are
    order: list[Member] | None = Field(None, max_length=5000)


class DatasetChange(Model):
    """``through``: the day the rows are complete through; null has it follow the rows again, left out keeps it.
    ``keep_versions``: how many versions of the rows are kept, besides one a day; null leaves it as it is."""

    name: Name
    through: dt.date | None = None
    columns: list[ColumnChange]
    keep_versions: int | None = Field(None, ge=1, le=10_000)


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
    for kpi in records.every(session, "kpi"):
        users.setdefault(kpi.body["dataset"], []).append(ComputedKpi(id=kpi.id, name=kpi.body["name"]))
    return users


def dataset_answer(session: Session, response: Response, dataset: StoredDataset) -> DatasetOut:
    """A dataset as it is now, its version in ETag."""
    response.headers["ETag"] = f'"{dataset.version}"'
    row = refreshes.get(session, dataset.id)
    return dataset_out(dataset, users_of(session), {dataset.id: row.state} if row else None)


@router.get("")
def list_datasets(who: Reader = Depends(reader)) -> list[DatasetOut]:
    with who.read() as session:
        users = users_of(session)
        by_clock = {row.dataset_id: row.state for row in refreshes.every(session)}
        return [dataset_out(dataset, users, by_clock) for dataset in datasets.every(session)]


def body_of(file: UploadFile) -> bytes:
    body = file.file.read(MAX_BYTES + 1)
    if len(body) > MAX_BYTES:
        raise Refused(
            413,
            "file-too-large",
            "The file is too large",
            "At most 256 MB can be uploaded. Split it, or leave out columns.",
        )
    return body


def file_name_of(file: UploadFile) -> str:
    return clean_name(file.filename or "table.csv")


def clean_name(name: str) -> str:
    """The name of a file without where it lies."""
    return PurePath(name.replace("\\", "/")).name[:200] or "table.csv"


def name_from(file_name: str) -> str:
    """What a dataset is called after its file."""
    name = PurePath(file_name).stem.replace("_", " ").replace("-", " ").strip()[:120] or "Table"
    return name[:1].upper() + name[1:]


@router.post("/sheets")
def list_sheets(file: UploadFile) -> list[str]:
    """The sheets of a workbook that have cells, to choose from; none for any other file."""
    return sheet_names(body_of(file))


@router.post("", status_code=201)
def upload_dataset(
    file: UploadFile,
    response: Response,
    sheet: str | None = Query(None, max_length=120),
    decimal: Decimal | None = Query(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Read a file and keep it as a new dataset; ``sheet`` names one of a workbook."""
    body, file_name = body_of(file), file_name_of(file)
    with who.read() as session:
        reading = reading_of(session, None, None, sheet, decimal)
    read = reading.of(body, file_name)
    with who.write() as session:
        dataset = keep_new(session, name_from(file_name), file_name, read)
    response.headers["ETag"] = f'"{dataset.version}"'
    return dataset_out(dataset, {})


@router.get("/{key}")
def get_dataset(key: str, response: Response, who: Reader = Depends(reader)) -> DatasetOut:
    with who.read() as session:
        return dataset_answer(session, response, datasets.get(session, key))


@router.patch("/{key}")
def change_dataset(
    key: str,
    change: DatasetChange,
    response: Response,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Rename, change the roles of columns, or say through which day the rows are complete."""
    saw = seen_version(if_match)
    with who.write() as session:
        dataset = datasets.get(session, key)
        columns = _changed(dataset.columns, change.columns)
        settings = _settings(dataset, change)
        through = dataset.through
        if "through" in change.model_fields_set and change.through is None:
            settings.pop("fixed_through", None)
            if dataset.kind != "live":
                through = complete_through(datasets.rows(session, dataset), columns)
        elif change.through is not None and change.through != dataset.through:
            through, settings["fixed_through"] = change.through, True
        dataset = datasets.update(session, key, saw, change.name, columns, through, settings)
        return dataset_answer(session, response, dataset)


def _settings(dataset: StoredDataset, change: DatasetChange) -> dict[str, Any]:
    """What is kept about members: spellings that stand for another member, and their order."""
    merges, order = dataset.merges, dataset.order
    for column in change.columns:
        if column.merges is not None:
            merges[column.name] = _straight(column.merges)
        if column.order is not None:
            order[column.name] = list(dict.fromkeys(column.order))
    return {
        **dataset.settings,
        **({} if change.keep_versions is None else {"keep_versions": change.keep_versions}),
        "merges": {name: found for name, found in merges.items() if found},
        "order": {name: found for name, found in order.items() if found},
    }


def _straight(merges: dict[str, str]) -> dict[str, str]:
    """Spellings straight to the member they end at. Refuses a circle."""
    found = {}
    for spelling in merges:
        end, seen = spelling, {spelling}
        while end in merges:
            end = merges[end]
            if end in seen:
                where = f"“{spelling}” and “{end}” stand for each other. Take one of the two out."
                raise Refused(422, "circle", "Two spellings stand for each other", where)
            seen.add(end)
        found[spelling] = end
    return found


def _changed(columns: tuple[Column, ...], changes: list[ColumnChange]) -> list[Column]:
    wanted = {change.name: change for change in changes}
    unknown = [name for name in wanted if name not in {column.name for column in columns}]
    if unknown:
        raise Refused(422, "no-column", "No such column", f"There is no column “{unknown[0]}” in this dataset.")
    result = []
    for column in columns:
        change = wanted.get(column.name)
        if change:
            refuse_role(column.type, change.role, column.label, column.name)
        result.append(replace(column, label=change.label, role=change.role) if change else column)
    refuse_two_periods(result)
    return result


@router.delete("/{key}", status_code=204)
def delete_dataset(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    saw = seen_version(if_match)
    with who.write() as session:
        users = users_of(session).get(key, [])
        if users:
            raise Refused(
                409,
                "in-use",
                "The dataset is in use",
                f"{len(users)} KPIs are computed from it: {', '.join(user.name for user in users[:5])}. Delete or move those first.",
            )
        if taking := datasets.takers(session, key):
            detail = f"{', '.join(one.name for one in taking[:5])} take columns from it. Change those first."
            raise Refused(409, "in-use", "The dataset is in use", detail)
        if pictures := refreshing.is_read_by(session, key):
            named = ", ".join(datasets.get(session, row.dataset_id).name for row in pictures[:5])
            detail = f"{named} take pictures of it by the clock. Stop that first."
            raise Refused(409, "in-use", "The dataset is in use", detail)
        datasets.remove(session, key, saw)
