"""Datasets: their columns as a record, their rows as Parquet pieces."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Iterator
from dataclasses import asdict, dataclass

import polars as pl
from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from ironmark.store.database import Missing, StaleVersion, new_key, now
from ironmark.store.models import Dataset, DatasetSegment, DatasetVersion
from ironmark.tables.reader import Column, Problem, Table, complete_through

PIECE_BYTES = 8 * 1024 * 1024
_PIECE_ROWS = 250_000


@dataclass(frozen=True)
class StoredDataset:
    id: str
    version: int
    name: str
    rows_version: int
    row_count: int
    file_name: str
    columns: tuple[Column, ...]
    problems: tuple[Problem, ...]
    through: dt.date | None
    updated_at: dt.datetime

    @property
    def period(self) -> str | None:
        return next((column.name for column in self.columns if column.role == "period"), None)

    @property
    def segments(self) -> list[str]:
        return [column.name for column in self.columns if column.role == "segment"]


def every(session: Session) -> list[StoredDataset]:
    return [_stored(row, version) for row, version in session.execute(_query().order_by(Dataset.created_at))]


def get(session: Session, key: str) -> StoredDataset:
    """Raises Missing."""
    found = session.execute(_query().where(Dataset.id == key)).one_or_none()
    if found is None:
        raise Missing("dataset", key)
    return _stored(*found)


def create(session: Session, name: str, file_name: str, table: Table, *, key: str | None = None) -> StoredDataset:
    """Keep a table as version 1 of a new dataset, all in the caller's transaction."""
    moment = now()
    row = Dataset(
        id=key or new_key(name),
        version=1,
        name=name,
        rows_version=1,
        columns=[asdict(column) for column in table.columns],
        problems=[asdict(problem) for problem in table.problems],
        through=complete_through(table.frame, table.columns),
        created_at=moment,
        updated_at=moment,
    )
    session.add(row)
    session.flush()
    version = DatasetVersion(
        dataset_id=row.id,
        number=1,
        file_name=file_name[:200],
        row_count=table.frame.height,
        created_at=moment,
    )
    session.add(version)
    session.flush()
    for place, body in enumerate(_pieces(table.frame)):
        session.add(DatasetSegment(dataset_id=row.id, number=1, place=place, body=body))
        session.flush()
        session.expunge_all()  # a piece once sent need not stay in memory
    return get(session, row.id)


def update(
    session: Session, key: str, saw: int, name: str, columns: list[Column], through: dt.date | None
) -> StoredDataset:
    """Change what is said about the rows. Raises Missing, StaleVersion."""
    row = _locked(session, key, saw)
    row.name, row.through = name, through
    row.columns = [asdict(column) for column in columns]
    row.version, row.updated_at = row.version + 1, now()
    session.flush()
    return get(session, key)


def remove(session: Session, key: str, saw: int) -> None:
    session.delete(_locked(session, key, saw))
    session.flush()


def rows(session: Session, dataset: StoredDataset) -> pl.DataFrame:
    """All rows of the visible version."""
    query = select(DatasetSegment.body).where(
        DatasetSegment.dataset_id == dataset.id, DatasetSegment.number == dataset.rows_version
    )
    bodies = session.scalars(query.order_by(DatasetSegment.place))
    return pl.concat([pl.read_parquet(io.BytesIO(body)) for body in bodies])


def _pieces(frame: pl.DataFrame) -> Iterator[bytes]:
    """Parquet pieces within PIECE_BYTES: as many rows as fit, at least one piece."""
    start, size = 0, _PIECE_ROWS
    while True:
        buffer = io.BytesIO()
        frame.slice(start, size).write_parquet(buffer, compression="zstd")
        if buffer.tell() > PIECE_BYTES and size > 1:
            size = max(1, size // 2)
            continue
        yield buffer.getvalue()
        start += size
        if start >= frame.height:
            return


def _query() -> Select[Dataset, DatasetVersion]:
    return select(Dataset, DatasetVersion).join(
        DatasetVersion,
        (DatasetVersion.dataset_id == Dataset.id) & (DatasetVersion.number == Dataset.rows_version),
    )


def _locked(session: Session, key: str, saw: int) -> Dataset:
    row = session.get(Dataset, key, with_for_update=True)
    if row is None:
        raise Missing("dataset", key)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def _stored(row: Dataset, version: DatasetVersion) -> StoredDataset:
    problems = tuple(Problem(p["message"], p["column"], tuple(p["rows"])) for p in row.problems)
    return StoredDataset(
        row.id, row.version, row.name, row.rows_version, version.row_count, version.file_name,
        tuple(Column(**column) for column in row.columns), problems, row.through, row.updated_at,
    )  # fmt: skip
