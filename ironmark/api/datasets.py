"""Datasets: upload, columns and roles, first rows, problems found."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

from fastapi import APIRouter, BackgroundTasks, Depends, Header, Query, Response, UploadFile
from pydantic import Field

from ironmark.api.access import Reader, reader
from ironmark.api.answers.dataset import DatasetOut, dataset_answer, dataset_out, users_of
from ironmark.api.upload_files import Staged, body_of, file_name_of, name_from
from ironmark.api.versions import seen_version
from ironmark.pages.datasets import refreshing
from ironmark.pages.datasets.intake import keep_new, reading_of, require_room
from ironmark.pages.datasets.lookup_columns import (
    refuse_role,
    refuse_two_periods,
)
from ironmark.pages.model.field_types import Member, Model, Name
from ironmark.pages.model.kpi import NamedDate
from ironmark.pages.model.problems import Refused
from ironmark.store import dataset_versions, datasets, refreshes
from ironmark.store.datasets import StoredDataset
from ironmark.tables.celltypes import Decimal
from ironmark.tables.formats import sheet_names
from ironmark.tables.table import Column, Role, complete_through
from ironmark.work.looking_ahead import look_ahead

router = APIRouter(prefix="/api/datasets", tags=["datasets"], dependencies=[Depends(reader)])


class ColumnChange(Model):
    name: str = Field(max_length=80)
    label: Name
    role: Role
    merges: dict[Member, Member] | None = Field(None, max_length=2000)  # None leaves them as they are
    order: list[Member] | None = Field(None, max_length=5000)


class DatasetChange(Model):
    """``through``: the day the rows are complete through; null has it follow the rows again, left out keeps it.
    ``named_dates``: days from which its rows are otherwise, and why; null leaves them.
    ``keep_versions``: how many versions of the rows are kept, besides one a day; null leaves it as it is."""

    name: Name
    through: dt.date | None = None
    columns: list[ColumnChange]
    named_dates: list[NamedDate] | None = Field(None, max_length=60)
    keep_versions: int | None = Field(None, ge=1, le=10_000)


@router.get("")
def list_datasets(who: Reader = Depends(reader)) -> list[DatasetOut]:
    with who.read() as session:
        users = users_of(session)
        by_clock = {row.dataset_id: row.state for row in refreshes.list_all(session)}
        return [dataset_out(dataset, users, by_clock) for dataset in datasets.list_all(session)]


@router.post("/sheets")
def list_sheets(file: UploadFile, who: Reader = Depends(reader)) -> list[str]:
    """The sheets of a workbook that have cells, to choose from; none for any other file."""
    body = body_of(file)
    require_room(body, who.sources.room, rows=False)
    return sheet_names(body)


@router.post("", status_code=201)
def upload_dataset(
    file: UploadFile,
    response: Response,
    sheet: str | None = Query(None, max_length=120),
    decimal: Decimal | None = Query(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Read a file and keep it as a new dataset; ``sheet`` names one of a workbook."""
    file_name = file_name_of(file)
    with Staged.of(file) as sent:
        with who.read() as session:
            reading = reading_of(session, None, None, sheet, decimal)
        read = reading.of_file(sent.path, file_name, sent.pieces, who.sources.room)
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
    later: BackgroundTasks,
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
                through = complete_through(datasets.every_row(session, dataset), columns)
        elif change.through is not None and change.through != dataset.through:
            through, settings["fixed_through"] = change.through, True
        dataset = dataset_versions.update(session, key, saw, change.name, columns, through, settings)
        later.add_task(look_ahead, who.sources, key)
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
        **({} if change.named_dates is None else {"named_dates": [one.model_dump() for one in change.named_dates]}),
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
