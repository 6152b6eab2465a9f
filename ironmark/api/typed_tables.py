"""Datasets that are typed here: small sheets, and checklists; and live sources, whose settings are typed."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Annotated, Any

import polars as pl
from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel, Field, StringConstraints, model_validator
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.dataset import DatasetOut, dataset_answer, users_of
from ironmark.api.versions import seen_version
from ironmark.pages.model.field_types import Member, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.store import dataset_secrets, dataset_versions, datasets
from ironmark.store.datasets import Kind, StoredDataset
from ironmark.tables import checklist, connections
from ironmark.tables.celltypes import way_of
from ironmark.tables.checklist import Checklist
from ironmark.tables.connections import DIALECTS, STATEMENT_S, Tls
from ironmark.tables.dialects import Protocol
from ironmark.tables.formats import as_text
from ironmark.tables.reader import typed_table
from ironmark.tables.refresh import conform
from ironmark.tables.table import Column, Problem, Table, Unreadable

router = APIRouter(prefix="/api/datasets", tags=["datasets"])
MOST_CELLS = 200_000
Cell = Annotated[str, StringConstraints(max_length=2000)]


class SheetBody(Model):
    """Cells as they were typed. ``names`` are the columns the dataset has so far, null for a new one."""

    labels: list[Annotated[str, StringConstraints(max_length=120)]] = Field(min_length=1, max_length=100)
    names: list[str | None] = Field(default=[], max_length=100)
    rows: list[list[Cell]] = Field(max_length=20_000)


class NewSheet(SheetBody):
    name: Name


class SheetOut(BaseModel):
    version: int
    labels: list[str]
    names: list[str]
    rows: list[list[str]]


class ChecklistBody(Model):
    """What is ticked on a day: ``done`` is items by steps."""

    day: dt.date
    items: list[Member] = Field(min_length=1, max_length=1000)
    steps: list[Member] = Field(min_length=1, max_length=100)
    done: list[list[bool]] = Field(max_length=1000)


class NewChecklist(ChecklistBody):
    name: Name


class ChecklistOut(BaseModel):
    version: int
    day: dt.date
    days: list[dt.date]  # those on which something was ticked or taken out
    items: list[str]
    steps: list[str]
    done: list[list[bool]]


class ConnectionBody(Model):
    """Where a table is. No host stands for the MariaDB that Iron Mark keeps its records in; no password leaves it.

    table: in PostgreSQL with its schema before it where that is another than public. seconds: how long one statement
    may take.
    """

    protocol: Protocol = "mariadb"
    host: str = Field("", max_length=200)
    port: int | None = Field(None, ge=1, le=65535)  # None: the usual one
    database: str = Field(min_length=1, max_length=64)
    user: str = Field(min_length=1, max_length=128)
    password: str | None = Field(None, max_length=200)
    table: str = Field("", max_length=130)
    tls: Tls = "off"
    seconds: int = Field(STATEMENT_S, ge=1, le=600)

    @model_validator(mode="after")
    def reachable(self) -> ConnectionBody:
        if self.protocol != "mariadb" and not self.host.strip():
            raise ValueError(f"say on which server the {DIALECTS[self.protocol].words} is")
        return self


class NewLive(ConnectionBody):
    name: Name


class Found(BaseModel):
    """What an account sees: tables and views, and whether it could change them."""

    tables: list[str]
    may_write: bool


@router.post("/typed", status_code=201)
def type_sheet(body: NewSheet, response: Response, who: Reader = Depends(reader)) -> DatasetOut:
    """Keep a table that was typed or pasted."""
    table = _table(body)
    with who.write() as session:
        dataset = dataset_versions.create(session, body.name, "typed in", table, kind="sheet")
        return dataset_answer(session, response, dataset)


@router.get("/{key}/sheet")
def get_sheet(key: str, who: Reader = Depends(reader)) -> SheetOut:
    """Every cell of a typed sheet as it would be typed again."""
    with who.read() as session:
        dataset = _of_kind(session, key, "sheet")
        frame = datasets.raw_rows(session, dataset)
    return SheetOut(
        version=dataset.version,
        labels=[column.label for column in dataset.own],
        names=[column.name for column in dataset.own],
        rows=[[as_text(cell) for cell in row] for row in frame.rows()],
    )


@router.put("/{key}/sheet")
def put_sheet(
    key: str, body: SheetBody, response: Response, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> DatasetOut:
    """Keep the cells as a new version. Columns keep their names, so formulas hold while a heading changes."""
    saw = seen_version(if_match)
    table = _table(body)
    with who.write() as session:
        dataset = _of_kind(session, key, "sheet")
        old = {column.name: column for column in dataset.own}
        kept = [(old[name], typed) for name, typed in zip(body.names, table.columns, strict=False) if name in old]
        gone = [column.label for name, column in old.items() if name not in {column.name for column, _ in kept}]
        if gone and users_of(session).get(key):
            raise Unreadable(f"“{gone[0]}” is taken out while KPIs are computed from this sheet. Change those first.")
        names = {typed.name: column.name for column, typed in kept}
        table = Table(
            table.frame.rename({typed: f"_{at}" for at, typed in enumerate(names)}).rename(
                {f"_{at}": name for at, name in enumerate(names.values())}
            ),
            tuple(replace(column, name=names.get(column.name, column.name)) for column in table.columns),
            table.problems,
        )
        labels = {column.name: column.label for column in table.columns}
        table = conform(table, [replace(column, label=labels[column.name]) for column, _ in kept])
        dataset = dataset_versions.refresh_with(session, key, saw, "typed in", table, "typed")
        return dataset_answer(session, response, dataset)


def _table(body: SheetBody) -> Table:
    width = len(body.labels)
    if width * len(body.rows) > MOST_CELLS:
        raise Refused(
            413,
            "too-many-cells",
            "The sheet is too large",
            f"At most {MOST_CELLS:,} cells can be typed; upload a file.",
        )
    if not all(label.strip() for label in body.labels):
        raise Unreadable("A column has no heading. Give every column a name.")
    rows = [[*row[:width], *[""] * (width - len(row))] for row in body.rows if any(cell.strip() for cell in row)]
    schema = {f"c{at}": pl.String for at in range(width)}
    raw = pl.DataFrame(rows, schema=schema, orient="row")
    return typed_table(list(body.labels), raw, [], way_of(raw))


@router.post("/checklists", status_code=201)
def new_checklist(body: NewChecklist, response: Response, who: Reader = Depends(reader)) -> DatasetOut:
    table = checklist.ticked(checklist.rows(_checklist(body)).clear(), _checklist(body))
    with who.write() as session:
        dataset = dataset_versions.create(session, body.name, "typed in", table, kind="checklist")
        dataset = _in_order(session, dataset, body)
        return dataset_answer(session, response, dataset)


@router.get("/{key}/checklist")
def get_checklist(key: str, day: dt.date | None = Query(None), who: Reader = Depends(reader)) -> ChecklistOut:
    """What is ticked on a day, or now."""
    with who.read() as session:
        dataset = _of_kind(session, key, "checklist")
        frame = datasets.raw_rows(session, dataset)
    days = sorted(frame["day"].unique().to_list())
    found = checklist.on(frame, day or days[-1])
    return ChecklistOut(
        version=dataset.version, day=found.day, days=days, items=list(found.items), steps=list(found.steps),
        done=[list(line) for line in found.done],
    )  # fmt: skip


@router.put("/{key}/checklist")
def put_checklist(
    key: str,
    body: ChecklistBody,
    response: Response,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Say what is ticked on a day; it holds from then until something else is said."""
    saw = seen_version(if_match)
    with who.write() as session:
        dataset = _of_kind(session, key, "checklist")
        table = checklist.ticked(datasets.raw_rows(session, dataset), _checklist(body))
        table = Table(table.frame, dataset.own)
        through = max(body.day, dataset.through or body.day)
        dataset = dataset_versions.refresh_with(session, key, saw, "typed in", table, "ticked", through)
        dataset = _in_order(session, dataset, body)
        return dataset_answer(session, response, dataset)


