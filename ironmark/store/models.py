"""The tables in MariaDB."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Computed,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    Integer,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.mysql import DATETIME, DOUBLE, LONGBLOB, TINYBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Key = String(80)
Name = String(200)


def _goes_with(column: str, name: str) -> ForeignKeyConstraint:
    """What is about a document goes with it. Its kind is a column that the database fills in, ``of_kind``."""
    return ForeignKeyConstraint(["of_kind", column], ["records.kind", "records.id"], ondelete="CASCADE", name=name)


class Base(DeclarativeBase):
    type_annotation_map = {
        dt.datetime: DATETIME(fsp=6),
        dict[str, Any]: JSON,
        list[Any]: JSON,
        float: DOUBLE(asdecimal=False),
    }


class Dataset(Base):
    __tablename__ = "datasets"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    name: Mapped[str] = mapped_column(Name)
    rows_version: Mapped[int]  # the visible row of dataset_versions
    columns: Mapped[list[Any]]
    problems: Mapped[list[Any]]
    through: Mapped[dt.date | None]
    created_at: Mapped[dt.datetime]
    updated_at: Mapped[dt.datetime]
    kind: Mapped[str] = mapped_column(String(20), default="file")
    settings: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    secret: Mapped[str] = mapped_column(String(1000), default="")  # a live source's password, sealed
    token: Mapped[str] = mapped_column(String(64), default="")  # the SHA-256 of what a machine uploads with


class DatasetVersion(Base):
    """The rows of a dataset as of one upload; never changed once written."""

    __tablename__ = "dataset_versions"
    dataset_id: Mapped[str] = mapped_column(ForeignKey("datasets.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    file_name: Mapped[str] = mapped_column(Name)
    row_count: Mapped[int]
    created_at: Mapped[dt.datetime]
    how: Mapped[str] = mapped_column(String(20), default="first")
    changes: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    # As they were for these rows; None for rows from before this was kept.
    columns: Mapped[list[Any] | None] = mapped_column(JSON)
    problems: Mapped[list[Any] | None] = mapped_column(JSON)
    through: Mapped[dt.date | None]
    saved_by: Mapped[str] = mapped_column(String(120), default="")
    # How they were read from their file; None of a plain list.
    recipe: Mapped[dict[str, Any] | None] = mapped_column(JSON)


class DatasetSegment(Base):
    """A Parquet piece of a dataset version, at most 8 MiB."""

    __tablename__ = "dataset_segments"
    dataset_id: Mapped[str] = mapped_column(Key, primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    __table_args__ = (
        ForeignKeyConstraint(
            ["dataset_id", "number"], ["dataset_versions.dataset_id", "dataset_versions.number"], ondelete="CASCADE",
            name="fk_dataset_segments_version",
        ),
    )  # fmt: skip


class Record(Base):
    """A KPI, yardstick or scorecard: a document with a version number."""

    __tablename__ = "records"
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    body: Mapped[dict[str, Any]]
    created_at: Mapped[dt.datetime]
    updated_at: Mapped[dt.datetime]
    saved_by: Mapped[str] = mapped_column(String(120), default="")
    # A KPI's, which no other one may have, whoever saves first.
    handle: Mapped[str | None] = mapped_column(String(60, collation="utf8mb4_bin"), unique=True, default=None)


class Revision(Base):
    """What a record or mark book was before a change. ``body`` is None for a deletion's own entry."""

    __tablename__ = "revisions"
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    record_id: Mapped[str] = mapped_column(Key)
    version: Mapped[int]
    body: Mapped[dict[str, Any]]
    saved_at: Mapped[dt.datetime]
    saved_by: Mapped[str] = mapped_column(String(120), default="")
    __table_args__ = (Index("ix_revisions_record", "kind", "record_id", "version"),)


class Picture(Base):
    """A PNG, JPEG or SVG that stands on pages; its key is made from its bytes."""

    __tablename__ = "pictures"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    kind: Mapped[str] = mapped_column(String(10))
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    created_at: Mapped[dt.datetime]


