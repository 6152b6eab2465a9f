"""Folders of files whose rows are read where they are."""

from __future__ import annotations

import polars as pl
from fastapi import APIRouter, Depends, Response
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.answers.dataset import DatasetOut, dataset_answer
from ironmark.pages.model.field_types import Model, Name
from ironmark.store import dataset_versions
from ironmark.tables import folders
from ironmark.tables.table import Problem, Table

router = APIRouter(prefix="/api/datasets", tags=["datasets"])


class NewFolder(Model):
    name: Name
    folder: str = Field(min_length=1, max_length=400)  # by its path within what may be read


class Folders(BaseModel):
    """The folders with Parquet or CSV files. may: whether the server was told of any that may be read."""

    may: bool
    folders: list[str]


@router.get("/folders")
def list_folders(who: Reader = Depends(reader)) -> Folders:
    may = who.sources.folders
    return Folders(may=bool(may), folders=folders.subfolders(may))


@router.post("/folder", status_code=201)
def new_folder(body: NewFolder, response: Response, who: Reader = Depends(reader)) -> DatasetOut:
    """Keep where a folder is; its rows stay there, and new files are noticed."""
    columns = folders.columns_of(folders.allowed(who.sources.folders, body.folder))
    without = Problem("The files have no column of dates. Readings need a period: choose a folder of files with one.")
    problems = () if any(column.role == "period" for column in columns) else (without,)
    table = Table(pl.DataFrame(schema={column.name: pl.Float64 for column in columns}), columns, problems)
    with who.write() as session:
        dataset = dataset_versions.create(
            session, body.name, body.folder, table, kind="live", settings={"folder": body.folder}, findings_too=False
        )
        return dataset_answer(session, response, dataset)
