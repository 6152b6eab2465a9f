"""What was changed, appended to a log in the transaction that changes it: whoever looks every second whether anything was
asks for the end of the log, however much there is."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import delete, event, insert, inspect, select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.database import request
from ironmark.store.models import ChangeEntry, Dataset, Edition, MarkBook, NoteBook, Record

Stamp = tuple[object, ...]
KEPT, KEPT_FOR = 1000, dt.timedelta(hours=1)  # entries at least, and how long each at least
_MANY = 2000  # given up at once
# Two transactions may end in the other order than that of their numbers: how many there are tells it all the same.
_STAMP = "SELECT COUNT(*), MAX(number) FROM change_log"
_KINDS: dict[type, str] = {MarkBook: "book", NoteBook: "notes", Dataset: "dataset", Edition: "edition"}


def stamp(session: Session) -> Stamp:
    """What is another one whenever a document, a mark book, a note, rows or an edition were changed."""
    return tuple(session.connection().exec_driver_sql(_STAMP).one())


def newest_request(session: Session) -> str:
    """The id of the request that made the newest change; "" where none did."""
    return session.scalar(select(ChangeEntry.request).order_by(ChangeEntry.number.desc()).limit(1)) or ""


def append(session: Session, *changed: tuple[str, str]) -> None:
    """Note what was changed, by kind and key; old entries are given up on the way."""
    rows = [{"kind": kind, "record_id": key, "at": now(), "request": request.get()} for kind, key in changed]
    connection = session.connection()
    newest = connection.execute(insert(ChangeEntry).values(rows)).lastrowid + len(rows) - 1  # told is the first one
    if newest % 100 < len(rows):
        # Those of changes under way are skipped: nothing waits for them.
        query = select(ChangeEntry.number).where(ChangeEntry.number < newest - KEPT, ChangeEntry.at < now() - KEPT_FOR)
        if old := list(connection.scalars(query.limit(_MANY).with_for_update(skip_locked=True))):
            connection.execute(delete(ChangeEntry).where(ChangeEntry.number.in_(old)))


def _watch(session: Session, _flush: object) -> None:
    """What is changed as an object is noted by itself; whoever writes by a statement notes it."""
    found = [entry for one in (*session.new, *session.dirty, *session.deleted) if (entry := _entry(session, one))]
    if found:
        append(session, *found)


def _entry(session: Session, one: Any) -> tuple[str, str] | None:
    if type(one) is not Record and type(one) not in _KINDS:
        return None
    if one not in session.deleted and not inspect(one).attrs.version.history.has_changes():
        return None
    if isinstance(one, Record):
        return one.kind, one.id
    return _KINDS[type(one)], str(getattr(one, "kpi_id", None) or one.id)


event.listen(Session, "after_flush", _watch)
