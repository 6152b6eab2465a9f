"""Notes: words about one reading, found by what it is a reading of."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, cast

from sqlalchemy import CursorResult, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import change_log, eyes
from ironmark.store.database import StaleVersion, author
from ironmark.store.models import Note, NoteBook, Revision


@dataclass(frozen=True)
class StoredNote:
    """value: what the reading was when the note was written, KPI unit, None for no reading."""

    id: str
    kpi: str
    narrow: str
    members: dict[str, list[str]]
    period: str
    version: int
    text: str
    value: float | None
    made_at: dt.datetime
    made_by: str
    saved_at: dt.datetime
    saved_by: str


def key_of(kpi: str, narrow: str, period: str) -> str:
    """The key of the note about a reading. narrow: its members as ``pages.page.Reading.about`` names them."""
    return hashlib.blake2b(f"{kpi}|{narrow}|{period}".encode(), digest_size=16).hexdigest()


def get_many(session: Session, keys: Collection[str]) -> dict[str, StoredNote]:
    """The notes with these keys, also those that were taken back."""
    if not keys:
        return {}
    rows, seen = session.scalars(select(Note).where(Note.id.in_(keys))), eyes.of(session)
    return {row.id: _stored(row) for row in rows if seen.sees_reading(row.kpi_id, row.members)}


def about(session: Session, kpis: Collection[str], periods: Collection[str] | None = None) -> list[StoredNote]:
    """The notes about some KPIs, of these periods, the newest period first; not those that were taken back."""
    if not kpis or (periods is not None and not periods):
        return []
    query = select(Note).where(Note.kpi_id.in_(kpis), Note.text != "")
    if periods is not None:
        query = query.where(Note.period.in_(periods))
    rows, seen = session.scalars(query.order_by(Note.period.desc(), Note.saved_at.desc(), Note.id)), eyes.of(session)
    return [_stored(row) for row in rows if seen.sees_reading(row.kpi_id, row.members)]


def list_all(session: Session) -> list[StoredNote]:
    """All notes, the newest first; not those that were taken back."""
    query = select(Note).where(Note.text != "").order_by(Note.saved_at.desc(), Note.id)
    rows, seen = session.scalars(query), eyes.of(session)
    return [_stored(row) for row in rows if seen.sees_reading(row.kpi_id, row.members)]


def save(
    session: Session, kpi: str, narrow: str, members: Mapping[str, Sequence[str]], period: str, text: str,
    value: float | None, saw: int,
) -> StoredNote:  # fmt: skip
    """Write the note about a reading, seen at version ``saw``, 0 for none; without words it is taken back. Raises
    StaleVersion."""
    key, moment = key_of(kpi, narrow, period), now()
    row = session.get(Note, key, with_for_update=True)
    there = row.version if row else 0
    if there != saw:
        raise StaleVersion(saw, there)
    is_new = row is None  # a note stands in its KPI's book
    if row is None:
        touch(session, kpi)
        # Of two who write the first note at once, one is told that there is one by now.
        row = Note(
            id=key, kpi_id=kpi, narrow=narrow, members=dict(members), period=period, version=0, text="", value=None,
            made_at=moment, made_by=author.get(), saved_at=moment, saved_by=author.get(),
        )  # fmt: skip
        held = {column.name: getattr(row, column.name) for column in Note.__table__.columns}
        made = insert(Note).values(**held)
        if cast(CursorResult[Any], session.execute(made.prefix_with("IGNORE"))).rowcount == 0:
            raise StaleVersion(saw, 1)
        row = session.get_one(Note, key, with_for_update=True)
    elif row.text == text:
        return _stored(row)
    else:
        session.add(
            Revision(
                kind="note", record_id=key, version=row.version, body={"text": row.text, "value": row.value},
                saved_at=row.saved_at, saved_by=row.saved_by,
            )
        )  # fmt: skip
    if not row.text:  # a new one, or one that was taken back
        row.made_at, row.made_by = moment, author.get()
    row.text, row.value, row.version = text, value, row.version + 1
    row.saved_at, row.saved_by = moment, author.get()
    if not is_new:
        touch(session, kpi)
    session.flush()
    return _stored(row)


def said_by(session: Session, key: str, at: dt.datetime, by: str) -> None:
    """Have a note be somebody's who wrote it elsewhere."""
    row = session.get_one(Note, key)
    row.made_at = row.saved_at = at
    row.made_by = row.saved_by = by
    session.flush()


def touch(session: Session, kpi: str) -> None:
    """Have everything that shows notes about a KPI know that they have changed."""
    made = insert(NoteBook).values(kpi_id=kpi, version=1)
    session.execute(made.on_duplicate_key_update(version=NoteBook.version + 1))
    change_log.append(session, ("notes", kpi))


def _stored(row: Note) -> StoredNote:
    return StoredNote(
        row.id, row.kpi_id, row.narrow, row.members, row.period, row.version, row.text, row.value, row.made_at,
        row.made_by, row.saved_at, row.saved_by,
    )  # fmt: skip
