"""Rows that are read anew by the clock: where from, when, and what is unusual enough to be asked about first."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import Annotated, Literal

import polars as pl
from apscheduler.triggers.cron import CronTrigger
from pydantic import Field
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets import intake
from ironmark.pages.datasets.intake import Reading, reading_of
from ironmark.pages.model.field_types import Key, Model, Zone
from ironmark.pages.model.problems import Refused
from ironmark.store import database, dataset_versions, datasets, refreshes, scratch
from ironmark.store.datasets import StoredDataset
from ironmark.store.models import Refresh
from ironmark.tables import fetching, folders
from ironmark.tables.celltypes import Decimal
from ironmark.tables.files import LongFile, ReadFile
from ironmark.tables.folders import FolderTable
from ironmark.tables.live_relation import LiveTable
from ironmark.tables.pieces import Piece, Rows, are_many, filed, in_pieces, piece_rows
from ironmark.tables.refresh import Changes, How
from ironmark.tables.table import Column, LongTable, Table
from ironmark.tables.unusual import unusual

BY_CLOCK = "by the clock"  # who is named beside the versions that come so
MOST_ROWS = 10_000_000
PAUSES = (dt.timedelta(minutes=1), dt.timedelta(minutes=5), dt.timedelta(minutes=15), dt.timedelta(hours=1))
_TIME = r"^([01]\d|2[0-3]):[0-5]\d$"


class FromSource(Model):
    """A picture of a live source: its rows as they are at that moment."""

    kind: Literal["source"]
    dataset: Key


class FromFolder(Model):
    """The files of a folder, by its path within what may be read."""

    kind: Literal["folder"]
    folder: str = Field(min_length=1, max_length=400)


class FromAddress(Model):
    """The file at an address of a host that may be asked."""

    kind: Literal["address"]
    url: str = Field(min_length=8, max_length=2000)
    sheet: str | None = Field(None, max_length=120)
    decimal: Decimal | None = None


class ClockBody(Model):
    """When: every hour at the minute of ``at``, or at that time of every day, of a weekday (0 is Monday), or of a day
    of the month. zone: an IANA time zone, whose summer time is followed."""

    every: Literal["hour", "day", "week", "month"] = "day"
    at: str = Field("06:00", pattern=_TIME)
    weekday: int = Field(0, ge=0, le=6)
    day: int = Field(1, ge=1, le=28)
    zone: Zone = "UTC"


class RefreshBody(Model):
    """most_gone: the share of the rows, and of the members of a segment, that may go without anybody being asked."""

    origin: Annotated[FromSource | FromFolder | FromAddress, Field(discriminator="kind")]
    clock: ClockBody = ClockBody()
    how: How = "replace"
    most_gone: float = Field(0.2, ge=0, le=1)
    superseded: Literal["dropped", "kept"] = "dropped"  # what was held back, once newer rows have come


def next_time(clock: ClockBody, after: dt.datetime) -> dt.datetime:
    """When it is read next, after a moment; both UTC without a zone."""
    hour, minute = clock.at.split(":")
    fields: dict[str, str | int] = {"minute": minute}
    if clock.every != "hour":
        fields["hour"] = hour
    if clock.every == "week":
        fields["day_of_week"] = clock.weekday
    if clock.every == "month":
        fields["day"] = clock.day
    trigger = CronTrigger(timezone=zoneinfo.ZoneInfo(clock.zone), **fields)
    found: dt.datetime = trigger.get_next_fire_time(None, after.replace(tzinfo=dt.UTC) + dt.timedelta(seconds=1))
    return found.astimezone(dt.UTC).replace(tzinfo=None)


@contextmanager
def read_origin(
    sources: Sources, body: RefreshBody, token: str, reading: Reading | None = None
) -> Iterator[tuple[str, ReadFile | LongFile]]:
    """The rows there are now, and what they are called. Waits for where they are: not to be called within a
    transaction. Raises Refused, LiveProblem, Unreadable, Missing."""
    with scratch.folder("fetched") as folder:
        yield _read_origin(sources, body, token, reading, folder)


def _read_origin(
    sources: Sources, body: RefreshBody, token: str, reading: Reading | None, scratch_: Path
) -> tuple[str, ReadFile | LongFile]:
    origin, file, pieces = body.origin, scratch_ / "file", scratch_ / "pieces"
    pieces.mkdir()
    if isinstance(origin, FromAddress):
        name = fetching.fetched(origin.url, token, sources.hosts, file)
        how = reading or Reading(sheet=origin.sheet, decimal=origin.decimal)
        return name, how.of_file(file, name, pieces, sources.room)
    if isinstance(origin, FromFolder):
        folder = folders.allowed(sources.folders, origin.folder)
        columns = folders.columns_of(folder)
        return origin.folder, _all_of(FolderTable(folder, columns), folder.name, columns, pieces)
    with sources.readings() as session:
        dataset = _live(session, origin.dataset)
        table = sources.table_of(session, dataset)
    columns = tuple(replace(column, origin="rows") for column in dataset.columns)
    return dataset.name, _all_of(table, dataset.name, columns, pieces)


def _all_of(
    table: LiveTable | FolderTable, name: str, columns: tuple[Column, ...], folder: Path
) -> ReadFile | LongFile:
    """All rows of a table; many as pieces in a folder, of which one at a time is held."""
    named = [column.name for column in columns]
    frames = _together(frame.select(named) for frame in table.every(MOST_ROWS + 1))
    first = list[pl.DataFrame]()
    while not are_many(sum(frame.height for frame in first), len(columns)):
        if (frame := next(frames, None)) is None:
            return ReadFile(Table(pl.concat(first), columns))
        first.append(frame)

    def packed() -> Iterator[Piece]:
        rows = 0
        for frame in chain(first, frames):
            rows += frame.height
            if rows > MOST_ROWS:
                detail = f"“{name}” has more than {MOST_ROWS:,} rows. Take a view or a folder with fewer, or read it where it is."
                raise Refused(422, "too-many-rows", "There are too many rows to keep", detail)
            yield from in_pieces(frame)

    return LongFile(LongTable(filed(folder, packed()), columns))


def _together(frames: Iterable[pl.DataFrame]) -> Iterator[pl.DataFrame]:
    """The same rows, as many at a time as make a piece."""
    held: list[pl.DataFrame] = []
    for frame in frames:
        held.append(frame)
        if sum(one.height for one in held) >= piece_rows(frame.width):
            yield pl.concat(held)
            held = []
    if held:
        yield pl.concat(held)


def _live(session: Session, key: str) -> StoredDataset:
    dataset = datasets.get(session, key)
    if dataset.kind != "live":
        detail = f"The rows of “{dataset.name}” are kept here; a picture is taken of rows that stay where they are."
        raise Refused(422, "not-live", "It is no live source", detail, {"field": "origin"})
    return dataset


def check_origin(sources: Sources, session: Session, body: RefreshBody) -> None:
    """Refuse where nothing could be read from, before it is kept. Raises Refused, Wrong, Missing."""
    origin = body.origin
    if isinstance(origin, FromAddress):
        fetching.allowed(origin.url, sources.hosts)
    elif isinstance(origin, FromFolder):
        folders.allowed(sources.folders, origin.folder)
    else:
        _live(session, origin.dataset)


def refuse_other_kinds(dataset: StoredDataset) -> None:
    if dataset.kind != "file":
        detail = "Only a dataset whose rows came as a table can be read anew by the clock."
        raise Refused(422, "another-kind", "Its rows come otherwise", detail)


def keep_new(
    session: Session, name: str, body: RefreshBody, token: str, rows: tuple[str, ReadFile | LongFile],
    tell: Callable[[float], None] = dataset_versions.nobody,
) -> StoredDataset:  # fmt: skip
    """A dataset of these rows, which is read anew from then on."""
    moment = clock.now()
    dataset = intake.keep_new(session, name, rows[0], rows[1], tell)
    kept = refreshes.set_state(
        session, dataset.id, 0, body.model_dump(mode="json"), token, next_time(body.clock, moment)
    )
    kept.read_at = moment
    return dataset


def carry_out(sources: Sources, key: str, still_mine: Callable[[Session], None]) -> None:
    """Read a dataset anew: a further version of its rows where they have changed, held back where they are unusual.

    still_mine: called before it is committed; what it raises takes everything back. Raises what reading them does.
    """
    with sources.readings() as session:
        row = refreshes.get(session, key)
        if row is None:
            return
        body, token = RefreshBody.model_validate(row.body), refreshes.token_of(row)
        origin = body.origin
        reading = None
        if isinstance(origin, FromAddress):
            reading = reading_of(session, datasets.get(session, key), None, origin.sheet, origin.decimal)
    author = database.author.set(BY_CLOCK)
    try:
        with read_origin(sources, body, token, reading) as (name, read), sources.changes() as session:
            before = refreshes.locked(session, key).held

            def doubts(old: Rows, new: Rows, columns: Sequence[Column], told: Changes) -> list[str]:
                return [*read.differs, *unusual(old, new, told, columns, body.most_gone)]

            how = intake.how_kept(read, body.how)
            held, why = dataset_versions.refresh_unless(session, key, name, read.table, how, doubts, before)
            if before is not None and before != held and body.superseded == "dropped":
                dataset_versions.forget_held(session, key, before)
            moment = clock.now()
            refreshes.note(
                session, key, state="held" if held else "waiting", said=" ".join(why), held=held, tries=0, read_at=moment,
                due_at=next_time(body.clock, moment),
            )  # fmt: skip
            still_mine(session)
    finally:
        database.author.reset(author)


def note_failure(session: Session, key: str, said: str) -> None:
    """Keep why it failed. It is tried again, after longer pauses from time to time."""
    row = refreshes.get(session, key)
    if row is None:
        return
    moment = clock.now()
    again = moment + PAUSES[min(row.tries, len(PAUSES) - 1)]
    usual = next_time(RefreshBody.model_validate(row.body).clock, moment)
    refreshes.note(session, key, state="failed", said=said[:2000], tries=row.tries + 1, due_at=min(again, usual))


def answer_held(session: Session, key: str, use: bool) -> StoredDataset:
    """Show the version that was held back, or leave it aside. Raises Missing, Refused."""
    row = refreshes.locked(session, key)
    if row.held is None:
        raise Refused(
            409, "not-held", "Nothing is held back", "It was answered already. Look at the versions of the rows."
        )
    dataset = datasets.get(session, key)
    if use:
        dataset = dataset_versions.go_back(session, key, dataset.version, row.held)
    row.held = None
    if row.state == "held":
        row.state, row.said = "waiting", ""
    session.flush()
    return dataset


def is_read_by(session: Session, dataset: str) -> list[Refresh]:
    """The refreshes that take pictures of a live source."""
    return [row for row in refreshes.list_all(session) if row.body["origin"].get("dataset") == dataset]