def _checklist(body: ChecklistBody) -> Checklist:
    if len(body.done) != len(body.items) or any(len(line) != len(body.steps) for line in body.done):
        raise Unreadable("The ticks do not fit the items and steps. Load the checklist again.")
    items, steps = (tuple(name.strip() for name in names) for names in (body.items, body.steps))
    return Checklist(body.day, items, steps, tuple(tuple(line) for line in body.done))


def _in_order(session: Session, dataset: StoredDataset, body: ChecklistBody) -> StoredDataset:
    """Items and steps are shown in the order they were typed."""
    settings = {**dataset.settings, "order": {"item": body.items, "step": body.steps}}
    if settings == dataset.settings:
        return dataset
    columns, through = list(dataset.own), dataset.through
    return dataset_versions.update(session, dataset.id, dataset.version, dataset.name, columns, through, settings)


@router.post("/live/look")
def look_live(
    body: ConnectionBody, key: str | None = Query(None, max_length=80), who: Reader = Depends(reader)
) -> Found:
    """Try a connection. ``key`` names the live source whose password is meant when none is given."""
    with who.read() as session:
        connection = who.sources.reach(session, _plain(body), body.password, key)
    return Found(tables=connections.tables(connection), may_write=connections.may_write(connection))


@router.post("/live", status_code=201)
def new_live(body: NewLive, response: Response, who: Reader = Depends(reader)) -> DatasetOut:
    """Keep where a table is; its rows stay there."""
    with who.read() as session:
        connection = who.sources.reach(session, _plain(body), body.password, None)
    columns = connections.columns(connection)
    table = Table(
        pl.DataFrame(schema={column.name: pl.Float64 for column in columns}),
        columns,
        _live_problems(connection, columns),
    )
    with who.write() as session:
        dataset = dataset_versions.create(
            session, body.name, body.table, table, kind="live", settings={"connection": _plain(body)}, secret=body.password or "",
            findings_too=False,
        )  # fmt: skip
        return dataset_answer(session, response, dataset)


