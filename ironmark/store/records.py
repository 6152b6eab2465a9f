"""KPIs, assumptions, yardsticks, palettes, scorecards and cases: documents with versions, every earlier one kept."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from sqlalchemy import Select, delete, func, select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import change_log, eyes, presence
from ironmark.store.database import Missing, StaleVersion, author, new_key
from ironmark.store.models import Record, Revision

Kind = Literal["kpi", "yardstick", "palette", "scorecard", "calendar", "assumption", "case", "book"]

# Of what one person saves within minutes, the forms between are not kept: one each ``BETWEEN`` is.
SOON, BETWEEN = dt.timedelta(minutes=2), dt.timedelta(minutes=15)
THINNED_AT_ONCE = 5000
YOUNG = dt.timedelta(days=90)  # younger forms are never thinned
HANDLED: tuple[Kind, ...] = ("kpi", "assumption")  # formulas name them: no two have one handle


@dataclass(frozen=True)
class Document:
    id: str
    version: int
    body: dict[str, Any]
    updated_at: dt.datetime
    saved_by: str = ""


def list_all(session: Session, kind: Kind) -> list[Document]:
    rows = session.scalars(select(Record).where(Record.kind == kind).order_by(Record.created_at, Record.id))
    seen = eyes.of(session)
    return [_document(row) for row in rows if seen.sees(kind, row.id)]


@dataclass(frozen=True, slots=True)
class Head:
    """A document without what it says."""

    id: str
    version: int
    updated_at: dt.datetime
    saved_by: str


def heads(session: Session, kind: Kind) -> list[Head]:
    columns = (Record.id, Record.version, Record.updated_at, Record.saved_by)
    rows = session.execute(select(*columns).where(Record.kind == kind).order_by(Record.created_at, Record.id))
    seen = eyes.of(session)
    return [Head(*row) for row in rows if seen.sees(kind, row.id)]


def get(session: Session, kind: Kind, key: str) -> Document:
    """Raises Missing."""
    row = session.get(Record, (kind, key))
    if row is None or not eyes.of(session).sees(kind, key):
        raise Missing(kind, key)
    return _document(row)


def get_many(session: Session, kind: Kind, keys: Iterable[str]) -> dict[str, Document]:
    """The documents with these keys; those that do not exist are left out."""
    columns = (Record.id, Record.version, Record.body, Record.updated_at, Record.saved_by)
    rows = session.execute(select(*columns).where(Record.kind == kind, Record.id.in_(set(keys))))
    seen = eyes.of(session)
    return {row.id: Document(*row) for row in rows if seen.sees(kind, row.id)}


def create(session: Session, kind: Kind, body: dict[str, Any], *, name: str, key: str | None = None) -> Document:
    moment = now()
    row = Record(
        kind=kind, id=key or new_key(name), version=1, body=body, created_at=moment, updated_at=moment,
        saved_by=author.get(), handle=_handle(kind, body),
    )  # fmt: skip
    row.version = 1 + (_last_version(session, kind, row.id) or 0)
    session.add(row)
    session.flush()
    eyes.made(session, kind, row.id)
    return _document(row)


def save(session: Session, kind: Kind, key: str, body: dict[str, Any], saw: int) -> Document:
    """Replace a document seen at version ``saw``. Raises Missing, StaleVersion."""
    row = _locked(session, kind, key, saw)
    if row.body != body:
        # Where several have it open, one of them may go on from any form.
        if not _is_between(session, row) or (kind == "scorecard" and presence.several(session, key)):
            _keep(session, row)
        row.body, row.version, row.updated_at, row.saved_by = body, row.version + 1, now(), author.get()
        row.handle = _handle(kind, body)
        session.flush()
    return _document(row)


def at_version(session: Session, kind: Kind, key: str, version: int) -> dict[str, Any] | None:
    """What a document said at a version; None where that form is not kept."""
    query = select(Revision.body).where(Revision.kind == kind, Revision.record_id == key, Revision.version == version)
    return session.scalars(query.order_by(Revision.number.desc()).limit(1)).first()


def _handle(kind: Kind, body: Mapping[str, Any]) -> str | None:
    return body.get("handle") or None if kind in HANDLED else None


def remove(session: Session, kind: Kind, key: str, saw: int) -> None:
    """Delete a document; its last form stays among the revisions. Raises Missing, StaleVersion."""
    row = _locked(session, kind, key, saw)
    _keep(session, row)
    session.execute(delete(Record).where(Record.kind == kind, Record.id == key))
    change_log.append(session, (kind, key))


def restore(session: Session, kind: Kind, key: str) -> Document:
    """Have a document that was deleted stand again as it was last. Raises Missing for one that never was; one that is
    there stays as it is."""
    row = session.get(Record, (kind, key), with_for_update=True)
    if row is not None:
        return _document(row)
    last = next(iter(revisions(session, kind, key, most=1)), None)
    if last is None:
        raise Missing(kind, key)
    return create(session, kind, last.body, name=key, key=key)


def list_deleted(session: Session, kind: Kind) -> list[Revision]:
    """The last forms of documents that were deleted."""
    last = select(func.max(Revision.number)).where(Revision.kind == kind).group_by(Revision.record_id)
    there = select(Record.id).where(Record.kind == kind)
    query = select(Revision).where(Revision.number.in_(last), Revision.record_id.not_in(there))
    return list(session.scalars(query.order_by(Revision.number)))


def revisions(
    session: Session, kind: str, key: str, before: int | None = None, most: int | None = None
) -> list[Revision]:
    """The earlier forms of a record, the newest first: those of versions below ``before``, at most so many."""
    if not eyes.of(session).sees(kind, key):
        raise Missing(kind, key)
    query = select(Revision).where(Revision.kind == kind, Revision.record_id == key)
    if before is not None:
        query = query.where(Revision.version < before)
    return list(session.scalars(query.order_by(Revision.number.desc()).limit(most)))


def _locked(session: Session, kind: Kind, key: str, saw: int) -> Record:
    row = session.get(Record, (kind, key), with_for_update=True)
    if row is None or not eyes.of(session).sees(kind, key):
        raise Missing(kind, key)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def _last_version(session: Session, kind: Kind, key: str) -> int | None:
    query = select(func.max(Revision.version)).where(Revision.kind == kind, Revision.record_id == key)
    return session.scalar(query)


def _keep(session: Session, row: Record) -> None:
    session.add(
        Revision(
            kind=row.kind, record_id=row.id, version=row.version, body=row.body, saved_at=row.updated_at,
            saved_by=row.saved_by,
        )
    )  # fmt: skip


def _is_between(session: Session, row: Record) -> bool:
    """Whether a form is one of several that the same person saves one right after the other."""
    who = author.get()
    if not who or who != row.saved_by or now() - row.updated_at > SOON:
        return False
    query = select(func.max(Revision.saved_at)).where(Revision.kind == row.kind, Revision.record_id == row.id)
    before = session.scalar(query)
    return before is not None and row.updated_at - before < BETWEEN


def thinnable(session: Session) -> int:
    """How many forms ``thin`` would give up."""
    return session.scalar(select(func.count()).select_from(_thinned().subquery())) or 0


def thin(session: Session) -> int:
    """Of forms older than ``YOUNG`` keep the last of each day, and so the last of all. Returns how many were given up."""
    gone = list(session.scalars(_thinned()))
    for at in range(0, len(gone), THINNED_AT_ONCE):
        session.execute(delete(Revision).where(Revision.number.in_(gone[at : at + THINNED_AT_ONCE])))
    return len(gone)


def _thinned() -> Select[int]:
    whose = Revision.kind, Revision.record_id, func.date(Revision.saved_at)
    last = func.max(Revision.number).over(partition_by=whose)
    old = Revision.saved_at < now() - YOUNG
    held = select(Revision.number, last.label("last")).where(old, Revision.kind.in_(get_args(Kind))).subquery()
    return select(held.c.number).where(held.c.number != held.c.last)


def _document(row: Record) -> Document:
    return Document(row.id, row.version, row.body, row.updated_at, row.saved_by)


def last_change(
    session: Session, kind: Kind, key: str, between: tuple[int, int | None], part: Callable[[dict[str, Any]], object]
) -> tuple[str, dt.datetime] | None:
    """Who last changed ``part`` of a document, and when, of those who saved it after one version up to another one.

    between: the versions, the later one None for what holds now. None where nobody did, or nothing is kept of it.
    """
    first, last = between
    forms = {r.version: (r.body, r.saved_by, r.saved_at) for r in revisions(session, kind, key)}
    if (held := get_many(session, kind, [key]).get(key)) is not None:
        forms[held.version] = held.body, held.saved_by, held.updated_at
    found = None
    before: object = None
    for version in sorted(forms):
        body, who, at = forms[version]
        now_is = part(body)
        if first < version and (last is None or version <= last) and now_is != before:
            found = who, at
        before = now_is
    return found
