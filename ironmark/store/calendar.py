"""The organisation's calendar: the month in which its financial year begins."""

from __future__ import annotations

from sqlalchemy.orm import Session

from ironmark.store import records
from ironmark.store.database import now
from ironmark.store.records import Document

KEY = "calendar"


def get(session: Session) -> Document:
    """The calendar; one of version 0 before it was ever set."""
    found = records.some(session, "calendar", [KEY])
    return found.get(KEY) or Document(KEY, 0, {"year_start": 1}, now())


def year_start(session: Session) -> int:
    return int(get(session).body["year_start"])


def save(session: Session, body: dict[str, int], saw: int) -> Document:
    """Raises StaleVersion."""
    if saw == 0 and get(session).version == 0:
        return records.create(session, "calendar", body, name=KEY, key=KEY)
    return records.save(session, "calendar", KEY, body, saw)