@router.put("/{key}/connection")
def put_connection(
    key: str,
    body: ConnectionBody,
    response: Response,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """Change where the table of a live source is. Without a password the one it has is kept."""
    saw = seen_version(if_match)
    with who.read() as session:
        dataset = _of_kind(session, key, "live")
        if dataset.folder:
            detail = f"“{dataset.name}” is a folder of files, not a table of a database."
            raise Refused(422, "another-kind", "It is of another kind", detail)
        connection = who.sources.reach(session, _plain(body), body.password, key)
    found = connections.columns(connection)
    said = {column.name: column for column in dataset.own}
    kept = [said[c.name] if c.name in said and said[c.name].type == c.type else c for c in found]
    if sum(column.role == "period" for column in kept) > 1:
        kept = [c if c.name in said or c.role != "period" else replace(c, role="text") for c in kept]
    with who.write() as session:
        settings = {**dataset.settings, "connection": _plain(body)}
        dataset = dataset_versions.update(session, key, saw, dataset.name, kept, dataset.through, settings)
        if body.password is not None:
            dataset_secrets.set_secret(session, key, body.password)
        return dataset_answer(session, response, dataset)


def _plain(body: ConnectionBody) -> dict[str, Any]:
    return {
        "host": body.host.strip(), "port": body.port or DIALECTS[body.protocol].port, "database": body.database,
        "user": body.user, "table": body.table, "protocol": body.protocol, "tls": body.tls, "seconds": body.seconds,
    }  # fmt: skip


def _live_problems(connection: connections.Connection, columns: tuple[Column, ...]) -> tuple[Problem, ...]:
    found = []
    if connections.may_write(connection):
        found.append(
            Problem(f"The account “{connection.user}” may change data. One that may only read is enough, and safer.")
        )
    if not any(column.role == "period" for column in columns):
        found.append(
            Problem("The table has no column of dates. Readings need a period: choose a table or view with one.")
        )
    return tuple(found)


def _of_kind(session: Session, key: str, kind: Kind) -> StoredDataset:
    dataset = datasets.get(session, key)
    if dataset.kind != kind:
        what = {"sheet": "typed sheet", "checklist": "checklist", "live": "live source", "file": "file"}
        detail = f"“{dataset.name}” is a {what[dataset.kind]}, not a {what[kind]}."
        raise Refused(422, "another-kind", "It is of another kind", detail)
    return dataset
