"""The organisation's ways: the month in which its financial year begins, and how it writes numbers."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.core.numbers import DEFAULT_LOCALE, NumberStyle, style_of
from ironmark.store import records
from ironmark.store.records import Document

KEY = "calendar"


def get(session: Session) -> Document:
    """The calendar; one of version 0 before it was ever set."""
    found = records.get_many(session, "calendar", [KEY]).get(KEY)
    body = {"year_start": 1, "locale": DEFAULT_LOCALE} | (found.body if found else {})
    return Document(KEY, found.version if found else 0, body, found.updated_at if found else now())


def year_start_of(document: Document | None) -> int:
    """The month in which the financial year begins, by the calendar's document; January before it was ever set."""
    return int(document.body["year_start"]) if document else 1


def style_by(document: Document) -> NumberStyle:
    """How the organisation writes numbers, by the calendar's document."""
    return style_of(document.body["locale"])


def save(session: Session, body: dict[str, Any], saw: int) -> Document:
    """Raises StaleVersion."""
    if saw == 0 and get(session).version == 0:
        return records.create(session, "calendar", body, name=KEY, key=KEY)
    return records.save(session, "calendar", KEY, body, saw)