class MarkBook(Base):
    """The version of one KPI's mark entries, which are changed together, and its computed marks by name."""

    __tablename__ = "mark_books"
    kpi_id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    computed: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    of_kind: Mapped[str | None] = mapped_column(String(20), Computed("'kpi'", persisted=True))
    __table_args__ = (_goes_with("kpi_id", "fk_mark_books_kpi"),)


class Mark(Base):
    """A mark entry. ``whose`` says whose it is: one member's of a segment or two, each member's of a segment, all
    together's or everyone's; names that do not apply are empty, since a key holds no NULL.

    ``since`` is the key of the period it takes effect from, such as 2026-10; a flow's amount is for such a period.
    """

    __tablename__ = "marks"
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    kpi_id: Mapped[str] = mapped_column(ForeignKey("mark_books.kpi_id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(40))
    whose: Mapped[str] = mapped_column(String(10))
    segment: Mapped[str] = mapped_column(Key, default="")
    member: Mapped[str] = mapped_column(Name, default="")
    segment2: Mapped[str] = mapped_column(Key, default="")
    member2: Mapped[str] = mapped_column(Name, default="")
    since: Mapped[str] = mapped_column(String(24))
    value: Mapped[float]
    __table_args__ = (
        UniqueConstraint(
            "kpi_id", "name", "whose", "segment", "member", "segment2", "member2", "since", name="uq_marks_owner"
        ),
    )


class Notice(Base):
    """What a new version of the product changed in what is kept: told until it was read."""

    __tablename__ = "notices"
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    body: Mapped[dict[str, Any]]
    made_at: Mapped[dt.datetime]
    read_at: Mapped[dt.datetime | None]


class Upload(Base):
    """A file that is being read, or was a while ago. stopping: somebody asked it to stop."""

    __tablename__ = "uploads"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    state: Mapped[str] = mapped_column(String(10))
    stage: Mapped[str] = mapped_column(String(200))
    share: Mapped[float]
    dataset: Mapped[str | None] = mapped_column(Key, default=None)
    problem: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
    stopping: Mapped[bool] = mapped_column(default=False)
    updated_at: Mapped[dt.datetime] = mapped_column(index=True)


class Refresh(Base):
    """How a dataset's rows are read anew by the clock, and how it goes.

    state: waiting, running, failed or held; said: why it failed or is held back. tries: how often it failed in a row.
    held: the version of the rows that is held back. due_at: when it is read next; read_at: when it was last.
    """

    __tablename__ = "refreshes"
    dataset_id: Mapped[str] = mapped_column(ForeignKey("datasets.id", ondelete="CASCADE"), primary_key=True)
    version: Mapped[int]
    body: Mapped[dict[str, Any]]
    token: Mapped[str] = mapped_column(String(1000), default="")  # for an address, sealed; goes nowhere else
    state: Mapped[str] = mapped_column(String(10), default="waiting")
    said: Mapped[str] = mapped_column(Text, default="")
    tries: Mapped[int] = mapped_column(default=0)
    held: Mapped[int | None]
    due_at: Mapped[dt.datetime] = mapped_column(index=True)
    read_at: Mapped[dt.datetime | None]


class Lease(Base):
    """Which process does something that only one may do, and until when it may without asking again."""

    __tablename__ = "leases"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    holder: Mapped[str] = mapped_column(String(80))
    until: Mapped[dt.datetime]


class UploadPiece(Base):
    """A piece of a file that is sent in pieces, so that it can be stopped and gone on with."""

    __tablename__ = "upload_pieces"
    upload: Mapped[str] = mapped_column(Key, primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    size: Mapped[int]
    added_at: Mapped[dt.datetime] = mapped_column(index=True)


class Edition(Base):
    """A frozen copy of a scorecard, which it outlives. ``body`` is what ``pages.editions`` keeps and never changes; all else is about it.

    state: draft, published or withdrawn. suffix: of one that restates another of its number, "a" and so on. restated:
    how many of its readings read otherwise now; checked: the versions that was found at. standing: the standing order
    that made it, standing_for: for which of its times, so that it makes one for each.
    """

    __tablename__ = "editions"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    scorecard: Mapped[str] = mapped_column(Key, index=True)
    number: Mapped[int]
    suffix: Mapped[str] = mapped_column(String(4), default="")
    version: Mapped[int]
    state: Mapped[str] = mapped_column(String(10))
    title: Mapped[str] = mapped_column(Name)
    note: Mapped[str] = mapped_column(Text, default="")
    period: Mapped[str] = mapped_column(String(700))
    period_label: Mapped[str] = mapped_column(String(700))
    made_at: Mapped[dt.datetime]
    made_by: Mapped[str] = mapped_column(String(120), default="")
    published_at: Mapped[dt.datetime | None]
    published_by: Mapped[str] = mapped_column(String(120), default="")
    withdrawn_at: Mapped[dt.datetime | None]
    withdrawn_by: Mapped[str] = mapped_column(String(120), default="")
    why: Mapped[str] = mapped_column(Text, default="")
    restated: Mapped[int | None]
    checked: Mapped[str] = mapped_column(String(64), default="")
    standing: Mapped[str | None] = mapped_column(Key)
    standing_for: Mapped[str | None] = mapped_column(Key)
    eyes: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    body: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    __table_args__ = (
        UniqueConstraint("scorecard", "number", "suffix", name="uq_editions_number"),
        UniqueConstraint("standing", "standing_for", name="uq_editions_standing"),
    )


class Export(Base):
    """Something that is being taken out, or was a while ago. source: what an edition holds, or a page that was read;
    about: what is told of it. options: paper, instrument, scale. taken_by: the worker that draws it."""

    __tablename__ = "exports"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    kind: Mapped[str] = mapped_column(String(10))
    state: Mapped[str] = mapped_column(String(10), index=True)  # waiting, running, done, failed, stopped
    stage: Mapped[str] = mapped_column(String(200))
    share: Mapped[float]
    options: Mapped[dict[str, Any]]
    about: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    source: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    file: Mapped[bytes | None] = mapped_column(LONGBLOB, deferred=True)
    name: Mapped[str] = mapped_column(Name, default="")
    problem: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    stopping: Mapped[bool] = mapped_column(default=False)
    tries: Mapped[int] = mapped_column(default=0)
    taken_by: Mapped[str] = mapped_column(String(80), default="")
    asked_by: Mapped[str] = mapped_column(Key, default="")
    request: Mapped[str] = mapped_column(String(40), default="")
    asked_at: Mapped[dt.datetime] = mapped_column(index=True)
    updated_at: Mapped[dt.datetime]


class Link(Base):
    """A link by which people without an account read one edition, or a scorecard as it stands. token: the SHA-256 of
    the one it holds; password: an argon2id hash, or none. frames: the sites that may show it within theirs. takes: the
    forms it can be taken out in; reader: for whom alone it is, where each has an address of their own."""

    __tablename__ = "links"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    name: Mapped[str] = mapped_column(Name)
    edition: Mapped[str | None] = mapped_column(ForeignKey("editions.id", ondelete="CASCADE"), index=True)
    scorecard: Mapped[str | None] = mapped_column(Key, index=True)
    scope: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    until: Mapped[dt.date]
    password: Mapped[str] = mapped_column(String(200), default="")
    frames: Mapped[list[Any]]
    workings: Mapped[bool]
    readings: Mapped[int] = mapped_column(default=0)
    takes: Mapped[list[Any] | None] = mapped_column(JSON)
    reader: Mapped[str] = mapped_column(String(120), default="")
    made_at: Mapped[dt.datetime]
    made_by: Mapped[str] = mapped_column(String(120), default="")
    ended_at: Mapped[dt.datetime | None]


class KeptKey(Base):
    """A secret of this installation."""

    __tablename__ = "kept_keys"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[bytes] = mapped_column(TINYBLOB)


class KeptFile(Base):
    """A file of this installation's own, such as its template of slides."""

    __tablename__ = "kept_files"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    file_name: Mapped[str] = mapped_column(Name)
    body: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    kept_at: Mapped[dt.datetime]


class LinkTry(Base):
    """Wrong passwords of a link by who tried them, so that nobody is kept out by others. who: a digest of the address it
    came from."""

    __tablename__ = "link_tries"
    link: Mapped[str] = mapped_column(ForeignKey("links.id", ondelete="CASCADE"), primary_key=True)
    who: Mapped[str] = mapped_column(String(64), primary_key=True)
    failures: Mapped[int]
    wait_until: Mapped[dt.datetime | None]
    tried_at: Mapped[dt.datetime] = mapped_column(index=True)


class Holidays(Base):
    """A list of holidays, as ISO dates."""

    __tablename__ = "holidays"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    name: Mapped[str] = mapped_column(Name)
    days: Mapped[list[Any]]
    made_at: Mapped[dt.datetime]


class Standing(Base):
    """A standing order: editions that are made by the calendar.

    state: waiting for its time, running, held until the data is complete, or failed; said: why. standing_for: the
    period of the edition that is due; tries: how often it failed or was held in a row. made: the last edition.
    """

    __tablename__ = "standing_orders"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    body: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(10))
    said: Mapped[str] = mapped_column(Text, default="")
    tries: Mapped[int] = mapped_column(default=0)
    due_at: Mapped[dt.datetime] = mapped_column(index=True)
    standing_for: Mapped[str] = mapped_column(Key)
    made: Mapped[str | None] = mapped_column(ForeignKey("editions.id", ondelete="SET NULL"))
    made_at: Mapped[dt.datetime]
    made_by: Mapped[str] = mapped_column(String(120), default="")


class Note(Base):
    """Words about one reading: a KPI for some members and a period. id: made from those three; narrow: the members as
    a reading names them, "" for all rows together. value: what the reading was when it was written, its unit. A note
    without words was taken back; what it said stands among the revisions."""

    __tablename__ = "notes"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    kpi_id: Mapped[str] = mapped_column(ForeignKey("note_books.kpi_id", ondelete="CASCADE"), index=True)
    narrow: Mapped[str] = mapped_column(Text)
    members: Mapped[dict[str, Any]]
    period: Mapped[str] = mapped_column(String(700))
    version: Mapped[int]
    text: Mapped[str] = mapped_column(Text)
    value: Mapped[float | None]
    made_at: Mapped[dt.datetime]
    made_by: Mapped[str] = mapped_column(String(120), default="")
    saved_at: Mapped[dt.datetime] = mapped_column(index=True)
    saved_by: Mapped[str] = mapped_column(String(120), default="")


class NoteBook(Base):
    """The version of all notes about one KPI, so that what shows them knows when they have changed."""

    __tablename__ = "note_books"
    kpi_id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    of_kind: Mapped[str | None] = mapped_column(String(20), Computed("'kpi'", persisted=True))
    __table_args__ = (_goes_with("kpi_id", "fk_note_books_kpi"),)


class Glance(Base):
    """How a scorecard stood at a moment: what the front page tells of it. The newest is how it stands; earlier ones
    tell what changed since. rests: the versions it was read at. body: ``pages.glances.Glance``, drawing: its sheets as
    small as a stamp, both as JSON, packed."""

    __tablename__ = "glances"
    scorecard: Mapped[str] = mapped_column(Key, primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    at: Mapped[dt.datetime] = mapped_column(index=True)
    rests: Mapped[str] = mapped_column(String(64))
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    drawing: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    of_kind: Mapped[str | None] = mapped_column(String(20), Computed("'scorecard'", persisted=True))
    __table_args__ = (_goes_with("scorecard", "fk_glances_scorecard"),)


class KpiGlance(Base):
    """How a KPI stands, as lists tell it. rests: what it was worked out from, body: ``pages.authoring.kpi_glances.Glance``,
    both as JSON."""

    __tablename__ = "kpi_glances"
    kpi_id: Mapped[str] = mapped_column(Key, primary_key=True)
    rests: Mapped[dict[str, Any]]
    body: Mapped[dict[str, Any]]
    of_kind: Mapped[str | None] = mapped_column(String(20), Computed("'kpi'", persisted=True))
    __table_args__ = (_goes_with("kpi_id", "fk_kpi_glances_kpi"),)


class ChangeEntry(Base):
    """That something was changed: a document, mark book, the notes of a KPI, a dataset or an edition."""

    __tablename__ = "change_log"
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    record_id: Mapped[str] = mapped_column(Key)
    at: Mapped[dt.datetime]
    request: Mapped[str] = mapped_column(String(40), default="")
