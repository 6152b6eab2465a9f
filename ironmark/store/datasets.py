"""Datasets: their columns as a record, their rows as Parquet pieces."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any, Literal

import polars as pl
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from ironmark.core.periods import RowGrain
from ironmark.store import eyes
from ironmark.store.database import Missing, StaleVersion
from ironmark.store.models import Dataset, DatasetSegment, DatasetVersion
from ironmark.tables.connections import STATEMENT_S
from ironmark.tables.joined_columns import Wide, with_all
from ironmark.tables.pieces import Pieces, Read, Rows, Widened, are_many, merged
from ironmark.tables.table import Column, Problem

FEW_ROWS = 10_000  # which are never heavy
MOST_PACKED = 32 << 20  # bytes of rows as they are kept, from which they are heavy
Kind = Literal["file", "sheet", "checklist", "live"]


@dataclass(frozen=True)
class StoredDataset:
    """``kind``: file, sheet (typed in the app), checklist, or live. ``settings`` hold what is kept about members."""

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
    kind: Kind = "file"
    settings: dict[str, Any] = field(default_factory=dict)
    has_token: bool = False
    rows_at: dt.datetime | None = None  # when its rows were kept
    own: tuple[Column, ...] = ()  # those of the rows; ``columns`` are these and what is looked up or derived

    @property
    def is_many(self) -> bool:
        """Whether its rows are kept here and never in memory as a whole."""
        return self.kind in ("file", "sheet") and are_many(self.row_count, len(self.own))

    @property
    def connection(self) -> dict[str, Any] | None:
        """How the database of a live source is reached, with the usual where it was kept before that was asked."""
        held = self.settings.get("connection")
        return {"protocol": "mariadb", "tls": "off", "seconds": STATEMENT_S} | held if held else None

    @property
    def folder(self) -> str | None:
        """The folder of a live source whose rows are in files."""
        return self.settings.get("folder")

    @property
    def wide(self) -> Wide:
        """What it has besides the columns of its rows."""
        return Wide.of(self.settings)

    @property
    def period(self) -> str | None:
        return next((column.name for column in self.columns if column.role == "period"), None)

    @property
    def grain(self) -> RowGrain:
        """How fine the periods of its rows are."""
        return next((column.grain for column in self.columns if column.role == "period"), None) or "day"

    @property
    def segments(self) -> list[str]:
        return [column.name for column in self.columns if column.role == "segment"]

    @property
    def own_segments(self) -> list[str]:
        """Those of its rows, without what is taken from other datasets or derived."""
        return [column.name for column in self.own if column.role == "segment"]

    @property
    def named_dates(self) -> list[dict[str, Any]]:
        """Days from which its rows are otherwise, each with its reason, as KPIs have them."""
        return list(self.settings.get("named_dates", []))

    @property
    def keep_versions(self) -> int:
        """How many versions of the rows are kept, besides one a day of those before them."""
        return int(self.settings.get("keep_versions", KEPT_VERSIONS))

    @property
    def merges(self) -> dict[str, dict[str, str]]:
        """Spellings by column, each with the member it stands for."""
        return dict(self.settings.get("merges", {}))

    def merges_but(self, apart: str) -> dict[str, dict[str, str]]:
        """Those of all columns but one, whose spellings stay as they came."""
        return {name: found for name, found in self.merges.items() if name != apart}

    @property
    def order(self) -> dict[str, list[str]]:
        """Members by column in the order they are shown."""
        return dict(self.settings.get("order", {}))


@dataclass(frozen=True)
class StoredVersion:
    number: int
    file_name: str
    row_count: int
    created_at: dt.datetime
    how: str
    changes: dict[str, Any] | None
    saved_by: str


def list_all(session: Session) -> list[StoredDataset]:
    rows, seen = session.execute(_query().order_by(Dataset.created_at)), eyes.of(session)
    return [_stored(row, version) for row, version in rows if seen.sees("dataset", row.id)]


def get(session: Session, key: str) -> StoredDataset:
    """Raises Missing."""
    found = session.execute(_query().where(Dataset.id == key)).one_or_none()
    if found is None:
        raise Missing("dataset", key)
    return _stored(*found)


def versions(session: Session, key: str) -> list[StoredVersion]:
    """Every version of the rows, the newest first."""
    query = select(DatasetVersion).where(DatasetVersion.dataset_id == key).order_by(DatasetVersion.number.desc())
    return [
        StoredVersion(v.number, v.file_name, v.row_count, v.created_at, v.how, v.changes, v.saved_by)
        for v in session.scalars(query)
    ]


def takers(session: Session, key: str) -> list[StoredDataset]:
    """The datasets that take columns from one."""
    return [one for one in list_all(session) if any(lookup.dataset == key for lookup in one.wide.lookups)]


def remove(session: Session, key: str, saw: int) -> None:
    session.delete(locked(session, key, saw))
    session.flush()


def rows(session: Session, dataset: StoredDataset, apart: str = "") -> pl.DataFrame:
    """All rows of the visible version with what is looked up and derived, and its members' spellings merged.

    apart: a column whose spellings stay as they came.
    """
    frame = merged(raw_rows(session, dataset), dataset.merges_but(apart))
    wide = widened(session, dataset, apart)
    return frame if wide is None else wide(frame)


def widened(session: Session, dataset: StoredDataset, apart: str = "") -> Widened | None:
    """What puts in what is looked up and derived, row by row; None where nothing is."""
    if not (dataset.wide.lookups or dataset.wide.derived):
        return None
    names: dict[str, dict[str, None]] = {}  # of other datasets no other column is in memory
    for one in dataset.wide.lookups:
        names.setdefault(one.dataset, {}).update(dict.fromkeys([*one.there, *(their for their, _ in one.take)]))
    there = {key: every_row(session, get(session, key)).select(list(taken)) for key, taken in names.items()}
    return lambda frame: with_all(frame, dataset.wide, there, dataset.merges_but(apart))


def raw_rows(session: Session, dataset: StoredDataset) -> pl.DataFrame:
    """All rows of the visible version as they came."""
    return rows_of(session, dataset.id, dataset.rows_version)


def raw(session: Session, dataset: StoredDataset) -> Rows:
    """The same; many are read a piece at a time, in this session."""
    return _raw(session, dataset.id, dataset.rows_version, dataset.row_count, len(dataset.own))


def raw_version(session: Session, key: str, number: int) -> Rows:
    """The rows of a version, in the same way; none of one that is no longer kept."""
    version = session.get(DatasetVersion, (key, number))
    if version is None:
        return rows_of(session, key, number)
    return _raw(session, key, number, version.row_count, len(version.columns or ()))


def _raw(session: Session, key: str, number: int, height: int, columns: int) -> Rows:
    if not are_many(height, columns) and not _is_heavy(session, key, number, height):
        return rows_of(session, key, number)
    return Pieces(one_by_one(session, key, number), {}, height)


def every_row(session: Session, dataset: StoredDataset) -> Rows:
    """``rows``; many are read a piece at a time, in this session."""
    if not in_pieces(session, dataset):
        return rows(session, dataset)
    read = one_by_one(session, dataset.id, dataset.rows_version)
    return Pieces(read, dataset.merges, dataset.row_count, widened(session, dataset), dataset.wide.reads)


def in_pieces(session: Session, dataset: StoredDataset) -> bool:
    """Whether its rows are read a piece, or a column, at a time: they are many, or heavy."""
    here = dataset.kind in ("file", "sheet")
    return dataset.is_many or (here and _is_heavy(session, dataset.id, dataset.rows_version, dataset.row_count))


def _is_heavy(session: Session, key: str, number: int, height: int) -> bool:
    """Whether rows that are not many take much room all the same, as long texts do."""
    if height < FEW_ROWS:
        return False
    size = select(func.sum(func.length(DatasetSegment.body)))
    of = DatasetSegment.dataset_id == key, DatasetSegment.number == number
    return int(session.scalar(size.where(*of)) or 0) > MOST_PACKED


def rows_of(session: Session, key: str, number: int) -> pl.DataFrame:
    """The rows of a version as they came; none of one that is no longer kept."""
    eyes.require_all_rows(session, key)
    query = select(DatasetSegment.body).where(DatasetSegment.dataset_id == key, DatasetSegment.number == number)
    bodies = session.scalars(query.order_by(DatasetSegment.place))
    pieces = [pl.read_parquet(io.BytesIO(body)) for body in bodies]
    return pl.concat(pieces) if pieces else pl.DataFrame()


@contextmanager
def pieces(session: Session, key: str, number: int) -> Iterator[Iterator[bytes]]:
    """The rows of a version as they are kept, as Parquet, one piece in memory at a time."""
    eyes.require_all_rows(session, key)
    query = select(DatasetSegment.body).where(DatasetSegment.dataset_id == key, DatasetSegment.number == number)
    with session.connection().execution_options(yield_per=1).execute(query.order_by(DatasetSegment.place)) as found:
        yield (row.body for row in found)


def one_by_one(session: Session, key: str, number: int) -> Read:
    """The same for whoever writes in the same session meanwhile: each piece is asked for by itself."""
    eyes.require_all_rows(session, key)

    @contextmanager
    def read() -> Iterator[Iterator[bytes]]:
        where = DatasetSegment.dataset_id == key, DatasetSegment.number == number
        places = session.scalars(select(DatasetSegment.place).where(*where).order_by(DatasetSegment.place)).all()
        yield (
            session.scalars(select(DatasetSegment.body).where(*where, DatasetSegment.place == at)).one()
            for at in places
        )

    return read


def _query() -> Select[Dataset, DatasetVersion]:
    return select(Dataset, DatasetVersion).join(
        DatasetVersion,
        (DatasetVersion.dataset_id == Dataset.id) & (DatasetVersion.number == Dataset.rows_version),
    )


def locked(session: Session, key: str, saw: int | None) -> Dataset:
    row = session.get(Dataset, key, with_for_update=True)
    if row is None:
        raise Missing("dataset", key)
    if saw is not None and row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def _stored(row: Dataset, version: DatasetVersion) -> StoredDataset:
    problems = tuple(Problem(p["message"], p["column"], tuple(p["rows"])) for p in row.problems)
    own = tuple(Column(**column) for column in row.columns)
    columns = (*own, *Wide.of(row.settings or {}).columns)
    return StoredDataset(
        row.id, row.version, row.name, row.rows_version, version.row_count, version.file_name,
        columns, problems, row.through, row.updated_at,
        row.kind, row.settings or {}, bool(row.token), version.created_at, own,  # type: ignore[arg-type]
    )  # fmt: skip


KEPT_VERSIONS = 50  # where nothing else is said
